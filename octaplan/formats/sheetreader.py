"""Spreadsheets as rows of values: XLSX (ISO/IEC 29500) and ODS (ISO/IEC 26300), told apart by what is in them."""

from __future__ import annotations

import posixpath
import zipfile
from collections.abc import Iterator, Sequence
from datetime import date, datetime
from pathlib import Path
from typing import IO, TYPE_CHECKING, NamedTuple

from octaplan.formats.sheetdoubts import Looked, look_over_ods, look_over_xlsx
from octaplan.formats.tables import (
    DATES,
    MAX_BYTES,
    MAX_ROWS,
    NAMES,
    Progress,
    Row,
    Table,
    TableError,
    checked_table,
    column_key,
)
from octaplan.formats.xmlwalk import walk

if TYPE_CHECKING:
    from python_calamine import CalamineWorkbook

#: What files of the two end in.
SUFFIXES = (".xlsx", ".ods")

MAX_UNPACKED = 512 << 20
#: A part of so many bytes may be so many times as large as it is packed: rows of a table come to ten or twenty.
LARGE_PART, MOST_PACKED = 4 << 20, 100


class Sheet(NamedTuple):
    """One sheet: its rows down to the last value, and what is to be doubted in it."""

    rows: Iterator[Sequence[object]]
    looked: Looked


class Spreadsheet:
    """A workbook that has been opened. `names` are those of its sheets; `packed` is its size in bytes."""

    def __init__(self, source: Path | IO[bytes], label: str) -> None:
        """Raises `TableError`."""
        self._source, self._label = source, label
        self._book: CalamineWorkbook | None = None
        if isinstance(source, Path) and source.stat().st_size > MAX_BYTES:
            raise TableError(f"{label} is larger than {MAX_BYTES >> 20} MB: split it by customer")
        try:
            with zipfile.ZipFile(source) as archive:
                members = archive.infolist()
                self.packed = sum(member.compress_size for member in members)
                if sum(member.file_size for member in members) > MAX_UNPACKED:
                    raise TableError(f"{label} unpacks to more than {MAX_UNPACKED >> 20} MB: split it by customer")
                if any(m.file_size > max(LARGE_PART, MOST_PACKED * m.compress_size) for m in members):
                    raise TableError(
                        f"{label} has a part that unpacks to more than {MOST_PACKED} times its size: save it anew from "
                        "a spreadsheet, without what is no table"
                    )
                _plainly_one(archive, label)
                if "content.xml" in archive.namelist():
                    self._tables = look_over_ods(archive.open("content.xml"))
                    self._parts: dict[str, str] = {}
                else:
                    self._tables, self._parts = {}, _parts(archive)
        except TableError as error:
            raise TableError(f"{label}: {error}") if label not in str(error) else error from None
        except (zipfile.BadZipFile, KeyError, ValueError, OSError, RuntimeError, StopIteration) as error:
            raise TableError(f"{label} is not an XLSX or ODS workbook ({error})") from None
        self.names = [*self._tables, *self._parts]

    def sheet(self, name: str) -> Sheet:
        """One of its sheets, read at once. Raises `TableError`."""
        import python_calamine  # most tables are CSV

        try:
            looked = self._looked(name)
            if self._book is None:
                if not isinstance(self._source, Path):
                    self._source.seek(0)
                self._book = python_calamine.load_workbook(self._source)
            rows = self._book.get_sheet_by_name(name).iter_rows()
        except TableError as error:
            raise TableError(f"{self._label}/{name}: {error}") from None
        except (python_calamine.CalamineError, zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
            raise TableError(
                f"{self._label}/{name} cannot be read ({error}): save it anew from a spreadsheet"
            ) from None
        return Sheet(rows, looked)

    def _looked(self, name: str) -> Looked:
        if name in self._tables:
            return self._tables[name]
        with zipfile.ZipFile(self._source) as archive:
            return look_over_xlsx(archive, self._parts[name])


def _plainly_one(archive: zipfile.ZipFile, label: str) -> None:
    """What was looked over must be what is read. Raises `TableError` for a package that could be taken for another."""
    names = [name.casefold() for name in archive.namelist()]
    both = "content.xml" in names and any(name.startswith("xl/") for name in names)
    ahead = min((member.header_offset for member in archive.infolist()), default=0)
    if both or ahead or len(set(names)) < len(names):
        raise TableError(f"{label} holds parts of several files: save it anew from a spreadsheet")


def _parts(archive: zipfile.ZipFile) -> dict[str, str]:
    """The sheets of an XLSX workbook by name, and where in the package each is."""
    places: dict[str, str] = {}
    sheets: dict[str, str] = {}

    def relation(attributes: dict[str, str]) -> None:
        target = attributes["Target"].removeprefix("/xl/").removeprefix("xl/")
        places[attributes["Id"]] = posixpath.normpath(posixpath.join("xl", target))

    def sheet(attributes: dict[str, str]) -> None:
        sheets[attributes["name"]] = next(v for key, v in attributes.items() if key.endswith("relationships id"))

    walk(archive.open("xl/_rels/workbook.xml.rels"), {"Relationship": relation})
    walk(archive.open("xl/workbook.xml"), {"sheet": sheet})
    return {name: places[reference] for name, reference in sheets.items()}


def open_workbook(path: Path | IO[bytes], label: str, progress: Progress | None = None) -> list[Table]:
    """The sheets of a workbook that are named for the four tables.

    `progress` is told of the bytes of the packed workbook, of which each sheet has its share. Raises `TableError`.
    """
    tell = progress or (lambda _: None)
    tell(0)
    book = Spreadsheet(path, label)
    named = {name.strip().casefold(): name for name in book.names}
    tables = []
    for name in NAMES:
        if name in named:
            tell(0)
            place = f"{label}/{name}"
            sheet = book.sheet(named[name])
            rows = _rows(_told(sheet, tell, book.packed / len(NAMES)), place, sheet.looked.doubts)
            header = next(rows, None)
            if header is None:
                raise TableError(f"{place} is empty: its first row must name the columns")
            tables.append(checked_table(name, place, header.cells, rows)._replace(doubts=sheet.looked.doubts))
    if not tables:
        raise TableError(f"{label} has none of the sheets sites, circuits, segments, hosts")
    return tables


def _told(sheet: Sheet, progress: Progress, share: float) -> Iterator[Sequence[object]]:
    """The rows of a sheet, of which now and then it is told; each stands for so many bytes."""
    each = share / max(1, sheet.looked.rows)
    for number, row in enumerate(sheet.rows, 1):
        if number % 500 == 0:
            progress(int(each * 500))
        yield row


def _rows(values: Iterator[Sequence[object]], label: str, doubts: dict[tuple[int, int], str]) -> Iterator[Row]:
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
