import { expect, test } from 'vitest';
import { partsOfStep, portions, secretsIn, textOf, toldBy } from './lines';
import type { WrittenLine } from './queries';

const piece = (text: string, secret = '', quote = '') => ({
  text,
  path: '',
  what: '',
  secret,
  quote,
  escape: quote === "'" ? quote : '\\',
  unknown: false,
});
const line = (part: WrittenLine['part'], ...pieces: WrittenLine['pieces']): WrittenLine => ({
  part,
  pieces,
  loses: false,
});

test('a secret takes the place of its mark, quoted as the box wants it', () => {
  const told = line('access', piece('word '), piece('<<devices/edge/admin>>', 'devices/edge/admin', '"'));
  expect(textOf(told)).toBe('word <<devices/edge/admin>>');
  expect(secretsIn([told, told])).toEqual(['devices/edge/admin']);
  expect(toldBy(told, { 'devices/edge/admin': 'a"b\\c' })).toBe('word "a\\"b\\\\c"');
  expect(toldBy(told, {})).toBe(textOf(told));
  const doubled = line('access', piece('<<a>>', 'a', "'"));
  expect(toldBy(doubled, { a: "it's" })).toBe("'it''s'");
});

test('portions hold as many lines as a console takes, and never two parts', () => {
  const lines = [...Array.from({ length: 5 }, () => line('rules', piece('x'))), line('save', piece('y'))];
  expect(portions(lines, 3).map((one) => one.length)).toEqual([3, 2, 1]);
});

test('the line with which the laptop loses the box ends a portion', () => {
  const lines = [line('inside'), { ...line('inside'), loses: true }, line('inside')];
  expect(portions(lines, 9).map((one) => one.length)).toEqual([2, 1]);
});

test('steps know their parts', () => {
  expect(partsOfStep('segment-abcd')).toEqual(['inside', 'scopes']);
  expect(partsOfStep('unpack')).toEqual([]);
});
