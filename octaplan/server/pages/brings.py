"""What a change of settings or of a type would bring, told before it is saved."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from itertools import islice

from pydantic import BaseModel

from octaplan.core.check.findings import Finding, Severity
from octaplan.store.brought import Brought

#: So many of the sites are told by name at which something would come or end.
SITES_TOLD = 12


class SiteFindings(BaseModel):
    """What changes in the findings of one site: how many, and the gravest of them."""

    site: str
    findings: int
    severity: Severity
    message: str


class FindingsChange(BaseModel):
    """Findings that would come, or end: how many of each severity, at how many sites, and the first of these."""

    counts: dict[Severity, int]
    sites: int
    first: list[SiteFindings]


class ChangeBrings(BaseModel):
    """What a change that is not saved would bring: findings, and the sites whose clearance would be void."""

    come: FindingsChange
    end: FindingsChange
    voided: int
    first_voided: list[str]


def brings(brought: Brought) -> ChangeBrings:
    """What would be otherwise, as it is told."""
    first = [key.upper() for key in brought.voided[:SITES_TOLD]]
    return ChangeBrings(
        come=_changes(brought.come), end=_changes(brought.end), voided=len(brought.voided), first_voided=first
    )


def _changes(by_site: Mapping[str, list[Finding]]) -> FindingsChange:
    found = [finding for findings in by_site.values() for finding in findings]
    counted = Counter(finding.severity for finding in found)
    first = [
        SiteFindings(site=f"{f[0].customer}/{f[0].site}", findings=len(f), severity=f[0].severity, message=f[0].message)
        for f in islice(by_site.values(), SITES_TOLD)
    ]
    return FindingsChange(counts={s: counted[s] for s in Severity if counted[s]}, sites=len(by_site), first=first)
