import { describe as suite, expect, test } from 'vitest';
import type { Finding, Host, Plan, Segment } from '../../api/client';
import { circuitRemoval, furtherCircuit, inOrder, orderSaid, usedFirst } from './circuits';
import { findingsBySegment, freshId, hostsBySegment, removeSegment, sameFindings, sameHosts } from './edits';
import { rowsOf } from './LayOut';
import { sizeOf } from './NewSegment';
import { neighboursOf } from './SegmentActions';

const host = (segment: string, name: string) => ({ segment, name }) as unknown as Host;

const plan = {
  segments: {
    off: { label: 'Office', role: 'office', subnet: '10.40.8.0/24', expected_hosts: 80 },
    voi: { label: 'Voice', role: 'voice', subnet: '10.40.9.0/25', expected_hosts: null },
    six: { label: 'Lab', role: 'other', subnet: '2001:db8:40:1::/64', expected_hosts: 4 },
    new: { label: 'New', role: 'guest', subnet: null, expected_hosts: null },
  },
  hosts: { a: host('off', 'printer'), b: host('voi', 'phone'), c: host('off', 'till') },
} as unknown as Plan;

const finding = (path: string, message = path, acceptance: string | null = null) =>
  ({ path, message, acceptance }) as unknown as Finding;

suite('edits', () => {
  test('hosts and findings by their segment', () => {
    expect([...hostsBySegment(plan)].map(([id, hosts]) => [id, hosts.map(([key]) => key)])).toEqual([
      ['off', ['a', 'c']],
      ['voi', ['b']],
    ]);
    const sorted = findingsBySegment(plan, [
      finding('/segments/voi'),
      finding('/hosts/c'),
      finding('/circuits/x'),
      finding('/hosts/gone'),
    ]);
    expect([...sorted].map(([id, found]) => [id, found.map(({ path }) => path)])).toEqual([
      ['voi', ['/segments/voi']],
      ['off', ['/hosts/c']],
    ]);
  });

  test('a segment goes with its hosts, the hosts first', () => {
    expect(removeSegment(plan, 'off').map(({ path }) => path)).toEqual([
      '/hosts/a',
      '/hosts/c',
      '/segments/off',
    ]);
  });

  test('ids are new, short, and of the plan’s letters', () => {
    const taken: Record<string, true> = {};
    for (let n = 0; n < 200; n += 1) taken[freshId(taken)] = true;
    expect(Object.keys(taken)).toHaveLength(200);
    expect(Object.keys(taken).every((id) => /^[0-9a-hjkmnp-tv-z]{5}$/.test(id))).toBe(true);
  });

  test('a row is drawn anew only when something in it has changed', () => {
    const [one] = hostsBySegment(plan).values();
    expect(sameHosts(one ?? [], [...(one ?? [])])).toBe(true);
    expect(sameHosts(one ?? [], [['a', host('off', 'printer')], ...(one ?? []).slice(1)])).toBe(false);
    expect(sameHosts(one ?? [], [])).toBe(false);
    expect(sameFindings([finding('/a', 'x')], [finding('/a', 'x')])).toBe(true);
    expect(sameFindings([finding('/a', 'x')], [finding('/a', 'y')])).toBe(false);
    expect(sameFindings([finding('/a', 'x')], [finding('/a', 'x', 'ok')])).toBe(false);
  });
});

