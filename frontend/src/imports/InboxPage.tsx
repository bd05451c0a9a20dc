import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body, type Schemas } from '../api/client';
import { useUndoBatch } from '../findings/queries';
import { useMay } from '../frame/person';
import { Line, LinkButton } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { count, moment } from '../parts/words';
import styles from './inbox.module.css';

type Waiting = Schemas['WaitingShown'];

/** Rows of tables that were refused: each stays until it is mended or dismissed. */
export function InboxPage() {
  const inbox = useQuery({
    queryKey: ['inbox'],
    queryFn: async () => body(await api.GET('/api/imports/inbox')),
  });
  const undo = useUndoBatch();
  const [done, setDone] = useState<{ words: string; batch: string | null } | null>(null);
  if (inbox.error) return <Notice title="The inbox cannot be shown" detail={inbox.error.message} />;
  if (!inbox.data) return null;
  return (
    <div className="page">
      <h1 className="below">
        {inbox.data.length === 0 ? 'No refused rows' : `${count(inbox.data.length, 'refused row')} to mend`}
      </h1>
      {done && (
        <p role="status">
          {undo.data ? 'Taken back.' : done.words}{' '}
          {done.batch && !undo.data && (
            <LinkButton onClick={() => done.batch && undo.mutate(done.batch)}>Undo it</LinkButton>
          )}
        </p>
      )}
      {inbox.data.length === 0 && (
        <p className="quiet">
          A row of a table that cannot be read is refused alone, and waits here. Type what is right, and it is
          loaded.
        </p>
      )}
      {inbox.data.map((row) => (
        <Row
          key={row.id}
          row={row}
          onDone={(words, batch) => {
            undo.reset();
            setDone({ words, batch });
          }}
        />
      ))}
    </div>
  );
}

function Row({ row, onDone }: { row: Waiting; onDone: (words: string, batch: string | null) => void }) {
  const mayPlan = useMay('plan');
  const queries = useQueryClient();
  const [cells, setCells] = useState(row.header.map((_, place) => row.cells[place] ?? ''));
  const [faults, setFaults] = useState(row.faults);
  const where = `row ${row.row} of ${row.file}`;
  const mend = useMutation({
    mutationFn: async () =>
      body(
        await api.PUT('/api/imports/inbox/{number}', {
          params: { path: { number: row.id } },
          body: { cells },
        }),
      ),
    onSuccess: (mended) => {
      setFaults(mended.faults);
      if (mended.faults.length > 0) return;
      onDone(`Mended ${where}: ${mended.changes.join('; ') || 'the plan says so already'}.`, mended.batch);
      void queries.invalidateQueries();
    },
  });
  const dismiss = useMutation({
    mutationFn: async () => {
      await api.DELETE('/api/imports/inbox/{number}', { params: { path: { number: row.id } } });
    },
    onSuccess: () => {
      onDone(`Dismissed ${where}.`, null);
      void queries.invalidateQueries({ queryKey: ['inbox'] });
    },
  });
  const wrong = new Set(faults.map((fault) => key(fault.column)));
  return (
    <form
      className="card part below"
      aria-label={where}
      onSubmit={(event) => {
        event.preventDefault();
        mend.mutate();
      }}
    >
      <div className="line far">
        <b>{where}</b>
        <span className="quiet">
          {row.by}, {moment(row.at, true)}
        </span>
        {mayPlan && (
          <span className="line end">
            <Button type="submit" variant="contained" loading={mend.isPending}>
              Load it
            </Button>
            <Button onClick={() => dismiss.mutate()}>Dismiss</Button>
          </span>
        )}
      </div>
      {faults.map((fault) => (
        <p key={fault.column + fault.problem} role="alert">
          <SeverityMark of="stop" size={12} /> {fault.column}: {fault.problem}
        </p>
      ))}
      <div className={`line stretch wrap ${styles.cells}`}>
        {row.header.map((name, place) => (
          <label key={name + place} className="field">
            {name}
            <Line
              aria-label={`${name} in ${where}`}
              type={key(name) === 'pppoepassword' ? 'password' : 'text'}
              aria-invalid={wrong.has(key(name))}
              className="mono"
              disabled={!mayPlan}
              maxLength={1000}
              spellCheck={false}
              value={cells[place] ?? ''}
              onChange={(event) =>
                setCells(cells.map((cell, other) => (other === place ? event.target.value : cell)))
              }
            />
          </label>
        ))}
      </div>
      {(mend.error ?? dismiss.error) && <Trouble>{(mend.error ?? dismiss.error)?.message}</Trouble>}
    </form>
  );
}

/** How names of columns are compared. */
function key(name: string): string {
  return name.toLowerCase().replace(/[\s_]/g, '');
}
