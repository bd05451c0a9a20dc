"""Loading intake tables into the portfolio: first a preview, then what was chosen of it, all of it or nothing, with one
undo. Rows that were refused stay in the inbox until they are mended or dismissed.

ImportGone            there is no such import, or it has been applied already
ImportMoved           the plans have changed since the preview: look again
"""

from __future__ import annotations

import io
import json
import secrets
from collections import OrderedDict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import islice
from typing import Any, NamedTuple

from sqlalchemy import delete, insert, select, update

from octaplan.core.plan.changes import Change, changes
from octaplan.core.plan.questions import State, standing
from octaplan.core.plan.site import SitePlan, site_key
from octaplan.core.values.errors import RefusedError
from octaplan.formats.compact import RowsAmong
from octaplan.formats.intake import read_intake
from octaplan.formats.sources import Unpack, load_files
from octaplan.formats.tables import NAMES, csv_text, read_csv
from octaplan.formats.taken import CellFault, Intake, RefusedRow, key_text
from octaplan.store.author import account_of
from octaplan.store.batches import Batches
from octaplan.store.database import Database
from octaplan.store.models import Batch, Import, ImportFile, InboxRow
from octaplan.store.parts import in_parts
from octaplan.store.plans import Plans
from octaplan.store.safe import Safe
from octaplan.store.snapshot import Sites

#: How many previews are kept in memory, the newest; the files of others are read again when they are applied.
PREVIEWS = 1

#: How many refused rows are written or deleted in one turn.
ROWS_A_TURN = 1_000

#: Told, now and then, how many bytes have been read, or how many sites been written, since the last time.
Progress = Callable[[int], None]


class ImportGone(RefusedError):
    """There is no such import, or it has been applied already."""


class ImportMoved(RefusedError):
    """The plans have changed since the preview."""


@dataclass(frozen=True, slots=True)
class SiteChange:
    """What loading would do to one site, and what about it somebody should look at first."""

    plan: SitePlan
    new: bool
    changes: list[Change]
    secrets: int = 0
    doubts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Preview:
    """What loading tables would do. `bases` are the revisions of the sites that it was worked out on."""

    id: str
    sites: list[SiteChange]
    intake: Intake
    bases: dict[str, int]


class Loaded(NamedTuple):
    """What came of an import: how many sites were saved, and the change that one undo takes back."""

    sites: int
    batch: str | None


class Waiting(NamedTuple):
    """A refused row in the inbox."""

    id: int
    at: datetime
    by: str
    table: str
    file: str
    row: int
    header: list[str]
    cells: list[str]
    faults: list[CellFault]


class MendedRow(NamedTuple):
    """What came of a row that was mended: what it changed, or why it is still refused."""

    changes: list[str]
    faults: list[CellFault]
    batch: str | None


