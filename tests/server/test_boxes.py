"""Devices, credentials, bench, handover, hardware, safe and journal over the wire."""

from __future__ import annotations

import json
from typing import Any
from unittest.mock import patch

import structlog
from fastapi.testclient import TestClient

from octaplan.demo.boxes import answer
from octaplan.server import readings
from octaplan.server.app import configure_logs
from octaplan.server.problems import Problem
from octaplan.server.readings import SecretReadings
from octaplan.store.accounts import Person
from octaplan.store.models import AccountRole
from octaplan.store.staging import sheet_of
from tests.core.kit import hardware, office_site
from tests.server.test_api import PASSWORD, WithServer

SITE = "/api/sites/LARK/NOOK"


class WithBoxes(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.records.hardware.save(hardware("test-slots").document(), 0, "Ines")
        document = json.loads(json.dumps(office_site("LARK/NOOK").document()).replace("10.40.", "10.77."))
        document["circuits"]["circ0"] |= {"address": "198.51.100.66", "gateway": "198.51.100.65"}
        self.plans.save_all(
            [type(self.plans.now.plan("FERN/DOCK")).model_validate(document)], "Ines", "Loaded from tables"
        )
        self.client = self.signed_in()

    def add(self, role: str = "edge", kind: str = "test-slots") -> dict[str, Any]:
        revision = self.client.get(SITE).json()["revision"]["number"]
        body = {"role": role, "type": kind}
        found = self.client.post(f"{SITE}/devices", json=body, headers={"If-Match": str(revision)})
        self.assertEqual(found.status_code, 200, found.text)
        return dict(found.json())

    def device(self) -> str:
        return str(self.add()["device"])


class Devices(WithBoxes):
    def test_a_new_edge_is_wired_by_one_action_and_says_what_it_assumed(self) -> None:
        added = self.add()
        device = added["desk"]["plan"]["devices"][added["device"]]
        self.assertEqual(device["ports"]["WAN"]["circuit"], "circ0")
        self.assertTrue(any("Managed by HTTPS from Management" in sentence for sentence in added["assumed"]))
        rules = {finding["rule"] for finding in added["desk"]["findings"]}
        self.assertEqual(rules, {"credential-missing"})
        self.assertEqual(device["time_servers"], ["t.example"])
        self.assertEqual(added["desk"]["summary"]["stages"]["credentials"], "open")

    def test_a_box_is_replaced_and_its_run_stays_to_be_read(self) -> None:
        device = self.device()
        step = f"{SITE}/bench/{device}/steps/unpack"
        self.client.put(step, json={"result": "done", "measured": {"serial": "T5-1"}})
        revision = self.client.get(SITE).json()["revision"]["number"]
        path, body = f"{SITE}/devices/{device}/replacement", {"type": "test-slots"}
        found = self.client.post(path, json=body, headers={"If-Match": str(revision)})
        self.assertEqual(found.status_code, 200, found.text)
        fresh = found.json()["device"]
        self.assertIsNone(found.json()["desk"]["plan"]["devices"][fresh]["serial"])
        (run,) = self.client.get(f"{SITE}/runs").json()
        self.assertEqual((run["serial"], run["here"], run["counts"]), ("T5-1", False, True))
        record = self.client.get(f"{SITE}/runs/{run['id']}").json()
        self.assertEqual([one["title"] for one in record["steps"]], ["Record serial, MAC and label"])
        self.assertEqual(self.client.get(f"{SITE}/runs/99").status_code, 422)
        gone = self.client.post(path, json=body, headers={"If-Match": str(revision + 1)})
        self.assertEqual((gone.status_code, "removed from the plan" in gone.text), (404, True))

    def test_an_unknown_type_and_an_old_revision_are_refused(self) -> None:
        answer = self.client.post(
            f"{SITE}/devices", json={"role": "edge", "type": "none-such"}, headers={"If-Match": "1"}
        )
        self.assertEqual(answer.status_code, 404)
        self.assertIn("choose one on Hardware", answer.json()["detail"])

    def test_fields_of_devices_are_understood_and_refused_in_words(self) -> None:
        device = self.device()
        for field, text, status, words in (
            ("name", "nook-edge1", 200, "nook-edge1"),
            ("name", "nook edge", 422, "RFC 1123"),
            ("macs", "0240.0800.0001 02-40-08-00-00-02", 200, "02:40:08:00:00:01, 02:40:08:00:00:02"),
            ("addresses/seg0", ".9", 200, "10.77.8.9"),
            ("time_servers", "time.tern.example 192.0.2.123", 200, "time.tern.example, 192.0.2.123"),
            ("licences/filters", "2031-02-30", 422, "no such day"),
            ("licences/filters", "never", 200, "has no end"),
            ("forwarders", "", 200, "empty"),
            ("nonsense", "x", 422, "no field"),
        ):
            body = {"path": f"/devices/{device}/{field}", "text": text}
            found = self.client.post(f"{SITE}/understand", json=body)
            self.assertEqual(found.status_code, status, found.text)
            self.assertIn(words, found.text)

    def test_dhcp_options_are_typed_by_number(self) -> None:
        body = {"path": "/segments/seg0/scope/options", "text": "66 10.77.9.9; option 42 = 192.0.2.123"}
        found = self.client.post(f"{SITE}/understand", json=body).json()
        self.assertEqual(found["operations"][0]["value"], {"66": "10.77.9.9", "42": "192.0.2.123"})
        wrong = self.client.post(f"{SITE}/understand", json=body | {"text": "300 x"})
        self.assertIn("1 to 254", wrong.json()["detail"])


class Secrets(WithBoxes):
    def setUp(self) -> None:
        super().setUp()
        self.edge = self.device()
        self.path = f"devices/{self.edge}/administrator"

    def test_missing_ones_are_made_and_read_with_the_journal_knowing(self) -> None:
        self.assertEqual(self.client.post(f"{SITE}/credentials/missing").json(), {"made": 1})
        (slot,) = self.client.get(f"{SITE}/credentials").json()["slots"]
        self.assertEqual((slot["kept"]["by"], slot["kept"]["score"]), ("Ines", 4))
        read = self.client.post(f"{SITE}/credentials/read", json={"path": self.path, "why": "staging"}).json()
        self.assertEqual(len(read["spoken"]), len(read["secret"]))
        line = self.client.get("/api/journal").json()["lines"][0]
        self.assertEqual((line["act"], line["why"], line["by"]), ("secret read", "staging", "Ines"))
        self.assertNotIn(read["secret"], self.client.get("/api/journal").text + self.client.get(SITE).text)
        self.assertEqual(self.client.get("/api/journal/check").json()["fault"], "")

    def test_the_journal_is_for_administrators_and_auditors(self) -> None:
        self.client.post(f"{SITE}/credentials/missing")
        self.records.accounts.add("otto", "Otto", PASSWORD, AccountRole.AUDITOR)
        for name, wanted in (("otto", 200), ("ines", 200), ("pia", 403), ("marek", 403), ("vera", 403)):
            client = self.signed_in(name)
            for path in ("", "/check", "/journal.jsonl"):
                with self.subTest(name, path=path):
                    self.assertEqual(client.get(f"/api/journal{path}").status_code, wanted)
            told = client.get(f"{SITE}/bench/{self.edge}/hands/exchanged").status_code
            self.assertEqual(told, 200 if name in ("otto", "ines", "marek") else 403, name)
        self.assertEqual(self.signed_in("otto").post(f"{SITE}/credentials/missing").status_code, 403)

    def test_who_reads_very_many_is_slowed_down_and_told_of(self) -> None:
        self.client.post(f"{SITE}/credentials/missing")
        now = [1_000.0]
        self.app.state.readings = SecretReadings(self.records.journal, lambda: now[0])
        marek, other = self.signed_in("marek"), self.client

        def read(client: TestClient) -> int:
            return client.post(f"{SITE}/credentials/read", json={"path": self.path, "why": "bench"}).status_code

        with patch.object(readings, "FREELY", 5):
            self.assertEqual([read(marek) for _ in range(6)], [200] * 5 + [429])
            self.assertEqual(read(other), 200, "nobody else waits")
            now[0] += 61
            self.assertEqual([read(marek), read(marek)], [200, 429])
            sheet = marek.post(f"{SITE}/handover/credentials.pdf", json={"why": "binder"})
            self.assertIn("the administrators know: wait 60 s", sheet.json()["detail"])
            (line,) = self.client.get("/api/journal", params={"act": "many secrets read"}).json()["lines"]
            self.assertEqual((line["by"], line["account"]), ("Marek", "marek"))
            self.assertIn("Marek read", self.client.get("/api/operation").json()["notes"][0])
            now[0] += 3_601
            self.assertEqual([read(marek) for _ in range(5)], [200] * 5)

    def test_a_sheet_counts_as_many_as_it_holds(self) -> None:
        now = [1_000.0]
        much = SecretReadings(self.records.journal, lambda: now[0])
        marek = Person("marek", "Marek", AccountRole.TECHNICIAN)
        with patch.object(readings, "FREELY", 5):
            much.count(marek, 4)
            much.count(marek, 8)
            now[0] += 6 * 60
            with self.assertRaisesRegex(Problem, "wait 60 s"):
                much.count(marek)
            now[0] += 61
            much.count(marek)

    def test_typing_one_is_judged_while_typed_and_refused_in_words(self) -> None:
        judged = self.client.post(f"{SITE}/credentials/opinion", json={"path": self.path, "secret": "password"}).json()
        self.assertLess(judged["score"], 2)
        self.assertIn("it lacks a capital letter", judged["problems"])
        empty = self.client.post(f"{SITE}/credentials/opinion", json={"path": self.path, "secret": ""})
        self.assertEqual((empty.status_code, empty.json()["problems"]), (200, ["it is empty"]))
        refused = self.client.post(f"{SITE}/credentials/typed", json={"path": self.path, "secret": "password"})
        self.assertEqual(refused.status_code, 422)
        self.assertNotIn("'password'", refused.text)
        kept = self.client.post(f"{SITE}/credentials/typed", json={"path": self.path, "secret": "walnut-Mist-7-copper"})
        self.assertTrue(kept.json()["slots"][0]["kept"]["typed"])
        self.client.post(f"{SITE}/credentials/make", json={"path": self.path})
        history = self.client.get(f"{SITE}/credentials/history", params={"path": self.path}).json()
        self.assertEqual([entry["number"] for entry in history], [2, 1])

    def test_a_slot_that_is_not_needed_is_refused(self) -> None:
        answer = self.client.post(f"{SITE}/credentials/make", json={"path": "devices/gone/administrator"})
        self.assertEqual(answer.status_code, 404)

    def test_a_reason_is_asked_for_when_wanted(self) -> None:
        self.client.post(f"{SITE}/credentials/missing")
        self.assertEqual(self.client.put("/api/safe/settings", json={"reason_wanted": True}).status_code, 204)
        answer = self.client.post(f"{SITE}/credentials/read", json={"path": self.path})
        self.assertEqual((answer.status_code, answer.json()["reason_needed"]), (422, True))

    def test_the_safe_shows_all_sites_and_fills_many(self) -> None:
        safe = self.client.get("/api/safe").json()
        (row,) = safe["sites"]
        self.assertEqual((row["site"], row["slots"], row["missing"]), ("NOOK", 1, 1))
        made = self.client.post("/api/safe/missing", json={"sites": ["LARK/NOOK", "LARK/NOOK"]})
        self.assertEqual(made.json(), {"made": 1})
        self.assertEqual(self.client.post("/api/safe/key").json(), {"made": 1})
        self.assertTrue(self.client.post(f"{SITE}/credentials/read", json={"path": self.path}).json()["secret"])

    def test_secrets_are_not_in_the_logs(self) -> None:
        configure_logs()
        with structlog.testing.capture_logs() as lines:
            self.client.post(f"{SITE}/credentials/typed", json={"path": self.path, "secret": "walnut-Mist-7-copper"})
            self.client.post(f"{SITE}/credentials/read", json={"path": self.path, "why": "walnut"})
        self.assertGreaterEqual(len(lines), 2)
        self.assertNotIn("walnut", json.dumps(lines, default=str))


class Bench(WithBoxes):
    def setUp(self) -> None:
        super().setUp()
        self.edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.marek = self.signed_in("marek")

    def run_sheet(self) -> dict[str, Any]:
        return dict(self.marek.get(f"{SITE}/bench/{self.edge}").json())

    def test_a_box_goes_from_carton_to_shipped(self) -> None:
        patch = [{"op": "add", "path": f"/devices/{self.edge}/time_servers", "value": ["time.tern.example"]}]
        desk = self.client.patch(f"{SITE}/plan", json=patch, headers={"If-Match": "2"}).json()
        self.client.post(f"{SITE}/clearance", json={"revision": desk["revision"]["number"]})
        config = {"file": ("nook.cfg", b"hostname nook-edge\n")}
        self.assertEqual(self.marek.post(f"{SITE}/bench/{self.edge}/backups", files=config).status_code, 200)
        plan = self.plans.now.plan("LARK/NOOK")
        for step in sheet_of(self.records.now, plan.key, self.edge).steps:
            body = {"result": "done", "measured": {m.key: answer(m) for m in step.measures if m.kind != "backup"}}
            ticked = self.marek.put(f"{SITE}/bench/{self.edge}/steps/{step.key}", json=body)
            self.assertEqual(ticked.status_code, 200, ticked.text)
        self.assertTrue(ticked.json()["finished"])
        desk = self.marek.get(SITE).json()
        self.assertEqual((desk["summary"]["next"], desk["summary"]["stages"]["bench"]), ("Ship it", "done"))
        shipping = {"revision": desk["revision"]["number"], "carrier": "Parcel van", "reference": "PV-1"}
        shipped = self.marek.post(f"{SITE}/shipment", json=shipping).json()
        self.assertEqual(shipped["shipped"]["carrier"], "Parcel van")
        self.assertEqual(shipped["summary"]["stages"]["handover"], "done")
        self.assertTrue(shipped["summary"]["next"].startswith("Shipped "))
        (backup,) = self.run_sheet()["backups"]
        fetched = self.marek.get(f"{SITE}/bench/{self.edge}/backups/{backup['id']}")
        self.assertEqual(
            (fetched.content, "nook.cfg" in fetched.headers["content-disposition"]), (config["file"][1], True)
        )

    def test_the_sheet_says_when_the_laptop_loses_the_box(self) -> None:
        (lost,) = [step for step in self.run_sheet()["steps"] if step["lost"]]
        self.assertTrue(lost["before"]["reaches"])
        self.assertFalse(lost["after"]["reaches"])
        self.assertTrue(lost["mend"])

    def test_two_technicians_ticking_the_same_step_are_told(self) -> None:
        step = f"{SITE}/bench/{self.edge}/steps/log-in"
        self.assertEqual(self.marek.put(step, json={"result": "done"}).status_code, 200)
        second = self.client.put(step, json={"result": "failed", "note": "no answer"})
        self.assertEqual(second.status_code, 409)
        self.assertIn("Marek has recorded this step as done", second.json()["detail"])
        tick = next(s["tick"] for s in self.run_sheet()["steps"] if s["key"] == "log-in")
        self.assertEqual(self.client.put(step, json={"result": "done", "seen": tick["at"]}).status_code, 200)
        tick = next(s["tick"] for s in self.run_sheet()["steps"] if s["key"] == "log-in")
        self.assertEqual(self.client.delete(step, params={"seen": tick["at"]}).status_code, 200)

    def test_answers_are_judged_while_typed(self) -> None:
        judged = self.marek.post(f"{SITE}/bench/{self.edge}/judge", json={"kind": "ping", "text": "4/5"}).json()
        self.assertEqual((judged["outcome"], "normal" in judged["words"]), ("good", True))
        unread = self.marek.post(f"{SITE}/bench/{self.edge}/judge", json={"kind": "ping", "text": "hm"})
        self.assertEqual(unread.status_code, 422)

    def test_a_modem_and_a_removed_device_are_refused_in_words(self) -> None:
        self.assertEqual(self.marek.get(f"{SITE}/bench/gone").status_code, 422)
        modem = self.add("modem")["device"]
        self.assertIn("not staged", self.marek.post(f"{SITE}/bench/{modem}").json()["detail"])


class Replacing(WithBoxes):
    def test_a_box_that_takes_the_place_of_a_removed_one_begins_anew(self) -> None:
        first = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.client.put(f"{SITE}/bench/{first}/steps/log-in", json={"result": "done"})
        patch = [{"op": "remove", "path": f"/devices/{first}"}]
        self.client.patch(f"{SITE}/plan", json=patch, headers={"If-Match": "2"})
        second = self.device()
        self.assertNotEqual(first, second)
        (slot,) = self.client.get(f"{SITE}/credentials").json()["slots"]
        self.assertIsNone(slot["kept"])
        self.assertFalse(any(step["tick"] for step in self.client.get(f"{SITE}/bench/{second}").json()["steps"]))


class Papers(WithBoxes):
    def test_sheets_are_pdfs_and_hold_no_secret(self) -> None:
        edge = self.device()
        self.client.post(f"{SITE}/credentials/missing")
        vera = self.signed_in("vera")
        for sheet in ("site-sheet", "installer", "labels"):
            answer = vera.get(f"{SITE}/handover/{sheet}.pdf")
            self.assertEqual((answer.status_code, answer.content[:5]), (200, b"%PDF-"), sheet)
        page = vera.get(f"{SITE}/handover/installer").json()
        self.assertEqual(page["cables"][0]["port"], "WAN")
        (label,) = vera.get(f"{SITE}/handover/labels").json()
        self.assertEqual(label["code"], "nook-edge r2")
        self.assertTrue(edge)

    def test_the_credential_sheet_is_journaled_and_only_for_those_who_may_read(self) -> None:
        self.device()
        self.client.post(f"{SITE}/credentials/missing")
        self.assertEqual(self.signed_in("pia").post(f"{SITE}/handover/credentials.pdf", json={}).status_code, 403)
        answer = self.client.post(f"{SITE}/handover/credentials.pdf", json={"why": "sealed envelope"})
        self.assertEqual(answer.content[:5], b"%PDF-")
        line = self.client.get("/api/journal").json()["lines"][0]
        self.assertEqual((line["act"], line["why"]), ("credential sheet printed", "sealed envelope"))


class HardwareTypes(WithBoxes):
    def put(self, document: dict[str, Any], version: int) -> Any:
        return self.client.put(f"/api/hardware/{document['key']}", json=document, headers={"If-Match": str(version)})

    def test_types_are_kept_in_versions(self) -> None:
        document = hardware("oxbow-x1").document()
        self.assertEqual(self.put(document, 0).json()["version"], 1)
        self.assertEqual(self.put(document | {"model": "X1b"}, 1).json()["version"], 2)
        stale = self.put(document | {"model": "X1c"}, 1)
        self.assertEqual(stale.status_code, 409)
        self.assertIn("Ines saved version 2", stale.json()["detail"])
        versions = self.client.get("/api/hardware/oxbow-x1/versions").json()
        self.assertEqual([one["number"] for one in versions], [2, 1])

    def test_what_cannot_be_is_refused_with_its_place(self) -> None:
        document = hardware("oxbow-x1").document()
        for change, words in (
            ({"factory": document["factory"] | {"address": "192.168.77.300"}}, "Octet 300"),
            ({"factory": document["factory"] | {"leases": "10.0.0.1-10.0.0.9"}}, "not within"),
            ({"slots": {"pin": {"digits_only": True, "forbidden": "0123456789"}}}, "forbids them all"),
            ({"panel": [document["panel"][0], document["panel"][0]]}, "same name"),
        ):
            answer = self.put(document | change, 0)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["detail"])

    def test_removing_a_type_tells_the_devices_of_it(self) -> None:
        self.device()
        (shown,) = [one for one in self.client.get("/api/hardware").json() if one["type"]["key"] == "test-slots"]
        self.assertEqual([use["site"] for use in shown["uses"]], ["NOOK"])
        gone = self.client.delete("/api/hardware/test-slots", headers={"If-Match": str(shown["version"])})
        self.assertEqual(gone.status_code, 204)
        rules = [finding["rule"] for finding in self.client.get(SITE).json()["findings"]]
        self.assertIn("device-type-missing", rules)
        self.assertEqual(self.client.get("/api/hardware/test-slots").status_code, 404)
        self.assertEqual(self.put(hardware("test-slots").document(), 2).json()["version"], 3)


