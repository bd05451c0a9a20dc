"""A plan's claims: which addresses it says are used, and for what, as NumPy structured arrays.

An address is three columns (`ADDRESS`): two unsigned 64-bit words, so that 128-bit values are exact, and the
family (4, 6, or 0 for "not known"). Comparisons order by family first; "not known" lies below all. A member
with an IPv4 and an IPv6 side has two rows, the other one marked `second`. The same arrays serve one plan and
ten thousand joined together, so that every rule is written once.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, count
from typing import Any

import numpy as np
from numpy.typing import NDArray

from octaplan.core.plan.boxes import SERVER_OPTIONS, addresses_in
from octaplan.core.plan.domains import DomainSort, domain_sort
from octaplan.core.plan.site import Circuit, Handoff, Host, Method, Segment, SegmentRole, SitePlan
from octaplan.core.values.addresses import (
    BITS,
    PRIVATE_IPV4,
    Address,
    Network,
    Span,
    is_documentation,
    is_public,
)

Rows = NDArray[np.void]
Numbers = NDArray[np.int64]
Flags = NDArray[np.bool_]
Words = NDArray[np.uint64]


def _row(*columns: tuple[str, Any]) -> np.dtype[np.void]:
    return np.dtype(list(columns), align=True)


ADDRESS = _row(("hi", "u8"), ("lo", "u8"), ("family", "u1"))

_ENDS = (("first", ADDRESS), ("last", ADDRESS))
_SUBNET = (*_ENDS, ("usable_first", ADDRESS), ("usable_last", ADDRESS))

SITE = _row(
    ("site", "i4"),
    ("circuits", "i4"),
    ("ships", "i4"),  # the day as Python's proleptic ordinal, 0 for none
    ("zone", "?"),
    ("devices", "?"),
    ("wireless", "?"),
)
SEGMENT = _row(
    ("site", "i4"),
    ("item", "i4"),
    ("table", "i4"),
    ("vlan", "i4"),
    ("second", "?"),
    ("reaches", "?"),
    ("needs_gateway", "?"),
    ("inside_private", "?"),
    ("transit", "?"),
    ("served", "?"),  # somebody serves DHCP on it
    ("router_option", "?"),
    ("time_option", "?"),
    ("public_domain", "?"),
    ("resolvers", "i4"),
    ("prefix", "i4"),
    ("lease", "i8"),  # seconds, 0 for none
    ("expected", "i8"),  # hosts, -1 for not known
    ("usable", "i8"),  # how many addresses, at most `MANY`
    ("leasable", "i8"),  # how many addresses, at most `MANY`
    *_SUBNET,
    ("gateway", ADDRESS),
    ("scope_first", ADDRESS),
    ("scope_last", ADDRESS),
)
HOST = _row(
    ("site", "i4"),
    ("item", "i4"),
    ("table", "i4"),
    ("segment", "i4"),
    ("kind", "i4"),
    ("second", "?"),
    ("reserved", "?"),
    ("mac", "u8"),  # one more than the MAC, 0 for none
    ("name", "u8"),  # a digest of the name in small letters
    ("address", ADDRESS),
)
RANGE = _row(("site", "i4"), ("table", "i4"), ("segment", "i4"), *_ENDS)
KEPT = _row(("site", "i4"), ("segment", "i4"), ("kind", "i4"), *_ENDS)
RESOLVER = _row(("site", "i4"), ("circuit", "i4"), ("segment", "i4"), ("address", ADDRESS))
OPTION = _row(("site", "i4"), ("segment", "i4"), ("number", "i4"), ("address", ADDRESS))
CIRCUIT = _row(
    ("site", "i4"),
    ("item", "i4"),
    ("second", "?"),
    ("static", "?"),
    ("answered", "?"),
    ("public", "?"),
    ("documentation", "?"),
    ("resolvers", "i4"),
    ("uses", "i4"),
    ("line", "i4"),  # the same for circuits of one network and one gateway, -1 for not known
    *_SUBNET,
    ("address", ADDRESS),
    ("gateway", ADDRESS),
)
FURTHER = _row(("site", "i4"), ("item", "i4"), ("circuit", "i4"), ("address", ADDRESS))
PUBLISHED = _row(("site", "i4"), ("item", "i4"), ("address", ADDRESS))
IDENTITY = _row(("site", "i4"), ("item", "i4"), ("mac", "?"), ("mark", "u8"))  # a MAC, or a digest of a serial number
ROUTED = _row(("site", "i4"), ("item", "i4"), ("circuit", "i4"), *_ENDS)
MODEM = _row(("site", "i4"), ("circuit", "i4"), *_ENDS)
PREFIX = _row(("site", "i4"), ("item", "i4"), *_ENDS)
GROUP = _row(("site", "i4"), ("label", "i8"), ("sign", "i8"))

MANY = 1 << 62

#: A site in more reach groups than this is compared with the others one by one where groups are shared.
MANY_GROUPS = 5
_LOW = (1 << 64) - 1
_UNKNOWN = (0, 0, 0)
_NOWHERE = (_UNKNOWN, _UNKNOWN, _UNKNOWN, _UNKNOWN)
_Words = tuple[int, int, int]


def words(address: Address | None) -> _Words:
    """An address as the three columns of `ADDRESS`."""
    if address is None:
        return _UNKNOWN
    family, value = address
    return (value >> 64, value & _LOW, family)


class Addresses:
    """Some addresses, each column in one piece: what a column of dtype `ADDRESS` holds, quicker to compare."""

    __slots__ = ("family", "hi", "lo")

    def __init__(self, family: NDArray[np.uint8], hi: Words, lo: Words) -> None:
        self.family, self.hi, self.lo = family, hi, lo

    @classmethod
    def of(cls, rows: Rows) -> Addresses:
        """The addresses of an array of dtype `ADDRESS`."""
        taken = (rows[name] for name in ("family", "hi", "lo"))
        return cls(*(column if len(column) < 64 else np.ascontiguousarray(column) for column in taken))

    @classmethod
    def one(cls, address: Address) -> Addresses:
        """One address, to be compared with many."""
        return cls.listed([address])

    @classmethod
    def listed(cls, addresses: Sequence[Address]) -> Addresses:
        """Some addresses from values."""
        return cls.of(np.array([words(address) for address in addresses], ADDRESS))

    @classmethod
    def join(cls, *parts: Addresses) -> Addresses:
        """Several one after the other."""
        return cls(*(np.concatenate([getattr(part, name) for part in parts]) for name in ("family", "hi", "lo")))

    def __len__(self) -> int:
        return len(self.family)

    def __getitem__(self, rows: Any) -> Addresses:
        return Addresses(self.family[rows], self.hi[rows], self.lo[rows])

    def at(self, row: int) -> Address:
        """One of them, as a value."""
        return Address(int(self.family[row]), int(self.hi[row]) << 64 | int(self.lo[row]))


def where(flags: NDArray[Any]) -> list[int]:
    """The row numbers at which an array is true, or not zero."""
    rows: list[int] = flags.nonzero()[0].tolist()
    return rows


def known(a: Addresses) -> Flags:
    flags: Flags = a.family > 0
    return flags


def less(a: Addresses, b: Addresses) -> Flags:
    """Elementwise `a < b`, of the same length or one of them of length one."""
    word = (a.hi < b.hi) | ((a.hi == b.hi) & (a.lo < b.lo))
    below: Flags = (a.family < b.family) | ((a.family == b.family) & word)
    return below


def same(a: Addresses, b: Addresses) -> Flags:
    """Elementwise equality."""
    flags: Flags = (a.lo == b.lo) & (a.hi == b.hi) & (a.family == b.family)
    return flags


def within(a: Addresses, first: Addresses, last: Addresses) -> Flags:
    """Elementwise `first <= a <= last`; false wherever any of the three is not known."""
    flags: Flags = known(a) & known(first) & ~(less(a, first) | less(last, a))
    return flags


class Labels:
    """Numbers for reach groups and provider's lines, the same for all sites of a portfolio and of its forks.

    Several threads may ask at once: a number is given once.
    """

    def __init__(self) -> None:
        self._groups: dict[tuple[str, ...], int] = {}
        self._lines: dict[tuple[Network, Address], int] = {}
        self._next = count()

    def line(self, subnet: Network | None, gateway: Address | None) -> int:
        """A number for a provider's line: a network and its gateway, -1 while either is not known."""
        if subnet is None or gateway is None:
            return -1
        line = (subnet, gateway)
        number = self._lines.get(line)
        return self._lines.setdefault(line, next(self._next)) if number is None else number

    def groups(self, names: Sequence[str]) -> Iterator[tuple[int, int]]:
        """Numbers for some reach groups and for every two, three, … of them together, each with the sign that
        counts a site sharing several of them once (inclusion and exclusion). Beyond `MANY_GROUPS` each stands alone.
        """
        most = len(names) if len(names) <= MANY_GROUPS else 1
        for size in range(1, most + 1):
            for some in combinations(names, size):
                number = self._groups.get(some)
                if number is None:
                    number = self._groups.setdefault(some, next(self._next))
                yield number, 1 if size % 2 else -1


