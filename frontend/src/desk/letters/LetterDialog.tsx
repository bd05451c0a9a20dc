import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useEffect, useState, type ReactNode } from 'react';
import type { Failure, Schemas } from '../../api/client';
import { readLetter, useTakeLetter } from '../../api/queries';
import { Line, Lines, Press, Tick } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './letters.module.css';
import { Readings, type Found } from './Readings';

type Read = Schemas['LetterRead'];

const NOTHING: Read = { lines: [], left: [] };

/** A provider's letter, pasted and read into the fields of a circuit; taken only when it was looked at. */
export function LetterDialog(props: {
  circuit: string;
  label: string;
  provider: string | undefined;
  text: string;
  /** Whether it is of a new line in the place of the old one, of which nothing is to be left then. */
  replaces?: boolean;
  /** Who tells it, where the page has been told already. */
  told?: { source: string; confirmed: boolean } | undefined;
  onClose: () => void;
}) {
  const { circuit, label, replaces = false, onClose } = props;
  const { name, desk } = useDeskState();
  const take = useTakeLetter(name, onClose);
  const [text, setText] = useState(props.text);
  const [read, setRead] = useState(NOTHING);
  const [problem, setProblem] = useState('');
  const [which, setWhich] = useState(0);
  const [both, setBoth] = useState(true);
  const [chosen, setChosen] = useState<Record<string, string>>({});
  const [source, setSource] = useState(props.told?.source ?? '');
  const [confirmed, setConfirmed] = useState(props.told?.confirmed ?? false);
  useEffect(() => {
    let wanted = true;
    const ask = async () => {
      try {
        const answer = text.trim() ? await readLetter(name, circuit, text) : NOTHING;
        if (!wanted) return;
        setRead(answer);
        setProblem('');
      } catch (error) {
        if (!wanted) return;
        setRead(NOTHING);
        setProblem((error as Failure).message);
      }
    };
    void ask();
    return () => {
      wanted = false;
    };
  }, [name, circuit, text]);
  const two = read.lines.length > 1;
  const at = two ? which : 0;
  const found = (read.lines[at]?.found ?? []).map((one) => decided(one, chosen[one.field] ?? ''));
  const second = two && both ? (read.lines[1 - at]?.found ?? []) : [];
  const taken = values(found);
  const left = take.data?.left ?? [];
  const choose = (field: string, value: string) => setChosen(following(found, { ...chosen, [field]: value }));
  const submit = () =>
    take.mutate({
      letter: {
        circuit,
        values: taken,
        second: values(second),
        label: read.lines[1 - at]?.named === 'backup' ? 'Backup' : 'Second line',
        source: source || (props.provider ? `${props.provider}, in writing` : 'the provider, in writing'),
        confirmed,
        replaces,
      },
      revision: desk.revision.number,
    });
  return (
    <Dialog
      open
      onClose={onClose}
      onPaste={(event) => event.stopPropagation()} // what is pasted here is no letter for the page below
      maxWidth="md"
      fullWidth
    >
      <DialogTitle>
        {replaces
          ? `What is written of the line in the place of ${label}`
          : `What the provider of ${label} wrote`}
      </DialogTitle>
      <DialogContent>
        {replaces && (
          <p className="quiet">
            What is planned of the old line goes, and who told it. The port, its cable, routes and
            translations stay.
          </p>
        )}
        <Lines
          autoFocus
          aria-label="Letter of the provider"
          className="mono"
          rows={7}
          maxLength={10_000}
          placeholder="Paste the whole letter, mail or table: IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setChosen({});
            take.reset();
          }}
        />
        {problem && <Trouble>{problem}</Trouble>}
        {take.error && <Trouble>{take.error.message}. The letter stays here.</Trouble>}
        {read.left.map((line) => (
          <p key={line} role="status">
            {line}
          </p>
        ))}
        {two && (
          <fieldset className={`part above ${styles.which}`}>
            <legend>The letter speaks of two lines. Which is {label}?</legend>
            {read.lines.map((line, place) => (
              <label key={line.named}>
                <input
                  type="radio"
                  name="line"
                  checked={at === place}
                  onChange={() => {
                    setWhich(place);
                    setChosen({});
                  }}
                />{' '}
                {place === 0 ? 'The first' : 'The second'}: {gist(line.found)}
              </label>
            ))}
            <label>
              <Tick checked={both} onChange={(event) => setBoth(event.target.checked)} /> The other becomes a
              new circuit
            </label>
          </fieldset>
        )}
        {found.length > 0 && <Marked text={text} found={[...found, ...second]} />}
        <Readings found={found} name={(one) => one.label ?? one.field} chosen={chosen} onChoose={choose} />
        {second.length > 0 && (
          <section aria-label="The other line">
            <h3 className="above">The other line</h3>
            <Readings found={second} name={(one) => one.label ?? one.field} />
          </section>
        )}
        {left.length > 0 && (
          <div className="part above" role="alert">
            <b>All else was taken. {count(left.length, 'value was', 'values were')} not:</b>
            <ul>
              {left.map((one) => (
                <li key={one.field}>
                  {one.label} <span className="mono">{one.text}</span>: {one.problem}
                </li>
              ))}
            </ul>
          </div>
        )}
        {found.length > 0 && (
          <div className={`line near above ${styles.source}`}>
            <label>
              Told by{' '}
              <Line
                maxLength={200}
                placeholder={props.provider ? `${props.provider}, in writing` : 'the provider, in writing'}
                value={source}
                onChange={(event) => setSource(event.target.value)}
              />
            </label>
            <label>
              <Tick checked={confirmed} onChange={(event) => setConfirmed(event.target.checked)} /> who
              confirms it
            </label>
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{left.length > 0 ? 'Close' : 'Leave it'}</Button>
        {left.length === 0 && (
          <Press
            variant="contained"
            waits={taken.length === 0 ? 'nothing was read yet' : take.isPending ? 'it is being saved' : ''}
            onClick={submit}
          >
            {open(found) > 0 && taken.length > 0
              ? `Take what is sure, leave ${count(open(found), 'choice')} open`
              : 'Take what was read'}
          </Press>
        )}
      </DialogActions>
    </Dialog>
  );
}

