"""A bench of real packets: what the network does is what the boxes were told, and what a bench routing by itself tells."""

from __future__ import annotations

import asyncio
import os
import select
import ssl
import subprocess
import sys
import unittest
from collections.abc import Awaitable, Callable
from functools import partial
from pathlib import Path
from random import Random
from typing import Any
from unittest.mock import patch

from octaplan.core.config.grammar import Told
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.hardware import WritePart
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Situation
from octaplan.core.values.addresses import parse_address
from octaplan.lab.bench import wired
from octaplan.lab.bench.onbench import NAMED, OnBench
from octaplan.lab.bench.practice import PracticeBench, PracticeTable
from octaplan.lab.bench.wired import Wired
from octaplan.lab.spaces.ground import apart, missing, without_leases
from octaplan.lab.standin.box import BoxFaults, Refused, StandIn
from octaplan.lab.standin.run import tell_plan
from octaplan.lab.wire.floor import served
from octaplan.lab.wire.network import NoNetwork
from octaplan.lab.wire.shape import wire_shape
from tests.core.config.demo import types
from tests.link.clinic import box_of, clinic, within

LACKS = missing() or without_leases()
#: A fitting address for the laptop in each network that a box may show here.
SPARE = {"10.61.0.": "10.61.0.9", "10.61.4.": "10.61.4.9", "192.168.77.": "192.168.77.9", "172.30.99.": "172.30.99.9",
         "172.22.61.": "172.22.61.9", "192.168.254.": "192.168.254.1"}  # fmt: skip


def on_wire(work: Callable[[PracticeBench], Awaitable[Any]]) -> Any:
    """Run something on a bench of real packets."""
    return within(work, real=True)


def changed(plan: SitePlan, circuit: dict[str, Any]) -> SitePlan:
    """A plan whose line is otherwise."""
    path = "/circuits/circ0"
    return applied(plan, [{"op": "add", "path": f"{path}/{name}", "value": value} for name, value in circuit.items()])


async def told(bench: PracticeBench, plan: SitePlan, role: str, site: str = "") -> OnBench:
    """A box of a site on the bench that has been told all that is planned, and is on."""
    key = box_of(plan, role)
    one = await bench.put(types()[plan.devices[key].type], site or plan.key, key)
    one.box.power(True, one.box.kind.powered_by[0])
    await one.started()
    tell_plan(one.box, plan, key)
    await one.started()
    one.plan, one.plugged_in = plan, True
    return one


def half_told(box: StandIn, plan: SitePlan, key: str, random: Random) -> None:
    """Tell a box some of what is planned, as somebody has got so far."""
    above: list[Told] = []
    for line in write_out(plan, key, box.kind).lines:
        if line.part is WritePart.SAVE or any(piece.open for piece in line.pieces) or random.random() < 0.15:
            continue
        try:
            above = box.say(line.with_secrets(lambda place: "Abc-123456789"), above)
        except Refused:
            continue
    box.apply()


async def patiently(
    meant: bool, asked: Callable[[], Awaitable[Any]], came: Callable[[Any], bool] = bool, times: int = 10
) -> Any:
    """What is answered. Where an answer is meant, silence is asked again: a packet may be late on a busy machine, and one
    that is meant never to come does not come late."""
    for _ in range(times if meant else 1):
        answer = await asked()
        if came(answer):
            break
    return answer


