import styles from './text.module.css';

/** Two values under each other, what is different in them marked character by character. */
export function Digits({ planned, seen }: { planned: string; seen: string }) {
  const first = sameFrom(planned, seen);
  const last = sameFrom(
    [...planned.slice(first)].reverse().join(''),
    [...seen.slice(first)].reverse().join(''),
  );
  const cut = (text: string) => (
    <span className="mono">
      {text.slice(0, first)}
      <b className={styles.digit}>{text.slice(first, text.length - last)}</b>
      {text.slice(text.length - last)}
    </span>
  );
  return (
    <dl className={styles.digits}>
      <dt className="quiet">planned</dt>
      <dd>{cut(planned)}</dd>
      <dt className="quiet">seen</dt>
      <dd>{cut(seen)}</dd>
    </dl>
  );
}

/** How many characters two texts begin with alike. */
function sameFrom(one: string, other: string): number {
  let at = 0;
  while (at < one.length && at < other.length && one[at] === other[at]) at += 1;
  return at;
}
