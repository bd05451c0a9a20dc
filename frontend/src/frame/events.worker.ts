/**
 * The one connection of a browser to the events of the server, shared by all its tabs: a browser has six connections for
 * a host, and each tab with one of its own would leave none for what the tabs ask.
 */
import { OPEN, openStream, type Word } from './stream';
import type { Told } from './listening';

/** At so many sites the tabs of a browser may look at once, as the server has it. */
const MOST_SITES = 64;

/** What each tab looks at: a site, "" for any other page, nothing while it is hidden. */
const tabs = new Map<MessagePort, string | null>();
let close: (() => void) | null = null;
let waiting: ReturnType<typeof setTimeout> | null = null;

function tell(word: Word) {
  for (const [port, at] of tabs) if (at !== null) port.postMessage(word);
}

/** Open the stream anew for what the tabs look at now; the one before is closed once nothing can be missed. */
function listenAnew() {
  waiting = null;
  const sites = [...tabs.values()].filter((at) => at !== null);
  const before = close;
  if (sites.length === 0) {
    close = null;
    before?.();
    return;
  }
  const named = [...new Set(sites)].filter((site) => site !== '').slice(0, MOST_SITES);
  close = openStream(named, (word) => {
    if (word.event === OPEN) before?.();
    tell(word);
  });
}

function soon() {
  waiting ??= setTimeout(listenAnew, 20);
}

function connected(port: MessagePort) {
  tabs.set(port, null);
  port.onmessage = ({ data }: MessageEvent<Told>) => {
    tabs.set(port, data.at);
    soon();
    if (data.lock === undefined) return;
    void navigator.locks.request(data.lock, () => {
      tabs.delete(port); // the tab is gone, however it went
      soon();
    });
  };
}

(globalThis as unknown as { onconnect: (event: MessageEvent) => void }).onconnect = ({ ports }) => {
  for (const port of ports) connected(port);
};
