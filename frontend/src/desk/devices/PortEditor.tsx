import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import type { HardwareType, Plan, PortUse } from '../../api/client';
import { Choice, labelsOf, Line, Tick } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { portsOf } from './board';
import styles from './devices.module.css';
import { HOST, usePort, type Porting } from './usePort';

const MODES: [PortUse['mode'], string][] = [
  ['unused', 'unused, switched off'],
  ['circuit', 'a circuit'],
  ['access', 'one segment (access)'],
  ['trunk', 'several segments (trunk)'],
  ['routed', 'one segment, routed'],
  ['bridge', 'one segment, joined with other ports'],
];

interface Props {
  device: string;
  port: string;
  anchor: HTMLElement;
  types: Record<string, HardwareType>;
  onClose: () => void;
}

/** What one port is for: all that the wiring board does by dragging, and the rest. */
export function PortEditor({ device, port, anchor, types, onClose }: Props) {
  const porting = usePort(device, port, types);
  const { plan, box, facts, use, inside, mayPlan, change, lead, error } = porting;
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={onClose}
      anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      slotProps={{ paper: { role: 'dialog', 'aria-label': `Port ${port} of ${box?.name ?? box?.role}` } }}
    >
      <fieldset className={styles.editor} disabled={!mayPlan}>
        <legend>
          Port {port} of {box?.name ?? box?.role}
        </legend>
        {facts && !facts.laptop && facts.why_not && (
          <p className="quiet">Not for the laptop: {facts.why_not}</p>
        )}
        <Choice
          autoFocus
          label="It is for"
          value={use.mode}
          choices={MODES}
          onChoose={(mode) => change(mode as PortUse['mode'])}
        />
        <Carries porting={porting} />
        {inside && (
          <Choice
            label="The cable goes into"
            value={
              use.host
                ? `${HOST}|${use.host}`
                : use.peer && use.peer_port
                  ? `${use.peer}|${use.peer_port}`
                  : ''
            }
            choices={[
              ['', 'nothing planned'],
              ...hostsFor(plan, use).map(
                (host) => [`${HOST}|${host}`, plan.hosts[host]?.name ?? ''] as const,
              ),
              ...Object.entries(plan.devices)
                .filter(([key]) => key !== device)
                .flatMap(([key, other]) =>
                  portsOf(plan, key, types).map(
                    (far) => [`${key}|${far}`, `${other.name ?? other.role}, port ${far}`] as const,
                  ),
                ),
            ]}
            onChoose={lead}
          />
        )}
        {use.mode !== 'unused' && <Cabled porting={porting} />}
        {error && <Trouble>{error.message}</Trouble>}
        <Button onClick={onClose}>Close</Button>
      </fieldset>
    </Popover>
  );
}

/** The fixed hosts that may be plugged into a port: on a cable, in the segment that it carries untagged. */
function hostsFor(plan: Plan, use: PortUse): string[] {
  const fitting = Object.entries(plan.hosts).filter(
    ([key, host]) => key === use.host || (host.segment === use.segment && host.attached !== 'wifi'),
  );
  return fitting.map(([key]) => key).slice(0, 400);
}

/** The circuit or the segments that a port carries. */
function Carries({ porting }: { porting: Porting }) {
  const { plan, use, inside, save } = porting;
  if (use.mode === 'circuit')
    return (
      <Choice
        label="Circuit"
        value={use.circuit ?? ''}
        choices={[['', 'choose one'], ...labelsOf(plan.circuits)]}
        onChoose={(circuit) => save({ circuit: circuit || null })}
      />
    );
  if (!inside) return null;
  return (
    <>
      <Choice
        label={use.mode === 'trunk' ? 'Untagged' : 'Segment'}
        value={use.segment ?? ''}
        choices={[['', use.mode === 'trunk' ? 'none' : 'choose one'], ...labelsOf(plan.segments)]}
        onChoose={(segment) =>
          save({ segment: segment || null, tagged: use.tagged.filter((key) => key !== segment) })
        }
      />
      {use.mode === 'bridge' && (
        <TypedOnLeave
          label="Joined as"
          value={use.bridge}
          placeholder="ports of one group are one network"
          maxLength={80}
          onSave={(bridge) => save({ bridge: bridge?.trim() || null })}
        />
      )}
      {use.mode === 'trunk' && <Tagged porting={porting} />}
    </>
  );
}

/** The segments that a trunk carries under their tags. */
function Tagged({ porting: { plan, use, save } }: { porting: Porting }) {
  return (
    <div role="group" aria-label="Tagged">
      <span className="quiet">Under their VLAN tags</span>
      {Object.entries(plan.segments)
        .filter(([key]) => key !== use.segment)
        .map(([key, segment]) => (
          <label key={key} className={styles.check}>
            <Tick
              checked={use.tagged.includes(key)}
              onChange={(event) =>
                save({
                  tagged: event.target.checked
                    ? [...use.tagged, key]
                    : use.tagged.filter((other) => other !== key),
                })
              }
            />
            {segment.label} <span className="quiet">{segment.vlan ?? 'no VLAN'}</span>
          </label>
        ))}
    </div>
  );
}

/** How a port that is used is cabled and switched. */
function Cabled({ porting: { use, inside, save } }: { porting: Porting }) {
  return (
    <>
      <TypedOnLeave
        label="Cable: colour or label"
        value={use.cable}
        maxLength={200}
        onSave={(cable) => save({ cable })}
      />
      {inside && (
        <TypedOnLeave
          mono
          label="Default gateway on it (empty at the edge)"
          value={use.gateway}
          maxLength={60}
          onSave={(gateway) => save({ gateway })}
        />
      )}
      <label className={styles.check}>
        <Tick checked={use.enabled} onChange={(event) => save({ enabled: event.target.checked })} />
        switched on
      </label>
    </>
  );
}

/** Text that is saved by Enter or on leaving the field. */
function TypedOnLeave(props: {
  label: string;
  value: string | null;
  maxLength: number;
  placeholder?: string;
  mono?: boolean;
  onSave: (value: string | null) => void;
}) {
  const { label, value, maxLength, placeholder, mono, onSave } = props;
  const [text, setText] = useState(value ?? '');
  const save = () => {
    if (text !== (value ?? '')) onSave(text || null);
  };
  return (
    <label className="field">
      {label}
      <Line
        className={mono ? 'mono' : undefined}
        value={text}
        maxLength={maxLength}
        placeholder={placeholder}
        onChange={(event) => setText(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => event.key === 'Enter' && save()}
      />
    </label>
  );
}
