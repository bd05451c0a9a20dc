import type { Schemas } from '../api/client';
import { ROLES } from '../parts/Marks';
import { format, subnet, type Span } from '../ruler/addresses';

export type Space = Schemas['SpaceShown'];
export type Net = Span & { prefix: number };

/** A cell of a picture: the level it is in and its number from the left. */
export interface Place {
  level: number;
  number: number;
}

/** The subnet of a cell of a window. */
export function netOf(window: Net, { level, number }: Place): Net {
  const prefix = window.prefix + level;
  const size = (window.last - window.first + 1n) >> BigInt(level);
  const first = window.first + size * BigInt(number);
  return { family: window.family, first, last: first + size - 1n, prefix };
}

export function written({ family, first, prefix }: Net): string {
  return `${format({ family, value: first })}/${prefix}`;
}

/** Where a subnet lies in a window: its level (not below the lowest), and its first and last cell there. */
export function cellsOf(
  window: Net,
  net: Net,
  levels: number,
): { level: number; from: number; to: number } | null {
  if (net.family !== window.family || net.last < window.first || net.first > window.last) return null;
  const level = Math.min(Math.max(net.prefix - window.prefix, 0), levels - 1);
  const size = (window.last - window.first + 1n) >> BigInt(level);
  const clamp = (value: bigint) =>
    value < window.first ? window.first : value > window.last ? window.last : value;
  const cell = (value: bigint) => Number((clamp(value) - window.first) / size);
  return { level, from: cell(net.first), to: cell(net.last) };
}

/** The window that shows a cell large, or the one above; kept between the family's whole and its longest prefix. */
export function deeper(window: Net, place: Place, longest: number, steps = 1): string {
  const prefix = Math.min(window.prefix + Math.max(1, Math.min(place.level, steps)), longest);
  const level = prefix - window.prefix;
  const number = place.level === 0 ? 0 : Math.floor(place.number / 2 ** Math.max(0, place.level - level));
  return written(netOf(window, { level, number }));
}

/** The window beside, of the same size. */
export function beside(window: Net, by: -1 | 1): string {
  const size = window.last - window.first + 1n;
  const first = window.first + BigInt(by) * size;
  const top = window.family === 4 ? 1n << 32n : 1n << 128n;
  return first < 0n || first >= top
    ? written(window)
    : written({ ...window, first, last: first + size - 1n });
}

/** A cell moved by keys: along its level, or to the level above or below. */
export function stepped({ level, number }: Place, key: string, levels: number): Place | null {
  if (key === 'ArrowLeft') return { level, number: Math.max(0, number - 1) };
  if (key === 'ArrowRight') return { level, number: Math.min(2 ** level - 1, number + 1) };
  if (key === 'ArrowUp') return level === 0 ? null : { level: level - 1, number: Math.floor(number / 2) };
  if (key === 'ArrowDown') return level + 1 >= levels ? null : { level: level + 1, number: number * 2 };
  return null;
}

/** What a cell holds, in words. */
export function wordsOf(space: Space, place: Place): string {
  const window = subnet(space.window);
  if (!window) return '';
  const name = written(netOf(window, place));
  const cell = space.levels[place.level]?.cells.find(({ number }) => number === place.number);
  if (!cell) return `${name}: free`;
  const part =
    cell.used >= 0.9995 ? 'all used' : `${(cell.used * 100).toFixed(cell.used < 0.1 ? 1 : 0)} % used`;
  const many = (number: number, noun: string) =>
    `${number.toLocaleString('en-GB')} ${noun}${number === 1 ? '' : 's'}`;
  return [
    `${name}: ${part}`,
    `${many(cell.segments, 'segment')} of ${many(cell.sites, 'site')}`,
    ...(cell.stops ? [`${many(cell.stops, 'segment')} with a stop`] : []),
    ...(cell.warns ? [`${many(cell.warns, 'segment')} with a warn`] : []),
  ].join(', ');
}

const HUES = Object.values(ROLES).map(({ hue }) => hue);

/** A hue for a site, the same for the same site. */
export function hueOf(code: string): string {
  let sum = 0;
  for (const letter of code) sum = (sum * 31 + letter.charCodeAt(0)) >>> 0;
  return HUES[sum % HUES.length] ?? 'var(--primary)';
}

export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Rectangles that cover each other put into lanes of their common height, so that all of them are seen. */
export function lanesOf(rects: (Rect | null)[]): (Rect | null)[] {
  const meet = (a: Rect, b: Rect) => a.y === b.y && a.x < b.x + b.width - 1 && b.x < a.x + a.width - 1;
  const lanes: number[] = [];
  rects.forEach((rect, place) => {
    const taken = new Set(lanes.filter((_, other) => rect && rects[other] && meet(rect, rects[other])));
    let lane = 0;
    while (taken.has(lane)) lane += 1;
    lanes[place] = lane;
  });
  return rects.map((rect, place) => {
    if (!rect) return null;
    const mine = lanes[place] ?? 0;
    const beside = rects.map((other, n) => (other && meet(rect, other) ? (lanes[n] ?? 0) : 0));
    const height = rect.height / (1 + Math.max(mine, ...beside));
    return { ...rect, y: rect.y + mine * height, height };
  });
}
