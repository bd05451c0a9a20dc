"""Settings of a box as text: what goes in, and what comes back."""

from __future__ import annotations

import json
from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query
from pydantic import BaseModel, StringConstraints

from octaplan.core.config.departures import ReadBack
from octaplan.core.config.neutral import hosts_file, reservations, yang_document, zones
from octaplan.core.config.text import MOST_BYTES
from octaplan.core.config.view import BoxView, Leaf
from octaplan.core.config.writeout import NotWritten, ToldLine, Written, named_in_view
from octaplan.core.plan.hardware import AskedBack, HardwareType, WriteOut, WritePart
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.tables import csv_text
from octaplan.server.dependencies import Recorded, Working
from octaplan.server.pages.desk import Code, PatchOperation
from octaplan.server.permissions import KeepingHardware, Looking, Staging
from octaplan.server.problems import DeviceId, Problem
from octaplan.store.records import Records
from octaplan.store.staging import sheet_of
from octaplan.worker import errands
from octaplan.worker.workers import NotDone, Workers

router = APIRouter(tags=["texts"])

Form = Literal["own", "yang", "zone", "hosts", "reservations"]


class WrittenPiece(BaseModel):
    """Some text of a line: of the template, or a value with its place in the plan. A secret is a place in the safe,
    `quote` and `escape` how its text is put between quotes; what the plan does not hold yet is `unknown`."""

    text: str
    path: str = ""
    what: str = ""
    secret: str = ""
    quote: str = ""
    escape: str = ""
    unknown: bool = False


class WrittenLine(BaseModel):
    """One line. `loses` says that the laptop loses the box with it."""

    part: WritePart
    pieces: list[WrittenPiece]
    loses: bool = False


class ValueLeft(BaseModel):
    """A planned value that no line tells."""

    name: str
    path: str
    what: str
    value: str


class TemplateFaultShown(BaseModel):
    """Why a template cannot be used: in which part, at which line."""

    part: WritePart | None
    line: int
    message: str


class NameShown(BaseModel):
    """What a name holds that a template may write."""

    name: str
    what: str
    value: str


class WriteOutShown(BaseModel):
    """A write-out. In the box's own language it has lines and says how they are pasted; else it is one text."""

    form: Form
    text: str = ""
    language: str = ""
    lines: list[WrittenLine] = []
    planned: int = 0
    left_out: list[ValueLeft] = []
    prompt: str = ""
    lines_at_once: int = 1
    asks: list[AskedBack] = []
    refusals: list[str] = []
    fault: TemplateFaultShown | None = None


class Trying(BaseModel):
    """Templates that are tried on a box before they are saved."""

    write_out: WriteOut
    customer: Annotated[str, StringConstraints(max_length=40)]
    site: Annotated[str, StringConstraints(max_length=40)]
    device: Annotated[str, StringConstraints(max_length=12)]


class PrintedText(BaseModel):
    """What a box printed."""

    text: Annotated[str, StringConstraints(max_length=MOST_BYTES)]


#: So many of the lines that nothing comes from are told by number.
UNREAD_TOLD = 200


class TakenOver(BaseModel):
    """A part of a plan as a text has it: the change that takes it over, the lines it came from, and the place of the
    segment that has to be taken over with it."""

    what: str
    sentence: str
    operations: list[PatchOperation]
    lines: list[int]
    needs: str


class TextTakenOver(BaseModel):
    """What a text comes to: parts, how many lines say anything, and of how many nothing comes, the first of them."""

    parts: list[TakenOver]
    lines: int
    unread: list[int]
    unread_total: int


class AsPlannedShown(BaseModel):
    path: str
    value: str
    line: int


class MissingShown(BaseModel):
    path: str
    value: str
    what: str


class DiffersShown(BaseModel):
    path: str
    planned: str
    seen: str
    line: int
    why: str
    what: str


class UnplannedShown(BaseModel):
    kind: str
    value: str
    line: int
    why: str


class MarkShown(BaseModel):
    """A piece of a line that was recognised: `planned`, `known` (of the site or the world), `other`, `unplanned`."""

    line: int
    first: int
    last: int
    kind: str
    verdict: str


class TextShown(BaseModel):
    """A line as it was understood; one that holds a secret is withheld."""

    number: int
    text: str


class ReadBackShown(BaseModel):
    """What a text says of a box. `about` names another box when it is the text of that one, `kept` says whether it was
    kept with the run."""

    as_planned: list[AsPlannedShown]
    missing: list[MissingShown]
    differs: list[DiffersShown]
    unplanned: list[UnplannedShown]
    unread: int
    about: str
    own_language: bool
    lines: list[TextShown]
    marks: list[MarkShown]
    kept: bool = False


