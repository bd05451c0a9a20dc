"""What routes are given: the records of the open database."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Request

from octaplan.server.readings import SecretReadings
from octaplan.store.records import Records
from octaplan.worker.workers import Workers


async def records_of(request: Request) -> Records:
    """The records of the application that was asked."""
    records: Records = request.app.state.records
    return records


Recorded = Annotated[Records, Depends(records_of)]


def workers_of(request: Request) -> Workers:
    """The child processes in which what people and boxes wrote is worked on."""
    workers: Workers = request.app.state.workers
    return workers


def readings_of(request: Request) -> SecretReadings:
    """How many secrets people read."""
    readings: SecretReadings = request.app.state.readings
    return readings


Counted = Annotated[SecretReadings, Depends(readings_of)]
Working = Annotated[Workers, Depends(workers_of)]
