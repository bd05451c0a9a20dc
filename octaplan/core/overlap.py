"""The sweep: which intervals of addresses collide.

Intervals are sorted once by their first and once by their last address. How many of them overlap [a, b] is
then two binary searches: those that start at or before b, less those that end before a. Which ones: those
that start inside [a, b] stand next to each other, and those that start earlier and still reach a are found
by following, from each interval, the nearest earlier one that ends later. Nothing loops over pairs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

import numpy as np
from numpy.typing import NDArray

from octaplan.core.claims import Flags, Numbers, Rows

Keys = NDArray[Any]  # uint64 for IPv4 (group and address in one word), 20 big-endian bytes for IPv6


def _keys(family: int, groups: Numbers, addresses: Rows) -> Keys:
    """Sortable keys, group first: two keys compare as (group, address) do."""
    if family == 4:
        packed: Keys = groups.astype("u8") << np.uint64(32) | addresses["lo"]
        return packed
    text = np.empty((len(groups), 20), "u1")
    text[:, 0:4] = groups.astype(">u4").view("u1").reshape(-1, 4)
    text[:, 4:12] = addresses["hi"].astype(">u8").view("u1").reshape(-1, 8)
    text[:, 12:20] = addresses["lo"].astype(">u8").view("u1").reshape(-1, 8)
    return text.view("S20").ravel()


class _Sorted:
    """The intervals of one family, in the order of their first addresses."""

    def __init__(self, rows: Numbers, first: Keys, last: Keys) -> None:
        order = np.argsort(first, kind="stable")
        self.rows = rows[order]
        self.first = first[order]
        self.last_here = last[order]
        self.last = np.sort(last)
        self._earlier: Numbers | None = None

    def count(self, first: Keys, last: Keys) -> Numbers:
        begun = np.searchsorted(self.first, last, "right")
        ended = np.searchsorted(self.last, first, "left")
        return (begun - ended).astype(np.int64)

    def overlapping(self, first: Any, last: Any) -> Iterator[int]:
        """Row numbers of what overlaps [first, last], lazily: a caller that wants twenty pays for twenty."""
        low = int(np.searchsorted(self.first, first, "left"))
        high = int(np.searchsorted(self.first, last, "right"))
        position = low - 1
        earlier = self.earlier if position >= 0 else np.empty(0, np.int64)
        while position >= 0:
            if self.last_here[position] >= first:
                yield int(self.rows[position])
                position -= 1
            else:
                position = int(earlier[position])
        for position in range(low, high):
            yield int(self.rows[position])

    @property
    def earlier(self) -> Numbers:
        """For each interval the nearest earlier one that ends later, or -1."""
        if self._earlier is None:
            nearest = np.arange(-1, len(self.rows) - 1)
            while True:
                inside = (nearest >= 0) & (self.last_here[nearest] <= self.last_here)
                if not inside.any():
                    break
                nearest[inside] = nearest[nearest[inside]]
            self._earlier = nearest
        return self._earlier


@dataclass(frozen=True, slots=True)
class Overlaps:
    """For each interval that was asked about: how many overlap it, and on demand which."""

    total: Numbers
    rows: Callable[[int], Iterator[int]] = field(repr=False)


class IntervalIndex:
    """Intervals of both families under integer labels; only intervals of one label can overlap.

    `labels` int64 (n,), `first` and `last` of dtype `ADDRESS` (n,), all known, first not above last.
    """

    def __init__(self, labels: Numbers, first: Rows, last: Rows) -> None:
        self._labels = np.unique(labels)
        groups = np.searchsorted(self._labels, labels)
        self._parts: dict[int, _Sorted] = {}
        for family in (4, 6):
            rows = np.flatnonzero(first["family"] == family)
            if len(rows):
                keys = [_keys(family, groups[rows], ends[rows]) for ends in (first, last)]
                self._parts[family] = _Sorted(rows, *keys)

    def overlaps(self, labels: Numbers, first: Rows, last: Rows) -> Overlaps:
        """What overlaps each of m intervals; unknown or reversed ones overlap nothing."""
        total = np.zeros(len(labels), np.int64)
        keys: dict[int, tuple[Keys, Keys, Numbers]] = {}
        if len(self._labels) and len(labels):
            places = np.searchsorted(self._labels, labels)
            places[places == len(self._labels)] = 0
            usable: Flags = (self._labels[places] == labels) & (first["family"] == last["family"])
            for family, part in self._parts.items():
                asked = np.flatnonzero(usable & (first["family"] == family))
                begin, end = (_keys(family, places[asked], ends[asked]) for ends in (first, last))
                forward = begin <= end
                asked, begin, end = asked[forward], begin[forward], end[forward]
                total[asked] = part.count(begin, end)
                keys[family] = (begin, end, asked)

        def rows(query: int) -> Iterator[int]:
            for family, (begin, end, asked) in keys.items():
                place = int(np.searchsorted(asked, query))
                if place < len(asked) and asked[place] == query:
                    yield from self._parts[family].overlapping(begin[place], end[place])

        return Overlaps(total, rows)


class Shared:
    """What the whole portfolio claims of one sort (reachable subnets, circuit addresses, …), so that one
    site can be held against all the others. Rows belong to sites by number."""

    def __init__(self, sites: Numbers, items: Numbers, labels: Numbers, first: Rows, last: Rows) -> None:
        self.sites = sites
        self.items = items
        self._all = IntervalIndex(labels, first, last)
        self._own = IntervalIndex(_paired(labels, sites), first, last)

    def elsewhere(self, sites: Numbers, labels: Numbers, first: Rows, last: Rows) -> Overlaps:
        """What at *other* sites overlaps each of m intervals of the given sites."""
        everywhere = self._all.overlaps(labels, first, last)
        own = self._own.overlaps(_paired(labels, sites), first, last)

        def rows(query: int) -> Iterator[int]:
            return (row for row in everywhere.rows(query) if self.sites[row] != sites[query])

        return Overlaps(everywhere.total - own.total, rows)


def _paired(labels: Numbers, sites: Numbers) -> Numbers:
    return labels.astype(np.int64) << 24 | sites


def among(labels: Numbers, first: Rows, last: Rows, usable: Flags) -> Overlaps:
    """Which of n intervals overlap which others of the same label; each is left out of its own count.

    Rows where `usable` is false take no part.
    """
    chosen = np.flatnonzero(usable)
    index = IntervalIndex(labels[chosen], first[chosen], last[chosen])
    found = index.overlaps(labels[chosen], first[chosen], last[chosen])
    total = np.zeros(len(labels), np.int64)
    total[chosen] = found.total - 1
    place = {int(row): query for query, row in enumerate(chosen)} if (total > 0).any() else {}

    def rows(query: int) -> Iterator[int]:
        return (int(chosen[row]) for row in found.rows(place[query]) if chosen[row] != query)

    return Overlaps(total, rows)


def first_few(rows: Iterator[int], limit: int) -> list[int]:
    """At most so many of the rows that an `Overlaps` lists."""
    return list(islice(rows, limit))
