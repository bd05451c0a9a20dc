"""Rehearsals on the kernel of this machine, where it permits them: what the network did, and that nothing of it stays."""

from __future__ import annotations

import asyncio
import json
import os
import secrets
import signal
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest.mock import patch

from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.lab.rehearsal.rehearsing import Broken, Rehearsing
from octaplan.lab.spaces import ground
from octaplan.lab.spaces.ground import NoGround, missing
from tests.support import InFolder
from tests.trials.truth import compare

LACKS = missing()


def shop(**more: Any) -> SitePlan:
    """A shop with one line, an office, guests, a server that is published, and a switch."""
    return SitePlan.model_validate(
        {
            "schema": "octaplan.site-plan/2",
            "customer": "FERN",
            "site": "DOCK",
            "circuits": {
                "line0": {"label": "Main", "handoff": "static", "address": "203.0.113.18", "prefix": 29,
                          "gateway": "203.0.113.17", "resolvers": ["192.0.2.53"]},
            },
            "segments": {
                "off00": {"label": "Office", "role": "office", "vlan": 10, "subnet": "10.40.8.0/24",
                          "gateway": "10.40.8.1", "resolvers": ["gateway"], "domain": "dock.fern.example",
                          "scope": {"first": "10.40.8.100", "last": "10.40.8.150", "lease": 3600,
                                    "options": {"42": "192.0.2.123", "66": "phones.example", "150": "10.40.8.30"}}},
                "gst00": {"label": "Guest", "role": "guest", "vlan": 40, "subnet": "10.40.9.0/24",
                          "gateway": "10.40.9.1", "resolvers": ["192.0.2.53"],
                          "scope": {"first": "10.40.9.100", "last": "10.40.9.100"}},
            },
            "hosts": {"srv00": {"segment": "off00", "name": "file store", "address": "10.40.8.20"}},
            "devices": {
                "edge0": {
                    "type": "any", "role": "edge", "name": "dock-edge", "forwarders": ["192.0.2.53"],
                    "ports": {"wan": {"mode": "circuit", "circuit": "line0"},
                              "lan": {"mode": "trunk", "segment": "off00", "tagged": ["gst00"]}},
                    "routes": {"def00": {"to": "0.0.0.0/0", "circuit": "line0", "metric": 10}},
                    "allows": {"a0000": {"source": "off00", "target": "internet", "service": "any"},
                               "a0001": {"source": "gst00", "target": "internet", "service": "tcp/80, tcp/443, udp/53"},
                               "a0002": {"source": "internet", "target": "srv00", "service": "tcp/443"}},
                    "translations": {"t0000": {"segment": "off00", "circuit": "line0"},
                                     "t0001": {"segment": "gst00", "circuit": "line0"}},
                    "publications": {"p0000": {"circuit": "line0", "service": "tcp/8443", "host": "srv00", "port": 443}},
                    "access": {"x0000": {"service": "https", "segment": "off00"}},
                },
            },
            **more,
        }
    )  # fmt: skip


def rehearsed(plan: SitePlan, **more: Any) -> dict[str, Any]:
    with Rehearsing({"plan": plan.document(), **more}) as rehearsing:
        *_, last = rehearsing.events()
    return last


