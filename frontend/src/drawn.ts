import type { ComponentType } from 'react';
import { fetched } from './parts/fetched';

const loading: (() => Promise<unknown>)[] = [];

/** The parts of a page, fetched when it is looked at first, or when nothing else is to do. */
function page<Name extends string>(load: () => Promise<Record<Name, ComponentType>>, name: Name) {
  loading.push(load);
  return fetched(async () => (await load())[name]);
}

/** Fetch all pages, so that none has to be waited for. */
export function fetchAll(): void {
  for (const load of loading) void load().catch(() => null);
}

/** What is drawn at the path of each page. */
export const PARTS: Record<string, ComponentType> = {
  '/outbound': page(() => import('./outbound/OutboundPage'), 'OutboundPage'),
  '/new': page(() => import('./register/NewSitePage'), 'NewSitePage'),
  '/space': page(() => import('./space/SpacePage'), 'SpacePage'),
  '/findings': page(() => import('./findings/FindingsPage'), 'FindingsPage'),
  '/compare': page(() => import('./compare/ComparePage'), 'ComparePage'),
  '/customers': page(() => import('./customers/CustomersPage'), 'CustomersPage'),
  '/customers/:code': page(() => import('./customers/CustomerPage'), 'CustomerPage'),
  '/patterns': page(() => import('./patterns/PatternsPage'), 'PatternsPage'),
  '/patterns/:key': page(() => import('./patterns/PatternPage'), 'PatternPage'),
  '/imports': page(() => import('./imports/InboxPage'), 'InboxPage'),
  '/questions': page(() => import('./questions/QuestionsPage'), 'QuestionsPage'),
  '/rollout': page(() => import('./patterns/RolloutPage'), 'RolloutPage'),
  '/hardware/:key?': page(() => import('./hardware/HardwarePage'), 'HardwarePage'),
  '/practice': page(() => import('./practice/PracticePage'), 'PracticePage'),
  '/templates/:key?': page(() => import('./hardware/WriteOutPage'), 'WriteOutPage'),
  '/safe': page(() => import('./safe/SafePage'), 'SafePage'),
  '/journal': page(() => import('./journal/JournalPage'), 'JournalPage'),
  '/rules': page(() => import('./rules/RulesPage'), 'RulesPage'),
  '/settings': page(() => import('./organisation/SettingsPage'), 'SettingsPage'),
  '/guide': page(() => import('./register/GuidePage'), 'GuidePage'),
  '/me': page(() => import('./people/MePage'), 'MePage'),
  '/people': page(() => import('./people/PeoplePage'), 'PeoplePage'),
  '/operation': page(() => import('./operation/OperationPage'), 'OperationPage'),
  intake: page(() => import('./desk/intake/IntakePage'), 'IntakePage'),
  addresses: page(() => import('./desk/addresses/AddressesPage'), 'AddressesPage'),
  devices: page(() => import('./desk/devices/DevicesPage'), 'DevicesPage'),
  traffic: page(() => import('./desk/traffic/TrafficPage'), 'TrafficPage'),
  credentials: page(() => import('./desk/credentials/CredentialsPage'), 'CredentialsPage'),
  clearance: page(() => import('./desk/clearance/ClearancePage'), 'ClearancePage'),
  'bench/:device?': page(() => import('./desk/bench/BenchPage'), 'BenchPage'),
  handover: page(() => import('./desk/handover/HandoverPage'), 'HandoverPage'),
  'runs/:number?': page(() => import('./desk/bench/RunsPage'), 'RunsPage'),
  'text/:device?': page(() => import('./desk/text/TextPage'), 'TextPage'),
  rehearsal: page(() => import('./desk/rehearsal/RehearsalPage'), 'RehearsalPage'),
  'read-back/:device?': page(() => import('./desk/text/ReadBackPage'), 'ReadBackPage'),
};

/** The desk of a site, which its pages are drawn in. */
export const DESK = page(() => import('./desk/DeskPage'), 'DeskPage');
