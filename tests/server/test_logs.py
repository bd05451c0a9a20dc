from __future__ import annotations

import io
import json
from datetime import UTC, datetime, timedelta
from typing import Any

import structlog

from octaplan.server.app import configure_logs
from octaplan.server.pages.operation import Clockwork
from octaplan.store.backups import Schedule
from tests.server.test_api import PASSWORD, WithServer
from tests.store.test_plans import put


class Logs(WithServer):
    def setUp(self) -> None:
        super().setUp()
        before = structlog.get_config()
        self.addCleanup(lambda: structlog.configure(**before))
        self.stream = io.StringIO()
        configure_logs()
        structlog.configure(logger_factory=structlog.PrintLoggerFactory(self.stream))

    def lines(self) -> list[dict[str, Any]]:
        return [json.loads(line) for line in self.stream.getvalue().splitlines()]

    def test_a_line_per_request_and_nothing_that_is_secret(self) -> None:
        client = self.signed_in()
        token = client.cookies.get("octaplan-session-80") or "-"
        self.patch(client, put("/contact", "Ada Privately"), 1)
        client.get("/api/goto", params={"q": "somebody"})
        said = self.stream.getvalue()
        for secret in (PASSWORD, token, "Ada Privately", "somebody"):
            self.assertNotIn(secret, said)
        self.assertEqual(
            [(line["method"], line["path"], line["status"]) for line in self.lines()],
            [
                ("POST", "/api/session", 200),
                ("PATCH", "/api/sites/FERN/DOCK/plan", 200),
                ("GET", "/api/goto", 200),
            ],
        )

    def test_an_unexpected_error_is_logged_and_answered_without_its_inside(self) -> None:
        client = self.signed_in()
        self.app.state.records = None
        answer = client.get("/api/outbound")
        self.assertEqual(answer.status_code, 500)
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertNotIn("NoneType", answer.text)
        self.assertIn("AttributeError", [line.get("error") for line in self.lines()])

    def test_the_log_is_told_how_far_the_journal_has_come(self) -> None:
        clockwork = Clockwork(self.records, Schedule(self.folder / "backups", timedelta(0)))
        begun = datetime(2026, 11, 25, 8, tzinfo=UTC)
        heads = [str(self.records.journal.head())]
        for minutes in (0, 1, 59, 61, 240):
            if minutes == 59:
                self.signed_in()
            clockwork.look(begun + timedelta(minutes=minutes))
        heads.append(str(self.records.journal.head()))
        self.assertEqual([line["head"] for line in self.lines() if line["event"] == "journal"], heads)
        self.assertNotEqual(*heads)
