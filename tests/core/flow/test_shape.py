from __future__ import annotations

import json
import re
import unittest
from collections.abc import Iterator
from random import Random
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from octaplan.core.check.faults import judge_traffic
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.shape import shape_of
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from tests.core.flow.plans import made

USUAL = Organisation()


def found(plan: SitePlan, organisation: Organisation = USUAL) -> dict[str, int]:
    return {rule: len(hits) for rule, hits in judge_traffic(plan, organisation).items()}


def moved(plan: SitePlan) -> SitePlan:
    """The same site somewhere else, with other names and ids."""
    text = json.dumps(plan.document())
    places = (("10.1.", "10.213."), ("10.9.0.", "10.3.7."), ("198.51.100.", "192.0.2."), ("192.168.", "192.168.1"))
    for old, new in places:
        text = text.replace(f'"{old}', f'"{new}')
    text = re.sub(r'"(seg|line|host|box)(\d+)"', r'"\1of\2x"', text).replace('"link"', '"wire"')
    return SitePlan.model_validate_json(text.replace('"site": "DOCK"', '"site": "PIER"'))


class Alike(unittest.TestCase):
    @given(st.integers(0, 1 << 48))
    @settings(max_examples=15, deadline=None)
    def test_a_site_that_is_moved_and_renamed_has_the_shape_that_it_had_and_fares_the_same(self, seed: int) -> None:
        plan = made(Random(seed))
        if "192.0.2." in plan.model_dump_json():
            return
        other = moved(plan)
        self.assertEqual(shape_of(plan, USUAL), shape_of(other, USUAL))
        self.assertEqual(found(plan), found(other))

    def test_no_value_that_matters_to_what_is_found_is_left_out(self) -> None:
        told = 0
        for seed in range(3):
            plan = made(Random(seed))
            shape, before = shape_of(plan, USUAL), found(plan)
            for changed in _altered(plan.document()):
                if shape_of(changed, USUAL) == shape:
                    self.assertEqual(found(changed), before)
                else:
                    told += 1
        self.assertGreater(told, 300)


def _altered(document: dict[str, Any]) -> Iterator[SitePlan]:
    """A plan, again and again, with one value taken away or put where another of its kind is."""
    seen: dict[str, list[object]] = {}
    places: list[tuple[str, ...]] = []

    def look(value: object, path: tuple[str, ...]) -> None:
        if path:
            places.append(path)
            if value not in seen.setdefault(path[-1], [None, True, False, 77]):
                seen[path[-1]].append(value)
        for key, one in value.items() if isinstance(value, dict) else ():
            look(one, (*path, key))

    look(document, ())
    for *way, last in places:
        for value in (*seen[last][:6], Alike):
            altered = json.loads(json.dumps(document))
            part = altered
            for step in way:
                part = part[step]
            if value is Alike:
                del part[last]
            elif part[last] == value:
                continue
            else:
                part[last] = value
            try:
                yield SitePlan.model_validate(altered)
            except ValueError:
                continue


class TellsApart(unittest.TestCase):
    """What moves only some of what belongs together makes another shape."""

    def setUp(self) -> None:
        self.document = made(Random(11)).document()
        self.shape = shape_of(SitePlan.model_validate(self.document), USUAL)

    def reads(self, path: str, value: object, organisation: Organisation = USUAL) -> bytes:
        changed: dict[str, Any] = json.loads(json.dumps(self.document))
        *way, last = path.strip("/").split("/")
        part = changed
        for step in way:
            part = part[step]
        part[last] = value
        return shape_of(SitePlan.model_validate(changed), organisation)

    def test_names_and_people_are_not_told(self) -> None:
        for path, value in (("name", "The dock"), ("segments/seg0/label", "Other"), ("ship_date", "2027-01-01")):
            self.assertEqual(self.reads(path, value), self.shape, path)

    def test_an_address_that_moves_within_its_subnet_is_told(self) -> None:
        for path, value in (
            ("segments/seg0/gateway", "10.1.0.77"),
            ("segments/seg0/subnet", "10.1.0.0/25"),
            ("segments/seg0/role", "guest" if self.document["segments"]["seg0"]["role"] != "guest" else "voice"),
            ("reach_groups", []),
            (
                "segments/seg0/scope",
                {"server": "edge", "first": "10.1.0.9", "last": "10.1.0.20", "excluded": ["10.1.0.12"]},
            ),
            ("departures", {"dep1": {"source": "seg0", "target": "internet", "services": "ping", "reason": "why"}}),
        ):
            self.assertNotEqual(self.reads(path, value), self.shape, path)

    def test_private_and_public_are_not_alike(self) -> None:
        private = self.reads("segments/seg0", {"label": "S", "role": "office", "subnet": "10.1.0.0/24"})
        public = self.reads("segments/seg0", {"label": "S", "role": "office", "subnet": "192.0.2.0/24"})
        self.assertNotEqual(private, public)

    def test_what_is_meant_is_told(self) -> None:
        meant = Organisation.model_validate({"intent": {"guest": {"internet": "tcp/443"}}})
        own = Organisation.model_validate({"own_networks": [{"name": "Remote", "network": "203.0.113.0/24"}]})
        self.assertEqual(len({self.shape, self.reads("name", "x", meant), self.reads("name", "x", own)}), 3)


class Held(unittest.TestCase):
    def test_what_is_found_does_not_depend_on_which_sites_were_looked_at_before(self) -> None:
        plans = []
        for n in range(12):
            document = made(Random(n)).document()
            plans += [SitePlan.model_validate(document | {"site": f"A{n}"})]
            plans += [SitePlan.model_validate(moved(plans[-1]).document() | {"site": f"B{n}"})]
        whole = Portfolio(plans)
        whole.check_all()
        for plan in plans:
            told = [f.rule for f in whole.check(plan) if f.rule in found(plan)]
            self.assertEqual(len(told), sum(found(plan).values()))


if __name__ == "__main__":
    unittest.main()
