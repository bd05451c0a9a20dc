"""Changes of many sites at once: shown first, saved in one transaction, taken back by one undo."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from sqlalchemy import select

from octaplan.core.changes import changes
from octaplan.core.findings import RULES
from octaplan.core.history import Kind
from octaplan.core.plan import SitePlan
from octaplan.core.portfolio import Portfolio
from octaplan.core.remedies import applied, remedies
from octaplan.store.database import Database
from octaplan.store.models import Batch, Revision, Site
from octaplan.store.plans import Plans
from octaplan.store.refusals import BadChange, PlansError
from octaplan.store.snapshot import Sites, judge

#: How many sites one change may be made at.
MOST = 200

#: How many remedies are applied at one site at most.
ROUNDS = 64


class Mended(NamedTuple):
    """What would happen, or has happened, at one site: how each finding is mended, or why nothing is."""

    customer: str
    site: str
    site_name: str
    revision: int
    remedies: list[str]
    changes: list[str]
    left: int


class Undone(NamedTuple):
    """What an undo of many sites came to: how many were taken back, and which have moved on since."""

    undone: int
    moved: list[str]


class Batches:
    """Remedies applied to many sites."""

    def __init__(self, database: Database, plans: Plans) -> None:
        self._database = database
        self._plans = plans

    def preview(self, rule: str, keys: Sequence[str]) -> list[Mended]:
        """What the first remedy of each finding of a rule would do at these sites, one after the other."""
        return [mended for mended, _ in _worked_out(self._plans.now, rule, keys)]

    def apply(self, rule: str, revisions: Mapping[str, int], by: str) -> tuple[str, list[Mended]]:
        """Apply what `preview` showed for the revisions of these sites, in one transaction. Raises `Moved`."""
        with self._database.turn() as turn:
            worked = [
                (mended, plan) for mended, plan in _worked_out(turn.now.sites, rule, list(revisions)) if mended.remedies
            ]
            if not worked:
                raise BadChange("None of these findings stands any more, or none has a remedy: nothing was changed")
            told = f"{RULES[rule].title}: mended at {len(worked)} site{'' if len(worked) == 1 else 's'}"
            batch = Batch(id=secrets.token_hex(8), at=datetime.now(UTC), by=by, sentence=told)
            name = batch.id
            self._plans.save_batch([plan for _, plan in worked], revisions, batch)
        return name, [mended for mended, _ in worked]

    def undo(self, batch: str, by: str) -> Undone:
        """Take a change of many sites back, at every site that has not moved on since."""
        with self._database.turn() as turn:
            session = turn.session
            known = session.get(Batch, batch)
            if known is None or known.undone:
                raise BadChange("This change has been taken back already")
            query = select(Site.key, Revision.number).join(Site, Site.id == Revision.site_id)
            rows = session.execute(query.where(Revision.batch == batch, Revision.kind == Kind.CHANGE)).all()
            made = [key for key, number in rows if number == 1]
            stay = self._plans.remove(made, by, batch)
            undone, moved = len(made) - len(stay), list(stay)
            for key, number in rows:
                if number == 1:
                    continue
                try:
                    self._plans.undo(key, number, by)
                    undone += 1
                except PlansError:
                    moved.append(key)
            known.undone = True
            plans = [turn.now.sites.plan(key) for key in moved]
        return Undone(undone, [f"{plan.customer}/{plan.site}" for plan in plans])

    def recent(self, most: int = 10) -> list[Batch]:
        """The newest changes of many sites."""
        with self._database.reading() as session:
            return list(session.scalars(select(Batch).order_by(Batch.at.desc()).limit(most)))


def _worked_out(sites: Sites, rule: str, keys: Sequence[str]) -> list[tuple[Mended, SitePlan]]:
    if rule not in RULES:
        raise BadChange(f"There is no rule {rule}: look at the rule book")
    if len(keys) > MOST:
        raise BadChange(f"{len(keys)} sites are too many at once: choose at most {MOST}")
    worked: list[tuple[Mended, SitePlan]] = []
    trial = sites.portfolio.fork()
    for key in dict.fromkeys(key.casefold() for key in keys):
        held = sites.of(key)
        before = held.plan
        after, done, left = _mended(trial, before, rule)
        trial.put(after)  # so that the next site does not take the same room
        told = [str(change) for change in changes(before, after)]
        name = before.name or before.site
        worked.append((Mended(before.customer, before.site, name, held.saved.number, done, told, left), after))
    return worked


def _mended(portfolio: Portfolio, plan: SitePlan, rule: str) -> tuple[SitePlan, list[str], int]:
    """A plan after the first remedy of each of its findings of a rule, what was done, and how many are left."""
    done: list[str] = []
    while True:
        judged = judge(plan, portfolio.check(plan))
        standing = [j.finding for j in judged if j.finding.rule == rule and not j.accepted]
        findings = [j.finding for j in judged]
        offers = (remedies(portfolio, plan, findings, finding) for finding in standing)
        offered = next((offer[0] for offer in offers if offer), None) if len(done) < ROUNDS else None
        if offered is None:
            return plan, done, len(standing)
        plan = applied(plan, offered.operations)
        done.append(offered.sentence)
