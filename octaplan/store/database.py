"""One SQLite file in a data folder: opened, brought up to date, and handed out as sessions."""

from __future__ import annotations

import fcntl
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session

from octaplan.errors import OctaplanError

FILE = "octaplan.sqlite"


class DataFolderError(OctaplanError):
    """The data folder cannot be used."""


def alembic_config(connection: object = None) -> Config:
    """Alembic's configuration, on a connection that is already open."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    return config


class Database:
    """The records of one data folder. One process holds the folder at a time."""

    def __init__(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._lock = (folder / "lock").open("w")
        except OSError as error:
            raise DataFolderError(f"{folder} cannot be used as data folder: {error.strerror}") from None
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.close()
            raise DataFolderError(f"{folder} is in use by another Octaplan: stop that one first") from None
        self.folder = folder
        self._turn = threading.RLock()
        self.engine = _engine(folder / FILE)
        with self.engine.begin() as connection:
            command.upgrade(alembic_config(connection), "head")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session whose changes are all kept, or on an error none. Sessions take turns."""
        with self._turn, Session(self.engine, expire_on_commit=False) as session, session.begin():
            yield session

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that only reads what has been kept so far, without waiting for those that write."""
        with Session(self.engine, expire_on_commit=False) as session:
            yield session

    def close(self) -> None:
        self.engine.dispose()
        self._lock.close()


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, record: object) -> None:
        cursor = connection.cursor()
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    return engine
