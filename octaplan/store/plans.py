"""Site plans and their revisions, with the portfolio and every site's findings kept in step in memory."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import jsonpatch
from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from octaplan.core.answering import Given, take
from octaplan.core.changes import changes, sentence
from octaplan.core.credentials import slots_of
from octaplan.core.device import RECORDED
from octaplan.core.findings import Finding, Severity
from octaplan.core.history import Kind, Standing, Step, standing
from octaplan.core.plan import PATTERNS, Acceptance, SitePlan, new_id
from octaplan.core.portfolio import Portfolio
from octaplan.core.questions import Standing as QuestionStanding
from octaplan.core.questions import Whom, left_open
from octaplan.core.questions import standing as standing_questions
from octaplan.core.remedies import Remedy, remedies
from octaplan.core.typed import Understood, understand
from octaplan.store.database import Database
from octaplan.store.derived import claims_of, names_of
from octaplan.store.hardware import Hardware
from octaplan.store.journal import Act, enter
from octaplan.store.models import (
    Base,
    Batch,
    Claim,
    Clearance,
    Customer,
    Name,
    Revision,
    Run,
    Secret,
    Shipment,
    Site,
)
from octaplan.store.organisation import Settings
from octaplan.store.patches import Operation, patched, permitted, readable, stem, touches, value_at
from octaplan.store.refusals import BadChange, Clash, Conflict, Contradicted, Moved, NoSuchSite, NoSuchSlot, NotClear
from octaplan.store.safe import Kept, Need, Safe
from octaplan.store.saved import Saved

#: Rules that a pattern cannot break, since its addresses are only drawn.
_OF_REAL_ADDRESSES = frozenset({"common-default", "overlap-ours", "domain-public"})


@dataclass(frozen=True, slots=True)
class Signature:
    """The newest clearance of a site, and whether it still holds; if not, why."""

    revision: int
    by: str
    at: datetime
    void: str | None


@dataclass(frozen=True, slots=True)
class Judged:
    """A finding and, if it is a `warn` that somebody accepted, the acceptance."""

    finding: Finding
    accepted: str | None
    acceptance: Acceptance | None

    @property
    def blocks(self) -> bool:
        severity = self.finding.severity
        return severity is Severity.STOP or (severity is Severity.WARN and self.accepted is None)


class Plans:
    """All site plans of a database. Every method may be called from any thread."""

    def __init__(
        self,
        database: Database,
        hardware: Hardware | None = None,
        safe: Safe | None = None,
        settings: Settings | None = None,
        *,
        patterns: bool = False,
    ) -> None:
        self._database = database
        self._patterns = patterns
        self._settings = settings
        self._hardware = hardware
        self._safe = safe
        self._lock = threading.RLock()
        self._sites: dict[str, int] = {}
        self._saved: dict[str, Saved] = {}
        self._signed: dict[str, Clearance] = {}
        self._findings: dict[str, list[Finding]] = {}
        self._remedies: dict[str, tuple[tuple[list[Finding], int], list[list[Remedy]]]] = {}
        self._customers: dict[str, str] = {}
        with database.session() as session:
            rows = session.execute(
                select(Site, Revision)
                .join(Revision, (Revision.site_id == Site.id) & (Revision.number == Site.revision))
                .where((Site.customer_key == PATTERNS) == patterns)
            ).all()
            newest = select(func.max(Clearance.id)).group_by(Clearance.site_id)
            signed = {c.site_id: c for c in session.scalars(select(Clearance).where(Clearance.id.in_(newest)))}
            self._customers = {c.key: c.name for c in session.scalars(select(Customer))}
            self._shipped = set(session.scalars(select(Site.key).join(Shipment, Shipment.site_id == Site.id)))
        plans = []
        for site, revision in rows:
            plans.append(SitePlan.model_validate_json(revision.document))
            self._sites[site.key] = site.id
            self._saved[site.key] = _saved(revision)
            if site.id in signed:
                self._signed[site.key] = signed[site.id]
        types = hardware.types if hardware is not None else None
        self._portfolio = Portfolio(
            plans,
            settings.current if settings is not None else None,
            hardware=types,
            facts=safe.facts if safe is not None else None,
            shipped=self._shipped.__contains__,
        )
        self._digests: dict[str, tuple[int, str]] = {}
        self._open: dict[str, tuple[SitePlan, int, Mapping[Whom, int]]] = {}
        #: Told of every revision, with the sites whose findings it may have changed; called while the plans are held.
        self.watchers: list[Callable[[Saved, SitePlan, set[str]], None]] = []
        self._checked_on = self._portfolio.today()
        self._check_everything()

    # --- Reading

    def __len__(self) -> int:
        return len(self._sites)

    def plan(self, key: str) -> SitePlan:
        """The newest plan of a site."""
        plan = self._portfolio.get(key)
        if plan is None:
            where = "There is no such pattern: look it up on Patterns"
            raise NoSuchSite(where if self._patterns else f"There is no site {key.upper()}: look it up on Outbound")
        return plan

    def all(self) -> dict[str, SitePlan]:
        """The newest plans by key."""
        with self._lock:
            return {plan.key: plan for plan in self._portfolio}

    def customers(self) -> dict[str, str]:
        """The names of all customers by their code."""
        with self._lock:
            codes = {plan.customer.casefold(): plan.customer for plan in self._portfolio}
        return {code: self._customers.get(key, code) for key, code in sorted(codes.items())}

    def counts_by_rule(self) -> dict[str, tuple[int, int]]:
        """For each rule that speaks: how many findings there are, and at how many sites."""
        findings: Counter[str] = Counter()
        sites: Counter[str] = Counter()
        with self._lock:
            self._keep_up()
            for found in self._findings.values():
                rules = [finding.rule for finding in found]
                findings.update(rules)
                sites.update(set(rules))
        return {rule: (number, sites[rule]) for rule, number in findings.items()}

    def customer_name(self, plan: SitePlan) -> str:
        return self._customers.get(plan.customer.casefold(), plan.customer)

    def saved(self, key: str) -> Saved:
        """The newest revision of a site."""
        return self._saved[self.plan(key).key]

    def history(self, key: str, limit: int = 200) -> list[Saved]:
        """The revisions of a site, newest first."""
        self.plan(key)
        with self._database.session() as session:
            columns = (Revision.number, Revision.at, Revision.by, Revision.sentence, Revision.name)
            query = select(*columns).where(Revision.site_id == self._sites[key.casefold()])
            return [Saved(*row) for row in session.execute(query.order_by(Revision.number.desc()).limit(limit))]

    def standing(self, key: str) -> Standing:
        """What an undo and a redo of a site would bring back."""
        self.plan(key)
        with self._database.session() as session:
            query = select(Revision.number, Revision.kind).where(Revision.site_id == self._sites[key.casefold()])
            rows = session.execute(query.order_by(Revision.number)).all()
        return standing(Step(number, Kind(kind)) for number, kind in rows)

    def revision(self, key: str, number: int) -> tuple[Saved, SitePlan]:
        """One revision of a site with its plan. Raises `NoSuchSite` when there is none such."""
        plan = self.plan(key)
        with self._database.session() as session:
            found = session.get(Revision, (self._sites[plan.key], number))
            if found is None:
                raise NoSuchSite(f"{plan.customer}/{plan.site} has no revision {number}: look at its history")
            return _saved(found), SitePlan.model_validate_json(found.document)

    def understand(self, key: str, path: str, text: str) -> Understood:
        """What typed text comes to in the field at a path of the newest plan. Raises `ValueError` with a sentence."""
        with self._lock:
            return understand(self.plan(key), path, text, self._portfolio)

    def remedies(self, key: str, most: int = 40) -> list[list[Remedy]]:
        """What the findings of a site offer, in their order, worked out for the first `most` that are not accepted."""
        with self._lock:
            plan = self.plan(key)
            findings = self._findings[plan.key]
            state = (findings, self._portfolio.changes)
            known = self._remedies.get(plan.key)
            if known is None or known[0][0] is not findings or known[0][1] != state[1]:
                offered: list[list[Remedy]] = []
                for place, judged in enumerate(self.judged(key)):
                    skipped = place >= most or judged.accepted
                    offered.append([] if skipped else remedies(self._portfolio, plan, findings, judged.finding))
                known = self._remedies[plan.key] = (state, offered)
            return known[1]

    def judged(self, key: str) -> list[Judged]:
        """The findings of a site, worst first, each with its acceptance."""
        with self._lock:
            self._keep_up()
            plan = self.plan(key)
            return judge(plan, self._findings[plan.key])

    def draft(self, key: str, operations: Sequence[Operation]) -> list[Judged]:
        """The findings that the newest plan would have with a change made; nothing is saved. Raises `BadChange`."""
        permitted(operations)
        with self._lock:
            draft = patched(self.plan(key), operations)
            return judge(draft, self._check(draft))

    @contextmanager
    def held(self) -> Iterator[Portfolio]:
        """The portfolio, for reading, while nobody changes it."""
        with self._lock:
            self._keep_up()
            yield self._portfolio

    def findings(self) -> dict[str, list[Finding]]:
        """The findings of all sites by key, as they stand."""
        with self._lock:
            self._keep_up()
            return dict(self._findings)

    def signature(self, key: str) -> Signature | None:
        """The newest clearance of a site. A later change voids it, and so does a finding from elsewhere."""
        with self._lock:
            plan = self.plan(key)
            signed = self._signed.get(plan.key)
            if signed is None:
                return None
            saved, void = self._saved[plan.key], None
            if saved.number != signed.revision and self._digest(plan) != signed.digest:
                void = f"{saved.by} changed the plan since, in revision {saved.number}: {saved.sentence}"
            elif any(judged.blocks for judged in self.judged(key)):
                void = (
                    "A finding has come up since, by a change at another site, of the settings, a hardware type or a "
                    "secret, or because the ship date has gone by"
                )
            return Signature(signed.revision, signed.by, signed.at, void)

    def _digest(self, plan: SitePlan) -> str:
        """The digest of what was decided in a plan, without what is only recorded at the bench."""
        number = self._saved[plan.key].number
        known = self._digests.get(plan.key)
        if known is None or known[0] != number:
            document = plan.document()
            document.pop("answers")
            for device in document["devices"].values():
                for name in RECORDED:
                    device.pop(name)
            digest = hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
            known = self._digests[plan.key] = (number, digest)
        return known[1]

    def site_id(self, key: str) -> int:
        """The number of a site in the database."""
        return self._sites[self.plan(key).key]

    def recheck(self, keys: Iterable[str] | None = None) -> None:
        """Check some sites again, or all: their secrets, hardware types or the settings have changed."""
        with self._lock:
            if keys is None:
                if self._settings is not None:
                    self._portfolio.organisation = self._settings.current
                self._check_everything()
                return
            for key in keys:
                plan = self._portfolio.get(key)
                if plan is not None:
                    self._findings[plan.key] = self._check(plan)

    def note_shipped(self, key: str) -> None:
        """Know that a site has been shipped."""
        with self._lock:
            self._shipped.add(key)
            self.recheck([key])

    def _keep_up(self) -> None:
        """Check the sites again whose ship date has gone by since they were checked."""
        today = self._portfolio.today()
        if today != self._checked_on:
            before, self._checked_on = self._checked_on, today
            self.recheck([p.key for p in self._portfolio if p.ship_date and before <= p.ship_date < today])

    # --- Writing

    def revise(self, key: str, operations: Sequence[Operation], base: int, by: str) -> SitePlan:
        """Apply a JSON Patch (RFC 6902) that was made on revision `base`, and save a new revision.

        A patch on an older revision is merged when it touches nothing that has changed since. Raises
        `NoSuchSite`, `BadChange`, `Conflict`.
        """
        permitted(operations)
        with self._lock:
            return self._revised(self.plan(key), operations, base, by)

    def _revised(self, plan: SitePlan, operations: Sequence[Operation], base: int, by: str) -> SitePlan:
        saved = self._saved[plan.key]
        if base > saved.number:
            raise BadChange(f"There is no revision {base} yet: the newest is {saved.number}")
        if base < saved.number:
            self._refuse_clashes(plan, operations, base)
        return self._save(plan, patched(plan, operations), by)

    def answer(
        self,
        key: str,
        given: Sequence[Given],
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
        with self._lock:
            plan = self.plan(key)
            at = datetime.now(UTC)
            taken = take(plan, given, by, at, source=source, confirmed=confirmed, portfolio=self._portfolio)
            if taken.contradictions and not overwrite:
                raise Contradicted(taken.contradictions)
            return self._revised(plan, taken.operations, base, by)

    def open_questions(self, key: str) -> Mapping[Whom, int]:
        """How many questions of the intake are open at a site, by whom to ask; remembered until the site changes."""
        plan = self.plan(key)
        secrets = len(self._safe.facts(plan.key)) if self._safe is not None else 0
        known = self._open.get(plan.key)
        if known is None or known[0] is not plan or known[1] != secrets:
            counts = {whom: len(asked) for whom, asked in left_open(self.standing_questions(key)).items()}
            known = self._open[plan.key] = (plan, secrets, counts)
        return known[2]

    def standing_questions(self, key: str) -> list[QuestionStanding]:
        """The questions of the intake that apply to a site, as they stand."""
        plan = self.plan(key)
        return standing_questions(plan, self._safe.facts(plan.key).__contains__ if self._safe is not None else None)

    def _refuse_clashes(self, plan: SitePlan, operations: Sequence[Operation], base: int) -> None:
        with self._database.session() as session:
            site = Revision.site_id == self._sites[plan.key]
            since = session.scalars(
                select(Revision).where(site, Revision.number > base).order_by(Revision.number)
            ).all()
            old = session.scalars(select(Revision.document).where(site, Revision.number == base)).one_or_none()
        if old is None:
            raise BadChange(f"There is no revision {base} of this site")
        before, now = json.loads(old), plan.document()
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

    def undo(self, key: str, base: int, by: str) -> SitePlan:
        """Take the newest change back, as a new revision. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, Kind.UNDO)

    def redo(self, key: str, base: int, by: str) -> SitePlan:
        """Make the change again that was undone last. Raises `Moved` when `base` is not the newest revision."""
        return self._step(key, base, by, Kind.REDO)

    def _step(self, key: str, base: int, by: str, kind: Kind) -> SitePlan:
        with self._lock:
            before = self._unmoved(key, base)
            stands = self.standing(key)
            wanted = stands.undo if kind is Kind.UNDO else stands.redo
            if wanted is None:
                raise BadChange(f"There is nothing to {kind}")
            subject, _ = self.revision(key, stands.now if kind is Kind.UNDO else wanted)
            told = f"{'Undone' if kind is Kind.UNDO else 'Done again'}: {subject.sentence}"
            return self._save(before, self.revision(key, wanted)[1], by, kind=kind, told=told)

    def back_to(self, key: str, number: int, base: int, by: str) -> SitePlan:
        """Take an earlier revision again, as a new one. Raises `Moved`, `NoSuchSite`."""
        with self._lock:
            before, (saved, plan) = self._unmoved(key, base), self.revision(key, number)
            named = f" ({saved.name})" if saved.name else ""
            return self._save(before, plan, by, kind=Kind.BACK, told=f"Back to revision {number}{named}")

    def _unmoved(self, key: str, base: int) -> SitePlan:
        plan = self.plan(key)
        newest = self._saved[plan.key]
        if newest.number != base:
            raise Moved(
                f"{newest.by} made revision {newest.number} in the meantime: {newest.sentence}. Look at it first, "
                "then do this again"
            )
        return plan

    def name_revision(self, key: str, number: int, name: str | None) -> None:
        """Give a revision a name by which it is found again, or take it away."""
        with self._lock:
            self.revision(key, number)
            with self._database.session() as session:
                which = (Revision.site_id == self._sites[key.casefold()], Revision.number == number)
                session.execute(update(Revision).where(*which).values(name=name or None))
            if self._saved[key.casefold()].number == number:
                self._saved[key.casefold()] = self._saved[key.casefold()]._replace(name=name or None)

    def accept(self, key: str, rule: str, path: str, addresses: str, reason: str, by: str) -> SitePlan:
        """Accept a `warn` that stands now, with the reason. Raises `BadChange` when it does not stand."""
        with self._lock:
            plan = self.plan(key)
            for judged in self.judged(key):
                finding = judged.finding
                if (finding.rule, finding.path, finding.addresses) == (rule, path, addresses):
                    break
            else:
                raise BadChange("This finding does not stand any more: nothing had to be accepted")
            if finding.severity is not Severity.WARN:
                raise BadChange(f"Only a warn can be accepted; {rule} is a {finding.severity}")
            if judged.accepted:
                raise BadChange("This finding has been accepted already")
            document = plan.document()
            document["accepted"][new_id(f"{rule}{path}", plan.accepted)] = {
                "rule": rule,
                "subject": path,
                "addresses": addresses,
                "reason": reason,
                "by": by,
                "at": datetime.now(UTC).isoformat(),
            }
            return self._save(plan, readable(document), by)

    def withdraw(self, key: str, acceptance: str, by: str) -> SitePlan:
        """Take an acceptance back."""
        with self._lock:
            plan = self.plan(key)
            document = plan.document()
            if document["accepted"].pop(acceptance, None) is None:
                raise BadChange("This acceptance has been taken back already")
            return self._save(plan, readable(document), by)

    def sign(self, key: str, revision: int, by: str) -> None:
        """Clear a revision to ship. Raises `NotClear`, or `BadChange` when it is not the newest."""
        with self._lock:
            plan = self.plan(key)
            saved = self._saved[plan.key]
            if saved.number != revision:
                raise BadChange(f"The plan has changed since: look at revision {saved.number}, then sign that")
            blocking = [judged.finding for judged in self.judged(key) if judged.blocks]
            if blocking:
                raise NotClear(f"{len(blocking)} findings stand in the way, the first: {blocking[0].message}")
            if not plan.circuits or not plan.segments:
                raise NotClear("A site is cleared with at least one circuit and one segment: this plan lacks them")
            if not any(device.routes_packets for device in plan.devices.values()):
                raise NotClear("A site is cleared with a box at its edge: add one on Devices")
            clearance = Clearance(
                site_id=self._sites[plan.key],
                revision=revision,
                digest=self._digest(plan),
                by=by,
                at=datetime.now(UTC),
            )
            with self._database.session() as session:
                session.add(clearance)
                enter(session, Act.CLEARED, by, f"revision {revision}", site=plan.key)
            self._signed[plan.key] = clearance

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
        with self._lock:
            given_plans = list(plans)
            fresh = [(self._portfolio.get(plan.key), plan) for plan in given_plans]
            fresh = [(old, plan) for old, plan in fresh if old != plan]
            at = datetime.now(UTC)
            kept: list[tuple[Need, Kept]] = []
            with self._database.session() as session:
                for code, name in (customers or {}).items():
                    session.merge(Customer(key=code.casefold(), code=code, name=name))
                    self._customers[code.casefold()] = name
                if batch is not None:
                    session.add(batch)
                    session.flush()
                batch_id = batch.id if batch is not None else None
                written = []
                for old, plan in fresh:
                    written.append(self._write(session, old, plan, by, at, reason, batch=batch_id))
                    if progress is not None:
                        progress(len(written))
                if secrets and self._safe is not None:
                    kept = self._safe.put_given(session, self._given({p.key: p for p in given_plans}, secrets), by)
                if batch is not None:
                    batch.at = datetime.now(UTC)  # so that everything that came with it is older
            if self._safe is not None:
                self._safe.remember(kept)
            for (_, plan), (site_id, saved) in zip(fresh, written, strict=True):
                self._sites[plan.key] = site_id
                self._saved[plan.key] = saved
                self._portfolio.put(plan)
            if fresh:
                self._check_everything()
                for (_, plan), (_, saved) in zip(fresh, written, strict=True):
                    self._tell(saved, plan, {plan.key})
            else:
                self.recheck({need.site for need, _ in kept})
            return len({plan.key for _, plan in fresh} | {need.site for need, _ in kept})

    def save_batch(self, plans: Sequence[SitePlan], revisions: Mapping[str, int], batch: Batch) -> None:
        """Save plans of many sites in one transaction, made on the revisions that are named. Raises `Moved`."""
        with self._lock:
            befores = [self._unmoved(plan.key, revisions[plan.key]) for plan in plans]
            name, by, at = batch.id, batch.by, batch.at
            with self._database.session() as session:
                session.add(batch)
                session.flush()
                written = [
                    self._write(session, before, plan, by, at, batch=name)
                    for before, plan in zip(befores, plans, strict=True)
                ]
            for before, plan, (_, saved) in zip(befores, plans, written, strict=True):
                self._know(before, plan, saved)

    def remove(self, keys: Collection[str], by: str, untouched_since: datetime | None = None) -> list[str]:
        """Take sites away with all their revisions; returns the keys of those that have to stay.

        A site stays that has been cleared, staged or shipped, or has got another revision or secret since a moment.
        """
        with self._lock:
            asked = {self._sites[key]: key for key in (k.casefold() for k in keys) if key in self._sites}
            with self._database.session() as session:
                kept: set[int] = set()
                for number in asked:
                    kept |= self._touched(session, number, untouched_since)
                going = [number for number in asked if number not in kept]
                for number in going:
                    if self._safe is not None and self._safe.facts(asked[number]):
                        enter(session, Act.TAKEN_BACK, by, "its secrets went with it", site=asked[number])
                for part in range(0, len(going), 500):
                    some = going[part : part + 500]
                    for table in (Claim, Name, Secret, Revision):
                        session.execute(delete(table).where(table.site_id.in_(some)))
                    session.execute(delete(Site).where(Site.id.in_(some)))
            for number in going:
                key = asked[number]
                self._portfolio.remove(key)
                for known in (self._sites, self._saved, self._findings, self._remedies, self._digests, self._open):
                    known.pop(key, None)
                if self._safe is not None:
                    self._safe.forget(key)
            if going:
                self._check_everything()
            return [asked[number] for number in kept]

    def _touched(self, session: Session, number: int, since: datetime | None) -> set[int]:
        for table in (Clearance, Run, Shipment):
            if session.scalars(select(table.id).where(table.site_id == number).limit(1)).first() is not None:
                return {number}
        if since is not None:
            for dated in (Revision, Secret):
                newer = select(dated.at).where(dated.site_id == number, dated.at > since).limit(1)
                if session.scalars(newer).first() is not None:
                    return {number}
        return set()

    def needs(self, plan: SitePlan) -> list[Need]:
        """The slots of a plan, each with the makers' own passwords that will not do in it."""
        types = self._hardware.types if self._hardware is not None else {}
        needs = []
        for slot in slots_of(plan, types):
            device = plan.devices.get(slot.member.removeprefix("/devices/"))
            kind = types.get(device.type) if device else None
            factory = (kind.factory.known_password,) if kind and kind.factory.known_password else ()
            needs.append(Need(plan.key, slot, factory))
        return needs

    def need(self, key: str, path: str) -> Need:
        """One slot of a site. Raises `NoSuchSlot`."""
        plan = self.plan(key)
        for need in self.needs(plan):
            if need.slot.path == path:
                return need
        raise NoSuchSlot(f"{plan.customer}/{plan.site} does not need such a secret any more: look at Credentials again")

    def _given(self, plans: Mapping[str, SitePlan], secrets: Mapping[tuple[str, str], str]) -> list[tuple[Need, str]]:
        given = []
        for key, plan in plans.items():
            by_path = {need.slot.path: need for need in self.needs(plan)}
            given += [
                (by_path[path], secret) for (site, path), secret in secrets.items() if site == key and path in by_path
            ]
        return given

    def _save(
        self, before: SitePlan, after: SitePlan, by: str, *, kind: Kind = Kind.CHANGE, told: str = ""
    ) -> SitePlan:
        if after == before and kind is Kind.CHANGE:
            return before
        with self._database.session() as session:
            _, saved = self._write(session, before, after, by, datetime.now(UTC), kind=kind, told=told)
        self._know(before, after, saved)
        return after

    def _know(self, before: SitePlan, after: SitePlan, saved: Saved) -> None:
        """Keep up with a revision that has been written: what its site and those it meets are found to be."""
        affected = self._portfolio.touched_by(before)
        self._portfolio.put(after)
        affected |= self._portfolio.touched_by(after) | {after.key}
        self._saved[after.key] = saved
        for key in affected:
            self._findings[key] = self._check(self.plan(key))
        self._tell(saved, after, affected)

    def _tell(self, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        for watch in self.watchers:
            watch(saved, plan, affected)

    def _write(
        self,
        session: Session,
        before: SitePlan | None,
        after: SitePlan,
        by: str,
        at: datetime,
        reason: str = "",
        *,
        kind: Kind = Kind.CHANGE,
        told: str = "",
        batch: str | None = None,
    ) -> tuple[int, Saved]:
        """One revision and everything derived from it, inside the caller's transaction."""
        customer_key = after.customer.casefold()
        if customer_key not in self._customers and session.get(Customer, customer_key) is None:
            session.add(Customer(key=customer_key, code=after.customer, name=after.customer))
            session.flush()
        number = self._saved[after.key].number + 1 if before else 1
        values = {
            "name": after.name,
            "ship_date": after.ship_date,
            "technician": after.technician,
            "revision": number,
        }
        if before:
            site_id = self._sites[after.key]
            session.execute(update(Site).where(Site.id == site_id).values(values))
            for table in (Claim, Name):
                session.execute(delete(table).where(table.site_id == site_id))
        else:
            site = Site(key=after.key, customer_key=customer_key, code=after.site, **values)
            session.add(site)
            session.flush()
            site_id = site.id
        differences = changes(before, after)
        said = f"{reason}: {sentence(differences)}" if reason and before else reason or sentence(differences)
        said = told or said
        document = after.document()
        patch = jsonpatch.make_patch(before.document(), document).patch if before else []
        session.add(
            Revision(
                site_id=site_id,
                number=number,
                at=at,
                by=by,
                sentence=said,
                patch=json.dumps(patch),
                document=json.dumps(document, ensure_ascii=False),
                kind=kind,
                batch=batch,
            )
        )
        if not self._patterns:
            _insert(session, Claim, list(claims_of(after, site_id)))
            _insert(session, Name, list(names_of(after, site_id, self.customer_name(after))))
        return site_id, Saved(number, at, by, said)

    def _check_everything(self) -> None:
        self._checked_on = self._portfolio.today()
        self._findings = {plan.key: [] for plan in self._portfolio}
        for finding in self._portfolio.check_all():
            if self._concerns(finding):
                self._findings[f"{finding.customer}/{finding.site}".casefold()].append(finding)

    def _check(self, plan: SitePlan) -> list[Finding]:
        return [finding for finding in self._portfolio.check(plan) if self._concerns(finding)]

    def _concerns(self, finding: Finding) -> bool:
        """Whether a finding is one to tell: of a pattern only what its segments and hosts are like among themselves."""
        if not self._patterns:
            return True
        return finding.path.startswith(("/segments/", "/hosts/")) and finding.rule not in _OF_REAL_ADDRESSES


def _insert(session: Session, table: type[Base], rows: list[dict[str, Any]]) -> None:
    if rows:
        session.connection().execute(insert(table), rows)


def _saved(revision: Revision) -> Saved:
    return Saved(revision.number, revision.at, revision.by, revision.sentence, revision.name)


def judge(plan: SitePlan, findings: Sequence[Finding]) -> list[Judged]:
    """The findings of a plan, each with the acceptance that the plan holds of it."""
    by_finding = {(a.rule, a.subject, a.addresses): (name, a) for name, a in plan.accepted.items()}
    judged = []
    for finding in findings:
        accepted = None
        if finding.severity is Severity.WARN:
            accepted = by_finding.get((finding.rule, finding.path, finding.addresses))
        judged.append(Judged(finding, *(accepted or (None, None))))
    return judged
