"""Patterns, rollouts, customers, questions and imports over the API."""

from __future__ import annotations

import threading
import time
from typing import Any

from octaplan.demo import patterns
from octaplan.server.pages import imports as import_page
from octaplan.server.pages.imports import JOBS, WORKERS, ImportDesk, Job, Phase
from octaplan.store.imports import ImportGone
from tests.server.test_api import WithServer

SHOPS = "site;name;time_zone\n" + "\n".join(f"S{n:02};Shop {n};Europe/Dublin" for n in range(1, 4))


class WithPattern(WithServer):
    def setUp(self) -> None:
        super().setUp()
        patterns.load(self.app.state.records)
        self.client = self.signed_in("marek")

    def roll(self, path: str = "/preview", **more: Any) -> Any:
        wish = {
            "pattern": "shop-with-tills",
            "version": 1,
            "customer": "SHOP",
            "blocks": ["10.80.0.0/16"],
            "table": SHOPS,
        }
        return self.client.post(f"/api/rollout{path}", json=wish | more)


class Patterns(WithPattern):
    def test_a_pattern_is_made_edited_and_given_versions(self) -> None:
        key = self.client.post("/api/patterns", json={"name": "Branch", "like": "FERN/DOCK"}).json()["key"]
        desk = self.client.get(f"/api/sites/~patterns/{key}").json()
        segment = next(iter(desk["plan"]["segments"]))
        self.assertEqual((desk["summary"]["customer_name"], desk["revision"]["number"]), ("Pattern", 1))
        self.assertTrue(all(f["path"].startswith(("/segments", "/hosts")) for f in desk["findings"]))
        where = f"/api/sites/~patterns/{key}"

        def change(revision: int, path: str, value: object) -> None:
            operations = [{"op": "add", "path": path, "value": value}]
            answer = self.client.patch(f"{where}/plan", json=operations, headers={"If-Match": str(revision)})
            self.assertEqual(answer.status_code, 200, answer.text)

        stopped = self.client.post(f"/api/patterns/{key}/versions", json={"revision": 1})
        self.assertEqual(stopped.status_code, 422)
        self.assertRegex(
            stopped.json()["detail"], "A version has no stop, .*phone 10.128.0.250 is inside the DHCP range"
        )
        change(1, f"/segments/{segment}/scope/last", desk["plan"]["segments"][segment]["scope"]["first"])
        first = self.client.post(f"/api/patterns/{key}/versions", json={"revision": 2, "note": "begun"}).json()
        self.assertEqual((first["number"], first["note"]), (1, "begun"))
        again = self.client.post(f"/api/patterns/{key}/versions", json={"revision": 2})
        self.assertIn("Nothing has changed", again.json()["detail"])
        change(2, f"/segments/{segment}/vlan", 77)
        listed = {one["key"]: one for one in self.client.get("/api/patterns").json()}
        self.assertEqual((listed[key]["version"], listed[key]["edited"]), (1, True))
        self.assertIn(
            "changed since", self.client.post(f"/api/patterns/{key}/versions", json={"revision": 2}).json()["detail"]
        )
        self.assertEqual(self.client.post(f"/api/patterns/{key}/versions", json={"revision": 3}).json()["number"], 2)
        self.assertEqual(self.client.post(f"{where}/undo", headers={"If-Match": "3"}).status_code, 200)
        self.assertEqual([v["number"] for v in self.client.get(f"/api/patterns/{key}").json()["versions"]], [2, 1])
        self.assertEqual(self.client.delete(f"/api/patterns/{key}").status_code, 204)
        self.assertEqual(self.client.get(f"/api/patterns/{key}").status_code, 404)

    def test_what_is_one_customers_is_left_out_shown_and_asked_about(self) -> None:
        settings = self.client.get("/api/organisation").json()["settings"]
        usual = {"fern": {"domain": "fern.example", "resolvers": ["192.0.2.53", "192.0.2.54"]}}
        saved = self.signed_in("pia").put(
            "/api/organisation", json=settings | {"customers": usual}, headers={"If-Match": "0"}
        )
        self.assertEqual(saved.status_code, 200, saved.text)
        client = self.signed_in("marek")
        office = next(iter(self.plans.now.plan("FERN/DOCK").segments))
        self.patch(client, [{"op": "add", "path": f"/segments/{office}/domain", "value": "dock.fern.example"},
                            {"op": "add", "path": f"/segments/{office}/scope/last", "value": "10.40.8.199"}], 1)  # fmt: skip
        key = client.post("/api/patterns", json={"name": "Branch", "like": "FERN/DOCK"}).json()["key"]
        drawn = client.get(f"/api/sites/~patterns/{key}").json()["plan"]["segments"][office]
        self.assertEqual((drawn["domain"], drawn["resolvers"]), (None, []))
        put = [{"op": "add", "path": f"/segments/{office}/domain", "value": "shops.fern.example"}]
        client.patch(f"/api/sites/~patterns/{key}/plan", json=put, headers={"If-Match": "1"})
        (told,) = client.get(f"/api/patterns/{key}").json()["as_they_stand"]
        self.assertEqual((told["text"], told["whose"]), ("Office has the domain shops.fern.example", "FERN"))
        refused = client.post(f"/api/patterns/{key}/versions", json={"revision": 2})
        self.assertIn("that of FERN: leave it empty", refused.json()["detail"])
        meant = client.post(f"/api/patterns/{key}/versions", json={"revision": 2, "meant": True})
        self.assertEqual(meant.json()["number"], 1)

    def test_names_that_will_not_do(self) -> None:
        for name, like, words in (
            ("Shop with tills", None, "already"),
            ("...", None, "three letters"),
            ("New", "FERN/NONE", "no site"),
        ):
            answer = self.client.post("/api/patterns", json={"name": name, "like": like})
            self.assertIn(words, answer.json()["detail"])
        empty = self.client.post("/api/patterns", json={"name": "Empty one"}).json()["key"]
        self.assertIn(
            "no segments yet",
            self.client.post(f"/api/patterns/{empty}/versions", json={"revision": 1}).json()["detail"],
        )

    def test_patterns_are_no_sites_anywhere(self) -> None:
        self.assertFalse(any(s["customer"].startswith("~") for s in self.client.get("/api/outbound").json()["sites"]))
        self.assertEqual(self.client.get("/api/goto", params={"q": "10.128.0.194"}).json()["places"], [])
        self.assertNotIn("~patterns", self.client.get("/api/organisation").json()["customers"])
        table = b"customer,site\n~patterns,shop-with-tills\n"
        shown = self.client.post("/api/imports", files={"files": ("sites.csv", table)}).json()["preview"]
        self.assertIn("cannot begin with ~", shown["refused"][0]["problem"])


