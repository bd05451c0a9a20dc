import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../api/client';
import type { SiteName } from '../api/queries';

export type NewSite = Schemas['NewSite'];

/** Codes for what has been typed of a new site so far, and what is usual at its customer. */
export function useProposal(query: { customer: string; customer_name: string; name: string; site: string }) {
  return useQuery({
    queryKey: ['proposal', query],
    queryFn: async () => body(await api.GET('/api/proposals/site', { params: { query } })),
    placeholderData: (before) => before,
    staleTime: 0,
  });
}

/** Sites that are put away. */
export function useAway() {
  return useQuery({ queryKey: ['away'], queryFn: async () => body(await api.GET('/api/away')) });
}

/** Something that is done to customers or sites themselves; whatever is shown is asked for anew. */
export function useRegister<Given, Answer>(send: (given: Given) => Promise<Answer>) {
  const queries = useQueryClient();
  // not waited for: the page that asked goes elsewhere first
  return useMutation({ mutationFn: send, onSuccess: () => void queries.invalidateQueries() });
}

export const begin = async (site: NewSite) => body(await api.POST('/api/sites', { body: site }));

export const recode = async ({ name, code }: { name: SiteName; code: string }) =>
  body(await api.PUT('/api/sites/{customer}/{site}/code', { params: { path: name }, body: { code } }));

export const renameCustomer = async (called: { customer: string; code: string; name: string }) => {
  const { customer, ...rest } = called;
  await api.PUT('/api/customers/{customer}/called', { params: { path: { customer } }, body: rest });
};

export const putAway = async (name: SiteName) => {
  await api.PUT('/api/away/{customer}/{site}', { params: { path: name } });
};

export const putCustomerAway = async (customer: string) => {
  await api.PUT('/api/away/{customer}', { params: { path: { customer } } });
};

export const bringBack = async (name: SiteName) =>
  body(await api.DELETE('/api/away/{customer}/{site}', { params: { path: name } }));
