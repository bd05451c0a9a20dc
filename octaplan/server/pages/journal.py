"""The section Journal."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Auditing
from octaplan.store.journal import Act, Checked, JournalLine

router = APIRouter(prefix="/api/journal", tags=["journal"])


class JournalShown(BaseModel):
    lines: list[JournalLine]
    acts: list[str]


@router.get("")
def journal(
    records: Recorded,
    person: Auditing,
    before: Annotated[int | None, Query(ge=1, le=1 << 53)] = None,
    act: Annotated[str, Query(max_length=40)] = "",
    site: Annotated[str, Query(max_length=81)] = "",
) -> JournalShown:
    """The newest 200 lines, or those before a line."""
    lines = records.journal.lines(before, act, site)
    return JournalShown(lines=lines, acts=list(Act))


@router.get("/journal.jsonl", response_class=StreamingResponse)
def export_journal(records: Recorded, person: Auditing) -> StreamingResponse:
    """All lines, oldest first, as JSON Lines: an object a line."""
    records.journal.note(Act.EXPORTED, person.author, "the journal")
    lines = (json.dumps(asdict(line), default=str, ensure_ascii=False) + "\n" for line in records.journal.every())
    headers = {"Content-Disposition": 'attachment; filename="journal.jsonl"'}
    return StreamingResponse(lines, media_type="application/jsonl", headers=headers)


@router.get("/check")
def check_journal(records: Recorded, person: Auditing) -> Checked:
    """Go through the whole chain."""
    return records.journal.check()
