"""What routes are given: the records of the open database."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Request

from octaplan.store.records import Records


async def records_of(request: Request) -> Records:
    """The records of the application that was asked."""
    records: Records = request.app.state.records
    return records


Recorded = Annotated[Records, Depends(records_of)]
