"""The key and the head of the journal, each in a file of its own beside the database.

Every line's digest (HMAC-SHA-256, RFC 2104) covers the line and the digest before it, under a key that is not in the
database: whoever can write there cannot chain the lines anew. The head says how far the chain has come, so that lines
taken off its end are missed; it can be printed or sent elsewhere, and held against the chain later. Lines from before
there was a key are chained without one.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import os
import secrets
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

KEY, HEAD = "journal.key", "journal.head"
START = "0" * 64

_KEY_WORD, _HEAD_WORD = "octaplan-journal-key/1", "octaplan-journal-head/1"


class Head(NamedTuple):
    """How far the chain has come: the number of its last line, and that line's digest."""

    number: int
    digest: str

    def __str__(self) -> str:
        return f"{self.number}:{self.digest}"

    @classmethod
    def of(cls, text: str) -> Head | None:
        """A head as it is printed, or nothing."""
        number, _, digest = text.strip().partition(":")
        return cls(int(number), digest) if number.isdigit() and len(digest) == len(START) else None


class Chain:
    """The chain of one data folder. `since` is the number of lines that were written before there was a key."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.since = 0
        self._key: bytes | None = None
        words = _words(folder / KEY, _KEY_WORD, 2)
        if words is not None:
            self._key, self.since = bytes.fromhex(words[0]), int(words[1])

    @property
    def missing(self) -> bool:
        """Whether there is no key."""
        return self._key is None

    def begin(self, lines: int) -> None:
        """Make the key, after so many lines without one."""
        self._key, self.since = secrets.token_bytes(32), lines
        _write(self._folder / KEY, f"{_KEY_WORD} {self._key.hex()} {lines}\n", lasting=True)

    def digest(self, before: str, number: int, line: Sequence[object]) -> str:
        """The digest of a line, from that of the line before it."""
        if number <= self.since or self._key is None:
            text = json.dumps([before, number, *line[:6]], ensure_ascii=False).encode()
            return hashlib.sha256(text).hexdigest()
        text = json.dumps([before, number, *line], ensure_ascii=False).encode()
        return hmac.new(self._key, text, hashlib.sha256).hexdigest()

    def head(self) -> Head | None:
        """How far the chain has come, as it was noted apart from the database; nothing when that is not to be read."""
        words = _words(self._folder / HEAD, _HEAD_WORD, 3)
        if words is None or self._key is None or not hmac.compare_digest(words[2], self._sealed(words[0], words[1])):
            return None
        return Head(int(words[0]), words[1])

    def note(self, head: Head) -> None:
        """Note how far the chain has come."""
        number = str(head.number)
        _write(self._folder / HEAD, f"{_HEAD_WORD} {number} {head.digest} {self._sealed(number, head.digest)}\n")

    def seal_of_copy(self, text: bytes) -> str:
        """The seal of a copy of all records, under a key of its own that is derived from that of the journal (HKDF,
        RFC 5869); nothing where there is none."""
        if self._key is None:
            return ""
        derived = HKDF(SHA256(), 32, None, b"octaplan copy").derive(self._key)
        return hmac.new(derived, text, hashlib.sha256).hexdigest()

    @property
    def installation(self) -> str:
        """By what the installation is told from others that has this key."""
        return hashlib.sha256(b"octaplan installation" + (self._key or b"")).hexdigest()[:12]

    def _sealed(self, number: str, digest: str) -> str:
        return hmac.new(self._key or b"", f"head {number} {digest}".encode(), hashlib.sha256).hexdigest()


def _words(path: Path, first: str, count: int) -> list[str] | None:
    try:
        word, *rest = path.read_text("ascii").split()
    except (OSError, ValueError):
        return None
    return rest if word == first and len(rest) == count else None


def _write(path: Path, text: str, *, lasting: bool = False) -> None:
    spare = path.with_name(f"{path.name}.next")
    handle = os.open(spare, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(text)
        if lasting:
            file.flush()
            os.fsync(file.fileno())
    os.replace(spare, path)
