"""Segments made, split, joined, resized, copied, put in order and laid out: proposals, each a JSON Patch (RFC 6902).

Nothing here changes a plan. What cannot be proposed raises `RoomError` with what is missing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.organisation import BeginsWith, Organisation
from octaplan.core.plan.patch import Operation, applied, set_to
from octaplan.core.plan.renumber import renumber
from octaplan.core.plan.site import KeptRun, Scope, Segment, SegmentRole, SitePlan, new_id
from octaplan.core.propose.room import Room, RoomError, Want, lay_out, next_vlan, prefix_for, range_leaving
from octaplan.core.values.addresses import Address, Network, Span
from octaplan.core.values.words import listed


class Preset(NamedTuple):
    """How a new segment of a role begins."""

    label: str
    vlan: int
    hosts: int
    leases: bool


PRESETS = {
    SegmentRole.OFFICE: Preset("Office", 10, 60, True),
    SegmentRole.VOICE: Preset("Voice", 20, 30, True),
    SegmentRole.CAMERAS: Preset("Cameras", 30, 20, False),
    SegmentRole.GUEST: Preset("Guest", 40, 100, True),
    SegmentRole.SERVERS: Preset("Servers", 50, 10, False),
    SegmentRole.WIRELESS: Preset("Wireless", 60, 60, True),
    SegmentRole.ISOLATED: Preset("Isolated", 70, 10, False),
    SegmentRole.MANAGEMENT: Preset("Management", 99, 12, False),
    SegmentRole.TRANSIT: Preset("Transit", 900, 1, False),
    SegmentRole.OTHER: Preset("Segment", 80, 30, True),
}


class SegmentProposal(NamedTuple):
    """A change that is shown before it is taken: a sentence, and what would fall out, each in one of its own."""

    sentence: str
    operations: list[Operation]
    lost: list[str]


class SegmentNeed(NamedTuple):
    """A segment that a layout is to have: expected hosts, or a prefix length. `key` names one that is there already."""

    label: str
    role: SegmentRole
    hosts: int = 0
    prefix: int | None = None
    key: str | None = None


# --- New segments ----------------------------------------------------------------------------------------


def add(
    portfolio: Portfolio,
    plan: SitePlan,
    role: SegmentRole,
    label: str = "",
    *,
    hosts: int | None = None,
    prefix: int | None = None,
    subnet: Network | None = None,
    near: Address | None = None,
) -> SegmentProposal:
    """A new segment of a role, in a free subnet of its size (or the one given), with gateway, VLAN and range."""
    organisation = portfolio.organisation.at(plan.customer)
    if subnet is None:
        subnet = room_for(portfolio, plan, _length(role, hosts, prefix, organisation), near)
    segment = fresh(plan, organisation, role, label, subnet, hosts)
    key = new_id(segment.label, plan.segments)
    document = segment.model_dump(mode="json")
    sentence = f"Add {segment.label} with {subnet}{_settled([segment], organisation.beginning)}"
    return SegmentProposal(sentence, [set_to(f"/segments/{key}", document)], [])


def _settled(fresh: Sequence[Segment], begins: BeginsWith) -> str:
    """What fresh segments have since the settings say so, as the end of a sentence; empty when it is nothing."""
    said = {
        "resolvers": any(begins.resolvers and one.resolvers == begins.resolvers for one in fresh),
        "range": any(one.subnet and one.scope.span and one.scope.span == begins.span(one.subnet) for one in fresh),
        "lease": any(begins.lease and one.scope.lease == begins.lease for one in fresh),
    }
    told = [name for name, so in said.items() if so]
    return f"; {listed(told)} as the settings say" if told else ""


def room_for(portfolio: Portfolio, plan: SitePlan, length: int, near: Address | None = None) -> Network:
    """A free subnet of a prefix length in the customer's space. Raises `RoomError`."""
    room = Room(portfolio, plan)
    found = room.next_subnets(length, near)
    if not found:
        blocks = " and ".join(map(str, room.blocks()))
        raise RoomError(f"No free /{length} is left in {blocks}: take a smaller one, or give the customer more room")
    return found[0]


