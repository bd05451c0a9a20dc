"""Runs on the bench: what became of each step of each device, back-ups taken, and sites shipped.

BenchError            something cannot be recorded as asked
  AlreadyTicked       somebody else has recorded this step since
  NotReady            a site cannot be shipped yet
"""

from __future__ import annotations

import hashlib
import json
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.plan.boxes import named
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.measures import Judgement, Outcome, judge
from octaplan.core.stage.runsheet import run_sheet
from octaplan.core.stage.steps import RunSheet, Step
from octaplan.core.values.errors import OctaplanError
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.models import Backup, Run, Shipment, Site, Tick
from octaplan.store.plans import Plans
from octaplan.store.runs import BackupTaken, DeviceRun, Measured, Result, Runs, Shipped, Ticked
from octaplan.store.safe import Safe, digest_of
from octaplan.store.snapshot import Held, Snapshot

MAX_BACKUP = 16 << 20


class BenchError(OctaplanError):
    """Something cannot be recorded as asked."""


class AlreadyTicked(BenchError):
    """Somebody else has recorded this step since."""


class NotReady(BenchError):
    """A site cannot be shipped yet."""


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
        """Whether nothing is open; where anything can be proven, something was."""
        return not self.problem and bool(self.sheet.steps) and all(map(self.settled, self.sheet.steps))

    @property
    def problem(self) -> str:
        """Why it is not staged, and would not be if every step were recorded."""
        if self.sheet.problem:
            return self.sheet.problem
        proving = [step for step in self.sheet.steps if step.proves]
        ticks = [self.ticks.get(step.key) for step in proving]
        if proving and all(tick is not None and tick.result is Result.SKIPPED for tick in ticks):
            return "every check was skipped, so nothing is proven: do one of them"
        return ""

    @property
    def unproven(self) -> list[str]:
        """The checks that were skipped, each with the reason."""
        skipped = [
            (step, tick)
            for step in self.sheet.steps
            if step.proves and (tick := self.ticks.get(step.key)) is not None and tick.result is Result.SKIPPED
        ]
        return [f"{step.group}: {tick.note}" for step, tick in skipped]

    @property
    def trouble(self) -> bool:
        return any(tick.result is Result.FAILED or tick.touched for tick in self.ticks.values())

    @property
    def done(self) -> int:
        return sum(map(self.settled, self.sheet.steps))


def load_runs(session: Session) -> Runs:
    """The newest run of every device of a database, and the newest shipment of every site."""
    newest = select(func.max(Run.id)).group_by(Run.site_id, Run.device)
    ticks: dict[int, dict[str, Ticked]] = defaultdict(dict)
    for tick in session.scalars(select(Tick)):
        ticks[tick.run_id][tick.step] = _ticked(tick)
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
    backups: dict[int, list[BackupTaken]] = defaultdict(list)
    for row in session.execute(select(*columns).order_by(Backup.id)):
        backups[row.run_id].append(BackupTaken(*row[1:]))
    devices: dict[str, dict[str, DeviceRun]] = defaultdict(dict)
    for run, key in session.execute(select(Run, Site.key).join(Site).where(Run.id.in_(newest))):
        devices[key][run.device] = DeviceRun(run.id, run.at, run.by, ticks[run.id], tuple(backups[run.id]))
    shipments = session.execute(select(Shipment, Site.key).join(Site).order_by(Shipment.id))
    return Runs(dict(devices), {key: _shipped(shipment) for shipment, key in shipments})


def sheet_of(now: Snapshot, key: str, device: str) -> RunSheet:
    """The run sheet of a device as plan, type and settings are saved."""
    held, settings = now.sites.of(key), now.settings.current
    kind = now.types.types.get(held.plan.devices[device].type)
    known = held.worked_out.get(f"sheet {device}")
    if known is None or known[0] is not kind or known[1] is not settings:
        known = held.worked_out[f"sheet {device}"] = (kind, settings, run_sheet(held.plan, device, kind, settings))
    sheet: RunSheet = known[2]
    return sheet


def staging_of(now: Snapshot, key: str, device: str) -> Staging:
    """The newest run of a device, or its sheet before anything has begun. Raises `BenchError`."""
    plan = now.sites.plan(key)
    if device not in plan.devices:
        raise BenchError("This device has been removed from the plan: its runs are kept, but no longer shown")
    sheet = sheet_of(now, plan.key, device)
    run = now.runs.at(plan.key).get(device)
    if run is None:
        return Staging(device, sheet, None, "", {}, [])
    digests = {step.key: _digest(now, plan.key, step) for step in sheet.steps}
    ticks = {step: _touched(tick, digests.get(step)) for step, tick in run.ticks.items() if step in digests}
    return Staging(device, sheet, run.at, run.by, ticks, list(run.backups))


