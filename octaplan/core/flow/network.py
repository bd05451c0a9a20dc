"""The network that a plan describes, ready to be walked: boxes with interfaces, tables, filters and translations.

An address of family 0 stands for one that is not known before a circuit comes up. A *side* of a box is the place in the
plan that an interface belongs to: `/segments/k3f9q`, `/circuits/main0`, or `OTHER_SITES`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

from octaplan.core.flow.layer2 import Wires
from octaplan.core.plan.boxes import gateways, named
from octaplan.core.plan.device import Device, DeviceRole, PortMode
from octaplan.core.plan.site import Circuit, Handoff, Segment, SitePlan
from octaplan.core.values.addresses import BITS, Address, Network, is_link_local, is_public
from octaplan.core.values.lazy import lazy
from octaplan.core.values.services import EVERYTHING, NOTHING, Services, known_services, one_port, parse_services

OTHER_SITES = "other-sites"
INTERNET = "internet"
BOXES = "boxes"

#: Values of addresses of family 0: below these the place of a circuit, for the address that it gives.
_GATEWAYS, _ELSEWHERE = 1 << 20, 1 << 21

#: Metrics of default routes that a line brings along begin here, behind all that can be planned.
_BROUGHT = 1 << 17

#: What the services of management are, as protocols and ports (IANA).
MANAGEMENT = {
    "https": one_port("tcp", 443),
    "http": one_port("tcp", 80),
    "ssh": one_port("tcp", 22),
    "telnet": one_port("tcp", 23),
    "snmp": one_port("udp", 161),
}
PING, LEASES = parse_services("ping"), one_port("udp", 67)
LOOKUP = one_port("udp", 53) | one_port("tcp", 53)


class Hop(NamedTuple):
    """Where a route leads: a side, and the next hop there; none when whoever is asked is on that side itself."""

    side: str
    via: Address | None


#: The hop of a route that does not count.
NOWHERE = Hop("", None)


class Way(NamedTuple):
    """One line of a routing table, `path` its place in the plan; `circuit` is what must be up for it.

    `open` names the value that is not known yet and that it needs.
    """

    first: int
    last: int
    prefix: int
    metric: int
    hop: Hop
    path: str
    circuit: str = ""
    open: str = ""

    @property
    def leads(self) -> tuple[str, Address | None]:
        """Where it leads, as far as that matters: out by a circuit it is the same whoever is the next hop."""
        return (self.hop.side, None) if self.hop.side.startswith("/circuits/") else self.hop


class Permit(NamedTuple):
    """An allow rule, ready to be asked."""

    source: str
    target: str
    mask: int
    path: str


class Shown(NamedTuple):
    """A publication, ready to be asked: an outside address and services, and what they become."""

    key: str
    outside: Address
    mask: int
    services: Services
    host: str
    inside: Address
    shift: int
    sources: tuple[Network, ...]
    path: str
    circuit: str


@dataclass(eq=False)
class Node:
    """One box."""

    key: str
    device: Device
    name: str
    filters: bool
    #: Side, table and address of every interface.
    interfaces: list[tuple[str, str, Address, Network | None]] = field(default_factory=list)
    #: The ways out by table and family, the longest prefix and lowest metric first.
    tables: dict[tuple[str, int], list[Way]] = field(default_factory=dict)
    #: Routes that do not count, since their next hop lies in no connected subnet: by table and family.
    dead: dict[tuple[str, int], list[Way]] = field(default_factory=dict)
    rules: list[Permit] = field(default_factory=list)
    #: By circuit and segment: the address that a source gets, and the place in the plan.
    translations: dict[tuple[str, str], tuple[Address, str]] = field(default_factory=dict)
    publications: dict[str, list[Shown]] = field(default_factory=dict)

    @lazy
    def own(self) -> dict[tuple[str, Address], str]:
        """Its addresses by table, each with its side."""
        return {(table, point): side for side, table, point, _ in self.interfaces}

    @lazy
    def by_source(self) -> dict[str, list[Permit]]:
        """Its allow rules by who they let through."""
        found: dict[str, list[Permit]] = {}
        for rule in self.rules:
            found.setdefault(rule.source, []).append(rule)
        return found

    @lazy
    def table_of(self) -> dict[str, str]:
        """The table of each side."""
        return {side: table for side, table, _, _ in self.interfaces}


class Atoms:
    """Sets of services as whole numbers, a bit for each run of services that the plan never tells apart."""

    def __init__(self, sets: Iterable[Services]) -> None:
        cuts = {0, EVERYTHING.spans[0][1] + 1}
        for services in sets:
            for a, b in services.spans:
                cuts |= {a, b + 1}
        edges = sorted(cuts)
        self.spans = list(zip(edges, (edge - 1 for edge in edges[1:]), strict=False))
        self._place = {first: place for place, (first, _) in enumerate(self.spans)}
        self.all = (1 << len(self.spans)) - 1
        self._known: dict[Services, int] = {EVERYTHING: self.all, NOTHING: 0}

    def mask(self, services: Services) -> int:
        """A set as a number; every end of it is among those that the atoms were made of."""
        known = self._known.get(services)
        if known is None:
            known = 0
            for a, b in services.spans:
                last = self._place.get(b + 1, len(self.spans))
                known |= (1 << last) - (1 << self._place[a])
            self._known[services] = known
        return known

    def services(self, mask: int) -> Services:
        """The set of a number."""
        spans: list[tuple[int, int]] = []
        for place, (a, b) in enumerate(self.spans):
            if mask >> place & 1:
                if spans and spans[-1][1] == a - 1:
                    spans[-1] = (spans[-1][0], b)
                else:
                    spans.append((a, b))
        return Services(tuple(spans))


class Net:
    """The network of one plan. `asked` are sets of services that will be asked for besides those of the plan."""

    def __init__(self, plan: SitePlan, asked: Iterable[Services] = ()) -> None:
        self.plan = plan
        self._within: dict[tuple[Address, str], str] = {}
        self._given = {key: Address(0, place) for place, key in enumerate(plan.circuits)}
        self.wires = Wires(plan)
        self.gateways = gateways(plan)
        self.tables = {key: segment.vrf.casefold() for key, segment in plan.segments.items()}
        sets = list(dict.fromkeys(self._services(asked)))
        self.atoms = Atoms(self._with_moved(sets))
        self.nodes = {key: self._node(key, device) for key, device in plan.devices.items() if device.staged}
        edges = [key for key, node in self.nodes.items() if node.device.role is DeviceRole.EDGE]
        #: Where other sites hang on, when the site reaches any.
        self.outpost = edges[0] if edges and plan.groups else ""
        self.elsewhere = self._elsewhere() if self.outpost else {}
        for node in self.nodes.values():
            if node.device.routes_packets:
                self._fill_tables(node)
        self._published()

    # --- What there is

    @lazy
    def subnets(self) -> list[tuple[int, int, int, str]]:
        """Family, first and last value, and id of every segment, for each of its subnets."""
        found = []
        for key, segment in self.plan.segments.items():
            for subnet in (segment.subnet, segment.subnet6):
                if subnet is not None:
                    found.append((subnet.family, subnet.value, subnet.value + subnet.size - 1, key))
        return found

    def segment_of(self, point: Address, table: str = "") -> str:
        """The segment whose subnet holds an address, one of a table if there is one; empty when none does."""
        known = self._within.get((point, table))
        if known is None:
            family, value = point
            found = [key for f, first, last, key in self.subnets if f == family and first <= value <= last]
            known = next((key for key in found if self.tables[key] == table), next(iter(found), ""))
            self._within[point, table] = known
        return known

    @lazy
    def holders(self) -> dict[Address, list[tuple[str, str, str]]]:
        """By address the boxes that have it: id, side and table."""
        found: dict[Address, list[tuple[str, str, str]]] = {}
        for key, node in self.nodes.items():
            for side, table, point, _ in node.interfaces:
                found.setdefault(point, []).append((key, side, table))
        return found

    @lazy
    def hosts(self) -> dict[Address, list[str]]:
        """The fixed hosts at each address, those left out that are boxes of the site."""
        boxes = {device.host for device in self.plan.devices.values()}
        found: dict[Address, list[str]] = {}
        for key, host in self.plan.hosts.items():
            for address in (host.address, host.address6):
                if address is not None and key not in boxes:
                    found.setdefault(address, []).append(key)
        return found

    @lazy
    def lines(self) -> dict[str, str]:
        """The box on whose ports each circuit is."""
        found: dict[str, str] = {}
        for key, node in self.nodes.items():
            for side, _, _, _ in node.interfaces:
                if side.startswith("/circuits/"):
                    found.setdefault(side.removeprefix("/circuits/"), key)
        return found

    def _services(self, asked: Iterable[Services]) -> Iterable[Services]:
        yield from asked
        yield from MANAGEMENT.values()
        yield from (PING, LEASES, LOOKUP)
        for device in self.plan.devices.values():
            for allow in device.allows.values():
                yield known_services(allow.service) or NOTHING
            for one in device.publications.values():
                outside = known_services(one.service) or NOTHING
                yield outside
                yield moved_to_port(outside, one.port)

    def _with_moved(self, sets: list[Services]) -> list[Services]:
        """The sets, and what becomes of each where a publication changes ports, on the way in and on the way back; as
        often as a packet passes boxes that do."""
        moves: dict[tuple[Services, int], str] = {}
        for key, device in self.plan.devices.items():
            for one in device.publications.values():
                run = (known_services(one.service) or NOTHING).port
                if one.port is not None and run is not None and one.port != run[1]:
                    outside, by = one_port(*run), one.port - run[1]
                    moves[outside, by] = moves[moved_to_port(outside, one.port), -by] = key
        found = dict.fromkeys(sets)
        for _ in set(moves.values()):
            for services in list(found):
                for where, by in moves:
                    parts = (services & where).spans
                    found |= dict.fromkeys(Services(((a + by, b + by),)) for a, b in parts)
        return list(found)

    # --- Boxes

    def _node(self, key: str, device: Device) -> Node:
        node = Node(key, device, named(device), device.is_filter)
        if device.routes_packets:
            for segment in dict.fromkeys(s for u in device.ports.values() if u.enabled for s in u.segments):
                self._inside(node, segment)
            self._outside(node)
        else:
            self._managed(node)
        mask = self.atoms.mask
        for name, allow in device.allows.items():
            services = known_services(allow.service)
            if services is not None:
                path = f"/devices/{key}/allows/{name}"
                node.rules.append(Permit(allow.source, allow.target, mask(services), path))
        for name, one in device.translations.items():
            point = one.address if one.address is not None else self._circuit_point(one.circuit)
            if point is not None:
                side = f"/circuits/{one.circuit}"
                node.translations.setdefault((side, one.segment), (point, f"/devices/{key}/translations/{name}"))
        return node

    def _inside(self, node: Node, key: str) -> None:
        segment = self.plan.segments.get(key)
        if segment is None:
            return
        side, table = f"/segments/{key}", self.tables[key]
        device = node.device
        for subnet, gateway, own in (
            (segment.subnet, segment.gateway, device.addresses.get(key)),
            (segment.subnet6, segment.gateway6, device.addresses6.get(key)),
        ):
            address = own if own is not None else self._host_address(device, key, subnet)
            if address is None and node.key in self.gateways[key]:
                address = gateway
            if subnet is not None and address is not None and subnet.holds(address):
                node.interfaces.append((side, table, address, subnet))

    def _host_address(self, device: Device, segment: str, subnet: Network | None) -> Address | None:
        host = self.plan.hosts.get(device.host or "")
        if host is None or host.segment != segment or subnet is None:
            return None
        return host.address if subnet.family == 4 else host.address6

    def _outside(self, node: Node) -> None:
        for use in node.device.ports.values():
            circuit = self.plan.circuits.get(use.circuit or "")
            if use.mode is not PortMode.CIRCUIT or circuit is None or not use.enabled:
                continue
            side, table = f"/circuits/{use.circuit}", circuit.vrf.casefold()
            if circuit.address is not None and circuit.subnet is not None:
                node.interfaces.append((side, table, circuit.address, circuit.subnet))
            else:
                node.interfaces.append((side, table, self._given[use.circuit or ""], None))
            if circuit.address6 is not None and circuit.subnet6 is not None:
                node.interfaces.append((side, table, circuit.address6, circuit.subnet6))

    def _managed(self, node: Node) -> None:
        """The addresses of a box that does not route."""
        device = node.device
        host = self.plan.hosts.get(device.host or "")
        for key in dict.fromkeys([*device.addresses, *([host.segment] if host else [])]):
            segment = self.plan.segments.get(key)
            address = device.addresses.get(key) or (host.address if host else None)
            if segment is not None and address is not None:
                node.interfaces.append((f"/segments/{key}", self.tables[key], address, segment.subnet))

    def _circuit_point(self, key: str) -> Address | None:
        """The own address of a circuit, as far as the plan knows it."""
        circuit = self.plan.circuits.get(key)
        if circuit is None:
            return None
        return circuit.address or self._given[key]

    # --- Tables

    def _elsewhere(self) -> dict[int, Network]:
        """A network that stands for all other sites, by family: one that the plan draws no boundary in."""
        nets = [n for s in self.plan.segments.values() for n in (s.subnet, s.subnet6) if n is not None]
        nets += [
            n for c in self.plan.circuits.values() for n in (c.subnet, c.subnet6, *c.routed_blocks) if n is not None
        ]
        for device in self.plan.devices.values():
            nets += [route.to for route in device.routes.values() if not route.default]
        found = {}
        for family, start, size in ((4, 10 << 24, 24), (6, 0xFD << 120, 64)):
            busy = [n for n in nets if n.family == family]
            step = 1 << (BITS[family] - size)
            for number in range(1, 4096):
                one = Network(family, start + (0x00FF00 - number) * step, size)
                if not any(one.holds(n.first) or n.holds(one.first) for n in busy):
                    found[family] = one
                    break
        return found

    def _fill_tables(self, node: Node) -> None:
        lines: dict[tuple[str, int], list[Way]] = {}
        for side, table, _, subnet in node.interfaces:
            if subnet is not None:
                circuit = side.removeprefix("/circuits/") if side.startswith("/circuits/") else ""
                way = Way(
                    subnet.value, subnet.value + subnet.size - 1, subnet.prefix, -1, Hop(side, None), side, circuit
                )
                lines.setdefault((table, subnet.family), []).append(way)
        for key, route in node.device.routes.items():
            way, table = self._way(node, f"/devices/{node.key}/routes/{key}", key)
            if way.hop is NOWHERE and not way.open:
                node.dead.setdefault((table, route.to.family), []).append(way)
            else:
                lines.setdefault((table, route.to.family), []).append(way)
        for way, at in self._brought(node):
            lines.setdefault(at, []).append(way)
        if node.key == self.outpost:
            node.interfaces.append((OTHER_SITES, "main", Address(0, _ELSEWHERE), None))
            for family, net in self.elsewhere.items():
                way = Way(net.value, net.value + net.size - 1, net.prefix, -1, Hop(OTHER_SITES, None), "/reach_groups")
                lines.setdefault(("main", family), []).append(way)
        node.tables = {at: sorted(ways, key=lambda way: (-way.prefix, way.metric)) for at, ways in lines.items()}

    def _brought(self, node: Node) -> Iterator[tuple[Way, tuple[str, int]]]:
        """The default routes that PPPoE and DHCP bring along when a line comes up, after all that is planned."""
        planned = {route.circuit for route in node.device.routes.values() if route.default and route.to.family == 4}
        for side in dict.fromkeys(side for side, *_ in node.interfaces if side.startswith("/circuits/")):
            key = side.removeprefix("/circuits/")
            circuit = self.plan.circuits[key]
            if circuit.handoff in (Handoff.PPPOE, Handoff.DHCP) and key not in planned:
                metric = _BROUGHT + (1_000 if circuit.priority is None else circuit.priority)
                blank = Way(0, (1 << 32) - 1, 0, metric, NOWHERE, f"{side}/handoff")
                way, table = self._by_circuit(node, blank, key, 4)
                yield way, (table, 4)

    def _way(self, node: Node, path: str, key: str) -> tuple[Way, str]:
        """A static route as a line of a table, and of which."""
        route = node.device.routes[key]
        first, last = route.to.value, route.to.value + route.to.size - 1
        blank = Way(first, last, route.to.prefix, route.metric, NOWHERE, path)
        wanted = (route.table or "").casefold()
        if route.via is None and route.circuit is not None:
            return self._by_circuit(node, blank, route.circuit, route.to.family)
        if route.via is None:
            return blank, wanted or "main"
        via = route.via
        own = {point for _, _, point, _ in node.interfaces}
        for side, table, _, subnet in node.interfaces:
            near = subnet is not None and subnet.holds(route.via)
            if near and via not in own and (not wanted or wanted == table):
                circuit = side.removeprefix("/circuits/") if side.startswith("/circuits/") else ""
                return blank._replace(hop=Hop(side, via), circuit=circuit), table
        return blank, wanted or "main"

    def _by_circuit(self, node: Node, blank: Way, key: str, family: int) -> tuple[Way, str]:
        circuit = self.plan.circuits.get(key)
        side = f"/circuits/{key}"
        if circuit is None or side not in {one[0] for one in node.interfaces}:
            return blank, "main"
        table = circuit.vrf.casefold()
        known = needed(circuit, family)
        if known is None:
            return blank, table
        if known:
            return blank._replace(open=f"/circuits/{key}/{known}", circuit=key), table
        gateway = next((g for g in (circuit.gateway, circuit.gateway6) if g is not None and g.family == family), None)
        via = gateway or Address(0, _GATEWAYS + self._given[key].value)
        if gateway is not None and not _near(circuit, gateway):
            return blank, table
        return blank._replace(hop=Hop(side, via), circuit=key), table

    # --- Publications

    def _published(self) -> None:
        for key, node in self.nodes.items():
            for name, one in node.device.publications.items():
                services, host = known_services(one.service), self.plan.hosts.get(one.host)
                outside = one.address if one.address is not None else self._circuit_point(one.circuit)
                if services is None or host is None or outside is None:
                    continue
                six = outside.family == 6
                inside = host.address6 if six and host.address6 is not None else host.address
                if inside is None:
                    continue
                shift = 0 if one.port is None or services.port is None else one.port - services.port[1]
                side = f"/circuits/{one.circuit}"
                node.publications.setdefault(side, []).append(
                    Shown(
                        name,
                        outside,
                        self.atoms.mask(services),
                        services,
                        one.host,
                        inside,
                        shift,
                        tuple(one.sources),
                        f"/devices/{key}/publications/{name}",
                        one.circuit,
                    )
                )

    def shown_inside(self, one: Shown, mask: int) -> int:
        """What services of a publication become at the inside host."""
        if not one.shift:
            return mask & one.mask
        return self.moved(mask & one.mask, one.shift)

    def moved(self, mask: int, by: int) -> int:
        """Ports moved by so many; every end of what comes of it is told apart by the plan."""
        if not by:
            return mask
        return self.atoms.mask(Services(tuple((a + by, b + by) for a, b in self.atoms.services(mask).spans)))


def moved_to_port(services: Services, port: int | None) -> Services:
    """A run of ports as it is inside, where it begins at another port."""
    run = services.port
    if port is None or run is None:
        return services
    return one_port(run[0], port, min(65_535, port + run[2] - run[1]))


def needed(circuit: Circuit, family: int) -> str | None:
    """The first value that a circuit lacks to carry a family; empty when none; nothing when it does not carry it."""
    if family == 6 and not (circuit.address6 or circuit.gateway6) and not _is_six(circuit):
        return None
    if circuit.handoff is None and circuit.anchor is None:
        return "handoff"
    if circuit.handoff in (Handoff.PPPOE, Handoff.DHCP):
        return ""
    if family == 6 and not _is_six(circuit):
        fields = {"address6": circuit.address6, "prefix6": circuit.prefix6, "gateway6": circuit.gateway6}
    else:
        fields = {"address": circuit.address, "prefix": circuit.prefix, "gateway": circuit.gateway}
    return next((name for name, value in fields.items() if value is None), "")


def _is_six(circuit: Circuit) -> bool:
    return circuit.anchor is not None and circuit.anchor.family == 6


def _near(circuit: Circuit, gateway: Address) -> bool:
    """Whether a gateway is on the line: in its subnet, or known on the link only."""
    return any(net is not None and net.holds(gateway) for net in (circuit.subnet, circuit.subnet6)) or is_link_local(
        gateway
    )


@lru_cache(maxsize=4096)
def routable(point: Address) -> bool:
    """Whether the internet routes an address; that of a circuit which is not known yet counts as such."""
    return point.family == 0 or is_public(point)


def carries_six(plan: SitePlan) -> bool:
    """Whether a circuit of a plan brings IPv6."""
    return any(needed(circuit, 6) is not None for circuit in plan.circuits.values())


def subnets_of(segment: Segment) -> list[Network]:
    return [net for net in (segment.subnet, segment.subnet6) if net is not None]
