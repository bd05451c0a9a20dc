"""The journal: who did what, when, from where and why, append-only and chained under a key (`octaplan.store.chain`).

A line that is changed, taken out, put in or taken off the end shows. The database refuses to change or delete lines by
itself.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum

from sqlalchemy import select
from sqlalchemy.orm import Session

from octaplan.store.author import account_of, address_of
from octaplan.store.chain import START, Chain, Head
from octaplan.store.database import Database
from octaplan.store.models import JournalEntry


class Act(StrEnum):
    """What the journal tells of."""

    READ = "secret read"
    MUCH = "many secrets read"
    RESTORED = "secret brought back"
    MADE = "secret made"
    TYPED = "secret typed"
    SHEET = "credential sheet printed"
    KEY = "safe changed"
    BACKUP = "backup attached"
    FETCHED = "backup fetched"
    SHIPPED = "site shipped"
    SKIP = "skipped check accepted"
    LINK = "link for the site"
    ON_SITE = "answered on site"
    CLEARED = "site cleared"
    ACCOUNT = "account changed"
    HARDWARE = "hardware type changed"
    SETTINGS = "settings changed"
    RENAMED = "renamed"
    AWAY = "site put away"
    BACK = "site brought back"
    TAKEN_BACK = "site taken back"
    IN = "signed in"
    OUT = "signed out"
    REFUSED = "sign-in refused"
    EXPORTED = "exported"
    PRINTED = "sheet printed"
    OPERATION = "operation"


@dataclass(frozen=True, slots=True)
class JournalLine:
    """One line of the journal."""

    number: int
    at: datetime
    by: str
    act: str
    site: str
    what: str
    why: str
    account: str
    address: str


@dataclass(frozen=True, slots=True)
class Checked:
    """How many lines there are, the digest of the last, and what is wrong, or nothing."""

    lines: int
    digest: str
    fault: str


class Journal:
    """The journal of a database."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def lines(self, before: int | None = None, act: str = "", site: str = "", limit: int = 200) -> list[JournalLine]:
        """Lines, newest first, from before a line number; of one act or site when named."""
        query = select(JournalEntry).order_by(JournalEntry.id.desc()).limit(limit)
        if before is not None:
            query = query.where(JournalEntry.id < before)
        if act:
            query = query.where(JournalEntry.act == act)
        if site:
            query = query.where(JournalEntry.site == site.upper())
        with self._database.reading() as session:
            return [_line(entry) for entry in session.scalars(query)]

    def note(self, act: Act, by: str, what: str, *, site: str = "") -> None:
        """Add a line of its own."""
        with self._database.turn() as turn:
            enter(turn.session, act, by, what, site=site)

    def every(self) -> Iterator[JournalLine]:
        """All lines, oldest first."""
        with self._database.reading() as session:
            query = select(JournalEntry).order_by(JournalEntry.id).execution_options(yield_per=500)
            for entry in session.scalars(query):
                yield _line(entry)

    def head(self) -> Head | None:
        """How far the chain has come, to be printed or kept elsewhere."""
        return self._database.chain.head()

    def check(self, kept: Head | None = None) -> Checked:
        """Go through the whole chain, and hold its head, and one that was `kept` elsewhere, against it."""
        chain = self._database.chain
        heads = [head for head in (kept, chain.head()) if head is not None]
        digest, number = START, 0
        with self._database.reading() as session:
            query = select(JournalEntry).order_by(JournalEntry.id).execution_options(yield_per=500)
            for entry in session.scalars(query):
                number += 1
                if entry.id != number:
                    return Checked(
                        number, digest, f"Line {number} is missing: line {entry.id} follows line {number - 1}"
                    )
                digest = chain.digest(digest, number, _told(entry))
                if digest != entry.digest:
                    return Checked(
                        number, digest, f"Line {number} was changed after it was written, or the one before it"
                    )
                for head in heads:
                    if head.number == number and head.digest != digest:
                        told = f"Line {number} is not the one that was noted when it was written"
                        return Checked(number, digest, told)
        if chain.missing and number:
            return Checked(number, digest, "The key of the journal is missing: put journal.key back in the data folder")
        for head in heads:
            if head.number > number:
                gone = head.number - number
                what = "line is" if gone == 1 else "lines are"
                return Checked(number, digest, f"{gone} {what} missing after line {number}: {head.number} were written")
        if number > chain.since and chain.head() is None:
            return Checked(number, digest, "What was noted of the journal's end, journal.head, is missing or not ours")
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
    chain: Chain = session.info["chain"]
    last = session.execute(
        select(JournalEntry.id, JournalEntry.digest).order_by(JournalEntry.id.desc()).limit(1)
    ).first()
    number, digest = last or (0, START)
    if chain.missing:
        chain.begin(number)
    for site, what in things:
        number += 1
        entry = JournalEntry(
            id=number, at=at or datetime.now(UTC), by=by, act=act, site=site.upper(), what=what, why=why, digest="",
            account=account_of(by), address=address_of(by),
        )  # fmt: skip
        digest = entry.digest = chain.digest(digest, number, _told(entry))
        session.add(entry)
    session.info["head"] = Head(number, digest)


def _told(entry: JournalEntry) -> list[object]:
    """What of a line is chained."""
    moment = entry.at.astimezone(UTC).isoformat(timespec="microseconds")
    return [moment, entry.by, str(entry.act), entry.site, entry.what, entry.why, entry.account, entry.address]


def _line(e: JournalEntry) -> JournalLine:
    return JournalLine(e.id, e.at, e.by, e.act, e.site, e.what, e.why, e.account, e.address)
