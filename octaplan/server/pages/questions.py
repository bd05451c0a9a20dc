"""Open questions across all sites: lists to send, and answers read back."""

from __future__ import annotations

import io
from datetime import datetime
from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import APIRouter, File, Query, Response, UploadFile
from fastapi.responses import PlainTextResponse
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.questions import Whom
from octaplan.core.propose.asking import (
    ASKED_COLUMNS,
    LONGEST_LIST,
    Came,
    ListedQuestions,
    as_rows,
    as_text,
    read_rows,
    sites_named_in,
)
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.answers import write_answers
from octaplan.formats.spreadsheet import MEDIA
from octaplan.formats.tables import csv_text
from octaplan.server.dependencies import Recorded, Working
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Problem
from octaplan.store.accounts import Person
from octaplan.store.answers import Matched
from octaplan.store.journal import Act
from octaplan.store.records import Records
from octaplan.worker import errands

router = APIRouter(prefix="/api/questions", tags=["questions"])

#: How many sites of a list are named beside it.
NAMED = 40

Who = Annotated[str, Query(max_length=200)]
Code = Annotated[str, StringConstraints(max_length=40)]


class SiteAsked(BaseModel):
    customer: str
    site: str
    name: str


class ListShown(BaseModel):
    """What is open with one of those who are asked; `first` are some of the sites it is about."""

    whom: Whom
    who: str
    sites: int
    total: int
    first: list[SiteAsked]


class Pasted(BaseModel):
    text: Annotated[str, StringConstraints(max_length=LONGEST_LIST)]


class AgainstShown(BaseModel):
    confirmed: str
    by: str
    at: datetime


class MatchedShown(BaseModel):
    """An answer that came back, beside what the plan says."""

    customer: str
    site: str
    name: str
    circuit: str
    key: str
    short: str
    before: str
    text: str
    doubt: str
    problem: str
    against: AgainstShown | None


class AnswerTaken(BaseModel):
    customer: Code
    site: Code
    key: Annotated[str, StringConstraints(max_length=60)]
    text: Annotated[str, StringConstraints(max_length=2_000)]


class Taking(BaseModel):
    answers: Annotated[list[AnswerTaken], Field(min_length=1, max_length=20_000)]
    source: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    confirmed: bool = False
    overwrite: Annotated[bool, Field(description="Whether confirmed answers may be replaced")] = False


class TakenShown(BaseModel):
    batch: str
    sites: int


@router.get("")
def questions(records: Recorded, person: Looking, customer: Who = "") -> list[ListShown]:
    """What is open, by whom to ask."""
    return [_listed(one) for one in records.answers.open(customer=customer)]


def _listed(listed: ListedQuestions) -> ListShown:
    sites = {(one.customer, one.site): one.name for one in listed.questions}
    first = list(sites.items())[:NAMED]
    return ListShown(
        whom=listed.whom,
        who=listed.who,
        sites=len(sites),
        total=len(listed.questions),
        first=[SiteAsked(customer=customer, site=site, name=name) for (customer, site), name in first],
    )


def _exported(records: Records, person: Person, whom: Whom, who: str, customer: str) -> list[ListedQuestions]:
    """A list that goes out; the journal tells of it."""
    records.journal.note(Act.EXPORTED, person.author, f"open questions, {whom} {who}".strip())
    return records.answers.open(whom, who, customer)


@router.get("/list.txt", response_class=PlainTextResponse)
def list_as_text(records: Recorded, person: Looking, whom: Whom, who: Who, customer: Who = "") -> PlainTextResponse:
    """A list as it is sent: answers are written behind its colons."""
    return PlainTextResponse("\n".join(map(as_text, _exported(records, person, whom, who, customer))))


@router.get("/list.csv", response_class=Response)
def list_as_csv(records: Recorded, person: Looking, whom: Whom, who: Who, customer: Who = "") -> Response:
    """A list as a table to fill in."""
    rows = as_rows(_exported(records, person, whom, who, customer))
    headers = {"Content-Disposition": 'attachment; filename="questions.csv"'}
    text = csv_text(ASKED_COLUMNS, rows)
    return Response(text.encode("utf-8-sig"), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/list.{kind}", response_class=Response)
def list_as_workbook(
    records: Recorded, person: Looking, kind: Literal["xlsx", "ods"], whom: Whom, who: Who, customer: Who = ""
) -> Response:
    """The same as a workbook."""
    content = io.BytesIO()
    write_answers(content, as_rows(_exported(records, person, whom, who, customer)), f".{kind}")
    headers = {"Content-Disposition": f'attachment; filename="questions.{kind}"'}
    return Response(content.getvalue(), media_type=MEDIA[f".{kind}"], headers=headers)


@router.post("/read")
def read_pasted(pasted: Pasted, workers: Working, records: Recorded, person: Looking) -> list[MatchedShown]:
    """Answers in a list that came back as text; nothing is saved."""
    try:
        named = sites_named_in(records.now.sites.all(), pasted.text)
        came = workers.do(person.name, errands.answers_read, named, pasted.text)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return _matched(records.answers.match(came, person.author))


@router.post("/read-table")
def read_table(
    workers: Working, records: Recorded, person: Looking, file: Annotated[UploadFile, File()]
) -> list[MatchedShown]:
    """Answers in a table that came back; nothing is saved."""
    name = (file.filename or "table")[:200]
    rows = workers.do(person.name, errands.answers_unpacked, name, file.file.read())
    return _matched(records.answers.match(read_rows(records.now.sites.all(), rows), person.author))


@router.post("/take")
def take_answers(taking: Taking, records: Recorded, person: Planning) -> TakenShown:
    """Take answers at all their sites, in one transaction with one undo."""
    came = [Came(one.customer, one.site, one.key, one.text) for one in taking.answers]
    batch, sites = records.answers.take(
        came, person.author, taking.source, confirmed=taking.confirmed, overwrite=taking.overwrite
    )
    return TakenShown(batch=batch, sites=sites)


def _matched(matched: list[Matched]) -> list[MatchedShown]:
    return [
        MatchedShown(
            customer=one.came.customer,
            site=one.came.site,
            name=one.name or one.came.site,
            circuit=one.circuit,
            key=one.came.key,
            short=one.short,
            before=one.before,
            text=one.came.text,
            doubt=one.came.doubt,
            problem=one.problem,
            against=(
                AgainstShown(confirmed=one.against.confirmed, by=one.against.by, at=one.against.at)
                if one.against
                else None
            ),
        )
        for one in matched
    ]
