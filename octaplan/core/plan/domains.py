"""Domains of inside networks: which names are somebody's public ones."""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache

from octaplan.core.plan.organisation import Organisation

#: Names that are not public: RFC 2606, RFC 6761, RFC 8375, RFC 6762 appendix G, and the one reserved by ICANN.
INSIDE_NAMES = frozenset(
    ("alt", "corp", "example", "example.com", "example.net", "example.org", "home", "home.arpa", "internal")
).union(("intranet", "invalid", "lan", "localhost", "onion", "private", "test"))


class DomainSort(StrEnum):
    """What sort of name a domain is: for inside networks, of multicast DNS (RFC 6762), or public."""

    INSIDE = "inside"
    MULTICAST = "multicast"
    PUBLIC = "public"


@lru_cache(100_000)
def domain_sort(name: str) -> DomainSort:
    """The sort of a domain, whatever its case."""
    last = name.casefold().rstrip(".").split(".")
    if last[-1] == "local":
        return DomainSort.MULTICAST
    inside = len(last) < 2 or last[-1] in INSIDE_NAMES or ".".join(last[-2:]) in INSIDE_NAMES
    return DomainSort.INSIDE if inside else DomainSort.PUBLIC


def wanted_domain(organisation: Organisation, name: str) -> str | None:
    """The name inside for a doubtful domain: the same under `.internal`. Nothing for one that will do."""
    sort = domain_sort(name)
    if sort is DomainSort.INSIDE or (sort is DomainSort.PUBLIC and organisation.owns(name)):
        return None
    head = name.rstrip(".").rpartition(".")[0]
    return f"{head or 'site'}.internal"
