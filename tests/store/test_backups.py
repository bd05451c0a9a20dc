"""Copies of all records: made while they are written, put back whole, and gone through."""

from __future__ import annotations

import hashlib
import json
import os
import socket
import sqlite3
import stat
import subprocess
import threading
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, create_engine, inspect, text

from octaplan.store import backups
from octaplan.store.backups import BackupError, Schedule
from octaplan.store.database import FILE, Database, alembic_config, known_revisions
from octaplan.store.folder import DataFolderError
from octaplan.store.models import Base
from octaplan.store.records import Records
from tests import forks
from tests.store.test_plans import put
from tests.store.test_safe import WithSafe
from tests.support import InFolder, writing

PASSPHRASE = "lantern over the quay"


class Copies(WithSafe):
    def setUp(self) -> None:
        super().setUp()
        self.fill()
        self.copy = self.folder.parent / f"{self.folder.name}.zip"
        self.there = self.folder.parent / f"{self.folder.name}-restored"
        self.addCleanup(self.copy.unlink, missing_ok=True)
        self.addCleanup(lambda: subprocess.run(["/bin/rm", "-rf", str(self.there)], check=True))

    def put_back(self, passphrase: str = PASSPHRASE) -> Records:
        backups.restore(self.copy, self.there, passphrase)
        database = Database(self.there)
        self.addCleanup(database.close)
        return Records(database)

    def test_everything_is_there_after_it_is_put_back(self) -> None:
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, "Ines")
        secret = self.safe.read("FERN/DOCK", self.slot, "Ines")
        self.records.bench.begin("FERN/DOCK", self.edge, "Ines")
        backups.make(self.folder, self.copy, PASSPHRASE)
        self.assertEqual(stat.S_IMODE(self.copy.stat().st_mode), 0o600)
        self.assertEqual([v.fault for v in backups.verify(self.copy, PASSPHRASE)], [""] * 5)
        records = self.put_back()
        self.assertEqual(records.now.sites.plan("FERN/DOCK"), self.plans.now.plan("FERN/DOCK"))
        self.assertEqual(records.safe.read("FERN/DOCK", self.slot, "Ines"), secret)
        self.assertIn(self.edge, records.now.runs.at("fern/dock"))
        self.assertEqual(records.journal.check().fault, "")
        self.assertEqual(stat.S_IMODE((self.there / "safe.key").stat().st_mode), 0o600)

    def forged(self, **changed: Any) -> Path:
        """The copy with a contact changed in its database, and a manifest that fits what is in it now."""
        there = self.folder.parent / f"{self.folder.name}-forged.zip"
        self.addCleanup(there.unlink, missing_ok=True)
        with zipfile.ZipFile(self.copy) as old, zipfile.ZipFile(there, "w") as new:
            manifest = json.loads(old.read("manifest.json"))
            for name in manifest["files"]:
                content = old.read(name)
                if name == FILE:
                    content = content.replace(b"Ada", b"Eve")
                manifest["files"][name] = hashlib.sha256(content).hexdigest()
                new.writestr(name, content)
            new.writestr("manifest.json", json.dumps(manifest | changed))
        return there

    def test_a_copy_that_was_made_to_fit_again_is_told(self) -> None:
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, "Ines")
        backups.make(self.folder, self.copy, PASSPHRASE)
        (about, *_) = backups.verify(self.copy, PASSPHRASE)
        self.assertEqual(about.fault, "")
        self.assertIn(f"copy made by {socket.gethostname()[:80]} on 20", about.what)
        with self.assertRaisesRegex(BackupError, "it was changed after it was made, or the passphrase is another"):
            backups.verify(self.forged(), PASSPHRASE)
        (about, *_) = backups.verify(self.forged(), keys=self.folder)
        self.assertIn("its seal does not fit", about.fault)
        (about, *_) = backups.verify(self.forged())
        self.assertIn("without journal.key nobody can tell", about.fault)
        (about, *_) = backups.verify(self.forged(installation="0" * 12), keys=self.folder)
        self.assertIn("it is of another installation", about.fault)
        (about, *_) = backups.verify(self.forged(schema=backups.UNSEALED), keys=self.folder)
        self.assertIn("of before there were seals: whether it was changed cannot be told", about.what)

    def test_what_a_kill_left_is_gone_with_the_next_copy(self) -> None:
        place = self.folder / "backups"
        place.mkdir()
        (place / ".octaplan-999999999-a").mkdir()
        (place / ".octaplan-999999999-a" / FILE).write_bytes(b"a whole database")
        (place / ".octaplan-999999999-b").write_bytes(b"half a copy")
        (place / f".octaplan-{os.getppid()}-c").write_bytes(b"of one that is at it")
        Schedule(place).make(self.folder)
        left = sorted(path.name for path in place.iterdir())
        self.assertEqual(left[0], f".octaplan-{os.getppid()}-c")
        self.assertEqual(len(left), 2, left)
        (place / f".octaplan-{os.getpid()}-d").write_bytes(b"of one that had our number before us")
        backups.tidy(place)
        self.assertTrue((place / f".octaplan-{os.getpid()}-d").exists(), "it may be ours")
        backups.tidy(place, beginning=True)
        self.assertFalse((place / f".octaplan-{os.getpid()}-d").exists())

    def test_a_change_of_keys_that_was_cut_off_verifies_as_the_next_start_finds_it(self) -> None:
        with self.records.database.turn() as turn:
            self.safe.vault.change_key(turn.session)  # kept, and killed before it settled
        self.assertTrue((self.folder / "safe.key.next").is_file())
        self.assertEqual([v.fault for v in backups.verify(self.folder)], [""] * 4)
        self.assertTrue((self.folder / "safe.key.next").is_file(), "nothing in the folder is changed")
        backups.make(self.folder, self.copy, PASSPHRASE)
        self.assertEqual([v.fault for v in backups.verify(self.copy, PASSPHRASE)], [""] * 5)

    def test_copies_made_while_others_write_are_whole(self) -> None:
        done = threading.Event()

        def write() -> None:
            number = 1
            while not done.is_set():
                self.plans.revise("FERN/DOCK", put("/contact", f"as of {number}"), number, "Ines")
                number += 1

        thread = threading.Thread(target=write)
        thread.start()
        try:
            for _ in range(4):
                backups.make(self.folder, self.copy, PASSPHRASE)
                self.assertEqual([v.fault for v in backups.verify(self.copy, PASSPHRASE)], [""] * 5)
        finally:
            done.set()
            thread.join()

    def test_the_keys_are_apart_or_sealed(self) -> None:
        backups.make(self.folder, self.copy)
        with zipfile.ZipFile(self.copy) as archive:
            self.assertEqual(set(archive.namelist()), {"manifest.json", FILE, "journal.head"})
        self.assertIn("safe.key", backups.verify(self.copy)[3].fault)
        self.assertEqual([v.fault for v in backups.verify(self.copy, keys=self.folder)], [""] * 5)
        backups.make(self.folder, self.copy, PASSPHRASE)
        key = (self.folder / "safe.key").read_bytes().split()[-1]
        self.assertNotIn(key, self.copy.read_bytes())
        with self.assertRaisesRegex(BackupError, "does not open the keys"):
            backups.restore(self.copy, self.there, "another passphrase")
        self.assertFalse(self.there.exists())

    def test_what_is_damaged_or_something_else_is_refused_in_words(self) -> None:
        backups.make(self.folder, self.copy, PASSPHRASE)
        with self.assertRaisesRegex(BackupError, "not empty"):
            backups.restore(self.copy, self.folder)
        with zipfile.ZipFile(self.copy) as archive:
            members = {name: archive.read(name) for name in archive.namelist()}
        members[FILE] = members[FILE][:-4096] + bytes(4096)
        with zipfile.ZipFile(self.copy, "w") as archive:
            for name, content in members.items():
                archive.writestr(name, content)
        with self.assertRaisesRegex(BackupError, "damaged: octaplan.sqlite"):
            backups.restore(self.copy, self.there)
        for content in (b"nothing", b""):
            self.copy.write_bytes(content)
            with self.assertRaisesRegex(BackupError, "cannot be read"):
                backups.restore(self.copy, self.there)
        with zipfile.ZipFile(self.copy, "w") as archive:
            archive.writestr("manifest.json", json.dumps({"schema": backups.SCHEMA, "files": {"../x": "", FILE: ""}}))
        with self.assertRaisesRegex(BackupError, "another kind"):
            backups.restore(self.copy, self.there)

    def test_what_is_wrong_in_a_folder_is_found_and_mended(self) -> None:
        with writing(self.records.database) as session:
            session.execute(text("DELETE FROM claims WHERE path LIKE '/segments/%'"))
            session.execute(text("UPDATE secrets SET sealed = x'00' WHERE id = 1"))
        found = {verdict.what: verdict.fault for verdict in backups.verify(self.folder)}
        self.assertIn("fern/dock", found["derived tables"])
        self.assertIn("cannot be opened", found["secrets"])
        self.records.database.close()
        for options, code in ((["--mend"], 1), ([], 1)):
            told = forks.run("verify", self.folder, *options)
            self.assertEqual(told.returncode, code, told.stderr)
        self.assertIn("derived tables: whole", told.stdout)

    def test_copies_on_a_schedule_are_kept_for_so_long(self) -> None:
        schedule = Schedule(self.there, timedelta(hours=24), timedelta(days=3))
        start = datetime.now(UTC)
        self.assertFalse(schedule.due(start, start))
        self.assertTrue(schedule.due(start + timedelta(minutes=16), start))
        schedule.make(self.folder, start)
        self.assertFalse(schedule.due(start + timedelta(hours=23), start))
        self.assertTrue(schedule.due(start + timedelta(hours=25), start))
        schedule.make(self.folder, start + timedelta(days=2))
        schedule.make(self.folder, start + timedelta(days=4))
        self.assertEqual(len(schedule.copies()), 1)


