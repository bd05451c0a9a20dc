"""The intake page of a desk: what must be known of the site, who said what, and what is still open."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Header, Response
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.questions import Standing, State, Whom
from octaplan.core.plan.replacement import Candidate, candidates
from octaplan.core.propose.answering import GivenAnswer
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, Desk, base_revision, desk_of
from octaplan.server.permissions import Looking, Planning
from octaplan.store.plans import Plans

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["intake"])

Key = Annotated[str, StringConstraints(max_length=60)]


class QuestionShown(BaseModel):
    """One question as it stands: what the plan says, who said so, and in which words it came."""

    key: str
    name: str
    whom: Whom
    asked: str
    short: str
    circuit: str
    path: str
    state: State
    value: str
    choices: list[str]
    optional: bool
    needed: bool
    source: str | None
    words: str | None
    by: str | None
    at: datetime | None
    confirmed: str | None


class IntakeShown(BaseModel):
    questions: list[QuestionShown]
    candidates: list[Candidate]


class AnswerGiven(BaseModel):
    """One answer; empty text takes it back."""

    key: Key
    text: Annotated[str, StringConstraints(max_length=2_000)]
    words: Annotated[str, StringConstraints(max_length=2_000)] = ""


class AnswersGiven(BaseModel):
    """Answers that came together."""

    answers: Annotated[list[AnswerGiven], Field(min_length=1, max_length=500)]
    source: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    confirmed: bool = False
    overwrite: Annotated[bool, Field(description="Whether confirmed answers may be replaced")] = False


def question_shown(one: Standing) -> QuestionShown:
    """A standing question as pages show it."""
    question, answer = one.question, one.answer
    return QuestionShown(
        key=one.key,
        name=question.name,
        whom=question.whom,
        asked=question.asked,
        short=question.short,
        circuit=one.circuit,
        path=one.path,
        state=one.state,
        value=one.value,
        choices=list(question.choices),
        optional=question.optional,
        needed=question.needed,
        source=answer.source if answer else None,
        words=answer.words if answer else None,
        by=answer.by if answer else None,
        at=answer.at if answer else None,
        confirmed=answer.text if answer and answer.confirmed else None,
    )


@router.get("/intake")
def intake(customer: Code, site: Code, records: Recorded, person: Looking) -> IntakeShown:
    """The questions that apply to a site, in the order one asks them."""
    sites, key = records.now.sites, f"{customer}/{site}"
    return IntakeShown(
        questions=[question_shown(one) for one in sites.standing_questions(key)],
        candidates=[c for c in candidates(sites.plan(key)) if c.value],
    )


@router.post("/answers", response_model=Desk)
def answers(
    customer: Code,
    site: Code,
    given: AnswersGiven,
    records: Recorded,
    person: Planning,
    if_match: Annotated[str, Header(max_length=20)],
) -> Response:
    """Take answers, all as one revision, made on the revision that `If-Match` names.

    What contradicts a confirmed answer is refused with both sides, unless `overwrite` says that it was chosen.
    """
    plans: Plans = records.plans
    key = f"{customer}/{site}"
    said = [GivenAnswer(one.key, one.text, one.words) for one in given.answers]
    plans.answer(
        key,
        said,
        base_revision(if_match),
        person.author,
        source=given.source,
        confirmed=given.confirmed,
        overwrite=given.overwrite,
    )
    return desk_of(records, key)
