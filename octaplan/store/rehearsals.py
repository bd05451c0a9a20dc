"""Rehearsals of sites, kept as evidence of what was planned when they were made."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from octaplan.store.database import Database, Turn
from octaplan.store.models import RehearsalRow, Site
from octaplan.store.refusals import NotClear
from octaplan.store.snapshot import Held

#: So many characters of a result are kept.
MOST_KEPT = 1 << 20


@dataclass(frozen=True, slots=True)
class RehearsalKept:
    """A rehearsal: of which revision, by whom, whether network, walk and intent agreed, and its result."""

    revision: int
    digest: str
    at: datetime
    by: str
    agrees: bool
    result: Mapping[str, Any]


class Rehearsals:
    """The rehearsals of a database. Every method may be called from any thread."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def keep(self, held: Held, result: Mapping[str, Any], by: str) -> None:
        """Keep what came of a rehearsal of a site as `held` had it."""
        agrees = not any(result[one] for one in ("against_walk_count", "otherwise_count", "leases_wrong"))
        text = json.dumps(result)
        if len(text) > MOST_KEPT:
            text = json.dumps({**result, "cells": []})
        with self._database.turn() as turn:
            turn.session.add(
                RehearsalRow(
                    site_id=held.id,
                    revision=held.saved.number,
                    digest=held.digest,
                    at=datetime.now(UTC),
                    by=by,
                    agrees=agrees,
                    result=text,
                )
            )

    def newest(self, key: str) -> RehearsalKept | None:
        """The newest rehearsal of a site."""
        with self._database.reading() as session:
            return _newest(session, key)


def must_be_rehearsed(turn: Turn, held: Held) -> None:
    """Raise `NotClear` unless the newest rehearsal of a site was of what is decided now, and the network did as the
    walk says; what is not meant is found on the plan, and accepted there or not."""
    kept = _newest(turn.session, held.plan.key)
    if kept is None:
        raise NotClear("The site was never rehearsed: rehearse it on Traffic, then sign")
    if kept.digest != held.digest:
        raise NotClear(f"The site was rehearsed at revision {kept.revision}, and has changed since: rehearse it again")
    if kept.result["against_walk_count"]:
        raise NotClear(
            "In the rehearsal of this revision the network did other than the walk says: look at it on Traffic"
        )


def _newest(session: Session, key: str) -> RehearsalKept | None:
    query = select(RehearsalRow).join(Site).where(Site.key == key.casefold()).order_by(RehearsalRow.id.desc()).limit(1)
    row = session.scalar(query)
    if row is None:
        return None
    return RehearsalKept(row.revision, row.digest, row.at, row.by, row.agrees, json.loads(row.result))
