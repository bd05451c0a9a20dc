"""Publishing and ending it: what one publication needs goes with it, what another needs stays."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.matrix import MatrixCell, Traffic
from octaplan.core.flow.network import INTERNET
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.publishing import publish, taken_back
from tests.core.check.test_device_rules import TYPES, base


def plan_of(**hosts: dict[str, Any]) -> SitePlan:
    document = base()
    document["hosts"] = hosts
    return SitePlan.model_validate(document)


MAIL = {"name": "mail", "segment": "seg0", "address": "10.40.8.20"}
FILES = {"name": "files", "segment": "seg0", "address": "10.40.8.21"}


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