def _length(role: SegmentRole, hosts: int | None, prefix: int | None, organisation: Organisation) -> int:
    if prefix is not None:
        if not 0 <= prefix <= 32:
            raise RoomError(f"/{prefix} is no IPv4 prefix length: write /0 to /32")
        return prefix
    if role is SegmentRole.TRANSIT and hosts is None:
        return 30
    return prefix_for(PRESETS[role].hosts if hosts is None else hosts, organisation.growth)


def fresh(
    plan: SitePlan, organisation: Organisation, role: SegmentRole, label: str, subnet: Network, hosts: int | None = None
) -> Segment:
    """A segment as one of its role begins at a site: its VLAN free, gateway by convention, resolvers and domain
    as they are usual at its customer, or else those of the site's other segments, or of the settings."""
    preset = PRESETS[role]
    usual, begins = organisation.usual(plan.customer), organisation.beginning
    others = [s for s in plan.segments.values() if s.role is not SegmentRole.GUEST or role is SegmentRole.GUEST]
    vlans = {segment.vlan for segment in plan.segments.values()}
    segment = Segment(
        label=_unused(label or preset.label, plan),
        role=role,
        vlan=preset.vlan if preset.vlan not in vlans else next_vlan(plan),
        subnet=subnet,
        gateway=None if role in (SegmentRole.TRANSIT, SegmentRole.ISOLATED) else organisation.gateway_in(subnet),
        resolvers=usual.resolvers
        or _usual([tuple(s.resolvers) for s in others if s.resolvers])
        or begins.resolvers
        or ["gateway"],
        domain=None if role is SegmentRole.GUEST else usual.domain or _usual([s.domain for s in others if s.domain]),
        expected_hosts=hosts,
        scope=Scope(server="none"),
    )
    if not preset.leases or subnet.family == 6:
        return segment
    span = begins.span(subnet)
    if span is None or span.size < (hosts or 0) or (segment.gateway is not None and span.holds(segment.gateway)):
        try:
            span = range_leaving(segment, organisation.leave_fixed, [], organisation)
        except RoomError:
            return segment
    return segment.model_copy(update={"scope": Scope(first=span.first, last=span.last, lease=begins.lease)})


def _usual(values: list[Any]) -> Any:
    common = Counter(values).most_common(1)
    return (list(common[0][0]) if isinstance(common[0][0], tuple) else common[0][0]) if common else None


def _unused(label: str, plan: SitePlan) -> str:
    labels = {segment.label.casefold() for segment in plan.segments.values()}
    names = (label[:76], *(f"{label[:76]} {number}" for number in range(2, 1_000)))
    return next(name for name in names if name.casefold() not in labels)


def duplicate(portfolio: Portfolio, plan: SitePlan, key: str) -> SegmentProposal:
    """A segment like another in the next free subnet: everything at its offset, but for its hosts."""
    segment = plan.segments[key]
    subnet = _subnet(segment)
    found = Room(portfolio, plan).next_subnets(subnet.prefix, subnet.first)
    if not found:
        raise RoomError(f"No free /{subnet.prefix} is left for a copy of {segment.label}")
    vlan = None if segment.vlan is None else next_vlan(plan)
    copy = segment.model_copy(
        update={"label": _unused(segment.label, plan), "vlan": vlan, "subnet6": None, "gateway6": None, "order": None}
    )
    fresh_key = new_id(copy.label, plan.segments)
    alone = plan.model_copy(update={"segments": {**plan.segments, fresh_key: copy}, "hosts": {}, "devices": {}})
    moved = applied(
        alone, [o for o in renumber(alone, fresh_key, found[0]).operations if f"/{fresh_key}/" in o["path"]]
    )
    made = set_to(f"/segments/{fresh_key}", moved.segments[fresh_key].model_dump(mode="json"))
    sentence = f"Copy {segment.label} as {copy.label} with {found[0]}"
    return SegmentProposal(sentence, [made, *_beside(plan, key, fresh_key)], [])