@unittest.skipIf(LACKS, LACKS)
class AsItTells(unittest.TestCase):
    """The network and the bench that routes by itself are written apart; half-told boxes show where they differ."""

    def test_services_pings_and_leases_at_every_port_of_half_told_boxes(self) -> None:
        seen: dict[str, int] = {}

        async def held(bench: PracticeBench, seed: int, edge: str, role: str) -> list[str]:
            random, plan = Random(seed), clinic(edge)
            key = box_of(plan, role)
            one = await bench.put(types()[plan.devices[key].type], "", "", BoxFaults())
            one.box.power(True, one.box.kind.powered_by[0])
            await one.started()
            half_told(one.box, plan, key, random)
            ports = [name for name, port in one.box.kind.ports.items() if port.carries]
            found = [(port, await self.at(bench, one, port, seen)) for port in random.sample(ports, min(3, len(ports)))]
            return [f"{one.box.kind.key} {seed} {port}: {each}" for port, some in found for each in some]

        async def work(bench: PracticeBench) -> list[str]:
            boxes = (("brackwater-e5", "edge"), ("skerry-f7", "edge"), ("tallow-q4", "edge"),
                     ("brackwater-e5", "switch"), ("brackwater-e5", "access-point"))  # fmt: skip
            some = await asyncio.gather(*(held(bench, seed, *box) for seed in range(3) for box in boxes))
            return [each for found in some for each in found]

        with patch.multiple(wired, PINGS=2, TRIES=1):
            self.assertEqual(on_wire(work), [])
        for word in ("answers", "silent", "leases", "no lease", "open", "closed"):
            self.assertGreater(seen.get(word, 0), 0, word)

    async def at(self, bench: PracticeBench, one: OnBench, port: str, seen: dict[str, int]) -> list[str]:
        """What differs at a port, in words."""
        box, ways = one.box, bench.ways
        assert isinstance(ways, Wired)
        found, table = [], PracticeTable(bench, one, None)
        face = box.face(port)
        meant = face.leases is not None
        leased = await patiently(meant, partial(table.lease, port))
        seen["leases" if meant else "no lease"] = seen.get("leases" if meant else "no lease", 0) + 1
        if meant != bool(leased):
            found.append(f"lease {leased}, told {face.leases}")
        address = next((SPARE[net] for net in SPARE if str(face.address).startswith(net)), "10.61.0.9")
        await table.settle(Situation(port, address, "fixed", "", False))
        for own in {str(face.address), *(str(each.address) for each in box.running.own_addresses())} - {"None"}:
            pings = box.answers_ping(port, parse_address(own))
            asked = partial(ways.pinged, one, parse_address(own), by_box=False)
            said = await patiently(pings, asked, lambda said: said is None or "0 received" not in said)
            seen["answers" if pings else "silent"] = seen.get("answers" if pings else "silent", 0) + 1
            if said is not None and pings == ("0 received" in said) and own == str(face.address):
                found.append(f"ping {own}: {said!r}, told {pings}")
        if face.address is not None:
            for service in ("https", "http", "ssh", "telnet"):
                opens = box.reached(service)
                seen["open" if opens else "closed"] = seen.get("open" if opens else "closed", 0) + 1
                if await patiently(opens, partial(ways.reaches, one, service, face.address)) != opens:
                    found.append(f"{service} at {face.address}, told {opens}")
        return found


@unittest.skipIf(LACKS, LACKS)
class Between(unittest.TestCase):
    """Several boxes of a site, with the cables that are planned."""

    def test_a_lease_comes_through_the_switch_in_the_vlan_of_its_port_and_in_no_other(self) -> None:
        plan = clinic()
        switch = box_of(plan, "switch")
        port = next(
            name for name, use in plan.devices[switch].ports.items() if use.mode == "access" and use.peer is None
        )
        guest = applied(plan, [{"op": "replace", "path": f"/devices/{switch}/ports/{port}/segment", "value": "seg1"}])

        async def work(bench: PracticeBench) -> tuple[str | None, ...]:
            edge, below = await told(bench, guest, "edge"), await told(bench, guest, "switch")
            table = PracticeTable(bench, below, guest)
            other = next(
                name for name, use in guest.devices[switch].ports.items() if use.segment == "seg0" and not use.peer
            )
            leases = [await table.lease(port), await table.lease(other)]
            for entry in below.box.running.settings.all():  # the uplink loses the tag of the guests
                if "tagged[]" in "".join(entry.saying.names):
                    below.box.running.settings.remove(entry.text)
                    break
            untagged = await table.lease(port)
            await bench.take(edge.key)
            return (*leases, untagged, await table.lease(other))

        in_guest, in_office, untagged, alone = on_wire(work)
        self.assertEqual((in_guest, in_office), ("10.61.4.20", "10.61.0.60"))
        self.assertEqual(untagged, "", "a tag that the uplink does not carry gets nowhere")
        self.assertIsNone(alone, "nobody else is there who could give one")

    def test_the_laptop_and_the_uplink_share_the_one_port_of_an_access_point(self) -> None:
        async def work(bench: PracticeBench) -> tuple[Any, ...]:
            plan = clinic()
            for role in ("edge", "switch"):
                await told(bench, plan, role)
            point = await told(bench, plan, "access-point")
            table = PracticeTable(bench, point, plan)
            await table.settle(Situation("PoE", "10.61.0.9", "fixed", "", False))
            own, gateway = await table.ping("10.61.0.2"), await table.ping("10.61.0.1")
            laptop = await table.ping("10.61.0.1", by_box=False)
            await table.line(False)
            return own, gateway, laptop, await table.ping("10.61.0.1"), await table.ping("10.61.0.2")

        own, gateway, laptop, unplugged, still = on_wire(work)
        for said in (own, gateway, laptop, still):
            self.assertIn("3 received", said)
        self.assertIn("from the box", gateway)
        self.assertIn("from the laptop", laptop)
        self.assertIn("0 received", unplugged)


