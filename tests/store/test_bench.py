"""Runs on the bench: nothing is lost, two technicians do not overwrite each other, and shipping waits for all."""

from __future__ import annotations

import hashlib
from datetime import datetime

from octaplan.core.values.errors import OctaplanError
from octaplan.demo.boxes import answer
from octaplan.store.bench import AlreadyTicked, NotReady
from octaplan.store.hardware import HardwareError
from octaplan.store.journal import Act
from octaplan.store.runs import Result
from octaplan.store.staging import BenchError, Staging, changed_values, staging_of
from octaplan.store.vault import Damaged
from tests.core.kit import hardware
from tests.store.test_plans import put
from tests.store.test_safe import WithSafe


class WithBench(WithSafe):
    def setUp(self) -> None:
        super().setUp()
        self.fill()

    @property
    def staging(self) -> Staging:
        return staging_of(self.records.now, "FERN/DOCK", self.edge)

    def seen(self, step: str) -> datetime | None:
        tick = self.staging.ticks.get(step)
        return tick.at if tick else None

    def tick(self, step: str, result: Result = Result.DONE, by: str = "Ines", **more: object) -> None:
        more.setdefault("seen", self.seen(step))
        self.records.bench.tick("FERN/DOCK", self.edge, step, result, by=by, **more)  # type: ignore[arg-type]

    def stage(self) -> None:
        """Do every step as when all is well."""
        for step in self.staging.sheet.steps:
            if any(measure.kind == "backup" for measure in step.measures):
                self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"hostname dock-edge\n", "Ines")
            self.tick(step.key, measured={m.key: answer(m) for m in step.measures if m.kind != "backup"})

    def clear(self) -> None:
        self.plans.sign("FERN/DOCK", self.plans.now.saved("FERN/DOCK").number, "Ines")


class Bringing(WithBench):
    """What another version of a type would bring is told before it is saved, and comes when it is."""

    def test_findings_that_come_and_a_clearance_that_falls(self) -> None:
        self.clear()
        kind = self.records.hardware.get(self.plans.now.plan("FERN/DOCK").devices[self.edge].type)
        other = kind.document() | {"licences": {"Filter": "names by category"}}
        brought = self.records.hardware.would_bring(other)
        self.assertEqual([*brought.come], ["fern/dock", "fern/mill"])
        self.assertEqual((brought.end, brought.voided), ({}, ["fern/dock"]))
        self.assertIsNone(self.plans.now.signature("FERN/DOCK").void, "nothing was saved")
        told = {finding.identity for finding in brought.come["fern/dock"]}
        before = {one.finding.identity for one in self.plans.now.judged("FERN/DOCK")}
        self.records.hardware.save(other, self.records.hardware.versions[kind.key].number, "Ines")
        after = {one.finding.identity for one in self.plans.now.judged("FERN/DOCK")}
        self.assertEqual(after - before, told)
        self.assertIn("A finding has come up since", self.plans.now.signature("FERN/DOCK").void)
        back = self.records.hardware.would_bring(kind.document())
        self.assertEqual((back.come, [*back.end], back.voided), ({}, ["fern/dock", "fern/mill"], []))

    def test_what_changes_nothing_brings_nothing_and_what_cannot_be_is_refused(self) -> None:
        self.clear()
        kind = self.records.hardware.get(self.plans.now.plan("FERN/DOCK").devices[self.edge].type)
        brought = self.records.hardware.would_bring(kind.document() | {"leftovers": ["A guest network"]})
        self.assertEqual((brought.come, brought.end, brought.voided), ({}, {}, []))
        with self.assertRaisesRegex(HardwareError, "no such field"):
            self.records.hardware.would_bring(kind.document() | {"nonsense": 1})


