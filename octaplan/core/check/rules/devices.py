"""Devices: ports, addresses, routes and names."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from itertools import combinations

from octaplan.core.check.findings import Hit, Severity, Trait, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.boxes import (
    Interface,
    circuits_of,
    named,
    next_hop,
    own_address,
    segment_of,
    servers,
    towards_edge,
    uses,
)
from octaplan.core.plan.device import DeviceRole, PortMode
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.site import Handoff, SegmentRole, SitePlan
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.readers import is_host_name
from octaplan.core.values.words import listed


def _of(plan: SitePlan, path: str, name: str, addresses: object = "") -> Subject:
    return Subject(plan.customer, plan.site, name, path, str(addresses))


@rule("device-type-missing", Severity.STOP, "device", "type")
def device_type_missing(view: View) -> Iterator[Hit]:
    """Hardware type not known

    The device is of a hardware type that has been removed, or that lists no ports: nothing about its factory
    state is known, so it can neither be wired nor staged.
    """
    if view.holdings.hardware is None:
        return
    for box in view.boxes:
        if box.type is None:
            yield Hit(
                box.subject(),
                f"{named(box.device)} is of the type {box.device.type}, which is not on Hardware any more: put the "
                "type back there, or choose another.",
            )
        elif not box.type.ports:
            yield Hit(
                box.subject(),
                f"The type {box.type.title} of {named(box.device)} lists no ports yet: add them on Hardware.",
            )


@rule("port-unknown", Severity.STOP, "device", "ports")
def port_unknown(view: View) -> Iterator[Hit]:
    """Port that the box does not have

    The plan uses a port that the hardware type does not list: the type was changed or exchanged since.
    """
    for box in view.boxes:
        missing = [name for name, _ in uses(box.device) if box.type and box.type.ports and name not in box.type.ports]
        if missing and box.type:
            yield Hit(
                box.subject(" ".join(missing)),
                f"{named(box.device)} uses port {listed(missing)}, which the {box.type.title} does not have: move "
                "the cables to ports that it has.",
            )


@rule("wiring-dangling", Severity.STOP, "device", "ports")
def wiring_dangling(view: View) -> Iterator[Hit]:
    """Port that leads to something removed

    A port carries a segment or circuit, or a cable leads to a device or host, that the plan does not have any more.
    """
    for box in view.boxes:
        plan = box.plan
        for name, use in uses(box.device):
            gone = any(segment not in plan.segments for segment in use.segments)
            if use.mode is PortMode.CIRCUIT and (use.circuit or "") not in plan.circuits:
                what = "no circuit"
            elif gone:
                what = "a segment that has been removed"
            elif use.peer is not None and use.peer not in plan.devices:
                what = "a device that has been removed"
            elif use.host is not None and use.host not in plan.hosts:
                what = "a host that has been removed"
            elif use.mode in (PortMode.ACCESS, PortMode.ROUTED) and use.segment is None:
                what = "no segment"
            else:
                continue
            yield Hit(
                box.subject(name, f"/ports/{name}"),
                f"Port {name} of {named(box.device)} leads to {what}: choose what it is for, or leave it unused.",
            )


@rule("port-taken", Severity.STOP, "device", "ports")
def port_taken(view: View) -> Iterator[Hit]:
    """Port used twice

    Two cables are planned into one port, or two boxes carry one circuit, or one host hangs on two ports.
    """
    for plan in view.equipped:
        cables: dict[tuple[str, str], list[tuple[str, str]]] = defaultdict(list)
        lines: dict[str, list[tuple[str, str]]] = defaultdict(list)
        hosts: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for key, device in plan.devices.items():
            for name, use in uses(device):
                if use.peer in plan.devices and use.peer_port:
                    cables[(use.peer or "", use.peer_port)].append((key, name))
                if use.host in plan.hosts:
                    hosts[use.host or ""].append((key, name))
                if use.mode is PortMode.CIRCUIT and use.circuit in plan.circuits:
                    lines[use.circuit or ""].append((key, name))
        for (peer, port), ends in cables.items():
            back = plan.devices[peer].ports.get(port)
            elsewhere = [] if back is None or back.peer is None else [(back.peer, back.peer_port or "")]
            for key, name in ends:
                others = [end for end in {*ends, *elsewhere} if end != (key, name)]
                if others:
                    device = plan.devices[key]
                    yield Hit(
                        _of(plan, f"/devices/{key}/ports/{name}", named(device), name),
                        f"The cable from port {name} of {named(device)} ends in port {port} of "
                        f"{named(plan.devices[peer])}, which another cable has already: choose a free port.",
                        tuple(
                            Other(plan.customer, plan.site, named(plan.devices[k]))
                            for k, _ in others
                            if k in plan.devices
                        ),
                        len(others),
                    )
        for host, ends in hosts.items():
            for key, name in ends if len(ends) > 1 else ():
                device = plan.devices[key]
                yield Hit(
                    _of(plan, f"/devices/{key}/ports/{name}", named(device), name),
                    f"{plan.hosts[host].name} is planned into {len(ends)} ports, one of them port {name} of "
                    f"{named(device)}: it has one cable. Keep one.",
                    (),
                    len(ends) - 1,
                )
        for circuit, ends in lines.items():
            for key, name in ends if len(ends) > 1 else ():
                device = plan.devices[key]
                yield Hit(
                    _of(plan, f"/devices/{key}/ports/{name}", named(device), name),
                    f"{plan.circuits[circuit].label} is planned into {len(ends)} ports, one of them port {name} of "
                    f"{named(device)}: the provider's socket takes one cable. Keep one.",
                    (),
                    len(ends) - 1,
                )


@rule("interface-disabled", Severity.STOP, "device", "ports")
def interface_disabled(view: View) -> Iterator[Hit]:
    """Port in use but switched off

    The plan sends traffic through a port that it leaves switched off.
    """
    for box in view.boxes:
        for name, use in uses(box.device):
            if not use.enabled:
                yield Hit(
                    box.subject(name, f"/ports/{name}"),
                    f"Port {name} of {named(box.device)} is in use but switched off: nothing passes. Switch it on.",
                )


@rule("circuit-unplugged", Severity.STOP, "circuit", "label")
def circuit_unplugged(view: View) -> Iterator[Hit]:
    """Circuit in no port

    The site has an edge, but no port of any box carries the circuit.
    """
    for plan in view.equipped:
        if not any(device.role is DeviceRole.EDGE for device in plan.devices.values()):
            continue
        carried = {use.circuit for device in plan.devices.values() for _, use in uses(device)}
        for key, circuit in plan.circuits.items():
            if key not in carried:
                yield Hit(
                    _of(plan, f"/circuits/{key}", circuit.label, circuit.subnet or ""),
                    f"{circuit.label} is plugged into no port: give it one on the wiring board.",
                )


@rule("segment-unplugged", Severity.STOP, "segment", "label")
def segment_unplugged(view: View) -> Iterator[Hit]:
    """Segment on no port of the edge

    The site has an edge or router, but none of their ports carries the segment: nothing in it gets anywhere.
    """
    for plan in view.equipped:
        routing = [device for device in plan.devices.values() if device.routes_packets]
        carried = {segment for device in routing for segment in device.carried()}
        for key, segment in plan.segments.items() if routing else ():
            if key not in carried and segment.role != "isolated":
                yield Hit(
                    _of(plan, f"/segments/{key}", segment.label, segment.subnet or ""),
                    f"{segment.label} is on no port of {listed([named(device) for device in routing])}: give it one "
                    "on the wiring board.",
                )


@rule("inside-gateway", Severity.STOP, "device", "ports")
def inside_gateway(view: View) -> Iterator[Hit]:
    """Default gateway on an inside interface

    A default gateway typed into an inside interface of the edge draws all traffic inwards: the internet is
    gone, though every address looks right.
    """
    for box in view.boxes:
        if box.device.role is not DeviceRole.EDGE:
            continue
        for name, use in uses(box.device):
            if use.mode is not PortMode.CIRCUIT and use.gateway is not None:
                yield Hit(
                    box.subject(use.gateway, f"/ports/{name}"),
                    f"Port {name} of {named(box.device)} is an inside port with the default gateway {use.gateway}: "
                    "traffic to the internet goes the wrong way. Leave it empty.",
                )


@rule("device-address-taken", Severity.STOP, "device", "addresses")
def device_address_taken(view: View) -> Iterator[Hit]:
    """Device on somebody else's address

    The device's own address in a segment is also that of a gateway, a host or another device in the same routing
    table.
    """
    for plan in view.equipped:
        claimed: dict[tuple[str, Address], list[tuple[str, str]]] = defaultdict(list)
        faces = view.faces(plan)
        routed = {one[:2] for key, device in plan.devices.items() if device.routes_packets for one in faces[key]}
        for key, segment in plan.segments.items():
            if segment.gateway is not None and (f"/segments/{key}", segment.gateway) not in routed:
                claimed[_table(plan, key), segment.gateway].append(("", f"the gateway of {segment.label}"))
        linked = {device.host for device in plan.devices.values()}
        for key, host in plan.hosts.items():
            if host.address is not None and key not in linked:
                claimed[_table(plan, host.segment), host.address].append(("", host.name))
        for key, device in plan.devices.items():
            for table, address in {(_table(plan, segment), address) for segment, address in _inside(faces[key])}:
                claimed[table, address].append((key, named(device)))
        for (_, address), owners in claimed.items():
            for key, name in owners if len(owners) > 1 else ():
                if key:
                    others = [other for k, other in owners if (k, other) != (key, name)]
                    yield Hit(
                        _of(plan, f"/devices/{key}", name, address),
                        f"{address} of {name} is also {listed(others)}: only one of them will answer. If they are "
                        "one box, say so at the device; if not, give one another address.",
                        tuple(Other(plan.customer, plan.site, other) for other in others),
                        len(others),
                    )


def _inside(faces: Iterable[Interface]) -> Iterator[tuple[str, Address]]:
    """The box's own addresses in segments, each with its segment."""
    for interface in faces:
        if interface.owner.startswith("/segments/"):
            yield interface.owner.removeprefix("/segments/"), interface.address


