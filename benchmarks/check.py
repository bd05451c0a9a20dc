"""How long checking takes, beside a sorted sweep written with the standard library: `make bench`.

Both find which subnets of one reach group overlap, in the same run on the same machine. Then a whole
`octaplan check` of generated tables, split into reading and checking. Prints the table of docs/performance.md.
"""

from __future__ import annotations

import ipaddress
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from benchmarks.portfolios import portfolio, write_tables
from octaplan.core.plan import SitePlan
from octaplan.core.portfolio import Portfolio
from octaplan.formats.sources import load_paths


def timed(work: Callable[[], Any], repeat: int = 3) -> tuple[float, Any]:
    """The best of a few runs in milliseconds, and what the last one returned."""
    best = float("inf")
    for _ in range(repeat):
        begun = time.perf_counter()
        result = work()
        best = min(best, time.perf_counter() - begun)
    return best * 1000, result


def with_the_standard_library(plans: list[SitePlan]) -> set[str]:
    """Sites whose reaching subnets overlap another site's of the same customer, by a sorted sweep."""
    groups: dict[str, list[tuple[int, int, str]]] = {}
    for plan in plans:
        for segment in plan.segments.values():
            if segment.reaches and segment.subnet:
                net = ipaddress.ip_network(str(segment.subnet))
                ends = (int(net.network_address), int(net.broadcast_address), plan.key)
                groups.setdefault(plan.customer, []).append(ends)
    found = set()
    for nets in groups.values():
        nets.sort()
        open_nets: list[tuple[int, int, str]] = []
        for first, last, key in nets:
            open_nets = [other for other in open_nets if other[1] >= first]
            for other in open_nets:
                if other[2] != key:
                    found |= {key, other[2]}
            open_nets.append((first, last, key))
    return found


def with_octaplan(portfolio: Portfolio) -> set[str]:
    """The same by the whole rule book."""
    findings = portfolio.check_all()
    return {f"{f.customer}/{f.site}".casefold() for f in findings if f.rule == "overlap-reach"}


def main() -> None:
    print("| sites | segments | standard-library sweep, one rule | Octaplan, every rule | one site against all |")
    print("| ---: | ---: | ---: | ---: | ---: |")
    for sites in (100, 1_000, 10_000):
        plans = portfolio(sites, hosts=8, planted=sites // 20)
        held = Portfolio(plans)
        plain, theirs = timed(lambda plans=plans: with_the_standard_library(plans))
        held.check_all()
        whole, ours = timed(lambda held=held: with_octaplan(held))
        if ours != theirs or len(ours) != sites // 20 * 2:
            sys.exit(f"they disagree: {len(ours)} and {len(theirs)} sites")
        draft = plans[sites // 2].model_copy(update={"contact": "x"})
        one, _ = timed(lambda held=held, draft=draft: held.check(draft), 20)
        segments = sum(len(plan.segments) for plan in plans)
        print(f"| {sites:,} | {segments:,} | {plain:.1f} ms | {whole:.1f} ms ({plain / whole:.1f}×) | {one:.2f} ms |")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_tables(portfolio(1_000, hosts=8, planted=50), folder)
        reading, intake = timed(lambda: load_paths([folder]), 1)
        checking, _ = timed(lambda: Portfolio(intake.plans.values()).check_all(), 1)
        command = [sys.executable, "-m", "octaplan", "check", str(folder)]
        process, _ = timed(lambda: subprocess.run(command, capture_output=True, check=False), 3)  # noqa: S603
        size = sum(path.stat().st_size for path in folder.iterdir())
    print(
        f"\n`octaplan check` of 1,000 sites in tables ({size / 1e6:.1f} MB): {process / 1000:.2f} s whole process; "
        f"reading {reading / 1000:.2f} s, checking {checking / 1000:.2f} s."
    )


if __name__ == "__main__":
    main()
