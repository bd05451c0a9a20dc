"""Fixed hosts and boxes on their cables: in the right port, on the air, with power."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from octaplan.core.check.findings import Hit, Severity, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.boxes import named, uncabled, uses
from octaplan.core.plan.device import Device, DeviceRole
from octaplan.core.plan.hardware import HardwareType, Power
from octaplan.core.plan.site import Attachment, SitePlan
from octaplan.core.values.words import listed


def _of(plan: SitePlan, path: str, name: str, addresses: object = "") -> Subject:
    return Subject(plan.customer, plan.site, name, path, str(addresses))


def _cables(plan: SitePlan) -> Iterator[tuple[str, str, Device, str]]:
    """Every fixed host on a cable: its id, the box, and the port."""
    for key, device in plan.devices.items():
        for name, use in uses(device):
            if use.host in plan.hosts:
                yield use.host or "", key, device, name


@rule("host-port", Severity.STOP, "host", "attached")
def host_port(view: View) -> Iterator[Hit]:
    """Host plugged into another segment

    The port that a fixed host is planned into does not carry the host's segment untagged: with its address it
    reaches nobody there.
    """
    for plan in view.equipped:
        for host, _, device, name in _cables(plan):
            one, use = plan.hosts[host], device.ports[name]
            if use.segment != one.segment:
                there = plan.segments.get(use.segment or "")
                carries = f"carries {there.label}" if there else "carries no segment untagged"
                yield Hit(
                    _of(plan, f"/hosts/{host}", one.name, f"{name} of {named(device)}"),
                    f"{one.name} belongs into {plan.segments[one.segment].label}, and port {name} of {named(device)} "
                    f"{carries}: choose another port, or change what this one carries.",
                )


@rule("host-uncabled", Severity.NOTE, "segment", "label")
def host_uncabled(view: View) -> Iterator[Hit]:
    """Host in no port

    The site has a switch, and it is not planned into which port a fixed host is plugged: the installer will choose
    one, and it may be one of another segment.
    """
    for plan in view.equipped:
        if not any(d.role is DeviceRole.SWITCH and d.ports for d in plan.devices.values()):
            continue
        open_hosts: dict[str, list[str]] = defaultdict(list)
        for host in uncabled(plan):
            open_hosts[plan.hosts[host].segment].append(plan.hosts[host].name)
        for key, names in open_hosts.items():
            told = listed(names) if len(names) < 4 else f"{len(names)} hosts"
            verb = "is" if len(names) == 1 else "are"
            yield Hit(
                _of(plan, f"/segments/{key}", plan.segments[key].label, len(names)),
                f"{told} of {plan.segments[key].label} {verb} in no port: say into which, or that Wi-Fi carries "
                f"{'it' if len(names) == 1 else 'them'}.",
            )


@rule("host-off-air", Severity.WARN, "host", "attached")
def host_off_air(view: View) -> Iterator[Hit]:
    """Wi-Fi host without Wi-Fi

    A fixed host is to be reached by Wi-Fi, and no Wi-Fi network of the site leads into its segment.
    """
    for plan in view.equipped:
        on_air = {wifi.segment for wifi in plan.wireless.values()}
        for key, host in plan.hosts.items():
            if host.attached is Attachment.WIFI and host.segment not in on_air:
                label = plan.segments[host.segment].label
                yield Hit(
                    _of(plan, f"/hosts/{key}", host.name, host.address or ""),
                    f"{host.name} is attached by Wi-Fi, and no Wi-Fi network leads into {label}: plan one on Devices, "
                    "or give the host a cable.",
                )


@rule("power-missing", Severity.WARN, "device", "ports")
def power_missing(view: View) -> Iterator[Hit]:
    """Nothing powers it

    A box or host that gets its power over its network cable hangs on a port that gives none, or on no port.
    """
    hardware = view.holdings.hardware or {}
    for plan in view.equipped:
        for host, _, device, name in _cables(plan):
            one = plan.hosts[host]
            if one.attached is Attachment.POWERED_CABLE and _unpowered(hardware.get(device.type), name):
                yield Hit(
                    _of(plan, f"/hosts/{host}", one.name, f"{name} of {named(device)}"),
                    f"{one.name} is powered by its cable, and port {name} of {named(device)} gives no power: choose a "
                    "port that does, or plan an injector and say that it hangs on a plain cable.",
                )
        for key, device in plan.devices.items():
            kind = hardware.get(device.type)
            if kind is None or Power.SUPPLY in kind.powered_by or Power.INJECTOR in kind.powered_by:
                continue
            ends = [(use.peer, use.peer_port) for _, use in uses(device) if use.peer in plan.devices]
            feeds = ((hardware.get(plan.devices[peer or ""].type), port) for peer, port in ends)
            if not any(far is not None and far.powers(port) for far, port in feeds):
                yield Hit(
                    _of(plan, f"/devices/{key}", named(device)),
                    f"{named(device)} gets its power from the port that it hangs on, and hangs on none that gives "
                    "power: lead its cable to one.",
                )


def _unpowered(kind: HardwareType | None, port: str) -> bool:
    """Whether a port is known to give no power."""
    known = kind.ports.get(port) if kind else None
    return known is not None and not known.powers
