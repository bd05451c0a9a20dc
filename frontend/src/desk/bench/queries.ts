import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, failureOf, type Run, type Schemas } from '../../api/client';
import { deskKey, useDeskMutation, type SiteName } from '../../api/queries';

const runKey = (name: SiteName, device: string) => [...deskKey(name), 'run', device];

export function useRun(name: SiteName, device: string) {
  return useQuery({
    queryKey: runKey(name, device),
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/bench/{device}', {
          params: { path: { ...name, device } },
        }),
      ),
    refetchInterval: 10_000,
  });
}

function useRunMutation<T>(name: SiteName, device: string, send: (what: T) => Promise<Run>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    scope: { id: runKey(name, device).join('/') },
    onSuccess: (run) => {
      queries.setQueryData(runKey(name, device), run);
      void queries.invalidateQueries({ queryKey: deskKey(name), exact: true });
      void queries.invalidateQueries({ queryKey: ['outbound'] });
    },
    onError: () => queries.invalidateQueries({ queryKey: runKey(name, device) }),
  });
}

export function useBegin(name: SiteName, device: string) {
  return useRunMutation(name, device, async () =>
    body(
      await api.POST('/api/sites/{customer}/{site}/bench/{device}', {
        params: { path: { ...name, device } },
      }),
    ),
  );
}

export function useTakeBackRun(name: SiteName, device: string) {
  return useRunMutation(name, device, async () =>
    body(
      await api.DELETE('/api/sites/{customer}/{site}/bench/{device}', {
        params: { path: { ...name, device } },
      }),
    ),
  );
}

/** Tell who looks at the site at which step one is. What does not arrive is told again with the next step. */
export function tellPlace(name: SiteName, device: string, step: string, typing: boolean) {
  void api
    .PUT('/api/sites/{customer}/{site}/bench/{device}/here', {
      params: { path: { ...name, device } },
      body: { step, typing },
    })
    .catch(() => null);
}

export function useAcceptSkips(name: SiteName) {
  return useDeskMutation(name, async (what: { device: string; step: string; seen: string }) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/bench/{device}/steps/{step}/acceptance', {
        params: { path: { ...name, device: what.device, step: what.step } },
        body: { seen: what.seen },
      }),
    ),
  );
}

export function useRuns(name: SiteName) {
  return useQuery({
    queryKey: [...deskKey(name), 'runs'],
    queryFn: async () => body(await api.GET('/api/sites/{customer}/{site}/runs', { params: { path: name } })),
  });
}

export function useRunRecord(name: SiteName, number: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'runs', number],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/runs/{number}', {
          params: { path: { ...name, number } },
        }),
      ),
  });
}

export function useTick(name: SiteName, device: string) {
  return useRunMutation(name, device, async (what: { step: string; ticking: Schemas['Ticking'] }) =>
    body(
      await api.PUT('/api/sites/{customer}/{site}/bench/{device}/steps/{step}', {
        params: { path: { ...name, device, step: what.step } },
        body: what.ticking,
      }),
    ),
  );
}

export function useUntick(name: SiteName, device: string) {
  return useRunMutation(name, device, async (what: { step: string; seen: string }) =>
    body(
      await api.DELETE('/api/sites/{customer}/{site}/bench/{device}/steps/{step}', {
        params: { path: { ...name, device, step: what.step }, query: { seen: what.seen } },
      }),
    ),
  );
}

export function useAttach(name: SiteName, device: string) {
  return useRunMutation(name, device, async (file: File) => {
    const form = new FormData();
    form.append('file', file);
    const place = [name.customer, name.site].map(encodeURIComponent).join('/');
    const response = await fetch(`/api/sites/${place}/bench/${device}/backups`, {
      method: 'POST',
      body: form,
      headers: { 'X-Octaplan': '1' },
    });
    if (!response.ok) throw await failureOf(response);
    return (await response.json()) as Run;
  });
}

export async function judge(name: SiteName, device: string, judging: Schemas['Judging']) {
  return body(
    await api.POST('/api/sites/{customer}/{site}/bench/{device}/judge', {
      params: { path: { ...name, device } },
      body: judging,
    }),
  );
}

export function useShip(name: SiteName) {
  return useDeskMutation(name, async (shipping: Schemas['Shipping']) =>
    body(await api.POST('/api/sites/{customer}/{site}/shipment', { params: { path: name }, body: shipping })),
  );
}
