"""All customers and sites of this Octaplan, held so that a plan is checked against the rest at once."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from octaplan.core.check.claims import Claims
from octaplan.core.check.findings import Finding
from octaplan.core.check.holdings import SORTS, Holdings
from octaplan.core.check.rules import RULES, in_order
from octaplan.core.check.view import View
from octaplan.core.plan.site import SitePlan

#: Sorts of claims that collide with those of another sort.
ACROSS = (("lines", "routed"), ("routed", "lines"), ("addresses", "further"), ("further", "addresses"))


class Portfolio(Holdings):
    """All sites, and what the rule book finds at them.

    What is only tried out is tried on a fork:

        trial = portfolio.fork()
        trial.put(plan)
        trial.check(plan)
    """

    def view(self, plan: SitePlan) -> View:
        """One plan, saved or not, as rules look at it, against every other site."""
        number = self.number(plan)
        held = self._claims.get(number) if self.plans.get(number) is plan else None
        return View(self, {number: plan}, held or Claims.of(plan, number, self.labels))

    def check(self, plan: SitePlan) -> list[Finding]:
        """The findings of one plan, saved or not, against every other site."""
        return self._run(self.view(plan))

    def check_many(self, plans: Sequence[SitePlan]) -> list[Finding]:
        """The findings of many plans that are held, against each other and every other site, in one go."""
        return self._run(self._view_of(plans))

    def _view_of(self, plans: Sequence[SitePlan]) -> View:
        numbered = {self.number(plan): plan for plan in plans}
        numbered = {number: numbered[number] for number in sorted(numbered)}  # claims stand in the order of sites
        return View(self, numbered, self.claims(numbered))

    def check_all(self) -> list[Finding]:
        """The findings of every site."""
        return self._run(View(self, self.plans, self.claims(), whole=True))

    def touched_by(self, plans: Sequence[SitePlan], sorts: Collection[str] | None = None) -> set[str]:
        """The other sites, as keys, whose findings may depend on plans that are held, or on what they claim of some
        sorts."""
        view = self._view_of(plans)
        sites: set[int] = set()
        for sort, asking in (*((sort, sort) for sort in SORTS), *ACROSS):
            if sorts is not None and asking not in sorts:
                continue
            met = view.against(sort, asking)
            for query in np.flatnonzero(met.total).tolist():
                sites.update(site for site, _, _ in met.members(query))
        return {self.plans[site].key for site in sites}

    def _run(self, view: View) -> list[Finding]:
        return in_order(finding for rule in RULES.values() for finding in rule.findings(view))
