import { useMemo, useRef, useState, type PointerEvent } from 'react';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import type { HardwareType, Operation, Plan, PortUse } from '../../api/client';
import { useRevise } from '../../api/queries';
import { RoleMark, ROLES } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { useDeskState, useLight } from '../context';
import { hang, layOut, SIZES, strands, type PanelPlace, type Point } from './board';
import styles from './devices.module.css';
import { ROLE_WORDS } from './roles';
import { PortEditor } from './PortEditor';
import { connect, isTaken, portUse, setPort, withSegment, type Source } from './wires';

/** The boxes' port panels one above another, the provider's sockets at the top, segments as coloured strands. */
export function WiringBoard(props: { types: Record<string, HardwareType>; readOnly?: boolean }) {
  const { types, readOnly = false } = props;
  const { name, desk, mayPlan: allowed } = useDeskState();
  const mayPlan = allowed && !readOnly;
  const { plan } = desk;
  const revise = useRevise(name);
  const surface = useRef<HTMLDivElement>(null);
  const board = useMemo(() => layOut(plan, types), [plan, types]);
  const cables = useMemo(() => strands(plan, board), [plan, board]);
  const [drag, setDrag] = useState<{ source: Source; from: Point; to: Point; far: boolean } | null>(null);
  const [editing, setEditing] = useState<{ device: string; port: string; anchor: HTMLElement } | null>(null);
  const [asked, setAsked] = useState<Asked | null>(null);
  const moved = useRef(false);

  const at = (event: PointerEvent): Point => {
    const box = surface.current?.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const save = (operations: Operation[]) => {
    if (operations.length > 0) revise.mutate({ operations, revision: desk.revision.number });
  };
  const begin = (source: Source) => (event: PointerEvent) => {
    if (!mayPlan || event.button !== 0) return;
    moved.current = false;
    setDrag({ source, from: at(event), to: at(event), far: false });
  };
  const end = (event: PointerEvent) => {
    if (!drag) return;
    setDrag(null);
    const jack = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-jack]');
    if (!moved.current || !jack) return;
    const { device = '', port = '' } = jack.dataset;
    const { source } = drag;
    if (source.kind === 'segment' && isTaken(portUse(plan, device, port), source.key)) {
      setAsked({ device, port, segment: source.key, anchor: jack });
      return;
    }
    save(connect(plan, source, device, port));
  };

  return (
    <section className="below" aria-label="Wiring board">
      {mayPlan && (
        <div className={`line wrap small below ${styles.palette}`}>
          <span className="quiet">
            Drag a segment, a socket or a port onto a port, or press Enter on a port:
          </span>
          {Object.entries(plan.segments).map(([key, segment]) => (
            <span
              key={key}
              className={`card ${styles.chip}`}
              title={`Drag ${segment.label} onto a port`}
              onPointerDown={begin({ kind: 'segment', key })}
              onPointerMove={(event) => drag && event.preventDefault()}
            >
              <RoleMark role={segment.role} /> {segment.label}
            </span>
          ))}
        </div>
      )}
      <div
        ref={surface}
        className={styles.surface}
        style={{ height: board.height }}
        onPointerMove={(event) => {
          if (!drag) return;
          moved.current = true;
          setDrag({ ...drag, to: at(event), far: true });
        }}
        onPointerUp={end}
        onPointerLeave={() => setDrag(null)}
      >
        <svg className={styles.strands} width="100%" height={board.height} aria-hidden="true">
          {cables.map((strand) => (
            <path
              key={strand.key}
              d={strand.path}
              stroke={
                strand.segment ? ROLES[plan.segments[strand.segment]?.role ?? 'other'].hue : 'var(--accent)'
              }
              strokeWidth={strand.segment ? 2.4 : 4}
            />
          ))}
          {drag?.far && (
            <path
              d={hang(drag.from, drag.to)}
              stroke="var(--primary)"
              strokeWidth="2"
              strokeDasharray="5 4"
            />
          )}
        </svg>
        {Object.entries(board.sockets).map(([key, point]) => (
          <div
            key={key}
            className={`small ${styles.socket}`}
            style={{ left: point.x - SIZES.socket / 2, width: SIZES.socket }}
            onPointerDown={begin({ kind: 'circuit', key })}
          >
            <b>{plan.circuits[key]?.label}</b>
            <span className="quiet small">{plan.circuits[key]?.provider ?? 'the provider'}</span>
          </div>
        ))}
        {board.panels.map((panel) => (
          <Panel
            key={panel.key}
            panel={panel}
            plan={plan}
            type={types[plan.devices[panel.key]?.type ?? '']}
            onDrag={begin}
            onEdit={(device, port, anchor) => {
              if (!moved.current && !readOnly) setEditing({ device, port, anchor });
            }}
          />
        ))}
      </div>
      {revise.error && <Trouble>{revise.error.message}</Trouble>}
      {asked && <WhatIsMeant asked={asked} plan={plan} onChoose={save} onClose={() => setAsked(null)} />}
      {editing && <PortEditor {...editing} types={types} onClose={() => setEditing(null)} />}
    </section>
  );
}

