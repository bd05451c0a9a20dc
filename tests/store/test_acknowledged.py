"""What was acknowledged survives a kill; what happens at once happens once."""

from __future__ import annotations

import subprocess
import sys
import threading
from datetime import UTC, datetime, timedelta

import pyotp
from argon2 import PasswordHasher

from octaplan.store.accounts import AccountError, CodeNeeded, Person
from octaplan.store.bench import AlreadyTicked
from octaplan.store.models import AccountRole
from octaplan.store.runs import Result
from tests.store.test_bench import WithBench
from tests.store.test_safe import WithSafe

KILLED = """
import os, signal, sys
from pathlib import Path
from octaplan.store.runs import Result
from octaplan.store.database import Database
from octaplan.store.records import Records
records = Records(Database(Path(sys.argv[1])))
device, slot = sys.argv[2], sys.argv[3]
records.bench.tick("FERN/DOCK", device, "log-in", Result.DONE, seen=None, by="Ines")
records.bench.attach("FERN/DOCK", device, "dock.cfg", b"hostname dock-edge", "Ines")
records.safe.make([records.plans.now.need("FERN/DOCK", slot)], "Ines")
print(records.safe.read("FERN/DOCK", slot, "Ines"), flush=True)
os.kill(os.getpid(), signal.SIGKILL)
"""


class Killed(WithBench):
    def test_ticks_back_ups_secrets_and_the_journal_survive(self) -> None:
        self.records.database.close()
        command = [sys.executable, "-c", KILLED, str(self.folder), self.edge, self.slot]
        done = subprocess.run(command, capture_output=True, text=True)
        self.assertEqual(done.returncode, -9, done.stderr)
        self.open()
        self.assertEqual(self.staging.ticks["log-in"].by, "Ines")
        self.assertEqual(len(self.staging.backups), 1)
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ines"), done.stdout.strip())
        self.assertEqual(self.records.journal.check().fault, "")
        self.assertEqual(
            [line.act for line in self.records.journal.lines()[1:4]], ["secret read", "secret made", "backup attached"]
        )


class AtOnce(WithBench):
    def together(self, *works: object) -> list[BaseException]:
        """Run works in threads that start together; what they raised."""
        barrier, raised = threading.Barrier(len(works)), []

        def run(work: object) -> None:
            barrier.wait()
            try:
                work()  # type: ignore[operator]
            except Exception as error:
                raised.append(error)

        threads = [threading.Thread(target=run, args=(work,)) for work in works]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return raised

    def test_of_many_who_tick_one_step_one_is_taken_and_the_others_are_told(self) -> None:
        def tick(by: str) -> object:
            return lambda: self.records.bench.tick("FERN/DOCK", self.edge, "log-in", Result.DONE, seen=None, by=by)

        raised = self.together(*(tick(f"T{n}") for n in range(6)))
        self.assertEqual([type(error) for error in raised], [AlreadyTicked] * 5)
        self.assertEqual(len(self.staging.ticks), 1)

    def test_readings_at_once_keep_the_chain_whole(self) -> None:
        before = self.records.journal.check().lines
        raised = self.together(*[lambda: self.safe.read("FERN/DOCK", self.slot, "Ines")] * 8)
        self.assertEqual(raised, [])
        checked = self.records.journal.check()
        self.assertEqual((checked.lines - before, checked.fault), (8, ""))

    def test_secrets_made_at_once_are_numbered_one_after_another(self) -> None:
        need = self.plans.now.need("FERN/DOCK", self.slot)
        self.assertEqual(self.together(*[lambda: self.safe.make([need], "Ines")] * 6), [])
        self.assertEqual([entry.number for entry in self.safe.history("FERN/DOCK", self.slot)], [7, 6, 5, 4, 3, 2, 1])

    def test_checking_while_secrets_change_never_fails(self) -> None:
        need = self.plans.now.need("FERN/DOCK", self.slot)
        works = [
            lambda: self.safe.make([need], "Ines"),
            lambda: self.plans.now.judged("fern/dock"),
            lambda: self.records.now.sites.within(None),
        ]
        self.assertEqual(self.together(*works * 4), [])


class SecondFactors(WithSafe):
    def setUp(self) -> None:
        super().setUp()
        self.accounts = self.records.accounts
        self.accounts.hasher = PasswordHasher(time_cost=1, memory_cost=64)
        self.accounts.add("ines", "Ines", "lantern reed 9", AccountRole.ADMINISTRATOR)
        self.ines = Person("ines", "Ines", AccountRole.ADMINISTRATOR)

    def enrol(self) -> pyotp.TOTP:
        totp = pyotp.parse_uri(self.accounts.begin_second(self.ines, "lantern reed 9"))
        assert isinstance(totp, pyotp.TOTP)
        self.accounts.confirm_second(self.ines, totp.now())
        return totp

    def sign_in(self, code: str = "") -> str | None:
        return self.accounts.sign_in("ines", "lantern reed 9", code)

    def test_it_does_not_count_before_it_is_confirmed(self) -> None:
        self.accounts.begin_second(self.ines, "lantern reed 9")
        self.assertIsNotNone(self.sign_in())

    def test_a_code_counts_once_and_only_near_its_time(self) -> None:
        totp = self.enrol()
        with self.assertRaises(CodeNeeded):
            self.sign_in()
        now = int(datetime.now(UTC).timestamp())
        later = totp.at(now + 30)
        self.assertIsNotNone(self.sign_in(f"{later[:3]} {later[3:]}"))
        self.assertIsNone(self.sign_in(later))
        for moment in (now - 300, now + 300):
            self.assertIsNone(self.sign_in(totp.at(moment)))

    def test_a_wrong_password_is_never_asked_for_a_code(self) -> None:
        self.enrol()
        self.assertIsNone(self.accounts.sign_in("ines", "wrong"))

    def test_codes_of_another_secret_do_not_fit(self) -> None:
        with self.assertRaisesRegex(AccountError, "begin again"):
            self.accounts.confirm_second(self.ines, "123456")
        self.accounts.begin_second(self.ines, "lantern reed 9")
        with self.assertRaisesRegex(AccountError, "check the clock"):
            self.accounts.confirm_second(self.ines, pyotp.TOTP(pyotp.random_base32()).now())

    def test_its_secret_is_sealed(self) -> None:
        totp = self.enrol()
        self.records.database.engine.dispose()
        for path in self.folder.iterdir():
            self.assertNotIn(totp.secret.encode(), path.read_bytes(), path.name)

    def test_a_temporary_account_ends_with_its_sessions(self) -> None:
        ends = datetime.now(UTC) + timedelta(hours=2)
        self.accounts.add("tom", "Tom", "walnut mist 12", AccountRole.VIEWER, ends=ends)
        token = self.accounts.sign_in("tom", "walnut mist 12")
        assert token
        self.assertIsNotNone(self.accounts.person(token))
        self.accounts.change("tom", self.ines, role=AccountRole.VIEWER, ends=datetime.now(UTC) - timedelta(seconds=1))
        self.assertIsNone(self.accounts.person(token))
        self.assertIsNone(self.accounts.sign_in("tom", "walnut mist 12"))
        self.assertIn("ends", self.records.journal.lines()[1].what)
