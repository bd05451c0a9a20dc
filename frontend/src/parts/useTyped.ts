import { useRef, useState, type KeyboardEvent } from 'react';
import { Failure, type Clash, type Operation } from '../api/client';
import { understand } from '../api/queries';
import { useDeskState } from '../desk/context';

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
  const [text, setText] = useState<string | null>(null);
  const [echo, setEcho] = useState('');
  const [problem, setProblem] = useState('');
  const [clashing, setClashing] = useState<Clashing | null>(null);
  const base = useRef(0);
  const asked = useRef(0);

  const begin = () => {
    if (text === null) base.current = desk.revision.number;
  };
  const reset = () => {
    asked.current += 1;
    setText(null);
    setEcho('');
    setProblem('');
    setClashing(null);
  };
  const type = async (typed: string) => {
    begin();
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
    const mine = (asked.current += 1);
    let operations: Operation[] = [];
    try {
      operations = (await understand(name, path, typed)).operations;
      if (operations.length > 0) await send({ operations, revision: base.current });
      if (mine === asked.current) reset(); // else more has been typed in the meantime, which is kept
      onSaved?.();
    } catch (error) {
      const failure = error as Failure;
      const clash = failure.clashes[0];
      if (clash) setClashing({ clash, failure, operations });
      else setProblem(failure.message);
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
      setProblem((error as Failure).message);
    }
  };

  return {
    shown: text ?? value,
    message: problem || (text !== null && echo) || '',
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
      onChange: (event: { target: { value: string } }) => void type(event.target.value),
      onBlur: () => {
        if (!problem && !clashing) void save(text);
      },
      onKeyDown: (event: KeyboardEvent) => {
        if (event.key === 'Enter') void save(text);
        if (event.key === 'Escape' && text !== null) {
          event.stopPropagation();
          reset();
        }
      },
    },
  };
}

export type Typing = ReturnType<typeof useTyped>;
