"""Values of a plan's document in words, for the sentences of revisions: never as a programmer would write them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from octaplan.core.plan.device import PLACES as DEVICE_PLACES

#: What is no member of a plan, and can be named where one can.
PLACE_WORDS = {**DEVICE_PLACES, "boxes": "the boxes"}

#: What members of a plan are called, by their ids.
Names = Mapping[str, str]
Values = Mapping[str, Any]

#: What the entries of maps inside a member are called.
_ENTRIES = {
    "addresses": "address in",
    "addresses6": "IPv6 address in",
    "routes": "route",
    "translations": "translation",
    "allows": "allow rule",
    "publications": "publication",
    "relays": "relay of",
    "access": "management access",
    "ports": "port",
    "licences": "licence",
}

#: What the parts of a port are called.
_PORT_PARTS = {
    "circuit": "circuit",
    "segment": "untagged",
    "tagged": "tagged",
    "bridge": "bridge",
    "enabled": "switched on",
    "gateway": "gateway",
    "peer": "cable leads to",
    "host": "host in it",
    "cable": "cable",
}


def entry_words(map_: str, key: str, names: Names) -> str:
    """What an entry of a map in a member is called: `port 2`, `address in Office`, `route`; without a key the map."""
    noun = _ENTRIES.get(map_) if key else None
    if noun is None:
        return (key or map_).replace("_", " ")
    if map_ in ("addresses", "addresses6", "relays"):
        return f"{noun} {_called(key, names)}"
    return f"{noun} {key}" if map_ in ("ports", "licences") else noun


def members(*documents: Values) -> dict[str, str]:
    """What the circuits, segments, hosts and boxes of documents are called, the first document's names first; also of
    documents that are no plans."""
    names: dict[str, str] = {}
    for document in documents:
        for kind in ("circuits", "segments", "hosts", "devices"):
            held = document.get(kind)
            for key, member in held.items() if isinstance(held, Mapping) else ():
                told = member if isinstance(member, Mapping) else {}
                names.setdefault(key, str(told.get("label") or told.get("name") or told.get("role") or key))
    return names


def value_words(value: Any, names: Names, map_: str = "") -> str:
    """A value in words; `map_` is the map inside a member that it is an entry of, if it is one."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        return _TOLD[map_](value, names) if map_ in _TOLD else _entry(value, names)
    if isinstance(value, list):
        return " ".join(value_words(one, names) for one in value)
    return _called(value, names) if map_ == "id" else str(value)


def _entry(value: Values, names: Names) -> str:
    if {"kind", "run"} <= value.keys():
        return f"{value['run']} for {value['kind']}"
    if {"key", "version"} <= value.keys():
        return f"{value['key']} version {value['version']}"
    return ", ".join(f"{key} {value_words(one, names)}" for key, one in value.items() if one not in (None, "", [], {}))


def port_parts(before: Values, after: Values, names: Names) -> Iterator[tuple[str, str, str]]:
    """What differs between two uses of a port of one mode: what it is called, and both values in words."""
    for part, called in _PORT_PARTS.items():
        was, now = (_port_part(use, part, names) for use in (before, after))
        if was != now:
            yield called, was, now


def _port_part(use: Values, part: str, names: Names) -> str:
    value = use.get(part)
    if part == "enabled":
        return "no" if value is False else "yes"
    if part == "peer":
        where = f"port {use['peer_port']} of " if use.get("peer_port") else ""
        return f"{where}{_called(value, names)}" if value else f"port {use['peer_port']}" if where else ""
    if part == "tagged":
        return ", ".join(_called(key, names) for key in value or [])
    return _called(value, names) if part in ("circuit", "segment", "host") else str(value or "")


def _called(key: Any, names: Names) -> str:
    return names.get(str(key), "something that is removed") if key else ""


def _port(use: Values, names: Names) -> str:
    mode = str(use.get("mode", "unused"))
    carried = [_called(use[part], names) for part in ("circuit", "segment") if use.get(part)]
    told = " ".join([mode, *carried])
    if use.get("tagged"):
        told += f"{' and' if use.get('segment') else ''} {_port_part(use, 'tagged', names)} tagged"
    extra = [f"{_PORT_PARTS[part]} {text}" for part in ("bridge", "gateway") if (text := _port_part(use, part, names))]
    into = _port_part(use, "peer", names) or _port_part(use, "host", names)
    off = ["off"] if use.get("enabled") is False else []
    return ", ".join([told, *extra, *([f"into {into}"] if into else []), *off])


def _route(route: Values, names: Names) -> str:
    by = f"by {_called(route['circuit'], names)}" if route.get("circuit") else ""
    by = " ".join(part for part in (f"via {route['via']}" if route.get("via") else "", by) if part) or "by nothing yet"
    metric = f", metric {route['metric']}" if route.get("metric", 1) != 1 else ""
    table = f", table {route['table']}" if route.get("table") else ""
    return f"{route.get('to')} {by}{metric}{table}"


def _translation(one: Values, names: Names) -> str:
    address = f" as {one['address']}" if one.get("address") else ""
    return f"{_called(one.get('segment'), names)} to {_called(one.get('circuit'), names)}{address}"


def _allow(one: Values, names: Names) -> str:
    ends = [PLACE_WORDS.get(str(one.get(end))) or _called(one.get(end), names) for end in ("source", "target")]
    return f"{ends[0]} to {ends[1]}, {one.get('service', 'any')}"


def _publication(one: Values, names: Names) -> str:
    outside = f"{one.get('address') or 'the own address'} of {_called(one.get('circuit'), names)}"
    port = f" at port {one['port']}" if one.get("port") else ""
    sources = f", for {' '.join(map(str, one['sources']))}" if one.get("sources") else ""
    return f"{one.get('service', 'any')} at {outside} to {_called(one.get('host'), names)}{port}{sources}"


def departure_words(one: Values, names: Names) -> str:
    """What is meant otherwise for a pair of places, and why."""
    ends = [PLACE_WORDS.get(str(one.get(end))) or _called(one.get(end), names) for end in ("source", "target")]
    meant = {"none": "closed", "any": "open"}.get(str(one.get("services")), one.get("services"))
    return f"{ends[0]} to {ends[1]} {meant} ({one.get('reason')})"


def _access(one: Values, names: Names) -> str:
    where = [_called(one["segment"], names)] if one.get("segment") else []
    return f"{one.get('service')} from {' '.join([*where, *map(str, one.get('networks') or [])]) or 'nowhere yet'}"


def _licence(one: Values, names: Names) -> str:
    return f"until {one['ends']}" if one.get("ends") else "without an end"


_TOLD: Mapping[str, Callable[[Values, Names], str]] = {
    "ports": _port,
    "routes": _route,
    "translations": _translation,
    "allows": _allow,
    "publications": _publication,
    "departures": departure_words,
    "access": _access,
    "licences": _licence,
}