class Rollouts(WithPattern):
    def test_sites_are_shown_made_and_taken_back(self) -> None:
        shown = self.roll().json()
        self.assertEqual(
            ([s["run"] for s in shown["sites"]], shown["stops"]), (["10.80.0.0/23", "10.80.2.0/23", "10.80.4.0/23"], 0)
        )
        self.assertEqual(len(self.plans.now), 2, "a preview leaves no trace")
        made = self.roll("", runs={s["site"]: s["run"] for s in shown["sites"]}).json()
        self.assertEqual(made["sites"], 3)
        stands = self.client.get("/api/sites/SHOP/S01/pattern").json()
        self.assertEqual((stands["version"], stands["newest"], stands["departures"]), (1, 1, []))
        self.assertIsNone(self.client.get("/api/sites/FERN/DOCK/pattern").json())
        self.assertIn("has to stay", self.client.delete("/api/patterns/shop-with-tills").json()["detail"])
        customer = self.client.get("/api/customers/shop").json()
        self.assertEqual([(p["name"], p["sites"]) for p in customer["patterns"]], [("Shop with tills", 3)])
        undone = self.client.post(f"/api/findings/batches/{made['batch']}/undo").json()
        self.assertEqual((undone["undone"], len(self.plans.now)), (3, 2))

    def test_a_newer_version_is_proposed_to_a_site(self) -> None:
        self.roll("", runs={s["site"]: s["run"] for s in self.roll().json()["sites"]})
        change = [{"op": "add", "path": "/segments/offc0/vlan", "value": 110}]
        self.client.patch("/api/sites/~patterns/shop-with-tills/plan", json=change, headers={"If-Match": "1"})
        self.client.post("/api/patterns/shop-with-tills/versions", json={"revision": 2})
        proposal = self.client.post("/api/sites/SHOP/S01/pattern/newer", json={"version": 2}).json()
        self.assertEqual(
            (proposal["sentence"], proposal["lost"]), ("Take version 2 of Shop with tills: Office VLAN 10 → 110", [])
        )
        self.client.patch("/api/sites/SHOP/S01/plan", json=proposal["operations"], headers={"If-Match": "1"})
        sites = {s["site"]: s for s in self.client.get("/api/patterns/shop-with-tills").json()["sites"]}
        self.assertEqual((sites["S01"]["version"], sites["S02"]["version"], sites["S01"]["departures"]), (2, 1, 0))
        self.assertEqual(self.client.post("/api/sites/FERN/DOCK/pattern/newer", json={"version": 2}).status_code, 404)

    def test_what_cannot_be_made_is_said(self) -> None:
        for words, more in (
            ("1 is missing", {"blocks": ["10.80.0.0/22"]}),
            ("no version 9", {"version": 9}),
            ("no sites to make", {"table": ""}),
            ("has segments already", {"customer": "FERN", "table": "", "sites": ["DOCK"]}),
            ("no site SHOP/X", {"sites": ["X"]}),
            ("another customer's", {"table": "customer,site\nFERN,S1"}),
            ("lacks the column", {"table": "name\nx"}),
            ("changed since", {"runs": {"S01": "10.80.8.0/23"}}),
        ):
            with self.subTest(words):
                answer = self.roll("" if "runs" in more else "/preview", **more)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.json()["detail"])
        refused = self.roll(table=SHOPS + "\nS9;Shop 9;Atlantis").json()
        self.assertEqual((len(refused["sites"]), refused["refused"][0]["column"]), (3, "time_zone"))
        tabbed = self.roll(table=SHOPS.replace(";", "\t")).json()
        self.assertEqual(len(tabbed["sites"]), 3)


