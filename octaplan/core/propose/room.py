"""Room: what is free, and which address, subnet or range to take next.

Free space is worked out over 64-bit words: IPv4 addresses as they are, IPv6 by their upper half, since subnets
of hosts are /64 or larger there (RFC 4291). Everything here proposes; nothing changes a plan.

RoomError             what was asked for does not fit, with what is missing
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from octaplan.core.check.claims import Addresses, Words
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.boxes import held_addresses
from octaplan.core.plan.organisation import Organisation, Side
from octaplan.core.plan.site import Segment, SegmentRole, SitePlan
from octaplan.core.values.addresses import BITS, PRIVATE_IPV4, Address, MaskError, Network, Span
from octaplan.core.values.errors import RefusedError


class RoomError(RefusedError):
    """What was asked for does not fit. The message says how much is missing."""


# --- Free space ------------------------------------------------------------------------------------------


class Free:
    """What of a block is not taken. Raises `RoomError` for IPv6 blocks longer than a /64."""

    def __init__(self, block: Network, taken: Iterable[Span | Network]) -> None:
        if block.family == 6 and block.prefix > 64:
            raise RoomError(f"{block} is smaller than a /64: there is nothing to divide in it")
        self.block = block
        self._shift = 0 if block.family == 4 else 64
        runs = [run for run in taken if run.first.family == block.family == run.last.family]
        first = np.array([run.first.value >> self._shift for run in runs], np.uint64)
        last = np.array([run.last.value >> self._shift for run in runs], np.uint64)
        self._take(first, last)

    @classmethod
    def among(cls, block: Network, first: Addresses, last: Addresses) -> Free:
        """The same, from addresses as columns (n,)."""
        free = cls(block, ())
        mine = (first.family == block.family) & (last.family == block.family)
        columns = (ends.lo if block.family == 4 else ends.hi for ends in (first, last))
        free._take(*(column[mine] for column in columns))
        return free

    def _take(self, first: Words, last: Words) -> None:
        low, high = (np.uint64(end.value >> self._shift) for end in (self.block.first, self.block.last))
        inside = (first <= last) & (last >= low) & (first <= high)
        order = np.argsort(first[inside], kind="stable")
        first = np.maximum(first[inside][order], low)
        reach = np.maximum.accumulate(np.minimum(last[inside][order], high))
        if not len(first):
            self.first, self.last = np.array([low]), np.array([high])
            return
        before = np.concatenate([first[:1] > low, (first[1:] > reach[:-1]) & (first[1:] - reach[:-1] > 1)])
        starts = np.concatenate([[low], reach[:-1] + np.uint64(1)])[before]
        ends = (first - np.uint64(1))[before]
        if reach[-1] < high:
            starts = np.append(starts, reach[-1] + np.uint64(1))
            ends = np.append(ends, high)
        self.first, self.last = starts, ends

    @property
    def size(self) -> int:
        """How many addresses are free."""
        spans = (self.last - self.first).astype(object) + 1
        return int(spans.sum() if len(spans) else 0) << self._shift

    def prefixes(self) -> list[Network]:
        """The free space as maximal aligned subnets, in order."""
        found, bits = [], BITS[self.block.family]
        for start, end in zip(self.first.tolist(), self.last.tolist(), strict=True):
            while start <= end:
                size = min(start & -start or 1 << 64, 1 << ((end - start + 1).bit_length() - 1))
                prefix = bits - self._shift - size.bit_length() + 1
                found.append(Network(self.block.family, start << self._shift, prefix))
                start += size
        return found

    def subnets(self, prefix: int, near: Address | None = None, most: int = 1) -> list[Network]:
        """The free subnets of a prefix length that lie nearest to an address (or lowest), one from each gap."""
        bits = BITS[self.block.family] - self._shift
        if not 0 <= prefix <= bits:
            raise MaskError(f"/{prefix} is too long here: write /{self.block.prefix} to /{bits}")
        if prefix < self.block.prefix or not len(self.first):
            return []
        size = np.uint64((1 << (bits - prefix)) - 1)
        low = (self.first + size) & ~size
        fits = (low >= self.first) & (low <= self.last) & (self.last - low >= size)
        low, last = low[fits], self.last[fits]
        high = (last - size) & ~size
        if near is None or near.family != self.block.family:
            chosen, order = low, np.arange(len(low))
        else:
            wanted = np.uint64(near.value >> self._shift) & ~size
            chosen = np.minimum(np.maximum(wanted, low), high)
            distance = np.maximum(chosen, wanted) - np.minimum(chosen, wanted)
            order = np.argsort(distance, kind="stable")
        return [Network(self.block.family, int(chosen[place]) << self._shift, prefix) for place in order[:most]]

    def candidates(self, prefix: int, near: Address | None = None, most: int = 20) -> list[Network]:
        """The free subnets of a prefix length in order of their distance from an address (or lowest first)."""
        found: list[Network] = []
        size = self.block.size >> (prefix - self.block.prefix) if prefix >= self.block.prefix else 0
        for nearest in self.subnets(prefix, near, most):
            gap = int(np.searchsorted(self.first, np.uint64(nearest.value >> self._shift), "right")) - 1
            low = int(self.first[gap]) << self._shift
            high = ((int(self.last[gap]) + 1) << self._shift) - 1
            values = (nearest.value + step * size for step in range(-most, most + 1))
            found += [Network(nearest.family, v, prefix) for v in values if low <= v and v + size - 1 <= high]
        anchor = near.value if near is not None and near.family == self.block.family else 0
        return sorted(found, key=lambda net: abs(net.value - anchor))[:most]


# --- Subnets of a site -----------------------------------------------------------------------------------


@dataclass(frozen=True)
class Room:
    """Where the segments of a plan may go, among everything that the portfolio holds."""

    portfolio: Portfolio
    plan: SitePlan

    def blocks(self, family: int = 4) -> list[Network]:
        """The blocks that segments are taken from: the customer's, or else the private block that the site is in."""
        if family == 6:
            return [self.plan.delegated_prefix] if self.plan.delegated_prefix else []
        own = [block for block in self.portfolio.organisation.blocks_of(self.plan.customer) if block.family == 4]
        if own:
            return own
        subnets = [segment.subnet for segment in self.plan.segments.values() if segment.subnet is not None]
        home = [block for block in PRIVATE_IPV4 if any(block.holds(subnet.first) for subnet in subnets)]
        return [home[0] if home else PRIVATE_IPV4[0]]

    def free(self, block: Network, leaving: str | None = None, also: Iterable[Network] = ()) -> Free:
        """What of a block a segment may take: not what this site, the sites it reaches, the organisation, home
        routers and the boxes of the site have, nor `also`, nor what customers have whose blocks overlap this one.
        `leaving` is the segment that gives its own place up."""
        plan, organisation = self.plan, self.portfolio.organisation
        runs: list[Network] = [own.network for own in organisation.own_networks] + organisation.common_defaults
        runs += organisation.usual(plan.customer).reserved
        runs += also
        sharing = set(organisation.sharing(block, plan.customer))
        for other in self.portfolio if sharing else ():
            if other.customer.casefold() in sharing:
                runs += [segment.subnet for segment in other.segments.values() if segment.subnet is not None]
        for key, segment in plan.segments.items():
            if key != leaving:
                runs += [net for net in (segment.subnet, segment.subnet6) if net is not None]
        for circuit in plan.circuits.values():
            lines = (circuit.subnet, circuit.subnet6, circuit.modem_subnet, *circuit.routed_blocks)
            runs += [net for net in lines if net is not None]
        hardware = self.portfolio.hardware or {}
        for device in plan.devices.values():
            kind = hardware.get(device.type)
            if kind is not None and kind.factory.subnet is not None:
                runs.append(kind.factory.subnet)
        first, last = self._reached(block.family)
        mine = (Addresses.listed([getattr(net, end) for net in runs]) for end in ("first", "last"))
        ends = [Addresses.join(far, near) for far, near in zip((first, last), mine, strict=True)]
        return Free.among(block, *ends)

    def _reached(self, family: int) -> tuple[Addresses, Addresses]:
        """The subnets of other sites that this one can reach."""
        labels = [label for label, _ in self.portfolio.labels.groups(self.plan.groups)]
        return self.portfolio.shared("subnets").held(family, labels, self.portfolio.number(self.plan))

    def next_subnets(
        self, prefix: int, near: Address | None = None, leaving: str | None = None, most: int = 1
    ) -> list[Network]:
        """The free subnets of a prefix length in the blocks of the site, nearest first."""
        family = 4 if near is None else near.family
        blocks = self.blocks(family)
        if near is None or not any(block.holds(near) for block in blocks):
            near = self._home(leaving)
        found: list[Network] = []
        for block in blocks:
            if len(found) < most:
                found += self.free(block, leaving).subnets(prefix, near, most - len(found))
        return found

    def candidates(self, prefix: int, near: Address | None = None, most: int = 20) -> list[Network]:
        """The subnets of a prefix length in the blocks of the site that nobody of its customer has, in a local segment
        neither, nearest to an address first."""
        near = near or self._home(None)
        code = self.plan.customer.casefold()
        plans = (plan for plan in self.portfolio if plan.customer.casefold() == code)
        taken = [s.subnet for plan in plans for s in plan.segments.values() if s.subnet is not None]
        blocks = self.blocks()
        found = [net for b in blocks for net in self.free(b, also=taken).candidates(prefix, near, most)]
        return sorted(found, key=lambda net: abs(net.value - near.value) if near else net.value)[:most]

    def _home(self, leaving: str | None) -> Address | None:
        subnets = [segment.subnet for key, segment in self.plan.segments.items() if key != leaving and segment.subnet]
        return min((net.first for net in subnets if net.family == 4), default=None)

    def next_number(self) -> int | None:
        """The lowest free number of a /64 in the site's prefix, from 1 on."""
        prefix = self.plan.delegated_prefix
        if prefix is None or prefix.prefix > 64:
            return None
        free, base = self.free(prefix), prefix.value >> 64
        gaps = zip(free.first.tolist(), free.last.tolist(), strict=True)
        return next((max(first - base, 1) for first, last in gaps if last > base), None)


