import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import type { Circuit } from '../../api/client';
import { useRevise } from '../../api/queries';
import { TypedField } from '../../parts/TypedField';
import { BlockRuler, cellsOf, type Cell } from '../../ruler/BlockRuler';
import { format, parse, subnet } from '../../ruler/addresses';
import { useDeskState, useLight } from '../context';
import desk from '../desk.module.css';
import styles from './addresses.module.css';
import { remove } from './edits';

const HANDOFFS = [
  ['', 'not answered'],
  ['static', 'fixed address'],
  ['pppoe', 'PPPoE'],
  ['dhcp', 'DHCP'],
] as const;

/** The hand-off subnet as text, once address (or gateway) and mask are known. */
export function handoffOf(circuit: Circuit): string | null {
  const anchor = circuit.address ?? circuit.gateway;
  if (!anchor || circuit.prefix === null) return null;
  const net = subnet(`${anchor}/${circuit.prefix}`);
  const address = parse(anchor);
  if (!net || !address) return null;
  const size = net.last - net.first + 1n;
  return `${format({ family: net.family, value: (address.value / size) * size })}/${circuit.prefix}`;
}

/** One circuit as its provider hands it off, and the values to type in place. */
export function CircuitPanel(props: { id: string; circuit: Circuit; open: boolean; onToggle: () => void }) {
  const { id, circuit, open, onToggle } = props;
  const { desk: state } = useDeskState();
  const { lit } = useLight();
  const path = `/circuits/${id}`;
  const handoff = handoffOf(circuit);
  const words = HANDOFFS.find(([value]) => value === (circuit.handoff ?? ''))?.[1];
  return (
    <section
      className={`${desk.card} ${styles.circuit} ${lit === path ? styles.lit : ''}`}
      data-path={path}
      aria-label={`Circuit ${circuit.label}`}
    >
      <div className={styles.line}>
        <button className={styles.toggle} aria-expanded={open} onClick={onToggle}>
          <b>{circuit.label}</b>
          <span className="quiet">
            {' '}
            · {words}
            {circuit.provider && ` · ${circuit.provider}`}
            {circuit.reference && ` ref ${circuit.reference}`}
          </span>
        </button>
        <span className={styles.spring} />
        <span className="quiet">
          {circuit.resolvers.length > 0 && (
            <>
              resolvers <span className="mono">{circuit.resolvers.join('  ')}</span> ·{' '}
            </>
          )}
          VLAN tag <span className="mono">{circuit.vlan ?? 'none'}</span>
        </span>
      </div>
      <Handoff id={id} circuit={circuit} handoff={handoff} site={state.summary.name} />
      {open && <CircuitFields id={id} circuit={circuit} />}
    </section>
  );
}

