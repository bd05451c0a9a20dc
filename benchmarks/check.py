"""How long checking takes, beside what else one could do: `make bench` writes `docs/performance.md` and its chart.

Every size runs in a process of its own (`python -m benchmarks.check SITES`), so that its memory can be told. With
`--smallest FOLDER` the page of that folder is written, from portfolios of a few sites.
"""

from __future__ import annotations

import gc
import ipaddress
import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from intervaltree import IntervalTree

from benchmarks import rivals
from benchmarks.portfolios import Expected, Shape, all_alike, fragmented, in_groups, nested, portfolio, write_tables
from benchmarks.size import SMALLEST, folder_named, sized
from octaplan.core.check.findings import Severity
from octaplan.core.check.holdings import SORTS
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import Offers
from octaplan.core.propose.room import Free
from octaplan.core.values.addresses import Network

SIZES = (100, 1_000, 10_000, 30_000)
PATIENCE = 10_000  # sites beyond which the rivals in pure Python are not waited for


def timed(work: Callable[[], Any], repeat: int = 3) -> tuple[float, Any]:
    """The best of a few runs in milliseconds, and what the last one returned."""
    best = float("inf")
    for _ in range(repeat):
        gc.collect()
        begun = time.perf_counter()
        result = work()
        best = min(best, time.perf_counter() - begun)
    return best * 1000, result


def whole(plans: Sequence[SitePlan], repeat: int = 3) -> tuple[float, list[Any]]:
    """A whole check, arrays in and findings out, of a portfolio of which nothing is sorted: milliseconds at best."""
    best, findings = float("inf"), list[Any]()
    for _ in range(repeat):
        held = Portfolio(plans)
        held.claims()
        spent, findings = timed(held.check_all, 1)
        best = min(best, spent)
    return best, findings


