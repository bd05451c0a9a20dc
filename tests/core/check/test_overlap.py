from __future__ import annotations

import ipaddress
import unittest
from collections.abc import Sequence
from itertools import combinations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.claims import ADDRESS, Addresses, known, less, same, within, words
from octaplan.core.check.overlap import FEW, IntervalIndex, Points, Shared, Sharing, among, first_few, repeated_numbers
from octaplan.core.values.addresses import Address, Network
from tests import examples

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


def rows(addresses: Sequence[Address | None]) -> Addresses:
    return Addresses.of(np.array([words(address) for address in addresses], ADDRESS))


def spread(lo: np.ndarray) -> Addresses:
    """IPv4 addresses by their numbers."""
    return Addresses(np.full(len(lo), 4, "u1"), np.zeros(len(lo), "u8"), lo.astype("u8"))


def sharing(claims: list[tuple[tuple[Address, Address], int, int]]) -> Sharing:
    """Claims as (ends, site, label); the item is the place in the list."""
    zeros = np.zeros(len(claims), np.int64)
    every = np.arange(len(claims))
    sites, labels = (np.array([claim[place] for claim in claims], np.int64) for place in (1, 2))
    return Sharing(every, sites, every, labels, rows([c[0][0] for c in claims]), rows([c[0][1] for c in claims]), zeros)


#: All comparisons one by one, and by sorting.
BOTH = (FEW, 0)


