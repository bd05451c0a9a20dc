import type { WrittenLine } from './queries';

/** A line as everybody sees it: marks stand for secrets. */
export function textOf(line: WrittenLine): string {
  return line.pieces.map((piece) => piece.text).join('');
}

/** A line as the box is told it, with the secrets of the safe in their places. */
export function toldBy(line: WrittenLine, secrets: Record<string, string>): string {
  return line.pieces
    .map((piece) => {
      const secret = piece.secret ? secrets[piece.secret] : undefined;
      if (secret === undefined) return piece.text;
      return betweenQuotes(secret, piece.quote, piece.escape);
    })
    .join('');
}

/** A text between quotes, with quotes and what escapes them escaped in it. */
function betweenQuotes(text: string, quote: string, escape: string): string {
  const escaped = escape ? text.replaceAll(escape, escape + escape) : text;
  const inside = quote && escape !== quote ? escaped.replaceAll(quote, escape + quote) : escaped;
  return `${quote}${inside}${quote}`;
}

export function secretsIn(lines: WrittenLine[]): string[] {
  return [...new Set(lines.flatMap((line) => line.pieces.map((piece) => piece.secret)))].filter(Boolean);
}

/** Lines in portions of so many as a console takes at once; a part of its own begins a new one, and the line with
 *  which the laptop loses the box ends one. */
export function portions(lines: WrittenLine[], most: number): WrittenLine[][] {
  const found: WrittenLine[][] = [];
  for (const line of lines) {
    const last = found.at(-1);
    const goesOn = last && last.length < most && last[0]?.part === line.part && !last.at(-1)?.loses;
    if (goesOn) last.push(line);
    else found.push([line]);
  }
  return found;
}

const PARTS: [RegExp, string[]][] = [
  [/^identity/, ['identity']],
  [/^circuit-/, ['internet']],
  [/^(vlans|ports|segment-|own-port)/, ['inside', 'scopes']],
  [/^routes/, ['routes']],
  [/^rules/, ['routes', 'rules']],
  [/^(country|wifi-)/, ['wifi']],
  [/^(access|password|log-in-first)/, ['access']],
  [/^save/, ['save']],
];

/** The parts of a write-out that a step of the run sheet is about. */
export function partsOfStep(key: string): string[] {
  return PARTS.find(([shape]) => shape.test(key))?.[1] ?? [];
}