class ClaimTable:
    """An array of claims whose columns are taken out once: `table["vlan"]` is a plain array, and a column of
    addresses is `Addresses`."""

    def __init__(self, kind: str, rows: Rows) -> None:
        self.kind = kind
        self.rows = rows
        self._columns: dict[str, Any] = {}

    def __len__(self) -> int:
        return len(self.rows)

    def __getitem__(self, name: str) -> Any:
        column = self._columns.get(name)
        if column is None and len(self.rows) > LARGE:
            self._take_apart()
            column = self._columns[name]
        elif column is None:
            taken = self.rows[name]
            column = Addresses.of(taken) if taken.dtype == ADDRESS else np.ascontiguousarray(taken)
            self._columns[name] = column
        return column

    def inside(self, column: str, run: str = "") -> Flags:
        """Which addresses of a column lie between `first` and `last`, or the `usable_` ones; worked out once."""
        name = f"{column} inside {run}"
        flags = self._columns.get(name)
        if flags is None:
            flags = self._columns[name] = within(self[column], self[f"{run}first"], self[f"{run}last"])
        inside: Flags = flags
        return inside

    def _take_apart(self) -> None:
        """Take all columns out in one walk: a large array passes the processor's cache once, not for every column."""
        flat: dict[tuple[str, str], NDArray[Any]] = {}
        dtype = self.rows.dtype
        assert dtype.names is not None  # noqa: S101
        for name in dtype.names:
            for part in ("family", "hi", "lo") if dtype[name] == ADDRESS else ("",):
                flat[name, part] = np.empty(len(self.rows), dtype[name][part] if part else dtype[name])
        for start in range(0, len(self.rows), _BLOCK):
            block = self.rows[start : start + _BLOCK]
            for (name, part), column in flat.items():
                column[start : start + _BLOCK] = block[name][part] if part else block[name]
        for name in dtype.names:
            if dtype[name] == ADDRESS:
                self._columns[name] = Addresses(*(flat[name, part] for part in ("family", "hi", "lo")))
            else:
                self._columns[name] = flat[name, ""]


