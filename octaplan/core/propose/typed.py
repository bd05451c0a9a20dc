"""What people type into a field, read generously: the same readers serve table cells and screens.

Every reader takes text and raises `ValueError` with a sentence for the person who typed it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Container
from datetime import date
from enum import StrEnum
from functools import lru_cache
from typing import Any, NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.boxes import is_host_name
from octaplan.core.plan.device import Band, DeviceRole, Security
from octaplan.core.plan.passwords import LONGEST_TYPED
from octaplan.core.plan.renumber import renumber
from octaplan.core.plan.site import (
    LEASE_UNITS,
    MAX_LEASE,
    Handoff,
    Method,
    Reach,
    Role,
    SitePlan,
    lease_text,
)
from octaplan.core.propose.room import (
    Room,
    fixed_in,
    next_host,
    numbered_subnet,
    range_for,
    range_leaving,
    wanted_prefix,
)
from octaplan.core.values.addresses import (
    Address,
    AddressError,
    Network,
    Span,
    parse_address,
    parse_mac,
    parse_mask,
    parse_near,
    parse_network,
    parse_range,
)
from octaplan.core.values.errors import TypedError
from octaplan.core.values.fields import available_zones


def text_of(most: int) -> Callable[[str], str]:
    @lru_cache(10_000)
    def read(cell: str) -> str:
        text = " ".join(cell.split())
        if len(text) > most:
            raise TypedError(f"It is {len(text)} characters long: at most {most} are kept")
        if not text.isprintable():
            raise TypedError("It holds characters that cannot be printed: type it again")
        return text

    return read


def read_password(cell: str) -> str:
    """A password as it was given; no message quotes it, and nothing caches it."""
    if len(cell) > LONGEST_TYPED:
        raise TypedError(f"It is {len(cell)} characters long: at most {LONGEST_TYPED} are kept")
    if not cell.isprintable():
        raise TypedError("It holds characters that cannot be printed: type it again")
    return cell


@lru_cache(10_000)
def read_code(cell: str) -> str:
    code = text_of(40)(cell)
    if "/" in code:
        raise TypedError(f"A slash is not permitted in the code {code!r}: write it with a hyphen")
    if code.startswith("~"):
        raise TypedError(f"A code cannot begin with ~, as {code!r} does: leave it out")
    return code


def whole(low: int, high: int, what: str) -> Callable[[str], int]:
    def read(cell: str) -> int:
        digits = cell.strip()
        if not (digits.isascii() and digits.isdigit()) or len(digits) > 12 or not low <= int(digits) <= high:
            raise TypedError(f"{what} {digits[:40]!r} is not permitted: write a whole number from {low} to {high}")
        return int(digits)

    return read


def choice(kind: type[StrEnum]) -> Callable[[str], Any]:
    def read(cell: str) -> Any:
        try:
            return kind(cell.strip().casefold())
        except ValueError:
            known = ", ".join(kind)
            raise TypedError(f"{cell.strip()[:40]!r} is not one of {known}") from None

    return read


def read_date(cell: str) -> date:
    typed = cell.strip()
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", typed):
            return date.fromisoformat(typed)
    except ValueError as error:
        raise TypedError(f"{typed!r} is no date: {error}") from None
    raise TypedError(f"{typed[:40]!r} is not an ISO date: write year-month-day, such as 2027-03-04")


def read_time_zone(cell: str) -> str:
    typed = cell.strip()
    if typed not in available_zones():
        raise TypedError(f"{typed[:60]!r} is not an IANA time zone: write one such as Europe/Paris")
    return typed


def read_groups(cell: str) -> list[str]:
    if cell.strip() == "-":
        return []
    return list(dict.fromkeys(text_of(80)(part) for part in cell.split(";") if part.strip()))


def _several(cell: str) -> list[str]:
    return [part for part in re.split(r"[\s;,]+", cell) if part]


def read_addresses(cell: str) -> list[Address]:
    return list(dict.fromkeys(map(parse_address, _at_most(8, _several(cell)))))


def read_resolvers(cell: str) -> list[Address | str]:
    parts = _at_most(8, _several(cell))
    return list(dict.fromkeys("gateway" if p.casefold() == "gateway" else parse_address(p) for p in parts))


def _at_most(most: int, parts: list[str]) -> list[str]:
    if len(parts) > most:
        raise TypedError(f"{len(parts)} are given: at most {most} are kept")
    return parts


def read_server(cell: str) -> Address | str:
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
    typed = cell.strip().removesuffix(".")
    if len(typed) > 253 or not re.fullmatch(r"(?:[A-Za-z0-9_][A-Za-z0-9_-]{0,62})(?:\.[A-Za-z0-9_-]{1,63})*", typed):
        raise TypedError(f"{typed[:60]!r} is not a domain name: write letters, digits and hyphens between dots")
    return typed


def read_excluded(cell: str) -> list[tuple[str, Span]]:
    parts = [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]
    return [(part, parse_range(part)) for part in _at_most(256, parts)]


def read_networks(cell: str) -> list[tuple[str, Network, Address]]:
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


def _kept_text(runs: list[dict[str, str]]) -> str:
    return "; ".join(f"{keep['run'].replace('-', '–')} for {keep['kind']}" for keep in runs) or "none"


def read_segment_number(cell: str) -> int | None:
    """The number of a /64 in the site's prefix, in the hexadecimal digits that stand in the address; else nothing."""
    digits = cell.strip().removeprefix("#")
    return int(digits, 16) if re.fullmatch(r"[0-9a-fA-F]{1,8}", digits) else None