def _subnet(segment: Segment) -> Network:
    if segment.subnet is None:
        raise RoomError(f"{segment.label} has no subnet yet: give it one first")
    if segment.subnet.family != 4:
        raise RoomError(f"{segment.label} is IPv6: its subnet stays a /64 (RFC 4291)")
    return segment.subnet


# --- One into two, two into one, another size ------------------------------------------------------------


def split(portfolio: Portfolio, plan: SitePlan, key: str) -> SegmentProposal:
    """A segment cut in two halves: what lies in the upper half becomes a segment of its own."""
    organisation, segment = portfolio.organisation.at(plan.customer), plan.segments[key]
    subnet = _subnet(segment)
    if subnet.prefix > 29:
        raise RoomError(f"{subnet} is too small to be split: its halves would have no room for a gateway and a host")
    lower, upper = (Network(4, subnet.value + part * subnet.size // 2, subnet.prefix + 1) for part in (0, 1))
    fresh_key = new_id(f"{segment.label} 2", plan.segments)
    vlan = None if segment.vlan is None else next_vlan(plan)
    cuts = [_cut(segment, half, organisation) for half in (lower, upper)]
    halves = [cut for cut, _ in cuts]
    lost = [line for line in cuts[0][1] if line in cuts[1][1]]
    second = halves[1].model_copy(
        update={"label": _unused(segment.label, plan), "vlan": vlan, "subnet6": None, "gateway6": None, "order": None}
    )
    operations = _differences(f"/segments/{key}", segment, halves[0])
    operations.append(set_to(f"/segments/{fresh_key}", second.model_dump(mode="json")))
    operations += _beside(plan, key, fresh_key)
    moving = 0
    for name, host in plan.hosts.items():
        if host.segment != key or host.address is None:
            continue
        if upper.holds(host.address):
            operations.append(set_to(f"/hosts/{name}/segment", fresh_key))
            moving += 1
        if subnet.usable.holds(host.address) and not any(half.usable.holds(host.address) for half in (lower, upper)):
            lost.append(f"{host.name} sits on {host.address}, which is an end of a half: no host can have it there")
    hosts = f"; {moving} host{' goes' if moving == 1 else 's go'} with it" if moving else ""
    return SegmentProposal(f"Split {segment.label} into {lower} and {second.label} {upper}{hosts}", operations, lost)


def join(plan: SitePlan, key: str, other: str) -> SegmentProposal:
    """Two segments as one, in the smallest subnet that holds both; the first one's gateway and VLAN stay."""
    if key == other:
        raise RoomError("A segment cannot be joined with itself: choose another one")
    segment, second = plan.segments[key], plan.segments[other]
    a, b = _subnet(segment), _subnet(second)
    low, high = min(a.value, b.value), max(a.last.value, b.last.value)
    whole = Network.holding(Address(4, low), 32 - (low ^ high).bit_length())
    for name, third in plan.segments.items():
        if name not in (key, other) and third.subnet is not None and _meet(whole, third.subnet):
            raise RoomError(
                f"{a} and {b} are no neighbours: {whole}, the smallest subnet that holds both, also holds "
                f"{third.label} {third.subnet}"
            )
    spans = [scope.span for scope in (segment.scope, second.scope) if scope.span is not None]
    lost: list[str] = []
    joined = segment.model_copy(update={"subnet": whole, "kept": [*segment.kept, *second.kept]})
    if segment.scope.span is None and second.scope.span is not None:
        joined = joined.model_copy(update={"scope": second.scope})
    elif len(spans) == 2 and all(span.first.family == 4 for span in spans):
        first, last = min(spans[0].first, spans[1].first), max(spans[0].last, spans[1].last)
        pieces = sorted([*segment.scope.pieces, *second.scope.pieces])
        excluded = Span(first, last).without(pieces)
        update = {"first": first, "last": last, "excluded": excluded}
        joined = joined.model_copy(update={"scope": segment.scope.model_copy(update=update)})
    if second.gateway is not None:
        lost.append(f"{second.gateway}, the gateway of {second.label}, becomes free")
    extra = whole.size - a.size - b.size
    if extra:
        lost.append(f"{whole} takes {extra:,} addresses that neither has now")
    operations = _differences(f"/segments/{key}", segment, joined)
    operations += [set_to(f"/hosts/{n}/segment", key) for n, host in plan.hosts.items() if host.segment == other]
    operations += _redirected(plan, other, key)
    operations.append({"op": "remove", "path": f"/segments/{other}"})
    return SegmentProposal(f"Join {second.label} into {segment.label} as {whole}", operations, lost)


def _meet(a: Network, b: Network) -> bool:
    return a.family == b.family and (a.holds(b.first) or b.holds(a.first))


def resize(portfolio: Portfolio, plan: SitePlan, key: str, subnet: Network) -> SegmentProposal:
    """Another subnet for a segment: what keeps its offset moves along, what does not fit is cut or told."""
    segment = plan.segments[key]
    before = _subnet(segment)
    if subnet.family != 4:
        raise RoomError(f"{subnet} is IPv6: give it to the segment as its IPv6 subnet")
    operations, along = renumber(plan, key, subnet)
    moved = applied(plan, operations)
    shift = subnet.value - before.value
    scope = segment.scope.model_copy(update=_shifted(segment.scope.pieces, shift))
    kept = [KeptRun(kind=k.kind, run=Span(k.run.first.plus(shift), k.run.last.plus(shift))) for k in segment.kept]
    whole = moved.segments[key].model_copy(update={"scope": scope, "kept": kept})
    cut, lost = _cut(whole, subnet, portfolio.organisation.at(plan.customer))
    operations += _differences(f"/segments/{key}", moved.segments[key], cut)
    lost += [
        f"{host.name} {host.address} is outside"
        for host in moved.hosts.values()
        if host.segment == key and host.address is not None and not subnet.usable.holds(host.address)
    ]
    lost += _of_range(whole.scope, cut.scope)
    if segment.scope.span is not None and cut.scope == segment.scope:
        along = f"{along}; the range stays {Span(*segment.scope.span)}".removeprefix("; ")
    sized = f"from {before.usable.size:,} to {subnet.usable.size:,} usable addresses"
    return SegmentProposal(f"Give {segment.label} {subnet}, {sized}{f'; {along}' if along else ''}", operations, lost)


def _of_range(before: Scope, after: Scope) -> list[str]:
    """What becomes of a range that is cut, and of what was excluded from it."""
    told = []
    if before.span is not None and after.span is not None and before.span != after.span:
        fewer = sum(piece.size for piece in before.pieces) - sum(piece.size for piece in after.pieces)
        many = f"{abs(fewer):,} {'fewer' if fewer > 0 else 'more'}"
        told.append(f"the range {Span(*before.span)} becomes {Span(*after.span)}, {many}")
    gone = [span for span in before.excluded if span not in after.excluded]
    return told + [f"{span}, excluded from the range, is no longer in it" for span in gone]


def _shifted(pieces: list[Span], shift: int) -> dict[str, Any]:
    """Ends and exclusions of a range of such pieces, so many addresses on."""
    if not pieces:
        return {}
    moved = [Span(piece.first.plus(shift), piece.last.plus(shift)) for piece in pieces]
    whole = Span(moved[0].first, moved[-1].last)
    return {"first": whole.first, "last": whole.last, "excluded": whole.without(moved)}


def _cut(segment: Segment, subnet: Network, organisation: Organisation) -> tuple[Segment, list[str]]:
    """A segment in a part of its subnet: its range, runs and gateway cut to what is usable there."""
    lost: list[str] = []
    usable, scope, gateway = subnet.usable, segment.scope, segment.gateway
    if gateway is not None and not usable.holds(gateway):
        gateway = organisation.gateway_in(subnet)
    pieces = [part for piece in scope.pieces if (part := _shared(piece, usable)) is not None]
    if gateway is not None:
        pieces = [part for piece in pieces for part in piece.without([Span(gateway, gateway)])]
    if pieces:
        whole = Span(pieces[0].first, pieces[-1].last)
        scope = scope.model_copy(update={"first": whole.first, "last": whole.last, "excluded": whole.without(pieces)})
    elif scope.span is not None:
        scope, told = _anew(segment.model_copy(update={"subnet": subnet, "gateway": gateway}), organisation)
        lost.append(told)
    kept = [
        KeptRun(kind=keep.kind, run=part) for keep in segment.kept if (part := _shared(keep.run, usable)) is not None
    ]
    lost += [f"the run {k.run} for {k.kind} is outside" for k in segment.kept if _shared(k.run, usable) is None]
    return segment.model_copy(update={"subnet": subnet, "gateway": gateway, "scope": scope, "kept": kept}), lost


def _anew(segment: Segment, organisation: Organisation) -> tuple[Scope, str]:
    """A range for a segment none of whose range is left, and what is said of it."""
    try:
        span = range_leaving(segment, organisation.leave_fixed, [], organisation)
    except RoomError:
        nothing: dict[str, Any] = {"first": None, "last": None, "excluded": [], "server": "none"}
        return segment.scope.model_copy(update=nothing), f"no range fits into {segment.subnet}: DHCP is off there"
    fresh = {"first": span.first, "last": span.last, "excluded": []}
    return segment.scope.model_copy(update=fresh), f"no part of the range is left in {segment.subnet}: it is now {span}"


def _shared(a: Span, b: Span) -> Span | None:
    if a.first.family != b.first.family:
        return None
    first, last = max(a.first, b.first), min(a.last, b.last)
    return Span(first, last) if first <= last else None


def _differences(path: str, before: Segment, after: Segment) -> list[Operation]:
    """The fields of a segment that differ, as a patch; those of its scope one by one."""
    old, new = (segment.model_dump(mode="json") for segment in (before, after))
    operations = [set_to(f"{path}/{name}", new[name]) for name in new if name != "scope" and old[name] != new[name]]
    inner = new["scope"]
    return operations + [set_to(f"{path}/scope/{n}", inner[n]) for n in inner if old["scope"][n] != inner[n]]


_NAMING = ("segment", "tagged", "source", "target")


def _redirected(plan: SitePlan, gone: str, to: str) -> Iterator[Operation]:
    """What names a segment that goes, naming another one instead."""
    for key, wireless in plan.wireless.items():
        if wireless.segment == gone:
            yield set_to(f"/wireless/{key}/segment", to)
    for key, device in plan.devices.items():
        base = f"/devices/{key}"
        document = device.model_dump(mode="json")
        if gone in document["addresses"]:
            yield {"op": "remove", "path": f"{base}/addresses/{gone}"}
        for part in ("ports", "translations", "allows", "access"):
            for name, member in document[part].items():
                there = f"{base}/{part}/{name.replace('~', '~0').replace('/', '~1')}"
                for field in _NAMING:
                    value = member.get(field)
                    if value == gone:
                        yield set_to(f"{there}/{field}", to)
                    elif isinstance(value, list) and gone in value:
                        own = member.get("segment")
                        named = dict.fromkeys(to if item == gone else item for item in value)
                        yield set_to(f"{there}/{field}", [item for item in named if item != own])


# --- Order and layout ------------------------------------------------------------------------------------


def reorder(plan: SitePlan, key: str, by: int) -> SegmentProposal:
    """A segment so many places up (negative) or down among the others."""
    keys = list(plan.segments)
    place = keys.index(key)
    to = min(len(keys) - 1, max(0, place + by))
    keys.insert(to, keys.pop(place))
    moved = [] if to == place else _numbered(plan, keys)
    return SegmentProposal(f"Put {plan.segments[key].label} at place {to + 1}", moved, [])


def _numbered(plan: SitePlan, keys: list[str]) -> list[Operation]:
    """The change that puts segments in the order of their keys."""
    now = {key: segment.order for key, segment in plan.segments.items()}
    return [set_to(f"/segments/{key}/order", n) for n, key in enumerate(keys, 1) if now.get(key) != n]


def _beside(plan: SitePlan, key: str, fresh_key: str) -> list[Operation]:
    """The change that puts a new segment right behind another one."""
    keys = list(plan.segments)
    if keys[-1] == key:
        return []
    keys.insert(keys.index(key) + 1, fresh_key)
    return _numbered(plan, keys)


def lay_out_site(portfolio: Portfolio, plan: SitePlan, block: Network, needs: Sequence[SegmentNeed]) -> SegmentProposal:
    """A whole site from a list of needs in one block (VLSM): those that are there are renumbered, the others added.

    What other sites and other segments have of the block is not taken.
    """
    if block.family != 4:
        raise RoomError(f"{block} is not IPv4: there every segment takes a /64")
    laid = {need.key for need in needs if need.key}
    rest = plan.model_copy(update={"segments": {k: s for k, s in plan.segments.items() if k not in laid}, "hosts": {}})
    free = Room(portfolio, rest).free(block)
    taken = Span(block.first, block.last).without(
        [Span(Address(4, a), Address(4, b)) for a, b in zip(free.first.tolist(), free.last.tolist(), strict=True)]
    )
    growth = portfolio.organisation.growth
    wants = [Want(need.label, need.hosts, need.prefix) for need in needs]
    given = lay_out(block, wants, taken, growth)
    draft, operations, lost = plan, list[Operation](), list[str]()
    for need, subnet in _in_turn(plan, [(need, g.subnet) for need, g in zip(needs, given, strict=True)]):
        proposal = _laid(portfolio, draft, need, subnet)
        operations += proposal.operations
        lost += [f"{need.label}: {line}" for line in proposal.lost]
        draft = applied(draft, proposal.operations)
    low, high = min(g.subnet.first for g in given), max(g.subnet.last for g in given)
    added = [segment for key, segment in draft.segments.items() if key not in plan.segments]
    told = _settled(added, portfolio.organisation.beginning)
    many = f"{len(needs)} segment{'' if len(needs) == 1 else 's'}"
    return SegmentProposal(f"Lay out {many} between {low} and {high}{told}", operations, lost)


def _in_turn(plan: SitePlan, moves: list[tuple[SegmentNeed, Network]]) -> Iterator[tuple[SegmentNeed, Network]]:
    """The moves in an order in which none goes to where another segment still is, so that addresses stay apart."""
    left = list(moves)
    while left:
        for move in left:
            need, subnet = move
            others = [plan.segments[n.key].subnet for n, _ in left if n.key and n.key != need.key]
            if not any(other is not None and _meet(subnet, other) for other in others):
                break
        else:
            labels = " and ".join(need.label for need, _ in left[:3])
            raise RoomError(f"{labels} would change places with each other: lay them out in another block first")
        left.remove(move)
        yield move


def _laid(portfolio: Portfolio, plan: SitePlan, need: SegmentNeed, subnet: Network) -> SegmentProposal:
    if need.key is None:
        return add(portfolio, plan, need.role, need.label, subnet=subnet, hosts=need.hosts or None)
    segment = plan.segments[need.key]
    if segment.subnet == subnet:
        return SegmentProposal("", [], [])
    if segment.subnet is None:
        begun = _first(portfolio.organisation.at(plan.customer), segment, subnet)
        return SegmentProposal("", _differences(f"/segments/{need.key}", segment, begun), [])
    return resize(portfolio, plan, need.key, subnet)


def _first(organisation: Organisation, segment: Segment, subnet: Network) -> Segment:
    """A segment that had no subnet, with its first one."""
    gateway = segment.gateway
    if gateway is None and segment.role not in (SegmentRole.TRANSIT, SegmentRole.ISOLATED):
        gateway = organisation.gateway_in(subnet)
    return segment.model_copy(update={"subnet": subnet, "gateway": gateway})
