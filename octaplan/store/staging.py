"""How far boxes are on the bench: the newest run of each beside its run sheet, as readers see it."""

from __future__ import annotations

import hashlib
import json
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from itertools import zip_longest
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.runsheet import run_sheet
from octaplan.core.stage.steps import Measure, RunSheet, Step
from octaplan.core.values.errors import RefusedError
from octaplan.store.models import Backup, Run, Shipment, Site, Tick
from octaplan.store.runs import (
    AskedStep,
    AskedValue,
    BackupTaken,
    BoxOfRun,
    DeviceRun,
    Measured,
    Result,
    Runs,
    Shipped,
    Ticked,
)
from octaplan.store.snapshot import Snapshot

#: The outcome of a check that was skipped by itself; its reason stands in the place of the words.
SKIPPED = "skipped"


class BenchError(RefusedError):
    """Something cannot be recorded as asked."""


class Skip(NamedTuple):
    """A check that was skipped: where, why, by whom, and who accepted that."""

    step: str
    measure: str
    group: str
    label: str
    reason: str
    by: str
    at: datetime
    accepted_by: str

    @property
    def words(self) -> str:
        return f"{self.group}, {self.label}: {self.reason}"


class ChangedValue(NamedTuple):
    """What a step asked for when it was recorded, and what it asks for now; nothing where it did not, or does not."""

    label: str
    before: AskedValue | None
    after: AskedValue | None


@dataclass(frozen=True, slots=True)
class Staging:
    """The newest run of a device: its sheet, and what became of each step."""

    device: str
    sheet: RunSheet
    begun: datetime | None
    by: str
    ticks: dict[str, Ticked]
    backups: list[BackupTaken]
    #: Whether it was done on the practice bench, where that does not count.
    only_practice: bool = False

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
        if self.only_practice:
            return "this run was made on the practice bench, and proves nothing of the real box: begin a new one"
        checks = [(step, measure) for step in self.sheet.steps for measure in step.measures if measure.proves]
        if checks and all(self._skipped(step, measure) for step, measure in checks):
            return "every check was skipped, so nothing is proven: do one of them"
        return ""

    def _skipped(self, step: Step, measure: Measure) -> str:
        """Why a check was skipped; empty when it was not."""
        tick = self.ticks.get(step.key)
        if tick is None:
            return ""
        answer = tick.measured.get(measure.key)
        alone = answer.words if answer is not None and answer.outcome == SKIPPED else ""
        return tick.note if tick.result is Result.SKIPPED else alone

    @property
    def skips(self) -> list[Skip]:
        """The checks that were skipped, each with the reason."""
        return [
            Skip(step.key, measure.key, step.group, measure.label, reason, tick.by, tick.at, tick.accepted_by)
            for step in self.sheet.steps
            for measure in step.measures
            if measure.proves and (reason := self._skipped(step, measure)) and (tick := self.ticks[step.key])
        ]

    @property
    def waiting(self) -> list[Skip]:
        """The skipped checks that no planner has accepted yet."""
        return [skip for skip in self.skips if not skip.accepted_by]

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
        ticks[tick.run_id][tick.step] = ticked(tick)
    backups: dict[int, list[BackupTaken]] = defaultdict(list)
    for run_id, taken in backups_of(session):
        backups[run_id].append(taken)
    devices: dict[str, dict[str, DeviceRun]] = defaultdict(dict)
    for run, key in session.execute(select(Run, Site.key).join(Site).where(Run.id.in_(newest))):
        devices[key][run.device] = device_run(run, ticks[run.id], backups[run.id])
    shipments = session.execute(select(Shipment, Site.key).join(Site).order_by(Shipment.id))
    return Runs(dict(devices), {key: shipped(shipment) for shipment, key in shipments})


def device_run(run: Run, ticks: Mapping[str, Ticked], backups: list[BackupTaken]) -> DeviceRun:
    """A run as readers have it."""
    return DeviceRun(
        run.id, run.at, run.by, ticks, BoxOfRun(**json.loads(run.box)), tuple(backups), run.practice, run.pins
    )


