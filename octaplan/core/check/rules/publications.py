"""What is published to the internet: whether it gets there, and whether it should."""

from __future__ import annotations

from collections.abc import Iterator

from octaplan.core.check.faults import Faults, traffic_rule
from octaplan.core.check.findings import Hit, Severity, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.flow.network import INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import Reason
from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import DeviceRole, Publication
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Address
from octaplan.core.values.services import Services, known_services
from octaplan.core.values.words import listed

#: What nobody leaves open to every network: log-ins, file shares, printers, databases of the network (IANA).
GUARDED = (
    "tcp/21, tcp/22, tcp/23, tcp/25, udp/53, udp/69, tcp/135, udp/137, udp/161, tcp/389, tcp/445, tcp/515, tcp/631, "
    "tcp/1433, tcp/2049, tcp/3306, tcp/3389, tcp/5900, tcp/9100"
)


@traffic_rule("publish-host-missing", Severity.STOP, "device", "publications")
def publish_host_missing(faults: Faults) -> Iterator[Hit]:
    """Published, and nobody there

    The publication leads to a host that has been removed, or that has no address yet.
    """
    for box, device in faults.plan.devices.items():
        for key, one in device.publications.items():
            host = faults.plan.hosts.get(one.host)
            if host is None or (host.address is None and host.address6 is None):
                what = "a host that has been removed" if host is None else f"{host.name}, which has no address yet"
                yield Hit(
                    faults.device(box, one.service, f"/publications/{key}"),
                    f"{one.service} is published by {faults.box(box)} for {what}: choose a host, or take it away.",
                )


@traffic_rule("publish-address-unknown", Severity.STOP, "device", "publications")
def publish_address_unknown(faults: Faults) -> Iterator[Hit]:
    """Published at somebody else's address

    The outside address is neither the circuit's own nor in its hand-off or a routed block, or the circuit is not on the
    box: nothing arrives there.
    """
    for box, device in faults.plan.devices.items():
        for key, one in device.publications.items():
            circuit = faults.plan.circuits.get(one.circuit)
            if circuit is None or faults.traffic.net.lines.get(one.circuit) != box:
                why = "a circuit that is on none of its ports"
            elif (
                one.address is None
                or one.address == circuit.address
                or any(
                    net is not None and net.holds(one.address)
                    for net in (circuit.subnet, circuit.subnet6, *circuit.routed_blocks)
                )
            ):
                continue
            else:
                why = f"{one.address}, which is no address of {circuit.label}"
            yield Hit(
                faults.device(box, one.address or one.service, f"/publications/{key}"),
                f"{one.service} is published by {faults.box(box)} at {why}: nothing arrives there. Choose an address "
                "of a circuit on its ports.",
            )


@rule("publish-twice", Severity.STOP, "device", "publications")
def publish_twice(view: View) -> Iterator[Hit]:
    """Published twice

    Two publications, here or at another site, are for the same outside address and service: one of them never gets a
    packet.
    """
    rows, met = view.published, view.elsewhere("published")
    told = {
        (int(site), int(item), rows["address"].at(row)): row
        for row, (site, item) in enumerate(zip(rows["site"], rows["item"], strict=True))
    }
    for (site, item, address), row in told.items():
        plan = view.plans[site]
        shown = [(plan, *each) for each in _shown_at(plan, address)]
        for number, there, _ in met.members(row):
            other = view.holdings.plans[number]
            shown += [(other, *each) for each in _shown_at(other, address) if each[0] == there]
        box, device = list(plan.devices.items())[item]
        for owner, place, key, one in shown:
            if owner is not plan or place != item:
                continue
            others = [
                Other(far.customer, far.site, named(list(far.devices.values())[nth]))
                for far, nth, _, two in shown
                if two is not one and _same(one, two)
            ]
            if others:
                where = listed([f"{other.customer}/{other.site} {other.subject}" for other in others[:3]])
                path = f"/devices/{box}/publications/{key}"
                yield Hit(
                    Subject(plan.customer, plan.site, named(device), path, str(address)),
                    f"{one.service} at {address} is published twice, also by {where}: one of them never gets a packet. "
                    "Choose another address or port.",
                    tuple(others[:20]),
                    len(others),
                )


def _shown_at(plan: SitePlan, address: Address) -> Iterator[tuple[int, str, Publication]]:
    """The publications of a site for an outside address, each with the place of its box and its id."""
    for place, device in enumerate(plan.devices.values()):
        for key, one in device.publications.items():
            line = plan.circuits.get(one.circuit)
            if (one.address or (line.address if line is not None else None)) == address:
                yield place, key, one


def _same(one: Publication, other: Publication) -> bool:
    """Whether a packet could be for either of two publications of one address."""
    services = [known_services(each.service) or Services(()) for each in (one, other)]
    near = (
        not one.sources
        or not other.sources
        or any(a.holds(b.first) or b.holds(a.first) for a in one.sources for b in other.sources)
    )
    return near and bool(services[0] & services[1])


@traffic_rule("publish-half", Severity.STOP, "device", "publications")
def publish_half(faults: Faults) -> Iterator[Hit]:
    """Half a publication

    Something is published and no allow rule lets it in, or a rule lets something in from the internet that is published
    nowhere: each needs the other.
    """
    net = faults.traffic.net
    for box, node in net.nodes.items():
        for shown in node.publications.values():
            for one in shown:
                piece = faults.traffic.shut_out(one)
                if piece is not None and piece.reason is Reason.NOT_ALLOWED:
                    host = faults.plan.hosts[one.host]
                    service = faults.plan.devices[box].publications[one.key].service
                    yield Hit(
                        faults.device(box, service, f"/publications/{one.key}"),
                        f"{service} is published by {faults.box(box)} for {host.name}, and {faults.where(piece.at)} "
                        "has no allow rule that lets it in: add the rule, or take the publication away.",
                    )
        if node.device.role is not DeviceRole.EDGE:
            continue
        for key, allow in node.device.allows.items():
            path = f"/devices/{box}/allows/{key}"
            inward = allow.source == INTERNET and allow.target not in (INTERNET, "all", OTHER_SITES)
            if inward and path not in faults.traffic.ever_used:
                where = faults.named_end(allow.target)
                yield Hit(
                    faults.device(box, allow.service, f"/allows/{key}"),
                    f"{faults.box(box)} lets the internet through to {where}, and nothing there is published: "
                    "publish it, or take the rule away.",
                )


@traffic_rule("publish-open", Severity.WARN, "device", "publications")
def publish_open(faults: Faults) -> Iterator[Hit]:
    """Published to everybody

    A log-in, file share or service of the network itself is reachable from any address of the internet: it is tried
    day and night. Name the networks that need it.
    """
    guarded = known_services(GUARDED) or Services(())
    for box, device in faults.plan.devices.items():
        for key, one in device.publications.items():
            services = known_services(one.service)
            open_ = (services & guarded) if services is not None and not one.sources else Services(())
            let_in = faults.traffic.let_in(box, key) if open_ else Services(())
            if open_ & let_in:
                told = list((open_ & let_in).parts())
                yield Hit(
                    faults.device(box, one.service, f"/publications/{key}"),
                    f"{listed(told[:4])} of {faults.named_end(one.host)} is published to every network by "
                    f"{faults.box(box)}: name the networks that need it, or accept it.",
                )
