"""The page Bench of the desk: run sheets, and what became of each step."""

from __future__ import annotations

from datetime import datetime
from http import HTTPStatus
from pathlib import PurePath
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import APIRouter, File, Path, Query, Request, Response, UploadFile
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.boxes import hangs_on, named
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.measures import LONGEST_MEASURED, Outcome, judge
from octaplan.core.stage.steps import Step
from octaplan.core.values.errors import OctaplanError
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, Desk, desk_of
from octaplan.server.permissions import Looking, Reading, Signing, Staging
from octaplan.server.problems import DeviceId, Number, Problem
from octaplan.store.bench import BenchRecords
from octaplan.store.records import Records
from octaplan.store.runs import AskedValue, BackupTaken, Result, Ticked
from octaplan.store.snapshot import Snapshot
from octaplan.store.staging import Staging as StagingOf
from octaplan.store.staging import changed_values, staging_of

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["bench"])

StepKey = Annotated[str, StringConstraints(max_length=80)]
Reason = Annotated[str, StringConstraints(max_length=400)]
MeasuredText = Annotated[str, StringConstraints(max_length=LONGEST_MEASURED)]


class ValueShown(BaseModel):
    label: str
    text: str
    secret: str
    copied: bool


class MeasureShown(BaseModel):
    key: str
    label: str
    kind: str
    expect: str
    needed: bool
    record: str
    beyond: bool


class MeasuredShown(BaseModel):
    """An answer and what it is worth; `skipped` when the check was skipped by itself, for the reason in `words`."""

    text: str
    outcome: Outcome | Literal["skipped"]
    words: str


class AskedShown(BaseModel):
    """A value that a step asked for; of a secret its slot and its number."""

    label: str
    text: str
    secret: str
    number: int


class ChangedShown(BaseModel):
    """A value that a step asked for when it was recorded, and the one that it asks for now."""

    label: str
    before: AskedShown | None
    after: AskedShown | None


class TickShown(BaseModel):
    result: Result
    at: datetime
    by: str
    note: str
    measured: dict[str, MeasuredShown]
    touched: bool
    accepted_by: str


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
    notes: list[str]
    tick: TickShown | None
    changes: list[ChangedShown]


class RunShown(BaseModel):
    """One device on the bench: its sheet, and what became of each step. `after` are the boxes that it hangs on."""

    device: str
    run: int | None
    after: list[str]
    name: str
    type: str
    ports: list[str]
    problem: str
    begun: datetime | None
    by: str
    finished: bool
    practice: bool
    steps: list[StepShown]
    backups: list[BackupTaken]


class Ticking(BaseModel):
    """What became of a step. `seen` is when it was last recorded, as the page knew it.

    `skips` are checks that are skipped by themselves, each with its reason; `take` are answers that the plan is to
    take over though it says something else.
    """

    result: Result
    seen: datetime | None = None
    note: Annotated[str, StringConstraints(max_length=400)] = ""
    measured: Annotated[dict[Annotated[str, StringConstraints(max_length=80)], MeasuredText], Field(max_length=64)] = {}
    skips: Annotated[dict[Annotated[str, StringConstraints(max_length=80)], Reason], Field(max_length=64)] = {}
    take: Annotated[list[Annotated[str, StringConstraints(max_length=80)]], Field(max_length=64)] = []


class AcceptingSkips(BaseModel):
    """That skipped checks of a step are accepted; `seen` is when the step was recorded, as the page knew it."""

    seen: datetime | None = None


class BenchPlace(BaseModel):
    """At which step somebody is, and whether anything is being typed there."""

    step: StepKey
    typing: bool = False


class Judging(BaseModel):
    kind: Annotated[str, StringConstraints(max_length=20)]
    expect: Annotated[str, StringConstraints(max_length=400)] = ""
    text: MeasuredText


class Shipping(BaseModel):
    revision: int
    carrier: Annotated[str, StringConstraints(max_length=200)] = ""
    reference: Annotated[str, StringConstraints(max_length=200)] = ""


def tick_shown(tick: Ticked) -> TickShown:
    """What became of a step, as pages have it."""
    measured = {
        key: MeasuredShown.model_validate({"text": m.text, "outcome": m.outcome, "words": m.words})
        for key, m in tick.measured.items()
    }
    return TickShown(result=tick.result, at=tick.at, by=tick.by, note=tick.note, measured=measured,
                     touched=tick.touched, accepted_by=tick.accepted_by)  # fmt: skip


