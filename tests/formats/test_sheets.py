"""Printed sheets: what stands on them, and that anything can be printed."""

from __future__ import annotations

import io
import re
import unittest
from urllib.parse import unquote

from hypothesis import given
from pypdf import PdfReader

from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.installer import installer_page
from octaplan.core.stage.sitesheet import where_and_as_whom
from octaplan.formats.sheets import (
    Heading,
    SheetSecret,
    barcode,
    credential_sheet,
    installer_sheet,
    label_texts,
    labels,
    print_site_sheet,
)
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit, segment, site

SECRET = SheetSecret("dock-edge administrator", "aB3-<&", "https://10.40.10.1, as admin")
HEADING = Heading("Fernhollow Garden Centres", "NOT CLEAR TO SHIP", 7)
KIND = hardware(lights={"Power": "steady green"})
TYPES = {KIND.key: KIND}


def text_of(pdf: bytes) -> str:
    return " ".join(re.sub(r"\s+", " ", page.extract_text()) for page in PdfReader(io.BytesIO(pdf)).pages)


def equipped() -> SitePlan:
    lines = [circuit(provider="Northlight Fibre", reference="NL-1", priority=1)]
    plan, _ = with_device(office_site(name="Łąka Dockside", contact="Ada, 01632 960 114", circuits=lines), KIND)
    return plan


class Sheets(unittest.TestCase):
    def test_the_site_sheet_has_every_value_to_type(self) -> None:
        text = text_of(print_site_sheet(equipped(), HEADING, TYPES))
        for value in ("Łąka Dockside", "203.0.113.18", "255.255.255.248", "10.40.8.20", "10.40.8.199", "NOT CLEAR", "dock-edge",
                      "Revision 7"):  # fmt: skip
            self.assertIn(value, text)

    def test_the_site_sheet_has_the_ipv6_side_kept_runs_and_the_modem(self) -> None:
        lines = [circuit(priority=1, address6="2001:db8:9::2", prefix6=64, modem_subnet="192.168.143.0/24")]
        kept = [{"kind": "printer", "run": "10.40.8.200-10.40.8.219"}]
        plan = site(segments=[segment(subnet6="2001:db8:40:1::/64", kept=kept)], circuits=lines)
        text = text_of(print_site_sheet(plan, HEADING, TYPES))
        for value in ("2001:db8:9::2/64", "192.168.143.0/24", "2001:db8:40:1::/64", "for printer"):
            self.assertIn(value, text)

    def test_the_installers_page_is_in_plain_words(self) -> None:
        text = text_of(installer_sheet(equipped(), HEADING, installer_page(equipped(), TYPES), TYPES))
        for words in ("the socket or box of Northlight Fibre", "steady green", "Northlight Fibre, say the reference NL-1",
                      "Leave empty", "On site: Ada"):  # fmt: skip
            self.assertIn(words, text)
        self.assertNotIn("10.40.8", text)

    def test_a_cable_between_two_boxes_is_named_once(self) -> None:
        switch = hardware("test-eight", kind="switch", ports={str(n): {} for n in range(1, 5)}, slots={})
        plan, _ = with_device(office_site(), switch, role=DeviceRole.SWITCH)
        plan, _ = with_device(plan, KIND)
        page = installer_page(plan, TYPES | {switch.key: switch})
        between = [cable for cable in page.cables if cable.goes_to.startswith("port ")]
        self.assertEqual([(c.box, c.goes_to) for c in between], [("dock-edge", "port 1 of dock-switch")])

    def test_labels_say_name_address_serial_and_revision_and_no_secret(self) -> None:
        (label,) = label_texts(equipped(), 7)
        self.assertEqual(label.address, "10.40.10.1")
        self.assertEqual((label.name, label.code), ("dock-edge", "dock-edge r7"))
        self.assertEqual(label.ports[0], "WAN  Main")
        self.assertIn("dock-edge", text_of(labels(equipped(), 7)))
        self.assertIn("No box to label yet", text_of(labels(office_site(), 7)))

    def test_the_credential_sheet_spells_secrets_out(self) -> None:
        text = text_of(credential_sheet(equipped(), HEADING, [SECRET], "Ines"))
        self.assertIn("aB3-<&", text)
        self.assertIn("https://10.40.10.1, as admin", text)
        self.assertIn("small alfa, capital Bravo, three, hyphen", text)
        self.assertIn("No secret is in the safe", text_of(credential_sheet(equipped(), HEADING, [], "Ines")))

    def test_where_and_as_whom_one_logs_in_with_each_secret(self) -> None:
        plan = equipped()
        document = plan.document()
        document["wireless"] = {"wif1": {"name": "Fern", "segment": "seg0"}}
        document["circuits"]["circ0"] |= {"handoff": "pppoe", "pppoe_user": "dock@fern.example"}
        plan = SitePlan.model_validate(document)
        said = {slot.path.split("/")[0]: where_and_as_whom(plan, slot, TYPES) for slot in slots_of(plan, TYPES)}
        self.assertEqual(said["wireless"], "Wi-Fi Fern, leads into Office")
        self.assertEqual(said["circuits"], "PPPoE user dock@fern.example")
        self.assertEqual(said["devices"], "https://10.40.10.1, as admin")

    def test_a_barcode_says_what_it_is_of_by_the_standard(self) -> None:
        widths = [int(w) for w in re.findall(r'width="(\d+)"', unquote(barcode("A")))]
        # start B, A, check digit (104 + 33) % 103 = 34, stop; the bars alone (ISO/IEC 15417)
        self.assertEqual(widths, [2, 1, 1, 1, 1, 2, 1, 1, 2, 2, 3, 1, 2])
        self.assertEqual(barcode("Zürich"), "")

    @given(plans())
    @examples(15)
    def test_any_plan_can_be_printed(self, plan: SitePlan) -> None:
        for pdf in (
            print_site_sheet(plan, HEADING, {}),
            installer_sheet(plan, HEADING, installer_page(plan, {}), {}),
            labels(plan, 1),
        ):
            self.assertTrue(pdf.startswith(b"%PDF-"))
