"""The rules about traffic: each speaks where it must, is silent beside it, and its remedies break nothing."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.network import INTERNET
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.mending import agreeing
from octaplan.core.propose.remedies import Offers, remedied_rules
from tests.core.check.test_device_rules import (
    LINKED,
    NOTHING,
    SECOND_LINE,
    TYPES,
    Case,
    base,
    both,
    edge,
    findings,
    hold,
    part,
    port,
    second,
)
from tests.support import segment

DEPARTURES = [{"source": "office", "target": "voice", "services": "any", "reason": "for the test"}]

Change = Callable[[dict[str, Any]], object]


def entries(kind: str, **values: Any) -> Change:
    """Add entries to a map of the edge."""
    return lambda d: d["devices"]["edge"][kind].update(values)


def without(kind: str, **having: Any) -> Change:
    """Take the entries of the edge away that have some values."""

    def change(document: dict[str, Any]) -> None:
        held = document["devices"]["edge"][kind]
        for key in [k for k, one in held.items() if all(one[name] == value for name, value in having.items())]:
            del held[key]

    return change


def allow(source: str, target: str, service: str = "any") -> dict[str, Any]:
    return {"source": source, "target": target, "service": service}


def server(document: dict[str, Any]) -> None:
    """A segment with a server, behind a trunk of its own."""
    document["segments"]["serv"] = segment("Servers", "10.40.20.0/24", role="servers", vlan=50)
    document["hosts"]["mail"] = {"segment": "serv", "name": "mail server", "address": "10.40.20.5"}
    document["devices"]["edge"]["ports"]["4"] = {"mode": "access", "segment": "serv"}
    held = document["devices"]["edge"]
    held["allows"].update(srvi=allow("serv", "internet"), offs=allow("seg0", "serv"))
    held["translations"].update(srvt={"segment": "serv", "circuit": "circ0"})


def published(service: str = "tcp/443", **more: Any) -> Change:
    """The server published, with its rule, and meant."""
    usual = {"circuit": "circ0", "service": service, "host": "mail"}
    return both(
        server,
        entries("publications", show=usual | more),
        entries("allows", inet=allow("internet", "mail", service)),
        lambda d: d["departures"].update(
            depa={"source": "internet", "target": "serv", "services": service, "reason": "mail comes in"}
        ),
    )


def departure(source: str, target: str, services: str) -> Change:
    one = {"source": source, "target": target, "services": services, "reason": "it is wanted here"}
    return lambda d: d["departures"].update(depx=one)


def many_segments(document: dict[str, Any]) -> None:
    """As many segments as a plan can have."""
    more = {f"many{n}": segment(f"M{n}", f"172.{16 + n // 250}.{n % 250}.0/24") for n in range(500)}
    document["segments"].update(more)
    document["devices"]["edge"]["ports"]["4"] = {"mode": "trunk", "tagged": list(more)}


def two_lines(document: dict[str, Any]) -> None:
    """A backup line with all that it needs."""
    document["circuits"].update(SECOND_LINE)
    held = document["devices"]["edge"]
    held["ports"]["4"] = {"mode": "circuit", "circuit": "circ1"}
    held["routes"].update(back={"to": "0.0.0.0/0", "circuit": "circ1", "metric": 20})
    held["translations"].update({f"bk{key}": {"segment": key, "circuit": "circ1"} for key in ("seg0", "seg1", "seg2")})


def switched(**changes: Any) -> Change:
    """A switch on a trunk of the edge."""
    trunk = {"mode": "trunk", "segment": "seg2", "tagged": ["seg0", "seg1"]}
    return both(
        port("4", **trunk, peer="other", peer_port="1"),
        second(
            ports={
                "1": {**trunk, "peer": "edge", "peer_port": "4", **changes},
                "2": {"mode": "access", "segment": "seg1"},
            },
            addresses={"seg2": "10.40.10.2"},
            gateway="10.40.10.1",
        ),
    )


MANAGEMENT = {"https": {"service": "https", "segment": "seg2"}}

CASES = [
    Case("permit-missing", ["Voice"], without("allows", source="seg1")),
    Case("permit-missing", ["Voice"], both(departure("seg1", "seg0", "tcp/443"))),
    Case("permit-missing", [], both(departure("seg1", "seg0", "tcp/443"), entries("allows", more=allow("seg1", "seg0", "https")))),
    Case("permit-missing", [], NOTHING),
    Case("isolate-broken", ["Voice"], entries("allows", more=allow("seg1", "seg0"))),
    Case("isolate-broken", ["Voice"], both(departure("seg1", "seg0", "tcp/443"), entries("allows", more=allow("seg1", "seg0", "tcp/440-443")))),
    Case("isolate-broken", ["Servers"], both(published(), lambda d: d["departures"].clear())),
    Case("isolate-broken", ["Voice", "Voice"], both(server, edge(filters=False), departure("serv", "seg0", "any"), lambda d: d["departures"].update(
        {f"dep{n}": {"source": a, "target": b, "services": "any", "reason": "for the test"} for n, (a, b) in enumerate(
            [("seg0", "seg1"), ("seg0", "seg2"), ("serv", "seg1"), ("serv", "seg2"), ("serv", "other-sites"), ("seg0", "other-sites"), ("seg1", "other-sites"),
             *[("other-sites", one) for one in ("seg0", "seg1", "seg2", "serv")]])}, dep0x={"source": "seg1", "target": "serv", "services": "any", "reason": "for the test"}))),
    Case("isolate-broken", [], NOTHING),
    Case("nat-missing", ["Voice"], without("translations", segment="seg1")),
    Case("nat-missing", ["Voice"], both(two_lines, lambda d: d["devices"]["edge"]["translations"].pop("bkseg1"))),
    Case("nat-missing", [], two_lines),
    Case("nat-missing", [], NOTHING),
    Case("nat-double", ["dock-edge"], part("circuits/circ0", modem_subnet="203.0.113.16/29")),
    Case("nat-double", ["dock-inner-router"], both(LINKED, lambda d: d["devices"]["other"].update(translations={"twic": {"segment": "lab0", "circuit": "circ0"}}))),
    Case("nat-double", [], LINKED),
    Case("nat-dangling", ["dock-edge"], entries("translations", none={"segment": "gone", "circuit": "circ0"})),
    Case("nat-dangling", ["dock-edge"], entries("translations", none={"segment": "seg0", "circuit": "gone"})),
    Case("nat-dangling", [], NOTHING),
    Case("route-return-missing", ["Lab"], both(LINKED, lambda d: d["devices"]["edge"]["routes"].pop("back"))),
    Case("route-return-missing", [], LINKED),
    Case("no-internet", ["Lab"], both(LINKED, part("segments/lab0", gateway="10.40.13.9"), lambda d: d["devices"]["other"]["addresses"].update(lab0="10.40.13.1"))),
    Case("no-internet", ["Lab", "Management", "Office", "Voice"], both(LINKED, lambda d: d["devices"]["other"]["routes"].update(loop={"to": "198.51.100.0/24", "via": "10.40.12.1"}), lambda d: d["devices"]["edge"]["routes"].update(loop={"to": "198.51.100.0/24", "via": "10.40.12.2"}))),
    Case("no-internet", [], LINKED),
    Case("way-missing", ["Management"], both(LINKED, lambda d: d["devices"]["edge"]["routes"].pop("back"), departure("lab0", "internet", "none"), without("allows", source="lab0"))),
    Case("way-missing", [], LINKED),
    Case("failover-broken", ["Office", "Voice", "Management"], both(two_lines, lambda d: d["devices"]["edge"]["routes"].pop("back"))),
    Case("failover-broken", ["Servers"], both(published(), two_lines, port("3", mode="access", segment="seg2"), lambda d: d["devices"]["edge"]["ports"].update({"5": {"mode": "circuit", "circuit": "circ1"}, "4": {"mode": "access", "segment": "serv"}}), entries("translations", bkse={"segment": "serv", "circuit": "circ1"}))),
    Case("failover-broken", [], two_lines),
    Case("access-wide", ["dock-edge"], entries("access", more={"service": "https", "segment": "seg1"})),
    Case("access-wide", [], both(entries("access", more={"service": "https", "segment": "seg1"}), departure("seg1", "boxes", "any"))),
    Case("access-wide", [], entries("access", more={"service": "https", "networks": ["198.51.100.0/28"]})),
    Case("management-blocked", ["dock-edge"], both(edge(access={"aaaa": {"service": "https", "segment": "seg1"}}))),
    Case("management-blocked", [], NOTHING),
    Case("resolver-blocked", ["Office"], both(server, part("segments/seg0", resolvers=["10.40.20.5"]), without("allows", target="serv"))),
    Case("resolver-blocked", [], both(server, part("segments/seg0", resolvers=["10.40.20.5"]))),
    Case("server-blocked", ["Voice"], both(server, part("segments/seg1/scope", first="10.40.9.20", last="10.40.9.99", options={"66": "10.40.20.5"}))),
    Case("server-blocked", [], both(server, part("segments/seg1/scope", first="10.40.9.20", last="10.40.9.99", options={"66": "10.40.20.5"}), entries("allows", prov=allow("seg1", "serv", "tftp")), departure("seg1", "serv", "tftp"))),
    Case("relay-missing", ["Office"], both(server, part("segments/seg0/scope", server="10.40.20.5"))),
    Case("relay-missing", ["Office"], both(server, part("segments/seg0/scope", server="10.40.20.77"))),
    Case("relay-missing", [], both(server, part("segments/seg0/scope", server="10.40.20.5"), edge(relays={"seg0": "10.40.20.5"}))),
    Case("relay-missing", [], both(server, part("segments/seg0/scope", server="10.40.8.9"), part("hosts", dhcp={"segment": "seg0", "name": "server", "address": "10.40.8.9"}))),
    Case("service-unknown", ["dock-edge"], entries("allows", more=allow("seg1", "internet", "the usual"))),
    Case("service-unknown", [], entries("allows", more=allow("seg1", "internet", "https"))),
    Case("rule-idle", ["dock-edge"], entries("allows", more=allow("seg1", "seg0"))),
    Case("rule-idle", ["dock-edge"], entries("translations", more={"segment": "seg0", "circuit": "gone"})),
    Case("rule-idle", [], LINKED),
    Case("rule-idle", [], two_lines),
    Case("publish-host-missing", ["dock-edge"], both(published(), lambda d: d["devices"]["edge"]["publications"]["show"].update(host="gone"))),
    Case("publish-host-missing", [], published()),
    Case("publish-address-unknown", ["dock-edge"], published(address="198.51.100.99")),
    Case("publish-address-unknown", [], published(address="203.0.113.19")),
    Case("publish-twice", ["dock-edge", "dock-edge"], both(published(), entries("publications", twic={"circuit": "circ0", "service": "tcp/440-450", "host": "mail"}))),
    Case("publish-twice", [], both(published(), entries("publications", twic={"circuit": "circ0", "service": "tcp/25", "host": "mail"}))),
    Case("publish-half", ["dock-edge"], both(published(), lambda d: d["devices"]["edge"]["allows"].pop("inet"))),
    Case("publish-half", ["dock-edge"], both(published(), lambda d: d["devices"]["edge"].update(publications={}))),
    Case("publish-half", [], published()),
    Case("publish-open", ["dock-edge"], published("tcp/22")),
    Case("publish-open", [], published("tcp/22", sources=["198.51.100.0/28"])),
    Case("publish-open", [], published()),
    Case("segment-parted", ["Voice"], switched(tagged=["seg0"])),
    Case("segment-parted", [], switched()),
    Case("trunk-mismatch", ["dock-switch"], switched(tagged=["seg0"])),
    Case("trunk-mismatch", [], switched()),
    Case("untagged-mismatch", ["dock-edge"], switched(segment="seg1", tagged=["seg0"])),
    Case("untagged-mismatch", [], switched()),
    Case("traffic-large", ["DOCK"], many_segments),
    Case("traffic-large", [], NOTHING),
    Case("departure-dangling", ["DOCK"], departure("gone", "seg0", "any")),
    Case("departure-dangling", [], departure("seg1", "seg0", "none")),
]  # fmt: skip

BOOK = {
    name
    for name, rule in RULES.items()
    if rule.check.__module__.endswith(("rules.traffic", "rules.publications", "rules.segments"))
}

#: Rules whose findings are for somebody to think about.
UNMENDED = {"traffic-large", "service-unknown", "publish-open", "nat-double", "failover-broken"}


class EveryTrafficRule(unittest.TestCase):
    def test_cases(self) -> None:
        hold(self, CASES)

    def test_every_rule_is_tried_both_ways(self) -> None:
        self.assertEqual(BOOK, {case.rule for case in CASES if case.subjects})
        self.assertEqual(BOOK, {case.rule for case in CASES if not case.subjects})

    def test_a_remedy_makes_its_cell_as_meant_and_breaks_no_other(self) -> None:
        for number, case in enumerate(CASES):
            if not case.subjects:
                continue
            with self.subTest(case.rule, number=number):
                document = base()
                case.change(document)
                plan = SitePlan.model_validate(document)
                portfolio = Portfolio([plan], hardware=TYPES)
                every = portfolio.check_all()
                before = agreeing(Traffic(plan))
                offered = [r for f in every if f.rule == case.rule for r in Offers(portfolio, plan, every).of(f)]
                self.assertTrue(offered or case.rule in UNMENDED, "nothing is offered")
                for remedy in offered:
                    after = applied(plan, remedy.operations)
                    self.assertLessEqual(before, agreeing(Traffic(after)), remedy.sentence)
                    left = [f for f in Portfolio([after], hardware=TYPES).check_all() if f.rule == case.rule]
                    self.assertLess(len(left), sum(f.rule == case.rule for f in every), remedy.sentence)

    def test_what_needs_two_changes_is_offered_as_one_remedy(self) -> None:
        document = base()
        both(without("allows", source="seg1"), without("translations", segment="seg1"))(document)
        plan = SitePlan.model_validate(document)
        portfolio = Portfolio([plan], hardware=TYPES)
        every = portfolio.check_all()
        self.assertFalse(Traffic(plan).cell("seg1", INTERNET).agrees)
        [found] = [f for f in every if f.rule == "permit-missing"]
        first = Offers(portfolio, plan, every).of(found)[0]
        self.assertRegex(first.sentence, "^Let .* pass Voice to the internet.*, and translate Voice to the address of")
        self.assertTrue(Traffic(applied(plan, first.operations)).cell("seg1", INTERNET).agrees)

    def test_what_was_found_is_kept_until_the_plan_or_what_is_meant_changes(self) -> None:
        portfolio = Portfolio([SitePlan.model_validate(base())], hardware=TYPES)
        seen: list[str] = []

        def judge(plan: SitePlan, organisation: Organisation) -> list[str]:
            seen.append(f"{plan.site} by {len(organisation.intent)} rows")
            return list(seen)

        (number, plan), usual = next(iter(portfolio.plans.items())), Organisation()
        self.assertFalse({"voice", "office"} - set(usual.intent))
        table = {row: dict(columns) for row, columns in usual.intent.items()}
        table["voice"]["office"] = "tcp/5060"
        for organisation, times in (
            (usual, 1),
            (Organisation(growth=40, banner="Keep out"), 1),
            (Organisation(intent=table), 2),
            (Organisation(intent=table, support="Ring us"), 2),
            (Organisation(intent=table, customers={"other": {"departures": DEPARTURES}}), 2),
            (Organisation(intent=table, customers={plan.customer.casefold(): {"departures": DEPARTURES}}), 3),
        ):
            portfolio.organisation = organisation
            self.assertEqual(len(portfolio.traffic_hits(number, plan, judge)), times)

    def test_a_site_without_a_box_that_routes_is_as_quiet_as_before(self) -> None:
        document = base()
        document["devices"] = {}
        rules = {f.rule for f in findings(document)}
        self.assertFalse(rules & BOOK)

    def test_two_sites_do_not_publish_one_address(self) -> None:
        plans = []
        for code in ("ONE", "TWO"):
            document = base() | {"site": code, "reach_groups": []}
            published()(document)
            plans.append(SitePlan.model_validate(document))
        twice = [f for f in Portfolio(plans, hardware=TYPES).check_all() if f.rule == "publish-twice"]
        self.assertEqual([(f.site, f.others[0].site) for f in twice], [("ONE", "TWO"), ("TWO", "ONE")])

    def test_publications_for_networks_that_do_not_meet_are_two(self) -> None:
        for networks, times in ((["198.51.100.0/28", "198.51.100.0/24"], 2), (["198.51.100.0/28", "192.0.2.0/24"], 0)):
            document = base()
            published()(document)
            held = document["devices"]["edge"]["publications"]
            (one,) = held.values()
            held.clear()
            held |= {f"for{n}": one | {"sources": [network]} for n, network in enumerate(networks)}
            found = [f for f in findings(document) if f.rule == "publish-twice"]
            self.assertEqual(len(found), times, networks)

    def test_rules_about_traffic_offer_remedies(self) -> None:
        self.assertEqual(BOOK - remedied_rules(), {"service-unknown", "publish-open", "traffic-large"})


if __name__ == "__main__":
    unittest.main()
