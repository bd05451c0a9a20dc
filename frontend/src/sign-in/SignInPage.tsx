import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState, type FormEvent, type ReactNode } from 'react';
import { Failure } from '../api/client';
import { useSetUp, useSignIn, useStart } from '../api/queries';
import { Mark } from '../frame/Frame';

/** What one sees without a session: sign in, or on a new installation make the first administrator. */
export function SignInPage() {
  const start = useStart();
  if (!start.data) return null;
  return (
    <main style={{ height: '100%', display: 'grid', placeItems: 'center', background: 'var(--paper)' }}>
      {start.data.needs_setup ? <FirstAdministrator /> : <SignIn />}
    </main>
  );
}

/** The form by which one signs in. */
export function SignIn({ title = 'Sign in', onDone }: { title?: string; onDone?: () => void }) {
  const signIn = useSignIn();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const [second, setSecond] = useState(false);
  const submit = () =>
    signIn.mutate(
      { name, password, code },
      {
        onSuccess: onDone,
        onError: (error) => setSecond((before) => before || (error instanceof Failure && error.secondFactor)),
      },
    );
  return (
    <Card title={title} error={signIn.error} onSubmit={submit}>
      <TextField
        label="Name"
        value={name}
        autoFocus
        autoComplete="username"
        onChange={(event) => setName(event.target.value)}
      />
      <TextField
        label="Password"
        type="password"
        value={password}
        autoComplete="current-password"
        onChange={(event) => setPassword(event.target.value)}
      />
      {second && (
        <TextField
          label="Code of the second factor"
          value={code}
          autoFocus
          autoComplete="one-time-code"
          onChange={(event) => setCode(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 40 } }}
        />
      )}
      <Button type="submit" variant="contained" size="medium" loading={signIn.isPending}>
        Sign in
      </Button>
    </Card>
  );
}

function FirstAdministrator() {
  const setUp = useSetUp();
  const [first, setFirst] = useState({ code: '', name: '', full_name: '', password: '' });
  const field = (key: keyof typeof first, label: string, type = 'text', help = '') => (
    <TextField
      label={label}
      type={type}
      value={first[key]}
      helperText={help}
      autoComplete={type === 'password' ? 'new-password' : 'off'}
      onChange={(event) => setFirst({ ...first, [key]: event.target.value })}
    />
  );
  return (
    <Card title="Make the first administrator" error={setUp.error} onSubmit={() => setUp.mutate(first)}>
      {field('code', 'One-time code', 'text', 'The console that runs Octaplan shows it')}
      {field('name', 'Sign-in name')}
      {field('full_name', 'Full name', 'text', 'As others see it')}
      {field('password', 'Password', 'password', 'At least 12 characters')}
      <Button type="submit" variant="contained" size="medium" loading={setUp.isPending}>
        Make the account
      </Button>
    </Card>
  );
}

function Card(props: { title: string; error: Error | null; onSubmit: () => void; children: ReactNode }) {
  const submit = (event: FormEvent) => {
    event.preventDefault();
    props.onSubmit();
  };
  return (
    <form
      onSubmit={submit}
      style={{
        width: 360,
        display: 'grid',
        gap: 16,
        padding: 24,
        background: 'var(--panel)',
        border: '1px solid var(--line)',
        borderRadius: 4,
      }}
    >
      <div style={{ display: 'flex', gap: 10, alignItems: 'center', fontWeight: 700, fontSize: 18 }}>
        <Mark />
        octaplan
      </div>
      <h1 style={{ fontSize: 16 }}>{props.title}</h1>
      {props.children}
      <div role="alert" style={{ color: 'var(--stop)' }}>
        {props.error?.message}
      </div>
    </form>
  );
}
