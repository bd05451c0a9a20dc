import type { Schemas } from '../api/client';
import { lease } from '../parts/words';
import { subnet } from '../ruler/addresses';

export type Settings = Schemas['Organisation'];

/** The settings as a person types them: lists are one entry a line. */
export interface Draft {
  ownNetworks: string;
  commonDefaults: string;
  blocks: Record<string, string>;
  gateway: string;
  hosts: string;
  leaveFixed: string;
  growth: string;
  flagDocumentation: boolean;
  ownedDomains: string;
  /** What new segments, boxes and Wi-Fi networks begin with. */
  beginning: Record<'resolvers' | 'lease' | 'range' | 'timeServers' | 'managedFrom' | 'country', string>;
  naming: string;
  banner: string;
  support: string;
  readBack: boolean;
  rehearsed: boolean;
  practiceCounts: boolean;
  stagesReal: boolean;
  handsNetworks: string;
  /** Who is meant to reach whom, by role: empty for closed, `open`, or services. */
  intent: Record<string, Record<string, string>>;
  /** What is usual at single customers, which their own pages change. */
  customers: Settings['customers'];
}

export function draftOf(settings: Settings): Draft {
  return {
    ownNetworks: settings.own_networks.map(({ network, name }) => `${network} ${name}`).join('\n'),
    commonDefaults: settings.common_defaults.join('\n'),
    blocks: Object.fromEntries(
      Object.entries(settings.blocks).map(([customer, blocks]) => [customer, blocks.join(' ')]),
    ),
    gateway: settings.gateway,
    hosts: settings.hosts,
    leaveFixed: String(settings.leave_fixed),
    growth: String(settings.growth),
    flagDocumentation: settings.flag_documentation,
    ownedDomains: settings.owned_domains.join('\n'),
    beginning: {
      resolvers: settings.beginning.resolvers.join(' '),
      lease: lease(settings.beginning.lease),
      range: settings.beginning.range ?? '',
      timeServers: settings.beginning.time_servers.join(' '),
      managedFrom: settings.beginning.managed_from.join(' '),
      country: settings.beginning.country ?? '',
    },
    naming: settings.naming,
    banner: settings.banner,
    support: settings.support,
    readBack: settings.read_back,
    rehearsed: settings.rehearsed,
    practiceCounts: settings.practice_counts,
    stagesReal: settings.stages_real,
    handsNetworks: settings.hands_networks.join('\n'),
    intent: typedIntent(settings.intent),
    customers: settings.customers,
  };
}

/** Who can be asked by the table of intent: roles of segments, and places. */
export const ASKED = [
  ...['office', 'voice', 'guest', 'cameras', 'servers', 'management', 'wireless', 'isolated', 'other'],
  ...['internet', 'other-sites', 'boxes'],
];

/** The table as people type it; `all` is told cell by cell. */
function typedIntent(table: Settings['intent']): Draft['intent'] {
  return Object.fromEntries(
    Object.entries(table).map(([source, row]) => [
      source,
      Object.fromEntries(
        ASKED.map((target) => {
          const text = row[target] ?? row['all'] ?? 'none';
          return [target, text === 'none' ? '' : text === 'any' ? 'open' : text];
        }),
      ),
    ]),
  );
}

function intentOf(typed: Draft['intent']): Settings['intent'] {
  const rows = Object.entries(typed).map(([source, row]) => {
    const said = Object.entries(row).filter(([, text]) => text.trim());
    const cells = said.map(([target, text]) => [
      target,
      text.trim().toLowerCase() === 'open' ? 'any' : text.trim(),
    ]);
    return [source, Object.fromEntries(cells)] as [string, Record<string, string>];
  });
  return Object.fromEntries(rows.filter(([, row]) => Object.keys(row).length > 0));
}

/** What the server is sent; it reads the addresses and says what is wrong with them. */
export function documentOf(draft: Draft): Record<string, unknown> {
  return {
    schema: 'octaplan.organisation/1',
    own_networks: lines(draft.ownNetworks).map((line) => {
      const [network = '', ...name] = line.split(/\s+/);
      return { network, name: name.join(' ') || 'our own' };
    }),
    common_defaults: lines(draft.commonDefaults),
    blocks: Object.fromEntries(
      Object.entries(draft.blocks)
        .map(([customer, text]) => [customer, words(text)] as const)
        .filter(([, blocks]) => blocks.length > 0),
    ),
    gateway: draft.gateway,
    hosts: draft.hosts,
    leave_fixed: whole(draft.leaveFixed),
    growth: whole(draft.growth),
    flag_documentation: draft.flagDocumentation,
    owned_domains: lines(draft.ownedDomains),
    beginning: {
      resolvers: words(draft.beginning.resolvers),
      lease: draft.beginning.lease.trim() || null,
      range: draft.beginning.range.trim() || null,
      time_servers: words(draft.beginning.timeServers),
      managed_from: words(draft.beginning.managedFrom),
      country: draft.beginning.country.trim().toUpperCase() || null,
    },
    naming: draft.naming,
    banner: draft.banner,
    support: draft.support,
    read_back: draft.readBack,
    rehearsed: draft.rehearsed,
    practice_counts: draft.practiceCounts,
    stages_real: draft.stagesReal,
    hands_networks: lines(draft.handsNetworks),
    intent: intentOf(draft.intent),
    customers: draft.customers,
  };
}

/** Of the blocks as they are typed, those that overlap one of another customer, a sentence each. */
export function sharedBlocks(blocks: Draft['blocks']): string[] {
  const typed = Object.entries(blocks).flatMap(([customer, text]) =>
    words(text).flatMap((block) => {
      const net = subnet(block);
      return net ? [{ customer: customer.toUpperCase(), block, net }] : [];
    }),
  );
  return typed.flatMap((one, place) =>
    typed
      .slice(place + 1)
      .filter(
        ({ customer, net }) =>
          customer !== one.customer &&
          net.family === one.net.family &&
          net.first <= one.net.last &&
          one.net.first <= net.last,
      )
      .map((other) => `${one.block} of ${one.customer} overlaps ${other.block} of ${other.customer}`),
  );
}

function words(text: string): string[] {
  return text.split(/[\s,;]+/).filter(Boolean);
}

function lines(text: string): string[] {
  return text
    .split(/[\n;,]+/)
    .map((line) => line.trim())
    .filter(Boolean);
}

/** A number, or the text as it stands for the server to refuse. */
function whole(text: string): number | string {
  return /^\d{1,6}$/.test(text.trim()) ? Number(text) : text;
}
