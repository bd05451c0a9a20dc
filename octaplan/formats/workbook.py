"""The intake workbook (XLSX or ODS): an empty one to fill in, or one with what is planned.

Every cell is text, so that no spreadsheet makes 10.4 of `10.40` or a date of `1-4`; a note at each column says
what it holds, and columns with few values offer them as a list.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import IO

from octaplan.formats.columns import COLUMNS
from octaplan.formats.spreadsheet import ColumnWritten, SheetWritten, write_spreadsheet
from octaplan.formats.tables import NAMING_COLUMNS

GUIDE = "how to fill it in"

_HOW = (
    "One row a site, circuit, segment or host. The columns in bold name the row; all others may stay empty.",
    "An empty cell means: not known yet. It changes nothing when the workbook is loaded over plans that are there.",
    "Point at the name of a column to read what it holds. Where few values are possible, the cell offers them.",
    "A cell that cannot be read refuses its row only; the row is kept, and shown with what is wrong about it.",
    "Load the workbook on Outbound: what it would change is shown before anything is kept.",
    "Never write passwords here, but for pppoe_password: it goes into the safe and nowhere else.",
)


def write_workbook(
    target: Path | IO[bytes], rows: Mapping[str, Iterable[Sequence[str]]] | None = None, suffix: str = ".xlsx"
) -> None:
    """Write a workbook with the four sheets, empty or with rows in the columns of `COLUMNS`, and how to fill it in."""
    sheets = [
        SheetWritten(name, _columns(name), (rows or {}).get(name, ()), frozen=len(NAMING_COLUMNS[name]))
        for name in COLUMNS
    ]
    guide = SheetWritten(GUIDE, [ColumnWritten("", 110)], [[line] for line in _HOW])
    write_spreadsheet(target, [*sheets, guide], suffix)


def _columns(table: str) -> list[ColumnWritten]:
    columns = []
    for name, column in COLUMNS[table].items():
        needed = name in NAMING_COLUMNS[table]
        words = "; ".join(part for part in ("needed" if needed else "", column.note.replace("`", "")) if part)
        columns.append(ColumnWritten(name, max(12, min(30, len(name) + 6)), words, needed, tuple(column.choices)))
    return columns
