"""JSON Patches (RFC 6902) as people send them: what they may touch."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from octaplan.core.plan.patch import Operation, PatchError, changed, touches
from octaplan.core.plan.site import SitePlan
from octaplan.store.refusals import BadChange

_CLOSED = ("/schema", "/customer", "/site", "/accepted", "/answers")


def permitted(operations: Sequence[Operation]) -> None:
    """Refuse operations that a person may not make. Raises `BadChange`."""
    for operation in operations:
        if operation.get("op") not in ("add", "replace", "remove"):
            raise BadChange("Only add, replace and remove are permitted in a patch")
        if any(touches(closed, operation.get("path", "")) for closed in _CLOSED) or not operation.get("path"):
            raise BadChange(f"{operation.get('path') or 'The whole plan'} cannot be changed this way")


def patched(document: dict[str, Any], operations: Sequence[Operation]) -> SitePlan:
    """The plan of a document with a change made, in place. Raises `BadChange`."""
    try:
        return changed(document, operations)
    except PatchError as error:
        raise BadChange(str(error)) from None
