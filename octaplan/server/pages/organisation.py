"""The pages Settings and Rule book: what the organisation decides, and the rules that go by it."""

from __future__ import annotations

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Body, Header
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.findings import Severity
from octaplan.core.check.rules import RULES
from octaplan.core.plan.organisation import Organisation
from octaplan.core.propose.remedies import remedied_rules
from octaplan.core.propose.room import RoomError, Want, lay_out
from octaplan.core.values.addresses import Network
from octaplan.core.values.kinds import NetworkField
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.brings import ChangeBrings, brings
from octaplan.server.pages.desk import RevisionShown, base_revision
from octaplan.server.permissions import PERMISSIONS, Looking, May, Organising
from octaplan.server.problems import Problem
from octaplan.store.records import Records

router = APIRouter(prefix="/api", tags=["organisation"])


class OrganisationShown(BaseModel):
    """The settings with their revision, and the customers that may have blocks."""

    settings: Organisation
    revision: RevisionShown
    customers: dict[str, str]


class RuleShown(BaseModel):
    """One entry of the rule book, and how often it speaks at present."""

    id: str
    severity: Severity
    subject: str
    title: str
    prose: str
    chapter: str
    remedies: bool
    findings: int
    sites: int


class WantShown(BaseModel):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    hosts: Annotated[int, Field(ge=0, le=1 << 32)] = 0
    prefix: Annotated[int, Field(ge=0, le=32)] | None = None


class Wanting(BaseModel):
    """Segments that are to share a block."""

    block: NetworkField
    wants: Annotated[list[WantShown], Field(min_length=1, max_length=512)]
    growth: Annotated[int, Field(ge=0, le=400)] = 0


class GivenShown(BaseModel):
    name: str
    subnet: NetworkField
    usable: int


#: The chapters of the book, by the module that a rule stands in.
CHAPTERS = {
    "overlaps": "Overlap",
    "addressing": "Addresses, gateways, masks",
    "dhcp": "DHCP",
    "names": "Names, resolvers, dates",
    "answers": "Answers of the intake",
    "devices": "Boxes",
    "management": "Boxes",
    "traffic": "Traffic",
    "publications": "Traffic",
    "segments": "Traffic",
    "cabling": "Cables and power",
    "credentials": "Secrets",
}


def _shown(records: Records) -> OrganisationShown:
    now = records.now
    return OrganisationShown(
        settings=now.settings.current,
        revision=RevisionShown(**now.settings.saved._asdict()),
        customers=now.sites.customers(),
    )


@router.get("/organisation")
def organisation(records: Recorded, person: Looking) -> OrganisationShown:
    """What the organisation has decided for all sites."""
    return _shown(records)


@router.get("/organisation/revisions")
def organisation_revisions(records: Recorded, person: Looking) -> list[RevisionShown]:
    """The newest 200 revisions of the settings, newest first."""
    return [RevisionShown(**saved._asdict()) for saved in records.settings.history()]


@router.put("/organisation")
def save_organisation(
    document: Annotated[dict[str, Any], Body()],
    records: Recorded,
    person: Organising,
    if_match: Annotated[str, Header(max_length=20)],
) -> OrganisationShown:
    """Save the settings, made on the revision that `If-Match` names. Every site is checked again."""
    administers = May.ADMINISTER in PERMISSIONS[person.role]
    records.settings.save(document, base_revision(if_match), person.author, administers=administers)
    return _shown(records)


@router.post("/organisation/preview")
def preview_organisation(
    document: Annotated[dict[str, Any], Body()], records: Recorded, person: Organising
) -> ChangeBrings:
    """What the findings of all sites would be with other settings; nothing is saved."""
    return brings(records.settings.would_bring(document))


@router.get("/rules")
def rules(records: Recorded, person: Looking) -> list[RuleShown]:
    """The rule book, in its order."""
    counted, with_remedies = records.now.sites.counts_by_rule(), remedied_rules()
    return [
        RuleShown(
            id=rule.id,
            severity=rule.severity,
            subject=rule.subject,
            title=rule.title,
            prose=rule.prose,
            chapter=CHAPTERS[rule.check.__module__.rsplit(".", 1)[-1]],
            remedies=rule.id in with_remedies,
            findings=counted.get(rule.id, (0, 0))[0],
            sites=counted.get(rule.id, (0, 0))[1],
        )
        for rule in RULES.values()
    ]


@router.post("/layout")
def layout(wanting: Wanting, person: Looking) -> list[GivenShown]:
    """Lay many segments out in one block, from expected hosts or prefix lengths; nothing is saved."""
    block: Network = wanting.block
    wants = [Want(want.name, want.hosts, want.prefix) for want in wanting.wants]
    try:
        laid = lay_out(block, wants, growth=wanting.growth)
    except RoomError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return [GivenShown(name=g.want.name, subnet=g.subnet, usable=g.subnet.usable.size) for g in laid]
