"""Runs on the bench: what became of each step of each device, back-ups taken, and sites shipped.

BenchError            something cannot be recorded as asked
  AlreadyTicked       somebody else has recorded this step since
  NotReady            a site cannot be shipped yet
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from datetime import UTC, datetime
from typing import NamedTuple

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from octaplan.core.config.departures import ReadBack
from octaplan.core.plan.boxes import named
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.measures import Judgement, Outcome, judge
from octaplan.core.stage.steps import READ_BACK, Measure, Step
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.words import count
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.models import Backup, ExchangeRow, Recording, Run, Shipment, Tick
from octaplan.store.plans import Plans
from octaplan.store.runs import BackupTaken, BoxOfRun, DeviceRun, Measured, Result
from octaplan.store.safe import Safe, digest_of
from octaplan.store.snapshot import Held, Snapshot
from octaplan.store.staging import (
    SKIPPED,
    BenchError,
    asked_of,
    backups_of,
    device_run,
    digest_of_step,
    sheet_of,
    shipped,
    stagings_of,
    ticked,
)

MAX_BACKUP = 16 << 20


class AlreadyTicked(BenchError):
    """Somebody else has recorded this step since."""


class NotReady(BenchError):
    """A site cannot be shipped yet."""


#: So much of what hands sent and received in a step is kept, in characters.
MOST_EXCHANGED = 200_000


class Exchange(NamedTuple):
    """What hands sent and received in a step, without secrets."""

    step: str
    text: str
    at: datetime
    by: str


#: What stands for a step where a back-up is put back.
PUT_BACK = "put-back"
#: So many departures of a read-back are kept.
MOST_KEPT = 60


def _anything_told(session: Session, run: int) -> bool:
    """Whether anything was ever recorded in a run, or exchanged with its box."""
    told = (select(table.id).where(table.run_id == run).limit(1) for table in (Recording, ExchangeRow))
    return any(session.scalar(one) is not None for one in told)


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

    def practise(self, key: str, device: str, by: str, known: int | None = None) -> int:
        """Begin a run of a stand-in, unless the newest is the one that it has: its number. What is recorded in it is no
        fact of the real box."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            if run is None or not run.practice or run.id != known:
                run = self._begin(turn, plan, device, by, practice=True)
            return run.id

    def _begin(self, turn: Turn, plan: SitePlan, device: str, by: str, *, practice: bool = False) -> DeviceRun:
        self._of(plan, device)
        at = datetime.now(UTC)
        box = _box(turn.now, plan, device)
        site, told = turn.now.sites.site_id(plan.key), json.dumps(box._asdict())
        row = Run(site_id=site, device=device, at=at, by=by, box=told, practice=practice)
        turn.session.add(row)
        turn.session.flush()
        run = DeviceRun(row.id, at, by, {}, box, practice=practice)
        turn.now = turn.now.with_runs(turn.now.runs.with_run(plan.key, device, run))
        return run

    def take_back_run(self, key: str, device: str) -> None:
        """Leave a run in which nothing was recorded, for the one before it. Raises `BenchError`."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            session = turn.session
            if run is None or run.ticks or run.backups or _anything_told(session, run.id):
                raise BenchError(
                    "Something was recorded in this run already: it stays. The earlier one is under All runs"
                )
            site = turn.now.sites.site_id(plan.key)
            earlier = session.scalars(
                select(Run)
                .where(Run.site_id == site, Run.device == device, Run.id < run.id)
                .order_by(Run.id.desc())
                .limit(1)
            ).first()
            if earlier is None:
                raise BenchError("There is no earlier run of this box to go back to")
            session.execute(delete(Run).where(Run.id == run.id))
            ticks = {tick.step: ticked(tick) for tick in session.scalars(select(Tick).where(Tick.run_id == earlier.id))}
            back = device_run(earlier, ticks, [taken for _, taken in backups_of(session, earlier.id)])
            turn.now = turn.now.with_runs(turn.now.runs.with_run(plan.key, device, back))

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
        skips: Mapping[str, str] | None = None,
        take: Collection[str] = (),
        by: str,
    ) -> None:
        """Record what became of a step. `seen` is when the step was last recorded, as the page knew it.

        `skips` are checks that are skipped by themselves, each with its reason. Answers that record something of the
        box (serial, MACs, firmware) go into the plan; those that contradict it only when they are among `take`. A step
        that is done with a wrong answer is recorded as trouble, so that the answer stays until something is done
        about it. Raises `AlreadyTicked`, `BenchError`.
        """
        note = " ".join(note.split())
        if result is not Result.DONE and len(note) < 3:
            what = "why the step is skipped" if result is Result.SKIPPED else "what the trouble is"
            raise BenchError(f"Say {what}: a few words will do")
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            self._of(plan, device)
            run = turn.now.runs.at(plan.key).get(device) or self._begin(turn, plan, device, by)
            step = _step(turn.now, plan.key, device, step_key)
            now = run.ticks.get(step_key)
            if now is not None and now.at != seen:
                when = f"{now.at:%H:%M} UTC"
                raise AlreadyTicked(
                    f"{now.by} has recorded this step as {now.result.words} at {when}: look at that first"
                )
            answers = self._answers(step, measured or {}, skips or {}, take, result)
            wrong = [m for m in step.measures if m.key in answers and answers[m.key].outcome == Outcome.BAD]
            if result is Result.DONE and wrong:
                result, note = Result.FAILED, "; ".join(f"{m.label}: {answers[m.key].words}" for m in wrong)
            if result is Result.DONE and any(m.kind == "backup" for m in step.measures) and not run.backups:
                raise BenchError("No back-up is attached yet: choose its file, or skip the step with a reason")
            if result is Result.DONE and any(m.kind == "read-back" for m in step.measures):
                raise BenchError("Paste what the box shows and keep what was found: that records the step")
            if not run.practice:
                self._record(turn.now.sites.of(key), device, step, answers, by)
            step = _step(turn.now, plan.key, device, step_key)
            self._tick(turn, plan.key, device, step, result, note, answers, by)
            self._keep(turn, run.id, step_key, step.title, result, note[:400], json.dumps(answers), by)

    def _tick(
        self,
        turn: Turn,
        key: str,
        device: str,
        step: Step,
        result: Result,
        note: str,
        answers: Mapping[str, Measured],
        by: str,
    ) -> None:
        """Set what became of a step of the run that the box has."""
        run, asked = turn.now.runs.at(key)[device], asked_of(turn.now, key, step)
        tick = Tick(
            run_id=run.id,
            step=step.key,
            outcome=result,
            note=note[:400],
            measured=json.dumps(answers),
            digest=digest_of_step(turn.now, key, step),
            at=datetime.now(UTC),
            by=by,
            asked=json.dumps({"title": asked.title, "group": asked.group, "values": asked.values}),
            accepted_by="",
            accepted_at=None,
        )
        turn.session.merge(tick)
        ticks, box = {**run.ticks, step.key: ticked(tick)}, _box(turn.now, turn.now.sites.plan(key), device)
        row = turn.session.get(Run, run.id)
        if row is not None and box != run.box:
            row.box = json.dumps(box._asdict())
        turn.now = turn.now.with_runs(turn.now.runs.changed(key, device, ticks=ticks, box=box))

    @staticmethod
    def _keep(turn: Turn, run: int, step: str, title: str, outcome: str, note: str, measured: str, by: str) -> None:
        """Keep what was recorded beside what counts, so that nothing that was ever recorded is lost."""
        turn.session.add(
            Recording(
                run_id=run,
                step=step,
                title=title[:200],
                outcome=outcome,
                note=note[:400],
                measured=measured,
                at=datetime.now(UTC),
                by=by,
            )
        )

    def keep_exchange(self, key: str, device: str, step: str, text: str, pins: str, by: str) -> None:
        """Keep what hands sent and received in a step of the run that a box has, the newest of a step counts; and the
        certificate and host key that they met the box with."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            row = turn.session.get(Run, run.id) if run is not None else None
            if row is None:
                return
            if text:
                kept = ExchangeRow(run_id=row.id, step=step, at=datetime.now(UTC), by=by, text=text[:MOST_EXCHANGED])
                turn.session.add(kept)
            if row.pins != pins:
                row.pins = pins
                turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, pins=pins))

    def exchanges(self, key: str, device: str) -> int:
        """In how many steps of the newest run of a box hands sent something."""
        now = self._database.now
        run = now.runs.at(now.sites.plan(key).key).get(device)
        if run is None:
            return 0
        query = select(func.count(ExchangeRow.step.distinct())).where(ExchangeRow.run_id == run.id)
        with self._database.reading() as session:
            return session.scalar(query) or 0

    def exchanged(self, key: str, device: str) -> list[Exchange]:
        """What hands sent and received in the newest run of a box, step by step."""
        now = self._database.now
        run = now.runs.at(now.sites.plan(key).key).get(device)
        if run is None:
            return []
        query = select(ExchangeRow).where(ExchangeRow.run_id == run.id).order_by(ExchangeRow.id)
        with self._database.reading() as session:
            return [Exchange(row.step, row.text, row.at, row.by) for row in session.scalars(query)]

    def keep_read_back(self, key: str, device: str, back: ReadBack, by: str) -> None:
        """Keep with the run of a box what it printed says of it: what was found, neither text nor secrets."""
        found = [(one.what, one.seen, f"line {one.line}, planned {one.planned}: {one.why}") for one in back.differs]
        found += [(one.what, one.value, "planned, and not seen") for one in back.missing]
        found += [(one.kind, one.value, f"line {one.line}: {one.why}") for one in back.unplanned]
        told = {
            f"{place} {what}"[:80]: Measured(value[:200], Outcome.BAD, words[:400])
            for place, (what, value, words) in enumerate(found[:MOST_KEPT], 1)
        }
        told["seen"] = Measured(f"{len(back.as_planned)} values", Outcome.GOOD, "as planned")
        good = not back.departures and not back.about
        words = f"{len(back.as_planned)} values as planned, {back.departures} otherwise, of {len(back.lines)} lines"
        words += f"; it looks like the text of {back.about}" if back.about else ""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            self._of(plan, device)
            run = turn.now.runs.at(plan.key).get(device) or self._begin(turn, plan, device, by)
            outcome = Result.DONE if good else Result.FAILED
            self._keep(turn, run.id, READ_BACK, "Read back", outcome, words, json.dumps(told), by)
            step = next((one for one in sheet_of(turn.now, plan.key, device).steps if one.key == READ_BACK), None)
            if step is not None:
                summary = {"shown": Measured(words[:200], Outcome.GOOD if good else Outcome.BAD, told["seen"].words)}
                self._tick(turn, plan.key, device, step, outcome, "" if good else words, summary, by)

    def accept(self, key: str, device: str, step: str, seen: datetime | None, by: str) -> None:
        """Accept that checks of a step were skipped. Raises `AlreadyTicked`, `BenchError`."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            now = run.ticks.get(step) if run else None
            if run is None or now is None:
                raise BenchError("Nothing is recorded of this step any more: look again")
            if now.at != seen:
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result.words} since: look at that first")
            tick = turn.session.get(Tick, (run.id, step))
            if tick is None:
                raise BenchError("Nothing is recorded of this step any more: look again")
            tick.accepted_by, tick.accepted_at = by, datetime.now(UTC)
            enter(turn.session, Act.SKIP, by, f"{run.box.name}, {now.asked.title}", site=plan.key)
            ticks = {**run.ticks, step: ticked(tick)}
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, ticks=ticks))

    def untick(self, key: str, device: str, step_key: str, seen: datetime | None, by: str) -> None:
        """Take back what was recorded of a step."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            now = run.ticks.get(step_key) if run else None
            if run is None or now is None:
                return
            if now.at != seen:
                raise AlreadyTicked(f"{now.by} has recorded this step as {now.result.words} since: look at that first")
            tick = turn.session.get(Tick, (run.id, step_key))
            if tick is not None:
                turn.session.delete(tick)
            self._keep(turn, run.id, step_key, now.asked.title, "taken back", "", "{}", by)
            ticks = {step: ticked for step, ticked in run.ticks.items() if step != step_key}
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, ticks=ticks))

    @staticmethod
    def _of(plan: SitePlan, device: str) -> None:
        if device not in plan.devices:
            raise BenchError("This device has been removed from the plan: go back to Devices")
        if not plan.devices[device].staged:
            raise BenchError("A provider's modem is not staged: the provider brings it ready")

    @staticmethod
    def _answers(
        step: Step, measured: Mapping[str, str], skips: Mapping[str, str], take: Collection[str], result: Result
    ) -> dict[str, Measured]:
        answers = {}
        for measure in step.measures:
            text, why = measured.get(measure.key, ""), " ".join(skips.get(measure.key, "").split())
            if measure.kind in ("backup", "read-back"):
                continue
            if not text.strip():
                if why:
                    if len(why) < 3:
                        raise BenchError(f"{measure.label}: say why it is skipped, a few words will do")
                    answers[measure.key] = Measured("", SKIPPED, why[:400])
                elif measure.needed and result is Result.DONE:
                    raise BenchError(f"{measure.label}: not answered yet. Measure it, or skip it with a reason")
                continue
            answers[measure.key] = _judged(measure, text, taken=measure.key in take)
        return answers

    def _record(self, held: Held, device: str, step: Step, answers: Mapping[str, Measured], by: str) -> None:
        operations = []
        for measure in step.measures:
            answer = answers.get(measure.key)
            if answer is None or not measure.record or answer.outcome in (SKIPPED, Outcome.BAD):
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

    def put_back(self, key: str, device: str, backup: int, why_not: str, by: str) -> None:
        """Record that a back-up of its run was put back into a box, or why that failed. What was recorded after the
        back-up was taken is taken back: the box is as it was before. Raises `BenchError`."""
        with self._database.turn() as turn:
            plan = turn.now.sites.plan(key)
            run = turn.now.runs.at(plan.key).get(device)
            taken = next((one for one in run.backups if one.id == backup), None) if run is not None else None
            if run is None or taken is None:
                raise BenchError("This backup is of another run, whose box was set up otherwise: stage the box anew")
            title, outcome = f"The backup of {taken.at:%Y-%m-%d %H:%M} UTC is put back", Result.DONE
            if why_not:
                outcome = Result.FAILED
            self._keep(turn, run.id, PUT_BACK, title, outcome, why_not[:400], "{}", by)
            since = [one for one, tick in run.ticks.items() if tick.at > taken.at and one != "backup"]
            later = [] if why_not else since
            for step in later:
                row = turn.session.get(Tick, (run.id, step))
                if row is not None:
                    turn.session.delete(row)
                self._keep(turn, run.id, step, run.ticks[step].asked.title, "taken back", title, "{}", by)
            ticks = {step: tick for step, tick in run.ticks.items() if step not in later}
            turn.now = turn.now.with_runs(turn.now.runs.changed(plan.key, device, ticks=ticks))

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
            if turn.now.sites.portfolio.organisation.read_back:
                for staging in stagings_of(turn.now, plan):
                    _must_be_read_back(turn, plan, staging.device)
            waiting = [skip for staging in stagings_of(turn.now, plan) for skip in staging.waiting]
            if waiting:
                verb = "waits" if len(waiting) == 1 else "wait"
                raise NotReady(
                    f"{count(len(waiting), 'skipped check')} {verb} for a planner: accept on Clearance that it was not "
                    "proven, or prove it"
                )
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
                if staging.skips:
                    told = ", ".join(f"{skip.words} (accepted by {skip.accepted_by})" for skip in staging.skips)
                    what += f"; not proven at {named(plan.devices[staging.device])}: {told}"
            enter(turn.session, Act.SHIPPED, by, what, site=plan.key)
            turn.now = turn.now.with_runs(turn.now.runs.with_shipment(plan.key, shipped(row)), shipped=plan.key)


