"""Stand-ins let in by ordinary programs: `curl`, `ssh`, a browser's forms, a terminal device; on free ports or given ones."""

from __future__ import annotations

import asyncio
import base64
import json
import os
import shutil
import socket
import subprocess
import unittest
from pathlib import Path
from typing import Any

import asyncssh
import httpx
from yangson.enumerations import ContentType

from octaplan.core.config.neutral import yang_document
from octaplan.core.values.addresses import parse_address
from octaplan.lab.standin.box import StandIn
from octaplan.lab.standin.servers import HOST, Doors, PortTaken, Served, serve
from tests.core.config.demo import types
from tests.core.config.test_neutral import model
from tests.link.clinic import box_of, clinic, quickly

GOOD = "Grün-dach-7-tor!"


async def ready(key: str, port: str = "", *, with_tty: bool = False, ticket: str = "", **doors: int) -> Served:
    """A stand-in that is on and has started."""
    box = StandIn(types()[key])
    box.power(True, box.kind.powered_by[0])
    box.laptop_port = port or next(iter(box.kind.laptop_ports()), "console")
    served = await serve(box, Doors(**doors), with_tty=with_tty, ticket=ticket)
    while box.phase != "ready":
        await asyncio.sleep(0.02)
    return served


async def program(*command: str, told: str = "", **environment: str) -> tuple[int, str]:
    """Run an ordinary program."""
    one = await asyncio.create_subprocess_exec(
        *command,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        env={**os.environ, **environment},
    )
    async with asyncio.timeout(30):
        out, _ = await one.communicate(told.encode())
    return one.returncode or 0, out.decode()


class Doored(unittest.IsolatedAsyncioTestCase):
    def setUp(self) -> None:
        fast = quickly()
        fast.__enter__()
        self.addCleanup(fast.__exit__, None, None, None)

    async def ready(self, key: str, port: str = "", **more: Any) -> Served:
        served = await ready(key, port, **more)
        self.addAsyncCleanup(served.close)
        return served


@unittest.skipUnless(shutil.which("curl"), "curl is not installed")
class ByCurl(Doored):
    async def test_a_browser_warns_of_its_certificate_and_its_pages_take_a_setting(self) -> None:
        served = await self.ready("brackwater-e5")
        at = f"https://{HOST}:{served.doors.https}"
        code, said = await program("curl", "-sS", at)
        self.assertEqual(code, 60, said)  # the certificate is its own
        jar = str(Path(os.environ.get("TMPDIR", "/tmp")) / f"jar-{served.doors.https}")  # noqa: S108
        self.addCleanup(Path(jar).unlink, missing_ok=True)

        async def curl(path: str, *data: str) -> str:
            sent = [part for one in data for part in ("--data-urlencode", one)]
            return (await program("curl", "-ksSL", "-b", jar, "-c", jar, *sent, f"{at}{path}"))[1]

        self.assertIn("Log in", await curl("/part/identity"))
        self.assertIn("wrong user or password", await curl("/log-in", "user=admin", "password=guess"))
        page = await curl("/log-in", "user=admin", f"password={served.box.printed.password}")
        self.assertIn("firmware 0.9", page)
        number = next(one.number for one in served.box.grammar.sayings if one.shown == "this box is <box.name>")
        self.assertIn("<code>this box is north</code>", await curl(f"/say/identity/{number}", "f=north"))
        self.assertIn("at least 12", await curl("/secret/administrator", "value=short"))
        self.assertIn("it is set", await curl("/secret/administrator", f"value={GOOD}"))
        self.assertEqual(served.box.running.secrets, {"administrator": GOOD})
        self.assertIn("octaplan stand-in backup", await curl("/backup"))

    async def test_no_page_of_another_origin_reaches_it(self) -> None:
        served = await self.ready("brackwater-e5")
        at, port = f"https://{HOST}:{served.doors.https}", served.doors.https

        async def status(*more: str) -> str:
            return (await program("curl", "-ks", "-o", "/dev/null", "-w", "%{http_code}", *more, f"{at}/"))[1]

        self.assertEqual(await status("-H", f"Host: localhost:{port}"), "200")
        self.assertEqual(await status("-H", f"Host: other.example:{port}"), "421", "a name that was made to lead here")
        self.assertEqual(await status("-d", "a=b", "-H", "Origin: https://other.example"), "421")
        self.assertEqual(await status("-d", "a=b", "-H", f"Origin: http://{HOST}:1"), "421", "another port")

    async def test_its_pages_are_for_who_was_handed_a_ticket(self) -> None:
        served = await self.ready("brackwater-e5", ticket="handed-over")
        at = f"https://{HOST}:{served.doors.https}"

        async def curl(path: str, *more: str) -> str:
            return (await program("curl", "-ksS", *more, f"{at}{path}"))[1]

        self.assertIn("Open it from Octaplan's page of Practice", await curl("/"))
        self.assertIn("Open it from", await curl("/?ticket=guess"))
        self.assertIn("Open it from", await curl("/log-in", "-d", "user=admin&password=x"))
        handed = await curl("/?ticket=handed-over", "-D", "-")
        cookie = next(line for line in handed.splitlines() if line.lower().startswith("set-cookie:"))
        self.assertIn("HttpOnly", cookie)
        self.assertIn("Log in", await curl("/", "-b", cookie.split(" ", 1)[1].split(";")[0]))
        self.assertIn("access-denied", await curl("/restconf"), "programs prove who they are by themselves")

    async def test_restconf_as_its_standard_has_it(self) -> None:
        served = await self.ready("brackwater-e5")
        at = f"https://{HOST}:{served.doors.https}"

        async def ask(*more: str, path: str = "/restconf") -> str:
            return (await program("curl", "-ksS", *more, f"{at}{path}"))[1]

        known = ("-u", f"admin:{served.box.printed.password}")
        self.assertIn('rel="restconf" href="/restconf"', await ask(path="/.well-known/host-meta"))
        errors = json.loads(await ask())["ietf-restconf:errors"]["error"]
        self.assertEqual(errors[0]["error-tag"], "access-denied")
        self.assertIn("operations", json.loads(await ask(*known))["ietf-restconf:restconf"])
        refused = json.loads(await ask(*known, "-X", "PATCH", "-d", "no json", path="/restconf/data"))
        self.assertEqual(refused["ietf-restconf:errors"]["error"][0]["error-tag"], "malformed-message")
        plan, kind = clinic(), types()["brackwater-e5"]
        document = yang_document(plan, box_of(plan, "edge"), kind)
        told = json.dumps({"ietf-restconf:data": document})
        self.assertEqual(await ask(*known, "-X", "PATCH", "-d", told, path="/restconf/data"), "")
        held = json.loads(await ask(*known, path="/restconf/data"))["ietf-restconf:data"]
        self.assertEqual(held, document)
        tree = model().from_raw(held)
        tree.validate(ctype=ContentType.config)
        self.assertEqual([str(one.address) for one in served.box.running.own_addresses()], ["10.61.0.1", "10.61.4.1"])

    async def test_nobody_answers_whom_it_does_not_reach(self) -> None:
        served = await self.ready("brackwater-e5")
        served.box.laptop_address = parse_address("10.9.9.9")
        code, _ = await program("curl", "-ksS", "-m", "0.5", f"https://{HOST}:{served.doors.https}/")
        self.assertEqual(code, 28, "curl gives up waiting")
        served.box.laptop_address = None
        code, _ = await program("curl", "-ksS", f"https://{HOST}:{served.doors.https}/")
        self.assertEqual(code, 0)