class Opening(InFolder):
    def test_the_folder_and_its_files_are_their_owners_alone(self) -> None:
        data = self.folder / "data"
        data.mkdir()
        data.chmod(0o755)
        (data / "old.txt").write_text("x")
        (data / "old.txt").chmod(0o644)
        database = Database(data)
        self.addCleanup(database.close)
        Records(database)
        self.assertEqual(len(database.mended), 2)
        for path in (data, *data.rglob("*")):
            self.assertFalse(path.stat().st_mode & 0o077, path)

    def test_what_is_newer_damaged_or_foreign_is_refused_in_one_sentence(self) -> None:
        for name, words in (("newer", "newer Octaplan"), ("damaged", "cannot be read"), ("foreign", "something else")):
            data = self.folder / name
            data.mkdir()
            file = data / FILE
            if name == "damaged":
                file.write_bytes(b"no database at all" * 500)
            else:
                with sqlite3.connect(file) as connection:
                    connection.execute("CREATE TABLE alembic_version (version_num TEXT)")
                    connection.execute("INSERT INTO alembic_version VALUES ('9999')")
                    if name == "newer":
                        connection.execute("CREATE TABLE revisions (x TEXT)")
                connection.close()
            before = file.read_bytes()
            with self.subTest(name), self.assertRaisesRegex(DataFolderError, words):
                Database(data)
            self.assertEqual(file.read_bytes(), before)
            told = forks.run("serve", "--data", data, "--port", "0")
            self.assertEqual((told.returncode, told.stderr.count("octaplan: ")), (2, 1), told.stderr)

    def test_a_new_database_has_the_tables_that_one_brought_up_has(self) -> None:
        migrated = create_engine(f"sqlite:///{self.folder / 'migrated.sqlite'}")
        with migrated.begin() as connection:
            command.upgrade(alembic_config(connection), "head")
        new = Database(self.folder / "new")
        self.addCleanup(new.close)
        self.assertEqual(_shape(new.engine), _shape(migrated))
        with migrated.connect() as one, new.engine.connect() as other:
            version = text("SELECT version_num FROM alembic_version")
            self.assertEqual(one.scalar(version), other.scalar(version))
        with migrated.connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
            self.assertEqual(compare_metadata(context, Base.metadata), [])
        migrated.dispose()

    def test_every_earlier_revision_is_brought_up_with_a_copy_put_aside(self) -> None:
        for revision in known_revisions()[:-1]:
            data = self.folder / revision
            data.mkdir()
            _at_revision(data / FILE, revision)
            with self.subTest(revision):
                database = Database(data)
                try:
                    records = Records(database)
                    self.assertEqual(records.now.sites.plan("FERN/DOCK").contact, "Ada")
                    records.plans.revise("FERN/DOCK", put("/contact", "Bo"), 1, "Ines")
                    records.accounts.add("ines", "Ines", "lantern reed 9", "viewer")  # type: ignore[arg-type]
                    self.assertEqual(records.journal.check().fault, "")
                finally:
                    database.close()
                self.assertEqual(len(list(data.glob(f"{FILE}.before-*"))), 1)


