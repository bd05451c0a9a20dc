import { describe, expect, test } from 'vitest';
import { memberOf, pageOf, placeOf, placesToTry } from './places';

describe('places', () => {
  test.each([
    ['/segments/k3f9q/gateway', 'addresses'],
    ['/circuits/k3f9q', 'addresses'],
    ['/devices/k3f9q/ports/1', 'devices'],
    ['/wireless/w1f1x/security', 'devices'],
    ['/safe/devices/k3f9q/administrator', 'credentials'],
    ['/answers/vlan.k3f9q', 'intake'],
    ['/survivors/k3f9q', 'intake'],
    ['', 'addresses'],
  ])('%s is on %s', (path, page) => {
    expect(pageOf(path)).toBe(page);
  });

  test('a finding leads to its field', () => {
    expect(placeOf({ customer: 'A', site: 'B' }, { path: '/devices/dev1x', field: 'routes' })).toBe(
      '/sites/A/B/devices#/devices/dev1x/routes',
    );
  });

  test('what a provider owes leads to Intake, and a pattern to its own page', () => {
    expect(placeOf({ customer: 'A', site: 'B' }, { path: '', field: 'answers' })).toBe(
      '/sites/A/B/intake#/answers',
    );
    expect(
      placeOf({ customer: '~patterns', site: 'shop' }, { path: '/segments/offc0', field: 'gateway' }),
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
