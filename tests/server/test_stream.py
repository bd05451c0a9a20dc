"""The stream of events over a real connection, and the socket that a real server listens at."""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from typing import Any
from unittest.mock import patch

import httpx

from octaplan.cli import listen
from octaplan.server import connections, events, pace
from octaplan.server.connections import http_server
from octaplan.worker import workers
from tests.server.test_api import PASSWORD, WithServer
from tests.store.test_plans import LAST
from tests.support import InFolder


class WithRealServer(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.listener = listen("127.0.0.1", 0)
        self.server = http_server(self.app)
        self.server.config.timeout_graceful_shutdown = 1
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


class SlowAndMany(WithRealServer):
    """What is sent half holds nobody up, however much of it there is."""

    def connected(self, sent: bytes) -> socket.socket:
        one = socket.create_connection(self.listener.getsockname(), 20)
        self.addCleanup(one.close)
        one.sendall(sent)
        return one

    def test_three_hundred_half_sent_heads_are_given_up_and_nobody_waits(self) -> None:
        ines = self.calling("ines")
        with patch.object(connections, "HEAD_SECONDS", 1.5):
            half = [self.connected(b"GET /api/session HTTP/1.1\r\nHost: loc") for _ in range(300)]
            begun = time.monotonic()
            self.assertEqual(ines.get("/api/health").status_code, 200)
            for one in half:
                with contextlib.suppress(ConnectionResetError):
                    self.assertEqual(one.recv(1), b"", "it is closed without an answer")
            self.assertGreater(time.monotonic() - begun, 1)

    def test_the_second_head_of_a_connection_has_its_time_too(self) -> None:
        with patch.object(connections, "HEAD_SECONDS", 0.5):
            one = self.connected(b"GET /api/start HTTP/1.1\r\nHost: localhost\r\n\r\n")
            self.assertTrue(one.recv(65_536).startswith(b"HTTP/1.1 200"))
            one.sendall(b"GET /api/start HT")
            with contextlib.suppress(ConnectionResetError):
                while one.recv(65_536):
                    pass

    def test_a_head_behind_an_answer_that_goes_on_has_its_time_and_size_too(self) -> None:
        ines = self.calling("ines")
        cookie = "; ".join(f"{name}={value}" for name, value in ines.cookies.items())
        head = f"GET /api/events HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n\r\n".encode()
        with patch.object(connections, "HEAD_SECONDS", 0.5):
            one = self.connected(head)
            self.assertTrue(one.recv(65_536).startswith(b"HTTP/1.1 200"))
            one.sendall(b"GET /api/start HTTP/1.1\r\nX-Half: ")
            with contextlib.suppress(ConnectionResetError):
                while one.recv(65_536):
                    pass
        one = self.connected(head)
        one.recv(65_536)
        with self.assertRaises(OSError):
            one.sendall(b"GET /api/start HTTP/1.1\r\n")
            for number in range(10_000):
                one.sendall(f"X-{number}: {'a' * 1_000}\r\n".encode())

    def test_one_address_has_so_many_connections(self) -> None:
        with patch.object(connections, "OF_ADDRESS", 3):
            held = [self.connected(b"") for _ in range(3)]
            while len(self.server.server_state.connections) < 3:
                time.sleep(0.01)
            with contextlib.suppress(ConnectionResetError):
                self.assertEqual(self.connected(b"GET /api/start HTTP/1.1\r\n").recv(1), b"")
            held[0].close()
            while len(self.server.server_state.connections) > 2:
                time.sleep(0.01)
            again = self.connected(b"GET /api/start HTTP/1.1\r\nHost: localhost\r\n\r\n")
            self.assertTrue(again.recv(65_536).startswith(b"HTTP/1.1 200"))

    def test_a_head_without_end_is_cut_off(self) -> None:
        one = self.connected(b"GET /api/start HTTP/1.1\r\n")
        with self.assertRaises(OSError):
            for number in range(10_000):
                one.sendall(f"X-{number}: {'a' * 1_000}\r\n".encode())

    def test_a_slow_body_is_given_up_with_a_sentence_and_a_long_one_that_comes_is_not(self) -> None:
        head = b"POST /api/session HTTP/1.1\r\nHost: localhost\r\nX-Octaplan: 1\r\nContent-Type: application/json\r\n"
        with patch.object(pace, "BODY_SECONDS", 0.5):
            one = self.connected(head + b'Content-Length: 60\r\n\r\n{"name"')
            answer = one.recv(65_536)
            self.assertTrue(answer.startswith(b"HTTP/1.1 408"), answer)
            self.assertIn(b"It came too slowly", answer)
        ines = self.calling("ines")

        def slowly() -> Iterator[bytes]:
            for _ in range(8):
                time.sleep(0.1)
                yield b" " * 65_536

        with patch.object(pace, "BODY_SECONDS", 0.3):
            answered = ines.post("/api/session", content=slowly(), headers={"Content-Type": "application/json"})
        self.assertEqual(answered.status_code, 422, "it took longer in all, and came at a good pace")

    def test_one_session_has_so_many_streams_and_others_have_theirs(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        with contextlib.ExitStack() as stack, patch.object(pace, "STREAMS", 3):
            for _ in range(3):
                answer = stack.enter_context(ines.stream("GET", "/api/events"))
                self.assertEqual(answer.status_code, 200)
            refused = ines.get("/api/events")
            self.assertEqual(refused.status_code, 429)
            self.assertIn("close what is not needed", refused.json()["detail"])
            with marek.stream("GET", "/api/events") as answer:
                self.assertEqual(answer.status_code, 200)
            self.assertEqual(ines.get("/api/outbound").status_code, 200)

    def test_one_session_has_so_many_requests_under_way(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        cookie = "; ".join(f"{name}={value}" for name, value in ines.cookies.items())
        for _ in range(2):
            self.connected(
                b"POST /api/session HTTP/1.1\r\nHost: localhost\r\nX-Octaplan: 1\r\nContent-Length: 60\r\n"
                + f"Cookie: {cookie}\r\n\r\n".encode()
            )
        while len(self.server.server_state.tasks) < 2:
            time.sleep(0.01)
        with patch.object(pace, "AT_ONCE", 2):
            answer = ines.get("/api/outbound")
            self.assertEqual(answer.status_code, 429)
            self.assertEqual(answer.headers["Retry-After"], "1")
            self.assertEqual(marek.get("/api/outbound").status_code, 200)

    def test_others_are_served_while_a_large_text_is_worked_on(self) -> None:
        ines, marek = self.calling("ines"), self.calling("marek")
        text = "".join(
            f"lease 10.{n >> 8 & 255}.{n & 255}.9 gateway 10.9.{n % 250}.1 dns 192.0.2.53\n" for n in range(50_000)
        )
        answers: list[int] = []

        def take_over() -> None:
            answers.append(ines.post("/api/sites/FERN/DOCK/take-over", json={"text": text}).status_code)

        with patch.object(workers, "SECONDS", 60.0), patch.object(workers, "PROCESSOR", 60):
            working = threading.Thread(target=take_over)
            working.start()
            waited = []
            while working.is_alive():
                begun = time.monotonic()
                self.assertEqual(marek.get("/api/health").json(), {"status": "ok"})
                waited.append(time.monotonic() - begun)
                time.sleep(0.02)
            working.join()
        self.assertEqual(answers, [200])
        self.assertGreater(len(waited), 5)
        self.assertLess(sorted(waited)[len(waited) * 9 // 10], 0.3)

    def test_the_cookie_is_of_this_port_alone(self) -> None:
        ines = self.calling("ines")
        port = self.listener.getsockname()[1]
        self.assertEqual({*ines.cookies}, {f"octaplan-session-{port}", f"octaplan-device-{port}"})


class SignsOfLife(InFolder):
    def test_a_service_manager_hears_that_it_is_ready_and_that_it_lives(self) -> None:
        path = str(self.folder / "notify")
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
            manager.bind(path)
            manager.settimeout(60)
            command = [sys.executable, "-m", "octaplan", "serve", "--data", str(self.folder / "data"), "--port", "0"]
            told = os.environ | {"NOTIFY_SOCKET": path, "WATCHDOG_USEC": "300000"}
            server = subprocess.Popen(command, env=told, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            self.addCleanup(server.wait)
            self.addCleanup(server.kill)
            self.assertEqual([manager.recv(100) for _ in range(3)], [b"READY=1", b"WATCHDOG=1", b"WATCHDOG=1"])


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
