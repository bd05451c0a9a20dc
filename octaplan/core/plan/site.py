"""The site plan: one document that says everything planned for a site (schema `octaplan.site-plan/2`).

Members are kept in maps by short stable ids, so that a change has a lasting path such as
`/segments/k3f9q/gateway`. A plan may be incomplete or wrong (rules speak about that), never unreadable:
addresses, masks, VLANs and names that cannot be read are refused here, by pydantic's `ValidationError`.
`None` always means "not known yet". Secrets are never in a plan.
"""

from __future__ import annotations

import hashlib
from collections.abc import Container
from contextlib import suppress
from datetime import date, datetime
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import (
    ConfigDict,
    Field,
    PlainSerializer,
    PlainValidator,
    StringConstraints,
    WithJsonSchema,
    field_validator,
    model_validator,
)

from octaplan.core.plan.device import Device, NamedSlot, Wireless
from octaplan.core.values.addresses import (
    BITS,
    Address,
    AddressError,
    Network,
    Span,
    is_link_local,
    parse_address,
    parse_network,
)
from octaplan.core.values.errors import validating
from octaplan.core.values.kinds import (
    AddressField,
    Code,
    Domain,
    MacField,
    MemberId,
    Name,
    NetworkField,
    Part,
    ResolverField,
    SpanField,
    Text,
    TimeZone,
    Vlan,
)
from octaplan.core.values.readers import MAX_LEASE

PLAN_SCHEMA: Literal["octaplan.site-plan/2"] = "octaplan.site-plan/2"

#: Older schemas, which are read and brought up.
OLDER_SCHEMAS = ("octaplan.site-plan/1",)

#: The customer whose sites are patterns: a code that no customer can have.
PATTERNS = "~patterns"

MAX_CIRCUITS, MAX_SEGMENTS, MAX_HOSTS, MAX_DEVICES = 64, 512, 20_000, 256  # at one site
OptionNumber = Annotated[str, StringConstraints(pattern=r"^(?:[1-9]|[1-9][0-9]|1[0-9]{2}|2[0-4][0-9]|25[0-4])$")]
AnswerKey = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{1,30}(?:\.[a-z0-9]{4,12})?$")]
PatternKey = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{1,38}[a-z0-9]$")]


class Handoff(StrEnum):
    """How the provider hands the internet over."""

    STATIC = "static"
    PPPOE = "pppoe"
    DHCP = "dhcp"


class SegmentRole(StrEnum):
    """What a segment is for."""

    OFFICE = "office"
    VOICE = "voice"
    GUEST = "guest"
    CAMERAS = "cameras"
    SERVERS = "servers"
    MANAGEMENT = "management"
    WIRELESS = "wireless"
    TRANSIT = "transit"
    ISOLATED = "isolated"
    OTHER = "other"


class Reach(StrEnum):
    """Whether other sites of the reach group can route to a segment."""

    GROUP = "group"
    LOCAL = "local"


class Method(StrEnum):
    """How a host comes by its fixed address: typed into it, or reserved at the DHCP server."""

    STATIC = "static"
    RESERVED = "reserved"


class Attachment(StrEnum):
    """How a host hangs on the network: by a cable, by one that powers it as well (IEEE 802.3), or by Wi-Fi."""

    CABLE = "cable"
    POWERED_CABLE = "powered-cable"
    WIFI = "wifi"


#: The last place in the order in which circuits are used.
MOST_PRIORITY = 1000


