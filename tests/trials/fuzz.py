"""Requests made from the API's own description, as every role: `python -m tests.trials.fuzz [REQUESTS]`.

Whatever is asked is answered in words: no 5xx, no answer without the headers of safety, nothing that takes long.
"""

from __future__ import annotations

import asyncio
import logging
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, MutableMapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import schemathesis
import structlog
from argon2 import PasswordHasher
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import InvalidArgument, Unsatisfiable

from octaplan import demo
from octaplan.server.app import create_app
from octaplan.server.tries import Tries
from octaplan.store.database import Database

#: They end the session or shut everybody out.
LEFT_OUT = {"DELETE /api/session", "POST /api/setup", "DELETE /api/session/all/{session_id}"}

#: The seconds that one answer may take.
PATIENCE = 20.0


@dataclass
class Seen:
    """What came of all requests."""

    statuses: Counter[int] = field(default_factory=Counter)
    bad: list[str] = field(default_factory=list)
    slowest: float = 0.0


def main() -> int:
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
    seen = Seen()
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder))
        app = create_app(database)
        records = app.state.records
        records.accounts.hasher = PasswordHasher(time_cost=1, memory_cost=64)
        from datetime import date

        people, password = demo.prepare(records, date.today())  # noqa: DTZ011
        app.state.setup_code = None
        schema = schemathesis.openapi.from_dict(app.openapi())
        operations = [o.ok() for o in schema.get_all_operations()]
        each = max(1, wanted // (len(operations) * len(people)))
        for person in people:
            client = TestClient(app, headers={"X-Octaplan": "1"}, raise_server_exceptions=False)
            credentials = {"name": person.name, "password": password}
            client.post("/api/session", json=credentials).raise_for_status()
            for operation in operations:
                name = f"{operation.method.upper()} {operation.path}"
                if name in LEFT_OUT:
                    continue

                ask = _asking(operation, each, client, f"{name} as {person.role}", seen)
                try:
                    ask()
                except (InvalidArgument, Unsatisfiable) as error:
                    print(f"{name}: nothing to ask ({type(error).__name__})")
                app.state.tries = Tries()  # whoever tries so much would wait
                if client.get("/api/session").status_code != 200:
                    client.post("/api/session", json=credentials)
            print(f"{sum(seen.statuses.values()):,} as {person.role} and before, {len(seen.bad)} bad", flush=True)
        database.close()
    print(f"{sum(seen.statuses.values()):,} requests as {len(people)} roles at {len(operations)} operations")
    print(", ".join(f"{status}: {many:,}" for status, many in sorted(seen.statuses.items())))
    print(f"slowest answer {seen.slowest:.2f} s; {len(seen.bad)} bad")
    return 1 if seen.bad else 0


def _asking(operation: Any, each: int, client: TestClient, name: str, seen: Seen) -> Callable[[], None]:
    """Asks for an operation so many times, with values that its description permits."""

    @given(case=operation.as_strategy())
    @settings(
        max_examples=each, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    def ask(case: Any) -> None:
        begun = time.perf_counter()
        answer = _send(client, case)
        spent = time.perf_counter() - begun
        seen.slowest = max(seen.slowest, spent)
        seen.statuses[answer.status_code] += 1
        wrong = answer.status_code >= 500 and answer.status_code not in (503, 507)
        if wrong or spent > PATIENCE or "content-security-policy" not in answer.headers:
            seen.bad.append(f"{name}: {answer.status_code} after {spent:.1f} s")
            print(seen.bad[-1], flush=True)

    return ask


def _send(client: TestClient, case: Any) -> Any:
    path = case.formatted_path
    headers = {k: str(v).encode("utf-8", "replace").decode("latin-1") for k, v in dict(case.headers or {}).items()}
    query = {k: v for k, v in dict(case.query or {}).items() if v is not None}
    if path == "/api/events":
        return _first_of_a_stream(client, query)
    body = None if type(case.body).__name__ == "NotSet" else case.body
    media = case.media_type or ""
    if body is None:
        return client.request(case.method, path, params=query, headers=headers)
    if "multipart" in media:
        files = [("files", (f"t{n}.csv", str(v).encode("utf-8", "replace"))) for n, v in enumerate([body])]
        return client.request(case.method, path, params=query, headers=headers, files=files)
    return client.request(case.method, path, params=query, headers=headers, json=body)


@dataclass
class Begun:
    """How an answer begins that has no end."""

    status_code: int
    headers: set[str]


def _first_of_a_stream(client: TestClient, query: dict[str, Any]) -> Begun:
    """Listens until the first words have come, and leaves."""
    cookie = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    scope = {
        "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": "GET", "scheme": "http",
        "path": "/api/events", "raw_path": b"/api/events", "root_path": "", "client": ("testclient", 1),
        "server": ("testserver", 80), "query_string": urlencode(query, doseq=True, errors="replace").encode(),
        "headers": [(b"host", b"testserver"), (b"x-octaplan", b"1"), (b"cookie", cookie.encode())],
    }  # fmt: skip
    begun = Begun(500, set())

    async def listen() -> None:
        heard = asyncio.Event()

        async def receive() -> dict[str, Any]:
            if not heard.is_set() and not asked:
                asked.append(True)
                return {"type": "http.request", "body": b"", "more_body": False}
            await heard.wait()
            return {"type": "http.disconnect"}

        async def send(message: MutableMapping[str, Any]) -> None:
            if message["type"] == "http.response.start":
                begun.status_code = message["status"]
                begun.headers = {name.decode() for name, _ in message["headers"]}
            elif message.get("body") or not message.get("more_body"):
                heard.set()

        asked: list[bool] = []
        async with asyncio.timeout(PATIENCE):
            await client.app(scope, receive, send)  # type: ignore[arg-type]

    asyncio.run(listen())
    return begun


if __name__ == "__main__":
    raise SystemExit(main())
