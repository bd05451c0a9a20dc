"""The walk: one packet with one source and one target, by all services at once, there and back.

What a box does with a packet, and in which order, is written down in docs/traffic.md; the sources are RFC 1812
(forwarding), RFC 2663 and 3022 (translation) and RFC 4632 (longest prefix).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from octaplan.core.flow.network import (
    INTERNET,
    LEASES,
    LOOKUP,
    MANAGEMENT,
    OTHER_SITES,
    PING,
    Net,
    Node,
    Shown,
    Way,
    needed,
    routable,
)
from octaplan.core.flow.pieces import (
    NO_PART,
    Chain,
    Decision,
    Does,
    Lacking,
    Located,
    Origin,
    Piece,
    Reason,
    WalkedPacket,
)
from octaplan.core.plan.boxes import servers
from octaplan.core.plan.site import Circuit
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.lazy import lazy

#: So many boxes a packet passes at most.
MOST_BOXES = 32


def _of_provider(line: Circuit) -> set[Address | None]:
    """What of a hand-off never gets to the site: the provider's own addresses, network and broadcast (RFC 922)."""
    own: set[Address | None] = {line.gateway, line.gateway6}
    if line.subnet is not None and line.subnet.family == 4 and line.subnet.prefix < 31:
        own |= {line.subnet.first, line.subnet.first.plus(line.subnet.size - 1)}
    return own


