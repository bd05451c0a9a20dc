import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../api/client';
import type { SiteName } from '../api/queries';

export type Wish = Schemas['RolloutWish'];
export type Rollout = Schemas['RolloutShown'];

export function usePatterns() {
  return useQuery({ queryKey: ['patterns'], queryFn: async () => body(await api.GET('/api/patterns')) });
}

/** A pattern with its versions and sites, as it is at a revision of its draft. */
export function usePattern(key: string, revision: number) {
  return useQuery({
    queryKey: ['patterns', key, revision],
    queryFn: async () => body(await api.GET('/api/patterns/{key}', { params: { path: { key } } })),
    placeholderData: (before) => before,
  });
}

export function useMakePattern() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (made: Schemas['NewPattern']) => body(await api.POST('/api/patterns', { body: made })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['patterns'] }),
  });
}

export function useRemovePattern() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (key: string) => {
      await api.DELETE('/api/patterns/{key}', { params: { path: { key } } });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['patterns'] }),
  });
}

export function useMakeVersion(key: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (made: Schemas['NewVersion']) =>
      body(await api.POST('/api/patterns/{key}/versions', { params: { path: { key } }, body: made })),
    onSuccess: () => queries.invalidateQueries(),
  });
}

/** How a site stands to its pattern at a revision; nothing when it has none. */
export function useSitePattern(name: SiteName, revision: number) {
  return useQuery({
    queryKey: ['site-pattern', name.customer, name.site, revision],
    queryFn: async () =>
      (await api.GET('/api/sites/{customer}/{site}/pattern', { params: { path: name } })).data ?? null,
    placeholderData: (before) => before,
  });
}

/** What another version of its pattern would change at a site. */
export async function newerVersion(name: SiteName, version: number) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/pattern/newer', {
      params: { path: name },
      body: { version },
    }),
  );
}

export function usePreviewRollout() {
  return useMutation({
    mutationFn: async (wish: Wish) => body(await api.POST('/api/rollout/preview', { body: wish })),
  });
}

export function useRollOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (making: Schemas['Making']) => body(await api.POST('/api/rollout', { body: making })),
    onSuccess: () => queries.invalidateQueries(),
  });
}
