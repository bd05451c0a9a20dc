"""The intake page of a desk over the API."""

from __future__ import annotations

from typing import Any

from tests.server.test_api import WithServer

DOCK = "/api/sites/FERN/DOCK"


class Intake(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in("marek")
        self.patch(self.client, [{"op": "add", "path": "/circuits/main1", "value": {"label": "Main"}}], 1)

    def answer(self, *answers: tuple[str, str], revision: int = 2, **more: Any) -> Any:
        body = {"answers": [{"key": key, "text": text} for key, text in answers], **more}
        return self.client.post(f"{DOCK}/answers", json=body, headers={"If-Match": str(revision)})

    def question(self, key: str) -> dict[str, Any]:
        questions = self.client.get(f"{DOCK}/intake").json()["questions"]
        return next(question for question in questions if question["key"] == key)

    def test_answers_are_taken_as_one_revision_with_who_and_when(self) -> None:
        self.assertEqual(self.question("handoff.main1")["state"], "open")
        desk = self.answer(("handoff.main1", "static"), ("vlan.main1", "none"), source="Dana, phone").json()
        self.assertEqual(desk["revision"]["number"], 3)
        self.assertEqual(desk["plan"]["circuits"]["main1"]["handoff"], "static")
        question = self.question("vlan.main1")
        self.assertEqual((question["state"], question["value"], question["source"]), ("given", "none", "Dana, phone"))
        self.assertIn("provider", desk["summary"]["open"])
        self.assertEqual(desk["summary"]["stages"]["intake"], "open")

    def test_a_confirmed_answer_is_not_overwritten_in_silence(self) -> None:
        self.answer(("handoff.main1", "static"), ("gateway.main1", "203.0.113.17"), confirmed=True)
        refused = self.answer(("gateway.main1", "203.0.113.22"), revision=3)
        self.assertEqual(refused.status_code, 409)
        sides = refused.json()["contradictions"][0]
        self.assertEqual((sides["confirmed"], sides["given"]), ("203.0.113.17", "203.0.113.22"))
        self.assertEqual(self.plans.now.saved("FERN/DOCK").number, 3)
        taken = self.answer(("gateway.main1", "203.0.113.22"), revision=3, overwrite=True)
        self.assertEqual(taken.json()["plan"]["circuits"]["main1"]["gateway"], "203.0.113.22")

    def test_what_cannot_be_read_is_said_and_kept_out(self) -> None:
        refused = self.answer(("handoff.main1", "static"), ("gateway.main1", "203.0.113.300"))
        self.assertEqual((refused.status_code, refused.json()["path"]), (422, "gateway.main1"))
        self.assertEqual(self.plans.now.saved("FERN/DOCK").number, 2)
        forged = self.patch(self.client, [{"op": "add", "path": "/answers/place", "value": {"text": "x"}}], 2)
        self.assertEqual(forged.status_code, 422)

    def test_answers_do_not_void_a_clearance_digest(self) -> None:
        before = self.plans.now.of("FERN/DOCK").digest
        self.answer(("place", "cellar"))
        self.assertEqual(self.plans.now.of("FERN/DOCK").digest, before)
