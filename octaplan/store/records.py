"""Everything that is kept in a data folder, put together."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from octaplan.core.plan.site import PATTERNS
from octaplan.store.accounts import Accounts
from octaplan.store.answers import Answers
from octaplan.store.batches import Batches
from octaplan.store.bench import BenchRecords
from octaplan.store.database import Database
from octaplan.store.hardware import Hardware, load_types
from octaplan.store.imports import Imports
from octaplan.store.journal import Journal
from octaplan.store.models import Name
from octaplan.store.onsite import OnSite
from octaplan.store.organisation import Settings, load_settings
from octaplan.store.patterns import Patterns
from octaplan.store.plans import Plans
from octaplan.store.rebuild import rebuild
from octaplan.store.register import Register
from octaplan.store.rehearsals import Rehearsals
from octaplan.store.revisions import load_sites
from octaplan.store.rollouts import Rollouts
from octaplan.store.runhistory import RunHistory
from octaplan.store.safe import Safe, load_secrets
from octaplan.store.snapshot import Snapshot
from octaplan.store.staging import load_runs
from octaplan.store.vault import Vault


class Records:
    """The records of an open database. Readers take `now`, and take it once for whatever belongs together."""

    def __init__(self, database: Database) -> None:
        self.database = database
        with database.turn() as turn:
            turn.now = load_snapshot(turn.session)
            wordless = len(turn.now.sites) > 0 and turn.session.scalar(select(Name.id).limit(1)) is None
        if wordless:  # tables of an older release were brought up
            rebuild(database)
        self.vault = Vault(database)
        self.journal = Journal(database)
        self.accounts = Accounts(database, self.vault)
        self.hardware = Hardware(database)
        self.settings = Settings(database)
        self.safe = Safe(database, self.vault)
        self.plans = Plans(database, self.safe)
        self.patterns = Patterns(database)
        self.register = Register(database, self.plans, self.settings)
        self.batches = Batches(database, self.plans)
        self.rollouts = Rollouts(database, self.plans, self.patterns)
        self.answers = Answers(database, self.plans)
        self.imports = Imports(database, self.plans, self.batches, self.safe)
        self.bench = BenchRecords(database, self.plans, self.safe)
        self.runhistory = RunHistory(database)
        self.onsite = OnSite(database)
        self.rehearsals = Rehearsals(database)

    @property
    def now(self) -> Snapshot:
        """Everything as it is saved at this moment; it never changes under a reader."""
        now = self.database.now
        if now.stale:
            with self.database.turn() as turn:
                if turn.now.stale:
                    turn.now = turn.now.caught_up()
            now = self.database.now
        return now

    def plans_of(self, customer: str) -> Plans:
        """The plans of a customer's code: those of `PATTERNS` are the patterns."""
        return self.patterns.plans if customer == PATTERNS else self.plans


def load_snapshot(session: Session) -> Snapshot:
    """Everything that is kept in a database, checked."""
    types, settings, secrets, runs = (
        load_types(session), load_settings(session), load_secrets(session), load_runs(session)
    )  # fmt: skip
    sites = load_sites(
        session,
        patterns=False,
        organisation=settings.current,
        hardware=types.types,
        facts=secrets.facts,
        shipped=runs.shipped.__contains__,
    )
    patterns = load_sites(session, patterns=True, organisation=settings.current)
    return Snapshot(sites, patterns, types, settings, secrets, runs)