def numbered_subnet(prefix: Network, number: int) -> Network:
    """The /64 of a number in a site's IPv6 prefix. Raises `RoomError` when the prefix has no such number."""
    if prefix.family != 6 or prefix.prefix > 64:
        raise RoomError(f"{prefix} is no IPv6 prefix of /64 or larger: no /64 can be taken from it")
    most = 1 << (64 - prefix.prefix)
    if not 0 <= number < most:
        raise RoomError(
            f"{prefix} has the numbers 0 to {most - 1:x} for its /64s (hexadecimal), and {number:x} is none"
        )
    return Network(6, prefix.value + (number << 64), 64)


# --- Many segments into one block ------------------------------------------------------------------------


class Want(NamedTuple):
    """A segment that needs room: its name, and how many hosts are expected (or a prefix length instead)."""

    name: str
    hosts: int = 0
    prefix: int | None = None


class PlacedWant(NamedTuple):
    """A want with the subnet it was given."""

    want: Want
    subnet: Network


def prefix_for(hosts: int, growth: int = 0) -> int:
    """The longest IPv4 prefix whose usable addresses hold so many hosts, grown by so many per cent, and a gateway.

    Raises `RoomError` when no subnet is so large.
    """
    if hosts < 0 or growth < 0:
        raise RoomError(f"{hosts} hosts grown by {growth} % are not permitted: write 0 or more of both")
    needed = -(-hosts * (100 + growth) // 100) + 1
    for prefix in range(30, -1, -1):
        if (1 << (32 - prefix)) - 2 >= needed:
            return prefix
    raise RoomError(f"{hosts:,} hosts do not fit into IPv4 at all")


def lay_out(
    block: Network, wants: Sequence[Want], taken: Iterable[Span | Network] = (), growth: int = 0
) -> list[PlacedWant]:
    """Give each want a subnet in a block (VLSM, RFC 1878): the largest first, each in the smallest gap it fits.

    The answer is in the order of the wants. Raises `RoomError` with an account of what does not fit.
    """
    if block.family != 4:
        raise RoomError(f"{block} is not IPv4: there every segment takes a /64")
    for want in wants:
        if want.prefix is not None and not 0 <= want.prefix <= 32:
            raise MaskError(f"/{want.prefix} for {want.name} is no IPv4 prefix length: write /0 to /32")
    sized = [
        (want.prefix if want.prefix is not None else prefix_for(want.hosts, growth), n) for n, want in enumerate(wants)
    ]
    runs: list[Span | Network] = list(taken)
    given: dict[int, Network] = {}
    for place, (prefix, number) in enumerate(sorted(sized)):
        free = Free(block, runs)
        found = _tightest(free, prefix)
        if found is None:
            missing = sized_text([(p, wants[n].name) for p, n in sorted(sized)[place:]])
            needed = sum(1 << (32 - p) for p, _ in sized)
            largest = min((net.prefix for net in free.prefixes()), default=None)
            room = f"the largest free subnet left is a /{largest}" if largest is not None else "nothing is left"
            raise RoomError(
                f"{missing} does not fit into {block}: {needed:,} addresses are wanted, {Free(block, taken).size:,} of "
                f"{block.size:,} are free, and after the larger segments {room}. Take a larger block, or expect fewer "
                "hosts."
            )
        given[number] = found
        runs.append(found)
    return [PlacedWant(want, given[number]) for number, want in enumerate(wants)]


def _tightest(free: Free, prefix: int) -> Network | None:
    """A subnet at the start of the smallest aligned gap that holds it."""
    holding = [net for net in free.prefixes() if net.prefix <= prefix]
    if not holding:
        return None
    best = max(holding, key=lambda net: (net.prefix, -net.value))
    return Network(best.family, best.value, prefix)


def sized_text(wants: Sequence[tuple[int, str]]) -> str:
    """`office (/24)`, `office (/24) and 3 more`."""
    prefix, name = wants[0]
    more = f" and {len(wants) - 1} more" if len(wants) > 1 else ""
    return f"{name} (/{prefix}){more}"


# --- Hosts and ranges ------------------------------------------------------------------------------------


def next_host(
    plan: SitePlan,
    key: str,
    organisation: Organisation,
    kind: str | None = None,
    but: str | None = None,
    within: Network | None = None,
) -> Address | None:
    """The next free address for a fixed host: in the run kept for its kind, or else outside ranges and kept runs,
    from the end that the organisation takes. `but` is a host that gives its address up. `within` is a subnet of
    the segment, its first one unless said otherwise."""
    segment = plan.segments[key]
    subnet = within or segment.subnet
    if subnet is None:
        return None
    held = set(held_addresses(plan if but is None else _without_host(plan, but)))
    held |= {address for address in (segment.gateway, segment.gateway6) if address is not None}
    pieces = [piece for other in plan.segments.values() if other.vrf == segment.vrf for piece in other.scope.pieces]
    kept = [keep.run for keep in segment.kept if kind is None or keep.kind.casefold() != kind.casefold()]
    own = [keep.run for keep in segment.kept if kind is not None and keep.kind.casefold() == kind.casefold()]
    for run, shut in (
        *((run, pieces) for run in own),
        (subnet.for_hosts, pieces + kept + own),
        (subnet.for_hosts, pieces),
    ):
        found = _first_open(run, subnet.for_hosts, held, shut, organisation.hosts)
        if found is not None:
            return found
    return None


def _without_host(plan: SitePlan, key: str) -> SitePlan:
    return plan.model_copy(update={"hosts": {k: host for k, host in plan.hosts.items() if k != key}})


def _first_open(run: Span, usable: Span, held: set[Address], shut: list[Span], side: Side) -> Address | None:
    if run.first.family != usable.first.family:
        return None
    inside = Span(max(run.first, usable.first), min(run.last, usable.last))
    pieces = inside.without([span for span in shut if span.first.family == inside.first.family])
    backwards = side is Side.LAST and inside.first.family == 4
    for piece in reversed(pieces) if backwards else pieces:
        address, step = (piece.last, -1) if backwards else (piece.first, 1)
        while address in held:
            if address == (piece.first if backwards else piece.last):
                break
            address = address.plus(step)
        else:
            return address
    return None


def range_leaving(segment: Segment, leave: int, hosts: Iterable[Address], organisation: Organisation) -> Span:
    """The longest DHCP range that leaves so many usable addresses outside for fixed hosts, beside the gateway, and
    holds none of the fixed hosts. Raises `RoomError` when nothing is left."""
    subnet, usable = _usable(segment)
    if leave < 0:
        raise RoomError(f"{leave} addresses cannot be left: write 0 or more")
    fixed = sorted({address for address in (*hosts, segment.gateway) if address and usable.holds(address)})
    pieces = usable.without([Span(address, address) for address in fixed])
    spare = max(0, leave - len(fixed))
    best: Span | None = None
    for piece in pieces:
        cut = max(0, spare - (usable.size - piece.size - len(fixed)))
        if piece.size > cut:
            low = organisation.hosts is Side.FIRST
            trimmed = Span(piece.first.plus(cut), piece.last) if low else Span(piece.first, piece.last.plus(-cut))
            if best is None or trimmed.size > best.size:
                best = trimmed
    if best is None:
        raise RoomError(
            f"{subnet} has {usable.size:,} usable addresses: leaving {leave:,} for fixed hosts, no range is left"
        )
    return best


def range_for(segment: Segment, clients: int, hosts: Iterable[Address], organisation: Organisation) -> Span:
    """A DHCP range for so many clients, at the end that fixed hosts do not take. Raises `RoomError`."""
    if clients < 1:
        raise RoomError(f"{clients} clients are not permitted: write 1 or more")
    widest = range_leaving(segment, 0, hosts, organisation)
    if widest.size < clients:
        raise RoomError(
            f"{segment.subnet} has room for a range of {widest.size:,}, not of {clients:,}: take a larger subnet"
        )
    if organisation.hosts is Side.FIRST:
        return Span(widest.last.plus(1 - clients), widest.last)
    return Span(widest.first, widest.first.plus(clients - 1))


def _usable(segment: Segment) -> tuple[Network, Span]:
    if segment.subnet is None:
        raise RoomError(f"{segment.label} has no subnet yet: give it one first")
    return segment.subnet, segment.subnet.usable


def fixed_in(plan: SitePlan, key: str) -> list[Address]:
    """The addresses of hosts in a segment that are typed into them."""
    hosts = (host for host in plan.hosts.values() if host.segment == key and host.method == "static")
    return [host.address for host in hosts if host.address is not None]


def next_vlan(plan: SitePlan, but: str | None = None) -> int | None:
    """The next free VLAN of a site: by tens, as most number them, then any."""
    taken = {segment.vlan for key, segment in plan.segments.items() if key != but}
    return next((vlan for vlan in (*range(10, 4_000, 10), *range(2, 4_095)) if vlan not in taken), None)


def wanted_prefix(segment: Segment, growth: int) -> int:
    """The prefix length that a segment should have by its role and expected hosts, or has."""
    if segment.role is SegmentRole.TRANSIT:
        return 30
    if segment.expected_hosts is not None:
        return prefix_for(segment.expected_hosts, growth)
    return segment.subnet.prefix if segment.subnet is not None and segment.subnet.family == 4 else 24
