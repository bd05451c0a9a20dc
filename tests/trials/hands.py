"""Octaplan's hands cut at random moments, and many boxes staged at once: `python -m tests.trials.hands [CUTS] [BOXES]`.

Each box is cut several times, by the end of the hands' task or by a connection that breaks, and resumed to its end: what
it keeps must be what one keeps that was never cut.
"""

from __future__ import annotations

import asyncio
import sys
import time
from random import Random
from typing import Any

from octaplan.lab.bench.practice import PracticeBench
from octaplan.link.channel import Pins
from tests.link.clinic import Staged, alone, clinic, put, stage, task, within
from tests.link.test_hands import collected

#: The boxes that are cut, by role and by the type of the site's edge.
BOXES = (("edge", "brackwater-e5"), ("switch", "brackwater-e5"), ("access-point", "brackwater-e5"),
         ("edge", "skerry-f7"), ("edge", "tallow-q4"))  # fmt: skip
#: So often a box is cut before it is let run to its end.
EACH = 4


async def cut(bench: PracticeBench, seed: int) -> tuple[int, list[str]]:
    """Cut a box a few times, and tell what it keeps otherwise than one that was not cut."""
    random = Random(seed)
    role, edge = BOXES[seed % len(BOXES)]
    what = alone(task(clinic(edge), role), seed)
    whole = await stage(bench, await put(bench, what), what)
    await bench.take(whole.one.key)
    one, pins, settled, cuts = await put(bench, what), Pins(), set[str](), 0
    while cuts < EACH:
        held: list[Any] = []
        work = asyncio.ensure_future(collected(bench, one, what, pins, settled, held.append))
        await asyncio.wait([work], timeout=random.uniform(0.0, 1.2))
        if work.done():
            break
        cuts += 1
        if random.random() < 0.5:
            work.cancel()
            await asyncio.wait([work])
        else:  # the connection breaks under the hands
            await held[0].leave()
            await asyncio.wait([work])
    last: Staged = await collected(bench, one, what, pins, settled)
    wrong = []
    if last.outcomes and not last.last.good:
        wrong.append(f"seed {seed}, {what.kind.title}: stopped at {last.last.step.title}: {last.last.note}")
    elif last.final != whole.final:
        wrong.append(f"seed {seed}, {what.kind.title}: it keeps something else than without a cut")
    await bench.take(one.key)
    return cuts, wrong


async def many(bench: PracticeBench, boxes: int) -> tuple[float, list[str]]:
    """Stage so many boxes at once; the seconds until the last is done, and what went wrong."""
    kinds = [BOXES[number % len(BOXES)] for number in range(boxes)]
    whats = [alone(task(clinic(edge), role), number) for number, (role, edge) in enumerate(kinds)]
    standing = [await put(bench, what) for what in whats]
    begun = time.perf_counter()
    done = await asyncio.gather(*(stage(bench, one, what) for one, what in zip(standing, whats, strict=True)))
    wrong = [f"{one.last.step.title}: {one.last.note}" for one in done if not one.last.good]
    return time.perf_counter() - begun, wrong


def main() -> int:
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    boxes = int(sys.argv[2]) if len(sys.argv) > 2 else 20
    cuts, wrong, seed, begun = 0, list[str](), 0, time.perf_counter()
    while cuts < wanted:
        some = range(seed, seed + 5)

        async def each(bench: PracticeBench, some: range = some) -> list[tuple[int, list[str]]]:
            return list(await asyncio.gather(*(cut(bench, one) for one in some)))

        for found, told in within(each):
            cuts, wrong = cuts + found, wrong + told
        seed += 5
    print("\n".join(wrong))
    print(f"{cuts} cuts of {seed} boxes, {len(wrong)} ended otherwise; {time.perf_counter() - begun:.0f} s")
    seconds, failed = within(lambda bench: many(bench, boxes))
    print("\n".join(failed))
    print(f"{boxes} boxes at once in {seconds:.1f} s, {len(failed)} stopped")
    return 1 if wrong or failed else 0


if __name__ == "__main__":
    sys.exit(main())
