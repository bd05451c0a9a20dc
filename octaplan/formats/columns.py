"""The columns of the intake tables: how a cell of each is read, and what it holds in words.

A column that shows one field of the plan follows from the field's entry; the others name the row, say a field in
another way, or belong to the safe.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import NamedTuple

from octaplan.core.plan.fields import FIELDS, PlanField
from octaplan.core.plan.passwords import read_password
from octaplan.core.values.readers import Reader, read_code, text_of
from octaplan.formats.tables import column_key


class TableColumn(NamedTuple):
    """One column. `plain` when a cell, once read, is the value of the field."""

    read: Reader
    note: str = ""
    field: PlanField | None = None
    plain: bool = False

    @property
    def choices(self) -> tuple[str, ...]:
        """The values a cell can have, where they are few."""
        return tuple(self.field.choices) if self.field is not None else ()


#: What stands before the columns of fields, and names the row.
_NAMING = {
    "sites": {
        "customer": TableColumn(read_code, "code of the customer, without a slash"),
        "site": TableColumn(read_code, "code of the site, unique within the customer"),
    },
    "circuits": {
        "customer": TableColumn(read_code),
        "site": TableColumn(read_code),
        "circuit": TableColumn(text_of(80), "label, unique at the site"),
    },
    "segments": {
        "customer": TableColumn(read_code),
        "site": TableColumn(read_code),
        "segment": TableColumn(text_of(80), "label, unique at the site"),
    },
    "hosts": {
        "customer": TableColumn(read_code),
        "site": TableColumn(read_code),
        "segment": TableColumn(text_of(80), "label of a segment of the site"),
        "name": TableColumn(text_of(80), "unique in the segment"),
    },
}

#: Columns that show no field of their own, by the column they stand behind.
_BESIDE = {
    ("circuits", "pppoe_user"): (
        "pppoe_password",
        TableColumn(
            read_password, "goes into the safe and nowhere else: not into the plan, a report or an exported table"
        ),
    ),
    ("segments", "dhcp_last"): (
        "dhcp_count",
        TableColumn(str.strip, "instead of `dhcp_last`: how many addresses"),
    ),
}


def _columns(table: str) -> dict[str, TableColumn]:
    columns = dict(_NAMING[table])
    for field in FIELDS["site" if table == "sites" else table].values():
        if field.column is None:
            continue
        name = field.column.name or field.name
        read = field.column.read or field.read
        if field.column.repeats:
            read = lru_cache(2_000)(read)
        columns[name] = TableColumn(read, field.column.note, field, plain=field.column.read is None)
        if (table, name) in _BESIDE:
            beside, column = _BESIDE[table, name]
            columns[beside] = column
    return columns


#: For each table its columns, in the order they are written.
COLUMNS: Mapping[str, Mapping[str, TableColumn]] = {table: _columns(table) for table in _NAMING}

#: Columns whose cells are kept in the safe only: never in a plan, a report or a table that is written.
SECRET_COLUMNS = frozenset({column_key("pppoe_password")})
