"""Customers and sites themselves: begun by hand, called something else, put away and brought back."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime
from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel, StringConstraints

from octaplan.core.plan.site import SitePlan, new_id
from octaplan.core.propose.codes import code_for
from octaplan.core.values.kinds import Code, TimeZone
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Administering, Looking, Planning
from octaplan.server.problems import Problem
from octaplan.store.snapshot import Sites

router = APIRouter(prefix="/api", tags=["register"])

PathCode = Annotated[str, Path(max_length=40)]
Called = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]


class NewSite(BaseModel):
    """A site to begin. `customer_name` is that of a customer who is not there yet; codes that are left out are made
    from the names."""

    customer: Code | Literal[""] = ""
    customer_name: Words = ""
    site: Code | Literal[""] = ""
    name: Called
    street: Words = ""
    time_zone: TimeZone | None = None
    ship_date: date | None = None
    technician: Words = ""


class SiteCodes(BaseModel):
    customer: str
    site: str


class Proposal(BaseModel):
    """Codes for what was typed so far, and what is usual at the customer. `taken` names the site that has the code."""

    customer: str
    site: str
    time_zone: str | None
    taken: str


class SiteCode(BaseModel):
    code: Code


class CustomerCalled(BaseModel):
    code: Code
    name: Called


class AwayShown(BaseModel):
    """A site that is put away."""

    customer: str
    site: str
    name: str
    at: datetime
    by: str


@router.get("/proposals/site")
def proposed_codes(
    records: Recorded,
    person: Looking,
    customer: Annotated[str, Query(max_length=40)] = "",
    customer_name: Annotated[str, Query(max_length=200)] = "",
    name: Annotated[str, Query(max_length=200)] = "",
    site: Annotated[str, Query(max_length=40)] = "",
) -> Proposal:
    """Codes for a new site, and for its customer when that one is new too."""
    sites = records.now.sites
    code, proposed = _codes(sites, customer, customer_name, site, name)
    own = [plan for plan in sites.all().values() if plan.customer.casefold() == code.casefold()]
    usual = records.now.settings.current.usual(code).time_zone
    zones = Counter(plan.time_zone for plan in own if plan.time_zone)
    return Proposal(
        customer=code,
        site=proposed,
        time_zone=usual or next((zone for zone, _ in zones.most_common(1)), None),
        taken=_taken(sites, f"{code}/{proposed}"),
    )


def _codes(sites: Sites, customer: str, customer_name: str, site: str, name: str) -> tuple[str, str]:
    """The codes of a customer and a site as they were given, or made from the names."""
    away = sites.unheld.away.values()
    code = customer or code_for(customer_name, [*sites.customers(), *(one.customer for one in away)])
    taken = [plan.site for plan in sites.all().values() if plan.customer.casefold() == code.casefold()]
    taken += [one.site for one in away if one.customer.casefold() == code.casefold()]
    return code, site or code_for(name, taken)


def _taken(sites: Sites, key: str) -> str:
    held = sites.get(key)
    if held is not None:
        return f"{held.plan.name or held.plan.site} has this code already"
    away = sites.unheld.away.get(key.casefold())
    return f"{away.name} has this code, and is put away" if away is not None else ""


@router.post("/sites", status_code=HTTPStatus.CREATED)
def begin_site(new: NewSite, records: Recorded, person: Planning) -> SiteCodes:
    """Begin a site by hand, with a line to ask about, and its customer with it when that one is not there yet."""
    line = "Main"
    known = {
        "circuits": {new_id(f"circuit {line}", ()): {"label": line}},
        "name": new.name,
        "street": new.street or None,
        "time_zone": new.time_zone,
        "ship_date": new.ship_date,
        "technician": new.technician or None,
    }
    customer, site = _codes(records.now.sites, new.customer, new.customer_name, new.site, new.name)
    given = {"customer": customer, "site": site}
    for what, code in given.items():
        if not code:
            raise Problem(
                HTTPStatus.UNPROCESSABLE_ENTITY, f"No code can be made for the {what}: write one", path=f"/{what}"
            )
    plan = SitePlan.model_validate({**given, **known})
    begun = records.register.begin(plan, person.author, new.customer_name)
    return SiteCodes(customer=begun.customer, site=begun.site)


@router.put("/sites/{customer}/{site}/code")
def recode(customer: PathCode, site: PathCode, code: SiteCode, records: Recorded, person: Planning) -> SiteCodes:
    """Give a site another code."""
    plan = records.register.recode(f"{customer}/{site}", code.code, person.author)
    return SiteCodes(customer=plan.customer, site=plan.site)


@router.put("/customers/{customer}/called", status_code=HTTPStatus.NO_CONTENT)
def rename_customer(customer: PathCode, called: CustomerCalled, records: Recorded, person: Planning) -> Response:
    """Give a customer another name or code."""
    records.register.rename_customer(customer, called.code, called.name, person.author)
    return Response(status_code=HTTPStatus.NO_CONTENT)


@router.get("/away")
def sites_away(records: Recorded, person: Looking) -> list[AwayShown]:
    """All sites that are put away, the last first."""
    sites = sorted(records.now.sites.unheld.away.values(), key=lambda one: one.at, reverse=True)
    return [AwayShown(**one._asdict()) for one in sites]


@router.put("/away/{customer}", status_code=HTTPStatus.NO_CONTENT)
def put_customer_away(customer: PathCode, records: Recorded, person: Administering) -> Response:
    """Put a customer away with all of its sites."""
    own = [key for key, held in records.now.sites.held.items() if held.plan.customer.casefold() == customer.casefold()]
    if not own:
        raise Problem(HTTPStatus.NOT_FOUND, f"There is no customer {customer[:40]}: look at Customers")
    records.register.put_away(own, person.author)
    return Response(status_code=HTTPStatus.NO_CONTENT)


@router.put("/away/{customer}/{site}", status_code=HTTPStatus.NO_CONTENT)
def put_site_away(customer: PathCode, site: PathCode, records: Recorded, person: Planning) -> Response:
    """Take a site out of everything; it is kept with all it has."""
    records.register.put_away([f"{customer}/{site}"], person.author)
    return Response(status_code=HTTPStatus.NO_CONTENT)


@router.delete("/away/{customer}/{site}")
def bring_back(customer: PathCode, site: PathCode, records: Recorded, person: Planning) -> SiteCodes:
    """Bring a site back that was put away."""
    plan = records.register.bring_back(f"{customer}/{site}", person.author)
    return SiteCodes(customer=plan.customer, site=plan.site)
