import Button from '@mui/material/Button';
import { useState } from 'react';
import { useLocation } from 'react-router';
import { useRevise } from '../../api/queries';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { SitePatternLine } from '../../patterns/SitePatternLine';
import { useDeskState, useDrafting } from '../context';
import styles from './addresses.module.css';
import { CircuitPanel, inOrder } from './CircuitPanel';
import { freshId } from './edits';
import { Inside } from './Inside';

/** The internet-facing side and every inside segment, to scale. */
export function AddressesPage() {
  const { name, desk: state, mayPlan } = useDeskState();
  const { revision } = state;
  const { plan } = useDrafting();
  const revise = useRevise(name);
  const { hash } = useLocation();
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const wanted = hash.split('/')[2];
  const toggle = (id: string) => setOpen((now) => ({ ...now, [id]: !(now[id] ?? wanted === id) }));

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
  const empty = circuits.length + Object.keys(plan.segments).length === 0;
  return (
    <>
      <div className="line baseline far heading" style={{ marginTop: 0 }}>
        <h2>Internet side</h2>
        <span className="quiet">
          {circuits.length === 0 ? 'no circuit yet' : count(circuits.length, 'circuit')}
        </span>
        <span className="end" />
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
      <Inside head={(propose) => <SitePatternLine onProposal={propose} />} />
      {revise.error && <Trouble>{revise.error.message}</Trouble>}
      {mayPlan && empty && (
        <div className={`card ${styles.first}`}>
          Begin with the line: <b>Add circuit</b>, then paste what the provider wrote. Then <b>Lay out</b> the
          segments from a list of what is needed, or load the intake tables on Outbound.
        </div>
      )}
    </>
  );
}
