from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path

from sqlalchemy import delete, func, select

from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Network, parse_address
from octaplan.store.database import Database, DataFolderError
from octaplan.store.imports import ImportGone, ImportMoved
from octaplan.store.models import Base, Claim, InboxRow, Name
from octaplan.store.plans import Plans
from octaplan.store.records import Records
from octaplan.store.refusals import BadChange, Conflict, NoSuchSite, NotClear
from octaplan.store.search import find
from tests.support import InFolder, circuit, segment, site, writing

DOCK = site(
    "FERN/DOCK",
    [
        segment(scope={"first": "10.40.8.20", "last": "10.40.8.254"}, resolvers=["192.0.2.53", "192.0.2.54"]),
        segment("Guest", "192.168.1.0/24", role="guest"),
    ],
    [
        ("Office", "phone", "10.40.8.250"),
        {"segment": "Office", "name": "printer", "mac": "02:40:08:00:00:01", "address": "10.40.8.10"},
    ],
    [circuit()],
    name="Dockside",
)
MILL = site(
    "FERN/MILL", [segment("Yard", "10.40.9.0/24")], circuits=[circuit(address="198.51.100.18", gateway="198.51.100.17")]
)
LAST = "/segments/seg0/scope/last"


def with_edge(plan: SitePlan) -> SitePlan:
    """The plan with a box at its edge, as it takes to be cleared; without hardware types no rule looks at it."""
    document = plan.document()
    use = {"1": {"mode": "circuit", "circuit": "circ0"}, "2": {"mode": "trunk", "tagged": list(plan.segments)}}
    route = {"aaaa": {"to": "0.0.0.0/0", "circuit": "circ0"}}
    document["devices"]["edge"] = {
        "type": "test-five", "role": "edge", "name": "edge", "time_servers": ["t.example"], "ports": use, "routes": route,
        "access": {"aaaa": {"service": "https", "segment": "seg0"}},
        "allows": {f"out{key}": {"source": key, "target": "internet"} for key in plan.segments},
        "translations": {f"nat{key}": {"segment": key, "circuit": "circ0"} for key in plan.segments},
    }  # fmt: skip
    return SitePlan.model_validate(document)


DOCK, MILL = with_edge(DOCK), with_edge(MILL)


def put(path: str, value: object) -> list[dict[str, object]]:
    return [{"op": "add", "path": path, "value": value}]


