"""All customers and sites of this Octaplan, held so that a plan is checked against the rest at once."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from copy import copy
from datetime import date
from functools import cached_property
from typing import NamedTuple

import numpy as np

from octaplan.core import rules  # noqa: F401  (fills the rule book)
from octaplan.core.addresses import Address, Network
from octaplan.core.boxes import named
from octaplan.core.claims import (
    MANY_GROUPS,
    Addresses,
    Claims,
    Flags,
    Labels,
    Numbers,
    Rows,
    Table,
    host_side,
    where,
    within,
)
from octaplan.core.credentials import Facts
from octaplan.core.device import Device
from octaplan.core.findings import RULES, Finding, Other, Subject, in_order
from octaplan.core.hardware import HardwareType
from octaplan.core.organisation import Organisation
from octaplan.core.overlap import Elsewhere, IntervalIndex, Points, Shared, Sharing
from octaplan.core.plan import Circuit, Host, Segment, SitePlan

#: The number of a site that is looked at and not held; numbers of sites are below 2^24.
STRANGER = (1 << 24) - 1


class Portfolio:
    """Every site plan, with what sites share kept sorted.

    `hardware` are the hardware types by key, `facts` tells what is known of the secrets of a site by its key,
    `shipped` whether a site has been shipped; without them the rules that need them stay silent. `today` is the
    calendar that ship dates are held against.

    One thread fills it. Once it is `frozen` any number may read and check with it at once, and whoever wants to
    change something, or to try it out, does so on a `fork`:

        trial = portfolio.fork()
        trial.put(plan)
        trial.check(plan)
    """

    def __init__(
        self,
        plans: Iterable[SitePlan] = (),
        organisation: Organisation | None = None,
        hardware: Mapping[str, HardwareType] | None = None,
        facts: Callable[[str], Facts] | None = None,
        shipped: Callable[[str], bool] | None = None,
        today: Callable[[], date] = date.today,
    ) -> None:
        self.organisation = organisation or Organisation()
        self.hardware = hardware
        self.facts = facts
        self.shipped = shipped
        self.today = today
        self.plans: dict[int, SitePlan] = {}
        self.frozen = False
        self.many_groups: set[int] = set()
        self._numbers: dict[str, int] = {}
        self._claims: dict[int, Claims] = {}
        self._joined: Claims | None = None
        self.labels = Labels()
        self._sharings: dict[str, Sharing] = {}
        self._shared: dict[str, Shared] = {}
        self._behind: dict[str, frozenset[int]] = {}
        for plan in plans:
            self.put(plan)

    def fork(self) -> Portfolio:
        """The same sites, to be changed apart from this one. Costs microseconds for a thousand sites."""
        fork = copy(self)
        fork.frozen = False
        fork.plans, fork.many_groups = dict(self.plans), set(self.many_groups)
        fork._numbers, fork._claims = dict(self._numbers), dict(self._claims)
        fork._sharings, fork._shared, fork._behind = dict(self._sharings), dict(self._shared), dict(self._behind)
        return fork

    def __len__(self) -> int:
        return len(self.plans)

    def __iter__(self) -> Iterator[SitePlan]:
        return iter(self.plans.values())

    def get(self, key: str) -> SitePlan | None:
        """The plan of `CUSTOMER/SITE`, in any case."""
        return self.plans.get(self._numbers.get(key.casefold(), -1))

    def put(self, plan: SitePlan) -> set[str]:
        """Add a site, or replace its plan; the sorts of which it claims something else than before, or names it
        otherwise."""
        self._thawed()
        number = self._numbers.setdefault(plan.key, len(self._numbers))
        claims, before = Claims.of(plan, number, self.labels), self._claims.get(number)
        old = self.plans.get(number)
        self.plans[number] = plan
        if before is None or old is None:
            differing = set(SORTS)
        elif claims.same(before):
            return set(SORTS) if _names(old) != _names(plan) else set()
        else:
            differing = _differing(before, claims)
        self._claims[number] = claims
        self._changed(number, differing)
        return set(SORTS) if old is not None and _names(old) != _names(plan) else differing

    def remove(self, key: str) -> None:
        """Take a site out; `KeyError` when it is not there."""
        self._thawed()
        number = self._numbers[key.casefold()]
        del self.plans[number], self._claims[number]
        self._changed(number, set(SORTS))

    def number(self, plan: SitePlan) -> int:
        """The number under which a site's claims stand; `STRANGER` for one that is not held."""
        return self._numbers.get(plan.key, STRANGER)

    def _thawed(self) -> None:
        if self.frozen:
            raise RuntimeError("this portfolio is read by others: change a fork of it")

    def _changed(self, number: int, sorts: Collection[str]) -> None:
        self._joined = None
        self._sharings = {}
        plan = self.plans.get(number)
        if plan is not None and len(plan.groups) > MANY_GROUPS:
            self.many_groups.add(number)
        else:
            self.many_groups.discard(number)
        self._behind = {sort: behind | {number} if sort in sorts else behind for sort, behind in self._behind.items()}

    def shared(self, sort: str) -> Shared:
        """What all sites claim of one sort (a member of `SORTS`), brought up to date with what has changed."""
        behind = self._behind.get(sort)
        if behind is None or len(behind) > max(64, len(self.plans) // 4):
            self._shared[sort] = Shared(self.sharing(sort))
        elif behind:
            fresh = Claims.join([self._claims[number] for number in sorted(behind) if number in self._claims])
            numbers = np.array(sorted(behind), np.int64)
            self._shared[sort] = self._shared[sort].exchanged(numbers, SORTS[sort].taken(fresh))
        self._behind[sort] = frozenset()  # last: whoever comes between does the same once more
        return self._shared[sort]

    def forget_order(self) -> None:
        """Let what is kept sorted go; it is sorted anew when it is asked for."""
        self._sharings, self._shared, self._behind = {}, {}, {}

    def sharing(self, sort: str) -> Sharing:
        """What all sites claim of one sort."""
        known = self._sharings.get(sort)
        if known is None:
            known = self._sharings[sort] = SORTS[sort].taken(self.claims())
        return known

    def claims(self, numbers: Iterable[int] | None = None) -> Claims:
        """The claims of all sites joined, or of those with the given numbers that are held."""
        if numbers is not None:
            return Claims.join([self._claims[number] for number in numbers if number in self._claims])
        joined = self._joined
        if joined is None:
            joined = self._joined = Claims.join([self._claims[number] for number in sorted(self._claims)])
        return joined

    def view(self, plan: SitePlan) -> View:
        """One plan, saved or not, as rules look at it, against every other site."""
        number = self.number(plan)
        held = self._claims.get(number) if self.plans.get(number) is plan else None
        return View(self, {number: plan}, held or Claims.of(plan, number, self.labels))

    def check(self, plan: SitePlan) -> list[Finding]:
        """The findings of one plan, saved or not, against every other site."""
        return self._run(self.view(plan))

    def check_many(self, plans: Sequence[SitePlan]) -> list[Finding]:
        """The findings of many plans that are held, against each other and every other site, in one go."""
        numbered = {self.number(plan): plan for plan in plans}
        numbered = {number: numbered[number] for number in sorted(numbered)}  # claims stand in the order of sites
        return self._run(View(self, numbered, self.claims(numbered)))

    def check_all(self) -> list[Finding]:
        """The findings of every site."""
        return self._run(View(self, self.plans, self.claims(), whole=True))

    def touched_by(self, plan: SitePlan, sorts: Collection[str] | None = None) -> set[str]:
        """The other sites, as keys, whose findings may depend on this plan, or on what it claims of some sorts."""
        view = self.view(plan)
        sites: set[int] = set()
        for sort, asking in (*((sort, sort) for sort in SORTS), ("lines", "routed"), ("routed", "lines")):
            if sorts is not None and asking not in sorts:
                continue
            met = view.against(sort, asking)
            for query in np.flatnonzero(met.total).tolist():
                sites.update(site for site, _, _ in met.members(query))
        return {self.plans[site].key for site in sites}

    def _run(self, view: View) -> list[Finding]:
        return in_order(finding for rule in RULES.values() for finding in rule.findings(view))


def _differing(one: Claims, other: Claims) -> set[str]:
    return {name for name, sort in SORTS.items() if not sort.taken(one).same(sort.taken(other))}


def _names(plan: SitePlan) -> tuple[object, ...]:
    """What findings at other sites call this one and its members."""
    members = (plan.segments.values(), plan.circuits.values())
    return (plan.name, *(tuple(m.label for m in some) for some in members), tuple(h.name for h in plan.hosts.values()))


# --- What sites share ------------------------------------------------------------------------------------


def _sharing(claims: Rows, first: str, last: str, rows: Numbers | None = None, tags: Numbers | None = None) -> Sharing:
    taken = claims if rows is None else claims[rows]
    zeros = np.zeros(len(taken), np.int64)
    ends = [Addresses.of(taken[name]) for name in dict.fromkeys((first, last))]
    return Sharing(
        np.arange(len(taken)) if rows is None else rows,
        taken["site"].astype(np.int64),
        taken["item"].astype(np.int64),
        zeros,
        ends[0],
        ends[-1],
        zeros if tags is None else tags,
    )


def _subnets(claims: Claims) -> Sharing:
    """Segments that reach, once for every label of their site's reach groups; the tag is the label's sign."""
    rows = np.flatnonzero(claims.segments["reaches"] & (claims.segments["first"]["family"] > 0))
    groups = claims.groups
    sites = claims.segments["site"][rows]
    starts = np.searchsorted(groups["site"], sites, "left")
    times = np.searchsorted(groups["site"], sites, "right") - starts
    nth = np.arange(times.sum()) - np.repeat(np.cumsum(times) - times, times)
    chosen = groups[np.repeat(starts, times) + nth]
    made = _sharing(claims.segments, "first", "last", np.repeat(rows, times), np.ascontiguousarray(chosen["sign"]))
    return dataclasses.replace(made, labels=np.ascontiguousarray(chosen["label"]))


def _macs(claims: Claims) -> Sharing:
    """Hosts with a MAC; its upper 16 bits are the label, its lower 32 stand for an address."""
    rows = np.flatnonzero(claims.hosts["mac"])
    mac = claims.hosts["mac"][rows] - np.uint64(1)
    low = Addresses(np.full(len(rows), 4, "u1"), np.zeros(len(rows), "u8"), mac & np.uint64(0xFFFFFFFF))
    labels = (mac >> np.uint64(32)).astype(np.int64)
    made = _sharing(claims.hosts, "address", "address", rows)
    return dataclasses.replace(made, labels=labels, first=low, last=low)


def _lines(claims: Claims) -> Sharing:
    return _sharing(claims.circuits, "first", "last", tags=claims.circuits["line"].astype(np.int64))


def _twins(claims: Claims) -> Sharing:
    lines = _lines(claims)
    return dataclasses.replace(lines, labels=lines.tags)


class Sort(NamedTuple):
    """One sort of claims that can collide between sites: how it is taken out of `Claims`, and from which arrays."""

    taken: Callable[[Claims], Sharing]
    arrays: tuple[str, ...]


SORTS = {
    "subnets": Sort(_subnets, ("segments", "groups")),
    "lines": Sort(_lines, ("circuits",)),
    "twins": Sort(_twins, ("circuits",)),
    "routed": Sort(lambda claims: _sharing(claims.routed, "first", "last"), ("routed",)),
    "addresses": Sort(lambda claims: _sharing(claims.circuits, "address", "address"), ("circuits",)),
    "prefixes": Sort(lambda claims: _sharing(claims.prefixes, "first", "last"), ("prefixes",)),
    "macs": Sort(_macs, ("hosts",)),
}


class Box(NamedTuple):
    """A device in its plan. `type` is nothing when types are not at hand, or this one has been removed."""

    plan: SitePlan
    key: str
    device: Device
    type: HardwareType | None

    def subject(self, addresses: object = "", place: str = "") -> Subject:
        """The device as the subject of a finding; `place` leads to a part of it."""
        path = f"/devices/{self.key}{place}"
        return Subject(self.plan.customer, self.plan.site, named(self.device), path, str(addresses))


class View:
    """What a rule looks at: the claims of one or many sites, and the portfolio around them.

    `whole` says that no site is left out. Row numbers are those of the tables here. Helpers turn rows back into
    subjects and others.
    """

    def __init__(
        self, portfolio: Portfolio, plans: dict[int, SitePlan], claims: Claims, *, whole: bool = False
    ) -> None:
        self.portfolio = portfolio
        self.plans = plans
        self.claims = claims
        self.whole = whole
        self.organisation = portfolio.organisation
        self.sites = Table("sites", claims.sites)
        self.segments = Table("segments", claims.segments)
        self.hosts = Table("hosts", claims.hosts)
        self.ranges = Table("ranges", claims.ranges)
        self.kept = Table("kept", claims.kept)
        self.resolvers = Table("resolvers", claims.resolvers)
        self.options = Table("options", claims.options)
        self.circuits = Table("circuits", claims.circuits)
        self.routed = Table("routed", claims.routed)
        self.modems = Table("modems", claims.modems)
        self.prefixes = Table("prefixes", claims.prefixes)
        self._members: dict[tuple[int, str], list[tuple[str, Segment | Host | Circuit]]] = {}
        self._sharings: dict[str, Sharing] = {}
        self._elsewhere: dict[tuple[str, str], Elsewhere] = {}

    # --- From rows to members of plans

    def _member(self, site: int, kind: str, item: int) -> tuple[str, Segment | Host | Circuit]:
        members = self._members.get((site, kind))
        if members is None:
            plan = self.plans.get(site) or self.portfolio.plans[site]
            members = self._members[(site, kind)] = list(getattr(plan, kind).items())
        return members[item]

    def _row(self, rows: Table, row: int) -> tuple[SitePlan, str, Segment | Host | Circuit]:
        site = int(rows.rows["site"][row])
        key, member = self._member(site, rows.kind, int(rows.rows["item"][row]))
        return self.plans[site], key, member

    def segment(self, row: int) -> Segment:
        member = self._row(self.segments, row)[2]
        assert isinstance(member, Segment)  # noqa: S101
        return member

    def host(self, row: int) -> Host:
        member = self._row(self.hosts, row)[2]
        assert isinstance(member, Host)  # noqa: S101
        return member

    def circuit(self, row: int) -> Circuit:
        member = self._row(self.circuits, row)[2]
        assert isinstance(member, Circuit)  # noqa: S101
        return member

    def subnet(self, rows: Table, row: int) -> Network:
        """The subnet that a row of `segments` or `circuits` speaks of, which is known."""
        member = self._row(rows, row)[2]
        assert not isinstance(member, Host)  # noqa: S101
        subnet = member.subnet6 if rows["second"][row] else member.subnet
        assert subnet is not None  # noqa: S101
        return subnet

    def gateway(self, rows: Table, row: int) -> Address:
        """The gateway that a row of `segments` or `circuits` speaks of, which is known."""
        gateway: Address = rows["gateway"].at(row)
        return gateway

    def subject(self, rows: Table, row: int, addresses: object = None) -> Subject:
        """The member behind a row of `segments`, `hosts` or `circuits`, as the subject of a finding."""
        plan, key, member = self._row(rows, row)
        second = bool(rows.rows["second"][row])
        if addresses is None:
            if isinstance(member, Host):
                addresses = host_side(member, second)
            else:
                addresses = member.subnet6 if second else member.subnet
        text = "" if addresses is None else str(addresses)
        return Subject(plan.customer, plan.site, _name(member), f"/{rows.kind}/{key}", text, second)

    def site(self, row: int, path: str = "", addresses: object = "") -> Subject:
        """The site behind a row of `sites`, as the subject of a finding."""
        plan = self.plans[int(self.sites["site"][row])]
        return Subject(plan.customer, plan.site, plan.name or plan.site, path, str(addresses))

    def plan(self, rows: Table, row: int) -> SitePlan:
        return self.plans[int(rows.rows["site"][row])]

    def others(self, rows: Table, listed: Sequence[int]) -> tuple[Other, ...]:
        """Members behind rows of the tables here."""
        return tuple(
            sorted(
                Other(plan.customer, plan.site, _name(member))
                for plan, _, member in (self._row(rows, row) for row in listed)
            )
        )

    def strangers(self, kind: str, listed: Sequence[tuple[int, int, int]]) -> tuple[Other, ...]:
        """Members of other sites, as `Elsewhere.members` tells them."""
        found = []
        for site, item, _ in listed:
            plan = self.portfolio.plans[site]
            name = _name(self._member(site, kind, item)[1])
            found.append(Other(plan.customer, plan.site, name))
        return tuple(sorted(found))

    @property
    def many_groups(self) -> bool:
        """Whether some site is in so many reach groups that those it shares several with are counted one by one."""
        here = () if self.whole else self.plans.values()
        return bool(self.portfolio.many_groups) or any(len(plan.groups) > MANY_GROUPS for plan in here)

    # --- What several rules ask

    def elsewhere(self, sort: str) -> Elsewhere:
        """What at other sites overlaps each of the claims of one sort here."""
        return self.against(sort, sort)

    def against(self, sort: str, asking: str) -> Elsewhere:
        """What of one sort at other sites overlaps each of the claims of another sort here."""
        known = self._elsewhere.get((sort, asking))
        if known is None:
            asked, shared = self._sharing(asking), self.portfolio.shared(sort)
            known = self._elsewhere[sort, asking] = shared.elsewhere(asked, lambda: self._own(sort))
        return known

    def _sharing(self, sort: str) -> Sharing:
        if self.whole:
            return self.portfolio.sharing(sort)
        if sort not in self._sharings:
            self._sharings[sort] = SORTS[sort].taken(self.claims)
        return self._sharings[sort]

    def _own(self, sort: str) -> Sharing:
        """What the portfolio holds of the sites looked at, which may be something else than they say here."""
        if self.whole or all(
            getattr(self.claims, name).tobytes() == getattr(self._held, name).tobytes() for name in SORTS[sort].arrays
        ):
            return self._sharing(sort)
        return SORTS[sort].taken(self._held)

    @cached_property
    def _held(self) -> Claims:
        return self.portfolio.claims(self.plans)

    @cached_property
    def boxes(self) -> list[Box]:
        """Every device of the plans looked at, with its type where that is known."""
        hardware = self.portfolio.hardware or {}
        return [
            Box(plan, key, device, hardware.get(device.type))
            for plan in self.equipped
            for key, device in plan.devices.items()
        ]

    @cached_property
    def equipped(self) -> list[SitePlan]:
        """The plans with devices."""
        return self.plans_with("devices")

    def plans_with(self, column: str, least: int = 1) -> list[SitePlan]:
        """The plans for which a column of `sites` is true, or at least so much."""
        return [self.plans[site] for site in self.sites["site"][self.sites[column] >= least].tolist()]

    @cached_property
    def tables(self) -> dict[str, Numbers]:
        """For `segments`, `hosts` and `ranges`: an integer per row that two rows share when their site and
        routing table are the same."""
        return {
            rows.kind: rows["site"].astype(np.int64) << 10 | rows["table"]
            for rows in (self.segments, self.hosts, self.ranges)
        }

    @cached_property
    def subnets(self) -> IntervalIndex:
        """The subnets of segments by site, whatever their routing table."""
        s = self.segments
        return IntervalIndex(s["site"].astype(np.int64), s["first"], s["last"])

    @cached_property
    def scopes(self) -> IntervalIndex:
        """The DHCP ranges by site and routing table."""
        return IntervalIndex(self.tables["ranges"], self.ranges["first"], self.ranges["last"])

    @cached_property
    def held(self) -> Points:
        """The gateways of segments and then the addresses of hosts, by site and routing table."""
        labels = np.concatenate([self.tables["segments"], self.tables["hosts"]])
        return Points(labels, Addresses.join(self.segments["gateway"], self.hosts["address"]))

    @cached_property
    def leasable(self) -> dict[int, list[int]]:
        """For each row of `held` that lies inside a DHCP range of its site and table the segments of such ranges."""
        ranges = self.ranges
        rows = self.held.near(self.tables["ranges"], ranges["first"], ranges["last"])
        asked = self.held.addresses[rows]
        found = self.scopes.overlaps(self.held.labels[rows], asked, asked)
        return {
            int(rows[place]): sorted({int(ranges["segment"][piece]) for piece in found.rows(place)})
            for place in where(found.total)
        }

    @cached_property
    def host_places(self) -> tuple[Flags, Flags]:
        """Per host whether its address is outside the subnet of its segment, and whether inside but not usable."""
        s, owner, address = self.segments, self.hosts["segment"], self.hosts["address"]
        first, last = s["first"], s["last"]
        outside = (address.family > 0) & (first.family > 0)[owner]
        offset = address.lo - first.lo[owner]  # modulo 2^64: what lies before the subnet is far behind it
        size = (last.lo - first.lo)[owner]
        four = (address.family == 4) & (first.family == 4)[owner]
        outside &= ~(four & (offset <= size))
        suspects = np.flatnonzero(four & ((offset == 0) | (offset == size)) | ~four & outside)
        unusable = np.zeros(len(outside), bool)
        own, asked = owner[suspects], address[suspects]
        inside = within(asked, first[own], last[own])
        outside[suspects] &= ~inside
        unusable[suspects] = inside & ~within(asked, s["usable_first"][own], s["usable_last"][own])
        return outside, unusable


def _name(member: Segment | Host | Circuit) -> str:
    return member.name if isinstance(member, Host) else member.label
