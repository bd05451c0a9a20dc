"""Rows of hosts that hold nothing unusual, since a workbook may have half a million of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from operator import itemgetter
from typing import Any, NamedTuple

from octaplan.core.plan.site import MAX_HOSTS, Attachment, Host, Method, new_id
from octaplan.core.values.addresses import parse_address, parse_mac
from octaplan.core.values.errors import OctaplanError, TypedError
from octaplan.core.values.readers import read_code, text_of
from octaplan.formats.tables import Row, Table


class HostPlace(NamedTuple):
    """Where hosts go: the site's hosts, the segment, ids by name (and the label under ""), rows by folded name."""

    hosts: dict[str, Host]
    segment: str
    ids: dict[str, str]
    seen: dict[str, int]


_ATTACHED = {"": Attachment.CABLE} | {str(one): one for one in Attachment}
_METHODS = {"": Method.STATIC, "static": Method.STATIC, "reserved": Method.RESERVED}


class QuickHosts:
    """Rows of hosts that hold nothing unusual, taken without ceremony, since there are half a million of them.

    A row that it does not take is left to the usual way, which says what is wrong with it.
    """

    def __init__(
        self, where: Callable[[str, str, str], HostPlace | None], table: Table, places: Mapping[str, int]
    ) -> None:
        self._where = where
        self._width = len(table.header)
        self._at = places
        self._owner = itemgetter(*(self._at[name] for name in ("customer", "site", "segment")))
        self._places: dict[tuple[str, str, str], HostPlace | None] = {}
        self._names: dict[str, tuple[str, str] | None] = {}
        self._kinds: dict[str, str] = {}
        self._ids: dict[str, dict[str, str]] = {}  # by label and name, since sites are much alike

    def take(self, row: Row) -> bool:
        number, cells = row
        if len(cells) != self._width:
            return False
        at, owner = self._at, self._owner(cells)
        place = self._places.get(owner) or self._placed(owner)
        typed = cells[at["name"]]
        name = self._names.get(typed) or self._named(typed)
        if place is None or name is None or ("address6" in at and cells[at["address6"]]):
            return False
        hosts, segment, ids, seen = place
        text, folded = name
        if folded in seen or len(hosts) >= MAX_HOSTS:
            return False
        try:
            address = cells[at["address"]] if "address" in at else ""
            mac = cells[at["mac"]] if "mac" in at else ""
            kind = cells[at["kind"]] if "kind" in at else ""
            values = {
                "segment": segment,
                "name": text,
                "kind": (self._kinds.get(kind) or self._kind(kind)) if kind else None,
                "address": parse_address(address) if address else None,
                "mac": parse_mac(mac) if mac else None,
                "method": _METHODS[cells[at["method"]]] if "method" in at else Method.STATIC,
                "attached": _ATTACHED[cells[at["attached"]]] if "attached" in at else Attachment.CABLE,
                "address6": None,
            }
        except (OctaplanError, KeyError):
            return False
        seen[folded] = number
        key = ids.get(text)
        if key is None or key in hosts:
            key = ids[text] = new_id(f"host {ids['']} {text}", hosts)
        hosts[key] = _host(values)
        return True

    def _named(self, typed: str) -> tuple[str, str] | None:
        name = self._names[typed] = _quick_name(typed)
        return name

    def _placed(self, owner: tuple[str, str, str]) -> HostPlace | None:
        if owner not in self._places:
            self._places[owner] = self._place(owner)
        return self._places[owner]

    def _place(self, owner: tuple[str, str, str]) -> HostPlace | None:
        """The site and segment that a row names."""
        try:
            customer, site, label = read_code(owner[0]), read_code(owner[1]), _LABEL(owner[2])
        except OctaplanError:
            return None
        place = self._where(customer, site, label) if label else None
        return place._replace(ids=self._ids.setdefault(label, {"": label})) if place else None

    def _kind(self, cell: str) -> str:
        kind = self._kinds.get(cell)
        if kind is None:
            if cell.isspace():
                raise TypedError("It is blank")
            kind = self._kinds[cell] = _KIND(cell)
        return kind


_LABEL, _KIND = text_of(80), text_of(200)
_PLAIN_NAME = re.compile(r"[!-~]+(?: [!-~]+)*").fullmatch


def _quick_name(cell: str) -> tuple[str, str] | None:
    """A plain name with how it is compared; nothing for one that has to be looked at."""
    return (cell, cell.casefold()) if len(cell) <= 80 and _PLAIN_NAME(cell) else None


_FIELDS_SET = set(Host.model_fields)


def _host(values: dict[str, Any]) -> Host:
    """A host of values that are known to be right, in the order of its fields. What pydantic's `model_construct`
    does, without its search for defaults and aliases, and with one set of names for all of them."""
    host = Host.__new__(Host)
    for slot, value in (
        ("__dict__", values),
        ("__pydantic_fields_set__", _FIELDS_SET),
        ("__pydantic_extra__", None),
        ("__pydantic_private__", None),
    ):
        object.__setattr__(host, slot, value)
    return host
