import type { Person, Schemas } from './api/client';

/** One page: where it is, what it is called, what Go to finds it by, and where a way to it stands. */
export interface Page {
  path: string;
  title: string;
  about?: string;
  menu?: 'strip' | 'person';
  /** What one has to be permitted for it. */
  may?: Person['may'][number];
}

/** Whether a page is there for somebody. */
export function isFor(page: Page, may: Person['may']): boolean {
  return page.may === undefined || may.includes(page.may);
}

/** The pages, in the order of the strip, of the person's menu and of Go to. */
export const PAGES: Page[] = [
  {
    path: '/outbound',
    title: 'Outbound',
    about: 'sites in preparation, load intake tables, import',
    menu: 'strip',
  },
  {
    path: '/new',
    title: 'New site',
    about: 'begin a site or customer by hand, add, make',
  },
  {
    path: '/space',
    title: 'Address space',
    about: 'blocks, free room, prefixes',
    menu: 'strip',
  },
  {
    path: '/findings',
    title: 'Findings',
    about: 'stops, warns, everything that was found, mend many',
    menu: 'strip',
  },
  {
    path: '/compare',
    title: 'Compare',
    about: 'two revisions or two sites beside each other',
  },
  {
    path: '/customers',
    title: 'Customers',
    about: 'blocks, room left, reach groups, defaults, notes',
    menu: 'strip',
  },
  {
    path: '/customers/:code',
    title: 'Customer',
  },
  {
    path: '/patterns',
    title: 'Patterns',
    about: 'layouts of segments for a kind of site',
    menu: 'strip',
  },
  {
    path: '/patterns/:key',
    title: 'Pattern',
  },
  {
    path: '/imports',
    title: 'Refused rows',
    about: 'inbox of intake tables, mend, dismiss',
  },
  {
    path: '/questions',
    title: 'Open questions',
    about: 'lists for providers and customers, answers read back',
  },
  {
    path: '/rollout',
    title: 'Many sites at once',
    about: 'make sites from a pattern, rollout',
  },
  {
    path: '/hardware/:key?',
    title: 'Hardware',
    about: 'types of routers, firewalls, switches',
    menu: 'strip',
  },
  {
    path: '/practice',
    title: 'Practice',
    about: 'bench of stand-ins, simulated boxes, let Octaplan stage',
    menu: 'strip',
  },
  {
    path: '/templates/:key?',
    title: 'Write-out',
    about: 'templates of a hardware type, text to paste',
  },
  {
    path: '/safe',
    title: 'Safe',
    about: 'secrets, passwords',
    menu: 'strip',
  },
  {
    path: '/journal',
    title: 'Journal',
    about: 'who did what',
    menu: 'strip',
    may: 'audit',
  },
  {
    path: '/rules',
    title: 'Rule book',
    about: 'every rule with its reason',
    menu: 'person',
  },
  {
    path: '/settings',
    title: 'Settings',
    about: 'own networks, blocks of customers, conventions',
    menu: 'person',
  },
  {
    path: '/guide',
    title: 'Guide',
    about: 'how the work goes, help',
    menu: 'person',
  },
  {
    path: '/me',
    title: 'My account',
    about: 'own password, second factor',
    menu: 'person',
  },
  {
    path: '/people',
    title: 'People',
    about: 'accounts, roles, passwords of others',
    menu: 'person',
    may: 'administer',
  },
  {
    path: '/operation',
    title: 'Operation',
    about: 'backups, certificate, limits, health',
    menu: 'person',
    may: 'administer',
  },
];

/** The pages of a site's desk in the order of the work, each with its number as a key. */
export const STAGES: (Page & { stage: keyof Schemas['Stages'] })[] = [
  {
    stage: 'intake',
    path: 'intake',
    title: 'Intake',
  },
  {
    stage: 'addresses',
    path: 'addresses',
    title: 'Addresses',
  },
  {
    stage: 'devices',
    path: 'devices',
    title: 'Devices',
  },
  {
    stage: 'traffic',
    path: 'traffic',
    title: 'Traffic',
  },
  {
    stage: 'credentials',
    path: 'credentials',
    title: 'Credentials',
  },
  {
    stage: 'clearance',
    path: 'clearance',
    title: 'Clearance',
  },
  {
    stage: 'bench',
    path: 'bench/:device?',
    title: 'Bench',
  },
  {
    stage: 'handover',
    path: 'handover',
    title: 'Handover',
  },
];

/** Further pages of a site, which no stage leads to by a number. */
export const SITE_PAGES: Page[] = [
  {
    path: 'runs/:number?',
    title: 'All runs',
  },
  {
    path: 'text/:device?',
    title: 'As text',
  },
  {
    path: 'rehearsal',
    title: 'Rehearsal',
  },
  {
    path: 'read-back/:device?',
    title: 'Read back',
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
