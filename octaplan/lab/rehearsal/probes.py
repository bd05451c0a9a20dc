"""What is asked of the network: for each class of addresses and each set of services that the walk tells apart, one
packet, with what the walk says of it and what is meant.
"""

from __future__ import annotations

from collections.abc import Iterator
from random import Random
from typing import NamedTuple

from octaplan.core.flow.matrix import Class, MatrixCell, Pair, Traffic
from octaplan.core.flow.network import BOXES, INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import NO_PART, Piece, Reason
from octaplan.core.flow.telling import address_text
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.services import describe
from octaplan.lab.rehearsal.design import Design, outside_point


class Probe(NamedTuple):
    """One question to the network. `space` asks, at `source`, for `target`; it is to arrive in one of `arrives`.

    `place` and `asked` are the row and column of the matrix, `passes` and `reason` what the walk says, `at` where it
    ends. `meant` is whether it is meant to pass, nothing where the matrix does not say; `shift` by how much its port is
    moved on the way.
    """

    place: str
    asked: str
    down: frozenset[str]
    space: str
    source: Address
    target: Address
    protocol: str
    port: int
    arrives: tuple[str, ...]
    passes: bool
    reason: Reason
    at: str
    meant: bool | None
    shift: int


class Questioning:
    """All probes of a design. Each address that asks or is asked is put where it belongs."""

    def __init__(self, traffic: Traffic, design: Design, seed: int = 0) -> None:
        self.traffic, self.design = traffic, design
        self.random = Random(seed)  # noqa: S311  (which packet of many alike is sent)
        #: So many packets are not sent, since the plan leaves open who has an address, or what decides.
        self.untold = 0
        self._taken: dict[Address, str] = {}
        net, routes = traffic.net, (r for device in design.plan.devices.values() for r in device.routes.values())
        self._others_points = frozenset((*net.holders, *net.hosts))
        #: Next hops that nobody of the plan has: a client there would pass packets on.
        self._nobody = {route.via for route in routes if route.via is not None} - self._others_points

    def probes(self) -> list[Probe]:
        """Every probe, with nothing down first and then with each circuit."""
        pairs = [(one, other) for one in self.traffic.rows for other in self.traffic.columns if one != other]
        return [
            probe
            for down in self.traffic.downs
            for source, target in pairs
            for probe in self._of_cell(self.traffic.cell(source, target, down), down)
        ]

    def _of_cell(self, cell: MatrixCell, down: frozenset[str]) -> Iterator[Probe]:
        for pair in cell.pairs:
            for piece in pair.pieces:
                if piece.reason is Reason.NOT_KNOWN:
                    self.untold += 1
                    continue
                probe = self._probe(cell, pair, piece, down)
                if probe is not None:
                    yield probe

    def _probe(self, cell: MatrixCell, pair: Pair, piece: Piece, down: frozenset[str]) -> Probe | None:
        spans = [span for place, span in enumerate(self.traffic.net.atoms.spans) if piece.mask >> place & 1]
        apart = [span for span in spans if describe(span[0])[0] != "other"]
        low, high = self.random.choice(apart or spans)
        protocol, port = describe(self.random.randint(low, high))
        if protocol in ("tcp", "udp") and port == 0:
            port = min(1, high - low) or 1
        source = self._from(cell.source, pair.source, down)
        asked = self._to(cell.source, cell.target, pair.target, down)
        near = asked is not None and cell.target != BOXES and self._near(cell.source, asked)
        if source is None or asked is None or near or self._twofold(asked, source[1], *self._behind(pair)):
            self.untold += 1
            return None
        space, point = source
        mask = self.traffic.net.moved(piece.mask, piece.shift) if cell.source == INTERNET else piece.mask
        return Probe(
            cell.source,
            cell.target,
            down,
            space,
            point,
            asked,
            protocol,
            port,
            _arrives(piece, self.design),
            piece.reason.passes,
            piece.reason,
            piece.at,
            self._meant(cell, pair, mask),
            piece.shift,
        )

    def _meant(self, cell: MatrixCell, pair: Pair, mask: int) -> bool | None:
        """Whether what a piece stands for is meant to pass."""
        if cell.target != BOXES:
            if cell.source == INTERNET:
                return None if mask & cell.wanted else False
            return bool(mask & cell.wanted) if mask & cell.wanted in (0, mask) else None
        box = pair.target.box
        managing = self.traffic.managing(box)
        if not mask & managing:
            return None
        if cell.source == INTERNET:
            return None if self.traffic.intent.manages_from_outside(pair.source.point) else False
        return None if self.traffic.intent.manages(cell.source, box) else False

    # --- Who asks whom

    def _near(self, place: str, point: Address) -> bool:
        """Whether a client takes an address for one of its own subnet and never sends it to a gateway."""
        where = self.design.plan.segments.get(place)
        return where is not None and any(n is not None and n.holds(point) for n in (where.subnet, where.subnet6))

    def _behind(self, pair: Pair) -> Iterator[Address]:
        """The inside addresses that are published at the address that is asked for."""
        for node in self.traffic.net.nodes.values():
            for shown in node.publications.values():
                yield from (one.inside for one in shown if one.outside == pair.target.point)

    def _twofold(self, *points: Address) -> bool:
        """Whether an address lies in the subnets of two segments: who has it is not told."""
        return any(
            sum(f == p.family and a <= p.value <= b for f, a, b, _ in self.traffic.net.subnets) > 1 for p in points
        )

    def _from(self, place: str, one: Class, down: frozenset[str]) -> tuple[str, Address] | None:
        if place == INTERNET:
            routed = (net for line in self.design.plan.circuits.values() for net in line.routed_blocks)
            if any(net.holds(one.point) for net in routed):
                return None  # nobody out there has an address of a block that is the site's
            return self._outside(one.point, down), one.point
        if place == OTHER_SITES:
            return (OTHER_SITES, self._put(OTHER_SITES, one.point)) if OTHER_SITES in self.design.spaces else None
        return self._inside(place, one)

    def _to(self, source: str, place: str, one: Class, down: frozenset[str]) -> Address | None:
        if source == INTERNET and one.circuit not in self.design.ends:
            return None
        if place in self.design.plan.segments and not (source == INTERNET and one.host):
            found = self._inside(place, one)
            return found[1] if found is not None else None
        if source == INTERNET:
            point = outside_point(self.design, one.circuit, one.point)
            return point if self.design.brings(one.circuit, point) else None
        if one.point in self.design.shared:
            return None
        if place == INTERNET:
            self._outside(one.point, down)
        elif place == OTHER_SITES:
            self._put(OTHER_SITES, one.point)
        return one.point

    def _inside(self, segment: str, one: Class) -> tuple[str, Address] | None:
        """Where a class of a segment is, and an address of it that is nowhere else."""
        wires = self.traffic.net.wires
        adrift = one.part is None or (one.host and one.host not in wires.hosts)
        if adrift and len(wires.parts(segment)) > 1:
            return None  # nobody knows in which part of its segment it is
        space = self.design.place(segment, one.part).key
        point = one.point
        if not one.host:
            taken = {**self._taken, **dict.fromkeys(self._others_points, "")}
            values = [point.value, *(v for a, b in one.runs for v in range(a, min(b, a + 2 * len(taken) + 2) + 1))]
            spots = (Address(point.family, value) for value in values)
            free = next(
                (
                    p
                    for p in spots
                    if self._taken.get(p, space) == space
                    and p not in self._nobody
                    and (p == point or p not in taken or p in self._taken)
                ),
                None,
            )
            if free is None:
                return None
            point = free
        self._taken[point] = space
        return space, self._put(space, point, segment)

    def _outside(self, point: Address, down: frozenset[str]) -> str:
        """The space of an address of the internet: that of a provider, when it lies on its line."""
        for key, box in self.design.ends.items():
            for face in self.design.own[box]:
                if key not in down and face.side == f"/circuits/{key}" and face.network.holds(point):
                    self.design.spaces[f"line:{key}"].add("box", point, face.network)
                    return f"line:{key}"
        self._put(INTERNET, point)
        return INTERNET

    def _put(self, space: str, point: Address, segment: str = "") -> Address:
        """Put an address into a space, once."""
        plan = self.design.plan.segments.get(segment)
        nets = (plan.subnet, plan.subnet6) if plan is not None else ()
        net = next((n for n in nets if n is not None and n.holds(point)), None)
        alone = Network.holding(point, 32 if point.family == 4 else 128)
        self.design.spaces[space].add("e" if segment else "lo", point, net or alone)
        return point

    def publish(self) -> None:
        """Put the hosts that are published where they are plugged in, those that nobody asks by name."""
        plan = self.design.plan
        for device in plan.devices.values():
            for one in device.publications.values():
                host = plan.hosts.get(one.host)
                for point in (host.address, host.address6) if host is not None else ():
                    if point in self._taken or host is None or host.segment not in plan.segments:
                        continue
                    if point is not None:
                        wired = one.host in self.traffic.net.wires.hosts
                        part = self.traffic.net.wires.hosts.get(one.host)
                        spot = (NO_PART if part is None else part) if wired else None
                        self._put(self.design.place(host.segment, spot).key, point, host.segment)


def _arrives(piece: Piece, design: Design) -> tuple[str, ...]:
    """The spaces that a packet may arrive in, by where the walk says that it ends; the beginnings of their names."""
    if not piece.reason.passes:
        return ()
    if piece.at == INTERNET:
        return (INTERNET, *(f"line:{key}" for key in design.ends))
    if piece.at.startswith("/segments/"):
        return (f"at:{piece.at.removeprefix('/segments/')}:",)
    return (OTHER_SITES,) if piece.at == OTHER_SITES else (f"box:{piece.at}:",)


def words(traffic: Traffic, probe: Probe) -> str:
    """A probe as one says it: from where to where, by what."""
    service = {"icmp": "ping", "other": "other protocols"}.get(probe.protocol, f"{probe.protocol}/{probe.port}")
    return f"{address_text(traffic, probe.source)} to {address_text(traffic, probe.target)} by {service}"
