"""A laptop and a box on a bench, simulated: what each has, whether the one reaches the other, what is set up so far.

Whatever is done on the bench is done through it, and it refuses what cannot be done yet.

Presumed              a step presumes what no earlier step has made true
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from octaplan.core.plan.boxes import own_address, servers
from octaplan.core.plan.device import Device, DeviceRole, PortMode
from octaplan.core.plan.hardware import Addressing, FactoryRole, HardwareType, Takes
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.room import next_host
from octaplan.core.values.addresses import Address, Network, Span, parse_network

#: Small networks for a laptop that has to serve DHCP to a box; one that the site does not use is taken.
BENCH_NETWORKS = tuple(
    parse_network(text)[0] for text in ("192.168.254.0/29", "172.31.254.0/29", "10.255.254.0/29", "10.193.254.0/29")
)


class Presumed(RuntimeError):
    """A step presumes what no earlier step has made true: a mistake of the run sheet, not of anybody's plan."""


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
    """The box from its factory state to the plan's, with the laptop beside it.

    What has been typed in are facts, such as `port 2` or `scope k3f9`; they are in effect at once, or when the box
    applies them, as its type has it.
    """

    def __init__(self, plan: SitePlan, key: str, kind: HardwareType) -> None:
        self.plan, self.key, self.kind = plan, key, kind
        self.device: Device = plan.devices[key]
        self.own_net = _bench_network(plan) if kind.factory.addressing is Addressing.DHCP else None
        self.factory = {name: self._factory(name) for name in kind.network_ports()}
        self.final = {name: self._planned(name) for name in kind.network_ports()}
        self.port = ""
        self.laptop: Address | None = None
        self.how = ""
        self.powered = False
        self.logged_in = False
        self.typed: set[str] = set()
        self.in_effect: set[str] = set()
        self.saved: set[str] = set()
        self.cabled: set[str] = set()
        self.service = ""

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

    # --- What the type says of it

    @property
    def at_once(self) -> bool:
        """Whether what is typed takes effect at once."""
        return self.kind.takes is Takes.AT_ONCE and not self.kind.restart_needed

    @property
    def home(self) -> str | None:
        """The segment of the one address that a box which does not route is managed at."""
        if self.device.routes_packets:
            return None
        own = [key for key in self.plan.segments if own_address(self.plan, self.device, key) is not None]
        managed = {access.segment for access in self.device.access.values()}
        return next((key for key in own if key in managed), next(iter(own), None))

    @property
    def native(self) -> bool:
        """Whether the address of a box that does not route stays in the VLAN it was born in."""
        segment = self.plan.segments.get(self.home or "")
        return segment is None or segment.vlan is None or self.device.role is DeviceRole.ACCESS_POINT

    def own_services(self) -> set[str]:
        """The services by which the box can be managed out of its carton."""
        return {*([self.kind.factory.web] if self.kind.factory.web else []), *map(str, self.kind.factory.services)}

    # --- The laptop

    @property
    def on_console(self) -> bool:
        return self.port == "console"

    def face(self, name: str) -> Face:
        """What a port shows now."""
        use = self.device.ports.get(name)
        set_up = f"port {name}" in self.in_effect
        if self.device.routes_packets:
            if not set_up:
                return self.factory[name]
            there = use is not None and f"interface {use.segment}" in self.in_effect
            return self.final[name] if there else Face()
        moved = f"interface {self.home}" in self.in_effect
        if not moved:
            return Face() if set_up and not self._born_in(name) else self.factory[name]
        if not set_up:  # still in the VLAN that the box was born in
            return self._moved_native(name) if self.native else Face()
        return self.final[name]

    def _born_in(self, name: str) -> bool:
        """Whether a port that is set up still carries the VLAN that the box was born in."""
        use = self.device.ports.get(name)
        return self.native and use is not None and use.segment == self.home and use.mode is not PortMode.UNUSED

    def _moved_native(self, name: str) -> Face:
        """The planned address, at a port that is as it left the factory."""
        home = self.home or ""
        segment, address = self.plan.segments[home], own_address(self.plan, self.device, home)
        if segment.subnet is None or address is None or not segment.subnet.usable.holds(address):
            return Face()
        managed = any(access.segment == home for access in self.device.access.values())
        return Face(address, segment.subnet, None, managed) if self.factory[name].network is not None else Face()

    def first_port(self) -> str | None:
        """The best port to begin at, else any; the console as a last resort.

        It is one where the laptop can stay to the end; where a port that is set up loses the box that is still in the
        VLAN it was born in, it is any other, so that the last one can be set up first.
        """
        open_now = [name for name in self.kind.laptop_ports() if self.factory[name].open]
        open_now.sort(key=lambda name: name in self.device.ports and self.device.ports[name].mode is PortMode.CIRCUIT)
        staying = [name for name in open_now if self.final[name].open]
        staying.sort(key=self._busy)
        if self._moving:
            last = self.last_port()
            staying = [name for name in open_now if name != last]
            if not staying and last is not None and self.kind.console is not None:
                return "console"
        return next(iter([*staying, *open_now]), None) or ("console" if self.kind.console else None)

    def last_port(self) -> str | None:
        """Where the laptop opens the box once it is as planned: where it is, or another port, or nowhere."""
        usable = [name for name, port in self.kind.ports.items() if name in self.final and port.laptop]
        found = [name for name in usable if self.final[name].open]
        found.sort(key=self._busy)
        if self.port in found and not (self._moving and f"port {self.port}" not in self.typed and len(found) > 1):
            return self.port
        return next((name for name in found if name != self.port), None)

    def _busy(self, name: str) -> tuple[bool, bool]:
        """Whether a port carries more than one segment, and whether something else is to be plugged into it."""
        use = self.device.ports[name]
        return use.mode is not PortMode.ACCESS, use.led

    @property
    def _moving(self) -> bool:
        """Whether the box's address will leave the VLAN it was born in while ports are set up one by one."""
        return self.at_once and not self.device.routes_packets and not self.native

    def plug(self, port: str) -> None:
        """Put the laptop into a port, `console`, or nothing; a session over the network ends with it."""
        self.logged_in = self.logged_in and port == "console" == self.port
        self.port, self.laptop, self.how = port, None, ""
        self.powered = self.powered or bool(port)

    def address_laptop(self) -> None:
        """Give the laptop the address that fits the face that it is plugged into now."""
        if self.on_console or not self.port:
            return
        face = self.face(self.port)
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

    @property
    def reaches(self) -> bool:
        if self.on_console:
            return True
        face = self.face(self.port) if self.port else Face()
        if face.address is None or face.network is None or self.laptop is None:
            return False
        return face.managed and face.network.holds(self.laptop) and self.laptop != face.address

    def now(self) -> Situation:
        if not self.port:
            return Situation()
        if self.on_console:
            return Situation("console", "", "", "", True)
        face = self.face(self.port)
        return Situation(self.port, str(self.laptop or ""), self.how, str(face.address or ""), self.reaches)

    # --- What is done

    def log_in(self, service: str = "") -> None:
        """Open the box and log in, by a service that it has. Raises `Presumed`."""
        self._must(self.powered and self.reaches, "log in")
        self._must(self.on_console or not service or service in self.offered(), f"log in by {service}")
        self.logged_in, self.service = True, "" if self.on_console else service

    def offered(self) -> set[str]:
        """The services by which the box answers now."""
        planned = {str(access.service) for access in self.device.access.values()} & {
            fact.removeprefix("service ") for fact in self.in_effect if fact.startswith("service ")
        }
        return planned if "cleared" in self.in_effect else planned | self.own_services()

    def type_in(self, *facts: str, needs: tuple[str, ...] = ()) -> None:
        """Type something into the box; what it builds on is typed already. Raises `Presumed`."""
        self._must(self.powered and self.logged_in and self.reaches, f"type in {', '.join(facts)}")
        for need in needs:
            self._must(need in self.typed, f"{', '.join(facts)} before {need}")
        self.typed |= set(facts)
        if self.at_once:
            self.take_effect()

    def take_effect(self) -> None:
        """What is typed takes effect; who is no longer reached is no longer logged in."""
        self.in_effect |= self.typed
        self.logged_in = self.logged_in and self.reaches

    def clear(self) -> None:
        """Take away what is not planned: services, access, what the box came with. Raises `Presumed`."""
        planned = {str(access.service) for access in self.device.access.values()}
        stays = self.on_console or not self.at_once or not self.service or self.service in planned
        self._must(stays, f"switch off {self.service}, by which the laptop has the box open")
        self.type_in("cleared", needs=("access",) if planned else ())

    def save(self) -> None:
        self._must(self.logged_in and self.reaches, "save")
        self.saved = set(self.typed)

    def restart(self) -> None:
        """Switch it off and on: what is not saved is gone, where the box has to be told. Raises `Presumed`."""
        self._must(self.powered, "restart")
        self._must(self.kind.kept == "always" or self.saved >= self.typed, "a restart before all of it is saved")
        self.logged_in = False

    def update(self, *, from_laptop: bool) -> None:
        """New firmware, after which the box is away for a while; a file on the laptop goes over the network."""
        self._must(self.kind.kept == "always" or self.saved >= self.typed, "new firmware before all of it is saved")
        by_network = self.reaches and not self.on_console
        self._must(self.logged_in and (by_network or not from_laptop), "send it firmware")
        self.logged_in = False

    def cable_in(self, circuit: str) -> None:
        """The internet cable goes in. Raises `Presumed`."""
        for fact in ("rules", "access", f"line {circuit}"):
            self._must(fact in self.in_effect, f"the internet cable before {fact}")
        self.cabled.add(circuit)

    def measure(self, *facts: str, line: bool = False) -> None:
        """Something that is in effect is proven. Raises `Presumed`."""
        for fact in facts:
            self._must(fact in self.in_effect, f"a proof of {fact}")
        self._must(not line or bool(self.cabled), "a proof of the line")

    def _must(self, holds: bool, what: str) -> None:
        if not holds:
            raise Presumed(f"{what} is not possible yet at {self.device.name or self.key}")


def _bench_network(plan: SitePlan) -> Network | None:
    used = [s.subnet for s in plan.segments.values() if s.subnet] + [
        c.subnet for c in plan.circuits.values() if c.subnet
    ]
    for net in BENCH_NETWORKS:
        if not any(u.family == 4 and (u.holds(net.first) or net.holds(u.first)) for u in used):
            return net
    return None
