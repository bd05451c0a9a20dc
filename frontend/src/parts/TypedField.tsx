import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useRef, useState } from 'react';
import { Failure, type Clash, type Operation } from '../api/client';
import { understand, useRevise } from '../api/queries';
import { useDeskState } from '../desk/context';
import { mono } from '../theme';
import styles from './typed.module.css';

interface Props {
  path: string;
  label: string;
  value: string;
  /** The choices, for a field that is not free text. */
  choices?: readonly (readonly [value: string, words: string])[];
  hideLabel?: boolean;
  autoFocus?: boolean;
  onSaved?: () => void;
}

/**
 * One value of the plan, typed in place: what the server understands is said back while one types, Enter or
 * leaving the field saves it, Escape puts it back. What cannot be read is kept and explained; what somebody else
 * changed meanwhile is shown beside one's own.
 */
export function TypedField({
  path,
  label,
  value,
  choices,
  hideLabel = false,
  autoFocus = false,
  onSaved,
}: Props) {
  const { name, desk, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const [text, setText] = useState<string | null>(null);
  const [echo, setEcho] = useState('');
  const [problem, setProblem] = useState('');
  const [clash, setClash] = useState<{ clash: Clash; failure: Failure; operations: Operation[] } | null>(
    null,
  );
  const base = useRef(desk.revision.number);
  const asked = useRef(0);

  const reset = () => {
    asked.current += 1;
    setText(null);
    setEcho('');
    setProblem('');
    setClash(null);
  };
  const type = async (typed: string) => {
    if (text === null) base.current = desk.revision.number;
    setText(typed);
    setProblem('');
    const question = (asked.current += 1);
    try {
      const understood = await understand(name, path, typed);
      if (question === asked.current) setEcho(understood.echo);
    } catch (error) {
      if (question === asked.current) {
        setEcho('');
        setProblem((error as Failure).message);
      }
    }
  };
  const save = async (typed: string | null) => {
    if (typed === null || typed === value) return reset();
    asked.current += 1;
    let operations: Operation[] = [];
    try {
      operations = (await understand(name, path, typed)).operations;
      if (operations.length > 0) await revise.mutateAsync({ operations, revision: base.current });
      reset();
      onSaved?.();
    } catch (error) {
      const failure = error as Failure;
      const first = failure.clashes[0];
      if (first) setClash({ clash: first, failure, operations });
      else setProblem(failure.message);
    }
  };
  const keepMine = async () => {
    if (!clash) return;
    try {
      await revise.mutateAsync({ operations: clash.operations, revision: clash.failure.revision });
      reset();
      onSaved?.();
    } catch (error) {
      setClash(null);
      setProblem((error as Failure).message);
    }
  };

  const shown = text ?? value;
  return (
    <div className={hideLabel ? styles.bare : ''}>
      <TextField
        fullWidth
        label={hideLabel ? undefined : label}
        value={shown}
        disabled={!mayPlan}
        select={choices !== undefined}
        autoFocus={autoFocus}
        error={problem !== ''}
        helperText={problem || (text !== null && echo) || undefined}
        onFocus={() => {
          if (text === null) base.current = desk.revision.number;
        }}
        onChange={(event) => void (choices ? save(event.target.value) : type(event.target.value))}
        onBlur={() => {
          if (!choices && !problem && !clash) void save(text);
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && !choices) void save(text);
          if (event.key === 'Escape' && text !== null) {
            event.stopPropagation();
            reset();
          }
        }}
        slotProps={{
          select: { native: true },
          inputLabel: { shrink: true },
          htmlInput: {
            'aria-label': label,
            'data-field': path,
            spellCheck: false,
            maxLength: 1000,
            style: {
              fontFamily: choices ? undefined : mono,
              fontSize: 13,
              padding: choices ? '6px 28px 6px 10px' : '6px 10px',
            },
          },
          formHelperText: { role: problem ? 'alert' : 'status', sx: { mx: 0.5, my: 0.25 } },
        }}
      >
        {choices?.map(([choice, words]) => (
          <option key={choice} value={choice}>
            {words}
          </option>
        ))}
      </TextField>
      {clash && (
        <div
          role="alertdialog"
          aria-label="Changed by somebody else"
          style={{ padding: 8, background: 'var(--warn-ground)' }}
        >
          {clash.failure.by} changed this from <Value of={clash.clash.base} /> to{' '}
          <Value of={clash.clash.theirs} /> while you wrote <Value of={clash.clash.yours} />.
          <div style={{ display: 'flex', gap: 8, marginTop: 4 }}>
            <Button variant="outlined" onClick={reset}>
              Take theirs
            </Button>
            <Button variant="outlined" onClick={() => void keepMine()}>
              Keep mine
            </Button>
          </div>
        </div>
      )}
    </div>
  );
}

function Value({ of }: { of: unknown }) {
  return (
    <b className="mono">
      {of === null || of === '' ? 'empty' : Array.isArray(of) ? of.join(' ') : String(of)}
    </b>
  );
}
