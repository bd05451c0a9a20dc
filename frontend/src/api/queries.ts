import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import {
  api,
  body,
  failureOf,
  type Desk,
  type Operation,
  type Person,
  type Preview,
  type Schemas,
} from './client';

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
    refetchInterval: 15_000,
  });
}

export function useHistory(name: SiteName, revision: number, open: boolean) {
  return useQuery({
    queryKey: [...deskKey(name), 'revisions', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/revisions', { params: { path: name } })),
    enabled: open,
  });
}

export function useDeskMutation<T>(name: SiteName, send: (what: T) => Promise<Desk>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    scope: { id: deskKey(name).join('/') },
    onSuccess: (desk) => {
      queries.setQueryData(deskKey(name), desk);
      void queries.invalidateQueries({ queryKey: ['outbound'] });
    },
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

export function usePreviewImport() {
  return useMutation({
    mutationFn: async (files: File[]): Promise<Preview> => {
      const form = new FormData();
      for (const file of files) form.append('files', file);
      const response = await fetch('/api/imports', {
        method: 'POST',
        body: form,
        headers: { 'X-Octaplan': '1' },
      });
      if (!response.ok) throw await failureOf(response);
      return response.json();
    },
  });
}

export function useApplyImport() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) =>
      body(await api.POST('/api/imports/{import_id}/apply', { params: { path: { import_id: id } } })),
    onSuccess: () => queries.invalidateQueries(),
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
