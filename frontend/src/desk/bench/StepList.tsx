import { useEffect, useRef } from 'react';
import type { Run, Step } from '../../api/client';
import { moment } from '../../parts/words';
import styles from './bench.module.css';
import { groups, initials } from './sheet';

/** The steps under their groups, with who did what when, and where the laptop will lose the box. */
export function StepList(props: { run: Run; here: string; onChoose: (key: string) => void }) {
  const { run, here, onChoose } = props;
  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    list.current?.querySelector('[aria-current="step"]')?.scrollIntoView({ block: 'nearest' });
  }, [here]);
  return (
    <ol className={styles.list} ref={list} aria-label="Steps">
      {groups(run).map(({ group, steps }, index) => (
        <li key={index}>
          <h3 className="quiet small">{group}</h3>
          <ol>
            {steps.map(({ step, number }) => (
              <li key={step.key}>
                <button
                  className={`wide ${styles.step}`}
                  aria-current={step.key === here ? 'step' : undefined}
                  onClick={() => onChoose(step.key)}
                >
                  <Mark step={step} number={number} />
                  <span className="broken">{step.title}</span>
                  <span className={`quiet small ${styles.who}`}>{whoOf(step)}</span>
                </button>
                {step.lost && (
                  <div className="line near bad small bold">
                    <svg width="52" height="12" aria-hidden="true">
                      <path
                        d="M0 6h18l4-5 5 10 5-10 4 5h16"
                        fill="none"
                        stroke="currentColor"
                        strokeWidth="2"
                      />
                    </svg>
                    the laptop loses the box here
                  </div>
                )}
              </li>
            ))}
          </ol>
        </li>
      ))}
      {run.problem && (
        <li className={`note ${styles.problem}`} role="alert">
          It is not staged: {run.problem}.
        </li>
      )}
    </ol>
  );
}

function Mark({ step, number }: { step: Step; number: number }) {
  const { tick } = step;
  if (!tick) return <span className={`quiet ${styles.number}`}>{number}</span>;
  if (tick.touched) {
    return (
      <span
        className={`quiet ${styles.number}`}
        style={{ color: 'var(--warn)' }}
        title="The plan asks for something else since"
      >
        ◆<span className="sr">changed since</span>
      </span>
    );
  }
  const [sign, colour, word] = {
    done: ['✓', 'var(--clear)', 'done'],
    skipped: ['–', 'var(--quiet)', 'skipped'],
    failed: ['✕', 'var(--stop)', 'trouble'],
  }[tick.result] as [string, string, string];
  return (
    <span className={`quiet ${styles.number}`} style={{ color: colour, fontWeight: 700 }}>
      {sign}
      <span className="sr">{word}</span>
    </span>
  );
}

function whoOf({ tick }: Step): string {
  if (!tick) return '';
  return `${initials(tick.by)} ${moment(tick.at).slice(-5)}`;
}
