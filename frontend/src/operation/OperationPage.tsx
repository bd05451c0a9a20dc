import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../api/client';
import { CopyValue } from '../parts/CopyValue';
import { Trouble } from '../parts/Trouble';
import { count, moment } from '../parts/words';
import styles from './operation.module.css';

type Operation = Schemas['OperationShown'];

/** How this installation is: copies, room, people, and what whoever runs it should know. */
export function OperationPage() {
  const operation = useQuery({
    queryKey: ['operation'],
    refetchInterval: 15_000,
    queryFn: async () => body(await api.GET('/api/operation')),
  });
  if (operation.error) return <Trouble>{operation.error.message}</Trouble>;
  if (!operation.data) return null;
  const now = operation.data;
  return (
    <div className="page">
      <h1 className="sentence">{summary(now)}</h1>
      {[...now.notes, ...(now.safe_locked ? [now.safe_locked] : [])].map((note) => (
        <Alert key={note} severity="warning" variant="outlined">
          {note[0]?.toUpperCase() + note.slice(1)}.
        </Alert>
      ))}
      <div className={`above ${styles.columns}`}>
        <Copies now={now} />
        <Facts now={now} />
      </div>
    </div>
  );
}

/** The one sentence that says whether to worry. */
function summary(now: Operation): string {
  const newest = now.copies[0];
  const copied = newest ? `the newest copy of everything is ${ago(newest.at)} old` : 'there is no copy yet';
  const full = now.disk_free / now.disk_total < 0.1 ? ', and the disk is nearly full' : '';
  return `Running since ${moment(now.since)}; ${copied}${full}.`;
}

function ago(at: string): string {
  const minutes = Math.max(0, (Date.now() - new Date(at).getTime()) / 60_000);
  if (minutes < 90) return count(Math.round(minutes), 'minute');
  const hours = minutes / 60;
  return hours < 48 ? count(Math.round(hours), 'hour') : count(Math.round(hours / 24), 'day');
}

function size(bytes: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  const step = Math.min(units.length - 1, Math.floor(Math.log10(Math.max(1, bytes)) / 3));
  const value = bytes / 1000 ** step;
  return `${value.toFixed(value < 10 && step > 0 ? 1 : 0)} ${units[step]}`;
}

function Copies({ now }: { now: Operation }) {
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: async () => body(await api.POST('/api/operation/backups')),
    onSuccess: (fresh) => queries.setQueryData(['operation'], fresh),
  });
  return (
    <section aria-label="Copies">
      <h2>Copies</h2>
      <p>
        {now.backup_every_hours > 0
          ? `One every ${count(now.backup_every_hours, 'hour')}`
          : 'None is made by itself; those made here are'}
        {now.backup_every_hours > 0 && ','} kept for {count(now.backup_keep_days, 'day')}, in{' '}
        <span className="mono">{now.backups}</span>.{' '}
        {now.backup_keys
          ? 'The keys are in each, sealed under the passphrase.'
          : 'The keys are not in them: keep safe.key and journal.key at another place.'}
      </p>
      <Button variant="outlined" loading={make.isPending} onClick={() => make.mutate()}>
        Make one now
      </Button>
      {make.error && <Trouble>{make.error.message}.</Trouble>}
      {now.copies.length === 0 ? (
        <p className="quiet">
          None has been made yet
          {now.backup_every_hours > 0 && ': the first comes a quarter of an hour after the start'}.
        </p>
      ) : (
        <Table className={styles.copies}>
          <TableHead>
            <TableRow>
              <TableCell component="th" scope="col">
                Made
              </TableCell>
              <TableCell component="th" scope="col" className={styles.number}>
                Size
              </TableCell>
              <TableCell component="th" scope="col">
                File
              </TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {now.copies.map((copy) => (
              <TableRow key={copy.name}>
                <TableCell>{moment(copy.at)}</TableCell>
                <TableCell className={styles.number}>{size(copy.size)}</TableCell>
                <TableCell className="mono">{copy.name}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </section>
  );
}

function Facts({ now }: { now: Operation }) {
  const facts: [string, string][] = [
    ['Room on the disk', `${size(now.disk_free)} of ${size(now.disk_total)}`],
    ['Records', `${size(now.database_size)}, ${count(now.sites, 'site')}`],
    ['Memory', size(now.memory)],
    ['Signed in', count(now.sessions, 'session')],
    ['Pages open', `${now.listeners}`],
    ['Failed sign-ins since the start', `${now.failed_sign_ins}`],
    ['Version', now.version],
  ];
  return (
    <section aria-label="This installation">
      <h2>This installation</h2>
      <dl className="rows">
        {facts.map(([name, value]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {now.journal_head && (
        <>
          <h3>Head of the journal</h3>
          <p>
            Print or send it elsewhere, and hold it against the journal later with{' '}
            <span className="mono">octaplan journal-check --head</span>: then lines cannot be taken off its
            end unseen.
          </p>
          <CopyValue text={now.journal_head} label="Head of the journal" />
        </>
      )}
    </section>
  );
}
