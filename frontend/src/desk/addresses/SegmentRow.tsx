import Button from '@mui/material/Button';
import { useMemo } from 'react';
import type { Segment } from '../../api/client';
import { useRevise } from '../../api/queries';
import { RoleMark, ROLES, SeverityMark } from '../../parts/Marks';
import { TypedField } from '../../parts/TypedField';
import { count, lease } from '../../parts/words';
import { parse, short } from '../../ruler/addresses';
import { isAt, pictureOf, type SegmentPicture } from '../../ruler/geometry';
import { Ruler } from '../../ruler/Ruler';
import { useDeskState, useLight } from '../context';
import styles from './addresses.module.css';
import { removeSegment } from './edits';
import { HostTable } from './HostTable';

const ROLE_CHOICES = Object.entries(ROLES).map(([role, { word }]) => [role, word] as const);

/** One segment: its exact facts at the left, its ruler, and opened in place its values and hosts. */
export function SegmentRow(props: { id: string; segment: Segment; open: boolean; onToggle: () => void }) {
  const { id, segment, open, onToggle } = props;
  const { desk } = useDeskState();
  const { lit, light } = useLight();
  const path = `/segments/${id}`;
  const picture = useMemo(
    () => pictureOf(desk.plan, id, segment, desk.findings),
    [desk.plan, desk.findings, id, segment],
  );
  const stopped = desk.findings.some(
    (finding) => finding.severity === 'stop' && isAt(finding, desk.plan, id),
  );
  return (
    <section
      className={`${styles.segment} ${lit === path ? styles.lit : ''}`}
      data-path={path}
      aria-label={`Segment ${segment.label}`}
    >
      <div className={styles.side}>
        <button className={`${styles.toggle} ${styles.name}`} aria-expanded={open} onClick={onToggle}>
          <RoleMark role={segment.role} />
          <b title={segment.label}>{segment.label}</b>
          <span className={styles.facts} style={{ whiteSpace: 'nowrap' }}>
            {segment.vlan === null ? 'no VLAN' : `VLAN ${segment.vlan}`}
          </span>
        </button>
        <div className={styles.subnet}>
          <span className="mono">{segment.subnet ?? 'no subnet yet'}</span>
          {stopped && <SeverityMark of="stop" />}
        </div>
        <div className={styles.facts}>
          gateway <span className="mono">{gatewayText(segment, picture)}</span>
        </div>
        {picture && <div className={styles.facts}>{countsText(segment, picture)}</div>}
      </div>
      {picture ? (
        <Ruler
          picture={picture}
          hue={ROLES[segment.role].hue}
          label={segment.label}
          lit={lit}
          onLight={light}
        />
      ) : (
        <p className="quiet" style={{ padding: '16px 24px' }}>
          Open it and give it a subnet, such as 10.40.8.0/24: then it can be drawn and checked.
        </p>
      )}
      {open && <SegmentDetail id={id} segment={segment} />}
    </section>
  );
}

function gatewayText(segment: Segment, picture: SegmentPicture | undefined): string {
  const gateway = parse(segment.gateway);
  if (!gateway) return 'none';
  return picture?.gateway === gateway.value && picture.net.family === 4
    ? short(gateway.value, picture.net)
    : (segment.gateway ?? 'none');
}

function countsText(segment: Segment, { fixed, leased, free, net }: SegmentPicture): string {
  if (net.family === 6) return `${fixed} fixed`;
  const range = segment.scope.server === 'none' || leased === 0n ? 'no range' : `${leased} leased`;
  return `${fixed} fixed · ${range} · ${free} free`;
}

function SegmentDetail({ id, segment }: { id: string; segment: Segment }) {
  const { name, desk, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const path = `/segments/${id}`;
  const { scope } = segment;
  const hosts = Object.values(desk.plan.hosts).filter((host) => host.segment === id).length;
  const field = (key: string, label: string, value: unknown) => (
    <TypedField path={`${path}/${key}`} label={label} value={value === null ? '' : String(value)} />
  );
  return (
    <div className={styles.detail}>
      <div className={styles.fields}>
        {field('label', 'Name', segment.label)}
        <TypedField path={`${path}/role`} label="Role" value={segment.role} choices={ROLE_CHOICES} />
        {field('vlan', 'VLAN', segment.vlan)}
        {field('subnet', 'Subnet', segment.subnet)}
        {field('gateway', 'Gateway', segment.gateway)}
        {field('scope', 'DHCP range', scope.first && scope.last ? `${scope.first} - ${scope.last}` : '')}
        {field('scope/excluded', 'Excluded from the range', scope.excluded.join('; '))}
        {field('scope/server', 'DHCP served by', scope.server)}
        {field('scope/lease', 'Lease', lease(scope.lease))}
        {field('resolvers', 'Resolvers handed out', segment.resolvers.join(' '))}
        {field('domain', 'Domain', segment.domain)}
        {field(
          'scope/options',
          'Further DHCP options',
          Object.entries(scope.options)
            .map(([number, text]) => `${number} ${text}`)
            .join('; '),
        )}
        {field('expected_hosts', 'Expected hosts', segment.expected_hosts)}
        <TypedField
          path={`${path}/reach`}
          label="Reach"
          value={segment.reach ?? ''}
          choices={[
            ['', segment.role === 'guest' ? 'local, as guests are' : 'group, as usual'],
            ['group', 'group: other sites reach it'],
            ['local', 'local: nobody else does'],
          ]}
        />
        {field('vrf', 'VRF', segment.vrf)}
      </div>
      <HostTable id={id} segment={segment} />
      {mayPlan && (
        <Button
          color="error"
          sx={{ mt: 1 }}
          onClick={() =>
            revise.mutate({ operations: removeSegment(desk.plan, id), revision: desk.revision.number })
          }
        >
          Remove segment {segment.label}
          {hosts > 0 && ` and its ${count(hosts, 'host')}`}
        </Button>
      )}
      {revise.error && <p role="alert">{revise.error.message}</p>}
    </div>
  );
}
