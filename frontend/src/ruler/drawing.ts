import { scaleOf, x, type Scale, type SegmentPicture, type Window } from './geometry';

/** Where the band of a ruler is in its drawing, in pixels. */
export const TOP = 50;
export const HEIGHT = 20;
export const BOTTOM = TOP + HEIGHT;

/** A ruler as it is drawn: what is in view, and where on the drawing an address is. */
export interface Drawing {
  /** What its parts are called in the page. */
  id: string;
  hue: string;
  picture: SegmentPicture;
  scale: Scale;
  /** The width of one address. */
  letter: number;
  visible: (value: bigint) => boolean;
  middle: (value: bigint) => number;
  /** The part of a run that is in view, at least wide enough to be seen. */
  between: (span: { first: bigint; last: bigint }) => { left: number; wide: number } | null;
}

export function drawingOf(
  id: string,
  hue: string,
  picture: SegmentPicture,
  window: Window | null,
  width: number,
): Drawing {
  const view = window ? { first: window.first, last: window.first + window.size - 1n } : picture.net;
  const scale = scaleOf(
    { family: picture.net.family, ...view },
    14,
    Math.max(200, width - 28),
    window?.shift,
  );
  const letter = scale.width / scale.size;
  const end = scale.left + scale.width;
  return {
    id,
    hue,
    picture,
    scale,
    letter,
    visible: (value) => value >= view.first && value <= view.last + (scale.shift > 0 ? 1n : 0n),
    middle: (value) => x(scale, value) + letter / 2,
    between: (span) => {
      const left = Math.max(scale.left, x(scale, span.first));
      const right = Math.min(end, x(scale, span.last + 1n));
      return right < scale.left || left > end ? null : { left, wide: Math.max(2, right - left) };
    },
  };
}

/** A name short enough to stand on a ruler. */
export function cut(name: string): string {
  return name.length > 24 ? `${name.slice(0, 23)}…` : name;
}
