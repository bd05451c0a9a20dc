"""A site with boxes of the demo's types, their stand-ins, and hands that stage them: what tests of the bench share."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import replace
from functools import cache
from typing import Any
from unittest.mock import patch

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.core.plan.passwords import make
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.wiring import equip
from octaplan.core.stage.runsheet import run_sheet
from octaplan.lab.bench.onbench import OnBench
from octaplan.lab.bench.practice import PracticeBench, PracticeTable
from octaplan.lab.standin import box as standin
from octaplan.lab.standin.box import BoxFaults
from octaplan.link import hands as hands_module
from octaplan.link.channel import Pins
from octaplan.link.hands import Hands, StepOutcome, Task
from octaplan.server.practising import BenchOfHands
from tests.core.config.demo import types
from tests.support import circuit, segment, site

#: The boxes of the site, by what they are.
BOXES = {"edge": "brackwater-e5", "switch": "oxbow-s10", "access-point": "kittiwake-a2"}


@cache
def clinic(edge: str = "brackwater-e5") -> SitePlan:
    """A site with an edge of some type, a switch and an access point, all of it planned."""
    scope = {"first": "10.61.0.60", "last": "10.61.0.199", "lease": 7_200}
    guests = {"first": "10.61.4.20", "last": "10.61.4.250"}
    plan = site(
        "PAWS/HERON",
        [
            segment("Office", "10.61.0.0/24", role="office", vlan=10, scope=scope, resolvers=["gateway"]),
            segment("Guest", "10.61.4.0/24", role="guest", vlan=40, scope=guests, resolvers=["192.0.2.53"]),
        ],
        circuits=[circuit()],
        wireless={"wifi0": {"name": "Paws and Pines", "segment": "seg0", "country": "GB"}},
    )
    for role in ("access-point", "switch", "edge"):
        kind = types()[edge if role == "edge" else BOXES[role]]
        proposal = equip(plan, DeviceRole(role), kind, ("time1.example",), Portfolio([plan], hardware=types()))
        named = {"op": "add", "path": f"/devices/{proposal.key}/domain", "value": "heron.example"}
        plan = applied(plan, [*proposal.operations, named])
    return plan


def box_of(plan: SitePlan, role: str) -> str:
    """The key of the box of a role."""
    return next(key for key, device in plan.devices.items() if device.role == role)


@cache
def secrets_of(edge: str = "brackwater-e5") -> dict[str, str]:
    """A secret for each slot of the site."""
    return {slot.path: make(slot.rule) for slot in slots_of(clinic(edge), types())}


def task(plan: SitePlan, role: str, kind: HardwareType | None = None, secrets: dict[str, str] | None = None) -> Task:
    """What is to be staged."""
    key = box_of(plan, role)
    kind = kind or types()[plan.devices[key].type]
    known = secrets if secrets is not None else secrets_of(types()[plan.devices[box_of(plan, "edge")].type].key)
    written = write_out(plan, key, kind) if kind.write_out is not None and kind.write_out.parts else None
    return Task(plan, key, kind, UNDECIDED, run_sheet(plan, key, kind), lambda place: known.get(place, ""), written)


def alone(what: Task, number: int) -> Task:
    """The same at a site of its own, so that many stand on one bench."""
    return replace(what, plan=what.plan.model_copy(update={"site": f"SITE{number}"}))


@contextmanager
def quickly() -> Iterator[None]:
    """Boxes that start and update in no time, and hands that do not wait long for one that does not come."""
    with patch.multiple(standin, STARTS=0.15, UPDATES=0.15), patch.object(hands_module, "AWAY", 6.0):
        yield


class Staged:
    """What came of hands at work: the outcomes by step, and the box."""

    def __init__(self, one: OnBench, outcomes: list[StepOutcome]) -> None:
        self.one, self.outcomes = one, outcomes
        self.by_step = {outcome.step.key: outcome for outcome in outcomes}

    @property
    def last(self) -> StepOutcome:
        return self.outcomes[-1]

    @property
    def final(self) -> tuple[Any, ...]:
        """What the box keeps."""
        state = self.one.box.saved
        return (sorted(state.settings.lines()), state.data, state.secrets, state.leftovers, state.services_off)


async def stage(
    bench: PracticeBench,
    one: OnBench,
    what: Task,
    *,
    pins: Pins | None = None,
    settled: Collection[str] = (),
    upto: str = "",
    also: Callable[[Hands], None] = lambda hands: None,
) -> Staged:
    """Let hands stage a box, to the end or up to and with a step."""
    hands = Hands(what, BenchOfHands(PracticeTable(bench, one, what.plan)), pins or Pins(), settled)
    also(hands)
    outcomes: list[StepOutcome] = []
    async for outcome in hands.run():
        outcomes.append(outcome)
        if outcome.step.key == upto:
            break
    await hands.leave()
    return Staged(one, outcomes)


async def put(bench: PracticeBench, what: Task, faults: BoxFaults = BoxFaults()) -> OnBench:  # noqa: B008
    """Put the box of a task on a bench."""
    return await bench.put(what.kind, what.plan.key, what.key, faults)


def within(work: Callable[[PracticeBench], Any], *, real: bool = True) -> Any:
    """Run something on a bench, and clear it; with `real` packets where this machine permits them."""

    async def run() -> Any:
        bench = PracticeBench(real_packets=real)
        try:
            return await work(bench)
        finally:
            await bench.close()

    with quickly():
        return asyncio.run(run())
