"""The boxes of the demo portfolio: six hardware types of made-up makers, sites that are equipped, "
"and a bench at work."""

from __future__ import annotations

import json
from pathlib import Path

from octaplan.core.plan.device import DeviceRole
from octaplan.core.propose.wiring import equip
from octaplan.core.stage.steps import Measure
from octaplan.demo import traffic
from octaplan.store.records import Records
from octaplan.store.runs import Result
from octaplan.store.staging import sheet_of

TYPES = Path(__file__).parent / "hardware"

TIME_SERVERS = ("time1.tern-tide.example", "time2.tern-tide.example")

#: What is on the bench or ordered, by site: role and type, in the order they are added.
EQUIPPED = {
    "paws/heron": [("access-point", "kittiwake-a2"), ("switch", "oxbow-s10"), ("edge", "brackwater-e5")],
    "libr/canal": [("edge", "brackwater-e5")],
    "quay/oven": [("switch", "oxbow-s10"), ("edge", "skerry-f7")],
    "fern/mill": [("edge", "brackwater-e5")],
    "fern/dock": [("switch", "oxbow-s10"), ("edge", "skerry-f7")],
    "libr/weir": [("edge", "tallow-q4")],
    "harb/high": [("edge", "brackwater-e5"), ("modem", "gorse-m1")],
}

#: What stands on the practice bench of the demo: devices of sites by their roles, and a type that no site has.
PRACTICE = [
    ("paws/heron", "edge"),
    ("paws/heron", "switch"),
    ("paws/heron", "access-point"),
    ("quay/oven", "edge"),
    ("libr/weir", "edge"),
]
PRACTICE_TYPE = "gorse-m1"

#: Sites whose secrets are made.
FILLED = ("paws/heron", "libr/canal", "harb/high", "fern/mill")

WIFI = {
    "paws/heron": [("Paws and Pines", "Office"), ("Paws waiting room", "Guest")],
}

#: The device that is on the bench, and the group of steps that it has reached.
ON_THE_BENCH = ("paws/heron", DeviceRole.EDGE, "Rules and access")

STAGER = "Ines Aldering"


def load(records: Records) -> None:
    """Put types, devices, Wi-Fi and secrets into the demo's records."""
    for path in sorted(TYPES.glob("*.json")):
        records.hardware.save(json.loads(path.read_text("utf-8")), 0, STAGER)
    for key, boxes in EQUIPPED.items():
        for role, kind in boxes:
            _equip(records, key, DeviceRole(role), kind)
        _wifi(records, key)
    traffic.load(records, _equip)
    sites = records.now.sites
    needs = [need for key in FILLED for need in sites.needs(sites.plan(key))]
    records.safe.make(needs, STAGER)


def _equip(records: Records, key: str, role: DeviceRole, kind: str) -> None:
    plan = records.now.sites.plan(key)
    proposal = equip(plan, role, records.hardware.get(kind), TIME_SERVERS, records.now.sites.portfolio)
    records.plans.revise(key, proposal.operations, records.now.sites.saved(key).number, STAGER)
    licences = {"upkeep": {"ends": "2031-12-31"}} if kind == "skerry-f7" and key != "fern/dock" else {}
    if licences:
        operations = [{"op": "add", "path": f"/devices/{proposal.key}/licences", "value": licences}]
        records.plans.revise(key, operations, records.now.sites.saved(key).number, STAGER)


def _wifi(records: Records, key: str) -> None:
    plan = records.now.sites.plan(key)
    by_label = {segment.label: name for name, segment in plan.segments.items()}
    operations = [
        {
            "op": "add",
            "path": f"/wireless/wifi{number}",
            "value": {"name": name, "segment": by_label.get(label), "country": "GB"},
        }
        for number, (name, label) in enumerate(WIFI.get(key, ()))
    ]
    if operations:
        records.plans.revise(key, operations, records.now.sites.saved(key).number, STAGER)


def begin_staging(records: Records) -> None:
    """Bring one box as far as the bench of the demo has come."""
    key, role, until = ON_THE_BENCH
    plan = records.now.sites.plan(key)
    device = next(name for name, box in plan.devices.items() if box.role is role)
    for step in sheet_of(records.now, key, device).steps:
        if step.group == until:
            break
        measured = {measure.key: answer(measure) for measure in step.measures if measure.kind != "backup"}
        records.bench.tick(key, device, step.key, Result.DONE, seen=None, measured=measured, by=STAGER)


def answer(measure: Measure) -> str:
    """What a technician would read off when all is well."""
    first = measure.expect.replace("–", " ").split(" ")[0]
    return {
        "ping": "5/5",
        "lease": first,
        "lookup": "found",
        "light": "yes",
        "yes": "yes",
        "passes": "it answers",
        "silent": "no answer",
        "mac": measure.expect or "02:77:e5:20:93:10",
        "firmware": measure.expect or "1.0",
    }.get(measure.kind, measure.expect or "BW5-20931")
