"""Many people at once against a real server: `python -m benchmarks.people [SITES] [FOLDER]`.

Fifty people ask once a second each, a tenth of it changes of plans, each with a page open that listens to events; then
as fast as the server answers; then 500 listeners hear of one change. The load is made by this process, on the same
machine. Everything stops by itself.
"""

from __future__ import annotations

import asyncio
import json
import random
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from http import HTTPStatus
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.pages import PASSWORD
from benchmarks.portfolios import Shape, portfolio
from benchmarks.size import SMALLEST, folder_named, sized
from octaplan.store.database import FILE, Database
from octaplan.store.models import AccountRole
from octaplan.store.records import Records

PEOPLE, SECONDS, LISTENERS = (5, 1, 10) if SMALLEST else (50, 12, 500)
#: So many of them share a session: no session may have many streams open.
OF_SESSION = 5


class Connection:
    """One HTTP/1.1 connection that is kept open, written out so that the load costs little."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._streams: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None
        self.cookie = ""

    async def ask(self, method: str, path: str, body: object = None, match: int | None = None) -> tuple[int, bytes]:
        """Send a request; its status and body."""
        if self._streams is None:
            self._streams = await asyncio.open_connection("127.0.0.1", self._port)
        reader, writer = self._streams
        content = b"" if body is None else json.dumps(body).encode()
        head = [f"{method} {path} HTTP/1.1", f"Host: 127.0.0.1:{self._port}", f"Content-Length: {len(content)}"]
        head += ["X-Octaplan: 1", "Content-Type: application/json"]
        head += [f"Cookie: {self.cookie}"] if self.cookie else []
        head += [f"If-Match: {match}"] if match is not None else []
        writer.write("\r\n".join(head).encode() + b"\r\n\r\n" + content)
        answer = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
        status = int(answer.split(" ", 2)[1])
        if found := re.search(r"(?i)^set-cookie: ([^;]+)", answer, re.MULTILINE):
            self.cookie = found[1]
        length = re.search(r"(?i)^content-length: (\d+)", answer, re.MULTILINE)
        return status, await reader.readexactly(int(length[1])) if length else b""

    async def listen(self, path: str, heard: Callable[[bytes], None]) -> None:
        """Hold a stream of events open, and tell of each chunk."""
        reader, writer = await asyncio.open_connection("127.0.0.1", self._port)
        writer.write(f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {self.cookie}\r\n\r\n".encode())
        await reader.readuntil(b"\r\n\r\n")
        while chunk := await reader.read(65_536):
            heard(chunk)


@dataclass
class Figures:
    """Milliseconds of reads and of changes, and what went wrong."""

    reads: list[float] = field(default_factory=list)
    changes: list[float] = field(default_factory=list)
    refused: int = 0

    def line(self, name: str, seconds: float) -> str:
        """A row of the table."""
        count = len(self.reads) + len(self.changes)
        cells = [f"{np.percentile(some or [0.0], p):.0f} ms" for some in (self.reads, self.changes) for p in (50, 95)]
        return f"| {name} | {count / seconds:.0f} a second | {' | '.join(cells)} | {self.refused} |"


class Person:
    """Somebody who works on a site of their own and looks around."""

    def __init__(self, port: int, number: int, sites: list[str]) -> None:
        self.port = port
        self.number = number
        self.chance = random.Random(number)
        self.sites = sites
        self.at = f"/api/sites/{sites[number * 7 % len(sites)]}"
        self.connection = Connection(port)
        self.revision = 0
        self.end = ""
        self.ends: list[str] = []

    async def sign_in(self, cookie: str) -> None:
        self.connection.cookie = cookie
        _, body = await self.connection.ask("GET", self.at)
        desk = json.loads(body)
        self.revision = desk["revision"]["number"]
        key, segment = next((k, s) for k, s in desk["plan"]["segments"].items() if s["scope"]["last"])
        self.end = f"/segments/{key}/scope/last"
        head, _, tail = segment["scope"]["last"].rpartition(".")
        self.ends = [f"{head}.{int(tail) - 1}", segment["scope"]["last"]]

    async def act(self, figures: Figures) -> None:
        """One request of the usual mix, a tenth of them changes."""
        begun = time.perf_counter()
        if self.chance.random() < 0.1:
            contact = {"op": "add", "path": "/contact", "value": f"{self.number} {self.chance.random()}"}
            end = {"op": "add", "path": self.end, "value": self.ends[self.revision % 2]}
            change = [end if self.chance.random() < 0.5 else contact]
            status, body = await self.connection.ask("PATCH", f"{self.at}/plan", change, self.revision)
            if status == HTTPStatus.OK:
                self.revision = json.loads(body)["revision"]["number"]
            some = figures.changes
        else:
            ways: list[tuple[float, Callable[[], Awaitable[tuple[int, bytes]]]]] = [
                (40, lambda: self.connection.ask("GET", self.at)),
                (15, lambda: self.connection.ask("GET", f"{self.at}/remedies")),
                (10, lambda: self.connection.ask("GET", f"/api/sites/{self.chance.choice(self.sites)}")),
                (8, lambda: self.connection.ask("GET", "/api/outbound")),
                (7, lambda: self.connection.ask("GET", f"{self.at}/intake")),
                (6, lambda: self.connection.ask("GET", "/api/findings")),
                (5, lambda: self.connection.ask("GET", f"/api/goto?q=10.{self.chance.randrange(200)}.1.4")),
                (5, lambda: self.connection.ask("GET", f"{self.at}/revisions")),
                (4, lambda: self.connection.ask("GET", "/api/space")),
            ]
            way = self.chance.choices([ask for _, ask in ways], [weight for weight, _ in ways])[0]
            status, _ = await way()
            some = figures.reads
        some.append((time.perf_counter() - begun) * 1000)
        figures.refused += status != HTTPStatus.OK


async def measure(port: int, sites: list[str]) -> None:
    """Print what fifty people, as fast as it goes, and many listeners come to."""
    first = Connection(port)
    while True:
        try:
            await first.ask("GET", "/api/health")
            break
        except OSError:
            await asyncio.sleep(0.05)
    sessions = []
    for _ in range(max(PEOPLE, LISTENERS) // OF_SESSION):
        await first.ask("POST", "/api/session", {"name": "ines", "password": PASSWORD})
        sessions.append(first.cookie)
    people = [Person(port, number, sites) for number in range(PEOPLE)]
    for person in people:
        await person.sign_in(sessions[person.number % len(sessions)])
    heard = [0]

    def count(chunk: bytes) -> None:
        heard[0] += chunk.count(b"event: revision")

    streams = [asyncio.create_task(p.connection.listen("/api/events?at=" + p.at[11:], count)) for p in people]
    print("| | rate | reads: median | 95th | changes: median | 95th | refused |")
    print("| --- | ---: | ---: | ---: | ---: | ---: | ---: |")

    async def steady(person: Person, figures: Figures, ends: float) -> None:
        await asyncio.sleep(person.chance.random())
        while time.perf_counter() < ends:
            due = time.perf_counter() + 1
            await person.act(figures)
            await asyncio.sleep(max(0.0, due - time.perf_counter()))

    async def eager(person: Person, figures: Figures, ends: float) -> None:
        while time.perf_counter() < ends:
            await person.act(figures)

    works: list[tuple[str, Callable[..., Any]]] = [
        (f"{PEOPLE} people, one request a second each", steady), (f"{PEOPLE} people, as fast as it goes", eager)
    ]  # fmt: skip
    for name, work in works:
        figures, begun = Figures(), time.perf_counter()
        await asyncio.gather(*(work(person, figures, begun + SECONDS) for person in people))
        print(figures.line(name, time.perf_counter() - begun), flush=True)
    for stream in streams:
        stream.cancel()
    await _many_listeners(port, sessions, people[0])


async def _many_listeners(port: int, sessions: list[str], person: Person) -> None:
    heard: set[int] = set()
    there: set[int] = set()
    told, all_there = asyncio.Event(), asyncio.Event()

    def hear(number: int) -> Callable[[bytes], None]:
        def hearing(chunk: bytes) -> None:
            if b"event: open" in chunk:
                there.add(number)
                if len(there) == LISTENERS:
                    all_there.set()
            if b"event: revision" in chunk:
                heard.add(number)
                if len(heard) == LISTENERS:
                    told.set()

        return hearing

    streams = []
    for number in range(LISTENERS):
        listener = Connection(port)
        listener.cookie = sessions[number % len(sessions)]
        streams.append(asyncio.create_task(listener.listen("/api/events", hear(number))))
    async with asyncio.timeout(60):
        await all_there.wait()
    figures, begun = Figures(), time.perf_counter()
    before = person.revision
    while person.revision == before:
        await person.act(figures)
    async with asyncio.timeout(30):
        await told.wait()
    print(f"| {LISTENERS} listeners all heard of a change after | {(time.perf_counter() - begun) * 1000:.0f} ms |")
    for stream in streams:
        stream.cancel()


def main() -> None:
    count = sized(1_000, 20)
    with tempfile.TemporaryDirectory() as spare:
        folder = Path(folder_named() or spare)
        made = portfolio(Shape(count)).plans
        if not (folder / FILE).exists():
            database = Database(folder)
            records = Records(database)
            records.plans.save_all(made, "benchmark", "Made")
            records.accounts.add("ines", "Ines Aldering", PASSWORD, AccountRole.ADMINISTRATOR)
            database.close()
        command = [sys.executable, "-m", "octaplan", "serve", "--data", str(folder), "--port", "0"]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as server:  # noqa: S603
            try:
                said = ""
                while "Octaplan is at" not in said:
                    said += server.stdout.readline() if server.stdout else ""
                port = int(re.findall(r"http://[^:]+:(\d+)", said)[0])
                asyncio.run(measure(port, [f"{plan.customer}/{plan.site}" for plan in made]))
            finally:
                server.terminate()


if __name__ == "__main__":
    main()
