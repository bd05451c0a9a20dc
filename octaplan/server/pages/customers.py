"""The page of one customer: its blocks with the room that is left, its reach groups, patterns, sites and defaults."""

from __future__ import annotations

from collections import Counter
from datetime import date
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from octaplan.core.plan.organisation import Defaults
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.rollout import free_for
from octaplan.core.values.kinds import NetworkField
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.outbound import OutboundSite, row
from octaplan.server.permissions import Looking
from octaplan.server.problems import Problem

router = APIRouter(prefix="/api/customers", tags=["customers"])


class CustomerBlock(BaseModel):
    """A block of a customer, and the room that is left in it."""

    block: NetworkField
    size: int
    free: int
    largest: Annotated[NetworkField | None, Field(description="The largest free subnet")]
    segments: int


class GroupShown(BaseModel):
    """A reach group that sites of the customer are in; `sites` are all of its sites, other customers' too."""

    name: str
    own: int
    sites: int


class PatternOfCustomer(BaseModel):
    key: str
    name: str
    version: int
    newest: int
    sites: int


class CustomerListed(BaseModel):
    """A customer, and what is under way: its sites that are still to ship, with what keeps them."""

    code: str
    name: str
    sites: int
    shipped: int
    stopped: Annotated[int, Field(description="Sites still to ship that a stop keeps")]
    clear: Annotated[int, Field(description="Sites still to ship that are signed")]
    next_date: Annotated[date | None, Field(description="The soonest ship date of those, the oldest when one is past")]
    next_site: str | None


class CustomerShown(BaseModel):
    code: str
    name: str
    blocks: list[CustomerBlock]
    groups: list[GroupShown]
    patterns: list[PatternOfCustomer]
    sites: list[OutboundSite]
    without_segments: list[str]
    defaults: Defaults


@router.get("")
def all_customers(records: Recorded, person: Looking) -> list[CustomerListed]:
    """All customers that have sites, by code."""
    now = records.now
    by_customer: dict[str, list[OutboundSite]] = {}
    for held in now.sites.held.values():
        by_customer.setdefault(held.plan.customer.casefold(), []).append(row(now, held))
    return [_listed(code, name, by_customer.get(code.casefold(), [])) for code, name in now.sites.customers().items()]


def _listed(code: str, name: str, rows: list[OutboundSite]) -> CustomerListed:
    waiting = [one for one in rows if not one.shipped]
    dated = min((one for one in waiting if one.ship_date), key=lambda one: one.ship_date or date.max, default=None)
    return CustomerListed(
        code=code,
        name=name,
        sites=len(rows),
        shipped=len(rows) - len(waiting),
        stopped=sum(one.stops > 0 for one in waiting),
        clear=sum(one.clear for one in waiting),
        next_date=dated.ship_date if dated else None,
        next_site=dated.name if dated else None,
    )


@router.get("/{customer}")
def customer(customer: Annotated[str, Path(max_length=40)], records: Recorded, person: Looking) -> CustomerShown:
    """One customer."""
    code = customer.casefold()
    now = records.now
    all_plans = now.sites.all()
    plans = [plan for plan in all_plans.values() if plan.customer.casefold() == code]
    if not plans:
        raise Problem(HTTPStatus.NOT_FOUND, f"There is no customer {customer[:40]}: look at Outbound")
    organisation = now.settings.current
    nobody = SitePlan(customer=plans[0].customer, site="~")
    blocks = []
    for block in organisation.blocks_of(code):
        free = free_for(now.sites.portfolio, nobody, block)
        largest = min(free.prefixes(), key=lambda net: net.prefix, default=None)
        inside = sum(
            1
            for plan in plans
            for s in plan.segments.values()
            if any(net is not None and block.holds(net.first) for net in (s.subnet, s.subnet6))
        )
        blocks.append(CustomerBlock(block=block, size=block.size, free=free.size, largest=largest, segments=inside))
    everywhere = Counter(group for plan in all_plans.values() for group in plan.groups)
    own = Counter(group for plan in plans for group in plan.groups)
    used = Counter((p.pattern.key, p.pattern.version) for p in plans if p.pattern is not None)
    patterns = records.patterns
    return CustomerShown(
        code=plans[0].customer,
        name=now.sites.customer_name(plans[0]),
        blocks=blocks,
        groups=[GroupShown(name=g, own=n, sites=everywhere[g]) for g, n in sorted(own.items())],
        patterns=[
            PatternOfCustomer(
                key=key,
                name=patterns.draft(key).name or key,
                version=version,
                newest=patterns.newest(key),
                sites=number,
            )
            for (key, version), number in sorted(used.items())
        ],
        sites=[row(now, now.sites.of(plan.key)) for plan in plans],
        without_segments=[plan.site for plan in plans if not plan.segments],
        defaults=organisation.usual(code),
    )
