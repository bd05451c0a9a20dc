from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from octaplan.core.hardware import CONFUSABLE, SlotRule
from octaplan.core.passwords import make, problems, spoken, strength
from octaplan.core.wordlist import WORDS


@st.composite
def rules(draw: st.DrawFn) -> SlotRule | None:
    shortest = draw(st.integers(1, 20))
    try:
        return SlotRule(
            shortest=shortest,
            longest=shortest + draw(st.integers(0, 40)),
            lower=draw(st.booleans()),
            upper=draw(st.booleans()),
            digit=draw(st.booleans()),
            symbol=draw(st.booleans()),
            digits_only=draw(st.booleans()),
            forbidden=draw(st.text(alphabet="abcXYZ0189!-$%", max_size=10)),
        )
    except ValidationError:
        return None


class Making(unittest.TestCase):
    @given(rules(), st.booleans())
    @settings(max_examples=300, deadline=None)
    def test_what_is_made_obeys_the_rules(self, rule: SlotRule | None, words: bool) -> None:
        if rule is not None:
            self.assertEqual(problems(rule, make(rule, words=words)), [])

    def test_characters_cannot_be_confused(self) -> None:
        rule = SlotRule(symbol=True)
        self.assertFalse(set("".join(make(rule) for _ in range(200))) & set(CONFUSABLE))

    def test_no_two_are_alike_and_all_are_strong(self) -> None:
        made = [make(SlotRule()) for _ in range(500)]
        self.assertEqual(len(set(made)), 500)
        self.assertFalse(any(strength(secret).weak for secret in made[:50]))

    def test_words_come_from_the_list(self) -> None:
        made = make(SlotRule(shortest=16, longest=63), words=True)
        self.assertTrue(all(word.casefold().strip("34679") in WORDS for word in made.split("-")), made)

    def test_rules_that_nothing_can_meet_are_refused_when_they_are_written(self) -> None:
        for wrong, words in (
            ({"forbidden": "0123456789"}, "forbids them all"),
            ({"shortest": 20, "longest": 8}, "swap the two"),
            ({"shortest": 1, "longest": 2}, "do not fit"),
        ):
            with self.assertRaisesRegex(ValidationError, words):
                SlotRule.model_validate(wrong)


class Judging(unittest.TestCase):
    def test_problems_never_quote_the_secret(self) -> None:
        secret = "hunter22hunter22'"
        found = problems(SlotRule(shortest=30, longest=40, forbidden="'"), secret)
        self.assertEqual(len(found), 3)
        self.assertNotIn("hunter", " ".join(found))

    def test_weak_ones_are_weak(self) -> None:
        self.assertTrue(strength("Password123").weak)
        self.assertTrue(strength("heron2026", ["heron"]).weak)
        self.assertFalse(strength("walnut-Anchor-mist-copper7").weak)

    def test_every_character_is_spoken(self) -> None:
        self.assertEqual(spoken("aB3-"), ["small alfa", "capital Bravo", "three", "hyphen"])
        self.assertEqual(len(spoken("é~")), 2)
