import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { sortOf } from './characters';
import { CLIPBOARD_TIME, copy, copySecret } from './clipboard';

describe('characters', () => {
  test.each([
    ['a', 'small'],
    ['é', 'small'],
    ['Z', 'capital'],
    ['Ł', 'capital'],
    ['7', 'digit'],
    ['-', 'sign'],
    [' ', 'sign'],
  ])('%s is a %s', (character, sort) => {
    expect(sortOf(character)).toBe(sort);
  });
});

describe('the clipboard', () => {
  const written: string[] = [];
  let refuses = false;

  beforeEach(() => {
    vi.useFakeTimers();
    written.length = 0;
    refuses = false;
    const writeText = (text: string) =>
      refuses ? Promise.reject(new Error('no')) : Promise.resolve(void written.push(text));
    vi.stubGlobal('navigator', { clipboard: { writeText } });
    vi.stubGlobal('window', { setTimeout: globalThis.setTimeout });
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  test('a secret leaves it after half a minute', async () => {
    expect(await copySecret('walnut')).toBe(true);
    expect(written).toEqual(['walnut']);
    await vi.advanceTimersByTimeAsync(CLIPBOARD_TIME - 1);
    expect(written).toEqual(['walnut']);
    await vi.advanceTimersByTimeAsync(1);
    expect(written).toEqual(['walnut', '']);
  });

  test('any other value stays', async () => {
    expect(await copy('10.40.8.1')).toBe(true);
    await vi.advanceTimersByTimeAsync(CLIPBOARD_TIME * 2);
    expect(written).toEqual(['10.40.8.1']);
  });

  test('what the browser refuses is said, and nothing is cleared later', async () => {
    refuses = true;
    expect(await copySecret('walnut')).toBe(false);
    await vi.advanceTimersByTimeAsync(CLIPBOARD_TIME * 2);
    expect(written).toEqual([]);
  });
});