def _table(plan: SitePlan, segment: str) -> str:
    where = plan.segments.get(segment)
    return where.vrf.casefold() if where is not None else ""


@rule("device-address-leased", Severity.STOP, "device", "addresses")
def device_address_leased(view: View) -> Iterator[Hit]:
    """Device inside a DHCP range

    The device's own address lies inside a range of the same routing table: another client can be given it.
    """
    for plan in view.equipped:
        ranges = [
            (segment.vrf.casefold(), piece) for segment in plan.segments.values() for piece in segment.scope.pieces
        ]
        told = {(segment.vrf.casefold(), segment.gateway) for segment in plan.segments.values()}
        told |= {(_table(plan, host.segment), host.address) for host in plan.hosts.values()}
        for key, device in plan.devices.items() if ranges else ():
            for where, address in dict.fromkeys(_inside(view.faces(plan)[key])):
                table = _table(plan, where)
                if (table, address) in told:
                    continue  # the rules of gateways and hosts speak
                hit = next((piece for of, piece in ranges if of == table and piece.holds(address)), None)
                if hit is not None:
                    yield Hit(
                        _of(plan, f"/devices/{key}/addresses/{where}", named(device), address),
                        f"{address} of {named(device)} is inside the DHCP range {hit}: another client can be given it. "
                        "Exclude it from the range, or give the box another address.",
                    )


