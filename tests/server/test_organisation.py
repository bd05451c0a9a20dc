from __future__ import annotations

from octaplan.core.check.rules import RULES
from tests.server.test_api import WithServer


class Organisation(WithServer):
    def test_planners_change_settings_and_everybody_reads_them(self) -> None:
        client = self.signed_in("pia")
        shown = client.get("/api/organisation").json()
        self.assertEqual((shown["revision"]["number"], shown["customers"]), (0, {"FERN": "FERN"}))
        changed = shown["settings"] | {"own_networks": [{"name": "Remote", "network": "10.40.8.0/24"}]}
        saved = client.put("/api/organisation", json=changed, headers={"If-Match": "0"})
        self.assertEqual((saved.status_code, saved.json()["revision"]["by"]), (200, "Pia"))
        rules = [f["rule"] for f in self.signed_in("vera").get("/api/sites/FERN/DOCK").json()["findings"]]
        self.assertIn("overlap-ours", rules)
        stale = client.put("/api/organisation", json=shown["settings"], headers={"If-Match": "0"})
        self.assertEqual((stale.status_code, "Pia saved revision 1" in stale.json()["detail"]), (409, True))
        wrong = client.put("/api/organisation", json=changed | {"growth": -1}, headers={"If-Match": "1"})
        self.assertEqual((wrong.status_code, wrong.json()["path"]), (422, "/growth"))
        self.assertEqual(len(client.get("/api/organisation/revisions").json()), 1)
        refused = self.signed_in("marek").put("/api/organisation", json=changed, headers={"If-Match": "1"})
        self.assertEqual(refused.status_code, 403)

    def test_where_octaplan_itself_speaks_to_is_for_administrators_to_say(self) -> None:
        settings = self.signed_in("vera").get("/api/organisation").json()["settings"]
        for name, value in (("stages_real", True), ("hands_networks", ["0.0.0.0/0"])):
            changed = settings | {name: value}
            refused = self.signed_in("pia").put("/api/organisation", json=changed, headers={"If-Match": "0"})
            self.assertEqual((refused.status_code, refused.json()["path"]), (403, f"/{name}"))
        saved = self.signed_in("ines").put("/api/organisation", json=changed, headers={"If-Match": "0"})
        self.assertEqual(saved.status_code, 200)
        other = changed | {"growth": 30}
        answer = self.signed_in("pia").put("/api/organisation", json=other, headers={"If-Match": "1"})
        self.assertEqual(answer.status_code, 200, "and changes the rest beside it")

    def test_what_settings_would_bring_is_told_before_they_are_saved(self) -> None:
        client = self.signed_in("pia")
        shown = client.get("/api/organisation").json()
        changed = shown["settings"] | {"own_networks": [{"name": "Remote", "network": "10.40.8.0/24"}]}
        brought = client.post("/api/organisation/preview", json=changed).json()
        self.assertEqual(brought["come"]["counts"], {"stop": brought["come"]["sites"]})
        self.assertIn("FERN/DOCK", [site["site"] for site in brought["come"]["first"]])
        self.assertEqual(brought["end"]["sites"], 0)
        self.assertEqual(client.get("/api/organisation").json(), shown, "nothing is saved")
        client.put("/api/organisation", json=changed, headers={"If-Match": "0"})
        back = client.post("/api/organisation/preview", json=shown["settings"]).json()
        self.assertEqual((back["come"]["sites"], back["end"]["counts"]), (0, brought["come"]["counts"]))
        wrong = client.post("/api/organisation/preview", json=changed | {"growth": -1})
        self.assertEqual((wrong.status_code, wrong.json()["path"]), (422, "/growth"))
        self.assertEqual(self.signed_in("marek").post("/api/organisation/preview", json=changed).status_code, 403)

    def test_the_rule_book_is_that_of_the_code_and_says_what_speaks(self) -> None:
        book = self.signed_in("vera").get("/api/rules").json()
        self.assertEqual([rule["id"] for rule in book], list(RULES))
        by_id = {rule["id"]: rule for rule in book}
        speaking = by_id["overlap-scope-static"]
        self.assertEqual((speaking["findings"], speaking["sites"], speaking["remedies"]), (1, 1, True))
        self.assertEqual(by_id["mac-duplicate"]["findings"], 0)

    def test_a_remedy_is_taken_by_its_operations(self) -> None:
        client = self.signed_in()
        desk = client.get("/api/sites/FERN/DOCK").json()
        offered = client.get("/api/sites/FERN/DOCK/remedies").json()
        place = [f["rule"] for f in desk["findings"]].index("overlap-scope-static")
        remedy = offered[place][0]
        self.assertEqual(remedy["sentence"], "End the range at 10.40.8.249, 5 fewer")
        after = self.patch(client, remedy["operations"], 1).json()
        self.assertNotIn("overlap-scope-static", [f["rule"] for f in after["findings"]])

    def test_a_layout_is_proposed_or_told_why_not(self) -> None:
        client = self.signed_in("vera")
        wants = [{"name": "Office", "hosts": 100}, {"name": "Link", "prefix": 30}]
        laid = client.post("/api/layout", json={"block": "10.40.8.0/24", "wants": wants}).json()
        self.assertEqual([given["subnet"] for given in laid], ["10.40.8.0/25", "10.40.8.128/30"])
        answer = client.post("/api/layout", json={"block": "10.40.8.0/26", "wants": wants})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("does not fit into 10.40.8.0/26", answer.json()["detail"])
