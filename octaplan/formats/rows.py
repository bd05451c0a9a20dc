"""Site plans as the rows of intake tables, so that they read back as they are."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from octaplan.core.plan.site import SitePlan
from octaplan.formats.columns import COLUMNS
from octaplan.formats.tables import NAMES


def table_rows(plans: Iterable[SitePlan]) -> dict[str, list[list[str]]]:
    """Plans as the rows of the four tables, in the columns of `COLUMNS`."""
    rows: dict[str, list[list[str]]] = {name: [] for name in NAMES}
    for plan in plans:
        named = {"customer": plan.customer, "site": plan.site}
        rows["sites"].append(_cells("sites", plan, named))
        for circuit in plan.circuits.values():
            rows["circuits"].append(_cells("circuits", circuit, named | {"circuit": circuit.label}))
        for segment in plan.segments.values():
            rows["segments"].append(_cells("segments", segment, named | {"segment": segment.label}))
        for host in plan.hosts.values():
            label = plan.segments[host.segment].label
            rows["hosts"].append(_cells("hosts", host, named | {"segment": label, "name": host.name}))
    return rows


def _cells(table: str, member: Any, named: Mapping[str, str]) -> list[str]:
    return [
        named[name] if name in named else column.field.write(column.field.value_in(member)) if column.field else ""
        for name, column in COLUMNS[table].items()
    ]
