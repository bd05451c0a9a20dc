"""Changes that are proposed before they are taken: segments made, split, joined, laid out; columns and rows read."""

from __future__ import annotations

from collections.abc import Callable
from http import HTTPStatus
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.propose import segments
from octaplan.core.propose.hostrows import LONGEST_ROWS, read_host_rows
from octaplan.core.propose.letters import Sure
from octaplan.core.propose.segments import SegmentProposal
from octaplan.core.propose.typed import read_new_subnet, read_wanted_subnet, understand
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.kinds import AddressField
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, PatchOperation, Pointer
from octaplan.server.permissions import Looking
from octaplan.server.problems import Problem
from octaplan.store.refusals import NoSuchSite

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["proposals"])

Label = Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]
Key = Annotated[str, StringConstraints(max_length=12)]
Hosts = Annotated[int, Field(ge=0, le=1 << 32)]
Prefix = Annotated[int, Field(ge=0, le=32)]


class Adding(BaseModel):
    """A new segment: its size by expected hosts or prefix length, or its subnet as it was typed: `10.40.8.0/24`,
    `next /24`, `255.255.255.0`."""

    what: Literal["add"]
    role: SegmentRole
    label: Label = ""
    hosts: Hosts | None = None
    prefix: Prefix | None = None
    subnet: Annotated[str, StringConstraints(max_length=100)] = ""
    near: AddressField | None = None


class Splitting(BaseModel):
    what: Literal["split"]
    segment: Key


class Joining(BaseModel):
    """Two segments as one; `segment` is the one that stays."""

    what: Literal["join"]
    segment: Key
    other: Key


class Resizing(BaseModel):
    """Another subnet for a segment, as it was typed: `10.40.8.0/23`, `/25`, `next /25`."""

    what: Literal["resize"]
    segment: Key
    subnet: Annotated[str, StringConstraints(min_length=1, max_length=100)]


class Copying(BaseModel):
    what: Literal["copy"]
    segment: Key


class Moving(BaseModel):
    """A segment so many places down among the others; up is negative."""

    what: Literal["move"]
    segment: Key
    by: Annotated[int, Field(ge=-512, le=512)]


class NeedShown(BaseModel):
    label: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    role: SegmentRole
    hosts: Hosts = 0
    prefix: Prefix | None = None
    segment: Key | None = None


class LayingOut(BaseModel):
    """A whole site in one block; needs with a `segment` renumber the one that is there."""

    what: Literal["lay out"]
    block: Annotated[str, StringConstraints(min_length=1, max_length=100)]
    needs: Annotated[list[NeedShown], Field(min_length=1, max_length=512)]


Wish = Annotated[Adding | Splitting | Joining | Resizing | Copying | Moving | LayingOut, Field(discriminator="what")]


class ProposalShown(BaseModel):
    """A change to be shown before it is taken, and what would fall out."""

    sentence: str
    operations: list[PatchOperation]
    lost: list[str]


class PlaceInLetter(BaseModel):
    """From which character to which, counted in Unicode code points."""

    start: int
    end: int


class ChoiceShown(BaseModel):
    text: str
    operations: list[PatchOperation]


class ReadShown(BaseModel):
    """One field that was found in a letter, or typed in a column: what it comes to, or why it cannot be read.

    `places` are where in the letter it stands. What has several readings (`sure` is `open`) changes nothing until one
    of `others` is chosen.
    """

    field: str
    label: str = ""
    text: str
    echo: str
    operations: list[PatchOperation]
    problem: str
    places: list[PlaceInLetter] = []
    sure: Sure = Sure.SAID
    others: list[ChoiceShown] = []


class TypedEntry(BaseModel):
    path: Pointer
    text: Annotated[str, StringConstraints(max_length=2_000)]


def operations_shown(operations: list[dict[str, Any]]) -> list[PatchOperation]:
    return [PatchOperation.model_validate(operation) for operation in operations]


@router.post("/propose")
def propose(
    customer: Code, site: Code, wish: Annotated[Wish, Body()], records: Recorded, person: Looking
) -> ProposalShown:
    """What a wish about the segments of a site comes to; nothing is saved."""
    sites = records.now.of(customer)
    plan = sites.plan(f"{customer}/{site}")
    for key in _named(wish):
        if key not in plan.segments:
            raise NoSuchSite("That segment has been removed by somebody else: look at the page again")
    try:
        proposal = _WAYS[type(wish)](sites.portfolio, plan, wish)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return ProposalShown(
        sentence=proposal.sentence, operations=operations_shown(proposal.operations), lost=proposal.lost
    )


