import type { Operation, Plan } from '../../api/client';

const LETTERS = '0123456789abcdefghjkmnpqrstvwxyz';

/** A short id that no member has yet. */
export function freshId(taken: Record<string, unknown>): string {
  for (;;) {
    const bytes = crypto.getRandomValues(new Uint8Array(5));
    const id = [...bytes].map((byte) => LETTERS[byte & 31]).join('');
    if (!(id in taken)) return id;
  }
}

/** Take a segment out, and its hosts with it. */
export function removeSegment(plan: Plan, id: string): Operation[] {
  const hosts = Object.keys(plan.hosts).filter((key) => plan.hosts[key]?.segment === id);
  return [...hosts.map((key) => remove(`/hosts/${key}`)), remove(`/segments/${id}`)];
}

export function remove(path: string): Operation {
  return { op: 'remove', path };
}
