"""The benchmark of pages still runs, at its smallest size."""

from __future__ import annotations

from tests import test_benchmarks


class Pages(test_benchmarks.Smallest):
    def test_pages(self) -> None:
        self.assertIn("| longest task while zooming there", self.run_smallest("pages"))
