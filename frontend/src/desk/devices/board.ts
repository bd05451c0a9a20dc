import type { Plan, HardwareType } from '../../api/client';

/** Sizes of the wiring board, in pixels. */
export const SIZES = {
  label: 186,
  step: 60,
  perRow: 12,
  jack: 44,
  row: 80,
  last: 66,
  head: 30,
  gap: 34,
  socket: 168,
  top: 62,
};

export interface Point {
  x: number;
  y: number;
}

export interface PanelPlace {
  key: string;
  y: number;
  height: number;
  /** Where each port's jack is, by name: the middle of its upper edge. */
  jacks: Record<string, Point>;
}

export interface BoardPlan {
  height: number;
  sockets: Record<string, Point>;
  panels: PanelPlace[];
}

/** The ports of a device: those of its type, then any that the plan uses besides. */
export function portsOf(plan: Plan, device: string, types: Record<string, HardwareType>): string[] {
  const box = plan.devices[device];
  if (!box) return [];
  const known = (types[box.type]?.panel ?? [])
    .filter((port) => port.medium === 'copper' || port.medium === 'fibre')
    .map((port) => port.name);
  const further = Object.keys(box.ports).filter(
    (name) => !known.includes(name) && box.ports[name]?.mode !== 'unused',
  );
  return [...known, ...further];
}

/** The order of the panels: from the provider inwards. */
export function inOrder(plan: Plan): string[] {
  const roles = ['modem', 'edge', 'inner-router', 'switch', 'access-point'];
  return Object.keys(plan.devices).sort(
    (a, b) => roles.indexOf(plan.devices[a]?.role ?? '') - roles.indexOf(plan.devices[b]?.role ?? ''),
  );
}

/** Where sockets, panels and jacks are. */
export function layOut(plan: Plan, types: Record<string, HardwareType>): BoardPlan {
  const sockets: Record<string, Point> = {};
  Object.keys(plan.circuits).forEach((key, index) => {
    sockets[key] = { x: SIZES.label + index * (SIZES.socket + 12) + SIZES.socket / 2, y: 38 };
  });
  let y = Object.keys(plan.circuits).length > 0 ? SIZES.top : 0;
  const panels = inOrder(plan).map((key) => {
    const ports = portsOf(plan, key, types);
    const rows = Math.max(1, Math.ceil(ports.length / SIZES.perRow));
    const jacks: Record<string, Point> = {};
    ports.forEach((name, index) => {
      const column = index % SIZES.perRow;
      const row = Math.floor(index / SIZES.perRow);
      jacks[name] = {
        x: SIZES.label + column * SIZES.step + SIZES.step / 2,
        y: y + SIZES.head + row * SIZES.row,
      };
    });
    const place = { key, y, height: SIZES.head + (rows - 1) * SIZES.row + SIZES.last + 4, jacks };
    y += place.height + SIZES.gap;
    return place;
  });
  return { height: Math.max(0, y - SIZES.gap + 8), sockets, panels };
}

export interface Strand {
  key: string;
  path: string;
  /** The segment whose colour it has; empty for a circuit. */
  segment: string;
}

/** A cable that hangs between two points; `shift` sets strands of one cable side by side. */
export function hang(from: Point, to: Point, shift = 0): string {
  const down = Math.max(24, Math.abs(to.y - from.y) / 2);
  const [x1, x2] = [from.x + shift, to.x + shift];
  return `M${x1} ${from.y}C${x1} ${from.y + down} ${x2} ${to.y - down} ${x2} ${to.y}`;
}

/** Every cable as strands: one for a circuit, one for each segment between two boxes. */
export function strands(plan: Plan, board: BoardPlan): Strand[] {
  const found: Strand[] = [];
  const panels = Object.fromEntries(board.panels.map((panel) => [panel.key, panel]));
  for (const [key, device] of Object.entries(plan.devices)) {
    for (const [name, use] of Object.entries(device.ports)) {
      const jack = panels[key]?.jacks[name];
      if (!jack || use.mode === 'unused') continue;
      const socket = use.mode === 'circuit' && use.circuit ? board.sockets[use.circuit] : undefined;
      if (socket) found.push({ key: `${key}/${name}`, path: hang(socket, above(jack)), segment: '' });
      const far = use.peer && use.peer_port ? panels[use.peer]?.jacks[use.peer_port] : undefined;
      const mine = panels[key]?.y ?? 0;
      const theirs = use.peer ? (panels[use.peer]?.y ?? 0) : 0;
      if (!far || (mine > theirs && hasBack(plan, key, name))) continue;
      const carried = [...(use.segment ? [use.segment] : []), ...use.tagged];
      const [upper, lower] = mine <= theirs ? [jack, far] : [far, jack];
      carried.slice(0, 8).forEach((segment, index) => {
        const shift = (index - (Math.min(8, carried.length) - 1) / 2) * 3.5;
        const path = hang({ x: upper.x, y: upper.y + SIZES.jack + 14 }, above(lower), shift);
        found.push({ key: `${key}/${name}/${segment}`, path, segment });
      });
    }
  }
  return found;
}

/** Above the name of a port: where a cable from above ends. */
function above(jack: Point): Point {
  return { x: jack.x, y: jack.y - 20 };
}

/** Whether the far end of a cable names this end as well: then one of the two draws it. */
function hasBack(plan: Plan, key: string, name: string): boolean {
  const use = plan.devices[key]?.ports[name];
  const back = use?.peer && use.peer_port ? plan.devices[use.peer]?.ports[use.peer_port] : undefined;
  return back?.peer === key && back.peer_port === name && back.mode !== 'unused';
}