def _must_be_read_back(turn: Turn, plan: SitePlan, device: str) -> None:
    """Raise `NotReady` unless the newest read-back of a box's run was without a departure."""
    run = turn.now.runs.at(plan.key).get(device)
    newest = (
        select(Recording.outcome)
        .where(Recording.run_id == (run.id if run else 0), Recording.step == READ_BACK)
        .order_by(Recording.id.desc())
        .limit(1)
    )
    outcome = turn.session.scalar(newest)
    if outcome != Result.DONE:
        why = "was last read back with departures" if outcome == Result.FAILED else "has not been read back"
        raise NotReady(f"{named(plan.devices[device])} {why}: paste what it shows in that step, and keep it")


def _step(now: Snapshot, key: str, device: str, step_key: str) -> Step:
    for step in sheet_of(now, key, device).steps:
        if step.key == step_key:
            return step
    raise BenchError("The plan has changed, and this step is no longer asked for: look at the sheet again")


def _box(now: Snapshot, plan: SitePlan, device: str) -> BoxOfRun:
    """Which box a device is, as far as its plan tells."""
    box = plan.devices[device]
    kind = now.types.types.get(box.type)
    return BoxOfRun(named(box), kind.title if kind else box.type, box.serial or "", box.asset_tag or "")


def _judged(measure: Measure, text: str, *, taken: bool) -> Measured:
    try:
        found: Judgement = judge(measure.kind, text, measure.expect)
    except OctaplanError as error:
        raise BenchError(f"{measure.label}: {error}") from None
    if found.outcome is Outcome.BAD and measure.record and taken:
        return Measured(found.value, Outcome.ODD, f"The plan said {measure.expect}; it says this now.")
    return Measured(found.value, found.outcome, found.words)
