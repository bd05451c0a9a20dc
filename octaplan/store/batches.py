"""Changes of many sites at once: shown first, saved in one transaction, taken back by one undo."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import Update, select, update

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.plan.changes import changes
from octaplan.core.plan.history import StepKind
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import Offers
from octaplan.store.database import Database
from octaplan.store.models import Batch, Import, ImportFile, Revision, Site
from octaplan.store.parts import in_parts
from octaplan.store.plans import Plans
from octaplan.store.refusals import BadChange, PlansError
from octaplan.store.snapshot import Sites, judge

#: How many sites one change may be made at.
MOST = 200

#: So long a change of many sites is listed, with its undo.
LISTED_DAYS = 14

#: How many remedies are applied at one site at most.
ROUNDS = 64


@dataclass(frozen=True, slots=True)
class MendedSite:
    """What would happen, or has happened, at one site: how each finding is mended, or why nothing is."""

    customer: str
    site: str
    site_name: str
    revision: int
    remedies: list[str]
    changes: list[str]
    left: int


@dataclass(frozen=True, slots=True)
class Undone:
    """What an undo of many sites came to: how many were taken back, and which have moved on since."""

    undone: int
    moved: list[str]


class Batches:
    """Remedies applied to many sites."""

    def __init__(self, database: Database, plans: Plans) -> None:
        self._database = database
        self._plans = plans

    def preview(self, rule: str, keys: Sequence[str]) -> list[MendedSite]:
        """What the first remedy of each finding of a rule would do at these sites, one after the other."""
        return [mended for mended, _ in _worked_out(self._plans.now, rule, keys)]

    def apply(self, rule: str, revisions: Mapping[str, int], by: str) -> tuple[str, list[MendedSite]]:
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
            known = turn.session.get(Batch, batch)
            if known is None or known.undone:
                raise BadChange("This change has been taken back already")
            if known.open:
                raise BadChange("This change is being written or taken back just now: wait until that is through")
            known.open = True
        try:
            return self.take_back(batch, by)
        except BaseException:
            with self._database.turn() as turn:  # to be taken back again, from where it stopped
                turn.session.execute(update(Batch).where(Batch.id == batch).values(open=False))
            raise

    def take_back(self, batch: str, by: str) -> Undone:
        """Take back what has been written of an open change, in short turns."""
        with self._database.reading() as session:
            query = select(Site.key, Revision.number).join(Site, Site.id == Revision.site_id)
            rows = session.execute(query.where(Revision.batch == batch, Revision.kind == StepKind.CHANGE)).all()
        undone, moved = 0, list[str]()
        for part in in_parts(rows):
            with self._database.turn():
                made = [key for key, number in part if number == 1]
                stay = self._plans.remove(made, by, batch)
                undone += len(made) - len(stay)
                moved += stay
                for key, number in part:
                    if number == 1:
                        continue
                    try:
                        self._plans.undo(key, number, by)
                        undone += 1
                    except PlansError:
                        moved.append(key)
        with self._database.turn() as turn:
            closing = {"open": False, "undone": True}
            turn.session.execute(update(Batch).where(Batch.id == batch).values(closing))
            turn.session.execute(_not_loaded().where(Import.batch == batch))
            held = [turn.now.sites.get(key) for key in moved]
        return Undone(undone, [f"{one.plan.customer}/{one.plan.site}" for one in held if one is not None])

    def finish(self) -> list[str]:
        """Take back what was cut short by the end of the process; what each change was to be."""
        with self._database.reading() as session:
            cut_short = [(b.id, b.sentence) for b in session.scalars(select(Batch).where(Batch.open))]
        for batch, _ in cut_short:
            self.take_back(batch, "Octaplan")
        with self._database.turn() as turn:
            turn.session.execute(_not_loaded())
        return [sentence for _, sentence in cut_short]

    def recent(self, most: int = 100) -> list[Batch]:
        """The changes of many sites in the last `LISTED_DAYS`, newest first."""
        since = datetime.now(UTC) - timedelta(days=LISTED_DAYS)
        query = select(Batch).where(~Batch.open, Batch.at >= since).order_by(Batch.at.desc()).limit(most)
        with self._database.reading() as session:
            return list(session.scalars(query))


def _not_loaded() -> Update:
    """Says of imports whose files are still there that they have not been loaded: the last turn takes files away."""
    kept = select(ImportFile.import_id)
    return update(Import).where(Import.id.in_(kept)).values(applied_at=None, batch=None)


def _worked_out(sites: Sites, rule: str, keys: Sequence[str]) -> list[tuple[MendedSite, SitePlan]]:
    if rule not in RULES:
        raise BadChange(f"There is no rule {rule}: look at the rule book")
    if len(keys) > MOST:
        raise BadChange(f"{len(keys)} sites are too many at once: choose at most {MOST}")
    worked: list[tuple[MendedSite, SitePlan]] = []
    trial = sites.portfolio.fork()
    for key in dict.fromkeys(key.casefold() for key in keys):
        held = sites.of(key)
        before = held.plan
        after, done, left = _mended(trial, before, rule)
        trial.put(after)  # so that the next site does not take the same room
        told = [str(change) for change in changes(before, after)]
        name = before.name or before.site
        worked.append((MendedSite(before.customer, before.site, name, held.saved.number, done, told, left), after))
    return worked


def _mended(portfolio: Portfolio, plan: SitePlan, rule: str) -> tuple[SitePlan, list[str], int]:
    """A plan after the first remedy of each of its findings of a rule, what was done, and how many are left."""
    done: list[str] = []
    while True:
        judged = judge(plan, portfolio.check(plan))
        standing = [j.finding for j in judged if j.finding.rule == rule and not j.accepted]
        offers = map(Offers(portfolio, plan, [j.finding for j in judged]).of, standing)
        offered = next((offer[0] for offer in offers if offer), None) if len(done) < ROUNDS else None
        if offered is None:
            return plan, done, len(standing)
        plan = applied(plan, offered.operations)
        done.append(offered.sentence)
