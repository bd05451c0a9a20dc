import { describe as suite, expect, test } from 'vitest';
import { portLike, portsOf } from './ports';

const names = (typed: string) => portsOf(typed, undefined).ports.map(({ name }) => name);

suite('ports', () => {
  test('runs make many', () => {
    expect(names('1-4, 25-26')).toEqual(['1', '2', '3', '4', '25', '26']);
    expect(names('LAN1-LAN3')).toEqual(['LAN1', 'LAN2', 'LAN3']);
    expect(names('x0/1-3')).toEqual(['x0/1', 'x0/2', 'x0/3']);
    expect(names('WAN')).toEqual(['WAN']);
  });

  test('what is special stands behind the names', () => {
    const { ports } = portsOf('1-2 power, 25 fibre, M management', undefined);
    expect(ports.map(({ medium, factory_role, powers }) => [medium, factory_role, powers])).toEqual([
      ['copper', 'inside', true],
      ['copper', 'inside', true],
      ['fibre', 'inside', false],
      ['copper', 'management', false],
    ]);
  });

  test('a new port is like the one before it, unless that leads to the internet', () => {
    const last = portLike(undefined, '1');
    expect(portsOf('2', { ...last, medium: 'fibre' }).ports[0]?.medium).toBe('fibre');
    expect(portsOf('2', { ...last, factory_role: 'internet', laptop: false }).ports[0]?.laptop).toBe(true);
  });

  test('what cannot be read is told', () => {
    expect(portsOf('1-4 optical', undefined).problem).toContain('“optical” is no medium');
    expect(portsOf('1, 1-2', undefined).problem).toContain('Port 1 is there twice');
    expect(portsOf('1-9999', undefined).ports).toHaveLength(1);
  });
});
