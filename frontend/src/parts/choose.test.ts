import { expect, test } from 'vitest';
import { named } from './Choose';

const sites = [
  { code: 'FERN/DOCK', name: 'Dockside' },
  { code: 'FERN/MILL', name: 'Millbank' },
  { code: 'LIBR/MILL', name: 'Millrace Library' },
  { code: 'MILL/HQ', name: 'Head office' },
];

test('one of many is found by parts of code and name, in any order', () => {
  const found = (typed: string) => named(sites, typed).map(({ code }) => code);
  expect(found('fern mi')).toEqual(['FERN/MILL']);
  expect(found('bank fern')).toEqual(['FERN/MILL']);
  expect(found('mill')).toEqual(['MILL/HQ', 'FERN/MILL', 'LIBR/MILL']);
  expect(found('Millbank (FERN/MILL)')).toEqual(['FERN/MILL']);
  expect(found('nobody')).toEqual([]);
  const many = Array.from({ length: 10_000 }, (_, at) => ({ code: `C${at}`, name: `Site ${at}` }));
  expect(named(many, 'site').length).toBe(60);
});
