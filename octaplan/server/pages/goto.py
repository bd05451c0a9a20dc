"""The Go to field."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice
from typing import Annotated, Literal, get_args

from fastapi import APIRouter, Query
from pydantic import BaseModel

from octaplan.core.check.rules import RULES
from octaplan.core.flow.asking import answered, ask, read_end
from octaplan.core.flow.matrix import Traffic
from octaplan.core.plan.stages import stage_of
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.services import EVERYTHING, parse_services
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.traffic import traffic_of
from octaplan.server.permissions import Looking
from octaplan.store.records import Records
from octaplan.store.search import LIMIT, find
from octaplan.store.snapshot import Snapshot

router = APIRouter(prefix="/api", tags=["go to"])


#: The pages of a site's desk, in the order of the work.
PageOfSite = Literal["intake", "addresses", "devices", "traffic", "credentials", "clearance", "bench", "handover"]
PAGES_OF_SITE = get_args(PageOfSite)

#: At so many sites a question about traffic is answered.
ASKED = 5


class PlaceShown(BaseModel):
    customer: str
    site: str
    site_name: str
    path: str
    stage: PageOfSite
    kind: str
    name: str
    addresses: str


class BeyondShown(BaseModel):
    """Something to go to that is at no site: a pattern, a hardware type, a rule. `key` names it."""

    kind: Literal["pattern", "type", "rule"]
    key: str
    name: str
    detail: str


class TrafficAsked(BaseModel):
    """A question about traffic at a site that has the address or name that asks, answered in one sentence."""

    customer: str
    site: str
    site_name: str
    source: str
    target: str
    service: str
    sentence: str


class AnswerShown(BaseModel):
    understood: str
    places: list[PlaceShown]
    beyond: list[BeyondShown]
    asked: list[TrafficAsked]


@router.get("/goto")
def goto(records: Recorded, person: Looking, q: Annotated[str, Query(max_length=100)]) -> AnswerShown:
    """What is at an address, a part of one, a subnet or range, or where a name, MAC, VLAN or phone number is."""
    now = records.now
    asked = list(islice(_asked(records, q), ASKED))
    if asked:
        return AnswerShown(understood="Can it reach that?", places=[], beyond=[], asked=asked)
    understood, places = find(records.database, q, now.settings.current.blocks)
    shown = [PlaceShown(**place._asdict(), stage=stage_of(place.path).value) for place in places]
    beyond = list(islice(_beyond(records, now, q.casefold().split()), LIMIT))
    if not shown:
        shown = _pages_of_sites(records, q.split())
    if not places and (shown or beyond):
        understood = ""
    return AnswerShown(understood=understood, places=shown, beyond=beyond, asked=[])


def _asked(records: Records, text: str) -> Iterator[TrafficAsked]:
    """`10.40.8.20 to internet`, `printer 1 to 192.0.2.53 by https`: answered at the sites where the first one is."""
    match = re.fullmatch(r"\s*(\S.*?)\s+(?:to|→|->)\s+(\S.*?)(?:\s+by\s+(\S.*))?\s*", text)
    if match is None:
        return
    source, target, service = match[1], match[2], match[3] or "any"
    found = find(records.database, source).places
    for place in {(one.customer, one.site): one for one in found}.values():
        try:
            services = parse_services(service)
            traffic = traffic_of(records, f"{place.customer}/{place.site}")
            if not traffic.walkable:
                continue
            if services != EVERYTHING:
                traffic = Traffic(traffic.plan, records.now.sites.portfolio.organisation, [services])
            answer = ask(traffic, read_end(traffic, source), read_end(traffic, target), services)
        except OctaplanError:
            continue
        yield TrafficAsked(
            customer=place.customer,
            site=place.site,
            site_name=place.site_name,
            source=source,
            target=target,
            service=str(services),
            sentence=answered(traffic, answer),
        )


def _pages_of_sites(records: Records, words: list[str]) -> list[PlaceShown]:
    """A page of a site: one word is that of the page, the others are the site's."""
    for at, word in enumerate(words):
        page = next((one for one in PAGES_OF_SITE if len(word) > 3 and one.startswith(word.casefold())), None)
        rest = " ".join(words[:at] + words[at + 1 :])
        if page is not None and rest:
            found = [place for place in find(records.database, rest).places if place.kind == "site"]
            return [PlaceShown.model_validate({**place._asdict(), "kind": page, "stage": page}) for place in found]
    return []


def _beyond(records: Records, now: Snapshot, words: list[str]) -> Iterator[BeyondShown]:
    """Patterns, hardware types and rules of which all words are said."""

    def fits(*said: str) -> bool:
        text = " ".join(said).casefold()
        return bool(words) and all(word in text for word in words)

    for held in now.patterns.held.values():
        key, name = held.plan.site, held.plan.name or held.plan.site
        if fits(name, key, "pattern"):
            yield BeyondShown(kind="pattern", key=key, name=name, detail="segments for a kind of site")
    for key, one in now.types.types.items():
        if fits(one.maker, one.model, key):
            yield BeyondShown(kind="type", key=key, name=f"{one.maker} {one.model}", detail="hardware type")
    for rule in RULES.values():
        if fits(rule.id, rule.title):
            yield BeyondShown(kind="rule", key=rule.id, name=rule.title, detail=rule.id)
