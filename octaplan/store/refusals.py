"""Why a request about plans is not carried out.

PlansError            a request that cannot be carried out
  NoSuchSite          there is no such site
    Renamed           it is called something else now
  BadChange           the change makes the plan unreadable, or is not one a person may make
  Conflict            somebody else has changed the same values since
  NoSuchSlot          a site has no such slot for a secret
  NotClear            something still stands in the way of a clearance
  Contradicted        an answer says something else than what was confirmed
  Moved               the plan has changed since, so that a whole revision would take more back than was seen
"""

from __future__ import annotations

from typing import Any, NamedTuple

from octaplan.core.propose.answering import Contradiction
from octaplan.core.values.errors import RefusedError


class PlansError(RefusedError):
    """A request that cannot be carried out."""


class NoSuchSite(PlansError):
    """There is no such site."""


class Renamed(NoSuchSite):
    """A site is called something else now: `now` is its key."""

    def __init__(self, before: str, now: str) -> None:
        super().__init__(f"{before.upper()} is called {now.upper()} now: look for it there")
        self.now = now


class BadChange(PlansError):
    """A change that would make the plan unreadable. `path` is the place in the plan, if it is known."""

    def __init__(self, problem: str, path: str = "") -> None:
        super().__init__(problem)
        self.path = path


class NoSuchSlot(PlansError):
    """A site has no such slot for a secret."""


class NotClear(PlansError):
    """Something still stands in the way of a clearance."""


class Moved(PlansError):
    """The plan has changed since, so that taking a whole revision would take more back than was seen."""


class Contradicted(PlansError):
    """Answers that say something else than what was confirmed; nothing has been overwritten."""

    def __init__(self, contradictions: list[Contradiction]) -> None:
        first = contradictions[0]
        super().__init__(
            f"{first.by} confirmed the {first.short} as {first.confirmed}, and now it is {first.given}: choose one"
        )
        self.contradictions = contradictions


class Clash(NamedTuple):
    """One value that two people changed."""

    path: str
    base: Any
    yours: Any
    theirs: Any


class Conflict(PlansError):
    """Values that somebody else has changed since the revision that a change was made on."""

    def __init__(self, clashes: list[Clash], by: str, revision: int, newest: int) -> None:
        super().__init__(f"{by} changed the same value in revision {revision}")
        self.clashes = clashes
        self.by = by
        self.revision = revision
        self.newest = newest
