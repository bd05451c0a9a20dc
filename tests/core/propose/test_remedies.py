"""Every remedy, applied, removes its finding and adds no `stop`."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.findings import Finding, Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import OFFERED, Offers, Remedy, remedied_rules
from tests import examples
from tests.core.check.test_portfolio import plans, portfolios
from tests.core.check.test_rules import CASES, served
from tests.support import circuit, segment, site


def place(finding: Finding) -> tuple[str, str, str]:
    """What makes two findings the same trouble, whatever the addresses they speak of."""
    return finding.rule, finding.subject if finding.rule == "overlap-address" else finding.path, finding.field


def stops(findings: list[Finding]) -> set[tuple[str, str, str]]:
    return {place(finding) for finding in findings if finding.severity is Severity.STOP}


def offered(rule: str, *sites: SitePlan, **organisation: Any) -> list[Remedy]:
    """The remedies of the one finding of a rule at the first of some sites."""
    portfolio = Portfolio(sites, Organisation(**organisation))
    findings = portfolio.check(sites[0])
    (finding,) = [finding for finding in findings if finding.rule == rule]
    return Offers(portfolio, sites[0], findings).of(finding)


class Many(unittest.TestCase):
    def test_one_remedy_takes_all_hosts_out_of_a_range(self) -> None:
        hosts = [("Office", f"till {n}", f"10.40.8.{n}") for n in (*range(20, 60), 70, 80)]
        plan = site(segments=[served()], hosts=hosts)
        portfolio = Portfolio([plan])
        findings = portfolio.check(plan)
        alike = [finding for finding in findings if finding.rule == "overlap-scope-static"]
        offers = Offers(portfolio, plan, findings)
        moved, excluded, _ = offers.of(alike[0])
        for finding in alike[:6]:  # what was tried for one finding says the same for the next
            self.assertEqual(offers.of(finding), Offers(portfolio, plan, findings).of(finding))
        self.assertEqual(
            [moved.sentence, excluded.sentence],
            ["Move the range of Office to 10.40.8.81–10.40.8.254, clear of all 42 hosts in it",
             "Exclude all 42 hosts in it from the range of Office"],
        )  # fmt: skip
        for remedy in (moved, excluded):
            rules = [finding.rule for finding in portfolio.check(applied(plan, remedy.operations))]
            self.assertNotIn("overlap-scope-static", rules)
        self.assertEqual(excluded.operations[0]["value"], ["10.40.8.20-10.40.8.59", "10.40.8.70", "10.40.8.80"])

    def test_one_remedy_brings_all_hosts_into_their_subnet(self) -> None:
        hosts = [("Office", f"till {n}", f"10.40.9.{n}") for n in (1, 5, 30)]
        plan = site(segments=[served()], hosts=hosts)
        portfolio = Portfolio([plan])
        findings = portfolio.check(plan)
        finding = next(finding for finding in findings if finding.rule == "host-outside")
        remedy = Offers(portfolio, plan, findings).of(finding)[0]
        self.assertEqual(remedy.sentence, "Bring all 3 such hosts of Office into 10.40.8.0/24")
        after = applied(plan, remedy.operations)
        self.assertEqual({str(host.address) for host in after.hosts.values()}, {"10.40.8.2", "10.40.8.5", "10.40.8.3"})
        self.assertNotIn("host-outside", [found.rule for found in portfolio.check(after)])


class Promise(unittest.TestCase):
    def kept(self, portfolio: Portfolio, plan: SitePlan) -> list[Remedy]:
        findings = portfolio.check(plan)
        every, offers = [], Offers(portfolio, plan, findings)
        for finding in findings:
            for remedy in offers.of(finding):
                after = portfolio.check(applied(plan, remedy.operations))
                self.assertNotIn(place(finding), {place(other) for other in after}, remedy)
                self.assertLessEqual(stops(after), stops(findings), remedy)
                every.append(remedy)
        return every

    @given(plans("F/0"), portfolios, st.sampled_from([Organisation(), Organisation(gateway="last", hosts="last")]))
    @examples(60)
    def test_a_remedy_removes_its_finding_and_adds_no_stop(
        self, plan: SitePlan, others: list[SitePlan], organisation: Organisation
    ) -> None:
        portfolio = Portfolio([other for other in others if other.key != plan.key] + [plan], organisation)
        for remedy in self.kept(portfolio, plan):
            self.assertGreater(len(remedy.sentence), 5)
        self.assertEqual(portfolio.get(plan.key), plan)

    def test_every_rule_that_has_remedies_offers_one_in_the_book_of_cases(self) -> None:
        offering = set()
        for case in CASES:
            if case.rule in remedied_rules() and case.subjects:
                portfolio = Portfolio(case.plans, Organisation.model_validate(case.settings))
                for plan in case.plans:
                    findings = portfolio.check(plan)
                    offers = Offers(portfolio, plan, findings)
                    for finding in findings:
                        found = offers.of(finding)
                        self.assertLessEqual(len(found), OFFERED)
                        offering |= {finding.rule} if found else set()
                    self.kept(portfolio, plan)
        boxes = (
            "devices",
            "management",
            "cabling",
            "traffic",
            "publications",
            "segments",
        )  # in test_device_rules, test_traffic_rules
        devices = {name for name in remedied_rules() if RULES[name].check.__module__.endswith(boxes)}
        rare = {"wan-gateway-missing", "time-zone-missing"}  # told apart below
        self.assertEqual(remedied_rules() - devices - rare - offering, set())

    def test_rules_with_remedies_are_in_the_book(self) -> None:
        self.assertLessEqual(remedied_rules(), set(RULES))


class Remedies(unittest.TestCase):
    def sentences(self, rule: str, *sites: SitePlan, **organisation: Any) -> list[str]:
        return [remedy.sentence for remedy in offered(rule, *sites, **organisation)]

    def test_a_range_is_shortened_split_or_the_host_moved(self) -> None:
        plan = site(segments=[served("10.40.8.20", "10.40.8.254")], hosts=[("Office", "Phone system", "10.40.8.250")])
        self.assertEqual(self.sentences("overlap-scope-static", plan), [
            "End the range at 10.40.8.249, 5 fewer",
            "Exclude 10.40.8.250 from the range",
            "Give Phone system the free address 10.40.8.2",
        ])  # fmt: skip

    def test_in_the_middle_of_a_range_excluding_comes_first(self) -> None:
        plan = site(segments=[served("10.40.8.20", "10.40.8.254")], hosts=[("Office", "Phone system", "10.40.8.130")])
        self.assertEqual(self.sentences("overlap-scope-static", plan)[0], "Exclude 10.40.8.130 from the range")

    def test_a_host_goes_to_the_run_kept_for_its_kind(self) -> None:
        kept = [{"kind": "printer", "run": "10.40.8.200-10.40.8.219"}]
        hosts = [
            {"segment": "Office", "name": "a", "kind": "printer", "address": "10.40.8.200"},
            {"segment": "Office", "name": "b", "kind": "Printer", "address": "10.40.8.9"},
        ]
        plan = site(segments=[segment(kept=kept)], hosts=hosts)
        self.assertEqual(self.sentences("keep-violated", plan), ["Give b the free address 10.40.8.201"])

    def test_a_segment_is_renumbered_with_everything_in_it(self) -> None:
        here = site(
            "F/1",
            [
                served(
                    resolvers=["10.40.8.10", "192.0.2.53"],
                    kept=[{"kind": "printer", "run": "10.40.8.200-10.40.8.219"}],
                ),
                served("10.40.9.20", "10.40.9.99", label="Lab", subnet="10.40.9.0/24", resolvers=["10.40.8.10"]),
            ],
            [("Office", "server", "10.40.8.10")],
        )
        there = site("F/2", [segment(), segment("x", "10.40.10.0/23")])
        remedy = offered("overlap-reach", here, there, blocks={"f": ["10.40.0.0/20"]})[0]
        self.assertEqual(
            remedy.sentence,
            "Renumber Office to 10.40.7.0/24; gateway, range, kept runs, 1 host and resolvers move along",
        )
        after = applied(here, remedy.operations)
        office, lab = after.segments["seg0"], after.segments["seg1"]
        self.assertEqual(
            [str(v) for v in (office.gateway, office.scope.span, office.kept[0].run, after.hosts["host0"].address)],
            ["10.40.7.1", "10.40.7.20–10.40.7.99", "10.40.7.200–10.40.7.219", "10.40.7.10"],
        )
        self.assertEqual([str(a) for a in office.resolvers + lab.resolvers], ["10.40.7.10", "192.0.2.53", "10.40.7.10"])

    def test_a_new_subnet_avoids_everything_that_must_be_avoided(self) -> None:
        here = site("F/1", [segment()], circuits=[circuit(modem_subnet="10.40.7.0/24", routed_blocks=["10.40.6.0/24"])])
        there = site("F/2", [segment(), segment("x", "10.40.9.0/24")])
        stranger = site("G/1", [segment("y", "10.40.5.0/24")])
        (first, *_) = self.sentences(
            "overlap-reach", here, there, stranger,
            blocks={"F": ["10.40.0.0/20"]}, own_networks=[{"name": "ours", "network": "10.40.10.0/24"}],
            common_defaults=["10.40.11.0/24"],
        )  # fmt: skip
        self.assertTrue(first.startswith("Renumber Office to 10.40.5.0/24"), first)

    def test_a_full_block_leaves_only_to_keep_the_segment_local(self) -> None:
        sites = [site("F/1", [segment()]), site("F/2", [segment()])]
        self.assertEqual(
            self.sentences("overlap-reach", *sites, blocks={"F": ["10.40.8.0/24"]}),
            ["Keep Office local, so that no other site reaches it"],
        )

    def test_a_gateway_by_convention(self) -> None:
        plan = site(segments=[segment(gateway=None)])
        self.assertEqual(self.sentences("gateway-missing", plan)[0], "Make 10.40.8.1 the gateway of Office")
        last = self.sentences("gateway-missing", plan, gateway="last")
        self.assertEqual(last[0], "Make 10.40.8.254 the gateway of Office")

    def test_a_gateway_that_is_taken_is_not_offered(self) -> None:
        plan = site(segments=[segment(gateway=None)], hosts=[("Office", "a", "10.40.8.1")])
        self.assertEqual(self.sentences("gateway-missing", plan), ["Make 10.40.8.254 the gateway of Office"])

    def test_the_only_other_address_of_a_small_hand_off(self) -> None:
        plan = site(circuits=[circuit(prefix=30, gateway=None)])
        self.assertEqual(
            self.sentences("wan-gateway-missing", plan),
            ["Take 203.0.113.17, the only other address of 203.0.113.16/30, as gateway"],
        )
        self.assertEqual(self.sentences("wan-gateway-missing", site(circuits=[circuit(gateway=None)])), [])

    def test_the_zone_of_the_customers_other_sites(self) -> None:
        plan = site("F/1", time_zone=None)
        self.assertEqual(self.sentences("time-zone-missing", plan), [])
        self.assertEqual(
            self.sentences("time-zone-missing", plan, site("F/2"), site("f/3"), site("G/1", time_zone="Europe/Rome")),
            ["Europe/Dublin, as 2 other sites of F"],
        )

    def test_an_ipv6_subnet_from_the_sites_prefix_numbered_like_the_vlan(self) -> None:
        plan = site(
            segments=[segment(vlan=20, subnet6="2001:db8:9::/64", gateway6="2001:db8:9::1")],
            delegated_prefix="2001:db8:40::/48",
        )
        remedy = offered("ipv6-outside", plan)[0]
        self.assertEqual(
            remedy.sentence,
            "Renumber Office to 2001:db8:40:20::/64, number 20 of 2001:db8:40::/48; gateway moves along",
        )
        self.assertEqual(str(applied(plan, remedy.operations).segments["seg0"].gateway6), "2001:db8:40:20::1")

    def test_a_plan_without_trouble_offers_nothing_and_an_unknown_rule_neither(self) -> None:
        plan = site(circuits=[circuit(handoff=None)])
        self.assertEqual(offered("wan-handoff-missing", plan), [])
