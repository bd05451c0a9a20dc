import { format, short, usable } from './addresses';
import type { SegmentPicture } from './geometry';

/** A ruler in words. */
export function spoken({
  net,
  hosts,
  pieces,
  gateway,
  notches,
  free,
  kept,
  excluded,
}: SegmentPicture): string {
  const text = (value: bigint) => format({ family: net.family, value });
  const run = (first: bigint, last: bigint) => `${short(first, net)} to ${short(last, net)}`;
  return [
    gateway === undefined ? 'no gateway' : `gateway ${text(gateway)}`,
    ...pieces.map((piece) => `DHCP ${text(piece.first)} to ${text(piece.last)}`),
    ...excluded.map(({ span }) => `${run(span.first, span.last)} excluded`),
    ...kept.map(({ name, span }) => `${run(span.first, span.last)} kept for ${name}`),
    hosts.length === 1 ? '1 fixed host' : `${hosts.length} fixed hosts`,
    ...(net.family === 4 ? [`${free} of ${usable(net).last - usable(net).first + 1n} free`] : []),
    ...(notches.length ? [notches.length === 1 ? '1 collision' : `${notches.length} collisions`] : []),
  ].join(', ');
}
