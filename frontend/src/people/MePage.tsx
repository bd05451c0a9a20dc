import { Press } from '../parts/controls';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../api/client';
import { usePersonHere } from '../frame/person';
import { Trouble } from '../parts/Trouble';
import { OwnSessions } from './OwnSessions';
import styles from './people.module.css';
import { SecondFactor } from './SecondFactor';

/** One's own password, second factor and sessions. */
export function MePage() {
  const person = usePersonHere();
  return (
    <div className="page">
      <h1>{person.full_name}</h1>
      <p className="quiet">
        Signs in as {person.name}, {person.role}.
      </p>
      <OwnPassword />
      {person.held_back && <Trouble>{person.held_back}.</Trouble>}
      <SecondFactor on={person.second_factor} />
      <OwnSessions />
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
      className={`pile start ${styles.part}`}
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        change.mutate();
      }}
    >
      <h2>Password</h2>
      {field('Old password', old, setOld, 'current-password')}
      {field('New password, 12 characters or more', fresh, setFresh, 'new-password')}
      {field('The same again', again, setAgain, 'new-password')}
      {differs && <Trouble>The two differ.</Trouble>}
      {change.error && <Trouble>{change.error.message}.</Trouble>}
      {change.isSuccess && <p role="status">It is changed; your other sessions have ended.</p>}
      <Press
        type="submit"
        variant="contained"
        loading={change.isPending}
        waits={
          !old || fresh.length < 12 || fresh !== again
            ? 'the new one has at least 12 characters, typed twice alike'
            : ''
        }
      >
        Change it
      </Press>
    </form>
  );
}
