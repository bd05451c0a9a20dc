import { useRef, useState } from 'react';
import type { Failure, Run, Schemas, Step } from '../../api/client';
import { Lines } from '../../parts/controls';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { judge } from './queries';

type Measure = Schemas['MeasureShown'];

const HINTS: Record<string, string> = {
  ping: 'paste the output, or 4/5',
  lease: 'the address it got',
  lookup: 'paste the answer, or ok',
  light: 'yes, no, or what it does',
  mac: 'scan or type',
  text: '',
  yes: 'yes or no',
};

interface Props {
  run: Run;
  step: Step;
  measured: Record<string, string>;
  onChange: (key: string, text: string) => void;
  onDone: () => void;
}

/** Answers to read off and type. A scanner's Enter leads to the next one, and from the last the step is done. */
export function Measures({ run, step, measured, onChange, onDone }: Props) {
  const list = useRef<HTMLDivElement>(null);
  const asked = step.measures.filter((measure) => measure.kind !== 'backup');
  const onward = (key: string) => {
    const fields = [...(list.current?.querySelectorAll<HTMLElement>('[data-measure]') ?? [])];
    const here = fields.findIndex((field) => field.dataset.measure === key);
    const next = fields[here + 1];
    if (next) next.focus();
    else onDone();
  };
  return (
    <div className={styles.measures} ref={list}>
      {asked.map((measure) => (
        <One
          key={measure.key}
          run={run}
          measure={measure}
          text={measured[measure.key] ?? ''}
          onChange={(text) => onChange(measure.key, text)}
          onEnter={() => onward(measure.key)}
        />
      ))}
    </div>
  );
}

function One(props: {
  run: Run;
  measure: Measure;
  text: string;
  onChange: (text: string) => void;
  onEnter: () => void;
}) {
  const { run, measure, text, onChange, onEnter } = props;
  const { name } = useDeskState();
  const [verdict, setVerdict] = useState<{ outcome: string; words: string } | null>(null);
  const asked = useRef(0);
  const type = async (typed: string) => {
    onChange(typed);
    const question = (asked.current += 1);
    if (!typed.trim()) return setVerdict(null);
    try {
      const found = await judge(name, run.device, {
        kind: measure.kind,
        expect: measure.expect,
        text: typed,
      });
      if (question === asked.current) setVerdict(found);
    } catch (error) {
      if (question === asked.current) setVerdict({ outcome: 'unread', words: (error as Failure).message });
    }
  };
  const expected = measure.kind === 'ping' || measure.kind === 'light' ? '' : measure.expect;
  return (
    <label className={styles.measure}>
      <span className="small">
        {measure.label}
        {!measure.needed && <span className="quiet"> (if you can)</span>}
        {expected && <span className={`quiet ${styles.expected}`}>{expected}</span>}
      </span>
      <Lines
        rows={text.includes('\n') ? 4 : 1}
        className="mono"
        data-measure={measure.key}
        value={text}
        placeholder={HINTS[measure.kind] ?? ''}
        spellCheck={false}
        maxLength={4000}
        onChange={(event) => void type(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && !event.shiftKey) {
            event.preventDefault();
            onEnter();
          }
          if (event.key === 'Escape') event.currentTarget.blur();
        }}
      />
      {verdict && (
        <span role="status" data-outcome={verdict.outcome} className={styles.verdict}>
          {verdict.words}
        </span>
      )}
    </label>
  );
}
