import { Link } from 'react-router';
import type { Contradiction } from '../../api/client';
import { Line, Lines, LinkButton, Select } from '../../parts/controls';
import { DayPick } from '../../parts/DayPick';
import { deskPath, moment } from '../../parts/words';
import { useDeskState } from '../context';
import { AnswerMark } from './AnswerMark';
import styles from './intake.module.css';
import type { Question } from './queries';
import { useAnswering, type Answering } from './useAnswering';

interface Props {
  question: Question;
  /** Who told it, as far as the heading of its group says so. */
  source: string;
  confirming: boolean;
}

/** One question: how far it is, what is asked, the answer typed in place, and who said so. */
export function QuestionRow({ question, source, confirming }: Props) {
  const { desk } = useDeskState();
  const answering = useAnswering(question, source, confirming);
  const line = question.circuit && desk.plan.circuits[question.circuit]?.label;
  const label = line ? `${question.short} of ${line}` : question.short;
  return (
    <div className={styles.row} data-state={question.state} data-path={question.path}>
      <AnswerMark state={question.state} />
      <span className={styles.asked}>
        {question.asked}
        {question.whom === 'customer' && line && <span className="quiet"> ({line})</span>}
      </span>
      <div className={styles.answer}>
        <AnswerField question={question} label={label} answering={answering} />
        <Heard question={question} label={label} answering={answering} />
      </div>
      <Doing question={question} label={label} answering={answering} />
    </div>
  );
}

interface PartProps {
  question: Question;
  label: string;
  answering: Answering;
}

const isLocked = (question: Question) => question.path.startsWith('/safe/');

/** Where the answer is typed or chosen; one that is in the safe is put in there. */
function AnswerField({ question, label, answering }: PartProps) {
  const { name, mayPlan } = useDeskState();
  if (isLocked(question))
    return (
      <span>
        {question.value || 'not in the safe yet'} ·{' '}
        <Link to={deskPath(name, 'credentials')}>Credentials</Link>
      </span>
    );
  const common = { 'aria-label': label, 'data-field': question.path, disabled: !mayPlan, wide: true };
  if (question.choices.length > 0)
    return (
      <Select {...common} value={answering.shown} onChange={(event) => answering.choose(event.target.value)}>
        <option value="">open</option>
        {question.choices.map((choice) => (
          <option key={choice} value={choice}>
            {choice}
          </option>
        ))}
      </Select>
    );
  const field = (
    <Line
      {...common}
      className="mono"
      value={answering.shown}
      placeholder={question.optional ? 'open: an answer, or none' : 'open'}
      maxLength={1000}
      spellCheck={false}
      aria-invalid={answering.problem !== ''}
      onChange={(event) => answering.type(event.target.value)}
      onBlur={answering.save}
      onKeyDown={(event) => {
        if (event.key === 'Enter') answering.save();
        if (event.key === 'Escape') answering.reset();
      }}
    />
  );
  if (question.name !== 'ship_date' || !mayPlan) return field;
  return (
    <span className="line near">
      {field}
      <DayPick label={label} value={answering.shown} onPick={answering.choose} />
    </span>
  );
}

/** What is said back to an answer: how it is understood, what stands against it, and the words it came in. */
function Heard({ question, label, answering }: PartProps) {
  const { mayPlan } = useDeskState();
  const { echo, problem, against, words, setWords, send } = answering;
  return (
    <>
      {(problem || echo) && (
        <div
          role={problem ? 'alert' : 'status'}
          className={`small ${styles.echo}`}
          data-wrong={problem !== ''}
        >
          {problem || echo}
        </div>
      )}
      {against.length > 0 && (
        <Sides
          against={against}
          onKeep={answering.reset}
          onTake={() => void send(answering.shown, { overwrite: true })}
        />
      )}
      {question.state === 'departed' && against.length === 0 && (
        <div className={`small ${styles.echo}`} data-wrong>
          confirmed as <span className="mono">{question.confirmed}</span> by {question.source ?? question.by}{' '}
          {mayPlan && (
            <LinkButton onClick={() => void send(question.confirmed ?? '')}>put it back</LinkButton>
          )}
        </div>
      )}
      {words !== null && (
        <Lines
          autoFocus
          aria-label={`Words in which ${label} came`}
          className={`wide ${styles.words}`}
          rows={2}
          maxLength={2000}
          placeholder="The words it came in, then Enter"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Escape') setWords(null);
            if (event.key !== 'Enter' || event.shiftKey) return;
            event.preventDefault();
            void send(question.value, { words, confirmed: question.state === 'confirmed' });
          }}
        />
      )}
    </>
  );
}

/** Who said it, and what can be done about that. */
function Doing({ question, label, answering }: PartProps) {
  const { mayPlan } = useDeskState();
  const { words, setWords, send } = answering;
  return (
    <div className={styles.who}>
      <Said question={question} />
      {mayPlan && !isLocked(question) && question.value !== '' && (
        <>
          {question.state !== 'confirmed' && (
            <LinkButton
              aria-label={`Confirm ${label}`}
              onClick={() => void send(question.value, { confirmed: true, overwrite: true })}
            >
              confirm
            </LinkButton>
          )}
          <LinkButton
            aria-label={`Words for ${label}`}
            onClick={() => setWords(words === null ? (question.words ?? '') : null)}
          >
            words
          </LinkButton>
        </>
      )}
    </div>
  );
}

/** Who gave an answer, when, and in which words. */
function Said({ question }: { question: Question }) {
  if (question.value === '') return null;
  if (question.at === null) return <span className="quiet">from the plan</span>;
  const who = question.source ?? question.by;
  return (
    <span className="quiet" title={question.words ?? ''}>
      {question.state === 'confirmed' ? 'confirmed by' : 'from'} {who}, {moment(question.at, true)}
      {question.words && <q className={styles.quote}>{question.words}</q>}
    </span>
  );
}

/** A confirmed answer and what was said now, beside each other: nothing is overwritten in silence. */
function Sides(props: { against: Contradiction[]; onKeep: () => void; onTake: () => void }) {
  const { against, onKeep, onTake } = props;
  return (
    <div role="alert" className={`note doubt ${styles.sides}`}>
      {against.map((one) => (
        <div key={one.key}>
          {one.short}: confirmed <b className="mono">{one.confirmed}</b>{' '}
          <span className="quiet">
            {one.by}, {moment(one.at, true)}
          </span>{' '}
          · now <b className="mono">{one.given}</b>
        </div>
      ))}
      <LinkButton onClick={onKeep}>keep what was confirmed</LinkButton>
      <LinkButton onClick={onTake}>take what is said now</LinkButton>
    </div>
  );
}
