import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Link, useParams } from 'react-router';
import { api, body, type HardwareType, type Schemas, type TypeShown } from '../api/client';
import { useHardware } from '../desk/devices/queries';
import { textOf } from '../desk/text/lines';
import { Covered } from '../desk/text/TextPage';
import { useMay } from '../frame/person';
import { Bring } from '../parts/Bring';
import { Choice, Line, Lines, Press } from '../parts/controls';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import styles from './hardware.module.css';
import { PairsPart, type Pair } from './PairsPart';
import { useSaveType } from './queries';

type WriteOut = Schemas['WriteOut-Input'];
type Part = Schemas['WritePart'];

const PARTS: [Part, string][] = [
  ['identity', 'identity'],
  ['internet', 'internet side'],
  ['inside', 'inside'],
  ['scopes', 'scopes'],
  ['routes', 'routes'],
  ['rules', 'translation and rules'],
  ['wifi', 'Wi-Fi'],
  ['access', 'access'],
  ['save', 'save'],
];

/** What a box can be asked to do at its terminal, and in words. */
const VERBS = [
  ['about', 'have it tell what it is'],
  ['show', 'show all it was told'],
  ['password', 'set a password'],
  ['apply', 'apply'],
  ['commit', 'commit'],
  ['confirm', 'confirm'],
  ['save', 'save'],
  ['restart', 'restart'],
  ['firmware', 'take new firmware in'],
  ['off', 'switch a service off'],
  ['remove', 'remove something'],
  ['backup', 'take a backup'],
  ['put-back', 'put a backup back'],
  ['leave', 'log out'],
] as const;

function spoken(known: Record<string, string>, verb: string, typed: string): Record<string, string> {
  const rest = Object.entries(known).filter(([one]) => one !== verb);
  return Object.fromEntries(typed.trim() ? [...rest, [verb, typed]] : rest);
}

const NONE: WriteOut = {
  language: 'lines of text',
  parts: {},
  not_written: [],
  comment: '',
  lines_at_once: 40,
  prompt: '',
  asks: [],
  refusals: [],
  commands: {},
  known: {},
};

/** The templates of a type, part by part, beside what they write for a box of any site. */
export function WriteOutPage() {
  const { key } = useParams();
  const hardware = useHardware();
  if (hardware.error) return <Notice title="Hardware cannot be shown" detail={hardware.error.message} />;
  if (!hardware.data) return null;
  const shown = hardware.data.find((one) => one.type.key === key) ?? (key ? undefined : hardware.data[0]);
  if (!shown) return <Notice title={`There is no type ${key ?? ''}`} detail="Choose one on Hardware." />;
  return <Editor key={shown.type.key} shown={shown} />;
}