def stagings_of(now: Snapshot, plan: SitePlan) -> list[Staging]:
    """The newest runs of all devices of a site that come to the bench."""
    return [staging_of(now, plan.key, key) for key, device in plan.devices.items() if device.staged]


def begun_at(now: Snapshot, plan: SitePlan) -> bool:
    """Whether any device of a site is on the bench, or has been."""
    return any(device in plan.devices for device in now.runs.at(plan.key))


def _digest(now: Snapshot, key: str, step: Step) -> str:
    """The same as long as the step asks for the same values and the same secrets."""
    slots = [value.secret for value in step.values if value.secret]
    if not slots:
        return step.digest
    kept = now.secrets.kept(key)
    numbers = [kept[slot].number if slot in kept else 0 for slot in slots]
    return hashlib.blake2b(f"{step.digest}{numbers}".encode(), digest_size=8).hexdigest()


class BenchRecords:
    """Records what happens on the bench. Every method may be called from any thread."""

    def __init__(self, database: Database, plans: Plans, safe: Safe) -> None:
        self._database = database
        self._plans = plans
        self._vault = safe.vault

    def begin(self, key: str, device: str, by: str) -> None:
        """Begin a run, or a new one when the box has to be staged again."""
        with self._database.turn() as turn:
            self._begin(turn, turn.now.sites.plan(key), device, by)

    def _begin(self, turn: Turn, plan: SitePlan, device: str, by: str) -> DeviceRun:
        self._of(plan, device)
        at = datetime.now(UTC)
        row = Run(site_id=turn.now.sites.site_id(plan.key), device=device, at=at, by=by)
        turn.session.add(row)
        turn.session.flush()
        run = DeviceRun(row.id, at, by, {})
        turn.now = turn.now.with_runs(turn.now.runs.with_run(plan.key, device, run))
        return run

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
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            self._of(plan, device)
            run = turn.now.runs.at(plan.key).get(device) or self._begin(turn, plan, device, by)
            step = _step(turn.now, plan.key, device, step_key)
            now = run.ticks.get(step_key)
            if now is not None and now.at != seen:
                when = f"{now.at:%H:%M} UTC"
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result} at {when}: look at that first")
            answers = self._answers(step, measured or {}, result)
            if result is Result.DONE and any(m.kind == "backup" for m in step.measures) and not run.backups:
                raise BenchError("No back-up is attached yet: choose its file, or skip the step with a reason")
            self._record(turn.now.sites.of(key), device, step, answers, by)
            digest = _digest(turn.now, plan.key, _step(turn.now, plan.key, device, step_key))
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
            turn.session.merge(tick)
            ticks = {**run.ticks, step_key: _ticked(tick)}
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, ticks=ticks))

    def untick(self, key: str, device: str, step_key: str, seen: datetime | None) -> None:
        """Take back what was recorded of a step."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            now = run.ticks.get(step_key) if run else None
            if run is None or now is None:
                return
            if now.at != seen:
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result} since: look at that first")
            tick = turn.session.get(Tick, (run.id, step_key))
            if tick is not None:
                turn.session.delete(tick)
            ticks = {step: ticked for step, ticked in run.ticks.items() if step != step_key}
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, ticks=ticks))

    @staticmethod
    def _of(plan: SitePlan, device: str) -> None:
        if device not in plan.devices:
            raise BenchError("This device has been removed from the plan: go back to Devices")
        if not plan.devices[device].staged:
            raise BenchError("A provider's modem is not staged: the provider brings it ready")

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
                found: Judgement = judge(measure.kind, text, measure.expect)
            except OctaplanError as error:
                raise BenchError(f"{measure.label}: {error}") from None
            if found.outcome is Outcome.BAD and result is Result.DONE:
                raise BenchError(f"{measure.label}: {found.words} Record the step as trouble, or measure again")
            answers[measure.key] = Measured(found.value, found.outcome, found.words)
        return answers

    def _record(self, held: Held, device: str, step: Step, answers: Mapping[str, Measured], by: str) -> None:
        operations = []
        for measure in step.measures:
            answer = answers.get(measure.key)
            if answer is None or not measure.record:
                continue
            value: object = answer.text.split() if measure.record == "macs" else answer.text
            operations.append({"op": "add", "path": f"/devices/{device}/{measure.record}", "value": value})
        if operations:
            self._plans.revise(held.plan.key, operations, held.saved.number, by)

    # --- Back-ups

    def attach(self, key: str, device: str, name: str, content: bytes, by: str) -> BackupTaken:
        """Keep a back-up of a box, sealed, with its checksum."""
        if not content:
            raise BenchError(f"{name[:80]} is empty: take the back-up again")
        if len(content) > MAX_BACKUP:
            raise BenchError(f"{name[:80]} is larger than {MAX_BACKUP >> 20} MB: no configuration is")
        with self._database.turn() as turn:
            held = turn.now.sites.of(key)
            plan = held.plan
            self._of(plan, device)
            run = turn.now.runs.at(plan.key).get(device) or self._begin(turn, plan, device, by)
            checksum = digest_of(content)
            row = Backup(
                run_id=run.id,
                revision=held.saved.number,
                name=name[:200],
                size=len(content),
                sha256=checksum,
                sealed=self._vault.seal(content, f"backup {run.id} {checksum}"),
                at=datetime.now(UTC),
                by=by,
            )
            turn.session.add(row)
            what = f"{named(plan.devices[device])}, {row.name}, SHA-256 {checksum[:16]}…"
            enter(turn.session, Act.BACKUP, by, what, site=plan.key)
            taken = BackupTaken(row.id, row.name, row.size, row.sha256, row.revision, row.at, row.by)
            backups = (*run.backups, taken)
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, backups=backups))
            return taken

    def fetch(self, key: str, device: str, backup: int, by: str) -> tuple[str, bytes]:
        """A back-up opened, with its name; the journal tells of it."""
        with self._database.turn() as turn:
            plan, session = turn.now.sites.plan(key), turn.session
            row = session.get(Backup, backup) if backup < 1 << 62 else None
            run = session.get(Run, row.run_id) if row else None
            if row is None or run is None or run.site_id != turn.now.sites.site_id(key) or run.device != device:
                raise BenchError("There is no such back-up of this device")
            content = self._vault.open(row.sealed, f"backup {row.run_id} {row.sha256}")
            box = named(plan.devices[device]) if device in plan.devices else device
            enter(session, Act.FETCHED, by, f"{box}, {row.name}", site=plan.key)
            return row.name, content

    # --- Shipping

    def ship(self, key: str, revision: int, carrier: str, reference: str, by: str) -> None:
        """Record that a cleared site with finished run sheets has left. Raises `NotReady`."""
        with self._database.turn() as turn:
            held = turn.now.sites.of(key)
            plan, signature = held.plan, held.signature
            if signature is None:
                raise NotReady("The site is not cleared yet: sign it on Clearance first")
            if signature.void:
                raise NotReady(f"The clearance is void: {signature.void}. Sign it again first")
            if held.saved.number != revision:
                raise NotReady("The plan has changed since you looked: look again, then ship")
            for staging in stagings_of(turn.now, plan):
                if not staging.finished:
                    left = len(staging.sheet.steps) - staging.done
                    why = staging.problem or f"{left} of {len(staging.sheet.steps)} steps are open"
                    raise NotReady(f"{named(plan.devices[staging.device])} is not staged to the end: {why}")
            row = Shipment(
                site_id=held.id,
                revision=revision,
                carrier=carrier.strip()[:200],
                reference=reference.strip()[:200],
                at=datetime.now(UTC),
                by=by,
            )
            turn.session.add(row)
            what = f"revision {revision}" + (f", {row.carrier} {row.reference}".rstrip() if row.carrier else "")
            for staging in stagings_of(turn.now, plan):
                if staging.unproven:
                    what += f"; not proven at {named(plan.devices[staging.device])}: {', '.join(staging.unproven)}"
            enter(turn.session, Act.SHIPPED, by, what, site=plan.key)
            turn.now = turn.now.with_runs(turn.now.runs.with_shipment(plan.key, _shipped(row)), shipped=plan.key)


def _step(now: Snapshot, key: str, device: str, step_key: str) -> Step:
    for step in sheet_of(now, key, device).steps:
        if step.key == step_key:
            return step
    raise BenchError("The plan has changed, and this step is no longer asked for: look at the sheet again")


def _ticked(tick: Tick) -> Ticked:
    measured = {key: Measured(*answer) for key, answer in json.loads(tick.measured).items()}
    return Ticked(Result(tick.outcome), tick.at, tick.by, tick.note, measured, tick.digest)


def _touched(tick: Ticked, digest: str | None) -> Ticked:
    if digest == tick.digest:
        return tick
    return Ticked(tick.result, tick.at, tick.by, tick.note, tick.measured, tick.digest, touched=True)


def _shipped(row: Shipment) -> Shipped:
    return Shipped(row.at, row.by, row.revision, row.carrier, row.reference)
