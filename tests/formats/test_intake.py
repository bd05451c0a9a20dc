from __future__ import annotations

import io
import unittest
import zipfile
from pathlib import Path

import openpyxl
from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.site import SitePlan
from octaplan.formats.columns import COLUMNS
from octaplan.formats.intake import read_intake
from octaplan.formats.rows import table_rows
from octaplan.formats.sheetreader import MAX_UNPACKED
from octaplan.formats.sources import load_files, load_paths
from octaplan.formats.tables import TableError, csv_text, guarded, read_csv, unguarded
from octaplan.formats.taken import Intake
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.support import InFolder

SITES = "customer,site,name,time_zone,ship_date\nFERN,DOCK,Dockside,Europe/Paris,2026-12-03\n"
SEGMENTS = "customer,site,segment,role,vlan,subnet,gateway\nFERN,DOCK,office,office,10,10.40.8.0/24,10.40.8.1\n"


def read(existing: dict[str, SitePlan] | None = None, **tables: str | bytes) -> Intake:
    files = [(f"{name}.csv", text.encode() if isinstance(text, str) else text) for name, text in tables.items()]
    return load_files(files, existing)


def table(name: str, *rows: dict[str, str]) -> str:
    """A table whose rows are at FERN/DOCK unless they say otherwise."""
    header = list(dict.fromkeys(["customer", "site", *(column for row in rows for column in row)]))
    full = [{"customer": "FERN", "site": "DOCK"} | row for row in rows]
    return csv_text(header, [[row.get(column, "") for column in header] for row in full])


class SecondFamily(unittest.TestCase):
    def test_ipv6_kept_runs_options_and_modems_are_read_and_written(self) -> None:
        tables = {
            "sites": table("sites", {"delegated_prefix": "2001:db8:40::/48"}),
            "circuits": table("circuits", {"circuit": "Main", "address": "203.0.113.18/29", "address6": "2001:db8:9::2/64",
                                           "gateway6": "fe80::1", "modem_subnet": "192.168.143.1/24"}),
            "segments": table("segments", {"segment": "office", "subnet": "10.40.8.0/24", "subnet6": "20", "gateway6": "2001:db8:40:20::1",
                                           "kept": "printer 10.40.8.200-10.40.8.219; phone system 10.40.8.220",
                                           "options": "66 10.40.8.9; 42 192.0.2.123"}),
            "hosts": table("hosts", {"segment": "office", "name": "printer", "address": "10.40.8.200", "address6": "2001:db8:40:20::200"}),
        }  # fmt: skip
        intake = read(**tables)
        self.assertEqual(intake.refused, [])
        self.assertEqual([c.became for c in intake.corrected], ["192.168.143.0/24"])
        (plan,) = intake.plans.values()
        (office,), (main,), (printer,) = plan.segments.values(), plan.circuits.values(), plan.hosts.values()
        self.assertEqual(
            (str(office.subnet6), str(main.subnet6), main.prefix6), ("2001:db8:40:20::/64", "2001:db8:9::/64", 64)
        )
        self.assertEqual([keep.kind for keep in office.kept], ["printer", "phone system"])
        self.assertEqual(office.scope.options, {"66": "10.40.8.9", "42": "192.0.2.123"})
        self.assertEqual(str(printer.address6), "2001:db8:40:20::200")
        written = {name: csv_text(list(COLUMNS[name]), rows) for name, rows in table_rows([plan]).items()}
        self.assertEqual(read(**written).plans, intake.plans)

    def test_what_cannot_be_is_refused_by_its_cell(self) -> None:
        for name, cells, column, words in (
            ("segments", {"segment": "a", "subnet6": "20"}, "subnet6", "is not known"),
            ("segments", {"segment": "a", "subnet6": "10.0.0.0/24"}, "subnet6", "IPv4"),
            ("segments", {"segment": "a", "kept": "printer"}, "kept", "no kind and run"),
            ("segments", {"segment": "a", "gateway6": "10.0.0.1"}, "gateway6", "IPv4"),
            ("circuits", {"circuit": "a", "address6": "10.0.0.1"}, "address6", "IPv4"),
            ("circuits", {"circuit": "a", "address6": "2001:db8::1/64", "prefix6": "56"}, "prefix6", "contradicts"),
            ("circuits", {"circuit": "a", "prefix6": "129"}, "prefix6", "too long"),
        ):
            with self.subTest(column):
                (row,) = read(**{name: table(name, cells)}).refused
                self.assertEqual(row.faults[0].column, column)
                self.assertIn(words, row.faults[0].problem)


