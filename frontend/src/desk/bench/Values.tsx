import { forwardRef, useState } from 'react';
import type { Step } from '../../api/client';
import { useMay } from '../../frame/person';
import { CopyValue } from '../../parts/CopyValue';
import { ReadButton } from '../../parts/ReadSecret';
import { Choice } from '../../parts/controls';
import { useDeskState } from '../context';
import { partsOfStep } from '../text/lines';
import { useWritten } from '../text/queries';
import { WrittenLines } from '../text/WrittenLines';
import styles from './bench.module.css';

function headOf({ values }: Step): string {
  if (values.some((value) => value.secret || value.copied)) return 'Type these';
  return values.length > 0 ? 'For this step' : 'Nothing to type';
}

/** How the technician prefers a step: as values to type, or as text to paste. It is remembered on this machine. */
function usePreferred(): [boolean, (text: boolean) => void] {
  const [text, setText] = useState(() => localStorage.getItem('octaplan.bench') === 'text');
  const prefer = (wanted: boolean) => {
    localStorage.setItem('octaplan.bench', wanted ? 'text' : 'values');
    setText(wanted);
  };
  return [text, prefer];
}

/** What is typed in a step: values with their copy key, secrets to be read aloud, and words that nobody types; or the
 *  lines that tell the box the same. */
export const Values = forwardRef<HTMLElement, { device: string; step: Step }>(function Values(
  { device, step },
  ref,
) {
  const { name } = useDeskState();
  const [asText, preferText] = usePreferred();
  const parts = partsOfStep(step.key);
  const written = useWritten(name, device, 'own', parts.length > 0);
  const lines = written.data?.lines.filter((line) => parts.includes(line.part)) ?? [];
  const has = lines.length > 0;
  return (
    <aside
      className={`scroll ${styles.values}`}
      ref={ref}
      aria-label={asText && has ? 'Paste these' : 'Type these'}
      tabIndex={0}
    >
      {has && (
        <Choice
          label="How"
          value={asText ? 'text' : 'values'}
          choices={[
            ['values', 'values to type'],
            ['text', 'text to paste'],
          ]}
          onChoose={(one) => preferText(one === 'text')}
        />
      )}
      {asText && has && written.data ? (
        <WrittenLines name={name} written={written.data} lines={lines} />
      ) : (
        <TypedValues step={step} />
      )}
    </aside>
  );
});

function TypedValues({ step }: { step: Step }) {
  const { name } = useDeskState();
  const mayRead = useMay('read');
  return (
    <>
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
    </>
  );
}
