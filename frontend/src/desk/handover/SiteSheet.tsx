import type { ReactNode } from 'react';
import type { Circuit, Device, Host, Plan, Segment } from '../../api/client';
import { SeverityMark } from '../../parts/Marks';
import { dated, lease, moment } from '../../parts/words';
import { parse } from '../../ruler/addresses';
import { handoffOf, maskOf } from '../addresses/CircuitPanel';
import { useDeskState } from '../context';
import styles from './sheet.module.css';

const HANDOFF = { static: 'Fixed address', pppoe: 'PPPoE', dhcp: 'DHCP' };

/** The site sheet: every value to type, to be printed. It holds no secrets. */
export function SiteSheet() {
  const { desk } = useDeskState();
  const { plan, summary, revision, clearance } = desk;
  return (
    <>
      <article className={styles.sheet} aria-label="Site sheet">
        <header className={styles.head}>
          <div>
            <div>{summary.customer_name}</div>
            <h1>{summary.name}</h1>
            <div className="mono">
              {plan.customer}/{plan.site}
            </div>
          </div>
          <div className={styles.status}>
            {summary.clear ? (
              <b>
                <SeverityMark of="clear" /> Clear to ship
              </b>
            ) : (
              <b>
                <SeverityMark of="stop" /> NOT CLEAR TO SHIP
              </b>
            )}
            <div>
              Revision {revision.number}, {moment(revision.at, true)}
            </div>
            {summary.clear && clearance && (
              <div>
                Signed by {clearance.by}, {moment(clearance.at, true)}
              </div>
            )}
          </div>
        </header>
        <Values
          plain
          rows={[
            ['Street', plan.street],
            ['Contact', plan.contact],
            ['Time zone', plan.time_zone],
            ['Ships', plan.ship_date && dated(plan.ship_date)],
            ['Technician', plan.technician],
          ]}
        />
        {Object.entries(plan.circuits).map(([id, circuit]) => (
          <CircuitValues key={id} circuit={circuit} />
        ))}
        {Object.entries(plan.segments).map(([id, segment]) => (
          <SegmentValues key={id} segment={segment} hosts={hostsOf(plan, id)} />
        ))}
        {Object.entries(plan.devices).map(([id, device]) => (
          <DeviceValues key={id} plan={plan} device={device} />
        ))}
        <footer className={styles.foot}>
          Site sheet of {plan.customer}/{plan.site}, revision {revision.number}. No secrets on this page.
        </footer>
      </article>
    </>
  );
}

function hostsOf(plan: Plan, segment: string): Host[] {
  const value = (host: Host) => parse(host.address)?.value ?? 1n << 130n;
  const hosts = Object.values(plan.hosts).filter((host) => host.segment === segment);
  return hosts.sort((a, b) => (value(a) < value(b) ? -1 : 1));
}

function CircuitValues({ circuit }: { circuit: Circuit }) {
  const handoff = handoffOf(circuit);
  const fixed = circuit.handoff !== 'pppoe' && circuit.handoff !== 'dhcp';
  const given = 'given by the provider';
  return (
    <section className={styles.part}>
      <h2>Internet side: {circuit.label}</h2>
      <Values
        rows={[
          ['Hand-off', circuit.handoff && HANDOFF[circuit.handoff]],
          ['Address', circuit.address ?? (fixed ? null : given)],
          [
            'Mask',
            circuit.prefix === null
              ? fixed
                ? null
                : given
              : `${maskOf(circuit.prefix, circuit.address ?? '')} (/${circuit.prefix})`,
          ],
          ['Gateway', circuit.gateway ?? (fixed ? null : given)],
          ['Resolvers', circuit.resolvers.join('   ') || (fixed ? null : given)],
          ...(circuit.address6 || circuit.gateway6
            ? ([
                [
                  'IPv6 address',
                  circuit.address6 && circuit.prefix6 !== null
                    ? `${circuit.address6}/${circuit.prefix6}`
                    : circuit.address6,
                ],
                ['IPv6 gateway', circuit.gateway6],
              ] as Row[])
            : []),
          ...(circuit.modem_subnet ? ([["Modem's inside", circuit.modem_subnet]] as Row[]) : []),
          ['VLAN tag', circuit.vlan === null ? 'none' : String(circuit.vlan)],
          ...(circuit.handoff === 'pppoe' ? ([['PPPoE user', circuit.pppoe_user]] as Row[]) : []),
          ...(handoff ? ([['Hand-off subnet', handoff]] as Row[]) : []),
          ...(circuit.routed_blocks.length
            ? ([['Routed blocks', circuit.routed_blocks.join('   ')]] as Row[])
            : []),
          ...Object.entries(circuit.uses).map(([address, use]): Row => [use, address]),
          ['Provider', [circuit.provider, circuit.reference].filter(Boolean).join(', ') || null],
        ]}
      />
    </section>
  );
}

