import Button from '@mui/material/Button';
import { useState } from 'react';
import { useLocation } from 'react-router';
import { useRevise } from '../../api/queries';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import desk from '../desk.module.css';
import styles from './addresses.module.css';
import { CircuitPanel } from './CircuitPanel';
import { freshId } from './edits';
import { SegmentRow } from './SegmentRow';

/** The internet-facing side and every inside segment, to scale. */
export function AddressesPage() {
  const { name, desk: state, mayPlan } = useDeskState();
  const { plan, revision } = state;
  const revise = useRevise(name);
  const { hash } = useLocation();
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const target = hash.slice(1);
  const wanted = plan.hosts[target.split('/')[2] ?? '']?.segment ?? target.split('/')[2];

  const add = (kind: 'circuits' | 'segments', label: string) => {
    const id = freshId(plan[kind]);
    const labels = Object.values(plan[kind]).map((member) => member.label);
    let unique = label;
    for (let number = 2; labels.includes(unique); number += 1) unique = `${label} ${number}`;
    revise.mutate({
      operations: [{ op: 'add', path: `/${kind}/${id}`, value: { label: unique } }],
      revision: revision.number,
    });
    setOpen({ ...open, [id]: true });
  };
  const circuits = Object.entries(plan.circuits);
  const segments = Object.entries(plan.segments);
  return (
    <>
      <div className={styles.heading} style={{ marginTop: 0 }}>
        <h2>Internet side</h2>
        <span className="quiet">
          {circuits.length === 0 ? 'no circuit yet' : count(circuits.length, 'circuit')}
        </span>
        <span className={styles.spring} />
        {mayPlan && <Button onClick={() => add('circuits', 'Main')}>Add circuit</Button>}
      </div>
      {circuits.map(([id, circuit]) => (
        <CircuitPanel
          key={id}
          id={id}
          circuit={circuit}
          open={open[id] ?? wanted === id}
          onToggle={() => setOpen({ ...open, [id]: !(open[id] ?? wanted === id) })}
        />
      ))}
      <div className={styles.heading}>
        <h2>Inside</h2>
        <span className="quiet">
          {segments.length === 0
            ? 'no segment yet: add one, or load the intake tables on Outbound'
            : count(segments.length, 'segment')}
        </span>
        <span className={styles.spring} />
        {mayPlan && <Button onClick={() => add('segments', 'Segment')}>Add segment</Button>}
      </div>
      {revise.error && (
        <p role="alert" style={{ color: 'var(--stop)' }}>
          {revise.error.message}
        </p>
      )}
      <div className={desk.card} hidden={segments.length === 0}>
        {segments.map(([id, segment]) => (
          <SegmentRow
            key={id}
            id={id}
            segment={segment}
            open={open[id] ?? wanted === id}
            onToggle={() => setOpen({ ...open, [id]: !(open[id] ?? wanted === id) })}
          />
        ))}
      </div>
    </>
  );
}
