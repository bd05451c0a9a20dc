import { useEffect, useRef } from 'react';

/**
 * Keys of a page. `act` is told what was pressed (`j`, `/`, `ctrl+z`, `ctrl+shift+z`) and says whether it did
 * something about it. Whoever types into a field or answers a dialog is left alone.
 */
export function useKeys(act: (pressed: string) => boolean) {
  const latest = useRef(act);
  useEffect(() => {
    latest.current = act;
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      const busy =
        event.target instanceof Element && event.target.closest('input, textarea, select, [role=dialog]');
      if (busy || event.altKey) return;
      const held = event.ctrlKey || event.metaKey ? `ctrl+${event.shiftKey ? 'shift+' : ''}` : '';
      if (latest.current(held + event.key.toLowerCase())) event.preventDefault();
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);
}
