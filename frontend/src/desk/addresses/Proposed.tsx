import { Press } from '../../parts/controls';
import Button from '@mui/material/Button';
import { useEffect, useRef } from 'react';
import type { Plan, Schemas } from '../../api/client';
import { focusWhenThere } from '../../parts/focus';
import { SeverityMark } from '../../parts/Marks';
import { useDeskState, useSteps } from '../context';
import { patched } from '../useDraft';
import styles from './addresses.module.css';

export type Proposal = Schemas['ProposalShown'];

/**
 * What is nearest to a change in a plan: the segment that it makes, else the first that it changes, or the way to add one
 * when none of them is in the plan.
 */
function nearTo({ operations }: Proposal, before: Plan, plan: Plan): string {
  if (operations.some(({ path }) => path.startsWith('/circuits/'))) return '[data-adds-circuit]';
  const ids = operations.map(({ path }) => /^\/segments\/([^/]+)/.exec(path)?.[1] ?? '');
  const there = ids.filter((id) => id in plan.segments);
  const id = there.find((one) => !(one in before.segments)) ?? there[0];
  return id === undefined ? '[data-adds]' : `[data-path="/segments/${CSS.escape(id)}"] button`;
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
  const { plan } = useDeskState().desk;
  const { operations } = proposal;
  const leave = () => {
    drop();
    onDone(false);
    focusWhenThere(nearTo(proposal, plan, plan));
  };
  const keepIt = () => {
    keep(operations, begun.current);
    onDone(true);
    focusWhenThere(nearTo(proposal, plan, patched(plan, operations) ?? plan));
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
        waits={operations.length === 0 ? 'it changes nothing' : ''}
        onClick={keepIt}
      >
        Take it
      </Press>
      <Button onClick={leave}>Leave it</Button>
    </section>
  );
}
