"""What people type into a field of a plan, understood by where it stands: short addresses, `/25`, `next`, `leave 20`.

What needs no plan to be read is left to the readers of `values/readers.py`, by the field's entry in `plan/fields.py`.
"""

from __future__ import annotations

import re
from collections.abc import Container
from datetime import date
from typing import Any, NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.boxes import interfaces, is_gateway, named, own_address
from octaplan.core.plan.fields import FIELDS, PlanField
from octaplan.core.plan.patch import set_to
from octaplan.core.plan.renumber import renumber
from octaplan.core.plan.site import SitePlan
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
    Network,
    Span,
    parse_address,
    parse_mask,
    parse_near,
    parse_network,
    parse_range,
)
from octaplan.core.values.days import read_day
from octaplan.core.values.errors import TypedError
from octaplan.core.values.readers import (
    Reader,
    lease_text,
    read_address_and_mask,
    read_ipv6,
    read_ipv6_network,
    read_kept,
    read_lease,
    read_mask_for,
    read_segment_number,
    read_server,
    text_of,
)


class Understood(NamedTuple):
    """What typed text comes to: a JSON Patch on the plan, and a sentence that says it back."""

    operations: list[dict[str, Any]]
    echo: str


def understand(plan: SitePlan, path: str, text: str, portfolio: Portfolio | None = None) -> Understood:
    """Read what was typed into the field at a path of the plan; empty text means "not known".

    Addresses may be short inside a known subnet (`.20`), ranges are read as `.20-.199` or `.20 + 180`, a new
    subnet may be only a mask (`/25`), and takes gateway, range, hosts and resolvers along at their offsets.
    With a portfolio, `next`, `next /25`, `first`, `last`, `leave 20` and `40 clients` take what is free.
    Raises `OctaplanError` with a sentence, also for a field that is not there.
    """
    portfolio = portfolio or Portfolio([plan])
    typed = text.strip()
    if len(typed) > 1_000:
        raise TypedError(f"It is {len(typed)} characters long: at most 1000 are read")
    parts = path.split("/")[1:]
    if len(parts) == 1:
        if parts[0] == "ship_date" and typed:
            day = _day(typed)
            return Understood([set_to(path, str(day))], f"{day:%a} {day}")
        return _simple(path, typed, _field("site", parts[0], path))
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
    if kind == "hosts":
        return _host_field(plan, path, key, field, typed, portfolio)
    if kind == "devices":
        return _device_field(plan, path, key, field, typed)
    return _simple(path, typed, _field(kind, field, path))


def _day(typed: str) -> date:
    """A day as people write it, counted from today's at the server."""
    return read_day(typed, date.today())  # noqa: DTZ011  (a day on a calendar, in the zone where the service runs)


def _field(kind: str, name: str, path: str) -> PlanField:
    field = FIELDS[kind].get(name)
    if field is None or not field.typed:
        raise TypedError(f"There is no field {path!r}")
    return field


def _plain(value: Any) -> Any:
    if isinstance(value, list):
        return [_plain(item) for item in value]
    if isinstance(value, Span):
        return value.typed
    if isinstance(value, dict):
        return value
    return value if value is None or isinstance(value, int | bool | str) else str(value)


def _simple(path: str, typed: str, field: PlanField, read: Reader | None = None) -> Understood:
    """What one value comes to; `read` is given where it is understood by its surroundings."""
    if not typed:
        if field.needed:
            raise TypedError("It cannot be empty: write something, or press Escape to put it back")
        said = "empty: not known yet" if field.empty is None else "empty: none"
        return Understood([set_to(path, field.empty)], said)
    value = _plain((read or field.read)(typed))
    if value in ([], {}) and not typed.strip(" ,;\t"):
        raise TypedError(f"{typed!r} holds nothing but separators: write a value, or leave it empty")
    echo = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    if isinstance(value, dict):
        echo = "; ".join(f"option {number}: {text}" for number, text in value.items())
    return Understood([set_to(path, value)], echo or "none")


def _circuit_field(plan: SitePlan, path: str, key: str, field: str, typed: str) -> Understood:
    circuit = plan.circuits[key]
    if field == "address" and typed:
        short, beside = re.match(r"\.\d{1,3}(?![\d.])", typed), circuit.subnet or _around(circuit.gateway)
        if short is not None and beside is not None:
            typed = f"{parse_near(short[0], beside)}{typed[short.end() :]}"
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
    near: dict[str, Reader] = {"gateway": lambda cell: parse_near(cell, circuit.subnet)}
    return _simple(path, typed, _field("circuits", field, path), near.get(field))


