import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body, type Failure, type Schemas } from '../api/client';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { InstallerBody } from './InstallerBody';
import styles from './onsite.module.css';

type Test = Schemas['InstallerPage']['tests'][number];

/** The installer's page on a telephone: opened by a link with an end, without an account, and nothing else. */
export function OnSitePage() {
  const [token] = useState(() => window.location.hash.slice(1));
  const params = { header: { 'X-Octaplan-Link': token } };
  const page = useQuery({
    queryKey: ['on-site'],
    queryFn: async () => body(await api.GET('/api/on-site', { params })),
    retry: false,
    enabled: token !== '',
  });
  if (!token || page.error) {
    const why = page.error as Failure | null;
    return (
      <main className={styles.page}>
        <Notice
          title="This link does not open"
          detail={why?.message ?? 'It is not whole: open it as it was sent to you.'}
        />
      </main>
    );
  }
  if (!page.data) return null;
  const { customer, name, street, technician } = page.data;
  return (
    <main className={styles.page}>
      <header>
        <div>{customer}</div>
        <h1>{name}</h1>
        <div>{street}</div>
      </header>
      <InstallerBody
        page={page.data.page}
        technician={technician}
        answers={page.data.answers}
        under={(test) => <Answering test={test} token={token} />}
      />
    </main>
  );
}

const NAME = 'octaplan-on-site-name';

/** Yes or no to a test, with one's name and, where it does not work, a word about it. */
function Answering({ test, token }: { test: Test; token: string }) {
  const queries = useQueryClient();
  const [works, setWorks] = useState<boolean | null>(null);
  const [name, setName] = useState(() => window.sessionStorage.getItem(NAME) ?? '');
  const [note, setNote] = useState('');
  const answer = useMutation({
    mutationFn: async (it: boolean) =>
      body(
        await api.POST('/api/on-site', {
          params: { header: { 'X-Octaplan-Link': token } },
          body: { test: test.key, works: it, name, note },
        }),
      ),
    onSuccess: (shown) => {
      window.sessionStorage.setItem(NAME, name);
      queries.setQueryData(['on-site'], shown);
      setWorks(null);
      setNote('');
    },
  });
  return (
    <div className={styles.answering}>
      {works === null ? (
        <>
          <Button variant="outlined" aria-label={`It works: ${test.text}`} onClick={() => setWorks(true)}>
            It works
          </Button>
          <Button aria-label={`It does not work: ${test.text}`} onClick={() => setWorks(false)}>
            It does not
          </Button>
        </>
      ) : (
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            answer.mutate(works);
          }}
        >
          <TextField
            required
            fullWidth
            label="Your name"
            value={name}
            onChange={(event) => setName(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 80 } }}
          />
          <TextField
            fullWidth
            label={works ? 'Anything to add' : 'What happens instead'}
            value={note}
            onChange={(event) => setNote(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 400 } }}
          />
          <Button type="submit" variant="contained" loading={answer.isPending}>
            {works ? 'Say that it works' : 'Say that it does not'}
          </Button>
          <Button onClick={() => setWorks(null)}>Not yet</Button>
        </form>
      )}
      {answer.error && <Trouble>{answer.error.message}</Trouble>}
    </div>
  );
}