def _step(now: Snapshot, key: str, step: Step, tick: Ticked | None) -> StepShown:
    changes = changed_values(now, key, step, tick) if tick is not None and tick.touched else []
    return StepShown(
        key=step.key,
        group=step.group,
        title=step.title,
        text=step.text,
        values=[ValueShown(label=v.label, text=v.text, secret=v.secret, copied=v.copied) for v in step.values],
        measures=[
            MeasureShown(
                key=m.key,
                label=m.label,
                kind=m.kind,
                expect=m.expect,
                needed=m.needed,
                record=m.record,
                beyond=m.beyond,
            )
            for m in step.measures
        ],
        before=step.before,
        after=step.after,
        lost=step.lost,
        mend=step.mend,
        notes=list(step.notes),
        tick=tick_shown(tick) if tick is not None else None,
        changes=[ChangedShown(label=c.label, before=_asked(c.before), after=_asked(c.after)) for c in changes],
    )


def _asked(value: AskedValue | None) -> AskedShown | None:
    return AskedShown(**value._asdict()) if value is not None else None


def run_shown(records: Records, key: str, device_id: str) -> RunShown:
    """The newest run of a device, as pages show it."""
    now = records.now
    staging: StagingOf = staging_of(now, key, device_id)
    device = now.sites.plan(key).devices[device_id]
    kind = now.types.types.get(device.type)
    plan = now.sites.plan(key)
    run = now.runs.at(plan.key).get(device_id)
    return RunShown(
        device=device_id,
        run=run.id if run else None,
        after=[named(plan.devices[one]) for one in hangs_on(plan, device_id)],
        name=named(device),
        type=kind.title if kind else device.type,
        ports=[name for name, port in kind.ports.items() if port.carries] if kind else [],
        problem=staging.problem,
        begun=staging.begun,
        by=staging.by,
        finished=staging.finished,
        practice=run is not None and run.practice,
        steps=[_step(now, plan.key, step, staging.ticks.get(step.key)) for step in staging.sheet.steps],
        backups=staging.backups,
    )


@router.get("/bench/{device}")
def run(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Looking) -> RunShown:
    """The run sheet of a device."""
    return run_shown(records, f"{customer}/{site}", device)


@router.post("/bench/{device}")
def begin_run(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Staging) -> RunShown:
    """Begin to stage a device, or begin again."""
    key = f"{customer}/{site}"
    records.bench.begin(key, device, person.author)
    return run_shown(records, key, device)


@router.delete("/bench/{device}")
def take_back_run(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Staging) -> RunShown:
    """Leave a run in which nothing is recorded yet, for the one before it."""
    key = f"{customer}/{site}"
    records.bench.take_back_run(key, device)
    return run_shown(records, key, device)


@router.put("/bench/{device}/here", status_code=HTTPStatus.NO_CONTENT)
def tell_place(
    request: Request, customer: Code, site: Code, device: DeviceId, place: BenchPlace, person: Staging
) -> None:
    """Tell who looks at the site at which step one is; nothing is kept."""
    told = {"device": device, "step": place.step, "typing": place.typing, "name": person.full_name}
    request.app.state.hub.on_bench(f"{customer}/{site}".casefold(), told)


@router.put("/bench/{device}/steps/{step}")
def tick_step(
    request: Request,
    customer: Code,
    site: Code,
    device: DeviceId,
    step: Annotated[str, Path(max_length=80)],
    ticking: Ticking,
    records: Recorded,
    person: Staging,
) -> RunShown:
    """Record what became of a step."""
    key = f"{customer}/{site}"
    bench: BenchRecords = records.bench
    bench.tick(key, device, step, ticking.result, seen=ticking.seen, note=ticking.note, measured=ticking.measured,
               skips=ticking.skips, take=ticking.take, by=person.author)  # fmt: skip
    told = {"device": device, "step": step, "typing": False, "name": person.full_name, "recorded": True}
    request.app.state.hub.on_bench(key.casefold(), told)
    return run_shown(records, key, device)


@router.post("/bench/{device}/steps/{step}/acceptance", response_model=Desk)
def accept_skips(
    customer: Code,
    site: Code,
    device: DeviceId,
    step: Annotated[str, Path(max_length=80)],
    accepting: AcceptingSkips,
    records: Recorded,
    person: Signing,
) -> Response:
    """Accept that checks of a step were skipped, so that the site may ship without them."""
    key = f"{customer}/{site}"
    records.bench.accept(key, device, step, accepting.seen, person.author)
    return desk_of(records, key)


@router.delete("/bench/{device}/steps/{step}")
def untick_step(
    customer: Code,
    site: Code,
    device: DeviceId,
    step: Annotated[str, Path(max_length=80)],
    records: Recorded,
    person: Staging,
    seen: Annotated[datetime | None, Query()] = None,
) -> RunShown:
    """Take back what was recorded of a step."""
    key = f"{customer}/{site}"
    records.bench.untick(key, device, step, seen, person.author)
    return run_shown(records, key, device)


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
    return run_shown(records, key, device)


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
