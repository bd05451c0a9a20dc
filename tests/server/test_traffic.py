"""The page Traffic, by its API: read, asked, mended and published, with a second person at the same site."""

from __future__ import annotations

import json
from typing import Any

from octaplan.core.flow.matrix import Traffic
from octaplan.core.plan.site import SitePlan
from octaplan.store.plans import Plans
from tests.core.check.test_traffic_rules import allow, entries, published, server, two_lines
from tests.core.flow.test_asking import planned
from tests.server.test_api import WithServer
from tests.store.test_plans import DOCK

SITE = "/api/sites/FERN/ROSE"


def sited(*changes: Any) -> SitePlan:
    plan = planned(*changes)
    return plan.model_copy(update={"customer": "FERN", "site": "ROSE", "reach_groups": []})


class TrafficPage(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in()
        self.save(sited(server, entries("allows", test=allow("seg1", "seg0"))))

    def save(self, plan: SitePlan) -> None:
        plans: Plans = self.plans
        plans.save_all([plan], "Ines", "For the test")

    def cell(self, source: str, target: str, **query: str) -> dict[str, Any]:
        cells = self.client.get(f"{SITE}/traffic", params=query).json()["cells"]
        return next(one for one in cells if (one["source"], one["target"]) == (source, target))

    def ask(self, source: str, target: str, **more: str) -> Any:
        return self.client.get(f"{SITE}/traffic/ask", params={"from": source, "to": target, **more})

    def take(self, operations: list[dict[str, Any]], revision: int) -> Any:
        taken = self.patch(self.client, operations, revision, "FERN/ROSE")
        self.assertEqual(taken.status_code, 200, taken.text)
        return taken.json()

    def test_the_matrix_says_what_is_meant_and_what_the_boxes_do(self) -> None:
        amiss = self.cell("seg1", "seg0")
        self.assertEqual(
            (amiss["meant"], amiss["result"], amiss["agrees"], amiss["extra"]), ("closed", "passes", False, True)
        )
        fine = self.cell("seg0", "serv")
        self.assertEqual((fine["meant"], fine["result"], fine["agrees"]), ("open", "passes", True))

    def test_a_question_is_answered_with_its_way(self) -> None:
        answer = self.ask("Voice", "Office").json()
        self.assertEqual(
            answer["sentence"], "Yes, and it is not meant to: dock-edge lets it through by the rule “Voice to Office”."
        )
        self.assertEqual(
            [node["name"] for node in answer["path"]["nodes"]], ["anybody in Voice", "dock-edge", "anybody in Office"]
        )
        self.assertEqual(self.ask("10.40.9.30", "internet", service="https").json()["result"], "passes")

    def test_what_cannot_be_read_names_the_word(self) -> None:
        for (source, target, service), place in (
            (("the attic", "Office", "any"), "from"), (("Office", "the attic", "any"), "to"),
            (("Office", "internet", "the usual"), "service"),
        ):  # fmt: skip
            refused = self.ask(source, target, service=service)
            self.assertEqual((refused.status_code, refused.json()["path"]), (422, place))

    def test_the_boxes_are_let_do_what_is_meant_and_somebody_else_changes_the_site_meanwhile(self) -> None:
        pair = {"source": "seg1", "target": "seg0"}
        operations = self.client.post(f"{SITE}/traffic/as-meant", json=pair).json()["operations"]
        self.assertEqual(operations, [{"op": "remove", "path": "/devices/edge/allows/test", "value": None}])
        other = self.signed_in("pia")
        self.patch(other, [{"op": "add", "path": "/contact", "value": "Pia"}], 1, "FERN/ROSE")
        desk = self.take([{"op": "remove", "path": "/devices/edge/allows/test"}], 1)  # merged: another place
        self.assertEqual(desk["revision"]["number"], 3)
        self.assertTrue(self.cell("seg1", "seg0")["agrees"])
        self.assertEqual(self.client.post(f"{SITE}/traffic/as-meant", json=pair).json()["operations"], [])
        gone = self.client.post(f"{SITE}/traffic/as-meant", json={"source": "gone", "target": "seg0"})
        self.assertEqual(gone.status_code, 404)

    def test_something_is_published_and_ends_and_another_took_its_host_away(self) -> None:
        wanted = {"circuit": "circ0", "host": "mail", "service": "https", "sources": ["198.51.100.0/28"]}
        operations = self.client.post(f"{SITE}/traffic/publish", json=wanted).json()["operations"]
        self.take(operations, 1)
        cell = self.cell("internet", "serv")
        self.assertEqual((cell["services"], cell["does"], cell["agrees"]), ("tcp/443", "tcp/443", True))
        (key,) = self.records.now.sites.plan("fern/rose").devices["edge"].publications
        ending = self.client.get(f"{SITE}/traffic/publications/edge/{key}/end").json()["operations"]
        self.assertEqual({one["op"] for one in ending}, {"remove"})
        removed = [{"op": o["op"], "path": o["path"]} for o in ending]
        self.take(removed, 2)
        self.assertEqual(self.cell("internet", "serv")["result"], "stopped")
        self.assertEqual(self.client.get(f"{SITE}/traffic/publications/edge/{key}/end").status_code, 404)
        self.patch(self.signed_in("pia"), [{"op": "remove", "path": "/hosts/mail"}], 3, "FERN/ROSE")
        near = self.client.post(f"{SITE}/traffic/publish", json=wanted | {"address": ".300"})
        self.assertEqual(near.status_code, 422)
        refused = self.client.post(f"{SITE}/traffic/publish", json=wanted)
        self.assertEqual((refused.status_code, "removed" in refused.json()["detail"]), (422, True))

    def test_entries_tell_what_needs_them(self) -> None:
        (edge,) = self.client.get(f"{SITE}/traffic/entries").json()
        told = {entry["words"]: entry for entry in edge["parts"]["allows"]}
        self.assertFalse(told["Voice to Office"]["needed"])
        self.assertEqual(told["Office to the internet"]["needed_for"], ["Office to the internet"])
        (route,) = edge["parts"]["routes"]
        self.assertIn("Voice to the internet", route["needed_for"])

    def test_an_entry_of_what_does_not_pass_yet_waits_and_is_not_idle(self) -> None:
        (edge,) = self.client.get(f"{SITE}/traffic/entries").json()
        allow = next(one for one in edge["parts"]["allows"] if one["words"] == "Office to the internet")
        self.assertFalse(any(one["waits"] for part in edge["parts"].values() for one in part))
        self.take([{"op": "remove", "path": allow["path"]}], 1)
        (edge,) = self.client.get(f"{SITE}/traffic/entries").json()
        waiting = [one["words"] for one in edge["parts"]["translations"] if one["waits"]]
        self.assertEqual(waiting, [one["words"] for one in edge["parts"]["translations"] if "Office" in one["words"]])
        self.assertEqual(len(waiting), 1)

    def test_what_changed_since_a_revision(self) -> None:
        self.take([{"op": "remove", "path": "/devices/edge/allows/test"}], 1)
        self.assertEqual(
            self.client.get(f"{SITE}/traffic/since/1").json(), ["Voice to Office: everything before, nothing now"]
        )
        self.assertEqual(self.client.get(f"{SITE}/traffic/since/9").status_code, 404)

    def test_a_circuit_thought_down(self) -> None:
        self.save(sited(two_lines))
        self.assertEqual(self.cell("seg0", "internet", down="circ0")["result"], "passes")
        self.assertEqual(self.cell("seg0", "internet", down="none")["result"], "passes", "no such circuit")

    def test_go_to_answers_at_every_site_that_has_the_address(self) -> None:
        found = self.client.get("/api/goto", params={"q": "10.40.20.5 to internet by https"}).json()
        (asked,) = found["asked"]
        self.assertEqual((asked["site"], asked["service"]), ("ROSE", "tcp/443"))
        self.assertTrue(asked["sentence"].startswith("Yes"))
        self.assertEqual(self.client.get("/api/goto", params={"q": "nothing to nowhere"}).json()["asked"], [])

    def test_a_stage_of_its_own_shows_what_is_wrong(self) -> None:
        desk = self.client.get(SITE).json()
        self.assertEqual(desk["summary"]["stages"]["traffic"], "trouble")
        broken = next(one for one in desk["findings"] if one["rule"] == "isolate-broken")
        self.assertEqual(broken["stage"], "traffic")

    def test_settings_that_mean_something_else_are_heeded_at_once(self) -> None:
        organisation = self.client.get("/api/organisation").json()
        settings = organisation["settings"] | {"intent": {"voice": {"office": "any", "internet": "any"}}}
        number = str(organisation["revision"]["number"])
        self.assertEqual(
            self.client.put("/api/organisation", json=settings, headers={"If-Match": number}).status_code, 200
        )
        self.assertTrue(self.cell("seg1", "seg0")["agrees"])
        self.assertFalse(self.cell("seg0", "internet")["agrees"], "nobody means it now")


class OlderPlans(WithServer):
    def test_a_plan_of_the_schema_before_is_read_and_brought_up(self) -> None:
        document = planned(published()).document()
        for name in ("departures",):
            del document[name]
        for circuit in document["circuits"].values():
            del circuit["vrf"]
        for device in document["devices"].values():
            for name in ("addresses6", "publications", "relays", "filters"):
                del device[name]
            for route in device["routes"].values():
                del route["table"]
            for translation in device["translations"].values():
                del translation["address"]
        document["schema"] = "octaplan.site-plan/1"
        plan = SitePlan.model_validate(json.loads(json.dumps(document)))
        self.assertEqual(plan.document()["schema"], "octaplan.site-plan/2")
        self.assertTrue(Traffic(plan).cell("seg0", "internet").agrees)

    def test_what_was_signed_before_the_schema_stays_signed(self) -> None:
        """The digest of a plan that uses nothing new is that of the schema before."""
        held = self.records.now.sites.of("FERN/DOCK")
        before = held.digest
        old = json.loads(held._text)
        self.assertEqual(old["schema"], "octaplan.site-plan/2")
        old["schema"] = "octaplan.site-plan/1"
        self.assertEqual(DOCK.document()["departures"], {})
        recorded = [{"op": "add", "path": "/devices/edge/serial", "value": "BW5-1"}]
        self.plans.revise("FERN/DOCK", recorded, 1, "Ines")
        self.assertEqual(self.records.now.sites.of("FERN/DOCK").digest, before)
        meant = {"source": "seg0", "target": "internet", "services": "none", "reason": "kept in"}
        self.plans.revise("FERN/DOCK", [{"op": "add", "path": "/departures/depa", "value": meant}], 2, "Ines")
        self.assertNotEqual(self.records.now.sites.of("FERN/DOCK").digest, before)
