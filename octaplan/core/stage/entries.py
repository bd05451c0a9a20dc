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
    RouteSettings,
    WirelessSettings,
)
from octaplan.core.values.addresses import prefixed
from octaplan.core.values.readers import lease_text


@dataclass(frozen=True, slots=True)
class Value:
    """One value to type into the box. A `secret` is a slot of the safe; its text is not here."""

    label: str
    text: str
    secret: str = ""


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
    yield Value("Resolvers", _several(identity.resolvers))
    yield Value("Forwards names to", _several(identity.forwarders))
    yield Value("Location", _text(identity.location))
    yield Value("Contact", _text(identity.contact))
    yield Value("Banner", _text(identity.banner))


def internet_values(side: InternetSide) -> Iterator[Value]:
    """One circuit, from its port inwards."""
    yield Value("Port", side.port)
    if side.handoff is Handoff.PPPOE:
        yield Value("Hand-off", "PPPoE")
        yield Value("PPPoE user", _text(side.pppoe_user))
        yield Value("PPPoE password", "", side.password)
    elif side.handoff is Handoff.DHCP:
        yield Value("Hand-off", "DHCP: the provider gives everything")
    else:
        yield Value("Address", _text(side.address))
        yield Value("Mask", side.subnet.mask if side.subnet else "")
        yield Value("Gateway", _text(side.gateway))
        yield Value("Resolvers", _several(side.resolvers))
    if side.dual:
        yield Value("IPv6 address", prefixed(side.address6, side.prefix6))
        yield Value("IPv6 gateway", _text(side.gateway6))
    yield Value("VLAN tag", str(side.vlan) if side.vlan else "none")
    yield Value("MTU", _text(side.mtu))


def route_value(route: RouteSettings) -> Value:
    """One static route."""
    by = route.by or (f"what {route.circuit} gives" if route.circuit else "nothing")
    return Value(f"To {'anywhere' if route.to.prefix == 0 else route.to}", f"by {by}, metric {route.metric}")


def inside_values(inside: Inside, *, edge: bool) -> Iterator[Value]:
    """One segment: the box's own address, and the scope where it serves one."""
    yield Value("VLAN", _text(inside.vlan))
    yield Value("Own address", _text(inside.address))
    yield Value("Mask", inside.subnet.mask if inside.subnet else "")
    if inside.address is not None and edge:
        yield Value("Gateway", "leave empty")
    if inside.announced is not None:
        yield Value("Own IPv6 address", prefixed(inside.address6, inside.announced.prefix))
        yield Value("IPv6 prefix announced", str(inside.announced))
    scope = inside.serves
    if scope is None or scope.span is None:
        if edge:
            yield Value("DHCP", "off" if inside.dhcp_by == "none" else f"served by {inside.dhcp_by}: off here")
        return
    yield Value("Range first", str(scope.span.first))
    yield Value(f"Range last, or {scope.span.size} addresses", str(scope.span.last))
    yield Value("Excluded", _several([span.typed for span in scope.excluded]))
    yield Value("Router handed out", _text(scope.router))
    yield Value("Resolvers handed out", _several(scope.resolvers))
    yield Value("Inside domain", _text(scope.domain))
    yield Value("Lease", f"{lease_text(scope.lease)} ({scope.lease:,} s)" if scope.lease else "")
    for number, text in scope.options.items():
        yield Value(f"Option {number}", text)
    for host in scope.reserved:
        yield Value(f"Reserve for {host.name}", f"{host.address}  {host.mac or ''}".strip())


def port_values(ports: Sequence[PortSettings]) -> Iterator[Value]:
    """What each port carries; those of circuits have a step of their own."""
    for port in ports:
        label = f"Port {port.name}"
        if port.mode is PortMode.UNUSED:
            yield Value(label, "off")
        elif port.mode is PortMode.TRUNK:
            untagged = port.untagged.vlan if port.untagged else "none"
            tagged = " ".join(str(one.vlan) for one in port.tagged) or "none"
            yield Value(label, f"trunk: untagged {untagged}, tagged {tagged}")
        elif port.mode is not PortMode.CIRCUIT and port.carried:
            joined = f"joined ports {port.bridge or ''}".rstrip()
            how = joined if port.mode is PortMode.BRIDGE else str(port.mode)
            yield Value(label, f"{how}: {', '.join(one.label for one in port.carried)}")


def rule_values(settings: BoxSettings) -> Iterator[Value]:
    """Translations and allow rules."""
    for translation in settings.translations:
        yield Value("Translate", f"{translation.segment} to {translation.circuit}")
    for allow in settings.allows:
        yield Value("Allow", f"{allow.source} to {allow.target}, {allow.service}")


def wireless_values(wifi: WirelessSettings) -> Iterator[Value]:
    """One Wi-Fi network."""
    yield Value("Name (SSID)", wifi.name)
    yield Value("Security", wifi.security.upper())
    yield Value("Key", "", wifi.password)
    yield Value("Segment", wifi.segment)
    yield Value("Band", f"{wifi.band} GHz")
    yield Value("Hidden", "yes" if wifi.hidden else "no")
    yield Value("Client limit", _text(wifi.client_limit))
    yield Value("Country", _text(wifi.country))


def access_value(access: AccessSettings) -> Value:
    """From where the box may be managed, by one service."""
    places = [f"from {access.segment}"] if access.segment else []
    places += [f"from {network}" for network in access.networks]
    return Value(access.service.upper(), ", ".join(places) or "from nowhere")
