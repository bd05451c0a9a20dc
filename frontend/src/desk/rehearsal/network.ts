import type { Space } from './queries';

/** Where a part of the network stands in its picture. */
export interface Spot {
  space: Space;
  x: number;
  y: number;
}

export interface Picture {
  spots: Spot[];
  lines: [Spot, Spot][];
  width: number;
  height: number;
}

export const BOX = { width: 190, height: 30, gap: 8, between: 90 };

const COLUMNS: Record<string, number> = { internet: 0, provider: 1, others: 1, box: 2, place: 3 };

/** The network in columns: the internet, the lines, the boxes, and who is plugged in. */
export function picture(spaces: Space[], cables: string[][]): Picture {
  const drawn = spaces.filter((space) => space.kind in COLUMNS);
  const columns = [0, 1, 2, 3].map((column) => drawn.filter((space) => COLUMNS[space.kind] === column));
  const tall = Math.max(1, ...columns.map((column) => column.length));
  const height = tall * (BOX.height + BOX.gap) - BOX.gap;
  const spots = columns.flatMap((column, place) => {
    const own = column.length * (BOX.height + BOX.gap) - BOX.gap;
    return column.map((space, row) => ({
      space,
      x: place * (BOX.width + BOX.between),
      y: (height - own) / 2 + row * (BOX.height + BOX.gap),
    }));
  });
  const at = new Map(spots.map((spot) => [spot.space.key, spot]));
  const lines = cables.flatMap(([one = '', other = '']): [Spot, Spot][] => {
    const [a, b] = [at.get(one), at.get(other)];
    return a && b ? [a.x <= b.x ? [a, b] : [b, a]] : [];
  });
  return { spots, lines, width: 4 * BOX.width + 3 * BOX.between, height };
}
