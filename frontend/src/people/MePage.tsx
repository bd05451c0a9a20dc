import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api, body } from '../api/client';
import { usePersonHere } from '../frame/person';
import styles from './people.module.css';

/** One's own password and second factor. */
export function MePage() {
  const person = usePersonHere();
  return (
    <div className={styles.page}>
      <h1>{person.full_name}</h1>
      <p className="quiet">
        Signs in as {person.name}, {person.role}.
      </p>
      <OwnPassword />
      {person.second_factor ? <SecondOff /> : <SecondOn />}
    </div>
  );
}

function OwnPassword() {
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const [again, setAgain] = useState('');
  const change = useMutation({
    mutationFn: async () => api.POST('/api/session/password', { body: { old, new: fresh } }),
    onSuccess: () => {
      setOld('');
      setFresh('');
      setAgain('');
    },
  });
  const differs = again !== '' && again !== fresh;
  const field = (label: string, value: string, set: (value: string) => void, complete: string) => (
    <TextField
      label={label}
      type="password"
      value={value}
      autoComplete={complete}
      onChange={(event) => set(event.target.value)}
      slotProps={{ htmlInput: { maxLength: 200 } }}
    />
  );
  return (
    <form
      className={styles.part}
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        change.mutate();
      }}
    >
      <h2>Password</h2>
      {field('Old password', old, setOld, 'current-password')}
      {field('New password, 12 characters or more', fresh, setFresh, 'new-password')}
      {field('The same again', again, setAgain, 'new-password')}
      {differs && <p role="alert">The two differ.</p>}
      {change.error && <p role="alert">{change.error.message}.</p>}
      {change.isSuccess && <p role="status">It is changed; your other sessions have ended.</p>}
      <Button
        type="submit"
        variant="contained"
        loading={change.isPending}
        disabled={!old || fresh.length < 12 || fresh !== again}
      >
        Change it
      </Button>
    </form>
  );
}

function SecondOn() {
  const queries = useQueryClient();
  const [code, setCode] = useState('');
  const begin = useMutation({
    gcTime: 0,
    mutationFn: async () => body(await api.POST('/api/session/second-factor')),
  });
  const confirm = useMutation({
    mutationFn: async () => api.PUT('/api/session/second-factor', { body: { code } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['session'] }),
  });
  return (
    <form
      className={styles.part}
      onSubmit={(event) => {
        event.preventDefault();
        confirm.mutate();
      }}
    >
      <h2>Second factor</h2>
      {!begin.data && (
        <>
          <p>A code from an authenticator app besides the password (RFC 6238). It is off.</p>
          <Button variant="outlined" loading={begin.isPending} onClick={() => begin.mutate()}>
            Turn it on
          </Button>
        </>
      )}
      {begin.data && (
        <>
          <p>Scan this with the app, or type the key, then confirm with a code that it shows.</p>
          <img src={begin.data.picture} alt="QR code for the authenticator app" width={190} height={190} />
          <p className="mono">
            {/secret=([A-Z2-7]+)/.exec(begin.data.address)?.[1]?.replace(/(.{4})/g, '$1 ')}
          </p>
          <CodeField code={code} onChange={setCode} />
          <Button
            type="submit"
            variant="contained"
            loading={confirm.isPending}
            disabled={code.trim().length < 6}
          >
            Confirm
          </Button>
        </>
      )}
      {(begin.error ?? confirm.error) && <p role="alert">{(begin.error ?? confirm.error)?.message}.</p>}
    </form>
  );
}

function CodeField({ code, onChange }: { code: string; onChange: (code: string) => void }) {
  return (
    <TextField
      label="Code"
      value={code}
      autoComplete="one-time-code"
      onChange={(event) => onChange(event.target.value)}
      slotProps={{ htmlInput: { inputMode: 'numeric', maxLength: 20 } }}
    />
  );
}

function SecondOff() {
  const queries = useQueryClient();
  const [code, setCode] = useState('');
  const drop = useMutation({
    mutationFn: async () => api.POST('/api/session/second-factor/off', { body: { code } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['session'] }),
  });
  return (
    <form
      className={styles.part}
      onSubmit={(event) => {
        event.preventDefault();
        drop.mutate();
      }}
    >
      <h2>Second factor</h2>
      <p>It is on: signing in asks for a code. To turn it off, type one last code.</p>
      <CodeField code={code} onChange={setCode} />
      {drop.error && <p role="alert">{drop.error.message}.</p>}
      <Button type="submit" variant="outlined" loading={drop.isPending} disabled={code.trim().length < 6}>
        Turn it off
      </Button>
    </form>
  );
}
