import {
  useEffect,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type PointerEvent,
  type RefObject,
} from 'react';
import type { Host, Operation, Segment } from '../api/client';
import { usable } from './addresses';
import { panned, valueAt, zoomed, type Scale, type SegmentPicture, type Window } from './geometry';
import { boundary, held, marksOf, moved, taken, type Mark } from './marks';

/** What a ruler does with the changes made on it. Nothing is saved until `keep`. */
export interface Handling {
  show: (operations: Operation[]) => void;
  keep: (operations: Operation[]) => void;
  drop: () => void;
  /** A free address was pointed out: ask what goes there. */
  place: (value: bigint, at: { x: number; y: number }) => void;
  /** A mark is to be given a typed value. */
  type: (mark: Mark, at: { x: number; y: number }) => void;
}

interface Grip {
  marks: Mark[];
  segment: Segment;
  delta: bigint;
  /** Where the pointer is on its way, in addresses; not used for keys. */
  travelled: number;
  x: number;
  moved: boolean;
}

const SLACK = 3;
const PAUSE = 700;

/** Pointer and keys on a ruler: moving marks, choosing several hosts, pointing at free addresses, zooming. */
export function useHandling(
  id: string,
  segment: Segment,
  hosts: [string, Host][],
  picture: SegmentPicture,
  scale: Scale,
  svg: RefObject<SVGSVGElement | null>,
  handling: Handling | null,
  [window, setWindow]: [Window | null, (window: Window | null) => void],
) {
  const { net } = picture;
  const marks = useMemo(() => marksOf(id, segment, hosts), [id, segment, hosts]);
  const grip = useRef<Grip | null>(null);
  const pause = useRef(0);
  const begun = useRef<{ x: number; value: bigint } | null>(null);
  const [active, setActive] = useState<{ ids: string[]; at: bigint } | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [cursor, setCursor] = useState<bigint | null>(null);
  const [marquee, setMarquee] = useState<[number, number] | null>(null);

  const take = (mark: Mark, x = 0) => {
    const together = chosen.has(mark.id) ? marks.filter(({ id: other }) => chosen.has(other)) : [mark];
    grip.current = { marks: together, segment, delta: 0n, travelled: 0, x, moved: false };
  };
  const operations = ({ marks: gripped, segment: base, delta }: Grip) => moved(id, base, gripped, delta);
  const go = (delta: bigint) => {
    const now = grip.current;
    if (!now || !handling) return;
    const allowed = held(now.segment, now.marks, delta);
    const first = now.marks[0];
    if (first) setActive({ ids: now.marks.map((mark) => mark.id), at: first.span.first + allowed });
    if (allowed === now.delta) return;
    now.delta = allowed;
    now.moved = true;
    handling.show(operations(now));
  };
  const release = (save: boolean) => {
    globalThis.clearTimeout(pause.current);
    pause.current = 0;
    const now = grip.current;
    grip.current = null;
    setActive(null);
    if (!now?.moved || !handling) return;
    if (save && now.delta !== 0n) handling.keep(operations(now));
    else handling.drop();
  };
  useEffect(() => () => globalThis.clearTimeout(pause.current), []);

  /** Where a point of the window is on the drawing. */
  const place = (event: { clientX: number }) =>
    event.clientX - (svg.current?.getBoundingClientRect().left ?? 0);
  const where = (value: bigint) => {
    const box = svg.current?.getBoundingClientRect();
    const part = (Number(value - scale.first) + 0.5) / scale.size;
    return { x: (box?.left ?? 0) + scale.left + part * scale.width, y: (box?.top ?? 0) + 74 };
  };
  const markOf = (target: EventTarget) => {
    const name = target instanceof Element && target.closest<SVGElement>('[data-mark]')?.dataset.mark;
    return name ? marks.find((mark) => mark.id === name) : undefined;
  };

  const pointer = {
    onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
      if (event.button !== 0 || !handling) return;
      release(true);
      const mark = markOf(event.target);
      event.currentTarget.setPointerCapture(event.pointerId);
      if (mark && event.shiftKey && mark.kind === 'host') {
        toggle(mark);
        return;
      }
      if (mark) take(mark, event.clientX);
      else begun.current = { x: place(event), value: valueAt(scale, place(event)) };
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      const now = grip.current;
      if (now) {
        const step = ((event.clientX - now.x) / scale.width) * scale.size;
        if (!now.moved && Math.abs(event.clientX - now.x) < SLACK) return;
        now.x = event.clientX;
        now.travelled += event.altKey ? step / 8 : step;
        go(BigInt(Math.round(now.travelled)));
      } else if (begun.current) {
        const x = place(event);
        if (marquee || Math.abs(x - begun.current.x) > SLACK) setMarquee([begun.current.x, x]);
      }
    },
    onPointerUp: (event: PointerEvent<SVGSVGElement>) => {
      if (grip.current) {
        const [only] = grip.current.marks;
        if (!grip.current.moved && only) focusOn(only.id);
        release(true);
      }
      if (marquee) {
        const [a, b] = [...marquee].sort((p, q) => p - q).map((x) => valueAt(scale, x));
        const inside = marks.filter(
          ({ kind, span }) => kind === 'host' && span.first >= (a ?? 0n) && span.first <= (b ?? 0n),
        );
        setChosen(new Set(inside.map((mark) => mark.id)));
        setMarquee(null);
      } else if (begun.current && handling) {
        setChosen(new Set());
        handling.place(begun.current.value, { x: event.clientX, y: event.clientY });
      }
      begun.current = null;
    },
    onPointerCancel: () => {
      begun.current = null;
      setMarquee(null);
      release(false);
    },
    onDoubleClick: (event: { clientX: number; clientY: number }) => {
      // while the pointer is captured, the drawing as a whole is what was clicked
      const under = document.elementFromPoint(event.clientX, event.clientY);
      const mark = under && markOf(under);
      if (mark && handling) handling.type(mark, { x: event.clientX, y: event.clientY });
    },
  };

  const toggle = (mark: Mark) => {
    const next = new Set(chosen);
    if (!next.delete(mark.id)) next.add(mark.id);
    setChosen(next);
  };
  const focusOn = (name: string) =>
    svg.current?.querySelector<SVGElement>(`[data-mark="${CSS.escape(name)}"]`)?.focus();
  const step = tickStep(scale.size);

  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const mark = markOf(event.target);
    const arrow = { ArrowRight: 1n, ArrowUp: 1n, ArrowLeft: -1n, ArrowDown: -1n }[event.key];
    const done = () => {
      event.preventDefault();
      event.stopPropagation();
    };
    if (event.key === 'Escape' && (grip.current || marquee || chosen.size || window)) {
      done();
      begun.current = null;
      setMarquee(null);
      if (grip.current) release(false);
      else if (chosen.size) setChosen(new Set());
      else setWindow(null);
    } else if (['+', '=', '-', '0'].includes(event.key)) {
      done();
      const at = mark?.span.first ?? cursor ?? scale.first + BigInt(Math.floor(scale.size / 2));
      setWindow(event.key === '0' ? null : zoomed(net, window, at, event.key !== '-', true));
    } else if (!handling) {
      return;
    } else if (mark && arrow !== undefined) {
      done();
      const now = grip.current?.marks.some(({ id: other }) => other === mark.id) ? grip.current : null;
      if (!now) take(mark);
      const delta = grip.current?.delta ?? 0n;
      const base = grip.current?.marks.find(({ id: other }) => other === mark.id)?.span ?? mark.span;
      const from = base.first + delta;
      go(delta + (event.shiftKey ? boundary(net, step, from, arrow > 0n) : arrow));
      globalThis.clearTimeout(pause.current);
      pause.current = globalThis.setTimeout(() => release(true), PAUSE) as unknown as number;
    } else if (mark && event.key === 'Enter') {
      done();
      release(true);
      handling.type(mark, where(mark.span.first));
    } else if (mark && (event.key === 'Delete' || event.key === 'Backspace')) {
      done();
      handling.keep(taken(id, segment, mark));
    } else if (mark?.kind === 'host' && event.key === ' ') {
      done();
      toggle(mark);
    } else if (mark?.kind === 'host' && (event.key === 'n' || event.key === 'p')) {
      done();
      const others = marks.filter(({ kind }) => kind === 'host');
      const next = others[others.indexOf(mark) + (event.key === 'n' ? 1 : -1)];
      if (next) focusOn(next.id);
    } else if (!mark && (arrow !== undefined || event.key === 'Home' || event.key === 'End')) {
      done();
      const room = usable(net);
      const from = cursor ?? room.first;
      let next = event.key === 'Home' ? room.first : event.key === 'End' ? room.last : from;
      if (arrow !== undefined && cursor !== null)
        next = from + (event.shiftKey ? boundary(net, step, from, arrow > 0n) : arrow);
      next = next < net.first ? net.first : next > net.last ? net.last : next;
      setCursor(next);
      if (window && (next < window.first || next >= window.first + window.size))
        setWindow(panned(net, { ...window, first: next - window.size / 2n }, 0n));
    } else if (!mark && event.key === 'Enter' && cursor !== null) {
      done();
      handling.place(cursor, where(cursor));
    }
  };

  const onBlur = () => {
    setCursor(null);
    if (pause.current) release(true);
  };
  return { marks, active, chosen, setChosen, cursor, marquee, pointer, onKeyDown, onBlur };
}

/** The distance of natural boundaries in a view of so many addresses: an eighth of it. */
export function tickStep(size: number): bigint {
  return BigInt(Math.max(1, size / 8));
}
