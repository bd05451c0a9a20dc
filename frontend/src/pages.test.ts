import { expect, test } from 'vitest';
import { PARTS } from './drawn';
import { PAGES, SITE_PAGES, STAGES, titleAt, wayTo } from './pages';

test.each([
  ['/outbound', 'Outbound · Octaplan'],
  ['/sites/FERN/DOCK/addresses', 'FERN/DOCK · Addresses · Octaplan'],
  ['/sites/FERN/DOCK/bench/k3f9q', 'FERN/DOCK · Bench · Octaplan'],
  ['/sites/FERN/DOCK', 'FERN/DOCK · Octaplan'],
  ['/customers', 'Customers · Octaplan'],
  ['/customers/QUAY', 'Customer QUAY · Octaplan'],
  ['/hardware', 'Hardware · Octaplan'],
  ['/hardware/skerry-f7', 'Hardware skerry-f7 · Octaplan'],
  ['/nowhere', 'Octaplan'],
])('the tab at %s is called %s', (path, title) => {
  expect(titleAt(path)).toBe(title);
});

test('each page has a path and a title of its own', () => {
  for (const pages of [PAGES, STAGES]) {
    expect(new Set(pages.map((page) => page.path)).size).toBe(pages.length);
    expect(new Set(pages.map((page) => page.title)).size).toBe(pages.length);
  }
});

test('a way to a page leads to an address without what it takes', () => {
  for (const page of PAGES.filter((one) => one.menu ?? one.about)) expect(wayTo(page)).toMatch(/^\/[a-z]+$/);
});

test('every page has something to draw, and nothing is drawn that is no page', () => {
  const paths = [...PAGES, ...STAGES, ...SITE_PAGES].map((page) => page.path);
  expect(Object.keys(PARTS).sort()).toEqual(paths.sort());
});
