"""Plain tables: CSV files (RFC 4180) and the sheets of an XLSX workbook, as rows of text.

TableError        a file, folder or workbook that cannot be read as intake tables at all
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from pathlib import Path
from types import MappingProxyType
from typing import IO, NamedTuple, cast

from octaplan.core.values.errors import OctaplanError

NAMES = ("sites", "circuits", "segments", "hosts")

MAX_BYTES = 256 << 20
MAX_UNPACKED = 512 << 20
MAX_COLUMNS = 200
MAX_ROWS = 2_000_000
MAX_CELL = 1_000

#: The place in a row that stands for the row as a whole.
WHOLE = -1


#: Told, now and then, how many bytes of a table have been read since the last time.
Progress = Callable[[int], None]


class TableError(OctaplanError):
    """Something that cannot be read as intake tables at all."""


class Row(NamedTuple):
    """One row below the header. `number` is as the spreadsheet counts, the header's row being 1."""

    number: int
    cells: list[str]


class Table(NamedTuple):
    """One of the four tables. `rows` can be walked once; blank rows are left out.

    `doubts` says of cells, by number of the row and place in it (`WHOLE`: of all of it), why their text is not what
    somebody typed; it grows while the rows are walked.
    """

    name: str
    file: str
    header: list[str]
    rows: Iterator[Row]
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
    return _table(name, label, header.cells, rows)


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


def open_workbook(path: Path | IO[bytes], label: str, progress: Progress | None = None) -> list[Table]:
    """The sheets of an XLSX workbook that are named for the four tables.

    `progress` is told of the bytes of the packed workbook, each sheet having its share by its size.
    """
    if isinstance(path, Path) and path.stat().st_size > MAX_BYTES:
        raise TableError(f"{label} is larger than {MAX_BYTES >> 20} MB: split it by customer")
    source = path if progress is None else cast(IO[bytes], _Stoppable(path, progress))
    import openpyxl  # slow to import, and most tables are CSV

    from octaplan.formats.sheetdoubts import doubts_of

    try:
        with zipfile.ZipFile(source) as archive:
            sizes = {member.filename: member.file_size for member in archive.infolist()}
            packed = sum(member.compress_size for member in archive.infolist())
            unpacked = sum(sizes.values())
        if unpacked > MAX_UNPACKED:
            raise TableError(f"{label} unpacks to more than {MAX_UNPACKED >> 20} MB: split it by customer")
        book = openpyxl.load_workbook(source, read_only=True, data_only=True)
    except TableError:
        raise
    except (zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise TableError(f"{label} is not an XLSX workbook ({error})") from None
    sheets = {sheet.title.strip().casefold(): sheet for sheet in book.worksheets}
    tables = []
    for name in NAMES:
        if name in sheets:
            part = sheets[name]._worksheet_path.lstrip("/")
            doubts, number = doubts_of(source, part)
            values = sheets[name].iter_rows(values_only=True)
            if progress is not None:
                values = _told(values, progress, packed * sizes.get(part, 0) / max(1, unpacked * number))
            rows = _sheet_rows(values, f"{label}/{name}", doubts)
            header = next(rows, None)
            if header is None:
                raise TableError(f"{label}/{name} is empty: its first row must name the columns")
            tables.append(_table(name, f"{label}/{name}", header.cells, rows)._replace(doubts=doubts))
    if not tables:
        raise TableError(f"{label} has none of the sheets sites, circuits, segments, hosts")
    return tables


class _Stoppable(io.BufferedIOBase):
    """A file whose reading ends with what `progress` raises, whoever reads it."""

    def __init__(self, source: Path | IO[bytes], progress: Progress) -> None:
        self._stream = source.open("rb") if isinstance(source, Path) else source
        self._progress = progress

    def read(self, size: int | None = -1, /) -> bytes:
        self._progress(0)
        return self._stream.read(-1 if size is None else size)

    def seek(self, offset: int, whence: int = 0, /) -> int:
        return self._stream.seek(offset, whence)

    def tell(self) -> int:
        return self._stream.tell()

    def seekable(self) -> bool:
        return True

    def readable(self) -> bool:
        return True


def _told(values: Iterable[Sequence[object]], progress: Progress, share: float) -> Iterator[Sequence[object]]:
    """The rows of a sheet, of which now and then it is told; each stands for so many bytes."""
    for number, row in enumerate(values, 1):
        if number % 500 == 0:
            progress(int(share * 500))
        yield row


def _sheet_rows(values: Iterable[Sequence[object]], label: str, doubts: dict[tuple[int, int], str]) -> Iterator[Row]:
    dates: set[int] = set()
    for number, row in enumerate(values, 1):
        if number > MAX_ROWS:
            raise TableError(f"{label} has more than {MAX_ROWS:,} rows: split it by customer")
        cells = [cell_text(value) for value in row]
        if not any(cells) and not any((number, place) in doubts for place in range(len(cells))):
            continue
        for place, value in enumerate(row):
            if isinstance(value, date) and place not in dates:
                doubts[number, place] = (
                    f"The spreadsheet has made a date of it ({cells[place]}): format the cell as text, type it again"
                )
        if not dates:
            dates = {place for place, cell in enumerate(cells) if column_key(cell) == DATES} or {-1}
        yield Row(number, cells)


def cell_text(value: object) -> str:
    """A value of a spreadsheet as the text that stands for it."""
    if value is None:
        return ""
    if isinstance(value, datetime) and value.time() == datetime.min.time():
        value = value.date()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    return str(value).strip()


#: The one column that holds dates.
DATES = column_key("ship_date")


#: The columns that name a row of each table; without them it cannot be read at all.
NAMING_COLUMNS = {
    "sites": ("customer", "site"),
    "circuits": ("customer", "site", "circuit"),
    "segments": ("customer", "site", "segment"),
    "hosts": ("customer", "site", "segment", "name"),
}


def _table(name: str, label: str, header: list[str], rows: Iterator[Row]) -> Table:
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
