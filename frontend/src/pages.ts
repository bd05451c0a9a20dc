import type { ComponentType } from 'react';
import type { Schemas } from './api/client';
import { fetched } from './parts/fetched';

/** One page: where it is, what it is called, what Go to finds it by, where a way to it stands, and its parts. */
export interface Page {
  path: string;
  title: string;
  about?: string;
  menu?: 'strip' | 'person' | 'administrator';
  page: ComponentType;
}

const loading: (() => Promise<unknown>)[] = [];

/** A page that is fetched when it is looked at first, or when nothing else is to do. */
function page<Name extends string>(load: () => Promise<Record<Name, ComponentType>>, name: Name) {
  loading.push(load);
  return fetched(async () => (await load())[name]);
}

/** Fetch all pages, so that none has to be waited for. */
export function fetchAll(): void {
  for (const load of loading) void load().catch(() => null);
}

/** The pages, in the order of the strip, of the person's menu and of Go to. */
export const PAGES: Page[] = [
  {
    path: '/outbound',
    title: 'Outbound',
    about: 'sites in preparation, load intake tables, import',
    menu: 'strip',
    page: page(() => import('./outbound/OutboundPage'), 'OutboundPage'),
  },
  {
    path: '/new',
    title: 'New site',
    about: 'begin a site or customer by hand, add, make',
    page: page(() => import('./register/NewSitePage'), 'NewSitePage'),
  },
  {
    path: '/space',
    title: 'Address space',
    about: 'blocks, free room, prefixes',
    menu: 'strip',
    page: page(() => import('./space/SpacePage'), 'SpacePage'),
  },
  {
    path: '/findings',
    title: 'Findings',
    about: 'stops, warns, everything that was found, mend many',
    menu: 'strip',
    page: page(() => import('./findings/FindingsPage'), 'FindingsPage'),
  },
  {
    path: '/compare',
    title: 'Compare',
    about: 'two revisions or two sites beside each other',
    page: page(() => import('./compare/ComparePage'), 'ComparePage'),
  },
  {
    path: '/customers',
    title: 'Customers',
    about: 'blocks, room left, reach groups, defaults, notes',
    menu: 'strip',
    page: page(() => import('./customers/CustomersPage'), 'CustomersPage'),
  },
  {
    path: '/customers/:code',
    title: 'Customer',
    page: page(() => import('./customers/CustomerPage'), 'CustomerPage'),
  },
  {
    path: '/patterns',
    title: 'Patterns',
    about: 'layouts of segments for a kind of site',
    menu: 'strip',
    page: page(() => import('./patterns/PatternsPage'), 'PatternsPage'),
  },
  {
    path: '/patterns/:key',
    title: 'Pattern',
    page: page(() => import('./patterns/PatternPage'), 'PatternPage'),
  },
  {
    path: '/imports',
    title: 'Refused rows',
    about: 'inbox of intake tables, mend, dismiss',
    page: page(() => import('./imports/InboxPage'), 'InboxPage'),
  },
  {
    path: '/questions',
    title: 'Open questions',
    about: 'lists for providers and customers, answers read back',
    page: page(() => import('./questions/QuestionsPage'), 'QuestionsPage'),
  },
  {
    path: '/rollout',
    title: 'Many sites at once',
    about: 'make sites from a pattern, rollout',
    page: page(() => import('./patterns/RolloutPage'), 'RolloutPage'),
  },
  {
    path: '/hardware/:key?',
    title: 'Hardware',
    about: 'types of routers, firewalls, switches',
    menu: 'strip',
    page: page(() => import('./hardware/HardwarePage'), 'HardwarePage'),
  },
  {
    path: '/practice',
    title: 'Practice',
    about: 'bench of stand-ins, simulated boxes, let Octaplan stage',
    menu: 'strip',
    page: page(() => import('./practice/PracticePage'), 'PracticePage'),
  },
  {
    path: '/templates/:key?',
    title: 'Write-out',
    about: 'templates of a hardware type, text to paste',
    page: page(() => import('./hardware/WriteOutPage'), 'WriteOutPage'),
  },
  {
    path: '/safe',
    title: 'Safe',
    about: 'secrets, passwords',
    menu: 'strip',
    page: page(() => import('./safe/SafePage'), 'SafePage'),
  },
  {
    path: '/journal',
    title: 'Journal',
    about: 'who did what',
    menu: 'strip',
    page: page(() => import('./journal/JournalPage'), 'JournalPage'),
  },
  {
    path: '/rules',
    title: 'Rule book',
    about: 'every rule with its reason',
    menu: 'person',
    page: page(() => import('./rules/RulesPage'), 'RulesPage'),
  },
  {
    path: '/settings',
    title: 'Settings',
    about: 'own networks, blocks of customers, conventions',
    menu: 'person',
    page: page(() => import('./organisation/SettingsPage'), 'SettingsPage'),
  },
  {
    path: '/guide',
    title: 'Guide',
    about: 'how the work goes, help',
    menu: 'person',
    page: page(() => import('./register/GuidePage'), 'GuidePage'),
  },
  {
    path: '/me',
    title: 'My account',
    about: 'own password, second factor',
    menu: 'person',
    page: page(() => import('./people/MePage'), 'MePage'),
  },
  {
    path: '/people',
    title: 'People',
    about: 'accounts, roles, passwords of others',
    menu: 'administrator',
    page: page(() => import('./people/PeoplePage'), 'PeoplePage'),
  },
  {
    path: '/operation',
    title: 'Operation',
    about: 'backups, certificate, limits, health',
    menu: 'administrator',
    page: page(() => import('./operation/OperationPage'), 'OperationPage'),
  },
];

