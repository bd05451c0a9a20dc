import { describe as suite, expect, test } from 'vitest';
import type { Finding, Host, Plan, Segment } from '../api/client';
import { format, parse, short, spanOf, subnet, usable, type Span } from './addresses';
import {
  density,
  describe,
  leasable,
  neighbours,
  panned,
  pictureOf,
  scaleOf,
  stagger,
  ticks,
  homeOf,
  valueAt,
  x,
  zoomed,
  zoomedAt,
} from './geometry';

const segment: Segment = {
  label: 'Voice',
  role: 'voice',
  vlan: 20,
  vrf: 'main',
  reach: null,
  subnet: '10.40.9.0/24',
  gateway: '10.40.9.1',
  scope: {
    server: 'edge',
    first: '10.40.9.20',
    last: '10.40.9.254',
    excluded: ['10.40.9.50'],
    lease: null,
    options: {},
  },
  resolvers: [],
  domain: null,
  expected_hosts: null,
  subnet6: null,
  gateway6: null,
  kept: [],
  order: null,
};

const plan = {
  segments: { k3f9q: segment },
  hosts: {
    aaaa1: {
      segment: 'k3f9q',
      name: 'phone system',
      kind: null,
      address: '10.40.9.250',
      mac: null,
      method: 'static',
    },
    aaaa2: { segment: 'k3f9q', name: 'stray', kind: null, address: '10.9.9.9', mac: null, method: 'static' },
  },
} as unknown as Plan;

const placed = Object.entries(plan.hosts);

suite('addresses', () => {
  test.each([
    '0.0.0.0',
    '10.40.8.1',
    '255.255.255.255',
    '2001:db8::1',
    '::',
    'fe80::1:0:0:1',
    '1:2:3:4:5:6:7:8',
  ])('%s comes back as it was', (text) => {
    const address = parse(text);
    expect(address && format(address)).toBe(text);
  });

  test('a subnet knows its ends and what is usable', () => {
    const net = subnet('198.51.100.16/29');
    expect(net && net.last - net.first).toBe(7n);
    expect(net && usable(net).first - net.first).toBe(1n);
    const link = subnet('10.0.0.0/31');
    expect(link && usable(link).last - usable(link).first).toBe(1n);
  });

  test('findings name spans in three ways', () => {
    expect(spanOf('10.0.0.1')).toEqual({ family: 4, first: 0x0a000001n, last: 0x0a000001n });
    expect(spanOf('10.0.0.9–10.0.0.1')?.first).toBe(0x0a000001n);
    expect(spanOf('2001:db8::/64')?.family).toBe(6);
    expect(spanOf('office')).toBeUndefined();
  });

  test('short forms keep what differs inside the subnet', () => {
    const net = subnet('10.40.0.0/16');
    expect(net && short(0x0a280914n, net)).toBe('.9.20');
  });
});

suite('scale', () => {
  const net = subnet('10.40.9.0/24');
  const scale = scaleOf(net ?? { family: 4, first: 0n, last: 0n }, 10, 512);

  test('a point leads back to the address it was drawn for', () => {
    for (const offset of [0n, 1n, 63n, 255n]) {
      expect(valueAt(scale, x(scale, scale.first + offset) + 0.5)).toBe(scale.first + offset);
    }
  });

  test('points beyond the ends stay inside', () => {
    expect(valueAt(scale, -50)).toBe(scale.first);
    expect(valueAt(scale, 9_999)).toBe(scale.first + 255n);
  });

  test('ticks stand at binary boundaries', () => {
    const offsets = (first: bigint, size: bigint, shift = 0) =>
      ticks(net as Span, { ...scale, first: scale.first + first, size: Number(size), shift }).map((value) =>
        Number(value - scale.first),
      );
    expect(offsets(0n, 256n)).toEqual([0, 32, 64, 96, 128, 160, 192, 224]);
    expect(offsets(0n, 4n)).toEqual([0, 1, 2, 3]);
    expect(offsets(5n, 64n, 0.25)).toEqual([8, 16, 24, 32, 40, 48, 56, 64]);
  });
});

suite('labels', () => {
  const labels = [0, 4, 8].map((at) => ({ x: at, text: 'printer', path: `${at}` }));

  test('a label that covers stems stands higher than these', () => {
    const levels = Object.fromEntries(stagger(labels, 500, 3, 7).map(({ path, level }) => [path, level]));
    expect(levels).toEqual({ 0: 2, 4: 1, 8: 0 });
  });

  test('a label without room is left out, unless it is sought, and one at the end turns left', () => {
    expect(stagger(labels, 500, 2, 7).map(({ path }) => path)).toEqual(['8', '4']);
    expect(stagger(labels, 500, 2, 7, [], '0').map(({ path }) => path)).toEqual(['0']);
    expect(stagger([{ x: 490, text: 'printer', path: '' }], 500, 1, 7)[0]?.anchor).toBe('end');
  });
});

