"""The application for `make dev`: on the demo portfolio, for uvicorn's reload to start again and again."""

from __future__ import annotations

import os
from datetime import date
from pathlib import Path

from fastapi import FastAPI

from octaplan import demo
from octaplan.server.app import configure_logs, create_app
from octaplan.store.database import Database


def create() -> FastAPI:
    """The application on the folder that `OCTAPLAN_DATA` names."""
    configure_logs()
    app = create_app(Database(Path(os.environ.get("OCTAPLAN_DATA", "demo-data"))))
    people, password = demo.prepare(app.state.records, date.today())  # noqa: DTZ011
    print(*(f"Demo sign-in: {person.name}, password {password}" for person in people), sep="\n", flush=True)  # noqa: T201
    app.state.setup_code = None
    return app
