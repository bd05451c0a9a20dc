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

from octaplan.core.addresses import (
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
from octaplan.core.boxes import is_host_name
from octaplan.core.device import Band, DeviceRole, Security
from octaplan.core.fields import available_zones
from octaplan.core.passwords import LONGEST_TYPED
from octaplan.core.plan import (
    MAX_LEASE,
    Handoff,
    Method,
    Reach,
    Role,
    SitePlan,
)


def text_of(most: int) -> Callable[[str], str]:
    @lru_cache(10_000)
    def read(cell: str) -> str:
        text = " ".join(cell.split())
        if len(text) > most:
            raise ValueError(f"It is {len(text)} characters long: at most {most} are kept")
        if not text.isprintable():
            raise ValueError("It holds characters that cannot be printed: type it again")
        return text

    return read


def read_password(cell: str) -> str:
    """A password as it was given; no message quotes it, and nothing caches it."""
    if len(cell) > LONGEST_TYPED:
        raise ValueError(f"It is {len(cell)} characters long: at most {LONGEST_TYPED} are kept")
    if not cell.isprintable():
        raise ValueError("It holds characters that cannot be printed: type it again")
    return cell


@lru_cache(10_000)
def read_code(cell: str) -> str:
    code = text_of(40)(cell)
    if "/" in code:
        raise ValueError(f"A slash is not permitted in the code {code!r}: write it with a hyphen")
    return code


def whole(low: int, high: int, what: str) -> Callable[[str], int]:
    def read(cell: str) -> int:
        digits = cell.strip()
        if not (digits.isascii() and digits.isdigit()) or len(digits) > 12 or not low <= int(digits) <= high:
            raise ValueError(f"{what} {digits[:40]!r} is not permitted: write a whole number from {low} to {high}")
        return int(digits)

    return read


def choice(kind: type[StrEnum]) -> Callable[[str], Any]:
    def read(cell: str) -> Any:
        try:
            return kind(cell.strip().casefold())
        except ValueError:
            known = ", ".join(kind)
            raise ValueError(f"{cell.strip()[:40]!r} is not one of {known}") from None

    return read


def read_date(cell: str) -> date:
    typed = cell.strip()
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", typed):
            return date.fromisoformat(typed)
    except ValueError as error:
        raise ValueError(f"{typed!r} is no date: {error}") from None
    raise ValueError(f"{typed[:40]!r} is not an ISO date: write year-month-day, such as 2027-03-04")


def read_time_zone(cell: str) -> str:
    typed = cell.strip()
    if typed not in available_zones():
        raise ValueError(f"{typed[:60]!r} is not an IANA time zone: write one such as Europe/Paris")
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
        raise ValueError(f"{len(parts)} are given: at most {most} are kept")
    return parts


def read_server(cell: str) -> Address | str:
    word = cell.strip().casefold()
    if word in ("none", "edge"):
        return word
    try:
        return parse_address(cell)
    except AddressError as error:
        raise ValueError(f"{error}; or leave it empty for the edge, or write 'none'") from None


_UNITS = {"": 1, "s": 1, "m": 60, "h": 3600, "d": 86400, "w": 604800}


_LEASE = re.compile(
    r"(\d{1,10})\s*(?:(s|m|h|d|w)|(s)ec(?:ond)?s?|(m)in(?:ute)?s?|(h)(?:ou)?rs?|(d)ays?|(w)eeks?)?"
).fullmatch


def read_lease(cell: str) -> int:
    """A lease as seconds: `8h`, `30m`, `1d`, `2w`, or a number of seconds."""
    match = _LEASE(cell.strip().casefold())
    if match is None:
        raise ValueError(f"{cell.strip()[:40]!r} is not a lease: write 8h, 1d, 30m or a number of seconds")
    seconds = int(match[1]) * _UNITS[match[match.lastindex or 1] if (match.lastindex or 1) > 1 else ""]
    if not 1 <= seconds <= MAX_LEASE:
        raise ValueError(f"A lease of {seconds} s is not permitted: write 1 to {MAX_LEASE} seconds")
    return seconds


def lease_text(seconds: int) -> str:
    """A lease as people write it."""
    for unit in ("d", "h", "m"):
        if seconds % _UNITS[unit] == 0:
            return f"{seconds // _UNITS[unit]}{unit}"
    return str(seconds)


def read_domain(cell: str) -> str:
    typed = cell.strip().removesuffix(".")
    if len(typed) > 253 or not re.fullmatch(r"(?:[A-Za-z0-9_][A-Za-z0-9_-]{0,62})(?:\.[A-Za-z0-9_-]{1,63})*", typed):
        raise ValueError(f"{typed[:60]!r} is not a domain name: write letters, digits and hyphens between dots")
    return typed


def read_excluded(cell: str) -> list[tuple[str, Span]]:
    parts = [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]
    return [(part, parse_range(part)) for part in _at_most(256, parts)]


def read_networks(cell: str) -> list[tuple[str, Network, Address]]:
    parts = [part.strip() for part in re.split(r"[;,]", cell) if part.strip()]
    return [(part, *parse_network(part)) for part in _at_most(32, parts)]


read_vlan = whole(1, 4094, "VLAN")


# --- Fields of a plan ------------------------------------------------------------------------------------


class Understood(NamedTuple):
    """What typed text comes to: a JSON Patch on the plan, and a sentence that says it back."""

    operations: list[dict[str, Any]]
    echo: str


def understand(plan: SitePlan, path: str, text: str) -> Understood:
    """Read what was typed into the field at a path of the plan; empty text means "not known".

    Addresses may be short inside a known subnet (`.20`), ranges are read as `.20-.199` or `.20 + 180`, a new
    subnet may be only a mask (`/25`), and takes gateway, range, hosts and resolvers along at their offsets.
    Raises `ValueError` with a sentence, also for a field that is not there.
    """
    typed = text.strip()
    if len(typed) > 1_000:
        raise ValueError(f"It is {len(typed)} characters long: at most 1000 are read")
    parts = path.split("/")[1:]
    if len(parts) == 1 and parts[0] in _SITE_FIELDS:
        return _simple(path, typed, _SITE_FIELDS[parts[0]])
    if len(parts) < 3:
        raise ValueError(f"There is no field {path!r}")
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
        raise ValueError("It has been removed by somebody else")
    if kind == "circuits":
        return _circuit_field(plan, path, key, field, typed)
    if kind == "segments":
        return _segment_field(plan, path, key, field, typed)
    if kind == "devices":
        return _device_field(plan, path, key, field, typed)
    if kind in ("wireless", "slots"):
        return _simple(path, typed, _field(_WIRELESS_FIELDS if kind == "wireless" else _SLOT_FIELDS, field, path))
    subnet = plan.segments[plan.hosts[key].segment].subnet
    readers: dict[str, Callable[[str], Any]] = {
        "name": _needed(text_of(80)),
        "kind": text_of(200),
        "address": lambda cell: parse_near(cell, subnet),
        "mac": parse_mac,
        "method": _needed(choice(Method)),
    }
    return _simple(path, typed, _field(readers, field, path))


def _field(readers: dict[str, Callable[[str], Any]], field: str, path: str) -> Callable[[str], Any]:
    if field not in readers:
        raise ValueError(f"There is no field {path!r}")
    return readers[field]


def _set(path: str, value: Any) -> dict[str, Any]:
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
        return Understood([_set(path, blank)], "empty: not known yet")
    value = _plain(read(typed))
    echo = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    if isinstance(value, dict):
        echo = "; ".join(f"option {number}: {text}" for number, text in value.items())
    return Understood([_set(path, value)], echo or "none")


def _needed(read: Callable[[str], Any]) -> Callable[[str], Any]:
    def reading(cell: str) -> Any:
        if not cell:
            raise ValueError("It cannot be empty: write something, or press Escape to put it back")
        return read(cell)

    reading.needed = True  # type: ignore[attr-defined]
    return reading


_LIST_FIELDS = frozenset({"resolvers", "routed_blocks", "excluded", "macs", "time_servers", "forwarders"})
_MAP_FIELDS = frozenset({"options"})

_SITE_FIELDS: dict[str, Callable[[str], Any]] = {
    "name": text_of(200),
    "street": text_of(200),
    "time_zone": read_time_zone,
    "ship_date": read_date,
    "contact": text_of(200),
    "technician": text_of(200),
    "reach_groups": read_groups,
}


def _circuit_field(plan: SitePlan, path: str, key: str, field: str, typed: str) -> Understood:
    circuit = plan.circuits[key]
    if field == "address" and typed:
        address, prefix = read_address_and_mask(typed)
        operations = [_set(path, str(address))]
        if prefix is not None:
            operations.append(_set(f"/circuits/{key}/prefix", prefix))
        return Understood(operations, str(address) if prefix is None else _masked(address, prefix))
    if field == "prefix" and typed:
        prefix = read_mask_for(typed, circuit.anchor)
        return Understood([_set(path, prefix)], _masked(circuit.anchor, prefix) if circuit.anchor else f"/{prefix}")
    if field.startswith("uses/"):
        address = parse_address(field.removeprefix("uses/"))
        if not typed:
            gone = [{"op": "remove", "path": path}] if str(address) in circuit.uses else []
            return Understood(gone, f"{address} is free")
        return Understood([_set(path, text_of(200)(typed))], f"{address}: {typed}")
    readers: dict[str, Callable[[str], Any]] = {
        "label": _needed(text_of(80)),
        "handoff": choice(Handoff),
        "address": parse_address,
        "prefix": parse_mask,
        "gateway": lambda cell: parse_near(cell, circuit.subnet),
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


def _segment_field(plan: SitePlan, path: str, key: str, field: str, typed: str) -> Understood:
    segment = plan.segments[key]
    subnet = segment.subnet
    if field == "subnet" and typed:
        return _move(plan, key, _read_subnet(typed, subnet))
    if field == "scope" and typed:
        span = parse_range(typed, subnet)
        base = f"/segments/{key}/scope"
        operations = [_set(f"{base}/first", str(span.first)), _set(f"{base}/last", str(span.last))]
        if segment.scope.server == "none":
            operations.append(_set(f"{base}/server", "edge"))
        return Understood(operations, f"{span.first} to {span.last}, {_many(span.size, 'address', 'addresses')}")
    if field == "scope":
        base = f"/segments/{key}/scope"
        operations = [_set(f"{base}/first", None), _set(f"{base}/last", None), _set(f"{base}/excluded", [])]
        return Understood(operations, "no range")
    if field == "scope/excluded" and typed:
        spans = [parse_range(part, subnet) for part in re.split(r"[;,]", typed) if part.strip()]
        spans = [span if span.size else Span(span.last, span.first) for span in spans]
        return Understood([_set(path, [span.typed for span in spans])], ", ".join(map(str, spans)))
    if field == "scope/server":
        value = _plain(read_server(typed)) if typed else "edge"
        said = {"edge": "the edge serves it", "none": "nobody serves it"}.get(value, f"served by {value}")
        return Understood([_set(path, value)], said)
    readers: dict[str, Callable[[str], Any]] = {
        "label": _needed(text_of(80)),
        "role": _needed(choice(Role)),
        "vlan": read_vlan,
        "vrf": _needed(text_of(80)),
        "reach": choice(Reach),
        "subnet": parse_network,
        "gateway": lambda cell: parse_near(cell, subnet),
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


def _read_subnet(typed: str, before: Network | None) -> Network:
    if before is not None and "." not in typed.removeprefix("/").split("/")[0] and ":" not in typed:
        return Network.holding(before.first, parse_mask(typed, before.family))
    if before is not None and re.fullmatch(r"/?\s*255\..*", typed):
        return Network.holding(before.first, parse_mask(typed))
    return parse_network(typed)[0]


def _move(plan: SitePlan, key: str, subnet: Network) -> Understood:
    """Give a segment another subnet; what lies inside the old one keeps its offset where it fits."""
    segment, before = plan.segments[key], plan.segments[key].subnet
    base = f"/segments/{key}"
    operations = [_set(f"{base}/subnet", str(subnet))]
    size = f"{subnet}, mask {subnet.mask}, {_many(subnet.usable.size, 'usable address', 'usable addresses')}"
    if before is None or before.family != subnet.family or before.first == subnet.first:
        return Understood(operations, size)
    shift = subnet.value - before.value

    def moved(address: Address) -> Address:
        if not before.holds(address) or address.value - before.value >= subnet.size:
            return address
        return address.plus(shift)

    def carry(path: str, address: Address | None) -> bool:
        if address is None or moved(address) == address:
            return False
        operations.append(_set(path, str(moved(address))))
        return True

    along = ["gateway"] if carry(f"{base}/gateway", segment.gateway) else []
    scope = segment.scope
    ends = [carry(f"{base}/scope/{end}", address) for end, address in (("first", scope.first), ("last", scope.last))]
    if any(ends):
        along.append("range")
    if scope.excluded:
        spans = [Span(moved(span.first), moved(span.last)).typed for span in scope.excluded]
        operations.append(_set(f"{base}/scope/excluded", spans))
    if segment.resolvers:
        resolvers = [str(moved(item)) if isinstance(item, Address) else item for item in segment.resolvers]
        operations.append(_set(f"{base}/resolvers", resolvers))
    hosts = [carry(f"/hosts/{name}/address", host.address) for name, host in plan.hosts.items() if host.segment == key]
    if any(hosts):
        along.append(_many(sum(hosts), "host", "hosts"))
    if along:
        size += f"; {_and(along)} {'move' if len(along) > 1 or sum(hosts) > 1 else 'moves'} along"
    return Understood(operations, size)


def _many(number: int, one: str, many: str) -> str:
    return f"{number:,} {one if number == 1 else many}"


def _and(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


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
        return Understood([_set(path, {"ends": ends})], f"ends {ends}" if ends else "has no end")
    if part == "gateway":
        home = next((plan.segments[k].subnet for k in plan.devices[key].addresses if k in plan.segments), None)
        host = plan.hosts.get(plan.devices[key].host or "")
        subnet = plan.segments[host.segment].subnet if host else home
        return _simple(path, typed, lambda cell: parse_near(cell, subnet))
    return _simple(path, typed, _field(_DEVICE_FIELDS, field, path))


def read_options(cell: str) -> dict[str, str]:
    """DHCP options as `66 10.40.8.9; 42 = 192.0.2.123`: number (RFC 2132) and value."""
    options: dict[str, str] = {}
    for part in [part.strip() for part in cell.split(";") if part.strip()]:
        match = re.fullmatch(r"(?:option\s*)?(\d{1,3})\s*[\s:=]\s*(\S.*)", part, re.IGNORECASE)
        if match is None or not 1 <= int(match[1]) <= 254:
            raise ValueError(
                f"{part[:60]!r} is not an option: write its number (1 to 254) and value, such as 66 10.40.8.9"
            )
        options[str(int(match[1]))] = text_of(200)(match[2])
    if len(options) > 64:
        raise ValueError(f"{len(options)} options are given: at most 64 are kept")
    return options


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
        raise ValueError(
            f"{name[:60]!r} is no host name (RFC 1123): write letters, digits and hyphens, such as dock-edge"
        )
    return name


def read_ssid(cell: str) -> str:
    name = cell.strip()
    if len(name.encode()) > 32:
        raise ValueError(f"A Wi-Fi name has at most 32 bytes, this one {len(name.encode())}: shorten it")
    if not name.isprintable():
        raise ValueError("It holds characters that cannot be printed: type it again")
    return name


def read_country(cell: str) -> str:
    code = cell.strip().upper()
    if not re.fullmatch(r"[A-Z]{2}", code):
        raise ValueError(f"{cell.strip()[:20]!r} is no country code: write two letters (ISO 3166-1), such as GB")
    return code


def read_yes(cell: str) -> bool:
    answer = {"yes": True, "true": True, "no": False, "false": False}.get(cell.strip().casefold())
    if answer is None:
        raise ValueError(f"{cell.strip()[:20]!r} is neither yes nor no: write one of the two")
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