class Ticking(WithBench):
    def test_a_run_survives_a_restart(self) -> None:
        self.tick("unpack", measured={"serial": "T5-1", "mac": "0240.0800.0001"})
        self.tick("plug", Result.SKIPPED, note="no link light on this model")
        self.reopen()
        ticks = self.staging.ticks
        self.assertEqual(
            {key: (t.result, t.by) for key, t in ticks.items()},
            {"unpack": ("done", "Ines"), "plug": ("skipped", "Ines")},
        )
        self.assertEqual(ticks["plug"].note, "no link light on this model")
        self.assertEqual(ticks["unpack"].measured["serial"].text, "T5-1")

    def test_what_is_read_off_the_box_goes_into_the_plan_and_voids_no_clearance(self) -> None:
        self.clear()
        self.tick("unpack", measured={"serial": "T5-1", "mac": "02:40:08:00:00:01"})
        device = self.plans.now.plan("FERN/DOCK").devices[self.edge]
        self.assertEqual((device.serial, str(device.macs[0])), ("T5-1", "02:40:08:00:00:01"))
        signature = self.plans.now.signature("FERN/DOCK")
        assert signature
        self.assertIsNone(signature.void)
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), self.plans.now.saved("FERN/DOCK").number, "Ines")
        signature = self.plans.now.signature("FERN/DOCK")
        assert signature
        self.assertIn("Contact", signature.void or "")

    def test_two_technicians_do_not_overwrite_each_other(self) -> None:
        self.tick("log-in", by="Ines")
        with self.assertRaisesRegex(AlreadyTicked, "Ines has recorded this step as done"):
            self.tick("log-in", Result.FAILED, by="Marek", note="no answer", seen=None)
        self.tick("log-in", Result.FAILED, by="Marek", note="no answer")
        self.assertEqual(self.staging.ticks["log-in"].by, "Marek")
        with self.assertRaises(AlreadyTicked):
            self.records.bench.untick("FERN/DOCK", self.edge, "log-in", None, "Ines")
        self.records.bench.untick("FERN/DOCK", self.edge, "log-in", self.seen("log-in"), "Ines")
        self.assertEqual(self.staging.ticks, {})

    def test_a_step_is_not_skipped_or_failed_without_a_word(self) -> None:
        for result in (Result.SKIPPED, Result.FAILED):
            with self.assertRaisesRegex(BenchError, "Say (why|what)"):
                self.tick("log-in", result, note=" ")

    def test_a_box_of_which_every_step_was_skipped_is_not_staged_and_does_not_ship(self) -> None:
        self.clear()
        for step in self.staging.sheet.steps:
            self.tick(step.key, Result.SKIPPED, note="in a hurry")
        self.assertEqual(self.staging.done, len(self.staging.sheet.steps))
        self.assertFalse(self.staging.finished)
        revision = self.plans.now.saved("FERN/DOCK").number
        with self.assertRaisesRegex(NotReady, "every check was skipped, so nothing is proven"):
            self.records.bench.ship("FERN/DOCK", revision, "", "", "Ines")
        prove = next(step for step in self.staging.sheet.steps if step.proves)
        self.tick(prove.key, measured={measure.key: answer(measure) for measure in prove.measures})
        self.assertTrue(self.staging.finished)
        with self.assertRaisesRegex(NotReady, r"skipped checks wait for a planner"):
            self.records.bench.ship("FERN/DOCK", self.plans.now.saved("FERN/DOCK").number, "", "", "Ines")
        with self.assertRaises(AlreadyTicked):
            self.records.bench.accept("FERN/DOCK", self.edge, self.staging.waiting[0].step, None, "Pia")
        for skip in self.staging.waiting:
            if skip.step in {one.step for one in self.staging.waiting}:
                self.records.bench.accept("FERN/DOCK", self.edge, skip.step, self.seen(skip.step), "Pia")
        self.records.bench.ship("FERN/DOCK", self.plans.now.saved("FERN/DOCK").number, "", "", "Ines")
        shipped = next(line for line in self.records.journal.lines() if line.act == Act.SHIPPED)
        self.assertIn("not proven at ", shipped.what)
        self.assertRegex(shipped.what, r"Make it last, .*: in a hurry \(accepted by Pia\)")

    def test_a_bad_answer_is_not_done_but_can_be_noted_as_trouble(self) -> None:
        prove = next(step for step in self.staging.sheet.steps if step.key == "prove")
        good = {measure.key: answer(measure) for measure in prove.measures}
        bad = good | {"answer": "0/5"}
        self.tick("prove", measured=bad)
        wrong = self.staging.ticks["prove"]
        self.assertEqual((wrong.result, wrong.measured["answer"].text), ("failed", "0 of 5 replies"))
        self.assertIn("No reply at all", wrong.note)
        self.assertTrue(self.staging.trouble)
        with self.assertRaisesRegex(BenchError, "not answered yet"):
            self.tick("prove", measured={})
        self.tick("prove", Result.FAILED, note="no internet on the bench", measured=bad)
        self.assertTrue(self.staging.trouble)
        self.assertEqual(self.staging.ticks["prove"].measured["answer"].outcome, "bad")
        self.tick("prove", measured=good)
        self.assertFalse(self.staging.trouble)

    def test_a_check_is_skipped_by_itself_with_a_reason_that_a_planner_accepts(self) -> None:
        self.stage()
        step = next(step for step in self.staging.sheet.steps if step.key == "prove-line")
        good = {measure.key: answer(measure) for measure in step.measures}
        some = {key: text for key, text in good.items() if key != "lookup"}
        with self.assertRaisesRegex(BenchError, "say why"):
            self.tick("prove-line", measured=some, skips={"lookup": "-"})
        self.tick("prove-line", measured=some, skips={"lookup": "no line on this bench"})
        self.assertTrue(self.staging.finished)
        (skip,) = self.staging.waiting
        self.assertEqual((skip.step, skip.reason, skip.by), ("prove-line", "no line on this bench", "Ines"))
        self.records.bench.accept("FERN/DOCK", self.edge, skip.step, skip.at, "Pia")
        self.reopen()
        self.assertEqual([one.accepted_by for one in self.staging.skips], ["Pia"])
        self.assertEqual(self.staging.waiting, [])
        self.tick("prove-line", measured=some, skips={"lookup": "still none"})
        self.assertEqual(len(self.staging.waiting), 1, "what is recorded anew is accepted anew")
        self.tick("prove-line", measured=good)
        self.assertEqual(self.staging.skips, [])

    def test_an_answer_that_contradicts_the_plan_can_be_put_into_it(self) -> None:
        saved = self.plans.now.saved("FERN/DOCK").number
        self.plans.revise("FERN/DOCK", put(f"/devices/{self.edge}/serial", "T5-9"), saved, "Marek")
        self.tick("unpack", measured={"serial": "T5-1"})
        self.assertEqual(self.staging.ticks["unpack"].result, "failed")
        self.assertEqual(self.plans.now.plan("FERN/DOCK").devices[self.edge].serial, "T5-9")
        self.tick("unpack", measured={"serial": "T5-1"}, take=["serial"])
        self.assertEqual(self.staging.ticks["unpack"].result, "done")
        self.assertEqual(self.plans.now.plan("FERN/DOCK").devices[self.edge].serial, "T5-1")

    def test_what_a_change_changed_is_told_value_by_value(self) -> None:
        self.tick("identity")
        saved = self.plans.now.saved("FERN/DOCK").number
        self.plans.revise("FERN/DOCK", put(f"/devices/{self.edge}/name", "dock-wall"), saved, "Marek")
        step = next(step for step in self.staging.sheet.steps if step.key == "identity")
        (change,) = changed_values(self.records.now, "fern/dock", step, self.staging.ticks["identity"])
        assert change.before and change.after
        self.assertEqual((change.label, change.before.text, change.after.text), ("Host name", "dock-edge", "dock-wall"))

    def test_a_new_secret_is_told_by_its_number_so_that_both_can_be_read(self) -> None:
        self.tick("slot-administrator")
        self.put("FERN/DOCK", f"devices/{self.edge}/administrator", "quite-Another-8-secret")
        step = next(step for step in self.staging.sheet.steps if step.key == "slot-administrator")
        tick = self.staging.ticks["slot-administrator"]
        self.assertTrue(tick.touched)
        (change,) = changed_values(self.records.now, "fern/dock", step, tick)
        assert change.before and change.after
        self.assertEqual(change.after.number, change.before.number + 1)

    def test_a_run_begun_by_mistake_is_taken_back_and_the_earlier_one_counts_again(self) -> None:
        self.tick("unpack", measured={"serial": "T5-1"})
        self.records.bench.begin("FERN/DOCK", self.edge, "Marek")
        self.assertEqual(self.staging.ticks, {})
        self.records.bench.take_back_run("FERN/DOCK", self.edge)
        self.assertEqual(list(self.staging.ticks), ["unpack"])
        with self.assertRaisesRegex(BenchError, "recorded in this run already"):
            self.records.bench.take_back_run("FERN/DOCK", self.edge)
        self.records.bench.begin("FERN/DOCK", self.edge, "Marek")
        self.tick("log-in")
        self.records.bench.untick("FERN/DOCK", self.edge, "log-in", self.seen("log-in"), "Marek")
        with self.assertRaisesRegex(BenchError, "recorded in this run already"):
            self.records.bench.take_back_run("FERN/DOCK", self.edge)
        self.reopen()
        self.assertEqual(list(self.staging.ticks), [], "the run in which something was taken back stays")

    def test_all_that_was_ever_recorded_is_kept_with_the_box_it_was_of(self) -> None:
        self.tick("unpack", measured={"serial": "T5-1"})
        self.tick("log-in", Result.FAILED, note="no answer")
        self.tick("log-in")
        self.records.bench.untick("FERN/DOCK", self.edge, "log-in", self.seen("log-in"), "Marek")
        self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"hostname", "Ines")
        saved = self.plans.now.saved("FERN/DOCK").number
        self.plans.revise("FERN/DOCK", [{"op": "remove", "path": f"/devices/{self.edge}"}], saved, "Pia")
        (run,) = self.records.runhistory.of("FERN/DOCK")
        self.assertEqual((run.box.name, run.box.serial, run.recorded), ("dock-edge", "T5-1", 1))
        record = self.records.runhistory.record("FERN/DOCK", run.id)
        told = [(one.step, one.result, one.by) for one in record.recordings]
        self.assertEqual(told, [("unpack", "done", "Ines"), ("log-in", "failed", "Ines"), ("log-in", "done", "Ines"),
                                ("log-in", "taken back", "Marek")])  # fmt: skip
        self.assertEqual([backup.name for backup in record.backups], ["dock.cfg"])
        with self.assertRaisesRegex(BenchError, "no such run"):
            self.records.runhistory.record("FERN/DOCK", run.id + 1)

    def test_a_change_of_the_plan_marks_the_steps_it_touches(self) -> None:
        for step in ("log-in", "identity", "circuit-circ0"):
            self.tick(step)
        self.plans.revise("FERN/DOCK", put("/circuits/circ0/resolvers", ["192.0.2.99"]), 1, "Marek")
        self.assertEqual([key for key, tick in self.staging.ticks.items() if tick.touched], ["circuit-circ0"])
        self.tick("circuit-circ0")
        self.assertFalse(self.staging.trouble)

    def test_a_new_secret_marks_the_step_that_typed_it(self) -> None:
        self.tick("slot-administrator")
        self.safe.make([self.plans.now.need("FERN/DOCK", self.slot)], "Ines")
        self.assertTrue(self.staging.ticks["slot-administrator"].touched)

    def test_a_step_that_is_no_longer_asked_for_is_refused(self) -> None:
        with self.assertRaisesRegex(BenchError, "no longer asked for"):
            self.tick("segment-gone")

    def test_a_type_that_was_removed_or_changed_is_said_and_nothing_is_lost(self) -> None:
        self.tick("log-in")
        self.records.hardware.remove("test-five", 1, "Ines")
        self.assertIn("not on Hardware any more", self.staging.sheet.problem)
        self.assertIn("device-type-missing", self.rules("FERN/DOCK"))
        self.records.hardware.save(hardware(slots={}).document(), 2, "Ines")
        self.assertIn("log-in", self.staging.ticks)
        self.assertNotIn("slot-administrator", {step.key for step in self.staging.sheet.steps})

    def test_a_device_that_was_removed_keeps_its_runs_out_of_sight(self) -> None:
        self.tick("log-in")
        self.plans.revise("FERN/DOCK", [{"op": "remove", "path": f"/devices/{self.edge}"}], 1, "Ines")
        with self.assertRaisesRegex(BenchError, "has been removed"):
            staging_of(self.records.now, "FERN/DOCK", self.edge)
        with self.assertRaisesRegex(BenchError, "has been removed"):
            self.tick_removed()

    def tick_removed(self) -> None:
        self.records.bench.tick("FERN/DOCK", self.edge, "log-in", Result.DONE, seen=None, by="Ines")

    def test_a_box_can_be_staged_again(self) -> None:
        self.tick("log-in")
        self.records.bench.begin("FERN/DOCK", self.edge, "Marek")
        self.assertEqual((self.staging.ticks, self.staging.by), ({}, "Marek"))


