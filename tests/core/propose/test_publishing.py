"""Publishing and ending it: what one publication needs goes with it, what another needs stays."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.matrix import MatrixCell, Traffic
from octaplan.core.flow.network import INTERNET
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import Circuit, SitePlan
from octaplan.core.propose.publishing import outside_address, publish, taken_back
from octaplan.core.values.addresses import AddressError
from tests.core.check.test_device_rules import TYPES, base


def plan_of(**hosts: dict[str, Any]) -> SitePlan:
    document = base()
    document["hosts"] = hosts
    return SitePlan.model_validate(document)


MAIL = {"name": "mail", "segment": "seg0", "address": "10.40.8.20"}
FILES = {"name": "files", "segment": "seg0", "address": "10.40.8.21"}


class Typing(unittest.TestCase):
    def test_an_address_outside_is_typed_by_its_end_in_the_blocks_of_the_circuit(self) -> None:
        values = {"label": "Main", "address": "203.0.113.18", "prefix": 29, "routed_blocks": ["198.51.100.64/29"],
                  "address6": "2001:db8:40::2", "prefix6": 64}  # fmt: skip
        circuit = Circuit.model_validate(values)
        for typed, expected in (
            (".20", "203.0.113.20"),
            ("20", "203.0.113.20"),
            (".67", "198.51.100.67"),
            ("198.51.100.66", "198.51.100.66"),
            ("::20", "2001:db8:40::20"),
            ("192.0.2.9", "192.0.2.9"),
        ):
            with self.subTest(typed):
                self.assertEqual(str(outside_address(circuit, typed)), expected)
        self.assertIsNone(outside_address(circuit, "  "))
        for typed in (".300", ".99", "next door"):
            with self.subTest(typed), self.assertRaises(AddressError):
                outside_address(circuit, typed)


class Ending(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = plan_of(mail=MAIL, file=FILES)
        self.before = self.plan

    def publish(self, host: str, service: str, **more: Any) -> None:
        self.plan = applied(self.plan, publish(self.plan, Organisation(), "circ0", host, service, **more))

    def end(self, host: str, service: str) -> None:
        shown = self.plan.devices["edge"].publications
        (key,) = [k for k, one in shown.items() if (one.host, one.service) == (host, service)]
        self.plan = applied(self.plan, taken_back(self.plan, "edge", key))

    def cell(self) -> MatrixCell:
        return Traffic(self.plan).cell(INTERNET, "seg0")

    def rules(self) -> set[str]:
        found = Portfolio([self.plan], hardware=TYPES).check_all()
        return {f.rule for f in found if f.rule.startswith(("publish", "permit", "isolate"))}

    def test_what_another_publication_of_the_host_needs_stays(self) -> None:
        self.publish("mail", "tcp/443")
        self.publish("mail", "tcp/587")
        self.end("mail", "tcp/587")
        allowed = {a.service for a in self.plan.devices["edge"].allows.values() if a.source == INTERNET}
        self.assertEqual(allowed, {"tcp/443"})
        self.assertEqual([one.services for one in self.plan.departures.values()], ["tcp/443"])
        self.assertTrue(self.cell().agrees)
        self.assertEqual(self.rules(), set())

    def test_what_another_host_of_the_segment_needs_stays(self) -> None:
        self.publish("mail", "tcp/443")
        self.publish("file", "tcp/8443", port=9443)
        self.end("mail", "tcp/443")
        self.assertEqual([one.services for one in self.plan.departures.values()], ["tcp/9443"])
        self.assertTrue(self.cell().agrees)
        self.assertEqual(self.rules(), set())

    def test_the_last_one_leaves_nothing_behind(self) -> None:
        self.publish("mail", "tcp/443")
        self.publish("file", "tcp/8443", port=9443)
        self.end("file", "tcp/8443")
        self.end("mail", "tcp/443")
        self.assertEqual(self.plan, self.before)


if __name__ == "__main__":
    unittest.main()
