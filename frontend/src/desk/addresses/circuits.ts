import type { Circuit, Operation, Plan, Schemas } from '../../api/client';
import { count } from '../../parts/words';
import { freshId, remove } from './edits';

type Circuits = Record<string, Circuit>;
type Device = Plan['devices'][string];
type PortUse = Device['ports'][string];

/** Circuits in the order they are used: by priority, those without one last. */
export function inOrder(circuits: Circuits): string[] {
  const rank = (circuit: Circuit) => circuit.priority ?? 10_000;
  return Object.entries(circuits)
    .sort(([, a], [, b]) => rank(a) - rank(b))
    .map(([id]) => id);
}

/** Whether it is said which circuit is used first, and so on. */
export function orderSaid(circuits: Circuits): boolean {
  const said = Object.values(circuits).map(({ priority }) => priority);
  return !said.includes(null) && new Set(said).size === said.length;
}

const ordered = (ids: string[]): Operation[] =>
  ids.map((id, place) => ({ op: 'add', path: `/circuits/${id}/priority`, value: place + 1 }));

/** Use a circuit before all others. */
export function usedFirst(circuits: Circuits, id: string): Operation[] {
  return ordered([id, ...inOrder(circuits).filter((other) => other !== id)]);
}

/** The last place in the order of use that a plan knows. */
const LAST_PLACE = 1000;

/** One more circuit, used after those that are there. */
export function furtherCircuit(circuits: Circuits): { id: string; operations: Operation[] } {
  const id = freshId(circuits);
  const labels = Object.values(circuits).map(({ label }) => label);
  let label = labels.includes('Main') ? 'Backup' : 'Main';
  for (let number = 2; labels.includes(label); number += 1) label = `Backup ${number}`;
  const before = inOrder(circuits);
  const last = Math.max(0, ...Object.values(circuits).map(({ priority }) => priority ?? 0));
  const said = orderSaid(circuits) && last < LAST_PLACE;
  const priority = before.length === 0 ? null : (said ? last : before.length) + 1;
  return {
    id,
    operations: [
      ...(said ? [] : ordered(before)),
      { op: 'add', path: `/circuits/${id}`, value: { label, priority } },
    ],
  };
}

const escaped = (name: string) => name.replaceAll('~', '~0').replaceAll('/', '~1');
const UNPLUGGED = { mode: 'unused', circuit: null, peer: null, peer_port: null, gateway: null } as const;

/** Taking a circuit out, as a proposal: what was there for it alone goes with it. */
export function circuitRemoval(plan: Plan, id: string): Schemas['ProposalShown'] {
  const circuit = plan.circuits[id];
  const hops = new Set([circuit?.gateway, circuit?.gateway6].filter((hop) => hop != null));
  const operations: Operation[] = [];
  const lost: string[] = [];
  const unplug = (key: string, port: string, use: PortUse | undefined) => {
    if (!use) return;
    operations.push({
      op: 'add',
      path: `/devices/${key}/ports/${escaped(port)}`,
      value: { ...use, ...UNPLUGGED },
    });
  };
  for (const [key, device] of Object.entries(plan.devices)) {
    const name = device.name ?? device.role;
    for (const [port, use] of Object.entries(device.ports)) {
      if (use.circuit !== id) continue;
      unplug(key, port, use);
      if (use.peer && use.peer_port)
        unplug(use.peer, use.peer_port, plan.devices[use.peer]?.ports[use.peer_port]);
      lost.push(`Port ${port} of ${name} is unused then`);
    }
    for (const [kind, one, many] of [
      ['routes', 'route', 'routes'],
      ['translations', 'translation', 'translations'],
      ['publications', 'publication', 'publications'],
    ] as const) {
      const gone = Object.entries(device[kind]).filter(
        ([, entry]) => entry.circuit === id || ('via' in entry && entry.via !== null && hops.has(entry.via)),
      );
      operations.push(...gone.map(([entry]) => remove(`/devices/${key}/${kind}/${entry}`)));
      if (gone.length > 0) lost.push(`${count(gone.length, one, many)} of ${name}`);
    }
  }
  operations.push(remove(`/circuits/${id}`));
  return {
    sentence: `Remove circuit ${circuit?.label ?? ''}, and what is there for it alone`,
    operations,
    lost,
  };
}
