import type { Operation, Plan, PortUse } from '../../api/client';

/** What is dragged, or chosen, to be connected. */
export type Source =
  | { kind: 'circuit'; key: string }
  | { kind: 'segment'; key: string }
  | { kind: 'port'; device: string; port: string };

export const UNUSED: PortUse = {
  mode: 'unused',
  circuit: null,
  segment: null,
  tagged: [],
  bridge: null,
  enabled: true,
  gateway: null,
  peer: null,
  peer_port: null,
  host: null,
  cable: null,
};

export function portUse(plan: Plan, device: string, port: string): PortUse {
  return plan.devices[device]?.ports[port] ?? UNUSED;
}

export function setPort(device: string, port: string, use: PortUse): Operation {
  return { op: 'add', path: `/devices/${device}/ports/${port}`, value: use };
}

/** The changes that connect something to a port; none when it makes no sense. */
export function connect(plan: Plan, source: Source, device: string, port: string): Operation[] {
  const use = portUse(plan, device, port);
  if (source.kind === 'circuit') {
    const before = Object.entries(plan.devices).flatMap(([key, box]) =>
      Object.entries(box.ports)
        .filter(([, other]) => other.mode === 'circuit' && other.circuit === source.key)
        .map(([name]) => setPort(key, name, UNUSED)),
    );
    const taken = { ...UNUSED, mode: 'circuit' as const, circuit: source.key, cable: use.cable };
    return [...before, setPort(device, port, taken)];
  }
  if (source.kind === 'segment') return [setPort(device, port, withSegment(use, source.key))];
  if (source.device === device) return [];
  const mine = portUse(plan, source.device, source.port);
  const carried = mine.mode === 'unused' || mine.mode === 'circuit' ? use : mine;
  if (carried.mode === 'unused' || carried.mode === 'circuit') return [];
  const shared = {
    mode: carried.mode,
    segment: carried.segment,
    tagged: carried.tagged,
    circuit: null,
    enabled: true,
  };
  return [
    ...cut(plan, source.device, source.port),
    ...cut(plan, device, port),
    setPort(source.device, source.port, { ...mine, ...shared, peer: device, peer_port: port, host: null }),
    setPort(device, port, { ...use, ...shared, peer: source.device, peer_port: source.port, host: null }),
  ];
}

/** A port that carries one segment more: the first untagged, all further ones under their tag. */
export function withSegment(use: PortUse, segment: string): PortUse {
  if (use.segment === segment || use.tagged.includes(segment)) return use;
  if (use.mode === 'unused' || use.mode === 'circuit' || (!use.segment && use.mode !== 'trunk')) {
    return { ...UNUSED, cable: use.cable, mode: 'access', segment };
  }
  return { ...use, mode: 'trunk', tagged: [...use.tagged, segment] };
}

/** Whether a port carries one other segment alone, so that one more may be meant as well as another one. */
export function isTaken(use: PortUse, segment: string): boolean {
  return use.mode === 'access' && use.segment !== null && use.segment !== segment;
}

/** Pull a cable out at both ends. */
export function cut(plan: Plan, device: string, port: string): Operation[] {
  const use = portUse(plan, device, port);
  if (!use.peer || !use.peer_port) return [];
  const far = portUse(plan, use.peer, use.peer_port);
  const ends: Operation[] = [setPort(device, port, { ...use, peer: null, peer_port: null })];
  if (far.peer === device && far.peer_port === port) {
    ends.push(setPort(use.peer, use.peer_port, { ...far, peer: null, peer_port: null }));
  }
  return ends;
}

/** Plug a fixed host into a port, out of whichever it was in. */
export function plugHost(plan: Plan, host: string, device: string, port: string): Operation[] {
  const before = Object.entries(plan.devices).flatMap(([key, box]) =>
    Object.entries(box.ports)
      .filter(([name, use]) => use.host === host && !(key === device && name === port))
      .map(([name, use]) => setPort(key, name, { ...use, host: null })),
  );
  const use = portUse(plan, device, port);
  return [
    ...before,
    ...cut(plan, device, port),
    setPort(device, port, { ...use, peer: null, peer_port: null, host }),
  ];
}

/** Take a device out, and every cable that leads to it. */
export function removeDevice(plan: Plan, device: string): Operation[] {
  const ends = Object.entries(plan.devices).flatMap(([key, box]) =>
    Object.entries(box.ports)
      .filter(([, use]) => key !== device && use.peer === device)
      .map(([name, use]) => setPort(key, name, { ...use, peer: null, peer_port: null })),
  );
  return [...ends, { op: 'remove', path: `/devices/${device}` }];
}
