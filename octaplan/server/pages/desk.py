"""The site desk: one site's plan, its findings, its revisions and its clearance."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from http import HTTPStatus
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Header, Path, Response
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.findings import Severity, Trait
from octaplan.core.check.rules import RULES
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.site import PATTERNS, SitePlan
from octaplan.core.plan.stages import Stage
from octaplan.core.values.errors import OctaplanError
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.outbound import OutboundSite, pattern_row, row
from octaplan.server.permissions import Looking, Planning, Signing
from octaplan.server.problems import Problem
from octaplan.store.records import Records
from octaplan.store.runs import Shipped
from octaplan.store.snapshot import Judged, Snapshot
from octaplan.store.staging import stagings_of

router = APIRouter(prefix="/api/sites/{customer}/{site}", tags=["desk"])

Code = Annotated[str, Path(max_length=40)]
Pointer = Annotated[str, StringConstraints(max_length=400)]


class FindingShown(BaseModel):
    """A finding as the rail shows it."""

    identity: str
    rule: str
    title: str
    severity: Severity
    subject: str
    owner: str
    path: str
    field: str
    stage: Stage
    traits: list[Trait]
    addresses: str
    message: str
    others: list[Other]
    others_total: int
    acceptance: str | None
    reason: str | None
    accepted_by: str | None


class RevisionShown(BaseModel):
    number: int
    at: datetime
    by: str
    account: str = ""
    sentence: str
    name: str | None = None


class ClearanceShown(BaseModel):
    revision: int
    by: str
    at: datetime
    void: str | None


class SkipShown(BaseModel):
    """A check that was skipped on the bench, and who accepted that; `at` is when it was recorded."""

    step: str
    words: str
    by: str
    at: datetime
    accepted_by: str


class StagingShown(BaseModel):
    """How far a device is on the bench."""

    device: str
    begun: datetime | None
    by: str
    done: int
    steps: int
    trouble: bool
    finished: bool
    problem: str
    skips: list[SkipShown]


class Desk(BaseModel):
    """Everything the desk of one site shows."""

    plan: SitePlan
    summary: OutboundSite
    revision: RevisionShown
    findings: list[FindingShown]
    undo: Annotated[int | None, Field(description="The revision that an undo would bring back")]
    redo: Annotated[int | None, Field(description="The revision that a redo would bring back")]
    clearance: ClearanceShown | None
    staging: list[StagingShown]
    shipped: Shipped | None
    checked_sites: int
    blank: Annotated[
        bool, Field(description="Nothing is known yet of how its lines are handed off, nothing planned inside")
    ]


class PatchOperation(BaseModel):
    """One operation of a JSON Patch (RFC 6902)."""

    op: Literal["add", "replace", "remove"]
    path: Pointer
    value: Any = None


Operations = Annotated[list[PatchOperation], Field(min_length=1, max_length=25_000)]


class Typed(BaseModel):
    """What somebody typed into the field at a path of the plan."""

    path: Pointer
    text: Annotated[str, StringConstraints(max_length=2_000)]


class UnderstoodShown(BaseModel):
    operations: list[PatchOperation]
    echo: str


class RemedyShown(BaseModel):
    """A change that a finding offers."""

    sentence: str
    operations: list[PatchOperation]


class Accepting(BaseModel):
    rule: Annotated[str, StringConstraints(max_length=60)]
    path: Pointer
    addresses: Annotated[str, StringConstraints(max_length=200)]
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=400)]


class SignatureShown(BaseModel):
    revision: int


def base_revision(if_match: str) -> int:
    """The number that an `If-Match` header names."""
    base = if_match.strip('W/"')
    if not (base.isascii() and base.isdigit()):
        raise Problem(HTTPStatus.PRECONDITION_REQUIRED, "If-Match must name the revision that the change was made on")
    return int(base)


def shown(judged: Sequence[Judged]) -> list[FindingShown]:
    """Findings as the rail shows them."""
    return [
        FindingShown(
            identity=j.finding.identity,
            rule=j.finding.rule,
            title=RULES[j.finding.rule].title,
            severity=j.finding.severity,
            subject=j.finding.subject,
            owner=j.finding.owner,
            path=j.finding.path,
            field=j.finding.field,
            stage=j.finding.stage,
            traits=sorted(j.finding.traits),
            addresses=j.finding.addresses,
            message=j.finding.message,
            others=list(j.finding.others),
            others_total=j.finding.others_total,
            acceptance=j.accepted,
            reason=j.acceptance.reason if j.acceptance else None,
            accepted_by=j.acceptance.by if j.acceptance else None,
        )
        for j in judged
    ]


def patch_of(operations: Sequence[PatchOperation]) -> list[dict[str, Any]]:
    """Operations as plain JSON values; a removal has no value."""
    return [operation.model_dump(exclude={"value"} if operation.op == "remove" else None) for operation in operations]


def desk_of(records: Records, key: str) -> Response:
    """Everything the desk of one site shows, as it is sent; worked out again when something of it has changed."""
    now = records.now
    held = now.of(key.partition("/")[0]).of(key)
    plan = held.plan
    state = (now.runs.at(plan.key), now.runs.shipped.get(plan.key), now.sites.customer_name(plan), len(now.sites))
    known = held.worked_out.get("desk")
    if known is None or known[0] is not state[0] or known[1:4] != state[1:]:
        content = desk_shown(records, now, key).model_dump_json(by_alias=True).encode()
        known = held.worked_out["desk"] = (*state, content)
    return Response(known[4], media_type="application/json")


def desk_shown(records: Records, now: Snapshot, key: str) -> Desk:
    """Everything the desk of one site shows, of one snapshot."""
    customer = key.partition("/")[0]
    sites = now.of(customer)
    held = sites.of(key)
    plan, signature = held.plan, held.signature
    pattern = customer == PATTERNS
    stagings, shipped = ([], None) if pattern else (stagings_of(now, plan), now.runs.shipped.get(plan.key))
    course = records.plans_of(customer).course(held)
    return Desk(
        plan=plan,
        summary=pattern_row(plan, held.judged) if pattern else row(now, held),
        revision=RevisionShown(**held.saved._asdict()),
        findings=shown(held.judged),
        undo=course.undo,
        redo=course.redo,
        clearance=(
            ClearanceShown(revision=signature.revision, by=signature.by, at=signature.at, void=signature.void)
            if signature
            else None
        ),
        staging=[
            StagingShown(
                device=staging.device,
                begun=staging.begun,
                by=staging.by,
                done=staging.done,
                steps=len(staging.sheet.steps),
                trouble=staging.trouble,
                finished=staging.finished,
                problem=staging.problem,
                skips=[
                    SkipShown(step=s.step, words=s.words, by=s.by, at=s.at, accepted_by=s.accepted_by)
                    for s in staging.skips
                ],
            )
            for staging in stagings
        ],
        shipped=shipped if shipped else None,
        checked_sites=len(sites),
        blank=plan.blank,
    )


@router.get("", response_model=Desk)
def desk(customer: Code, site: Code, records: Recorded, person: Looking) -> Response:
    """The newest revision of a site with all that was found about it."""
    return desk_of(records, f"{customer}/{site}")


@router.get("/revisions")
def revisions(customer: Code, site: Code, records: Recorded, person: Looking) -> list[RevisionShown]:
    """The newest 200 revisions, newest first."""
    return [RevisionShown(**saved._asdict()) for saved in records.plans_of(customer).history(f"{customer}/{site}")]


@router.post("/understand")
def understand_typed(customer: Code, site: Code, typed: Typed, records: Recorded, person: Looking) -> UnderstoodShown:
    """Read what was typed into a field, and say it back; nothing is saved."""
    try:
        operations, echo = records.now.of(customer).understand(f"{customer}/{site}", typed.path, typed.text)
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=typed.path) from None
    return UnderstoodShown(operations=[PatchOperation(**operation) for operation in operations], echo=echo)


@router.post("/draft")
def draft(customer: Code, site: Code, operations: Operations, records: Recorded, person: Looking) -> list[FindingShown]:
    """The findings that the newest plan would have with a change made; nothing is saved."""
    return shown(records.now.of(customer).draft(f"{customer}/{site}", patch_of(operations)))


@router.get("/remedies")
def remedies(customer: Code, site: Code, records: Recorded, person: Looking) -> list[list[RemedyShown]]:
    """What each finding of the desk offers, in the findings' order."""
    offered = records.now.of(customer).remedies(f"{customer}/{site}")
    return [
        [
            RemedyShown(sentence=r.sentence, operations=[PatchOperation.model_validate(o) for o in r.operations])
            for r in remedies
        ]
        for remedies in offered
    ]


