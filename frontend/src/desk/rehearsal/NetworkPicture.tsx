import { BOX, picture } from './network';
import type { Space } from './queries';
import styles from './rehearsal.module.css';

interface Props {
  spaces: Space[];
  cables: string[][];
  up: boolean;
  /** Keys of segments, `internet` or `boxes` at which something disagreed. */
  amiss?: Set<string>;
}

/** The network as it is brought up: what stands in it, and what hangs on what. */
export function NetworkPicture({ spaces, cables, up, amiss }: Props) {
  const { spots, lines, width, height } = picture(spaces, cables);
  return (
    <div className={`scroll ${styles.picture}`}>
      <svg
        viewBox={`-2 -2 ${width + 4} ${height + 4}`}
        width={width}
        height={height + 4}
        role="img"
        aria-label={`The network: ${spots.map((spot) => spot.space.title).join(', ')}`}
        data-up={up}
      >
        {lines.map(([a, b]) => (
          <path key={`${a.space.key} ${b.space.key}`} d={curve(a, b)} className={styles.cable} />
        ))}
        {spots.map(({ space, x, y }) => (
          <g key={space.key} transform={`translate(${x} ${y})`} data-kind={space.kind}>
            <rect
              width={BOX.width}
              height={BOX.height}
              rx={4}
              className={styles.space}
              data-amiss={amiss?.has(named(space.key))}
            />
            <text x={10} y={BOX.height / 2 + 5} className={styles.title}>
              {space.title.length > 25 ? `${space.title.slice(0, 24)}…` : space.title}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

/** What the matrix calls a space: a segment by its id, all boxes alike. */
function named(key: string): string {
  const [kind = '', id = ''] = key.split(':');
  return kind === 'at' ? id : kind === 'box' ? 'boxes' : kind;
}

function curve(a: { x: number; y: number }, b: { x: number; y: number }): string {
  const [y1, y2] = [a.y + BOX.height / 2, b.y + BOX.height / 2];
  if (a.x === b.x) {
    const x = a.x + BOX.width;
    return `M ${x} ${y1} C ${x + 40} ${y1} ${x + 40} ${y2} ${x} ${y2}`;
  }
  const [x1, x2] = [a.x + BOX.width, b.x];
  const middle = (x1 + x2) / 2;
  return `M ${x1} ${y1} C ${middle} ${y1} ${middle} ${y2} ${x2} ${y2}`;
}
