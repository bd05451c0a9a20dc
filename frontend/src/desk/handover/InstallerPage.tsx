import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import { useTypes } from '../devices/queries';
import { WiringBoard } from '../devices/WiringBoard';
import { useInstaller } from './queries';
import styles from './sheet.module.css';

/** For somebody who is not a network person: which cable in which port, what light to expect, whom to call. */
export function InstallerPage() {
  const { name, desk } = useDeskState();
  const types = useTypes();
  const page = useInstaller(name, desk.revision.number);
  if (page.error) return <Trouble>{page.error.message}</Trouble>;
  if (!page.data) return null;
  const { boxes, cables, leave_empty, lights, call } = page.data;
  if (boxes.length === 0) {
    return <p className="quiet">There is no box to install yet: add the site's boxes on Devices.</p>;
  }
  return (
    <article className={`${styles.sheet} ${styles.plainWords}`} aria-label="Installer's page">
      <header className={styles.head}>
        <div>
          <div>{desk.summary.customer_name}</div>
          <h1>{desk.summary.name}</h1>
          <div>{desk.plan.street}</div>
        </div>
        <div className="right">Installer's page, revision {desk.revision.number}</div>
      </header>
      <h2>1. Unpack</h2>
      <ul>
        {boxes.map((box) => (
          <li key={box.name}>
            <b>{box.name}</b>: {box.looks}
            {box.where && `, goes to ${box.where}`}
          </li>
        ))}
      </ul>
      <h2>2. Plug in, in this order</h2>
      <WiringBoard types={types} readOnly />
      <ol>
        {cables.map((cable, index) => (
          <li key={index}>
            {cable.cable && <b>{cable.cable}: </b>}
            port <b className="mono">{cable.port}</b> of <b>{cable.box}</b>, and the other end into{' '}
            {cable.goes_to}
          </li>
        ))}
      </ol>
      {leave_empty.length > 0 && (
        <>
          <h2>Leave empty</h2>
          <ul>
            {leave_empty.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
      {lights.length > 0 && (
        <>
          <h2>3. Wait five minutes, then look at the lights</h2>
          <ul>
            {lights.map((light) => (
              <li key={light.box + light.name}>
                {light.box}, <b>{light.name}</b>: {light.expect}
              </li>
            ))}
          </ul>
        </>
      )}
      <h2>If it is not so, call</h2>
      <ul>
        {call.map((line) => (
          <li key={line}>{line}</li>
        ))}
        {desk.plan.technician && <li>Your technician: {desk.plan.technician}</li>}
      </ul>
    </article>
  );
}
