import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useRef, useState } from 'react';
import { useUndoBatch } from '../findings/queries';
import { Line, Lines, LinkButton, Tick, Press } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, moment } from '../parts/words';
import { useReadAnswers, useTakeAnswers, type Matched } from './queries';

/** Answers that came back: pasted or as a table, each beside what the plan says, taken when they were looked at. */
export function CameBack() {
  const read = useReadAnswers();
  const take = useTakeAnswers();
  const undo = useUndoBatch();
  const picker = useRef<HTMLInputElement>(null);
  const [text, setText] = useState('');
  const [source, setSource] = useState('');
  const [confirmed, setConfirmed] = useState(false);
  const [chosen, setChosen] = useState<ReadonlyMap<number, boolean>>(new Map());
  const found = read.data ?? [];
  const taken = (one: Matched, place: number) =>
    one.problem === '' && (chosen.get(place) ?? (one.against === null && one.doubt === '' && !same(one)));
  const going = found.filter(taken);
  const begin = (came: { text: string } | { file: File }) => {
    setChosen(new Map());
    take.reset();
    undo.reset();
    read.mutate(came);
  };
  const error = read.error ?? take.error ?? undo.error;
  return (
    <section className="card part above" aria-label="Answers that came back">
      <h2>Answers that came back</h2>
      <Lines
        className="mono"
        aria-label="Answers as text"
        rows={5}
        maxLength={1_000_000}
        placeholder={
          'Paste the list with its headings, as it came:\n\nDockside (FERN/DOCK), circuit Main\n  VLAN tag: none'
        }
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <div className="line far wrap below">
        <Press
          variant="contained"
          waits={text.trim() === '' ? 'paste what came back' : ''}
          onClick={() => begin({ text })}
        >
          Read them
        </Press>
        <Button onClick={() => picker.current?.click()}>Load a returned table</Button>
        <input
          ref={picker}
          type="file"
          hidden
          accept=".csv,.xlsx,.ods"
          aria-label="Returned table"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) begin({ file });
            event.target.value = '';
          }}
        />
        <label>
          Told by{' '}
          <Line
            aria-label="Who answered"
            maxLength={200}
            value={source}
            placeholder="name, how"
            onChange={(event) => setSource(event.target.value)}
          />
        </label>
        <label>
          <Tick checked={confirmed} onChange={(event) => setConfirmed(event.target.checked)} /> confirmed
        </label>
      </div>
      {error && <Trouble>{error.message}</Trouble>}
      {take.data && (
        <p role="status">
          {undo.data
            ? `Taken back at ${count(undo.data.undone, 'site')}.`
            : `Taken at ${count(take.data.sites, 'site')}. `}
          {!undo.data && <LinkButton onClick={() => undo.mutate(take.data.batch)}>Undo all of it</LinkButton>}
        </p>
      )}
      {read.data && !take.data && (
        <>
          {found.length === 0 && <p role="status">No answer is in it.</p>}
          {found.length > 0 && (
            <Table className="below">
              <Heads of={['Take', 'Site', 'Question', 'So far', 'Now', '']} />
              <TableBody>
                {found.slice(0, 500).map((one, place) => (
                  <MatchedRow
                    key={place}
                    one={one}
                    taken={taken(one, place)}
                    onTake={(yes) => setChosen(new Map([...chosen, [place, yes] as const]))}
                  />
                ))}
              </TableBody>
            </Table>
          )}
          {found.length > 500 && <p className="quiet">and {found.length - 500} more, taken as they are</p>}
          {found.length > 0 && (
            <Press
              variant="contained"
              waits={going.length === 0 ? 'choose an answer' : ''}
              loading={take.isPending}
              onClick={() =>
                take.mutate({
                  answers: going.map(({ customer, site, key, text: said }) => ({
                    customer,
                    site,
                    key,
                    text: said,
                  })),
                  source,
                  confirmed,
                  overwrite: going.some((one) => one.against !== null),
                })
              }
            >
              Take {count(going.length, 'answer')}
            </Press>
          )}
        </>
      )}
    </section>
  );
}

/** One answer beside what the plan says, with what speaks against it. */
function MatchedRow(props: { one: Matched; taken: boolean; onTake: (yes: boolean) => void }) {
  const { one, taken, onTake } = props;
  return (
    <TableRow data-problem={one.problem !== ''}>
      <TableCell>
        <Tick
          aria-label={`Take ${one.short} of ${one.customer}/${one.site}`}
          disabled={one.problem !== ''}
          checked={taken}
          onChange={(event) => onTake(event.target.checked)}
        />
      </TableCell>
      <TableCell component="th" scope="row">
        {one.name}{' '}
        <span className="quiet">
          {one.customer}/{one.site}
          {one.circuit && `, ${one.circuit}`}
        </span>
      </TableCell>
      <TableCell>{one.short}</TableCell>
      <TableCell className="mono">{one.before}</TableCell>
      <TableCell className="mono">{one.text}</TableCell>
      <TableCell>
        {one.problem && (
          <span role="alert">
            <SeverityMark of="stop" size={12} /> {one.problem}
          </span>
        )}
        {one.against && (
          <span role="alert">
            <SeverityMark of="warn" size={12} /> {one.against.by} confirmed{' '}
            <b className="mono">{one.against.confirmed}</b>, {moment(one.against.at, true)}
          </span>
        )}
        {one.doubt && (
          <span>
            <SeverityMark of="warn" size={12} /> {one.doubt}
          </span>
        )}
        {same(one) && <span className="quiet">as the plan says</span>}
      </TableCell>
    </TableRow>
  );
}

function same(one: Matched): boolean {
  return one.before !== '' && one.before.toLowerCase() === one.text.trim().toLowerCase();
}