class Customers(WithServer):
    def test_blocks_with_room_and_what_is_usual(self) -> None:
        client = self.signed_in("pia")
        now = client.get("/api/organisation").json()
        settings = now["settings"] | {
            "blocks": {"fern": ["10.40.0.0/16"]},
            "customers": {"FERN": {"gateway": "last", "notes": "Ring first"}},
        }
        answer = client.put("/api/organisation", json=settings, headers={"If-Match": str(now["revision"]["number"])})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertIn("usual at customers FERN gateway, notes", answer.json()["revision"]["sentence"])
        shown = client.get("/api/customers/FERN").json()
        block = shown["blocks"][0]
        self.assertEqual((block["block"], block["size"]), ("10.40.0.0/16", 65_536))
        self.assertLess(block["free"], block["size"])
        self.assertEqual((shown["defaults"]["gateway"], shown["groups"][0]["own"]), ("last", len(shown["sites"])))
        desk = client.get("/api/sites/FERN/DOCK").json()
        self.assertTrue(any(f["rule"] == "gateway-convention" for f in desk["findings"]))
        self.assertEqual(client.get("/api/customers/NOBODY").status_code, 404)
        (listed,) = client.get("/api/customers").json()
        self.assertEqual((listed["code"], listed["shipped"], listed["sites"]), ("FERN", 0, len(shown["sites"])))
        waiting = [one for one in shown["sites"] if not one["shipped"]]
        self.assertEqual(listed["stopped"], sum(one["stops"] > 0 for one in waiting))
        self.assertEqual(listed["clear"], sum(one["clear"] for one in waiting))
        self.assertEqual(
            listed["next_date"], min((one["ship_date"] for one in waiting if one["ship_date"]), default=None)
        )


