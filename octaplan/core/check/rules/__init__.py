"""The rule book: one module per table. `RULES` holds them all, by id, in the order of the book."""

from __future__ import annotations

from collections.abc import Iterable
from types import ModuleType

from octaplan.core.check.findings import Finding, Rule
from octaplan.core.check.rules import (
    addressing,
    answers,
    cabling,
    credentials,
    devices,
    dhcp,
    management,
    names,
    overlaps,
    publications,
    segments,
    traffic,
)
from octaplan.core.values.words import as_counted


def book_of(*tables: ModuleType) -> dict[str, Rule]:
    """The rules of modules by id, in their order. Raises `ValueError` when two have one id."""
    book: dict[str, Rule] = {}
    for table in tables:
        for rule in vars(table).values():
            if isinstance(rule, Rule) and book.setdefault(rule.id, rule) is not rule:
                raise ValueError(f"rule {rule.id!r} is entered twice")
    return book


RULES = book_of(
    overlaps,
    addressing,
    dhcp,
    names,
    answers,
    devices,
    management,
    traffic,
    publications,
    segments,
    cabling,
    credentials,
)

_PLACES = {rule_id: place for place, rule_id in enumerate(RULES)}


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Findings as people read them: by site, worst first, then as the rule book goes."""
    return sorted(
        findings,
        key=lambda f: (
            f.customer,
            f.site,
            f.severity.rank,
            _PLACES[f.rule],
            as_counted(f.subject),
            f.path,
            f.addresses,
        ),
    )
