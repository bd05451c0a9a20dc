import { format, short, usable } from './addresses';
import type { SegmentPicture } from './geometry';
import styles from './ruler.module.css';

/** An IPv6 segment: what is used, in order, with the gaps between told as numbers, since 2^64 have no scale. */
export function UsedOnly({ picture, label }: { picture: SegmentPicture; label: string }) {
  const { net, gateway, hosts, pieces } = picture;
  const used = [
    ...(gateway === undefined ? [] : [{ key: 'gateway', name: 'gateway', first: gateway, last: gateway }]),
    ...pieces.map(({ first, last }) => ({ key: `range${first}`, name: 'DHCP', first, last })),
    ...hosts.map(({ path, name, value }) => ({ key: path, name, first: value, last: value })),
  ].sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const text = (value: bigint) => format({ family: net.family, value });
  const shown = used.slice(0, 24);
  return (
    <div className={styles.used} role="group" aria-label={`${label}: ${spoken(picture)}`}>
      <span className="quiet mono">{text(net.first)}</span>
      {shown.map(({ key, name, first, last }, place) => {
        const before = shown[place - 1]?.last ?? net.first;
        const gap = first - before;
        return (
          <span key={key} className={styles.step} data-far={gap > 16n}>
            {name}{' '}
            <b className="mono">
              {text(first)}
              {last !== first && ` – ${text(last)}`}
            </b>
          </span>
        );
      })}
      {used.length > shown.length && <span className="quiet">and {used.length - shown.length} more</span>}
      {used.length === 0 && <span className="quiet">nothing has an address here yet</span>}
    </div>
  );
}

/** A ruler in words. */
export function spoken({ net, hosts, pieces, gateway, notches, free, kept }: SegmentPicture): string {
  const text = (value: bigint) => format({ family: net.family, value });
  return [
    gateway === undefined ? 'no gateway' : `gateway ${text(gateway)}`,
    ...pieces.map((piece) => `DHCP ${text(piece.first)} to ${text(piece.last)}`),
    ...kept.map(({ name, span }) => `${short(span.first, net)} to ${short(span.last, net)} kept for ${name}`),
    `${hosts.length} fixed hosts`,
    ...(net.family === 4 ? [`${free} of ${usable(net).last - usable(net).first + 1n} free`] : []),
    ...(notches.length ? [`${notches.length} collisions`] : []),
  ].join(', ');
}
