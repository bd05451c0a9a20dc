from __future__ import annotations

import ipaddress
import unittest
from itertools import combinations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from octaplan.core.addresses import Address, Network
from octaplan.core.claims import ADDRESS, known, less, same, within, words
from octaplan.core.overlap import IntervalIndex, Shared, among, first_few

# Addresses in a few bits at either end of both families, so that collisions are common and edges are met.
EDGES = {4: [0, (1 << 32) - 16], 6: [0, (1 << 64) - 8, (1 << 128) - 16]}


@st.composite
def intervals(draw: st.DrawFn) -> tuple[Address, Address]:
    family = draw(st.sampled_from([4, 6]))
    base = draw(st.sampled_from(EDGES[family]))
    ends = sorted(base + draw(st.integers(0, 15)) for _ in range(2))
    return Address(family, ends[0]), Address(family, ends[1])


@st.composite
def networks(draw: st.DrawFn) -> ipaddress.IPv4Network | ipaddress.IPv6Network:
    family = draw(st.sampled_from([4, 6]))
    bits, prefix = {4: 32, 6: 128}[family], draw(st.integers(1, 12))
    value = draw(st.integers(0, 63)) << (bits - 6) >> (bits - prefix) << (bits - prefix)
    return ipaddress.IPv4Network((value, prefix)) if family == 4 else ipaddress.IPv6Network((value, prefix))


def rows(addresses: list[Address]) -> np.ndarray:
    return np.array([words(address) for address in addresses], ADDRESS)


class Sweep(unittest.TestCase):
    @given(st.lists(st.tuples(networks(), st.integers(0, 2)), max_size=30))
    @settings(max_examples=200)
    def test_agrees_with_a_pairwise_check_by_the_standard_library(self, given_nets: list) -> None:
        nets = [net for net, _ in given_nets]
        labels = np.array([label for _, label in given_nets], np.int64)
        ours = [Network(n.version, int(n.network_address), n.prefixlen) for n in nets]
        expected: list[set[int]] = [set() for _ in nets]
        for a, b in combinations(range(len(nets)), 2):
            if labels[a] == labels[b] and nets[a].version == nets[b].version and nets[a].overlaps(nets[b]):
                expected[a].add(b)
                expected[b].add(a)
        first, last = rows([n.first for n in ours]), rows([n.last for n in ours])
        result = among(labels, first, last, known(first))
        self.assertEqual(result.total.tolist(), [len(others) for others in expected])
        for number, others in enumerate(expected):
            if others:
                self.assertEqual(set(result.rows(number)), others)
                self.assertEqual(len(first_few(result.rows(number), 3)), min(3, len(others)))

    @given(st.lists(intervals(), max_size=40), intervals(), st.data())
    @settings(max_examples=200)
    def test_any_intervals_at_the_edges_of_128_bits(self, held: list, asked: tuple, data: st.DataObject) -> None:
        labels = np.array([data.draw(st.integers(5, 6)) for _ in held], np.int64)
        index = IntervalIndex(labels, rows([a for a, _ in held]), rows([b for _, b in held]))
        found = index.overlaps(np.array([5]), rows([asked[0]]), rows([asked[1]]))
        expected = {
            number
            for number, (a, b) in enumerate(held)
            if labels[number] == 5 and a.family == asked[0].family and a <= asked[1] and asked[0] <= b
        }
        self.assertEqual(found.total.tolist(), [len(expected)])
        self.assertEqual(sorted(found.rows(0)), sorted(expected))

    def test_unknown_and_reversed_intervals_overlap_nothing(self) -> None:
        index = IntervalIndex(np.array([1]), rows([Address(4, 0)]), rows([Address(4, 99)]))
        first = np.array([words(None), words(Address(4, 9))], ADDRESS)
        last = np.array([words(None), words(Address(4, 3))], ADDRESS)
        self.assertEqual(index.overlaps(np.array([1, 1]), first, last).total.tolist(), [0, 0])
        self.assertEqual(index.overlaps(np.array([7, 7]), first, last).total.tolist(), [0, 0])

    def test_everything_equal_costs_no_pairs(self) -> None:
        n = 60_000
        labels, ends = np.zeros(n, np.int64), np.zeros(n, ADDRESS)
        ends["family"] = 4
        ends["lo"] = 7
        result = among(labels, ends, ends, known(ends))
        self.assertTrue((result.total == n - 1).all())
        self.assertEqual(len(first_few(result.rows(n // 2), 20)), 20)

    def test_many_small_ones_inside_one_wide_one(self) -> None:
        n = 20_000
        values = np.arange(n)
        first = np.zeros(n + 1, ADDRESS)
        first["family"] = 4
        last = first.copy()
        first["lo"][1:] = last["lo"][1:] = values * 2
        last["lo"][0] = 1 << 31
        result = among(np.zeros(n + 1, np.int64), first, last, known(first))
        self.assertEqual(result.total[0], n)
        self.assertEqual([list(result.rows(row)) for row in (1, 500, n)], [[0], [0], [0]])

    @given(st.lists(st.tuples(intervals(), st.integers(0, 3), st.integers(0, 1)), min_size=1, max_size=30))
    def test_elsewhere_leaves_out_the_own_site(self, claims: list) -> None:
        first, last = rows([c[0][0] for c in claims]), rows([c[0][1] for c in claims])
        sites = np.array([c[1] for c in claims], np.int64)
        labels = np.array([c[2] for c in claims], np.int64)
        shared = Shared(sites, np.arange(len(claims)), labels, first, last)
        found = shared.elsewhere(sites, labels, first, last)
        for number, ((a, b), own, label) in enumerate(claims):
            expected = {
                other
                for other, ((c, d), foreign, same_label) in enumerate(claims)
                if foreign != own and same_label == label and c.family == a.family and c <= b and a <= d
            }
            self.assertEqual(found.total[number], len(expected))
            self.assertEqual(set(found.rows(number)), expected)


class Comparisons(unittest.TestCase):
    values = st.one_of(st.none(), intervals().map(lambda pair: pair[0]))

    @given(values, values, values)
    def test_order_is_that_of_family_then_value(self, a: Address | None, b: Address | None, c: Address | None) -> None:
        x, y, z = (np.array([words(v)], ADDRESS) for v in (a, b, c))
        low = (0, 0)
        self.assertEqual(bool(less(x, y)[0]), (a or low) < (b or low))
        self.assertEqual(bool(same(x, y)[0]), a == b)
        inside = a is not None and b is not None and c is not None and b <= a <= c
        self.assertEqual(bool(within(x, y, z)[0]), inside)
