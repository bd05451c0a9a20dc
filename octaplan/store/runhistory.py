"""All runs of a site, of boxes that are gone too, and everything that was ever recorded in one."""

from __future__ import annotations

import json
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import func, select

from octaplan.store.database import Database
from octaplan.store.models import Recording, Run, Site, Tick
from octaplan.store.runs import BackupTaken, BoxOfRun, Measured, Result, Ticked
from octaplan.store.staging import BenchError, backups_of, ticked


class RunTold(NamedTuple):
    """A run in a list: of which box, when begun and by whom, and how many steps are recorded, how many as trouble."""

    id: int
    device: str
    box: BoxOfRun
    at: datetime
    by: str
    recorded: int
    troubles: int


class Recorded(NamedTuple):
    """One thing that was recorded of a step, at the time it was; `result` may also be `taken back`."""

    step: str
    title: str
    result: str
    note: str
    measured: dict[str, Measured]
    at: datetime
    by: str


class RunRecord(NamedTuple):
    """One run whole: what counts of each step, all that was recorded on the way, and the back-ups."""

    run: RunTold
    ticks: dict[str, Ticked]
    recordings: list[Recorded]
    backups: list[BackupTaken]


class RunHistory:
    """Reads runs that were; nothing is changed here."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def of(self, site: str) -> list[RunTold]:
        """The runs of a site, newest first."""
        query = (
            select(
                Run,
                func.count(Tick.step),
                func.coalesce(func.sum((Tick.outcome == Result.FAILED).cast(Run.id.type)), 0),
            )
            .join(Site)
            .outerjoin(Tick, Tick.run_id == Run.id)
            .where(Site.key == site.casefold())
            .group_by(Run.id)
            .order_by(Run.id.desc())
            .limit(500)
        )
        with self._database.reading() as session:
            return [_told(run, recorded, troubles) for run, recorded, troubles in session.execute(query)]

    def record(self, site: str, number: int) -> RunRecord:
        """One run of a site. Raises `BenchError` when there is none of that number."""
        with self._database.reading() as session:
            run = session.scalars(
                select(Run).join(Site).where(Site.key == site.casefold(), Run.id == min(number, 1 << 62))
            ).first()
            if run is None:
                raise BenchError("There is no such run of this site")
            ticks = {tick.step: ticked(tick) for tick in session.scalars(select(Tick).where(Tick.run_id == run.id))}
            rows = session.scalars(select(Recording).where(Recording.run_id == run.id).order_by(Recording.id))
            recordings = [
                Recorded(
                    row.step,
                    row.title,
                    row.outcome,
                    row.note,
                    {key: Measured(*answer) for key, answer in json.loads(row.measured).items()},
                    row.at,
                    row.by,
                )
                for row in rows
            ]
            troubles = sum(tick.result is Result.FAILED for tick in ticks.values())
            backups = [taken for _, taken in backups_of(session, run.id)]
            return RunRecord(_told(run, len(ticks), troubles), ticks, recordings, backups)


def _told(run: Run, recorded: int, troubles: int) -> RunTold:
    return RunTold(run.id, run.device, BoxOfRun(**json.loads(run.box)), run.at, run.by, recorded, troubles)
