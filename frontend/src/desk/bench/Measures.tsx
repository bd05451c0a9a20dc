import { useRef, useState } from 'react';
import type { Failure, Run, Schemas, Step } from '../../api/client';
import { Line, Lines, LinkButton, Tick } from '../../parts/controls';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { judge } from './queries';
import type { Answers } from './sheet';

type Measure = Schemas['MeasureShown'];

const HINTS: Record<string, string> = {
  ping: 'paste the output, or 4/5',
  lease: 'the address it got',
  lookup: 'paste the answer, or ok',
  light: 'yes, no, or what it does',
  mac: 'scan or type',
  text: '',
  yes: 'yes or no',
  passes: 'what came back, or 4/5',
  silent: '“no answer”, or what came back',
};

interface Props {
  run: Run;
  step: Step;
  answers: Answers;
  mayStage: boolean;
  onChange: (answers: Answers) => void;
  onDone: () => void;
}

/** Answers to read off and type. A scanner's Enter leads to the next one, and from the last the step is done. */
export function Measures({ run, step, answers, mayStage, onChange, onDone }: Props) {
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
          recorded={step.tick?.measured[measure.key]}
          answers={answers}
          mayStage={mayStage}
          onChange={onChange}
          onEnter={() => onward(measure.key)}
        />
      ))}
    </div>
  );
}

interface OneProps extends Omit<Props, 'step' | 'onDone'> {
  measure: Measure;
  recorded: Schemas['MeasuredShown'] | undefined;
  onEnter: () => void;
}

function One({ run, measure, recorded, answers, mayStage, onChange, onEnter }: OneProps) {
  const { name } = useDeskState();
  const { key } = measure;
  const [verdict, setVerdict] = useState<{ outcome: string; words: string } | null>(null);
  const asked = useRef(0);
  const text = answers.measured[key] ?? '';
  const skipping = key in answers.skips;
  const type = async (typed: string) => {
    onChange({ ...answers, measured: { ...answers.measured, [key]: typed } });
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
  const said =
    verdict ?? (recorded && recorded.text === text && recorded.outcome !== 'skipped' ? recorded : null);
  const expected = measure.kind === 'ping' || measure.kind === 'light' ? '' : measure.expect;
  return (
    <div className={styles.measure} data-beyond={measure.beyond}>
      <label>
        <span className="small">
          {measure.label}
          {!measure.needed && <span className="quiet"> (if you can)</span>}
          {measure.beyond && <span className={styles.beyond}>needs a line or another box</span>}
          {expected && <span className={`quiet ${styles.expected}`}>{expected}</span>}
        </span>
        {!skipping && (
          <Lines
            rows={text.includes('\n') ? 4 : 1}
            className="mono"
            {...(mayStage ? { 'data-measure': key } : {})}
            value={text}
            readOnly={!mayStage}
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
        )}
      </label>
      {skipping && (
        <Line
          wide
          autoFocus
          aria-label={`Why ${measure.label} is skipped`}
          placeholder="why it is skipped"
          value={answers.skips[key] ?? ''}
          readOnly={!mayStage}
          maxLength={400}
          onChange={(event) =>
            onChange({ ...answers, skips: { ...answers.skips, [key]: event.target.value } })
          }
          onKeyDown={(event) => event.key === 'Enter' && onEnter()}
        />
      )}
      {said && !skipping && (
        <span role="status" data-outcome={said.outcome} className={styles.verdict}>
          {said.words}
        </span>
      )}
      {said?.outcome === 'bad' && measure.record && mayStage && !skipping && (
        <label className="line small">
          <Tick
            checked={answers.take.includes(key)}
            onChange={(event) =>
              onChange({
                ...answers,
                take: event.target.checked
                  ? [...answers.take, key]
                  : answers.take.filter((one) => one !== key),
              })
            }
          />
          The plan is wrong: put it there
        </label>
      )}
      {mayStage && measure.needed && (
        <LinkButton className="quiet small" onClick={() => onChange(toggled(answers, key))}>
          {skipping ? 'Measure it after all' : 'Skip this check'}
        </LinkButton>
      )}
    </div>
  );
}

/** The answers with one check skipped, or measured after all. */
function toggled(answers: Answers, key: string): Answers {
  if (key in answers.skips) return { ...answers, skips: without(answers.skips, key) };
  return {
    ...answers,
    measured: without(answers.measured, key),
    skips: { ...answers.skips, [key]: '' },
  };
}

function without(texts: Record<string, string>, key: string): Record<string, string> {
  return Object.fromEntries(Object.entries(texts).filter(([one]) => one !== key));
}
