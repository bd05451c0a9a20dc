"""Patterns: layouts of segments for a kind of site, drawn on example addresses, and fitted to real ones.

A pattern is a site plan of nobody: its segments lie in a block of their own, and everything in them is known by its
offset. Fitted to the subnets of a site, everything moves there with its offset; what the pattern leaves out is as it is
usual at the customer. Segments and hosts keep the pattern's ids, so that a site can be held against its pattern later.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.changes import Change, changes, sentence
from octaplan.core.plan.organisation import Defaults, Organisation
from octaplan.core.plan.patch import Operation, applied, set_to
from octaplan.core.plan.renumber import in_text, shifted
from octaplan.core.plan.site import (
    PATTERNS,
    Host,
    KeptRun,
    PatternUse,
    Scope,
    Segment,
    SegmentRole,
    SitePlan,
)
from octaplan.core.propose.room import Room, RoomError, Want, lay_out, numbered_subnet, range_leaving
from octaplan.core.propose.segments import PRESETS, SegmentProposal
from octaplan.core.values.addresses import Address, Network, parse_network

#: Where patterns are drawn, from its beginning on.
EXAMPLES = parse_network("10.128.0.0/16")[0]

#: What of a segment a pattern decides.
_FIELDS = ("label", "role", "vlan", "vrf", "reach", "gateway", "resolvers", "domain", "expected_hosts", "kept")


class Fitted(NamedTuple):
    """The segments and hosts of a pattern at real addresses."""

    segments: dict[str, Segment]
    hosts: dict[str, Host]


#: Domains that mean the same at every customer (RFC 6762, RFC 8375, RFC 9476, and one set aside for private use).
_ANYWHERE = ("home.arpa", "local", "internal", "alt")


def _anywhere(domain: str | None) -> bool:
    name = (domain or "").casefold().rstrip(".")
    return any(name == one or name.endswith(f".{one}") for one in _ANYWHERE)


def pattern_of(plan: SitePlan, key: str, name: str, usual: Defaults) -> SitePlan:
    """A pattern that is laid out like a site: without what only one site can have (MACs, IPv6 subnets of its own), and
    without what is its customer's: domains, and the resolvers that are usual there. Each site takes those of its own.
    """
    wanted = [(k, s) for k, s in plan.segments.items() if s.subnet is not None and s.subnet.family == 4]
    laid = lay_out(EXAMPLES, [Want(k, 0, s.subnet.prefix) for k, s in wanted if s.subnet is not None])
    subnets = {given.want.name: given.subnet for given in laid}
    segments, hosts = fit(plan, subnets, Organisation(), Defaults())
    bare = {
        k: s.model_copy(
            update={
                "subnet6": None,
                "gateway6": None,
                "order": n,
                "domain": s.domain if _anywhere(s.domain) else None,
                "resolvers": [] if s.resolvers == usual.resolvers else s.resolvers,
            }
        )
        for n, (k, s) in enumerate(segments.items(), 1)
    }
    alike = {k: h.model_copy(update={"mac": None, "address6": None}) for k, h in hosts.items()}
    return SitePlan(customer=PATTERNS, site=key, name=name, reach_groups=[], segments=bare, hosts=alike)


@dataclass(frozen=True, slots=True)
class AsItStands:
    """A value of a pattern that every site gets as it is written: where it stands, in words, and whose it is if it is
    a customer's."""

    path: str
    text: str
    whose: str


def as_they_stand(pattern: SitePlan, organisation: Organisation) -> list[AsItStands]:
    """What sites get of a pattern neither by offset nor from what is usual at their customer."""
    drawn = [segment.subnet for segment in pattern.segments.values() if segment.subnet is not None]

    def outside(address: object) -> bool:
        return isinstance(address, Address) and not any(net.holds(address) for net in drawn)

    found = []
    for key, segment in pattern.segments.items():
        server = segment.scope.server
        beside = [resolver for resolver in segment.resolvers if outside(resolver)]
        told = {
            "domain": segment.domain or "",
            "resolvers": " ".join(map(str, beside)),
            "scope/server": str(server) if outside(server) else "",
        }
        labels = {"domain": "the domain", "resolvers": "the resolvers", "scope/server": "the DHCP server"}
        found += [
            AsItStands(
                f"/segments/{key}/{field}",
                f"{segment.label} has {labels[field]} {text}",
                _owner(text, organisation) if field == "domain" else "",
            )
            for field, text in told.items()
            if text
        ]
    return found


