import type { Finding, Host, Segment } from '../api/client';
import { overlap, parse, short, spanOf, subnet, usable, type Span } from './addresses';
import { scopeOf } from './marks';

/** A subnet laid along a line: `x` of the left edge of an address, and back. */
export interface Scale {
  left: number;
  width: number;
  first: bigint;
  size: number;
  /** How much of the first address lies left of the edge: 0 to 1. */
  shift: number;
}

export function scaleOf(net: Span, left: number, width: number, shift = 0): Scale {
  return { left, width, first: net.first, size: Number(net.last - net.first + 1n), shift };
}

export function x(scale: Scale, value: bigint): number {
  return scale.left + ((Number(value - scale.first) - scale.shift) / scale.size) * scale.width;
}

/** The address under a point, held inside the subnet. */
export function valueAt(scale: Scale, point: number): bigint {
  const offset = Math.floor(((point - scale.left) / scale.width) * scale.size + scale.shift);
  return scale.first + BigInt(Math.min(scale.size - (scale.shift > 0 ? 0 : 1), Math.max(0, offset)));
}

/** The part of a subnet that is in view. `shift` is how much of its first address is cut off: 0 to 1. */
export interface Window {
  first: bigint;
  size: bigint;
  shift?: number;
}

/** How many addresses are in view at least, and at most where the whole has no scale (IPv6). */
const [CLOSEST, FARTHEST] = [16n, 1n << 40n];

function wholeOf(net: Span): Window {
  return { first: net.first, size: net.last - net.first + 1n };
}

/**
 * A window zoomed by a power of two. `share` is how far along the view one points, 0 to 1: what is there stays there,
 * to the pixel, as long as the window is held inside the subnet. Nothing when all is in view.
 */
export function zoomed(net: Span, window: Window | null, share: number, deeper: boolean): Window | null {
  const from = window ?? wholeOf(net);
  const size = deeper ? from.size / 2n : from.size * 2n;
  if (size >= net.last - net.first + 1n) return null;
  if (size < CLOSEST || size > FARTHEST) return window;
  const begin = (from.shift ?? 0) + share * Number(from.size - size);
  const whole = Math.floor(begin);
  return panned(net, { first: from.first + BigInt(whole), size, shift: begin - whole }, 0n);
}

/** The same with an address in the middle. */
export function zoomedAt(net: Span, window: Window | null, at: bigint, deeper: boolean): Window | null {
  const next = zoomed(net, window, 0.5, deeper);
  return next && panned(net, { first: at - next.size / 2n, size: next.size }, 0n);
}

/** A window moved by so many addresses, held inside the subnet. */
export function panned(net: Span, window: Window, by: bigint): Window {
  const last = net.last - window.size + 1n;
  const first = window.first + by;
  if (first < net.first) return { first: net.first, size: window.size };
  return first >= last ? { first: last, size: window.size } : { ...window, first };
}

/** How far beyond what is used a used address may be to be in view with it from the beginning. */
const NEAR = 65_536n;

/**
 * What of a subnet is looked at to begin with: all of an IPv4 one; of IPv6 the gateway, or what is used first, with
 * all that is used near it.
 */
export function homeOf({ net, gateway, hosts, scope }: SegmentPicture): Window | null {
  if (net.last - net.first < NEAR) return null;
  if (net.family === 4) return null;
  const used = [...hosts.map(({ value }) => value), ...(scope ? [scope.first, scope.last] : [])];
  used.sort((a, b) => (a < b ? -1 : a > b ? 1 : 0));
  const anchor = gateway ?? used[0] ?? net.first;
  const first = anchor - ((anchor - net.first) % 256n);
  const far = used.filter((value) => value >= first && value - first < NEAR).at(-1) ?? first;
  let size = 256n;
  while (first + size <= far) size *= 2n;
  return panned(net, { first, size }, 0n);
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

/** Where the ticks of a view are: at natural binary boundaries, about so many along the line. */
export function ticks(net: Span, scale: Scale, parts = 8): bigint[] {
  const step = BigInt(Math.max(1, Math.floor(scale.size / parts)));
  const offset = scale.first - net.first;
  const first =
    net.first + ((offset + step - 1n + (scale.shift > 0 && offset % step === 0n ? 1n : 0n)) / step) * step;
  const end = scale.first + BigInt(scale.size);
  return Array.from({ length: parts + 1 }, (_, place) => first + BigInt(place) * step).filter(
    (at) => at < end,
  );
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

interface Extent {
  label: Label;
  anchor: PlacedLabel['anchor'];
  from: number;
  to: number;
}

/**
 * Puts labels beside the tops of their stems, on as few levels as it can: none covers another or a stem that rises
 * higher, and none goes beyond `right`. What fits on no level is left out, except for the label of `first`, for which
 * others are. `letter` is the width of one letter; nothing is put over the runs in `kept` on the two lowest levels.
 */
export function stagger(
  labels: Label[],
  right: number,
  levels: number,
  letter: number,
  kept: [from: number, to: number][] = [],
  first: string | null = null,
): PlacedLabel[] {
  const extents = labels.map((label): Extent => {
    const width = label.text.length * letter + 8;
    return label.x + width > right
      ? { label, anchor: 'end', from: label.x - width, to: label.x }
      : { label, anchor: 'start', from: label.x, to: label.x + width };
  });
  const one = extents.find(({ label }) => label.path === first);
  const placed = placedOn(extents, levels, kept);
  if (!one || placed.some(({ path }) => path === first)) return placed;
  const others = extents.filter((other) => other === one || other.to <= one.from || other.from >= one.to);
  return placedOn(others, levels, []);
}

/** From the end on: what a label covers stands lower than it. */
function placedOn(extents: Extent[], levels: number, kept: [number, number][]): PlacedLabel[] {
  const placed: (Extent & { level: number })[] = [];
  const apart = (a: Extent, b: Extent) => a.to <= b.from || a.from >= b.to;
  for (const extent of [...extents].sort((a, b) => b.label.x - a.label.x)) {
    const covered = placed.filter((other) => !apart(extent, other)).map(({ level }) => level + 1);
    const flags = kept.filter(([from, to]) => extent.from < to && extent.to > from).map(() => 2);
    const level = Math.max(0, ...covered, ...flags);
    const crossed = placed.some(
      (other) => other.level < level && other.from < extent.label.x && extent.label.x < other.to,
    );
    if (level < levels && !crossed) placed.push({ ...extent, level });
  }
  return placed.map(({ label, anchor, level }) => ({ ...label, anchor, level }));
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
    fixed: new Set(hosts.map((host) => host.value)).size,
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
  if (value < room.first) return net.family === 6 ? 'address of all routers' : 'network address';
  if (value > room.last) return 'broadcast address';
  const piece = picture.pieces.find((span) => value >= span.first && value <= span.last);
  const kept = picture.kept.find(({ span }) => value >= span.first && value <= span.last);
  const keeping = kept ? `, kept for ${kept.name}` : '';
  if (piece) return `leased from ${short(piece.first, net)}–${short(piece.last, net)}${keeping}`;
  if (kept) return `free${keeping}`;
  const { scope } = picture;
  return scope && value >= scope.first && value <= scope.last ? 'free, excluded from the range' : 'free';
}
