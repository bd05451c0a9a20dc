import type { Cell, Matrix } from './queries';

/** The cells of a matrix by who asks and who is asked. */
export function byPair(cells: Cell[]): Map<string, Cell> {
  return new Map(cells.map((cell) => [`${cell.source} ${cell.target}`, cell]));
}

/** Where an arrow key leads in the matrix; past an edge it stays. */
export function step(matrix: Matrix, at: [row: number, column: number], key: string): [number, number] {
  const [row, column] = at;
  const [rows, columns] = [matrix.rows.length - 1, matrix.columns.length - 1];
  const moves: Record<string, [number, number]> = {
    ArrowUp: [Math.max(0, row - 1), column],
    ArrowDown: [Math.min(rows, row + 1), column],
    ArrowLeft: [row, Math.max(0, column - 1)],
    ArrowRight: [row, Math.min(columns, column + 1)],
    Home: [row, 0],
    End: [row, columns],
    PageUp: [0, column],
    PageDown: [rows, column],
  };
  return moves[key] ?? at;
}

/** What a cell says, in words. */
export function cellWords(source: string, target: string, cell: Cell | undefined): string {
  if (!cell) return `${source} to ${target}`;
  const meant = cell.meant === 'services' ? `open for ${cell.services}` : cell.meant;
  const does = { passes: 'everything passes', stopped: 'nothing passes', partly: `${cell.does} passes` }[
    cell.result
  ];
  const verdict = cell.unknown ? ', a value is still open' : cell.agrees ? '' : ', not as it is meant';
  return `${source} to ${target}: meant ${meant}, ${does}${verdict}`;
}

/** Services in as few letters as a cell has room for. */
export function shortServices(text: string): string {
  const parts = text.split(', ').map((part) => part.replace(/^(tcp|udp)\//, ''));
  const unique = [...new Set(parts)];
  return unique.length > 2 ? `${unique[0]}…` : unique.join(' ');
}

/** How many cells are otherwise than meant, and how many were walked. */
export function tally(cells: Cell[]): { walked: number; amiss: number; open: number } {
  return {
    walked: cells.length,
    amiss: cells.filter((cell) => !cell.agrees && !cell.unknown).length,
    open: cells.filter((cell) => cell.unknown).length,
  };
}
