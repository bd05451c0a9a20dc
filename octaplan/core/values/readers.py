"""Readers of what people type or write into cells: one text in, one value out.

Every reader takes text and raises `TypedError`, or an error of addresses, with a sentence for whoever typed it. None
knows of a plan: what is understood by where it is typed (`.20`, `/25`, `next`) stands in `propose/typed.py`.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from enum import StrEnum
from functools import cache, lru_cache
from importlib.resources import files
from typing import Any

from octaplan.core.values.addresses import (
    Address,
    AddressError,
    Network,
    Span,
    parse_address,
    parse_mac,
    parse_mask,
    parse_network,
    parse_range,
)
from octaplan.core.values.errors import TypedError
from octaplan.core.values.kinds import available_zones

#: What reads one text into a value.
Reader = Callable[[str], Any]

MAX_LEASE = 0xFFFFFFFF  # RFC 2131: an unsigned 32-bit number of seconds; all ones means for ever

LEASE_UNITS = {"": 1, "s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800}

_LABEL = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?").fullmatch


def lease_text(seconds: int) -> str:
    """A lease as people write it."""
    for unit in ("d", "h", "m"):
        if seconds % LEASE_UNITS[unit] == 0:
            return f"{seconds // LEASE_UNITS[unit]}{unit}"
    return str(seconds)


def is_host_name(name: str) -> bool:
    """Whether a text is a host name of one or more labels (RFC 1123, section 2.1)."""
    labels = name.split(".")
    return len(name) <= 253 and all(map(_LABEL, labels)) and not labels[-1].isdigit()


def text_of(most: int) -> Callable[[str], str]:
    """A reader of text of at most so many characters, its blanks made single."""

    @lru_cache(10_000)
    def read(cell: str) -> str:
        text = " ".join(cell.split())
        if len(text) > most:
            raise TypedError(f"It is {len(text)} characters long: at most {most} are kept")
        if not text.isprintable():
            raise TypedError("It holds characters that cannot be printed: type it again")
        return text

    return read


@lru_cache(10_000)
def read_code(cell: str) -> str:
    """The code of a customer or a site."""
    code = text_of(40)(cell)
    if "/" in code:
        raise TypedError(f"A slash is not permitted in the code {code!r}: write it with a hyphen")
    if code.startswith("~"):
        raise TypedError(f"A code cannot begin with ~, as {code!r} does: leave it out")
    return code


def whole(low: int, high: int, what: str) -> Callable[[str], int]:
    """A reader of whole numbers from `low` to `high`; `what` names them in its message."""

    def read(cell: str) -> int:
        digits = cell.strip()
        if not (digits.isascii() and digits.isdigit()) or len(digits) > 12 or not low <= int(digits) <= high:
            raise TypedError(f"{what} {digits[:40]!r} is not permitted: write a whole number from {low} to {high}")
        return int(digits)

    return read


def choice(kind: type[StrEnum]) -> Callable[[str], Any]:
    """A reader of the values of an enumeration, in any case."""

    def read(cell: str) -> Any:
        try:
            return kind(cell.strip().casefold())
        except ValueError:
            known = ", ".join(kind)
            raise TypedError(f"{cell.strip()[:40]!r} is not one of {known}") from None

    return read


def read_date(cell: str) -> date:
    """A day (ISO 8601)."""
    typed = cell.strip()
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", typed):
            return date.fromisoformat(typed)
    except ValueError as error:
        raise TypedError(f"{typed!r} is no date: {error}") from None
    raise TypedError(f"{typed[:40]!r} is not an ISO date: write year-month-day, such as 2027-03-04")


def read_time_zone(cell: str) -> str:
    """An IANA time zone."""
    typed = cell.strip()
    if typed not in available_zones():
        raise TypedError(f"{typed[:60]!r} is not an IANA time zone: write one such as Europe/Paris")
    return typed


def read_groups(cell: str) -> list[str]:
    """Names with semicolons; `-` for none."""
    if cell.strip() == "-":
        return []
    return list(dict.fromkeys(text_of(80)(part) for part in cell.split(";") if part.strip()))


def _several(cell: str) -> list[str]:
    return [part for part in re.split(r"[\s;,]+", cell) if part]


def read_addresses(cell: str) -> list[Address]:
    """At most eight addresses."""
    return list(dict.fromkeys(map(parse_address, _at_most(8, _several(cell)))))


def read_resolvers(cell: str) -> list[Address | str]:
    """At most eight addresses of resolvers, or `gateway`."""
    parts = _at_most(8, _several(cell))
    return list(dict.fromkeys("gateway" if p.casefold() == "gateway" else parse_address(p) for p in parts))


def _at_most(most: int, parts: list[str]) -> list[str]:
    if len(parts) > most:
        raise TypedError(f"{len(parts)} are given: at most {most} are kept")
    return parts


def read_server(cell: str) -> Address | str:
    """`edge`, `none` or the address of a DHCP server."""
    word = cell.strip().casefold()
    if word in ("none", "edge"):
        return word
    try:
        return parse_address(cell)
    except AddressError as error:
        raise TypedError(f"{error}; or leave it empty for the edge, or write 'none'") from None


_LEASE = re.compile(
    r"(\d{1,10})\s*(?:(s|m|h|d|w)|(s)ec(?:ond)?s?|(m)in(?:ute)?s?|(h)(?:ou)?rs?|(d)ays?|(w)eeks?)?"
).fullmatch


def read_lease(cell: str) -> int:
    """A lease as seconds: `8h`, `30m`, `1d`, `2w`, or a number of seconds."""
    match = _LEASE(cell.strip().casefold())
    if match is None:
        raise TypedError(f"{cell.strip()[:40]!r} is not a lease: write 8h, 1d, 30m or a number of seconds")
    seconds = int(match[1]) * LEASE_UNITS[match[match.lastindex or 1] if (match.lastindex or 1) > 1 else ""]
    if not 1 <= seconds <= MAX_LEASE:
        raise TypedError(f"A lease of {seconds} s is not permitted: write 1 to {MAX_LEASE} seconds")
    return seconds


def read_domain(cell: str) -> str:
    """A domain name, without the dot of the root."""
    typed = cell.strip().removesuffix(".")
    if len(typed) > 253 or not re.fullmatch(r"(?:[A-Za-z0-9_][A-Za-z0-9_-]{0,62})(?:\.[A-Za-z0-9_-]{1,63})*", typed):
        raise TypedError(f"{typed[:60]!r} is not a domain name: write letters, digits and hyphens between dots")
    return typed


def read_excluded(cell: str) -> list[tuple[str, Span]]:
    """Runs that are not leased, each with the text it came in; one that is back to front has size 0."""
    parts = [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]
    return [(part, parse_range(part)) for part in _at_most(256, parts)]


def read_networks(cell: str) -> list[tuple[str, Network, Address]]:
    """At most 32 subnets, each with the text it came in and the address that was written."""
    parts = [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]
    return [(part, *parse_network(part)) for part in _at_most(32, parts)]


read_vlan = whole(1, 4094, "VLAN")


def read_ipv6(cell: str) -> Address:
    """An IPv6 address."""
    address = parse_address(cell)
    if address.family != 6:
        raise TypedError(f"{address} is IPv4: write an IPv6 address such as 2001:db8:40::1")
    return address


def read_ipv6_network(cell: str) -> Network:
    """An IPv6 subnet or prefix."""
    network = parse_network(cell)[0]
    if network.family != 6:
        raise TypedError(f"{network} is IPv4: write an IPv6 prefix such as 2001:db8:40::/48")
    return network


def read_kept(cell: str, subnet: Network | None = None) -> list[dict[str, str]]:
    """Kept runs as `printer .200-.219; camera 10.40.8.220 + 20`: a kind of host and a run."""
    kept = []
    for part in _at_most(64, [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]):
        match = re.fullmatch(r"(.*?\S)[\s:]+((?:\.|[0-9a-fA-F]*[:.]|\d).*)", part)
        if match is None:
            raise TypedError(f"{part[:60]!r} names no kind and run: write such as printer 10.40.8.200-10.40.8.219")
        span = parse_range(match[2], subnet)
        kept.append({"kind": text_of(80)(match[1]), "run": (span if span.size else Span(span.last, span.first)).typed})
    return kept


def read_segment_number(cell: str) -> int | None:
    """The number of a /64 in the site's prefix, in the hexadecimal digits that stand in the address; else nothing."""
    digits = cell.strip().removeprefix("#")
    return int(digits, 16) if re.fullmatch(r"[0-9a-fA-F]{1,8}", digits) else None


