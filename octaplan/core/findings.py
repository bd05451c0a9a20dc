"""Findings, and the registry of the rules that make them.

A rule is one function: it looks at a `View` and yields a `Hit` per subject. Its id, severity and subject
stand in its decorator, its title and prose in its docstring, and `RULES` holds them all in the order of the
rule book.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from octaplan.core.portfolio import View

OTHERS_LISTED = 20


class Severity(StrEnum):
    """`stop` cannot be cleared, `warn` is fixed or accepted with a reason, `note` is worth knowing."""

    STOP = "stop"
    WARN = "warn"
    NOTE = "note"

    @property
    def rank(self) -> int:
        return ("stop", "warn", "note").index(self)


class Subject(NamedTuple):
    """What a finding is about. `path` is its place in the plan, as a JSON pointer (RFC 6901); `second` says that
    it is about the IPv6 side of something that has an IPv4 side as well."""

    customer: str
    site: str
    name: str
    path: str
    addresses: str
    second: bool = False


class Other(NamedTuple):
    """Something else that has part in a finding."""

    customer: str
    site: str
    subject: str


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

    `path` is the subject's place in the plan, `field` the value under it that one would mend.
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
            )


def _field(field: str, subject: Subject) -> str:
    if field == "address" and subject.path.startswith("/segments/"):
        field = "gateway"
    return f"{field}6" if subject.second and field in ("subnet", "gateway", "address", "prefix") else field


RULES: dict[str, Rule] = {}


def rule(
    rule_id: str, severity: Severity, subject: str, field: str
) -> Callable[[Callable[[View], Iterator[Hit]]], Callable[[View], Iterator[Hit]]]:
    """Enter a function in the rule book: its docstring is a title line, a blank line, and prose.

    `field` is the value of the subject that one would mend.
    """

    def enter(check: Callable[[View], Iterator[Hit]]) -> Callable[[View], Iterator[Hit]]:
        title, _, prose = (check.__doc__ or "").partition("\n\n")
        if rule_id in RULES or not prose.strip():
            raise ValueError(f"rule {rule_id!r} is entered twice, or lacks its prose")
        words = " ".join(prose.split())
        RULES[rule_id] = Rule(rule_id, severity, subject, field, title.strip().rstrip("."), words, check)
        return check

    return enter


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Findings as people read them: by site, worst first, then as the rule book goes."""
    place = {rule_id: number for number, rule_id in enumerate(RULES)}
    return sorted(
        findings,
        key=lambda f: (f.customer, f.site, f.severity.rank, place[f.rule], f.subject, f.path, f.addresses),
    )
