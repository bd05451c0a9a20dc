"""Many sites made from a pattern at once: shown first, saved in one transaction, taken back by one undo.

RolloutError          what is asked for cannot be made; nothing was saved
"""

from __future__ import annotations

import io
import secrets
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from octaplan.core.check.findings import Finding
from octaplan.core.plan.site import PatternUse, SitePlan, site_key
from octaplan.core.propose.rollout import MadeSite, roll_out, site_layout
from octaplan.core.propose.room import RoomError
from octaplan.core.values.addresses import Network
from octaplan.core.values.errors import RefusedError
from octaplan.formats.intake import read_intake
from octaplan.formats.tables import TableError, column_key, read_csv
from octaplan.formats.taken import Intake, RefusedRow, row_key
from octaplan.store.database import Database
from octaplan.store.models import Batch
from octaplan.store.patterns import Patterns
from octaplan.store.plans import Plans
from octaplan.store.snapshot import Sites

#: The most that a pasted table may hold, in characters.
LONGEST = 1_000_000


class RolloutError(RefusedError):
    """What is asked for cannot be made; nothing was saved."""


class Wanted(NamedTuple):
    """What a rollout is to make: from which version of a pattern, where, and which sites.

    `codes` are sites that are there already and have no segments yet; `table` names further ones, as CSV with a header.
    """

    pattern: str
    version: int
    customer: str
    blocks: Sequence[Network]
    reserved: Sequence[Network] = ()
    growth: int = 0
    codes: Sequence[str] = ()
    table: str = ""


class RolledOut(NamedTuple):
    """What a rollout makes: the sites with their runs, what would be found, and the rows of the table not taken."""

    made: list[MadeSite]
    new: set[str]
    findings: list[Finding]
    refused: Sequence[RefusedRow]
    prefix: int


class Rollouts:
    """Sites made from patterns, over the plans and patterns of a database."""

    def __init__(self, database: Database, plans: Plans, patterns: Patterns) -> None:
        self._database = database
        self._plans = plans
        self._patterns = patterns

    def preview(self, wanted: Wanted) -> RolledOut:
        """What a rollout would make, with everything that would be found; nothing is saved. Raises `RolloutError`."""
        return self._rolled_out(self._plans.now, wanted)

    def _rolled_out(self, now: Sites, wanted: Wanted) -> RolledOut:
        pattern = self._patterns.version(wanted.pattern, wanted.version)
        use = PatternUse(key=wanted.pattern, version=wanted.version)
        trial = now.portfolio.fork()
        sites, refused = self._sites(now, wanted)
        try:
            prefix = site_layout(pattern, wanted.growth).prefix
            made = roll_out(trial, pattern, use, sites, wanted.blocks, wanted.reserved, wanted.growth)
        except RoomError as error:
            raise RolloutError(str(error)) from None
        for one in made:
            trial.put(one.plan)
        findings = trial.check_many([one.plan for one in made])
        new = {one.plan.key for one in made if now.get(one.plan.key) is None}
        return RolledOut(made, new, findings, refused, prefix)

    def apply(self, wanted: Wanted, runs: dict[str, str], by: str) -> tuple[str, int]:
        """Make what `preview` showed; `runs` are those it showed, by site code. Returns the change's id and how many
        sites were saved. Raises `RolloutError` when something else would come out now."""
        with self._database.turn() as turn:
            rolled = self._rolled_out(turn.now.sites, wanted)
            if {one.plan.site: str(one.run) for one in rolled.made} != runs:
                raise RolloutError("The plans have changed since: look at what would be made now, then make it")
            name = self._patterns.draft(wanted.pattern).name or wanted.pattern
            many = len(rolled.made)
            told = f"{many} site{'' if many == 1 else 's'} of {wanted.customer} made from {name}"
            batch = Batch(id=secrets.token_hex(8), at=datetime.now(UTC), by=by, sentence=told)
            batch_id = batch.id
            reason = f"Made from {name}, version {wanted.version}"
            saved = self._plans.save_all([one.plan for one in rolled.made], by, reason, batch=batch)
        return batch_id, saved

    def _sites(self, now: Sites, wanted: Wanted) -> tuple[list[SitePlan], Sequence[RefusedRow]]:
        plans = now.all()
        chosen: dict[str, SitePlan] = {}
        for code in wanted.codes:
            key = site_key(wanted.customer, code)
            if key not in plans:
                raise RolloutError(f"There is no site {wanted.customer}/{code}: look at the list again")
            chosen[key] = plans[key]
        intake = self._table(wanted, plans, now.closed) if wanted.table.strip() else Intake()
        chosen |= intake.plans
        for plan in chosen.values():
            if plan.segments:
                raise RolloutError(
                    f"{plan.customer}/{plan.site} has segments already: leave it out here, and compare it with the "
                    "pattern on its own desk"
                )
        if not chosen:
            first = intake.refused[0].faults[0].problem if intake.refused else "choose some, or paste a table of them"
            raise RolloutError(f"There are no sites to make: {first}")
        return list(chosen.values()), intake.refused

    def _table(self, wanted: Wanted, plans: dict[str, SitePlan], closed: dict[str, str]) -> Intake:
        """The sites of a pasted table, which may leave the customer out."""
        if len(wanted.table) > LONGEST:
            raise RolloutError(f"The table is {len(wanted.table):,} characters long: at most {LONGEST:,} are read")
        lines = wanted.table.strip().replace("\t", ";").splitlines()
        delimiter = ";" if lines[0].count(";") >= lines[0].count(",") and ";" in lines[0] else ","
        if not any(column_key(name.strip('" ')) == "customer" for name in lines[0].split(delimiter)):
            quoted = '"' + wanted.customer.replace('"', '""') + '"'
            lines = [f"customer{delimiter}{lines[0]}", *(f"{quoted}{delimiter}{line}" for line in lines[1:])]
        try:
            table = read_csv(io.BytesIO("\n".join(lines).encode()), "sites", "the table")
            intake = read_intake([table], plans, closed=closed)
        except TableError as error:
            raise RolloutError(str(error)) from None
        for row in intake.refused:
            key = site_key(*row_key("sites", row.header, row.cells)[1:])
            if key not in plans:
                intake.plans.pop(key, None)
        strangers = [p for p in intake.plans.values() if p.customer.casefold() != wanted.customer.casefold()]
        if strangers:
            raise RolloutError(f"{strangers[0].customer}/{strangers[0].site} is another customer's: take its row out")
        return intake
