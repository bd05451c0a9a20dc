import type { Schemas } from '../../api/client';

/** What the roles of boxes are called. */
export const ROLE_WORDS: Record<Schemas['DeviceRole'], string> = {
  edge: 'edge',
  'inner-router': 'inner router',
  switch: 'switch',
  'access-point': 'access point',
  modem: "provider's modem",
};

/** Which kinds of hardware can take a role. */
export const KINDS: Record<Schemas['DeviceRole'], Schemas['BoxKind'][]> = {
  edge: ['firewall', 'router'],
  'inner-router': ['firewall', 'router'],
  switch: ['switch'],
  'access-point': ['access point'],
  modem: ['modem'],
};
