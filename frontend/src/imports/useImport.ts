import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { api, body, Failure, failureOf, type Schemas } from '../api/client';

export type ImportState = Schemas['ImportShown'];

/** How often an import that is under way is asked about, in milliseconds. */
const ASK = 700;

/** One import: files are read, what they would do is shown, what was chosen is loaded; each part can be stopped. */
export function useImport() {
  const queries = useQueryClient();
  const [state, setState] = useState<ImportState | null>(null);
  const [error, setError] = useState('');
  const [busy, setBusy] = useState(false);
  const shown = useRef(true);
  useEffect(() => {
    shown.current = true;
    return () => {
      shown.current = false;
    };
  }, []);

  const follow = useCallback(
    async (first: Promise<ImportState>) => {
      setBusy(true);
      setError('');
      try {
        let now = await first;
        setState(now);
        while (shown.current && (now.phase === 'reading' || now.phase === 'loading')) {
          await new Promise((done) => setTimeout(done, ASK));
          now = await stateOf(now.id);
          setState(now);
        }
        if (now.phase === 'failed') setError(now.problem);
        if (now.phase === 'loaded') void queries.invalidateQueries();
      } catch (failure) {
        setError((failure as Failure).message);
      }
      setBusy(false);
    },
    [queries],
  );

  const begin = useCallback(
    (files: File[]) => {
      const form = new FormData();
      for (const file of files) form.append('files', file);
      const send = async (): Promise<ImportState> => {
        const response = await fetch('/api/imports', {
          method: 'POST',
          body: form,
          headers: { 'X-Octaplan': '1' },
        }).catch(async () => {
          throw new Failure(0, await reasonNotSent(files));
        });
        if (!response.ok) throw await failureOf(response);
        return response.json();
      };
      void follow(send());
    },
    [follow],
  );
  const apply = (without: string[]) => {
    if (!state) return;
    const params = { path: { import_id: state.id } };
    void follow(
      api
        .POST('/api/imports/{import_id}/apply', { params, body: { without } })
        .then((answer) => body(answer)),
    );
  };
  const cancel = async () => {
    if (!state) return;
    const params = { path: { import_id: state.id } };
    const answer = await api.DELETE('/api/imports/{import_id}', { params }).catch(() => null);
    if (answer && shown.current) setState(body(answer));
  };
  return { state, error, busy, begin, apply, cancel };
}

/** Why files did not reach the server: one that was moved or saved anew since it was chosen cannot be sent. */
async function reasonNotSent(files: File[]): Promise<string> {
  for (const file of files) {
    const readable = await file
      .slice(0, 1)
      .arrayBuffer()
      .then(() => true)
      .catch(() => false);
    if (!readable)
      return `${file.name} was moved, removed or saved anew since it was chosen. Choose it again`;
  }
  return 'The server does not answer. Nothing was changed; try again';
}

async function stateOf(id: string): Promise<ImportState> {
  return body(await api.GET('/api/imports/{import_id}', { params: { path: { import_id: id } } }));
}
