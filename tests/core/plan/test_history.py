"""Undo over revisions, and two plans beside each other."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.changes import changes, compared, sentence
from octaplan.core.plan.history import CourseStep, StepKind, course
from tests.support import segment, site


class Undo(unittest.TestCase):
    def steps(self, letters: str) -> list[CourseStep]:
        kinds = {"c": StepKind.CHANGE, "u": StepKind.UNDO, "r": StepKind.REDO, "b": StepKind.BACK}
        return [CourseStep(number, kinds[letter]) for number, letter in enumerate(letters, 1)]

    def test_what_stands(self) -> None:
        for letters, expected in {
            "c": (1, None, None),
            "ccc": (3, 2, None),
            "cccu": (2, 1, 3),
            "cccuu": (1, None, 2),
            "cccuur": (2, 1, 3),
            "cccuurr": (3, 2, None),
            "cccuc": (5, 2, None),
            "ccbu": (2, 1, 3),
            "ccucu": (1, None, 4),
        }.items():
            with self.subTest(letters):
                found = course(self.steps(letters))
                self.assertEqual((found.now, found.undo, found.redo), expected)

    def test_histories_that_cannot_be(self) -> None:
        for letters in ("u", "cu", "ccr"):
            with self.subTest(letters), self.assertRaises(ValueError):
                course(self.steps(letters))

    @given(st.lists(st.sampled_from("curb"), max_size=40))
    def test_it_is_what_an_editor_does(self, wishes: list[str]) -> None:
        texts, place = [1], 0
        letters, shown = "c", 1
        for wish in wishes:
            number = len(letters) + 1
            if wish == "u":
                if place == 0:
                    continue
                place -= 1
            elif wish == "r":
                if place + 1 == len(texts):
                    continue
                place += 1
            else:
                texts = [*texts[: place + 1], number]
                place += 1
            letters += wish
            shown = texts[place]
        stands = course(self.steps(letters))
        self.assertEqual(stands.now, shown)
        self.assertEqual(stands.undo, texts[place - 1] if place else None)
        self.assertEqual(stands.redo, texts[place + 1] if place + 1 < len(texts) else None)


class Compared(unittest.TestCase):
    def test_two_sites_are_matched_by_their_names(self) -> None:
        one = site("FERN/DOCK", [segment(), segment("Voice", "10.40.9.0/24")], [("Office", "printer", "10.40.8.10")])
        other = site(
            "FERN/MILL",
            [segment("Voice", "10.41.9.0/24"), segment("Office", "10.41.8.0/24")],
            [("Office", "printer", "10.41.8.10"), ("Office", "till", "10.41.8.11")],
        )
        told = [str(change) for change in compared(one, other)]
        self.assertIn("Office subnet 10.40.8.0/24 → 10.41.8.0/24", told)
        self.assertIn("Voice gateway 10.40.9.1 → 10.41.9.1", told)
        self.assertIn("Printer address 10.40.8.10 → 10.41.8.10", told)
        self.assertIn("Added host till", told)
        self.assertFalse([line for line in told if "segment" in line], told)

    def test_one_site_by_its_ids(self) -> None:
        one = site(segments=[segment(), segment("Voice", "10.40.9.0/24")])
        swapped = site(segments=[segment("Voice"), segment("Office", "10.40.9.0/24")])
        self.assertEqual(len(compared(one, swapped)), 2, "only the labels differ")
        self.assertEqual(compared(one, one), [])

    def test_a_name_twice_is_matched_once(self) -> None:
        one = site(segments=[segment()])
        other = site("FERN/MILL", [segment("Spare", "10.50.0.0/24"), segment(), segment("office", "10.51.0.0/24")])
        told = [str(change) for change in compared(one, other)]
        self.assertEqual(
            sorted(line for line in told if "Added" in line), ["Added segment Spare", "Added segment office"]
        )


class Order(unittest.TestCase):
    def test_segments_stand_in_their_order(self) -> None:
        plan = site(segments=[segment(order=2), segment("Voice", "10.40.9.0/24", order=1), segment("New", None)])
        self.assertEqual([s.label for s in plan.segments.values()], ["Voice", "Office", "New"])

    def test_a_new_order_is_told_once(self) -> None:
        before = site(segments=[segment(), segment("Voice", "10.40.9.0/24")])
        after = site(segments=[segment(order=2), segment("Voice", "10.40.9.0/24", order=1)])
        self.assertEqual(sentence(changes(before, after)), "Segments put in another order")