def _around(address: Address | None) -> Network | None:
    """Where a short address lies while no mask is known: beside another one."""
    return None if address is None or address.family != 4 else Network.holding(address, 24)


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
    if field in ("gateway", "gateway6") and typed.casefold() in ("first", "last"):
        within = subnet if field == "gateway" else segment.subnet6
        if within is None:
            raise TypedError(f"{segment.label} has no subnet yet, of which it could be the {typed.casefold()} address")
        end = within.usable.first if typed.casefold() == "first" else within.usable.last
        return Understood([set_to(path, str(end))], f"{end}, the {typed.casefold()} usable address")
    if field == "kept" and typed:
        runs = read_kept(typed, subnet)
        return Understood([set_to(path, runs)], _kept_text(runs))
    if field == "scope" and typed:
        span = _wanted_range(plan, key, typed, portfolio) or parse_range(typed, subnet)
        base = f"/segments/{key}/scope"
        operations = [set_to(f"{base}/first", str(span.first)), set_to(f"{base}/last", str(span.last))]
        nobody = "; nobody serves it" if segment.scope.server == "none" else ""
        echo = f"{span.first} to {span.last}, {_many(span.size, 'address', 'addresses')}{nobody}"
        return Understood(operations, echo)
    if field == "scope":
        base = f"/segments/{key}/scope"
        operations = [set_to(f"{base}/first", None), set_to(f"{base}/last", None), set_to(f"{base}/excluded", [])]
        return Understood(operations, "no range")
    if field == "scope/excluded" and typed:
        spans = [parse_range(part, subnet) for part in re.split(r"[;,]", typed) if part.strip()]
        spans = [span if span.size else Span(span.last, span.first) for span in spans]
        return Understood([set_to(path, [span.typed for span in spans])], ", ".join(map(str, spans)) or "none")
    if field == "scope/server":
        value = _server_called(plan, key, typed) or (_plain(read_server(typed)) if typed else "edge")
        said = {"edge": "the edge serves it", "none": "nobody serves it"}.get(value, f"served by {value}")
        return Understood([set_to(path, value)], said)
    near: dict[str, Reader] = {
        "gateway": lambda cell: parse_near(cell, subnet),
        "gateway6": lambda cell: read_ipv6(str(parse_near(cell, segment.subnet6))),
    }
    understood = _simple(path, typed, _field("segments", field, path), near.get(field))
    if field == "scope/lease" and typed:
        return understood._replace(echo=f"{lease_text(read_lease(typed))}, {read_lease(typed):,} seconds")
    return understood


def _kept_text(runs: list[dict[str, str]]) -> str:
    return "; ".join(f"{keep['run'].replace('-', '–')} for {keep['kind']}" for keep in runs) or "none"


def _host_field(plan: SitePlan, path: str, key: str, field: str, typed: str, portfolio: Portfolio) -> Understood:
    host = plan.hosts[key]
    segment = plan.segments[host.segment]
    if field in ("address", "address6") and typed.casefold() == "next":
        free = next_address(plan, host.segment, field, portfolio, host.kind, key)
        return Understood([set_to(path, str(free))], f"{free}, the next free address")
    near: dict[str, Reader] = {
        "address": lambda cell: parse_near(cell, segment.subnet),
        "address6": lambda cell: read_ipv6(str(parse_near(cell, segment.subnet6))),
    }
    return _simple(path, typed, _field("hosts", field, path), near.get(field))


def next_address(
    plan: SitePlan, key: str, field: str, portfolio: Portfolio, kind: str | None, but: str | None = None
) -> Address:
    """The next free address of a segment for the field `address` or `address6` of a host. Raises `TypedError`."""
    segment = plan.segments[key]
    subnet = segment.subnet if field == "address" else segment.subnet6
    if subnet is None:
        raise TypedError(f"{segment.label} has no subnet yet, in which an address could be free")
    free = next_host(plan, key, portfolio.organisation, kind, but, subnet)
    if free is None:
        raise TypedError(f"{segment.label} has no free address for it: widen the subnet")
    return free


def read_wanted_subnet(plan: SitePlan, key: str, text: str, portfolio: Portfolio) -> Network:
    """A subnet for a segment as people say it: whole, only a mask (`/25`), `next` or `next /25`."""
    typed = text.strip()
    return _next_subnet(plan, key, typed, portfolio) or _read_subnet(typed, plan.segments[key].subnet)


def _server_called(plan: SitePlan, segment: str, typed: str) -> str | None:
    """Who serves DHCP, when a box or host of the site is called so: the edge, or the address it has there.

    Raises `TypedError` when it has none.
    """
    name = typed.casefold()
    for device in plan.devices.values():
        if name not in ((device.name or "").casefold(), named(device).casefold()) or not name:
            continue
        if is_gateway(plan, device, segment):
            return "edge"
        known = [i.address for i in interfaces(plan, device) if i.owner.startswith("/segments/")]
        address = own_address(plan, device, segment) or next(iter(known), None)
        if address is None:
            raise TypedError(f"{typed} has no address yet: give it one on Devices, or write the address of the server")
        return str(address)
    for host in plan.hosts.values():
        if host.name.casefold() == name and host.address is not None:
            return str(host.address)
    return None


def read_new_subnet(text: str) -> tuple[Network | None, int | None]:
    """A subnet for a segment that is not there yet: whole, or as large as a mask says (`/25`, `next /25`,
    `255.255.255.128`); neither when nothing is wanted. Raises `OctaplanError` with a sentence."""
    typed = text.strip()
    if typed.casefold() in ("", "next"):
        return None, None
    mask = re.fullmatch(r"(?:next\s*)?(/?\s*\d{1,2}|/?\s*255\.[\d.]+)", typed.casefold())
    return (None, parse_mask(mask[1])) if mask else (parse_network(typed)[0], None)


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
        near = plan.segments[inner].subnet
        return _simple(path, typed, FIELDS["devices"]["gateway"], lambda cell: parse_near(cell, near))
    if part == "licences" and inner:
        if not typed:
            gone = [{"op": "remove", "path": path}] if inner in plan.devices[key].licences else []
            return Understood(gone, "not recorded")
        ends = None if typed.casefold() in ("no end", "never") else str(_day(typed))
        return Understood([set_to(path, {"ends": ends})], f"ends {ends}" if ends else "has no end")
    if part == "gateway":
        home = next((plan.segments[k].subnet for k in plan.devices[key].addresses if k in plan.segments), None)
        host = plan.hosts.get(plan.devices[key].host or "")
        subnet = plan.segments[host.segment].subnet if host else home
        return _simple(path, typed, _field("devices", field, path), lambda cell: parse_near(cell, subnet))
    return _simple(path, typed, _field("devices", field, path))
