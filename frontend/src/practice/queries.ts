import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../api/client';

export type Practice = Schemas['PracticeShown'];
export type StandIn = Schemas['StandInShown'];
export type Doing = Schemas['Doing'];

const KEY = ['practice'];
/** Milliseconds after which the bench is looked at again: sooner where something is under way. */
const SOON = 500;
const NOW_AND_THEN = 4_000;

function busy({ boxes }: Practice): boolean {
  return boxes.some((box) => box.hands?.working || !['ready', 'off'].includes(box.phase));
}

export function usePractice() {
  return useQuery({
    queryKey: KEY,
    queryFn: async () => body(await api.GET('/api/practice')),
    refetchInterval: ({ state }) => (state.data && busy(state.data) ? SOON : NOW_AND_THEN),
  });
}

function useBench<T>(send: (what: T) => Promise<Practice>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (bench) => queries.setQueryData(KEY, bench),
    onError: () => queries.invalidateQueries({ queryKey: KEY }),
  });
}

export function usePut() {
  return useBench(async (putting: Schemas['Putting']) =>
    body(await api.POST('/api/practice/boxes', { body: putting })),
  );
}

export function useTake() {
  return useBench(async (box: string) =>
    body(await api.DELETE('/api/practice/boxes/{box}', { params: { path: { box } } })),
  );
}

export function useDo(box: string) {
  return useBench(async (doing: Doing) =>
    body(await api.POST('/api/practice/boxes/{box}', { params: { path: { box } }, body: doing })),
  );
}

export function useProvider() {
  return useBench(async (up: boolean) => body(await api.PUT('/api/practice/provider', { body: { up } })));
}

/** What is asked of the network at a box: a ping of an address, a name, or what passes the box and what does not. */
export type Question = { ping: string } | 'name' | 'passes';

/** Asks it; what was seen, a line each. */
export function useQuestion(box: string) {
  const at = { params: { path: { box } } };
  return useMutation({
    mutationFn: async (what: Question): Promise<string[]> => {
      if (what === 'name') {
        const { words } = body(await api.POST('/api/practice/boxes/{box}/look-up', at));
        return [words];
      }
      if (what === 'passes') {
        const tried = body(await api.POST('/api/practice/boxes/{box}/passes', at));
        return tried.map(
          ({ words, seen }) =>
            `${words}: ${seen || 'nobody can try it yet, the box does not show all that is planned'}`,
        );
      }
      const sent = { ...at, body: { address: what.ping } };
      return body(await api.POST('/api/practice/boxes/{box}/ping', sent)).words.split('\n');
    },
  });
}
