"""The page Traffic of the desk: who reaches whom, by which way, and what boxes are told so that they do."""

from __future__ import annotations

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi import Path as PathParameter
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.faults import Faults
from octaplan.core.flow.asking import answered, ask, read_end
from octaplan.core.flow.intent import Who
from octaplan.core.flow.matrix import MatrixCell, Traffic
from octaplan.core.flow.network import BOXES
from octaplan.core.flow.pieces import Reason
from octaplan.core.flow.telling import Path, differences, path_of, place_name, told_entry
from octaplan.core.plan.boxes import named
from octaplan.core.plan.site import SegmentRole
from octaplan.core.propose.mending import as_meant
from octaplan.core.propose.publishing import outside_address, publish, taken_back
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.kinds import MemberId, NetworkField
from octaplan.core.values.services import EVERYTHING, parse_services, read_services
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, PatchOperation
from octaplan.server.permissions import Looking
from octaplan.server.problems import DeviceId, Problem
from octaplan.store.records import Records

router = APIRouter(prefix="/api/sites/{customer}/{site}/traffic", tags=["traffic"])

Down = Annotated[str, Query(max_length=12, description="A circuit that is down")]
Place = Annotated[str, StringConstraints(max_length=12)]

#: Entries of boxes that are read and changed on Traffic.
PARTS = ("routes", "translations", "publications", "allows", "relays", "access")
#: The parts of which each entry is used by something, or idle.
JUDGED = ("routes", "translations", "allows")


class PlaceInMatrix(BaseModel):
    """A row or column of the matrix."""

    key: str
    label: str
    role: SegmentRole | None


class CellShown(BaseModel):
    """One cell: what is meant, and what the boxes do. `does` are the services that pass, in words."""

    source: str
    target: str
    result: str
    meant: str
    services: str
    does: str
    agrees: bool
    missing: bool
    extra: bool
    unknown: str
    who: Who
    reason: str
    departure: str


class LineDown(BaseModel):
    key: str
    label: str


class MatrixShown(BaseModel):
    """Who reaches whom. `walked` is false where no box routes: then nothing is said of what boxes do."""

    rows: list[PlaceInMatrix]
    columns: list[PlaceInMatrix]
    cells: list[CellShown]
    circuits: list[LineDown]
    walked: bool
    complete: Annotated[bool, Field(description="Whether there are few enough places to show every pair of them")]


class LineShown(BaseModel):
    does: str
    because: str
    path: str


class NodeShown(BaseModel):
    """A place on the way: `kind` is place, box, bridge or line; `link` is what leads on to the next."""

    at: str
    name: str
    kind: str
    lines: list[LineShown]
    addresses: str
    link: str


class PathShown(BaseModel):
    nodes: list[NodeShown]
    back: list[NodeShown]
    wall: str
    back_wall: str


class TrafficAnswer(BaseModel):
    """What was asked, answered in one sentence, with the way of what tells most."""

    source: str
    target: str
    source_place: str
    target_place: str
    service: str
    sentence: str
    result: str
    meant: str
    agrees: bool
    reason: str
    path: PathShown | None


class EntryShown(BaseModel):
    """An entry of a box: what it is in words, what needs it, whether anything does, or will once it passes."""

    key: str
    path: str
    words: str
    needed_for: list[str]
    needed: bool
    waits: bool


class BoxEntries(BaseModel):
    """What one box is told about traffic."""

    device: str
    name: str
    filters: bool
    parts: dict[str, list[EntryShown]]


class Changing(BaseModel):
    """Changes that are proposed; none where no such change is known."""

    operations: list[PatchOperation]


class ServiceShown(BaseModel):
    """A service as it is written in plans."""

    text: str


class Publishing(BaseModel):
    """What is to be published: services and address outside as they were typed, and the host inside."""

    circuit: MemberId
    host: MemberId
    service: Annotated[str, StringConstraints(max_length=200)]
    address: Annotated[str, StringConstraints(max_length=60)] | None = None
    port: Annotated[int, Field(ge=1, le=65_535)] | None = None
    sources: Annotated[list[NetworkField], Field(max_length=64)] = []
    reason: Annotated[str, StringConstraints(max_length=400)] = ""


class CellNamed(BaseModel):
    """A cell of the matrix."""

    source: Place
    target: Place


