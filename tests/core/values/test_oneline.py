from __future__ import annotations

import unittest
from random import Random

from octaplan.core.config.writeout import NotWritten, write_out
from octaplan.core.plan.patch import PatchError, applied, set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.oneline import odd_character
from tests.core.config.demo import equipped, types

ODD = ("\n", "\r", "\0", "\x1b", "\x7f", "\x85", "\t", "\u202e", "\u2066", "\u2028")


class OneLine(unittest.TestCase):
    def test_what_belongs_in_a_line_and_what_does_not(self) -> None:
        for text in ("", "Ada Lovelace", "Zoë, 12 Rue de l’Église", "東京", "a–b", "½ “x”", "👩‍🔧"):
            self.assertEqual(odd_character(text), "", text)
        for character in ODD:
            self.assertNotEqual(odd_character(f"a{character}b"), "", repr(character))
        self.assertEqual(odd_character("a\nb\tc", "\n\t"), "")

    def test_no_change_puts_a_line_end_where_a_box_is_told_a_line(self) -> None:
        plan = equipped(Random(3), "skerry-f7")
        edge = next(key for key, device in plan.devices.items() if device.type == "skerry-f7")
        segment, circuit = next(iter(plan.segments)), next(iter(plan.circuits))
        for path in ("/contact", "/name", f"/devices/{edge}/location", f"/devices/{edge}/contact", f"/devices/{edge}/name",
                     f"/segments/{segment}/label", f"/circuits/{circuit}/pppoe_user", f"/circuits/{circuit}/uses/x"):  # fmt: skip
            for character in ODD:
                with (
                    self.subTest(path, character=character),
                    self.assertRaisesRegex(PatchError, "after 'fine'.*in one line"),
                ):
                    applied(plan, [set_to(path, f"fine{character}user evil secret x")])
        with self.assertRaisesRegex(PatchError, "in one line"):
            applied(plan, [set_to("/hosts/h9999", {"segment": segment, "name": "a", "kind": "b\nuser evil"})])
        self.assertEqual(
            applied(plan, [set_to(f"/devices/{edge}/banner", "one\ntwo")]).devices[edge].banner, "one\ntwo"
        )

    def test_the_write_out_refuses_what_older_data_holds_whatever_the_template(self) -> None:
        tried: list[str] = []
        for kind in types().values():
            plan = equipped(Random(3), kind.key)
            document = plan.document()
            edge = next(key for key, device in plan.devices.items() if device.type == kind.key)
            self.assertTrue(write_out(plan, edge, kind).lines)
            document["devices"][edge]["location"] = "fine\nuser evil secret x"
            old = SitePlan.model_validate(document)
            names = set(kind.write_out.not_written) if kind.write_out else set()
            if {"box.location", "box"} & names:
                continue
            tried.append(kind.key)
            with self.subTest(kind.key), self.assertRaisesRegex(NotWritten, "a line end, by which a box would take"):
                write_out(old, edge, kind)
        self.assertGreater(len(tried), 3)