class Shapes(unittest.TestCase):
    """The same table in every form that a spreadsheet saves."""

    def test_all_forms_read_alike(self) -> None:
        expected = read(sites=SITES).plans
        self.assertEqual(expected["fern/dock"].name, "Dockside")
        for form in (
            SITES.replace(",", ";"),
            "\ufeff" + SITES,
            SITES.replace("\n", "\r\n"),
            SITES + "\n,,,,\n\n;;\n".replace(";;\n", ""),
            SITES.replace("time_zone", "Time Zone").replace("customer", " CUSTOMER "),
            SITES.replace("Dockside", '"Dockside"'),
            "\n" + SITES,
        ):
            with self.subTest(form[:30]):
                intake = read(sites=form)
                self.assertEqual((intake.plans, intake.refused), (expected, []))

    def test_order_of_columns_is_free_and_unknown_ones_are_named(self) -> None:
        intake = read(sites="room,site,customer,,note\nx,DOCK,FERN,y,\n")
        self.assertEqual([i.column for i in intake.ignored_columns], ["room", "note", "(column 4, no name)"])
        self.assertEqual(list(intake.plans), ["fern/dock"])

    def test_unreadable_tables_say_why(self) -> None:
        for name, content, words in (
            ("sites", b"", "empty"),
            ("sites", b"\n\n", "empty"),
            ("sites", b"FERN,DOCK,Dockside\n", "no header row"),
            ("sites", b"customer,name\n", "lacks the column site"),
            ("sites", b"customer,site,Customer\n", "twice"),
            ("sites", b"customer,site,,,ship_date,Ship Date\n", "twice"),
            ("sites", b"PK\x03\x04\x00\x00", "not a table of text"),
            ("sites", "customer,site,name\nF,D,Caf\xe9\n".encode("latin-1"), "not UTF-8"),
            ("sites", b'customer,site\nF,"D\n', "not a CSV table"),
            ("hosts", b"customer,site,name\n", "lacks the column segment"),
            ("people", b"customer,site\n", "none of sites.csv"),
            ("sites", ",".join(["customer", "site", *map(str, range(300))]).encode(), "columns"),
        ):
            with self.subTest(name=name, content=content[:40]), self.assertRaises(TableError) as caught:
                read(**{name: content})
            self.assertIn(words, str(caught.exception))

    def test_a_header_alone_is_a_table_without_rows(self) -> None:
        self.assertEqual(read(sites="customer,site\n").plans, {})


