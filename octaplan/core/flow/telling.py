"""What became of a packet, in words: from box to box, each with what decided there, and the way back."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from octaplan.core.flow.layer2 import carries
from octaplan.core.flow.matrix import Class, Pair, Traffic
from octaplan.core.flow.network import BOXES, INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import Chain, Decision, Does, Piece, Reason, decisions_of
from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import PLACES
from octaplan.core.values.addresses import Address

#: What the matrix calls places that are no segment.
PLACE_NAMES = {INTERNET: "the internet", OTHER_SITES: "other sites", BOXES: "the boxes"}


class WayLine(NamedTuple):
    """One thing that happens at a place: in words, because of what, and the place in the plan that decided."""

    does: str
    because: str
    path: str


class WayNode(NamedTuple):
    """A place that a packet comes through. `kind` is `place`, `box`, `bridge` (a box that only passes frames on) or
    `line` (a provider); `addresses` are those of a place, `link` is what leads on."""

    at: str
    name: str
    kind: str
    lines: list[WayLine]
    addresses: str = ""
    link: str = ""


class Path(NamedTuple):
    """The way of one packet, there and back. `wall` says why it stops at the last node; empty when it arrives."""

    nodes: list[WayNode]
    back: list[WayNode]
    wall: str
    back_wall: str


def place_name(traffic: Traffic, place: str) -> str:
    """A place as people call it."""
    segment = traffic.plan.segments.get(place)
    return segment.label if segment is not None else PLACE_NAMES.get(place, place)


def at_name(traffic: Traffic, at: str) -> str:
    """Where something ends, as people call it."""
    if at in traffic.plan.devices:
        return named(traffic.plan.devices[at])
    if at.startswith("/circuits/"):
        circuit = traffic.plan.circuits.get(at.removeprefix("/circuits/"))
        return f"the provider of {circuit.label}" if circuit is not None else "a provider"
    return place_name(traffic, at.removeprefix("/segments/"))


def class_name(traffic: Traffic, place: str, one: Class) -> str:
    """Who a class is: a fixed host, a box, or anybody there."""
    if one.box:
        return named(traffic.plan.devices[one.box])
    if one.host:
        return traffic.plan.hosts[one.host].name
    name = place_name(traffic, place)
    return f"anybody in {name}" if place in traffic.plan.segments else name


def class_addresses(traffic: Traffic, one: Class) -> str:
    """The addresses of a class, the first runs of many."""
    if not one.runs or one.host or one.box:
        return address_text(traffic, one.point)
    if len(one.runs) > 4:
        return "any address"
    runs = [_run(one.point.family, first, last) for first, last in one.runs[:2]]
    more = len(one.runs) - 2
    return ", ".join(runs) + (f" and {more} more runs" if more > 0 else "")


def _run(family: int, first: int, last: int) -> str:
    return f"{Address(family, first)}–{Address(family, last)}" if first != last else str(Address(family, first))


def address_text(traffic: Traffic, point: Address) -> str:
    """An address, or of which line it is that gives it."""
    if point.family:
        return str(point)
    keys = list(traffic.plan.circuits)
    return f"the address that {traffic.plan.circuits[keys[point.value]].label} gives" if point.value < len(keys) else ""


def hops(traffic: Traffic, piece: Piece) -> list[dict[str, str]]:
    """The decisions on the way there, as the command line prints them."""
    found = []
    for step in decisions_of(piece.steps):
        line = _line(traffic, step)
        found.append({"at": at_name(traffic, step.at), "does": line.does, "because": line.because, "path": line.path})
    if not piece.reason.passes:
        found.append(
            {
                "at": at_name(traffic, piece.at),
                "does": "stops",
                "because": piece.reason.words,
                "path": piece.path if piece.path.startswith("/") else "",
            }
        )
    return found


def _line(traffic: Traffic, step: Decision) -> WayLine:
    about = [address_text(traffic, one) if isinstance(one, Address) else one for one in step.about]
    match step.does:
        case Does.SENDS:
            return WayLine(f"sends to its gateway {about[0]}", "it is in another network", step.path)
        case Does.SENDS_DIRECT:
            return WayLine("sends straight", "both are in one subnet", step.path)
        case Does.ARRIVES:
            return WayLine(f"asks for {about[0]}", "", step.path)
        case Does.PUBLISHES:
            return WayLine(f"turns {about[0]} into {about[1]}", told_entry(traffic, step.path), step.path)
        case Does.ROUTES | Does.KNOWS:
            knows = "knows the flow, " if step.does is Does.KNOWS else ""
            return WayLine(knows + _route_words(traffic, step), _because(traffic, step.path), step.path)
        case Does.ALLOWS:
            return WayLine("lets it through", f"rule “{told_entry(traffic, step.path)}”", step.path)
        case Does.PASSES_ALL:
            return WayLine("passes everything", "it does not filter", step.path)
        case Does.TRANSLATES:
            return WayLine(f"translates {about[0]} to {about[1]}", told_entry(traffic, step.path), step.path)
        case Does.TRANSLATES_AGAIN:
            return WayLine("translates once more", "a modem or box stays in front", step.path)
        case Does.REPLIES:
            return WayLine("replies", "", step.path)
        case _:
            reason = next((one for one in step.about if isinstance(one, Reason)), Reason.DELIVERED)
            return WayLine(reason.words, "", step.path if step.path.startswith("/") else "")


def _route_words(traffic: Traffic, step: Decision) -> str:
    side, via = step.about[0], step.about[1] if len(step.about) > 1 else None
    to = place_name(traffic, str(side).removeprefix("/segments/"))
    if str(side).startswith("/circuits/"):
        return f"sends it out by {traffic.plan.circuits[str(side).removeprefix('/circuits/')].label}"
    if isinstance(via, Address):
        return f"sends it to {address_text(traffic, via)} in {to}"
    return f"sends it into {to}"


def _because(traffic: Traffic, path: str) -> str:
    """What a line of a routing table is."""
    parts = path.split("/")
    if parts[1] == "segments":
        segment = traffic.plan.segments[parts[2]]
        return f"table {segment.vrf}: {segment.label} is connected"
    if parts[1] == "circuits":
        return "the line itself" if len(parts) == 3 else "the line brings its default route"
    return f"route {told_entry(traffic, path)}" if parts[1] == "devices" else ""


def told_entry(traffic: Traffic, path: str) -> str:
    """An entry of a box in few words: a route, rule, translation, publication, access or relay."""
    _, _, box, part, key, *_ = f"{path}//".split("/")
    plan = traffic.plan
    device = plan.devices.get(box)
    if device is None or key not in getattr(device, part, {}):
        return ""

    def end(name: str) -> str:
        host = plan.hosts.get(name)
        return host.name if host is not None else PLACES.get(name) or place_name(traffic, name)

    def line(name: str | None) -> str:
        circuit = plan.circuits.get(name or "")
        return circuit.label if circuit is not None else "a removed circuit"

    if part == "allows":
        allow = device.allows[key]
        service = "" if allow.service == "any" else f", {allow.service}"
        return f"{end(allow.source)} to {end(allow.target)}{service}"
    if part == "translations":
        one = device.translations[key]
        return f"{end(one.segment)} to {one.address or line(one.circuit)}"
    if part == "routes":
        route = device.routes[key]
        to = "anywhere" if route.default else str(route.to)
        return f"{to} by {route.via or line(route.circuit)}"
    if part == "publications":
        shown = device.publications[key]
        return f"{shown.service} at {shown.address or line(shown.circuit)} to {end(shown.host)}"
    if part == "access":
        access = device.access[key]
        where = [*([end(access.segment)] if access.segment else []), *map(str, access.networks)]
        return f"{access.service} from {' '.join(where)}"
    if part == "relays":
        return f"{end(key)} to {device.relays[key]}"
    return ""


# --- The picture -------------------------------------------------------------------------------------------


def path_of(traffic: Traffic, source: str, target: str, pair: Pair, piece: Piece) -> Path:
    """The way of one piece of a traced walk, box by box."""
    first = WayNode("", class_name(traffic, source, pair.source), "place", [], class_addresses(traffic, pair.source))
    nodes = [first, *_boxes(traffic, piece.steps, source, pair)]
    wall = ""
    came_back = not piece.reason.passes and piece.back is not None
    if piece.reason.passes or came_back:
        nodes.append(_end_node(traffic, target, pair, piece))
    else:
        wall = f"{at_name(traffic, piece.at)}: {piece.reason.words}"
    back = _boxes(traffic, piece.back, source, pair, back=True) if piece.back is not None else []
    back_wall = f"{at_name(traffic, piece.at)}: {piece.reason.words}" if came_back else ""
    return Path(_linked(traffic, nodes, source), back, wall, back_wall)


def _end_node(traffic: Traffic, target: str, pair: Pair, piece: Piece) -> WayNode:
    name = class_name(traffic, target, pair.target)
    shown = [path for path in piece.by if "/publications/" in path]
    if shown:
        _, _, box, _, key = shown[0].split("/")
        host = traffic.plan.hosts[traffic.plan.devices[box].publications[key].host]
        name = host.name
        return WayNode("", name, "place", [], str(host.address or host.address6))
    return WayNode("", name, "place", [], class_addresses(traffic, pair.target))


def _boxes(traffic: Traffic, chain: Chain, source: str, pair: Pair, *, back: bool = False) -> list[WayNode]:
    """The boxes of a chain of decisions, each with its lines."""
    found: list[WayNode] = []
    for step in decisions_of(chain):
        if step.at not in traffic.plan.devices:
            again = step.does is Does.TRANSLATES_AGAIN
            if again:
                found.append(WayNode(step.at, at_name(traffic, step.at), "line", [_line(traffic, step)]))
            continue
        if not found or found[-1].at != step.at:
            found.append(WayNode(step.at, named(traffic.plan.devices[step.at]), "box", [], "", ""))
        found[-1].lines.append(_line(traffic, step))
        link = _link(traffic, step)
        if link:
            found[-1] = found[-1]._replace(link=link)
    return found


def _link(traffic: Traffic, step: Decision) -> str:
    """What a packet leaves a box by."""
    if step.does not in (Does.ROUTES, Does.KNOWS):
        return ""
    side = str(step.about[0])
    if side.startswith("/circuits/"):
        return traffic.plan.circuits[side.removeprefix("/circuits/")].label
    segment = traffic.plan.segments.get(side.removeprefix("/segments/"))
    if segment is None:
        return ""
    return segment.label if segment.vlan is None else f"{segment.label}, VLAN {segment.vlan}"


def _linked(traffic: Traffic, nodes: list[WayNode], source: str) -> list[WayNode]:
    """The nodes with the boxes between them that only pass frames on."""
    found: list[WayNode] = []
    for place, node in enumerate(nodes):
        if place and node.kind == "box":
            segment = _between(traffic, nodes[place - 1], source)
            for box in bridges(traffic, nodes[place - 1].at, node.at, segment) if segment else ():
                passes = WayLine("passes it on", "", f"/devices/{box}")
                found.append(WayNode(box, named(traffic.plan.devices[box]), "bridge", [passes]))
        found.append(node)
    return found


def _between(traffic: Traffic, before: WayNode, source: str) -> str:
    """The segment that leads from a node to the next."""
    if not before.at:
        return source if source in traffic.plan.segments else ""
    label = before.link.partition(", VLAN")[0]
    return next((key for key, segment in traffic.plan.segments.items() if segment.label == label), "")


def bridges(traffic: Traffic, before: str, box: str, segment: str) -> Iterator[str]:
    """The boxes that frames of a segment cross on their way to a box, from another or from where clients plug in."""
    wires = traffic.net.wires
    if before:
        yield from wires.between(before, segment, box)
        return
    part = wires.part(box, segment)
    for key, device in traffic.plan.devices.items():
        open_ = any(carries(use) and segment in use.segments and use.peer is None for use in device.ports.values())
        if key != box and open_ and wires.part(key, segment) == part and not device.routes_packets:
            yield key
            yield from wires.between(key, segment, box)
            return


def differences(before: Traffic, after: Traffic) -> list[str]:
    """What passes between two places now and did not before, or does not any more; and what is meant otherwise."""

    def told(traffic: Traffic) -> dict[tuple[str, str], tuple[str, str]]:
        services = traffic.net.atoms.services
        return {
            (cell.source, cell.target): (str(services(cell.ever)), str(cell.meant.services))
            for cell in (traffic.cells() if traffic.walkable else ())
        }

    old, new = told(before), told(after)
    found = []
    for pair in dict.fromkeys([*old, *new]):
        was, now = old.get(pair, ("none", "none")), new.get(pair, ("none", "none"))
        names = [_in_one(before, after, place) for place in pair]
        if was[0] != now[0]:
            found.append(f"{names[0]} to {names[1]}: {_passing(was[0])} before, {_passing(now[0])} now")
        elif was[1] != now[1]:
            meant = f"{_passing(was[1])} before, {_passing(now[1])} now"
            found.append(f"{names[0]} to {names[1]} is meant otherwise: {meant}")
    return found


def _in_one(before: Traffic, after: Traffic, place: str) -> str:
    known = after if place in after.plan.segments or place not in before.plan.segments else before
    name = place_name(known, place)
    return name[:1].upper() + name[1:] if name.startswith("the ") else name


def _passing(services: str) -> str:
    return {"any": "everything", "none": "nothing"}.get(services, services)
