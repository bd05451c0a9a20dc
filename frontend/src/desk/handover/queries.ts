import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

export function useInstaller(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'installer', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/handover/installer', { params: { path: name } })),
  });
}

export function useLabels(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'labels', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/handover/labels', { params: { path: name } })),
  });
}

export function useSiteSheet(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'site-sheet', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/handover/site-sheet', { params: { path: name } })),
  });
}

const linksKey = (name: SiteName) => [...deskKey(name), 'links'];

/** The links to the installer's page, and what was answered on site. */
export function useSiteLinks(name: SiteName) {
  return useQuery({
    queryKey: linksKey(name),
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/handover/links', { params: { path: name } })),
    refetchInterval: 30_000,
  });
}

export function useMakeLink(name: SiteName) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (days: number) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/handover/links', {
          params: { path: name },
          body: { days },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: linksKey(name) }),
  });
}

export function useEndLink(name: SiteName) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (number: number) =>
      body(
        await api.DELETE('/api/sites/{customer}/{site}/handover/links/{number}', {
          params: { path: { ...name, number } },
        }),
      ),
    onSuccess: (links) => queries.setQueryData(linksKey(name), links),
  });
}
