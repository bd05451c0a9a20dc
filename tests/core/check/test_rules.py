"""Every rule of the book: a plan that brings it up, and the nearest plan that does not."""

from __future__ import annotations

import unittest
from datetime import date
from typing import Any, NamedTuple

from octaplan.core.check.findings import Finding
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
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


def box(name: str, **more: Any) -> dict[str, Any]:
    return {"type": "test-five", "role": "edge", "name": name, **more}


CONFIRMED = {"text": "203.0.113.17", "by": "Ines", "at": "2027-03-01T09:00:00Z", "confirmed": True}
SURVIVES = {"surv0": {"what": "Office gateway", "value": "10.40.8.1", "path": "/segments/seg0/gateway"}}


class Case(NamedTuple):
    """Plans, the rule looked at, the subjects at which it must speak, and settings."""

    name: str
    rule: str
    plans: list[SitePlan]
    subjects: list[str]
    settings: dict[str, Any] = {}  # noqa: RUF012

    def findings(self) -> list[Finding]:
        portfolio = Portfolio(self.plans, Organisation.model_validate(self.settings), today=lambda: date(2027, 3, 4))
        return [f for f in portfolio.check_all() if f.rule == self.rule]


def one(name: str, rule: str, subjects: list[str], settings: dict[str, Any] | None = None, **plan: Any) -> Case:
    return Case(name, rule, [site(**plan)], subjects, settings or {})


WIDE = segment(scope=scope("10.40.8.20", "10.40.8.254"))
OTHER = "10.40.9.0/24"
MAC = "02:40:08:00:00:01"
OURS = {"own_networks": [{"name": "Remote access", "network": "10.40.0.0/16"}]}
SIX = {"subnet6": "2001:db8:40:1::/64", "gateway6": "2001:db8:40:1::1"}
KEEP = [{"kind": "printer", "run": "10.40.8.200-10.40.8.219"}]


