import Button from '@mui/material/Button';
import { Link } from 'react-router';
import type { Schemas } from '../../api/client';
import { useMay } from '../../frame/person';
import { Notice } from '../../parts/Notice';
import { ReadButton } from '../../parts/ReadSecret';
import { count, deskPath, moment } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { useRunRecord } from './queries';

type Record_ = Schemas['RunRecordShown'];

const WORDS: Record<string, string> = {
  done: 'done',
  skipped: 'skipped',
  failed: 'trouble',
  'taken back': 'taken back',
};

/** The record of one run, to keep and to print: who, when, what was measured, troubles, evidence. */
export function RunRecord({ number }: { number: number }) {
  const { name, desk: state } = useDeskState();
  const record = useRunRecord(name, number);
  if (record.error) {
    return (
      <Notice title="There is no such record" detail={record.error.message}>
        <Link to={deskPath(name, 'runs')}>All runs of this site</Link>
      </Notice>
    );
  }
  if (!record.data) return null;
  const { run, steps } = record.data;
  const people = [...new Set(steps.map((one) => one.tick.by))];
  return (
    <article className={styles.record} aria-label={`Record of ${run.name}`}>
      <header className="line baseline far">
        <h2>Run of {run.name}</h2>
        <span className="quiet end">
          <Link to={deskPath(name, 'runs')}>All runs</Link>
        </span>
        <Button variant="outlined" data-noprint onClick={() => window.print()}>
          Print
        </Button>
      </header>
      <dl className={styles.facts}>
        <Fact label="Site">{state.plan.name ?? `${name.customer}/${name.site}`}</Fact>
        <Fact label="Type">{run.type}</Fact>
        <Fact label="Serial">{run.serial || 'not recorded'}</Fact>
        {run.asset_tag && <Fact label="Asset tag">{run.asset_tag}</Fact>}
        <Fact label="Begun">
          {moment(run.at, true)} by {run.by}
        </Fact>
        <Fact label="Recorded">
          {count(run.recorded, 'step')}
          {people.length > 0 && ` by ${people.join(', ')}`}
        </Fact>
        {!run.counts && (
          <Fact label="Counts">{run.here ? 'no: a newer run does' : 'no: the box is no longer planned'}</Fact>
        )}
      </dl>
      <Proven record={record.data} />
      <Troubles record={record.data} />
      <Evidence record={record.data} />
      <h3>Step by step</h3>
      <table className={styles.runs}>
        <tbody>
          {steps.map(({ step, title, tick }) => (
            <tr key={step}>
              <td>{title}</td>
              <td>{WORDS[tick.result]}</td>
              <td>
                {Object.entries(tick.measured).map(([key, one]) => (
                  <div key={key}>
                    {one.outcome === 'skipped' ? `skipped: ${one.words}` : `${one.text} · ${one.words}`}
                  </div>
                ))}
                {tick.note && <div>{tick.note}</div>}
              </td>
              <td className="quiet">
                {tick.by}, {moment(tick.at)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </article>
  );
}

function Fact({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div>
      <dt className="quiet small">{label}</dt>
      <dd>{children}</dd>
    </div>
  );
}

/** How many answers were as planned, and which checks were skipped and accepted. */
function Proven({ record: { steps } }: { record: Record_ }) {
  const answers = steps.flatMap(({ tick }) => Object.values(tick.measured));
  const good = answers.filter((one) => one.outcome === 'good').length;
  const skipped = steps.filter(
    ({ tick }) =>
      tick.result === 'skipped' || Object.values(tick.measured).some((one) => one.outcome === 'skipped'),
  );
  return (
    <>
      <h3>Measured</h3>
      <p>
        {count(good, 'answer')} as planned
        {skipped.length > 0
          ? `, ${count(skipped.length, 'step')} with something skipped:`
          : ', nothing skipped.'}
      </p>
      <ul>
        {skipped.map(({ step, title, tick }) => (
          <li key={step}>
            {title}:{' '}
            {tick.note || Object.values(tick.measured).find((one) => one.outcome === 'skipped')?.words}
            {tick.accepted_by && ` (accepted by ${tick.accepted_by})`}
          </li>
        ))}
      </ul>
    </>
  );
}

/** What went wrong on the way, also what was mended since. */
function Troubles({ record: { recordings } }: { record: Record_ }) {
  const troubles = recordings.filter((one) => one.result === 'failed' && one.step !== 'read-back');
  return (
    <>
      <h3>Troubles on the way</h3>
      {troubles.length === 0 && <p className="quiet">None was recorded.</p>}
      <ul>
        {troubles.map((one, index) => (
          <li key={index}>
            {one.title}: {one.note}{' '}
            <span className="quiet">
              {one.by}, {moment(one.at)}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** Backups, what was read back, and the secrets that the box had. */
function Evidence({ record: { run, backups, secrets, recordings } }: { record: Record_ }) {
  const { name } = useDeskState();
  const mayRead = useMay('read');
  const place = [name.customer, name.site].map(encodeURIComponent).join('/');
  return (
    <>
      <h3>Evidence</h3>
      {backups.length === 0 && <p className="quiet">No backup was attached.</p>}
      <ul>
        {backups.map((backup) => (
          <li key={backup.id}>
            {mayRead ? (
              <a href={`/api/sites/${place}/bench/${run.device}/backups/${backup.id}`}>{backup.name}</a>
            ) : (
              backup.name
            )}
            , {count(backup.size, 'byte')}, {backup.by}, {moment(backup.at, true)}
            <div className="mono quiet small broken">SHA-256 {backup.sha256}</div>
          </li>
        ))}
      </ul>
      <ul>
        {recordings
          .filter((one) => one.step === 'read-back')
          .map((one, index) => (
            <li key={index}>
              {one.title}: {one.note}{' '}
              <span className="quiet">
                {one.by}, {moment(one.at, true)}
              </span>
            </li>
          ))}
      </ul>
      {secrets.length > 0 && (
        <ul data-noprint>
          {secrets.map((one) => (
            <li key={one.path}>
              {one.label} <ReadButton site={name} path={one.path} label={`${one.label} of ${run.name}`} />
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
