"""Devices, Wi-Fi and options as they are typed, and the sentences that tell of their changes."""

from __future__ import annotations

import unittest
from typing import Any

import jsonpatch

from octaplan.core.plan.changes import changes, sentence
from octaplan.core.plan.passwords import read_password
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.typed import understand
from octaplan.core.values.dhcpoptions import read_dhcp_options
from octaplan.core.values.errors import OctaplanError
from tests.core.kit import office_site, with_device


def equipped() -> tuple[SitePlan, str]:
    plan, key = with_device(office_site())
    document = plan.document()
    document["wireless"] = {"wifi": {"name": "Fern", "segment": "seg0"}}
    return SitePlan.model_validate(document), key


class Typing(unittest.TestCase):
    def setUp(self) -> None:
        self.plan, self.edge = equipped()

    def value(self, field: str, text: str) -> Any:
        path = field if field.startswith("/") else f"/devices/{self.edge}/{field}"
        return understand(self.plan, path, text).operations[0]["value"]

    def refused(self, field: str, text: str, words: str) -> None:
        with self.assertRaisesRegex(OctaplanError, words):
            self.value(field, text)

    def test_what_is_typed_is_read_generously(self) -> None:
        for field, text, value in (
            ("name", " dock-edge ", "dock-edge"),
            ("macs", "0240.0800.0001, 02-40-08-00-00-01 024008000002", ["02:40:08:00:00:01", "02:40:08:00:00:02"]),
            ("time_servers", "TIME.tern.example; 192.0.2.123", ["TIME.tern.example", "192.0.2.123"]),
            ("resolvers", "192.0.2.53 192.0.2.53", ["192.0.2.53"]),
            ("addresses/seg0", "9", "10.40.8.9"),
            ("role", "Inner-Router", "inner-router"),
            ("time_zone", "Europe/Lisbon", "Europe/Lisbon"),
            ("licences/filtering", "2031-02-01", {"ends": "2031-02-01"}),
            ("licences/filtering", "no end", {"ends": None}),
            ("banner", "  Private   network ", "Private network"),
            ("/wireless/wifi/name", "Fern & Co", "Fern & Co"),
            ("/wireless/wifi/hidden", "Yes", True),
            ("/wireless/wifi/country", "gb", "GB"),
            ("/wireless/wifi/client_limit", "40", 40),
            ("/wireless/wifi/security", "WPA3", "wpa3"),
            ("/segments/seg0/scope/options", "66 10.40.9.9; 150: 10.40.9.9", {"66": "10.40.9.9", "150": "10.40.9.9"}),
        ):
            with self.subTest(field, text=text):
                self.assertEqual(self.value(field, text), value)

    def test_what_cannot_be_is_refused_with_what_to_type(self) -> None:
        for field, text, words in (
            ("name", "dock_edge", "letters, digits and hyphens"),
            ("macs", "02:40", "twelve hexadecimal digits"),
            ("time_servers", "10.0.0.300", "Octet 300"),
            ("time_servers", ";", "nothing but separators"),
            ("time_servers", " ".join(f"t{n}.example" for n in range(9)), "at most 8"),
            ("time_zone", "Lisbon", "such as Europe/Paris"),
            ("role", "core", "is not one of"),
            ("addresses/seg0", "x", "Only digits|4 in|Empty"),
            ("licences/filtering", "soon", "such as 18 dec"),
            ("/wireless/wifi/name", "é" * 17, "at most 32 bytes, this one 34"),
            ("/wireless/wifi/name", "", "cannot be empty"),
            ("/wireless/wifi/hidden", "maybe", "neither yes nor no"),
            ("/wireless/wifi/country", "England", "two letters"),
            ("/wireless/wifi/client_limit", "0", "from 1 to 10000"),
            ("/segments/seg0/scope/options", "0 x", "1 to 254"),
            ("/devices/gone/name", "x", "removed by somebody else"),
            ("ports/1/mode", "access", "no field"),
        ):
            with self.subTest(field, text=text):
                self.refused(field, text, words)

    def test_emptying_a_field_forgets_it(self) -> None:
        self.assertEqual(self.value("macs", ""), [])
        self.assertIsNone(self.value("serial", ""))
        self.assertEqual(self.value("/segments/seg0/scope/options", ""), {})
        self.assertEqual(understand(self.plan, f"/devices/{self.edge}/addresses/seg0", "").operations, [])

    def test_options_are_bounded(self) -> None:
        with self.assertRaisesRegex(OctaplanError, "at most 64"):
            read_dhcp_options("; ".join(f"{n} x" for n in range(160, 230)))

    def test_a_password_is_taken_as_it_stands_and_never_quoted(self) -> None:
        self.assertEqual(read_password(" a b'\""), " a b'\"")
        for wrong in ("x" * 300, "walnut\x07"):
            with self.assertRaises(OctaplanError) as caught:
                read_password(wrong)
            self.assertNotIn("walnut", str(caught.exception))


class Sentences(unittest.TestCase):
    def setUp(self) -> None:
        self.plan, self.edge = equipped()

    def said(self, *operations: tuple[str, str, Any]) -> str:
        patch = [
            {"op": op, "path": path.replace("EDGE", f"/devices/{self.edge}"), "value": value}
            for op, path, value in operations
        ]
        after = SitePlan.model_validate(jsonpatch.apply_patch(self.plan.document(), patch))
        return sentence(changes(self.plan, after))

    def test_each_change_is_said_in_words(self) -> None:
        for operation, words in (
            (("replace", "EDGE/name", "gate"), "Dock-edge name dock-edge → gate"),
            (("replace", "EDGE/serial", "T5-1"), "Dock-edge serial empty → T5-1"),
            (
                ("replace", "EDGE/ports/4", {"mode": "access", "segment": "seg0"}),
                "Dock-edge port 4 unused → access Office",
            ),
            (("replace", "EDGE/ports/1/enabled", False), "Dock-edge port 1 switched on yes → no"),
            (
                ("add", "EDGE/licences/filtering", {"ends": "2031-01-01"}),
                "Dock-edge licence filtering empty → until 2031-01-01",
            ),
            (("replace", "/wireless/wifi/security", "open"), "Fern security wpa2-wpa3 → open"),
            (("add", "/wireless/wif2", {"name": "Guests"}), "Added Wi-Fi Guests"),
            (("remove", "EDGE", None), "Removed device dock-edge"),
            (("add", "/slots/port", {"name": "Portal"}), "Added secret Portal"),
            (("add", "/segments/seg0/scope/options", {"66": "10.40.9.9"}), "Office DHCP options empty → 66 10.40.9.9"),
        ):
            with self.subTest(words):
                self.assertEqual(self.said(operation), words)
