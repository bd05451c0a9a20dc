"""A rehearsal: the network of a plan brought up, asked, and held against what the walk says and what is meant."""

from __future__ import annotations

import asyncio
import itertools
import time
from collections.abc import Callable
from typing import Any, NamedTuple

from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.telling import at_name, place_name
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.lab.rehearsal.design import Design, SpaceKind
from octaplan.lab.rehearsal.leases import LeaseSeen, ask, clients
from octaplan.lab.rehearsal.probes import Probe, Questioning, words
from octaplan.lab.rehearsal.sending import Listeners, Seen, Sender, agrees, is_explained
from octaplan.lab.rehearsal.yard import Yard
from octaplan.lab.spaces.ground import without_leases

#: So many questions are asked at most; of more, some are left out by chance, and the report says so.
MOST_PROBES = 8_000


#: A site of more places than this is not rehearsed.
MOST_PLACES = 120


class NothingToRehearse(RefusedError):
    """No box of the site routes, or it is too large."""


class ProbeOutcome(NamedTuple):
    """A question with what the network did."""

    probe: Probe
    seen: Seen

    @property
    def agrees(self) -> bool:
        """Whether network and walk say the same."""
        return agrees(self.probe, self.seen)

    @property
    def explained(self) -> bool:
        """Whether they differ in the one way that is known of networks."""
        return is_explained(self.probe, self.seen)

    @property
    def as_meant(self) -> bool:
        """Whether the network did what is meant, as far as that is said."""
        return self.probe.meant is None or self.probe.meant == self.seen.passed


class Rehearsal(NamedTuple):
    """What came of it. `untold` counts what the walk leaves open, `left_out` what was not asked."""

    traffic: Traffic
    design: Design
    outcomes: list[ProbeOutcome]
    leases: list[LeaseSeen]
    untold: int
    left_out: int
    seconds: float


Told = Callable[[dict[str, Any]], None]


async def rehearse(
    plan: SitePlan,
    organisation: Organisation = UNDECIDED,
    told: Told = lambda event: None,
    seed: int = 0,
    *,
    leases: bool = True,
    kept: Callable[[Yard], Any] | None = None,
) -> Rehearsal:
    """Bring a plan up, ask the network everything, and take it down; `kept` is called while it is still up.

    Without `leases` nobody asks for addresses and names.

    `told` hears of each step. Raises `NothingToRehearse`, `NotBroughtUp`.
    """
    begun = time.perf_counter()
    traffic = Traffic(plan, organisation)
    if not traffic.walkable:
        raise NothingToRehearse("No box of this site routes: there is nothing to rehearse. Plan its edge first")
    if len(traffic.rows) > MOST_PLACES:
        raise NothingToRehearse(f"The site has {len(traffic.rows)} places: at most {MOST_PLACES} are rehearsed")
    design = Design(plan, traffic.net.elsewhere)
    asking = Questioning(traffic, design, seed)
    probes = asking.probes()
    asking.publish()
    left_out = max(0, len(probes) - MOST_PROBES)
    if left_out:
        chosen = set(asking.random.sample(range(len(probes)), MOST_PROBES))
        probes = [probe for place, probe in enumerate(probes) if place in chosen]
    asking_leases = clients(design) if leases and not without_leases() else []
    told({"event": "planned", "spaces": spaces_told(design), "cables": cables_told(design), "probes": len(probes)})
    yard = Yard(design)
    try:
        told({"event": "up", "seconds": round(time.perf_counter() - begun, 2)})
        given = await asyncio.to_thread(ask, yard, asking_leases) if asking_leases else []
        if given:
            told({"event": "leases", "given": sum(bool(one.address) for one in given), "asked": len(given)})
        outcomes = await _asked(yard, traffic, probes, told)
        if kept is not None:
            kept(yard)
    finally:
        yard.close()
    return Rehearsal(traffic, design, outcomes, given, asking.untold, left_out, time.perf_counter() - begun)


async def _asked(yard: Yard, traffic: Traffic, probes: list[Probe], told: Told) -> list[ProbeOutcome]:
    """What came of each probe, one state of the circuits after the other."""
    listeners = Listeners(yard)
    found: list[ProbeOutcome] = []
    try:
        listeners.open()
        sender = Sender(yard)
        for down in traffic.downs:
            for key in yard.design.spaces:
                yard.route(key, yard.design.table(key, down))
            some = [probe for probe in probes if probe.down == down]
            lines = [traffic.plan.circuits[key].label for key in sorted(down)]
            told({"event": "asking", "probes": len(some), "down": lines, "done": len(found)})

            def heard() -> None:
                told({"event": "answer"})

            seen = await sender.send(some, heard)
            found += [ProbeOutcome(probe, one) for probe, one in zip(some, seen, strict=True)]
    finally:
        listeners.close()
    return found


# --- What is told of it


def spaces_told(design: Design) -> list[dict[str, Any]]:
    """The spaces of a design, as pages draw them."""
    return [
        {"key": space.key, "kind": str(space.kind), "title": space.title}
        for space in design.spaces.values()
        if space.kind is not SpaceKind.WIRES
    ]


