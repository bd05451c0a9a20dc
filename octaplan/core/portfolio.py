"""All customers and sites of this Octaplan, held so that a plan is checked against the rest at once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from octaplan.core import rules  # noqa: F401  (fills the rule book)
from octaplan.core.addresses import Network, parse_network
from octaplan.core.boxes import named
from octaplan.core.claims import CIRCUIT, HOST, SEGMENT, Claims, Numbers, Rows, known
from octaplan.core.credentials import Facts
from octaplan.core.device import Device
from octaplan.core.findings import OTHERS_LISTED, RULES, Finding, Other, Subject, in_order
from octaplan.core.hardware import HardwareType
from octaplan.core.overlap import Overlaps, Shared, among, first_few
from octaplan.core.plan import Circuit, Host, Segment, SitePlan

COMMON_DEFAULTS = tuple(
    parse_network(text)[0] for text in ("192.168.0.0/24", "192.168.1.0/24", "192.168.100.0/24", "10.0.0.0/24")
)


@dataclass(frozen=True, slots=True)
class Organisation:
    """What the provider decides for all of its sites."""

    common_defaults: tuple[Network, ...] = COMMON_DEFAULTS


class Portfolio:
    """Every site plan, with what sites share kept sorted.

    `hardware` are the hardware types by key, and `facts` tells what is known of the secrets of a site by its
    key; without them the rules that need them stay silent. Not safe for use by several threads at once: the
    caller takes turns.
    """

    def __init__(
        self,
        plans: Iterable[SitePlan] = (),
        organisation: Organisation | None = None,
        hardware: Mapping[str, HardwareType] | None = None,
        facts: Callable[[str], Facts] | None = None,
    ) -> None:
        self.organisation = organisation or Organisation()
        self.hardware = hardware
        self.facts = facts
        self.plans: dict[int, SitePlan] = {}
        self._numbers: dict[str, int] = {}
        self._claims: dict[int, Claims] = {}
        self._group_labels: dict[str, int] = {}
        self._line_labels: dict[tuple[Network, object], int] = {}
        for plan in plans:
            self.put(plan)

    def __len__(self) -> int:
        return len(self.plans)

    def __iter__(self) -> Iterator[SitePlan]:
        return iter(self.plans.values())

    def get(self, key: str) -> SitePlan | None:
        """The plan of `CUSTOMER/SITE`, in any case."""
        return self.plans.get(self._numbers.get(key.casefold(), -1))

    def put(self, plan: SitePlan) -> None:
        """Add a site, or replace its plan."""
        number = self._numbers.setdefault(plan.key, len(self._numbers))
        self.plans[number] = plan
        self._claims[number] = Claims.of(plan, number)
        self._forget()

    def remove(self, key: str) -> None:
        """Take a site out; `KeyError` when it is not there."""
        number = self._numbers[key.casefold()]
        del self.plans[number], self._claims[number]
        self._forget()

    def _forget(self) -> None:
        for name in ("shared", "_joined"):
            self.__dict__.pop(name, None)

    def check(self, plan: SitePlan) -> list[Finding]:
        """The findings of one plan, saved or not, against every other site."""
        number = self._numbers.setdefault(plan.key, len(self._numbers))
        claims = self._claims[number] if self.plans.get(number) is plan else Claims.of(plan, number)
        return self._run(View(self, {number: plan}, claims))

    def check_all(self) -> list[Finding]:
        """The findings of every site."""
        return self._run(View(self, self.plans, self._joined))

    def touched_by(self, plan: SitePlan) -> set[str]:
        """The other sites, as keys, whose findings may depend on this plan."""
        number = self._numbers.setdefault(plan.key, len(self._numbers))
        view = View(self, {number: plan}, Claims.of(plan, number))
        sites: set[int] = set()
        for shared, _, overlaps in view.elsewhere():
            for query in np.flatnonzero(overlaps.total):
                sites.update(int(shared.sites[row]) for row in overlaps.rows(int(query)))
        return {self.plans[site].key for site in sites}

    def _run(self, view: View) -> list[Finding]:
        return in_order(finding for rule in RULES.values() for finding in rule.findings(view))

    @cached_property
    def _joined(self) -> Claims:
        return Claims.join(list(self._claims.values()))

    @cached_property
    def shared(self) -> SharedClaims:
        return SharedClaims.of(self, self._joined)

    def group_labels(self, plan: SitePlan) -> list[int]:
        """The reach groups of a site as integers."""
        return [self._group_labels.setdefault(name, len(self._group_labels)) for name in plan.groups]

    def line_label(self, circuit: Circuit) -> int:
        """An integer for the provider's line: the same for circuits of one network and one gateway."""
        if circuit.subnet is None or circuit.gateway is None:
            return -1
        return self._line_labels.setdefault((circuit.subnet, circuit.gateway), len(self._line_labels))