suite('wishes', () => {
  test('a size is hosts, a mask or a subnet', () => {
    expect(sizeOf('60')).toEqual({ hosts: 60 });
    expect(sizeOf(' 60 hosts ')).toEqual({ hosts: 60 });
    expect(sizeOf('/26')).toEqual({ prefix: 26 });
    expect(sizeOf('10.40.8.0/24')).toEqual({ subnet: '10.40.8.0/24' });
    expect(sizeOf('next /24')).toEqual({ subnet: 'next /24' });
    expect(sizeOf('')).toEqual({});
  });

  test('a layout begins with what is there: hosts where they are expected, else the size it has', () => {
    expect(rowsOf(plan).map(({ label, size }) => [label, size])).toEqual([
      ['Office', '80 hosts'],
      ['Voice', '/25'],
      ['New', '30 hosts'],
    ]);
  });

  test('neighbours touch', () => {
    const names = (id: string) => neighboursOf(plan.segments, id).map(([key]) => key);
    expect(names('off')).toEqual(['voi']);
    expect(names('voi')).toEqual(['off']);
    expect(names('six')).toEqual([]);
    expect(names('new')).toEqual([]);
    const apart = { ...plan.segments, voi: { ...plan.segments.voi, subnet: '10.40.10.0/24' } as Segment };
    expect(neighboursOf(apart, 'off')).toEqual([]);
  });

  test('circuits in the order of use, those without one last', () => {
    const circuit = (priority: number | null) => ({ priority }) as never;
    expect(inOrder({ a: circuit(null), b: circuit(2), c: circuit(1) })).toEqual(['c', 'b', 'a']);
  });

  const lines = (...priorities: (number | null)[]) =>
    Object.fromEntries(
      priorities.map((priority, at) => [`c${at}`, { label: at ? `Backup ${at}` : 'Main', priority }]),
    ) as never;

  test('a further circuit has a place in the order, and the others get one', () => {
    expect(furtherCircuit(lines()).operations[0]?.value).toEqual({ label: 'Main', priority: null });
    const second = furtherCircuit(lines(null));
    expect(second.operations.map(({ path, value }) => [path, value])).toEqual([
      ['/circuits/c0/priority', 1],
      [`/circuits/${second.id}`, { label: 'Backup', priority: 2 }],
    ]);
    const third = furtherCircuit(lines(10, 20));
    expect(third.operations.map(({ value }) => value)).toEqual([{ label: 'Backup', priority: 21 }]);
    expect([orderSaid(lines(1, 1)), orderSaid(lines(1, null)), orderSaid(lines(2, 1))]).toEqual([
      false,
      false,
      true,
    ]);
    expect(usedFirst(lines(1, 2), 'c1').map(({ path }) => path)).toEqual([
      '/circuits/c1/priority',
      '/circuits/c0/priority',
    ]);
  });

  test('a removed circuit takes along what was there for it alone', () => {
    const port = (values: object) => ({
      mode: 'unused',
      circuit: null,
      peer: null,
      peer_port: null,
      ...values,
    });
    const plan = {
      circuits: { c0: { label: 'Main', gateway: '203.0.113.17' }, c1: { label: 'Backup', gateway: null } },
      devices: {
        edge: {
          name: 'edge',
          ports: {
            'Net/1': port({ mode: 'circuit', circuit: 'c0', peer: 'modem', peer_port: 'L' }),
            'Net/2': port({ mode: 'circuit', circuit: 'c1' }),
          },
          routes: {
            r1: { circuit: 'c0', via: null },
            r2: { circuit: null, via: '203.0.113.17' },
            r3: { circuit: 'c1', via: null },
          },
          translations: { t1: { circuit: 'c0' }, t2: { circuit: 'c1' } },
          publications: { p1: { circuit: 'c0' } },
        },
        modem: {
          name: null,
          role: 'modem',
          ports: { L: port({ mode: 'routed', peer: 'edge', peer_port: 'Net/1' }) },
          routes: {},
          translations: {},
          publications: {},
        },
      },
    } as never;
    const { operations, lost } = circuitRemoval(plan, 'c0');
    expect(operations.map(({ path }) => path)).toEqual([
      '/devices/edge/ports/Net~11',
      '/devices/modem/ports/L',
      '/devices/edge/routes/r1',
      '/devices/edge/routes/r2',
      '/devices/edge/translations/t1',
      '/devices/edge/publications/p1',
      '/circuits/c0',
    ]);
    expect(operations[0]?.value).toMatchObject({ mode: 'unused', circuit: null, peer: null });
    expect(lost).toEqual([
      'Port Net/1 of edge is unused then',
      '2 routes of edge',
      '1 translation of edge',
      '1 publication of edge',
    ]);
  });
});
