from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import applied
from octaplan.core.propose.hostrows import MOST_ROWS, HostRows, read_host_rows
from octaplan.core.values.errors import TypedError
from tests.support import segment, site

PLAN = site(segments=[segment(subnet6="2001:db8:40:1::/64"), segment("Lab", "10.40.9.0/24")],
            hosts=[("Office", "printer 1", "10.40.8.10"), ("Lab", "scope", "10.40.9.10")])  # fmt: skip
MAC = "02:40:08:00:00:01"


def read(text: str) -> HostRows:
    return read_host_rows(Portfolio([PLAN]), PLAN, "seg0", text)


def made(text: str) -> dict[str, tuple[str, str | None, str | None]]:
    """The hosts of Office after the rows are taken: address, MAC and kind by name."""
    after = applied(PLAN, read(text).operations)
    return {
        host.name: (str(host.address), host.mac and str(host.mac), host.kind)
        for host in after.hosts.values()
        if host.segment == "seg0"
    }


class Reading(unittest.TestCase):
    def test_the_same_rows_in_any_order_with_or_without_a_head(self) -> None:
        wanted = {"printer 1": ("10.40.8.10", None, None), "till 1": ("10.40.8.21", MAC, "till"),
                  "till 2": ("10.40.8.22", "02:40:08:00:00:02", "till")}  # fmt: skip
        for name, text in {
            "tabs": f"till 1\t.21\t{MAC}\ttill\ntill 2\t.22\t02:40:08:00:00:02\ttill",
            "semicolons, another order": f"{MAC};till;till 1;10.40.8.21\n0240.0800.0002;till;till 2;10.40.8.22",
            "commas and a head": f'Kind,Hostname,MAC address,IP\ntill,"till 1",{MAC},.21\n\ntill,till 2,024008000002,.22',
        }.items():
            with self.subTest(name):
                self.assertEqual(made(text), wanted)

    def test_quoted_cells_hold_what_parts_them(self) -> None:
        rows = read('name,address\n"till, 1",.21\n"the ""old"" one",.22\n"half,.23')
        self.assertEqual([row.values.get("name") for row in rows.rows], ["till, 1", 'the "old" one', '"half'])

    def test_blanks_alone_part_a_line_by_shape(self) -> None:
        self.assertEqual(
            made(f"door phone 10.40.8.30 {MAC}\n02-40-08-00-00-02 back door .31"),
            {"printer 1": ("10.40.8.10", None, None), "door phone": ("10.40.8.30", MAC, None),
             "back door": ("10.40.8.31", "02:40:08:00:00:02", None)},
        )  # fmt: skip

    def test_a_name_that_is_there_is_changed_and_next_takes_what_is_free(self) -> None:
        rows = read("name,address\nPrinter 1,.12\ncamera,next\nrecorder,next")
        self.assertEqual([row.known for row in rows.rows], [True, False, False])
        addresses = [row.values["address"] for row in rows.rows]
        self.assertEqual(len(set(addresses)), 3)
        self.assertEqual(len(applied(PLAN, rows.operations).hosts), 4)
        self.assertEqual(read("name,address\nprinter 1,.10").operations, [], "nothing changes")

    def test_rows_that_cannot_be_read_are_refused_one_by_one_with_the_reason(self) -> None:
        rows = read("name\taddress\tMAC\na\t.300\t\nb\t.21\t02:40\n\t.22\t\nd\t.23\t\nd\t.24\t\ne\t.25\tx\ty")
        self.assertEqual([(row.number, bool(row.problem)) for row in rows.rows],
                         [(2, True), (3, True), (4, True), (5, False), (6, True), (7, True)])  # fmt: skip
        for row, words in zip(rows.rows, ("300", "02:40", "no name", "", "Row 5 already names d", ""), strict=True):
            self.assertIn(words, row.problem)
        self.assertEqual([operation["value"]["name"] for operation in rows.operations], ["d"])

    def test_columns_that_are_not_known_are_told(self) -> None:
        rows = read("name,address,serial number\na,.21,X1")
        self.assertEqual(rows.columns, ["name", "address"])
        self.assertIn("'serial number' is not read", rows.left[0])

    def test_ipv6_by_its_shape(self) -> None:
        rows = read("a,2001:db8:40:1::21\nb,::22")
        self.assertEqual([row.values["address6"] for row in rows.rows], ["2001:db8:40:1::21", "2001:db8:40:1::22"])
        (row,) = read("name,ipv6\na,next").rows
        self.assertEqual(row.values["address6"], "2001:db8:40:1::1")

    def test_no_more_than_can_be_read_at_once(self) -> None:
        self.assertEqual(read("").rows, [])
        with self.assertRaisesRegex(TypedError, "at most 2,000 are read"):
            read("a,.21\n" * (MOST_ROWS + 1))

    @settings(max_examples=200, deadline=None)
    @given(st.text(st.sampled_from("a .:,;\t\n\"'1next02:40-é\x00"), max_size=80))
    def test_whatever_is_pasted_is_read_or_refused(self, text: str) -> None:
        rows = read(text)
        after = applied(PLAN, rows.operations)
        self.assertEqual(len(after.hosts) - len(PLAN.hosts), sum(not r.problem and not r.known for r in rows.rows))


if __name__ == "__main__":
    unittest.main()
