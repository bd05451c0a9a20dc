"""What follows about boxes from a plan: names, addresses, next hops, servers; and the laptop beside one."""

from __future__ import annotations

import re
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.boxes import (
    addresses_in,
    circuits_of,
    held_addresses,
    host_name,
    interfaces,
    is_gateway,
    next_hop,
    own_address,
    segment_of,
    servers,
)
from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.device import Device, DeviceRole, Route
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.defaults import usual_time_servers
from octaplan.core.propose.wiring import equip
from octaplan.core.stage.bench import BENCH_NETWORKS, Bench, Face
from octaplan.core.values.addresses import Address, Network, Span, parse_address, parse_network, parse_range
from octaplan.core.values.readers import is_host_name
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.core.kit import hardware, office_site, with_device
from tests.core.stage.test_runsheet import kinds
from tests.support import circuit, segment, site


def changed(plan: SitePlan, key: str, **values: Any) -> SitePlan:
    document = plan.document()
    document["devices"][key] |= values
    return SitePlan.model_validate(document)


class Names(unittest.TestCase):
    def test_host_names_are_those_of_rfc_1123(self) -> None:
        for name in ("dock-edge", "a", "3rd-box", "x" * 63, "dock.fern.example", "DOCK-1"):
            self.assertTrue(is_host_name(name), name)
        for name in ("", "-a", "a-", "a_b", "dock edge", "x" * 64, "a..b", "1.2.3.4", "ä", "a.", "a" * 250 + ".abc"):
            self.assertFalse(is_host_name(name), name)

    @given(
        st.text("aB1-./ é", min_size=1, max_size=40),
        st.sampled_from(list(DeviceRole)),
        st.integers(0, 12),
        st.sampled_from(
            ["{site}-{role}{number}", "{role}", "x{number}-{customer}-{site}", "-{role}-", "Net-{role}{number}-"]
        ),
    )
    def test_a_name_by_convention_is_always_one_and_never_taken(
        self, code: str, role: DeviceRole, boxes: int, convention: str
    ) -> None:
        plan = site()
        plan = plan.model_copy(update={"site": code})
        for _ in range(boxes):
            name = host_name(plan, role, convention)
            self.assertTrue(is_host_name(name), name)
            self.assertNotIn(name, [device.name for device in plan.devices.values()])
            box = Device(type="skerry-f7", role=role, name=name)
            plan = plan.model_copy(update={"devices": {**plan.devices, f"box{len(plan.devices)}": box}})

    def test_a_convention_is_made_of_what_there_is_and_tells_boxes_apart(self) -> None:
        self.assertEqual(host_name(site(), DeviceRole.EDGE, "{customer}-{site}-{role}{number}"), "fern-dock-edge")
        for wrong, words in (
            ("edge", "would be called the same"),
            ("{site}-{site}", "each {mark} once"),
            ("{role}-twenty-one-letters-more", "too long"),
            ("{sight}-{role}", "{sight} is nothing"),
            ("{role} {number}", "letters, digits and hyphens"),
            ("{role", "would be called the same"),
            ("{site.__class__}{role}", "is nothing that a name"),
        ):
            with self.subTest(wrong), self.assertRaisesRegex(ValueError, re.escape(words)):
                Organisation(naming=wrong)

    def test_addresses_in_a_text(self) -> None:
        self.assertEqual(
            addresses_in("10.0.0.1, 2001:db8::1"), [parse_address("10.0.0.1"), parse_address("2001:db8::1")]
        )
        self.assertEqual(addresses_in("time.example"), [])