class Circuit(Part):
    """One line to the internet, as its provider hands it off."""

    label: Name
    handoff: Handoff | None = None
    address: AddressField | None = Field(None, description="The site's own address on the circuit")
    prefix: int | None = Field(None, ge=0, le=128, description="Prefix length of the hand-off subnet, in bits")
    gateway: AddressField | None = None
    resolvers: list[AddressField] = Field(default=[], max_length=8)
    vlan: Vlan | None = Field(None, description="The VLAN tag that the provider expects")
    mtu: int | None = Field(None, ge=576, le=9216, description="Largest packet the line takes, in bytes")
    routed_blocks: list[NetworkField] = Field(default=[], max_length=32)
    pppoe_user: Text | None = None
    provider: Text | None = None
    reference: Text | None = None
    fault_number: Text | None = Field(None, description="The number to ring when the line is down")
    priority: int | None = Field(None, ge=0, le=MOST_PRIORITY, description="1 is used first")
    vrf: Name = Field("main", description="The routing table that it is in")
    address6: AddressField | None = Field(None, description="The site's own IPv6 address beside an IPv4 one")
    prefix6: int | None = Field(None, ge=0, le=128, description="Prefix length of the IPv6 hand-off, in bits")
    gateway6: AddressField | None = None
    modem_subnet: NetworkField | None = Field(
        None, description="Inside subnet of the provider's modem, or of a box that stays in front of the edge"
    )
    uses: dict[str, Text] = Field(
        default={}, max_length=256, description="Further addresses of the hand-off, and what each is used for"
    )

    @model_validator(mode="after")
    def _mask_fits_the_family(self) -> Circuit:
        if self.anchor is not None and self.prefix is not None and self.prefix > BITS[self.anchor.family]:
            raise ValueError(
                f"the mask /{self.prefix} is too long for {self.anchor}: write the address with its mask, "
                "such as 203.0.113.18/29"
            )
        for value in (self.address6, self.gateway6):
            _must_be_ipv6(value, "address and gateway of the IPv6 hand-off")
        return self

    @property
    def anchor(self) -> Address | None:
        """What places the hand-off: the own address or, before that is known, the gateway."""
        return self.address or self.gateway

    @property
    def subnet(self) -> Network | None:
        """The hand-off subnet, from the mask and the address (or, before that is known, the gateway)."""
        if self.anchor is None or self.prefix is None:
            return None
        return Network.holding(self.anchor, self.prefix)

    @property
    def further(self) -> dict[Address, str]:
        """The further addresses that are planned for something, as far as they are addresses, and for what."""
        found: dict[Address, str] = {}
        for text, use in self.uses.items():
            with suppress(AddressError):  # wan-use-outside speaks
                found[parse_address(text)] = use
        return found

    @property
    def subnet6(self) -> Network | None:
        """The IPv6 hand-off subnet beside an IPv4 one; a link-local gateway (RFC 4291) says nothing about it."""
        anchor = self.address6 or (None if self.gateway6 is None or is_link_local(self.gateway6) else self.gateway6)
        if anchor is None or self.prefix6 is None:
            return None
        return Network.holding(anchor, self.prefix6)


def _must_be_ipv6(value: Address | Network | None, what: str) -> None:
    if value is not None and value.family != 6:
        raise ValueError(f"{value} is not IPv6: {what} must be, such as 2001:db8:40::1")


class Scope(Part):
    """What DHCP hands out on a segment. One run with parts excluded says any set of ranges."""

    server: Annotated[
        Address | Literal["edge", "none"],
        PlainValidator(
            validating(lambda v: v if isinstance(v, Address) or v in ("edge", "none") else parse_address(str(v)[:200]))
        ),
        PlainSerializer(str, return_type=str),
        WithJsonSchema({"type": "string", "description": "`edge`, `none` or the address of another server"}),
    ] = "edge"
    first: AddressField | None = None
    last: AddressField | None = None
    excluded: list[SpanField] = Field(default=[], max_length=256)
    lease: int | None = Field(None, ge=1, le=MAX_LEASE, description="Seconds")
    options: dict[OptionNumber, Text] = Field(
        default={}, max_length=64, description="Further options by their number (RFC 2132), as text"
    )

    @property
    def span(self) -> Span | None:
        """First to last, once both are known and of one family; nothing when DHCP is switched off."""
        if self.server == "none" or self.first is None or self.last is None or self.first.family != self.last.family:
            return None
        return Span(self.first, self.last)

    @property
    def pieces(self) -> list[Span]:
        """What can be leased: first to last, less what is excluded."""
        return self.span.without(self.excluded) if self.span else []


class KeptRun(Part):
    """A run of a segment that is kept for one kind of host."""

    kind: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    run: SpanField


