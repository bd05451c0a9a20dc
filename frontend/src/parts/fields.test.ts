import { describe, expect, test } from 'vitest';
import { choiceOf, fieldOf, FIELDS, textOf } from './fields';

describe('fields of the plan', () => {
  test.each([
    ['circuits', 'prefix', { prefix: 29 }, '/29'],
    ['circuits', 'prefix', { prefix: null }, ''],
    ['circuits', 'resolvers', { resolvers: ['192.0.2.53', '192.0.2.54'] }, '192.0.2.53 192.0.2.54'],
    ['segments', 'scope/lease', { scope: { lease: 28_800 } }, '8h'],
    [
      'segments',
      'scope/options',
      { scope: { options: { 66: '10.40.8.9', 42: '192.0.2.123' } } },
      '42 192.0.2.123; 66 10.40.8.9',
    ],
    [
      'segments',
      'kept',
      { kept: [{ kind: 'printer', run: '10.40.8.200-10.40.8.219' }] },
      'printer 10.40.8.200-10.40.8.219',
    ],
    ['site', 'reach_groups', { reach_groups: [] }, '-'],
    ['site', 'reach_groups', { reach_groups: null }, ''],
    ['wireless', 'hidden', { hidden: true }, 'yes'],
  ] as const)('%s/%s of %o is written %s', (kind, name, member, text) => {
    expect(textOf(fieldOf(kind, name), member)).toBe(text);
  });

  test('a choice has a name, an unknown value none', () => {
    expect(choiceOf('circuits', 'handoff', 'pppoe')).toBe('PPPoE');
    expect(choiceOf('circuits', 'handoff', null)).toBeUndefined();
  });

  test('a field that is not there is a fault of the page', () => {
    expect(() => fieldOf('hosts', 'colour')).toThrow('hosts/colour');
  });

  test('every kind of member has fields', () => {
    for (const fields of Object.values(FIELDS)) expect(fields.length).toBeGreaterThan(1);
  });
});
