import { Link, useParams } from 'react-router';
import { Notice } from '../../parts/Notice';
import { Heads } from '../../parts/Heads';
import { count, deskPath, moment } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { useRuns } from './queries';
import { RunRecord } from './RunRecord';

/** All runs of a site, those of boxes that are gone too; or the record of one of them. */
export function RunsPage() {
  const { number } = useParams();
  return number ? <RunRecord number={Number(number)} /> : <Runs />;
}

function Runs() {
  const { name } = useDeskState();
  const runs = useRuns(name);
  if (runs.error) return <Notice title="No runs can be shown" detail={runs.error.message} />;
  if (!runs.data) return null;
  return (
    <div className="pile">
      <div className="line baseline far heading">
        <h2>All runs</h2>
        <span className="quiet">what was ever staged at this site, also boxes that are gone</span>
      </div>
      {runs.data.length === 0 ? (
        <p className="card quiet part">Nothing was staged here yet.</p>
      ) : (
        <table className={`card wide ${styles.runs}`}>
          <Heads of={['Box', 'Type', 'Serial', 'Begun', 'By', 'Recorded', '']} />
          <tbody>
            {runs.data.map((run) => (
              <tr key={run.id}>
                <td>
                  <Link to={deskPath(name, `runs/${run.id}`)}>{run.name}</Link>
                </td>
                <td>{run.type}</td>
                <td className="mono">{run.serial || <span className="quiet">not recorded</span>}</td>
                <td>{moment(run.at, true)}</td>
                <td>{run.by}</td>
                <td>
                  {count(run.recorded, 'step')}
                  {run.troubles > 0 && <span className="bad">, {run.troubles} in trouble</span>}
                </td>
                <td className="quiet">
                  {!run.here ? 'no longer planned' : run.counts ? 'this one counts' : 'a newer one counts'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
