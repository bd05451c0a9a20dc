"""How much a browser has to fetch before Outbound is there."""

from __future__ import annotations

import gzip
import re
import unittest
from pathlib import Path

from octaplan.server.app import SITE
from tests.server.test_api import WithServer

ASSETS = SITE / "assets"

#: In bytes, packed by gzip (RFC 1952): what a slow line still brings within a moment.
MOST = 220_000


class FirstLoad(unittest.TestCase):
    def test_outbound_comes_with_little(self) -> None:
        page = (SITE / "index.html").read_text()
        wanted = {ASSETS / name for name in re.findall(r"/assets/([^\"]+\.(?:js|css))", page)}
        wanted |= {*ASSETS.glob("OutboundPage-*.js"), *ASSETS.glob("OutboundPage-*.css")}
        self.assertGreater(len(wanted), 2)
        fetched: set[Path] = set()
        while wanted:
            part = wanted.pop()
            fetched.add(part)
            if part.suffix == ".js":
                asked = re.findall(r"(?:from|import)\s*\"\./([^\"]+\.js)\"", part.read_text())
                wanted |= {ASSETS / name for name in asked} - fetched
        size = sum(len(gzip.compress(part.read_bytes())) for part in fetched)
        self.assertLess(size, MOST, f"{len(fetched)} files")


class Delivery(WithServer):
    def test_what_is_fetched_once_comes_packed(self) -> None:
        for part in ASSETS.glob("index-*"):
            answer = self.client.get(f"/assets/{part.name}", headers={"Accept-Encoding": "gzip"})
            self.assertEqual(answer.headers["content-encoding"], "gzip")
            self.assertIn("immutable", answer.headers["cache-control"])
            self.assertEqual(answer.content, part.read_bytes())
        page = self.client.get("/outbound")
        self.assertEqual(page.headers["cache-control"], "no-cache")
