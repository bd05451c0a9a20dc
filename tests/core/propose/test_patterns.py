"""Patterns fitted to sites, sites held against theirs, newer versions taken, and many sites made at once."""

from __future__ import annotations

import itertools
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.organisation import Defaults, Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import PATTERNS, PatternUse, SitePlan
from octaplan.core.propose.patterns import departures, fit, pattern_of, sizes, take_newer
from octaplan.core.propose.rollout import roll_out, site_layout
from octaplan.core.propose.room import RoomError
from octaplan.core.values.addresses import Network, parse_network
from octaplan.demo.patterns import pattern
from tests import examples
from tests.support import segment, site

USE = PatternUse(key="shop-with-tills", version=1)


def block(text: str) -> Network:
    return parse_network(text)[0]


def shops(number: int, customer: str = "SHOP") -> list[SitePlan]:
    return [site(f"{customer}/S{n:02}", name=f"Shop {n}") for n in range(number)]


def made(
    number: int = 1, portfolio: Portfolio | None = None, blocks: str = "10.80.0.0/16", **more: Any
) -> list[SitePlan]:
    portfolio = Portfolio() if portfolio is None else portfolio
    return [one.plan for one in roll_out(portfolio, pattern(), USE, shops(number), [block(blocks)], **more)]


def patched(plan: SitePlan, *changes: tuple[str, Any]) -> SitePlan:
    return applied(plan, [{"op": "add", "path": path, "value": value} for path, value in changes])


class Fitting(unittest.TestCase):
    def test_everything_keeps_its_offset(self) -> None:
        plan = made()[0]
        office, voice = plan.segments["offc0"], plan.segments["voic0"]
        self.assertEqual((str(office.subnet), str(office.gateway)), ("10.80.0.128/26", "10.80.0.129"))
        self.assertEqual(str(office.scope.span), "10.80.0.150–10.80.0.190")
        self.assertEqual([str(kept.run) for kept in office.kept], ["10.80.0.140–10.80.0.145"])
        self.assertEqual(voice.scope.options, {"66": "10.80.0.194"})
        self.assertEqual(str(plan.hosts["phon0"].address), "10.80.0.194")
        self.assertEqual([str(r) for r in plan.segments["gues0"].resolvers], ["192.0.2.53", "192.0.2.54"])

    def test_what_the_pattern_leaves_out_is_as_usual_at_the_customer(self) -> None:
        bare = patched(
            pattern(),
            ("/segments/offc0/gateway", None),
            ("/segments/offc0/resolvers", []),
            ("/segments/offc0/scope", {"server": "edge"}),
        )
        usual = {
            "shop": {
                "gateway": "last",
                "domain": "shop.example",
                "resolvers": ["10.1.1.1"],
                "time_zone": "Europe/Paris",
            }
        }
        organisation = Organisation.model_validate({"customers": usual, "leave_fixed": 10})
        plans = [plan.model_copy(update={"time_zone": None}) for plan in shops(1)]
        plan = roll_out(Portfolio([], organisation), bare, USE, plans, [block("10.80.0.0/16")])[0].plan
        office = plan.segments["offc0"]
        self.assertEqual(
            (str(office.gateway), office.domain, plan.time_zone), ("10.80.0.190", "shop.example", "Europe/Paris")
        )
        self.assertEqual([str(r) for r in office.resolvers], ["10.1.1.1"])
        assert office.scope.span and office.subnet
        hosts = [host.address for host in plan.hosts.values() if host.segment == "offc0"]
        self.assertFalse(any(address and office.scope.span.holds(address) for address in hosts))
        self.assertIsNone(plan.segments["gues0"].domain)

    def test_a_last_gateway_stays_last_in_another_size(self) -> None:
        drawn = patched(pattern(), ("/segments/offc0/gateway", "10.128.0.190"))
        segments, _ = fit(drawn, {"offc0": block("10.9.0.0/24")}, Organisation(), Defaults())
        self.assertEqual(str(segments["offc0"].gateway), "10.9.0.254")
        self.assertEqual(list(segments), ["offc0"])

    def test_ipv6_takes_the_same_numbers_under_the_prefix_of_the_site(self) -> None:
        six = patched(
            pattern(),
            ("/delegated_prefix", "2001:db8:aa::/48"),
            ("/segments/offc0/subnet6", "2001:db8:aa:20::/64"),
            ("/segments/offc0/gateway6", "2001:db8:aa:20::1"),
        )
        subnets = {"offc0": block("10.9.0.0/26")}
        segments, _ = fit(six, subnets, Organisation(), Defaults(), block("2001:db8:40::/48"))
        office = segments["offc0"]
        self.assertEqual((str(office.subnet6), str(office.gateway6)), ("2001:db8:40:20::/64", "2001:db8:40:20::1"))
        self.assertIsNone(fit(six, subnets, Organisation(), Defaults())[0]["offc0"].subnet6)

    def test_a_pattern_is_made_like_a_site_and_makes_it_again(self) -> None:
        before = made()[0]
        again = pattern_of(before, "again", "Again", Defaults())
        self.assertEqual((again.customer, again.groups), (PATTERNS, []))
        subnets = {key: s.subnet for key, s in before.segments.items() if s.subnet}
        segments, hosts = fit(again, subnets, Organisation(), Defaults())
        told = {k: s.model_copy(update={"order": None}) for k, s in segments.items()}
        self.assertEqual(told, {k: s.model_copy(update={"order": None}) for k, s in before.segments.items()})
        self.assertEqual(hosts, before.hosts)

    def test_a_pattern_without_sizes_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(RoomError, "no segments yet"):
            sizes(site(f"{PATTERNS}/x"))
        with self.assertRaisesRegex(RoomError, "Office of the pattern has no IPv4 subnet"):
            sizes(site(f"{PATTERNS}/x", segments=[segment(subnet=None)]))


