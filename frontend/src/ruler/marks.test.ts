import { describe as suite, expect, test } from 'vitest';
import type { Host, Segment } from '../api/client';
import { subnet } from './addresses';
import { boundary, closedUp, held, marksOf, moved, said, spaced, taken, type Mark } from './marks';

const segment = {
  label: 'Office',
  role: 'office',
  subnet: '10.40.8.0/24',
  gateway: '10.40.8.1',
  scope: {
    server: 'edge',
    first: '10.40.8.20',
    last: '10.40.8.199',
    excluded: ['10.40.8.50-10.40.8.59', '10.40.8.80'],
    lease: null,
    options: {},
  },
  kept: [{ kind: 'printer', run: '10.40.8.200-10.40.8.209' }],
} as unknown as Segment;

const hosts = ['10.40.8.10', '10.40.8.201', '10.40.8.14'].map(
  (address, place) =>
    [`h${place}`, { name: `host ${place}`, address, segment: 'seg' } as unknown as Host] as [string, Host],
);

const marks = marksOf('seg', segment, hosts);
const mark = (id: string) => marks.find((one) => one.id === id) as Mark;
const values = (operations: { path: string; value?: unknown }[]) =>
  Object.fromEntries(operations.map(({ path, value }) => [path, value]));

suite('marks', () => {
  test('everything that can be moved is there, in order', () => {
    expect(marks.map(({ id }) => id)).toEqual([
      'gateway',
      'host:h0',
      'host:h2',
      'range',
      'range:first',
      'excluded:0',
      'excluded:0:first',
      'excluded:0:last',
      'excluded:1',
      'excluded:1:first',
      'excluded:1:last',
      'range:last',
      'kept:0',
      'kept:0:first',
      'host:h1',
      'kept:0:last',
    ]);
  });

  test('each moves its own value', () => {
    expect(values(moved('seg', segment, [mark('gateway')], 3n))).toEqual({
      '/segments/seg/gateway': '10.40.8.4',
    });
    expect(values(moved('seg', segment, [mark('host:h1')], -1n))).toEqual({
      '/hosts/h1/address': '10.40.8.200',
    });
    expect(values(moved('seg', segment, [mark('range:last')], -9n))).toEqual({
      '/segments/seg/scope/last': '10.40.8.190',
    });
    expect(values(moved('seg', segment, [mark('range')], 2n))).toEqual({
      '/segments/seg/scope/first': '10.40.8.22',
      '/segments/seg/scope/last': '10.40.8.201',
    });
    expect(values(moved('seg', segment, [mark('excluded:0:last')], -9n))).toEqual({
      '/segments/seg/scope/excluded': ['10.40.8.50', '10.40.8.80'],
    });
    expect(values(moved('seg', segment, [mark('kept:0')], 10n))).toEqual({
      '/segments/seg/kept': [{ kind: 'printer', run: '10.40.8.210-10.40.8.219' }],
    });
  });

  test('nothing leaves the subnet or passes its other end', () => {
    expect(held(segment, [mark('gateway')], -9n)).toBe(0n);
    expect(held(segment, [mark('host:h1')], 99n)).toBe(53n);
    expect(held(segment, [mark('range:first')], 999n)).toBe(179n);
    expect(held(segment, [mark('range:last')], -999n)).toBe(-179n);
    expect(held(segment, [mark('range')], 999n)).toBe(55n);
    expect(held(segment, [mark('host:h0'), mark('host:h1')], 99n)).toBe(53n);
    expect(held(segment, [mark('excluded:0:first')], 99n)).toBe(9n);
  });

  test('Shift goes to natural boundaries', () => {
    const net = subnet('10.40.8.0/24') as NonNullable<ReturnType<typeof subnet>>;
    const to = (offset: bigint, forward: boolean) => offset + boundary(net, 32n, net.first + offset, forward);
    expect([to(20n, true), to(20n, false), to(32n, true), to(32n, false)]).toEqual([32n, 0n, 64n, 0n]);
  });

  test('several are spaced and closed up', () => {
    const three = [mark('host:h0'), mark('host:h2'), mark('host:h1')];
    expect(Object.values(values(spaced(three)))).toEqual(['10.40.8.105']);
    expect(Object.values(values(closedUp(three)))).toEqual(['10.40.8.11', '10.40.8.12']);
    expect(spaced(three.slice(0, 2))).toEqual([]);
  });

  test('what is taken away', () => {
    expect(taken('seg', segment, mark('host:h1'))).toEqual([{ op: 'remove', path: '/hosts/h1' }]);
    expect(values(taken('seg', segment, mark('excluded:1')))).toEqual({
      '/segments/seg/scope/excluded': ['10.40.8.50-10.40.8.59'],
    });
    expect(values(taken('seg', segment, mark('range')))['/segments/seg/scope/first']).toBeNull();
  });

  test('each is called by what it is', () => {
    expect(
      ['gateway', 'range', 'range:last', 'host:h0', 'kept:0'].map((id) => said(mark(id), segment)),
    ).toEqual([
      'gateway at .1',
      'DHCP range .20 to .199',
      'end of DHCP range at .199',
      'host 0 at .10',
      'kept for printer .200 to .209',
    ]);
  });
});
