"""What goes into one box, as write-outs see it: each value with the place in the plan that it comes from.

The names here are a contract with whoever writes a write-out (docs/write-out.md is made from them). A value that the
plan does not hold yet is there and says so when it is written; one that the plan does not need is false.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from enum import StrEnum
from functools import total_ordering
from typing import Any

from octaplan.core.plan.boxes import published_addresses
from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.device import PLACES
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import Host, SitePlan
from octaplan.core.stage.settings import (
    BoxSettings,
    Carried,
    Inside,
    InternetSide,
    PortSettings,
    ScopeSettings,
    settings_of,
)

#: Marks in written text around a value: its number among those written stands between the first two.
OPENS, NUMBERED, CLOSES = "\ue000", "\ue001", "\ue002"


def between_quotes(text: str, quote: str, escape: str) -> str:
    """A text between quotes, with quotes and what escapes them escaped in it."""
    escaped = text.replace(escape, escape * 2) if escape else text
    return f"{quote}{escaped.replace(quote, escape + quote) if escape != quote else escaped}{quote}"


@total_ordering
class Leaf:
    """One value. Written, it leaves a mark of where it comes from; compared, it is the plain value.

    `path` is its place in the plan, `name` what write-outs call it, `what` what people call it. A `secret` has no text:
    a mark stands for it. What a box has no need to be told, a label for instance, does not `count` as planned.
    """

    __slots__ = ("_book", "_quotes", "counts", "name", "path", "secret", "tells", "value", "what")

    def __init__(
        self,
        book: Book,
        value: Any,
        path: str,
        name: str,
        what: str,
        *,
        tells: tuple[str, ...] = (),
        counts: bool = True,
        secret: bool = False,
    ) -> None:
        self._book = book
        self._quotes: tuple[str, str] | None = None
        self.value, self.path, self.name, self.what, self.counts, self.secret = value, path, name, what, counts, secret
        #: What is told by writing it, by place; a router that is handed out is not told by the own address it is.
        self.tells = tells or (path,)

    def made(self, value: Any, beside: Iterable[Leaf] = ()) -> Leaf:
        """The same in another form, as a filter makes it, of `beside` too."""
        tells = tuple(dict.fromkeys([*self.tells, *(place for leaf in beside for place in leaf.tells)]))
        made = Leaf(self._book, value, self.path, self.name, self.what, tells=tells, counts=self.counts)
        made.secret = self.secret
        return made

    def quoted(self, quote: str, escape: str) -> Leaf:
        """The same between quotes. What is secret is quoted once it is known."""
        leaf = self.made(self.value if self.secret else between_quotes(str(self.value), quote, escape))
        leaf._quotes = (quote, escape) if self.secret else None
        return leaf

    @property
    def quotes(self) -> tuple[str, str] | None:
        return self._quotes

    def __str__(self) -> str:
        return f"{OPENS}{self._book.written(self)}{NUMBERED}{'' if self.value is None else self.value}{CLOSES}"

    def __eq__(self, other: object) -> bool:
        plain = other.value if isinstance(other, Leaf) else other
        same = bool(self.value == plain)
        if same:
            self._book.decided.update(self.tells)
        return same

    def __hash__(self) -> int:
        return hash(self.value)

    def __bool__(self) -> bool:
        if isinstance(self.value, bool):
            self._book.decided.update(self.tells)
        return bool(self.value) or self.secret

    def __lt__(self, other: Any) -> bool:
        return bool(self.value < (other.value if isinstance(other, Leaf) else other))


class Book:
    """The leaves of one view, and what was done with them while text was written."""

    def __init__(self) -> None:
        self.leaves: list[Leaf] = []
        self.order: list[Leaf] = []
        self.decided: set[str] = set()

    def written(self, leaf: Leaf) -> int:
        """Take note that a leaf is written, and give it a number."""
        self.order.append(leaf)
        return len(self.order) - 1


class Record:
    """Values under names."""

    __slots__ = ("_members", "_name")

    def __init__(self, name: str, members: Mapping[str, Any]) -> None:
        self._name = name
        self._members = members

    def member(self, name: str) -> Any:
        """One of them; `KeyError` says which names there are."""
        if name not in self._members:
            raise KeyError(f"{self._name} has no {name}: it has {', '.join(self._members)}")
        return self._members[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._members)

    def items(self) -> Iterable[tuple[str, Any]]:
        return self._members.items()


#: Values by name: each with its place in the plan and what people call it, and what it tells, if not that place.
Fields = dict[str, tuple[Any, str, str] | tuple[Any, str, str, tuple[str, ...]]]


class BoxView:
    """All that a write-out may name, and the book that it writes in."""

    def __init__(
        self, plan: SitePlan, key: str, kind: HardwareType | None = None, organisation: Organisation = UNDECIDED
    ) -> None:
        self.plan, self.key, self.kind = plan, key, kind
        self.device = plan.devices[key]
        self.book = Book()
        self.settings: BoxSettings = settings_of(plan, key, kind, organisation)
        self.names: dict[str, Any] = {
            "box": self._box(),
            "circuits": [self._circuit(side) for side in self.settings.internet],
            "segments": [self._segment(one) for one in self.settings.inside],
            "ports": [self._port(one) for one in self.settings.ports],
            "routes": [*self._routes()],
            "translations": [*self._translations()],
            "publications": [*self._publications()],
            "allows": [*self._allows()],
            "access": [*self._access()],
            "wireless": [*self._wireless()],
            "secrets": self._secrets(),
        }

    @property
    def planned(self) -> list[Leaf]:
        """Every value that the box is to be told, each once."""
        found: dict[tuple[str, ...], Leaf] = {}
        for leaf in self.book.leaves:
            if leaf.counts and leaf.value not in (None, False):
                found.setdefault(leaf.tells, leaf)
        return [*found.values()]

    # --- Parts

    def _leaf(
        self,
        name: str,
        value: Any,
        path: str,
        what: str,
        tells: tuple[str, ...] = (),
        *,
        counts: bool = True,
        secret: bool = False,
    ) -> Leaf:
        value = str(value) if isinstance(value, StrEnum) else value
        leaf = Leaf(self.book, value, path, name, what, tells=tells, counts=counts, secret=secret)
        self.book.leaves.append(leaf)
        return leaf

    def _secret(self, name: str, slot: str, path: str, what: str) -> Leaf:
        """A place in the safe, or nothing where there is none."""
        return self._leaf(name, slot or None, slot or path, what, secret=bool(slot))

    def _several(self, name: str, values: Iterable[Any], path: str, what: str) -> list[Leaf]:
        return [self._leaf(name, one, f"{path}/{place}", what) for place, one in enumerate(values)]

    def _record(self, called: str, name: str, told: Fields, beside: Fields | None = None, **others: Any) -> Record:
        """Values by their names: those that are `told` to the box, those `beside` that help to write them."""
        members = {field: self._leaf(f"{name}.{field}", *one) for field, one in told.items()}
        members |= {field: self._leaf(f"{name}.{field}", *one, counts=False) for field, one in (beside or {}).items()}
        return Record(called, members | others)

    def _box(self) -> Record:
        one, at, device = self.settings.identity, f"/devices/{self.key}", self.device
        full = f"{one.host_name}.{one.domain}" if one.host_name and one.domain else None
        banner = (one.banner, f"{at}/banner", "banner")
        return self._record(
            "the box",
            "box",
            {
                "name": (one.host_name, f"{at}/name", "host name"),
                "domain": (one.domain, f"{at}/domain", "domain"),
                "time_zone": (one.time_zone, f"{at if device.time_zone else ''}/time_zone", "time zone"),
                "location": (one.location, f"{at}/location" if device.location else "/street", "location"),
                "contact": (one.contact, f"{at if device.contact else ''}/contact", "contact"),
                "gateway": (one.gateway, f"{at}/gateway", "gateway"),
                **({"banner": banner} if device.banner else {}),
            },
            {
                "full_name": (full, f"{at}/name", "full name", (f"{at}/name", f"{at}/domain")),
                "role": (device.role, f"{at}/role", "role"),
                "filters": (self.settings.filters, f"{at}/filters", "filtering"),
                "site": (f"{self.plan.customer}/{self.plan.site}", "/site", "site"),
                **({} if device.banner else {"banner": banner}),
            },
            routes_packets=device.routes_packets,
            time_servers=self._several("box.time_servers", one.time_servers, f"{at}/time_servers", "time server"),
            resolvers=self._several("box.resolvers", one.resolvers, f"{at}/resolvers", "resolver for itself"),
            forwarders=self._several("box.forwarders", one.forwarders, f"{at}/forwarders", "resolver for its clients"),
        )

    def _circuit(self, side: InternetSide) -> Record:
        at, given = f"/circuits/{side.key}", side.given
        return self._record(
            "a circuit",
            "circuits",
            {
                "port": (side.port or None, f"{at}/port", "port"),
                "handoff": (side.handoff, f"{at}/handoff", "hand-off"),
                "address": (None if given else side.address, f"{at}/address", "address"),
                "prefix": (None if given else side.prefix, f"{at}/prefix", "mask"),
                "gateway": (None if given else side.gateway, f"{at}/gateway", "gateway"),
                "address6": (side.address6, f"{at}/address6", "IPv6 address"),
                "prefix6": (side.prefix6, f"{at}/prefix6", "IPv6 prefix length"),
                "gateway6": (side.gateway6, f"{at}/gateway6", "IPv6 gateway"),
                "vlan": (side.vlan, f"{at}/vlan", "VLAN tag"),
                "mtu": (side.mtu, f"{at}/mtu", "MTU"),
                "pppoe_user": (side.pppoe_user, f"{at}/pppoe_user", "PPPoE user"),
            },
            {
                "label": (side.label, f"{at}/label", "label"),
                "subnet": (None if given else side.subnet, f"{at}/prefix", "subnet"),
                "metric": (side.metric, f"{at}/metric", "metric"),
            },
            resolvers=self._several(
                "circuits.resolvers", () if given else side.resolvers, f"{at}/resolvers", "resolver"
            ),
            password=self._secret("circuits.password", side.password, f"{at}/pppoe", "PPPoE password"),
        )

    def _segment(self, one: Inside) -> Record:
        at, box = f"/segments/{one.key}", f"/devices/{self.key}"
        own = f"{box}/addresses/{one.key}" if one.key in self.device.addresses else f"{at}/gateway"
        own6 = f"{at}/gateway6" if one.announced is not None else f"{box}/addresses6/{one.key}"
        table = None if one.table == "main" else one.table
        return self._record(
            "a segment",
            "segments",
            {
                "vlan": (one.vlan, f"{at}/vlan", "VLAN"),
                "table": (table, f"{at}/vrf", "routing table"),
                "address": (one.address, own, "own address"),
                "subnet": (one.subnet if one.address is not None else None, f"{at}/subnet", "mask"),
                "address6": (one.address6, own6, "own IPv6 address"),
                "subnet6": (one.subnet6 if one.address6 is not None else None, f"{at}/subnet6", "IPv6 prefix"),
                "relay": (one.relay, f"{box}/relays/{one.key}", "server of leases"),
            },
            {
                "label": (one.label, f"{at}/label", "label"),
                "gateway": (one.gateway, f"{box}/gateway", "gateway"),
            },
            announced=one.announced is not None,
            ports=[
                self._record(
                    "a place",
                    "segments.ports",
                    {},
                    {"name": (p.port, f"{box}/ports/{p.port}", "port"), "tag": (p.tag, f"{at}/vlan", "tag")},
                )
                for p in one.places
            ],
            scope=self._scope(one.serves, at),
        )

    def _scope(self, scope: ScopeSettings | None, at: str) -> Record | None:
        if scope is None or scope.span is None:
            return None
        name = "segments.scope"
        hosts = {id(host): key for key, host in self.plan.hosts.items()}
        options = [
            self._record(
                "an option",
                f"{name}.options",
                {"text": (text, f"{at}/scope/options/{number}", f"option {number}")},
                {"number": (int(number), f"{at}/scope/options/{number}", "option")},
            )
            for number, text in scope.options.items()
        ]
        return self._record(
            "a scope",
            name,
            {
                "first": (scope.first, f"{at}/scope/first", "first of the range"),
                "last": (scope.last, f"{at}/scope/last", "last of the range"),
                "router": (scope.router, f"{at}/gateway", "router handed out", (f"{at}/scope/router",)),
                "domain": (scope.domain, f"{at}/domain", "domain handed out"),
                "lease": (scope.lease, f"{at}/scope/lease", "lease time"),
            },
            {"span": (scope.span, f"{at}/scope/first", "range", (f"{at}/scope/first", f"{at}/scope/last"))},
            excluded=self._several(f"{name}.excluded", scope.excluded, f"{at}/scope/excluded", "left out of the range"),
            resolvers=self._several(f"{name}.resolvers", scope.resolvers, f"{at}/resolvers", "resolver handed out"),
            options=options,
            reserved=[self._reserved(host, f"/hosts/{hosts[id(host)]}") for host in scope.reserved],
        )

    def _reserved(self, host: Host, at: str) -> Record:
        return self._record(
            "a reservation",
            "segments.scope.reserved",
            {
                "name": (host.name, f"{at}/name", "name reserved for"),
                "address": (host.address, f"{at}/address", f"address of {host.name}"),
                "mac": (host.mac, f"{at}/mac", f"MAC of {host.name}"),
            },
        )

    def _port(self, one: PortSettings) -> Record:
        at = f"/devices/{self.key}/ports/{one.name}"

        def carried(each: Carried, field: str, place: str) -> Record:
            return self._record(
                "a carried segment",
                f"ports.{field}",
                {"vlan": (each.vlan, f"{at}/{place}", f"{field} on port {one.name}")},
                {"label": (each.label, f"{at}/{place}", "label")},
            )

        return self._record(
            "a port",
            "ports",
            {"mode": (one.mode, f"{at}/mode", f"use of port {one.name}")},
            {
                "name": (one.name, at, "port"),
                "circuit": (one.circuit or None, f"{at}/circuit", "circuit"),
                "bridge": (one.bridge, f"{at}/bridge", "joined ports"),
            },
            untagged=carried(one.untagged, "untagged", "segment") if one.untagged else None,
            tagged=[carried(each, "tagged", f"tagged/{place}") for place, each in enumerate(one.tagged)],
        )

    def _routes(self) -> Iterator[Record]:
        for (key, route), one in zip(self.device.routes.items(), self.settings.routes, strict=True):
            at = f"/devices/{self.key}/routes/{key}"
            told: Fields = {
                "to": (one.to, f"{at}/to", "where it leads"),
                "metric": (one.metric, f"{at}/metric", "metric"),
                "table": (None if one.table == "main" else one.table, f"{at}/table", "routing table"),
            }
            by: Fields = {"by": (one.by, f"{at}/via", "next hop")}
            beside: Fields = {"circuit": (one.circuit or None, f"{at}/circuit", "circuit")}
            named = route.via is None  # a default route by a circuit: what its gateway is, the circuit tells
            yield self._record("a route", "routes", told if named else told | by, beside | by if named else beside)

    def _end(self, end: str, path: str, name: str) -> Record:
        """A segment, a fixed host, or a place, by its name and its network or address."""
        segment, host = self.plan.segments.get(end), self.plan.hosts.get(end)
        label = segment.label if segment else host.name if host else PLACES.get(end, "removed")
        network: object = segment.subnet if segment else host.address if host else None
        return self._record(
            "an end",
            name,
            {"name": (label, path, "end")},
            {"network": (network, path, "network")},
            any=end == "all",
            internet=end == "internet",
            other_sites=end == "other-sites",
        )

    def _line(self, circuit: str, path: str, name: str) -> Record:
        port = next((n for n, use in self.device.ports.items() if use.circuit == circuit), None)
        label = (self.plan.circuits[circuit].label, path, "circuit")
        return self._record("a circuit", name, {}, {"label": label, "port": (port, path, "port")})

    def _translations(self) -> Iterator[Record]:
        for key, one in self.device.translations.items():
            if one.circuit in self.plan.circuits:
                at = f"/devices/{self.key}/translations/{key}"
                yield self._record(
                    "a translation",
                    "translations",
                    {"address": (one.address, f"{at}/address", "address translated to")},
                    source=self._end(one.segment, f"{at}/segment", "translations.source"),
                    circuit=self._line(one.circuit, f"{at}/circuit", "translations.circuit"),
                )

    def _publications(self) -> Iterator[Record]:
        for key, one in self.device.publications.items():
            host = self.plan.hosts.get(one.host)
            if one.circuit not in self.plan.circuits or host is None:
                continue
            at = f"/devices/{self.key}/publications/{key}"
            outside, inside = published_addresses(self.plan, one)
            yield self._record(
                "a publication",
                "publications",
                {
                    "service": (one.service, f"{at}/service", "published service"),
                    "outside": (outside, f"{at}/address", "outside address"),
                    "inside": (inside, f"{at}/host", "inside address"),
                    "port": (one.port, f"{at}/port", "port inside"),
                },
                {"host": (host.name, f"{at}/host", "host")},
                circuit=self._line(one.circuit, f"{at}/circuit", "publications.circuit"),
                sources=self._several("publications.sources", one.sources, f"{at}/sources", "allowed source"),
            )

    def _allows(self) -> Iterator[Record]:
        for key, one in self.device.allows.items():
            at = f"/devices/{self.key}/allows/{key}"
            yield self._record(
                "an allow rule",
                "allows",
                {"service": (one.service, f"{at}/service", "allowed service")},
                source=self._end(one.source, f"{at}/source", "allows.source"),
                target=self._end(one.target, f"{at}/target", "allows.target"),
            )

    def _access(self) -> Iterator[Record]:
        for key, one in self.device.access.items():
            at, segment = f"/devices/{self.key}/access/{key}", self.plan.segments.get(one.segment or "")
            label, subnet = (segment.label, segment.subnet) if segment is not None else (None, None)
            yield self._record(
                "an access",
                "access",
                {
                    "service": (one.service, f"{at}/service", "management by"),
                    "segment": (label, f"{at}/segment", "management from"),
                },
                {"subnet": (subnet, f"{at}/segment", "subnet")},
                networks=self._several("access.networks", one.networks, f"{at}/networks", "management from"),
            )

    def _wireless(self) -> Iterator[Record]:
        for one in self.settings.wireless:
            at = f"/wireless/{one.key}"
            yield self._record(
                "a Wi-Fi network",
                "wireless",
                {
                    "name": (one.name, f"{at}/name", "Wi-Fi name"),
                    "vlan": (one.vlan, f"{at}/segment", "VLAN"),
                    "security": (one.security, f"{at}/security", "security"),
                    "band": (one.band, f"{at}/band", "band"),
                    "hidden": (one.hidden, f"{at}/hidden", "hidden name"),
                    "client_limit": (one.client_limit, f"{at}/client_limit", "client limit"),
                    "country": (one.country, f"{at}/country", "country"),
                },
                {"segment": (one.segment, f"{at}/segment", "segment")},
                password=self._secret("wireless.password", one.password, f"{at}/key", f"key of {one.name}"),
            )

    def _secrets(self) -> Record:
        """The secrets of the box itself, by the names of their slots; a dash in one is written as `_`."""
        kinds = {self.kind.key: self.kind} if self.kind is not None else {}
        own = [slot for slot in slots_of(self.plan, kinds) if slot.member == f"/devices/{self.key}" and slot.needed]
        return Record(
            "the secrets of the box",
            {
                slot.path.rpartition("/")[2].replace("-", "_"): self._secret(
                    "secrets", slot.path, slot.path, slot.label
                )
                for slot in own
            },
        )
