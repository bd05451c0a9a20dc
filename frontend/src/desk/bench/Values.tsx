import { forwardRef } from 'react';
import type { Step } from '../../api/client';
import { useMay } from '../../frame/person';
import { CopyValue } from '../../parts/CopyValue';
import { ReadButton } from '../../parts/ReadSecret';
import { useDeskState } from '../context';
import styles from './bench.module.css';

function headOf({ values }: Step): string {
  if (values.some((value) => value.secret || value.copied)) return 'Type these';
  return values.length > 0 ? 'For this step' : 'Nothing to type';
}

/** What is typed in a step: values with their copy key, secrets to be read aloud, and words that nobody types. */
export const Values = forwardRef<HTMLElement, { step: Step }>(function Values({ step }, ref) {
  const { name } = useDeskState();
  const mayRead = useMay('read');
  return (
    <aside className={`scroll ${styles.values}`} ref={ref} aria-label="Type these" tabIndex={0}>
      <h3 className="below">{headOf(step)}</h3>
      {step.values.map((value, index) => {
        if (value.secret)
          return (
            <div key={index} className={`line apart ${styles.secret}`}>
              <div>
                <div className="quiet">{value.label}</div>
                <div>{mayRead ? 'in the safe' : 'in the safe: a technician may read it'}</div>
              </div>
              <ReadButton site={name} path={value.secret} label={value.label} />
            </div>
          );
        if (!value.copied)
          return (
            <div key={index} className={styles.told}>
              <div className="quiet small">{value.label}</div>
              <div>{value.text}</div>
            </div>
          );
        return <CopyValue key={index} label={value.label} text={value.text} />;
      })}
    </aside>
  );
});
