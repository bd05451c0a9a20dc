"""The intake workbook (XLSX, ISO/IEC 29500): an empty one to fill in, or one with what is planned.

Every cell is text, so that no spreadsheet makes 10.4 of `10.40` or a date of `1-4`; a note at each column says
what it holds, and columns with few values offer them as a list.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import IO, Any

from octaplan.formats.columns import COLUMNS
from octaplan.formats.tables import NAMING_COLUMNS

#: The last row that a workbook can have, down to which columns offer their lists.
LAST_ROW = 1_048_576

GUIDE = "how to fill it in"

_HOW = (
    "One row a site, circuit, segment or host. The columns in bold name the row; all others may stay empty.",
    "An empty cell means: not known yet. It changes nothing when the workbook is loaded over plans that are there.",
    "Point at the name of a column to read what it holds. Where few values are possible, the cell offers them.",
    "A cell that cannot be read refuses its row only; the row is kept, and shown with what is wrong about it.",
    "Load the workbook on Outbound: what it would change is shown before anything is kept.",
    "Never write passwords here, but for pppoe_password: it goes into the safe and nowhere else.",
)


def write_workbook(target: Path | IO[bytes], rows: Mapping[str, Iterable[Sequence[str]]] | None = None) -> None:
    """Write a workbook with the four sheets, empty or with rows in the columns of `COLUMNS`, and how to fill it in."""
    import openpyxl  # slow to import, and most tables are CSV

    book = openpyxl.Workbook(write_only=True)  # rows go out as they come, however many there are
    for name, columns in COLUMNS.items():
        sheet = book.create_sheet(name)
        _lists(sheet, name, list(columns))
        _header(sheet, name, list(columns))
        for row in (rows or {}).get(name, ()):
            sheet.append([text_cell(sheet, cell) for cell in row])
    guide = book.create_sheet(GUIDE)
    guide.column_dimensions["A"].width = 110
    for line in _HOW:
        guide.append([line])
    book.save(target)


def text_cell(sheet: Any, text: str) -> Any:
    """A cell that is text, whatever it looks like: a name that begins with = does not become a formula."""
    from openpyxl.cell import WriteOnlyCell

    if not text:
        return None
    cell = WriteOnlyCell(sheet, text)
    cell.number_format = "@"
    cell.data_type = "s"
    return cell


def _header(sheet: Any, name: str, columns: list[str]) -> None:
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.comments import Comment
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    sheet.freeze_panes = f"{get_column_letter(len(NAMING_COLUMNS[name]) + 1)}2"
    cells = []
    for number, column in enumerate(columns, 1):
        dimension = sheet.column_dimensions[get_column_letter(number)]
        dimension.width = max(12, min(30, len(column) + 6))
        dimension.number_format = "@"  # of cells that are still empty
        cell = WriteOnlyCell(sheet, column)
        needed = column in NAMING_COLUMNS[name]
        cell.font = Font(bold=needed, italic=not needed)
        note = COLUMNS[name][column].note.replace("`", "")
        if note or needed:
            words = "; ".join(part for part in ("needed" if needed else "", note) if part)
            cell.comment = Comment(words, "Octaplan", width=280, height=90)
        cells.append(cell)
    sheet.append(cells)


def _lists(sheet: Any, name: str, columns: list[str]) -> None:
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.datavalidation import DataValidation

    for column in columns:
        values = COLUMNS[name][column].choices
        if not values:
            continue
        letter = get_column_letter(columns.index(column) + 1)
        offered = DataValidation(type="list", formula1='"{}"'.format(",".join(values)), allow_blank=True)
        offered.errorTitle = column
        offered.error = f"Choose one of: {', '.join(values)}"
        sheet.data_validations.append(offered)
        offered.add(f"{letter}2:{letter}{LAST_ROW}")
