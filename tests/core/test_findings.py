from __future__ import annotations

import unittest
from collections.abc import Iterator
from typing import Any

from octaplan.core.findings import RULES, Finding, Hit, Severity, in_order, rule
from octaplan.core.rules.words import and_more, at, count, listed
from tests.support import circuit, found, segment, site


class Registry(unittest.TestCase):
    def test_a_rule_is_entered_once_and_with_its_prose(self) -> None:
        def silent(view: Any) -> Iterator[Hit]:
            """Title alone"""
            yield from ()

        for rule_id in ("title-alone", "gateway-outside"):
            with self.assertRaises(ValueError):
                rule(rule_id, Severity.STOP, "segment", "gateway")(silent)
        self.assertNotIn("title-alone", RULES)

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
