import {
  keepPreviousData,
  useMutation,
  useQuery,
  useQueryClient,
  type QueryClient,
} from '@tanstack/react-query';
import { api, body, type Desk, type Operation, type Person, type Schemas } from './client';

/** How a site is named in addresses of the API. */
export interface SiteName {
  customer: string;
  site: string;
}

export const deskKey = ({ customer, site }: SiteName) => ['desk', `${customer}/${site}`.toLowerCase()];

export function usePerson() {
  return useQuery({
    queryKey: ['session'],
    queryFn: async () => body(await api.GET('/api/session')),
    staleTime: Infinity,
  });
}

export function useStart() {
  return useQuery({ queryKey: ['start'], queryFn: async () => body(await api.GET('/api/start')) });
}

export function useOutbound() {
  return useQuery({
    queryKey: ['outbound'],
    queryFn: async () => body(await api.GET('/api/outbound')),
    refetchInterval: 30_000,
  });
}

export function useDesk(name: SiteName) {
  return useQuery({
    queryKey: deskKey(name),
    queryFn: async () => body(await api.GET('/api/sites/{customer}/{site}', { params: { path: name } })),
    refetchInterval: 60_000,
  });
}

/** What each finding of a desk offers, worked out for just the findings that the desk shows. */
export function useRemedies(name: SiteName, desk: Desk) {
  const key = desk.findings.map((finding) => finding.identity).join(' ');
  return useQuery({
    queryKey: [...deskKey(name), 'remedies', desk.revision.number, key],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/remedies', { params: { path: name } })),
    enabled: desk.findings.length > 0,
  });
}

/** The findings that a plan would have with a change made. */
export async function draftFindings(name: SiteName, operations: Operation[]) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/draft', { params: { path: name }, body: operations }),
  );
}

export type Wish =
  | ({ what: 'add' } & Partial<Schemas['Adding']> & Pick<Schemas['Adding'], 'role'>)
  | Schemas['Splitting']
  | Schemas['Joining']
  | Schemas['Resizing']
  | Schemas['Copying']
  | Schemas['Moving']
  | Schemas['LayingOut'];

/** What a wish about the segments of a site comes to. */
export async function propose(name: SiteName, wish: Wish) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/propose', {
      params: { path: name },
      body: wish as Schemas['Splitting'],
    }),
  );
}

/** What a provider wrote, read into the fields of a circuit. */
export async function readLetter(name: SiteName, circuit: string, text: string) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/letter', {
      params: { path: name },
      body: { circuit, text },
    }),
  );
}

/**
 * Take what was read of a letter: each value by itself; what is not taken is told. `onWhole` is called before the page
 * shows the change, so that whoever sees it has the page and no dialog any more.
 */
export function useTakeLetter(name: SiteName, onWhole: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (what: { letter: Schemas['LetterTaken']; revision: number }) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/letter/take', {
          params: { path: name, header: { 'if-match': String(what.revision) } },
          body: what.letter,
        }),
      ),
    scope: { id: deskKey(name).join('/') },
    onSuccess: ({ desk, left }) => {
      if (left.length === 0) onWhole();
      tookPlace(queries, name, desk);
    },
    onError: () => queries.invalidateQueries({ queryKey: deskKey(name) }),
  });
}

/** Rows that were copied, read into hosts of a segment. */
export async function readHostRows(name: SiteName, segment: string, text: string) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/hosts', { params: { path: name }, body: { segment, text } }),
  );
}

/** Many fields, each read as if it had been typed. */
export async function readColumn(name: SiteName, entries: Schemas['TypedEntry'][]) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/column', { params: { path: name }, body: entries }),
  );
}

export function useHistory(name: SiteName, revision: number, open: boolean) {
  return useQuery({
    queryKey: [...deskKey(name), 'revisions', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/revisions', { params: { path: name } })),
    enabled: open,
  });
}

/** A change of a desk has been saved: this is how it stands now. */
function tookPlace(queries: QueryClient, name: SiteName, desk: Desk) {
  const which = { queryKey: deskKey(name), exact: true };
  const asked = queries.isFetching(which) > 0; // before this change was made, or was answered after it
  queries.setQueryData(deskKey(name), desk);
  if (asked) void queries.invalidateQueries(which);
  void queries.invalidateQueries({ queryKey: ['outbound'] });
}

export function useDeskMutation<T>(name: SiteName, send: (what: T) => Promise<Desk>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    scope: { id: deskKey(name).join('/') },
    onSuccess: (desk) => tookPlace(queries, name, desk),
    onError: () => queries.invalidateQueries({ queryKey: deskKey(name) }),
  });
}

/** Revisions that this page has made, by site: its own changes are no reason for a conflict with itself. */
const made = new Map<string, Set<number>>();

