"""What every way to talk to a box has in common.

LinkError             talking to a box came to nothing
  NoAnswer            nobody answers, or not any more
  NotLetIn            the box does not let one in
  BoxRefused          the box says no to what it was told
  OtherBox            the certificate or host key is not the one that was met first
  NoCable             there is no console cable to the box, or it cannot be used
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any, NamedTuple, Protocol

from octaplan.core.config.view import between_quotes
from octaplan.core.plan.hardware import Verb
from octaplan.core.values.errors import RefusedError

#: Seconds to wait for a connection, and for an answer.
CONNECT, ANSWER = 4.0, 6.0


class LinkError(RefusedError):
    """Talking to a box came to nothing."""


class NoAnswer(LinkError):
    """Nobody answers, or not any more."""


class NotLetIn(LinkError):
    """The box does not let one in."""


class BoxRefused(LinkError):
    """The box says no to what it was told."""


class OtherBox(LinkError):
    """The certificate or host key is not the one that was met first."""


class NoCable(LinkError):
    """There is no console cable to the box, or it cannot be used."""


class Door(NamedTuple):
    """Where a service of a box is reached, and what it is to be called; its console by a `device` of this machine, if
    any."""

    host: str
    port: int
    title: str
    device: str = ""


class Exchanged(NamedTuple):
    """Something that was sent or received, without secrets."""

    sent: bool
    text: str


@dataclass
class Conversation:
    """All that was sent and received, with marks in place of secrets."""

    lines: list[Exchanged] = field(default_factory=list)
    secrets: dict[str, str] = field(default_factory=dict)

    def hide(self, place: str, secret: str) -> None:
        """Never tell a secret again: its place in the safe stands for it."""
        for form in (secret, json.dumps(secret)[1:-1], between_quotes(secret, '"', "\\")[1:-1]):
            if form:
                self.secrets[form] = place

    def note(self, text: str, *, sent: bool) -> None:
        """Take something down."""
        self.lines.append(Exchanged(sent, self.without_secrets(text)))

    def without_secrets(self, text: str) -> str:
        """A text with marks in place of secrets."""
        for secret, place in sorted(self.secrets.items(), key=lambda pair: -len(pair[0])):
            text = text.replace(secret, f"<<{place}>>")
        return text

    def taken(self) -> list[Exchanged]:
        """What was exchanged since it was last taken."""
        lines, self.lines = self.lines, []
        return lines


@dataclass
class Portion:
    """What one step tells a box: lines of its language, or data of YANG modules with secrets by slot.

    `shown` is the same without secrets.
    """

    lines: list[str] = field(default_factory=list)
    data: dict[str, Any] = field(default_factory=dict)
    secrets: dict[str, str] = field(default_factory=dict)
    shown: list[str] = field(default_factory=list)

    @property
    def empty(self) -> bool:
        return not (self.lines or self.data or self.secrets)


@dataclass
class Pins:
    """The certificate (DER) and host key that a box was met with first."""

    certificate: bytes = b""
    host_key: bytes = b""

    @property
    def text(self) -> str:
        """As it is kept."""
        return f"{self.certificate.hex()} {self.host_key.hex()}" if self.certificate or self.host_key else ""

    @classmethod
    def read(cls, text: str) -> Pins:
        """As it was kept."""
        certificate, _, host_key = text.partition(" ")
        return cls(bytes.fromhex(certificate), bytes.fromhex(host_key))


class Channel(Protocol):
    """One log-in at a box."""

    #: How it talks, in a word, and for how many seconds an answer is waited for.
    way: str
    patience: float

    async def log_in(self, user: str, password: str) -> None:
        """Raises `NotLetIn`, `NoAnswer`, `OtherBox`."""

    async def set_secret(self, slot: str, value: str) -> None:
        """Raises `BoxRefused`, `NoAnswer`."""

    async def tell(self, portion: Portion) -> None:
        """Tell it something. Raises `BoxRefused`, `NoAnswer`."""

    async def holds(self, portion: Portion) -> list[str]:
        """What of a portion it does not show as told, in words."""

    async def do(self, verb: Verb, about: str = "") -> None:
        """Have it do something. Raises `BoxRefused`, `NoAnswer`."""

    async def firmware(self) -> str:
        """The level of firmware that it shows."""

    async def lights(self) -> dict[str, str]:
        """What its lights show, as it says."""

    async def show(self) -> str:
        """All that it has been told, as it shows it."""

    async def backup(self) -> bytes:
        """A backup of it."""

    async def put_back(self, content: bytes) -> None:
        """Put a backup of it back; it restarts. Raises `BoxRefused`, `NoAnswer`."""

    async def close(self) -> None:
        """Leave."""
