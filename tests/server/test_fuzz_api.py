"""Whatever is sent, the answer is a sentence and the plan stays readable: never an internal error."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from octaplan.core.plan import SitePlan
from tests.core.kit import hardware
from tests.core.test_fuzz import PATHS, text
from tests.server.test_api import WithServer

scalars = st.one_of(st.none(), st.booleans(), st.integers(-5, 2**40), st.floats(allow_nan=False), text)
values = st.recursive(
    scalars, lambda v: st.one_of(st.lists(v, max_size=3), st.dictionaries(text, v, max_size=3)), max_leaves=5
)
operations = st.lists(
    st.fixed_dictionaries(
        {
            "op": st.sampled_from(["add", "replace", "remove", "copy", ""]),
            "path": st.one_of(st.sampled_from(PATHS), text),
        },
        optional={"value": values, "extra": values},
    ),
    max_size=4,
)
QUIET = settings(
    max_examples=120,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.differing_executors],
)


class AnyRequest(WithServer):
    def setUp(self) -> None:
        super().setUp()
        self.client = self.signed_in()

    def answered(self, answer: Any) -> None:
        self.assertLess(answer.status_code, 500, answer.text[:300])
        if answer.status_code >= 400:
            self.assertTrue(answer.json()["detail"])

    @given(operations, st.one_of(st.integers(-1, 9).map(str), st.sampled_from(["", "*", 'W/"1"', "1e9"])))
    @QUIET
    def test_patches(self, sent: list[dict[str, Any]], revision: str) -> None:
        answer = self.client.patch(
            "/api/sites/FERN/DOCK/plan", content=json.dumps(sent), headers={"If-Match": revision}
        )
        self.answered(answer)
        plan = self.plans.plan("FERN/DOCK")
        self.assertEqual(SitePlan.model_validate(plan.document()), plan)

    @given(
        st.sampled_from(
            [
                "session",
                "setup",
                "sites/FERN/DOCK/understand",
                "sites/FERN/DOCK/acceptances",
                "sites/FERN/DOCK/clearance",
                "sites/FERN/DOCK/devices",
                "sites/FERN/DOCK/shipment",
                "sites/FERN/DOCK/credentials/make",
                "sites/FERN/DOCK/credentials/typed",
                "sites/FERN/DOCK/credentials/opinion",
                "sites/FERN/DOCK/credentials/read",
                "sites/FERN/DOCK/bench/edge/judge",
                "sites/FERN/DOCK/handover/credentials.pdf",
                "safe/missing",
                "accounts",
                "session/second-factor/off",
            ]
        ),
        st.one_of(
            values,
            st.dictionaries(
                st.sampled_from(
                    [
                        "name",
                        "password",
                        "path",
                        "text",
                        "rule",
                        "reason",
                        "revision",
                        "addresses",
                        "role",
                        "type",
                        "why",
                        "secret",
                        "kind",
                        "expect",
                        "sites",
                        "code",
                        "carrier",
                        "last_day",
                    ]
                ),
                values,
            ),
        ),
    )
    @QUIET
    def test_bodies(self, path: str, body: Any) -> None:
        self.answered(self.client.post(f"/api/{path}", content=json.dumps(body)))

    @given(
        st.sampled_from(["log-in", "unpack", "prove", "circuit-circ0", "none"]),
        st.dictionaries(st.sampled_from(["result", "seen", "note", "measured"]), values),
    )
    @QUIET
    def test_ticks(self, step: str, body: Any) -> None:
        self.answered(self.client.put(f"/api/sites/FERN/DOCK/bench/edge/steps/{step}", content=json.dumps(body)))

    @given(st.sampled_from([*hardware().document()]), values, st.integers(-1, 3).map(str))
    @QUIET
    def test_hardware_types(self, member: str, value: Any, version: str) -> None:
        document = hardware().document() | {member: value}
        self.answered(
            self.client.put("/api/hardware/test-five", content=json.dumps(document), headers={"If-Match": version})
        )
        self.assertIn("test-five", self.records.hardware.types)

    @given(text, text)
    @QUIET
    def test_searches_and_tables(self, typed: str, cell: str) -> None:
        self.answered(self.client.get("/api/goto", params={"q": typed}))
        table = f"customer,site,segment,subnet\nF,{json.dumps(typed)},{cell},{typed}\n".encode(errors="replace")
        self.answered(self.client.post("/api/imports", files={"files": ("segments.csv", table)}))
