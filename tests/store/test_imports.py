"""Imports: what is chosen is loaded, one undo takes it back, refused rows wait in the inbox, doubts are shown."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from unittest.mock import patch

from sqlalchemy import select

from octaplan.core.plan.site import SitePlan
from octaplan.store.batches import Batches
from octaplan.store.imports import ImportGone, ImportMoved, Preview
from octaplan.store.models import Batch, Clearance
from octaplan.store.records import Records
from octaplan.store.refusals import BadChange, NoSuchSite
from tests.store.test_plans import WithRecords
from tests.support import circuit, segment, site, writing

SITES = b"customer,site,name,time_zone\nSHOP,S1,Shop 1,Europe/Dublin\nSHOP,S2,Shop 2,Europe/Dublin\n"


class WithImports(WithRecords):
    def setUp(self) -> None:
        super().setUp()
        records = Records(self.database)
        self.plans, self.imports, self.records = records.plans, records.imports, records
        self.batches = Batches(self.database, self.plans)

    def preview(self, content: bytes, name: str = "sites.csv") -> Preview:
        return self.imports.preview([(name, content)], "Ines")


class Conversation(WithImports):
    def test_what_is_left_out_is_not_loaded(self) -> None:
        loaded = self.imports.apply(self.preview(SITES).id, "Ines", ["SHOP/S2"])
        self.assertEqual(loaded.sites, 1)
        self.assertIn("shop/s1", self.plans.now.all())
        self.assertNotIn("shop/s2", self.plans.now.all())

    def test_one_undo_takes_the_whole_import_back(self) -> None:
        self.plans.save_all([site("SHOP/S1", name="Old name")], "Ines", "Loaded")
        loaded = self.imports.apply(self.preview(SITES).id, "Ines")
        assert loaded.batch
        undone = self.batches.undo(loaded.batch, "Ines")
        self.assertEqual((undone.undone, undone.moved), (2, []))
        self.assertEqual(self.plans.now.plan("SHOP/S1").name, "Old name")
        with self.assertRaises(NoSuchSite):
            self.plans.now.plan("SHOP/S2")
        again = self.imports.apply(self.preview(SITES).id, "Ines")
        self.assertEqual((again.sites, self.plans.now.saved("SHOP/S2").number), (2, 1))
        self.assertEqual(set(Records(self.database).plans.now.all()), set(self.plans.now.all()))

    def test_a_new_site_that_has_moved_on_stays(self) -> None:
        loaded = self.imports.apply(self.preview(SITES).id, "Ines")
        assert loaded.batch
        self.plans.revise("SHOP/S1", [{"op": "add", "path": "/name", "value": "High Street"}], 1, "Sabine")
        undone = self.batches.undo(loaded.batch, "Ines")
        self.assertEqual((undone.undone, undone.moved), (1, ["SHOP/S1"]))
        self.assertEqual(self.plans.now.plan("SHOP/S1").name, "High Street")

    def test_a_secret_that_came_with_the_tables_goes_with_its_site(self) -> None:
        table = b"customer,site,circuit,handoff,pppoe_user,pppoe_password\nSHOP,S1,Main,pppoe,u1,tide-rope-91\n"
        loaded = self.imports.apply(self.preview(table, "circuits.csv").id, "Ines")
        key = next(iter(self.plans.now.plan("SHOP/S1").circuits))
        self.assertTrue(self.records.safe.holds("shop/s1", f"circuits/{key}/pppoe", "tide-rope-91"))
        assert loaded.batch
        self.assertEqual(self.batches.undo(loaded.batch, "Ines").undone, 1)
        self.assertFalse(self.records.safe.holds("shop/s1", f"circuits/{key}/pppoe", "tide-rope-91"))
        newest = self.records.journal.lines()[0]
        self.assertEqual((newest.act, newest.site, newest.by), ("site taken back", "SHOP/S1", "Ines"))

    def test_the_same_again_changes_nothing(self) -> None:
        self.imports.apply(self.preview(SITES).id, "Ines")
        again = self.preview(SITES)
        self.assertFalse(any(one.new or one.changes for one in again.sites))
        self.assertEqual(self.imports.apply(again.id, "Ines"), (0, None))

    def test_a_change_in_between_is_looked_at_first(self) -> None:
        self.imports.apply(self.preview(SITES).id, "Ines")
        second = self.preview(SITES.replace(b"Shop 1", b"Shop One"))
        self.plans.revise("SHOP/S1", [{"op": "add", "path": "/street", "value": "1 Quay"}], 1, "Sabine")
        with self.assertRaises(ImportMoved):
            self.imports.apply(second.id, "Ines")
        third = self.preview(SITES.replace(b"Shop 2", b"Shop Two"))
        self.plans.revise("SHOP/S1", [{"op": "add", "path": "/street", "value": "2 Quay"}], 2, "Sabine")
        self.assertEqual(self.imports.apply(third.id, "Ines", ["SHOP/S1"]).sites, 1, "what is left out may move")

    def test_it_is_loaded_after_a_restart_too(self) -> None:
        shown = self.preview(SITES)
        fresh = Records(self.database).imports
        self.assertEqual(fresh.apply(shown.id, "Ines").sites, 2)
        with self.assertRaises(ImportGone):
            fresh.apply(shown.id, "Ines")

    def test_a_stop_while_loading_leaves_everything_as_it_was(self) -> None:
        before, shown = self.plans.now.all(), self.preview(SITES)

        class Stopped(Exception):
            pass

        def stop(written: int) -> None:
            if written == 2:
                raise Stopped

        with self.assertRaises(Stopped):
            self.imports.apply(shown.id, "Ines", progress=stop)
        self.assertEqual(self.plans.now.all(), before)
        self.assertEqual(Records(self.database).plans.now.all(), before)
        self.assertEqual(self.imports.apply(shown.id, "Ines").sites, 2)


class Stopped(Exception):
    """Somebody has stopped the import."""


class InParts(WithImports):
    """Large tables are written in short turns, and are loaded wholly or not at all all the same."""

    MANY = b"customer,site,name\n" + b"".join(b"SHOP,S%d,Shop %d\n" % (number, number) for number in range(30))

    def shops(self) -> dict[str, SitePlan]:
        return {key: plan for key, plan in self.plans.now.all().items() if key.startswith("shop/")}

    def stop_after(self, sites: int, meanwhile: Callable[[], object] = lambda: None) -> Callable[[int], None]:
        written = [0]

        def progress(_: int) -> None:
            written[0] += 1
            if written[0] > sites:
                meanwhile()
                raise Stopped

        return progress

    def test_what_has_come_is_taken_back_when_it_is_stopped(self) -> None:
        self.plans.save_all([site("SHOP/S1", name="Old name")], "Ines", "Loaded")
        shown = self.preview(self.MANY)
        with self.assertRaises(Stopped):
            self.imports.apply(shown.id, "Ines", progress=self.stop_after(25))
        self.assertEqual({key: p.name for key, p in self.shops().items()}, {"shop/s1": "Old name"})
        self.assertEqual(self.imports.apply(self.preview(self.MANY).id, "Ines").sites, 30)
        self.assertEqual(set(Records(self.database).plans.now.all()), set(self.plans.now.all()))

    def test_what_somebody_has_changed_meanwhile_stays_and_is_said(self) -> None:
        shown = self.preview(self.MANY)
        change = [{"op": "add", "path": "/contact", "value": "Mr. Lint"}]

        def revise() -> None:
            changed = self.plans.revise(next(iter(self.shops())), change, 1, "Sabine")
            self.assertEqual(changed.contact, "Mr. Lint")

        def stop(_: int) -> None:
            if len(self.shops()) >= 10 and not changing:
                changing.append(threading.Thread(target=revise))
                changing[0].start()
                while not self.database.waiting:  # its turn comes before the next part of the import
                    time.sleep(0)
            if any(plan.contact for plan in self.shops().values()):
                raise Stopped

        changing: list[threading.Thread] = []
        with self.assertRaises(Stopped) as raised:
            self.imports.apply(shown.id, "Ines", progress=stop)
        changing[0].join()
        self.assertEqual([plan.contact for plan in self.shops().values()], ["Mr. Lint"])
        self.assertIn("has been changed by others meanwhile and stays", raised.exception.__notes__[0])

    def test_another_writer_gets_a_turn_in_between(self) -> None:
        change = [{"op": "add", "path": "/contact", "value": "Mr. Lint"}]
        order: list[str] = []

        def other() -> None:
            self.plans.revise("FERN/DOCK", change, 1, "Sabine")
            order.append("other")

        writer = threading.Thread(target=other)

        def progress(_: int) -> None:
            order.append("import")
            if len(order) == 1:
                writer.start()
                while not self.database.waiting:
                    time.sleep(0)

        self.imports.apply(self.preview(self.MANY).id, "Ines", progress=progress)
        writer.join()
        self.assertIn("other", order[:10])

    def test_what_was_cut_short_is_taken_back_at_the_next_start(self) -> None:
        """As after a kill: nobody came to take back what had been written."""
        self.plans.save_all([site("SHOP/S1", name="Old name")], "Ines", "Loaded")
        shown = self.preview(self.MANY)
        with patch.object(self.imports, "_batches") as nobody, self.assertRaises(Stopped):
            nobody.take_back.return_value.moved = []
            self.imports.apply(shown.id, "Ines", progress=self.stop_after(25))
        self.assertGreater(len(self.shops()), 10)
        self.assertEqual(self.batches.recent(), [])
        again = Records(self.database)
        self.plans = again.plans
        self.assertEqual(again.batches.finish(), ["30 sites from tables"])
        self.assertEqual({key: p.name for key, p in self.shops().items()}, {"shop/s1": "Old name"})
        self.assertEqual(again.batches.finish(), [])
        self.assertEqual(
            again.imports.apply(again.imports.preview([("sites.csv", self.MANY)], "Ines").id, "Ines").sites, 30
        )

    def test_a_change_that_is_being_written_is_not_undone(self) -> None:
        shown = self.preview(self.MANY)
        refused: list[str] = []

        def progress(_: int) -> None:
            if not refused and self.shops():
                with self.database.reading() as session:
                    batch = session.scalars(select(Batch.id)).one()
                try:
                    self.batches.undo(batch, "Sabine")
                except BadChange as error:
                    refused.append(str(error))

        self.imports.apply(shown.id, "Ines", progress=progress)
        self.assertIn("being written or taken back", refused[0])


class Doubts(WithImports):
    def doubts(self, content: bytes, name: str = "sites.csv") -> list[str]:
        return [doubt for one in self.preview(content, name).sites for doubt in one.doubts]

    def test_a_renamed_site_and_a_changed_code(self) -> None:
        self.imports.apply(self.preview(SITES).id, "Ines")
        self.assertEqual(self.doubts(SITES), [])
        renamed = self.doubts(SITES.replace(b"Shop 2", b"Shop Two"))
        self.assertEqual(renamed, ["It is renamed: Shop 2 is called Shop Two in the tables"])
        recoded = self.doubts(SITES.replace(b",S2,", b",S20,"))
        self.assertIn("SHOP/S2 has the same name", recoded[0])
        lines = site("SHOP/S3", circuits=[circuit(reference="CL-9")])
        self.plans.save_all([lines], "Ines", "Loaded")
        table = b"customer,site,circuit,reference\nSHOP,S30,Main,CL-9\n"
        self.assertIn("SHOP/S3 has a circuit with the same reference", self.doubts(table, "circuits.csv")[0])

    def test_a_confirmed_answer_that_is_contradicted(self) -> None:
        plan = site("SHOP/S1", circuits=[circuit()])
        said = {"text": "203.0.113.17", "by": "Ines", "source": "Dana", "at": "2027-03-01T09:00:00Z", "confirmed": True}
        plan = SitePlan.model_validate(plan.document() | {"answers": {"gateway.circ0": said}})
        self.plans.save_all([plan], "Ines", "Loaded")
        table = b"customer,site,circuit,gateway\nSHOP,S1,Main,203.0.113.22\n"
        told = "gateway: Dana confirmed 203.0.113.17 on 2027-03-01, the tables say 203.0.113.22"
        self.assertEqual(self.doubts(table, "circuits.csv"), [told])
        self.assertEqual(self.doubts(table.replace(b".22", b".17"), "circuits.csv"), [])

    def test_two_rows_for_one_site_are_shown_side_by_side(self) -> None:
        shown = self.preview(SITES + b"SHOP,S1,Shop 1b,Europe/Dublin\n")
        problem = shown.intake.refused[0].faults[0].problem
        self.assertEqual(problem, "Row 2 already names it (name Shop 1 there, Shop 1b here): keep one of the two rows")


class Inbox(WithImports):
    def setUp(self) -> None:
        super().setUp()
        self.imports.apply(self.preview(SITES).id, "Ines")
        self.table = (
            b"customer,site,segment,vlan,subnet\nSHOP,S1,Office,10,10.80.0.0/24\nSHOP,S2,Office,4095,10.80.1.0/24\n"
        )

    def load(self) -> int:
        self.imports.apply(self.preview(self.table, "segments.csv").id, "Ines")
        return self.imports.inbox()[0].id

    def test_a_row_stays_until_it_is_mended_in_place(self) -> None:
        self.assertEqual(self.imports.inbox(), [])
        row = self.load()
        waiting = Records(self.database).imports.inbox()[0]
        self.assertEqual((waiting.table, waiting.row, waiting.cells[3]), ("segments", 3, "4095"))
        self.assertIn("4095", waiting.faults[0].value)
        still = self.imports.mend(row, ["SHOP", "S2", "Office", "5000", "10.80.1.0/24"], "Sabine")
        self.assertEqual((still.faults[0].value, still.changes), ("5000", []))
        self.assertEqual(self.imports.inbox()[0].cells[3], "5000", "what was typed is kept")
        mended = self.imports.mend(row, ["SHOP", "S2", "Office", "11", "10.80.1.0/24"], "Sabine")
        self.assertEqual((mended.faults, mended.changes), ([], ["Added segment Office"]))
        self.assertEqual(self.imports.inbox(), [])
        assert mended.batch
        self.batches.undo(mended.batch, "Sabine")
        self.assertEqual(len(self.plans.now.plan("SHOP/S2").segments), 0)
        with self.assertRaises(ImportGone):
            self.imports.mend(row, ["SHOP", "S2", "Office", "11", "10.80.1.0/24"], "Sabine")

    def test_a_mended_row_makes_no_site(self) -> None:
        faults = self.imports.mend(self.load(), ["SHOP", "S9", "Office", "11", "10.80.1.0/24"], "Ines").faults
        self.assertIn("not in the sites table", faults[0].problem)

    def test_the_mended_table_loaded_again_settles_it(self) -> None:
        self.load()
        shown = self.preview(self.table.replace(b"4095", b"12"), "segments.csv")
        self.assertEqual(len(self.imports.inbox()), 1, "not before it is applied")
        self.imports.apply(shown.id, "Ines")
        self.assertEqual(self.imports.inbox(), [])

    def test_a_site_that_is_left_out_leaves_its_row_waiting(self) -> None:
        self.load()
        shown = self.preview(self.table.replace(b"4095", b"12"), "segments.csv")
        self.imports.apply(shown.id, "Ines", ["SHOP/S2"])
        self.assertEqual(len(self.imports.inbox()), 1)

    def test_a_row_is_dismissed_and_a_preview_let_go_leaves_none(self) -> None:
        self.imports.dismiss(self.load(), "Ines")
        self.assertEqual(self.imports.inbox(), [])
        shown = self.preview(self.table, "segments.csv")
        self.imports.discard(shown.id)
        with self.assertRaises(ImportGone):
            self.imports.apply(shown.id, "Ines")
        with self.assertRaises(ImportGone):
            self.imports.refused_table(shown.id, "segments")


class Removing(WithImports):
    def test_a_site_goes_whole_and_one_that_was_cleared_stays(self) -> None:
        self.plans.save_all([site("SHOP/S1", [segment()]), site("SHOP/S2", [segment()])], "Ines", "Loaded")
        self.assertEqual(self.plans.remove(["SHOP/S1", "nowhere"], "Ines"), [])
        self.assertNotIn("shop/s1", self.plans.now.findings())
        self.assertEqual([f for f in self.plans.now.findings()["shop/s2"] if f.rule == "overlap-reach"], [])
        with writing(self.database) as session:
            number = self.plans.now.site_id("shop/s2")
            now = self.plans.now.saved("shop/s2").at
            session.add(Clearance(site_id=number, revision=1, digest="", by="Ines", at=now))
        self.assertEqual(self.plans.remove(["shop/s2"], "Ines"), ["shop/s2"])
        self.assertIn("shop/s2", self.plans.now.all())
