"""Changes of a plan as JSON Patches (RFC 6902): made, applied, worked out, held against each other.

PatchError            the change does not fit the plan, or what comes of it is no plan
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, get_args, get_origin

import jsonpatch
from jsonpointer import escape
from pydantic import BaseModel, ValidationError

from octaplan.core.plan.inwords import members
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.faults import Fault, first_fault
from octaplan.core.values.oneline import odd_character

#: One operation of a patch: `op`, `path`, and mostly `value`.
Operation = dict[str, Any]


class PatchError(RefusedError):
    """The change does not fit the plan, or what comes of it is no plan."""


def set_to(path: str, value: Any) -> Operation:
    """The operation that makes a value what it should be, whether it is there already or not."""
    return {"op": "add", "path": path, "value": value}


def applied(plan: SitePlan, operations: Sequence[Mapping[str, Any]]) -> SitePlan:
    """The plan with a change made. Raises `PatchError`."""
    return changed(plan.document(), operations)


def changed(document: dict[str, Any], operations: Sequence[Mapping[str, Any]]) -> SitePlan:
    """The plan of a document with a change made, in place. Raises `PatchError`."""
    for operation in operations:
        _in_one_line(operation.get("value"), str(operation.get("path", "")).rpartition("/")[2])
    try:
        after = jsonpatch.apply_patch(document, [dict(operation) for operation in operations], in_place=True)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException) as error:
        raise PatchError(f"The patch does not fit the plan: {error}") from None
    try:
        return SitePlan.model_validate(after)
    except ValidationError as error:
        raise PatchError(str(_in_names(first_fault(error), after))) from None


#: What may have several lines; a box is told none of it but its banner, as far as its language has a way for that.
MANY_LINES = frozenset({"banner", "text", "words", "reason", "note", "notes"})


def _in_one_line(value: Any, name: str) -> None:
    """Refuse what would end a line, or turn it round, in what is one line. Raises `PatchError`."""
    if isinstance(value, str):
        odd = odd_character(value, "\n\r\t" if name in MANY_LINES else "")
        if odd:
            what = name.replace("_", " ") or "value"
            raise PatchError(f"{what[:1].upper()}{what[1:]} holds {odd} after {_before(value)!r}: write it in one line")
    elif isinstance(value, Mapping):
        for key, member in value.items():
            _in_one_line(key, name)
            _in_one_line(member, str(key))
    elif isinstance(value, list):
        for member in value:
            _in_one_line(member, name)


def _before(text: str) -> str:
    """What stands before the first odd character, as far as it is needed to find the place."""
    return next((text[max(0, at - 30) : at] for at, c in enumerate(text) if odd_character(c)), "")


def _in_names(fault: Fault, document: Mapping[str, Any]) -> Fault:
    """A fault whose place is told by what members are called, not by their ids."""
    called = members(document)
    place = fault.place[1:] if len(fault.place) > 1 and fault.place[1] in called else fault.place
    return fault._replace(place=tuple(called.get(str(part), part) for part in place))


def _lists_of(model: type[BaseModel]) -> Iterator[str]:
    """The names of the members of a model, and of the models within it, that are lists."""
    for name, field in model.model_fields.items():
        parts = [field.annotation]
        while parts:
            part = parts.pop()
            if get_origin(part) in (list, tuple):
                yield field.alias or name
            elif isinstance(part, type) and issubclass(part, BaseModel):
                yield from _lists_of(part)
            parts += get_args(part)


#: Members of a plan that are lists: places in them do not last, so that a change of one is a change of the whole.
LISTS = frozenset(_lists_of(SitePlan))


def difference(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Operation]:
    """The JSON Patch that leads from one document of a plan to another; looks into what differs only."""
    found: list[Operation] = []
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


def touches(outer: str, inner: str) -> bool:
    """Whether a path is another, or lies above it."""
    return inner == outer or inner.startswith(outer + "/")


def stem(path: str) -> str:
    """A path without what follows a list, since places in a list do not last."""
    parts = path.split("/")
    for place, part in enumerate(parts):
        if part in LISTS:
            return "/".join(parts[: place + 1])
    return path


def value_at(document: object, path: str) -> Any:
    """The value at a JSON pointer; nothing when it is not there."""
    try:
        return jsonpatch.JsonPointer(path).resolve(document)
    except jsonpatch.JsonPointerException:
        return None
