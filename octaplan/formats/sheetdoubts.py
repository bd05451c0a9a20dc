"""What must be known of a sheet before its values are taken: how far it reaches, and which cells to doubt.

Formulas that no spreadsheet has worked out, errors, cells that are covered by merged ones, hidden rows: each is told,
so that it is refused in words instead of being read as empty. XLSX is SpreadsheetML (ISO/IEC 29500-1), ODS is
OpenDocument (ISO/IEC 26300).
"""

from __future__ import annotations

import re
import zipfile
from typing import IO

from octaplan.formats.tables import MAX_CELL, WHOLE, TableError
from octaplan.formats.xmlwalk import walk

MAX_CELLS = 12_000_000
_MOST_MERGED = 100_000
#: So many characters all cells together may hold, those that are repeated as often as they are.
_MOST_TEXT = 64 << 20

_HIDDEN = "The row is hidden in the spreadsheet: show it again, or delete it"
_UNSAVED = "It is a formula whose value was not saved: open the workbook, save it again, or type the value"


def _merged(words: str) -> str:
    return f"It is one of the merged cells{words}: part them, write the value in each"


def _error(shown: str) -> str:
    return f"The spreadsheet shows {shown or 'an error'} there: mend the formula, or type the value"


class Looked:
    """A sheet that was looked over: its `rows` and `columns` down to the last value; its `doubts` by row (from 1) and
    place in it (from 0, or `WHOLE`)."""

    def __init__(self) -> None:
        self.rows = self.columns = 0
        self.doubts: dict[tuple[int, int], str] = {}

    def reach(self, row: int, column: int) -> None:
        """Take in that a cell, counted from 1, holds something. Raises `TableError` where a sheet reaches too far."""
        self.rows, self.columns = max(self.rows, row), max(self.columns, column)
        if self.rows * self.columns > MAX_CELLS:
            raise TableError(
                f"it reaches to row {self.rows:,} and column {self.columns:,}: delete what stands far outside the table"
            )


_REFERENCE = re.compile(r"([A-Z]{1,3})([1-9][0-9]{0,6})\Z")


def _place(reference: str) -> tuple[int, int] | None:
    """Row and column, both from 1, of such as `B7`."""
    found = _REFERENCE.match(reference)
    if found is None:
        return None
    column = 0
    for letter in found[1]:
        column = column * 26 + ord(letter) - 64
    return int(found[2]), column


class _Xlsx:
    """Reads one sheet's part of an XLSX workbook."""

    def __init__(self) -> None:
        self.looked = Looked()
        self.row = self.column = 0
        self.kind = self.value = ""
        self.formula = self.inside = self.inline = False
        self.covered = 0

    def read(self, stream: IO[bytes]) -> Looked:
        begins = {
            "row": self._row, "c": self._cell, "v": self._inside, "f": self._formula, "is": self._inline,
            "mergeCell": self._merge,
        }  # fmt: skip
        walk(stream, begins, {"c": self._told, "v": self._outside}, self._text)
        return self.looked

    def _row(self, attributes: dict[str, str]) -> None:
        number = attributes.get("r", "")
        self.row, self.column = int(number) if number.isdecimal() and len(number) < 8 else self.row + 1, 0
        if attributes.get("hidden") in ("1", "true"):
            self.looked.doubts[self.row, WHOLE] = _HIDDEN

    def _cell(self, attributes: dict[str, str]) -> None:
        self.kind, self.value, self.formula, self.inline = attributes.get("t", ""), "", False, False
        self.row, self.column = _place(attributes.get("r", "")) or (self.row, self.column + 1)

    def _inside(self, _: dict[str, str]) -> None:
        self.inside = True

    def _outside(self) -> None:
        self.inside = False

    def _formula(self, _: dict[str, str]) -> None:
        self.formula = True

    def _inline(self, _: dict[str, str]) -> None:
        self.inline = True

    def _text(self, text: str) -> None:
        if self.inside:
            self.value += text

    def _told(self) -> None:
        if self.value or self.formula or self.inline:
            self.looked.reach(self.row, self.column)
        if self.kind == "e":
            self.looked.doubts[self.row, self.column - 1] = _error(self.value)
        elif self.formula and not self.inline and not self.value.strip():
            self.looked.doubts[self.row, self.column - 1] = _UNSAVED

    def _merge(self, attributes: dict[str, str]) -> None:
        reference = attributes.get("ref", "")
        first, _, last = reference.partition(":")
        corner, opposite = _place(first), _place(last)
        if corner is None or opposite is None:
            return
        for row in range(corner[0], opposite[0] + 1):
            for column in range(corner[1], opposite[1] + 1):
                if self.covered >= _MOST_MERGED:
                    return
                self.covered += 1
                if (row, column) != corner:
                    self.looked.doubts[row, column - 1] = _merged(f" {reference}")


