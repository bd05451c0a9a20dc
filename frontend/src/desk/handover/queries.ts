import { useQuery } from '@tanstack/react-query';
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