class Imports:
    """The imports of a database."""

    def __init__(self, database: Database, plans: Plans, batches: Batches, safe: Safe) -> None:
        self._database = database
        self._plans = plans
        self._batches = batches
        self._safe = safe
        self._previews: OrderedDict[str, Preview] = OrderedDict()
        #: How workbooks are read, where it is done in another way than here.
        self.unpack: Unpack | None = None

    def preview(
        self, files: Sequence[tuple[str, bytes]], by: str, progress: Progress | None = None, import_id: str = ""
    ) -> Preview:
        """Read files and say what loading them would do; the files and what was refused are kept."""
        import_id = import_id or secrets.token_hex(8)
        preview = self._work_out(import_id, files, progress)
        account = account_of(by)
        with self._database.reading() as session:
            mine = (Import.applied_at.is_(None), Import.by == by, Import.account == account)
            stale = session.scalars(select(Import.id).where(*mine)).all()
        for old in stale:
            self._let_go(old)
        bases = json.dumps(preview.bases, sort_keys=True)
        with self._database.turn() as turn:
            turn.session.add(Import(id=import_id, at=datetime.now(UTC), by=by, account=account, bases=bases))
            turn.session.flush()
            for name, data in files:
                content = self._safe.vault.seal(data, f"import {import_id} {name}")
                turn.session.add(ImportFile(import_id=import_id, name=name, content=content))
        try:
            self._keep_refused(import_id, preview.intake, progress)
        except BaseException:
            self.discard(import_id)
            raise
        self._previews[import_id] = preview
        while len(self._previews) > PREVIEWS:
            self._previews.popitem(last=False)
        return preview

    def apply(self, import_id: str, by: str, without: Collection[str] = (), progress: Progress | None = None) -> Loaded:
        """Load what was previewed, but for the sites `without` (keys): all of it, or nothing.

        It is written in short turns, so that its sites come one after another and others work on; when one cannot be
        written, or `progress` raises something, those that have come are taken back; a note on the error names those
        that others have changed and that stay. Raises `ImportGone`, `ImportMoved`.
        """
        bases, preview = self._previewed(import_id)
        left = {key.casefold() for key in without}
        sites = [site for site in preview.sites if site.plan.key not in left]
        secrets_of: dict[str, dict[tuple[str, str], str]] = {}
        for place, secret in preview.intake.secrets.items():
            secrets_of.setdefault(place[0], {})[place] = secret
        batch = self._open(import_id, sites, {key: number for key, number in bases.items() if key not in left}, by)
        saved = 0
        try:
            for part in in_parts([site.plan for site in sites]):
                given = {place: secret for plan in part for place, secret in secrets_of.get(plan.key, {}).items()}
                with self._database.turn() as turn:
                    _unmoved(turn.now.sites, {plan.key: bases[plan.key] for plan in part})
                    told = "Loaded from tables"
                    saved += self._plans.save_all(part, by, told, secrets=given, batch=batch, progress=progress)
        except BaseException as error:
            if batch is None:  # only secrets came, and those that have come may stay
                with self._database.turn() as turn:
                    turn.session.execute(update(Import).where(Import.id == import_id).values(applied_at=None))
            stay = self._batches.take_back(batch.id, by).moved if batch is not None else []
            if stay:
                error.add_note(_stays(stay))
            raise
        with self._database.turn() as turn:
            turn.session.execute(delete(ImportFile).where(ImportFile.import_id == import_id))
            if batch is not None:
                turn.session.execute(update(Batch).where(Batch.id == batch.id).values(open=False))
        self._settle([key for key in preview.intake.taken if site_key(*key[1:3]) not in left], import_id, by)
        self._previews.pop(import_id, None)
        return Loaded(saved, batch.id if batch else None)

    def _open(self, import_id: str, sites: Sequence[SiteChange], bases: Mapping[str, int], by: str) -> Batch | None:
        """Begin to load an import; the change that it is, unless it changes no plan."""
        told = f"{len(sites)} site{'' if len(sites) == 1 else 's'} from tables"
        changing = any(site.new or site.changes for site in sites)
        batch = Batch(id=secrets.token_hex(8), at=datetime.now(UTC), by=by, sentence=told, undone=False, open=True)
        with self._database.turn() as turn:
            session = turn.session
            if session.scalar(select(Import.applied_at).where(Import.id == import_id)) is not None:
                raise ImportGone("This import has been applied already: look at its sites")
            _unmoved(turn.now.sites, bases)
            if changing:
                session.add(batch)
                session.flush()
            applied = {"applied_at": datetime.now(UTC), "batch": batch.id if changing else None}
            session.execute(update(Import).where(Import.id == import_id).values(applied))
        return batch if changing else None

    def _keep_refused(self, import_id: str, intake: Intake, progress: Progress | None) -> None:
        """Keep the refused rows, in short turns, so that others get theirs in between."""
        rows = iter(intake.refused)
        while some := [_kept(import_id, row) for row in islice(rows, ROWS_A_TURN)]:
            if progress is not None:
                progress(0)
            with self._database.turn() as turn:
                turn.session.connection().execute(insert(InboxRow), some)

    def discard(self, import_id: str) -> None:
        """Let a preview go that is not wanted."""
        self._previews.pop(import_id, None)
        self._let_go(import_id)

    def _let_go(self, import_id: str) -> None:
        """Delete an import that has not been applied, in short turns."""
        gone = False
        while not gone:
            with self._database.turn() as turn:
                record = turn.session.get(Import, import_id)
                if record is None or record.applied_at is not None:
                    return
                some = select(InboxRow.id).where(InboxRow.import_id == import_id).limit(ROWS_A_TURN)
                ids = turn.session.scalars(some).all()
                turn.session.execute(delete(InboxRow).where(InboxRow.id.in_(ids)))
                if not ids:
                    turn.session.execute(delete(ImportFile).where(ImportFile.import_id == import_id))
                    turn.session.delete(record)
                    gone = True

    def refused_table(self, import_id: str, table: str) -> str:
        """The refused rows of one table as CSV of the same shape, to mend and load again."""
        with self._database.reading() as session:
            query = select(InboxRow).where(InboxRow.import_id == import_id, InboxRow.table == table)
            rows = session.scalars(query.order_by(InboxRow.id)).all()
        if not rows:
            raise ImportGone(f"No rows of {table} were refused in this import")
        return csv_text(json.loads(rows[0].header), [json.loads(row.cells) for row in rows])

    # --- The inbox

    def inbox(self, most: int = 2_000) -> list[Waiting]:
        """Rows that were refused and are neither mended nor dismissed, newest import first."""
        with self._database.reading() as session:
            query = select(InboxRow, Import).join(Import, Import.id == InboxRow.import_id)
            open_ = query.where(InboxRow.settled.is_(None), Import.applied_at.is_not(None))
            rows = session.execute(open_.order_by(Import.at.desc(), InboxRow.id).limit(most)).all()
        return [_waiting(row, record) for row, record in rows]

    def dismiss(self, row_id: int, by: str) -> None:
        """Let a refused row go. Raises `ImportGone`."""
        with self._database.turn() as turn:
            row = self._open_row(turn.session.get(InboxRow, row_id))
            row.settled, row.settled_by = "dismissed", by

    def mend(self, row_id: int, cells: Sequence[str], by: str) -> MendedRow:
        """Take a refused row with other cells; when it is refused again, those are kept. Raises `ImportGone`."""
        with self._database.turn() as turn:
            row = self._open_row(turn.session.get(InboxRow, row_id))
            header, table = json.loads(row.header), row.table
            text = csv_text(header, [cells])
            existing = turn.now.sites.all()
            read = [read_csv(io.BytesIO(text.encode()), table, row.file)]
            intake = read_intake(read, existing, known_only=table != "sites", closed=turn.now.sites.closed)
            if intake.refused:
                refused = intake.refused[0]
                row.cells, row.faults = json.dumps(refused.cells), _faults(refused)
                row.key = key_text(table, header, refused.cells)
                return MendedRow([], refused.faults, None)
            told = [str(change) for plan in intake.plans.values() for change in changes(existing.get(plan.key), plan)]
            sentence = f"Row {row.row} of {row.file} mended"
            batch = Batch(id=secrets.token_hex(8), at=datetime.now(UTC), by=by, sentence=sentence) if told else None
            batch_id = batch.id if batch else None
            self._plans.save_all(intake.plans.values(), by, sentence, secrets=intake.secrets, batch=batch)
            row.settled, row.settled_by = "mended", by
        return MendedRow(told, [], batch_id)

    def _open_row(self, row: InboxRow | None) -> InboxRow:
        if row is None or row.settled is not None:
            raise ImportGone("This row has been mended or dismissed already: look at the inbox again")
        return row

    def _settle(self, taken: Sequence[tuple[str, ...]], import_id: str, by: str) -> None:
        """Rows of earlier imports that this one has brought in order."""
        for part in in_parts(["\x1f".join(key)[:300] for key in taken]):
            waiting = (InboxRow.settled.is_(None), InboxRow.import_id != import_id, InboxRow.key.in_(part))
            with self._database.turn() as turn:
                turn.session.execute(update(InboxRow).where(*waiting).values(settled="mended", settled_by=by))

    # --- Working it out

    def _previewed(self, import_id: str) -> tuple[dict[str, int], Preview]:
        """An import that is not applied yet: the revisions it was shown on, and what it does."""
        with self._database.reading() as session:
            record = session.get(Import, import_id)
            stored = session.scalars(
                select(ImportFile).where(ImportFile.import_id == import_id).order_by(ImportFile.id)
            ).all()
        if record is None or record.applied_at is not None or not stored:
            raise ImportGone("This import has been applied or replaced already: drop the files again")
        preview = self._previews.get(import_id)
        if preview is None:
            files = [(f.name, self._safe.vault.open(f.content, f"import {import_id} {f.name}")) for f in stored]
            preview = self._work_out(import_id, files)
        return json.loads(record.bases), preview

    def _work_out(
        self, import_id: str, files: Sequence[tuple[str, bytes]], progress: Progress | None = None
    ) -> Preview:
        now = self._plans.now
        existing = now.all()
        watched = self._watched()
        intake = load_files(files, existing, progress, watched, now.closed, self.unpack)
        secrets_by_site: dict[str, int] = {}
        for (site, path), secret in intake.secrets.items():
            if not self._safe.holds(site, path, secret):
                secrets_by_site[site] = secrets_by_site.get(site, 0) + 1
        alike = _Alike(existing, intake.plans)
        sites = []
        for key, plan in sorted(intake.plans.items()):
            before = existing.get(key)
            differences = changes(before, plan) if before and before != plan else []
            doubts = tuple(alike.doubts(before, plan, differences))
            sites.append(SiteChange(plan, before is None, differences, secrets_by_site.get(key, 0), doubts))
        return Preview(import_id, sites, intake, _bases(now, intake.plans))

    def _watched(self) -> RowsAmong:
        """Which rows wait in the inbox."""
        waiting = select(InboxRow.key).join(Import, Import.id == InboxRow.import_id).where(InboxRow.settled.is_(None))
        with self._database.reading() as session:
            open_ = waiting.where(Import.applied_at.is_not(None)).distinct().execution_options(yield_per=5_000)
            return RowsAmong(tuple(key.split("\x1f")) for key in session.scalars(open_))


