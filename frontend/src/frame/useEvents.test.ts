import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { gathered, siteOf } from './useEvents';

describe('gathered', () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  it('calls at once, then once for all that came meanwhile', () => {
    const call = vi.fn();
    const lists = gathered(call, 2_000);
    for (let n = 0; n < 20; n++) lists.ask();
    expect(call).toHaveBeenCalledTimes(1);
    vi.advanceTimersByTime(2_000);
    expect(call).toHaveBeenCalledTimes(2);
    vi.advanceTimersByTime(10_000);
    expect(call).toHaveBeenCalledTimes(2);
    lists.ask();
    expect(call).toHaveBeenCalledTimes(3);
  });

  it('says nothing more once it has ended', () => {
    const call = vi.fn();
    const lists = gathered(call, 2_000);
    lists.ask();
    lists.ask();
    lists.end();
    vi.advanceTimersByTime(10_000);
    expect(call).toHaveBeenCalledTimes(1);
  });
});

describe('siteOf', () => {
  it('is the site of a desk, as the server folds it', () => {
    expect(siteOf('/sites/FERN/DOCK/addresses')).toBe('fern/dock');
    expect(siteOf('/outbound')).toBe('');
  });
});
