"""Hosts of a segment from rows that were copied out of a spreadsheet or a letter: one host a row, nothing saved.

Columns may come in any order, with or without a head, parted by tabs, semicolons, commas or only blanks. What a column
holds is told by its head, else by the shape of its cells. What cannot be read is refused row by row, with the reason.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.fields import FIELDS
from octaplan.core.plan.patch import set_to
from octaplan.core.plan.site import MAX_HOSTS, Host, Segment, SitePlan, new_id
from octaplan.core.propose.typed import next_address
from octaplan.core.values.addresses import MAC_TEXT, parse_near
from octaplan.core.values.errors import OctaplanError, TypedError
from octaplan.core.values.readers import read_ipv6

#: The most rows and characters that are read at once.
MOST_ROWS = 2_000
LONGEST_ROWS = 200_000

#: What columns are called, by the field they fill.
_HEADS = {
    "name": ("name", "host", "hostname", "device", "devicename", "what", "description"),
    "address": ("address", "ip", "ipaddress", "ipv4", "ipv4address", "fixedaddress"),
    "address6": ("address6", "ipv6", "ipv6address"),
    "mac": ("mac", "macaddress", "hardwareaddress", "physicaladdress", "ethernet"),
    "kind": ("kind", "type", "kindofhost", "sort", "group"),
    "method": ("method", "howitgetsit", "how", "assignment", "assigned"),
}
_FIELD_OF_HEAD = {head: field for field, heads in _HEADS.items() for head in heads}

_SHAPES = {
    "mac": re.compile(rf"{MAC_TEXT}|[0-9A-Fa-f]{{12}}"),
    "address": re.compile(r"\.?\d{1,3}(?:\.\d{1,3}){1,3}|\.\d{1,3}|next", re.IGNORECASE),
    "address6": re.compile(r"(?=.*:.*:|:)[0-9A-Fa-f:]{2,39}"),
    "method": re.compile(r"static|reserved", re.IGNORECASE),
}


class HostRow(NamedTuple):
    """One row: the host as it would be, under its id, and why it is not taken, if it is not. `number` counts lines
    from 1."""

    number: int
    text: str
    values: dict[str, str]
    known: bool
    problem: str
    host: str = ""


class HostRows(NamedTuple):
    """What rows come to: each of them, the change they make, what each column was taken for, and lines not read."""

    rows: list[HostRow]
    operations: list[dict[str, Any]]
    columns: list[str]
    left: list[str]


def read_host_rows(portfolio: Portfolio, plan: SitePlan, key: str, text: str) -> HostRows:
    """Read rows into hosts of the segment `key`; a row that names a host which is there changes that host.

    Raises `TypedError` when there is more than is read at once.
    """
    if len(text) > LONGEST_ROWS:
        raise TypedError(f"It is {len(text):,} characters long: at most {LONGEST_ROWS:,} are read at once")
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) > MOST_ROWS:
        raise TypedError(f"It has {len(lines):,} rows: at most {MOST_ROWS:,} are read at once")
    cells = _parted([line for _, line in lines])
    head = _head(cells[0]) if cells else None
    columns = head or _by_shape(cells)
    body = list(zip(lines, cells, strict=True))[1 if head else 0 :]
    unread = [cell for cell, field in zip(cells[0], head, strict=True) if cell and not field] if head else []
    left = [f"The column {name!r} is not read: {', '.join(_HEADS)} are" for name in unread]
    reading = _Reading(portfolio, plan, key)
    rows = [reading.row(number, line, columns, row) for (number, line), row in body]
    return HostRows(rows, reading.operations, [field for field in columns if field], left)


def _parted(lines: list[str]) -> list[list[str]]:
    """The cells of lines, by the sign that parts most of them; where none does, MAC and address are picked out."""
    if not lines:
        return []
    for delimiter in ("\t", ";", ","):
        if sum(delimiter in line for line in lines) * 2 >= len(lines):
            return [_cells(line, delimiter) for line in lines]
    return [_picked(line) for line in lines]


def _cells(line: str, delimiter: str) -> list[str]:
    """The cells of one line; what stands in quotation marks may hold the sign that parts them (RFC 4180)."""
    cell = re.compile(rf' *(?:"((?:[^"]|"")*)" *|([^{delimiter}]*))(?:({delimiter})|$)')
    cells, at = [], 0
    while (found := cell.match(line, at)) is not None:
        quoted, plain, more = found.groups()
        cells.append((plain if quoted is None else quoted.replace('""', '"')).strip())
        if more is None:
            return cells
        at = found.end()
    return [line]


def _picked(line: str) -> list[str]:
    """Name, address and MAC of a line of words."""
    words = line.split()
    found = {"address": "", "mac": ""}
    for field, shape in (("mac", _SHAPES["mac"]), ("address", _SHAPES["address"])):
        word = next((word for word in words if shape.fullmatch(word)), "")
        if word:
            found[field] = word
            words.remove(word)
    return [" ".join(words), found["address"], found["mac"]]


def _head(row: Sequence[str]) -> list[str] | None:
    """What each column is by its name, when the row names columns."""
    fields = [_FIELD_OF_HEAD.get(re.sub(r"[\s_\-]", "", cell).casefold(), "") for cell in row]
    named = [field for field in fields if field]
    filled = sum(bool(cell) for cell in row)
    if "name" not in named or len(set(named)) < len(named) or len(named) * 2 < filled or filled < 2:
        return None
    return fields


def _by_shape(rows: list[list[str]]) -> list[str]:
    """What each column is by its cells: of those that hold words, the name is the one that repeats least."""
    width = max((len(row) for row in rows), default=0)
    columns = [[row[place] for row in rows if place < len(row) and row[place]] for place in range(width)]
    fields = [""] * width
    for place, column in enumerate(columns):
        for field, shape in _SHAPES.items():
            fits = sum(bool(shape.fullmatch(cell)) for cell in column)
            if column and fits * 2 > len(column) and field not in fields:
                fields[place] = field
                break
    words = [place for place in range(width) if not fields[place] and columns[place]]
    repeated = {place: len(columns[place]) - len(set(columns[place])) for place in words}
    for field, place in zip(("name", "kind"), sorted(words, key=lambda place: (repeated[place], place)), strict=False):
        fields[place] = field
    return fields


class _Reading:
    """Rows read one after the other, each as if those before had been taken."""

    def __init__(self, portfolio: Portfolio, plan: SitePlan, key: str) -> None:
        self.operations: list[dict[str, Any]] = []
        self._portfolio, self._plan, self._key = portfolio, plan, key
        self._segment: Segment = plan.segments[key]
        self._hosts: dict[str, Host] = dict(plan.hosts)
        here = ((host.name.casefold(), place) for place, host in plan.hosts.items() if host.segment == key)
        self._there = dict(reversed(list(here)))
        self._rows: dict[str, int] = {}

    def row(self, number: int, line: str, columns: list[str], cells: list[str]) -> HostRow:
        typed = {field: cell for field, cell in zip(columns, cells, strict=False) if field and cell}
        place = self._there.get(typed.get("name", "").casefold())
        try:
            if len(cells) > len(columns):
                raise TypedError("The row has more cells than the others: check for stray commas")
            values = self._read(typed, place)
        except OctaplanError as error:
            return HostRow(number, line, typed, place is not None, str(error))
        self._rows[values["name"].casefold()] = number
        host = self._take(values, place)
        told = {field: str(value) for field, value in values.items()}
        return HostRow(number, line, told, place is not None, "", host)

    def _read(self, typed: dict[str, str], place: str | None) -> dict[str, Any]:
        if "name" not in typed:
            raise TypedError("The row has no name: write what the host is called, such as printer 1")
        before = self._rows.get(typed["name"].casefold())
        if before is not None:
            raise TypedError(f"Row {before} already names {typed['name']}: keep one of the two")
        if place is None and len(self._hosts) >= MAX_HOSTS:
            raise TypedError(f"The site has {MAX_HOSTS:,} hosts already: no site plan holds more")
        near: dict[str, Callable[[str], Any]] = {
            "address": lambda cell: parse_near(cell, self._segment.subnet),
            "address6": lambda cell: read_ipv6(str(parse_near(cell, self._segment.subnet6))),
        }
        values = {}
        for field, cell in typed.items():
            if field in near and cell.casefold() == "next":
                draft = self._plan.model_copy(update={"hosts": self._hosts})
                values[field] = next_address(draft, self._key, field, self._portfolio, typed.get("kind"), place)
            else:
                values[field] = near.get(field, FIELDS["hosts"][field].read)(cell)
        return values

    def _take(self, values: dict[str, Any], place: str | None) -> str:
        """Add or change a host; its id."""
        if place is not None:
            host = self._hosts[place]
            changed = {field: value for field, value in values.items() if getattr(host, field) != value}
            self._hosts[place] = host.model_copy(update=changed)
            self.operations += [set_to(f"/hosts/{place}/{field}", _plain(value)) for field, value in changed.items()]
            return place
        fresh = new_id(f"host {self._segment.label} {values['name']}", self._hosts)
        self._hosts[fresh] = Host(segment=self._key, **values)
        self._there[values["name"].casefold()] = fresh
        added = {"segment": self._key, **{field: _plain(value) for field, value in values.items()}}
        self.operations.append(set_to(f"/hosts/{fresh}", added))
        return fresh


def _plain(value: Any) -> Any:
    return value if value is None or isinstance(value, str) else str(value)
