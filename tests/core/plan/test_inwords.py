"""Sentences of revisions: every kind of change has its own, and none is written as a programmer would."""

from __future__ import annotations

import re
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.changes import changes, sentence
from octaplan.core.plan.site import SitePlan
from tests import examples
from tests.core.check.test_wild import wild_plans
from tests.core.kit import office_site, with_device

IDS = ["seg0", "seg1", "circ0", "dev0", "gone0"]
member = st.sampled_from([None, *IDS])
address = st.sampled_from([None, "10.40.8.9", "2001:db8::9"])
ports = st.fixed_dictionaries(
    {
        "mode": st.sampled_from(["circuit", "routed", "access", "trunk", "bridge", "unused"]),
        "circuit": member,
        "segment": member,
        "tagged": st.lists(st.sampled_from(IDS), max_size=3),
        "bridge": st.sampled_from([None, "lan"]),
        "enabled": st.booleans(),
        "gateway": address,
        "peer": member,
        "peer_port": st.sampled_from([None, "3"]),
        "cable": st.sampled_from([None, "red"]),
    }
)
target = st.sampled_from(["internet", "all", *IDS])
devices = st.fixed_dictionaries(
    {
        "type": st.just("test-five"),
        "role": st.sampled_from(["edge", "inner-router", "switch", "access-point", "modem"]),
        "host": member,
        "macs": st.lists(st.sampled_from(["02:00:00:00:00:01", "02:00:00:00:00:02"]), max_size=2),
        "time_servers": st.lists(st.just("time.example"), max_size=2),
        "ports": st.dictionaries(st.sampled_from(["1", "2"]), ports),
        "addresses": st.dictionaries(st.sampled_from(IDS), address.filter(bool)),
        "routes": st.dictionaries(
            st.sampled_from(IDS),
            st.fixed_dictionaries(
                {"to": st.just("0.0.0.0/0"), "via": address, "circuit": member, "metric": st.sampled_from([1, 9])}
            ),
        ),
        "translations": st.dictionaries(
            st.sampled_from(IDS),
            st.fixed_dictionaries({"segment": member.filter(bool), "circuit": member.filter(bool)}),
        ),
        "allows": st.dictionaries(
            st.sampled_from(IDS), st.fixed_dictionaries({"source": target, "target": target, "service": st.just("any")})
        ),
        "access": st.dictionaries(
            st.sampled_from(IDS),
            st.fixed_dictionaries(
                {
                    "service": st.just("https"),
                    "segment": member,
                    "networks": st.lists(st.just("192.0.2.0/24"), max_size=1),
                }
            ),
        ),
        "licences": st.dictionaries(
            st.just("filter"), st.fixed_dictionaries({"ends": st.sampled_from([None, "2027-01-01"])})
        ),
    }
)
wireless = st.fixed_dictionaries({"name": st.sampled_from(["a", "b"]), "segment": member, "hidden": st.booleans()})


@st.composite
def full_plans(draw: st.DrawFn) -> SitePlan:
    document = draw(wild_plans()).document() | {"customer": "F", "site": "A"}
    document["devices"] = draw(st.dictionaries(st.sampled_from(["dev0", "dev1"]), devices))
    document["wireless"] = draw(st.dictionaries(st.just("wifi0"), wireless))
    document["pattern"] = draw(st.sampled_from([None, {"key": "shop", "version": 2}]))
    return SitePlan.model_validate(document)


class Sentences(unittest.TestCase):
    @given(full_plans(), full_plans())
    @examples(150)
    def test_no_sentence_is_written_as_a_programmer_would(self, before: SitePlan, after: SitePlan) -> None:
        for change in changes(before, after):
            told = str(change)
            self.assertIsNone(re.search(r"[{}\[\]\"]|(?<![a-z])'|\bNone\b|\bTrue\b|\bFalse\b", told), told)
            self.assertNotRegex(told, r"\b(seg|circ|dev|gone)\d\b")
            self.assertNotEqual(change.before, change.after, change.path)

    def setUp(self) -> None:
        self.plan, self.edge = with_device(office_site())

    def said(self, **changed: dict[str, Any]) -> str:
        document = self.plan.document()
        for name, entries in changed.items():
            document["devices"][self.edge][name] |= entries
        return sentence(changes(self.plan, SitePlan.model_validate(document)))

    def test_a_port_taken_back_from_a_trunk(self) -> None:
        office, voice, *_ = self.plan.segments
        trunk = {"mode": "trunk", "segment": office, "tagged": [voice]}
        document = self.plan.document()
        document["devices"][self.edge]["ports"]["4"] = trunk
        self.plan = SitePlan.model_validate(document)
        said = self.said(ports={"4": {"mode": "access", "segment": office}})
        self.assertIn("port 4 trunk Office and Voice tagged → access Office", said)
        said = self.said(ports={"4": trunk | {"tagged": []}})
        self.assertIn("port 4 tagged Voice → empty", said)

    def test_an_allow_rule_added(self) -> None:
        said = self.said(allows={"aaaa": {"source": next(iter(self.plan.segments)), "target": "internet"}})
        self.assertRegex(said, "allow rule empty → Office to the internet, any")
