"""Hardware types in versions, and old databases brought up to date."""

from __future__ import annotations

import json
import sqlite3

from alembic import command

from octaplan.store.database import FILE, Database, alembic_config
from octaplan.store.hardware import HardwareError, NoSuchType, TypeMoved
from octaplan.store.records import Records
from octaplan.store.search import find
from tests.core.kit import hardware, office_site, with_device
from tests.support import InFolder


class Versions(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.database = Database(self.folder)
        self.addCleanup(self.database.close)
        self.hardware = Records(self.database).hardware

    def save(self, base: int, by: str = "Ines", **more: object) -> None:
        self.hardware.save(hardware(**more).document(), base, by)  # type: ignore[arg-type]

    def test_each_change_is_a_version_and_the_newest_counts(self) -> None:
        self.save(0)
        self.save(1, "Marek", model="Five B")
        self.assertEqual(self.hardware.get("test-five").model, "Five B")
        again = Records(self.database).hardware
        self.assertEqual(again.types, self.hardware.types)
        self.assertEqual([(v.number, v.by) for v in again.history("test-five")], [(2, "Marek"), (1, "Ines")])

    def test_saving_the_same_again_makes_no_version(self) -> None:
        self.save(0)
        self.save(1)
        self.assertEqual(self.hardware.versions["test-five"].number, 1)

    def test_nobody_overwrites_what_they_have_not_seen(self) -> None:
        self.save(0)
        self.save(1, "Marek", model="Five B")
        with self.assertRaisesRegex(TypeMoved, "Marek saved version 2"):
            self.save(1, model="Five C")
        with self.assertRaisesRegex(TypeMoved, "There is a type test-five already"):
            self.save(0, model="Five C")
        self.assertEqual(self.hardware.get("test-five").model, "Five B")

    def test_what_cannot_be_is_refused_with_its_place(self) -> None:
        with self.assertRaises(HardwareError) as caught:
            self.hardware.save(hardware().document() | {"kind": "toaster"}, 0, "Ines")
        self.assertEqual(caught.exception.path, "/kind")
        self.assertEqual(self.hardware.types, {})

    def test_a_removed_type_is_gone_but_its_versions_are_kept_and_it_can_come_back(self) -> None:
        self.save(0)
        self.hardware.remove("test-five", 1, "Ines")
        with self.assertRaises(NoSuchType):
            self.hardware.get("test-five")
        self.assertEqual(Records(self.database).hardware.types, {})
        self.assertEqual(len(self.hardware.history("test-five")), 2)
        self.save(0)
        self.assertEqual(self.hardware.versions["test-five"].number, 3)


class OldDatabases(InFolder):
    def test_a_database_of_the_first_version_is_brought_up_to_date_with_its_plans(self) -> None:
        database = Database(self.folder)
        with database.engine.begin() as connection:
            command.downgrade(alembic_config(connection), "0001")
        database.close()
        with sqlite3.connect(self.folder / FILE) as raw:
            tables = {name for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type='table'")}
            self.assertNotIn("secrets", tables)
            plan = json.dumps(
                {"schema": "octaplan.site-plan/2", "customer": "FERN", "site": "DOCK", "time_zone": "Europe/Dublin"}
            )
            raw.execute("INSERT INTO customers VALUES ('fern', 'FERN', 'Fernhollow')")
            raw.execute("INSERT INTO sites VALUES (1, 'fern/dock', 'fern', 'DOCK', NULL, NULL, NULL, 1)")
            raw.execute("INSERT INTO revisions VALUES (1, 1, '2026-01-01 00:00:00', 'Ines', 'x', '[]', ?)", (plan,))
            raw.execute("INSERT INTO clearances VALUES (1, 1, 1, 'Ines', '2026-01-02 00:00:00')")
            raw.execute("INSERT INTO accounts VALUES (1, 'ines', 'Ines', 'technician', 'x', 0)")
        raw.close()
        database = Database(self.folder)
        self.addCleanup(database.close)
        records = Records(database)
        self.assertEqual(records.plans.now.plan("fern/dock").devices, {})
        signature = records.plans.now.signature("fern/dock")
        assert signature
        self.assertIsNone(signature.void)
        (account,) = records.accounts.everyone()
        self.assertEqual((account.name, account.ends, account.second_factor), ("ines", None, False))
        self.assertEqual(records.vault.locked, "")


class Finding(InFolder):
    def test_boxes_are_found_by_name_serial_mac_address_and_wifi(self) -> None:
        database = Database(self.folder)
        self.addCleanup(database.close)
        plan, edge = with_device(
            office_site(), serial="T5-0042", macs=["02:40:08:00:00:07"], addresses={"seg0": "10.40.8.2"}
        )
        document = plan.document()
        document["wireless"] = {"wifi": {"name": "Fern guests", "segment": "seg0"}}
        Records(database).plans.save_all([type(plan).model_validate(document)], "Ines", "Loaded from tables")
        for text, kind in (
            ("t5-0042", "device"),
            ("dock-edge", "device"),
            ("0240.0800.0007", "MAC"),
            ("10.40.8.2", "device"),
            ("fern guests", "Wi-Fi"),
        ):
            with self.subTest(text):
                place = find(database, text).places[0]
                self.assertEqual(place.kind, kind)
                self.assertIn(place.path, (f"/devices/{edge}", "/wireless/wifi"))
