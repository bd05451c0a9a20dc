import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import { useDeferredValue, useEffect, useState } from 'react';
import type { Failure, Finding, Schemas } from '../../api/client';
import { draftFindings, readHostRows } from '../../api/queries';
import { Lines, Press } from '../../parts/controls';
import { fieldOf } from '../../parts/fields';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState, useSteps } from '../context';
import styles from './addresses.module.css';

type Read = Schemas['HostRowsRead'];

interface Looked {
  /** The rows that were read. */
  text: string;
  read: Read;
  /** The stops that taking the rows would bring. */
  brings: Finding[];
  /** The revision they were read on. */
  revision: number;
}

const NOTHING: Read = { rows: [], operations: [], columns: [], left: [] };

/** Rows copied out of a spreadsheet or a letter, as hosts of a segment: looked at, mended, then taken. */
export function HostRowsDialog(props: { segment: string; label: string; text: string; onClose: () => void }) {
  const { segment, label, onClose } = props;
  const { keep } = useSteps();
  const [text, setText] = useState(props.text);
  const [looked, problem] = useLooked(segment, useDeferredValue(text));
  const { read, brings } = looked;
  const refused = read.rows.filter((row) => row.problem);
  const [changed, fresh] = [true, false].map(
    (known) => read.rows.filter((row) => row.known === known && !row.problem).length,
  );
  const take = () => {
    keep(read.operations, looked.revision);
    if (refused.length === 0) return onClose();
    const lines = text.split(/\r\n?|\n/);
    const head = read.rows[0]?.number === 1 || read.left.length > 0 ? [] : lines.slice(0, 1);
    setText([...head, ...refused.map((row) => row.text)].join('\n'));
  };
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Hosts of {label} from rows</DialogTitle>
      <DialogContent>
        <p className="quiet" style={{ marginTop: 0 }}>
          One host a row: name, address, MAC and kind in any order, with or without a head. A name that is
          there already is changed.
        </p>
        <Lines
          autoFocus
          aria-label="Rows"
          className="mono"
          rows={7}
          maxLength={200_000}
          placeholder={'till 1\t.21\t02:40:08:00:00:21\ttill'}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        {problem && <Trouble>{problem}</Trouble>}
        {read.left.map((line) => (
          <p key={line} role="note">
            <SeverityMark of="warn" size={12} /> {line}
          </p>
        ))}
        {read.rows.length > 0 && (
          <p role="status">
            {[
              fresh && `${count(fresh, 'new host')}`,
              changed && `${count(changed, 'host')} changed`,
              refused.length && `${count(refused.length, 'row')} not read`,
            ]
              .filter(Boolean)
              .join(' · ')}
            {brings.length > 0 && (
              <>
                {' · '}
                <SeverityMark of="stop" size={12} /> taking them brings {count(brings.length, 'stop')}:{' '}
                {brings.length === 1 ? brings[0]?.message : `the rows that bring them are marked`}
              </>
            )}
          </p>
        )}
        <Rows read={read} refused={refused} brings={brings} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Press
          variant="contained"
          waits={read.operations.length === 0 || looked.text !== text ? 'no row was read yet' : ''}
          onClick={take}
        >
          {refused.length > 0 && read.operations.length > 0
            ? `Take the others, keep ${count(refused.length, 'row')} here`
            : 'Take them'}
        </Press>
      </DialogActions>
    </Dialog>
  );
}

/** What rows come to, asked for as they are typed; an answer to older rows counts for nothing. */
function useLooked(segment: string, text: string): [Looked, string] {
  const { name, desk } = useDeskState();
  const [looked, setLooked] = useState<Looked>({ text: '', read: NOTHING, brings: [], revision: 0 });
  const [problem, setProblem] = useState('');
  useEffect(() => {
    let wanted = true;
    const ask = async () => {
      const revision = desk.revision.number;
      const had = new Set(desk.findings.map((finding) => finding.identity));
      try {
        const read = text.trim() ? await readHostRows(name, segment, text) : NOTHING;
        if (!wanted) return;
        setLooked({ text, read, brings: [], revision });
        setProblem('');
        if (read.operations.length === 0) return;
        const found = await draftFindings(name, read.operations);
        const brings = found.filter((one) => one.severity === 'stop' && !had.has(one.identity));
        if (wanted) setLooked({ text, read, brings, revision });
      } catch (error) {
        if (!wanted) return;
        setLooked({ text, read: NOTHING, brings: [], revision });
        setProblem((error as Failure).message);
      }
    };
    void ask();
    return () => {
      wanted = false;
    };
  }, [name, segment, text, desk]);
  return [looked, problem];
}

/** The rows as they were understood: first those that were refused, then those that would bring stops. */
function Rows({ read, refused, brings }: { read: Read; refused: Read['rows']; brings: Finding[] }) {
  if (read.rows.length === 0) return null;
  const columns = read.columns as (keyof Schemas['Host'])[];
  const stops = new Map(brings.map(({ path, message }) => [path.split('/')[2], message]));
  const taken = read.rows.filter((row) => !row.problem);
  const [stopping, clear] = [true, false].map((wanted) =>
    taken.filter((row) => stops.has(row.host) === wanted),
  );
  return (
    <div className={styles.rowsRead}>
      <Table size="small" stickyHeader aria-label="What was read">
        <TableHead>
          <TableRow>
            <TableCell>Row</TableCell>
            {columns.map((field) => (
              <TableCell key={field}>{fieldOf('hosts', field).label}</TableCell>
            ))}
            <TableCell>What becomes of it</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {[...refused, ...(stopping ?? []), ...(clear ?? [])].map((row) => (
            <TableRow key={row.number} data-problem={row.problem !== '' || stops.has(row.host)}>
              <TableCell className="mono">{row.number}</TableCell>
              {columns.map((field) => (
                <TableCell key={field} className="mono">
                  {row.values[field]}
                </TableCell>
              ))}
              <TableCell>
                {stops.has(row.host) && (
                  <>
                    <SeverityMark of="stop" size={12} /> {stops.get(row.host)}{' '}
                  </>
                )}
                {row.problem ||
                  (stops.has(row.host) ? '' : row.known ? 'changes the one that is there' : 'new host')}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </div>
  );
}