def measure(sites: int) -> dict[str, Any]:
    """Everything about portfolios of one size."""
    shape = Shape(sites)
    made = portfolio(shape)
    held = Portfolio(made.plans)
    claims = held.claims()
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    spent, findings = whole(made.plans)
    found = {Expected(f.rule, f"{f.customer}/{f.site}".casefold(), f.subject) for f in findings}
    clean = Portfolio(portfolio(Shape(min(sites, 2_000), mistakes=0)).plans).check_all()
    pile, owners = rivals.pile(claims, made.plans)
    row: dict[str, Any] = {
        "sites": sites,
        "segments": sum(len(plan.segments) for plan in made.plans),
        "claims": sum(len(getattr(claims, name)) for name in ("segments", "hosts", "ranges", "circuits"))
        + int((claims.segments["gateway"]["family"] > 0).sum()),
        "pile": len(pile),
        "memory": memory,
        "whole": spent,
        "planted": len(made.expected),
        "missed": len(made.expected - found),
        "stops on clean": sum(f.severity is Severity.STOP for f in clean),
    }
    shuffled = rivals.claims_as_they_stand(pile)
    packed = shuffled["hi"] << np.uint64(32) | shuffled["lo"]
    row["sort packed"], _ = timed(lambda: np.sort(packed), 5)
    row["sort"], _ = timed(lambda: np.sort(shuffled, order=("family", "hi", "lo")), 1)
    row["ncls build"], built = timed(lambda: rivals.nested_lists(pile))
    row["ncls"], row["pairs"] = timed(lambda: rivals.nested_list_pairs(built, pile))
    mine = pile.of(owners == sites // 2)
    row["ncls one"], _ = timed(lambda: rivals.nested_list_pairs(built, mine), 50)
    if sites <= PATIENCE:
        row["sweep"], _ = timed(lambda: rivals.sweep(pile), 1)
        row["tree build"], trees = timed(lambda: rivals.trees(pile), 1)
        row["tree"], _ = timed(lambda: rivals.tree_pairs(trees, pile), 1)
        row["tree one"], _ = timed(lambda: rivals.tree_pairs(trees, mine), 20)
    return row | drafts(held, made.plans)


def drafts(held: Portfolio, plans: list[Any]) -> dict[str, Any]:
    """One site against all others, for two hundred of them: a range that is dragged, and what leads to other sites."""
    gc.collect()
    gc.freeze()  # as the server does once everything is loaded
    every, across = [], []
    for plan in plans[:: max(1, len(plans) // 200)]:
        segment = plan.segments["seg0"]
        scope = segment.scope.model_copy(update={"last": segment.scope.last.plus(-1)})
        moved = segment.model_copy(update={"scope": scope})
        draft = plan.model_copy(update={"segments": plan.segments | {"seg0": moved}})
        begun = time.perf_counter()
        held.check(draft)
        every.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        view = held.view(draft)
        for sort in SORTS:
            view.elsewhere(sort)
        across.append(time.perf_counter() - begun)
    figures = {}
    for name, spent in (("draft", every), ("draft across", across)):
        figures[name] = float(np.median(spent)) * 1000
        figures[f"{name} p99"] = float(np.percentile(spent, 99)) * 1000
    put, _ = timed(lambda: (held.put(plans[0]), [held.shared(sort) for sort in SORTS]), 5)
    return figures | {"put": put}


def trouble() -> list[tuple[str, float, int]]:
    """Portfolios that are nothing but trouble, with milliseconds and findings."""
    rows = []
    many, some = sized(10_000, 30), sized(3_000, 30)
    for words, plans in (
        (f"{many:,} sites of one reach group that all use one subnet", all_alike(many)),
        (f"{some:,} sites that share three reach groups and one subnet", in_groups(some, 3)),
        (f"{many:,} subnets nested 25 deep in one reach group", nested(25, many)),
    ):
        spent, findings = whole(plans, 2)
        rows.append((words, spent, len(findings)))
    return rows


def room() -> list[tuple[str, float, float, float]]:
    """Allocation: what is asked for, and milliseconds here, by scanning with `ipaddress`, by an interval tree."""
    rows = []
    length = sized(8, 16)
    block = Network(4, 10 << 24, length)
    standard = ipaddress.IPv4Network(f"10.0.0.0/{length}")
    for words, runs, prefix in (
        (f"/23 in a /{length} of which every other /24 is taken", fragmented(block, 24, 2), 23),
        (f"/24 in a /{length} that is full but for its last", fragmented(block, 24, 1)[:-1], 24),
    ):
        nets = [ipaddress.IPv4Network((run.first.value, 24)) for run in runs]
        tree = IntervalTree.from_tuples((run.first.value, run.last.value + 1, 0) for run in runs)
        ours, free = timed(lambda runs=runs, prefix=prefix: Free(block, runs).subnets(prefix))  # type: ignore[misc]
        theirs, scanned = timed(
            lambda nets=nets, prefix=prefix: rivals.first_free_by_scanning(standard, nets, prefix),
            1,  # type: ignore[misc]
        )
        by_tree, asked = timed(
            lambda tree=tree, prefix=prefix: rivals.first_free_by_tree(tree, standard, prefix),
            1,  # type: ignore[misc]
        )
        answers = {str(free[0]) if free else "None", str(scanned), str(asked)}
        if len(answers) != 1:
            sys.exit(f"they disagree about {words}: {answers}")
        rows.append((words, ours, theirs, by_tree))
    return rows


def mending() -> tuple[float, int]:
    """Milliseconds to work out and try the remedies of a finding, against all sites, and how many findings."""
    made = portfolio(Shape(sized(10_000, 60)))
    held = Portfolio(made.plans)
    wanted = sorted({e.site for e in made.expected if e.rule in ("overlap-reach", "overlap-scope-static")})[:20]
    plans = [plan for plan in made.plans if plan.key in wanted]
    found = {plan.key: held.check(plan) for plan in plans}

    def work() -> int:
        return sum(
            bool(offered) for plan in plans for offered in map(Offers(held, plan, found[plan.key]).of, found[plan.key])
        )

    spent, mended = timed(work, 2)
    number = sum(map(len, found.values()))
    print(f"{mended} of {number} findings are offered a remedy", file=sys.stderr)
    return spent / number, number


def command_line() -> tuple[float, float, float]:
    """Seconds and megabytes of `octaplan check` on 10,000 sites in tables, and the size of the tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_tables(portfolio(Shape(sized(10_000, 20))).plans, folder)
        code = (
            "import resource, subprocess, sys, time; begun = time.perf_counter();"
            "subprocess.run([sys.executable, '-m', 'octaplan', 'check', sys.argv[1]], stdout=subprocess.DEVNULL);"
            "print(time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024)"
        )
        said = subprocess.run([sys.executable, "-c", code, str(folder)], capture_output=True, text=True, check=True)  # noqa: S603
        seconds, memory = map(float, said.stdout.split())
        return seconds, memory, sum(path.stat().st_size for path in folder.iterdir()) / 1e6


def main() -> None:
    from benchmarks.report import DOCS, write

    rows = []
    for sites in SIZES if not SMALLEST else (20, 60):
        command = [sys.executable, "-m", "benchmarks.check", str(sites)]
        rows.append(json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout))  # noqa: S603
        print(rows[-1], file=sys.stderr)
    folder = Path(folder_named() or DOCS)
    write(folder, rows, trouble(), room(), mending(), command_line())


if __name__ == "__main__":
    if len(sys.argv) > 1 and sys.argv[1].isdigit():
        print(json.dumps(measure(int(sys.argv[1]))))
    else:
        main()
