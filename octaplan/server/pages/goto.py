"""The Go to field."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from octaplan.core.plan.stages import Stage, stage_of
from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Looking
from octaplan.store.search import find

router = APIRouter(prefix="/api", tags=["go to"])


class PlaceShown(BaseModel):
    customer: str
    site: str
    site_name: str
    path: str
    stage: Stage
    kind: str
    name: str
    addresses: str


class AnswerShown(BaseModel):
    understood: str
    places: list[PlaceShown]


@router.get("/goto")
def goto(records: Recorded, person: Looking, q: Annotated[str, Query(max_length=100)]) -> AnswerShown:
    """What is at an address or subnet, or where a name or MAC is."""
    blocks = records.now.settings.current.blocks
    understood, places = find(records.database, q, blocks)
    return AnswerShown(
        understood=understood, places=[PlaceShown(**place._asdict(), stage=stage_of(place.path)) for place in places]
    )
