"""Remedies: changes to a plan that a finding offers, each a JSON Patch (RFC 6902) with a sentence.

A function per rule proposes; `remedies` keeps what holds: applied to the plan, the finding is gone and no new
`stop` has come. Nothing here changes a plan.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from octaplan.core.check.faults import JUDGED_BY_WALK
from octaplan.core.check.findings import Finding, Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.check.rules.answers import (
    answered_address,
    served_by_others,
    served_by_the_edge,
    with_licences,
)
from octaplan.core.check.rules.dhcp import offsets_of
from octaplan.core.check.view import View
from octaplan.core.flow.matrix import Traffic
from octaplan.core.plan.boxes import interfaces, named, uncabled
from octaplan.core.plan.device import PortMode
from octaplan.core.plan.domains import wanted_domain
from octaplan.core.plan.patch import Operation, PatchError, applied, set_to, value_at
from octaplan.core.plan.questions import BY_NAME, NONE, is_none, standing
from octaplan.core.plan.renumber import renumber
from octaplan.core.plan.replacement import survivor_now
from octaplan.core.plan.site import Method, Reach, Segment, SegmentRole, SitePlan, new_id
from octaplan.core.propose import defaults  # noqa: F401  (its remedies)
from octaplan.core.propose.cabling import cabled
from octaplan.core.propose.mending import agreeing
from octaplan.core.propose.remedy import PROPOSING, Remedy, Trouble, remedy_for
from octaplan.core.propose.room import (
    fixed_in,
    next_host,
    next_vlan,
    numbered_subnet,
    prefix_for,
    range_for,
    range_leaving,
    wanted_prefix,
)
from octaplan.core.propose.typed import understand
from octaplan.core.values.addresses import Address, Network, Span, parse_address
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.lazy import lazy
from octaplan.core.values.oneline import odd_character

#: How many remedies a finding offers at most.
OFFERED = 3


def remedied_rules() -> frozenset[str]:
    """The rules whose findings may offer a remedy."""
    return frozenset(PROPOSING)


Place = tuple[str, str, str, str]


class Offers:
    """What the findings of a plan offer. A change that several of them offer is tried once."""

    def __init__(self, portfolio: Portfolio, plan: SitePlan, findings: list[Finding]) -> None:
        self._portfolio, self._plan = portfolio, plan
        self._stops = {_where(f) for f in findings if f.severity is Severity.STOP}
        self._tried: dict[str, _Outcome | None] = {}

    @lazy
    def _agreeing(self) -> set[tuple[str, str]]:
        return agreeing(Traffic(self._plan, self._portfolio.organisation))

    def of(self, finding: Finding) -> list[Remedy]:
        """Remedies that each, applied, remove the finding and add no `stop`; one for traffic breaks no cell of the
        matrix that is as it is meant."""
        propose = PROPOSING.get(finding.rule)
        if propose is None:
            return []
        kept: list[Remedy] = []
        cells = self._agreeing if finding.rule in JUDGED_BY_WALK else set()
        try:
            for remedy in propose(Trouble(self._portfolio, self._plan, finding)):
                if len(kept) == OFFERED:
                    break
                fresh = all(remedy.operations != other.operations for other in kept)
                if fresh and self._holds(finding, remedy) and self._keeps(cells, remedy):
                    kept.append(remedy)
        except OctaplanError:  # no room for it, or nothing that it could be put into
            pass
        return kept

    def _holds(self, finding: Finding, remedy: Remedy) -> bool:
        change = repr(remedy.operations)
        if change not in self._tried:
            self._tried[change] = self._outcome(remedy)
        outcome = self._tried[change]
        return outcome is not None and outcome.removes(finding) and outcome.stops <= self._stops

    def _outcome(self, remedy: Remedy) -> _Outcome | None:
        try:
            return _Outcome(self._portfolio.view(applied(self._plan, remedy.operations)))
        except PatchError:
            return None

    def _keeps(self, cells: set[tuple[str, str]], remedy: Remedy) -> bool:
        """Whether the cells that were as they are meant still are."""
        if not cells:
            return True
        return cells <= agreeing(Traffic(applied(self._plan, remedy.operations), self._portfolio.organisation))


class _Outcome:
    """What is found once a change is made."""

    def __init__(self, view: View) -> None:
        self._view, self._places = view, dict[str, set[Place]]()

    def removes(self, finding: Finding) -> bool:
        return _where(finding) not in self._found(finding.rule)

    @lazy
    def stops(self) -> set[Place]:
        grave = (rule.id for rule in RULES.values() if rule.severity is Severity.STOP)
        return {place for rule in grave for place in self._found(rule)}

    def _found(self, rule: str) -> set[Place]:
        if rule not in self._places:
            self._places[rule] = {_where(f) for f in RULES[rule].findings(self._view)}
        return self._places[rule]


def _where(finding: Finding) -> Place:
    """What is wrong where; unlike a finding's identity it stays as it is when addresses move. A pair of places is told
    by both."""
    address = finding.subject if finding.rule == "overlap-address" else ""
    if "→" in finding.addresses:
        return finding.rule, finding.path, finding.field, finding.addresses
    return finding.rule, "" if address else finding.path, finding.field, address


# --- Subnets ---------------------------------------------------------------------------------------------


def _renumbered(trouble: Trouble, key: str, subnet: Network, why: str = "") -> Remedy:
    operations, along = renumber(trouble.plan, key, subnet)
    label = trouble.plan.segments[key].label
    return Remedy(f"Renumber {label} to {subnet}{why}{f'; {along}' if along else ''}", operations)


def _next_subnets(trouble: Trouble, key: str, prefix: int, most: int = 2) -> Iterator[Remedy]:
    before = trouble.plan.segments[key].subnet
    near = before.first if before is not None and before.family == 4 else None
    for subnet in trouble.room.next_subnets(prefix, near, key, most):
        yield _renumbered(trouble, key, subnet)


def _prefix_of(segment: Segment) -> int:
    return segment.subnet.prefix if segment.subnet is not None and segment.subnet.family == 4 else 24


@remedy_for(
    *("overlap-segment", "overlap-reach", "overlap-ours", "overlap-modem", "common-default", "overlap-factory"),
    *("outside-blocks", "foreign-block"),
)
def _elsewhere(trouble: Trouble) -> Iterator[Remedy]:
    if trouble.second:
        yield from _next_six(trouble)
        return
    yield from _next_subnets(trouble, trouble.key, _prefix_of(trouble.segment))
    if trouble.finding.rule == "overlap-reach":
        operation = trouble.set("reach", Reach.LOCAL)
        yield Remedy(f"Keep {trouble.segment.label} local, so that no other site reaches it", [operation])


@remedy_for("inside-public")
def _private(trouble: Trouble) -> Iterator[Remedy]:
    yield from _next_subnets(trouble, trouble.key, max(_prefix_of(trouble.segment), 16))


@remedy_for("overlap-wan-inside")
def _off_the_line(trouble: Trouble) -> Iterator[Remedy]:
    subject = trouble.circuit
    blocks = [block for block in (subject.subnet, subject.subnet6, *subject.routed_blocks) if block is not None]
    operations: list[Operation] = []
    words = []
    for key, segment in trouble.plan.segments.items():
        if segment.subnet is not None and any(_overlap(segment.subnet, block) for block in blocks):
            found = trouble.room.next_subnets(_prefix_of(segment), None, key)
            if not found or operations:  # one at a time: two would be given the same subnet
                return
            operations, _ = renumber(trouble.plan, key, found[0])
            words.append(f"Renumber {segment.label} to {found[0]}")
    if operations:
        yield Remedy(words[0], operations)


def _overlap(a: Network, b: Network) -> bool:
    return a.family == b.family and (a.holds(b.first) or b.holds(a.first))


@remedy_for("subnet-missing")
def _first_subnet(trouble: Trouble) -> Iterator[Remedy]:
    segment, organisation = trouble.segment, trouble.portfolio.organisation.at(trouble.plan.customer)
    for subnet in trouble.room.next_subnets(wanted_prefix(segment, organisation.growth), None, trouble.key):
        gateway = organisation.gateway_in(subnet)
        operations = [trouble.set("subnet", str(subnet))]
        if segment.gateway is None and segment.role not in (SegmentRole.TRANSIT, SegmentRole.ISOLATED):
            operations.append(trouble.set("gateway", str(gateway)))
        yield Remedy(f"Give {segment.label} the free subnet {subnet}", operations)


@remedy_for("subnet-tight")
def _wider(trouble: Trouble) -> Iterator[Remedy]:
    segment, organisation = trouble.segment, trouble.portfolio.organisation.at(trouble.plan.customer)
    if segment.subnet is None or segment.subnet.family != 4 or segment.expected_hosts is None:
        return
    prefix = min(prefix_for(segment.expected_hosts, organisation.growth), segment.subnet.prefix - 1)
    if prefix < 8:
        return
    grown = Network.holding(segment.subnet.first, prefix)
    operations = [trouble.set("subnet", str(grown))]
    yield Remedy(f"Widen {segment.label} to {grown}, where it is", operations)
    yield from _next_subnets(trouble, trouble.key, prefix, 1)


@remedy_for("subnet-wasteful")
def _narrower(trouble: Trouble) -> Iterator[Remedy]:
    segment = trouble.segment
    anchor = segment.gateway or next(iter(fixed_in(trouble.plan, trouble.key)), None)
    if segment.subnet is not None:
        home = anchor if anchor is not None and segment.subnet.holds(anchor) else segment.subnet.first
        for prefix in (30, 29):
            narrow = Network.holding(home, prefix)
            yield Remedy(f"Narrow {segment.label} to {narrow}", [trouble.set("subnet", str(narrow))])


# --- IPv6 ------------------------------------------------------------------------------------------------


@remedy_for("ipv6-size", "ipv6-outside")
def _next_six(trouble: Trouble) -> Iterator[Remedy]:
    segment, prefix = trouble.segment, trouble.plan.delegated_prefix
    current = segment.subnet6 if trouble.second else segment.subnet
    if trouble.finding.rule == "ipv6-size" and current is not None:
        yield _renumbered(trouble, trouble.key, Network.holding(current.first, 64))
    if prefix is None or prefix.prefix > 64:
        return
    numbers = [int(str(segment.vlan), 16)] if segment.vlan else []
    free = trouble.room.next_number()
    for number in (*numbers, *([free] if free is not None else [])):
        if number < 1 << (64 - prefix.prefix):
            yield _renumbered(trouble, trouble.key, numbered_subnet(prefix, number), f", number {number:x} of {prefix}")


# --- Gateways --------------------------------------------------------------------------------------------


@remedy_for("gateway-missing", "gateway-outside", "gateway-unusable", "gateway-convention")
def _usual_gateway(trouble: Trouble) -> Iterator[Remedy]:
    segment, organisation = trouble.segment, trouble.portfolio.organisation.at(trouble.plan.customer)
    subnet = segment.subnet6 if trouble.second else segment.subnet
    if subnet is None:
        return
    usual = organisation.gateway_in(subnet)
    if subnet.family == 6:
        usual = subnet.first.plus(1) if subnet.size > 1 else subnet.first
    field = "gateway6" if trouble.second else "gateway"
    ends = (usual, subnet.usable.first, subnet.usable.last)
    for gateway in ends[:1] if trouble.finding.rule == "gateway-convention" else dict.fromkeys(ends):
        yield Remedy(f"Make {gateway} the gateway of {segment.label}", [trouble.set(field, str(gateway))])


@remedy_for("wan-gateway-missing")
def _only_other(trouble: Trouble) -> Iterator[Remedy]:
    circuit = trouble.circuit
    subnet = circuit.subnet
    if trouble.second or subnet is None or subnet.usable.size != 2 or circuit.address is None:
        return
    other = next(end for end in subnet.usable if end != circuit.address)
    yield Remedy(f"Take {other}, the only other address of {subnet}, as gateway", [trouble.set("gateway", str(other))])


@remedy_for("wan-use-outside")
def _no_such_use(trouble: Trouble) -> Iterator[Remedy]:
    wrong = [address for address in trouble.finding.addresses.split(", ") if address in trouble.circuit.uses]
    operations = [{"op": "remove", "path": f"{trouble.base}/uses/{address}"} for address in wrong]
    yield Remedy(f"Take the use of {', '.join(wrong)} away", operations)


@remedy_for("wan-use-taken")
def _use_elsewhere(trouble: Trouble) -> Iterator[Remedy]:
    address = trouble.finding.addresses
    if address in trouble.circuit.uses:
        gone = [{"op": "remove", "path": f"{trouble.base}/uses/{address}"}]
        yield Remedy(f"Take the use of {address} away", gone)


# --- DHCP ------------------------------------------------------------------------------------------------


def _range(trouble: Trouble, key: str, span: Span, sentence: str) -> Remedy:
    scope = f"/segments/{key}/scope"
    return Remedy(sentence, [set_to(f"{scope}/first", str(span.first)), set_to(f"{scope}/last", str(span.last))])


def _round(trouble: Trouble, key: str, address: Address) -> Iterator[Remedy]:
    """Take an address out of a range: shorten it at the nearer side, or exclude it."""
    scope = trouble.plan.segments[key].scope
    if scope.span is None:
        return
    first, last = scope.span
    sides = [
        (last.value - address.value, Span(first, address.plus(-1)) if address > first else None, "End"),
        (address.value - first.value, Span(address.plus(1), last) if address < last else None, "Start"),
    ]
    lost, span, verb = min((side for side in sides if side[1] is not None), key=lambda side: side[0], default=sides[0])
    excluded = [*(run.typed for run in scope.excluded), str(address)]
    shorter = []
    if span is not None:
        end = span.last if verb == "End" else span.first
        shorter.append(_range(trouble, key, span, f"{verb} the range at {end}, {lost + 1:,} fewer"))
    out = Remedy(f"Exclude {address} from the range", [set_to(f"/segments/{key}/scope/excluded", excluded)])
    yield from [*shorter, out] if lost < 16 else [out, *shorter]


@remedy_for("overlap-scope-static")
def _out_of_the_range(trouble: Trouble) -> Iterator[Remedy]:
    host = trouble.host
    address = host.address6 if trouble.second else host.address
    if address is None:
        return
    for key, segment in trouble.plan.segments.items():
        one_table = segment.vrf == trouble.plan.segments[host.segment].vrf
        if one_table and any(piece.holds(address) for piece in segment.scope.pieces):
            yield from _all_out(trouble, key, address.family)
            yield from _round(trouble, key, address)
    yield from _next_address(trouble)


def _all_out(trouble: Trouble, key: str, family: int) -> Iterator[Remedy]:
    """Take all fixed hosts out of a range at once, when there are several in it."""
    plan, segment = trouble.plan, trouble.plan.segments[key]
    tables = {other for other, one in plan.segments.items() if one.vrf == segment.vrf}
    fixed = (
        h.address if family == 4 else h.address6
        for h in plan.hosts.values()
        if h.segment in tables and h.method == Method.STATIC
    )
    inside = sorted({a for a in fixed if a is not None and any(piece.holds(a) for piece in segment.scope.pieces)})
    if len(inside) < 2:
        return
    if family == 4 and segment.subnet is not None:
        span = range_leaving(
            segment,
            0,
            [h.address for h in plan.hosts.values() if h.address is not None],
            trouble.portfolio.organisation,
        )
        yield _range(
            trouble, key, span, f"Move the range of {segment.label} to {span}, clear of all {len(inside)} hosts in it"
        )
    runs: list[Span] = []
    for address in inside:
        if runs and runs[-1].last.plus(1) == address:
            runs[-1] = Span(runs[-1].first, address)
        else:
            runs.append(Span(address, address))
    excluded = [*(run.typed for run in segment.scope.excluded), *(run.typed for run in runs)]
    yield Remedy(
        f"Exclude all {len(inside)} hosts in it from the range of {segment.label}",
        [set_to(f"/segments/{key}/scope/excluded", excluded)],
    )


@remedy_for("overlap-scope-gateway")
def _gateway_out(trouble: Trouble) -> Iterator[Remedy]:
    gateway = trouble.segment.gateway6 if trouble.second else trouble.segment.gateway
    if gateway is not None:
        for key, segment in trouble.plan.segments.items():
            if any(piece.holds(gateway) for piece in segment.scope.pieces):
                yield from _round(trouble, key, gateway)


@remedy_for("device-address-leased")
def _box_out_of_the_range(trouble: Trouble) -> Iterator[Remedy]:
    key, address = trouble.finding.path.rpartition("/")[2], parse_address(trouble.finding.addresses)
    if key in trouble.plan.segments:
        yield from _round(trouble, key, address)


@remedy_for("transit-range")
def _no_range(trouble: Trouble) -> Iterator[Remedy]:
    gone = [trouble.set(f"scope/{end}", value) for end, value in (("first", None), ("last", None), ("server", "none"))]
    yield Remedy(f"Take the range of {trouble.segment.label} away", gone)


@remedy_for("switch-gateway-wrong")
def _gateway_of_its_segment(trouble: Trouble) -> Iterator[Remedy]:
    device = trouble.plan.devices[trouble.key]
    for interface in interfaces(trouble.plan, device):
        segment = trouble.plan.segments.get(interface.owner.rpartition("/")[2])
        if segment is not None and segment.gateway is not None:
            yield Remedy(
                f"Make {segment.gateway}, the gateway of {segment.label}, its default gateway",
                [trouble.set("gateway", str(segment.gateway))],
            )


@remedy_for("scope-outside", "scope-edge", "overlap-scope")
def _clipped(trouble: Trouble) -> Iterator[Remedy]:
    segment = trouble.segment
    scope, subnet = segment.scope, segment.subnet
    if subnet is None:
        return
    if scope.first is not None and scope.last is not None and scope.first.family == subnet.family == scope.last.family:
        span = Span(max(scope.first, subnet.usable.first), min(scope.last, subnet.usable.last))
        if span.size:
            yield _range(trouble, trouble.key, span, f"Clip the range of {segment.label} to {span}")
    yield from _fresh_range(trouble)


@remedy_for("scope-reversed")
def _swapped(trouble: Trouble) -> Iterator[Remedy]:
    scope = trouble.segment.scope
    if scope.first is not None and scope.last is not None:
        span = Span(scope.last, scope.first)
        yield _range(trouble, trouble.key, span, f"Swap the ends: {span}")
    yield from _fresh_range(trouble)


@remedy_for("scope-fills", "scope-small", "scope-nobody")
def _fresh_range(trouble: Trouble) -> Iterator[Remedy]:
    """A range that leaves what the organisation wants to leave, or one for the clients that are expected."""
    segment, organisation = trouble.segment, trouble.portfolio.organisation.at(trouble.plan.customer)
    hosts = fixed_in(trouble.plan, trouble.key)
    clients = max(0, (segment.expected_hosts or 0) - len(hosts))
    if trouble.finding.rule == "scope-nobody" and clients:
        yield _to_serve(trouble, range_for(segment, clients * (100 + organisation.growth) // 100, hosts, organisation))
    span = range_leaving(segment, organisation.leave_fixed, hosts, organisation)
    left = (segment.subnet.usable.size if segment.subnet else 0) - span.size
    remedy = _to_serve(trouble, span)
    yield remedy._replace(sentence=f"{remedy.sentence}, which leaves {left:,} for fixed hosts")


def _to_serve(trouble: Trouble, span: Span) -> Remedy:
    scope, base = trouble.segment.scope, f"{trouble.base}/scope"
    operations = [set_to(f"{base}/first", str(span.first)), set_to(f"{base}/last", str(span.last))]
    if scope.excluded:
        operations.append(set_to(f"{base}/excluded", []))
    if scope.server == "none":
        operations.append(set_to(f"{base}/server", "edge"))
    if not trouble.segment.resolvers:
        operations.append(trouble.set("resolvers", ["gateway"]))
    return Remedy(f"Lease {span} on {trouble.segment.label}, {span.size:,} addresses", operations)


@remedy_for("scope-leftover")
def _blank(trouble: Trouble) -> Iterator[Remedy]:
    scope = trouble.segment.scope
    operations = [set_to(f"{trouble.base}/scope/{end}", None) for end in ("first", "last")]
    if scope.excluded:
        operations.append(set_to(f"{trouble.base}/scope/excluded", []))
    yield Remedy(f"Blank the range of {trouble.segment.label}", operations)
    yield Remedy(
        f"Switch DHCP on for {trouble.segment.label}, at the edge", [set_to(f"{trouble.base}/scope/server", "edge")]
    )


@remedy_for("scope-router")
def _gateway_as_router(trouble: Trouble) -> Iterator[Remedy]:
    operation = {"op": "remove", "path": f"{trouble.base}/scope/options/3"}
    yield Remedy(f"Take option 3 out, so that {trouble.segment.gateway} is handed out", [operation])


@remedy_for("scope-dns-missing")
def _resolvers(trouble: Trouble) -> Iterator[Remedy]:
    label = trouble.segment.label
    lines = [c.resolvers for c in trouble.plan.circuits.values() if c.resolvers]
    if trouble.segment.gateway is not None:
        yield Remedy(f"Hand out the gateway of {label} as resolver", [trouble.set("resolvers", ["gateway"])])
    if lines:
        names = [str(address) for address in lines[0][:3]]
        yield Remedy(f"Hand out the provider's resolvers, {' and '.join(names)}", [trouble.set("resolvers", names)])


@remedy_for("scope-dns-dead")
def _living_resolvers(trouble: Trouble) -> Iterator[Remedy]:
    segment = trouble.segment
    dead = trouble.finding.addresses
    alive = [
        str(item)
        for item in segment.resolvers
        if str(item) != dead and (item != "gateway" or str(segment.gateway) != dead)
    ]
    if alive:
        yield Remedy(f"Hand out {' and '.join(alive)} only", [trouble.set("resolvers", alive)])
    if segment.gateway is not None and str(segment.gateway) != dead:
        yield Remedy(f"Hand out the gateway of {segment.label} instead", [trouble.set("resolvers", ["gateway"])])
    for circuit in trouble.plan.circuits.values():
        if circuit.resolvers:
            names = [str(address) for address in circuit.resolvers[:3]]
            yield Remedy(f"Hand out the provider's resolvers, {' and '.join(names)}", [trouble.set("resolvers", names)])
            return


@remedy_for("reserved-nobody")
def _typed_in(trouble: Trouble) -> Iterator[Remedy]:
    yield Remedy(f"Type the address into {trouble.host.name} instead", [trouble.set("method", Method.STATIC)])


# --- Hosts -----------------------------------------------------------------------------------------------


@remedy_for("host-outside", "host-unusable", "host-address-missing", "keep-violated")
def _next_address(trouble: Trouble) -> Iterator[Remedy]:
    host, plan = trouble.host, trouble.plan
    if trouble.second:
        return
    if trouble.finding.rule == "host-outside" and host.address is not None:
        for key, segment in plan.segments.items():
            if segment.subnet is not None and segment.subnet.usable.holds(host.address):
                yield Remedy(
                    f"Move {host.name} to {segment.label}, where it keeps its address", [trouble.set("segment", key)]
                )
        yield from _all_inside(trouble)
    address = next_host(plan, host.segment, trouble.portfolio.organisation, host.kind, trouble.key)
    if address is not None:
        yield Remedy(f"Give {host.name} the free address {address}", [trouble.set("address", str(address))])


def _all_inside(trouble: Trouble) -> Iterator[Remedy]:
    """Bring all hosts that are outside the subnet of their segment into it, with the ends they have where these are
    free."""
    plan, home = trouble.plan, trouble.host.segment
    segment, subnet = plan.segments[home], plan.segments[home].subnet
    if subnet is None or subnet.family != 4:
        return
    outside = [
        key
        for key, host in plan.hosts.items()
        if host.segment == home and host.address is not None and not subnet.holds(host.address)
    ]
    if len(outside) < 2:
        return
    draft = plan.model_copy(update={"hosts": {key: host for key, host in plan.hosts.items() if key not in outside}})
    operations = []
    for key in outside:
        host = plan.hosts[key]
        taken = {segment.gateway, *(other.address for other in draft.hosts.values())}
        same = subnet.first.plus((host.address.value if host.address else 0) % subnet.size)
        leased = any(piece.holds(same) for piece in segment.scope.pieces)
        if same in taken or leased or not subnet.usable.holds(same):
            found = next_host(draft, home, trouble.portfolio.organisation, host.kind, key)
            if found is None:
                return
            same = found
        draft = draft.model_copy(update={"hosts": draft.hosts | {key: host.model_copy(update={"address": same})}})
        operations.append(set_to(f"/hosts/{key}/address", str(same)))
    yield Remedy(f"Bring all {len(outside)} such hosts of {segment.label} into {subnet}", operations)


@remedy_for("overlap-address")
def _all_but_one(trouble: Trouble) -> Iterator[Remedy]:
    plan, text = trouble.plan, trouble.finding.subject
    holders = [key for key, host in plan.hosts.items() if str(host.address) == text]
    taken = any(str(segment.gateway) == text for segment in plan.segments.values())
    draft, operations, words = plan, list[Operation](), []
    for key in holders if taken else holders[1:]:
        host = draft.hosts[key]
        address = next_host(draft, host.segment, trouble.portfolio.organisation, host.kind, key)
        if address is None:
            return
        draft = draft.model_copy(update={"hosts": draft.hosts | {key: host.model_copy(update={"address": address})}})
        operations.append(set_to(f"/hosts/{key}/address", str(address)))
        words.append(f"{host.name} to {address}")
    if operations:
        yield Remedy(
            f"Move {' and '.join(words[:3])}{f' and {len(words) - 3} more' if len(words) > 3 else ''}", operations
        )


# --- Names, numbers, dates -------------------------------------------------------------------------------


@remedy_for("vlan-duplicate")
def _next_vlan(trouble: Trouble) -> Iterator[Remedy]:
    vlan = next_vlan(trouble.plan, trouble.key)
    if vlan is not None:
        yield Remedy(f"Give {trouble.segment.label} the VLAN {vlan}", [trouble.set("vlan", vlan)])


@remedy_for("dns-twice")
def _once(trouble: Trouble) -> Iterator[Remedy]:
    operations = []
    for key, segment in trouble.plan.segments.items():
        known: dict[str, str] = {}
        for item in segment.resolvers:
            known.setdefault(str(segment.gateway if item == "gateway" else item), str(item))
        if len(known) < len(segment.resolvers):
            operations.append(set_to(f"/segments/{key}/resolvers", list(known.values())))
    for key, circuit in trouble.plan.circuits.items():
        if len(set(circuit.resolvers)) < len(circuit.resolvers):
            names = [str(address) for address in dict.fromkeys(circuit.resolvers)]
            operations.append(set_to(f"/circuits/{key}/resolvers", names))
    yield Remedy("List each resolver once", operations)


@remedy_for("domain-public")
def _inside_domain(trouble: Trouble) -> Iterator[Remedy]:
    operations, names = [], dict[str, str]()
    for key, segment in trouble.plan.segments.items():
        wanted = wanted_domain(trouble.portfolio.organisation, segment.domain) if segment.domain else None
        if wanted is not None and segment.domain is not None:
            names[segment.domain] = wanted
            operations.append(set_to(f"/segments/{key}/domain", wanted))
    yield Remedy(f"Use {' and '.join(names.values())} inside", operations)


@remedy_for("time-zone-missing")
def _zone_of_the_others(trouble: Trouble) -> Iterator[Remedy]:
    customer = trouble.plan.customer.casefold()
    zones = Counter(
        plan.time_zone for plan in trouble.portfolio if plan.customer.casefold() == customer and plan.time_zone
    )
    for zone, sites in zones.most_common(2):
        many = f"{sites:,} other site{'' if sites == 1 else 's'}"
        yield Remedy(f"{zone}, as {many} of {trouble.plan.customer}", [set_to("/time_zone", zone)])


# --- Boxes -----------------------------------------------------------------------------------------------


@remedy_for("interface-disabled")
def _switched_on(trouble: Trouble) -> Iterator[Remedy]:
    yield Remedy("Switch the port on", [set_to(f"{trouble.finding.path}/enabled", True)])


@remedy_for("access-telnet", "access-plain-http")
def _encrypted(trouble: Trouble) -> Iterator[Remedy]:
    service, words = ("ssh", "SSH") if trouble.finding.rule == "access-telnet" else ("https", "HTTPS")
    yield Remedy(f"Manage it by {words} instead", [set_to(f"{trouble.finding.path}/service", service)])


@remedy_for("wiring-dangling")
def _unplugged(trouble: Trouble) -> Iterator[Remedy]:
    """The cable pulled out of what is there no more."""
    _, _, key, _, name = trouble.finding.path.split("/")
    use = trouble.plan.devices[key].ports[name]
    if use.peer is not None and use.peer not in trouble.plan.devices:
        ends = {"peer": None, "peer_port": None}
        yield Remedy("Pull the cable out", [set_to(f"{trouble.finding.path}/{one}", v) for one, v in ends.items()])
    if use.host is not None and use.host not in trouble.plan.hosts:
        yield Remedy("Pull the cable out", [set_to(f"{trouble.finding.path}/host", None)])


@remedy_for("host-uncabled")
def _into_sockets(trouble: Trouble) -> Iterator[Remedy]:
    """All of a segment's hosts into its free sockets, or on the air where Wi-Fi leads into it."""
    plan = trouble.plan
    plugged = cabled(plan, trouble.portfolio.hardware or {}, trouble.key)
    left = [host for host in uncabled(plan) if plan.hosts[host].segment == trouble.key]
    if plugged and len(plugged) == len(left):
        yield Remedy(
            "Plug them into free ports of the segment" if len(left) > 1 else "Plug it into a free port", plugged
        )
    if any(wifi.segment == trouble.key for wifi in plan.wireless.values()):
        on_air = [set_to(f"/hosts/{host}/attached", "wifi") for host in left]
        yield Remedy("They hang on Wi-Fi" if len(left) > 1 else "It hangs on Wi-Fi", on_air)


