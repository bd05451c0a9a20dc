from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.propose.codes import code_for


class Codes(unittest.TestCase):
    def test_the_first_telling_word_gives_it(self) -> None:
        for name, code in (
            ("Fernhollow Garden Centres", "FERN"),
            ("The Quayside Bakehouse", "QUAY"),
            ("Paws & Pines Veterinary", "PAWS"),
            ("HQ", "HQ"),
            ("Ødegård", "ODEG"),
            ("St. Anne's", "ST"),
            ("12 Mill Lane", "12"),
            ("The", "THE"),
        ):
            with self.subTest(name):
                self.assertEqual(code_for(name, []), code)

    def test_one_that_is_taken_gives_way(self) -> None:
        self.assertEqual(code_for("Mill Quay", ["mill"]), "MILQ")
        self.assertEqual(code_for("Mill Quay", ["MILL", "MILQ"]), "MQ")
        self.assertEqual(code_for("Millbank", ["MILL"]), "MILLBA")
        self.assertEqual(code_for("Mill", ["MILL"]), "MILL2")

    def test_a_name_in_other_letters_gives_none(self) -> None:
        self.assertEqual(code_for("東京", []), "")

    @given(st.text(max_size=40), st.lists(st.text(max_size=6), max_size=8))
    def test_it_is_never_one_that_is_taken(self, name: str, taken: list[str]) -> None:
        code = code_for(name, taken)
        self.assertNotIn(code.casefold(), {one.casefold() for one in taken} - {""})
        self.assertTrue(code == "" or (code.isascii() and code.isalnum() and 1 <= len(code) <= 40))
