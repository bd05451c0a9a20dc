"""Services: what passes between two places, as protocols and ports, read generously and told as numbers.

A set of services is spans on one line of numbers: ping (ICMP echo, of either family), everything that is neither
ping nor TCP nor UDP, then the ports of TCP and of UDP.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import NamedTuple

from octaplan.core.values.errors import TypedError

PING, OTHER = 0, 1
_TCP, _UDP = 2, 2 + 65_536
END = _UDP + 65_536
_BASES = {"tcp": _TCP, "udp": _UDP}

#: Services by their names, with protocols and ports (IANA Service Name and Transport Protocol Port Number Registry),
#: and what many people call them.
NAMES: dict[str, tuple[str, ...]] = {
    "ftp": ("tcp/21",), "ssh": ("tcp/22",), "telnet": ("tcp/23",), "smtp": ("tcp/25",), "time": ("tcp/37", "udp/37"),
    "domain": ("tcp/53", "udp/53"), "dns": ("tcp/53", "udp/53"), "bootps": ("udp/67",), "dhcp": ("udp/67",),
    "tftp": ("udp/69",), "http": ("tcp/80",), "kerberos": ("tcp/88", "udp/88"), "pop3": ("tcp/110",),
    "ntp": ("udp/123",), "epmap": ("tcp/135",), "netbios-ns": ("udp/137",), "imap": ("tcp/143",),
    "snmp": ("udp/161",), "snmptrap": ("udp/162",), "ldap": ("tcp/389", "udp/389"), "https": ("tcp/443",),
    "smb": ("tcp/445",), "submissions": ("tcp/465",), "isakmp": ("udp/500",), "syslog": ("udp/514",),
    "printer": ("tcp/515",), "rtsp": ("tcp/554", "udp/554"), "submission": ("tcp/587",), "ipp": ("tcp/631",),
    "ldaps": ("tcp/636",), "domain-s": ("tcp/853",), "ftps": ("tcp/990",), "imaps": ("tcp/993",),
    "pop3s": ("tcp/995",), "radius": ("udp/1812",), "radius-acct": ("udp/1813",), "mqtt": ("tcp/1883",),
    "nfs": ("tcp/2049", "udp/2049"), "rdp": ("tcp/3389",), "stun": ("tcp/3478", "udp/3478"),
    "ipsec-nat-t": ("udp/4500",), "sip": ("tcp/5060", "udp/5060"), "sips": ("tcp/5061",), "rfb": ("tcp/5900",),
    "http-alt": ("tcp/8080",), "mqtts": ("tcp/8883",),
}  # fmt: skip

_ALL = ("any", "all", "everything", "any service", "*")
_PING = ("ping", "icmp", "icmp echo", "echo")
_EXAMPLE = "write such as tcp/443, udp/53, tcp/8000-8010, https, ping or any"


class Services(NamedTuple):
    """A set of services: disjoint spans of the line, ascending, ends included."""

    spans: tuple[tuple[int, int], ...]

    def __str__(self) -> str:
        return ", ".join(self.parts()) or "none"

    def __bool__(self) -> bool:
        return bool(self.spans)

    def __and__(self, other: Services) -> Services:
        met = ((max(a, c), min(b, d)) for a, b in self.spans for c, d in other.spans)
        return Services(tuple(sorted(span for span in met if span[0] <= span[1])))

    def __or__(self, other: Services) -> Services:
        return joined([*self.spans, *other.spans])

    def __sub__(self, other: Services) -> Services:
        return self & other.opposite

    @property
    def opposite(self) -> Services:
        """Everything else."""
        edges = [-1, *(edge for a, b in self.spans for edge in (a - 1, b + 1)), END]
        gaps = ((edges[i] + (i == 0), edges[i + 1] - (i + 2 == len(edges))) for i in range(0, len(edges), 2))
        return Services(tuple((a, b) for a, b in gaps if a <= b))

    def parts(self) -> Iterator[str]:
        """Each protocol with its ports, as text."""
        if self == EVERYTHING:
            yield "any"
            return
        for number, name in ((PING, "ping"), (OTHER, "other protocols")):
            if any(a <= number <= b for a, b in self.spans):
                yield name
        for name, base in _BASES.items():
            for a, b in self.spans:
                first, last = max(a, base), min(b, base + 65_535)
                if first <= last:
                    whole = (first, last) in ((base, base + 65_535), (base + 1, base + 65_535))
                    low = max(first, base + 1) - base  # nothing is ever sent to port 0
                    run = f"{low}" if low == last - base else f"{low}-{last - base}"
                    yield name if whole else f"{name}/{run}"

    @property
    def port(self) -> tuple[str, int, int] | None:
        """Protocol, first and last port, when it is one run of ports."""
        if len(self.spans) != 1:
            return None
        a, b = self.spans[0]
        for name, base in _BASES.items():
            if base <= a and b <= base + 65_535:
                return name, a - base, b - base
        return None


def joined(spans: Iterable[tuple[int, int]]) -> Services:
    """A set from spans that may overlap or touch."""
    found: list[tuple[int, int]] = []
    for a, b in sorted(spans):
        if found and a <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], b))
        else:
            found.append((a, b))
    return Services(tuple(found))


EVERYTHING = Services(((0, END - 1),))
NOTHING = Services(())


def one_port(protocol: str, first: int, last: int | None = None) -> Services:
    """The services of a run of ports of `tcp` or `udp`."""
    base = _BASES[protocol]
    return Services(((base + first, base + (first if last is None else last)),))


def describe(point: int) -> tuple[str, int]:
    """Protocol and port of a place on the line; port 0 where there is none."""
    if point < _TCP:
        return ("icmp", 0) if point == PING else ("other", 0)
    return ("tcp", point - _TCP) if point < _UDP else ("udp", point - _UDP)


@lru_cache(maxsize=4096)
def parse_services(text: str) -> Services:
    """Services as people write them: `https`, `443/tcp`, `udp 53`, `tcp/8000-8010`, several with commas.

    Raises `TypedError` with what to write instead.
    """
    typed = text.strip().casefold()
    if typed in _ALL:
        return EVERYTHING
    parts = [part.strip() for part in re.split(r"[,;+]|\band\b", typed)]
    if not typed or not all(parts) or len(parts) > 64:
        raise TypedError(f"{text.strip()[:80]!r} is no service: {_EXAMPLE}")
    found = NOTHING
    for part in parts:
        found |= _one(part, text)
    return found


def _one(part: str, typed: str) -> Services:
    if part in _ALL:
        return EVERYTHING
    if part in _PING:
        return Services(((PING, PING),))
    if part == "other protocols":
        return Services(((OTHER, OTHER),))
    if part in _BASES:
        return Services(((_BASES[part], _BASES[part] + 65_535),))
    if part in NAMES:
        return joined(span for one in NAMES[part] for span in _one(one, typed).spans)
    match = re.fullmatch(r"(tcp|udp)\s*[/: ]?\s*(\d{1,6})(?:\s*[-–:]\s*(\d{1,6}))?", part) or re.fullmatch(
        r"(?P<ports>(\d{1,6})(?:\s*[-–:]\s*(\d{1,6}))?)\s*[/ ]\s*(tcp|udp)", part
    )
    if match is None:
        if re.fullmatch(r"\d{1,5}(\s*[-–]\s*\d{1,5})?", part):
            raise TypedError(f"{part!r} lacks its protocol: write tcp/{part} or udp/{part}")
        raise TypedError(f"{part[:80]!r} is no service that is known by name: {_EXAMPLE}")
    groups = match.groups()
    name, first, last = groups if groups[0] in _BASES else (groups[3], groups[1], groups[2])
    low, high = int(first), int(last or first)
    if not 1 <= low <= high <= 65_535:
        raise TypedError(f"{part!r} is no run of ports: they go from 1 to 65535, the lower first")
    return one_port(name, low, high)


def read_services(text: str) -> str:
    """The same as text, in the one way that it is written in plans: `tcp/443, udp/53`."""
    return str(parse_services(text))


def known_services(text: str) -> Services | None:
    """What a text of a plan says; nothing when it cannot be read."""
    try:
        return parse_services(text)
    except TypedError:
        return None
