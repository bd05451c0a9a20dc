"""Undo, redo, and what the revisions of sites say."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Header, Path, Query, Response
from pydantic import BaseModel, StringConstraints

from octaplan.core.plan.beside import differing
from octaplan.core.plan.changes import Change, compared
from octaplan.core.plan.site import SitePlan
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, Desk, RevisionShown, base_revision, desk_of
from octaplan.server.permissions import Looking, Planning
from octaplan.store.records import Records

router = APIRouter(prefix="/api", tags=["history"])

Revision = Annotated[int, Path(ge=1, le=1_000_000)]
Match = Annotated[str, Header(max_length=20)]
SITE = "/sites/{customer}/{site}"


class NameOfRevision(BaseModel):
    name: Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]


class SideShown(BaseModel):
    """One of two plans that are compared."""

    plan: SitePlan
    revision: RevisionShown
    newest: bool


class Comparison(BaseModel):
    one: SideShown
    other: SideShown
    changes: list[Change]


@router.post(SITE + "/undo", response_model=Desk)
def undo(customer: Code, site: Code, records: Recorded, person: Planning, if_match: Match) -> Response:
    """Take the newest change back, made on the revision that `If-Match` names."""
    key = f"{customer}/{site}"
    records.plans_of(customer).undo(key, base_revision(if_match), person.author)
    return desk_of(records, key)


@router.post(SITE + "/redo", response_model=Desk)
def redo(customer: Code, site: Code, records: Recorded, person: Planning, if_match: Match) -> Response:
    """Make the change again that was undone last."""
    key = f"{customer}/{site}"
    records.plans_of(customer).redo(key, base_revision(if_match), person.author)
    return desk_of(records, key)


@router.post(SITE + "/revisions/{number}/again", response_model=Desk)
def back_to(
    customer: Code, site: Code, number: Revision, records: Recorded, person: Planning, if_match: Match
) -> Response:
    """Take an earlier revision again, as a new one."""
    key = f"{customer}/{site}"
    records.plans_of(customer).back_to(key, number, base_revision(if_match), person.author)
    return desk_of(records, key)


@router.put(SITE + "/revisions/{number}/name", response_model=Desk)
def name_revision(
    customer: Code, site: Code, number: Revision, named: NameOfRevision, records: Recorded, person: Planning
) -> Response:
    """Give a revision a name, or with an empty one take it away."""
    key = f"{customer}/{site}"
    records.plans_of(customer).name_revision(key, number, named.name)
    return desk_of(records, key)


SiteAt = Annotated[str, Query(max_length=100, pattern=r"^[^/]+/[^/@]+(@[0-9]{1,7})?$")]


@router.get("/compare")
def compare(records: Recorded, person: Looking, one: SiteAt, other: SiteAt, *, offset: bool = False) -> Comparison:
    """Two plans beside each other: `CUSTOMER/SITE` for the newest revision, `CUSTOMER/SITE@7` for another.

    By `offset`, the second is brought into the subnets of the first, and what each site has of its own is left out.
    """
    sides = [_side(records, text) for text in (one, other)]
    changes = (differing if offset else compared)(sides[0].plan, sides[1].plan)
    return Comparison(one=sides[0], other=sides[1], changes=changes)


def _side(records: Records, text: str) -> SideShown:
    key, _, number = text.partition("@")
    customer = key.partition("/")[0]
    held = records.now.of(customer).of(key)
    saved, plan = held.saved, held.plan
    if number and int(number) != saved.number:
        saved, plan = records.plans_of(customer).revision(key, int(number))
    return SideShown(plan=plan, revision=RevisionShown(**saved._asdict()), newest=saved.number == held.saved.number)
