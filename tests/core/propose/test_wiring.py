"""Boxes added by one action: whatever the order, no site is left with a stop that nothing lifts."""

from __future__ import annotations

import unittest
from itertools import permutations
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.boxes import is_gateway, own_address, servers, uncabled
from octaplan.core.plan.device import DeviceRole, PortMode
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.cabling import Sockets, cabled, shared_out, shares, wants
from octaplan.core.propose.wiring import equip
from octaplan.core.values.addresses import parse_network
from tests import examples
from tests.core.kit import hardware, office_site
from tests.support import circuit, segment

FIREWALL = hardware(
    "test-wall",
    kind="firewall",
    console={},
    ports={
        "M": {"factory_role": "management"},
        "A1": {"factory_role": "internet", "laptop": False},
        "A2": {"factory_role": "internet", "laptop": False},
        "B1": {"factory_role": "none"},
        "B2": {"factory_role": "none"},
        "B3": {"factory_role": "none"},
    },
)
FIVE_PORTS = hardware()
SWITCH = hardware(
    "test-ten",
    kind="switch",
    ports={str(n): {"bridge": "all", "powers": n > 6} for n in range(1, 11)},
    factory={"addressing": "dhcp", "web": "http", "password": "blank"},
)
POINT = hardware(
    "test-air",
    kind="access point",
    ports={"LAN": {}},
    factory={"addressing": "dhcp", "web": "https", "password": "label"},
    powered_by=["port", "injector"],
)
KINDS = {kind.key: kind for kind in (FIREWALL, FIVE_PORTS, SWITCH, POINT)}
EDGE, INNER, SWITCHING, AIR = DeviceRole.EDGE, DeviceRole.ROUTER, DeviceRole.SWITCH, DeviceRole.ACCESS_POINT
OF_ROLE = {EDGE: FIREWALL, INNER: FIVE_PORTS, SWITCHING: SWITCH, AIR: POINT}


def shop(**more: Any) -> SitePlan:
    """A site with hosts of all sorts, and Wi-Fi for its guests."""
    segments = [
        segment(role="office", vlan=10, scope={"first": "10.40.8.20", "last": "10.40.8.199"}, resolvers=["gateway"]),
        segment("Voice", "10.40.9.0/24", role="voice", vlan=20, scope={"first": "10.40.9.50", "last": "10.40.9.99"},
                resolvers=["gateway"], expected_hosts=6),
        segment("Management", "10.40.10.0/26", role="management", vlan=99),
        segment("Guest", "10.40.11.0/24", role="guest", vlan=40, scope={"first": "10.40.11.20", "last": "10.40.11.199"},
                resolvers=["gateway"]),
        segment("Cameras", "10.40.12.0/26", role="cameras", vlan=30),
    ]  # fmt: skip
    hosts = [
        {"segment": "Office", "name": "printer", "address": "10.40.8.5"},
        {"segment": "Cameras", "name": "camera 1", "address": "10.40.12.5", "attached": "powered-cable"},
        {"segment": "Cameras", "name": "camera 2", "address": "10.40.12.6", "attached": "powered-cable"},
        {"segment": "Guest", "name": "till", "address": "10.40.11.5", "attached": "wifi"},
    ]
    wireless = {"wif1": {"name": "Fern guests", "segment": "seg3"}}
    return office_site(segments=segments, hosts=hosts, wireless=wireless, **more)


def portfolio(plan: SitePlan) -> Portfolio:
    return Portfolio([plan], hardware=KINDS)


def added(plan: SitePlan, *roles: DeviceRole, kinds: dict[DeviceRole, HardwareType] = OF_ROLE) -> SitePlan:
    """The plan with boxes of some roles, one after the other."""
    for role in roles:
        plan = applied(plan, equip(plan, role, kinds[role], ["time.tern.example"], portfolio(plan)).operations)
    return plan


def told(plan: SitePlan, role: DeviceRole) -> str:
    return " ".join(equip(plan, role, OF_ROLE[role], [], portfolio(plan)).assumed)


def box(plan: SitePlan, role: DeviceRole) -> Any:
    return next(device for device in plan.devices.values() if device.role is role)


def stops(plan: SitePlan) -> list[str]:
    return [f"{f.rule}: {f.message}" for f in portfolio(plan).check_all() if f.severity is Severity.STOP]


