"""What `octaplan walk` asks of a plan: one question, or every pair of places."""

from __future__ import annotations

from octaplan.core.flow.asking import End, WalkAnswer, ask, read_end
from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.telling import place_name
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.services import parse_services


class NotWalked(RefusedError):
    """The plan cannot be walked, or not as it was asked."""


def traffic_asked(plan: SitePlan, organisation: Organisation, service: str) -> Traffic:
    """The traffic of a plan, in which the services asked for are told apart. Raises `OctaplanError`."""
    traffic = Traffic(plan, organisation, [parse_services(service)])
    if not traffic.walkable:
        raise NotWalked("No box of this site routes: there is nothing to walk. Plan its edge first")
    return traffic


def answers_of(
    traffic: Traffic, source: str | None, target: str | None, service: str, down: str | None
) -> list[WalkAnswer]:
    """The answers to what was asked; where an end is left out, for every place. Raises `OctaplanError`."""
    services, gone = parse_services(service), _down(traffic, down)
    sources = [read_end(traffic, source)] if source is not None else [_end(traffic, key) for key in traffic.rows]
    targets = [read_end(traffic, target)] if target is not None else [_end(traffic, key) for key in traffic.columns]
    return [
        ask(traffic, one, other, services, gone)
        for one in sources
        for other in targets
        if one.place != other.place or one.address is not None or other.address is not None or one.box or other.box
    ]


def _end(traffic: Traffic, place: str) -> End:
    return End(place, place_name(traffic, place))


def _down(traffic: Traffic, label: str | None) -> frozenset[str]:
    if label is None:
        return frozenset()
    for key, circuit in traffic.plan.circuits.items():
        if label.casefold() in (circuit.label.casefold(), key):
            return frozenset([key])
    known = ", ".join(circuit.label for circuit in traffic.plan.circuits.values()) or "none"
    raise NotWalked(f"{label!r} is no circuit of the site: it has {known}")
