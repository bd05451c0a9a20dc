"""A provider's letter: read into the fields of a circuit, looked at, and taken."""

from __future__ import annotations

from collections.abc import Sequence
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Header
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.propose.fragment import LETTER_FIELDS, LONGEST_LETTER, LetterValue, Read
from octaplan.core.values.errors import OctaplanError
from octaplan.server.dependencies import Recorded, Working
from octaplan.server.pages.desk import Code, Desk, base_revision, desk_shown
from octaplan.server.pages.proposals import ChoiceShown, Key, PlaceInLetter, ReadShown, operations_shown
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Problem
from octaplan.store.plans import Plans
from octaplan.store.refusals import NoSuchSite
from octaplan.worker import errands

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["letters"])


class LetterPasted(BaseModel):
    """What a provider wrote about the hand-off of a circuit."""

    circuit: Key
    text: Annotated[str, StringConstraints(max_length=LONGEST_LETTER)]


class LineRead(BaseModel):
    """What a letter says of one line, and what it calls that line."""

    named: str
    found: list[ReadShown]


class LetterRead(BaseModel):
    """Of two lines, both, in the order in which the letter speaks of them."""

    lines: list[LineRead]
    left: list[str]


class ValueTaken(BaseModel):
    """One value of a letter that was looked at."""

    field: Annotated[str, StringConstraints(pattern=f"^({'|'.join(LETTER_FIELDS)})$")]
    text: Annotated[str, StringConstraints(max_length=2_000)]


class LetterTaken(BaseModel):
    """The values of a letter for one circuit; `second` those of its other line, for a new circuit of that name.

    With `replaces` it is of a new line, and what is planned of the old one goes.
    """

    circuit: Key
    values: Annotated[list[ValueTaken], Field(max_length=len(LETTER_FIELDS))]
    second: Annotated[list[ValueTaken], Field(max_length=len(LETTER_FIELDS))] = []
    label: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=70)] = "Second line"
    source: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    confirmed: bool = False
    replaces: bool = False


class LetterValueLeft(BaseModel):
    """A value that the plan does not take, and why."""

    field: str
    label: str
    text: str
    problem: str


class LetterResult(BaseModel):
    """The desk as it stands after a letter, and what of the letter was left out."""

    desk: Desk
    left: list[LetterValueLeft]


@router.post("/letter")
def letter(
    customer: Code, site: Code, letter: LetterPasted, workers: Working, records: Recorded, person: Looking
) -> LetterRead:
    """Read what a provider wrote into the fields of a circuit; nothing is saved, and the text is not kept."""
    plan = records.now.of(customer).plan(f"{customer}/{site}")
    if letter.circuit not in plan.circuits:
        raise NoSuchSite("That circuit has been removed by somebody else: look at the page again")
    try:
        read = workers.do(person.name, errands.letter_read, plan, letter.circuit, letter.text)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return LetterRead(
        lines=[LineRead(named=line.named, found=_shown(line.found)) for line in read.lines], left=read.left
    )


def _shown(found: Sequence[Read]) -> list[ReadShown]:
    return [
        ReadShown(
            field=one.field,
            label=LETTER_FIELDS[one.field],
            text=one.text,
            echo=one.echo,
            operations=operations_shown(one.operations),
            problem=one.problem,
            places=[PlaceInLetter(**place._asdict()) for place in one.places],
            sure=one.sure,
            others=[ChoiceShown(text=c.text, operations=operations_shown(c.operations)) for c in one.others],
        )
        for one in found
    ]


@router.post("/letter/take")
def take_letter(
    customer: Code,
    site: Code,
    letter: LetterTaken,
    records: Recorded,
    person: Planning,
    if_match: Annotated[str, Header(max_length=20)],
) -> LetterResult:
    """Take what was read of a letter, as one revision made on the one that `If-Match` names.

    Each value by itself: what is not taken is told with its reason, and keeps nothing else out.
    """
    plans: Plans = records.plans
    key = f"{customer}/{site}"
    if letter.replaces and not letter.values:
        raise Problem(
            HTTPStatus.UNPROCESSABLE_ENTITY, "Nothing of the new line was read: paste what its provider wrote"
        )
    lines = [("", [LetterValue(one.field, one.text) for one in letter.values])]
    if letter.second:
        lines.append((letter.label, [LetterValue(one.field, one.text) for one in letter.second]))
    left = plans.take_letter(
        key,
        letter.circuit,
        lines,
        base_revision(if_match),
        person.author,
        source=letter.source,
        confirmed=letter.confirmed,
        replaces=letter.replaces,
    )
    return LetterResult(
        desk=desk_shown(records, records.now, key),
        left=[LetterValueLeft(label=LETTER_FIELDS[one.field], **one._asdict()) for one in left],
    )
