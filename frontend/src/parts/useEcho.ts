import { useRef, useState } from 'react';
import type { Failure } from '../api/client';
import { understand } from '../api/queries';
import type { SiteName } from '../api/queries';

/**
 * What the server understands of what is being typed: said back while somebody types, or why it cannot be read. An
 * answer that comes when more has been typed counts for nothing.
 */
export function useEcho(site: SiteName) {
  const [text, setText] = useState<string | null>(null);
  const [echo, setEcho] = useState('');
  const [problem, setProblem] = useState('');
  const asked = useRef(0);
  const reset = () => {
    asked.current += 1;
    setText(null);
    setEcho('');
    setProblem('');
  };
  /** Take what was typed for the place `path`; nothing is asked where it is taken as it is. */
  const type = async (typed: string, path: string | null) => {
    setText(typed);
    setProblem('');
    const mine = (asked.current += 1);
    if (path === null) return setEcho('');
    try {
      const understood = await understand(site, path, typed);
      if (mine === asked.current) setEcho(understood.echo);
    } catch (error) {
      if (mine !== asked.current) return;
      setEcho('');
      setProblem((error as Failure).message);
    }
  };
  /** Begin to save; what comes back tells whether nothing more has been typed since. */
  const saving = () => {
    const mine = (asked.current += 1);
    return () => mine === asked.current;
  };
  return { text, setText, echo, problem, setProblem, reset, type, saving };
}
