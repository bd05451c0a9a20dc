"""What goes into one box, typed and derived once from the plan; run sheet, sheets and the installer's page read it.

Nothing here is text to be shown but names that people gave. `None` means that the plan does not say it yet; what does
not apply to the box is left out. Secrets are places in the safe (`circuits/k3f9q/pppoe`), never their text.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from octaplan.core.plan.boxes import (
    circuits_of,
    is_gateway,
    named,
    next_hop,
    own_address,
    published_addresses,
    segment_of,
    servers,
)
from octaplan.core.plan.device import PLACES, Band, Device, DeviceRole, PortMode, PortUse, Security, Service
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import Circuit, Handoff, Host, Method, Segment, SegmentRole, SitePlan
from octaplan.core.values.addresses import Address, Network, Span


@dataclass(frozen=True, slots=True)
class Identity:
    """Who the box is. Time zone, location and contact fall back to those of the site."""

    host_name: str | None
    domain: str | None
    time_zone: str | None
    time_servers: tuple[str, ...]
    resolvers: tuple[Address, ...]
    forwarders: tuple[Address, ...]
    location: str | None
    contact: str | None
    banner: str | None
    gateway: Address | None


@dataclass(frozen=True, slots=True)
class InternetSide:
    """One circuit as it is typed in. `port` is empty where no port carries it; `password` a slot, for PPPoE.

    `metric` is that of the box's default route by it, if it has one.
    """

    key: str
    label: str
    port: str
    handoff: Handoff | None
    address: Address | None
    prefix: int | None
    subnet: Network | None
    gateway: Address | None
    resolvers: tuple[Address, ...]
    address6: Address | None
    prefix6: int | None
    gateway6: Address | None
    vlan: int | None
    mtu: int | None
    pppoe_user: str | None
    password: str
    routed_blocks: tuple[Network, ...]
    modem_subnet: Network | None
    metric: int | None = None

    @property
    def given(self) -> bool:
        """Whether the provider gives address, mask, gateway and resolvers when the line comes up."""
        return self.handoff in (Handoff.PPPOE, Handoff.DHCP)

    @property
    def dual(self) -> bool:
        """Whether an IPv6 hand-off stands beside the other."""
        return self.address6 is not None or self.gateway6 is not None


@dataclass(frozen=True, slots=True)
class ScopeSettings:
    """A DHCP scope: from where to where is leased, less what is excluded, and what clients are told.

    `span` is the whole run, once both ends are known.
    """

    first: Address | None
    last: Address | None
    span: Span | None
    excluded: tuple[Span, ...]
    router: Address | None
    resolvers: tuple[Address | str, ...]
    domain: str | None
    lease: int | None
    options: dict[str, str]
    reserved: tuple[Host, ...]


@dataclass(frozen=True, slots=True)
class PortPlace:
    """A port on which a segment lies, with the VLAN tag that it has there; `None`: untagged."""

    port: str
    tag: int | None


@dataclass(frozen=True, slots=True)
class Inside:
    """One segment on the box. `serves` is the scope when this box hands it out; `announced` its IPv6 prefix.

    With several `places` the box joins them into one network. `table` is its routing table, `gateway` whom a box that
    does not route sends everything else to.
    """

    key: str
    label: str
    vlan: int | None
    places: tuple[PortPlace, ...]
    table: str
    gateway: Address | None
    address: Address | None
    subnet: Network | None
    address6: Address | None
    announced: Network | None
    serves: ScopeSettings | None
    dhcp_by: Address | str
    subnet6: Network | None = None
    relay: Address | None = None


@dataclass(frozen=True, slots=True)
class RouteSettings:
    """A static route: by a next hop, or by what a circuit gives."""

    to: Network
    by: Address | None
    circuit: str
    metric: int
    table: str


@dataclass(frozen=True, slots=True)
class Carried:
    """A segment on a port."""

    key: str
    label: str
    vlan: int | None


@dataclass(frozen=True, slots=True)
class PortSettings:
    """What a port carries, and where its cable leads. `circuit` is the line's name, `provider` who brings it.

    `born_joined` names the ports that it is joined with out of its carton, and is not to stay with.
    """

    name: str
    mode: PortMode
    untagged: Carried | None
    tagged: tuple[Carried, ...]
    circuit: str
    provider: str
    bridge: str | None
    peer: str
    peer_port: str | None
    host: str
    cable: str | None
    born_joined: str = ""

    @property
    def carried(self) -> tuple[Carried, ...]:
        """Its segments, the untagged one first."""
        return (*([self.untagged] if self.untagged else []), *self.tagged)


@dataclass(frozen=True, slots=True)
class TranslationSettings:
    """A segment that goes out under the address of a circuit, or under a further `address` of it."""

    segment: str
    circuit: str
    address: Address | None = None


@dataclass(frozen=True, slots=True)
class AllowSettings:
    """A flow that is let through."""

    source: str
    target: str
    service: str


@dataclass(frozen=True, slots=True)
class PublicationSettings:
    """A fixed host that is reachable from outside: at which address, by what, for whom; `port` where it is another
    inside. Without `outside` it is the address that the circuit gives."""

    service: str
    circuit: str
    outside: Address | None
    host: str
    inside: Address | None
    port: int | None
    sources: tuple[Network, ...]


@dataclass(frozen=True, slots=True)
class ClosedSettings:
    """Where nothing from a source may go, since no rule lets it."""

    source: str
    targets: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class OwnSettings:
    """What the box itself has to answer to a segment, once everything is blocked: services as protocol and port."""

    segment: str
    services: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class AccessSettings:
    """From where the box may be managed."""

    service: Service
    segment: str
    networks: tuple[Network, ...]


@dataclass(frozen=True, slots=True)
class WirelessSettings:
    """One Wi-Fi network; `password` is the slot of its key, empty when it is open."""

    key: str
    name: str
    segment: str
    vlan: int | None
    security: Security
    band: Band
    hidden: bool
    client_limit: int | None
    country: str | None
    password: str


@dataclass(frozen=True, slots=True)
class BoxSettings:
    """All of it, in the order one types it in."""

    identity: Identity
    internet: tuple[InternetSide, ...]
    routes: tuple[RouteSettings, ...]
    inside: tuple[Inside, ...]
    ports: tuple[PortSettings, ...]
    translations: tuple[TranslationSettings, ...]
    allows: tuple[AllowSettings, ...]
    publications: tuple[PublicationSettings, ...]
    closed: tuple[ClosedSettings, ...]
    filters: bool
    own: tuple[OwnSettings, ...]
    wireless: tuple[WirelessSettings, ...]
    access: tuple[AccessSettings, ...]


def settings_of(
    plan: SitePlan, key: str, kind: HardwareType | None = None, organisation: Organisation = UNDECIDED
) -> BoxSettings:
    """What goes into a device of a plan. Its hardware type, where known, tells whether it has a radio of its own."""
    device = plan.devices[key]
    labels = {one: f"{host.name} {host.address or host.address6 or ''}".strip() for one, host in plan.hosts.items()}
    labels |= {one: segment.label for one, segment in plan.segments.items()} | PLACES
    return BoxSettings(
        identity=_identity(plan, device, organisation),
        internet=tuple(internet_side(plan, circuit, device) for circuit, _ in circuits_of(plan, device)),
        routes=tuple(
            RouteSettings(
                route.to,
                next_hop(plan, route),
                plan.circuits[route.circuit].label if route.circuit in plan.circuits else "",
                route.metric,
                route.table or _table_of(plan, next_hop(plan, route)),
            )
            for route in device.routes.values()
        ),
        inside=tuple(
            _inside(plan, key, segment)
            for segment in dict.fromkeys([*device.carried(), *device.addresses])
            if segment in plan.segments
        ),
        ports=tuple(_port(plan, device, name, kind) for name in device.ports),
        translations=tuple(
            TranslationSettings(labels.get(t.segment, "a removed segment"), plan.circuits[t.circuit].label, t.address)
            for t in device.translations.values()
            if t.circuit in plan.circuits
        ),
        allows=tuple(
            AllowSettings(labels.get(a.source, "removed"), labels.get(a.target, "removed"), a.service)
            for a in device.allows.values()
        ),
        publications=tuple(_publications(plan, device)),
        closed=tuple(_closed(plan, device, labels)),
        filters=device.is_filter,
        own=tuple(_own(plan, key)),
        wireless=tuple(_wireless(plan, labels)) if _on_air(plan, device, kind) else (),
        access=tuple(
            AccessSettings(access.service, labels.get(access.segment or "", ""), tuple(access.networks))
            for access in device.access.values()
        ),
    )


def _identity(plan: SitePlan, device: Device, organisation: Organisation) -> Identity:
    return Identity(
        host_name=device.name,
        domain=device.domain,
        time_zone=device.time_zone or plan.time_zone,
        time_servers=tuple(device.time_servers),
        resolvers=tuple(device.resolvers),
        forwarders=tuple(device.forwarders),
        location=device.location or plan.street,
        contact=device.contact or plan.contact,
        banner=device.banner or organisation.banner or None,
        gateway=device.gateway,
    )


def internet_side(plan: SitePlan, key: str, device: Device | None = None) -> InternetSide:
    """One circuit of a plan as it is typed in, at a box or wherever it ends."""
    circuit: Circuit = plan.circuits[key]
    ports = device.ports.items() if device is not None else ()
    pppoe = circuit.handoff is Handoff.PPPOE
    return InternetSide(
        key=key,
        label=circuit.label,
        port=next((name for name, use in ports if use.circuit == key), ""),
        handoff=circuit.handoff,
        address=circuit.address,
        prefix=circuit.prefix,
        subnet=circuit.subnet,
        gateway=circuit.gateway,
        resolvers=tuple(circuit.resolvers),
        address6=circuit.address6,
        prefix6=circuit.prefix6,
        gateway6=circuit.gateway6,
        vlan=circuit.vlan,
        mtu=circuit.mtu,
        pppoe_user=circuit.pppoe_user,
        password=f"circuits/{key}/pppoe" if pppoe else "",
        routed_blocks=tuple(circuit.routed_blocks),
        modem_subnet=circuit.modem_subnet,
        metric=next(
            (
                route.metric
                for route in (device.routes.values() if device else ())
                if route.default and route.circuit == key
            ),
            None,
        ),
    )


def _table_of(plan: SitePlan, hop: Address | None) -> str:
    """The routing table of the segment that a next hop lies in."""
    found = segment_of(plan, hop) if hop is not None else None
    return found[1].vrf if found is not None else "main"


def _inside(plan: SitePlan, box: str, key: str) -> Inside:
    device, segment = plan.devices[box], plan.segments[key]
    address = own_address(plan, device, key)
    announces = segment.subnet6 is not None and is_gateway(plan, device, key)
    serves = any(server == box for server, _ in servers(plan, key))
    near = device.gateway is not None and segment.subnet is not None and segment.subnet.holds(device.gateway)
    return Inside(
        key=key,
        label=segment.label,
        vlan=segment.vlan,
        places=tuple(_places(device, key, segment.vlan)),
        table=segment.vrf if device.routes_packets else "main",
        gateway=device.gateway if address is not None and not device.routes_packets and near else None,
        address=address,
        subnet=segment.subnet if address is not None else None,
        address6=segment.gateway6 if announces else device.addresses6.get(key),
        announced=segment.subnet6 if announces else None,
        serves=scope_settings(plan, key) if serves else None,
        dhcp_by=segment.scope.server,
        subnet6=segment.subnet6,
        relay=device.relays.get(key),
    )


def _publications(plan: SitePlan, device: Device) -> Iterator[PublicationSettings]:
    for one in device.publications.values():
        circuit, host = plan.circuits.get(one.circuit), plan.hosts.get(one.host)
        if circuit is not None and host is not None:
            outside, inside = published_addresses(plan, one)
            yield PublicationSettings(
                one.service, circuit.label, outside, host.name, inside, one.port, tuple(one.sources)
            )


def _places(device: Device, key: str, vlan: int | None) -> Iterator[PortPlace]:
    for name, use in device.ports.items():
        if use.mode not in (PortMode.UNUSED, PortMode.CIRCUIT) and key in use.segments:
            yield PortPlace(name, None if use.segment == key else vlan)


def _closed(plan: SitePlan, device: Device, labels: dict[str, str]) -> Iterator[ClosedSettings]:
    """What a box that filters must not let through: wherever no allow rule leads, inside and from outside."""
    inside = [key for key, segment in plan.segments.items() if segment.role is not SegmentRole.TRANSIT]
    if not device.is_filter:
        return

    def opened(source: str, target: str) -> bool:
        return any(a.source in (source, "all") and a.target in (target, "all") for a in device.allows.values())

    for source in [*inside, "internet"]:
        others = [key for key in inside if key != source]
        shut = [key for key in others if not opened(source, key)]
        everything = len(shut) == len(others) > 1
        targets = ["everything inside"] if everything else [labels[key] for key in shut]
        if source != "internet" and not opened(source, "internet"):
            targets.append(PLACES["internet"])
        if targets:
            yield ClosedSettings(labels[source], tuple(targets))


def _own(plan: SitePlan, box: str) -> Iterator[OwnSettings]:
    """What clients ask of the box itself: leases and names where it gives them, and ping."""
    device = plan.devices[box]
    if not device.routes_packets:
        return
    for key in device.carried():
        segment = plan.segments.get(key)
        if segment is None or own_address(plan, device, key) is None:
            continue
        leases = ("udp/67",) if any(server == box for server, _ in servers(plan, key)) and segment.scope.span else ()
        asked = is_gateway(plan, device, key) and "gateway" in segment.resolvers
        yield OwnSettings(segment.label, ("ping", *leases, *(("udp/53", "tcp/53") if asked else ())))


def scope_settings(plan: SitePlan, key: str) -> ScopeSettings | None:
    """What DHCP hands out on a segment, whoever serves it; nothing when it is off or no end of a range is known."""
    segment: Segment = plan.segments[key]
    scope = segment.scope
    if scope.server == "none" or (scope.first is None and scope.last is None):
        return None
    return ScopeSettings(
        first=scope.first,
        last=scope.last,
        span=scope.span,
        excluded=tuple(scope.excluded),
        router=segment.gateway,
        resolvers=tuple(segment.gateway or r if r == "gateway" else r for r in segment.resolvers),
        domain=segment.domain,
        lease=scope.lease,
        options=dict(scope.options),
        reserved=tuple(
            host
            for host in plan.hosts.values()
            if host.segment == key and host.method is Method.RESERVED and host.address is not None
        ),
    )


def _port(plan: SitePlan, device: Device, name: str, kind: HardwareType | None) -> PortSettings:
    use = device.ports[name]

    def carried(key: str | None) -> Carried | None:
        segment = plan.segments.get(key or "")
        return Carried(key or "", segment.label, segment.vlan) if segment is not None else None

    circuit = plan.circuits.get(use.circuit or "") if use.mode is PortMode.CIRCUIT else None
    peer = plan.devices.get(use.peer or "")
    return PortSettings(
        name=name,
        mode=use.mode,
        untagged=carried(use.segment),
        tagged=tuple(one for one in map(carried, use.tagged) if one is not None),
        circuit=circuit.label if circuit else "",
        provider=(circuit.provider or circuit.label) if circuit else "",
        bridge=use.bridge,
        peer=named(peer) if peer else "",
        peer_port=use.peer_port,
        host=plan.hosts[use.host].name if use.host in plan.hosts else "",
        cable=use.cable,
        born_joined=_born_joined(device, name, kind) if device.routes_packets else "",
    )


def _born_joined(device: Device, name: str, kind: HardwareType | None) -> str:
    """The other ports that a port is joined with out of its carton, when they are to carry something else."""
    port = kind.ports.get(name) if kind else None
    if kind is None or port is None or port.bridge is None:
        return ""
    others = [n for n, other in kind.ports.items() if other.bridge == port.bridge and n != name]
    mine = device.ports[name]

    def alike(other: PortUse | None) -> bool:
        return other is not None and (other.mode, other.segment, other.bridge) == (mine.mode, mine.segment, mine.bridge)

    return "" if all(alike(device.ports.get(n)) for n in others) else " ".join(others)


def _on_air(plan: SitePlan, device: Device, kind: HardwareType | None) -> bool:
    """Whether the box sends the site's Wi-Fi: an access point, or without any a box with a radio of its own."""
    points = any(other.role is DeviceRole.ACCESS_POINT for other in plan.devices.values())
    return device.role is DeviceRole.ACCESS_POINT or (kind is not None and kind.radio and not points)


def _wireless(plan: SitePlan, labels: dict[str, str]) -> Iterator[WirelessSettings]:
    for key, wifi in plan.wireless.items():
        yield WirelessSettings(
            key=key,
            name=wifi.name,
            segment=labels.get(wifi.segment or "", ""),
            vlan=plan.segments[wifi.segment].vlan if wifi.segment in plan.segments else None,
            security=wifi.security,
            band=wifi.band,
            hidden=wifi.hidden,
            client_limit=wifi.client_limit,
            country=wifi.country,
            password="" if wifi.security is Security.OPEN else f"wireless/{key}/key",
        )