@unittest.skipIf(LACKS, LACKS)
class Lines(unittest.TestCase):
    """What the provider is told, and the box: the line answers where both are the same."""

    def asked(self, *lines: tuple[dict[str, Any], dict[str, Any]], up: bool = True) -> list[tuple[Any, ...]]:
        """What comes of each line, planned as the one says and told as the other says beside that."""

        async def one_line(
            bench: PracticeBench, number: int, planned: dict[str, Any], otherwise: dict[str, Any]
        ) -> tuple[Any, ...]:
            plan = changed(clinic("skerry-f7"), planned)
            one = await told(bench, changed(plan, otherwise), "edge", site=f"SITE{number}")
            table, ways = PracticeTable(bench, one, plan), bench.ways
            assert ways is not None
            return await ways.online(one), await table.look_up(), await table.ping("192.0.2.53")

        async def work(bench: PracticeBench) -> list[tuple[Any, ...]]:
            bench.provider_up = up
            return await asyncio.gather(*(one_line(bench, number, *line) for number, line in enumerate(lines)))

        found: list[tuple[Any, ...]] = on_wire(work)
        return found

    DHCP: dict[str, Any] = {"handoff": "dhcp", "address": None, "gateway": None, "prefix": None}  # noqa: RUF012
    PPPOE: dict[str, Any] = {**DHCP, "handoff": "pppoe", "pppoe_user": "heron@line.example"}  # noqa: RUF012

    def test_what_is_told_as_the_provider_has_it_is_answered(self) -> None:
        lines = ({}, {"vlan": 35}, self.DHCP, {**self.DHCP, "vlan": 35}, self.PPPOE)
        for line, (online, named, pinged) in zip(lines, self.asked(*((line, {}) for line in lines)), strict=True):
            with self.subTest(line):
                self.assertEqual((online, named), (True, NAMED))
                self.assertIn("3 received", pinged)

    def test_what_looks_right_and_is_not_gets_no_answer(self) -> None:
        lines = (
            ({}, {"vlan": 35}),
            ({"vlan": 35}, {"vlan": 36}),
            ({}, {"address": "203.0.113.26", "gateway": "203.0.113.25"}),
            (self.DHCP, {"vlan": 35}),
            (self.PPPOE, {"pppoe_user": "herron@line.example"}),
        )
        for line, (online, named, _) in zip(lines, self.asked(*lines), strict=True):
            with self.subTest(line):
                self.assertEqual((online, named), (False, ""))

    def test_a_line_that_is_down(self) -> None:
        (found,) = self.asked(({}, {}), up=False)
        self.assertEqual(found[:2], (False, ""))


