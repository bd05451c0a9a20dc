"""The sweep: which intervals of addresses collide.

Intervals are sorted once by their first and once by their last address. How many of them overlap [a, b] is
then two binary searches: those that start at or before b, less those that end before a. Which ones: those
that start inside [a, b] stand next to each other, and those that start earlier and still reach a are found
by descending through the maxima of their last addresses. Nothing loops over pairs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from copy import copy
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

import numpy as np
from numpy.typing import NDArray

from octaplan.core.check.claims import Addresses, Flags, Numbers, Words, less
from octaplan.core.values.addresses import BITS, Address
from octaplan.core.values.lazy import lazy

Keys = NDArray[Any]  # uint64 (label and IPv4 address in one word), or 20 big-endian bytes for IPv6

_FAMILIES = (4, 6)

#: Below so many comparisons they are all made; above, the intervals are sorted.
FEW = 20_000


def _keys(family: int, labels: Numbers, addresses: Addresses) -> Keys:
    """Sortable keys, label first: two keys compare as (label, address) do. Labels are below 2^32."""
    if family == 4:
        packed: Keys = labels.astype("u8") << np.uint64(32) | addresses.lo
        return packed
    text = np.empty((len(labels), 20), "u1")
    text[:, 0:4] = labels.astype(">u4").view("u1").reshape(-1, 4)
    text[:, 4:12] = addresses.hi.astype(">u8").view("u1").reshape(-1, 8)
    text[:, 12:20] = addresses.lo.astype(">u8").view("u1").reshape(-1, 8)
    return text.view("S20").ravel()


def _addresses(family: int, keys: Keys) -> Addresses:
    """The addresses in some keys."""
    if family == 4:
        lo = keys & np.uint64(0xFFFFFFFF)
        return Addresses(np.full(len(keys), 4, "u1"), np.zeros(len(keys), "u8"), lo)
    text = np.ascontiguousarray(keys).view("u1").reshape(-1, 20)
    hi, lo = (
        np.ascontiguousarray(text[:, cut]).view(">u8").ravel().astype("u8") for cut in (slice(4, 12), slice(12, 20))
    )
    return Addresses(np.full(len(keys), 6, "u1"), hi, lo)


class _Maxima:
    """For the nearest earlier place at which a value is at least so much: maxima over runs of 1, 2, 4, … places."""

    def __init__(self, values: Numbers) -> None:
        self._levels = [values]
        span = 1
        while span < len(values):
            below = self._levels[-1]
            level = below.copy()
            np.maximum(below[span:], below[:-span], out=level[span:])
            self._levels.append(level)
            span *= 2

    def before(self, place: int, least: int) -> int:
        """The last place before another with a value of at least so much, or -1."""
        place -= 1
        for number in range(len(self._levels) - 1, -1, -1):
            while place >= 0 and self._levels[number][place] < least:
                place -= 1 << number
        return max(place, -1)


class _Sorted:
    """Intervals of one family in the order of their first addresses, each with what it belongs to."""

    def __init__(self, first: Keys, last: Keys, owners: Sequence[Numbers]) -> None:
        order = np.argsort(first, kind="stable")
        self.first = first[order]
        self.last_here = last[order]
        self.last = np.sort(last)
        self.owners = tuple(owner[order] for owner in owners)
        self._maxima: _Maxima | None = None

    def __len__(self) -> int:
        return len(self.first)

    def exchanged(self, gone: Flags, first: Keys, last: Keys, owners: Sequence[Numbers]) -> _Sorted:
        """The same without the intervals marked, and with others in their places in the order."""
        made = copy(self)
        rest = _without_sorted(self.last, np.sort(self.last_here[gone]))
        stay = ~gone
        order = np.argsort(first, kind="stable")
        first, last, kept = first[order], last[order], self.first[stay]
        places = np.searchsorted(kept, first, "right")
        made.first = np.insert(kept, places, first)
        made.last_here = np.insert(self.last_here[stay], places, last)
        made.owners = tuple(
            np.insert(mine[stay], places, more[order]) for mine, more in zip(self.owners, owners, strict=True)
        )
        more = np.sort(last)
        made.last = np.insert(rest, np.searchsorted(rest, more), more)
        made._maxima = None
        return made

    def count(self, first: Keys, last: Keys) -> Numbers:
        begun = np.searchsorted(self.first, last, "right")
        ended = np.searchsorted(self.last, first, "left")
        return (begun - ended).astype(np.int64)

    def overlapping(self, first: Any, last: Any) -> Iterator[int]:
        """The places of what overlaps [first, last], lazily: a caller that wants twenty pays for twenty."""
        low = int(np.searchsorted(self.first, first, "left"))
        high = int(np.searchsorted(self.first, last, "right"))
        if low:
            if self._maxima is None:
                self._maxima = _Maxima(np.searchsorted(self.last, self.last_here, "right"))
            least = int(np.searchsorted(self.last, first, "left")) + 1
            place = self._maxima.before(low, least)
            while place >= 0:
                yield place
                place = self._maxima.before(place, least)
        yield from range(low, high)


def _without_sorted(values: Keys, gone: Keys) -> Keys:
    """A sorted array less the members of another sorted array, as multisets."""
    starts = np.searchsorted(values, gone, "left")
    nth = np.arange(len(gone)) - np.searchsorted(gone, gone, "left")
    return np.delete(values, starts + nth)


@dataclass(frozen=True, slots=True)
class Overlaps:
    """For each interval that was asked about: how many overlap it, and on demand which."""

    total: Numbers
    rows: Callable[[int], Iterator[int]] = field(repr=False)


class IntervalIndex:
    """Intervals of both families under integer labels; only intervals of one label can overlap.

    `labels` int64 (n,), `first` and `last` (n,). Unknown and reversed intervals take no part. Raises `ValueError`
    when the three are not of one length.
    """

    def __init__(self, labels: Numbers, first: Addresses, last: Addresses, *, few: int = FEW) -> None:
        if not len(labels) == len(first) == len(last):
            raise ValueError(
                f"{len(labels)} labels, {len(first)} first and {len(last)} last addresses: give one of each"
            )
        self._labels, self._first, self._last = labels, first, last
        self._few = few

    @lazy
    def _forward(self) -> Flags:
        """Which intervals are known and not back to front."""
        first, last = self._first, self._last
        whole: Flags = first.family > 0
        return whole if first is last else whole & (last.family == first.family) & ~less(last, first)

    @lazy
    def _known_labels(self) -> Numbers | None:
        """The labels in order, when they do not fit into a key as they are."""
        top = int(self._labels.max(initial=0))
        return np.unique(self._labels) if top >= 1 << 32 or self._labels.min(initial=0) < 0 else None

    @lazy
    def _parts(self) -> dict[int, _Sorted]:
        first, last = self._first, self._last
        every = self._known_labels
        labels = self._labels if every is None else np.searchsorted(every, self._labels)
        parts = {}
        for family in _FAMILIES:
            rows = np.flatnonzero((first.family == family) & (last.family == family))
            if len(rows):
                begin, end = (_keys(family, labels[rows], ends[rows]) for ends in (first, last))
                forward = begin <= end
                if not forward.all():
                    rows, begin, end = rows[forward], begin[forward], end[forward]
                parts[family] = _Sorted(begin, end, [rows])
        return parts

    def overlaps(self, labels: Numbers, first: Addresses, last: Addresses) -> Overlaps:
        """What overlaps each of m intervals; unknown or reversed ones overlap nothing."""
        if len(self._labels) * len(labels) <= self._few:
            return self._one_by_one(labels, first, last)
        total = np.zeros(len(labels), np.int64)
        usable: Flags = first.family == last.family
        every = self._known_labels
        if every is not None:
            places = np.searchsorted(every, labels)
            places[places == len(every)] = 0
            usable &= every[places] == labels
            labels = places
        keys = {family: _ask(part, family, labels, first, last, usable, total) for family, part in self._parts.items()}

        def rows(query: int) -> Iterator[int]:
            for family, asking in keys.items():
                part = self._parts[family]
                yield from (int(part.owners[0][place]) for place in _answer(part, asking, query))

        return Overlaps(total, rows)

    def _one_by_one(self, labels: Numbers, first: Addresses, last: Addresses) -> Overlaps:
        """The same for few intervals, where sorting costs more than it saves."""
        met = (self._labels == labels[:, None]) & (self._first.family == first.family[:, None])
        met &= ~(_under(last, self._first) | _over(first, self._last))
        met &= self._forward
        if first is not last:
            met &= ((last.family == first.family) & ~less(last, first))[:, None]
        return Overlaps(met.sum(axis=1), lambda query: iter(np.flatnonzero(met[query]).tolist()))


def _under(a: Addresses, b: Addresses) -> Flags:
    """Each of some addresses against each of others of the same family: whether it is lower. Shape (m, n)."""
    hi: Words = a.hi[:, None]
    flags: Flags = (hi < b.hi) | ((hi == b.hi) & (a.lo[:, None] < b.lo))
    return flags


def _over(a: Addresses, b: Addresses) -> Flags:
    hi: Words = a.hi[:, None]
    flags: Flags = (hi > b.hi) | ((hi == b.hi) & (a.lo[:, None] > b.lo))
    return flags


def _ask(
    part: _Sorted,
    family: int,
    labels: Numbers,
    first: Addresses,
    last: Addresses,
    usable: Flags,
    total: Numbers,
) -> tuple[Keys, Keys, Numbers]:
    """Count what overlaps the usable intervals of a family, and keep what was asked, for listing."""
    asked = (usable & (first.family == family)).nonzero()[0]
    if not len(asked):
        return part.first[:0], part.first[:0], asked
    begin, end = (_keys(family, labels[asked], ends[asked]) for ends in (first, last))
    forward = begin <= end
    if not forward.all():
        asked, begin, end = asked[forward], begin[forward], end[forward]
    total[asked] += part.count(begin, end)
    return begin, end, asked


def _answer(part: _Sorted, asking: tuple[Keys, Keys, Numbers], query: int) -> Iterator[int]:
    begin, end, asked = asking
    place = int(np.searchsorted(asked, query))
    if place < len(asked) and asked[place] == query:
        yield from part.overlapping(begin[place], end[place])


@dataclass(frozen=True, slots=True)
class Sharing:
    """What some sites claim of one sort. `rows`, `sites`, `items`, `labels`, `tags` int64 (n,), `first`, `last` (n,).

    `rows` are the row numbers of the array the claims were taken from. Only claims of one label can collide;
    labels are below 2^32, and a negative one takes no part. A tag is carried along.
    """

    rows: Numbers
    sites: Numbers
    items: Numbers
    labels: Numbers
    first: Addresses
    last: Addresses
    tags: Numbers

    def same(self, other: Sharing) -> bool:
        """Whether the very same is claimed."""
        plain = ("rows", "sites", "items", "labels", "tags")
        return all(np.array_equal(getattr(self, name), getattr(other, name)) for name in plain) and all(
            np.array_equal(getattr(mine, part), getattr(theirs, part))
            for mine, theirs in ((self.first, other.first), (self.last, other.last))
            for part in ("family", "hi", "lo")
        )

    @property
    def paired(self) -> Numbers:
        """Label and site as one label."""
        return self.labels << 24 | self.sites

    @property
    def index(self) -> IntervalIndex:
        """The claims by label and site."""
        return IntervalIndex(self.paired, self.first, self.last)

    def of(self, places: Numbers) -> Sharing:
        """Some of the claims."""
        return Sharing(*(getattr(self, name)[places] for name in self.__slots__))


class Shared:
    """What the whole portfolio claims of one sort (reachable subnets, circuit addresses, …), kept in order, so that
    one site can be held against all the others, and one site's claims exchanged without sorting the rest again."""

    def __init__(self, claims: Sharing) -> None:
        self._parts = {family: _Sorted(*self._of(claims, family)) for family in _FAMILIES}

    def __len__(self) -> int:
        return sum(map(len, self._parts.values()))

    @staticmethod
    def _of(claims: Sharing, family: int) -> tuple[Keys, Keys, list[Numbers]]:
        rows = np.flatnonzero((claims.first.family == family) & (claims.last.family == family) & (claims.labels >= 0))
        first, last = (_keys(family, claims.labels[rows], ends[rows]) for ends in (claims.first, claims.last))
        return first, last, [claims.sites[rows], claims.items[rows], claims.tags[rows]]

    def exchanged(self, sites: Numbers, claims: Sharing) -> Shared:
        """The same with the claims of some sites in the place of those that the sites have here."""
        made = copy(self)
        made._parts = dict(self._parts)
        for family, part in self._parts.items():
            gone = part.owners[0] == sites[0] if len(sites) == 1 else np.isin(part.owners[0], sites)
            first, last, owners = self._of(claims, family)
            if len(first) or gone.any():
                made._parts[family] = part.exchanged(gone, first, last, owners)
        return made

    def held(self, family: int, labels: Sequence[int], but: int) -> tuple[Addresses, Addresses]:
        """First and last of everything under some labels, of a family, but for one site's."""
        part = self._parts[family]
        nothing = np.zeros(1, np.int64)
        ends = [Addresses.one(Address(family, value)) for value in (0, (1 << BITS[family]) - 1)]
        chosen = []
        for label in labels:
            low, high = (_keys(family, nothing + label, end)[0] for end in ends)
            chosen.append(np.arange(np.searchsorted(part.first, low), np.searchsorted(part.first, high, "right")))
        places = np.concatenate(chosen) if chosen else np.zeros(0, np.int64)
        places = places[part.owners[0][places] != but]
        return _addresses(family, part.first[places]), _addresses(family, part.last_here[places])

    def elsewhere(self, asking: Sharing, own: Callable[[], Sharing]) -> Elsewhere:
        """What overlaps each of m intervals at sites other than their own.

        `own` is what is held here for the sites that ask, the same object when they ask for just that: it is
        counted, and left out.
        """
        total = np.zeros(len(asking.labels), np.int64)
        if not len(total):
            return Elsewhere(asking, total, self._parts, {})
        usable: Flags = (asking.first.family == asking.last.family) & (asking.labels >= 0)
        keys = {
            family: _ask(part, family, asking.labels, asking.first, asking.last, usable, total)
            for family, part in self._parts.items()
            if len(part)
        }
        if not total.any():
            return Elsewhere(asking, total, self._parts, keys)
        held = own()
        if asking is held:  # then each has met itself, and what has met more are the only ones to look at
            suspects = np.flatnonzero(total > 1)
            total[total == 1] = 0
            mine = held.of(suspects)
            total[suspects] -= mine.index.overlaps(mine.paired, mine.first, mine.last).total
        else:
            total -= np.where(usable, held.index.overlaps(asking.paired, asking.first, asking.last).total, 0)
        return Elsewhere(asking, total, self._parts, keys)


