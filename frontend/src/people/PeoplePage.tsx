import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body, type Schemas } from '../api/client';
import { usePersonHere } from '../frame/person';
import { Line, Options, Select, Press } from '../parts/controls';
import { DayInput } from '../parts/DayInput';
import { Heads } from '../parts/Heads';
import { Trouble } from '../parts/Trouble';
import styles from './people.module.css';

type Account = Schemas['ListedAccount'];
type Role = Account['role'];

const ROLES: Record<Role, string> = {
  administrator: 'administrator: everything',
  planner: 'planner: plans, fills the safe, signs',
  technician: 'technician: plans, stages, reads secrets, ships',
  viewer: 'viewer: looks, but at no secret',
  auditor: 'auditor: looks, and reads the journal',
};

/** The last day of an account that ends at a midnight. */
function lastDay(ends: string | null): string {
  if (!ends) return '';
  const day = new Date(new Date(ends).getTime() - 1_000);
  return new Date(day.getTime() - day.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
}

/** The accounts: who may do what, and until when. */
export function PeoplePage() {
  const accounts = useQuery({
    queryKey: ['accounts'],
    queryFn: async () => body(await api.GET('/api/accounts')),
  });
  if (accounts.error) return <Trouble>{accounts.error.message}</Trouble>;
  if (!accounts.data) return null;
  return (
    <div className="page">
      <h1>People</h1>
      <Table className={`card wide above`}>
        <Heads of={['Name', 'Signs in as', 'May', 'Last day', 'Second factor', '']} />
        <TableBody>
          {accounts.data.map((account) => (
            <AccountRow key={account.name} account={account} />
          ))}
        </TableBody>
      </Table>
      <Demand />
      <NewAccount />
    </div>
  );
}

/** Whether administrators need a second factor. */
function Demand() {
  const queries = useQueryClient();
  const demand = useQuery({
    queryKey: ['demand'],
    queryFn: async () => body(await api.GET('/api/accounts/demand')),
  });
  const set = useMutation({
    mutationFn: async (second_factor: boolean) =>
      body(await api.PUT('/api/accounts/demand', { body: { second_factor } })),
    onSuccess: (now) => queries.setQueryData(['demand'], now),
  });
  return (
    <p>
      <FormControlLabel
        control={
          <Checkbox
            checked={demand.data?.second_factor ?? false}
            disabled={!demand.data || set.isPending}
            onChange={(event) => set.mutate(event.target.checked)}
          />
        }
        label="Administrators need a second factor"
      />
      {set.error && <span role="alert">{set.error.message}.</span>}
    </p>
  );
}

function AccountRow({ account }: { account: Account }) {
  const queries = useQueryClient();
  const own = usePersonHere().name === account.name;
  const [password, setPassword] = useState<string | null>(null);
  const change = useMutation({
    mutationFn: async (values: Partial<Schemas['AccountChange']>) =>
      api.PUT('/api/accounts/{name}', {
        params: { path: { name: account.name } },
        body: {
          role: account.role,
          last_day: lastDay(account.ends) || null,
          password: '',
          drop_second_factor: false,
          ...values,
        },
      }),
    onSuccess: () => {
      setPassword(null);
      return queries.invalidateQueries({ queryKey: ['accounts'] });
    },
  });
  return (
    <TableRow>
      <TableCell>
        <b>{account.full_name}</b>
        {change.error && <div role="alert">{change.error.message}.</div>}
      </TableCell>
      <TableCell className="mono">{account.name}</TableCell>
      <TableCell>
        <Select
          aria-label={`What ${account.full_name} may do`}
          value={account.role}
          disabled={own}
          onChange={(event) => change.mutate({ role: event.target.value as Role })}
        >
          <Options of={Object.entries(ROLES)} />
        </Select>
      </TableCell>
      <TableCell>
        <DayInput
          label={`Last day of ${account.full_name}`}
          value={lastDay(account.ends)}
          disabled={own}
          onCommit={(day) => change.mutate({ last_day: day || null })}
        />
      </TableCell>
      <TableCell>
        {account.second_factor ? (
          <>
            on{' '}
            {!own && <Button onClick={() => change.mutate({ drop_second_factor: true })}>Take away</Button>}
          </>
        ) : (
          <span className="quiet">off</span>
        )}
      </TableCell>
      <TableCell>
        {own ? (
          <span className="quiet">under My account</span>
        ) : password === null ? (
          <>
            <Button onClick={() => setPassword('')}>New password…</Button>
            <Remove account={account} />
          </>
        ) : (
          <form
            className="line stretch near"
            onSubmit={(event) => {
              event.preventDefault();
              change.mutate({ password });
            }}
          >
            <Line
              autoFocus
              type="password"
              aria-label={`New password of ${account.full_name}`}
              placeholder="12 characters or more"
              autoComplete="new-password"
              value={password}
              maxLength={200}
              onChange={(event) => setPassword(event.target.value)}
            />
            <Button type="submit" disabled={password.length < 12} loading={change.isPending}>
              Set
            </Button>
          </form>
        )}
      </TableCell>
    </TableRow>
  );
}

/** Takes an account away, once it is asked for twice. */
function Remove({ account }: { account: Account }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const remove = useMutation({
    mutationFn: async () => api.DELETE('/api/accounts/{name}', { params: { path: { name: account.name } } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['accounts'] }),
  });
  return (
    <>
      <Button
        color={sure ? 'error' : 'primary'}
        loading={remove.isPending}
        onClick={() => (sure ? remove.mutate() : setSure(true))}
        onBlur={() => setSure(false)}
      >
        {sure ? `Remove ${account.name} for good` : 'Remove…'}
      </Button>
      {remove.error && <span role="alert">{remove.error.message}.</span>}
    </>
  );
}

const EMPTY = { name: '', full_name: '', password: '', role: 'technician' as Role, last_day: '' };

function NewAccount() {
  const queries = useQueryClient();
  const [fresh, setFresh] = useState(EMPTY);
  const add = useMutation({
    mutationFn: async () =>
      api.POST('/api/accounts', { body: { ...fresh, last_day: fresh.last_day || null } }),
    onSuccess: () => {
      setFresh(EMPTY);
      return queries.invalidateQueries({ queryKey: ['accounts'] });
    },
  });
  const set = (key: keyof typeof EMPTY) => (event: { target: { value: string } }) =>
    setFresh({ ...fresh, [key]: event.target.value });
  return (
    <form
      className={`pile start ${styles.part}`}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <h2>Somebody new</h2>
      <TextField label="Full name" value={fresh.full_name} onChange={set('full_name')} />
      <TextField label="Signs in as" value={fresh.name} onChange={set('name')} autoComplete="off" />
      <TextField
        label="First password, 12 characters or more"
        type="password"
        autoComplete="new-password"
        value={fresh.password}
        onChange={set('password')}
      />
      <label>
        May{' '}
        <Select value={fresh.role} onChange={set('role')}>
          <Options of={Object.entries(ROLES)} />
        </Select>
      </label>
      <label>
        Last day, for a temporary account{' '}
        <DayInput
          label="Last day"
          value={fresh.last_day}
          onCommit={(last_day) => setFresh({ ...fresh, last_day })}
        />
      </label>
      {add.error && <Trouble>{add.error.message}.</Trouble>}
      {add.isSuccess && <p role="status">The account is made.</p>}
      <Press
        type="submit"
        variant="contained"
        loading={add.isPending}
        waits={
          !fresh.name || fresh.password.length < 12 ? 'a name, and a password of at least 12 characters' : ''
        }
      >
        Make the account
      </Press>
    </form>
  );
}
