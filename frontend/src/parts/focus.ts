/**
 * Gives the focus to the first element of a selector: at once, or as soon as the page has it. Whoever does something
 * else meanwhile keeps the focus where they are.
 */
export function focusWhenThere(selector: string) {
  const focus = () => {
    const found = document.querySelector<HTMLElement>(selector);
    found?.focus();
    return found !== null;
  };
  if (focus()) return;
  const given = new AbortController();
  const watch = new MutationObserver(() => focus() && given.abort());
  given.signal.addEventListener('abort', () => watch.disconnect());
  for (const moves of ['pointerdown', 'keydown'])
    window.addEventListener(moves, () => given.abort(), { capture: true, signal: given.signal });
  watch.observe(document.body, { childList: true, subtree: true });
}
