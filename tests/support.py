"""What tests share: plans in few words, and a folder that goes away."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from octaplan.core.check.findings import Finding
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import SitePlan
from octaplan.store.database import Database


def segment(label: str = "Office", subnet: str | None = "10.40.8.0/24", **more: Any) -> dict[str, Any]:
    """A segment with the first usable address as gateway, unless said otherwise."""
    if subnet and "gateway" not in more:
        head, _, tail = subnet.partition("/")[0].rpartition(".")
        more["gateway"] = f"{head}.{int(tail or 0) + 1}" if head else f"{subnet.partition('/')[0]}1"
    return {"label": label, "subnet": subnet, **more}


def circuit(label: str = "Main", address: str | None = "203.0.113.18", **more: Any) -> dict[str, Any]:
    """A static circuit with nothing wrong about it, unless said otherwise."""
    usual = {"handoff": "static", "prefix": 29, "gateway": "203.0.113.17", "resolvers": ["192.0.2.53", "192.0.2.54"]}
    return {"label": label, "address": address, **usual, **more}


def site(
    key: str = "FERN/DOCK",
    segments: list[dict[str, Any]] | None = None,
    hosts: list[tuple[str, str, str | None] | dict[str, Any]] | None = None,
    circuits: list[dict[str, Any]] | None = None,
    **more: Any,
) -> SitePlan:
    """A plan. Segments get the ids `seg0`, `seg1`, …; a host is (segment label, name, address) or a dict."""
    customer, code = key.split("/")
    ids = {s["label"]: f"seg{number}" for number, s in enumerate(segments or [])}
    described = []
    for host in hosts or []:
        if isinstance(host, tuple):
            host = dict(zip(("segment", "name", "address"), host, strict=True))
        described.append(host | {"segment": ids[host["segment"]]})
    return SitePlan.model_validate(
        {
            "schema": "octaplan.site-plan/2",
            "customer": customer,
            "site": code,
            "segments": {ids[s["label"]]: s for s in segments or []},
            "hosts": {f"host{number}": host for number, host in enumerate(described)},
            "circuits": {f"circ{number}": c for number, c in enumerate(circuits or [])},
            "time_zone": "Europe/Dublin",
            **more,
        }
    )


def found(*plans: SitePlan, rule: str | None = None) -> list[Finding]:
    """The findings of all plans together, or those of one rule."""
    return [f for f in Portfolio(plans).check_all() if rule is None or f.rule == rule]


class InFolder(unittest.TestCase):
    """A test with a folder of its own."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    root = Path(__file__).parents[1]

    def write(self, name: str, text: str | bytes) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path


@contextmanager
def writing(database: Database) -> Iterator[Session]:
    """The session of a writer's turn."""
    with database.turn() as turn:
        yield turn.session
