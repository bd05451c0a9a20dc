"""Changes of site plans: each is a new revision, written with all that is derived from it in one turn."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.changes import changes_between, sentence
from octaplan.core.plan.history import Course, CourseStep, StepKind, course
from octaplan.core.plan.patch import Operation, difference, set_to, stem, touches, value_at
from octaplan.core.plan.site import PATTERNS, SitePlan, new_id
from octaplan.core.propose.answering import GivenAnswer, take
from octaplan.store.author import account_of
from octaplan.store.database import Database, Turn
from octaplan.store.derived import Row, claims_of, names_of
from octaplan.store.journal import Act, enter
from octaplan.store.models import Batch, Claim, Clearance, Customer, Name, Revision, Run, Secret, Shipment, Site
from octaplan.store.patches import patched, permitted
from octaplan.store.refusals import BadChange, Clash, Conflict, Contradicted, Moved, NoSuchSite, NotClear
from octaplan.store.safe import Safe
from octaplan.store.saved import Saved
from octaplan.store.snapshot import Held, Signed, Sites

#: So many rows of a derived table are taken out one by one; more of them with all that the site has there.
FEW = 12

#: Told of a revision: what was saved, the plan, and the sites whose findings it may have changed.
Watcher = Callable[[Saved, SitePlan, set[str]], None]


def load_sites(session: Session, *, patterns: bool, **context: Any) -> Sites:
    """All sites or patterns of a database, checked; `context` is what the portfolio is to know besides."""
    rows = session.execute(
        select(Site, Revision)
        .join(Revision, (Revision.site_id == Site.id) & (Revision.number == Site.revision))
        .where((Site.customer_key == PATTERNS) == patterns)
    ).all()
    newest = select(func.max(Clearance.id)).group_by(Clearance.site_id)
    signed = {
        c.site_id: Signed(c.revision, c.digest, c.by, c.at)
        for c in session.scalars(select(Clearance).where(Clearance.id.in_(newest)))
    }
    customers = {c.key: c.name for c in session.scalars(select(Customer))}
    held = {
        site.key: Held(site.id, SitePlan.model_validate_json(revision.document), _saved(revision), signed.get(site.id))
        for site, revision in rows
    }
    portfolio = Portfolio([one.plan for one in held.values()], **context)
    return Sites(held, portfolio, customers, patterns=patterns).within(None)


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
                known = held.worked_out["course"] = _course(session, held)
        return known

    def revision(self, key: str, number: int) -> tuple[Saved, SitePlan]:
        """One revision of a site with its plan. Raises `NoSuchSite` when there is none such."""
        held = self.now.of(key)
        with self._database.reading() as session:
            return _revision(session, held, number)

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
            _refuse_clashes(turn.session, held, operations, base)
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

    def undo(self, key: str, base: int, by: str) -> SitePlan:
        """Take the newest change back, as a new revision. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, StepKind.UNDO)

    def redo(self, key: str, base: int, by: str) -> SitePlan:
        """Make the change again that was undone last. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, StepKind.REDO)

    def _step(self, key: str, base: int, by: str, kind: StepKind) -> SitePlan:
        with self._database.turn() as turn:
            held = unmoved(self._of(turn.now), key, base)
            stands = held.known_course or _course(turn.session, held)
            wanted = stands.undo if kind is StepKind.UNDO else stands.redo
            if wanted is None:
                raise BadChange(f"There is nothing to {kind}")
            subject, _ = _revision(turn.session, held, stands.now if kind is StepKind.UNDO else wanted)
            told = f"{'Undone' if kind is StepKind.UNDO else 'Done again'}: {subject.sentence}"
            return self._save(turn, held, _revision(turn.session, held, wanted)[1], by, kind=kind, told=told)

    def back_to(self, key: str, number: int, base: int, by: str) -> SitePlan:
        """Take an earlier revision again, as a new one. Raises `Moved`, `NoSuchSite`."""
        with self._database.turn() as turn:
            held = unmoved(self._of(turn.now), key, base)
            saved, plan = _revision(turn.session, held, number)
            named = f" ({saved.name})" if saved.name else ""
            return self._save(turn, held, plan, by, kind=StepKind.BACK, told=f"Back to revision {number}{named}")

    def name_revision(self, key: str, number: int, name: str | None) -> None:
        """Give a revision a name by which it is found again, or take it away."""
        with self._database.turn() as turn:
            sites = self._of(turn.now)
            held = sites.of(key)
            _revision(turn.session, held, number)
            which = (Revision.site_id == held.id, Revision.number == number)
            turn.session.execute(update(Revision).where(*which).values(name=name or None))
            if held.saved.number == number:
                saved = held.saved._replace(name=name or None)
                self._publish(turn, sites.with_held(held.plan.key, saved=saved))

    def accept(self, key: str, rule: str, path: str, addresses: str, reason: str, by: str) -> SitePlan:
        """Accept a `warn` that stands now, with the reason. Raises `BadChange` when it does not stand."""
        with self._database.turn() as turn:
            held = self._of(turn.now).of(key)
            for judged in held.judged:
                finding = judged.finding
                if (finding.rule, finding.path, finding.addresses) == (rule, path, addresses):
                    break
            else:
                raise BadChange("This finding does not stand any more: nothing had to be accepted")
            if finding.severity is not Severity.WARN:
                raise BadChange(f"Only a warn can be accepted; {rule} is a {finding.severity}")
            if judged.accepted:
                raise BadChange("This finding has been accepted already")
            acceptance = {
                "rule": rule,
                "subject": path,
                "addresses": addresses,
                "reason": reason,
                "by": str(by),
                "at": datetime.now(UTC).isoformat(),
            }
            place = f"/accepted/{new_id(f'{rule}{path}', held.plan.accepted)}"
            return self._save(turn, held, patched(held.document(), [set_to(place, acceptance)]), by)

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
            plan = held.plan
            if held.saved.number != revision:
                raise BadChange(f"The plan has changed since: look at revision {held.saved.number}, then sign that")
            blocking = [judged.finding for judged in held.judged if judged.blocks]
            if blocking:
                raise NotClear(f"{len(blocking)} findings stand in the way, the first: {blocking[0].message}")
            if not plan.circuits or not plan.segments:
                raise NotClear("A site is cleared with at least one circuit and one segment: this plan lacks them")
            if not any(device.routes_packets for device in plan.devices.values()):
                raise NotClear("A site is cleared with a box at its edge: add one on Devices")
            signed = Signed(revision, held.digest, by, datetime.now(UTC))
            turn.session.add(Clearance(site_id=held.id, **signed._asdict()))
            enter(turn.session, Act.CLEARED, by, f"revision {revision}", site=plan.key)
            self._publish(turn, sites.with_held(plan.key, signed=signed))

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
                site_id, saved = self._write(turn.session, sites, held, plan, by, at, reason, batch=batch_id)
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
                written.append((plan, *self._write(turn.session, sites, held, plan, by, at, batch=name)))
            self._know(turn, written)

    def remove(self, keys: Collection[str], by: str, batch: str | None = None) -> list[str]:
        """Take sites away with all their revisions; returns the keys of those that have to stay.

        A site stays that has been cleared, staged or shipped; with a `batch` also one that has another revision than
        that one made, or another secret than those that came with it.
        """
        with self._database.turn() as turn:
            session, sites = turn.session, self._of(turn.now)
            asked = {sites.held[key].id: key for key in (k.casefold() for k in keys) if key in sites.held}
            stay = _touched(session, list(asked), batch)
            going = [number for number in asked if number not in stay]
            gone = {asked[number] for number in going}
            for key in sorted(gone):
                if not self._patterns and turn.now.secrets.kept(key):
                    enter(session, Act.TAKEN_BACK, by, "its secrets went with it", site=key)
            for part in range(0, len(going), 500):
                some = going[part : part + 500]
                for table in (Claim, Name, Secret, Revision):
                    session.execute(delete(table).where(table.site_id.in_(some)))
                session.execute(delete(Site).where(Site.id.in_(some)))
            if gone:
                self._publish(turn, sites.without(gone))
                if not self._patterns:
                    secrets, touched = turn.now.secrets.without(gone)
                    turn.now = turn.now.with_secrets(secrets, touched - gone)
            return [asked[number] for number in stay]

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
        written = self._write(turn.session, self._of(turn.now), held, after, by, at, kind=kind, told=told)
        self._know(turn, [(after, *written)])
        return after

    def _know(self, turn: Turn, written: Sequence[tuple[SitePlan, int, Saved]]) -> None:
        """Make revisions that have been written part of what readers will see, and tell of them then."""
        sites, affected = self._of(turn.now).with_plans(written)
        self._publish(turn, sites)
        if len(written) == 1:
            turn.tell(lambda: self._tell(written[0][2], written[0][0], affected))
        else:
            for plan, _, saved in written:
                turn.tell(lambda saved=saved, plan=plan: self._tell(saved, plan, {plan.key}))  # type: ignore[misc]

    def _tell(self, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        for watch in self.watchers:
            watch(saved, plan, affected)

    def _write(
        self,
        session: Session,
        sites: Sites,
        held: Held | None,
        after: SitePlan,
        by: str,
        at: datetime,
        reason: str = "",
        *,
        kind: StepKind = StepKind.CHANGE,
        told: str = "",
        batch: str | None = None,
    ) -> tuple[int, Saved]:
        """One revision and everything derived from it."""
        before = held.plan if held is not None else None
        customer_key = after.customer.casefold()
        if not sites.knows_customer(customer_key) and session.get(Customer, customer_key) is None:
            session.add(Customer(key=customer_key, code=after.customer, name=after.customer))
            session.flush()
        number = held.saved.number + 1 if held is not None else 1
        values: dict[str, Any] = {
            "name": after.name,
            "ship_date": after.ship_date,
            "technician": after.technician,
            "revision": number,
        }
        if held is not None:
            site_id = held.id
            session.execute(update(Site).where(Site.id == site_id).values(values))
        else:
            values |= {"key": after.key, "customer_key": customer_key, "code": after.site}
            site_id = session.execute(insert(Site).values(values).returning(Site.id)).scalar_one()
        old, document = held.document() if held is not None else {}, after.document()
        differences = changes_between(old, document)
        said = f"{reason}: {sentence(differences)}" if reason and before else reason or sentence(differences)
        said = told or said
        patch = difference(old, document) if held is not None else []
        account = account_of(by)
        revision = {
            "site_id": site_id,
            "number": number,
            "at": at,
            "by": by,
            "account": account,
            "sentence": said,
            "patch": json.dumps(patch),
            "document": json.dumps(document, ensure_ascii=False),
            "kind": kind,
            "batch": batch,
        }
        session.connection().execute(insert(Revision), [revision])
        if not self._patterns:
            name = sites.customer_name(after)
            old_claims, old_names = (
                ([*claims_of(before, site_id)], [*names_of(before, site_id, name)]) if before else (None, None)
            )
            _exchange(session, Claim, site_id, old_claims, [*claims_of(after, site_id)])
            _exchange(session, Name, site_id, old_names, [*names_of(after, site_id, name)])
        return site_id, Saved(number, at, str(by), said, account=account, kind=kind)


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


def _touched(session: Session, sites: Sequence[int], batch: str | None) -> set[int]:
    """The sites that somebody has done something with, but for what a change of many sites made of them."""
    touched: set[int] = set()
    own = (Revision.batch == batch) & (Revision.number == 1)
    came = (Secret.batch == batch) & (Secret.number == 1)
    for part in range(0, len(sites), 500):
        some = sites[part : part + 500]
        for table in (Clearance, Run, Shipment):
            touched.update(session.scalars(select(table.site_id).where(table.site_id.in_(some))))
        if batch is not None:
            for other, but in ((Revision.site_id, own), (Secret.site_id, came)):
                query = select(other).where(other.in_(some), ~func.coalesce(but, False))
                touched.update(session.scalars(query))
    return touched


def _revision(session: Session, held: Held, number: int) -> tuple[Saved, SitePlan]:
    plan = held.plan
    if number == held.saved.number:
        return held.saved, plan
    found = session.get(Revision, (held.id, number)) if number < 1 << 62 else None
    if found is None:
        raise NoSuchSite(f"{plan.customer}/{plan.site} has no revision {number}: look at its history")
    return _saved(found), SitePlan.model_validate_json(found.document)


def _course(session: Session, held: Held) -> Course:
    query = select(Revision.number, Revision.kind)
    query = query.where(Revision.site_id == held.id, Revision.number <= held.saved.number)
    rows = session.execute(query.order_by(Revision.number)).all()
    return course(CourseStep(number, StepKind(kind)) for number, kind in rows)


def _refuse_clashes(session: Session, held: Held, operations: Sequence[Operation], base: int) -> None:
    site = Revision.site_id == held.id
    since = session.scalars(select(Revision).where(site, Revision.number > base).order_by(Revision.number)).all()
    old = session.scalars(select(Revision.document).where(site, Revision.number == base)).one_or_none()
    if old is None:
        raise BadChange(f"There is no revision {base} of this site")
    before, now = json.loads(old), held.document()
    clashes: dict[str, Clash] = {}
    blame = since[-1]
    for operation in operations:
        path = stem(operation["path"])
        yours = operation.get("value")
        for revision in since:
            touched = (stem(change["path"]) for change in json.loads(revision.patch))
            if any(touches(path, other) or touches(other, path) for other in touched):
                theirs = value_at(now, path)
                if theirs != yours:
                    clashes[path] = Clash(path, value_at(before, path), yours, theirs)
                    blame = revision
    if clashes:
        raise Conflict(list(clashes.values()), blame.by, blame.number, since[-1].number)


def _exchange(
    session: Session, table: type[Claim] | type[Name], site: int, before: list[Row] | None, rows: list[Row]
) -> None:
    """Put the rows of a derived table that follow from a plan in the place of those that followed from the one before;
    only what differs is written."""
    if before is not None:
        old, new = ({tuple(row.items()): row for row in some} for some in (before, rows))
        gone = [row for key, row in old.items() if key not in new]
        if len(gone) > FEW or len(old) < len(before):
            session.execute(delete(table).where(table.site_id == site))
        else:
            rows = [row for key, row in new.items() if key not in old]
            for row in gone:
                session.execute(delete(table).filter_by(**row))
    if rows:
        session.connection().execute(insert(table), rows)


def _saved(revision: Revision) -> Saved:
    kind = StepKind(revision.kind)
    return Saved(revision.number, revision.at, revision.by, revision.sentence, revision.name, revision.account, kind)
