"""The stages of a site's way from intake to shipping, as far as they show parts of its plan."""

from __future__ import annotations

from enum import StrEnum


class Stage(StrEnum):
    """A stage with a page of the desk that shows a part of the plan."""

    INTAKE = "intake"
    ADDRESSES = "addresses"
    DEVICES = "devices"
    CREDENTIALS = "credentials"


_BY_PART = {
    "devices": Stage.DEVICES,
    "wireless": Stage.DEVICES,
    "safe": Stage.CREDENTIALS,
    "answers": Stage.INTAKE,
    "survivors": Stage.INTAKE,
}


def stage_of(path: str, field: str = "") -> Stage:
    """The stage that shows a place of the plan, a JSON pointer (RFC 6901), or a value under it."""
    part = path.split("/")[1] if path else field
    return _BY_PART.get(part, Stage.ADDRESSES)
