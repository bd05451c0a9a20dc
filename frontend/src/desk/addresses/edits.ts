import type { Finding, Host, Operation, Plan, Segment } from '../../api/client';

const LETTERS = '0123456789abcdefghjkmnpqrstvwxyz';

/** A short id that no member has yet. */
export function freshId(taken: Record<string, unknown>): string {
  for (;;) {
    const bytes = crypto.getRandomValues(new Uint8Array(5));
    const id = [...bytes].map((byte) => LETTERS[byte & 31]).join('');
    if (!(id in taken)) return id;
  }
}

/** Segments as they stand below each other; those without a place of their own last. */
export function inOrder(segments: Plan['segments']): [string, Segment][] {
  return Object.entries(segments).sort(([, a], [, b]) => (a.order ?? Infinity) - (b.order ?? Infinity) || 0);
}

/** Take a segment out, and its hosts with it. */
export function removeSegment(plan: Plan, id: string): Operation[] {
  const hosts = Object.keys(plan.hosts).filter((key) => plan.hosts[key]?.segment === id);
  return [...hosts.map((key) => remove(`/hosts/${key}`)), remove(`/segments/${id}`)];
}

export function remove(path: string): Operation {
  return { op: 'remove', path };
}

/** The hosts of each segment, with their ids. */
export function hostsBySegment(plan: Plan): Map<string, [string, Host][]> {
  const sorted = new Map<string, [string, Host][]>();
  for (const [key, host] of Object.entries(plan.hosts)) {
    const listed = sorted.get(host.segment);
    if (listed) listed.push([key, host]);
    else sorted.set(host.segment, [[key, host]]);
  }
  return sorted;
}

/** The findings about each segment or one of its hosts. */
export function findingsBySegment(plan: Plan, findings: Finding[]): Map<string, Finding[]> {
  const sorted = new Map<string, Finding[]>();
  for (const finding of findings) {
    const [, kind, key = ''] = finding.path.split('/');
    const id = kind === 'hosts' ? plan.hosts[key]?.segment : kind === 'segments' ? key : undefined;
    if (id === undefined) continue;
    const listed = sorted.get(id);
    if (listed) listed.push(finding);
    else sorted.set(id, [finding]);
  }
  return sorted;
}

/** Whether hosts are the very same. */
export function sameHosts(a: [string, Host][], b: [string, Host][]): boolean {
  return (
    a.length === b.length && a.every(([key, host], place) => b[place]?.[0] === key && b[place][1] === host)
  );
}

/** Whether findings say the same. */
export function sameFindings(a: Finding[], b: Finding[]): boolean {
  return (
    a.length === b.length &&
    a.every((finding, place) => {
      const other = b[place];
      return (
        other &&
        finding.message === other.message &&
        finding.path === other.path &&
        finding.acceptance === other.acceptance
      );
    })
  );
}
