"""How far cables carry each segment, and whether both ends of a cable agree."""

from __future__ import annotations

from collections.abc import Iterator

from octaplan.core.check.faults import Faults, traffic_rule
from octaplan.core.check.findings import Hit, Severity
from octaplan.core.flow.layer2 import Discord, Link
from octaplan.core.values.words import listed


@traffic_rule("segment-parted", Severity.STOP, "segment", "ports", anywhere=True)
def segment_parted(faults: Faults) -> Iterator[Hit]:
    """Segment in two parts

    Two boxes carry the segment, and no cable between them does: whoever is plugged into one part never reaches the
    gateway or hosts of the other.
    """
    for key, segment in faults.plan.segments.items():
        parts = list(faults.wires.parts(key).values())
        if len(parts) < 2:
            continue
        told = [listed([faults.box(box) for box in part]) for part in parts]
        yield Hit(
            faults.segment(key, segment.subnet or ""),
            f"{segment.label} is in {len(parts)} parts that no cable joins: {'; '.join(told)}. Lead a cable that "
            "carries it from one to the other, or let only one of them carry it.",
        )


@traffic_rule("trunk-mismatch", Severity.STOP, "device", "ports", anywhere=True)
def trunk_mismatch(faults: Faults) -> Iterator[Hit]:
    """Cable whose ends carry different segments

    One end of a cable carries a segment under its tag that the other end does not: what comes in there is dropped.
    """
    lacking: dict[Link, list[str]] = {}
    for cable, kind, segment, _ in faults.wires.mismatches:
        if kind is Discord.TAGGED:
            lacking.setdefault(cable, []).append(segment)
    for (box, port, far, far_port), segments in lacking.items():
        labels = listed([faults.called(segment) for segment in segments])
        yield Hit(
            faults.device(box, f"{port}: {labels}", f"/ports/{port}"),
            f"Port {port} of {faults.box(box)} does not carry {labels} under its tag, and port {far_port} of "
            f"{faults.box(far)} at the other end of the cable does: let both carry the same.",
        )


@traffic_rule("untagged-mismatch", Severity.STOP, "device", "ports", anywhere=True)
def untagged_mismatch(faults: Faults) -> Iterator[Hit]:
    """Cable whose ends differ in what is untagged

    What one end sends without a tag is something else at the other: two segments become one, or nothing arrives.
    """
    for cable, kind, _, _ in faults.wires.mismatches:
        if kind is not Discord.UNTAGGED:
            continue
        ends = [(cable.box, cable.port), (cable.far, cable.far_port)]
        told = [faults.plan.devices[box].ports[port].segment for box, port in ends]
        here, there = (faults.called(one) if one else "nothing" for one in told)
        yield Hit(
            faults.device(cable.box, f"{cable.port}: {here}, {there}", f"/ports/{cable.port}"),
            f"Port {cable.port} of {faults.box(cable.box)} carries {here} untagged, and port {cable.far_port} of "
            f"{faults.box(cable.far)} at the other end of the cable {there}: let both carry the same.",
        )