#: So many lines of a text are shown beside what was found.
MOST_LINES_SHOWN = 2_000
#: So many earlier revisions are held against a text that differs.
EARLIER = 3
WITHHELD = "(a secret in clear: withheld)"


def _pieces(line: ToldLine) -> list[WrittenPiece]:
    shown = []
    for piece in line.pieces:
        leaf = piece.leaf
        quote, escape = (leaf.quotes if leaf is not None else None) or ("", "")
        shown.append(
            WrittenPiece(
                text=piece.shown,
                path=leaf.path if leaf is not None else "",
                what=leaf.what if leaf is not None else "",
                secret=piece.secret,
                quote=quote,
                escape=escape,
                unknown=piece.open,
            )
        )
    return shown


def _left(leaf: Leaf) -> ValueLeft:
    value = "in the safe" if leaf.secret else str(leaf.value)
    return ValueLeft(name=leaf.name, path=leaf.path, what=leaf.what, value=value)


def _cutting(records: Records, key: str, device: str, written: Written) -> int | None:
    """The line with which the laptop loses the box, as the run sheet has it: that of the own address in the segment
    whose step cuts the connection."""
    steps = sheet_of(records.now, key, device).steps
    segment = next((s.key.removeprefix("segment-") for s in steps if s.lost and s.key.startswith("segment-")), None)
    places = {f"/segments/{segment}/gateway", f"/devices/{device}/addresses/{segment}"}
    for number, line in enumerate(written.lines):
        if line.part is WritePart.INSIDE and any(leaf.path in places for leaf in line.leaves):
            return number
    return None


def _own(one: WriteOut, written: Written, cutting: int | None = None) -> WriteOutShown:
    return WriteOutShown(
        form="own",
        language=one.language,
        lines=[
            WrittenLine(part=line.part, pieces=_pieces(line), loses=number == cutting)
            for number, line in enumerate(written.lines)
        ],
        planned=written.planned,
        left_out=[_left(leaf) for leaf in written.left_out],
        prompt=one.prompt,
        lines_at_once=one.lines_at_once,
        asks=one.asks,
        refusals=one.refusals,
    )


def _faulty(error: NotWritten | NotDone) -> WriteOutShown:
    part, line = (error.part, error.line) if isinstance(error, NotWritten) else (None, 0)
    fault = TemplateFaultShown(part=part, line=line, message=str(error))
    return WriteOutShown(form="own", fault=fault)


def _plan_and_kind(records: Records, key: str, device: str) -> tuple[SitePlan, HardwareType | None]:
    now = records.now
    plan = now.sites.plan(key)
    if device not in plan.devices:
        raise Problem(HTTPStatus.NOT_FOUND, "This device has been removed from the plan: go back to Devices")
    return plan, now.types.types.get(plan.devices[device].type)


@router.get("/api/sites/{customer}/{site}/devices/{device}/write-out")
def written_text(
    customer: Code,
    site: Code,
    device: DeviceId,
    workers: Working,
    records: Recorded,
    person: Looking,
    form: Annotated[Form, Query()] = "own",
) -> WriteOutShown:
    """What goes into a box as text: in its own language, or in a form that belongs to nobody. No secret is in it."""
    plan, kind = _plan_and_kind(records, f"{customer}/{site}", device)
    organisation = records.now.sites.portfolio.organisation
    if form == "own":
        if kind is None or kind.write_out is None:
            what = kind.title if kind is not None else plan.devices[device].type
            message = f"{what} has no write-out yet: write one on Hardware, or take a neutral form"
            return WriteOutShown(form=form, fault=TemplateFaultShown(part=None, line=0, message=message))
        try:
            written = workers.do(person.name, errands.written, plan, device, kind, organisation)
            cutting = _cutting(records, plan.key, device, written) if plan.devices[device].staged else None
            return _own(kind.write_out, written, cutting)
        except (NotWritten, NotDone) as error:
            return _faulty(error)
    if form == "yang":
        document = yang_document(plan, device, kind, organisation)
        return WriteOutShown(form=form, text=json.dumps(document, ensure_ascii=False, indent=2) + "\n")
    if form == "reservations":
        return WriteOutShown(
            form=form, text=csv_text(["segment", "address", "mac", "name"], reservations(plan, device))
        )
    return WriteOutShown(form=form, text=zones(plan) if form == "zone" else hosts_file(plan))


