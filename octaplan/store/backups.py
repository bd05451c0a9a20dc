"""Copies of all records: made while Octaplan runs, put back, and gone through.

A copy is one ZIP file: the database (SQLite's own online backup), what was noted of the journal's end, and a manifest
with the digest of each, sealed by the key of the journal and, where there is one, by a passphrase (HMAC-SHA-256):
whoever can write where copies lie cannot make another of the same looks. The keys are apart (`safe.key` and
`journal.key` are to be copied once, to another place), or inside, sealed under the passphrase (scrypt, RFC 7914;
AES-GCM).

BackupError           a copy cannot be made, read or put back
"""

from __future__ import annotations

import hashlib
import hmac
import json
import os
import secrets
import shutil
import socket
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, NamedTuple

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from octaplan import __version__
from octaplan.core.values.errors import RefusedError
from octaplan.store import chain, vault
from octaplan.store.database import FILE, Database
from octaplan.store.folder import make_private

SCHEMA = "octaplan.backup/2"
#: Copies of before there were seals.
UNSEALED = "octaplan.backup/1"
MANIFEST, SEALED = "manifest.json", "keys.sealed"
KEYS = (vault.FILE, chain.KEY)

#: What a copy is made in begins so, followed by the number of the process that makes it.
MAKING = ".octaplan-"

#: The most that a copy may unpack to.
MAX_UNPACKED = 64 << 30

SHORTEST_PASSPHRASE = 12
_SALT, _NONCE = 16, 12
#: What sealed keys are bound to.
_BOUND = b"octaplan.backup/1"


class BackupError(RefusedError):
    """A copy cannot be made, read or put back."""


class BackupMade(NamedTuple):
    """A copy that was made."""

    path: Path
    size: int
    at: datetime
    keys: bool


def make(folder: Path, target: Path, passphrase: str = "") -> BackupMade:
    """Copy the records of a data folder, in use or not, into one file. Raises `BackupError`."""
    if not (folder / FILE).is_file():
        raise BackupError(f"{folder} holds no records: name the data folder of Octaplan")
    if passphrase and len(passphrase) < SHORTEST_PASSPHRASE:
        raise BackupError(f"Choose a passphrase of at least {SHORTEST_PASSPHRASE} characters")
    at = datetime.now(UTC)
    spare = target.with_name(f"{MAKING}{os.getpid()}-{secrets.token_hex(4)}")
    try:
        target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        tidy(target.parent)
        with tempfile.TemporaryDirectory(dir=target.parent, prefix=f"{MAKING}{os.getpid()}-") as room:
            members = _members(folder, Path(room), passphrase)
            digests = {path.name: _digest(path) for path in members}
            ours = chain.Chain(folder)
            manifest: dict[str, Any] = {
                "schema": SCHEMA,
                "octaplan": __version__,
                "at": at.isoformat(timespec="seconds"),
                "host": socket.gethostname()[:80],
                "installation": ours.installation,
                "files": digests,
            }
            told = _told(manifest)
            manifest["sealed"] = ours.seal_of_copy(told)
            if passphrase:
                salt = secrets.token_bytes(_SALT)
                manifest["salt"], manifest["sealed_by_passphrase"] = salt.hex(), _seal(told, passphrase, salt)
            with open(os.open(spare, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
                    archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
                    for path in members:
                        archive.write(path, path.name)
                file.flush()
                os.fsync(file.fileno())
        os.replace(spare, target)
    except (OSError, sqlite3.Error) as error:
        spare.unlink(missing_ok=True)
        why = error.strerror if isinstance(error, OSError) else str(error)
        raise BackupError(f"{target} could not be written ({why}): nothing was kept of it") from None
    return BackupMade(target, target.stat().st_size, at, bool(passphrase))


def _members(folder: Path, room: Path, passphrase: str) -> list[Path]:
    members = []
    before = _safe_keys(folder)
    if (folder / chain.HEAD).is_file():  # before the database, so that it is not ahead of it
        members.append(Path(shutil.copyfile(folder / chain.HEAD, room / chain.HEAD)))
    copy_database(folder / FILE, room / FILE)
    members.append(room / FILE)
    if passphrase:
        keys = _keys_for(room / FILE, folder, before)
        (room / SEALED).write_bytes(_sealed(json.dumps(keys).encode(), passphrase))
        members.append(room / SEALED)
    return members


def _safe_keys(folder: Path) -> dict[str, str]:
    """The keys of a safe by their names, with the one that is being changed to: which of them a database was sealed
    with, it says itself."""
    paths = [path for path in (folder / vault.FILE, folder / vault.NEXT) if path.is_file()]
    return {name: path.read_text("ascii") for path in paths if (name := vault.key_named(path))}


def _keys_for(database: Path, folder: Path, before: dict[str, str]) -> dict[str, str]:
    """The keys that go with a copy of a database, whose key may be changed meanwhile."""
    known = before | _safe_keys(folder)
    with closing(sqlite3.connect(database)) as connection:
        row = connection.execute("SELECT key_id FROM safe_keys").fetchone()
    keys = {vault.FILE: known[row[0]]} if row and row[0] in known else {}
    if (folder / chain.KEY).is_file():
        keys[chain.KEY] = (folder / chain.KEY).read_text("ascii")
    return keys


def tidy(folder: Path, *, beginning: bool = False) -> None:
    """Remove what copies were made in by processes that are gone: whole databases without a seal, after a kill. One
    that is `beginning` has made none yet: what has its number is of another, as in a container, where all have one."""
    for left in folder.glob(f"{MAKING}*"):
        number = left.name.removeprefix(MAKING).partition("-")[0]
        ours = number == str(os.getpid())
        if not (ours and beginning) and number.isdecimal() and Path(f"/proc/{number}").exists():
            continue
        shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)


def copy_database(source: Path, target: Path) -> None:
    """Copy a database that may be in use, as it is at one moment."""
    with (
        closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True, timeout=30)) as old,
        closing(sqlite3.connect(target)) as new,
    ):
        old.backup(new, pages=4096)
        new.execute("PRAGMA journal_mode=DELETE")


