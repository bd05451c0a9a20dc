"""One change at many sites: what is shown is what is done, in one transaction, and one undo takes it back."""

from __future__ import annotations

from sqlalchemy import func, select

from octaplan.core.plan.site import SitePlan
from octaplan.store.batches import MOST, ROUNDS, Batches
from octaplan.store.models import Batch, Revision
from octaplan.store.records import Records
from octaplan.store.refusals import BadChange, Moved, NoSuchSite
from tests.store.test_plans import WithRecords, put
from tests.support import segment, site, writing

RULE = "overlap-scope-static"


def shop(number: int, hosts: int = 1) -> SitePlan:
    """A shop with so many fixed hosts inside its range."""
    net = f"10.60.{number}"
    scope = {"first": f"{net}.20", "last": f"{net}.254"}
    placed = [("Voice", f"phone {n}", f"{net}.{200 + n}") for n in range(hosts)]
    return site(f"LOOM/S{number}", [segment("Voice", f"{net}.0/24", role="voice", scope=scope)], placed)  # type: ignore[arg-type]


class ManySites(WithRecords):
    def setUp(self) -> None:
        super().setUp()
        self.keys = [f"loom/s{n}" for n in range(3)]
        self.plans.save_all([shop(n) for n in range(3)], "Ines", "Loaded")
        self.batches = Batches(self.database, self.plans)

    def revisions(self) -> list[int]:
        return [self.plans.now.saved(key).number for key in self.keys]

    def test_a_preview_leaves_no_trace(self) -> None:
        before = self.plans.now.findings()
        plans = [self.plans.now.plan(key) for key in self.keys]
        shown = self.batches.preview(RULE, self.keys)
        self.assertEqual([one.left for one in shown], [0, 0, 0])
        self.assertTrue(all(one.changes for one in shown))
        self.assertEqual(self.plans.now.findings(), before)
        self.assertEqual([self.plans.now.plan(key) for key in self.keys], plans)
        self.assertEqual(self.revisions(), [1, 1, 1])

    def test_a_preview_that_fails_leaves_none_either(self) -> None:
        plans = [self.plans.now.plan(key) for key in self.keys]
        with self.assertRaises(NoSuchSite):
            self.batches.preview(RULE, [*self.keys, "loom/none"])
        self.assertEqual([self.plans.now.plan(key) for key in self.keys], plans)

    def test_what_was_shown_is_what_is_done(self) -> None:
        shown = self.batches.preview(RULE, self.keys)
        name, done = self.batches.apply(RULE, dict.fromkeys(self.keys, 1), "Ines")
        self.assertEqual([one.remedies for one in done], [one.remedies for one in shown])
        self.assertEqual(self.revisions(), [2, 2, 2])
        self.assertEqual([f.rule for key in self.keys for f in self.plans.now.findings()[key] if f.rule == RULE], [])
        with writing(self.database) as session:
            count = select(func.count()).select_from(Revision).where(Revision.batch == name)
            self.assertEqual(session.execute(count).scalar_one(), 3)
        self.assertIn("mended at 3 sites", self.batches.recent()[0].sentence)

    def test_it_outlasts_a_restart_and_so_does_its_undo(self) -> None:
        name, _ = self.batches.apply(RULE, dict.fromkeys(self.keys, 1), "Ines")
        fresh = Records(self.database).plans
        self.assertEqual([fresh.now.plan(key) for key in self.keys], [self.plans.now.plan(key) for key in self.keys])
        self.assertEqual(self.batches.undo(name, "Marek").undone, 3)
        self.assertEqual([self.plans.now.plan(f"LOOM/S{n}") for n in range(3)], [shop(n) for n in range(3)])
        with self.assertRaises(BadChange):
            self.batches.undo(name, "Marek")
        with self.assertRaises(BadChange):
            self.batches.undo("no such batch", "Marek")

    def test_all_or_nothing(self) -> None:
        self.plans.revise("LOOM/S1", put("/contact", "Ada"), 1, "Marek")
        with self.assertRaises(Moved):
            self.batches.apply(RULE, dict.fromkeys(self.keys, 1), "Ines")
        self.assertEqual(self.revisions(), [1, 2, 1])
        with writing(self.database) as session:
            self.assertEqual(session.scalars(select(Batch)).all(), [])

    def test_several_findings_of_one_site_are_mended_together(self) -> None:
        self.plans.save_all([shop(7, hosts=5)], "Ines", "Loaded")
        [one] = self.batches.preview(RULE, ["LOOM/S7"])
        self.assertEqual(one.left, 0)
        self.assertLessEqual(len(one.remedies), ROUNDS)

    def test_what_has_been_accepted_is_left_alone(self) -> None:
        self.plans.save_all([site("LOOM/G", [segment("Guest", "192.168.1.0/24", role="guest")])], "Ines", "Loaded")
        finding = next(f for f in self.plans.now.findings()["loom/g"] if f.rule == "common-default")
        self.plans.accept("LOOM/G", finding.rule, finding.path, finding.addresses, "as the customer wants", "Ines")
        [one] = self.batches.preview("common-default", ["LOOM/G"])
        self.assertEqual((one.remedies, one.left), ([], 0))

    def test_bounds(self) -> None:
        with self.assertRaisesRegex(BadChange, "too many at once"):
            self.batches.preview(RULE, [f"loom/s{n}" for n in range(MOST + 1)])
        with self.assertRaisesRegex(BadChange, "no rule"):
            self.batches.preview("nonsense", self.keys)
        with self.assertRaisesRegex(BadChange, "nothing was changed"):
            self.batches.apply("mac-duplicate", dict.fromkeys(self.keys, 1), "Ines")


