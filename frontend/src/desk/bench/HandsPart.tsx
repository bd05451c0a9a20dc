import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, body, type Run, type Schemas } from '../../api/client';
import { deskKey, type SiteName } from '../../api/queries';
import { useMay } from '../../frame/person';
import { Line, LinkButton, Tick } from '../../parts/controls';
import { Sure } from '../../parts/Sure';
import { Trouble } from '../../parts/Trouble';
import { count, moment } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';

/** Milliseconds after which hands that are at work are looked at again. */
const SOON = 400;

function useHands(name: SiteName, device: string) {
  return useQuery({
    queryKey: [...deskKey(name), 'hands', device],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/bench/{device}/hands', {
          params: { path: { ...name, device } },
        }),
      ),
    refetchInterval: ({ state }) => (state.data?.hands?.working ? SOON : 15_000),
  });
}

/** Octaplan's own hands: let them stage the stand-in of this box, all of it or a step, and see what they sent. */
export function HandsPart({ run }: { run: Run }) {
  const { name } = useDeskState();
  const { device } = run;
  const queries = useQueryClient();
  const { data } = useHands(name, device);
  const may = useMay('stage');
  const audits = useMay('audit');
  const follows = may || audits;
  const [password, setPassword] = useState('');
  const [confirmed, setConfirmed] = useState(false);
  const at = { params: { path: { ...name, device } } };
  const fresh = () => queries.invalidateQueries({ queryKey: deskKey(name) });
  const act = useMutation({
    mutationFn: async (what: 'all' | 'next' | 'stop' | 'put') => {
      if (what === 'stop') {
        await api.DELETE('/api/sites/{customer}/{site}/bench/{device}/hands', at).then(body);
      } else if (what === 'put') {
        const box = { type: '', site: `${name.customer}/${name.site}`, device };
        const faults = { dead_port: '', not_fresh: false, wrong_label: false };
        await api.POST('/api/practice/boxes', { body: { ...box, ...faults } }).then(body);
      } else {
        const only_next = what === 'next';
        await api
          .POST('/api/sites/{customer}/{site}/bench/{device}/hands', {
            ...at,
            body: { only_next, password, reaches: confirmed ? (data?.reaches ?? '') : '' },
          })
          .then(body);
      }
    },
    onSettled: fresh,
  });
  if (!data) return null;
  const { hands, on_bench, exchanged, real } = data;
  return (
    <section className={`small ${styles.hands}`} aria-label="Octaplan's hands">
      {!on_bench && may && (
        <p>
          <LinkButton onClick={() => act.mutate('put')}>
            Put a stand-in of it on the practice bench
          </LinkButton>
          , and Octaplan can stage that by itself.
        </p>
      )}
      {on_bench && (
        <p>
          A stand-in of it is on the <Link to="/practice">practice bench</Link>.
        </p>
      )}
      {real && may && (
        <p>
          Octaplan may stage the real box too: it reaches it from the machine that it runs on, at the
          addresses of the run sheet; plugging and the laptop stay yours.
        </p>
      )}
      {real && may && data.label_password && (
        <label className="line">
          password on its label
          <Line
            type="password"
            value={password}
            size={14}
            onChange={(event) => setPassword(event.target.value)}
          />
        </label>
      )}
      {real && may && data.reaches && (
        <label className="line">
          <Tick checked={confirmed} onChange={(event) => setConfirmed(event.target.checked)} />
          <span>
            The box in front of me, and nothing else, is reached at{' '}
            <span className="mono">{data.reaches}</span>
          </span>
        </label>
      )}
      {(on_bench || real) && may && (
        <div className="line wrap">
          {hands?.working ? (
            <Button
              size="small"
              variant="outlined"
              disabled={hands.stopping}
              onClick={() => act.mutate('stop')}
            >
              Stop after this step
            </Button>
          ) : (
            <>
              <Button
                size="small"
                variant="contained"
                loading={act.isPending}
                onClick={() => act.mutate('all')}
              >
                Do all that is left
              </Button>
              <Button size="small" variant="outlined" onClick={() => act.mutate('next')}>
                Do the next step
              </Button>
            </>
          )}
        </div>
      )}
      {(on_bench || real) && may && !hands?.working && run.backups.length > 0 && (
        <PutBack run={run} onBegun={fresh} />
      )}
      {hands && <HandsTold hands={hands} />}
      {run.practice && <p className="quiet">This run is of a stand-in: practice.</p>}
      {act.error && <Trouble>{act.error.message}</Trouble>}
      <div className="line wrap">
        {(on_bench || real) && may && (
          <Asked
            shut="what would be sent"
            open="hide what would be sent"
            load={async () =>
              body(await api.GET('/api/sites/{customer}/{site}/bench/{device}/hands/dry-run', at))
            }
          />
        )}
        {exchanged > 0 && follows && (
          <Asked
            shut="see what was sent and received"
            open="hide what was sent and received"
            load={async () =>
              body(await api.GET('/api/sites/{customer}/{site}/bench/{device}/hands/exchanged', at))
            }
          />
        )}
      </div>
    </section>
  );
}

