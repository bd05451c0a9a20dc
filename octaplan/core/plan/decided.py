"""What was decided in a plan: what a signature is under."""

from __future__ import annotations

from typing import Any

from octaplan.core.plan.device import RECORDED

#: What plans of an older schema do not say, by the map of the plan (and of its members): left out where it says
#: nothing, so that what was signed before stays signed.
_CAME_LATER: dict[str, dict[str, Any]] = {
    "circuits": {"vrf": "main"},
    "devices": {"addresses6": {}, "publications": {}, "relays": {}, "filters": None},
    "routes": {"table": None},
    "translations": {"address": None},
}


def decided(document: dict[str, Any]) -> dict[str, Any]:
    """The document of a plan without what is only recorded at the bench, and without answers; changed in place."""
    document.pop("answers")
    document["schema"] = "octaplan.site-plan/1"
    _drop(document, {"departures": {}})
    for circuit in document["circuits"].values():
        _drop(circuit, _CAME_LATER["circuits"])
    for device in document["devices"].values():
        for name in RECORDED:
            device.pop(name)
        _drop(device, _CAME_LATER["devices"])
        for part in ("routes", "translations"):
            for entry in device[part].values():
                _drop(entry, _CAME_LATER[part])
    return document


def _drop(values: dict[str, Any], usual: dict[str, Any]) -> None:
    for name, nothing in usual.items():
        if values[name] == nothing:
            del values[name]