def _bases(sites: Sites, keys: Iterable[str]) -> dict[str, int]:
    """The newest revisions of sites; 0 for those that are not there."""
    found = {key: sites.get(key) for key in keys}
    return {key: held.saved.number if held is not None else 0 for key, held in found.items()}


def _unmoved(sites: Sites, bases: Mapping[str, int]) -> None:
    """Raises `ImportMoved` when one of the sites has another newest revision than it was shown with."""
    if _bases(sites, bases) != bases:
        raise ImportMoved("The plans have changed since the preview: drop the files again and look once more")


def _stays(sites: Sequence[str]) -> str:
    """What is said of sites that others have changed while they were loaded."""
    many = len(sites) > 1
    return (
        f"{', '.join(sites[:3])}{f' and {len(sites) - 3} more' if len(sites) > 3 else ''} "
        f"{'have' if many else 'has'} been changed by others meanwhile and {'stay' if many else 'stays'} as loaded"
    )


class _Alike:
    """What about a site in tables may be a mistake: a changed code, a changed name, a confirmed answer contradicted."""

    def __init__(self, existing: Mapping[str, SitePlan], loaded: Mapping[str, SitePlan]) -> None:
        self._named = {
            (plan.customer.casefold(), (plan.name or "").casefold()): plan
            for plan in existing.values()
            if plan.name and plan.key not in loaded
        }
        self._references = {
            circuit.reference.casefold(): plan
            for plan in existing.values()
            if plan.key not in loaded
            for circuit in plan.circuits.values()
            if circuit.reference
        }

    def doubts(self, before: SitePlan | None, plan: SitePlan, differences: Sequence[Change]) -> Iterator[str]:
        if before is None:
            yield from self._another_code(plan)
            return
        renamed = next((c for c in differences if c.path == "/name" and c.before and c.after), None)
        if renamed is not None:
            yield f"It is renamed: {renamed.before} is called {renamed.after} in the tables"
        if plan.answers and differences:
            departed = {one.key for one in standing(before) if one.state is State.DEPARTED}
            for one in standing(plan):
                if one.state is State.DEPARTED and one.key not in departed and one.answer is not None:
                    told = one.answer.source or one.answer.by
                    yield (
                        f"{one.question.short}: {told} confirmed {one.answer.text} on {one.answer.at:%Y-%m-%d}, the "
                        f"tables say {one.value or 'nothing'}"
                    )

    def _another_code(self, plan: SitePlan) -> Iterator[str]:
        twin = self._named.get((plan.customer.casefold(), (plan.name or "").casefold()))
        if twin is not None:
            yield f"{twin.customer}/{twin.site} has the same name and is not in the tables: has its code been changed?"
            return
        for circuit in plan.circuits.values():
            twin = self._references.get((circuit.reference or "").casefold())
            if twin is not None:
                yield (
                    f"{twin.customer}/{twin.site} has a circuit with the same reference {circuit.reference} and is not "
                    "in the tables: has its code been changed?"
                )
                return


def _kept(import_id: str, row: RefusedRow) -> dict[str, Any]:
    return {
        "import_id": import_id,
        "table": row.table,
        "file": row.file,
        "row": row.row,
        "header": json.dumps(row.header),
        "cells": json.dumps(row.cells),
        "faults": _faults(row),
        "key": key_text(row.table, row.header, row.cells),
    }


def _faults(row: RefusedRow) -> str:
    return json.dumps([fault._asdict() for fault in row.faults])


def _waiting(row: InboxRow, record: Import) -> Waiting:
    faults = [CellFault(**fault) for fault in json.loads(row.faults)]
    cells = json.loads(row.cells)
    return Waiting(row.id, record.at, record.by, row.table, row.file, row.row, json.loads(row.header), cells, faults)


def refused_tables(rows: Sequence[RefusedRow]) -> dict[str, str]:
    """Refused rows as CSV text by table, each in the shape of the table that it came from."""
    tables: dict[str, list[RefusedRow]] = {name: [] for name in NAMES}
    for row in rows:
        tables[row.table].append(row)
    return {n: csv_text(refused[0].header, [row.cells for row in refused]) for n, refused in tables.items() if refused}
