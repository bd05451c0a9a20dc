"""The journal: who did what, when and why, append-only and hash-chained.

Every line's digest (SHA-256) covers the line and the digest before it, so that a line that is changed, taken out or
put in shows. The database refuses to change or delete lines by itself.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from datetime import UTC, datetime
from enum import StrEnum
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from octaplan.store.database import Database
from octaplan.store.models import JournalEntry

START = "0" * 64


class Act(StrEnum):
    """What the journal tells of."""

    READ = "secret read"
    MADE = "secret made"
    TYPED = "secret typed"
    SHEET = "credential sheet printed"
    KEY = "safe changed"
    BACKUP = "backup attached"
    FETCHED = "backup fetched"
    SHIPPED = "site shipped"
    CLEARED = "site cleared"
    ACCOUNT = "account changed"
    HARDWARE = "hardware type changed"
    SETTINGS = "settings changed"
    TAKEN_BACK = "site taken back"


class Line(NamedTuple):
    """One line of the journal."""

    number: int
    at: datetime
    by: str
    act: str
    site: str
    what: str
    why: str


class Checked(NamedTuple):
    """How many lines there are, the digest of the last, and what is wrong, or nothing."""

    lines: int
    digest: str
    fault: str


class Journal:
    """The journal of a database."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def lines(self, before: int | None = None, act: str = "", site: str = "", limit: int = 200) -> list[Line]:
        """Lines, newest first, from before a line number; of one act or site when named."""
        query = select(JournalEntry).order_by(JournalEntry.id.desc()).limit(limit)
        if before is not None:
            query = query.where(JournalEntry.id < before)
        if act:
            query = query.where(JournalEntry.act == act)
        if site:
            query = query.where(JournalEntry.site == site.upper())
        with self._database.reading() as session:
            return [Line(e.id, e.at, e.by, e.act, e.site, e.what, e.why) for e in session.scalars(query)]

    def check(self) -> Checked:
        """Go through the whole chain."""
        digest, number = START, 0
        with self._database.reading() as session:
            for entry in session.scalars(
                select(JournalEntry).order_by(JournalEntry.id).execution_options(yield_per=500)
            ):
                number += 1
                if entry.id != number:
                    return Checked(
                        number, digest, f"Line {number} is missing: line {entry.id} follows line {number - 1}"
                    )
                digest = _digest(digest, entry)
                if digest != entry.digest:
                    return Checked(
                        number, digest, f"Line {number} was changed after it was written, or the one before it"
                    )
        return Checked(number, digest, "")


def enter(
    session: Session, act: Act, by: str, what: str, *, site: str = "", why: str = "", at: datetime | None = None
) -> None:
    """Add a line, inside the caller's transaction."""
    enter_all(session, act, by, [(site, what)], why=why, at=at)


def enter_all(
    session: Session, act: Act, by: str, things: Sequence[tuple[str, str]], *, why: str = "", at: datetime | None = None
) -> None:
    """Add a line for each (site, what), inside the caller's transaction."""
    session.flush()
    last = session.execute(
        select(JournalEntry.id, JournalEntry.digest).order_by(JournalEntry.id.desc()).limit(1)
    ).first()
    number, digest = last or (0, START)
    for site, what in things:
        number += 1
        entry = JournalEntry(
            id=number, at=at or datetime.now(UTC), by=by, act=act, site=site.upper(), what=what, why=why, digest=""
        )
        digest = entry.digest = _digest(digest, entry)
        session.add(entry)


def _digest(before: str, entry: JournalEntry) -> str:
    moment = entry.at.astimezone(UTC).isoformat(timespec="microseconds")
    line = [before, entry.id, moment, entry.by, str(entry.act), entry.site, entry.what, entry.why]
    return hashlib.sha256(json.dumps(line, ensure_ascii=False).encode()).hexdigest()
