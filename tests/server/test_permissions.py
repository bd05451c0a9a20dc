"""Every route asks for one permission, and every role is let through to what the table gives it and nothing else."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any
from unittest.mock import patch

import pyotp
from fastapi.routing import APIRoute

from octaplan.server.permissions import PERMISSIONS, Allowed, May
from octaplan.store.models import AccountRole
from tests.server.test_api import OPEN, PASSWORD, WithServer

SIGN_IN = {
    "ines": AccountRole.ADMINISTRATOR,
    "pia": AccountRole.PLANNER,
    "marek": AccountRole.TECHNICIAN,
    "vera": AccountRole.VIEWER,
}
FREE = OPEN | {"/api/session"}
VALUES = {
    "customer": "FERN", "site": "NONE", "import_id": "0" * 16, "table": "hosts", "device": "aaaa", "step": "x",
    "backup": "1", "revision": "1", "publication": "none00", "sheet": "labels", "acceptance": "x", "key": "none-such", "name": "nobody", "number": "1",
    "batch": "none", "session_id": "0" * 16, "kind": "ods", "box": "none",
}  # fmt: skip


def routes(app: Any) -> Iterator[tuple[str, str, list[set[May]]]]:
    """Method, path with values filled in, and of which permissions one is asked for, each time it is asked."""
    every = [r for r in app.routes if isinstance(r, APIRoute)]
    every += [r for sub in app.routes for r in getattr(sub, "routes", []) if isinstance(r, APIRoute)]
    every += [
        r for sub in app.routes for r in getattr(getattr(sub, "original_router", None), "routes", [])
        if isinstance(r, APIRoute)
    ]  # fmt: skip
    for route in every:
        if route.path.startswith("/api"):
            asked = [d.call.any_of for d in route.dependant.dependencies if isinstance(d.call, Allowed)]
            for method in route.methods:
                path = route.path.format(**VALUES)
                yield method, f"{path}?at={'x' * 91}" if path == "/api/events" else path, asked  # a stream has no end


class EveryRoute(WithServer):
    def test_each_asks_for_exactly_one_permission(self) -> None:
        found = list(routes(self.app))
        described = {(m.upper(), p) for p, methods in self.app.openapi()["paths"].items() for m in methods}
        operations = [o["operationId"] for methods in self.app.openapi()["paths"].values() for o in methods.values()]
        self.assertEqual([name for name, times in Counter(operations).items() if times > 1], [])
        self.assertGreaterEqual(len({(m, p) for m, p, _ in found}), len(described))
        for method, path, asked in found:
            if path not in FREE:
                self.assertEqual(len(asked), 1, (method, path))

    def test_each_role_is_let_through_to_what_the_table_gives_it(self) -> None:
        bodies: dict[str, Any] = {"json": {}, "headers": {"If-Match": "1"}}
        refused = 0
        for name, role in SIGN_IN.items():
            client = self.signed_in(name)
            for method, path, asked in routes(self.app):
                if path in FREE or path.startswith("/api/session") or path == "/api/safe/key":
                    continue
                answer = client.request(method, path, **bodies)
                if asked[0] & PERMISSIONS[role]:
                    self.assertNotIn(answer.status_code, (401, 403), (role, method, path, answer.text))
                else:
                    self.assertEqual(answer.status_code, 403, (role, method, path))
                    self.assertIn("may not", answer.json()["detail"])
                    refused += 1
        self.assertGreater(refused, 40)


class Later(datetime):
    """A clock that is two hours ahead."""

    @classmethod
    def now(cls, tz: tzinfo | None = None) -> datetime:  # type: ignore[override]
        return datetime.now(tz) + timedelta(hours=2)


class Accounts(WithServer):
    def test_an_administrator_makes_and_changes_accounts_and_the_journal_tells_it(self) -> None:
        client = self.signed_in()
        fresh = {"name": "sam", "full_name": "Sam", "password": "walnut mist 12", "role": "technician"}
        self.assertEqual(client.post("/api/accounts", json=fresh).status_code, 204)
        self.assertEqual(client.post("/api/accounts", json=fresh).status_code, 422)
        sam = self.visitor()
        sign_in = {"name": "sam", "password": "walnut mist 12"}
        self.assertEqual(sam.post("/api/session", json=sign_in).json()["role"], "technician")
        self.assertEqual(client.put("/api/accounts/sam", json={"role": "viewer"}).status_code, 204)
        self.assertEqual(sam.get("/api/session").status_code, 401)
        self.assertEqual(sam.post("/api/session", json=sign_in).json()["role"], "viewer")
        self.assertIn("sam: role viewer", client.get("/api/journal").text)

    def test_nobody_takes_their_own_administration_away(self) -> None:
        answer = self.signed_in().put("/api/accounts/ines", json={"role": "viewer"})
        self.assertIn("ask another administrator", answer.json()["detail"])

    def test_a_temporary_account_ends(self) -> None:
        accounts = self.records.accounts
        yesterday = (datetime.now(UTC) - timedelta(days=2)).date().isoformat()
        client = self.signed_in()
        past = {"name": "tom", "password": "walnut mist 12", "role": "viewer", "last_day": yesterday}
        self.assertIn("end before it begins", client.post("/api/accounts", json=past).json()["detail"])
        accounts.add("tom", "Tom", "walnut mist 12", AccountRole.VIEWER, ends=datetime.now(UTC) + timedelta(hours=1))
        token = accounts.sign_in("tom", "walnut mist 12")
        self.assertIsNotNone(accounts.person(token))
        with patch("octaplan.store.accounts.datetime", Later):
            self.assertIsNone(accounts.person(token))
            self.assertIsNone(accounts.sign_in("tom", "walnut mist 12"))

    def test_ones_own_password_changes_with_the_old_one_and_other_sessions_end(self) -> None:
        here, there = self.signed_in("marek"), self.signed_in("marek")
        wrong = {"old": "wrong", "new": "walnut mist 12"}
        self.assertIn("password does not fit", here.post("/api/session/password", json=wrong).json()["detail"])
        self.assertEqual(here.post("/api/session/password", json=wrong | {"old": PASSWORD}).status_code, 204)
        self.assertEqual((here.get("/api/session").status_code, there.get("/api/session").status_code), (200, 401))

    def test_a_second_factor_is_asked_for_once_it_is_confirmed(self) -> None:
        client = self.signed_in("marek")
        proof = {"password": PASSWORD}
        self.assertEqual(client.post("/api/session/second-factor", json={"password": "x"}).status_code, 422)
        begun = client.post("/api/session/second-factor", json=proof).json()
        self.assertTrue(begun["picture"].startswith("data:image/svg+xml"))
        totp = pyotp.parse_uri(begun["address"])
        there = self.signed_in("marek")
        self.assertEqual(client.put("/api/session/second-factor", json={"code": "000000"}).status_code, 422)
        self.assertEqual(client.put("/api/session/second-factor", json={"code": "٠٠٠٠٠٠"}).status_code, 422)
        now = int(datetime.now(UTC).timestamp())
        confirmed = client.put("/api/session/second-factor", json={"code": totp.at(now)})
        self.assertEqual(len(confirmed.json()["codes"]), 10)
        self.assertEqual(there.get("/api/session").status_code, 401)
        sign_in = {"name": "marek", "password": PASSWORD}
        asked = self.visitor().post("/api/session", json=sign_in)
        self.assertEqual((asked.status_code, asked.json()["second_factor"]), (401, True))
        used = self.visitor().post("/api/session", json=sign_in | {"code": totp.at(now)})
        self.assertEqual(used.status_code, 401)
        fresh = self.visitor().post("/api/session", json=sign_in | {"code": totp.at(now + 30)})
        self.assertEqual(fresh.status_code, 200)
        self.assertTrue(client.get("/api/session").json()["second_factor"])
        self.assertNotIn(begun["address"].split("secret=")[1][:16], client.get("/api/journal").text)
        recovery = confirmed.json()["codes"]
        for code, status in ((recovery[0], 200), (recovery[0], 401), (recovery[1].upper(), 200)):
            answer = self.visitor().post("/api/session", json=sign_in | {"code": code})
            self.assertEqual(answer.status_code, status, code)
        self.assertEqual(client.post("/api/session/second-factor", json=proof).status_code, 422)
        for wrong in ({"code": recovery[2]}, {"password": PASSWORD}, {"password": "x" * 12, "code": recovery[2]}):
            self.assertEqual(client.post("/api/session/second-factor/off", json=wrong).status_code, 422)
        off = client.post("/api/session/second-factor/off", json=proof | {"code": recovery[2]})
        self.assertEqual(off.status_code, 204)

    def test_an_administrator_can_take_a_lost_second_factor_away(self) -> None:
        client = self.signed_in("marek")
        totp = pyotp.parse_uri(client.post("/api/session/second-factor", json={"password": PASSWORD}).json()["address"])
        client.put("/api/session/second-factor", json={"code": totp.now()})
        change = {"role": "technician", "drop_second_factor": True}
        self.assertEqual(self.signed_in().put("/api/accounts/marek", json=change).status_code, 204)
        self.signed_in("marek")

    def test_ones_sessions_are_listed_and_can_be_ended(self) -> None:
        here, there = self.signed_in("marek"), self.signed_in("marek")
        listed = here.get("/api/session/all").json()
        self.assertEqual(sorted(one["own"] for one in listed), [False, True])
        other = next(one["id"] for one in listed if not one["own"])
        self.assertEqual(self.signed_in("vera").delete(f"/api/session/all/{other}").status_code, 422)
        self.assertEqual(here.delete(f"/api/session/all/{other}").status_code, 204)
        self.assertEqual((here.get("/api/session").status_code, there.get("/api/session").status_code), (200, 401))

    def test_a_removed_account_is_gone_and_its_name_is_nobody_elses(self) -> None:
        there, client = self.signed_in("marek"), self.signed_in()
        self.assertEqual(client.delete("/api/accounts/ines").status_code, 422)
        self.assertEqual(client.delete("/api/accounts/marek").status_code, 204)
        self.assertEqual(there.get("/api/session").status_code, 401)
        self.assertNotIn("marek", [account["name"] for account in client.get("/api/accounts").json()])
        again = {"name": "marek", "password": PASSWORD, "role": "viewer"}
        self.assertIn("There has been", client.post("/api/accounts", json=again).json()["detail"])
        self.assertIn("marek removed", client.get("/api/journal").text)

    def test_a_second_factor_can_be_demanded_of_administrators(self) -> None:
        client = self.signed_in()
        self.records.accounts.add("olga", "Olga", PASSWORD, AccountRole.ADMINISTRATOR)
        self.assertEqual(client.put("/api/accounts/demand", json={"second_factor": True}).status_code, 422)
        proof = {"password": PASSWORD}
        totp = pyotp.parse_uri(client.post("/api/session/second-factor", json=proof).json()["address"])
        client.put("/api/session/second-factor", json={"code": totp.now()})
        self.assertEqual(client.put("/api/accounts/demand", json={"second_factor": True}).status_code, 200)
        olga = self.signed_in("olga")
        self.assertEqual(olga.get("/api/accounts").status_code, 403)
        self.assertIn("second factor", olga.get("/api/session").json()["held_back"])
        totp = pyotp.parse_uri(olga.post("/api/session/second-factor", json=proof).json()["address"])
        olga.put("/api/session/second-factor", json={"code": totp.now()})
        self.assertEqual(olga.get("/api/accounts").status_code, 200)

    def test_own_password_and_second_factor_are_not_reset_by_oneself(self) -> None:
        change = {"role": "administrator", "password": "another one 77"}
        self.assertEqual(self.signed_in().put("/api/accounts/ines", json=change).status_code, 422)
