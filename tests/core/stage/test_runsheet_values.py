"""What stands on the sheets of different boxes: every value, in the right step, and none too many."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.hardware import Console, HardwareType
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.runsheet import written
from octaplan.core.stage.steps import Step
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit, segment


def sheet_of(plan: SitePlan, key: str, kind: HardwareType) -> dict[str, Step]:
    return {step.key: step for step in written(plan, key, kind).steps}


def values(step: Step) -> dict[str, str]:
    return {value.label: value.secret or value.text for value in step.values}


SWITCH = hardware(
    "test-eight", kind="switch", ports={str(n): {} for n in range(1, 9)}, takes="after apply", kept="when saved"
)


class AnEdge(unittest.TestCase):
    def sheet(self, kind: HardwareType | None = None, change: Any = None, **site: Any) -> dict[str, Step]:
        kind = kind or hardware()
        plan, key = with_device(office_site(**site), kind)
        if change:
            document = plan.document()
            change(document, document["devices"][key])
            plan = SitePlan.model_validate(document)
        return sheet_of(plan, key, kind)

    def test_who_it_is(self) -> None:
        found = self.sheet(
            change=lambda d, device: device.update(banner="Private", location="cabinet", domain="dock.example")
        )
        self.assertEqual(values(found["identity"]), {
            "Host name": "dock-edge", "Domain": "dock.example", "Time zone": "Europe/London",
            "Time servers": "time.tern.example", "Resolvers, for itself": "192.0.2.53  192.0.2.54",
            "Clock": "set it by hand now: no time server is reached before the internet is there",
            "Resolvers, for its clients": "192.0.2.53  192.0.2.54", "Location": "cabinet", "Banner": "Private",
        })  # fmt: skip

    def test_a_time_zone_of_its_own_comes_before_the_sites(self) -> None:
        found = self.sheet(change=lambda d, device: device.update(time_zone="Europe/Lisbon"))
        self.assertEqual(values(found["identity"])["Time zone"], "Europe/Lisbon")

    def test_the_ipv6_side_of_circuit_and_segment(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            document["circuits"]["circ0"] |= {"address6": "2001:db8:9::2", "prefix6": 64, "gateway6": "fe80::1"}
            document["segments"]["seg0"] |= {"subnet6": "2001:db8:40:10::/64", "gateway6": "2001:db8:40:10::1"}

        every = {label: text for step in self.sheet(change=change).values() for label, text in values(step).items()}
        self.assertEqual((every["IPv6 address"], every["IPv6 gateway"]), ("2001:db8:9::2/64", "fe80::1"))
        self.assertEqual(every["Own IPv6 address"], "2001:db8:40:10::1/64")
        self.assertEqual(every["IPv6 prefix announced"], "2001:db8:40:10::/64")
        plain = {label for step in self.sheet().values() for label in values(step)}
        self.assertFalse({label for label in plain if "IPv6" in label})

    def test_a_scope_with_everything_it_hands_out(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            scope = document["segments"]["seg0"]["scope"]
            scope |= {"lease": 28_800, "excluded": ["10.40.8.50"], "options": {"66": "10.40.9.9"}}
            document["hosts"]["host0"] = {
                "segment": "seg0", "name": "till 1", "address": "10.40.8.40", "mac": "02:40:08:00:00:01", "method": "reserved",
            }  # fmt: skip

        found = values(self.sheet(change=change)["segment-seg0"])
        self.assertEqual(found["Lease"], "8h (28,800 s)")
        self.assertEqual(found["Excluded"], "10.40.8.50")
        self.assertEqual(found["Option 66"], "10.40.9.9")
        self.assertEqual(found["Reserve for till 1"], "10.40.8.40  02:40:08:00:00:01")
        self.assertEqual(found["Gateway"], "leave empty")

    def test_a_segment_that_is_served_elsewhere_says_that_it_is_off_here(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            document["segments"]["seg0"]["scope"]["server"] = "10.40.9.5"
            document["segments"]["seg1"]["scope"]["server"] = "none"

        found = self.sheet(change=change)
        self.assertEqual(values(found["segment-seg0"])["DHCP"], "served by 10.40.9.5: off here")
        self.assertEqual(values(found["segment-seg1"])["DHCP"], "off")
        self.assertNotIn("Range first", values(found["segment-seg0"]))

    def test_two_lines_with_their_routes_in_order(self) -> None:
        lines = [circuit(priority=1), {"label": "Spare", "handoff": "dhcp", "priority": 2}]
        found = self.sheet(circuits=lines)
        self.assertEqual(values(found["circuit-circ1"])["Hand-off"], "DHCP: the provider gives everything")
        ways = [values(found[key])["Default route"] for key in ("circuit-circ0", "circuit-circ1")]
        self.assertTrue(ways[0].startswith("by 203.0.113.17, metric 10;"), ways)
        self.assertTrue(ways[1].startswith("by the gateway that the provider gives, metric 20;"), ways)
        self.assertNotIn("routes", found)

    def test_translation_rules_and_access_are_in_words(self) -> None:
        found = self.sheet()
        said = [f"{value.label} {value.text}" for value in found["rules"].values]
        self.assertIn("Translate Office to the address of Main", said)
        self.assertIn("Close Office to everything inside", said)
        self.assertIn("Close the internet to everything inside", said)
        self.assertIn("Allow Management to everything, any", said)
        self.assertEqual(values(found["access"]), {"HTTPS": "from Management"})

    def test_a_box_that_blocks_everything_says_so(self) -> None:
        kind = hardware(factory={"address": "192.168.77.1", "prefix": 24, "web": "https", "blocked": True})
        found = self.sheet(kind)["rules"]
        self.assertIn("blocks everything that is not allowed", found.text)
        said = [f"{value.label} {value.text}" for value in found.values]
        self.assertIn("Allow Office to the box itself: ping, udp/67, udp/53, tcp/53", said)
        self.assertFalse([one for one in said if one.startswith("Close")])

    def test_leftovers_firmware_and_lights_come_from_the_type(self) -> None:
        kind = hardware(
            leftovers=["The guest network"],
            firmware={"wanted": "4.8.2", "how": "Upload it"},
            lights={"Power": "steady green"},
        )
        found = self.sheet(kind)
        self.assertEqual(values(found["clear-away"])["Remove"], "The guest network")
        self.assertEqual((found["firmware"].title, found["firmware"].measures[0].expect), ("Firmware 4.8.2", "4.8.2"))
        self.assertIn("light-power", [measure.key for measure in found["prove"].measures])

    def test_each_slot_is_a_step_of_its_own(self) -> None:
        kind = hardware(slots={"administrator": {}, "console-line": {"label": "console line password"}})
        found = self.sheet(kind)
        self.assertEqual(found["slot-console-line"].title, "Set the console line password")
        self.assertTrue(found["slot-console-line"].values[0].secret.endswith("/console-line"))

    def test_first_passwords_are_told_as_they_are(self) -> None:
        factory = {"address": "192.168.77.1", "prefix": 24, "web": "https"}
        for password, words in (
            ("blank", "none: leave the field empty"),
            ("label", "printed on the label"),
            ("chosen", "choose one"),
        ):
            found = values(self.sheet(hardware(factory=factory | {"password": password}))["log-in"])
            self.assertIn(words, found["First password"])
            self.assertEqual(found["User"], "none")

    def test_the_page_opens_at_its_port_and_a_warning_is_told_before(self) -> None:
        factory = {
            "address": "fd00:77::1",
            "prefix": 64,
            "web": "https",
            "web_port": 8443,
            "certificate_warning": "own certificate",
        }
        found = self.sheet(hardware(factory=factory))
        self.assertEqual(found["open"].title, "Open https://[fd00:77::1]:8443")
        self.assertIn("Expect: own certificate", found["open"].text)

    def test_wifi_is_set_on_an_edge_that_has_it_when_nothing_else_does(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            document["wireless"]["wifi"] = {"name": "Fern", "segment": "seg0", "country": "GB", "client_limit": 40}

        found = self.sheet(hardware(radio=True), change)
        self.assertEqual(values(found["wifi-wifi"]), {
            "Name (SSID)": "Fern", "Security": "WPA2-WPA3", "Key": "wireless/wifi/key", "Segment": "Office (VLAN 10)",
            "Band": "2.4+5 GHz", "Hidden": "no", "Client limit": "40",
        })  # fmt: skip
        self.assertEqual(values(found["country"]), {"Country": "GB"})
        self.assertNotIn("wifi-wifi", self.sheet(hardware(), change))

    def test_joined_ports_are_named(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            device["ports"]["4"] = {"mode": "bridge", "bridge": "inside", "segment": "seg0"}

        self.assertEqual(
            values(self.sheet(change=change)["ports"])["Port 4"],
            "joined ports inside: Office (VLAN 10); out of the ports 1 2 3 that it is joined with",
        )

    def test_remote_management_is_proved(self) -> None:
        access = {
            "aaaa": {"service": "https", "segment": "seg2"},
            "bbbb": {"service": "ssh", "networks": ["198.51.100.0/28"]},
        }
        found = self.sheet(change=lambda d, device: device.update(access=access))
        self.assertEqual(values(found["access"])["SSH"], "from 198.51.100.0/28")
        self.assertIn("remote", [measure.key for measure in found["prove-line"].measures])


class ASwitch(unittest.TestCase):
    def setUp(self) -> None:
        self.plan, key = with_device(office_site(), SWITCH, DeviceRole.SWITCH)
        self.found = sheet_of(self.plan, key, SWITCH)

    def test_ports_say_what_each_carries(self) -> None:
        ports = values(self.found["ports"])
        self.assertEqual(ports["Port 1"], "trunk: untagged 99, tagged 10 20")
        self.assertEqual(
            (ports["Port 2"], ports["Port 8"]), ("access: Office (VLAN 10)", "access: Management (VLAN 99)")
        )

    def test_it_has_no_internet_side_and_hands_nothing_out(self) -> None:
        self.assertFalse([key for key in self.found if key.startswith("circuit") or key in ("routes", "rules")])
        self.assertEqual(values(self.found["vlans"]), {"Office": "10", "Voice": "20", "Management": "99"})

    def test_its_own_address_and_gateway_are_proved(self) -> None:
        own = values(self.found["segment-seg2"])
        self.assertEqual((own["Own address"], own["Gateway"], own["VLAN"]), ("10.40.10.2", "10.40.10.1", "99"))
        self.assertEqual([measure.expect for measure in self.found["prove"].measures], ["10.40.10.2"])
        self.assertEqual([(m.expect, m.beyond) for m in self.found["uplink"].measures], [("10.40.10.1", True)])

    def test_it_is_saved_before_the_plug_is_pulled(self) -> None:
        order = list(self.found)
        self.assertLess(order.index("apply"), order.index("save"))
        self.assertLess(order.index("save"), order.index("restart"))
        self.assertLess(order.index("restart"), order.index("prove-again"))


class ASwitchThatServesTheTelephones(unittest.TestCase):
    def test_the_scope_is_typed_and_a_telephone_gets_its_address(self) -> None:
        document = office_site().document()
        document["segments"]["seg1"]["scope"] = {"server": "10.40.9.5", "first": "10.40.9.50", "last": "10.40.9.99"}
        plan, key = with_device(SitePlan.model_validate(document), SWITCH, DeviceRole.SWITCH)
        document = plan.document()
        document["devices"][key]["addresses"]["seg1"] = "10.40.9.5"
        found = sheet_of(SitePlan.model_validate(document), key, SWITCH)
        told = values(found["segment-seg1"])
        self.assertEqual((told["Own address"], told["Range first"], told["VLAN"]), ("10.40.9.5", "10.40.9.50", "20"))
        self.assertNotIn("Gateway", told)
        self.assertEqual([m.expect for m in found["lease-seg1"].measures], ["10.40.9.50–10.40.9.99", "10.40.9.5"])


class ASwitchThatChangesAtOnce(unittest.TestCase):
    """Its own address may only move to its VLAN over a port that carries it; the laptop's old port is set up last."""

    def sheet(self, **more: Any) -> list[Step]:
        kind = hardware("test-eight", kind="switch", ports={str(n): {} for n in range(1, 9)}, **more)
        plan, key = with_device(office_site(), kind, DeviceRole.SWITCH)
        return list(written(plan, key, kind).steps)

    def test_the_laptop_begins_elsewhere_and_follows_to_the_bench_port(self) -> None:
        steps = self.sheet()
        found = {step.key: step for step in steps}
        order = list(found)
        self.assertEqual(found["plug"].after.port, "1")
        self.assertNotIn("Port 1", values(found["ports"]))
        self.assertEqual([step.key for step in steps if step.lost], ["segment-seg2"])
        self.assertEqual((found["move-back"].after.port, found["reconnect"].after.box), ("8", "10.40.10.2"))
        self.assertLess(order.index("reconnect"), order.index("own-port"))
        self.assertEqual(values(found["own-port"])["Port 1"], "trunk: untagged 99, tagged 10 20")

    def test_one_port_for_the_laptop_alone_is_said_and_a_console_is_the_way_round(self) -> None:
        ports = {str(n): {"laptop": n == 8} for n in range(1, 9)}
        kind = hardware("test-eight", kind="switch", ports=ports)
        plan, key = with_device(office_site(), kind, DeviceRole.SWITCH)
        self.assertIn("let a second port carry Management alone", written(plan, key, kind).problem)
        with_console = written(plan, key, kind.model_copy(update={"console": Console()}))
        self.assertEqual(with_console.problem, "")
        self.assertFalse([step.key for step in with_console.steps if step.lost])

    def test_services_are_switched_on_before_those_of_the_factory_go(self) -> None:
        factory = {"addressing": "dhcp", "web": "http", "services": ["http", "telnet"], "password": "blank"}
        access = {"aaaa": {"service": "https", "segment": "seg2"}, "bbbb": {"service": "ssh", "segment": "seg2"}}
        kind = hardware("test-eight", kind="switch", ports={str(n): {} for n in range(1, 9)}, factory=factory)
        plan, key = with_device(office_site(), kind, DeviceRole.SWITCH, access=access)
        found = sheet_of(plan, key, kind)
        self.assertIn("host keys", values(found["access"])["Switch SSH on"])
        self.assertIn("Switch HTTPS on", values(found["access"]))
        self.assertTrue(found["reconnect"].title.startswith("Open https://10.40.10.2"), found["reconnect"].title)
        self.assertEqual([v.text for v in found["clear-away"].values if v.label == "Switch off"], ["HTTP", "TELNET"])

    def test_what_it_was_born_with_is_not_switched_on_again(self) -> None:
        found = {step.key: step for step in self.sheet()}
        self.assertEqual(list(values(found["access"])), ["HTTPS"])


