from __future__ import annotations

import unittest
from collections.abc import Iterator
from types import ModuleType
from typing import Any

from octaplan.core.check.findings import Finding, Hit, Severity, Trait, rule
from octaplan.core.check.rules import RULES, book_of, in_order
from octaplan.core.plan.elsewhere import at
from octaplan.core.plan.stages import Stage
from octaplan.core.values.words import and_more, count, listed
from tests.support import circuit, found, segment, site


class Registry(unittest.TestCase):
    def test_a_rule_is_entered_once_and_with_its_prose(self) -> None:
        def silent(view: Any) -> Iterator[Hit]:
            """Title alone"""
            yield from ()

        def spoken(view: Any) -> Iterator[Hit]:
            """A title

            And its prose.
            """
            yield from ()

        with self.assertRaisesRegex(ValueError, "lacks its prose"):
            rule("title-alone", Severity.STOP, "segment", "gateway")(silent)
        table = ModuleType("table")
        table.one = rule("twice", Severity.STOP, "segment", "gateway")(spoken)  # type: ignore[attr-defined]
        self.assertEqual(list(book_of(table)), ["twice"])
        table.other = rule("twice", Severity.WARN, "segment", "subnet")(spoken)  # type: ignore[attr-defined]
        with self.assertRaisesRegex(ValueError, "'twice' is entered twice"):
            book_of(table)

    def test_a_finding_knows_its_stage(self) -> None:
        for path, field, stage in (
            ("/segments/k3f9q", "gateway", Stage.ADDRESSES),
            ("/circuits/k3f9q", "", Stage.ADDRESSES),
            ("/devices/k3f9q/ports/1", "", Stage.DEVICES),
            ("/wireless/w1f1x", "security", Stage.DEVICES),
            ("/safe/devices/k3f9q/administrator", "secret", Stage.CREDENTIALS),
            ("/answers/vlan.k3f9q", "", Stage.INTAKE),
            ("/survivors/k3f9q", "", Stage.INTAKE),
            ("", "answers", Stage.INTAKE),
            ("", "name", Stage.ADDRESSES),
        ):
            with self.subTest(path=path, field=field):
                finding = Finding("rule", Severity.NOTE, "F", "D", "x", "", "m", path, field)
                self.assertIs(finding.stage, stage)

    def test_what_is_special_about_a_rule_stands_in_its_findings(self) -> None:
        plan = site("F/D", [segment()], circuits=[circuit("Main", None)])
        (owed,) = [f for f in found(plan) if f.rule == "wan-address-missing"]
        self.assertEqual((owed.traits, owed.owner), (frozenset({Trait.OWED}), "Main"))

    def test_titles_are_short_and_prose_is_whole_sentences(self) -> None:
        for entry in RULES.values():
            self.assertLess(len(entry.title), 60, entry.id)
            self.assertFalse(entry.title.endswith("."), entry.id)
            self.assertTrue(entry.prose.endswith("."), entry.id)
            self.assertRegex(entry.id, r"^[a-z0-9]+(-[a-z]+)+$")

    def test_the_field_to_mend_is_one_that_the_subject_has(self) -> None:
        plan = site(
            segments=[segment(vlan=5, gateway="10.40.8.0"), segment("Lab", vlan=5)],
            hosts=[("Office", "a", "10.40.8.255"), ("Office", "b", "10.40.8.255")],
            circuits=[circuit(gateway=None, resolvers=[], handoff="static")],
        )
        document = plan.document()
        members = [finding for finding in found(plan) if finding.path]
        self.assertGreater(len(members), 5)
        for finding in members:
            _, kind, key = finding.path.split("/")
            self.assertIn(finding.field, document[kind][key], finding.rule)


class Order(unittest.TestCase):
    def finding(self, site: str, severity: Severity, rule_id: str) -> Finding:
        return Finding(rule_id, severity, "F", site, "x", "", "", "/segments/x", "subnet")

    def test_by_site_then_worst_first_then_as_the_book_goes(self) -> None:
        expected = [
            self.finding("A", Severity.STOP, "overlap-segment"),
            self.finding("A", Severity.STOP, "gateway-outside"),
            self.finding("A", Severity.WARN, "common-default"),
            self.finding("A", Severity.NOTE, "shared-wan-block"),
            self.finding("B", Severity.STOP, "overlap-segment"),
        ]
        self.assertEqual(in_order(reversed(expected)), expected)


class Words(unittest.TestCase):
    def test_lists_and_counts_read_as_sentences(self) -> None:
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(["a", "b"]), "a and b")
        self.assertEqual(listed(["a", "b", "c", "d"]), "a, b, c and 1 more")
        self.assertEqual(and_more(["a", "b", "c"], 1_234), "a, b, c and 1,231 more")
        self.assertEqual(
            [count(1, "time"), count(2, "time"), count(3, "address")], ["1 time", "2 times", "3 addresses"]
        )

    def test_members_elsewhere_are_named_with_their_site(self) -> None:
        (finding, _) = found(site("F/1", [segment()]), site("F/2", [segment("Lab")]), rule="overlap-reach")
        self.assertEqual(at(finding.others[0]), "Lab at F/2")
