import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../api/client';

export type Customer = Schemas['CustomerShown'];

/** One customer with its blocks, groups, patterns and sites. */
export function useCustomer(code: string) {
  return useQuery({
    queryKey: ['customers', code.toLowerCase()],
    queryFn: async () =>
      body(await api.GET('/api/customers/{customer}', { params: { path: { customer: code } } })),
    enabled: code !== '',
    retry: false,
  });
}

/** What of a customer stands in the organisation's settings, saved as a revision of them. */
export function useSaveCustomer(code: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (what: { blocks: string[]; defaults: Record<string, unknown> }) => {
      const now = body(await api.GET('/api/organisation'));
      const key = code.toLowerCase();
      const settings = {
        ...now.settings,
        blocks: Object.fromEntries(
          Object.entries({ ...now.settings.blocks, [key]: what.blocks }).filter(
            ([, blocks]) => blocks.length > 0,
          ),
        ),
        customers: { ...now.settings.customers, [key]: what.defaults },
      };
      return body(
        await api.PUT('/api/organisation', {
          params: { header: { 'if-match': String(now.revision.number) } },
          body: settings,
        }),
      );
    },
    onSuccess: () => queries.invalidateQueries(),
  });
}
