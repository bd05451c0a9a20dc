"""The settings of a box as values to type in, in the words of the run sheet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from octaplan.core.plan.device import PortMode
from octaplan.core.plan.site import Handoff
from octaplan.core.stage.settings import (
    AccessSettings,
    BoxSettings,
    Identity,
    Inside,
    InternetSide,
    PortSettings,
    PublicationSettings,
    RouteSettings,
    WirelessSettings,
)
from octaplan.core.values.addresses import prefixed
from octaplan.core.values.readers import lease_text
from octaplan.core.values.words import listed


@dataclass(frozen=True, slots=True)
class Value:
    """One value to type into the box. A `secret` is a slot of the safe; its text is not here.

    What is not `copied` is for people to read: no box takes it as it stands.
    """

    label: str
    text: str
    secret: str = ""
    copied: bool = True


def told(label: str, text: str) -> Value:
    """Something to be read and done, which is not typed as it stands."""
    return Value(label, text, copied=False)


def _text(value: object) -> str:
    return "" if value is None else str(value)


def _several(values: Sequence[object]) -> str:
    return "  ".join(map(str, values))


def identity_values(identity: Identity) -> Iterator[Value]:
    """Who the box is."""
    yield Value("Host name", _text(identity.host_name))
    yield Value("Domain", _text(identity.domain))
    yield Value("Time zone", _text(identity.time_zone))
    yield Value("Time servers", _several(identity.time_servers))
    yield told("Clock", "set it by hand now: no time server is reached before the internet is there")
    yield Value("Resolvers, for itself", _several(identity.resolvers))
    yield Value("Resolvers, for its clients", _several(identity.forwarders))
    yield Value("Location", _text(identity.location))
    yield Value("Contact", _text(identity.contact))
    yield Value("Banner", _text(identity.banner))


def internet_values(side: InternetSide) -> Iterator[Value]:
    """One circuit, from its port inwards."""
    yield Value("Port", side.port)
    if side.handoff is Handoff.PPPOE:
        yield told("Hand-off", "PPPoE")
        yield Value("PPPoE user", _text(side.pppoe_user))
        yield Value("PPPoE password", "", side.password)
    elif side.handoff is Handoff.DHCP:
        yield told("Hand-off", "DHCP: the provider gives everything")
    else:
        yield Value("Address", _text(side.address))
        yield Value("Mask", side.subnet.mask if side.subnet else "")
        yield Value("Gateway", _text(side.gateway))
        yield Value("Resolvers", _several(side.resolvers))
    if side.dual:
        yield Value("IPv6 address", prefixed(side.address6, side.prefix6))
        yield Value("IPv6 gateway", _text(side.gateway6))
    yield Value("VLAN tag", str(side.vlan)) if side.vlan else told("VLAN tag", "none")
    yield Value("MTU", _text(side.mtu))
    if side.metric is not None:
        by = "the gateway that the provider gives" if side.given else f"{side.gateway or 'the gateway'}"
        yield told("Default route", f"by {by}, metric {side.metric}; where the box makes it itself, do not add another")


def route_value(route: RouteSettings) -> Value:
    """One static route."""
    by = route.by or (f"the gateway that {route.circuit}'s provider gives" if route.circuit else "nothing yet")
    table = f", table {route.table}" if route.table != "main" else ""
    return told(f"To {'anywhere' if route.to.prefix == 0 else route.to}", f"by {by}, metric {route.metric}{table}")


def place_words(inside: Inside) -> str:
    """On which interface of the box a segment lies: a port, a VLAN of a port, or several joined."""
    places = [f"port {p.port}" if p.tag is None else f"VLAN {p.tag} of port {p.port}" for p in inside.places]
    return f"{listed(places)}, joined into one network (a bridge)" if len(places) > 1 else "".join(places)


def inside_values(inside: Inside, *, edge: bool, native: bool = False) -> Iterator[Value]:
    """One segment: where it lies, the box's own address, and the scope where it serves one. What is `native` lies
    untagged on its port, and the box must not be told its VLAN."""
    if edge:
        yield told("On", place_words(inside))
    if native:
        yield told("VLAN", "none: its port carries this segment untagged")
    else:
        yield Value("VLAN", _text(inside.vlan))
    if inside.table != "main":
        yield Value("Routing table of its own (VRF)", inside.table)
    yield Value("Own address", _text(inside.address))
    yield Value("Mask", inside.subnet.mask if inside.subnet else "")
    if inside.address is not None and edge:
        yield told("Gateway", "leave empty")
    yield Value("Gateway", _text(inside.gateway))
    if inside.announced is not None:
        yield Value("Own IPv6 address", prefixed(inside.address6, inside.announced.prefix))
        yield Value("IPv6 prefix announced", str(inside.announced))
    elif inside.address6 is not None and inside.subnet6 is not None:
        yield Value("Own IPv6 address", prefixed(inside.address6, inside.subnet6.prefix))
    if inside.relay is not None:
        yield Value("Pass DHCP requests on to (relay)", str(inside.relay))
    scope = inside.serves
    if scope is None or scope.span is None:
        if edge and inside.address is not None:
            yield told("DHCP", "off" if inside.dhcp_by == "none" else f"served by {inside.dhcp_by}: off here")
        return
    yield Value("Range first", str(scope.span.first))
    yield Value("Range last", str(scope.span.last))
    yield Value("Number of addresses, if that is asked", str(scope.span.size))
    yield Value("Excluded", _several([span.typed for span in scope.excluded]))
    yield Value("Router handed out", _text(scope.router))
    yield Value("Resolvers handed out", _several(scope.resolvers))
    yield Value("Inside domain", _text(scope.domain))
    yield Value("Lease", f"{lease_text(scope.lease)} ({scope.lease:,} s)" if scope.lease else "", copied=False)
    for number, text in scope.options.items():
        yield Value(f"Option {number}", text)
    for host in scope.reserved:
        yield Value(f"Reserve for {host.name}", f"{host.address}  {host.mac or ''}".strip())


def port_values(ports: Sequence[PortSettings]) -> Iterator[Value]:
    """What each port carries; those of circuits have a step of their own."""
    for port in ports:
        label, apart = f"Port {port.name}", f"; out of the ports {port.born_joined} that it is joined with"
        apart = apart if port.born_joined else ""
        if port.mode is PortMode.UNUSED:
            yield told(label, "off")
        elif port.mode is PortMode.TRUNK:
            untagged = f"{port.untagged.vlan or port.untagged.label}" if port.untagged else "none"
            tagged = " ".join(str(one.vlan) for one in port.tagged) or "none"
            yield told(label, f"trunk: untagged {untagged}, tagged {tagged}{apart}")
        elif port.mode is not PortMode.CIRCUIT and port.carried:
            joined = f"joined ports {port.bridge or ''}".rstrip()
            how = joined if port.mode is PortMode.BRIDGE else str(port.mode)
            carried = ", ".join(f"{one.label}{f' (VLAN {one.vlan})' if one.vlan else ''}" for one in port.carried)
            yield told(label, f"{how}: {carried}{apart}")


def rule_values(settings: BoxSettings, *, blocked: bool) -> Iterator[Value]:
    """Translations and allow rules; what clients ask of a box that blocks everything; what one that does not must."""
    for translation in settings.translations:
        to = f"{translation.address} of" if translation.address is not None else "the address of"
        yield told("Translate", f"{translation.segment} to {to} {translation.circuit}")
    for shown in settings.publications:
        yield told("Publish", publication_words(shown))
    for allow in settings.allows:
        yield told("Allow", f"{allow.source} to {allow.target}, {allow.service}")
    if blocked and not settings.filters and settings.inside:
        yield told("Allow", "everything between its segments: this box does not filter")
    for own in settings.own if blocked else ():
        yield told("Allow", f"{own.segment} to the box itself: {', '.join(own.services)}")
    for closed in settings.closed if not blocked else ():
        yield told("Close", f"{closed.source} to {listed([*closed.targets])}")


def publication_words(shown: PublicationSettings) -> str:
    """What is published where, and for whom."""
    outside = f"{shown.outside}" if shown.outside is not None else f"the address that {shown.circuit} gives"
    what = "everything" if shown.service == "any" else shown.service
    port = f", there at port {shown.port}" if shown.port is not None else ""
    sources = f", for {', '.join(map(str, shown.sources))} only" if shown.sources else ""
    return f"{what} at {outside} to {shown.host} {shown.inside or ''}".rstrip() + port + sources


def wireless_values(wifi: WirelessSettings) -> Iterator[Value]:
    """One Wi-Fi network."""
    yield Value("Name (SSID)", wifi.name)
    yield told("Security", wifi.security.upper())
    yield Value("Key", "", wifi.password)
    yield told("Segment", f"{wifi.segment} (VLAN {wifi.vlan})" if wifi.vlan else wifi.segment)
    yield told("Band", f"{wifi.band} GHz")
    yield told("Hidden", "yes" if wifi.hidden else "no")
    yield Value("Client limit", _text(wifi.client_limit))


def access_value(access: AccessSettings) -> Value:
    """From where the box may be managed, by one service."""
    places = [f"from {access.segment}"] if access.segment else []
    places += [f"from {network}" for network in access.networks]
    return told(access.service.upper(), ", ".join(places) or "from nowhere")
