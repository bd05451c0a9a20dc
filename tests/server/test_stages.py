"""Where a site stands: the seven stages, the next thing to do in words, and what the desk tells of it."""

from __future__ import annotations

from typing import Any

from octaplan.core.plan.credentials import NAMED_RULE, PPPOE_RULE, WIFI_RULE, Slot
from octaplan.core.plan.hardware import SlotRule
from octaplan.core.plan.stages import stage_of
from octaplan.demo.boxes import answer
from octaplan.server.pages.credentials import rules_in_words
from octaplan.store.staging import sheet_of
from octaplan.store.vault import FILE as KEY_FILE
from tests.server.test_boxes import SITE, WithBoxes


class Stages(WithBoxes):
    def summary(self) -> dict[str, Any]:
        return dict(self.client.get(SITE).json()["summary"])

    def stages(self) -> dict[str, str]:
        return dict(self.summary()["stages"])

    def revise(self, *operations: tuple[str, str, Any]) -> None:
        patch = [{"op": op, "path": path, "value": value} for op, path, value in operations]
        revision = self.client.get(SITE).json()["revision"]["number"]
        done = self.client.patch(f"{SITE}/plan", json=patch, headers={"If-Match": str(revision)})
        self.assertEqual(done.status_code, 200, done.text)

    def sign(self) -> Any:
        return self.client.post(
            f"{SITE}/clearance", json={"revision": self.client.get(SITE).json()["revision"]["number"]}
        )

    def tick(self, edge: str, step: str, **body: Any) -> None:
        done = self.client.put(f"{SITE}/bench/{edge}/steps/{step}", json={"result": "done", **body})
        self.assertEqual(done.status_code, 200, done.text)

    def test_the_whole_way_in_words(self) -> None:
        self.assertEqual(self.summary()["next"], "Add the edge on Devices")
        self.assertEqual(set(self.stages().values()), {"done", "open"})
        edge = self.device()
        self.assertEqual(self.summary()["next"], "1 secret to fill")
        self.assertEqual((self.stages()["devices"], self.stages()["credentials"]), ("done", "open"))
        self.client.post(f"{SITE}/credentials/missing")
        self.assertEqual((self.summary()["next"], self.stages()["credentials"]), ("Sign the clearance", "done"))
        self.assertEqual(self.sign().status_code, 200)
        self.assertEqual((self.summary()["next"], self.stages()["clearance"]), ("Stage nook-edge", "done"))
        self.tick(edge, "log-in")
        self.assertRegex(self.summary()["next"], r"On the bench: nook-edge, 1 of \d+ steps")
        self.tick(edge, "plug", result="failed", note="no light")
        self.assertEqual(self.stages()["bench"], "trouble")

    def test_a_site_is_not_cleared_without_a_box_at_its_edge(self) -> None:
        answer = self.sign()
        self.assertEqual(answer.status_code, 409)
        self.assertIn("a box at its edge", answer.json()["detail"])

    def test_nor_without_its_secrets(self) -> None:
        self.device()
        self.assertIn("not in the safe yet", self.sign().json()["detail"])

    def test_trouble_shows_at_the_stage_whose_page_mends_it(self) -> None:
        edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.revise(("replace", f"/devices/{edge}/name", None))
        self.assertEqual((self.stages()["devices"], self.stages()["addresses"]), ("trouble", "done"))
        self.revise(
            ("replace", f"/devices/{edge}/name", "nook-edge"), ("replace", "/segments/seg0/gateway", "10.99.0.1")
        )
        self.assertEqual((self.stages()["devices"], self.stages()["addresses"]), ("done", "trouble"))

    def test_weak_secrets_are_trouble_and_missing_ones_only_open(self) -> None:
        edge = self.device()
        path = f"devices/{edge}/administrator"
        self.client.post(f"{SITE}/credentials/typed", json={"path": path, "secret": "Password123!"})
        self.assertEqual(self.stages()["credentials"], "trouble")

    def test_a_change_after_signing_asks_to_sign_again_but_what_the_bench_records_does_not(self) -> None:
        edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.sign()
        self.tick(edge, "unpack", measured={"serial": "T5-1"})
        self.assertTrue(self.summary()["clear"])
        self.revise(("replace", "/contact", "Ada"))
        self.assertEqual((self.summary()["next"], self.stages()["clearance"]), ("Sign the clearance again", "trouble"))

    def test_a_change_after_shipping_is_told(self) -> None:
        edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.sign()
        self.client.post(f"{SITE}/bench/{edge}/backups", files={"file": ("nook.cfg", b"x")})
        for step in sheet_of(self.records.now, "LARK/NOOK", edge).steps:
            self.tick(edge, step.key, measured={m.key: answer(m) for m in step.measures if m.kind != "backup"})
        revision = self.client.get(SITE).json()["revision"]["number"]
        self.assertEqual(self.client.post(f"{SITE}/shipment", json={"revision": revision - 1}).status_code, 409)
        self.assertEqual(self.client.post(f"{SITE}/shipment", json={"revision": revision}).status_code, 200)
        self.assertEqual(self.stages(), dict.fromkeys(self.stages(), "done"))
        self.revise(("replace", "/contact", "Ada"))
        desk = self.client.get(SITE).json()
        self.assertEqual(desk["shipped"]["revision"], revision)
        self.assertEqual(desk["summary"]["next"], "Sign the clearance again")

    def test_the_desk_tells_how_far_each_box_is(self) -> None:
        edge = self.device()
        self.add("modem")
        self.tick(edge, "log-in")
        (staging,) = self.client.get(SITE).json()["staging"]
        self.assertEqual(
            (staging["device"], staging["done"], staging["by"], staging["finished"]), (edge, 1, "Ines", False)
        )


