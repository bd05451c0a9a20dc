import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body } from '../api/client';
import { Trouble } from '../parts/Trouble';
import { moment } from '../parts/words';
import styles from './people.module.css';

/** Where one is signed in, each to be ended. */
export function OwnSessions() {
  const queries = useQueryClient();
  const sessions = useQuery({
    queryKey: ['own sessions'],
    queryFn: async () => body(await api.GET('/api/session/all')),
  });
  const end = useMutation({
    mutationFn: async (session_id: string) =>
      api.DELETE('/api/session/all/{session_id}', { params: { path: { session_id } } }),
    onSettled: () => queries.invalidateQueries({ queryKey: ['own sessions'] }),
  });
  return (
    <section className={`pile start ${styles.part}`} aria-label="Sessions">
      <h2>Where you are signed in</h2>
      {(sessions.error ?? end.error) && <Trouble>{(sessions.error ?? end.error)?.message}.</Trouble>}
      <ul className="rows">
        {sessions.data?.map((session) => (
          <li key={session.id}>
            <span>
              <b>{session.own ? 'Here' : `On ${session.agent}`}</b>, since {moment(session.at)}
              <br />
              <small className="quiet">from {session.address || 'somewhere'}</small>
            </span>
            {!session.own && (
              <Button loading={end.isPending} onClick={() => end.mutate(session.id)}>
                End it
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
