"""Every benchmark still runs: each at its smallest size, as `make bench` runs them all at their usual one."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent


class Smallest(unittest.TestCase):
    def run_smallest(self, name: str, *more: str) -> str:
        command = [sys.executable, "-m", f"benchmarks.{name}", "--smallest", *more]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, timeout=300)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        return done.stdout


class Benchmarks(Smallest):
    def test_make_bench_runs_every_one(self) -> None:
        told = (ROOT / "Makefile").read_text()
        for path in sorted((ROOT / "benchmarks").glob("*.py")):
            if '__name__ == "__main__"' in path.read_text():
                self.assertIn(f"-m benchmarks.{path.stem}\n", told)
                where = "browser/test_benchmark.py" if path.stem == "pages" else "test_benchmarks.py"
                self.assertIn(f"def test_{path.stem}(self)", (ROOT / "tests" / where).read_text())

    def test_check(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            page = Path(shutil.copy(ROOT / "docs" / "performance.md", name))
            before = page.read_text()
            self.run_smallest("check", name)
            after = page.read_text()
            self.assertIn("| whole check | 20 sites | 60 sites |", after)
            self.assertEqual(after.partition("<!--")[0], before.partition("<!--")[0])
            self.assertIn("</svg>", (Path(name) / "performance.svg").read_text())

    def test_boxes(self) -> None:
        self.assertIn("| 5 secrets made and judged", self.run_smallest("boxes"))

    def test_traffic(self) -> None:
        self.assertIn("\n40 sites with boxes: held in", self.run_smallest("traffic"))

    def test_texts(self) -> None:
        self.assertIn("| in its own language |", self.run_smallest("texts"))

    def test_imports(self) -> None:
        self.assertIn("| one undo (20 sites)", self.run_smallest("imports"))

    def test_people(self) -> None:
        self.assertIn("| 10 listeners all heard of a change", self.run_smallest("people"))