def _shape(engine: Engine) -> dict[str, object]:
    """The tables of a database, with what is demanded of their columns."""
    inspector = inspect(engine)
    with engine.connect() as connection:
        triggers = connection.execute(text("SELECT name, sql FROM sqlite_master WHERE type = 'trigger' ORDER BY name"))
        made: dict[str, object] = {"triggers": [tuple(row) for row in triggers]}
    return made | {
        table: (
            {c["name"]: (str(c["type"]), c["nullable"], c["primary_key"] > 0) for c in inspector.get_columns(table)},
            {(i["name"], *i["column_names"]): i["unique"] for i in inspector.get_indexes(table)},
            {tuple(u["column_names"]) for u in inspector.get_unique_constraints(table)},
            {(*f["constrained_columns"], f["referred_table"]) for f in inspector.get_foreign_keys(table)},
        )
        for table in inspector.get_table_names()
    }


def _at_revision(file: Path, revision: str) -> None:
    """A database as it was at an earlier revision of the tables, with one site."""
    engine = create_engine(f"sqlite:///{file}")
    with engine.begin() as connection:
        command.upgrade(alembic_config(connection), revision)
        connection.execute(text("INSERT INTO customers (key, code, name) VALUES ('fern', 'FERN', 'Fernhollow')"))
        connection.execute(
            text("INSERT INTO sites (id, key, customer_key, code, revision) VALUES (1, 'fern/dock', 'fern', 'DOCK', 1)")
        )
        document = {"schema": "octaplan.site-plan/2", "customer": "FERN", "site": "DOCK", "contact": "Ada"}
        values = {"site_id": 1, "number": 1, "at": "2026-01-01 00:00:00.000000", "by": "Ines", "sentence": "Made",
                  "patch": "[]", "document": json.dumps(document)}  # fmt: skip
        columns = {row[1] for row in connection.execute(text("PRAGMA table_info(revisions)"))}
        if "kind" in columns:
            values["kind"] = "change"
        names = ", ".join(f'"{name}"' for name in values)
        connection.execute(
            text(f"INSERT INTO revisions ({names}) VALUES ({', '.join(f':{n}' for n in values)})"),  # noqa: S608
            values,
        )
    engine.dispose()