#: From so many rows on an array is taken apart at once, and in blocks of so many.
LARGE, _BLOCK = 20_000, 2_048


@dataclass(frozen=True, slots=True)
class Claims:
    """The claims of one or many sites. `site` is the site's number in the portfolio, `item` the position of
    the member in its plan; `segment` and `circuit` are row numbers in the arrays here, -1 for none."""

    sites: Rows
    segments: Rows
    hosts: Rows
    ranges: Rows
    kept: Rows
    resolvers: Rows
    options: Rows
    circuits: Rows
    further: Rows
    published: Rows
    identities: Rows
    routed: Rows
    modems: Rows
    prefixes: Rows
    groups: Rows

    @classmethod
    def of(cls, plan: SitePlan, site: int, labels: Labels | None = None) -> Claims:
        """The claims of one plan, under a site number and with the labels of its portfolio."""
        labels = labels or Labels()
        made: dict[str, list[Any]] = {name: [] for name in _DTYPES}
        made["sites"].append(
            (
                site,
                len(plan.circuits),
                plan.ship_date.toordinal() if plan.ship_date else 0,
                plan.time_zone is not None,
                bool(plan.devices),
                bool(plan.wireless),
            )
        )
        if plan.delegated_prefix is not None:
            made["prefixes"].append((site, 0, *_first_and_last(plan.delegated_prefix)))
        made["groups"] += [(site, label, sign) for label, sign in labels.groups(plan.groups)]
        tables: dict[str, int] = {}
        kinds: dict[str, int] = {"": 0}
        rows_of: dict[str, tuple[int, int, int, int]] = {}  # table, row, row of IPv6 addresses, second row
        for item, (key, segment) in enumerate(plan.segments.items()):
            table = tables.setdefault(segment.vrf.casefold(), len(tables))
            row = len(made["segments"])
            leasable = _scope_rows(made, segment, site, row, table)
            made["segments"] += _segment_rows(segment, (site, item, table), leasable)
            six = segment.subnet is not None and segment.subnet.family == 6
            second = row + (segment.subnet6 is not None or segment.gateway6 is not None)
            rows_of[key] = (table, row, row if six else second, second)
            for kept in segment.kept:
                kind = kinds.setdefault(kept.kind.casefold(), len(kinds))
                made["kept"].append((site, row, kind, words(kept.run.first), words(kept.run.last)))
        hosts = _host_rows(plan, site, rows_of, kinds)
        for item, circuit in enumerate(plan.circuits.values()):
            row = len(made["circuits"])
            made["circuits"] += _circuit_rows(circuit, site, item, labels)
            made["further"] += [(site, item, row, words(address)) for address in circuit.further]
            made["routed"] += [(site, item, row, *_first_and_last(block)) for block in circuit.routed_blocks]
            made["resolvers"] += [(site, row, -1, words(address)) for address in circuit.resolvers]
            if circuit.modem_subnet is not None:
                made["modems"].append((site, row, *_first_and_last(circuit.modem_subnet)))
        for item, device in enumerate(plan.devices.values()):
            if device.serial:
                made["identities"].append((site, item, False, digest(device.serial.replace(" ", ""))))
            made["identities"] += [(site, item, True, mac.value + 1) for mac in device.macs]
            for one in device.publications.values():
                line = plan.circuits.get(one.circuit)
                address = one.address or (line.address if line is not None else None)
                if address is not None:
                    made["published"].append((site, item, words(address)))
        arrays = {name: _array(rows, _DTYPES[name]) if rows else _EMPTY[name] for name, rows in made.items()}
        return cls(**(arrays | {"hosts": hosts}))

    def same(self, other: Claims) -> bool:
        """Whether the very same is claimed."""
        return all(getattr(self, name).tobytes() == getattr(other, name).tobytes() for name in _DTYPES)

    @classmethod
    def join(cls, parts: Sequence[Claims]) -> Claims:
        """The claims of many sites as one, in their order."""
        if not parts:
            return cls(**_EMPTY)
        if len(parts) == 1:
            return parts[0]
        joined: dict[str, Any] = {
            name: np.frombuffer(bytearray().join(getattr(part, name).data for part in parts), dtype)
            for name, dtype in _DTYPES.items()
        }
        for column, owner, owned_by in (
            ("segment", "segments", ("hosts", "ranges", "kept", "resolvers", "options")),
            ("circuit", "circuits", ("further", "routed", "modems", "resolvers")),
        ):
            starts = np.cumsum([0] + [len(getattr(part, owner)) for part in parts[:-1]])
            for owned in owned_by:
                rows = joined[owned]
                moved = np.repeat(starts, [len(getattr(part, owned)) for part in parts])
                rows[column] += np.where(rows[column] < 0, 0, moved).astype("i4")
        return cls(**joined)


