"""Loading intake tables that were dropped on Outbound."""

from __future__ import annotations

import io
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, File, Path, Request, Response, UploadFile
from pydantic import BaseModel

from octaplan.formats import report
from octaplan.formats.tables import NAMES
from octaplan.formats.workbook import write_workbook
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Problem
from octaplan.store.imports import Imports, Preview

router = APIRouter(prefix="/api/imports", tags=["imports"])

CHANGES_SHOWN = 100
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

ImportId = Annotated[str, Path(pattern=r"^[0-9a-f]{16}$")]


class ChangeShown(BaseModel):
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
    changes: list[ChangeShown]
    changes_total: int
    secrets: int


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
    refused: list[RefusedShown]
    refused_rows: int
    refused_tables: list[str]
    corrected: list[CorrectedShown]
    ignored_columns: list[IgnoredShown]


class Applied(BaseModel):
    sites: int


def _imports(request: Request) -> Imports:
    imports: Imports = request.app.state.imports
    return imports


@router.post("")
def preview(
    request: Request, person: Planning, files: Annotated[list[UploadFile], File(max_length=20)]
) -> PreviewShown:
    """Read tables and say what loading them would do; nothing is changed yet."""
    contents = [((file.filename or "table")[:200], file.file.read()) for file in files]
    if any(not content for _, content in contents):
        empty = next(name for name, content in contents if not content)
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"{empty} is empty: its first row must name the columns")
    return _shown(_imports(request).preview(contents, person.full_name))


@router.get("/template.xlsx", response_class=Response)
def template(person: Looking) -> Response:
    """An empty intake workbook to fill in."""
    content = io.BytesIO()
    write_workbook(content)
    headers = {"Content-Disposition": 'attachment; filename="intake.xlsx"'}
    return Response(content.getvalue(), media_type=XLSX, headers=headers)


@router.post("/{import_id}/apply")
def apply(import_id: ImportId, request: Request, person: Planning) -> Applied:
    """Load what was previewed, all of it or nothing."""
    return Applied(sites=_imports(request).apply(import_id, person.full_name))


@router.get("/{import_id}/refused/{table}.csv", response_class=Response)
def refused(import_id: ImportId, table: str, request: Request, person: Looking) -> Response:
    """The refused rows of one table, to mend and load again."""
    if table not in NAMES:
        raise Problem(HTTPStatus.NOT_FOUND, f"{table[:40]} is none of {', '.join(NAMES)}")
    text = _imports(request).refused_table(import_id, table)
    headers = {"Content-Disposition": f'attachment; filename="{table}.csv"'}
    return Response(text.encode("utf-8-sig"), media_type="text/csv; charset=utf-8", headers=headers)


def _shown(preview: Preview) -> PreviewShown:
    intake = preview.intake
    return PreviewShown(
        id=preview.id,
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
                    ChangeShown(
                        subject=str(c) if not c.field else c.subject, field=c.field, before=c.before, after=c.after
                    )
                    for c in site.changes[:CHANGES_SHOWN]
                ],
                changes_total=len(site.changes),
                secrets=site.secrets,
            )
            for site in preview.sites
        ],
        refused=[RefusedShown(**entry) for entry in report.refusals(intake.refused)],
        refused_rows=len(intake.refused),
        refused_tables=[name for name in NAMES if any(row.table == name for row in intake.refused)],
        corrected=[CorrectedShown(**entry._asdict()) for entry in intake.corrected],
        ignored_columns=[IgnoredShown(**entry._asdict()) for entry in intake.ignored_columns],
    )
