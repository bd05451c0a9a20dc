import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useEffect, useRef, useState } from 'react';
import type { Run, Schemas, Step } from '../../api/client';
import { useMay } from '../../frame/person';
import { LinkButton, Press } from '../../parts/controls';
import { CopyValue } from '../../parts/CopyValue';
import { Key } from '../../parts/Marks';
import { ReadButton } from '../../parts/ReadSecret';
import { Trouble } from '../../parts/Trouble';
import { useKeys } from '../../parts/useKeys';
import { moment } from '../../parts/words';
import { useDeskState } from '../context';
import { Backups } from './Backups';
import styles from './bench.module.css';
import { BigButton } from './BenchPage';
import { Measures } from './Measures';
import { useTick, useUntick } from './queries';
import { ReachPicture } from './ReachPicture';
import { stepAway } from './sheet';

type Result = Schemas['Result'];

/** One step: what to do, what laptop and box see of each other, the values to type, and what became of it. */
export function StepView({ run, step, onGo }: { run: Run; step: Step; onGo: (key: string) => void }) {
  const { name } = useDeskState();
  const tick = useTick(name, run.device);
  const untick = useUntick(name, run.device);
  const mayStage = useMay('stage');
  const [noting, setNoting] = useState<'skipped' | 'failed' | null>(null);
  const [measured, setMeasured] = useState<Record<string, string>>(() =>
    Object.fromEntries(Object.entries(step.tick?.measured ?? {}).map(([key, answer]) => [key, answer.text])),
  );
  const values = useRef<HTMLElement>(null);
  const heading = useRef<HTMLHeadingElement>(null);
  const number = run.steps.findIndex((one) => one.key === step.key) + 1;

  const record = (result: Result, note = '') =>
    tick.mutate(
      { step: step.key, ticking: { result, note, measured, seen: step.tick?.at ?? null } },
      {
        onSuccess: () => {
          setNoting(null);
          if (result !== 'failed') onGo(stepAway(run, step.key, 1));
        },
      },
    );

  useEffect(() => heading.current?.focus({ preventScroll: true }), []);

  useKeys((pressed) => {
    const button = document.activeElement?.closest('button, a');
    if (button && pressed === ' ') return false;
    const actions: Partial<Record<string, () => void>> = {
      n: () => onGo(stepAway(run, step.key, 1)),
      b: () => onGo(stepAway(run, step.key, -1)),
      r: () => values.current?.querySelector<HTMLElement>('[data-read]')?.click(),
      c: () => {
        const buttons = [...(values.current?.querySelectorAll<HTMLElement>('[data-copy]') ?? [])];
        const here = buttons.indexOf(document.activeElement as HTMLElement);
        const next = buttons[(here + 1) % Math.max(1, buttons.length)];
        next?.focus();
        next?.click();
      },
      m: () => document.querySelector<HTMLElement>('[data-measure]')?.focus(),
      ...(mayStage && {
        ' ': () => record('done'),
        d: () => record('done'),
        s: () => setNoting('skipped'),
        t: () => setNoting('failed'),
      }),
    };
    const action = actions[pressed];
    action?.();
    return action !== undefined;
  });

  return (
    <>
      <section className={styles.middle} aria-label="This step">
        <div className={`fill scroll ${styles.scroll}`}>
          <div className="quiet">
            Step {number} of {run.steps.length}
            {step.group === 'Inside' || step.group === 'Rules and access'
              ? ' · menu names differ; the values do not'
              : ''}
          </div>
          <h2 ref={heading} tabIndex={-1}>
            {step.title}
          </h2>
          <p className={styles.text}>
            {step.lost && <b>The laptop loses the box with this step. </b>}
            {step.text}
          </p>
          <Recorded step={step} />
          <ReachPicture run={run} step={step} />
          {step.measures.some((measure) => measure.kind !== 'backup') && (
            <Measures
              run={run}
              step={step}
              measured={measured}
              onChange={(key, text) => setMeasured((before) => ({ ...before, [key]: text }))}
              onDone={() => record('done')}
            />
          )}
          {step.measures.some((measure) => measure.kind === 'backup') && <Backups run={run} />}
        </div>
        <footer className={styles.foot}>
          {tick.error && <Trouble>{tick.error.message}</Trouble>}
          {noting ? (
            <Noting
              key={noting}
              result={noting}
              pending={tick.isPending}
              onRecord={(note) => record(noting, note)}
              onClose={() => setNoting(null)}
            />
          ) : (
            <div className="line wrap">
              {mayStage && (
                <BigButton loading={tick.isPending} onClick={() => record('done')}>
                  {step.lost ? 'Done, it stopped answering' : 'Done'}
                </BigButton>
              )}
              {mayStage && <Hint word="Done" of="Space" />}
              {step.values.some((value) => value.text) && <Hint word="Copy next" of="C" />}
              {step.values.some((value) => value.secret) && <Hint word="Read" of="R" />}
              {step.measures.length > 0 && <Hint word="Measure" of="M" />}
              {mayStage && (
                <>
                  <LinkButton className={`quiet small ${styles.hint}`} onClick={() => setNoting('skipped')}>
                    Skip <Key>S</Key>
                  </LinkButton>
                  <LinkButton className={`quiet small ${styles.hint}`} onClick={() => setNoting('failed')}>
                    Trouble <Key>T</Key>
                  </LinkButton>
                </>
              )}
              <LinkButton
                className={`quiet small ${styles.hint}`}
                onClick={() => onGo(stepAway(run, step.key, -1))}
              >
                Back <Key>B</Key>
              </LinkButton>
              <LinkButton
                className={`quiet small ${styles.hint}`}
                onClick={() => onGo(stepAway(run, step.key, 1))}
              >
                Next <Key>N</Key>
              </LinkButton>
              {step.tick && mayStage && (
                <LinkButton
                  className={`quiet small ${styles.hint}`}
                  onClick={() => step.tick && untick.mutate({ step: step.key, seen: step.tick.at })}
                >
                  Take back
                </LinkButton>
              )}
            </div>
          )}
        </footer>
      </section>
      <aside className={`scroll ${styles.values}`} ref={values} aria-label="Type these">
        <h3 className="below">{step.values.length > 0 ? 'Type these' : 'Nothing to type'}</h3>
        {step.values.map((value, index) =>
          value.secret ? (
            <div key={index} className={`line apart ${styles.secret}`}>
              <div>
                <div className="quiet">{value.label}</div>
                <div>in the safe</div>
              </div>
              <ReadButton site={name} path={value.secret} label={value.label} />
            </div>
          ) : (
            <CopyValue key={index} label={value.label} text={value.text} />
          ),
        )}
      </aside>
    </>
  );
}

