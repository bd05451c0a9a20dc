"""Spreadsheets as they are written: XLSX (ISO/IEC 29500) or ODS (ISO/IEC 26300), every cell text."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from pathlib import Path
from typing import IO, Any, NamedTuple
from xml.sax.saxutils import escape, quoteattr

#: The last row that a sheet can have, down to which columns offer their lists.
LAST_ROW = 1_048_576

#: By what a file ends in: its media type.
MEDIA = {
    ".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    ".ods": "application/vnd.oasis.opendocument.spreadsheet",
}


class ColumnWritten(NamedTuple):
    """One column. `name` is its head, empty where a sheet has none; `width` is in characters; `bold` is a head that is
    needed, others lean where one is needed; of `choices` each cell offers a list."""

    name: str
    width: int = 14
    note: str = ""
    bold: bool | None = None
    choices: tuple[str, ...] = ()


class SheetWritten(NamedTuple):
    """One sheet; in XLSX the row of heads and `frozen` columns stay in view."""

    name: str
    columns: Sequence[ColumnWritten]
    rows: Iterable[Sequence[str]]
    frozen: int = 0

    @property
    def headed(self) -> bool:
        """Whether its columns have heads."""
        return any(column.name for column in self.columns)


def write_spreadsheet(target: Path | IO[bytes], sheets: Sequence[SheetWritten], suffix: str) -> None:
    """Write a workbook of the kind that the suffix says; rows go out as they come, however many there are."""
    if suffix == ".ods":
        _write_ods(target, sheets)
    else:
        _write_xlsx(target, sheets)


# --- XLSX ----------------------------------------------------------------------------------------------------


def _write_xlsx(target: Path | IO[bytes], sheets: Sequence[SheetWritten]) -> None:
    import openpyxl  # slow to import, and most tables are CSV
    from openpyxl.utils import get_column_letter

    book = openpyxl.Workbook(write_only=True)
    for one in sheets:
        sheet = book.create_sheet(one.name)
        for number, column in enumerate(one.columns, 1):
            dimension = sheet.column_dimensions[get_column_letter(number)]
            dimension.width = column.width
            dimension.number_format = "@"  # of cells that are still empty
            if column.choices:
                sheet.data_validations.append(_offered(column, get_column_letter(number)))
        if one.headed:
            sheet.freeze_panes = f"{get_column_letter(one.frozen + 1)}2"
            sheet.append([_head(sheet, column) for column in one.columns])
        for row in one.rows:
            sheet.append([_text_cell(sheet, cell) for cell in row])
    book.save(target)


def _text_cell(sheet: Any, text: str) -> Any:
    """A cell that is text, whatever it looks like: a name that begins with = does not become a formula."""
    from openpyxl.cell import WriteOnlyCell

    if not text:
        return None
    cell = WriteOnlyCell(sheet, text)
    cell.number_format = "@"
    cell.data_type = "s"
    return cell


def _head(sheet: Any, column: ColumnWritten) -> Any:
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.comments import Comment
    from openpyxl.styles import Font

    cell = WriteOnlyCell(sheet, column.name)
    if column.bold is not None:
        cell.font = Font(bold=column.bold, italic=not column.bold)
    if column.note:
        cell.comment = Comment(column.note, "Octaplan", width=280, height=90)
    return cell


def _offered(column: ColumnWritten, letter: str) -> Any:
    from openpyxl.worksheet.datavalidation import DataValidation

    offered = DataValidation(type="list", formula1='"{}"'.format(",".join(column.choices)), allow_blank=True)
    offered.errorTitle = column.name
    offered.error = f"Choose one of: {', '.join(column.choices)}"
    offered.add(f"{letter}2:{letter}{LAST_ROW}")
    return offered


# --- ODS -----------------------------------------------------------------------------------------------------

_NAMES = (
    " ".join(
        f'xmlns:{prefix}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for prefix, name in {
            "office": "office",
            "table": "table",
            "text": "text",
            "style": "style",
            "number": "datastyle",
            "fo": "xsl-fo-compatible",
            "manifest": "manifest",
        }.items()
    )
    + ' xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2"'
)
_XML = '<?xml version="1.0" encoding="UTF-8"?>\n'
_MANIFEST = (
    f'{_XML}<manifest:manifest {_NAMES} manifest:version="1.3">'
    f'<manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="{MEDIA[".ods"]}"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
)
_HEAD_STYLES = {None: "text", True: "needed", False: "other"}
_STYLES = (
    '<number:text-style style:name="N100"><number:text-content/></number:text-style>'
    '<style:style style:name="text" style:family="table-cell" style:data-style-name="N100"/>'
    '<style:style style:name="needed" style:family="table-cell" style:data-style-name="N100">'
    '<style:text-properties fo:font-weight="bold"/></style:style>'
    '<style:style style:name="other" style:family="table-cell" style:data-style-name="N100">'
    '<style:text-properties fo:font-style="italic"/></style:style>'
)


def _write_ods(target: Path | IO[bytes], sheets: Sequence[SheetWritten]) -> None:
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", MEDIA[".ods"], zipfile.ZIP_STORED)  # the first of the package, as it stands
        archive.writestr("META-INF/manifest.xml", _MANIFEST)
        with archive.open("content.xml", "w", force_zip64=True) as raw, io.TextIOWrapper(raw, "utf-8") as content:
            content.writelines(_ods_content(sheets))


def _ods_content(sheets: Sequence[SheetWritten]) -> Iterator[str]:
    yield f'{_XML}<office:document-content {_NAMES} office:version="1.3"><office:automatic-styles>{_STYLES}'
    for width in sorted({column.width for sheet in sheets for column in sheet.columns}):
        yield f'<style:style style:name="wide{width}" style:family="table-column"><style:table-column-properties '
        yield f'style:column-width="{width * 2.2:.1f}mm"/></style:style>'
    yield "</office:automatic-styles><office:body><office:spreadsheet><table:content-validations>"
    for sheet in sheets:
        for column in sheet.columns:
            yield from _ods_choices(sheet, column)
    yield "</table:content-validations>"
    for sheet in sheets:
        yield from _ods_table(sheet)
    yield "</office:spreadsheet></office:body></office:document-content>"


def _validation(sheet: SheetWritten, column: ColumnWritten) -> str:
    return quoteattr(f"{sheet.name} {column.name}")


def _ods_choices(sheet: SheetWritten, column: ColumnWritten) -> Iterator[str]:
    if column.choices:
        among = ";".join(f'"{choice}"' for choice in column.choices)
        yield f"<table:content-validation table:name={_validation(sheet, column)} "
        yield f'table:condition={quoteattr(f"of:cell-content-is-in-list({among})")} table:allow-empty-cell="true" '
        yield f'table:base-cell-address={quoteattr(f"{sheet.name}.A2")} table:display-list="unsorted">'
        yield f'<table:error-message table:title={quoteattr(column.name)} table:display="true" '
        yield f'table:message-type="stop"><text:p>Choose one of: {escape(", ".join(column.choices))}</text:p>'
        yield "</table:error-message></table:content-validation>"


def _ods_table(sheet: SheetWritten) -> Iterator[str]:
    yield f"<table:table table:name={quoteattr(sheet.name)}>"
    for column in sheet.columns:
        yield f'<table:table-column table:style-name="wide{column.width}" table:default-cell-style-name="text"/>'
    if sheet.headed:
        yield "<table:table-row>"
        for column in sheet.columns:
            note = (
                f"<office:annotation><text:p>{escape(column.note)}</text:p></office:annotation>" if column.note else ""
            )
            yield f'<table:table-cell table:style-name="{_HEAD_STYLES[column.bold]}" office:value-type="string">{note}'
            yield f"<text:p>{_ods_text(column.name)}</text:p></table:table-cell>"
        yield "</table:table-row>"
    offers = [
        f" table:content-validation-name={_validation(sheet, column)}" if column.choices else ""
        for column in sheet.columns
    ]
    number = int(sheet.headed)
    for row in sheet.rows:
        number += 1
        yield "<table:table-row>"
        for (cell, offer), alike in groupby(zip(row, offers, strict=False)):
            often = sum(1 for _ in alike)
            again = f' table:number-columns-repeated="{often}"' if often > 1 else ""
            kind = ' office:value-type="string"' if cell else ""
            yield f'<table:table-cell table:style-name="text"{kind}{offer}{again}>'
            yield f"<text:p>{_ods_text(cell)}</text:p></table:table-cell>" if cell else "</table:table-cell>"
        yield "</table:table-row>"
    if sheet.headed:  # what is filled in later is text as well
        yield f'<table:table-row table:number-rows-repeated="{LAST_ROW - number}">'
        yield from (f'<table:table-cell table:style-name="text"{offer}/>' for offer in offers)
        yield "</table:table-row>"
    yield "</table:table>"


def _ods_text(text: str) -> str:
    """Text in which each blank counts, and each line is kept."""
    text = "".join(letter for letter in text if letter >= " " or letter in "\t\n")
    text = escape(text).replace("  ", " <text:s/>").replace("\t", "<text:tab/>")
    return text.replace("\n", "</text:p><text:p>")
