"""Settings as text, and back, over the wire."""

from __future__ import annotations

import json
from typing import Any

from octaplan.core.config.neutral import yang_document
from octaplan.store.bench import NotReady, _must_be_read_back
from tests.server.test_api import WithServer
from tests.server.test_boxes import SITE, WithBoxes

LINES = {"language": "lines", "parts": {"identity": "name {{ box.name }}\nword {{ secrets.administrator }}"}}


class Texts(WithBoxes):
    def setUp(self) -> None:
        super().setUp()
        self.box = self.device()
        self.place = f"{SITE}/devices/{self.box}"

    def kind(self, **more: object) -> dict[str, object]:
        document = self.records.hardware.types["test-slots"].document()
        return dict(document) | more

    def test_a_type_without_a_write_out_says_so_and_neutral_forms_are_there(self) -> None:
        told = self.client.get(f"{self.place}/write-out").json()
        self.assertIn("has no write-out yet", told["fault"]["message"])
        forms = {
            form: self.client.get(f"{self.place}/write-out?form={form}").json()["text"]
            for form in ("yang", "zone", "hosts", "reservations")
        }
        self.assertIn("ietf-interfaces:interfaces", json.loads(forms["yang"]))
        self.assertIn("$ORIGIN", forms["zone"])
        self.assertTrue(forms["reservations"].startswith("segment,address,mac,name"))
        self.assertEqual(self.client.get(f"{self.place}/write-out?form=other").status_code, 422)
        self.assertEqual(self.client.get(f"{SITE}/devices/none0/write-out").status_code, 404)

    def test_templates_are_tried_saved_and_written_with_marks_for_secrets(self) -> None:
        asked = {"write_out": LINES, "customer": "LARK", "site": "NOOK", "device": self.box}
        tried = self.client.post("/api/hardware/test-slots/write-out", json=asked).json()
        self.assertEqual(tried["lines"][0]["pieces"][0]["text"], "name ")
        self.assertTrue(any(one["name"] == "box.time_zone" for one in tried["left_out"]))
        asked["write_out"] = {"language": "lines", "parts": {"routes": "a\n{{ nothing }}"}}
        fault = self.client.post("/api/hardware/test-slots/write-out", json=asked).json()["fault"]
        self.assertEqual((fault["part"], fault["line"]), ("routes", 2))
        saved = self.client.put("/api/hardware/test-slots", json=self.kind(write_out=LINES), headers={"If-Match": "1"})
        self.assertEqual(saved.status_code, 200, saved.text)
        written = self.client.get(f"{self.place}/write-out").json()
        secret = written["lines"][1]["pieces"][1]
        self.assertEqual(secret["secret"], f"devices/{self.box}/administrator")
        self.assertEqual(secret["text"], f"<<devices/{self.box}/administrator>>")

    def test_a_template_that_cannot_be_read_is_not_saved(self) -> None:
        wrong = {"language": "lines", "parts": {"identity": "name {{ box.name"}}
        refused = self.client.put(
            "/api/hardware/test-slots", json=self.kind(write_out=wrong), headers={"If-Match": "1"}
        )
        self.assertEqual((refused.status_code, refused.json()["path"]), (422, "/write_out/parts/identity"))
        self.assertIn("line 1", refused.json()["detail"])

    def test_names_are_told_with_what_they_hold(self) -> None:
        query = f"customer=LARK&site=NOOK&device={self.box}"
        names = {
            one["name"]: one for one in self.client.get(f"/api/hardware/test-slots/write-out/names?{query}").json()
        }
        self.assertEqual(names["box.time_zone"]["what"], "time zone")
        self.assertIn("segments[].subnet", names)
        self.assertTrue(names["secrets.administrator"]["value"].startswith("<<devices/"))

    def test_what_a_box_prints_is_judged_and_kept_without_text_and_secrets(self) -> None:
        text = "inet 10.231.9.1/24\npassword Summer2024\n"
        judged = self.client.post(f"{self.place}/read-back", json={"text": text}).json()
        self.assertFalse(judged["kept"])
        self.assertIn("10.231.9.1/24", [one["value"] for one in judged["unplanned"]])
        self.assertNotIn("Summer2024", json.dumps(judged))
        kept = self.client.post(f"{SITE}/bench/{self.box}/read-back", json={"text": text}).json()
        self.assertTrue(kept["kept"])
        run = self.client.get(f"{SITE}/bench/{self.box}").json()["run"]
        record = self.client.get(f"{SITE}/runs/{run}").json()
        (recorded,) = [one for one in record["recordings"] if one["step"] == "read-back"]
        self.assertEqual(recorded["result"], "failed")
        self.assertIn("values as planned", recorded["note"])
        self.assertNotIn("Summer2024", json.dumps(record))

    def test_what_is_no_text_says_so_and_a_viewer_keeps_nothing(self) -> None:
        long = self.client.post(f"{self.place}/read-back", json={"text": "a longer line than this\n" * 70_000})
        self.assertEqual((long.status_code, "60,000 lines" in long.json()["detail"]), (422, True), "not for its size")
        empty = self.client.post(f"{self.place}/read-back", json={"text": "  \n"})
        self.assertEqual(empty.status_code, 422)
        self.assertIn("nothing in this text", empty.json()["detail"])
        viewer = self.signed_in("vera")
        self.assertEqual(viewer.post(f"{self.place}/read-back", json={"text": "x"}).status_code, 200)
        self.assertEqual(viewer.post(f"{SITE}/bench/{self.box}/read-back", json={"text": "x"}).status_code, 403)
        asked = {"write_out": LINES, "customer": "LARK", "site": "NOOK", "device": self.box}
        self.assertEqual(viewer.post("/api/hardware/test-slots/write-out", json=asked).status_code, 403)

    def test_parts_of_a_plan_are_proposed_from_a_text(self) -> None:
        text = "inet 10.7.2.1/24\ndhcp-range=10.7.2.50,10.7.2.99\n\n}\nwatchdog on\n"
        answer = self.client.post(f"{SITE}/take-over", json={"text": text}).json()
        self.assertEqual((answer["lines"], answer["unread"], answer["unread_total"]), (3, [5], 1))
        found = answer["parts"]
        self.assertEqual([one["what"] for one in found], ["segment", "range"])
        self.assertEqual(found[1]["needs"], found[0]["operations"][0]["path"])
        self.assertEqual(self.client.post(f"{SITE}/take-over", json={"text": ""}).status_code, 422)

    def test_an_organisation_may_demand_that_each_box_was_read_back(self) -> None:
        settings = self.client.get("/api/organisation").json()
        changed = settings["settings"] | {"read_back": True}
        saved = self.client.put(
            "/api/organisation", json=changed, headers={"If-Match": str(settings["revision"]["number"])}
        )
        self.assertEqual(saved.status_code, 200, saved.text)
        now = self.records.now
        plan = now.sites.plan("LARK/NOOK")
        with self.records.database.turn() as turn, self.assertRaisesRegex(NotReady, "has not been read back"):
            _must_be_read_back(turn, plan, self.box)
        self.client.post(f"{SITE}/bench/{self.box}/read-back", json={"text": "inet 10.231.9.1/24\n"})
        with self.records.database.turn() as turn, self.assertRaisesRegex(NotReady, "last read back with departures"):
            _must_be_read_back(turn, plan, self.box)
        text = json.dumps(yang_document(plan, self.box, self.records.hardware.types["test-slots"]))
        kept = self.client.post(f"{SITE}/bench/{self.box}/read-back", json={"text": text}).json()
        self.assertEqual((kept["missing"], kept["differs"], kept["unplanned"]), ([], [], []))
        with self.records.database.turn() as turn:
            _must_be_read_back(turn, plan, self.box)
        tick = self.step()["tick"]
        self.assertEqual((tick["result"], tick["touched"]), ("done", False))
        by_hand = {"result": "done", "note": "", "measured": {}, "skips": {}, "take": [], "seen": tick["at"]}
        refused = self.client.put(f"{SITE}/bench/{self.box}/steps/read-back", json=by_hand)
        self.assertIn("Paste what the box shows", refused.json()["detail"])
        operations = [{"op": "replace", "path": f"/devices/{self.box}/name", "value": "other-name"}]
        self.records.plans.revise("LARK/NOOK", operations, self.records.now.sites.of("LARK/NOOK").saved.number, "Ines")
        self.assertTrue(self.step()["tick"]["touched"], "what was shown before says nothing of another plan")

    def step(self) -> dict[str, Any]:
        run = self.client.get(f"{SITE}/bench/{self.box}").json()
        return next(step for step in run["steps"] if step["key"] == "read-back")


class OfAnotherSite(WithServer):
    def test_the_text_of_a_box_of_another_site_of_the_customer_is_known(self) -> None:
        client = self.signed_in()
        plans = {key: self.plans.now.plan(key) for key in ("FERN/DOCK", "FERN/MILL")}
        self.assertEqual({plan.customer for plan in plans.values()}, {"FERN"})
        revision = client.get("/api/sites/FERN/DOCK").json()["revision"]["number"]
        kind = next(iter(self.records.hardware.types))
        added = client.post(
            "/api/sites/FERN/DOCK/devices", json={"role": "edge", "type": kind}, headers={"If-Match": str(revision)}
        )
        self.assertEqual(added.status_code, 200, added.text)
        box = added.json()["device"]
        own = self.plans.now.plan("FERN/DOCK")
        self.assertEqual(
            client.post(
                f"/api/sites/FERN/DOCK/devices/{box}/read-back", json={"text": f"name {own.devices[box].name}"}
            ).json()["about"],
            "",
        )
