"""Generated portfolios with known answers: clean sites of a usual shape, and a known number of planted mistakes."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from octaplan.core.plan.site import Circuit, Handoff, Host, Method, Scope, Segment, SegmentRole, SitePlan
from octaplan.core.values.addresses import Address, Mac, Network, Span
from octaplan.formats.columns import COLUMNS
from octaplan.formats.rows import table_rows
from octaplan.formats.tables import csv_text

ROLES = (
    SegmentRole.OFFICE,
    SegmentRole.VOICE,
    SegmentRole.CAMERAS,
    SegmentRole.GUEST,
    SegmentRole.SERVERS,
    SegmentRole.MANAGEMENT,
)


@dataclass(frozen=True)
class Shape:
    """How a portfolio is made: `mistakes` and `six` are shares of all sites."""

    sites: int
    hosts: int = 8  # in each of the six segments
    a_customer: int = 200  # sites, that reach each other
    mistakes: float = 0.05
    six: float = 0.25  # sites with IPv6 beside IPv4
    seed: int = 1


class Expected(NamedTuple):
    """One finding that must be found."""

    rule: str
    site: str
    subject: str


@dataclass
class Generated:
    """A portfolio, and what is wrong in it."""

    plans: list[SitePlan]
    expected: set[Expected] = field(default_factory=set)


def portfolio(shape: Shape) -> Generated:
    """A portfolio of a shape; the same for the same shape."""
    rng = random.Random(shape.seed)
    dual = set(rng.sample(range(shape.sites), round(shape.sites * shape.six)))
    made = Generated([_site(number, shape, dual) for number in range(shape.sites)])
    plant = (_same_subnet, _same_mac, _leased_host, _stray_gateway, _stray_host, _same_vlan, _back_to_front, _two_hosts)
    pairs = [n for n in range(0, shape.sites - 1, 2) if n // shape.a_customer == (n + 1) // shape.a_customer]
    for turn, number in enumerate(rng.sample(pairs, min(len(pairs), round(shape.sites * shape.mistakes)))):
        plant[turn % len(plant)](made, number)
    return made


def _site(number: int, shape: Shape, dual: set[int]) -> SitePlan:
    customer, place = divmod(number, shape.a_customer)
    segments: dict[str, Segment] = {}
    hosts: dict[str, Host] = {}
    prefix = Network(6, (0x20010DB8 << 96) + (number << 80), 48)
    for k, role in enumerate(ROLES):
        base = (10 << 24) + (16 << 16) + ((place * 8 + k) << 8)
        net = Network(4, base, 24)
        six = Network(6, prefix.value + ((k + 1) << 64), 64) if number in dual else None
        segments[f"seg{k}"] = Segment.model_construct(
            label=role.value,
            role=role,
            vlan=10 * (k + 1),
            subnet=net,
            gateway=net.usable.first,
            resolvers=["gateway", Address(6, prefix.value + 0x53)],
            domain=f"s{place}.c{customer}.internal",
            expected_hosts=60,
            scope=Scope.model_construct(first=Address(4, base + 100), last=Address(4, base + 199), lease=28_800),
            subnet6=six,
            gateway6=six.first.plus(1) if six else None,
        )
        for h in range(shape.hosts):
            hosts[f"h{k}x{h:02}"] = Host.model_construct(
                segment=f"seg{k}",
                name=f"{role.value} {h}",
                kind="printer" if h % 2 else "camera",
                address=Address(4, base + 10 + h),
                mac=Mac((0x02 << 40) + number * 1_000 + k * 100 + h),
                method=Method.STATIC,
            )
    line = Network(6, prefix.value + (0xFFFF << 64), 64)
    circuit = Circuit.model_construct(
        label="Main",
        handoff=Handoff.STATIC,
        address=line.first.plus(2),
        prefix=64,
        gateway=line.first.plus(1),
        resolvers=[Address(6, prefix.value + 0x53), Address(6, prefix.value + 0x54)],
    )
    return SitePlan.model_construct(
        schema_="octaplan.site-plan/2",
        customer=f"C{customer:03}",
        site=f"S{place:03}",
        time_zone="Europe/Dublin",
        delegated_prefix=prefix,
        segments=segments,
        hosts=hosts,
        circuits={"main": circuit},
    )


def _changed(made: Generated, number: int, kind: str, **members: dict[str, object]) -> SitePlan:
    """Change members of a plan: for each key the values that differ."""
    plan = made.plans[number]
    held = dict(getattr(plan, kind))
    for key, values in members.items():
        held[key] = held[key].model_copy(update=values)
    made.plans[number] = plan.model_copy(update={kind: held})
    return made.plans[number]


def _expect(made: Generated, rule: str, number: int, *subjects: str) -> None:
    made.expected |= {Expected(rule, made.plans[number].key, subject) for subject in subjects}


def _same_subnet(made: Generated, number: int) -> None:
    source = made.plans[number].segments["seg2"]
    same = {name: getattr(source, name) for name in ("subnet", "gateway", "scope")}
    plan = _changed(made, number + 1, "segments", seg2=same)
    moved = {key: host for key, host in plan.hosts.items() if host.segment != "seg2"}
    made.plans[number + 1] = plan.model_copy(update={"hosts": moved})
    for site in (number, number + 1):
        _expect(made, "overlap-reach", site, "cameras")


def _same_mac(made: Generated, number: int) -> None:
    _changed(made, number + 1, "hosts", h0x00={"mac": made.plans[number].hosts["h0x00"].mac})
    for site in (number, number + 1):
        _expect(made, "mac-duplicate", site, "office 0")


def _leased_host(made: Generated, number: int) -> None:
    address = made.plans[number].hosts["h1x00"].address
    assert address is not None  # noqa: S101
    _changed(made, number, "hosts", h1x00={"address": address.plus(120)})
    _expect(made, "overlap-scope-static", number, "voice 0")


def _stray_gateway(made: Generated, number: int) -> None:
    gateway = made.plans[number].segments["seg4"].gateway
    assert gateway is not None  # noqa: S101
    _changed(made, number, "segments", seg4={"gateway": gateway.plus(1 << 20)})
    _expect(made, "gateway-outside", number, "servers")


def _stray_host(made: Generated, number: int) -> None:
    address = made.plans[number].hosts["h5x00"].address
    assert address is not None  # noqa: S101
    _changed(made, number, "hosts", h5x00={"address": address.plus(1 << 20)})
    _expect(made, "host-outside", number, "management 0")


def _same_vlan(made: Generated, number: int) -> None:
    _changed(made, number, "segments", seg3={"vlan": 10})
    _expect(made, "vlan-duplicate", number, "office", "guest")


def _back_to_front(made: Generated, number: int) -> None:
    scope = made.plans[number].segments["seg0"].scope
    _changed(
        made, number, "segments", seg0={"scope": scope.model_copy(update={"first": scope.last, "last": scope.first})}
    )
    _expect(made, "scope-reversed", number, "office")


def _two_hosts(made: Generated, number: int) -> None:
    address = made.plans[number].hosts["h0x00"].address
    _changed(made, number, "hosts", h0x01={"address": address})
    _expect(made, "overlap-address", number, str(address))


# --- Portfolios that are nothing but trouble -----------------------------------------------------------------


def all_alike(sites: int) -> list[SitePlan]:
    """Sites of one reach group that all use one subnet."""
    segment = Segment(label="office", subnet=Network(4, 10 << 24, 24), gateway=Address(4, (10 << 24) + 1))
    return [_bare(number, {"seg0": segment}) for number in range(sites)]


def nested(depth: int, sites: int) -> list[SitePlan]:
    """Sites of one reach group, each with a subnet inside that of the site before, down to /32 and again."""
    return [
        _bare(n, {"seg0": Segment(label="office", subnet=Network(4, 10 << 24, 8 + n % depth))}) for n in range(sites)
    ]


def in_groups(sites: int, groups: int) -> list[SitePlan]:
    """Sites that all share several reach groups and one subnet."""
    names = [f"g{number}" for number in range(groups)]
    return [plan.model_copy(update={"reach_groups": names}) for plan in all_alike(sites)]


def _bare(number: int, segments: dict[str, Segment]) -> SitePlan:
    return SitePlan(customer="ONE", site=f"S{number:05}", time_zone="Europe/Dublin", segments=segments)


def fragmented(block: Network, taken_prefix: int, every: int) -> list[Span]:
    """Every so manieth subnet of a size in a block, taken."""
    size = 1 << (32 - taken_prefix)
    return [
        Span(Address(4, value), Address(4, value + size - 1))
        for value in range(block.value, block.value + block.size, size * every)
    ]


def write_tables(plans: list[SitePlan], folder: Path) -> None:
    """Plans as intake tables."""
    for name, rows in table_rows(plans).items():
        (folder / f"{name}.csv").write_text(csv_text(list(COLUMNS[name]), rows), newline="")
