import Button from '@mui/material/Button';
import { useState } from 'react';
import type { HardwareType } from '../../api/client';
import { useMay } from '../../frame/person';
import { useSaveType } from '../../hardware/queries';
import { Line, LinkButton, Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import { useHardware } from '../devices/queries';

/** Something that every box of a type prints though no plan holds it: waved through once, with a reason. */
export function Expected({ device, value }: { device: string; value: string }) {
  const { desk } = useDeskState();
  const hardware = useHardware();
  const mayKeep = useMay('hardware');
  const save = useSaveType();
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState('');
  const shown = hardware.data?.find((one) => one.type.key === desk.plan.devices[device]?.type);
  if (!mayKeep || !shown) return null;
  const { type, version } = shown;
  if (!asking)
    return (
      <LinkButton className="quiet small" onClick={() => setAsking(true)}>
        Every {type.maker} {type.model} shows this…
      </LinkButton>
    );
  const known = { ...type.write_out?.known, [value]: reason.trim() };
  const written = { language: 'text', parts: {}, ...type.write_out, known };
  return (
    <form
      className="line"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(
          { type: { ...type, write_out: written } as HardwareType, version },
          { onSuccess: () => setAsking(false) },
        );
      }}
    >
      <Line
        wide
        autoFocus
        aria-label={`Why ${value} is to be expected`}
        placeholder="why it is to be expected"
        maxLength={200}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Press type="submit" waits={reason.trim().length < 3 ? 'say why' : ''} loading={save.isPending}>
        Expect it
      </Press>
      <Button onClick={() => setAsking(false)}>Leave it</Button>
      {save.error && <Trouble>{save.error.message}</Trouble>}
    </form>
  );
}
