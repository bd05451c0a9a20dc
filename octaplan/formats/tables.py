"""Plain tables: CSV files (RFC 4180) and the sheets of workbooks, as rows of text.

TableError        a file, folder or workbook that cannot be read as intake tables at all
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import IO, NamedTuple

from octaplan.core.values.errors import RefusedError

NAMES = ("sites", "circuits", "segments", "hosts")

MAX_BYTES = 256 << 20
MAX_COLUMNS = 200
MAX_ROWS = 2_000_000
MAX_CELL = 1_000

#: The place in a row that stands for the row as a whole.
WHOLE = -1


#: Told, now and then, how many bytes of a table have been read since the last time.
Progress = Callable[[int], None]


class TableError(RefusedError):
    """Something that cannot be read as intake tables at all."""


class Row(NamedTuple):
    """One row below the header. `number` is as the spreadsheet counts, the header's row being 1."""

    number: int
    cells: list[str]


class Table(NamedTuple):
    """One of the four tables. `rows` are walked once; blank rows are left out.

    `doubts` says of cells, by number of the row and place in it (`WHOLE`: of all of it), why their text is not what
    somebody typed; it grows while the rows are walked.
    """

    name: str
    file: str
    header: list[str]
    rows: Iterable[Row]
    doubts: Mapping[tuple[int, int], str] = MappingProxyType({})


def column_key(name: str) -> str:
    """How column names are compared: without case, spaces and underscores."""
    return re.sub(r"[\s_]", "", name).casefold()


def open_folder(folder: Path, label: str = "", progress: Progress | None = None) -> list[Table]:
    """The tables in a folder: files named for the four, ending in `.csv`, in any case."""
    found: dict[str, Path] = {}
    for path in sorted(folder.iterdir()):
        name = path.stem.casefold()
        if path.suffix.casefold() == ".csv" and name in NAMES and path.is_file():
            if name in found:
                raise TableError(f"{folder} holds both {found[name].name} and {path.name}: keep one of them")
            found[name] = path
    if not found:
        raise TableError(f"{folder} holds none of sites.csv, circuits.csv, segments.csv, hosts.csv")
    return [open_csv(found[name], label + found[name].name, progress) for name in NAMES if name in found]


def open_csv(path: Path, label: str | None = None, progress: Progress | None = None) -> Table:
    """One CSV file, read as it is walked."""
    label = label or path.name
    if path.stat().st_size > MAX_BYTES:
        raise TableError(f"{label} is larger than {MAX_BYTES >> 20} MB: split it by customer")
    return read_csv(path.open("rb"), path.stem.casefold(), label, progress)


def read_csv(stream: IO[bytes], name: str, label: str, progress: Progress | None = None) -> Table:
    """A CSV table from bytes: UTF-8 with or without BOM, comma or semicolon."""
    if name not in NAMES:
        raise TableError(f"{label} is none of sites.csv, circuits.csv, segments.csv, hosts.csv: rename it")
    if b"\0" in stream.read(65_536):
        raise TableError(f"{label} is not a table of text: save it from the spreadsheet as CSV UTF-8")
    stream.seek(0)
    rows = _csv_rows(stream, label, progress)
    header = next(rows, None)
    if header is None:
        raise TableError(f"{label} is empty: its first row must name the columns")
    return checked_table(name, label, header.cells, rows)


def _csv_rows(stream: IO[bytes], label: str, progress: Progress | None = None) -> Iterator[Row]:
    told = 0
    text = io.TextIOWrapper(stream, encoding="utf-8-sig", newline="")
    number = 0
    try:
        with text:
            start = text.readline(1 << 20)
            while start and not start.strip():
                number += 1
                start = text.readline(1 << 20)
            bare = re.sub(r'"[^"]*"', "", start)
            delimiter = ";" if bare.count(";") > bare.count(",") else ","
            lines = _chain(start, text)
            for cells in csv.reader(lines, delimiter=delimiter, strict=True):
                number += 1
                if number > MAX_ROWS:
                    raise TableError(f"{label} has more than {MAX_ROWS:,} rows: split it by customer")
                if progress is not None and number % 2_000 == 0:
                    told, before = stream.tell(), told
                    progress(told - before)
                if (cells and cells[0].strip()) or any(cell.strip() for cell in cells):
                    yield Row(number, [unguarded(cell) if cell[:1] == "'" else cell for cell in cells])
    except UnicodeDecodeError as error:
        raise TableError(
            f"{label} is not UTF-8 (byte {error.object[error.start]:#04x} after row {number}): "
            "save it from the spreadsheet as CSV UTF-8"
        ) from None
    except csv.Error as error:
        raise TableError(f"{label} is not a CSV table ({error} in row {number + 1})") from None


def _chain(first: str, rest: Iterable[str]) -> Iterator[str]:
    if first:
        yield first
        yield from rest


#: The one column that holds dates.
DATES = column_key("ship_date")


#: The columns that name a row of each table; without them it cannot be read at all.
NAMING_COLUMNS = {
    "sites": ("customer", "site"),
    "circuits": ("customer", "site", "circuit"),
    "segments": ("customer", "site", "segment"),
    "hosts": ("customer", "site", "segment", "name"),
}


def checked_table(name: str, label: str, header: list[str], rows: Iterator[Row]) -> Table:
    """A table whose header can be read. Raises `TableError`."""
    header = [cell.strip() for cell in header]
    while header and not header[-1]:
        header.pop()
    if len(header) > MAX_COLUMNS:
        raise TableError(f"{label} has {len(header)} columns; at most {MAX_COLUMNS} are read")
    keys = [column_key(cell) for cell in header]
    for place, key in enumerate(keys):
        if key and key in keys[:place]:
            raise TableError(f"{label} has the column {header[place]!r} twice: keep one of them")
    missing = [column for column in NAMING_COLUMNS[name] if column_key(column) not in keys]
    if len(missing) == len(NAMING_COLUMNS[name]):
        raise TableError(
            f"{label} has no header row: its first row must name the columns, such as {', '.join(missing)}"
        )
    if missing:
        raise TableError(f"{label} lacks the column{'s' if len(missing) > 1 else ''} {', '.join(missing)}")
    return Table(name, label, header, rows)


def csv_text(header: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    """A table as RFC 4180 text, of which no cell starts a formula in a spreadsheet."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow([guarded(cell) for cell in header])
    writer.writerows([guarded(cell) for cell in row] for row in rows)
    return text.getvalue()


#: A cell that a spreadsheet takes for a formula, or one that was guarded against that before.
_FORMULA = re.compile(r"'*(?:[=@\t\r]|[+-](?![0-9.,]*\Z))").match


def guarded(cell: str) -> str:
    """A cell that starts no formula: with a quotation mark before it where it would."""
    return f"'{cell}" if _FORMULA(cell) else cell


def unguarded(cell: str) -> str:
    """A cell as it was before it was guarded."""
    return cell[1:] if cell[:1] == "'" and _FORMULA(cell) else cell
