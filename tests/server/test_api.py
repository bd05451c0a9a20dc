from __future__ import annotations

import io
import json
from typing import Any

from argon2 import PasswordHasher
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from openapi_spec_validator import OpenAPIV31SpecValidator
from sqlalchemy import event

from octaplan.server.app import Running, create_app
from octaplan.server.guard import MAX_BODY, MAX_UPLOAD
from octaplan.store.database import Database
from octaplan.store.models import AccountRole
from tests.core.kit import hardware
from tests.store.test_plans import DOCK, LAST, MILL, put
from tests.support import InFolder

PASSWORD = "lantern reed 9"
OPEN = {"/api/health", "/api/ready", "/api/start", "/api/session", "/api/setup", "/api/on-site"}


class WithServer(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.app = create_app(Database(self.folder))
        self.records = self.app.state.records
        self.records.accounts.hasher = PasswordHasher(
            time_cost=1, memory_cost=64
        )  # the real cost is felt in tests/store
        self.records.hardware.save(hardware(slots={}).document(), 0, "Ines")
        self.plans = self.app.state.records.plans
        self.plans.save_all([DOCK, MILL], "Ines", "Loaded from tables")
        for name, role in (
            ("ines", AccountRole.ADMINISTRATOR),
            ("pia", AccountRole.PLANNER),
            ("marek", AccountRole.TECHNICIAN),
            ("vera", AccountRole.VIEWER),
        ):
            self.app.state.records.accounts.add(name, name.title(), PASSWORD, role)
        self.app.state.setup_code = None
        self.client = self.visitor()
        self.addCleanup(self.app.state.records.database.close)

    def again(self) -> None:
        """The same folder, served again."""
        self.app.state.records.database.close()
        self.app = create_app(Database(self.folder))
        self.records = self.app.state.records
        self.plans = self.records.plans
        self.client = self.signed_in()

    def visitor(self) -> TestClient:
        return TestClient(self.app, headers={"X-Octaplan": "1"}, raise_server_exceptions=False)

    def signed_in(self, name: str = "ines") -> TestClient:
        client = self.visitor()
        answer = client.post("/api/session", json={"name": name, "password": PASSWORD})
        self.assertEqual(answer.status_code, 200)
        return client

    def patch(self, client: TestClient, operations: Any, revision: int, site: str = "FERN/DOCK") -> Any:
        return client.patch(f"/api/sites/{site}/plan", json=operations, headers={"If-Match": str(revision)})


class Sessions(WithServer):
    def test_health_needs_no_session(self) -> None:
        self.assertEqual(self.client.get("/api/health").json(), {"status": "ok"})

    def test_nothing_else_answers_without_one(self) -> None:
        routes = [route for route in self.app.routes if isinstance(route, APIRoute) and route.path.startswith("/api")]
        routes += [r for sub in self.app.routes for r in getattr(sub, "routes", []) if isinstance(r, APIRoute)]
        paths = {(method, path) for path, methods in self.app.openapi()["paths"].items() for method in methods}
        self.assertGreater(len(paths), 12)
        for method, path in sorted(paths | {("get", "/api/openapi.json")}):
            if path in OPEN and (method, path) != ("get", "/api/session"):
                continue
            for token in (None, "made-up"):
                client = self.visitor()
                if token:
                    client.cookies.set("octaplan_session", token)
                answer = client.request(method, path.replace("{import_id}", "0" * 16).replace("{", "").replace("}", ""))
                self.assertEqual(answer.status_code, 401, (method, path, answer.text))

    def test_a_session_begins_and_ends(self) -> None:
        client = self.signed_in()
        self.assertEqual(client.get("/api/session").json()["full_name"], "Ines")
        cookie = client.cookies.get("octaplan_session")
        self.assertEqual(client.delete("/api/session").status_code, 204)
        client.cookies.set("octaplan_session", cookie or "")
        self.assertEqual(client.get("/api/session").status_code, 401)

    def test_the_cookie_is_for_this_site_and_not_for_scripts(self) -> None:
        answer = self.client.post("/api/session", json={"name": "ines", "password": PASSWORD})
        self.assertIn("HttpOnly", answer.headers["set-cookie"])
        self.assertIn("SameSite=strict", answer.headers["set-cookie"])

    def test_tries_are_limited(self) -> None:
        for _ in range(5):
            answer = self.client.post("/api/session", json={"name": "ines", "password": "wrong"})
            self.assertEqual(answer.status_code, 401)
        answer = self.client.post("/api/session", json={"name": "ines", "password": PASSWORD})
        self.assertEqual(answer.status_code, 429)
        self.assertIn("wait 5 minutes", answer.json()["detail"])

    def test_an_unknown_name_answers_as_a_wrong_password_does(self) -> None:
        answers = [
            self.client.post("/api/session", json={"name": n, "password": "x"}).json() for n in ("ines", "nobody")
        ]
        self.assertEqual(answers[0], answers[1])


class FirstStart(InFolder):
    def test_the_first_administrator_needs_the_code_of_the_console(self) -> None:
        app = create_app(Database(self.folder))
        self.addCleanup(app.state.records.database.close)
        client = TestClient(app, headers={"X-Octaplan": "1"})
        first = {"code": "wrong", "name": "ada", "full_name": "Ada", "password": PASSWORD}
        self.assertEqual(client.get("/api/start").json(), {"needs_setup": True})
        self.assertEqual(client.post("/api/setup", json=first).status_code, 403)
        first["code"] = app.state.setup_code
        self.assertEqual(client.post("/api/setup", json=first | {"password": "short"}).status_code, 422)
        self.assertEqual(client.post("/api/setup", json=first).json()["role"], "administrator")
        self.assertEqual(client.get("/api/outbound").json()["sites"], [])
        self.assertEqual(client.get("/api/start").json(), {"needs_setup": False})
        self.assertEqual(client.post("/api/setup", json=first).status_code, 403)


class Guarding(WithServer):
    def test_pages_of_other_sites_cannot_change_anything(self) -> None:
        client = self.signed_in()
        for headers in ({"X-Octaplan": ""}, {"Origin": "https://elsewhere.example"}):
            bare = TestClient(self.app, cookies=client.cookies)
            sent = {k: v for k, v in headers.items() if v}
            if "Origin" in sent:
                sent["X-Octaplan"] = "1"
            self.assertEqual(bare.delete("/api/session", headers=sent).status_code, 403)
        for site in ("cross-site", "same-site"):
            answer = client.delete("/api/session", headers={"Sec-Fetch-Site": site})
            self.assertEqual(answer.status_code, 403)
        self.assertEqual(client.get("/api/outbound", headers={"Sec-Fetch-Site": "cross-site"}).status_code, 403)
        own = client.delete("/api/session", headers={"Origin": "http://testserver"})
        self.assertEqual(own.status_code, 204)

    def test_sizes_are_bounded_even_when_not_declared(self) -> None:
        client = self.signed_in()
        big = b"x" * (MAX_BODY + 1)
        self.assertEqual(client.post("/api/session", content=big).status_code, 413)

        def parts() -> Any:
            for _ in range(5):
                yield b"x" * (MAX_BODY // 4)

        self.assertEqual(client.post("/api/session", content=parts()).status_code, 413)
        answer = client.post("/api/imports", files={"files": ("sites.csv", io.BytesIO(b"x" * (MAX_UPLOAD + 1)))})
        self.assertEqual(answer.status_code, 413)
        self.assertIn("octaplan import", answer.json()["detail"])

    def test_errors_are_problem_documents(self) -> None:
        client = self.signed_in()
        for answer in (
            client.get("/api/sites/FERN/NONE"),
            client.get("/api/nonsense"),
            client.post("/api/session", json={"name": 1}),
            client.put("/api/session"),
        ):
            self.assertEqual(answer.headers["content-type"], "application/problem+json")
            self.assertEqual(answer.json()["status"], answer.status_code)
            self.assertTrue(answer.json()["detail"])

    def test_answers_are_not_kept_by_browsers(self) -> None:
        answer = self.client.get("/api/health")
        self.assertEqual(answer.headers["cache-control"], "no-store")
        self.assertIn("frame-ancestors 'none'", answer.headers["content-security-policy"])


class Permissions(WithServer):
    def test_a_viewer_looks_and_changes_nothing(self) -> None:
        client = self.signed_in("vera")
        self.assertEqual(client.get("/api/sites/FERN/DOCK").status_code, 200)
        self.assertEqual(self.patch(client, put(LAST, "10.40.8.249"), 1).status_code, 403)
        files = {"files": ("sites.csv", b"customer,site\n")}
        for answer in (
            client.post("/api/imports", files=files),
            client.post(f"/api/imports/{'0' * 16}/apply"),
            client.post("/api/sites/FERN/DOCK/clearance", json={"revision": 1}),
            client.post(
                "/api/sites/FERN/DOCK/acceptances", json={"rule": "x", "path": "", "addresses": "", "reason": "xxx"}
            ),
            client.delete("/api/sites/FERN/DOCK/acceptances/x"),
        ):
            self.assertEqual(answer.status_code, 403, answer.text)
        self.assertEqual(self.plans.now.plan("FERN/DOCK"), DOCK)


class Working(WithServer):
    def test_from_a_finding_to_a_cleared_site(self) -> None:
        client = self.signed_in("pia")
        desk = client.get("/api/sites/fern/dock").json()
        self.assertEqual([f["rule"] for f in desk["findings"]], ["overlap-scope-static", "common-default"])
        self.assertEqual(desk["findings"][0]["title"], "Fixed host inside a DHCP range")
        understood = client.post(
            "/api/sites/FERN/DOCK/understand", json={"path": "/segments/seg0/scope", "text": ".20-.249"}
        )
        self.assertEqual(understood.json()["echo"], "10.40.8.20 to 10.40.8.249, 230 addresses")
        desk = self.patch(client, understood.json()["operations"], desk["revision"]["number"]).json()
        self.assertEqual([f["rule"] for f in desk["findings"]], ["common-default"])
        finding = {key: desk["findings"][0][key] for key in ("rule", "path", "addresses")}
        desk = client.post("/api/sites/FERN/DOCK/acceptances", json=finding | {"reason": "Guests only"}).json()
        self.assertEqual((desk["findings"][0]["accepted_by"], desk["summary"]["warns"]), ("Pia", 0))
        self.assertEqual(desk["summary"]["next"], "Sign the clearance")
        desk = client.post("/api/sites/FERN/DOCK/clearance", json={"revision": desk["revision"]["number"]}).json()
        self.assertTrue(desk["summary"]["clear"])
        desk = self.patch(client, put("/contact", "Ada"), desk["revision"]["number"]).json()
        self.assertFalse(desk["summary"]["clear"])
        self.assertIn("Contact empty → Ada", desk["clearance"]["void"])
        self.assertEqual(desk["summary"]["stages"]["clearance"], "trouble")
        self.assertEqual(len(client.get("/api/sites/FERN/DOCK/revisions").json()), 4)

    def test_what_cannot_be_read_is_refused_beside_its_field(self) -> None:
        client = self.signed_in()
        answer = client.post("/api/sites/FERN/DOCK/understand", json={"path": "/segments/seg0/vlan", "text": "4095"})
        self.assertEqual((answer.status_code, answer.json()["path"]), (422, "/segments/seg0/vlan"))
        self.assertEqual(self.patch(client, put("/segments/seg0/vlan", 4095), 1).status_code, 422)
        answer = client.patch("/api/sites/FERN/DOCK/plan", json=put(LAST, "10.40.8.9"), headers={"If-Match": "soon"})
        self.assertEqual(answer.status_code, 428)

    def test_a_conflict_shows_both_values(self) -> None:
        client = self.signed_in()
        self.patch(client, put(LAST, "10.40.8.249"), 1)
        answer = self.patch(self.signed_in("marek"), put(LAST, "10.40.8.199"), 1)
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(
            answer.json()["clashes"],
            [{"path": LAST, "base": "10.40.8.254", "yours": "10.40.8.199", "theirs": "10.40.8.249"}],
        )

    def test_outbound_says_what_comes_next(self) -> None:
        rows = {row["site"]: row for row in self.signed_in().get("/api/outbound").json()["sites"]}
        self.assertEqual((rows["DOCK"]["stops"], rows["DOCK"]["warns"], rows["MILL"]["stops"]), (1, 1, 0))
        self.assertEqual(rows["DOCK"]["next"], "phone 10.40.8.250 is inside the DHCP range 10.40.8.20–10.40.8.254")
        self.assertEqual(rows["MILL"]["next"], "Sign the clearance")

    def test_tables_are_previewed_applied_and_refused_rows_handed_back(self) -> None:
        client = self.signed_in()
        table = b"customer;site;segment;vlan\r\nFERN;DOCK;office;10\r\nFERN;DOCK;voice;4095\r\n"
        preview = client.post("/api/imports", files={"files": ("segments.csv", table)}).json()["preview"]
        self.assertEqual((preview["refused_rows"], preview["refused_tables"]), (1, ["segments"]))
        self.assertEqual(preview["refused"][0]["row"], 3)
        loaded = client.post(f"/api/imports/{preview['id']}/apply", json={}).json()
        self.assertEqual((loaded["phase"], loaded["sites"]), ("loaded", 1))
        answer = client.get(f"/api/imports/{preview['id']}/refused/segments.csv")
        self.assertEqual(answer.text, "\ufeffcustomer,site,segment,vlan\r\nFERN,DOCK,voice,4095\r\n")
        self.assertEqual(client.get(f"/api/imports/{preview['id']}/refused/hosts.csv").status_code, 404)
        self.assertEqual(client.get(f"/api/imports/{preview['id']}/refused/accounts.csv").status_code, 404)

    def test_files_that_are_no_tables_are_refused_in_words(self) -> None:
        client = self.signed_in()
        for name, content, words in (
            ("sites.csv", b"", "empty"),
            ("photo.png", b"x", "not a .csv table"),
            ("segments.csv", b"\x89PNG\x00", "not a table of text"),
            ("intake.xlsx", b"x", "not an XLSX"),
            ("dock.json", b"{}", "not a site plan"),
        ):
            answer = client.post("/api/imports", files={"files": (name, content)})
            self.assertEqual(answer.status_code, 422, name)
            self.assertIn(words, answer.json()["detail"])

    def test_go_to_finds_addresses(self) -> None:
        answer = self.signed_in().get("/api/goto", params={"q": "10.40.8.250"}).json()
        self.assertEqual(answer["places"][0]["name"], "phone")

    def test_the_description_of_the_api_is_the_one_the_pages_are_made_from(self) -> None:
        served = self.signed_in().get("/api/openapi.json").json()
        kept = json.loads((self.root / "frontend" / "openapi.json").read_text())
        self.assertEqual(served, kept, "run `make api`")


class Answers(WithServer):
    def test_every_answer_says_what_it_may_not_be_used_for(self) -> None:
        def breaks() -> None:
            raise ZeroDivisionError

        self.app.add_api_route("/api/breaks", breaks)
        self.app.router.routes.insert(0, self.app.router.routes.pop())
        client = self.signed_in()
        big = client.post("/api/session", content=b"x" * (MAX_BODY + 1))
        for answer, status in (
            (self.client.get("/api/health"), 200),
            (self.client.get("/api/outbound"), 401),
            (client.get("/api/nothing"), 404),
            (client.get("/api/breaks"), 500),
            (big, 413),
            (self.client.get("/outbound"), (200, 404)),
            (TestClient(self.app).delete("/api/session"), 403),
        ):
            self.assertIn(answer.status_code, status if isinstance(status, tuple) else (status,))
            for name in ("content-security-policy", "x-content-type-options", "cross-origin-resource-policy"):
                self.assertIn(name, answer.headers, (answer.url, answer.status_code))

    def test_names_that_are_not_ours_are_not_answered(self) -> None:
        database = Database(self.folder / "other")
        app = create_app(database, Running(hosts=frozenset({"plan.example"})))
        self.addCleanup(database.close)
        client = TestClient(app)
        for host, status in (("plan.example", 200), ("PLAN.example:8321", 200), ("127.0.0.1:8321", 200), ("[::1]", 200),
                             ("localhost", 200), ("elsewhere.example", 421), ("", 421)):  # fmt: skip
            self.assertEqual(client.get("/api/health", headers={"Host": host}).status_code, status, host)

    def test_what_used_to_break_is_answered_in_words(self) -> None:
        client = self.signed_in()
        six = {"op": "add", "path": "/delegated_prefix", "value": "2001:db8:40::/48"}
        modem = {"op": "add", "path": "/circuits/circ0/modem_subnet", "value": "192.168.143.0/24"}
        self.assertEqual(self.patch(client, [six, modem], 1).status_code, 200)
        for query in ("0.0.0.0/0", "::/0", "2001:db8:40::1", "192.168.143.7", "255.255.255.255/32"):
            answer = client.get("/api/goto", params={"q": query})
            self.assertEqual(answer.status_code, 200, query)
        self.assertIn("DOCK", client.get("/api/goto", params={"q": "2001:db8:40::1"}).text)
        huge = str(1 << 70)
        for method, path in (
            ("PUT", f"/api/sites/FERN/DOCK/revisions/{huge}/name"),
            ("GET", f"/api/sites/FERN/DOCK/bench/aaaa/backups/{huge}"),
            ("DELETE", f"/api/imports/inbox/{huge}"),
            ("GET", f"/api/compare?one=FERN/DOCK&other=FERN/DOCK@{9_999_999}"),
        ):
            answer = client.request(method, path, json={"name": "x"})
            self.assertIn(answer.status_code, (404, 422), (path, answer.text))
        last = {"name": "sam", "password": "walnut mist 12", "role": "viewer", "last_day": "9999-12-31"}
        self.assertEqual(client.post("/api/accounts", json=last).status_code, 422)

    def test_the_description_of_the_api_is_valid(self) -> None:
        errors = list(OpenAPIV31SpecValidator(self.app.openapi()).iter_errors())
        self.assertEqual(errors, [])

    def test_measures_are_for_administrators_or_whoever_has_the_token(self) -> None:
        self.assertEqual(self.client.get("/api/metrics").status_code, 401)
        self.assertEqual(self.signed_in("pia").get("/api/metrics").status_code, 403)
        self.app.state.metrics_token = "sesame over the quay"
        bearer = {"Authorization": "Bearer sesame over the quay"}
        self.assertEqual(self.client.get("/api/metrics", headers={"Authorization": "Bearer x"}).status_code, 401)
        told = self.client.get("/api/metrics", headers=bearer).text
        self.assertTrue(told.endswith("# EOF\n"))
        self.assertIn("octaplan_sites 2\n", told)
        self.assertRegex(told, r'octaplan_answers_total\{status="4xx"\} [1-9]')

    def test_health_fails_when_a_writer_does_not_come_back(self) -> None:
        database: Database = self.app.state.records.database
        with database.turn():
            self.assertEqual(self.client.get("/api/health").status_code, 200)
            database._since = (database._since or 0) - 1_000
            self.assertEqual(self.client.get("/api/health").status_code, 503)
        self.assertEqual(self.client.get("/api/ready").json(), {"status": "ok"})

    def test_a_disk_that_takes_nothing_is_said_and_reads_go_on(self) -> None:
        client = self.signed_in()
        before = client.get("/api/sites/FERN/DOCK").json()["revision"]["number"]
        with self.app.state.records.database.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA max_page_count=1")
            limit = connection.exec_driver_sql("PRAGMA page_count").scalar_one()

        def small(dbapi: Any, *_: object) -> None:
            dbapi.execute(f"PRAGMA max_page_count={limit}")

        event.listen(self.app.state.records.database.engine, "connect", small)
        event.listen(self.app.state.records.database.engine, "checkout", small)
        contact = [{"op": "add", "path": "/contact", "value": "x" * 150}]
        answers = [self.patch(client, contact, before) for _ in range(1)]
        while answers[-1].status_code == 200:
            contact[0]["value"] = f"{len(answers)} " + "y" * 150
            answers.append(self.patch(client, contact, before + len(answers)))
            self.assertLess(len(answers), 500)
        self.assertEqual(answers[-1].status_code, 507)
        self.assertIn("disk is full", answers[-1].json()["detail"])
        desk = client.get("/api/sites/FERN/DOCK").json()
        self.assertEqual(desk["revision"]["number"], before + len(answers) - 1)
        event.remove(self.app.state.records.database.engine, "connect", small)
        event.remove(self.app.state.records.database.engine, "checkout", small)
