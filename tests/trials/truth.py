"""Walk and kernel held against each other on plans made at random: `python -m tests.trials.truth [PLANS] [FIRST]`.

Each plan is brought up out of network namespaces and asked cell by cell; what the network did other than the walk says is
told, and makes it fail. `make truth` does it with a thousand plans.
"""

from __future__ import annotations

import asyncio
import json
import os
import subprocess
import sys
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from random import Random

from octaplan.lab.rehearsal.rehearse import rehearse, sentence
from octaplan.lab.spaces.ground import apart, missing
from tests.core.flow.plans import made

#: So many plans are one piece of work.
PIECE = 20
#: In one plan of so many clients ask for leases: it takes seconds until one knows that nobody serves.
EACH_LEASED = 10
#: So many of what disagrees are told of one plan.
TOLD = 4


def one_plan(seed: int) -> Counter[str]:
    """Rehearse one plan, and tell what disagrees. Within namespaces of its own."""
    leases = seed % EACH_LEASED == 0
    done = asyncio.run(rehearse(made(Random(seed)), seed=seed, leases=leases))
    against = [one for one in done.outcomes if not one.agrees]
    for one in against[:TOLD]:
        print(f"plan {seed}: {sentence(done.traffic, done.design, one)}", file=sys.stderr, flush=True)
    cells = {(one.probe.place, one.probe.asked, one.probe.down) for one in done.outcomes}
    return Counter(
        plans=1,
        cells=len(cells),
        questions=len(done.outcomes),
        passed=sum(one.seen.passed for one in done.outcomes),
        untold=done.untold,
        disagree=len(against),
    )


def piece(first: int, last: int) -> Counter[str]:
    """Rehearse some plans in a process of its own."""
    command = [*apart(), sys.executable, "-m", "tests.trials.truth", "--within", str(first), str(last)]
    done = subprocess.run(command, stdout=subprocess.PIPE, text=True, check=True)
    return Counter(json.loads(done.stdout))


def compare(plans: int, first: int = 0, jobs: int | None = None) -> Counter[str]:
    """Rehearse so many plans, side by side."""
    pieces = [(start, min(start + PIECE, first + plans)) for start in range(first, first + plans, PIECE)]
    with ThreadPoolExecutor(jobs or os.cpu_count() or 2) as pool:
        return sum(pool.map(lambda ends: piece(*ends), pieces), Counter())


def main() -> int:
    if sys.argv[1:2] == ["--within"]:
        first, last = map(int, sys.argv[2:4])
        print(json.dumps(sum((one_plan(seed) for seed in range(first, last)), Counter())))
        return 0
    lacks = missing()
    if lacks:
        print(lacks, file=sys.stderr)
        return 2
    plans = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    begun = time.perf_counter()
    found = compare(plans, first)
    seconds = time.perf_counter() - begun
    print(
        f"{found['plans']} plans, {found['cells']} cells, {found['questions']} questions of which {found['passed']} passed, "
        f"{found['untold']} left open by the plan; {found['disagree']} answered otherwise than the walk says; {seconds:.0f} s"
    )
    return 1 if found["disagree"] else 0


if __name__ == "__main__":
    sys.exit(main())
