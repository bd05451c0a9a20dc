/** Addresses as integers with their family, for geometry only: what people type is read by the server. */
export interface Address {
  family: 4 | 6;
  value: bigint;
}

export interface Span {
  family: 4 | 6;
  first: bigint;
  last: bigint;
}

const FULL = { 4: 32, 6: 128 } as const;

/** The integer behind an address in canonical text, or undefined when there is none. */
export function parse(text: string | null | undefined): Address | undefined {
  if (!text) return undefined;
  if (!text.includes(':')) {
    const octets = text.split('.').map(Number);
    if (octets.length !== 4 || octets.some((octet) => !Number.isInteger(octet))) return undefined;
    return { family: 4, value: octets.reduce((sum, octet) => (sum << 8n) | BigInt(octet), 0n) };
  }
  const [head = '', tail] = text.split('::');
  const groups = (part: string) => (part ? part.split(':') : []);
  const [before, after] = [groups(head), groups(tail ?? '')];
  const middle = Array<string>(Math.max(0, 8 - before.length - after.length)).fill('0');
  const all = tail === undefined ? before : [...before, ...middle, ...after];
  return { family: 6, value: all.reduce((sum, group) => (sum << 16n) | BigInt(`0x${group || '0'}`), 0n) };
}

/** Canonical text of an address (RFC 5952 for IPv6). */
export function format({ family, value }: Address): string {
  if (family === 4) return [24n, 16n, 8n, 0n].map((shift) => (value >> shift) & 255n).join('.');
  const groups = Array.from({ length: 8 }, (_, i) =>
    ((value >> BigInt(112 - 16 * i)) & 0xffffn).toString(16),
  );
  const runs = [...groups.join(':').matchAll(/(?:^|:)0(?::0)+(?=:|$)/g)].map((match) => match[0]);
  const longest = runs.sort((a, b) => b.length - a.length)[0];
  return longest ? groups.join(':').replace(longest, '::').replace(/:{3,}/, '::') : groups.join(':');
}

/** A subnet such as `10.40.8.0/24` as the run of its addresses. */
export function subnet(text: string | null | undefined): (Span & { prefix: number }) | undefined {
  const [head, prefix] = (text ?? '').split('/');
  const address = parse(head);
  if (!address || prefix === undefined) return undefined;
  const size = 1n << BigInt(FULL[address.family] - Number(prefix));
  return {
    family: address.family,
    first: address.value,
    last: address.value + size - 1n,
    prefix: Number(prefix),
  };
}

/** What a finding names in `addresses`: an address, a subnet, or a run with a dash. */
export function spanOf(text: string): Span | undefined {
  if (text.includes('/')) return subnet(text);
  const [first, last] = text.split(/[–-]/);
  const [a, b] = [parse(first), parse(last ?? first)];
  if (!a || !b || a.family !== b.family) return undefined;
  return a.value <= b.value
    ? { family: a.family, first: a.value, last: b.value }
    : { family: a.family, first: b.value, last: a.value };
}

/** The first and last address of a subnet that a host may have. */
export function usable(net: Span & { prefix: number }): Span {
  const low = net.prefix <= (net.family === 4 ? 30 : 126) ? 1n : 0n; // of IPv6: RFC 4291, 2.6.1
  return { family: net.family, first: net.first + low, last: net.last - (net.family === 4 ? low : 0n) };
}

/** The end of an address that matters inside its subnet: `.20`, in a /16 `.8.20`, of IPv6 `::20`. */
export function short(value: bigint, net: Span & { prefix: number }): string {
  if (net.family === 6) return format({ family: 6, value: value - net.first });
  const octets = format({ family: 4, value }).split('.');
  const kept = Math.min(3, Math.floor(net.prefix / 8));
  return `.${octets.slice(kept).join('.')}`;
}

export function overlap(a: Span, b: Span): Span | undefined {
  if (a.family !== b.family || a.first > b.last || b.first > a.last) return undefined;
  return {
    family: a.family,
    first: a.first > b.first ? a.first : b.first,
    last: a.last < b.last ? a.last : b.last,
  };
}

const BEHIND = ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16', '100.64.0.0/10'].map((text) => subnet(text));

/** Whether an address is private (RFC 1918) or shared (RFC 6598): somebody else translates it before the internet. */
export function isBehind(text: string | null | undefined): 'private' | 'shared' | null {
  const address = parse(text);
  if (address?.family !== 4) return null;
  const place = BEHIND.findIndex((net) => net && address.value >= net.first && address.value <= net.last);
  return place < 0 ? null : place === 3 ? 'shared' : 'private';
}
