import { ASKED, type Draft } from './draft';
import styles from './settings.module.css';

const ROWS = ASKED.filter((place) => place !== 'boxes');

const CALLED: Record<string, string> = {
  internet: 'the internet',
  'other-sites': 'other sites',
  boxes: 'the boxes',
};

/** Who is meant to reach whom at every site: by the roles of segments. A cell is empty (closed), `open`, or services;
 * a role and itself are two segments of it. */
export function IntentPart(props: {
  intent: Draft['intent'];
  may: boolean;
  onChange: (intent: Draft['intent']) => void;
}) {
  const { intent, may, onChange } = props;
  const set = (source: string, target: string, text: string) =>
    onChange({ ...intent, [source]: { ...intent[source], [target]: text } });
  return (
    <div className={styles.intent} role="table" aria-label="Who is meant to reach whom">
      <div role="row">
        <span role="columnheader" className="quiet small">
          asks ↓ answers →
        </span>
        {ASKED.map((target) => (
          <span role="columnheader" className="small" key={target}>
            {CALLED[target]?.replace('the ', '') ?? target}
          </span>
        ))}
      </div>
      {ROWS.map((source) => (
        <div role="row" key={source}>
          <span role="rowheader">{CALLED[source] ?? source}</span>
          {ASKED.map((target) => {
            const text = intent[source]?.[target] ?? '';
            return (
              <span role="cell" key={target}>
                {source === target && source in CALLED ? null : (
                  <input
                    aria-label={`${CALLED[source] ?? source} to ${CALLED[target] ?? target}`}
                    title={text || 'closed'}
                    value={text}
                    placeholder="–"
                    disabled={!may}
                    maxLength={200}
                    spellCheck={false}
                    onChange={(event) => set(source, target, event.target.value)}
                  />
                )}
              </span>
            );
          })}
        </div>
      ))}
    </div>
  );
}
