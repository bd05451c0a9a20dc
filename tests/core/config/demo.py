"""The demo's hardware types, and plans with their boxes, made at random."""

from __future__ import annotations

from functools import cache
from random import Random
from typing import Any

from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.site import SitePlan
from octaplan.demo.boxes import TYPES
from octaplan.formats.typefiles import read_types
from tests.core.flow.plans import made

NAMES = ("north-edge", "hill-box", "deep well 3")
TEXTS = ("Quay Lane 4, Brinewick", 'The "Old" Mill, first floor', "Back\\yard")


@cache
def types() -> dict[str, HardwareType]:
    return read_types(TYPES)


def equipped(random: Random, kind: str) -> SitePlan:
    """A random plan of which every box is of one type, with scopes, names, times and Wi-Fi filled in."""
    document = made(random).document()
    document["name"], document["street"] = "North", random.choice(TEXTS)
    document["time_zone"] = random.choice(["Europe/London", "Asia/Tokyo", None])
    for number, segment in enumerate(document["segments"].values()):
        segment["scope"] = {"server": "edge"}  # scopes are as people make them here, not at random
        if segment["subnet"] and segment["subnet"].startswith("10.1.") and random.random() < 0.7:
            head = segment["subnet"].rpartition(".")[0]
            segment["scope"] |= {
                "server": "edge",
                "first": f"{head}.{60 + number}",
                "last": f"{head}.199",
                "lease": 3600,
            }
            segment["scope"]["excluded"] = [f"{head}.70-{head}.79"] if random.random() < 0.3 else []
            segment["scope"]["options"] = {"66": f"{head}.9"} if random.random() < 0.3 else {}
            segment["resolvers"] = random.choice([["gateway"], ["192.0.2.53", "192.0.2.54"], []])
            segment["domain"] = random.choice([None, "north.example"])
    for number, host in enumerate(document["hosts"].values()):
        host["mac"] = f"02:40:08:00:00:{number:02x}"
        host["method"] = random.choice(["static", "reserved"])
    document["wireless"] = _air(random, list(document["segments"]))
    for number, device in enumerate(document["devices"].values()):
        device |= {
            "type": kind,
            "name": NAMES[number % 3] + str(number),
            "domain": random.choice([None, "north.example"]),
        }
        device["time_servers"] = ["time1.example", "192.0.2.123"][: random.randint(0, 2)]
        device["resolvers"], device["forwarders"] = ["192.0.2.53"], ["192.0.2.54"]
        device["relays"] = {}
        device["contact"], device["banner"] = (
            random.choice([None, "Ada, 01632 960 114"]),
            random.choice([None, "Go away"]),
        )
    return SitePlan.model_validate(document)


def _air(random: Random, segments: list[str]) -> dict[str, Any]:
    if random.random() < 0.5:
        return {}
    network = {
        "name": "North air",
        "segment": segments[0],
        "security": "wpa3",
        "band": "5",
        "hidden": random.random() < 0.5,
    }
    return {"air1": network | {"client_limit": 20, "country": "GB"}}
