"""What is found when a text is held against a plan: as planned, otherwise, missing, and what nobody planned."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, NamedTuple

from octaplan.core.config.text import TextLine


class AsPlanned(NamedTuple):
    """A planned value that is there."""

    path: str
    value: str
    line: int


class Missing(NamedTuple):
    """A planned value that is nowhere in the text."""

    path: str
    value: str
    what: str


class Differs(NamedTuple):
    """A planned value in whose place another one stands."""

    path: str
    planned: str
    seen: str
    line: int
    why: str
    what: str


class Unplanned(NamedTuple):
    """Something that is there and not planned."""

    kind: str
    value: str
    line: int
    why: str


class Mark(NamedTuple):
    """A piece of a line that was recognised: from where to where, what it is, and how it compares."""

    line: int
    first: int
    last: int
    kind: str
    verdict: str


@dataclass
class ReadBack:
    """What a text says of a box. `unread` counts the lines in which nothing was recognised, `secrets` the lines that
    hold a secret in clear; `about` names another box, when it is the text of that one."""

    as_planned: list[AsPlanned] = field(default_factory=list)
    missing: list[Missing] = field(default_factory=list)
    differs: list[Differs] = field(default_factory=list)
    unplanned: list[Unplanned] = field(default_factory=list)
    unread: int = 0
    secrets: list[int] = field(default_factory=list)
    about: str = ""
    own_language: bool = False
    lines: list[TextLine] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)

    @property
    def departures(self) -> int:
        return len(self.missing) + len(self.differs) + len(self.unplanned)

    def document(self) -> dict[str, Any]:
        """As the command line prints it."""
        return {
            "as_planned": [one._asdict() for one in self.as_planned],
            "missing": [{"path": one.path, "value": one.value} for one in self.missing],
            "differs": [
                {"path": d.path, "planned": d.planned, "seen": d.seen, "line": d.line, "why": d.why}
                for d in self.differs
            ],
            "unplanned": [one._asdict() for one in self.unplanned],
            "unread": self.unread,
        }
