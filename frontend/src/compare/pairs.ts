import type { Host, Plan, Segment } from '../api/client';
import { hostsBySegment } from '../desk/addresses/edits';
import { parse, spanOf, subnet } from '../ruler/addresses';

/** One side of a pair of segments. */
export interface Half {
  id: string;
  segment: Segment;
  hosts: [string, Host][];
}

export interface Pair {
  one: Half | null;
  other: Half | null;
  same: boolean;
}

/** The segments of two plans beside each other: by id within one site, else by label. */
export function pairsOf(one: Plan, other: Plan): Pair[] {
  const sameSite = one.customer === other.customer && one.site === other.site;
  const [mine, theirs] = [hostsBySegment(one), hostsBySegment(other)];
  const left = new Map(Object.entries(other.segments));
  const half = (id: string, segment: Segment, hosts: Map<string, [string, Host][]>): Half => ({
    id,
    segment,
    hosts: hosts.get(id) ?? [],
  });
  const pairs: Pair[] = Object.entries(one.segments).map(([id, segment]) => {
    const match =
      sameSite && left.has(id)
        ? id
        : [...left].find(([, { label }]) => label.toLowerCase() === segment.label.toLowerCase())?.[0];
    const found = match === undefined ? undefined : left.get(match);
    if (match !== undefined) left.delete(match);
    const here = half(id, segment, mine);
    const there = found && match !== undefined ? half(match, found, theirs) : null;
    return { one: here, other: there, same: there !== null && alike(here, there, sameSite) };
  });
  for (const [id, segment] of left) pairs.push({ one: null, other: half(id, segment, theirs), same: false });
  return pairs;
}

/** Whether two segments are the same; at two sites also when they only lie in another subnet of the same size. */
function alike(a: Half, b: Half, sameSite: boolean): boolean {
  if (changedMarks(a, b).size > 0 || changedMarks(b, a).size > 0) return false;
  const told = ({ segment }: Half) => {
    const { role, vlan, vrf, reach, resolvers, scope } = segment;
    const where = sameSite
      ? [segment.subnet, segment.subnet6, segment.domain]
      : segment.subnet?.split('/')[1];
    return JSON.stringify([
      role,
      vlan,
      vrf,
      reach,
      resolvers,
      scope.server,
      scope.lease,
      scope.options,
      where,
    ]);
  };
  return told(a) === told(b);
}

/**
 * The marks of the first half that the other has not, or has elsewhere. In another subnet of the same size it is the
 * offset that counts: two sites made alike are alike.
 */
export function changedMarks(half: Half, other: Half | null): Set<string> {
  const marks = new Set<string>();
  if (!other) return marks;
  const [here, there] = [placing(half.segment), placing(other.segment)];
  const [a, b] = [half.segment, other.segment];
  if (here(a.gateway) !== there(b.gateway)) marks.add('gateway');
  if (here(a.scope.first) !== there(b.scope.first)) marks.add('range:first');
  if (here(a.scope.last) !== there(b.scope.last)) marks.add('range:last');
  const excluded = new Set(b.scope.excluded.map(there));
  a.scope.excluded.forEach((run, place) => excluded.has(here(run)) || marks.add(`excluded:${place}`));
  const kept = new Set(b.kept.map(({ run, kind }) => `${kind} ${there(run)}`));
  a.kept.forEach(({ run, kind }, place) => kept.has(`${kind} ${here(run)}`) || marks.add(`kept:${place}`));
  const key = (host: Host, at: ReturnType<typeof placing>) =>
    `${host.name.toLowerCase()} ${at(host.address)} ${host.method}`;
  const known = new Set(other.hosts.map(([, host]) => key(host, there)));
  for (const [id, host] of half.hosts) if (!known.has(key(host, here))) marks.add(`host:${id}`);
  return marks;
}

/** Where addresses and runs are in a segment's subnet: their offset, or what they are when they lie outside. */
function placing(segment: Segment): (text: string | null) => string {
  const net = subnet(segment.subnet);
  return (text) => {
    const span = text?.match(/[-–]/) ? spanOf(text) : undefined;
    const address = parse(text);
    const [first, last] = span ? [span.first, span.last] : [address?.value, address?.value];
    if (!net || first === undefined || last === undefined || first < net.first || last > net.last)
      return text ?? '';
    return `+${first - net.first}-${last - net.first}`;
  };
}
