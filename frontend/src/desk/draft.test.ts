import { describe as suite, expect, test } from 'vitest';
import type { Plan } from '../api/client';
import { siteOf } from '../frame/useEvents';
import { patched } from './useDraft';

const plan = {
  segments: { off: { gateway: '10.40.8.1', scope: { first: null } }, voi: { gateway: '10.40.9.1' } },
  hosts: { a: { address: '10.40.8.10' } },
} as unknown as Plan;

suite('drafts', () => {
  test('what does not change stays the same object, so that it need not be drawn again', () => {
    const draft = patched(plan, [{ op: 'add', path: '/segments/off/gateway', value: '10.40.8.254' }]);
    expect(draft?.segments.off?.gateway).toBe('10.40.8.254');
    expect(draft?.segments.voi).toBe(plan.segments.voi);
    expect(draft?.hosts).toBe(plan.hosts);
    expect(plan.segments.off?.gateway).toBe('10.40.8.1');
  });

  test('members come and go', () => {
    const added = patched(plan, [{ op: 'add', path: '/hosts/b', value: { address: null } }]);
    expect(Object.keys(added?.hosts ?? {})).toEqual(['a', 'b']);
    const removed = patched(plan, [{ op: 'remove', path: '/hosts/a', value: null }]);
    expect(removed?.hosts).toEqual({});
  });

  test('a change that does not fit any more is none', () => {
    expect(patched(plan, [{ op: 'remove', path: '/hosts/gone', value: null }])?.hosts).toEqual(plan.hosts);
    expect(patched(plan, [{ op: 'add', path: '/segments/gone/gateway', value: 'x' }])).toBeUndefined();
  });
});

suite('events', () => {
  test('a page knows which site it is about', () => {
    expect(siteOf('/sites/FERN/DOCK/addresses')).toBe('fern/dock');
    expect(siteOf('/sites/A%20B/C%2BD/bench')).toBe('a b/c+d');
    expect(siteOf('/outbound')).toBe('');
    expect(siteOf('/sites/FERN')).toBe('');
  });
});