class AnAccessPoint(unittest.TestCase):
    def sheet(self, **more: Any) -> dict[str, Step]:
        kind = hardware("test-air", kind="access point", ports={"LAN": {}}, powered_by=["port", "injector"], **more)
        plan = office_site(wireless={"wifi": {"name": "Fern", "segment": "seg0", "country": "GB"}})
        equipped, key = with_device(plan, kind, DeviceRole.ACCESS_POINT)
        return sheet_of(equipped, key, kind)

    def test_power_country_address_and_gateway(self) -> None:
        found = self.sheet()
        order = list(found)
        self.assertIn("an injector", values(found["plug"])["Power"])
        self.assertLess(order.index("country"), order.index("wifi-wifi"))
        own = values(found["segment-seg2"])
        self.assertEqual((own["Own address"], own["Gateway"]), ("10.40.10.2", "10.40.10.1"))
        self.assertEqual(values(found["join-wifi"]), {"Name (SSID)": "Fern", "Key": "wireless/wifi/key"})

    def test_it_stays_in_its_only_port_and_only_its_address_changes(self) -> None:
        found = self.sheet()
        self.assertEqual([step.key for step in found.values() if step.lost], ["segment-seg2"])
        self.assertEqual({step.after.port for step in found.values()}, {"", "LAN"})
        self.assertIn("pack", found)

    def test_it_is_not_told_the_vlan_that_its_port_carries_untagged(self) -> None:
        own = values(self.sheet()["segment-seg2"])
        self.assertEqual(own["VLAN"], "none: its port carries this segment untagged")

    def test_firmware_that_comes_from_the_internet_waits_for_the_uplink(self) -> None:
        order = list(self.sheet(firmware={"wanted": "2.3", "source": "internet"}))
        self.assertLess(order.index("uplink"), order.index("firmware"))