class Walker:
    """Walks one network, with some circuits down; `traced` when the steps of each packet are wanted."""

    def __init__(self, net: Net, down: frozenset[str] = frozenset(), *, traced: bool = False) -> None:
        self.net = net
        self.down = down
        self.traced = traced
        self._ways: dict[tuple[str, str, Address], Way | Lacking] = {}
        self._masks: dict[tuple[str, tuple[str, ...], tuple[str, ...]], list[tuple[int, str]]] = {}
        self._places: dict[tuple[Address, str, bool], tuple[str, ...]] = {}
        self._sums: dict[tuple[str, tuple[str, ...], tuple[str, ...]], int] = {}
        self._entries: dict[tuple[Origin, Address], tuple[_Entry | None]] = {}

    # --- Where it begins

    def from_segment(
        self, origin: Origin, source: Address, target: Address, mask: int, spot: Located | None = None
    ) -> list[Piece]:
        """From a client or fixed host of a segment; `spot` is where the target is, if it is known."""
        key = origin.side.removeprefix("/segments/")
        segment = self.net.plan.segments[key]
        entry = None if self.traced else self._entry(origin, source)
        if entry is not None and not any(net.holds(target) for net in entry.near):
            return self._through(entry, origin, source, target, mask, spot)
        packet = WalkedPacket(origin, source, target, spot, mask, traced=self.traced)
        if any(net is not None and net.holds(target) for net in (segment.subnet, segment.subnet6)):
            return [*self._to_neighbour(packet.step(origin.side, Does.SENDS_DIRECT, origin.side), origin.side)]
        gateway = self._gateway(key, source[0])
        if gateway is None:
            field = "gateway6" if source[0] == 6 and segment.subnet6 is not None else "gateway"
            if not self._routers(key):
                return [_end(packet, Reason.NO_INTERFACE, origin.side, origin.side)]
            return [_end(packet, Reason.NO_GATEWAY, origin.side, f"{origin.side}/{field}")]
        packet = packet.step(origin.side, Does.SENDS, f"{origin.side}/gateway", gateway)
        found = self._neighbour(packet, origin.side, gateway, origin.part)
        if isinstance(found, Piece):
            return [found]
        return [*self._at(found, origin.side, packet)]

    def _entry(self, origin: Origin, source: Address) -> _Entry | None:
        """The filter that packets of a source come to first, when nothing stops them before; nothing otherwise."""
        known = self._entries.get((origin, source))
        if known is None:
            known = self._entries[origin, source] = (self._entered(origin, source),)
        return known[0]

    def _entered(self, origin: Origin, source: Address) -> _Entry | None:
        key = origin.side.removeprefix("/segments/")
        segment, gateway = self.net.plan.segments[key], self._gateway(key, source.family)
        packet = WalkedPacket(origin, source, source, None, self.net.atoms.all)
        found = self._neighbour(packet, origin.side, gateway, origin.part) if gateway is not None else None
        if not isinstance(found, Node) or not found.filters:
            return None
        table = found.table_of.get(origin.side, "main")
        if self._spoofed(found, origin.side, table, packet) is not None:
            return None
        near = tuple(net for net in (segment.subnet, segment.subnet6) if net is not None)
        return _Entry(found, table, near, ((found.key, origin.side),))

    def _through(
        self, entry: _Entry, origin: Origin, source: Address, target: Address, mask: int, spot: Located | None
    ) -> list[Piece]:
        """Through the first filter: most of what is asked ends there, and is answered without following it."""
        node, table = entry.node, entry.table
        if (table, target) not in node.own:
            way = self.way(node, table, target)
            places = self.places(source, origin.side, table), self.places(target, "", table)
            if not isinstance(way, Lacking) and not self._allowed(node, *places) & mask:
                path = f"/devices/{node.key}/allows"
                return [Piece(mask, Reason.NOT_ALLOWED, node.key, path, None, None, 0, (), (), entry.trail)]
            packet = WalkedPacket(origin, source, target, spot, mask, 0, entry.trail)
            return [*self._route(node, origin.side, packet, table)]
        packet = WalkedPacket(origin, source, target, spot, mask, 0, entry.trail)
        return [*self._own(node, origin.side, packet)]

    def _allowed(self, node: Node, sources: tuple[str, ...], targets: tuple[str, ...]) -> int:
        """All services that some allow rule of a box lets through between two places."""
        key = (node.key, sources, targets)
        known = self._sums.get(key)
        if known is None:
            known = 0
            for mask, _ in self._rules_between(node, sources, targets):
                known |= mask
            self._sums[key] = known
        return known

    def from_internet(
        self, circuit: str, source: Address, target: Address, mask: int, spot: Located | None = None
    ) -> list[Piece]:
        """From an address of the internet, by a circuit."""
        side = f"/circuits/{circuit}"
        packet = WalkedPacket(Origin(side, asked=target), source, target, spot, mask, traced=self.traced)
        line = self.net.plan.circuits[circuit]
        open_field = needed(line, target[0] if target[0] else 4)
        if circuit in self.down or circuit not in self.net.lines or not self._routed(circuit, target):
            return [_end(packet, Reason.NO_ROUTE, INTERNET, side)]
        if open_field:
            return [_end(packet, Reason.NOT_KNOWN, side, f"{side}/{open_field}")]
        packet = packet.step(INTERNET, Does.ARRIVES, side, target)
        found = self._at(self.net.nodes[self.net.lines[circuit]], side, packet)
        return [one._replace(mask=self.net.moved(one.mask, -one.shift)) if one.shift else one for one in found]

    def from_elsewhere(self, source: Address, target: Address, mask: int, spot: Located | None = None) -> list[Piece]:
        """From another site."""
        packet = WalkedPacket(Origin(OTHER_SITES), source, target, spot, mask, traced=self.traced)
        packet = packet.step(OTHER_SITES, Does.ARRIVES, "/reach_groups", target)
        return [*self._at(self.net.nodes[self.net.outpost], OTHER_SITES, packet)]

    def from_box(self, box: str, side: str, source: Address, target: Address, mask: int) -> list[Piece]:
        """From a box itself, by an address that it has on a side: its own filter does not look at it."""
        part = self.net.wires.part(box, side.removeprefix("/segments/"))
        packet = WalkedPacket(Origin(side, part), source, target, None, mask, traced=self.traced)
        node = self.net.nodes[box]
        return [*self._route(node, side, packet.within(box, side), node.table_of.get(side, "main"), own=True)]

    def _routers(self, segment: str) -> list[Node]:
        side = f"/segments/{segment}"
        return [node for node in self.net.nodes.values() if node.device.routes_packets and side in node.table_of]

    def _gateway(self, segment: str, family: int) -> Address | None:
        where = self.net.plan.segments[segment]
        for gateway in (where.gateway, where.gateway6):
            if gateway is not None and gateway.family == family:
                return gateway
        return None

    # --- From box to box

    def _neighbour(
        self, packet: WalkedPacket, side: str, via: Address, part: int | None, asking: str = ""
    ) -> Node | Piece:
        """The box that has an address on a segment and routes, if frames get there; `asking` is the box that wants to
        know, if it is one."""
        segment = side.removeprefix("/segments/")
        found = [key for key, where, _ in self.net.holders.get(via, ()) if where == side]
        if len(found) > 1:
            return _end(packet, Reason.NOT_KNOWN, found[0], f"/devices/{found[0]}", via)
        nodes = [self.net.nodes[key] for key in found if self.net.nodes[key].device.routes_packets]
        if not nodes:
            if not asking and not self._routers(segment):
                return _end(packet, Reason.NO_INTERFACE, side, side)
            reason = Reason.NEXT_HOP_DEAD if asking else Reason.NO_GATEWAY
            return _end(packet, reason, asking or side, f"{side}/gateway", via)
        there = self.net.wires.part(nodes[0].key, segment)
        if part is not None and there is not None and part != there:
            return _end(packet, Reason.PARTED, side, side)
        return nodes[0]

    def _to_neighbour(self, packet: WalkedPacket, side: str) -> Iterator[Piece]:
        """To whoever has the target's address on a segment, straight."""
        segment = side.removeprefix("/segments/")
        here = self.net.wires.part(packet.trail[-1][0], segment) if packet.trail else packet.origin.part
        boxes = [key for key, where, _ in self.net.holders.get(packet.target, ()) if where == side]
        if len(boxes) > 1 or (boxes and self.net.hosts.get(packet.target)):
            yield _end(packet, Reason.NOT_KNOWN, boxes[0], f"/devices/{boxes[0]}", packet.target)
        elif boxes:
            there = self.net.wires.part(boxes[0], segment)
            if here is not None and there is not None and here != there:
                yield _end(packet, Reason.PARTED, side, side)
            else:
                node = self.net.nodes[boxes[0]]
                stopped = self._spoofed(node, side, node.table_of.get(side, "main"), packet) if node.filters else None
                if stopped is not None:
                    yield stopped
                else:
                    yield from self._own(node, side, packet)
        else:
            part = (
                packet.spot.part
                if packet.spot is not None and packet.spot.side == side
                else self._part_of(packet, side)
            )
            if here is not None and part is not None and here != part:
                yield _end(packet, Reason.PARTED, side, side)
            else:
                yield from self._answered(packet, side, part)

    def _at(self, node: Node, side: str, packet: WalkedPacket) -> Iterator[Piece]:
        """A packet comes into a box by a side."""
        if len(packet.trail) >= MOST_BOXES or (node.key, side) in packet.trail:
            yield _end(packet, Reason.LOOP, node.key, f"/devices/{node.key}")
            return
        packet = packet.within(node.key, side)
        table = node.table_of.get(side, "main")
        outside = side.startswith("/circuits/")
        if node.filters:
            stopped = self._spoofed(node, side, table, packet)
            if stopped is not None:
                yield stopped
                return
        if outside:
            yield from self._published(node, side, table, packet)
        elif (table, packet.target) in node.own:
            yield from self._own(node, side, packet)
        else:
            yield from self._route(node, side, packet, table)

    def _spoofed(self, node: Node, side: str, table: str, packet: WalkedPacket) -> Piece | None:
        """Strict reverse path: the box would answer the source by another side (RFC 3704)."""
        if side.startswith("/circuits/") and not routable(packet.source):
            return _end(packet, Reason.NOT_ALLOWED, node.key, side, packet.source)
        way = self.way(node, table, packet.source)
        if isinstance(way, Way) and way.hop.side != side:
            unknown = way.prefix == 0 and not side.startswith("/circuits/")
            reason = Reason.NO_RETURN if unknown else Reason.OTHER_WAY_BACK
            return _end(packet, reason, node.key, way.path, packet.source)
        if isinstance(way, Lacking):
            reason = Reason.NOT_KNOWN if way.reason is Reason.NOT_KNOWN else Reason.NO_RETURN
            return _end(packet, reason, node.key, way.path, packet.source)
        return None

    def _published(self, node: Node, side: str, table: str, packet: WalkedPacket) -> Iterator[Piece]:
        left = packet.mask
        for one in node.publications.get(side, ()):
            taken = left & one.mask
            if one.outside != packet.target or not taken or not _from(one, packet.source):
                continue
            left &= ~taken
            inside = packet.inside(
                one.inside, self._spot_of(one.host), self.net.moved(taken, one.shift), one.shift
            ).step(node.key, Does.PUBLISHES, one.path, one.outside, one.inside, decided=True)
            if (table, one.inside) in node.own:
                yield from self._own(node, side, inside)
            else:
                yield from self._route(node, side, inside, table)
        if not left:
            return
        rest = packet.only(left)
        if (table, packet.target) in node.own:
            yield from self._own(node, side, rest)
        elif self.net.segment_of(packet.target, table):
            yield from self._route(node, side, rest, table)
        else:
            yield _end(rest, Reason.NOT_PUBLISHED, node.key, side, packet.target)

    def _spot_of(self, host: str) -> Located | None:
        """Where a fixed host is plugged in; a port that does not carry its segment is nowhere."""
        if host not in self.net.wires.hosts:
            return None
        part = self.net.wires.hosts[host]
        return Located(f"/segments/{self.net.plan.hosts[host].segment}", NO_PART if part is None else part)

    def _part_of(self, packet: WalkedPacket, side: str) -> int | None:
        """The part of a segment that a target is in by its address, when that of a fixed host."""
        hosts = self.net.hosts.get(packet.target, ())
        spot = self._spot_of(hosts[0]) if hosts else None
        return spot.part if spot is not None and spot.side == side else None

    def _route(self, node: Node, side: str, packet: WalkedPacket, table: str, *, own: bool = False) -> Iterator[Piece]:
        way = self.way(node, table, packet.target)
        if isinstance(way, Lacking):
            yield _end(packet, way.reason, node.key, way.path, packet.target)
            return
        packet = packet.step(node.key, Does.ROUTES, way.path, *way.hop, decided=way.metric >= 0)
        if not node.filters or own:
            if not own:
                packet = packet.step(node.key, Does.PASSES_ALL, f"/devices/{node.key}")
            yield from self._out(node, way, packet)
            return
        left = packet.mask
        for mask, path in self._rules(node, side, table, packet):
            taken = left & mask
            if taken:
                left &= ~taken
                yield from self._out(node, way, packet.only(taken).step(node.key, Does.ALLOWS, path, decided=True))
        if left:
            yield _end(packet.only(left), Reason.NOT_ALLOWED, node.key, f"/devices/{node.key}/allows")

    def _out(self, node: Node, way: Way, packet: WalkedPacket) -> Iterator[Piece]:
        """On the way out of a box."""
        side, via = way.hop
        if side == OTHER_SITES:
            yield from self._answered(packet, side, None)
        elif side.startswith("/circuits/"):
            yield from self._outside(node, side, packet)
        elif via is None:
            yield from self._to_neighbour(packet, side)
        else:
            part = self.net.wires.part(node.key, side.removeprefix("/segments/"))
            found = self._neighbour(packet, side, via, part, node.key)
            if isinstance(found, Piece):
                yield found._replace(path=way.path if found.reason is Reason.NEXT_HOP_DEAD else found.path)
            else:
                yield from self._at(found, side, packet)

    def _outside(self, node: Node, side: str, packet: WalkedPacket) -> Iterator[Piece]:
        """Out by a circuit: translated, seen by the provider, and answered by the internet."""
        circuit = self.net.plan.circuits[side.removeprefix("/circuits/")]
        home = packet.origin.side.startswith("/circuits/") or self.net.segment_of(packet.target)
        if not routable(packet.target) or home:  # providers: RFC 2827; nobody out there has an address of the site
            yield _end(packet, Reason.NO_ROUTE, side, side, packet.target)
            return
        source, again = packet.source, False
        segment = self.net.segment_of(source) if source[0] == 4 else ""
        found = node.translations.get((side, segment)) if segment else None
        if found is not None:
            source = found[0]
            packet = packet.step(node.key, Does.TRANSLATES, found[1], packet.source, source, decided=True)
            again = not routable(source) or circuit.modem_subnet is not None
            if not self._ours(circuit, source):
                yield _end(packet, Reason.NO_RETURN, side, found[1], source)
                return
        elif not routable(source):
            yield _end(packet, Reason.NOT_TRANSLATED, side, f"/devices/{node.key}/translations", source)
            return
        if again:
            packet = packet.step(side, Does.TRANSLATES_AGAIN, f"{side}/modem_subnet", source)
        reply: Chain = (Decision(INTERNET, Does.REPLIES, side, (packet.target,)), None)
        back = side if found is not None else self.home(source)
        if back is None:
            yield _end(packet, Reason.NO_RETURN, INTERNET, side, source)
            return
        way = self._back(self.net.nodes[self.net.lines[back.removeprefix("/circuits/")]], back, packet, reply)
        whole = self._whole(packet, way, Reason.DOUBLE_TRANSLATION if again else Reason.DELIVERED, INTERNET)
        yield whole._replace(left_by=side)

    def _ours(self, line: Circuit, source: Address) -> bool:
        """Whether the provider brings replies to a translated source: it is the circuit's own or a further address."""
        if source.family == 0 or line.address == source:
            return True
        return any(net is not None and net.holds(source) for net in (line.subnet, *line.routed_blocks))

    def _routed(self, circuit: str, target: Address) -> bool:
        """Whether the internet brings an address by a circuit."""
        line = self.net.plan.circuits[circuit]
        if target.family == 0 or target in (line.address, line.address6):
            return True
        if target in _of_provider(line):
            return False
        nets = [line.subnet, line.subnet6, *line.routed_blocks, self.net.plan.delegated_prefix]
        return any(net is not None and net.holds(target) for net in nets)

    def home(self, source: Address) -> str | None:
        """The circuit by which the internet reaches an address of the site, one that is up."""
        if source.family == 0:
            return None
        for key, line in self.net.plan.circuits.items():
            if key in self.down or key not in self.net.lines:
                continue
            nets = [line.subnet, line.subnet6, *line.routed_blocks]
            if source.family == 6 and needed(line, 6) is not None:
                nets.append(self.net.plan.delegated_prefix)
            if any(net is not None and net.holds(source) for net in nets):
                return f"/circuits/{key}"
        return None

    # --- The box itself

    def _own(self, node: Node, side: str, packet: WalkedPacket) -> Iterator[Piece]:
        """For the box: ping, its management from where that is permitted, leases and names where it gives them."""
        if not packet.trail or packet.trail[-1][0] != node.key:
            packet = packet.within(node.key, side)
        left = packet.mask
        for mask, path in self._services_of(node, side, packet.source):
            taken = left & mask
            if taken:
                left &= ~taken
                part = packet.only(taken)
                reply: Chain = (Decision(node.key, Does.REPLIES, path, (packet.target,)), None)
                yield self._whole(part, self._back_from(node, side, part, reply), Reason.ANSWERED, node.key, path)
        if left:
            yield _end(packet.only(left), Reason.NOT_SERVED, node.key, f"/devices/{node.key}/access")

    def _services_of(self, node: Node, side: str, source: Address) -> Iterator[tuple[int, str]]:
        mask = self.net.atoms.mask
        yield mask(PING), f"/devices/{node.key}"
        segment = self.net.segment_of(source, node.table_of.get(side, ""))
        for key, access in node.device.access.items():
            near = access.segment is not None and access.segment == segment
            if near or any(n.holds(source) for n in access.networks):
                yield mask(MANAGEMENT[access.service]), f"/devices/{node.key}/access/{key}"
        here, serving = side.removeprefix("/segments/"), self._serving.get(node.key, set())
        if not node.device.routes_packets and not serving:
            return
        if here in serving or segment in serving:  # who renews, or passes requests on, asks from afar (RFC 2131, 4.3)
            yield mask(LEASES), f"/segments/{here if here in serving else segment}/scope"
        elif here in node.device.relays:
            yield mask(LEASES), f"/devices/{node.key}/relays/{here}"
        if node.device.forwarders and segment:
            yield mask(LOOKUP), f"/devices/{node.key}/forwarders"

    @lazy
    def _serving(self) -> dict[str, set[str]]:
        """By box the segments whose scopes it serves."""
        found: dict[str, set[str]] = {}
        for key, segment in self.net.plan.segments.items():
            if segment.scope.span is not None:
                for box, _ in servers(self.net.plan, key):
                    found.setdefault(box, set()).add(key)
        return found

    # --- And back

    def _answered(self, packet: WalkedPacket, side: str, part: int | None) -> Iterator[Piece]:
        """Somebody on a segment, or at another site, has it and replies."""
        reply: Chain = (Decision(side, Does.REPLIES, side, (packet.target,)), None)
        if side == OTHER_SITES:
            back = self._back(self.net.nodes[self.net.outpost], side, packet, reply)
        elif side == packet.origin.side:
            back = _Back(Reason.DELIVERED, side, side, reply)
        else:
            back = self._back_by_gateway(packet, side, part, reply)
        yield self._whole(packet, back, Reason.DELIVERED, side)

    def _back_by_gateway(self, packet: WalkedPacket, side: str, part: int | None, reply: Chain) -> _Back:
        segment = side.removeprefix("/segments/")
        gateway = self._gateway(segment, packet.target[0])
        if gateway is None:
            return _Back(Reason.NO_RETURN, side, f"{side}/gateway", reply)
        found = self._neighbour(packet, side, gateway, part)
        if isinstance(found, Piece):
            reason = found.reason if found.reason in (Reason.PARTED, Reason.NOT_KNOWN) else Reason.NO_RETURN
            return _Back(reason, found.at, found.path, reply)
        return self._back(found, side, packet, reply)

    def _back_from(self, node: Node, side: str, packet: WalkedPacket, reply: Chain) -> _Back:
        """Replies of a box itself."""
        if node.device.routes_packets:
            return self._back(node, side, packet, reply, own=True)
        if packet.origin.side == side:
            return _Back(Reason.ANSWERED, side, side, reply)
        gateway = node.device.gateway
        path = f"/devices/{node.key}/gateway"
        if gateway is None or not any(net is not None and net.holds(gateway) for *_, net in node.interfaces):
            return _Back(Reason.NO_RETURN, node.key, path, reply)
        where = next(s for s, _, _, net in node.interfaces if net is not None and net.holds(gateway))
        part = self.net.wires.part(node.key, where.removeprefix("/segments/"))
        found = self._neighbour(packet, where, gateway, part)
        if isinstance(found, Piece):
            reason = found.reason if found.reason in (Reason.PARTED, Reason.NOT_KNOWN) else Reason.NO_RETURN
            return _Back(reason, node.key, path if reason is Reason.NO_RETURN else found.path, reply)
        return self._back(found, where, packet, reply)

    def _back(self, node: Node, side: str, packet: WalkedPacket, reply: Chain, *, own: bool = False) -> _Back:
        """Replies come into a box by a side, on their way to where the packet came from."""
        knows = {key for key, _ in packet.trail}
        origin, source = packet.origin, packet.source
        here = own
        by: tuple[str, ...] = ()
        for _ in range(MOST_BOXES):
            table = node.table_of.get(side, "main")
            if node.filters and node.key not in knows:
                return _Back(Reason.OTHER_WAY_BACK, node.key, f"/devices/{node.key}", reply)
            if node.filters and not here:
                coming = self.way(node, table, packet.target)
                if isinstance(coming, Lacking) or coming.hop.side != side:
                    return _Back(Reason.OTHER_WAY_BACK, node.key, coming.path, reply)
            if not here and (table, source) in node.own:
                return _Back(Reason.NO_RETURN, node.key, f"/devices/{node.key}", reply)
            here = False
            way = self.way(node, table, source)
            if isinstance(way, Lacking):
                reason = Reason.NOT_KNOWN if way.reason is Reason.NOT_KNOWN else Reason.NO_RETURN
                return _Back(reason, node.key, way.path, reply)
            if packet.traced:
                reply = (
                    Decision(node.key, Does.KNOWS if node.filters else Does.ROUTES, way.path, tuple(way.hop)),
                    reply,
                )
            if way.metric >= 0:
                by = (*by, way.path)
            to, via = way.hop
            if to.startswith("/circuits/") or to == OTHER_SITES:
                same = to == origin.side
                if to.startswith("/circuits/") and origin.asked is not None:
                    same = same or routable(origin.asked)  # another provider drops what is private (RFC 2827)
                reason = Reason.DELIVERED if same else Reason.NO_RETURN
                return _Back(reason, to if same else node.key, way.path, reply, by)
            part = self.net.wires.part(node.key, to.removeprefix("/segments/"))
            if via is None:
                if to != origin.side:
                    return _Back(Reason.NO_RETURN, node.key, way.path, reply)
                parted = part is not None and origin.part is not None and part != origin.part
                return _Back(Reason.PARTED if parted else Reason.DELIVERED, to, to, reply, by)
            found = self._neighbour(packet, to, via, part, node.key)
            if isinstance(found, Piece):
                reason = found.reason if found.reason in (Reason.PARTED, Reason.NOT_KNOWN) else Reason.NO_RETURN
                return _Back(reason, node.key, way.path if reason is Reason.NO_RETURN else found.path, reply)
            node, side = found, to
        return _Back(Reason.LOOP, node.key, f"/devices/{node.key}", reply)

    def _whole(self, packet: WalkedPacket, back: _Back, reason: Reason, at: str, path: str = "") -> Piece:
        """What passed on the way there, with how its replies fare."""
        mask = packet.mask
        if back.reason.passes:
            end = packet.step(at, Does.ENDS, path or at, reason)
            by = (*packet.by, *back.by) if back.by else packet.by
            return Piece(mask, reason, at, path or at, end.steps, back.steps, packet.shift, (), by, packet.trail)
        about = (packet.source,)
        steps = packet.steps
        return Piece(
            mask, back.reason, back.at, back.path, steps, back.steps, packet.shift, about, packet.by, packet.trail
        )

    # --- Decisions that are worth remembering

    def way(self, node: Node, table: str, point: Address) -> Way | Lacking:
        """The line of a table that an address takes, or why there is none."""
        key = (node.key, table, point)
        known = self._ways.get(key)
        if known is None:
            known = self._ways[key] = self._looked_up(node, table, point)
        return known

    def _looked_up(self, node: Node, table: str, point: Address) -> Way | Lacking:
        family, value = point
        if family == 0:
            return Lacking(Reason.NO_ROUTE, f"/devices/{node.key}")
        ways = node.tables.get((table, family), ())
        for place, way in enumerate(ways):
            if not way.first <= value <= way.last or way.circuit in self.down:
                continue
            if way.open:
                return Lacking(Reason.NOT_KNOWN, way.open)
            equal = (other for other in ways[place + 1 :] if (other.prefix, other.metric) == (way.prefix, way.metric))
            for other in equal:
                if other.first == way.first and other.hop != way.hop and other.circuit not in self.down:
                    return Lacking(Reason.NOT_KNOWN, way.path)
            return way
        for way in node.dead.get((table, family), ()):
            if way.first <= value <= way.last:
                return Lacking(Reason.NEXT_HOP_DEAD, way.path)
        return Lacking(Reason.NO_ROUTE, f"/devices/{node.key}/routes")

    def places(self, point: Address, side: str = "", table: str = "") -> tuple[str, ...]:
        """What allow rules may call an address: its segment and fixed hosts, or the internet, or other sites."""
        elsewhere = side == OTHER_SITES
        known = self._places.get((point, table, elsewhere))
        if known is None:
            segment = self.net.segment_of(point, table)
            net = self.net.elsewhere.get(point.family)
            if segment:
                known = (segment, *self.net.hosts.get(point, ()))
            else:
                known = (OTHER_SITES,) if elsewhere or (net is not None and net.holds(point)) else (INTERNET,)
            self._places[point, table, elsewhere] = known
        return known

    def _rules(self, node: Node, side: str, table: str, packet: WalkedPacket) -> list[tuple[int, str]]:
        """The allow rules of a box that are about a packet: services and place of each."""
        places = self.places(packet.source, side, table), self.places(packet.target, "", table)
        return self._rules_between(node, *places)

    def _rules_between(self, node: Node, sources: tuple[str, ...], targets: tuple[str, ...]) -> list[tuple[int, str]]:
        key = (node.key, sources, targets)
        known = self._masks.get(key)
        if known is None:
            asking = [rule for source in (*sources, "all") for rule in node.by_source.get(source, ())]
            known = self._masks[key] = [
                (rule.mask, rule.path) for rule in asking if rule.target == "all" or rule.target in targets
            ]
        return known


class _Entry(NamedTuple):
    """Where packets of a class come in: the filter, its table there, the subnets that they reach without it."""

    node: Node
    table: str
    near: tuple[Network, ...]
    trail: tuple[tuple[str, str], ...]


class _Back(NamedTuple):
    """How replies fare: `DELIVERED` and the like, or why they do not arrive and where."""

    reason: Reason
    at: str
    path: str
    steps: Chain
    by: tuple[str, ...] = ()


def _from(one: Shown, source: Address) -> bool:
    """Whether a publication is for a source."""
    return not one.sources or any(net.holds(source) for net in one.sources)


def _end(packet: WalkedPacket, reason: Reason, at: str, path: str, *about: object) -> Piece:
    return Piece(packet.mask, reason, at, path, packet.steps, None, packet.shift, about, packet.by, packet.trail)
