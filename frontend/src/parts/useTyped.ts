import { useRef, useState, type KeyboardEvent } from 'react';
import { Failure, type Clash, type Operation } from '../api/client';
import { understand } from '../api/queries';
import { useDeskState } from '../desk/context';
import { useEcho } from './useEcho';

interface Clashing {
  clash: Clash;
  failure: Failure;
  operations: Operation[];
}

/**
 * What a field of the plan does while somebody types in it: what the server understands is said back, Enter or
 * leaving the field saves it, Escape puts it back. What cannot be read is kept and explained; what somebody else
 * changed meanwhile is kept beside one's own.
 */
export function useTyped(path: string, value: string, onSaved?: () => void) {
  const { name, desk, save: send } = useDeskState();
  const typing = useEcho(name);
  const { text, problem } = typing;
  const [clashing, setClashing] = useState<Clashing | null>(null);
  const base = useRef(0);
  const saved = useRef<string | null>(null); // what is being saved: nothing that Escape puts back

  const begin = () => {
    if (text === null) base.current = desk.revision.number;
  };
  const reset = () => {
    saved.current = null;
    typing.reset();
    setClashing(null);
  };
  const save = async (typed: string | null) => {
    if (typed === null || typed === value) return reset();
    const still = typing.saving();
    saved.current = typed;
    let operations: Operation[] = [];
    try {
      operations = (await understand(name, path, typed)).operations;
      if (operations.length > 0) await send({ operations, revision: base.current });
      if (still()) reset(); // else more has been typed in the meantime, which is kept
      onSaved?.();
    } catch (error) {
      saved.current = null;
      const failure = error as Failure;
      const clash = failure.clashes[0];
      if (clash) setClashing({ clash, failure, operations });
      else typing.setProblem(failure.message);
    }
  };
  const keepMine = async () => {
    if (!clashing) return;
    try {
      await send({ operations: clashing.operations, revision: clashing.failure.revision });
      reset();
      onSaved?.();
    } catch (error) {
      setClashing(null);
      typing.setProblem((error as Failure).message);
    }
  };

  return {
    shown: text ?? value,
    message: problem || (text !== null && typing.echo) || '',
    wrong: problem !== '',
    clashing,
    keepMine: () => void keepMine(),
    takeTheirs: reset,
    choose: (choice: string) => {
      base.current = desk.revision.number;
      void save(choice);
    },
    typing: {
      onFocus: begin,
      onChange: (event: { target: { value: string } }) => {
        begin();
        void typing.type(event.target.value, path);
      },
      onBlur: () => {
        if (!problem && !clashing) void save(text);
      },
      onKeyDown: (event: KeyboardEvent) => {
        if (event.key === 'Enter') void save(text);
        if (event.key === 'Escape' && text !== null && text !== saved.current) {
          event.stopPropagation();
          reset();
        }
      },
    },
  };
}

export type Typing = ReturnType<typeof useTyped>;
