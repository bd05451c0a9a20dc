"""One SQLite file in a data folder: opened, brought up to date; and whose turn it is to write in it.

DataFolderError       the data folder cannot be used

Readers take `Database.now`, an immutable snapshot, or a `reading` session, and wait for nobody. Writers take the one
`turn`: a transaction, and the snapshot that follows from it. The turn is the only lock of the store; nothing else is
held while waiting for it, and whoever holds it waits for nothing but the disk.
"""

from __future__ import annotations

import fcntl
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import structlog
from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.orm import Session

from octaplan.errors import OctaplanError

if TYPE_CHECKING:
    from octaplan.store.snapshot import Snapshot

FILE = "octaplan.sqlite"

log = structlog.get_logger()


class DataFolderError(OctaplanError):
    """The data folder cannot be used."""


def alembic_config(connection: object = None) -> Config:
    """Alembic's configuration, on a connection that is already open."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    return config


class Turn:
    """One writer's turn. `now` is what readers will see once the transaction is through; `tell` what is said then.

    Everything that can fail is done before the turn ends: what comes after the commit is one assignment, and words
    that are left for others.
    """

    def __init__(self, session: Session, now: Snapshot) -> None:
        self.session = session
        self.now = now
        self.words: list[Callable[[], None]] = []

    def tell(self, word: Callable[[], None]) -> None:
        """Call something after the commit; when it fails, the log says so and nobody else is troubled."""
        self.words.append(word)


class Database:
    """The records of one data folder. One process holds the folder at a time."""

    now: Snapshot

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
        self._open: Turn | None = None
        self.engine = _engine(folder / FILE)
        with self.engine.begin() as connection:
            command.upgrade(alembic_config(connection), "head")

    @contextmanager
    def turn(self) -> Iterator[Turn]:
        """A writer's turn: all of it is kept and then seen by readers, or on an error none.

        Within a turn of the same thread it is a part of that one, of which again all is kept or none.
        """
        with self._turn:
            if self._open is not None:
                with _part(self._open) as part:
                    yield part
                return
            with Session(self.engine, expire_on_commit=False) as session:
                turn = self._open = Turn(session, getattr(self, "now", None))  # type: ignore[arg-type]
                try:
                    with session.begin():
                        yield turn
                finally:
                    self._open = None
            self.now = turn.now
            for word in turn.words:
                try:
                    word()
                except Exception:
                    log.exception("saved, and then failed to tell")

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that only reads what has been kept so far, without waiting for those that write."""
        with Session(self.engine, expire_on_commit=False) as session:
            yield session

    def idle(self, seconds: float) -> bool:
        """Whether a writer's turn could be had within so many seconds."""
        if not self._turn.acquire(timeout=seconds):
            return False
        self._turn.release()
        return True

    def close(self) -> None:
        self.engine.dispose()
        self._lock.close()


@contextmanager
def _part(turn: Turn) -> Iterator[Turn]:
    before, words = turn.now, len(turn.words)
    try:
        with turn.session.begin_nested():
            yield turn
    except BaseException:
        turn.now = before
        del turn.words[words:]
        raise


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, record: object) -> None:
        connection.isolation_level = None  # transactions begin where SQLAlchemy says, savepoints included
        cursor = connection.cursor()
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN")

    return engine