/** The desk of a site. */
export const DESK = page(() => import('./desk/DeskPage'), 'DeskPage');

/** Its pages in the order of the work, each with its number as a key. */
export const STAGES: (Page & { stage: keyof Schemas['Stages'] })[] = [
  {
    stage: 'intake',
    path: 'intake',
    title: 'Intake',
    page: page(() => import('./desk/intake/IntakePage'), 'IntakePage'),
  },
  {
    stage: 'addresses',
    path: 'addresses',
    title: 'Addresses',
    page: page(() => import('./desk/addresses/AddressesPage'), 'AddressesPage'),
  },
  {
    stage: 'devices',
    path: 'devices',
    title: 'Devices',
    page: page(() => import('./desk/devices/DevicesPage'), 'DevicesPage'),
  },
  {
    stage: 'traffic',
    path: 'traffic',
    title: 'Traffic',
    page: page(() => import('./desk/traffic/TrafficPage'), 'TrafficPage'),
  },
  {
    stage: 'credentials',
    path: 'credentials',
    title: 'Credentials',
    page: page(() => import('./desk/credentials/CredentialsPage'), 'CredentialsPage'),
  },
  {
    stage: 'clearance',
    path: 'clearance',
    title: 'Clearance',
    page: page(() => import('./desk/clearance/ClearancePage'), 'ClearancePage'),
  },
  {
    stage: 'bench',
    path: 'bench/:device?',
    title: 'Bench',
    page: page(() => import('./desk/bench/BenchPage'), 'BenchPage'),
  },
  {
    stage: 'handover',
    path: 'handover',
    title: 'Handover',
    page: page(() => import('./desk/handover/HandoverPage'), 'HandoverPage'),
  },
];

/** Further pages of a site, which no stage leads to by a number. */
export const SITE_PAGES: Page[] = [
  {
    path: 'runs/:number?',
    title: 'All runs',
    page: page(() => import('./desk/bench/RunsPage'), 'RunsPage'),
  },
  {
    path: 'text/:device?',
    title: 'As text',
    page: page(() => import('./desk/text/TextPage'), 'TextPage'),
  },
  {
    path: 'rehearsal',
    title: 'Rehearsal',
    page: page(() => import('./desk/rehearsal/RehearsalPage'), 'RehearsalPage'),
  },
  {
    path: 'read-back/:device?',
    title: 'Read back',
    page: page(() => import('./desk/text/ReadBackPage'), 'ReadBackPage'),
  },
];

/** Where a page's path leads without what it takes, such as `/hardware` for `/hardware/:key?`. */
export function wayTo(page: Page): string {
  return page.path.replace(/\/:.*/, '');
}

function siteTitle(stage: string): string | undefined {
  return (STAGES.find((one) => one.stage === stage) ?? SITE_PAGES.find((one) => wayTo(one) === stage))?.title;
}

/** What the browser's tab is called at an address: the page, or the site and its stage. */
export function titleAt(pathname: string): string {
  const [, first = '', customer = '', site = '', stage = ''] = pathname.split('/').map(decodeURIComponent);
  if (first === 'sites')
    return [`${customer}/${site}`, siteTitle(stage), 'Octaplan'].filter(Boolean).join(' · ');
  const at = PAGES.filter((page) => wayTo(page) === `/${first}`);
  const page = customer ? (at[1] ?? at[0]) : at[0];
  const name = page?.path.includes(':') && customer ? `${page.title} ${customer}` : page?.title;
  return [name, 'Octaplan'].filter(Boolean).join(' · ');
}
