"""JSON Patches (RFC 6902) as people send them: what they may touch, and what of them meets another change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import jsonpatch
from jsonpointer import escape

from octaplan.core.plan import SitePlan
from octaplan.formats.planjson import PlanError, plan_of
from octaplan.store.refusals import BadChange

Operation = Mapping[str, Any]

_LISTS = frozenset(
    {
        "resolvers",
        "routed_blocks",
        "reach_groups",
        "excluded",
        "macs",
        "time_servers",
        "forwarders",
        "tagged",
        "networks",
        "kept",
    }
)
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
        document = jsonpatch.apply_patch(document, [dict(operation) for operation in operations], in_place=True)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException) as error:
        raise BadChange(f"The patch does not fit the plan: {error}") from None
    return readable(document)


def difference(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The JSON Patch that leads from one document of a plan to another; looks into what differs only."""
    found: list[dict[str, Any]] = []
    for name in after:
        old, new = before[name], after[name]
        if old == new:
            continue
        if not isinstance(old, dict) or not isinstance(new, dict):
            found.append({"op": "replace", "path": f"/{name}", "value": new})
            continue
        for key in {**old, **new}:
            path = f"/{name}/{escape(key)}"
            if key not in new:
                found.append({"op": "remove", "path": path})
            elif key not in old:
                found.append({"op": "add", "path": path, "value": new[key]})
            elif old[key] != new[key]:
                patch = jsonpatch.make_patch(old[key], new[key]).patch
                found += [{k: path + v if k in ("path", "from") else v for k, v in o.items()} for o in patch]
    return found


def readable(document: object) -> SitePlan:
    """A plan of plain JSON values. Raises `BadChange`."""
    try:
        return plan_of(document, "The plan")
    except PlanError as error:
        raise BadChange(str(error).removeprefix("The plan: ")) from None


def touches(outer: str, inner: str) -> bool:
    """Whether a path is another, or lies above it."""
    return inner == outer or inner.startswith(outer + "/")


def stem(path: str) -> str:
    """A path without what follows a list, since places in a list do not last."""
    parts = path.split("/")
    for place, part in enumerate(parts):
        if part in _LISTS:
            return "/".join(parts[: place + 1])
    return path


def value_at(document: object, path: str) -> Any:
    """The value at a JSON pointer; nothing when it is not there."""
    try:
        return jsonpatch.JsonPointer(path).resolve(document)
    except jsonpatch.JsonPointerException:
        return None
