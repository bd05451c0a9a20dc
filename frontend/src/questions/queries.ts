import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, failureOf, type Schemas } from '../api/client';

export type QuestionList = Schemas['ListShown'];
export type Matched = Schemas['MatchedShown'];

/** What is open at the sites of a customer, or at all, by whom to ask. */
export function useQuestions(customer: string) {
  return useQuery({
    queryKey: ['questions', customer],
    queryFn: async () => body(await api.GET('/api/questions', { params: { query: { customer } } })),
  });
}

/** A list as it is sent. */
export function useListText(list: QuestionList, customer: string) {
  return useQuery({
    queryKey: ['questions', customer, list.whom, list.who, list.total],
    queryFn: async () => {
      const query = { whom: list.whom, who: list.who, customer };
      return body(await api.GET('/api/questions/list.txt', { params: { query }, parseAs: 'text' }));
    },
  });
}

/** Answers that came back as text or as a table, beside what the plans say. */
export function useReadAnswers() {
  return useMutation({
    mutationFn: async (came: { text: string } | { file: File }): Promise<Matched[]> => {
      if ('text' in came) return body(await api.POST('/api/questions/read', { body: came }));
      const form = new FormData();
      form.append('file', came.file);
      const response = await fetch('/api/questions/read-table', {
        method: 'POST',
        body: form,
        headers: { 'X-Octaplan': '1' },
      });
      if (!response.ok) throw await failureOf(response);
      return response.json();
    },
  });
}

export function useTakeAnswers() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (taking: Schemas['Taking']) =>
      body(await api.POST('/api/questions/take', { body: taking })),
    onSuccess: () => queries.invalidateQueries(),
  });
}
