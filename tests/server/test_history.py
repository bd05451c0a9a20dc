"""Drafts, undo and redo, revisions beside each other, and word of what others do."""

from __future__ import annotations

import asyncio
import json
from typing import Any

from octaplan.server import events
from octaplan.store.records import Records
from tests.server.test_api import WithServer
from tests.server.test_stream import told
from tests.store.test_plans import LAST

DOCK = "/api/sites/FERN/DOCK"


class Drafts(WithServer):
    def test_findings_of_a_change_that_is_not_saved(self) -> None:
        client = self.signed_in("marek")
        before = client.get(DOCK).json()
        operations = [{"op": "replace", "path": LAST, "value": "10.40.9.9"}]
        answer = client.post(f"{DOCK}/draft", json=operations)
        self.assertIn("scope-outside", [finding["rule"] for finding in answer.json()])
        self.assertEqual(client.get(DOCK).json(), before)

    def test_a_draft_meets_other_sites(self) -> None:
        client = self.signed_in()
        mill = next(iter(self.plans.now.plan("FERN/MILL").segments.values())).subnet
        key = next(iter(self.plans.now.plan("FERN/DOCK").segments))
        operations = [{"op": "add", "path": f"/segments/{key}/subnet", "value": str(mill)}]
        rules = [finding["rule"] for finding in client.post(f"{DOCK}/draft", json=operations).json()]
        self.assertIn("overlap-reach", rules)

    def test_what_cannot_be_a_draft(self) -> None:
        client = self.signed_in()
        for operations in (
            [{"op": "add", "path": "/customer", "value": "X"}],
            [{"op": "add", "path": "/segments/nothere/gateway", "value": "10.0.0.1"}],
            [{"op": "add", "path": LAST, "value": "10.40.300.1"}],
            [],
        ):
            with self.subTest(operations):
                self.assertEqual(client.post(f"{DOCK}/draft", json=operations).status_code, 422)


class UndoAndRedo(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in()
        for value in ("10.40.1.249", "10.40.1.240"):
            number = self.client.get(DOCK).json()["revision"]["number"]
            self.patch(self.client, [{"op": "add", "path": LAST, "value": value}], number)

    def last(self) -> Any:
        return json.dumps(self.client.get(DOCK).json()["plan"]).count("10.40.1.240")

    def post(self, what: str, revision: int, client: Any = None) -> Any:
        return (client or self.client).post(f"{DOCK}/{what}", headers={"If-Match": str(revision)})

    def test_both_outlast_a_restart(self) -> None:
        self.assertEqual(self.last(), 1)
        undone = self.post("undo", 3).json()
        self.assertEqual(self.last(), 0)
        self.assertEqual((undone["undo"], undone["redo"]), (1, 3))
        self.assertTrue(undone["revision"]["sentence"].startswith("Undone: "))
        fresh = Records(self.app.state.records.database).plans
        self.assertEqual(fresh.course(fresh.now.of("FERN/DOCK")).redo, 3)
        self.assertEqual(self.post("redo", 4).json()["revision"]["number"], 5)
        self.assertEqual(self.last(), 1)
        self.assertEqual(self.post("redo", 5).status_code, 422)

    def test_nobody_takes_back_what_they_have_not_seen(self) -> None:
        answer = self.post("undo", 2)
        self.assertEqual(answer.status_code, 409)
        self.assertIn("Look at it first", answer.json()["detail"])
        self.assertEqual(self.post("undo", 3, self.signed_in("vera")).status_code, 403)

    def test_an_earlier_revision_is_named_seen_and_taken_again(self) -> None:
        self.client.put(f"{DOCK}/revisions/1/name", json={"name": "As loaded"})
        listed = self.client.get(f"{DOCK}/revisions").json()
        self.assertEqual([saved["name"] for saved in listed], [None, None, "As loaded"])
        again = self.client.post(f"{DOCK}/revisions/1/again", headers={"If-Match": "3"}).json()
        self.assertEqual(again["revision"]["sentence"], "Back to revision 1 (As loaded)")
        self.assertEqual(again["undo"], 3)
        self.assertEqual(self.client.post(f"{DOCK}/revisions/77/again", headers={"If-Match": "4"}).status_code, 404)

    def test_two_beside_each_other(self) -> None:
        sides = self.client.get("/api/compare", params={"one": "FERN/DOCK@1", "other": "FERN/DOCK"}).json()
        self.assertEqual([change["after"] for change in sides["changes"]], ["10.40.1.240"])
        self.assertEqual((sides["one"]["newest"], sides["other"]["newest"]), (False, True))
        sites = self.client.get("/api/compare", params={"one": "FERN/DOCK", "other": "FERN/MILL"}).json()
        self.assertEqual(sites["other"]["plan"]["site"], "MILL")
        for wrong in ("FERN", "FERN/DOCK@x", "FERN/NONE"):
            answer = self.client.get("/api/compare", params={"one": wrong, "other": "FERN/DOCK"})
            self.assertIn(answer.status_code, (404, 422))


class Events(WithServer):
    def test_a_page_hears_of_changes_and_of_who_is_there(self) -> None:
        """The hub between threads, as the stream reads it; the stream itself is driven in a browser."""

        async def heard() -> list[tuple[str | None, Any]]:
            loop = asyncio.get_running_loop()
            hub: events.Hub = self.app.state.hub
            ines, marek = (events.Listener(name, frozenset({"fern/dock"}), loop) for name in ("Ines", "Marek"))
            hub.enter(ines)
            hub.enter(marek)
            operations = [{"op": "add", "path": LAST, "value": "10.40.1.249"}]
            await loop.run_in_executor(None, self.plans.revise, "FERN/DOCK", operations, 1, "Marek")
            hub.leave(marek)
            async with asyncio.timeout(5):
                while len(ines.waiting) < 4:
                    await asyncio.sleep(0)
            hub.leave(ines)
            return list(told(iter(ines.take().decode().splitlines())))

        got = asyncio.run(heard())
        self.assertEqual([event for event, _ in got], ["here", "here", "revision", "here"])
        self.assertEqual(got[1][1]["names"], ["Ines", "Marek"])
        self.assertEqual((got[2][1]["site"], got[2][1]["number"]), ("fern/dock", 2))
        self.assertEqual(got[3][1]["names"], ["Ines"])

    def test_a_page_that_does_not_read_is_told_to_look_anew(self) -> None:
        async def flooded() -> bytes:
            listener = events.Listener("Ines", frozenset(), asyncio.get_running_loop())
            for _ in range(events.WAITING + 3):
                listener.put(events.encoded("revision", {}))
            return listener.take()

        self.assertEqual(next(told(iter(asyncio.run(flooded()).decode().splitlines())))[0], "all")
