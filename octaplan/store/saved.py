"""What is told of a revision."""

from __future__ import annotations

from datetime import datetime
from typing import NamedTuple

from octaplan.core.plan.history import StepKind


class Saved(NamedTuple):
    """One revision, of a site or of the settings, without its document."""

    number: int
    at: datetime
    by: str
    sentence: str
    name: str | None = None
    account: str = ""
    kind: StepKind = StepKind.CHANGE
