"""A new box for a site, wired and addressed from its type and the plan; what was assumed is said."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.network import needed, subnets_of
from octaplan.core.plan.boxes import gateways, host_name, is_gateway, managed_from, named, own_address
from octaplan.core.plan.device import (
    Access,
    Device,
    DeviceRole,
    PortMode,
    PortUse,
    Route,
    Service,
)
from octaplan.core.plan.hardware import FactoryRole, HardwareType, Power
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Segment, SegmentRole, SitePlan, new_id
from octaplan.core.propose.cabling import (
    Sockets,
    copper,
    far_end,
    hosts_told,
    is_for_management,
    is_kind,
    is_socket,
    ports_told,
    shared_out,
    wants,
)
from octaplan.core.propose.permits import apart, crosses, managers, permits, translations
from octaplan.core.propose.room import Room, RoomError, next_host, numbered_subnet
from octaplan.core.propose.segments import fresh, room_for
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.words import listed


class BoxProposal(NamedTuple):
    """A device to add: its id, a JSON Patch, and what was assumed, a sentence each."""

    key: str
    operations: list[Operation]
    assumed: list[str]


def equip(
    plan: SitePlan,
    role: DeviceRole,
    kind: HardwareType,
    time_servers: Iterable[str] = (),
    portfolio: Portfolio | None = None,
    salt: object = "",
) -> BoxProposal:
    """A new device of a type in a role, wired as far as the plan lets it be, with the other ends of its cables.

    `portfolio` tells how things are done here, the types of the other boxes, and where a transit link finds room.
    `salt` (the revision, say) gives a box that takes the place of a removed one an id of its
    own, so that it does not come by the runs and secrets of the other.
    """
    fitter = _Fitter(plan, role, kind, list(time_servers), portfolio or Portfolio([plan]), salt)
    device = fitter.fitted()
    operations = [set_to(f"/segments/{key}", one.model_dump(mode="json")) for key, one in fitter.made.items()]
    operations.append(set_to(f"/devices/{fitter.key}", device.model_dump(mode="json")))
    for key, other in fitter.others.items():
        before, after = plan.devices[key].model_dump(mode="json"), other.model_dump(mode="json")
        for field in ("ports", "addresses", "addresses6", "routes", "allows", "access"):
            for name in [one for one in before[field] if one not in after[field]]:
                operations.append({"op": "remove", "path": f"/devices/{key}/{field}/{name}"})
            operations += [
                set_to(f"/devices/{key}/{field}/{name}", value)
                for name, value in after[field].items()
                if before[field].get(name) != value
            ]
    return BoxProposal(fitter.key, operations, fitter.assumed)


class _Fitter:
    def __init__(
        self,
        plan: SitePlan,
        role: DeviceRole,
        kind: HardwareType,
        time_servers: list[str],
        portfolio: Portfolio,
        salt: object,
    ) -> None:
        self.portfolio, self.organisation = portfolio, portfolio.organisation.at(plan.customer)
        self.begins = self.organisation.beginning
        self.plan, self.role, self.kind = plan, role, kind
        self.time_servers = self.begins.time_servers or time_servers
        self.hardware = {**(portfolio.hardware or {}), kind.key: kind}
        self.name = None if role is DeviceRole.MODEM else host_name(plan, role, self.organisation.naming)
        self.key = new_id(f"device {self.name} {len(plan.devices)} {salt}", plan.devices)
        self.assumed: list[str] = []
        self.ports: dict[str, PortUse] = {}
        self.others: dict[str, Device] = {}
        self.made: dict[str, Segment] = {}
        self.values: dict[str, Any] = {"name": self.name, "time_servers": self.time_servers}
        self.host = self._own_host()

    def fitted(self) -> Device:
        if self.role is DeviceRole.EDGE:
            self._fit_edge()
        elif self.role is DeviceRole.ROUTER:
            self._fit_router()
        elif self.role in (DeviceRole.SWITCH, DeviceRole.ACCESS_POINT):
            self._fit_inside()
        if self.role is not DeviceRole.MODEM:
            if self.time_servers:
                why = "the settings say" if self.time_servers == self.begins.time_servers else "most boxes here have"
                self.assumed.append(f"Time servers {' '.join(self.time_servers)}, as {why}.")
            self._fit_access()
        for name in self.kind.network_ports():
            self.ports.setdefault(name, PortUse())
        self._settle()
        unused = [name for name, use in self.ports.items() if use.mode is PortMode.UNUSED]
        if unused and len(unused) < len(self.ports):
            self.assumed.append(f"Port {', '.join(unused)}: unused, and so switched off.")
        ports = {name: self.ports[name] for name in self.kind.ports if name in self.ports}
        return Device(type=self.kind.key, role=self.role, ports=ports, **self.values)

    def _after(self) -> SitePlan:
        """The plan as it will be."""
        values = {name: self.values[name] for name in ("addresses", "addresses6", "host") if name in self.values}
        device = Device(type=self.kind.key, role=self.role, ports=self.ports, **values)
        return self.plan.model_copy(
            update={
                "segments": {**self.plan.segments, **self.made},
                "devices": {**self.plan.devices, **self.others, self.key: device},
            }
        )

    def _settle(self) -> None:
        """Let the boxes that filter pass what is meant, and no more, once it is known who is where."""
        if self.role not in (DeviceRole.EDGE, DeviceRole.ROUTER):
            return
        plan = self._after()
        behind = {key: [s for s, boxes in gateways(plan).items() if boxes == [key]] for key in plan.devices}
        if self.role is DeviceRole.EDGE:
            self.values["translations"] = translations(plan, self.organisation, self.ordered_circuits)
            self.values["allows"] = permits(plan, self.organisation, self.key)
        elif apart(plan, self.organisation, [s for s in behind[self.key] if s in self.segments]):
            self.values["filters"] = True
            self.values["allows"] = permits(plan, self.organisation, self.key)
            self.assumed.append("It filters as well, since segments behind it are to be apart.")
        for edge in self.boxes(DeviceRole.EDGE) if self.role is DeviceRole.ROUTER else ():
            device = self.other(edge)
            left = {
                key: one
                for key, one in device.allows.items()
                if not {one.source, one.target} <= set(plan.segments) or crosses(plan, edge, one.source, one.target)
            }
            if len(left) < len(device.allows):
                self.put(edge, allows=left)

    # --- What there is

    @property
    def segments(self) -> dict[str, Segment]:
        return {key: segment for key, segment in self.plan.segments.items() if segment.role is not SegmentRole.TRANSIT}

    def other(self, key: str) -> Device:
        """Another box as it will be."""
        return self.others.get(key) or self.plan.devices[key]

    def put(self, key: str, **fields: Any) -> None:
        """Change fields of another box."""
        self.others[key] = self.other(key).model_copy(update=fields)

    def put_port(self, key: str, port: str, use: PortUse) -> None:
        self.put(key, ports={**self.other(key).ports, port: use})

    def boxes(self, *roles: DeviceRole) -> list[str]:
        """The other boxes of some roles, in the order of the roles."""
        return [key for role in roles for key, device in self.plan.devices.items() if device.role is role]

    def is_there(self, role: DeviceRole) -> bool:
        """Whether a box of a role is at the site, as a box or as a fixed host that will be one."""
        return bool(self.boxes(role)) or any(is_kind(host.kind, role) for host in self.plan.hosts.values())

    def _own_host(self) -> str | None:
        """The fixed host that a switch or access point is: one of its kind that no box is yet, best in the home."""
        linked = {device.host for device in self.plan.devices.values()}
        fitting = [
            key
            for key, host in self.plan.hosts.items()
            if is_kind(host.kind, self.role) and key not in linked and host.address is not None
        ]
        usual = self._usual_home
        return next((key for key in fitting if self.plan.hosts[key].segment == usual), next(iter(fitting), None))

    @property
    def home(self) -> str | None:
        """The segment that the box is managed from: that of the fixed host that it is, or the usual one."""
        return self.plan.hosts[self.host].segment if self.host is not None else self._usual_home

    @property
    def _usual_home(self) -> str | None:
        return self._home_among(list(self.segments))

    def _home_among(self, segments: list[str]) -> str | None:
        """Management, else servers or office, else the first."""
        return managed_from(self.plan, Device(type=self.kind.key, role=self.role), segments)

    def _free(self) -> list[str]:
        """The ports that nothing is planned for yet, those made for the internet or for management last."""
        outward = self.kind.network_ports(FactoryRole.INTERNET, FactoryRole.MANAGEMENT)
        free = [name for name in self.kind.network_ports() if name not in self.ports]
        return sorted(free, key=outward.__contains__)

    # --- Edge and inner router

    def _fit_edge(self) -> None:
        self._fit_circuits()
        behind = self._behind_routers()
        for router in self.boxes(DeviceRole.ROUTER):
            self._link_to_router(router)
        self._fit_segments([key for key in self.segments if key not in behind])
        self._fit_transit()
        circuits = self.ordered_circuits
        self.values["routes"] = {
            new_id(f"route {key}", ()): Route(to=Network(4, 0, 0), circuit=key, metric=10 * (place + 1))
            for place, key in enumerate(circuits)
        } | self.values.get("routes", {})
        self.values["routes"] |= {
            new_id(f"route6 {key}", ()): Route(to=Network(6, 0, 0), circuit=key, metric=10 * (place + 1))
            for place, key in enumerate(circuits)
            if needed(self.plan.circuits[key], 6) is not None
        }
        self.assumed.append("It lets through what is meant by the table of who reaches whom, and nothing else.")
        self._fit_names(circuits)

    def _fit_names(self, circuits: list[str]) -> None:
        """Whom a box that routes asks for names, and on whose behalf."""
        resolvers = list(dict.fromkeys(r for key in circuits for r in self.plan.circuits[key].resolvers))[:4]
        self.values["resolvers"] = resolvers
        if any("gateway" in segment.resolvers for segment in self.plan.segments.values()):
            self.values["forwarders"] = resolvers
        self.values["domain"] = self._domain()

    def _domain(self) -> str | None:
        return next((segment.domain for segment in self.plan.segments.values() if segment.domain), None)

    def _behind_routers(self) -> set[str]:
        """The segments whose gateway is an inner router, or would be if no edge carried them."""
        routers = [self.plan.devices[key] for key in self.boxes(DeviceRole.ROUTER)]
        return {key for key in self.segments for router in routers if is_gateway(self.plan, router, key)}

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

    def _fit_segments(self, segments: list[str]) -> None:
        """Ports for the segments of a box that routes: one each and more for hosts, or a trunk to the switch."""
        free, home = self._free(), self.home
        linked = any(use.mode is PortMode.ROUTED for use in self.ports.values())
        if self.role is DeviceRole.ROUTER and not linked:  # an edge that comes later finds a port for the link
            free = free[:-1]
        inward = [name for name in free if name not in self.kind.network_ports(FactoryRole.INTERNET)]
        if not segments or not free:
            if segments:
                self.assumed.append(f"The {self.kind.title} has no port left for the segments.")
            return
        if home not in segments:
            home = self._home_among(segments) or segments[0]
        if len(segments) <= len(free) and not self.is_there(DeviceRole.SWITCH):
            self._fit_sockets(segments, inward if len(segments) <= len(inward) else free)
            return
        if len(free) > 1:
            managing = (n for n in free if is_for_management(self.kind, n))
            bench = next(managing, next((n for n in free if self.kind.ports[n].laptop), free[0]))
            trunk = next(name for name in [*inward, *free] if name != bench)
            self.ports[bench] = PortUse(mode=PortMode.ACCESS, segment=home)
            where = self.plan.segments[home].label
            self.assumed.append(f"Port {bench} carries {where} alone: for the bench laptop, and for service on site.")
        else:
            trunk = free[0]
        tagged = [key for key in segments if key != home and self.plan.segments[key].vlan is not None]
        plain = [self.plan.segments[key].label for key in segments if key != home and key not in tagged]
        use = PortUse(mode=PortMode.TRUNK, segment=home, tagged=tagged)
        far = self._switch_uplink(trunk, use)
        self.ports[trunk] = use.model_copy(update=far)
        to = named(self.plan.devices[far["peer"]]) if far else "the switch"
        self.assumed.append(f"Port {trunk} carries all segments to {to}, each under its VLAN tag.")
        if plain:
            self.assumed.append(f"{', '.join(plain)}: on no port yet, since without a VLAN it cannot share one.")

    def _fit_sockets(self, segments: list[str], free: list[str]) -> None:
        """Where there is no switch: a port for each segment, further ones for fixed hosts if all of it find one."""
        free = list(free)
        on_air = self._trunks_to_open_points(segments, free)
        first = dict(zip(sorted(segments, key=on_air.__contains__), free, strict=False))
        rest = [name for name in free if name not in first.values() and name in copper(self.kind)]
        wanted = wants(self.plan, segments)
        for key, name in first.items():
            hosts, clients = wanted.get(key, Sockets((), 0))
            alone = hosts[:1] if not clients else ()
            further = {key: Sockets(hosts[len(alone) :], 0)}
            fits = len(further[key].hosts) <= len(rest)
            more = shared_out(self.plan, rest, self.kind, further) if fits and further[key].hosts else {}
            rest = [one for one in rest if one not in more]
            ports = {name: next(iter(alone), None), **{port: host for port, (_, host) in more.items()}}
            mode = PortMode.BRIDGE if len(ports) > 1 else PortMode.ACCESS
            for port, host in ports.items():
                bridge = self.plan.segments[key].label if mode is PortMode.BRIDGE else None
                self.ports[port] = PortUse(mode=mode, segment=key, host=host, bridge=bridge)
        told = hosts_told(self.plan, {name: (use.segment or "", use.host) for name, use in self.ports.items()})
        self.assumed += [told] if told else []

    def _trunks_to_open_points(self, segments: list[str], free: list[str]) -> set[str]:
        """A port, the last ones of `free`, for each access point that is there already and hangs on nothing; the
        segments that these carry."""
        carried: set[str] = set()
        for key in self.boxes(DeviceRole.ACCESS_POINT):
            for name, use in self.other(key).ports.items():
                if use.mode is not PortMode.TRUNK or use.led or len(free) < 2:
                    continue
                own = free.pop()
                untagged = use.segment if use.segment in segments else None
                trunk = PortUse(
                    mode=PortMode.TRUNK, segment=untagged, tagged=[one for one in use.tagged if one in segments]
                )
                self.ports[own] = trunk.model_copy(update={"peer": key, "peer_port": name})
                self.put_port(key, name, trunk.model_copy(update={"peer": self.key, "peer_port": own}))
                self.assumed.append(f"Port {own} goes to {named(self.plan.devices[key])}.")
                carried |= set(trunk.segments)
        return carried

    def _fit_transit(self) -> None:
        """Links to routers that are not boxes of the site, each on a routed port of its own."""
        carried = {key for device in (*self.plan.devices.values(), *self.others.values()) for key in device.carried()}
        for key, segment in self.plan.segments.items():
            if segment.role is not SegmentRole.TRANSIT or key in carried:
                continue
            free = self._free()
            if free:
                self.ports[free[0]] = PortUse(mode=PortMode.ROUTED, segment=key)
                self.assumed.append(f"Port {free[0]} carries {segment.label}, routed, for the router at its other end.")
            else:
                self.assumed.append(f"{segment.label}: on no port yet, since the {self.kind.title} has none left.")

    def _switch_uplink(self, own: str, use: PortUse) -> dict[str, Any]:
        """The uplink of a switch that is there already, which gets the other end of the cable."""
        for key in self.boxes(DeviceRole.SWITCH):
            for name, far in self.other(key).ports.items():
                if far.mode is PortMode.TRUNK and not far.led:
                    both = {"segment": use.segment, "tagged": use.tagged, "peer": self.key, "peer_port": own}
                    self.put_port(key, name, far.model_copy(update=both))
                    return {"peer": key, "peer_port": name}
        return self._switch_port(own, use) or self._point_uplink(own, use)

    def _point_uplink(self, own: str, use: PortUse) -> dict[str, Any]:
        """The uplink of an access point that hangs on nothing yet."""
        for key in self.boxes(DeviceRole.ACCESS_POINT):
            for name, far in self.other(key).ports.items():
                if far.mode is PortMode.TRUNK and not far.led:
                    self.put_port(key, name, use.model_copy(update={"peer": self.key, "peer_port": own}))
                    return {"peer": key, "peer_port": name}
        return {}

    # --- An inner router and its edge

    def _fit_router(self) -> None:
        """An inner router: a transit link to the edge, all inside segments, and the ways there and back."""
        edges = self.boxes(DeviceRole.EDGE)
        behind = self._behind_routers() if edges else set()
        segments = [key for key in self.segments if key not in behind]
        edge = edges[0] if edges else None
        link = self._transit() if edge else None
        if edge is not None and link is not None:
            key, segment, (at_edge, here) = link
            segments = [k for k in segments if self.segments[k].vrf.casefold() == segment.vrf.casefold()]
            own = next(iter([*self.kind.network_ports(FactoryRole.INTERNET), *self._free()]), None)
            if own is None:
                self.assumed.append(f"The {self.kind.title} has no port for the link to {named(self.other(edge))}.")
                return
            far = self._hand_over(edge, segments)
            self._join(edge, far, own, key, at_edge, here)
            self._ways(edge, segments, at_edge, here, key, segment.label)
        self._fit_segments(segments)
        self._fit_names(self.ordered_circuits)

    def _transit(self) -> tuple[str, Segment, tuple[Address, Address]] | None:
        """A transit link with its two addresses, the edge's first: one that no two boxes are on, or a new one."""
        for key, segment in self.plan.segments.items():
            ends = [device for device in self.plan.devices.values() if key in device.carried()]
            if segment.role is SegmentRole.TRANSIT and segment.subnet is not None and len(ends) < 2:
                known = next((own_address(self.plan, device, key) for device in ends), None)
                pair = _pair(segment.subnet, known)
                if pair is not None:
                    return key, segment, pair
        try:
            subnet = room_for(self.portfolio, self.plan, 30)
        except RoomError as error:
            self.assumed.append(f"No transit link to the edge: {error}.")
            return None
        segment = fresh(self.plan, self.organisation, SegmentRole.TRANSIT, "", subnet)
        six = self._six_for_link()
        if six is not None:
            segment = segment.model_copy(update={"subnet6": six})
        key = new_id(segment.label, self.plan.segments)
        self.made[key] = segment
        pair = _pair(subnet, None)
        assert pair is not None  # noqa: S101  (a /30 has two usable addresses)
        self.assumed.append(f"{segment.label} {subnet} is new: the link between the two.")
        return key, segment, pair

    def _six_for_link(self) -> Network | None:
        """A /64 of the site's prefix for a link, where something behind it has IPv6."""
        number = Room(self.portfolio, self.plan).next_number()
        if self.plan.delegated_prefix is None or number is None:
            return None
        if not any(segment.subnet6 is not None for segment in self.segments.values()):
            return None
        try:
            return numbered_subnet(self.plan.delegated_prefix, number)
        except RoomError:
            return None

    def _six_ends(self, key: str) -> tuple[Address, Address] | None:
        """The two IPv6 addresses of a link, the edge's first."""
        segment = self.made.get(key) or self.plan.segments[key]
        six = segment.subnet6
        return None if six is None else (six.first.plus(1), six.first.plus(2))

    def _hand_over(self, edge: str, segments: list[str]) -> str | None:
        """Take segments off the edge, and off the cables that carried them; one that carried nothing else is left
        without an end. A free port of the edge."""
        moved = False
        for name, use in self.other(edge).ports.items():
            if use.mode is PortMode.CIRCUIT or not set(use.segments) & set(segments):
                continue
            moved = True
            left = [key for key in use.segments if key not in segments]
            self._leave_at(edge, name, use, left)
        if moved:
            labels = listed([self.plan.segments[key].label for key in segments])
            self.assumed.append(f"{labels}: moved from {named(self.other(edge))} to {self.name}, their gateway now.")
        device, kind = self.other(edge), self.hardware.get(self.plan.devices[edge].type)
        known = kind.network_ports() if kind else list(device.ports)
        outward = kind.network_ports(FactoryRole.INTERNET) if kind else []
        free = [name for name in known if device.ports.get(name, PortUse()).mode is PortMode.UNUSED]
        for_laptop = [name for name in free if kind is None or kind.ports[name].laptop]
        inward = [name for name in [*for_laptop, *free] if name not in outward]
        return next(iter([*inward, *free]), None)

    def _leave_at(self, edge: str, name: str, use: PortUse, left: list[str]) -> None:
        """Let a port of the edge, and the far end of its cable, carry only some of its segments, or nothing."""
        untagged = use.segment if use.segment in left else None
        tagged = [key for key in left if key != untagged]
        mode = PortMode.TRUNK if tagged else use.mode if use.mode is not PortMode.TRUNK else PortMode.ACCESS
        carries = {"mode": mode, "segment": untagged, "tagged": tagged}
        self.put_port(edge, name, use.model_copy(update=carries) if left else PortUse())
        if use.peer not in self.plan.devices or not use.peer_port:
            return
        far = self.other(use.peer or "").ports.get(use.peer_port)
        if far is not None:
            apart = carries if left else {"peer": None, "peer_port": None}
            self.put_port(use.peer or "", use.peer_port, far.model_copy(update=apart))
        if not left and self.plan.devices[use.peer or ""].role is DeviceRole.ACCESS_POINT:
            point = named(self.plan.devices[use.peer or ""])
            self.assumed.append(f"The cable of {point} has no end now: lead it on.")

    def _join(self, edge: str, far: str | None, own: str, key: str, at_edge: Address, here: Address) -> None:
        """The cable between edge and router, with an address at each end."""
        device = self.other(edge)
        carrying = next((name for name, use in device.ports.items() if use.segment == key), None)
        far = carrying or far
        use = PortUse(mode=PortMode.ROUTED, segment=key)
        self.values["addresses"] = {key: here}
        if far is None:
            self.ports[own] = use
            self.assumed.append(f"{named(device)} has no free port for the link: give it one on the wiring board.")
        else:
            self.ports[own] = use.model_copy(update={"peer": edge, "peer_port": far})
            self.put_port(edge, far, use.model_copy(update={"peer": self.key, "peer_port": own}))
            self.assumed.append(
                f"Its port {own} goes into {far_end(self.plan, edge, far)}: {here} here, {at_edge} there."
            )
        access = dict(self.other(edge).access)
        service = next((one.service for one in access.values()), Service.HTTPS)
        access.setdefault(new_id(f"access {service} {key}", ()), Access(service=service, segment=key))
        moved = {k: v for k, v in device.addresses.items() if k not in self.segments}
        self.put(edge, addresses={**moved, key: at_edge}, access=access)

    def _ways(self, edge: str, segments: list[str], at_edge: Address, here: Address, key: str, link: str) -> None:
        """The router's default route, and the edge's routes back to what lies behind it."""
        self.values["routes"] = {new_id(f"route {link}", ()): Route(to=Network(4, 0, 0), via=at_edge)}
        back = self._routes_to(segments, here)
        six = self._six_ends(key)
        if six is not None:
            self.values["routes"][new_id(f"route6 {link}", ())] = Route(to=Network(6, 0, 0), via=six[0])
            self.values["addresses6"] = {key: six[1]}
            self.put(edge, addresses6={**self.other(edge).addresses6, key: six[0]})
            back |= self._routes_to(segments, six[1])
        self.put(edge, routes={**self.other(edge).routes, **back})
        name = named(self.other(edge))
        self.assumed.append(f"Its default route leads to {at_edge}; {name} has {len(back)} routes back by {here}.")

    def _link_to_router(self, router: str) -> None:
        """An edge that comes to a router which is there already: the link, and the routes of both."""
        device = self.other(router)
        behind = [key for key in self.segments if is_gateway(self.plan, self.plan.devices[router], key)]
        own, kind = next(iter(self._free()), None), self.hardware.get(device.type)
        outward = kind.network_ports(FactoryRole.INTERNET) if kind else []
        transits = [key for key, s in self.plan.segments.items() if s.role is SegmentRole.TRANSIT]
        free = [n for n, use in device.ports.items() if use.mode is PortMode.UNUSED or use.segment in transits]
        free.sort(key=lambda name: (device.ports[name].mode is PortMode.UNUSED, name not in outward))
        link = self._transit() if behind and own is not None and free else None
        if behind and (own is None or not free):
            self.assumed.append(f"No port is free for a link to {named(device)}: give it one on the wiring board.")
        if link is None or own is None:
            return
        key, segment, (at_edge, here) = link
        far = next((name for name in free if device.ports[name].segment in (key, None)), free[0])
        use = PortUse(mode=PortMode.ROUTED, segment=key)
        self.ports[own] = use.model_copy(update={"peer": router, "peer_port": far})
        self.put_port(router, far, use.model_copy(update={"peer": self.key, "peer_port": own}))
        default = {new_id(f"route {segment.label}", ()): Route(to=Network(4, 0, 0), via=at_edge)}
        six = self._six_ends(key)
        if six is not None:
            default[new_id(f"route6 {segment.label}", ())] = Route(to=Network(6, 0, 0), via=six[0])
            self.put(router, addresses6={**device.addresses6, key: six[1]})
            self.values["addresses6"] = {**self.values.get("addresses6", {}), key: six[0]}
            self.values["routes"] = self.values.get("routes", {}) | self._routes_to(behind, six[1])
        self.put(router, addresses={**device.addresses, key: here}, routes={**default, **device.routes})
        self.values["addresses"] = {**self.values.get("addresses", {}), key: at_edge}
        self.values["routes"] = self.values.get("routes", {}) | self._routes_to(behind, here)
        self.assumed.append(
            f"Port {own} goes into {far_end(self.plan, router, far)}, with routes back to what lies behind it."
        )
        further = {new_id(f"access bench {key}", ()): self._access(key)}
        self.values["access"] = {**self.values.get("access", {}), **further}

    def _routes_to(self, segments: list[str], by: Address) -> dict[str, Route]:
        """Routes to segments that lie behind another router, of the family that it is asked by."""
        found: dict[str, Route] = {}
        for key in segments:
            for subnet in subnets_of(self.plan.segments[key]):
                if subnet.family == by.family:
                    name = f"back {key}" if by.family == 4 else f"back6 {key}"
                    found[new_id(name, ())] = Route(to=subnet, via=by)
        return found

    # --- Switch and access point

    def _fit_inside(self) -> None:
        """A switch or access point: an uplink that carries everything, and an address to manage it by."""
        free, home = self.kind.network_ports(), self.home
        if not free or home is None:
            return
        tagged = [key for key, segment in self.segments.items() if key != home and segment.vlan is not None]
        if self.role is DeviceRole.ACCESS_POINT:
            on_air = {wireless.segment for wireless in self.plan.wireless.values()}
            tagged = [key for key in tagged if key in on_air or not on_air]
        fitting = [name for name in copper(self.kind) if not is_for_management(self.kind, name)] or copper(self.kind)
        plain = [name for name in fitting if not self.kind.ports[name].powers] or fitting
        uplink = next(iter(plain), free[0])
        use = PortUse(mode=PortMode.TRUNK, segment=home, tagged=tagged)
        far = self._uplink_to(uplink, use)
        self.ports[uplink] = use.model_copy(update=far)
        if far:
            self.assumed.append(f"Its port {uplink} goes into {far_end(self.plan, far['peer'], far['peer_port'])}.")
        if self.role is DeviceRole.SWITCH and len(free) > 2:
            self._fit_switch(home)
        if self.role is DeviceRole.ACCESS_POINT:
            self._told_power(far)
        self._fit_address(home)

    def _fit_switch(self, home: str) -> None:
        """The ports of a switch: the bench, trunks to boxes that hang on it, and sockets in proportion."""
        free = self._free()
        for_laptop = [name for name in reversed(free) if self.kind.ports[name].laptop] or free[::-1]
        bench = min(for_laptop, key=lambda n: (not is_for_management(self.kind, n), self.kind.ports[n].powers))
        self.ports[bench] = PortUse(mode=PortMode.ACCESS, segment=home)
        self.assumed.append(f"Port {bench} carries {self.plan.segments[home].label} alone, for the bench.")
        points = self._trunks_to_points(home)
        left = [name for name in copper(self.kind) if name not in self.ports]
        wired = [key for key, s in self.segments.items() if key == home or s.vlan is not None]
        now = self.plan.model_copy(update={"devices": {**self.plan.devices, **self.others}})
        out = shared_out(now, left, self.kind, wants(now, wired, [*points, *([self.host] if self.host else [])]))
        for name, (key, host) in out.items():
            self.ports[name] = PortUse(mode=PortMode.ACCESS, segment=key, host=host)
        told = ports_told(self.plan, out)
        if told:
            self.assumed.append(f"By fixed hosts and expected clients: {', '.join(told)}.")
        cabled = hosts_told(self.plan, out)
        self.assumed += [cabled] if cabled else []

    def _trunks_to_points(self, home: str) -> list[str]:
        """Trunks to access points: boxes whose uplink leads nowhere, and hosts that will be boxes. The hosts."""
        hosts = []
        for key in self.boxes(DeviceRole.ACCESS_POINT):
            for name, use in self.other(key).ports.items():
                own = self._powering()
                if own is not None and use.mode is PortMode.TRUNK and self._takes_point(use):
                    self.ports[own] = PortUse(
                        mode=PortMode.TRUNK, segment=use.segment, tagged=use.tagged, peer=key, peer_port=name
                    )
                    self.put_port(key, name, use.model_copy(update={"peer": self.key, "peer_port": own}))
                    self.assumed.append(f"Port {own} goes to {named(self.plan.devices[key])}.")
        on_air = {wireless.segment for wireless in self.plan.wireless.values()}
        linked = {device.host for device in self.plan.devices.values()}
        tagged = [
            key
            for key, s in self.segments.items()
            if key != home and s.vlan is not None and (key in on_air or not on_air)
        ]
        every = [key for key, s in self.segments.items() if key != home and s.vlan is not None]
        for key, host in self.plan.hosts.items():
            point, switch = (is_kind(host.kind, role) for role in (DeviceRole.ACCESS_POINT, DeviceRole.SWITCH))
            own = self._powering(wanted=point)
            if (point or switch) and key not in linked and key != self.host and own is not None:
                carries = tagged if point else every
                self.ports[own] = PortUse(mode=PortMode.TRUNK, segment=host.segment, tagged=carries, host=key)
                self.assumed.append(f"Port {own} is a trunk for {host.name}.")
                hosts.append(key)
        return hosts

    def _takes_point(self, use: PortUse) -> bool:
        """Whether an access point comes to this switch: its cable leads nowhere, or to a router that gives no power."""
        if not use.led:
            return True
        far = self.plan.devices.get(use.peer or "")
        if far is None or not far.routes_packets or use.peer is None or use.peer_port is None:
            return False
        kind = self.hardware.get(far.type)
        powered = kind is not None and kind.powers(use.peer_port)
        if not powered:
            self.put_port(use.peer, use.peer_port, PortUse())
        return not powered

    def _powering(self, *, wanted: bool = True) -> str | None:
        """A free port, best one that powers what hangs on it, or where that is not wanted one that does not."""
        left = [name for name in copper(self.kind) if name not in self.ports]
        return next(iter(sorted(left, key=lambda name: self.kind.ports[name].powers is not wanted)), None)

    def _told_power(self, far: dict[str, Any]) -> None:
        by, needs = self.kind.powered_by, Power.SUPPLY not in self.kind.powered_by
        peer = self.hardware.get(self.plan.devices[far["peer"]].type) if far else None
        powered = peer is not None and peer.powers(far["peer_port"])
        if powered and Power.PORT in by:
            self.assumed.append(f"Port {far['peer_port']} powers it.")
        elif needs and Power.INJECTOR in by:
            self.assumed.append("No port powers it: it needs an injector.")
        elif needs:
            self.assumed.append("No port powers it yet: hang it on one that gives power.")

    def _uplink_to(self, own: str, use: PortUse) -> dict[str, Any]:
        """The far end of the uplink: for an access point a port of a switch, else a trunk that leads nowhere yet."""
        if self.role is DeviceRole.ACCESS_POINT:
            found = self._switch_port(own, use)
            if found:
                return found
        for key in self.boxes(DeviceRole.ROUTER, DeviceRole.EDGE):
            for name, far in self.other(key).ports.items():
                if far.mode is PortMode.TRUNK and not far.led:
                    self.put_port(key, name, far.model_copy(update={"peer": self.key, "peer_port": own}))
                    return {"peer": key, "peer_port": name, "segment": far.segment, "tagged": far.tagged}
        if self.role is DeviceRole.SWITCH:
            return self._switch_port(own, use) or self._router_port(own, use)
        return self._router_port(own, use)

    def _switch_port(self, own: str, use: PortUse) -> dict[str, Any]:
        """A port of a switch that leads nowhere yet, made into a trunk: one kept for this very box, one with power
        for a box that can take it, an unused one, or one that clients would have had."""
        best: tuple[tuple[bool, ...], str, str] | None = None
        takes_power = Power.PORT in self.kind.powered_by
        for key in self.boxes(DeviceRole.SWITCH):
            kind = self.hardware.get(self.plan.devices[key].type)
            sockets = [name for name, far in self.other(key).ports.items() if is_socket(far)]
            for name, far in self.other(key).ports.items():
                fits = kind is None or name in copper(kind)
                kept = self.host is not None and far.host == self.host
                free = far.mode is PortMode.UNUSED or (is_socket(far) and len(sockets) > 1)
                if fits and (kept or free):
                    powers = kind is not None and kind.powers(name)
                    order = (
                        not kept,
                        powers is not takes_power,
                        far.segment == use.segment,
                        far.mode is not PortMode.UNUSED,
                    )
                    best = min(best, (order, key, name)) if best else (order, key, name)
        if best is None:
            return {}
        _, key, name = best
        self.put_port(key, name, use.model_copy(update={"peer": self.key, "peer_port": own}))
        return {"peer": key, "peer_port": name}

    def _router_port(self, own: str, use: PortUse) -> dict[str, Any]:
        """A port of the box that routes, made into a trunk. A switch takes over the single ports of what it carries."""
        for key in self.boxes(DeviceRole.ROUTER, DeviceRole.EDGE):
            device, kind = self.other(key), self.hardware.get(self.plan.devices[key].type)
            outward = kind.network_ports(FactoryRole.INTERNET) if kind else []
            managed = {access.segment for access in device.access.values()}
            wanted = set(use.segments) & set(device.carried())
            unused = [n for n, far in device.ports.items() if far.mode is PortMode.UNUSED and n not in outward]
            single = [
                name
                for name, far in device.ports.items()
                if far.mode in (PortMode.ACCESS, PortMode.BRIDGE) and far.peer is None and far.segment in wanted
            ]
            own_bench = next((name for name in single if device.ports[name].segment in managed), None)
            spare = [name for name in single if name != own_bench]
            if not wanted or not (unused or spare):
                continue
            name = (unused or spare)[0]
            trunk = use.model_copy(
                update={
                    "segment": use.segment if use.segment in wanted else None,
                    "tagged": [one for one in use.tagged if one in wanted],
                }
            )
            self.put_port(key, name, trunk.model_copy(update={"peer": self.key, "peer_port": own}))
            freed = [one for one in spare if one != name] if self.role is DeviceRole.SWITCH else []
            for one in freed:
                self.put_port(key, one, PortUse())
            verb = "are" if len(freed) > 1 else "is"
            told = f"; port {' '.join(freed)} {verb} free now" if freed else ""
            self.assumed.append(f"Port {name} of {named(device)} carries all segments to it{told}.")
            return {"peer": key, "peer_port": name, "segment": trunk.segment, "tagged": trunk.tagged}
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

    # --- Management

    def _access(self, segment: str) -> Access:
        return Access(service=Service.HTTPS if self.kind.factory.web else Service.SSH, segment=segment)

    def _fit_access(self) -> None:
        carried = list(
            dict.fromkeys(key for use in self.ports.values() for key in use.segments if key in self.segments)
        )
        home = self.home
        if self.role is DeviceRole.ROUTER and home not in carried:
            home = self._home_among(carried)
        if home is None:
            return
        access = self._access(home)
        further = self.values.get("access", {})
        meant = managers(self._after(), self.organisation, self.key)
        if meant and home not in meant:
            home = meant[0]
            access = self._access(home)
        self.values["access"] = {new_id(f"access {access.service}", ()): access, **further}
        label, networks = self.plan.segments[home].label, self.begins.managed_from
        if networks:
            outside = Access(service=access.service, networks=networks)
            self.values["access"][new_id("access from elsewhere", ())] = outside
        told = f", and from {listed([*map(str, networks)])} as the settings say" if networks else ""
        self.assumed.append(
            f"Managed by {access.service.upper()} from {label}{told}"
            f"{'' if further or networks else ', and from nowhere else'}."
        )
        if access.service is Service.SSH and not self.values.get("domain"):
            self.values["domain"] = self._domain()


def _pair(subnet: Network, known: Address | None) -> tuple[Address, Address] | None:
    """The two addresses of a link, the edge's first; `known` is the one that is taken there already."""
    first = subnet.usable.first
    if subnet.usable.size < 2:
        return None
    second = first.plus(1)
    if known is None:
        return first, second
    return (known, second if known == first else first) if subnet.usable.holds(known) else None
