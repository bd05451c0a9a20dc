import { describe as suite, expect, test } from 'vitest';
import { subnet } from '../ruler/addresses';
import {
  beside,
  cellsOf,
  deeper,
  lanesOf,
  netOf,
  stepped,
  wordsOf,
  written,
  type Net,
  type Space,
} from './levels';

const net = (text: string) => subnet(text) as Net;
const window = net('10.40.0.0/16');

suite('levels', () => {
  test('each halves the one above', () => {
    expect(written(netOf(window, { level: 0, number: 0 }))).toBe('10.40.0.0/16');
    expect(written(netOf(window, { level: 8, number: 9 }))).toBe('10.40.9.0/24');
  });

  test('where a subnet lies', () => {
    expect(cellsOf(window, net('10.40.8.0/24'), 9)).toEqual({ level: 8, from: 8, to: 8 });
    expect(cellsOf(window, net('10.40.8.128/26'), 9)).toEqual({ level: 8, from: 8, to: 8 });
    expect(cellsOf(window, net('10.0.0.0/8'), 9)).toEqual({ level: 0, from: 0, to: 0 });
    expect(cellsOf(window, net('10.41.0.0/24'), 9)).toBeNull();
  });

  test('zooming goes to the half with the cell, or all the way', () => {
    expect(deeper(window, { level: 8, number: 200 }, 32)).toBe('10.40.128.0/17');
    expect(deeper(window, { level: 8, number: 200 }, 32, 8)).toBe('10.40.200.0/24');
    expect(deeper(net('10.40.8.0/32'), { level: 0, number: 0 }, 32)).toBe('10.40.8.0/32');
  });

  test('beside, and not over the end', () => {
    expect(beside(window, 1)).toBe('10.41.0.0/16');
    expect(beside(net('0.0.0.0/8'), -1)).toBe('0.0.0.0/8');
    expect(beside(net('255.0.0.0/8'), 1)).toBe('255.0.0.0/8');
  });

  test('keys walk cells and levels', () => {
    const at = { level: 3, number: 5 };
    expect(stepped(at, 'ArrowUp', 9)).toEqual({ level: 2, number: 2 });
    expect(stepped(at, 'ArrowDown', 9)).toEqual({ level: 4, number: 10 });
    expect(stepped({ level: 3, number: 7 }, 'ArrowRight', 9)).toEqual({ level: 3, number: 7 });
    expect(stepped({ level: 8, number: 7 }, 'ArrowDown', 9)).toBeNull();
  });

  test('cells in words', () => {
    const cell = { number: 8, used: 0.5, sites: 1, segments: 2, stops: 1, warns: 0 };
    const space = {
      window: '10.40.0.0/16',
      levels: [
        { prefix: 16, cells: [] },
        { prefix: 17, cells: [{ ...cell, number: 0 }] },
      ],
    };
    expect(wordsOf(space as unknown as Space, { level: 1, number: 0 })).toBe(
      '10.40.0.0/17: 50 % used, 2 segments of 1 site, 1 segment with a stop',
    );
    expect(wordsOf(space as unknown as Space, { level: 0, number: 0 })).toBe('10.40.0.0/16: free');
  });
});

suite('lanes', () => {
  test('rectangles that cover each other are all seen, the others stay as they are', () => {
    const rect = (x: number, width: number, y = 0) => ({ x, y, width, height: 30 });
    expect(lanesOf([rect(0, 40), rect(0, 40), null, rect(50, 20), rect(0, 40, 36)])).toEqual([
      { x: 0, y: 0, width: 40, height: 15 },
      { x: 0, y: 15, width: 40, height: 15 },
      null,
      rect(50, 20),
      rect(0, 40, 36),
    ]);
  });
});