class Refusals(unittest.TestCase):
    def faults(self, **tables: str) -> list[tuple[str, int, str, str]]:
        return [(r.file, r.row, f.column, f.value) for r in read(**tables).refused for f in r.faults]

    def test_a_wrong_cell_refuses_its_row_only(self) -> None:
        good = {"segment": "voice", "subnet": "10.40.9.0/24"}
        for column, value, words in (
            ("vlan", "4095", "1 to 4094"),
            ("vlan", "0", "1 to 4094"),
            ("vlan", "ten", "1 to 4094"),
            ("role", "lounge", "office, voice"),
            ("subnet", "10.0.0.300/24", "Octet 300"),
            ("subnet", "10.40.8.0", "No mask"),
            ("subnet", "10.40.8.0 255.255.192", "255.255.192.0"),
            ("subnet", "10.40.8.0/255.0.255.0", "not a mask"),
            ("gateway", "10.40.8", "3 parts"),
            ("dhcp_first", "x", "1 part"),
            ("dhcp_count", "10", "fill in dhcp_first"),
            ("dhcp_excluded", "10.40.8.1-2-3", "hyphen"),
            ("dhcp_server", "maybe", "'none'"),
            ("lease", "soon", "8h"),
            ("reach", "far", "group, local"),
            ("dns", "gateway dns", "1 part"),
            ("domain", "a b", "domain"),
            ("expected_hosts", "-1", "whole number"),
            ("segment", "", "is empty"),
            ("segment", "x" * 81, "81 characters"),
            ("gateway", "1" * 1001, "1001 characters"),
        ):
            with self.subTest(column=column, value=value[:20]):
                intake = read(segments=table("segments", {"segment": "office", column: value}, good))
                self.assertEqual([s.label for s in intake.plans["fern/dock"].segments.values()], ["voice"])
                (row,) = intake.refused
                self.assertEqual((row.file, row.row), ("segments.csv", 2))
                self.assertEqual((row.faults[0].column, row.faults[0].value), (column, value[:1000]))
                self.assertIn(words, row.faults[0].problem)

    def test_every_wrong_cell_of_a_row_is_told(self) -> None:
        faults = self.faults(segments=table("segments", {"segment": "office", "vlan": "4095", "role": "x"}))
        self.assertEqual([fault[2] for fault in faults], ["vlan", "role"])

    def test_a_site_that_is_not_in_the_sites_table_is_a_typing_mistake(self) -> None:
        segments = SEGMENTS + "FERN,DOCX,office,office,10,10.40.9.0/24,\n"
        self.assertEqual(self.faults(sites=SITES, segments=segments), [("segments.csv", 3, "site", "DOCX")])
        self.assertEqual(sorted(read(segments=segments).plans), ["fern/dock", "fern/docx"])
        empty = read(sites="customer,site\n", segments=segments)
        self.assertEqual((len(empty.refused), empty.plans), (2, {}))

    def test_a_site_that_is_there_needs_no_row_in_the_sites_table(self) -> None:
        there = read(sites=SITES, segments=SEGMENTS).plans
        hosts = "customer,site,segment,name,address\nFERN,DOCK,office,till,.21\n"
        label = next(iter(there["fern/dock"].segments.values())).label
        hosts = hosts.replace("office", label).replace(",.21", ",10.40.8.21")
        intake = read(there, sites=SITES.replace("DOCK", "MILL"), hosts=hosts)
        self.assertEqual([*intake.refused], [])
        self.assertEqual([host.name for host in intake.plans["fern/dock"].hosts.values()], ["till"])

    def test_rows_of_a_site_whose_own_row_was_refused_are_taken(self) -> None:
        intake = read(sites=SITES.replace("Europe/Paris", "Mars/Base"), segments=SEGMENTS)
        self.assertEqual([(r.file, r.row) for r in intake.refused], [("sites.csv", 2)])
        self.assertEqual(len(intake.plans["fern/dock"].segments), 1)

    def test_a_host_needs_its_segment(self) -> None:
        hosts = table("hosts", {"segment": "voice", "name": "phone"}, {"segment": "lab", "name": "probe"})
        intake = read(segments=table("segments", {"segment": "voice", "vlan": "4095"}), hosts=hosts)
        problems = [fault.problem for row in intake.refused for fault in row.faults]
        self.assertIn("its own row 2 was refused", problems[1])
        self.assertIn("no segment 'lab'", problems[2])

    def test_the_same_item_twice_is_refused_the_second_time(self) -> None:
        twice = table("segments", {"segment": "office", "vlan": "1"}, {"segment": "OFFICE", "vlan": "2"})
        intake = read(segments=twice)
        self.assertIn("Row 2 already names it", intake.refused[0].faults[0].problem)
        self.assertEqual([s.vlan for s in intake.plans["fern/dock"].segments.values()], [1])

    def test_more_cells_than_columns_means_a_stray_comma(self) -> None:
        intake = read(segments=SEGMENTS.rstrip() + ",more\n")
        self.assertIn("stray commas", intake.refused[0].faults[0].problem)

    def test_a_refused_row_is_kept_whole(self) -> None:
        (row,) = read(segments=table("segments", {"segment": "a", "vlan": "x", "colour": "red"})).refused
        self.assertEqual(row.cells, ["FERN", "DOCK", "a", "x", "red"])
        self.assertEqual(row.header, ["customer", "site", "segment", "vlan", "colour"])