@remedy_for("host-port", "power-missing")
def _into_its_own(trouble: Trouble) -> Iterator[Remedy]:
    """A free port of the host's segment that suits it; or the port made to carry the segment."""
    if not trouble.finding.path.startswith("/hosts/"):
        return
    plan, host = trouble.plan, trouble.key
    ends = [(key, n) for key, d in plan.devices.items() for n, use in d.ports.items() if use.host == host]
    out = [set_to(f"/devices/{key}/ports/{name}/host", None) for key, name in ends]
    into = [
        one
        for one in cabled(applied(plan, out), trouble.portfolio.hardware or {}, trouble.host.segment)
        if one["value"] == host
    ]
    for operation in into:
        _, _, box, _, name, _ = operation["path"].split("/")
        yield Remedy(f"Plug it into port {name} of {named(plan.devices[box])}", [*out, operation])
    if trouble.finding.rule == "host-port" and len(ends) == 1:
        key, name = ends[0]
        path, label = f"/devices/{key}/ports/{name}", plan.segments[trouble.host.segment].label
        if plan.devices[key].ports[name].mode in (PortMode.ACCESS, PortMode.BRIDGE):
            yield Remedy(f"Let port {name} carry {label}", [set_to(f"{path}/segment", trouble.host.segment)])


@remedy_for("host-off-air")
def _by_cable(trouble: Trouble) -> Iterator[Remedy]:
    yield Remedy("Give it a cable", [trouble.set("attached", "cable")])