@rule("device-address-outside", Severity.STOP, "device", "addresses")
def device_address_outside(view: View) -> Iterator[Hit]:
    """Device address outside the segment

    The device's own address is not a usable address of the segment's subnet.
    """
    for box in view.boxes:
        for key, address in box.device.addresses.items():
            segment = box.plan.segments.get(key)
            if segment is not None and segment.subnet is not None and not segment.subnet.usable.holds(address):
                yield Hit(
                    box.subject(address, f"/addresses/{key}"),
                    f"{address} of {named(box.device)} is not a usable address of {segment.label} {segment.subnet}: "
                    f"give it one of {segment.subnet.usable}.",
                )


@rule("switch-gateway-missing", Severity.STOP, "device", "gateway")
def switch_gateway_missing(view: View) -> Iterator[Hit]:
    """Managed switch without a gateway

    A switch or access point with a management address but no default gateway answers its own segment only.
    """
    for box in view.boxes:
        if box.device.role not in (DeviceRole.SWITCH, DeviceRole.ACCESS_POINT) or box.device.gateway is not None:
            continue
        addresses = [interface.address for interface in view.faces(box.plan)[box.key]]
        if addresses:
            yield Hit(
                box.subject(addresses[0]),
                f"{named(box.device)} has the address {addresses[0]} and no default gateway: it answers its own "
                "segment only. Give it the segment's gateway.",
            )


