import Button from '@mui/material/Button';
import type { KeyboardEvent } from 'react';
import { Link } from 'react-router';
import type { Device, HardwareType, Plan } from '../../api/client';
import { useRevise } from '../../api/queries';
import { SeverityMark } from '../../parts/Marks';
import { TypedField } from '../../parts/TypedField';
import { deskPath } from '../../parts/words';
import { useDeskState, useLight } from '../context';
import desk from '../desk.module.css';
import styles from './devices.module.css';
import { ROLE_WORDS } from './DevicesPage';
import { Rules } from './Rules';
import { removeDevice } from './wires';

interface Props {
  id: string;
  device: Device;
  type: HardwareType | undefined;
  open: boolean;
  onToggle: () => void;
}

/** One box: its facts in a line, and opened in place everything that goes into it. */
export function DeviceCard({ id, device, type, open, onToggle }: Props) {
  const { name, desk: state } = useDeskState();
  const { lit } = useLight();
  const path = `/devices/${id}`;
  const worst = state.findings.find((finding) => finding.path.startsWith(path) && !finding.acceptance);
  const staging = state.staging.find((one) => one.device === id);
  const used = Object.values(device.ports).filter((use) => use.mode !== 'unused').length;
  return (
    <section
      className={`${desk.card} ${styles.device} ${lit === path ? styles.lit : ''}`}
      data-path={path}
      aria-label={`Box ${device.name ?? ROLE_WORDS[device.role]}`}
    >
      <div className={styles.line}>
        <button className={styles.toggle} aria-expanded={open} onClick={onToggle}>
          <b>{device.name ?? ROLE_WORDS[device.role]}</b>
          <span className="quiet">
            {' '}
            · {ROLE_WORDS[device.role]} ·{' '}
            {type ? `${type.maker} ${type.model}` : `${device.type}, not on Hardware`}
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
      {open && <Detail id={id} device={device} type={type} />}
    </section>
  );
}

/** Enter, or a scanner's, leads to the next field; leaving the one before saves it. */
function onward(event: KeyboardEvent<HTMLElement>) {
  if (event.key !== 'Enter' || !(event.target instanceof HTMLInputElement)) return;
  const fields = [...event.currentTarget.querySelectorAll<HTMLInputElement>('input[data-field]')];
  event.stopPropagation();
  fields[fields.indexOf(event.target) + 1]?.focus();
}

function Detail({ id, device, type }: { id: string; device: Device; type: HardwareType | undefined }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const { plan } = state;
  const path = `/devices/${id}`;
  const field = (key: string, label: string, value: string | null) => (
    <TypedField path={`${path}/${key}`} label={label} value={value ?? ''} />
  );
  const carried = [...new Set(Object.values(device.ports).flatMap((use) => [use.segment, ...use.tagged]))];
  return (
    <div className={styles.detail}>
      <div className={styles.fields} onKeyDownCapture={onward}>
        {field('name', 'Host name', device.name)}
        <TypedField
          path={`${path}/role`}
          label="Role"
          value={device.role}
          choices={Object.entries(ROLE_WORDS)}
        />
        {field('serial', 'Serial number', device.serial)}
        {field('macs', 'MACs', device.macs.join(' '))}
        {field('asset_tag', 'Asset tag', device.asset_tag)}
        {field('location', 'Location', device.location)}
        {field('contact', 'Contact', device.contact)}
        {field('domain', 'Domain', device.domain)}
        {field('time_zone', `Time zone (empty: ${plan.time_zone ?? "the site's"})`, device.time_zone)}
        {field('time_servers', 'Time servers', device.time_servers.join(' '))}
        {field('resolvers', 'Resolvers', device.resolvers.join(' '))}
        {field('forwarders', 'Forwards names to', device.forwarders.join(' '))}
        {field('banner', 'Banner', device.banner)}
        {field(
          'firmware',
          `Firmware found${type?.firmware.wanted ? ` (wanted ${type.firmware.wanted})` : ''}`,
          device.firmware,
        )}
        {!['edge', 'inner-router'].includes(device.role) &&
          field('gateway', 'Default gateway', device.gateway)}
        <HostChoice id={id} device={device} plan={plan} />
      </div>
      <h4>Own address by segment</h4>
      <div className={styles.fields}>
        {carried.map((segment) => {
          const where = segment ? plan.segments[segment] : undefined;
          const usual = device.role === 'edge' ? `, usually ${where?.gateway ?? 'the gateway'}` : '';
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
          <div className={styles.fields}>
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
      {device.role !== 'modem' && <Rules id={id} device={device} />}
      {mayPlan && (
        <Button
          color="error"
          sx={{ mt: 1 }}
          onClick={() =>
            revise.mutate({ operations: removeDevice(plan, id), revision: state.revision.number })
          }
        >
          Remove {device.name ?? 'this box'}
        </Button>
      )}
      {revise.error && <p role="alert">{revise.error.message}</p>}
    </div>
  );
}

/** Whether the box is one of the fixed hosts of the plan: then it has that host's address. */
function HostChoice({ id, device, plan }: { id: string; device: Device; plan: Plan }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  return (
    <label className={styles.choice}>
      It is the fixed host
      <select
        value={device.host ?? ''}
        disabled={!mayPlan}
        data-field={`/devices/${id}/host`}
        onChange={(event) =>
          revise.mutate({
            operations: [{ op: 'add', path: `/devices/${id}/host`, value: event.target.value || null }],
            revision: state.revision.number,
          })
        }
      >
        <option value="">none of them</option>
        {Object.entries(plan.hosts).map(([key, host]) => (
          <option key={key} value={key}>
            {host.name} {host.address}
          </option>
        ))}
      </select>
    </label>
  );
}
