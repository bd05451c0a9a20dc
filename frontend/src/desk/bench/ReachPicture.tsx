import type { Run, Situation, Step } from '../../api/client';
import styles from './bench.module.css';
import { howWords } from './sheet';

/** Laptop, cable, box: as they are now, and as they will be after the step. */
export function ReachPicture({ run, step }: { run: Run; step: Step }) {
  const same = JSON.stringify(step.before) === JSON.stringify(step.after);
  if (!step.before.port && !step.after.port) return null;
  return (
    <div className={`card ${styles.picture}`}>
      <Scene title={same ? 'Now and after this step' : 'Now'} situation={step.before} run={run} />
      {!same && <Scene title="After this step" situation={step.after} run={run} />}
      {step.lost && (
        <p className={styles.mend}>
          <b>The next step mends it.</b> {step.mend}
        </p>
      )}
    </div>
  );
}

function Scene({ title, situation, run }: { title: string; situation: Situation; run: Run }) {
  const { port, laptop, how, box, reaches } = situation;
  const console_ = port === 'console';
  const word = !port ? 'not plugged in' : console_ ? 'by console' : reaches ? 'reaches' : 'cannot reach';
  const tone = !port ? 'off' : reaches ? 'on' : 'lost';
  const says = `${title}: laptop ${laptop || 'without address'}, ${word}, ${run.name} ${box}${port && !console_ ? ` at port ${port}` : ''}`;
  return (
    <section className={styles.scene} data-tone={tone} aria-label={says}>
      <h4 className="quiet small">{title}</h4>
      <div className={styles.row}>
        <div className={styles.laptop}>
          <div className="quiet">Laptop {howWords(how) && `· ${howWords(how)}`}</div>
          <div className={styles.address}>{laptop || (console_ ? 'terminal' : 'no address yet')}</div>
        </div>
        <div className={styles.wire}>
          <span>{word}</span>
        </div>
        <div className={styles.device}>
          <div className="line wrap apart small below">
            <span>{run.name}</span>
            <span className={styles.address}>{console_ ? 'console' : box || 'no address here'}</span>
          </div>
          <div
            className="pile near"
            style={{ gridTemplateColumns: `repeat(${Math.min(8, run.ports.length)}, 1fr)` }}
          >
            {run.ports.slice(0, 16).map((name) => (
              <span key={name} className={styles.jack} data-used={name === port}>
                <i />
                {name}
              </span>
            ))}
          </div>
        </div>
      </div>
    </section>
  );
}
