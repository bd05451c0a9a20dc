"""Intent: what is meant to pass between two places of a site, and who says so."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from octaplan.core.flow.network import BOXES, INTERNET, LOOKUP, OTHER_SITES
from octaplan.core.plan.boxes import SERVER_OPTIONS, addresses_in, managed_from, segment_of
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.values.addresses import Address
from octaplan.core.values.lazy import lazy
from octaplan.core.values.services import EVERYTHING, NOTHING, Services, known_services, parse_services

#: What clients ask of servers that a scope names (RFC 2132, RFC 5859), by the number of the option.
OPTION_SERVICES = {
    "4": "udp/37",
    "42": "udp/123",
    "44": "udp/137",
    "66": "udp/69, tcp/80, tcp/443",
    "69": "tcp/25",
    "150": "udp/69, tcp/80, tcp/443",
}
assert OPTION_SERVICES.keys() == SERVER_OPTIONS.keys()  # noqa: S101


class Who(StrEnum):
    """Who says what is meant."""

    TABLE = "table"
    CUSTOMER = "customer"
    SITE = "site"
    APART = "apart"
    NEEDS = "needs"


class Meant(NamedTuple):
    """What is meant for a pair of places; `path` is the departure of the site that says so, `reason` why."""

    services: Services
    who: Who = Who.TABLE
    reason: str = ""
    path: str = ""

    @property
    def word(self) -> str:
        """`open`, `closed`, or `services`."""
        return "open" if self.services == EVERYTHING else "services" if self.services else "closed"


_APART = Meant(NOTHING, Who.APART)


class Need(NamedTuple):
    """A server that clients of a segment are told of, in another segment: what for, and the place in the plan."""

    source: str
    target: str
    address: Address
    services: Services
    what: str
    path: str

    @property
    def any_of(self) -> bool:
        """Whether one of its services will do: a provisioning server has one or another."""
        return "scope/options" in self.path


class Intent:
    """What is meant at one site."""

    def __init__(self, plan: SitePlan, organisation: Organisation) -> None:
        self.plan = plan
        self.organisation = organisation
        self._table: Mapping[str, Mapping[str, str]] = organisation.intent
        self._customer = {(one.source, one.target): one for one in organisation.usual(plan.customer).departures}
        self._known_tables: dict[str, set[str]] = {}
        self._by_roles: dict[tuple[str, str], Meant] = {}
        self._site = {(one.source, one.target): key for key, one in plan.departures.items()}

    @lazy
    def rows(self) -> list[str]:
        """Who asks: the segments without transit links, the internet, and other sites when the site reaches any."""
        inside = [key for key, segment in self.plan.segments.items() if segment.role is not SegmentRole.TRANSIT]
        return [*inside, INTERNET, *([OTHER_SITES] if self.plan.groups else [])]

    @property
    def columns(self) -> list[str]:
        """Who is asked: the same, and the management of the boxes."""
        return [*self.rows, BOXES]

    def role(self, place: str) -> str:
        """What the table calls a place."""
        return self._roles.get(place, place)

    @lazy
    def _roles(self) -> dict[str, str]:
        return {key: str(segment.role) for key, segment in self.plan.segments.items()}

    def meant(self, source: str, target: str) -> Meant:
        """What is meant to pass from one place to another."""
        said = self.said(source, target)
        if said.who is Who.SITE:
            return said
        needed = NOTHING
        for need in self.needs.get((source, target), ()):
            needed |= need.services
        if needed and (needed - said.services):
            return Meant(said.services | needed, Who.NEEDS, self.needs[source, target][0].what)
        return said

    def said(self, source: str, target: str) -> Meant:
        """The same without what scopes need."""
        key = self._site.get((source, target))
        if key is not None:
            one = self.plan.departures[key]
            return Meant(_read(one.services), Who.SITE, one.reason, f"/departures/{key}")
        if target == BOXES:
            opened = any(source in self.managers(box) for box in self.plan.devices)
            return Meant(EVERYTHING if opened else NOTHING)
        roles = self.role(source), self.role(target)
        known = self._by_roles.get(roles)
        if known is None:
            at = self._customer.get(roles)
            by_customer = Meant(_read(at.services), Who.CUSTOMER, at.reason) if at is not None else None
            known = self._by_roles[roles] = by_customer or Meant(_read(self._by_table(*roles)))
        if known.who is Who.CUSTOMER or not self._apart(source, target):
            return known
        return _APART

    def _by_table(self, asking: str, asked: str) -> str:
        row = self._table.get(asking, {})
        return row.get(asked, row.get("all", "none"))

    def _apart(self, source: str, target: str) -> bool:
        """Whether two places are in routing tables of their own, which do not leak into each other."""
        if self._one_table:
            return False
        return not self._tables(source) & self._tables(target)

    @lazy
    def _one_table(self) -> bool:
        """Whether everything of the site is in one routing table."""
        plan = self.plan
        tables = {segment.vrf.casefold() for segment in plan.segments.values()}
        tables |= {circuit.vrf.casefold() for circuit in plan.circuits.values()}
        return tables <= {"main"}

    def _tables(self, place: str) -> set[str]:
        known = self._known_tables.get(place)
        if known is None:
            known = self._known_tables[place] = self._tables_of(place)
        return known

    def _tables_of(self, place: str) -> set[str]:
        segment = self.plan.segments.get(place)
        if segment is not None:
            return {segment.vrf.casefold()}
        if place == INTERNET:
            return {circuit.vrf.casefold() for circuit in self.plan.circuits.values()} or {"main"}
        return {"main"}

    def managers(self, box: str) -> set[str]:
        """The segments from which a box is meant to be managed, unless a site departs from it."""
        known = self._managers.get(box)
        return known if known is not None else set()

    @lazy
    def _managers(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = {}
        opened = [key for key in self.plan.segments if self._by_table(self.role(key), BOXES) != "none"]
        for key, device in self.plan.devices.items():
            if not device.staged:
                continue
            tables = {self.plan.segments[s].vrf.casefold() for s in device.carried() if s in self.plan.segments}
            near = {s for s in opened if self.plan.segments[s].vrf.casefold() in tables}
            if not device.routes_packets:
                host = self.plan.hosts.get(device.host or "")
                own = [*device.addresses, *([host.segment] if host is not None else [])]
                own = [key for key in own if key in self.plan.segments]
                if own and not near & set(own):
                    near.add(managed_from(self.plan, device, own) or own[0])
            home = managed_from(self.plan, device)
            found[key] = near or ({home} if home is not None else set())
        return found

    def manages(self, source: str, box: str) -> bool:
        """Whether a box is meant to be managed from a place."""
        key = self._site.get((source, BOXES))
        if key is not None:
            return bool(_read(self.plan.departures[key].services))
        at = self._customer.get((self.role(source), BOXES))
        if at is not None:
            return bool(_read(at.services))
        return source in self.managers(box)

    def manages_from_outside(self, value: Address) -> bool:
        """Whether boxes are meant to be managed from an address outside: one of the provider's own networks; any that
        the plan names, where the organisation says nothing of its own."""
        if self._site.get((INTERNET, BOXES)) is not None:
            return self.manages(INTERNET, "")
        own = self.organisation.own_networks
        return not own or any(one.network.holds(value) for one in own)

    @lazy
    def needs(self) -> dict[tuple[str, str], list[Need]]:
        """The servers in other segments that scopes hand out, by source and target."""
        found: dict[tuple[str, str], list[Need]] = {}
        for need in self._needs():
            found.setdefault((need.source, need.target), []).append(need)
        return found

    def _needs(self) -> Iterator[Need]:
        for key, segment in self.plan.segments.items():
            told = [(a, LOOKUP, "its resolver", "resolvers") for a in segment.resolvers if isinstance(a, Address)]
            if segment.scope.span is not None:
                for number, text in segment.scope.options.items():
                    services = parse_services(OPTION_SERVICES[number]) if number in OPTION_SERVICES else NOTHING
                    for address in addresses_in(text) if services else ():
                        told.append((address, services, f"its {SERVER_OPTIONS[number]}", f"scope/options/{number}"))
            for address, services, what, field in told:
                where = segment_of(self.plan, address)
                if where is None or where[0] == key or where[1].gateway == address or where[1].gateway6 == address:
                    continue
                if where[1].role is not SegmentRole.TRANSIT and not self._apart(key, where[0]):
                    yield Need(key, where[0], address, services, what, f"/segments/{key}/{field}")


@lru_cache(maxsize=1024)
def _read(text: str) -> Services:
    """What is meant by a text; nothing where it cannot be read, since what is not said is closed."""
    return NOTHING if text == "none" else known_services(text) or NOTHING