class Elsewhere:
    """What at other sites overlaps each interval that was asked about: `total` of them, and on demand which."""

    def __init__(
        self,
        asking: Sharing,
        total: Numbers,
        parts: dict[int, _Sorted],
        keys: dict[int, tuple[Keys, Keys, Numbers]],
    ) -> None:
        self.asking = asking
        self.total = total
        self._parts = parts
        self._keys = keys

    def members(self, query: int) -> Iterator[tuple[int, int, int]]:
        """Site, item and tag of each."""
        own = int(self.asking.sites[query])
        for family, asking in self._keys.items():
            sites, items, tags = self._parts[family].owners
            for place in _answer(self._parts[family], asking, query):
                if sites[place] != own:
                    yield int(sites[place]), int(items[place]), int(tags[place])


def among(labels: Numbers, first: Addresses, last: Addresses, usable: Flags, *, few: int = FEW) -> Overlaps:
    """Which of n intervals overlap which others of the same label; each is left out of its own count.

    Rows where `usable` is false take no part.
    """
    total = np.zeros(len(labels), np.int64)
    chosen = np.flatnonzero(usable & (first.family == last.family))
    labels, first, last = labels[chosen], first[chosen], last[chosen]
    if len(chosen) < 2 or (len(chosen) ** 2 > few and _apart(labels, first, last)):
        return Overlaps(total, lambda _: iter(()))
    found = IntervalIndex(labels, first, last, few=few).overlaps(labels, first, last)
    total[chosen] = np.maximum(found.total - 1, 0)

    def rows(query: int) -> Iterator[int]:
        place = int(np.searchsorted(chosen, query))
        return (int(chosen[row]) for row in found.rows(place) if chosen[row] != query)

    return Overlaps(total, rows)


