"""The key of an installation: in a file beside the database, readable by its owner only.

What is sealed with it (secrets, back-ups, uploaded tables, second factors) is encrypted with AES-GCM (NIST SP
800-38D) and bound to its place, so that it cannot be moved to another. Fingerprints (HMAC-SHA-256 under a key of
their own) tell whether two secrets are the same without opening either.

VaultError            something sealed cannot be read or made
  VaultLocked         the key is not there, or is another installation's
  Damaged             what was sealed has been changed, or belongs to another place
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import os
import secrets
from collections.abc import Iterator
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.values.errors import DamagedError, OctaplanError, RefusedError
from octaplan.store.database import Database
from octaplan.store.models import Account, Backup, Base, ImportFile, SafeKey, Secret

FILE = "safe.key"
NEXT = "safe.key.next"
_NONCE = 12
_WORD = "octaplan-key/1"


class VaultError(OctaplanError):
    """Something sealed cannot be read or made."""


class VaultLocked(VaultError, RefusedError):
    """The key is not there, or is another installation's."""


class Damaged(VaultError, DamagedError):
    """What was sealed has been changed, or belongs to another place."""


class _Key(NamedTuple):
    id: str
    seal: AESGCM
    print: bytes

    @classmethod
    def of(cls, raw: bytes) -> _Key:
        def derived(info: bytes) -> bytes:
            return HKDF(SHA256(), 32, None, info).derive(raw)

        name = hashlib.sha256(b"octaplan key id" + raw).hexdigest()[:16]
        return cls(name, AESGCM(derived(b"octaplan seal")), derived(b"octaplan fingerprint"))

    def sealed(self, plain: bytes, place: str) -> bytes:
        nonce = secrets.token_bytes(_NONCE)
        return nonce + self.seal.encrypt(nonce, plain, place.encode())

    def opened(self, sealed: bytes, place: str) -> bytes:
        return self.seal.decrypt(sealed[:_NONCE], sealed[_NONCE:], place.encode())


class Changed(NamedTuple):
    """What a change of keys came to: how many things were sealed anew, and how many could not be opened."""

    sealed: int
    damaged: int


