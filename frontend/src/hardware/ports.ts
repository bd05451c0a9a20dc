import type { HardwareType } from '../api/client';

export type Port = HardwareType['panel'][number];

const MEDIA: Port['medium'][] = ['copper', 'fibre', 'cellular', 'console', 'usb'];
const ROLES: Port['factory_role'][] = ['internet', 'inside', 'management', 'none'];
const MOST = 128;

/** A port about which only its name is known, like the one before it. */
export function portLike(last: Port | undefined, name: string): Port {
  return {
    medium: 'copper',
    factory_role: 'inside',
    bridge: 'inside',
    laptop: true,
    why_not: null,
    powers: false,
    ...last,
    name,
  };
}

/** The name of the port beside one: 4 after 3, LAN2 after LAN1. */
export function nextName(name: string): string {
  const match = /^(.*?)(\d+)$/.exec(name);
  return match ? `${match[1]}${Number(match[2]) + 1}` : '1';
}

/**
 * Ports as people write them: `1-24, 25-28 fibre, MGMT management`. A name or a run of names, then what is special about
 * it. What cannot be read is told.
 */
export function portsOf(typed: string, last: Port | undefined): { ports: Port[]; problem: string } {
  const ports: Port[] = [];
  for (const part of typed.split(/[,;\n]+/).map((one) => one.trim())) {
    if (!part) continue;
    const [run = '', ...words] = part.split(/\s+/);
    const medium = MEDIA.find((one) => words.includes(one));
    const role = ROLES.find((one) => words.includes(one));
    const odd = words.find((word) => ![...MEDIA, ...ROLES, 'power', 'poe'].includes(word as never));
    if (odd) return { ports: [], problem: `“${odd}” is no medium and no role: write such as 25-28 fibre` };
    for (const name of namesOf(run)) {
      const like = portLike(last?.factory_role === 'internet' ? undefined : last, name);
      ports.push({
        ...like,
        ...(medium ? { medium } : {}),
        ...(role ? { factory_role: role, ...(role === 'inside' ? {} : { bridge: null }) } : {}),
        ...(words.some((word) => word === 'power' || word === 'poe') ? { powers: true } : {}),
      });
    }
    if (ports.length > MOST) return { ports: [], problem: `That is more than ${MOST} ports` };
  }
  const twice = ports.find((port, place) => ports.findIndex(({ name }) => name === port.name) < place);
  return twice ? { ports: [], problem: `Port ${twice.name} is there twice` } : { ports, problem: '' };
}

/** The names of a run: `1-24`, `LAN1-LAN4`, `ge-0/0/1-4`; of what is no run, that. */
function namesOf(run: string): string[] {
  const match = /^(.*?)(\d+)\s*[-–]\s*(.*?)(\d+)$/.exec(run);
  if (!match) return [run];
  const [, before = '', first = '', again = '', last = ''] = match;
  const many = Number(last) - Number(first);
  if ((again && again !== before) || many < 0 || many > MOST) return [run];
  return Array.from({ length: many + 1 }, (_, step) => `${before}${Number(first) + step}`);
}
