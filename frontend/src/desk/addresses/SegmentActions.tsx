import Button from '@mui/material/Button';
import Divider from '@mui/material/Divider';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import type { Failure, Plan, Segment } from '../../api/client';
import { propose, type Wish } from '../../api/queries';
import { Line } from '../../parts/controls';
import { subnet, type Span } from '../../ruler/addresses';
import { useDeskState, useSteps } from '../context';
import styles from './addresses.module.css';
import { removeSegment } from './edits';
import type { Proposal } from './Proposed';

/** Which segments lie right before or behind another one. */
export function neighboursOf(segments: Record<string, Segment>, id: string): [string, Segment][] {
  const own = subnet(segments[id]?.subnet);
  if (!own) return [];
  const beside = (net: Span) =>
    net.family === own.family && (net.last + 1n === own.first || net.first === own.last + 1n);
  return Object.entries(segments).filter(([key, segment]) => {
    const net = key === id ? undefined : subnet(segment.subnet);
    return net !== undefined && beside(net);
  });
}

/** Taking a segment out, as a proposal: its hosts go with it. */
function removal(plan: Plan, id: string): Proposal {
  const { label = '', subnet: net = null } = plan.segments[id] ?? {};
  const hosts = Object.values(plan.hosts).filter((host) => host.segment === id);
  return {
    sentence: `Remove ${label}${net ? `, so that ${net} is free` : ''}`,
    operations: removeSegment(plan, id),
    lost: hosts.map((host) => `${host.name}${host.address ? ` ${host.address}` : ''} goes with it`),
  };
}

/** What can be done with a segment as a whole. All but another place is drawn first. */
export function SegmentActions(props: {
  id: string;
  segment: Segment;
  onProposal: (proposal: Proposal) => void;
}) {
  const { id, segment, onProposal } = props;
  const { name, desk } = useDeskState();
  const { keep } = useSteps();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [sizing, setSizing] = useState<HTMLElement | null>(null);
  const [problem, setProblem] = useState('');
  const { segments } = desk.plan;
  const keys = Object.keys(segments);
  const ask = async (wish: Wish, atOnce = false) => {
    setAnchor(null);
    setProblem('');
    try {
      const proposal = await propose(name, wish);
      setSizing(null);
      if (atOnce) keep(proposal.operations);
      else onProposal(proposal);
    } catch (error) {
      setProblem((error as Failure).message);
    }
  };
  const flat = segment.subnet !== null && segment.subnet.includes('.');
  return (
    <>
      <button
        className={`quiet end ${styles.more}`}
        aria-haspopup="menu"
        aria-label={`What to do with ${segment.label}`}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        …
      </button>
      {problem && !sizing && (
        <div role="alert" className="bad">
          {problem}
        </div>
      )}
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {flat && (
          <MenuItem
            dense
            onClick={() => {
              setSizing(anchor);
              setAnchor(null);
            }}
          >
            Another size or subnet
          </MenuItem>
        )}
        {flat && (
          <MenuItem dense onClick={() => void ask({ what: 'split', segment: id })}>
            Split in two
          </MenuItem>
        )}
        {neighboursOf(segments, id).map(([key, other]) => (
          <MenuItem dense key={key} onClick={() => void ask({ what: 'join', segment: id, other: key })}>
            Join with {other.label}
          </MenuItem>
        ))}
        {flat && (
          <MenuItem dense onClick={() => void ask({ what: 'copy', segment: id })}>
            Copy into free space
          </MenuItem>
        )}
        <Divider />
        <MenuItem
          dense
          disabled={keys[0] === id}
          onClick={() => void ask({ what: 'move', segment: id, by: -1 }, true)}
        >
          Move up
        </MenuItem>
        <MenuItem
          dense
          disabled={keys.at(-1) === id}
          onClick={() => void ask({ what: 'move', segment: id, by: 1 }, true)}
        >
          Move down
        </MenuItem>
        <Divider />
        <MenuItem
          dense
          sx={{ color: 'var(--stop)' }}
          onClick={() => {
            setAnchor(null);
            onProposal(removal(desk.plan, id));
          }}
        >
          Remove, with its hosts
        </MenuItem>
      </Menu>
      <Popover
        open={sizing !== null}
        anchorEl={sizing}
        onClose={() => setSizing(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': `Another subnet for ${segment.label}` } }}
      >
        <Sizing
          segment={segment}
          problem={problem}
          onAsk={(text) => void ask({ what: 'resize', segment: id, subnet: text })}
        />
      </Popover>
    </>
  );
}

function Sizing(props: { segment: Segment; problem: string; onAsk: (text: string) => void }) {
  const [text, setText] = useState('');
  return (
    <form
      style={{ padding: 16, width: 320, display: 'grid', gap: 10 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) props.onAsk(text);
      }}
    >
      <label>
        {props.segment.label} has <span className="mono">{props.segment.subnet}</span>; give it
        <Line
          autoFocus
          aria-label="Another subnet"
          className="mono"
          style={{ width: '100%', marginTop: 6 }}
          placeholder="/25, next, next /25 or 10.40.8.0/23"
          value={text}
          maxLength={100}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      {props.problem && (
        <div role="alert" className="bad">
          {props.problem}
        </div>
      )}
      <Button type="submit" variant="contained">
        Draw it
      </Button>
    </form>
  );
}
