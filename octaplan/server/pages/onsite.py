"""The installer's page as it opens on site: by a link with an end, without an account, and nothing else."""

from __future__ import annotations

from datetime import datetime
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Depends, Header, Request
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.boxes import named
from octaplan.core.stage.installer import InstallerPage, installer_page
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code
from octaplan.server.permissions import Looking, Staging, address_of
from octaplan.server.problems import Number, Problem
from octaplan.server.tries import Failures
from octaplan.store.onsite import LONGEST_DAYS, AnswerTold, LinkTold, NoSuchLink
from octaplan.store.records import Records
from octaplan.store.snapshot import Snapshot
from octaplan.store.staging import stagings_of

router = APIRouter(tags=["on site"])
links = APIRouter(prefix="/api/sites/{customer}/{site}/handover", tags=["handover"])

_PLAIN = {
    "lease": "a computer that is plugged in gets an address",
    "gateway": "what hangs on it reaches the internet",
    "outside": "what hangs on it reaches the internet",
    "lookup": "what hangs on it reaches the internet",
    "joined": "its Wi-Fi lets a telephone in",
    "remote": "your technician can open it from outside",
    "active": "your technician sees its licence as active",
}

#: The link's token comes in a header, so that no address that is logged or remembered holds it.
Token = Annotated[str, Header(alias="X-Octaplan-Link", max_length=80)]


class AnswerFromSite(BaseModel):
    """Whether a test works on site, who says so, and what else they say."""

    test: Annotated[str, StringConstraints(max_length=16)]
    works: bool
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    note: Annotated[str, StringConstraints(max_length=400)] = ""


class OnSiteShown(BaseModel):
    """All that a link opens: the site by name and street, the page, and what was answered."""

    customer: str
    name: str
    street: str
    technician: str
    page: InstallerPage
    answers: dict[str, AnswerTold]


class LinkWanted(BaseModel):
    days: Annotated[int, Field(ge=1, le=LONGEST_DAYS)] = 14


class LinkMade(BaseModel):
    """A new link; its token is told this once."""

    token: str
    ends: datetime


class SiteLinks(BaseModel):
    """The links of a site that have not ended, and what was answered by any."""

    links: list[LinkTold]
    answers: dict[str, AnswerTold]


def plain_words(measure: str) -> str:
    """What a check shows, as somebody says it who is no network person; empty of addresses."""
    return next((words for start, words in _PLAIN.items() if measure.startswith(start)), "it answers your technician")


def page_of(now: Snapshot, key: str) -> InstallerPage:
    """The installer's page of a site, with what was skipped on its bench."""
    plan = now.sites.plan(key)
    skipped = [
        f"{named(plan.devices[staging.device])}: {plain_words(skip.measure)} (not tried on the bench)"
        for staging in stagings_of(now, plan)
        for skip in staging.skips
    ]
    return installer_page(plan, now.types.types, now.settings.current, skipped)


def _shown(records: Records, key: str) -> OnSiteShown:
    now = records.now
    plan = now.sites.plan(key)
    return OnSiteShown(
        customer=now.sites.customer_name(plan),
        name=plan.name or plan.site,
        street=plan.street or "",
        technician=plan.technician or "",
        page=page_of(now, key),
        answers=records.onsite.answers(key),
    )


def opened(request: Request, records: Recorded, token: Token) -> str:
    """The site that a link opens. Whoever tries many wrong ones waits, and shuts out no right one behind the same
    address: no link can be guessed."""
    try:
        return records.onsite.site_of(token)
    except NoSuchLink:
        wrong: Failures = request.app.state.wrong_links
        wait = wrong.count(address_of(request))
        if not wait:
            raise
        minutes = -(-wait // 60)
        detail = f"Too many links were tried from here: wait {minutes} minute{'' if minutes == 1 else 's'}"
        raise Problem(HTTPStatus.TOO_MANY_REQUESTS, detail, retry_after=wait) from None


Opened = Annotated[str, Depends(opened)]


@router.get("/api/on-site")
def on_site(records: Recorded, key: Opened) -> OnSiteShown:
    """The page that a link opens."""
    return _shown(records, key)


@router.post("/api/on-site")
def answer_on_site(records: Recorded, key: Opened, token: Token, answer: AnswerFromSite) -> OnSiteShown:
    """Answer a test of the page from site."""
    found = next((test for test in page_of(records.now, key).tests if test.key == answer.test), None)
    if found is None:
        raise Problem(HTTPStatus.CONFLICT, "The page has changed since you opened it: load it again")
    records.onsite.answer(token, found.key, found.text, answer.name, answer.note, works=answer.works)
    return _shown(records, key)


@links.get("/links")
def site_links(customer: Code, site: Code, records: Recorded, person: Looking) -> SiteLinks:
    """The links of a site, and what was answered on site."""
    key = f"{customer}/{site}"
    records.now.sites.plan(key)
    return SiteLinks(links=records.onsite.links(key), answers=records.onsite.answers(key))


@links.post("/links")
def make_link(customer: Code, site: Code, wanted: LinkWanted, records: Recorded, person: Staging) -> LinkMade:
    """A link for whoever installs the site."""
    made = records.onsite.make(f"{customer}/{site}", wanted.days, person.author)
    return LinkMade(token=made.token, ends=made.ends)


@links.delete("/links/{number}")
def end_link(customer: Code, site: Code, number: Number, records: Recorded, person: Staging) -> SiteLinks:
    """End a link before its time."""
    key = f"{customer}/{site}"
    records.onsite.end(key, number, person.author)
    return SiteLinks(links=records.onsite.links(key), answers=records.onsite.answers(key))
