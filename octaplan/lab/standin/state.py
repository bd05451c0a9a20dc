"""What a stand-in has been told: lines in the language of its type, data of YANG modules, and secrets in its slots."""

from __future__ import annotations

import copy
import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from octaplan.core.config.grammar import Grammar, Told, ToldSettings, values_of
from octaplan.core.config.sayings import single_spaced
from octaplan.core.values.addresses import Address, AddressError, Network, Span, parse_address, parse_network

#: How a secret is shown.
HIDDEN = "********"

BOX = "octaplan-box:box"
Data = dict[str, Any]


class OwnAddress(NamedTuple):
    """An address of its own in a segment, and what it leases there."""

    segment: str
    address: Address
    network: Network
    leases: Span | None
    tagged: str


class BoxState:
    """All that can be lost at a power cut."""

    def __init__(self, grammar: Grammar, leftovers: list[str]) -> None:
        self.settings = ToldSettings(grammar)
        self.data: Data = {}
        self.secrets: dict[str, str] = {}
        self.leftovers = list(leftovers)
        self.services_off: set[str] = set()

    def copy(self) -> BoxState:
        found = BoxState(self.settings.grammar, self.leftovers)
        found.settings, found.data = self.settings.copy(), copy.deepcopy(self.data)
        found.secrets, found.services_off = dict(self.secrets), set(self.services_off)
        return found

    # --- Taking in

    def say(self, line: str, above: list[Told]) -> tuple[list[tuple[str, str]], list[Told]]:
        """Take a line in; the secrets of slots that it tells, and the lines that are open after it.

        Raises `NotUnderstood`.
        """
        told, above = self.settings.say(line, above)
        found = []
        if told is not None:
            alone = Told(told.saying, told.text, told.values)  # without what was said in it before
            for source, slot, name, value in values_of(alone, tuple(above)):
                if source == "secrets":
                    found.append((slot, value))
                if source == "secrets" or name.endswith("password"):
                    told.text = told.text.replace(value, HIDDEN) if value else told.text
        return found, above

    def note_secret(self, slot: str) -> None:
        """Have a secret that was set by another way shown where the language has a line for it."""
        names = (f"secrets.{slot.replace('-', '_')}", "secrets[]")
        grammar = self.settings.grammar
        saying = next((one for one in grammar.sayings if any(name in names for name in one.names)), None)
        if saying is None or not (self.settings.told or not self.data):
            return
        for hidden in (HIDDEN, f'"{HIDDEN}"'):
            text = re.sub(r"<secrets[^<>]*>", hidden, saying.shown).replace("<const[]>", slot.replace("-", "_"))
            if saying.shape.read(single_spaced(text)) is not None:
                break
        above: list[Told] = []
        if saying.above is not None:
            head = grammar.sayings[saying.above]
            if head.names:
                return
            _, above = self.settings.say(head.shown, [])
        self.settings.say(text, above)

    def merge(self, data: Data) -> None:
        """Take in data of YANG modules: members replace members, entries of a list those with the same key."""
        _merge(self.data, data)

    # --- Reading out

    @property
    def box(self) -> Data:
        found: Data = self.data.get(BOX, {})
        return found

    def entries(self, source: str) -> dict[str, dict[str, list[str]]]:
        """The entries of a list by name, each with its values, from lines and from data."""
        found = self.settings.entries(source)
        for key, entry in _from_data(self.box, source):
            found.setdefault(key, {}).update(entry)
        return found

    def first(self, source: str, name: str) -> str:
        """One value of what is in no list, such as the host name."""
        return next(
            (values[0] for entry in self.entries(source).values() for values in [entry.get(name, [])] if values), ""
        )

    def told_texts(self) -> Iterator[str]:
        """Every value that it was told, wherever it stands."""
        yield from (value for *_, value in self.settings.values())
        yield from _texts(self.data)

    def own_addresses(self) -> Iterator[OwnAddress]:
        """The addresses that it has been given in segments."""
        for key, entry in self.entries("segments").items():
            label = entry.get("label", [key])[0]
            net = _network(entry)
            if net is None:
                continue
            try:
                address = parse_address(_plain(entry))
                ends = [parse_address(entry[name][0]) for name in ("scope.first", "scope.last") if name in entry]
            except AddressError:
                continue
            leases = Span(*ends) if len(ends) == 2 and ends[0].value <= ends[1].value else None
            yield OwnAddress(label, address, net, leases, entry.get("vlan", [""])[0])

    def ports(self) -> dict[str, dict[str, list[str]]]:
        """What each port was told, by its name."""
        return {entry.get("name", [key])[0]: entry for key, entry in self.entries("ports").items()}

    def carries_bare(self, port: str) -> str | None:
        """What a port carries untagged: a segment's name or VLAN; nothing when the port was told nothing."""
        entry = self.ports().get(port)
        if entry is None:
            return None
        return next((values[0] for name, values in entry.items() if name.startswith("untagged")), "")

    def managed_from(self) -> list[tuple[str, str]]:
        """Service and place of each permission to manage it."""
        return [
            (values.get("service", [""])[0], (values.get("segment", [""])[0] or values.get("networks", [""])[0]))
            for values in self.accesses()
        ]

    def accesses(self) -> Iterator[dict[str, list[str]]]:
        """The permissions one by one; of lines that are entries of their own, each is one."""
        for told in self.settings.all():
            if told.saying.source == "access":
                named = [(name.removeprefix("access[]."), value) for name, value in told.named]
                yield {name: [value.strip("\"'")] for name, value in named if value}
        for entry in self.box.get("access", []):
            yield {"service": [entry.get("service", "")], "segment": [entry.get("from", "")]}