# --- Answers and old boxes -------------------------------------------------------------------------------


@remedy_for("answer-departed")
def _as_confirmed(trouble: Trouble) -> Iterator[Remedy]:
    """The confirmed value again."""
    plan, key = trouble.plan, trouble.finding.path.removeprefix("/answers/")
    for one in standing(plan):
        if one.key == key and one.answer is not None and one.question.field and not is_none(one.answer.text):
            operations, echo = understand(plan, one.path, one.answer.text, trouble.portfolio)
            yield Remedy(f"Put the confirmed {one.question.short} back: {echo}", operations)


@remedy_for("scope-option-time")
def _offset_of_the_zone(trouble: Trouble) -> Iterator[Remedy]:
    """The offset of the zone, or none told."""
    path = f"{trouble.base}/scope/options/2"
    for offset in offsets_of(str(trouble.plan.time_zone))[:1]:
        yield Remedy(f"Tell them {offset} seconds", [set_to(path, str(offset))])
    yield Remedy("Leave option 2 out", [{"op": "remove", "path": path}])


@remedy_for("answer-no-host")
def _planned_there(trouble: Trouble) -> Iterator[Remedy]:
    """A host where it was answered, unless guests are there; or the answer taken back."""
    plan, name = trouble.plan, trouble.finding.path.removeprefix("/answers/")
    address, short = answered_address(plan, name), BY_NAME[name].short
    where = next((k for k, s in plan.segments.items() if address and s.subnet and s.subnet.holds(address)), None)
    if where is not None and plan.segments[where].role not in (SegmentRole.GUEST, SegmentRole.ISOLATED):
        key = new_id(short, plan.hosts)
        kind = {"phone_system": "phone system"}.get(name, "server")
        labels = {"phone_system": "phone system", "dns_server": "DNS server", "dhcp_server": "DHCP server"}
        label = labels.get(name, "server of phone settings")
        host = {"segment": where, "name": label, "address": str(address), "kind": kind}
        yield Remedy(f"Plan it as a host of {plan.segments[where].label}", [set_to(f"/hosts/{key}", host)])
    yield Remedy("Take the answer back and ask again", [{"op": "remove", "path": trouble.finding.path}])