def cables_told(design: Design) -> list[list[str]]:
    """Which spaces hang together: over a cable, or over what a segment is in one piece."""
    found = [[one, other] for one, _, other, _ in design.cables if "wires" not in (one, other)]
    for ends in design.bridges.values():
        met = [one for one, _, other, end in design.cables if other == "wires" and end in ends]
        boxes = [key for key in met if design.spaces[key].kind is SpaceKind.BOX]
        rest = [key for key in met if key not in boxes]
        found += [[one, other] for one, other in itertools.pairwise(boxes)]
        found += [[boxes[0] if boxes else rest[0], key] for key in rest if boxes or key != rest[0]]
    return found


def document(done: Rehearsal) -> dict[str, Any]:
    """A rehearsal as a document: what disagrees first, in words; every cell with its counts."""
    outcomes = done.outcomes
    against = [one for one in outcomes if not one.agrees]
    otherwise = [one for one in outcomes if one.agrees and not one.explained and not one.as_meant]
    return {
        "schema": "octaplan.rehearsal/1",
        "site": done.traffic.plan.key,
        "probes": len(outcomes),
        "passed": sum(one.seen.passed for one in outcomes),
        "against_walk": [told_outcome(done.traffic, done.design, one) for one in against[:200]],
        "against_walk_count": len(against),
        "otherwise_than_meant": [told_outcome(done.traffic, done.design, one) for one in otherwise[:200]],
        "otherwise_count": len(otherwise),
        "leases": [_lease_told(done, one) for one in done.leases],
        "leases_wrong": sum(bool(one.wrong) for one in done.leases),
        "explained": sum(one.explained for one in outcomes),
        "untold": done.untold,
        "left_out": done.left_out,
        "not_brought_up": done.design.unbuilt,
        "brought_up_plainly": done.design.plainly,
        "cells": _cells(done),
        "spaces": spaces_told(done.design),
        "cables": cables_told(done.design),
        "seconds": round(done.seconds, 2),
    }


def _lease_told(done: Rehearsal, one: LeaseSeen) -> dict[str, Any]:
    label = done.traffic.plan.segments[one.segment].label
    return {**one._asdict(), "segment": label, "seconds": round(one.seconds, 2)}


def _cells(done: Rehearsal) -> list[dict[str, Any]]:
    found: dict[tuple[str, str], list[ProbeOutcome]] = {}
    for one in done.outcomes:
        found.setdefault((one.probe.place, one.probe.asked), []).append(one)
    return [
        {
            "from": source,
            "to": target,
            "asked": len(some),
            "passed": sum(one.seen.passed for one in some),
            "against_walk": sum(not one.agrees for one in some),
            "otherwise": sum(one.agrees and not one.explained and not one.as_meant for one in some),
        }
        for (source, target), some in found.items()
    ]


def told_outcome(traffic: Traffic, design: Design, one: ProbeOutcome) -> dict[str, Any]:
    """One question with its answers, and a sentence that says what disagrees."""
    probe, seen = one.probe, one.seen
    down = [traffic.plan.circuits[key].label for key in sorted(probe.down)]
    return {
        "from": place_name(traffic, probe.place),
        "to": place_name(traffic, probe.asked),
        "asked": words(traffic, probe),
        "down": down,
        "meant": {None: "not said", True: "passes", False: "stopped"}[probe.meant],
        "walk": "passes" if probe.passes else "stopped",
        "reason": str(probe.reason),
        "network": "passes" if seen.passed else "stopped",
        "as_seen": seen.as_seen,
        "seconds": round(seen.seconds, 4),
        "sentence": sentence(traffic, design, one),
    }


def sentence(traffic: Traffic, design: Design, one: ProbeOutcome) -> str:
    """What walk, network and intent say of a question."""
    probe, seen = one.probe, one.seen
    asked = f"{place_name(traffic, probe.place)} to {place_name(traffic, probe.asked)}, {words(traffic, probe)}"
    if probe.down:
        asked += f", with {' and '.join(traffic.plan.circuits[key].label for key in sorted(probe.down))} down"
    if one.agrees:
        did = "is stopped"
        if seen.passed:
            did = f"passes in {seen.seconds * 1000:.0f} ms" + (f", seen as {seen.as_seen}" if seen.as_seen else "")
        meant = {None: "as the walk says", True: "and is meant to pass", False: "and is meant to be stopped"}[
            probe.meant
        ]
        return f"{asked}: it {did}, {meant}"
    where = at_name(traffic, probe.at)
    says = "the walk says that it passes" if probe.passes else f"the walk stops it at {where}: {probe.reason.words}"
    if probe.passes and seen.passed:
        space = design.spaces[seen.space].title
        port = f" at port {seen.port}" if seen.port else ""
        return f"{asked}: it was to arrive at {where}, and arrived{port}: {space}"
    return f"{asked}: {says}; the network " + ("let it through" if seen.passed else "gave no answer")
