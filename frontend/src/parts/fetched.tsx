import { createContext, use, useEffect, useState, type ComponentType } from 'react';

/** Is told when a part that was fetched has been drawn. */
export const DrawnContext = createContext<(() => void) | null>(null);

/** A part that is fetched when it is needed first. Not by Suspense, which shows what has come only 300 ms after it was
 * asked for. A part that cannot be fetched fails like one that cannot be drawn. */
export function fetched<Props extends object>(load: () => Promise<ComponentType<Props>>) {
  let come: ComponentType<Props> | undefined;
  return function Fetched(props: Props) {
    const [Part, show] = useState(() => come);
    const drawn = use(DrawnContext);
    useEffect(() => {
      if (Part) return;
      load().then(
        (part) => {
          come = part;
          show(() => part);
        },
        (error: unknown) =>
          show(() => {
            throw error;
          }),
      );
    }, [Part]);
    useEffect(() => {
      if (Part) drawn?.();
    }, [Part, drawn]);
    return Part ? <Part {...props} /> : <div aria-busy="true" />;
  };
}