function Panel(props: {
  panel: PanelPlace;
  plan: Plan;
  type: HardwareType | undefined;
  onDrag: (source: Source) => (event: PointerEvent) => void;
  onEdit: (device: string, port: string, anchor: HTMLElement) => void;
}) {
  const { panel, plan, type, onDrag, onEdit } = props;
  const { desk } = useDeskState();
  const { lit } = useLight();
  const device = plan.devices[panel.key];
  if (!device) return null;
  const wrong = new Set(
    desk.findings
      .filter((finding) => finding.path.startsWith(`/devices/${panel.key}/ports/`))
      .map((finding) => finding.path.split('/')[4]),
  );
  return (
    <div
      className={`card wide ${styles.panel}`}
      style={{ top: panel.y, height: panel.height }}
      data-lit={lit === `/devices/${panel.key}`}
      role="group"
      aria-label={`Ports of ${device.name ?? ROLE_WORDS[device.role]}`}
    >
      <div className={styles.plate}>
        <b className="clip" title={device.name ?? ''}>
          {device.name ?? ROLE_WORDS[device.role]}
        </b>
        <span className="quiet clip">{type ? `${type.maker} ${type.model}` : 'type not on Hardware'}</span>
        <span className="quiet clip">{ROLE_WORDS[device.role]}</span>
      </div>
      {Object.entries(panel.jacks).map(([name, point]) => {
        const use = portUse(plan, panel.key, name);
        const carried = [...(use.segment ? [use.segment] : []), ...use.tagged];
        const words = wordsOf(plan, panel.key, name);
        return (
          <button
            key={name}
            type="button"
            className={styles.jack}
            style={{ left: point.x - SIZES.step / 2 + 4, top: point.y - panel.y - 22 }}
            data-jack
            data-device={panel.key}
            data-port={name}
            data-field={`/devices/${panel.key}/ports/${name}`}
            data-mode={use.mode}
            data-wrong={wrong.has(name)}
            data-off={!use.enabled}
            data-host={use.host !== null}
            title={words}
            onPointerDown={onDrag({ kind: 'port', device: panel.key, port: name })}
            onClick={(event) => onEdit(panel.key, name, event.currentTarget)}
          >
            <span className={styles.portName}>
              <span className="sr">Port </span>
              {name}
              <span className="sr">{` of ${device.name ?? device.role}: ${words}`}</span>
            </span>
            <span className={styles.hole} />
            <span className={`line stretch near ${styles.marks}`}>
              {carried.slice(0, carried.length > 2 ? 1 : 2).map((key) => (
                <RoleMark key={key} role={plan.segments[key]?.role ?? 'other'} />
              ))}
              {carried.length > 2 && <span>+{carried.length - 1}</span>}
            </span>
          </button>
        );
      })}
    </div>
  );
}

interface Asked {
  device: string;
  port: string;
  segment: string;
  anchor: HTMLElement;
}

/** A segment let go over a port that carries another one alone: is it the new one, or one more? */
function WhatIsMeant(props: {
  asked: Asked;
  plan: Plan;
  onChoose: (operations: Operation[]) => void;
  onClose: () => void;
}) {
  const { asked, plan, onChoose, onClose } = props;
  const { device, port, segment } = asked;
  const use = portUse(plan, device, port);
  const [now, fresh] = [use.segment ?? '', segment].map((key) => plan.segments[key]?.label ?? 'nothing');
  const choose = (next: PortUse) => () => {
    onChoose([setPort(device, port, next)]);
    onClose();
  };
  return (
    <Menu
      open
      anchorEl={asked.anchor}
      onClose={onClose}
      slotProps={{ list: { 'aria-label': `What port ${port} is to carry` } }}
    >
      <MenuItem dense autoFocus onClick={choose({ ...use, segment })}>
        {fresh} in place of {now}
      </MenuItem>
      <MenuItem dense onClick={choose(withSegment(use, segment))}>
        Both: {now} untagged, {fresh} tagged (a trunk)
      </MenuItem>
      <MenuItem dense onClick={onClose}>
        Leave it
      </MenuItem>
    </Menu>
  );
}

/** What a port is for, in words. */
export function wordsOf(plan: Plan, device: string, port: string): string {
  const use = portUse(plan, device, port);
  const labels = [use.segment, ...use.tagged].map((key) => plan.segments[key ?? '']?.label).filter(Boolean);
  const peer = use.peer ? plan.devices[use.peer] : undefined;
  const host = use.host ? (plan.hosts[use.host]?.name ?? 'a removed host') : '';
  const where = host
    ? `, ${host}`
    : peer
      ? `, into port ${use.peer_port ?? '?'} of ${peer.name ?? peer.role}`
      : '';
  const off = use.enabled || use.mode === 'unused' ? '' : ', switched off';
  if (use.mode === 'unused') return 'unused, switched off';
  if (use.mode === 'circuit') return `${plan.circuits[use.circuit ?? '']?.label ?? 'no circuit'}${off}`;
  const tagged = use.tagged.flatMap((key) => plan.segments[key]?.label ?? []);
  const untagged = use.segment
    ? [`${plan.segments[use.segment]?.label ?? 'something removed'} untagged`]
    : [];
  const carried = [...untagged, ...(tagged.length > 0 ? [`${tagged.join(', ')} tagged`] : [])];
  if (use.mode === 'trunk') return `trunk, ${carried.join(', ') || 'no segment'}${where}${off}`;
  return `${use.mode}, ${labels.join(', ') || 'no segment'}${where}${off}`;
}
