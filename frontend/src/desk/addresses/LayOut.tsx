import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Failure, Plan, Segment } from '../../api/client';
import { propose } from '../../api/queries';
import { Line, Select } from '../../parts/controls';
import { RoleOptions, ROLES } from '../../parts/Marks';
import { subnet } from '../../ruler/addresses';
import { useDeskState } from '../context';
import styles from './addresses.module.css';
import { sizeOf } from './NewSegment';
import { Proposed, type Proposal } from './Proposed';

export interface Row {
  key: string;
  segment?: string;
  label: string;
  role: Segment['role'];
  size: string;
}

/** The needs that a site has already: expected hosts where they are known, else the size it has. */
export function rowsOf(plan: Plan): Row[] {
  return Object.entries(plan.segments)
    .filter(([, segment]) => !segment.subnet?.includes(':'))
    .map(([id, { label, role, expected_hosts: hosts, subnet: net }]) => ({
      key: id,
      segment: id,
      label,
      role,
      size: hosts !== null ? `${hosts} hosts` : net ? `/${net.split('/')[1]}` : '30 hosts',
    }));
}

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);

/** What a small site begins with, while nothing is there. */
const USUAL: Row[] = [
  { key: 'office', label: '', role: 'office', size: '60 hosts' },
  { key: 'voice', label: '', role: 'voice', size: '25 hosts' },
  { key: 'guest', label: '', role: 'guest', size: '100 hosts' },
];

/** Lay out a whole site in one block, the largest segment first (VLSM), drawn before it is taken. */
export function LayOut({ onClose }: { onClose: () => void }) {
  const { name, desk } = useDeskState();
  const [rows, setRows] = useState<Row[]>(() => {
    const there = rowsOf(desk.plan);
    return there.length > 0 ? there : USUAL;
  });
  const [block, setBlock] = useState(() => blockOf(desk.plan) || 'next /23');
  const [proposal, setProposal] = useState<Proposal | null>(null);
  const [problem, setProblem] = useState('');
  const change = (key: string, part: Partial<Row>) => {
    setProposal(null);
    setRows(rows.map((row) => (row.key === key ? { ...row, ...part } : row)));
  };
  const ask = async () => {
    setProblem('');
    const needs = rows.map(({ label, role, size, segment }) => {
      const { hosts, prefix } = sizeOf(size);
      return {
        label: label.trim() || capital(ROLES[role].word),
        role,
        hosts: hosts ?? 0,
        prefix: prefix ?? null,
        segment: segment ?? null,
      };
    });
    try {
      setProposal(await propose(name, { what: 'lay out', block, needs }));
    } catch (error) {
      setProposal(null);
      setProblem((error as Failure).message);
    }
  };
  return (
    <div className={`below ${styles.panel}`} role="group" aria-label="Lay out the site">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void ask();
        }}
      >
        <label>
          Lay out these segments in the block{' '}
          <Line
            aria-label="Block to lay out in"
            className="mono"
            value={block}
            placeholder="10.40.64.0/20 or next /23"
            maxLength={60}
            onChange={(event) => setBlock(event.target.value)}
          />
        </label>
        , the largest first:
        <div className={`pile near ${styles.needs}`}>
          {rows.map((row) => (
            <div key={row.key}>
              <Select
                aria-label={`Role of ${row.label || 'a new need'}`}
                value={row.role}
                disabled={row.segment !== undefined}
                onChange={(event) => change(row.key, { role: event.target.value as Segment['role'] })}
              >
                <RoleOptions />
              </Select>
              <Line
                aria-label="Name"
                value={row.label}
                maxLength={80}
                readOnly={row.segment !== undefined}
                placeholder={ROLES[row.role].word}
                onChange={(event) => change(row.key, { label: event.target.value })}
              />
              <Line
                aria-label={`Size of ${row.label || 'a new need'}`}
                className="mono"
                value={row.size}
                maxLength={30}
                onChange={(event) => change(row.key, { size: event.target.value })}
              />
              <button
                type="button"
                className={`bad small ${styles.remove}`}
                aria-label={
                  row.segment ? `Leave where it is: ${row.label}` : `Remove ${row.label || 'this need'}`
                }
                onClick={() => {
                  setProposal(null);
                  setRows(rows.filter((other) => other.key !== row.key));
                }}
              >
                {row.segment ? 'Leave where it is' : 'Remove'}
              </button>
            </div>
          ))}
        </div>
        <Button
          onClick={() =>
            setRows([...rows, { key: crypto.randomUUID(), label: '', role: 'office', size: '60 hosts' }])
          }
        >
          One more
        </Button>
        <Button type="submit" variant={proposal ? 'outlined' : 'contained'} disabled={rows.length === 0}>
          Draw it
        </Button>
        <Button onClick={onClose}>Close</Button>
        {problem && (
          <div role="alert" className="bad">
            {problem}
          </div>
        )}
      </form>
      {proposal && (
        <Proposed
          proposal={proposal}
          onDone={(taken) => {
            setProposal(null);
            if (taken) onClose();
          }}
        />
      )}
    </div>
  );
}

/** A block to begin with: the /20 that the first segment is in. */
function blockOf(plan: Plan): string {
  const first = Object.values(plan.segments).find((segment) => segment.subnet?.includes('.'));
  const net = subnet(first?.subnet);
  if (!net) return '';
  const [a = 0, b = 0, c = 0] = (first?.subnet ?? '').split('.').map(Number);
  return `${a}.${b}.${c - (c % 16)}.0/20`;
}
