from __future__ import annotations

import unittest

from octaplan.core.plan.beside import differing
from octaplan.core.plan.patch import applied, set_to
from octaplan.core.plan.site import SitePlan
from tests.support import circuit, segment, site


def plan(key: str, third: int, **more: object) -> SitePlan:
    """A site with two segments, at 10.40.(third) and the next."""
    segments = [
        segment(subnet=f"10.40.{third}.0/24", gateway=f"10.40.{third}.1",
                scope={"first": f"10.40.{third}.20", "last": f"10.40.{third}.199"}),
        segment("Voice", f"10.40.{third + 1}.0/24", gateway=f"10.40.{third + 1}.1", resolvers=[f"10.40.{third}.5"]),
    ]  # fmt: skip
    hosts = [{"segment": "Office", "name": "till", "address": f"10.40.{third}.30", "mac": f"02:40:{third:02}:00:00:01"}]
    return site(key, segments, hosts, [circuit(address=f"203.0.113.{third}")], name=key, **more)  # type: ignore[arg-type]


class Beside(unittest.TestCase):
    def test_two_sites_made_alike_differ_in_nothing(self) -> None:
        self.assertEqual(differing(plan("FERN/A", 8), plan("FERN/B", 24)), [])
        # each other's subnets, and overlapping ones
        self.assertEqual(differing(plan("FERN/A", 8), plan("FERN/B", 9)), [])

    def test_what_lies_elsewhere_in_its_subnet_is_told_at_the_first_ones_place(self) -> None:
        other = plan("FERN/B", 24)
        other = applied(other, [set_to("/segments/seg0/scope/last", "10.40.24.179"), set_to("/segments/seg1/vlan", 20)])
        told = [str(change) for change in differing(plan("FERN/A", 8), other)]
        self.assertEqual(told, ["Office range end 10.40.8.199 → 10.40.8.179", "Voice VLAN empty → 20"])

    def test_a_segment_that_only_one_has_is_told(self) -> None:
        one, other = plan("FERN/A", 8), plan("FERN/B", 24)
        fewer = applied(other, [{"op": "remove", "path": "/segments/seg1"}])
        self.assertEqual([str(change) for change in differing(one, fewer)], ["Removed segment Voice"])


if __name__ == "__main__":
    unittest.main()
