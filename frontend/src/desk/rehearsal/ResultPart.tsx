import { count, moment } from '../../parts/words';
import { useDeskState } from '../context';
import { NetworkPicture } from './NetworkPicture';
import type { Outcome, Result } from './queries';
import styles from './rehearsal.module.css';

/** What came of a rehearsal: what disagrees first, then leases, what could not be brought up, and the network. */
export function ResultPart({ result }: { result: Result }) {
  const { desk } = useDeskState();
  const amiss = new Set(
    result.cells
      .filter((cell) => cell.against_walk || cell.otherwise)
      .flatMap((cell) => [cell.source, cell.target]),
  );
  return (
    <section className="card part" aria-label="What happened">
      <p role="status" className={styles.sum} data-good={result.agrees}>
        <b>{verdict(result)}</b>{' '}
        <span className="quiet">
          Revision {result.revision}, {result.by}, {moment(result.at)}
          {!result.now && `; the plan has changed since, it is at revision ${desk.revision.number}`}.
        </span>
      </p>
      <p className="quiet">
        {count(result.questions, 'question')} in {result.seconds.toFixed(1)} s: {result.passed} passed,{' '}
        {result.questions - result.passed} were heard out in silence.
        {result.explained > 0 &&
          ` ${result.explained} passed though the walk stops their answers: to a box that has not seen the question, an answer by datagram looks like one.`}
        {result.untold > 0 &&
          ` ${result.untold} were not asked, since the plan leaves open who has the address.`}
        {result.left_out > 0 && ` ${result.left_out} more were left out by chance, so that it ends in time.`}
      </p>
      <Outcomes
        title="The network did other than the walk says"
        some={result.against_walk}
        number={result.against_walk_count}
      />
      <Outcomes
        title="Network and walk agree, and it is not what is meant"
        some={result.otherwise}
        number={result.otherwise_count}
      />
      <Leases result={result} />
      <Remarks title="Not brought up" lines={result.not_brought_up} />
      <Remarks title="Brought up plainly" lines={result.brought_up_plainly} />
      <h3>The network as it was</h3>
      <NetworkPicture spaces={result.spaces} cables={result.cables} up amiss={amiss} />
    </section>
  );
}

function verdict(result: Result): string {
  const wrong = result.leases.filter((lease) => lease.wrong.length > 0).length;
  const parts = [
    result.against_walk_count > 0 && `${count(result.against_walk_count, 'answer')} other than the walk says`,
    result.otherwise_count > 0 && `${count(result.otherwise_count, 'answer')} other than is meant`,
    wrong > 0 && `${count(wrong, 'client')} not served as planned`,
  ].filter(Boolean);
  return parts.length === 0 ? 'Network, walk and intent agree.' : `${parts.join(', ')}.`;
}

function Outcomes({ title, some, number }: { title: string; some: Outcome[]; number: number }) {
  if (number === 0) return null;
  return (
    <section aria-label={title}>
      <h3>
        {title}: {number}
      </h3>
      <ul className={styles.outcomes}>
        {some.map((one) => (
          <li key={one.sentence}>{one.sentence}</li>
        ))}
      </ul>
      {number > some.length && <p className="quiet">And {number - some.length} more.</p>}
    </section>
  );
}

function Leases({ result: { leases } }: { result: Result }) {
  if (leases.length === 0) return null;
  return (
    <section aria-label="Leases and names">
      <h3>Leases and names</h3>
      <table className={styles.given}>
        <thead>
          <tr>
            <th scope="col">Client on</th>
            <th scope="col">Was given</th>
            <th scope="col">Router</th>
            <th scope="col">Resolvers</th>
            <th scope="col">A name</th>
            <th scope="col">Otherwise than planned</th>
          </tr>
        </thead>
        <tbody>
          {leases.map((lease) => (
            <tr key={lease.segment}>
              <th scope="row">{lease.segment}</th>
              <td className="mono">
                {[lease.address, lease.announced].filter(Boolean).join(' ') || 'nothing'}
              </td>
              <td className="mono">{lease.router}</td>
              <td className="mono">{lease.resolvers}</td>
              <td>{lease.looked_up === null ? '' : lease.looked_up ? 'found' : 'no answer'}</td>
              <td>{lease.wrong.join('; ')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Remarks({ title, lines }: { title: string; lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <section aria-label={title}>
      <h3>{title}</h3>
      <ul>
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </section>
  );
}
