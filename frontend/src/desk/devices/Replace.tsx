import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useState } from 'react';
import type { Device } from '../../api/client';
import { useRevise } from '../../api/queries';
import { Select } from '../../parts/controls';
import { Sure } from '../../parts/Sure';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './devices.module.css';
import { KINDS, ROLE_WORDS } from './roles';
import { useHardware, useReplaceDevice } from './queries';
import { removeDevice } from './wires';

/** A new box in the place of this one. What is recorded of the old one stays under its serial. */
export function ReplaceBox(props: {
  id: string;
  device: Device;
  onReplaced: (sentences: string[], key: string) => void;
}) {
  const { id, device, onReplaced } = props;
  const { name, desk: state } = useDeskState();
  const hardware = useHardware();
  const replace = useReplaceDevice(name, id, onReplaced);
  const [asked, setAsked] = useState(false);
  const [type, setType] = useState(device.type);
  const fitting = (hardware.data ?? []).filter((one) => KINDS[device.role].includes(one.type.kind));
  const called = device.name ?? ROLE_WORDS[device.role];
  return (
    <>
      <Button sx={{ mt: 1, mr: 1 }} onClick={() => setAsked(true)}>
        Replace {called}…
      </Button>
      <Dialog
        open={asked}
        onClose={() => setAsked(false)}
        slotProps={{ paper: { 'aria-label': `Replace ${called}` } }}
      >
        <form
          className={styles.adding}
          onSubmit={(event) => {
            event.preventDefault();
            replace.mutate({ type, revision: state.revision.number });
          }}
        >
          <h2>Replace {called}</h2>
          <p>
            The new box takes over name, addresses, wiring and rules. It gets secrets and a run of its own.{' '}
            {device.serial ? `Serial ${device.serial}` : 'The serial'}, MACs, licences and firmware were the
            old box's: they go. Its runs, secrets and backups stay under All runs of the bench. Undo brings
            the old box back.
          </p>
          <label className="field">
            The new box is a
            <Select value={type} onChange={(event) => setType(event.target.value)}>
              {!fitting.some((one) => one.type.key === type) && (
                <option value={type}>{type}, not on Hardware</option>
              )}
              {fitting.map((one) => (
                <option key={one.type.key} value={one.type.key}>
                  {one.type.maker} {one.type.model}
                </option>
              ))}
            </Select>
          </label>
          {replace.error && <Trouble>{replace.error.message}</Trouble>}
          <div>
            <Button type="submit" variant="contained" loading={replace.isPending}>
              Replace it
            </Button>
            <Button onClick={() => setAsked(false)}>Keep the old one</Button>
          </div>
        </form>
      </Dialog>
    </>
  );
}

/** A box taken out of the plan: it asks first and says what goes. */
export function RemoveBox({ id, device }: { id: string; device: Device }) {
  const { name, desk: state } = useDeskState();
  const revise = useRevise(name);
  const [asked, setAsked] = useState(false);
  const called = device.name ?? 'this box';
  const staging = state.staging.find((one) => one.device === id);
  const cables = Object.values(device.ports).filter((use) => use.peer || use.host).length;
  return (
    <>
      <Button color="error" sx={{ mt: 1 }} onClick={() => setAsked(true)}>
        Remove {called}…
      </Button>
      {asked && (
        <Sure
          title={`Remove ${called}?`}
          yes="Remove it"
          no="Keep it"
          pending={revise.isPending}
          error={revise.error}
          onNo={() => setAsked(false)}
          onYes={() =>
            revise.mutate(
              { operations: removeDevice(state.plan, id), revision: state.revision.number },
              { onSuccess: () => setAsked(false) },
            )
          }
        >
          It goes out of the plan with its rules and addresses
          {cables > 0 && `, and ${count(cables, 'cable')} ${cables === 1 ? 'is' : 'are'} pulled out`}.
          {staging?.begun &&
            ` What was recorded on the bench (${staging.done} of ${staging.steps} steps) stays under All runs, with its secrets and backups.`}{' '}
          Undo brings all of it back. For another box in its place, replace it instead.
        </Sure>
      )}
    </>
  );
}
