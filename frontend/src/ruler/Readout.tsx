import { format, short } from './addresses';
import { cut } from './drawing';
import { describe, neighbours, type SegmentPicture } from './geometry';
import styles from './ruler.module.css';

/** The address under the pointer, what it is, and who is next to it. */
export function Readout({ picture, value }: { picture: SegmentPicture; value: bigint }) {
  const { below, above } = neighbours(picture, value);
  const end = (host: { name: string; value: bigint }) =>
    `${cut(host.name)} ${short(host.value, picture.net)}`;
  const beside = [below && `◂ ${end(below)}`, above && `${end(above)} ▸`].filter(Boolean).join('   ');
  return (
    <div className={`mono small clip ${styles.readout}`}>
      {format({ family: picture.net.family, value })}{' '}
      <span className="quiet">{describe(picture, value)}</span>
      {beside && <span className={`quiet ${styles.beside}`}>{beside}</span>}
    </div>
  );
}