class BackUps(WithBench):
    def test_a_back_up_is_sealed_with_its_checksum_and_comes_back(self) -> None:
        self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"secret words", "Ines")
        self.reopen()
        (backup,) = self.staging.backups
        self.assertEqual((backup.size, backup.sha256), (12, hashlib.sha256(b"secret words").hexdigest()))
        self.assertEqual(
            self.records.bench.fetch("FERN/DOCK", self.edge, backup.id, "Ines"), ("dock.cfg", b"secret words")
        )
        self.assertEqual(self.records.journal.lines()[0].act, "backup fetched")
        self.records.database.engine.dispose()
        self.assertNotIn(b"secret words", (self.folder / "octaplan.sqlite").read_bytes())

    def test_a_back_up_of_another_device_is_not_given(self) -> None:
        self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"x", "Ines")
        (backup,) = self.staging.backups
        with self.assertRaises(BenchError):
            self.records.bench.fetch("FERN/MILL", self.mill_edge, backup.id, "Ines")

    def test_empty_files_and_a_missing_back_up_are_refused(self) -> None:
        with self.assertRaisesRegex(BenchError, "is empty"):
            self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"", "Ines")
        with self.assertRaisesRegex(BenchError, "No back-up is attached"):
            self.tick("backup")

    def test_a_damaged_back_up_is_told(self) -> None:
        self.records.bench.attach("FERN/DOCK", self.edge, "dock.cfg", b"x" * 50, "Ines")
        (backup,) = self.staging.backups
        with self.records.database.engine.begin() as connection:
            connection.exec_driver_sql("UPDATE backups SET sealed = zeroblob(60)")
        with self.assertRaises(Damaged):
            self.records.bench.fetch("FERN/DOCK", self.edge, backup.id, "Ines")


