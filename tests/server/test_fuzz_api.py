"""Whatever is sent, the answer is a sentence and the plan stays readable: never an internal error."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from octaplan.core.plan.site import SitePlan
from tests import examples
from tests.core.kit import hardware
from tests.core.propose.test_fuzz import PATHS, text
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
    examples(120),
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
        plan = self.plans.now.plan("FERN/DOCK")
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

    @given(operations)
    @QUIET
    def test_drafts(self, sent: list[dict[str, Any]]) -> None:
        before = self.plans.now.plan("FERN/DOCK")
        self.answered(self.client.post("/api/sites/FERN/DOCK/draft", content=json.dumps(sent)))
        self.assertIs(self.plans.now.plan("FERN/DOCK"), before)

    @given(
        st.fixed_dictionaries(
            {"what": st.sampled_from(["add", "split", "join", "resize", "copy", "move", "lay out", "", None])},
            optional={
                "segment": st.sampled_from(["seg0", "seg1", "none", ""]) | values,
                "other": st.sampled_from(["seg0", "seg1"]) | values,
                "role": st.sampled_from(["office", "transit"]) | values,
                "subnet": st.sampled_from(["10.40.8.0/25", "/25", "next", "::/0", "0.0.0.0/0"]) | values,
                "block": st.sampled_from(["10.40.0.0/16", "::/0", "10.40.8.0/32"]) | values,
                "hosts": st.integers(-1, 1 << 33) | values,
                "prefix": st.integers(-1, 40) | values,
                "by": st.integers(-600, 600) | values,
                "needs": st.lists(
                    st.fixed_dictionaries(
                        {"label": text, "role": st.just("office")},
                        optional={"hosts": st.integers(0, 500), "segment": st.sampled_from(["seg0", "none"])},
                    ),
                    max_size=3,
                )
                | values,
            },
        )
    )
    @QUIET
    def test_wishes(self, wish: dict[str, Any]) -> None:
        self.answered(self.client.post("/api/sites/FERN/DOCK/propose", content=json.dumps(wish)))

    @given(text, st.lists(st.fixed_dictionaries({"path": st.sampled_from(PATHS) | text, "text": text}), max_size=3))
    @QUIET
    def test_letters_and_columns(self, letter: str, entries: list[dict[str, str]]) -> None:
        base = "/api/sites/FERN/DOCK"
        self.answered(self.client.post(f"{base}/letter", content=json.dumps({"circuit": "circ0", "text": letter})))
        self.answered(self.client.post(f"{base}/column", content=json.dumps(entries)))

    @given(text, text, st.integers(0, 40))
    @QUIET
    def test_windows_rooms_and_comparisons(self, one: str, other: str, number: int) -> None:
        self.answered(self.client.get("/api/space", params={"window": one, "customer": other}))
        self.answered(self.client.get("/api/space/public", params={"customer": one}))
        self.answered(
            self.client.get(
                "/api/space/room", params={"prefix": number, "customer": "FERN", "near": one, "site": other}
            )
        )
        self.answered(self.client.get("/api/compare", params={"one": one, "other": f"FERN/DOCK@{number}"}))
        self.answered(self.client.get("/api/findings/list", params={"rule": one, "customer": other}))

    @given(st.sampled_from(["undo", "redo", "revisions/1/again", "revisions/9/again"]), text)
    @QUIET
    def test_steps(self, step: str, revision: str) -> None:
        header = revision.encode("ascii", "replace").decode().replace("\n", " ").replace("\r", " ").strip() or "1"
        self.answered(self.client.post(f"/api/sites/FERN/DOCK/{step}", headers={"If-Match": header}))
        self.plans.course(self.plans.now.of("FERN/DOCK"))
