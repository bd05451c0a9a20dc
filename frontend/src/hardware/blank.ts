import type { HardwareType } from '../api/client';
import { portLike, portsOf } from './ports';

/** Where a box gets its power from. */
export type Power = HardwareType['powered_by'][number];

/** In words. */
export const POWER: Record<Power, string> = {
  supply: 'its own supply',
  injector: 'an injector',
  port: 'the port it hangs on',
};

/** The parts of a run sheet that a note may be about. */
export const TOPICS: Record<NonNullable<HardwareType['notes'][number]['about']>, string> = {
  carton: 'opening the carton',
  'log-in': 'logging in',
  firmware: 'firmware',
  identity: 'names and time',
  internet: 'internet side',
  inside: 'inside',
  rules: 'rules',
  wifi: 'Wi-Fi',
  access: 'management access',
  'taking effect': 'taking effect',
  saving: 'saving',
  restart: 'restarting',
  backup: 'the backup',
};

/** A secret about which nothing special is demanded. */
export const BLANK_SLOT: HardwareType['slots'][string] = {
  label: null,
  shortest: 12,
  longest: 32,
  lower: true,
  upper: true,
  digit: true,
  symbol: false,
  forbidden: '',
  digits_only: false,
  distinct_from: [],
};

/** A type about which nothing is known yet. */
export const BLANK: HardwareType = {
  schema: 'octaplan.hardware-type/1',
  key: '',
  maker: '',
  model: '',
  kind: 'router',
  panel: [
    {
      name: 'WAN',
      medium: 'copper',
      factory_role: 'internet',
      bridge: null,
      laptop: false,
      why_not: 'it asks the provider for an address',
      powers: false,
    },
    portLike(undefined, '1'),
  ],
  factory: {
    addressing: 'fixed',
    address: null,
    prefix: 24,
    leases: null,
    web: 'https',
    web_port: null,
    certificate_warning: null,
    services: [],
    user: 'admin',
    password: 'label',
    known_password: null,
    interfaces_disabled: false,
    blocked: false,
  },
  console: null,
  takes: 'at once',
  kept: 'always',
  powered_by: ['supply'],
  radio: false,
  restart_needed: false,
  ssh_needs_full_name: false,
  slots: {
    administrator: { ...BLANK_SLOT, label: 'administrator password' },
  },
  firmware: { wanted: null, source: 'laptop', how: null },
  licences: {},
  leftovers: [],
  lights: {},
  confirms: false,
  restconf: false,
  write_out: null,
  notes: [],
};

const outside = BLANK.panel.slice(0, 1);
const inside = BLANK.panel.slice(1);

/** What is usual of a type of a kind, as far as that differs from a router. */
const OF_KIND: Record<HardwareType['kind'], Partial<HardwareType>> = {
  router: {},
  firewall: { kept: BLANK.kept },
  switch: { panel: portsOf('1-8', inside[0]).ports },
  'access point': { panel: portsOf('LAN', inside[0]).ports, radio: true, powered_by: ['port', 'injector'] },
  modem: { panel: [...outside, ...portsOf('1', inside[0]).ports] },
};

/** A type of a kind about which nothing more is known. */
export function blankOf(kind: HardwareType['kind']): HardwareType {
  return { ...BLANK, ...OF_KIND[kind], kind };
}

/** Another type that is like one: all of it but its name, and what was learned of that one alone. */
export function copyOf(type: HardwareType): HardwareType {
  return { ...type, key: '', model: '', notes: [] };
}

/** The key of a type, from maker and model: Skerry F7 is skerry-f7. */
export function keyOf(maker: string, model: string): string {
  return `${maker} ${model}`
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 40);
}
