"""The page Devices of the desk: a new box, wired by one action."""

from __future__ import annotations

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Header
from pydantic import BaseModel

from octaplan.core.plan.device import DeviceRole
from octaplan.core.propose.defaults import usual_time_servers
from octaplan.core.propose.replacing import replace
from octaplan.core.propose.wiring import equip
from octaplan.core.values.kinds import TypeKey
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, Desk, base_revision, desk_shown
from octaplan.server.permissions import Planning
from octaplan.server.problems import DeviceId, Problem

router = APIRouter(prefix="/api/sites/{customer}/{site}/devices", tags=["devices"])


class NewDevice(BaseModel):
    role: DeviceRole
    type: TypeKey


class Replacement(BaseModel):
    """The type of the box that takes the place of another."""

    type: TypeKey


class Equipped(BaseModel):
    """The desk with the new device, its id, and what was assumed."""

    desk: Desk
    device: str
    assumed: list[str]


@router.post("")
def add_device(
    customer: Code,
    site: Code,
    new: NewDevice,
    records: Recorded,
    person: Planning,
    if_match: Annotated[str, Header(max_length=20)],
) -> Equipped:
    """Add a box, wired and addressed from its type and the plan as far as they tell."""
    key, now = f"{customer}/{site}", records.now
    held, kind = now.sites.of(key), records.hardware.get(new.type)
    usual = usual_time_servers(now.sites.all().values())
    proposal = equip(held.plan, new.role, kind, usual, now.sites.portfolio, held.saved.number)
    records.plans.revise(key, proposal.operations, base_revision(if_match), person.author)
    return Equipped(desk=desk_shown(records, records.now, key), device=proposal.key, assumed=proposal.assumed)


@router.post("/{device}/replacement")
def replace_device(
    customer: Code,
    site: Code,
    device: DeviceId,
    replacement: Replacement,
    records: Recorded,
    person: Planning,
    if_match: Annotated[str, Header(max_length=20)],
) -> Equipped:
    """Put a new box in the place of another; what is recorded of the old one stays to be read."""
    key, now = f"{customer}/{site}", records.now
    held = now.sites.of(key)
    if device not in held.plan.devices:
        raise Problem(HTTPStatus.NOT_FOUND, "This box has been removed from the plan: look at Devices again")
    proposal = replace(held.plan, device, records.hardware.get(replacement.type), held.saved.number)
    records.plans.revise(key, proposal.operations, base_revision(if_match), person.author)
    return Equipped(desk=desk_shown(records, records.now, key), device=proposal.key, assumed=proposal.assumed)
