import { describe as suite, expect, test } from 'vitest';
import { customersFor, lastFirst, pagesFor, spaceFor } from './destinations';

const names = (found: { name: string }[]) => found.map(({ name }) => name);

suite('destinations', () => {
  test('pages by what they are about', () => {
    expect(names(pagesFor('addr sp', []))).toContain('Address space');
    expect(names(pagesFor('revisions', []))).toEqual(['Compare']);
    expect(names(pagesFor('accounts', ['administer']))).toEqual(['People']);
    expect(pagesFor('accounts', [])).toEqual([]); // only administrators have it
    expect(pagesFor('', [])).toEqual([]);
    expect(pagesFor('zebra', [])).toEqual([]);
  });

  test('customers by code or name', () => {
    const customers = { FERN: 'Fernhollow Garden Centres', LIBR: 'Millrace Libraries' };
    expect(names(customersFor('fe', customers))).toEqual(['Fernhollow Garden Centres']);
    expect(customersFor('millrace', customers)[0]?.to).toBe('/customers/LIBR');
    expect(customersFor('f', customers)).toEqual([]);
  });

  test('addresses are seen in what is around them', () => {
    expect(spaceFor('10.40.8.37')[0]?.to).toBe('/space?kind=4&window=10.40.8.37%2F24');
    expect(spaceFor('10.40.0.0/16')[0]?.to).toBe('/space?kind=4&window=10.40.0.0%2F16');
    expect(spaceFor('2001:db8:40::1')[0]?.to).toContain('kind=6');
    expect(spaceFor('printer')).toEqual([]);
  });

  test('last places first', () => {
    const place = (to: string) => ({ to, kind: 'site', name: to, detail: '', addresses: '' });
    expect(names(lastFirst([place('a'), place('b'), place('c')], [place('c'), place('b')]))).toEqual([
      'c',
      'b',
      'a',
    ]);
  });
});
