"""The engineer's site sheet: every value to type, by circuit, segment and box, and no secrets."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.network import BOXES
from octaplan.core.flow.telling import place_name
from octaplan.core.plan.boxes import named, own_address
from octaplan.core.plan.credentials import Slot
from octaplan.core.plan.device import PortMode
from octaplan.core.plan.fields import FIELDS
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import Attachment, Handoff, Host, SegmentRole, SitePlan
from octaplan.core.stage.settings import (
    AccessSettings,
    InternetSide,
    PortSettings,
    ScopeSettings,
    internet_side,
    scope_settings,
    settings_of,
)
from octaplan.core.values.addresses import prefixed
from octaplan.core.values.readers import lease_text


@dataclass(frozen=True, slots=True)
class SheetRow:
    """A label and its value; nothing when it is not known yet, which leaves a line to write on."""

    label: str
    text: str | None


@dataclass(frozen=True, slots=True)
class SheetHost:
    """A fixed host of a segment."""

    name: str
    addresses: list[str]
    mac: str
    method: str
    port: str


@dataclass(frozen=True, slots=True)
class SheetPort:
    """A port that is used, and what it carries."""

    name: str
    mode: PortMode
    carries: str
    cable: str


@dataclass(frozen=True, slots=True)
class SheetPart:
    """A circuit, a segment or a box."""

    title: str
    about: str
    rows: list[SheetRow]
    hosts: list[SheetHost]
    ports: list[SheetPort]


@dataclass(frozen=True, slots=True)
class SiteSheet:
    """The whole sheet: what is known of the site, then its parts."""

    facts: list[SheetRow]
    parts: list[SheetPart]


def site_sheet(
    plan: SitePlan, hardware: Mapping[str, HardwareType], organisation: Organisation = UNDECIDED
) -> SiteSheet:
    """The site sheet of a plan."""
    facts = [
        SheetRow("Street", plan.street),
        SheetRow("Contact", plan.contact),
        SheetRow("Time zone", plan.time_zone),
        SheetRow("Ships", f"{plan.ship_date:%a} {plan.ship_date}" if plan.ship_date else None),
        SheetRow("Technician", plan.technician),
        *([SheetRow("Our support", organisation.support)] if organisation.support else []),
    ]
    parts = [_circuit_part(plan, key) for key in plan.circuits]
    parts += [_segment_part(plan, key) for key in plan.segments]
    parts += [_device_part(plan, key, hardware, organisation) for key in plan.devices]
    parts += _traffic_parts(plan, organisation)
    return SiteSheet(facts, parts)


def _traffic_parts(plan: SitePlan, organisation: Organisation) -> Iterator[SheetPart]:
    """Who reaches whom, by what the boxes do: a line for each that asks."""
    traffic = Traffic(plan, organisation)
    if not traffic.walkable or not traffic.complete:
        return
    rows = []
    for source in traffic.rows:
        told = []
        for target in traffic.columns:
            cell = traffic.cell(source, target) if source != target else None
            if cell is not None and cell.ever:
                services = str(traffic.net.atoms.services(cell.ever))
                by = "" if cell.result == "passes" or services == "any" or target == BOXES else f" ({services})"
                told.append(f"{place_name(traffic, target)}{by}")
        name = place_name(traffic, source)
        rows.append(SheetRow(name[:1].upper() + name[1:], ", ".join(told) or "nobody"))
    yield SheetPart("Who reaches whom", "everything else is closed", rows, [], [])


def _known(value: object) -> str | None:
    return None if value in (None, "") else str(value)


def _several(values: Sequence[object]) -> str | None:
    return "  ".join(map(str, values)) or None


def _circuit_part(plan: SitePlan, key: str) -> SheetPart:
    circuit, side = plan.circuits[key], internet_side(plan, key)
    rows = [*_internet_rows(side)]
    rows += [SheetRow(use, address) for address, use in circuit.uses.items()]
    rows += [SheetRow("Provider", circuit.provider), SheetRow("Reference", circuit.reference)]
    rows += [SheetRow("Rung when it is down", circuit.fault_number)]
    return SheetPart(f"Internet side: {side.label}", "", rows, [], [])


def _internet_rows(side: InternetSide) -> Iterator[SheetRow]:
    given = "given by the provider" if side.given else None
    handoff = FIELDS["circuits"]["handoff"].choices.get(side.handoff or "")
    yield SheetRow("Hand-off", handoff)
    yield SheetRow("Address", _known(side.address) or given)
    yield SheetRow("Mask", _mask(side) or given)
    yield SheetRow("Gateway", _known(side.gateway) or given)
    yield SheetRow("Resolvers", _several(side.resolvers) or given)
    if side.dual:
        yield SheetRow("IPv6 address", prefixed(side.address6, side.prefix6) or None)
        yield SheetRow("IPv6 gateway", _known(side.gateway6))
    if side.modem_subnet is not None:
        yield SheetRow("Modem's inside", str(side.modem_subnet))
    yield SheetRow("VLAN tag", str(side.vlan) if side.vlan else "none")
    if side.mtu is not None:
        yield SheetRow("MTU", str(side.mtu))
    if side.handoff is Handoff.PPPOE:
        yield SheetRow("PPPoE user", side.pppoe_user)
    if side.subnet is not None:
        yield SheetRow("Hand-off subnet", str(side.subnet))
    if side.routed_blocks:
        yield SheetRow("Routed blocks", _several(side.routed_blocks))


def _mask(side: InternetSide) -> str | None:
    """The mask as boxes want it; as a length while no address tells its family."""
    if side.subnet is not None:
        return f"{side.subnet.mask} (/{side.subnet.prefix})"
    return f"/{side.prefix}" if side.prefix is not None else None


def _segment_part(plan: SitePlan, key: str) -> SheetPart:
    segment = plan.segments[key]
    served = {"edge": "this site's edge", "none": "nobody: DHCP is off"}
    none = "none" if segment.role in (SegmentRole.TRANSIT, SegmentRole.ISOLATED) else None
    rows = [
        SheetRow("VLAN", str(segment.vlan) if segment.vlan else "none"),
        SheetRow("Subnet", _known(segment.subnet)),
        SheetRow("Mask", segment.subnet.mask if segment.subnet else None),
        SheetRow("Gateway", _known(segment.gateway) or none),
    ]
    if segment.subnet6 is not None:
        rows += [
            SheetRow("IPv6 subnet", str(segment.subnet6)),
            SheetRow("IPv6 gateway", _known(segment.gateway6)),
        ]
    if segment.kept:
        rows.append(SheetRow("Kept", "; ".join(f"{keep.run} for {keep.kind}" for keep in segment.kept)))
    rows.append(SheetRow("DHCP served by", served.get(str(segment.scope.server), str(segment.scope.server))))
    scope = scope_settings(plan, key)
    if scope is not None:
        rows += _scope_rows(scope)
    else:
        rows += [SheetRow(f"Option {number}", text) for number, text in segment.scope.options.items()]
    if (counted := _counted(plan, key)) is not None:
        rows.append(SheetRow("Addresses", counted))
    if segment.vrf != "main":
        rows.append(SheetRow("VRF", segment.vrf))
    hosts = [host for host in plan.hosts.values() if host.segment == key]
    hosts.sort(key=lambda host: (host.address is None, host.address or 0, host.name))
    return SheetPart(segment.label, segment.role, rows, [_host(plan, host) for host in hosts], [])


def _counted(plan: SitePlan, key: str) -> str | None:
    """How many addresses are fixed, leased and free; a fixed one inside the range is counted as fixed."""
    segment = plan.segments[key]
    if segment.subnet is None or segment.subnet.family != 4:
        return None
    own = [host.address for host in plan.hosts.values() if host.segment == key]
    fixed = {a for a in (segment.gateway, *own) if a is not None and segment.subnet.holds(a)}
    pieces = segment.scope.pieces
    inside = sum(any(piece.holds(address) for piece in pieces) for address in fixed)
    leased = sum(piece.size for piece in pieces) - inside
    free = max(0, segment.subnet.usable.size - leased - len(fixed))
    return f"{len(fixed)} fixed, {leased} leased, {free} free"


def _scope_rows(scope: ScopeSettings) -> Iterator[SheetRow]:
    yield SheetRow("DHCP first", _known(scope.first))
    yield SheetRow("DHCP last", _known(scope.last))
    if scope.excluded:
        yield SheetRow("Excluded", _several([span.typed for span in scope.excluded]))
    yield SheetRow("Lease", lease_text(scope.lease) if scope.lease else "the server's default")
    yield SheetRow("Resolvers", _several(scope.resolvers))
    yield SheetRow("Domain", scope.domain or "none")
    for number, text in scope.options.items():
        yield SheetRow(f"Option {number}", text)


def _host(plan: SitePlan, host: Host) -> SheetHost:
    addresses = [str(address) for address in (host.address, host.address6) if address is not None]
    method = FIELDS["hosts"]["method"].choices[host.method]
    return SheetHost(host.name, addresses, str(host.mac or ""), method, _hangs_on(plan, host))


def _hangs_on(plan: SitePlan, host: Host) -> str:
    """The port that a host is plugged into, or that Wi-Fi carries it; empty when it is not said."""
    if host.attached is Attachment.WIFI:
        return "Wi-Fi"
    for device in plan.devices.values():
        for name, use in device.ports.items():
            if plan.hosts.get(use.host or "") is host:
                powered = ", which powers it" if host.attached is Attachment.POWERED_CABLE else ""
                return f"port {name} of {named(device)}{powered}"
    return ""


def where_and_as_whom(plan: SitePlan, slot: Slot, hardware: Mapping[str, HardwareType]) -> str:
    """Where and as whom one logs in with a secret: address, service, user; what it opens where it is no log-in."""
    kind, key = slot.path.split("/")[0], slot.path.split("/")[1]
    if kind == "wireless" and key in plan.wireless:
        segment = plan.segments.get(plan.wireless[key].segment or "")
        return f"Wi-Fi {plan.wireless[key].name}, leads into {segment.label if segment else 'no segment yet'}"
    if kind == "circuits" and key in plan.circuits:
        return f"PPPoE user {plan.circuits[key].pppoe_user or 'not known yet'}"
    device = plan.devices.get(key)
    if kind != "devices" or device is None:
        return plan.slots[key].about or "" if kind == "slots" and key in plan.slots else ""
    type_ = hardware.get(device.type)
    user = type_.factory.user if type_ else None
    places = []
    for access in device.access.values():
        address = own_address(plan, device, access.segment or "")
        if address is not None:
            host = f"[{address}]" if address.family == 6 else str(address)
            web = access.service in ("https", "http")
            places.append(f"{access.service}://{host}" if web else f"{access.service.upper()} to {address}")
    if type_ is not None and type_.console is not None:
        places.append("its console")
    whom = f"as {user}" if user else "without a user name"
    return f"{' or '.join(places)}, {whom}" if places else whom


def _device_part(
    plan: SitePlan, key: str, hardware: Mapping[str, HardwareType], organisation: Organisation
) -> SheetPart:
    device, kind = plan.devices[key], hardware.get(plan.devices[key].type)
    settings = settings_of(plan, key, kind, organisation)
    rows = [
        SheetRow("Hardware", kind.title if kind else "of a type that is not on Hardware any more"),
        SheetRow("Serial", device.serial),
        SheetRow("MACs", _several(device.macs)),
        SheetRow("Time servers", _several(device.time_servers)),
    ]
    for label, value in (("Asset tag", device.asset_tag), ("Firmware", device.firmware), ("Gateway", device.gateway)):
        if value is not None:
            rows.append(SheetRow(label, str(value)))
    for segment in dict.fromkeys([*device.carried(), *device.addresses]):
        address = own_address(plan, device, segment)
        if segment in plan.segments and address is not None:
            rows.append(SheetRow(plan.segments[segment].label, str(address)))
    for label, several in (
        ("Resolvers, for itself", settings.identity.resolvers),
        ("Resolvers, for its clients", settings.identity.forwarders),
    ):
        if several:
            rows.append(SheetRow(label, _several(several)))
    rows += [
        SheetRow(f"To {route.to}", f"{route.by or 'the gateway that the provider gives'}, metric {route.metric}")
        for route in settings.routes
    ]
    rows += [SheetRow("Translates", f"{one.segment} to the address of {one.circuit}") for one in settings.translations]
    rows += [SheetRow("Lets through", f"{one.source} to {one.target}, {one.service}") for one in settings.allows]
    rows += [SheetRow("Closed", f"{one.source} to {', '.join(one.targets)}") for one in settings.closed]
    rows += [SheetRow(f"Managed by {one.service.upper()}", _from_where(one)) for one in settings.access]
    rows += [
        SheetRow(
            f"Wi-Fi {one.name}",
            f"{one.segment}, {one.security.upper()}, {one.band} GHz{', hidden' if one.hidden else ''}",
        )
        for one in settings.wireless
    ]
    return SheetPart(named(device), device.role.words, rows, [], [*_ports(settings.ports)])


def _from_where(access: AccessSettings) -> str | None:
    """From where a box may be managed."""
    return ", ".join([*filter(None, [access.segment]), *map(str, access.networks)]) or None


def _ports(ports: Sequence[PortSettings]) -> Iterator[SheetPort]:
    for port in ports:
        if port.mode is not PortMode.UNUSED:
            yield SheetPort(port.name, port.mode, carried(port), port.cable or "")


def carried(port: PortSettings, most: int = 64) -> str:
    """What a port carries in a line, and where it leads; of more segments than `most` only how many."""
    if port.mode is PortMode.CIRCUIT:
        return port.circuit or "nothing"
    names = [f"{port.untagged.label}{' untagged' if port.tagged else ''}"] if port.untagged else []
    names += [f"{one.label} (VLAN {one.vlan})" if one.vlan else one.label for one in port.tagged]
    if len(names) > most:
        names = [f"{len(names)} segments"]
    to = f"{port.peer} {port.peer_port or ''}".rstrip() if port.peer else port.host
    return ", ".join(names) + (f", to {to}" if to else "")
