"""Rows of tables that have a column of passwords: what of them may be kept and shown."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from itertools import zip_longest
from typing import Any

from octaplan.core.plan.site import Handoff
from octaplan.formats.columns import SECRET_COLUMNS
from octaplan.formats.tables import NAMING_COLUMNS, Table, column_key
from octaplan.formats.taken import CellFault


def in_what_apart(header: Sequence[str], first: Sequence[str], second: Sequence[str]) -> str:
    """In what two rows for one thing differ, side by side."""
    pairs = zip_longest(header, first[: len(header)], second[: len(header)], fillvalue="")
    guarded = _has_secrets(header)
    told = [
        f"{name} {one.strip() or 'empty'} there, {other.strip() or 'empty'} here"
        if not guarded or (_plainly_none(one) and _plainly_none(other))
        else f"{name} is not the same"
        for name, one, other in pairs
        if one.strip() != other.strip() and column_key(name) not in SECRET_COLUMNS
    ]
    return f" ({'; '.join(told[:4])})" if told else ""


def _has_secrets(header: Sequence[str]) -> bool:
    return any(column_key(name) in SECRET_COLUMNS for name in header)


#: What is an address, a mask or a small number, or was meant as one: no password has this form.
_PLAIN = re.compile(
    r"[0-9]{0,5}|[0-9]{1,4}(\.[0-9]{0,4}){1,4}(/[0-9.]{1,15})?|(?=.*:.*:)[0-9a-f:]{2,39}(/[0-9]{1,3})?", re.I
)


def _plainly_none(cell: str) -> bool:
    """Whether a cell cannot hold a password that has come into another place than its own."""
    return all(_PLAIN.fullmatch(part) for part in re.split(r"[\s;,]+", cell.strip()))


def without_secrets(
    table: Table, cells: list[str], values: Mapping[str, Any], faults: list[CellFault]
) -> tuple[list[str], list[CellFault]]:
    """The cells and faults of a refused row as they may be kept and shown.

    A stray comma moves a password into another cell. Of a row of a table that has a column of passwords only those
    cells are kept that cannot hold one: the codes that name the row, words of a list, addresses and small numbers; all
    of them when the row is plainly one without a password.
    """
    if not _has_secrets(table.header):
        return cells, faults
    names = [column_key(name) for name in table.header]
    secret = [cell for name, cell in zip(names, cells, strict=False) if name in SECRET_COLUMNS and cell.strip()]
    handoff = values.get("handoff")
    if not secret and len(cells) <= len(names) and handoff not in (None, Handoff.PPPOE):
        return cells, faults
    wrong = {column_key(fault.column) for fault in faults}
    known = {column_key(name) for name in NAMING_COLUMNS[table.name]} | {"handoff"}
    kept = [
        cell if (name in known and name not in wrong and name in map(column_key, values)) or _plainly_none(cell) else ""
        for name, cell in zip_longest(names, cells, fillvalue="")
    ][: len(cells)]
    told = [fault if _plainly_none(fault.value) else CellFault(fault.column, "", _unshown(fault)) for fault in faults]
    if kept != cells:
        told[0] = told[0]._replace(
            problem=f"{told[0].problem} (cells that may hold its password are not kept: type them again)"
        )
    return kept, told


def _unshown(fault: CellFault) -> str:
    """What is wrong with a cell, without what is in it."""
    return (
        fault.problem
        if fault.value
        and fault.value not in fault.problem
        and not any(part in fault.problem for part in fault.value.split())
        else "What is in this cell cannot be read here; it is not shown, since it may be the row's password"
    )