def otherwise_built(changes: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What is told when the network is that of another plan than the walk walked."""
    code = (
        "import asyncio, json, sys\n"
        "from octaplan.core.plan.patch import applied\n"
        "from octaplan.core.plan.site import SitePlan\n"
        "from octaplan.lab.rehearsal import rehearse as module\n"
        "document, changes = json.loads(sys.stdin.readline())\n"
        "plan = SitePlan.model_validate(document)\n"
        "other = applied(plan, changes)\n"
        "design = module.Design\n"
        "module.Design = lambda _, elsewhere: design(other, elsewhere)\n"
        "print(json.dumps(module.document(asyncio.run(module.rehearse(plan, leases=False)))))\n"
    )
    told = subprocess.run([*ground.apart(), sys.executable, "-c", code], capture_output=True, text=True, check=True,
                          input=json.dumps([shop().document(), changes]) + "\n")  # fmt: skip
    return list(json.loads(told.stdout)["against_walk"])


@unittest.skipIf(LACKS, LACKS)
class OnTheKernel(InFolder):
    def test_walk_and_network_agree_and_clients_are_served(self) -> None:
        found = rehearsed(shop())
        self.assertEqual(found["event"], "result")
        self.assertEqual((found["against_walk"], found["not_brought_up"]), ([], []))
        self.assertGreater(found["passed"], 8)
        self.assertGreater(found["probes"], found["passed"])
        office, guest = found["leases"]
        self.assertEqual(
            (office["segment"], office["router"], office["domain"]), ("Office", "10.40.8.1", "dock.fern.example")
        )
        self.assertEqual((office["resolvers"], office["looked_up"], office["wrong"]), ("10.40.8.1", "192.0.2.80", []))
        self.assertRegex(office["address"], r"^10\.40\.8\.1[0-5]\d$")
        self.assertEqual((guest["address"], guest["looked_up"], guest["wrong"]), ("10.40.9.100", "192.0.2.80", []))

    def test_a_resolver_that_nobody_may_ask_is_found(self) -> None:
        closed = [{"op": "replace", "path": "/devices/edge0/allows/a0001/service", "value": "tcp/80"}]
        guest = rehearsed(applied(shop(), closed))["leases"][1]
        self.assertEqual(guest["wrong"], ["192.0.2.53 gave no answer to rehearsal.example"])

    def test_a_fixed_host_serves_leases_and_names_here_and_by_a_relay(self) -> None:
        server = "10.40.8.20"
        by_host = [
            {"op": "add", "path": "/segments/off00/scope/server", "value": server},
            {"op": "replace", "path": "/segments/off00/resolvers", "value": [server]},
            {"op": "add", "path": "/segments/gst00/scope/server", "value": server},
            {"op": "add", "path": "/devices/edge0/relays", "value": {"gst00": server}},
        ]
        plan = applied(shop(), by_host)
        found = rehearsed(plan)
        office, guest = found["leases"]
        self.assertEqual((office["resolvers"], office["looked_up"], office["wrong"]), (server, "192.0.2.80", []))
        self.assertEqual((guest["address"], guest["looked_up"], guest["wrong"]), ("10.40.9.100", "192.0.2.80", []))
        self.assertEqual((found["against_walk"], found["not_brought_up"]), ([], []))
        unrelayed = applied(plan, [{"op": "remove", "path": "/devices/edge0/relays/gst00"}])
        office, guest = rehearsed(unrelayed)["leases"]
        self.assertEqual((office["wrong"], guest["wrong"]), ([], ["no lease was given"]))
        gone = applied(plan, [{"op": "remove", "path": "/hosts/srv00"}])
        self.assertEqual(rehearsed(gone)["leases"], [], "nobody at this site serves")

    def test_what_is_published_is_seen_from_outside_at_its_port_inside(self) -> None:
        found = rehearsed(shop())
        cell = next(c for c in found["cells"] if (c["from"], c["to"]) == ("internet", "off00"))
        self.assertGreaterEqual(cell["passed"], 1)
        own = next(c for c in found["cells"] if (c["from"], c["to"]) == ("internet", "boxes"))
        self.assertGreater(own["asked"], own["passed"], "what is not published was asked too, and was silent")
        gone = applied(shop(), [{"op": "remove", "path": "/devices/edge0/allows/a0002"}])
        cell = next(c for c in rehearsed(gone)["cells"] if (c["from"], c["to"]) == ("internet", "off00"))
        self.assertEqual((cell["passed"], cell["against_walk"]), (0, 0))

    def test_a_plan_that_is_wrong_is_rehearsed_as_far_as_it_goes(self) -> None:
        wrong = applied(
            shop(),
            [
                {"op": "remove", "path": "/devices/edge0/translations/t0000"},
                {"op": "replace", "path": "/segments/gst00/gateway", "value": None},
                {"op": "add", "path": "/devices/edge0/routes/rt000",
                 "value": {"to": "10.99.0.0/16", "via": "10.77.0.1", "metric": 1}},
                {"op": "replace", "path": "/devices/edge0/name", "value": "edge-1"},
            ],
        )  # fmt: skip
        found = rehearsed(wrong)
        self.assertEqual(found["against_walk"], [])
        self.assertIn("10.77.0.1 is in no subnet", found["not_brought_up"][0])
        guest = next(one for one in found["leases"] if one["segment"] == "Guest")
        self.assertEqual(guest["wrong"], ["no lease was given"], "nobody has an address there")
        sentences = [one["sentence"] for one in found["otherwise_than_meant"]]
        self.assertTrue([one for one in sentences if one.startswith("Office to the internet") and "is stopped" in one])

    def test_what_the_network_does_otherwise_is_said(self) -> None:
        """The network is another one than the walk walked: the guests' rule is missing in it."""
        against = otherwise_built([{"op": "remove", "path": "/devices/edge0/allows/a0001"}])
        self.assertEqual(
            {(one["from"], one["to"], one["network"]) for one in against}, {("Guest", "the internet", "stopped")}
        )
        self.assertIn("the walk says that it passes; the network gave no answer", against[0]["sentence"])

    def test_what_arrives_at_another_port_than_planned_is_said(self) -> None:
        against = otherwise_built([{"op": "replace", "path": "/devices/edge0/publications/p0000/port", "value": 444},
                                   {"op": "replace", "path": "/devices/edge0/allows/a0002/service", "value": "any"}])  # fmt: skip
        self.assertEqual({(one["from"], one["network"]) for one in against}, {("the internet", "passes")})
        self.assertIn("and arrived at port 444: On Office", against[0]["sentence"])

    def test_the_machine_s_own_networks_are_never_touched(self) -> None:
        def own() -> str:
            return subprocess.run(["ip", "-o", "address"], capture_output=True, text=True, check=True).stdout

        before = own()
        plan = applied(shop(), [{"op": "replace", "path": "/segments/off00/subnet", "value": "127.0.0.0/8"},
                                {"op": "replace", "path": "/segments/off00/gateway", "value": "127.0.0.1"}])  # fmt: skip
        with Rehearsing({"plan": plan.document(), "keep": True}) as rehearsing:
            for event in rehearsing.events():
                if event["event"] in ("kept", "refused", "result"):
                    break
            self.assertEqual(own(), before)
        self.assertEqual(own(), before)

    def test_nothing_of_a_plan_is_taken_for_a_line_of_a_server(self) -> None:
        """A line more would let the plan run programs."""
        trace = self.folder / "ran"
        evil = f"x\ndhcp-script=/usr/bin/touch {trace}\ndhcp-option=66,x"
        document = shop().document()
        document["segments"]["off00"]["scope"]["options"] = {"66": evil}  # as older data may have it
        found = rehearsed(SitePlan.model_validate(document))
        self.assertIn("Office: option 66 holds what no server is told here", found["not_brought_up"])
        self.assertIn("option 66: none", found["leases"][0]["wrong"][0])
        self.assertFalse(trace.exists())

    def test_without_root_all_of_it_works_in_namespaces_of_users(self) -> None:
        nobody = ["unshare", "--user", "--map-user=1000", "--map-group=1000"]
        if subprocess.run([*nobody, "unshare", "--user", "true"], capture_output=True, check=False).returncode:
            self.skipTest("this machine permits no user namespaces")
        plan = self.write("plan.json", json.dumps(shop().document()))
        done = subprocess.run([*nobody, sys.executable, "-m", "octaplan", "rehearse", str(plan), "--format", "json"],
                              capture_output=True, text=True, check=False)  # fmt: skip
        found = json.loads(done.stdout or "{}")
        self.assertEqual(
            (found["against_walk"], found["not_brought_up"], found["leases_wrong"]), ([], [], 0), done.stderr
        )

    def test_two_at_once_do_not_meet(self) -> None:
        with ThreadPoolExecutor(2) as pool:
            for found in pool.map(rehearsed, [shop(), shop()]):
                self.assertEqual((found["against_walk"], found["not_brought_up"]), ([], []))

    def test_forty_segments(self) -> None:
        segments = {
            f"s{n:04}": {"label": f"Shop {n}", "subnet": f"10.50.{n}.0/24", "gateway": f"10.50.{n}.1"}
            for n in range(40)
        }
        plan = applied(shop(), [
            *({"op": "add", "path": f"/segments/{key}", "value": one} for key, one in segments.items()),
            {"op": "replace", "path": "/devices/edge0/ports/lan/tagged", "value": ["gst00", *segments]},
        ])  # fmt: skip
        found = rehearsed(plan)
        self.assertEqual(found["against_walk"], [])
        self.assertGreater(found["probes"], 1_500)


@unittest.skipIf(LACKS, LACKS)
class Leaving(InFolder):
    def test_nothing_stays_after_a_kill_at_any_moment(self) -> None:
        room = self.folder / "tmp"
        room.mkdir()
        mark = f"OCTAPLAN_TRIAL={secrets.token_hex(8)}"
        name, _, value = mark.partition("=")
        for number in (0, 1, 2, 3, 6, 12):
            code = (
                "import json, sys\n"
                "from octaplan.lab.rehearsal.rehearsing import Rehearsing\n"
                "with Rehearsing(json.loads(sys.stdin.readline())) as rehearsing:\n"
                "    for event in rehearsing.events():\n"
                "        print(event['event'], flush=True)\n"
            )
            task = json.dumps({"plan": shop().document(), "keep": True}) + "\n"
            begun = subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                                     text=True, env={**os.environ, name: value, "TMPDIR": str(room)})  # fmt: skip
            assert begun.stdin is not None
            assert begun.stdout is not None
            begun.stdin.write(task)
            begun.stdin.flush()
            for _ in range(number):  # later each time
                if begun.stdout.readline().startswith("kept"):
                    break
            self.assertTrue(self.marked(mark))
            begun.send_signal(signal.SIGKILL)
            begun.wait()
            begun.stdin.close()
            begun.stdout.close()
            ends = time.monotonic() + 20
            while self.marked(mark) and time.monotonic() < ends:
                time.sleep(0.02)
            self.assertEqual(self.marked(mark), [], "a process of it, and with it its networks, is still there")
            self.assertEqual([*room.iterdir()], [], "a file of it is still there")

    @staticmethod
    def marked(mark: str) -> list[str]:
        """The processes that were begun with a mark in their environment."""
        found = []
        for process in Path("/proc").glob("[0-9]*"):
            try:
                if mark.encode() in (process / "environ").read_bytes().split(b"\0"):
                    found.append((process / "cmdline").read_bytes().replace(b"\0", b" ").decode())
            except OSError:
                continue
        return found

    def test_it_stops_half_way_and_a_broken_one_says_so(self) -> None:
        rehearsing = Rehearsing({"plan": shop().document()})
        events = rehearsing.events()
        self.assertEqual(next(events)["event"], "planned")
        rehearsing.stop()
        with Rehearsing({"plan": {"no": "plan"}}) as other, self.assertRaises(Broken):
            list(other.events())