class Sweep(unittest.TestCase):
    @given(st.lists(st.tuples(networks(), st.integers(0, 2)), max_size=30))
    @examples(200)
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
        for few in BOTH:
            result = among(labels, first, last, known(first), few=few)
            self.assertEqual(result.total.tolist(), [len(others) for others in expected])
            for number, others in enumerate(expected):
                if others:
                    self.assertEqual(set(result.rows(number)), others)
                    self.assertEqual(len(first_few(result.rows(number), 3)), min(3, len(others)))

    @given(st.lists(intervals(), max_size=40), intervals(), st.data())
    @examples(200)
    def test_any_intervals_at_the_edges_of_128_bits(self, held: list, asked: tuple, data: st.DataObject) -> None:
        labels = np.array([data.draw(st.integers(5, 6)) for _ in held], np.int64)
        expected = {
            number
            for number, (a, b) in enumerate(held)
            if labels[number] == 5 and a.family == asked[0].family and a <= asked[1] and asked[0] <= b
        }
        for few in BOTH:
            index = IntervalIndex(labels, rows([a for a, _ in held]), rows([b for _, b in held]), few=few)
            found = index.overlaps(np.array([5]), rows([asked[0]]), rows([asked[1]]))
            self.assertEqual(found.total.tolist(), [len(expected)])
            self.assertEqual(sorted(found.rows(0)), sorted(expected))

    def test_unknown_and_reversed_intervals_overlap_nothing(self) -> None:
        for few in BOTH:
            index = IntervalIndex(np.array([1]), rows([Address(4, 0)]), rows([Address(4, 99)]), few=few)
            first, last = rows([None, Address(4, 9)]), rows([None, Address(4, 3)])
            self.assertEqual(index.overlaps(np.array([1, 1]), first, last).total.tolist(), [0, 0])
            self.assertEqual(index.overlaps(np.array([7, 7]), first, last).total.tolist(), [0, 0])
            backwards = IntervalIndex(np.array([1]), rows([Address(4, 9)]), rows([Address(4, 3)]), few=few)
            whole = rows([Address(4, 0)]), rows([Address(4, 99)])
            self.assertEqual(backwards.overlaps(np.array([1]), *whole).total.tolist(), [0])

    def test_columns_of_different_lengths_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "2 labels, 1 first and 1 last"):
            IntervalIndex(np.array([1, 2]), rows([Address(4, 1)]), rows([Address(4, 1)]))

    def test_labels_too_large_for_a_key_are_told_apart(self) -> None:
        one = rows([Address(4, 7)])
        index = IntervalIndex(np.array([1 << 40]), one, one, few=0)
        self.assertEqual(
            index.overlaps(
                np.array([1 << 40, 1 << 41]), rows([Address(4, 7)] * 2), rows([Address(4, 7)] * 2)
            ).total.tolist(),
            [1, 0],
        )

    def test_everything_equal_costs_no_pairs(self) -> None:
        n = 60_000
        ends = spread(np.full(n, 7))
        result = among(np.zeros(n, np.int64), ends, ends, known(ends))
        self.assertTrue((result.total == n - 1).all())
        self.assertEqual(len(first_few(result.rows(n // 2), 20)), 20)

    def test_many_small_ones_inside_one_wide_one(self) -> None:
        n = 20_000
        values = np.concatenate([[0], np.arange(n) * 2])
        first, last = spread(values), spread(np.concatenate([[1 << 31], values[1:]]))
        result = among(np.zeros(n + 1, np.int64), first, last, known(first))
        self.assertEqual(result.total[0], n)
        self.assertEqual([list(result.rows(row)) for row in (1, 500, n)], [[0], [0], [0]])


claims = st.lists(st.tuples(intervals(), st.integers(0, 3), st.integers(0, 1)), max_size=25)


class SharedClaims(unittest.TestCase):
    def agrees(self, shared: Shared, held: list, asking: list, own: list) -> None:
        asked = sharing(asking)
        found = shared.elsewhere(asked, lambda: asked if asking is own else sharing(own))
        for number, ((a, b), site, label) in enumerate(asking):
            expected = sorted(
                (foreign, place)
                for place, ((c, d), foreign, same_label) in enumerate(held)
                if foreign != site and same_label == label and c.family == a.family and c <= b and a <= d
            )
            self.assertEqual(found.total[number], len(expected))
            self.assertEqual(sorted(member[:2] for member in found.members(number)), expected)

    @given(claims)
    def test_elsewhere_leaves_out_the_own_site(self, held: list) -> None:
        self.agrees(Shared(sharing(held)), held, held, held)

    @given(claims, claims)
    def test_a_draft_is_held_against_what_other_sites_hold(self, held: list, drafted: list) -> None:
        draft = [(ends, 0, label) for ends, _, label in drafted]
        self.agrees(Shared(sharing(held)), held, draft, [claim for claim in held if claim[1] == 0])

    @given(claims, st.integers(0, 3))
    def test_what_is_held_under_labels_but_for_one_site(self, held: list, but: int) -> None:
        shared = Shared(sharing(held))
        for family in (4, 6):
            for labels in ([0], [1], [0, 1]):
                first, last = shared.held(family, labels, but)
                found = [(first.at(n), last.at(n)) for n in range(len(first))]
                expected = [
                    ends for ends, own, label in held if ends[0].family == family and own != but and label in labels
                ]
                self.assertEqual(sorted(found), sorted(expected))

    @given(claims, claims, st.sets(st.integers(0, 3)))
    @examples(200)
    def test_exchanging_some_sites_is_as_building_anew(self, held: list, more: list, changed: set[int]) -> None:
        shared = Shared(sharing(held))
        fresh = [claim for claim in more if claim[1] in changed]
        if changed:
            shared = shared.exchanged(np.array(sorted(changed)), sharing(fresh))
        now = sharing([claim for claim in held if claim[1] not in changed] + fresh)
        found = shared.elsewhere(now, lambda: now).total
        self.assertEqual(found.tolist(), Shared(now).elsewhere(now, lambda: now).total.tolist())


class Repeated(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.one_of(st.none(), intervals().map(lambda pair: pair[0])), st.integers(0, 2)), max_size=30)
    )
    def test_addresses_that_stand_twice_under_one_label(self, given_points: list) -> None:
        places: dict[object, list[int]] = {}
        for row, (address, label) in enumerate(given_points):
            if address is not None:
                places.setdefault((address, label), []).append(row)
        labels = np.array([label for _, label in given_points], np.int64)
        points = Points(labels, rows([address for address, _ in given_points]))
        self.assertEqual(sorted(points.repeated()), sorted(rows for rows in places.values() if len(rows) > 1))

    @given(claims, st.lists(st.tuples(intervals(), st.integers(0, 1)), max_size=20))
    def test_what_lies_in_an_interval_is_among_those_near(self, runs: list, given_points: list) -> None:
        labels = np.array([label for _, label in given_points], np.int64)
        points = Points(labels, rows([ends[0] for ends, _ in given_points]))
        ranges = sharing(runs)
        near = set(points.near(ranges.labels, ranges.first, ranges.last).tolist())
        for row, ((address, _), label) in enumerate(given_points):
            if any(same_label == label and a <= address <= b for (a, b), _, same_label in runs):
                self.assertIn(row, near)

    @given(st.lists(st.integers(0, 5), max_size=20))
    def test_numbers_that_stand_twice(self, numbers: list[int]) -> None:
        expected = [[p for p, n in enumerate(numbers) if n == number] for number in {n for n in numbers if n}]
        self.assertEqual(
            sorted(repeated_numbers(np.array(numbers, "u8"))), sorted(rows for rows in expected if len(rows) > 1)
        )


class Comparisons(unittest.TestCase):
    values = st.one_of(st.none(), intervals().map(lambda pair: pair[0]))

    @given(values, values, values)
    def test_order_is_that_of_family_then_value(self, a: Address | None, b: Address | None, c: Address | None) -> None:
        x, y, z = (rows([v]) for v in (a, b, c))
        low = (0, 0)
        self.assertEqual(bool(less(x, y)[0]), (a or low) < (b or low))
        self.assertEqual(bool(same(x, y)[0]), a == b)
        inside = a is not None and b is not None and c is not None and b <= a <= c
        self.assertEqual(bool(within(x, y, z)[0]), inside)