def read_options(cell: str) -> dict[str, str]:
    """DHCP options as `66 10.40.8.9; 42 = 192.0.2.123`: number (RFC 2132) and value."""
    options: dict[str, str] = {}
    for part in [part.strip() for part in cell.split(";") if part.strip()]:
        match = re.fullmatch(r"(?:option\s*)?(\d{1,3})\s*[\s:=]\s*(\S.*)", part, re.IGNORECASE)
        if match is None or not 1 <= int(match[1]) <= 254:
            raise TypedError(
                f"{part[:60]!r} is not an option: write its number (1 to 254) and value, such as 66 10.40.8.9"
            )
        options[str(int(match[1]))] = text_of(200)(match[2])
    if len(options) > 64:
        raise TypedError(f"{len(options)} options are given: at most 64 are kept")
    return options


# --- Fields of a plan ------------------------------------------------------------------------------------


class Understood(NamedTuple):
    """What typed text comes to: a JSON Patch on the plan, and a sentence that says it back."""

    operations: list[dict[str, Any]]
    echo: str


def understand(plan: SitePlan, path: str, text: str, portfolio: Portfolio | None = None) -> Understood:
    """Read what was typed into the field at a path of the plan; empty text means "not known".

    Addresses may be short inside a known subnet (`.20`), ranges are read as `.20-.199` or `.20 + 180`, a new
    subnet may be only a mask (`/25`), and takes gateway, range, hosts and resolvers along at their offsets.
    With a portfolio, `next`, `next /25`, `first`, `last`, `leave 20` and `40 clients` take what is free.
    Raises `ValueError` with a sentence, also for a field that is not there.
    """
    portfolio = portfolio or Portfolio([plan])
    typed = text.strip()
    if len(typed) > 1_000:
        raise TypedError(f"It is {len(typed)} characters long: at most 1000 are read")
    parts = path.split("/")[1:]
    if len(parts) == 1 and parts[0] in _SITE_FIELDS:
        return _simple(path, typed, _SITE_FIELDS[parts[0]])
    if len(parts) < 3:
        raise TypedError(f"There is no field {path!r}")
    kind, key, field = parts[0], parts[1], "/".join(parts[2:])
    members: dict[str, Container[str]] = {
        "circuits": plan.circuits,
        "segments": plan.segments,
        "hosts": plan.hosts,
        "devices": plan.devices,
        "wireless": plan.wireless,
        "slots": plan.slots,
    }
    if key not in members.get(kind, ()):
        raise TypedError("It has been removed by somebody else")
    if kind == "circuits":
        return _circuit_field(plan, path, key, field, typed)
    if kind == "segments":
        return _segment_field(plan, path, key, field, typed, portfolio)
    if kind == "devices":
        return _device_field(plan, path, key, field, typed)
    if kind in ("wireless", "slots"):
        return _simple(path, typed, _field(_WIRELESS_FIELDS if kind == "wireless" else _SLOT_FIELDS, field, path))
    host = plan.hosts[key]
    subnet = plan.segments[host.segment].subnet
    if field == "address" and typed.casefold() == "next":
        free = next_host(plan, host.segment, portfolio.organisation, host.kind, key)
        if free is None:
            raise TypedError(f"{plan.segments[host.segment].label} has no free address for it: widen the subnet")
        return Understood([set_to(path, str(free))], f"{free}, the next free address")
    readers: dict[str, Callable[[str], Any]] = {
        "name": _needed(text_of(80)),
        "kind": text_of(200),
        "address": lambda cell: parse_near(cell, subnet),
        "address6": read_ipv6,
        "mac": parse_mac,
        "method": _needed(choice(Method)),
    }
    return _simple(path, typed, _field(readers, field, path))


