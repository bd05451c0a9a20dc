"""What the children of the tests are sent to do."""

from __future__ import annotations

import os
import time

from octaplan.core.config.writeout import NotWritten
from octaplan.core.plan.hardware import WritePart


def forever() -> None:
    while True:
        pass


def asleep() -> None:
    time.sleep(60)


def greedy() -> int:
    return len([bytes(1 << 20) for _ in range(4_000)])


def dying() -> None:
    os._exit(3)


def mistaken() -> None:
    raise NotWritten("it is not so", WritePart.RULES, 7)


def slowly(seconds: float) -> str:
    time.sleep(seconds)
    return "done"