@dataclass(frozen=True, slots=True)
class SharedClaims:
    """The sorts of claims that can collide between sites. `lines` are hand-off subnets, with the label of each in
    `line_labels`; `twins` are the same under their labels."""

    subnets: Shared
    lines: Shared
    line_labels: Numbers
    twins: Shared
    addresses: Shared
    macs: Shared

    @classmethod
    def of(cls, portfolio: Portfolio, claims: Claims) -> SharedClaims:
        rows, groups = reaching(portfolio, portfolio.plans, claims.segments)
        subnets = claims.segments[rows]
        handed = known(claims.circuits["first"])
        lines, labels = claims.circuits[handed], line_labels(portfolio, portfolio.plans)[handed]
        named = labels >= 0
        own = claims.circuits[known(claims.circuits["address"])]
        macs = claims.hosts[known(claims.hosts["mac"])]
        return cls(
            _share(subnets, groups, "first", "last"),
            _share(lines, None, "first", "last"),
            labels,
            _share(lines[named], labels[named], "first", "last"),
            _share(own, None, "address", "address"),
            _share(macs, None, "mac", "mac"),
        )


def _share(rows: Rows, labels: Numbers | None, first: str, last: str) -> Shared:
    if labels is None:
        labels = np.zeros(len(rows), np.int64)
    return Shared(rows["site"].astype(np.int64), rows["item"], labels, rows[first], rows[last])


def line_labels(portfolio: Portfolio, plans: dict[int, SitePlan]) -> Numbers:
    """For each circuit of some plans the label of its line, or -1."""
    circuits = (circuit for plan in plans.values() for circuit in plan.circuits.values())
    return np.array([portfolio.line_label(circuit) for circuit in circuits], np.int64)


