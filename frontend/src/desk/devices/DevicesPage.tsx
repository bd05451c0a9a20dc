import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import { Link, useLocation, useSearchParams } from 'react-router';
import type { Schemas } from '../../api/client';
import { useRevise, useStep } from '../../api/queries';
import { Options, Select } from '../../parts/controls';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import { inOrder } from './board';
import { DeviceCard } from './DeviceCard';
import styles from './devices.module.css';
import { KINDS, ROLE_WORDS } from './roles';
import { useAddDevice, useHardware, useTypes } from './queries';
import { WifiPart } from './WifiPart';
import { removeDevice } from './wires';
import { WiringBoard } from './WiringBoard';

interface AssumedOf {
  device: string;
  sentences: string[];
  replaced?: boolean;
}

/** The site's boxes: how they are wired, what each is, and its Wi-Fi. */
export function DevicesPage() {
  const { desk: state, mayPlan } = useDeskState();
  const types = useTypes();
  const { hash } = useLocation();
  const wanted = hash.split('/')[2] ?? '';
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const [assumed, setAssumed] = useState<AssumedOf | null>(null);
  const devices = inOrder(state.plan);
  return (
    <>
      <div className="line baseline far heading">
        <h2>Boxes</h2>
        <span className="quiet">
          {devices.length === 0 ? 'none yet' : count(devices.length, 'box', 'boxes')}
        </span>
        <span className="end" />
        {mayPlan && (
          <AddBox
            onAdded={(device, sentences) => {
              setAssumed({ device, sentences });
              setOpen((before) => ({ ...before, [device]: false }));
            }}
          />
        )}
      </div>
      {assumed && state.plan.devices[assumed.device] && (
        <Assumed {...assumed} onClose={() => setAssumed(null)} />
      )}
      {devices.length === 0 ? (
        <p className={`card quiet ${styles.empty}`}>
          Add them in any order: each is wired to those that are there, addressed from the plan, and given its
          routes, rules and access by one action.
        </p>
      ) : (
        <WiringBoard types={types} />
      )}
      {devices.map((key) => {
        const device = state.plan.devices[key];
        return (
          device && (
            <DeviceCard
              key={key}
              id={key}
              device={device}
              type={types[device.type]}
              open={open[key] ?? wanted === key}
              onToggle={() => setOpen({ ...open, [key]: !(open[key] ?? wanted === key) })}
              onReplaced={(sentences, fresh) => setAssumed({ device: fresh, sentences, replaced: true })}
            />
          )
        );
      })}
      <WifiPart />
    </>
  );
}

/** What was assumed of a new box, and the way to take it back. */
function Assumed(props: AssumedOf & { onClose: () => void }) {
  const { device, sentences, replaced = false, onClose } = props;
  const { name, desk: state } = useDeskState();
  const revise = useRevise(name);
  const step = useStep(name);
  return (
    <section
      className={`note below ${styles.assumed}`}
      aria-label="What was assumed"
      role="status"
      ref={(panel) => panel?.scrollIntoView({ block: 'nearest' })}
    >
      <b>
        <SeverityMark of="note" /> {state.plan.devices[device]?.name ?? 'The box'}{' '}
        {replaced ? 'is replaced in the plan:' : 'is in the plan. Assumed:'}
      </b>
      <ul>
        {sentences.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ul>
      <Button variant="outlined" onClick={onClose}>
        As it should be
      </Button>
      <Button
        onClick={() =>
          replaced
            ? step.mutate({ step: 'undo' }, { onSuccess: onClose })
            : revise.mutate({ operations: removeDevice(state.plan, device), revision: state.revision.number })
        }
      >
        {replaced ? 'The old box again' : 'Take the box back'}
      </Button>
      {step.error && <Trouble>{step.error.message}</Trouble>}
    </section>
  );
}

function AddBox({ onAdded }: { onAdded: (device: string, sentences: string[]) => void }) {
  const { name, desk: state } = useDeskState();
  const hardware = useHardware();
  const add = useAddDevice(name);
  const [params, setParams] = useSearchParams();
  const described = params.get('add'); // its type has just been described on Hardware
  const [button, setButton] = useState<HTMLElement | null>(null);
  const [opened, setOpened] = useState(described !== null);
  const close = () => {
    setOpened(false);
    if (described !== null) setParams({}, { replace: true });
  };
  const edged = Object.values(state.plan.devices).some((device) => device.role === 'edge');
  const [role, setRole] = useState<Schemas['DeviceRole'] | ''>('');
  const [type, setType] = useState(described ?? '');
  const wanted = role || (params.get('as') as Schemas['DeviceRole'] | null) || (edged ? 'switch' : 'edge');
  const describing = new URLSearchParams({
    new: KINDS[wanted][0] ?? '',
    for: `${name.customer}/${name.site}`,
    as: wanted,
  });
  const fitting = (hardware.data ?? []).filter((one) => KINDS[wanted].includes(one.type.kind));
  const chosen = fitting.some((one) => one.type.key === type) ? type : (fitting[0]?.type.key ?? '');
  return (
    <>
      <Button ref={setButton} aria-haspopup="dialog" onClick={() => setOpened(true)}>
        Add a box
      </Button>
      <Popover
        open={opened && button !== null}
        anchorEl={button}
        onClose={close}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': 'Add a box' } }}
      >
        <form
          className={styles.adding}
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate(
              { device: { role: wanted, type: chosen }, revision: state.revision.number },
              {
                onSuccess: (equipped) => {
                  close();
                  setRole('');
                  onAdded(equipped.device, equipped.assumed);
                },
              },
            );
          }}
        >
          <label className="field">
            It is the site's
            <Select
              autoFocus
              value={wanted}
              onChange={(event) => setRole(event.target.value as typeof wanted)}
            >
              <Options of={Object.entries(ROLE_WORDS)} />
            </Select>
          </label>
          <label className="field">
            Hardware
            <Select value={chosen} onChange={(event) => setType(event.target.value)}>
              {fitting.map((one) => (
                <option key={one.type.key} value={one.type.key}>
                  {one.type.maker} {one.type.model}
                </option>
              ))}
            </Select>
          </label>
          {fitting.length === 0 && (
            <p className="quiet">
              No such hardware is known yet:{' '}
              <Link to={`/hardware?${describing.toString()}`}>add its type on Hardware</Link>; you come back
              here with it.
            </p>
          )}
          {add.error && <Trouble>{add.error.message}</Trouble>}
          <Button type="submit" variant="contained" disabled={!chosen} loading={add.isPending}>
            Add, wired and addressed
          </Button>
        </form>
      </Popover>
    </>
  );
}
