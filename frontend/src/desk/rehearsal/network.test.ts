import { expect, test } from 'vitest';
import { BOX, picture } from './network';

const space = (key: string, kind: string) => ({ key, kind, title: key });

test('the network stands in columns from the internet to who is plugged in', () => {
  const shown = picture(
    [
      space('internet', 'internet'),
      space('line', 'provider'),
      space('edge', 'box'),
      space('office', 'place'),
    ],
    [
      ['line', 'internet'],
      ['edge', 'line'],
      ['edge', 'office'],
      ['edge', 'client'],
    ],
  );
  const xs = shown.spots.map((spot) => spot.x);
  expect([...xs].sort((a, b) => a - b)).toEqual(xs);
  expect(new Set(xs).size).toBe(4);
  expect(shown.lines.map(([a, b]) => `${a.space.key} ${b.space.key}`)).toEqual([
    'internet line',
    'line edge',
    'edge office',
  ]);
});

test('nobody stands on somebody else, however many there are', () => {
  const many = Array.from({ length: 40 }, (_, n) => space(`s${n}`, n % 3 ? 'place' : 'box'));
  const { spots, height } = picture(many, []);
  for (const one of spots) {
    expect(one.y).toBeGreaterThanOrEqual(0);
    expect(one.y + BOX.height).toBeLessThanOrEqual(height + 1);
    const near = spots.filter((other) => other !== one && other.x === one.x);
    expect(near.every((other) => Math.abs(other.y - one.y) >= BOX.height)).toBe(true);
  }
});
