import type { Question } from './queries';

const WORDS = { open: 'open', given: 'given', confirmed: 'confirmed', departed: 'departed from' } as const;

/** How far an answer is: an empty, a half and a filled gauge; a broken one when the plan departs from it. */
export function AnswerMark({ state }: { state: Question['state'] }) {
  const colour = {
    open: 'var(--warn)',
    given: 'var(--note)',
    confirmed: 'var(--clear)',
    departed: 'var(--stop)',
  }[state];
  const level = { open: 0, given: 5, confirmed: 10, departed: 10 }[state];
  return (
    <svg width="10" height="14" viewBox="0 0 10 14" role="img" aria-label={WORDS[state]}>
      <rect x="1" y="1" width="8" height="12" fill="none" stroke={colour} strokeWidth="1.5" />
      <rect x="2.5" y={12 - level} width="5" height={Math.max(0, level - 0.5)} fill={colour} />
      {state === 'departed' && <path d="M0 9L10 4" stroke="var(--panel)" strokeWidth="2.4" />}
    </svg>
  );
}