def _field(readers: dict[str, Callable[[str], Any]], field: str, path: str) -> Callable[[str], Any]:
    if field not in readers:
        raise TypedError(f"There is no field {path!r}")
    return readers[field]


def set_to(path: str, value: Any) -> dict[str, Any]:
    return {"op": "add", "path": path, "value": value}


def _plain(value: Any) -> Any:
    if isinstance(value, list):
        return [_plain(item) for item in value]
    if isinstance(value, Span):
        return value.typed
    if isinstance(value, dict):
        return value
    return value if value is None or isinstance(value, int | bool | str) else str(value)


def _simple(path: str, typed: str, read: Callable[[str], Any]) -> Understood:
    needed = getattr(read, "needed", False)
    if not typed and not needed:
        last = path.rsplit("/", 1)[-1]
        blank: Any = [] if last in _LIST_FIELDS else {} if last in _MAP_FIELDS else None
        return Understood([set_to(path, blank)], "empty: not known yet")
    value = _plain(read(typed))
    if value in ([], {}) and not typed.strip(" ,;\t"):
        raise TypedError(f"{typed!r} holds nothing but separators: write a value, or leave it empty")
    echo = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    if isinstance(value, dict):
        echo = "; ".join(f"option {number}: {text}" for number, text in value.items())
    return Understood([set_to(path, value)], echo or "none")


def _needed(read: Callable[[str], Any]) -> Callable[[str], Any]:
    def reading(cell: str) -> Any:
        if not cell:
            raise TypedError("It cannot be empty: write something, or press Escape to put it back")
        return read(cell)

    reading.needed = True  # type: ignore[attr-defined]
    return reading


_LIST_FIELDS = frozenset({"kept", "resolvers", "routed_blocks", "excluded", "macs", "time_servers", "forwarders"})
_MAP_FIELDS = frozenset({"options"})

_SITE_FIELDS: dict[str, Callable[[str], Any]] = {
    "name": text_of(200),
    "street": text_of(200),
    "time_zone": read_time_zone,
    "ship_date": read_date,
    "contact": text_of(200),
    "technician": text_of(200),
    "reach_groups": read_groups,
    "delegated_prefix": read_ipv6_network,
}