def reaching(portfolio: Portfolio, plans: dict[int, SitePlan], segments: Rows) -> tuple[Numbers, Numbers]:
    """Row numbers of the segments that reach, once per reach group of their site, and the groups' labels."""
    rows = np.flatnonzero(segments["reaches"] & known(segments["first"]))
    sites = segments["site"][rows]
    labels = {site: portfolio.group_labels(plan) for site, plan in plans.items()}
    counts = np.array([len(labels[site]) for site in sites.tolist()], np.int64)
    repeated = np.repeat(rows, counts)
    groups = np.array([label for site in sites.tolist() for label in labels[site]], np.int64)
    return repeated, groups


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

    Row numbers are those of the arrays in `claims`. Helpers turn rows back into subjects and others.
    """

    def __init__(self, portfolio: Portfolio, plans: dict[int, SitePlan], claims: Claims) -> None:
        self.portfolio = portfolio
        self.plans = plans
        self.claims = claims
        self.organisation = portfolio.organisation
        self.segments = claims.segments
        self.hosts = claims.hosts
        self.ranges = claims.ranges
        self.circuits = claims.circuits
        self.routed = claims.routed
        self._members: dict[tuple[int, str], list[tuple[str, Segment | Host | Circuit]]] = {}

    def _member(self, site: int, kind: str, item: int) -> tuple[str, Segment | Host | Circuit]:
        members = self._members.get((site, kind))
        if members is None:
            plan = self.plans.get(site) or self.portfolio.plans[site]
            members = self._members[(site, kind)] = list(getattr(plan, kind).items())
        return members[item]

    def _row(self, rows: Rows, kind: str, row: int) -> tuple[SitePlan, str, Segment | Host | Circuit]:
        site = int(rows["site"][row])
        key, member = self._member(site, kind, int(rows["item"][row]))
        return self.plans[site], key, member

    def segment(self, row: int) -> Segment:
        member = self._row(self.segments, "segments", row)[2]
        assert isinstance(member, Segment)  # noqa: S101
        return member

    def host(self, row: int) -> Host:
        member = self._row(self.hosts, "hosts", row)[2]
        assert isinstance(member, Host)  # noqa: S101
        return member

    def circuit(self, row: int) -> Circuit:
        member = self._row(self.circuits, "circuits", row)[2]
        assert isinstance(member, Circuit)  # noqa: S101
        return member

    def subject(self, rows: Rows, row: int, addresses: object = None) -> Subject:
        """The member behind a row of `segments`, `hosts` or `circuits`, as the subject of a finding."""
        kind = _KINDS[rows.dtype]
        plan, key, member = self._row(rows, kind, row)
        if addresses is None:
            addresses = member.address if isinstance(member, Host) else member.subnet
        text = "" if addresses is None else str(addresses)
        return Subject(plan.customer, plan.site, _name(member), f"/{kind}/{key}", text)

    def plan(self, rows: Rows, row: int) -> SitePlan:
        return self.plans[int(rows["site"][row])]

    def others(self, rows: Rows, listed: Sequence[int]) -> tuple[Other, ...]:
        """Members behind rows of the arrays here."""
        kind = _KINDS[rows.dtype]
        return tuple(
            sorted(
                Other(plan.customer, plan.site, _name(member))
                for plan, _, member in (self._row(rows, kind, row) for row in listed)
            )
        )

    def strangers(self, shared: Shared, kind: str, listed: Sequence[int]) -> tuple[Other, ...]:
        """Members behind rows of something shared."""
        found = []
        for row in listed:
            site = int(shared.sites[row])
            plan = self.portfolio.plans[site]
            found.append(Other(plan.customer, plan.site, _name(self._member(site, kind, int(shared.items[row]))[1])))
        return tuple(sorted(found))

    def anywhere(
        self, rows: Rows, column: str, question: tuple[Shared, Numbers, Overlaps]
    ) -> Iterator[tuple[int, tuple[Other, ...], int]]:
        """Rows whose address in a column stands again at this site or another: row, others and their number."""
        shared, _, elsewhere = question
        here = among(rows["site"].astype(np.int64), rows[column], rows[column], known(rows[column]))
        for row in map(int, np.flatnonzero(elsewhere.total + here.total)):
            near = self.others(rows, first_few(here.rows(row), OTHERS_LISTED)) if here.total[row] else ()
            far = first_few(elsewhere.rows(row), OTHERS_LISTED - len(near))
            others = near + self.strangers(shared, _KINDS[rows.dtype], far)
            yield row, others, int(elsewhere.total[row] + here.total[row])

    @cached_property
    def boxes(self) -> list[Box]:
        """Every device of the plans looked at, with its type where that is known."""
        hardware = self.portfolio.hardware or {}
        return [
            Box(plan, key, device, hardware.get(device.type))
            for plan in self.plans.values()
            if plan.devices
            for key, device in plan.devices.items()
        ]

    def groups(self, row: int) -> list[int]:
        """The reach groups of the site of a segment."""
        return self.portfolio.group_labels(self.plan(self.segments, row))

    @cached_property
    def tables(self) -> dict[str, Numbers]:
        """For `segments`, `hosts` and `ranges`: an integer per row that two rows share when their site and
        routing table are the same."""
        return {
            name: rows["site"].astype(np.int64) << 10 | rows["table"]
            for name, rows in (("segments", self.segments), ("hosts", self.hosts), ("ranges", self.ranges))
        }

    def elsewhere(self) -> Iterator[tuple[Shared, Numbers, Overlaps]]:
        """Per sort of shared claims: the rows here that were asked about, and what at other sites overlaps."""
        yield self.subnets_elsewhere
        yield self.lines_elsewhere
        yield self.addresses_elsewhere
        yield self.macs_elsewhere

    @cached_property
    def subnets_elsewhere(self) -> tuple[Shared, Numbers, Overlaps]:
        rows, labels = reaching(self.portfolio, self.plans, self.segments)
        return self._ask(self.portfolio.shared.subnets, self.segments, rows, labels, "first", "last")

    @cached_property
    def lines_elsewhere(self) -> tuple[Shared, Numbers, Overlaps]:
        return self._ask_all(self.portfolio.shared.lines, self.circuits, "first", "last")

    @cached_property
    def line_labels(self) -> Numbers:
        """For each circuit here the label of its line, or -1."""
        return line_labels(self.portfolio, self.plans)

    @cached_property
    def twins_elsewhere(self) -> tuple[Shared, Numbers, Overlaps]:
        every = np.arange(len(self.circuits))
        return self._ask(self.portfolio.shared.twins, self.circuits, every, self.line_labels, "first", "last")

    @cached_property
    def addresses_elsewhere(self) -> tuple[Shared, Numbers, Overlaps]:
        return self._ask_all(self.portfolio.shared.addresses, self.circuits, "address", "address")

    @cached_property
    def macs_elsewhere(self) -> tuple[Shared, Numbers, Overlaps]:
        return self._ask_all(self.portfolio.shared.macs, self.hosts, "mac", "mac")

    def _ask_all(self, shared: Shared, rows: Rows, first: str, last: str) -> tuple[Shared, Numbers, Overlaps]:
        every = np.arange(len(rows))
        return self._ask(shared, rows, every, np.zeros(len(rows), np.int64), first, last)

    @staticmethod
    def _ask(
        shared: Shared, rows: Rows, asked: Numbers, labels: Numbers, first: str, last: str
    ) -> tuple[Shared, Numbers, Overlaps]:
        sites = rows["site"][asked].astype(np.int64)
        return shared, asked, shared.elsewhere(sites, labels, rows[first][asked], rows[last][asked])


_KINDS = {SEGMENT: "segments", HOST: "hosts", CIRCUIT: "circuits"}


def _name(member: Segment | Host | Circuit) -> str:
    return member.name if isinstance(member, Host) else member.label
