import { short } from './addresses';
import { describe, type SegmentPicture } from './geometry';
import styles from './ruler.module.css';

const REACH = 10n;

/** The addresses around one, at the side where the hand is not, large enough to tell apart: for steps that are smaller than a pixel of the ruler. */
export function Magnifier({ picture, at, right }: { picture: SegmentPicture; at: bigint; right: boolean }) {
  const { net } = picture;
  const cells = Array.from({ length: Number(REACH) * 2 + 1 }, (_, place) => at - REACH + BigInt(place));
  return (
    <div className={`small ${styles.magnifier}`} style={right ? { right: 10 } : { left: 10 }} aria-hidden>
      <div className={styles.lens}>
        {cells.map((value) => {
          const inside = value >= net.first && value <= net.last;
          const word = inside ? describe(picture, value) : 'outside';
          const kind = !inside
            ? 'outside'
            : word.startsWith('leased')
              ? 'leased'
              : word.startsWith('free')
                ? 'free'
                : 'used';
          return <i key={String(value)} data-kind={kind} data-here={value === at} />;
        })}
      </div>
      <b className="mono">{short(at, net)}</b> <span className="quiet">{describe(picture, at)}</span>
    </div>
  );
}