def _apart(labels: Numbers, first: Addresses, last: Addresses) -> bool:
    """Whether no two of some intervals can overlap, seen by one sort: the usual case, told quickly."""
    for family in _FAMILIES:
        rows = np.flatnonzero(first.family == family)
        begin, end = (ends[rows] for ends in (first, last))
        own = labels[rows]
        if family == 4 and len(rows) and int(own.min()) >= 0 and int(own.max()) < 1 << 32:
            order = np.argsort(_keys(4, own, begin))
        else:
            order = np.lexsort((begin.lo, begin.hi, own))
        begin, end, own = begin[order], end[order], own[order]
        apart = less(end[:-1], begin[1:]) | (own[:-1] != own[1:])
        if not apart.all() or less(end, begin).any():
            return False
    return True


class Points:
    """Single addresses under labels, sorted at most once. `labels` int64 (n,) are below 2^31."""

    def __init__(self, labels: Numbers, addresses: Addresses) -> None:
        self.labels, self.addresses = labels, addresses

    @lazy
    def words(self) -> Words:
        """Label and address as one word: exact for IPv4, for IPv6 a digest, all ones for "not known"."""
        family, lo = self.addresses.family, self.addresses.lo
        words = self.labels.astype("u8") << np.uint64(32) | lo
        other = np.flatnonzero(family != 4)
        if len(other):
            mixed = self.addresses.hi[other] * np.uint64(0x9E3779B97F4A7C15) ^ lo[other]
            mixed = (mixed ^ mixed >> np.uint64(29)) * np.uint64(0xBF58476D1CE4E5B9) ^ words[other] >> np.uint64(32)
            words[other] = np.where(family[other] == 0, _NOTHING, mixed | np.uint64(1 << 63))
        return words

    @lazy
    def in_order(self) -> Words:
        return np.sort(self.words)

    def repeated(self) -> list[list[int]]:
        """Groups of row numbers, two or more each, that have one address under one label."""
        suspects = np.flatnonzero(_stands_twice(self.words, self.in_order))
        here, groups = self.addresses[suspects], dict[tuple[int, int, int, int], list[int]]()
        columns = (self.labels[suspects], here.family, here.hi, here.lo)
        for row, *key in zip(suspects.tolist(), *(column.tolist() for column in columns), strict=True):
            if key[1]:
                groups.setdefault((key[0], key[1], key[2], key[3]), []).append(row)
        return [group for group in groups.values() if len(group) > 1]

    def near(self, labels: Numbers, first: Addresses, last: Addresses) -> Numbers:
        """Rows that are the only ones that may lie in some intervals: a few too many, and soon told.

        All rows of labels near one (alike but for the lowest bits) in which an IPv4 interval holds something, and
        all IPv6 ones.
        """
        four = np.flatnonzero(first.family == 4)
        begin, end = (_keys(4, labels[four], ends[four]) for ends in (first, last))
        held = np.searchsorted(self.in_order, begin, "left") < np.searchsorted(self.in_order, end, "right")
        flags = self.addresses.family == 6
        if held.any():
            coarse = np.zeros((int(max(self.labels.max(), labels.max())) >> _COARSE) + 1, bool)
            coarse[labels[four[held]] >> _COARSE] = True
            flags |= coarse[self.labels >> _COARSE]
        return np.flatnonzero(flags)


