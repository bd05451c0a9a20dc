"""Loading intake tables that were dropped on Outbound."""

from __future__ import annotations

import io
import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from http import HTTPStatus
from typing import Annotated, Literal

import structlog
from fastapi import APIRouter, File, Path, Request, Response, UploadFile
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.values.errors import OctaplanError, in_words
from octaplan.formats import report
from octaplan.formats.spreadsheet import MEDIA
from octaplan.formats.tables import NAMES
from octaplan.formats.workbook import write_workbook
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Number, Problem
from octaplan.store.imports import ImportGone, ImportMoved, Imports, Loaded, Preview

log = structlog.get_logger()

router = APIRouter(prefix="/api/imports", tags=["imports"])

CHANGES_SHOWN = 100
SITES_SHOWN = 1_000
REFUSED_SHOWN = 1_000

#: How long an answer waits for an import to be through, in seconds; it goes on after.
PATIENCE = 2.0

#: How many imports are remembered.
JOBS = 16

#: How many are worked on at once; each may hold a table of hundreds of megabytes.
WORKERS = 2

ImportId = Annotated[str, Path(pattern=r"^[0-9a-f]{16}$")]


class ImportedChange(BaseModel):
    subject: str
    field: str
    before: str
    after: str


class SiteShown(BaseModel):
    customer: str
    site: str
    name: str
    new: bool
    circuits: int
    segments: int
    hosts: int
    changes: list[ImportedChange]
    changes_total: int
    secrets: int
    doubts: list[str]


class RefusedShown(BaseModel):
    file: str
    row: int
    column: str
    value: str
    problem: str


class CorrectedShown(BaseModel):
    file: str
    row: int
    column: str
    value: str
    became: str


class IgnoredShown(BaseModel):
    file: str
    column: str


class PreviewShown(BaseModel):
    """What loading the files would do."""

    id: str
    sites: list[SiteShown]
    new_total: int
    changed_total: int
    unchanged_total: int
    refused: list[RefusedShown]
    refused_rows: int
    refused_tables: list[str]
    corrected: list[CorrectedShown]
    ignored_columns: list[IgnoredShown]


class Phase(StrEnum):
    """How far an import is."""

    READING = "reading"
    READY = "ready"
    LOADING = "loading"
    LOADED = "loaded"
    FAILED = "failed"
    CANCELLED = "cancelled"


class ImportShown(BaseModel):
    """An import: `done` of `total` are bytes while it is read, sites while it is loaded."""

    id: str
    phase: Phase
    done: int
    total: int
    problem: str
    preview: PreviewShown | None
    sites: int
    batch: str | None


class ImportChoice(BaseModel):
    """Which sites of a preview are left out, as `CUSTOMER/SITE`."""

    without: Annotated[list[Annotated[str, StringConstraints(max_length=81)]], Field(max_length=20_000)] = []


class FaultShown(BaseModel):
    column: str
    value: str
    problem: str


class WaitingShown(BaseModel):
    """A refused row in the inbox, with what is wrong about it."""

    id: int
    at: datetime
    by: str
    table: str
    file: str
    row: int
    header: list[str]
    cells: list[str]
    faults: list[FaultShown]


class Cells(BaseModel):
    cells: Annotated[list[Annotated[str, StringConstraints(max_length=2_000)]], Field(min_length=1, max_length=200)]


class MendedRowShown(BaseModel):
    """What a mended row changed, or why it is refused again."""

    changes: list[str]
    faults: list[FaultShown]
    batch: str | None


def _desk(request: Request) -> ImportDesk:
    desk: ImportDesk = request.app.state.import_desk
    return desk


@router.post("")
def begin(request: Request, person: Planning, files: Annotated[list[UploadFile], File(max_length=20)]) -> ImportShown:
    """Read tables and say what loading them would do; nothing is changed yet. Large ones are read on while the answer
    says how far it is."""
    contents = [((file.filename or "table")[:200], file.file.read()) for file in files]
    if any(not content for _, content in contents):
        empty = next(name for name, content in contents if not content)
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"{empty} is empty: its first row must name the columns")
    return _state(_desk(request).begin(contents, person.author))


@router.get("/inbox")
def inbox(records: Recorded, person: Looking) -> list[WaitingShown]:
    """Rows that were refused and are neither mended nor dismissed."""
    return [
        WaitingShown(**waiting._asdict() | {"faults": [FaultShown(**fault._asdict()) for fault in waiting.faults]})
        for waiting in records.imports.inbox()
    ]