def served(first: str = "10.40.8.20", last: str = "10.40.8.99", **more: Any) -> dict[str, Any]:
    """A segment with a range and resolvers."""
    return segment(**{"scope": scope(first, last), "resolvers": ["gateway", "192.0.2.53"], **more})


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
    one("all routers of IPv6", "gateway-unusable", ["Office"],
        segments=[segment(subnet="2001:db8:40::/64", gateway="2001:db8:40::")]),
    one("all of a /127", "gateway-unusable", [], segments=[segment(subnet="2001:db8:40::/127", gateway="2001:db8:40::")]),
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
    one("taken from elsewhere", "outside-blocks", ["Lab"], {"blocks": {"fern": ["10.40.0.0/16"]}},
        segments=[segment(), segment("Lab", "10.41.9.0/24"), segment("six", "2001:db8:1::/64")]),
    one("wider than the block", "outside-blocks", ["Office"], {"blocks": {"FERN": ["10.40.8.0/25"]}}, segments=[segment()]),
    one("no blocks, or those of others", "outside-blocks", [], {"blocks": {"other": ["10.41.0.0/16"]}}, segments=[segment()]),
    one("a block of somebody else", "foreign-block", ["Office"],
        {"blocks": {"fern": ["10.40.0.0/16"], "quay": ["10.40.8.0/22", "10.41.0.0/16"]}}, segments=[segment(), segment("Lab", "10.40.16.0/24")]),
    one("one's own twice", "foreign-block", [], {"blocks": {"fern": ["10.40.0.0/16", "10.40.8.0/22"], "quay": ["10.41.0.0/16"]}},
        segments=[segment()]),
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
    one("in one of ours", "overlap-ours", ["Office"], OURS, segments=[segment()]),
    one("none declared", "overlap-ours", [], segments=[segment()]),
    one("the modem's inside", "overlap-modem", ["Office"], segments=[segment(), segment("Lab", OTHER)],
        circuits=[circuit(modem_subnet="10.40.8.0/24")]),
    Case("another site's modem", "overlap-modem",
         [site("F/1", [segment()]), site("F/2", circuits=[circuit(modem_subnet="10.40.8.0/24")])], []),
    Case("routed twice", "overlap-routed-block",
         [site("A/1", circuits=[circuit("x", routed_blocks=["198.51.100.0/28"])]),
          site("B/1", circuits=[circuit("y", "203.0.113.34", gateway="203.0.113.33", routed_blocks=["198.51.100.8/29"])])], ["x", "y"]),
    Case("a hand-off elsewhere", "overlap-routed-block",
         [site("A/1", circuits=[circuit("x", routed_blocks=["203.0.113.32/27"])]), site("B/1", circuits=[circuit("y", "203.0.113.34", gateway="203.0.113.33")])], ["x"]),
    one("another circuit of the site", "overlap-routed-block", ["x", "y"],
        circuits=[circuit("x", routed_blocks=["198.51.100.0/28"]), circuit("y", "203.0.113.34", gateway="203.0.113.33", routed_blocks=["198.51.100.0/28"])]),
    one("its own hand-off, and IPv6", "overlap-routed-block", [],
        circuits=[circuit(routed_blocks=["203.0.113.16/29", "2001:db8:9::/48"], address6="2001:db8:9::2", prefix6=64, gateway6="fe80::1")]),
    Case("one prefix at two sites", "overlap-site-prefix",
         [site("A/1", delegated_prefix="2001:db8:40::/48"), site("B/2", delegated_prefix="2001:db8:40:8000::/52")], ["1", "2"]),
    Case("neighbours", "overlap-site-prefix",
         [site("A/1", delegated_prefix="2001:db8:40::/48"), site("B/2", delegated_prefix="2001:db8:41::/48")], []),
    Case("IPv6 of one customer", "overlap-reach",
         [site("F/1", [segment(**SIX)]), site("F/2", [segment("Lab", OTHER, **SIX)])], ["Lab", "Office"]),
    one("IPv6 of two segments", "overlap-segment", ["Lab", "Office"], segments=[segment(**SIX), segment("Lab", OTHER, subnet6="2001:db8:40::/48")]),
    one("IPv6 of a host", "host-outside", ["a"], segments=[segment(**SIX)], hosts=[host(name="a", address6="2001:db8:40:2::9"), host(name="b", address6="2001:db8:40:1::9")]),
    one("IPv6 address in a segment with both", "host-outside", [], segments=[segment(**SIX)], hosts=[host(name="a", address="2001:db8:40:1::9")]),
    one("IPv6 twice", "overlap-address", ["2001:db8:40:1::1"], segments=[segment(**SIX)], hosts=[host(address6="2001:db8:40:1::1")]),
    one("IPv6 gateway beyond", "gateway-outside", ["Office"], segments=[segment(subnet6="2001:db8:40:1::/64", gateway6="2001:db8::1")]),
    one("on the link", "gateway-outside", [], segments=[segment(subnet6="2001:db8:40:1::/64", gateway6="fe80::1")]),
    one("IPv6 gateway on the link", "wan-gateway-outside", [], circuits=[circuit(address6="2001:db8:9::2", prefix6=64, gateway6="fe80::1")]),
    one("IPv6 without a gateway", "wan-gateway-missing", ["Main"], circuits=[circuit(address6="2001:db8:9::2", prefix6=64)]),
    Case("IPv6 address twice", "overlap-wan-address",
         [site("A/1", circuits=[circuit("x", address6="2001:db8:9::2")]), site("B/1", circuits=[circuit("y", "203.0.113.34", address6="2001:db8:9::2")])], ["x", "y"]),
    one("broadcast", "wan-gateway-unusable", ["Main"], circuits=[circuit(gateway="203.0.113.23")]),
    one("usable", "wan-gateway-unusable", [], circuits=[circuit()]),
    one("examples flagged", "wan-private", ["Main"], {"flag_documentation": True}, circuits=[circuit()]),
    one("not routed here", "wan-use-outside", ["Main"], circuits=[circuit(uses={"203.0.113.30": "server"})]),
    one("the provider's gateway", "wan-use-outside", ["Main"], circuits=[circuit(uses={"203.0.113.17": "server"})]),
    one("in the hand-off and in a block", "wan-use-outside", [],
        circuits=[circuit(uses={"203.0.113.20": "server", "198.51.100.9": "mail"}, routed_blocks=["198.51.100.8/29"])]),
    one("the own address", "wan-use-taken", ["Main"], circuits=[circuit(uses={"203.0.113.18": "server"})]),
    Case("another site's, own and further", "wan-use-taken",
         [site("A/1", circuits=[circuit(uses={"203.0.113.20": "server"})]),
          site("B/1", circuits=[circuit("x", "203.0.113.19", uses={"203.0.113.20": "mail"})]),
          site("B/2", circuits=[circuit("y", "203.0.113.20")])], ["Main", "x"]),
    one("a free one, and the same here only once", "wan-use-taken", [], circuits=[circuit(uses={"203.0.113.20": "server", "203.0.113.21": "spare"})]),
    one("clients on a link", "transit-range", ["Link"], segments=[segment("Link", OTHER, role="transit", scope=scope("10.40.9.20", "10.40.9.99"))]),
    one("off, or an office", "transit-range", [], segments=[WIDE, segment("Link", OTHER, role="transit", scope=scope("10.40.9.20", "10.40.9.99", server="none"))]),
    Case("one serial number, and one MAC", "box-duplicate",
         [site("A/1", devices={"dev0": box("a", serial="T5-1"), "dev1": box("b", macs=[MAC])}),
          site("B/1", devices={"dev0": box("c", serial="t5-1")}), site("B/2", devices={"dev0": box("d", macs=[MAC])})], ["a", "b", "c", "d"]),
    Case("twice at one site", "box-duplicate", [site("A/1", devices={"dev0": box("a", serial="T5-1"), "dev1": box("b", serial="T5-1")})], ["a", "b"]),
    Case("their own, and a host that is the box", "box-duplicate",
         [site("A/1", [segment()], [host(mac=MAC)], devices={"dev0": box("a", serial="T5-1", macs=[MAC])}), site("B/1", devices={"dev0": box("c", serial="T5-2")})], []),
    one("in one segment", "host-name-twice", ["Printer", "printer"], segments=[segment()], hosts=[host(), host(name="Printer")]),
    one("in two", "host-name-twice", [], segments=[segment(), segment("Lab", OTHER)], hosts=[host(), host("Lab")]),
    one("none yet", "host-address-missing", ["printer"], segments=[segment()], hosts=[host()]),
    one("IPv6 alone", "host-address-missing", [], segments=[segment(**SIX)], hosts=[host(address6="2001:db8:40:1::9")]),
    one("elsewhere", "keep-violated", ["printer"], segments=[segment(kept=KEEP)], hosts=[host(kind="Printer", address="10.40.8.9")]),
    one("in its run, and another kind", "keep-violated", [], segments=[segment(kept=KEEP)],
        hosts=[host(kind="printer", address="10.40.8.200"), host(name="cam", kind="camera", address="10.40.8.9"), host(name="x", address="10.40.8.10")]),
    one("kept in another segment", "keep-violated", [], segments=[segment(kept=KEEP), segment("Lab", OTHER)], hosts=[host("Lab", kind="printer", address="10.40.9.9")]),
    one("204 of 254", "subnet-tight", ["Office"], segments=[segment(expected_hosts=204)]),
    one("203 of 254", "subnet-tight", [], segments=[segment(expected_hosts=203)]),
    one("a link is full", "subnet-tight", [], segments=[segment(subnet="10.40.8.0/30", role="transit", expected_hosts=2)]),
    one("more than there are", "subnet-tight", ["Office"], segments=[segment(expected_hosts=255)]),
    one("a link of 14", "subnet-wasteful", ["Office"], segments=[segment(subnet="10.40.8.0/28", role="transit")]),
    one("a /29, and IPv6", "subnet-wasteful", [],
        segments=[segment(subnet="10.40.8.0/29", role="transit"), segment("six", "2001:db8:1::/64", role="transit")]),
    one("in the middle", "gateway-convention", ["Office"], segments=[segment(gateway="10.40.8.9")]),
    one("the other end", "gateway-convention", ["Office"], {"gateway": "last"}, segments=[segment()]),
    one("by convention", "gateway-convention", [], {"gateway": "last"}, segments=[segment(gateway="10.40.8.254")]),
    one("a /60", "ipv6-size", ["Office"], segments=[segment(subnet6="2001:db8:40:10::/60")]),
    one("a /64, and a link", "ipv6-size", [], segments=[segment(**SIX), segment("link", "2001:db8:40:2::/127", role="transit")]),
    one("another prefix", "ipv6-outside", ["Office"], delegated_prefix="2001:db8:41::/48", segments=[segment(**SIX)]),
    one("of the prefix, or of the site's own", "ipv6-outside", [], delegated_prefix="2001:db8:40::/48",
        segments=[segment(**SIX), segment("Lab", "fd00:40:8::/64")]),
    one("fewer than clients", "scope-small", ["Office"], segments=[served(expected_hosts=81)]),
    one("the fixed need none", "scope-small", [], segments=[served(expected_hosts=81)], hosts=[("Office", "a", "10.40.8.9")]),
    one("247 of 254", "scope-fills", ["Office"], segments=[served("10.40.8.2", "10.40.8.248")]),
    one("the organisation wants more", "scope-fills", ["Office"], {"leave_fixed": 175}, segments=[served()]),
    one("246 of 254, and a /27", "scope-fills", [],
        segments=[served("10.40.8.2", "10.40.8.247"), served("10.40.9.2", "10.40.9.30", label="Lab", subnet="10.40.9.0/27")]),
    one("switched off", "scope-leftover", ["Office"], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", server="none"))]),
    one("blank", "scope-leftover", [], segments=[segment(scope={"server": "none"})]),
    one("another router", "scope-router", ["Office"], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", options={"3": "10.40.8.2"}))]),
    one("the gateway", "scope-router", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", options={"3": "10.40.8.1"}))]),
    one("none", "scope-dns-missing", ["Office"], segments=[WIDE]),
    one("by option, or no range", "scope-dns-missing", [],
        segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", options={"6": "192.0.2.53"})), segment("Lab", OTHER)]),
    one("nobody there", "scope-dns-dead", ["Office"], segments=[served(resolvers=["10.40.8.9"])]),
    one("in another segment", "scope-dns-dead", ["Office"], segments=[served(resolvers=["10.40.9.9"]), segment("Lab", OTHER)]),
    one("a host, the gateway, or far away", "scope-dns-dead", [],
        segments=[served(resolvers=["10.40.8.9", "gateway", "192.0.2.53"])], hosts=[("Office", "dns", "10.40.8.9")]),
    one("another zone", "scope-option-time", ["Office"], segments=[served(scope=scope("10.40.8.20", "10.40.8.99", options={"2": "7200"}))]),
    one("in summer", "scope-option-time", [], segments=[served(scope=scope("10.40.8.20", "10.40.8.99", options={"2": "3600"}))]),
    one("to the west", "scope-option-time", [], time_zone="America/New_York", segments=[served(scope=scope("10.40.8.20", "10.40.8.99", options={"2": "4294949296"}))]),
    one("nobody there", "scope-option-unknown", ["Office"], segments=[served(scope=scope("10.40.8.20", "10.40.8.99", options={"66": "10.40.8.9"}))]),
    one("a host", "scope-option-unknown", [], hosts=[("Office", "phones", "10.40.8.9")],
        segments=[served(scope=scope("10.40.8.20", "10.40.8.99", options={"66": "10.40.8.9", "67": "boot"}))]),
    one("a minute, and a year", "scope-lease", ["Lab", "Office"],
        segments=[segment(scope={"lease": 60}), segment("Lab", OTHER, scope={"lease": 31_536_000})]),
    one("a day", "scope-lease", [], segments=[segment(scope={"lease": 86_400})]),
    one("off", "scope-nobody", ["Office"], segments=[segment(expected_hosts=9, scope={"server": "none"})]),
    one("no range", "scope-nobody", ["Office"], segments=[segment(expected_hosts=9)]),
    one("all fixed, elsewhere served, or a range", "scope-nobody", [], hosts=[("Office", "a", "10.40.8.9")],
        segments=[segment(expected_hosts=2), segment("Lab", OTHER, expected_hosts=9, scope={"server": "192.0.2.9"}),
                  served("10.41.8.20", "10.41.8.99", label="X", subnet="10.41.8.0/24", expected_hosts=20)]),
    one("no label read", "reserved-mac-missing", ["printer"], segments=[WIDE], hosts=[host(address="10.40.8.30", method="reserved")]),
    one("known", "reserved-mac-missing", [], segments=[WIDE], hosts=[host(address="10.40.8.30", method="reserved", mac=MAC), host(name="b", address="10.40.8.10")]),
    one("off", "reserved-nobody", ["printer"], segments=[segment(scope={"server": "none"})], hosts=[host(address="10.40.8.30", method="reserved", mac=MAC)]),
    one("served", "reserved-nobody", [], segments=[WIDE], hosts=[host(address="10.40.8.30", method="reserved", mac=MAC)]),
    one("group bit", "mac-group", ["printer"], segments=[segment()], hosts=[host(mac="03:40:08:00:00:01")]),
    one("none", "mac-group", [], segments=[segment()], hosts=[host(mac=MAC)]),
    one("a circuit with one", "dns-single", ["DOCK"], circuits=[circuit(resolvers=["192.0.2.53"])]),
    one("a segment with one", "dns-single", ["DOCK"], segments=[served(resolvers=["192.0.2.53"])]),
    one("the gateway is enough", "dns-single", [], segments=[served(resolvers=["gateway"])], circuits=[circuit()]),
    one("gateway in two words", "dns-twice", ["DOCK"], segments=[served(resolvers=["gateway", "10.40.8.1"])]),
    one("two", "dns-twice", [], segments=[served()], circuits=[circuit()]),
    one("somebody's", "domain-public", ["DOCK"], segments=[segment(domain="dock.fern.shop")]),
    one("multicast", "domain-public", ["DOCK"], segments=[segment(domain="fern.local")]),
    one("owned", "domain-public", [], {"owned_domains": ["fern.shop"]}, segments=[segment(domain="dock.Fern.shop")]),
    one("not public", "domain-public", [], segments=[segment(domain="dock.fern.example"), segment("Lab", OTHER, domain="fern.internal")]),
    one("none", "time-zone-missing", ["DOCK"], time_zone=None),
    one("given", "time-zone-missing", []),
    one("nothing known", "intake-open", ["DOCK"], circuits=[circuit(handoff=None)]),
    one("no gateway", "intake-open", ["DOCK"], circuits=[circuit(gateway=None)]),
    one("no user", "intake-open", ["DOCK"], circuits=[circuit(handoff="pppoe")]),
    one("all given", "intake-open", [], circuits=[circuit(), circuit("x", None, handoff="dhcp"), circuit("y", None, handoff="pppoe", pppoe_user="u")]),
    one("departed", "answer-departed", ["DOCK"], circuits=[circuit(gateway="203.0.113.22")], answers={"gateway.circ0": CONFIRMED}),
    one("as confirmed", "answer-departed", [], circuits=[circuit()], answers={"gateway.circ0": CONFIRMED}),
    one("not confirmed", "answer-departed", [], circuits=[circuit(gateway="203.0.113.22")], answers={"gateway.circ0": CONFIRMED | {"confirmed": False}}),
    one("planned nowhere", "answer-no-host", ["DOCK"], segments=[segment()], answers={"phone_system": CONFIRMED | {"text": "10.40.8.20"}}),
    one("among guests", "answer-no-host", ["DOCK"], segments=[segment(role="guest")], answers={"dns_server": CONFIRMED | {"text": "10.40.8.20"}}),
    one("phone settings nowhere", "answer-no-host", ["DOCK"], segments=[segment(reach="local")], answers={"phone_provisioning": CONFIRMED | {"text": "http://10.99.0.5/cfg"}}),
    one("phone settings at another site", "answer-no-host", [], segments=[segment(reach="group")], answers={"phone_provisioning": CONFIRMED | {"text": "10.99.0.5"}}),
    one("phone settings of a provider", "answer-no-host", [], segments=[segment(reach="local")], answers={"phone_provisioning": CONFIRMED | {"text": "https://192.0.2.9/cfg"}}),
    one("planned", "answer-no-host", [], segments=[segment()], hosts=[host(address="10.40.8.20")], answers={"phone_system": CONFIRMED | {"text": "10.40.8.20, in the rack"}}),
    one("elsewhere", "answer-no-host", [], segments=[segment()], answers={"dns_server": CONFIRMED | {"text": "10.99.0.5"}, "phone_system": CONFIRMED | {"text": "none"}}),
    one("the edge too", "answer-not-served", ["DOCK"], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99"))], hosts=[host(address="10.40.8.5")], answers={"dhcp_server": CONFIRMED | {"text": "10.40.8.5"}}),
    one("none, and one is there", "answer-not-served", ["DOCK"], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", server="10.40.8.5"))], hosts=[host(address="10.40.8.5")], answers={"dhcp_server": CONFIRMED | {"text": "none"}}),
    one("as answered", "answer-not-served", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99", server="10.40.8.5"))], answers={"dhcp_server": CONFIRMED | {"text": "10.40.8.5"}}),
    one("the edge, and none", "answer-not-served", [], segments=[segment(scope=scope("10.40.8.20", "10.40.8.99"))], answers={"dhcp_server": CONFIRMED | {"text": "none"}}),
    one("none, and one is noted", "answer-licences", ["DOCK"], devices={"dev0": box("dock-edge", licences={"upkeep": {}})}, answers={"licences": CONFIRMED | {"text": "none"}}),
    one("none", "answer-licences", [], devices={"dev0": box("dock-edge")}, answers={"licences": CONFIRMED | {"text": "none"}}),
    one("moved", "survivor-lost", ["DOCK"], segments=[segment(gateway="10.40.8.254")], survivors=SURVIVES),
    one("stays", "survivor-lost", [], segments=[segment()], survivors=SURVIVES),
    one("resolvers: none", "intake-open", [], circuits=[circuit(resolvers=[])], answers={"resolvers.circ0": CONFIRMED | {"text": "none"}}),
    one("a line end", "text-not-one-line", ["DOCK"], contact="Ada\nuser evil secret x"),
    one("another direction", "text-not-one-line", ["DOCK"], hosts=[host(name="till \u202e1")], segments=[segment()]),
    one("one line", "text-not-one-line", [], contact="Ada, Grün & Søn, 01632 960 114", street="1 Quay – rear"),
    one("yesterday", "ship-date-past", ["DOCK"], ship_date="2027-03-03"),
    one("today", "ship-date-past", [], ship_date="2027-03-04"),
]  # fmt: skip


class Rules(unittest.TestCase):
    def test_every_case(self) -> None:
        for case in CASES:
            with self.subTest(f"{case.rule}: {case.name}"):
                self.assertEqual(sorted(f.subject for f in case.findings()), sorted(case.subjects))

    def test_every_rule_has_a_case_that_speaks_and_one_that_is_silent(self) -> None:
        speaking = {case.rule for case in CASES if case.subjects}
        silent = {case.rule for case in CASES if not case.subjects}
        elsewhere = (
            "octaplan.core.check.rules.devices",
            "octaplan.core.check.rules.management",
            "octaplan.core.check.rules.cabling",
            "octaplan.core.check.rules.traffic",
            "octaplan.core.check.rules.publications",
            "octaplan.core.check.rules.segments",
            "octaplan.core.check.rules.credentials",
        )  # in test_device_rules, test_traffic_rules
        book = {name for name, rule in RULES.items() if rule.check.__module__ not in elsewhere}
        self.assertEqual(speaking, book)
        self.assertEqual(silent, book)

    def test_the_contract_stands(self) -> None:
        book = {rule.id: (str(rule.severity), rule.subject) for rule in RULES.values()}
        self.assertEqual({rule_id: book.get(rule_id) for rule_id in CONTRACT}, CONTRACT)

    def test_a_clean_plan_has_no_findings(self) -> None:
        clean = site(
            segments=[segment(scope=scope("10.40.8.20", "10.40.8.99"), resolvers=["gateway"])],
            hosts=[("Office", "p", "10.40.8.10")],
            circuits=[circuit()],
        )
        self.assertEqual(found(clean), [])

    def test_a_subnet_is_tight_as_a_note_and_too_small_as_a_warn(self) -> None:
        severities = {
            hosts: [str(f.severity) for f in found(site(segments=[segment(expected_hosts=hosts)]), rule="subnet-tight")]
            for hosts in (203, 204, 254, 255)
        }
        self.assertEqual(severities, {203: [], 204: ["note"], 254: ["note"], 255: ["warn"]})

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
            for finding in case.findings():
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