def _circuit_field(plan: SitePlan, path: str, key: str, field: str, typed: str) -> Understood:
    circuit = plan.circuits[key]
    if field == "address" and typed:
        address, prefix = read_address_and_mask(typed)
        operations = [set_to(path, str(address))]
        if prefix is not None:
            operations.append(set_to(f"/circuits/{key}/prefix", prefix))
        return Understood(operations, str(address) if prefix is None else _masked(address, prefix))
    if field == "prefix" and typed:
        prefix = read_mask_for(typed, circuit.anchor)
        return Understood([set_to(path, prefix)], _masked(circuit.anchor, prefix) if circuit.anchor else f"/{prefix}")
    if field == "address6" and typed:
        address, prefix = read_address_and_mask(typed)
        operations = [set_to(path, str(read_ipv6(str(address))))]
        if prefix is not None:
            operations.append(set_to(f"/circuits/{key}/prefix6", prefix))
        return Understood(operations, str(address) if prefix is None else f"{address}/{prefix}")
    if field.startswith("uses/"):
        address = parse_address(field.removeprefix("uses/"))
        if not typed:
            gone = [{"op": "remove", "path": path}] if str(address) in circuit.uses else []
            return Understood(gone, f"{address} is free")
        return Understood([set_to(path, text_of(200)(typed))], f"{address}: {typed}")
    readers: dict[str, Callable[[str], Any]] = {
        "label": _needed(text_of(80)),
        "handoff": choice(Handoff),
        "address": parse_address,
        "prefix": parse_mask,
        "gateway": lambda cell: parse_near(cell, circuit.subnet),
        "address6": read_ipv6,
        "prefix6": lambda cell: parse_mask(cell, 6),
        "gateway6": read_ipv6,
        "modem_subnet": lambda cell: parse_network(cell)[0],
        "resolvers": read_addresses,
        "vlan": read_vlan,
        "routed_blocks": lambda cell: [network for _, network, _ in read_networks(cell)],
        "pppoe_user": text_of(200),
        "provider": text_of(200),
        "reference": text_of(200),
        "priority": whole(0, 1000, "Priority"),
    }
    return _simple(path, typed, _field(readers, field, path))


def _masked(address: Address, prefix: int) -> str:
    network = Network.holding(address, prefix)
    return f"{address}, mask {network.mask} (/{prefix}), hand-off {network.first}–{network.last}"


def _segment_field(plan: SitePlan, path: str, key: str, field: str, typed: str, portfolio: Portfolio) -> Understood:
    segment = plan.segments[key]
    subnet = segment.subnet
    if field == "subnet" and typed:
        return _move(plan, key, read_wanted_subnet(plan, key, typed, portfolio))
    if field == "subnet6" and typed:
        return _move(plan, key, _read_subnet6(plan, typed, portfolio), field)
    if field == "gateway" and typed.casefold() in ("first", "last") and subnet is not None:
        end = subnet.usable.first if typed.casefold() == "first" else subnet.usable.last
        return Understood([set_to(path, str(end))], f"{end}, the {typed.casefold()} usable address")
    if field == "kept" and typed:
        runs = read_kept(typed, subnet)
        return Understood([set_to(path, runs)], _kept_text(runs))
    if field == "scope" and typed:
        span = _wanted_range(plan, key, typed, portfolio) or parse_range(typed, subnet)
        base = f"/segments/{key}/scope"
        operations = [set_to(f"{base}/first", str(span.first)), set_to(f"{base}/last", str(span.last))]
        if segment.scope.server == "none":
            operations.append(set_to(f"{base}/server", "edge"))
        return Understood(operations, f"{span.first} to {span.last}, {_many(span.size, 'address', 'addresses')}")
    if field == "scope":
        base = f"/segments/{key}/scope"
        operations = [set_to(f"{base}/first", None), set_to(f"{base}/last", None), set_to(f"{base}/excluded", [])]
        return Understood(operations, "no range")
    if field == "scope/excluded" and typed:
        spans = [parse_range(part, subnet) for part in re.split(r"[;,]", typed) if part.strip()]
        spans = [span if span.size else Span(span.last, span.first) for span in spans]
        return Understood([set_to(path, [span.typed for span in spans])], ", ".join(map(str, spans)) or "none")
    if field == "scope/server":
        value = _plain(read_server(typed)) if typed else "edge"
        said = {"edge": "the edge serves it", "none": "nobody serves it"}.get(value, f"served by {value}")
        return Understood([set_to(path, value)], said)
    readers: dict[str, Callable[[str], Any]] = {
        "label": _needed(text_of(80)),
        "role": _needed(choice(Role)),
        "vlan": read_vlan,
        "vrf": _needed(text_of(80)),
        "reach": choice(Reach),
        "subnet": parse_network,
        "gateway": lambda cell: parse_near(cell, subnet),
        "subnet6": read_ipv6_network,
        "gateway6": read_ipv6,
        "kept": read_kept,
        "scope/lease": read_lease,
        "scope/excluded": read_excluded,
        "scope/options": read_options,
        "resolvers": read_resolvers,
        "domain": read_domain,
        "expected_hosts": whole(0, 1 << 32, "Number of hosts"),
    }
    understood = _simple(path, typed, _field(readers, field, path))
    if field == "scope/lease" and typed:
        return understood._replace(echo=f"{lease_text(read_lease(typed))}, {read_lease(typed):,} seconds")
    return understood


