import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

export type Rehearsal = Schemas['RehearsalShown'];
export type UnderWay = Schemas['UnderWayShown'];
export type Result = Schemas['RehearsalResult'];
export type Outcome = Schemas['OutcomeShown'];
export type Space = Schemas['RehearsedSpace'];

/** Milliseconds after which one that is under way is asked for again. */
const SOON = 300;

/** What is under way at a site, and what came of the newest rehearsal. */
export function useRehearsal(name: SiteName) {
  return useQuery({
    queryKey: [...deskKey(name), 'rehearsal'],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/rehearsal', { params: { path: name } })),
    refetchInterval: ({ state }) => (state.data?.running ? SOON : false),
  });
}

/** Begin a rehearsal, or stop the one that is under way. */
export function useRehearse(name: SiteName) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (what: 'begin' | 'stop') => {
      const at = { params: { path: name } };
      return body(
        what === 'begin'
          ? await api.POST('/api/sites/{customer}/{site}/rehearsal', at)
          : await api.DELETE('/api/sites/{customer}/{site}/rehearsal', at),
      );
    },
    onSuccess: (shown) => {
      queries.setQueryData([...deskKey(name), 'rehearsal'], shown);
      return queries.invalidateQueries({ queryKey: [...deskKey(name), 'rehearsal'] });
    },
  });
}
