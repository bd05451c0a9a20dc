import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useLocation } from 'react-router';
import type { Wireless } from '../../api/client';
import { useOrganisation, useRevise } from '../../api/queries';
import { Choice, labelsOf } from '../../parts/controls';
import { choiceOf } from '../../parts/fields';
import { RoleMark, SeverityMark } from '../../parts/Marks';
import { PlanFields } from '../../parts/PlanFields';
import { Trouble } from '../../parts/Trouble';
import { count, deskPath } from '../../parts/words';
import { freshId, remove } from '../addresses/edits';
import { useDeskState, useLight } from '../context';
import styles from './devices.module.css';

/** The site's Wi-Fi networks. Their keys are in the safe. */
export function WifiPart() {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const { plan } = state;
  const { hash } = useLocation();
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const wanted = hash.startsWith('#/wireless') ? hash.split('/')[2] : '';
  const begins = useOrganisation().data?.settings.beginning;
  const add = () => {
    const id = freshId(plan.wireless);
    const segment =
      Object.keys(plan.segments).find((key) =>
        ['wireless', 'guest'].includes(plan.segments[key]?.role ?? ''),
      ) ??
      Object.keys(plan.segments)[0] ??
      null;
    revise.mutate({
      operations: [
        {
          op: 'add',
          path: `/wireless/${id}`,
          value: { name: state.summary.name.slice(0, 28), segment, country: begins?.country ?? null },
        },
      ],
      revision: state.revision.number,
    });
    setOpen({ ...open, [id]: true });
  };
  return (
    <>
      <div className="line baseline far heading">
        <h2>Wi-Fi</h2>
        <span className="quiet">
          {Object.keys(plan.wireless).length === 0
            ? 'no network'
            : count(Object.keys(plan.wireless).length, 'network')}
        </span>
        <span className="end" />
        {mayPlan && <Button onClick={add}>Add a Wi-Fi network</Button>}
      </div>
      {Object.entries(plan.wireless).map(([id, wifi]) => (
        <Wifi
          key={id}
          id={id}
          wifi={wifi}
          open={open[id] ?? wanted === id}
          onToggle={() => setOpen({ ...open, [id]: !(open[id] ?? wanted === id) })}
        />
      ))}
      {revise.error && <Trouble>{revise.error.message}</Trouble>}
    </>
  );
}

function Wifi(props: { id: string; wifi: Wireless; open: boolean; onToggle: () => void }) {
  const { id, wifi, open, onToggle } = props;
  const { name, desk: state, mayPlan } = useDeskState();
  const { lit } = useLight();
  const revise = useRevise(name);
  const { plan } = state;
  const path = `/wireless/${id}`;
  const segment = plan.segments[wifi.segment ?? ''];
  const worst = state.findings.find((finding) => finding.path === path && !finding.acceptance);
  const segmentChoice = (
    <Choice
      label="Segment"
      value={wifi.segment ?? ''}
      disabled={!mayPlan}
      field={`${path}/segment`}
      choices={[['', 'choose one'], ...labelsOf(plan.segments)]}
      onChoose={(key) =>
        revise.mutate({
          operations: [{ op: 'add', path: `${path}/segment`, value: key || null }],
          revision: state.revision.number,
        })
      }
    />
  );
  return (
    <section
      className={`card below ${styles.device} ${lit === path ? 'lit' : ''}`}
      data-path={path}
      aria-label={`Wi-Fi ${wifi.name}`}
    >
      <div className="line">
        <button className="toggle" aria-expanded={open} onClick={onToggle}>
          <b>{wifi.name}</b>
          <span className="quiet">
            {' '}
            · {choiceOf('wireless', 'security', wifi.security)} · {choiceOf('wireless', 'band', wifi.band)}
            {wifi.hidden && ' · hidden'}
          </span>{' '}
          {segment && <RoleMark role={segment.role} />} {segment?.label ?? 'no segment'}
        </button>
        {worst && <SeverityMark of={worst.severity} />}
        {wifi.security !== 'open' && (
          <Link to={`${deskPath(name, 'credentials')}#/safe/wireless/${id}/key`}>key</Link>
        )}
      </div>
      {open && (
        <div className={styles.detail}>
          <div className="fields">
            <PlanFields kind="wireless" path={path} member={wifi} before={{ security: segmentChoice }} />
          </div>
          {mayPlan && (
            <Button
              color="error"
              sx={{ mt: 1 }}
              onClick={() => revise.mutate({ operations: [remove(path)], revision: state.revision.number })}
            >
              Remove Wi-Fi {wifi.name}
            </Button>
          )}
        </div>
      )}
      {revise.error && <Trouble>{revise.error.message}</Trouble>}
    </section>
  );
}
