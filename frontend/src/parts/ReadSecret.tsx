import { Press } from './controls';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, body, type Failure } from '../api/client';
import { deskKey, type SiteName } from '../api/queries';
import { useMay } from '../frame/person';
import { sortOf } from './characters';
import { copySecret } from './clipboard';
import styles from './secret.module.css';
import { Trouble } from './Trouble';

/** A secret hides itself again after so many seconds. */
const SHOWN_FOR = 45;

interface Props {
  site: SiteName;
  path: string;
  label: string;
  number?: number | undefined;
  onClose: () => void;
}

/** One secret, asked for: large, spelled out, with its kinds of characters told apart; it hides itself again. */
export function SecretDialog({ site, path, label, number, onClose }: Props) {
  const queries = useQueryClient();
  const [why, setWhy] = useState('');
  const read = useMutation({
    gcTime: 0,
    mutationFn: async (reason: string) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/credentials/read', {
          params: { path: site },
          body: { path, why: reason, number: number ?? null },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ['journal'] });
      void queries.invalidateQueries({ queryKey: [...deskKey(site), 'credentials'] });
    },
  });
  const { mutate } = read;
  useEffect(() => mutate(''), [mutate]);
  const failure = read.error as Failure | null;
  return (
    <Dialog open onClose={onClose} maxWidth="md" slotProps={{ paper: { 'aria-label': label } }}>
      <div className={styles.dialog}>
        <h2>{label}</h2>
        {read.data && <Shown secret={read.data.secret} spoken={read.data.spoken} onHide={onClose} />}
        {failure?.reasonNeeded && (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              mutate(why);
            }}
            style={{ display: 'grid', gap: 12 }}
          >
            <TextField
              autoFocus
              label="What it is read for"
              value={why}
              onChange={(event) => setWhy(event.target.value)}
              slotProps={{ htmlInput: { maxLength: 400 } }}
            />
            <div>
              <Press
                type="submit"
                variant="contained"
                waits={why.trim().length < 3 ? 'write what it is for' : ''}
              >
                Read it
              </Press>
              <Button onClick={onClose}>Leave it closed</Button>
            </div>
          </form>
        )}
        {failure && !failure.reasonNeeded && <Trouble>{failure.message}</Trouble>}
      </div>
    </Dialog>
  );
}

function Shown({ secret, spoken, onHide }: { secret: string; spoken: string[]; onHide: () => void }) {
  const [left, setLeft] = useState(SHOWN_FOR);
  const [copied, setCopied] = useState('');
  useEffect(() => {
    const clock = window.setInterval(() => setLeft((seconds) => seconds - 1), 1_000);
    return () => window.clearInterval(clock);
  }, []);
  useEffect(() => {
    if (left <= 0) onHide();
  }, [left, onHide]);
  const copy = async () =>
    setCopied(
      (await copySecret(secret))
        ? 'Copied; the clipboard is cleared after 30 seconds'
        : 'The browser does not let it be copied: type it',
    );
  return (
    <>
      <div className={styles.secret} data-testid="secret">
        {[...secret].map((character, index) => (
          <span key={index} className={styles[sortOf(character)]} title={spoken[index]}>
            {character}
          </span>
        ))}
      </div>
      <p className={styles.spoken}>{spoken.join(', ')}</p>
      <p className={`line baseline small ${styles.legend}`}>
        <span className={styles.small}>small</span> <span className={styles.capital}>CAPITAL</span>{' '}
        <span className={styles.digit}>123</span> <span className={styles.sign}>-/!</span>
        <span className="quiet">
          {secret.length} characters; noted in the journal; hides itself in {left} s
        </span>
      </p>
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        <Button autoFocus variant="contained" onClick={() => void copy()}>
          Copy
        </Button>
        <Button onClick={onHide}>Hide</Button>
        <span role="status" className="quiet">
          {copied}
        </span>
      </div>
    </>
  );
}

/** The button that asks for a secret, for those who may read. */
export function ReadButton({ site, path, label }: { site: SiteName; path: string; label: string }) {
  const mayRead = useMay('read');
  const [open, setOpen] = useState(false);
  if (!mayRead) return null;
  return (
    <>
      <Button variant="outlined" aria-label={`Read ${label}`} data-read={path} onClick={() => setOpen(true)}>
        Read
      </Button>
      {open && <SecretDialog site={site} path={path} label={label} onClose={() => setOpen(false)} />}
    </>
  );
}
