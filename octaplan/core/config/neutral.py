"""What goes into a box in forms that belong to nobody: JSON of YANG modules, zones, a hosts file, reservations.

Interfaces are told as ietf-interfaces and ietf-ip (RFC 8343, RFC 8344), routes as ietf-routing (RFC 8349), names and
time as ietf-system (RFC 7317), rules as ietf-access-control-list (RFC 8519), translations as ietf-nat (RFC 8512), in
the encoding of RFC 7951; what none of them has a place for as octaplan-box. Zones are RFC 1035.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import PortMode
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.settings import AllowSettings, BoxSettings, Inside, InternetSide, WirelessSettings, settings_of
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.services import known_services

#: IANA's numbers of the protocols that rules are about.
_PROTOCOLS = {"icmp": 1, "tcp": 6, "udp": 17}

#: Routes of a family lie under a module of their own.
_UNICAST = {4: "ietf-ipv4-unicast-routing:ipv4", 6: "ietf-ipv6-unicast-routing:ipv6"}


#: A host name (RFC 1123).
_VALID_NAME = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?")


def yang_document(
    plan: SitePlan, key: str, kind: HardwareType | None = None, organisation: Organisation = UNDECIDED
) -> dict[str, Any]:
    """What goes into a box as one JSON document of YANG data (RFC 7951)."""
    settings = settings_of(plan, key, kind, organisation)
    document = {
        "ietf-system:system": _system(settings),
        "ietf-interfaces:interfaces": {"interface": [*_interfaces(settings)]},
        "ietf-routing:routing": _routing(settings),
        "ietf-access-control-list:acls": _rules(plan, key, settings),
        "ietf-nat:nat": _translations(plan, key),
        "octaplan-box:box": _box(plan, key, settings),
    }
    return {name: part for name, part in document.items() if part}


def _known(**members: Any) -> dict[str, Any]:
    """The members that say something; a dash in a name is written as `_`."""
    return {name.replace("_", "-"): one for name, one in members.items() if one not in (None, "", [], {}, ())}


def _texts(values: Iterable[object]) -> list[str]:
    return [*map(str, values)]


def _text(value: object) -> str | None:
    return None if value is None else str(value)


def _within(address: Address | None, net: Network | int | None) -> str | None:
    if address is None or net is None:
        return _text(address)
    return f"{address}/{net.prefix if isinstance(net, Network) else net}"


def _system(settings: BoxSettings) -> dict[str, Any]:
    one = settings.identity
    servers = [
        {"name": f"time-{place}", "udp": {"address": server}} for place, server in enumerate(one.time_servers, 1)
    ]
    resolvers = [
        {"name": f"resolver-{place}", "udp-and-tcp": {"address": str(server)}}
        for place, server in enumerate(one.resolvers, 1)
    ]
    return _known(
        hostname=one.host_name if _VALID_NAME.fullmatch(one.host_name or "") else None,
        location=one.location,
        contact=one.contact,
        clock=_known(timezone_name=one.time_zone),
        ntp=_known(server=servers),
        dns_resolver=_known(search=[one.domain] if one.domain else [], server=resolvers),
    )


def interface_name(inside: Inside) -> str:
    """What the interface of a segment is called: its port, a VLAN of it, or the network that several ports join."""
    if len(inside.places) == 1:
        place = inside.places[0]
        return place.port if place.tag is None else f"{place.port}.{place.tag}"
    return "lan-" + (re.sub(r"[^a-z0-9]+", "-", inside.label.casefold()).strip("-") or inside.key)


def _interfaces(settings: BoxSettings) -> Iterator[dict[str, Any]]:
    lines = {side.port: side for side in settings.internet}
    own = {interface_name(one): one for one in settings.inside}
    for port in settings.ports:
        enabled = port.mode is not PortMode.UNUSED
        side, inside = lines.get(port.name), own.pop(port.name, None)
        told = _line_addresses(side) if side is not None else _own_addresses(inside) if inside is not None else {}
        about = side.label if side is not None else inside.label if inside is not None else None
        kind = "iana-if-type:ethernetCsmacd"
        yield _known(name=port.name, description=about, type=kind, enabled=enabled) | told
    for name, inside in own.items():
        kind = "iana-if-type:bridge" if len(inside.places) != 1 else "iana-if-type:l2vlan"
        yield _known(name=name, description=inside.label, type=kind, enabled=True) | _own_addresses(inside)


def _family(family: int, address: Address | None, prefix: int | None, mtu: int | None = None) -> dict[str, Any]:
    if address is None or prefix is None:
        return {}
    name = "ietf-ip:ipv4" if family == 4 else "ietf-ip:ipv6"
    return {name: _known(mtu=mtu, address=[{"ip": str(address), "prefix-length": prefix}])}


def _line_addresses(side: InternetSide) -> dict[str, Any]:
    four = {} if side.given else _family(4, side.address, side.prefix, side.mtu)
    return four | _family(6, side.address6, side.prefix6)


def _own_addresses(inside: Inside) -> dict[str, Any]:
    four = _family(4, inside.address, inside.subnet.prefix if inside.subnet else None)
    return four | _family(6, inside.address6, inside.subnet6.prefix if inside.subnet6 else None)


def _routing(settings: BoxSettings) -> dict[str, Any]:
    found: dict[int, list[dict[str, Any]]] = {}
    for route in settings.routes:
        if route.by is not None:
            hop = {"next-hop-address": str(route.by)}
            found.setdefault(route.to.family, []).append({"destination-prefix": str(route.to), "next-hop": hop})
    if not found:
        return {}
    told = {_UNICAST[family]: {"route": _one_each(routes)} for family, routes in found.items()}
    static = {"type": "ietf-routing:static", "name": "planned", "static-routes": told}
    return {"control-plane-protocols": {"control-plane-protocol": [static]}}


def _one_each(routes: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """One route to each destination: the module has no place for a second one with another metric."""
    found: dict[str, dict[str, Any]] = {}
    for route in routes:
        found.setdefault(route["destination-prefix"], route)
    return [*found.values()]


def _rules(plan: SitePlan, key: str, settings: BoxSettings) -> dict[str, Any]:
    entries = []
    for name, (allow, told) in zip(
        plan.devices[key].allows, zip(plan.devices[key].allows.values(), settings.allows, strict=True), strict=True
    ):
        ends = _known(source_ipv4_network=_end(plan, allow.source), destination_ipv4_network=_end(plan, allow.target))
        for place, by in enumerate(_matches(told)):
            matches = ({"ipv4": {**ends, **by.pop("ipv4", {})}} if ends or "ipv4" in by else {}) | by
            accept = {"forwarding": "ietf-access-control-list:accept"}
            entries.append({"name": f"{name}-{place}", "matches": matches, "actions": accept})
    if not entries:
        return {}
    return {"acl": [{"name": "allowed", "type": "ietf-access-control-list:ipv4-acl-type", "aces": {"ace": entries}}]}


def _end(plan: SitePlan, end: str) -> str | None:
    segment, host = plan.segments.get(end), plan.hosts.get(end)
    if segment is not None:
        return _text(segment.subnet) if segment.subnet and segment.subnet.family == 4 else None
    return f"{host.address}/32" if host is not None and host.address is not None else None


def _matches(allow: AllowSettings) -> Iterator[dict[str, Any]]:
    """What a rule matches, an entry for each part of its services."""
    services = known_services(allow.service)
    for part in services.parts() if services is not None else ():
        name, _, ports = part.partition("/")
        if name == "any":
            yield {}
        elif name == "ping":
            yield {"ipv4": {"protocol": _PROTOCOLS["icmp"]}}
        elif not ports:
            yield {"ipv4": {"protocol": _PROTOCOLS.get(name, 6)}}
        else:
            low, _, high = ports.partition("-")
            run = {"lower-port": int(low), "upper-port": int(high)} if high else {"operator": "eq", "port": int(low)}
            yield {"ipv4": {"protocol": _PROTOCOLS.get(name, 6)}, name: {"destination-port": run}}


def _translations(plan: SitePlan, key: str) -> dict[str, Any]:
    device = plan.devices[key]
    entries: list[dict[str, Any]] = []
    for shown in device.publications.values():
        circuit, host = plan.circuits.get(shown.circuit), plan.hosts.get(shown.host)
        outside = shown.address or (circuit.address if circuit else None)
        if host is None or host.address is None or outside is None or outside.family != 4:
            continue
        entry: dict[str, Any] = {
            "index": len(entries) + 1,
            "type": "static",
            "internal-src-address": f"{host.address}/32",
            "external-src-address": f"{outside}/32",
        }
        services = known_services(shown.service)
        if services is not None and services.port is not None:
            protocol, _, ports = next(iter(services.parts())).partition("/")
            low, _, high = ports.partition("-")
            inside = shown.port or int(low)
            last = {"end-port-number": int(high)} if high else {}
            moved = {"end-port-number": inside + int(high) - int(low)} if high else {}
            entry["transport-protocol"] = _PROTOCOLS.get(protocol, 6)
            entry["external-src-port"] = {"start-port-number": int(low)} | last
            entry["internal-src-port"] = {"start-port-number": inside} | moved
        entries.append(entry)
    return {"instances": {"instance": [{"id": 1, "mapping-table": {"mapping-entry": entries}}]}} if entries else {}


def _with_ids(keys: Iterable[str], entries: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    """Entries, each under the id that it has in the plan."""
    return [{"id": key} | entry for key, entry in zip(keys, entries, strict=True)]


def _box(plan: SitePlan, key: str, settings: BoxSettings) -> dict[str, Any]:
    one, device = settings.identity, plan.devices[key]
    translated = [name for name, t in device.translations.items() if t.circuit in plan.circuits]
    shown = [name for name, p in device.publications.items() if p.circuit in plan.circuits and p.host in plan.hosts]
    return _known(
        name=one.host_name,
        time_zone=one.time_zone,
        banner=one.banner,
        gateway=_text(one.gateway),
        forwarder=_texts(dict.fromkeys(one.forwarders)),
        time_server=list(dict.fromkeys(one.time_servers)),
        circuit=_with_ids((side.key for side in settings.internet), map(_circuit, settings.internet)),
        segment=_with_ids((inside.key for inside in settings.inside), map(_segment, settings.inside)),
        port=[
            _known(
                name=port.name,
                use=str(port.mode),
                untagged=port.untagged.label if port.untagged else None,
                tagged=list(dict.fromkeys(each.label for each in port.tagged)),
                joined=port.bridge,
            )
            for port in settings.ports
        ],
        route=_with_ids(
            device.routes,
            (
                _known(
                    to=str(route.to),
                    by=str(route.by) if route.by else route.circuit,
                    metric=route.metric,
                    table=None if route.table == "main" else route.table,
                )
                for route in settings.routes
            ),
        ),
        translation=_with_ids(
            translated,
            (_known(segment=t.segment, circuit=t.circuit, address=_text(t.address)) for t in settings.translations),
        ),
        publication=_with_ids(
            shown,
            (
                _known(
                    circuit=p.circuit,
                    outside=_text(p.outside),
                    service=p.service,
                    inside=_text(p.inside),
                    port=p.port,
                    source=_texts(dict.fromkeys(p.sources)),
                )
                for p in settings.publications
            ),
        ),
        allow=_with_ids(
            device.allows,
            (_known(source=allow.source, target=allow.target, service=allow.service) for allow in settings.allows),
        ),
        wireless=_with_ids((wifi.key for wifi in settings.wireless), map(_wireless, settings.wireless)),
        access=_with_ids(
            device.access,
            (
                _known(service=str(a.service), **{"from": a.segment or ", ".join(map(str, a.networks))})
                for a in settings.access
            ),
        ),
    )


def _wireless(wifi: WirelessSettings) -> dict[str, Any]:
    return _known(
        name=wifi.name,
        segment=wifi.segment,
        vlan=wifi.vlan,
        security=str(wifi.security),
        band=str(wifi.band),
        hidden=wifi.hidden,
        client_limit=wifi.client_limit,
        country=wifi.country,
        secret=wifi.password,
    )


def _circuit(side: InternetSide) -> dict[str, Any]:
    given = side.given
    return _known(
        name=side.label,
        port=side.port,
        hand_off=str(side.handoff) if side.handoff else None,
        address=None if given else _within(side.address, side.prefix),
        gateway=None if given else _text(side.gateway),
        address6=_within(side.address6, side.prefix6),
        gateway6=_text(side.gateway6),
        resolver=[] if given else _texts(dict.fromkeys(side.resolvers)),
        vlan=side.vlan,
        mtu=side.mtu,
        user=side.pppoe_user,
    )


def _segment(inside: Inside) -> dict[str, Any]:
    scope = inside.serves
    told: dict[str, Any] = {}
    if scope is not None and scope.span is not None:
        told = _known(
            first=str(scope.span.first),
            last=str(scope.span.last),
            excluded=[{"first": str(span.first), "last": str(span.last)} for span in scope.excluded],
            router=_text(scope.router),
            resolver=_texts(inside.address if one == "gateway" else one for one in dict.fromkeys(scope.resolvers)),
            domain=scope.domain,
            lease=scope.lease,
            option=[{"number": int(number), "text": text} for number, text in scope.options.items()],
            reservation=[
                _known(address=str(host.address), mac=_text(host.mac), name=host.name)
                for host in scope.reserved
                if host.address is not None
            ],
        )
    return _known(
        name=inside.label,
        vlan=inside.vlan,
        table=None if inside.table == "main" else inside.table,
        address=_within(inside.address, inside.subnet),
        address6=_within(inside.address6, inside.subnet6),
        relay=_text(inside.relay),
        scope=told,
    )


# --- Names


def _label(text: str) -> str:
    """A name as a DNS label (RFC 1035)."""
    return re.sub(r"[^a-z0-9-]+", "-", text.casefold()).strip("-")[:63] or "host"


def _named(plan: SitePlan) -> list[tuple[str, Address]]:
    """Names and addresses of all fixed hosts and boxes of a site, in the order of the plan."""
    found: list[tuple[str, Address]] = []
    for host in plan.hosts.values():
        found += [(_label(host.name), one) for one in (host.address, host.address6) if one is not None]
    for key, device in plan.devices.items():
        inside = settings_of(plan, key).inside
        own = [one for each in inside for one in (each.address, each.address6) if one is not None]
        found += [(_label(named(device)), one) for one in own]
    return list(dict.fromkeys(found))


def _origin(plan: SitePlan) -> str:
    domains = [device.domain for device in plan.devices.values() if device.domain]
    domains += [segment.domain for segment in plan.segments.values() if segment.domain]
    return (domains[0] if domains else f"{_label(plan.site)}.{_label(plan.customer)}.example").rstrip(".").casefold()


def zones(plan: SitePlan) -> str:
    """Forward and reverse zones of a site's fixed hosts and boxes, one after the other (RFC 1035, RFC 3596)."""
    names, origin = _named(plan), _origin(plan)
    server = names[0][0] if names else "ns"
    told = [f"; {plan.customer}/{plan.site}"]

    def begin(zone: str) -> None:
        told.extend(
            [
                f"$ORIGIN {zone}.",
                "$TTL 3600",
                f"@ IN SOA {server}.{origin}. hostmaster.{origin}. ( 1 7200 900 1209600 3600 )",
                f"@ IN NS {server}.{origin}.",
            ]
        )

    begin(origin)
    told += [f"{name} IN {'A' if point.family == 4 else 'AAAA'} {point}" for name, point in names]
    reverse: dict[str, list[str]] = {}
    for name, point in names:
        digits = str(point).split(".") if point.family == 4 else [*f"{point.value:032x}"]
        keep = 1 if point.family == 4 else 16
        back = digits[::-1]
        zone = ".".join(back[keep:]) + (".in-addr.arpa" if point.family == 4 else ".ip6.arpa")
        reverse.setdefault(zone, []).append(f"{'.'.join(back[:keep])} IN PTR {name}.{origin}.")
    for zone, records in reverse.items():
        told.append("")
        begin(zone)
        told += records
    return "\n".join(told) + "\n"


def hosts_file(plan: SitePlan) -> str:
    """A hosts file of a site: address, full name, name."""
    origin = _origin(plan)
    return "".join(f"{point}\t{name}.{origin} {name}\n" for name, point in _named(plan))


def reservations(plan: SitePlan, key: str) -> list[tuple[str, str, str, str]]:
    """What a box keeps for whom in its scopes: segment, address, MAC, name."""
    return [
        (inside.label, str(host.address or ""), str(host.mac or ""), host.name)
        for inside in settings_of(plan, key).inside
        if inside.serves is not None
        for host in inside.serves.reserved
    ]
