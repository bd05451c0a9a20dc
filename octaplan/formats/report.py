"""What `octaplan check` prints: findings, refused rows and corrections, as JSON or as text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict
from itertools import groupby
from typing import Any

from octaplan.core.check.findings import Finding, Severity
from octaplan.core.config.departures import ReadBack
from octaplan.core.plan.site import SitePlan
from octaplan.formats.taken import Intake, RefusedRow


def as_json(plans: Sequence[SitePlan], findings: Sequence[Finding], intake: Intake) -> dict[str, Any]:
    """The report in the form of docs/formats.md."""
    return {
        **_sizes(plans),
        "findings": [
            {
                "rule": finding.rule,
                "severity": finding.severity.value,
                "customer": finding.customer,
                "site": finding.site,
                "subject": finding.subject,
                "addresses": finding.addresses,
                "message": finding.message,
                "others": [asdict(other) for other in finding.others],
                "others_total": finding.others_total,
            }
            for finding in findings
        ],
        "refused": refusals(intake.refused),
        "corrected": [correction._asdict() for correction in intake.corrected],
        "ignored_columns": [ignored._asdict() for ignored in intake.ignored_columns],
    }


def refusals(rows: Sequence[RefusedRow]) -> list[dict[str, Any]]:
    """One entry per cell that could not be read."""
    return [
        {"file": row.file, "row": row.row, "column": fault.column, "value": fault.value, "problem": fault.problem}
        for row in rows
        for fault in row.faults
    ]


def _sizes(plans: Sequence[SitePlan]) -> dict[str, int]:
    return {
        "sites": len(plans),
        "segments": sum(len(plan.segments) for plan in plans),
        "hosts": sum(len(plan.hosts) for plan in plans),
        "circuits": sum(len(plan.circuits) for plan in plans),
    }


def as_text(plans: Sequence[SitePlan], findings: Sequence[Finding], intake: Intake) -> Iterator[str]:
    """The same as lines for people."""
    for (customer, site), group in groupby(findings, key=lambda finding: (finding.customer, finding.site)):
        yield f"{customer}/{site}"
        for finding in group:
            yield f"  {finding.severity:<4}  {finding.message}  [{finding.rule}]"
    for row in intake.refused:
        for fault in row.faults:
            where = f"{row.file} row {row.row}" + (f", {fault.column}" if fault.column else "")
            yield f"refused    {where}: {fault.problem}"
    for correction in intake.corrected:
        where = f"{correction.file} row {correction.row}, {correction.column}"
        yield f"corrected  {where}: {correction.value} was taken as {correction.became}"
    for ignored in intake.ignored_columns:
        yield f"ignored    {ignored.file}: column {ignored.column!r} is not known"
    sizes = ", ".join(_counted(number, noun) for noun, number in _sizes(plans).items())
    counts = [sum(finding.severity is severity for finding in findings) for severity in Severity]
    yield f"{sizes}: " + ", ".join(
        [
            *(_counted(number, f"{severity}s") for number, severity in zip(counts, Severity, strict=True)),
            _counted(len(intake.refused), "rows") + " refused",
        ]
    )


def _counted(number: int, nouns: str) -> str:
    return f"{number:,} {nouns[:-1] if number == 1 else nouns}"


def of_read_back(back: ReadBack) -> Iterator[str]:
    """What a box printed, held against its plan, a line for each departure."""
    yield f"{len(back.as_planned)} values as planned, {back.departures} departures, {back.unread} lines not understood"
    for other in back.differs:
        yield f"other       line {other.line}: {other.what} {other.seen}, planned {other.planned}: {other.why}"
    for one in back.missing:
        yield f"missing     {one.what} {one.value} ({one.path})"
    for more in back.unplanned:
        yield f"not planned line {more.line}: {more.kind} {more.value}: {more.why}"
