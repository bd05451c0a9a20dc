"""The safe, its key and the journal: sealed, bound to its place, never lost in silence."""

from __future__ import annotations

import hashlib
import json
import os
import re
import stat
from contextlib import suppress
from datetime import UTC, datetime, timedelta

from sqlalchemy import select, text, update
from sqlalchemy.exc import DatabaseError

from octaplan.core.check.findings import Severity
from octaplan.core.plan.passwords import STRONG, strength
from octaplan.core.plan.site import SitePlan
from octaplan.store.author import Author
from octaplan.store.database import Database
from octaplan.store.journal import Act, enter
from octaplan.store.models import Account, AccountRole, Backup, ImportFile, JournalEntry, Secret
from octaplan.store.records import Records
from octaplan.store.safe import NoSuchSecret, ReasonNeeded, SafeError
from octaplan.store.vault import Damaged, VaultLocked
from tests.core.kit import hardware, office_site, with_device
from tests.support import InFolder, writing

KIND = hardware(
    slots={
        "administrator": {"label": "administrator password"},
        "backup": {"label": "backup passphrase", "distinct_from": ["administrator"]},
    }
)


def equipped(key: str = "FERN/DOCK", octet: int = 8) -> tuple[SitePlan, str]:
    """A wired site whose addresses are its own."""
    plan, device = with_device(office_site(key), KIND)
    document = json.loads(json.dumps(plan.document()).replace("10.40.", f"10.{octet}."))
    document["circuits"]["circ0"] |= {"address": f"203.0.113.{octet * 8 + 2}", "gateway": f"203.0.113.{octet * 8 + 1}"}
    return SitePlan.model_validate(document), device


