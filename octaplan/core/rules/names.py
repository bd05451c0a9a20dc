"""Names and numbers that must be unique, and resolvers."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import TYPE_CHECKING

from octaplan.core.claims import where
from octaplan.core.findings import OTHERS_LISTED, Hit, Severity, rule
from octaplan.core.rules.words import and_more, at

if TYPE_CHECKING:
    from octaplan.core.portfolio import View


@rule("wan-dns-missing", Severity.STOP, "circuit", "resolvers")
def wan_dns_missing(view: View) -> Iterator[Hit]:
    """Resolvers not known

    A static hand-off brings no resolvers with it: they are typed in by hand, and without them no name is
    found.
    """
    for row in where(view.circuits["static"] & (view.circuits["resolvers"] == 0)):
        subject = view.subject(view.circuits, row)
        yield Hit(
            subject,
            f"{subject.name} has a fixed address and no resolvers: no name will be found. Ask the provider for two.",
        )


@rule("vlan-duplicate", Severity.STOP, "segment", "vlan")
def vlan_duplicate(view: View) -> Iterator[Hit]:
    """VLAN used twice

    Another segment of the site has the same VLAN id: the two become one network. Give one another id.
    """
    s = view.segments
    holders: dict[tuple[int, int], list[int]] = defaultdict(list)
    for row in where(s["vlan"]):
        holders[(int(s["site"][row]), int(s["vlan"][row]))].append(row)
    for (_, vlan), rows in holders.items():
        for row in rows if len(rows) > 1 else ():
            others = view.others(s, [other for other in rows if other != row][:OTHERS_LISTED])
            subject = view.subject(s, row)
            yield Hit(
                subject,
                f"{subject.name} has VLAN {vlan}, and so has {and_more([o.subject for o in others], len(rows) - 1)}: "
                "the two become one network. Give one another VLAN.",
                others,
                len(rows) - 1,
            )


@rule("mac-duplicate", Severity.STOP, "host", "mac")
def mac_duplicate(view: View) -> Iterator[Hit]:
    """MAC used twice

    Another host of the portfolio has the same MAC. Hardware addresses are unique: one of the two was copied
    or misread.
    """
    for row, others, total in view.anywhere(view.hosts, "mac", view.macs_elsewhere):
        subject = view.subject(view.hosts, row)
        yield Hit(
            subject,
            f"{subject.name} has the MAC {view.host(row).mac}, and so has "
            f"{and_more([at(other) for other in others], total)}: one of them was copied or misread. "
            "Read it from the label again.",
            others,
            total,
        )
