"""Differences sown into a text that is as planned, each with what a reading of it has to say."""

from __future__ import annotations

import re
from collections.abc import Callable
from random import Random
from typing import NamedTuple

from octaplan.core.config.departures import ReadBack


class Sown(NamedTuple):
    """A text with one difference, what it is, and whether a reading tells it."""

    text: str
    what: str
    told: Callable[[ReadBack], bool]


def _differs(new: str) -> Callable[[ReadBack], bool]:
    plain = new.partition("/")[0]
    return lambda back: any(plain in one.seen for one in back.differs)


def _unplanned(value: str) -> Callable[[ReadBack], bool]:
    return lambda back: any(value in one.value for one in back.unplanned)


def _or(*ways: Callable[[ReadBack], bool]) -> Callable[[ReadBack], bool]:
    return lambda back: any(way(back) for way in ways)


def _name_gone(back: ReadBack) -> bool:
    return any(one.path.endswith("/name") for one in [*back.missing, *back.differs])


_ADDRESS = re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?![\w.])")


def _chosen(random: Random, text: str, shape: str) -> re.Match[str] | None:
    found = [*re.finditer(shape, text, re.M)]
    found = [match for match in found if "127.0.0.1" not in match[0] and "::" not in match[0]]
    return random.choice(found) if found else None


def _put(text: str, match: re.Match[str], new: str, group: int = 1) -> str:
    return text[: match.start(group)] + new + text[match.end(group) :]


#: Where an address of the box's own, a way out, a resolver, a range or a reservation stands in the forms of `native`.
_PLACES = {
    "own": r"^\s+(?:inet |- )([\d.]+)/\d+",
    "gateway": r"(?:via:? |gateway4: |option routers |,3,)([\d.]+)",
    "resolver": r"(?:nameserver |,6,|domain-name-servers |^server=|addresses: \[|forwarders \{ )([\d.]+)(?![/\d])",
    "range": r"(?:dhcp-range=set:\w+,|^  range )([\d.]+)",
    "range end": r"(?:dhcp-range=set:\w+,[\d.]+,|^  range [\d.]+ )([\d.]+)",
    "reserved": r"(?:dhcp-host=[\w:]+,|fixed-address )([\d.]+)",
}


def sow(random: Random, text: str) -> Sown | None:
    """One difference, of a sort chosen at random; nothing where the text has no place for it."""
    sort = random.choice(
        [*_PLACES, "mask", "vlan", "mac", "zone", "name", "gone", "network", "dns", "secret", "telnet", "nat"]
    )
    if sort in _PLACES:
        match = _chosen(random, text, _PLACES[sort])
        if match is None:
            return None
        new = _other(random, match[1])
        if new is None or re.search(rf"(?<![\d.]){re.escape(new)}(?![\d.])", text):
            return None
        return Sown(_put(text, match, new), f"{sort} {match[1]} is {new}", _differs(new))
    if sort == "mask":
        match = _chosen(random, text, r"(?:inet |- )[\d.]+/(\d+)$|(?:inet )[\d.]+/(\d+) brd")
        if match is None:
            return None
        group = 1 if match[1] else 2
        new = str(int(match[group]) + random.choice([-1, 1]))
        return Sown(_put(text, match, new, group), f"mask /{match[group]} is /{new}", _differs(f"/{new}"[1:]))
    return _other_sorts(random, text, sort)


def _other_sorts(random: Random, text: str, sort: str) -> Sown | None:
    if sort == "vlan":
        match = _chosen(random, text, r"      id: (\d+)$|vlan (\d+)$")
        if match is None:
            return None
        group = 1 if match[1] else 2
        if text.count(f".{match[group]}") or len(re.findall(rf"(?:id:|vlan) {match[group]}$", text, re.M)) > 1:
            return None
        return Sown(_put(text, match, "3999", group), "VLAN", _differs("3999"))
    if sort == "mac":
        match = _chosen(random, text, r"(?:dhcp-host=|hardware ethernet )([\w:]{17})")
        if match is None:
            return None
        new = match[1][:-1] + ("0" if match[1][-1] != "0" else "1")
        return None if new in text else Sown(_put(text, match, new), "MAC", _differs(new))
    if sort == "zone":
        match = _chosen(random, text, r"Time zone: (Europe/\S+)")
        return match and Sown(_put(text, match, "Asia/Tokyo"), "time zone", _differs("Asia/Tokyo"))
    if sort == "name":
        match = _chosen(random, text, r"hostname: (\S+)")
        return match and Sown(_put(text, match, "unit-0001"), "host name", _name_gone)
    if sort == "gone":
        match = _chosen(random, text, r"^(?:dhcp-range=set:\w+,([\d.]+),|  range ([\d.]+) ).*\n")
        if match is None:
            return None
        value = match[1] or match[2]
        return Sown(
            _put(text, match, "", 0), f"{value} is gone", lambda back: any(one.value == value for one in back.missing)
        )
    added = {
        "network": ("    inet 10.231.9.1/24 brd 10.231.9.255 scope global guest0\n", "10.231.9.1"),
        "dns": ("nameserver 198.51.100.99\n", "198.51.100.99"),
        "nat": ("\t\tip daddr 203.0.113.250 tcp dport 8443 dnat to 10.231.9.77\n", "10.231.9.77"),
        "telnet": ("telnet server listening on port 23\n", "telnet"),
        "secret": ("password Summer2024\n", "withheld"),
    }[sort]
    lines = text.splitlines(keepends=True)
    place = random.randrange(len(lines) + 1)
    return Sown("".join([*lines[:place], added[0], *lines[place:]]), f"{sort} more", _unplanned(added[1]))


def _other(random: Random, text: str) -> str | None:
    """An address one digit, one step or two swapped digits away."""
    parts = text.split(".")
    last = parts[-1]
    way = random.choice(["step", "digit", "swap", "third"])
    if way == "step":
        parts[-1] = str(int(last) + random.choice([1, -1]))
    elif way == "swap" and len(last) > 1 and last[-1] != last[-2]:
        parts[-1] = last[:-2] + last[-1] + last[-2]
    elif way == "third":
        parts[2] = str(int(parts[2]) ^ 1)
    else:
        parts[-1] = last[:-1] + random.choice([d for d in "0123456789" if d != last[-1]])
    valid = all(0 <= int(part) <= 255 and str(int(part)) == part for part in parts)
    return ".".join(parts) if valid and parts != text.split(".") else None
