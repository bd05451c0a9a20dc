"""What the provider decides for all of its sites: one document (schema `octaplan.organisation/1`)."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, ConfigDict, Field, StringConstraints, field_validator, model_validator

from octaplan.core.plan.site import SegmentRole
from octaplan.core.values.addresses import Address, Network, Span, parse_network
from octaplan.core.values.errors import validating
from octaplan.core.values.kinds import Domain, Name, NetworkField, Part, ResolverField, Text, TimeZone
from octaplan.core.values.readers import MAX_LEASE, read_lease
from octaplan.core.values.services import read_services

ORGANISATION_SCHEMA: Literal["octaplan.organisation/1"] = "octaplan.organisation/1"

CustomerKey = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40, pattern=r"^[^/~\x00-\x1f]+$")
]

#: What home routers and providers' modems use out of their cartons.
COMMON_DEFAULTS = tuple(
    parse_network(text)[0] for text in ("192.168.0.0/24", "192.168.1.0/24", "192.168.100.0/24", "10.0.0.0/24")
)

#: Networks that belong to nobody in particular (RFC 1918, RFC 4193), where boxes stand on a bench.
HANDS_NETWORKS = tuple(parse_network(text)[0] for text in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7"))


class Side(StrEnum):
    """Which end of a subnet is taken first."""

    FIRST = "first"
    LAST = "last"


#: What a naming convention may speak of.
NAME_MARKS = ("customer", "site", "role", "number")
_MARK = re.compile(r"\{([^{}]*)\}")


def _convention(text: str) -> str:
    marks, own = _MARK.findall(text), _MARK.sub("", text)
    unknown = [mark for mark in marks if mark not in NAME_MARKS]
    if unknown:
        known = ", ".join(f"{{{mark}}}" for mark in NAME_MARKS)
        raise ValueError(f"{{{unknown[0]}}} is nothing that a name is made of: write {known}")
    if not marks:
        raise ValueError("All boxes would be called the same: write such as {site}-{role}{number}")
    if not re.fullmatch(r"[A-Za-z0-9-]*", own):
        raise ValueError("A name has letters, digits and hyphens (RFC 1123): write such as {site}-{role}{number}")
    if len(own) > 20 or len(set(marks)) < len(marks):
        raise ValueError("It is too long for a name (RFC 1035): write at most 20 letters, and each {mark} once")
    return text


#: How boxes are named, such as `{site}-{role}{number}`; the first of a role has no number.
Convention = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), AfterValidator(_convention)
]


#: What the table of intent speaks of: roles of segments, and what is no segment. `all` is every target not named.
_PLACES = (*(str(role) for role in SegmentRole if role is not SegmentRole.TRANSIT), "internet", "other-sites")
_ASKING, _ASKED = _PLACES, (*_PLACES, "boxes", "all")

#: What is meant where nothing else is said: services by who asks and whom; everything else is closed.
USUAL_INTENT: dict[str, dict[str, str]] = {
    "management": {"all": "any"},
    "office": {"internet": "any", "servers": "any"},
    **{role: {"internet": "any"} for role in ("voice", "guest", "servers", "wireless", "other")},
}


def _intent(table: dict[str, dict[str, str]]) -> dict[str, dict[str, str]]:
    for source, row in table.items():
        if source not in _ASKING:
            raise ValueError(f"{source[:40]!r} asks for nothing: write one of {', '.join(_ASKING)}")
        for target in row:
            if target not in _ASKED:
                raise ValueError(f"{target[:40]!r} cannot be asked: write one of {', '.join(_ASKED)}")
    return {
        source: {target: "none" if text == "none" else read_services(text) for target, text in row.items()}
        for source, row in table.items()
    }


IntentTable = Annotated[dict[str, dict[str, str]], AfterValidator(validating(_intent))]


class MeantAtCustomer(Part):
    """A pair of roles for which something else is meant at all sites of a customer."""

    source: Annotated[str, StringConstraints(max_length=20)]
    target: Annotated[str, StringConstraints(max_length=20)]
    services: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=400)]

    @field_validator("services")
    @classmethod
    @validating
    def _read(cls, text: str) -> str:
        return "none" if text == "none" else read_services(text)

    @model_validator(mode="after")
    @validating
    def _known(self) -> MeantAtCustomer:
        _intent({self.source: {self.target: self.services}})
        return self


class OwnNetwork(Part):
    """A network of the provider itself, such as management or remote access."""

    name: Name
    network: NetworkField


class Defaults(Part):
    """What is usual at the sites of one customer; what is left out is as at all others."""

    resolvers: list[ResolverField] = Field(default=[], max_length=8)
    domain: Domain | None = None
    time_zone: TimeZone | None = None
    gateway: Side | None = None
    reserved: list[NetworkField] = Field(
        default=[], max_length=64, description="Parts of the blocks that no segment is taken from"
    )
    notes: Annotated[str, StringConstraints(strip_whitespace=True, max_length=4_000)] = ""
    departures: list[MeantAtCustomer] = Field(
        default=[], max_length=400, description="Where traffic is meant otherwise than at all others"
    )


_ENDS = re.compile(r"\s*\.?(\d{1,3})\s*[-–]\s*\.?(\d{1,3})\s*")


def _form_of_range(text: str) -> str:
    ends = _ENDS.fullmatch(text)
    if not ends or not 0 < int(ends[1]) <= int(ends[2]) < 255:
        raise ValueError(f"{text[:40]!r} is no form of a DHCP range: write the last octets, such as .100-.199")
    return f".{int(ends[1])}-.{int(ends[2])}"


class BeginsWith(Part):
    """What new segments, boxes and Wi-Fi networks begin with. What is left out is as the site has it already."""

    resolvers: list[ResolverField] = Field(default=[], max_length=8, description="Of segments")
    lease: int | None = Field(None, ge=1, le=MAX_LEASE, description="Of DHCP scopes, in seconds")
    range: Annotated[str, AfterValidator(_form_of_range)] | None = Field(
        None, description="Of DHCP scopes: the last octets, such as `.100-.199`, where the subnet holds them"
    )
    time_servers: list[Text] = Field(default=[], max_length=8, description="Of boxes: names or addresses")
    managed_from: list[NetworkField] = Field(
        default=[], max_length=64, description="From which networks elsewhere boxes are managed too"
    )
    country: Annotated[str, StringConstraints(pattern=r"^[A-Z]{2}$")] | None = Field(
        None, description="Of Wi-Fi networks (ISO 3166-1 alpha-2)"
    )

    @field_validator("lease", mode="before")
    @classmethod
    @validating
    def _typed(cls, lease: object) -> object:
        return read_lease(lease) if isinstance(lease, str) else lease

    def span(self, subnet: Network) -> Span | None:
        """The DHCP range of a subnet by the form, when its usable addresses hold all of it."""
        ends = _ENDS.fullmatch(self.range or "")
        if ends is None or subnet.family != 4:
            return None
        block = Network.holding(subnet.first, min(subnet.prefix, 24)).first
        first, last = (block.plus(int(end)) for end in ends.groups())
        usable = subnet.usable
        return Span(first, last) if usable.holds(first) and usable.holds(last) else None


class Organisation(Part):
    """What the provider decides for all of its sites. Customers are named by their code, in small letters."""

    schema_: Literal["octaplan.organisation/1"] = Field(ORGANISATION_SCHEMA, alias="schema")
    own_networks: list[OwnNetwork] = Field(default=[], max_length=256)
    common_defaults: list[NetworkField] = Field(
        default=list(COMMON_DEFAULTS), max_length=256, json_schema_extra={"default": list(map(str, COMMON_DEFAULTS))}
    )
    blocks: dict[CustomerKey, list[NetworkField]] = Field(
        default={}, max_length=5_000, description="From which blocks each customer's segments are taken"
    )
    customers: dict[CustomerKey, Defaults] = Field(
        default={}, max_length=5_000, description="What is usual at each customer's sites"
    )
    gateway: Side = Field(Side.FIRST, description="Which usable address of a subnet is its gateway")
    hosts: Side = Field(Side.FIRST, description="From which end fixed hosts take addresses")
    leave_fixed: int = Field(8, ge=0, le=4096, description="How many addresses a DHCP range leaves for fixed hosts")
    growth: int = Field(25, ge=0, le=400, description="Per cent that are added to expected hosts when room is made")
    flag_documentation: bool = Field(False, description="Whether addresses for examples (RFC 5737, 3849) are doubtful")
    owned_domains: list[Domain] = Field(default=[], max_length=1_000, description="Public domains of the customers")

    beginning: BeginsWith = Field(BeginsWith(), description="What new segments, boxes and Wi-Fi networks begin with")
    intent: IntentTable = Field(
        USUAL_INTENT, description="Which services are meant to pass, by who asks and whom: roles of segments, places"
    )
    naming: Convention = Field("{site}-{role}{number}", description="How new boxes are named")
    banner: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1_000)] = Field(
        "", description="What a box says before one signs in, where it has no banner of its own"
    )
    support: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = Field(
        "", description="Whom a site or an installer calls when something does not work: name, number, hours"
    )

    read_back: bool = Field(
        False, description="Whether a site ships only once each of its boxes was read back without a departure"
    )
    rehearsed: bool = Field(
        False,
        description="Whether a site is cleared only once it was rehearsed as it is, and the network did as walked",
    )
    stages_real: bool = Field(
        False, description="Whether Octaplan may stage real boxes, over the network of the machine that it runs on"
    )
    hands_networks: list[NetworkField] = Field(
        default=list(HANDS_NETWORKS),
        max_length=64,
        description="In which networks Octaplan's hands may reach real boxes",
        json_schema_extra={"default": list(map(str, HANDS_NETWORKS))},
    )
    practice_counts: bool = Field(
        False, description="Whether runs on the practice bench count as staged: for a portfolio to learn with"
    )

    model_config = ConfigDict(populate_by_name=True)

    @field_validator("blocks")
    @classmethod
    def _folded(cls, blocks: dict[str, list[Network]]) -> dict[str, list[Network]]:
        folded: dict[str, list[Network]] = {}
        for customer, networks in blocks.items():
            folded.setdefault(customer.casefold(), []).extend(networks)
        if any(len(networks) > 64 for networks in folded.values()):
            raise ValueError("a customer has more than 64 blocks: join neighbouring ones")
        return folded

    def blocks_of(self, customer: str) -> list[Network]:
        """The blocks that a customer's segments are taken from."""
        return self.blocks.get(customer.casefold(), [])

    def sharing(self, block: Network, customer: str) -> list[str]:
        """The other customers, by their codes, that have a block which overlaps one."""
        mine = customer.casefold()
        return [
            code
            for code, blocks in self.blocks.items()
            if code != mine and any(block.holds(other.first) or other.holds(block.first) for other in blocks)
        ]

    @field_validator("customers")
    @classmethod
    def _by_key(cls, customers: dict[str, Defaults]) -> dict[str, Defaults]:
        return {customer.casefold(): usual for customer, usual in customers.items() if usual != Defaults()}

    def usual(self, customer: str) -> Defaults:
        """What is usual at the sites of a customer."""
        return self.customers.get(customer.casefold(), _NOTHING_SPECIAL)

    def means_as(self, other: Organisation, customer: str) -> bool:
        """Whether the same is meant to pass at a customer's sites as by other settings."""
        if self is other:
            return True
        same = self.intent == other.intent and self.own_networks == other.own_networks
        return same and self.usual(customer).departures == other.usual(customer).departures

    def side(self, customer: str) -> Side:
        """Which usable address is the gateway by convention at a customer's sites."""
        return self.usual(customer).gateway or self.gateway

    def at(self, customer: str) -> Organisation:
        """The settings as they are for the sites of one customer."""
        side = self.side(customer)
        return self if side is self.gateway else self.model_copy(update={"gateway": side})

    def gateway_in(self, subnet: Network) -> Address:
        """The gateway of a subnet by convention."""
        usable = subnet.usable
        return usable.first if self.gateway is Side.FIRST or subnet.family == 6 else usable.last

    def owns(self, domain: str) -> bool:
        """Whether a domain, or one above it, is marked as a customer's own."""
        name = domain.casefold().rstrip(".")
        return any(name == own or name.endswith("." + own) for own in self._own_names)

    @property
    def _own_names(self) -> list[str]:
        return [own.casefold().rstrip(".") for own in self.owned_domains]

    def document(self) -> dict[str, Any]:
        """The settings as plain JSON values."""
        return self.model_dump(mode="json", by_alias=True)


_NOTHING_SPECIAL = Defaults()

#: Nothing has been decided.
UNDECIDED = Organisation()
