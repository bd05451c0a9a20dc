"""A new box for a site, wired and addressed from its type and the plan; what was assumed is said."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any, NamedTuple

from octaplan.core.plan.boxes import host_name, named
from octaplan.core.plan.device import (
    Access,
    Allow,
    Device,
    DeviceRole,
    PortMode,
    PortUse,
    Route,
    Service,
    Translation,
)
from octaplan.core.plan.hardware import FactoryRole, HardwareType, Medium
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import Segment, SegmentRole, SitePlan, new_id
from octaplan.core.propose.room import next_host
from octaplan.core.values.addresses import Address, Network

#: How a site's fixed hosts are recognised as boxes of a role.
HOST_KINDS = {DeviceRole.SWITCH: ("switch",), DeviceRole.ACCESS_POINT: ("access point", "ap", "wireless")}

_UNTRANSLATED = (SegmentRole.TRANSIT, SegmentRole.ISOLATED)


class BoxProposal(NamedTuple):
    """A device to add: its id, a JSON Patch, and what was assumed, a sentence each."""

    key: str
    operations: list[dict[str, Any]]
    assumed: list[str]


def usual_time_servers(plans: Iterable[SitePlan]) -> list[str]:
    """The time servers that most devices of a portfolio have."""
    counted = Counter(tuple(d.time_servers) for plan in plans for d in plan.devices.values() if d.time_servers)
    return list(counted.most_common(1)[0][0]) if counted else []


def equip(
    plan: SitePlan,
    role: DeviceRole,
    kind: HardwareType,
    time_servers: Iterable[str] = (),
    organisation: Organisation | None = None,
    salt: object = "",
) -> BoxProposal:
    """A new device of a type in a role, wired as far as the plan lets it be.

    `salt` (the revision, say) gives a box that takes the place of a removed one an id of its own, so that it does not
    come by the runs and secrets of the other.
    """
    fitter = _Fitter(plan, role, kind, list(time_servers), organisation or Organisation())
    device = fitter.fitted()
    key = new_id(f"device {device.name} {len(plan.devices)} {salt}", plan.devices)
    operations = [{"op": "add", "path": f"/devices/{key}", "value": device.model_dump(mode="json")}]
    operations += [
        {
            "op": "add",
            "path": f"/devices/{peer}/ports/{port}",
            "value": use.model_copy(update={"peer": key}).model_dump(mode="json"),
        }
        for peer, port, use in fitter.far_ends
    ]
    return BoxProposal(key, operations, fitter.assumed)


class _Fitter:
    def __init__(
        self,
        plan: SitePlan,
        role: DeviceRole,
        kind: HardwareType,
        time_servers: list[str],
        organisation: Organisation,
    ) -> None:
        self.plan, self.role, self.kind, self.time_servers = plan, role, kind, time_servers
        self.organisation = organisation
        self.assumed: list[str] = []
        self.ports: dict[str, PortUse] = {}
        self.far_ends: list[tuple[str, str, PortUse]] = []
        self.tagged: list[str] = []
        self.values: dict[str, Any] = {}
        self.host = self._own_host()

    def fitted(self) -> Device:
        self.values["name"] = host_name(self.plan, self.role, self.organisation.naming)
        self.values["time_servers"] = self.time_servers
        if self.role is DeviceRole.MODEM:
            self.values["name"] = None
        elif self.role is DeviceRole.EDGE:
            self._fit_edge()
        elif self.role in (DeviceRole.SWITCH, DeviceRole.ACCESS_POINT):
            self._fit_inside()
        if self.time_servers and self.role is not DeviceRole.MODEM:
            self.assumed.append(f"Time servers {' '.join(self.time_servers)}, as most boxes here have.")
        if self.role is not DeviceRole.MODEM:
            self._fit_access()
        for name in self.kind.network_ports():
            self.ports.setdefault(name, PortUse())
        unused = [name for name, use in self.ports.items() if use.mode is PortMode.UNUSED]
        if unused and len(unused) < len(self.ports):
            self.assumed.append(f"Port {', '.join(unused)}: unused, and so switched off.")
        order = [name for name in self.kind.ports if name in self.ports]
        ports = {name: self.ports[name] for name in order}
        return Device(type=self.kind.key, role=self.role, ports=ports, **self.values)

    @property
    def segments(self) -> dict[str, Segment]:
        return {key: segment for key, segment in self.plan.segments.items() if segment.role is not SegmentRole.TRANSIT}

    def _own_host(self) -> str | None:
        """The fixed host that a switch or access point is: one of its kind that no box is yet, best in the home."""
        linked = {device.host for device in self.plan.devices.values()}
        fitting = [
            key
            for key, host in self.plan.hosts.items()
            if _is_kind(host.kind, self.role) and key not in linked and host.address is not None
        ]
        usual = self._usual_home
        return next((key for key in fitting if self.plan.hosts[key].segment == usual), next(iter(fitting), None))

    @property
    def home(self) -> str | None:
        """The segment that the box is managed from: that of the fixed host that it is, or the usual one."""
        return self.plan.hosts[self.host].segment if self.host is not None else self._usual_home

    @property
    def _usual_home(self) -> str | None:
        """Management, else servers or office, else the first."""
        for role in (SegmentRole.MANAGEMENT, SegmentRole.SERVERS, SegmentRole.OFFICE):
            for key, segment in self.segments.items():
                if segment.role is role:
                    return key
        return next(iter(self.segments), None)

    def _fit_edge(self) -> None:
        self._fit_circuits()
        inside = [name for name in self.kind.network_ports() if name not in self.ports]
        self._fit_segments(inside)
        self._fit_transit([name for name in inside if name not in self.ports])
        circuits = self.ordered_circuits
        self.values["routes"] = {
            new_id(f"route {key}", ()): Route(to=Network(4, 0, 0), circuit=key, metric=10 * (place + 1))
            for place, key in enumerate(circuits)
        }
        inner = [key for key, s in self.segments.items() if s.role not in _UNTRANSLATED and _translated(s)]
        self.values["translations"] = {
            new_id(f"nat {segment} {circuit}", ()): Translation(segment=segment, circuit=circuit)
            for segment in inner
            for circuit in circuits
        }
        self.values["allows"] = {
            new_id(f"allow {key}", ()): Allow(
                source=key, target="all" if s.role is SegmentRole.MANAGEMENT else "internet"
            )
            for key, s in self.segments.items()
            if s.role is not SegmentRole.ISOLATED
        }
        self.assumed.append(
            "Every segment to the internet; management to everything; guests to nothing else; isolated to nothing."
        )
        resolvers = list(dict.fromkeys(r for key in circuits for r in self.plan.circuits[key].resolvers))[:4]
        self.values["resolvers"] = resolvers
        if any("gateway" in segment.resolvers for segment in self.plan.segments.values()):
            self.values["forwarders"] = resolvers
        domains = [segment.domain for segment in self.plan.segments.values() if segment.domain]
        self.values["domain"] = domains[0] if domains else None

    @property
    def ordered_circuits(self) -> list[str]:
        keys = list(self.plan.circuits)
        return sorted(keys, key=lambda k: p if (p := self.plan.circuits[k].priority) is not None else 10_000)

    def _fit_circuits(self) -> None:
        free = [*self.kind.network_ports(FactoryRole.INTERNET)]
        spare = [name for name in reversed(self.kind.network_ports()) if name not in free]
        for key in self.ordered_circuits:
            label = self.plan.circuits[key].label
            if free:
                name = free.pop(0)
            elif len(spare) > 1:
                name = spare.pop(0)
                self.assumed.append(f"{label} on port {name}, since no further port is made for the internet.")
            else:
                self.assumed.append(f"{label} has no port: the {self.kind.title} has none left.")
                continue
            self.ports[name] = PortUse(mode=PortMode.CIRCUIT, circuit=key)
            if self.plan.circuits[key].handoff is None:
                self.assumed.append(f"{label} goes into port {name}; how it is handed off is not answered yet.")

    def _fit_segments(self, free: list[str]) -> None:
        segments, home = list(self.segments), self.home
        switched = any(device.role is DeviceRole.SWITCH for device in self.plan.devices.values()) or any(
            _is_kind(host.kind, DeviceRole.SWITCH) for host in self.plan.hosts.values()
        )
        if not segments or not free:
            if segments:
                self.assumed.append(f"The {self.kind.title} has no port left for the segments.")
            return
        if len(segments) <= len(free) and not switched:
            for key, name in zip(segments, free, strict=False):
                self.ports[name] = PortUse(mode=PortMode.ACCESS, segment=key)
            return
        if len(free) > 1 and home is not None:
            bench = next((n for n in free if self.kind.ports[n].laptop), free[0])
            trunk = next(name for name in free if name != bench)
            self.ports[bench] = PortUse(mode=PortMode.ACCESS, segment=home)
            where = self.plan.segments[home].label
            self.assumed.append(f"Port {bench} carries {where} alone: for the bench laptop, and for service on site.")
        else:
            trunk = free[0]
        tagged = [key for key in segments if key != home and self.plan.segments[key].vlan is not None]
        plain = [self.plan.segments[key].label for key in segments if key != home and key not in tagged]
        far = self._switch_port(trunk, home, tagged)
        self.ports[trunk] = PortUse(mode=PortMode.TRUNK, segment=home, tagged=tagged, **far)
        to = named(self.plan.devices[far["peer"]]) if far else "the switch"
        self.assumed.append(f"Port {trunk} carries all segments to {to}, each under its VLAN tag.")
        if plain:
            self.assumed.append(f"{', '.join(plain)}: on no port yet, since without a VLAN it cannot share one.")

    def _fit_transit(self, free: list[str]) -> None:
        """Links to other routers, each on a routed port of its own."""
        for key, segment in self.plan.segments.items():
            if segment.role is SegmentRole.TRANSIT and free:
                name = free.pop(0)
                self.ports[name] = PortUse(mode=PortMode.ROUTED, segment=key)
                self.assumed.append(f"Port {name} carries {segment.label}, routed, for the router at its other end.")
            elif segment.role is SegmentRole.TRANSIT:
                self.assumed.append(f"{segment.label}: on no port yet, since the {self.kind.title} has none left.")

    def _switch_port(self, own: str, home: str | None, tagged: list[str]) -> dict[str, Any]:
        """The uplink of a switch that is there already, which gets the other end of the cable."""
        for key, device in self.plan.devices.items():
            if device.role is DeviceRole.SWITCH:
                for name, use in device.ports.items():
                    if use.mode is PortMode.TRUNK and use.peer is None:
                        self.far_ends.append((key, name, use.model_copy(update={"peer_port": own})))
                        return {"peer": key, "peer_port": name}
        return {}

    def _fit_inside(self) -> None:
        """A switch or access point: an uplink that carries everything, and an address to manage it by."""
        free, home = self.kind.network_ports(), self.home
        if not free or home is None:
            return
        tagged = [key for key, segment in self.segments.items() if key != home and segment.vlan is not None]
        if self.role is DeviceRole.ACCESS_POINT:
            on_air = {wireless.segment for wireless in self.plan.wireless.values()}
            tagged = [key for key in tagged if key in on_air or not on_air]
        self.tagged = tagged
        uplink = free[0]
        far = self._uplink_to(uplink)
        self.ports[uplink] = PortUse(mode=PortMode.TRUNK, segment=home, tagged=tagged, **far)
        if far:
            peer = self.plan.devices[far["peer"]]
            self.assumed.append(f"Its port {uplink} goes into port {far['peer_port']} of {named(peer)}.")
        if self.role is DeviceRole.SWITCH and len(free) > 2:
            bench = next((name for name in reversed(free) if self.kind.ports[name].laptop), free[-1])
            self.ports[bench] = PortUse(mode=PortMode.ACCESS, segment=home)
            work = next((k for k, s in self.segments.items() if s.role is SegmentRole.OFFICE), home)
            copper = [n for n in free if self.kind.ports[n].medium is Medium.COPPER and n not in self.ports]
            apart = dict(zip(reversed(copper[2:]), self._wired(work, home), strict=False))
            for name in copper:
                self.ports[name] = PortUse(mode=PortMode.ACCESS, segment=apart.get(name, work))
            labels = {key: self.plan.segments[key].label for key in (home, work, *apart.values())}
            told = [f"port {name} {labels[key]}" for name, key in apart.items()]
            self.assumed.append(
                f"Port {bench} carries {labels[home]} alone, for the bench; "
                f"{''.join(f'{one}, ' for one in told)}all others {labels[work]}."
            )
        self._fit_address(home)

    def _wired(self, *carried: str) -> list[str]:
        """Further segments in which hosts or clients are planned that are not on the air: each wants a port."""
        on_air = {wireless.segment for wireless in self.plan.wireless.values()}
        hosts = {host.segment for host in self.plan.hosts.values()}
        roles = (SegmentRole.GUEST, SegmentRole.WIRELESS, SegmentRole.TRANSIT)
        return [
            key
            for key, segment in self.segments.items()
            if key not in (*carried, *on_air)
            and segment.role not in roles
            and segment.vlan is not None
            and (key in hosts or segment.scope.span is not None)
        ]

    def _uplink_to(self, own: str) -> dict[str, Any]:
        """The far end of the uplink: for an access point a port of a switch, else a trunk that leads nowhere yet."""
        if self.role is DeviceRole.ACCESS_POINT:
            found = self._switch_access(own)
            if found:
                return found
        for key, device in self.plan.devices.items():
            for name, use in device.ports.items():
                if device.role is DeviceRole.EDGE and use.mode is PortMode.TRUNK and use.peer is None:
                    self.far_ends.append((key, name, use.model_copy(update={"peer_port": own})))
                    return {"peer": key, "peer_port": name}
        return {}

    def _switch_access(self, own: str) -> dict[str, Any]:
        """A plain port of a switch that leads nowhere yet, made into a trunk for what is on the air."""
        home = self.home
        for key, device in self.plan.devices.items():
            plain = [n for n, u in device.ports.items() if u.mode is PortMode.ACCESS and u.peer is None]
            if device.role is DeviceRole.SWITCH and len(plain) > 1:
                use = PortUse(mode=PortMode.TRUNK, segment=home, tagged=self.tagged, peer_port=own)
                self.far_ends.append((key, plain[0], use))
                return {"peer": key, "peer_port": plain[0]}
        return {}

    def _fit_address(self, home: str) -> None:
        segment = self.plan.segments[home]
        if self.host is not None:
            host = self.plan.hosts[self.host]
            self.values["host"] = self.host
            self.values["macs"] = [host.mac] if host.mac else []
            self.assumed.append(f"It is the fixed host {host.name}, {host.address}.")
        else:
            address = next_host(self.plan, home, self.organisation, self.role.words)
            if address is not None:
                self.values["addresses"] = {home: address}
                self.assumed.append(f"Address {address}, the next in {segment.label} that is free and not leased.")
        self.values["gateway"] = segment.gateway
        if segment.gateway is not None:
            self.values["resolvers"] = [r for r in segment.resolvers if isinstance(r, Address)][:4] or [segment.gateway]
        self.values["domain"] = segment.domain

    def _fit_access(self) -> None:
        home = self.home
        if home is None:
            return
        service = Service.HTTPS if self.kind.factory.web else Service.SSH
        self.values["access"] = {new_id(f"access {service}", ()): Access(service=service, segment=home)}
        label = self.plan.segments[home].label
        self.assumed.append(f"Managed by {service.upper()} from {label}, and from nowhere else.")
        if service is Service.SSH and not self.values.get("domain"):
            domains = [segment.domain for segment in self.plan.segments.values() if segment.domain]
            self.values["domain"] = domains[0] if domains else None


def _is_kind(kind: str | None, role: DeviceRole) -> bool:
    return kind is not None and kind.casefold() in HOST_KINDS.get(role, ())


def _translated(segment: Segment) -> bool:
    """Whether the segment's addresses are translated on the way out: IPv4 is, IPv6 is not."""
    return segment.subnet is None or segment.subnet.family == 4
