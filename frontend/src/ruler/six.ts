import type { Host, Operation, Segment } from '../api/client';

type Hosts = [key: string, host: Host][];

/**
 * The IPv6 side of a segment that has an IPv4 side too, as if it were a segment of its own: what is done on it is said
 * of the plan by `sixOperations` and `sixPath`.
 */
export function sixSide(segment: Segment, hosts: Hosts): { segment: Segment; hosts: Hosts } | null {
  if (segment.subnet === null || segment.subnet6 === null) return null;
  const { subnet6: subnet, gateway6: gateway } = segment;
  return {
    segment: {
      ...segment,
      subnet,
      gateway,
      kept: [],
      scope: { ...segment.scope, server: 'none', first: null, last: null, excluded: [] },
    },
    hosts: hosts.flatMap(([key, host]) =>
      host.address6 === null ? [] : [[key, { ...host, address: host.address6 }]],
    ),
  };
}

/** The place in the plan of a value of the IPv6 side. */
export function sixPath(path: string): string {
  return path.replace(/^(\/segments\/[^/]+\/gateway|\/hosts\/[^/]+\/address)$/, '$16');
}

/** A change of the IPv6 side as a change of the plan. A host that is taken off it keeps its IPv4 address. */
export function sixOperations(operations: Operation[]): Operation[] {
  return operations.map((operation) => {
    const { op, path, value } = operation;
    if (!/^\/hosts\/[^/]+$/.test(path)) return { ...operation, path: sixPath(path) };
    if (op === 'remove') return { op: 'add', path: `${path}/address6`, value: null };
    const { address, ...host } = value as Partial<Host>;
    return { ...operation, value: { ...host, address6: address } };
  });
}
