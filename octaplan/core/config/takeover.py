"""A plan from what boxes print, of a site that nobody planned: each part is confirmed with the lines it came from."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from itertools import islice
from typing import Any, NamedTuple

from octaplan.core.config.text import TextLine, lines_of
from octaplan.core.config.tokens import Token, tokens_of
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Handoff, Method, SegmentRole, SitePlan, new_id
from octaplan.core.values.addresses import Address, Mac, Network, is_link_local, is_public

#: Words in a name, and the role that a segment so called has.
_ROLES = (
    (("voice", "phone", "voip", "tel"), SegmentRole.VOICE),
    (("guest", "visitor"), SegmentRole.GUEST),
    (("cam", "cctv", "video"), SegmentRole.CAMERAS),
    (("mgmt", "manage", "admin"), SegmentRole.MANAGEMENT),
    (("server", "srv", "dmz"), SegmentRole.SERVERS),
)
#: Words that are no name: what texts say of any interface.
_NO_NAMES = frozenset(
    {"inet", "addr", "address", "addresses", "interface", "scope", "global", "link", "via", "dev", "proto", "set",
     "tag", "dhcp", "range", "subnet", "netmask", "mask", "vlan", "port", "ip", "option", "id", "the", "and", "knows",
     "this",
     "box", "as", "under", "segment", "own", "net", "is", "has"}
)  # fmt: skip

_NEAR = 6

#: No box has more addresses of its own, and nobody confirms more parts.
MOST_INTERFACES, MOST_PARTS = 256, 2_000


class PartFound(NamedTuple):
    """One part of a plan as a text has it: what it is, the change that takes it over, and the lines it came from.
    `needs` is the segment that must be taken over first, by its place in the plan, if it is proposed as well."""

    what: str
    sentence: str
    operations: list[Operation]
    lines: list[int]
    needs: str = ""


class TakenFrom(NamedTuple):
    """What a text comes to: the parts, how many lines say anything at all, and the numbers of those that no part comes
    from and that say nothing which the plan holds already."""

    parts: list[PartFound]
    lines: int
    unread: list[int]


class _Found(NamedTuple):
    """A subnet that a box has an address in."""

    net: Network
    address: Address
    token: Token


def take_over(plan: SitePlan, text: str) -> TakenFrom:
    """What a text of a box has that a plan does not hold yet: circuits, segments, ranges, fixed hosts, routes, in the
    order in which they need each other. Raises `Unreadable` when the text is none."""
    lines = lines_of(text)
    taking = _Taking(plan, lines)
    parts = [*islice(taking.proposals(), MOST_PARTS)]
    values = [operation.get("value") for part in parts for operation in part.operations]
    held = _held(plan) | {(True, value.get("vlan")) for value in values if isinstance(value, dict)}
    read = {number for part in parts for number in part.lines}
    read |= {token.at.line for token in taking.tokens if (token.kind == "vlan", token.value) in held}
    says = [line.number for line in lines if any(character.isalnum() for character in line.text)]
    return TakenFrom(parts, len(says), [number for number in says if number not in read])


def _held(plan: SitePlan) -> set[tuple[bool, object]]:
    """The values that a plan holds already, each with whether it is a VLAN."""
    found: set[object] = set()
    for circuit in plan.circuits.values():
        found |= {circuit.address, circuit.gateway, circuit.address6, circuit.gateway6, *circuit.resolvers}
    for segment in plan.segments.values():
        found |= {segment.subnet, segment.gateway, segment.subnet6, segment.scope.first, segment.scope.last}
    for host in plan.hosts.values():
        found |= {host.address, host.address6, host.mac}
    for device in plan.devices.values():
        found |= {hop for route in device.routes.values() for hop in (route.to, route.via)}
        found |= {*device.addresses.values(), *device.addresses6.values(), *device.macs}
    vlans = {one.vlan for one in plan.segments.values()} | {one.vlan for one in plan.circuits.values()}
    return {(False, value) for value in found if value is not None} | {(True, vlan) for vlan in vlans}


class _Taking:
    def __init__(self, plan: SitePlan, lines: list[TextLine]) -> None:
        self.plan = plan
        self.lines = {line.number: line.text for line in lines}
        self.tokens = tokens_of(lines)
        #: VLANs, and addresses with a prefix length, with the lines they stand at, in order.
        self.vlans = [(t.at.line, int(str(t.value))) for t in self.tokens if t.kind == "vlan"]
        self.own_lines = [t.at.line for t in self.tokens if t.kind == "address" and t.prefix is not None]
        self.taken: set[str] = {*plan.segments, *plan.circuits, *plan.hosts}
        #: Segments by subnet, those of the plan and those proposed.
        self.segments = {one.subnet: key for key, one in plan.segments.items() if one.subnet is not None}

    def proposals(self) -> Iterator[PartFound]:
        found = [*islice(self._interfaces(), MOST_INTERFACES)]
        yield from self._circuits([one for one in found if is_public(one.address)])
        yield from self._segments([one for one in found if not is_public(one.address)])
        yield from self._ranges()
        yield from self._hosts()
        yield from self._routes()

    def _id(self, name: object) -> str:
        key = new_id(str(name), self.taken)
        self.taken.add(key)
        return key

    def _interfaces(self) -> Iterator[_Found]:
        """The addresses that the box has, each with the subnet that it is in, the first of each subnet."""
        seen: set[Network] = set()
        for token in self.tokens:
            value, prefix = token.value, token.prefix
            if token.kind != "address" or not isinstance(value, Address) or prefix is None or value.family != 4:
                continue
            net = Network.holding(value, prefix)
            if token.role in ("rule", "gateway", "dns", "reserved", "range") or not 8 <= prefix <= 30 or net in seen:
                continue
            if value.value >> 24 in (0, 127) or is_link_local(value):
                continue
            seen.add(net)
            yield _Found(net, value, token)

    def _circuits(self, found: list[_Found]) -> Iterator[PartFound]:
        """Circuits with fixed addresses: those that the plan has without one, in their order, then new ones."""
        known = {one.subnet for one in self.plan.circuits.values()}
        blank = [
            key
            for key, one in self.plan.circuits.items()
            if one.address is None and one.handoff in (None, Handoff.STATIC)
        ]
        lengths = {one.net.prefix for one in found}
        ways: dict[Network, Token] = {}
        for token in self.tokens:
            if token.role == "gateway" and isinstance(token.value, Address) and token.value.family == 4:
                for length in lengths:
                    ways.setdefault(Network.holding(token.value, length), token)
        for one in found:
            if one.net in known:
                continue
            way = ways.get(one.net)
            values: dict[str, Any] = {
                "handoff": str(Handoff.STATIC),
                "address": str(one.address),
                "prefix": one.net.prefix,
                **({"gateway": str(way.value)} if way is not None else {}),
            }
            told = f"its gateway {way.value}" if way is not None else "no gateway is told"
            if blank:
                key = blank.pop(0)
                called = f"{self.plan.circuits[key].label} has"
                change = [set_to(f"/circuits/{key}/{name}", value) for name, value in values.items()]
            else:
                called = "A circuit with"
                label = "Main" if not self.plan.circuits else f"Line {one.net.first}"
                change = [set_to(f"/circuits/{self._id(one.net)}", {"label": label} | values)]
            sentence = f"{called} {one.address}/{one.net.prefix}, {told}"
            lines = [one.token.at.line, *([way.at.line] if way is not None else [])]
            yield PartFound("circuit", sentence, change, lines)

    def _segments(self, found: list[_Found]) -> Iterator[PartFound]:
        labels = {one.label.casefold() for one in self.plan.segments.values()}
        for one in found:
            if one.net in self.segments:
                continue
            vlan = self._vlan(one.token)
            name = self._name(one.token, vlan)
            label = name if name.casefold() not in labels else f"{name} {one.net.first}"
            labels.add(label.casefold())
            segment: dict[str, Any] = {
                "label": label,
                "role": str(self._role(label)),
                "subnet": str(one.net),
                "gateway": str(one.address),
                **({"vlan": vlan} if vlan else {}),
            }
            key = self._id(one.net)
            self.segments[one.net] = key
            tagged = f", VLAN {vlan}" if vlan else ""
            yield PartFound(
                "segment",
                f"A segment {label} {one.net}, gateway {one.address}{tagged}",
                [set_to(f"/segments/{key}", segment)],
                [one.token.at.line],
            )

    def _vlan(self, token: Token) -> int | None:
        """The VLAN that stands with an address, on its line or just above it."""
        line = token.at.line
        first = bisect_left(self.vlans, (line - _NEAR, 0))
        for at, vlan in reversed(self.vlans[first : bisect_left(self.vlans, (line + 1, 0))]):
            if bisect_left(self.own_lines, line) <= bisect_right(self.own_lines, at):  # no other address between
                return vlan
        return None

    def _name(self, token: Token, vlan: int | None) -> str:
        """What a segment may be called: a text in quotes on its line, else a word that tells its use, else its VLAN."""
        above = [self.lines.get(token.at.line - back, "") for back in range(3)]
        for text in above:
            quoted = re.search(r"[\"“]([^\"”]{2,40})[\"”]", text)
            if quoted is not None and not re.fullmatch(r"[\d./:]+", quoted[1]):
                return str(quoted[1]).strip()
        for text in above:
            for word in map(str, re.findall(r"[A-Za-z][A-Za-z]+", text)):
                if word.casefold() not in _NO_NAMES and self._role(word) is not SegmentRole.OFFICE:
                    return word.capitalize()
        return f"VLAN {vlan}" if vlan else f"Segment {token.text.partition('/')[0]}"

    def _role(self, name: str) -> SegmentRole:
        small = name.casefold()
        for words, role in _ROLES:
            if any(word in small for word in words):
                return role
        return SegmentRole.OFFICE

    def _ranges(self) -> Iterator[PartFound]:
        first: Token | None = None
        for token in self.tokens:
            if token.role != "range" or not isinstance(token.value, Address) or token.kind != "address":
                continue
            net = self._holding(token.value)
            begins = first.value if first is not None else None
            if first is not None and isinstance(begins, Address) and net is not None and net.holds(begins):
                if begins < token.value:
                    yield from self._range(net, begins, token.value, first, token)
                first = None
            else:
                first = token if net is not None else None

    def _range(self, net: Network, first: Address, last: Address, one: Token, other: Token) -> Iterator[PartFound]:
        key = self.segments[net]
        known = self.plan.segments.get(key)
        if known is not None and known.scope.span is not None:
            return
        scope = {"server": "edge", "first": str(first), "last": str(last)}
        yield PartFound(
            "range",
            f"A range {first} to {last} in {net}",
            [set_to(f"/segments/{key}/scope/{name}", value) for name, value in scope.items()]
            if known is not None
            else [set_to(f"/segments/{key}/scope", scope)],
            [one.at.line, *([other.at.line] if other.at.line != one.at.line else [])],
            "" if known is not None else f"/segments/{key}",
        )

    def _holding(self, address: Address) -> Network | None:
        """The smallest segment that an address lies in."""
        lengths = sorted({net.prefix for net in self.segments if net.family == address.family}, reverse=True)
        return next((net for one in lengths if (net := Network.holding(address, one)) in self.segments), None)

    def _hosts(self) -> Iterator[PartFound]:
        """A MAC and an address on one line: somebody whom an address is kept for."""
        known = {host.address for host in self.plan.hosts.values()}
        macs = {token.at.line: token for token in self.tokens if isinstance(token.value, Mac)}
        for token in self.tokens:
            mac = macs.get(token.at.line)
            if mac is None or not isinstance(token.value, Address) or token.value in known:
                continue
            net = self._holding(token.value)
            if net is None or token.role in ("gateway", "dns", "broadcast"):
                continue
            known.add(token.value)
            name = self._host_name(token, mac)
            host = {
                "segment": self.segments[net],
                "name": name,
                "address": str(token.value),
                "mac": str(mac.value),
                "method": str(Method.RESERVED),
            }
            sentence = f"A fixed host {name} at {token.value}, {mac.value}"
            key = self.segments[net]
            needs = "" if key in self.plan.segments else f"/segments/{key}"
            change = [set_to(f"/hosts/{self._id(token.value)}", host)]
            yield PartFound("host", sentence, change, [token.at.line], needs)

    def _host_name(self, token: Token, mac: Token) -> str:
        text = self.lines[token.at.line]
        quoted = re.findall(r"[\"“]([^\"”]{2,40})[\"”]", text)
        if quoted:
            return str(quoted[-1]).strip()
        for one in sorted((token, mac), key=lambda t: -t.at.first):
            text = text[: one.at.first] + " " + text[one.at.last :]
        words = [
            word
            for word in re.findall(r"[A-Za-z][\w-]{1,40}", text)
            if word.casefold() not in _NO_NAMES | {"host", "hardware", "ethernet", "fixed-address", "dhcp-host", "keep",
                                                   "leases", "for", "called", "reserved", "reservation", "in"}
        ]  # fmt: skip
        return words[-1] if words else f"host-{str(token.value).rpartition('.')[2]}"

    def _routes(self) -> Iterator[PartFound]:
        """Routes to other networks, where the plan has an edge to keep them."""
        edge = next((key for key, one in self.plan.devices.items() if one.role is DeviceRole.EDGE), None)
        if edge is None:
            return
        known = {route.to for route in self.plan.devices[edge].routes.values()}
        keys = {*self.plan.devices[edge].routes}
        for token, way in zip(self.tokens, self.tokens[1:], strict=False):
            to = token.value
            if not isinstance(to, Network) or way.role != "gateway" or way.at.line - token.at.line > 1:
                continue
            if to in known or to in self.segments or to.prefix == 0:
                continue
            known.add(to)
            key = new_id(str(to), keys)
            keys.add(key)
            change = set_to(f"/devices/{edge}/routes/{key}", {"to": str(to), "via": str(way.value)})
            yield PartFound("route", f"A route to {to} by {way.value}", [change], sorted({token.at.line, way.at.line}))
