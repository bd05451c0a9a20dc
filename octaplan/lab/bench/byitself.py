"""A bench that routes by itself: what comes of packets is told from what the boxes have been told.

It stands in for the network of `wired.py` where this machine permits none.
"""

from __future__ import annotations

import secrets

from octaplan.core.plan.site import Circuit, Handoff
from octaplan.core.values.addresses import Address, Network
from octaplan.lab.bench.onbench import NAMED, OnBench, OnTheBench
from octaplan.lab.standin.box import BoxPhase, StandIn
from octaplan.lab.standin.servers import Served, serve


class ByItself:
    """The ways of a bench without a network."""

    def __init__(self, bench: OnTheBench) -> None:
        self._bench = bench

    #: It has no network that could end.
    ended = False

    def inside(self, one: OnBench) -> str:
        """Nothing: the laptop has no network."""
        return ""

    async def served(self, box: StandIn, key: str) -> Served:
        """Let people and programs at a box, on loopback."""
        return await serve(box, ticket=secrets.token_urlsafe(16))

    async def taken(self, one: OnBench) -> None:
        """Nothing is left of it."""

    async def leased(self, one: OnBench) -> str:
        """The first address of the leases at the laptop's port, once the box has started."""
        return await self.client(one, one.box.laptop_port)

    async def fixed(self, one: OnBench, address: Address) -> None:
        """Nothing more: where the laptop is, it has what it has."""

    async def hands_out(self, one: OnBench, address: Address, net: Network | None) -> None:
        """The box takes the address that it is served."""
        if net is not None:
            one.box.given = (net.usable.first.plus(1), net)

    async def reaches(self, one: OnBench, service: str, address: Address) -> bool:
        """Whether it answers where the laptop is."""
        return one.box.reached(service)

    async def pinged(self, one: OnBench, address: Address, *, by_box: bool) -> str | None:
        """One ping."""
        answers = self._answers(one, address)
        return None if answers is None else f"1 packet transmitted, {int(answers)} received"

    def _answers(self, one: OnBench, address: Address) -> bool | None:
        box = one.box
        if box.face(box.laptop_port).address == address:
            return box.answers_ping(box.laptop_port, address) and box.laptop_address is not None
        if any(line.gateway == address or address in line.resolvers for line in one.lines().values()):
            return one.plugged_in and self._online(one)
        other = any(
            each.box.phase is BoxPhase.READY and any(own.address == address for own in each.box.running.own_addresses())
            for each in self._bench.beside(one)
        )
        if not other:
            return None
        return one.plugged_in and any(own.network.holds(address) for own in box.running.own_addresses())

    def _online(self, one: OnBench) -> bool:
        return self._bench.provider_up and any(_told(one.box, line) for line in one.lines().values())

    async def online(self, one: OnBench) -> bool:
        """Whether the provider knows the address, tag and user that it was told."""
        return one.plugged_in and self._online(one)

    async def client(self, one: OnBench, port: str) -> str:
        """The first address of the leases at a port, of the box itself or of one that it hangs on."""
        await one.started()
        own = one.box.face(port).leases
        if own is not None:
            return str(own.first)
        bare = one.box.running.carries_bare(port)
        if one.box.routes or not one.plugged_in or not bare:
            return ""
        others = [each for each in self._bench.beside(one) if each is not one and each.box.phase is BoxPhase.READY]
        found = (
            str(own.leases.first)
            for other in others
            for own in other.box.running.own_addresses()
            if own.leases is not None and bare in (own.segment, own.tagged)
        )
        return next(found, "")

    async def looked_up(self, one: OnBench) -> str:
        """What the provider knows, where the box asks one of the resolvers that are planned."""
        planned = {str(each) for line in one.lines().values() for each in line.resolvers}
        asks = planned & set(one.box.running.told_texts())
        return NAMED if one.plugged_in and self._online(one) and (asks or not planned) else ""

    async def close(self) -> None:
        """Nothing is left of it."""


def _told(box: StandIn, line: Circuit) -> bool:
    """Whether a box was told a line as its provider knows it: hand-off, tag, and address or user."""
    for entry in box.running.entries("circuits").values():
        said = {name: values[0] for name, values in entry.items() if values}
        if said.get("handoff") != str(line.handoff) or said.get("vlan", "") != str(line.vlan or ""):
            continue
        address = said.get("address|within", said.get("address", "")).partition("/")[0]
        if line.handoff is Handoff.STATIC:
            if (address, said.get("gateway", "")) == (str(line.address), str(line.gateway)):
                return True
        elif line.handoff is not Handoff.PPPOE or said.get("pppoe_user") == line.pppoe_user:
            return True
    return False
