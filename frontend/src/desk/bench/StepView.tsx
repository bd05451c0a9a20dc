import { useEffect, useRef, useState } from 'react';
import type { Run, Schemas, Step } from '../../api/client';
import { useMay } from '../../frame/person';
import { LinkButton } from '../../parts/controls';
import { Key } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { useKeys } from '../../parts/useKeys';
import { useDeskState } from '../context';
import { Backups } from './Backups';
import styles from './bench.module.css';
import { BigButton } from './BigButton';
import { Measures } from './Measures';
import { Noting } from './Noting';
import { useTick, useUntick } from './queries';
import { ReachPicture } from './ReachPicture';
import { Recorded } from './Recorded';
import { answersOf, stepAway, type Answers } from './sheet';
import { ShownNow } from './ShownNow';
import { Values } from './Values';

type Result = Schemas['Result'];

interface Props {
  run: Run;
  step: Step;
  onGo: (key: string) => void;
  onTyping: (typing: boolean) => void;
}

/** One step: what to do, what laptop and box see of each other, the values to type, and what became of it. */
export function StepView({ run, step, onGo, onTyping }: Props) {
  const { name } = useDeskState();
  const tick = useTick(name, run.device);
  const [mayStage, mayRead] = [useMay('stage'), useMay('read')];
  const [noting, setNoting] = useState<'skipped' | 'failed' | null>(null);
  const [typed, setTyped] = useState<Answers | null>(null);
  const answers = typed ?? answersOf(step);
  // what was recorded when one began to type: what comes meanwhile from a colleague is not written over unseen
  const [held, setHeld] = useState<{ at: string | null } | null>(null);
  const hold = () => setHeld((before) => before ?? { at: step.tick?.at ?? null });
  const values = useRef<HTMLElement>(null);
  const heading = useRef<HTMLHeadingElement>(null);
  const number = run.steps.findIndex((one) => one.key === step.key) + 1;

  const record = (result: Result, note = '') =>
    tick.mutate(
      {
        step: step.key,
        ticking: { result, note, ...answers, seen: (held ?? { at: step.tick?.at ?? null }).at },
      },
      {
        onSuccess: (next) => {
          setNoting(null);
          setTyped(null);
          setHeld(null);
          onTyping(false);
          const became = next.steps.find((one) => one.key === step.key)?.tick?.result;
          if (became !== 'failed') onGo(stepAway(run, step.key, 1));
        },
        onError: () => setHeld(null),
      },
    );

  useEffect(() => heading.current?.focus({ preventScroll: true }), []);
  const note = (result: 'skipped' | 'failed') => {
    hold();
    setNoting(result);
  };
  useStepKeys({ run, step, values, mayStage, mayRead, onGo, onRecord: record, onNote: note });

  return (
    <>
      <section className={styles.middle} aria-label="This step">
        <div className={`fill scroll ${styles.scroll}`}>
          <div className="quiet">
            Step {number} of {run.steps.length}
          </div>
          <h2 ref={heading} tabIndex={-1}>
            {step.title}
          </h2>
          <p className={styles.text}>
            {step.lost && <b>The laptop loses the box with this step. </b>}
            {step.text}
          </p>
          {step.notes.map((note) => (
            <p key={note} className={`note ${styles.learned}`}>
              <b>Learned the hard way.</b> {note}
            </p>
          ))}
          <Recorded step={step} />
          <ReachPicture run={run} step={step} />
          {asks(step, 'read-back') && (
            <ShownNow run={run} mayStage={mayStage} onKept={() => onGo(stepAway(run, step.key, 1))} />
          )}
          {step.measures.some((measure) => !['backup', 'read-back'].includes(measure.kind)) && (
            <Measures
              run={run}
              step={step}
              answers={answers}
              mayStage={mayStage}
              onChange={(next) => {
                hold();
                setTyped(next);
                onTyping(true);
              }}
              onDone={() => record('done')}
            />
          )}
          {asks(step, 'backup') && <Backups run={run} />}
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
            <Keys
              run={run}
              step={step}
              mayRead={mayRead}
              mayStage={mayStage}
              pending={tick.isPending}
              onDone={() => record('done')}
              onNote={note}
              onGo={onGo}
            />
          )}
        </footer>
      </section>
      <Values device={run.device} step={step} ref={values} />
    </>
  );
}