class Departing(unittest.TestCase):
    def told(self, plan: SitePlan) -> list[str]:
        return [str(change) for change in departures(pattern(), plan, Organisation())]

    def test_a_site_as_made_departs_in_nothing(self) -> None:
        self.assertEqual(self.told(made()[0]), [])

    def test_every_sort_of_departure_is_told(self) -> None:
        plan = made()[0]
        self.assertEqual(self.told(patched(plan, ("/segments/offc0/vlan", 11))), ["Office VLAN 10 → 11"])
        away = applied(plan, [{"op": "remove", "path": f"/hosts/{key}"} for key in ("till1", "till2")])
        away = applied(away, [{"op": "remove", "path": "/segments/till0"}])
        self.assertEqual(self.told(away), ["Removed segment Tills"])
        extra = segment("Lab", "10.99.0.0/24")
        self.assertEqual(self.told(patched(plan, ("/segments/labo0", extra))), ["Added segment Lab"])
        smaller = patched(plan, ("/segments/came0/subnet", "10.80.1.0/28"))
        self.assertIn("Cameras size /27 → /28", self.told(smaller))

    def test_own_hosts_and_macs_are_no_departures(self) -> None:
        plan = patched(made()[0], ("/hosts/prin1/mac", "02:00:00:00:00:01"))
        self.assertEqual(self.told(plan), [])
        own = {"segment": "offc0", "name": "scanner", "address": "10.80.0.147"}
        self.assertEqual(self.told(patched(plan, ("/hosts/scan0", own))), [])


