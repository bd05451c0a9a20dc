import type { Schemas, Step } from '../../api/client';
import { SecretDialog } from '../../parts/ReadSecret';
import { LinkButton } from '../../parts/controls';
import { useMay } from '../../frame/person';
import { moment } from '../../parts/words';
import { useState } from 'react';
import { useDeskState } from '../context';
import styles from './bench.module.css';

type Asked = NonNullable<Schemas['ChangedShown']['before']>;

/** What was recorded of the step before, by whom, and what the plan asks for otherwise since. */
export function Recorded({ step: { tick, changes } }: { step: Step }) {
  if (!tick) return null;
  const word = { done: 'Done', skipped: 'Skipped', failed: 'Trouble' }[tick.result];
  return (
    <div
      className={`note below ${styles.recorded}`}
      data-result={tick.touched ? 'touched' : tick.result}
      role="status"
    >
      <b>{tick.touched ? 'The plan asks for something else since. ' : ''}</b>
      {word} by {tick.by}, {moment(tick.at)}
      {tick.note && `: ${tick.note}`}
      {tick.accepted_by && `. Skipping was accepted by ${tick.accepted_by}`}
      {tick.touched && changes.length > 0 && (
        <table className={styles.changes}>
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Was, and is in the box</th>
              <th scope="col">Is to be</th>
            </tr>
          </thead>
          <tbody>
            {changes.map((change, index) => (
              <tr key={index}>
                <th scope="row">{change.label}</th>
                <td>
                  <Said value={change.before} of={`old ${change.label}`} />
                </td>
                <td>
                  <Said value={change.after} of={`new ${change.label}`} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {tick.touched &&
        (changes.length > 0
          ? 'Type what is new, then record the step again.'
          : ' Its text or its checks are other ones now: read it, then record the step again.')}
    </div>
  );
}

/** One value, or the way to read a secret by its number. */
function Said({ value, of }: { value: Asked | null; of: string }) {
  const { name } = useDeskState();
  const mayRead = useMay('read');
  const [open, setOpen] = useState(false);
  if (!value) return <span className="quiet">nothing</span>;
  if (!value.secret) return <span className="mono">{value.text}</span>;
  if (value.number === 0) return <span className="quiet">not in the safe</span>;
  if (!mayRead) return <span className="quiet">number {value.number}, in the safe</span>;
  return (
    <>
      <LinkButton onClick={() => setOpen(true)} aria-label={`Read the ${of}`}>
        number {value.number}: read it
      </LinkButton>
      {open && (
        <SecretDialog
          site={name}
          path={value.secret}
          label={`${value.label}, number ${value.number}`}
          number={value.number}
          onClose={() => setOpen(false)}
        />
      )}
    </>
  );
}
