from __future__ import annotations

from tests.server.test_api import WithServer


class ByHand(WithServer):
    def test_codes_are_proposed_and_those_taken_are_told(self) -> None:
        client = self.signed_in()
        self.assertEqual(
            client.get("/api/proposals/site", params={"customer_name": "Quayside", "name": "Oven Row"}).json(),
            {"customer": "QUAY", "site": "OVEN", "time_zone": None, "taken": ""},
        )
        told = client.get("/api/proposals/site", params={"customer": "FERN", "name": "x", "site": "dock"}).json()
        self.assertIn("has this code already", told["taken"])
        again = client.get("/api/proposals/site", params={"customer": "FERN", "name": "Dock"}).json()
        self.assertNotEqual(again["site"], "DOCK")

    def test_a_site_begun_has_a_line_to_ask_about(self) -> None:
        client = self.signed_in()
        new = {"customer": "QUAY", "customer_name": "Quayside", "site": "OVEN", "name": "Oven Row"}
        self.assertEqual(client.post("/api/sites", json=new).status_code, 201)
        desk = client.get("/api/sites/QUAY/OVEN").json()
        self.assertEqual([one["label"] for one in desk["plan"]["circuits"].values()], ["Main"])
        self.assertIn("paste the provider's letter on Intake", desk["summary"]["next"])
        refused = client.post("/api/sites", json=new)
        self.assertEqual((refused.status_code, refused.json()["path"]), (422, "/site"))

    def test_codes_that_are_left_out_are_made_from_the_names(self) -> None:
        client = self.signed_in()
        new = {"customer_name": "Quayside Bakehouse", "name": "Oven Row"}
        self.assertEqual(client.post("/api/sites", json=new).json(), {"customer": "QUAY", "site": "OVEN"})
        again = client.post("/api/sites", json={"customer": "QUAY", "name": "Oven Row"}).json()
        self.assertEqual(again, {"customer": "QUAY", "site": "OVER"})
        refused = client.post("/api/sites", json={"customer": "QUAY", "name": "東京"})
        self.assertIn("No code can be made for the site", refused.json()["detail"])

    def test_a_site_is_found_under_its_new_code_and_told_under_the_old(self) -> None:
        client = self.signed_in()
        self.assertEqual(client.put("/api/sites/FERN/DOCK/code", json={"code": "QUAY"}).json()["site"], "QUAY")
        gone = client.get("/api/sites/FERN/DOCK")
        self.assertEqual((gone.status_code, gone.json()["now"]), (404, "FERN/QUAY"))
        self.assertEqual(client.get("/api/sites/FERN/QUAY").status_code, 200)

    def test_what_is_put_away_is_listed_and_comes_back(self) -> None:
        client = self.signed_in()
        self.assertEqual(client.put("/api/away/FERN/DOCK").status_code, 204)
        self.assertIn("put away", client.get("/api/sites/FERN/DOCK").json()["detail"])
        self.assertEqual([one["site"] for one in client.get("/api/away").json()], ["DOCK"])
        self.assertEqual(client.delete("/api/away/FERN/DOCK").json(), {"customer": "FERN", "site": "DOCK"})
        self.assertEqual(client.delete("/api/away/FERN/DOCK").status_code, 404)
