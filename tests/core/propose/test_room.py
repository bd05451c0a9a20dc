"""Room: what is free, next subnets, VLSM, next hosts and ranges."""

from __future__ import annotations

import ipaddress
import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.organisation import Organisation
from octaplan.core.propose.room import (
    Free,
    Room,
    RoomError,
    Want,
    fixed_in,
    lay_out,
    next_host,
    next_vlan,
    numbered_subnet,
    prefix_for,
    range_for,
    range_leaving,
)
from octaplan.core.values.addresses import Address, MaskError, Network, Span, parse_address, parse_network, parse_range
from tests import examples
from tests.core.check.test_rules import served
from tests.support import circuit, segment, site


def net(text: str) -> Network:
    return parse_network(text)[0]


@st.composite
def blocks(draw: st.DrawFn) -> tuple[Network, list[Span]]:
    """A small block at either end of a family, and runs that may lie in it, beside it and over its ends."""
    text = draw(
        st.sampled_from(
            ["10.0.0.0/26", "0.0.0.0/26", "255.255.255.192/26", "2001:db8::/58", "ffff:ffff:ffff:ffc0::/58"]
        )
    )
    block = net(text)
    unit = 1 if block.family == 4 else 1 << 64
    top = (1 << (32 if block.family == 4 else 128)) - 1
    runs = []
    for first, last in draw(st.lists(st.tuples(st.integers(-3, 66), st.integers(-3, 66)), max_size=8)):
        low = min(max(block.value + first * unit, 0), top)
        high = min(max(block.value + last * unit + unit - 1, 0), top)
        runs.append(Span(Address(block.family, low), Address(block.family, high)))
    return block, runs


class FreeSpace(unittest.TestCase):
    @given(blocks())
    @examples(300)
    def test_free_prefixes_are_what_is_left_aligned_and_maximal(self, given_block: tuple[Network, list[Span]]) -> None:
        block, runs = given_block
        unit = 1 if block.family == 4 else 1 << 64
        units = {block.value + n * unit for n in range(64)}
        for run in runs:
            units -= {value for value in units if run.first.value < value + unit and value <= run.last.value}
        free = Free(block, runs)
        found = free.prefixes()
        self.assertEqual(
            sorted(value for n in found for value in range(n.value, n.value + n.size, unit)), sorted(units)
        )
        self.assertEqual(free.size, len(units) * unit)
        make: Any = ipaddress.IPv4Network if block.family == 4 else ipaddress.IPv6Network
        nets = [make((n.value, n.prefix)) for n in found]  # raises when one is not aligned
        self.assertEqual(list(ipaddress.collapse_addresses(nets)), nets)

    @given(blocks(), st.integers(0, 7), st.integers(-5, 70))
    @examples(300)
    def test_the_nearest_free_subnet_is_the_nearest(
        self, given_block: tuple[Network, list[Span]], longer: int, wanted: int
    ) -> None:
        block, runs = given_block
        prefix = min(block.prefix + longer, 32 if block.family == 4 else 64)
        near = Address(block.family, max(0, block.value + wanted * (1 if block.family == 4 else 1 << 64)))
        near = min(near, Address(block.family, (1 << (32 if block.family == 4 else 128)) - 1))
        size = 1 << ((32 if block.family == 4 else 128) - prefix)
        every = [
            value
            for value in range(block.value, block.value + block.size, size)
            if not any(run.size and run.first.value < value + size and value <= run.last.value for run in runs)
        ]
        found = Free(block, runs).subnets(prefix, near)
        self.assertEqual(len(found), 1 if every else 0)
        if found:
            home = near.value // size * size
            self.assertIn(found[0].value, every)
            self.assertEqual(abs(found[0].value - home), min(abs(value - home) for value in every))

    def test_addresses_as_columns_say_the_same(self) -> None:
        block, runs = net("10.0.0.0/24"), [parse_range("10.0.0.0-10.0.0.63"), parse_range("10.0.0.200 + 8")]
        from octaplan.core.check.claims import Addresses

        columns = (Addresses.listed([getattr(run, end) for run in runs]) for end in ("first", "last"))
        self.assertEqual(Free.among(block, *columns).prefixes(), Free(block, runs).prefixes())
        self.assertEqual(Free(block, runs).first.dtype, np.uint64)

    def test_what_cannot_be_asked_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(RoomError, "smaller than a /64"):
            Free(net("2001:db8::/80"), [])
        with self.assertRaisesRegex(MaskError, "write /24 to /32"):
            Free(net("10.0.0.0/24"), []).subnets(33)
        self.assertEqual(Free(net("10.0.0.0/24"), []).subnets(23), [])

    def test_runs_of_the_other_family_take_nothing(self) -> None:
        free = Free(net("10.0.0.0/24"), [net("2001:db8::/32")])
        self.assertEqual(free.prefixes(), [net("10.0.0.0/24")])


