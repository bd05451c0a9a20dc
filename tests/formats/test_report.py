from __future__ import annotations

import io
import unittest
from datetime import date, datetime

import openpyxl

from benchmarks.portfolios import Expected, Shape, all_alike, in_groups, nested, portfolio
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import SitePlan
from octaplan.formats import report
from octaplan.formats.sheetreader import open_workbook
from octaplan.formats.sources import load_files
from octaplan.formats.tables import csv_text, read_csv


class Text(unittest.TestCase):
    def lines(self, **tables: str) -> list[str]:
        intake = load_files([(f"{name}.csv", text.encode()) for name, text in tables.items()])
        plans = list(intake.plans.values())
        return list(report.as_text(plans, Portfolio(plans).check_all(), intake))

    def test_findings_stand_under_their_site_and_the_rest_below(self) -> None:
        lines = self.lines(
            sites="customer,site,time_zone\nF,A,Europe/Dublin\n",
            segments="customer,site,segment,subnet,gateway,vlan,room\n"
            "F,A,office,10.40.8.1/24,10.99.0.1,10,x\nF,A,voice,10.40.9.0/24,10.40.9.1,4095,x\n",
        )
        self.assertEqual(lines[0], "F/A")
        self.assertTrue(lines[1].startswith("  stop  The gateway 10.99.0.1 of office"))
        self.assertTrue(lines[1].endswith("[gateway-outside]"))
        self.assertEqual(
            lines[2:],
            [
                "refused    segments.csv row 3, vlan: VLAN '4095' is not permitted: write a whole number from 1 to 4094",
                "corrected  segments.csv row 2, subnet: 10.40.8.1/24 was taken as 10.40.8.0/24",
                "ignored    segments.csv: column 'room' is not known",
                "1 site, 1 segment, 0 hosts, 0 circuits: 1 stop, 0 warns, 0 notes, 1 row refused",
            ],
        )


class Cells(unittest.TestCase):
    def test_cells_of_a_workbook_become_what_one_would_have_typed(self) -> None:
        book = openpyxl.Workbook()
        sheet = book.create_sheet("sites")
        sheet.append(["customer", "site", "name", "ship_date", "contact"])
        sheet.append(["F", 12, 3.0, date(2027, 3, 4), True])
        sheet.append([None] * 5)
        sheet.append(["F", "B", 2.5, datetime.fromisoformat("2027-03-04T09:30"), " x "])
        stream = io.BytesIO()
        book.save(stream)
        (table,) = open_workbook(stream, "book.xlsx")
        rows = {row.number: row.cells for row in table.rows}
        self.assertEqual(rows[2], ["F", "12", "3", "2027-03-04", "True"])
        self.assertEqual(rows[4], ["F", "B", "2.5", "2027-03-04T09:30:00", "x"])
        self.assertEqual((table.file, sorted(rows)), ("book.xlsx/sites", [2, 4]))

    def test_rows_are_numbered_as_the_spreadsheet_does(self) -> None:
        text = 'customer,site,street\r\nF,A,"one\r\ntwo"\r\n\r\n,,\r\nF,B,x\r\n'
        table = read_csv(io.BytesIO(text.encode()), "sites", "sites.csv")
        self.assertEqual([(row.number, row.cells[1]) for row in table.rows], [(2, "A"), (5, "B")])

    def test_written_tables_quote_what_needs_it(self) -> None:
        text = csv_text(["a", "b"], [["x,y", 'say "no"'], ["", "two\nlines"]])
        self.assertEqual(text, 'a,b\r\n"x,y","say ""no"""\r\n,"two\nlines"\r\n')


class Generated(unittest.TestCase):
    def test_generated_portfolios_hold_exactly_what_was_planted(self) -> None:
        for sites, mistakes, six in ((40, 0, 0.5), (40, 0.2, 0.0), (450, 0.1, 0.25)):
            made = portfolio(Shape(sites, hosts=3, mistakes=mistakes, six=six))
            findings = Portfolio(made.plans).check_all()
            found = {Expected(f.rule, f"{f.customer}/{f.site}".casefold(), f.subject) for f in findings}
            self.assertEqual(made.expected - found, set())
            self.assertEqual(bool(made.expected), bool(mistakes))
            if not mistakes:
                self.assertEqual(findings, [])

    def test_a_generated_plan_is_one_that_could_have_been_typed(self) -> None:
        for plan in portfolio(Shape(6, mistakes=0.5, six=0.5)).plans:
            self.assertEqual(SitePlan.model_validate(plan.document()), plan)

    def test_portfolios_that_are_nothing_but_trouble_are_counted_whole(self) -> None:
        for plans, totals in (
            (all_alike(300), {299}),
            (in_groups(300, 3), {299}),
            (in_groups(60, 7), {59}),
            (nested(25, 60), set()),
        ):
            findings = [f for f in Portfolio(plans).check_all() if f.rule == "overlap-reach"]
            self.assertEqual(len(findings), len(plans))
            self.assertTrue(all(len(f.others) == min(20, f.others_total) for f in findings))
            if totals:
                self.assertEqual({f.others_total for f in findings}, totals)