class TakingNewer(unittest.TestCase):
    def newer(self, plan: SitePlan, new: SitePlan, old: SitePlan | None = None) -> tuple[SitePlan, list[str]]:
        portfolio = Portfolio([plan])
        proposal = take_newer(portfolio, plan, old or pattern(), new, PatternUse(key="shop-with-tills", version=2))
        return applied(plan, proposal.operations), proposal.lost

    def test_changes_of_the_pattern_come_and_departures_stay(self) -> None:
        new = patched(
            pattern(),
            ("/segments/offc0/vlan", 110),
            ("/segments/voic0/vlan", 120),
            ("/segments/offc0/scope/last", "10.128.0.180"),
            ("/hosts/prin1/name", "printer A"),
        )
        plan = patched(made()[0], ("/segments/voic0/vlan", 21))
        after, lost = self.newer(plan, new)
        self.assertEqual((after.segments["offc0"].vlan, after.segments["voic0"].vlan), (110, 21))
        self.assertEqual(str(after.segments["offc0"].scope.last), "10.80.0.180")
        self.assertEqual(
            (after.hosts["prin1"].name, after.pattern), ("printer A", PatternUse(key="shop-with-tills", version=2))
        )
        self.assertEqual(lost, ["Voice vlan stays 21: the pattern now has 120"])
        self.assertEqual([str(d) for d in departures(new, after, Organisation())], ["Voice VLAN 120 → 21"])

    def test_a_new_segment_finds_room_and_a_larger_one_moves(self) -> None:
        fresh = segment("Lockers", "10.128.2.0/28", vlan=60, scope={"server": "none"})
        new = patched(
            pattern(),
            ("/segments/lock0", fresh),
            ("/hosts/lock1", {"segment": "lock0", "name": "locker 1", "address": "10.128.2.4"}),
            ("/segments/mana0/subnet", "10.128.3.0/27"),
            ("/segments/mana0/gateway", "10.128.3.1"),
            ("/hosts/swit0/address", "10.128.3.2"),
        )
        after, lost = self.newer(made()[0], new)
        lockers, management = after.segments["lock0"], after.segments["mana0"]
        assert lockers.subnet and lockers.gateway and management.subnet
        self.assertEqual((lockers.subnet.prefix, management.subnet.prefix), (28, 27))
        self.assertEqual(lockers.gateway.value - lockers.subnet.value, 1)
        self.assertEqual(after.hosts["lock1"].address, lockers.subnet.first.plus(4))
        self.assertEqual(after.hosts["swit0"].address, management.subnet.first.plus(2))
        self.assertTrue(any("Management moves from" in line for line in lost))
        self.assertEqual(departures(new, after, Organisation()), [])
        self.assertEqual([f for f in Portfolio([after]).check(after) if f.rule.startswith("overlap")], [])

    def test_a_stop_that_it_would_bring_is_told(self) -> None:
        new = patched(pattern(), ("/segments/offc0/scope/last", "10.128.0.254"))
        plan = patched(made()[0], ("/segments/offc0/subnet", "10.80.0.128/27"))
        lost = self.newer(plan, new)[1]
        self.assertTrue(any(line.startswith("It brings a stop: ") for line in lost), lost)

    def test_what_is_gone_from_either_is_told(self) -> None:
        without = applied(pattern(), [{"op": "remove", "path": f"/hosts/{k}"} for k in ("till1", "till2")])
        without = applied(without, [{"op": "remove", "path": "/segments/till0"}])
        after, lost = self.newer(made()[0], without)
        self.assertIn("till0", after.segments)
        self.assertTrue(any(line.startswith("Tills is no part of the pattern any more") for line in lost))
        bare = applied(made()[0], [{"op": "remove", "path": "/segments/came0"}])
        after, lost = self.newer(bare, patched(pattern(), ("/segments/came0/vlan", 31)))
        self.assertNotIn("came0", after.segments)
        self.assertIn("Cameras was removed here, and stays away", lost)