def _array(rows: list[Any], dtype: np.dtype[Any]) -> Rows:
    """Rows as an array whose bytes, those between the columns too, are the same for the same rows."""
    array = np.zeros(len(rows), dtype)
    array[:] = rows
    return array


_DTYPES = {
    "sites": SITE,
    "segments": SEGMENT,
    "hosts": HOST,
    "ranges": RANGE,
    "kept": KEPT,
    "resolvers": RESOLVER,
    "options": OPTION,
    "circuits": CIRCUIT,
    "further": FURTHER,
    "published": PUBLISHED,
    "identities": IDENTITY,
    "routed": ROUTED,
    "modems": MODEM,
    "prefixes": PREFIX,
    "groups": GROUP,
}


_EMPTY: dict[str, Any] = {name: np.empty(0, dtype) for name, dtype in _DTYPES.items()}


def _segment_rows(segment: Segment, place: tuple[int, int, int], leasable: int) -> Iterator[tuple[Any, ...]]:
    site, item, table = place
    scope, subnet = segment.scope, segment.subnet
    running = scope.server != "none"
    reaches, transit = segment.reaches, segment.role is SegmentRole.TRANSIT
    expected = -1 if segment.expected_hosts is None else segment.expected_hosts
    yield (
        site,
        item,
        table,
        segment.vlan or 0,
        False,
        reaches,
        not transit and segment.role is not SegmentRole.ISOLATED,
        _inside_private(subnet),
        transit,
        running,
        "3" in scope.options,
        "2" in scope.options,
        segment.domain is not None and domain_sort(segment.domain) is not DomainSort.INSIDE,
        len(segment.resolvers),
        -1 if subnet is None else subnet.prefix,
        scope.lease or 0,
        expected,
        0 if subnet is None else _usable_size(subnet),
        min(leasable, MANY),
        *_ends(subnet),
        words(segment.gateway),
        words(scope.first if running else None),
        words(scope.last if running else None),
    )
    second = segment.subnet6
    if second is not None or segment.gateway6 is not None:
        usable = 0 if second is None else _usable_size(second)
        facts = (-1 if second is None else second.prefix, 0, -1, usable, 0)
        subnet_ends = _ends(second)
        yield (
            *(site, item, table, 0, True, reaches, False, True, transit, False, False, False, False, 0),
            *facts,
            *subnet_ends,
            words(segment.gateway6),
            _UNKNOWN,
            _UNKNOWN,
        )