class ByTerminal(Doored):
    @unittest.skipUnless(shutil.which("ssh"), "ssh is not installed")
    async def test_an_ordinary_ssh(self) -> None:
        served = await self.ready("skerry-f7")
        ask = Path("/tmp") / f"ask-{served.doors.ssh}"  # noqa: S108
        ask.write_text("#!/bin/sh\necho skerry-first\n")
        ask.chmod(0o700)
        self.addCleanup(ask.unlink)
        code, said = await program(
            "ssh", "-F", "none", "-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null", "-o",
            "PreferredAuthentications=password", "-o", "LogLevel=ERROR", "-p", str(served.doors.ssh), f"setup@{HOST}",
            told="self {\n  title north\n}\napply\nshow\nwrong line\nleave\n",
            SSH_ASKPASS=str(ask), SSH_ASKPASS_REQUIRE="force", DISPLAY=":0",
        )  # fmt: skip
        self.assertEqual(code, 0, said)
        self.assertIn("  title north", said)
        self.assertIn("rejected: wrong line", said)
        self.assertEqual(served.box.running.first("", "box.name"), "north")

    async def test_a_wrong_password_is_not_let_in_by_ssh(self) -> None:
        served = await self.ready("skerry-f7")
        with self.assertRaises(asyncssh.PermissionDenied):
            await asyncssh.connect(
                HOST,
                served.doors.ssh,
                username="setup",
                password="guess",
                known_hosts=None,
                client_keys=None,
                config=[],
            )

    async def test_the_console_by_plain_tcp_and_as_a_device(self) -> None:
        served = await self.ready("tallow-q4", with_tty=True)
        reader, writer = await asyncio.open_connection(HOST, served.doors.console)
        self.assertEqual((await reader.readuntil(b"password: "))[-10:], b"password: ")
        writer.write(b"\nnorth -> self called\n")
        await reader.readuntil(b"? ")
        writer.close()
        device = os.open(served.tty, os.O_RDWR | os.O_NOCTTY)
        self.addCleanup(os.close, device)
        loop, came = asyncio.get_running_loop(), asyncio.Event()
        got = bytearray()

        def read() -> None:
            got.extend(os.read(device, 4_096))
            if b"firmware 0.9" in got:
                came.set()

        loop.add_reader(device, read)
        os.write(device, b"\nabout\n")
        async with asyncio.timeout(10):
            await came.wait()
        loop.remove_reader(device)
        self.assertEqual(served.box.running.first("", "box.name"), "north")

    async def test_ports_that_are_taken_are_said(self) -> None:
        with socket.socket() as taken:
            taken.bind((HOST, 0))
            taken.listen()
            port = taken.getsockname()[1]
            with self.assertRaisesRegex(PortTaken, f"Port {port} is in use already"):
                await ready("brackwater-e5", https=port)

    async def test_another_s_data_is_not_overwritten_unseen(self) -> None:
        served = await self.ready("brackwater-e5")
        auth = httpx.BasicAuth("admin", served.box.printed.password)
        async with httpx.AsyncClient(
            base_url=f"https://{HOST}:{served.doors.https}/restconf",
            verify=False,  # noqa: S501
            auth=auth,
        ) as one:
            tag = (await one.get("/data")).headers["etag"]
            data = {"ietf-restconf:data": {"octaplan-box:box": {"name": "north"}}}
            self.assertEqual((await one.put("/data", json=data, headers={"If-Match": tag})).status_code, 204)
            self.assertEqual((await one.put("/data", json=data, headers={"If-Match": tag})).status_code, 412)
            backup = (await one.post("/operations/octaplan-box:backup")).json()["octaplan-box:output"]["content"]
            self.assertTrue(base64.b64decode(backup).startswith(b"octaplan stand-in backup"))
            self.assertEqual((await one.post("/operations/octaplan-box:dance")).status_code, 404)
