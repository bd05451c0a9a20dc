import { describe, expect, test } from 'vitest';
import { memberOf, placeOf, placesToTry } from './places';

describe('places', () => {
  test('a finding leads to its field', () => {
    expect(
      placeOf({ customer: 'A', site: 'B' }, { path: '/devices/dev1x', field: 'routes', stage: 'devices' }),
    ).toBe('/sites/A/B/devices#/devices/dev1x/routes');
  });

  test('what a provider owes leads to Intake, and a pattern to its own page', () => {
    expect(placeOf({ customer: 'A', site: 'B' }, { path: '', field: 'answers', stage: 'intake' })).toBe(
      '/sites/A/B/intake#/answers',
    );
    expect(
      placeOf(
        { customer: '~patterns', site: 'shop' },
        { path: '/segments/offc0', field: 'gateway', stage: 'addresses' },
      ),
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
