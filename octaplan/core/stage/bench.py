"""A laptop and a box on a bench, simulated: what address each has, and whether the one reaches the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from octaplan.core.plan.boxes import own_address, servers
from octaplan.core.plan.device import Device, PortMode
from octaplan.core.plan.hardware import Addressing, FactoryRole, HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.room import next_host
from octaplan.core.values.addresses import Address, Network, Span, parse_network

#: Small networks for a laptop that has to serve DHCP to a box; one that the site does not use is taken.
BENCH_NETWORKS = tuple(
    parse_network(text)[0] for text in ("192.168.254.0/29", "172.31.254.0/29", "10.255.254.0/29", "10.193.254.0/29")
)


@dataclass(frozen=True, slots=True)
class Situation:
    """Laptop and box at one moment. `port` is the box's port that the laptop is in, `console` or empty.

    `laptop` and `box` are addresses as text, `how` says how the laptop has its own: `fixed`, `lease`, `serving`
    (it serves DHCP to the box) or empty.
    """

    port: str = ""
    laptop: str = ""
    how: str = ""
    box: str = ""
    reaches: bool = False


class Face(NamedTuple):
    """What a port of the box shows to a laptop that is plugged into it."""

    address: Address | None = None
    network: Network | None = None
    leases: Span | None = None
    managed: bool = False

    @property
    def open(self) -> bool:
        """Whether a laptop with a fitting address opens the box here."""
        return self.managed and self.address is not None and self.network is not None and self._room

    @property
    def _room(self) -> bool:
        return self.leases is not None or self.spare() is not None

    def spare(self) -> Address | None:
        """A fixed address for the laptop: usable, not the box's, not one that is leased."""
        if self.network is None or self.address is None:
            return None
        usable = self.network.usable
        preferred = usable.first.plus(9) if usable.size > 12 else usable.first
        after_leases = self.leases.last.plus(1) if self.leases and self.leases.last < usable.last else usable.last
        for candidate in (
            preferred,
            usable.first,
            usable.first.plus(1) if usable.size > 1 else usable.first,
            usable.last,
            after_leases,
        ):
            leased = self.leases is not None and self.leases.holds(candidate)
            if usable.holds(candidate) and candidate != self.address and not leased:
                return candidate
        return None


class Bench:
    """The box from its factory state to the plan's, with the laptop beside it."""

    def __init__(self, plan: SitePlan, key: str, kind: HardwareType) -> None:
        self.plan, self.key, self.kind = plan, key, kind
        self.device: Device = plan.devices[key]
        self.own_net = _bench_network(plan) if kind.factory.addressing is Addressing.DHCP else None
        self.faces = {name: self._factory(name) for name in kind.network_ports()}
        self.final = {name: self._planned(name) for name in kind.network_ports()}
        self.port = ""
        self.laptop: Address | None = None
        self.how = ""

    def _factory(self, name: str) -> Face:
        factory, port = self.kind.factory, self.kind.ports[name]
        if factory.interfaces_disabled or port.factory_role not in (FactoryRole.INSIDE, FactoryRole.MANAGEMENT):
            return Face()
        answers = factory.web is not None or bool(factory.services)
        if factory.addressing is Addressing.FIXED and factory.subnet is not None:
            return Face(factory.address, factory.subnet, factory.leases, answers)
        if self.own_net is not None:
            return Face(self.own_net.usable.first.plus(1), self.own_net, None, answers)
        return Face()

    def _planned(self, name: str) -> Face:
        use = self.device.ports.get(name)
        segment = self.plan.segments.get(use.segment or "") if use else None
        if use is None or use.segment is None or segment is None or use.mode in (PortMode.UNUSED, PortMode.CIRCUIT):
            return Face()
        if not use.enabled or segment.subnet is None:
            return Face()
        address = own_address(self.plan, self.device, use.segment)
        if address is None or not segment.subnet.usable.holds(address):
            return Face()
        managed = any(access.segment == use.segment for access in self.device.access.values())
        serving = any(key == self.key for key, _ in servers(self.plan, use.segment))
        pieces = [p for p in segment.scope.pieces if segment.subnet.usable.holds(p.first)] if serving else []
        leases = next((p for p in pieces if p.size > 1 or p.first != address), None)
        return Face(address, segment.subnet, leases, managed)

    # --- The laptop

    @property
    def on_console(self) -> bool:
        return self.port == "console"

    def first_port(self) -> str | None:
        """The best port to begin at: one where the laptop can stay to the end, else any; console as a last resort."""
        open_now = [name for name in self.kind.laptop_ports() if self.faces[name].open]
        staying = [name for name in open_now if self.final[name].open]
        return next(iter([*staying, *open_now]), None) or ("console" if self.kind.console else None)

    def last_port(self) -> str | None:
        """Where the laptop opens the box once it is as planned: where it is, or another port, or nowhere."""
        if not self.on_console and self.port and self.final[self.port].open:
            return self.port
        usable = [name for name, port in self.kind.ports.items() if name in self.final and port.laptop]
        return next((name for name in usable if self.final[name].open), None)

    def plug(self, port: str) -> None:
        self.port, self.laptop, self.how = port, None, ""

    def address_laptop(self) -> None:
        """Give the laptop the address that fits the face that it is plugged into now."""
        if self.on_console or not self.port:
            return
        face = self.faces[self.port]
        if self.own_net is not None and face.network == self.own_net:
            self.laptop, self.how = self.own_net.usable.first, "serving"
        elif face.leases is not None:
            taken = {face.address}
            first = face.leases.first
            self.laptop = first if first not in taken else first.plus(1)
            self.how = "lease"
        else:
            self.laptop, self.how = self._fixed(face), "fixed"

    def _fixed(self, face: Face) -> Address | None:
        use = self.device.ports.get(self.port)
        segment = self.plan.segments.get(use.segment or "") if use else None
        if segment is not None and face.network == segment.subnet and use is not None and use.segment is not None:
            free = next_host(self.plan, use.segment, Organisation())
            if free is not None and free != face.address:
                return free
        return face.spare()

    # --- The box

    def settle(self, *names: str) -> None:
        """Let the planned state of some ports take effect."""
        for name in names:
            self.faces[name] = self.final[name]

    @property
    def reaches(self) -> bool:
        if self.on_console:
            return True
        face = self.faces.get(self.port)
        if face is None or face.address is None or face.network is None or self.laptop is None:
            return False
        return face.managed and face.network.holds(self.laptop) and self.laptop != face.address

    def now(self) -> Situation:
        if not self.port:
            return Situation()
        if self.on_console:
            return Situation("console", "", "", "", True)
        face = self.faces[self.port]
        return Situation(self.port, str(self.laptop or ""), self.how, str(face.address or ""), self.reaches)


def _bench_network(plan: SitePlan) -> Network | None:
    used = [s.subnet for s in plan.segments.values() if s.subnet] + [
        c.subnet for c in plan.circuits.values() if c.subnet
    ]
    for net in BENCH_NETWORKS:
        if not any(u.family == 4 and (u.holds(net.first) or net.holds(u.first)) for u in used):
            return net
    return None
