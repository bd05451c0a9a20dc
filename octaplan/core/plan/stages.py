"""The stages of a site's way from intake to shipping, as far as they show parts of its plan."""

from __future__ import annotations

from enum import StrEnum


class Stage(StrEnum):
    """A stage with a page of the desk that shows a part of the plan."""

    INTAKE = "intake"
    ADDRESSES = "addresses"
    DEVICES = "devices"
    TRAFFIC = "traffic"
    CREDENTIALS = "credentials"


_BY_PART = {
    "devices": Stage.DEVICES,
    "wireless": Stage.DEVICES,
    "safe": Stage.CREDENTIALS,
    "answers": Stage.INTAKE,
    "survivors": Stage.INTAKE,
    "departures": Stage.TRAFFIC,
}

#: What is read and changed on Traffic, whatever it belongs to.
TRAFFIC_PARTS = ("routes", "translations", "allows", "publications", "relays", "access", "filters", "departures")


def stage_of(path: str, field: str = "") -> Stage:
    """The stage that shows a place of the plan, a JSON pointer (RFC 6901), or a value under it."""
    parts = path.split("/")[1:]
    part = parts[0] if path else field
    if (parts[2] if len(parts) > 2 else field) in TRAFFIC_PARTS:
        return Stage.TRAFFIC
    if field == "ports":
        return Stage.DEVICES
    return _BY_PART.get(part, Stage.ADDRESSES)
