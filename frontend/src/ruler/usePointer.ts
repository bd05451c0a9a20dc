import { useRef, useState, type PointerEvent } from 'react';
import { valueAt, type Scale } from './geometry';
import type { Mark } from './marks';
import type { Gripping } from './useGrip';
import type { Handling } from './useHandling';

/** So many pixels may a pointer slip before it counts as a drag. */
const SLACK = 3;

interface Reach {
  marks: Mark[];
  scale: Scale;
  gripping: Gripping;
  handling: Handling | null;
  place: (event: { clientX: number }) => number;
  markOf: (target: EventTarget) => Mark | undefined;
  /** The mark that is nearest to the pointer. */
  markAt: (event: { target: EventTarget; clientX: number; clientY: number }) => Mark | undefined;
  toggle: (mark: Mark) => void;
  choose: (names: ReadonlySet<string>) => void;
  focusOn: (name: string) => void;
}

/** The pointer on a ruler: marks are dragged, hosts chosen by drawing around them, free addresses pointed at. */
export function usePointer(reach: Reach) {
  const { marks, scale, gripping, handling, place, markOf, markAt, toggle, choose, focusOn } = reach;
  const { grip, take, go, release } = gripping;
  const begun = useRef<{ x: number; value: bigint } | null>(null);
  const [marquee, setMarquee] = useState<[number, number] | null>(null);
  const giveUp = () => {
    begun.current = null;
    setMarquee(null);
  };
  const drag = (now: NonNullable<typeof grip.current>, event: PointerEvent) => {
    const step = ((event.clientX - now.x) / scale.width) * scale.size;
    if (!now.moved && Math.abs(event.clientX - now.x) < SLACK) return;
    now.x = event.clientX;
    now.travelled += event.altKey ? step / 8 : step;
    go(BigInt(Math.round(now.travelled)));
  };
  const hostsWithin = (drawn: [number, number]) => {
    const [a = 0n, b = 0n] = [...drawn].sort((p, q) => p - q).map((x) => valueAt(scale, x));
    return marks.filter(({ kind, span }) => kind === 'host' && span.first >= a && span.first <= b);
  };
  const pointer = {
    onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
      if (event.button !== 0 || !handling) return;
      release(true);
      const mark = markAt(event);
      event.currentTarget.setPointerCapture(event.pointerId);
      if (mark && event.shiftKey && mark.kind === 'host') toggle(mark);
      else if (mark) take(mark, event.clientX);
      else begun.current = { x: place(event), value: valueAt(scale, place(event)) };
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      if (grip.current) drag(grip.current, event);
      else if (begun.current) {
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
      if (marquee) choose(new Set(hostsWithin(marquee).map((mark) => mark.id)));
      else if (begun.current && handling) {
        choose(new Set());
        handling.place(begun.current.value, { x: event.clientX, y: event.clientY });
      }
      giveUp();
    },
    onPointerCancel: () => {
      giveUp();
      release(false);
    },
    onDoubleClick: (event: { clientX: number; clientY: number }) => {
      // while the pointer is captured, the drawing as a whole is what was clicked
      const under = document.elementFromPoint(event.clientX, event.clientY);
      const mark = under && markOf(under);
      if (mark && handling) handling.type(mark, { x: event.clientX, y: event.clientY });
    },
  };
  return { pointer, marquee, giveUp };
}
