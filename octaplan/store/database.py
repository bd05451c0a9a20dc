"""One SQLite file in a data folder: opened, brought up to date; and whose turn it is to write in it.

Readers take `Database.now`, an immutable snapshot, or a `reading` session, and wait for nobody. Writers take the one
`turn`: a transaction, and the snapshot that follows from it. The turn is the only lock of the store; nothing else is
held while waiting for it, and whoever holds it waits for nothing but the disk.
"""

from __future__ import annotations

import fcntl
import sqlite3
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import structlog
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session

from octaplan.core.values.errors import DamagedError
from octaplan.store.chain import Chain
from octaplan.store.folder import DataFolderError, make_private
from octaplan.store.models import Base

if TYPE_CHECKING:
    from alembic.config import Config

    from octaplan.store.snapshot import Snapshot

FILE = "octaplan.sqlite"
MIGRATIONS = Path(__file__).parent / "migrations"

#: The first tables whose journal is chained under a key.
FIRST_KEYED = "0006"

log = structlog.get_logger()


class BrokenReferences(DamagedError):
    """Rows refer to others that are not there."""


def known_revisions() -> list[str]:
    """The revisions of the tables, oldest first; each is the number that its migration's file begins with."""
    return sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def alembic_config(connection: object = None) -> Config:
    """Alembic's configuration, on a connection that is already open."""
    from alembic.config import Config  # slow to import, and most starts bring nothing up

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    return config


class _Line:
    """A lock that is handed on in the order in which it was asked for, and that its holder may take again.

    A lock of the standard library is often taken by the thread that has just let go of it: who writes in parts would
    keep all others waiting.
    """

    def __init__(self) -> None:
        self._gate = threading.Lock()
        self._waiting: deque[threading.Lock] = deque()
        self._taken = False
        self._holder: int | None = None
        self._depth = 0

    def __enter__(self) -> None:
        me = threading.get_ident()
        if self._holder != me:
            with self._gate:
                mine = threading.Lock() if self._taken or self._waiting else None
                if mine is not None:
                    mine.acquire()
                    self._waiting.append(mine)
                self._taken = True
            if mine is not None:
                mine.acquire()  # until it is handed on
            self._holder = me
        self._depth += 1

    def __len__(self) -> int:
        """How many threads wait."""
        return len(self._waiting)

    def __exit__(self, *error: object) -> None:
        self._depth -= 1
        if self._depth == 0:
            self._holder = None
            with self._gate:
                if self._waiting:
                    self._waiting.popleft().release()
                else:
                    self._taken = False


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
    #: Whether the last turn could be written.
    writes = True

    def __init__(self, folder: Path) -> None:
        #: What was mended about the folder when it was opened.
        self.mended = make_private(folder)
        for told in self.mended:
            log.warning("data folder", mended=told)
        try:
            self._lock = (folder / "lock").open("w")
        except OSError as error:
            raise DataFolderError(f"{folder} cannot be used as data folder: {error.strerror}") from None
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.close()
            raise DataFolderError(f"{folder} is in use by another Octaplan: stop that one first") from None
        self.folder = folder
        self._turn = _Line()
        self._open: Turn | None = None
        self._since: float | None = None
        self.chain = Chain(folder)
        self.engine = _engine(folder / FILE)
        self._bring_up(folder / FILE)

    def _bring_up(self, file: Path) -> None:
        """Bring the tables up to date, a copy being put aside before. Raises `DataFolderError`, changing nothing."""
        newest = known_revisions()[-1]
        try:
            now = _revision_of(file)
            if now == newest:
                return
            if now is None:
                _make_tables(self.engine, newest)
                return
            aside = _put_aside(file, newest)
            log.warning("database brought up to date", was=now, now=newest, copy=str(aside))
            try:
                _migrate(file)
            except (sqlite3.DatabaseError, DatabaseError, BrokenReferences) as error:
                aside.unlink()
                raise DataFolderError(
                    f"{file} could not be brought up from tables {now} to {newest} ({_why(error)}). Nothing in it was "
                    "changed: go on with the Octaplan that wrote it, and report this"
                ) from None
            if now < FIRST_KEYED and self.chain.missing:
                self.chain.begin(_journal_lines(file))
        except (sqlite3.DatabaseError, DatabaseError) as error:
            self.close()
            raise DataFolderError(
                f"{file} cannot be read as Octaplan's records ({_why(error)}): restore a copy with `octaplan restore`"
            ) from None
        except DataFolderError:
            self.close()
            raise

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
                session.info["chain"] = self.chain
                self._since = time.monotonic()
                turn = self._open = Turn(session, getattr(self, "now", None))  # type: ignore[arg-type]
                try:
                    with session.begin():
                        yield turn
                except OperationalError as error:
                    self.writes = getattr(error.orig, "sqlite_errorcode", None) == sqlite3.SQLITE_BUSY
                    raise
                finally:
                    self._open = self._since = None
            self.now, self.writes = turn.now, True
            if "head" in session.info:
                turn.words.insert(0, lambda: self.chain.note(session.info["head"]))
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

    @property
    def held_for(self) -> float:
        """For how many seconds one writer has had the turn; 0 when nobody has it."""
        since = self._since
        return 0.0 if since is None else time.monotonic() - since

    @property
    def waiting(self) -> int:
        """How many writers wait for their turn."""
        return len(self._turn)

    def close(self) -> None:
        self.engine.dispose()
        self._lock.close()