@unittest.skipIf(LACKS, LACKS)
class ComingAndGoing(unittest.TestCase):
    def test_a_session_hangs_when_the_address_goes_and_another_answers_at_the_new_one(self) -> None:
        async def work(bench: PracticeBench) -> tuple[Any, ...]:
            one = await bench.put(types()["brackwater-e5"])
            box, table = one.box, PracticeTable(bench, one, None)
            box.power(True)
            await table.settle(Situation("A", "asks", "lease", "", False))
            place = await table.reach("https", "192.168.77.1")
            context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
            context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            reader, writer = await asyncio.open_connection(place.host, place.port, ssl=context)
            for line in ('segment "Office" knows this box as 10.61.0.1 under mask 255.255.255.0', 'port A carries "Office" bare',
                         'manage by https from "Office"'):  # fmt: skip
                box.say(line, [])
            self.assertIn(
                "0 received", str(await table.ping("10.61.0.1", by_box=False)), "the laptop's own does not fit"
            )
            writer.write(b"GET / HTTP/1.1\r\nHost: box\r\n\r\n")
            try:
                async with asyncio.timeout(1.0):
                    old = await reader.read(1)
            except TimeoutError:
                old = b"silence"
            writer.transport.abort()
            await table.settle(Situation("A", "10.61.0.9", "fixed", "", False))
            return old, (await table.reach("https", "10.61.0.1")).port == place.port

        self.assertEqual(on_wire(work), (b"silence", True))

    def test_a_dead_port_and_an_address_that_does_not_fit_reach_nothing(self) -> None:
        async def work(bench: PracticeBench) -> list[bool]:
            one = await bench.put(types()["brackwater-e5"], "", "", BoxFaults(dead_port="A"))
            one.box.power(True)
            await one.started()
            table, ways, found = PracticeTable(bench, one, None), bench.ways, []
            assert ways is not None
            for port, laptop in (
                ("A", "192.168.77.9"),
                ("B", "192.168.78.9"),
                ("B", "192.168.77.9"),
                ("Net", "192.168.77.9"),
            ):
                await table.settle(Situation(port, laptop, "fixed", "", False))
                found.append(await ways.reaches(one, "https", parse_address("192.168.77.1")))
            return found

        self.assertEqual(on_wire(work), [False, False, True, False])

    def test_nothing_is_left_of_a_box_that_is_taken_away_nor_of_a_bench_that_is_cleared(self) -> None:
        async def work(bench: PracticeBench) -> tuple[int, int]:
            one = await told(bench, clinic(), "edge")
            table = PracticeTable(bench, one, clinic())
            await table.lease("A")
            ways = bench.ways
            assert isinstance(ways, Wired)
            pid = ways.pid
            serving = len(below(pid))
            await bench.take(one.key)
            left = below(pid)
            await bench.close()
            self.assertIn(state(pid), ("gone", "Z"))
            return serving, len(left)

        serving, left = on_wire(work)
        self.assertGreaterEqual(serving, 2, "the box serves, and so does the provider")
        self.assertEqual(left, 0)

    def test_it_ends_with_whoever_began_it_also_after_a_kill(self) -> None:
        begun = (
            "import asyncio\nfrom octaplan.lab.wire.network import FloorNetwork\nasync def run():\n    floor = FloorNetwork()\n"
            "    await floor.do('put', 'b1', '02:00:00:00:00:01')\n    print(floor.pid, flush=True)\n    await asyncio.sleep(60)\n"
            "asyncio.run(run())\n"
        )
        with subprocess.Popen([sys.executable, "-c", begun], stdout=subprocess.PIPE, text=True) as one:
            assert one.stdout is not None
            watched = os.pidfd_open(int(one.stdout.readline()))
            one.kill()
        ended, _, _ = select.select([watched], [], [], 10)
        os.close(watched)
        self.assertTrue(ended)

    def test_a_network_that_was_killed_is_told_and_a_cleared_bench_has_another(self) -> None:
        async def work(bench: PracticeBench) -> str | None:
            one = await told(bench, clinic(), "edge")
            ways = bench.ways
            assert isinstance(ways, Wired)
            subprocess.run(["kill", "-9", str(ways.pid)], check=True)
            table = PracticeTable(bench, one, clinic())
            with self.assertRaisesRegex(NoNetwork, "has ended"):
                for _ in range(50):
                    await table.ping("10.61.0.1")
            with self.assertRaisesRegex(NoNetwork, "take the boxes away"):
                await bench.put(types()["oxbow-s10"])
            await bench.take(one.key)
            again = await told(bench, clinic(), "edge")
            return await PracticeTable(bench, again, clinic()).lease("A")

        self.assertEqual(on_wire(work), "10.61.0.60")

    def test_many_ask_at_once_while_boxes_come_and_go(self) -> None:
        async def work(bench: PracticeBench) -> list[str | None]:
            plan = clinic()
            edge, switch = await told(bench, plan, "edge"), await told(bench, plan, "switch")

            async def restless() -> str | None:
                for _ in range(4):
                    other = await bench.put(types()["kittiwake-a2"], plan.key, "", BoxFaults())
                    await bench.take(other.key)
                return "10.61.0.60"

            port = next(
                name
                for name, use in plan.devices[switch.device].ports.items()
                if use.segment == "seg0" and not use.peer
            )
            asks = [
                partial(PracticeTable(bench, edge, plan).lease, "A"),
                partial(PracticeTable(bench, switch, plan).lease, port),
            ] * 4
            return await asyncio.gather(restless(), *(ask() for ask in asks))

        found = on_wire(work)
        self.assertEqual([one for one in found if not str(one).startswith("10.61.0.")], [])


