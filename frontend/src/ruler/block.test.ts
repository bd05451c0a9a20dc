import { describe as suite, expect, test } from 'vitest';
import { isBehind } from './addresses';
import { cellsOf, sortOf } from './BlockRuler';

suite('blocks of providers', () => {
  test('each address has its use', () => {
    const uses = { '203.0.113.51': 'translation of guests', '203.0.113.52': 'spare' };
    const cells = cellsOf('203.0.113.48/29', '203.0.113.50', '203.0.113.49', uses, 'Dockside');
    expect(cells.map(({ kind }) => kind)).toEqual([
      'end',
      'provider',
      'own',
      'used',
      'used',
      'free',
      'free',
      'end',
    ]);
    expect(cells.map(({ sort }) => sort).filter(Boolean)).toEqual(['translation', 'spare']);
  });

  test('a routed block has no ends that cannot be used', () => {
    const cells = cellsOf('198.51.100.64/29', null, null, {}, '', true);
    expect(cells.map(({ kind }) => kind)).toEqual(Array(8).fill('free'));
  });

  test('a block too large to name each is not drawn', () => {
    expect(cellsOf('198.51.100.0/24', null, null, {}, '')).toEqual([]);
    expect(cellsOf('198.51.100.0/26', null, null, {}, '')).toHaveLength(64);
  });

  test('the sort of a use is its first word', () => {
    expect(['Translation for guests', 'NAT', 'spare', "provider's", 'shop window'].map(sortOf)).toEqual([
      'translation',
      'translation',
      'spare',
      'provider',
      'server',
    ]);
  });

  test('what somebody else translates', () => {
    expect(
      ['10.0.0.1', '172.31.0.1', '192.168.1.1', '100.64.0.1', '203.0.113.1', null, '2001:db8::1'].map(
        isBehind,
      ),
    ).toEqual(['private', 'private', 'private', 'shared', null, null, null]);
  });
});
