"""From the rows of intake tables to site plans, and back.

A cell that cannot be read refuses its row only; an empty cell is "not known yet" and changes nothing that a
plan already says. Items are known by their codes and names, whatever their case, so that loading the same
tables twice changes nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import zip_longest
from operator import itemgetter
from typing import Any, NamedTuple

from octaplan.core.plan.site import (
    MAX_CIRCUITS,
    MAX_HOSTS,
    MAX_SEGMENTS,
    Circuit,
    Handoff,
    Host,
    Kept,
    Method,
    Reach,
    Role,
    Scope,
    Segment,
    SitePlan,
    lease_text,
    new_id,
    site_key,
)
from octaplan.core.propose.room import numbered_subnet
from octaplan.core.propose.typed import (
    choice,
    read_address_and_mask,
    read_addresses,
    read_code,
    read_date,
    read_domain,
    read_excluded,
    read_groups,
    read_ipv6,
    read_ipv6_network,
    read_kept,
    read_lease,
    read_mask_for,
    read_networks,
    read_options,
    read_password,
    read_resolvers,
    read_segment_number,
    read_server,
    read_time_zone,
    read_vlan,
    text_of,
    whole,
)
from octaplan.core.values.addresses import (
    BITS,
    Address,
    AddressError,
    MaskError,
    Network,
    Span,
    counted,
    parse_address,
    parse_mac,
    parse_mask,
    parse_network,
)
from octaplan.core.values.errors import OctaplanError, TypedError
from octaplan.formats.compact import Packed, RowsAmong
from octaplan.formats.tables import MAX_CELL, NAMES, NAMING_COLUMNS, WHOLE, Row, Table, column_key


class Fault(NamedTuple):
    """One cell that could not be read."""

    column: str
    value: str
    problem: str


class RefusedRow(NamedTuple):
    """A row that was not taken, kept whole."""

    table: str
    file: str
    row: int
    header: list[str]
    cells: list[str]
    faults: list[Fault]


class Correction(NamedTuple):
    """A cell that was taken as something a little different."""

    file: str
    row: int
    column: str
    value: str
    became: str


class IgnoredColumn(NamedTuple):
    """A column that is not known."""

    file: str
    column: str


def _plain_refusal(row: RefusedRow) -> list[Any]:
    return [*row[:5], [list(fault) for fault in row.faults]]


def _refusal(plain: list[Any]) -> RefusedRow:
    table, file, row, header, cells, faults = plain
    return RefusedRow(table, file, row, header, cells, [Fault(*fault) for fault in faults])


@dataclass(slots=True)
class Intake:
    """What came of reading tables: the plans of all sites they name, and what was not taken as it stood.

    `secrets` are for the safe and for nothing else, by site key and path of the slot.
    """

    plans: dict[str, SitePlan] = field(default_factory=dict)
    secrets: dict[tuple[str, str], str] = field(default_factory=dict, repr=False)
    refused: Packed[RefusedRow] = field(default_factory=lambda: Packed(_plain_refusal, _refusal))
    corrected: Packed[Correction] = field(default_factory=lambda: Packed(list, lambda plain: Correction(*plain)))
    ignored_columns: list[IgnoredColumn] = field(default_factory=list)
    taken: set[tuple[str, ...]] = field(default_factory=set)


def row_key(table: str, header: Sequence[str], cells: Sequence[str]) -> tuple[str, ...]:
    """What a row is about: its table and the cells that name it, in any case."""
    places = {column_key(name): place for place, name in enumerate(header)}
    named = (places.get(column_key(name), len(cells)) for name in NAMING_COLUMNS[table])
    return (table, *(cells[place].strip().casefold() if place < len(cells) else "" for place in named))


def key_text(table: str, header: Sequence[str], cells: Sequence[str]) -> str:
    """The same as one text."""
    return "\x1f".join(row_key(table, header, cells))[:300]


class _Unread(ValueError):
    """A row that is refused for one cell, told by column."""

    def __init__(self, column: str, problem: str) -> None:
        super().__init__(problem)
        self.column = column


def read_ipv6_mask(cell: str) -> int:
    return parse_mask(cell, 6)


def _remembered(read: Callable[[str], Any]) -> Callable[[str], Any]:
    """The same reader for a column in which the same few values come again and again."""
    return lru_cache(2_000)(read)


#: For each table its columns, in the order they are written, and how a cell of each is read.
COLUMNS: dict[str, dict[str, Callable[[str], Any]]] = {
    "sites": {
        "customer": read_code,
        "site": read_code,
        "name": text_of(200),
        "street": text_of(200),
        "time_zone": read_time_zone,
        "ship_date": _remembered(read_date),
        "contact": text_of(200),
        "technician": text_of(200),
        "reach_group": read_groups,
        "delegated_prefix": read_ipv6_network,
    },
    "circuits": {
        "customer": read_code,
        "site": read_code,
        "circuit": text_of(80),
        "handoff": _remembered(choice(Handoff)),
        "address": str.strip,
        "prefix": str.strip,
        "gateway": parse_address,
        "dns": read_addresses,
        "vlan": _remembered(read_vlan),
        "routed_block": read_networks,
        "pppoe_user": text_of(200),
        "pppoe_password": read_password,
        "provider": text_of(200),
        "reference": text_of(200),
        "priority": _remembered(whole(0, 1000, "Priority")),
        "address6": read_address_and_mask,
        "prefix6": read_ipv6_mask,
        "gateway6": read_ipv6,
        "modem_subnet": parse_network,
    },
    "segments": {
        "customer": read_code,
        "site": read_code,
        "segment": text_of(80),
        "role": _remembered(choice(Role)),
        "vlan": _remembered(read_vlan),
        "vrf": text_of(80),
        "reach": _remembered(choice(Reach)),
        "subnet": parse_network,
        "gateway": parse_address,
        "dhcp_first": parse_address,
        "dhcp_last": parse_address,
        "dhcp_count": str.strip,
        "dhcp_excluded": read_excluded,
        "dhcp_server": read_server,
        "lease": _remembered(read_lease),
        "dns": read_resolvers,
        "domain": read_domain,
        "expected_hosts": _remembered(whole(0, 1 << 32, "Number of hosts")),
        "subnet6": str.strip,
        "gateway6": read_ipv6,
        "kept": read_kept,
        "options": read_options,
    },
    "hosts": {
        "customer": read_code,
        "site": read_code,
        "segment": text_of(80),
        "name": text_of(80),
        "kind": text_of(200),
        "address": parse_address,
        "mac": parse_mac,
        "method": _remembered(choice(Method)),
        "address6": read_ipv6,
    },
}


#: Columns whose cells are kept in the safe only: never in a plan, a report or a table that is written.
SECRET_COLUMNS = frozenset({column_key("pppoe_password")})


# --- Sites in the making ---------------------------------------------------------------------------------


class _Draft:
    """One site while its rows come in."""

    def __init__(self, plan: SitePlan) -> None:
        self.plan = plan
        self.fields: dict[str, Any] = {}
        self.circuits = dict(plan.circuits)
        self.segments = dict(plan.segments)
        self.hosts = dict(plan.hosts)
        self.circuit_ids = {c.label.casefold(): key for key, c in plan.circuits.items()}
        self.segment_ids = {s.label.casefold(): key for key, s in plan.segments.items()}
        self.host_ids = {(h.segment, h.name.casefold()): key for key, h in plan.hosts.items()}

    def finish(self) -> SitePlan:
        changed = self.fields | {"circuits": self.circuits, "segments": self.segments, "hosts": self.hosts}
        return self.plan.model_copy(update=changed)


def _apart(header: Sequence[str], first: Sequence[str], second: Sequence[str]) -> str:
    """In what two rows for one thing differ, side by side."""
    pairs = zip_longest(header, first[: len(header)], second[: len(header)], fillvalue="")
    guarded = _has_secrets(header)
    told = [
        f"{name} {one.strip() or 'empty'} there, {other.strip() or 'empty'} here"
        if not guarded or (_plainly_none(one) and _plainly_none(other))
        else f"{name} is not the same"
        for name, one, other in pairs
        if one.strip() != other.strip() and column_key(name) not in SECRET_COLUMNS
    ]
    return f" ({'; '.join(told[:4])})" if told else ""


def _has_secrets(header: Sequence[str]) -> bool:
    return any(column_key(name) in SECRET_COLUMNS for name in header)


#: What is an address, a mask or a small number, or was meant as one: no password has this form.
_PLAIN = re.compile(
    r"[0-9]{0,5}|[0-9]{1,4}(\.[0-9]{0,4}){1,4}(/[0-9.]{1,15})?|(?=.*:.*:)[0-9a-f:]{2,39}(/[0-9]{1,3})?", re.I
)


def _plainly_none(cell: str) -> bool:
    """Whether a cell cannot hold a password that has come into another place than its own."""
    return all(_PLAIN.fullmatch(part) for part in re.split(r"[\s;,]+", cell.strip()))


def _without_secrets(
    table: Table, cells: list[str], values: Mapping[str, Any], faults: list[Fault]
) -> tuple[list[str], list[Fault]]:
    """The cells and faults of a refused row as they may be kept and shown.

    A stray comma moves a password into another cell. Of a row of a table that has a column of passwords only those
    cells are kept that cannot hold one: the codes that name the row, words of a list, addresses and small numbers; all
    of them when the row is plainly one without a password.
    """
    if not _has_secrets(table.header):
        return cells, faults
    names = [column_key(name) for name in table.header]
    secret = [cell for name, cell in zip(names, cells, strict=False) if name in SECRET_COLUMNS and cell.strip()]
    handoff = values.get("handoff")
    if not secret and len(cells) <= len(names) and handoff not in (None, Handoff.PPPOE):
        return cells, faults
    wrong = {column_key(fault.column) for fault in faults}
    known = {column_key(name) for name in NAMING_COLUMNS[table.name]} | {"handoff"}
    kept = [
        cell if (name in known and name not in wrong and name in map(column_key, values)) or _plainly_none(cell) else ""
        for name, cell in zip_longest(names, cells, fillvalue="")
    ][: len(cells)]
    told = [fault if _plainly_none(fault.value) else Fault(fault.column, "", _unshown(fault)) for fault in faults]
    if kept != cells:
        told[0] = told[0]._replace(
            problem=f"{told[0].problem} (cells that may hold its password are not kept: type them again)"
        )
    return kept, told


def _unshown(fault: Fault) -> str:
    """What is wrong with a cell, without what is in it."""
    return (
        fault.problem
        if fault.value
        and fault.value not in fault.problem
        and not any(part in fault.problem for part in fault.value.split())
        else "What is in this cell cannot be read here; it is not shown, since it may be the row's password"
    )


#: What a new member is before its row is read: with every default, and of the one row's name.
_SEGMENT, _CIRCUIT = Segment(label="new"), Circuit(label="new")


class _Reader:
    def __init__(
        self, existing: Mapping[str, SitePlan], watched: RowsAmong | None = None, known_only: bool = False
    ) -> None:
        self.existing = existing
        self.watched = watched or RowsAmong()
        self.intake = Intake()
        self.drafts: dict[str, _Draft] = {}
        self.first_rows: dict[tuple[str, ...], list[str]] = {}
        self.named: set[str] | None = set(existing) if known_only else None
        self.seen: dict[tuple[str, ...], dict[str, int]] = {}
        self.lost_segments: dict[tuple[str, str], int] = {}
        self.customers = {plan.customer.casefold(): plan.customer for plan in existing.values()}

    def read(self, table: Table) -> None:
        parsers = {column_key(name): (name, parse) for name, parse in COLUMNS[table.name].items()}
        columns: list[tuple[int, str, Callable[[str], Any]]] = []
        for place, name in enumerate(table.header):
            if column_key(name) in parsers:
                columns.append((place, *parsers[column_key(name)]))
            elif name:
                self.intake.ignored_columns.append(IgnoredColumn(table.file, name))
        nameless = {place for place, name in enumerate(table.header) if not name}
        take = getattr(self, f"_take_{table.name}")
        if table.name == "sites" and self.named is None:
            self.named = set()
        awaited = "hosts" in self.watched.tables
        quick = (
            _QuickHosts(self, table, columns).take if table.name == "hosts" and not nameless and not awaited else None
        )
        for row in table.rows:
            if quick is not None and not table.doubts and quick(row):
                continue
            for place in sorted(nameless):
                if place < len(row.cells) and row.cells[place].strip():
                    self.intake.ignored_columns.append(IgnoredColumn(table.file, f"(column {place + 1}, no name)"))
                    nameless.discard(place)
            self._read_row(table, row, columns, take)

    def _read_row(self, table: Table, row: Row, columns: list[tuple[int, str, Any]], take: Any) -> None:
        values: dict[str, Any] = {}
        typed: dict[str, str] = {}
        faults: list[Fault] = []
        width = len(row.cells)
        for place, name, parse in columns:
            cell = row.cells[place] if place < width else ""
            doubt = table.doubts.get((row.number, place))
            if doubt is not None:
                typed[name] = cell
                faults.append(Fault(name, cell[:MAX_CELL], doubt))
                continue
            if not cell or cell.isspace():
                continue
            typed[name] = cell
            try:
                if len(cell) > MAX_CELL:
                    raise TypedError(f"The cell holds {len(cell)} characters: at most {MAX_CELL} are read")
                values[name] = parse(cell)
            except OctaplanError as error:
                faults.append(Fault(name, cell[:MAX_CELL], str(error)))
        whole = table.doubts.get((row.number, WHOLE))
        if whole is not None:
            faults.insert(0, Fault(NAMING_COLUMNS[table.name][0], "", whole))
        beyond = [cell for cell in row.cells[len(table.header) :] if cell.strip()]
        if beyond:
            problem = (
                f"The row has more cells than the header has columns ({len(table.header)}): check for stray commas"
            )
            faults.append(Fault("", beyond[0][:MAX_CELL], problem))
        for name in NAMING_COLUMNS[table.name]:
            if name not in typed:
                faults.append(Fault(name, "", f"The {name} is empty: it is needed to know what the row is about"))
        self._register(table, row, values, typed, faults)
        if not faults:
            try:
                take(table, row, values, typed)
                if self.watched:
                    key = row_key(table.name, table.header, row.cells)
                    if key in self.watched:
                        self.intake.taken.add(key)
                return
            except _Unread as unread:
                faults.append(Fault(unread.column, typed.get(unread.column, ""), str(unread)))
        if table.name == "segments" and {"customer", "site", "segment"} <= values.keys():
            key = (site_key(values["customer"], values["site"]), values["segment"].casefold())
            if key not in self.lost_segments and not self._has_segment(*key):
                self.lost_segments[key] = row.number
        cells, faults = _without_secrets(table, row.cells, values, faults)
        self.intake.refused.append(RefusedRow(table.name, table.file, row.number, table.header, cells, faults))

    def _has_segment(self, site: str, segment: str) -> bool:
        return site in self.drafts and segment in self.drafts[site].segment_ids

    def _register(
        self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str], faults: list[Fault]
    ) -> None:
        """Know the site that the row names, and that the row is the first to name its item."""
        if not {"customer", "site"} <= values.keys():
            return
        key = site_key(values["customer"], values["site"])
        if table.name == "sites" and self.named is not None:
            self.named.add(key)
            self._draft(values)
        elif self.named is not None and key not in self.named:
            code = f"{values['customer']}/{values['site']}"
            problem = f"Site {code} is not in the sites table: correct the code, or add the site there"
            faults.append(Fault("site", typed["site"], problem))
            return
        names = [values.get(column) for column in NAMING_COLUMNS[table.name]]
        if all(isinstance(name, str) for name in names):
            *owners, item = (str(name).casefold() for name in names)
            first = self.seen.setdefault((table.name, *owners), {}).setdefault(item, row.number)
            if table.name in ("sites", "circuits"):
                cells = self.first_rows.setdefault((table.name, *owners, item), row.cells)
            if first != row.number:
                column = NAMING_COLUMNS[table.name][-1]
                apart = _apart(table.header, cells, row.cells) if table.name in ("sites", "circuits") else ""
                problem = f"Row {first} already names it{apart}: keep one of the two rows"
                faults.append(Fault(column, typed[column], problem))

    def _draft(self, values: dict[str, Any]) -> _Draft:
        key = site_key(values["customer"], values["site"])
        draft = self.drafts.get(key)
        if draft is None:
            customer = self.customers.setdefault(values["customer"].casefold(), values["customer"])
            plan = self.existing.get(key) or SitePlan(customer=customer, site=values["site"])
            draft = self.drafts[key] = _Draft(plan)
        return draft

    def _correct(self, table: Table, row: Row, column: str, value: str, became: str) -> None:
        self.intake.corrected.append(Correction(table.file, row.number, column, value, became))

    def _take_sites(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        draft = self._draft(values)
        for column in ("name", "street", "time_zone", "ship_date", "contact", "technician"):
            if column in values:
                draft.fields[column] = values[column]
        if "reach_group" in values:
            draft.fields["reach_groups"] = values["reach_group"]
        if "delegated_prefix" in values:
            draft.fields["delegated_prefix"] = values["delegated_prefix"]

    def _take_circuits(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        draft = self._draft(values)
        label = values["circuit"]
        key = draft.circuit_ids.get(label.casefold())
        before = draft.circuits[key] if key else _CIRCUIT
        update = {field: values[column] for column, field in _CIRCUIT_FIELDS if column in values}
        update |= _read_handoff(values, before)
        update |= _read_second_handoff(values)
        if "modem_subnet" in values:
            network = (typed["modem_subnet"].strip(), *values["modem_subnet"])
            update["modem_subnet"] = self._cleaned(table, row, "modem_subnet", [network])[0]
        if "routed_block" in values:
            update["routed_blocks"] = self._cleaned(table, row, "routed_block", values["routed_block"])
        if "pppoe_password" in values and update.get("handoff", before.handoff) is not Handoff.PPPOE:
            raise _Unread(
                "pppoe_password", "A PPPoE password belongs to a pppoe hand-off: write pppoe there, or empty it"
            )
        if key is None:
            _room("circuit", draft.circuits, MAX_CIRCUITS)
            update["label"] = label
            key = draft.circuit_ids[label.casefold()] = new_id(f"circuit {label}", draft.circuits)
        draft.circuits[key] = before.model_copy(update=update)
        if "pppoe_password" in values:
            self.intake.secrets[(draft.plan.key, f"circuits/{key}/pppoe")] = values["pppoe_password"]

    def _cleaned(
        self, table: Table, row: Row, column: str, networks: list[tuple[str, Network, Address]]
    ) -> list[Network]:
        for part, network, address in networks:
            if network.first != address:
                self._correct(table, row, column, part, str(network))
        return list(dict.fromkeys(network for _, network, _ in networks))

    def _take_segments(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        draft = self._draft(values)
        label = values["segment"]
        key = draft.segment_ids.get(label.casefold())
        before = draft.segments[key] if key else _SEGMENT
        update = {field: values[column] for column, field in _SEGMENT_FIELDS if column in values}
        if "subnet6" in values:
            update["subnet6"] = self._read_subnet6(table, row, draft, values["subnet6"])
        if "kept" in values:
            update["kept"] = [Kept.model_validate(keep) for keep in values["kept"]]
        scope: dict[str, Any] = {}
        if "options" in values:
            scope["options"] = values["options"]
        for column, field_name in (("dhcp_server", "server"), ("dhcp_first", "first"), ("lease", "lease")):
            if column in values:
                scope[field_name] = values[column]
        last = _read_last(values, before.scope)
        if last is not None:
            scope["last"] = last
        if "subnet" in values:
            update["subnet"] = self._cleaned(table, row, "subnet", [(typed["subnet"].strip(), *values["subnet"])])[0]
        if "dhcp_excluded" in values:
            scope["excluded"] = []
            for part, span in values["dhcp_excluded"]:
                if span.size == 0:
                    span = Span(span.last, span.first)
                    self._correct(table, row, "dhcp_excluded", part, span.typed)
                scope["excluded"].append(span)
        if scope:
            update["scope"] = before.scope.model_copy(update=scope)
        if key is None:
            _room("segment", draft.segments, MAX_SEGMENTS)
            update["label"] = label
            key = draft.segment_ids[label.casefold()] = new_id(f"segment {label}", draft.segments)
        draft.segments[key] = before.model_copy(update=update)

    def _read_subnet6(self, table: Table, row: Row, draft: _Draft, typed: str) -> Network:
        """An IPv6 subnet, or the number of a /64 in the site's prefix."""
        number = read_segment_number(typed)
        try:
            if number is None:
                network, address = parse_network(typed)
                if network.family != 6:
                    raise TypedError(f"{network} is IPv4: write an IPv6 subnet, or a number in the site's prefix")
                return self._cleaned(table, row, "subnet6", [(typed, network, address)])[0]
            prefix = draft.fields.get("delegated_prefix", draft.plan.delegated_prefix)
            if prefix is None:
                raise TypedError(
                    f"{typed!r} counts in the site's IPv6 prefix, which is not known: write the whole subnet"
                )
            return numbered_subnet(prefix, number)
        except OctaplanError as error:
            raise _Unread("subnet6", str(error)) from None

    def _take_hosts(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        site = site_key(values["customer"], values["site"])
        segment = None
        if site in self.drafts or site in self.existing:
            segment = self._draft(values).segment_ids.get(values["segment"].casefold())
        if segment is None:
            name = values["segment"]
            refused = self.lost_segments.get((site, name.casefold()))
            why = f"its own row {refused} was refused" if refused else "correct the name, or add the segment first"
            raise _Unread("segment", f"There is no segment {name!r} at {values['customer']}/{values['site']}: {why}")
        draft = self._draft(values)
        name = values["name"]
        key = draft.host_ids.get((segment, name.casefold()))
        update: dict[str, Any] = {c: values[c] for c in _HOST_FIELDS if c in values}
        if key is None:
            _room("name", draft.hosts, MAX_HOSTS)
            key = new_id(f"host {values['segment']} {name}", draft.hosts)
            draft.host_ids[(segment, name.casefold())] = key
            draft.hosts[key] = Host(segment=segment, name=name, **update)
        else:
            draft.hosts[key] = draft.hosts[key].model_copy(update=update)


#: Columns that go into a member as they were read, with the names of its fields.
_CIRCUIT_FIELDS = (
    ("handoff", "handoff"),
    ("gateway", "gateway"),
    ("dns", "resolvers"),
    ("vlan", "vlan"),
    ("pppoe_user", "pppoe_user"),
    ("provider", "provider"),
    ("reference", "reference"),
    ("priority", "priority"),
)
_SEGMENT_FIELDS = (
    ("role", "role"),
    ("vlan", "vlan"),
    ("vrf", "vrf"),
    ("reach", "reach"),
    ("gateway", "gateway"),
    ("gateway6", "gateway6"),
    ("dns", "resolvers"),
    ("domain", "domain"),
    ("expected_hosts", "expected_hosts"),
)
_HOST_FIELDS = ("kind", "address", "mac", "method", "address6")


def _read_second_handoff(values: dict[str, Any]) -> dict[str, Any]:
    """The IPv6 side of a circuit: its address may carry the mask."""
    update: dict[str, Any] = {column: values[column] for column in ("prefix6", "gateway6") if column in values}
    if "address6" in values:
        address, prefix = values["address6"]
        if address.family != 6:
            raise _Unread("address6", f"{address} is IPv4: write it under address, or an IPv6 address here")
        if prefix is not None and update.get("prefix6", prefix) != prefix:
            raise _Unread("prefix6", f"/{update['prefix6']} contradicts the mask in {address}/{prefix}: correct one")
        update |= {"address6": address} | ({"prefix6": prefix} if prefix is not None else {})
    return update


def _room(column: str, members: Mapping[str, object], most: int) -> None:
    if len(members) >= most:
        raise _Unread(column, f"The site has {most:,} of these already: no site plan holds more")


def _read_handoff(values: dict[str, Any], before: Circuit) -> dict[str, Any]:
    """Address and mask together, since the family of one decides how the other is read."""
    update: dict[str, Any] = {}
    typed = values.get("address", "")
    try:
        if typed:
            update["address"], prefix = read_address_and_mask(typed)
            if prefix is not None:
                update["prefix"] = prefix
    except AddressError as error:
        raise _Unread("address", str(error)) from None
    anchor = update.get("address") or before.address or values.get("gateway") or before.gateway
    if "prefix" in values:
        try:
            prefix = read_mask_for(values["prefix"], anchor)
        except MaskError as error:
            raise _Unread("prefix", str(error)) from None
        if update.get("prefix", prefix) != prefix:
            raise _Unread("prefix", f"/{prefix} contradicts the mask in the address {typed!r}: correct one of the two")
        update["prefix"] = prefix
    prefix = update.get("prefix", before.prefix)
    if anchor is not None and prefix is not None and prefix > BITS[anchor.family]:
        raise _Unread("prefix", f"The mask /{prefix} that is already known is too long for {anchor}: give its own mask")
    return update


def _read_last(values: dict[str, Any], scope: Scope) -> Address | None:
    last: Address | None = values.get("dhcp_last")
    first: Address | None = values.get("dhcp_first", scope.first)
    if "dhcp_count" not in values:
        return last
    if first is None:
        raise _Unread("dhcp_count", "How many addresses is known, but not the first: fill in dhcp_first")
    try:
        end = counted(first, values["dhcp_count"]).last
    except AddressError as error:
        raise _Unread("dhcp_count", str(error)) from None
    if last is not None and last != end:
        problem = f"{values['dhcp_count']} addresses from {first} end at {end}, but dhcp_last says {last}: correct one"
        raise _Unread("dhcp_count", problem)
    return end


class _Place(NamedTuple):
    """Where hosts go: the site's hosts, the segment, ids by name (and the label under ""), rows by folded name."""

    hosts: dict[str, Host]
    segment: str
    ids: dict[str, str]
    seen: dict[str, int]


_METHODS = {"": Method.STATIC, "static": Method.STATIC, "reserved": Method.RESERVED}


class _QuickHosts:
    """Rows of hosts that hold nothing unusual, taken without ceremony, since there are half a million of them.

    A row that it does not take is left to the usual way, which says what is wrong with it.
    """

    def __init__(self, reader: _Reader, table: Table, columns: list[tuple[int, str, Callable[[str], Any]]]) -> None:
        self._reader = reader
        self._width = len(table.header)
        self._at = {name: place for place, name, _ in columns}
        self._owner = itemgetter(*(self._at[name] for name in ("customer", "site", "segment")))
        self._places: dict[tuple[str, str, str], _Place | None] = {}
        self._names: dict[str, tuple[str, str] | None] = {}
        self._kinds: dict[str, str] = {}
        self._ids: dict[str, dict[str, str]] = {}  # by label and name, since sites are much alike

    def take(self, row: Row) -> bool:
        number, cells = row
        if len(cells) != self._width:
            return False
        at, owner = self._at, self._owner(cells)
        place = self._places.get(owner) or self._placed(owner)
        typed = cells[at["name"]]
        name = self._names.get(typed) or self._named(typed)
        if place is None or name is None or ("address6" in at and cells[at["address6"]]):
            return False
        hosts, segment, ids, seen = place
        text, folded = name
        if folded in seen or len(hosts) >= MAX_HOSTS:
            return False
        try:
            address = cells[at["address"]] if "address" in at else ""
            mac = cells[at["mac"]] if "mac" in at else ""
            kind = cells[at["kind"]] if "kind" in at else ""
            values = {
                "segment": segment,
                "name": text,
                "kind": (self._kinds.get(kind) or self._kind(kind)) if kind else None,
                "address": parse_address(address) if address else None,
                "mac": parse_mac(mac) if mac else None,
                "method": _METHODS[cells[at["method"]]] if "method" in at else Method.STATIC,
                "address6": None,
            }
        except (ValueError, KeyError):
            return False
        seen[folded] = number
        key = ids.get(text)
        if key is None or key in hosts:
            key = ids[text] = new_id(f"host {ids['']} {text}", hosts)
        hosts[key] = _host(values)
        return True

    def _named(self, typed: str) -> tuple[str, str] | None:
        name = self._names[typed] = _quick_name(typed)
        return name

    def _placed(self, owner: tuple[str, str, str]) -> _Place | None:
        if owner not in self._places:
            self._places[owner] = self._place(owner)
        return self._places[owner]

    def _place(self, owner: tuple[str, str, str]) -> _Place | None:
        """The site and segment that a row names, when it is there, and has no hosts of before."""
        reader = self._reader
        try:
            customer, site, label = read_code(owner[0]), read_code(owner[1]), _LABEL(owner[2])
        except ValueError:
            return None
        key = site_key(customer, site)
        draft = reader.drafts.get(key)
        segment = draft.segment_ids.get(label.casefold()) if draft is not None else None
        unnamed = reader.named is not None and key not in reader.named
        if draft is None or segment is None or unnamed or draft.plan.hosts or not label:
            return None
        owners = ("hosts", customer.casefold(), site.casefold(), label.casefold())
        ids = self._ids.setdefault(label, {"": label})
        return _Place(draft.hosts, segment, ids, reader.seen.setdefault(owners, {}))

    def _kind(self, cell: str) -> str:
        kind = self._kinds.get(cell)
        if kind is None:
            if cell.isspace():
                raise ValueError("blank")
            kind = self._kinds[cell] = _KIND(cell)
        return kind


_LABEL, _KIND = text_of(80), text_of(200)
_PLAIN_NAME = re.compile(r"[!-~]+(?: [!-~]+)*").fullmatch


def _quick_name(cell: str) -> tuple[str, str] | None:
    """A plain name with how it is compared; nothing for one that has to be looked at."""
    return (cell, cell.casefold()) if len(cell) <= 80 and _PLAIN_NAME(cell) else None


_FIELDS_SET = set(Host.model_fields)


def _host(values: dict[str, Any]) -> Host:
    """A host of values that are known to be right, in the order of its fields. What pydantic's `model_construct`
    does, without its search for defaults and aliases, and with one set of names for all of them."""
    host = Host.__new__(Host)
    for slot, value in (
        ("__dict__", values),
        ("__pydantic_fields_set__", _FIELDS_SET),
        ("__pydantic_extra__", None),
        ("__pydantic_private__", None),
    ):
        object.__setattr__(host, slot, value)
    return host


def read_intake(
    tables: Iterable[Table],
    existing: Mapping[str, SitePlan] | None = None,
    watched: RowsAmong | None = None,
    *,
    known_only: bool = False,
) -> Intake:
    """Read tables into site plans, on top of the plans that already exist (by `CUSTOMER/SITE` key).

    Of the rows in `watched` (as `row_key` names them) it is told whether they were taken. With `known_only` no site is
    made that a sites table does not name. Raises `TableError` when a table cannot be read at all.
    """
    reader = _Reader(existing or {}, watched, known_only)
    for table in sorted(tables, key=lambda table: NAMES.index(table.name)):
        reader.read(table)
    reader.intake.plans = {key: draft.finish() for key, draft in reader.drafts.items()}
    return reader.intake


# --- And back --------------------------------------------------------------------------------------------


def table_rows(plans: Iterable[SitePlan]) -> dict[str, list[list[str]]]:
    """Plans as the rows of the four tables, in the columns of `COLUMNS`."""
    rows: dict[str, list[list[str]]] = {name: [] for name in NAMES}
    for plan in plans:
        site = {
            "name": plan.name,
            "street": plan.street,
            "time_zone": plan.time_zone,
            "ship_date": plan.ship_date,
            "contact": plan.contact,
            "technician": plan.technician,
            "delegated_prefix": plan.delegated_prefix,
            "reach_group": None if plan.reach_groups is None else ";".join(plan.reach_groups) or "-",
        }
        rows["sites"].append(_cells("sites", plan, site))
        for circuit in plan.circuits.values():
            cells = circuit.model_dump(exclude={"uses", "resolvers", "routed_blocks"}) | {
                "circuit": circuit.label,
                "dns": " ".join(map(str, circuit.resolvers)),
                "routed_block": "; ".join(map(str, circuit.routed_blocks)),
            }
            rows["circuits"].append(_cells("circuits", plan, cells))
        for segment in plan.segments.values():
            scope = segment.scope
            cells = segment.model_dump(exclude={"scope", "resolvers", "kept"}) | {
                "segment": segment.label,
                "vrf": "" if segment.vrf == "main" else segment.vrf,
                "dhcp_first": scope.first,
                "dhcp_last": scope.last,
                "dhcp_excluded": "; ".join(span.typed for span in scope.excluded),
                "dhcp_server": "" if scope.server == "edge" else scope.server,
                "lease": lease_text(scope.lease) if scope.lease else None,
                "dns": " ".join(map(str, segment.resolvers)),
                "kept": "; ".join(f"{keep.kind} {keep.run.typed}" for keep in segment.kept),
                "options": "; ".join(f"{number} {text}" for number, text in scope.options.items()),
            }
            rows["segments"].append(_cells("segments", plan, cells))
        for host in plan.hosts.values():
            cells = host.model_dump() | {"segment": plan.segments[host.segment].label}
            rows["hosts"].append(_cells("hosts", plan, cells))
    return rows


def _cells(table: str, plan: SitePlan, values: Mapping[str, object]) -> list[str]:
    known = {"customer": plan.customer, "site": plan.site, **values}
    known |= {"customer": plan.customer, "site": plan.site}
    return ["" if known.get(column) is None else str(known[column]) for column in COLUMNS[table]]
