import type { Person, Schemas } from '../api/client';
import { isFor, PAGES, wayTo } from '../pages';
import { deskPath } from '../parts/words';

/** Somewhere that Go to leads. */
export interface Destination {
  to: string;
  kind: string;
  name: string;
  detail: string;
  addresses: string;
}

/** What Go to finds besides whole pages. */
const PARTS: [to: string, name: string, about: string][] = [
  ['/space?kind=public', 'Address space handed out by providers', 'public blocks, hand-offs'],
];

/** Pages whose name or subject begins with what was typed, word by word. */
export function pagesFor(text: string, may: Person['may']): Destination[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const pages = PAGES.filter((page) => page.about && isFor(page, may)).map((page): (typeof PARTS)[number] => [
    wayTo(page),
    page.title,
    page.about ?? '',
  ]);
  return [...pages, ...PARTS]
    .filter(([, name, about]) => {
      const known = `${name} ${about}`.toLowerCase().split(/[\s,]+/);
      return words.length > 0 && words.every((word) => known.some((one) => one.startsWith(word)));
    })
    .map(([to, name, about]) => ({ to, kind: 'page', name, detail: about, addresses: '' }));
}

/** Customers by code or name, with their sites on Outbound. */
export function customersFor(text: string, customers: Record<string, string>): Destination[] {
  const typed = text.trim().toLowerCase();
  if (typed.length < 2) return [];
  return Object.entries(customers)
    .filter(([code, name]) => code.toLowerCase().startsWith(typed) || name.toLowerCase().includes(typed))
    .slice(0, 5)
    .map(([code, name]) => ({
      to: `/customers/${encodeURIComponent(code)}`,
      kind: 'customer',
      name,
      detail: `blocks, patterns and sites of ${code}`,
      addresses: '',
    }));
}

/** An address or subnet in the picture of all address space. */
export function spaceFor(text: string): Destination[] {
  const typed = text.trim();
  if (!/^(\d{1,3}(\.\d{1,3}){3}|[0-9a-f]*:[0-9a-f:]+)(\/\d{1,3})?$/i.test(typed)) return [];
  const six = typed.includes(':');
  const [address = '', prefix = six ? '64' : '32'] = typed.split('/');
  const window = `${address}/${six ? Math.min(64, Number(prefix)) : Math.min(Number(prefix), 24)}`;
  return [
    {
      to: `/space?kind=${six ? 6 : 4}&window=${encodeURIComponent(window)}`,
      kind: 'space',
      name: 'See what is around it',
      detail: 'in Address space',
      addresses: typed,
    },
  ];
}

export function placeTo(place: Schemas['PlaceShown']): Destination {
  return {
    to: `${deskPath(place, place.stage)}${place.path ? `#${place.path}` : ''}`,
    kind: place.kind,
    name: place.name,
    detail: `${place.site_name} ${place.customer}/${place.site}`,
    addresses: place.addresses,
  };
}

/** A question about traffic with its answer, which leads to the page that shows the way. */
export function askedTo(asked: Schemas['TrafficAsked']): Destination {
  const { source, target, service } = asked;
  const query = new URLSearchParams({ from: source, to: target, ...(service === 'any' ? {} : { service }) });
  return {
    to: `${deskPath(asked, 'traffic')}?${query.toString()}`,
    kind: 'traffic',
    name: asked.sentence,
    detail: `${asked.site_name} ${asked.customer}/${asked.site}`,
    addresses: '',
  };
}

const WAYS = { pattern: '/patterns/', type: '/hardware/', rule: '/rules#' } as const;

export function beyondTo({ kind, key, name, detail }: Schemas['BeyondShown']): Destination {
  return { to: `${WAYS[kind]}${encodeURIComponent(key)}`, kind, name, detail, addresses: '' };
}

const KEY = 'octaplan-last-places';
const MOST = 8;

/** The places that this browser went to last, the newest first. */
export function lastPlaces(): Destination[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(kept)
      ? (kept as Destination[]).filter((one) => typeof one?.to === 'string').slice(0, MOST)
      : [];
  } catch {
    return [];
  }
}

export function remember(place: Destination) {
  const others = lastPlaces().filter(({ to }) => to !== place.to);
  try {
    localStorage.setItem(KEY, JSON.stringify([place, ...others].slice(0, MOST)));
  } catch {
    // a browser that keeps nothing still goes there
  }
}

/** What was found, those places first that were gone to last. */
export function lastFirst(found: Destination[], last: Destination[]): Destination[] {
  const rank = (one: Destination) => {
    const place = last.findIndex(({ to }) => to === one.to);
    return place < 0 ? last.length : place;
  };
  return [...found].sort((a, b) => rank(a) - rank(b));
}