def traffic_of(records: Records, key: str) -> Traffic:
    """The traffic of the newest revision of a site, worked out once for as long as plan and settings stay."""
    sites = records.now.of(key.partition("/")[0])
    held, organisation = sites.of(key), sites.portfolio.organisation
    known = held.worked_out.get("traffic")
    if known is None or known[0] is not organisation:
        known = held.worked_out["traffic"] = (organisation, Traffic(held.plan, organisation))
    traffic: Traffic = known[1]
    return traffic


def _places(traffic: Traffic, keys: list[str]) -> list[PlaceInMatrix]:
    segments = traffic.plan.segments
    return [
        PlaceInMatrix(key=key, label=place_name(traffic, key), role=segments[key].role if key in segments else None)
        for key in keys
    ]


def cell_shown(traffic: Traffic, cell: MatrixCell) -> CellShown:
    """A cell as the matrix shows it."""
    services = traffic.net.atoms.services
    return CellShown(
        source=cell.source,
        target=cell.target,
        result=cell.result,
        meant=cell.meant.word,
        services=str(cell.meant.services),
        does=str(services(cell.ever)),
        agrees=cell.agrees,
        missing=bool(cell.missing),
        extra=bool(cell.extra),
        unknown=cell.unknown,
        who=cell.meant.who,
        reason=cell.meant.reason,
        departure=cell.meant.path,
    )


@router.get("")
def matrix(customer: Code, site: Code, records: Recorded, person: Looking, down: Down = "") -> MatrixShown:
    """The matrix of who reaches whom, with a circuit down if one is named."""
    traffic = traffic_of(records, f"{customer}/{site}")
    lines = [key for key in traffic.plan.circuits if key in traffic.net.lines]
    gone = frozenset([down] if down in lines else [])
    cells = []
    if traffic.walkable and traffic.complete:
        for source in traffic.rows:
            for target in traffic.columns:
                if source != target:
                    cells.append(cell_shown(traffic, traffic.cell(source, target, gone)))
    return MatrixShown(
        rows=_places(traffic, traffic.rows),
        columns=_places(traffic, traffic.columns) if traffic.complete else [],
        cells=cells,
        circuits=[LineDown(key=key, label=traffic.plan.circuits[key].label) for key in lines],
        walked=traffic.walkable,
        complete=traffic.complete,
    )


def path_shown(path: Path) -> PathShown:
    """A path as the page draws it."""

    def nodes(some: list[object]) -> list[NodeShown]:
        return [NodeShown.model_validate(node, from_attributes=True) for node in some]

    return PathShown(nodes=nodes([*path.nodes]), back=nodes([*path.back]), wall=path.wall, back_wall=path.back_wall)


@router.get("/since/{revision}")
def since(
    customer: Code,
    site: Code,
    revision: Annotated[int, PathParameter(ge=1, le=1 << 31)],
    records: Recorded,
    person: Looking,
) -> list[str]:
    """What changed in who reaches whom since a revision, a sentence for each pair."""
    key = f"{customer}/{site}"
    sites = records.now.of(customer)
    before = Traffic(records.plans_of(customer).revision(key, revision)[1], sites.portfolio.organisation)
    return differences(before, traffic_of(records, key))


@router.get("/ask")
def asked(
    customer: Code,
    site: Code,
    records: Recorded,
    person: Looking,
    source: Annotated[str, Query(alias="from", max_length=120)],
    target: Annotated[str, Query(alias="to", max_length=120)],
    service: Annotated[str, Query(max_length=200)] = "any",
    down: Down = "",
) -> TrafficAnswer:
    """Can one reach the other, by a service: the answer, and the way of what tells most."""
    key = f"{customer}/{site}"
    try:
        services = parse_services(service)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path="service") from None
    sites = records.now.of(customer)
    traffic = traffic_of(records, key)
    if services != EVERYTHING:  # services that the plan does not tell apart are told apart here
        traffic = Traffic(sites.of(key).plan, sites.portfolio.organisation, [services])
    ends = []
    for name, text in (("from", source), ("to", target)):
        try:
            ends.append(read_end(traffic, text))
        except OctaplanError as error:
            raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=name) from None
    if not traffic.walkable:
        raise Problem(
            HTTPStatus.UNPROCESSABLE_ENTITY,
            "No box of this site routes yet: add its edge on Devices",
            path="",
        )
    answer = ask(traffic, ends[0], ends[1], services, frozenset([down] if down in traffic.net.lines else []))
    path = None
    if answer.piece is not None and answer.pair is not None:
        path = path_shown(path_of(traffic, ends[0].place, ends[1].place, answer.pair, answer.piece))
    return TrafficAnswer(
        source=ends[0].called,
        target=ends[1].called,
        source_place=ends[0].place,
        target_place=ends[1].place,
        service=str(services),
        sentence=answered(traffic, answer),
        result=answer.result,
        meant=answer.meant,
        agrees=answer.agrees,
        reason=str(Reason.NOT_KNOWN if answer.unknown else answer.reason),
        path=path,
    )


