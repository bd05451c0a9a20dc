"""Outbound: the sites in preparation, by ship date."""

from __future__ import annotations

from datetime import date
from enum import StrEnum

from fastapi import APIRouter, Request
from pydantic import BaseModel

from octaplan.core.findings import Severity
from octaplan.core.plan import SitePlan
from octaplan.server.permissions import Looking
from octaplan.store.plans import Judged, Plans, Signature

router = APIRouter(prefix="/api", tags=["outbound"])


class Stage(StrEnum):
    """How far a stage of a site is."""

    DONE = "done"
    OPEN = "open"
    TROUBLE = "trouble"


class Stages(BaseModel):
    addresses: Stage
    clearance: Stage
    handover: Stage


class OutboundSite(BaseModel):
    """One row: a site, how far it is, and what comes next."""

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
    clear: bool
    next: str


class Outbound(BaseModel):
    today: date
    sites: list[OutboundSite]


#: Rules that speak of an answer which the provider still owes.
PROVIDER_OWES = frozenset(
    {"wan-handoff-missing", "wan-address-missing", "wan-mask-missing", "wan-gateway-missing", "wan-dns-missing"}
)


def stages(judged: list[Judged], signature: Signature | None) -> Stages:
    """How far each stage is, from what was found and signed."""
    stops = any(j.finding.severity is Severity.STOP for j in judged)
    open_ends = any(j.blocks for j in judged)
    signed = signature is not None and signature.void is None
    clearance = Stage.DONE if signed else Stage.TROUBLE if signature is not None else Stage.OPEN
    addresses = Stage.TROUBLE if stops else Stage.OPEN if open_ends else Stage.DONE
    return Stages(addresses=addresses, clearance=clearance, handover=Stage.OPEN)


def next_step(plan: SitePlan, judged: list[Judged], signature: Signature | None) -> str:
    """The one thing to do next, in words."""
    if not plan.circuits and not plan.segments:
        return "Nothing planned yet: load its tables"
    for j in judged:
        if j.finding.rule in PROVIDER_OWES:
            return _first_sentence(j.finding.message)
    for j in judged:
        if j.blocks:
            prefix = "" if j.finding.severity is Severity.STOP else "Decide: "
            return prefix + _first_sentence(j.finding.message)
    if not plan.circuits:
        return "Add the circuit"
    if not plan.segments:
        return "Add the segments"
    if signature is None:
        return "Sign the clearance"
    return "Sign the clearance again" if signature.void else "Print the site sheet"


def _first_sentence(message: str) -> str:
    return message.split(": ")[0].split(". ")[0].rstrip(".")


def row(plans: Plans, plan: SitePlan) -> OutboundSite:
    judged, signature = plans.judged(plan.key), plans.signature(plan.key)
    return OutboundSite(
        customer=plan.customer,
        customer_name=plans.customer_name(plan),
        site=plan.site,
        name=plan.name or plan.site,
        ship_date=plan.ship_date,
        technician=plan.technician,
        stages=stages(judged, signature),
        stops=sum(j.finding.severity is Severity.STOP for j in judged),
        warns=sum(j.finding.severity is Severity.WARN and j.blocks for j in judged),
        waiting=any(j.finding.rule in PROVIDER_OWES for j in judged),
        clear=signature is not None and signature.void is None,
        next=next_step(plan, judged, signature),
    )


@router.get("/outbound")
def outbound(request: Request, person: Looking) -> Outbound:
    """All sites, soonest ship date first; those without a date last."""
    plans: Plans = request.app.state.plans
    sites = [row(plans, plan) for plan in plans.all().values()]
    sites.sort(key=lambda s: (s.ship_date is None, s.ship_date or date.max, s.customer_name, s.name))
    return Outbound(today=date.today(), sites=sites)  # noqa: DTZ011  (the bench's own calendar)
