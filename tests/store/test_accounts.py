from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from typing import Any

import pyotp
from sqlalchemy import event, select, update

from octaplan import demo
from octaplan.store.accounts import AccountError
from octaplan.store.database import Database
from octaplan.store.models import Account, AccountRole, SignIn
from octaplan.store.records import Records
from tests.support import InFolder, writing

PASSWORD = "lantern reed 9"


class WithAccounts(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.database = Database(self.folder)
        self.addCleanup(self.database.close)
        self.accounts = Records(self.database).accounts


class Sessions(WithAccounts):
    def test_a_session_is_known_by_its_token_until_it_ends(self) -> None:
        self.accounts.add("Ines", "Ines Aldering", PASSWORD, AccountRole.TECHNICIAN)
        token = self.accounts.sign_in(" INES ", PASSWORD)
        assert token
        person = self.accounts.person(token)
        assert person
        self.assertEqual(
            (person.name, person.full_name, person.role), ("ines", "Ines Aldering", AccountRole.TECHNICIAN)
        )
        with writing(self.database) as session:
            session.execute(update(SignIn).values(ends=datetime.now(UTC) - timedelta(seconds=1)))
        self.assertIsNone(Records(self.database).accounts.person(token))
        self.accounts.sign_in("ines", PASSWORD)
        with writing(self.database) as session:
            self.assertEqual(len(session.scalars(select(SignIn)).all()), 1)

    def test_neither_passwords_nor_tokens_are_kept(self) -> None:
        self.accounts.add("ines", "Ines", PASSWORD, AccountRole.TECHNICIAN)
        token = self.accounts.sign_in("ines", PASSWORD)
        assert token
        self.database.engine.dispose()
        for path in self.folder.iterdir():
            content = path.read_bytes()
            self.assertNotIn(PASSWORD.encode(), content, path.name)
            self.assertNotIn(token.encode(), content, path.name)

    def test_wrong_names_and_passwords_sign_nobody_in(self) -> None:
        self.accounts.add("ines", "Ines", PASSWORD, AccountRole.TECHNICIAN)
        for name, password in (("ines", "wrong"), ("ines", ""), ("nobody", PASSWORD), ("", "")):
            self.assertIsNone(self.accounts.sign_in(name, password))
        self.assertIsNone(self.accounts.person("made up"))

    def test_accounts_that_cannot_be_made_say_why(self) -> None:
        self.accounts.add("ines", "Ines", PASSWORD, AccountRole.VIEWER)
        for name, password, words in (
            ("ines", PASSWORD, "an account ines already"),
            ("a", PASSWORD, "2 to 40"),
            ("has space", PASSWORD, "2 to 40"),
            ("x" * 41, PASSWORD, "2 to 40"),
            ("tom", "short", "at least 12"),
            ("tom", "aaaaaaaaaaaaaaaa", "not all alike"),
            ("tom", "x1y2z" * 41, "at least 12"),
        ):
            with self.subTest(name), self.assertRaises(AccountError) as caught:
                self.accounts.add(name, name, password, AccountRole.VIEWER)
            self.assertIn(words, str(caught.exception))


class Unwritable(WithAccounts):
    """The database cannot be written, as on a file system without room (that is `tests.trials.disk`)."""

    def setUp(self) -> None:
        super().setUp()
        self.full = False

        def limit(connection: Any, record: object, proxy: object) -> None:
            connection.execute(f"PRAGMA query_only={'ON' if self.full else 'OFF'}")

        event.listen(self.database.engine, "checkout", limit)

    def test_signing_in_works_and_is_written_once_there_is_room(self) -> None:
        self.accounts.add("ines", "Ines Aldering", PASSWORD, AccountRole.PLANNER)
        self.full = True
        self.assertIsNone(self.accounts.sign_in("ines", "wrong"))
        token = self.accounts.sign_in("ines", PASSWORD) or ""
        self.assertEqual(person := self.accounts.person(token), self.accounts.known(token))
        self.assertEqual(person and person.name, "ines")
        self.assertTrue(self.accounts.device("ines"))
        other = self.accounts.sign_in("ines", PASSWORD) or ""
        self.accounts.sign_out(other)
        self.assertIsNone(self.accounts.person(other))
        self.accounts.write_held()
        self.assertFalse(self.accounts.sessions(person, token), "there is no room yet")  # type: ignore[arg-type]
        self.assertFalse(self.database.writes)
        self.full = False
        self.accounts.write_held()
        self.assertTrue(self.database.writes)
        again = Records(self.database)
        self.assertIsNotNone(again.accounts.person(token))
        lines = [(line.act, line.by) for line in again.journal.lines(act="signed in")]
        self.assertEqual(lines, [("signed in", "Ines Aldering")])

    def test_a_code_counts_once_all_the_same(self) -> None:
        self.accounts.add("ines", "Ines Aldering", PASSWORD, AccountRole.PLANNER)
        person = self.accounts.person(self.accounts.sign_in("ines", PASSWORD) or "")
        assert person is not None
        address = self.accounts.begin_second(person, PASSWORD, "")
        totp = pyotp.TOTP(pyotp.parse_uri(address).secret)  # type: ignore[attr-defined]
        codes = self.accounts.confirm_second(person, totp.at(time.time() - 30), "")
        self.full = True
        with self.assertRaisesRegex(AccountError, "no recovery code counts"):
            self.accounts.sign_in("ines", PASSWORD, codes[0])
        code = totp.now()
        self.assertIsNotNone(self.accounts.sign_in("ines", PASSWORD, code))
        self.assertIsNone(self.accounts.sign_in("ines", PASSWORD, code))


class Demo(InFolder):
    def test_the_demo_stands_around_today_with_its_stages(self) -> None:
        database = Database(self.folder)
        self.addCleanup(database.close)
        records = Records(database)
        plans, accounts = records.plans, records.accounts
        today = datetime(2031, 5, 6, tzinfo=UTC).date()
        people, password = demo.prepare(records, today)
        self.assertEqual([person.name for person in people], ["ines", "sabine", "marek", "wren"])
        self.assertIsNotNone(accounts.sign_in("marek", password))
        every = plans.now.all()
        dates = sorted(plan.ship_date for plan in every.values() if plan.ship_date)
        self.assertEqual((len(every), dates[0].isoformat()), (24, "2031-05-07"))
        self.assertEqual({c for plan in every.values() for c in [plan.customer]}, set(demo.CUSTOMERS))
        for key in demo.CLEARED:
            signature = plans.now.signature(key)
            assert signature
            self.assertIsNone(signature.void)
        again, fresh = demo.prepare(records, today)
        self.assertEqual(len(plans.now.all()), 24)
        self.assertIsNone(accounts.sign_in("marek", password))
        self.assertIsNotNone(accounts.sign_in("marek", fresh))
        self.assertEqual([p.name for p in again], ["ines", "sabine", "marek", "wren"])

    def test_nothing_is_late_in_a_demo_that_begins_at_the_end_of_a_week(self) -> None:
        database = Database(self.folder)
        self.addCleanup(database.close)
        records = Records(database)
        saturday = datetime(2031, 5, 10, tzinfo=UTC).date()
        demo.prepare(records, saturday)
        self.assertGreaterEqual(min(p.ship_date for p in records.plans.now.all().values() if p.ship_date), saturday)

    def test_records_of_somebody_are_not_touched(self) -> None:
        database = Database(self.folder)
        self.addCleanup(database.close)
        records = Records(database)
        plans, accounts = records.plans, records.accounts
        accounts.add("ada", "Ada", PASSWORD, AccountRole.ADMINISTRATOR)
        people, _ = demo.prepare(records, datetime.now(UTC).date())
        self.assertEqual((people, len(plans.now)), ([], 0))
        with writing(database) as session:
            self.assertFalse(session.scalars(select(Account.demo)).one())
