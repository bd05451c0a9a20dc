"""Work on many sites in parts, each short enough that others hardly wait for their turn."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from typing import TypeVar

Item = TypeVar("Item")

#: How long one part should take, in seconds.
SHORT = 0.15

#: How many things the first part has, and any at most.
FIRST, MOST = 4, 500


def in_parts(items: Sequence[Item]) -> Iterator[Sequence[Item]]:
    """Parts of a sequence in order. The size of each follows from how long the one before was worked on."""
    place, size = 0, FIRST
    while place < len(items):
        begun = time.perf_counter()
        yield items[place : place + size]
        place += size
        took = time.perf_counter() - begun
        size = max(1, min(MOST, int(size * min(2.0, SHORT / max(took, 1e-6)))))