class LayingOut(unittest.TestCase):
    def test_the_largest_first_each_in_the_tightest_gap(self) -> None:
        wants = [Want("voice", 20), Want("office", 100), Want("link", prefix=30), Want("guest", 60)]
        given_subnets = lay_out(net("10.40.8.0/24"), wants)
        self.assertEqual(
            {g.want.name: str(g.subnet) for g in given_subnets},
            {"voice": "10.40.8.192/27", "office": "10.40.8.0/25", "link": "10.40.8.224/30", "guest": "10.40.8.128/26"},
        )
        self.assertEqual([g.want for g in given_subnets], wants)

    def test_growth_is_added_and_what_is_taken_left_out(self) -> None:
        self.assertEqual(
            str(lay_out(net("10.40.8.0/23"), [Want("office", 110)], [net("10.40.8.0/25")], 25)[0].subnet),
            "10.40.9.0/24",
        )

    def test_what_does_not_fit_is_told_with_what_is_missing(self) -> None:
        with self.assertRaisesRegex(
            RoomError, r"c \(/25\) does not fit into 10.40.8.0/24: 384 addresses are wanted, 256 of 256"
        ):
            lay_out(net("10.40.8.0/24"), [Want(name, 100) for name in "abc"])
        with self.assertRaisesRegex(RoomError, "every segment takes a /64"):
            lay_out(net("2001:db8::/48"), [Want("a", 1)])

    @given(st.lists(st.integers(0, 60), max_size=8), blocks())
    @examples(200)
    def test_what_is_given_is_free_apart_and_large_enough(
        self, hosts: list[int], given_block: tuple[Network, list[Span]]
    ) -> None:
        runs = [run for run in given_block[1] if run.first.family == 4]
        block = net("10.0.0.0/24")
        try:
            laid = lay_out(block, [Want(str(n), h) for n, h in enumerate(hosts)], runs)
        except RoomError as error:
            self.assertIn("does not fit", str(error))
            return
        taken: set[int] = {v for run in runs for v in range(run.first.value, run.last.value + 1)}
        for want, subnet in laid:
            mine = set(range(subnet.value, subnet.value + subnet.size))
            self.assertTrue(block.holds(subnet.first) and block.holds(subnet.last))
            self.assertFalse(mine & taken)
            self.assertGreaterEqual(subnet.usable.size, want.hosts + 1)
            taken |= mine

    def test_arguments_that_cannot_be_are_refused_in_words(self) -> None:
        for prefix in (-1, 33):
            with self.assertRaisesRegex(MaskError, "write /0 to /32"):
                lay_out(net("10.40.8.0/24"), [Want("a", prefix=prefix)])
        with self.assertRaisesRegex(RoomError, "0 or more"):
            lay_out(net("10.40.8.0/24"), [Want("a", 5)], growth=-1)
        with self.assertRaisesRegex(RoomError, "write 0 or more"):
            range_leaving(site(segments=[segment()]).segments["seg0"], -1, [], Organisation())
        with self.assertRaisesRegex(RoomError, "no subnet yet"):
            range_for(site(segments=[segment(subnet=None)]).segments["seg0"], 5, [], Organisation())
        self.assertEqual(lay_out(net("10.40.8.0/24"), []), [])

    def test_sizes_for_hosts(self) -> None:
        self.assertEqual([prefix_for(n) for n in (0, 1, 2, 5, 6, 253, 254)], [30, 30, 29, 29, 28, 24, 23])
        self.assertEqual(prefix_for(200, 30), 23)
        for wrong in (-1, 1 << 33):
            with self.assertRaises(RoomError):
                prefix_for(wrong)


