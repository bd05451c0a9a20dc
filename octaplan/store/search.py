"""The Go to field: what is at an address, and where a name or MAC is."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import select, text

from octaplan.core.values.addresses import (
    BITS,
    Address,
    AddressError,
    Network,
    Span,
    parse_address,
    parse_mac,
    parse_network,
)
from octaplan.store.database import Database
from octaplan.store.derived import sort_key
from octaplan.store.models import Claim, Customer, Name, Site

LIMIT = 20

_SUBNETS = frozenset({"segment", "hand-off", "routed block", "modem", "IPv6 prefix"})

#: The uses of claims, the most particular first.
USES = (
    "host", "device", "gateway", "address", "further address", "provider", "range", "segment", "hand-off",
    "routed block", "modem", "IPv6 prefix",
)  # fmt: skip


class Place(NamedTuple):
    """Somewhere to go: a site, and a member of its plan."""

    customer: str
    site: str
    site_name: str
    path: str
    kind: str
    name: str
    addresses: str


class Found(NamedTuple):
    """What was understood, in a sentence, and the places."""

    understood: str
    places: list[Place]


def find(database: Database, looked_for: str, blocks: Mapping[str, Sequence[Network]] | None = None) -> Found:
    """Look up an address, a subnet, a MAC or part of a name. `blocks` are the customers' address blocks."""
    typed = looked_for.strip()[:100]
    if not typed:
        return Found("", [])
    wanted = _address_or_network(typed)
    if wanted is not None:
        return _by_address(database, wanted, blocks or {})
    try:
        words = [f"{parse_mac(typed).value:012x}"]
    except AddressError:
        words = typed.casefold().split()
    with database.reading() as session:
        query = select(Name, Site, Customer).join(Site, Site.id == Name.site_id).join(Customer)
        for word in words:
            query = query.where(Name.folded.contains(word, autoescape=True))
        begins = Name.folded.startswith(words[0], autoescape=True)
        rows = session.execute(query.order_by((Name.kind != "site"), ~begins, Name.folded).limit(LIMIT)).all()
    places = [
        Place(customer.code, site.code, site.name or site.code, name.path, name.kind, name.name, "")
        for name, site, customer in rows
    ]
    return Found("" if places else f"Nothing is called {typed}", places)


def _address_or_network(typed: str) -> Address | Network | None:
    try:
        if "/" in typed or re.search(r"\d\s+\d", typed):
            return parse_network(typed)[0]
        return parse_address(typed)
    except AddressError:
        return None


def _by_address(database: Database, wanted: Address | Network, blocks: Mapping[str, Sequence[Network]]) -> Found:
    first, last = (wanted, wanted) if isinstance(wanted, Address) else (wanted.first, wanted.last)
    low, high = sort_key(first), sort_key(last)
    single = (Claim.first == Claim.last, Claim.first.between(low, high))
    run = (text("claims.first < claims.last"), Claim.first <= high, Claim.last >= low)
    with database.reading() as session:
        query = select(Claim, Site, Customer).join(Site, Site.id == Claim.site_id).join(Customer)
        query = query.where(Claim.family == first.family)
        rows = [row for which in (single, run) for row in session.execute(query.where(*which)).all()]
    rows = sorted(rows, key=lambda row: (USES.index(row[0].use), int(row[0].last, 16) - int(row[0].first, 16)))
    places = []
    for claim, site, customer in rows[:LIMIT]:
        shown = _shown(claim)
        places.append(Place(customer.code, site.code, site.name or site.code, claim.path, claim.use, claim.name, shown))
    said = _say(wanted, [row[0] for row in rows], places)
    home = _block_of(first, last, blocks)
    return Found(f"{said}, in the block {home}" if home else said, places)


def _shown(claim: Claim) -> str:
    """The addresses of a claim: a subnet as such, anything else by its ends."""
    first, last = (Address(claim.family, int(end, 16)) for end in (claim.first, claim.last))
    if claim.use in _SUBNETS:
        size = last.value - first.value + 1
        return str(Network(claim.family, first.value, BITS[claim.family] - size.bit_length() + 1))
    return str(Span(first, last))


def _block_of(first: Address, last: Address, blocks: Mapping[str, Sequence[Network]]) -> str:
    """The smallest block that holds an address or subnet, with its customer."""
    holding = [
        (net, customer) for customer, nets in blocks.items() for net in nets if net.holds(first) and net.holds(last)
    ]
    if not holding:
        return ""
    net, customer = max(holding, key=lambda pair: pair[0].prefix)
    return f"{net} of {customer.upper()}"


def _say(wanted: Address | Network, claims: list[Claim], places: list[Place]) -> str:
    if not places:
        return f"Nothing uses {wanted}"
    if isinstance(wanted, Network):
        return f"{wanted} is touched by {len(claims)} claim{'' if len(claims) == 1 else 's'}"
    exact = [place for place, claim in zip(places, claims, strict=False) if claim.first == claim.last]
    if exact:
        what = exact[0]
        return f"{wanted} is {what.kind if what.kind != 'host' else 'the host'} {what.name} of {_at(what)}"
    leased = next((place for place in places if place.kind == "range"), None)
    if leased is not None:
        return f"{wanted} can be leased from {leased.addresses} at {_at(leased)}"
    return f"{wanted} is free in {places[0].name} of {_at(places[0])}"


def _at(place: Place) -> str:
    return f"{place.customer}/{place.site}"