class Words(WithBoxes):
    def test_findings_lead_to_their_stage(self) -> None:
        for path, stage in (
            ("/segments/seg0", "addresses"),
            ("/circuits/circ0", "addresses"),
            ("", "addresses"),
            ("/devices/edge/ports/1", "devices"),
            ("/wireless/wifi", "devices"),
            ("/safe/devices/edge/administrator", "credentials"),
        ):
            self.assertEqual(stage_of(path), stage, path)

    def test_what_a_box_demands_of_a_secret_is_said_in_words(self) -> None:
        def words(rule: SlotRule, **more: Any) -> str:
            return rules_in_words(Slot("devices/edge/x", "/devices/edge", "edge", "x", rule, **more))

        self.assertEqual(words(SlotRule()), "12 to 32 characters with small letter, capital, digit")
        self.assertEqual(words(SlotRule(digits_only=True, shortest=6, longest=6)), "6 digits")
        self.assertEqual(
            words(SlotRule(forbidden="?'"), distinct=("devices/edge/administrator",)),
            "12 to 32 characters with small letter, capital, digit, without ? ', not the administrator",
        )
        every_sign = "!#$%&()*+,-./:;<=>?@[]^_{}~"
        self.assertTrue(words(SlotRule(forbidden=every_sign)).endswith("without symbols"))
        self.assertEqual(words(PPPOE_RULE, given=True), "given by the provider")
        self.assertEqual(words(NAMED_RULE), "8 to 128 characters")
        self.assertTrue(words(WIFI_RULE).startswith("16 to 63 characters"))


class Closed(WithBoxes):
    def test_without_its_key_the_safe_says_so_and_everything_else_goes_on(self) -> None:
        edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        (self.folder / KEY_FILE).unlink()
        self.again()
        path = {"path": f"devices/{edge}/administrator"}
        for call in ("read", "make"):
            answer = self.client.post(f"{SITE}/credentials/{call}", json=path)
            self.assertEqual((answer.status_code, "key file" in answer.json()["detail"]), (409, True), call)
        missing = f"The key file {self.folder / KEY_FILE} is missing"
        self.assertIn(missing, self.client.get(f"{SITE}/credentials").json()["locked"])
        self.assertIn(missing, self.client.get("/api/safe").json()["locked"])
        self.tick_one(edge)
        self.assertEqual(self.client.get(SITE).status_code, 200)
        self.assertEqual(self.client.get("/api/journal/check").json()["fault"], "")
        upload = self.client.post(f"{SITE}/bench/{edge}/backups", files={"file": ("x.cfg", b"x")})
        self.assertEqual(upload.status_code, 409)

    def tick_one(self, edge: str) -> None:
        self.assertEqual(self.client.put(f"{SITE}/bench/{edge}/steps/log-in", json={"result": "done"}).status_code, 200)
