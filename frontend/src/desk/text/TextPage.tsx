import { useState } from 'react';
import { Link } from 'react-router';
import { Choice } from '../../parts/controls';
import { CopyValue } from '../../parts/CopyValue';
import { Notice } from '../../parts/Notice';
import { count, deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { useWritten, type Form, type Written } from './queries';
import styles from './text.module.css';
import { useBox } from './useBox';
import { WrittenLines } from './WrittenLines';

const FORMS: [Form, string][] = [
  ['own', 'its own language'],
  ['yang', 'YANG data (JSON)'],
  ['zone', 'DNS zones'],
  ['hosts', 'hosts file'],
  ['reservations', 'reservations (CSV)'],
];

/** What goes into a box as text: in portions to paste, or in a neutral form. */
export function TextPage() {
  const { name, desk } = useDeskState();
  const device = useBox();
  const [form, setForm] = useState<Form>('own');
  const written = useWritten(name, device, form);
  const box = desk.plan.devices[device];
  if (!box) return <Notice title="This box has been removed" detail="Choose another on Devices." />;
  return (
    <div className={`fill scroll page ${styles.page}`}>
      <header className="line wrap below">
        <h1>{box.name ?? box.role} as text</h1>
        <div className={styles.form}>
          <Choice
            label="In which form"
            value={form}
            choices={FORMS}
            onChoose={(one) => setForm(one as Form)}
          />
        </div>
        <Link to={deskPath(name, `read-back/${device}`)}>Read back what it shows</Link>
        <Link to={deskPath(name, `bench/${device}`)}>Its run sheet</Link>
      </header>
      {written.error && <Notice title="The text cannot be written" detail={written.error.message} />}
      {written.data && written.data.form === form && <Shown written={written.data} device={device} />}
    </div>
  );
}

function Shown({ written, device }: { written: Written; device: string }) {
  const { name, desk } = useDeskState();
  const kind = desk.plan.devices[device]?.type ?? '';
  if (written.fault)
    return (
      <Notice title="Nothing is written" detail={`${written.fault.message}.`}>
        <Link to={`/templates/${kind}`}>Go to its write-out</Link>
      </Notice>
    );
  if (written.form !== 'own')
    return (
      <>
        <CopyValue label="All of it" text={written.text} />
        <pre className={styles.code} tabIndex={0} aria-label="Text">
          {written.text}
        </pre>
      </>
    );
  return (
    <div className={styles.two}>
      <div>
        <WrittenLines name={name} written={written} lines={written.lines} />
      </div>
      <aside aria-label="How it is pasted">
        <Covered written={written} />
        <h3>How it is pasted</h3>
        <p>
          It is written in {written.language}. Paste at most {count(written.lines_at_once, 'line')} at once
          {written.prompt ? (
            <>
              , then wait for <b className="mono">{written.prompt}</b>
            </>
          ) : (
            ''
          )}
          .
        </p>
        {written.asks.map((one) => (
          <p key={one.question}>
            When it asks <b className="mono">{one.question}</b>, answer <b className="mono">{one.answer}</b>.
          </p>
        ))}
        {written.refusals.length > 0 && (
          <p>
            It has refused a line when it says{' '}
            {written.refusals.map((one, index) => (
              <span key={one}>
                {index > 0 && ' or '}
                <b className="mono">{one}</b>
              </span>
            ))}
            .
          </p>
        )}
      </aside>
    </div>
  );
}

/** How much of what is planned the text tells, and what it leaves out. */
export function Covered({ written }: { written: Written }) {
  const left = written.left_out;
  return (
    <section aria-label="Planned and not written">
      <h3>Planned and not written</h3>
      {left.length === 0 ? (
        <p>All {written.planned} planned values are written.</p>
      ) : (
        <>
          <p>
            {left.length} of {written.planned} planned values are in no line:
          </p>
          <ul className={styles.left}>
            {left.map((one) => (
              <li key={one.name + one.path}>
                {one.what} <b className="mono">{one.value}</b> <span className="quiet mono">{one.name}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