class Undone(WithRecords):
    def test_an_undo_tells_the_sites_that_it_meets(self) -> None:
        """A subnet that comes back by an undo collides again, and the other site is told so."""
        one = site("FERN/A", [segment(subnet="10.40.71.0/24")])
        other = site("FERN/B", [segment(subnet="10.40.71.0/24")])
        self.plans.save_all([one, other], "Ines", "Loaded")
        heard: list[set[str]] = []
        self.plans.watchers.append(lambda saved, plan, affected: heard.append(affected))

        def overlaps() -> int:
            return sum(f.rule == "overlap-reach" for f in self.plans.now.findings()["fern/b"])

        self.assertEqual(overlaps(), 1)
        moved = [*put("/segments/seg0/subnet", "10.40.70.0/24"), *put("/segments/seg0/gateway", "10.40.70.1")]
        self.plans.revise("FERN/A", moved, 1, "Ines")
        self.assertEqual(overlaps(), 0)
        self.plans.undo("FERN/A", 2, "Ines")
        self.assertEqual(overlaps(), 1)
        self.assertEqual(heard[-1], {"fern/a", "fern/b"})

    def test_undo_and_redo_say_what_they_did(self) -> None:
        self.plans.save_all([site("FERN/A", [segment()])], "Ines", "Loaded")
        self.plans.revise("FERN/A", put("/segments/seg0/vlan", 10), 1, "Ines")
        self.plans.undo("FERN/A", 2, "Marek")
        saved = self.plans.now.saved("FERN/A")
        self.assertEqual((saved.number, saved.by), (3, "Marek"))
        self.assertEqual(saved.sentence, "Undone: Office VLAN empty → 10")
        self.plans.redo("FERN/A", 3, "Marek")
        self.assertEqual(self.plans.now.saved("FERN/A").sentence, "Done again: Office VLAN empty → 10")
        with self.assertRaisesRegex(BadChange, "nothing to redo"):
            self.plans.redo("FERN/A", 4, "Marek")
        self.plans.undo("FERN/A", 4, "Marek")
        with self.assertRaisesRegex(BadChange, "nothing to undo"):
            self.plans.undo("FERN/A", 5, "Marek")

    def test_going_back_is_undone_like_any_change(self) -> None:
        self.plans.save_all([site("FERN/A", [segment()])], "Ines", "Loaded")
        for vlan in (10, 20):
            number = self.plans.now.saved("FERN/A").number
            self.plans.revise("FERN/A", put("/segments/seg0/vlan", vlan), number, "Ines")
        self.plans.back_to("FERN/A", 1, 3, "Ines")
        self.assertIsNone(self.plans.now.plan("FERN/A").segments["seg0"].vlan)
        self.plans.undo("FERN/A", 4, "Ines")
        self.assertEqual(self.plans.now.plan("FERN/A").segments["seg0"].vlan, 20)
        self.assertEqual(self.plans.course(self.plans.now.of("FERN/A")).redo, 4)
