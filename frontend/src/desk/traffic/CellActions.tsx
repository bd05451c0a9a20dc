import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Operation } from '../../api/client';
import { Choice, Line, Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { freshId, remove } from '../addresses/edits';
import { useDeskState, useSteps } from '../context';
import { asMeant, readService, type Cell } from './queries';
import styles from './traffic.module.css';

const WHO: Record<Cell['who'], string> = {
  table: 'by the table of the organisation',
  customer: 'at this customer',
  site: 'at this site',
  apart: 'since the two are in routing tables of their own',
  needs: 'by what a scope hands out',
};

/** What is meant in a cell and who says so; mean something else, or let the boxes do what is meant. */
export function CellActions({ cell, ends }: { cell: Cell; ends: string }) {
  const { name, desk, mayPlan } = useDeskState();
  const { keep } = useSteps();
  const [otherwise, setOtherwise] = useState(false);
  const [problem, setProblem] = useState('');
  const meant = cell.meant === 'services' ? `open for ${cell.services}` : cell.meant;
  const mend = async () => {
    setProblem('');
    try {
      const operations = await asMeant(name, { source: cell.source, target: cell.target });
      if (operations.length > 0) keep(operations, desk.revision.number);
      else
        setProblem('No change is known that does it by itself: look at what stops it, and at the findings.');
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <div className={styles.actions}>
      <p>
        {ends} is meant to be <b>{meant}</b>, {WHO[cell.who]}
        {cell.reason && `: ${cell.reason}`}.
      </p>
      {mayPlan && !otherwise && (
        <div className="line near wrap">
          {!cell.agrees && !cell.unknown && (
            <Button variant="contained" onClick={() => void mend()}>
              Let the boxes do what is meant
            </Button>
          )}
          <Button variant="outlined" onClick={() => setOtherwise(true)}>
            Mean it otherwise…
          </Button>
          {cell.departure && (
            <Button onClick={() => keep([remove(cell.departure)])}>As it is meant elsewhere</Button>
          )}
        </div>
      )}
      {otherwise && <Otherwise cell={cell} onDone={() => setOtherwise(false)} />}
      {problem && <Trouble>{problem}</Trouble>}
    </div>
  );
}

/** Something else that is meant for a cell at this site, with the reason. */
function Otherwise({ cell, onDone }: { cell: Cell; onDone: () => void }) {
  const { name, desk } = useDeskState();
  const { keep } = useSteps();
  const [what, setWhat] = useState(cell.meant === 'closed' ? 'any' : 'none');
  const [services, setServices] = useState('');
  const [reason, setReason] = useState('');
  const [problem, setProblem] = useState('');
  const save = async () => {
    try {
      const text = what === 'services' ? await readService(name, services) : what;
      const path = cell.departure || `/departures/${freshId(desk.plan.departures)}`;
      const value = { source: cell.source, target: cell.target, services: text, reason: reason.trim() };
      const operation: Operation = { op: 'add', path, value };
      keep([operation], desk.revision.number);
      onDone();
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const waits =
    reason.trim().length < 3
      ? 'write the reason'
      : what === 'services' && !services.trim()
        ? 'write the services'
        : '';
  return (
    <form
      className={styles.otherwise}
      aria-label="Mean it otherwise"
      onSubmit={(event) => {
        event.preventDefault();
        if (!waits) void save();
      }}
    >
      <Choice
        autoFocus
        label="It is meant to be"
        value={what}
        choices={[
          ['any', 'open'],
          ['none', 'closed'],
          ['services', 'open for services:'],
        ]}
        onChoose={setWhat}
      />
      {what === 'services' && (
        <Line
          aria-label="Services"
          className="mono"
          placeholder="https, udp/5060"
          value={services}
          onChange={(event) => setServices(event.target.value)}
        />
      )}
      <Line
        aria-label="Reason"
        placeholder="Why it is otherwise here"
        maxLength={400}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Press type="submit" variant="contained" waits={waits}>
        Mean it
      </Press>
      <Button onClick={onDone}>Leave it</Button>
      {problem && <Trouble>{problem}</Trouble>}
    </form>
  );
}