function SegmentValues({ segment, hosts }: { segment: Segment; hosts: Host[] }) {
  const { scope } = segment;
  const served = { edge: 'this box', none: 'nobody: DHCP is off' }[scope.server] ?? scope.server;
  const running = scope.server !== 'none' && (scope.first !== null || scope.last !== null);
  const [network, prefix] = segment.subnet?.split('/') ?? [];
  const resolvers = segment.resolvers.map((item) => (item === 'gateway' ? (segment.gateway ?? item) : item));
  return (
    <section className={styles.part}>
      <h2>
        {segment.label} <small>{segment.role}</small>
      </h2>
      <Values
        rows={[
          ['VLAN', segment.vlan === null ? 'none' : String(segment.vlan)],
          ['Subnet', segment.subnet],
          ['Mask', prefix === undefined ? null : maskOf(Number(prefix), network ?? '')],
          [
            'Gateway',
            segment.gateway ?? (segment.role === 'transit' || segment.role === 'isolated' ? 'none' : null),
          ],
          ...(segment.subnet6
            ? ([
                ['IPv6 subnet', segment.subnet6],
                ['IPv6 gateway', segment.gateway6],
              ] as Row[])
            : []),
          ...(segment.kept.length
            ? ([['Kept', segment.kept.map(({ kind, run }) => `${run} for ${kind}`).join('; ')]] as Row[])
            : []),
          ['DHCP served by', served],
          ...(running
            ? ([
                ['DHCP first', scope.first],
                ['DHCP last', scope.last],
                ...(scope.excluded.length ? [['Excluded', scope.excluded.join('   ')]] : []),
                ['Lease', lease(scope.lease) || 'the server’s default'],
                ['Resolvers', resolvers.join('   ') || null],
                ['Domain', segment.domain ?? 'none'],
              ] as Row[])
            : []),
          ...(segment.vrf === 'main' ? [] : ([['VRF', segment.vrf]] as Row[])),
        ]}
      />
      {hosts.length > 0 && (
        <table className={styles.hosts}>
          <thead>
            <tr>
              <th scope="col">Fixed host</th>
              <th scope="col">Address</th>
              <th scope="col">MAC</th>
              <th scope="col">Address is</th>
            </tr>
          </thead>
          <tbody>
            {hosts.map((host) => (
              <tr key={host.name}>
                <td>{host.name}</td>
                <td className="mono">
                  {host.address ?? host.address6 ?? <Blank />}
                  {host.address && host.address6 && <div>{host.address6}</div>}
                </td>
                <td className="mono">{host.mac}</td>
                <td>{host.method === 'static' ? 'typed in' : 'reserved'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function DeviceValues({ plan, device }: { plan: Plan; device: Device }) {
  const used = Object.entries(device.ports).filter(([, use]) => use.mode !== 'unused');
  return (
    <section className={styles.part}>
      <h2>
        {device.name ?? device.role} <small>{device.role}</small>
      </h2>
      <Values
        rows={[
          ['Hardware', device.type],
          ['Serial', device.serial],
          ['MACs', device.macs.join('   ') || null],
          ['Time servers', device.time_servers.join('   ') || null],
          ...(device.firmware ? ([['Firmware', device.firmware]] as Row[]) : []),
          ...(device.gateway ? ([['Gateway', device.gateway]] as Row[]) : []),
          ...Object.entries(device.addresses).map(([key, address]): Row => [
            plan.segments[key]?.label ?? 'Removed',
            address,
          ]),
          ...Object.values(device.routes).map((route): Row => [
            `To ${route.to}`,
            `${route.via ?? plan.circuits[route.circuit ?? '']?.gateway ?? 'by its circuit'}, metric ${route.metric}`,
          ]),
        ]}
      />
      {used.length > 0 && (
        <table className={styles.hosts}>
          <thead>
            <tr>
              <th scope="col">Port</th>
              <th scope="col">Mode</th>
              <th scope="col">Carries</th>
              <th scope="col">Cable</th>
            </tr>
          </thead>
          <tbody>
            {used.map(([port, use]) => (
              <tr key={port}>
                <td className="mono">{port}</td>
                <td>{use.mode}</td>
                <td>
                  {use.mode === 'circuit'
                    ? plan.circuits[use.circuit ?? '']?.label
                    : [use.segment, ...use.tagged].map((key) => plan.segments[key ?? '']?.label).join(', ')}
                </td>
                <td>{use.cable}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

type Row = [label: string, value: string | null | undefined];

function Values({ rows, plain = false }: { rows: Row[]; plain?: boolean }) {
  return (
    <dl className={`${styles.values} ${plain ? styles.plain : ''}`}>
      {rows.map(([label, value]) => (
        <div key={label}>
          <dt>{label}</dt>
          <dd className="mono">{value ?? <Blank />}</dd>
        </div>
      ))}
    </dl>
  );
}

/** What is not known yet: a line to write on. */
function Blank(): ReactNode {
  return <span className={styles.blank}>not known yet</span>;
}
