import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

const slotsKey = (name: SiteName) => [...deskKey(name), 'credentials'];

export function useSlots(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...slotsKey(name), revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/credentials', { params: { path: name } })),
    placeholderData: (before) => before,
  });
}

function useSlotMutation<T, R>(name: SiteName, send: (what: T) => Promise<R>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    gcTime: 0,
    onSuccess: () =>
      Promise.all(
        [deskKey(name), ['outbound'], ['safe'], ['journal']].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

export function useMakeMissing(name: SiteName) {
  return useSlotMutation(name, async () =>
    body(await api.POST('/api/sites/{customer}/{site}/credentials/missing', { params: { path: name } })),
  );
}

export function useMakeSecret(name: SiteName) {
  return useSlotMutation(name, async (path: string) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/credentials/make', {
        params: { path: name },
        body: { path },
      }),
    ),
  );
}

export function useBringBack(name: SiteName) {
  return useSlotMutation(name, async (what: { path: string; number: number }) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/credentials/back', {
        params: { path: name },
        body: what,
      }),
    ),
  );
}

export function useTypeSecret(name: SiteName) {
  return useSlotMutation(name, async (what: { path: string; secret: string }) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/credentials/typed', {
        params: { path: name },
        body: what,
      }),
    ),
  );
}

export async function opinion(name: SiteName, path: string, secret: string) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/credentials/opinion', {
      params: { path: name },
      body: { path, secret },
    }),
  );
}

export function useSecretHistory(name: SiteName, path: string, open: boolean) {
  return useQuery({
    queryKey: [...slotsKey(name), 'history', path],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/credentials/history', {
          params: { path: name, query: { path } },
        }),
      ),
    enabled: open,
  });
}
