import { describe, expect, test } from 'vitest';
import type { HardwareType, Plan, PortUse } from '../../api/client';
import { hang, layOut, portsOf, SIZES, strands } from './board';
import { connect, cut, removeDevice, UNUSED, withSegment } from './wires';

const made = (values: Partial<PortUse>): PortUse => ({ ...UNUSED, ...values });
const copper = ['WAN', '1', '2'].map((name) => ({ name, medium: 'copper' }));
const types = {
  five: { panel: [...copper, { name: 'CON', medium: 'console' }] },
} as unknown as Record<string, HardwareType>;

const plan = {
  circuits: { c1: { label: 'Main' } },
  segments: { s1: { label: 'Office' }, s2: { label: 'Voice' } },
  devices: {
    sw: {
      type: 'five',
      role: 'switch',
      ports: { '1': made({ mode: 'trunk', segment: 's1', tagged: ['s2'], peer: 'edge', peer_port: '2' }) },
    },
    edge: {
      type: 'five',
      role: 'edge',
      ports: {
        WAN: made({ mode: 'circuit', circuit: 'c1' }),
        '2': made({ mode: 'trunk', segment: 's1', tagged: ['s2'], peer: 'sw', peer_port: '1' }),
        old: made({ mode: 'access', segment: 's1' }),
      },
    },
  },
} as unknown as Plan;

describe('the wiring board', () => {
  test('ports are those of the type, and those that the plan uses besides', () => {
    expect(portsOf(plan, 'edge', types)).toEqual(['WAN', '1', '2', 'old']);
    expect(portsOf(plan, 'gone', types)).toEqual([]);
  });

  test('panels go from the provider inwards, jacks in rows', () => {
    const board = layOut(plan, types);
    expect(board.panels.map((panel) => panel.key)).toEqual(['edge', 'sw']);
    const [edge, sw] = board.panels;
    expect((sw?.y ?? 0) - (edge?.y ?? 0)).toBe((edge?.height ?? 0) + SIZES.gap);
    expect(edge?.jacks.WAN?.x).toBe(SIZES.label + SIZES.step / 2);
    expect(board.sockets.c1?.x).toBeGreaterThan(SIZES.label);
  });

  test('a cable between two boxes is drawn once, a strand for each segment', () => {
    const found = strands(plan, layOut(plan, types));
    expect(found.map((strand) => strand.segment).sort()).toEqual(['', 's1', 's2']);
    expect(hang({ x: 1, y: 2 }, { x: 3, y: 4 }, 1)).toBe('M2 2C2 26 4 -20 4 4');
  });
});

const ports = (operations: ReturnType<typeof connect>) =>
  Object.fromEntries(operations.map(({ path, value }) => [path.split('/').slice(2).join('/'), value]));

describe('connecting', () => {
  test('a circuit moves from the port that it was in', () => {
    expect(ports(connect(plan, { kind: 'circuit', key: 'c1' }, 'edge', '1'))).toMatchObject({
      'edge/ports/WAN': { mode: 'unused' },
      'edge/ports/1': { mode: 'circuit', circuit: 'c1' },
    });
  });

  test('the first segment is untagged, a further one makes a trunk', () => {
    const one = withSegment(UNUSED, 's1');
    expect([one.mode, one.segment]).toEqual(['access', 's1']);
    const two = withSegment(one, 's2');
    expect([two.mode, two.segment, two.tagged]).toEqual(['trunk', 's1', ['s2']]);
    expect(withSegment(two, 's2')).toBe(two);
  });

  test('a cable gives both ends the same, and leaves no loose end', () => {
    const found = ports(connect(plan, { kind: 'port', device: 'edge', port: '2' }, 'sw', '2'));
    expect(found['edge/ports/2']).toMatchObject({ peer: 'sw', peer_port: '2', mode: 'trunk' });
    expect(found['sw/ports/2']).toMatchObject({ peer: 'edge', peer_port: '2', tagged: ['s2'] });
    expect(found['sw/ports/1']).toMatchObject({ peer: null });
    expect(connect(plan, { kind: 'port', device: 'edge', port: '2' }, 'edge', '1')).toEqual([]);
    expect(connect(plan, { kind: 'port', device: 'edge', port: '1' }, 'sw', '2')).toEqual([]);
  });

  test('pulling a cable and removing a box free the far ends', () => {
    expect(ports(cut(plan, 'sw', '1'))['edge/ports/2']).toMatchObject({ peer: null, peer_port: null });
    const gone = removeDevice(plan, 'sw');
    expect(gone.at(-1)).toEqual({ op: 'remove', path: '/devices/sw' });
    expect(ports(gone)['edge/ports/2']).toMatchObject({ peer: null });
  });
});
