"""Changes of site plans: each is a new revision, written with all that is derived from it in one turn."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, select, update

from octaplan.core.plan.history import Course, StepKind
from octaplan.core.plan.patch import Operation, applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.answering import GivenAnswer, take
from octaplan.core.propose.fragment import (
    LetterValue,
    NotTaken,
    emptied,
    following_gateway,
    second_circuit,
    taken_letter,
)
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.judging import acceptance_of, clearance_of
from octaplan.store.models import Batch, Claim, Clearance, Customer, FormerCode, Name, Revision, Secret, Site
from octaplan.store.patches import patched, permitted
from octaplan.store.refusals import BadChange, Contradicted, Moved, NoSuchSite
from octaplan.store.rehearsals import must_be_rehearsed
from octaplan.store.revisions import course_of, refuse_clashes, revision_of, touched_sites, write_revision
from octaplan.store.safe import Safe
from octaplan.store.saved import Saved
from octaplan.store.snapshot import Held, Sites

#: Told of a revision: what was saved, the plan, and the sites whose findings it may have changed.
Watcher = Callable[[Saved, SitePlan, set[str]], None]


class Plans:
    """All site plans of a database, or all patterns. Every method may be called from any thread.

    What reads, reads `now`; what writes takes the turn.
    """

    def __init__(self, database: Database, safe: Safe | None = None, *, patterns: bool = False) -> None:
        self._database = database
        self._patterns = patterns
        self._safe = safe
        #: Told of every revision after it has been saved.
        self.watchers: list[Watcher] = []

    @property
    def now(self) -> Sites:
        """What is saved, as readers may take it."""
        return self._of(self._database.now)

    def _of(self, snapshot: Any) -> Sites:
        sites: Sites = snapshot.patterns if self._patterns else snapshot.sites
        return sites

    def _publish(self, turn: Turn, sites: Sites) -> None:
        turn.now = turn.now.with_(**{"patterns" if self._patterns else "sites": sites})

    # --- What is only in the database

    def history(self, key: str, limit: int = 200) -> list[Saved]:
        """The revisions of a site, newest first."""
        site_id = self.now.site_id(key)
        with self._database.reading() as session:
            columns = (
                Revision.number, Revision.at, Revision.by, Revision.sentence, Revision.name, Revision.account
            )  # fmt: skip
            query = select(*columns).where(Revision.site_id == site_id)
            return [Saved(*row) for row in session.execute(query.order_by(Revision.number.desc()).limit(limit))]

    def course(self, held: Held) -> Course:
        """What an undo and a redo of a site would bring back."""
        known = held.known_course
        if known is None:
            with self._database.reading() as session:
                known = held.worked_out["course"] = course_of(session, held)
        return known

    def revision(self, key: str, number: int) -> tuple[Saved, SitePlan]:
        """One revision of a site with its plan. Raises `NoSuchSite` when there is none such."""
        held = self.now.of(key)
        with self._database.reading() as session:
            return revision_of(session, held, number)

    # --- Writing

    def revise(self, key: str, operations: Sequence[Operation], base: int, by: str) -> SitePlan:
        """Apply a JSON Patch (RFC 6902) that was made on revision `base`, and save a new revision.

        A patch on an older revision is merged when it touches nothing that has changed since. Raises
        `NoSuchSite`, `BadChange`, `Conflict`.
        """
        permitted(operations)
        with self._database.turn() as turn:
            return self._revised(turn, self._of(turn.now).of(key), operations, base, by)

    def _revised(self, turn: Turn, held: Held, operations: Sequence[Operation], base: int, by: str) -> SitePlan:
        if base > held.saved.number:
            raise BadChange(f"There is no revision {base} yet: the newest is {held.saved.number}")
        if base < held.saved.number:
            refuse_clashes(turn.session, held, operations, base)
        return self._save(turn, held, patched(held.document(), operations), by)

    def answer(
        self,
        key: str,
        given: Sequence[GivenAnswer],
        base: int,
        by: str,
        *,
        source: str = "",
        confirmed: bool = False,
        overwrite: bool = False,
    ) -> SitePlan:
        """Take answers of the intake into a plan, all as one revision.

        Raises `AnswerError`; `Contradicted` when one says something else than what was confirmed, unless `overwrite`.
        """
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            held = sites.of(key)
            at = datetime.now(UTC)
            taken = take(held.plan, given, by, at, source=source, confirmed=confirmed, portfolio=sites.portfolio)
            if taken.contradictions and not overwrite:
                raise Contradicted(taken.contradictions)
            return self._revised(turn, held, taken.operations, base, by)

    def take_letter(
        self,
        key: str,
        circuit: str,
        lines: Sequence[tuple[str, Sequence[LetterValue]]],
        base: int,
        by: str,
        *,
        source: str = "",
        confirmed: bool = False,
        replaces: bool = False,
    ) -> list[NotTaken]:
        """Take what was read of a letter into a circuit, and of its other line into a new one with that label.

        With `replaces` it is of a new line in the place of the old one: nothing is left of that but what names the
        circuit. All as one revision; what is not taken is returned with its reason, and keeps nothing else out.
        """
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            held = sites.of(key)
            if circuit not in held.plan.circuits:
                raise NoSuchSite("That circuit has been removed by somebody else: look at the page again")
            at = datetime.now(UTC)
            draft, operations, left = held.plan, list[Operation](), list[NotTaken]()
            for label, values in lines:
                target, fresh = (circuit, emptied(draft, circuit) if replaces else [])
                if label:
                    target, fresh = second_circuit(draft, label)
                draft = applied(draft, fresh)
                taken = taken_letter(
                    draft, target, values, by, at, source=source, confirmed=confirmed, portfolio=sites.portfolio
                )
                draft = applied(draft, taken.operations)
                operations += [*fresh, *taken.operations]
                left += taken.left
            operations += following_gateway(held.plan, draft, circuit)
            if operations:
                self._revised(turn, held, operations, base, by)
            return left

    def undo(self, key: str, base: int, by: str) -> SitePlan:
        """Take the newest change back, as a new revision. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, StepKind.UNDO)

    def redo(self, key: str, base: int, by: str) -> SitePlan:
        """Make the change again that was undone last. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, StepKind.REDO)

    def _step(self, key: str, base: int, by: str, kind: StepKind) -> SitePlan:
        with self._database.turn() as turn:
            held = unmoved(self._of(turn.now), key, base)
            stands = held.known_course or course_of(turn.session, held)
            wanted = stands.undo if kind is StepKind.UNDO else stands.redo
            if wanted is None:
                raise BadChange(f"There is nothing to {kind}")
            subject, _ = revision_of(turn.session, held, stands.now if kind is StepKind.UNDO else wanted)
            told = f"{'Undone' if kind is StepKind.UNDO else 'Done again'}: {subject.sentence}"
            return self._save(turn, held, revision_of(turn.session, held, wanted)[1], by, kind=kind, told=told)

    def back_to(self, key: str, number: int, base: int, by: str) -> SitePlan:
        """Take an earlier revision again, as a new one. Raises `Moved`, `NoSuchSite`."""
        with self._database.turn() as turn:
            held = unmoved(self._of(turn.now), key, base)
            saved, plan = revision_of(turn.session, held, number)
            named = f" ({saved.name})" if saved.name else ""
            return self._save(turn, held, plan, by, kind=StepKind.BACK, told=f"Back to revision {number}{named}")

    def name_revision(self, key: str, number: int, name: str | None) -> None:
        """Give a revision a name by which it is found again, or take it away."""
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            held = sites.of(key)
            revision_of(turn.session, held, number)
            which = (Revision.site_id == held.id, Revision.number == number)
            turn.session.execute(update(Revision).where(*which).values(name=name or None))
            if held.saved.number == number:
                saved = held.saved._replace(name=name or None)
                self._publish(turn, sites.with_held(held.plan.key, saved=saved))

    def accept(self, key: str, rule: str, path: str, addresses: str, reason: str, by: str) -> SitePlan:
        """Accept a `warn` that stands now, with the reason. Raises `BadChange` when it does not stand."""
        with self._database.turn() as turn:
            held = self._of(turn.now).of(key)
            accepting = acceptance_of(held, rule, path, addresses, reason, by)
            return self._save(turn, held, patched(held.document(), [accepting]), by)

    def withdraw(self, key: str, acceptance: str, by: str) -> SitePlan:
        """Take an acceptance back."""
        with self._database.turn() as turn:
            held = self._of(turn.now).of(key)
            if acceptance not in held.plan.accepted:
                raise BadChange("This acceptance has been taken back already")
            gone = [{"op": "remove", "path": f"/accepted/{acceptance}"}]
            return self._save(turn, held, patched(held.document(), gone), by)

    def sign(self, key: str, revision: int, by: str) -> None:
        """Clear a revision to ship. Raises `NotClear`, or `BadChange` when it is not the newest."""
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            held = sites.of(key)
            signed = clearance_of(held, revision, by)
            if sites.portfolio.organisation.rehearsed:
                must_be_rehearsed(turn, held)
            turn.session.add(Clearance(site_id=held.id, **signed._asdict()))
            enter(turn.session, Act.CLEARED, by, f"revision {revision}", site=held.plan.key)
            self._publish(turn, sites.with_held(held.plan.key, signed=signed))

    def begin(self, plan: SitePlan, by: str, customer_name: str = "") -> SitePlan:
        """A new site, which nobody has planned before. Raises `BadChange` when its codes are taken."""
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            taken, away = sites.get(plan.key), sites.unheld.away.get(plan.key)
            if taken is not None:
                raise BadChange(f"{plan.customer} has a site {taken.plan.site} already: {taken.plan.name}", "/site")
            if away is not None:
                raise BadChange(
                    f"{away.customer}/{away.site} is put away, and its code with it: bring it back on Customers, or "
                    "choose another code",
                    "/site",
                )
            if customer_name:
                code = plan.customer
                turn.session.merge(Customer(key=code.casefold(), code=code, name=customer_name))
                self._publish(turn, sites.with_customers({code.casefold(): customer_name}))
            written = self._write(turn, self._of(turn.now), None, plan, by, datetime.now(UTC), "Made by hand")
            self._forget_former(turn, plan.key)
            self._know(turn, [(plan, *written)])
            return plan

    def save_all(
        self,
        plans: Iterable[SitePlan],
        by: str,
        reason: str,
        customers: Mapping[str, str] | None = None,
        secrets: Mapping[tuple[str, str], str] | None = None,
        batch: Batch | None = None,
        progress: Callable[[int], None] | None = None,
    ) -> int:
        """Add or replace many plans in one transaction; plans that say nothing new are left alone.

        Returns how many were saved. `customers` gives names to customer codes; `secrets` are what came with the
        plans for slots, by site key and path of the slot. With a `batch` one undo takes all of it back. `progress` is
        told how many plans are written; what it raises leaves everything as it was.
        """
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            given_plans = list(plans)
            fresh = [(sites.get(plan.key), plan) for plan in given_plans]
            fresh = [(held, plan) for held, plan in fresh if held is None or held.plan != plan]
            at = datetime.now(UTC)
            if customers:
                for code, name in customers.items():
                    turn.session.merge(Customer(key=code.casefold(), code=code, name=name))
                sites = sites.with_customers({code.casefold(): name for code, name in customers.items()})
                self._publish(turn, sites)
            if batch is not None and turn.session.get(Batch, batch.id) is None:
                turn.session.add(batch)
                turn.session.flush()
            batch_id = batch.id if batch is not None else None
            written = []
            for held, plan in fresh:
                site_id, saved = self._write(turn, sites, held, plan, by, at, reason, batch=batch_id)
                written.append((plan, site_id, saved))
                if progress is not None:
                    progress(len(written))
            if written:
                self._know(turn, written)
            kept: set[str] = set()
            if secrets and self._safe is not None:
                given = self._given(self._of(turn.now), {plan.key: plan for plan in given_plans}, secrets)
                kept = self._safe.put_given(given, by, batch_id)
            return len({plan.key for plan, _, _ in written} | kept)

    def save_batch(self, plans: Sequence[SitePlan], revisions: Mapping[str, int], batch: Batch) -> None:
        """Save plans of many sites in one transaction, made on the revisions that are named. Raises `Moved`."""
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            before = [unmoved(sites, plan.key, revisions[plan.key]) for plan in plans]
            name, by, at = batch.id, batch.by, batch.at
            turn.session.add(batch)
            turn.session.flush()
            written = []
            for held, plan in zip(before, plans, strict=True):
                written.append((plan, *self._write(turn, sites, held, plan, by, at, batch=name)))
            self._know(turn, written)

    def remove(self, keys: Collection[str], by: str, batch: str | None = None) -> list[str]:
        """Take sites away with all their revisions; returns the keys of those that have to stay.

        A site stays that has been cleared, staged, shipped, or shown on site; with a `batch` also one that has another
        revision than that one made, or another secret than those that came with it.
        """
        with self._database.turn() as turn:
            session, sites = turn.session, self._of(turn.now)
            asked = {sites.held[key].id: key for key in (k.casefold() for k in keys) if key in sites.held}
            stay = touched_sites(session, list(asked), batch)
            going = [number for number in asked if number not in stay]
            gone = {asked[number] for number in going}
            for key in sorted(gone):
                if not self._patterns and turn.now.secrets.kept(key):
                    enter(session, Act.TAKEN_BACK, by, "its secrets went with it", site=key)
            for part in range(0, len(going), 500):
                some = going[part : part + 500]
                for table in (Claim, Name, Secret, FormerCode, Revision):
                    session.execute(delete(table).where(table.site_id.in_(some)))
                session.execute(delete(Site).where(Site.id.in_(some)))
            if gone:
                former = {old: None for old, now in sites.unheld.former.items() if now in gone}
                self._publish(turn, sites.without(gone).with_unheld({}, former))
                if not self._patterns:
                    secrets, touched = turn.now.secrets.without(gone)
                    turn.now = turn.now.with_secrets(secrets, touched - gone)
            return [asked[number] for number in stay]

    def _forget_former(self, turn: Turn, key: str) -> None:
        """A code that a site had before is another's now."""
        sites = self._of(turn.now)
        if key in sites.unheld.former:
            turn.session.execute(delete(FormerCode).where(FormerCode.key == key))
            self._publish(turn, sites.with_unheld({}, {key: None}))

    @staticmethod
    def _given(
        sites: Sites, plans: Mapping[str, SitePlan], secrets: Mapping[tuple[str, str], str]
    ) -> Iterator[tuple[Any, str]]:
        for key, plan in plans.items():
            by_path = {need.slot.path: need for need in sites.needs(plan)}
            for (site, path), secret in secrets.items():
                if site == key and path in by_path:
                    yield by_path[path], secret

    def _save(
        self, turn: Turn, held: Held, after: SitePlan, by: str, *, kind: StepKind = StepKind.CHANGE, told: str = ""
    ) -> SitePlan:
        if after == held.plan and kind is StepKind.CHANGE:
            return held.plan
        at = datetime.now(UTC)
        written = self._write(turn, self._of(turn.now), held, after, by, at, kind=kind, told=told)
        self._know(turn, [(after, *written)])
        return after

    def _write(
        self,
        turn: Turn,
        sites: Sites,
        held: Held | None,
        plan: SitePlan,
        by: str,
        at: datetime,
        reason: str = "",
        **how: Any,
    ) -> tuple[int, Saved]:
        if held is None and plan.key in sites.unheld.away:
            raise BadChange(sites.closed[plan.key])
        return write_revision(turn.session, sites, held, plan, by, at, reason, derived=not self._patterns, **how)

    def _know(self, turn: Turn, written: Sequence[tuple[SitePlan, int, Saved]]) -> None:
        """Make revisions that have been written part of what readers will see, and tell of them then."""
        sites, affected = self._of(turn.now).with_plans(written)
        self._publish(turn, sites)
        if len(written) == 1:
            turn.tell(lambda: self._tell(written[0][2], written[0][0], affected))
        else:
            for plan, _, saved in written:
                turn.tell(lambda saved=saved, plan=plan: self._tell(saved, plan, {plan.key}))  # type: ignore[misc]

    def tell(self, turn: Turn, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        """Tell of a site, once the turn is through, that something else than its plan has changed."""
        turn.tell(lambda: self._tell(saved, plan, affected))

    def _tell(self, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        for watch in self.watchers:
            watch(saved, plan, affected)


def unmoved(sites: Sites, key: str, base: int) -> Held:
    """A site whose newest revision is the one that somebody saw. Raises `Moved`."""
    held = sites.of(key)
    newest = held.saved
    if newest.number != base:
        raise Moved(
            f"{newest.by} made revision {newest.number} in the meantime: {newest.sentence}. Look at it first, "
            "then do this again"
        )
    return held