class ARouterBehindTheEdge(unittest.TestCase):
    """A firewall with an inner router over a /30, and management in a table of its own."""

    def setUp(self) -> None:
        segments = [
            segment(
                role="office", vlan=10, scope={"first": "10.40.8.20", "last": "10.40.8.199"}, resolvers=["gateway"]
            ),
            segment("Management", "10.40.10.0/26", role="management", vlan=99, vrf="mgmt"),
        ]
        wall = hardware("test-wall", kind="firewall", ports={
            "M": {"factory_role": "management"}, "A1": {"factory_role": "internet", "laptop": False},
            "B1": {"factory_role": "none"}, "B2": {"factory_role": "none"}}, takes="after apply")  # fmt: skip
        self.plan, self.edge = with_device(office_site(segments=segments), wall)
        self.plan, self.router = with_device(self.plan, hardware(), DeviceRole.ROUTER)
        self.at_edge = sheet_of(self.plan, self.edge, wall)
        self.at_router = sheet_of(self.plan, self.router, hardware())

    def test_the_edge_has_its_link_its_routes_back_and_its_table(self) -> None:
        link = next(key for key, one in self.plan.segments.items() if one.role == "transit")
        typed = values(self.at_edge[f"segment-{link}"])
        self.assertEqual(typed["Mask"], "255.255.255.252")
        self.assertTrue(typed["On"].startswith("port "))
        self.assertIn("To 10.40.8.0/24", values(self.at_edge["routes"]))
        self.assertEqual(values(self.at_edge["segment-seg1"])["Routing table of its own (VRF)"], "mgmt")

    def test_the_router_has_its_default_route_and_serves(self) -> None:
        self.assertIn("To anywhere", values(self.at_router["routes"]))
        self.assertEqual(values(self.at_router["segment-seg0"])["Range first"], "10.40.8.20")
        self.assertIn("lease", [measure.key for measure in self.at_router["prove"].measures])
        self.assertIn("uplink", self.at_router)


