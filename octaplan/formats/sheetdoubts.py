"""Cells of an XLSX sheet (ISO/IEC 29500-1, SpreadsheetML) whose value is not what somebody typed there.

Formulas that no spreadsheet has worked out, errors, cells that are covered by merged ones, hidden rows: each is told,
so that it is refused in words instead of being read as empty.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

from openpyxl.utils.cell import column_index_from_string, coordinate_from_string, range_boundaries
from openpyxl.xml.functions import iterparse

from octaplan.formats.tables import WHOLE

_SIGNS = re.compile(rb'<f[ >/]|<mergeCell |hidden="1"|t="e"')
_CHUNK = 1 << 20
_MOST_MERGED = 100_000


def doubts_of(path: Path | IO[bytes], sheet: str) -> tuple[dict[tuple[int, int], str], int]:
    """Why cells of a sheet cannot be taken at their word, by row (from 1) and place in it (from 0, or `WHOLE`); and how
    many rows the sheet has.

    `sheet` is the sheet's part in the package. Sheets without anything of the kind are not parsed at all.
    """
    with zipfile.ZipFile(path) as archive:
        part = sheet.lstrip("/")
        with archive.open(part) as stream:
            signs, rows = _looked_over(stream)
        if not signs:
            return {}, rows
        with archive.open(part) as stream:
            return dict(_doubts(stream)), rows


def _looked_over(stream: IO[bytes]) -> tuple[bool, int]:
    """Whether a sheet shows signs of anything to doubt, and how many rows it has."""
    tail, signs, rows = b"", False, 0
    while chunk := stream.read(_CHUNK):
        whole = tail + chunk
        signs = signs or _SIGNS.search(whole) is not None
        rows += whole.count(b"<row ") - tail.count(b"<row ")
        tail = chunk[-32:]
    return signs, rows


def _doubts(stream: IO[bytes]) -> Iterator[tuple[tuple[int, int], str]]:
    covered = 0
    for _, element in iterparse(stream):
        name = element.tag.rpartition("}")[2]
        if name == "row":
            number = int(element.get("r", "0"))
            if element.get("hidden") in ("1", "true"):
                yield (number, WHOLE), "The row is hidden in the spreadsheet: show it again, or delete it"
            for cell in element:
                problem = _problem(cell)
                if problem:
                    yield _place(cell.get("r", "A1")), problem
            element.clear()
        elif name == "mergeCell":
            left, top, right, bottom = range_boundaries(element.get("ref", "A1"))
            for row in range(top, bottom + 1):
                for column in range(left, right + 1):
                    covered += 1
                    if (row, column) != (top, left) and covered <= _MOST_MERGED:
                        words = (
                            f"It is one of the merged cells {element.get('ref')}: part them, write the value in each"
                        )
                        yield (row, column - 1), words


def _problem(cell: Any) -> str:
    parts = {part.tag.rpartition("}")[2]: part for part in cell}
    value = parts.get("v")
    if cell.get("t") == "e":
        shown = value.text if value is not None else "an error"
        return f"The spreadsheet shows {shown} there: mend the formula, or type the value"
    if "f" in parts and (value is None or not (value.text or "").strip()) and "is" not in parts:
        return "It is a formula whose value was not saved: open the workbook, save it again, or type the value"
    return ""


def _place(coordinate: str) -> tuple[int, int]:
    column, row = coordinate_from_string(coordinate)
    return row, column_index_from_string(column) - 1
