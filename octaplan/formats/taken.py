"""What comes of reading intake tables: plans, and every cell that was not taken as it stood."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from octaplan.core.plan.site import SitePlan
from octaplan.formats.compact import Packed
from octaplan.formats.tables import NAMING_COLUMNS, column_key


class CellFault(NamedTuple):
    """One cell that could not be read."""

    column: str
    value: str
    problem: str


class RefusedRow(NamedTuple):
    """A row that was not taken, kept whole."""

    table: str
    file: str
    row: int
    header: list[str]
    cells: list[str]
    faults: list[CellFault]


class Correction(NamedTuple):
    """A cell that was taken as something a little different."""

    file: str
    row: int
    column: str
    value: str
    became: str


class IgnoredColumn(NamedTuple):
    """A column that is not known."""

    file: str
    column: str


def refusal_as_plain(row: RefusedRow) -> list[Any]:
    return [*row[:5], [list(fault) for fault in row.faults]]


def refusal_of_plain(plain: list[Any]) -> RefusedRow:
    table, file, row, header, cells, faults = plain
    return RefusedRow(table, file, row, header, cells, [CellFault(*fault) for fault in faults])


@dataclass(slots=True)
class Intake:
    """What came of reading tables: the plans of all sites they name, and what was not taken as it stood.

    `secrets` are for the safe and for nothing else, by site key and path of the slot.
    """

    plans: dict[str, SitePlan] = field(default_factory=dict)
    secrets: dict[tuple[str, str], str] = field(default_factory=dict, repr=False)
    refused: Packed[RefusedRow] = field(default_factory=lambda: Packed(refusal_as_plain, refusal_of_plain))
    corrected: Packed[Correction] = field(default_factory=lambda: Packed(list, lambda plain: Correction(*plain)))
    ignored_columns: list[IgnoredColumn] = field(default_factory=list)
    taken: set[tuple[str, ...]] = field(default_factory=set)


def row_key(table: str, header: Sequence[str], cells: Sequence[str]) -> tuple[str, ...]:
    """What a row is about: its table and the cells that name it, in any case."""
    places = {column_key(name): place for place, name in enumerate(header)}
    named = (places.get(column_key(name), len(cells)) for name in NAMING_COLUMNS[table])
    return (table, *(cells[place].strip().casefold() if place < len(cells) else "" for place in named))


def key_text(table: str, header: Sequence[str], cells: Sequence[str]) -> str:
    """The same as one text."""
    return "\x1f".join(row_key(table, header, cells))[:300]
