"""Prints the API's description, from which the front end's types are generated: `python -m octaplan.server.openapi`."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from octaplan.server.app import create_app
from octaplan.store.database import Database

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder))
        json.dump(create_app(database).openapi(), sys.stdout, indent=1, sort_keys=True)
        database.close()