class Joined(unittest.TestCase):
    def test_a_segment_on_several_ports_sits_on_a_bridge_of_them(self) -> None:
        plan, key = with_device(office_site())
        document = plan.document()
        document["devices"][key]["ports"]["4"] = {"mode": "bridge", "segment": "seg0", "bridge": "Office"}
        found = sheet_of(SitePlan.model_validate(document), key, hardware())
        self.assertEqual(values(found["segment-seg0"])["On"], "port 1 and port 4, joined into one network (a bridge)")

    def test_a_licence_has_its_step_with_its_key(self) -> None:
        kind = hardware(licences={"upkeep": "new firmware"})
        plan, key = with_device(office_site(), kind)
        found = sheet_of(plan, key, kind)
        self.assertEqual(values(found["licence-upkeep"])["Key"], f"devices/{key}/licence-upkeep")

    def test_the_passphrase_of_backups_is_at_the_backup(self) -> None:
        kind = hardware(slots={"administrator": {}, "backup": {"label": "backup passphrase"}})
        plan, key = with_device(office_site(), kind)
        found = sheet_of(plan, key, kind)
        self.assertNotIn("slot-backup", found)
        self.assertEqual(values(found["backup"]), {"Backup passphrase": f"devices/{key}/backup"})

    def test_whom_one_logs_in_as_is_told_after_each_change_and_restart(self) -> None:
        plan, key = with_device(office_site())
        found = sheet_of(plan, key, hardware())
        for step in ("log-in-own", "reconnect", "open-restart"):
            told = values(found[step])
            self.assertEqual((told["User"], told["Password"]), ("admin", f"devices/{key}/administrator"), step)

    def test_a_practice_provider_is_told_its_settings(self) -> None:
        lines = [{"label": "Main", "handoff": "pppoe", "pppoe_user": "dock@fern.example", "vlan": 35}]
        plan, key = with_device(office_site(circuits=lines))
        told = values(sheet_of(plan, key, hardware())["practice"])
        self.assertEqual(told["Main: VLAN tag on its port"], "35")
        self.assertEqual(told["Main: PPPoE password"], "circuits/circ0/pppoe")
        self.assertTrue(all(m.beyond for m in sheet_of(plan, key, hardware())["prove-line"].measures))

    def test_words_that_nobody_types_are_not_copied(self) -> None:
        plan, key = with_device(office_site())
        for step in sheet_of(plan, key, hardware()).values():
            for value in step.values:
                if value.text in ("leave empty", "off", "none") or (
                    " " in value.label and value.label.startswith("If ")
                ):
                    self.assertFalse(value.copied, value)


class ABoxWithoutPlan(unittest.TestCase):
    def test_nothing_known_asks_for_nothing_that_is_not_there(self) -> None:
        kind = hardware(console={})
        plan, key = with_device(office_site(circuits=[], segments=[segment(subnet=None)]), kind)
        found = sheet_of(plan, key, kind)
        self.assertNotIn("routes", found)
        self.assertTrue(all(value.text or value.secret for step in found.values() for value in step.values))
