import { Link } from 'react-router';
import { LinkButton } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { count, deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { Sent } from './Sent';
import { CellActions } from './CellActions';
import { EntriesPart } from './EntriesPart';
import { byPair, tally } from './matrix';
import { GateLegend, MatrixGrid } from './MatrixGrid';
import { PathPicture } from './PathPicture';
import { Published } from './Published';
import { QuestionLine } from './Question';
import { useAnswer, useMatrix, type Answer, type Matrix, type Question } from './queries';
import { useWantedParams } from '../../parts/useWantedParams';
import styles from './traffic.module.css';

/** Who reaches whom: a sentence to ask with, the matrix, the way of what is open, and what boxes are told. */
export function TrafficPage() {
  const { name, desk } = useDeskState();
  const [params, change] = useWantedParams();
  const question: Question = {
    from: params.get('from') ?? '',
    to: params.get('to') ?? '',
    service: params.get('service') ?? 'any',
    down: params.get('down') ?? '',
  };
  const { data: matrix, error } = useMatrix(name, desk.revision.number, question.down);
  const answer = useAnswer(name, desk.revision.number, question);
  const asked = Boolean(question.from && question.to);
  const ask = (some: Partial<Question>) =>
    change({ ...some, ...(some.service === 'any' ? { service: '' } : {}) });
  if (error) return <Trouble>{error.message}</Trouble>;
  if (!matrix) return null;
  const found = asked && !answer.error ? answer.data : undefined;
  if (!matrix.walked) return <Unwalked />;
  const hosts = [
    ...Object.values(desk.plan.hosts)
      .slice(0, 200)
      .map((host) => host.name),
    ...Object.values(desk.plan.devices).flatMap((device) => device.name ?? []),
  ];
  return (
    <>
      <QuestionLine
        matrix={matrix}
        hosts={hosts}
        question={question}
        answer={found}
        problem={asked && answer.error ? answer.error.message : ''}
        onAsk={ask}
      />
      {!matrix.complete && (
        <p className={`card quiet ${styles.empty}`}>
          The site has {matrix.rows.length} places, more than a matrix can show: ask above for any two of
          them.
        </p>
      )}
      {matrix.complete && (
        <MatrixGrid
          matrix={matrix}
          open={found ? { source: found.source_place, target: found.target_place } : null}
          onOpen={(source, target) =>
            ask({
              from: source.role ? source.label : source.key,
              to: target.role ? target.label : target.key,
              service: 'any',
            })
          }
        />
      )}
      {matrix.complete && <GateLegend />}
      <Counted matrix={matrix} down={question.down} onDown={(down) => ask({ down })} />
      {found && <OpenCell matrix={matrix} answer={found} plain={question.service === 'any'} />}
      <Published />
      <EntriesPart />
    </>
  );
}

function Unwalked() {
  const { name } = useDeskState();
  return (
    <p className={`card quiet ${styles.empty}`}>
      No box of this site routes yet, so nothing can be walked.{' '}
      <Link to={deskPath(name, 'devices')}>Add its edge on Devices</Link>: it is told at once what is meant to
      pass.
    </p>
  );
}

/** What was walked, and the circuits that can be thought down. */
function Counted({ matrix, down, onDown }: { matrix: Matrix; down: string; onDown: (down: string) => void }) {
  const { name } = useDeskState();
  const { walked, amiss, open } = tally(matrix.cells);
  return (
    <p className={`quiet small ${styles.counted}`}>
      {count(walked, 'pair')} walked, every address and service;{' '}
      {amiss === 0 ? 'all as meant' : `${amiss} otherwise than meant`}
      {open > 0 && `, ${open} not known yet`}.{' '}
      <Link to={deskPath(name, 'rehearsal')}>Rehearse it on a real network</Link>.{' '}
      {matrix.circuits.length > 1 && (
        <span role="group" aria-label="Circuits">
          {matrix.circuits.map(({ key, label }) => (
            <LinkButton key={key} aria-pressed={down === key} onClick={() => onDown(down === key ? '' : key)}>
              {down === key ? `${label} is thought down: up again` : `as if ${label} were down`}
            </LinkButton>
          ))}
        </span>
      )}
    </p>
  );
}

/** The cell or question that is open: its way, and what to do about it. */
function OpenCell({ matrix, answer, plain }: { matrix: Matrix; answer: Answer; plain: boolean }) {
  const cell = byPair(matrix.cells).get(`${answer.source_place} ${answer.target_place}`);
  return (
    <section className={`card ${styles.open}`} aria-label="The way">
      {answer.path ? (
        <PathPicture path={answer.path} agrees={answer.agrees}>
          {cell && <Sent source={cell.source} target={cell.target} />}
        </PathPicture>
      ) : (
        <p className="quiet">There is no way to draw: {answer.sentence}</p>
      )}
      {cell && plain && <CellActions cell={cell} ends={`${answer.source} to ${answer.target}`} />}
    </section>
  );
}
