"""Site plans as JSON files (schema `octaplan.site-plan/2`; `/1` is read and brought up)."""

from __future__ import annotations

import json
from pathlib import Path

from pydantic import ValidationError

from octaplan.core.plan.site import OLDER_SCHEMAS, PLAN_SCHEMA, SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.faults import first_fault

MAX_BYTES = 32 << 20


class PlanError(RefusedError):
    """A file or document that cannot be read as a site plan."""


def read_plan(path: Path) -> SitePlan:
    """Read one site plan from a file. Raises `PlanError`."""
    if path.stat().st_size > MAX_BYTES:
        raise PlanError(f"{path.name} is larger than {MAX_BYTES >> 20} MB: no site plan is")
    return parse_plan(path.read_bytes(), path.name)


def parse_plan(content: bytes, label: str) -> SitePlan:
    """Read one site plan from the bytes of a file. Raises `PlanError`."""
    try:
        document = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise PlanError(f"{label} is not JSON ({error})") from None
    if not isinstance(document, dict) or document.get("schema") not in (PLAN_SCHEMA, *OLDER_SCHEMAS):
        raise PlanError(f'{label} is not a site plan: it lacks "schema": "{PLAN_SCHEMA}"')
    return plan_of(document, label)


def plan_of(document: object, label: str) -> SitePlan:
    """A plan from plain JSON values. Raises `PlanError` with the place and the reason of the first fault."""
    try:
        return SitePlan.model_validate(document)
    except ValidationError as error:
        raise PlanError(f"{label}: {first_fault(error)}") from None


def write_plan(plan: SitePlan) -> str:
    """A plan as JSON text, the same for the same plan."""
    return json.dumps(plan.document(), indent=2, ensure_ascii=False) + "\n"