suite('picture of a segment', () => {
  test('excluded addresses split the range', () => {
    expect(leasable(segment).map((piece) => Number(piece.last - piece.first + 1n))).toEqual([30, 204]);
  });

  test('a range back to front, or switched off, leases nothing', () => {
    const { scope } = segment;
    expect(leasable({ ...segment, scope: { ...scope, first: scope.last, last: scope.first } })).toEqual([]);
    expect(leasable({ ...segment, scope: { ...scope, server: 'none' } })).toEqual([]);
  });

  test('counts add up to the usable addresses', () => {
    const picture = pictureOf(segment, placed, []);
    expect(picture?.leased).toBe(233n); // the phone system inside the range is fixed
    expect(picture?.free).toBe(254n - 234n - 1n);
    expect(picture?.hosts.map((host) => host.name)).toEqual(['phone system']);
  });

  test('collisions are notched where they are, and only those that are about addresses', () => {
    const finding = (traits: string, addresses: string, path = '/segments/k3f9q', severity = 'stop') =>
      ({ traits: [traits], addresses, path, severity, message: '', acceptance: null }) as unknown as Finding;
    const notches = (...found: Finding[]) =>
      pictureOf(segment, placed, found)?.notches.map(({ span }) => [
        Number(span.first & 255n),
        Number(span.last & 255n),
      ]);
    expect(notches(finding('collides', '10.40.9.250', '/hosts/aaaa1'))).toEqual([[250, 250]]);
    expect(notches(finding('collides', '10.40.0.0/16'))).toEqual([[0, 255]]);
    expect(notches(finding('collides', '10.40.9.199–10.40.9.20'))).toEqual([[20, 199]]);
    expect(notches(finding('real', '10.40.9.0/24'), finding('', '10.40.9.0/24'))).toEqual([]);
    expect(notches(finding('collides', '10.40.9.30', '/hosts/aaaa1', 'note'))).toEqual([]);
  });

  test('says what an address is', () => {
    const picture = pictureOf(segment, placed, []);
    const at = (offset: number) => picture && describe(picture, picture.net.first + BigInt(offset));
    expect([0, 1, 5, 20, 50, 250, 255].map(at)).toEqual([
      'network address',
      'gateway',
      'free',
      'leased from .20–.49',
      'free, excluded from the range',
      'phone system',
      'broadcast address',
    ]);
  });
});

suite('views', () => {
  const net = subnet('10.40.0.0/16') as NonNullable<ReturnType<typeof subnet>>;

  /** What is that far along a view, as a fraction of the subnet. */
  const under = (view: ReturnType<typeof zoomed>, share: number) => {
    const { first, size, shift = 0 } = view ?? { first: net.first, size: 65_536n };
    return Number(first - net.first) + shift + share * Number(size);
  };

  test('zooming keeps what is under the pointer where it is, at every step, and ends at the whole', () => {
    for (const share of [0.137, 0.5, 0.8113]) {
      let view = zoomed(net, null, share, true);
      expect(view?.size).toBe(32_768n);
      for (let step = 0; step < 20; step += 1) {
        expect(under(view, share)).toBeCloseTo(under(null, share), 6);
        view = zoomed(net, view, share, true);
      }
      expect(view?.size).toBe(16n);
      for (let step = 0; step < 20; step += 1) {
        expect(under(view, share)).toBeCloseTo(under(null, share), 6);
        view = zoomed(net, view, share, false);
      }
      expect(view).toBeNull();
    }
  });

  test('by keys an address comes to the middle', () => {
    const at = net.first + 10_000n;
    expect(under(zoomedAt(net, null, at, true), 0.5)).toBe(16_384); // held inside the subnet
    expect(under(zoomedAt(net, zoomedAt(net, null, at, true), at, true), 0.5)).toBe(10_000);
  });

  test('of IPv6 what is used is looked at, and what is far from it is not', () => {
    const six = {
      ...segment,
      subnet: '2001:db8:40:1::/64',
      gateway: '2001:db8:40:1::1',
      scope: { ...segment.scope, server: 'none' },
    };
    const host = (address: string) => ({ ...placed[0]?.[1], address }) as Host;
    const hosts: [string, Host][] = [
      ['aaaa1', host('2001:db8:40:1::210')],
      ['aaaa2', host('2001:db8:40:1:200:5eff:fe00:5301')],
    ];
    const picture = pictureOf(six, hosts, []) as NonNullable<ReturnType<typeof pictureOf>>;
    expect(homeOf(picture)).toMatchObject({ first: picture.net.first, size: 1024n });
    expect(homeOf({ ...picture, hosts: [] })?.size).toBe(256n);
  });

  test('panning stays inside', () => {
    const view = { first: net.first, size: 256n };
    expect(panned(net, view, -5n).first).toBe(net.first);
    expect(panned(net, view, 1_000_000n).first).toBe(net.last - 255n);
  });

  test('density counts every mark once', () => {
    const scale = scaleOf(net, 0, 800);
    const values = [0n, 1n, 300n, 65_535n].map((offset) => net.first + offset);
    const counts = density(scale, values, 100);
    expect(counts.reduce((sum, number) => sum + number, 0)).toBe(4);
    expect([counts[0], counts[99]]).toEqual([3, 1]);
  });

  test('neighbours are the nearest', () => {
    const picture = pictureOf(segment, placed, []) as NonNullable<ReturnType<typeof pictureOf>>;
    expect(neighbours(picture, picture.net.first + 20n)).toEqual({ above: picture.hosts[0] });
  });
});
