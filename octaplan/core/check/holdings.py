"""What is held of all customers and sites: their plans, their claims, and what they share, kept sorted."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from copy import copy
from datetime import date
from typing import Any, NamedTuple, Self

import numpy as np

from octaplan.core.check.claims import MANY_GROUPS, Addresses, Claims, Labels, Numbers, Rows
from octaplan.core.check.overlap import Shared, Sharing
from octaplan.core.flow.shape import shape_of
from octaplan.core.plan.credentials import Facts
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan

#: The number of a site that is looked at and not held; numbers of sites are below 2^24.
STRANGER = (1 << 24) - 1

#: So many shapes of plans are remembered.
MOST_SHAPES = 100_000


class TrafficJudged(NamedTuple):
    """What was found about the traffic of one plan under some settings."""

    plan: SitePlan
    organisation: Organisation
    hits: Any


class Holdings:
    """Every site plan, with what sites share kept sorted: what rules look at from a `View`.

    `hardware` are the hardware types by key, `facts` tells what is known of the secrets of a site by its key,
    `shipped` whether a site has been shipped; without them the rules that need them stay silent. `today` is the
    calendar that ship dates are held against.

    One thread fills it. Once it is `frozen` any number may read and check with it at once, and whoever wants to
    change something, or to try it out, does so on a `fork`.
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
        self._judged: dict[int, TrafficJudged] = {}
        #: The shapes of plans whose traffic is as it is meant.
        self._sound: set[bytes] = set()
        for plan in plans:
            self.put(plan)

    def fork(self) -> Self:
        """The same sites, to be changed apart from this one. Costs microseconds for a thousand sites."""
        fork = copy(self)
        fork.frozen = False
        fork.plans, fork.many_groups = dict(self.plans), set(self.many_groups)
        fork._numbers, fork._claims = dict(self._numbers), dict(self._claims)
        fork._judged = dict(self._judged)
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
        self._judged.pop(number, None)
        self._changed(number, set(SORTS))

    def number(self, plan: SitePlan) -> int:
        """The number under which a site's claims stand; `STRANGER` for one that is not held."""
        return self._numbers.get(plan.key, STRANGER)

    def traffic_hits(self, number: int, plan: SitePlan, judge: Callable[[SitePlan, Organisation], Any]) -> Any:
        """What a judge finds about the traffic of a plan, which depends on nothing but the plan and what is meant: kept
        for the plans that are held until either changes. Where it finds nothing, it finds nothing at any plan of the
        same shape."""
        known = self._judged.get(number)
        if known is not None and known.plan is plan and self.organisation.means_as(known.organisation, plan.customer):
            return known.hits
        shape = shape_of(plan, self.organisation)
        hits = {} if shape in self._sound else judge(plan, self.organisation)
        if not hits:
            if len(self._sound) >= MOST_SHAPES:
                self._sound.clear()
            self._sound.add(shape)
        if self.plans.get(number) is plan:
            self._judged[number] = TrafficJudged(plan, self.organisation, hits)
        return hits

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


def _identities(claims: Claims) -> Sharing:
    """Serial numbers and MACs of boxes, which are of two labels; each stands for an address."""
    rows = claims.identities
    zeros = np.zeros(len(rows), np.int64)
    sites, items, labels = (rows[name].astype(np.int64) for name in ("site", "item", "mac"))
    marks = Addresses(np.full(len(rows), 6, "u1"), zeros.astype("u8"), np.ascontiguousarray(rows["mark"]))
    return Sharing(np.arange(len(rows)), sites, items, labels, marks, marks, zeros)


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
    "further": Sort(lambda claims: _sharing(claims.further, "address", "address"), ("further",)),
    "published": Sort(lambda claims: _sharing(claims.published, "address", "address"), ("published",)),
    "identities": Sort(_identities, ("identities",)),
    "prefixes": Sort(lambda claims: _sharing(claims.prefixes, "first", "last"), ("prefixes",)),
    "macs": Sort(_macs, ("hosts",)),
}
