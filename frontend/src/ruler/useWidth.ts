import { useEffect, useRef, useState } from 'react';

/** The width of an element, followed as it changes. */
export function useWidth() {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(724);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [box, width] as const;
}
