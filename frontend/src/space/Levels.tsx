import { useEffect, useRef, useState, type KeyboardEvent, type MouseEvent } from 'react';
import { ROLES } from '../parts/Marks';
import { subnet } from '../ruler/addresses';
import { useWidth } from '../ruler/useWidth';
import {
  beside,
  cellsOf,
  deeper,
  hueOf,
  lanesOf,
  stepped,
  wordsOf,
  type Net,
  type Place,
  type Space,
} from './levels';
import styles from './space.module.css';

const ROW = 36;
const LEFT = 44;

export type Colour = 'full' | 'role' | 'trouble' | 'site';

interface Props {
  space: Space;
  colour: Colour;
  /** Subnets to light: where there is room. */
  lit: string[];
  onWindow: (window: string) => void;
}

/** Prefix levels below each other, each half of the one above; wheel, click and keys go deeper and back. */
export function Levels({ space, colour, lit, onWindow }: Props) {
  const [box, width] = useWidth();
  const svg = useRef<SVGSVGElement>(null);
  const [cursor, setCursor] = useState<Place | null>(null);
  const [under, setUnder] = useState<Place | null>(null);
  const window = subnet(space.window);
  const { levels, longest } = space;
  const wide = Math.max(200, width - LEFT - 2);
  const at = under ?? cursor;

  const placeOf = (event: { clientX: number; clientY: number }): Place | null => {
    const frame = svg.current?.getBoundingClientRect();
    if (!frame) return null;
    const level = Math.floor((event.clientY - frame.top) / ROW);
    const part = (event.clientX - frame.left - LEFT) / wide;
    if (level < 0 || level >= levels.length || part < 0 || part >= 1) return null;
    return { level, number: Math.floor(part * 2 ** level) };
  };
  useEffect(() => {
    const element = svg.current;
    if (!element || !window) return;
    let rest = 0;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      rest += event.deltaY;
      if (Math.abs(rest) < 40) return;
      const place = placeOf(event) ?? { level: 0, number: 0 };
      const bottom = {
        level: levels.length - 1,
        number: place.number * 2 ** (levels.length - 1 - place.level),
      };
      if (rest < 0) onWindow(deeper(window, bottom, longest));
      else if (space.above) onWindow(space.above);
      rest = 0;
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  });
  if (!window) return null;

  const go = (place: Place) => {
    const deepest = window.prefix + place.level > longest;
    if (place.level > 0 && !deepest) onWindow(deeper(window, place, longest, place.level));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    setUnder(null);
    const from = cursor ?? { level: 0, number: 0 };
    const next = stepped(from, event.key, levels.length);
    const act: Record<string, () => void> = {
      Enter: () => go(from),
      '+': () => onWindow(deeper(window, from, longest)),
      '=': () => onWindow(deeper(window, from, longest)),
      '-': () => space.above && onWindow(space.above),
      Backspace: () => space.above && onWindow(space.above),
      PageUp: () => onWindow(beside(window, -1)),
      PageDown: () => onWindow(beside(window, 1)),
    };
    if (next) setCursor(next);
    else if (event.key === 'ArrowUp' && space.above) onWindow(space.above);
    else if (act[event.key]) act[event.key]?.();
    else if (!event.key.startsWith('Arrow')) return;
    event.preventDefault();
  };
  return (
    <div ref={box} className={`card ${styles.levels}`}>
      <svg
        ref={svg}
        width={width}
        height={levels.length * ROW + 2}
        role="application"
        aria-label={`Address space ${space.window} by prefix levels. Arrows walk the cells, Enter goes deeper, minus back`}
        aria-describedby="space-at"
        tabIndex={0}
        onKeyDown={onKeyDown}
        onMouseMove={(event) => setUnder(placeOf(event))}
        onMouseLeave={() => setUnder(null)}
        onClick={(event: MouseEvent) => {
          const place = placeOf(event);
          if (place) go(place);
        }}
      >
        <defs>
          <pattern
            id="clash"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <path d="M0 0V6" stroke={colour === 'trouble' ? 'var(--panel)' : 'var(--stop)'} strokeWidth="3" />
          </pattern>
        </defs>
        {levels.map((level, row) => (
          <Row key={level.prefix} level={level} row={row} wide={wide} colour={colour} />
        ))}
        <Segments space={space} window={window} wide={wide} colour={colour} />
        <Blocks space={space} window={window} wide={wide} />
        {lit.map((text) => {
          const where = rectOf(window, subnet(text), levels.length, wide);
          return (
            where && (
              <rect
                key={text}
                {...where}
                data-lit={text}
                fill="var(--accent)"
                fillOpacity={0.3}
                stroke="var(--accent)"
                strokeWidth={2}
              />
            )
          );
        })}
        {at && (
          <rect
            x={LEFT + (at.number / 2 ** at.level) * wide}
            y={at.level * ROW + 1}
            width={Math.max(3, wide / 2 ** at.level)}
            height={ROW - 4}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={2}
            pointerEvents="none"
          />
        )}
      </svg>
      <div id="space-at" className={styles.at} role="status">
        {at ? wordsOf(space, at) : 'Point at a cell, or walk with the arrows'}
      </div>
    </div>
  );
}

