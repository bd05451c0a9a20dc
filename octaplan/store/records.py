"""Everything that is kept in a data folder, put together."""

from __future__ import annotations

from octaplan.store.accounts import Accounts
from octaplan.store.answers import Answers
from octaplan.store.batches import Batches
from octaplan.store.bench import Bench
from octaplan.store.database import Database
from octaplan.store.hardware import Hardware
from octaplan.store.imports import Imports
from octaplan.store.journal import Journal
from octaplan.store.organisation import Settings
from octaplan.store.patterns import Patterns
from octaplan.store.plans import Plans
from octaplan.store.rollouts import Rollouts
from octaplan.store.safe import Safe
from octaplan.store.vault import Vault


class Records:
    """The records of an open database."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.vault = Vault(database)
        self.journal = Journal(database)
        self.accounts = Accounts(database, self.vault)
        self.hardware = Hardware(database)
        self.settings = Settings(database)
        self.safe = Safe(database, self.vault)
        self.plans = Plans(database, self.hardware, self.safe, self.settings)
        self.patterns = Patterns(database, self.settings)
        self.batches = Batches(database, self.plans)
        self.rollouts = Rollouts(self.plans, self.patterns)
        self.answers = Answers(self.plans, self.safe)
        self.imports = Imports(database, self.plans, self.safe)
        self.bench = Bench(database, self.plans, self.hardware, self.safe)
