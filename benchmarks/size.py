"""How large a benchmark is: `python -m benchmarks.NAME [SIZE | --smallest]`."""

from __future__ import annotations

import sys

SMALLEST = "--smallest" in sys.argv


def sized(usual: int, smallest: int) -> int:
    """The size that was asked for; else the usual one, or the smallest at which the benchmark does all it does."""
    numbers = [int(word) for word in sys.argv[1:] if word.isdigit()]
    return numbers[0] if numbers else smallest if SMALLEST else usual


def folder_named() -> str:
    """The folder or file that was named, if any."""
    return next((word for word in sys.argv[1:] if not word.isdigit() and not word.startswith("--")), "")
