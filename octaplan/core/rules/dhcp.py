"""DHCP: ranges that do not fit their subnet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from octaplan.core.claims import known, less, where, within
from octaplan.core.findings import Hit, Severity, rule
from octaplan.core.rules.words import listed

if TYPE_CHECKING:
    from octaplan.core.portfolio import View


@rule("scope-outside", Severity.STOP, "segment", "scope")
def scope_outside(view: View) -> Iterator[Hit]:
    """DHCP range outside the subnet

    The first or last address of the range is not in the segment's subnet: a client that gets it is cut off.
    """
    s = view.segments
    outside = [
        known(s[end]) & known(s["first"]) & ~within(s[end], s["first"], s["last"])
        for end in ("scope_first", "scope_last")
    ]
    for row in where(outside[0] | outside[1]):
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        wrong = [
            str(end) for end, out in zip((segment.scope.first, segment.scope.last), outside, strict=True) if out[row]
        ]
        subject = view.subject(s, row, segment.scope.span or wrong[0])
        verb = "is" if len(wrong) == 1 else "are"
        yield Hit(
            subject,
            f"The DHCP range of {segment.label} leaves its subnet {segment.subnet}: {listed(wrong)} {verb} outside. "
            f"Keep it within {segment.subnet.usable}.",
        )


@rule("scope-reversed", Severity.STOP, "segment", "scope")
def scope_reversed(view: View) -> Iterator[Hit]:
    """DHCP range back to front

    The first address of the range is above the last: the server has nothing to lease.
    """
    s = view.segments
    wrong = known(s["scope_first"]) & known(s["scope_last"]) & less(s["scope_last"], s["scope_first"])
    for row in where(wrong):
        segment = view.segment(row)
        yield Hit(
            view.subject(s, row, segment.scope.span),
            f"The DHCP range of {segment.label} starts at {segment.scope.first}, above its end {segment.scope.last}: "
            "nothing can be leased. Swap the two.",
        )


@rule("scope-edge", Severity.STOP, "segment", "scope")
def scope_edge(view: View) -> Iterator[Hit]:
    """DHCP range holds the network or broadcast address

    The range lies within the subnet but contains an address that cannot be given to a client.
    """
    s, r = view.segments, view.ranges
    both = [within(s[end], s["first"], s["last"]) for end in ("scope_first", "scope_last")]
    owner = r["segment"]
    edge = less(r["first"], s["usable_first"][owner]) | less(s["usable_last"][owner], r["last"])
    for row in np.unique(owner[edge & (both[0] & both[1])[owner]]).tolist():
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        pieces, subnet = segment.scope.pieces, segment.subnet
        ends = (("network", subnet.first), ("broadcast", subnet.last))
        held = [f"the {name} address {end}" for name, end in ends if any(piece.holds(end) for piece in pieces)]
        yield Hit(
            view.subject(s, row, segment.scope.span),
            f"The DHCP range {segment.scope.span} of {segment.label} contains {listed(held)}, which no client can "
            f"have. Keep it within {subnet.usable}.",
        )