/** The values that are taken: those that are sure, and those that were chosen. */
function values(found: Found[]) {
  return found.filter((one) => one.operations.length > 0).map(({ field, text }) => ({ field, text }));
}

/** How many values have several readings, of which none is chosen. */
function open(found: Found[]): number {
  return found.filter((one) => one.sure === 'open' && one.operations.length === 0).length;
}

/** What was read of a field once one of its readings has been chosen. */
function decided(one: Found, chosen: string): Found {
  const choice = one.others?.find(({ text }) => text === chosen);
  return choice ? { ...one, text: choice.text, echo: choice.text, operations: choice.operations } : one;
}

/** What follows from a choice: where two values are each one of the same two, the other one is the other. */
function following(found: Found[], chosen: Record<string, string>): Record<string, string> {
  const settled = { ...chosen };
  for (const one of found) {
    const texts = (one.others ?? []).map(({ text }) => text);
    if (one.sure !== 'open' || settled[one.field] || texts.length < 2) continue;
    const rest = texts.filter((text) => !Object.values(chosen).includes(text));
    if (rest.length === 1 && rest[0]) settled[one.field] = rest[0];
  }
  return settled;
}

/** A line in a few words, so that it is known again. */
function gist(found: Found[]): string {
  const said = (field: string) => found.find((one) => one.field === field)?.text;
  return ['handoff', 'address', 'reference', 'speed'].map(said).filter(Boolean).join(', ');
}

/** The letter, with what was taken from it marked. */
function Marked({ text, found }: { text: string; found: Found[] }) {
  const letters = [...text]; // the server counts in code points
  const marks = found
    .flatMap((one) => (one.places ?? []).map((place) => ({ ...place, label: one.label ?? one.field })))
    .sort((a, b) => a.start - b.start);
  const parts: ReactNode[] = [];
  let end = 0;
  for (const { start, end: stop, label } of marks) {
    if (start < end) continue;
    parts.push(letters.slice(end, start).join(''));
    parts.push(
      <mark key={start} title={label}>
        {letters.slice(start, stop).join('')}
      </mark>,
    );
    end = stop;
  }
  parts.push(letters.slice(end).join(''));
  return (
    <div className={`mono above ${styles.marked}`} aria-label="What was taken from it">
      {parts}
    </div>
  );
}
