import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { api, body, type Schemas } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';

export type Matrix = Schemas['MatrixShown'];
export type Cell = Schemas['CellShown'];
export type Place = Schemas['PlaceInMatrix'];
export type Answer = Schemas['TrafficAnswer'];
export type Node = Schemas['NodeShown'];
export type Entry = Schemas['EntryShown'];
export type Entries = Schemas['BoxEntries'];

/** What is asked: who, whom, by what, and which circuit is down. */
export interface Question {
  from: string;
  to: string;
  service: string;
  down: string;
}

const path = (name: SiteName) => ({ path: name });

/** The matrix of a revision, with a circuit down if one is named. */
export function useMatrix(name: SiteName, revision: number, down: string) {
  return useQuery({
    queryKey: [...deskKey(name), 'traffic', revision, down],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/traffic', {
          params: { ...path(name), query: { down } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** The answer to a question, once it is asked. */
export function useAnswer(name: SiteName, revision: number, question: Question) {
  return useQuery({
    queryKey: [...deskKey(name), 'traffic', revision, 'ask', question],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/traffic/ask', {
          params: { ...path(name), query: question },
        }),
      ),
    enabled: Boolean(question.from && question.to),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

/** What each box is told, with what needs it. */
export function useEntries(name: SiteName, revision: number) {
  return useQuery({
    queryKey: [...deskKey(name), 'traffic', revision, 'entries'],
    queryFn: async () =>
      body(await api.GET('/api/sites/{customer}/{site}/traffic/entries', { params: path(name) })),
    placeholderData: keepPreviousData,
  });
}

/** The changes by which the boxes do what is meant for a cell. */
export async function asMeant(name: SiteName, pair: Schemas['CellNamed']) {
  const answer = await api.POST('/api/sites/{customer}/{site}/traffic/as-meant', {
    params: path(name),
    body: pair,
  });
  return body(answer).operations;
}

/** The changes by which something is published: the publication, its rule, and what is meant. */
export async function publish(name: SiteName, wanted: Schemas['Publishing']) {
  const answer = await api.POST('/api/sites/{customer}/{site}/traffic/publish', {
    params: path(name),
    body: wanted,
  });
  return body(answer).operations;
}

/** The changes by which a publication ends. */
export async function endPublication(name: SiteName, device: string, publication: string) {
  const answer = await api.GET(
    '/api/sites/{customer}/{site}/traffic/publications/{device}/{publication}/end',
    { params: { path: { ...name, device, publication } } },
  );
  return body(answer).operations;
}

/** A service as plans write it. */
export async function readService(name: SiteName, text: string) {
  const answer = await api.GET('/api/sites/{customer}/{site}/traffic/service', {
    params: { ...path(name), query: { text } },
  });
  return body(answer).text;
}
