import { useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { useLocation } from 'react-router';
import { api, ENDED, type Desk } from '../api/client';
import { listen, type Listening } from './listening';
import { OPEN, type Word } from './stream';

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

/** What is done about a word of the server; `again` looks at everything anew. */
function heeding(queries: QueryClient, lists: { ask: () => void }, again: () => void) {
  return ({ event, data }: Word) => {
    if (event === OPEN) window.dispatchEvent(new Event(LISTENED));
    else if (event === 'all') again();
    else if (event === 'ended') void checkSession();
    else if (event === 'here') {
      const { site, names } = JSON.parse(data) as { site: string; names: string[] };
      queries.setQueryData(['here', site], names);
    } else if (event === 'bench') {
      const told = JSON.parse(data) as { site: string; device: string; name: string; recorded?: boolean };
      const key = ['bench', told.site];
      const known = queries.getQueryData<{ name: string }[]>(key) ?? [];
      queries.setQueryData(key, [...known.filter((one) => one.name !== told.name), told]);
      if (told.recorded) void queries.invalidateQueries({ queryKey: ['desk', told.site] });
    } else {
      const { site, number, affected } = JSON.parse(data) as Changed;
      for (const key of affected) {
        const known = queries.getQueryData<Desk>(['desk', key]);
        if (!known || (key === site && known.revision.number >= number)) continue;
        void queries.invalidateQueries({ queryKey: ['desk', key] });
      }
      lists.ask();
    }
  };
}

/** Ask whether one is still signed in; the answer tells the page when not. */
async function checkSession() {
  await api.GET('/api/session').then(({ response }) => {
    if (response.status === 401) window.dispatchEvent(new Event(ENDED));
  });
}

/**
 * Word from the server of what others change, and of who looks at the same site. While a page is hidden it does not
 * listen, and looks at everything anew when it is seen again.
 */
export function useEvents() {
  const queries = useQueryClient();
  const at = siteOf(useLocation().pathname);
  const place = useRef(at);
  const listening = useRef<Listening | null>(null);
  useEffect(() => {
    const lists = gathered(() => {
      for (const key of ['outbound', 'findings', 'space'])
        void queries.invalidateQueries({ queryKey: [key] });
    }, GATHERED);
    const again = () =>
      void queries.invalidateQueries({ queryKey: place.current ? ['desk', place.current] : ['outbound'] });
    const heard = listen(heeding(queries, lists, again));
    const look = () => {
      heard.at(document.hidden ? null : place.current);
      if (!document.hidden) again();
    };
    listening.current = heard;
    document.addEventListener('visibilitychange', look);
    return () => {
      document.removeEventListener('visibilitychange', look);
      lists.end();
      heard.end();
    };
  }, [queries]);
  useEffect(() => {
    place.current = at;
    listening.current?.at(document.hidden ? null : at);
  }, [at]);
}

/** Who looks at a site at the moment, oneself included. */
export function useHere(site: string): string[] {
  return useQuery<string[]>({ queryKey: ['here', site.toLowerCase()], enabled: false, initialData: [] }).data;
}
