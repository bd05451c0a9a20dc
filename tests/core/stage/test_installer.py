"""The installer's page: plain words, every cable once, no address."""

from __future__ import annotations

import re
import unittest
from typing import Any

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.installer import InstallerPage, installer_page, power_on_site
from octaplan.core.stage.sitesheet import SheetRow, site_sheet
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit

EDGE = hardware(lights={"Power": "steady green", "Internet": "green"})
SWITCH = hardware("test-eight", kind="switch", model="Eight", ports={str(n): {} for n in range(1, 9)}, slots={})
POINT = hardware("test-air", kind="access point", model="Air", ports={"PoE": {}, "LAN": {}}, slots={}, radio=True)
MODEM = hardware("test-modem", kind="modem", model="Modem", ports={"Line": {}, "LAN1": {}}, slots={})
TYPES = {kind.key: kind for kind in (EDGE, SWITCH, POINT, MODEM)}


def equipped() -> SitePlan:
    """A site with a switch, an edge, an access point and the provider's modem."""
    lines = [
        circuit(provider="Northlight Fibre", reference="NL-1", priority=1),
        circuit("Spare", None, handoff="dhcp", priority=2),
    ]
    plan = office_site(circuits=lines, contact="Ada Fennimore, 01632 960 114")
    for kind, role in (
        (SWITCH, DeviceRole.SWITCH),
        (EDGE, DeviceRole.EDGE),
        (POINT, DeviceRole.ACCESS_POINT),
        (MODEM, DeviceRole.MODEM),
    ):
        plan, _ = with_device(plan, kind, role)
    return plan


class ThePage(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = equipped()
        self.page: InstallerPage = installer_page(self.plan, TYPES)

    def test_boxes_are_known_by_their_labels_from_the_provider_inwards(self) -> None:
        self.assertEqual(
            [(box.name, box.looks) for box in self.page.boxes],
            [
                ("dock-edge", "the box with the label, Testmaker Five"),
                ("dock-switch", "the switch with the label, Testmaker Eight"),
                ("dock-ap", "the Wi-Fi box with the label, Testmaker Air"),
                ("the provider's modem", "the provider's own box, Testmaker Modem"),
            ],
        )

    def test_every_cable_is_named_once_and_says_where_both_ends_go(self) -> None:
        cables = [(cable.box, cable.port, cable.goes_to) for cable in self.page.cables]
        self.assertEqual(cables[0], ("dock-edge", "WAN", "the socket or box of Northlight Fibre"))
        between = [cable for cable in cables if cable[2].startswith("port ")]
        self.assertEqual(len(between), 2)
        ends = [(box, port) for box, port, _ in between] + [
            tuple(reversed(c[2].removeprefix("port ").split(" of "))) for c in between
        ]
        self.assertEqual(len(ends), len(set(ends)))

    def test_it_says_what_to_leave_empty_which_lights_and_whom_to_call(self) -> None:
        self.assertIn("dock-ap: LAN", self.page.leave_empty)
        self.assertEqual(
            [(light.box, light.name) for light in self.page.lights], [("dock-edge", "Power"), ("dock-edge", "Internet")]
        )
        self.assertEqual(self.page.call, [
            "On site: Ada Fennimore, 01632 960 114", "Main does not work: Northlight Fibre, say the reference NL-1",
        ])  # fmt: skip

    def test_the_number_that_a_provider_gave_is_rung(self) -> None:
        document = self.plan.document()
        answer = {"text": "01632 960 171", "by": "Ines", "at": "2027-01-04T10:00:00Z"}
        document["answers"] = {f"support.{next(iter(document['circuits']))}": answer}
        call = installer_page(SitePlan.model_validate(document), TYPES).call
        self.assertEqual(call[1], "Main does not work: Northlight Fibre, 01632 960 171, say the reference NL-1")

    def test_no_address_mask_or_vlan_is_on_it(self) -> None:
        self.assertIsNone(re.search(r"\d+\.\d+\.\d+\.\d+|VLAN|subnet", repr(self.page)))

    def test_cables_have_their_colour_and_boxes_their_place(self) -> None:
        document = self.plan.document()
        edge = next(device for device in document["devices"].values() if device["role"] == "edge")
        edge["location"] = "cabinet by the tills"
        edge["ports"]["WAN"]["cable"] = "yellow"
        page = installer_page(SitePlan.model_validate(document), TYPES)
        self.assertEqual((page.boxes[0].where, page.cables[0].cable), ("cabinet by the tills", "yellow"))

    def test_it_ends_with_whom_the_office_says_to_call(self) -> None:
        office = Organisation(support="The desk, 555 0142")
        self.assertEqual(installer_page(self.plan, TYPES, office).call[-1], "Anything else: The desk, 555 0142")
        self.assertIn(SheetRow("Our support", office.support), site_sheet(self.plan, TYPES, office).facts)

    def test_a_site_of_which_nothing_is_known_has_an_empty_page(self) -> None:
        empty: list[Any] = []
        page = installer_page(office_site(), {})
        self.assertEqual(page, InstallerPage("", empty, empty, empty, empty, empty, empty, empty))

    def test_it_says_what_powers_each_box_and_which_sockets_are_free(self) -> None:
        powering = {str(n): {"powers": n == 8} for n in range(1, 9)}
        switch = hardware("test-eight", kind="switch", ports=powering, slots={})
        point = hardware("test-air", kind="access point", ports={"PoE": {}}, slots={}, powered_by=["port", "injector"])
        types = TYPES | {switch.key: switch, point.key: point}
        plan, _ = with_device(office_site(), switch, DeviceRole.SWITCH)
        plan, _ = with_device(plan, EDGE)
        plan, ap = with_device(plan, point, DeviceRole.ACCESS_POINT)
        self.assertTrue(
            power_on_site(plan, plan.devices[ap], types).startswith(("its injector", "no power supply: port 8"))
        )
        page = installer_page(plan, types)
        self.assertEqual(
            {box.name: box.power for box in page.boxes}["dock-edge"], "its power supply into a wall socket"
        )
        self.assertIn("computers (Office)", [socket.use for socket in page.sockets])
        self.assertNotIn("a device of", str(page))

    def test_it_asks_what_people_can_try_and_what_the_bench_left_out(self) -> None:
        document = self.plan.document()
        document["wireless"] = {"wif1": {"name": "Fern guests", "segment": "seg0"}}
        document["hosts"] = {"host0": {"segment": "seg0", "name": "printer 1", "kind": "printer"}}
        page = installer_page(
            SitePlan.model_validate(document), TYPES, skipped=["Not proven on the bench: Look up a name"]
        )
        asked = [test.text for test in page.tests]
        self.assertIn("With a telephone in the Wi-Fi Fern guests: open any page of the internet", asked)
        self.assertIn("Printer 1: print a page on it", asked)
        self.assertEqual(asked[-1], "Not proven on the bench: Look up a name")
        again = installer_page(SitePlan.model_validate(document), TYPES)
        self.assertEqual([test.key for test in again.tests], [test.key for test in page.tests][:-1])

    def test_where_the_boxes_go_is_what_the_intake_knows(self) -> None:
        document = self.plan.document()
        at = "2026-02-03T10:00:00Z"
        document["answers"] = {"place": {"text": "cupboard by the back door", "by": "Ines", "at": at}}
        page = installer_page(SitePlan.model_validate(document), TYPES)
        self.assertEqual((page.place, page.boxes[0].where), ("cupboard by the back door",) * 2)
