import { Press } from '../../parts/controls';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link } from 'react-router';
import { useMay } from '../../frame/person';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { deskPath, moment } from '../../parts/words';
import { useShip } from '../bench/queries';
import { useDeskState } from '../context';
import styles from './sheet.module.css';

/** Shipping: what has to be so before, and who sent what when with whom. */
export function Shipping() {
  const { name, desk: state } = useDeskState();
  const ship = useShip(name);
  const mayStage = useMay('stage');
  const [carrier, setCarrier] = useState('');
  const [reference, setReference] = useState('');
  const { shipped, staging, summary, clearance } = state;
  const open = staging.filter((one) => !one.finished);
  const waiting = staging.some((one) => one.skips.some((skip) => !skip.accepted_by));
  const ready = summary.clear && open.length === 0 && !waiting;
  return (
    <div className={styles.shipping}>
      {shipped && (
        <section className={`card part ${styles.sent}`} aria-label="Shipped">
          <h2>
            <SeverityMark of="clear" size={18} /> Shipped
          </h2>
          <p>
            Revision {shipped.revision}, by {shipped.by}, {moment(shipped.at, true)}
            {shipped.carrier && `, with ${shipped.carrier}`}
            {shipped.reference && ` (${shipped.reference})`}.
          </p>
        </section>
      )}
      <section className={`card part ${styles.sent}`} aria-label="Before it leaves">
        <h2>Before it leaves</h2>
        <ul>
          <li>
            <SeverityMark of={summary.clear ? 'clear' : 'stop'} />{' '}
            {summary.clear && clearance ? (
              `Cleared by ${clearance.by}, ${moment(clearance.at, true)}`
            ) : (
              <Link to={deskPath(name, 'clearance')}>It is not cleared: sign it on Clearance</Link>
            )}
          </li>
          {staging.map((one) => {
            const box = state.plan.devices[one.device];
            return (
              <li key={one.device}>
                <SeverityMark of={one.finished ? 'clear' : 'stop'} />{' '}
                {one.finished && one.skips.length === 0 && `${box?.name ?? box?.role} is staged and proven`}
                {one.finished && one.skips.length > 0 && (
                  <>
                    {box?.name ?? box?.role} is staged, but not all of it is proven:
                    <ul>
                      {one.skips.map((skip) => (
                        <li key={skip.words}>
                          <SeverityMark of={skip.accepted_by ? 'clear' : 'stop'} size={12} /> skipped,{' '}
                          {skip.words}
                          {skip.accepted_by ? (
                            `; accepted by ${skip.accepted_by}`
                          ) : (
                            <>
                              ; <Link to={deskPath(name, 'clearance')}>a planner has to accept it</Link>
                            </>
                          )}
                        </li>
                      ))}
                    </ul>
                  </>
                )}
                {!one.finished && (
                  <Link to={deskPath(name, `bench/${one.device}`)}>
                    {box?.name ?? box?.role}:{' '}
                    {one.problem || `${one.steps - one.done} of ${one.steps} steps are open`}
                  </Link>
                )}
              </li>
            );
          })}
          {staging.length === 0 && (
            <li>
              <SeverityMark of="stop" /> <Link to={deskPath(name, 'devices')}>There is no box yet</Link>
            </li>
          )}
        </ul>
        {mayStage && (
          <form
            className="line"
            onSubmit={(event) => {
              event.preventDefault();
              ship.mutate({ revision: state.revision.number, carrier, reference });
            }}
          >
            <TextField label="Carrier" value={carrier} onChange={(event) => setCarrier(event.target.value)} />
            <TextField
              label="Carrier's reference"
              value={reference}
              onChange={(event) => setReference(event.target.value)}
            />
            <Press
              type="submit"
              variant="contained"
              size="medium"
              waits={
                !ready
                  ? 'it is cleared, every box is staged, and what was skipped is accepted, before it ships'
                  : ''
              }
              loading={ship.isPending}
            >
              {shipped ? 'It ships again' : 'It ships'}
            </Press>
          </form>
        )}
        {ship.error && <Trouble>{ship.error.message}</Trouble>}
      </section>
    </div>
  );
}
