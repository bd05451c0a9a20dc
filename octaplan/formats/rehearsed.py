"""A rehearsal in words, for the command line."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from octaplan.core.values.words import count


def rehearsal_words(result: dict[str, Any]) -> str:
    """What came of a rehearsal, what disagrees first."""
    return "\n".join(_lines(result))


def _lines(result: dict[str, Any]) -> Iterator[str]:
    for title, some, number in (
        ("The network did other than the walk says", "against_walk", "against_walk_count"),
        ("Walk and network agree, and it is not what is meant", "otherwise_than_meant", "otherwise_count"),
    ):
        if result[number]:
            yield f"{title}: {result[number]}"
            yield from (f"  {one['sentence']}" for one in result[some])
    for one in result["leases"]:
        for wrong in one["wrong"]:
            yield f"A client on {one['segment']}: {wrong}"
    for line in result["not_brought_up"]:
        yield f"Not brought up: {line}"
    for line in result["brought_up_plainly"]:
        yield f"Brought up plainly: {line}"
    if result["explained"]:
        yield f"Passed, since an answer looks like a question to a box that has not seen it: {result['explained']}"
    if result["untold"]:
        yield f"Not asked, since the plan leaves it open or two subnets overlap: {result['untold']}"
    if result["left_out"]:
        yield f"Left out by chance, of more than are asked: {result['left_out']}"
    if result["leases"]:
        given = sum(bool(one["address"] or one["announced"]) for one in result["leases"])
        named = sum(bool(one["looked_up"]) for one in result["leases"])
        yield f"Leases: {given} of {count(len(result['leases']), 'client')} served, {named} looked up a name"
    asked = count(result["probes"], "question")
    agree = result["probes"] - result["against_walk_count"]
    passed, seconds = result["passed"], result["seconds"]
    yield f"{result['site']}: {asked} to the network in {seconds:.1f} s, {passed} passed, {agree} as the walk says"


def kept_words(event: dict[str, Any], pid: int) -> str:
    """How to enter each space of a network that is kept up, and how to end it."""
    lines = ["The network is up. In another terminal, as root, enter"]
    for key, fd in event["spaces"].items():
        lines.append(f"  {event['titles'][key]:<28} nsenter --net=/proc/{pid}/fd/{fd} sh")
    return "\n".join([*lines, "Press Enter to take it down."])
