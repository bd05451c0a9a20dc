"""Proposals, letters, address space and changes of many sites over the API."""

from __future__ import annotations

from typing import Any

from octaplan.store.refusals import BadChange
from tests.server.test_api import WithServer
from tests.support import segment, site

DOCK = "/api/sites/FERN/DOCK"


class Proposals(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in("marek")
        self.key = next(iter(self.plans.now.plan("FERN/DOCK").segments))

    def propose(self, **wish: Any) -> Any:
        return self.client.post(f"{DOCK}/propose", json=wish)

    def test_each_way_answers_and_saves_nothing(self) -> None:
        wishes: list[dict[str, Any]] = [
            {"what": "add", "role": "guest", "hosts": 40},
            {"what": "split", "segment": self.key},
            {"what": "resize", "segment": self.key, "subnet": "10.40.64.0/23"},
            {"what": "copy", "segment": self.key},
            {"what": "move", "segment": self.key, "by": 1},
            {"what": "lay out", "block": "10.41.0.0/22", "needs": [{"label": "Lab", "role": "other", "hosts": 20}]},
        ]
        for wish in wishes:
            with self.subTest(wish["what"]):
                answer = self.propose(**wish)
                self.assertEqual(answer.status_code, 200, answer.text)
                self.assertTrue(answer.json()["sentence"])
        self.assertEqual(self.plans.now.saved("FERN/DOCK").number, 1)

    def test_what_cannot_be_is_said(self) -> None:
        self.assertIn("itself", self.propose(what="join", segment=self.key, other=self.key).json()["detail"])
        self.assertEqual(self.propose(what="split", segment="zzzz").status_code, 404)
        self.assertEqual(self.propose(what="explode", segment=self.key).status_code, 422)
        self.assertIn("No free", self.propose(what="add", role="office", prefix=4).json()["detail"])

    def test_a_proposal_can_be_taken(self) -> None:
        proposal = self.propose(what="add", role="guest", hosts=40).json()
        desk = self.patch(self.client, proposal["operations"], 1).json()
        self.assertIn("Added segment Guest", desk["revision"]["sentence"])

    def test_a_letter_is_read_for_a_circuit(self) -> None:
        circuit = next(iter(self.plans.now.plan("FERN/DOCK").circuits), None)
        if circuit is None:
            self.patch(self.client, [{"op": "add", "path": "/circuits/main1", "value": {"label": "Main"}}], 1)
            circuit = "main1"
        read = self.client.post(f"{DOCK}/letter", json={"circuit": circuit, "text": "IP 198.51.100.18/29 GW .17"})
        self.assertEqual(
            [found["field"] for found in read.json()["lines"][0]["found"]], ["handoff", "address", "prefix", "gateway"]
        )
        self.assertEqual(self.client.post(f"{DOCK}/letter", json={"circuit": "zz", "text": "IP"}).status_code, 404)
        values = [{"field": "mtu", "text": "1492"}, {"field": "gateway", "text": "nowhere"}]
        body = {
            "circuit": circuit,
            "values": values,
            "second": [{"field": "reference", "text": "LN-2"}],
            "label": "Backup",
        }
        revision = self.client.get(DOCK).json()["revision"]["number"]
        taken = self.client.post(f"{DOCK}/letter/take", json=body, headers={"if-match": str(revision)})
        self.assertEqual(taken.status_code, 200, taken.text)
        circuits = taken.json()["desk"]["plan"]["circuits"]
        self.assertEqual(circuits[circuit]["mtu"], 1492)
        self.assertEqual([one["reference"] for one in circuits.values() if one["label"].startswith("Backup")], ["LN-2"])
        self.assertEqual(
            [(one["field"], one["label"]) for one in taken.json()["left"]], [("gateway", "Provider's gateway")]
        )
        empty = self.client.post(f"{DOCK}/letter", json={"circuit": circuit, "text": "hello"})
        self.assertEqual(empty.status_code, 422)

    def test_a_line_in_the_place_of_another_leaves_nothing_of_that_in_one_revision(self) -> None:
        circuit = "circ0"
        before = self.plans.now.plan("FERN/DOCK").circuits[circuit]
        revision = self.client.get(DOCK).json()["revision"]["number"]
        answer = {"key": f"gateway.{circuit}", "text": str(before.gateway)}
        confirmed = {"answers": [answer], "source": "Northline, by phone", "confirmed": True}
        said = self.client.post(f"{DOCK}/answers", json=confirmed, headers={"if-match": str(revision)})
        self.assertEqual(said.status_code, 200, said.text)

        def taking(**more: Any) -> Any:
            said = {"handoff": "static", "address": "198.51.100.18", "prefix": "/29", "gateway": "198.51.100.17"}
            values = [{"field": field, "text": text} for field, text in said.items()]
            body = {"circuit": circuit, "values": values, "source": "Gannet, by mail"} | more
            now = self.client.get(DOCK).json()["revision"]["number"]
            return self.client.post(f"{DOCK}/letter/take", json=body, headers={"if-match": str(now)})

        nothing = taking(values=[], replaces=True)
        self.assertEqual((nothing.status_code, "Nothing of the new line" in nothing.json()["detail"]), (422, True))
        taken = taking(replaces=True).json()
        plan, number = taken["desk"]["plan"], taken["desk"]["revision"]["number"]
        self.assertEqual((plan["circuits"][circuit]["gateway"], taken["left"]), ("198.51.100.17", []))
        self.assertEqual((plan["circuits"][circuit]["resolvers"], plan["circuits"][circuit]["provider"]), ([], None))
        self.assertEqual(plan["answers"][f"gateway.{circuit}"]["source"], "Gannet, by mail")
        back = self.client.post(f"{DOCK}/undo", headers={"if-match": str(number)}).json()
        self.assertEqual(back["plan"]["circuits"][circuit]["gateway"], str(before.gateway))
        self.assertEqual(back["plan"]["answers"][f"gateway.{circuit}"]["source"], "Northline, by phone")
        left = taking().json()["left"]  # of the same line, what was confirmed stands
        self.assertEqual([one["field"] for one in left], ["gateway"])

    def test_a_column_is_read_field_by_field(self) -> None:
        hosts = list(self.plans.now.plan("FERN/DOCK").hosts)
        entries = [
            {"path": f"/hosts/{hosts[0]}/address", "text": ".77"},
            {"path": f"/hosts/{hosts[0]}/address", "text": "10.40.300.1"},
        ]
        read = self.client.post(f"{DOCK}/column", json=entries).json()
        self.assertTrue(read[0]["operations"])
        self.assertIn("Octet 300", read[1]["problem"])


class Space(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in("vera")

    def test_a_window_with_its_levels(self) -> None:
        shown = self.client.get("/api/space", params={"window": "10.40.0.0/16"}).json()
        self.assertEqual((shown["window"], shown["above"]), ("10.40.0.0/16", "10.40.0.0/15"))
        self.assertEqual(len(shown["levels"]), 9)
        self.assertGreater(shown["total"], 0)
        worst = {placed["label"]: placed["worst"] for placed in shown["segments"]}
        self.assertEqual(worst["Yard"], "")
        self.plans.revise(
            "FERN/MILL", [{"op": "add", "path": "/segments/seg0/gateway", "value": "10.9.9.9"}], 1, "Ines"
        )
        shown = self.client.get("/api/space", params={"window": "10.40.0.0/16"}).json()
        self.assertEqual({placed["label"]: placed["worst"] for placed in shown["segments"]}["Yard"], "stop")

    def test_windows_that_cannot_be(self) -> None:
        for window, words in (("10.40.300.0/16", "Octet 300"), ("2001:db8::/96", "smaller than a /64"), ("x", "")):
            with self.subTest(window):
                answer = self.client.get("/api/space", params={"window": window})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.json()["detail"])

    def test_room_near_an_address_for_a_site_or_a_new_one(self) -> None:
        ask = {"prefix": 24, "customer": "FERN", "near": "10.40.8.0", "most": 3}
        for site_code in ("DOCK", ""):
            answer = self.client.get("/api/space/room", params=ask | {"site": site_code}).json()
            self.assertEqual(len(answer["found"]), 3)
            self.assertTrue(answer["found"][0].startswith("10.40."))
        self.assertEqual(self.client.get("/api/space/room", params=ask | {"customer": "NONE"}).status_code, 404)

    def test_public_blocks(self) -> None:
        lines = [
            {"label": "Main", "address": f"203.0.113.{n}", "prefix": 29, "gateway": "203.0.113.17", "provider": "North"}
            for n in (18, 19)
        ]
        plans = [site(f"LOOM/P{n}", [], circuits=[line]) for n, line in enumerate(lines)]
        self.plans.save_all(plans, "Ines", "Loaded")
        shown = self.client.get("/api/space/public", params={"customer": "LOOM"}).json()
        self.assertEqual([(line["network"], line["shared"]) for line in shown], [("203.0.113.16/29", True)] * 2)


class ManySites(WithServer):
    def setUp(self) -> None:
        super().setUp()
        scope = {"first": "10.60.{n}.20", "last": "10.60.{n}.254"}
        plans = [
            site(
                f"LOOM/S{n}",
                [
                    segment(
                        "Voice",
                        f"10.60.{n}.0/24",
                        role="voice",
                        scope={key: text.format(n=n) for key, text in scope.items()},
                    )
                ],
                [("Voice", "phone system", f"10.60.{n}.250")],
            )
            for n in range(3)
        ]
        self.plans.save_all(plans, "Ines", "Loaded")
        self.client = self.signed_in("pia")
        self.sites = [f"LOOM/S{n}" for n in range(3)]
        self.rule = "overlap-scope-static"

    def preview(self) -> Any:
        return self.client.post("/api/findings/preview", json={"rule": self.rule, "sites": self.sites}).json()

    def count(self) -> int:
        listed = self.client.get("/api/findings/list", params={"rule": self.rule, "customer": "LOOM"}).json()
        return int(listed["total"])

    def test_by_rule_and_by_customer(self) -> None:
        overview = self.client.get("/api/findings").json()
        row = next(rule for rule in overview["rules"] if rule["rule"] == self.rule)
        self.assertGreaterEqual(row["findings"], 3)
        self.assertTrue(row["remedies"])
        loom = next(customer for customer in overview["customers"] if customer["customer"] == "LOOM")
        self.assertEqual((loom["sites"], loom["stops"] >= 3), (3, True))
        only = self.client.get("/api/findings", params={"customer": "LOOM"}).json()
        self.assertEqual(next(r for r in only["rules"] if r["rule"] == self.rule)["findings"], 3)

    def test_one_change_and_one_undo(self) -> None:
        shown = self.preview()
        self.assertEqual(len({remedy for one in shown for remedy in one["remedies"]}), 3)
        self.assertEqual([one["left"] for one in shown], [0, 0, 0])
        self.assertEqual(self.count(), 3, "a preview changes nothing")
        revisions = {f"{one['customer']}/{one['site']}": one["revision"] for one in shown}
        applied = self.client.post("/api/findings/apply", json={"rule": self.rule, "revisions": revisions}).json()
        self.assertEqual(self.count(), 0)
        self.plans.revise("LOOM/S2", [{"op": "add", "path": "/contact", "value": "Ada"}], 2, "Marek")
        undone = self.client.post(f"/api/findings/batches/{applied['batch']}/undo").json()
        self.assertEqual(undone, {"undone": 2, "moved": ["LOOM/S2"]})
        self.assertEqual(self.count(), 2)
        again = self.client.post(f"/api/findings/batches/{applied['batch']}/undo")
        self.assertEqual(again.status_code, 422)
        self.assertTrue(self.client.get("/api/findings/batches").json()[0]["undone"])

    def test_nothing_is_saved_when_a_site_has_moved_on(self) -> None:
        revisions = {f"{one['customer']}/{one['site']}": one["revision"] for one in self.preview()}
        self.plans.revise("LOOM/S1", [{"op": "add", "path": "/contact", "value": "Ada"}], 1, "Marek")
        answer = self.client.post("/api/findings/apply", json={"rule": self.rule, "revisions": revisions})
        self.assertEqual(answer.status_code, 409)
        self.assertEqual([self.plans.now.saved(key).number for key in self.sites], [1, 2, 1])

    def test_two_sites_are_not_given_the_same_room(self) -> None:
        plans = [
            site(f"PAWS/S{n}", [segment("Office", "10.61.0.0/24", vlan=1), segment("Voice", f"10.61.{n + 1}.0/24")])
            for n in range(3)
        ]
        self.plans.save_all(plans, "Ines", "Loaded")
        ask = {"rule": "overlap-reach", "sites": [f"PAWS/S{n}" for n in range(3)]}
        shown = self.client.post("/api/findings/preview", json=ask).json()
        remedies = [remedy.split(";")[0] for one in shown for remedy in one["remedies"]]
        self.assertEqual(len(remedies), 2, "the third has nothing left to overlap with")
        self.assertEqual(len(set(remedies)), 2)

    def test_bounds_and_permissions(self) -> None:
        with self.assertRaises(BadChange):
            self.records.batches.preview("no-such-rule", self.sites)
        viewer = self.signed_in("vera")
        ask = {"rule": self.rule, "sites": self.sites}
        self.assertEqual(viewer.post("/api/findings/preview", json=ask).status_code, 403)
        self.assertEqual(self.client.post("/api/findings/preview", json=ask | {"sites": []}).status_code, 422)
        none = self.client.post("/api/findings/apply", json={"rule": "dns-single", "revisions": {"LOOM/S0": 1}})
        self.assertEqual(none.status_code, 422)