class Shipping(WithBench):
    def ship(self) -> None:
        self.records.bench.ship("FERN/DOCK", self.plans.now.saved("FERN/DOCK").number, "Parcel van", "PV-1", "Ines")

    def test_a_site_ships_when_it_is_cleared_and_staged(self) -> None:
        with self.assertRaisesRegex(NotReady, "not cleared yet"):
            self.ship()
        self.clear()
        with self.assertRaisesRegex(NotReady, "dock-edge is not staged to the end"):
            self.ship()
        self.stage()
        self.assertTrue(self.staging.finished)
        self.ship()
        self.reopen()
        shipped = self.records.now.runs.shipped.get("fern/dock")
        assert shipped
        self.assertEqual((shipped.by, shipped.carrier, shipped.reference), ("Ines", "Parcel van", "PV-1"))
        self.assertEqual(self.records.journal.lines()[0].act, "site shipped")

    def test_a_change_after_staging_holds_it_back(self) -> None:
        self.clear()
        self.stage()
        saved = self.plans.now.saved("FERN/DOCK").number
        self.plans.revise("FERN/DOCK", put("/segments/seg0/scope/last", "10.8.8.150"), saved, "Marek")
        with self.assertRaisesRegex(NotReady, "void"):
            self.ship()
        self.clear()
        with self.assertRaisesRegex(NotReady, "2 of 3. steps are open"):
            self.ship()

    def test_clearance_waits_for_credentials_and_an_edge(self) -> None:
        self.put("FERN/DOCK", self.slot, "Password12345")
        with self.assertRaisesRegex(OctaplanError, "easily guessed"):
            self.clear()
