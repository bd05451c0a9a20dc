import { createContext, useContext, type ReactNode } from 'react';
import type { Segment } from '../api/client';
import { BOTTOM, TOP } from './drawing';
import type { SegmentPicture } from './geometry';
import { said, type Mark } from './marks';
import styles from './ruler.module.css';

/** What all marks of a ruler share. */
export interface Held {
  marks: ReadonlyMap<string, Mark>;
  segment: Segment;
  picture: SegmentPicture;
  fixed: boolean;
  moving: readonly string[];
  chosen: ReadonlySet<string>;
  changed: ReadonlySet<string> | undefined;
  onLight: (path: string | null) => void;
  onFocus: (name: string) => void;
}

export const Holding = createContext<Held | null>(null);

/** Something that can be taken hold of: by the pointer, or by Tab and arrows. */
export function Hold(props: { name: string; tab?: boolean; children: ReactNode }) {
  const { name, tab = true, children } = props;
  const held = useContext(Holding);
  const mark = held?.marks.get(name);
  if (!held || !mark) return children;
  const { segment, picture, fixed, onLight, onFocus } = held;
  const chosen = held.chosen.has(name);
  const path = mark.kind === 'host' ? mark.path.replace(/\/address$/, '') : null;
  const first = picture.net.first;
  return (
    <g
      role="slider"
      tabIndex={tab ? 0 : -1}
      data-mark={mark.id}
      aria-readonly={fixed}
      data-moving={held.moving.includes(name)}
      data-changed={held.changed?.has(name) ?? false}
      className={`${styles.hold} ${mark.end ? styles.edge : ''}`}
      aria-label={`${said({ ...mark, span: mark.span }, segment).split(' at ')[0]} in ${segment.label}${chosen ? ', chosen' : ''}`}
      aria-valuemin={0}
      aria-valuemax={Number(picture.net.last - first)}
      aria-valuenow={Number(mark.span.first - first)}
      aria-valuetext={said(mark, segment)}
      onMouseEnter={() => path && onLight(path)}
      onMouseLeave={() => path && onLight(null)}
      onFocus={() => {
        onFocus(name);
        if (path) onLight(path);
      }}
      onBlur={() => path && onLight(null)}
    >
      {children}
    </g>
  );
}

/** One end of a run, which can be taken hold of. */
export function Edge(props: { name: string; at: number; colour: string; top?: number; bottom?: number }) {
  const { name, at, colour, top = TOP, bottom = BOTTOM } = props;
  return (
    <Hold name={name}>
      <path d={`M${at} ${top}V${bottom}`} stroke={colour} strokeWidth={2} />
      <rect x={at - 5} y={top} width={10} height={bottom - top} fill="transparent" />
    </Hold>
  );
}
