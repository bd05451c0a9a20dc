"""The page Rehearsal of the desk: the plan brought up as a real network, and what it did."""

from __future__ import annotations

from datetime import datetime
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from octaplan.lab.rehearsal.rehearsing import Broken
from octaplan.lab.spaces.ground import NoGround, missing, without_leases
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Problem
from octaplan.server.rehearsing import RehearsalBusy, RehearsalDesk

router = APIRouter(prefix="/api/sites/{customer}/{site}/rehearsal", tags=["rehearsal"])


async def desk_of(request: Request) -> RehearsalDesk:
    """The rehearsals of the application that was asked."""
    found: RehearsalDesk = request.app.state.rehearsal_desk
    return found


AtDesk = Annotated[RehearsalDesk, Depends(desk_of)]


class RehearsedSpace(BaseModel):
    """A part of the network that is brought up."""

    key: str
    kind: str
    title: str


class UnderWayShown(BaseModel):
    """A rehearsal as far as it is. `down` are the circuits that are down in it at this moment."""

    by: str
    revision: int
    phase: str
    spaces: list[RehearsedSpace]
    cables: list[list[str]]
    questions: int
    answered: int
    down: list[str]


class OutcomeShown(BaseModel):
    """A question to the network with what was meant, what the walk says, and what the network did."""

    source: str
    target: str
    asked: str
    down: list[str]
    meant: str
    walk: str
    network: str
    sentence: str


class LeaseShown(BaseModel):
    """What a client on a segment was given, and what of it is not as planned."""

    segment: str
    address: str
    router: str
    resolvers: str
    domain: str
    looked_up: str | None
    announced: str
    wrong: list[str]


class CellAsked(BaseModel):
    """One pair of places: so many questions, so many passed, so many otherwise than the walk says or than is meant."""

    source: str
    target: str
    asked: int
    passed: int
    against_walk: int
    otherwise: int


class RehearsalResult(BaseModel):
    """The newest rehearsal. `now` says that nothing decided has changed since, `agrees` that all three agreed."""

    revision: int
    now: bool
    behind: int
    at: datetime
    by: str
    agrees: bool
    questions: int
    passed: int
    against_walk: list[OutcomeShown]
    against_walk_count: int
    otherwise: list[OutcomeShown]
    otherwise_count: int
    leases: list[LeaseShown]
    not_brought_up: list[str]
    brought_up_plainly: list[str]
    explained: int
    untold: int
    left_out: int
    cells: list[CellAsked]
    spaces: list[RehearsedSpace]
    cables: list[list[str]]
    seconds: float


class RehearsalShown(BaseModel):
    """`missing` says why this machine cannot rehearse, `without` what it lacks for leases and names."""

    missing: str
    without: str
    problem: str
    running: UnderWayShown | None
    last: RehearsalResult | None


@router.get("")
def rehearsal(customer: Code, site: Code, records: Recorded, desk: AtDesk, person: Looking) -> RehearsalShown:
    """What is under way, and what came of the newest rehearsal."""
    held = records.now.sites.of(f"{customer}/{site}")
    under_way, kept = desk.at(held.plan.key), records.rehearsals.newest(held.plan.key)
    running = None
    if under_way is not None:
        running = UnderWayShown(
            by=under_way.by,
            revision=under_way.revision,
            phase=under_way.phase,
            spaces=[RehearsedSpace(**one) for one in under_way.spaces],
            cables=under_way.cables,
            questions=under_way.questions,
            answered=under_way.answered,
            down=under_way.down,
        )
    last = None
    if kept is not None:
        result = kept.result
        last = RehearsalResult(
            revision=kept.revision,
            now=kept.digest == held.digest,
            behind=held.saved.number - kept.revision,
            at=kept.at,
            by=kept.by,
            agrees=kept.agrees,
            questions=result["probes"],
            passed=result["passed"],
            against_walk=[_outcome(one) for one in result["against_walk"]],
            against_walk_count=result["against_walk_count"],
            otherwise=[_outcome(one) for one in result["otherwise_than_meant"]],
            otherwise_count=result["otherwise_count"],
            leases=[LeaseShown.model_validate(one) for one in result["leases"]],
            not_brought_up=result["not_brought_up"],
            brought_up_plainly=result["brought_up_plainly"],
            explained=result["explained"],
            untold=result["untold"],
            left_out=result["left_out"],
            cells=[CellAsked(source=one["from"], target=one["to"], **_counts(one)) for one in result["cells"]],
            spaces=[RehearsedSpace(**one) for one in result["spaces"]],
            cables=result["cables"],
            seconds=result["seconds"],
        )
    return RehearsalShown(
        missing=_ground.words(),
        without=without_leases(),
        problem=desk.problem(held.plan.key),
        running=running,
        last=last,
    )


@router.post("", status_code=HTTPStatus.ACCEPTED)
def begin_rehearsal(customer: Code, site: Code, records: Recorded, desk: AtDesk, person: Planning) -> RehearsalShown:
    """Begin a rehearsal of the site as it is saved."""
    now = records.now
    held = now.sites.of(f"{customer}/{site}")
    if not any(device.routes_packets for device in held.plan.devices.values()):
        raise Problem(
            HTTPStatus.CONFLICT, "No box of this site routes: there is nothing to rehearse. Plan its edge first"
        )
    try:
        desk.begin(held, now.sites.portfolio.organisation, person.author)
    except RehearsalBusy as error:
        raise Problem(HTTPStatus.CONFLICT, str(error)) from None
    except (NoGround, Broken) as error:
        raise Problem(HTTPStatus.SERVICE_UNAVAILABLE, str(error)) from None
    return rehearsal(customer, site, records, desk, person)


@router.delete("")
def stop_rehearsal(customer: Code, site: Code, records: Recorded, desk: AtDesk, person: Planning) -> RehearsalShown:
    """Stop the rehearsal that is under way; nothing of it is kept."""
    desk.stop(records.now.sites.of(f"{customer}/{site}").plan.key)
    return rehearsal(customer, site, records, desk, person)


class _Ground:
    """What keeps this machine from rehearsing, found out once it is asked for."""

    def __init__(self) -> None:
        self._words: str | None = None

    def words(self) -> str:
        if self._words is None or self._words:
            self._words = missing()
        return self._words


_ground = _Ground()


def _outcome(one: dict[str, Any]) -> OutcomeShown:
    kept = {name: one[name] for name in ("asked", "down", "meant", "walk", "network", "sentence")}
    return OutcomeShown(source=one["from"], target=one["to"], **kept)


def _counts(one: dict[str, Any]) -> dict[str, int]:
    return {name: one[name] for name in ("asked", "passed", "against_walk", "otherwise")}
