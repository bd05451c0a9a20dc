import type { Host, Operation, Segment } from '../api/client';
import { format, overlap, parse, short, spanOf, subnet, usable, type Span } from './addresses';

/** Something on a ruler that can be taken hold of. Edges are one end of a run; a run moves whole. */
export interface Mark {
  id: string;
  kind: 'gateway' | 'host' | 'range' | 'excluded' | 'kept';
  /** Which end of a run this is; left out for what moves whole. */
  end?: 'first' | 'last';
  /** What it is called. */
  name: string;
  span: Span;
  /** Where its value stands in the plan. */
  path: string;
  /** The field that takes a typed value for it. */
  field: string;
  /** The place of a run in its list. */
  index?: number;
}

type Hosts = [key: string, host: Host][];

/** Everything on the ruler of a segment that can be moved, in the order of addresses, runs before their ends. */
export function marksOf(id: string, segment: Segment, hosts: Hosts): Mark[] {
  const net = subnet(segment.subnet);
  if (!net) return [];
  const base = `/segments/${id}`;
  const marks: Mark[] = [];
  const put = (mark: Mark) => {
    const inside = overlap(mark.span, net);
    if (inside) marks.push(mark);
  };
  const run = (kind: Mark['kind'], name: string, path: string, span: Span, index?: number) => {
    const common = { kind, name, path, field: path, ...(index === undefined ? {} : { index }) };
    const key = index === undefined ? kind : `${kind}:${index}`;
    put({ ...common, id: key, span });
    put({ ...common, id: `${key}:first`, end: 'first', span: { ...span, last: span.first } });
    put({ ...common, id: `${key}:last`, end: 'last', span: { ...span, first: span.last } });
  };
  const gateway = parse(segment.gateway);
  if (gateway) {
    const path = `${base}/gateway`;
    const span = { family: gateway.family, first: gateway.value, last: gateway.value };
    put({ id: 'gateway', kind: 'gateway', name: 'gateway', span, path, field: path });
  }
  const { scope } = segment;
  const ends = scopeOf(segment);
  if (ends) run('range', 'DHCP range', `${base}/scope`, ends);
  scope.excluded.forEach((text, index) => {
    const span = spanOf(text);
    if (span && ends) run('excluded', `excluded ${text}`, `${base}/scope/excluded`, span, index);
  });
  segment.kept.forEach((kept, index) => {
    const span = spanOf(kept.run);
    if (span) run('kept', `kept for ${kept.kind}`, `${base}/kept`, span, index);
  });
  for (const [key, host] of hosts) {
    const address = parse(host.address);
    if (!address) continue;
    const span = { family: address.family, first: address.value, last: address.value };
    const path = `/hosts/${key}/address`;
    put({ id: `host:${key}`, kind: 'host', name: host.name, span, path, field: path });
  }
  return marks.sort((a, b) => (a.span.first < b.span.first ? -1 : a.span.first > b.span.first ? 1 : 0));
}

/** First to last of a range that is handed out; nothing while DHCP is off or an end is not known. */
export function scopeOf(segment: Segment): Span | undefined {
  const [a, b] = [parse(segment.scope.first), parse(segment.scope.last)];
  if (segment.scope.server === 'none' || !a || !b || a.family !== b.family) return undefined;
  return a.value <= b.value
    ? { family: a.family, first: a.value, last: b.value }
    : { family: a.family, first: b.value, last: a.value };
}

/** How far marks may move together: nothing leaves the subnet, and no end of a run passes the other. */
export function held(segment: Segment, marks: Mark[], delta: bigint): bigint {
  const net = subnet(segment.subnet);
  if (!net) return 0n;
  const room = usable(net);
  let [low, high] = [room.first - room.last, room.last - room.first];
  for (const mark of marks) {
    const bounds = mark.end ? otherEnd(segment, mark, room) : room;
    if (bounds.first - mark.span.first > low) low = bounds.first - mark.span.first;
    if (bounds.last - mark.span.last < high) high = bounds.last - mark.span.last;
  }
  if (low > 0n) low = 0n;
  if (high < 0n) high = 0n;
  return delta < low ? low : delta > high ? high : delta;
}

function otherEnd(segment: Segment, mark: Mark, room: Span): Span {
  const whole =
    mark.kind === 'range'
      ? scopeOf(segment)
      : spanOf(
          mark.kind === 'kept'
            ? (segment.kept[mark.index ?? -1]?.run ?? '')
            : (segment.scope.excluded[mark.index ?? -1] ?? ''),
        );
  if (!whole) return room;
  return mark.end === 'first' ? { ...room, last: whole.last } : { ...room, first: whole.first };
}

