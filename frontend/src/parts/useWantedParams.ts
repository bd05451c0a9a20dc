import { useCallback, useEffect, useRef } from 'react';
import { useSearchParams } from 'react-router';

/**
 * The parameters of the page's address, and a way to change some of them. Several changes one right after the other all
 * count, also before the address shows the first: each begins with what the one before it wanted.
 */
export function useWantedParams() {
  const [params, setParams] = useSearchParams();
  const wanted = useRef(params);
  const sent = useRef(new Set<string>());
  useEffect(() => {
    const now = params.toString();
    if (now === wanted.current.toString()) sent.current.clear();
    else if (!sent.current.has(now)) wanted.current = params; // somebody else has led here
  }, [params]);
  const change = useCallback(
    (some: Record<string, string>) => {
      const next = new URLSearchParams(wanted.current);
      for (const [key, value] of Object.entries(some)) {
        if (value) next.set(key, value);
        else next.delete(key);
      }
      wanted.current = next;
      sent.current.add(next.toString());
      setParams(next, { replace: true, preventScrollReset: true });
    },
    [setParams],
  );
  return [params, change] as const;
}
