"""A box on the practice bench, and what the bench has to tell of packets.

Unplugged             the laptop reaches nothing where it is, with what it has
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field
from typing import Protocol

from octaplan.core.plan.site import Circuit, SitePlan
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.errors import RefusedError
from octaplan.lab.standin.box import BoxPhase, StandIn
from octaplan.lab.standin.servers import Served

#: Seconds that one waits for a box to start, and between two looks.
PATIENCE, LOOK = 30.0, 0.05
#: A name that the practice provider knows (RFC 2606), and the address that it tells for it (RFC 5737).
NAME, NAMED = "practice.example", "192.0.2.80"


class Unplugged(RefusedError):
    """The laptop reaches nothing where it is, with what it has."""


@dataclass
class OnBench:
    """A stand-in on the bench. `site` and `device` say which box of which site it is taken for, `plan` what is planned
    for that."""

    key: str
    served: Served
    site: str = ""
    device: str = ""
    plan: SitePlan | None = None
    #: The number of the run that it is staged in.
    run: int | None = None
    how: str = ""
    plugged_in: bool = False

    @property
    def box(self) -> StandIn:
        return self.served.box

    def lines(self) -> dict[str, Circuit]:
        """The lines that are planned for it, by the port that each comes in at."""
        if self.plan is None or self.device not in self.plan.devices:
            return {}
        ports, circuits = self.plan.devices[self.device].ports, self.plan.circuits
        return {name: circuits[use.circuit] for name, use in ports.items() if use.circuit in circuits}

    async def started(self) -> None:
        """Wait until it has started, where it is on."""
        ends = time.monotonic() + PATIENCE
        while self.box.phase is not BoxPhase.READY and self.box.powered and time.monotonic() < ends:
            await asyncio.sleep(LOOK)


@dataclass
class OnTheBench:
    """What stands on a bench, by key, and whether the provider's lines are up."""

    boxes: dict[str, OnBench] = field(default_factory=dict)
    provider_up: bool = True

    def beside(self, one: OnBench) -> list[OnBench]:
        """The boxes of the same site, itself among them."""
        return [each for each in self.boxes.values() if each is one or (one.site and each.site == one.site)]


class Ways(Protocol):
    """What comes of packets on a bench."""

    @property
    def ended(self) -> bool:
        """Whether nothing more comes of packets here: its network is gone."""

    def inside(self, one: OnBench) -> str:
        """Where the kernel shows the network of the laptop; empty where it has none."""

    async def served(self, box: StandIn, key: str) -> Served:
        """Let people and programs at a box."""

    async def taken(self, one: OnBench) -> None:
        """A box was taken away."""

    async def leased(self, one: OnBench) -> str:
        """The address that the laptop gets where it asks for one; empty without a lease."""

    async def fixed(self, one: OnBench, address: Address) -> None:
        """The laptop is given an address of its own."""

    async def hands_out(self, one: OnBench, address: Address, net: Network | None) -> None:
        """The laptop has an address of its own, and serves the next one to the box."""

    async def reaches(self, one: OnBench, service: str, address: Address) -> bool:
        """Whether the laptop reaches a service of the box at its address where the laptop is."""

    async def pinged(self, one: OnBench, address: Address, *, by_box: bool) -> str | None:
        """What a ping says: of the laptop, or `by_box` of the box itself where it is not its own address; a line is
        always pinged by the box. Nothing where this bench has no such address."""

    async def client(self, one: OnBench, port: str) -> str:
        """The address that a client gets at a port; empty without a lease."""

    async def looked_up(self, one: OnBench) -> str:
        """The address that the box is told for `NAME`; empty without an answer."""

    async def online(self, one: OnBench) -> bool:
        """Whether a line answers the box as it has been told."""

    async def close(self) -> None:
        """The bench is cleared."""
