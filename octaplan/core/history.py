"""Undo and redo over revisions that are never taken away: an undo is a revision of its own."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import NamedTuple


class Kind(StrEnum):
    """What made a revision."""

    CHANGE = "change"
    UNDO = "undo"
    REDO = "redo"
    BACK = "back"  # an earlier revision, taken again


class Step(NamedTuple):
    """A revision as far as undo goes."""

    number: int
    kind: Kind


class Standing(NamedTuple):
    """Which revision's plan holds now, which one an undo would bring back, and which one a redo."""

    now: int
    undo: int | None
    redo: int | None


def standing(steps: Iterable[Step]) -> Standing:
    """Where the revisions of a site, oldest first, leave it.

    Raises `ValueError` when there are none, or an undo or redo has nothing before it.
    """
    past: list[int] = []
    future: list[int] = []
    for step in steps:
        if step.kind is Kind.UNDO:
            if len(past) < 2:
                raise ValueError(f"revision {step.number} undoes nothing")
            future.append(past.pop())
        elif step.kind is Kind.REDO:
            if not future:
                raise ValueError(f"revision {step.number} redoes nothing")
            past.append(future.pop())
        else:
            past.append(step.number)
            future.clear()
    if not past:
        raise ValueError("there is no revision")
    return Standing(past[-1], past[-2] if len(past) > 1 else None, future[-1] if future else None)
