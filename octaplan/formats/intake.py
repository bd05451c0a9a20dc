"""From the rows of intake tables to site plans.

A cell that cannot be read refuses its row only; an empty cell is "not known yet" and changes nothing that a
plan already says. Items are known by their codes and names, whatever their case, so that loading the same
tables twice changes nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from octaplan.core.plan.site import (
    MAX_CIRCUITS,
    MAX_HOSTS,
    MAX_SEGMENTS,
    Circuit,
    Handoff,
    Host,
    KeptRun,
    Scope,
    Segment,
    SitePlan,
    new_id,
    site_key,
)
from octaplan.core.propose.room import numbered_subnet
from octaplan.core.values.addresses import (
    BITS,
    Address,
    AddressError,
    MaskError,
    Network,
    Span,
    counted,
    parse_network,
)
from octaplan.core.values.errors import OctaplanError, TypedError
from octaplan.core.values.readers import Reader, read_address_and_mask, read_mask_for, read_segment_number
from octaplan.formats.columns import COLUMNS
from octaplan.formats.compact import RowsAmong
from octaplan.formats.guarded import in_what_apart, without_secrets
from octaplan.formats.quickhosts import HostPlace, QuickHosts
from octaplan.formats.tables import MAX_CELL, NAMES, NAMING_COLUMNS, WHOLE, Row, Table, column_key
from octaplan.formats.taken import CellFault, Correction, IgnoredColumn, Intake, RefusedRow, row_key


class _Unread(TypedError):
    """A row that is refused for one cell, told by column."""

    def __init__(self, column: str, problem: str) -> None:
        super().__init__(problem)
        self.column = column


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


#: What a new member is before its row is read: with every default, and of the one row's name.
_SEGMENT, _CIRCUIT = Segment(label="new"), Circuit(label="new")


class _Reader:
    def __init__(
        self,
        existing: Mapping[str, SitePlan],
        watched: RowsAmong | None = None,
        known_only: bool = False,
        closed: Mapping[str, str] | None = None,
    ) -> None:
        self.existing = existing
        self.closed = closed or {}
        self.watched = watched or RowsAmong()
        self.intake = Intake()
        self.drafts: dict[str, _Draft] = {}
        self.first_rows: dict[tuple[str, ...], list[str]] = {}
        self.named: set[str] | None = set(existing) if known_only else None
        self.seen: dict[tuple[str, ...], dict[str, int]] = {}
        self.lost_segments: dict[tuple[str, str], int] = {}
        self.customers = {plan.customer.casefold(): plan.customer for plan in existing.values()}

    def read(self, table: Table) -> None:
        parsers = {column_key(name): (name, column.read) for name, column in COLUMNS[table.name].items()}
        columns: list[tuple[int, str, Reader]] = []
        for place, name in enumerate(table.header):
            if column_key(name) in parsers:
                columns.append((place, *parsers[column_key(name)]))
            elif name:
                self.intake.ignored_columns.append(IgnoredColumn(table.file, name))
        nameless = {place for place, name in enumerate(table.header) if not name}
        take = getattr(self, f"_take_{table.name}")
        if table.name == "sites" and self.named is None:
            self.named = set(self.existing)
        awaited = "hosts" in self.watched.tables
        quick = None
        if table.name == "hosts" and not nameless and not awaited:
            quick = QuickHosts(self._place, table, {name: place for place, name, _ in columns}).take
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
        faults: list[CellFault] = []
        width = len(row.cells)
        for place, name, parse in columns:
            cell = row.cells[place] if place < width else ""
            doubt = table.doubts.get((row.number, place))
            if doubt is not None:
                typed[name] = cell
                faults.append(CellFault(name, cell[:MAX_CELL], doubt))
                continue
            if not cell or cell.isspace():
                continue
            typed[name] = cell
            try:
                if len(cell) > MAX_CELL:
                    raise TypedError(f"The cell holds {len(cell)} characters: at most {MAX_CELL} are read")
                values[name] = parse(cell)
            except OctaplanError as error:
                faults.append(CellFault(name, cell[:MAX_CELL], str(error)))
        whole = table.doubts.get((row.number, WHOLE))
        if whole is not None:
            faults.insert(0, CellFault(NAMING_COLUMNS[table.name][0], "", whole))
        beyond = [cell for cell in row.cells[len(table.header) :] if cell.strip()]
        if beyond:
            problem = (
                f"The row has more cells than the header has columns ({len(table.header)}): check for stray commas"
            )
            faults.append(CellFault("", beyond[0][:MAX_CELL], problem))
        for name in NAMING_COLUMNS[table.name]:
            if name not in typed:
                faults.append(CellFault(name, "", f"The {name} is empty: it is needed to know what the row is about"))
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
                faults.append(CellFault(unread.column, typed.get(unread.column, ""), str(unread)))
        if table.name == "segments" and {"customer", "site", "segment"} <= values.keys():
            key = (site_key(values["customer"], values["site"]), values["segment"].casefold())
            if key not in self.lost_segments and not self._has_segment(*key):
                self.lost_segments[key] = row.number
        cells, faults = without_secrets(table, row.cells, values, faults)
        self.intake.refused.append(RefusedRow(table.name, table.file, row.number, table.header, cells, faults))

    def _has_segment(self, site: str, segment: str) -> bool:
        return site in self.drafts and segment in self.drafts[site].segment_ids

    def _register(
        self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str], faults: list[CellFault]
    ) -> None:
        """Know the site that the row names, and that the row is the first to name its item."""
        if not {"customer", "site"} <= values.keys():
            return
        key = site_key(values["customer"], values["site"])
        if key in self.closed:
            faults.append(CellFault("site", typed["site"], self.closed[key]))
            return
        if table.name == "sites" and self.named is not None:
            self.named.add(key)
            self._draft(values)
        elif self.named is not None and key not in self.named:
            code = f"{values['customer']}/{values['site']}"
            problem = (
                f"Site {code} is not in the sites table, and not there already: correct the code, or add the site there"
            )
            faults.append(CellFault("site", typed["site"], problem))
            return
        names = [values.get(column) for column in NAMING_COLUMNS[table.name]]
        if all(isinstance(name, str) for name in names):
            *owners, item = (str(name).casefold() for name in names)
            first = self.seen.setdefault((table.name, *owners), {}).setdefault(item, row.number)
            if table.name in ("sites", "circuits"):
                cells = self.first_rows.setdefault((table.name, *owners, item), row.cells)
            if first != row.number:
                column = NAMING_COLUMNS[table.name][-1]
                apart = in_what_apart(table.header, cells, row.cells) if table.name in ("sites", "circuits") else ""
                problem = f"Row {first} already names it{apart}: keep one of the two rows"
                faults.append(CellFault(column, typed[column], problem))

    def _draft(self, values: dict[str, Any]) -> _Draft:
        key = site_key(values["customer"], values["site"])
        draft = self.drafts.get(key)
        if draft is None:
            customer = self.customers.setdefault(values["customer"].casefold(), values["customer"])
            plan = self.existing.get(key) or SitePlan(customer=customer, site=values["site"])
            draft = self.drafts[key] = _Draft(plan)
        return draft

    def _place(self, customer: str, site: str, label: str) -> HostPlace | None:
        """Where hosts of a segment go, when the segment is there and its site has no hosts of before."""
        key = site_key(customer, site)
        draft = self.drafts.get(key)
        segment = draft.segment_ids.get(label.casefold()) if draft is not None else None
        unnamed = self.named is not None and key not in self.named
        if draft is None or segment is None or unnamed or draft.plan.hosts:
            return None
        seen = self.seen.setdefault(("hosts", customer.casefold(), site.casefold(), label.casefold()), {})
        return HostPlace(draft.hosts, segment, {}, seen)

    def _correct(self, table: Table, row: Row, column: str, value: str, became: str) -> None:
        self.intake.corrected.append(Correction(table.file, row.number, column, value, became))

    def _take_sites(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        draft = self._draft(values)
        draft.fields |= _plain("sites", values)
        if "reach_group" in values:
            draft.fields["reach_groups"] = values["reach_group"]

    def _take_circuits(self, table: Table, row: Row, values: dict[str, Any], typed: dict[str, str]) -> None:
        draft = self._draft(values)
        label = values["circuit"]
        key = draft.circuit_ids.get(label.casefold())
        before = draft.circuits[key] if key else _CIRCUIT
        update = _plain("circuits", values)
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
        plain = _plain("segments", values)
        update = {name: value for name, value in plain.items() if "/" not in name}
        if "subnet6" in values:
            update["subnet6"] = self._read_subnet6(table, row, draft, values["subnet6"])
        if "kept" in values:
            update["kept"] = [KeptRun.model_validate(keep) for keep in values["kept"]]
        scope = {name.partition("/")[2]: value for name, value in plain.items() if "/" in name}
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
        update = _plain("hosts", values)
        if key is None:
            _room("name", draft.hosts, MAX_HOSTS)
            key = new_id(f"host {values['segment']} {name}", draft.hosts)
            draft.host_ids[(segment, name.casefold())] = key
            draft.hosts[key] = Host(segment=segment, name=name, **update)
        else:
            draft.hosts[key] = draft.hosts[key].model_copy(update=update)


def _plain(table: str, values: Mapping[str, Any]) -> dict[str, Any]:
    """What goes into a member as it was read, by the name of its field."""
    columns = COLUMNS[table]
    return {
        field.name: value
        for name, value in values.items()
        if columns[name].plain and (field := columns[name].field) is not None
    }


def _read_second_handoff(values: dict[str, Any]) -> dict[str, Any]:
    """The IPv6 address of a circuit, which may carry the mask."""
    if "address6" not in values:
        return {}
    address, prefix = values["address6"]
    if address.family != 6:
        raise _Unread("address6", f"{address} is IPv4: write it under address, or an IPv6 address here")
    if prefix is None:
        return {"address6": address}
    if values.get("prefix6", prefix) != prefix:
        raise _Unread("prefix6", f"/{values['prefix6']} contradicts the mask in {address}/{prefix}: correct one")
    return {"address6": address, "prefix6": prefix}


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


def read_intake(
    tables: Iterable[Table],
    existing: Mapping[str, SitePlan] | None = None,
    watched: RowsAmong | None = None,
    *,
    known_only: bool = False,
    closed: Mapping[str, str] | None = None,
) -> Intake:
    """Read tables into site plans, on top of the plans that already exist (by `CUSTOMER/SITE` key).

    Of the rows in `watched` (as `row_key` names them) it is told whether they were taken. With `known_only` no site is
    made that a sites table does not name. Rows of sites that are `closed` (by key, with the reason) are refused. Raises
    `TableError` when a table cannot be read at all.
    """
    reader = _Reader(existing or {}, watched, known_only, closed)
    for table in sorted(tables, key=lambda table: NAMES.index(table.name)):
        reader.read(table)
    reader.intake.plans = {key: draft.finish() for key, draft in reader.drafts.items()}
    return reader.intake