@router.post("/api/hardware/{key}/write-out")
def try_templates(
    key: Annotated[str, Path(max_length=40)],
    trying: Trying,
    workers: Working,
    records: Recorded,
    person: KeepingHardware,
) -> WriteOutShown:
    """What templates would write for a box; nothing is saved."""
    kind = records.hardware.get(key)
    plan, _ = _plan_and_kind(records, f"{trying.customer}/{trying.site}", trying.device)
    organisation = records.now.sites.portfolio.organisation
    try:
        written = workers.do(person.name, errands.written, plan, trying.device, kind, organisation, trying.write_out)
    except (NotWritten, NotDone) as error:
        return _faulty(error)
    return _own(trying.write_out, written)


@router.get("/api/hardware/{key}/write-out/names")
def template_names(
    key: Annotated[str, Path(max_length=40)],
    records: Recorded,
    person: Looking,
    customer: Annotated[str, Query(max_length=40)],
    site: Annotated[str, Query(max_length=40)],
    device: Annotated[str, Query(max_length=12)],
) -> list[NameShown]:
    """What each name holds that a template may write, for one box."""
    kind = records.hardware.get(key)
    plan, _ = _plan_and_kind(records, f"{customer}/{site}", device)
    view = BoxView(plan, device, kind, records.now.sites.portfolio.organisation)
    found: dict[str, NameShown] = {}
    for part, value in view.names.items():
        for name, what, told in named_in_view(value, part):
            known = found.get(name)
            if known is None or not known.value:
                found[name] = NameShown(name=name, what=what, value=told)
    return list(found.values())


@router.post("/api/sites/{customer}/{site}/take-over")
def propose_from_text(
    customer: Code, site: Code, printed: PrintedText, workers: Working, records: Recorded, person: Looking
) -> TextTakenOver:
    """What a text of a box has that the plan does not hold yet, each part to be confirmed; nothing is changed."""
    plan = records.now.sites.plan(f"{customer}/{site}")
    try:
        found = workers.do(person.name, errands.taken_over, plan, printed.text)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    parts = [TakenOver.model_validate(one._asdict()) for one in found.parts]
    unread = found.unread[:UNREAD_TOLD]
    return TextTakenOver(parts=parts, lines=found.lines, unread=unread, unread_total=len(found.unread))


@router.post("/api/sites/{customer}/{site}/devices/{device}/read-back")
def judge_text(
    customer: Code,
    site: Code,
    device: DeviceId,
    printed: PrintedText,
    workers: Working,
    records: Recorded,
    person: Looking,
) -> ReadBackShown:
    """Hold what a box printed against its plan; nothing is kept."""
    return _shown(_read(records, workers, person.name, f"{customer}/{site}", device, printed.text))


@router.post("/api/sites/{customer}/{site}/bench/{device}/read-back")
def keep_read_back(
    customer: Code,
    site: Code,
    device: DeviceId,
    printed: PrintedText,
    workers: Working,
    records: Recorded,
    person: Staging,
) -> ReadBackShown:
    """The same, kept with the run as evidence: what was found, without the text and without secrets."""
    key = f"{customer}/{site}"
    back = _read(records, workers, person.name, key, device, printed.text)
    records.bench.keep_read_back(key, device, back, person.author)
    return _shown(back, kept=True)


def _read(records: Records, workers: Workers, who: str, key: str, device: str, text: str) -> ReadBack:
    plan, kind = _plan_and_kind(records, key, device)
    sites = records.now.sites
    same = plan.customer.casefold()
    others = {k: one for k, one in sites.all().items() if one.customer.casefold() == same and one.key != plan.key}
    number = sites.of(key).saved.number
    before = tuple(records.plans.revision(key, one)[1] for one in range(number - 1, max(0, number - 1 - EARLIER), -1))
    try:
        return workers.do(
            who, errands.held_against_plan, plan, device, text, kind, sites.portfolio.organisation, before, others
        )
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None


def _shown(back: ReadBack, *, kept: bool = False) -> ReadBackShown:
    withheld = set(back.secrets)
    return ReadBackShown(
        as_planned=[AsPlannedShown(**one._asdict()) for one in back.as_planned],
        missing=[MissingShown(**one._asdict()) for one in back.missing],
        differs=[DiffersShown(**one._asdict()) for one in back.differs],
        unplanned=[UnplannedShown(**one._asdict()) for one in back.unplanned],
        unread=back.unread,
        about=back.about,
        own_language=back.own_language,
        lines=[
            TextShown(
                number=line.number, text="(a secret in clear: withheld)" if line.number in withheld else line.text
            )
            for line in back.lines[:MOST_LINES_SHOWN]
        ],
        marks=[MarkShown(**one._asdict()) for one in back.marks if one.line not in withheld],
        kept=kept,
    )
