import Button from '@mui/material/Button';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Popover from '@mui/material/Popover';
import { useState, type ClipboardEvent } from 'react';
import type { Circuit, Operation } from '../../api/client';
import { choiceOf } from '../../parts/fields';
import { Link } from 'react-router';
import { PlanFields } from '../../parts/PlanFields';
import { TypedField } from '../../parts/TypedField';
import { deskPath } from '../../parts/words';
import { format, isBehind, parse, subnet } from '../../ruler/addresses';
import { BlockRuler, cellsOf, type Cell } from '../../ruler/BlockRuler';
import { useDeskState, useDrafting, useLight, useSteps } from '../context';
import styles from './addresses.module.css';
import { PublishForm } from '../traffic/Published';
import { publishedAt, withPublished } from '../traffic/published';
import { circuitRemoval, inOrder, orderSaid, usedFirst } from './circuits';
import { remove } from './edits';
import type { Proposal } from './Proposed';

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

const NTH = ['first', 'second', 'third', 'fourth'];

/** One circuit as its provider hands it off, and the values to type in place. */
export function CircuitPanel(props: {
  id: string;
  circuit: Circuit;
  open: boolean;
  onToggle: () => void;
  /** A letter is to be read into it: the text that was pasted, or none yet. */
  onLetter: (text: string) => void;
  onProposal: (proposal: Proposal) => void;
}) {
  const { id, circuit, open, onToggle, onLetter, onProposal } = props;
  const { desk: state, mayPlan } = useDeskState();
  const { plan } = useDrafting();
  const { lit } = useLight();
  const path = `/circuits/${id}`;
  const handoff = handoffOf(circuit);
  const words = choiceOf('circuits', 'handoff', circuit.handoff) ?? 'not answered';
  const order = inOrder(plan.circuits);
  const place = order.indexOf(id);
  const paste = (event: ClipboardEvent) => {
    const text = event.clipboardData.getData('text');
    const many = text.trim().includes('\n') || /\b(gw|gateway|dns|mask|netmask|vlan)\b/i.test(text);
    if (!mayPlan || !many) return;
    event.preventDefault();
    onLetter(text.slice(0, 10_000));
  };
  return (
    <section
      className={`card below ${styles.circuit} ${lit === path ? 'lit' : ''}`}
      data-path={path}
      aria-label={`Circuit ${circuit.label}`}
      onPaste={paste}
    >
      <div className="line wrap baseline">
        <button className="toggle" aria-expanded={open} onClick={onToggle}>
          <b>{circuit.label}</b>
          <span className="quiet">
            {' '}
            ·{' '}
            {order.length > 1 &&
              (orderSaid(plan.circuits) ? `used ${NTH[place] ?? 'last'} · ` : 'order of use not said · ')}
            {words}
            {circuit.provider && ` · ${circuit.provider}`}
            {circuit.reference && ` ref ${circuit.reference}`}
          </span>
        </button>
        <span className="end" />
        <span className="quiet">
          {circuit.resolvers.length > 0 && (
            <>
              resolvers <span className="mono">{circuit.resolvers.join('  ')}</span> ·{' '}
            </>
          )}
          VLAN tag <span className="mono">{circuit.vlan ?? 'none'}</span>
        </span>
        {mayPlan && (
          <CircuitActions
            id={id}
            label={circuit.label}
            place={place}
            order={order}
            onLetter={() => onLetter('')}
            onProposal={onProposal}
          />
        )}
      </div>
      <Handoff id={id} circuit={circuit} handoff={handoff} site={state.summary.name} />
      {circuit.routed_blocks.map((block) => (
        <RoutedBlock key={block} id={id} circuit={circuit} block={block} />
      ))}
      <SecondFamily circuit={circuit} />
      {open && (
        <div className="fields" style={{ marginTop: 18 }}>
          <PlanFields
            kind="circuits"
            path={path}
            member={circuit}
            without={
              circuit.handoff && circuit.handoff !== 'pppoe' && !circuit.pppoe_user ? ['pppoe_user'] : []
            }
          />
        </div>
      )}
    </section>
  );
}