#: Signs of anything to doubt, every beginning of a cell, and a cell as spreadsheets write it.
_SIGNS = re.compile(rb"""<f[\s/>]|<mergeCell\b|hidden=|\bt=["']e""")
_CELLS = re.compile(rb"<(?:[A-Za-z0-9_.-]+:)?c[\s/>]")
_USUAL = re.compile(rb'<c r="([A-Z]{1,3})([1-9][0-9]{0,6})"')
_DECLARED = re.compile(
    rb'\s*(?:<\?xml version="1.0"(?: encoding="UTF-8")?(?: standalone="\w+")?\s*\?>)?\s*<', re.IGNORECASE
)
_CHUNK = 1 << 20


def _plain(stream: IO[bytes]) -> Looked | None:
    """How far a sheet reaches that has nothing to doubt in it and is written as usual; none of any other."""
    looked, tail, columns = Looked(), b"", set[bytes]()
    while chunk := stream.read(_CHUNK):
        if (not tail and not _DECLARED.match(chunk)) or b"\0" in chunk:
            return None
        cut = chunk.rfind(b"<")
        whole, tail = (tail + chunk[:cut], chunk[cut:]) if cut >= 0 else (b"", tail + chunk)
        cells = _USUAL.findall(whole)
        if _SIGNS.search(whole) or len(cells) != sum(1 for _ in _CELLS.finditer(whole)) or len(tail) > _CHUNK:
            return None
        columns.update(column for column, _ in cells)
        looked.rows = max([looked.rows, *(int(row) for _, row in cells)])
    widest = max((place[1] for column in columns if (place := _place(f"{column.decode()}1"))), default=0)
    looked.reach(looked.rows, widest)
    return looked


def look_over_xlsx(archive: zipfile.ZipFile, part: str) -> Looked:
    """Look over one sheet's part of a workbook. Raises `TableError`."""
    with archive.open(part) as stream:
        looked = _plain(stream)
    if looked is None:
        with archive.open(part) as stream:
            looked = _Xlsx().read(stream)
    return looked


def _count(text: str) -> int:
    return min(int(text), 1 << 24) if text.isdecimal() and len(text) < 12 else 1


_TEXT = "urn:oasis:names:tc:opendocument:xmlns:text:1.0 "
_TABLE = "urn:oasis:names:tc:opendocument:xmlns:table:1.0 "
_OFFICE = "urn:oasis:names:tc:opendocument:xmlns:office:1.0 "
_KIND, _FORMULA, _WIDE = f"{_OFFICE}value-type", f"{_TABLE}formula", f"{_TABLE}number-columns-repeated"
#: How a worked-out formula is shown, as far as a spreadsheet says more of it than the standard does.
_SHOWN = ":calcext:1.0 value-type"
_VALUES = tuple(f"{_OFFICE}{name}" for name in ("value", "date-value", "time-value", "boolean-value", "string-value"))


