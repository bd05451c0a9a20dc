"""Runs the tests side by side, a class at a time on each core: `python -m tests [NAME …] [--thorough | --quick]
[--jobs N] [--times N] [--beside N]`.

A name is a module or a class (`tests.store`, `tests.core.propose.test_room.Room`); without one all are run. What takes longest
begins first. With `--times 10` all of it is run so often, with `--beside 4` while so many other processes keep the machine
busy. Fails when a test fails, or when there is none.
"""

from __future__ import annotations

import argparse
import contextlib
import multiprocessing
import os
import shutil
import sys
import textwrap
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

from tests.runner import Ran, keep_busy, run

ROOT = Path(__file__).parent

#: What takes longest, first; the others hardly differ.
SLOW = (
    "tests.browser.test_slice", "tests.browser.test_rulers", "tests.browser", "tests.core.flow.test_walk.Exactness",
    "tests.link", "tests.server.test_practice", "tests.lab", "tests.test_cli", "tests.test_docs",
    "tests.store.test_together", "tests.store.test_backups", "tests.core.check.test_portfolio",
    "tests.server.test_fuzz_api", "tests.core.propose.test_remedies", "tests.store", "tests.server",
)  # fmt: skip

#: What `--quick` leaves to CI.
LONG = (
    "tests.core.flow.test_shape", "tests.core.flow.test_walk", "tests.core.config.test_readback", "tests.core.config.test_grammar",
    "tests.core.check.test_portfolio.Checking", "tests.core.check.test_traffic_rules.EveryTrafficRule", "tests.core.check.test_wild",
    "tests.core.check.test_device_rules", "tests.core.propose.test_remedies.Promise", "tests.core.plan.test_boxes.AnyBox",
    "tests.core.propose.test_wiring.AnyOrder", "tests.core.check.test_rules.Rules", "tests.core.config.test_takeover",
    "tests.core.config.test_neutral.Yang", "tests.core.propose.test_remedies.Many", "tests.formats.test_sheets",
    "tests.formats.test_report.Generated",
)  # fmt: skip


def main() -> int:
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("names", nargs="*", help="modules or classes; all when none is given")
    arguments.add_argument("--thorough", action="store_true", help="try many more examples of each property")
    arguments.add_argument("--quick", action="store_true", help="try a few, and leave what takes long to CI")
    arguments.add_argument(
        "--jobs", type=int, default=_jobs(), help="classes at once; more than cores, since many wait"
    )
    arguments.add_argument("--slowest", type=int, default=10, help="how many of the slowest classes are told")
    arguments.add_argument("--times", type=int, default=1, help="how often all of it is run")
    arguments.add_argument("--beside", type=int, default=0, help="how many processes keep the machine busy meanwhile")
    chosen = arguments.parse_args()
    if chosen.thorough:
        os.environ["OCTAPLAN_TESTS"] = "thorough"
    elif chosen.quick:
        os.environ["OCTAPLAN_TESTS"] = "quick"
    _in_memory()
    with _busy(chosen.beside):
        right = [
            _all(chosen.names, chosen.jobs, chosen.slowest, LONG if chosen.quick else ()) for _ in range(chosen.times)
        ]
    if chosen.times > 1:
        print(f"{sum(right)} of {chosen.times} runs passed, each beside {chosen.beside} busy processes")
    return 0 if all(right) else 1


def _all(names: list[str], jobs: int, slowest: int, without: tuple[str, ...]) -> bool:
    """Run all tests of some names once."""
    begun = time.perf_counter()
    work = sorted((name for name in _classes(names) if not name.startswith(without or " ")), key=_weight)
    ran: list[Ran] = []
    for in_browser in (False, True):  # apart, since the browser's loop stays in its process
        some = [name for name in work if name.startswith("tests.browser.") == in_browser]
        ran += _side_by_side(some, min(jobs, os.cpu_count() or 2) if in_browser else jobs)
    print("Slowest:")
    for one in sorted(ran, key=lambda one: -one.seconds)[:slowest]:
        print(f"  {one.seconds:6.1f} s  {one.name}")
    tests, failed = sum(one.tests for one in ran), sum(one.failed for one in ran)
    print(f"Ran {tests} tests in {time.perf_counter() - begun:.1f}s, {sum(one.seconds for one in ran):.0f} s of work")
    print(f"FAILED (failures={failed})" if failed else "OK" if tests else "FAILED (failures=1): there is no test")
    return tests > 0 and failed == 0


@contextlib.contextmanager
def _busy(processes: int) -> Iterator[None]:
    """So many processes that do nothing but work."""
    context = multiprocessing.get_context("spawn")
    busy = [context.Process(target=keep_busy, daemon=True) for _ in range(processes)]
    for one in busy:
        one.start()
    try:
        yield
    finally:
        for one in busy:
            one.kill()


def _jobs() -> int:
    cores = os.cpu_count() or 2
    return 2 * cores


def _in_memory() -> None:
    """Let folders of tests lie in memory where there is room: hundreds of small databases wait for a slow disk otherwise."""
    memory = Path("/dev/shm")  # noqa: S108  (each test makes a folder of its own in it)
    if "TMPDIR" not in os.environ and os.access(memory, os.W_OK) and shutil.disk_usage(memory).free > 4 << 30:
        os.environ["TMPDIR"] = str(memory)


def _side_by_side(names: list[str], jobs: int) -> Iterator[Ran]:
    """Run classes, each in one of so many processes, and tell of each when it is through."""
    with ProcessPoolExecutor(jobs, mp_context=multiprocessing.get_context("spawn")) as pool:
        for done in as_completed([pool.submit(run, name) for name in names]):
            one = done.result()
            print(f"{'FAILED' if one.failed else 'ok':6} {one.tests:4} in {one.seconds:6.1f} s  {one.name}", flush=True)
            if one.failed:
                print(textwrap.indent(one.told, "    "), flush=True)
            yield one


def _classes(names: list[str]) -> Iterator[str]:
    """The test classes of all modules, or of those that are named."""
    for path in sorted(ROOT.rglob("test_*.py")):
        module = ".".join(("tests", *path.relative_to(ROOT).with_suffix("").parts))
        wanted = [name for name in names if module == name or module.startswith(name + ".")]
        within = [name for name in names if name.startswith(module + ".")]
        if not names or wanted:
            for case in _cases(module):
                yield f"{module}.{case}"
        yield from within


def _cases(module: str) -> Iterator[str]:
    __import__(module)
    for name, value in vars(sys.modules[module]).items():
        own = isinstance(value, type) and issubclass(value, unittest.TestCase) and value.__module__ == module
        if own and unittest.defaultTestLoader.getTestCaseNames(value):
            yield name


def _weight(name: str) -> tuple[int, str]:
    place = next((place for place, begins in enumerate(SLOW) if name.startswith(begins)), len(SLOW))
    return place, name


if __name__ == "__main__":
    sys.exit(main())