def _plain(entry: dict[str, list[str]]) -> str:
    return next((entry[name][0] for name in ("address", "address|within") if name in entry), "").partition("/")[0]


def _network(entry: dict[str, list[str]]) -> Network | None:
    address = next((entry[name][0] for name in ("address|within", "address") if name in entry), "")
    prefix = next((entry[name][0] for name in ("subnet|mask", "subnet|prefix") if name in entry), "")
    if not address:
        return None
    try:
        return parse_network(address if "/" in address else f"{address}/{prefix}")[0]
    except AddressError:
        return None


def _merge(held: Data, more: Data) -> None:
    for name, value in more.items():
        known = held.get(name)
        if isinstance(value, dict) and isinstance(known, dict):
            _merge(known, value)
        elif isinstance(value, list) and isinstance(known, list) and all(isinstance(one, dict) for one in value):
            for entry in value:
                same = next((one for one in known if _key(one) == _key(entry)), None)
                if same is None:
                    known.append(copy.deepcopy(entry))
                else:
                    _merge(same, entry)
        else:
            held[name] = copy.deepcopy(value)


def _texts(data: Any) -> Iterator[str]:
    if isinstance(data, dict | list):
        for one in data.values() if isinstance(data, dict) else data:
            yield from _texts(one)
    else:
        yield str(data)


def _key(entry: Data) -> Any:
    return next(
        (entry[name] for name in ("id", "name", "index", "destination-prefix", "number") if name in entry), repr(entry)
    )


def _from_data(box: Data, source: str) -> Iterator[tuple[str, dict[str, list[str]]]]:
    """Entries of the box's module under the names that templates have for them."""
    if source == "":
        yield "", _told({"box.name": box.get("name"), "box.gateway": box.get("gateway")})
    elif source == "box.forwarders":
        yield from ((one, {"box.forwarders[]": [one]}) for one in box.get("forwarder", []))
    elif source == "segments":
        for one in box.get("segment", []):
            scope = one.get("scope", {})
            told = {"label": one.get("name"), "vlan": one.get("vlan"), "address|within": one.get("address")}
            told |= {f"scope.{name}": scope.get(name) for name in ("first", "last", "lease", "router", "domain")}
            told |= {"scope.resolvers[]": scope.get("resolver")}
            yield one.get("name", one["id"]), _told(told)
    elif source == "ports":
        for one in box.get("port", []):
            told = {"name": one.get("name"), "mode": one.get("use"), "untagged.label": one.get("untagged")}
            yield one["name"], _told({**told, "tagged[].label": one.get("tagged")})
    elif source == "circuits":
        for one in box.get("circuit", []):
            told = {"label": one.get("name"), "port": one.get("port"), "handoff": one.get("hand-off")}
            told |= {"vlan": one.get("vlan"), "address|within": one.get("address"), "gateway": one.get("gateway")}
            told |= {"pppoe_user": one.get("user"), "resolvers[]": one.get("resolver")}
            yield one.get("name", one["id"]), _told(told)
    elif source == "wireless":
        for one in box.get("wireless", []):
            told = {"name": one.get("name"), "segment": one.get("segment"), "security": one.get("security")}
            yield one.get("name", one["id"]), _told(told)


def _told(values: Data) -> dict[str, list[str]]:
    """What was told of an entry, as text; a list as its members."""
    return {
        name: [str(one) for one in (value if isinstance(value, list) else [value])]
        for name, value in values.items()
        if value is not None
    }
