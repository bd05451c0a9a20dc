"""Lists of open questions, and answers that come back in them, in letters and in tables."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.plan.questions import Whom
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.asking import ASKED_COLUMNS, Came, as_rows, as_text, lists, read_rows, read_text
from octaplan.core.values.errors import OctaplanError
from tests.support import circuit, site


def portfolio() -> dict[str, SitePlan]:
    plans = [
        site("FERN/DOCK", name="Dockside", circuits=[circuit(provider="Copperline", reference="CL-1", gateway=None)]),
        site("FERN/MILL", name="Millbank", circuits=[circuit(address="203.0.113.30", provider="Copperline")]),
        site(
            "KILN/WORK", name="Workshop", circuits=[circuit("Line", "203.0.113.40", handoff="pppoe", provider="Gannet")]
        ),
    ]
    return {plan.key: plan for plan in plans}


NAMES = {"FERN": "Fernhollow", "KILN": "Bright Kiln"}


class Listing(unittest.TestCase):
    def test_by_whom_to_ask_across_sites(self) -> None:
        listed = lists(portfolio().values(), NAMES)
        self.assertEqual(
            [(str(one.whom), one.who) for one in listed],
            [
                ("provider", "Copperline"),
                ("provider", "Gannet"),
                ("customer", "Bright Kiln"),
                ("customer", "Fernhollow"),
                ("office", "own office"),
            ],
        )
        self.assertEqual(
            {(q.site, q.short) for q in listed[0].questions if q.short == "gateway"}, {("DOCK", "gateway")}
        )
        only = lists(portfolio().values(), NAMES, whom=Whom.PROVIDER, who="copperline", customer="fern")
        self.assertEqual([one.who for one in only], ["Copperline"])
        self.assertEqual(lists([site()], {}, who="nobody"), [])

    def test_a_password_is_never_asked_for_in_writing(self) -> None:
        gannet = lists(portfolio().values(), NAMES, whom=Whom.PROVIDER, who="Gannet")
        self.assertTrue(any(q.short == "PPPoE password" for q in gannet[0].questions))
        self.assertNotIn("assword", as_text(gannet[0]))
        self.assertFalse(any("assword" in cell for row in as_rows(gannet) for cell in row))
        came = read_text(portfolio(), "Workshop (KILN/WORK), circuit Line\nPPPoE password: tide-rope-91")
        came += read_rows(
            portfolio(), [{"customer": "KILN", "site": "WORK", "key": "pppoe_password.circ0", "answer": "x9"}]
        )
        self.assertEqual([(one.text, "into the safe" in one.problem) for one in came], [("", True), ("", True)])
        held = lists(portfolio().values(), NAMES, lambda site, path: path.endswith("/pppoe"), Whom.PROVIDER, "Gannet")
        self.assertFalse(any(q.short == "PPPoE password" for q in held[0].questions))


class ComingBack(unittest.TestCase):
    def read(self, text: str) -> list[tuple[str, str, str]]:
        return [(one.site, one.key, one.text) for one in read_text(portfolio(), text)]

    def test_a_list_is_read_back_as_it_is_sent(self) -> None:
        text = as_text(lists(portfolio().values(), NAMES, whom=Whom.PROVIDER, who="Copperline")[0])
        self.assertEqual(self.read(text), [])
        text = text.replace("gateway: ", "gateway: 203.0.113.17", 1).replace("VLAN tag: ", "VLAN tag: none")
        self.assertEqual(
            self.read("\n".join("> " + line for line in text.splitlines())),
            [("DOCK", "gateway.circ0", "203.0.113.17"), ("DOCK", "vlan.circ0", "none"), ("MILL", "vlan.circ0", "none")],
        )

    def test_a_letter_below_a_heading_is_read_into_fields(self) -> None:
        came = read_text(
            portfolio(), "Hello,\nDockside (FERN/DOCK), circuit Main\nyour new default gateway is 203.0.113.17\nBye"
        )
        self.assertEqual(
            [(c.key, c.text, c.doubt) for c in came],
            [
                ("handoff.circ0", "static", "read from a letter"),
                ("gateway.circ0", "203.0.113.17", "read from a letter"),
            ],
        )

    def test_customers_answer_without_a_circuit(self) -> None:
        self.assertEqual(
            self.read("Workshop (KILN/WORK)\n- place of the box: under the stairs\n- contact: Bo Tamsin"),
            [("WORK", "place", "under the stairs"), ("WORK", "contact", "Bo Tamsin")],
        )

    def test_what_matches_nothing_is_said(self) -> None:
        with self.assertRaisesRegex(OctaplanError, "No site is named"):
            read_text(portfolio(), "gateway: 203.0.113.17")
        with self.assertRaisesRegex(OctaplanError, "at most 1,000,000"):
            read_text(portfolio(), "x" * 1_000_001)
        came = read_text(
            portfolio(), "Dock (FERN/DOCKS), circuit Main\ngateway: .17\nMillbank (FERN/MILL), circuit Spare\nspeed: 1"
        )
        self.assertEqual(
            [c.problem.split(":")[0] for c in came], ["There is no site FERN/DOCKS", "There is no circuit Spare"]
        )

    def test_two_answers_to_one_question_are_marked(self) -> None:
        head = "Dockside (FERN/DOCK), circuit Main\n"
        came = read_text(
            portfolio(), f"{head}gateway: 203.0.113.17\n\n{head}gateway: 203.0.113.22\n\n{head}speed: 100/20"
        )
        self.assertEqual(
            [c.doubt for c in came],
            ["It is answered twice, also with 203.0.113.22", "It is answered twice, also with 203.0.113.17", ""],
        )


class Tables(unittest.TestCase):
    def rows(self) -> list[dict[str, str]]:
        listed = lists(portfolio().values(), NAMES, whom=Whom.PROVIDER, who="Copperline")
        return [dict(zip(ASKED_COLUMNS, row, strict=True)) for row in as_rows(listed)]

    def came(self, **changed: str) -> Came:
        row: dict[str, Any] = next(row for row in self.rows() if row["key"] == "gateway.circ0")
        return read_rows(portfolio(), [row | {"answer": "203.0.113.17"} | changed])[0]

    def test_a_filled_table_comes_back(self) -> None:
        self.assertEqual(read_rows(portfolio(), self.rows()), [])
        self.assertEqual(self.came(), Came("FERN", "DOCK", "gateway.circ0", "203.0.113.17"))

    def test_bad_rows_are_said_side_by_side(self) -> None:
        self.assertIn("here it is Dockside", self.came(name="Dock Side").doubt)
        self.assertIn("no site FERN/DOCKS", self.came(site="DOCKS").problem)
        self.assertIn("names no question", self.came(key="gateway.gone0").problem)
        self.assertIn("names no question", self.came(key="").problem)
        self.assertIn("one of them has been changed", self.came(key="vlan.circ0").problem)
        row = next(row for row in self.rows() if row["key"] == "gateway.circ0")
        both = read_rows(portfolio(), [row | {"answer": "203.0.113.17"}, row | {"answer": "203.0.113.22"}])
        self.assertTrue(all("answered twice" in one.doubt for one in both))
        self.assertEqual(len(read_rows(portfolio(), [row | {"answer": "203.0.113.17"}] * 2)), 1)