_NOTHING = np.uint64((1 << 64) - 1)

#: So many of the lowest bits of a label are passed over when rows near something are looked for.
_COARSE = 10


def repeated_numbers(numbers: Words) -> list[list[int]]:
    """Groups of row numbers, two or more each, that have one number; zero is none."""
    suspects = np.flatnonzero(_stands_twice(numbers, np.sort(numbers)) & (numbers > 0))
    groups: dict[int, list[int]] = {}
    for row, number in zip(suspects.tolist(), numbers[suspects].tolist(), strict=True):
        groups.setdefault(number, []).append(row)
    return list(groups.values())


def _stands_twice(words: Words, in_order: Words) -> Flags:
    """Which of some words stand there more than once."""
    twice = in_order[1:][in_order[1:] == in_order[:-1]]
    if not len(twice):
        return np.zeros(len(words), bool)
    low = np.zeros(1 << 16, bool)
    low[twice & np.uint64(0xFFFF)] = True
    likely = np.flatnonzero(low[words & np.uint64(0xFFFF)])
    place = np.searchsorted(twice, words[likely])
    place[place == len(twice)] = 0
    flags = np.zeros(len(words), bool)
    flags[likely[twice[place] == words[likely]]] = True
    return flags


def first_few(rows: Iterator[Any], limit: int) -> list[Any]:
    """At most so many of what is listed."""
    return list(islice(rows, limit))