class WithoutGround(unittest.TestCase):
    def test_what_is_missing_is_said_with_how_to_get_it(self) -> None:
        with patch.object(ground, "_found", side_effect=lambda name: None if name == "nft" else f"/bin/{name}"):
            self.assertEqual(missing(), "A rehearsal needs nftables: install it with “apt install nftables”")
            with self.assertRaises(NoGround):
                Rehearsing({})
        with (
            patch.object(ground, "apart", return_value=["false"]),
            patch.object(ground, "_found", return_value="/bin/x"),
        ):
            self.assertIn("A rehearsal needs root", missing())

    def test_no_box_that_routes_is_refused_in_a_sentence(self) -> None:
        from octaplan.lab.rehearsal.rehearse import NothingToRehearse, rehearse

        many = {f"s{n:04}": {"label": f"Shop {n}"} for n in range(130)}
        large = [{"op": "add", "path": f"/segments/{key}", "value": one} for key, one in many.items()]
        with self.assertRaisesRegex(NothingToRehearse, "at most 120 are rehearsed"):
            asyncio.run(rehearse(applied(shop(), large)))
        with self.assertRaisesRegex(NothingToRehearse, "Plan its edge first"):
            asyncio.run(rehearse(applied(shop(), [{"op": "remove", "path": "/devices/edge0"}])))


@unittest.skipIf(LACKS, LACKS)
class Truth(unittest.TestCase):
    """A few of the plans of `make truth`."""

    def test_walk_and_kernel_agree_on_plans_made_at_random(self) -> None:
        found = compare(16)
        self.assertEqual(found["plans"], 16)
        self.assertEqual(found["disagree"], 0)
        self.assertGreater(found["passed"], 100)
