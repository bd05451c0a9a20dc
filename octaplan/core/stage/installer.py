"""The installer's page: what somebody who is not a network person needs on site, in plain words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from octaplan.core.plan.boxes import named, uses
from octaplan.core.plan.device import Device, DeviceRole, PortMode, PortUse
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.site import SitePlan


class Cable(NamedTuple):
    """One cable to plug in."""

    box: str
    port: str
    goes_to: str
    cable: str


class Light(NamedTuple):
    """What a light should do when all is well."""

    box: str
    name: str
    expect: str


class BoxOnSite(NamedTuple):
    """A box to hang up, as the installer knows it from its label."""

    name: str
    looks: str
    where: str


class InstallerPage(NamedTuple):
    """The whole page, in the order of the work."""

    boxes: list[BoxOnSite]
    cables: list[Cable]
    leave_empty: list[str]
    lights: list[Light]
    call: list[str]


_KIND_WORDS = {
    DeviceRole.EDGE: "the box with the label",
    DeviceRole.ROUTER: "the router with the label",
    DeviceRole.SWITCH: "the switch with the label",
    DeviceRole.ACCESS_POINT: "the Wi-Fi box with the label",
    DeviceRole.MODEM: "the provider's own box",
}


def installer_page(plan: SitePlan, hardware: Mapping[str, HardwareType]) -> InstallerPage:
    """What goes where at a site; cables first from the provider inwards, each named once."""
    boxes, cables, empty, lights = [], [], [], []
    done: set[tuple[str, str]] = set()
    order = sorted(plan.devices.items(), key=lambda pair: (list(DeviceRole).index(pair[1].role), pair[1].name or ""))
    for key, device in order:
        kind = hardware.get(device.type)
        looks = f"{_KIND_WORDS[device.role]}, {kind.title}" if kind else _KIND_WORDS[device.role]
        boxes.append(BoxOnSite(named(device), looks, device.location or ""))
        for port, use in uses(device):
            if (key, port) in done:
                continue
            if use.peer and use.peer_port:
                done.add((use.peer, use.peer_port))
            cables.append(Cable(named(device), port, _goes_to(plan, device, use), use.cable or ""))
        used = [port for port, _ in uses(device)]
        spare = [port for port in (kind.network_ports() if kind else ()) if port not in used]
        if spare:
            empty.append(f"{named(device)}: {', '.join(spare)}")
        for name, expect in kind.lights.items() if kind else ():
            lights.append(Light(named(device), name, expect))
    call = [f"On site: {plan.contact}"] if plan.contact else []
    for circuit in plan.circuits.values():
        if circuit.provider:
            reference = f", say the reference {circuit.reference}" if circuit.reference else ""
            call.append(f"{circuit.label} does not work: {circuit.provider}{reference}")
    return InstallerPage(boxes, cables, empty, lights, call)


def _goes_to(plan: SitePlan, device: Device, use: PortUse) -> str:
    peer = plan.devices.get(use.peer or "")
    if peer is not None:
        return f"port {use.peer_port} of {named(peer)}" if use.peer_port else named(peer)
    if use.mode is PortMode.CIRCUIT:
        circuit = plan.circuits.get(use.circuit or "")
        who = (circuit.provider or circuit.label) if circuit else "the provider"
        return f"the socket or box of {who}"
    labels = [plan.segments[key].label for key in use.segments if key in plan.segments]
    if use.mode is PortMode.TRUNK:
        return "the switch" if device.routes_packets else "the network"
    return f"a device of {labels[0]}" if labels else "nothing"
