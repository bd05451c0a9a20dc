import { describe as suite, expect, test } from 'vitest';
import type { Plan } from '../api/client';
import { changedMarks, pairsOf, type Half } from './pairs';

const scope = { server: 'edge', first: null, last: null, excluded: [], lease: null, options: {} };
const plan = (site: string, segments: Record<string, [label: string, gateway: string]>, hosts = {}) =>
  ({
    customer: 'FERN',
    site,
    segments: Object.fromEntries(
      Object.entries(segments).map(([id, [label, gateway]]) => [id, { label, gateway, scope, kept: [] }]),
    ),
    hosts,
  }) as unknown as Plan;

suite('pairs', () => {
  test('within one site by id, whatever the label has become', () => {
    const pairs = pairsOf(
      plan('DOCK', { a: ['Office', '10.0.0.1'], b: ['Voice', '10.0.1.1'] }),
      plan('DOCK', { a: ['Desks', '10.0.0.1'], c: ['Guest', '10.0.2.1'] }),
    );
    expect(pairs.map(({ one, other }) => [one?.segment.label, other?.segment.label])).toEqual([
      ['Office', 'Desks'],
      ['Voice', undefined],
      [undefined, 'Guest'],
    ]);
  });

  test('between sites by label', () => {
    const pairs = pairsOf(
      plan('DOCK', { a: ['Office', '10.0.0.1'] }),
      plan('MILL', { z: ['Voice', '10.1.1.1'], a: ['office', '10.1.0.1'] }),
    );
    expect(pairs.map(({ one, other }) => [one?.id, other?.id])).toEqual([
      ['a', 'a'],
      [undefined, 'z'],
    ]);
    expect(pairs[0]?.same).toBe(false);
  });

  test('two sites made alike are alike, wherever their subnets are', () => {
    const at = (net: string) => {
      const made = plan(
        net,
        { a: ['Office', `${net}.1`] },
        { h: { segment: 'a', name: 'Printer', address: `${net}.9` } },
      );
      const office = made.segments.a as unknown as Record<string, unknown>;
      Object.assign(office, {
        subnet: `${net}.0/24`,
        scope: { ...scope, first: `${net}.20`, last: `${net}.99` },
      });
      return made;
    };
    const [one, other] = [at('10.0.0'), at('10.7.3')];
    expect(pairsOf(one, other)[0]?.same).toBe(true);
    const moved = { ...other, hosts: { h: { ...other.hosts.h, address: '10.7.3.10' } } } as unknown as Plan;
    const [pair] = pairsOf(one, moved);
    expect(pair?.same).toBe(false);
    expect([...changedMarks(pair?.one as Half, pair?.other ?? null)]).toEqual(['host:h']);
  });

  test('marks that differ', () => {
    const host = (address: string) => ({ segment: 'a', name: 'printer', address });
    const [pair] = pairsOf(
      plan('DOCK', { a: ['Office', '10.0.0.1'] }, { h: host('10.0.0.9'), i: host('10.0.0.10') }),
      plan('DOCK', { a: ['Office', '10.0.0.254'] }, { h: host('10.0.0.9') }),
    );
    expect([...changedMarks(pair?.one as Half, pair?.other ?? null)]).toEqual(['gateway', 'host:i']);
    expect([...changedMarks(pair?.other as Half, pair?.one ?? null)]).toEqual(['gateway']);
  });
});