class WithRecords(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.database = Database(self.folder)
        self.addCleanup(lambda: self.database.close())
        self.plans = self.without_types()
        self.plans.save_all([DOCK, MILL], "Ines", "Loaded from tables", {"FERN": "Fernhollow"})

    def reopen(self) -> None:
        self.database.close()
        self.database = Database(self.folder)
        self.plans = self.without_types()

    def without_types(self) -> Plans:
        """The plans of the database, which no rule of boxes looks at."""
        records = Records(self.database)
        with self.database.turn() as turn:
            turn.now = turn.now.with_(sites=turn.now.sites.within(None, hardware=None))
        return records.plans

    def rules(self, key: str) -> list[str]:
        return [judged.finding.rule for judged in self.plans.now.judged(key)]


class Revising(WithRecords):
    def test_each_change_is_a_numbered_revision_with_a_sentence(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Marek")
        self.assertEqual(
            [(s.number, s.by, s.sentence) for s in self.plans.history("fern/dock")],
            [(2, "Marek", "Office range end 10.40.8.254 → 10.40.8.249"), (1, "Ines", "Loaded from tables")],
        )

    def test_findings_follow_here_and_at_the_sites_it_touches(self) -> None:
        self.assertIn("overlap-scope-static", self.rules("FERN/DOCK"))
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Marek")
        self.assertNotIn("overlap-scope-static", self.rules("FERN/DOCK"))
        self.assertEqual(self.rules("FERN/MILL"), [])
        self.plans.revise("FERN/DOCK", put("/segments/seg0/subnet", "10.40.8.0/23"), 2, "Marek")
        self.assertEqual(self.rules("FERN/MILL"), ["overlap-reach"])
        self.plans.revise("FERN/DOCK", put("/segments/seg0/subnet", "10.40.8.0/24"), 3, "Marek")
        self.assertEqual(self.rules("FERN/MILL"), [])

    def test_everything_is_there_after_opening_again(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Marek")
        before = (self.plans.now.plan("fern/dock"), self.rules("fern/dock"), self.plans.now.saved("fern/dock"))
        self.reopen()
        self.assertEqual(
            (self.plans.now.plan("fern/dock"), self.rules("fern/dock"), self.plans.now.saved("fern/dock")), before
        )
        self.assertEqual(self.plans.now.customer_name(DOCK), "Fernhollow")

    def test_a_change_that_changes_nothing_makes_no_revision(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.254"), 1, "Marek")
        self.assertEqual(self.plans.now.saved("FERN/DOCK").number, 1)

    def test_what_makes_the_plan_unreadable_is_refused_and_nothing_kept(self) -> None:
        for operations, words in (
            (put("/segments/seg0/vlan", 4095), "4094"),
            (put("/segments/seg0/gateway", "10.0.0.300"), "Octet 300"),
            (put("/segments/seg0/nonsense", 1), "no such field"),
            (put("/nowhere/at/all", 1), "does not fit"),
            ([{"op": "remove", "path": "/segments/seg0"}], "host 'phone' is in segment"),
            ([{"op": "remove", "path": "/segments/gone"}], "does not fit"),
            ([{"op": "move", "from": "/name", "path": "/street"}], "Only add, replace and remove"),
            (put("/site", "OTHER"), "cannot be changed"),
            (put("/accepted/x", {}), "cannot be changed"),
            (put("", {}), "cannot be changed"),
        ):
            with self.subTest(operations), self.assertRaises(BadChange) as caught:
                self.plans.revise("FERN/DOCK", operations, 1, "Marek")
            self.assertIn(words, str(caught.exception))
        self.assertEqual(self.plans.now.plan("FERN/DOCK"), DOCK)
        with self.assertRaises(NoSuchSite):
            self.plans.revise("FERN/NONE", put("/name", "x"), 1, "Marek")
        with self.assertRaises(BadChange):
            self.plans.revise("FERN/DOCK", put("/name", "x"), 7, "Marek")

    def test_changes_to_other_values_are_merged(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Marek")
        self.plans.revise("FERN/DOCK", put("/segments/seg0/vlan", 10), 1, "Ines")
        merged = self.plans.now.plan("FERN/DOCK").segments["seg0"]
        self.assertEqual((merged.vlan, str(merged.scope.last)), (10, "10.40.8.249"))

    def test_a_change_to_the_same_value_is_refused_with_both(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Marek")
        with self.assertRaises(Conflict) as caught:
            self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.199"), 1, "Ines")
        (clash,) = caught.exception.clashes
        self.assertEqual(tuple(clash), (LAST, "10.40.8.254", "10.40.8.199", "10.40.8.249"))
        self.assertEqual((caught.exception.by, caught.exception.revision), ("Marek", 2))

    def test_the_same_value_from_two_people_is_no_conflict(self) -> None:
        for by in ("Marek", "Ines"):
            self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, by)
        self.assertEqual(self.plans.now.saved("FERN/DOCK").by, "Marek")

    def test_lists_clash_as_a_whole_and_removed_members_with_their_values(self) -> None:
        self.plans.revise("FERN/DOCK", put("/circuits/circ0/resolvers", ["192.0.2.53"]), 1, "Marek")
        with self.assertRaises(Conflict):
            self.plans.revise("FERN/DOCK", put("/circuits/circ0/resolvers/0", "192.0.2.99"), 1, "Ines")
        self.plans.revise("FERN/DOCK", [{"op": "remove", "path": "/hosts/host0"}], 2, "Marek")
        with self.assertRaises(Conflict):
            self.plans.revise("FERN/DOCK", put("/hosts/host0/address", "10.40.8.9"), 2, "Ines")

    def test_many_threads_lose_nothing(self) -> None:
        def rename(number: int) -> None:
            self.plans.revise("FERN/DOCK", put(f"/circuits/circ0/uses/203.0.113.{number}", f"use {number}"), 1, "T")

        threads = [threading.Thread(target=rename, args=(number,)) for number in range(19, 23)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(self.plans.now.plan("FERN/DOCK").circuits["circ0"].uses), 4)
        self.assertEqual(self.plans.now.saved("FERN/DOCK").number, 5)


class Clearing(WithRecords):
    def warn(self) -> tuple[str, str, str]:
        finding = next(j.finding for j in self.plans.now.judged("FERN/DOCK") if j.finding.rule == "common-default")
        return finding.rule, finding.path, finding.addresses

    def make_clear(self) -> None:
        self.plans.revise("FERN/DOCK", put(LAST, "10.40.8.249"), 1, "Ines")
        self.plans.accept("FERN/DOCK", *self.warn(), "Guests only", "Ines")
        self.plans.sign("FERN/DOCK", self.plans.now.saved("FERN/DOCK").number, "Ines")

    def test_stops_and_open_warns_stand_in_the_way(self) -> None:
        with self.assertRaisesRegex(NotClear, "2 findings"):
            self.plans.sign("FERN/DOCK", 1, "Ines")
        self.make_clear()
        signature = self.plans.now.signature("FERN/DOCK")
        assert signature
        self.assertEqual((signature.by, signature.void), ("Ines", None))

    def test_a_later_change_voids_the_clearance_and_says_so(self) -> None:
        self.make_clear()
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 3, "Marek")
        self.reopen()
        signature = self.plans.now.signature("FERN/DOCK")
        assert signature and signature.void
        self.assertIn("Marek changed the plan since, in revision 4: Contact empty → Ada", signature.void)

    def test_a_stop_from_another_site_voids_it_too(self) -> None:
        self.make_clear()
        self.plans.revise("FERN/MILL", put("/segments/seg0/subnet", "10.40.8.0/23"), 1, "Marek")
        signature = self.plans.now.signature("FERN/DOCK")
        assert signature and signature.void
        self.assertIn("another site", signature.void)

    def test_an_acceptance_holds_for_the_very_addresses(self) -> None:
        self.plans.accept("FERN/DOCK", *self.warn(), "Guests only", "Ines")
        self.assertNotIn("common-default", [j.finding.rule for j in self.plans.now.judged("FERN/DOCK") if j.blocks])
        self.plans.revise("FERN/DOCK", put("/segments/seg1/subnet", "192.168.0.0/24"), 2, "Ines")
        self.assertIn("common-default", [j.finding.rule for j in self.plans.now.judged("FERN/DOCK") if j.blocks])

    def test_only_a_standing_warn_can_be_accepted_once_and_taken_back(self) -> None:
        stop = next(j.finding for j in self.plans.now.judged("FERN/DOCK") if j.finding.severity == "stop")
        with self.assertRaisesRegex(BadChange, "Only a warn"):
            self.plans.accept("FERN/DOCK", stop.rule, stop.path, stop.addresses, "why not", "Ines")
        with self.assertRaisesRegex(BadChange, "does not stand"):
            self.plans.accept("FERN/DOCK", "wan-private", "/circuits/circ0", "x", "why not", "Ines")
        warn = self.warn()
        self.plans.accept("FERN/DOCK", *warn, "Guests only", "Ines")
        with self.assertRaisesRegex(BadChange, "already"):
            self.plans.accept("FERN/DOCK", *warn, "Guests only", "Ines")
        (acceptance,) = self.plans.now.plan("FERN/DOCK").accepted
        self.plans.withdraw("FERN/DOCK", acceptance, "Ines")
        with self.assertRaises(BadChange):
            self.plans.withdraw("FERN/DOCK", acceptance, "Ines")

    def test_only_the_newest_revision_of_a_whole_plan_is_signed(self) -> None:
        with self.assertRaisesRegex(BadChange, "changed since"):
            self.plans.sign("FERN/MILL", 9, "Ines")
        self.plans.save_all([site("FERN/BARE")], "Ines", "Made")
        with self.assertRaisesRegex(NotClear, "at least one circuit"):
            self.plans.sign("FERN/BARE", 1, "Ines")


class Keeping(WithRecords):
    def test_derived_rows_follow_the_newest_revision(self) -> None:
        def count(table: type[Base]) -> int:
            with writing(self.database) as session:
                return session.scalar(select(func.count()).select_from(table)) or 0

        before = count(Claim), count(Name)
        self.plans.revise("FERN/DOCK", [{"op": "remove", "path": "/hosts/host1"}], 1, "Ines")
        self.assertEqual((count(Claim), count(Name)), (before[0] - 1, before[1] - 2))

    def test_a_folder_has_one_process(self) -> None:
        with self.assertRaisesRegex(DataFolderError, "in use"):
            Database(self.folder)

    def test_what_was_acknowledged_survives_a_kill(self) -> None:
        self.database.close()
        script = (
            "import sys\nfrom pathlib import Path\nfrom octaplan.store.database import Database\n"
            "from octaplan.store.records import Records\n"
            "plans = Records(Database(Path(sys.argv[1]))).plans\n"
            "for n in range(1, 10**6):\n"
            "    op = {'op': 'add', 'path': '/contact', 'value': str(n)}\n"
            "    plans.revise('FERN/DOCK', [op], n, 'Ines')\n"
            "    print(n, flush=True)\n"
        )
        root = Path(__file__).parents[2]
        command = [sys.executable, "-c", script, str(self.folder)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=root, env=os.environ) as writer:
            assert writer.stdout
            acknowledged = [int(writer.stdout.readline()) for _ in range(25)][-1]
            writer.kill()
        self.database = Database(self.folder)
        contact = Records(self.database).now.sites.plan("FERN/DOCK").contact
        self.assertGreaterEqual(int(contact or 0), acknowledged)


class Finding(WithRecords):
    def kinds(self, text: str) -> list[tuple[str, str]]:
        return [(place.kind, place.name) for place in find(self.database, text).places]

    def test_an_address_answers_what_it_is_and_what_holds_it(self) -> None:
        self.assertEqual(self.kinds("10.40.8.250"), [("host", "phone"), ("range", "Office"), ("segment", "Office")])
        self.assertEqual(find(self.database, "10.40.8.250").understood, "10.40.8.250 is the host phone of FERN/DOCK")
        self.assertEqual(
            find(self.database, "10.40.8.30").understood,
            "10.40.8.30 can be leased from 10.40.8.20–10.40.8.254 at FERN/DOCK",
        )
        blocks = {"fern": [Network.holding(parse_address("10.40.0.0"), 16)]}
        told = "10.40.8.9 is free in Office of FERN/DOCK, in the block 10.40.0.0/16 of FERN"
        self.assertEqual(find(self.database, "10.40.8.9", blocks).understood, told)
        self.assertEqual(find(self.database, "10.9.9.9", blocks).understood, "Nothing uses 10.9.9.9")
        self.assertEqual(find(self.database, "10.99.0.1").understood, "Nothing uses 10.99.0.1")
        self.assertEqual(self.kinds("203.0.113.18")[0], ("address", "Main"))

    def test_a_subnet_answers_with_what_it_touches(self) -> None:
        self.assertIn("touched by 7 claims", find(self.database, "10.40.0.0/16").understood)
        self.assertEqual(find(self.database, "10.40.9.0 255.255.255.0").places[0].addresses, "10.40.9.0/24")

    def test_names_and_macs_in_any_notation(self) -> None:
        self.assertEqual(self.kinds("0240.0800.0001"), [("MAC", "02:40:08:00:00:01")])
        self.assertEqual(self.kinds("PRINT"), [("host", "printer")])
        self.assertEqual(self.kinds("fernhollow dock"), [("site", "Dockside")])
        self.assertEqual(self.kinds("100%"), [])
        self.assertEqual(find(self.database, "  ").places, [])

    def test_parts_of_addresses_and_ranges(self) -> None:
        self.assertEqual(self.kinds("10.40.8")[0], ("segment", "Office"), "a subnet before its hosts")
        self.assertEqual(self.kinds("10.40.8.")[0], ("segment", "Office"))
        self.assertEqual(self.kinds(".250"), [("host", "phone")])
        self.assertEqual(find(self.database, ".8.250").understood, "1 address ends in .8.250")
        self.assertEqual(find(self.database, ".251").understood, "No address ends in .251")
        self.assertIn(("host", "phone"), self.kinds("10.40.8.240-10.40.8.255"))
        self.assertIn(("host", "phone"), self.kinds("10.40.8.240-255"))
        self.assertNotIn(("host", "phone"), self.kinds("10.40.8.20 - .30"))

    def test_what_looks_like_an_address_and_is_none_is_told(self) -> None:
        for text, words in (
            ("10.40.8.300", "Octet 300"),
            ("10.40.8.0/33", "33"),
            ("2001:db8::g", ""),
            ("1.2.3.4.5", ""),
        ):
            found = find(self.database, text)
            self.assertEqual(found.places, [])
            self.assertIn(words, found.understood)
            self.assertTrue(found.understood)

    def test_vlans_phones_people_and_words_of_site_and_member_at_once(self) -> None:
        plans = Records(self.database).plans
        held = plans.now.of("FERN/DOCK")
        key = next(iter(held.plan.segments))
        plans.revise("FERN/DOCK", [
            {"op": "add", "path": "/contact", "value": "Mara Quill, 01632 960 142"},
            {"op": "add", "path": f"/segments/{key}/vlan", "value": 20},
        ], held.saved.number, "Ines")  # fmt: skip
        self.assertEqual(self.kinds("VLAN 20"), [("segment", "Office")])
        self.assertEqual(self.kinds("vlan 2"), [])
        for text in ("01632960142", "+1632 960142", "960-142", "mara quill"):
            self.assertEqual(self.kinds(text), [("contact", "Mara Quill, 01632 960 142")], text)
        self.assertEqual(self.kinds("dockside phone"), [("host", "phone")])
        self.assertEqual(self.kinds("phone fernhollow"), [("host", "phone")])
        self.assertEqual(self.kinds("mill phone"), [])

    def test_words_of_an_older_release_are_worked_out_anew(self) -> None:
        with self.database.turn() as turn:
            turn.session.execute(delete(Name))
        self.assertEqual(self.kinds("print"), [])
        Records(self.database)
        self.assertEqual(self.kinds("print"), [("host", "printer")])


class Importing(WithRecords):
    def setUp(self) -> None:
        super().setUp()
        records = Records(self.database)
        self.plans, self.imports = records.plans, records.imports

    table = b"customer,site,segment,vlan\nFERN,DOCK,office,10\nFERN,NOOK,office,11\nFERN,NOOK,voice,4095\n"

    def test_a_preview_changes_nothing_and_applying_changes_all(self) -> None:
        preview = self.imports.preview([("segments.csv", self.table)], "Ines")
        self.assertEqual(
            [(s.plan.site, s.new, len(s.changes)) for s in preview.sites], [("DOCK", False, 1), ("NOOK", True, 0)]
        )
        self.assertEqual(self.plans.now.plan("FERN/DOCK"), DOCK)
        self.assertEqual(self.imports.apply(preview.id, "Ines").sites, 2)
        self.assertEqual(self.plans.now.plan("FERN/DOCK").segments["seg0"].vlan, 10)
        self.assertEqual(self.plans.now.saved("FERN/DOCK").sentence, "Loaded from tables: Office VLAN empty → 10")
        again = self.imports.preview([("segments.csv", self.table)], "Ines")
        self.assertEqual([s.changes for s in again.sites], [[], []])

    def test_an_import_is_applied_once(self) -> None:
        preview = self.imports.preview([("segments.csv", self.table)], "Ines")
        self.imports.apply(preview.id, "Ines")
        with self.assertRaises(ImportGone):
            self.imports.apply(preview.id, "Ines")

    def test_plans_that_moved_since_the_preview_are_not_overwritten(self) -> None:
        preview = self.imports.preview([("segments.csv", self.table)], "Ines")
        self.plans.revise("FERN/DOCK", put("/segments/seg0/vlan", 77), 1, "Marek")
        with self.assertRaises(ImportMoved):
            self.imports.apply(preview.id, "Ines")
        self.assertEqual(self.plans.now.plan("FERN/DOCK").segments["seg0"].vlan, 77)

    def test_refused_rows_are_kept_and_come_back_as_a_table(self) -> None:
        preview = self.imports.preview([("segments.csv", self.table)], "Ines")
        self.imports.apply(preview.id, "Ines")
        self.reopen()
        text = Records(self.database).imports.refused_table(preview.id, "segments")
        self.assertEqual(text, "customer,site,segment,vlan\r\nFERN,NOOK,voice,4095\r\n")
        with writing(self.database) as session:
            self.assertIn("1 to 4094", session.scalars(select(InboxRow.faults)).one())
