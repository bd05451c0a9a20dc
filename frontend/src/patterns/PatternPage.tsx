import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMemo, useState } from 'react';
import { Link, useLocation, useNavigate, useParams } from 'react-router';
import { useDesk } from '../api/queries';
import { Inside } from '../desk/addresses/Inside';
import { useDeskState } from '../desk/context';
import desk from '../desk/desk.module.css';
import { DeskOf } from '../desk/DeskPage';
import { FindingsRail } from '../desk/FindingsRail';
import { History, UndoRedo } from '../desk/History';
import { memberOf } from '../desk/places';
import { useMay } from '../frame/person';
import { Line, LinkButton, Tick, Press } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { TypedField } from '../parts/TypedField';
import { count, deskPath, moment, PATTERNS } from '../parts/words';
import styles from './patterns.module.css';
import { useMakeVersion, usePattern, useRemovePattern } from './queries';

/** A pattern on its rulers: it is edited as a site is, on example addresses. */
export function PatternPage() {
  const { key = '' } = useParams();
  const name = useMemo(() => ({ customer: PATTERNS, site: key }), [key]);
  const state = useDesk(name);
  const mayPlan = useMay('plan');
  const { hash } = useLocation();
  if (state.error && !state.data) {
    return <Notice title="This pattern cannot be shown" detail={state.error.message} />;
  }
  return (
    <DeskOf name={name} desk={state.data} mayPlan={mayPlan} lit={memberOf(hash.slice(1))}>
      <PatternHeader />
      <div className={`fill ${desk.body}`}>
        <div className={desk.left}>
          <Inside />
          <Uses />
        </div>
        <FindingsRail />
      </div>
    </DeskOf>
  );
}

function PatternHeader() {
  const { name, desk: state, mayPlan } = useDeskState();
  const { plan, revision } = state;
  const pattern = usePattern(name.site, revision.number);
  const make = useMakeVersion(name.site);
  const remove = useRemovePattern();
  const navigate = useNavigate();
  const [note, setNote] = useState<string | null>(null);
  const [sure, setSure] = useState(false);
  const [meant, setMeant] = useState(false);
  const shown = pattern.data;
  const newest = shown?.versions[0];
  return (
    <header className="head">
      <div>
        <div className="quiet small clip">
          <Link to="/patterns">Patterns</Link> · drawn on example addresses: what counts is size and offset
        </div>
        <h1>{plan.name ?? plan.site}</h1>
        <div className="quiet small clip">
          {newest
            ? `Version ${newest.number} of ${moment(newest.at, true)} by ${newest.by}`
            : 'No version yet'}
          {newest?.note && `: ${newest.note}`}
          {shown?.edited && newest && ' · edited since'}
        </div>
      </div>
      <div className="line far">
        {mayPlan && note === null && (
          <>
            <Press
              variant="contained"
              waits={
                !shown?.edited || Object.keys(plan.segments).length === 0
                  ? 'nothing has changed since its newest version'
                  : ''
              }
              onClick={() => setNote('')}
            >
              Make version {(newest?.number ?? 0) + 1}
            </Press>
            {newest && (
              <Link to={`/rollout?pattern=${encodeURIComponent(name.site)}`}>Make sites from it</Link>
            )}
            {shown && shown.sites.length === 0 && (
              <LinkButton onClick={() => setSure(true)}>Remove</LinkButton>
            )}
          </>
        )}
        <Dialog open={sure} onClose={() => setSure(false)}>
          <DialogTitle>Remove {plan.name ?? plan.site}?</DialogTitle>
          <DialogContent>
            No site was made from it. Its draft and {count(shown?.versions.length ?? 0, 'version')} go for
            good.
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setSure(false)}>Leave it</Button>
            <Button
              variant="contained"
              onClick={() => remove.mutate(name.site, { onSuccess: () => void navigate('/patterns') })}
            >
              Remove it
            </Button>
          </DialogActions>
        </Dialog>
        {note !== null && (
          <form
            className={`line stretch ${styles.note}`}
            onSubmit={(event) => {
              event.preventDefault();
              make.mutate({ revision: revision.number, note, meant }, { onSuccess: () => setNote(null) });
            }}
            onKeyDown={(event) => event.key === 'Escape' && setNote(null)}
          >
            <Line
              autoFocus
              aria-label="What is new in this version"
              placeholder="what is new in it"
              maxLength={400}
              value={note}
              onChange={(event) => setNote(event.target.value)}
            />
            {shown?.as_they_stand.some((one) => one.whose) && (
              <label className="line small">
                <Tick checked={meant} onChange={(event) => setMeant(event.target.checked)} />
                what is one customer’s is meant so
              </label>
            )}
            <Button type="submit" variant="contained" loading={make.isPending}>
              Make it
            </Button>
          </form>
        )}
        {(make.error ?? remove.error) && <Trouble>{(make.error ?? remove.error)?.message}</Trouble>}
      </div>
      <div className="right">
        <div className="quiet small clip">
          <b style={{ color: 'var(--ink)' }}>Revision {revision.number}</b> saved {moment(revision.at)}
        </div>
        <div className="quiet small clip" title={revision.sentence}>
          {revision.by}: {revision.sentence}
        </div>
        <div className="quiet small clip">
          <UndoRedo />
          <History />
        </div>
      </div>
    </header>
  );
}

/** Its name, its versions, and the sites that are made from it. */
function Uses() {
  const { name, desk: state } = useDeskState();
  const pattern = usePattern(name.site, state.revision.number);
  const shown = pattern.data;
  if (!shown) return null;
  const newest = shown.versions[0]?.number ?? 0;
  return (
    <div className="card part above pile">
      <div style={{ maxWidth: 340 }}>
        <TypedField path="/name" label="Name of the pattern" value={state.plan.name ?? ''} />
      </div>
      {shown.as_they_stand.length > 0 && (
        <section aria-label="As it stands">
          <h3>As it stands at every site</h3>
          <ul>
            {shown.as_they_stand.map((one) => (
              <li key={one.path}>
                {one.text}
                {one.whose && (
                  <span role="note">
                    {' '}
                    <SeverityMark of="warn" size={12} /> that of {one.whose}: leave it empty, and each site
                    takes what is usual at its customer
                  </span>
                )}
              </li>
            ))}
          </ul>
        </section>
      )}
      {shown.versions.length > 0 && (
        <section aria-label="Versions">
          <h3>{count(shown.versions.length, 'version')}</h3>
          <ol>
            {shown.versions.map((version) => (
              <li key={version.number}>
                <b>{version.number}</b> {version.note || 'without a note'}{' '}
                <span className="quiet">
                  {version.by}, {moment(version.at, true)}
                </span>
              </li>
            ))}
          </ol>
        </section>
      )}
      {shown.sites.length > 0 && (
        <section aria-label="Sites made from it">
          <h3>{count(shown.sites_total, 'site')} made from it</h3>
          <ul className={styles.sites}>
            {shown.sites.map((site) => (
              <li key={`${site.customer}/${site.site}`}>
                <Link to={deskPath(site)}>{site.name}</Link>{' '}
                <span className="quiet">
                  version {site.version}
                  {site.version < newest && ', older'}
                  {site.departures > 0 && `, ${count(site.departures, 'departure')}`}
                </span>
              </li>
            ))}
            {shown.sites_total > shown.sites.length && (
              <li className="quiet">and {shown.sites_total - shown.sites.length} more</li>
            )}
          </ul>
        </section>
      )}
    </div>
  );
}
