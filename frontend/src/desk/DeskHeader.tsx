import Popover from '@mui/material/Popover';
import { useState } from 'react';
import { NavLink } from 'react-router';
import { useHistory } from '../api/queries';
import { Key, StageMark } from '../parts/Marks';
import { TypedField } from '../parts/TypedField';
import { away, count, dated, deskPath, localToday, moment } from '../parts/words';
import { useDeskState } from './context';
import styles from './desk.module.css';

/** The stages that have a page, in the order of the work; each has its number as a key. */
export const STAGES = [
  { page: 'addresses', words: 'Addresses' },
  { page: 'devices', words: 'Devices' },
  { page: 'credentials', words: 'Credentials' },
  { page: 'clearance', words: 'Clearance' },
  { page: 'bench', words: 'Bench' },
  { page: 'handover', words: 'Handover' },
] as const;

export function DeskHeader() {
  const { name, desk } = useDeskState();
  const { plan, summary, revision } = desk;
  return (
    <header className={styles.head}>
      <div style={{ minWidth: 0 }}>
        <div className={styles.sub}>
          {summary.customer_name} <span className="mono">{`${plan.customer}/${plan.site}`}</span>
        </div>
        <h1 title={summary.name}>{summary.name}</h1>
        <div className={styles.sub}>
          {plan.ship_date
            ? `Ships ${dated(plan.ship_date)}, ${away(plan.ship_date, localToday())}`
            : 'No ship date yet'}{' '}
          · <SiteFacts />
        </div>
      </div>
      <nav className={styles.track} aria-label="Stages">
        {STAGES.map(({ page, words }, index) => (
          <NavLink key={page} to={deskPath(name, page)} className={styles.stage}>
            {({ isActive }) => (
              <>
                <StageMark stage={summary.stages[page]} here={isActive} size={18} />
                {index + 1} {words}
              </>
            )}
          </NavLink>
        ))}
      </nav>
      <div className={styles.right}>
        <div className={styles.sub}>
          <b style={{ color: 'var(--ink)' }}>Revision {revision.number}</b> saved {moment(revision.at)}
        </div>
        <div className={styles.sub} title={revision.sentence}>
          {revision.by}: {revision.sentence}
        </div>
        <History />
      </div>
    </header>
  );
}

/** What is known of the site itself, typed in place. */
function SiteFacts() {
  const { plan } = useDeskState().desk;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const groups = plan.reach_groups === null ? '' : plan.reach_groups.join('; ') || '-';
  const facts: [field: string, label: string, value: string | null][] = [
    ['name', 'Name', plan.name],
    ['street', 'Street', plan.street],
    ['time_zone', 'Time zone', plan.time_zone],
    ['ship_date', 'Ship date', plan.ship_date],
    ['contact', 'Contact', plan.contact],
    ['technician', 'Technician', plan.technician],
    ['reach_groups', `Reach groups (empty: all of ${plan.customer}, -: none)`, groups],
  ];
  return (
    <>
      <button
        className={styles.link}
        aria-haspopup="dialog"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        site facts
      </button>
      <Popover
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': 'Site facts' } }}
      >
        <div style={{ width: 400, padding: 20, display: 'grid', gap: 16 }}>
          {facts.map(([field, label, value]) => (
            <TypedField key={field} path={`/${field}`} label={label} value={value ?? ''} />
          ))}
        </div>
      </Popover>
    </>
  );
}

function History() {
  const { name, desk } = useDeskState();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const history = useHistory(name, desk.revision.number, anchor !== null);
  return (
    <>
      <button className={styles.link} onClick={(event) => setAnchor(event.currentTarget)}>
        {count(desk.revision.number, 'revision')}
      </button>
      <Popover
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <ol
          aria-label="Revisions, newest first"
          style={{ width: 480, maxHeight: 480, overflow: 'auto', margin: 0, padding: 16, listStyle: 'none' }}
        >
          {history.error && <li role="alert">{history.error.message}</li>}
          {history.data?.map((saved) => (
            <li key={saved.number} style={{ marginBottom: 10 }}>
              <b>{saved.number}</b> {saved.sentence}
              <div className="quiet">
                {saved.by}, {moment(saved.at)}
              </div>
            </li>
          ))}
        </ol>
      </Popover>
    </>
  );
}

export function KeyHints() {
  return (
    <div className={styles.keys}>
      Next <Key>J</Key> · back <Key>K</Key> · go there <Key>Enter</Key> ·{' '}
      <span style={{ whiteSpace: 'nowrap' }}>
        stages <Key>1</Key> to <Key>6</Key>
      </span>
    </div>
  );
}