@router.put("/inbox/{number}")
def mend_row(number: Number, cells: Cells, records: Recorded, person: Planning) -> MendedRowShown:
    """Take a refused row with other cells."""
    mended = records.imports.mend(number, cells.cells, person.author)
    faults = [FaultShown(**fault._asdict()) for fault in mended.faults]
    return MendedRowShown(changes=mended.changes, faults=faults, batch=mended.batch)


@router.delete("/inbox/{number}", status_code=HTTPStatus.NO_CONTENT)
def dismiss_row(number: Number, records: Recorded, person: Planning) -> None:
    """Let a refused row go."""
    records.imports.dismiss(number, person.author)


@router.get("/template.{kind}", response_class=Response)
def template(person: Looking, kind: Literal["xlsx", "ods"]) -> Response:
    """An empty intake workbook to fill in."""
    content = io.BytesIO()
    write_workbook(content, suffix=f".{kind}")
    headers = {"Content-Disposition": f'attachment; filename="intake.{kind}"'}
    return Response(content.getvalue(), media_type=MEDIA[f".{kind}"], headers=headers)


@router.get("/{import_id}")
def state(import_id: ImportId, request: Request, person: Looking) -> ImportShown:
    """How far an import is, and once it is read, what it would do."""
    return _state(_desk(request).job(import_id))


@router.post("/{import_id}/apply")
def apply(import_id: ImportId, choice: ImportChoice, request: Request, person: Planning) -> ImportShown:
    """Load what was previewed, but for the sites that are left out: all of it, or nothing. The sites come one after
    another; when it is stopped, those that have come are taken back."""
    return _state(_desk(request).apply(import_id, choice.without, person.author))


@router.delete("/{import_id}")
def cancel(import_id: ImportId, request: Request, person: Planning) -> ImportShown:
    """Stop an import: what is being read or loaded is given up, and nothing of it is kept."""
    return _state(_desk(request).cancel(import_id))


@router.get("/{import_id}/refused/{table}.csv", response_class=Response)
def refused(import_id: ImportId, table: str, records: Recorded, person: Looking) -> Response:
    """The refused rows of one table, to mend and load again."""
    if table not in NAMES:
        raise Problem(HTTPStatus.NOT_FOUND, f"{table[:40]} is none of {', '.join(NAMES)}")
    text = records.imports.refused_table(import_id, table)
    headers = {"Content-Disposition": f'attachment; filename="{table}.csv"'}
    return Response(text.encode("utf-8-sig"), media_type="text/csv; charset=utf-8", headers=headers)


def _state(job: Job) -> ImportShown:
    return ImportShown(
        id=job.id,
        phase=job.phase,
        done=min(job.done, job.total),
        total=job.total,
        problem=job.problem,
        preview=job.shown if job.phase in (Phase.READY, Phase.LOADED) else None,
        sites=job.loaded.sites if job.loaded else 0,
        batch=job.loaded.batch if job.loaded else None,
    )


def _shown(preview: Preview) -> PreviewShown:
    intake = preview.intake
    news = [site for site in preview.sites if site.new]
    changed = [site for site in preview.sites if not site.new and (site.changes or site.secrets)]
    listed = sorted([*changed, *news], key=lambda site: not site.doubts)
    refused = {row.table for row in intake.refused}
    return PreviewShown(
        id=preview.id,
        new_total=len(news),
        changed_total=len(changed),
        unchanged_total=len(preview.sites) - len(news) - len(changed),
        sites=[
            SiteShown(
                customer=site.plan.customer,
                site=site.plan.site,
                name=site.plan.name or site.plan.site,
                new=site.new,
                circuits=len(site.plan.circuits),
                segments=len(site.plan.segments),
                hosts=len(site.plan.hosts),
                changes=[
                    ImportedChange(
                        subject=str(c) if not c.field else c.subject, field=c.field, before=c.before, after=c.after
                    )
                    for c in site.changes[:CHANGES_SHOWN]
                ],
                changes_total=len(site.changes),
                secrets=site.secrets,
                doubts=list(site.doubts),
            )
            for site in listed[:SITES_SHOWN]
        ],
        refused=[RefusedShown(**entry) for entry in report.refusals(intake.refused[:REFUSED_SHOWN])],
        refused_rows=len(intake.refused),
        refused_tables=[name for name in NAMES if name in refused],
        corrected=[CorrectedShown(**entry._asdict()) for entry in intake.corrected[:REFUSED_SHOWN]],
        ignored_columns=[IgnoredShown(**entry._asdict()) for entry in intake.ignored_columns],
    )


class Cancelled(Exception):
    """An import that somebody has stopped."""


