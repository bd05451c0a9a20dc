"""The installer's page: what somebody who is not a network person needs on site, in plain words."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import Device, DeviceRole, PortMode
from octaplan.core.plan.hardware import HardwareType, Power
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.questions import fault_number
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.stage.settings import PortSettings, settings_of


@dataclass(frozen=True, slots=True)
class Cable:
    """One cable to plug in: from a port of a box into whatever `goes_to` names."""

    box: str
    port: str
    goes_to: str
    cable: str


@dataclass(frozen=True, slots=True)
class Socket:
    """Ports that stay free for whoever plugs something in, and for what."""

    box: str
    ports: str
    use: str


@dataclass(frozen=True, slots=True)
class Light:
    """What a light should do when all is well."""

    box: str
    name: str
    expect: str


@dataclass(frozen=True, slots=True)
class BoxOnSite:
    """A box to hang up, as the installer knows it from its label; where it belongs, and what powers it."""

    name: str
    looks: str
    where: str
    power: str


@dataclass(frozen=True, slots=True)
class SiteTest:
    """Something to try on site and to answer with yes or no. `key` stays the same as long as the test does."""

    key: str
    text: str


@dataclass(frozen=True, slots=True)
class InstallerPage:
    """The whole page, in the order of the work."""

    place: str
    boxes: list[BoxOnSite]
    cables: list[Cable]
    sockets: list[Socket]
    leave_empty: list[str]
    lights: list[Light]
    tests: list[SiteTest]
    call: list[str]


_KIND_WORDS = {
    DeviceRole.EDGE: "the box with the label",
    DeviceRole.ROUTER: "the router with the label",
    DeviceRole.SWITCH: "the switch with the label",
    DeviceRole.ACCESS_POINT: "the Wi-Fi box with the label",
    DeviceRole.MODEM: "the provider's own box",
}

#: What is plugged into the sockets of a segment, in words of people who use it.
_PLUGGED = {
    SegmentRole.OFFICE: "computers",
    SegmentRole.VOICE: "telephones",
    SegmentRole.CAMERAS: "cameras",
    SegmentRole.SERVERS: "servers",
    SegmentRole.GUEST: "guests",
    SegmentRole.MANAGEMENT: "technicians only",
}

#: What tells that a fixed host works, by words in its kind or name.
_WORKS = (
    ("print", "print a page on it"),
    ("phone", "ring from one telephone to another"),
    ("camera", "see its picture where pictures are looked at"),
    ("record", "see the pictures that it records"),
    ("till", "sell something for a test, or open a receipt"),
)


def installer_page(
    plan: SitePlan,
    hardware: Mapping[str, HardwareType],
    organisation: Organisation = UNDECIDED,
    skipped: Sequence[str] = (),
) -> InstallerPage:
    """What goes where at a site; cables first from the provider inwards, each named once.

    `skipped` are checks that were not made on the bench, each in a sentence: they are asked for here.
    """
    place = plan.answers.get("place")
    where = place.text if place else ""
    boxes, cables, sockets, empty, lights = [], [], [], [], []
    done: set[tuple[str, str]] = set()
    for key, device in from_provider(plan):
        kind = hardware.get(device.type)
        looks = f"{_KIND_WORDS[device.role]}, {kind.title}" if kind else _KIND_WORDS[device.role]
        power = power_on_site(plan, device, hardware) if device.staged else ""
        boxes.append(BoxOnSite(named(device), looks, device.location or where, power))
        ports = [port for port in settings_of(plan, key).ports if port.mode is not PortMode.UNUSED]
        free: dict[str, list[str]] = {}
        for port in ports:
            use = device.ports[port.name]
            if (key, port.name) in done:
                continue
            if use.peer and use.peer_port:
                done.add((use.peer, use.peer_port))
            if _is_free(port):
                role = plan.segments[port.carried[0].key].role
                words = _PLUGGED.get(role, "devices")
                free.setdefault(f"{words} ({port.carried[0].label})", []).append(port.name)
            else:
                cables.append(Cable(named(device), port.name, _goes_to(device, port), port.cable or ""))
        sockets += [Socket(named(device), " ".join(names), use) for use, names in free.items()]
        used = [port.name for port in ports]
        spare = [port for port in (kind.network_ports() if kind else ()) if port not in used]
        if spare:
            empty.append(f"{named(device)}: {', '.join(spare)}")
        for name, expect in kind.lights.items() if kind else ():
            lights.append(Light(named(device), name, expect))
    tests = [SiteTest(_key(text), text) for text in dict.fromkeys([*_tests(plan, sockets), *skipped])]
    return InstallerPage(where, boxes, cables, sockets, empty, lights, tests, [*_call(plan, organisation)])


def from_provider(plan: SitePlan) -> list[tuple[str, Device]]:
    """The boxes from the provider inwards."""
    return sorted(plan.devices.items(), key=lambda pair: (list(DeviceRole).index(pair[1].role), pair[1].name or ""))


def _key(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=6).hexdigest()


def power_on_site(plan: SitePlan, device: Device, hardware: Mapping[str, HardwareType]) -> str:
    """What powers a box where it stands, in a sentence."""
    kind = hardware.get(device.type)
    by = kind.powered_by if kind else [Power.SUPPLY]
    if Power.PORT in by:
        for use in device.ports.values():
            far = plan.devices.get(use.peer or "")
            far_kind = hardware.get(far.type) if far else None
            if far is not None and far_kind is not None and far_kind.powers(use.peer_port):
                return f"no power supply: port {use.peer_port} of {named(far)} powers it through its cable"
    if Power.SUPPLY in by:
        return "its power supply into a wall socket"
    if Power.INJECTOR in by:
        return "its injector into a wall socket, between the box and its cable"
    return "through its cable: the socket at the other end has to give power"


def _is_free(port: PortSettings) -> bool:
    """Whether a port is for whoever plugs something in."""
    plain = port.mode in (PortMode.ACCESS, PortMode.BRIDGE)
    return plain and bool(port.carried) and not port.peer and not port.host


def _goes_to(device: Device, port: PortSettings) -> str:
    if port.peer:
        return f"port {port.peer_port} of {port.peer}" if port.peer_port else port.peer
    if port.host:
        return port.host
    if port.mode is PortMode.CIRCUIT:
        return f"the socket or box of {port.provider or 'the provider'}"
    return "the switch" if device.routes_packets else "the network that is there"


def _tests(plan: SitePlan, sockets: Sequence[Socket]) -> Iterator[str]:
    """What shows on site that it works, a sentence each."""
    for wifi in plan.wireless.values():
        yield f"With a telephone in the Wi-Fi {wifi.name}: open any page of the internet"
    for socket in sockets:
        if not socket.use.startswith("technicians"):
            yield f"With a computer in port {socket.ports.split()[0]} of {socket.box}: open any page of the internet"
    on_air = {wifi.segment for wifi in plan.wireless.values()}
    plugged = {port.segment for device in plan.devices.values() for port in device.ports.values() if not port.led}
    for key, segment in plan.segments.items() if plan.devices else ():
        if segment.scope.span is not None and key not in on_air and key not in plugged:
            yield f"With a computer where {segment.label} is plugged in: open any page of the internet"
    for host in plan.hosts.values():
        if any(device.host is not None and plan.hosts.get(device.host) is host for device in plan.devices.values()):
            continue
        called = f"{host.kind or ''} {host.name}".casefold()
        works = next((how for word, how in _WORKS if word in called), "")
        if works:
            yield f"{host.name[:1].upper()}{host.name[1:]}: {works}"
    if any(access.networks for device in plan.devices.values() for access in device.access.values()):
        yield "Ring your technician: can the box be opened from outside?"


def _call(plan: SitePlan, organisation: Organisation) -> Iterator[str]:
    """Whom to ring, with the numbers that are known."""
    if plan.contact:
        yield f"On site: {plan.contact}"
    for key, circuit in plan.circuits.items():
        number = fault_number(plan, key)
        whom = [circuit.provider or "the provider"] if circuit.provider or number else []
        whom += [number] if number else []
        whom += [f"say the reference {circuit.reference}"] if whom and circuit.reference else []
        if whom:
            yield f"{circuit.label} does not work: {', '.join(whom)}"
    if organisation.support:
        yield f"Anything else: {organisation.support}"
