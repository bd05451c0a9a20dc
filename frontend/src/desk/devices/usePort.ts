import { useState } from 'react';
import type { HardwareType, PortUse } from '../../api/client';
import { useRevise } from '../../api/queries';
import { useDeskState } from '../context';
import { connect, cut, plugHost, portUse, setPort, UNUSED } from './wires';

/** What stands for a host where a device is named otherwise. */
export const HOST = 'host';

/** One port of a box: what it is for, and how that is changed. Values show at once, while they are being saved. */
export function usePort(device: string, port: string, types: Record<string, HardwareType>) {
  const { name, desk, mayPlan } = useDeskState();
  const { plan } = desk;
  const revise = useRevise(name);
  const [draft, setDraft] = useState<PortUse | null>(null);
  const use = draft ?? portUse(plan, device, port);
  const box = plan.devices[device];
  const facts = types[box?.type ?? '']?.panel.find((one) => one.name === port);
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
    const operations = !to
      ? [
          ...cut(plan, device, port),
          setPort(device, port, { ...use, peer: null, peer_port: null, host: null }),
        ]
      : peer === HOST
        ? plugHost(plan, far, device, port)
        : connect(plan, { kind: 'port', device, port }, peer, far);
    if (operations.length > 0) revise.mutate({ operations, revision: desk.revision.number });
  };
  const inside = use.mode !== 'unused' && use.mode !== 'circuit';
  return { plan, box, facts, use, inside, mayPlan, save, change, lead, error: revise.error };
}

export type Porting = ReturnType<typeof usePort>;
