"""Property tests across the safe's rules, the measures and the words of the bench."""

from __future__ import annotations

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.hardware import DIGITS, LOWER, SYMBOLS, UPPER, SlotRule
from octaplan.core.plan.passwords import BITS_OF_WORDS, BITS_WANTED, make, problems, spoken, strength
from octaplan.core.stage.measures import Outcome, judge
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.wordlist import WORDS

PRINTABLE = LOWER + UPPER + DIGITS + SYMBOLS


class Bits(unittest.TestCase):
    def test_generated_secrets_carry_the_bits_they_should(self) -> None:
        pool = 26 + 26 + 10 - 14
        self.assertGreaterEqual(len(make(SlotRule(longest=64))) * math.log2(pool), BITS_WANTED - 6)

    def test_words_carry_theirs(self) -> None:
        made = make(SlotRule(shortest=16, longest=63), words=True)
        self.assertGreaterEqual(len(made.split("-")) * math.log2(len(WORDS)), BITS_OF_WORDS - 4)

    def test_a_short_slot_is_filled_to_its_end(self) -> None:
        self.assertEqual(len(make(SlotRule(shortest=4, longest=6, digits_only=True))), 6)
        self.assertEqual(len(make(SlotRule(shortest=16, longest=16))), 16)

    def test_words_that_do_not_fit_become_characters(self) -> None:
        for rule in (SlotRule(longest=16), SlotRule(longest=63, forbidden="-"), SlotRule(digits_only=True)):
            made = make(rule, words=True)
            self.assertEqual(problems(rule, made), [])
            self.assertNotIn("-", made)

    def test_words_are_short_plain_and_all_different(self) -> None:
        self.assertGreater(len(WORDS), 1_000)
        self.assertEqual(len(WORDS), len(set(WORDS)))
        self.assertTrue(all(word.isascii() and word.islower() and 2 <= len(word) <= 8 for word in WORDS))


class Rules(unittest.TestCase):
    @given(st.text(alphabet=PRINTABLE, max_size=40), st.text(alphabet=PRINTABLE, max_size=5), st.integers(1, 20))
    def test_problems_are_found_exactly_when_a_rule_is_broken(self, secret: str, forbidden: str, shortest: int) -> None:
        try:
            rule = SlotRule(shortest=shortest, longest=30, forbidden=forbidden)
        except ValueError:
            return
        broken = (
            not shortest <= len(secret) <= 30
            or any(c in forbidden for c in secret)
            or not all(any(c in classes for c in secret) for classes in (LOWER, UPPER, DIGITS))
        )
        self.assertEqual(bool(problems(rule, secret)), broken)

    def test_each_problem_is_said(self) -> None:
        for rule, secret, words in (
            (SlotRule(), "", "it is empty"),
            (SlotRule(), "aB3", "has 3 characters, and the box wants at least 12"),
            (SlotRule(longest=12), "aB3aB3aB3aB3aB3", "takes at most 12"),
            (SlotRule(), "abcdefgh1234", "lacks a capital letter"),
            (SlotRule(symbol=True), "abcdEFGH1234", "lacks a symbol"),
            (SlotRule(forbidden="E"), "abcdEFGH1234", "what the box does not take: E"),
            (SlotRule(digits_only=True, shortest=4), "12a4", "only digits"),
            (SlotRule(), "abcdEFGH1234 ", "a space at an end"),
            (SlotRule(), "abcd\tEFGH1234", "cannot be typed"),
        ):
            with self.subTest(words):
                self.assertTrue(any(words in problem for problem in problems(rule, secret)), problems(rule, secret))

    @given(st.text(max_size=100))
    def test_strength_judges_anything(self, secret: str) -> None:
        self.assertIn(strength(secret, ["fern"]).score, range(5))

    def test_a_long_secret_is_as_strong_as_its_beginning(self) -> None:
        self.assertTrue(strength("a" * 200).weak)
        self.assertFalse(strength(make(SlotRule(shortest=80, longest=120))).weak)

    @given(st.text(max_size=40))
    def test_every_character_is_spoken(self, secret: str) -> None:
        said = spoken(secret)
        self.assertEqual(len(said), len(secret))
        self.assertTrue(all(said))

    def test_capital_and_small_letters_are_spoken_apart(self) -> None:
        for letter in LOWER:
            small, capital = spoken(letter + letter.upper())
            self.assertEqual((small.split()[0], capital.split()[0]), ("small", "capital"))
            self.assertTrue(capital.split()[1].lower().startswith(letter))


class Measures(unittest.TestCase):
    @given(st.integers(1, 20).flatmap(lambda sent: st.tuples(st.just(sent), st.integers(0, sent))))
    def test_replies_are_counted_alike_in_every_notation(self, counts: tuple[int, int]) -> None:
        sent, received = counts
        texts = (
            f"{received}/{sent}",
            f"{received} of {sent}",
            f"{sent} packets transmitted, {received} received, 0% packet loss",
            f"Packets: Sent = {sent}, Received = {received}, Lost = {sent - received}",
            f"Success rate is 80 percent ({received}/{sent})",
        )
        judged = {(found.outcome, found.value) for found in (judge("ping", text) for text in texts)}
        self.assertEqual(len(judged), 1, judged)
        (outcome, value) = judged.pop()
        self.assertEqual(value, f"{received} of {sent} replies")
        self.assertEqual(outcome is Outcome.BAD, received == 0)

    @given(st.integers(0, 255))
    def test_a_lease_is_judged_by_the_range(self, last: int) -> None:
        found = judge("lease", f"inet 10.61.4.{last}/24 scope global", "10.61.4.60–10.61.4.199")
        self.assertEqual(found.outcome is Outcome.GOOD, 60 <= last <= 199)

    def test_what_is_too_long_is_refused(self) -> None:
        with self.assertRaisesRegex(OctaplanError, "at most 4000"):
            judge("text", "x" * 4_001)
        with self.assertRaisesRegex(OctaplanError, "Nothing is typed"):
            judge("ping", "  ")
