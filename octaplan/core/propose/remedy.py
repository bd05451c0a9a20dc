"""What a remedy is, and which function offers remedies for which rule."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple

from octaplan.core.check.faults import Faults
from octaplan.core.check.findings import Finding
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Circuit, Host, Segment, SitePlan
from octaplan.core.propose.room import Room
from octaplan.core.values.lazy import lazy


class Remedy(NamedTuple):
    """One change that a finding offers: what it does, in a sentence, and the change itself."""

    sentence: str
    operations: list[Operation]


@dataclass(frozen=True)
class Trouble:
    """A finding in its plan, and what a remedy may want to know."""

    portfolio: Portfolio
    plan: SitePlan
    finding: Finding

    @property
    def key(self) -> str:
        return self.finding.path.split("/")[2]

    @property
    def base(self) -> str:
        return "/".join(self.finding.path.split("/")[:3])

    @property
    def segment(self) -> Segment:
        return self.plan.segments[self.key]

    @property
    def host(self) -> Host:
        return self.plan.hosts[self.key]

    @property
    def circuit(self) -> Circuit:
        return self.plan.circuits[self.key]

    @property
    def second(self) -> bool:
        """Whether it is about the IPv6 side of something that has an IPv4 side as well."""
        return self.finding.field.endswith("6")

    @lazy
    def room(self) -> Room:
        return Room(self.portfolio, self.plan)

    @lazy
    def faults(self) -> Faults:
        """What is wrong with the traffic of the plan."""
        return Faults(self.plan, self.portfolio.organisation)

    def set(self, field: str, value: Any) -> Operation:
        return set_to(f"{self.base}/{field}", value)


Proposing = Callable[[Trouble], Iterator[Remedy]]

PROPOSING: dict[str, Proposing] = {}


def remedy_for(*rules: str) -> Callable[[Proposing], Proposing]:
    """Enter a function as the one that offers remedies for some rules."""

    def enter(propose: Proposing) -> Proposing:
        PROPOSING.update(dict.fromkeys(rules, propose))
        return propose

    return enter
