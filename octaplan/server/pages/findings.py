"""Findings of the whole portfolio: by rule and customer, and mended at many sites at once."""

from __future__ import annotations

from collections import Counter
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.findings import Severity
from octaplan.core.check.rules import RULES
from octaplan.core.plan.stages import Stage
from octaplan.core.propose.remedies import remedied_rules
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking, Planning
from octaplan.store.batches import MOST, MendedSite, Undone
from octaplan.store.snapshot import Snapshot, once

router = APIRouter(prefix="/api/findings", tags=["findings"])

RuleId = Annotated[str, StringConstraints(max_length=60)]
SiteKey = Annotated[str, StringConstraints(max_length=81, pattern=r"^[^/]+/[^/]+$")]


class RuleCount(BaseModel):
    """How often a rule speaks, and whether its findings may be mended by a remedy."""

    rule: str
    title: str
    severity: Severity
    findings: int
    accepted: int
    sites: int
    remedies: bool


class CustomerCount(BaseModel):
    customer: str
    name: str
    sites: int
    stops: int
    warns: int
    notes: int


class Overview(BaseModel):
    rules: list[RuleCount]
    customers: list[CustomerCount]


class Spot(BaseModel):
    """One finding at its site."""

    customer: str
    site: str
    site_name: str
    rule: str
    severity: Severity
    subject: str
    addresses: str
    path: str
    field: str
    stage: Stage
    message: str
    accepted: bool


class Spots(BaseModel):
    """The first findings of a choice, worst first, and how many there are."""

    spots: list[Spot]
    total: int


class RemedyChoice(BaseModel):
    """A rule, and the sites at which its findings are to be mended."""

    rule: RuleId
    sites: Annotated[list[SiteKey], Field(min_length=1, max_length=MOST)]


class Applying(BaseModel):
    """A rule, and the revision of each site that the preview showed."""

    rule: RuleId
    revisions: Annotated[dict[SiteKey, int], Field(min_length=1, max_length=MOST)]


class Applied(BaseModel):
    batch: str
    sites: list[MendedSite]


class BatchShown(BaseModel):
    id: str
    at: datetime
    by: str
    sentence: str
    undone: bool


def _spots(now: Snapshot, rule: str, customer: str) -> list[Spot]:
    spots = []
    for held in now.sites.held.values():
        plan = held.plan
        if not held.findings or (customer and plan.customer.casefold() != customer.casefold()):
            continue
        for judged in held.judged:
            finding = judged.finding
            if rule and finding.rule != rule:
                continue
            spots.append(
                Spot(
                    customer=plan.customer,
                    site=plan.site,
                    site_name=plan.name or plan.site,
                    rule=finding.rule,
                    severity=finding.severity,
                    subject=finding.subject,
                    addresses=finding.addresses,
                    path=finding.path,
                    field=finding.field,
                    stage=finding.stage,
                    message=finding.message,
                    accepted=judged.accepted is not None,
                )
            )
    order = {rule: place for place, rule in enumerate(RULES)}
    spots.sort(key=lambda s: (s.severity.rank, order[s.rule], s.customer, s.site))
    return spots


@router.get("", response_model=Overview)
def overview(records: Recorded, person: Looking, customer: Annotated[str, Query(max_length=40)] = "") -> Response:
    """How often each rule speaks, and how each customer stands."""
    now = records.now
    content = once(now, f"findings {customer.casefold()}", lambda: _overview(now, customer).model_dump_json().encode())
    return Response(content, media_type="application/json")


def _overview(now: Snapshot, customer: str) -> Overview:
    names, may = now.sites.customers(), remedied_rules()
    wanted = customer.casefold()
    open_: Counter[str] = Counter()
    accepted: Counter[str] = Counter()
    at: Counter[str] = Counter()
    worst: dict[str, Severity] = {}
    sites: Counter[str] = Counter()
    by_customer: Counter[tuple[str, Severity]] = Counter()
    for held in now.sites.held.values():
        code = held.plan.customer.casefold()
        sites[code] += 1
        for (rule, severity, taken), many in held.tally.items():
            if not taken:
                by_customer[code, severity] += many
            if not wanted or code == wanted:
                (accepted if taken else open_)[rule] += many
                worst[rule] = min(worst.get(rule, severity), severity, key=lambda one: one.rank)
        if not wanted or code == wanted:
            at.update({rule for rule, _, _ in held.tally})
    rules = [
        RuleCount(
            rule=rule,
            title=RULES[rule].title,
            severity=severity,
            findings=open_[rule],
            accepted=accepted[rule],
            sites=at[rule],
            remedies=rule in may,
        )
        for rule, severity in worst.items()
    ]
    rules.sort(key=lambda r: (r.severity.rank, -r.findings))
    customers = [
        CustomerCount(
            customer=code,
            name=name,
            sites=sites[code.casefold()],
            stops=by_customer[code.casefold(), Severity.STOP],
            warns=by_customer[code.casefold(), Severity.WARN],
            notes=by_customer[code.casefold(), Severity.NOTE],
        )
        for code, name in names.items()
    ]
    return Overview(rules=rules, customers=customers)


@router.get("/list")
def listed(
    records: Recorded,
    person: Looking,
    rule: Annotated[str, Query(max_length=60)] = "",
    customer: Annotated[str, Query(max_length=40)] = "",
    most: Annotated[int, Query(ge=1, le=2_000)] = 500,
) -> Spots:
    """Findings of all sites, of one rule or one customer."""
    now = records.now
    spots = once(now, f"spots {rule} {customer.casefold()}", lambda: _spots(now, rule, customer))
    return Spots(spots=spots[:most], total=len(spots))


@router.post("/preview")
def preview_many(choice: RemedyChoice, records: Recorded, person: Planning) -> list[MendedSite]:
    """What the first remedy of each finding of a rule would do at these sites; nothing is saved."""
    return records.batches.preview(choice.rule, choice.sites)


@router.post("/apply")
def apply_many(applying: Applying, records: Recorded, person: Planning) -> Applied:
    """Apply what the preview showed at many sites, as one change."""
    revisions = {key.casefold(): number for key, number in applying.revisions.items()}
    batch, mended = records.batches.apply(applying.rule, revisions, person.author)
    return Applied(batch=batch, sites=mended)


@router.get("/batches")
def batches(records: Recorded, person: Looking) -> list[BatchShown]:
    """The newest changes of many sites."""
    return [
        BatchShown(id=b.id, at=b.at, by=b.by, sentence=b.sentence, undone=b.undone) for b in records.batches.recent()
    ]


@router.post("/batches/{batch}/undo")
def undo_batch(batch: Annotated[str, Path(max_length=20)], records: Recorded, person: Planning) -> Undone:
    """Take a change of many sites back, where nobody has gone on since."""
    return records.batches.undo(batch, person.author)