@rule("switch-gateway-wrong", Severity.STOP, "device", "gateway")
def switch_gateway_wrong(view: View) -> Iterator[Hit]:
    """Default gateway that is none

    The default gateway of a switch or access point lies in no subnet that the box has an address in, or nobody who
    routes is there: it answers its own segment only. A segment's gateway may have been moved since.
    """
    for box in view.boxes:
        gateway = box.device.gateway
        if box.device.routes_packets or not box.device.staged or gateway is None:
            continue
        own = [i for i in view.faces(box.plan)[box.key] if i.owner.startswith("/segments/")]
        near = [i for i in own if i.network.holds(gateway)]
        if not own:
            continue
        segments = [box.plan.segments[i.owner.removeprefix("/segments/")] for i in near or own]
        usual = next((s.gateway for s in segments if s.gateway is not None), None)
        faces = view.faces(box.plan)
        routers = {a for k, d in box.plan.devices.items() if d.routes_packets for _, a in _inside(faces[k])}
        if not near:
            why = f"is in no subnet of the box ({listed([str(i.network) for i in own])})"
        elif any(i.address == gateway for i in own):
            why = "is the box itself"
        elif gateway not in routers and gateway not in {s.gateway for s in segments}:
            why = f"is not the gateway of {segments[0].label}, and no router is there"
        else:
            continue
        yield Hit(
            box.subject(gateway),
            f"The default gateway {gateway} of {named(box.device)} {why}: "
            f"{f'write {usual}' if usual else 'write the gateway of its segment'}.",
        )


@rule("port-missing", Severity.WARN, "segment", "label")
def port_missing(view: View) -> Iterator[Hit]:
    """Segment that nobody can be plugged into

    Hosts or clients are planned in the segment, and neither an access port nor a Wi-Fi network carries it: there is
    nowhere to plug them in. A cable to something that is not in the plan counts as such a place.
    """
    for plan in view.equipped:
        open_ended: set[str] = {wifi.segment for wifi in plan.wireless.values() if wifi.segment}
        for device in plan.devices.values():
            for _, use in uses(device):
                if use.peer not in plan.devices:
                    open_ended.update(use.segments)
        planned = {
            host.segment for key, host in plan.hosts.items() if key not in {d.host for d in plan.devices.values()}
        }
        for key, segment in plan.segments.items():
            clients = key in planned or segment.scope.span is not None or bool(segment.expected_hosts)
            if clients and key not in open_ended and segment.role is not SegmentRole.TRANSIT:
                yield Hit(
                    _of(plan, f"/segments/{key}", segment.label, segment.subnet or ""),
                    f"Hosts or clients are planned in {segment.label}, and no access port or Wi-Fi carries it: give it "
                    "a port on the wiring board.",
                )


@rule("route-default-missing", Severity.STOP, "device", "routes")
def route_default_missing(view: View) -> Iterator[Hit]:
    """No default route

    An edge with a static circuit, or an inner router with traffic for outside, has no default route: addresses are
    right, and nothing gets out.
    """
    for box in view.boxes:
        if box.device.role is DeviceRole.ROUTER and not any(r.default for r in box.device.routes.values()):
            hop = towards_edge(box.plan, box.key)
            if hop is not None:
                yield Hit(
                    box.subject(),
                    f"{named(box.device)} has no default route, so nothing behind it gets out: add one by {hop}.",
                )
    for box in view.boxes:
        static = [c for _, c in circuits_of(box.plan, box.device) if c.handoff is Handoff.STATIC]
        if box.device.role is DeviceRole.EDGE and static and not any(r.default for r in box.device.routes.values()):
            via = static[0].gateway or "the provider's gateway"
            yield Hit(
                box.subject(),
                f"{named(box.device)} has no default route, so nothing gets out by {static[0].label}: add one by "
                f"{via}.",
            )


@rule("route-default-twice", Severity.STOP, "device", "routes")
def route_default_twice(view: View) -> Iterator[Hit]:
    """Two default routes with one metric

    With equal metrics the box spreads traffic over both ways out, or takes either.
    """
    for box in view.boxes:
        metrics = Counter((r.to.family, r.metric) for r in box.device.routes.values() if r.default)
        for (_, metric), number in metrics.items():
            if number > 1:
                yield Hit(
                    box.subject(f"metric {metric}"),
                    f"{named(box.device)} has {number} default routes with the metric {metric}: give the way that is "
                    "used first the lowest.",
                )