class AnyOrder(unittest.TestCase):
    def test_boxes_in_any_order_leave_no_stop(self) -> None:
        for number in (1, 2, 3, 4):
            for roles in permutations((EDGE, INNER, SWITCHING, AIR), number):
                if EDGE in roles or INNER in roles:
                    with self.subTest(" ".join(roles)):
                        self.assertEqual(stops(added(shop(), *roles)), [])

    def test_every_box_is_cabled_to_another(self) -> None:
        for roles in permutations((EDGE, INNER, SWITCHING, AIR)):
            with self.subTest(" ".join(roles)):
                plan = added(shop(), *roles)
                ends = {
                    (plan.devices[use.peer].role, device.role)
                    for device in plan.devices.values()
                    for use in device.ports.values()
                    if use.peer
                }
                self.assertIn((EDGE, INNER), ends)
                self.assertIn((SWITCHING, AIR), ends)
                self.assertTrue({(INNER, SWITCHING), (EDGE, SWITCHING)} & ends)
                for key, device in plan.devices.items():
                    for name, use in device.ports.items():
                        if use.peer:
                            back = plan.devices[use.peer].ports[use.peer_port or ""]
                            self.assertEqual((back.peer, back.peer_port), (key, name))
                            self.assertEqual((back.segment, set(back.tagged)), (use.segment, set(use.tagged)))