class Segment(Part):
    """One inside network of a site. An IPv6 subnet may stand beside an IPv4 one (`subnet6`), or alone (`subnet`)."""

    label: Name
    role: SegmentRole = SegmentRole.OTHER
    vlan: Vlan | None = None
    vrf: Name = "main"
    reach: Reach | None = Field(None, description="Left out: `local` for guests, `group` for all others")
    subnet: NetworkField | None = None
    gateway: AddressField | None = None
    scope: Scope = Scope()
    resolvers: list[ResolverField] = Field(default=[], max_length=8)
    domain: Domain | None = None
    expected_hosts: int | None = Field(None, ge=0, le=1 << 32)
    subnet6: NetworkField | None = None
    gateway6: AddressField | None = None
    kept: list[KeptRun] = Field(default=[], max_length=64)
    order: int | None = Field(None, ge=0, le=100_000, description="Where it stands among the segments; lowest first")

    @model_validator(mode="after")
    def _second_family_is_ipv6(self) -> Segment:
        _must_be_ipv6(self.subnet6, "the second subnet of a segment")
        _must_be_ipv6(self.gateway6, "the gateway of the second subnet")
        return self

    @property
    def reaches(self) -> bool:
        """Whether other sites of the reach group can route to it."""
        if self.reach is None:
            return self.role is not SegmentRole.GUEST
        return self.reach is Reach.GROUP


class Host(Part):
    """A printer, phone system, camera: anything with a fixed address."""

    segment: MemberId
    name: Name
    kind: Text | None = None
    address: AddressField | None = None
    mac: MacField | None = None
    method: Method = Method.STATIC
    attached: Attachment = Attachment.CABLE
    address6: AddressField | None = None

    @model_validator(mode="after")
    def _second_family_is_ipv6(self) -> Host:
        _must_be_ipv6(self.address6, "the second address of a host")
        return self


class Acceptance(Part):
    """A `warn` that somebody accepts, with the reason, for exactly the addresses it spoke of."""

    rule: Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]{1,60}$")]
    subject: Annotated[str, StringConstraints(max_length=400)]
    addresses: Annotated[str, StringConstraints(max_length=200)]
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=400)]
    by: Text
    at: datetime


class Answer(Part):
    """What somebody answered to a question of the intake: the value as it was then, who said so, and how."""

    text: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1_000)]
    source: Text | None = Field(None, description="Who told it")
    words: Annotated[str, StringConstraints(strip_whitespace=True, max_length=2_000)] | None = Field(
        None, description="The words it came in"
    )
    by: Text
    at: datetime
    confirmed: bool = False


class Survivor(Part):
    """A value of the box that is replaced, which the new one must have too."""

    what: Name
    value: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    path: (
        Annotated[str, StringConstraints(pattern=r"^/(circuits|segments|hosts)/[a-z0-9]{4,12}/[a-z_]+(/server)?$")]
        | None
    ) = Field(None, description="The place in the plan that must say it; left out: anywhere in the plan will do")

    @field_validator("value")
    @classmethod
    @validating
    def _an_address(cls, value: str) -> str:
        try:
            return str(parse_address(value))
        except AddressError:
            return str(parse_network(value)[0])


MeantServices = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class Departure(Part):
    """A pair of places of this site for which something else is meant than the organisation's table says."""

    source: Annotated[str, StringConstraints(pattern=r"^([a-z0-9]{4,12}|internet|other-sites)$")]
    target: Annotated[str, StringConstraints(pattern=r"^([a-z0-9]{4,12}|internet|other-sites|boxes)$")]
    services: MeantServices = Field(description="What is meant to pass, such as `tcp/443`; `any`; `none`")
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=400)]


class PatternUse(Part):
    """The pattern that a site was made from, and which version of it."""

    key: PatternKey
    version: int = Field(ge=1, le=100_000)


