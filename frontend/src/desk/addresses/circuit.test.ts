import { describe, expect, test } from 'vitest';
import type { Circuit, Plan } from '../../api/client';
import { cellsOf } from '../../ruler/BlockRuler';
import { handoffOf, maskOf } from './CircuitPanel';
import { freshId, removeSegment } from './edits';

const circuit = (values: Partial<Circuit>) =>
  ({ address: '203.0.113.18', gateway: '203.0.113.17', prefix: 29, ...values }) as Circuit;

describe('hand-off', () => {
  test('follows from address and mask, or from the gateway before the address is known', () => {
    expect(handoffOf(circuit({}))).toBe('203.0.113.16/29');
    expect(handoffOf(circuit({ address: null }))).toBe('203.0.113.16/29');
    expect(handoffOf(circuit({ address: '2001:db8:40::2', prefix: 64 }))).toBe('2001:db8:40::/64');
    expect(handoffOf(circuit({ prefix: null }))).toBeNull();
    expect(handoffOf(circuit({ address: null, gateway: null }))).toBeNull();
  });

  test.each([
    [29, '255.255.255.248'],
    [0, '0.0.0.0'],
    [32, '255.255.255.255'],
  ])('/%i is typed as %s', (prefix, mask) => {
    expect(maskOf(prefix, '203.0.113.18')).toBe(mask);
    expect(maskOf(64, '2001:db8::')).toBe('/64');
  });

  test('every address of a small block has its use', () => {
    const cells = cellsOf(
      '203.0.113.16/29',
      '203.0.113.18',
      '203.0.113.17',
      { '203.0.113.20': 'mail' },
      'Dockside',
    );
    expect(cells.map((cell) => `${cell.label} ${cell.use}`)).toEqual([
      '.16 network',
      '.17 provider',
      '.18 Dockside edge',
      '.19 free',
      '.20 mail',
      '.21 free',
      '.22 free',
      '.23 broadcast',
    ]);
  });

  test('a block too large to name each address is not drawn as cells', () => {
    expect(cellsOf('198.51.100.0/24', null, null, {}, '')).toEqual([]);
    expect(cellsOf('203.0.113.16/31', '203.0.113.16', '203.0.113.17', {}, 'x')).toHaveLength(2);
  });
});

describe('edits', () => {
  test('ids are short and free', () => {
    const taken: Record<string, true> = {};
    for (let number = 0; number < 500; number += 1) taken[freshId(taken)] = true;
    expect(Object.keys(taken).every((id) => /^[a-z0-9]{5}$/.test(id))).toBe(true);
    expect(Object.keys(taken)).toHaveLength(500);
  });

  test('a segment goes with its hosts, the hosts first', () => {
    const plan = {
      hosts: { a1: { segment: 's1' }, a2: { segment: 's2' }, a3: { segment: 's1' } },
    } as unknown as Plan;
    expect(removeSegment(plan, 's1').map((operation) => operation.path)).toEqual([
      '/hosts/a1',
      '/hosts/a3',
      '/segments/s1',
    ]);
  });
});
