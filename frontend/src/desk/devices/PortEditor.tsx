import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import type { HardwareType, PortUse } from '../../api/client';
import { useRevise } from '../../api/queries';
import { useDeskState } from '../context';
import { portsOf } from './board';
import styles from './devices.module.css';
import { connect, cut, setPort, UNUSED, portUse } from './wires';
import { Line, Select, Tick } from '../../parts/controls';

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
  const { name, desk, mayPlan } = useDeskState();
  const { plan } = desk;
  const revise = useRevise(name);
  const [draft, setDraft] = useState<PortUse | null>(null); // what is being saved, shown at once
  const use = draft ?? portUse(plan, device, port);
  const box = plan.devices[device];
  const facts = types[box?.type ?? '']?.panel.find((one) => one.name === port);
  const [cable, setCable] = useState(use.cable ?? '');
  const [bridge, setBridge] = useState(use.bridge ?? '');
  const [gateway, setGateway] = useState(use.gateway ?? '');
  const save = (values: Partial<PortUse>) => {
    const next = { ...use, ...values };
    setDraft(next);
    revise.mutate(
      { operations: [setPort(device, port, next)], revision: desk.revision.number },
      { onSettled: () => setDraft(null) },
    );
  };
  const change = (mode: PortUse['mode']) => {
    const first = Object.keys(plan.segments)[0] ?? null;
    if (mode === 'unused') save({ ...UNUSED, cable: use.cable });
    else if (mode === 'circuit')
      save({ ...UNUSED, mode, circuit: use.circuit ?? Object.keys(plan.circuits)[0] ?? null });
    else
      save({
        mode,
        circuit: null,
        segment: use.segment ?? first,
        tagged: mode === 'trunk' ? use.tagged : [],
      });
  };
  const lead = (to: string) => {
    const [peer = '', far = ''] = to.split('|');
    const operations = to
      ? connect(plan, { kind: 'port', device, port }, peer, far)
      : cut(plan, device, port);
    if (operations.length > 0) revise.mutate({ operations, revision: desk.revision.number });
  };
  const inside = use.mode !== 'unused' && use.mode !== 'circuit';
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
        <label>
          It is for
          <Select
            autoFocus
            value={use.mode}
            onChange={(event) => change(event.target.value as PortUse['mode'])}
          >
            {MODES.map(([mode, words]) => (
              <option key={mode} value={mode}>
                {words}
              </option>
            ))}
          </Select>
        </label>
        {use.mode === 'circuit' && (
          <label>
            Circuit
            <Select
              value={use.circuit ?? ''}
              onChange={(event) => save({ circuit: event.target.value || null })}
            >
              <option value="">choose one</option>
              {Object.entries(plan.circuits).map(([key, circuit]) => (
                <option key={key} value={key}>
                  {circuit.label}
                </option>
              ))}
            </Select>
          </label>
        )}
        {inside && (
          <label>
            {use.mode === 'trunk' ? 'Untagged' : 'Segment'}
            <Select
              value={use.segment ?? ''}
              onChange={(event) =>
                save({
                  segment: event.target.value || null,
                  tagged: use.tagged.filter((key) => key !== event.target.value),
                })
              }
            >
              <option value="">{use.mode === 'trunk' ? 'none' : 'choose one'}</option>
              {Object.entries(plan.segments).map(([key, segment]) => (
                <option key={key} value={key}>
                  {segment.label}
                </option>
              ))}
            </Select>
          </label>
        )}
        {use.mode === 'bridge' && (
          <label>
            Joined as
            <Line
              value={bridge}
              maxLength={80}
              placeholder="ports of one group are one network"
              onChange={(event) => setBridge(event.target.value)}
              onBlur={() => bridge !== (use.bridge ?? '') && save({ bridge: bridge.trim() || null })}
            />
          </label>
        )}
        {use.mode === 'trunk' && (
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
        )}
        {inside && (
          <label>
            The cable goes into
            <Select
              value={use.peer && use.peer_port ? `${use.peer}|${use.peer_port}` : ''}
              onChange={(event) => lead(event.target.value)}
            >
              <option value="">nothing planned</option>
              {Object.entries(plan.devices)
                .filter(([key]) => key !== device)
                .flatMap(([key, other]) =>
                  portsOf(plan, key, types).map((far) => (
                    <option key={`${key}|${far}`} value={`${key}|${far}`}>
                      {other.name ?? other.role}, port {far}
                    </option>
                  )),
                )}
            </Select>
          </label>
        )}
        {use.mode !== 'unused' && (
          <>
            <label>
              Cable: colour or label
              <Line
                value={cable}
                maxLength={200}
                onChange={(event) => setCable(event.target.value)}
                onBlur={() => cable !== (use.cable ?? '') && save({ cable: cable || null })}
              />
            </label>
            {inside && (
              <label>
                Default gateway on it <span className="quiet">(empty at the edge)</span>
                <Line
                  className="mono"
                  value={gateway}
                  maxLength={60}
                  onChange={(event) => setGateway(event.target.value)}
                  onBlur={() => gateway !== (use.gateway ?? '') && save({ gateway: gateway || null })}
                />
              </label>
            )}
            <label className={styles.check}>
              <Tick checked={use.enabled} onChange={(event) => save({ enabled: event.target.checked })} />
              switched on
            </label>
          </>
        )}
        {revise.error && <p role="alert">{revise.error.message}</p>}
        <Button onClick={onClose}>Close</Button>
      </fieldset>
    </Popover>
  );
}