function Editor({ shown }: { shown: TypeShown }) {
  const { type, version, uses } = shown;
  const mayKeep = useMay('hardware');
  const save = useSaveType();
  const [draft, setDraft] = useState<WriteOut>({ ...NONE, ...type.write_out });
  const [base, setBase] = useState(version);
  const [part, setPart] = useState<Part>('identity');
  const [use, setUse] = useState(0);
  const [known, setKnown] = useState<Pair[]>(Object.entries(type.write_out?.known ?? {}));
  const put = (values: Partial<WriteOut>) => setDraft((before) => ({ ...before, ...values }));
  const changed = JSON.stringify(draft) !== JSON.stringify({ ...NONE, ...type.write_out });
  const chosen = uses[use];
  return (
    <div className={`fill ${styles.writing}`}>
      <header className="line wrap below">
        <h1>
          Write-out of {type.maker} {type.model}
        </h1>
        <Link to={`/hardware/${type.key}`}>The type</Link>
        <span className="fill" />
        {mayKeep && (
          <Press
            variant="contained"
            loading={save.isPending}
            waits={changed ? '' : 'nothing is changed yet'}
            onClick={() =>
              save.mutate(
                { type: { ...type, write_out: draft } as HardwareType, version: base },
                { onSuccess: (saved) => setBase(saved.version) },
              )
            }
          >
            {`Save as version ${base + 1}`}
          </Press>
        )}
      </header>
      {save.error && <Trouble>{save.error.message}. What you wrote is still here.</Trouble>}
      {changed && mayKeep && (
        <div role="status" aria-label="What it would bring">
          <Bring document={{ ...type, write_out: draft }} type={type.key} />
        </div>
      )}
      <div className={`fill ${styles.templates}`}>
        <section className={styles.template} aria-label="Template">
          <div className={`line wrap ${styles.tabs}`} role="tablist" aria-label="Parts">
            {PARTS.map(([one, words]) => (
              <button
                key={one}
                type="button"
                role="tab"
                aria-selected={part === one}
                data-empty={!draft.parts?.[one]?.trim()}
                onClick={() => setPart(one)}
              >
                {words}
              </button>
            ))}
          </div>
          <Lines
            className="mono"
            aria-label={`Template of ${part}`}
            spellCheck={false}
            readOnly={!mayKeep}
            maxLength={20_000}
            value={draft.parts?.[part] ?? ''}
            onChange={(event) => put({ parts: { ...draft.parts, [part]: event.target.value } })}
          />
          <details>
            <summary>How the text is pasted, and what is told by other ways</summary>
            <div className={styles.pasting}>
              <Field
                label="What sort of text it is"
                value={draft.language}
                onChange={(language) => put({ language })}
              />
              <Field
                label="What it shows when it waits"
                value={draft.prompt ?? ''}
                onChange={(prompt) => put({ prompt })}
              />
              <Field
                label="Lines at once"
                value={String(draft.lines_at_once)}
                onChange={(typed) => put({ lines_at_once: Math.min(1000, Math.max(1, Number(typed) || 1)) })}
              />
              <Field
                label="Begins a comment"
                value={draft.comment ?? ''}
                onChange={(comment) => put({ comment })}
              />
              <Field
                label="Words by which it refuses, with commas"
                value={(draft.refusals ?? []).join(', ')}
                onChange={(typed) => put({ refusals: listed(typed) })}
              />
              <Field
                label="Values it takes by other ways, as box.location, with commas"
                value={(draft.not_written ?? []).join(', ')}
                onChange={(typed) => put({ not_written: listed(typed) })}
              />
            </div>
            <PairsPart
              title="What it asks back while one pastes"
              first="It asks"
              second="The answer"
              pairs={(draft.asks ?? []).map((one) => [one.question, one.answer])}
              onChange={(pairs) => put({ asks: pairs.map(([question, answer]) => ({ question, answer })) })}
            />
            <h3>What is typed for a thing to be done</h3>
            <div className={styles.pasting}>
              {VERBS.map(([verb, does]) => (
                <Field
                  key={verb}
                  label={`to ${does}; else “${verb}”`}
                  value={draft.commands?.[verb] ?? ''}
                  onChange={(typed) => put({ commands: spoken(draft.commands ?? {}, verb, typed) })}
                />
              ))}
            </div>
            <PairsPart
              title="What every box of this type shows though no plan holds it"
              first="It shows"
              second="Why"
              pairs={known}
              onChange={(pairs) => {
                setKnown(pairs);
                put({ known: Object.fromEntries(pairs.filter(([shows]) => shows.trim())) });
              }}
            />
          </details>
        </section>
        <section className={`scroll ${styles.template}`} aria-label="What it writes" tabIndex={0}>
          {chosen ? (
            <>
              <div className={styles.boxOf}>
                <Choice
                  label="For"
                  value={String(use)}
                  choices={uses.map((one, place) => [
                    String(place),
                    `${one.device} at ${one.customer}/${one.site}`,
                  ])}
                  onChoose={(one) => setUse(Number(one))}
                />
              </div>
              <Result type={type} draft={draft} part={part} use={chosen} />
            </>
          ) : (
            <Notice
              title="No site has such a box yet"
              detail="Add one on Devices of a site: then its text is shown here while you write."
            />
          )}
        </section>
      </div>
    </div>
  );
}

const listed = (typed: string) =>
  typed
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean);

function Field(props: { label: string; value: string; onChange: (value: string) => void }) {
  const [typed, setTyped] = useState(props.value);
  return (
    <label>
      <span className="quiet small">{props.label}</span>
      <Line
        wide
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => props.onChange(typed)}
      />
    </label>
  );
}

interface ResultProps {
  type: HardwareType;
  draft: WriteOut;
  part: Part;
  use: Schemas['UseShown'];
}

/** What the templates write for one box, while they are being written. */
function Result({ type, draft, part, use }: ResultProps) {
  const asked = useDeferredValue(draft);
  const device = use.key;
  const tried = useQuery({
    queryKey: ['hardware', type.key, 'tried', use.customer, use.site, device, asked],
    queryFn: async () =>
      body(
        await api.POST('/api/hardware/{key}/write-out', {
          params: { path: { key: type.key } },
          body: { write_out: asked, customer: use.customer, site: use.site, device },
        }),
      ),
    placeholderData: (before) => before,
    gcTime: 0,
  });
  const names = useQuery({
    queryKey: ['hardware', type.key, 'names', use.customer, use.site, device],
    queryFn: async () =>
      body(
        await api.GET('/api/hardware/{key}/write-out/names', {
          params: {
            path: { key: type.key },
            query: { customer: use.customer, site: use.site, device },
          },
        }),
      ),
  });
  if (tried.error) return <Trouble>{tried.error.message}</Trouble>;
  if (!tried.data) return null;
  const { fault, lines } = tried.data;
  const here = lines.filter((line) => line.part === part);
  return (
    <>
      {fault ? (
        <Trouble>{fault.message}</Trouble>
      ) : (
        <pre className={styles.written} tabIndex={0} aria-label="Text of this part">
          {here.length > 0 ? here.map(textOf).join('\n') : 'This part writes nothing for this box.'}
        </pre>
      )}
      {!fault && <Covered written={tried.data} />}
      <details>
        <summary>What each name holds</summary>
        <table className={styles.names}>
          <tbody>
            {(names.data ?? []).map((one) => (
              <tr key={one.name}>
                <td className="mono">{one.name}</td>
                <td>{one.what}</td>
                <td className="mono quiet">{one.value}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </>
  );
}
