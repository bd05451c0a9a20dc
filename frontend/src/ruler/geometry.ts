import type { Finding, Host, Segment } from '../api/client';
import { overlap, parse, short, spanOf, subnet, usable, type Span } from './addresses';
import { scopeOf } from './marks';

/** A subnet laid along a line: `x` of the left edge of an address, and back. */
export interface Scale {
  left: number;
  width: number;
  first: bigint;
  size: number;
}

export function scaleOf(net: Span, left: number, width: number): Scale {
  return { left, width, first: net.first, size: Number(net.last - net.first + 1n) };
}

export function x(scale: Scale, value: bigint): number {
  return scale.left + (Number(value - scale.first) / scale.size) * scale.width;
}

/** The address under a point, held inside the subnet. */
export function valueAt(scale: Scale, point: number): bigint {
  const offset = Math.floor(((point - scale.left) / scale.width) * scale.size);
  return scale.first + BigInt(Math.min(scale.size - 1, Math.max(0, offset)));
}

/** The part of a subnet that is in view: the whole, or an aligned or shifted window of it. */
export interface Window {
  first: bigint;
  size: bigint;
}

/**
 * A window zoomed by a power of two around an address, which stays about where it is or comes to the middle; held inside
 * the subnet, and begun at a natural boundary. Nothing when all is in view.
 */
export function zoomed(
  net: Span,
  window: Window | null,
  at: bigint,
  deeper: boolean,
  centred = false,
): Window | null {
  const whole = net.last - net.first + 1n;
  const from = window ?? { first: net.first, size: whole };
  const size = deeper ? from.size / 2n : from.size * 2n;
  if (size >= whole) return null;
  if (size < 16n) return window;
  const share = centred ? size / 2n : ((at - from.first) * size) / from.size;
  const step = size / 8n;
  const offset = at - share - net.first;
  let first = net.first + (offset < 0n ? 0n : (offset / step) * step);
  if (at >= first + size) first += step;
  return panned(net, { first, size }, 0n);
}

/** A window moved by so many addresses, held inside the subnet. */
export function panned(net: Span, window: Window, by: bigint): Window {
  const last = net.last - window.size + 1n;
  const first = window.first + by;
  return { ...window, first: first < net.first ? net.first : first > last ? last : first };
}

/** How many marks lie in each of so many equal parts of a scale. */
export function density(scale: Scale, values: bigint[], parts: number): number[] {
  const counts = Array<number>(parts).fill(0);
  for (const value of values) {
    const part = Math.floor((Number(value - scale.first) / scale.size) * parts);
    if (part >= 0 && part < parts) counts[part] = (counts[part] ?? 0) + 1;
  }
  return counts;
}

/** The nearest marks below and above an address, as what lies beside it. */
export function neighbours(picture: SegmentPicture, value: bigint): { below?: HostMark; above?: HostMark } {
  const below = picture.hosts.findLast((host) => host.value < value);
  const above = picture.hosts.find((host) => host.value > value);
  return { ...(below ? { below } : {}), ...(above ? { above } : {}) };
}

/** Offsets of the ticks: natural binary boundaries, eight along the line, fewer in small subnets. */
export function ticks(size: number): number[] {
  const step = Math.max(1, size / 8);
  return Array.from({ length: Math.ceil(size / step) }, (_, i) => i * step);
}

export interface Label {
  x: number;
  text: string;
  path: string;
}

export interface PlacedLabel extends Label {
  level: number;
  anchor: 'start' | 'end';
}

/**
 * Puts labels on as few levels as it can so that none cover each other, within `right`; a label that fits on
 * no level is left out. `letter` is the width of one letter; nothing is put over the runs in `kept` on the two
 * lowest levels.
 */
export function stagger(
  labels: Label[],
  right: number,
  levels: number,
  letter: number,
  kept: [from: number, to: number][] = [],
): PlacedLabel[] {
  const taken: [number, number][][] = Array.from({ length: levels }, (_, level) =>
    level < 2 ? [...kept] : [],
  );
  const placed: PlacedLabel[] = [];
  for (const label of labels) {
    const width = label.text.length * letter + 8;
    const anchor = label.x + width > right ? 'end' : 'start';
    const [from, to] = anchor === 'start' ? [label.x, label.x + width] : [label.x - width, label.x];
    const level = taken.findIndex((runs) => runs.every(([a, b]) => to <= a || from >= b));
    if (level < 0) continue;
    taken[level]?.push([from, to]);
    placed.push({ ...label, level, anchor });
  }
  return placed;
}

export interface HostMark {
  path: string;
  name: string;
  value: bigint;
  reserved: boolean;
}

export interface Notch {
  span: Span;
  severity: 'stop' | 'warn';
  path: string;
  message: string;
}

/** A run that is drawn as a band: kept for a kind of host, or left out of the range. */
export interface Run {
  id: string;
  name: string;
  span: Span;
}

