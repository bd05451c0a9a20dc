"""The rules about devices, Wi-Fi and credentials: each speaks where it must and is silent beside it."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Iterable
from copy import deepcopy
from typing import Any, NamedTuple

from octaplan.core.check.findings import Finding
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.plan.credentials import SlotFact, slots_of
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import Offers
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit, segment, site

KIND = hardware(
    licences={"upkeep": "new firmware"},
    firmware={"wanted": "4.10.2"},
    slots={"administrator": {"label": "administrator password"}},
    ssh_needs_full_name=True,
)
SHORT = KIND.model_copy(update={"key": "test-short", "ssh_needs_full_name": False})
SWITCH = hardware(
    "test-eight", kind="switch", model="Eight", ports={str(n): {"powers": n == 8} for n in range(1, 9)}, slots={}
)
POINT = hardware("test-air", kind="access point", powered_by=["port"], slots={})
TYPES = {
    KIND.key: KIND,
    SHORT.key: SHORT,
    SWITCH.key: SWITCH,
    POINT.key: POINT,
    "bare": hardware("bare", ports={}, slots={}),
}


def base() -> dict[str, Any]:
    """A site with one wired edge and nothing wrong, as a document; the device is `edge`, its Wi-Fi `wifi`."""
    plan, key = with_device(office_site(), KIND)
    document = plan.document()
    device = document["devices"].pop(key)
    device |= {"licences": {"upkeep": {"ends": None}}, "firmware": "4.10.2"}
    document["devices"] = {"edge": device}
    document["wireless"] = {"wifi": {"name": "Fern", "segment": "seg0"}}
    return document


def findings(
    document: dict[str, Any], facts: dict[str, SlotFact] | None = None, rule: str | None = None
) -> list[Finding]:
    plan = SitePlan.model_validate(document)
    known = {slot.path: SlotFact() for slot in slots_of(plan, TYPES)} | (facts or {})
    every = Portfolio([plan], hardware=TYPES, facts=lambda _: known).check_all()
    return [finding for finding in every if rule is None or finding.rule == rule]


class Case(NamedTuple):
    rule: str
    subjects: list[str]
    change: Callable[[dict[str, Any]], object]


def edge(**values: Any) -> Callable[[dict[str, Any]], object]:
    return lambda d: d["devices"]["edge"].update(deepcopy(values))


def port(name: str, **values: Any) -> Callable[[dict[str, Any]], object]:
    return lambda d: d["devices"]["edge"]["ports"][name].update(values)


def second(role: str = "switch", **values: Any) -> Callable[[dict[str, Any]], object]:
    usual = {"type": "test-eight", "role": role, "name": f"dock-{role}", "time_servers": ["t.example"], "ports": {},
             "access": {"https": {"service": "https", "segment": "seg2"}}}  # fmt: skip
    return lambda d: d["devices"].update(other=deepcopy(usual | values))


def both(*changes: Callable[[dict[str, Any]], object]) -> Callable[[dict[str, Any]], object]:
    return lambda d: [change(d) for change in changes]


def part(path: str, **values: Any) -> Callable[[dict[str, Any]], object]:
    """Change a member at a path of the document."""

    def change(document: dict[str, Any]) -> None:
        place = document
        for step in path.split("/"):
            place = place[step]
        place.update(deepcopy(values))

    return change


def route(to: str, via: str | None = None, **more: Any) -> dict[str, Any]:
    return {"to": to, "via": via, **more}


DEFAULT = {"aaaa": {"to": "0.0.0.0/0", "circuit": "circ0", "metric": 10}}
SECOND_LINE = {"circ1": circuit("Backup", "198.51.100.18", gateway="198.51.100.17", priority=2)}
NOTHING = both()
OTHER_ROUTER = part("hosts", host9={"segment": "seg0", "name": "other router", "address": "10.40.8.9"})
UPLINK = {"1": {"mode": "trunk", "segment": "seg2"}}


def printer(document: dict[str, Any]) -> None:
    document["hosts"]["host0"] = {"segment": "seg0", "name": "printer", "address": "10.40.8.5"}


#: An inner router behind the edge, with a lab of its own.
LINKED = both(
    part(
        "segments",
        link=segment("Link", "10.40.12.0/30", role="transit", gateway=None),
        lab0=segment("Lab", "10.40.13.0/24"),
    ),
    port("4", mode="routed", segment="link", peer="other", peer_port="1"),
    edge(addresses={"link": "10.40.12.1"}, routes=DEFAULT | {"back": route("10.40.13.0/24", "10.40.12.2")}),
    second(
        "inner-router",
        ports={
            "1": {"mode": "routed", "segment": "link", "peer": "edge", "peer_port": "4"},
            "2": {"mode": "access", "segment": "lab0"},
        },
        addresses={"link": "10.40.12.2"},
        routes={"dddd": route("0.0.0.0/0", "10.40.12.1")},
    ),
    lambda d: d["devices"]["edge"]["allows"].update(laba={"source": "lab0", "target": "internet"}),
    lambda d: d["devices"]["edge"]["translations"].update(labt={"segment": "lab0", "circuit": "circ0"}),
)
SWITCHED = second(ports={"8": {"mode": "access", "segment": "seg0"}})

CASES = [
    Case("device-type-missing", ["dock-edge"], edge(type="gone")),
    Case("device-type-missing", ["dock-edge"], edge(type="bare")),
    Case("device-type-missing", [], NOTHING),
    Case("port-unknown", ["dock-edge"], lambda d: d["devices"]["edge"]["ports"].update({"9": {"mode": "access", "segment": "seg0"}})),
    Case("port-unknown", [], lambda d: d["devices"]["edge"]["ports"].update({"9": {"mode": "unused"}})),
    Case("wiring-dangling", ["dock-edge"], port("1", segment="gone")),
    Case("wiring-dangling", ["dock-edge"], port("1", segment=None)),
    Case("wiring-dangling", ["dock-edge"], port("1", peer="gone")),
    Case("wiring-dangling", [], port("4", mode="unused", segment="gone")),
    Case("port-taken", ["dock-edge", "dock-edge"], port("4", mode="circuit", circuit="circ0")),
    Case("port-taken", ["dock-edge", "dock-edge"], both(second(), port("1", peer="other", peer_port="1"), port("2", peer="other", peer_port="1"))),
    Case("port-taken", [], both(second(ports={"1": {"mode": "access", "segment": "seg0", "peer": "edge", "peer_port": "1"}}), port("1", peer="other", peer_port="1"))),
    Case("interface-disabled", ["dock-edge"], port("1", enabled=False)),
    Case("interface-disabled", [], port("4", enabled=False)),
    Case("circuit-unplugged", ["Main"], port("WAN", mode="unused", circuit=None)),
    Case("circuit-unplugged", [], NOTHING),
    Case("circuit-unplugged", [], both(port("WAN", mode="unused", circuit=None), edge(role="inner-router"))),
    Case("segment-unplugged", ["Voice"], port("2", mode="unused", segment=None)),
    Case("segment-unplugged", [], part("segments", seg3=segment("Lab", "10.40.12.0/24", role="isolated"))),
    Case("inside-gateway", ["dock-edge"], port("1", gateway="10.40.8.254")),
    Case("inside-gateway", [], port("WAN", gateway="203.0.113.17")),
    Case("device-address-taken", ["dock-edge", "dock-switch"], second(addresses={"seg2": "10.40.10.1"}, gateway="10.40.10.1", ports=UPLINK)),
    Case("device-address-taken", ["dock-switch"], both(second(addresses={"seg2": "10.40.10.2"}, ports=UPLINK), part("hosts", host0={"segment": "seg2", "name": "recorder", "address": "10.40.10.2"}))),
    Case("device-address-taken", [], both(second(host="host0", ports=UPLINK), part("hosts", host0={"segment": "seg2", "name": "switch 1", "address": "10.40.10.2"}))),
    Case("device-address-outside", ["dock-edge"], edge(addresses={"seg0": "10.40.9.1"})),
    Case("device-address-outside", [], edge(addresses={"seg0": "10.40.8.2"})),
    Case("switch-gateway-missing", ["dock-switch"], second(addresses={"seg2": "10.40.10.2"}, ports=UPLINK)),
    Case("switch-gateway-missing", [], second(addresses={"seg2": "10.40.10.2"}, gateway="10.40.10.1", ports=UPLINK)),
    Case("switch-gateway-missing", [], second()),
    Case("device-address-taken", [], both(second(addresses={"seg1": "10.40.9.9"}, ports=UPLINK), part("segments/seg1", vrf="lab"), part("hosts", host0={"segment": "seg0", "name": "recorder", "address": "10.40.9.9"}))),
    Case("device-address-leased", ["dock-switch"], second(addresses={"seg0": "10.40.8.30"}, ports=UPLINK)),
    Case("device-address-leased", [], second(addresses={"seg0": "10.40.8.3"}, ports=UPLINK)),
    Case("device-address-leased", [], both(second(addresses={"seg0": "10.40.8.30"}, ports=UPLINK), part("segments/seg0/scope", excluded=["10.40.8.30"]))),
    Case("switch-gateway-wrong", ["dock-switch"], second(addresses={"seg2": "10.40.10.2"}, gateway="10.40.8.1", ports=UPLINK)),
    Case("switch-gateway-wrong", ["dock-switch"], second(addresses={"seg2": "10.40.10.2"}, gateway="10.40.10.9", ports=UPLINK)),
    Case("switch-gateway-wrong", ["dock-access-point", "dock-switch"], both(
        second(addresses={"seg2": "10.40.10.2"}, gateway="10.40.10.1", ports=UPLINK),
        lambda d: d["devices"].update(apap=d["devices"]["other"] | {"role": "access-point", "name": "dock-access-point", "addresses": {"seg2": "10.40.10.3"}}),
        part("segments/seg2", gateway="10.40.10.62"))),
    Case("switch-gateway-wrong", [], second(addresses={"seg2": "10.40.10.2"}, gateway="10.40.10.1", ports=UPLINK)),
    Case("port-missing", ["Voice"], both(port("1", mode="unused", segment=None), port("2", peer="other", peer_port="1"), port("3", peer="other", peer_port="2"), second(ports={"3": {"mode": "access", "segment": "seg0"}}), part("hosts", host0={"segment": "seg1", "name": "phone"}))),
    Case("port-missing", [], part("hosts", host0={"segment": "seg1", "name": "phone"})),
    Case("route-default-missing", ["dock-edge"], edge(routes={})),
    Case("route-default-missing", [], both(edge(routes={}), part("circuits/circ0", handoff="dhcp"))),
    Case("route-default-twice", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("0.0.0.0/0", "203.0.113.17", metric=10)})),
    Case("route-default-twice", [], edge(routes=DEFAULT | {"bbbb": route("0.0.0.0/0", "203.0.113.17", metric=20)})),
    Case("route-next-hop", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.77.0.1")})),
    Case("route-next-hop", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.40.8.1")})),
    Case("route-next-hop", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16")})),
    Case("route-next-hop", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.40.8.9")})),
    Case("route-next-hop", [], both(OTHER_ROUTER, edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.40.8.9")}))),
    Case("route-twice", ["dock-edge"], both(OTHER_ROUTER, edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.40.8.9"), "cccc": route("10.99.0.0/16", "10.40.8.10")}))),
    Case("route-twice", [], both(OTHER_ROUTER, edge(routes=DEFAULT | {"bbbb": route("10.99.0.0/16", "10.40.8.9"), "cccc": route("10.99.0.0/16", "10.40.8.10", metric=5)}))),
    Case("transit-addresses-missing", ["Link"], both(LINKED, lambda d: d["devices"]["other"].update(addresses={}))),
    Case("transit-addresses-missing", [], LINKED),
    Case("route-default-missing", ["dock-inner-router"], both(LINKED, lambda d: d["devices"]["other"].update(routes={}))),
    Case("route-default-missing", [], LINKED),
    Case("route-shadow", ["dock-edge"], edge(routes=DEFAULT | {"bbbb": route("10.40.8.128/25", "10.40.8.9")})),
    Case("route-shadow", [], edge(routes=DEFAULT | {"bbbb": route("10.40.0.0/16", "10.40.8.9")})),
    Case("metric-failover", ["DOCK"], part("circuits", circ1=SECOND_LINE["circ1"] | {"priority": 1})),
    Case("metric-failover", [], part("circuits", **SECOND_LINE)),
    Case("overlap-factory", ["Office"], part("segments/seg0", subnet="192.168.77.0/25", gateway="192.168.77.1")),
    Case("overlap-factory", [], NOTHING),
    Case("two-servers", ["Office"], second("edge", ports={"1": {"mode": "access", "segment": "seg0"}})),
    Case("two-servers", [], second(ports={"1": {"mode": "access", "segment": "seg0"}})),
    Case("dns-loop", ["dock-edge"], edge(forwarders=["10.40.8.1"])),
    Case("dns-loop", [], edge(forwarders=["192.0.2.53"])),
    Case("scope-dns-dead", ["Office"], part("segments/seg0", resolvers=["10.40.9.9"])),
    Case("scope-dns-dead", ["Office"], edge(forwarders=[])),
    Case("scope-dns-dead", [], both(edge(forwarders=[]), part("circuits/circ0", handoff="pppoe", pppoe_user="dock"))),
    Case("scope-dns-dead", [], both(edge(forwarders=[]), part("circuits/circ0", handoff="dhcp"))),
    Case("scope-dns-dead", [], part("segments/seg0", resolvers=["192.0.2.53"])),
    Case("scope-option-unknown", ["Office"], part("segments/seg0/scope", options={"66": "10.40.9.9"})),
    Case("scope-option-unknown", [], part("segments/seg0/scope", options={"66": "198.51.100.9", "42": "10.40.8.1", "15": "10.40.9.9"})),
    Case("host-name-bad", ["dock edge"], edge(name="dock edge")),
    Case("host-name-bad", ["-dock"], edge(name="-dock")),
    Case("host-name-bad", ["the edge"], edge(name=None)),
    Case("host-name-bad", [], edge(name="dock-edge.fern.example")),
    Case("host-name-duplicate", ["DOCK-edge", "dock-edge"], second(name="DOCK-edge")),
    Case("host-name-duplicate", [], second()),
    Case("time-server-missing", ["dock-edge"], edge(time_servers=[])),
    Case("time-server-missing", [], second("modem", time_servers=[])),
    Case("access-telnet", ["dock-edge"], edge(access={"aaaa": {"service": "telnet", "segment": "seg0"}})),
    Case("access-telnet", [], NOTHING),
    Case("access-plain-http", ["dock-edge"], edge(access={"aaaa": {"service": "http", "segment": "seg0"}})),
    Case("access-plain-http", [], NOTHING),
    Case("access-open", ["dock-edge"], edge(access={"aaaa": {"service": "https", "networks": ["0.0.0.0/0"]}})),
    Case("access-open", [], edge(access={"aaaa": {"service": "https", "networks": ["198.51.100.0/28"]}})),
    Case("port-taken", ["dock-edge", "dock-edge"], both(printer, port("1", host="host0"), port("4", mode="access", segment="seg0", host="host0"))),
    Case("wiring-dangling", ["dock-edge"], port("1", host="gone")),
    Case("host-port", ["printer"], both(printer, port("2", host="host0"))),
    Case("host-port", ["printer"], both(printer, port("2", mode="trunk", segment=None, tagged=["seg0"], host="host0"))),
    Case("host-port", [], both(printer, port("1", host="host0"))),
    Case("host-uncabled", ["Office"], both(printer, SWITCHED)),
    Case("host-uncabled", [], printer),
    Case("host-uncabled", [], both(printer, SWITCHED, port("1", host="host0"))),
    Case("host-uncabled", [], both(printer, SWITCHED, part("hosts/host0", attached="wifi"))),
    Case("host-off-air", ["printer"], both(printer, part("hosts/host0", attached="wifi", segment="seg1", address="10.40.9.5"))),
    Case("host-off-air", [], both(printer, part("hosts/host0", attached="wifi"))),
    Case("power-missing", ["printer"], both(printer, part("hosts/host0", attached="powered-cable"), port("1", host="host0"))),
    Case("power-missing", [], both(printer, part("hosts/host0", attached="powered-cable"), SWITCHED, lambda d: d["devices"]["other"]["ports"]["8"].update(host="host0"))),
    Case("power-missing", ["dock-access-point"], second("access-point", type="test-air")),
    Case("power-missing", [], both(second("access-point", type="test-air", ports={"1": {"mode": "trunk", "segment": "seg2", "peer": "swit", "peer_port": "8"}}), lambda d: d["devices"].update(swit={"type": "test-eight", "role": "switch"}))),
    Case("access-name-needed", ["dock-edge"], edge(domain=None, access={"aaaa": {"service": "ssh", "segment": "seg0"}})),
    Case("access-name-needed", [], edge(type="test-short", domain=None, access={"aaaa": {"service": "ssh", "segment": "seg0"}})),
    Case("access-name-needed", [], edge(access={"aaaa": {"service": "ssh", "segment": "seg0"}})),
    Case("access-missing", ["dock-edge"], edge(access={})),
    Case("access-missing", [], NOTHING),
    Case("licence-missing", ["dock-edge"], edge(licences={})),
    Case("licence-missing", [], NOTHING),
    Case("licence-ends", ["dock-edge"], both(edge(licences={"upkeep": {"ends": "2027-01-20"}}), lambda d: d.update(ship_date="2027-01-01"))),
    Case("licence-ends", [], both(edge(licences={"upkeep": {"ends": "2027-02-20"}}), lambda d: d.update(ship_date="2027-01-01"))),
    Case("firmware-old", ["dock-edge"], edge(firmware="4.9.7")),
    Case("firmware-old", [], edge(firmware="4.10.2")),
    Case("wifi-open", ["Fern"], part("wireless/wifi", security="open")),
    Case("wifi-open", [], NOTHING),
    Case("wifi-legacy", ["Fern"], part("wireless/wifi", security="wpa2-tkip")),
    Case("wifi-legacy", [], part("wireless/wifi", security="wpa2")),
    Case("wifi-nowhere", ["Fern"], part("wireless/wifi", segment=None)),
    Case("wifi-nowhere", [], NOTHING),
]  # fmt: skip

PASSWORD = "devices/edge/administrator"
CREDENTIALS = [
    ("credential-factory", SlotFact(factory=True)),
    ("credential-weak", SlotFact(score=2)),
    ("credential-reused", SlotFact(shared=(Other("F", "X", "x-edge administrator password"),), shared_total=1)),
    ("credential-old", SlotFact(age_days=800)),
]


def hold(test: unittest.TestCase, cases: Iterable[Case]) -> None:
    """Each case speaks of its subjects and of nothing else, in whole sentences."""
    for number, case in enumerate(cases):
        with test.subTest(case.rule, number=number):
            document = base()
            case.change(document)
            found = findings(document, rule=case.rule)
            test.assertEqual(sorted(f.subject for f in found), sorted(case.subjects))
            for finding in found:
                test.assertTrue(finding.message.endswith("."), finding.message)


class EveryDeviceRule(unittest.TestCase):
    def test_cases(self) -> None:
        hold(self, CASES)

    def test_cables_and_power_are_mended_by_one_key_where_there_is_a_way(self) -> None:
        for number, case in enumerate(CASES):
            if not RULES[case.rule].check.__module__.endswith("rules.cabling") or not case.subjects:
                continue
            document = base()
            case.change(document)
            plan = SitePlan.model_validate(document)
            portfolio = Portfolio([plan], hardware=TYPES)
            found = portfolio.check_all()
            for finding in (one for one in found if one.rule == case.rule and one.subject == "printer"):
                with self.subTest(case.rule, number=number):
                    self.assertTrue(Offers(portfolio, plan, found).of(finding) or case.rule == "power-missing")

    def test_a_wired_site_has_no_findings(self) -> None:
        self.assertEqual(findings(base()), [])

    def test_each_credential_rule_speaks_of_its_slot_only(self) -> None:
        for rule, fact in CREDENTIALS:
            with self.subTest(rule):
                (finding,) = findings(base(), {PASSWORD: fact})
                self.assertEqual((finding.rule, finding.path), (rule, f"/safe/{PASSWORD}"))
                self.assertIn("administrator password of dock-edge", finding.message)

    def test_a_missing_secret_stops_and_no_safe_at_hand_says_nothing(self) -> None:
        plan = SitePlan.model_validate(base())
        missing = Portfolio([plan], hardware=TYPES, facts=lambda _: {}).check_all()
        self.assertEqual([f.rule for f in missing], ["credential-missing"] * 2)
        self.assertEqual(Portfolio([plan], hardware=TYPES).check_all(), [])

    def test_what_the_provider_gave_is_never_called_weak_or_old(self) -> None:
        document = base()
        document["circuits"]["circ0"] |= {"handoff": "pppoe", "pppoe_user": "dock"}
        self.assertEqual(findings(document, {"circuits/circ0/pppoe": SlotFact(score=0, age_days=9_999)}), [])

    def test_every_rule_is_tried_both_ways(self) -> None:
        book = {
            name
            for name, rule in RULES.items()
            if rule.check.__module__.endswith(("rules.devices", "rules.management"))
        }
        self.assertLessEqual(book, {case.rule for case in CASES if case.subjects})
        self.assertLessEqual(book, {case.rule for case in CASES if not case.subjects})


class Wiring(unittest.TestCase):
    def wired(self, plan: SitePlan, role: DeviceRole = DeviceRole.EDGE, **more: Any) -> dict[str, Any]:
        equipped, key = with_device(plan, hardware(**more), role)
        return equipped.document()["devices"][key]

    def test_a_new_edge_is_wired_addressed_and_permitted(self) -> None:
        device = self.wired(office_site())
        carried = {name: use["circuit"] or use["segment"] for name, use in device["ports"].items()}
        self.assertEqual(carried, {"WAN": "circ0", "1": "seg0", "2": "seg1", "3": "seg2", "4": None})
        self.assertEqual(len(device["translations"]), 3)
        self.assertEqual({a["target"] for a in device["allows"].values()}, {"internet", "all"})
        self.assertEqual(device["forwarders"], ["192.0.2.53", "192.0.2.54"])

    def test_with_a_switch_one_port_carries_everything(self) -> None:
        plan, switch = with_device(office_site(), SWITCH, DeviceRole.SWITCH)
        plan, key = with_device(plan, KIND)
        uplink = plan.devices[switch].ports["1"]
        self.assertEqual((uplink.peer, uplink.peer_port), (key, "2"))
        self.assertEqual(plan.devices[key].ports["2"].tagged, ["seg0", "seg1"])
        self.assertEqual(plan.devices[switch].addresses, {"seg2": plan.segments["seg2"].gateway.plus(1)})  # type: ignore[union-attr]

    def test_a_switch_takes_over_the_fixed_host_that_it_is(self) -> None:
        host = {
            "segment": "Office",
            "name": "switch 1",
            "kind": "switch",
            "address": "10.40.8.2",
            "mac": "02:40:08:00:00:01",
        }
        plan, key = with_device(office_site(hosts=[host]), SWITCH, DeviceRole.SWITCH)
        device = plan.devices[key]
        self.assertEqual(
            (device.host, str(device.macs[0]), str(device.gateway)), ("host0", "02:40:08:00:00:01", "10.40.8.1")
        )

    def test_names_follow_the_convention_and_never_repeat(self) -> None:
        plan, first = with_device(office_site("FERN/Dock & Yard"), SWITCH, DeviceRole.SWITCH)
        plan, second_key = with_device(plan, SWITCH, DeviceRole.SWITCH)
        names = [plan.devices[first].name, plan.devices[second_key].name]
        self.assertEqual(names, ["dock-yard-switch", "dock-yard-switch2"])

    def test_a_link_to_another_router_gets_a_routed_port_of_its_own(self) -> None:
        link = segment("Link", "10.40.12.0/30", role="transit", vlan=None)
        device = self.wired(office_site(segments=[segment(role="office", vlan=10), link]))
        self.assertEqual({n: u["mode"] for n, u in device["ports"].items() if u["segment"] == "seg1"}, {"2": "routed"})

    def test_nothing_planned_gives_a_bare_box(self) -> None:
        device = self.wired(site("F/1"))
        self.assertEqual({use["mode"] for use in device["ports"].values()}, {"unused"})

    def test_two_lines_get_two_default_routes_in_order(self) -> None:
        lines = [circuit("Backup", "198.51.100.18", gateway="198.51.100.17", priority=2), circuit(priority=1)]
        device = self.wired(office_site(circuits=lines))
        self.assertEqual(
            [(r["circuit"], r["metric"]) for r in device["routes"].values()], [("circ1", 10), ("circ0", 20)]
        )
