"""The boxes of a site and what goes into each: parts of the site plan.

References to circuits, segments, hosts and hardware types are ids, and may point at something that has been
removed since: rules speak about that, so that removing something never makes a plan unreadable.
"""

from __future__ import annotations

from datetime import date
from enum import StrEnum
from typing import Annotated

from pydantic import Field, StringConstraints

from octaplan.core.values.kinds import (
    AddressField,
    Domain,
    MacField,
    MemberId,
    Name,
    NetworkField,
    Part,
    PortName,
    Text,
    TimeZone,
    TypeKey,
    Word,
)

Metric = Annotated[int, Field(ge=0, le=65_535, strict=True)]
Target = Annotated[str, StringConstraints(pattern=r"^([a-z0-9]{4,12}|internet|other-sites|all)$")]

#: What an allow rule may name besides segments and fixed hosts, and what each is called.
PLACES = {"internet": "the internet", "other-sites": "other sites", "all": "everything"}


class DeviceRole(StrEnum):
    """What a box is at its site."""

    EDGE = "edge"
    ROUTER = "inner-router"
    SWITCH = "switch"
    ACCESS_POINT = "access-point"
    MODEM = "modem"

    @property
    def words(self) -> str:
        return {
            "edge": "edge",
            "inner-router": "inner router",
            "switch": "switch",
            "access-point": "access point",
            "modem": "provider's modem",
        }[self]


class PortMode(StrEnum):
    """What a port is for. An `unused` port is switched off."""

    CIRCUIT = "circuit"
    ROUTED = "routed"
    ACCESS = "access"
    TRUNK = "trunk"
    BRIDGE = "bridge"
    UNUSED = "unused"


class PortUse(Part):
    """One port: what it carries, and what its cable goes into."""

    mode: PortMode = PortMode.UNUSED
    circuit: MemberId | None = None
    segment: MemberId | None = Field(None, description="The segment that it carries untagged")
    tagged: list[MemberId] = Field(default=[], max_length=512, description="On a trunk: segments under their VLAN tag")
    bridge: Name | None = Field(None, description="Ports joined under one word are one network")
    enabled: bool = True
    gateway: AddressField | None = Field(None, description="A default gateway typed into this interface")
    peer: MemberId | None = Field(None, description="The device at the other end of the cable")
    peer_port: PortName | None = None
    host: MemberId | None = Field(None, description="The fixed host at the other end of the cable")
    cable: Text | None = Field(None, description="How to know the cable: its colour or label")

    @property
    def led(self) -> bool:
        """Whether its cable leads to something that is planned."""
        return self.peer is not None or self.host is not None

    @property
    def segments(self) -> list[str]:
        """The segments it carries, untagged first."""
        return [*([self.segment] if self.segment else []), *self.tagged]


class Route(Part):
    """A static route. A default route (`0.0.0.0/0`, `::/0`) may name a circuit instead of a next hop."""

    to: NetworkField
    via: AddressField | None = None
    circuit: MemberId | None = None
    metric: Metric = 1
    table: Name | None = Field(None, description="Routing table; left out: that of the segment of the next hop")

    @property
    def default(self) -> bool:
        return self.to.prefix == 0


class Translation(Part):
    """Address translation (NAT) of a segment to the address of a circuit, or to a further address of it."""

    segment: MemberId
    circuit: MemberId
    address: AddressField | None = Field(None, description="Left out: the circuit's own address")


class Allow(Part):
    """A flow that the box lets through; source and target are segments, fixed hosts or places such as `internet`."""

    source: Target
    target: Target
    service: Text = Field("any", description="Such as `tcp/443, udp/53`; `ping`; `any`")

    def names(self, place: str) -> bool:
        """Whether it is about a place."""
        return place in (self.source, self.target)


class Publication(Part):
    """Something inside that is made reachable from outside, at an address of a circuit."""

    circuit: MemberId
    address: AddressField | None = Field(None, description="The outside address; left out: the circuit's own")
    service: Text = Field("any", description="Outside, as `tcp/443`; `any` for everything, one to one")
    host: MemberId = Field(description="The fixed host inside")
    port: Annotated[int, Field(ge=1, le=65_535, strict=True)] | None = Field(
        None, description="First port inside; left out: as outside"
    )
    sources: list[NetworkField] = Field(default=[], max_length=64, description="From where; left out: from anywhere")


class Service(StrEnum):
    """The ways to manage a box."""

    HTTPS = "https"
    HTTP = "http"
    SSH = "ssh"
    TELNET = "telnet"
    SNMP = "snmp"


