"""Many sites at once from a pattern and the blocks of a customer: each site its own run of the block, every segment in
it at the same offset, with room to grow beside."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import PatternUse, SitePlan
from octaplan.core.propose.patterns import fit, sizes
from octaplan.core.propose.room import Free, Room, RoomError, Want, lay_out
from octaplan.core.values.addresses import Address, Network

#: How many sites one rollout makes at most.
MOST_SITES = 2_000

#: How many times a site's run may be doubled for growth.
GROWTH = 4


class MadeSite(NamedTuple):
    """One site of a rollout: its plan, and the run of the block that is its own."""

    plan: SitePlan
    run: Network


class Layout(NamedTuple):
    """How every site is laid out: the prefix length of its run, and where in it each segment begins."""

    prefix: int
    offsets: dict[str, tuple[int, int]]


def site_layout(pattern: SitePlan, growth: int = 0) -> Layout:
    """The smallest aligned run that holds the segments of a pattern, doubled `growth` times.

    Segments lie in it as they are drawn, when they are drawn close enough together. Raises `RoomError`.
    """
    drawn = sizes(pattern)
    if not 0 <= growth <= GROWTH:
        raise RoomError(f"A site's run can be doubled 0 to {GROWTH} times, not {growth}")
    needed = sum(net.size for net in drawn.values())
    length = 32 - (needed - 1).bit_length()
    if length - growth < 1:
        raise RoomError("The segments of the pattern are larger than the whole of IPv4: make them smaller")
    low, high = min(net.value for net in drawn.values()), max(net.last.value for net in drawn.values())
    whole = Network.holding(Address(4, low), 32 - (low ^ high).bit_length())
    if whole.prefix >= length:  # as it was drawn
        drawn_there = {key: (net.value - whole.value, net.prefix) for key, net in drawn.items()}
        return Layout(whole.prefix - growth, drawn_there)
    block = Network(4, 0, length)
    given = lay_out(block, [Want(key, 0, net.prefix) for key, net in drawn.items()])
    offsets = {one.want.name: (one.subnet.value, one.subnet.prefix) for one in given}
    return Layout(length - growth, offsets)


def roll_out(
    portfolio: Portfolio,
    pattern: SitePlan,
    use: PatternUse,
    sites: Sequence[SitePlan],
    blocks: Sequence[Network],
    reserved: Sequence[Network] = (),
    growth: int = 0,
) -> list[MadeSite]:
    """The sites with the segments of a pattern, in the order given; what they say beside segments stays.

    Each takes a free run of the blocks. Raises `RoomError` with what is missing, and what would do.
    """
    if not sites:
        return []
    if len(sites) > MOST_SITES:
        raise RoomError(f"{len(sites):,} sites are too many at once: take at most {MOST_SITES:,}")
    layout = site_layout(pattern, growth)
    frees = [free_for(portfolio, sites[0], block, reserved) for block in blocks if block.family == 4]
    runs = [run for _, run in zip(sites, _runs(frees, layout.prefix), strict=False)]
    if len(runs) < len(sites):
        raise RoomError(_missing(pattern, sites, blocks, frees, layout, len(runs), growth))
    organisation = portfolio.organisation
    made = []
    for site, run in zip(sites, runs, strict=True):
        subnets = {key: Network(4, run.value + offset, prefix) for key, (offset, prefix) in layout.offsets.items()}
        usual = organisation.usual(site.customer)
        fitted = fit(pattern, subnets, organisation.at(site.customer), usual, site.delegated_prefix)
        update = {"segments": fitted.segments, "hosts": fitted.hosts, "pattern": use}
        made.append(MadeSite(site.model_copy(update=update | _facts(site, usual.time_zone)), run))
    return made


def _facts(site: SitePlan, time_zone: str | None) -> dict[str, str]:
    return {"time_zone": time_zone} if site.time_zone is None and time_zone is not None else {}


def free_for(portfolio: Portfolio, site: SitePlan, block: Network, reserved: Sequence[Network] = ()) -> Free:
    """What of a block is free for a site that has nothing yet, of any customer's segments, local ones too."""
    code = site.customer.casefold()
    taken = [
        net
        for plan in portfolio
        if plan.customer.casefold() == code and plan.key != site.key
        for segment in plan.segments.values()
        if (net := segment.subnet) is not None
    ]
    return Room(portfolio, site.model_copy(update={"segments": {}, "hosts": {}})).free(block, also=[*taken, *reserved])


def _runs(frees: Sequence[Free], prefix: int) -> Iterator[Network]:
    """The free runs of a prefix length, lowest first in each block."""
    for free in frees:
        for gap in free.prefixes():
            if gap.prefix <= prefix:
                step = 1 << (32 - prefix)
                yield from (Network(4, value, prefix) for value in range(gap.value, gap.value + gap.size, step))


def _missing(
    pattern: SitePlan,
    sites: Sequence[SitePlan],
    blocks: Sequence[Network],
    frees: Sequence[Free],
    layout: Layout,
    fit_: int,
    growth: int,
) -> str:
    """What does not fit, in numbers, and what would."""
    lacking = len(sites) - fit_
    size = 1 << (32 - layout.prefix)
    where = " and ".join(map(str, blocks)) or "no block"
    told = (
        f"{len(sites):,} sites take a /{layout.prefix} each, {len(sites) * size:,} addresses in all; {where} has room "
        f"for {fit_:,} of them, so {lacking:,} {'is' if lacking == 1 else 'are'} missing."
    )
    ways = []
    tighter = next((g for g in range(growth) if _count(frees, layout.prefix + growth - g) >= len(sites)), None)
    if tighter is not None:
        ways.append(f"leave less room to grow (a /{layout.prefix + growth - tighter} each fits)")
    more = 32 - (lacking * size - 1).bit_length()
    ways.append(f"add a block of /{more} or larger")
    if fit_:
        ways.append(f"take {fit_:,} sites now")
    return f"{told} What would do: {', or '.join(ways)}."


def _count(frees: Sequence[Free], prefix: int) -> int:
    return sum(1 << (prefix - gap.prefix) for free in frees for gap in free.prefixes() if gap.prefix <= prefix)
