"""Real boxes: hands that reach the addresses of the run sheet over this machine's own network, in a network of its own."""

from __future__ import annotations

import asyncio
import json
import subprocess
import sys
import unittest
from unittest.mock import patch

from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import HANDS_NETWORKS
from octaplan.core.stage.steps import Step
from octaplan.core.values.addresses import parse_network
from octaplan.lab.spaces.ground import apart, missing
from octaplan.lab.standin.box import CONSOLE, StandIn
from octaplan.lab.standin.servers import Doors, serve
from octaplan.link import hands, real
from octaplan.link.channel import Conversation, Door, NoAnswer, NoCable, Pins
from octaplan.link.hands import Hands
from octaplan.link.real import RealTable, nobodys
from octaplan.link.terminal import plain_terminal
from tests.core.config.demo import types
from tests.link.clinic import clinic, quickly, task

LACKS = missing()
#: The addresses that the box answers at, out of its carton and as it is planned.
CARTON, PLANNED = "192.168.77.1", "10.61.0.1"


async def stage_it() -> dict[str, object]:
    """Stage an edge that answers at its own addresses; people do the plugging. Within a network of its own."""
    what = task(clinic(), "edge")
    box, pins, settled, told = StandIn(what.kind), Pins(), set[str](), list[str]()
    box.power(True)
    for address in (CARTON, PLANNED):
        subprocess.run(["ip", "address", "add", f"{address}/32", "dev", "lo"], check=True)
    doors = [await serve(box, Doors(https=443, http=80, ssh=22, telnet=23, console=2_000), host=CARTON)]
    real._is_ours = lambda address: False  # here the box does stand on this machine, which refuses it otherwise
    table = RealTable(what.sheet, what.kind, HANDS_NETWORKS, box.printed.password)
    secrets: list[str] = []
    while True:
        at_work = Hands(what, table, pins, settled)
        async for outcome in at_work.run():
            told.append(outcome.step.key)
            secrets += [one.text for one in outcome.exchanged if box.printed.password in one.text]
            if not outcome.good:
                return {"stopped": outcome.step.key, "note": outcome.note}
            settled.add(outcome.step.key)
        if at_work.left is None or at_work.left.key in ("label", "pack"):
            break
        await by_people(box, at_work.left)
        if (
            box.face(box.laptop_port).address is not None
            and str(box.face(box.laptop_port).address) == PLANNED
            and len(doors) == 1
        ):
            doors.append(await serve(box, Doors(https=443, http=80, ssh=22, telnet=23, console=2_000), host=PLANNED))
        settled.add(at_work.left.key)
    for one in doors:
        await one.close()
    return {
        "stopped": "",
        "told": told,
        "secrets": secrets,
        "shown": box.show()[-3:],
        "name": box.saved.first("", "box.name"),
    }


async def by_people(box: StandIn, step: Step) -> None:
    """What somebody does at the bench in a step that is theirs."""
    if step.key == "restart":
        box.power(False)
        box.power(True)
    box.laptop_port = step.after.port or box.laptop_port


class Allowed(unittest.IsolatedAsyncioTestCase):
    async def test_no_address_is_asked_but_those_of_the_run_sheet(self) -> None:
        what = task(clinic(), "edge")
        table = RealTable(what.sheet, what.kind, HANDS_NETWORKS)
        with self.assertRaisesRegex(NoAnswer, "no address that the run sheet gives this box"):
            await table.reach("https", "192.0.2.9")
        with self.assertRaisesRegex(NoCable, "do this step by hand"):
            await table.reach("console", "")
        self.assertIsNone(await table.ping("192.0.2.9"))
        self.assertIsNone(await table.ping("not an address"))

    async def test_hands_never_speak_to_the_machine_they_run_on_whatever_a_type_says(self) -> None:
        for address in ("127.0.0.1", "127.8.8.8", "169.254.7.7", "224.0.0.1", "0.0.0.0", "255.255.255.255", "::1", "fe80::1",
                        "ff02::1", "::", "::ffff:127.0.0.1"):  # fmt: skip
            kind = types()["brackwater-e5"]
            assert kind.factory.subnet is not None
            document = kind.document()
            self.assertNotEqual(nobodys(address), "", address)
            if "." in address and ":" not in address:
                document["factory"] |= {"address": address, "prefix": 8, "leases": None}
                table = RealTable(task(clinic(), "edge").sheet, HardwareType.model_validate(document), HANDS_NETWORKS)
                table._own.add(address)
                with self.assertRaisesRegex(NoAnswer, "no box is there: correct the hardware type or the plan"):
                    await table.reach("https", address)
                table._told.add(address)
                self.assertIsNone(await table.ping(address))
        for address in ("192.168.77.1", "10.0.0.1", "172.30.99.1", "203.0.113.9", "2001:db8::1", "fd00::1"):
            self.assertEqual(nobodys(address), "", address)

    async def test_hands_reach_the_networks_that_administrators_keep_and_nothing_of_this_machine(self) -> None:
        what = task(clinic(), "edge")
        table = RealTable(what.sheet, what.kind, [parse_network("10.0.0.0/8")[0]])
        with self.assertRaisesRegex(NoAnswer, "192.168.77.1 is in none of the networks.*on Settings"):
            await table.reach("https", "192.168.77.1")
        with patch.object(real, "_is_ours", lambda address: address == "10.61.0.1"):
            with self.assertRaisesRegex(NoAnswer, "10.61.0.1 is this machine's own"):
                await table.reach("https", "10.61.0.1")
            self.assertIsNone(await table.ping("10.61.0.1"))
        self.assertTrue(real._is_ours("127.0.0.1"))
        self.assertFalse(real._is_ours("198.51.100.77"))

    def test_pins_are_kept_as_text(self) -> None:
        for pins in (Pins(), Pins(b"\x01\x02"), Pins(b"", b"ssh-ed25519 AAAA"), Pins(b"c", b"k")):
            self.assertEqual(Pins.read(pins.text), pins)


