"""The page Handover of the desk: sheets to print."""

from __future__ import annotations

from datetime import UTC
from typing import Annotated, Any, Literal

import segno
from fastapi import APIRouter, Response
from pydantic import BaseModel, StringConstraints

from octaplan.core.stage.installer import InstallerPage
from octaplan.core.stage.sitesheet import SiteSheet, site_sheet, where_and_as_whom
from octaplan.server.dependencies import Counted, Recorded
from octaplan.server.pages.desk import Code
from octaplan.server.pages.onsite import page_of
from octaplan.server.permissions import Looking, Reading
from octaplan.store.journal import Act
from octaplan.store.snapshot import Held, Snapshot

router = APIRouter(prefix="/api/sites/{customer}/{site}/handover", tags=["handover"])


class LabelShown(BaseModel):
    """What stands on the label of one box; `picture` is its QR code."""

    name: str
    site: str
    address: str
    ports: list[str]
    serial: str
    barcode: str
    code: str
    picture: str


class Asking(BaseModel):
    why: Annotated[str, StringConstraints(max_length=400)] = ""


def _sheets() -> Any:
    """The module that draws sheets: slow to import, and few requests print one."""
    from octaplan.formats import sheets

    return sheets


def _heading(now: Snapshot, held: Held) -> Any:
    saved, signature = held.saved, held.signature
    if signature is not None and signature.void is None:
        at = signature.at.astimezone(UTC)
        status = f"Clear to ship: {signature.by}, {at:%Y-%m-%d %H:%M} UTC"
    else:
        status = "NOT CLEAR TO SHIP"
    return _sheets().Heading(now.sites.customer_name(held.plan), status, saved.number)


def _pdf(content: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"'}
    return Response(content, media_type="application/pdf", headers=headers)


@router.get("/installer")
def installer(customer: Code, site: Code, records: Recorded, person: Looking) -> InstallerPage:
    """What somebody who is not a network person needs on site."""
    return page_of(records.now, f"{customer}/{site}")


@router.get("/site-sheet")
def engineers_sheet(customer: Code, site: Code, records: Recorded, person: Looking) -> SiteSheet:
    """Every value to type, and no secrets."""
    now = records.now
    return site_sheet(now.sites.plan(f"{customer}/{site}"), now.types.types, now.settings.current)


@router.get("/labels")
def label_texts(customer: Code, site: Code, records: Recorded, person: Looking) -> list[LabelShown]:
    """The labels of the site's boxes."""
    held = records.now.sites.of(f"{customer}/{site}")
    return [
        LabelShown(
            name=label.name,
            site=label.site,
            address=label.address,
            ports=label.ports,
            serial=label.serial,
            barcode=_sheets().barcode(label.serial) if label.serial else "",
            code=label.code,
            picture=segno.make(label.code, error="m", micro=False).svg_data_uri(scale=4, border=1),
        )
        for label in _sheets().label_texts(held.plan, held.saved.number)
    ]


@router.get("/{sheet}.pdf", response_class=Response)
def printed(
    customer: Code, site: Code, sheet: Literal["site-sheet", "installer", "labels"], records: Recorded, person: Looking
) -> Response:
    """A sheet as PDF. None of them holds a secret."""
    now = records.now
    held = now.sites.of(f"{customer}/{site}")
    plan, heading = held.plan, _heading(now, held)
    records.journal.note(Act.PRINTED, person.author, f"{sheet}, revision {held.saved.number}", site=plan.key)
    if sheet == "labels":
        content = _sheets().labels(plan, heading.revision, now.settings.current.support)
    elif sheet == "installer":
        content = _sheets().installer_sheet(plan, heading, page_of(now, plan.key), now.types.types)
    else:
        content = _sheets().print_site_sheet(plan, heading, now.types.types, now.settings.current)
    return _pdf(content, sheet)


@router.post("/credentials.pdf", response_class=Response)
def credential_sheet(
    customer: Code, site: Code, asking: Asking, records: Recorded, readings: Counted, person: Reading
) -> Response:
    """Every secret of a site, spelled out; the journal tells of each."""
    key = f"{customer}/{site}"
    now = records.now
    held = now.sites.of(key)
    plan, kept = held.plan, now.secrets.kept(key)
    records.safe.want(asking.why)
    readings.count(person, len(kept))
    secrets = [
        _sheets().SheetSecret(
            need.slot.name,
            records.safe.read(key, need.slot.path, person.author, asking.why, act=Act.SHEET),
            where_and_as_whom(plan, need.slot, now.types.types),
        )
        for need in now.sites.needs(plan)
        if need.slot.path in kept
    ]
    return _pdf(_sheets().credential_sheet(plan, _heading(now, held), secrets, person.author), "credentials")
