"""The Go to field."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import Annotated, Literal, get_args

from fastapi import APIRouter, Query
from pydantic import BaseModel

from octaplan.core.check.rules import RULES
from octaplan.core.plan.stages import stage_of
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking
from octaplan.store.records import Records
from octaplan.store.search import LIMIT, find
from octaplan.store.snapshot import Snapshot

router = APIRouter(prefix="/api", tags=["go to"])


#: The pages of a site's desk, in the order of the work.
PageOfSite = Literal["intake", "addresses", "devices", "credentials", "clearance", "bench", "handover"]
PAGES_OF_SITE = get_args(PageOfSite)


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


class AnswerShown(BaseModel):
    understood: str
    places: list[PlaceShown]
    beyond: list[BeyondShown]


@router.get("/goto")
def goto(records: Recorded, person: Looking, q: Annotated[str, Query(max_length=100)]) -> AnswerShown:
    """What is at an address, a part of one, a subnet or range, or where a name, MAC, VLAN or phone number is."""
    now = records.now
    understood, places = find(records.database, q, now.settings.current.blocks)
    shown = [PlaceShown(**place._asdict(), stage=stage_of(place.path).value) for place in places]
    beyond = list(islice(_beyond(records, now, q.casefold().split()), LIMIT))
    if not shown:
        shown = _pages_of_sites(records, q.split())
    if not places and (shown or beyond):
        understood = ""
    return AnswerShown(understood=understood, places=shown, beyond=beyond)


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