@dataclass
class Job:
    """One import: what it is at, and what came of it."""

    id: str
    phase: Phase
    total: int
    done: int = 0
    problem: str = ""
    shown: PreviewShown | None = None
    loaded: Loaded | None = None
    unseen: list[str] = field(default_factory=list)
    stop: bool = False
    work: Future[None] | None = None
    ended: threading.Event = field(default_factory=threading.Event)

    def progress(self, more: int) -> None:
        """Told how much more is done; ends the work once somebody has stopped it."""
        if self.stop:
            raise Cancelled
        self.done += more


class ImportDesk:
    """The imports under way. A few are worked on at once; the others wait until one of them is through."""

    def __init__(self, imports: Imports) -> None:
        self._imports = imports
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._workers = ThreadPoolExecutor(WORKERS, "import")

    def close(self) -> None:
        """Stop what is under way; what has come of it is taken back."""
        for job in self._jobs.values():
            job.stop = True
        self._workers.shutdown(cancel_futures=True)

    def begin(self, files: list[tuple[str, bytes]], by: str) -> Job:
        """Read files; the answer comes when they are read, or after a while, whichever is first."""
        job = Job(secrets.token_hex(8), Phase.READING, sum(len(content) for _, content in files))

        def read() -> None:
            preview = self._imports.preview(files, by, job.progress, job.id)
            job.shown = _shown(preview)
            seen = {(site.customer, site.site) for site in job.shown.sites}
            doubtful = (site.plan for site in preview.sites if site.doubts)
            job.unseen = [plan.key for plan in doubtful if (plan.customer, plan.site) not in seen]
            job.phase = Phase.READY

        self._make_room()
        self._jobs[job.id] = job
        return self._work(job, read)

    def _make_room(self) -> None:
        """Forget the oldest import that nobody works on."""
        idle = [known for known, job in self._jobs.items() if job.phase not in (Phase.READING, Phase.LOADING)]
        for known in idle[: max(0, len(self._jobs) + 1 - JOBS)]:
            del self._jobs[known]
        if len(self._jobs) >= JOBS:
            raise Problem(
                HTTPStatus.SERVICE_UNAVAILABLE,
                f"{JOBS} imports are under way already: wait until one of them is through, then drop the files again",
                retry_after=30,
            )

    def apply(self, import_id: str, without: list[str], by: str) -> Job:
        """Load what was read."""
        job = self._jobs.get(import_id) or Job(import_id, Phase.READY, 0)
        self._jobs[import_id] = job
        if job.phase is not Phase.READY:
            raise ImportGone("This import has been applied or stopped already: drop the files again")
        job.phase, job.done, job.ended = Phase.LOADING, 0, threading.Event()
        job.total = job.shown.new_total + job.shown.changed_total if job.shown else 0
        without = [*without, *job.unseen]

        def load() -> None:
            try:
                job.loaded = self._imports.apply(import_id, by, without, lambda _: job.progress(1))
            except ImportMoved:
                job.phase = Phase.FAILED
                raise
            job.phase = Phase.LOADED

        return self._work(job, load)

    def cancel(self, import_id: str) -> Job:
        """Stop what an import is at."""
        job = self.job(import_id)
        job.stop = True
        if job.work is not None and job.work.cancel():  # it was still waiting for others
            job.phase = Phase.READY if job.shown else Phase.CANCELLED
        elif job.phase in (Phase.READING, Phase.LOADING):
            job.ended.wait(PATIENCE)
        if job.phase is Phase.READY:
            job.phase = Phase.CANCELLED
            self._imports.discard(import_id)
        return job

    def job(self, import_id: str) -> Job:
        """An import that is known. Raises `ImportGone`."""
        if import_id not in self._jobs:
            raise ImportGone("This import is not known any more: drop the files again")
        return self._jobs[import_id]

    def _work(self, job: Job, work: Callable[[], None]) -> Job:
        """Do the work in a thread, and wait a little for it. Raises what it raised in the meantime."""
        failure: list[OctaplanError] = []

        def run() -> None:
            try:
                work()
            except Cancelled as stopped:
                job.phase, job.problem = Phase.CANCELLED, in_words(stopped)
            except OctaplanError as error:
                if not hasattr(error, "__notes__"):
                    error.add_note("Nothing was changed")
                job.phase, job.problem = Phase.FAILED, in_words(error)
                failure.append(error)
            except Exception as error:
                log.error("import failed", error=type(error).__name__, exc_info=error)
                job.phase = Phase.FAILED
                job.problem = (
                    "Something went wrong on the server. What was loaded of it is taken back, at the latest when "
                    "Octaplan is started again. Its log says more"
                )
            finally:
                job.ended.set()

        job.work = self._workers.submit(run)
        job.ended.wait(PATIENCE)
        if failure:
            raise failure[0]
        return job
