import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Desk = Schemas['Desk'];
export type Plan = Schemas['SitePlan'];
export type Circuit = Schemas['Circuit'];
export type Segment = Schemas['Segment'];
export type Host = Schemas['Host'];
export type Finding = Schemas['FindingShown'];
export type Operation = Schemas['PatchOperation'];
export type OutboundSite = Schemas['OutboundSite'];
export type Person = Schemas['SignedIn'];
export type Preview = Schemas['PreviewShown'];
export type Device = Schemas['Device'];
export type PortUse = Schemas['PortUse'];
export type Wireless = Schemas['Wireless'];
export type HardwareType = Schemas['HardwareType'];
export type TypeShown = Schemas['TypeShown'];
export type Slot = Schemas['SlotShown'];
export type SiteSlots = Schemas['SiteSlots'];
export type Run = Schemas['RunShown'];
export type Step = Schemas['StepShown'];
export type Situation = Schemas['Situation'];

/** One value that somebody else has changed in the meantime. */
export interface Clash {
  path: string;
  base: unknown;
  yours: unknown;
  theirs: unknown;
}

/** An answer that says something else than what was confirmed. */
export interface Contradiction {
  key: string;
  short: string;
  confirmed: string;
  by: string;
  at: string;
  given: string;
}

/** An answer that is a problem document (RFC 9457). */
export class Failure extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly clashes: Clash[] = [],
    readonly by = '',
    readonly revision = 0,
    readonly secondFactor = false,
    readonly reasonNeeded = false,
    /** The value that was refused, where that is known. */
    readonly path = '',
    /** Answers that say something else than what was confirmed. */
    readonly contradictions: Contradiction[] = [],
    /** What a site is called now that was looked for under a code of before, as `customer/site`. */
    readonly now = '',
  ) {
    super(detail);
  }
}

/** The failure that a response tells of. */
export async function failureOf(response: Response): Promise<Failure> {
  const problem = await response.json().catch(() => ({}));
  const detail = problem.detail ?? `The server answered ${response.status}. Try again`;
  return new Failure(
    response.status,
    detail,
    problem.clashes,
    problem.by,
    problem.revision,
    problem.second_factor,
    problem.reason_needed,
    problem.path,
    problem.contradictions,
    problem.now,
  );
}

/** Told to the window when the server failed to answer a question. */
export const FAILED = 'octaplan-failed';

/** The event on `window` that tells that the session has ended under an open page. */
export const ENDED = 'octaplan-session-ended';

const own: Middleware = {
  onRequest({ request }) {
    request.headers.set('X-Octaplan', '1');
    return request;
  },
  async onResponse({ response }) {
    if (response.status === 401 && !response.url.endsWith('/api/session'))
      window.dispatchEvent(new Event(ENDED));
    if (!response.ok) throw await failureOf(response);
  },
  onError({ error }) {
    if (error instanceof Failure) return error;
    return new Failure(0, 'The server does not answer. What you typed is kept here; try again');
  },
};

export const api = createClient<paths>({ baseUrl: '/' });
api.use(own);

/** The body of an answer that is known to have one. */
export function body<T>(answer: { data?: T }): T {
  if (answer.data === undefined) throw new Failure(0, 'The server sent an empty answer. Try again');
  return answer.data;
}