function Handoff(props: { id: string; circuit: Circuit; handoff: string | null; site: string }) {
  const { id, circuit, handoff, site } = props;
  const { mayPlan } = useDeskState();
  const [picked, setPicked] = useState<{ cell: Cell; element: HTMLElement } | null>(null);
  const cells = handoff ? cellsOf(handoff, circuit.address, circuit.gateway, circuit.uses, site) : [];
  const gateway = parse(circuit.gateway);
  const outside = cells.length > 0 && gateway && !cells.some((cell) => cell.kind === 'provider');
  if (circuit.handoff === 'static' && cells.length > 0) {
    return (
      <>
        <div className={styles.line} style={{ marginTop: 4 }}>
          <span style={{ color: outside ? 'var(--stop)' : 'var(--primary)', fontSize: 12.5 }}>
            {!gateway && 'the way out is not known yet'}
            {gateway &&
              !outside &&
              `goes out by ${cells.find((cell) => cell.kind === 'provider')?.label ?? 'itself'}`}
            {outside && `the gateway ${circuit.gateway} is not in this block`}
          </span>
          <span className={styles.spring} />
          <span className="mono quiet">
            {handoff} mask {maskOf(circuit.prefix ?? 0, handoff ?? '')}
          </span>
        </div>
        <BlockRuler
          cells={cells}
          {...(mayPlan ? { onPick: (cell: Cell, element: HTMLElement) => setPicked({ cell, element }) } : {})}
        />
        <Popover
          open={picked !== null}
          anchorEl={picked?.element ?? null}
          onClose={() => setPicked(null)}
          anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        >
          <div style={{ padding: 16, width: 280 }}>
            {picked && (
              <TypedField
                autoFocus
                path={`/circuits/${id}/uses/${picked.cell.address}`}
                label={`What ${picked.cell.address} is used for`}
                value={circuit.uses[picked.cell.address] ?? ''}
                onSaved={() => setPicked(null)}
              />
            )}
          </div>
        </Popover>
      </>
    );
  }
  const fixed = circuit.handoff !== 'pppoe' && circuit.handoff !== 'dhcp';
  const wire = { static: 'fixed address', pppoe: 'PPPoE', dhcp: 'DHCP' }[circuit.handoff ?? 'static'];
  const ours = {
    static: circuit.address
      ? `${circuit.address}${handoff ? `, in ${handoff}` : ', mask not known'}`
      : 'address not known yet',
    pppoe: `given at sign-in to ${circuit.pppoe_user ?? 'a user not known yet'}`,
    dhcp: 'given by the provider, may change',
  }[circuit.handoff ?? 'static'];
  return (
    <div className={styles.handoff}>
      <div className={styles.box}>
        <div className="quiet">provider</div>
        <div className="mono">{circuit.gateway ?? (fixed ? 'gateway not known yet' : 'its own gateway')}</div>
      </div>
      <div className={styles.wire}>{circuit.handoff ? wire : 'hand-off not answered'}</div>
      <div className={styles.box}>
        <div className={`quiet ${styles.one}`}>{site} edge</div>
        <div className="mono">{ours}</div>
      </div>
    </div>
  );
}

/** The mask of a prefix length as one types it into a box. */
export function maskOf(prefix: number, address: string): string {
  if (address.includes(':')) return `/${prefix}`;
  const value = prefix === 0 ? 0n : (0xffffffffn << BigInt(32 - prefix)) & 0xffffffffn;
  return format({ family: 4, value });
}

function CircuitFields({ id, circuit }: { id: string; circuit: Circuit }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const path = `/circuits/${id}`;
  const field = (key: string, label: string, value: unknown) => (
    <TypedField path={`${path}/${key}`} label={label} value={value === null ? '' : String(value)} />
  );
  return (
    <>
      <div className={styles.fields} style={{ marginTop: 18 }}>
        {field('label', 'Name', circuit.label)}
        <TypedField
          path={`${path}/handoff`}
          label="Hand-off"
          value={circuit.handoff ?? ''}
          choices={HANDOFFS}
        />
        {field('address', 'Own address', circuit.address)}
        {field('prefix', 'Mask', circuit.prefix === null ? null : `/${circuit.prefix}`)}
        {field('gateway', "Provider's gateway", circuit.gateway)}
        {field('resolvers', 'Resolvers', circuit.resolvers.join(' '))}
        {field('vlan', 'VLAN tag', circuit.vlan)}
        {field('routed_blocks', 'Routed blocks', circuit.routed_blocks.join('; '))}
        {field('pppoe_user', 'PPPoE user', circuit.pppoe_user)}
        {field('provider', 'Provider', circuit.provider)}
        {field('reference', 'Reference', circuit.reference)}
        {field('priority', 'Order of use', circuit.priority)}
      </div>
      {mayPlan && (
        <Button
          color="error"
          sx={{ mt: 1 }}
          onClick={() => revise.mutate({ operations: [remove(path)], revision: state.revision.number })}
        >
          Remove circuit {circuit.label}
        </Button>
      )}
      {revise.error && <p role="alert">{revise.error.message}</p>}
    </>
  );
}
