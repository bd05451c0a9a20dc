import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Device, Operation } from '../../api/client';
import { Choice } from '../../parts/controls';
import { freshId, remove } from '../addresses/edits';
import { useDeskState, useSteps } from '../context';
import { inOrder } from '../devices/board';
import { AccessForm, AllowForm, RelayForm, RouteForm, TranslationForm } from './EntryForms';
import { useEntries, type Entries, type Entry } from './queries';
import styles from './traffic.module.css';

type Part = 'allows' | 'translations' | 'routes' | 'relays' | 'access';

const PARTS: [Part, title: string][] = [
  ['allows', 'Lets through'],
  ['translations', 'Translates'],
  ['routes', 'Routes'],
  ['relays', 'Passes lease requests on'],
  ['access', 'Is managed by'],
];

/** What each box is told about traffic, as sentences, each with what needs it. */
export function EntriesPart() {
  const { name, desk } = useDeskState();
  const { data = [] } = useEntries(name, desk.revision.number);
  return (
    <section aria-label="What the boxes are told" className={styles.told}>
      <h2>What the boxes are told</h2>
      {inOrder(desk.plan).map((key) => {
        const [box, device] = [data.find((one) => one.device === key), desk.plan.devices[key]];
        return box && device && <BoxPart key={key} box={box} device={device} />;
      })}
    </section>
  );
}

function BoxPart({ box, device }: { box: Entries; device: Device }) {
  const { mayPlan } = useDeskState();
  const { keep } = useSteps();
  const routes = device.role === 'edge' || device.role === 'inner-router';
  return (
    <section
      className={`card below ${styles.box}`}
      aria-label={box.name}
      data-path={`/devices/${box.device}`}
    >
      <div className="line baseline wrap">
        <b>{box.name}</b>
        <span className="end" />
        {routes && (
          <div className={styles.filters}>
            <Choice
              label="Lets through"
              value={box.filters ? 'yes' : 'no'}
              disabled={!mayPlan}
              field={`/devices/${box.device}/filters`}
              choices={[
                ['yes', 'only what is allowed'],
                ['no', 'everything'],
              ]}
              onChoose={(value) =>
                keep([{ op: 'add', path: `/devices/${box.device}/filters`, value: value === 'yes' }])
              }
            />
          </div>
        )}
      </div>
      <div className={styles.parts}>
        {PARTS.map(([part, title]) =>
          box.parts[part] ? (
            <PartList key={part} box={box} device={device} part={part} title={title} />
          ) : null,
        )}
      </div>
    </section>
  );
}

function PartList({ box, device, part, title }: { box: Entries; device: Device; part: Part; title: string }) {
  const { mayPlan } = useDeskState();
  const { keep } = useSteps();
  const [asked, setAsked] = useState(false);
  const [sent, setSent] = useState('');
  // what was typed stays until the plan has it: a refusal is told beside it
  const adding = asked && !(sent in (device[part] ?? {}));
  const path = `/devices/${box.device}/${part}`;
  const entries = box.parts[part] ?? [];
  const add = (value: object | string, key = freshId(device[part])) => {
    const operation: Operation = { op: 'add', path: `${path}/${key}`, value };
    keep([operation]);
    setSent(key);
  };
  return (
    <section aria-label={`${title}, ${box.name}`} data-field={path} tabIndex={-1}>
      <h4>{title}</h4>
      <ul>
        {entries.map((entry) => (
          <EntryLine
            key={entry.key}
            entry={entry}
            onRemove={mayPlan ? () => keep([remove(entry.path)]) : undefined}
          />
        ))}
        {entries.length === 0 && <li className="quiet">nothing</li>}
      </ul>
      {adding && part === 'allows' && <AllowForm onAdd={add} />}
      {adding && part === 'translations' && <TranslationForm onAdd={add} />}
      {adding && part === 'routes' && <RouteForm onAdd={add} />}
      {adding && part === 'relays' && (
        <RelayForm relays={device.relays ?? {}} onAdd={({ segment, server }) => add(server, segment)} />
      )}
      {adding && part === 'access' && <AccessForm onAdd={add} />}
      {mayPlan && (
        <Button
          className={styles.add ?? ''}
          sx={{ py: 0 }}
          onClick={() => {
            setAsked(!adding);
            setSent('');
          }}
        >
          {adding ? 'Leave it' : 'Add'}
        </Button>
      )}
    </section>
  );
}

function EntryLine({ entry, onRemove }: { entry: Entry; onRemove: (() => void) | undefined }) {
  const needed = entry.needed_for.join('; ');
  return (
    <li data-field={entry.path} tabIndex={-1}>
      {entry.words}
      {onRemove && (
        <button className={`quiet ${styles.remove}`} aria-label={`Remove ${entry.words}`} onClick={onRemove}>
          ×
        </button>
      )}
      {entry.waits ? (
        <div className="quiet small">for what does not pass yet</div>
      ) : !entry.needed ? (
        <div className={`small ${styles.idle}`}>nothing that is meant uses this</div>
      ) : (
        needed && !same(needed, entry.words) && <div className="quiet small">for {needed}</div>
      )}
    </li>
  );
}

/** Whether what needs an entry is what it says already. */
function same(needed: string, words: string): boolean {
  return words.startsWith(needed.replace(/^the /, ''));
}
