"""A box by its terminal: over SSH (RFC 4253), over telnet (RFC 854) without options, or at a console by plain TCP."""

from __future__ import annotations

import asyncio
import base64
import binascii
import contextlib
import re
from collections.abc import Callable
from typing import Protocol

import asyncssh

from octaplan.core.config.view import between_quotes
from octaplan.core.plan.hardware import HardwareType, Verb, WriteOut
from octaplan.link.cable import CableStream
from octaplan.link.channel import (
    ANSWER,
    CONNECT,
    BoxRefused,
    Conversation,
    Door,
    NoAnswer,
    NotLetIn,
    OtherBox,
    Pins,
    Portion,
)

#: What a box asks before one is let in.
_ASKS = {"user": re.compile(r"(?:user|log-?in)[^\n]*:\s*$", re.I), "password": re.compile(r"password:\s*$", re.I)}
_CHOOSE = re.compile(r"(?:choose|new)[^\n]*password:\s*$", re.I)


#: Seconds after which a silent console is woken by Enter.
_WAKES = 0.4
#: Characters of a backup in a line.
_LONG = 120


class Stream(Protocol):
    """A stream of text to and from a box."""

    async def read(self) -> str:
        """What has come; empty when the other side has left."""

    def write(self, text: str) -> None:
        """Send."""

    async def close(self) -> None:
        """Leave."""


class _Plain:
    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._reader, self._writer = reader, writer

    async def read(self) -> str:
        return (await self._reader.read(65_536)).decode("utf-8", "replace")

    def write(self, text: str) -> None:
        self._writer.write(text.encode())

    async def close(self) -> None:
        self._writer.close()


class _Secure:
    def __init__(self, connection: asyncssh.SSHClientConnection, process: asyncssh.SSHClientProcess[str]) -> None:
        self._connection, self._process = connection, process

    async def read(self) -> str:
        return await self._process.stdout.read(65_536)

    def write(self, text: str) -> None:
        self._process.stdin.write(text)

    async def close(self) -> None:
        self._connection.abort()


async def plain_terminal(place: Door, kind: HardwareType, conversation: Conversation, way: str) -> TerminalChannel:
    """A terminal at a console, or by telnet. Raises `NoAnswer`, `NoCable`."""
    if place.device and kind.console is not None:
        return TerminalChannel(CableStream(place.device, kind.console), place, kind, conversation, way)
    try:
        async with asyncio.timeout(CONNECT):
            streams = await asyncio.open_connection(place.host, place.port)
    except (OSError, TimeoutError):
        raise NoAnswer(f"{place.title} gives no answer by {way}") from None
    return TerminalChannel(_Plain(*streams), place, kind, conversation, way)


async def ssh_terminal(
    place: Door, kind: HardwareType, conversation: Conversation, pins: Pins, user: str, password: str
) -> TerminalChannel:
    """A terminal over SSH, its host key pinned at first contact. Raises `NoAnswer`, `NotLetIn`, `OtherBox`."""
    try:
        async with asyncio.timeout(CONNECT):
            key = await asyncssh.get_server_host_key(place.host, place.port, config=[])
        if key is None:
            raise NoAnswer(f"{place.title} shows no host key")
        _pin(pins, key, place)
        async with asyncio.timeout(CONNECT):
            connection = await asyncssh.connect(
                place.host,
                place.port,
                username=user,
                password=password,
                known_hosts=([asyncssh.import_public_key(pins.host_key)], [], []),
                client_keys=None,
                agent_path=None,
                config=[],
            )
        async with asyncio.timeout(CONNECT):
            process = await connection.create_process(term_type=None)
    except asyncssh.PermissionDenied:
        raise NotLetIn(f"{place.title} does not let {user or 'nobody'} in with this password") from None
    except asyncssh.HostKeyNotVerifiable:
        raise _another(place) from None
    except (OSError, TimeoutError, asyncssh.Error):
        raise NoAnswer(f"{place.title} gives no answer by SSH") from None
    channel = TerminalChannel(_Secure(connection, process), place, kind, conversation, "ssh")
    await channel.come_in()
    return channel


def _pin(pins: Pins, key: asyncssh.SSHKey, place: Door) -> None:
    shown = key.export_public_key()
    if not pins.host_key:
        pins.host_key = shown
    elif pins.host_key.split()[:2] != shown.split()[:2]:
        raise _another(place)


def _another(place: Door) -> OtherBox:
    return OtherBox(
        f"The host key of {place.title} is not the one that was met first: it is another box, or it was reset. Look at "
        "the cable; if it was reset, begin the run anew"
    )


