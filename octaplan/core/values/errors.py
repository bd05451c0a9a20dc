"""The errors whose message is meant for the person who asked. Their root is their own, so that `except ValueError`
catches faults of the code and nothing that was expected.

OctaplanError          something that is expected, told in words
├─ RefusedError        what was asked for cannot be done
│  └─ TypedError       what was typed or pasted cannot be read
└─ DamagedError        what was kept is not whole any more
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import ParamSpec, TypeVar

Given = ParamSpec("Given")
Checked = TypeVar("Checked")


class OctaplanError(Exception):
    """Something that is expected; the message says what, where, why and what to do."""


class RefusedError(OctaplanError):
    """Something that was asked for cannot be done."""


class TypedError(RefusedError):
    """What was typed, or stands in a cell of a table, cannot be read."""


class DamagedError(OctaplanError):
    """What was kept has been changed or lost by something other than Octaplan."""


def in_words(error: Exception) -> str:
    """What an error says, with the notes that were added to it on its way."""
    said = str(error.args[0] if error.args else error)
    return ". ".join(part for part in (said, *getattr(error, "__notes__", ())) if part)


def validating(check: Callable[Given, Checked]) -> Callable[Given, Checked]:
    """A check as Pydantic wants it: what is refused is a `ValueError`, which it keeps with the field it is about."""

    @functools.wraps(check)
    def checked(*args: Given.args, **named: Given.kwargs) -> Checked:
        try:
            return check(*args, **named)
        except RefusedError as error:
            raise ValueError(in_words(error)) from error

    return checked
