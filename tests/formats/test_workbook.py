"""The intake workbook: empty, filled, and read again."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import openpyxl

from octaplan.formats.columns import COLUMNS
from octaplan.formats.rows import table_rows
from octaplan.formats.sources import load_files, load_paths
from octaplan.formats.taken import Intake
from octaplan.formats.workbook import GUIDE, LAST_ROW, write_workbook
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
        for name, few in (("circuits", ["handoff"]), ("segments", ["role", "reach"]), ("hosts", ["method"])):
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
        self.written(table_rows(plans.values()))
        again = load_paths([self.path], plans)
        self.assertEqual((again.refused, again.corrected), ([], []))
        self.assertEqual(again.plans, plans)
        fresh = load_files([("intake.xlsx", self.path.read_bytes())]).plans
        self.assertEqual(
            {key: len(plan.hosts) for key, plan in fresh.items()}, {k: len(p.hosts) for k, p in plans.items()}
        )

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

    def test_an_address_that_became_a_number(self) -> None:
        def change(page: Any) -> None:
            page["E3"] = 192168.8

        [(_, column, problem)] = self.faults(self.read(change))
        self.assertEqual(column, "gateway")
        self.assertIn("192168.8", problem)
