import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api, body } from '../api/client';

/** Take a change of many sites back. */
export function useUndoBatch() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (batch: string) =>
      body(await api.POST('/api/findings/batches/{batch}/undo', { params: { path: { batch } } })),
    onSettled: () => queries.invalidateQueries(),
  });
}
