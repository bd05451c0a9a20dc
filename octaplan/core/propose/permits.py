"""What boxes are to be told so that they do what is meant: allow rules and translations, from the table of intent."""

from __future__ import annotations

from octaplan.core.flow.intent import Intent
from octaplan.core.flow.network import INTERNET, OTHER_SITES
from octaplan.core.plan.boxes import gateways
from octaplan.core.plan.device import Allow, DeviceRole, Translation
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan, new_id
from octaplan.core.values.services import EVERYTHING


def crosses(plan: SitePlan, box: str, source: str, target: str) -> bool:
    """Whether what goes from one place to another passes a box: both ends hang on it, or it is between them."""
    homes = {_home(plan, place, at) for at in (gateways(plan),) for place in (source, target)}
    if plan.devices[box].role is DeviceRole.EDGE:
        return len(homes) > 1 or homes == {box}
    return box in homes and not (homes == {box} and source == target)


def _home(plan: SitePlan, place: str, found: dict[str, list[str]]) -> str:
    """The gateway of a segment; the edge for all that is outside."""
    edges = [key for key, device in plan.devices.items() if device.role is DeviceRole.EDGE]
    return next(iter([*found.get(place, []), *edges]), "")


def permits(plan: SitePlan, organisation: Organisation, box: str) -> dict[str, Allow]:
    """The allow rules by which a box lets through what is meant and passes it, and nothing else."""
    intent = Intent(plan, organisation)
    found: dict[str, Allow] = {}
    for source in intent.rows:
        others = [place for place in intent.rows if place != source]
        meant = {target: intent.meant(source, target).services for target in others}
        if others and all(services == EVERYTHING for services in meant.values()):
            found[new_id(f"allow {source} all", found)] = Allow(source=source, target="all")
            continue
        for target, services in meant.items():
            if services and not (source == INTERNET and target != OTHER_SITES) and crosses(plan, box, source, target):
                found[new_id(f"allow {source} {target}", found)] = Allow(
                    source=source, target=target, service=str(services)
                )
    return found


def apart(plan: SitePlan, organisation: Organisation, segments: list[str]) -> bool:
    """Whether some of these segments are not meant to reach some other of them by everything."""
    intent = Intent(plan, organisation)
    pairs = ((one, other) for one in segments for other in segments if one != other)
    return any(intent.meant(*pair).services != EVERYTHING for pair in pairs)


def translations(plan: SitePlan, organisation: Organisation, circuits: list[str]) -> dict[str, Translation]:
    """The translations by which the segments that are meant to reach the internet get there by each circuit."""
    intent = Intent(plan, organisation)
    wanted = [
        key for key in intent.rows if key in plan.segments and intent.meant(key, INTERNET).services and _four(plan, key)
    ]
    return {
        new_id(f"nat {segment} {circuit}", ()): Translation(segment=segment, circuit=circuit)
        for segment in wanted
        for circuit in circuits
    }


def _four(plan: SitePlan, key: str) -> bool:
    """Whether the segment's addresses are translated on the way out: IPv4 is, IPv6 is not."""
    subnet = plan.segments[key].subnet
    return subnet is None or subnet.family == 4


def managers(plan: SitePlan, organisation: Organisation, box: str) -> list[str]:
    """The segments that a box is meant to be managed from, in the order of the plan."""
    intent = Intent(plan, organisation)
    return [key for key in plan.segments if intent.manages(key, box)]
