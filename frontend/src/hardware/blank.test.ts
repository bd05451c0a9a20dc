import { expect, test } from 'vitest';
import { keyOf } from './blank';

test.each([
  ['Skerry', 'F7', 'skerry-f7'],
  ['Tallow & Reed', 'R 910', 'tallow-reed-r-910'],
  [' -x', '/2', 'x-2'],
  ['', '', ''],
])('the key of %s %s is %s', (maker, model, key) => {
  expect(keyOf(maker, model)).toBe(key);
});
