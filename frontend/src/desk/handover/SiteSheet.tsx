import type { ReactNode } from 'react';
import type { Schemas } from '../../api/client';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { moment } from '../../parts/words';
import { useDeskState } from '../context';
import { useSiteSheet } from './queries';
import styles from './sheet.module.css';

/** The site sheet: every value to type, to be printed. It holds no secrets. */
export function SiteSheet() {
  const { name, desk } = useDeskState();
  const { plan, summary, revision, clearance } = desk;
  const sheet = useSiteSheet(name, revision.number);
  return (
    <>
      <article className={styles.sheet} aria-label="Site sheet">
        <header className={styles.head}>
          <div>
            <div>{summary.customer_name}</div>
            <h1>{summary.name}</h1>
            <div className="mono">
              {plan.customer}/{plan.site}
            </div>
          </div>
          <div className="right">
            {summary.clear ? (
              <b>
                <SeverityMark of="clear" /> Clear to ship
              </b>
            ) : (
              <b>
                <SeverityMark of="stop" /> NOT CLEAR TO SHIP
              </b>
            )}
            <div>
              Revision {revision.number}, {moment(revision.at, true)}
            </div>
            {summary.clear && clearance && (
              <div>
                Signed by {clearance.by}, {moment(clearance.at, true)}
              </div>
            )}
          </div>
        </header>
        {sheet.error && <Trouble>{sheet.error.message}</Trouble>}
        {sheet.data && (
          <>
            <Values plain rows={sheet.data.facts} />
            {sheet.data.parts.map((part, place) => (
              <PartValues key={place} part={part} />
            ))}
          </>
        )}
        <footer className={`quiet small ${styles.foot}`}>
          Site sheet of {plan.customer}/{plan.site}, revision {revision.number}. No secrets on this page.
        </footer>
      </article>
    </>
  );
}

function PartValues({ part }: { part: Schemas['SheetPart'] }) {
  return (
    <section className={styles.part}>
      <h2>
        {part.title} <small>{part.about}</small>
      </h2>
      <Values rows={part.rows} />
      {part.hosts.length > 0 && (
        <Listed
          heads={['Fixed host', 'Address', 'MAC', 'Assigned', 'Hangs on']}
          rows={part.hosts.map((host) => [
            host.name,
            host.addresses.length > 0 ? (
              host.addresses.map((address) => <div key={address}>{address}</div>)
            ) : (
              <Blank key="blank" />
            ),
            host.mac,
            host.method,
            host.port,
          ])}
          mono={[1, 2]}
        />
      )}
      {part.ports.length > 0 && (
        <Listed
          heads={['Port', 'Mode', 'Carries', 'Cable']}
          rows={part.ports.map((port) => [port.name, port.mode, port.carries, port.cable])}
          mono={[0]}
        />
      )}
    </section>
  );
}

function Listed({ heads, rows, mono }: { heads: string[]; rows: ReactNode[][]; mono: number[] }) {
  return (
    <table className={styles.hosts}>
      <thead>
        <tr>
          {heads.map((head) => (
            <th key={head} scope="col">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((cells, row) => (
          <tr key={row}>
            {cells.map((cell, place) => (
              <td key={heads[place]} className={mono.includes(place) ? 'mono' : ''}>
                {cell}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Values({ rows, plain = false }: { rows: Schemas['SheetRow'][]; plain?: boolean }) {
  return (
    <dl className={`${styles.values} ${plain ? styles.plain : ''}`}>
      {rows.map(({ label, text }, place) => (
        <div key={place}>
          <dt>{label}</dt>
          <dd className="mono">{text ?? <Blank />}</dd>
        </div>
      ))}
    </dl>
  );
}

/** What is not known yet: a line to write on. */
function Blank(): ReactNode {
  return <span className={`quiet ${styles.blank}`}>not known yet</span>;
}