def read_macs(cell: str) -> list[str]:
    """At most 64 MACs."""
    parts = [part for part in re.split(r"[\s;,]+", cell) if part]
    return list(dict.fromkeys(str(parse_mac(part)) for part in _at_most(64, parts)))


def read_names(cell: str) -> list[str]:
    """Names or addresses of servers."""
    parts = _at_most(8, _several(cell))
    return list(
        dict.fromkeys(read_domain(part) if not _is_address(part) else str(parse_address(part)) for part in parts)
    )


def _is_address(text: str) -> bool:
    return ":" in text or bool(re.fullmatch(r"[\d.]+", text))


def read_host_name(cell: str) -> str:
    """A host name (RFC 1123, section 2.1)."""
    name = cell.strip()
    if not is_host_name(name):
        raise TypedError(
            f"{name[:60]!r} is no host name (RFC 1123): write letters, digits and hyphens, such as dock-edge"
        )
    return name


def read_ssid(cell: str) -> str:
    """The name of a Wi-Fi network, at most 32 bytes (IEEE 802.11)."""
    name = cell.strip()
    if len(name.encode()) > 32:
        raise TypedError(f"A Wi-Fi name has at most 32 bytes, this one {len(name.encode())}: shorten it")
    if not name.isprintable():
        raise TypedError("It holds characters that cannot be printed: type it again")
    return name


