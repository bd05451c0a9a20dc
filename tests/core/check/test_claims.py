"""Claims: columns, labels, and what a plan with two families comes to."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check import claims as module
from octaplan.core.check.claims import (
    ADDRESS,
    MANY,
    MANY_GROUPS,
    SEGMENT,
    Addresses,
    Claims,
    ClaimTable,
    Labels,
    known,
    words,
)
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Address, Network, parse_address, parse_network
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.support import circuit, segment, site

TWO = segment(subnet6="2001:db8:40:1::/64", gateway6="2001:db8:40:1::1")


class Columns(unittest.TestCase):
    @given(st.lists(st.integers(0, (1 << 128) - 1), max_size=20))
    def test_128_bits_come_back_as_they_were(self, values: list[int]) -> None:
        addresses = [Address(6, value) for value in values]
        columns = Addresses.listed(addresses)
        self.assertEqual([columns.at(row) for row in range(len(columns))], addresses)
        self.assertTrue(known(columns).all())

    @given(st.lists(plans(), min_size=1, max_size=4))
    @examples(15)
    def test_a_large_array_which_is_taken_apart_at_once_has_the_columns_of_a_small_one(
        self, every: list[SitePlan]
    ) -> None:
        rows = Claims.join([Claims.of(plan, number) for number, plan in enumerate(every)])
        for kind in ("segments", "hosts", "circuits", "ranges"):
            few = getattr(rows, kind)
            if not len(few):
                continue
            small, large = ClaimTable(kind, few), ClaimTable(kind, np.tile(few, module.LARGE // len(few) + 1))
            for name in few.dtype.names:
                a, b = small[name], large[name]
                if isinstance(a, Addresses):
                    parts = [(getattr(a, part), getattr(b, part)) for part in ("family", "hi", "lo")]
                else:
                    parts = [(a, b)]
                for x, y in parts:
                    self.assertEqual((x.dtype, x.tolist()), (y.dtype, y[-len(x) :].tolist()), name)


class TwoFamilies(unittest.TestCase):
    def test_a_segment_with_both_has_two_rows_and_hosts_stand_in_the_one_of_their_family(self) -> None:
        hosts = [
            {"segment": "Office", "name": "a", "address": "10.40.8.9", "address6": "2001:db8:40:1::9"},
            {"segment": "Office", "name": "b", "address": "2001:db8:40:1::a"},
        ]
        rows = Claims.of(site(segments=[segment("Lab", "10.41.0.0/24"), TWO], hosts=hosts), 7)
        self.assertEqual(rows.segments["second"].tolist(), [False, False, True])
        self.assertEqual(rows.segments["item"].tolist(), [0, 1, 1])
        self.assertEqual(rows.hosts["second"].tolist(), [False, False, True])
        self.assertEqual(rows.hosts["segment"].tolist(), [1, 2, 2])
        self.assertEqual(rows.hosts["address"]["family"].tolist(), [4, 6, 6])
        self.assertEqual(set(rows.hosts["site"].tolist()), {7})

    def test_an_address_of_a_family_that_the_segment_lacks_stands_in_its_only_row(self) -> None:
        rows = Claims.of(site(segments=[segment()], hosts=[("Office", "a", "2001:db8::9")]), 0)
        self.assertEqual(rows.hosts["segment"].tolist(), [0])

    def test_a_circuit_with_both_has_two_rows_and_a_gateway_on_the_link_says_nothing_of_the_subnet(self) -> None:
        rows = Claims.of(site(circuits=[circuit(address6="2001:db8:9::2", prefix6=64, gateway6="fe80::1")]), 0)
        self.assertEqual(rows.circuits["second"].tolist(), [False, True])
        self.assertEqual(rows.circuits["first"][1].tolist(), words(parse_address("2001:db8:9::")))
        alone = Claims.of(site(circuits=[circuit(gateway6="fe80::1", prefix6=64)]), 0)
        self.assertEqual(alone.circuits["first"]["family"].tolist(), [4, 0])

    def test_sizes_beyond_what_is_counted_are_bounded(self) -> None:
        rows = Claims.of(
            site(
                segments=[segment("Six", "2001:db8::/32", scope={"first": "2001:db8::1", "last": "2001:db8:ffff::1"})]
            ),
            0,
        )
        self.assertEqual((rows.segments["usable"].tolist(), rows.segments["leasable"].tolist()), ([MANY], [MANY]))

    def test_usable_ends_of_every_size(self) -> None:
        for text in (
            "10.0.0.0/8",
            "10.0.0.0/30",
            "10.0.0.0/31",
            "10.0.0.1/32",
            "0.0.0.0/0",
            "2001:db8::/64",
            "::/0",
            "::1/128",
        ):
            net = parse_network(text)[0]
            row = Claims.of(site(segments=[segment("x", text, gateway=None)]), 0).segments[0]
            ends = (net.first, net.last, net.usable.first, net.usable.last)
            self.assertEqual(
                [row[name].tolist() for name in ("first", "last", "usable_first", "usable_last")],
                [words(e) for e in ends],
            )
            self.assertEqual(row["usable"], min(net.usable.size, MANY), text)


class Joining(unittest.TestCase):
    def test_rows_that_belong_to_none_still_belong_to_none(self) -> None:
        one = Claims.of(site("A/1", [segment(resolvers=["gateway"])], circuits=[circuit()]), 0)
        joined = Claims.join([one, Claims.of(site("A/2", [segment(resolvers=["gateway"])], circuits=[circuit()]), 1)])
        self.assertEqual(joined.resolvers["segment"].tolist(), [0, -1, -1, 1, -1, -1])
        self.assertEqual(joined.resolvers["circuit"].tolist(), [-1, 0, 0, -1, 1, 1])

    def test_nothing_joined_is_nothing(self) -> None:
        empty = Claims.join([])
        self.assertEqual((len(empty.segments), empty.segments.dtype), (0, SEGMENT))
        self.assertEqual(ADDRESS["hi"].itemsize, 8)


class Numbers(unittest.TestCase):
    def test_groups_that_are_shared_count_once(self) -> None:
        labels = Labels()
        mine, theirs = dict(labels.groups(["a", "b", "c"])), dict(labels.groups(["b", "c", "d"]))
        self.assertEqual(sum(sign for label, sign in mine.items() if label in theirs), 1)
        self.assertEqual(len(mine), 7)

    def test_very_many_groups_stand_alone(self) -> None:
        names = [f"g{n}" for n in range(MANY_GROUPS + 1)]
        self.assertEqual([sign for _, sign in Labels().groups(names)], [1] * len(names))

    def test_a_line_is_a_network_and_its_gateway(self) -> None:
        labels, net = Labels(), Network(4, 10 << 24, 24)
        self.assertEqual(labels.line(net, None), -1)
        self.assertEqual(labels.line(net, net.first), labels.line(net, net.first))
        self.assertNotEqual(labels.line(net, net.first), labels.line(net, net.last))
