import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type RefObject } from 'react';
import type { Host, Operation, Segment } from '../api/client';
import { usable } from './addresses';
import { TOP } from './drawing';
import { panned, x, zoomedAt, type Scale, type SegmentPicture, type Window } from './geometry';
import { boundary, marksOf, taken, type Mark } from './marks';
import { useGrip } from './useGrip';
import { usePointer } from './usePointer';

/** What a ruler does with the changes made on it. Nothing is saved until `keep`. */
export interface Handling {
  show: (operations: Operation[]) => void;
  /** Save a change that was begun on a revision, the newest unless it is given. */
  keep: (operations: Operation[], on?: number) => void;
  drop: () => void;
  /** The newest revision of the plan. */
  revision: () => number;
  /** A free address was pointed out: ask what goes there. */
  place: (value: bigint, at: { x: number; y: number }) => void;
  /** A mark is to be given a typed value. */
  type: (mark: Mark, at: { x: number; y: number }) => void;
}

/** What of a subnet is in view, whether somebody has chosen it so, and the way to another view. */
interface View {
  window: Window | null;
  zoomed: boolean;
  setWindow: (window: Window | null) => void;
}

const ARROWS: Partial<Record<string, bigint>> = {
  ArrowRight: 1n,
  ArrowUp: 1n,
  ArrowLeft: -1n,
  ArrowDown: -1n,
};

/** From so near, in pixels, a mark can be taken hold of. */
const GRASP = 6;