class Taken(unittest.TestCase):
    """Readable values are taken, right or wrong for the network."""

    def test_segments(self) -> None:
        row = {
            "segment": "office", "role": "Guest", "vlan": "4094", "vrf": "lab", "reach": "group",
            "subnet": "10.40.8.0 255.255.255.0", "gateway": "10.99.0.1", "dhcp_first": "10.40.8.20", "dhcp_count": "180",
            "dhcp_excluded": "10.40.8.50; 10.40.8.60-10.40.8.69", "dhcp_server": "10.40.8.5", "lease": "8h",
            "dns": "gateway 192.0.2.53", "domain": "dock.example", "expected_hosts": "80",
        }  # fmt: skip
        (segment,) = read(segments=table("segments", row)).plans["fern/dock"].segments.values()
        self.assertEqual(str(segment.subnet), "10.40.8.0/24")
        self.assertEqual(str(segment.scope.span), "10.40.8.20–10.40.8.199")
        self.assertEqual([s.typed for s in segment.scope.excluded], ["10.40.8.50", "10.40.8.60-10.40.8.69"])
        self.assertEqual((segment.role, segment.reaches, segment.scope.lease), ("guest", True, 28800))
        self.assertEqual([str(r) for r in segment.resolvers], ["gateway", "192.0.2.53"])

    def test_circuits_read_masks_in_all_notations(self) -> None:
        for typed in ("29", "/29", "255.255.255.248"):
            row = {"circuit": "Main", "handoff": "static", "address": "203.0.113.18", "prefix": typed}
            (circuit,) = read(circuits=table("circuits", row)).plans["fern/dock"].circuits.values()
            self.assertEqual(str(circuit.subnet), "203.0.113.16/29")

    def test_a_mask_may_stand_in_the_address_but_not_contradict(self) -> None:
        row = {"circuit": "Main", "address": "203.0.113.18/29"}
        (circuit,) = read(circuits=table("circuits", row)).plans["fern/dock"].circuits.values()
        self.assertEqual(circuit.prefix, 29)
        (refused,) = read(circuits=table("circuits", row | {"prefix": "28"})).refused
        self.assertIn("contradicts", refused.faults[0].problem)

    def test_first_and_count_and_last_must_agree(self) -> None:
        row = {"segment": "a", "dhcp_first": "10.0.0.10", "dhcp_last": "10.0.0.19", "dhcp_count": "10"}
        self.assertEqual(read(segments=table("segments", row)).refused, [])
        (refused,) = read(segments=table("segments", row | {"dhcp_count": "11"})).refused
        self.assertIn("end at 10.0.0.20", refused.faults[0].problem)

    def test_a_range_back_to_front_is_taken(self) -> None:
        row = {"segment": "a", "dhcp_first": "10.0.0.99", "dhcp_last": "10.0.0.10"}
        intake = read(segments=table("segments", row))
        self.assertEqual((intake.refused, intake.corrected), ([], []))

    def test_host_bits_are_corrected_and_told(self) -> None:
        intake = read(segments=table("segments", {"segment": "a", "subnet": "10.40.8.1/24"}))
        self.assertEqual(
            [tuple(c) for c in intake.corrected], [("segments.csv", 2, "subnet", "10.40.8.1/24", "10.40.8.0/24")]
        )

    def test_reach_groups(self) -> None:
        for typed, groups in {"": ["fern"], "-": [], "a; B": ["a", "b"]}.items():
            (plan,) = read(sites=table("sites", {"reach_group": typed})).plans.values()
            self.assertEqual(plan.groups, groups)

    def test_codes_and_names_are_known_in_any_case(self) -> None:
        hosts = "customer,site,segment,name\nfern,Dock,OFFICE,printer\n"
        intake = read(sites=SITES, segments=SEGMENTS, hosts=hosts)
        self.assertEqual(intake.refused, [])
        (plan,) = intake.plans.values()
        self.assertEqual((plan.customer, plan.site, len(plan.hosts)), ("FERN", "DOCK", 1))


