"""The practice bench over the wire: who may, what is recorded, that practice is no evidence, and two at one box."""

from __future__ import annotations

import time
from typing import Any

from octaplan.link.channel import Pins
from octaplan.server.practising import PracticeDesk, PracticeError, recorder, task_of
from octaplan.store.accounts import Person
from octaplan.store.runs import Result
from octaplan.store.staging import staging_of
from tests.core.config.demo import types
from tests.link.clinic import box_of, clinic, quickly
from tests.server.test_api import WithServer

SITE = "/api/sites/PAWS/HERON"


class Practising(WithServer):
    """A site with an edge, a switch and an access point, whose secrets are made."""

    def setUp(self) -> None:
        super().setUp()
        fast = quickly()
        fast.__enter__()
        self.addCleanup(fast.__exit__, None, None, None)
        for kind in types().values():
            self.records.hardware.save(kind.document(), 0, "Ines")
        self.plans.save_all([clinic()], "Ines", "Loaded")
        sites = self.records.now.sites
        self.records.safe.make(sites.needs(sites.plan("PAWS/HERON")), "Ines")
        self.client = self.signed_in("marek")
        self.desk: PracticeDesk = self.app.state.practice_desk
        self.addCleanup(self.desk.close)
        self.edge = box_of(clinic(), "edge")

    def put(self, role: str = "edge", **more: Any) -> dict[str, Any]:
        body = {"site": "PAWS/HERON", "device": box_of(clinic(), role), **more}
        answer = self.client.post("/api/practice/boxes", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        found: dict[str, Any] = answer.json()["boxes"][-1]
        return found

    def hands(self, device: str, **more: Any) -> Any:
        answer = self.client.post(f"{SITE}/bench/{device}/hands", json=more)
        self.assertEqual(answer.status_code, 202, answer.text)
        return self.ended(device)

    def ended(self, device: str) -> Any:
        """Hands once they are at their end."""
        ends = time.monotonic() + 60
        while time.monotonic() < ends:
            shown = self.client.get(f"{SITE}/bench/{device}/hands").json()
            if not shown["hands"]["working"]:
                return shown
            time.sleep(0.02)
        raise AssertionError("the hands never came to an end")

    def allow(self, **settings: bool) -> None:
        ines = self.signed_in("ines")
        known = ines.get("/api/organisation").json()
        saved = ines.put("/api/organisation", json=known["settings"] | settings,
                         headers={"If-Match": str(known["revision"]["number"])})  # fmt: skip
        self.assertEqual(saved.status_code, 200, saved.text)


class ByItself(Practising):
    def test_a_box_is_staged_and_everything_is_recorded_as_its_run(self) -> None:
        shown = self.put()
        self.assertEqual((shown["title"], shown["phase"], shown["name"]), ("Brackwater E5", "off", "heron-edge"))
        found = self.hands(self.edge)
        self.assertEqual(found["hands"]["note"], "")
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        open_steps = [
            step["key"] for step in run["steps"] if step["tick"] is None or step["tick"]["result"] == "failed"
        ]
        self.assertEqual(open_steps, ["label", "pack"])
        self.assertTrue(run["practice"])
        self.assertEqual(len(run["backups"]), 1)
        exchanged = self.client.get(f"{SITE}/bench/{self.edge}/hands/exchanged").json()
        self.assertEqual(found["exchanged"], len(exchanged))
        told = {one["step"]: "\n".join(one["lines"]) for one in exchanged}
        self.assertIn("PATCH /restconf/data", told["identity"])
        self.assertIn("<<devices/", told["slot-administrator"])
        secrets = [self.records.safe.read("PAWS/HERON", slot, "Ines", "test")
                   for slot in self.records.now.secrets.kept("paws/heron")]  # fmt: skip
        self.assertEqual([one for one in secrets if any(one in text for text in told.values())], [])
        journal = self.signed_in("ines").get("/api/journal").json()["lines"]
        self.assertTrue(any("heron-edge on the practice bench" in line["why"] for line in journal))

    def test_nothing_of_practice_is_a_fact_of_the_real_box(self) -> None:
        before = self.records.now.sites.saved("PAWS/HERON").number
        self.put()
        self.hands(self.edge)
        self.assertEqual(
            self.records.now.sites.saved("PAWS/HERON").number, before, "serial and firmware stay out of the plan"
        )
        staging = staging_of(self.records.now, "paws/heron", self.edge)
        self.assertFalse(staging.finished)
        self.assertIn("practice bench", staging.problem)
        for key in ("label", "pack"):
            self.records.bench.tick("PAWS/HERON", self.edge, key, Result.DONE, seen=None, by="Marek")
        self.assertFalse(staging_of(self.records.now, "paws/heron", self.edge).finished)
        self.allow(practice_counts=True)
        self.assertTrue(staging_of(self.records.now, "paws/heron", self.edge).finished)
        self.client.post(f"{SITE}/bench/{self.edge}")
        self.assertFalse(
            self.client.get(f"{SITE}/bench/{self.edge}").json()["practice"], "a new run is of the real box"
        )

    def test_a_backup_is_put_back_and_what_was_recorded_since_is_open_again(self) -> None:
        self.put()
        self.hands(self.edge)
        one = self.desk.bench.of("paws/heron", self.edge)
        assert one is not None
        as_it_was = one.box.saved.data
        backup = self.client.get(f"{SITE}/bench/{self.edge}").json()["backups"][0]["id"]
        one.box.merge({"octaplan-box:box": {"name": "somebody-else"}})
        self.assertNotEqual(one.box.saved.data, as_it_was)
        at = f"{SITE}/bench/{self.edge}/hands/backups"
        self.assertEqual(self.signed_in("vera").post(f"{at}/{backup}").status_code, 403)
        self.assertEqual(self.client.post(f"{at}/{backup + 7}").status_code, 409)
        self.assertEqual(self.client.post(f"{at}/{backup}").status_code, 202)
        shown = self.ended(self.edge)
        self.assertEqual(shown["hands"]["note"], "")
        self.assertEqual(one.box.saved.data, as_it_was)
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        keys = [step["key"] for step in run["steps"]]
        still = [step["key"] for step in run["steps"] if step["tick"] is None]
        self.assertEqual(still, keys[keys.index("backup") + 1 :])
        record = self.client.get(f"{SITE}/runs/{run['run']}").json()
        self.assertIn("is put back", str(record))
        told = [one["title"] for one in self.client.get(f"{SITE}/bench/{self.edge}/hands/exchanged").json()]
        self.assertIn("A backup is put back", told)
        self.assertEqual(self.hands(self.edge)["hands"]["note"], "", "what is open is done again")

    def test_a_backup_that_the_box_refuses_changes_nothing_that_was_recorded(self) -> None:
        self.put()
        self.hands(self.edge)
        one = self.desk.bench.of("paws/heron", self.edge)
        assert one is not None
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        one.box.running.secrets["backup"] = "another passphrase than that of the backup"
        self.client.post(f"{SITE}/bench/{self.edge}/hands/backups/{run['backups'][0]['id']}")
        self.assertIn("passphrase of this backup is another", self.ended(self.edge)["hands"]["note"])
        after = self.client.get(f"{SITE}/bench/{self.edge}").json()
        self.assertEqual([step["tick"] for step in after["steps"]], [step["tick"] for step in run["steps"]])
        self.records.bench.begin("PAWS/HERON", self.edge, "Marek")
        again = self.client.post(f"{SITE}/bench/{self.edge}/hands/backups/{run['backups'][0]['id']}")
        self.assertEqual((again.status_code, "stage the box anew" in again.text), (409, True))

    def test_a_run_of_the_real_box_is_left_as_it_is(self) -> None:
        self.records.bench.tick("PAWS/HERON", self.edge, "plug", Result.DONE, seen=None, by="Marek")
        self.put()
        self.hands(self.edge, only_next=True)
        runs = self.client.get(f"{SITE}/runs").json()
        self.assertEqual(len(runs), 2)
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        self.assertEqual([step["key"] for step in run["steps"] if step["tick"]], ["unpack"])

    def test_one_step_and_then_the_rest(self) -> None:
        self.put("switch")
        switch = box_of(clinic(), "switch")
        self.assertEqual(self.hands(switch, only_next=True)["hands"]["done"], 1)
        self.assertEqual(self.hands(switch)["hands"]["note"], "")

    def test_what_goes_wrong_is_trouble_at_its_step_and_goes_on_from_there(self) -> None:
        box = self.put(dead_port="A")
        note = self.hands(self.edge)["hands"]["note"]
        self.assertIn("asks for an address, and gets none", note)
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        step = next(one for one in run["steps"] if one["key"] == "laptop")
        self.assertEqual((step["tick"]["result"], step["tick"]["note"]), ("failed", note))
        self.assertEqual(self.client.delete(f"/api/practice/boxes/{box['key']}").status_code, 200)
        self.put()
        self.assertEqual(self.hands(self.edge)["hands"]["note"], "", "another box is staged in a run of its own")

    def person(self) -> Person:
        """Who is signed in."""
        return next(filter(None, [self.records.accounts.person(self.client.cookies["octaplan-session-80"])]))

    def test_somebody_records_a_step_that_the_hands_are_at(self) -> None:
        self.put()
        task, settled = task_of(self.records, self.app.state.workers, "paws/heron", self.edge, self.person(), "here")
        table = self.desk.table_of(next(iter(self.desk.bench.boxes.values())), task.plan, task.organisation)
        keep = recorder(self.records, self.app.state.hub, "paws/heron", self.edge, self.person(), Pins(), task.sheet)

        def also_by_hand(outcome: Any) -> None:
            if outcome.step.key == "identity":
                self.records.bench.tick("PAWS/HERON", self.edge, "identity", Result.DONE, seen=None, by="Pia")
            keep(outcome)

        self.records.bench.practise("PAWS/HERON", self.edge, "Marek")
        working = self.desk.begin(task, table, Pins(), settled, "Marek", also_by_hand)
        while working.working:
            time.sleep(0.02)
        self.assertEqual(working.note, "")
        tick = self.records.now.runs.at("paws/heron")[self.edge].ticks["identity"]
        self.assertEqual(
            tick.by, "Marek", "what the hands did is what counts; what Pia recorded is in the record of the run"
        )

    def test_the_plan_is_changed_while_the_hands_are_at_it(self) -> None:
        self.put()
        task, settled = task_of(self.records, self.app.state.workers, "paws/heron", self.edge, self.person(), "here")
        table = self.desk.table_of(next(iter(self.desk.bench.boxes.values())), task.plan, task.organisation)
        self.records.bench.practise("PAWS/HERON", self.edge, "Marek")
        keep = recorder(self.records, self.app.state.hub, "paws/heron", self.edge, self.person(), Pins(), task.sheet)

        def changed(outcome: Any) -> None:
            if outcome.step.key == "identity":
                saved = self.records.now.sites.saved("paws/heron")
                name = [{"op": "replace", "path": f"/devices/{self.edge}/name", "value": "heron-other"}]
                self.plans.revise("PAWS/HERON", name, saved.number, "Pia")
            keep(outcome)

        working = self.desk.begin(task, table, Pins(), settled, "Marek", changed)
        while working.working:
            time.sleep(0.02)
        self.assertIn("Somebody changed what is planned", working.note)
        ticks = self.records.now.runs.at("paws/heron")[self.edge].ticks
        self.assertIn("log-in-own", ticks)
        self.assertNotIn("identity", ticks, "what was told is not what is planned now")
        self.assertIn("identity", [one.step for one in self.records.bench.exchanged("paws/heron", self.edge)])
        self.assertEqual(self.hands(self.edge)["hands"]["note"], "")
        box = next(iter(self.desk.bench.boxes.values())).box
        self.assertEqual(box.running.first("", "box.name"), "heron-other")

    def test_two_have_one_box_staged(self) -> None:
        self.put()
        task, settled = task_of(self.records, self.app.state.workers, "paws/heron", self.edge, self.person(), "here")
        table = self.desk.table_of(next(iter(self.desk.bench.boxes.values())), task.plan, task.organisation)
        working = self.desk.begin(task, table, Pins(), settled, "Marek", lambda outcome: None)
        refused = self.signed_in("ines").post(f"{SITE}/bench/{self.edge}/hands", json={})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Marek has Octaplan stage this box at this moment", refused.json()["detail"])
        key = next(iter(self.desk.bench.boxes))
        self.assertIn("or stop it", self.client.delete(f"/api/practice/boxes/{key}").json()["detail"])
        self.client.delete(f"{SITE}/bench/{self.edge}/hands")
        while working.working:
            time.sleep(0.02)
        self.assertIn(working.note, ("stopped", ""))

    def test_what_would_be_sent_is_told_without_a_secret_and_sends_nothing(self) -> None:
        self.put()
        steps = self.client.get(f"{SITE}/bench/{self.edge}/hands/dry-run").json()
        self.assertTrue(any("203.0.113.18" in line for step in steps for line in step["lines"]))
        self.assertEqual(self.records.now.runs.at("paws/heron").get(self.edge), None)


class TheBench(Practising):
    def test_who_only_looks_sees_it_and_changes_nothing(self) -> None:
        self.put()
        vera = self.signed_in("vera")
        self.assertEqual(len(vera.get("/api/practice").json()["boxes"]), 1)
        self.assertEqual(vera.post("/api/practice/boxes", json={"type": "brackwater-e5"}).status_code, 403)
        self.assertEqual(vera.post(f"{SITE}/bench/{self.edge}/hands", json={}).status_code, 403)
        self.assertEqual(self.visitor().get("/api/practice").status_code, 401)

    def test_by_one_s_own_hands_from_the_plug_to_a_ping(self) -> None:
        box = self.put()
        at = f"/api/practice/boxes/{box['key']}"

        def do(what: str, **more: str) -> dict[str, Any]:
            answer = self.client.post(at, json={"what": what, **more})
            self.assertEqual(answer.status_code, 200, answer.text)
            found: dict[str, Any] = answer.json()["boxes"][0]
            return found

        do("on")
        do("plug", port="A")
        shown = do("lease")
        self.assertEqual((shown["laptop_address"], shown["box_address"]), ("192.168.77.100", "192.168.77.1"))
        self.assertEqual(shown["ways"][0]["name"], "HTTPS pages")
        (seen,) = self.signed_in("vera").get("/api/practice").json()["boxes"]
        self.assertEqual((seen["ways"], seen["password"]), ([], ""), "who only looks needs neither")
        self.assertRegex(
            self.client.post(f"{at}/ping", json={"address": "192.168.77.1"}).json()["words"], "[13] received"
        )
        self.assertIn("nowhere", self.client.post(f"{at}/ping", json={"address": "192.0.2.1"}).json()["words"])
        self.assertEqual(do("fixed", address="10.0.0.9")["ways"], [], "the laptop is in another network now")
        self.assertEqual(do("plug", port="")["laptop_port"], "")
        self.assertEqual(do("off")["phase"], "off")

    def test_bad_input_is_a_sentence(self) -> None:
        box = self.put()
        at = f"/api/practice/boxes/{box['key']}"
        for body, said in (
            ({"what": "plug", "port": "Z"}, "has no port Z: it has Net, A, B, C, D"),
            ({"what": "fixed"}, "Say which address"),
            ({"what": "fixed", "address": "300.1.1.1"}, "300.1.1.1"),
        ):
            self.client.post(at, json={"what": "plug", "port": "A"})
            with self.subTest(body):
                answer = self.client.post(at, json=body)
                self.assertIn(answer.status_code, (409, 422))
                self.assertIn(said, answer.json()["detail"])
        self.assertIn(
            "not on the bench any more",
            self.client.post("/api/practice/boxes/b99", json={"what": "on"}).json()["detail"],
        )
        self.assertIn(
            "stands on the bench",
            self.client.post("/api/practice/boxes", json={"site": "PAWS/HERON", "device": self.edge}).json()["detail"],
        )
        self.assertEqual(self.client.post("/api/practice/boxes", json={"type": "none"}).status_code, 404)
        self.assertEqual(
            self.client.post("/api/practice/boxes", json={"site": "PAWS/HERON", "device": "none"}).status_code, 404
        )
        switch = box_of(clinic(), "switch")
        self.assertIn("put one there first", self.client.post(f"{SITE}/bench/{switch}/hands", json={}).json()["detail"])

    def test_the_bench_has_an_end(self) -> None:
        for _ in range(24):
            self.assertEqual(self.client.post("/api/practice/boxes", json={"type": "gorse-m1"}).status_code, 201)
        full = self.client.post("/api/practice/boxes", json={"type": "gorse-m1"})
        self.assertIn("as many as fit", full.json()["detail"])
        with self.assertRaises(PracticeError):
            self.desk.at("b99")


class RealBoxes(Practising):
    def test_they_are_left_alone_until_the_settings_allow_it_and_steps_by_hand_stay_with_people(self) -> None:
        refused = self.client.post(f"{SITE}/bench/{self.edge}/hands", json={})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("once the settings of the organisation allow it", refused.json()["detail"])
        self.assertFalse(self.client.get(f"{SITE}/bench/{self.edge}/hands").json()["real"])
        self.allow(stages_real=True)
        shown = self.client.get(f"{SITE}/bench/{self.edge}/hands").json()
        self.assertEqual((shown["real"], shown["label_password"], shown["on_bench"]), (True, True, ""))
        self.assertEqual(shown["reaches"], "192.168.77.1, port 443")
        for confirmed in ("", "192.168.77.1, port 8443"):
            refused = self.client.post(f"{SITE}/bench/{self.edge}/hands", json={"reaches": confirmed})
            self.assertEqual(refused.status_code, 409)
            self.assertIn("would speak to 192.168.77.1, port 443 first", refused.json()["detail"])
        found = self.hands(self.edge, password="of-the-label", reaches=shown["reaches"])["hands"]
        self.assertEqual((found["done"], found["note"], found["step"]), (0, "", "Record serial, MAC and label"))
        run = self.client.get(f"{SITE}/bench/{self.edge}").json()
        self.assertFalse(run["practice"])
