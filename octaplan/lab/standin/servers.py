"""Lets people and programs at a stand-in: its web pages and RESTCONF, SSH, telnet, and its console.

All of it is on loopback, and answers whom the bench says that it reaches it; or at the box's own addresses, on a wire.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import pty
import socket
import ssl
import termios
import tty
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import NamedTuple
from weakref import WeakKeyDictionary

import asyncssh
import uvicorn

from octaplan.core.values.addresses import AddressError, parse_address
from octaplan.lab.standin.box import CONSOLE, BoxPhase, Refused, StandIn
from octaplan.lab.standin.certificate import server_context
from octaplan.lab.standin.dialogue import Dialogue
from octaplan.lab.standin.pages import application

HOST = "127.0.0.1"
#: A line may be so long.
MOST_LINE = 8_192
#: Who says nothing for so many seconds is hung up on.
PATIENCE = 1_800.0

Read = Callable[[], Awaitable[str]]
Write = Callable[[str], object]


@dataclass
class Doors:
    """The ports of the loopback at which a stand-in is reached; 0 for any that is free."""

    https: int = 0
    http: int = 0
    ssh: int = 0
    telnet: int = 0
    console: int = 0


class PortTaken(Exception):
    """A port of the loopback that is in use already."""


class KnownBy(NamedTuple):
    """What a box made itself to be known by: its certificate, and its host key."""

    tls: ssl.SSLContext
    host_key: asyncssh.SSHKey


_IDENTITIES: WeakKeyDictionary[StandIn, KnownBy] = WeakKeyDictionary()


def _own(box: StandIn) -> KnownBy:
    """The identity of a box, made once."""
    if box not in _IDENTITIES:
        made = KnownBy(server_context(box.printed.serial), asyncssh.generate_private_key("ssh-ed25519"))
        _IDENTITIES[box] = made
    return _IDENTITIES[box]


@dataclass
class Served:
    """A stand-in with everything that serves for it."""

    box: StandIn
    doors: Doors
    host: str = HOST
    #: What a browser must bring at first.
    ticket: str = ""
    #: Its own listening sockets by service, where it is on a wire.
    wire: dict[str, list[socket.socket]] = field(default_factory=dict)
    #: The path of its console as a terminal device, empty where there is none.
    tty: str = ""
    _closing: list[Callable[[], Awaitable[None]]] = field(default_factory=list)

    def answers(self, service: str, at: str) -> bool:
        """Whether a service answers somebody who comes to an address of it, or of loopback."""
        box = self.box
        if not self.wire:
            return box.reached(service)
        try:
            return box.phase is BoxPhase.READY and service in box.open_at(parse_address(at))
        except AddressError:
            return False

    def dialogue(self, service: str, at: str, *, logged_in: bool = False) -> Dialogue:
        """A session of somebody who came to an address of it by a service."""
        reached = (lambda: self.answers(service, at)) if self.wire else None
        return Dialogue(self.box, service, reached, logged_in=logged_in)

    async def close(self) -> None:
        """End all of it."""
        for close in reversed(self._closing):
            with contextlib.suppress(Exception):
                await close()
        self._closing.clear()


async def serve(
    box: StandIn,
    wanted: Doors | None = None,
    *,
    with_tty: bool = False,
    host: str = HOST,
    wire: dict[str, list[socket.socket]] | None = None,
    ticket: str = "",
) -> Served:
    """Let people and programs at a box, on loopback unless another address is said, or its own sockets are given; its
    console is on loopback always. With a `ticket` its pages are for browsers that came with it. Raises `PortTaken`."""
    wanted = wanted or Doors()
    served = Served(box, Doors(), host, ticket, wire or {})
    try:
        served.doors.https = await _web(served, "https", wanted.https)
        served.doors.http = await _web(served, "http", wanted.http)
        served.doors.ssh = await _ssh(served, wanted.ssh)
        served.doors.telnet = await _terminal(served, "telnet", wanted.telnet)
        if box.kind.console is not None:
            served.doors.console = await _terminal(served, CONSOLE, wanted.console)
            if with_tty:
                served.tty = _device(served)
    except OSError as error:
        await served.close()
        raise PortTaken(
            f"Port {error.args[-1]} is in use already: choose another, or none for one that is free"
        ) from None
    return served


def _bound(host: str, port: int) -> socket.socket:
    """A listening socket. Raises `OSError` whose last argument is the port."""
    one = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        one.bind((host, port))
    except OSError as error:
        one.close()
        raise OSError(error.errno, port) from None
    one.listen(64)
    one.setblocking(False)
    return one


class _Quiet(uvicorn.Server):
    """A server that leaves signals to whoever runs it."""

    @contextlib.contextmanager
    def capture_signals(self):  # type: ignore[no-untyped-def]
        yield


def _listening(served: Served, service: str, port: int) -> list[socket.socket]:
    """The sockets that a service listens at. Raises `OSError` whose last argument is the port."""
    return served.wire.get(service) or [_bound(HOST if service == CONSOLE and served.wire else served.host, port)]


async def _web(served: Served, service: str, port: int) -> int:
    listening = _listening(served, service, port)
    context = _own(served.box).tls if service == "https" else None
    config = uvicorn.Config(
        application(served.box, service, lambda at: served.answers(service, at), served.ticket),
        lifespan="off",
        log_config=None,
        access_log=False,
        timeout_keep_alive=5,
        timeout_graceful_shutdown=1,
        ssl_context_factory=(lambda *_: context) if context is not None else None,
    )
    server = _Quiet(config)
    running = asyncio.create_task(server.serve(sockets=listening))

    async def close() -> None:
        server.should_exit = server.force_exit = True
        await asyncio.wait([running], timeout=3)

    served._closing.append(close)
    return int(listening[0].getsockname()[1])


# --- Terminals


async def at_console(box: StandIn) -> Dialogue:
    """A dialogue at the console, which shows nothing until the box has started."""
    while box.phase is not BoxPhase.READY:
        await asyncio.sleep(0.05)
    return Dialogue(box, CONSOLE)


async def talk(dialogue: Dialogue, read: Read, write: Write) -> None:
    """Hold a dialogue: read what is typed, write what is said, until one side leaves."""
    rest = ""
    _ask(dialogue, write)
    while True:
        async with asyncio.timeout(PATIENCE):
            got = await read()
        if not got:
            return
        *lines, rest = (rest + got).replace("\r\n", "\n").replace("\r", "\n").split("\n")
        rest = rest[-MOST_LINE:]
        if not lines:
            continue
        if dialogue.hangs:
            continue
        said = dialogue.paste(lines)
        for line in said.lines:
            write(f"{line}\r\n")
        if said.ends:
            return
        if not dialogue.hangs:
            _ask(dialogue, write)


def _ask(dialogue: Dialogue, write: Write) -> None:
    write(f"{dialogue.prompt} ")


async def _terminal(served: Served, way: str, port: int) -> int:
    """A terminal over plain TCP: the console, or telnet (RFC 854) without options."""
    box = served.box
    open_now: set[asyncio.StreamWriter] = set()

    async def come(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        async def read() -> str:
            return (await reader.read(65_536)).decode("utf-8", "replace")

        def write(text: str) -> None:
            writer.write(text.encode())

        open_now.add(writer)
        with contextlib.suppress(OSError, TimeoutError):
            if way == CONSOLE:
                await talk(await at_console(box), read, write)
            elif served.answers(way, at := writer.get_extra_info("sockname")[0]):
                await talk(served.dialogue(way, at), read, write)
            else:
                await read()
        open_now.discard(writer)
        writer.close()

    server = await asyncio.start_server(come, sock=_listening(served, way, port)[0])

    async def close() -> None:
        server.close()
        for writer in list(open_now):
            writer.close()

    served._closing.append(close)
    return int(server.sockets[0].getsockname()[1])


def _device(served: Served) -> str:
    """The console as a terminal device; its path."""
    near, far = pty.openpty()
    tty.setraw(far, termios.TCSANOW)
    os.set_blocking(near, False)
    loop, got = asyncio.get_running_loop(), asyncio.Queue[str]()

    def readable() -> None:
        with contextlib.suppress(BlockingIOError, OSError):
            got.put_nowait(os.read(near, 65_536).decode("utf-8", "replace"))

    loop.add_reader(near, readable)
    talking = asyncio.create_task(_over_and_over(served.box, got.get, lambda text: os.write(near, text.encode())))

    async def close() -> None:
        loop.remove_reader(near)
        talking.cancel()
        await asyncio.wait([talking])
        os.close(near)
        os.close(far)

    served._closing.append(close)
    return os.ttyname(far)


async def _over_and_over(box: StandIn, read: Read, write: Write) -> None:
    while True:
        with contextlib.suppress(OSError, TimeoutError):
            await talk(await at_console(box), read, write)
        await asyncio.sleep(0.05)  # nobody reads what is written, perhaps


# --- SSH


class _Door(asyncssh.SSHServer):
    def __init__(self, served: Served) -> None:
        self._served, self._box = served, served.box

    def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
        if not self._served.answers("ssh", conn.get_extra_info("sockname")[0]):
            conn.abort()

    def begin_auth(self, username: str) -> bool:
        return True

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        try:
            self._box.check_log_in(username, password)
        except Refused:
            return False
        return True


async def _ssh(served: Served, port: int) -> int:
    box = served.box

    async def come(process: asyncssh.SSHServerProcess[str]) -> None:
        async def read() -> str:
            try:
                return await process.stdin.read(65_536)
            except asyncssh.TerminalSizeChanged:
                return ""
            except asyncssh.BreakReceived:
                return ""

        with contextlib.suppress(OSError, TimeoutError, asyncssh.Error):
            at = process.channel.get_connection().get_extra_info("sockname")[0]
            await talk(served.dialogue("ssh", at, logged_in=True), read, process.stdout.write)
        process.exit(0)

    listener = await asyncssh.create_server(
        lambda: _Door(served),
        sock=_listening(served, "ssh", port)[0],
        server_host_keys=[_own(box).host_key],
        process_factory=come,
        keepalive_interval=0,
        login_timeout=20,
    )

    async def close() -> None:
        listener.close()
        await listener.wait_closed()

    served._closing.append(close)
    return int(listener.get_port())
