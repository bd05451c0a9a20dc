import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Failure, Segment } from '../../api/client';
import { propose, type Wish } from '../../api/queries';
import { Line, Select } from '../../parts/controls';
import { RoleMark, RoleOptions, ROLES } from '../../parts/Marks';
import { useDeskState } from '../context';
import styles from './addresses.module.css';
import { Proposed, type Proposal } from './Proposed';

type Role = Segment['role'];

/** How a size is typed: a number of hosts, a mask, or a whole subnet. */
export function sizeOf(text: string): Pick<Extract<Wish, { what: 'add' }>, 'hosts' | 'prefix' | 'subnet'> {
  const typed = text.trim();
  if (/^\/\s*\d+$/.test(typed)) return { prefix: Number(typed.slice(1)) };
  if (/^\d+(\s*hosts?)?$/i.test(typed)) return { hosts: Number.parseInt(typed, 10) };
  return typed ? { subnet: typed } : {};
}

/** A new segment from the free space of the customer: a role, and how large. */
export function NewSegment({ onClose, near }: { onClose: () => void; near?: string }) {
  const { name } = useDeskState();
  const [role, setRole] = useState<Role>('office');
  const [label, setLabel] = useState('');
  const [size, setSize] = useState(near ?? '');
  const [proposal, setProposal] = useState<Proposal | null>(null);
  const [problem, setProblem] = useState('');
  const ask = async (chosen: Role) => {
    setProblem('');
    try {
      setProposal(await propose(name, { what: 'add', role: chosen, label: label.trim(), ...sizeOf(size) }));
    } catch (error) {
      setProposal(null);
      setProblem((error as Failure).message);
    }
  };
  return (
    <div className={`below ${styles.panel}`} role="group" aria-label="New segment">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void ask(role);
        }}
        onKeyDown={(event) => event.key === 'Escape' && onClose()}
      >
        <label>
          A new{' '}
          <Select
            autoFocus
            aria-label="Role of the new segment"
            value={role}
            onChange={(event) => {
              setRole(event.target.value as Role);
              if (proposal) void ask(event.target.value as Role);
            }}
          >
            <RoleOptions />
          </Select>{' '}
          segment <RoleMark role={role} />
        </label>{' '}
        called{' '}
        <Line
          aria-label="Name of the new segment"
          placeholder={ROLES[role].word}
          value={label}
          maxLength={80}
          onChange={(event) => setLabel(event.target.value)}
        />{' '}
        for{' '}
        <Line
          aria-label="Size of the new segment"
          className="mono"
          placeholder="60 hosts, /26 or 10.40.8.0/24"
          value={size}
          maxLength={60}
          style={{ width: 240 }}
          onChange={(event) => setSize(event.target.value)}
        />{' '}
        <Button type="submit" variant={proposal ? 'outlined' : 'contained'}>
          Find room
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