def _owner(domain: str, organisation: Organisation) -> str:
    """The customer whose domain it is, or is under; `a customer` when it is only known to be one's own."""
    name = domain.casefold().rstrip(".")
    for code, usual in organisation.customers.items():
        own = (usual.domain or "").casefold().rstrip(".")
        if own and (name == own or name.endswith(f".{own}")):
            return code.upper()
    return "a customer" if organisation.owns(domain) else ""


def fit(
    pattern: SitePlan,
    subnets: Mapping[str, Network],
    organisation: Organisation,
    usual: Defaults,
    prefix6: Network | None = None,
) -> Fitted:
    """The segments of a pattern in the subnets that are given by segment; segments without one are left out."""
    places = [(s.subnet, subnets[k]) for k, s in pattern.segments.items() if k in subnets and s.subnet is not None]

    def moved(address: Address) -> Address:
        for old, new in places:
            if old.holds(address):
                return address.plus(new.value - old.value)
        return address

    hosts = {
        key: host.model_copy(update={"address": None if host.address is None else moved(host.address)})
        for key, host in pattern.hosts.items()
        if host.segment in subnets
    }
    segments = {}
    for key, segment in pattern.segments.items():
        if key in subnets:
            own = [h.address for h in hosts.values() if h.segment == key and h.address is not None]
            segments[key] = _fitted(segment, subnets[key], moved, own, organisation, usual, pattern, prefix6)
    return Fitted(segments, hosts)


def _fitted(
    segment: Segment,
    subnet: Network,
    moved: Any,
    hosts: list[Address],
    organisation: Organisation,
    usual: Defaults,
    pattern: SitePlan,
    prefix6: Network | None,
) -> Segment:
    scope = segment.scope
    update: dict[str, Any] = {
        "subnet": subnet,
        "gateway": _gateway(segment, subnet, moved, organisation),
        "resolvers": [moved(r) if isinstance(r, Address) else r for r in segment.resolvers],
        "kept": [KeptRun(kind=k.kind, run=shifted(k.run, moved)) for k in segment.kept],
        "scope": scope.model_copy(
            update={
                "server": moved(scope.server) if isinstance(scope.server, Address) else scope.server,
                "first": None if scope.first is None else moved(scope.first),
                "last": None if scope.last is None else moved(scope.last),
                "excluded": [shifted(span, moved) for span in scope.excluded],
                "options": {number: in_text(text, moved) for number, text in scope.options.items()},
            }
        ),
    }
    if not update["resolvers"]:
        update["resolvers"] = usual.resolvers or (["gateway"] if scope.server != "none" else [])
    if segment.domain is None and segment.role is not SegmentRole.GUEST:
        update["domain"] = usual.domain
    if segment.subnet6 is not None:
        update |= _second(segment, pattern.delegated_prefix, prefix6)
    placed = segment.model_copy(update=update)
    if scope.server == "edge" and scope.first is None and scope.last is None and PRESETS[segment.role].leases:
        placed = placed.model_copy(update={"scope": _ranged(placed, hosts, organisation)})
    return placed


def _gateway(segment: Segment, subnet: Network, moved: Any, organisation: Organisation) -> Address | None:
    """The gateway at its offset; at the last usable address where the pattern has it there; else by convention."""
    if segment.gateway is None:
        return None if segment.role in (SegmentRole.TRANSIT, SegmentRole.ISOLATED) else organisation.gateway_in(subnet)
    if segment.subnet is not None and segment.gateway == segment.subnet.usable.last:
        return subnet.usable.last
    at: Address = moved(segment.gateway)
    return at


def _ranged(segment: Segment, hosts: list[Address], organisation: Organisation) -> Scope:
    """A range made by convention, for a segment whose pattern says only that the edge serves it."""
    try:
        span = range_leaving(segment, organisation.leave_fixed, hosts, organisation)
    except RoomError:
        return segment.scope
    return segment.scope.model_copy(update={"first": span.first, "last": span.last})


def _second(segment: Segment, drawn: Network | None, given: Network | None) -> dict[str, Any]:
    """The IPv6 side under the prefix of a site: the /64 of the same number, the gateway at its offset."""
    own = segment.subnet6
    if own is None or drawn is None or given is None or not drawn.holds(own.first):
        return {"subnet6": None, "gateway6": None}
    subnet = numbered_subnet(given, (own.value - drawn.value) >> 64)
    gateway = segment.gateway6
    return {
        "subnet6": subnet,
        "gateway6": None if gateway is None or not own.holds(gateway) else gateway.plus(subnet.value - own.value),
    }


