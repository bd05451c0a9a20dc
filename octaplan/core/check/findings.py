"""Findings, and what the rules are that make them.

A rule is one function: it looks at a `View` and yields a `Hit` per subject. Its id, severity and subject
stand in its decorator, its title and prose in its docstring.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.check.view import Subject, View
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.stages import Stage, stage_of

OTHERS_LISTED = 20


class Severity(StrEnum):
    """`stop` cannot be cleared, `warn` is fixed or accepted with a reason, `note` is worth knowing."""

    STOP = "stop"
    WARN = "warn"
    NOTE = "note"

    @property
    def rank(self) -> int:
        return ("stop", "warn", "note").index(self)


class Trait(StrEnum):
    """What is special about the findings of a rule, for those who count and group them."""

    OWED = "owed"  # by the provider
    UNFILLED = "unfilled"  # nothing is wrong, something is only still to be filled
    COLLIDES = "collides"  # the very addresses it names are used twice, or cannot be used
    REAL = "real"  # about addresses that are real, which a pattern's are not


class Hit(NamedTuple):
    """What a rule yields: a finding before its rule is written on it. `severity` is said where it is not the rule's."""

    subject: Subject
    message: str
    others: tuple[Other, ...] = ()
    others_total: int = 0
    severity: Severity | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing wrong or doubtful, about one subject. `others` holds at most 20 of `others_total`.

    `path` is the subject's place in the plan, `field` the value under it that one would mend; `owner` names what the
    subject belongs to: a box, for a secret of it.
    """

    rule: str
    severity: Severity
    customer: str
    site: str
    subject: str
    addresses: str
    message: str
    path: str
    field: str
    others: tuple[Other, ...] = ()
    others_total: int = 0
    traits: frozenset[Trait] = frozenset()
    owner: str = ""

    @property
    def stage(self) -> Stage:
        """The stage whose page shows what the finding is about."""
        return stage_of(self.path, self.field)

    @property
    def identity(self) -> str:
        """What tells a finding of a site from its others."""
        return f"{self.rule} {self.path} {self.field} {self.addresses}"


@dataclass(frozen=True, slots=True)
class Rule:
    """One entry of the rule book."""

    id: str
    severity: Severity
    subject: str
    field: str
    title: str
    prose: str
    check: Callable[[View], Iterator[Hit]] = dataclasses.field(repr=False)
    traits: frozenset[Trait] = frozenset()

    def findings(self, view: View) -> Iterator[Finding]:
        for subject, message, others, total, severity in self.check(view):
            yield Finding(
                self.id,
                severity or self.severity,
                subject.customer,
                subject.site,
                subject.name,
                subject.addresses,
                message,
                subject.path,
                _field(self.field, subject),
                others,
                total,
                self.traits,
                subject.owner or subject.name,
            )


def _field(field: str, subject: Subject) -> str:
    if field == "address" and subject.path.startswith("/segments/"):
        field = "gateway"
    return f"{field}6" if subject.second and field in ("subnet", "gateway", "address", "prefix") else field


def rule(
    rule_id: str, severity: Severity, subject: str, field: str, *traits: Trait
) -> Callable[[Callable[[View], Iterator[Hit]]], Rule]:
    """Make a rule of a function: its docstring is a title line, a blank line, and prose.

    `field` is the value of the subject that one would mend.
    """

    def enter(check: Callable[[View], Iterator[Hit]]) -> Rule:
        title, _, prose = (check.__doc__ or "").partition("\n\n")
        if not prose.strip():
            raise ValueError(f"rule {rule_id!r} lacks its prose")
        title, prose = title.strip().rstrip("."), " ".join(prose.split())
        return Rule(rule_id, severity, subject, field, title, prose, check, frozenset(traits))

    return enter