class Hostile(unittest.TestCase):
    """What a box is told is anybody's text, and goes into commands of this machine."""

    def test_what_is_no_address_is_not_told_to_the_kernel(self) -> None:
        clock = [0.0]
        box = StandIn(types()["brackwater-e5"], clock=lambda: clock[0])
        box.power(True)
        clock[0] = 9.0
        bad = "203.0.113.17 dev lo\nnetns exec x touch /tmp/x"
        line = {
            "id": "c",
            "name": "Main",
            "port": "Net",
            "hand-off": "static",
            "address": "203.0.113.18/29",
            "gateway": bad,
        }
        scope = {
            "first": "10.61.0.60",
            "last": "10.61.0.99",
            "router": bad,
            "resolver": [bad, "10.61.0.1"],
            "domain": bad,
        }
        inside = {"id": "s", "name": "Office", "vlan": 10, "address": "10.61.0.1/24", "scope": scope}
        box.merge({"octaplan-box:box": {"circuit": [line], "segment": [inside], "forwarder": [bad], "gateway": bad}})
        shape = wire_shape(box, {})
        self.assertEqual((shape["outside"][0]["gateway"], shape["forwarders"]), ("", []))
        self.assertEqual((shape["serves"][0]["router"], shape["serves"][0]["resolvers"]), ("", ["10.61.0.1"]))
        self.assertNotIn("netns", "\n".join(served(shape)), "a domain that is none is left out")

    @unittest.skipIf(LACKS, LACKS)
    def test_a_line_that_begins_another_command_is_none(self) -> None:
        told = subprocess.run([*apart(), sys.executable, "-c", (
            "from octaplan.lab.spaces.spaces import Spaces; one = Spaces(); one.make('a'); "
            "print(one.batch('a', ['link set lo up', 'link set lo up\\nlink set lo down', 'netns exec x id']))"
        )], capture_output=True, text=True, check=True)  # fmt: skip
        self.assertEqual(told.stdout.strip(), "['link set lo up\\nlink set lo down', 'netns exec x id']")


def state(pid: int) -> str:
    """What the kernel says of a process in a letter (proc(5))."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return "gone"


def below(pid: int) -> list[str]:
    """The programs that a process has begun and that still run."""
    listed = subprocess.run(["ps", "--ppid", str(pid), "-o", "comm="], capture_output=True, text=True, check=False)
    return [line for line in listed.stdout.split() if line == "dnsmasq"]
