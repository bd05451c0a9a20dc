"""Pieces of sentences."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache


def count(number: int, noun: str) -> str:
    """`1 time`, `2 times`, `1,016 addresses`."""
    plural = noun + ("es" if noun.endswith("s") else "s")
    return f"{number:,} {noun if number == 1 else plural}"


def listed(names: Sequence[str], most: int = 3) -> str:
    """`a`, `a and b`, `a, b and c`, `a, b, c and 4 more`."""
    return and_more(names, len(names), most)


def and_more(names: Sequence[str], total: int, most: int = 3) -> str:
    """The first few names, and how many there are besides."""
    shown = [*names[:most]]
    if total > len(shown):
        shown.append(f"{total - len(shown):,} more")
    return shown[0] if len(shown) == 1 else ", ".join(shown[:-1]) + f" and {shown[-1]}"


@lru_cache(maxsize=65_536)
def as_counted(text: str) -> tuple[tuple[int, int, str], ...]:
    """What names are put in order by, as people count: `segment 2` before `segment 10`."""
    parts = [part for part in re.split(r"(\d{1,18})", text) if part]
    return tuple((0, int(part), "") if part.isdecimal() else (1, 0, part) for part in parts)
