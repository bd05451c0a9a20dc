from __future__ import annotations

import unittest
from itertools import pairwise

import jellyfish
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from octaplan.core.plan.hardware import CONFUSABLE, SlotRule
from octaplan.core.plan.passwords import STRONG, guessable, make, problems, spoken, strength
from octaplan.core.values.wordlist import WORDS
from tests import examples
from tests.core.kit import office_site


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
    @examples(300)
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


class Words(unittest.TestCase):
    """What `octaplan.core.values.wordlist` says of its words."""

    def test_there_are_1250_and_each_is_short_and_plain(self) -> None:
        self.assertEqual((len(WORDS), len(set(WORDS))), (1250, 1250))
        self.assertEqual(
            [word for word in WORDS if not (word.isascii() and word.islower() and 4 <= len(word) <= 8)], []
        )

    def test_none_begins_another(self) -> None:
        self.assertEqual([pair for pair in pairwise(sorted(WORDS)) if pair[1].startswith(pair[0])], [])

    def test_no_two_sound_alike(self) -> None:
        sounds: dict[str, list[str]] = {}
        for word in WORDS:
            sounds.setdefault(jellyfish.metaphone(word), []).append(word)
        self.assertEqual([alike for alike in sounds.values() if len(alike) > 1], [])

    def test_no_two_differ_by_one_key_stroke(self) -> None:
        holed: dict[str, set[str]] = {}
        for word in WORDS:
            for place in range(len(word)):
                holed.setdefault(word[:place] + "?" + word[place + 1 :], set()).add(word)
                holed.setdefault(word[:place] + word[place + 1 :], set()).add(word)
            holed.setdefault(word, set()).add(word)
        near = {frozenset((a, b)) for alike in holed.values() for a in alike for b in alike if a < b}
        close = [pair for pair in near if jellyfish.damerau_levenshtein_distance(*pair) < 2]
        self.assertEqual(close, [])

    def test_none_is_of_the_spelling_alphabet(self) -> None:
        letters = {spoken(letter)[0].split()[-1] for letter in "abcdefghijklmnopqrstuvwxyz0123456789"}
        self.assertEqual(letters & set(WORDS), set())


class Judging(unittest.TestCase):
    def test_what_makes_a_secret_easy_is_said_in_our_words(self) -> None:
        for secret, words in (("password", "much-used"), ("qwertyuiop", ""), ("aaaaaaaaaaaa", "The same again"),
                              ("abcdefghij", "usual order"), ("12-05-1987", "A date")):  # fmt: skip
            judged = strength(secret)
            self.assertLess(judged.score, STRONG, secret)
            self.assertIn(words, judged.advice)
        self.assertEqual(strength(make(SlotRule())).advice, "")

    def test_problems_never_quote_the_secret(self) -> None:
        secret = "pebble22pebble22'"
        found = problems(SlotRule(shortest=30, longest=40, forbidden="'"), secret)
        self.assertEqual(len(found), 3)
        self.assertNotIn("hunter", " ".join(found))

    def test_weak_ones_are_weak(self) -> None:
        self.assertTrue(strength("Password123").weak)
        self.assertTrue(strength("heron2026", ["heron"]).weak)
        self.assertFalse(strength("walnut-Anchor-mist-copper7").weak)

    def test_words_that_whoever_knows_the_site_tries_first_are_worth_nothing(self) -> None:
        plan = office_site(
            "LIBR/WEIR", name="Weir Road Library", street="12 Weir Road, Larchford", contact="Ada Fennimore"
        )
        known = guessable(plan, "weir-edge")
        for secret in (
            "Weir Road 12",
            "WeirRoad-2026!",
            "Larchford#Library12",
            "Fennimore2026Weir",
            "weir-edge-Office1",
        ):
            judged = strength(secret, known)
            self.assertTrue(judged.weak, secret)
            self.assertIn("site, its customer or its street", judged.advice)
        self.assertFalse(strength("quaint-Otter-4-basalt", known).weak)
        for secret in ("abcdefgh1234567", "Qwertyuiop12345"):
            self.assertTrue(strength(secret).weak, secret)

    def test_made_ones_are_longer_than_the_least(self) -> None:
        self.assertEqual(len(make(SlotRule(shortest=20, longest=40))), 24)
        self.assertEqual(len(make(SlotRule(shortest=20, longest=22))), 22)

    def test_what_a_box_does_not_take_is_named(self) -> None:
        (found,) = problems(SlotRule(forbidden="'! "), "abcdEFGH12'4!")
        self.assertEqual(found, "it holds what the box does not take: apostrophe, exclamation mark")

    def test_every_character_is_spoken(self) -> None:
        self.assertEqual(spoken("aB3-"), ["small alfa", "capital Bravo", "three", "hyphen"])
        self.assertEqual(len(spoken("é~")), 2)