def sizes(pattern: SitePlan) -> dict[str, Network]:
    """The subnets that the segments of a pattern are drawn with, by segment. Raises `RoomError` for one without."""
    drawn = {}
    for key, segment in pattern.segments.items():
        if segment.subnet is None or segment.subnet.family != 4:
            raise RoomError(f"{segment.label} of the pattern has no IPv4 subnet yet: give it a size there first")
        drawn[key] = segment.subnet
    if not drawn:
        raise RoomError("The pattern has no segments yet: add them first")
    return drawn


# --- A site against its pattern --------------------------------------------------------------------------


def departures(pattern: SitePlan, plan: SitePlan, organisation: Organisation) -> list[Change]:
    """How a site differs from its pattern: before is what the pattern has, after what the site has."""
    there = {k: plan.segments[k].subnet for k in pattern.segments if k in plan.segments}
    subnets = {key: subnet for key, subnet in there.items() if subnet is not None}
    expected = _expected(pattern, plan, subnets, organisation)
    drawn = {key: segment for key, segment in expected.segments.items() if key in pattern.segments}
    wanted = expected.model_copy(update={"segments": drawn})
    found = [] if wanted == plan else list(changes(wanted, plan))
    for key, segment in pattern.segments.items():
        own = there.get(key)
        if own is not None and segment.subnet is not None and own.prefix != segment.subnet.prefix:
            sizes_ = (f"/{segment.subnet.prefix}", f"/{own.prefix}")
            found.append(Change(f"/segments/{key}/subnet", plan.segments[key].label, "size", *sizes_))
    return found


def _expected(
    pattern: SitePlan, plan: SitePlan, subnets: Mapping[str, Network], organisation: Organisation
) -> SitePlan:
    """The plan as the pattern would have it, its own hosts and subnets beside."""
    usual, own = organisation.usual(plan.customer), organisation.at(plan.customer)
    segments, hosts = fit(pattern, subnets, own, usual, plan.delegated_prefix)
    wanted = {}
    for key, segment in pattern.segments.items():
        if key in segments:
            now = plan.segments[key]
            kept = {"subnet6": now.subnet6, "gateway6": now.gateway6, "order": now.order}
            wanted[key] = segments[key].model_copy(update=kept)
        elif key not in plan.segments:
            wanted[key] = segment
        else:
            wanted[key] = plan.segments[key]
    also = {k: s for k, s in plan.segments.items() if k not in pattern.segments}
    settled = {
        k: h.model_copy(update={"mac": plan.hosts[k].mac, "address6": plan.hosts[k].address6}) if k in plan.hosts else h
        for k, h in hosts.items()
    }
    return plan.model_copy(
        update={"segments": {**wanted, **also}, "hosts": {**settled, **_own_hosts(plan, pattern.hosts)}}
    )


def _own_hosts(plan: SitePlan, pattern_hosts: Iterable[str]) -> dict[str, Host]:
    of_pattern = set(pattern_hosts)
    return {key: host for key, host in plan.hosts.items() if key not in of_pattern}


# --- A newer version taken -------------------------------------------------------------------------------


def take_newer(portfolio: Portfolio, plan: SitePlan, old: SitePlan, new: SitePlan, use: PatternUse) -> SegmentProposal:
    """What a newer version of its pattern changes at a site. What the site has departed from stays, and is told.

    Raises `RoomError` when a segment that is new or larger finds no room.
    """
    organisation = portfolio.organisation
    subnets, lost = _placed(portfolio, plan, old, new)
    kept = {key: subnet for key, subnet in _subnets(plan).items() if key in old.segments}
    before = _expected(old, plan, kept, organisation)
    now = plan.model_copy(update={"segments": {**plan.segments, **_hollow(new, plan, subnets)}})
    after = _expected(new, now, subnets, organisation)
    operations: list[Operation] = []
    for key in new.segments:
        was, wanted, own = (p.segments.get(key) for p in (before, after, plan))
        path = f"/segments/{key}"
        if own is None and key in old.segments:
            lost.append(f"{new.segments[key].label} was removed here, and stays away")
        elif own is None and wanted is not None:
            operations.append(set_to(path, wanted.model_dump(mode="json")))
        elif own is not None and wanted is not None:
            base = was if key in old.segments and was is not None else own
            operations += _merged(path, own.label, lost, *map(_flat, (base, own, wanted)))
    for key, segment in old.segments.items():
        if key in plan.segments and key not in new.segments:
            lost.append(f"{segment.label} is no part of the pattern any more: remove it here when it is not needed")
    operations += _hosts(plan, before, after, old, new, lost)
    draft = applied(plan, operations) if operations else plan
    told = changes(plan, draft) if operations else []
    lost += _new_stops(portfolio, plan, draft)
    operations.append(set_to("/pattern", use.model_dump(mode="json")))
    what = sentence(told, 4) if told else "nothing else changes here"
    return SegmentProposal(f"Take version {use.version} of {new.name or new.site}: {what}", operations, lost)