class Access(Part):
    """From where a box may be managed: a segment, or networks outside."""

    service: Service
    segment: MemberId | None = None
    networks: list[NetworkField] = Field(default=[], max_length=64)


class Licence(Part):
    """A licence that is recorded for the box; `ends` is empty when it does not."""

    ends: date | None = None


class Device(Part):
    """One box of a site."""

    type: TypeKey = Field(description="The hardware type")
    role: DeviceRole
    name: Text | None = Field(None, description="Host name (RFC 1123)")
    host: MemberId | None = Field(None, description="The fixed host of the plan that this box is")
    serial: Text | None = None
    macs: list[MacField] = Field(default=[], max_length=64)
    asset_tag: Text | None = None
    location: Text | None = None
    contact: Text | None = None
    banner: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1_000)] | None = None
    domain: Domain | None = None
    time_zone: TimeZone | None = Field(None, description="Left out: the time zone of the site")
    time_servers: list[Text] = Field(default=[], max_length=8, description="Names or addresses")
    resolvers: list[AddressField] = Field(default=[], max_length=8)
    forwarders: list[AddressField] = Field(default=[], max_length=8, description="Whom its own name server asks")
    gateway: AddressField | None = Field(None, description="Default gateway of a box that does not route")
    ports: dict[PortName, PortUse] = Field(default={}, max_length=128)
    addresses: dict[MemberId, AddressField] = Field(
        default={}, max_length=512, description="Own address by segment, where it is not the gateway's"
    )
    routes: dict[MemberId, Route] = Field(default={}, max_length=1_000)
    translations: dict[MemberId, Translation] = Field(default={}, max_length=1_000)
    addresses6: dict[MemberId, AddressField] = Field(
        default={}, max_length=512, description="Own IPv6 address by segment, where it is not the gateway's"
    )
    allows: dict[MemberId, Allow] = Field(default={}, max_length=1_000)
    publications: dict[MemberId, Publication] = Field(default={}, max_length=1_000)
    relays: dict[MemberId, AddressField] = Field(
        default={}, max_length=512, description="By segment: the server to which the box passes requests for leases"
    )
    filters: bool | None = Field(
        None, description="Whether it lets only through what is allowed; left out: an edge does, others do not"
    )
    access: dict[MemberId, Access] = Field(default={}, max_length=64)
    firmware: Text | None = Field(None, description="The level found on the box")
    licences: dict[Word, Licence] = Field(default={}, max_length=32)

    @property
    def routes_packets(self) -> bool:
        return self.role in (DeviceRole.EDGE, DeviceRole.ROUTER)

    @property
    def is_filter(self) -> bool:
        """Whether it lets only through what an allow rule names."""
        return self.routes_packets and (self.role is DeviceRole.EDGE if self.filters is None else self.filters)

    @property
    def staged(self) -> bool:
        """Whether it comes to the bench: a provider's modem does not."""
        return self.role is not DeviceRole.MODEM

    def carried(self) -> list[str]:
        """The segments on its ports, each once, in the order of the ports."""
        return list(dict.fromkeys(s for use in self.ports.values() for s in use.segments))


#: What is read off the box at the bench: recording it decides nothing, so it voids no clearance.
RECORDED = ("serial", "macs", "asset_tag", "firmware")


class Security(StrEnum):
    """How a Wi-Fi network is protected."""

    OPEN = "open"
    WPA2_TKIP = "wpa2-tkip"
    WPA2 = "wpa2"
    WPA2_WPA3 = "wpa2-wpa3"
    WPA3 = "wpa3"


class Band(StrEnum):
    """Where it is heard, in GHz."""

    LOW = "2.4"
    HIGH = "5"
    BOTH = "2.4+5"
    SIX = "6"


class Wireless(Part):
    """A Wi-Fi network. Its key is a slot in the safe."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=32)] = Field(description="SSID, at most 32 bytes")
    segment: MemberId | None = None
    security: Security = Security.WPA2_WPA3
    band: Band = Band.BOTH
    hidden: bool = False
    client_limit: Annotated[int, Field(ge=1, le=10_000, strict=True)] | None = None
    country: Annotated[str, StringConstraints(pattern=r"^[A-Z]{2}$")] | None = Field(
        None, description="ISO 3166-1 alpha-2: decides the permitted channels"
    )


class NamedSlot(Part):
    """A secret of the site that belongs to no device."""

    name: Name
    about: Text | None = None