@router.get("/entries")
def entries(customer: Code, site: Code, records: Recorded, person: Looking) -> list[BoxEntries]:
    """What each box is told about traffic, as sentences, each with what needs it."""
    traffic = traffic_of(records, f"{customer}/{site}")
    used = traffic.used if traffic.walkable else {}
    faults = Faults(traffic.plan, records.now.of(customer).portfolio.organisation, traffic)
    found = []
    for box, device in traffic.plan.devices.items():
        if not device.staged:
            continue
        parts: dict[str, list[EntryShown]] = {}
        for part in PARTS if device.routes_packets else ("access",):
            parts[part] = []
            for key in getattr(device, part):
                path = f"/devices/{box}/{part}/{key}"
                pairs = used.get(path, [])
                told = [_pair_words(traffic, *pair) for pair in pairs]
                judged = part in JUDGED and not pairs and traffic.walkable
                parts[part].append(
                    EntryShown(
                        key=key,
                        path=path,
                        words=told_entry(traffic, path),
                        needed_for=told[:6],
                        needed=bool(pairs) or part in ("access", "relays") or bool(traffic.open_values),
                        waits=judged and faults.wanted(box, part, key),
                    )
                )
        found.append(BoxEntries(device=box, name=named(device), filters=device.is_filter, parts=parts))
    return found


def _pair_words(traffic: Traffic, source: str, target: str) -> str:
    if not target:
        return f"leases in {place_name(traffic, source)}"
    return f"{place_name(traffic, source)} to {place_name(traffic, target)}"


@router.post("/as-meant")
def let_boxes(customer: Code, site: Code, pair: CellNamed, records: Recorded, person: Looking) -> Changing:
    """The changes by which the boxes do what is meant for one cell; nothing is saved."""
    sites = records.now.of(customer)
    plan = sites.plan(f"{customer}/{site}")
    known = {*plan.segments, "internet", "other-sites", BOXES}
    if {pair.source, pair.target} - known:
        raise Problem(HTTPStatus.NOT_FOUND, "One of the two has been removed: look at Traffic again")
    operations = as_meant(sites.portfolio, plan, pair.source, pair.target)
    return Changing(operations=[PatchOperation.model_validate(one) for one in operations])


@router.post("/publish")
def publishing(customer: Code, site: Code, wanted: Publishing, records: Recorded, person: Looking) -> Changing:
    """The publication, the rule that lets it in and what is meant, as one change; nothing is saved."""
    sites = records.now.of(customer)
    plan = sites.plan(f"{customer}/{site}")
    circuit = plan.circuits.get(wanted.circuit)
    try:
        operations = publish(
            plan,
            sites.portfolio.organisation,
            wanted.circuit,
            wanted.host,
            wanted.service,
            address=outside_address(circuit, wanted.address or "") if circuit is not None else None,
            port=wanted.port,
            sources=wanted.sources,
            reason=wanted.reason,
        )
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return Changing(operations=[PatchOperation.model_validate(one) for one in operations])


@router.get("/publications/{device}/{publication}/end")
def ending(
    customer: Code, site: Code, device: DeviceId, publication: DeviceId, records: Recorded, person: Looking
) -> Changing:
    """The change by which a publication ends, with the rules that only it needed; nothing is saved."""
    sites = records.now.of(customer)
    plan = sites.plan(f"{customer}/{site}")
    if device not in plan.devices or publication not in plan.devices[device].publications:
        raise Problem(HTTPStatus.NOT_FOUND, "This publication has been removed: look at Traffic again")
    operations = taken_back(plan, device, publication)
    return Changing(operations=[PatchOperation.model_validate(one) for one in operations])


@router.get("/service")
def service_read(
    customer: Code, site: Code, person: Looking, text: Annotated[str, Query(max_length=200)]
) -> ServiceShown:
    """A service as people write it, said back as plans write it."""
    try:
        return ServiceShown(text=read_services(text))
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path="service") from None
