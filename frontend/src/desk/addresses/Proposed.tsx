import { Press } from '../../parts/controls';
import Button from '@mui/material/Button';
import { useEffect, useRef } from 'react';
import type { Schemas } from '../../api/client';
import { SeverityMark } from '../../parts/Marks';
import { useSteps } from '../context';
import styles from './addresses.module.css';

export type Proposal = Schemas['ProposalShown'];

/** What is nearest to a change: the segment that it is about, or the way to add one. */
function nearTo(operations: Proposal['operations']): HTMLElement | null {
  const keys = operations.map(({ path }) => path.match(/^\/segments\/[^/]+/)?.[0]);
  const rows = keys.map((key) => key && document.querySelector(`[data-path="${CSS.escape(key)}"] button`));
  const row = operations.some(({ op }) => op === 'remove') ? null : rows.find(Boolean);
  return (row || document.querySelector('[data-adds]')) as HTMLElement | null;
}

/** A change that is drawn on the rulers before it is taken: what it is, and what would fall out. */
export function Proposed({ proposal, onDone }: { proposal: Proposal; onDone: (taken: boolean) => void }) {
  const { show, keep, drop, revision } = useSteps();
  const begun = useRef(0);
  const take = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    begun.current = revision();
    show(proposal.operations, true);
    take.current?.focus({ preventScroll: true });
    return drop;
  }, [proposal, show, drop, revision]);
  const done = (taken: boolean) => {
    onDone(taken);
    nearTo(proposal.operations)?.focus();
  };
  const leave = () => {
    drop();
    done(false);
  };
  return (
    <section
      className={`note plan ${styles.proposed}`}
      aria-label="Proposal"
      onKeyDown={(event) => event.key === 'Escape' && leave()}
    >
      <div role="status">
        <b>{proposal.sentence}</b> <span className="quiet">drawn on the rulers, not saved yet</span>
      </div>
      {proposal.lost.length > 0 && (
        <ul>
          {proposal.lost.slice(0, 12).map((line) => (
            <li key={line}>
              <SeverityMark of="warn" size={12} /> {line}
            </li>
          ))}
          {proposal.lost.length > 12 && <li>and {proposal.lost.length - 12} more</li>}
        </ul>
      )}
      <Press
        ref={take}
        variant="contained"
        waits={proposal.operations.length === 0 ? 'it changes nothing' : ''}
        onClick={() => {
          keep(proposal.operations, begun.current);
          done(true);
        }}
      >
        Take it
      </Press>
      <Button onClick={leave}>Leave it</Button>
    </section>
  );
}
