"""Tables of open questions, as they are sent out and come back: CSV (RFC 4180), XLSX or ODS."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from itertools import islice
from pathlib import Path, PurePath
from typing import IO

from octaplan.core.propose.asking import ASKED_COLUMNS
from octaplan.formats.sheetreader import SUFFIXES, Spreadsheet, cell_text
from octaplan.formats.spreadsheet import ColumnWritten, SheetWritten, write_spreadsheet
from octaplan.formats.tables import MAX_CELL, TableError, column_key, unguarded

MAX_ROWS = 50_000

_WIDTHS = {"name": 26, "key": 24, "question": 60, "answer": 40}


def write_answers(target: Path | IO[bytes], rows: Iterable[Sequence[str]], suffix: str = ".xlsx") -> None:
    """Write a workbook of questions in the columns of `ASKED_COLUMNS`, all cells text."""
    columns = [ColumnWritten(name, _WIDTHS.get(name, 14)) for name in ASKED_COLUMNS]
    write_spreadsheet(target, [SheetWritten("questions", columns, rows)], suffix)


def read_answers(label: str, content: bytes) -> list[dict[str, str]]:
    """The rows of a table of questions that came back, by column. Raises `TableError`."""
    suffix = PurePath(label).suffix.casefold()
    if suffix in SUFFIXES:
        rows = _sheet(label, content)
    elif suffix == ".csv":
        rows = _csv(label, content)
    else:
        raise TableError(f"{label} is not a .csv table or an .xlsx or .ods workbook")
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
    book = Spreadsheet(io.BytesIO(content), label)
    rows = book.sheet(book.names[0]).rows if book.names else iter(())
    return [[cell_text(value) for value in row] for row in islice(rows, MAX_ROWS + 2)]
