"""The questions of the intake, what follows from answers, and answers that contradict what was confirmed."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.changes import changes, sentence
from octaplan.core.plan.patch import applied
from octaplan.core.plan.questions import QUESTIONS, State, Whom, left_open, owed, standing
from octaplan.core.plan.replacement import candidates, survivor_now
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.answering import AnswerError, Contradiction, GivenAnswer, take
from octaplan.core.propose.remedies import Offers
from tests import examples
from tests.support import circuit, segment, site

NOW = datetime(2027, 3, 4, 9, tzinfo=UTC)


def answered(plan: SitePlan, *given: tuple[str, str], confirmed: bool = False) -> SitePlan:
    taken = take(plan, [GivenAnswer(*one) for one in given], "Ines", NOW, source="Dana, phone", confirmed=confirmed)
    return applied(plan, taken.operations)


def states(plan: SitePlan) -> dict[str, State]:
    return {one.key: one.state for one in standing(plan)}


class Asking(unittest.TestCase):
    def test_what_is_asked_follows_from_the_answers(self) -> None:
        plan = site(circuits=[{"label": "Main"}])
        self.assertIn("handoff.circ0", states(plan))
        self.assertNotIn("address.circ0", states(plan))
        plan = answered(plan, ("handoff.circ0", "static"))
        self.assertEqual(states(plan)["address.circ0"], State.OPEN)
        self.assertNotIn("pppoe_user.circ0", states(plan))
        plan = answered(plan, ("handoff.circ0", "pppoe"))
        self.assertNotIn("address.circ0", states(plan))
        self.assertEqual(states(plan)["pppoe_password.circ0"], State.OPEN)
        self.assertNotIn("survive", states(plan))
        self.assertIn("survive", states(answered(plan, ("replaces", "the old one in the cellar"))))
        self.assertNotIn("survive", states(answered(plan, ("replaces", "none"))))
        self.assertIn("lines", states(site()))
        self.assertNotIn("lines", states(plan))

    def test_the_safe_answers_for_its_password(self) -> None:
        plan = site(circuits=[circuit(handoff="pppoe", address=None)])
        held = {one.key: one for one in standing(plan, {"circuits/circ0/pppoe"}.__contains__)}
        self.assertEqual(
            (held["pppoe_password.circ0"].state, held["pppoe_password.circ0"].value), (State.GIVEN, "in the safe")
        )
        with self.assertRaisesRegex(AnswerError, "into the safe"):
            take(plan, [GivenAnswer("pppoe_password.circ0", "pebble2")], "Ines", NOW)

    def test_what_is_open_by_whom(self) -> None:
        plan = site(circuits=[circuit(gateway=None)])
        open_ = left_open(standing(plan))
        self.assertEqual(open_[Whom.PROVIDER][0].question.name, "gateway")
        self.assertEqual(owed(plan, "circ0"), ["gateway"])
        self.assertEqual(len(standing(plan)), len({one.key for one in standing(plan)}))

    def test_every_field_of_a_question_is_there(self) -> None:
        for question in QUESTIONS:
            if question.field:
                part = circuit() if question.each else {}
                plan = site(circuits=[part] if part else [])
                self.assertTrue(hasattr(plan.circuits["circ0"] if part else plan, question.field), question.name)


class Answering(unittest.TestCase):
    def test_an_answer_goes_into_its_field_with_who_said_so(self) -> None:
        plan = answered(site(circuits=[circuit(address=None, prefix=None)]), ("address.circ0", "198.51.100.18/29"))
        self.assertEqual((str(plan.circuits["circ0"].address), plan.circuits["circ0"].prefix), ("198.51.100.18", 29))
        answers = plan.answers
        self.assertEqual((answers["address.circ0"].source, answers["prefix.circ0"].text), ("Dana, phone", "29"))
        self.assertEqual(states(plan)["address.circ0"], State.GIVEN)

    def test_none_settles_an_optional_question_and_no_other(self) -> None:
        plan = answered(site(circuits=[circuit(vlan=7)]), ("vlan.circ0", "No"), ("dns_server", "-"))
        self.assertIsNone(plan.circuits["circ0"].vlan)
        self.assertEqual((states(plan)["vlan.circ0"], states(plan)["dns_server"]), (State.GIVEN, State.GIVEN))
        self.assertNotIn("dns_domain", states(plan))
        with self.assertRaises(AnswerError):
            answered(plan, ("gateway.circ0", "none"))

    def test_an_empty_answer_opens_the_question_again(self) -> None:
        plan = answered(site(), ("place", "cellar"), ("contact", "Dana Reed"))
        plan = answered(plan, ("place", ""), ("contact", ""))
        self.assertEqual(
            (states(plan)["place"], states(plan)["contact"], dict(plan.answers)), (State.OPEN, State.OPEN, {})
        )

    def test_what_cannot_be_read_names_the_question(self) -> None:
        plan = site(circuits=[circuit()])
        for key, text, words in (
            ("gateway.circ0", "203.0.113.300", "gateway"),
            ("nothing", "x", "no question"),
            ("gateway", "203.0.113.1", "no question"),
            ("gateway.gone0", "203.0.113.1", "not there any more"),
            ("survive", "10.0.0.1", "is not asked"),
            ("place", "x" * 1_001, "at most 1,000"),
        ):
            with self.subTest(key), self.assertRaisesRegex(AnswerError, words) as caught:
                take(plan, [GivenAnswer(key, text)], "Ines", NOW)
            self.assertEqual(caught.exception.key, key)
        bridged = site(circuits=[circuit(modem_subnet="192.168.100.0/24")])
        with self.assertRaisesRegex(AnswerError, "yes, no"):
            take(bridged, [GivenAnswer("bridge.circ0", "perhaps")], "Ines", NOW)

    def test_a_confirmed_answer_is_contradicted_with_both_sides(self) -> None:
        plan = answered(site(circuits=[circuit()]), ("gateway.circ0", "203.0.113.17"), confirmed=True)
        self.assertEqual(states(plan)["gateway.circ0"], State.CONFIRMED)
        against = take(plan, [GivenAnswer("gateway.circ0", "203.0.113.22")], "Ines", NOW).contradictions
        expected = Contradiction("gateway.circ0", "gateway", "203.0.113.17", "Dana, phone", NOW, "203.0.113.22")
        self.assertEqual(against, [expected])
        self.assertEqual(take(plan, [GivenAnswer("gateway.circ0", "203.0.113.17")], "Ines", NOW).contradictions, [])

    def test_a_plan_that_departs_is_found_and_put_back(self) -> None:
        plan = answered(site(circuits=[circuit()]), ("gateway.circ0", "203.0.113.17"), confirmed=True)
        off = applied(plan, [{"op": "add", "path": "/circuits/circ0/gateway", "value": "203.0.113.22"}])
        self.assertEqual(states(off)["gateway.circ0"], State.DEPARTED)
        portfolio = Portfolio([off])
        findings = portfolio.check(off)
        finding = next(f for f in findings if f.rule == "answer-departed")
        self.assertIn("Dana, phone confirmed the gateway of Main at DOCK as 203.0.113.17", finding.message)
        mended = applied(off, Offers(portfolio, off, findings).of(finding)[0].operations)
        self.assertEqual(mended, plan)

    def test_changes_are_told_once(self) -> None:
        before = site(circuits=[circuit()])
        after = answered(before, ("gateway.circ0", "203.0.113.22"), ("place", "cellar"), confirmed=True)
        told = [str(change) for change in changes(before, after)]
        self.assertIn("Place of the box answered empty → cellar", told)
        self.assertIn("Main gateway 203.0.113.17 → 203.0.113.22", told)
        again = answered(after, ("place", "cellar"))
        self.assertIn("cellar (confirmed) → cellar", sentence(changes(after, again)))


WILD = st.one_of(
    st.text(max_size=40),
    st.sampled_from(
        [
            "none",
            "static",
            "pppoe",
            "dhcp",
            "203.0.113.18/29",
            "203.0.113.17",
            ".17",
            "29",
            "255.255.255.248",
            "4094",
            "4095",
            "192.0.2.53 192.0.2.54",
            "10.9.0.0/24; 10.9.1.0/24",
            "2001:db8::1",
            "Europe/Paris",
            "2027-03-04",
            "yes",
            "-",
            "10.1.1.1, 10.2.0.0/24",
        ]
    ),
)


class AnyAnswer(unittest.TestCase):
    @examples(150)
    @given(
        given=st.lists(st.tuples(st.sampled_from([(q.name, q.each) for q in QUESTIONS]), WILD), max_size=8),
        confirmed=st.booleans(),
    )
    def test_it_is_taken_or_refused_in_words_and_taking_it_again_changes_nothing(
        self, given: list[tuple[tuple[str, bool], str]], confirmed: bool
    ) -> None:
        plan = site(circuits=[circuit()])
        for (name, each), text in given:
            key = f"{name}.circ0" if each else name
            try:
                taken = take(plan, [GivenAnswer(key, text)], "Ines", NOW, confirmed=confirmed)
            except AnswerError as error:
                self.assertEqual(error.key, key)
                self.assertTrue(str(error).strip())
                continue
            plan = applied(plan, taken.operations)
            again = take(plan, [GivenAnswer(key, text)], "Ines", NOW, confirmed=confirmed)
            self.assertEqual(applied(plan, again.operations), plan)
            self.assertEqual(again.contradictions, [])
            state = states(plan).get(key)
            self.assertEqual(state is State.OPEN, not text.strip(), (key, text, state))
        SitePlan.model_validate(plan.document())


class Surviving(unittest.TestCase):
    def plan(self, gateway: str = "10.40.8.1") -> SitePlan:
        marked = {"what": "Office gateway", "value": "10.40.8.1", "path": "/segments/seg0/gateway"}
        return site(
            segments=[segment(gateway=gateway)],
            hosts=[("Office", "files", "10.40.8.9")],
            survivors={"surv0": marked, "surv1": {"what": "files", "value": "10.40.8.9"}},
        )

    def test_candidates_are_the_addresses_of_the_plan(self) -> None:
        told = {(c.path, c.value) for c in candidates(self.plan())}
        self.assertLessEqual({("/segments/seg0/gateway", "10.40.8.1"), ("/hosts/host0/address", "10.40.8.9")}, told)

    def test_what_is_lost_is_found_and_given_back(self) -> None:
        self.assertEqual([survivor_now(self.plan(), s) for s in self.plan().survivors.values()], [None, None])
        off = self.plan("10.40.8.254")
        portfolio = Portfolio([off])
        findings = portfolio.check(off)
        finding = next(f for f in findings if f.rule == "survivor-lost")
        self.assertIn("the plan says 10.40.8.254", finding.message)
        self.assertEqual(applied(off, Offers(portfolio, off, findings).of(finding)[0].operations), self.plan())

    def test_a_place_that_is_gone_is_told_and_has_no_remedy(self) -> None:
        gone = applied(self.plan(), [{"op": "remove", "path": "/hosts/host0"}])
        gone = applied(gone, [{"op": "remove", "path": "/segments/seg0"}])
        portfolio = Portfolio([gone])
        findings = [f for f in portfolio.check(gone) if f.rule == "survivor-lost"]
        self.assertEqual([f.addresses for f in findings], ["10.40.8.1", "10.40.8.9"])
        self.assertEqual([Offers(portfolio, gone, findings).of(f) for f in findings], [[], []])

    def test_an_address_may_be_anywhere_but_not_nowhere(self) -> None:
        lost = applied(self.plan(), [{"op": "remove", "path": "/hosts/host0"}])
        self.assertEqual(survivor_now(lost, lost.survivors["surv1"]), "")

    def test_a_list_of_addresses_is_marked(self) -> None:
        plan = answered(site(), ("replaces", "the old one"), ("survive", "10.1.1.1, 10.2.0.0/24; 10.1.1.1"))
        self.assertEqual([s.value for s in plan.survivors.values()], ["10.1.1.1", "10.2.0.0/24"])
        with self.assertRaises(AnswerError):
            answered(plan, ("survive", "the printer"))