/** Whether a step has a part of its own for a kind of measure. */
function asks(step: Step, kind: string) {
  return step.measures.some((measure) => measure.kind === kind);
}

interface KeysProps {
  run: Run;
  step: Step;
  mayRead: boolean;
  mayStage: boolean;
  onNote: (result: 'skipped' | 'failed') => void;
  onGo: (key: string) => void;
}

/** What can be done with a step, each with its key; only what the person may do. */
function Keys(props: KeysProps & { pending: boolean; onDone: () => void }) {
  const { run, step, mayRead, mayStage, pending, onDone, onNote, onGo } = props;
  const { name } = useDeskState();
  const untick = useUntick(name, run.device);
  const { tick } = step;
  const mayTick = mayStage && !asks(step, 'read-back');
  return (
    <div className="line wrap">
      {mayTick && (
        <BigButton loading={pending} onClick={onDone}>
          {step.lost ? 'Done, it stopped answering' : 'Done'}
        </BigButton>
      )}
      {mayTick && <Hint word="Done" of="Space" />}
      {step.values.some((value) => value.text && value.copied) && <Hint word="Copy next" of="C" />}
      {mayRead && step.values.some((value) => value.secret) && <Hint word="Read" of="R" />}
      {mayStage && step.measures.length > 0 && <Hint word="Measure" of="M" />}
      {mayStage && <Do word="Skip" of="S" onDo={() => onNote('skipped')} />}
      {mayStage && <Do word="Trouble" of="T" onDo={() => onNote('failed')} />}
      <Do word="Back" of="B" onDo={() => onGo(stepAway(run, step.key, -1))} />
      <Do word="Next" of="N" onDo={() => onGo(stepAway(run, step.key, 1))} />
      {tick && mayStage && (
        <LinkButton
          className={`quiet small ${styles.hint}`}
          onClick={() => untick.mutate({ step: step.key, seen: tick.at })}
        >
          Take back what is recorded
        </LinkButton>
      )}
    </div>
  );
}

function Hint({ word, of }: { word: string; of: string }) {
  return (
    <span className={`quiet small ${styles.hint}`}>
      {word} <Key>{of}</Key>
    </span>
  );
}

function Do({ word, of, onDo }: { word: string; of: string; onDo: () => void }) {
  return (
    <LinkButton className={`quiet small ${styles.hint}`} onClick={onDo}>
      {word} <Key>{of}</Key>
    </LinkButton>
  );
}

/** The keys of a step: as the hints say, and only for those who may. */
function useStepKeys(
  props: KeysProps & { values: React.RefObject<HTMLElement | null>; onRecord: (result: Result) => void },
) {
  const { run, step, values, mayStage, mayRead, onGo, onRecord, onNote } = props;
  useKeys((pressed) => {
    const button = document.activeElement?.closest('button, a');
    if (button && pressed === ' ') return false;
    const actions: Partial<Record<string, () => void>> = {
      n: () => onGo(stepAway(run, step.key, 1)),
      b: () => onGo(stepAway(run, step.key, -1)),
      ...(mayRead && { r: () => values.current?.querySelector<HTMLElement>('[data-read]')?.click() }),
      c: () => {
        const buttons = [...(values.current?.querySelectorAll<HTMLElement>('[data-copy]') ?? [])];
        const here = buttons.indexOf(document.activeElement as HTMLElement);
        const next = buttons[(here + 1) % Math.max(1, buttons.length)];
        next?.focus();
        next?.click();
      },
      ...(mayStage && {
        m: () => document.querySelector<HTMLElement>('[data-measure]')?.focus(),
        ' ': () => onRecord('done'),
        d: () => onRecord('done'),
        s: () => onNote('skipped'),
        t: () => onNote('failed'),
      }),
    };
    const action = actions[pressed];
    action?.();
    return action !== undefined;
  });
}