class WithSafe(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.open()
        self.addCleanup(lambda: self.records.database.close())
        self.records.hardware.save(KIND.document(), 0, "Ines")
        self.dock, self.edge = equipped()
        self.mill, self.mill_edge = equipped("FERN/MILL", 9)
        self.records.plans.save_all([self.dock, self.mill], "Ines", "Loaded from tables")
        self.slot = f"devices/{self.edge}/administrator"

    def open(self) -> None:
        self.records = Records(Database(self.folder))
        self.safe, self.plans = self.records.safe, self.records.plans

    def reopen(self) -> None:
        self.records.database.close()
        self.open()

    def fill(self, *keys: str) -> int:
        keys = keys or ("FERN/DOCK", "FERN/MILL")
        return self.safe.make([need for key in keys for need in self.plans.now.needs(self.plans.now.plan(key))], "Ines")

    def rules(self, key: str) -> set[str]:
        return {judged.finding.rule for judged in self.plans.now.judged(key)}

    def put(self, key: str, slot: str, secret: str) -> None:
        self.safe.put(self.plans.now.need(key, slot), secret, "Ines")


class Keeping(WithSafe):
    def test_missing_secrets_stop_and_are_made_in_one_action(self) -> None:
        self.assertIn("credential-missing", self.rules("FERN/DOCK"))
        self.assertEqual(self.fill(), 4)
        self.assertFalse({rule for rule in self.rules("FERN/DOCK") if rule.startswith("credential")})
        secrets = {
            self.safe.read("FERN/DOCK", f"devices/{self.edge}/{name}", "Ines") for name in ("administrator", "backup")
        }
        self.assertEqual(len(secrets), 2)

    def test_a_secret_survives_and_its_history_is_kept(self) -> None:
        self.fill("FERN/DOCK")
        first = self.safe.read("fern/dock", self.slot, "Ines")
        self.safe.make([self.plans.now.need("FERN/DOCK", self.slot)], "Marek")
        self.reopen()
        second = self.safe.read("FERN/DOCK", self.slot, "Ines")
        self.assertNotEqual(first, second)
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ines", number=1), first)
        self.assertEqual(
            [(e.number, e.by) for e in self.safe.history("FERN/DOCK", self.slot)], [(2, "Marek"), (1, "Ines")]
        )

    def test_what_is_typed_is_judged_by_rules_and_strength(self) -> None:
        with self.assertRaisesRegex(SafeError, "at least 12"):
            self.put("FERN/DOCK", self.slot, "Short1")
        self.put("FERN/DOCK", self.slot, "Password12345")
        self.assertIn("credential-weak", self.rules("FERN/DOCK"))
        self.put("FERN/DOCK", self.slot, "walnut-Mist-copper7")
        self.assertNotIn("credential-weak", self.rules("FERN/DOCK"))

    def test_a_slot_that_must_differ_refuses_the_same(self) -> None:
        self.put("FERN/DOCK", self.slot, "walnut-Mist-copper7")
        with self.assertRaisesRegex(SafeError, "differ from the administrator"):
            self.put("FERN/DOCK", f"devices/{self.edge}/backup", "walnut-Mist-copper7")

    def test_the_same_secret_at_two_sites_stops_both(self) -> None:
        self.fill()
        self.put("FERN/DOCK", self.slot, "walnut-Mist-copper7")
        self.put("FERN/MILL", f"devices/{self.mill_edge}/administrator", "walnut-Mist-copper7")
        for key, other in (("FERN/DOCK", "FERN/MILL"), ("FERN/MILL", "FERN/DOCK")):
            (found,) = [j.finding for j in self.plans.now.judged(key) if j.finding.rule == "credential-reused"]
            self.assertEqual([f"{o.customer}/{o.site}" for o in found.others], [other])
        self.safe.make([self.plans.now.need("FERN/MILL", f"devices/{self.mill_edge}/administrator")], "Ines")
        self.assertNotIn("credential-reused", self.rules("FERN/DOCK"))

    def test_the_makers_own_password_is_known_for_what_it_is(self) -> None:
        kind = hardware(slots={"administrator": {"shortest": 4, "upper": False, "digit": False}})
        self.records.hardware.save(kind.document(), 1, "Ines")
        self.put("FERN/DOCK", self.slot, "marigold")
        self.assertIn("credential-factory", self.rules("FERN/DOCK"))

    def test_old_secrets_are_told(self) -> None:
        self.fill()
        with writing(self.records.database) as session:
            session.execute(update(Secret).values(at=datetime.now(UTC) - timedelta(days=800)))
        self.reopen()
        (found, _) = [j.finding for j in self.plans.now.judged("FERN/DOCK") if j.finding.rule == "credential-old"]
        self.assertEqual(found.severity, Severity.WARN)

    def test_nothing_is_in_an_empty_slot(self) -> None:
        with self.assertRaises(NoSuchSecret):
            self.safe.read("FERN/DOCK", self.slot, "Ines")

    def test_five_hundred_secrets_are_made_at_once(self) -> None:
        needs = [self.plans.now.need("FERN/DOCK", self.slot)] * 500
        self.assertEqual(self.safe.make(needs, "Ines"), 500)
        newest, *others = self.safe.history("FERN/DOCK", self.slot)
        self.assertEqual((newest.number, len(others)), (500, 99))

    def test_no_secret_is_in_any_file_but_the_key_and_none_in_plans(self) -> None:
        self.put("FERN/DOCK", self.slot, "walnut-Mist-copper7")
        self.records.database.engine.dispose()
        for path in self.folder.iterdir():
            self.assertNotIn(b"walnut", path.read_bytes(), path.name)
        self.assertNotIn("walnut", json.dumps(self.plans.now.plan("FERN/DOCK").document()))


class TheKey(WithSafe):
    def test_the_key_file_is_its_owners_only(self) -> None:
        mode = stat.S_IMODE((self.folder / "safe.key").stat().st_mode)
        self.assertEqual(mode, 0o600)
        (self.folder / "safe.key").chmod(0o644)
        self.reopen()
        self.assertEqual(stat.S_IMODE((self.folder / "safe.key").stat().st_mode), 0o600)

    def test_a_lost_key_says_exactly_what_is_lost_and_what_is_not(self) -> None:
        self.fill()
        os.rename(self.folder / "safe.key", self.folder / "moved")
        self.reopen()
        self.assertRegex(self.records.vault.locked, "4 secrets, 0 back-ups and 0 second factors cannot be read")
        self.assertIn("Plans, findings, bench runs, the journal", self.records.vault.locked)
        for act in (lambda: self.safe.read("FERN/DOCK", self.slot, "Ines"), lambda: self.fill()):
            with self.assertRaises(VaultLocked):
                act()
        self.assertEqual(len(self.plans.now.all()), 2)
        self.assertFalse((self.folder / "safe.key").exists())
        os.rename(self.folder / "moved", self.folder / "safe.key")
        self.reopen()
        self.assertTrue(self.safe.read("FERN/DOCK", self.slot, "Ines"))

    def test_another_installations_key_is_not_taken(self) -> None:
        self.fill()
        (self.folder / "safe.key").write_text("octaplan-key/1 " + "A" * 43 + "=\n")
        self.reopen()
        self.assertIn("is not the one", self.records.vault.locked)

    def test_a_damaged_secret_is_told_by_name_and_the_others_are_read(self) -> None:
        self.fill("FERN/DOCK")
        with writing(self.records.database) as session:
            secret = session.scalars(select(Secret).where(Secret.slot == self.slot)).one()
            secret.sealed = secret.sealed[:-1] + bytes([secret.sealed[-1] ^ 1])
        with self.assertRaisesRegex(Damaged, "dock-edge administrator password has been damaged"):
            self.safe.read("FERN/DOCK", self.slot, "Ines")
        self.assertTrue(self.safe.read("FERN/DOCK", f"devices/{self.edge}/backup", "Ines"))

    def test_a_secret_moved_to_another_slot_does_not_open(self) -> None:
        self.fill("FERN/DOCK")
        with writing(self.records.database) as session:
            one, two = session.scalars(select(Secret)).all()
            one.sealed, two.sealed = two.sealed, one.sealed
        with self.assertRaises(Damaged):
            self.safe.read("FERN/DOCK", self.slot, "Ines")

    def test_a_change_of_keys_seals_everything_anew(self) -> None:
        self.fill()
        self.records.accounts.add("ines", "Ines", "lantern reed 9", AccountRole.ADMINISTRATOR)
        (person,) = self.records.accounts.everyone()
        before = self.safe.read("FERN/DOCK", self.slot, "Ines")
        old = (self.folder / "safe.key").read_text()
        self.records.imports.preview([("sites.csv", b"customer,site\nA,B\n")], person.name)
        self.assertEqual(self.safe.change_key("Ines"), 5)
        self.assertNotEqual((self.folder / "safe.key").read_text(), old)
        self.reopen()
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ines"), before)
        self.assertFalse({rule for rule in self.rules("FERN/DOCK") if rule.startswith("credential")})

    def test_a_change_of_keys_that_was_cut_off_after_its_commit_is_finished_at_the_next_start(self) -> None:
        self.fill()
        before = self.safe.read("FERN/DOCK", self.slot, "Ines")
        old = (self.folder / "safe.key").read_text()
        self.safe.change_key("Ines")
        os.rename(self.folder / "safe.key", self.folder / "safe.key.next")
        (self.folder / "safe.key").write_text(old)
        self.reopen()
        self.assertEqual(self.records.vault.locked, "")
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ines"), before)

    def test_a_change_of_keys_that_was_cut_off_before_its_commit_never_happened(self) -> None:
        self.fill()
        (self.folder / "safe.key.next").write_text("octaplan-key/1 " + "A" * 43 + "=\n")
        self.reopen()
        self.assertTrue(self.safe.read("FERN/DOCK", self.slot, "Ines"))
        self.assertFalse((self.folder / "safe.key.next").exists())

    def test_uploaded_tables_and_their_passwords_are_sealed(self) -> None:
        table = b"customer,site,circuit,handoff,pppoe_user,pppoe_password\nFERN,DOCK,Main,pppoe,u@x.example,walnut99\n"
        self.records.imports.preview([("circuits.csv", table)], "Ines")
        with writing(self.records.database) as session:
            self.assertNotIn(b"walnut99", session.scalars(select(ImportFile.content)).one())
            self.assertEqual(session.scalars(select(Backup)).all(), [])
            self.assertEqual(session.scalars(select(Account)).all(), [])


class GivenByTables(WithSafe):
    TABLE = b"customer,site,circuit,handoff,pppoe_user,pppoe_password\nFERN,DOCK,Main,pppoe,u@x.example,walnut99\n"

    def test_a_pppoe_password_goes_to_the_safe_and_nowhere_else(self) -> None:
        preview = self.records.imports.preview([("circuits.csv", self.TABLE)], "Ines")
        self.assertEqual(preview.sites[0].secrets, 1)
        self.assertNotIn("walnut99", repr(preview))
        self.assertEqual(self.records.imports.apply(preview.id, "Ines").sites, 1)
        self.assertEqual(self.safe.read("FERN/DOCK", "circuits/circ0/pppoe", "Ines"), "walnut99")
        again = self.records.imports.preview([("circuits.csv", self.TABLE)], "Ines")
        self.assertEqual((again.sites[0].changes, again.sites[0].secrets), ([], 0))

    def test_a_new_password_alone_is_a_change(self) -> None:
        first = self.records.imports.preview([("circuits.csv", self.TABLE)], "Ines")
        self.records.imports.apply(first.id, "Ines")
        second = self.records.imports.preview([("circuits.csv", self.TABLE.replace(b"99", b"98"))], "Ines")
        self.assertEqual((second.sites[0].changes, second.sites[0].secrets), ([], 1))
        self.assertEqual(self.records.imports.apply(second.id, "Ines").sites, 1)
        self.assertEqual(self.safe.read("FERN/DOCK", "circuits/circ0/pppoe", "Ines"), "walnut98")

    def test_a_refused_row_is_kept_without_its_password(self) -> None:
        table = self.TABLE.replace(b"pppoe,u@", b"static,u@")
        preview = self.records.imports.preview([("circuits.csv", table)], "Ines")
        self.assertIn("belongs to a pppoe hand-off", preview.intake.refused[0].faults[0].problem)
        kept = self.records.imports.refused_table(preview.id, "circuits")
        self.assertIn("FERN,DOCK,Main,static,,\r\n", kept)
        with writing(self.records.database) as session:
            everything = " ".join(map(str, session.execute(text("SELECT cells, faults FROM refused_rows")).all()))
        self.assertNotIn("walnut99", everything)


class TheJournal(WithSafe):
    def test_every_reading_is_told_with_who_which_and_why(self) -> None:
        self.fill("FERN/DOCK")
        self.safe.read("FERN/DOCK", self.slot, "Marek", "staging on bench 2")
        line = self.records.journal.lines()[0]
        self.assertEqual(
            (line.act, line.by, line.site, line.what, line.why),
            (Act.READ, "Marek", "FERN/DOCK", "dock-edge administrator password", "staging on bench 2"),
        )

    def test_a_reason_is_asked_for_when_the_organisation_wants_one(self) -> None:
        self.fill("FERN/DOCK")
        self.safe.want_reason(True, "Ines")
        with self.assertRaises(ReasonNeeded):
            self.safe.read("FERN/DOCK", self.slot, "Marek", " ")
        self.reopen()
        self.assertTrue(self.safe.read("FERN/DOCK", self.slot, "Marek", "bench"))

    def test_a_part_of_a_turn_that_is_taken_back_leaves_the_head_true(self) -> None:
        database = self.records.database
        for first in (True, False):
            with self.subTest(first), database.turn() as turn:
                if not first:
                    enter(turn.session, Act.KEY, "Ines", "kept")
                with suppress(RuntimeError), database.turn() as part:
                    enter(part.session, Act.KEY, "Ines", "taken back")
                    raise RuntimeError
            self.assertEqual(self.records.journal.check().fault, "")

    def test_lines_can_be_filtered_and_paged(self) -> None:
        self.fill()
        made = self.records.journal.lines(act=Act.MADE)
        self.assertEqual({line.act for line in made}, {Act.MADE})
        self.assertEqual(len(self.records.journal.lines(site="fern/dock")), 2)
        self.assertEqual([line.number for line in self.records.journal.lines(before=3)], [2, 1])

    def test_the_database_refuses_to_change_or_delete_lines(self) -> None:
        self.fill()
        for statement in ("UPDATE journal SET by='x'", "DELETE FROM journal"):
            with self.assertRaisesRegex(DatabaseError, "append-only"), writing(self.records.database) as session:
                session.execute(text(statement))

    def test_tampering_shows(self) -> None:
        self.fill()
        self.assertEqual(self.records.journal.check().fault, "")
        for statement, words in (
            ("UPDATE journal SET what='other' WHERE id=2", "Line 2 was changed"),
            ("DELETE FROM journal WHERE id=2", "Line 2 is missing"),
        ):
            with self.subTest(statement), writing(self.records.database) as session:
                for name in ("update", "delete"):
                    session.execute(text(f"DROP TRIGGER IF EXISTS journal_no_{name}"))
                session.execute(text(statement))
            self.assertIn(words, self.records.journal.check().fault)

    def test_lines_taken_off_the_end_and_lines_chained_anew_show(self) -> None:
        self.fill()
        kept = self.records.journal.head()
        assert kept is not None
        self.safe.want_reason(True, "Ines")
        with writing(self.records.database) as session:
            for name in ("update", "delete"):
                session.execute(text(f"DROP TRIGGER journal_no_{name}"))
            last = session.scalars(select(JournalEntry).order_by(JournalEntry.id.desc())).first()
            assert last is not None
            session.delete(last)
        self.assertIn("1 line is missing", self.records.journal.check().fault)
        (self.folder / "journal.head").unlink()
        self.assertIn("journal.head", self.records.journal.check().fault)
        with writing(self.records.database) as session:
            enter(session, Act.KEY, "Ines", "something else")
        self.assertEqual(self.records.journal.check(kept).fault, "")
        forged = kept._replace(digest="0" * 64)
        self.assertIn("not the one that was noted", self.records.journal.check(forged).fault)
        self.assertIn("are missing", self.records.journal.check(kept._replace(number=kept.number + 9)).fault)

    def test_lines_are_not_chained_without_the_key(self) -> None:
        self.fill()
        with writing(self.records.database) as session:
            session.execute(text("DROP TRIGGER journal_no_update"))
            before = "0" * 64
            for entry in session.scalars(select(JournalEntry).order_by(JournalEntry.id)):
                at = entry.at.isoformat(timespec="microseconds")
                line = [before, entry.id, at, "Mallory", entry.act, entry.site, entry.what, entry.why]
                before = hashlib.sha256(json.dumps(line, ensure_ascii=False).encode()).hexdigest()
                entry.by, entry.digest = "Mallory", before
        self.assertIn("Line 1 was changed", self.records.journal.check().fault)

    def test_lines_tell_of_the_account_and_where_it_was(self) -> None:
        self.safe.want_reason(True, Author("Ines Aldering", "ines", "192.0.2.7"))
        line = self.records.journal.lines()[0]
        self.assertEqual((line.by, line.account, line.address), ("Ines Aldering", "ines", "192.0.2.7"))

    def test_a_line_is_kept_only_with_what_it_tells_of(self) -> None:
        with self.assertRaises(RuntimeError), writing(self.records.database) as session:
            enter(session, Act.READ, "Ines", "x")
            raise RuntimeError
        with writing(self.records.database) as session:
            self.assertEqual([e.what for e in session.scalars(select(JournalEntry))], ["Testmaker Five, version 1"])

    def test_moments_are_exact(self) -> None:
        self.fill("FERN/DOCK")
        self.reopen()
        checked = self.records.journal.check()
        self.assertEqual((checked.lines, checked.fault), (3, ""))
        self.assertTrue(re.fullmatch(r"[0-9a-f]{64}", checked.digest))


class BroughtBack(WithSafe):
    def test_an_earlier_secret_counts_again_and_the_journal_tells(self) -> None:
        need = self.records.now.sites.need("FERN/DOCK", self.slot)
        self.safe.make([need], "Ines")
        first = self.safe.read("FERN/DOCK", self.slot, "Ines")
        self.safe.make([need], "Marek")
        self.assertNotEqual(self.safe.read("FERN/DOCK", self.slot, "Ines"), first)
        self.safe.bring_back(need, 1, "Pia")
        self.reopen()
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ines"), first)
        self.assertEqual(self.safe.now.kept("fern/dock")[self.slot].number, 3)
        acts = [line.act for line in self.records.journal.lines()]
        self.assertIn(Act.RESTORED, acts)
        with self.assertRaisesRegex(NoSuchSecret, "no secret of that number"):
            self.safe.bring_back(self.records.now.sites.need("FERN/DOCK", self.slot), 9, "Pia")

    def test_one_that_is_used_elsewhere_is_counted_before_it_is_kept(self) -> None:
        need = self.records.now.sites.need("FERN/DOCK", self.slot)
        other = self.records.now.sites.need("FERN/MILL", f"devices/{self.mill_edge}/administrator")
        self.safe.put(other, "quaint-Otter-4-basalt", "Ines")
        self.assertEqual(self.safe.shared_by(need, "quaint-Otter-4-basalt"), 1)
        self.assertEqual(self.safe.shared_by(other, "quaint-Otter-4-basalt"), 0)
        self.assertEqual(self.safe.shared_by(need, ""), 0)

    def test_words_of_the_site_are_known_where_one_is_judged(self) -> None:
        saved = self.plans.now.saved("FERN/DOCK").number
        change = [{"op": "add", "path": "/street", "value": "12 Weir Road"}]
        self.plans.revise("FERN/DOCK", change, saved, "Ines")
        need = self.records.now.sites.need("FERN/DOCK", self.slot)
        _, strong = self.safe.judge(need, "Weir-Road-12-Weir")
        self.assertTrue(strong.weak)

    def test_a_made_secret_is_never_called_weak_though_the_box_takes_only_a_short_one(self) -> None:
        short = {"shortest": 8, "longest": 8, "digits_only": True}
        kind = KIND.document() | {"slots": {"administrator": {"label": "recovery code", **short}}}
        self.records.hardware.save(kind, 1, "Ines")
        for _ in range(5):
            self.safe.make([self.records.now.sites.need("FERN/DOCK", self.slot)], "Ines")
            self.assertGreaterEqual(self.safe.now.facts("fern/dock")[self.slot].score, STRONG)
            made = self.safe.read("FERN/DOCK", self.slot, "Ines")
            self.assertFalse(strength(made).recognised, made)
