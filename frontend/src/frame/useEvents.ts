import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useLocation } from 'react-router';
import { ENDED, type Desk } from '../api/client';

interface Changed {
  site: string;
  number: number;
  affected: string[];
}

/** Heard in the window whenever the server has begun to listen to this page anew, and knows nothing of it any more. */
export const LISTENED = 'octaplan-listened';

/** Milliseconds in which what others change is gathered, before lists of all sites are asked for anew. */
const GATHERED = 2_000;

/** Calls something at once, and again after a while when it has been asked for in between: never more often. */
export function gathered(call: () => void, wait: number): { ask: () => void; end: () => void } {
  let timer: ReturnType<typeof setTimeout> | null = null;
  let asked = false;
  const done = () => {
    timer = null;
    if (asked) ask();
  };
  const ask = () => {
    asked = timer !== null;
    if (asked) return;
    timer = setTimeout(done, wait);
    call();
  };
  return { ask, end: () => timer !== null && clearTimeout(timer) };
}

/** The site that a page is about, as the server folds it, or nothing. */
export function siteOf(pathname: string): string {
  const [, section, customer, site] = pathname.split('/');
  return section === 'sites' && customer && site
    ? `${decodeURIComponent(customer)}/${decodeURIComponent(site)}`.toLowerCase()
    : '';
}

/**
 * Word from the server of what others change, and of who looks at the same site. While a page is hidden it does not
 * listen, and looks at everything anew when it is seen again.
 */
export function useEvents() {
  const queries = useQueryClient();
  const at = siteOf(useLocation().pathname);
  useEffect(() => {
    let source: EventSource | null = null;
    const lists = gathered(() => {
      for (const key of ['outbound', 'findings', 'space'])
        void queries.invalidateQueries({ queryKey: [key] });
    }, GATHERED);
    const again = () => void queries.invalidateQueries({ queryKey: at ? ['desk', at] : ['outbound'] });
    const open = () => {
      source = new EventSource(`/api/events?at=${encodeURIComponent(at)}`);
      source.addEventListener('open', () => window.dispatchEvent(new Event(LISTENED)));
      source.addEventListener('revision', (event: MessageEvent<string>) => {
        const { site, number, affected } = JSON.parse(event.data) as Changed;
        for (const key of affected) {
          const known = queries.getQueryData<Desk>(['desk', key]);
          if (!known || (key === site && known.revision.number >= number)) continue;
          void queries.invalidateQueries({ queryKey: ['desk', key] });
        }
        lists.ask();
      });
      source.addEventListener('here', (event: MessageEvent<string>) => {
        const { site, names } = JSON.parse(event.data) as { site: string; names: string[] };
        queries.setQueryData(['here', site], names);
      });
      source.addEventListener('bench', (event: MessageEvent<string>) => {
        const told = JSON.parse(event.data) as {
          site: string;
          device: string;
          name: string;
          recorded?: boolean;
        };
        const key = ['bench', told.site];
        const others = (queries.getQueryData<{ name: string }[]>(key) ?? []).filter(
          (one) => one.name !== told.name,
        );
        queries.setQueryData(key, [...others, told]);
        if (told.recorded) void queries.invalidateQueries({ queryKey: ['desk', told.site] });
      });
      source.addEventListener('all', again);
      source.addEventListener('ended', () => window.dispatchEvent(new Event(ENDED)));
    };
    const close = () => {
      source?.close();
      source = null;
    };
    const look = () => {
      close();
      if (document.hidden) return;
      open();
      again();
    };
    if (!document.hidden) open();
    document.addEventListener('visibilitychange', look);
    return () => {
      document.removeEventListener('visibilitychange', look);
      lists.end();
      close();
    };
  }, [at, queries]);
}

/** Who looks at a site at the moment, oneself included. */
export function useHere(site: string): string[] {
  return useQuery<string[]>({ queryKey: ['here', site.toLowerCase()], enabled: false, initialData: [] }).data;
}
