import type { HardwareType } from '../api/client';

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
    },
    { name: '1', medium: 'copper', factory_role: 'inside', bridge: 'inside', laptop: true, why_not: null },
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
  radio: false,
  restart_needed: false,
  ssh_needs_full_name: false,
  slots: {
    administrator: { ...BLANK_SLOT, label: 'administrator password' },
  },
  firmware: { wanted: null, how: null },
  licences: {},
  leftovers: [],
  lights: {},
  notes: [],
};

/** The key of a type, from maker and model: Skerry F7 is skerry-f7. */
export function keyOf(maker: string, model: string): string {
  return `${maker} ${model}`
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 40);
}
