import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type HardwareType } from '../api/client';

export function useVersions(key: string, open: boolean) {
  return useQuery({
    queryKey: ['hardware', key, 'versions'],
    queryFn: async () => body(await api.GET('/api/hardware/{key}/versions', { params: { path: { key } } })),
    enabled: open,
  });
}

function useTypeMutation<T, R>(send: (what: T) => Promise<R>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: () =>
      Promise.all(
        [['hardware'], ['desk'], ['outbound'], ['safe']].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

/** Save a new version of a type, made on a version; 0 for a new type. */
export function useSaveType() {
  return useTypeMutation(async ({ type, version }: { type: HardwareType; version: number }) =>
    body(
      await api.PUT('/api/hardware/{key}', {
        params: { path: { key: type.key }, header: { 'if-match': String(version) } },
        body: type as unknown as Record<string, unknown>,
      }),
    ),
  );
}

export function useRemoveType() {
  return useTypeMutation(async ({ key, version }: { key: string; version: number }) =>
    api.DELETE('/api/hardware/{key}', {
      params: { path: { key }, header: { 'if-match': String(version) } },
    }),
  );
}