class AddressesOfBoxes(unittest.TestCase):
    def setUp(self) -> None:
        self.plan, self.edge = with_device(office_site())

    def test_an_edge_has_the_gateways_of_what_it_carries(self) -> None:
        device = self.plan.devices[self.edge]
        self.assertEqual(own_address(self.plan, device, "seg0"), parse_address("10.40.8.1"))
        found = {interface.owner: str(interface.address) for interface in interfaces(self.plan, device)}
        self.assertEqual(found, {
            "/segments/seg0": "10.40.8.1", "/segments/seg1": "10.40.9.1", "/segments/seg2": "10.40.10.1",
            "/circuits/circ0": "203.0.113.18",
        })  # fmt: skip

    def test_an_address_of_its_own_comes_first(self) -> None:
        plan = changed(self.plan, self.edge, addresses={"seg0": "10.40.8.2"})
        self.assertEqual(str(own_address(plan, plan.devices[self.edge], "seg0")), "10.40.8.2")

    def test_a_box_that_is_a_host_has_its_address(self) -> None:
        document = self.plan.document()
        document["hosts"]["host0"] = {"segment": "seg2", "name": "switch 1", "address": "10.40.10.9"}
        document["devices"]["swit"] = {"type": "test-five", "role": "switch", "host": "host0"}
        plan = SitePlan.model_validate(document)
        self.assertEqual(str(own_address(plan, plan.devices["swit"], "seg2")), "10.40.10.9")
        self.assertIsNone(own_address(plan, plan.devices["swit"], "seg0"))

    def test_an_inner_router_leaves_the_gateways_to_the_edge(self) -> None:
        document = self.plan.document()
        document["devices"]["core"] = {
            "type": "test-five",
            "role": "inner-router",
            "ports": {"1": {"mode": "access", "segment": "seg0"}},
        }
        plan = SitePlan.model_validate(document)
        self.assertFalse(is_gateway(plan, plan.devices["core"], "seg0"))
        self.assertIsNone(own_address(plan, plan.devices["core"], "seg0"))
        del document["devices"][self.edge]
        alone = SitePlan.model_validate(document)
        self.assertEqual(str(own_address(alone, alone.devices["core"], "seg0")), "10.40.8.1")

    def test_whoever_has_the_address_is_the_gateway_and_serves_what_the_edge_would(self) -> None:
        document = self.plan.document()
        ports = {"1": {"mode": "access", "segment": "seg0"}}
        document["devices"]["core"] = {
            "type": "test-five", "role": "inner-router", "ports": ports, "addresses": {"seg0": "10.40.8.1"}
        }  # fmt: skip
        plan = SitePlan.model_validate(document)
        edge, core = plan.devices[self.edge], plan.devices["core"]
        self.assertEqual([is_gateway(plan, one, "seg0") for one in (edge, core)], [False, True])
        self.assertIsNone(own_address(plan, edge, "seg0"))
        for use in document["devices"][self.edge]["ports"].values():
            if use["segment"] == "seg0":
                use.update(mode="unused", segment=None)
        moved = SitePlan.model_validate(document)
        self.assertEqual([key for key, _ in servers(moved, "seg0")], ["core"])

    def test_a_box_whose_address_is_the_servers_serves_the_scope(self) -> None:
        document = self.plan.document()
        document["segments"]["seg1"]["scope"]["server"] = "10.40.9.5"
        document["devices"]["swit"] = {"type": "test-five", "role": "switch", "addresses": {"seg1": "10.40.9.5"}}
        self.assertEqual([key for key, _ in servers(SitePlan.model_validate(document), "seg1")], ["swit"])

    def test_next_hops_follow_the_circuit(self) -> None:
        default = Network(4, 0, 0)
        self.assertEqual(str(next_hop(self.plan, Route(to=default, circuit="circ0"))), "203.0.113.17")
        self.assertEqual(str(next_hop(self.plan, Route(to=default, via="10.40.8.9", circuit="circ0"))), "10.40.8.9")
        self.assertIsNone(next_hop(self.plan, Route(to=default, circuit="gone")))

    def test_circuits_come_in_the_order_of_their_priority(self) -> None:
        lines = [
            circuit("b", "198.51.100.18", gateway="198.51.100.17", priority=2),
            circuit("a", priority=1),
            circuit("c", "192.0.2.18"),
        ]
        plan, edge = with_device(office_site(circuits=lines), hardware(ports={str(n): {} for n in range(9)}))
        self.assertEqual([c.label for _, c in circuits_of(plan, plan.devices[edge])], ["a", "b", "c"])

    def test_what_is_held_and_what_is_free(self) -> None:
        held = held_addresses(self.plan)
        self.assertEqual(held[parse_address("10.40.8.1")], "the gateway of Office")
        self.assertEqual(segment_of(self.plan, parse_address("10.40.9.77"))[0], "seg1")  # type: ignore[index]
        self.assertIsNone(segment_of(self.plan, parse_address("192.0.2.1")))

    def test_the_edge_serves_what_it_carries_and_nobody_what_is_served_elsewhere(self) -> None:
        self.assertEqual([key for key, _ in servers(self.plan, "seg0")], [self.edge])
        document = self.plan.document()
        document["segments"]["seg0"]["scope"]["server"] = "10.40.9.5"
        self.assertEqual(servers(SitePlan.model_validate(document), "seg0"), [])


class Slots(unittest.TestCase):
    def test_a_site_needs_the_secrets_of_its_boxes_wifi_and_circuits(self) -> None:
        kind = hardware(
            slots={"administrator": {}, "backup": {"label": "backup passphrase", "distinct_from": ["administrator"]}}
        )
        plan, edge = with_device(office_site(circuits=[circuit(handoff="pppoe", address=None)]), kind)
        document = plan.document()
        document["wireless"] = {"wif1": {"name": "Fern"}, "wif2": {"name": "Open", "security": "open"}}
        document["slots"] = {"port": {"name": "Provider portal"}}
        document["devices"]["modm"] = {"type": kind.key, "role": "modem"}
        slots = list(slots_of(SitePlan.model_validate(document), {kind.key: kind}))
        self.assertEqual([slot.path for slot in slots], [
            f"devices/{edge}/administrator", f"devices/{edge}/backup", "wireless/wif1/key", "circuits/circ0/pppoe",
            "slots/port/secret",
        ])  # fmt: skip
        self.assertEqual(slots[1].distinct, (f"devices/{edge}/administrator",))
        self.assertEqual([slot.given for slot in slots], [False, False, False, True, False])
        self.assertEqual(slots[0].name, "dock-edge administrator")

    def test_a_type_that_is_not_known_needs_nothing(self) -> None:
        plan, _ = with_device(office_site())
        self.assertEqual(list(slots_of(plan, {})), [])


