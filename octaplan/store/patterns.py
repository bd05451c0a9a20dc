"""Patterns and their versions. A pattern is edited like a site, with revisions and undo; a version is made of it on
purpose, and only versions are taken by sites.

PatternError          what is asked of a pattern cannot be done
"""

from __future__ import annotations

import json
import re
from collections import Counter
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import delete, select

from octaplan.core.check.findings import Severity
from octaplan.core.plan.organisation import Defaults
from octaplan.core.plan.site import PATTERNS, SitePlan
from octaplan.core.propose.patterns import as_they_stand, pattern_of, sizes
from octaplan.core.values.errors import RefusedError
from octaplan.store.database import Database, Turn
from octaplan.store.models import PatternVersion
from octaplan.store.plans import Plans
from octaplan.store.snapshot import Sites


class PatternError(RefusedError):
    """What is asked of a pattern cannot be done."""


@dataclass(frozen=True, slots=True)
class SavedVersion:
    """One version of a pattern, without its document."""

    number: int
    at: datetime
    by: str
    note: str


class Patterns:
    """The patterns of a database. `plans` are their newest drafts, under the customer `PATTERNS`."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self.plans = Plans(database, patterns=True)
        self._known: dict[tuple[str, int], SitePlan] = {}

    def draft(self, key: str) -> SitePlan:
        """A pattern as it is being edited. Raises `NoSuchSite`."""
        return self.plans.now.plan(f"{PATTERNS}/{key}")

    def all(self) -> list[SitePlan]:
        """The drafts of all patterns, by name."""
        return sorted(self.plans.now.all().values(), key=lambda plan: (plan.name or plan.site).casefold())

    def make(self, name: str, by: str, like: SitePlan | None = None) -> SitePlan:
        """A new pattern, empty or laid out like a site. Raises `PatternError` when the name is taken, or `like` will
        not do."""
        key = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:40].strip("-")
        if len(key) < 3:
            raise PatternError(
                "The name of a pattern has three letters or digits at least: write such as Shop with tills"
            )
        with self._database.turn() as turn:
            return self._make(turn, key, name, by, like)

    def _make(self, turn: Turn, key: str, name: str, by: str, like: SitePlan | None) -> SitePlan:
        if f"{PATTERNS}/{key}" in self.plans.now.all():
            raise PatternError(f"There is a pattern {key} already: give this one another name")
        empty = SitePlan(customer=PATTERNS, site=key, name=name, reach_groups=[])
        usual = turn.now.settings.current.usual(like.customer) if like is not None else Defaults()
        pattern = pattern_of(like, key, name, usual) if like is not None else empty
        if like is not None and not pattern.segments:
            raise PatternError(f"{like.name or like.site} has no segments with subnets: there is nothing to make it of")
        self.plans.save_all([pattern], by, f"Made like {like.customer}/{like.site}" if like else "Made")
        return pattern

    def versions(self, key: str) -> list[SavedVersion]:
        """The versions of a pattern, newest first."""
        columns = (PatternVersion.number, PatternVersion.at, PatternVersion.by, PatternVersion.note)
        query = select(*columns).where(PatternVersion.key == self.draft(key).site)
        with self._database.reading() as session:
            return [SavedVersion(*row) for row in session.execute(query.order_by(PatternVersion.number.desc()))]

    def version(self, key: str, number: int) -> SitePlan:
        """One version of a pattern. Raises `PatternError`."""
        known = self._known.get((key, number))
        if known is None:
            with self._database.reading() as session:
                row = session.get(PatternVersion, (key, number)) if number < 1 << 62 else None
            if row is None:
                raise PatternError(f"There is no version {number} of the pattern {key}: look at Patterns")
            known = self._known[key, number] = SitePlan.model_validate_json(row.document)
        return known

    def publish(self, key: str, revision: int, note: str, by: str, meant: bool = False) -> int:
        """Make the draft, as it is at a revision, the next version; returns its number.

        Raises `PatternError`, also while a stop stands in it, or a value of one customer that is not `meant`.
        """
        with self._database.turn() as turn:
            held = turn.now.patterns.of(f"{PATTERNS}/{key}")
            pattern = held.plan
            if held.saved.number != revision:
                raise PatternError("The pattern has been changed since: look at it again, then make the version")
            sizes(pattern)
            stops = [finding for finding in held.findings if finding.severity is Severity.STOP]
            if stops:
                more = f" (and {len(stops) - 1} more)" if len(stops) > 1 else ""
                raise PatternError(f"A version has no stop, so that no site gets one from it: {stops[0].message}{more}")
            theirs = [one for one in as_they_stand(pattern, turn.now.settings.current) if one.whose]
            if theirs and not meant:
                raise PatternError(
                    f"{theirs[0].text}, that of {theirs[0].whose}: leave it empty, so that each site takes what is "
                    "usual at its customer, or say that it is meant so"
                )
            newest = self.newest(key)
            if newest and self.version(key, newest) == pattern:
                raise PatternError(f"Nothing has changed since version {newest}")
            turn.session.add(
                PatternVersion(
                    key=pattern.site,
                    number=newest + 1,
                    at=datetime.now(UTC),
                    by=by,
                    note=note,
                    document=json.dumps(pattern.document(), ensure_ascii=False),
                )
            )
        return newest + 1

    def newest(self, key: str) -> int:
        """The number of the newest version; 0 while there is none."""
        versions = self.versions(key)
        return versions[0].number if versions else 0

    def remove(self, key: str, by: str) -> None:
        """Take a pattern away that no site uses. Raises `PatternError`."""
        with self._database.turn() as turn:
            sites = sum(number for (name, _), number in used_by(turn.now.sites).items() if name == key)
            if sites:
                raise PatternError(f"{sites} site{'s are' if sites > 1 else ' is'} made from it: it has to stay")
            pattern = turn.now.patterns.plan(f"{PATTERNS}/{key}")
            self.plans.remove([pattern.key], by)
            turn.session.execute(delete(PatternVersion).where(PatternVersion.key == pattern.site))
        for known in [known for known in self._known if known[0] == key]:
            del self._known[known]


def used_by(sites: Sites) -> Counter[tuple[str, int]]:
    """How many sites are made from each version of each pattern."""
    return Counter((p.pattern.key, p.pattern.version) for p in sites.all().values() if p.pattern is not None)
