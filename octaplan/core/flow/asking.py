"""Questions about traffic as people ask them: can this reach that, by which service, and what if a line is down."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import NamedTuple

from octaplan.core.flow.matrix import Class, MatrixCell, Pair, Traffic
from octaplan.core.flow.network import BOXES, INTERNET, OTHER_SITES, routable
from octaplan.core.flow.pieces import NO_PART, Piece, Reason
from octaplan.core.flow.telling import at_name, hops, place_name
from octaplan.core.values.addresses import Address, AddressError, parse_address
from octaplan.core.values.errors import TypedError
from octaplan.core.values.services import EVERYTHING, Services

_SPELLINGS = {
    "internet": INTERNET,
    "the internet": INTERNET,
    "other-sites": OTHER_SITES,
    "other sites": OTHER_SITES,
    "boxes": BOXES,
    "the boxes": BOXES,
}


class End(NamedTuple):
    """One end of a question: a place, and if it is about somebody there, who."""

    place: str
    called: str
    address: Address | None = None
    host: str = ""
    box: str = ""


class WalkAnswer(NamedTuple):
    """What was found about one question; `piece` is what tells most, of the pair of classes `pair`."""

    source: End
    target: End
    services: Services
    result: str
    meant: str
    agrees: bool
    pair: Pair | None
    piece: Piece | None
    unknown: str = ""

    @property
    def reason(self) -> Reason:
        return Reason.NOT_KNOWN if self.piece is None else self.piece.reason


def read_end(traffic: Traffic, text: str) -> End:
    """Who is meant by a text: a segment's label, `internet`, `other-sites`, a host or box by its name, an address;
    also `a phone in Voice`. Raises `TypedError`."""
    typed = " ".join(text.split())
    folded = typed.casefold()
    plan = traffic.plan
    if folded in _SPELLINGS:
        place = _SPELLINGS[folded]
        if place not in traffic.columns:
            raise TypedError("The site is in no reach group: it knows no other sites")
        return End(place, place_name(traffic, place))
    for key, segment in plan.segments.items():
        if segment.label.casefold() == folded or key == typed:
            return End(key, segment.label)
    for key, host in plan.hosts.items():
        if host.name.casefold() == folded:
            return _host_end(traffic, key)
    for key, device in plan.devices.items():
        if device.name is not None and device.name.casefold() == folded and device.staged:
            return End(BOXES, device.name, box=key)
    inside = re.fullmatch(r"(?:anybody|somebody|anyone|a client|an? [\w -]+?) in (.+)", folded)
    if inside:
        return read_end(traffic, inside[1])
    try:
        address = parse_address(typed)
    except AddressError as error:
        if re.fullmatch(r"[0-9.:a-f]+", folded):
            raise
        raise TypedError(
            f"{typed[:80]!r} is nobody at this site: write a segment, a host or box by its name, an address, internet "
            "or other-sites"
        ) from error
    return address_end(traffic, address)


def _host_end(traffic: Traffic, key: str) -> End:
    host = traffic.plan.hosts[key]
    address = host.address or host.address6
    if address is None:
        raise TypedError(f"{host.name} has no address yet: give it one first")
    return End(host.segment, host.name, address, host=key)


def address_end(traffic: Traffic, address: Address) -> End:
    """Who is at an address: a box of the site, a fixed host, a client, or the internet. Raises `TypedError`."""
    net = traffic.net
    for box, side, _ in net.holders.get(address, ()):
        if side.startswith("/segments/"):
            return End(BOXES, str(address), address, box=box)
    hosts = net.hosts.get(address, ())
    if hosts and traffic.plan.hosts[hosts[0]].segment in traffic.plan.segments:
        return End(traffic.plan.hosts[hosts[0]].segment, str(address), address, host=hosts[0])
    segment = net.segment_of(address)
    if segment:
        return End(segment, str(address), address)
    if routable(address):
        return End(INTERNET, str(address), address)
    raise TypedError(f"{address} lies in no segment of the site, and the internet does not route it")


def ask(
    traffic: Traffic,
    source: End,
    target: End,
    services: Services = EVERYTHING,
    down: frozenset[str] = frozenset(),
    *,
    traced: bool = True,
) -> WalkAnswer:
    """What becomes of what one end sends to another, by some services, with some circuits down."""
    mask = traffic.net.atoms.mask(services)
    pairs = [_only(pair, mask) for pair in _pairs(traffic, source, target, mask, down, traced=traced)]
    some_only = any(not pair.pieces for pair in pairs)  # nothing is published for them
    pairs = [pair for pair in pairs if pair.pieces]
    if target.place == BOXES and services == EVERYTHING:  # of a box its management is meant
        pairs = [_only(pair, traffic.managing(pair.target.box) or mask) for pair in pairs]
    plain = source.address is None and target.address is None and not (source.box or target.box)
    cell = traffic.cell(source.place, target.place, down) if plain and source.place != target.place else None
    whole = _of_cell(traffic, source, target, pairs, mask, cell)
    ever, always, wanted = whole
    always = 0 if some_only else always
    result = "stopped" if not ever else "passes" if always & mask == mask else "partly"
    meant = traffic.intent.meant(source.place, target.place)
    if source.place == target.place or source.box:
        missing, extra, word = 0, 0, "open"
    elif target.place == BOXES:
        word = meant.word
        missing, extra = _managed(traffic, source, target, pairs)
    else:
        word = meant.word
        sure = ever if source.place == INTERNET else always
        missing, extra = wanted & mask & ~sure, ever & ~wanted & mask
    if cell is not None and mask == traffic.net.atoms.all:
        missing, extra = cell.missing, cell.extra
    found = _worst(pairs, missing, extra)
    unknown = cell.unknown if cell is not None else ""
    piece = found[1] if found else None
    if piece is not None and piece.reason is Reason.NOT_KNOWN:
        unknown = piece.path
    agrees = not missing and not extra and not unknown
    return WalkAnswer(source, target, services, result, word, agrees, found[0] if found else None, piece, unknown)


def _only(pair: Pair, mask: int) -> Pair:
    return pair._replace(pieces=[one for one in pair.pieces if one.mask & mask])


def _of_cell(
    traffic: Traffic, source: End, target: End, pairs: list[Pair], mask: int, cell: MatrixCell | None
) -> tuple[int, int, int]:
    """What passes ever, always, and what is meant to."""
    wanted = traffic.net.atoms.mask(traffic.intent.meant(source.place, target.place).services)
    if cell is not None and mask == traffic.net.atoms.all and target.place != BOXES:
        return cell.ever, cell.always, wanted
    ever, always = 0, mask if pairs else 0
    if target.place == BOXES:
        by_box: dict[str, int] = {}
        for pair in pairs:
            by_box[pair.target.box] = by_box.get(pair.target.box, 0) | pair.passes
        for box, passed in by_box.items():
            managing = traffic.managing(box) if mask == traffic.net.atoms.all else mask
            ever |= passed & (managing or mask)
            always &= passed | ~managing
        return ever, always, wanted
    for pair in pairs:
        ever |= pair.passes
        always &= pair.passes
    return ever, always, wanted


def _managed(traffic: Traffic, source: End, target: End, pairs: list[Pair]) -> tuple[int, int]:
    """What management lacks, and what it should not have."""
    missing, extra = 0, 0
    for box in {pair.target.box for pair in pairs}:
        managing = traffic.managing(box)
        passed = 0
        for pair in pairs:
            passed |= pair.passes & managing if pair.target.box == box else 0
        if source.place == INTERNET:
            meant = source.address is not None and traffic.intent.manages_from_outside(source.address)
            extra |= 0 if meant else passed
        elif traffic.intent.manages(source.place, box):
            missing |= managing if not passed else 0
        else:
            extra |= passed
    return missing, extra


def _worst(pairs: Iterable[Pair], missing: int, extra: int) -> tuple[Pair, Piece] | None:
    found = sorted(pairs, key=lambda pair: bool(pair.source.host or pair.target.host))  # whoever first, then somebody
    for passing, mask in ((False, missing), (True, extra)):
        for pair in found:
            for piece in pair.pieces:
                if piece.reason.passes is passing and piece.mask & mask:
                    return pair, piece
    for passing in (True, False):
        for pair in found:
            for piece in pair.pieces:
                if piece.reason.passes is passing:
                    return pair, piece
    return None


def _pairs(
    traffic: Traffic, source: End, target: End, mask: int, down: frozenset[str], *, traced: bool
) -> Iterable[Pair]:
    walker = traffic.walker(down, traced=traced)
    if source.place == INTERNET:
        yield from _from_outside(traffic, source, target, mask, down, traced=traced)
        return
    for asked in _classes(traffic, target, source):
        for asking in _classes(traffic, source, None):
            families = {asking.point.family, asked.point.family} - {0}
            if len(families) < 2:
                place = target.place if target.place in traffic.plan.segments else ""
                yield Pair(asking, asked, traffic.ask(walker, source.place, place, asking, asked, mask))


def _from_outside(
    traffic: Traffic, source: End, target: End, mask: int, down: frozenset[str], *, traced: bool
) -> Iterable[Pair]:
    if target.address is not None and target.place in (INTERNET, BOXES) and target.address in _outside(traffic):
        for circuit in _outside(traffic)[target.address]:
            asked = Class(target.address, circuit=circuit, box=target.box)
            for asking in _classes(traffic, source, None):
                walker = traffic.walker(down, traced=traced)
                yield Pair(asking, asked, walker.from_internet(circuit, asking.point, asked.point, mask))
        return
    for pair in traffic.pairs(INTERNET, target.place, down, mask, traced=traced):
        if source.address is not None and not _within(source.address, pair.source):
            continue
        if target.host and not pair.target.runs:  # an address that several may be published at
            if target.host in traffic.hosts_shown(pair.target.point):  # for whoever may, or for nobody
                to_it = [one for one in pair.pieces if traffic.published_host(one) == target.host]
                yield pair._replace(target=pair.target._replace(host=target.host), pieces=to_it)
            continue
        if target.box:  # what is published at its address is not the box
            pair = pair._replace(pieces=[one for one in pair.pieces if not traffic.published_host(one)])
        host = pair.target.host or (traffic.net.hosts.get(pair.target.point) or [""])[0]
        fits = (not target.host or host == target.host) and (not target.box or pair.target.box == target.box)
        if fits:
            yield pair


def _within(address: Address, one: Class) -> bool:
    """Whether an address is among those of a class."""
    return address.family == one.point.family and any(first <= address.value <= last for first, last in one.runs)


def _outside(traffic: Traffic) -> dict[Address, list[str]]:
    """The addresses of the site on its circuits: own and published ones, each with its circuits."""
    found: dict[Address, list[str]] = {}
    for node in traffic.net.nodes.values():
        for side, _, point, _ in node.interfaces:
            if side.startswith("/circuits/"):
                found.setdefault(point, []).append(side.removeprefix("/circuits/"))
        for side, shown in node.publications.items():
            for one in shown:
                circuits = found.setdefault(one.outside, [])
                if side.removeprefix("/circuits/") not in circuits:
                    circuits.append(side.removeprefix("/circuits/"))
    return found


def _classes(traffic: Traffic, end: End, asking: End | None) -> list[Class]:
    """The classes that an end stands for."""
    if end.box:
        mine = [one for one in traffic.classes(BOXES) if one.box == end.box]
        if end.address is not None:
            mine = [one for one in mine if one.point == end.address]
        return mine if asking is not None else mine[:1]
    if end.address is None:
        return traffic.targets(asking.place, end.place) if asking is not None else traffic.classes(end.place)
    hosts = traffic.net.wires.hosts
    if end.host in hosts:
        part = hosts[end.host]
        return [Class(end.address, part=NO_PART if part is None else part, host=end.host)]
    parts: list[int | None] = [*sorted(traffic.net.wires.sockets.get(end.place, ()))] or [None]
    return [Class(end.address, part=part, host=end.host) for part in parts]


def answered(traffic: Traffic, answer: WalkAnswer) -> str:
    """The answer in one sentence."""
    if answer.unknown:
        return f"Nobody can tell yet: {open_value_words(traffic, answer.unknown)} is still open."
    piece = answer.piece
    if piece is None:
        if answer.source.place == INTERNET and answer.target.place in traffic.plan.segments:
            meant = ", as it is meant" if answer.agrees else ", and it is meant to"
            return f"No{meant}: nothing in {answer.target.called} is published."
        return "No: the two have no kind of address in common."
    known = {"passes": "Yes", "stopped": "No", "partly": "In part"}[answer.result]
    if answer.agrees:
        meant = ", as it is meant" if answer.result != "passes" else ""
    else:
        meant = ", and it is not meant to" if piece.reason.passes else ", and it is meant to"
    return f"{known}{meant}: {_decided(traffic, piece)}."


def _decided(traffic: Traffic, piece: Piece) -> str:
    """What decided about a packet, the last rule that let it through or where it ends."""
    if not piece.reason.passes:
        return f"it ends at {at_name(traffic, piece.at)}, since {piece.reason.words}"
    letting = [hop for hop in hops(traffic, piece) if hop["does"] in ("lets it through", "passes everything")]
    if not letting:
        return "nothing is in the way" if piece.reason is not Reason.ANSWERED else "the box answers"
    last = letting[-1]
    return f"{last['at']} {last['does']}" + (f" by the {last['because']}" if "rule" in last["because"] else "")


def open_value_words(traffic: Traffic, path: str) -> str:
    """The place of an open value in words: `the gateway of Main`."""
    parts = path.split("/")
    plan = traffic.plan
    member = plan.segments.get(parts[2]) if parts[1] == "segments" else plan.circuits.get(parts[2])
    if member is None:
        device = traffic.plan.devices.get(parts[2]) if len(parts) > 2 else None
        return "an address or route that two have" if device is not None else "a value"
    fields = {"handoff": "hand-off", "prefix": "mask", "address6": "IPv6 address", "gateway6": "IPv6 gateway"}
    field = parts[3] if len(parts) > 3 else "value"
    return f"the {fields.get(field, field)} of {member.label}"


def as_document(traffic: Traffic, answer: WalkAnswer) -> dict[str, object]:
    """An answer as the command line prints it (docs/formats.md)."""
    piece = answer.piece
    return {
        "from": answer.source.called,
        "to": answer.target.called,
        "service": str(answer.services),
        "result": answer.result,
        "reason": str(Reason.NOT_KNOWN if answer.unknown else piece.reason if piece else _none(answer)),
        "at": at_name(traffic, piece.at) if piece is not None else answer.target.called,
        "meant": answer.meant,
        "agrees": answer.agrees,
        "hops": hops(traffic, piece) if piece is not None else [],
    }


def _none(answer: WalkAnswer) -> Reason:
    return Reason.NOT_PUBLISHED if answer.source.place == INTERNET else Reason.NO_ROUTE


def everything(traffic: Traffic, down: frozenset[str] = frozenset()) -> list[WalkAnswer]:
    """Every pair of places, row by row."""
    ends = {place: End(place, place_name(traffic, place)) for place in traffic.columns}
    return [
        ask(traffic, ends[source], ends[target], down=down)
        for source in traffic.rows
        for target in traffic.columns
        if source != target
    ]
