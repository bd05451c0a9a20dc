"""The page Address space: what of a window is taken, where room is, and what providers have handed out."""

from __future__ import annotations

from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.space import Cell, bits_of, fitting, picture, public_lines
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.propose.room import Room
from octaplan.core.values.addresses import AddressError, Network, parse_network
from octaplan.core.values.kinds import AddressField, NetworkField
from octaplan.core.values.readers import read_ipv6_network
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking
from octaplan.server.problems import Problem
from octaplan.store.snapshot import Sites, once

router = APIRouter(prefix="/api/space", tags=["address space"])

Customer = Annotated[str, Query(max_length=40)]


class LevelShown(BaseModel):
    prefix: int
    cells: list[Cell]


class PlacedShown(BaseModel):
    subnet: NetworkField
    label: str
    role: SegmentRole
    customer: str
    site: str
    path: str
    worst: Literal["stop", "warn", ""]
    shared: bool


class SpaceBlock(BaseModel):
    network: NetworkField
    customer: str


class SpaceShown(BaseModel):
    """A window with its levels; `segments` is empty when there are too many to tell one by one."""

    window: NetworkField
    above: NetworkField | None
    longest: int
    levels: list[LevelShown]
    segments: list[PlacedShown]
    total: int
    sites: int
    blocks: list[SpaceBlock]
    customers: dict[str, str]


class PublicBlock(BaseModel):
    """A public block that a provider hands to a site."""

    provider: str
    network: NetworkField
    routed: bool
    address: AddressField | None
    gateway: AddressField | None
    customer: str
    site: str
    path: str
    label: str
    further: list[AddressField]
    shared: bool


class RoomShown(BaseModel):
    """Free subnets of a prefix length, nearest first, and for which site they were looked for."""

    prefix: int
    customer: str
    site: str
    found: list[NetworkField]


def _window(text: str) -> Network:
    try:
        window = parse_network(text)[0] if ":" not in text else read_ipv6_network(text)
    except AddressError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    if window.prefix > bits_of(window):
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"{window} is smaller than a /64: look at the segment itself")
    return window


@router.get("", response_model=SpaceShown)
def space(
    records: Recorded,
    person: Looking,
    window: Annotated[str, Query(max_length=60)] = "",
    customer: Customer = "",
    family: Annotated[int, Query(ge=4, le=6)] = 4,
) -> Response:
    """What segments take of a window of address space, level by level; without one, of the window that fits."""
    now = records.now
    asked = f"space {window} {customer.casefold()} {family}"
    content = once(now, asked, lambda: _space(now.sites, window, customer, family).model_dump_json().encode())
    return Response(content, media_type="application/json")


def _space(sites: Sites, window: str, customer: str, family: int) -> SpaceShown:
    network = _window(window) if window else fitting(sites.portfolio, family, customer)
    trouble = {
        (key, path.split("/")[2]): finding.severity
        for key, findings in sites.findings().items()
        for finding in reversed(findings)
        if (path := finding.path).startswith("/segments/")
    }
    made = picture(sites.portfolio, network, customer, trouble)
    above = None if network.prefix == 0 else Network.holding(network.first, network.prefix - 1)
    return SpaceShown(
        window=network,
        above=above,
        longest=bits_of(network),
        levels=[LevelShown(prefix=prefix, cells=list(cells)) for prefix, cells in made.levels],
        segments=[PlacedShown(**placed._asdict()) for placed in made.segments],
        total=made.total,
        sites=made.sites,
        blocks=[SpaceBlock(**block._asdict()) for block in made.blocks],
        customers=sites.customers(),
    )


@router.get("/public")
def public(records: Recorded, person: Looking, customer: Customer = "") -> list[PublicBlock]:
    """Every block that providers have handed to sites, by provider; `shared` where two overlap."""
    lines = public_lines(records.now.sites.portfolio, customer)
    order = sorted(range(len(lines)), key=lambda n: (lines[n].network.family, lines[n].network.value))
    shared, reach, owner = set[int](), None, -1
    for number in order:
        network = lines[number].network
        if reach is not None and reach.family == network.family and network.first <= reach:
            shared |= {owner, number}
        if reach is None or reach.family != network.family or network.last > reach:
            reach, owner = network.last, number
    return [PublicBlock(**line._asdict(), shared=number in shared) for number, line in enumerate(lines)]


@router.get("/room")
def room(
    records: Recorded,
    person: Looking,
    prefix: Annotated[int, Query(ge=8, le=30)],
    customer: Customer,
    site: Annotated[str, Query(max_length=40)] = "",
    near: Annotated[str, Query(max_length=60)] = "",
    most: Annotated[int, Query(ge=1, le=100)] = 20,
) -> RoomShown:
    """Where a segment of a size would fit for a site of a customer, nearest to an address or a subnet first."""
    sites = records.now.sites
    anchor = _window(near if "/" in near else f"{near}/32").first if near.strip() else None
    plan = sites.plan(f"{customer}/{site}") if site else _any_site(sites.portfolio, customer)
    found = Room(sites.portfolio, plan).candidates(prefix, anchor, most)
    return RoomShown(prefix=prefix, customer=plan.customer, site=site and plan.site, found=found)


def _any_site(portfolio: Portfolio, customer: str) -> SitePlan:
    """A plan of nothing yet, at the customer: what a new site of theirs could take."""
    code = next((plan.customer for plan in portfolio if plan.customer.casefold() == customer.casefold()), None)
    if code is None:
        raise Problem(HTTPStatus.NOT_FOUND, f"There is no customer {customer}: choose one of the list")
    return SitePlan(customer=code, site="new site")