class Sites(unittest.TestCase):
    def room(self, *sites: Any, **organisation: Any) -> Room:
        return Room(Portfolio(sites, Organisation(**organisation)), sites[0])

    def test_the_customers_block_or_the_private_block_the_site_is_in(self) -> None:
        plan = site("F/1", [segment("x", "192.168.7.0/24")])
        self.assertEqual(self.room(plan, blocks={"f": ["10.40.0.0/16"]}).blocks(), [net("10.40.0.0/16")])
        self.assertEqual(self.room(plan).blocks(), [net("192.168.0.0/16")])
        self.assertEqual(self.room(site("F/2")).blocks(), [net("10.0.0.0/8")])
        self.assertEqual(self.room(plan).blocks(6), [])

    def test_what_a_customer_has_whose_block_is_shared_is_not_taken(self) -> None:
        theirs = site("QUAY/OVEN", segments=[segment(subnet="10.40.0.0/25")])
        mine = site("FERN/DOCK", segments=[])
        for blocks, taken in (({}, "10.40.0.0/25"), ({"quay": ["10.40.0.0/20"]}, "10.40.0.128/25")):
            organisation = Organisation.model_validate({"blocks": {"fern": ["10.40.0.0/16"], **blocks}})
            room = Room(Portfolio([mine, theirs], organisation), mine)
            self.assertEqual(str(room.next_subnets(25)[0]), taken)

    def test_candidates_come_nearest_first_one_from_each_gap(self) -> None:
        plan = site("F/1", [segment("a", "10.40.0.0/24"), segment("b", "10.40.2.0/24")])
        found = self.room(plan, blocks={"F": ["10.40.0.0/21"]}).next_subnets(24, most=3)
        self.assertEqual([str(subnet) for subnet in found], ["10.40.1.0/24", "10.40.3.0/24"])

    def test_a_site_of_no_group_minds_nobody_elsewhere(self) -> None:
        alone = site("F/1", reach_groups=[])
        self.assertEqual(
            str(
                self.room(
                    alone, site("F/2", [segment("x", "10.40.0.0/24")]), blocks={"F": ["10.40.0.0/16"]}
                ).next_subnets(24)[0]
            ),
            "10.40.0.0/24",
        )

    def test_numbers_of_ipv6_subnets(self) -> None:
        plan = site("F/1", [segment(subnet6="2001:db8:40:1::/64")], delegated_prefix="2001:db8:40::/48")
        other = site("F/2", [segment("x", "10.9.0.0/24", subnet6="2001:db8:40:2::/64")])
        self.assertEqual(self.room(plan, other).next_number(), 3)
        self.assertEqual(str(numbered_subnet(net("2001:db8:40:fff0::/60"), 15)), "2001:db8:40:ffff::/64")
        for prefix, number in (("2001:db8:40::/60", 16), ("2001:db8:40::/72", 0), ("10.0.0.0/8", 0)):
            with self.assertRaises(RoomError):
                numbered_subnet(net(prefix), number)