class Faces(unittest.TestCase):
    def face(self, address: str, network: str, leases: str | None = None) -> Face:
        return Face(parse_address(address), parse_network(network)[0], parse_range(leases) if leases else None, True)

    def test_the_laptop_gets_an_address_that_nobody_has(self) -> None:
        for address, network, leases, expected in (
            ("192.168.77.1", "192.168.77.0/24", None, "192.168.77.10"),
            ("192.168.77.10", "192.168.77.0/24", None, "192.168.77.1"),
            ("192.168.77.1", "192.168.77.0/30", None, "192.168.77.2"),
            ("192.168.77.0", "192.168.77.0/31", None, "192.168.77.1"),
            ("192.168.77.1", "192.168.77.1/32", None, None),
            ("192.168.77.1", "192.168.77.0/29", "192.168.77.2-192.168.77.5", "192.168.77.6"),
            ("fd00::1", "fd00::/64", None, "fd00::a"),
        ):
            spare = self.face(address, network, leases).spare()
            self.assertEqual(str(spare) if spare else None, expected, network)

    def test_a_full_subnet_is_not_open_to_a_fixed_laptop(self) -> None:
        self.assertFalse(self.face("192.168.77.1", "192.168.77.1/32").open)
        self.assertTrue(self.face("192.168.77.1", "192.168.77.0/24").open)
        self.assertFalse(Face().open)

    @given(st.integers(0, 2**32 - 1), st.integers(8, 32), st.data())
    def test_a_spare_address_is_usable_and_free(self, value: int, prefix: int, data: st.DataObject) -> None:
        network = Network.holding(Address(4, value), prefix)
        usable = network.usable
        box = Address(4, data.draw(st.integers(usable.first.value, usable.last.value)))
        first = data.draw(st.integers(usable.first.value, usable.last.value))
        leases = data.draw(st.sampled_from([None, Span(Address(4, first), usable.last)]))
        spare = Face(box, network, leases, True).spare()
        if spare is not None:
            self.assertTrue(usable.holds(spare))
            self.assertNotEqual(spare, box)
            self.assertFalse(leases is not None and leases.holds(spare))


class TheLaptop(unittest.TestCase):
    def test_the_network_for_boxes_that_ask_is_one_that_the_site_does_not_use(self) -> None:
        used = [segment(f"s{n}", str(net), gateway=None) for n, net in enumerate(BENCH_NETWORKS)]
        kind = hardware(factory={"addressing": "dhcp", "web": "https"})
        plan, key = with_device(office_site(segments=used[:2]), kind)
        self.assertEqual(Bench(plan, key, kind).own_net, BENCH_NETWORKS[2])
        plan, key = with_device(office_site(segments=used), kind)
        bench = Bench(plan, key, kind)
        self.assertIsNone(bench.own_net)
        self.assertIsNone(bench.first_port())

    def test_plugging_in_and_out(self) -> None:
        kind = hardware()
        plan, key = with_device(office_site(), kind)
        bench = Bench(plan, key, kind)
        self.assertEqual(bench.now().port, "")
        bench.plug("3")
        self.assertFalse(bench.reaches)
        bench.address_laptop()
        self.assertEqual((bench.how, bench.reaches), ("lease", True))
        bench.log_in("https")
        bench.type_in("port 3", "interface seg2")
        self.assertFalse(bench.reaches)
        bench.address_laptop()
        self.assertEqual((bench.how, str(bench.laptop), bench.reaches), ("fixed", "10.40.10.2", True))
        bench.plug("console")
        self.assertTrue(bench.now().reaches)


class AnyBox(unittest.TestCase):
    @given(plans(), st.sampled_from(list(DeviceRole)), kinds())
    @examples(150)
    def test_any_box_can_be_added_to_any_plan_and_is_never_wired_wrongly(
        self, plan: SitePlan, role: DeviceRole, kind: Any
    ) -> None:
        proposal = equip(plan, role, kind)
        equipped, key = with_device(plan, kind, role)
        self.assertEqual(key, proposal.key)
        device = equipped.devices[key]
        self.assertTrue(set(device.ports) <= set(kind.ports))
        for use in device.ports.values():
            self.assertTrue(all(segment in plan.segments for segment in use.segments))
            self.assertTrue(use.circuit is None or use.circuit in plan.circuits)
        carried = [use.circuit for use in device.ports.values() if use.circuit]
        self.assertEqual(len(carried), len(set(carried)))
        self.assertTrue(all(sentence.endswith(".") for sentence in proposal.assumed))

    def test_time_servers_are_those_that_most_boxes_have(self) -> None:
        one, _ = with_device(office_site("F/1"))
        two, _ = with_device(office_site("F/2"))
        odd, _ = with_device(office_site("F/3"), time_servers=["other.example"])
        self.assertEqual(usual_time_servers([one, two, odd]), ["time.tern.example"])
        self.assertEqual(usual_time_servers([site("F/4")]), [])
