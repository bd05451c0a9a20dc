"""The stream of events over a real connection, and the socket that a real server listens at."""

from __future__ import annotations

import itertools
import json
import socket
import threading
from collections.abc import Iterator
from typing import Any

import httpx
import uvicorn

from octaplan.cli import listen
from octaplan.server import events
from tests.server.test_api import PASSWORD, WithServer
from tests.store.test_plans import LAST


class WithRealServer(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.listener = listen("127.0.0.1", 0)
        config = uvicorn.Config(self.app, log_config=None, access_log=False, timeout_graceful_shutdown=1)
        self.server = uvicorn.Server(config)
        thread = threading.Thread(target=self.server.run, kwargs={"sockets": [self.listener]})
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(setattr, self.server, "should_exit", True)
        self.url = f"http://127.0.0.1:{self.listener.getsockname()[1]}"

    def calling(self, name: str) -> httpx.Client:
        client = httpx.Client(base_url=self.url, headers={"X-Octaplan": "1"}, timeout=20)
        self.addCleanup(client.close)
        answer = client.post("/api/session", json={"name": name, "password": PASSWORD})
        self.assertEqual(answer.status_code, 200)
        return client


def told(lines: Iterator[str]) -> Iterator[tuple[str, Any]]:
    """Name and data of each event of a stream."""
    name = ""
    for line in lines:
        if line.startswith("event: "):
            name = line.removeprefix("event: ")
        elif line.startswith("data: "):
            yield name, json.loads(line.removeprefix("data: "))


class Stream(WithRealServer):
    def test_what_others_do_arrives_as_it_is_saved(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        with ines.stream("GET", "/api/events", params={"at": "FERN/DOCK"}) as answer:
            self.assertEqual(answer.headers["content-type"].split(";")[0], "text/event-stream")
            self.assertEqual(answer.headers["cache-control"], "no-store")
            heard = told(answer.iter_lines())
            first = {next(heard)[0], next(heard)[0]}
            self.assertEqual(first, {"open", "here"})
            operations = [{"op": "add", "path": LAST, "value": "10.40.8.249"}]
            saved = marek.patch("/api/sites/FERN/DOCK/plan", json=operations, headers={"If-Match": "1"})
            self.assertEqual(saved.status_code, 200)
            name, data = next(heard)
            self.assertEqual((name, data["site"], data["number"], data["by"]), ("revision", "fern/dock", 2, "Marek"))
            self.assertIn("Office range end", data["sentence"])
            self.assertIn("fern/dock", data["affected"])

    def test_one_stream_of_a_browser_hears_of_all_sites_that_its_tabs_look_at(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        with ines.stream("GET", "/api/events", params={"at": ["FERN/DOCK", "fern/mill"]}) as answer:
            heard = told(answer.iter_lines())
            here = ((data["site"], data["names"]) for name, data in heard if name == "here")
            self.assertEqual({next(here)[0], next(here)[0]}, {"fern/dock", "fern/mill"})
            for site in ("fern/mill", "fern/dock"):
                with marek.stream("GET", "/api/events", params={"at": site}):
                    self.assertEqual(next(here), (site, ["Ines", "Marek"]))
                marek.close()
                self.assertEqual(next(here), (site, ["Ines"]))
                marek = self.calling("marek")
        many = [f"A/{n}" for n in range(events.MOST_SITES + 1)]
        self.assertEqual(ines.get("/api/events", params={"at": many}).status_code, 422)

    def test_nobody_listens_without_a_session(self) -> None:
        with httpx.Client(base_url=self.url) as stranger:
            self.assertEqual(stranger.get("/api/events").status_code, 401)

    def test_the_stream_ends_with_its_session(self) -> None:
        patience, events.PATIENCE = events.PATIENCE, 0.05
        self.addCleanup(setattr, events, "PATIENCE", patience)
        ines = self.calling("ines")
        with ines.stream("GET", "/api/events") as answer:
            heard = told(answer.iter_lines())
            self.assertEqual(next(heard)[0], "open")
            httpx.delete(f"{self.url}/api/session", headers={"X-Octaplan": "1"}, cookies=dict(ines.cookies))
            self.assertEqual([name for name, _ in heard], ["ended"])

    def test_whoever_leaves_is_gone_from_the_list(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        with ines.stream("GET", "/api/events", params={"at": "FERN/DOCK"}) as answer:
            heard = told(answer.iter_lines())
            here = (data["names"] for name, data in heard if name == "here")
            self.assertEqual(next(here), ["Ines"])
            with marek.stream("GET", "/api/events", params={"at": "fern/dock"}):
                self.assertEqual(next(here), ["Ines", "Marek"])
            marek.close()
            self.assertEqual(next(here), ["Ines"])

    def test_who_opens_a_page_later_hears_where_on_the_bench_the_others_are(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        here = "/api/sites/FERN/DOCK/bench/edge/here"
        with marek.stream("GET", "/api/events", params={"at": "fern/dock"}) as early:
            heard = told(early.iter_lines())
            with ines.stream("GET", "/api/events", params={"at": "FERN/DOCK"}):
                for step in ("serial", "firmware"):
                    self.assertEqual(ines.put(here, json={"step": step, "typing": False}).status_code, 204)
                self.assertEqual(next(data["step"] for name, data in heard if name == "bench"), "serial")
                with marek.stream("GET", "/api/events", params={"at": "fern/dock"}) as late:
                    name, data = next((name, data) for name, data in told(late.iter_lines()) if name != "open")
                    self.assertEqual((name, data["name"], data["step"]), ("bench", "Ines", "firmware"))
            next(data for name, data in heard if name == "here" and data["names"] == ["Marek"])
            with marek.stream("GET", "/api/events", params={"at": "fern/dock"}) as after:
                names = [name for name, _ in itertools.islice(told(after.iter_lines()), 2)]
            self.assertEqual(names, ["open", "here"])  # who has gone is nowhere any more


class Answers(WithRealServer):
    def test_no_answer_waits_for_its_other_half(self) -> None:
        """asyncio turns Nagle's algorithm (RFC 896) off where a socket names its protocol, and else leaves it on."""
        self.assertEqual(self.listener.proto, socket.IPPROTO_TCP)
        self.assertEqual(self.calling("ines").get("/api/health").json(), {"status": "ok"})