class Questions(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in("marek")
        known = (("provider", "Copperline"), ("gateway", None))
        self.patch(self.client, [{"op": "add", "path": f"/circuits/circ0/{f}", "value": v} for f, v in known], 1)

    def test_a_list_goes_out_and_comes_back(self) -> None:
        lists = self.client.get("/api/questions", params={"customer": "FERN"}).json()
        copperline = next(one for one in lists if one["who"] == "Copperline")
        self.assertEqual((copperline["sites"], copperline["first"][0]["site"]), (1, "DOCK"))
        whole = self.client.get("/api/questions/list.txt", params={"whom": "provider", "who": "Copperline"}).text
        self.assertIn("(FERN/DOCK), circuit Main", whole)
        text = whole.replace("gateway: ", "gateway: 203.0.113.17").replace("VLAN tag: ", "VLAN tag: 4095")
        matched = self.client.post("/api/questions/read", json={"text": text}).json()
        self.assertEqual([(m["short"], m["problem"][:12]) for m in matched], [("gateway", ""), ("", "VLAN tag: VL")])
        answers = [{name: matched[0][name] for name in ("customer", "site", "key", "text")}]
        taken = self.client.post(
            "/api/questions/take", json={"answers": answers, "source": "Copperline", "confirmed": True}
        ).json()
        self.assertEqual(taken["sites"], 1)
        self.assertEqual(str(self.plans.now.plan("FERN/DOCK").circuits["circ0"].gateway), "203.0.113.17")
        answers[0]["text"] = "203.0.113.22"
        self.assertEqual(
            self.client.post("/api/questions/read", json={"text": text.replace(".17", ".22")}).json()[0]["against"][
                "confirmed"
            ],
            "203.0.113.17",
        )
        self.assertEqual(self.client.post("/api/questions/take", json={"answers": answers}).status_code, 409)
        self.assertEqual(
            self.client.post("/api/questions/take", json={"answers": answers, "overwrite": True}).json()["sites"], 1
        )
        self.assertEqual(
            self.client.post(f"/api/findings/batches/{taken['batch']}/undo").json()["moved"], ["FERN/DOCK"]
        )

    def test_a_letter_for_a_fresh_circuit_is_read_one_answer_after_the_other(self) -> None:
        gone = ("handoff", "address", "prefix", "gateway")
        self.patch(self.client, [{"op": "add", "path": f"/circuits/circ0/{f}", "value": None} for f in gone], 2)
        text = "Dockside (FERN/DOCK), circuit Main\nstatic IP 198.51.100.18/29 GW .17"
        matched = self.client.post("/api/questions/read", json={"text": text}).json()
        self.assertEqual(
            [(m["short"], m["problem"]) for m in matched],
            [("hand-off", ""), ("address", ""), ("mask", ""), ("gateway", "")],
        )
        answers = [{name: m[name] for name in ("customer", "site", "key", "text")} for m in matched]
        self.client.post("/api/questions/take", json={"answers": answers})
        circuit = self.plans.now.plan("FERN/DOCK").circuits["circ0"]
        self.assertEqual((circuit.prefix, str(circuit.gateway)), (29, "198.51.100.17"))

    def test_tables_go_out_and_come_back(self) -> None:
        params = {"whom": "provider", "who": "Copperline"}
        for form in ("csv", "xlsx"):
            with self.subTest(form):
                content = self.client.get(f"/api/questions/list.{form}", params=params).content
                name = f"answers.{form}"
                matched = self.client.post("/api/questions/read-table", files={"file": (name, content)})
                self.assertEqual(matched.json(), [])
        table = b"customer,site,key,answer\nFERN,DOCK,vlan.circ0,7\n"
        shown = self.client.post("/api/questions/read-table", files={"file": ("a.csv", table)}).json()
        self.assertEqual([(m["short"], m["text"], m["problem"]) for m in shown], [("VLAN tag", "7", "")])
        for name, content, words in (
            ("a.csv", b"", "empty"),
            ("a.csv", b"customer,site\n", "lacks the columns key, answer"),
            ("a.xlsx", b"x", "not an XLSX"),
            ("a.txt", b"x", "not a .csv"),
            ("a.csv", b"\xff\xfe", "not UTF-8"),
        ):
            answer = self.client.post("/api/questions/read-table", files={"file": (name, content)})
            self.assertIn(words, answer.json()["detail"])
        self.assertIn(
            "No site is named", self.client.post("/api/questions/read", json={"text": "gateway: x"}).json()["detail"]
        )


class LongImports(WithServer):
    """An import that takes its time: how far it is can be asked, and it can be stopped."""

    def setUp(self) -> None:
        super().setUp()
        self.begun, self.go = threading.Event(), threading.Event()
        imports = self.app.state.records.imports
        desk = self.app.state.import_desk = ImportDesk(imports)
        self.desk, real = desk, imports.preview

        def slow(files: Any, by: str, progress: Any, import_id: str) -> Any:
            progress(5)
            self.begun.set()
            self.go.wait(20)
            progress(5)
            return real(files, by, progress, import_id)

        imports.preview = slow
        self.addCleanup(self.go.set)
        self.client = self.signed_in()

    def hurry(self) -> None:
        """Answers come at once, whatever is under way."""
        patience, import_page.PATIENCE = import_page.PATIENCE, 0.01
        self.addCleanup(setattr, import_page, "PATIENCE", patience)

    def begin(self) -> dict[str, Any]:
        answer = self.client.post("/api/imports", files={"files": ("sites.csv", b"customer,site\nSHOP,S1\n")})
        self.assertTrue(self.begun.wait(20))
        body: dict[str, Any] = answer.json()
        return body

    def test_progress_is_told_while_it_is_read(self) -> None:
        state = self.begin()
        self.assertEqual((state["phase"], state["done"], state["total"], state["preview"]), ("reading", 5, 22, None))
        self.go.set()
        self.desk.job(state["id"]).ended.wait(20)
        state = self.client.get(f"/api/imports/{state['id']}").json()
        self.assertEqual((state["phase"], state["preview"]["new_total"]), ("ready", 1))

    def test_a_stopped_one_keeps_nothing(self) -> None:
        state = self.begin()
        self.go.set()
        job = self.desk.job(state["id"])
        job.stop = True
        job.ended.wait(20)
        self.assertIn(self.client.delete(f"/api/imports/{state['id']}").json()["phase"], ("cancelled",))
        self.assertEqual(self.client.post(f"/api/imports/{state['id']}/apply", json={}).status_code, 404)

    def test_others_wait_while_all_workers_are_at_work(self) -> None:
        self.hurry()
        under_way = [self.begin() for _ in range(WORKERS)]
        waiting = self.begin()
        self.assertEqual((waiting["phase"], waiting["done"]), ("reading", 0), "nobody has begun with it")
        self.go.set()
        for state in [*under_way, waiting]:
            self.desk.job(state["id"]).ended.wait(20)
            self.assertEqual(self.client.get(f"/api/imports/{state['id']}").json()["phase"], "ready")

    def test_one_that_waits_is_stopped_at_once(self) -> None:
        self.hurry()
        under_way = [self.begin() for _ in range(WORKERS)]
        waiting = self.begin()
        self.assertEqual(self.client.delete(f"/api/imports/{waiting['id']}").json()["phase"], "cancelled")
        self.go.set()
        for state in under_way:
            self.desk.job(state["id"]).ended.wait(20)
        self.assertEqual(self.client.get(f"/api/imports/{waiting['id']}").json()["phase"], "cancelled")
        self.assertFalse(self.desk.job(waiting["id"]).ended.is_set(), "it was never begun")

    def test_more_than_can_be_remembered_are_refused_and_none_is_forgotten(self) -> None:
        self.hurry()
        known = [self.begin()["id"] for _ in range(JOBS)]
        refused = self.client.post("/api/imports", files={"files": ("sites.csv", b"customer,site\nSHOP,S1\n")})
        self.assertEqual((refused.status_code, "under way already" in refused.json()["detail"]), (503, True))
        self.assertEqual({self.client.get(f"/api/imports/{one}").status_code for one in known}, {200})
        for one in known:
            self.client.delete(f"/api/imports/{one}")

    def test_the_end_of_the_server_stops_them(self) -> None:
        state = self.begin()
        job = self.desk.job(state["id"])
        closing = threading.Thread(target=self.desk.close)
        closing.start()
        self.assertTrue(self.stopped(job))
        self.go.set()
        closing.join(20)
        self.assertEqual(job.phase, Phase.CANCELLED)

    def stopped(self, job: Job) -> bool:
        """Whether an import was told to stop, within a while."""
        end = time.monotonic() + 20
        while not job.stop and time.monotonic() < end:
            threading.Event().wait(0.005)
        return job.stop

    def test_one_that_is_ready_is_let_go(self) -> None:
        self.go.set()
        state = self.begin()
        self.assertEqual(state["phase"], "ready")
        self.assertEqual(self.client.delete(f"/api/imports/{state['id']}").json()["phase"], Phase.CANCELLED)
        with self.assertRaises(ImportGone):
            self.app.state.records.imports.apply(state["id"], "Ines")
        self.assertEqual(self.client.get(f"/api/imports/{'1' * 16}").status_code, 404)

    def test_the_inbox_over_the_api(self) -> None:
        self.go.set()
        files = {"files": ("segments.csv", b"customer,site,segment,vlan\nFERN,DOCK,Lab,4095\n")}
        state = self.client.post("/api/imports", files=files).json()
        self.client.post(f"/api/imports/{state['id']}/apply", json={})
        row = self.client.get("/api/imports/inbox").json()[0]
        self.assertEqual((row["cells"], row["faults"][0]["column"]), (["FERN", "DOCK", "Lab", "4095"], "vlan"))
        mended = self.client.put(
            f"/api/imports/inbox/{row['id']}", json={"cells": ["FERN", "DOCK", "Lab", "95"]}
        ).json()
        self.assertEqual(mended["changes"], ["Added segment Lab"])
        self.assertEqual(self.client.delete(f"/api/imports/inbox/{row['id']}").status_code, 404)