def _new_stops(portfolio: Portfolio, plan: SitePlan, draft: SitePlan) -> list[str]:
    """The stops that a change brings to a site, in words."""
    if draft is plan:
        return []
    there = {f.identity for f in portfolio.check(plan)}
    fresh = [f for f in portfolio.check(draft) if f.severity is Severity.STOP and f.identity not in there]
    return [f"It brings a stop: {finding.message}" for finding in fresh]


def _subnets(plan: SitePlan) -> dict[str, Network]:
    return {key: s.subnet for key, s in plan.segments.items() if s.subnet is not None}


def _placed(portfolio: Portfolio, plan: SitePlan, old: SitePlan, new: SitePlan) -> tuple[dict[str, Network], list[str]]:
    """The subnet of each segment of the new version at a site: its own, or a free one where it is new or grew."""
    lost: list[str] = []
    subnets: dict[str, Network] = {}
    draft = plan
    for key, drawn in sizes(new).items():
        own = plan.segments[key].subnet if key in plan.segments else None
        before = old.segments[key].subnet if key in old.segments else None
        if own is not None and (before is None or before.prefix == drawn.prefix or own.prefix != before.prefix):
            subnets[key] = own
            continue
        if own is None and key in old.segments:
            continue  # the site has removed it, or never gave it a subnet
        found = Room(portfolio, draft).next_subnets(drawn.prefix, own.first if own else None, key if own else None)
        if not found:
            raise RoomError(f"{new.segments[key].label} needs a /{drawn.prefix}, and none is free at this site")
        subnets[key] = found[0]
        if own is not None:
            lost.append(f"{new.segments[key].label} moves from {own} to {found[0]}: its hosts take new addresses")
        held = new.segments[key].model_copy(update={"subnet": found[0]})
        draft = draft.model_copy(update={"segments": {**draft.segments, key: held}})
    return subnets, lost


def _hollow(new: SitePlan, plan: SitePlan, subnets: Mapping[str, Network]) -> dict[str, Segment]:
    """Segments that only the new version has, so that it can be held against the site."""
    return {k: new.segments[k].model_copy(update={"subnet": s}) for k, s in subnets.items() if k not in plan.segments}


def _flat(segment: Segment) -> dict[str, Any]:
    document = segment.model_dump(mode="json")
    scope = {f"scope/{name}": value for name, value in document["scope"].items()}
    return {"subnet": document["subnet"], **{name: document[name] for name in _FIELDS}, **scope}


def _merged(
    path: str, label: str, lost: list[str], was: dict[str, Any], own: dict[str, Any], wanted: dict[str, Any]
) -> list[Operation]:
    """The values that the newer version changes, where the site still has the older one's."""
    operations = []
    for name, value in wanted.items():
        if value == was[name] or value == own[name]:
            continue
        if own[name] == was[name]:
            operations.append(set_to(f"{path}/{name}", value))
        else:
            lost.append(
                f"{label} {name.replace('scope/', 'range ')} stays {_said(own[name])}: the pattern now has "
                f"{_said(value)}"
            )
    return operations


def _said(value: Any) -> str:
    if isinstance(value, list):
        return " ".join(map(str, value)) or "empty"
    return "empty" if value in (None, "", {}) else str(value)


def _hosts(
    plan: SitePlan, before: SitePlan, after: SitePlan, old: SitePlan, new: SitePlan, lost: list[str]
) -> list[Operation]:
    operations: list[Operation] = []
    for key in new.hosts:
        was, wanted, own = (p.hosts.get(key) for p in (before, after, plan))
        if wanted is None or wanted.segment not in after.segments:
            continue
        if own is None:
            if key not in old.hosts:
                operations.append(set_to(f"/hosts/{key}", wanted.model_dump(mode="json")))
            continue
        documents = [host.model_dump(mode="json") for host in (was or own, own, wanted)]
        operations += _merged(f"/hosts/{key}", own.name, lost, *documents)
    for key, host in old.hosts.items():
        if key in plan.hosts and key not in new.hosts:
            lost.append(f"{host.name} is no part of the pattern any more: remove it here when it is not needed")
    return operations
