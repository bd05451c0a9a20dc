"""The intake workbook: empty, filled, and read again."""

from __future__ import annotations

import io
import time
import zipfile
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import openpyxl

from octaplan.formats.columns import COLUMNS
from octaplan.formats.rows import table_rows
from octaplan.formats.sheetreader import SUFFIXES, open_workbook
from octaplan.formats.sources import load_files, load_paths
from octaplan.formats.spreadsheet import LAST_ROW, MEDIA
from octaplan.formats.tables import TableError
from octaplan.formats.taken import Intake
from octaplan.formats.workbook import GUIDE, write_workbook
from tests.support import InFolder

DEMO = Path(__file__).parents[2] / "octaplan" / "demo" / "tables"


class Workbook(InFolder):
    def written(self, rows: object = None) -> openpyxl.Workbook:
        self.path = self.folder / "intake.xlsx"
        write_workbook(self.path, rows)  # type: ignore[arg-type]
        return openpyxl.load_workbook(self.path)

    def test_an_empty_one_explains_itself(self) -> None:
        book = self.written()
        self.assertEqual(book.sheetnames, [*COLUMNS, GUIDE])
        for name, columns in COLUMNS.items():
            sheet = book[name]
            self.assertEqual([cell.value for cell in sheet[1]], list(columns))
            for cell in sheet[1]:
                note = COLUMNS[name][cell.value].note.replace("`", "")
                if note:
                    self.assertIn(note, cell.comment.text)
            self.assertTrue(sheet["A1"].font.bold, "customer names the row")
            self.assertIsNotNone(sheet.freeze_panes)

    def test_few_values_are_offered_as_a_list(self) -> None:
        book = self.written()
        for name, few in (
            ("circuits", ["handoff"]),
            ("segments", ["role", "reach"]),
            ("hosts", ["method", "attached"]),
        ):
            choices = {column: COLUMNS[name][column].choices for column in few}
            offered = {str(rule.sqref): rule.formula1 for rule in book[name].data_validations.dataValidation}
            self.assertEqual(len(offered), len(choices))
            for column, values in choices.items():
                letter = openpyxl.utils.get_column_letter(list(COLUMNS[name]).index(column) + 1)
                self.assertEqual(offered[f"{letter}2:{letter}{LAST_ROW}"], f'"{",".join(values)}"')

    def test_reading_can_be_stopped_before_the_first_row(self) -> None:
        class Stopped(Exception):
            pass

        def stop(_: int) -> None:
            raise Stopped

        self.written({"hosts": [["FERN", "DOCK", "Office", "printer", "", "10.40.8.10"]]})
        with self.assertRaises(Stopped):
            load_files([(self.path.name, self.path.read_bytes())], progress=stop)

    def test_cells_are_text_so_that_nothing_is_made_of_them(self) -> None:
        book = self.written()
        for name in COLUMNS:
            columns = book[name].column_dimensions
            self.assertEqual({columns[letter].number_format for letter in ("A", "B", "C", "D")}, {"@"})
        filled = self.written({"hosts": [["FERN", "DOCK", "Office", "printer", "", "10.40"]]})
        self.assertEqual((filled["hosts"]["F2"].value, filled["hosts"]["F2"].number_format), ("10.40", "@"))

    def test_an_empty_one_makes_nothing(self) -> None:
        self.written()
        intake = load_paths([self.path])
        self.assertEqual((intake.plans, intake.refused, intake.ignored_columns), ({}, [], []))

    def test_what_is_planned_comes_back_as_it_was(self) -> None:
        plans = load_paths([DEMO]).plans
        for suffix in SUFFIXES:
            with self.subTest(suffix):
                path = self.folder / f"intake{suffix}"
                write_workbook(path, table_rows(plans.values()), suffix)
                again = load_paths([path], plans)
                self.assertEqual((again.refused, again.corrected), ([], []))
                self.assertEqual(again.plans, plans)
                fresh = load_files([(path.name, path.read_bytes())]).plans
                self.assertEqual(
                    {key: len(plan.hosts) for key, plan in fresh.items()}, {k: len(p.hosts) for k, p in plans.items()}
                )

    def test_a_text_comes_back_with_its_blanks_and_signs(self) -> None:
        text = 'a  b   c & <d> "é" =1+1'
        for suffix in SUFFIXES:
            stream = io.BytesIO()
            write_workbook(stream, {"sites": [["FERN", "DOCK", text]]}, suffix)
            stream.seek(0)
            (row,) = open_workbook(stream, "book")[0].rows
            self.assertEqual(row.cells[2], text, suffix)

    def test_no_formula_is_made_of_what_somebody_typed(self) -> None:
        rows = {"sites": [["FERN", "DOCK", "=1+1", *[""] * (len(COLUMNS["sites"]) - 3)]]}
        self.written(rows)
        with zipfile.ZipFile(self.path) as archive:
            self.assertNotIn(b"<f>", archive.read("xl/worksheets/sheet1.xml"))
        self.assertEqual(load_paths([self.path]).plans["fern/dock"].name, "=1+1")

    def test_it_is_written_to_a_stream_as_well(self) -> None:
        stream = io.BytesIO()
        write_workbook(stream)
        self.assertEqual(openpyxl.load_workbook(io.BytesIO(stream.getvalue())).sheetnames[0], "sites")