def restore(source: Path, folder: Path, passphrase: str = "") -> bool:
    """Put a copy back into a folder that is empty or not there; whether the keys came with it. Raises `BackupError`."""
    if folder.exists() and any(folder.iterdir()):
        raise BackupError(f"{folder} is not empty: name a new folder, so that nothing is overwritten")
    with _opened(source) as (archive, files, manifest):
        keys = _keys_of(archive, passphrase) if SEALED in files else {}
        fault = _seal_of_passphrase(manifest, passphrase)
        if fault:
            raise BackupError(f"{source.name}: {fault}. Nothing was put back")
        make_private(folder)
        try:
            for name, digest in files.items():
                if name != SEALED:
                    _unpack(archive, name, folder / name, digest, source)
            for name, text in keys.items():
                with open(os.open(folder / name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
                    file.write(text)
        except BaseException:
            for name in (*files, *keys):
                (folder / name).unlink(missing_ok=True)
            raise
    return bool(keys)


@contextmanager
def _opened(source: Path) -> Iterator[tuple[zipfile.ZipFile, dict[str, str], dict[str, Any]]]:
    try:
        with zipfile.ZipFile(source) as archive:
            manifest = json.loads(archive.read(MANIFEST)[: 1 << 20])
            files = dict(manifest["files"])
            known = {FILE, chain.HEAD, SEALED}
            if manifest["schema"] not in (SCHEMA, UNSEALED) or not set(files) <= known or FILE not in files:
                raise BackupError(f"{source.name} is a copy of another kind, or of a newer Octaplan")
            if sum(archive.getinfo(name).file_size for name in files) > MAX_UNPACKED:
                raise BackupError(f"{source.name} unpacks to more than {MAX_UNPACKED >> 30} GB: no copy does")
            yield archive, files, manifest
    except BackupError:
        raise
    except (OSError, zipfile.BadZipFile, KeyError, ValueError, TypeError, AttributeError) as error:
        why = error.strerror if isinstance(error, OSError) else "it is damaged, or something else"
        raise BackupError(f"{source} cannot be read as a copy of Octaplan's records ({why})") from None


def _seal_of_passphrase(manifest: dict[str, Any], passphrase: str) -> str:
    """What is wrong with the seal of a passphrase, or nothing."""
    if manifest["schema"] == UNSEALED or not passphrase:
        return ""
    try:
        salt = bytes.fromhex(manifest["salt"])
        fits = hmac.compare_digest(_seal(_told(manifest), passphrase, salt), str(manifest["sealed_by_passphrase"]))
    except (KeyError, TypeError, ValueError):
        return "it is not sealed by a passphrase, though it has one"
    return "" if fits else "it was changed after it was made, or the passphrase is another"


def _verdict_on_copy(manifest: dict[str, Any], folder: Path) -> Verdict:
    """Who made a copy, and whether it was changed since, by the key of the journal that is there now."""
    if manifest["schema"] == UNSEALED:
        return Verdict("copy of before there were seals: whether it was changed cannot be told")
    made = f"copy made by {str(manifest.get('host'))[:80]} on {str(manifest.get('at'))[:40]}"
    ours = chain.Chain(folder)
    if ours.missing:
        return Verdict(made, "without journal.key nobody can tell whether it was changed: name its folder by --keys")
    if manifest.get("installation") != ours.installation:
        return Verdict(made, "it is of another installation than journal.key")
    try:
        whole = hmac.compare_digest(ours.seal_of_copy(_told(manifest)), str(manifest["sealed"]))
    except (KeyError, TypeError):
        whole = False
    return Verdict(made, "" if whole else "it was changed after it was made: its seal does not fit. Take an older copy")


def _unpack(archive: zipfile.ZipFile, name: str, target: Path, digest: str, source: Path) -> None:
    taken = hashlib.sha256()
    with archive.open(name) as packed, open(os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        while part := packed.read(1 << 20):
            taken.update(part)
            file.write(part)
        file.flush()
        os.fsync(file.fileno())
    if taken.hexdigest() != digest:
        raise BackupError(f"{source.name} is damaged: {name} is not what was put into it. Take an older copy")


#: What of a manifest is sealed: all that is not a seal.
_SEALED_MEMBERS = ("schema", "octaplan", "at", "host", "installation", "files")


def _told(manifest: dict[str, Any]) -> bytes:
    return json.dumps({name: manifest[name] for name in _SEALED_MEMBERS}, sort_keys=True).encode()


def _seal(told: bytes, passphrase: str, salt: bytes) -> str:
    return hmac.new(_key(passphrase, salt), b"octaplan copy" + told, hashlib.sha256).hexdigest()


def _sealed(plain: bytes, passphrase: str) -> bytes:
    salt, nonce = secrets.token_bytes(_SALT), secrets.token_bytes(_NONCE)
    return salt + nonce + AESGCM(_key(passphrase, salt)).encrypt(nonce, plain, _BOUND)


def _key(passphrase: str, salt: bytes) -> bytes:
    return Scrypt(salt, 32, n=1 << 16, r=8, p=1).derive(passphrase.encode())


def _keys_of(archive: zipfile.ZipFile, passphrase: str) -> dict[str, str]:
    if not passphrase:
        return {}
    content = archive.read(SEALED)[: 1 << 16]
    salt, nonce, sealed = content[:_SALT], content[_SALT : _SALT + _NONCE], content[_SALT + _NONCE :]
    try:
        keys = json.loads(AESGCM(_key(passphrase, salt)).decrypt(nonce, sealed, _BOUND))
    except InvalidTag:
        raise BackupError("The passphrase does not open the keys of this copy: nothing was put back") from None
    return {name: str(text) for name, text in keys.items() if name in KEYS}


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


# --- On a schedule


class Schedule(NamedTuple):
    """Where copies are put by themselves, how often, and for how many days they are kept."""

    folder: Path
    every: timedelta = timedelta(hours=24)
    keep: timedelta = timedelta(days=14)
    passphrase: str = ""

    def copies(self) -> list[Path]:
        """The copies that were made, newest first."""
        return sorted(self.folder.glob("octaplan-*.zip"), reverse=True)

    def newest(self) -> datetime | None:
        """When the newest copy was made."""
        copies = self.copies()
        return datetime.fromtimestamp(copies[0].stat().st_mtime, UTC) if copies else None

    def due(self, now: datetime, since: datetime) -> bool:
        """Whether the next copy is due; the first, a quarter of an hour after the start `since`."""
        newest = self.newest()
        if newest is None or newest > now:  # none, or made by a clock that was ahead
            return now - since >= timedelta(minutes=15)
        return now - newest >= self.every

    def make(self, data: Path, now: datetime | None = None) -> BackupMade:
        """Make a copy, and let those go that have been kept long enough; the newest always stays."""
        now = now or datetime.now(UTC)
        made = make(data, self.folder / f"octaplan-{now:%Y%m%d-%H%M%S}.zip", self.passphrase)
        for copy in self.copies()[1:]:
            if now - datetime.fromtimestamp(copy.stat().st_mtime, UTC) > self.keep:
                copy.unlink(missing_ok=True)
        return made


# --- Going through


class Verdict(NamedTuple):
    """One thing that was gone through: what it is, whether it is whole, and what to do when it is not."""

    what: str
    fault: str = ""


def verify(path: Path, passphrase: str = "", keys: Path | None = None) -> list[Verdict]:
    """Go through a data folder, in use or not, or through a copy; nothing in it is changed. Raises `BackupError`.

    `keys` is a folder with the keys, when they are apart.
    """
    with tempfile.TemporaryDirectory(prefix="octaplan-verify-") as room:
        folder = Path(room) / "data"
        if path.is_dir():
            if not (path / FILE).is_file():
                raise BackupError(f"{path} holds no records: name the data folder of Octaplan, or a copy of it")
            folder.mkdir(mode=0o700)
            for name in (chain.HEAD, vault.NEXT, *KEYS):
                if (path / name).is_file():
                    shutil.copyfile(path / name, folder / name)
            try:
                copy_database(path / FILE, folder / FILE)
            except sqlite3.Error as error:
                return [Verdict("database", f"it cannot be read ({error}): restore the newest copy that is whole")]
        else:
            restore(path, folder, passphrase)
        for name in (vault.NEXT, *KEYS):
            if keys is not None and (keys / name).is_file() and not (folder / name).is_file():
                shutil.copyfile(keys / name, folder / name)
        about = []
        if not path.is_dir():
            with _opened(path) as (_, _, manifest):
                about.append(_verdict_on_copy(manifest, folder))
        return [*about, *_gone_through(folder)]


def _gone_through(folder: Path) -> list[Verdict]:
    with closing(sqlite3.connect(folder / FILE)) as connection:
        try:
            (state,) = connection.execute("PRAGMA integrity_check(1)").fetchone()
            strays = connection.execute("PRAGMA foreign_key_check").fetchone()
        except sqlite3.Error as error:
            state, strays = str(error), None
    if state != "ok" or strays:
        why = state if state != "ok" else f"a row of {strays[0]} belongs to nothing"
        return [Verdict("database", f"it is damaged ({why}): restore the newest copy that is whole")]
    has_key = (folder / vault.FILE).is_file()
    database = Database(folder)
    try:
        return [Verdict("database"), *_records_gone_through(database, has_key=has_key)]
    finally:
        database.close()


def _records_gone_through(database: Database, *, has_key: bool) -> Iterator[Verdict]:
    from octaplan.store.journal import Journal
    from octaplan.store.rebuild import strays
    from octaplan.store.vault import Vault, unreadable

    wrong = strays(database)
    yield Verdict(
        "derived tables",
        f"they do not say what the plans say at {', '.join(wrong[:5])}: run `octaplan verify --mend`" if wrong else "",
    )
    sealed = Vault(database) if has_key else None
    if sealed is None or sealed.locked:
        yield Verdict("secrets", "the key safe.key is not here, or is another one: name its folder with --keys")
    else:
        lost = unreadable(database, sealed)
        yield Verdict(
            "secrets", f"{len(lost)} cannot be opened, the first is {lost[0]}: make or type them anew" if lost else ""
        )
    fault = Journal(database).check().fault
    yield Verdict("journal", f"{fault}: find out who changed it, and compare it with an older copy" if fault else "")