class OnSite(WithBoxes):
    def test_a_link_opens_the_page_and_takes_answers_and_nothing_else(self) -> None:
        self.device()
        made = self.client.post(f"{SITE}/handover/links", json={"days": 3}).json()
        visitor, link = self.visitor(), {"X-Octaplan-Link": made["token"]}
        page = visitor.get("/api/on-site", headers=link)
        self.assertEqual(page.status_code, 200, page.text)
        self.assertNotIn("10.77.", page.text)
        test = page.json()["page"]["tests"][0]
        body = {"test": test["key"], "works": False, "name": "Bo", "note": "dark"}
        told = visitor.post("/api/on-site", headers=link, json=body).json()
        self.assertEqual(told["answers"][test["key"]]["note"], "dark")
        self.assertEqual(self.client.get(f"{SITE}/handover/links").json()["answers"][test["key"]]["works"], False)
        self.assertEqual(visitor.post("/api/on-site", headers=link, json=body | {"test": "gone"}).status_code, 409)
        self.assertEqual(visitor.get(SITE, headers=link).status_code, 401)
        (kept,) = self.client.get(f"{SITE}/handover/links").json()["links"]
        self.client.delete(f"{SITE}/handover/links/{kept['id']}")
        self.assertEqual(visitor.get("/api/on-site", headers=link).status_code, 404)

    def test_what_the_bench_left_out_is_asked_for_on_site_in_plain_words(self) -> None:
        device = self.device()
        skip = {"result": "done", "skips": {"answer": "no cable", "lease": "no cable"}}
        done = self.client.put(f"{SITE}/bench/{device}/steps/prove", json=skip)
        self.assertEqual(done.status_code, 200, done.text)
        page = self.client.get(f"{SITE}/handover/installer")
        self.assertIn("nook-edge: it answers your technician (not tried on the bench)", page.text)
        self.assertNotIn("10.77.", page.text)

    def test_whoever_tries_many_links_waits_and_a_good_one_is_not_counted(self) -> None:
        made = self.client.post(f"{SITE}/handover/links", json={"days": 3}).json()
        visitor = self.visitor()
        for _ in range(40):
            self.assertEqual(visitor.get("/api/on-site", headers={"X-Octaplan-Link": made["token"]}).status_code, 200)
        answers = [visitor.get("/api/on-site", headers={"X-Octaplan-Link": f"no-{n}"}).status_code for n in range(31)]
        self.assertEqual(answers, [404] * 30 + [429])
        right = visitor.get("/api/on-site", headers={"X-Octaplan-Link": made["token"]})
        self.assertEqual(right.status_code, 200, "nobody behind the same address is shut out by another's guesses")