/** Pointer and keys on a ruler: moving marks, choosing several hosts, pointing at free addresses, zooming. */
export function useHandling(
  id: string,
  segment: Segment,
  hosts: [string, Host][],
  picture: SegmentPicture,
  scale: Scale,
  svg: RefObject<SVGSVGElement | null>,
  handling: Handling | null,
  { window, zoomed, setWindow }: View,
) {
  const { net } = picture;
  const marks = useMemo(() => marksOf(id, segment, hosts), [id, segment, hosts]);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [cursor, setCursor] = useState<bigint | null>(null);
  const sought = useRef<string | null>(null);
  const gripping = useGrip(id, segment, marks, chosen, handling);
  const { grip, take, go, release } = gripping;

  const where = (value: bigint) => {
    const box = svg.current?.getBoundingClientRect();
    const part = (Number(value - scale.first) + 0.5) / scale.size;
    return { x: (box?.left ?? 0) + scale.left + part * scale.width, y: (box?.top ?? 0) + 74 };
  };
  const markOf = (target: EventTarget) => {
    const name = target instanceof Element && target.closest<SVGElement>('[data-mark]')?.dataset.mark;
    return name ? marks.find((mark) => mark.id === name) : undefined;
  };
  const letter = scale.width / scale.size;
  /** How far from where its span begins the middle of a mark is drawn; nothing for a run that moves whole. */
  const middle = ({ kind, end }: Mark) =>
    end === 'last' ? letter : end ? 0 : kind === 'host' || kind === 'gateway' ? letter / 2 : null;
  /** The mark under the pointer: where several can be taken hold of, the one whose middle is nearest. */
  const markAt = (event: { target: EventTarget; clientX: number; clientY: number }) => {
    const drawn = markOf(event.target);
    const box = svg.current?.getBoundingClientRect();
    if (!drawn || !box || event.clientY - box.top < TOP) return drawn;
    const point = event.clientX - box.left;
    let best: [mark: Mark, away: number] = [drawn, GRASP];
    for (const mark of marks) {
      const offset = middle(mark);
      const away = offset === null ? GRASP : Math.abs(x(scale, mark.span.first) + offset - point);
      if (away < best[1]) best = [mark, away];
    }
    return best[0];
  };
  const toggle = (mark: Mark) => {
    const next = new Set(chosen);
    if (!next.delete(mark.id)) next.add(mark.id);
    setChosen(next);
  };
  const focusOn = (name: string) =>
    svg.current?.querySelector<SVGElement>(`[data-mark="${CSS.escape(name)}"]`)?.focus();
  const place = (event: { clientX: number }) =>
    event.clientX - (svg.current?.getBoundingClientRect().left ?? 0);
  const pointing = usePointer({
    ...{ marks, scale, gripping, handling, place, markOf, markAt, toggle, focusOn },
    choose: setChosen,
  });
  const step = tickStep(scale.size);

  /** What keys do whoever looks: put things back, and look closer. True when it was such a key. */
  const looking = (key: string, mark: Mark | undefined): boolean => {
    if (key === 'Escape' && (grip.current || pointing.marquee || chosen.size || zoomed)) {
      pointing.giveUp();
      if (grip.current) release(false);
      else if (chosen.size) setChosen(new Set());
      else setWindow(null);
      return true;
    }
    if (!['+', '=', '-', '0'].includes(key)) return false;
    const at = mark?.span.first ?? cursor ?? scale.first + BigInt(Math.floor(scale.size / 2));
    setWindow(key === '0' ? null : zoomedAt(net, window, at, key !== '-'));
    return true;
  };

  const moveMark = (mark: Mark, arrow: bigint, far: boolean) => {
    const mine = ({ id: other }: Mark) => other === mark.id;
    if (!grip.current?.marks.some(mine)) take(mark);
    const delta = grip.current?.delta ?? 0n;
    const from = (grip.current?.marks.find(mine)?.span ?? mark.span).first + delta;
    go(delta + (far ? boundary(net, step, from, arrow > 0n) : arrow));
    gripping.releaseLater();
  };

  /** Take a mark away; the focus goes to the one next to it, or to the ruler. */
  const remove = (mark: Mark, handling: Handling) => {
    const alike = marks.filter(({ kind, end }) => kind === mark.kind && !end && mark.kind === 'host');
    const place = alike.indexOf(mark);
    const next = alike[place + 1] ?? alike[place - 1];
    handling.keep(taken(id, segment, mark));
    if (next) focusOn(next.id);
    else svg.current?.parentElement?.focus();
  };

  /** What keys do with a mark that has the focus. True when it was such a key. */
  const onMark = (mark: Mark, { key, shiftKey }: KeyboardEvent, handling: Handling): boolean => {
    const arrow = ARROWS[key];
    if (arrow !== undefined) moveMark(mark, arrow, shiftKey);
    else if (key === 'Enter') {
      release(true);
      handling.type(mark, where(mark.span.first));
    } else if (key === 'Delete' || key === 'Backspace') remove(mark, handling);
    else if (mark.kind === 'host' && key === ' ') toggle(mark);
    else return false;
    return true;
  };

  /** To the next or last host, from a mark or from the cursor, also where it is out of view. */
  const toHost = (from: bigint | null, forward: boolean) => {
    const others = marks.filter(({ kind }) => kind === 'host');
    const beyond = ({ span }: Mark) => from === null || (forward ? span.first > from : span.first < from);
    const next = forward ? others.find(beyond) : others.findLast(beyond);
    if (!next) return;
    const { first } = next.span;
    if (!window || (first >= window.first && first < window.first + window.size)) return focusOn(next.id);
    sought.current = next.id; // it can have the focus once it is drawn
    setWindow(panned(net, { first: first - window.size / 2n, size: window.size }, 0n));
  };
  useEffect(() => {
    if (sought.current === null) return;
    focusOn(sought.current);
    sought.current = null;
  });

  const moveCursor = (key: string, arrow: bigint | undefined, far: boolean) => {
    const room = usable(net);
    const from = cursor ?? room.first;
    let next = key === 'Home' ? room.first : key === 'End' ? room.last : from;
    if (arrow !== undefined && cursor !== null)
      next = from + (far ? boundary(net, step, from, arrow > 0n) : arrow);
    next = next < net.first ? net.first : next > net.last ? net.last : next;
    setCursor(next);
    if (window && (next < window.first || next >= window.first + window.size))
      setWindow(panned(net, { ...window, first: next - window.size / 2n }, 0n));
  };

  /** What keys do where no mark has the focus. True when it was such a key. */
  const onFree = ({ key, shiftKey }: KeyboardEvent, handling: Handling): boolean => {
    const arrow = ARROWS[key];
    if (arrow !== undefined || key === 'Home' || key === 'End') moveCursor(key, arrow, shiftKey);
    else if (key === 'Enter' && cursor !== null) handling.place(cursor, where(cursor));
    else return false;
    return true;
  };

  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const mark = markOf(event.target);
    const walking = event.key === 'n' || event.key === 'p';
    if (walking) toHost(mark?.span.first ?? cursor, event.key === 'n');
    const done =
      walking ||
      looking(event.key, mark) ||
      (handling !== null && (mark ? onMark(mark, event, handling) : onFree(event, handling)));
    if (!done) return;
    event.preventDefault();
    event.stopPropagation();
  };
  const onBlur = () => {
    setCursor(null);
    if (gripping.waits()) release(true);
  };
  const { active } = gripping;
  const { pointer, marquee } = pointing;
  return { marks, active, chosen, setChosen, cursor, marquee, pointer, onKeyDown, onBlur };
}

/** The distance of natural boundaries in a view of so many addresses: an eighth of it. */
export function tickStep(size: number): bigint {
  return BigInt(Math.max(1, size / 8));
}
