"""Hardware types: what can be written down, what cannot, and what follows from it."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any, ClassVar

from pydantic import ValidationError

from octaplan import demo
from octaplan.core.plan.hardware import Console, Factory, HardwareType, Port, SlotRule
from tests.core.kit import hardware

FIXED = {"address": "192.168.77.1", "prefix": 24}


class Factories(unittest.TestCase):
    def refused(self, words: str, **values: Any) -> None:
        with self.assertRaisesRegex(ValidationError, words):
            Factory.model_validate(values)

    def test_a_fixed_address_needs_address_and_mask(self) -> None:
        self.refused("needs address and mask")
        self.refused("needs address and mask", address="192.168.77.1")
        self.assertEqual(str(Factory.model_validate(FIXED).subnet), "192.168.77.0/24")

    def test_a_box_that_asks_for_one_needs_none(self) -> None:
        self.assertIsNone(Factory.model_validate({"addressing": "dhcp"}).subnet)

    def test_the_mask_fits_the_family(self) -> None:
        self.refused("too long for 192.168.77.1", address="192.168.77.1", prefix=64)
        self.assertEqual(str(Factory.model_validate({"address": "fd00::1", "prefix": 64}).subnet), "fd00::/64")

    def test_leases_lie_in_the_subnet_and_leave_the_box_out(self) -> None:
        self.refused("not within", **FIXED, leases="192.168.78.2-192.168.78.9")
        self.refused("not within", **FIXED, leases="192.168.77.250-192.168.77.255")
        self.refused("not within", **FIXED, leases="192.168.77.9-192.168.77.2")
        self.refused("holds its own address", **FIXED, leases="192.168.77.1-192.168.77.9")
        self.refused("not its own address", addressing="dhcp", leases="192.168.77.2-192.168.77.9")

    def test_a_known_password_is_written_down(self) -> None:
        self.refused("known first password is empty", **FIXED, password="known")

    def test_no_password_of_the_maker_is_wanted_for_the_other_kinds(self) -> None:
        for kind in ("blank", "label", "chosen"):
            self.assertTrue(Factory.model_validate(FIXED | {"password": kind}).password.words)


class Types(unittest.TestCase):
    def test_ports_keep_the_order_of_the_panel_through_json(self) -> None:
        names = ["MGMT", "2", "1", "10", "LAN"]
        kind = hardware(ports={name: {} for name in names})
        again = HardwareType.model_validate_json(json.dumps(kind.document()))
        self.assertEqual(list(again.ports), names)
        self.assertEqual(again, kind)

    def test_two_ports_of_one_name_are_refused(self) -> None:
        document = hardware().document()
        document["panel"].append(document["panel"][0])
        with self.assertRaisesRegex(ValidationError, "same name"):
            HardwareType.model_validate(document)

    def test_a_slot_differs_from_slots_that_there_are(self) -> None:
        for others in (["gone"], ["administrator"]):
            with self.assertRaisesRegex(ValidationError, "no other slot of this type"):
                hardware(slots={"administrator": {"distinct_from": others}})

    def test_the_laptop_goes_where_the_factory_address_answers(self) -> None:
        ports = {
            "WAN": {"factory_role": "internet"},
            "1": {},
            "2": {"laptop": False},
            "3": {"medium": "fibre"},
            "M": {"factory_role": "management"},
            "4": {"factory_role": "none"},
        }
        self.assertEqual(hardware(ports=ports).laptop_ports(), ["1", "M"])
        off = hardware(ports=ports, factory=FIXED | {"interfaces_disabled": True})
        self.assertEqual(off.laptop_ports(), [])
        self.assertEqual(hardware(ports=ports, factory={"addressing": "none"}).laptop_ports(), [])

    def test_network_ports_are_those_that_take_network_cables(self) -> None:
        ports = {
            "1": {},
            "F": {"medium": "fibre"},
            "C": {"medium": "console"},
            "U": {"medium": "usb"},
            "L": {"medium": "cellular"},
        }
        self.assertEqual(hardware(ports=ports).network_ports(), ["1", "F"])
        self.assertFalse(Port(name="C", medium="console").carries)

    def test_unknown_members_are_refused(self) -> None:
        with self.assertRaisesRegex(ValidationError, "Extra inputs"):
            HardwareType.model_validate(hardware().document() | {"colour": "grey"})

    def test_the_console_in_words(self) -> None:
        self.assertEqual(Console().words, "RJ45, 9600 bit/s, 8N1, no flow control")
        odd = Console(connector="DE-9", speed=300, data_bits=7, parity="even", stop_bits=2, flow_control="software")
        self.assertEqual(odd.words, "DE-9, 300 bit/s, 7E2, software flow control")


class SlotRules(unittest.TestCase):
    def test_forbidden_characters_are_in_no_class(self) -> None:
        classes = SlotRule(forbidden="a1-").characters()
        self.assertFalse(any(set("a1-") & set(characters) for characters in classes.values()))

    def test_a_pin_has_digits_only(self) -> None:
        rule = SlotRule(digits_only=True, shortest=4, longest=4)
        self.assertEqual((rule.needed, list(rule.characters())), (["digit"], ["digit"]))


class Demo(unittest.TestCase):
    TYPES: ClassVar = [
        HardwareType.model_validate_json(path.read_text())
        for path in sorted((Path(demo.__file__).parent / "hardware").glob("*.json"))
    ]

    def test_there_are_six_that_differ_in_every_respect_the_bench_feels(self) -> None:
        self.assertEqual(len(self.TYPES), 6)
        for what in (
            lambda t: t.kind,
            lambda t: t.takes,
            lambda t: t.kept,
            lambda t: t.factory.password,
            lambda t: t.factory.addressing,
            lambda t: t.factory.leases is None,
            lambda t: t.factory.interfaces_disabled,
            lambda t: t.factory.blocked,
            lambda t: t.restart_needed,
            lambda t: t.console is None,
        ):
            self.assertGreater(len({what(kind) for kind in self.TYPES}), 1)

    def test_each_says_why_a_port_is_not_for_the_laptop(self) -> None:
        for kind in self.TYPES:
            for port in kind.panel:
                self.assertTrue(port.laptop or port.why_not, (kind.key, port.name))

    def test_their_files_are_what_the_code_writes(self) -> None:
        for kind in self.TYPES:
            self.assertEqual(HardwareType.model_validate(kind.document()), kind)
