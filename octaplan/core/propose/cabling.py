"""Which segment each port of a box is for, and which fixed host hangs on it: in proportion to what is planned."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from octaplan.core.plan.boxes import named, uncabled
from octaplan.core.plan.device import Device, DeviceRole, PortMode, PortUse
from octaplan.core.plan.hardware import FactoryRole, HardwareType, Medium
from octaplan.core.plan.patch import Operation
from octaplan.core.plan.site import Attachment, SegmentRole, SitePlan
from octaplan.core.propose.segments import PRESETS

#: How a site's fixed hosts are recognised as boxes of a role.
HOST_KINDS = {DeviceRole.SWITCH: ("switch",), DeviceRole.ACCESS_POINT: ("access point", "ap", "wireless")}

#: Roles whose clients are on the air, or that have none.
_WITHOUT_SOCKETS = (SegmentRole.GUEST, SegmentRole.WIRELESS, SegmentRole.TRANSIT)


class Sockets(NamedTuple):
    """Sockets that a segment is to have: one for each fixed host, and some for clients."""

    hosts: tuple[str, ...]
    clients: int


def is_kind(kind: str | None, role: DeviceRole) -> bool:
    """Whether the kind of a fixed host says that it is a box of a role."""
    return kind is not None and kind.casefold() in HOST_KINDS.get(role, ())


def wants(plan: SitePlan, segments: Iterable[str], leave: Iterable[str] = ()) -> dict[str, Sockets]:
    """How many sockets each of some segments is to have, less those that want none; `leave` are hosts cabled apart."""
    apart, open_hosts = set(leave), uncabled(plan)
    found = {}
    for key in segments:
        segment = plan.segments[key]
        hosts = tuple(host for host in open_hosts if plan.hosts[host].segment == key and host not in apart)
        clients = 0
        if segment.role not in _WITHOUT_SOCKETS:
            usual = PRESETS[segment.role].hosts if segment.scope.span is not None else 0
            clients = max(0, (usual if segment.expected_hosts is None else segment.expected_hosts) - len(hosts))
        if hosts or clients:
            found[key] = Sockets(hosts, clients)
    return found


def shares(ports: int, wanted: Mapping[str, Sockets]) -> dict[str, int]:
    """How many of some ports each segment gets: one each, then one for each fixed host, then by clients.

    What is short is shared by highest averages; nothing gets more than it wants.
    """
    given = dict.fromkeys(wanted, 0)
    rounds = (
        dict.fromkeys(wanted, 1),
        {key: max(1, len(want.hosts)) for key, want in wanted.items()},
        {key: len(want.hosts) + want.clients for key, want in wanted.items()},
    )
    for most in rounds:
        while sum(given.values()) < ports:
            short = [key for key in wanted if given[key] < most[key]]
            if not short:
                break
            given[max(short, key=lambda key: most[key] / (given[key] + 1))] += 1
    return given


def shared_out(
    plan: SitePlan, free: Sequence[str], kind: HardwareType, wanted: Mapping[str, Sockets]
) -> dict[str, tuple[str, str | None]]:
    """The segment of each port that is used, and the host that hangs on it; hosts that need power get it first.

    A port for management takes the management segment, or nothing: never a host.
    """
    left = [name for name in free if not is_for_management(kind, name)]
    found: dict[str, tuple[str, str | None]] = {}
    managing = next((key for key in wanted if plan.segments[key].role is SegmentRole.MANAGEMENT), None)
    if managing is not None:
        found = {name: (managing, None) for name in free if name not in left}
        clients = max(0, wanted[managing].clients - len(found))
        rest = {managing: wanted[managing]._replace(clients=clients)} if wanted[managing].hosts or clients else {}
        wanted = {key: rest.get(key, want) for key, want in wanted.items() if key != managing or key in rest}
    for key, number in shares(len(left), wanted).items():
        hosts: list[str | None] = [*wanted[key].hosts]
        for host in [*hosts, *[None] * number][:number]:
            powered = host is not None and plan.hosts[host].attached is Attachment.POWERED_CABLE
            fitting = [name for name in left if kind.ports[name].powers is powered]
            port = (fitting or left)[0]
            left.remove(port)
            found[port] = (key, host)
    return found


def is_for_management(kind: HardwareType | None, port: str) -> bool:
    """Whether a port is built for managing the box, and for nothing else."""
    return kind is not None and port in kind.ports and kind.ports[port].factory_role is FactoryRole.MANAGEMENT


def copper(kind: HardwareType) -> list[str]:
    """The ports that an ordinary cable fits, in the order of the panel."""
    return [name for name in kind.network_ports() if kind.ports[name].medium is Medium.COPPER]


def is_socket(use: PortUse) -> bool:
    """Whether a port is for whoever plugs in: one segment, and nothing planned at the other end."""
    return use.mode in (PortMode.ACCESS, PortMode.BRIDGE) and use.enabled and not use.led


def cabled(plan: SitePlan, hardware: Mapping[str, HardwareType], segment: str | None = None) -> list[Operation]:
    """Every fixed host that is in no port yet put into a free socket of its segment, switches first."""
    order = sorted(plan.devices, key=lambda key: plan.devices[key].role is not DeviceRole.SWITCH)
    sockets = [
        (key, name, use)
        for key in order
        for name, use in plan.devices[key].ports.items()
        if is_socket(use)
        and not _bench_port(plan.devices[key], name)
        and not is_for_management(hardware.get(plan.devices[key].type), name)
    ]
    operations: list[Operation] = []
    for host in sorted(uncabled(plan), key=lambda one: plan.hosts[one].attached is not Attachment.POWERED_CABLE):
        where, powered = plan.hosts[host].segment, plan.hosts[host].attached is Attachment.POWERED_CABLE
        if segment not in (None, where):
            continue
        fitting = [one for one in sockets if one[2].segment == where]
        giving = [one for one in fitting if _powers(plan, hardware, one[0], one[1]) is powered]
        found = next(iter(giving if powered else [*giving, *fitting]), None)
        if found is not None:
            sockets.remove(found)
            key, name, _ = found
            operations.append({"op": "add", "path": f"/devices/{key}/ports/{name}/host", "value": host})
    return operations


def _bench_port(device: Device, name: str) -> bool:
    """Whether a port is the one by which the box is managed on the bench: the only one of a managed segment."""
    managed = {access.segment for access in device.access.values()}
    use = device.ports[name]
    alike = [other for other in device.ports.values() if other.segment == use.segment and is_socket(other)]
    return use.segment in managed and len(alike) == 1


def _powers(plan: SitePlan, hardware: Mapping[str, HardwareType], device: str, port: str) -> bool:
    kind = hardware.get(plan.devices[device].type)
    return kind is not None and kind.powers(port)


def ports_told(plan: SitePlan, out: Mapping[str, tuple[str, str | None]]) -> list[str]:
    """Which ports are for which segment, a phrase each: `2 3 4 Office`."""
    by_segment: dict[str, list[str]] = {}
    for name, (key, _) in out.items():
        by_segment.setdefault(key, []).append(name)
    return [
        f"port{'s' if len(names) > 1 else ''} {' '.join(names)} {plan.segments[key].label}"
        for key, names in by_segment.items()
    ]


def hosts_told(plan: SitePlan, out: Mapping[str, tuple[str, str | None]]) -> str:
    """Which fixed hosts were cabled, as one sentence; empty when none was."""
    told = [f"{plan.hosts[host].name} in port {name}" for name, (_, host) in out.items() if host is not None]
    return f"Cabled: {', '.join(told)}." if told else ""


def far_end(plan: SitePlan, device: str, port: str) -> str:
    """What a cable ends in, in words."""
    return f"port {port} of {named(plan.devices[device])}"
