"""The Go to field: what is at an address, and where a name or MAC is."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import Select, and_, func, or_, select, text

from octaplan.core.values.addresses import (
    BITS,
    MAC_TEXT,
    Address,
    AddressError,
    Network,
    Span,
    parse_address,
    parse_mac,
    parse_network,
    parse_range,
)
from octaplan.store.database import Database
from octaplan.store.derived import digits, sort_key, vlan_words
from octaplan.store.models import Claim, Customer, Name, Site

LIMIT = 20

#: So many addresses with one ending are counted.
COUNTED = 1_000

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
    """Look up an address, a part of one, a subnet, a range, a MAC, a VLAN, a phone number, or words of names.

    `blocks` are the customers' address blocks.
    """
    typed = looked_for.strip()[:100]
    if not typed:
        return Found("", [])
    wanted, problem = _addresses(typed)
    if isinstance(wanted, Address | Network | Span):
        found = _by_address(database, wanted, blocks or {})
        if found.places or not typed.startswith("::"):
            return found
        wanted = f"{parse_address(typed).value:04x}"
    if wanted is not None:
        return _by_ending(database, typed, wanted)
    found = _by_name(database, typed)
    return found if found.places or not problem else Found(problem, [])


def _by_name(database: Database, typed: str) -> Found:
    """Members whose name holds the words; with several words some may be of the site or customer instead."""
    try:
        words = [f"{parse_mac(typed).value:012x}"]
    except AddressError:
        words = typed.casefold().split()
    vlan = re.fullmatch(r"vlan\s*(\d{1,4})", typed.casefold())
    if vlan is not None:
        words = [vlan_words(int(vlan[1]))]
    elif re.fullmatch(r"[\d\s()+/.-]+", typed) and digits(typed):
        words = [digits(typed).removeprefix("0")]
    mine = [Name.folded.contains(word, autoescape=True) for word in words]
    all_of = [or_(own, Name.site_id.in_(_sites_called(word))) for own, word in zip(mine, words, strict=True)]
    begins = Name.folded.startswith(words[0], autoescape=True)
    query = select(Name, Site, Customer).join(Site, Site.id == Name.site_id).join(Customer)
    query = query.where(*(all_of if len(words) > 1 else ()), or_(*mine))
    order = (Name.kind != "site", ~and_(*mine), ~begins, Name.folded)
    with database.reading() as session:
        rows = session.execute(query.order_by(*order).limit(LIMIT)).all()
    places = [
        Place(customer.code, site.code, site.name or site.code, name.path, name.kind, name.name, "")
        for name, site, customer in rows
    ]
    return Found("" if places else f"Nothing is called {typed}", places)


def _sites_called(word: str) -> Select[int]:
    """The sites whose name, code or customer holds a word."""
    said = (func.lower(Site.name), func.lower(Customer.name), func.lower(Customer.code + "/" + Site.code))
    query = select(Site.id).join(Customer)
    return query.where(or_(*(part.contains(word, autoescape=True) for part in said)))


def _addresses(typed: str) -> tuple[Address | Network | Span | str | None, str]:
    """What of addresses was typed: whole, a subnet, a range, the beginning of one (`10.40.8`), or as text the
    hexadecimal end of one (`.210`); or why it is none although it looks like one."""
    try:
        if re.search(r"[\w.:]\s*(?:-|–)\s*[\w.:]|\d\s*\+\s*\d", typed) and ("." in typed or ":" in typed):
            return parse_range(typed), ""
        if "/" in typed or re.search(r"\d\s+\d", typed):
            return parse_network(typed)[0], ""
        return parse_address(typed), ""
    except AddressError as error:
        part = _part(typed)
        looks = re.fullmatch(r"[\d.]*\d\.\d[\d.]*(?:/\d*)?|[\da-fA-F]*:[\da-fA-F:]*(?:/\d*)?", typed)
        is_mac = re.fullmatch(MAC_TEXT, typed)
        return part, str(error) if part is None and looks and not is_mac else ""


def _part(typed: str) -> Network | str | None:
    octets = typed.strip(".").split(".")
    if re.fullmatch(r"\.?\d{1,3}(?:\.\d{1,3}){0,2}\.?", typed) and all(int(octet) < 256 for octet in octets):
        if typed.startswith("."):
            return "".join(f"{int(octet):02x}" for octet in octets)
        if len(octets) > 1 or typed.endswith("."):
            value = sum(int(octet) << (24 - 8 * place) for place, octet in enumerate(octets))
            return Network(4, value, 8 * len(octets))
    groups = typed.strip(":").split(":")
    if re.fullmatch(r"[\da-fA-F]{1,4}(?::[\da-fA-F]{1,4}){1,6}:?", typed) and len(groups[0]) > 2:
        value = sum(int(group, 16) << (112 - 16 * place) for place, group in enumerate(groups))
        return Network(6, value, 16 * len(groups))
    return None


def _by_ending(database: Database, typed: str, ending: str) -> Found:
    """Single addresses that end in so many hexadecimal digits: octets of IPv4, or the end of an IPv6 address."""
    family = 6 if typed.startswith(":") else 4
    with database.reading() as session:
        query = select(Claim, Site, Customer).join(Site, Site.id == Claim.site_id).join(Customer)
        query = query.where(Claim.family == family, Claim.first == Claim.last, Claim.first.endswith(ending))
        rows = session.execute(query.order_by(Claim.first).limit(COUNTED)).all()
    many = f"{len(rows):,}{' or more' if len(rows) == COUNTED else ''}"
    said = (
        f"{many} address{' ends' if len(rows) == 1 else 'es end'} in {typed}" if rows else f"No address ends in {typed}"
    )
    return Found(said, [_place(*row) for row in rows[:LIMIT]])


def _place(claim: Claim, site: Site, customer: Customer) -> Place:
    shown = _shown(claim)
    return Place(customer.code, site.code, site.name or site.code, claim.path, claim.use, claim.name, shown)


def _by_address(database: Database, wanted: Address | Network | Span, blocks: Mapping[str, Sequence[Network]]) -> Found:
    first, last = (wanted, wanted) if isinstance(wanted, Address) else (wanted.first, wanted.last)
    low, high = sort_key(first), sort_key(last)
    single = (Claim.first == Claim.last, Claim.first.between(low, high))
    run = (text("claims.first < claims.last"), Claim.first <= high, Claim.last >= low)
    with database.reading() as session:
        query = select(Claim, Site, Customer).join(Site, Site.id == Claim.site_id).join(Customer)
        query = query.where(Claim.family == first.family)
        rows = [row for which in (single, run) for row in session.execute(query.where(*which)).all()]
    single_first = isinstance(wanted, Address)
    around = (lambda claim: claim.first > low or claim.last < high) if not single_first else (lambda claim: False)

    def rank(claim: Claim) -> tuple[bool, bool, int, int, str]:
        """Of an address what is most particular first; of a subnet those that hold it, then those in it."""
        runs = claim.use not in _SUBNETS
        length = int(claim.last, 16) - int(claim.first, 16)
        return (around(claim), runs and not single_first, USES.index(claim.use), length, claim.first)

    rows = sorted(rows, key=lambda row: rank(row[0]))
    places = [_place(*row) for row in rows[:LIMIT]]
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


def _say(wanted: Address | Network | Span, claims: list[Claim], places: list[Place]) -> str:
    if not places:
        return f"Nothing uses {wanted}"
    if not isinstance(wanted, Address):
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
