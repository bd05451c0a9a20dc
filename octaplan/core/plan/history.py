"""Undo and redo over revisions that are never taken away: an undo is a revision of its own."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from functools import reduce
from typing import NamedTuple


class StepKind(StrEnum):
    """What made a revision."""

    CHANGE = "change"
    UNDO = "undo"
    REDO = "redo"
    BACK = "back"  # an earlier revision, taken again


class CourseStep(NamedTuple):
    """A revision as far as undo goes."""

    number: int
    kind: StepKind


class Course(NamedTuple):
    """Revisions whose plans were taken one after another, each numbered, and those that were undone.

    The last of `past` is the revision whose plan holds now; the last of `future` the one that a redo brings back.
    """

    past: tuple[int, ...] = ()
    future: tuple[int, ...] = ()

    def then(self, step: CourseStep) -> Course:
        """After one more revision. Raises `ValueError` when it undoes or redoes what is not there."""
        past, future = self
        if step.kind is StepKind.UNDO:
            if len(past) < 2:
                raise ValueError(f"revision {step.number} undoes nothing")
            return Course(past[:-1], (*future, past[-1]))
        if step.kind is StepKind.REDO:
            if not future:
                raise ValueError(f"revision {step.number} redoes nothing")
            return Course((*past, future[-1]), future[:-1])
        return Course((*past, step.number))

    @property
    def now(self) -> int:
        """The revision whose plan holds."""
        return self.past[-1]

    @property
    def undo(self) -> int | None:
        """The revision that an undo would bring back."""
        return self.past[-2] if len(self.past) > 1 else None

    @property
    def redo(self) -> int | None:
        """The revision that a redo would bring back."""
        return self.future[-1] if self.future else None


def course(steps: Iterable[CourseStep]) -> Course:
    """Where the revisions of a site, oldest first, leave it. Raises `ValueError` as `Course.then` does."""
    return reduce(Course.then, steps, Course())
