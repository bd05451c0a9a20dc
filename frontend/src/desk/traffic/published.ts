import type { Circuit, Plan, Schemas } from '../../api/client';

/** What is published at an address of a circuit, in few words; at its own address for none. */
export function publishedAt(plan: Plan, circuit: string, address: string | null): string[] {
  const own = plan.circuits[circuit]?.address ?? null;
  return Object.values(plan.devices).flatMap((device) =>
    Object.values(device.publications)
      .filter(
        (one) => one.circuit === circuit && (one.address === address || (address === own && !one.address)),
      )
      .map((one) => `${one.service === 'any' ? 'everything' : one.service} for ${hostOf(plan, one)}`),
  );
}

/** The uses of a circuit's further addresses, with what is published at each. */
export function withPublished(plan: Plan, id: string, circuit: Circuit): Record<string, string> {
  const uses = { ...circuit.uses };
  for (const device of Object.values(plan.devices))
    for (const one of Object.values(device.publications))
      if (one.circuit === id && one.address)
        uses[one.address] = `${hostOf(plan, one)} ${one.service === 'any' ? '' : one.service}`.trim();
  return uses;
}

/** A publication as a sentence. */
export function publishedWords(plan: Plan, one: Schemas['Publication']): string {
  const circuit = plan.circuits[one.circuit];
  const outside =
    one.address ?? circuit?.address ?? `the address that ${circuit?.label ?? 'a circuit'} gives`;
  const inside = `${hostOf(plan, one)} ${plan.hosts[one.host]?.address ?? ''}`.trim();
  const what = one.service === 'any' ? 'everything' : one.service;
  const port = one.port ? `, there at port ${one.port}` : '';
  const from = one.sources.length > 0 ? `from ${one.sources.join(', ')}` : 'from anywhere';
  return `${what} at ${outside} leads to ${inside}${port}, ${from}`;
}

function hostOf(plan: Plan, one: Schemas['Publication']): string {
  return plan.hosts[one.host]?.name ?? 'a host that has been removed';
}
