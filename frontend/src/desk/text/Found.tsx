import { count } from '../../parts/words';
import { Digits } from './Digits';
import { Expected } from './Expected';
import type { ReadBack } from './queries';
import styles from './text.module.css';

interface Props {
  back: ReadBack;
  called: string;
  device: string;
  /** Whether the text stands beside it, line by line. */
  linked?: boolean;
}

/** The departures first, each with its line; then what is as planned. */
export function Found({ back, called, device, linked = false }: Props) {
  const departures = back.differs.length + back.missing.length + back.unplanned.length;
  return (
    <>
      {back.about && (
        <p role="alert" className={`note ${styles.about}`}>
          <b>This looks like the text of {back.about}</b>, not of {called}.
        </p>
      )}
      <p role="status" className={styles.sum} data-good={departures === 0}>
        {departures === 0
          ? `As planned: ${count(back.as_planned.length, 'value')} seen, nothing otherwise.`
          : `${count(departures, 'departure')}, ${count(back.as_planned.length, 'value')} as planned.`}{' '}
        <span className="quiet small">
          {count(back.unread, 'line')} not understood
          {back.own_language ? '; read in its own language' : ''}.
        </span>
      </p>
      {back.differs.length > 0 && (
        <section aria-label="Other than planned">
          <h3>Other than planned</h3>
          <ul className={styles.found}>
            {back.differs.map((one, index) => (
              <li key={index}>
                <Line number={one.line} linked={linked} /> <b>{one.what}</b>
                <Digits planned={one.planned} seen={one.seen} />
                <div className="quiet">{one.why}</div>
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.missing.length > 0 && (
        <section aria-label="Planned and not seen">
          <h3>Planned and not seen</h3>
          <ul className={styles.found}>
            {back.missing.map((one, index) => (
              <li key={index}>
                {one.what} <b className="mono">{one.value || 'in the safe'}</b>
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.unplanned.length > 0 && (
        <section aria-label="Seen and not planned">
          <h3>Seen and not planned</h3>
          <ul className={styles.found}>
            {back.unplanned.map((one, index) => (
              <li key={index}>
                <Line number={one.line} linked={linked} /> <b className="mono">{one.value}</b>
                <div className="quiet">{one.why}</div>
                {one.kind !== 'secret' && one.kind !== 'line' && (
                  <Expected device={device} value={one.value} />
                )}
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.as_planned.length > 0 && (
        <details>
          <summary>{count(back.as_planned.length, 'value')} as planned</summary>
          <ul className={styles.found}>
            {back.as_planned.map((one, index) => (
              <li key={index}>
                <Line number={one.line} linked={linked} /> <span className="mono">{one.value}</span>{' '}
                <span className="quiet small mono">{one.path}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Line({ number, linked }: { number: number; linked: boolean }) {
  if (!linked) return <span className={styles.number}>line {number}</span>;
  return (
    <a className={styles.number} href={`#line-${number}`}>
      line {number}
    </a>
  );
}
