import { useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Contradiction, Failure } from '../../api/client';
import { understand } from '../../api/queries';
import { deskPath, moment } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './intake.module.css';
import { useAnswer, type Question } from './queries';
import { AnswerMark } from './AnswerMark';
import { Line, Lines, LinkButton, Select } from '../../parts/controls';

interface Props {
  question: Question;
  source: string;
  confirming: boolean;
}

/** One question: how far it is, what is asked, the answer typed in place, and who said so. */
export function QuestionRow({ question, source, confirming }: Props) {
  const { name, desk, mayPlan } = useDeskState();
  const answer = useAnswer(name);
  const [text, setText] = useState<string | null>(null);
  const [echo, setEcho] = useState('');
  const [problem, setProblem] = useState('');
  const [against, setAgainst] = useState<Contradiction[]>([]);
  const [words, setWords] = useState<string | null>(null);
  const asked = useRef(0);
  const line = question.circuit && desk.plan.circuits[question.circuit]?.label;
  const label = line ? `${question.short} of ${line}` : question.short;

  const reset = () => {
    asked.current += 1;
    setText(null);
    setEcho('');
    setProblem('');
    setAgainst([]);
    setWords(null);
  };
  const type = async (typed: string) => {
    setText(typed);
    setProblem('');
    setAgainst([]);
    const mine = (asked.current += 1);
    if (question.path.startsWith('/answers/') || isNone(typed, question)) return setEcho('');
    try {
      const understood = await understand(name, question.path, typed);
      if (mine === asked.current) setEcho(understood.echo);
    } catch (error) {
      if (mine !== asked.current) return;
      setEcho('');
      setProblem((error as Failure).message);
    }
  };
  const send = async (
    typed: string,
    more: { confirmed?: boolean; overwrite?: boolean; words?: string } = {},
  ) => {
    const mine = (asked.current += 1);
    try {
      await answer.mutateAsync({
        answers: {
          answers: [{ key: question.key, text: typed, words: more.words ?? question.words ?? '' }],
          source: source || (more.confirmed ? (question.source ?? '') : ''),
          confirmed: more.confirmed ?? confirming,
          overwrite: more.overwrite ?? false,
        },
        revision: desk.revision.number,
      });
      if (mine === asked.current) reset();
    } catch (error) {
      const failure = error as Failure;
      setAgainst(failure.contradictions);
      setProblem(failure.contradictions.length > 0 ? '' : failure.message);
    }
  };
  const save = () => {
    if (text === null || problem || against.length > 0) return;
    if (text === question.value) reset();
    else void send(text);
  };
  const locked = question.path.startsWith('/safe/');
  return (
    <div className={styles.row} data-state={question.state} data-path={question.path}>
      <AnswerMark state={question.state} />
      <span className={styles.asked}>
        {question.asked}
        {question.whom === 'customer' && line && <span className="quiet"> ({line})</span>}
      </span>
      <div className={styles.answer}>
        {locked ? (
          <span>
            {question.value || 'not in the safe yet'} ·{' '}
            <Link to={deskPath(name, 'credentials')}>Credentials</Link>
          </span>
        ) : question.choices.length > 0 ? (
          <Select
            aria-label={label}
            data-field={question.path}
            wide
            disabled={!mayPlan}
            value={text ?? question.value}
            onChange={(event) => {
              setText(event.target.value);
              void send(event.target.value);
            }}
          >
            <option value="">open</option>
            {question.choices.map((choice) => (
              <option key={choice} value={choice}>
                {choice}
              </option>
            ))}
          </Select>
        ) : (
          <Line
            aria-label={label}
            data-field={question.path}
            wide
            className="mono"
            disabled={!mayPlan}
            value={text ?? question.value}
            placeholder={question.optional ? 'open: an answer, or none' : 'open'}
            maxLength={1000}
            spellCheck={false}
            aria-invalid={problem !== ''}
            onChange={(event) => void type(event.target.value)}
            onBlur={save}
            onKeyDown={(event) => {
              if (event.key === 'Enter') save();
              if (event.key === 'Escape') reset();
            }}
          />
        )}
        {(problem || (text !== null && echo)) && (
          <div role={problem ? 'alert' : 'status'} className={styles.echo} data-wrong={problem !== ''}>
            {problem || echo}
          </div>
        )}
        {against.length > 0 && (
          <Sides
            against={against}
            onKeep={reset}
            onTake={() => void send(text ?? question.value, { overwrite: true })}
          />
        )}
        {question.state === 'departed' && against.length === 0 && (
          <div className={styles.echo} data-wrong>
            confirmed as <span className="mono">{question.confirmed}</span> by{' '}
            {question.source ?? question.by}{' '}
            {mayPlan && (
              <LinkButton onClick={() => void send(question.confirmed ?? '')}>put it back</LinkButton>
            )}
          </div>
        )}
        {words !== null && (
          <Lines
            autoFocus
            aria-label={`Words in which ${label} came`}
            className={styles.words}
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
      </div>
      <div className={styles.who}>
        <Said question={question} />
        {mayPlan && !locked && question.value !== '' && (
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
    </div>
  );
}

function isNone(typed: string, question: Question): boolean {
  return question.optional && /^(none|no|nothing|-)$/i.test(typed.trim());
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
    <div role="alert" className={styles.sides}>
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
