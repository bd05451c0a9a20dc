"""A real bench: the box is where its run sheet says, on the network of this machine, and people do the plugging."""

from __future__ import annotations

import asyncio
import ipaddress
import shutil
import socket
from collections.abc import Sequence

from octaplan.core.plan.hardware import HardwareType
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.steps import RunSheet
from octaplan.core.values.addresses import Network, parse_address
from octaplan.link.channel import CONNECT, Door, NoAnswer, NoCable

#: Where services are, unless a type says otherwise.
_THIS_NETWORK, _RESERVED = ipaddress.ip_network("0.0.0.0/8"), ipaddress.ip_network("240.0.0.0/4")  # RFC 1122, 1112
PORTS = {"https": 443, "ssh": 22, "telnet": 23}


def nobodys(address: str) -> str:
    """Why an address can be no other box's, in words; nothing when it can: hands never speak to their own machine,
    whatever a type says."""
    at = ipaddress.ip_address(address)
    at = getattr(at, "ipv4_mapped", None) or at
    for is_so, words in (
        (at.is_loopback, "this machine's own (loopback)"),
        (at.is_link_local, "link-local"),
        (at.is_multicast, "multicast"),
        (at.is_unspecified or (at.version == 4 and at in _THIS_NETWORK), "nobody's"),
        (at.version == 4 and at in _RESERVED, "reserved"),
    ):
        if is_so:
            return words
    return ""


def _is_ours(address: str) -> bool:
    """Whether this machine has an address: only then can it be bound to."""
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    with socket.socket(family, socket.SOCK_DGRAM) as one:
        try:
            one.bind((address, 0))
        except OSError:
            return False
    return True


class RealTable:
    """What hands may do at a real bench: reach the addresses that the run sheet tells, and no others."""

    by_itself = False

    def __init__(
        self, sheet: RunSheet, kind: HardwareType, networks: Sequence[Network], password: str = "", cable: str = ""
    ) -> None:
        self._networks = networks
        self._kind, self._password, self._cable = kind, password, cable
        self._own = {one.box for step in sheet.steps for one in (step.before, step.after) if one.box}
        told = {measure.expect for step in sheet.steps for measure in step.measures if measure.kind == "ping"}
        self._told = {one for one in self._own | told if one}

    async def settle(self, situation: Situation) -> None:
        """Nothing: people have plugged the laptop in, and given it its address."""

    async def power(self, on: bool) -> None:
        """Nothing: people hold the plug."""

    async def label(self) -> dict[str, str]:
        """What somebody has typed of the label."""
        return {"password": self._password}

    async def reach(self, service: str, address: str) -> Door:
        """Where a service is. Raises `NoAnswer`, `NoCable`."""
        if service not in PORTS:
            if not self._cable:
                raise NoCable(
                    "Octaplan has no console cable: do this step by hand, or plug one into the machine that it runs on "
                    "and start it with --console"
                )
            return Door("", 0, f"{self._kind.title} at {self._cable}", self._cable)
        if address not in self._own:
            raise NoAnswer(f"{address} is no address that the run sheet gives this box: it is not asked")
        self._hold(address)
        web = self._kind.factory.web_port if service == "https" and address == str(self._kind.factory.address) else None
        port = web or PORTS[service]
        try:
            async with asyncio.timeout(CONNECT):
                _, writer = await asyncio.open_connection(address, port)
            writer.close()
        except (OSError, TimeoutError):
            raise NoAnswer(f"{address} gives no answer at port {port}, {service.upper()}") from None
        return Door(address, port, f"{self._kind.title} at {address}")

    def _hold(self, address: str) -> None:
        """Raise `NoAnswer` for an address that hands do not speak to, whatever a type or a plan says."""
        why = nobodys(address) or ("this machine's own" if _is_ours(address) else "")
        if why:
            raise NoAnswer(f"{address} is {why}, and no box is there: correct the hardware type or the plan")
        at = parse_address(address)
        if not any(net.family == at.family and net.holds(at) for net in self._networks):
            raise NoAnswer(
                f"{address} is in none of the networks in which Octaplan's hands may reach boxes: do this step by "
                "hand, or ask an administrator to add its network on Settings"
            )

    async def ping(self, address: str) -> str | None:
        """What `ping` says of an address that the run sheet tells; nothing where this machine has no ping."""
        program = shutil.which("ping")
        if program is None or address not in self._told or nobodys(address) or _is_ours(address):
            return None
        command = [program, "-n", "-c", "4", "-i", "0.3", "-W", "2", address]
        nowhere = asyncio.subprocess.DEVNULL
        one = await asyncio.create_subprocess_exec(*command, stdout=asyncio.subprocess.PIPE, stderr=nowhere)
        said, _ = await one.communicate()
        return said.decode("utf-8", "replace").strip()[:1_000]

    async def lease(self, port: str) -> str | None:
        """Nothing: this machine keeps its own address."""
        return None

    async def line(self, plugged: bool) -> None:
        """Nothing: people plug it in."""

    async def look_up(self) -> str | None:
        """Nothing: people look names up."""
        return None

    async def passes(self, words: str) -> bool | None:
        """Nothing: people try it from clients."""
        return None

    async def joins(self, network: str, key: str) -> bool | None:
        """Nothing: people join with a telephone."""
        return None
