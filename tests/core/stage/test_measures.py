from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.stage.measures import Outcome, judge
from octaplan.core.values.errors import OctaplanError, TypedError
from tests.core.stage.outputs import OUTPUTS

RANGE = "10.61.4.60–10.61.4.199"


class Printed(unittest.TestCase):
    def test_a_yes_says_too_little_of_what_must_stay_silent(self) -> None:
        for text in ("yes", "No", "ok", "fine so far"):
            with self.subTest(text), self.assertRaises(OctaplanError) as caught:
                judge("silent", text)
            self.assertIn("no answer", str(caught.exception))

    def test_what_may_be_pasted_good_and_bad(self) -> None:
        self.assertGreater(len(OUTPUTS), 2_000)
        for kind, expect, outcome, value, text in OUTPUTS:
            with self.subTest(kind=kind, expect=expect, text=text):
                try:
                    judged = judge(kind, text, expect)
                except TypedError:
                    self.assertEqual(outcome, "refused")
                else:
                    self.assertEqual((judged.outcome, judged.value), (outcome, value))


class Pings(unittest.TestCase):
    def test_one_missing_reply_is_explained(self) -> None:
        for text in ("4/5", "5 sent, 4 received"):
            self.assertIn("new neighbour", judge("ping", text, "203.0.113.17").words)

    def test_who_answers_instead_is_named(self) -> None:
        self.assertIn("10.61.4.9 answers", judge("ping", "10.61.4.9 says: unreachable", "").words)

    def test_another_address_than_the_one_asked_for(self) -> None:
        said = "answer from 203.0.113.17 after 3 ms\n1 sent, 1 received"
        self.assertIn("not 203.0.113.18", judge("ping", said, "203.0.113.18").words)

    def test_what_holds_no_count_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(OctaplanError, "as 4/5"):
            judge("ping", "fine", "")


class OtherAnswers(unittest.TestCase):
    def test_leases(self) -> None:
        self.assertEqual(judge("lease", "10.61.4.60", RANGE).outcome, Outcome.GOOD)
        self.assertEqual(judge("lease", "e1 10.61.4.77/24 brd 10.61.4.255", RANGE).value, "10.61.4.77")
        self.assertIn("another server", judge("lease", "192.168.1.20", RANGE).words)
        self.assertIn("not running", judge("lease", "169.254.7.1", RANGE).words)
        with self.assertRaisesRegex(OctaplanError, "such as 10.40.8.20"):
            judge("lease", "none", RANGE)

    def test_lookups_lights_and_numbers_on_labels(self) -> None:
        self.assertEqual(judge("lookup", "x.example: NXDOMAIN").outcome, "bad")
        self.assertEqual(judge("lookup", "x.example is 192.0.2.7").value, "192.0.2.7")
        self.assertEqual(judge("light", "off", "steady green").outcome, "bad")
        self.assertEqual(judge("light", "Steady green", "steady green").outcome, "good")
        self.assertEqual(judge("mac", "0240.08aa.bbcc").value, "02:40:08:aa:bb:cc")
        self.assertEqual(judge("mac", "02:40:08:aa:bb:cd", "02:40:08:aa:bb:cc").outcome, "bad")
        self.assertEqual(judge("firmware", "v4.8.2 (build 7)", "4.8.2").outcome, "good")
        self.assertEqual(judge("firmware", "4.7", "4.8.2").outcome, "odd")
        self.assertEqual(judge("text", "BW5-20931", "BW5-20932").outcome, "bad")
        self.assertEqual(judge("yes", "no").outcome, "bad")

    @given(st.sampled_from(["ping", "lease", "lookup", "light", "yes", "mac", "firmware", "text", "x"]), st.text(max_size=60),
           st.sampled_from(["", RANGE, "10.0.0.1", "nonsense"]))  # fmt: skip
    def test_anything_is_judged_or_refused_in_words(self, kind: str, text: str, expect: str) -> None:
        try:
            self.assertTrue(judge(kind, text, expect).words)
        except OctaplanError as error:
            self.assertGreater(len(str(error)), 20)