class RollingOut(unittest.TestCase):
    def test_forty_sites_without_a_stop(self) -> None:
        plans = made(40)
        findings = Portfolio(plans).check_all()
        self.assertEqual([f for f in findings if f.severity == "stop"], [])
        self.assertEqual(len({s.subnet for plan in plans for s in plan.segments.values()}), 240)
        self.assertEqual({plan.pattern for plan in plans}, {USE})

    def test_reserved_and_taken_parts_are_left_alone(self) -> None:
        there = site("SHOP/OLD", segments=[segment(subnet="10.80.0.0/24", reach="local")])
        plans = made(3, Portfolio([there]), reserved=[block("10.80.2.0/23")])
        firsts = sorted(str(plan.segments["gues0"].subnet) for plan in plans)
        self.assertEqual(firsts, ["10.80.4.0/25", "10.80.6.0/25", "10.80.8.0/25"])
        usual = Organisation.model_validate({"customers": {"SHOP": {"reserved": ["10.80.0.0/20"]}}})
        self.assertEqual(str(made(1, Portfolio([], usual))[0].segments["gues0"].subnet), "10.80.16.0/25")

    def test_room_to_grow(self) -> None:
        self.assertEqual([site_layout(pattern(), growth).prefix for growth in (0, 1, 2)], [23, 22, 21])
        plans = made(2, growth=1)
        self.assertEqual(str(plans[1].segments["gues0"].subnet), "10.80.4.0/25")

    def test_what_does_not_fit_is_said_with_what_would(self) -> None:
        with self.assertRaisesRegex(
            RoomError,
            r"40 sites take a /22 each, 40,960 addresses in all; 10.80.0.0/18 has room for 16 "
            r"of them, so 24 are missing. What would do: add a block of /17 or larger, or take 16 sites now",
        ):
            made(40, blocks="10.80.0.0/18", growth=1)
        with self.assertRaisesRegex(RoomError, "leave less room to grow"):
            made(30, blocks="10.80.0.0/18", growth=1)
        with self.assertRaisesRegex(RoomError, "has room for 0 of them"):
            made(1, blocks="10.80.0.0/24")

    def test_drawn_apart_is_laid_out_close(self) -> None:
        apart = patched(pattern(), ("/segments/came0/subnet", "10.129.0.0/27"))
        layout = site_layout(apart)
        self.assertEqual(layout.prefix, 23)
        self.assertEqual(len({offset for offset, _ in layout.offsets.values()}), 6)

    @examples(60)
    @given(
        prefixes=st.lists(st.integers(22, 30), min_size=1, max_size=8),
        number=st.integers(1, 12),
        growth=st.integers(0, 2),
        taken=st.lists(st.integers(0, 4095), max_size=6),
    )
    def test_any_pattern_lies_apart_at_its_sites(
        self, prefixes: list[int], number: int, growth: int, taken: list[int]
    ) -> None:
        """Whatever is drawn and taken: every segment inside its site's run, no two anywhere overlapping."""
        drawn = [Network(4, (10 << 24) + (n << 12), prefix) for n, prefix in enumerate(prefixes)]
        like = site(
            "X/Y", segments=[segment(f"S{n}", str(net), gateway=None, role="isolated") for n, net in enumerate(drawn)]
        )
        there = [
            segment(f"T{n}", f"10.80.{v >> 4}.{(v & 15) << 4}/28", gateway=None, role="isolated")
            for n, v in enumerate(dict.fromkeys(taken))
        ]
        portfolio = Portfolio([site("SHOP/OLD", segments=there)])
        blocks = [block("10.80.0.0/16")]
        try:
            out = roll_out(portfolio, like, USE, shops(number), blocks, growth=growth)
        except RoomError:
            return
        nets = [(s.subnet, one.run) for one in out for s in one.plan.segments.values()]
        self.assertTrue(all(net and run.holds(net.first) and run.holds(net.last) for net, run in nets))
        own = [s.subnet for s in portfolio.plans[0].segments.values()]
        spans = sorted((net.value, net.last.value) for net in [*(net for net, _ in nets), *own] if net)
        self.assertTrue(all(a[1] < b[0] for a, b in itertools.pairwise(spans)))