@rule("route-next-hop", Severity.STOP, "device", "routes")
def route_next_hop(view: View) -> Iterator[Hit]:
    """Next hop that cannot be reached

    The next hop of a route lies in no subnet that the box is connected to, or is the box itself.
    """
    for box in view.boxes:
        own = list(view.faces(box.plan)[box.key])
        for key, route in box.device.routes.items():
            hop = next_hop(box.plan, route)
            circuit = box.plan.circuits.get(route.circuit or "")
            if hop is None:
                if circuit is None or circuit.handoff is Handoff.STATIC:
                    if circuit is not None:
                        continue  # wan-gateway-missing speaks
                    why = "names neither a next hop nor a circuit of the site"
                else:
                    continue
            elif any(interface.address == hop for interface in own):
                why = f"leads to {hop}, which is the box itself"
            elif circuit is None and not any(interface.network.holds(hop) for interface in own):
                why = f"leads to {hop}, which is in no subnet that the box is connected to"
            elif circuit is None and segment_of(box.plan, hop) is not None and hop not in view.held_at(box.plan):
                why = f"leads to {hop}, and nobody is planned there"
            else:
                continue
            yield Hit(
                box.subject(route.to, f"/routes/{key}"),
                f"The route to {route.to} of {named(box.device)} {why}: correct the next hop.",
            )


@rule("route-twice", Severity.STOP, "device", "routes")
def route_twice(view: View) -> Iterator[Hit]:
    """Two routes to one subnet

    Two routes to one subnet have one metric: the box takes either.
    """
    for box in view.boxes:
        known: dict[tuple[Network, int], str] = {}
        for key, route in box.device.routes.items():
            first = known.setdefault((route.to, route.metric), key)
            if first != key and not route.default:
                yield Hit(
                    box.subject(route.to, f"/routes/{key}"),
                    f"{named(box.device)} has two routes to {route.to} with the metric {route.metric}: take one away, "
                    "or give the one that is used first the lower metric.",
                )


@rule("transit-addresses-missing", Severity.STOP, "segment", "label")
def transit_addresses_missing(view: View) -> Iterator[Hit]:
    """Transit link without an address at each end

    Two boxes that route are at the ends of the link, and one of them has no address there: neither reaches the other.
    """
    for plan in view.equipped:
        for key, segment in plan.segments.items():
            ends = [d for d in plan.devices.values() if d.routes_packets and key in d.carried()]
            if segment.role is not SegmentRole.TRANSIT or segment.subnet is None or len(ends) < 2:
                continue
            without = [named(device) for device in ends if own_address(plan, device, key) is None]
            if without:
                yield Hit(
                    _of(plan, f"/segments/{key}", segment.label, segment.subnet),
                    f"{listed(without)} {'has' if len(without) == 1 else 'have'} no address in {segment.label} "
                    f"{segment.subnet}: give each end one.",
                )


@rule("route-shadow", Severity.WARN, "device", "routes")
def route_shadow(view: View) -> Iterator[Hit]:
    """Static route inside a connected subnet

    The route leads into a subnet that the box is directly connected to: it hides a part of that subnet.
    """
    for box in view.boxes:
        for key, route in box.device.routes.items():
            for interface in view.faces(box.plan)[box.key]:
                net = interface.network
                if net.family == route.to.family and route.to.prefix >= net.prefix and net.holds(route.to.first):
                    yield Hit(
                        box.subject(route.to, f"/routes/{key}"),
                        f"{named(box.device)} is connected to {net} itself, and its route to {route.to} hides a part "
                        "of it: remove the route.",
                    )
                    break


@rule("metric-failover", Severity.WARN, "site", "priority")
def metric_failover(view: View) -> Iterator[Hit]:
    """No order between two circuits

    The site has two circuits or more, and which is used first is not said.
    """
    for plan in view.plans_with("circuits", 2):
        priorities = Counter(circuit.priority for circuit in plan.circuits.values())
        if None in priorities or max(priorities.values()) > 1:
            names = [circuit.label for circuit in plan.circuits.values()]
            first = next(key for key, c in plan.circuits.items() if c.priority is None or priorities[c.priority] > 1)
            yield Hit(
                _of(plan, f"/circuits/{first}", plan.name or plan.site),
                f"{listed(names)} have no order of use between them: give the one that is used first the order 1.",
            )


