import Button from '@mui/material/Button';
import { useCallback, useMemo, useState } from 'react';
import { useLocation, useSearchParams } from 'react-router';
import type { Finding, Host } from '../../api/client';
import { useRevise } from '../../api/queries';
import { count } from '../../parts/words';
import { useDeskState, useDrafting, useFound } from '../context';
import desk from '../desk.module.css';
import styles from './addresses.module.css';
import { CircuitPanel, inOrder } from './CircuitPanel';
import { findingsBySegment, freshId, hostsBySegment } from './edits';
import { PlacePopover, type Asked } from './PlacePopover';
import { LayOut } from './LayOut';
import { NewSegment } from './NewSegment';
import { Proposed, type Proposal } from './Proposed';
import { SegmentRow } from './SegmentRow';

const NONE: [string, Host][] = [];
const NOTHING: Finding[] = [];

/** The internet-facing side and every inside segment, to scale. */
export function AddressesPage() {
  const { name, desk: state, mayPlan } = useDeskState();
  const { revision } = state;
  const { plan } = useDrafting();
  const { findings } = useFound();
  const revise = useRevise(name);
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

  const addCircuit = () => {
    const id = freshId(plan.circuits);
    const labels = Object.values(plan.circuits).map((circuit) => circuit.label);
    let unique = labels.includes('Main') ? 'Backup' : 'Main';
    for (let number = 2; labels.includes(unique); number += 1) unique = `Backup ${number}`;
    revise.mutate({
      operations: [{ op: 'add', path: `/circuits/${id}`, value: { label: unique } }],
      revision: revision.number,
    });
    setOpen({ ...open, [id]: true });
  };
  const circuits = inOrder(plan.circuits).flatMap((id) => {
    const circuit = plan.circuits[id];
    return circuit ? [[id, circuit] as const] : [];
  });
  const segments = Object.entries(plan.segments);
  return (
    <>
      <div className={styles.heading} style={{ marginTop: 0 }}>
        <h2>Internet side</h2>
        <span className="quiet">
          {circuits.length === 0 ? 'no circuit yet' : count(circuits.length, 'circuit')}
        </span>
        <span className={styles.spring} />
        {mayPlan && <Button onClick={addCircuit}>Add circuit</Button>}
      </div>
      {circuits.map(([id, circuit]) => (
        <CircuitPanel
          key={id}
          id={id}
          circuit={circuit}
          open={open[id] ?? wanted === id}
          onToggle={() => toggle(id)}
        />
      ))}
      <div className={styles.heading}>
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
        <span className={styles.spring} />
        {mayPlan && (
          <>
            <Button onClick={() => setPanel('lay out')}>Lay out</Button>
            <Button onClick={() => setPanel('new')}>Add segment</Button>
          </>
        )}
      </div>
      {panel === 'new' && <NewSegment onClose={close} {...(room ? { near: room } : {})} />}
      {panel === 'lay out' && <LayOut onClose={close} />}
      {proposal && <Proposed proposal={proposal} onDone={() => setProposal(null)} />}
      {revise.error && (
        <p role="alert" style={{ color: 'var(--stop)' }}>
          {revise.error.message}
        </p>
      )}
      {mayPlan && circuits.length + segments.length === 0 && (
        <div className={`${desk.card} ${styles.first}`}>
          Begin with the line: <b>Add circuit</b>, then paste what the provider wrote. Then <b>Lay out</b> the
          segments from a list of what is needed, or load the intake tables on Outbound.
        </div>
      )}
      <div className={desk.card} hidden={segments.length === 0}>
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
      <PlacePopover asked={asked} onClose={() => setAsked(null)} />
    </>
  );
}
