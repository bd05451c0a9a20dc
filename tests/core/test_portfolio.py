from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from octaplan.core.findings import in_order
from octaplan.core.plan import SitePlan
from octaplan.core.portfolio import Portfolio
from tests.support import circuit, found, segment, site

octets = st.integers(0, 3)
addresses = st.one_of(st.none(), octets.flatmap(lambda a: st.integers(0, 16).map(lambda b: f"10.0.{a}.{b}")))


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
    circuits = [
        circuit(
            f"c{number}",
            draw(addresses),
            gateway=draw(addresses),
            prefix=draw(st.sampled_from([None, 28, 30])),
            handoff=draw(st.sampled_from([None, "static", "pppoe"])),
            routed_blocks=draw(st.sampled_from([[], ["10.0.1.0/28"]])),
        )
        for number in range(draw(st.integers(0, 2)))
    ]
    groups = draw(st.sampled_from([None, [], ["a"], ["a", "b"], ["b"]]))
    name = name or f"F/{draw(st.integers(0, 9))}"
    return site(name, segments, hosts, circuits, reach_groups=groups)


portfolios = st.lists(plans(), max_size=5, unique_by=lambda plan: plan.key)


class Checking(unittest.TestCase):
    @given(portfolios)
    @settings(max_examples=150, deadline=None)
    def test_one_site_alone_finds_what_the_whole_check_finds(self, every: list[SitePlan]) -> None:
        portfolio = Portfolio(every)
        alone = [finding for plan in every for finding in portfolio.check(plan)]
        self.assertEqual(in_order(alone), portfolio.check_all())

    @given(portfolios, plans("F/0"))
    @settings(max_examples=100, deadline=None)
    def test_a_draft_is_checked_as_if_it_were_saved(self, every: list[SitePlan], draft: SitePlan) -> None:
        portfolio = Portfolio(every)
        before = portfolio.check(draft)
        portfolio.put(draft)
        self.assertEqual(before, portfolio.check(draft))

    @given(portfolios, plans("F/0"))
    @settings(max_examples=100, deadline=None)
    def test_only_the_sites_that_a_change_touches_find_something_else(
        self, every: list[SitePlan], draft: SitePlan
    ) -> None:
        portfolio = Portfolio(every)
        old = portfolio.get(draft.key)
        before = {plan.key: portfolio.check(plan) for plan in every}
        touched = portfolio.touched_by(draft) | (portfolio.touched_by(old) if old else set())
        portfolio.put(draft)
        for plan in portfolio:
            if plan.key not in touched | {draft.key}:
                self.assertEqual(portfolio.check(plan), before[plan.key])

    @given(plans())
    @settings(deadline=None)
    def test_one_finding_per_rule_and_subject(self, plan: SitePlan) -> None:
        keys = [(f.rule, f.path, f.subject) for f in found(plan)]
        self.assertEqual(len(keys), len(set(keys)))


class Keeping(unittest.TestCase):
    def test_sites_come_and_go(self) -> None:
        portfolio = Portfolio([site("F/1", [segment()]), site("F/2", [segment()])])
        self.assertEqual(len(portfolio.check_all()), 2)
        self.assertEqual(portfolio.touched_by(portfolio.get("f/1")), {"f/2"})
        portfolio.remove("F/2")
        self.assertEqual(portfolio.check_all(), [])
        self.assertEqual(len(portfolio), 1)
        self.assertIsNone(portfolio.get("F/2"))
        portfolio.put(site("f/3", [segment()]))
        self.assertEqual(len(portfolio.check_all()), 2)

    def test_an_empty_portfolio_has_nothing_to_say(self) -> None:
        self.assertEqual(Portfolio().check_all(), [])
        self.assertEqual(found(site()), [])
