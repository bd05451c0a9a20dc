import type { Finding } from '../api/client';
import { describe, expect, test } from 'vitest';
import { memberOf, placeOf, placesToTry } from './places';

/** A finding, as far as its place goes. */
const found = (path: string, field: string, stage: Finding['stage'], more: Partial<Finding> = {}) => ({
  ...{ path, field, stage, addresses: '', subject: '' },
  ...more,
});

describe('places', () => {
  test('a finding about a pair of places leads to the pair', () => {
    const site = { customer: 'A', site: 'B' };
    const pair = { addresses: 'Guest → the internet, Main down', subject: 'Guest' };
    expect(placeOf(site, found('/segments/gues0', 'routes', 'traffic', pair))).toBe(
      '/sites/A/B/traffic?from=Guest&to=the+internet',
    );
    const one = { addresses: 'Main', subject: 'Voice' };
    expect(placeOf(site, found('/segments/voic0', 'translations', 'traffic', one))).toBe(
      '/sites/A/B/traffic?from=Voice&to=internet',
    );
  });

  test('a finding leads to its field', () => {
    expect(placeOf({ customer: 'A', site: 'B' }, found('/devices/dev1x', 'routes', 'devices'))).toBe(
      '/sites/A/B/devices#/devices/dev1x/routes',
    );
  });

  test('what a provider owes leads to Intake, and a pattern to its own page', () => {
    expect(placeOf({ customer: 'A', site: 'B' }, found('', 'answers', 'intake'))).toBe(
      '/sites/A/B/intake#/answers',
    );
    expect(
      placeOf({ customer: '~patterns', site: 'shop' }, found('/segments/offc0', 'gateway', 'addresses')),
    ).toBe('/patterns/shop#/segments/offc0/gateway');
  });

  test('members and slots are told from their fields', () => {
    expect(memberOf('/devices/dev1x/ports/1/ports')).toBe('/devices/dev1x');
    expect(memberOf('/safe/devices/dev1x/administrator/secret')).toBe('/safe/devices/dev1x/administrator');
  });

  test('what is not there is looked for one level up', () => {
    expect(placesToTry('/devices/dev1x/ports/1/ports')).toEqual([
      '/devices/dev1x/ports/1/ports',
      '/devices/dev1x/ports/1',
      '/devices/dev1x/ports',
    ]);
  });
});
