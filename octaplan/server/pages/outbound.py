"""Outbound: the sites in preparation, by ship date."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from enum import StrEnum
from typing import Annotated

from fastapi import APIRouter, Response
from pydantic import BaseModel, ConfigDict, Field

from octaplan.core.check.findings import Severity, Trait
from octaplan.core.plan.boxes import named
from octaplan.core.plan.questions import Whom
from octaplan.core.plan.site import SitePlan
from octaplan.core.plan.stages import Stage
from octaplan.core.values.lazy import lazy
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking
from octaplan.store.snapshot import Held, Judged, Signature, Snapshot, once
from octaplan.store.staging import begun_at, stagings_of

router = APIRouter(prefix="/api", tags=["outbound"])


class StageState(StrEnum):
    """How far a stage of a site is."""

    DONE = "done"
    OPEN = "open"
    TROUBLE = "trouble"


class Stages(BaseModel):
    intake: StageState
    addresses: StageState
    devices: StageState
    traffic: StageState
    credentials: StageState
    clearance: StageState
    bench: StageState
    handover: StageState


class OutboundSite(BaseModel):
    """One row: a site, how far it is, and what comes next."""

    model_config = ConfigDict(ignored_types=(lazy,))

    customer: str
    customer_name: str
    site: str
    name: str
    ship_date: date | None
    technician: str | None
    stages: Stages
    stops: int
    warns: int
    waiting: bool
    open: Annotated[str, Field(description="What is still open of the intake, in words")]
    clear: bool
    shipped: bool
    next: str

    @lazy
    def as_json(self) -> bytes:
        """The row as it is sent, worked out once."""
        return self.model_dump_json().encode()


class Outbound(BaseModel):
    today: date
    sites: list[OutboundSite]


def open_words(open_: Mapping[Whom, int]) -> str:
    """What is still open of the intake, in words: `provider 3, customer 12`."""
    words = {Whom.PROVIDER: "provider", Whom.CUSTOMER: "customer", Whom.OFFICE: "own office"}
    return ", ".join(f"{words[whom]} {number}" for whom, number in open_.items() if number)


def stages(
    plan: SitePlan, judged: list[Judged], signature: Signature | None, now: Snapshot, *, asking: bool = False
) -> Stages:
    """How far each stage is, from what was asked, found, signed, staged and shipped."""
    found: dict[str, StageState] = {str(stage): StageState.DONE for stage in Stage}
    if asking:
        found["intake"] = StageState.OPEN
    if not plan.circuits or not plan.segments:
        found["addresses"] = StageState.OPEN
    if not any(device.routes_packets for device in plan.devices.values()):
        found["devices"] = found["traffic"] = found["credentials"] = StageState.OPEN
    for j in judged:
        stage = j.finding.stage
        if j.finding.severity is Severity.STOP and Trait.UNFILLED not in j.finding.traits:
            found[stage] = StageState.TROUBLE
        elif j.blocks and found[stage] is not StageState.TROUBLE:
            found[stage] = StageState.OPEN
    signed = signature is not None and signature.void is None
    clearance = StageState.DONE if signed else StageState.TROUBLE if signature is not None else StageState.OPEN
    staged = StageState.OPEN
    if begun_at(now, plan):
        stagings = stagings_of(now, plan)
        staged = StageState.DONE if all(s.finished for s in stagings) else staged
        staged = StageState.TROUBLE if any(s.trouble for s in stagings) else staged
    left = StageState.DONE if plan.key in now.runs.shipped else StageState.OPEN
    return Stages(clearance=clearance, bench=staged, handover=left, **found)


def next_step(plan: SitePlan, judged: list[Judged], signature: Signature | None, now: Snapshot) -> str:
    """The one thing to do next, in words."""
    shipped = now.runs.shipped.get(plan.key)
    if shipped is not None and signature is not None and signature.void is None:
        return f"Shipped {shipped.at:%Y-%m-%d} by {shipped.by}"
    if plan.blank:
        return "Nothing planned yet: paste the provider's letter on Intake, or answer its first question"
    for j in judged:
        if Trait.OWED in j.finding.traits:
            return _first_sentence(j.finding.message)
    missing = sum(Trait.UNFILLED in j.finding.traits for j in judged)
    for j in judged:
        if j.blocks and Trait.UNFILLED not in j.finding.traits:
            prefix = "" if j.finding.severity is Severity.STOP else "Decide: "
            return prefix + _first_sentence(j.finding.message)
    if not plan.circuits:
        return "Add the circuit"
    if not plan.segments:
        return "Add the segments"
    if not any(device.routes_packets for device in plan.devices.values()):
        return "Add the edge on Devices"
    if missing:
        return f"{missing} secret{'' if missing == 1 else 's'} to fill"
    if signature is None:
        return "Sign the clearance"
    if signature.void:
        return "Sign the clearance again"
    stagings = stagings_of(now, plan)
    open_ = [staging for staging in stagings if not staging.finished]
    if open_:
        begun = next((staging for staging in open_ if staging.begun), None)
        if begun is not None:
            name = named(plan.devices[begun.device])
            return f"On the bench: {name}, {begun.done} of {len(begun.sheet.steps)} steps"
        return f"Stage {named(plan.devices[open_[0].device])}"
    return "Ship it"


def _first_sentence(message: str) -> str:
    return message.split(": ")[0].split(". ")[0].rstrip(".")


def row(now: Snapshot, held: Held) -> OutboundSite:
    """What Outbound shows of a site; worked out again when something of it has changed."""
    name, runs = now.sites.customer_name(held.plan), now.runs.at(held.plan.key)
    shipped = held.plan.key in now.runs.shipped
    known = held.worked_out.get("row")
    if known is None or known[0] is not runs or known[1:3] != (name, shipped):
        known = held.worked_out["row"] = (runs, name, shipped, _row(now, held, name, shipped))
    made: OutboundSite = known[3]
    return made


def _row(now: Snapshot, held: Held, customer_name: str, shipped: bool) -> OutboundSite:
    plan, judged, signature = held.plan, held.judged, held.signature
    open_ = now.sites.open_questions(plan.key)
    return OutboundSite(
        customer=plan.customer,
        customer_name=customer_name,
        site=plan.site,
        name=plan.name or plan.site,
        ship_date=plan.ship_date,
        technician=plan.technician,
        stages=stages(plan, judged, signature, now, asking=any(open_.values()) and not shipped),
        stops=sum(j.finding.severity is Severity.STOP for j in judged),
        warns=sum(j.finding.severity is Severity.WARN and j.blocks for j in judged),
        waiting=any(Trait.OWED in j.finding.traits for j in judged),
        open=open_words(open_),
        clear=signature is not None and signature.void is None,
        shipped=shipped,
        next=next_step(plan, judged, signature, now),
    )


def pattern_row(plan: SitePlan, judged: list[Judged]) -> OutboundSite:
    """The same of a pattern, which never ships."""
    found = [j.finding.severity for j in judged]
    return OutboundSite(
        customer=plan.customer,
        customer_name="Pattern",
        site=plan.site,
        name=plan.name or plan.site,
        ship_date=None,
        technician=None,
        stages=Stages(**dict.fromkeys(Stages.model_fields, StageState.OPEN)),
        stops=found.count(Severity.STOP),
        warns=found.count(Severity.WARN),
        waiting=False,
        open="",
        clear=False,
        shipped=False,
        next="",
    )


@router.get("/outbound", response_model=Outbound)
def outbound(records: Recorded, person: Looking) -> Response:
    """All sites, soonest ship date first; those without a date last."""
    now = records.now
    content = once(now, "outbound", lambda: _outbound(now))
    return Response(content, media_type="application/json")


def _outbound(now: Snapshot) -> bytes:
    sites = [row(now, held) for held in now.sites.held.values()]
    sites.sort(key=lambda s: (s.ship_date is None, s.ship_date or date.max, s.customer_name, s.name))
    today = date.today()  # noqa: DTZ011  (the bench's own calendar)
    return b'{"today":"%s","sites":[%s]}' % (str(today).encode(), b",".join(site.as_json for site in sites))