function Hint({ word, of }: { word: string; of: string }) {
  return (
    <span className={`quiet small ${styles.hint}`}>
      {word} <Key>{of}</Key>
    </span>
  );
}

/** What was recorded of the step before, by whom, and whether the plan has changed under it. */
function Recorded({ step: { tick } }: { step: Step }) {
  if (!tick) return null;
  const word = { done: 'Done', skipped: 'Skipped', failed: 'Trouble' }[tick.result];
  return (
    <p
      className={`note below ${styles.recorded}`}
      data-result={tick.touched ? 'touched' : tick.result}
      role="status"
    >
      <b>{tick.touched ? 'The plan asks for something else since. ' : ''}</b>
      {word} by {tick.by}, {moment(tick.at)}
      {tick.note && `: ${tick.note}`}
      {tick.touched && '. Compare the values, then record the step again.'}
    </p>
  );
}

function Noting(props: {
  result: 'skipped' | 'failed';
  pending: boolean;
  onRecord: (note: string) => void;
  onClose: () => void;
}) {
  const { result, pending, onRecord, onClose } = props;
  const [note, setNote] = useState('');
  const label = result === 'skipped' ? 'Why it is skipped' : 'What happened';
  return (
    <form
      className="line"
      onSubmit={(event) => {
        event.preventDefault();
        onRecord(note);
      }}
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
    >
      <TextField
        autoFocus
        fullWidth
        label={label}
        value={note}
        onChange={(event) => setNote(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 400 } }}
      />
      <Press
        type="submit"
        variant="contained"
        waits={note.trim().length < 3 ? 'write what happened' : ''}
        loading={pending}
      >
        {result === 'skipped' ? 'Skip' : 'Note trouble'}
      </Press>
      <Button onClick={onClose}>Leave it open</Button>
    </form>
  );
}
