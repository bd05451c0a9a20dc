import Button from '@mui/material/Button';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useState } from 'react';
import { useLocation } from 'react-router';
import { useRevise } from '../../api/queries';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { SitePatternLine } from '../../patterns/SitePatternLine';
import { useDeskState, useDrafting } from '../context';
import styles from './addresses.module.css';
import { CircuitPanel } from './CircuitPanel';
import { LetterDialog } from '../letters/LetterDialog';
import { furtherCircuit, inOrder } from './circuits';
import { Inside } from './Inside';
import { Proposed, type Proposal } from './Proposed';

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

  const [letter, setLetter] = useState<{ id: string; text: string; replaces: boolean } | null>(null);
  const [asked, setAsked] = useState<HTMLElement | null>(null);
  const [proposal, setProposal] = useState<Proposal | null>(null);
  /** The order that the cards keep while somebody types in one of them. */
  const [held, setHeld] = useState<string[] | null>(null);

  const addCircuit = () => {
    const { id, operations } = furtherCircuit(plan.circuits);
    revise.mutate({ operations, revision: revision.number });
    setOpen({ ...open, [id]: true });
  };
  const sorted = inOrder(plan.circuits);
  const order = held ? [...new Set([...held, ...sorted])] : sorted;
  const circuits = order.flatMap((id) => {
    const circuit = plan.circuits[id];
    return circuit ? [[id, circuit] as const] : [];
  });
  const then = (act: () => void) => () => {
    setAsked(null);
    act();
  };
  const empty = circuits.length + Object.keys(plan.segments).length === 0;
  return (
    <>
      <div className="line baseline far heading" style={{ marginTop: 0 }}>
        <h2>Internet side</h2>
        <span className="quiet">
          {circuits.length === 0 ? 'no circuit yet' : count(circuits.length, 'circuit')}
        </span>
        <span className="end" />
        {mayPlan && (
          <Button
            data-adds-circuit
            aria-haspopup={circuits.length > 0 ? 'menu' : undefined}
            onClick={(event) => (circuits.length > 0 ? setAsked(event.currentTarget) : addCircuit())}
          >
            Add circuit
          </Button>
        )}
      </div>
      <Menu anchorEl={asked} open={asked !== null} onClose={() => setAsked(null)}>
        <MenuItem dense onClick={then(addCircuit)}>
          One more line, beside {circuits.length === 1 ? circuits[0]?.[1].label : 'the others'}
        </MenuItem>
        {circuits.map(([id, { label }]) => (
          <MenuItem key={id} dense onClick={then(() => setLetter({ id, text: '', replaces: true }))}>
            A new line in the place of {label}
          </MenuItem>
        ))}
      </Menu>
      <div
        onFocus={({ target }) => target instanceof HTMLInputElement && setHeld(held ?? sorted)}
        onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && setHeld(null)}
      >
        {circuits.map(([id, circuit]) => (
          <CircuitPanel
            key={id}
            id={id}
            circuit={circuit}
            open={open[id] ?? wanted === id}
            onToggle={() => toggle(id)}
            onLetter={(text) => setLetter({ id, text, replaces: false })}
            onProposal={setProposal}
          />
        ))}
      </div>
      {letter && (
        <LetterDialog
          circuit={letter.id}
          label={plan.circuits[letter.id]?.label ?? ''}
          provider={letter.replaces ? undefined : (plan.circuits[letter.id]?.provider ?? undefined)}
          text={letter.text}
          replaces={letter.replaces}
          onClose={() => setLetter(null)}
        />
      )}
      {proposal && <Proposed proposal={proposal} onDone={() => setProposal(null)} />}
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
