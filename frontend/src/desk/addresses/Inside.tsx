import Button from '@mui/material/Button';
import { useCallback, useMemo, useState, type ReactNode } from 'react';
import { useLocation, useSearchParams } from 'react-router';
import type { Finding, Host } from '../../api/client';
import { count } from '../../parts/words';
import { useDeskState, useDrafting, useFound } from '../context';
import { findingsBySegment, hostsBySegment, inOrder } from './edits';
import { LayOut } from './LayOut';
import { NewSegment } from './NewSegment';
import { PlacePopover, type Asked } from './PlacePopover';
import { Proposed, type Proposal } from './Proposed';
import { SegmentRow } from './SegmentRow';

const NONE: [string, Host][] = [];
const NOTHING: Finding[] = [];

/** Every inside segment, to scale, with what can be done about them. */
export function Inside({ head }: { head?: (propose: (fresh: Proposal) => void) => ReactNode }) {
  const { mayPlan } = useDeskState();
  const { plan } = useDrafting();
  const { findings } = useFound();
  const { hash } = useLocation();
  const [search, setSearch] = useSearchParams();
  const room = search.get('subnet');
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const target = hash.slice(1);
  const [asked, setAsked] = useState<Asked | null>(null);
  const wanted = plan.hosts[target.split('/')[2] ?? '']?.segment ?? target.split('/')[2];
  const [panel, setPanel] = useState<'new' | 'lay out' | null>(room ? 'new' : null);
  const [proposal, setProposal] = useState<Proposal | null>(null);
  const propose = useCallback((fresh: Proposal) => {
    setPanel(null);
    setProposal(fresh);
  }, []);
  const close = () => {
    setPanel(null);
    if (room) setSearch({}, { replace: true });
  };
  const hosts = useMemo(() => hostsBySegment(plan), [plan]);
  const about = useMemo(() => findingsBySegment(plan, findings), [plan, findings]);
  const toggle = useCallback(
    (id: string) => setOpen((now) => ({ ...now, [id]: !(now[id] ?? wanted === id) })),
    [wanted],
  );
  const segments = inOrder(plan.segments);
  return (
    <>
      <div className="line baseline far heading">
        <h2>Inside</h2>
        <span className="quiet">
          {segments.length === 0 ? 'no segment yet' : count(segments.length, 'segment')}
          {plan.delegated_prefix && (
            <>
              {' '}
              · IPv6 prefix <span className="mono">{plan.delegated_prefix}</span>
            </>
          )}
        </span>
        <span className="end" />
        {mayPlan && (
          <>
            <Button onClick={() => setPanel('lay out')}>Lay out</Button>
            <Button data-adds onClick={() => setPanel('new')}>
              Add segment
            </Button>
          </>
        )}
      </div>
      {head?.(propose)}
      {panel === 'new' && <NewSegment onClose={close} {...(room ? { near: room } : {})} />}
      {panel === 'lay out' && <LayOut onClose={close} />}
      <div className="card" hidden={segments.length === 0}>
        {segments.map(([id, segment]) => (
          <SegmentRow
            key={id}
            id={id}
            segment={segment}
            hosts={hosts.get(id) ?? NONE}
            findings={about.get(id) ?? NOTHING}
            open={open[id] ?? wanted === id}
            onToggle={toggle}
            onAsk={setAsked}
            onProposal={propose}
          />
        ))}
      </div>
      {proposal && <Proposed proposal={proposal} onDone={() => setProposal(null)} />}
      <PlacePopover asked={asked} onClose={() => setAsked(null)} />
    </>
  );
}
