import { describe, expect, test } from 'vitest';
import { isDay } from './DayInput';
import { away, count, dated, deskPath, lease, moment } from './words';

describe('words', () => {
  test('dates carry their weekday', () => {
    expect(dated('2027-03-04')).toBe('Thu 2027-03-04');
    expect(dated('2026-11-24')).toBe('Tue 2026-11-24');
  });

  test.each([
    ['2026-11-24', 'today'],
    ['2026-11-25', 'in 1 day'],
    ['2026-12-03', 'in 9 days'],
    ['2026-11-22', '2 days ago'],
    ['2027-03-29', 'in 125 days'],
  ])('%s is %s', (date, words) => {
    expect(away(date, '2026-11-24')).toBe(words);
  });

  test('numbers agree with their nouns', () => {
    expect([count(1, 'stop'), count(0, 'stop'), count(1016n, 'address', 'addresses')]).toEqual([
      '1 stop',
      '0 stops',
      '1,016 addresses',
    ]);
  });

  test.each([
    [null, ''],
    [86_400, '1d'],
    [28_800, '8h'],
    [90, '90'],
    [5_400, '90m'],
  ])('a lease of %s is %s', (seconds, words) => {
    expect(lease(seconds)).toBe(words);
  });

  test('a moment of another day has its date, and today only when asked for', () => {
    expect(moment('2020-02-03T12:30:00')).toBe('Mon 2020-02-03 12:30');
    const now = new Date().toISOString();
    expect(moment(now)).toMatch(/^\d\d:\d\d$/);
    expect(moment(now, true)).toMatch(/^\w{3} \d{4}-\d\d-\d\d \d\d:\d\d$/);
  });

  test('codes with spaces and signs make safe addresses', () => {
    expect(deskPath({ customer: 'A&B', site: 'No 1?' }, 'clearance')).toBe(
      '/sites/A%26B/No%201%3F/clearance',
    );
  });
});

test.each([
  ['2027-03-04', true],
  ['2027-02-30', false],
  ['04.03.2027', false],
  ['2027-3-4', false],
  ['', false],
])('%s is a day: %s', (text, expected) => {
  expect(isDay(text)).toBe(expected);
});
