import { describe, expect, test } from 'vitest';
import type { OutboundSite } from '../api/client';
import { matches, weekOf, type Filters } from './filters';

const site: OutboundSite = {
  customer: 'FERN',
  customer_name: 'Fernhollow Garden Centres',
  site: 'DOCK',
  name: 'Dockside',
  ship_date: '2026-12-03',
  technician: null,
  stages: {
    intake: 'open',
    addresses: 'open',
    devices: 'open',
    traffic: 'open',
    credentials: 'open',
    clearance: 'open',
    bench: 'open',
    handover: 'open',
  },
  stops: 0,
  warns: 1,
  waiting: false,
  open: '',
  clear: false,
  shipped: false,
  next: '',
};

const all: Filters = { state: '', customer: '', technician: '', shipping: '', trouble: '' };

describe('filters', () => {
  test.each<[Partial<Filters>, boolean]>([
    [{}, true],
    [{ shipping: '7' }, false],
    [{ shipping: '14' }, true],
    [{ shipping: 'late' }, false],
    [{ shipping: 'never' }, false],
    [{ state: 'clear' }, false],
    [{ state: 'open' }, true],
    [{ trouble: 'warn' }, true],
    [{ trouble: 'none' }, false],
    [{ technician: '-' }, true],
    [{ technician: 'Ines Aldering' }, false],
    [{ customer: 'LIBR' }, false],
  ])('%o chooses the site: %s', (chosen, expected) => {
    expect(matches(site, { ...all, ...chosen }, '2026-11-24')).toBe(expected);
  });
});

describe('weeks', () => {
  test.each([
    ['2026-11-23', 'This week', 'Mon 23 – Sun 29 Nov'],
    ['2026-11-29', 'This week', 'Mon 23 – Sun 29 Nov'],
    ['2026-11-30', 'Next week', 'Mon 30 Nov – Sun 6 Dec'],
    ['2026-12-07', 'Week of 7 Dec', ''],
    ['2026-11-22', 'Last week', 'Mon 16 – Sun 22 Nov'],
  ])('%s is in %s', (date, title, days) => {
    expect(weekOf(date, '2026-11-24')).toEqual({ title, days });
  });

  test('a site without a date has a group of its own', () => {
    expect(weekOf(null, '2026-11-24').title).toBe('No ship date');
  });
});