function rectOf(window: Net, net: Net | undefined, levels: number, wide: number) {
  const cells = net && cellsOf(window, net, levels);
  if (!net || !cells) return null;
  const { level, from, to } = cells;
  const count = 2 ** level;
  const size = window.last - window.first + 1n;
  // below the lowest level a subnet is only a part of its cell
  const exact = net.prefix - window.prefix > level;
  const x = exact ? (Number(net.first - window.first) / Number(size)) * wide : (from / count) * wide;
  const length = exact
    ? (Number(net.last - net.first + 1n) / Number(size)) * wide
    : ((to - from + 1) / count) * wide;
  return { x: LEFT + x + 0.5, y: level * ROW + 2, width: Math.max(2, length - 1), height: ROW - 6 };
}

function Row(props: { level: Space['levels'][number]; row: number; wide: number; colour: Colour }) {
  const { level, row, wide, colour } = props;
  const count = 2 ** row;
  const cell = wide / count;
  return (
    <g>
      <text x={LEFT - 8} y={row * ROW + 22} textAnchor="end" className={styles.prefix}>
        /{level.prefix}
      </text>
      <rect
        x={LEFT}
        y={row * ROW + 1}
        width={wide}
        height={ROW - 4}
        fill="var(--track)"
        stroke="var(--line)"
      />
      {cell > 7 && (
        <path
          d={Array.from(
            { length: count - 1 },
            (_, n) => `M${LEFT + (n + 1) * cell} ${row * ROW + 1}v${ROW - 4}`,
          ).join('')}
          stroke="var(--line)"
        />
      )}
      {level.cells.map(({ number, used, stops, warns }) => (
        <rect
          key={number}
          data-cell={number}
          x={LEFT + number * cell + (cell > 4 ? 0.5 : 0)}
          y={row * ROW + 1 + (ROW - 4) * (1 - Math.max(used, 0.06))}
          width={Math.max(1, cell - (cell > 4 ? 1 : 0))}
          height={(ROW - 4) * Math.max(used, 0.06)}
          fill={
            colour === 'trouble'
              ? stops
                ? 'var(--stop)'
                : warns
                  ? 'var(--warn)'
                  : 'var(--clear)'
              : 'var(--primary)'
          }
          fillOpacity={colour === 'trouble' ? 0.5 : 0.28}
        />
      ))}
    </g>
  );
}

function Segments({
  space,
  window,
  wide,
  colour,
}: {
  space: Space;
  window: Net;
  wide: number;
  colour: Colour;
}) {
  const lanes = lanesOf(
    space.segments.map((placed) => rectOf(window, subnet(placed.subnet), space.levels.length, wide)),
  );
  return space.segments.map((placed, place) => {
    const where = lanes[place];
    if (!where) return null;
    const fill = {
      full: 'var(--primary)',
      role: ROLES[placed.role].hue,
      site: hueOf(`${placed.customer}/${placed.site}`),
      trouble: placed.worst ? `var(--${placed.worst})` : 'var(--clear)',
    }[colour];
    const words = [`${placed.site} ${placed.label}`, placed.site, ROLES[placed.role].mark].find(
      (text) => text.length * 7 + 6 < where.width && where.height > 11,
    );
    return (
      <g key={`${placed.customer}/${placed.site}${placed.path}${placed.subnet}`} data-placed={placed.subnet}>
        <rect {...where} fill={fill} fillOpacity={0.88} />
        {placed.shared && <rect {...where} fill="url(#clash)" data-shared />}
        {words && (
          <text
            x={where.x + 4}
            y={where.y + where.height / 2 + 4}
            className={styles.word}
            data-on={colour === 'role' || colour === 'site' ? 'hue' : 'tone'}
          >
            {words}
          </text>
        )}
      </g>
    );
  });
}

function Blocks({ space, window, wide }: { space: Space; window: Net; wide: number }) {
  const placed = space.blocks.flatMap(({ network, customer }) => {
    const net = subnet(network);
    const where = rectOf(window, net, space.levels.length, wide);
    return where && net && net.prefix >= window.prefix ? [{ network, customer, where }] : [];
  });
  return placed.map(({ network, customer, where }) => {
    const right = placed
      .filter((other) => other.where.y === where.y && other.where.x > where.x)
      .reduce((least, other) => Math.min(least, other.where.x), LEFT + wide);
    return (
      <g key={customer + network} pointerEvents="none">
        <rect {...where} fill="none" stroke="var(--accent)" strokeWidth={1.5} strokeDasharray="5 3" />
        <title>{`${network}, block of ${customer}`}</title>
        {right - where.x > customer.length * 7 + 6 && (
          <text x={where.x + 4} y={where.y + 12} className={styles.block}>
            {customer}
          </text>
        )}
      </g>
    );
  });
}