def read_wanted_subnet(plan: SitePlan, key: str, text: str, portfolio: Portfolio) -> Network:
    """A subnet for a segment as people say it: whole, only a mask (`/25`), `next` or `next /25`."""
    typed = text.strip()
    return _next_subnet(plan, key, typed, portfolio) or _read_subnet(typed, plan.segments[key].subnet)


def _read_subnet(typed: str, before: Network | None) -> Network:
    if before is not None and "." not in typed.removeprefix("/").split("/")[0] and ":" not in typed:
        return Network.holding(before.first, parse_mask(typed, before.family))
    if before is not None and re.fullmatch(r"/?\s*255\..*", typed):
        return Network.holding(before.first, parse_mask(typed))
    return parse_network(typed)[0]


def _next_subnet(plan: SitePlan, key: str, typed: str, portfolio: Portfolio) -> Network | None:
    """`next` and `next /25`: the free subnet that is nearest to where the segment is."""
    match = re.fullmatch(r"next(?:\s*(/?\s*\d{1,2}))?", typed.casefold())
    if match is None:
        return None
    segment, room = plan.segments[key], Room(portfolio, plan)
    prefix = parse_mask(match[1]) if match[1] else wanted_prefix(segment, portfolio.organisation.growth)
    near = segment.subnet.first if segment.subnet is not None and segment.subnet.family == 4 else None
    found = room.next_subnets(prefix, near, key)
    if not found:
        blocks = " and ".join(map(str, room.blocks()))
        raise TypedError(f"No free /{prefix} is left in {blocks}: take a smaller one, or give the customer more room")
    return found[0]


def _read_subnet6(plan: SitePlan, typed: str, portfolio: Portfolio) -> Network:
    """An IPv6 subnet, `next`, or the number of a /64 in the site's prefix."""
    prefix = plan.delegated_prefix
    number = Room(portfolio, plan).next_number() if typed.casefold() == "next" else read_segment_number(typed)
    if number is None and typed.casefold() != "next":
        return read_ipv6_network(typed)
    if prefix is None:
        raise TypedError("The site has no IPv6 prefix yet, which a number could count in: write the whole subnet")
    if number is None:
        raise TypedError(f"No free /64 is left in {prefix}")
    return numbered_subnet(prefix, number)


def _wanted_range(plan: SitePlan, key: str, typed: str, portfolio: Portfolio) -> Span | None:
    """`leave 20` and `40 clients`."""
    match = re.fullmatch(r"leave\s+(\d{1,5})|(\d{1,5})\s*clients?", typed.casefold())
    if match is None:
        return None
    segment, hosts = plan.segments[key], fixed_in(plan, key)
    if match[1]:
        return range_leaving(segment, int(match[1]), hosts, portfolio.organisation)
    return range_for(segment, int(match[2]), hosts, portfolio.organisation)


