"""Many small rows kept in little room: the first as they are, the rest packed in blocks; or only which they are."""

from __future__ import annotations

import json
import zlib
from array import array
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, Generic, TypeVar, overload

import numpy as np

#: So many rows are kept as they are, and so many make a block of the others.
PLAIN, BLOCK = 1_000, 500

Row = TypeVar("Row")


class Packed(Sequence[Row], Generic[Row]):
    """Rows in the order they came, about a tenth of the size that a list of them would take.

    `plain` makes JSON values of a row, `row` makes the row of them again.
    """

    def __init__(self, plain: Callable[[Row], Any], row: Callable[[Any], Row], rows: Iterable[Row] = ()) -> None:
        self._plain = plain
        self._row = row
        self._first: list[Row] = []
        self._blocks: list[bytes] = []
        self._open: list[Any] = []
        for one in rows:
            self.append(one)

    def append(self, row: Row) -> None:
        """Add a row at the end."""
        if len(self._first) < PLAIN:
            self._first.append(row)
            return
        self._open.append(self._plain(row))
        if len(self._open) == BLOCK:
            self._blocks.append(zlib.compress(json.dumps(self._open, ensure_ascii=False).encode(), 1))
            self._open = []

    def __len__(self) -> int:
        return len(self._first) + BLOCK * len(self._blocks) + len(self._open)

    def __iter__(self) -> Iterator[Row]:
        yield from self._first
        for block in self._blocks:
            yield from map(self._row, json.loads(zlib.decompress(block)))
        yield from map(self._row, self._open)

    @overload
    def __getitem__(self, place: int) -> Row: ...
    @overload
    def __getitem__(self, place: slice) -> list[Row]: ...
    def __getitem__(self, place: int | slice) -> Row | list[Row]:
        if isinstance(place, slice):
            start, stop, step = place.indices(len(self))
            if step == 1 and stop <= len(self._first):
                return self._first[start:stop]
            return [self[one] for one in range(start, stop, step)]
        place = range(len(self))[place]
        if place < len(self._first):
            return self._first[place]
        number, within = divmod(place - PLAIN, BLOCK)
        if number < len(self._blocks):
            return self._row(json.loads(zlib.decompress(self._blocks[number]))[within])
        return self._row(self._open[within])

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, Sequence)
            and len(self) == len(other)
            and all(one == another for one, another in zip(self, other, strict=True))
        )

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"{list(self)!r}"


class RowsAmong:
    """Which rows of tables are meant, by their keys (the table's name first): eight bytes for each.

    What is `in` it is one of them, but for one in some 10^19: ask again where that matters.
    """

    def __init__(self, keys: Iterable[tuple[str, ...]] = ()) -> None:
        self.tables: set[str] = set()
        self._known = array("q", np.sort(np.fromiter(self._numbers(keys), np.int64)).tobytes())

    def _numbers(self, keys: Iterable[tuple[str, ...]]) -> Iterator[int]:
        for key in keys:
            self.tables.add(key[0])
            yield hash(key)

    def __len__(self) -> int:
        return len(self._known)

    def __contains__(self, key: tuple[str, ...]) -> bool:
        wanted = hash(key)
        place = bisect_left(self._known, wanted)
        return place < len(self._known) and self._known[place] == wanted
