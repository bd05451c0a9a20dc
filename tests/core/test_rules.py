"""Every rule of the book: a plan that brings it up, and the nearest plan that does not."""

from __future__ import annotations

import unittest
from typing import Any, NamedTuple

from octaplan.core.findings import RULES, Finding
from octaplan.core.plan import SitePlan
from tests.support import circuit, found, segment, site

#: The fixed contract of `octaplan check`: severity and subject by id.
CONTRACT = {
    "overlap-address": ("stop", "address"),
    "overlap-segment": ("stop", "segment"),
    "overlap-reach": ("stop", "segment"),
    "overlap-scope": ("stop", "segment"),
    "overlap-scope-static": ("stop", "host"),
    "overlap-scope-gateway": ("stop", "segment"),
    "scope-reserved-inside": ("note", "host"),
    "overlap-wan-inside": ("stop", "circuit"),
    "overlap-wan-address": ("stop", "circuit"),
    "overlap-wan-block": ("stop", "circuit"),
    "shared-wan-block": ("note", "circuit"),
    "common-default": ("warn", "segment"),
    "gateway-outside": ("stop", "segment"),
    "gateway-unusable": ("stop", "segment"),
    "gateway-missing": ("stop", "segment"),
    "wan-gateway-outside": ("stop", "circuit"),
    "wan-gateway-missing": ("stop", "circuit"),
    "wan-gateway-self": ("stop", "circuit"),
    "wan-address-missing": ("stop", "circuit"),
    "wan-address-unusable": ("stop", "circuit"),
    "wan-private": ("warn", "circuit"),
    "inside-public": ("warn", "segment"),
    "host-outside": ("stop", "host"),
    "host-unusable": ("stop", "host"),
    "scope-outside": ("stop", "segment"),
    "scope-reversed": ("stop", "segment"),
    "scope-edge": ("stop", "segment"),
    "wan-dns-missing": ("stop", "circuit"),
    "vlan-duplicate": ("stop", "segment"),
    "mac-duplicate": ("stop", "host"),
}


def scope(first: str, last: str, *excluded: str, **more: Any) -> dict[str, Any]:
    return {"first": first, "last": last, "excluded": list(excluded), **more}


def host(segment: str = "Office", name: str = "printer", address: str | None = None, **more: Any) -> dict[str, Any]:
    return {"segment": segment, "name": name, "address": address, **more}


class Case(NamedTuple):
    """Plans, the rule looked at, and the subjects at which it must speak."""

    name: str
    rule: str
    plans: list[SitePlan]
    subjects: list[str]


def one(name: str, rule: str, subjects: list[str], **plan: Any) -> Case:
    return Case(name, rule, [site(**plan)], subjects)


WIDE = segment(scope=scope("10.40.8.20", "10.40.8.254"))
OTHER = "10.40.9.0/24"
MAC = "02:40:08:00:00:01"

