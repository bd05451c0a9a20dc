"""From a plan to a design: which spaces there are, how they hang together, and what each is told.

A *space* is a network of its own on this machine, a network namespace of Linux: one for each table of a box that
routes, for each other box, for each provider, for the internet, for other sites, and for what is plugged in on each
part of a segment. Nothing here touches the machine. It reads the plan alone and shares with the walk only how far
cables carry a segment, which no kernel can tell.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.flow.layer2 import Wires
from octaplan.core.flow.network import INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import NO_PART
from octaplan.core.plan.boxes import gateways, named, own_address
from octaplan.core.plan.device import Device, DeviceRole, PortMode
from octaplan.core.plan.site import Circuit, Handoff, SitePlan
from octaplan.core.values.addresses import NOT_PUBLIC_IPV4, Address, Network, is_link_local, is_public
from octaplan.lab.rehearsal import filtering
from octaplan.lab.rehearsal.filtering import BoxSide, Names

#: Addresses that a provider gives, and those of a modem that translates once more (RFC 2544), a /24 for each circuit.
_GIVEN, _MODEMS = (198 << 24) + (18 << 16), (198 << 24) + (19 << 16)
#: Links between providers and the internet (RFC 6598), and to other sites, a /30 each.
_LINKS, _OUTPOST = (100 << 24) + (64 << 16), (100 << 24) + (65 << 16)
#: Metrics: what is connected comes first, what a line brings along last.
_PLANNED, _BROUGHT = 1_000, 1 << 20


class SpaceKind(StrEnum):
    """What a space stands for."""

    BOX = "box"
    PROVIDER = "provider"
    INTERNET = "internet"
    OTHERS = "others"
    PLACE = "place"
    CLIENT = "client"
    WIRES = "wires"


class WayOut(NamedTuple):
    """One line of a table; without `via` it is connected, without `face` nothing may go there."""

    to: Network
    via: Address | None
    face: str
    metric: int
    source: Address | None = None


@dataclass
class Space:
    """A network of its own: its interfaces with their addresses, its routes, and its rules as nftables reads them."""

    key: str
    kind: SpaceKind
    title: str
    faces: dict[str, list[tuple[Address, Network]]] = field(default_factory=dict)
    routes: list[WayOut] = field(default_factory=list)
    rules: str = ""
    forwards: bool = False

    def add(self, face: str, address: Address, network: Network) -> None:
        held = self.faces.setdefault(face, [])
        if (address, network) not in held:
            held.append((address, network))


class BoxFace(NamedTuple):
    """An address of a box: its side, table, and the name of the interface."""

    side: str
    table: str
    address: Address
    network: Network
    face: str


class Design:
    """The network of one plan. `elsewhere` is the network that stands for other sites, by family."""

    def __init__(self, plan: SitePlan, elsewhere: dict[int, Network]) -> None:
        self.plan = plan
        self.elsewhere = elsewhere
        self.wires = Wires(plan)
        self.spaces: dict[str, Space] = {}
        #: Cables between two spaces: space and interface at each end. Those of segments end in `wires`, on a bridge.
        self.cables: list[tuple[str, str, str, str]] = []
        self.bridges: dict[str, list[str]] = {}
        #: What could not be brought up, in words.
        self.unbuilt: list[str] = []
        #: What was brought up otherwise than it is planned, in words.
        self.plainly: list[str] = []
        self.spaces["wires"] = Space("wires", SpaceKind.WIRES, "The cables inside")
        self._lines = {key: place for place, key in enumerate(plan.circuits)}
        self._segments = {key: place for place, key in enumerate(plan.segments)}
        self._homes = gateways(plan)
        self._tables = {key: segment.vrf.casefold() for key, segment in plan.segments.items()}
        self.own: dict[str, list[BoxFace]] = {}
        boxes = {key: device for key, device in plan.devices.items() if device.staged}
        edges = [key for key, device in boxes.items() if device.role is DeviceRole.EDGE]
        self.outpost = edges[0] if edges and elsewhere else ""
        #: Addresses that two boxes have.
        self.shared: set[Address] = set()
        #: The box at which each circuit ends.
        self.ends: dict[str, str] = {}
        for key, device in boxes.items():
            self.own[key] = [*self._faces(key, device)]
        self._find_shared()
        self._internet()
        for key, device in boxes.items():
            self._box(key, device)
        if self.outpost:
            self._others()

    # --- Where somebody is

    def place(self, segment: str, part: int | None) -> Space:
        """What is plugged in on a part of a segment; made when it is asked for."""
        key = f"at:{segment}:{'' if part is None else part}"
        if key not in self.spaces:
            where = self.plan.segments[segment]
            space = self.spaces[key] = Space(key, SpaceKind.PLACE, f"On {where.label}")
            self._plug(space, "e", self._bridge(segment, part))
            space.rules = filtering.on_segment("e")
            for gateway, net in ((where.gateway, where.subnet), (where.gateway6, where.subnet6)):
                if net is not None:
                    space.routes.append(WayOut(net, None, "e", 0))
                if net is not None and gateway is not None and net.holds(gateway):
                    space.routes.append(WayOut(_everything(net.family), gateway, "e", _PLANNED))
        return self.spaces[key]

    def box(self, key: str, table: str = "") -> Space | None:
        """The space of a box, or of one of its tables."""
        return self.spaces.get(f"box:{key}:{table}") or next(
            (space for name, space in self.spaces.items() if name.startswith(f"box:{key}:")), None
        )

    def given(self, circuit: str) -> Address:
        """The address that a line gives in the rehearsal."""
        return Address(4, _GIVEN + (self._lines[circuit] << 8) + 2)

    def seen_as(self, circuit: str, address: Address) -> Address:
        """How the internet asks for an address of a circuit: by that of the modem before it, where it is private."""
        if address.family == 4 and not is_public(address) and address == self.plan.circuits[circuit].address:
            return Address(4, _MODEMS + (self._lines[circuit] << 8) + 2)
        return address

    def client(self, segment: str, part: int | None) -> Space:
        """Somebody who has no address yet, on a part of a segment."""
        key = f"client:{segment}"
        if key not in self.spaces:
            space = self.spaces[key] = Space(key, SpaceKind.CLIENT, f"A client on {self.plan.segments[segment].label}")
            self._plug(space, "e", self._bridge(segment, part))
        return self.spaces[key]

    # --- Boxes

    def _faces(self, key: str, device: Device) -> Iterator[BoxFace]:
        if not device.routes_packets:
            host = self.plan.hosts.get(device.host or "")
            for name in dict.fromkeys([*device.addresses, *([host.segment] if host else [])]):
                where = self.plan.segments.get(name)
                point = device.addresses.get(name) or (host.address if host else None)
                if where is not None and where.subnet is not None and point is not None:
                    yield BoxFace(f"/segments/{name}", "main", point, where.subnet, self._face(name))
            return
        for name in dict.fromkeys(s for use in device.ports.values() if use.enabled for s in use.segments):
            where = self.plan.segments.get(name)
            if where is None:
                continue
            host = self.plan.hosts.get(device.host or "")
            by_host = host.address6 if host is not None and host.segment == name else None
            at_home = where.gateway6 if key in self._homes[name] else None
            six = device.addresses6.get(name) or by_host or at_home
            for point, net in ((own_address(self.plan, device, name), where.subnet), (six, where.subnet6)):
                if point is not None and net is not None and net.holds(point):
                    yield BoxFace(f"/segments/{name}", self._tables[name], point, net, self._face(name))
        yield from self._outside(key, device)

    def _outside(self, key: str, device: Device) -> Iterator[BoxFace]:
        for use in device.ports.values():
            name = use.circuit or ""
            circuit = self.plan.circuits.get(name)
            if use.mode is not PortMode.CIRCUIT or circuit is None or not use.enabled or name in self.ends:
                continue
            side, table, face = f"/circuits/{name}", circuit.vrf.casefold(), f"c{self._lines[name]}"
            if circuit.address is not None and circuit.subnet is not None:
                self.ends[name] = key
                yield BoxFace(side, table, circuit.address, circuit.subnet, face)
            elif circuit.handoff in (Handoff.PPPOE, Handoff.DHCP):
                self.ends[name] = key
                point = self.given(name)
                yield BoxFace(side, table, point, Network.holding(point, 24), face)
            else:
                self.unbuilt.append(f"{circuit.label}: its address or mask is still open, so the line stays down")
            if name in self.ends and circuit.address6 is not None and circuit.subnet6 is not None:
                yield BoxFace(side, table, circuit.address6, circuit.subnet6, face)
            if name in self.ends and circuit.handoff is Handoff.PPPOE:
                self.plainly.append(
                    f"{circuit.label}: dialled in by nobody, its address is set as if PPPoE had given it"
                )

    def _face(self, segment: str) -> str:
        return f"s{self._segments[segment]}"

    def _find_shared(self) -> None:
        """Addresses that two boxes have on one segment: who answers is chance, so nobody is asked."""
        held: dict[tuple[str, Address], list[str]] = {}
        for key, faces in self.own.items():
            for face in faces:
                held.setdefault((face.side, face.address), []).append(key)
        for (_, address), keys in held.items():
            if len(keys) > 1:
                names = " and ".join(named(self.plan.devices[key]) for key in keys)
                self.unbuilt.append(f"{address}: {names} have it, who answers is chance, so nobody is asked for it")
                self.shared.add(address)

    def _box(self, key: str, device: Device) -> None:
        faces = self.own[key]
        for table in dict.fromkeys(face.table for face in faces):
            here = [face for face in faces if face.table == table]
            title = named(device) + ("" if table == "main" else f", table {table}")
            space = Space(f"box:{key}:{table}", SpaceKind.BOX, title, forwards=device.routes_packets)
            self.spaces[space.key] = space
            for face in here:
                if face.face not in space.faces:
                    self._attach(space, key, face)
                space.add(face.face, face.address, face.network)
            for address in filtering.further_addresses(self.plan, device):
                for face in here:  # it answers for them on the line, and for nothing else
                    if face.side.startswith("/circuits/") and face.network.holds(address):
                        space.add(face.face, address, face.network)
            sides = [BoxSide(face.face, face.side, face.address, face.network) for face in here]
            space.rules = filtering.of_box(
                self.plan, key, device, sides, (self.names(table), self.names()), self._circuit_point
            )
            space.routes = self.routes(key, table)

    def _attach(self, space: Space, key: str, face: BoxFace) -> None:
        if face.side.startswith("/segments/"):
            segment = face.side.removeprefix("/segments/")
            self._plug(space, face.face, self._bridge(segment, self.wires.part(key, segment)))
        else:
            self.cables.append((space.key, face.face, f"line:{face.side.removeprefix('/circuits/')}", "box"))

    def names(self, table: str = "") -> Names:
        """What rules call addresses: where several segments hold one, that of the table, or the first of the plan."""
        order = sorted(self.plan.segments.items(), key=lambda pair: bool(table) and self._tables[pair[0]] != table)
        nets = {key: [n for n in (one.subnet, one.subnet6) if n is not None] for key, one in order}
        hosts = {key: [a for a in (h.address, h.address6) if a is not None] for key, h in self.plan.hosts.items()}
        return Names(nets, hosts, self.elsewhere)

    def _circuit_point(self, circuit: str) -> Address | None:
        line = self.plan.circuits.get(circuit)
        return None if line is None else line.address or self.given(circuit)

    # --- Routes

    def routes(self, key: str, table: str, down: Iterable[str] = ()) -> list[WayOut]:
        """The table of a box with some circuits down."""
        device, gone = self.plan.devices[key], {f"/circuits/{one}" for one in down}
        here = [face for face in self.own[key] if face.table == table]
        up = [face for face in here if face.side not in gone]
        found = [WayOut(face.network, None, face.face, 0, face.address) for face in up]
        if not device.routes_packets:
            gateway = device.gateway
            face = next((f for f in here if gateway is not None and f.network.holds(gateway)), None)
            return [*found, *([WayOut(_everything(4), gateway, face.face, _PLANNED)] if face and gateway else [])]
        if key == self.outpost and table == "main":
            for family, net in self.elsewhere.items():
                found.append(WayOut(net, _of_link(family, _OUTPOST, 2), "x", 0))
        planned = [*self._planned(key, device, up, table)]
        planned += self._brought(device, up)
        for way in planned:
            equal = [o for o in planned if (o.to, o.metric) == (way.to, way.metric) and o[1:3] != way[1:3]]
            found.append(WayOut(way.to, None, "", way.metric) if equal else way)
        return list(dict.fromkeys(found))

    def _planned(self, key: str, device: Device, up: list[BoxFace], table: str) -> Iterator[WayOut]:
        own = {face.address for face in self.own[key]}
        for route in device.routes.values():
            wanted = (route.table or "").casefold()
            if route.via is None:
                yield from self._by_circuit(route.circuit or "", route.to, up, _PLANNED + route.metric)
                continue
            everywhere = (f for f in self.own[key] if f.network.holds(route.via) and route.via not in own)
            face = next((f for f in everywhere if not wanted or wanted == f.table), None)
            if face in up and face is not None:
                yield WayOut(route.to, route.via, face.face, _PLANNED + route.metric)
            elif face is None and table == (wanted or "main"):
                words = f"{named(device)}: {route.via} is in no subnet that it is connected to"
                if f"{words}, so its route to {route.to} is left out" not in self.unbuilt:
                    self.unbuilt.append(f"{words}, so its route to {route.to} is left out")

    def _by_circuit(self, circuit: str, to: Network, up: list[BoxFace], metric: int) -> Iterator[WayOut]:
        face = next((f for f in up if f.side == f"/circuits/{circuit}" and f.network.family == to.family), None)
        via = self.gateway(circuit, to.family)
        if face is not None and via is not None and (face.network.holds(via) or is_link_local(via)):
            yield WayOut(to, via, face.face, metric)

    def _brought(self, device: Device, up: list[BoxFace]) -> Iterator[WayOut]:
        """The default routes that lines bring along (RFC 2131, RFC 1332), behind all that is planned."""
        planned = {route.circuit for route in device.routes.values() if route.default and route.to.family == 4}
        for face in up:
            key = face.side.removeprefix("/circuits/")
            line = self.plan.circuits.get(key) if face.side.startswith("/circuits/") else None
            if line is not None and line.handoff in (Handoff.PPPOE, Handoff.DHCP) and key not in planned:
                metric = _BROUGHT + (1_000 if line.priority is None else line.priority)
                yield from self._by_circuit(key, _everything(4), [face], metric)

    def gateway(self, circuit: str, family: int) -> Address | None:
        """The provider's gateway on a line."""
        line = self.plan.circuits.get(circuit)
        if line is None:
            return None
        if line.handoff in (Handoff.PPPOE, Handoff.DHCP) and family == 4 and line.gateway is None:
            if line.address is not None and line.subnet is not None:
                usable = line.subnet.usable
                return usable.first if usable.first != line.address else usable.last
            return Address(4, self.given(circuit).value - 1)
        return next((g for g in (line.gateway, line.gateway6) if g is not None and g.family == family), None)

    def table(self, space: str, down: Iterable[str] = ()) -> list[WayOut]:
        """The routes of a space with some circuits down."""
        where = self.spaces[space]
        gone = set(down)
        if where.kind is SpaceKind.BOX:
            _, key, table = space.split(":", 2)
            links = [way for way in where.routes if way.face == "x" and way.to not in self.elsewhere.values()]
            return [*links, *self.routes(key, table, gone)]
        if where.kind is SpaceKind.INTERNET:
            return self.homeward(gone)
        if where.kind is SpaceKind.PROVIDER and space.removeprefix("line:") in gone:
            return [way for way in where.routes if way.face != "box"]
        return where.routes

    # --- Outside

    def _internet(self) -> None:
        internet = self.spaces[INTERNET] = Space(INTERNET, SpaceKind.INTERNET, "The internet")
        internet.forwards = True
        for key in self.ends:
            self._provider(key, self.plan.circuits[key], internet)
        inside = [n for s in self.plan.segments.values() for n in (s.subnet, s.subnet6) if n is not None]
        brought = [net for key in self.ends for net in self.networks_of(key)]
        points = [face.address for faces in self.own.values() for face in faces]
        points += [
            one for device in self.plan.devices.values() for one in filtering.further_addresses(self.plan, device)
        ]
        points += [self.seen_as(key, point) for key in self.ends if (point := self._circuit_point(key)) is not None]
        own = [Network.holding(point, 32 if point.family == 4 else 128) for point in points]
        own += [net for key in self.ends for net in self.plan.circuits[key].routed_blocks]
        internet.rules = filtering.far_away("l*", brought, inside, own)
        internet.routes = self.homeward()

    def homeward(self, down: Iterable[str] = ()) -> list[WayOut]:
        """How the internet reaches the site: each network by the first circuit that brings it and is up."""
        found: dict[Network, WayOut] = {}
        for key, place in self._lines.items():
            if key not in self.ends or key in down:
                continue
            for net in self.networks_of(key):
                link = _of_link(net.family, _LINKS + 4 * place, 1)
                found.setdefault(net, WayOut(net, link, f"l{place}", 0))
        links = [way for place in self._lines.values() for way in _link_ways(_LINKS + 4 * place, f"l{place}")]
        plugged = {f"l{self._lines[key]}" for key in self.ends}
        return [*(way for way in links if way.face in plugged), *found.values()]

    def networks_of(self, key: str) -> list[Network]:
        """The networks that the internet reaches by a circuit."""
        line = self.plan.circuits[key]
        own = [face.network for face in self.own[self.ends[key]] if face.side == f"/circuits/{key}"]
        point = self._circuit_point(key)
        nets = [net for net in own if net.family == 6 or point is None or self.seen_as(key, point) == point]
        nets += list(line.routed_blocks)
        if self.plan.delegated_prefix is not None and any(net.family == 6 for net in own):
            nets.append(self.plan.delegated_prefix)
        if point is not None and self.seen_as(key, point) != point:
            nets.append(Network.holding(self.seen_as(key, point), 32))
        return nets

    def brings(self, circuit: str, point: Address) -> bool:
        """Whether the internet sends an address along a circuit."""
        return any(net.holds(point) for net in self.networks_of(circuit))

    def _provider(self, key: str, line: Circuit, internet: Space) -> None:
        place = self._lines[key]
        space = self.spaces[f"line:{key}"] = Space(
            f"line:{key}", SpaceKind.PROVIDER, f"The provider of {line.label}", forwards=True
        )
        point = self._circuit_point(key)
        faces = [face for face in self.own[self.ends[key]] if face.side == f"/circuits/{key}"]
        for face in faces:
            gateway = self.gateway(key, face.network.family)
            space.routes.append(WayOut(face.network, None, "box", 0))
            space.faces.setdefault("box", [])
            if gateway is not None and is_link_local(gateway):
                space.add("box", gateway, Network.holding(gateway, 64))
            elif gateway is not None and face.network.holds(gateway) and gateway != face.address:
                space.add("box", gateway, face.network)
            for net in (*line.routed_blocks, self.plan.delegated_prefix):
                if net is not None and net.family == face.network.family:
                    space.routes.append(WayOut(net, face.address, "box", _PLANNED))
        self.cables.append((space.key, "net", INTERNET, f"l{place}"))
        for family in (4, 6):
            net = _link_net(family, _LINKS + 4 * place)
            space.add("net", _of_link(family, _LINKS + 4 * place, 1), net)
            internet.add(f"l{place}", _of_link(family, _LINKS + 4 * place, 2), net)
            space.routes.append(WayOut(net, None, "net", 0))
            space.routes.append(WayOut(_everything(family), _of_link(family, _LINKS + 4 * place, 2), "net", _PLANNED))
        allowed = [net for one in self.ends for net in self.networks_of(one)] + [face.network for face in faces]
        modem = self.seen_as(key, point) if point is not None else None
        space.rules = filtering.of_provider(
            allowed, NOT_PUBLIC_IPV4, point, modem if modem != point else None, [face.network for face in faces]
        )

    def _others(self) -> None:
        space = self.spaces[OTHER_SITES] = Space(OTHER_SITES, SpaceKind.OTHERS, "Other sites")
        space.rules = filtering.far_away("x")
        edge = self.spaces.get(f"box:{self.outpost}:main")
        if edge is None:
            return
        self.cables.append((edge.key, "x", space.key, "x"))
        for family in self.elsewhere:
            net = _link_net(family, _OUTPOST)
            edge.add("x", _of_link(family, _OUTPOST, 1), net)
            edge.routes.insert(0, WayOut(net, None, "x", 0))
            space.add("x", _of_link(family, _OUTPOST, 2), net)
            space.routes.append(WayOut(net, None, "x", 0))
            space.routes.append(WayOut(_everything(family), _of_link(family, _OUTPOST, 1), "x", _PLANNED))

    # --- Cables inside

    def _bridge(self, segment: str, part: int | None) -> str:
        """The bridge of a part of a segment. Where nobody knows the part it is that of the gateway, or any."""
        if part == NO_PART:
            return f"n{self._segments[segment]}"
        if part is None:
            spots = [self.wires.part(box, segment) for box in self._homes.get(segment, ())]
            known = [one for one in (*spots, *self.wires.parts(segment)) if one is not None]
            if not known:
                return f"v{self._segments[segment]}"
            part = known[0]
        return f"b{part}"

    def _plug(self, space: Space, face: str, bridge: str) -> None:
        ends = self.bridges.setdefault(bridge, [])
        end = f"{bridge}p{len(ends)}"
        ends.append(end)
        space.faces.setdefault(face, [])
        self.cables.append((space.key, face, "wires", end))


def outside_point(design: Design, circuit: str, point: Address) -> Address:
    """The address that the internet asks for when it wants one of a circuit; of family 0 where it is given."""
    return design.seen_as(circuit, design.given(circuit) if point.family == 0 else point)


def _everything(family: int) -> Network:
    return Network(family, 0, 0)


def _link_net(family: int, base: int) -> Network:
    return Network(4, base, 30) if family == 4 else Network(6, (0xFD64 << 112) + (base << 64), 64)


def _of_link(family: int, base: int, end: int) -> Address:
    return Address(family, _link_net(family, base).value + end)


def _link_ways(base: int, face: str) -> Iterator[WayOut]:
    for family in (4, 6):
        yield WayOut(_link_net(family, base), None, face, 0)
