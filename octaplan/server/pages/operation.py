"""How Octaplan itself is: health for whoever watches over it, measures, and the page Operation for administrators."""

from __future__ import annotations

import asyncio
import os
import resource
import shutil
import threading
import time
from collections import Counter
from datetime import UTC, datetime, timedelta
from http import HTTPStatus

import structlog
from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel
from sqlalchemy import text

from octaplan import __version__
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Administering, Measuring
from octaplan.server.problems import Problem
from octaplan.server.readings import FREELY
from octaplan.store.backups import BackupError, Schedule, tidy
from octaplan.store.chain import Head
from octaplan.store.database import FILE, Database
from octaplan.store.journal import Act
from octaplan.store.records import Records

router = APIRouter(prefix="/api", tags=["operation"])

#: Seconds after which a read that has not come back, or a writer's turn that has not ended, counts as failing.
READ_IN, TURN_IN = 5.0, 120.0
#: Bytes that are free on a disk with room.
LEAST_ROOM = 16 << 20

#: Seconds between looks at whether a copy is due.
LOOKS = 60.0

#: How often the log is told the head of the journal.
HEADS_TOLD = timedelta(hours=1)

log = structlog.get_logger()


class Measures:
    """What has been counted since the start."""

    def __init__(self) -> None:
        self.began = time.monotonic()
        self.since = datetime.now(UTC)
        self.answers: Counter[str] = Counter()
        self.seconds = 0.0

    def answered(self, status: int, seconds: float) -> None:
        """Count an answer."""
        self.answers[f"{status // 100}xx"] += 1
        self.seconds += seconds


class Health(BaseModel):
    status: str


class CopyShown(BaseModel):
    """A copy of all records that was made on the schedule."""

    name: str
    size: int
    at: datetime


class OperationShown(BaseModel):
    """What administrators may know of this installation."""

    version: str
    since: datetime
    sites: int
    sessions: int
    listeners: int
    failed_sign_ins: int
    disk_free: int
    disk_total: int
    database_size: int
    memory: int
    backups: str
    backup_every_hours: float
    backup_keep_days: float
    backup_keys: bool
    copies: list[CopyShown]
    journal_head: str
    safe_locked: str
    notes: list[str]


@router.get("/health")
async def health(records: Recorded, response: Response) -> Health:
    """Whether reads and writes of the records come back in time, and whether the disk has room. Says nothing more."""
    answer = await ready(records, response)
    if answer.status == "ok" and not _room(records.database):
        response.status_code = HTTPStatus.SERVICE_UNAVAILABLE
        return Health(status="full")
    return answer


@router.get("/ready")
async def ready(records: Recorded, response: Response) -> Health:
    """Whether requests are to be sent here: also while nothing can be written, since reading goes on."""
    if await _well(records.database):
        return Health(status="ok")
    response.status_code = HTTPStatus.SERVICE_UNAVAILABLE
    return Health(status="failing")


def _room(database: Database) -> bool:
    """Whether the last change could be written, and another can."""
    return database.writes and shutil.disk_usage(database.folder).free >= LEAST_ROOM


async def _well(database: Database) -> bool:
    if database.held_for > TURN_IN:
        return False
    try:
        async with asyncio.timeout(READ_IN):
            await run_in_threadpool(_read, database)
    except Exception as error:
        log.error("health", error=type(error).__name__)
        return False
    return True


def _read(database: Database) -> None:
    with database.reading() as session:
        session.execute(text("SELECT version_num FROM alembic_version")).one()


@router.get("/operation")
def operation(request: Request, person: Administering) -> OperationShown:
    """How this installation is."""
    state = request.app.state
    records: Records = state.records
    schedule: Schedule = state.schedule
    disk = shutil.disk_usage(records.database.folder)
    copies = [CopyShown(name=c.name, size=c.stat().st_size, at=_at(c.stat().st_mtime)) for c in schedule.copies()[:30]]
    head = records.journal.head()
    much = [
        f"{one.full_name} read {FREELY} secrets within an hour, on {one.at:%Y-%m-%d at %H:%M} UTC: ask what for"
        for one in state.readings.noticed.values()
    ]
    notes = [*much, *records.database.mended, *state.notes]
    return OperationShown(
        version=__version__,
        since=state.measures.since,
        sites=len(records.now.sites),
        sessions=records.accounts.sessions_open(),
        listeners=len(state.hub),
        failed_sign_ins=state.tries.failed,
        disk_free=disk.free,
        disk_total=disk.total,
        database_size=_database_size(records.database),
        memory=_memory(),
        backups=str(schedule.folder),
        backup_every_hours=schedule.every.total_seconds() / 3600,
        backup_keep_days=schedule.keep.total_seconds() / 86_400,
        backup_keys=bool(schedule.passphrase),
        copies=copies,
        journal_head=str(head) if head else "",
        safe_locked=records.vault.locked,
        notes=notes,
    )


