"""Runs on the bench: what became of each step of each device, back-ups taken, and sites shipped.

BenchError            something cannot be recorded as asked
  AlreadyTicked       somebody else has recorded this step since
  NotReady            a site cannot be shipped yet
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from typing import NamedTuple

from sqlalchemy import func, select

from octaplan.core.boxes import named
from octaplan.core.measures import Judged, Outcome, judge
from octaplan.core.plan import SitePlan
from octaplan.core.runsheet import RunSheet, Step, run_sheet
from octaplan.errors import OctaplanError
from octaplan.store.database import Database
from octaplan.store.hardware import Hardware
from octaplan.store.journal import Act, enter
from octaplan.store.models import Backup, Run, Shipment, Site, Tick
from octaplan.store.plans import Plans
from octaplan.store.safe import Safe, digest_of

MAX_BACKUP = 16 << 20


class BenchError(OctaplanError):
    """Something cannot be recorded as asked."""


class AlreadyTicked(BenchError):
    """Somebody else has recorded this step since."""


class NotReady(BenchError):
    """A site cannot be shipped yet."""


class Result(StrEnum):
    """What became of a step."""

    DONE = "done"
    SKIPPED = "skipped"
    FAILED = "failed"


class Measured(NamedTuple):
    """One answer as it was recorded."""

    text: str
    outcome: str
    words: str


@dataclass(frozen=True, slots=True)
class Ticked:
    """What became of a step. `touched` says that the plan asks for something else since."""

    result: Result
    at: datetime
    by: str
    note: str
    measured: dict[str, Measured]
    digest: str
    touched: bool = False


class BackupTaken(NamedTuple):
    """A back-up without its contents."""

    id: int
    name: str
    size: int
    sha256: str
    revision: int
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class Staging:
    """The newest run of a device: its sheet, and what became of each step."""

    device: str
    sheet: RunSheet
    begun: datetime | None
    by: str
    ticks: dict[str, Ticked]
    backups: list[BackupTaken]

    def settled(self, step: Step) -> bool:
        """Whether a step needs nothing more."""
        tick = self.ticks.get(step.key)
        return tick is not None and tick.result is not Result.FAILED and not tick.touched

    @property
    def finished(self) -> bool:
        return not self.sheet.problem and bool(self.sheet.steps) and all(map(self.settled, self.sheet.steps))

    @property
    def trouble(self) -> bool:
        return any(tick.result is Result.FAILED or tick.touched for tick in self.ticks.values())

    @property
    def done(self) -> int:
        return sum(map(self.settled, self.sheet.steps))


class Shipped(NamedTuple):
    """A site that has left."""

    at: datetime
    by: str
    revision: int
    carrier: str
    reference: str


class Bench:
    """The runs and shipments of a database. Every method may be called from any thread."""

    def __init__(self, database: Database, plans: Plans, hardware: Hardware, safe: Safe) -> None:
        self._database = database
        self._plans = plans
        self._hardware = hardware
        self._safe = safe
        self._vault = safe.vault
        self._lock = threading.RLock()
        self._runs: dict[tuple[str, str], Run] = {}
        self._ticks: dict[int, dict[str, Ticked]] = defaultdict(dict)
        self._backups: dict[int, list[BackupTaken]] = defaultdict(list)
        self._shipped: dict[str, Shipped] = {}
        self._sheets: dict[tuple[str, str], tuple[tuple[int, int], RunSheet]] = {}
        with database.session() as session:
            newest = select(func.max(Run.id)).group_by(Run.site_id, Run.device)
            for run, key in session.execute(select(Run, Site.key).join(Site).where(Run.id.in_(newest))):
                self._runs[(key, run.device)] = run
            for tick in session.scalars(select(Tick)):
                self._ticks[tick.run_id][tick.step] = _ticked(tick)
            columns = (
                Backup.run_id,
                Backup.id,
                Backup.name,
                Backup.size,
                Backup.sha256,
                Backup.revision,
                Backup.at,
                Backup.by,
            )
            for row in session.execute(select(*columns).order_by(Backup.id)):
                self._backups[row.run_id].append(BackupTaken(*row[1:]))
            for shipment, key in session.execute(select(Shipment, Site.key).join(Site).order_by(Shipment.id)):
                self._shipped[key] = _shipped(shipment)

    # --- Reading

    def sheet(self, plan: SitePlan, device: str) -> RunSheet:
        """The run sheet of a device as plan and type are now."""
        kind = plan.devices[device].type
        version = self._hardware.versions.get(kind)
        state = (self._plans.saved(plan.key).number, version.number if version else 0)
        known = self._sheets.get((plan.key, device))
        if known is None or known[0] != state:
            known = (state, run_sheet(plan, device, self._hardware.types.get(kind)))
            self._sheets[(plan.key, device)] = known
        return known[1]

    def staging(self, key: str, device: str) -> Staging:
        """The newest run of a device, or its sheet before anything has begun. Raises `BenchError`."""
        plan = self._plans.plan(key)
        if device not in plan.devices:
            raise BenchError("This device has been removed from the plan: its runs are kept, but no longer shown")
        sheet = self.sheet(plan, device)
        with self._lock:
            run = self._runs.get((plan.key, device))
            if run is None:
                return Staging(device, sheet, None, "", {}, [])
            digests = {step.key: self._digest(plan.key, step) for step in sheet.steps}
            ticks = {
                step: _touched(tick, digests.get(step)) for step, tick in self._ticks[run.id].items() if step in digests
            }
            return Staging(device, sheet, run.at, run.by, ticks, list(self._backups[run.id]))

    def stagings(self, plan: SitePlan) -> list[Staging]:
        """The newest runs of all devices of a site that come to the bench."""
        return [self.staging(plan.key, key) for key, device in plan.devices.items() if device.staged]

    def begun(self, plan: SitePlan) -> bool:
        """Whether any device of a site is on the bench, or has been."""
        return any((plan.key, key) in self._runs for key in plan.devices)

    def shipped(self, key: str) -> Shipped | None:
        """The newest shipment of a site."""
        return self._shipped.get(key.casefold())

    # --- Recording

    def begin(self, key: str, device: str, by: str) -> None:
        """Begin a run, or a new one when the box has to be staged again."""
        plan = self._plans.plan(key)
        self._of(plan, device)
        run = Run(site_id=self._plans.site_id(key), device=device, at=datetime.now(UTC), by=by)
        with self._lock:
            with self._database.session() as session:
                session.add(run)
            self._runs[(plan.key, device)] = run

    def tick(
        self,
        key: str,
        device: str,
        step_key: str,
        result: Result,
        *,
        seen: datetime | None,
        note: str = "",
        measured: Mapping[str, str] | None = None,
        by: str,
    ) -> None:
        """Record what became of a step. `seen` is when the step was last recorded, as the page knew it.

        Answers that record something of the box (serial, MACs, firmware) go into the plan. Raises
        `AlreadyTicked`, `BenchError`.
        """
        note = " ".join(note.split())
        if result is not Result.DONE and len(note) < 3:
            verb = "skipped" if result is Result.SKIPPED else "failed"
            raise BenchError(f"Say why the step is {verb}: a few words will do")
        with self._lock:
            plan = self._plans.plan(key)
            self._of(plan, device)
            if (plan.key, device) not in self._runs:
                self.begin(key, device, by)
            run = self._runs[(plan.key, device)]
            step = self._step(plan, device, step_key)
            now = self._ticks[run.id].get(step_key)
            if now is not None and now.at != seen:
                when = f"{now.at:%H:%M} UTC"
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result} at {when}: look at that first")
            answers = self._answers(step, measured or {}, result)
            if result is Result.DONE and any(m.kind == "backup" for m in step.measures) and not self._backups[run.id]:
                raise BenchError("No back-up is attached yet: choose its file, or skip the step with a reason")
            self._record(plan, device, step, answers, by)
            digest = self._digest(plan.key, self._step(self._plans.plan(key), device, step_key))
            tick = Tick(
                run_id=run.id,
                step=step_key,
                outcome=result,
                note=note[:400],
                measured=json.dumps(answers),
                digest=digest,
                at=datetime.now(UTC),
                by=by,
            )
            with self._database.session() as session:
                session.merge(tick)
            self._ticks[run.id][step_key] = _ticked(tick)

    def untick(self, key: str, device: str, step_key: str, seen: datetime | None) -> None:
        """Take back what was recorded of a step."""
        with self._lock:
            plan = self._plans.plan(key)
            run = self._runs.get((plan.key, device))
            now = self._ticks[run.id].get(step_key) if run else None
            if run is None or now is None:
                return
            if now.at != seen:
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result} since: look at that first")
            with self._database.session() as session:
                tick = session.get(Tick, (run.id, step_key))
                if tick is not None:
                    session.delete(tick)
            del self._ticks[run.id][step_key]

    def _digest(self, key: str, step: Step) -> str:
        """The same as long as the step asks for the same values and the same secrets."""
        slots = [value.secret for value in step.values if value.secret]
        if not slots:
            return step.digest
        kept = self._safe.kept(key)
        numbers = [kept[slot].number if slot in kept else 0 for slot in slots]
        return hashlib.blake2b(f"{step.digest}{numbers}".encode(), digest_size=8).hexdigest()

    @staticmethod
    def _of(plan: SitePlan, device: str) -> None:
        if device not in plan.devices:
            raise BenchError("This device has been removed from the plan: go back to Devices")
        if not plan.devices[device].staged:
            raise BenchError("A provider's modem is not staged: the provider brings it ready")

    def _step(self, plan: SitePlan, device: str, step_key: str) -> Step:
        for step in self.sheet(plan, device).steps:
            if step.key == step_key:
                return step
        raise BenchError("The plan has changed, and this step is no longer asked for: look at the sheet again")

    @staticmethod
    def _answers(step: Step, measured: Mapping[str, str], result: Result) -> dict[str, Measured]:
        answers = {}
        for measure in step.measures:
            text = measured.get(measure.key, "")
            if measure.kind == "backup":
                continue
            if not text.strip():
                if measure.needed and result is Result.DONE:
                    raise BenchError(f"{measure.label}: not answered yet. Measure it, or skip the step with a reason")
                continue
            try:
                found: Judged = judge(measure.kind, text, measure.expect)
            except ValueError as error:
                raise BenchError(f"{measure.label}: {error}") from None
            if found.outcome is Outcome.BAD and result is Result.DONE:
                raise BenchError(f"{measure.label}: {found.words} Record the step as trouble, or measure again")
            answers[measure.key] = Measured(found.value, found.outcome, found.words)
        return answers

    def _record(self, plan: SitePlan, device: str, step: Step, answers: Mapping[str, Measured], by: str) -> None:
        operations = []
        for measure in step.measures:
            answer = answers.get(measure.key)
            if answer is None or not measure.record:
                continue
            value: object = answer.text.split() if measure.record == "macs" else answer.text
            operations.append({"op": "add", "path": f"/devices/{device}/{measure.record}", "value": value})
        if operations:
            self._plans.revise(plan.key, operations, self._plans.saved(plan.key).number, by)

    # --- Back-ups

    def attach(self, key: str, device: str, name: str, content: bytes, by: str) -> BackupTaken:
        """Keep a back-up of a box, sealed, with its checksum."""
        if not content:
            raise BenchError(f"{name[:80]} is empty: take the back-up again")
        if len(content) > MAX_BACKUP:
            raise BenchError(f"{name[:80]} is larger than {MAX_BACKUP >> 20} MB: no configuration is")
        with self._lock:
            plan = self._plans.plan(key)
            self._of(plan, device)
            if (plan.key, device) not in self._runs:
                self.begin(key, device, by)
            run = self._runs[(plan.key, device)]
            checksum = digest_of(content)
            row = Backup(
                run_id=run.id,
                revision=self._plans.saved(key).number,
                name=name[:200],
                size=len(content),
                sha256=checksum,
                sealed=self._vault.seal(content, f"backup {run.id} {checksum}"),
                at=datetime.now(UTC),
                by=by,
            )
            with self._database.session() as session:
                session.add(row)
                what = f"{named(plan.devices[device])}, {row.name}, SHA-256 {checksum[:16]}…"
                enter(session, Act.BACKUP, by, what, site=plan.key)
            taken = BackupTaken(row.id, row.name, row.size, row.sha256, row.revision, row.at, row.by)
            self._backups[run.id].append(taken)
            return taken

    def fetch(self, key: str, device: str, backup: int, by: str) -> tuple[str, bytes]:
        """A back-up opened, with its name; the journal tells of it."""
        plan = self._plans.plan(key)
        with self._database.session() as session:
            row = session.get(Backup, backup)
            run = session.get(Run, row.run_id) if row else None
            if row is None or run is None or run.site_id != self._plans.site_id(key) or run.device != device:
                raise BenchError("There is no such back-up of this device")
            content = self._vault.open(row.sealed, f"backup {row.run_id} {row.sha256}")
            box = named(plan.devices[device]) if device in plan.devices else device
            enter(session, Act.FETCHED, by, f"{box}, {row.name}", site=plan.key)
            return row.name, content

    # --- Shipping

    def ship(self, key: str, revision: int, carrier: str, reference: str, by: str) -> None:
        """Record that a cleared site with finished run sheets has left. Raises `NotReady`."""
        with self._lock:
            plan = self._plans.plan(key)
            signature = self._plans.signature(key)
            if signature is None:
                raise NotReady("The site is not cleared yet: sign it on Clearance first")
            if signature.void:
                raise NotReady(f"The clearance is void: {signature.void}. Sign it again first")
            if self._plans.saved(key).number != revision:
                raise NotReady("The plan has changed since you looked: look again, then ship")
            for staging in self.stagings(plan):
                if not staging.finished:
                    left = len(staging.sheet.steps) - staging.done
                    why = staging.sheet.problem or f"{left} of {len(staging.sheet.steps)} steps are open"
                    raise NotReady(f"{named(plan.devices[staging.device])} is not staged to the end: {why}")
            row = Shipment(
                site_id=self._plans.site_id(key),
                revision=revision,
                carrier=carrier.strip()[:200],
                reference=reference.strip()[:200],
                at=datetime.now(UTC),
                by=by,
            )
            with self._database.session() as session:
                session.add(row)
                what = f"revision {revision}" + (f", {row.carrier} {row.reference}".rstrip() if row.carrier else "")
                enter(session, Act.SHIPPED, by, what, site=plan.key)
            self._shipped[plan.key] = _shipped(row)
            self._plans.note_shipped(plan.key)


def _ticked(tick: Tick) -> Ticked:
    measured = {key: Measured(*answer) for key, answer in json.loads(tick.measured).items()}
    return Ticked(Result(tick.outcome), tick.at, tick.by, tick.note, measured, tick.digest)


def _touched(tick: Ticked, digest: str | None) -> Ticked:
    if digest == tick.digest:
        return tick
    return Ticked(tick.result, tick.at, tick.by, tick.note, tick.measured, tick.digest, touched=True)


def _shipped(row: Shipment) -> Shipped:
    return Shipped(row.at, row.by, row.revision, row.carrier, row.reference)