class AnInnerRouter(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = added(shop(), EDGE, SWITCHING, INNER)
        self.switch, self.router, self.edge = (box(self.plan, role) for role in (SWITCHING, INNER, EDGE))

    def test_a_link_of_its_own_with_an_address_at_each_end(self) -> None:
        (link,) = [key for key, s in self.plan.segments.items() if s.role == "transit"]
        subnet = self.plan.segments[link].subnet
        assert subnet is not None
        self.assertEqual(subnet.prefix, 30)
        ends = [own_address(self.plan, device, link) for device in (self.router, self.edge)]
        self.assertEqual(ends, [subnet.usable.last, subnet.usable.first])

    def test_the_way_out_and_the_ways_back(self) -> None:
        (default,) = self.router.routes.values()
        self.assertTrue(default.default)
        self.assertEqual(default.via, next(iter(self.edge.addresses.values())))
        back = {str(route.to) for route in self.edge.routes.values() if not route.default}
        self.assertEqual(back, {str(s.subnet) for s in self.plan.segments.values() if s.role != "transit"})

    def test_it_is_the_gateway_now_and_serves_the_scopes(self) -> None:
        for key, one in self.plan.segments.items():
            if one.role != "transit":
                self.assertTrue(is_gateway(self.plan, self.router, key), one.label)
                self.assertFalse(is_gateway(self.plan, self.edge, key), one.label)
        ((_, server),) = servers(self.plan, "seg0")
        self.assertIs(server, self.router)

    def test_the_switch_hangs_on_it_now(self) -> None:
        uplink = next(use for use in self.switch.ports.values() if use.peer)
        self.assertIs(self.plan.devices[uplink.peer], self.router)

    def test_management_in_a_table_of_its_own_stays_at_the_edge_and_the_switch_gets_a_second_cable(self) -> None:
        document = added(shop(), EDGE, SWITCHING).document()
        document["segments"]["seg2"]["vrf"] = "mgmt"
        plan = added(SitePlan.model_validate(document), INNER)
        switch, router, edge = (box(plan, role) for role in (SWITCHING, INNER, EDGE))
        self.assertEqual(stops(plan), [])
        self.assertEqual({plan.segments[key].label for key in edge.carried()}, {"Management", "Transit"})
        self.assertTrue(is_gateway(plan, router, "seg0"))
        self.assertEqual(
            [f.rule for f in portfolio(plan).check_all() if f.rule in ("route-shadow", "wiring-dangling")], []
        )
        ends = {plan.devices[use.peer].role for use in switch.ports.values() if use.peer}
        self.assertEqual(ends, {EDGE, INNER})
        for use in switch.ports.values():
            if use.peer:
                far = plan.devices[use.peer].ports[use.peer_port or ""]
                self.assertEqual((far.segment, far.tagged, far.mode), (use.segment, use.tagged, use.mode))

    def test_a_second_router_takes_nothing_that_lies_behind_the_first(self) -> None:
        plan = added(shop(), EDGE, INNER, INNER)
        self.assertEqual(stops(plan), [])
        first, second = (device for device in plan.devices.values() if device.role is INNER)
        self.assertTrue(is_gateway(plan, first, "seg0"))
        self.assertEqual([plan.segments[key].role for key in second.carried()], ["transit"])
        later = added(shop(), INNER, EDGE)
        self.assertEqual(stops(later), [])

    def test_no_room_for_a_link_is_said(self) -> None:
        block = Organisation(blocks={"fern": [parse_network("10.40.8.0/21")[0]]})
        plan = added(office_site(segments=[segment(subnet="10.40.8.0/21", role="office", vlan=10)]), EDGE)
        full = Portfolio([plan], hardware=KINDS, organisation=block)
        self.assertIn("No transit link to the edge", " ".join(equip(plan, INNER, FIVE_PORTS, [], full).assumed))


class ASwitch(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = added(shop(), EDGE, SWITCHING)
        self.ports = box(self.plan, SWITCHING).ports

    def test_sockets_go_by_hosts_and_clients_and_the_bench_has_one(self) -> None:
        counted = {
            one.label: sum(use.segment == key and use.mode is PortMode.ACCESS for use in self.ports.values())
            for key, one in self.plan.segments.items()
        }
        self.assertEqual(counted, {"Office": 5, "Voice": 1, "Management": 1, "Guest": 0, "Cameras": 2})

    def test_hosts_are_cabled_and_those_that_need_it_have_power(self) -> None:
        self.assertEqual(uncabled(self.plan), [])
        held = {self.plan.hosts[use.host].name: name for name, use in self.ports.items() if use.host}
        self.assertEqual(set(held), {"printer", "camera 1", "camera 2"})
        for name in ("camera 1", "camera 2"):
            self.assertTrue(SWITCH.ports[held[name]].powers, name)

    def test_an_access_point_takes_a_port_with_power_and_says_so(self) -> None:
        self.assertRegex(told(self.plan, AIR), r"Port \d+ powers it")
        plan = added(self.plan, AIR)
        uplink = next(use for use in box(plan, AIR).ports.values() if use.peer)
        self.assertTrue(SWITCH.ports[uplink.peer_port].powers)
        self.assertIn("needs an injector", told(added(shop(), EDGE), AIR))

    def test_access_points_that_are_hosts_get_a_trunk_that_the_box_takes_later(self) -> None:
        document = shop().document()
        document["hosts"]["ap01"] = {"segment": "seg2", "name": "ap 1", "kind": "access point", "address": "10.40.10.9"}
        plan = added(SitePlan.model_validate(document), EDGE, SWITCHING)
        kept = next(name for name, use in box(plan, SWITCHING).ports.items() if use.host == "ap01")
        self.assertTrue(SWITCH.ports[kept].powers)
        self.assertEqual(box(plan, SWITCHING).ports[kept].mode, PortMode.TRUNK)
        uplink = next(use for use in box(added(plan, AIR), AIR).ports.values() if use.peer)
        self.assertEqual(uplink.peer_port, kept)

    def test_a_second_switch_that_is_a_host_gets_a_trunk_that_the_box_takes_later(self) -> None:
        document = shop().document()
        for number in (1, 2):
            document["hosts"][f"swi{number}"] = {
                "segment": "seg2", "name": f"switch {number}", "kind": "switch", "address": f"10.40.10.{number + 1}"
            }  # fmt: skip
        plan = added(SitePlan.model_validate(document), EDGE, SWITCHING)
        first = box(plan, SWITCHING)
        kept = next(name for name, use in first.ports.items() if use.host == "swi2")
        self.assertEqual((first.ports[kept].mode, SWITCH.ports[kept].powers), (PortMode.TRUNK, False))
        self.assertNotIn("swi1", [use.host for use in first.ports.values()])
        plan = added(plan, SWITCHING)
        second = next(device for device in plan.devices.values() if device.host == "swi2")
        uplink = next(use for use in second.ports.values() if use.peer)
        self.assertEqual((plan.devices[uplink.peer or ""].host, uplink.peer_port), ("swi1", kept))
        self.assertEqual(stops(plan), [])

    def test_few_clients_leave_ports_off(self) -> None:
        few = [
            segment(role="office", vlan=10, expected_hosts=2),
            segment("Management", "10.40.10.0/26", vlan=99, role="management"),
        ]
        plan = added(office_site(segments=few), SWITCHING)
        modes = [use.mode for use in box(plan, SWITCHING).ports.values()]
        self.assertEqual((modes.count(PortMode.ACCESS), modes.count(PortMode.UNUSED)), (3, 6))

    @given(
        st.integers(0, 60), st.dictionaries(st.sampled_from("abcd"), st.tuples(st.integers(0, 9), st.integers(0, 90)))
    )
    @examples(100)
    def test_shares_never_give_more_than_there_is_or_is_wanted(self, ports: int, wanted: dict[str, Any]) -> None:
        wants = {
            key: Sockets(tuple(f"h{n}" for n in range(hosts)), clients) for key, (hosts, clients) in wanted.items()
        }
        given_out = shares(ports, wants)
        self.assertLessEqual(sum(given_out.values()), ports)
        needed = {key: max(1, len(want.hosts) + want.clients) for key, want in wants.items()}
        self.assertTrue(all(given_out[key] <= needed[key] for key in wants))
        if sum(needed.values()) <= ports:
            self.assertEqual(given_out, needed)
        if sum(max(1, len(w.hosts)) for w in wants.values()) <= ports:
            self.assertTrue(all(given_out[key] >= len(want.hosts) for key, want in wants.items()))


class AnEdge(unittest.TestCase):
    def test_a_spare_internet_port_is_no_trunk_while_an_inside_port_is_free(self) -> None:
        plan = added(shop(), SWITCHING, EDGE)
        edge = box(plan, EDGE)
        self.assertEqual(edge.ports["A2"].mode, PortMode.UNUSED)
        self.assertTrue(any(edge.ports[name].mode is PortMode.TRUNK for name in ("B1", "B2", "B3", "M")))

    def test_a_switch_that_comes_later_gets_a_trunk_and_frees_the_single_ports(self) -> None:
        few = [segment(role="office", vlan=10), segment("Voice", "10.40.9.0/24", role="voice", vlan=20),
               segment("Management", "10.40.10.0/26", vlan=99, role="management")]  # fmt: skip
        alone = added(office_site(segments=few), EDGE)
        self.assertNotIn(PortMode.TRUNK, [use.mode for use in box(alone, EDGE).ports.values()])
        plan = added(alone, SWITCHING)
        trunk = next(use for use in box(plan, EDGE).ports.values() if use.mode is PortMode.TRUNK)
        self.assertEqual(sorted([trunk.segment, *trunk.tagged]), ["seg0", "seg1", "seg2"])
        self.assertEqual(stops(plan), [])

    def test_fixed_hosts_of_a_small_site_hang_on_the_edge_itself_joined(self) -> None:
        one = [segment(role="office", vlan=10, expected_hosts=2)]
        hosts = [("Office", "printer", "10.40.8.5")]
        edge = box(added(office_site(segments=one, hosts=hosts), EDGE, kinds={EDGE: FIVE_PORTS}), EDGE)
        used = {name: (use.mode, use.bridge, use.host) for name, use in edge.ports.items() if use.segment}
        self.assertEqual(used, {"1": (PortMode.BRIDGE, "Office", None), "2": (PortMode.BRIDGE, "Office", "host0")})

    def test_two_lines_and_a_router_between(self) -> None:
        lines = [circuit(priority=1), circuit("Backup", "198.51.100.18", gateway="198.51.100.17", priority=2)]
        self.assertEqual(stops(added(shop(circuits=lines), EDGE, INNER, SWITCHING)), [])


class PortsForManagement(unittest.TestCase):
    """A port for management takes the management segment first, and no host ever."""

    MANAGED = hardware(
        "test-managed",
        kind="switch",
        ports={
            "M": {"factory_role": "management"},
            **{str(n): {"bridge": "all", "powers": n > 4} for n in range(1, 9)},
        },
        factory={"addressing": "dhcp", "web": "http", "password": "blank"},
    )

    def test_it_takes_the_management_segment_and_nothing_else(self) -> None:
        kinds = OF_ROLE | {SWITCHING: self.MANAGED}
        plan = added(shop(), EDGE, SWITCHING, kinds=kinds)
        use = box(plan, SWITCHING).ports["M"]
        self.assertEqual(
            (plan.segments[str(use.segment)].label, use.mode, use.host), ("Management", PortMode.ACCESS, None)
        )
        without = {key: want for key, want in wants(plan, plan.segments).items() if key != use.segment}
        self.assertNotIn("M", shared_out(plan, list(self.MANAGED.ports), self.MANAGED, without))

    def test_hosts_that_come_later_pass_it_by(self) -> None:
        kinds = OF_ROLE | {SWITCHING: self.MANAGED}
        document = added(shop(), EDGE, SWITCHING, kinds=kinds).document()
        switch = next(one for one in document["devices"].values() if one["role"] == "switch")
        cameras = next(key for key, one in document["segments"].items() if one["label"] == "Cameras")
        switch["ports"] = {"M": {"mode": "access", "segment": cameras}}
        plan = SitePlan.model_validate(document)
        self.assertEqual(cabled(plan, KINDS | {self.MANAGED.key: self.MANAGED}, cameras), [])


class Remedied(unittest.TestCase):
    def test_hosts_that_come_later_are_plugged_into_sockets_with_power_first(self) -> None:
        plan = added(shop(), EDGE, SWITCHING)
        document = plan.document()
        for device in document["devices"].values():
            for use in device["ports"].values():
                use["host"] = None
        open_plan = SitePlan.model_validate(document)
        again = applied(open_plan, cabled(open_plan, KINDS))
        self.assertEqual(uncabled(again), [])
        self.assertEqual([f.rule for f in portfolio(again).check_all() if f.rule == "power-missing"], [])