@router.patch("/plan", response_model=Desk)
def revise(
    customer: Code,
    site: Code,
    operations: Operations,
    records: Recorded,
    person: Planning,
    if_match: Annotated[str, Header(max_length=20)],
) -> Response:
    """Change the plan by JSON Patch, made on the revision that `If-Match` names."""
    base = base_revision(if_match)
    key = f"{customer}/{site}"
    plans = records.plans_of(customer)
    plans.revise(key, patch_of(operations), base, person.author)
    return desk_of(records, key)


@router.post("/acceptances", response_model=Desk)
def accept(customer: Code, site: Code, accepting: Accepting, records: Recorded, person: Planning) -> Response:
    """Accept a warn, with the reason."""
    key, a = f"{customer}/{site}", accepting
    records.plans_of(customer).accept(key, a.rule, a.path, a.addresses, a.reason, person.author)
    return desk_of(records, key)


@router.delete("/acceptances/{acceptance}", response_model=Desk)
def withdraw(customer: Code, site: Code, acceptance: Code, records: Recorded, person: Planning) -> Response:
    """Take an acceptance back."""
    key = f"{customer}/{site}"
    records.plans_of(customer).withdraw(key, acceptance, person.author)
    return desk_of(records, key)


@router.post("/clearance", response_model=Desk)
def sign(customer: Code, site: Code, signature: SignatureShown, records: Recorded, person: Signing) -> Response:
    """Clear a revision to ship."""
    key = f"{customer}/{site}"
    records.plans_of(customer).sign(key, signature.revision, person.author)
    return desk_of(records, key)