def backups_of(session: Session, *runs: int) -> Iterator[tuple[int, BackupTaken]]:
    """Back-ups without their contents, of some runs or of all, each with its run."""
    columns = (Backup.run_id, Backup.id, Backup.name, Backup.size, Backup.sha256, Backup.revision, Backup.at, Backup.by)
    query = select(*columns).order_by(Backup.id)
    for row in session.execute(query.where(Backup.run_id.in_(runs)) if runs else query):
        yield row[0], BackupTaken(*row[1:])


def ticked(tick: Tick) -> Ticked:
    """What became of a step, as readers have it."""
    measured = {key: Measured(*answer) for key, answer in json.loads(tick.measured).items()}
    said = json.loads(tick.asked or "{}")
    values = tuple(AskedValue(*value) for value in said.get("values", ()))
    asked = AskedStep(said.get("title", ""), said.get("group", ""), values)
    return Ticked(
        Result(tick.outcome),
        tick.at,
        tick.by,
        tick.note,
        measured,
        tick.digest,
        asked,
        tick.accepted_by or "",
        tick.accepted_at,
    )


def shipped(row: Shipment) -> Shipped:
    """A shipment, as readers have it."""
    return Shipped(row.at, row.by, row.revision, row.carrier, row.reference)


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
        raise BenchError("This device has been removed from the plan: what was recorded of it is under All runs")
    sheet = sheet_of(now, plan.key, device)
    run = now.runs.at(plan.key).get(device)
    if run is None:
        return Staging(device, sheet, None, "", {}, [])
    digests = {step.key: digest_of_step(now, plan.key, step) for step in sheet.steps}
    ticks = {
        step: tick if digests[step] == tick.digest else replace(tick, touched=True)
        for step, tick in run.ticks.items()
        if step in digests
    }
    only_practice = run.practice and not now.settings.current.practice_counts
    return Staging(device, sheet, run.at, run.by, ticks, list(run.backups), only_practice)


def stagings_of(now: Snapshot, plan: SitePlan) -> list[Staging]:
    """The newest runs of all devices of a site that come to the bench."""
    return [staging_of(now, plan.key, key) for key, device in plan.devices.items() if device.staged]


def begun_at(now: Snapshot, plan: SitePlan) -> bool:
    """Whether any device of a site is on the bench, or has been."""
    return any(device in plan.devices for device in now.runs.at(plan.key))


def asked_of(now: Snapshot, key: str, step: Step) -> AskedStep:
    """What a step asks for now, with the numbers of the secrets that it names."""
    kept = now.secrets.kept(key)
    values = tuple(
        AskedValue(v.label, v.text, v.secret, kept[v.secret].number if v.secret in kept else 0) for v in step.values
    )
    return AskedStep(step.title, step.group, values)


def changed_values(now: Snapshot, key: str, step: Step, tick: Ticked) -> list[ChangedValue]:
    """What a step asks for otherwise since it was recorded; several of one label are held against each other."""
    if not tick.asked.title:  # recorded by an older release, which did not keep what was asked
        return []
    before: dict[str, list[AskedValue]] = defaultdict(list)
    after: dict[str, list[AskedValue]] = defaultdict(list)
    for value in tick.asked.values:
        before[value.label].append(value)
    for value in asked_of(now, key, step).values:
        after[value.label].append(value)
    found = []
    for label in dict.fromkeys([*before, *after]):
        gone = [value for value in before[label] if value not in after[label]]
        come = [value for value in after[label] if value not in before[label]]
        found += [ChangedValue(label, *pair) for pair in zip_longest(gone, come)]
    return found


def digest_of_step(now: Snapshot, key: str, step: Step) -> str:
    """The same as long as the step asks for the same values and the same secrets."""
    slots = [value.secret for value in step.values if value.secret]
    if not slots:
        return step.digest
    kept = now.secrets.kept(key)
    numbers = [kept[slot].number if slot in kept else 0 for slot in slots]
    return hashlib.blake2b(f"{step.digest}{numbers}".encode(), digest_size=8).hexdigest()
