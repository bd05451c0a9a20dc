import { useId, useState } from 'react';
import type { Answer, Matrix, Question } from './queries';
import styles from './traffic.module.css';

const SERVICES = ['any', 'ping', 'https', 'http', 'dns', 'ntp', 'ssh', 'sip', 'smb', 'ipp', 'smtp'];

interface Props {
  matrix: Matrix;
  hosts: string[];
  question: Question;
  answer: Answer | undefined;
  problem: string;
  onAsk: (question: Partial<Question>) => void;
}

/** A question as a sentence, every word of it chosen or typed, and its answer in one sentence. */
export function QuestionLine({ matrix, hosts, question, answer, problem, onAsk }: Props) {
  const inside = matrix.rows.filter((row) => row.role !== null).map((row) => row.label);
  const outside = [
    'internet',
    ...(matrix.rows.some((row) => row.key === 'other-sites') ? ['other-sites'] : []),
  ];
  return (
    <section aria-label="Ask" className={styles.question}>
      <p className={styles.asked}>
        Can{' '}
        <Word
          label="Who asks"
          key={`from ${question.from}`}
          value={question.from}
          hint="a segment, host or address"
          choices={[...inside, ...outside, ...hosts]}
          onSay={(from) => onAsk({ from })}
        />{' '}
        reach{' '}
        <Word
          label="Who is asked"
          key={`to ${question.to}`}
          value={question.to}
          hint="the same, or a box"
          choices={[...inside, ...outside, 'boxes', ...hosts]}
          onSay={(to) => onAsk({ to })}
        />{' '}
        by{' '}
        <Word
          label="By which service"
          key={`by ${question.service}`}
          value={question.service}
          hint="any service"
          choices={SERVICES}
          onSay={(service) => onAsk({ service: service || 'any' })}
        />
        ?
      </p>
      <p
        role="status"
        className={styles.answer}
        data-amiss={(answer && !answer.agrees) || problem ? true : undefined}
      >
        {problem || answer?.sentence || 'Choose a cell, or say who asks and who is asked.'}
      </p>
    </section>
  );
}

interface WordProps {
  label: string;
  value: string;
  hint: string;
  choices: string[];
  onSay: (value: string) => void;
}

/** One word of the question: typed, or taken from a list. Enter or leaving it asks. */
function Word({ label, value, hint, choices, onSay }: WordProps) {
  const [typed, setTyped] = useState(value);
  const list = useId();
  const say = () => {
    if (typed.trim() !== value) onSay(typed.trim());
  };
  return (
    <>
      <input
        className={styles.word}
        aria-label={label}
        value={typed}
        placeholder={hint}
        size={Math.max(3, (typed || hint).length)}
        list={list}
        maxLength={120}
        spellCheck={false}
        autoComplete="off"
        onFocus={(event) => event.target.select()}
        onChange={(event) => {
          setTyped(event.target.value);
          if (choices.includes(event.target.value) && !(event.nativeEvent as InputEvent).inputType)
            onSay(event.target.value); // taken from the list
        }}
        onBlur={say}
        onKeyDown={(event) => {
          if (event.key === 'Enter') say();
          if (event.key === 'Escape') setTyped(value);
          event.stopPropagation();
        }}
      />
      <datalist id={list}>
        {choices.map((choice) => (
          <option key={choice} value={choice} />
        ))}
      </datalist>
    </>
  );
}
