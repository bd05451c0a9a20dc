"""A segment goes elsewhere, and everything that names an address of it goes along."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import applied
from octaplan.core.plan.renumber import renumber
from octaplan.core.values.addresses import parse_network
from tests import examples
from tests.core.check.test_rules import served
from tests.support import segment, site

PLAN = site(
    segments=[
        served(
            scope={
                "first": "10.40.8.20", "last": "10.40.8.99", "excluded": ["10.40.8.50", "10.40.7.250-10.40.8.5"],
                "options": {"66": "10.40.8.9", "67": "boot 10.40.8.9", "42": "192.0.2.123"},
            },
            resolvers=["gateway", "10.40.8.9"],
            kept=[{"kind": "printer", "run": "10.40.8.200-10.40.8.219"}],
            subnet6="2001:db8:40:8::/64", gateway6="2001:db8:40:8::1",
        ),
        served("10.40.9.20", "10.40.9.99", label="Lab", subnet="10.40.9.0/24", resolvers=["10.40.8.9"],
               scope={"server": "10.40.8.9"}),
        segment("Other table", "10.40.10.0/24", vrf="lab", resolvers=["10.40.8.9"]),
    ],
    hosts=[
        {"segment": "Office", "name": "server", "address": "10.40.8.9", "address6": "2001:db8:40:8::9"},
        {"segment": "Lab", "name": "stray", "address": "10.40.8.10"},
    ],
    devices={"edge": {
        "type": "test-five", "role": "edge", "addresses": {"seg0": "10.40.8.2"}, "gateway": "10.40.8.1",
        "resolvers": ["10.40.8.9", "192.0.2.53"], "time_servers": ["10.40.8.9", "time.example"],
    }},
)  # fmt: skip


class Renumbering(unittest.TestCase):
    def moved(self, subnet: str) -> dict[str, Any]:
        return {op["path"]: op["value"] for op in renumber(PLAN, "seg0", parse_network(subnet)[0]).operations}

    def test_everything_that_names_it_moves_and_nothing_else(self) -> None:
        self.assertEqual(self.moved("10.41.0.0/24"), {
            "/segments/seg0/subnet": "10.41.0.0/24",
            "/segments/seg0/gateway": "10.41.0.1",
            "/segments/seg0/scope/first": "10.41.0.20",
            "/segments/seg0/scope/last": "10.41.0.99",
            "/segments/seg0/scope/excluded": ["10.41.0.50", "10.40.7.250-10.40.8.5"],
            "/segments/seg0/kept": [{"kind": "printer", "run": "10.41.0.200-10.41.0.219"}],
            "/hosts/host0/address": "10.41.0.9",
            "/segments/seg0/resolvers": ["gateway", "10.41.0.9"],
            "/segments/seg0/scope/options/66": "10.41.0.9",
            "/segments/seg0/scope/options/67": "boot 10.41.0.9",
            "/segments/seg1/resolvers": ["10.41.0.9"],
            "/segments/seg1/scope/server": "10.41.0.9",
            "/devices/edge/addresses/seg0": "10.41.0.2",
            "/devices/edge/gateway": "10.41.0.1",
            "/devices/edge/resolvers": ["10.41.0.9", "192.0.2.53"],
            "/devices/edge/time_servers": ["10.41.0.9", "time.example"],
        })  # fmt: skip

    def test_the_ipv6_side_moves_by_itself(self) -> None:
        self.assertEqual(self.moved("2001:db8:41:8::/64"), {
            "/segments/seg0/subnet6": "2001:db8:41:8::/64",
            "/segments/seg0/gateway6": "2001:db8:41:8::1",
            "/hosts/host0/address6": "2001:db8:41:8::9",
        })  # fmt: skip

    def test_a_new_mask_alone_moves_nothing(self) -> None:
        self.assertEqual(self.moved("10.40.8.0/25"), {"/segments/seg0/subnet": "10.40.8.0/25"})

    @given(st.integers(0, 200), st.sampled_from([22, 23, 24]))
    @examples(40)
    def test_there_and_back_is_where_it_was(self, place: int, prefix: int) -> None:
        away = parse_network(f"10.{100 + place // 8}.0.0/{prefix}")[0]
        gone = applied(PLAN, renumber(PLAN, "seg0", away).operations)
        back = applied(gone, renumber(gone, "seg0", parse_network("10.40.8.0/24")[0]).operations)
        self.assertEqual(back, PLAN)

    def test_a_plan_that_was_sound_is_sound_elsewhere(self) -> None:
        plan = PLAN.model_copy(update={"devices": {}})

        def stops(checked: Any) -> set[tuple[str, str]]:
            return {(f.rule, f.path) for f in Portfolio([checked]).check_all() if f.severity is Severity.STOP}

        after = applied(plan, renumber(plan, "seg0", parse_network("10.41.0.0/24")[0]).operations)
        self.assertEqual(stops(after), stops(plan))
