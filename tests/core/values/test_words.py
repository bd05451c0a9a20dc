from __future__ import annotations

import unittest

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.values.words import as_counted, listed
from tests.support import segment, site


class Words(unittest.TestCase):
    def test_names_are_put_in_order_as_people_count(self) -> None:
        names = ["segment 10", "segment 2", "10.40.8.9", "10.40.8.10", "10.40.8.9/24", "Office", "", "segment"]
        wanted = ["", "10.40.8.9", "10.40.8.9/24", "10.40.8.10", "Office", "segment", "segment 2", "segment 10"]
        self.assertEqual(sorted(names, key=as_counted), wanted)

    def test_findings_of_segment_2_stand_before_those_of_segment_10(self) -> None:
        plan = site(
            segments=[segment(f"Room {number}", f"10.40.{number}.0/24", gateway=None) for number in range(1, 13)]
        )
        found = [f.subject for f in Portfolio([plan]).check(plan) if f.rule == "gateway-missing"]
        self.assertEqual(found, [f"Room {number}" for number in range(1, 13)])

    def test_long_lists_are_cut(self) -> None:
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(list("abcde")), "a, b, c and 2 more")


if __name__ == "__main__":
    unittest.main()