@remedy_for("answer-not-served")
def _served_as_answered(trouble: Trouble) -> Iterator[Remedy]:
    """The plan as it was answered, or the answer as it is planned."""
    plan, path = trouble.plan, trouble.finding.path
    address, answer = answered_address(plan, "dhcp_server"), plan.answers["dhcp_server"]
    if address is not None:
        servers = [set_to(f"/segments/{key}/scope/server", str(address)) for key in served_by_the_edge(plan)]
        yield Remedy(f"Let {address} give the leases", servers)
        yield Remedy("The edge serves: there is no own DHCP server", [set_to(f"{path}/text", NONE)])
        return
    others = served_by_others(plan)
    told = next(iter(others.values()), None)
    if told is not None:
        yield Remedy(f"There is one, at {told}", [set_to(f"{path}/text", str(told))])
    edge = [set_to(f"/segments/{key}/scope/server", "edge") for key in others]
    if answer.text:
        yield Remedy("Let the edge give the leases", edge)


@remedy_for("answer-licences")
def _licences_as_answered(trouble: Trouble) -> Iterator[Remedy]:
    """The answer taken back, or what is noted of licences."""
    yield Remedy("Take the answer back and ask again", [{"op": "remove", "path": trouble.finding.path}])
    gone = [set_to(f"/devices/{key}/licences", {}) for key in with_licences(trouble.plan)]
    yield Remedy("There are none: take them from the boxes", gone)


@remedy_for("text-not-one-line")
def _in_one_line(trouble: Trouble) -> Iterator[Remedy]:
    """The same words, single-spaced."""
    text = str(value_at(trouble.plan.document(), trouble.finding.path))
    plain = " ".join("".join(" " if odd_character(one) else one for one in text).split())
    if plain:
        yield Remedy(f"Write it as {plain[:80]}", [set_to(trouble.finding.path, plain)])


@remedy_for("survivor-lost")
def _survives(trouble: Trouble) -> Iterator[Remedy]:
    """The old box's value again, where it belongs."""
    survivor = trouble.plan.survivors[trouble.finding.path.removeprefix("/survivors/")]
    if survivor.path is not None and survivor_now(trouble.plan, survivor) is not None:
        operations, _ = understand(trouble.plan, survivor.path, survivor.value, trouble.portfolio)
        yield Remedy(f"Give {survivor.what} its {survivor.value} back", operations)