CASES = [
    one("two hosts", "overlap-address", ["10.40.8.9"], segments=[segment()],
        hosts=[("Office", "a", "10.40.8.9"), ("Office", "b", "10.40.8.9")]),
    one("host on the gateway", "overlap-address", ["10.40.8.1"], segments=[segment()], hosts=[("Office", "a", "10.40.8.1")]),
    one("reserved counts too", "overlap-address", ["10.40.8.9"], segments=[segment()],
        hosts=[host(name="a", address="10.40.8.9"), host(name="b", address="10.40.8.9", method="reserved")]),
    one("another table", "overlap-address", [], segments=[segment(), segment("Lab", vrf="lab")], hosts=[("Office", "a", "10.40.8.9"), ("Lab", "b", "10.40.8.9")]),
    Case("another site", "overlap-address", [site("A/1", [segment()]), site("B/1", [segment()])], []),
    one("equal", "overlap-segment", ["Lab", "Office"], segments=[segment(), segment("Lab", gateway="10.40.8.2")]),
    one("nested", "overlap-segment", ["Lab", "Office"], segments=[segment(subnet="10.40.0.0/16"), segment("Lab", "10.40.8.0/30")]),
    one("neighbours", "overlap-segment", [], segments=[segment(), segment("Lab", OTHER)]),
    one("another table", "overlap-segment", [], segments=[segment(), segment("Lab", vrf="lab")]),
    Case("same customer", "overlap-reach", [site("F/1", [segment()]), site("F/2", [segment("Lab")])], ["Lab", "Office"]),
    Case("three sites", "overlap-reach", [site(f"F/{n}", [segment()]) for n in range(3)], ["Office"] * 3),
    Case("other customer", "overlap-reach", [site("F/1", [segment()]), site("G/1", [segment()])], []),
    Case("a group across customers", "overlap-reach",
         [site("F/1", [segment()], reach_groups=["Hub"]), site("G/1", [segment()], reach_groups=["hub", "x"])], ["Office"] * 2),
    Case("out of the group", "overlap-reach", [site("F/1", [segment()], reach_groups=[]), site("F/2", [segment()])], []),
    Case("guests are local", "overlap-reach", [site("F/1", [segment(role="guest")]), site("F/2", [segment()])], []),
    Case("guests that reach", "overlap-reach",
         [site("F/1", [segment("G", role="guest", reach="group")]), site("F/2", [segment()])], ["G", "Office"]),
    Case("declared local", "overlap-reach", [site("F/1", [segment(reach="local")]), site("F/2", [segment()])], []),
    Case("whatever the table", "overlap-reach", [site("F/1", [segment(vrf="lab")]), site("F/2", [segment()])], ["Office"] * 2),
    one("ranges cross", "overlap-scope", ["Lab", "Office"],
        segments=[WIDE, segment("Lab", OTHER, scope=scope("10.40.8.250", "10.40.9.20"))]),
    one("excluded in time", "overlap-scope", [],
        segments=[WIDE, segment("Lab", OTHER, scope=scope("10.40.8.250", "10.40.9.20", "10.40.8.250-10.40.8.254"))]),
    one("another table", "overlap-scope", [], segments=[WIDE, WIDE | {"label": "Lab", "vrf": "lab"}]),
    one("switched off", "overlap-scope", [],
        segments=[WIDE, segment("Lab", OTHER, scope=scope("10.40.8.250", "10.40.9.20", server="none"))]),
    one("inside the range", "overlap-scope-static", ["phone"], segments=[WIDE], hosts=[("Office", "phone", "10.40.8.250")]),
    one("at its ends", "overlap-scope-static", ["a", "b"], segments=[WIDE],
        hosts=[("Office", "a", "10.40.8.20"), ("Office", "b", "10.40.8.254"), ("Office", "c", "10.40.8.19")]),
    one("excluded", "overlap-scope-static", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.254", "10.40.8.250"))],
        hosts=[("Office", "phone", "10.40.8.250")]),
    one("reserved", "overlap-scope-static", [], segments=[WIDE], hosts=[host(address="10.40.8.250", method="reserved")]),
    one("in another segment's range", "overlap-scope-static", ["stray"], segments=[WIDE, segment("Lab", OTHER)],
        hosts=[("Lab", "stray", "10.40.8.30")]),
    one("range back to front", "overlap-scope-static", [], segments=[segment(scope=scope("10.40.8.254", "10.40.8.20"))],
        hosts=[("Office", "phone", "10.40.8.250")]),
    one("gateway leased", "overlap-scope-gateway", ["Office"], segments=[segment(scope=scope("10.40.8.1", "10.40.8.99"))]),
    one("gateway before", "overlap-scope-gateway", [], segments=[WIDE]),
    one("reserved inside", "scope-reserved-inside", ["printer"], segments=[WIDE], hosts=[host(address="10.40.8.30", method="reserved")]),
    one("reserved outside", "scope-reserved-inside", [], segments=[WIDE], hosts=[host(address="10.40.8.10", method="reserved")]),
    one("hand-off inside", "overlap-wan-inside", ["Main"], segments=[segment(subnet="203.0.113.0/24")], circuits=[circuit()]),
    one("routed block inside, other table", "overlap-wan-inside", ["Main"], segments=[segment(vrf="lab")],
        circuits=[circuit(routed_blocks=["10.40.8.64/28"])]),
    one("apart", "overlap-wan-inside", [], segments=[segment()], circuits=[circuit(routed_blocks=["198.51.100.0/28"])]),
    Case("anywhere", "overlap-wan-address", [site("A/1", circuits=[circuit("x")]), site("B/1", circuits=[circuit("y", prefix=30)])], ["x", "y"]),
    one("at the same site", "overlap-wan-address", ["x", "y"], circuits=[circuit("x"), circuit("y")]),
    Case("own addresses", "overlap-wan-address", [site("A/1", circuits=[circuit()]), site("B/1", circuits=[circuit(address="203.0.113.19")])], []),
    Case("another gateway", "overlap-wan-block",
         [site("A/1", circuits=[circuit("x")]), site("B/1", circuits=[circuit("y", "203.0.113.20", gateway="203.0.113.19")])], ["x", "y"]),
    Case("another mask", "overlap-wan-block",
         [site("A/1", circuits=[circuit("x")]), site("B/1", circuits=[circuit("y", "203.0.113.20", prefix=28)])], ["x", "y"]),
    Case("one shared line", "overlap-wan-block", [site("A/1", circuits=[circuit()]), site("B/1", circuits=[circuit(address="203.0.113.19")])], []),
    one("at one site", "overlap-wan-block", [], circuits=[circuit("x"), circuit("y", "203.0.113.20", gateway="203.0.113.19")]),
    Case("network and gateway alike", "shared-wan-block",
         [site("A/1", circuits=[circuit("x")]), site("B/1", circuits=[circuit("y", "203.0.113.19")])], ["x", "y"]),
    Case("another gateway", "shared-wan-block",
         [site("A/1", circuits=[circuit("x")]), site("B/1", circuits=[circuit("y", "203.0.113.20", gateway="203.0.113.19")])], []),
    one("what everyone has", "common-default", ["Office"], segments=[segment(subnet="192.168.1.0/24", role="guest")]),
    one("a part of it", "common-default", ["Office"], segments=[segment(subnet="10.0.0.128/26", gateway="10.0.0.129")]),
    one("two of them at once", "common-default", ["Office"], segments=[segment(subnet="192.168.0.0/16")]),
    one("next to it", "common-default", [], segments=[segment(subnet="192.168.2.0/24")]),
    one("another subnet", "gateway-outside", ["Office"], segments=[segment(gateway="10.40.9.1")]),
    one("of the other family", "gateway-outside", ["Office"], segments=[segment(gateway="2001:db8::1")]),
    one("inside", "gateway-outside", [], segments=[segment()]),
    one("network", "gateway-unusable", ["Office"], segments=[segment(gateway="10.40.8.0")]),
    one("broadcast", "gateway-unusable", ["Office"], segments=[segment(gateway="10.40.8.255")]),
    one("all of a /31", "gateway-unusable", [], segments=[segment(subnet="10.40.8.0/31", gateway="10.40.8.0")]),
    one("all of IPv6", "gateway-unusable", [], segments=[segment(subnet="2001:db8:40::/64", gateway="2001:db8:40::")]),
    one("office", "gateway-missing", ["Office"], segments=[segment(gateway=None)]),
    one("transit and isolated go without", "gateway-missing", [],
        segments=[segment(gateway=None, role="transit"), segment("Lab", OTHER, gateway=None, role="isolated")]),
    one("nothing known", "subnet-missing", ["Office"], segments=[segment(subnet=None)]),
    one("known", "subnet-missing", [], segments=[segment()]),
    one("another block", "wan-gateway-outside", ["Main"], circuits=[circuit(gateway="203.0.113.33")]),
    one("PPPoE has none of its own", "wan-gateway-outside", [], circuits=[circuit(handoff="pppoe", gateway="203.0.113.33")]),
    one("static", "wan-gateway-missing", ["Main"], circuits=[circuit(gateway=None)]),
    one("DHCP brings it", "wan-gateway-missing", [], circuits=[circuit(handoff="dhcp", gateway=None)]),
    one("its own address", "wan-gateway-self", ["Main"], circuits=[circuit(gateway="203.0.113.18")]),
    one("another", "wan-gateway-self", [], circuits=[circuit()]),
    one("static", "wan-address-missing", ["Main"], circuits=[circuit(address=None)]),
    one("PPPoE", "wan-address-missing", [], circuits=[circuit(address=None, handoff="pppoe")]),
    one("static", "wan-mask-missing", ["Main"], circuits=[circuit(prefix=None)]),
    one("known", "wan-mask-missing", [], circuits=[circuit()]),
    one("nothing said", "wan-handoff-missing", ["Main"], circuits=[circuit(handoff=None)]),
    one("said", "wan-handoff-missing", [], circuits=[circuit(handoff="dhcp")]),
    one("broadcast", "wan-address-unusable", ["Main"], circuits=[circuit(address="203.0.113.23")]),
    one("all of a /31", "wan-address-unusable", [], circuits=[circuit(address="203.0.113.16", prefix=31)]),
    one("private", "wan-private", ["Main"], circuits=[circuit(address="192.168.5.2", gateway="192.168.5.1")]),
    one("shared", "wan-private", ["Main"], circuits=[circuit(address="100.64.5.2", gateway="100.64.5.1")]),
    one("documentation is public", "wan-private", [], circuits=[circuit()]),
    one("private by PPPoE", "wan-private", [], circuits=[circuit(address="10.1.1.1", handoff="pppoe")]),
    one("just beyond 172.16/12", "inside-public", ["Office"], segments=[segment(subnet="172.32.0.0/24")]),
    one("documentation", "inside-public", ["Office"], segments=[segment(subnet="192.0.2.0/24")]),
    one("wider than private", "inside-public", ["Office"], segments=[segment(subnet="10.0.0.0/7", gateway="10.0.0.1")]),
    one("private and IPv6", "inside-public", [], segments=[segment(), segment("six", "2001:db8:1::/64")]),
    one("other subnet", "host-outside", ["printer"], segments=[segment()], hosts=[host(address="10.40.9.9")]),
    one("no subnet to be outside of", "host-outside", [], segments=[segment(subnet=None)], hosts=[host(address="10.40.9.9")]),
    one("broadcast", "host-unusable", ["printer"], segments=[segment()], hosts=[host(address="10.40.8.255")]),
    one("usable", "host-unusable", [], segments=[segment()], hosts=[host(address="10.40.8.254")]),
    one("last beyond", "scope-outside", ["Office"], segments=[segment(scope=scope("10.40.8.20", "10.40.9.20"))]),
    one("first known and beyond", "scope-outside", ["Office"], segments=[segment(scope={"first": "10.40.7.20"})]),
    one("inside", "scope-outside", [], segments=[WIDE]),
    one("back to front", "scope-reversed", ["Office"], segments=[segment(scope=scope("10.40.8.99", "10.40.8.20"))]),
    one("one address", "scope-reversed", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.20"))]),
    one("broadcast", "scope-edge", ["Office"], segments=[segment(scope=scope("10.40.8.20", "10.40.8.255"))]),
    one("network", "scope-edge", ["Office"], segments=[segment(scope=scope("10.40.8.0", "10.40.8.20"))]),
    one("excluded", "scope-edge", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.255", "10.40.8.255"))]),
    one("outside is another rule", "scope-edge", [], segments=[segment(scope=scope("10.40.8.20", "10.40.9.20"))]),
    one("static", "wan-dns-missing", ["Main"], circuits=[circuit(resolvers=[])]),
    one("PPPoE brings them", "wan-dns-missing", [], circuits=[circuit(resolvers=[], handoff="pppoe")]),
    one("twice", "vlan-duplicate", ["Lab", "Office"], segments=[segment(vlan=10), segment("Lab", OTHER, vlan=10, vrf="lab")]),
    one("once", "vlan-duplicate", [], segments=[segment(vlan=10), segment("Lab", OTHER, vlan=11), segment("X", "10.1.2.0/24")]),
    one("at one site", "mac-duplicate", ["a", "b"], segments=[segment()], hosts=[host(name="a", mac=MAC), host(name="b", mac=MAC)]),
    Case("anywhere", "mac-duplicate",
         [site("A/1", [segment()], [host(name="a", mac=MAC)]), site("B/1", [segment()], [host(name="b", mac=MAC)])], ["a", "b"]),
    one("others", "mac-duplicate", [], segments=[segment()], hosts=[host(name="a", mac=MAC), host(name="b", mac="02:40:08:00:00:02"), host(name="c")]),
]  # fmt: skip


class Rules(unittest.TestCase):
    def test_every_case(self) -> None:
        for case in CASES:
            with self.subTest(f"{case.rule}: {case.name}"):
                findings = found(*case.plans, rule=case.rule)
                self.assertEqual(sorted(f.subject for f in findings), sorted(case.subjects))

    def test_every_rule_has_a_case_that_speaks_and_one_that_is_silent(self) -> None:
        speaking = {case.rule for case in CASES if case.subjects}
        silent = {case.rule for case in CASES if not case.subjects}
        elsewhere = ("octaplan.core.rules.devices", "octaplan.core.rules.credentials")  # in test_device_rules
        book = {name for name, rule in RULES.items() if rule.check.__module__ not in elsewhere}
        self.assertEqual(speaking, book)
        self.assertEqual(silent, book)

    def test_the_contract_stands(self) -> None:
        book = {rule.id: (str(rule.severity), rule.subject) for rule in RULES.values()}
        self.assertEqual({rule_id: book.get(rule_id) for rule_id in CONTRACT}, CONTRACT)

    def test_a_clean_plan_has_no_findings(self) -> None:
        clean = site(
            segments=[segment(scope=scope("10.40.8.20", "10.40.8.99"))],
            hosts=[("Office", "p", "10.40.8.10")],
            circuits=[circuit()],
        )
        self.assertEqual(found(clean), [])

    def test_messages_say_where_with_the_numbers_and_what_to_do(self) -> None:
        plan = site(segments=[WIDE], hosts=[("Office", "Phone system", "10.40.8.250")])
        (finding,) = found(plan, rule="overlap-scope-static")
        self.assertEqual(
            finding.message,
            "Phone system 10.40.8.250 is inside the DHCP range 10.40.8.20–10.40.8.254: another client can be given "
            "its address. End the range at 10.40.8.249 or exclude the address.",
        )
        self.assertEqual((finding.addresses, finding.path), ("10.40.8.250", "/hosts/host0"))

    def test_every_message_is_a_sentence_that_names_its_subject(self) -> None:
        for case in CASES:
            for finding in found(*case.plans, rule=case.rule):
                self.assertTrue(finding.message.endswith((".", "?")), finding.message)
                self.assertIn(finding.subject, finding.message)


class Others(unittest.TestCase):
    def others(self, finding: Finding) -> list[str]:
        return [f"{other.customer}/{other.site} {other.subject}" for other in finding.others]

    def test_each_of_three_lists_the_two_others(self) -> None:
        findings = found(*(site(f"F/{n}", [segment()]) for n in range(3)), rule="overlap-reach")
        self.assertEqual([self.others(f) for f in findings], [
            ["F/1 Office", "F/2 Office"], ["F/0 Office", "F/2 Office"], ["F/0 Office", "F/1 Office"],
        ])  # fmt: skip
        self.assertEqual([f.others_total for f in findings], [2, 2, 2])

    def test_at_most_twenty_are_listed_and_all_are_counted(self) -> None:
        findings = found(*(site(f"F/{n}", [segment()]) for n in range(30)), rule="overlap-reach")
        self.assertEqual({(len(f.others), f.others_total) for f in findings}, {(20, 29)})
        self.assertIn("and 26 more", findings[0].message)

    def test_sites_that_share_two_groups_count_once(self) -> None:
        plans = [site(f"F/{n}", [segment()], reach_groups=["a", "b"]) for n in range(4)]
        self.assertEqual({f.others_total for f in found(*plans, rule="overlap-reach")}, {3})

    def test_an_address_lists_everything_that_has_it(self) -> None:
        plan = site(segments=[segment()], hosts=[("Office", "a", "10.40.8.1"), ("Office", "b", "10.40.8.1")])
        (finding,) = found(plan, rule="overlap-address")
        self.assertEqual(self.others(finding), ["FERN/DOCK Office", "FERN/DOCK a", "FERN/DOCK b"])
        self.assertEqual(finding.subject, "10.40.8.1")

    def test_a_line_shared_with_one_site_and_crossed_by_another_is_both(self) -> None:
        plans = [
            site("A/1", circuits=[circuit()]),
            site("B/1", circuits=[circuit(address="203.0.113.19")]),
            site("C/1", circuits=[circuit(address="203.0.113.20", prefix=28)]),
        ]
        mine = {f.rule: self.others(f) for f in found(*plans) if f.customer == "A"}
        self.assertEqual(mine, {"overlap-wan-block": ["C/1 Main"], "shared-wan-block": ["B/1 Main"]})
