import type { Run, Step } from '../../api/client';

/** What is typed of a step's checks: answers, reasons for those that are skipped, and which the plan takes over. */
export interface Answers {
  measured: Record<string, string>;
  skips: Record<string, string>;
  take: string[];
}

/** The answers of a step as they are recorded. */
export function answersOf(step: Step): Answers {
  const recorded = Object.entries(step.tick?.measured ?? {});
  return {
    measured: Object.fromEntries(
      recorded.filter(([, one]) => one.outcome !== 'skipped').map(([key, one]) => [key, one.text]),
    ),
    skips: Object.fromEntries(
      recorded.filter(([, one]) => one.outcome === 'skipped').map(([key, one]) => [key, one.words]),
    ),
    take: [],
  };
}

/** Whether a step needs nothing more. */
export function settled(step: Step): boolean {
  return step.tick !== null && step.tick.result !== 'failed' && !step.tick.touched;
}

/** The first step that is open; the last when none is. */
export function firstOpen(run: Run): string {
  return (run.steps.find((step) => !settled(step)) ?? run.steps.at(-1))?.key ?? '';
}

/** The step that many places on, held at the ends. */
export function stepAway(run: Run, from: string, by: number): string {
  const here = run.steps.findIndex((step) => step.key === from);
  const next = Math.min(run.steps.length - 1, Math.max(0, here + by));
  return run.steps[next]?.key ?? from;
}

/** Initials of a name: Ines Aldering is IA. */
export function initials(name: string): string {
  return name
    .split(/\s+/)
    .map((word) => word[0] ?? '')
    .join('')
    .slice(0, 3);
}

/** Steps under the groups that they come in; a group may come again later. */
export function groups(run: Run): { group: string; steps: { step: Step; number: number }[] }[] {
  const found: { group: string; steps: { step: Step; number: number }[] }[] = [];
  run.steps.forEach((step, index) => {
    if (found.at(-1)?.group !== step.group) found.push({ group: step.group, steps: [] });
    found.at(-1)?.steps.push({ step, number: index + 1 });
  });
  return found;
}

/** How the laptop has its address, in words. */
export function howWords(how: string): string {
  return { fixed: 'typed in', lease: 'leased by the box', serving: 'typed in, serves DHCP' }[how] ?? '';
}
