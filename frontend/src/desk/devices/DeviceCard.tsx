import type { KeyboardEvent } from 'react';
import { Link } from 'react-router';
import type { Device, HardwareType, Plan } from '../../api/client';
import { useRevise } from '../../api/queries';
import { Choice } from '../../parts/controls';
import { SeverityMark } from '../../parts/Marks';
import { PlanFields } from '../../parts/PlanFields';
import { TypedField } from '../../parts/TypedField';
import { deskPath } from '../../parts/words';
import { useDeskState, useLight } from '../context';
import styles from './devices.module.css';
import { ROLE_WORDS } from './roles';
import { RemoveBox, ReplaceBox } from './Replace';

interface Props {
  id: string;
  device: Device;
  type: HardwareType | undefined;
  open: boolean;
  onToggle: () => void;
  onReplaced: (sentences: string[], key: string) => void;
}

/** One box: its facts in a line, and opened in place everything that goes into it. */
export function DeviceCard({ id, device, type, open, onToggle, onReplaced }: Props) {
  const { name, desk: state } = useDeskState();
  const { lit } = useLight();
  const path = `/devices/${id}`;
  const worst = state.findings.find((finding) => finding.path.startsWith(path) && !finding.acceptance);
  const staging = state.staging.find((one) => one.device === id);
  const used = Object.values(device.ports).filter((use) => use.mode !== 'unused').length;
  return (
    <section
      className={`card below ${styles.device} ${lit === path ? 'lit' : ''}`}
      data-path={path}
      aria-label={`Box ${device.name ?? ROLE_WORDS[device.role]}`}
    >
      <div className="line">
        <button className="toggle" aria-expanded={open} onClick={onToggle}>
          <b>{device.name ?? ROLE_WORDS[device.role]}</b>
          <span className="quiet">
            {' '}
            · {ROLE_WORDS[device.role]} ·{' '}
            {type ? `${type.maker} ${type.model}` : `type ${device.type}, not on Hardware`}
            {device.serial && ` · serial ${device.serial}`} · {used} of {Object.keys(device.ports).length}{' '}
            ports used
          </span>
        </button>
        {worst && <SeverityMark of={worst.severity} />}
        {staging && (
          <Link to={deskPath(name, `bench/${id}`)}>
            {staging.finished
              ? 'staged'
              : staging.begun
                ? `bench ${staging.done}/${staging.steps}`
                : 'run sheet'}
          </Link>
        )}
      </div>
      {open && <Detail id={id} device={device} type={type} onReplaced={onReplaced} />}
    </section>
  );
}

/** Enter, or a scanner's, leads to the next field; leaving the one before saves it. */
function onward(event: KeyboardEvent<HTMLElement>) {
  if (event.key !== 'Enter' || !(event.target instanceof HTMLInputElement)) return;
  const fields = [...event.currentTarget.querySelectorAll<HTMLInputElement>('input[data-field]')];
  const next = fields[fields.indexOf(event.target) + 1];
  if (!next) return; // the last one: Enter saves it
  event.stopPropagation();
  next.focus();
}

function Detail({ id, device, type, onReplaced }: Omit<Props, 'open' | 'onToggle'>) {
  const { name, desk: state, mayPlan } = useDeskState();
  const { plan } = state;
  const path = `/devices/${id}`;
  const wanted = type?.firmware.wanted;
  const carried = [...new Set(Object.values(device.ports).flatMap((use) => [use.segment, ...use.tagged]))];
  return (
    <div className={styles.detail}>
      <div className="fields" onKeyDownCapture={onward}>
        <PlanFields
          kind="devices"
          path={path}
          member={device}
          without={['edge', 'inner-router'].includes(device.role) ? ['gateway'] : []}
          labels={{
            time_zone: `Time zone (empty: ${plan.time_zone ?? "the site's"})`,
            ...(wanted ? { firmware: `Firmware found (wanted ${wanted})` } : {}),
          }}
        />
        <HostChoice id={id} device={device} plan={plan} />
      </div>
      <h4>Own address by segment</h4>
      <div className="fields">
        {carried.map((segment) => {
          const where = segment ? plan.segments[segment] : undefined;
          const usual =
            where?.role === 'transit'
              ? ', its end of the link'
              : device.role === 'edge'
                ? `, usually ${where?.gateway ?? 'the gateway'}`
                : '';
          return (
            segment &&
            where && (
              <TypedField
                key={segment}
                path={`${path}/addresses/${segment}`}
                label={`${where.label}${usual}`}
                value={device.addresses[segment] ?? ''}
              />
            )
          );
        })}
        {carried.filter(Boolean).length === 0 && (
          <span className="quiet">No port carries a segment yet.</span>
        )}
      </div>
      {type && Object.keys(type.licences).length > 0 && (
        <>
          <h4>Licences</h4>
          <div className="fields">
            {Object.entries(type.licences).map(([licence, purpose]) => (
              <TypedField
                key={licence}
                path={`${path}/licences/${licence}`}
                label={`${licence}, for ${purpose}: ends on, or “never”`}
                value={licence in device.licences ? (device.licences[licence]?.ends ?? 'never') : ''}
              />
            ))}
          </div>
        </>
      )}
      {device.role !== 'modem' && (
        <p className="quiet">
          What it lets through, translates and routes, and from where it is managed, stands on{' '}
          <Link to={`${deskPath(name, 'traffic')}#${path}`}>Traffic</Link>.
        </p>
      )}
      {mayPlan && <ReplaceBox id={id} device={device} onReplaced={onReplaced} />}
      {mayPlan && <RemoveBox id={id} device={device} />}
    </div>
  );
}

/** Whether the box is one of the fixed hosts of the plan: then it has that host's address. */
function HostChoice({ id, device, plan }: { id: string; device: Device; plan: Plan }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  return (
    <Choice
      label="It is the fixed host"
      value={device.host ?? ''}
      disabled={!mayPlan}
      field={`/devices/${id}/host`}
      choices={[
        ['', 'none of them'],
        ...Object.entries(plan.hosts).map(
          ([key, host]) => [key, `${host.name} ${host.address ?? ''}`] as const,
        ),
      ]}
      onChoose={(key) =>
        revise.mutate({
          operations: [{ op: 'add', path: `/devices/${id}/host`, value: key || null }],
          revision: state.revision.number,
        })
      }
    />
  );
}
