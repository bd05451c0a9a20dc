"""The section Safe: how the secrets of all sites stand."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field, StringConstraints

from octaplan.server.dependencies import Recorded
from octaplan.server.pages.credentials import MadeSecrets, missing_at
from octaplan.server.permissions import Administering, Filling, Looking

router = APIRouter(prefix="/api/safe", tags=["safe"])


class SafeSite(BaseModel):
    """One site: its slots, and how many are in what trouble."""

    customer: str
    customer_name: str
    site: str
    name: str
    ship_date: date | None
    slots: int
    missing: int
    waiting: int
    weak: int
    reused: int
    old: int


class SafeShown(BaseModel):
    sites: list[SafeSite]
    locked: str
    since: datetime
    reason_wanted: bool


class Chosen(BaseModel):
    """Sites as `CUSTOMER/SITE`."""

    sites: Annotated[list[Annotated[str, StringConstraints(max_length=81)]], Field(min_length=1, max_length=10_000)]


class SafeSettings(BaseModel):
    reason_wanted: bool


@router.get("")
def safe(records: Recorded, person: Looking) -> SafeShown:
    """All sites that need secrets, soonest ship date first."""
    sites = []
    now = records.now
    for held in now.sites.held.values():
        plan = held.plan
        needs = now.sites.needs(plan)
        if not needs:
            continue
        kept = now.secrets.kept(plan.key)
        empty = [need for need in needs if need.slot.path not in kept]
        rules = Counter(judged.finding.rule for judged in held.judged)
        sites.append(
            SafeSite(
                customer=plan.customer,
                customer_name=now.sites.customer_name(plan),
                site=plan.site,
                name=plan.name or plan.site,
                ship_date=plan.ship_date,
                slots=len(needs),
                missing=sum(not need.slot.given for need in empty),
                waiting=sum(need.slot.given and need.slot.needed for need in empty),
                weak=rules["credential-weak"] + rules["credential-factory"],
                reused=rules["credential-reused"],
                old=rules["credential-old"],
            )
        )
    sites.sort(key=lambda s: (s.ship_date is None, s.ship_date or date.max, s.customer_name, s.name))
    vault = records.vault
    return SafeShown(sites=sites, locked=vault.locked, since=vault.since, reason_wanted=now.secrets.wants_reason)


@router.post("/missing")
def make_all_missing(chosen: Chosen, records: Recorded, person: Filling) -> MadeSecrets:
    """Make every missing secret of some sites, all or none."""
    needs = [need for key in dict.fromkeys(chosen.sites) for need in missing_at(records, key)]
    made = records.safe.make(needs, person.author)
    return MadeSecrets(made=made)


@router.put("/settings", status_code=HTTPStatus.NO_CONTENT)
def safe_settings(settings: SafeSettings, records: Recorded, person: Administering) -> None:
    """Say whether a reason is wanted for every reading."""
    records.safe.want_reason(settings.reason_wanted, person.author)


@router.post("/key")
def change_key(records: Recorded, person: Administering) -> MadeSecrets:
    """Seal everything anew with a new key, all or nothing."""
    return MadeSecrets(made=records.safe.change_key(person.author))
