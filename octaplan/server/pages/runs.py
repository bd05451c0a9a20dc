"""The page All runs of a site: what was ever staged there, also boxes that have been exchanged since."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel

from octaplan.server.dependencies import Recorded
from octaplan.server.pages.bench import MeasuredShown, TickShown, tick_shown
from octaplan.server.pages.desk import Code
from octaplan.server.permissions import Looking
from octaplan.store.runhistory import RunTold
from octaplan.store.runs import BackupTaken

router = APIRouter(prefix="/api/sites/{customer}/{site}/runs", tags=["bench"])


class RunLine(BaseModel):
    """A run in the list. `here` says whether its box is still planned, `counts` whether no newer run of it is."""

    id: int
    device: str
    name: str
    type: str
    serial: str
    asset_tag: str
    at: datetime
    by: str
    recorded: int
    troubles: int
    here: bool
    counts: bool


class RecordingShown(BaseModel):
    step: str
    title: str
    result: str
    note: str
    measured: dict[str, MeasuredShown]
    at: datetime
    by: str


class StepRecord(BaseModel):
    """What counts of one step: what it asked for then, and what became of it."""

    step: str
    group: str
    title: str
    tick: TickShown


class SecretOfRun(BaseModel):
    """A secret that the box of a run had; its text is read by its slot."""

    path: str
    label: str


class RunRecordShown(BaseModel):
    """One run to keep and to print."""

    run: RunLine
    steps: list[StepRecord]
    recordings: list[RecordingShown]
    backups: list[BackupTaken]
    secrets: list[SecretOfRun]


@router.get("")
def runs(customer: Code, site: Code, records: Recorded, person: Looking) -> list[RunLine]:
    """All runs of a site, newest first."""
    key = f"{customer}/{site}"
    planned = set(records.now.sites.plan(key).devices)
    newest: set[str] = set()
    lines = []
    for run in records.runhistory.of(key):
        lines.append(_line(run, here=run.device in planned, counts=run.device not in newest))
        newest.add(run.device)
    return lines


@router.get("/{number}")
def run_record(
    customer: Code, site: Code, number: Annotated[int, Path(ge=1, le=1 << 62)], records: Recorded, person: Looking
) -> RunRecordShown:
    """One run whole: what counts of each step, all that was recorded on the way, evidence."""
    key = f"{customer}/{site}"
    now = records.now
    plan = now.sites.plan(key)
    record = records.runhistory.record(key, number)
    device = record.run.device
    kind = next((one for one in now.types.types.values() if one.title == record.run.box.type), None)
    known = {f"devices/{device}/{name}": slot.label for name, slot in kind.slots.items()} if kind else {}
    secrets = [
        SecretOfRun(path=path, label=known.get(path) or path.rsplit("/", 1)[-1].replace("-", " "))
        for path in now.secrets.kept(plan.key)
        if path.startswith(f"devices/{device}/")
    ]
    latest = now.runs.at(plan.key).get(device)
    steps = sorted(record.ticks.items(), key=lambda pair: pair[1].at)
    return RunRecordShown(
        run=_line(record.run, here=device in plan.devices, counts=latest is not None and latest.id == number),
        steps=[
            StepRecord(step=step, group=tick.asked.group, title=tick.asked.title or step, tick=tick_shown(tick))
            for step, tick in steps
        ],
        recordings=[
            RecordingShown(
                step=one.step,
                title=one.title or one.step,
                result=one.result,
                note=one.note,
                measured={
                    name: MeasuredShown.model_validate({"text": m.text, "outcome": m.outcome, "words": m.words})
                    for name, m in one.measured.items()
                },
                at=one.at,
                by=one.by,
            )
            for one in record.recordings
        ],
        backups=record.backups,
        secrets=secrets,
    )


def _line(run: RunTold, *, here: bool, counts: bool) -> RunLine:
    return RunLine(
        id=run.id,
        device=run.device,
        name=run.box.name or run.device,
        type=run.box.type,
        serial=run.box.serial,
        asset_tag=run.box.asset_tag,
        at=run.at,
        by=run.by,
        recorded=run.recorded,
        troubles=run.troubles,
        here=here,
        counts=counts,
    )