class TerminalChannel:
    """A box at its terminal."""

    def __init__(self, stream: Stream, place: Door, kind: HardwareType, conversation: Conversation, way: str) -> None:
        self._stream, self._place, self._conversation = stream, place, conversation
        self._told: WriteOut = kind.write_out or WriteOut(language="nothing")
        self._slot = "administrator" if "administrator" in kind.slots else next(iter(kind.slots), "administrator")
        self._chooses = self._logged_in = False
        self.way, self.patience = way, ANSWER

    # --- Reading and writing

    def _waits(self, text: str) -> bool:
        """Whether what came ends with what the box shows when it waits."""
        last = text.rpartition("\n")[2].strip()
        return bool(last) and (
            last == (self._told.prompt or ">") or last in ("?",) or self._asks_back(text) is not None
        )

    def _asks_back(self, text: str) -> str | None:
        """What to answer to what the box asks back."""
        return next((one.answer for one in self._told.asks if one.question in text), None)

    async def _heard(self, until: Callable[[str], bool], seconds: float | None = None) -> str:
        """What comes, until it is enough. Raises `NoAnswer`."""
        got = ""
        try:
            async with asyncio.timeout(seconds or self.patience):
                while not until(got):
                    more = await self._stream.read()
                    if not more:
                        break
                    got += more
        except (TimeoutError, OSError, asyncssh.Error):
            self._note(got, sent=False)
            raise NoAnswer(f"{self._place.title} has stopped answering") from None
        self._note(got, sent=False)
        if not until(got):
            raise NoAnswer(f"{self._place.title} has hung up")
        return got

    def _note(self, text: str, *, sent: bool) -> None:
        for line in text.replace("\r", "").split("\n"):
            if line.strip():
                self._conversation.note(line, sent=sent)

    def _send(self, text: str) -> None:
        self._note(text, sent=True)
        try:
            self._stream.write(f"{text}\n")
        except (OSError, asyncssh.Error):
            raise NoAnswer(f"{self._place.title} has hung up") from None

    async def _line(self, text: str, seconds: float | None = None, *, reads: bool = False) -> str:
        """Send a line; what came back without what it shows when it waits. What is only read may hold any words.

        Raises `BoxRefused`, `NoAnswer`.
        """
        self._send(text)
        got = await self._heard(self._waits, seconds)
        while (back := self._asks_back(got)) is not None:
            self._send(back)
            got = await self._heard(self._waits, seconds)
        said = got.replace("\r", "").rpartition("\n")[0].strip()
        if not reads and any(word in said for word in (*self._told.refusals, "not understood")):
            raise BoxRefused(f"{self._place.title} says: {said[:300]}")
        return said

    # --- The channel

    async def come_in(self) -> None:
        """What it shows first. Raises `NoAnswer`."""
        got = await self._heard(lambda text: self._waits(text) or self._asked(text) != "")
        self._chooses = bool(_CHOOSE.search(got))

    @staticmethod
    def _asked(text: str) -> str:
        return next((name for name, pattern in _ASKS.items() if pattern.search(text)), "")

    async def log_in(self, user: str, password: str) -> None:
        if self.way == "ssh":  # it has let one in already
            return
        got = await self._woken()
        self._logged_in = True
        if self._waits(got):
            return
        if self._asked(got) == "user":
            self._send(user)
            got = await self._heard(lambda text: self._asked(text) == "password")
        self._chooses = bool(_CHOOSE.search(got))
        if self._chooses:
            return
        self._send(password)
        got = await self._heard(lambda text: self._waits(text) or bool(self._asked(text)))
        self._chooses = bool(_CHOOSE.search(got))
        if not self._chooses and not self._waits(got):
            raise NotLetIn(f"{self._place.title} does not let {user or 'one'} in: {' '.join(got.split())[:160]}")

    async def _woken(self) -> str:
        """What it shows first; a console that shows nothing is woken by Enter."""

        def shown(text: str) -> bool:
            return bool(self._asked(text)) or self._waits(text)

        try:
            return await self._heard(shown, _WAKES if self.way == "console" else 2.0)
        except NoAnswer:
            if self.way != "console":
                raise
            self._stream.write("\n")
            return await self._heard(shown)

    async def set_secret(self, slot: str, value: str) -> None:
        if self._chooses and slot == self._slot:
            self._send(value)
            got = await self._heard(lambda text: self._waits(text) or bool(self._asked(text)))
            self._chooses = not self._waits(got)
            if self._chooses:
                raise BoxRefused(f"{self._place.title} does not take the {slot}: {' '.join(got.split())[:200]}")
            return
        quoted = between_quotes(value, '"', "\\")
        await self._line(f"{self._told.command(Verb.PASSWORD)} {slot} {quoted}")

    async def tell(self, portion: Portion) -> None:
        for line in portion.lines:
            await self._line(line)

    async def holds(self, portion: Portion) -> list[str]:
        shown = {line.strip() for line in (await self.show()).splitlines()}
        wanted = [line.strip() for line, plain in zip(portion.lines, portion.shown, strict=True) if line == plain]
        return [line for line in wanted if line not in shown]

    async def do(self, verb: Verb, about: str = "") -> None:
        leaves = verb in (Verb.RESTART, Verb.FIRMWARE)
        with contextlib.suppress(NoAnswer) if leaves else contextlib.nullcontext():
            await self._line(f"{self._told.command(verb)} {about}".strip(), 1.0 if leaves else None)

    async def _about(self) -> str:
        return await self._line(self._told.command(Verb.ABOUT), reads=True)

    async def firmware(self) -> str:
        met = re.search(r"^firmware (.+)$", await self._about(), re.M)
        return met[1].strip() if met else ""

    async def lights(self) -> dict[str, str]:
        return dict(re.findall(r"^light (.+?): (.+)$", await self._about(), re.M))

    async def show(self) -> str:
        return await self._line(self._told.command(Verb.SHOW), reads=True)

    async def backup(self) -> bytes:
        said = await self._line(self._told.command(Verb.BACKUP))
        try:
            return base64.b64decode("".join(said.split()), validate=True)
        except binascii.Error:
            raise BoxRefused(f"{self._place.title} gave no backup: {said[:160]}") from None

    async def put_back(self, content: bytes) -> None:
        text = base64.b64encode(content).decode()
        await self._line(self._told.command(Verb.PUT_BACK))
        for at in range(0, len(text), _LONG):
            await self._line(text[at : at + _LONG])
        with contextlib.suppress(NoAnswer):  # it restarts at once
            await self._line(".", 1.0)

    async def close(self) -> None:
        with contextlib.suppress(OSError, asyncssh.Error, NoAnswer):
            if self._logged_in and self.way == "console":  # a cable that is left stays logged in otherwise
                self._send(self._told.command(Verb.LEAVE))
            await self._stream.close()
