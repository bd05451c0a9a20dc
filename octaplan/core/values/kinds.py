"""The kinds of values that documents (site plans, hardware types) are made of, each read from what people type."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Annotated, Literal, TypeVar
from zoneinfo import available_timezones

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    PlainSerializer,
    PlainValidator,
    StringConstraints,
    WithJsonSchema,
)

from octaplan.core.values.addresses import (
    Address,
    Mac,
    Network,
    Span,
    parse_address,
    parse_mac,
    parse_network,
    parse_range,
)
from octaplan.core.values.errors import validating
from octaplan.core.values.lazy import lazy

T = TypeVar("T")


def _reads(kind: type[T], parse: Callable[[str], T]) -> PlainValidator:
    def validate(value: object) -> T:
        if isinstance(value, kind):
            return value
        if isinstance(value, str) and len(value) <= 200:
            return parse(value)
        raise ValueError("write it as text")

    return PlainValidator(validating(validate))


def _exact_network(text: str) -> Network:
    return parse_network(text)[0]


@cache
def available_zones() -> frozenset[str]:
    """The IANA time zones."""
    return frozenset(available_timezones())


def _known_zone(name: str) -> str:
    if name not in available_zones():
        raise ValueError(f"{name!r} is not an IANA time zone: write one such as Europe/Paris")
    return name


AddressField = Annotated[
    Address,
    _reads(Address, parse_address),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string", "description": "An IPv4 or IPv6 address", "examples": ["10.40.8.1"]}),
]
NetworkField = Annotated[
    Network,
    _reads(Network, _exact_network),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string", "description": "A subnet", "examples": ["10.40.8.0/24"]}),
]
SpanField = Annotated[
    Span,
    _reads(Span, parse_range),
    PlainSerializer(lambda span: span.typed, return_type=str),
    WithJsonSchema({"type": "string", "description": "An address or a run", "examples": ["10.40.8.60-10.40.8.69"]}),
]
MacField = Annotated[
    Mac,
    _reads(Mac, parse_mac),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string", "description": "A MAC", "examples": ["02:40:08:aa:bb:cc"]}),
]
ResolverField = Annotated[
    Address | Literal["gateway"],
    PlainValidator(
        validating(lambda v: v if isinstance(v, Address) or v == "gateway" else parse_address(str(v)[:200]))
    ),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string", "description": "`gateway` or an address"}),
]

Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]+$")]
Code = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40, pattern=r"^[^/\x00-\x1f]+$")
]
MemberId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{4,12}$")]
Vlan = Annotated[int, Field(ge=1, le=4094, strict=True)]
TimeZone = Annotated[str, AfterValidator(_known_zone)]
Domain = Annotated[
    str,
    StringConstraints(max_length=253, pattern=r"^[A-Za-z0-9_][A-Za-z0-9_-]{0,62}(\.[A-Za-z0-9_-]{1,63})*\.?$"),
]
PortName = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=24, pattern=r"^[^/~\x00-\x1f]+$")
]
Word = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=r"^[^/~\x00-\x1f]+$")
]
TypeKey = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{1,38}[a-z0-9]$")]
SlotName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{1,38}$")]


class Part(BaseModel):
    """A part of a document: unchanging, and without members that nobody knows."""

    model_config = ConfigDict(
        extra="forbid", frozen=True, json_schema_serialization_defaults_required=True, ignored_types=(lazy,)
    )
