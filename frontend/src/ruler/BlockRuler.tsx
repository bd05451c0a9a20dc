import { format, parse, short, subnet, usable } from './addresses';
import styles from './block.module.css';

export interface Cell {
  address: string;
  label: string;
  use: string;
  kind: 'end' | 'provider' | 'own' | 'used' | 'free';
  /** What sort of use it is, from its first word. */
  sort?: 'translation' | 'server' | 'spare' | 'provider';
}

const LARGEST = 64n;
const LINE = 16;

/** The sort of a use that was written down: `translation for guests`, `spare`. */
export function sortOf(use: string): NonNullable<Cell['sort']> {
  const word =
    use
      .trim()
      .split(/[\s:,]/)[0]
      ?.toLowerCase() ?? '';
  if (['translation', 'nat', 'translated'].includes(word)) return 'translation';
  if (word === 'spare' || word === 'reserved') return 'spare';
  if (word === "provider's" || word === 'provider') return 'provider';
  return 'server';
}

/**
 * Every address of a small block with its use; nothing for a block too large to name each. A block that is `routed` to
 * the site has no network or broadcast address on the line: each of its addresses can be used.
 */
export function cellsOf(
  handoff: string,
  own: string | null,
  gateway: string | null,
  uses: Record<string, string>,
  site: string,
  routed = false,
): Cell[] {
  const net = subnet(handoff);
  if (!net || net.last - net.first + 1n > LARGEST) return [];
  const room = routed ? net : usable(net);
  return Array.from({ length: Number(net.last - net.first + 1n) }, (_, offset) => {
    const value = net.first + BigInt(offset);
    const address = format({ family: net.family, value });
    const cell = (kind: Cell['kind'], use: string): Cell => ({
      address,
      label: short(value, net),
      use,
      kind,
    });
    if (parse(own)?.value === value) return cell('own', `${site} edge`);
    if (parse(gateway)?.value === value) return cell('provider', 'provider');
    if (value < room.first) return cell('end', 'network');
    if (value > room.last) return cell('end', 'broadcast');
    const use = uses[address];
    return use ? { ...cell('used', use), sort: sortOf(use) } : cell('free', 'free');
  });
}

/** The hand-off's block with each address large enough to name, and the way out drawn over it. */
export function BlockRuler(props: { cells: Cell[]; onPick?: (cell: Cell, element: HTMLElement) => void }) {
  const { cells, onPick } = props;
  const lines = Array.from({ length: Math.ceil(cells.length / LINE) }, (_, line) =>
    cells.slice(line * LINE, (line + 1) * LINE),
  );
  return lines.map((line, place) => <Line key={place} cells={line} {...(onPick ? { onPick } : {})} />);
}

function Line({ cells, onPick }: { cells: Cell[]; onPick?: (cell: Cell, element: HTMLElement) => void }) {
  const own = cells.findIndex((cell) => cell.kind === 'own');
  const gateway = cells.findIndex((cell) => cell.kind === 'provider');
  const centre = (index: number) => ((index + 0.5) / cells.length) * 100;
  return (
    <div>
      <svg
        width="100%"
        height={own >= 0 && gateway >= 0 ? 16 : 5}
        aria-hidden="true"
        style={{ display: 'block' }}
      >
        {own >= 0 && gateway >= 0 && (
          <>
            <line
              x1={`${centre(gateway)}%`}
              x2={`${centre(own)}%`}
              y1="3"
              y2="3"
              stroke="var(--primary)"
              strokeWidth="2"
            />
            {[own, gateway].map((index) => (
              <line
                key={index}
                x1={`${centre(index)}%`}
                x2={`${centre(index)}%`}
                y1="2"
                y2="16"
                stroke="var(--primary)"
                strokeWidth="2"
              />
            ))}
          </>
        )}
      </svg>
      <div
        className={styles.cells}
        style={{ gridTemplateColumns: `repeat(${cells.length}, minmax(0, 1fr))` }}
      >
        {cells.map((cell) => {
          const content = (
            <>
              <b className={styles.label}>{cell.label}</b>
              <span className={styles.use}>{cell.use}</span>
            </>
          );
          const title = `${cell.address}: ${cell.use}`;
          return onPick && (cell.kind === 'free' || cell.kind === 'used') ? (
            <button
              key={cell.address}
              className={`${styles.cell} ${styles[cell.kind]}`}
              data-sort={cell.sort}
              title={title}
              onClick={(event) => onPick(cell, event.currentTarget)}
            >
              {content}
            </button>
          ) : (
            <div
              key={cell.address}
              className={`${styles.cell} ${styles[cell.kind]}`}
              data-sort={cell.sort}
              title={title}
            >
              {content}
            </div>
          );
        })}
      </div>
    </div>
  );
}
