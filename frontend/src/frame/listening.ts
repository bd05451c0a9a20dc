import { openStream, type Word } from './stream';

/** What a tab tells the worker: where it is, and by which lock the worker knows that it is gone. */
export interface Told {
  at: string | null;
  lock?: string;
}

/** A tab's share of the events: `at` says at which site it looks, "" for any other page, nothing while it is hidden. */
export interface Listening {
  at: (site: string | null) => void;
  end: () => void;
}

/** Hear the words of the server: by the worker that all tabs share, or alone where browsers know none. */
export function listen(hear: (word: Word) => void): Listening {
  return 'SharedWorker' in window && 'locks' in navigator ? shared(hear) : alone(hear);
}

function shared(hear: (word: Word) => void): Listening {
  const worker = new SharedWorker(new URL('./events.worker.ts', import.meta.url), {
    type: 'module',
    name: 'octaplan-events',
  });
  const lock = `octaplan-tab-${crypto.getRandomValues(new Uint32Array(4)).join('-')}`;
  let release = () => {};
  const held = new Promise<void>((done) => (release = done));
  let site: string | null = null;
  let ready = false;
  void navigator.locks.request(lock, () => {
    ready = true;
    worker.port.postMessage({ at: site, lock } satisfies Told);
    return held;
  });
  worker.port.onmessage = ({ data }: MessageEvent<Word>) => hear(data);
  return {
    at: (next) => {
      site = next;
      if (ready) worker.port.postMessage({ at: site } satisfies Told);
    },
    end: () => {
      release();
      worker.port.close();
    },
  };
}

function alone(hear: (word: Word) => void): Listening {
  let close = () => {};
  return {
    at: (site) => {
      close();
      close = site === null ? () => {} : openStream(site ? [site] : [], hear);
    },
    end: () => close(),
  };
}
