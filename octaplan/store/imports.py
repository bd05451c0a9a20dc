"""Loading intake tables into the portfolio: first a preview, then all of it or nothing.

ImportGone            there is no such import, or it has been applied already
ImportMoved           the plans have changed since the preview: look again
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import delete, select

from octaplan.core.changes import Change, changes
from octaplan.core.plan import SitePlan
from octaplan.errors import OctaplanError
from octaplan.formats.intake import Fault, Intake, RefusedRow
from octaplan.formats.sources import load_files
from octaplan.formats.tables import csv_text
from octaplan.store.database import Database
from octaplan.store.models import Import, ImportFile
from octaplan.store.models import RefusedRow as KeptRow
from octaplan.store.plans import Plans
from octaplan.store.safe import Safe


class ImportGone(OctaplanError):
    """There is no such import, or it has been applied already."""


class ImportMoved(OctaplanError):
    """The plans have changed since the preview."""


@dataclass(frozen=True, slots=True)
class SiteChange:
    """What loading would do to one site."""

    plan: SitePlan
    new: bool
    changes: list[Change]
    secrets: int = 0


@dataclass(frozen=True, slots=True)
class Preview:
    """What loading tables would do."""

    id: str
    sites: list[SiteChange]
    intake: Intake
    fingerprint: str


class Imports:
    """The imports of a database."""

    def __init__(self, database: Database, plans: Plans, safe: Safe) -> None:
        self._database = database
        self._plans = plans
        self._safe = safe

    def preview(self, files: Sequence[tuple[str, bytes]], by: str) -> Preview:
        """Read files and say what loading them would do; the files and what was refused are kept."""
        import_id = secrets.token_hex(8)
        preview = self._work_out(import_id, files)
        with self._database.session() as session:
            stale = select(Import.id).where(Import.applied_at.is_(None), Import.by == by)
            session.execute(delete(ImportFile).where(ImportFile.import_id.in_(stale)))
            session.add(Import(id=import_id, at=datetime.now(UTC), by=by, fingerprint=preview.fingerprint))
            session.flush()
            for name, data in files:
                content = self._safe.vault.seal(data, f"import {import_id} {name}")
                session.add(ImportFile(import_id=import_id, name=name, content=content))
            session.add_all(_kept(import_id, row) for row in preview.intake.refused)
        return preview

    def apply(self, import_id: str, by: str) -> int:
        """Load what was previewed, all of it or nothing; returns how many sites changed."""
        with self._database.session() as session:
            record = session.get(Import, import_id)
            stored = session.scalars(
                select(ImportFile).where(ImportFile.import_id == import_id).order_by(ImportFile.id)
            ).all()
            files = [(f.name, self._safe.vault.open(f.content, f"import {import_id} {f.name}")) for f in stored]
        if record is None or record.applied_at is not None or not files:
            raise ImportGone("This import has been applied or replaced already: drop the files again")
        preview = self._work_out(import_id, files)
        if preview.fingerprint != record.fingerprint:
            raise ImportMoved("The plans have changed since the preview: drop the files again and look once more")
        plans = [site.plan for site in preview.sites]
        saved = self._plans.save_all(plans, by, "Loaded from tables", secrets=preview.intake.secrets)
        with self._database.session() as session:
            session.merge(
                Import(
                    id=import_id,
                    at=record.at,
                    by=record.by,
                    fingerprint=record.fingerprint,
                    applied_at=datetime.now(UTC),
                )
            )
            session.execute(delete(ImportFile).where(ImportFile.import_id == import_id))
        return saved

    def refused_table(self, import_id: str, table: str) -> str:
        """The refused rows of one table as CSV of the same shape, to mend and load again."""
        with self._database.session() as session:
            query = select(KeptRow).where(KeptRow.import_id == import_id, KeptRow.table == table)
            rows = session.scalars(query.order_by(KeptRow.id)).all()
        if not rows:
            raise ImportGone(f"No rows of {table} were refused in this import")
        return csv_text(json.loads(rows[0].header), [json.loads(row.cells) for row in rows])

    def _work_out(self, import_id: str, files: Sequence[tuple[str, bytes]]) -> Preview:
        existing = self._plans.all()
        intake = load_files(files, existing)
        sites = []
        digest = hashlib.sha256()
        for key, plan in sorted(intake.plans.items()):
            before = existing.get(key)
            given = {
                path: secret
                for (site, path), secret in intake.secrets.items()
                if site == key and not self._safe.holds(site, path, secret)
            }
            sites.append(SiteChange(plan, before is None, changes(before, plan) if before else [], len(given)))
            digest.update(json.dumps([before and before.document(), plan.document()]).encode())
            digest.update(repr(sorted((p, self._safe.vault.fingerprint(s)) for p, s in given.items())).encode())
        return Preview(import_id, sites, intake, digest.hexdigest())


def _kept(import_id: str, row: RefusedRow) -> KeptRow:
    return KeptRow(
        import_id=import_id,
        table=row.table,
        file=row.file,
        row=row.row,
        header=json.dumps(row.header),
        cells=json.dumps(row.cells),
        faults=json.dumps([Fault._asdict(fault) for fault in row.faults]),
    )


def refused_tables(rows: Sequence[RefusedRow]) -> dict[str, str]:
    """Refused rows as CSV text by table, each in the shape of the table that it came from."""
    tables: dict[str, list[RefusedRow]] = {}
    for row in rows:
        tables.setdefault(row.table, []).append(row)
    return {name: csv_text(refused[0].header, [row.cells for row in refused]) for name, refused in tables.items()}
