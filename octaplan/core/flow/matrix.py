"""The matrix of a site: who reaches whom by what the boxes do, for every address, beside what is meant.

Addresses of a place are cut into classes wherever the plan draws a boundary that a walk could notice; each class is
walked once, with one address that stands for all of it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import pairwise
from typing import NamedTuple

from octaplan.core.flow.intent import Intent, Meant, Need
from octaplan.core.flow.network import (
    BOXES,
    INTERNET,
    LEASES,
    MANAGEMENT,
    OTHER_SITES,
    Net,
    Shown,
    Way,
    carries_six,
    routable,
    subnets_of,
)
from octaplan.core.flow.pieces import NO_PART, Located, Origin, Piece, Reason
from octaplan.core.flow.walk import Walker
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import Segment, SitePlan
from octaplan.core.values.addresses import NOT_PUBLIC_IPV4, PUBLIC_IPV6, Address, Network
from octaplan.core.values.lazy import lazy
from octaplan.core.values.services import Services, known_services

#: Addresses that stand for the internet where nothing tells them apart from others (RFC 5737, RFC 3849).
_USUAL = tuple(
    Address(4, (a << 24) + (b << 16) + (c << 8) + 77) for a, b, c in ((198, 51, 100), (203, 0, 113), (192, 0, 2))
)
_USUAL += (Address(6, (0x20010DB8 << 96) + (0xFFFF << 80) + 7),)


#: Of so many places every pair is walked by itself.
MOST_PLACES = 100


class Class(NamedTuple):
    """Addresses that every walk treats alike: one of them, the runs, on a segment the part, and for a class of one
    fixed host its id. `box` is the box that a class of its own addresses belongs to."""

    point: Address
    runs: tuple[tuple[int, int], ...] = ()
    part: int | None = None
    host: str = ""
    box: str = ""
    circuit: str = ""
    side: str = ""


class Pair(NamedTuple):
    """One class asking another, and what becomes of it."""

    source: Class
    target: Class
    pieces: list[Piece]

    @property
    def passes(self) -> int:
        return _passing(self.pieces)


class MatrixCell(NamedTuple):
    """One place asking another: `always` passes for all of their addresses, `ever` for some.

    `agrees` says whether the boxes do what is meant, `missing` what is meant and does not always pass, `extra` what
    passes and is not meant. `unknown` is the place of a value that is still open and that it depends on.
    """

    source: str
    target: str
    pairs: list[Pair]
    meant: Meant
    ever: int
    always: int
    wanted: int
    missing: int
    extra: int
    unknown: str = ""

    @property
    def agrees(self) -> bool:
        return not self.missing and not self.extra and not self.unknown

    @property
    def result(self) -> str:
        """`passes`, `stopped` or `partly`, whatever is meant."""
        return "stopped" if not self.ever else "passes" if self.always == self.everything else "partly"

    @property
    def everything(self) -> int:
        """All services that were asked for."""
        return max((piece_mask(pair) for pair in self.pairs), default=-1)

    def worst(self, *, over: int | None = None) -> tuple[Pair, Piece] | None:
        """What tells most: a piece that should pass and does not, one that passes and should not, or any."""
        missing = self.missing if over is None else over
        for wanted in (False, True):
            mask = self.extra if wanted else missing
            for pair in self.pairs:
                for piece in pair.pieces:
                    if piece.reason.passes is wanted and piece.mask & mask:
                        return pair, piece
        for pair in self.pairs:
            for piece in pair.pieces:
                return pair, piece
        return None


def piece_mask(pair: Pair) -> int:
    mask = 0
    for piece in pair.pieces:
        mask |= piece.mask
    return mask


def _passing(pieces: Iterable[Piece]) -> int:
    mask = 0
    for piece in pieces:
        if piece.reason.passes:
            mask |= piece.mask
    return mask


class Traffic:
    """Everything that can be asked about the traffic of one plan."""

    def __init__(self, plan: SitePlan, organisation: Organisation = UNDECIDED, asked: Iterable[Services] = ()) -> None:
        self.plan = plan
        self.intent = Intent(plan, organisation)
        self.net = Net(plan, [*asked, *self._meant_sets(organisation)])
        self.rows, self.columns = self.intent.rows, self.intent.columns
        self._walkers: dict[tuple[frozenset[str], bool], Walker] = {}
        self._cells: dict[tuple[str, str, frozenset[str]], MatrixCell] = {}
        self._classes: dict[str, list[Class]] = {}
        self._managing: dict[str, int] = {}
        self._origins: dict[tuple[str, int | None, str], Origin] = {}
        self._mask = self.net.atoms.mask

    def _meant_sets(self, organisation: Organisation) -> Iterator[Services]:
        texts = {text for row in organisation.intent.values() for text in row.values()}
        texts |= {one.services for one in organisation.usual(self.plan.customer).departures}
        texts |= {one.services for one in self.plan.departures.values()}
        for text in texts:
            services = known_services(text)
            if services is not None:
                yield services
        for needs in self.intent.needs.values():
            yield from (need.services for need in needs)

    @property
    def walkable(self) -> bool:
        """Whether a box of the site routes: without one nothing is said."""
        return any(device.routes_packets for device in self.plan.devices.values())

    def walker(self, down: frozenset[str] = frozenset(), *, traced: bool = False) -> Walker:
        known = self._walkers.get((down, traced))
        if known is None:
            known = self._walkers[down, traced] = Walker(self.net, down, traced=traced)
        return known

    # --- Cells

    def cells(self) -> list[MatrixCell]:
        """Every cell, row by row."""
        return self._every_cell

    @property
    def complete(self) -> bool:
        """Whether every pair is walked by itself: of a very large site only the ways to the internet and from it are,
        and others when they are asked for."""
        return len(self.rows) <= MOST_PLACES

    @lazy
    def _every_cell(self) -> list[MatrixCell]:
        pairs = ((source, target) for source in self.rows for target in self.columns if source != target)
        if not self.complete:
            pairs = (pair for pair in pairs if INTERNET in pair and BOXES not in pair)
        return [self.cell(*pair) for pair in pairs]

    def cell(self, source: str, target: str, down: frozenset[str] = frozenset()) -> MatrixCell:
        """One place asking another, with some circuits down."""
        key = (source, target, down)
        known = self._cells.get(key)
        if known is None:
            known = self._cells[key] = self._made(source, target, down)
        return known

    def _made(self, source: str, target: str, down: frozenset[str]) -> MatrixCell:
        meant = self.intent.meant(source, target)
        pairs = list(self.pairs(source, target, down))
        if target == BOXES:
            return self._of_boxes(source, meant, pairs)
        ever, always, wanted = 0, self.net.atoms.all if pairs else 0, self._mask(meant.services)
        for pair in pairs:
            passes = pair.passes
            if source == INTERNET and pair.pieces:
                passes = self._as_inside(pair)
            ever |= passes
            always &= passes
        if source == INTERNET:
            always = always if target == OTHER_SITES else 0
        sure = ever if source == INTERNET else always
        missing, extra = wanted & ~sure, ever & ~wanted
        unknown = _open(pairs, missing) if missing else ""
        if not pairs:
            unknown = self._unknown(source) or self._unknown(target)
        return MatrixCell(source, target, pairs, meant, ever, always, wanted, missing, extra, unknown)

    def _as_inside(self, pair: Pair) -> int:
        """What passes from the internet, by the ports of the inside host."""
        mask = 0
        for piece in pair.pieces:
            if piece.reason.passes:
                mask |= self.net.moved(piece.mask, piece.shift)
        return mask

    def _of_boxes(self, source: str, meant: Meant, pairs: list[Pair]) -> MatrixCell:
        """Management: for each box whether any of its addresses answers by a service that it is managed by."""
        ever, missing, extra, always = 0, 0, 0, self.net.atoms.all
        passed: dict[str, int] = {}
        for pair in pairs:
            passed[pair.target.box] = passed.get(pair.target.box, 0) | pair.passes
            managed = pair.passes & self.managing(pair.target.box)
            if source == INTERNET and managed and not self.intent.manages_from_outside(pair.source.point):
                extra |= managed
        for box, mask in passed.items():
            managing = self.managing(box)
            ever |= mask & managing
            always &= mask | ~managing
            if self.intent.manages(source, box):
                missing |= managing if not mask & managing else 0
            elif source != INTERNET:
                extra |= mask & managing
        unknown = _open(pairs, missing) if missing else ""
        return MatrixCell(
            source, BOXES, pairs, meant, ever, always & ever, self._mask(meant.services), missing, extra, unknown
        )

    def managing(self, box: str) -> int:
        """The services by which a box is managed."""
        known = self._managing.get(box)
        if known is not None:
            return known
        mask = 0
        for access in self.plan.devices[box].access.values():
            mask |= self._mask(MANAGEMENT[access.service])
        self._managing[box] = mask
        return mask

    def _unknown(self, place: str) -> str:
        segment = self.plan.segments.get(place)
        if segment is not None and not subnets_of(segment):
            return f"/segments/{place}/subnet"
        return ""

    # --- What rules and pages ask besides

    @lazy
    def used(self) -> dict[str, list[tuple[str, str]]]:
        """The entries of boxes that something uses which is meant to pass, whatever is down; by their places, each
        with the pairs of places that need it."""
        return self._used(meant=True)

    @lazy
    def ever_used(self) -> dict[str, list[tuple[str, str]]]:
        """The entries of boxes that anything uses that passes, in the same way."""
        return self._used(meant=False)

    @lazy
    def open_values(self) -> list[str]:
        """The places of the values that are not known yet and that some cell depends on."""
        pieces = (piece for cell in self.cells() for pair in cell.pairs for piece in pair.pieces)
        found = [piece.path for piece in pieces if piece.reason is Reason.NOT_KNOWN]
        return list(dict.fromkeys([*found, *(cell.unknown for cell in self.cells() if cell.unknown)]))

    def _used(self, *, meant: bool) -> dict[str, list[tuple[str, str]]]:
        found: dict[str, dict[tuple[str, str], None]] = {}
        for down in self.downs:
            for whole in self.cells():
                source, target = whole.source, whole.target
                if down and INTERNET not in (source, target):
                    continue
                cell = self.cell(source, target, down)
                wanted = cell.wanted if meant else -1
                for pair in cell.pairs:
                    for piece in pair.pieces:
                        mask = self.net.moved(piece.mask, piece.shift) if source == INTERNET else piece.mask
                        if piece.reason.passes and mask & wanted:
                            for path in (*piece.by, piece.path):
                                found.setdefault(path, {})[source, target] = None
        for key in self.plan.segments:
            for box, device in self.plan.devices.items():
                server = device.relays.get(key)
                if server is not None:
                    for piece in self._relay(box, key, server):
                        for path in piece.by:
                            found.setdefault(path, {})[key, ""] = None
        return {path: list(pairs) for path, pairs in found.items()}

    def _relay(self, box: str, segment: str, server: Address) -> list[Piece]:
        """Requests for leases as the gateway of a segment passes them on."""
        node, side = self.net.nodes.get(box), f"/segments/{segment}"
        own = (
            next((p for s, _, p, _ in node.interfaces if s == side and p.family == server.family), None)
            if node
            else None
        )
        return self.walker().from_box(box, side, own, server, self._mask(LEASES)) if own is not None else []

    def relayed(self, box: str, segment: str, server: Address) -> Piece | None:
        """Where requests for leases end that a box passes on; nothing when they arrive."""
        pieces = self._relay(box, segment, server)
        return next((piece for piece in pieces if not piece.reason.passes), None)

    def stopped(self, need: Need) -> Piece | None:
        """Where clients end that ask a server they are told of; nothing when they reach it."""
        mask = self._mask(need.services)
        host = next(iter(self.net.hosts.get(need.address, ())), "")
        wired = host in self.net.wires.hosts
        part = self.net.wires.hosts.get(host) if wired else None
        asked = Class(need.address, part=NO_PART if wired and part is None else part, host=host)
        passed = 0
        stopped: Piece | None = None
        for asking in self.classes(need.source):
            if asking.point.family != need.address.family or asking.host:
                continue
            for piece in self.ask(self.walker(), need.source, need.target, asking, asked, mask):
                passed |= piece.mask if piece.reason.passes else 0
                stopped = stopped or (None if piece.reason.passes else piece)
        return None if passed and need.any_of else stopped

    def _shown(self, one: Shown) -> Iterator[Piece]:
        for asking in self.classes(INTERNET):
            if one.outside.family in (0, asking.point.family):
                for piece in self.walker().from_internet(one.circuit, asking.point, one.outside, one.mask):
                    if one.path in piece.by:
                        yield piece

    def shut_out(self, one: Shown) -> Piece | None:
        """Where everything ends that asks for something published; nothing when some of it arrives."""
        pieces = list(self._shown(one))
        return None if any(piece.reason.passes for piece in pieces) else next(iter(pieces), None)

    def let_in(self, box: str, key: str) -> Services:
        """The services of a publication that arrive, as they are outside."""
        node = self.net.nodes.get(box)
        shown = [one for some in node.publications.values() for one in some if one.key == key] if node else []
        mask = 0
        for one in shown:
            for piece in self._shown(one):
                mask |= piece.mask if piece.reason.passes else 0
        return self.net.atoms.services(mask)

    # --- Walks

    def pairs(
        self,
        source: str,
        target: str,
        down: frozenset[str] = frozenset(),
        mask: int | None = None,
        *,
        traced: bool = False,
    ) -> Iterator[Pair]:
        """Every class of one place asking every class of another."""
        walker, all_ = self.walker(down, traced=traced), self.net.atoms.all if mask is None else mask
        if source == INTERNET:
            yield from self._from_internet(walker, target, all_)
            return
        for asked in self.targets(source, target):
            for asking in self.classes(source):
                if asking.point.family != asked.point.family and 0 not in (asking.point.family, asked.point.family):
                    continue
                yield Pair(asking, asked, self.ask(walker, source, target, asking, asked, all_))

    def ask(self, walker: Walker, source: str, target: str, asking: Class, asked: Class, mask: int) -> list[Piece]:
        """One class of a segment or of other sites asking one class of a place."""
        spot = Located(f"/segments/{target}", asked.part) if asked.part is not None and not asked.box else None
        if source == OTHER_SITES:
            return walker.from_elsewhere(asking.point, asked.point, mask, spot)
        if asking.box:
            return walker.from_box(asking.box, f"/segments/{source}", asking.point, asked.point, mask)
        origin = self._origins.get((source, asking.part, asking.host))
        if origin is None:
            origin = Origin(f"/segments/{source}", asking.part, asking.host)
            self._origins[source, asking.part, asking.host] = origin
        return walker.from_segment(origin, asking.point, asked.point, mask, spot)

    def targets(self, source: str, target: str) -> list[Class]:
        """The classes of one place that another one asks."""
        if target == BOXES:
            return self._addresses_for(source)
        if target != INTERNET:
            return self.classes(target)
        segment = self.plan.segments.get(source)
        families = {net.family for net in subnets_of(segment)} if segment is not None else {4}
        if len(families) > 1 and not carries_six(self.plan):
            families = {4}
        return [one for one in self.classes(INTERNET) if one.point.family in families]

    def _from_internet(self, walker: Walker, target: str, mask: int) -> Iterator[Pair]:
        for asked in self.outside(target):
            for asking in self.classes(INTERNET):
                if asked.point.family in (0, asking.point.family):
                    spot = Located(f"/segments/{target}", asked.part) if target in self.plan.segments else None
                    pieces = walker.from_internet(asked.circuit, asking.point, asked.point, mask, spot)
                    if asked.host and not asked.runs:  # what is not published there is the box's own
                        own = (Reason.ANSWERED, Reason.NOT_SERVED, Reason.DELIVERED)
                        pieces = [one for one in pieces if one.reason not in own or self._leads_into(one, target)]
                    yield Pair(asking, asked, pieces)

    def _leads_into(self, piece: Piece, target: str) -> bool:
        """Whether a publication of something in a segment took a packet."""
        host = self.published_host(piece)
        return bool(host) and self.plan.hosts[host].segment == target

    def hosts_shown(self, outside: Address) -> set[str]:
        """The hosts of which something is published at an address."""
        shown = (one for node in self.net.nodes.values() for side in node.publications.values() for one in side)
        return {one.host for one in shown if one.outside == outside}

    def published_host(self, piece: Piece) -> str:
        """The host whose publication took a packet; empty when none did."""
        for path in piece.by:
            parts = path.split("/")
            if parts[3] == "publications":
                return self.plan.devices[parts[2]].publications[parts[4]].host
        return ""

    def outside(self, target: str) -> Iterator[Class]:
        """What of a place the internet could ask for: published addresses, addresses of its own that are routed, the
        boxes' addresses on the circuits."""
        seen: set[tuple[str, Address]] = set()
        for node in self.net.nodes.values():
            for side, shown in node.publications.items():
                for one in shown:
                    host = self.plan.hosts[one.host]
                    where = (side, one.outside)
                    if host.segment == target and where not in seen:
                        seen.add(where)
                        yield Class(one.outside, host=one.host, circuit=one.circuit)
        if target == BOXES:
            for key, node in self.net.nodes.items():
                for side, _, point, _ in node.interfaces:
                    if side.startswith("/circuits/"):
                        yield Class(point, box=key, circuit=side.removeprefix("/circuits/"))
        elif target in self.plan.segments:
            for asked in self.classes(target):
                home = self.walker().home(asked.point) if routable(asked.point) else None
                if home is not None:
                    yield asked._replace(circuit=home.removeprefix("/circuits/"))

    # --- Classes

    def classes(self, place: str) -> list[Class]:
        """The classes of a place."""
        known = self._classes.get(place)
        if known is None:
            if place == INTERNET:
                known = self._of_internet()
            elif place == OTHER_SITES:
                known = [
                    Class(Address(f, n.value + 7), ((n.value, n.value + n.size - 1),))
                    for f, n in self.net.elsewhere.items()
                ][:1]
            elif place == BOXES:
                known = [*self._own_addresses()]
            else:
                known = [*self._of_segment(place)]
            self._classes[place] = known
        return known

    def _own_addresses(self) -> Iterator[Class]:
        for key, node in self.net.nodes.items():
            for side, _, point, _ in node.interfaces:
                if side.startswith("/segments/"):
                    part = self.net.wires.part(key, side.removeprefix("/segments/"))
                    yield Class(point, part=part, box=key, side=side)

    def _addresses_for(self, source: str) -> list[Class]:
        """The boxes' addresses as a segment would ask for them: its own gateway by one address, since a box that is
        reached answers the same at each."""
        segment = self.plan.segments.get(source)
        if segment is None:
            return self.classes(BOXES)
        gateways = {segment.gateway, segment.gateway6}
        near = {one.box for one in self.classes(BOXES) if one.point in gateways and one.side == f"/segments/{source}"}
        return [
            one
            for one in self.classes(BOXES)
            if one.box not in near or (one.point in gateways and one.side == f"/segments/{source}")
        ]

    @lazy
    def _told_apart(self) -> set[str]:
        """The fixed hosts that a rule names."""
        return {end for node in self.net.nodes.values() for rule in node.rules for end in (rule.source, rule.target)}

    def _of_segment(self, key: str) -> Iterator[Class]:
        segment = self.plan.segments[key]
        parts: list[int | None] = [*sorted(self.net.wires.sockets.get(key, ()))] or [None]
        for net in subnets_of(segment):
            alone: set[int] = set()
            for point, hosts in self.net.hosts.items():
                if point.family != net.family or not net.holds(point):
                    continue
                for host in hosts:
                    wired = host in self.net.wires.hosts
                    part = self.net.wires.hosts.get(host)
                    if self.plan.hosts[host].segment == key and (
                        host in self._told_apart or (wired and part not in parts)
                    ):
                        alone.add(point.value)
                        where = (NO_PART if part is None else part) if wired else parts[0]
                        yield Class(point, ((point.value, point.value),), where, host)
            taken = alone | {point.value for point in self.net.holders if point.family == net.family}
            for first, last in self._cut(net):
                found = _free(first, last, taken, segment)
                if found is not None:
                    for part in parts:
                        yield Class(Address(net.family, found), ((first, last),), part)

    def _cut(self, net: Network) -> list[tuple[int, int]]:
        """A subnet, cut where another network of the plan lies strictly inside it."""
        usable = net.usable
        first, last = usable.first.value, usable.last.value
        cuts = {first}
        for other in self._networks:
            if other.family == net.family and other.prefix > net.prefix and net.holds(other.first):
                cuts |= {max(first, other.value), other.value + other.size}
        edges = [*sorted(cut for cut in cuts if first <= cut <= last), last + 1]
        return [(a, b - 1) for a, b in pairwise(edges)]

    @lazy
    def _networks(self) -> list[Network]:
        """Every network that a table or publication of the plan speaks of, but for everything."""
        plan = self.plan
        found = [net for segment in plan.segments.values() for net in subnets_of(segment)]
        found += [n for c in plan.circuits.values() for n in (c.subnet, c.subnet6, *c.routed_blocks) if n is not None]
        for device in plan.devices.values():
            found += [route.to for route in device.routes.values() if not route.default]
            found += [net for one in device.publications.values() for net in one.sources]
            found += [net for one in device.access.values() for net in one.networks if net.prefix]
        return list(dict.fromkeys(found))

    def _of_internet(self) -> list[Class]:
        found: list[Class] = []
        for family in (4, 6):
            if family == 6 and not carries_six(self.plan):
                continue
            merged: dict[tuple[object, ...], list[tuple[int, int]]] = {}
            for first, last in self._outside_runs(family):
                merged.setdefault(self._signature(Address(family, first)), []).append((first, last))
            for runs in merged.values():
                usual = (p.value for p in _USUAL if p.family == family and any(a <= p.value <= b for a, b in runs))
                found.append(Class(Address(family, next(usual, runs[0][0] + (runs[0][1] > runs[0][0]))), tuple(runs)))
        return sorted(found, key=lambda one: one.point not in _USUAL)

    def _outside_runs(self, family: int) -> Iterator[tuple[int, int]]:
        """The addresses of the internet, cut where the plan draws a boundary; those of the site left out."""
        apart = [net for net in NOT_PUBLIC_IPV4 if family == 4]
        own = [(first, last) for f, first, last, _ in self.net.subnets if f == family]
        own += [(p.value, p.value) for p in self.net.holders if p.family == family]
        own += [
            (one.outside.value, one.outside.value)
            for node in self.net.nodes.values()
            for shown in node.publications.values()
            for one in shown
            if one.outside.family == family
        ]
        told = [(net.value, net.value + net.size - 1) for net in (*self._networks, *apart) if net.family == family]
        whole = (0, (1 << 32) - 1) if family == 4 else (PUBLIC_IPV6.value, PUBLIC_IPV6.value + PUBLIC_IPV6.size - 1)
        cuts = {whole[0]}
        for first, last in (*told, *own):
            cuts |= {first, last + 1}
        edges = [*sorted(cut for cut in cuts if whole[0] <= cut <= whole[1]), whole[1] + 1]
        for a, b in pairwise(edges):
            if routable(Address(family, a)) and not any(first <= a <= last for first, last in own):
                yield a, b - 1

    def _signature(self, point: Address) -> tuple[object, ...]:
        """What tells an address of the internet from others: where each table leads it, whatever is down, and who
        lets it in."""
        found: list[object] = []
        for walker in map(self.walker, self.downs):
            for node in self.net.nodes.values():
                for table, family in node.tables:
                    if family == point.family:
                        way = walker.way(node, table, point)
                        found.append(way.leads if isinstance(way, Way) else way)
        for node in self.net.nodes.values():
            for shown in node.publications.values():
                found.extend(any(net.holds(point) for net in one.sources) for one in shown if one.sources)
            found.extend(any(n.holds(point) for n in a.networks) for a in node.device.access.values() if a.networks)
        return tuple(found)

    @lazy
    def downs(self) -> list[frozenset[str]]:
        """What can be down: nothing, and with several circuits each of them."""
        plugged = [key for key in self.plan.circuits if key in self.net.lines]
        return [frozenset(), *(frozenset([key]) for key in plugged if len(plugged) > 1)]


def _free(first: int, last: int, taken: set[int], segment: Segment) -> int | None:
    """An address of a run that nobody of `taken` has, one that is leased if possible."""
    span = segment.scope.span
    starts = [first]
    if span is not None and first <= span.first.value <= last and span.first.family in (4, 6):
        starts.insert(0, span.first.value)
    for start in starts:
        for value in range(start, min(last, start + len(taken)) + 1):
            if value not in taken:
                return value
    return None


def _open(pairs: Iterable[Pair], missing: int) -> str:
    """The value that is not known and that what is missing depends on."""
    for pair in pairs:
        for piece in pair.pieces:
            if piece.reason is Reason.NOT_KNOWN and piece.mask & missing:
                return piece.path
    return ""