@unittest.skipIf(LACKS, LACKS)
class OnANetwork(unittest.TestCase):
    def test_a_box_is_staged_at_its_own_addresses_while_people_do_the_plugging(self) -> None:
        command = [*apart(), sys.executable, "-m", "tests.link.test_real"]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr[-2_000:])
        found = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(found["stopped"], "", found)
        self.assertEqual((found["name"], found["secrets"]), ("heron-edge", []))
        self.assertIn("segment-seg0", found["told"])
        self.assertNotIn("plug", found["told"])
        self.assertIn("backup", found["told"])


if __name__ == "__main__":
    subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
    with quickly(), patch.object(hands, "AWAY_REAL", 25.0):
        print(json.dumps(asyncio.run(stage_it())))  # noqa: T201


class ByCable(unittest.IsolatedAsyncioTestCase):
    """A box by the console cable of this machine: its terminal device, as an adapter would be one."""

    async def asyncSetUp(self) -> None:
        fast = quickly()
        fast.__enter__()
        self.addCleanup(fast.__exit__, None, None, None)
        self.what = task(clinic("tallow-q4"), "edge")
        self.box = StandIn(self.what.kind)
        self.served = await serve(self.box, with_tty=True)
        self.addAsyncCleanup(self.served.close)

    def table(self) -> RealTable:
        return RealTable(self.what.sheet, self.what.kind, HANDS_NETWORKS, self.box.printed.password, self.served.tty)

    async def test_all_that_is_done_by_console_is_done_by_the_cable(self) -> None:
        settled, notes = {"unpack", "plug"}, list[str]()
        self.box.laptop_port = CONSOLE
        self.box.power(True)
        at_work = Hands(self.what, self.table(), Pins(), settled)
        async for outcome in at_work.run():
            notes.append(outcome.note)
            settled.add(outcome.step.key)
            if outcome.step.key == "join":
                break
        await at_work.leave()
        self.assertEqual([note for note in notes if note], [])
        self.assertEqual(self.box.firmware, self.what.kind.firmware.wanted)
        self.assertEqual(self.box.running.first("", "box.name"), "heron-edge")
        self.assertEqual([str(one.address) for one in self.box.running.own_addresses()], ["10.61.0.1", "10.61.4.1"])
        self.assertEqual(
            self.box.running.secrets["administrator"], self.what.secret(f"devices/{self.what.key}/administrator")
        )

    async def test_a_cable_that_another_has_and_one_that_is_not_there(self) -> None:
        place = await self.table().reach(CONSOLE, "")
        one = await plain_terminal(place, self.what.kind, Conversation(), CONSOLE)
        with self.assertRaisesRegex(NoCable, "cannot be used.*somebody else has it"):
            await plain_terminal(place, self.what.kind, Conversation(), CONSOLE)
        await one.close()
        again = await plain_terminal(place, self.what.kind, Conversation(), CONSOLE)
        await again.close()
        with self.assertRaisesRegex(NoCable, "/dev/tty-none cannot be used"):
            await plain_terminal(Door("", 0, "a box", "/dev/tty-none"), self.what.kind, Conversation(), CONSOLE)

    async def test_without_a_cable_hands_say_so_at_once(self) -> None:
        table = RealTable(self.what.sheet, self.what.kind, HANDS_NETWORKS)
        hands = Hands(self.what, table, Pins(), {"unpack", "plug"})
        async with asyncio.timeout(5):
            (outcome,) = [each async for each in hands.run()]
        self.assertFalse(outcome.good)
        self.assertIn("start it with --console", outcome.note)

    async def test_a_cable_that_is_pulled_in_the_middle(self) -> None:
        self.box.laptop_port = CONSOLE
        self.box.power(True)
        one = await plain_terminal(await self.table().reach(CONSOLE, ""), self.what.kind, Conversation(), CONSOLE)
        await one.log_in("", "")
        await self.served.close()
        with self.assertRaises(NoAnswer):
            await one.show()
        await one.close()
