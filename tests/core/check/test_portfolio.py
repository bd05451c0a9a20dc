from __future__ import annotations

import unittest
from random import Random
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import in_order
from octaplan.core.plan.site import SitePlan
from tests import examples
from tests.support import circuit, found, segment, site

octets = st.integers(0, 3)
addresses = st.one_of(st.none(), octets.flatmap(lambda a: st.integers(0, 16).map(lambda b: f"10.0.{a}.{b}")))
SIX = [None, "2001:db8:1:1::/64", "2001:db8:1:1::/60", "2001:db8:2::/64"]
six_addresses = st.sampled_from([None, "2001:db8:1:1::1", "2001:db8:1:1::9", "fe80::1"])
kept = st.sampled_from([[], [{"kind": "printer", "run": "10.0.0.4-10.0.0.6"}]])
resolvers = st.sampled_from([[], ["gateway"], ["10.0.0.1", "gateway"], ["10.0.1.7"], ["192.0.2.53"]])


@st.composite
def plans(draw: st.DrawFn, name: str = "") -> SitePlan:
    """A small plan in which nearly everything may be wrong."""
    segments = []
    for number in range(draw(st.integers(0, 3))):
        first, last, gateway = draw(addresses), draw(addresses), draw(addresses)
        subnet = draw(
            st.sampled_from([None, "10.0.0.0/28", "10.0.1.0/28", "10.0.0.0/22", "10.0.0.0/31", "2001:db8::/64"])
        )
        scope: dict[str, Any] = {
            "first": first,
            "last": last,
            "excluded": draw(st.sampled_from([[], ["10.0.0.4-10.0.0.6"]])),
        }
        segments.append(
            segment(
                f"s{number}",
                subnet,
                gateway=gateway,
                scope=scope,
                vlan=draw(st.sampled_from([None, 10, 20])),
                role=draw(st.sampled_from(["office", "guest", "transit"])),
                vrf=draw(st.sampled_from(["main", "lab"])),
            )
        )
    hosts = [
        {
            "segment": draw(st.sampled_from(segments))["label"],
            "name": f"h{number}",
            "address": draw(addresses),
            "mac": draw(st.sampled_from([None, "02:00:00:00:00:01", "02:00:00:00:00:02"])),
            "method": draw(st.sampled_from(["static", "reserved"])),
        }
        for number in range(draw(st.integers(0, 4)) if segments else 0)
    ]
    for member in segments:
        if draw(st.booleans()):
            member |= {"subnet6": draw(st.sampled_from(SIX)), "gateway6": draw(six_addresses), "kept": draw(kept)}
            member |= {"expected_hosts": draw(st.sampled_from([None, 3, 200])), "resolvers": draw(resolvers)}
            member["scope"]["server"] = draw(st.sampled_from(["edge", "none", "10.0.0.9"]))
            member["domain"] = draw(st.sampled_from([None, "a.local", "shop.net", "x.internal"]))
    for member in hosts:
        member |= {"address6": draw(six_addresses), "kind": draw(st.sampled_from([None, "printer"]))}
    circuits = [
        circuit(
            f"c{number}",
            draw(addresses),
            gateway=draw(addresses),
            prefix=draw(st.sampled_from([None, 28, 30])),
            handoff=draw(st.sampled_from([None, "static", "pppoe"])),
            routed_blocks=draw(st.sampled_from([[], ["10.0.1.0/28"], ["2001:db8:1::/48"]])),
            address6=draw(six_addresses),
            prefix6=draw(st.sampled_from([None, 64])),
            modem_subnet=draw(st.sampled_from([None, "10.0.0.0/28"])),
        )
        for number in range(draw(st.integers(0, 2)))
    ]
    groups = draw(st.sampled_from([None, [], ["a"], ["a", "b"], ["b"], ["a", "b", "c"], [*"abcdefg"]]))
    name = name or f"F/{draw(st.integers(0, 9))}"
    more = {"delegated_prefix": draw(st.sampled_from([None, "2001:db8:1::/48", "2001:db8::/32"]))}
    return site(name, segments, hosts, circuits, reach_groups=groups, **more)


portfolios = st.lists(plans(), max_size=5, unique_by=lambda plan: plan.key)


