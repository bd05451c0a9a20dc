"""Tables of open questions, as they are sent out and come back: CSV (RFC 4180) or XLSX (ISO/IEC 29500)."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from pathlib import Path, PurePath
from typing import IO

from octaplan.core.propose.asking import ASKED_COLUMNS
from octaplan.formats.tables import MAX_CELL, TableError, cell_text, column_key, unguarded
from octaplan.formats.workbook import text_cell

MAX_ROWS = 50_000

_WIDTHS = {"name": 26, "key": 24, "question": 60, "answer": 40}


def write_answers(target: Path | IO[bytes], rows: Iterable[Sequence[str]]) -> None:
    """Write a workbook of questions in the columns of `COLUMNS`, all cells text."""
    import openpyxl  # slow to import, and most tables are CSV
    from openpyxl.utils import get_column_letter

    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("questions")
    sheet.freeze_panes = "A2"
    for number, name in enumerate(ASKED_COLUMNS, 1):
        dimension = sheet.column_dimensions[get_column_letter(number)]
        dimension.width = _WIDTHS.get(name, 14)
        dimension.number_format = "@"
    sheet.append(list(ASKED_COLUMNS))
    for row in rows:
        sheet.append([text_cell(sheet, cell) for cell in row])
    book.save(target)


def read_answers(label: str, content: bytes) -> list[dict[str, str]]:
    """The rows of a table of questions that came back, by column. Raises `TableError`."""
    suffix = PurePath(label).suffix.casefold()
    if suffix == ".xlsx":
        rows = _sheet(label, content)
    elif suffix == ".csv":
        rows = _csv(label, content)
    else:
        raise TableError(f"{label} is not a .csv table or an .xlsx workbook")
    if not rows:
        raise TableError(f"{label} is empty: its first row must name the columns")
    keys = [column_key(cell) for cell in rows[0]]
    missing = [name for name in ("customer", "site", "key", "answer") if name not in keys]
    if missing:
        raise TableError(f"{label} lacks the column{'s' if len(missing) > 1 else ''} {', '.join(missing)}")
    if len(rows) > MAX_ROWS:
        raise TableError(f"{label} has more than {MAX_ROWS:,} rows: split it by customer")
    return [{key: cell[:MAX_CELL] for key, cell in zip(keys, row, strict=False)} for row in rows[1:]]


def _csv(label: str, content: bytes) -> list[list[str]]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TableError(f"{label} is not UTF-8: save it from the spreadsheet as CSV UTF-8") from None
    first = text.split("\n", 1)[0]
    delimiter = ";" if first.count(";") > first.count(",") else ","
    try:
        read = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
        return [[unguarded(cell) for cell in row] for row in read]
    except csv.Error as error:
        raise TableError(f"{label} is not a CSV table ({error})") from None


def _sheet(label: str, content: bytes) -> list[list[str]]:
    import zipfile

    import openpyxl

    try:
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True)
    except (zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise TableError(f"{label} is not an XLSX workbook ({error})") from None
    sheet = book.worksheets[0]
    rows = []
    for row in sheet.iter_rows(values_only=True, max_row=MAX_ROWS + 2):
        rows.append([cell_text(value) for value in row])
    return rows
