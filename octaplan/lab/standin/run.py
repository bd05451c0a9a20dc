"""A stand-in on its own, for the command line: on loopback, with what one does to it read from standard input."""

from __future__ import annotations

import asyncio
import secrets
import sys

from octaplan.core.config.grammar import Told
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.hardware import HardwareType, WritePart
from octaplan.core.plan.passwords import make
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.lab.standin.box import CONSOLE, StandIn
from octaplan.lab.standin.servers import HOST, Doors, Served, serve

_HELP = "on, off, reset, plug PORT, label"


class NoSuchFact(RefusedError):
    """A type, plan or port that a stand-in cannot be made of."""


def run(kind: HardwareType, doors: Doors, plan: SitePlan | None = None, device: str | None = None) -> None:
    """Run a stand-in until standard input ends. Raises `PortTaken`, `NoSuchFact`."""
    box = StandIn(kind)
    box.power(True, kind.powered_by[0])
    box.laptop_port = next(iter(kind.laptop_ports()), CONSOLE if kind.console is not None else "")
    if plan is not None and device is not None:
        tell_plan(box, plan, device)
    asyncio.run(_run(box, doors))


async def _run(box: StandIn, doors: Doors) -> None:
    served = await serve(box, doors, with_tty=True)
    try:
        print("\n".join(ways_in(served)), flush=True)  # noqa: T201
        while line := await asyncio.to_thread(sys.stdin.readline):
            print(done_to(box, line.split()), flush=True)  # noqa: T201
    finally:
        await served.close()


def tell_plan(box: StandIn, plan: SitePlan, device: str) -> None:
    """Have a box told what is planned for one, each secret made anew. Raises `NotWritten`, `NoSuchFact`."""
    if plan.devices[device].type != box.kind.key:
        raise NoSuchFact(f"{device} of this plan is of the type {plan.devices[device].type}, not {box.kind.key}")
    made = {slot: make(rule) for slot, rule in box.kind.slots.items()}

    def secret(place: str) -> str:
        return made.get(place.rsplit("/", 1)[-1]) or secrets.token_urlsafe(12)

    above: list[Told] = []
    for line in write_out(plan, device, box.kind).lines:
        if line.part is not WritePart.SAVE and not any(piece.open for piece in line.pieces):
            above = box.say(line.with_secrets(secret), above)
    box.apply()
    box.save()
    if box.powered:
        box.restart()


def ways_in(served: Served) -> list[str]:
    """How to reach a stand-in, in words."""
    box, doors = served.box, served.doors
    factory = box.kind.factory
    found = [f"{box.kind.title}, serial {box.printed.serial}, MAC {box.printed.mac}"]
    found.append(f"user {factory.user or 'none'}, first password {factory.password.words}")
    if factory.password == "label":  # noqa: S105  (a kind of password)
        found.append(f"on the label: {box.printed.password}")
    if factory.web:
        found.append(f"web pages  {factory.web}://{HOST}:{doors.http if factory.web == 'http' else doors.https}/")
    if box.kind.restconf:
        found.append(f"RESTCONF   https://{HOST}:{doors.https}/restconf")
    found.append(f"SSH        ssh -p {doors.ssh} {factory.user or 'any'}@{HOST}, where it answers")
    found.append(f"telnet     {HOST} {doors.telnet}, where it answers")
    if doors.console:
        found.append(f"console    {HOST} {doors.console}" + (f", and as {served.tty}" if served.tty else ""))
    found.append(f"plugged into {box.laptop_port or 'nothing'}; type one of: {_HELP}; it ends with Ctrl-D")
    return found


def done_to(box: StandIn, words: list[str]) -> str:
    """Do to a box what somebody at it would; what is seen then."""
    match words:
        case ["on"]:
            box.power(True, box.kind.powered_by[0])
        case ["off"]:
            box.power(False)
        case ["reset"]:
            box.reset()
        case ["plug", port]:
            if port != CONSOLE and port not in box.kind.ports:
                return f"There is no port {port}: {', '.join(box.kind.ports)} or {CONSOLE}"
            box.laptop_port = port
        case ["label"]:
            return f"{box.kind.title} {box.printed.serial} {box.printed.mac} password {box.printed.password}"
        case []:
            pass
        case _:
            return f"What can be done is {_HELP}"
    lights = ", ".join(f"{name} {shown}" for name, shown in box.lights().items())
    return f"it is {box.phase}, the laptop in {box.laptop_port or 'nothing'}; {lights}"