@rule("overlap-factory", Severity.WARN, "segment", "subnet", Trait.COLLIDES)
def overlap_factory(view: View) -> Iterator[Hit]:
    """Subnet of a box out of its carton

    The segment overlaps the factory subnet of a hardware type used at the site: a box that is reset, or a new
    one plugged in, answers with addresses of this segment.
    """
    for plan in view.equipped:
        hardware = view.holdings.hardware or {}
        factory: dict[Network, str] = {}
        for device in plan.devices.values():
            kind = hardware.get(device.type)
            if kind is not None and kind.factory.subnet is not None:
                factory.setdefault(kind.factory.subnet, kind.title)
        for key, segment in plan.segments.items():
            for net, title in factory.items():
                if segment.subnet is not None and _overlap(segment.subnet, net):
                    yield Hit(
                        _of(plan, f"/segments/{key}", segment.label, segment.subnet),
                        f"{segment.label} {segment.subnet} overlaps {net}, the factory subnet of the {title}: a box "
                        "that is reset will answer in it. Renumber the segment, or accept it with a reason.",
                    )
                    break


def _overlap(a: Network, b: Network) -> bool:
    return a.family == b.family and (a.holds(b.first) or b.holds(a.first))


@rule("two-servers", Severity.STOP, "segment", "scope")
def two_servers(view: View) -> Iterator[Hit]:
    """Two DHCP servers on one segment

    The scope would be served by more than one box: clients get an answer from either, and sooner or later the
    same address from both.
    """
    for plan in view.equipped:
        for key, segment in plan.segments.items():
            if segment.scope.span is None:
                continue
            boxes = [named(device) for _, device in servers(plan, key)]
            if len(boxes) > 1:
                yield Hit(
                    _of(plan, f"/segments/{key}", segment.label, segment.scope.span),
                    f"The range of {segment.label} is served by {listed(boxes)}: let one box serve it.",
                    tuple(Other(plan.customer, plan.site, name) for name in sorted(boxes)),
                    len(boxes),
                )


@rule("dns-loop", Severity.STOP, "device", "forwarders")
def dns_loop(view: View) -> Iterator[Hit]:
    """Name server that asks itself

    The box forwards names to one of its own addresses: no name is ever found.
    """
    for box in view.boxes:
        own = {interface.address for interface in view.faces(box.plan)[box.key]}
        for address in [a for a in box.device.forwarders if a in own]:
            yield Hit(
                box.subject(address),
                f"{named(box.device)} forwards names to {address}, which is itself: give it the provider's resolvers.",
            )


@rule("host-name-bad", Severity.STOP, "device", "name")
def host_name_bad(view: View) -> Iterator[Hit]:
    """Host name that is none

    A host name has letters, digits and hyphens, at most 63 to a label (RFC 1123); other characters are refused
    by the box, or break certificates and name lookup.
    """
    for box in view.boxes:
        name = box.device.name
        if name is None and box.device.staged:
            yield Hit(box.subject(), f"{named(box.device).capitalize()} has no host name: give it one.")
        elif name is not None and not is_host_name(name):
            yield Hit(
                box.subject(name),
                f"{name!r} is no host name (RFC 1123): use letters, digits and hyphens, and begin and end with a "
                "letter or digit.",
            )


@rule("host-name-duplicate", Severity.STOP, "device", "name")
def host_name_duplicate(view: View) -> Iterator[Hit]:
    """Host name used twice

    Two devices of the site have the same host name: nobody can tell their logs and back-ups apart.
    """
    for plan in view.equipped:
        for (key, one), (other_key, other) in combinations(plan.devices.items(), 2):
            if one.name and other.name and one.name.casefold() == other.name.casefold():
                for mine, theirs in ((key, other_key), (other_key, key)):
                    name = plan.devices[theirs].role.words
                    yield Hit(
                        _of(plan, f"/devices/{mine}", named(plan.devices[mine]), one.name),
                        f"{one.name} is also the host name of the site's {name}: give one of them another.",
                        (Other(plan.customer, plan.site, named(plan.devices[theirs])),),
                        1,
                    )


@rule("time-server-missing", Severity.WARN, "device", "time_servers")
def time_server_missing(view: View) -> Iterator[Hit]:
    """No time server

    Without the right time logs mislead, certificates fail and schedules run at night.
    """
    for box in view.boxes:
        if box.device.staged and not box.device.time_servers:
            yield Hit(box.subject(), f"{named(box.device)} has no time server: give it one or two.")
