"""Data of every earlier version opens, with everything in it: folders that the code of that version has made, with runs,
ticks, backups, secrets, a batch, a link and a rehearsal as far as that version knew of them."""

from __future__ import annotations

import sqlite3
import tarfile
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest.mock import patch

from octaplan.store import database as module
from octaplan.store.database import FILE, Database, known_revisions
from octaplan.store.folder import DataFolderError
from octaplan.store.records import Records
from octaplan.store.staging import staging_of
from tests.support import InFolder

FORMER = Path(__file__).parent / "former"
#: What is worked out of the plans and made anew, and what an upgrade notes of itself.
MADE_ANEW = {"claims", "names", "alembic_version"}


def rows_of(file: Path) -> dict[str, list[dict[str, Any]]]:
    """All rows of a database, by table."""
    with closing(sqlite3.connect(file)) as connection:
        connection.row_factory = sqlite3.Row
        tables = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%'")
        names = {name for (name,) in tables} - MADE_ANEW
        return {
            name: [dict(row) for row in connection.execute(f'SELECT * FROM "{name}"')]  # noqa: S608
            for name in sorted(names)
        }


class Former(InFolder):
    def unpacked(self, revision: str) -> Path:
        data = self.folder / revision
        data.mkdir()
        with tarfile.open(FORMER / f"{revision}.tar.xz") as packed:
            packed.extractall(data, filter="data")
        return data

    def test_there_is_a_folder_of_every_version_and_they_hold_what_is_to_be_kept(self) -> None:
        told = {path.name.partition(".")[0] for path in FORMER.glob("*.tar.xz")}
        self.assertEqual(told, {*known_revisions()} - {"0003"}, "0003 and 0004 came together")
        newest = rows_of(self.unpacked(known_revisions()[-1]) / FILE)
        for table in (
            "runs",
            "ticks",
            "recordings",
            "backups",
            "secrets",
            "site_links",
            "rehearsals",
            "batches",
            "revisions",
        ):
            self.assertTrue(newest[table], table)

    def test_everything_in_it_is_still_there(self) -> None:
        for revision in sorted(path.name.partition(".")[0] for path in FORMER.glob("*.tar.xz")):
            data = self.unpacked(revision)
            before = rows_of(data / FILE)
            with self.subTest(revision):
                database = Database(data)
                try:
                    self.all_kept(before, rows_of(data / FILE))
                    self.everything_works(Records(database), staged="runs" in before)
                finally:
                    database.close()
                aside = [path.name for path in data.glob(f"{FILE}.before-*")]
                newest = known_revisions()[-1]
                self.assertEqual(aside, [] if revision == newest else [f"{FILE}.before-{newest}"])

    def all_kept(self, before: dict[str, list[dict[str, Any]]], after: dict[str, list[dict[str, Any]]]) -> None:
        """Every row of before is there, with all that it said."""
        for table, rows in before.items():
            self.assertGreaterEqual(len(after[table]), len(rows), table)
            for row in rows:
                kept = [one for one in after[table] if all(one.get(name) == value for name, value in row.items())]
                self.assertTrue(kept, f"{table}: {row} is gone or another")

    def everything_works(self, records: Records, *, staged: bool) -> None:
        """Plans are read and changed, secrets read, the staged box is shown."""
        self.assertEqual(records.journal.check().fault, "")
        plan = records.now.sites.plan("PAWS/HERON")
        records.plans.revise(
            "PAWS/HERON",
            [{"op": "add", "path": "/contact", "value": "Bo"}],
            records.now.sites.saved("PAWS/HERON").number,
            "Bo",
        )
        if not staged:
            return
        edge = next(key for key, device in plan.devices.items() if device.role == "edge")
        staging = staging_of(records.now, "paws/heron", edge)
        self.assertGreaterEqual(len(staging.ticks), 10)
        slot = f"devices/{edge}/administrator"
        self.assertTrue(records.safe.read("PAWS/HERON", slot, "Bo", "to see that it opens"))

    def test_what_cannot_be_brought_up_is_left_as_it_was_without_a_copy(self) -> None:
        data = self.unpacked("0012")
        with closing(sqlite3.connect(data / FILE)) as connection, connection:
            connection.execute("UPDATE ticks SET run_id = 4711")
        before = rows_of(data / FILE)
        for _ in range(3):
            with self.assertRaisesRegex(DataFolderError, "ticks.*Nothing in it was changed: go on with the Octaplan"):
                Database(data)
        self.assertEqual(rows_of(data / FILE), before)
        self.assertEqual([*data.glob(f"{FILE}.before-*")], [])

    def test_an_upgrade_that_is_begun_again_leaves_one_copy(self) -> None:
        data = self.unpacked("0007")
        for _ in range(3):
            with patch.object(module, "_migrate", side_effect=SystemExit), self.assertRaises(SystemExit):
                Database(data)
        Database(data).close()
        self.assertEqual(len([*data.glob(f"{FILE}.before-*")]), 1)