class HostsAndRanges(unittest.TestCase):
    def test_the_next_host_is_outside_ranges_kept_runs_and_what_is_held(self) -> None:
        kept = [{"kind": "printer", "run": "10.40.8.2-10.40.8.9"}]
        plan = site(
            segments=[served("10.40.8.11", "10.40.8.99", kept=kept)],
            hosts=[("Office", "a", "10.40.8.10"), ("Office", "b", "10.40.8.2")],
        )
        first, last = Organisation(), Organisation(hosts="last")
        self.assertEqual(str(next_host(plan, "seg0", first)), "10.40.8.100")
        self.assertEqual(str(next_host(plan, "seg0", last)), "10.40.8.254")
        self.assertEqual(str(next_host(plan, "seg0", first, "Printer")), "10.40.8.3")
        self.assertEqual(str(next_host(plan, "seg0", first, "printer", but="host1")), "10.40.8.2")

    def test_a_full_segment_has_no_next_host(self) -> None:
        plan = site(segments=[segment(subnet="10.40.8.0/30")], hosts=[("Office", "a", "10.40.8.2")])
        self.assertIsNone(next_host(plan, "seg0", Organisation()))
        self.assertIsNone(next_host(site(segments=[segment(subnet=None)]), "seg0", Organisation()))

    def test_no_next_host_lies_in_a_range(self) -> None:
        full, most = ({"first": "10.40.8.2", "last": f"10.40.8.{last}"} for last in (254, 253))
        self.assertIsNone(next_host(site(segments=[segment(scope=full)]), "seg0", Organisation()))
        self.assertEqual(str(next_host(site(segments=[segment(scope=most)]), "seg0", Organisation())), "10.40.8.254")

    def test_ranges_by_what_is_left_and_by_clients(self) -> None:
        plan = site(segments=[segment()], hosts=[("Office", "a", "10.40.8.5")])
        office, fixed = plan.segments["seg0"], fixed_in(plan, "seg0")
        self.assertEqual(str(range_leaving(office, 20, fixed, Organisation())), "10.40.8.21–10.40.8.254")
        self.assertEqual(str(range_leaving(office, 0, fixed, Organisation(hosts="last"))), "10.40.8.6–10.40.8.254")
        self.assertEqual(str(range_for(office, 100, fixed, Organisation())), "10.40.8.155–10.40.8.254")
        self.assertEqual(str(range_for(office, 100, fixed, Organisation(hosts="last"))), "10.40.8.6–10.40.8.105")
        for wrong in (lambda: range_for(office, 250, fixed, Organisation()), lambda: range_for(office, 0, fixed, Organisation()),
                      lambda: range_leaving(office, 254, fixed, Organisation())):  # fmt: skip
            with self.assertRaises(RoomError):
                wrong()

    @given(
        st.integers(0, 40),
        st.sets(st.integers(0, 31), max_size=20),
        st.sampled_from(["first", "last"]),
        st.sampled_from([None, 1, 9, 30]),
    )
    @examples(200)
    def test_a_range_that_leaves_so_many_does(
        self, leave: int, taken: set[int], side: Any, gateway: int | None
    ) -> None:
        base = parse_address("10.40.8.0")
        office = site(
            segments=[segment(subnet="10.40.8.0/27", gateway=str(base.plus(gateway)) if gateway else None)]
        ).segments["seg0"]
        hosts = [base.plus(n) for n in taken]
        try:
            span = range_leaving(office, leave, hosts, Organisation(hosts=side))
        except RoomError:
            return
        usable = net("10.40.8.0/27").usable
        self.assertTrue(usable.holds(span.first) and usable.holds(span.last) and span.size > 0)
        self.assertFalse(
            any(span.holds(address) for address in [*hosts, *([office.gateway] if office.gateway else [])])
        )
        self.assertGreaterEqual(usable.size - span.size, min(leave, usable.size - 1))

    def test_the_next_vlan(self) -> None:
        plan = site(segments=[segment(vlan=10), segment("Lab", "10.41.0.0/24", vlan=30)], circuits=[circuit()])
        self.assertEqual((next_vlan(plan), next_vlan(plan, "seg0")), (20, 10))


class Candidates(unittest.TestCase):
    @given(blocks(), st.integers(0, 6), st.integers(0, 63))
    def test_they_are_the_nearest_of_all_that_are_free(
        self, made: tuple[Network, list[Span]], longer: int, at: int
    ) -> None:
        block, taken = made
        free = Free(block, taken)
        unit = 1 if block.family == 4 else 1 << 64
        near = Address(block.family, block.value + at * unit)
        prefix = block.prefix + longer
        every = [
            Network(block.family, net.value + offset, prefix)
            for net in free.prefixes()
            if net.prefix <= prefix
            for offset in range(0, net.size, block.size >> longer)
        ]
        expected = sorted(every, key=lambda net: abs(net.value - near.value))[:5]
        found = free.candidates(prefix, near, 5)
        self.assertLessEqual(set(found), set(every))
        self.assertEqual(
            [abs(net.value - near.value) for net in found], [abs(net.value - near.value) for net in expected]
        )