class Mangled(InFolder):
    """What spreadsheets do to values: handled, or refused cell by cell."""

    def read(self, change: Callable[[Any], None], sheet: str = "segments") -> Intake:
        book = openpyxl.Workbook()
        page = book.create_sheet(sheet)
        page.append(["customer", "site", "segment", "subnet", "gateway", "vlan"])
        page.append(["FERN", "DOCK", "Office", "10.40.8.0/24", "10.40.8.1", 10])
        page.append(["FERN", "DOCK", "Voice", "10.40.9.0/24", "10.40.9.1", "20"])
        change(page)
        path = self.folder / "intake.xlsx"
        book.save(path)
        return load_paths([path])

    def faults(self, intake: Intake) -> list[tuple[int, str, str]]:
        return [(row.row, fault.column, fault.problem) for row in intake.refused for fault in row.faults]

    def test_numbers_as_numbers_and_as_text(self) -> None:
        intake = self.read(lambda page: None)
        vlans = [segment.vlan for segment in intake.plans["fern/dock"].segments.values()]
        self.assertEqual((vlans, intake.refused), ([10, 20], []))

    def test_a_formula_whose_value_was_never_saved(self) -> None:
        def change(page: Any) -> None:
            page["E3"] = "=E2"

        intake = self.read(change)
        [(number, column, problem)] = self.faults(intake)
        self.assertEqual((number, column), (3, "gateway"))
        self.assertIn("formula whose value was not saved", problem)
        self.assertEqual(len(intake.plans["fern/dock"].segments), 1, "the other row is taken")

    def test_a_formula_with_its_value_is_read_as_the_value(self) -> None:
        def change(page: Any) -> None:
            page["D3"] = "=D2"

        path = self.folder / "intake.xlsx"
        self.read(change)
        with zipfile.ZipFile(path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        name = next(n for n, content in parts.items() if b"<f>" in content)
        parts[name] = (
            parts[name]
            .replace(b"<f>D2</f><v />", b"<f>D2</f><v>10.40.99.0/24</v>")
            .replace(b"<f>D2</f><v></v>", b"<f>D2</f><v>10.40.99.0/24</v>")
            .replace(b'r="D3"', b'r="D3" t="str"')
        )
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in parts.items():
                archive.writestr(name, content)
        intake = load_paths([path])
        self.assertEqual(self.faults(intake), [])
        self.assertEqual([str(s.subnet) for s in intake.plans["fern/dock"].segments.values()][1], "10.40.99.0/24")

    def test_merged_cells(self) -> None:
        def change(page: Any) -> None:
            page.merge_cells("A2:A3")

        [(number, column, problem)] = self.faults(self.read(change))[:1]
        self.assertEqual((number, column), (3, "customer"))
        self.assertIn("merged cells A2:A3", problem)

    def test_hidden_rows(self) -> None:
        def change(page: Any) -> None:
            page.row_dimensions[3].hidden = True

        [(number, column, problem)] = self.faults(self.read(change))
        self.assertEqual((number, column), (3, "customer"))
        self.assertIn("hidden", problem)

    def test_dates_where_none_belong_and_where_one_does(self) -> None:
        def change(page: Any) -> None:
            page["C3"] = date(2026, 4, 1)

        [(number, column, problem)] = self.faults(self.read(change))
        self.assertEqual((number, column), (3, "segment"))
        self.assertIn("made a date of it (2026-04-01)", problem)
        book = openpyxl.Workbook()
        page = book.create_sheet("sites")
        page.append(["customer", "site", "ship_date"])
        page.append(["FERN", "DOCK", date(2027, 3, 4)])
        path = self.folder / "sites.xlsx"
        book.save(path)
        self.assertEqual(load_paths([path]).plans["fern/dock"].ship_date, date(2027, 3, 4))

    def test_errors(self) -> None:
        def change(page: Any) -> None:
            page["F3"] = "#REF!"

        [(number, column, problem)] = self.faults(self.read(change))
        self.assertEqual((number, column), (3, "vlan"))
        self.assertIn("#REF!", problem)

    def test_errors_in_a_sheet_that_quotes_in_the_other_way(self) -> None:
        def change(page: Any) -> None:
            page["F3"] = "#REF!"

        self.read(change)
        path = self.folder / "intake.xlsx"
        with zipfile.ZipFile(path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        name = next(n for n, content in parts.items() if b't="e"' in content)
        parts[name] = parts[name].replace(b't="e"', b"t='e'")
        with zipfile.ZipFile(path, "w") as archive:
            for part, content in parts.items():
                archive.writestr(part, content)
        [(number, column, problem)] = self.faults(load_paths([path]))
        self.assertEqual((number, column), (3, "vlan"))
        self.assertIn("#REF!", problem)

    def test_an_address_that_became_a_number(self) -> None:
        def change(page: Any) -> None:
            page["E3"] = 192168.8

        [(_, column, problem)] = self.faults(self.read(change))
        self.assertEqual(column, "gateway")
        self.assertIn("192168.8", problem)


_TEXT = "urn:oasis:names:tc:opendocument:xmlns:{}:1.0"
_HEADS = ("customer", "site", "segment", "subnet", "gateway")


class MangledOds(InFolder):
    """The same of OpenDocument, as spreadsheets write it."""

    def read(self, rows: str, name: str = "segments") -> Intake:
        names = " ".join(f'xmlns:{prefix}="{_TEXT.format(prefix)}"' for prefix in ("office", "table", "text"))
        content = (
            f'<office:document-content {names} xmlns:calcext="urn:x-spreadsheet:'
            f'calcext:1.0"><office:body><office:spreadsheet><table:table table:name="{name}">{cells(*_HEADS)}{rows}'
            "</table:table></office:spreadsheet></office:body></office:document-content>"
        )
        path = self.folder / "intake.ods"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("mimetype", MEDIA[".ods"])
            archive.writestr("META-INF/manifest.xml", '<manifest:manifest xmlns:manifest="urn:m"/>')
            archive.writestr("content.xml", content)
        return load_paths([path])

    def test_counts_that_nobody_types_are_not_believed(self) -> None:
        """Blanks told as a number, and cells repeated: a few hundred bytes that would stand for gigabytes."""
        blank = '<table:table-cell{}><text:p>x<text:s text:c="{}"/></text:p></table:table-cell>'
        for row, words in (
            (blank.format("", "2000000000"), "2000000000 blanks in a row"),
            (blank.format("", "1001"), "1001 blanks in a row"),
            (blank.format("", "-1"), "-1 blanks in a row"),
            (blank.format(' table:number-columns-repeated="16384"', "1000") * 5, "more than 64 MB of text"),
        ):
            begun = time.process_time()
            with self.subTest(words), self.assertRaisesRegex(TableError, words):
                self.read(f"<table:table-row>{row}</table:table-row>")
            self.assertLess(time.process_time() - begun, 1.0)
        wide = f'<table:table-row table:number-rows-repeated="700">{blank.format("", "1000") * 100}</table:table-row>'
        with self.assertRaisesRegex(TableError, "more than 64 MB of text"):
            self.read(wide)

    def test_a_comment_that_is_hundreds_of_times_its_size_is_not_walked_through(self) -> None:
        path = self.folder / "comment.ods"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("mimetype", MEDIA[".ods"])
            with archive.open("content.xml", "w") as member:
                member.write(b"<a><!--")
                for _ in range(100):
                    member.write(b"x" * (1 << 20))
                member.write(b"--></a>")
        begun = time.process_time()
        with self.assertRaisesRegex(TableError, "unpacks to more than 100 times its size: save it anew"):
            load_paths([path])
        self.assertLess(time.process_time() - begun, 1.0)

    def faults(self, rows: str) -> list[tuple[int, str, str]]:
        return [(row.row, fault.column, fault.problem) for row in self.read(rows).refused for fault in row.faults]

    def test_rows_that_a_spreadsheet_leaves_empty_do_not_count(self) -> None:
        gap = '<table:table-row table:number-rows-repeated="3"><table:table-cell/></table:table-row>'
        below = f'{gap}<table:table-row table:number-rows-repeated="1048000"><table:table-cell/></table:table-row>'
        intake = self.read(gap + cells("FERN", "DOCK", "Office", "10.40.8.0/24", "10.40.9.400") + below)
        self.assertEqual([row.row for row in intake.refused], [5])

    def test_formulas_errors_covered_cells_hidden_rows_and_dates(self) -> None:
        good = cells("FERN", "DOCK", "Office", "10.40.8.0/24")
        for row, column, words in (
            (cells("FERN", "DOCK", "Voice", "10.40.9.0/24", '<F table:formula="of:=[.E2]"/>'), "gateway", "formula whose"),
            (
                cells("FERN", "DOCK", "Voice", "10.40.9.0/24", '<F table:formula="of:=#REF!" '
                'office:value-type="string" office:string-value="" calcext:value-type="error">'
                "<text:p>#REF!</text:p></F>"), "gateway", "shows #REF! there",
            ),
            (
                cells("FERN", "DOCK", "Voice", "10.40.9.0/24", '<F office:value-type="date" '
                'office:date-value="2026-04-01"><text:p>1 Apr</text:p></F>'), "gateway", "made a date of it (2026-04-01)",
            ),
            (
                cells("FERN", "DOCK", "Voice", "10.40.9.0/24").replace("</table:table-row>",
                "<table:covered-table-cell/></table:table-row>"), "gateway", "one of the merged cells",
            ),
            (
                cells("FERN", "DOCK", "Voice", "10.40.9.0/24").replace("<table:table-row",
                '<table:table-row table:visibility="collapse"'), "customer", "row is hidden",
            ),
        ):  # fmt: skip
            with self.subTest(words):
                [(number, at, problem)] = self.faults(good + row)
                self.assertEqual((number, at), (3, column))
                self.assertIn(words, problem)

    def test_a_note_at_a_head_is_not_its_name(self) -> None:
        intake = self.read(
            cells("FERN", "DOCK", "Office", "<F office:value-type='string'><office:annotation><text:p>ask</text:p>"
                  "</office:annotation><text:p>10.40.8.0/24</text:p></F>")
        )  # fmt: skip
        self.assertEqual(str(next(iter(intake.plans["fern/dock"].segments.values())).subnet), "10.40.8.0/24")

    def test_a_sheet_that_reaches_far_is_refused_before_anything_is_made_of_it(self) -> None:
        far = '<table:table-row table:number-rows-repeated="1000000"><F table:number-columns-repeated="16000" '
        for rows in (f'{far}office:value-type="string"><text:p>x</text:p></F></table:table-row>', far.replace(
            "1000000", "1048570") + "/></table:table-row>" + cells(*("x" for _ in range(40)))):  # fmt: skip
            with self.assertRaisesRegex(TableError, "segments.*reaches to row 1,|reaches to row 1,"):
                self.read(rows.replace("<F", "<table:table-cell").replace("</F", "</table:table-cell"))
        book = openpyxl.Workbook()
        page = book.create_sheet("sites")
        page["A1"], page["XFD1048576"] = "customer", "x"
        path = self.folder / "far.xlsx"
        book.save(path)
        with self.assertRaisesRegex(TableError, "far.xlsx/sites: it reaches to row 1,048,576 and column 16,384"):
            load_paths([path])

    def test_what_could_be_taken_for_another_file_is_refused(self) -> None:
        good = self.folder / "good.ods"
        write_workbook(good, None, ".ods")
        for name, parts in (
            ("both.ods", [("content.xml", "<x/>"), ("xl/workbook.xml", "<x/>")]),
            ("twice.xlsx", [("xl/worksheets/sheet1.xml", "<x/>"), ("xl/worksheets/Sheet1.xml", "<x/>")]),
        ):
            path = self.folder / name
            with zipfile.ZipFile(path, "w") as archive:
                for part, content in parts:
                    archive.writestr(part, content)
            with self.subTest(name), self.assertRaisesRegex(TableError, f"{name} holds parts of several files"):
                load_paths([path])
        path = self.write("ahead.ods", b"\xd0\xcf\x11\xe0" + good.read_bytes())
        with self.assertRaisesRegex(TableError, "ahead.ods"):
            load_paths([path])
        far = '<worksheet><sheetData><row r="1048576"><c r="XFD1048576"><v>1</v></c></row></sheetData></worksheet>'
        path = self.folder / "far16.xlsx"
        write_workbook(path, None)
        with zipfile.ZipFile(path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in (parts | {"xl/worksheets/sheet1.xml": far.encode("utf-16")}).items():
                archive.writestr(name, content)
        with self.assertRaisesRegex(TableError, "reaches to row 1,048,576"):
            load_paths([path])

    def test_what_is_damaged_is_said(self) -> None:
        path = self.folder / "intake.ods"
        for content, words in ((b"<office", "is damaged"), (b"<!DOCTYPE x [<!ENTITY e 'x'>]><x/>", "document type")):
            with zipfile.ZipFile(path, "w") as archive:
                archive.writestr("content.xml", content)
            with self.subTest(words), self.assertRaisesRegex(TableError, f"intake.ods.*{words}"):
                load_paths([path])


def cells(*values: str) -> str:
    """A row of cells of text, or of cells that begin with `<F`."""
    made = (
        value if value.startswith("<F") else f'<F office:value-type="string"><text:p>{value}</text:p></F>'
        for value in values
    )  # fmt: skip
    row = f"<table:table-row>{''.join(made)}</table:table-row>"
    return row.replace("<F", "<table:table-cell").replace("</F", "</table:table-cell")
