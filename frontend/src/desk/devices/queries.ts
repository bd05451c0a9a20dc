import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { api, body, type HardwareType, type Schemas } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

export function useHardware() {
  return useQuery({
    queryKey: ['hardware'],
    queryFn: async () => body(await api.GET('/api/hardware')),
    staleTime: 30_000,
  });
}

/** The hardware types by key. */
export function useTypes(): Record<string, HardwareType> {
  const { data } = useHardware();
  return useMemo(() => Object.fromEntries((data ?? []).map(({ type }) => [type.key, type])), [data]);
}

/** Put a new box in the place of another. */
export function useReplaceDevice(
  name: SiteName,
  device: string,
  onReplaced: (sentences: string[], key: string) => void,
) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (what: { type: string; revision: number }) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/devices/{device}/replacement', {
          params: { path: { ...name, device }, header: { 'if-match': String(what.revision) } },
          body: { type: what.type },
        }),
      ),
    onSuccess: ({ desk, device: fresh, assumed }) => {
      onReplaced(assumed, fresh); // before the old box goes, and its card with it
      queries.setQueryData(deskKey(name), desk);
      void queries.invalidateQueries({ queryKey: ['outbound'] });
      void queries.invalidateQueries({ queryKey: ['hardware'] });
    },
  });
}

/** Add a box, wired and addressed as far as type and plan tell. */
export function useAddDevice(name: SiteName) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (what: { device: Schemas['NewDevice']; revision: number }) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/devices', {
          params: { path: name, header: { 'if-match': String(what.revision) } },
          body: what.device,
        }),
      ),
    onSuccess: ({ desk }) => {
      queries.setQueryData(deskKey(name), desk);
      void queries.invalidateQueries({ queryKey: ['outbound'] });
      void queries.invalidateQueries({ queryKey: ['hardware'] });
    },
  });
}
