"""Plans with answers that were decided beforehand, by hand, from how packets go and not from this code."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any

from octaplan.core.flow.asking import WalkAnswer
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.walking import answers_of, traffic_asked

CASES: dict[str, dict[str, Any]] = json.loads(Path(__file__).with_name("witness.json").read_text())

#: What the walk still answers otherwise, each with why: it has to be planned, or to be rehearsed, first.
LEFT_OPEN = {
    ("p08b_one_to_one_outbound", "web"): "a publication that translates both ways (RFC 2663) is no value of a plan yet",
    ("p11b_double_nat_pub", "internet"): "what a modem forwards is no value of a plan yet",
    ("p13b_pub_on_backup_nofilter", "internet"): "the rehearsal's providers take any source (RFC 2827)",
    ("p33_native_mismatch", "Guest"): "frames that change their segment on a cable with unlike ends are not followed",
    ("p44_internet_includes_unplanned", "Guest"): "a network behind somebody else's router is no end of a question yet",
}


def result(case: dict[str, Any], asked: dict[str, str]) -> str:
    plan = SitePlan.model_validate(case["plan"])
    service = asked["service"]
    try:
        traffic = traffic_asked(plan, UNDECIDED, service)
        (answer,) = answers_of(traffic, asked["from"], asked["to"], service, asked.get("down"))
    except OctaplanError as error:
        return f"refused: {error}"
    return word(answer)


def word(answer: WalkAnswer) -> str:
    if answer.unknown:
        return "unknown"
    return {"passes": "pass", "stopped": "stop", "partly": "partly"}[answer.result]


class Witness(unittest.TestCase):
    def test_each_answer_is_the_one_that_was_decided_beforehand(self) -> None:
        right = 0
        for name, case in CASES.items():
            for asked in case["asks"]:
                found = result(case, asked)
                right += found in asked["truth"]
                if (name, asked["from"]) not in LEFT_OPEN:
                    with self.subTest(name, what=case["what"], **asked):
                        self.assertIn(found, asked["truth"])
        self.assertGreaterEqual(right, 84)

    def test_what_is_left_open_is_still_open(self) -> None:
        for name, source in LEFT_OPEN:
            case = CASES[name]
            with self.subTest(name):
                wrong = [a for a in case["asks"] if a["from"] == source and result(case, a) not in a["truth"]]
                self.assertTrue(wrong, "it is right now: take it off the list")

    def test_a_plan_with_an_open_door_is_not_green(self) -> None:
        for name, case in CASES.items():
            if case.get("green") is False:
                with self.subTest(name, what=case["what"]):
                    traffic = traffic_asked(SitePlan.model_validate(case["plan"]), UNDECIDED, "any")
                    self.assertFalse(all(one.agrees for one in answers_of(traffic, None, None, "any", None)))


if __name__ == "__main__":
    unittest.main()
