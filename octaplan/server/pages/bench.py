"""The page Bench of the desk: run sheets, and what became of each step."""

from __future__ import annotations

from datetime import datetime
from http import HTTPStatus
from pathlib import PurePath
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, File, Path, Query, Response, UploadFile
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.boxes import named
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.measures import LONGEST_MEASURED, Outcome, judge
from octaplan.core.stage.steps import Step
from octaplan.core.values.errors import OctaplanError
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, Desk, desk_of
from octaplan.server.permissions import Looking, Reading, Staging
from octaplan.server.problems import Number, Problem
from octaplan.store.bench import BenchRecords, staging_of
from octaplan.store.bench import Staging as StagingOf
from octaplan.store.records import Records
from octaplan.store.runs import BackupTaken, Result, Ticked

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["bench"])

DeviceId = Annotated[str, Path(pattern=r"^[a-z0-9]{4,12}$")]
StepKey = Annotated[str, Path(max_length=80)]
MeasuredText = Annotated[str, StringConstraints(max_length=LONGEST_MEASURED)]


class ValueShown(BaseModel):
    label: str
    text: str
    secret: str


class MeasureShown(BaseModel):
    key: str
    label: str
    kind: str
    expect: str
    needed: bool


class MeasuredShown(BaseModel):
    text: str
    outcome: Outcome
    words: str


class TickShown(BaseModel):
    result: Result
    at: datetime
    by: str
    note: str
    measured: dict[str, MeasuredShown]
    touched: bool


class StepShown(BaseModel):
    key: str
    group: str
    title: str
    text: str
    values: list[ValueShown]
    measures: list[MeasureShown]
    before: Situation
    after: Situation
    lost: bool
    mend: str
    tick: TickShown | None


class RunShown(BaseModel):
    """One device on the bench: its sheet, and what became of each step."""

    device: str
    name: str
    type: str
    ports: list[str]
    problem: str
    begun: datetime | None
    by: str
    finished: bool
    steps: list[StepShown]
    backups: list[BackupTaken]


class Ticking(BaseModel):
    """What became of a step. `seen` is when it was last recorded, as the page knew it."""

    result: Result
    seen: datetime | None = None
    note: Annotated[str, StringConstraints(max_length=400)] = ""
    measured: Annotated[dict[Annotated[str, StringConstraints(max_length=80)], MeasuredText], Field(max_length=64)] = {}


class Judging(BaseModel):
    kind: Annotated[str, StringConstraints(max_length=20)]
    expect: Annotated[str, StringConstraints(max_length=400)] = ""
    text: MeasuredText


class Shipping(BaseModel):
    revision: int
    carrier: Annotated[str, StringConstraints(max_length=200)] = ""
    reference: Annotated[str, StringConstraints(max_length=200)] = ""


def _step(step: Step, tick: Ticked | None) -> StepShown:
    shown = None
    if tick is not None:
        measured = {
            key: MeasuredShown(text=m.text, outcome=Outcome(m.outcome), words=m.words)
            for key, m in tick.measured.items()
        }
        shown = TickShown(result=tick.result, at=tick.at, by=tick.by, note=tick.note, measured=measured,
                          touched=tick.touched)  # fmt: skip
    return StepShown(
        key=step.key,
        group=step.group,
        title=step.title,
        text=step.text,
        values=[ValueShown(label=v.label, text=v.text, secret=v.secret) for v in step.values],
        measures=[
            MeasureShown(key=m.key, label=m.label, kind=m.kind, expect=m.expect, needed=m.needed) for m in step.measures
        ],
        before=step.before,
        after=step.after,
        lost=step.lost,
        mend=step.mend,
        tick=shown,
    )


def _shown(records: Records, key: str, device_id: str) -> RunShown:
    now = records.now
    staging: StagingOf = staging_of(now, key, device_id)
    device = now.sites.plan(key).devices[device_id]
    kind = now.types.types.get(device.type)
    return RunShown(
        device=device_id,
        name=named(device),
        type=kind.title if kind else device.type,
        ports=[name for name, port in kind.ports.items() if port.carries] if kind else [],
        problem=staging.problem,
        begun=staging.begun,
        by=staging.by,
        finished=staging.finished,
        steps=[_step(step, staging.ticks.get(step.key)) for step in staging.sheet.steps],
        backups=[_backup(backup) for backup in staging.backups],
    )


def _backup(backup: BackupTaken) -> BackupTaken:
    return backup


@router.get("/bench/{device}")
def run(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Looking) -> RunShown:
    """The run sheet of a device."""
    return _shown(records, f"{customer}/{site}", device)


@router.post("/bench/{device}")
def begin_run(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Staging) -> RunShown:
    """Begin to stage a device, or begin again."""
    key = f"{customer}/{site}"
    records.bench.begin(key, device, person.author)
    return _shown(records, key, device)


@router.put("/bench/{device}/steps/{step}")
def tick_step(
    customer: Code, site: Code, device: DeviceId, step: StepKey, ticking: Ticking, records: Recorded, person: Staging
) -> RunShown:
    """Record what became of a step."""
    key = f"{customer}/{site}"
    bench: BenchRecords = records.bench
    bench.tick(key, device, step, ticking.result, seen=ticking.seen, note=ticking.note, measured=ticking.measured,
               by=person.author)  # fmt: skip
    return _shown(records, key, device)


@router.delete("/bench/{device}/steps/{step}")
def untick_step(
    customer: Code,
    site: Code,
    device: DeviceId,
    step: StepKey,
    records: Recorded,
    person: Staging,
    seen: Annotated[datetime | None, Query()] = None,
) -> RunShown:
    """Take back what was recorded of a step."""
    key = f"{customer}/{site}"
    records.bench.untick(key, device, step, seen)
    return _shown(records, key, device)


@router.post("/bench/{device}/judge")
def judge_answer(customer: Code, site: Code, device: DeviceId, judging: Judging, person: Staging) -> MeasuredShown:
    """Judge an answer while it is typed; nothing is recorded."""
    try:
        outcome, words, value = judge(judging.kind, judging.text, judging.expect)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return MeasuredShown(text=value, outcome=outcome, words=words)


@router.post("/bench/{device}/backups")
def attach_backup(
    customer: Code,
    site: Code,
    device: DeviceId,
    records: Recorded,
    person: Staging,
    file: Annotated[UploadFile, File()],
) -> RunShown:
    """Keep a back-up of a box, sealed."""
    key = f"{customer}/{site}"
    name = PurePath(file.filename or "backup").name
    records.bench.attach(key, device, name, file.file.read(), person.author)
    return _shown(records, key, device)


@router.get("/bench/{device}/backups/{backup}", response_class=Response)
def fetch_backup(
    customer: Code, site: Code, device: DeviceId, backup: Number, records: Recorded, person: Reading
) -> Response:
    """A back-up, opened; the journal tells of it."""
    name, content = records.bench.fetch(f"{customer}/{site}", device, backup, person.author)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(content, media_type="application/octet-stream", headers=headers)


@router.post("/shipment", response_model=Desk)
def ship(customer: Code, site: Code, shipping: Shipping, records: Recorded, person: Staging) -> Response:
    """Record that a cleared site with finished run sheets has left."""
    key = f"{customer}/{site}"
    records.bench.ship(key, shipping.revision, shipping.carrier, shipping.reference, person.author)
    return desk_of(records, key)
