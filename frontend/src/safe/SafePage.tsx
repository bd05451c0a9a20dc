import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { useMay } from '../frame/person';
import { Tick, Press } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, dated, deskPath, moment } from '../parts/words';
import styles from './safe.module.css';

type Row = Schemas['SafeSite'];

const codeOf = (row: Row) => `${row.customer}/${row.site}`;

/** How the secrets of all sites stand, and the way to make all that are missing in one action. */
export function SafePage() {
  const queries = useQueryClient();
  const safe = useQuery({
    queryKey: ['safe'],
    queryFn: async () => body(await api.GET('/api/safe')),
  });
  const mayFill = useMay('fill');
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const make = useMutation({
    mutationFn: async (sites: string[]) => body(await api.POST('/api/safe/missing', { body: { sites } })),
    onSuccess: () => {
      setChosen(new Set());
      return queries.invalidateQueries();
    },
  });
  if (safe.error) return <Trouble>{safe.error.message}</Trouble>;
  if (!safe.data) return null;
  const { sites, locked } = safe.data;
  const lacking = sites.filter((row) => row.missing > 0);
  const wanted = chosen.size > 0 ? lacking.filter((row) => chosen.has(codeOf(row))) : lacking;
  const missing = wanted.reduce((sum, row) => sum + row.missing, 0);
  const toggle = (code: string) => {
    const next = new Set(chosen);
    if (!next.delete(code)) next.add(code);
    setChosen(next);
  };
  return (
    <div className="page">
      <div className="line baseline far below">
        <h1>Safe</h1>
        <span className="quiet" role="status">
          {count(
            sites.reduce((sum, row) => sum + row.slots, 0),
            'slot',
          )}{' '}
          at {count(sites.length, 'site')}
          {make.data && `; ${count(make.data.made, 'secret')} made just now`}
        </span>
        <span style={{ marginLeft: 'auto' }} />
        {mayFill && missing > 0 && (
          <Press
            variant="contained"
            waits={locked}
            loading={make.isPending}
            onClick={() => make.mutate(wanted.map(codeOf))}
          >
            Make {count(missing, 'missing secret')} at {count(wanted.length, 'site')}
          </Press>
        )}
      </div>
      {locked && (
        <p role="alert" className="note">
          <b>The safe is closed.</b> {locked}.
        </p>
      )}
      {make.error && <Trouble>{make.error.message}</Trouble>}
      {sites.length === 0 ? (
        <p className="quiet">
          No site needs a secret yet: they come with the boxes, Wi-Fi and PPPoE circuits of the sites.
        </p>
      ) : (
        <Table className={`card ${styles.sites}`}>
          <Heads
            of={[
              <span className="sr">Choose</span>,
              'Site',
              'Ships',
              'Filled',
              'To make',
              'To be given',
              'Weak',
              'Used twice',
              'Old',
            ]}
          />
          <TableBody>
            {sites.map((row) => (
              <TableRow key={codeOf(row)}>
                <TableCell>
                  {row.missing > 0 && mayFill && (
                    <Tick
                      aria-label={`Choose ${row.name}`}
                      checked={chosen.has(codeOf(row))}
                      onChange={() => toggle(codeOf(row))}
                    />
                  )}
                </TableCell>
                <TableCell>
                  <Link to={deskPath(row, 'credentials')}>{row.name}</Link>{' '}
                  <span className="quiet">{row.customer_name}</span>
                </TableCell>
                <TableCell>
                  {row.ship_date ? dated(row.ship_date) : <span className="quiet">no date</span>}
                </TableCell>
                <TableCell>
                  <Fill row={row} />
                </TableCell>
                <Number of={row.missing} />
                <Number of={row.waiting} />
                <Number of={row.weak} bad />
                <Number of={row.reused} bad />
                <Number of={row.old} />
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      <Settings safe={safe.data} />
    </div>
  );
}

/** The slots of a site as pips: filled, or hollow. */
function Fill({ row }: { row: Row }) {
  const filled = row.slots - row.missing - row.waiting;
  return (
    <span className={styles.fill} title={`${filled} of ${row.slots}`}>
      {row.slots <= 16 &&
        Array.from({ length: row.slots }, (_, index) => <i key={index} data-full={index < filled} />)}
      <span className="mono">
        {filled}/{row.slots}
      </span>
    </span>
  );
}

function Number({ of, bad = false }: { of: number; bad?: boolean }) {
  return (
    <TableCell className={styles.number}>
      {of > 0 ? (
        <>
          {bad && <SeverityMark of="stop" />} {of}
        </>
      ) : (
        <span className="quiet">–</span>
      )}
    </TableCell>
  );
}

function Settings({ safe }: { safe: Schemas['SafeShown'] }) {
  const queries = useQueryClient();
  const mayAdminister = useMay('administer');
  const [asking, setAsking] = useState(false);
  const [wanted, setWanted] = useState<boolean | null>(null); // what is being saved, shown at once
  const again = () => queries.invalidateQueries();
  const settings = useMutation({
    mutationFn: async (reason_wanted: boolean) => api.PUT('/api/safe/settings', { body: { reason_wanted } }),
    onSuccess: again,
  });
  const key = useMutation({
    mutationFn: async () => body(await api.POST('/api/safe/key')),
    onSuccess: () => {
      setAsking(false);
      return again();
    },
  });
  return (
    <section className={`pile start ${styles.settings}`} aria-label="How the safe is kept">
      <h2>How it is kept</h2>
      <p>
        Sealed with AES-GCM under a key in the file <span className="mono">safe.key</span> beside the
        database, in use since {moment(safe.since, true)}. Keep a copy of that file apart: without it no
        secret can be read.
      </p>
      <label>
        <Tick
          checked={wanted ?? safe.reason_wanted}
          disabled={!mayAdminister}
          onChange={(event) => {
            setWanted(event.target.checked);
            settings.mutate(event.target.checked, { onSettled: () => setWanted(null) });
          }}
        />{' '}
        Whoever reads a secret says what for
      </label>
      {mayAdminister && (
        <div style={{ marginTop: 10 }}>
          {asking ? (
            <>
              Everything is sealed anew; the old key file, and copies of it, become useless.{' '}
              <Button variant="contained" loading={key.isPending} onClick={() => key.mutate()}>
                Change the key
              </Button>
              <Button onClick={() => setAsking(false)}>Leave it</Button>
            </>
          ) : (
            <Press variant="outlined" waits={safe.locked} onClick={() => setAsking(true)}>
              Change the key…
            </Press>
          )}
          {key.data && <span role="status">{count(key.data.made, 'thing')} sealed anew.</span>}
        </div>
      )}
      {(settings.error ?? key.error) && <Trouble>{(settings.error ?? key.error)?.message}</Trouble>}
    </section>
  );
}
