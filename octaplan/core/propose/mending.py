"""Remedies for traffic: boxes that do what is meant, or something else that is meant."""

from __future__ import annotations

from collections.abc import Iterator

from octaplan.core.check.faults import Disagreement, Faults
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.intent import Intent
from octaplan.core.flow.matrix import MatrixCell, Traffic
from octaplan.core.flow.network import BOXES, INTERNET
from octaplan.core.flow.pieces import Reason
from octaplan.core.plan.boxes import gateways, named, own_address, towards_edge
from octaplan.core.plan.device import Allow, Device, DeviceRole, PortMode, Route, Service, Translation
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import Operation, PatchError, applied, set_to
from octaplan.core.plan.site import Departure, SitePlan, new_id
from octaplan.core.propose.permits import permits
from octaplan.core.propose.remedy import Remedy, Trouble, remedy_for
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.services import Services

#: So many changes one after the other are tried to make a cell as it is meant.
MOST_STEPS = 6

OUT = (Network(4, 0, 0), Network(6, 0, 0))


def meant_otherwise(plan: SitePlan, source: str, target: str, services: str, reason: str) -> list[Operation]:
    """The change by which something else is meant for a pair of places, and the boxes stay as they are."""
    known = next((k for k, d in plan.departures.items() if (d.source, d.target) == (source, target)), None)
    key = known or new_id(f"departure {source} {target}", plan.departures)
    departure = Departure(source=source, target=target, services=services, reason=reason)
    return [set_to(f"/departures/{key}", departure.model_dump(mode="json"))]


def as_meant(portfolio: Portfolio, plan: SitePlan, source: str, target: str) -> list[Operation]:
    """The changes by which the boxes do what is meant for a pair of places; none when no such changes are known."""
    return [operation for step in _steps(portfolio, plan, source, target) for operation in step.operations]


def _steps(portfolio: Portfolio, plan: SitePlan, source: str, target: str) -> list[Remedy]:
    """The remedies, one after the other, that lead a cell to what is meant; none when they do not get there.

    Each step mends what ends the walk there, until the cell agrees; no step may break another cell.
    """
    steps: list[Remedy] = []
    organisation, now = portfolio.organisation, plan
    before = agreeing(Traffic(plan, organisation))
    for _ in range(MOST_STEPS):
        traffic = Traffic(now, organisation)
        if traffic.cell(source, target).agrees:
            return steps
        for remedy in _towards(portfolio, now, source, target):
            try:
                after = applied(now, remedy.operations)
            except PatchError:
                continue
            then = Traffic(after, organisation)
            kept = before <= agreeing(then) | {(source, target)}
            if kept and _nearer(traffic.cell(source, target), then.cell(source, target)):
                steps.append(remedy)
                now = after
                break
        else:
            return []
    return []


def _together(trouble: Trouble, fault: Disagreement) -> Iterator[Remedy]:
    """All steps to what is meant as one remedy, where one step alone would not get there."""
    steps = _steps(trouble.portfolio, trouble.plan, fault.source, fault.target)
    if len(steps) > 1:
        sentences = [steps[0].sentence, *(step.sentence[0].lower() + step.sentence[1:] for step in steps[1:])]
        yield Remedy(", and ".join(sentences), [one for step in steps for one in step.operations])


def agreeing(traffic: Traffic) -> set[tuple[str, str]]:
    """The cells in which boxes do what is meant."""
    return {(cell.source, cell.target) for cell in traffic.cells() if cell.agrees}


def _nearer(before: MatrixCell, after: MatrixCell) -> bool:
    """Whether a cell is as it is meant now, or ends further on."""
    if after.agrees or after.missing != before.missing or after.extra != before.extra:
        return True
    old, new = before.worst(), after.worst()
    return old is not None and new is not None and (old[1].reason, old[1].at) != (new[1].reason, new[1].at)


def _towards(portfolio: Portfolio, plan: SitePlan, source: str, target: str) -> Iterator[Remedy]:
    """What brings a cell nearer to what is meant, best first."""
    faults = Faults(plan, portfolio.organisation)
    for fault in (*faults.missing, *faults.extra):
        if (fault.source, fault.target) == (source, target):
            yield from _mend(faults, fault)


