import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useEffect, useState, type ReactNode } from 'react';
import type { Failure, Operation, Schemas } from '../../api/client';
import { readColumn, readLetter } from '../../api/queries';
import { Lines, Select, Press } from '../../parts/controls';
import { fieldOf } from '../../parts/fields';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState, useSteps } from '../context';
import styles from './addresses.module.css';

type Found = Schemas['ReadShown'];

/** A provider's letter, pasted and read into the fields of a circuit; taken only when it was looked at. */
export function LetterDialog(props: {
  circuit: string;
  label: string;
  text: string;
  onClose: () => void;
  /** What is done with what was read, where it is not just kept in the plan. */
  onTake?: (found: Found[]) => void;
}) {
  const { circuit, label, onClose, onTake } = props;
  const { name } = useDeskState();
  const [text, setText] = useState(props.text);
  const [read, setRead] = useState<{ found: Found[]; left: string[] }>({ found: [], left: [] });
  const [problem, setProblem] = useState('');
  useEffect(() => {
    let wanted = true;
    const ask = async () => {
      try {
        const answer = text.trim() ? await readLetter(name, circuit, text) : { found: [], left: [] };
        if (!wanted) return;
        setRead(answer);
        setProblem('');
      } catch (error) {
        if (!wanted) return;
        setRead({ found: [], left: [] });
        setProblem((error as Failure).message);
      }
    };
    void ask();
    return () => {
      wanted = false;
    };
  }, [name, circuit, text]);
  const [chosen, setChosen] = useState<Record<string, string>>({});
  const found = read.found.map((one) => decided(one, chosen[one.field] ?? ''));
  const operations = found.flatMap((one) => one.operations);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>What the provider of {label} wrote</DialogTitle>
      <DialogContent>
        <Lines
          autoFocus
          aria-label="Letter of the provider"
          className="mono"
          rows={7}
          maxLength={10_000}
          placeholder="IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        {problem && <Trouble>{problem}</Trouble>}
        {read.left.map((line) => (
          <p key={line} role="status">
            {line}
          </p>
        ))}
        {found.length > 0 && <Marked text={text} found={found} />}
        <Readings
          found={found}
          name={(field) => fieldOf('circuits', field).label}
          chosen={chosen}
          onChoose={(field, value) => setChosen({ ...chosen, [field]: value })}
        />
      </DialogContent>
      <Taking
        operations={operations}
        onClose={onClose}
        {...(onTake ? { onTake: () => onTake(found.filter((one) => one.operations.length > 0)) } : {})}
      />
    </Dialog>
  );
}

/** What was read of a field once one of its readings has been chosen. */
function decided(one: Found, chosen: string): Found {
  const choice = one.others?.find(({ text }) => text === chosen);
  return choice ? { ...one, text: choice.text, operations: choice.operations } : one;
}

/** The letter, with what was taken from it marked. */
function Marked({ text, found }: { text: string; found: Found[] }) {
  const letters = [...text]; // the server counts in code points
  const marks = found
    .flatMap((one) => (one.places ?? []).map((place) => ({ ...place, field: one.field })))
    .sort((a, b) => a.start - b.start);
  const parts: ReactNode[] = [];
  let end = 0;
  for (const { start, end: stop, field } of marks) {
    if (start < end) continue;
    parts.push(letters.slice(end, start).join(''));
    parts.push(
      <mark key={start} title={fieldOf('circuits', field).label}>
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

/** A column of values pasted into a table, read row by row; taken only when it was looked at. */
export function ColumnDialog(props: {
  entries: Schemas['TypedEntry'][];
  names: string[];
  left: number;
  onClose: () => void;
}) {
  const { entries, names, left, onClose } = props;
  const { name } = useDeskState();
  const [found, setFound] = useState<Found[]>([]);
  const [problem, setProblem] = useState('');
  useEffect(() => {
    readColumn(name, entries).then(setFound, (error: Failure) => setProblem(error.message));
  }, [name, entries]);
  const operations = found.flatMap((one) => one.operations);
  const places = new Map(entries.map((entry, place) => [entry.path, names[place] ?? '']));
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>{count(entries.length, 'value')} from the clipboard</DialogTitle>
      <DialogContent>
        {problem && <Trouble>{problem}</Trouble>}
        {left > 0 && (
          <p role="status">
            {count(left, 'more line has', 'more lines have')} no row to go to: paste them as rows, or add
            hosts first.
          </p>
        )}
        <Readings found={found} name={(path) => places.get(path) ?? path} />
      </DialogContent>
      <Taking operations={operations} onClose={onClose} />
    </Dialog>
  );
}

function Taking(props: { operations: Operation[]; onClose: () => void; onTake?: () => void }) {
  const { operations, onClose, onTake } = props;
  const { keep } = useSteps();
  return (
    <DialogActions>
      <Button onClick={onClose}>Leave it</Button>
      <Press
        variant="contained"
        waits={operations.length === 0 ? 'nothing was read yet' : ''}
        onClick={() => {
          if (onTake) onTake();
          else keep(operations);
          onClose();
        }}
      >
        Take what was read
      </Press>
    </DialogActions>
  );
}

const SURE = { said: '', follows: 'follows from the rest', open: '' };

function Readings(props: {
  found: Found[];
  name: (field: string) => string;
  chosen?: Record<string, string>;
  onChoose?: (field: string, value: string) => void;
}) {
  const { found, name, chosen = {}, onChoose } = props;
  if (found.length === 0) return null;
  return (
    <Table className={`above ${styles.readings}`}>
      <TableBody>
        {found.map((one) => (
          <TableRow key={one.field} data-problem={one.problem !== ''}>
            <TableCell component="th" scope="row">
              {name(one.field)}
            </TableCell>
            <TableCell className="mono">
              {one.sure === 'open' && onChoose ? (
                <Select
                  aria-label={`Which is the ${name(one.field).toLowerCase()}`}
                  value={chosen[one.field] ?? ''}
                  onChange={(event) => onChoose(one.field, event.target.value)}
                >
                  <option value="">which one?</option>
                  {one.others?.map(({ text }) => (
                    <option key={text} value={text}>
                      {text}
                    </option>
                  ))}
                </Select>
              ) : (
                one.text
              )}
            </TableCell>
            <TableCell>
              {one.problem ||
                (one.sure === 'open' && !chosen[one.field] ? 'has two readings: choose' : one.echo)}{' '}
              <span className="quiet">{SURE[one.sure ?? 'said']}</span>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
