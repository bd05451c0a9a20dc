"""The installer's page: what somebody who is not a network person needs on site, in plain words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import Device, DeviceRole, PortMode
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.questions import answer_key
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.settings import PortSettings, settings_of


@dataclass(frozen=True, slots=True)
class Cable:
    """One cable to plug in."""

    box: str
    port: str
    goes_to: str
    cable: str


@dataclass(frozen=True, slots=True)
class Light:
    """What a light should do when all is well."""

    box: str
    name: str
    expect: str


@dataclass(frozen=True, slots=True)
class BoxOnSite:
    """A box to hang up, as the installer knows it from its label."""

    name: str
    looks: str
    where: str


@dataclass(frozen=True, slots=True)
class InstallerPage:
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


def installer_page(
    plan: SitePlan, hardware: Mapping[str, HardwareType], organisation: Organisation = UNDECIDED
) -> InstallerPage:
    """What goes where at a site; cables first from the provider inwards, each named once."""
    boxes, cables, empty, lights = [], [], [], []
    done: set[tuple[str, str]] = set()
    order = sorted(plan.devices.items(), key=lambda pair: (list(DeviceRole).index(pair[1].role), pair[1].name or ""))
    for key, device in order:
        kind = hardware.get(device.type)
        looks = f"{_KIND_WORDS[device.role]}, {kind.title}" if kind else _KIND_WORDS[device.role]
        boxes.append(BoxOnSite(named(device), looks, device.location or ""))
        ports = [port for port in settings_of(plan, key).ports if port.mode is not PortMode.UNUSED]
        for port in ports:
            use = device.ports[port.name]
            if (key, port.name) in done:
                continue
            if use.peer and use.peer_port:
                done.add((use.peer, use.peer_port))
            cables.append(Cable(named(device), port.name, _goes_to(device, port), port.cable or ""))
        used = [port.name for port in ports]
        spare = [port for port in (kind.network_ports() if kind else ()) if port not in used]
        if spare:
            empty.append(f"{named(device)}: {', '.join(spare)}")
        for name, expect in kind.lights.items() if kind else ():
            lights.append(Light(named(device), name, expect))
    call = [f"On site: {plan.contact}"] if plan.contact else []
    for key, circuit in plan.circuits.items():
        number = plan.answers.get(answer_key("support", key))
        whom = [circuit.provider or "the provider"] if circuit.provider or number else []
        whom += [number.text] if number else []
        whom += [f"say the reference {circuit.reference}"] if whom and circuit.reference else []
        if whom:
            call.append(f"{circuit.label} does not work: {', '.join(whom)}")
    if organisation.support:
        call.append(f"Anything else: {organisation.support}")
    return InstallerPage(boxes, cables, empty, lights, call)


def _goes_to(device: Device, port: PortSettings) -> str:
    if port.peer:
        return f"port {port.peer_port} of {port.peer}" if port.peer_port else port.peer
    if port.mode is PortMode.CIRCUIT:
        return f"the socket or box of {port.provider or 'the provider'}"
    if port.mode is PortMode.TRUNK:
        return "the switch" if device.routes_packets else "the network"
    return f"a device of {port.carried[0].label}" if port.carried else "nothing"