class Again(unittest.TestCase):
    @given(plans("F/1"), plans("G/2"))
    @examples(60)
    def test_what_is_written_reads_back_as_it_was(self, one: SitePlan, two: SitePlan) -> None:
        tables = {name: csv_text(list(COLUMNS[name]), rows) for name, rows in table_rows([one, two]).items()}
        intake = read(**tables)
        self.assertEqual((intake.refused, intake.corrected, intake.ignored_columns), ([], [], []))
        again = {name: csv_text(list(COLUMNS[name]), rows) for name, rows in table_rows(intake.plans.values()).items()}
        self.assertEqual(again, tables)

    @given(plans("F/1"))
    @examples(60)
    def test_loading_twice_changes_nothing(self, plan: SitePlan) -> None:
        tables = {name: csv_text(list(COLUMNS[name]), rows) for name, rows in table_rows([plan]).items()}
        self.assertEqual(read({plan.key: plan}, **tables).plans, {plan.key: plan})

    def test_empty_cells_and_missing_rows_keep_what_a_plan_says(self) -> None:
        first = read(sites=SITES, segments=SEGMENTS).plans
        second = read(first, segments=table("segments", {"segment": "office", "gateway": "10.40.8.254"})).plans
        (segment,) = second["fern/dock"].segments.values()
        self.assertEqual(
            (str(segment.gateway), segment.vlan, second["fern/dock"].name), ("10.40.8.254", 10, "Dockside")
        )
        self.assertEqual(list(second["fern/dock"].segments), list(first["fern/dock"].segments))


class Folders(InFolder):
    def test_names_of_files_in_any_case_and_two_folders_at_once(self) -> None:
        self.write("a/Sites.CSV", SITES)
        self.write("b/segments.csv", SEGMENTS)
        intake = load_paths([self.folder / "a", self.folder / "b"])
        self.assertEqual(len(intake.plans["fern/dock"].segments), 1)

    def test_a_folder_with_none_of_the_four(self) -> None:
        self.write("notes.csv", "a,b\n")
        with self.assertRaisesRegex(TableError, "none of sites.csv"):
            load_paths([self.folder])

    def test_a_workbook_reads_as_the_tables_do(self) -> None:
        book = openpyxl.Workbook()
        for name, text in {"Sites": SITES, "segments": SEGMENTS, "notes": "x\n"}.items():
            sheet = book.create_sheet(name)
            for line in text.splitlines():
                sheet.append([int(cell) if cell.isdigit() else cell for cell in line.split(",")])
        path = self.folder / "intake.xlsx"
        book.save(path)
        self.assertEqual(load_paths([path]).plans, read(sites=SITES, segments=SEGMENTS).plans)

    def test_a_workbook_that_unpacks_to_far_more_than_it_holds(self) -> None:
        path = self.folder / "bomb.xlsx"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("xl/a.xml", "w") as member:
            for _ in range((MAX_UNPACKED >> 20) + 1):
                member.write(bytes(1 << 20))
        self.assertLess(path.stat().st_size, 1 << 20)
        with self.assertRaisesRegex(TableError, "unpacks to more than 512 MB"):
            load_paths([path])

    def test_not_a_workbook(self) -> None:
        path = self.write("intake.xlsx", b"PK but not really")
        with self.assertRaisesRegex(TableError, "not an XLSX or ODS workbook"):
            load_paths([path])

    def test_the_demo_tables_are_read_without_a_word(self) -> None:
        intake = load_paths([Path(__file__).parents[2] / "octaplan" / "demo" / "tables"])
        self.assertEqual((intake.refused, intake.corrected, intake.ignored_columns), ([], [], []))
        self.assertEqual(len(intake.plans), 24)