/** Everything that one segment's ruler shows, worked out from the plan and its findings. */
export interface SegmentPicture {
  net: Span & { prefix: number };
  gateway?: bigint;
  /** First to last of the range, what is excluded from it included. */
  scope?: Span;
  pieces: Span[];
  excluded: Run[];
  kept: Run[];
  hosts: HostMark[];
  notches: Notch[];
  fixed: number;
  leased: bigint;
  free: bigint;
}

/** Whether a finding is a collision of the very addresses it names, and not merely about the segment that has them. */
function collides({ traits, severity, acceptance }: Finding): boolean {
  return traits.includes('collides') && severity !== 'note' && !acceptance;
}

/** What a segment's ruler shows, from its hosts and the findings about it. */
export function pictureOf(
  segment: Segment,
  placed: [key: string, host: Host][],
  findings: Finding[],
): SegmentPicture | undefined {
  const net = subnet(segment.subnet);
  if (!net) return undefined;
  const inside = (value: bigint) => value >= net.first && value <= net.last;
  const gateway = parse(segment.gateway);
  const hosts: HostMark[] = [];
  for (const [key, host] of placed) {
    const address = parse(host.address);
    if (address && address.family === net.family && inside(address.value)) {
      hosts.push({
        path: `/hosts/${key}`,
        name: host.name,
        value: address.value,
        reserved: host.method === 'reserved',
      });
    }
  }
  hosts.sort((a, b) => (a.value < b.value ? -1 : a.value > b.value ? 1 : 0));
  const runs = (texts: [string, string][], kind: string) =>
    texts.flatMap(([text, name], index) => {
      const span = spanOf(text);
      const part = span && overlap(span, net);
      return part ? [{ id: `${kind}:${index}`, name, span: part }] : [];
    });
  const ends = scopeOf(segment);
  const scope = ends && overlap(ends, net);
  const pieces = leasable(segment)
    .map((piece) => overlap(piece, net))
    .filter((piece) => piece !== undefined);
  const notches: Notch[] = [];
  for (const finding of findings) {
    const span = collides(finding) && spanOf(finding.addresses);
    const part = span && overlap(span, net);
    if (part && finding.severity !== 'note') {
      notches.push({ span: part, severity: finding.severity, path: finding.path, message: finding.message });
    }
  }
  const whole = usable(net);
  const total = whole.last - whole.first + 1n;
  const leased = pieces.reduce((sum, piece) => sum + (piece.last - piece.first + 1n), 0n);
  const taken = new Set(hosts.map((host) => host.value));
  if (gateway && gateway.family === net.family && inside(gateway.value)) taken.add(gateway.value);
  const outside = [...taken].filter(
    (value) => !pieces.some((piece) => value >= piece.first && value <= piece.last),
  );
  const free = total - leased - BigInt(outside.length);
  return {
    net,
    ...(gateway && gateway.family === net.family && inside(gateway.value) ? { gateway: gateway.value } : {}),
    ...(scope ? { scope } : {}),
    pieces,
    excluded: scope
      ? runs(
          segment.scope.excluded.map((text) => [text, 'excluded']),
          'excluded',
        )
      : [],
    kept: runs(
      segment.kept.map(({ run, kind }) => [run, kind]),
      'kept',
    ),
    hosts,
    notches,
    fixed: taken.size,
    leased: leased - BigInt(taken.size - outside.length), // a fixed host inside the range is counted once
    free: free > 0n ? free : 0n,
  };
}

/** First to last, less what is excluded; nothing while DHCP is off or an end is not known. */
export function leasable(segment: Segment): Span[] {
  const { server, first, last, excluded } = segment.scope;
  const [a, b] = [parse(first), parse(last)];
  if (server === 'none' || !a || !b || a.family !== b.family) return [];
  const pieces: Span[] = [];
  let start = a.value;
  const cuts = excluded.map((text) => spanOf(text)).filter((span) => span !== undefined);
  cuts.sort((p, q) => (p.first < q.first ? -1 : 1));
  for (const cut of cuts) {
    if (cut.family !== a.family || cut.last < start || cut.first > b.value) continue;
    if (cut.first > start) pieces.push({ family: a.family, first: start, last: cut.first - 1n });
    start = cut.last + 1n;
  }
  if (start <= b.value) pieces.push({ family: a.family, first: start, last: b.value });
  return pieces;
}

/** What an address of a segment is, in words. */
export function describe(picture: SegmentPicture, value: bigint): string {
  const { net } = picture;
  const room = usable(net);
  const names = picture.hosts.filter((host) => host.value === value).map((host) => host.name);
  if (picture.gateway === value) names.unshift('gateway');
  if (names.length) return names.join(', ');
  if (value < room.first) return 'network address';
  if (value > room.last) return 'broadcast address';
  const piece = picture.pieces.find((span) => value >= span.first && value <= span.last);
  const kept = picture.kept.find(({ span }) => value >= span.first && value <= span.last);
  const keeping = kept ? `, kept for ${kept.name}` : '';
  if (piece) return `leased from ${short(piece.first, net)}–${short(piece.last, net)}${keeping}`;
  if (kept) return `free${keeping}`;
  const { scope } = picture;
  return scope && value >= scope.first && value <= scope.last ? 'free, excluded from the range' : 'free';
}