class Checking(unittest.TestCase):
    @given(portfolios)
    @examples(150)
    def test_one_site_alone_finds_what_the_whole_check_finds(self, every: list[SitePlan]) -> None:
        portfolio = Portfolio(every)
        alone = [finding for plan in every for finding in portfolio.check(plan)]
        self.assertEqual(in_order(alone), portfolio.check_all())

    @given(portfolios, plans("F/0"))
    @examples(100)
    def test_a_draft_is_checked_as_if_it_were_saved(self, every: list[SitePlan], draft: SitePlan) -> None:
        portfolio = Portfolio(every)
        before = portfolio.check(draft)
        portfolio.put(draft)
        self.assertEqual(before, portfolio.check(draft))

    @given(portfolios, plans("F/0"))
    @examples(100)
    def test_only_the_sites_that_a_change_touches_find_something_else(
        self, every: list[SitePlan], draft: SitePlan
    ) -> None:
        portfolio = Portfolio(every)
        old = portfolio.get(draft.key)
        before = {plan.key: portfolio.check(plan) for plan in every}
        touched = portfolio.touched_by([old]) if old else set()
        portfolio.put(draft)
        touched |= portfolio.touched_by([draft])
        for plan in portfolio:
            if plan.key not in touched | {draft.key}:
                self.assertEqual(portfolio.check(plan), before[plan.key])

    @given(st.lists(plans("F/0"), min_size=1, max_size=4), portfolios)
    @examples(80)
    def test_a_portfolio_that_sites_came_to_and_left_finds_what_a_new_one_does(
        self, drafts: list[SitePlan], every: list[SitePlan]
    ) -> None:
        portfolio = Portfolio(every)
        for draft in drafts:  # the index is kept, and one site's claims are exchanged in it each time
            portfolio.put(draft)
            self.assertEqual(portfolio.check(draft), Portfolio(portfolio).check(draft))
        for plan in every[:2]:
            portfolio.remove(plan.key)
            self.assertEqual(portfolio.check(drafts[0]), Portfolio(portfolio).check(drafts[0]))
        self.assertEqual(portfolio.check_all(), Portfolio(portfolio).check_all())

    @given(portfolios, st.randoms(use_true_random=False))
    @examples(60)
    def test_many_are_checked_at_once_as_one_by_one_in_whatever_order(
        self, every: list[SitePlan], chance: Random
    ) -> None:
        portfolio = Portfolio(every)
        some = list(portfolio)
        chance.shuffle(some)
        some = some[: 1 + len(some) // 2]
        one_by_one = [finding for plan in some for finding in portfolio.check(plan)]
        self.assertCountEqual(portfolio.check_many(some), one_by_one)

    @given(st.lists(plans("F/0"), min_size=1, max_size=3), portfolios)
    @examples(60)
    def test_what_is_tried_on_a_fork_is_not_seen_elsewhere(self, drafts: list[SitePlan], every: list[SitePlan]) -> None:
        portfolio = Portfolio(every)
        before = portfolio.check_all()
        portfolio.frozen = True
        for draft in drafts:
            fork = portfolio.fork()
            fork.put(draft)
            self.assertEqual(fork.check_all(), Portfolio(fork).check_all())
            self.assertEqual(fork.check(draft), Portfolio(fork).check(draft))
            self.assertEqual(portfolio.check_all(), before)
            with self.assertRaises(RuntimeError):
                portfolio.put(draft)
        self.assertEqual(portfolio.check_all(), before)

    @given(plans())
    def test_one_finding_per_rule_and_subject(self, plan: SitePlan) -> None:
        keys = [(f.rule, f.path, f.subject, f.field, f.addresses) for f in found(plan)]
        self.assertEqual(len(keys), len(set(keys)))


class Keeping(unittest.TestCase):
    def test_sites_come_and_go(self) -> None:
        portfolio = Portfolio([site("F/1", [segment()]), site("F/2", [segment()])])
        self.assertEqual(len(portfolio.check_all()), 2)
        self.assertEqual(portfolio.touched_by([portfolio.get("f/1")]), {"f/2"})
        portfolio.remove("F/2")
        self.assertEqual(portfolio.check_all(), [])
        self.assertEqual(len(portfolio), 1)
        self.assertIsNone(portfolio.get("F/2"))
        portfolio.put(site("f/3", [segment()]))
        self.assertEqual(len(portfolio.check_all()), 2)

    def test_when_much_has_changed_the_order_is_made_anew(self) -> None:
        every = [site(f"F/{n}", [segment("a", f"10.{n}.0.0/24")]) for n in range(100)]
        portfolio = Portfolio(every)
        portfolio.check(every[0])
        for n in range(100):
            portfolio.put(site(f"F/{n}", [segment("a", f"10.{n // 2}.8.0/24")]))
        found = [f for f in portfolio.check_all() if f.rule == "overlap-reach"]
        self.assertEqual(len(found), 100)
        self.assertEqual(len(portfolio.shared("subnets")), 100)

    def test_a_site_that_left_and_came_back_has_its_old_number(self) -> None:
        portfolio = Portfolio([site("F/1", [segment()]), site("F/2", [segment()])])
        number = portfolio.number(site("F/1"))
        portfolio.remove("f/1")
        portfolio.put(site("F/1", [segment()]))
        self.assertEqual(portfolio.touched_by([site("F/1", [segment()])]), {"f/2"})
        self.assertEqual(portfolio.number(site("F/1")), number)
        self.assertEqual(len([f for f in portfolio.check_all() if f.rule == "overlap-reach"]), 2)
        with self.assertRaises(KeyError):
            portfolio.remove("f/9")

    def test_routed_blocks_and_hand_offs_touch_each_other(self) -> None:
        one = site("A/1", circuits=[circuit(routed_blocks=["198.51.100.0/24"])])
        other = site("B/1", circuits=[circuit("y", "198.51.100.18", gateway="198.51.100.17")])
        portfolio = Portfolio([one, other])
        self.assertEqual(portfolio.touched_by([one]), {"b/1"})
        self.assertEqual(portfolio.touched_by([other]), {"a/1"})

    def test_an_empty_portfolio_has_nothing_to_say(self) -> None:
        self.assertEqual(Portfolio().check_all(), [])
        self.assertEqual(found(site()), [])
