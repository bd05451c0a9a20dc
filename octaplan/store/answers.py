"""Answers that came back for many sites: held against what is known, then taken in one change with one undo."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from octaplan.core.plan.patch import applied
from octaplan.core.plan.questions import Whom, standing
from octaplan.core.plan.site import SitePlan, site_key
from octaplan.core.propose.answering import AnswerError, Contradiction, GivenAnswer, question_of, take
from octaplan.core.propose.asking import Came, ListedQuestions, lists
from octaplan.store.database import Database
from octaplan.store.models import Batch
from octaplan.store.plans import Plans
from octaplan.store.refusals import BadChange, Contradicted
from octaplan.store.snapshot import Sites


class Matched(NamedTuple):
    """An answer beside what the plan says: `against` is the confirmed answer that it contradicts."""

    came: Came
    name: str
    circuit: str
    short: str
    before: str
    against: Contradiction | None
    problem: str


class Answers:
    """Open questions and answers across all sites."""

    def __init__(self, database: Database, plans: Plans) -> None:
        self._database = database
        self._plans = plans

    def open(self, whom: Whom | None = None, who: str = "", customer: str = "") -> list[ListedQuestions]:
        """What is open, by whom to ask."""
        now = self._database.now

        def held(site: str, path: str) -> bool:
            return path in now.secrets.kept(site)

        return lists(now.sites.all().values(), now.sites.customers(), held, whom, who, customer)

    def match(self, came: Sequence[Came], by: str) -> list[Matched]:
        """Answers beside what the plans say, each read after those of its site before it; nothing is saved."""
        drafts: dict[str, SitePlan] = {}
        now = self._plans.now
        return [self._matched(now, one, by, drafts) for one in came]

    @staticmethod
    def _matched(now: Sites, came: Came, by: str, drafts: dict[str, SitePlan]) -> Matched:
        if came.problem:
            return Matched(came, "", "", "", "", None, came.problem)
        plan = now.plan(site_key(came.customer, came.site))
        draft = drafts.get(plan.key, plan)
        name = plan.name or plan.site
        try:
            question, circuit = question_of(plan, came.key)
            before = next((one.value for one in standing(plan) if one.key == came.key), "")
            line = plan.circuits[circuit].label if circuit else ""
            given = [GivenAnswer(came.key, came.text)]
            taken = take(draft, given, by, datetime.now(UTC), portfolio=now.portfolio)
        except AnswerError as error:
            return Matched(came, name, "", "", "", None, str(error))
        against = next((one for one in taken.contradictions if one.key == came.key), None)
        if against is None:
            drafts[plan.key] = applied(draft, taken.operations)
        return Matched(came, name, line, question.short, before, against, "")

    def take(
        self, came: Sequence[Came], by: str, source: str, *, confirmed: bool = False, overwrite: bool = False
    ) -> tuple[str, int]:
        """Take answers at all their sites, in one transaction; returns the change's id and how many sites it changed.

        Raises `AnswerError`, `BadChange`, and `Contradicted` unless `overwrite`.
        """
        by_site: dict[str, list[GivenAnswer]] = {}
        for one in came:
            by_site.setdefault(site_key(one.customer, one.site), []).append(GivenAnswer(one.key, one.text, one.text))
        with self._database.turn() as turn:
            sites = turn.now.sites
            at = datetime.now(UTC)
            changed, revisions = [], {}
            for key, given in by_site.items():
                plan = sites.plan(key)
                taken = take(plan, given, by, at, source=source, confirmed=confirmed, portfolio=sites.portfolio)
                if taken.contradictions and not overwrite:
                    raise Contradicted(taken.contradictions)
                after = applied(plan, taken.operations)
                if after != plan:
                    changed.append(after)
                    revisions[plan.key] = sites.saved(key).number
            if not changed:
                raise BadChange("The plans say all of this already: nothing was changed")
            many = len(changed)
            told = f"Answers of {source or by} taken at {many} site{'' if many == 1 else 's'}"
            batch = Batch(id=secrets.token_hex(8), at=at, by=by, sentence=told)
            batch_id = batch.id
            self._plans.save_batch(changed, revisions, batch)
        return batch_id, many
