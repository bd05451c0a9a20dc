"""Traffic: what the walk finds to be otherwise than it is meant, and why."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from octaplan.core.check.faults import Disagreement, Faults, traffic_rule
from octaplan.core.check.findings import Hit, Severity
from octaplan.core.check.view import Subject
from octaplan.core.flow.intent import Who
from octaplan.core.flow.matrix import MOST_PLACES
from octaplan.core.flow.network import BOXES, INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import Piece, Reason
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Address
from octaplan.core.values.services import known_services
from octaplan.core.values.words import listed


@traffic_rule("permit-missing", Severity.STOP, "segment", "allows")
def permit_missing(faults: Faults) -> Iterator[Hit]:
    """Meant to pass, and not allowed

    A box that lets only through what an allow rule names has none for something that is meant to pass: addresses and
    routes are right, and nothing arrives.
    """
    for fault in faults.missing:
        if fault.piece.reason is not Reason.NOT_ALLOWED or fault.source == INTERNET or _needed(fault):
            continue
        services = faults.services(fault.piece.mask & fault.cell.missing)
        yield Hit(
            faults.between(fault),
            f"{faults.called(fault.source)} is meant to reach {faults.called(fault.target)}, and "
            f"{faults.where(fault.piece.at)} has no allow rule for it{services}: add one, or mean it to be closed.",
        )


def _needed(fault: Disagreement) -> bool:
    return fault.cell.meant.who is Who.NEEDS


@traffic_rule("isolate-broken", Severity.STOP, "segment", "allows")
def isolate_broken(faults: Faults) -> Iterator[Hit]:
    """Meant to be closed, and passes

    Something passes that is not meant to: guests into the office, the internet to anything inside, cameras out. A rule
    that was made for a test may have stayed, or an inner router passes everything between its segments.
    """
    for fault in faults.extra:
        if fault.target == BOXES:
            continue
        how = _how(faults, fault.piece)
        meant = "closed" if not fault.cell.meant.services else f"open for {fault.cell.meant.services} only"
        services = faults.services(fault.piece.mask & fault.cell.extra)
        yield Hit(
            faults.between(fault),
            f"{faults.called(fault.source)} reaches {faults.called(fault.target)}{services}{how}, and is meant to be "
            f"{meant}: take away what lets it through, or mean it to be open, with a reason.",
        )


def _how(faults: Faults, piece: Piece) -> str:
    """What lets something through."""
    for path in piece.by:
        parts = path.split("/")
        if "publications" in parts:
            return f", published by {faults.box(parts[2])}"
    for path in piece.by:
        parts = path.split("/")
        if "allows" in parts:
            allow = faults.plan.devices[parts[2]].allows[parts[4]]
            ends = (faults.named_end(allow.source), faults.named_end(allow.target))
            return f" by the rule “{ends[0]} to {ends[1]}” of {faults.box(parts[2])}"
    passing = [at for at, _ in piece.trail if at in faults.plan.devices]
    return f", since {faults.box(passing[-1])} passes everything" if passing else ""


@traffic_rule("nat-missing", Severity.STOP, "segment", "translations")
def nat_missing(faults: Faults) -> Iterator[Hit]:
    """Private addresses that leave untranslated

    Packets of the segment leave by a circuit under their private address: the provider drops them. A backup circuit
    needs its translation as well, or nothing passes on the day it is needed.
    """
    found: dict[tuple[str, str], tuple[Disagreement, str]] = {}
    for fault in faults.missing:
        if fault.piece.reason is Reason.NOT_TRANSLATED and fault.source in faults.plan.segments:
            found.setdefault((fault.source, fault.piece.at), (fault, ""))
    for circuit, fault in faults.failing:
        if fault.piece.reason is Reason.NOT_TRANSLATED and fault.source in faults.plan.segments:
            when = f"When {faults.plan.circuits[circuit].label} is down, "
            found.setdefault((fault.source, fault.piece.at), (fault, when))
    for (source, at), (_, when) in found.items():
        label, line = faults.plan.segments[source].label, faults.circuit(at)
        subnet = faults.plan.segments[source].subnet
        told = f"{label} {subnet} leaves by {line} untranslated, and the provider drops it"
        sentence = f"{when}{told}" if when else told
        yield Hit(faults.segment(source, line), f"{sentence}: translate it to the address of {line}.")


@traffic_rule("nat-double", Severity.WARN, "device", "translations")
def nat_double(faults: Faults) -> Iterator[Hit]:
    """Two devices translate on one path

    A modem that stays in front of the edge, or a second box inside, translates once more: telephones, remote access
    and whatever is published from inside suffer, and nobody finds out where.
    """
    circuits: dict[str, str] = {}
    for fault in _passing(faults, INTERNET):
        if fault.piece.reason is Reason.DOUBLE_TRANSLATION:
            circuits.setdefault(fault.piece.left_by, "")
    for side in circuits:
        key = side.removeprefix("/circuits/")
        box = faults.traffic.net.lines[key]
        yield Hit(
            faults.device(box, faults.circuit(side)),
            f"{faults.box(box)} translates to the address of {faults.circuit(side)}, which is translated once more "
            "in front of it: let the modem pass the public address through, or accept it.",
        )
    for box, device in faults.plan.devices.items():
        own = (
            {side for side, *_ in faults.traffic.net.nodes[box].interfaces}
            if box in faults.traffic.net.nodes
            else set()
        )
        twice = [
            one.segment
            for one in device.translations.values()
            if f"/circuits/{one.circuit}" not in own and _translated_elsewhere(faults.plan, box, one.segment)
        ]
        if twice:
            labels = listed(list(dict.fromkeys(map(faults.called, twice))))
            yield Hit(
                faults.device(box, labels),
                f"{faults.box(box)} translates {labels}, and so does the box at the edge: one of them is enough. Take "
                f"the translation of {faults.box(box)} away.",
            )


def _translated_elsewhere(plan: SitePlan, box: str, segment: str) -> bool:
    return any(
        one.segment == segment
        for key, device in plan.devices.items()
        for one in device.translations.values()
        if key != box
    )


def _passing(faults: Faults, target: str) -> Iterator[Disagreement]:
    for cell in faults.traffic.cells():
        if cell.target == target:
            for pair in cell.pairs:
                for piece in pair.pieces:
                    if piece.reason.passes:
                        yield Disagreement(cell, pair, piece)


@traffic_rule("nat-dangling", Severity.STOP, "device", "translations")
def nat_dangling(faults: Faults) -> Iterator[Hit]:
    """Translation to a circuit that the box does not have

    The translation names a circuit on none of the box's ports, or a segment that has been removed: it does nothing.
    """
    for box, device in faults.plan.devices.items():
        node = faults.traffic.net.nodes.get(box)
        own = {side for side, *_ in node.interfaces} if node is not None else set()
        for key, one in device.translations.items():
            if one.segment in faults.plan.segments and f"/circuits/{one.circuit}" in own:
                continue
            if one.segment in faults.plan.segments and _translated_elsewhere(faults.plan, box, one.segment):
                continue  # nat-double speaks
            what = "a segment that has been removed"
            if one.segment in faults.plan.segments:
                circuit = faults.plan.circuits.get(one.circuit)
                what = (
                    f"{circuit.label}, which is on none of its ports" if circuit else "a circuit that has been removed"
                )
            yield Hit(
                faults.device(box, what, f"/translations/{key}"),
                f"A translation of {faults.box(box)} is about {what}: it does nothing. Take it away, or give the box "
                "the circuit.",
            )


@traffic_rule("route-return-missing", Severity.STOP, "segment", "routes")
def route_return_missing(faults: Faults) -> Iterator[Hit]:
    """No way back

    Packets of the segment get there, and no route leads the replies back: pings are lost, pages load for ever, and
    every address looks right.
    """
    found: dict[tuple[str, str], Disagreement] = {}
    for fault in faults.missing:
        if fault.piece.reason is Reason.NO_RETURN and fault.source in faults.plan.segments:
            found.setdefault((fault.source, fault.piece.at), fault)
    for (source, at), fault in found.items():
        segment = faults.plan.segments[source]
        where = faults.where(at)
        asked = f"{segment.label} reaches {faults.called(fault.target)}, but the replies do not come back"
        if at in faults.plan.devices and not faults.plan.devices[at].routes_packets:
            why = f"{where} has no default gateway that leads there. Give it one"
        elif at == INTERNET:
            why = f"the internet knows no way to {segment.subnet or segment.subnet6}. Translate it"
        else:
            why = f"{where} has no route to {segment.subnet or segment.subnet6}. Add one"
        yield Hit(faults.segment(source, where), f"{asked}: {why}.")


@traffic_rule("no-internet", Severity.STOP, "segment", "routes")
def no_internet(faults: Faults) -> Iterator[Hit]:
    """The way to the internet ends on the way

    The segment is meant to reach the internet, and the walk ends before it, for a reason that no other rule speaks of.
    """
    for fault in faults.missing:
        if fault.target == INTERNET and fault.piece.reason in _LOST and not _told_elsewhere(faults, fault):
            yield Hit(
                faults.segment(fault.source, faults.where(fault.piece.at))
                if fault.source in faults.plan.segments
                else faults.between(fault),
                f"{faults.called(fault.source)} does not reach the internet: {_lost(faults, fault)}.",
            )


@traffic_rule("way-missing", Severity.STOP, "segment", "routes")
def way_missing(faults: Faults) -> Iterator[Hit]:
    """No way between two places

    Two places are meant to reach each other, and no route, gateway or circuit leads from one to the other.
    """
    out = {(f.source, f.piece.reason, f.piece.at) for f in faults.missing if f.target == INTERNET}
    for fault in faults.missing:
        if fault.target == INTERNET or fault.piece.reason not in _LOST or fault.source == OTHER_SITES:
            continue
        if (fault.source, fault.piece.reason, fault.piece.at) in out or _told_elsewhere(faults, fault):
            continue
        yield Hit(
            faults.between(fault),
            f"{faults.called(fault.source)} is meant to reach {faults.called(fault.target)}, and does not: "
            f"{_lost(faults, fault)}.",
        )


_LOST = (Reason.NO_GATEWAY, Reason.NO_ROUTE, Reason.NEXT_HOP_DEAD, Reason.LOOP, Reason.OTHER_WAY_BACK)


def _told_elsewhere(faults: Faults, fault: Disagreement) -> bool:
    """Whether a rule about addresses or boxes tells the same already."""
    piece, plan = fault.piece, faults.plan
    if piece.reason is Reason.NEXT_HOP_DEAD:
        return True  # route-next-hop
    if piece.reason is Reason.NO_GATEWAY:
        segment = plan.segments[fault.source]
        return segment.gateway is None and segment.gateway6 is None  # gateway-missing
    if piece.reason is Reason.NO_ROUTE and piece.at in plan.devices:
        device = plan.devices[piece.at]
        return fault.target == INTERNET and not any(route.default for route in device.routes.values())
    return False


def _lost(faults: Faults, fault: Disagreement) -> str:
    """Why a packet ends where it does, and what to do."""
    piece, where = fault.piece, faults.where(fault.piece.at)
    match piece.reason:
        case Reason.NO_GATEWAY:
            segment = faults.plan.segments[fault.source]
            return f"no box that routes has its gateway {segment.gateway or segment.gateway6}. Give it to one"
        case Reason.LOOP:
            return f"{where} and its neighbours send the packet round in a circle. Correct their routes"
        case Reason.OTHER_WAY_BACK:
            return f"the replies come back to {where} by another way than the packet took. Give both the same way"
        case Reason.NO_ROUTE if piece.at.startswith("/circuits/"):
            box = faults.traffic.net.lines.get(piece.at.removeprefix("/circuits/"), "")
            return (
                f"it leaves by {faults.circuit(piece.at)}, since {faults.where(box)} knows no way inside. Add a route"
            )
        case _:
            told = " ".join(str(one) for one in piece.about if isinstance(one, Address))
            return f"{where} has no route to {told or 'it'}. Add one"


@traffic_rule("failover-broken", Severity.WARN, "segment", "routes")
def failover_broken(faults: Faults) -> Iterator[Hit]:
    """Works by one circuit only

    Something that is meant works with all circuits, and not with one of them down: the backup will not carry it on the
    day it is needed.
    """
    for circuit, fault in faults.failing:
        if fault.piece.reason is Reason.NOT_TRANSLATED:
            continue  # nat-missing speaks
        label = faults.plan.circuits[circuit].label
        family = " by IPv6" if fault.pair.target.point.family == 6 else ""
        what = f"{faults.called(fault.source)} does not reach {faults.called(fault.target)}{family}"
        why = {
            Reason.NO_ROUTE: f"{faults.where(fault.piece.at)} has no other way"
            if fault.piece.at in faults.plan.devices
            else "it is published there only",
            Reason.NOT_PUBLISHED: "it is published there only",
        }.get(fault.piece.reason, f"it ends at {faults.where(fault.piece.at)}")
        services = faults.services(fault.piece.mask & fault.cell.missing) if fault.source == INTERNET else ""
        subject = faults.between(fault)
        yield Hit(
            subject._replace(addresses=f"{subject.addresses}, {label} down"),
            f"When {label} is down, {what}{services}: {why}. Lead it by the other circuit too, or accept it.",
        )


@traffic_rule("access-wide", Severity.STOP, "device", "access")
def access_wide(faults: Faults) -> Iterator[Hit]:
    """Managed from where nobody is meant to

    The box answers its management to a segment or network from which nobody is meant to manage it.
    """
    for fault in faults.extra:
        if fault.target != BOXES:
            continue
        box = fault.pair.target.box
        place = fault.piece.path.removeprefix(f"/devices/{box}")
        where = faults.called(fault.source)
        yield Hit(
            faults.device(box, where, place if place.startswith("/access/") else ""),
            f"{faults.box(box)} can be managed from {where}{faults.services(fault.piece.mask & fault.cell.extra)}, and "
            "is not meant to: take the access away, or mean it, with a reason.",
        )


@traffic_rule("management-blocked", Severity.WARN, "device", "access")
def management_blocked(faults: Faults) -> Iterator[Hit]:
    """Managed from where it cannot be reached

    The box is meant to be managed from a segment, and its management cannot be reached from there.
    """
    seen: set[tuple[str, str]] = set()
    for cell in faults.traffic.cells():
        if cell.target != BOXES or not cell.missing or cell.unknown:
            continue
        passed = {p.target.box for p in cell.pairs if p.passes & faults.traffic.managing(p.target.box)}
        for pair in cell.pairs:
            box = pair.target.box
            managing = faults.traffic.managing(box)
            if box in passed or not managing or (box, cell.source) in seen:
                continue
            if not faults.traffic.intent.manages(cell.source, box):
                continue
            piece = next((one for one in pair.pieces if one.mask & managing and not one.reason.passes), None)
            if piece is None or piece.reason in (Reason.PARTED, Reason.NO_RETURN, Reason.NOT_ALLOWED):
                continue  # rules about these speak
            if piece.reason in _LOST and _told_elsewhere(faults, Disagreement(cell, pair, piece)):
                continue
            seen.add((box, cell.source))
            where = faults.called(cell.source)
            why = "it permits it from elsewhere only" if piece.reason is Reason.NOT_SERVED else "no way leads there"
            yield Hit(
                faults.device(box, where),
                f"{faults.box(box)} is meant to be managed from {where}, and {why}: permit it, or mean it otherwise.",
            )


@traffic_rule("resolver-blocked", Severity.STOP, "segment", "resolvers")
def resolver_blocked(faults: Faults) -> Iterator[Hit]:
    """Resolver that cannot be reached

    Clients are told of a resolver in another segment of the site, and cannot reach it by udp/53 and tcp/53: nothing
    has a name.
    """
    yield from _blocked(faults, lambda field: field == "resolvers")


@traffic_rule("server-blocked", Severity.STOP, "segment", "scope/options")
def server_blocked(faults: Faults) -> Iterator[Hit]:
    """Server that cannot be reached

    Clients are told of a time, provisioning or DHCP server in another segment of the site, and cannot reach it by its
    service.
    """
    yield from _blocked(faults, lambda field: field != "resolvers")
    for key, segment in faults.plan.segments.items():
        server = segment.scope.server
        for box, device in faults.plan.devices.items():
            if device.relays.get(key) != server or not isinstance(server, Address):
                continue
            piece = faults.traffic.relayed(box, key, server)
            if piece is not None:
                yield Hit(
                    faults.segment(key, server),
                    f"{faults.box(box)} passes requests for leases in {segment.label} to {server}, and does not reach "
                    f"it: they end at {faults.where(piece.at)} ({piece.reason.words}).",
                )


def _blocked(faults: Faults, fits: Callable[[str], bool]) -> Iterator[Hit]:
    for needs in faults.traffic.intent.needs.values():
        for need in needs:
            if not fits(need.path.split("/", 3)[3]):
                continue
            piece = faults.traffic.stopped(need)
            if piece is None or piece.reason is Reason.NOT_KNOWN:
                continue
            label = faults.called(need.source)
            yield Hit(
                faults.segment(need.source, need.address),
                f"{label} is told of {need.address} as {need.what}, and does not reach it by {need.services}: it ends "
                f"at {faults.where(piece.at)} ({piece.reason.words}).",
            )


@traffic_rule("relay-missing", Severity.STOP, "segment", "scope/server")
def relay_missing(faults: Faults) -> Iterator[Hit]:
    """Requests for leases that reach nobody

    The server of the scope is in another network, and the gateway of the segment does not pass requests on to it; or
    nobody is planned at the server's address.
    """
    net = faults.traffic.net
    for key, segment in faults.plan.segments.items():
        server = segment.scope.server
        if not isinstance(server, Address) or segment.scope.span is None:
            continue
        boxes, hosts = net.holders.get(server, []), net.hosts.get(server, [])
        near = any(one is not None and one.holds(server) for one in (segment.subnet, segment.subnet6))
        serving = any(side == f"/segments/{key}" for _, side, _ in boxes) or any(
            side == f"/segments/{key}" for box, _, _ in boxes for side, *_ in net.nodes[box].interfaces
        )
        if serving:
            continue
        inside = net.segment_of(server)
        if inside and not boxes and not hosts:
            yield Hit(
                faults.segment(key, server),
                f"{segment.label} is served by {server}, and no box or host is planned there: nobody gets an address. "
                "Add the server, or let a box of the site serve it.",
            )
        elif not near:
            gateways = [box for box in net.gateways[key] if faults.plan.devices[box].relays.get(key) != server]
            for box in gateways:
                yield Hit(
                    faults.segment(key, server),
                    f"{segment.label} is served by {server}, which is in another network, and its gateway "
                    f"{faults.box(box)} does not pass requests on: let it relay them.",
                )


@traffic_rule("service-unknown", Severity.STOP, "device", "allows")
def service_unknown(faults: Faults) -> Iterator[Hit]:
    """Service that cannot be read

    An allow rule or a publication names a service that nobody knows: it lets nothing through.
    """
    for box, device in faults.plan.devices.items():
        told = [(f"/allows/{key}/service", one.service) for key, one in device.allows.items()]
        told += [(f"/publications/{key}/service", one.service) for key, one in device.publications.items()]
        for place, text in told:
            if known_services(text) is None:
                yield Hit(
                    faults.device(box, text, place),
                    f"{text!r} of {faults.box(box)} is no service that is known: write such as tcp/443, udp/53 or any.",
                )


@traffic_rule("rule-idle", Severity.NOTE, "device", "allows")
def rule_idle(faults: Faults) -> Iterator[Hit]:
    """Nothing needs it

    Nothing that is meant to pass uses the allow rule, translation or route: it may be left over.
    """
    if faults.traffic.open_values or not faults.traffic.complete:
        return  # what is not known yet may need it
    used = faults.traffic.used
    for box, device in faults.plan.devices.items():
        if not device.routes_packets:
            continue
        for part, called in (("allows", "allow rule"), ("translations", "translation"), ("routes", "route")):
            idle = [key for key in getattr(device, part) if f"/devices/{box}/{part}/{key}" not in used]
            for key in idle:
                if faults.wanted(box, part, key):
                    continue
                words = faults.entry(box, part, key)
                yield Hit(
                    faults.device(box, words, f"/{part}/{key}"),
                    f"Nothing that is meant uses the {called} “{words}” of {faults.box(box)}: take it away, or "
                    "mean it.",
                )


@traffic_rule("traffic-large", Severity.NOTE, "site", "segments")
def traffic_large(faults: Faults) -> Iterator[Hit]:
    """More segments than are walked pair by pair

    The site has so many segments that only their ways to the internet and from it are walked by themselves; what passes
    between two of them is answered when it is asked.
    """
    if not faults.traffic.complete:
        number, where = len(faults.traffic.rows), faults.plan.name or faults.plan.site
        yield Hit(
            Subject(faults.plan.customer, faults.plan.site, where, "", str(number)),
            f"{where} has {number} places that could reach each other, and up to {MOST_PLACES} are walked pair by "
            "pair: ask on Traffic for what passes between two of them.",
        )


@traffic_rule("departure-dangling", Severity.NOTE, "site", "departures", anywhere=True)
def departure_dangling(faults: Faults) -> Iterator[Hit]:
    """Meant for a segment that is gone

    What is meant otherwise at this site speaks of a segment that has been removed.
    """
    known = {*faults.plan.segments, INTERNET, OTHER_SITES, BOXES}
    for key, one in faults.plan.departures.items():
        if {one.source, one.target} - known:
            where = faults.plan.name or faults.plan.site
            subject = Subject(faults.plan.customer, faults.plan.site, where, f"/departures/{key}", one.reason)
            yield Hit(subject, f"“{one.reason}” is meant for a segment that has been removed: take it away.")