/** The change that moves marks of a segment by so many addresses. */
export function moved(id: string, segment: Segment, marks: Mark[], delta: bigint): Operation[] {
  const base = `/segments/${id}`;
  const operations: Operation[] = [];
  const set = (path: string, value: unknown) => operations.push({ op: 'add', path, value });
  const text = (span: Span, value: bigint) => format({ family: span.family, value: value + delta });
  const excluded = [...segment.scope.excluded];
  const kept = segment.kept.map((run) => ({ ...run }));
  for (const mark of marks) {
    const { span, end, index = -1 } = mark;
    if (mark.kind === 'gateway' || mark.kind === 'host') set(mark.path, text(span, span.first));
    if (mark.kind === 'range' && end !== 'last') set(`${base}/scope/first`, text(span, span.first));
    if (mark.kind === 'range' && end !== 'first') set(`${base}/scope/last`, text(span, span.last));
    const listed = mark.kind === 'excluded' ? excluded[index] : kept[index]?.run;
    const whole = listed === undefined ? undefined : spanOf(listed);
    if (!whole || (mark.kind !== 'excluded' && mark.kind !== 'kept')) continue;
    const first = end === 'last' ? whole.first : whole.first + delta;
    const last = end === 'first' ? whole.last : whole.last + delta;
    const run = runText({ ...whole, first, last });
    if (mark.kind === 'excluded') excluded[index] = run;
    else kept[index] = { kind: kept[index]?.kind ?? '', run };
  }
  if (marks.some((mark) => mark.kind === 'excluded')) set(`${base}/scope/excluded`, excluded);
  if (marks.some((mark) => mark.kind === 'kept')) set(`${base}/kept`, kept);
  return operations;
}

/** A run as a plan holds it. */
export function runText(span: Span): string {
  const end = (value: bigint) => format({ family: span.family, value });
  return span.first === span.last ? end(span.first) : `${end(span.first)}-${end(span.last)}`;
}

/** The change that takes a mark away: a host, a run, the range or the gateway. */
export function taken(id: string, segment: Segment, mark: Mark): Operation[] {
  const base = `/segments/${id}`;
  if (mark.kind === 'host') return [{ op: 'remove', path: mark.path.replace(/\/address$/, '') }];
  if (mark.kind === 'gateway') return [{ op: 'add', path: mark.path, value: null }];
  if (mark.kind === 'range') {
    return [
      { op: 'add', path: `${base}/scope/first`, value: null },
      { op: 'add', path: `${base}/scope/last`, value: null },
      { op: 'add', path: `${base}/scope/excluded`, value: [] },
    ];
  }
  const others = <T>(list: T[]) => list.filter((_, place) => place !== mark.index);
  return mark.kind === 'excluded'
    ? [{ op: 'add', path: mark.path, value: others(segment.scope.excluded) }]
    : [{ op: 'add', path: mark.path, value: others(segment.kept) }];
}

/** Where a mark goes with Shift and an arrow: to the next natural boundary, `step` apart from the subnet's start. */
export function boundary(net: Span, step: bigint, value: bigint, forward: boolean): bigint {
  const offset = value - net.first;
  return forward ? (offset / step + 1n) * step - offset : -(offset % step === 0n ? step : offset % step);
}

/** Hosts set at equal distances from the first to the last of them; nothing when there is no room between. */
export function spaced(marks: Mark[]): Operation[] {
  const first = marks[0]?.span.first;
  const last = marks.at(-1)?.span.first;
  if (first === undefined || last === undefined || marks.length < 3) return [];
  const gaps = BigInt(marks.length - 1);
  if (last - first < gaps) return [];
  return movedTo(marks, (place) => first + ((last - first) * BigInt(place)) / gaps);
}

/** The change that gives each mark another address; nothing for those that have it. */
function movedTo(marks: Mark[], to: (place: number) => bigint): Operation[] {
  return marks.flatMap(({ path, span }, place) => {
    const value = to(place);
    return value === span.first ? [] : [{ op: 'add', path, value: format({ family: span.family, value }) }];
  });
}

/** Hosts moved up to each other, from the first on. */
export function closedUp(marks: Mark[]): Operation[] {
  const first = marks[0]?.span;
  if (!first || marks.length < 2) return [];
  return movedTo(marks, (place) => first.first + BigInt(place));
}

/** A mark and where it is, as one would say it. */
export function said(mark: Mark, segment: Segment): string {
  const net = subnet(segment.subnet);
  if (!net) return mark.name;
  if (mark.end)
    return `${mark.end === 'first' ? 'start' : 'end'} of ${mark.name} at ${short(mark.span.first, net)}`;
  if (mark.span.first === mark.span.last) return `${mark.name} at ${short(mark.span.first, net)}`;
  return `${mark.name} ${short(mark.span.first, net)} to ${short(mark.span.last, net)}`;
}
