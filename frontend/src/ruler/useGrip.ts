import { useEffect, useRef, useState } from 'react';
import type { Operation, Segment } from '../api/client';
import { held, moved, type Mark } from './marks';
import type { Handling } from './useHandling';

/** What is held at this moment, and how far it has gone. */
export interface Grip {
  marks: Mark[];
  segment: Segment;
  /** What it was taken hold of in: what somebody else saves meanwhile is not overruled. */
  revision: number;
  delta: bigint;
  /** Where the pointer is on its way, in addresses; not used for keys. */
  travelled: number;
  x: number;
  moved: boolean;
}

/** A key moves by steps: what it moved is saved when no other has been pressed for this long, in milliseconds. */
const PAUSE = 700;

/** Taking hold of marks, moving them as far as they may go, and letting go: nothing is saved before that. */
export function useGrip(
  id: string,
  segment: Segment,
  marks: Mark[],
  chosen: ReadonlySet<string>,
  handling: Handling | null,
) {
  const grip = useRef<Grip | null>(null);
  const pause = useRef(0);
  const [active, setActive] = useState<{ ids: string[]; at: bigint } | null>(null);

  const take = (mark: Mark, x = 0) => {
    const together = chosen.has(mark.id) ? marks.filter(({ id: other }) => chosen.has(other)) : [mark];
    const revision = handling?.revision() ?? 0;
    grip.current = { marks: together, segment, revision, delta: 0n, travelled: 0, x, moved: false };
  };
  const operations = ({ marks: gripped, segment: base, delta }: Grip): Operation[] =>
    moved(id, base, gripped, delta);
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
    if (save && now.delta !== 0n) handling.keep(operations(now), now.revision);
    else handling.drop();
  };
  /** Let go when no further key has come for a while. */
  const releaseLater = () => {
    globalThis.clearTimeout(pause.current);
    pause.current = globalThis.setTimeout(() => release(true), PAUSE) as unknown as number;
  };
  useEffect(() => () => globalThis.clearTimeout(pause.current), []);
  return { grip, active, take, go, release, releaseLater, waits: () => pause.current !== 0 };
}

export type Gripping = ReturnType<typeof useGrip>;
