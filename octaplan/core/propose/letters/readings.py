"""A value that was read from a letter, and how sure it is."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from octaplan.core.propose.letters.text import Stretch


class Sure(StrEnum):
    """How sure a reading is: said by words, followed from what fits, or one of several."""

    SAID = "said"
    FOLLOWS = "follows"
    OPEN = "open"


class Reading(NamedTuple):
    """One value, how sure it is, the places it comes from, and what else it may be. With a
    `problem` it is not taken."""

    text: str
    sure: Sure
    places: tuple[Stretch, ...]
    others: tuple[str, ...] = ()
    problem: str = ""
