"""The HTTP server, with connections that hold nobody else up: limits of time and size for the head of a request, and of
how many connections one address, and all together, may have."""

from __future__ import annotations

import asyncio
import os
import resource
import socket
from collections import Counter
from typing import Any, ClassVar, Self

import structlog
import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

#: Seconds in which the head of a request is there, once a connection is open or its next request has begun, and its
#: bytes at most.
HEAD_SECONDS, HEAD_BYTES = 10.0, 64 << 10

#: Connections that one address may have: that of an office is shared by many, that of a proxy by all, which is not
#: limited so.
OF_ADDRESS = 2_000

#: Descriptors that are asked for; so many of them are left for files, and so many connections there are at least.
DESCRIPTORS, FOR_FILES, LEAST = 8_192, 256, 64

#: So often within the time that a service manager waits for a sign of life it gets one.
SIGNS = 3

log = structlog.get_logger()


class PatientProtocol(HttpToolsProtocol):
    """A connection that is given up when the head of a request does not come."""

    #: The addresses of proxies, which speak for many.
    proxies: ClassVar[frozenset[str]] = frozenset()

    _open: ClassVar[Counter[str]] = Counter()

    _address = ""
    _in_head = False
    _come = 0
    _waiting: asyncio.TimerHandle | None = None

    @classmethod
    def behind(cls, proxies: frozenset[str]) -> type[Self]:
        """The same, for a server behind proxies."""
        return type("PatientBehindProxy", (cls,), {"proxies": proxies, "_open": Counter()})

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        address = self.client[0] if self.client else ""
        if address in self.proxies:
            address = ""
        elif self._open[address] >= OF_ADDRESS:
            log.warning("too many connections", address=address)
            transport.abort()
            return
        self._address = address
        self._open[address] += 1
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        if self._address:
            self._open[self._address] -= 1
            if not self._open[self._address]:
                del self._open[self._address]
            self._address = ""
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        idle = self.cycle is None or self.cycle.response_complete
        if not (self._in_head or idle):
            return
        self._come += len(data)
        if self._come > HEAD_BYTES:
            self.transport.abort()
        elif self._waiting is None:
            self._wait()

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._in_head = True

    def on_headers_complete(self) -> None:
        self._in_head = False
        self._stop_waiting()
        super().on_headers_complete()

    def _wait(self) -> None:
        self._waiting = self.loop.call_later(HEAD_SECONDS, self._give_up)

    def _stop_waiting(self) -> None:
        self._come = 0
        if self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def _give_up(self) -> None:
        self.transport.abort()


class WatchedServer(uvicorn.Server):
    """A server that gives signs of life to the service manager that began it (sd_notify(3)): that it is ready, and from
    then on that its loop and its threads still turn."""

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        self._signs = asyncio.create_task(_signs_of_life())

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        self._signs.cancel()
        _notify("STOPPING=1")
        await super().shutdown(sockets)


async def _signs_of_life() -> None:
    _notify("READY=1")
    wanted = os.environ.get("WATCHDOG_USEC", "")
    if not wanted.isdecimal() or int(wanted) == 0:
        return
    while True:
        await asyncio.sleep(int(wanted) / 1_000_000 / SIGNS)
        await asyncio.to_thread(_notify, "WATCHDOG=1")


def _notify(sign: str) -> None:
    """Tell the service manager something, where there is one."""
    path = os.environ.get("NOTIFY_SOCKET", "")
    if not path:
        return
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM | socket.SOCK_CLOEXEC) as line:
        try:
            line.sendto(sign.encode(), "\0" + path[1:] if path[0] == "@" else path)
        except OSError as error:
            log.warning("the service manager is not reached", why=error.strerror)


def http_server(application: FastAPI, proxies: list[str] | None = None, **tls: Any) -> WatchedServer:
    """The server of an application. `proxies` are addresses that speak for others, `tls` its certificate and key."""
    config = uvicorn.Config(
        application,
        http=PatientProtocol.behind(frozenset(proxies or ())),
        ws="none",
        log_config=None,
        access_log=False,
        server_header=False,
        timeout_graceful_shutdown=2,
        limit_concurrency=max(LEAST, _descriptors() - FOR_FILES),
        proxy_headers=bool(proxies),
        forwarded_allow_ips=proxies or [],
        **tls,
    )
    return WatchedServer(config)


def _descriptors() -> int:
    """Ask for descriptors; as many as there are now."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = DESCRIPTORS if hard == resource.RLIM_INFINITY else min(hard, DESCRIPTORS)
    if soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
        return wanted
    return soft