def _named(wish: Any) -> list[str]:
    if isinstance(wish, LayingOut):
        return [need.segment for need in wish.needs if need.segment]
    return [getattr(wish, name) for name in ("segment", "other") if hasattr(wish, name)]


def _add(portfolio: Portfolio, plan: SitePlan, wish: Adding) -> SegmentProposal:
    subnet, prefix = read_new_subnet(wish.subnet)
    size = {"hosts": wish.hosts, "prefix": wish.prefix if prefix is None else prefix}
    return segments.add(portfolio, plan, wish.role, wish.label, subnet=subnet, near=wish.near, **size)


def _lay_out(portfolio: Portfolio, plan: SitePlan, wish: LayingOut) -> SegmentProposal:
    needs = [segments.SegmentNeed(n.label, n.role, n.hosts, n.prefix, n.segment) for n in wish.needs]
    block, prefix = read_new_subnet(wish.block)
    if block is None:
        block = segments.room_for(portfolio, plan, prefix if prefix is not None else 24)
    return segments.lay_out_site(portfolio, plan, block, needs)


_WAYS: dict[type, Callable[[Portfolio, SitePlan, Any], SegmentProposal]] = {
    Adding: _add,
    Splitting: lambda portfolio, plan, w: segments.split(portfolio, plan, w.segment),
    Joining: lambda portfolio, plan, w: segments.join(plan, w.segment, w.other),
    Resizing: lambda portfolio, plan, w: segments.resize(
        portfolio, plan, w.segment, read_wanted_subnet(plan, w.segment, w.subnet, portfolio)
    ),
    Copying: lambda portfolio, plan, w: segments.duplicate(portfolio, plan, w.segment),
    Moving: lambda portfolio, plan, w: segments.reorder(plan, w.segment, w.by),
    LayingOut: _lay_out,
}


class HostsPasted(BaseModel):
    """Rows for hosts of a segment, as they were copied."""

    segment: Key
    text: Annotated[str, StringConstraints(max_length=LONGEST_ROWS)]


class HostRowShown(BaseModel):
    """One row: its host's id, the host's values by field, whether it is there already, or why it is not taken."""

    number: int
    text: str
    values: dict[str, str]
    known: bool
    problem: str
    host: str


class HostRowsRead(BaseModel):
    """What pasted rows come to: the change, the fields that the columns were taken for, and what was not read."""

    rows: list[HostRowShown]
    operations: list[PatchOperation]
    columns: list[str]
    left: list[str]


@router.post("/hosts")
def hosts(customer: Code, site: Code, pasted: HostsPasted, records: Recorded, person: Looking) -> HostRowsRead:
    """Read rows into hosts of a segment; nothing is saved."""
    sites = records.now.of(customer)
    plan = sites.plan(f"{customer}/{site}")
    if pasted.segment not in plan.segments:
        raise NoSuchSite("That segment has been removed by somebody else: look at the page again")
    try:
        read = read_host_rows(sites.portfolio, plan, pasted.segment, pasted.text)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return HostRowsRead(
        rows=[HostRowShown(**row._asdict()) for row in read.rows],
        operations=operations_shown(read.operations),
        columns=read.columns,
        left=read.left,
    )


@router.post("/column")
def column(
    customer: Code,
    site: Code,
    entries: Annotated[list[TypedEntry], Field(min_length=1, max_length=500)],
    records: Recorded,
    person: Looking,
) -> list[ReadShown]:
    """Read many fields at once, each as if it had been typed after the ones before; nothing is saved."""
    read = []
    sites = records.now.of(customer)
    draft = sites.plan(f"{customer}/{site}")
    for entry in entries:
        try:
            operations, echo = understand(draft, entry.path, entry.text, sites.portfolio)
            draft = applied(draft, operations)
        except OctaplanError as error:
            read.append(ReadShown(field=entry.path, text=entry.text, echo="", operations=[], problem=str(error)))
        else:
            found = operations_shown(operations)
            read.append(ReadShown(field=entry.path, text=entry.text, echo=echo, operations=found, problem=""))
    return read
