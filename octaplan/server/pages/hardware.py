"""The section Hardware: the types, in versions."""

from __future__ import annotations

from datetime import datetime
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Body, Header, Path
from pydantic import BaseModel

from octaplan.core.plan.hardware import HardwareType
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.brings import ChangeBrings, brings
from octaplan.server.pages.desk import base_revision
from octaplan.server.permissions import KeepingHardware, Looking
from octaplan.server.problems import Problem
from octaplan.store.hardware import NoSuchType
from octaplan.store.records import Records
from octaplan.store.snapshot import TypeVersion

router = APIRouter(prefix="/api/hardware", tags=["hardware"])

Key = Annotated[str, Path(max_length=40)]


class UseShown(BaseModel):
    customer: str
    site: str
    name: str
    device: str
    key: str


class TypeShown(BaseModel):
    """A type with its version, and where it is used."""

    type: HardwareType
    version: int
    at: datetime
    by: str
    uses: list[UseShown]


def _shown(records: Records, keys: list[str]) -> list[TypeShown]:
    uses: dict[str, list[UseShown]] = {key: [] for key in keys}
    for plan in records.now.sites.all().values():
        for key, device in plan.devices.items():
            if device.type in uses:
                use = UseShown(customer=plan.customer, site=plan.site, name=plan.name or plan.site,
                               device=device.name or device.role.words, key=key)  # fmt: skip
                uses[device.type].append(use)
    shown = []
    for name in keys:
        newest = records.hardware.versions[name]
        kind = records.hardware.types[name]
        shown.append(TypeShown(type=kind, version=newest.number, at=newest.at, by=newest.by, uses=uses[name]))
    return sorted(shown, key=lambda s: s.type.title.casefold())


@router.get("")
def hardware(records: Recorded, person: Looking) -> list[TypeShown]:
    """All types, by maker and model."""
    return _shown(records, list(records.hardware.types))


@router.get("/{key}")
def hardware_type(key: Key, records: Recorded, person: Looking) -> TypeShown:
    """One type."""
    records.hardware.get(key)
    return _shown(records, [key])[0]


@router.get("/{key}/versions")
def hardware_versions(key: Key, records: Recorded, person: Looking) -> list[TypeVersion]:
    """The versions of a type, newest first."""
    found = records.hardware.history(key)
    if not found:
        raise NoSuchType(f"There has never been a type {key[:40]}")
    return found


@router.put("/{key}")
def save_type(
    key: Key,
    document: Annotated[dict[str, Any], Body()],
    records: Recorded,
    person: KeepingHardware,
    if_match: Annotated[str, Header(max_length=20)],
) -> TypeShown:
    """Save a new version of a type, made on the version that `If-Match` names (0 for a new type)."""
    if document.get("key") != key:
        raise Problem(
            HTTPStatus.UNPROCESSABLE_ENTITY, f"The document is of another type than {key}: its key cannot change"
        )
    records.hardware.save(document, base_revision(if_match), person.author)
    return _shown(records, [key])[0]


@router.post("/{key}/preview")
def preview_type(
    key: Key, document: Annotated[dict[str, Any], Body()], records: Recorded, person: KeepingHardware
) -> ChangeBrings:
    """What another version of a type would bring at the sites that use it; nothing is saved."""
    return brings(records.hardware.would_bring(document | {"key": key}))


@router.delete("/{key}", status_code=HTTPStatus.NO_CONTENT)
def remove_type(
    key: Key, records: Recorded, person: KeepingHardware, if_match: Annotated[str, Header(max_length=20)]
) -> None:
    """Take a type off the list; devices of it are told so by a finding."""
    records.hardware.remove(key, base_revision(if_match), person.author)