function CircuitActions(props: {
  id: string;
  label: string;
  place: number;
  order: string[];
  onLetter: () => void;
  onProposal: (proposal: Proposal) => void;
}) {
  const { id, label, place, order, onLetter, onProposal } = props;
  const { plan } = useDeskState().desk;
  const { keep } = useSteps();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const first = () => keep(usedFirst(plan.circuits, id));
  const then = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  return (
    <>
      <Button sx={{ py: 0 }} onClick={onLetter}>
        Paste a letter
      </Button>
      <button
        className={`quiet end ${styles.more}`}
        aria-haspopup="menu"
        aria-label={`What to do with ${label}`}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        …
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {order.length > 1 && (
          <MenuItem dense disabled={place === 0 && orderSaid(plan.circuits)} onClick={then(first)}>
            Use it first
          </MenuItem>
        )}
        <MenuItem
          dense
          sx={{ color: 'var(--stop)' }}
          onClick={then(() => onProposal(circuitRemoval(plan, id)))}
        >
          Remove circuit {label}
        </MenuItem>
      </Menu>
    </>
  );
}

/** A block that the provider routes to the site besides the hand-off, with what each address is used for. */
function RoutedBlock({ id, circuit, block }: { id: string; circuit: Circuit; block: string }) {
  const { mayPlan } = useDeskState();
  const { plan } = useDrafting();
  const [picked, setPicked] = useState<Picked>(null);
  const cells = cellsOf(block, null, null, withPublished(plan, id, circuit), '', true);
  const pick = (cell: Cell, element: HTMLElement) => setPicked({ cell, element });
  return (
    <div style={{ marginTop: 6 }}>
      <div className="line wrap baseline quiet small">
        <span>
          routed to {circuit.address ?? 'the site'}: <span className="mono">{block}</span>
        </span>
      </div>
      {cells.length > 0 && <BlockRuler cells={cells} {...(mayPlan ? { onPick: pick } : {})} />}
      <UsePopover id={id} circuit={circuit} picked={picked} onClose={() => setPicked(null)} />
    </div>
  );
}

type Picked = { cell: Cell; element: HTMLElement } | null;

const USES = ['translation', 'server', 'spare', "provider's"];

/** What an address of a block is used for: one of the usual words, or anything typed. */
function UsePopover(props: { id: string; circuit: Circuit; picked: Picked; onClose: () => void }) {
  const { id, circuit, picked, onClose } = props;
  const { name } = useDeskState();
  const { plan } = useDrafting();
  const { keep } = useSteps();
  const [publishing, setPublishing] = useState(false);
  if (!picked) return null;
  const { address } = picked.cell;
  const path = `/circuits/${id}/uses/${address}`;
  const use = circuit.uses[address] ?? '';
  const save = (operations: Operation[]) => {
    keep(operations);
    onClose();
  };
  return (
    <Popover
      open
      anchorEl={picked.element}
      onClose={onClose}
      anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      slotProps={{ paper: { role: 'dialog', 'aria-label': `Use of ${address}` } }}
    >
      <div style={{ padding: 16, width: publishing ? 460 : 300 }}>
        <TypedField
          autoFocus
          path={path}
          label={`What ${address} is used for`}
          value={use}
          onSaved={onClose}
        />
        <div>
          {USES.map((word) => (
            <Button key={word} onClick={() => save([{ op: 'add', path, value: word }])}>
              {word}
            </Button>
          ))}
          {use && <Button onClick={() => save([remove(path)])}>nothing</Button>}
          {!publishing && <Button onClick={() => setPublishing(true)}>publish a host here…</Button>}
        </div>
        {publishedAt(plan, id, address).map((words) => (
          <p key={words} className="small">
            Published: {words}. <Link to={deskPath(name, 'traffic')}>On Traffic</Link>
          </p>
        ))}
        {publishing && <PublishForm at={{ circuit: id, address }} onDone={onClose} />}
      </div>
    </Popover>
  );
}

/** The IPv6 side, and what stands in front of the edge: told in a line, since neither is to scale. */
function SecondFamily({ circuit }: { circuit: Circuit }) {
  const { address6, prefix6, gateway6, modem_subnet } = circuit;
  if (!address6 && !gateway6 && !modem_subnet) return null;
  return (
    <div className="line wrap baseline quiet small" style={{ marginTop: 6 }}>
      {(address6 || gateway6) && (
        <span>
          IPv6{' '}
          <span className="mono">
            {address6 ?? 'not known yet'}
            {prefix6 !== null && `/${prefix6}`}
          </span>
          , out by <span className="mono">{gateway6 ?? 'a gateway not known yet'}</span>
        </span>
      )}
      <span className="end" />
      {modem_subnet && (
        <span>
          behind a modem with <span className="mono">{modem_subnet}</span> inside
        </span>
      )}
    </div>
  );
}