class Passwords(unittest.TestCase):
    HEADER = (
        "customer,site,circuit,handoff,address,prefix,gateway,dns,vlan,pppoe_user,pppoe_password,provider,reference"
    )
    ROW = ("FERN", "DOCK", "Main", "pppoe", "", "", "", "", "35", "u@x.example", "Secret Horse 9", "Gannet", "GB-1")

    @given(
        st.lists(st.integers(0, 13), max_size=3),
        st.lists(st.integers(0, 12), max_size=2),
        st.lists(st.sampled_from([(4, "10.0.0.300"), (8, "4095"), (3, "dsl"), (2, ""), (6, "x y")]), max_size=2),
    )
    @examples(300)
    def test_a_password_is_never_in_a_refused_row_wherever_a_comma_moved_it(
        self, commas: list[int], gone: list[int], wrong: list[tuple[int, str]]
    ) -> None:
        cells = list(self.ROW)
        for place, text in wrong:
            cells[place] = text
        for place in commas:
            cells.insert(place, "")
        for place in sorted(set(gone), reverse=True):
            if cells[place] != "Secret Horse 9":
                del cells[place]
        text = f"{self.HEADER}\n{','.join(cells)}\n{','.join(cells)}\n"
        intake = read_intake([read_csv(io.BytesIO(text.encode()), "circuits", "circuits.csv")])
        self.assertNotIn("Horse", repr(intake.refused))
        self.assertNotIn("Horse", repr(intake.corrected))

    def test_what_cannot_hold_one_is_kept(self) -> None:
        row = "FERN,DOCK,Main,static,203.0.113.2,29,203.0.113.300,,35,,,Gannet,GB-1"
        intake = read_intake([read_csv(io.BytesIO(f"{self.HEADER}\n{row}\n".encode()), "circuits", "circuits.csv")])
        self.assertEqual(intake.refused[0].cells, row.split(","))
        row = "FERN,DOCK,Main,pppoe,,,203.0.113.300,,35,u@x.example,Secret Horse 9,Gannet,GB-1"
        intake = read_intake([read_csv(io.BytesIO(f"{self.HEADER}\n{row}\n".encode()), "circuits", "circuits.csv")])
        self.assertEqual(
            intake.refused[0].cells,
            ["FERN", "DOCK", "Main", "pppoe", "", "", "203.0.113.300", "", "35", "", "", "", ""],
        )
        self.assertIn("Octet 300", intake.refused[0].faults[0].problem)


class Formulas(unittest.TestCase):
    @given(st.lists(st.text(st.sampled_from("=+-@\t\r'a1, \"")), min_size=1, max_size=4))
    def test_no_cell_starts_one_and_each_comes_in_again_as_it_was(self, cells: list[str]) -> None:
        for cell in cells:
            self.assertEqual(unguarded(guarded(cell)), cell)
            starts = guarded(cell)[:1]
            self.assertTrue(starts not in "=@\t\r" or not starts, cell)
            if starts in ("+", "-") and starts:
                self.assertRegex(guarded(cell), r"^[+-][0-9.,]*$")
        name = "=1+1|evil"
        table = csv_text(["customer", "site", "name"], [["FERN", "DOCK", name]])
        intake = read_intake([read_csv(io.BytesIO(table.encode()), "sites", "sites.csv")])
        self.assertEqual(intake.plans["fern/dock"].name, name)
