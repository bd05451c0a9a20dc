/** One word of the server: which event, and its data as it was sent. */
export interface Word {
  event: string;
  data: string;
}

const EVENTS = ['revision', 'here', 'bench', 'all', 'ended'];

/**
 * Opens the stream of events (HTML Living Standard, 9.2) for those sites, and tells of each word. `OPEN` is told whenever
 * the server has begun to listen. Returns how to close it.
 */
export function openStream(sites: string[], tell: (word: Word) => void): () => void {
  const query = sites.map((site) => `at=${encodeURIComponent(site)}`).join('&');
  const source = new EventSource(`/api/events?${query}`);
  source.onopen = () => tell({ event: OPEN, data: '{}' });
  for (const event of EVENTS)
    source.addEventListener(event, ({ data }: MessageEvent<string>) => tell({ event, data }));
  return () => source.close();
}

/** That the server has begun to listen, and knows nothing yet of who listens. */
export const OPEN = 'open';
