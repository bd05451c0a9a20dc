"""What a rule looks at: one site or many, among all that are held."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple, TypeVar

import numpy as np

from octaplan.core.check.claims import (
    MANY_GROUPS,
    Addresses,
    Claims,
    ClaimTable,
    Flags,
    Numbers,
    host_side,
    where,
    within,
)
from octaplan.core.check.holdings import SORTS, Holdings
from octaplan.core.check.overlap import Elsewhere, IntervalIndex, Points, Sharing
from octaplan.core.plan.boxes import Interface, held_addresses, named, site_interfaces
from octaplan.core.plan.device import Device
from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import Circuit, Host, Segment, SitePlan
from octaplan.core.values.addresses import RESERVED_ANYCAST, Address, Network
from octaplan.core.values.lazy import lazy

Member = Segment | Host | Circuit | Device
Found = TypeVar("Found")


class Subject(NamedTuple):
    """What a finding is about. `path` is its place in the plan, as a JSON pointer (RFC 6901); `second` says that
    it is about the IPv6 side of something that has an IPv4 side as well; `owner` names what it belongs to, when that is
    something else."""

    customer: str
    site: str
    name: str
    path: str
    addresses: str
    second: bool = False
    owner: str = ""


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


class Blocks(NamedTuple):
    """The blocks that Settings give to customers, m of them, with their owners by number; `asked` is the number of the
    customer of each of n segments."""

    named: list[tuple[str, Network]]
    owners: Numbers
    first: Addresses
    last: Addresses
    asked: Numbers

    @property
    def owned(self) -> IntervalIndex:
        """The blocks by their owners."""
        return IntervalIndex(self.owners, self.first, self.last)


class View:
    """What a rule looks at: the claims of one or many sites, and the holdings around them.

    `whole` says that no site is left out. Row numbers are those of the tables here. Helpers turn rows back into
    subjects and others.
    """

    def __init__(self, holdings: Holdings, plans: dict[int, SitePlan], claims: Claims, *, whole: bool = False) -> None:
        self.holdings = holdings
        self.plans = plans
        self.claims = claims
        self.whole = whole
        self.organisation = holdings.organisation
        self.sites = ClaimTable("sites", claims.sites)
        self.segments = ClaimTable("segments", claims.segments)
        self.hosts = ClaimTable("hosts", claims.hosts)
        self.ranges = ClaimTable("ranges", claims.ranges)
        self.kept = ClaimTable("kept", claims.kept)
        self.resolvers = ClaimTable("resolvers", claims.resolvers)
        self.options = ClaimTable("options", claims.options)
        self.circuits = ClaimTable("circuits", claims.circuits)
        self.routed = ClaimTable("routed", claims.routed)
        self.modems = ClaimTable("modems", claims.modems)
        self.further = ClaimTable("circuits", claims.further)
        self.identities = ClaimTable("devices", claims.identities)
        self.published = ClaimTable("devices", claims.published)
        self.prefixes = ClaimTable("prefixes", claims.prefixes)
        self._members: dict[tuple[int, str], list[tuple[str, Member]]] = {}
        self._sharings: dict[str, Sharing] = {}
        self._elsewhere: dict[tuple[str, str], Elsewhere] = {}
        self._hits: dict[int, Any] = {}
        self._faces: dict[str, dict[str, list[Interface]]] = {}
        self._held_at: dict[str, dict[Address, str]] = {}

    # --- From rows to members of plans

    def _member(self, site: int, kind: str, item: int) -> tuple[str, Member]:
        members = self._members.get((site, kind))
        if members is None:
            plan = self.plans.get(site) or self.holdings.plans[site]
            members = self._members[(site, kind)] = list(getattr(plan, kind).items())
        return members[item]

    def _row(self, rows: ClaimTable, row: int) -> tuple[SitePlan, str, Member]:
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

    def box(self, row: int) -> Box:
        """The device behind a row of `identities`."""
        plan, key, member = self._row(self.identities, row)
        assert isinstance(member, Device)  # noqa: S101
        return Box(plan, key, member, (self.holdings.hardware or {}).get(member.type))

    def subnet(self, rows: ClaimTable, row: int) -> Network:
        """The subnet that a row of `segments` or `circuits` speaks of, which is known."""
        member = self._row(rows, row)[2]
        assert isinstance(member, Segment | Circuit)  # noqa: S101
        subnet = member.subnet6 if rows["second"][row] else member.subnet
        assert subnet is not None  # noqa: S101
        return subnet

    def gateway(self, rows: ClaimTable, row: int) -> Address:
        """The gateway that a row of `segments` or `circuits` speaks of, which is known."""
        gateway: Address = rows["gateway"].at(row)
        return gateway

    def subject(self, rows: ClaimTable, row: int, addresses: object = None) -> Subject:
        """The member behind a row of `segments`, `hosts` or `circuits`, as the subject of a finding."""
        plan, key, member = self._row(rows, row)
        second = "second" in (rows.rows.dtype.names or ()) and bool(rows.rows["second"][row])
        if addresses is None and isinstance(member, Host):
            addresses = host_side(member, second)
        elif addresses is None and isinstance(member, Segment | Circuit):
            addresses = member.subnet6 if second else member.subnet
        text = "" if addresses is None else str(addresses)
        return Subject(plan.customer, plan.site, _name(member), f"/{rows.kind}/{key}", text, second)

    def site(self, row: int, path: str = "", addresses: object = "") -> Subject:
        """The site behind a row of `sites`, as the subject of a finding."""
        plan = self.plans[int(self.sites["site"][row])]
        return Subject(plan.customer, plan.site, plan.name or plan.site, path, str(addresses))

    def plan(self, rows: ClaimTable, row: int) -> SitePlan:
        return self.plans[int(rows.rows["site"][row])]

    def others(self, rows: ClaimTable, listed: Sequence[int]) -> tuple[Other, ...]:
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
            plan = self.holdings.plans[site]
            name = _name(self._member(site, kind, item)[1])
            found.append(Other(plan.customer, plan.site, name))
        return tuple(sorted(found))

    @property
    def many_groups(self) -> bool:
        """Whether some site is in so many reach groups that those it shares several with are counted one by one."""
        here = () if self.whole else self.plans.values()
        return bool(self.holdings.many_groups) or any(len(plan.groups) > MANY_GROUPS for plan in here)

    # --- What several rules ask

    def elsewhere(self, sort: str) -> Elsewhere:
        """What at other sites overlaps each of the claims of one sort here."""
        return self.against(sort, sort)

    def against(self, sort: str, asking: str) -> Elsewhere:
        """What of one sort at other sites overlaps each of the claims of another sort here."""
        known = self._elsewhere.get((sort, asking))
        if known is None:
            asked, shared = self._sharing(asking), self.holdings.shared(sort)
            known = self._elsewhere[sort, asking] = shared.elsewhere(asked, lambda: self._own(sort))
        return known

    def _sharing(self, sort: str) -> Sharing:
        if self.whole:
            return self.holdings.sharing(sort)
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

    @lazy
    def _held(self) -> Claims:
        return self.holdings.claims(self.plans)

    @lazy
    def boxes(self) -> list[Box]:
        """Every device of the plans looked at, with its type where that is known."""
        hardware = self.holdings.hardware or {}
        return [
            Box(plan, key, device, hardware.get(device.type))
            for plan in self.equipped
            for key, device in plan.devices.items()
        ]

    @lazy
    def equipped(self) -> list[SitePlan]:
        """The plans with devices."""
        return self.plans_with("devices")

    def faces(self, plan: SitePlan) -> dict[str, list[Interface]]:
        """The interfaces of every box of a plan, worked out once."""
        known = self._faces.get(plan.key)
        if known is None:
            known = self._faces[plan.key] = site_interfaces(plan)
        return known

    def held_at(self, plan: SitePlan) -> dict[Address, str]:
        """Every address at which something is planned at a site, and what that is, worked out once."""
        known = self._held_at.get(plan.key)
        if known is None:
            known = self._held_at[plan.key] = held_addresses(plan)
        return known

    def traffic_hits(
        self, judge: Callable[[SitePlan, Organisation], Mapping[str, list[Found]]], rule: str
    ) -> list[Found]:
        """What a judge of the traffic of one plan finds for a rule, at all plans with devices."""
        found: list[Found] = []
        for site in self.sites["site"][self.sites["devices"] >= 1].tolist():
            hits = self._hits.get(site)
            if hits is None:
                hits = self._hits[site] = self.holdings.traffic_hits(site, self.plans[site], judge)
            found += hits.get(rule, ())
        return found

    def plans_with(self, column: str, least: int = 1) -> list[SitePlan]:
        """The plans for which a column of `sites` is true, or at least so much."""
        return [self.plans[site] for site in self.sites["site"][self.sites[column] >= least].tolist()]

    @lazy
    def tables(self) -> dict[str, Numbers]:
        """For `segments`, `hosts` and `ranges`: an integer per row that two rows share when their site and
        routing table are the same."""
        return {
            rows.kind: rows["site"].astype(np.int64) << 10 | rows["table"]
            for rows in (self.segments, self.hosts, self.ranges)
        }

    @lazy
    def blocks(self) -> Blocks:
        """The blocks of all customers, and whose each segment is."""
        named = [(code, block) for code, blocks in self.organisation.blocks.items() for block in blocks]
        numbers: dict[str, int] = {}
        owners = [numbers.setdefault(code, len(numbers)) for code, _ in named]
        sites, of = np.unique(self.segments["site"], return_inverse=True)
        whose = [numbers.get(self.plans[site].customer.casefold(), len(numbers)) for site in sites.tolist()]
        first, last = (Addresses.listed([getattr(block, end) for _, block in named]) for end in ("first", "last"))
        return Blocks(named, np.array(owners, np.int64), first, last, np.array(whose, np.int64)[of])

    @lazy
    def subnets(self) -> IntervalIndex:
        """The subnets of segments by site, whatever their routing table."""
        s = self.segments
        return IntervalIndex(s["site"].astype(np.int64), s["first"], s["last"])

    @lazy
    def scopes(self) -> IntervalIndex:
        """The DHCP ranges by site and routing table."""
        return IntervalIndex(self.tables["ranges"], self.ranges["first"], self.ranges["last"])

    @lazy
    def held(self) -> Points:
        """The gateways of segments and then the addresses of hosts, by site and routing table."""
        labels = np.concatenate([self.tables["segments"], self.tables["hosts"]])
        return Points(labels, Addresses.join(self.segments["gateway"], self.hosts["address"]))

    @lazy
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

    @lazy
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
        reserved = (
            (asked.family == 6) & (s["prefix"][own] == 64) & (asked.lo > np.uint64((1 << 64) - 1 - RESERVED_ANYCAST))
        )
        unusable[suspects] = inside & (reserved | ~within(asked, s["usable_first"][own], s["usable_last"][own]))
        return outside, unusable


def _name(member: Member) -> str:
    if isinstance(member, Device):
        return named(member)
    return member.name if isinstance(member, Host) else member.label