/** Save a JSON Patch that was made on a revision. */
export function useRevise(name: SiteName) {
  const queries = useQueryClient();
  return useDeskMutation(name, async (what: { operations: Operation[]; revision: number }) => {
    const key = deskKey(name).join('/');
    const own = made.get(key) ?? new Set<number>();
    let base = what.revision;
    while (own.has(base + 1)) base += 1;
    const desk = body(
      await api.PATCH('/api/sites/{customer}/{site}/plan', {
        params: { path: name, header: { 'if-match': String(base) } },
        body: what.operations,
      }),
    );
    const person = queries.getQueryData<Person>(['session']);
    if (desk.revision.number > base && desk.revision.by === person?.full_name) {
      made.set(key, own.add(desk.revision.number));
    }
    return desk;
  });
}

/** Undo, redo, or an earlier revision taken again: on what the page shows once all that is under way has been saved. */
export function useStep(name: SiteName) {
  const queries = useQueryClient();
  return useDeskMutation(name, async (what: { step: 'undo' | 'redo' | number }) => {
    const newest = queries.getQueryData<Desk>(deskKey(name))?.revision.number ?? 0;
    const params = { path: name, header: { 'if-match': String(newest) } };
    if (what.step === 'undo') return body(await api.POST('/api/sites/{customer}/{site}/undo', { params }));
    if (what.step === 'redo') return body(await api.POST('/api/sites/{customer}/{site}/redo', { params }));
    return body(
      await api.POST('/api/sites/{customer}/{site}/revisions/{number}/again', {
        params: { ...params, path: { ...name, number: what.step } },
      }),
    );
  });
}

export function useNameRevision(name: SiteName) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (named: { number: number; name: string }) =>
      body(
        await api.PUT('/api/sites/{customer}/{site}/revisions/{number}/name', {
          params: { path: { ...name, number: named.number } },
          body: { name: named.name },
        }),
      ),
    onSuccess: (desk) => {
      queries.setQueryData(deskKey(name), desk);
      void queries.invalidateQueries({ queryKey: [...deskKey(name), 'revisions'] });
    },
  });
}

/** Two plans beside each other, each as `CUSTOMER/SITE` or `CUSTOMER/SITE@7`. */
export function useComparison(one: string, other: string, offset = false) {
  return useQuery({
    queryKey: ['compare', one, other, offset],
    queryFn: async () => body(await api.GET('/api/compare', { params: { query: { one, other, offset } } })),
    placeholderData: keepPreviousData,
    enabled: one !== '' && other !== '',
    retry: false,
  });
}

export function useAccept(name: SiteName) {
  return useDeskMutation(name, async (accepting: Schemas['Accepting']) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/acceptances', { params: { path: name }, body: accepting }),
    ),
  );
}

export function useWithdraw(name: SiteName) {
  return useDeskMutation(name, async (acceptance: string) =>
    body(
      await api.DELETE('/api/sites/{customer}/{site}/acceptances/{acceptance}', {
        params: { path: { ...name, acceptance } },
      }),
    ),
  );
}

export function useSign(name: SiteName) {
  return useDeskMutation(name, async (revision: number) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/clearance', {
        params: { path: name },
        body: { revision },
      }),
    ),
  );
}

/** Read what was typed into a field of the plan and say it back. */
export async function understand(name: SiteName, path: string, text: string) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/understand', {
      params: { path: name },
      body: { path, text },
    }),
  );
}

export function useGoTo(text: string) {
  return useQuery({
    queryKey: ['goto', text],
    queryFn: async () => body(await api.GET('/api/goto', { params: { query: { q: text } } })),
    enabled: text.trim() !== '',
    placeholderData: (before) => before,
  });
}

/** What the organisation has decided for all sites, and its customers. */
export function useOrganisation() {
  return useQuery({
    queryKey: ['organisation'],
    queryFn: async () => body(await api.GET('/api/organisation')),
  });
}

/** The customers, code to name. */
export function useCustomers(wanted: boolean) {
  return useQuery({
    queryKey: ['customers'],
    queryFn: async () => body(await api.GET('/api/organisation')).customers,
    enabled: wanted,
    staleTime: 60_000,
  });
}

export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (credentials: Schemas['Credentials']) =>
      body(await api.POST('/api/session', { body: credentials })),
    onSuccess: (person) => queries.setQueryData(['session'], person),
  });
}

export function useSetUp() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (first: Schemas['FirstAdministrator']) =>
      body(await api.POST('/api/setup', { body: first })),
    onSuccess: (person) => queries.setQueryData(['session'], person),
  });
}

export async function signOut() {
  await api.DELETE('/api/session');
  window.location.assign('/');
}