def _mend(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    if fault.piece.reason.passes:
        yield from _closed(faults, fault)
        return
    match fault.piece.reason:
        case Reason.NOT_ALLOWED:
            yield from _permitted(faults, fault)
        case Reason.NOT_TRANSLATED:
            yield from _translated(faults, fault.source, fault.piece.at)
        case Reason.NO_RETURN:
            yield from _returned(faults, fault)
        case Reason.NO_ROUTE | Reason.NEXT_HOP_DEAD:
            yield from _routed(faults, fault)
        case Reason.NOT_SERVED:
            yield from _managed(faults, fault.pair.target.box, fault.source)
        case Reason.LOOP:
            yield from _straightened(faults, fault)
        case Reason.PARTED:
            yield from _joined(faults.plan, fault.piece.path.removeprefix("/segments/"))
        case _:
            return


def _faults(trouble: Trouble, *reasons: Reason) -> Iterator[Disagreement]:
    """The faults that a finding is about."""
    faults = trouble.faults
    for fault in (*faults.missing, *faults.extra):
        subject = faults.between(fault)
        told = (subject.path, subject.addresses) == (trouble.finding.path, trouble.finding.addresses)
        if told and (not reasons or fault.piece.reason in reasons):
            yield fault


# --- Permits -----------------------------------------------------------------------------------------------


def _permitted(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    box, cell = fault.piece.at, fault.cell
    device = faults.plan.devices[box]
    services = _inside(faults, fault)
    target = fault.target
    if target == BOXES:  # what leads to a box goes to the segment that the box is asked in
        target = faults.traffic.net.segment_of(fault.pair.target.point) or fault.target
    allow = Allow(source=cell.source, target=target, service=str(services))
    ends = f"{faults.called(cell.source)} to {faults.called(target)}"
    key = new_id(f"allow {cell.source} {target}", device.allows)
    more = "" if allow.service == "any" else f" by {allow.service}"
    yield Remedy(
        f"Let {named(device)} pass {ends}{more}",
        [set_to(f"/devices/{box}/allows/{key}", allow.model_dump(mode="json"))],
    )


def _inside(faults: Faults, fault: Disagreement) -> Services:
    """The services that are missing, as they are inside."""
    net = faults.traffic.net
    mask = fault.piece.mask
    if fault.source == INTERNET:
        mask = net.moved(mask, fault.piece.shift)
    return net.atoms.services(mask & fault.cell.missing)


@remedy_for("permit-missing")
def _permit(trouble: Trouble) -> Iterator[Remedy]:
    for fault in _faults(trouble, Reason.NOT_ALLOWED):
        yield from _together(trouble, fault)
        yield from _permitted(trouble.faults, fault)
        yield _meant_closed(trouble.plan, trouble.faults, fault)


def _meant_closed(plan: SitePlan, faults: Faults, fault: Disagreement) -> Remedy:
    ends = f"{faults.called(fault.source)} to {faults.called(fault.target)}"
    operations = meant_otherwise(plan, fault.source, fault.target, "none", "Nobody needs it here")
    return Remedy(f"Mean {ends} to be closed", operations)


@remedy_for("isolate-broken")
def _isolated(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for fault in _faults(trouble):
        if fault.piece.reason.passes:
            yield from _closed(faults, fault)
            passing = faults.traffic.net.atoms.services(fault.cell.ever)
            ends = f"{faults.called(fault.source)} to {faults.called(fault.target)}"
            text = str(passing)
            what = "open" if text == "any" else f"open for {text}"
            yield Remedy(
                f"Mean {ends} to be {what}",
                meant_otherwise(trouble.plan, fault.source, fault.target, text, "It is wanted here"),
            )


def _closed(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    """Take away what lets something through: rules, publications; or let the box that passes everything filter."""
    plan, piece = faults.plan, fault.piece
    rules = [path for path in piece.by if "/allows/" in path]
    shown = [path for path in piece.by if "/publications/" in path]
    gone = [{"op": "remove", "path": path} for path in (*shown, *rules[-1:])]
    if shown:
        yield Remedy(f"Take the publication and its rule away from {named(plan.devices[shown[0].split('/')[2]])}", gone)
    for path in rules:
        _, _, box, _, key = path.split("/")
        if not shown:
            yield Remedy(
                f"Take the rule “{faults.entry(box, 'allows', key)}” of {named(plan.devices[box])} away",
                [{"op": "remove", "path": path}],
            )
    if fault.target == BOXES and piece.path.startswith(f"/devices/{piece.at}/access/"):
        yield Remedy(
            f"Take the access from {faults.called(fault.source)} away from {named(plan.devices[piece.at])}",
            [{"op": "remove", "path": piece.path}],
        )
    for box in dict.fromkeys(at for at, _ in piece.trail if at in plan.devices):
        device = plan.devices[box]
        if device.routes_packets and not device.is_filter:
            yield _filtering(faults, box)
    for path in rules:
        _, _, box, _, key = path.split("/")
        yield from _narrowed(faults, box, key)


def _filtering(faults: Faults, box: str) -> Remedy:
    """A box that passes everything, made to pass what is meant only."""
    told = permits(faults.plan, faults.organisation, box)
    operations = [set_to(f"/devices/{box}/filters", True)]
    device = faults.plan.devices[box]
    known = {(one.source, one.target, one.service) for one in device.allows.values()}
    for key, one in told.items():
        if (one.source, one.target, one.service) not in known:
            name = key if key not in device.allows else new_id(key, device.allows)
            operations.append(set_to(f"/devices/{box}/allows/{name}", one.model_dump(mode="json")))
    return Remedy(f"Let {named(device)} pass only what is meant", operations)


def _narrowed(faults: Faults, box: str, key: str) -> Iterator[Remedy]:
    """A rule that says more than is meant, put into the rules that are meant for its source."""
    device = faults.plan.devices[box]
    rule = device.allows[key]
    told = permits(faults.plan, faults.organisation, box)
    wanted = {name: one for name, one in told.items() if rule.source in (one.source, "all")}
    operations: list[Operation] = [{"op": "remove", "path": f"/devices/{box}/allows/{key}"}]
    known = {(one.source, one.target, one.service) for k, one in device.allows.items() if k != key}
    for name, one in wanted.items():
        if (one.source, one.target, one.service) not in known:
            free = name if name not in device.allows or name == key else new_id(name, device.allows)
            operations.append(set_to(f"/devices/{box}/allows/{free}", one.model_dump(mode="json")))
    if len(operations) > 1:
        words = faults.entry(box, "allows", key)
        yield Remedy(f"Put the rules that are meant in the place of “{words}” of {named(device)}", operations)


@remedy_for("resolver-blocked", "server-blocked")
def _reached(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for needs in faults.traffic.intent.needs.values():
        for need in needs:
            piece = faults.traffic.stopped(need)
            if piece is None or need.source != trouble.key or str(need.address) != trouble.finding.addresses:
                continue
            if piece.reason is Reason.NOT_ALLOWED:
                device = trouble.plan.devices[piece.at]
                allow = Allow(source=need.source, target=need.target, service=str(need.services))
                key = new_id(f"allow {need.source} {need.target} {need.services}", device.allows)
                yield Remedy(
                    f"Let {named(device)} pass {faults.called(need.source)} to {faults.called(need.target)} by "
                    f"{need.services}",
                    [set_to(f"/devices/{piece.at}/allows/{key}", allow.model_dump(mode="json"))],
                )


# --- Translations ------------------------------------------------------------------------------------------


def _translated(faults: Faults, segment: str, side: str) -> Iterator[Remedy]:
    circuit = side.removeprefix("/circuits/")
    box = faults.traffic.net.lines.get(circuit)
    if box is None or segment not in faults.plan.segments:
        return
    device = faults.plan.devices[box]
    key = new_id(f"nat {segment} {circuit}", device.translations)
    one = Translation(segment=segment, circuit=circuit)
    yield Remedy(
        f"Translate {faults.called(segment)} to the address of {faults.line(circuit)} at {named(device)}",
        [set_to(f"/devices/{box}/translations/{key}", one.model_dump(mode="json"))],
    )


@remedy_for("nat-missing")
def _nat(trouble: Trouble) -> Iterator[Remedy]:
    for key, circuit in trouble.plan.circuits.items():
        if circuit.label == trouble.finding.addresses:
            yield from _translated(trouble.faults, trouble.key, f"/circuits/{key}")


@remedy_for("nat-double")
def _nat_once(trouble: Trouble) -> Iterator[Remedy]:
    box, device = trouble.key, trouble.plan.devices[trouble.key]
    lines = trouble.faults.traffic.net.lines
    gone = [key for key, one in device.translations.items() if lines.get(one.circuit) != box]
    operations = [{"op": "remove", "path": f"/devices/{box}/translations/{key}"} for key in gone]
    if operations:
        yield Remedy(f"Take the translations of {named(device)} away", operations)


@remedy_for(
    *("nat-dangling", "rule-idle", "publish-half", "publish-host-missing", "publish-twice", "departure-dangling"),
    "route-twice",
)
def _taken_away(trouble: Trouble) -> Iterator[Remedy]:
    path = trouble.finding.path
    if trouble.finding.rule == "publish-half" and "/publications/" in path:
        yield from _let_in(trouble, path)
    what = {"allows": "rule", "translations": "translation", "routes": "route", "publications": "publication"}
    yield Remedy(
        f"Take the {what.get(path.split('/')[3], 'entry') if path.startswith('/devices') else 'departure'} away",
        [{"op": "remove", "path": path}],
    )


def _let_in(trouble: Trouble, path: str) -> Iterator[Remedy]:
    """The allow rule that a publication lacks, at the box where it ends."""
    _, _, box, _, key = path.split("/")
    net = trouble.faults.traffic.net
    shown = next(one for some in net.nodes[box].publications.values() for one in some if one.key == key)
    piece = trouble.faults.traffic.shut_out(shown)
    if piece is None or piece.at not in trouble.plan.devices:
        return
    device = trouble.plan.devices[piece.at]
    services = net.atoms.services(net.shown_inside(shown, shown.mask))
    allow = Allow(source=INTERNET, target=shown.host, service=str(services))
    name = new_id(f"allow internet {shown.host}", device.allows)
    host = trouble.plan.hosts[shown.host]
    operations = [set_to(f"/devices/{piece.at}/allows/{name}", allow.model_dump(mode="json"))]
    operations += wanted_in(
        trouble.plan, trouble.faults.organisation, host.segment, services, f"{host.name} is published"
    )
    yield Remedy(f"Let {named(device)} pass the internet to {host.name} by {allow.service}", operations)


def wanted_in(
    plan: SitePlan, organisation: Organisation, segment: str, services: Services, reason: str
) -> list[Operation]:
    """What is meant to pass from the internet into a segment, with some services more; nothing when it is meant."""
    meant = Intent(plan, organisation).meant(INTERNET, segment)
    if not services - meant.services:
        return []
    return meant_otherwise(plan, INTERNET, segment, str(meant.services | services), meant.reason or reason)


@remedy_for("publish-address-unknown")
def _own_outside(trouble: Trouble) -> Iterator[Remedy]:
    _, _, box, _, key = trouble.finding.path.split("/")
    one = trouble.plan.devices[box].publications[key]
    lines = trouble.faults.traffic.net.lines
    circuits = [one.circuit] if lines.get(one.circuit) == box else [c for c, at in lines.items() if at == box]
    for circuit in circuits:
        operations = [
            set_to(f"{trouble.finding.path}/circuit", circuit),
            set_to(f"{trouble.finding.path}/address", None),
        ]
        yield Remedy(f"Publish it at the own address of {trouble.faults.line(circuit)}", operations)
    yield Remedy("Take the publication away", [{"op": "remove", "path": trouble.finding.path}])


# --- Routes ------------------------------------------------------------------------------------------------


def _route(plan: SitePlan, box: str, route: Route) -> list[Operation]:
    key = new_id(f"route {route.to} {route.via or route.circuit}", plan.devices[box].routes)
    return [set_to(f"/devices/{box}/routes/{key}", route.model_dump(mode="json"))]


def _returned(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    """A route back, at the box that has none, to the box that the packet came from."""
    plan, box = faults.plan, fault.piece.at
    device = plan.devices.get(box)
    if device is None or fault.source not in plan.segments:
        return
    if not device.routes_packets:
        yield from _own_gateway(plan, box, device)
        return
    segment = plan.segments[fault.source]
    family = fault.pair.source.point.family
    subnet = segment.subnet if segment.subnet is not None and segment.subnet.family == family else segment.subnet6
    hop = _towards_segment(faults, box, fault.source, family)
    if subnet is not None and hop is not None:
        yield Remedy(f"Route {subnet} by {hop} at {named(device)}", _route(plan, box, Route(to=subnet, via=hop)))


def _own_gateway(plan: SitePlan, box: str, device: Device) -> Iterator[Remedy]:
    for key in [*device.addresses, *(h.segment for h in [plan.hosts.get(device.host or "")] if h is not None)]:
        segment = plan.segments.get(key)
        if segment is not None and segment.gateway is not None:
            yield Remedy(
                f"Give {named(device)} the default gateway {segment.gateway}",
                [set_to(f"/devices/{box}/gateway", str(segment.gateway))],
            )


def _towards_segment(faults: Faults, box: str, segment: str, family: int) -> Address | None:
    """The address of the neighbour of a box by which a segment is reached: one that is its gateway, or on the way."""
    net, near = faults.traffic.net, {side for side, *_ in faults.traffic.net.nodes[box].interfaces}
    for gateway in net.gateways.get(segment, []):
        for node in (net.nodes[gateway], *net.nodes.values()):
            if node.key == box or not node.device.routes_packets:
                continue
            ways = [point for side, _, point, _ in node.interfaces if side in near and point.family == family]
            if not ways:
                continue
            reaches = node.key == gateway or any(s == f"/segments/{segment}" for s, *_ in node.interfaces)
            if reaches:
                return ways[0]
    return None


def _routed(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    """A way to where there is none: a default route outwards, or a route to the segment."""
    plan, box = faults.plan, fault.piece.at
    family = fault.pair.target.point.family or 4
    if box.startswith("/circuits/"):  # a private target that leaves by a circuit: the edge lacks the way inwards
        box = faults.traffic.net.lines.get(box.removeprefix("/circuits/"), "")
    device = plan.devices.get(box)
    if device is None or not device.routes_packets:
        return
    inside = faults.traffic.net.segment_of(fault.pair.target.point)
    if inside:
        hop = _towards_segment(faults, box, inside, family)
        segment = plan.segments[inside]
        subnet = segment.subnet if segment.subnet is not None and segment.subnet.family == family else segment.subnet6
        if hop is not None and subnet is not None:
            yield Remedy(f"Route {subnet} by {hop} at {named(device)}", _route(plan, box, Route(to=subnet, via=hop)))
    yield from _default_routes(faults, box, family)


def _default_routes(faults: Faults, box: str, family: int = 4) -> Iterator[Remedy]:
    plan, device = faults.plan, faults.plan.devices[box]
    lines = [key for key, at in faults.traffic.net.lines.items() if at == box]
    everything = OUT[0] if family == 4 else OUT[1]
    if device.role is DeviceRole.EDGE and lines:
        lines.sort(key=lambda key: 10_000 if (p := plan.circuits[key].priority) is None else p)
        have = {route.circuit for route in device.routes.values() if route.to == everything}
        operations: list[Operation] = []
        for place, key in enumerate(lines):
            if key not in have:
                operations += _route(plan, box, Route(to=everything, circuit=key, metric=10 * (place + 1)))
        if operations:
            names = " and ".join(faults.line(key) for key in lines if key not in have)
            yield Remedy(f"Give {named(device)} a default route by {names}", operations)
        return
    hop = towards_edge(plan, box)
    if hop is not None and hop.family == family and not any(r.to == everything for r in device.routes.values()):
        yield Remedy(f"Give {named(device)} a default route by {hop}", _route(plan, box, Route(to=everything, via=hop)))


def _straightened(faults: Faults, fault: Disagreement) -> Iterator[Remedy]:
    """A packet that goes round in a circle: one of the routes that lead it there taken away."""
    for path in dict.fromkeys(fault.piece.by):
        _, _, box, part, key = path.split("/")
        if part == "routes" and not faults.plan.devices[box].routes[key].default:
            words = faults.entry(box, "routes", key)
            yield Remedy(
                f"Take the route “{words}” of {named(faults.plan.devices[box])} away", [{"op": "remove", "path": path}]
            )


@remedy_for("route-default-missing")
def _default(trouble: Trouble) -> Iterator[Remedy]:
    yield from _default_routes(trouble.faults, trouble.key)


@remedy_for("route-next-hop")
def _hop(trouble: Trouble) -> Iterator[Remedy]:
    _, _, box, _, key = trouble.finding.path.split("/")
    device = trouble.plan.devices[box]
    route, hop = device.routes[key], towards_edge(trouble.plan, box)
    if route.default and device.role is DeviceRole.ROUTER and hop is not None and hop.family == route.to.family:
        yield Remedy(f"Lead it to {hop}, the edge", [set_to(f"{trouble.finding.path}/via", str(hop))])
    yield Remedy("Take the route away", [{"op": "remove", "path": trouble.finding.path}])


@remedy_for("route-return-missing")
def _return(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for fault in faults.missing:
        told = fault.piece.reason is Reason.NO_RETURN and fault.source == trouble.key
        if told and faults.where(fault.piece.at) == trouble.finding.addresses:
            yield from _returned(faults, fault)


@remedy_for("no-internet", "way-missing")
def _way(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for fault in faults.missing:
        subject = faults.between(fault)
        if fault.target == INTERNET and fault.source in trouble.plan.segments:
            subject = faults.segment(fault.source, faults.where(fault.piece.at))
        if (subject.path, subject.addresses) == (trouble.finding.path, trouble.finding.addresses):
            yield from _together(trouble, fault)
            yield from _mend(faults, fault)
            if fault.piece.reason is Reason.NO_GATEWAY:
                yield from _gateway_given(trouble, fault.source)


def _gateway_given(trouble: Trouble, key: str) -> Iterator[Remedy]:
    """A segment's gateway moved to where the box is that carries it."""
    plan = trouble.plan
    for device in plan.devices.values():
        address = own_address(plan, device, key) if device.routes_packets and key in device.carried() else None
        if address is not None and address != plan.segments[key].gateway:
            yield Remedy(
                f"Make {address}, which {named(device)} has, the gateway of {plan.segments[key].label}",
                [set_to(f"/segments/{key}/gateway", str(address))],
            )


@remedy_for("failover-broken")
def _both_ways(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for _, fault in faults.failing:
        if fault.piece.reason is Reason.NO_ROUTE and fault.piece.at in trouble.plan.devices:
            yield from _default_routes(faults, fault.piece.at)


# --- Management, leases ------------------------------------------------------------------------------------


def _managed(faults: Faults, box: str, segment: str) -> Iterator[Remedy]:
    if box not in faults.plan.devices or segment not in faults.plan.segments:
        return
    device = faults.plan.devices[box]
    service = next((one.service for one in device.access.values()), Service.HTTPS)
    key = new_id(f"access {service} {segment}", device.access)
    value = {"service": str(service), "segment": segment, "networks": []}
    yield Remedy(
        f"Permit {str(service).upper()} to {named(device)} from {faults.called(segment)}",
        [set_to(f"/devices/{box}/access/{key}", value)],
    )


@remedy_for("access-wide")
def _access(trouble: Trouble) -> Iterator[Remedy]:
    faults = trouble.faults
    for fault in faults.extra:
        if fault.target == BOXES and fault.pair.target.box == trouble.key:
            if faults.called(fault.source) != trouble.finding.addresses:
                continue
            if fault.piece.path.startswith(f"/devices/{trouble.key}/access/"):
                managers = [key for key in trouble.plan.segments if faults.traffic.intent.manages(key, trouble.key)]
                gone: Operation = {"op": "remove", "path": fault.piece.path}
                left = [
                    o for p, o in trouble.plan.devices[trouble.key].access.items() if not fault.piece.path.endswith(p)
                ]
                if managers and not any(one.segment in managers for one in left):
                    for remedy in _managed(faults, trouble.key, managers[0]):
                        where = faults.called(managers[0])
                        yield Remedy(f"Manage it from {where} instead", [gone, *remedy.operations])
                yield Remedy(f"Take the access from {faults.called(fault.source)} away", [gone])
            if fault.source in trouble.plan.segments:
                yield Remedy(
                    f"Mean the boxes to be managed from {faults.called(fault.source)} as well",
                    meant_otherwise(trouble.plan, fault.source, BOXES, "any", "Managed from there as well"),
                )


@remedy_for("management-blocked")
def _managing(trouble: Trouble) -> Iterator[Remedy]:
    for key, segment in trouble.plan.segments.items():
        if segment.label == trouble.finding.addresses:
            yield from _managed(trouble.faults, trouble.key, key)


@remedy_for("relay-missing")
def _relayed(trouble: Trouble) -> Iterator[Remedy]:
    server = trouble.segment.scope.server
    if isinstance(server, Address):
        for box in gateways(trouble.plan)[trouble.key]:
            yield Remedy(
                f"Let {named(trouble.plan.devices[box])} pass requests on to {server}",
                [set_to(f"/devices/{box}/relays/{trouble.key}", str(server))],
            )
    yield Remedy("Let the gateway serve it", [trouble.set("scope/server", "edge")])


# --- Cables ------------------------------------------------------------------------------------------------


@remedy_for("trunk-mismatch")
def _both_carry(trouble: Trouble) -> Iterator[Remedy]:
    _, _, box, _, port = trouble.finding.path.split("/")
    plan = trouble.plan
    use = plan.devices[box].ports[port]
    lacking = [m for m in trouble.faults.wires.mismatches if (m.cable.box, m.cable.port) == (box, port)]
    segments = [m.segment for m in lacking if m.segment not in use.tagged and m.segment != use.segment]
    if not segments:
        return
    cable = lacking[0].cable
    there = plan.devices[cable.far].ports[cable.far_port]
    labels = ", ".join(plan.segments[key].label for key in dict.fromkeys(segments) if key in plan.segments)
    path = f"/devices/{box}/ports/{port}"
    carried = [set_to(f"{path}/tagged", [*use.tagged, *dict.fromkeys(segments)])]
    if use.mode is not PortMode.TRUNK:
        carried.append(set_to(f"{path}/mode", PortMode.TRUNK))
    yield Remedy(f"Let port {port} of {named(plan.devices[box])} carry {labels} too", carried)
    left = [one for one in there.tagged if one not in segments]
    far = f"/devices/{cable.far}/ports/{cable.far_port}/tagged"
    yield Remedy(f"Let {named(plan.devices[cable.far])} not send {labels} there", [set_to(far, left)])


@remedy_for("untagged-mismatch")
def _same_untagged(trouble: Trouble) -> Iterator[Remedy]:
    _, _, box, _, port = trouble.finding.path.split("/")
    plan, use = trouble.plan, trouble.plan.devices[box].ports[port]
    if use.peer not in plan.devices or use.peer_port is None:
        return
    there = plan.devices[use.peer or ""].ports[use.peer_port]
    for path, own, other, device in (
        (f"/devices/{box}/ports/{port}", use, there, plan.devices[box]),
        (f"/devices/{use.peer}/ports/{use.peer_port}", there, use, plan.devices[use.peer or ""]),
    ):
        if other.segment is not None and other.segment in plan.segments:
            tagged = [one for one in own.tagged if one != other.segment]
            label = plan.segments[other.segment].label
            yield Remedy(
                f"Let port {path.rsplit('/', 1)[1]} of {named(device)} carry {label} untagged",
                [set_to(f"{path}/segment", other.segment), set_to(f"{path}/tagged", tagged)],
            )


@remedy_for("segment-parted")
def _one_part(trouble: Trouble) -> Iterator[Remedy]:
    yield from _joined(trouble.plan, trouble.key)


def _joined(plan: SitePlan, segment: str) -> Iterator[Remedy]:
    """Cables that are there already and could carry a segment between two boxes that both have it."""
    if plan.segments[segment].vlan is None:
        return
    for key, device in plan.devices.items():
        for name, use in device.ports.items():
            far = plan.devices.get(use.peer or "")
            there = far.ports.get(use.peer_port or "") if far is not None else None
            if use.mode is not PortMode.TRUNK or far is None or there is None or key > (use.peer or ""):
                continue
            if segment not in device.carried() or segment not in far.carried():
                continue
            operations = [
                set_to(f"/devices/{box}/ports/{port}/tagged", [*one.tagged, segment])
                for box, port, one in ((key, name, use), (use.peer, use.peer_port, there))
                if segment not in one.segments
            ]
            if operations:
                label = plan.segments[segment].label
                yield Remedy(f"Let the cable between {named(device)} and {named(far)} carry {label}", operations)