def _move(plan: SitePlan, key: str, subnet: Network, field: str = "subnet") -> Understood:
    operations, along = renumber(plan, key, subnet)
    size = f"{subnet}, mask {subnet.mask}, {_many(subnet.usable.size, 'usable address', 'usable addresses')}"
    if field == "subnet6":
        size = str(subnet)
    return Understood(operations, f"{size}; {along}" if along else size)


def _many(number: int, one: str, many: str) -> str:
    return f"{number:,} {one if number == 1 else many}"


def _device_field(plan: SitePlan, path: str, key: str, field: str, typed: str) -> Understood:
    part, _, inner = field.partition("/")
    if part == "addresses" and inner in plan.segments:
        if not typed:
            gone = [{"op": "remove", "path": path}] if inner in plan.devices[key].addresses else []
            return Understood(gone, "no address of its own here")
        return _simple(path, typed, lambda cell: parse_near(cell, plan.segments[inner].subnet))
    if part == "licences" and inner:
        if not typed:
            gone = [{"op": "remove", "path": path}] if inner in plan.devices[key].licences else []
            return Understood(gone, "not recorded")
        ends = None if typed.casefold() in ("no end", "never") else str(read_date(typed))
        return Understood([set_to(path, {"ends": ends})], f"ends {ends}" if ends else "has no end")
    if part == "gateway":
        home = next((plan.segments[k].subnet for k in plan.devices[key].addresses if k in plan.segments), None)
        host = plan.hosts.get(plan.devices[key].host or "")
        subnet = plan.segments[host.segment].subnet if host else home
        return _simple(path, typed, lambda cell: parse_near(cell, subnet))
    return _simple(path, typed, _field(_DEVICE_FIELDS, field, path))


def read_macs(cell: str) -> list[str]:
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
    name = cell.strip()
    if not is_host_name(name):
        raise TypedError(
            f"{name[:60]!r} is no host name (RFC 1123): write letters, digits and hyphens, such as dock-edge"
        )
    return name


def read_ssid(cell: str) -> str:
    name = cell.strip()
    if len(name.encode()) > 32:
        raise TypedError(f"A Wi-Fi name has at most 32 bytes, this one {len(name.encode())}: shorten it")
    if not name.isprintable():
        raise TypedError("It holds characters that cannot be printed: type it again")
    return name


def read_country(cell: str) -> str:
    code = cell.strip().upper()
    if not re.fullmatch(r"[A-Z]{2}", code):
        raise TypedError(f"{cell.strip()[:20]!r} is no country code: write two letters (ISO 3166-1), such as GB")
    return code


def read_yes(cell: str) -> bool:
    answer = {"yes": True, "true": True, "no": False, "false": False}.get(cell.strip().casefold())
    if answer is None:
        raise TypedError(f"{cell.strip()[:20]!r} is neither yes nor no: write one of the two")
    return answer


_DEVICE_FIELDS: dict[str, Callable[[str], Any]] = {
    "name": read_host_name,
    "role": _needed(choice(DeviceRole)),
    "serial": text_of(200),
    "asset_tag": text_of(200),
    "macs": read_macs,
    "location": text_of(200),
    "contact": text_of(200),
    "banner": text_of(1_000),
    "domain": read_domain,
    "time_zone": read_time_zone,
    "time_servers": read_names,
    "resolvers": read_addresses,
    "forwarders": read_addresses,
    "firmware": text_of(200),
}

_WIRELESS_FIELDS: dict[str, Callable[[str], Any]] = {
    "name": _needed(read_ssid),
    "security": _needed(choice(Security)),
    "band": _needed(choice(Band)),
    "hidden": _needed(read_yes),
    "client_limit": whole(1, 10_000, "Client limit"),
    "country": read_country,
}

_SLOT_FIELDS: dict[str, Callable[[str], Any]] = {"name": _needed(text_of(80)), "about": text_of(200)}


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