def _revision_of(file: Path) -> str | None:
    """Which revision the tables of a file have; nothing for a file that is new. Raises `DataFolderError`."""
    if not file.exists() or not file.stat().st_size:
        return None
    with closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as connection:
        tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        if not tables:
            return None
        if "alembic_version" not in tables or "revisions" not in tables:
            raise DataFolderError(f"{file} is a database of something else: choose another data folder")
        (revision,) = connection.execute("SELECT version_num FROM alembic_version").fetchone() or ("",)
    if revision not in known_revisions():
        raise DataFolderError(
            f"{file} was written by a newer Octaplan (its revision {revision} is not known here): start that one, or "
            "restore an older copy"
        )
    return str(revision)


def _why(error: Exception) -> object:
    return error.orig if isinstance(error, DatabaseError) else error


def _put_aside(file: Path, newest: str) -> Path:
    """A copy of the records as they are before they are brought up: one for each upgrade, however often it is begun."""
    aside = file.with_name(f"{file.name}.before-{newest}")
    making = file.with_name(f"{aside.name}.making")
    making.unlink(missing_ok=True)
    with closing(sqlite3.connect(file)) as old, closing(sqlite3.connect(making)) as new:
        old.backup(new)
    making.chmod(0o600)
    return making.replace(aside)


def _journal_lines(file: Path) -> int:
    with closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as connection:
        return int(connection.execute("SELECT count(*) FROM journal").fetchone()[0])


def _migrate(file: Path) -> None:
    """Bring the tables up in one transaction. A table that others refer to may be remade in it: references are not held
    while it goes on, and all of them checked before it is kept. Raises `BrokenReferences`."""
    from alembic import command

    engine = _engine(file, foreign_keys=False)
    try:
        with engine.begin() as connection:
            command.upgrade(alembic_config(connection), "head")
            broken = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
            if broken:
                raise BrokenReferences(f"{len(broken)} references of {broken[0][0]} to {broken[0][2]} lead nowhere")
    finally:
        engine.dispose()


def _make_tables(engine: Engine, revision: str) -> None:
    """The tables of a new database, as bringing up an empty one would make them, in a tenth of the time."""
    with engine.begin() as connection:
        Base.metadata.create_all(connection)
        connection.exec_driver_sql("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)")
        connection.exec_driver_sql("INSERT INTO alembic_version VALUES (?)", (revision,))


@contextmanager
def _part(turn: Turn) -> Iterator[Turn]:
    before, words, head = turn.now, len(turn.words), turn.session.info.get("head")
    try:
        with turn.session.begin_nested():
            yield turn
    except BaseException:
        turn.now = before
        del turn.words[words:]
        turn.session.info.pop("head", None)
        if head is not None:
            turn.session.info["head"] = head
        raise


def _engine(path: Path, *, foreign_keys: bool = True) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, record: object) -> None:
        connection.isolation_level = None  # transactions begin where SQLAlchemy says, savepoints included
        cursor = connection.cursor()
        for pragma in ("journal_mode=WAL", "synchronous=FULL", f"foreign_keys={'ON' if foreign_keys else 'OFF'}"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN")

    return engine
