"""What a plan is to the walk, whatever its addresses and names are: sites made alike are walked once.

Most sites of a portfolio come from a few patterns and differ by where their addresses lie. The walk never asks where a
network lies, only what lies inside what, who has which address in it, and whether the internet routes it. A shape is a
plan with each address told as a place in the largest network of the plan that holds it, and each such network by its
size and by the well-known networks that hold it. Two plans of one shape pass and stop the same.
"""

from __future__ import annotations

import hashlib
import marshal
from bisect import bisect_right
from collections.abc import Iterator, Mapping
from functools import cache
from itertools import chain
from typing import Any

from pydantic import BaseModel

from octaplan.core.plan.boxes import addresses_in
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import NOT_PUBLIC_IPV4, PUBLIC_IPV6, Address, Network, Span
from octaplan.core.values.lazy import lazy

#: What tells people something, and the walk nothing.
_UNREAD = frozenset(
    {
        "customer", "site", "name", "street", "time_zone", "ship_date", "contact", "technician", "slots", "accepted",
        "answers", "survivors", "pattern", "wireless", "reach_groups", "label", "pppoe_user", "provider", "reference",
        "fault_number",
        "domain", "expected_hosts", "kept", "order", "lease", "mac", "serial", "macs", "asset_tag", "location",
        "banner", "time_servers", "firmware", "licences", "cable", "reason", "uses", "mtu",
    }
)  # fmt: skip

_WELL_KNOWN = (*NOT_PUBLIC_IPV4, PUBLIC_IPV6)


#: Entries of boxes and departures that nobody names: their order is told, their ids are not.
_UNNAMED = frozenset({"routes", "translations", "allows", "publications", "access", "departures"})

#: What names a part of the plan by its id.
_NAMING = frozenset({"host", "segment", "circuit", "source", "target", "peer"})
_PLAIN = frozenset({int, bool, Address, Network})


def shape_of(plan: SitePlan, organisation: Organisation) -> bytes:
    """The shape of a plan, with what is meant to pass, as 32 bytes: equal for plans that the walk tells nothing apart
    of but addresses and names."""
    own = tuple(one.network for one in organisation.own_networks)
    told: list[Any] = [bool(plan.groups), str(own)]
    told += [part for source, row in organisation.intent.items() for part in (source, b"{", *chain(*row.items()), b"}")]
    told += [
        part for one in organisation.usual(plan.customer).departures for part in (one.source, one.target, one.services)
    ]
    keys = (key for part in (plan.circuits, plan.segments, plan.hosts, plan.devices) for key in part)
    parts = _Parts({key: place for place, key in enumerate(keys)})
    parts.tell(plan)
    for line in plan.circuits.values():
        parts.told += (line.subnet, line.subnet6)
    told += _Places(parts.told, (*_WELL_KNOWN, *own)).placed()
    return hashlib.blake2b(marshal.dumps(told, 2), digest_size=32).digest()


class _Parts:
    """A plan told by its parts, one after the other, with ids of parts by their order. Addresses stay as they are."""

    def __init__(self, keys: Mapping[str, int]) -> None:
        self.keys = keys
        self.told: list[Any] = []

    def tell(self, part: BaseModel) -> None:
        known, members = self.keys, part.__dict__
        for name in _read_of(type(part)):
            value = members[name]
            if value is None or type(value) in _PLAIN:
                self.told.append(value)
            elif name in _NAMING:
                self.told.append(known.get(value, value))
            elif isinstance(value, str):
                self.told.append(value.encode())
            elif isinstance(value, BaseModel):
                self.tell(value)
            elif not value:
                self.told.append(b"")
            elif name == "options":  # only the servers that are told matter
                for number, text in value.items():
                    self.told += (number, *addresses_in(text))
                self.told.append(b"}")
            elif isinstance(value, dict):
                self._entries(value, named=name not in _UNNAMED)
            else:  # addresses, networks, runs, or ids
                for one in value:
                    self.told += one if isinstance(one, Span) else (known.get(one, one),)
                self.told.append(b"]")

    def _entries(self, value: dict[str, Any], *, named: bool) -> None:
        for key, one in value.items():
            if named:
                self.told.append(self.keys.get(key, key))
            if isinstance(one, BaseModel):
                self.tell(one)
            else:
                self.told.append(one)
        self.told.append(b"}")


@cache
def _read_of(model: type[BaseModel]) -> tuple[str, ...]:
    """The members of a part of a plan that the walk reads."""
    return tuple(name for name in model.model_fields if name not in _UNREAD)


class _Places:
    """Where addresses are among the largest networks of a plan, which are told by their sizes alone."""

    def __init__(self, told: list[Any], fixed: tuple[Network, ...]) -> None:
        self.told = told
        self.fixed = fixed
        apart = {*fixed}
        runs: dict[int, set[tuple[int, int]]] = {0: set(), 4: set(), 6: set()}
        for one in told:
            kind = type(one)
            if kind is Network:
                # a default route and the well-known networks hold what they hold whatever the plan is
                last = one.value if not one.prefix or one in apart else one.value + one.size - 1
                runs[one.family].add((one.value, last))
            elif kind is Address:
                runs[one.family].add((one.value, one.value))
        self.roots = {family: _largest(found) for family, found in runs.items()}
        self.firsts = {family: [first for first, _ in roots] for family, roots in self.roots.items()}
        #: The roots in the order in which they are met, and what they are.
        self.met: dict[tuple[int, int], int] = {}
        self.what: list[int] = []

    def placed(self) -> list[Any]:
        found: list[Any] = []
        for one in self.told:
            kind = type(one)
            if kind is Network:
                found += (b"/", *self._place(one.family, one.value), one.prefix)
            elif kind is Address:
                found += (b".", *self._place(*one))
            else:
                found.append(one)
        return found + self.what

    def _place(self, family: int, value: int) -> tuple[int, int]:
        """An address as a place in the largest network that holds it."""
        first, last = self.roots[family][bisect_right(self.firsts[family], value) - 1]
        place = self.met.get((family, first))
        if place is None:
            place = self.met[family, first] = len(self.met)
            self.what += self._what(family, first, last)
        return place, value - first

    def _what(self, family: int, first: int, last: int) -> Iterator[int]:
        """What a largest network is: its size and the fixed ones that hold it; itself, where it holds one."""
        yield family
        yield last - first
        for place, (of, low, high) in enumerate(self.ends):
            if of == family and first <= high and low <= last:
                yield place
                if first < low or last > high:
                    yield first
        yield -1

    @lazy
    def ends(self) -> list[tuple[int, int, int]]:
        return [(net.family, net.value, net.value + net.size - 1) for net in self.fixed]


def _largest(runs: set[tuple[int, int]]) -> list[tuple[int, int]]:
    """The runs that lie in no other, in order."""
    found: list[tuple[int, int]] = []
    for first, last in sorted(runs, key=lambda run: (run[0], -run[1])):
        if not found or first > found[-1][1]:
            found.append((first, last))
    return found
