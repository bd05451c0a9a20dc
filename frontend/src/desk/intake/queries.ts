import { useQuery } from '@tanstack/react-query';
import { api, body, type Schemas } from '../../api/client';
import { deskKey, useDeskMutation, type SiteName } from '../../api/queries';

export type Question = Schemas['QuestionShown'];
export type Answers = Schemas['AnswersGiven'];

/** The questions that apply to a site, as they stand at a revision. */
export function useIntake(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'intake', revision],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/intake', { params: { path: name } })),
    placeholderData: (before) => before,
  });
}

/** Take answers, made on a revision. */
export function useAnswer(name: SiteName) {
  return useDeskMutation(name, async (what: { answers: Answers; revision: number }) =>
    body(
      await api.POST('/api/sites/{customer}/{site}/answers', {
        params: { path: name, header: { 'if-match': String(what.revision) } },
        body: what.answers,
      }),
    ),
  );
}
