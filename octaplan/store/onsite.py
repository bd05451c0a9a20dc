"""Links for whoever installs on site, and what is answered there. A link opens one page, for a while.

OnSiteError           a link cannot be made, or an answer cannot be kept
  NoSuchLink          the link has ended, or never was
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

from sqlalchemy import func, select

from octaplan.core.values.errors import RefusedError
from octaplan.store.database import Database
from octaplan.store.journal import Act, enter
from octaplan.store.models import Site, SiteAnswer, SiteLink

LONGEST_DAYS = 60
#: So many answers a link keeps at most.
MOST_ANSWERS = 500


class OnSiteError(RefusedError):
    """A link cannot be made, or an answer cannot be kept."""


class NoSuchLink(OnSiteError):
    """The link has ended, or never was."""


@dataclass(frozen=True, slots=True)
class LinkTold:
    """A link as those know it who may make one; never the link itself."""

    id: int
    at: datetime
    by: str
    ends: datetime


class MadeLink(NamedTuple):
    """A new link: its token is told once, and only its digest is kept."""

    token: str
    ends: datetime


@dataclass(frozen=True, slots=True)
class AnswerTold:
    """What was answered on site to a test."""

    test: str
    text: str
    works: bool
    note: str
    name: str
    at: datetime


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


class OnSite:
    """Records links and answers. Every method may be called from any thread."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def make(self, site: str, days: int, by: str) -> MadeLink:
        """A new link to the installer's page of a site, good for some days."""
        if not 1 <= days <= LONGEST_DAYS:
            raise OnSiteError(f"A link is good for 1 to {LONGEST_DAYS} days")
        token, now = secrets.token_urlsafe(24), datetime.now(UTC)
        ends = now + timedelta(days=days)
        with self._database.turn() as turn:
            number = turn.now.sites.site_id(turn.now.sites.plan(site).key)
            turn.session.add(SiteLink(site_id=number, digest=_digest(token), at=now, by=by, ends=ends))
            enter(turn.session, Act.LINK, by, f"installer's page, until {ends:%Y-%m-%d %H:%M} UTC", site=site)
        return MadeLink(token, ends)

    def links(self, site: str) -> list[LinkTold]:
        """The links of a site that have not ended."""
        query = (
            select(SiteLink.id, SiteLink.at, SiteLink.by, SiteLink.ends)
            .join(Site)
            .where(Site.key == site.casefold(), SiteLink.ends > datetime.now(UTC))
            .order_by(SiteLink.id.desc())
        )
        with self._database.reading() as session:
            return [LinkTold(*row) for row in session.execute(query)]

    def end(self, site: str, link: int, by: str) -> None:
        """End a link now."""
        with self._database.turn() as turn:
            row = turn.session.get(SiteLink, min(link, 1 << 62))
            if row is None or row.site_id != turn.now.sites.site_id(turn.now.sites.plan(site).key):
                raise NoSuchLink("There is no such link of this site")
            row.ends = min(row.ends, datetime.now(UTC))
            enter(turn.session, Act.LINK, by, "installer's page, ended", site=site)

    def site_of(self, token: str) -> str:
        """The key of the site that a link opens. Raises `NoSuchLink`."""
        with self._database.reading() as session:
            found = session.execute(
                select(Site.key)
                .join(SiteLink, SiteLink.site_id == Site.id)
                .where(SiteLink.digest == _digest(token), SiteLink.ends > datetime.now(UTC), Site.away.is_(None))
            ).scalar()
        if found is None:
            raise NoSuchLink("This link has ended, or was mistyped: ask your technician for a new one")
        return found

    def answer(self, token: str, test: str, text: str, name: str, note: str, *, works: bool) -> None:
        """Keep an answer from site. Raises `NoSuchLink`, `OnSiteError`."""
        key = self.site_of(token)
        with self._database.turn() as turn:
            link = turn.session.scalars(select(SiteLink).where(SiteLink.digest == _digest(token))).one()
            answered = turn.session.scalar(select(func.count(SiteAnswer.id)).where(SiteAnswer.link_id == link.id))
            if (answered or 0) >= MOST_ANSWERS:
                raise OnSiteError("This link has been answered by so often that it takes no more: ask for a new one")
            turn.session.add(
                SiteAnswer(
                    site_id=link.site_id,
                    link_id=link.id,
                    test=test[:16],
                    text=text[:400],
                    works=works,
                    note=" ".join(note.split())[:400],
                    name=" ".join(name.split())[:80],
                    at=datetime.now(UTC),
                )
            )
            told = f"{text[:120]}: {'works' if works else 'does not work'}"
            enter(turn.session, Act.ON_SITE, f"{' '.join(name.split())[:80]} (on site)", told, site=key)

    def answers(self, site: str) -> dict[str, AnswerTold]:
        """The newest answer to each test of a site."""
        query = select(SiteAnswer).join(Site).where(Site.key == site.casefold()).order_by(SiteAnswer.id)
        with self._database.reading() as session:
            return {
                row.test: AnswerTold(row.test, row.text, row.works, row.note, row.name, row.at)
                for row in session.scalars(query)
            }