class SitePlan(Part):
    """Everything planned for one site."""

    schema_: Literal["octaplan.site-plan/2"] = Field(PLAN_SCHEMA, alias="schema")
    customer: Code
    site: Code
    name: Text | None = None
    street: Text | None = None
    time_zone: TimeZone | None = None
    ship_date: date | None = None
    contact: Text | None = None
    technician: Text | None = None
    reach_groups: list[Name] | None = Field(
        None, max_length=64, description="Left out: the group named after the customer. Empty: none"
    )
    delegated_prefix: NetworkField | None = Field(
        None, description="The site's IPv6 prefix, from which its segments take theirs"
    )
    circuits: dict[MemberId, Circuit] = Field(default={}, max_length=MAX_CIRCUITS)
    segments: dict[MemberId, Segment] = Field(default={}, max_length=MAX_SEGMENTS)
    hosts: dict[MemberId, Host] = Field(default={}, max_length=MAX_HOSTS)
    devices: dict[MemberId, Device] = Field(default={}, max_length=MAX_DEVICES)
    wireless: dict[MemberId, Wireless] = Field(default={}, max_length=64)
    slots: dict[MemberId, NamedSlot] = Field(
        default={}, max_length=64, description="Secrets of the site that belong to no device, by what they are for"
    )
    accepted: dict[MemberId, Acceptance] = Field(default={}, max_length=1_000)
    answers: dict[AnswerKey, Answer] = Field(
        default={}, max_length=2_000, description="Answers to questions of the intake, by question (and circuit)"
    )
    survivors: dict[MemberId, Survivor] = Field(
        default={}, max_length=256, description="Values of a box that is replaced, which must survive"
    )
    pattern: PatternUse | None = None
    departures: dict[MemberId, Departure] = Field(
        default={}, max_length=2_000, description="Where traffic is meant otherwise than by the organisation's table"
    )

    model_config = ConfigDict(populate_by_name=True)

    @model_validator(mode="before")
    @classmethod
    def _brought_up(cls, document: Any) -> Any:
        """Every older schema is a part of this one: what is new has a default."""
        if isinstance(document, dict) and document.get("schema") in OLDER_SCHEMAS:
            return {**document, "schema": PLAN_SCHEMA}
        return document

    @field_validator("segments")
    @classmethod
    def _segments_in_order(cls, segments: dict[str, Segment]) -> dict[str, Segment]:
        if all(segment.order is None for segment in segments.values()):
            return segments
        last = 100_001
        return dict(sorted(segments.items(), key=lambda item: last if item[1].order is None else item[1].order))

    @model_validator(mode="after")
    def _hosts_are_somewhere(self) -> SitePlan:
        _must_be_ipv6(self.delegated_prefix, "the prefix of a site")
        for host in self.hosts.values():
            if host.segment not in self.segments:
                raise ValueError(
                    f"host {host.name!r} is in segment {host.segment!r}, which the plan does not have: "
                    "move or remove the host first"
                )
        return self

    @property
    def key(self) -> str:
        """How a site is known: `CUSTOMER/SITE`, whatever the case it was typed in."""
        return site_key(self.customer, self.site)

    @property
    def blank(self) -> bool:
        """Whether nothing is known yet of how its line is handed off, and nothing is planned inside."""
        return not self.segments and all(one.handoff is None and one.anchor is None for one in self.circuits.values())

    @property
    def groups(self) -> list[str]:
        """The reach groups the site is in, folded so that case does not matter."""
        named = [self.customer] if self.reach_groups is None else self.reach_groups
        return sorted({name.casefold() for name in named})

    def document(self) -> dict[str, Any]:
        """The plan as plain JSON values, every member there, what is not known as null."""
        return self.model_dump(mode="json", by_alias=True)


def site_key(customer: str, site: str) -> str:
    """The key under which a site is found, the same for `FERN/DOCK` and `fern/dock`."""
    return f"{customer}/{site}".casefold()


_ONE = "0123456789abcdefghjkmnpqrstvwxyz"
_TWO = [low + high for high in _ONE for low in _ONE]


def new_id(name: str, taken: Container[str]) -> str:
    """A short id for a new member, the same for the same name, that is not yet taken."""
    attempt = 0
    while True:
        digest = hashlib.blake2b(f"{attempt}:{name}".encode(), digest_size=8).digest()
        number = int.from_bytes(digest[4:], "big")
        text = _TWO[number & 1023] + _TWO[number >> 10 & 1023] + _ONE[number >> 20 & 31]
        if text not in taken:
            return text
        attempt += 1