class _Ods:
    """Reads the content of an ODS workbook: all of its tables."""

    def __init__(self) -> None:
        self.tables: dict[str, Looked] = {}
        self.looked = Looked()
        self.row = self.column = self.covered = self.notes = 0
        self.again = 1
        self.cell: dict[str, str] = {}
        self.hidden = self.under = self.odd = self.filled = False
        self.content = ""
        #: How many characters the cell holds, the row, and all rows before it.
        self.size = self.in_row = self.whole = 0
        #: What the cells of a row hold: place, how many alike, and what is to be doubted.
        self.held: list[tuple[int, int, str]] = []

    def read(self, stream: IO[bytes]) -> dict[str, Looked]:
        begins = {
            "table": self._table, "table-row": self._row_begins, "table-cell": self._cell,
            "covered-table-cell": self._under, "p": self._paragraph, "annotation": self._note,
            "s": self._blanks,
        }  # fmt: skip
        ends = {
            "table-row": self._row, "table-cell": self._told, "covered-table-cell": self._told,
            "annotation": self._note_ends,
        }  # fmt: skip
        walk(stream, begins, ends, self._text)
        return self.tables

    def _table(self, attributes: dict[str, str]) -> None:
        self.row, self.looked = 0, Looked()
        self.tables[attributes.get(f"{_TABLE}name", "")] = self.looked

    def _row_begins(self, attributes: dict[str, str]) -> None:
        self.again = _count(attributes.get(f"{_TABLE}number-rows-repeated", "1"))
        self.hidden = attributes.get(f"{_TABLE}visibility", "visible") != "visible"
        self.column, self.held, self.in_row = 0, [], 0

    def _cell(self, attributes: dict[str, str]) -> None:
        self.cell, self.under, self.filled = attributes, False, False
        self.size = sum(map(len, attributes.values()))
        self.odd = _FORMULA in attributes
        self.content = ""

    def _under(self, attributes: dict[str, str]) -> None:
        self._cell(attributes)
        self.under = True

    def _paragraph(self, _: dict[str, str]) -> None:
        self.filled = self.filled or not self.notes

    def _note(self, _: dict[str, str]) -> None:
        self.notes += 1

    def _note_ends(self) -> None:
        self.notes -= 1

    def _blanks(self, attributes: dict[str, str]) -> None:
        """Blanks that are written as a number: as many as a cell may hold are believed."""
        number = attributes.get(f"{_TEXT}c", "1")
        if not number.isdecimal() or len(number) > 9 or int(number) > MAX_CELL:
            raise TableError(f"a cell has {number[:20]} blanks in a row, and {MAX_CELL:,} characters are read at most")
        self.size += int(number)

    def _text(self, text: str) -> None:
        self.size += len(text)
        if self.odd and not self.notes:
            self.content += text

    def _told(self) -> None:
        wide = _count(self.cell[_WIDE]) if _WIDE in self.cell else 1
        self.in_row += self.size * wide if self.odd or self.filled or _KIND in self.cell else 0
        if self.odd or self.under:
            self.held.append((self.column, wide, self._doubt()))
        elif self.filled or _KIND in self.cell:
            self.held.append((self.column, wide, ""))
        self.column += wide

    def _doubt(self) -> str:
        if any(key.endswith(_SHOWN) and shown == "error" for key, shown in self.cell.items()):
            return _error(self.content.strip())
        worked_out = self.content.strip() or any(name in self.cell for name in _VALUES)
        if self.odd and not worked_out:
            return _UNSAVED
        return _merged("") if self.under else ""

    def _row(self) -> None:
        held = [(column, wide) for column, wide, problem in self.held if problem != _merged("")]
        if held:
            self.looked.reach(self.row + self.again, max(column + wide for column, wide in held))
        self.whole += self.in_row * self.again if held else 0
        if self.whole > _MOST_TEXT:
            raise TableError(f"its cells hold more than {_MOST_TEXT >> 20} MB of text: split it by customer")
        if self.hidden or any(problem for *_, problem in self.held):
            self._doubt_row(bool(held))
        self.row += self.again

    def _doubt_row(self, held: bool) -> None:
        for row in range(self.row + 1, self.row + self.again + 1):
            if self.covered >= _MOST_MERGED:
                return
            if self.hidden and held:
                self.covered += 1
                self.looked.doubts[row, WHOLE] = _HIDDEN
            for column, wide, problem in self.held:
                for place in range(column, column + wide) if problem else ():
                    self.covered += 1
                    if self.covered >= _MOST_MERGED:
                        return
                    self.looked.doubts[row, place] = problem


def look_over_ods(stream: IO[bytes]) -> dict[str, Looked]:
    """Look over the content of a workbook, table by table. Raises `TableError`."""
    return _Ods().read(stream)
