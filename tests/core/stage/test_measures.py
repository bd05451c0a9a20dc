from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.stage.measures import Outcome, judge
from octaplan.core.values.errors import TypedError
from tests.core.stage.outputs import OUTPUTS

LINES = "64 bytes from 203.0.113.17: icmp_seq={} ttl=64 time=0.4 ms\n"
RANGE = "10.61.4.60–10.61.4.199"


def marks(sent: int, lost: tuple[int, ...] = ()) -> str:
    """Replies drawn one by one, as some boxes do."""
    return "".join("." if number in lost else "!" for number in range(sent))


class Printed(unittest.TestCase):
    def test_a_yes_says_too_little_of_what_must_stay_silent(self) -> None:
        for text in ("yes", "No", "ok", "fine so far"):
            with self.subTest(text), self.assertRaises(ValueError) as caught:
                judge("silent", text)
            self.assertIn("no answer", str(caught.exception))

    def test_what_programs_and_boxes_print_good_and_bad(self) -> None:
        self.assertGreater(len(OUTPUTS), 100)
        for kind, expect, outcome, value, text in OUTPUTS:
            with self.subTest(kind=kind, expect=expect, text=text):
                try:
                    judged = judge(kind, text, expect)
                except TypedError:
                    self.assertEqual(outcome, "refused")
                else:
                    self.assertEqual((judged.outcome, judged.value), (outcome, value))


class Pings(unittest.TestCase):
    def test_what_the_usual_programs_print(self) -> None:
        summary = "5 packets transmitted, {} received, {}% packet loss"
        for text, outcome in (
            ("5/5", "good"), ("4/5", "good"), ("3/5", "odd"), ("4 of 5 came back", "good"), ("0 of 5 came back", "bad"),
            (marks(5), "good"), (marks(5, lost=(0,)), "good"), (marks(5, lost=(2,)), "odd"), (summary.format(5, 0), "good"), (summary.format(0, 100), "bad"),
            ("".join(map(LINES.format, (2, 3, 4, 5))) + summary.format(4, 20), "good"),
            ("".join(map(LINES.format, (1, 2, 4, 5))) + summary.format(4, 20), "odd"),
            ("Packets: Sent = 4, Received = 4, Lost = 0 (0% loss)", "good"), ("0 of 5", "bad"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(judge("ping", text, "").outcome, outcome)

    def test_the_first_lost_reply_is_explained(self) -> None:
        self.assertIn("new neighbour", judge("ping", marks(5, lost=(0,)), "203.0.113.17").words)

    def test_another_address_than_the_one_asked_for(self) -> None:
        self.assertIn(
            "not 203.0.113.18",
            judge("ping", LINES.format(1) + "1 packets transmitted, 1 received", "203.0.113.18").words,
        )

    def test_what_holds_no_count_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(ValueError, "as 4/5"):
            judge("ping", "fine", "")


class OtherAnswers(unittest.TestCase):
    def test_leases(self) -> None:
        self.assertEqual(judge("lease", "10.61.4.60", RANGE).outcome, Outcome.GOOD)
        self.assertEqual(judge("lease", "inet 10.61.4.77/24 brd 10.61.4.255", RANGE).value, "10.61.4.77")
        self.assertIn("another server", judge("lease", "192.168.1.20", RANGE).words)
        self.assertIn("not running", judge("lease", "169.254.7.1", RANGE).words)
        with self.assertRaisesRegex(ValueError, "such as 10.40.8.20"):
            judge("lease", "none", RANGE)

    def test_lookups_lights_and_numbers_on_labels(self) -> None:
        self.assertEqual(judge("lookup", "** server can't find x.example: NXDOMAIN").outcome, "bad")
        self.assertEqual(judge("lookup", "x.example has address 192.0.2.7").value, "192.0.2.7")
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
        except ValueError as error:
            self.assertGreater(len(str(error)), 20)
