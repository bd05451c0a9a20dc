"""Rehearsals over the wire: begun, followed, stopped, kept, and demanded before a site is cleared."""

from __future__ import annotations

import time
import unittest
from typing import Any
from unittest.mock import patch

from octaplan.lab.spaces import ground
from octaplan.lab.spaces.ground import missing
from octaplan.server.pages import rehearsal
from octaplan.store.refusals import NotClear
from octaplan.store.rehearsals import must_be_rehearsed
from tests.server.test_boxes import SITE, WithBoxes

LACKS = missing()
AT = f"{SITE}/rehearsal"


def result(**more: Any) -> dict[str, Any]:
    """What a rehearsal tells when all agrees."""
    counts = dict.fromkeys(
        ("against_walk_count", "otherwise_count", "leases_wrong", "explained", "untold", "left_out", "passed"), 0
    )
    lists: dict[str, list[Any]] = {
        name: []
        for name in ("against_walk", "otherwise_than_meant", "leases", "not_brought_up", "brought_up_plainly", "cells",
                     "spaces", "cables")
    }  # fmt: skip
    return {**counts, **lists, "probes": 4, "seconds": 0.5, **more}


class Demanded(WithBoxes):
    def test_a_site_is_cleared_only_as_it_was_rehearsed(self) -> None:
        self.device()
        held = self.records.now.sites.of("LARK/NOOK")
        with self.records.database.turn() as turn, self.assertRaisesRegex(NotClear, "never rehearsed"):
            must_be_rehearsed(turn, held)
        self.records.rehearsals.keep(held, result(against_walk_count=1), "Ines")
        with self.records.database.turn() as turn, self.assertRaisesRegex(NotClear, "did other than the walk says"):
            must_be_rehearsed(turn, held)
        self.records.rehearsals.keep(held, result(otherwise_count=1), "Ines")
        with self.records.database.turn() as turn:
            must_be_rehearsed(turn, held)  # what is not meant is a finding, and decided there
        self.records.rehearsals.keep(held, result(), "Ines")
        with self.records.database.turn() as turn:
            must_be_rehearsed(turn, held)
        change = [{"op": "add", "path": "/devices/" + next(iter(held.plan.devices)) + "/name", "value": "nook-other"}]
        self.records.plans.revise("LARK/NOOK", change, held.saved.number, "Ines")
        with self.records.database.turn() as turn, self.assertRaisesRegex(NotClear, "has changed since"):
            must_be_rehearsed(turn, self.records.now.sites.of("LARK/NOOK"))
        shown = self.client.get(AT).json()["last"]
        self.assertEqual((shown["now"], shown["behind"], shown["agrees"]), (False, 1, True))

    def test_signing_asks_for_it_when_the_organisation_does(self) -> None:
        self.device()
        settings = self.client.get("/api/organisation").json()
        changed = settings["settings"] | {"rehearsed": True}
        saved = self.client.put(
            "/api/organisation", json=changed, headers={"If-Match": str(settings["revision"]["number"])}
        )
        self.assertEqual(saved.status_code, 200, saved.text)
        made = self.client.post(f"{SITE}/credentials/make", json={})
        self.assertLess(made.status_code, 500)
        held = self.records.now.sites.of("LARK/NOOK")
        with patch("octaplan.store.plans.clearance_of") as signed:
            signed.return_value._asdict.return_value = {}
            with self.assertRaisesRegex(NotClear, "never rehearsed"):
                self.records.plans.sign("LARK/NOOK", held.saved.number, "Ines")

    def test_the_rehearsal_of_a_site_survives_a_restart_and_keeps_the_site(self) -> None:
        held = self.records.now.sites.of("LARK/NOOK")
        self.records.rehearsals.keep(held, result(cells=[{"x": "y" * (1 << 20)}]), "Ines")
        self.again()
        kept = self.records.rehearsals.newest("LARK/NOOK")
        assert kept is not None
        self.assertEqual((kept.revision, kept.by, kept.result["cells"]), (held.saved.number, "Ines", []))


class Refused(WithBoxes):
    def test_what_cannot_be_rehearsed_is_said(self) -> None:
        self.assertIn("Plan its edge first", self.client.post(AT).json()["detail"])
        self.assertEqual(self.client.get("/api/sites/NO/SUCH/rehearsal").status_code, 404)
        self.device()
        with (
            patch.object(ground, "_found", side_effect=lambda name: None if name == "nft" else f"/bin/{name}"),
            patch.object(rehearsal._ground, "_words", None),
        ):
            refused = self.client.post(AT)
            self.assertEqual((refused.status_code, "apt install nftables" in refused.text), (503, True))
            self.assertIn("nftables", self.client.get(AT).json()["missing"])

    def test_who_only_looks_cannot_begin_one(self) -> None:
        self.assertEqual(self.signed_in("vera").post(AT).status_code, 403)
        self.assertEqual(self.signed_in("vera").get(AT).status_code, 200)


@unittest.skipIf(LACKS, LACKS)
class UnderWay(WithBoxes):
    def setUp(self) -> None:
        super().setUp()
        self.device()
        self.addCleanup(self.app.state.rehearsal_desk.close)

    def until(self, wanted: bool = False) -> dict[str, Any]:
        """What is shown once none is under way any more, or one is."""
        ends = time.monotonic() + 60
        while time.monotonic() < ends:
            shown = dict(self.client.get(AT).json())
            if (shown["running"] is not None) is wanted:
                return shown
            time.sleep(0.02)
        raise AssertionError("it does not come to an end")

    def test_it_is_followed_and_kept_with_the_revision(self) -> None:
        begun = self.client.post(AT)
        self.assertEqual((begun.status_code, begun.json()["running"]["by"]), (202, "Ines"))
        shown = self.until()
        last = shown["last"]
        self.assertEqual((shown["problem"], last["by"], last["now"]), ("", "Ines", True))
        self.assertEqual(last["against_walk"], [])
        self.assertGreater(last["questions"], 20)
        self.assertTrue({"internet", "box", "provider", "place"} <= {space["kind"] for space in last["spaces"]})
        self.assertEqual({lease["looked_up"] for lease in last["leases"]} - {None, ""}, {"192.0.2.80"})

    def test_one_at_a_time_at_a_site_and_stopped_in_the_middle_nothing_is_kept(self) -> None:
        self.client.post(AT)
        again = self.signed_in("pia").post(AT)
        self.assertEqual((again.status_code, "Ines rehearses this site already" in again.text), (409, True))
        self.client.delete(AT)
        shown = self.until()
        self.assertEqual((shown["last"], shown["problem"]), (None, "Ines stopped it"))

    def test_others_write_while_it_runs_and_it_is_of_the_revision_that_it_began_with(self) -> None:
        held = self.records.now.sites.of("LARK/NOOK")
        self.client.post(AT)
        change = [{"op": "add", "path": "/segments/seg0/label", "value": "Front office"}]
        self.records.plans.revise("LARK/NOOK", change, held.saved.number, "Sabine")
        last = self.until()["last"]
        self.assertEqual((last["revision"], last["now"], last["behind"]), (held.saved.number, False, 1))
