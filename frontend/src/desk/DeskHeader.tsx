import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, NavLink, useLocation, useNavigate } from 'react-router';
import { usePersonHere } from '../frame/person';
import { useHere } from '../frame/useEvents';
import { STAGES } from '../pages';
import { Line } from '../parts/controls';
import { Key, StageMark } from '../parts/Marks';
import { PlanFields } from '../parts/PlanFields';
import { Trouble } from '../parts/Trouble';
import { Unfolding } from '../parts/Unfolding';
import { away, dated, deskPath, localToday, moment, PATTERNS } from '../parts/words';
import { putAway, recode, useRegister } from '../register/queries';
import { useDeskState } from './context';
import styles from './desk.module.css';
import { History, UndoRedo } from './History';

export function DeskHeader() {
  const { name, desk } = useDeskState();
  const { plan, summary, revision } = desk;
  return (
    <header className="head">
      <div style={{ minWidth: 0 }}>
        <div className="quiet small clip">
          <Link to={`/customers/${encodeURIComponent(plan.customer)}`}>{summary.customer_name}</Link>{' '}
          <span className="mono">{`${plan.customer}/${plan.site}`}</span>
        </div>
        <h1 title={summary.name}>{summary.name}</h1>
        <div className="quiet small clip">
          {plan.ship_date
            ? `Ships ${dated(plan.ship_date)}, ${away(plan.ship_date, localToday())}`
            : 'No ship date yet'}{' '}
          · <SiteFacts />
          <Others />
        </div>
      </div>
      <nav className={styles.track} aria-label="Stages">
        {STAGES.map(({ stage, title }, index) => (
          <NavLink key={stage} to={deskPath(name, stage)} className={`quiet small ${styles.stage}`}>
            {({ isActive }) => (
              <>
                <StageMark stage={summary.stages[stage]} here={isActive} size={18} />
                {index + 1} {title}
              </>
            )}
          </NavLink>
        ))}
      </nav>
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

/** Who else looks at the site at this moment. */
function Others() {
  const { plan } = useDeskState().desk;
  const person = usePersonHere();
  const others = useHere(`${plan.customer}/${plan.site}`).filter((name) => name !== person.full_name);
  return others.length === 0 ? null : (
    <span role="status" className={styles.others}>
      {others.join(', ')} {others.length === 1 ? 'is' : 'are'} here too
    </span>
  );
}

/** What is known of the site itself, typed in place. */
function SiteFacts() {
  const { plan } = useDeskState().desk;
  const { hash, key } = useLocation();
  const sought = hash.startsWith('#/') && !hash.slice(2).includes('/') ? hash.slice(2) : '';
  return (
    <Unfolding word="site facts" label="Site facts" sought={sought && key}>
      <PlanFields
        kind="site"
        path=""
        member={plan}
        sought={sought}
        labels={{
          delegated_prefix: 'IPv6 prefix of the site',
          reach_groups: `Reach groups (empty: all of ${plan.customer}, -: none)`,
        }}
      />
      <SiteCode />
    </Unfolding>
  );
}

/** The code of the site, and putting the site away. */
function SiteCode() {
  const { name, desk, mayPlan } = useDeskState();
  const [code, setCode] = useState(desk.plan.site);
  const [asked, setAsked] = useState(false);
  const change = useRegister(recode);
  const putting = useRegister(putAway);
  const navigate = useNavigate();
  const wrong = change.error ?? putting.error;
  if (!mayPlan || desk.plan.customer === PATTERNS) return null;
  const save = () => {
    const typed = code.trim();
    if (typed === '' || typed === desk.plan.site) return;
    change.mutate(
      { name, code: typed },
      { onSuccess: (now) => void navigate(deskPath(now), { replace: true }) },
    );
  };
  return (
    <form
      className="pile"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <label className="field">
        Code of the site
        <Line
          aria-label="Code of the site"
          className="mono"
          maxLength={40}
          value={code}
          onChange={(event) => setCode(event.target.value)}
          onBlur={save}
        />
      </label>
      {asked ? (
        <p>
          It takes part in nothing any more, and is kept with all it has: Customers brings it back.{' '}
          <Button
            color="error"
            loading={putting.isPending}
            onClick={() => putting.mutate(name, { onSuccess: () => void navigate('/outbound') })}
          >
            Put it away
          </Button>
        </p>
      ) : (
        <Button color="error" sx={{ justifySelf: 'start' }} onClick={() => setAsked(true)}>
          Put the site away…
        </Button>
      )}
      {wrong && <Trouble>{wrong.message}</Trouble>}
    </form>
  );
}

export function KeyHints() {
  return (
    <div className={`quiet small ${styles.keys}`}>
      Next <Key>J</Key> · back <Key>K</Key> · go there <Key>Enter</Key> · mend <Key>R</Key> · accept{' '}
      <Key>A</Key> · undo <Key>Ctrl Z</Key> ·{' '}
      <span style={{ whiteSpace: 'nowrap' }}>
        stages <Key>1</Key> to <Key>8</Key>
      </span>
    </div>
  );
}