function Handoff(props: { id: string; circuit: Circuit; handoff: string | null; site: string }) {
  const { id, circuit, handoff, site } = props;
  const { mayPlan } = useDeskState();
  const [picked, setPicked] = useState<Picked>(null);
  const { plan } = useDrafting();
  const uses = withPublished(plan, id, circuit);
  const cells = handoff ? cellsOf(handoff, circuit.address, circuit.gateway, uses, site) : [];
  const shown = publishedAt(plan, id, null);
  const behind = isBehind(circuit.address);
  const gateway = parse(circuit.gateway);
  const outside = cells.length > 0 && gateway && !cells.some((cell) => cell.kind === 'provider');
  if (circuit.handoff === 'static' && cells.length > 0) {
    return (
      <>
        <div className="line wrap baseline" style={{ marginTop: 4 }}>
          <span style={{ color: outside ? 'var(--stop)' : 'var(--primary)', fontSize: 12.5 }}>
            {!gateway && 'the way out is not known yet'}
            {gateway &&
              !outside &&
              `goes out by ${cells.find((cell) => cell.kind === 'provider')?.label ?? 'itself'}`}
            {outside && `the gateway ${circuit.gateway} is not in this block`}
          </span>
          <span className="end" />
          <span className="mono quiet">
            {handoff} mask {maskOf(circuit.prefix ?? 0, handoff ?? '')}
          </span>
        </div>
        {behind && <Behind sort={behind} />}
        <BlockRuler
          cells={cells}
          {...(mayPlan ? { onPick: (cell: Cell, element: HTMLElement) => setPicked({ cell, element }) } : {})}
        />
        {shown.length > 0 && circuit.address && (
          <div className="quiet small">
            published at <span className="mono">{circuit.address}</span>: {shown.join('; ')}
          </div>
        )}
        <UsePopover id={id} circuit={circuit} picked={picked} onClose={() => setPicked(null)} />
      </>
    );
  }
  const fixed = circuit.handoff !== 'pppoe' && circuit.handoff !== 'dhcp';
  const wire = choiceOf('circuits', 'handoff', circuit.handoff);
  const ours = {
    static: circuit.address
      ? `${circuit.address}${handoff ? `, in ${handoff}` : ', mask not known'}`
      : 'address not known yet',
    pppoe: `given at sign-in to ${circuit.pppoe_user ?? 'a user not known yet'}`,
    dhcp: 'given by the provider, may change',
  }[circuit.handoff ?? 'static'];
  return (
    <div className={'line tight above'}>
      <div className={styles.box}>
        <div className="quiet">provider</div>
        <div className="mono">{circuit.gateway ?? (fixed ? 'gateway not known yet' : 'its own gateway')}</div>
      </div>
      {behind && (
        <>
          <div className={styles.wire} data-open="true" />
          <div className={styles.box}>
            <div className="quiet">somebody else&apos;s translation</div>
            <div>{behind} addresses from here on</div>
          </div>
        </>
      )}
      <div className={styles.wire} data-open={!fixed || !circuit.handoff}>
        {wire ?? 'hand-off not answered'}
      </div>
      <div className={styles.box} data-open={!fixed || !circuit.address}>
        <div className={`quiet clip ${styles.one}`}>{site} edge</div>
        <div className="mono">{ours}</div>
      </div>
    </div>
  );
}

/** Said where the circuit's address is none of the internet. */
function Behind({ sort }: { sort: 'private' | 'shared' }) {
  return (
    <div className={`small ${styles.behind}`}>
      behind somebody else&apos;s translation: {sort} addresses, nothing from outside arrives unless they pass
      it on
    </div>
  );
}

/** The mask of a prefix length as one types it into a box. */
export function maskOf(prefix: number, address: string): string {
  if (address.includes(':')) return `/${prefix}`;
  const value = prefix === 0 ? 0n : (0xffffffffn << BigInt(32 - prefix)) & 0xffffffffn;
  return format({ family: 4, value });
}