def _scope_rows(made: dict[str, list[Any]], segment: Segment, site: int, row: int, table: int) -> int:
    """What DHCP hands out on a segment, and how many addresses that are."""
    scope = segment.scope
    pieces = scope.pieces
    made["ranges"] += [(site, table, row, words(p.first), words(p.last)) for p in pieces]
    for item in segment.resolvers:
        address = segment.gateway if item == "gateway" else item
        made["resolvers"].append((site, -1, row, words(address if isinstance(address, Address) else None)))
    for number, text in scope.options.items():
        if number in SERVER_OPTIONS:
            made["options"] += [(site, row, int(number), words(address)) for address in addresses_in(text)]
    return sum(piece.size for piece in pieces)


def _host_rows(plan: SitePlan, site: int, rows_of: dict[str, tuple[int, int, int, int]], kinds: dict[str, int]) -> Rows:
    """The hosts, column by column, since there are many: those with an IPv6 side after all others."""
    if not plan.hosts:
        rows: Rows = _EMPTY["hosts"]
        return rows
    items: list[int] = []
    tables: list[int] = []
    segments: list[int] = []
    macs: list[int] = []
    names: list[int] = []
    reserved: list[bool] = []
    families: list[int] = []
    values: list[int] = []
    kinds_of: list[tuple[int, int]] = []
    second_sides = []
    for item, host in enumerate(plan.hosts.values()):
        table, row, row6, second = rows_of[host.segment]
        address, mac = host.address, host.mac
        if address is None:
            families.append(0)
            values.append(0)
        else:
            family, value = address
            families.append(family)
            values.append(value)
            if family == 6:
                row = row6
        items.append(item)
        tables.append(table)
        segments.append(row)
        macs.append(0 if mac is None else mac.value + 1)
        names.append(digest(host.name))
        reserved.append(host.method is Method.RESERVED)
        if host.kind and len(kinds) > 1:
            kinds_of.append((len(items) - 1, kinds.get(host.kind.casefold(), 0)))
        if host.address6 is not None:
            second_sides.append((item, table, second, host, host.address6.value))
    for item, table, second, host, value in second_sides:
        items.append(item)
        tables.append(table)
        segments.append(second)
        macs.append(0)
        names.append(0)
        reserved.append(host.method is Method.RESERVED)
        families.append(6)
        values.append(value)
        if host.kind and len(kinds) > 1:
            kinds_of.append((len(items) - 1, kinds.get(host.kind.casefold(), 0)))
    rows = np.zeros(len(items), HOST)
    rows["site"] = site
    rows["item"] = items
    rows["table"] = tables
    rows["segment"] = segments
    rows["second"][len(plan.hosts) :] = True
    rows["reserved"] = reserved
    rows["mac"] = macs
    rows["name"] = names
    addresses = rows["address"]
    addresses["family"] = families
    if 6 in families:
        addresses["hi"] = [value >> 64 for value in values]
        addresses["lo"] = [value & _LOW for value in values]
    else:
        addresses["lo"] = values
    for row, kind in kinds_of:
        rows["kind"][row] = kind
    return rows