@cache
def countries() -> dict[str, str]:
    """The names of countries by their two letters (ISO 3166-1 alpha-2), as the time zone database has them."""
    table = (files("tzdata") / "zoneinfo" / "iso3166.tab").read_text("utf-8")
    rows = (line.split("\t") for line in table.splitlines() if line and not line.startswith("#"))
    return {code: name for code, name, *_ in rows}


def read_country(cell: str) -> str:
    """A country by its two letters (ISO 3166-1), or by its name."""
    typed = cell.strip()
    named = {name.casefold(): code for code, name in countries().items()}
    code = named.get(typed.casefold(), typed.upper())
    if code not in countries():
        raise TypedError(f"{typed[:40]!r} is no country: write its two letters (ISO 3166-1), such as GB, or its name")
    return code


def read_yes(cell: str) -> bool:
    """`yes` or `no`."""
    answer = {"yes": True, "true": True, "no": False, "false": False}.get(cell.strip().casefold())
    if answer is None:
        raise TypedError(f"{cell.strip()[:20]!r} is neither yes nor no: write one of the two")
    return answer


def read_mask_for(typed: str, anchor: Address | None) -> int:
    """A mask for an address; while no address is known, a prefix length of either family."""
    digits = typed.strip().removeprefix("/")
    longer = anchor is None and digits.isdigit() and int(digits[:9]) > 32
    return parse_mask(typed, 6 if longer else anchor.family if anchor else 4)


def read_address_and_mask(typed: str) -> tuple[Address, int | None]:
    """An address alone, or with its mask behind a slash or a space."""
    match = re.fullmatch(r"([^\s/]+)(?:\s*/\s*|\s+)(\S+)", typed.strip())
    if match is None:
        return parse_address(typed), None
    address = parse_address(match[1])
    return address, parse_mask(match[2], address.family)
