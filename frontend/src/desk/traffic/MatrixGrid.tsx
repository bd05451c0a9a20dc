import { useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { RoleMark } from '../../parts/Marks';
import { Gate } from './Gate';
import { byPair, cellWords, step } from './matrix';
import type { Cell, Matrix, Place } from './queries';
import styles from './traffic.module.css';

interface Props {
  matrix: Matrix;
  /** The pair that is open below. */
  open: { source: string; target: string } | null;
  onOpen: (source: Place, target: Place) => void;
}

/** Who reaches whom: rows ask, columns answer. Arrow keys walk it, Enter opens a cell. */
export function MatrixGrid({ matrix, open, onOpen }: Props) {
  const cells = useMemo(() => byPair(matrix.cells), [matrix.cells]);
  const [at, setAt] = useState<[number, number]>([0, 1]);
  const grid = useRef<HTMLDivElement>(null);
  const many = matrix.columns.length > 9;
  const onKeyDown = (event: KeyboardEvent) => {
    const next = step(matrix, at, event.key);
    if (next[0] === at[0] && next[1] === at[1]) return;
    event.preventDefault();
    setAt(next);
    grid.current?.querySelector<HTMLElement>(`[data-at="${next[0]} ${next[1]}"]`)?.focus();
  };
  return (
    <div
      className={`card ${styles.matrix}`}
      role="grid"
      tabIndex={-1}
      aria-label="Who reaches whom"
      ref={grid}
      onKeyDown={onKeyDown}
    >
      <div
        className={styles.row}
        role="row"
        style={{
          gridTemplateColumns: `152px repeat(${matrix.columns.length}, minmax(${many ? 48 : 60}px, 1fr))`,
        }}
      >
        <span className={`quiet small ${styles.corner}`} role="columnheader">
          asks ↓ answers →
        </span>
        {matrix.columns.map((column) => (
          <span key={column.key} className={styles.head} role="columnheader" title={column.label}>
            <Head place={column} short={many} />
          </span>
        ))}
      </div>
      {matrix.rows.map((row, nth) => (
        <div
          key={row.key}
          className={styles.row}
          role="row"
          style={{
            gridTemplateColumns: `152px repeat(${matrix.columns.length}, minmax(${many ? 48 : 60}px, 1fr))`,
          }}
        >
          <span className={styles.asks} role="rowheader" title={row.label}>
            {row.role && <RoleMark role={row.role} />} <span className={styles.label}>{row.label}</span>
          </span>
          {matrix.columns.map((column, place) => (
            <OneCell
              key={column.key}
              row={row}
              column={column}
              cell={cells.get(`${row.key} ${column.key}`)}
              at={`${nth} ${place}`}
              here={at[0] === nth && at[1] === place}
              opened={open?.source === row.key && open.target === column.key}
              onOpen={() => {
                setAt([nth, place]);
                onOpen(row, column);
              }}
            />
          ))}
        </div>
      ))}
    </div>
  );
}

function Head({ place, short }: { place: Place; short: boolean }) {
  return (
    <>
      {place.role && <RoleMark role={place.role} />}
      {(!place.role || !short) && (
        <span className={styles.headLabel}>{place.label.replace(/^the /, '')}</span>
      )}
    </>
  );
}

interface CellProps {
  row: Place;
  column: Place;
  cell: Cell | undefined;
  at: string;
  here: boolean;
  opened: boolean;
  onOpen: () => void;
}

function OneCell({ row, column, cell, at, here, opened, onOpen }: CellProps) {
  if (row.key === column.key)
    return (
      <span
        role="gridcell"
        className={styles.same}
        data-at={at}
        tabIndex={here ? 0 : -1}
        aria-label="the same"
      />
    );
  const amiss = cell && !cell.agrees && !cell.unknown;
  return (
    <button
      role="gridcell"
      type="button"
      className={styles.cell}
      data-at={at}
      data-amiss={amiss || undefined}
      aria-selected={opened}
      aria-label={cellWords(row.label, column.label, cell)}
      title={cellWords(row.label, column.label, cell)}
      tabIndex={here ? 0 : -1}
      onClick={onOpen}
    >
      {cell ? <Gate cell={cell} /> : null}
    </button>
  );
}

/** What the drawings in the cells mean. */
export function GateLegend() {
  const base = { agrees: true, missing: false, extra: false, unknown: '', does: 'none', services: '' };
  const cell = (values: Partial<Cell>) => ({ ...base, ...values }) as Cell;
  const entries: [Cell, string][] = [
    [cell({ meant: 'open', result: 'passes', does: 'any' }), 'meant to pass, passes'],
    [cell({ meant: 'closed', result: 'stopped' }), 'meant to be closed, stops'],
    [
      cell({ meant: 'closed', result: 'passes', agrees: false, extra: true, does: 'any' }),
      'passes a closed gate',
    ],
    [cell({ meant: 'open', result: 'stopped', agrees: false, missing: true }), 'stops before an open one'],
    [cell({ meant: 'services', result: 'partly', does: 'tcp/443' }), 'these services only'],
  ];
  return (
    <div className={`quiet small ${styles.legend}`} aria-hidden>
      {entries.map(([one, words]) => (
        <span key={words}>
          <Gate cell={one} wide={46} /> {words}
        </span>
      ))}
    </div>
  );
}