def _circuit_rows(circuit: Circuit, site: int, item: int, labels: Labels) -> Iterator[tuple[Any, ...]]:
    static, answered = circuit.handoff is Handoff.STATIC, circuit.handoff is not None
    sides: list[tuple[bool, Address | None, Network | None, Address | None]] = [
        (False, circuit.address, circuit.subnet, circuit.gateway)
    ]
    if circuit.address6 is not None or circuit.gateway6 is not None or circuit.prefix6 is not None:
        sides.append((True, circuit.address6, circuit.subnet6, circuit.gateway6))
    for second, address, subnet, gateway in sides:
        yield (
            *(site, item, second, static, answered),
            address is None or is_public(address),
            address is not None and is_documentation(address),
            len(circuit.resolvers),
            0 if second else len(circuit.uses),
            labels.line(subnet, gateway),
            *_ends(subnet),
            words(address),
            words(gateway),
        )


def digest(text: str) -> int:
    """A number that two texts share when they are the same but for their case; never zero. Only of this process."""
    return hash(text.casefold()) & _LOW or 1


def host_side(host: Host, second: bool) -> Address | None:
    """The address of a host that a row speaks of."""
    return host.address6 if second else host.address


def _first_and_last(run: Network | Span) -> tuple[_Words, _Words]:
    return (words(run.first), words(run.last))


def _ends(subnet: Network | None) -> tuple[_Words, _Words, _Words, _Words]:
    """First and last, and first and last usable, of a subnet."""
    if subnet is None:
        return _NOWHERE
    family, value, prefix = subnet
    last = value | (1 << BITS[family] - prefix) - 1
    below = 1 if prefix <= (30 if family == 4 else 126) else 0  # as `Network.usable` has it
    above = below if family == 4 else 0
    first, final, low, high = ((v >> 64, v & _LOW, family) for v in (value, last, value + below, last - above))
    return first, final, low, high


def _usable_size(subnet: Network) -> int:
    family, _, prefix = subnet
    ends = (2 if prefix <= 30 else 0) if family == 4 else int(prefix <= 126)
    return min((1 << BITS[family] - prefix) - ends, MANY)


def _inside_private(subnet: Network | None) -> bool:
    if subnet is None or subnet.family != 4:
        return True
    return any(block.prefix <= subnet.prefix and block.holds(subnet.first) for block in PRIVATE_IPV4)