class Vault:
    """Seals and opens. `locked` says why it cannot, and is empty when it can."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._path = database.folder / FILE
        self._key: _Key | None = None
        self._former: _Key | None = None
        self._following: _Key | None = None
        self.locked = ""
        self.since = datetime.now(UTC)
        with database.turn() as turn:
            session = turn.session
            record = session.get(SafeKey, 1)
            if record is None:
                self._key = _read(self._path) or _write(self._path, secrets.token_bytes(32))
                session.add(SafeKey(id=1, key_id=self._key.id, since=self.since))
                return
            self.since = record.since
            self._key = self._matching(record.key_id)
            if self._key is None:
                self.locked = self._why_locked(session)

    def _matching(self, key_id: str) -> _Key | None:
        """The key of this database; a change of keys that was cut off after its commit is finished here."""
        key = _read(self._path)
        if key is not None and key.id == key_id:
            (self._database.folder / NEXT).unlink(missing_ok=True)
            return key
        following = _read(self._database.folder / NEXT)
        if following is not None and following.id == key_id:
            os.replace(self._database.folder / NEXT, self._path)
            return following
        return None

    def _why_locked(self, session: Session) -> str:
        def number(query: object) -> int:
            return session.scalar(query) or 0  # type: ignore[call-overload]

        secret = number(select(func.count()).select_from(Secret))
        backup = number(select(func.count()).select_from(Backup))
        second = number(select(func.count()).select_from(Account).where(Account.totp.is_not(None)))
        what = "is missing" if not self._path.exists() else "is not the one that this database was sealed with"
        return (
            f"The key file {self._path} {what}: {secret} secrets, {backup} back-ups and {second} second factors "
            "cannot be read, and nothing new can be sealed (secrets, back-ups, dropped tables), until the right file "
            "is put back there and Octaplan is started again. Plans, findings, bench runs, the journal and passwords "
            "for signing in are not affected"
        )

    def _open_key(self) -> _Key:
        if self._key is None:
            raise VaultLocked(self.locked)
        return self._key

    def seal(self, plain: bytes, place: str) -> bytes:
        """Seal bytes for a place. Raises `VaultLocked`."""
        return self._open_key().sealed(plain, place)

    def open(self, sealed: bytes, place: str) -> bytes:
        """Open what was sealed for a place. Raises `VaultLocked`, `Damaged`."""
        key = self._open_key()
        try:
            return key.opened(sealed, place)
        except (InvalidTag, ValueError):
            if self._former is not None:  # it may have been looked up before the key was changed
                with suppress(InvalidTag, ValueError):
                    return self._former.opened(sealed, place)
            raise Damaged(
                f"What is stored for {place} has been damaged, or was put there from another place: it cannot be "
                "read. Make or type it anew; its history is kept"
            ) from None

    def fingerprint(self, secret: str) -> str:
        """The same for the same secret, and tells nothing else about it."""
        return hmac.new(self._open_key().print, secret.encode(), hashlib.sha256).hexdigest()

    def change_key(self, session: Session) -> Changed:
        """Seal everything with a new key, inside the caller's turn; `settle` once it has been committed.

        The new key is on disk before the first thing is sealed with it, and takes the old one's place after the
        last; when this is cut off in between, the next start finishes it. What cannot be opened stays as it is.
        """
        self._open_key()
        new = self._following = _write(self._database.folder / NEXT, secrets.token_bytes(32))
        sealed = damaged = 0
        for thing, name, place in _sealed_things(session):
            try:
                plain = self.open(getattr(thing, name), place)
            except Damaged:
                damaged += 1
                continue
            setattr(thing, name, new.sealed(plain, place))
            if isinstance(thing, Secret):
                thing.fingerprint = hmac.new(new.print, plain, hashlib.sha256).hexdigest()
            sealed += 1
        session.merge(SafeKey(id=1, key_id=new.id, since=datetime.now(UTC)))
        return Changed(sealed, damaged)

    def settle(self) -> None:
        """Go on with the key that everything has been sealed with."""
        if self._following is None:
            return
        self._former, self._key, self._following = self._key, self._following, None
        self.since = datetime.now(UTC)
        os.replace(self._database.folder / NEXT, self._path)


def unreadable(database: Database, vault: Vault) -> list[str]:
    """What is sealed in a database and cannot be opened, by its place."""
    lost = []
    with database.reading() as session:
        for thing, name, place in _sealed_things(session):
            try:
                vault.open(getattr(thing, name), place)
            except Damaged:
                lost.append(place)
    return lost


def _sealed_things(session: Session) -> Iterator[tuple[Base, str, str]]:
    """Everything that is sealed in a database: the row, the name of its column, and what it is bound to."""
    for secret in session.scalars(select(Secret)):
        yield secret, "sealed", secret_place(secret.site_id, secret.slot, secret.number)
    for backup in session.scalars(select(Backup)):
        yield backup, "sealed", f"backup {backup.run_id} {backup.sha256}"
    for account in session.scalars(select(Account)):
        for name in ("totp", "totp_pending"):
            if getattr(account, name) is not None:
                yield account, name, second_factor_place(account.name)
    for file in session.scalars(select(ImportFile)):
        yield file, "content", f"import {file.import_id} {file.name}"


def second_factor_place(account: str) -> str:
    """What the secret of a second factor is bound to."""
    return f"second factor of {account}"


def secret_place(site_id: int, slot: str, number: int) -> str:
    """What a secret is bound to."""
    return f"site {site_id} {slot} {number}"


def key_named(path: Path) -> str:
    """The name of the key in a file, by which a database says which is its own; nothing where there is none."""
    key = _read(path)
    return key.id if key is not None else ""


def _read(path: Path) -> _Key | None:
    try:
        if path.stat().st_mode & 0o077:
            path.chmod(0o600)
        word, _, text = path.read_text("ascii").strip().partition(" ")
        raw = base64.b64decode(text, validate=True)
    except (OSError, ValueError):
        return None
    return _Key.of(raw) if word == _WORD and len(raw) == 32 else None


def _write(path: Path, raw: bytes) -> _Key:
    if path.exists() and path.name == FILE:
        raise VaultLocked(f"{path} is not a key file of Octaplan: put the right one there, or move this one away")
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(f"{_WORD} {base64.b64encode(raw).decode()}\n")
        file.flush()
        os.fsync(file.fileno())
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)
    return _Key.of(raw)
