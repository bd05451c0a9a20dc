import { useEffect, useId, useMemo, useRef, useState, type RefObject } from 'react';
import type { Host, Segment } from '../api/client';
import { BOTTOM, drawingOf, TOP, type Drawing } from './drawing';
import { Elsewhere } from './Elsewhere';
import { format } from './addresses';
import { describe, homeOf, panned, valueAt, zoomed, type SegmentPicture, type Window } from './geometry';
import { Holding } from './Hold';
import { Magnifier } from './Magnifier';
import { Overview } from './Overview';
import { Readout } from './Readout';
import { spoken } from './spoken';
import styles from './ruler.module.css';
import { Range, RangeEnds, Runs } from './Runs';
import { inView, Stems } from './Stems';
import { Together } from './Together';
import { BlockedEnds, Definitions, Gateway, Notches, Track } from './Track';
import { useHandling, type Handling } from './useHandling';
import { useWidth } from './useWidth';

/** Below this many pixels an address, what is moved is shown enlarged. */
const SMALL_STEP = 5;

interface Props {
  id: string;
  segment: Segment;
  hosts: [string, Host][];
  picture: SegmentPicture;
  hue: string;
  lit: string | null;
  onLight: (path: string | null) => void;
  /** What becomes of changes; nothing for somebody who may only look. */
  handling: Handling | null;
  /** Marks that are told apart, since they differ from something beside this ruler. */
  changed?: ReadonlySet<string>;
}

/**
 * One subnet to scale: gateway, hosts, range, runs, blocked ends, a notch where something collides; all movable. Of an
 * IPv6 subnet, which has no scale as a whole, the part that is used.
 */
export function Ruler({ id, segment, hosts, picture, hue, lit, onLight, handling, changed }: Props) {
  const [box, width] = useWidth();
  const svg = useRef<SVGSVGElement>(null);
  const [under, setUnder] = useState<bigint | null>(null);
  const [focused, setFocused] = useState<string | null>(null);
  const [zoom, setWindow] = useState<Window | null>(null);
  const window = zoom ?? homeOf(picture);
  const drawing = drawingOf(useId(), hue, picture, window, width);
  const { scale, letter } = drawing;
  const hand = useHandling(id, segment, hosts, picture, scale, svg, handling, {
    window,
    zoomed: zoom !== null,
    setWindow,
  });
  useWheel(svg, drawing, window, setWindow);
  const { active, chosen, cursor } = hand;
  const at = active?.at ?? cursor ?? under;
  const { shown, crowded } = inView(drawing);
  const marks = useMemo(() => new Map(hand.marks.map((mark) => [mark.id, mark])), [hand.marks]);
  const group = hand.marks.filter((mark) => chosen.has(mark.id));
  const held = {
    marks,
    segment,
    picture,
    chosen,
    changed,
    onLight,
    fixed: handling === null,
    moving: active?.ids ?? [],
    onFocus: setFocused,
  };
  return (
    <div
      ref={box}
      className={styles.ruler}
      role="group"
      aria-label={`${segment.label}: ${spoken(picture)}`}
      tabIndex={0}
      onKeyDown={hand.onKeyDown}
      onBlur={hand.onBlur}
    >
      <svg
        ref={svg}
        width={width}
        height={98}
        data-handled={handling !== null}
        onMouseMove={(event) =>
          setUnder(valueAt(scale, event.clientX - event.currentTarget.getBoundingClientRect().left))
        }
        onMouseLeave={() => setUnder(null)}
        {...hand.pointer}
      >
        <Definitions {...drawing} />
        <Holding value={held}>
          <g clipPath={`url(#view-${drawing.id})`}>
            <Track {...drawing} />
            <Range {...drawing} />
            <BlockedEnds {...drawing} />
            <Runs {...drawing} />
            <RangeEnds {...drawing} />
            <Gateway {...drawing} />
            <Stems drawing={drawing} marks={hand.marks} lit={lit} chosen={chosen} focused={focused} />
            <Notches {...drawing} lit={lit} />
            <Pointed drawing={drawing} cursor={cursor} marquee={hand.marquee} />
          </g>
        </Holding>
      </svg>
      {window && picture.net.family === 4 && (
        <Overview picture={picture} window={window} onPan={setWindow} width={width} />
      )}
      {window && picture.net.family === 6 && <Elsewhere picture={picture} window={window} onGo={setWindow} />}
      {at !== null && active !== null && letter < SMALL_STEP && (
        <Magnifier picture={picture} at={at} right={drawing.middle(at) < width / 2} />
      )}
      {at !== null && !(active && letter < SMALL_STEP) && <Readout picture={picture} value={at} />}
      <span className="sr" role="status">
        {cursor !== null &&
          `${format({ family: picture.net.family, value: cursor })} ${describe(picture, cursor)}`}
      </span>
      {crowded && at === null && (
        <div className={`small clip ${styles.readout}`}>
          {shown.length} fixed hosts: names on pointing, + or Ctrl and wheel to look closer
        </div>
      )}
      {group.length > 1 && handling && (
        <Together
          marks={group}
          onMove={(operations) => handling.keep(operations)}
          onShow={handling.show}
          onDrop={handling.drop}
          onLetGo={() => hand.setChosen(new Set())}
        />
      )}
    </div>
  );
}

/** The cursor of the keys, and what is drawn around hosts to choose them. */
function Pointed(props: { drawing: Drawing; cursor: bigint | null; marquee: [number, number] | null }) {
  const { drawing, cursor, marquee } = props;
  return (
    <>
      {cursor !== null && drawing.visible(cursor) && (
        <path
          d={`M${drawing.middle(cursor)} ${TOP - 6}V${BOTTOM + 6}`}
          stroke="var(--accent)"
          strokeWidth={2}
          data-cursor
        />
      )}
      {marquee && (
        <rect
          x={Math.min(...marquee)}
          y={14}
          width={Math.abs(marquee[1] - marquee[0])}
          height={BOTTOM - 8}
          fill="var(--accent)"
          fillOpacity={0.12}
          stroke="var(--accent)"
        />
      )}
    </>
  );
}

/** Looking closer by the wheel with Ctrl or Alt, along the subnet with Shift. */
function useWheel(
  svg: RefObject<SVGSVGElement | null>,
  { scale, picture: { net } }: Drawing,
  window: Window | null,
  setWindow: (window: Window | null) => void,
) {
  useEffect(() => {
    const element = svg.current;
    const wheel = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.altKey && !event.shiftKey) return;
      event.preventDefault();
      const point = event.clientX - (element?.getBoundingClientRect().left ?? 0);
      const share = Math.min(1, Math.max(0, (point - scale.left) / scale.width));
      if (!event.shiftKey) setWindow(zoomed(net, window, share, event.deltaY < 0));
      else if (window)
        setWindow(panned(net, window, (window.size / 16n) * (event.deltaY + event.deltaX > 0 ? 1n : -1n)));
    };
    element?.addEventListener('wheel', wheel, { passive: false });
    return () => element?.removeEventListener('wheel', wheel);
  });
}
