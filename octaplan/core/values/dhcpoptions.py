"""DHCP options by number (RFC 2132 and those after it): what each is called, and what its value must look like."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_mask
from octaplan.core.values.errors import TypedError
from octaplan.core.values.readers import read_domain

MOST = 64


class DhcpOption(NamedTuple):
    """One option. `check` raises `ValueError` with a sentence, or gives the value as it is kept."""

    name: str
    check: Callable[[str], str]


def _addresses(text: str) -> str:
    parts = [part for part in re.split(r"[\s,]+", text) if part]
    try:
        return ", ".join(str(parse_address(part)) for part in parts)
    except AddressError as error:
        raise TypedError(f"{error}: addresses belong here, several with commas") from None


def _mask(text: str) -> str:
    return Network.holding(Address(4, 0), parse_mask(text)).mask


def _number(text: str) -> str:
    if not re.fullmatch(r"\d{1,10}", text):
        raise TypedError(f"{text[:40]!r} is no number: a whole number belongs here")
    return str(int(text))


def _domains(text: str) -> str:
    return ", ".join(read_domain(part) for part in re.split(r"[\s,]+", text) if part)


def _server(text: str) -> str:
    """A name, an address or a URL of one server."""
    if re.search(r"\s|,", text):
        raise TypedError(f"{text[:40]!r} names several: one name or address belongs here")
    if re.fullmatch(r"[\d.]+", text):
        return str(parse_address(text))
    return text


def _text(text: str) -> str:
    return text


#: The options that people write by hand; any other number takes text.
OPTIONS = {
    1: DhcpOption("subnet mask", _mask),
    2: DhcpOption("time offset", _number),
    3: DhcpOption("router", _addresses),
    4: DhcpOption("time server", _addresses),
    6: DhcpOption("resolver", _addresses),
    7: DhcpOption("log server", _addresses),
    12: DhcpOption("host name", read_domain),
    15: DhcpOption("domain", read_domain),
    26: DhcpOption("mtu", _number),
    28: DhcpOption("broadcast", _addresses),
    42: DhcpOption("ntp", _addresses),
    44: DhcpOption("netbios names", _addresses),
    51: DhcpOption("lease time", _number),
    54: DhcpOption("dhcp server", _addresses),
    66: DhcpOption("tftp", _server),
    67: DhcpOption("boot file", _text),
    69: DhcpOption("smtp", _addresses),
    119: DhcpOption("search domains", _domains),
    150: DhcpOption("tftp addresses", _addresses),
}
_BY_NAME = {option.name: number for number, option in OPTIONS.items()}
_NAMES = "|".join(re.escape(name) for name in sorted(_BY_NAME, key=len, reverse=True))
_BEGINS = rf"(?:option\s*)?\d{{1,3}}\s*[=:]|option\s*\d{{1,3}}\b|(?:{_NAMES})\s*[=:]"
_ONE = re.compile(rf"(?:(?:option\s*)?(\d{{1,3}})|({_NAMES}))\s*(?:[=:]\s*|\s+)(\S.*)", re.IGNORECASE | re.DOTALL)


def read_dhcp_options(cell: str) -> dict[str, str]:
    """Options as they are pasted, several at once: `66 10.40.8.9; 42 = 192.0.2.123`, one a line, or each behind
    `option`; by number or name, and each value checked for what its option holds. Raises `ValueError`."""
    parts = re.split(rf"[;\n]|(?<!option)[,\s]\s*(?={_BEGINS})", cell, flags=re.IGNORECASE)
    options: dict[str, str] = {}
    for part in (part.strip(" ,\t\r") for part in parts):
        if not part:
            continue
        match = _ONE.fullmatch(part)
        number = (int(match[1]) if match[1] else _BY_NAME[match[2].casefold()]) if match else 0
        if match is None or not 1 <= number <= 254:
            raise TypedError(
                f"{part[:60]!r} is not an option: write its number (1 to 254) and value, such as 66 10.40.8.9"
            )
        value = match[3].strip().strip('"')
        known = OPTIONS.get(number)
        try:
            value = known.check(value) if known else value
        except (TypedError, AddressError) as error:
            raise TypedError(f"Option {number}, {known.name if known else ''}: {error}") from None
        if len(value) > 200:
            raise TypedError(f"Option {number} holds {len(value)} characters: at most 200 are kept")
        options[str(number)] = value
    if len(options) > MOST:
        raise TypedError(f"{len(options)} options are given: at most {MOST} are kept")
    return options
