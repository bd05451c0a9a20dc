import { describe, expect, test } from 'vitest';
import type { Run, Step } from '../../api/client';
import { firstOpen, groups, initials, settled, stepAway } from './sheet';

const step = (key: string, group: string, result?: 'done' | 'skipped' | 'failed', touched = false) =>
  ({ key, group, tick: result ? { result, touched } : null }) as Step;

const run = (...steps: Step[]) => ({ steps }) as Run;

describe('the run sheet', () => {
  test('a step is settled when it is done or skipped and the plan still asks the same', () => {
    expect(['done', 'skipped', 'failed'].map((r) => settled(step('a', 'g', r as 'done')))).toEqual([
      true,
      true,
      false,
    ]);
    expect(settled(step('a', 'g', 'done', true))).toBe(false);
    expect(settled(step('a', 'g'))).toBe(false);
  });

  test('work goes on at the first open step', () => {
    expect(firstOpen(run(step('a', 'g', 'done'), step('b', 'g', 'failed'), step('c', 'g')))).toBe('b');
    expect(firstOpen(run(step('a', 'g', 'done')))).toBe('a');
    expect(firstOpen(run())).toBe('');
  });

  test('next and back stop at the ends', () => {
    const sheet = run(step('a', 'g'), step('b', 'g'));
    expect([stepAway(sheet, 'a', -1), stepAway(sheet, 'a', 1), stepAway(sheet, 'b', 1)]).toEqual([
      'a',
      'b',
      'b',
    ]);
  });

  test('steps stand under their groups with their numbers', () => {
    const found = groups(run(step('a', 'x'), step('b', 'x'), step('c', 'y')));
    expect(found.map((g) => [g.group, g.steps.map((s) => s.number)])).toEqual([
      ['x', [1, 2]],
      ['y', [3]],
    ]);
  });

  test('initials', () => {
    expect(initials('Ines Aldering')).toBe('IA');
  });
});
