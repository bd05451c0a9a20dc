"""What stands on the sheets of different boxes: every value, in the right step, and none too many."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.runsheet import Step, run_sheet
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit, segment


def sheet_of(plan: SitePlan, key: str, kind: HardwareType) -> dict[str, Step]:
    return {step.key: step for step in run_sheet(plan, key, kind).steps}


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
            "Time servers": "time.tern.example", "Resolvers": "192.0.2.53  192.0.2.54",
            "Forwards names to": "192.0.2.53  192.0.2.54", "Location": "cabinet", "Banner": "Private",
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
        routes = [value.text for value in found["routes"].values]
        self.assertEqual(routes, ["by 203.0.113.17, metric 10", "by what Spare gives, metric 20"])

    def test_translation_rules_and_access_are_in_words(self) -> None:
        found = self.sheet()
        said = [f"{value.label} {value.text}" for value in found["rules"].values]
        self.assertIn("Translate Office to Main", said)
        self.assertIn("Allow Management to everything, any", said)
        self.assertEqual(values(found["access"]), {"HTTPS": "from Management"})

    def test_a_box_that_blocks_everything_says_so(self) -> None:
        kind = hardware(factory={"address": "192.168.77.1", "prefix": 24, "web": "https", "blocked": True})
        self.assertIn("blocks everything that is not allowed", self.sheet(kind)["rules"].text)

    def test_leftovers_firmware_and_lights_come_from_the_type(self) -> None:
        kind = hardware(
            leftovers=["The guest network"],
            firmware={"wanted": "4.8.2", "how": "Upload it"},
            lights={"Power": "steady green"},
        )
        found = self.sheet(kind)
        self.assertEqual(values(found["leftovers"]), {"Remove": "The guest network"})
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
            "Name (SSID)": "Fern", "Security": "WPA2-WPA3", "Key": "wireless/wifi/key", "Segment": "Office",
            "Band": "2.4+5 GHz", "Hidden": "no", "Client limit": "40", "Country": "GB",
        })  # fmt: skip
        self.assertNotIn("wifi-wifi", self.sheet(hardware(), change))

    def test_joined_ports_are_named(self) -> None:
        def change(document: dict[str, Any], device: dict[str, Any]) -> None:
            device["ports"]["4"] = {"mode": "bridge", "bridge": "inside", "segment": "seg0"}

        self.assertEqual(values(self.sheet(change=change)["ports"])["Port 4"], "joined ports inside: Office")

    def test_remote_management_is_proved(self) -> None:
        access = {
            "aaaa": {"service": "https", "segment": "seg2"},
            "bbbb": {"service": "ssh", "networks": ["198.51.100.0/28"]},
        }
        found = self.sheet(change=lambda d, device: device.update(access=access))
        self.assertEqual(values(found["access"])["SSH"], "from 198.51.100.0/28")
        self.assertIn("remote", [measure.key for measure in found["prove"].measures])


class ASwitch(unittest.TestCase):
    def setUp(self) -> None:
        self.plan, key = with_device(office_site(), SWITCH, DeviceRole.SWITCH)
        self.found = sheet_of(self.plan, key, SWITCH)

    def test_ports_say_what_each_carries(self) -> None:
        ports = values(self.found["ports"])
        self.assertEqual(ports["Port 1"], "trunk: untagged 99, tagged 10 20")
        self.assertEqual((ports["Port 2"], ports["Port 8"]), ("access: Office", "access: Management"))

    def test_it_has_no_internet_side_and_hands_nothing_out(self) -> None:
        self.assertFalse([key for key in self.found if key.startswith("circuit") or key in ("routes", "rules")])
        self.assertEqual(values(self.found["segment-seg0"]), {"VLAN": "10"})

    def test_its_own_address_and_gateway_are_proved(self) -> None:
        self.assertEqual(values(self.found["segment-seg2"])["Own address"], "10.40.10.2")
        self.assertEqual([measure.key for measure in self.found["prove"].measures], ["gateway"])

    def test_it_is_saved_before_the_plug_is_pulled(self) -> None:
        order = list(self.found)
        self.assertLess(order.index("apply"), order.index("save"))
        self.assertLess(order.index("save"), order.index("restart"))
        self.assertLess(order.index("restart"), order.index("prove-again"))


class ABoxWithoutPlan(unittest.TestCase):
    def test_nothing_known_asks_for_nothing_that_is_not_there(self) -> None:
        kind = hardware(console={})
        plan, key = with_device(office_site(circuits=[], segments=[segment(subnet=None)]), kind)
        found = sheet_of(plan, key, kind)
        self.assertNotIn("routes", found)
        self.assertTrue(all(value.text or value.secret for step in found.values() for value in step.values))
