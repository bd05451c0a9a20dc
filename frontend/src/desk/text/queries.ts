import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

export type Written = Schemas['WriteOutShown'];
export type WrittenLine = Schemas['WrittenLine'];
export type ReadBack = Schemas['ReadBackShown'];
export type Form = Written['form'];

/** What goes into a box as text. It follows the plan: it is asked for again when the plan has changed. */
export function useWritten(name: SiteName, device: string, form: Form, wanted = true) {
  return useQuery({
    queryKey: [...deskKey(name), 'text', device, form],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/devices/{device}/write-out', {
          params: { path: { ...name, device }, query: { form } },
        }),
      ),
    enabled: wanted,
  });
}

/** Hold what a box printed against its plan. */
export function useReadBack(name: SiteName, device: string) {
  return useMutation({
    mutationFn: async (text: string) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/devices/{device}/read-back', {
          params: { path: { ...name, device } },
          body: { text },
        }),
      ),
  });
}

/** The same, kept with the run of the box. */
export function useKeepReadBack(name: SiteName, device: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (text: string) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/bench/{device}/read-back', {
          params: { path: { ...name, device } },
          body: { text },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: deskKey(name) }),
  });
}

/** Secrets by their places in the safe, as the box is told them; each reading stands in the journal. */
export async function secretsOf(name: SiteName, places: string[]): Promise<Record<string, string>> {
  const found: Record<string, string> = {};
  for (const path of new Set(places)) {
    const read = body(
      await api.POST('/api/sites/{customer}/{site}/credentials/read', {
        params: { path: name },
        body: { path, why: '', number: null },
      }),
    );
    found[path] = read.secret;
  }
  return found;
}