@router.post("/operation/backups")
def back_up(request: Request, records: Recorded, person: Administering) -> OperationShown:
    """Make a copy of all records now."""
    try:
        made = request.app.state.schedule.make(records.database.folder)
    except BackupError as error:
        raise Problem(HTTPStatus.INSUFFICIENT_STORAGE, str(error)) from None
    records.journal.note(Act.OPERATION, person.author, f"copy made, {made.path.name}")
    return operation(request, person)


@router.get("/metrics", response_class=Response)
def metrics(request: Request, person: Measuring) -> Response:
    """Measures in the OpenMetrics text form, for administrators or whoever has the token."""
    return Response(_metrics(request), media_type="application/openmetrics-text; version=1.0.0; charset=utf-8")


def _metrics(request: Request) -> str:
    state = request.app.state
    records: Records = state.records
    measures: Measures = state.measures
    newest = state.schedule.newest()
    gauges: dict[str, tuple[str, float]] = {
        "sites": ("Sites.", len(records.now.sites)),
        "sessions": ("Sessions that have not ended.", records.accounts.sessions_open()),
        "listeners": ("Pages that listen to events.", len(state.hub)),
        "disk_free_bytes": ("Room on the disk of the data folder.", shutil.disk_usage(records.database.folder).free),
        "database_bytes": ("Size of the database.", _database_size(records.database)),
        "memory_bytes": ("Memory in use.", _memory()),
        "uptime_seconds": ("Time since the start.", time.monotonic() - measures.began),
        "turn_held_seconds": ("For how long one writer has had the turn.", records.database.held_for),
        "turn_waiting": ("How many writers wait for their turn.", records.database.waiting),
    }
    if newest is not None:
        age = (datetime.now(UTC) - newest).total_seconds()
        gauges["backup_age_seconds"] = ("Age of the newest copy of all records.", age)
    lines = []
    for name, (words, value) in gauges.items():
        lines += [f"# HELP octaplan_{name} {words}", f"# TYPE octaplan_{name} gauge", f"octaplan_{name} {value:g}"]
    lines += ["# HELP octaplan_answers Answers by class of status.", "# TYPE octaplan_answers counter"]
    lines += [f'octaplan_answers_total{{status="{s}"}} {many}' for s, many in sorted(measures.answers.items())]
    for name, words, total in (
        ("answering_seconds", "Time spent on answers.", measures.seconds),
        ("failed_sign_ins", "Tries to sign in that failed.", state.tries.failed),
    ):
        lines += [f"# HELP octaplan_{name} {words}", f"# TYPE octaplan_{name} counter"]
        lines.append(f"octaplan_{name}_total {total:g}")
    return "\n".join([*lines, "# EOF", ""])


def _database_size(database: Database) -> int:
    files = (database.folder / f"{FILE}{end}" for end in ("", "-wal"))
    return sum(file.stat().st_size for file in files if file.exists())


def _at(stamp: float) -> datetime:
    return datetime.fromtimestamp(stamp, UTC)


def _memory() -> int:
    """Bytes of memory in use now, or at most so far where the system does not tell."""
    try:
        with open("/proc/self/statm", encoding="ascii") as file:
            return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except OSError:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


class Clockwork:
    """Makes copies on the schedule and tells the log how far the journal has come, in a thread of its own, until it is
    told to end."""

    def __init__(self, records: Records, schedule: Schedule) -> None:
        self._records = records
        self._schedule = schedule
        self._since = datetime.now(UTC)
        self._told: tuple[datetime, Head | None] | None = None
        self._end = threading.Event()
        self._thread = threading.Thread(target=self._run, name="copies", daemon=True)

    def start(self) -> None:
        tidy(self._schedule.folder, beginning=True)
        self._thread.start()

    def end(self) -> None:
        self._end.set()

    def _run(self) -> None:
        while not self._end.wait(LOOKS):
            self._records.accounts.write_held()
            self.look(datetime.now(UTC))

    def look(self, now: datetime) -> bool:
        """Make a copy when one is due; whether one was made."""
        self._tell_head(now)
        if not self._schedule.every or not self._schedule.due(now, self._since):
            return False
        try:
            made = self._schedule.make(self._records.database.folder, now)
        except BackupError as error:
            log.error("no copy was made", why=str(error))
            self._since = now  # not again at once
            return False
        log.info("copy made", name=made.path.name, size=made.size)
        return True

    def _tell_head(self, now: datetime) -> None:
        """So that the head of the journal is wherever the log is sent: once an hour, when it has gone on."""
        head = self._records.journal.head()
        if self._told is None or (now - self._told[0] >= HEADS_TOLD and head != self._told[1]):
            log.info("journal", head=str(head) if head else "nothing yet")
            self._told = now, head