/** Undoing what was told since: the newest backup of the run goes back into the box. */
function PutBack({ run, onBegun }: { run: Run; onBegun: () => void }) {
  const { name } = useDeskState();
  const [asked, setAsked] = useState(false);
  const newest = run.backups.at(-1);
  const put = useMutation({
    mutationFn: async (backup: number) =>
      body(
        await api.POST('/api/sites/{customer}/{site}/bench/{device}/hands/backups/{backup}', {
          params: { path: { ...name, device: run.device, backup } },
        }),
      ),
    onSuccess: () => setAsked(false),
    onSettled: onBegun,
  });
  if (!newest) return null;
  const when = moment(newest.at);
  return (
    <>
      <p>
        <LinkButton onClick={() => setAsked(true)}>Put the backup of {when} back…</LinkButton>
      </p>
      {asked && (
        <Sure
          title={`Put the backup of ${when} back into ${run.name}?`}
          yes="Put it back"
          no="Leave the box as it is"
          pending={put.isPending}
          error={put.error}
          onNo={() => setAsked(false)}
          onYes={() => put.mutate(newest.id)}
        >
          The box is then as it was when the backup was taken. What was recorded since is taken back, and has
          to be done again.
        </Sure>
      )}
    </>
  );
}

function HandsTold({ hands }: { hands: NonNullable<Schemas['HandsAt']['hands']> }) {
  if (hands.working) {
    return (
      <p role="status">
        <progress max={Math.max(1, hands.total)} value={hands.done} aria-label="Steps done" /> {hands.step},
        for {hands.by}
      </p>
    );
  }
  if (hands.note && hands.note !== 'stopped') {
    return (
      <p role="status" className={styles.stopped}>
        Stopped at “{hands.step}”: {hands.note}
      </p>
    );
  }
  return (
    <p role="status" className="quiet">
      {count(hands.done, 'step')} done in {hands.seconds} s{hands.note && ', then stopped'}.
      {hands.step && ` “${hands.step}” is yours: record it, then Octaplan goes on.`}
    </p>
  );
}

/** What would be sent, or was: fetched when it is wanted. */
function Asked({
  shut,
  open,
  load,
}: {
  shut: string;
  open: string;
  load: () => Promise<Schemas['StepSent'][]>;
}) {
  const ask = useMutation({ mutationFn: load });
  return (
    <>
      <LinkButton aria-expanded={Boolean(ask.data)} onClick={() => (ask.data ? ask.reset() : ask.mutate())}>
        {ask.data ? open : shut}
      </LinkButton>
      {ask.data && <Sent steps={ask.data.filter((step) => step.lines.length > 0)} />}
      {ask.error && <Trouble>{ask.error.message}</Trouble>}
    </>
  );
}

function Sent({ steps }: { steps: Schemas['StepSent'][] }) {
  return (
    <div className={styles.sent} role="region" aria-label="What was sent and received" tabIndex={0}>
      {steps.map((step) => (
        <section key={step.step}>
          <b>{step.title}</b>
          <pre className="mono">{step.lines.join('\n')}</pre>
        </section>
      ))}
    </div>
  );
}
