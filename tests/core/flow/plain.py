"""A plain walker: one packet with one protocol and port, from box to box, straight from the plan.

It shares nothing with `octaplan.core.flow` but the plan itself, and looks everything up anew at each step; only texts that
were read as addresses, and the interfaces of a box, are remembered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from ipaddress import ip_address as read_address
from ipaddress import ip_network as read_network
from typing import Any

from octaplan.core.values.addresses import Address, is_public
from octaplan.core.values.services import parse_services

ip_address, ip_network = lru_cache(1 << 16)(read_address), lru_cache(1 << 16)(read_network)

PORTS = {"https": ("tcp", 443), "http": ("tcp", 80), "ssh": ("tcp", 22), "telnet": ("tcp", 23), "snmp": ("udp", 161)}


@dataclass(frozen=True)
class Packet:
    source: str
    target: str
    protocol: str
    port: int


def said(text: str, protocol: str, port: int) -> bool:
    """Whether a text of services names a protocol and port."""
    if text == "any":
        return True
    try:
        parts = str(parse_services(text)).split(", ")
    except ValueError:
        return False
    for part in parts:
        name, _, ports = part.partition("/")
        if (
            name == "any"
            or (name == "ping" and protocol == "icmp")
            or (name == "other protocols" and protocol == "other")
        ):
            return True
        if name == protocol:
            low, _, high = ports.partition("-")
            if not ports or int(low) <= port <= int(high or low):
                return True
    return False


def public(text: str) -> bool:
    if text.startswith("given "):
        return True
    address = ip_address(text)
    return is_public(Address(address.version, int(address)))


def holds(net: str | None, text: str) -> bool:
    if net is None or text.startswith("given "):
        return False
    one, address = ip_network(net), ip_address(text)
    return one.version == address.version and address in one


class Plain:
    def __init__(self, plan: Any, elsewhere: dict[int, str], down: frozenset[str] = frozenset()) -> None:
        self.doc = plan.document()
        self.down = down
        self.elsewhere = elsewhere
        self.faces: dict[str, list[tuple[str, str, str, str, str | None]]] = {}
        self.plugged: dict[str, str] = {}  # where clients of a segment are, for the packet that is walked
        self.boxes = {k: d for k, d in self.doc["devices"].items() if d["role"] != "modem"}
        self.edge = next((k for k, d in self.boxes.items() if d["role"] == "edge"), None)

    # --- Layer 2

    def carries(self, box: str, segment: str) -> bool:
        return any(
            p["enabled"] and p["mode"] not in ("unused", "circuit") and segment in [p["segment"], *p["tagged"]]
            for p in self.boxes[box]["ports"].values()
        )

    def joined(self, one: tuple[str, str], other: tuple[str, str]) -> bool:
        """Whether frames of a segment at a box come to another box as another segment."""
        seen, todo = {one}, [one]
        while todo:
            box, segment = todo.pop()
            if (box, segment) == other:
                return True
            for near in self.neighbours(box, segment):
                if near not in seen:
                    seen.add(near)
                    todo.append(near)
        return False

    def neighbours(self, box: str, segment: str) -> list[tuple[str, str]]:
        found = []
        for name, here in self.boxes[box]["ports"].items():
            for far_box, far_name, there in self.far_ends(box, name, here):
                del far_name
                if here["segment"] == segment and there["segment"]:
                    found.append((far_box, there["segment"]))
                if segment in here["tagged"] and segment in there["tagged"]:
                    found.append((far_box, segment))
        return found

    def far_ends(self, box: str, name: str, here: dict[str, Any]) -> list[tuple[str, str, dict[str, Any]]]:
        def lives(port: dict[str, Any]) -> bool:
            return port["enabled"] and port["mode"] not in ("unused", "circuit")

        found = []
        for far_box, far in self.boxes.items():
            for far_name, there in far["ports"].items():
                mine = here["peer"] == far_box and here["peer_port"] == far_name
                theirs = there["peer"] == box and there["peer_port"] == name
                fits = (mine and (there["peer"] is None or theirs)) or (theirs and (here["peer"] is None or mine))
                if fits and lives(here) and lives(there):
                    found.append((far_box, far_name, there))
        return found

    def gateway_boxes(self, segment: str) -> list[str]:
        where = self.doc["segments"][segment]
        routing = [
            k
            for k, d in self.boxes.items()
            if d["role"] in ("edge", "inner-router") and segment in self.carried_somehow(k)
        ]
        told = [k for k in routing if segment in self.boxes[k]["addresses"]]
        holders = [k for k in told if self.boxes[k]["addresses"][segment] == where["gateway"]]
        if holders:
            return holders
        rest = [k for k in routing if k not in told]
        return [k for k in rest if self.boxes[k]["role"] == "edge"] or rest[:1]

    def carried_somehow(self, box: str) -> list[str]:
        return [s for p in self.boxes[box]["ports"].values() for s in [p["segment"], *p["tagged"]] if s]

    # --- Interfaces: (kind, key, table, address, subnet)

    def interfaces(self, box: str) -> list[tuple[str, str, str, str, str | None]]:
        if box not in self.faces:
            self.faces[box] = self._interfaces(box)
        return self.faces[box]

    def _interfaces(self, box: str) -> list[tuple[str, str, str, str, str | None]]:
        device, found = self.boxes[box], []
        if device["role"] in ("edge", "inner-router"):
            for key, segment in self.doc["segments"].items():
                if not any(p["enabled"] and key in [p["segment"], *p["tagged"]] for p in device["ports"].values()):
                    continue
                gateway = box in self.gateway_boxes(key)
                for net, gate, own in (("subnet", "gateway", "addresses"), ("subnet6", "gateway6", "addresses6")):
                    address = device[own].get(key) or (segment[gate] if gateway else None)
                    if address and holds(segment[net], address):
                        found.append(("segment", key, segment["vrf"], address, segment[net]))
            for port in device["ports"].values():
                circuit = self.doc["circuits"].get(port["circuit"] or "")
                if port["mode"] == "circuit" and circuit and port["enabled"]:
                    address, prefix = circuit["address"], circuit["prefix"]
                    key = port["circuit"]
                    net = str(ip_network(f"{address}/{prefix}", strict=False)) if address and prefix else None
                    found.append(("circuit", key, circuit["vrf"], address if net else f"given {key}", net))
            if box == self.edge:
                found.append(("others", "others", "main", "given others", None))
        else:
            for key, address in device["addresses"].items():
                segment = self.doc["segments"][key]
                found.append(("segment", key, segment["vrf"], address, segment["subnet"]))
        return found

    def own(self, box: str, table: str) -> set[str]:
        return {address for _, _, t, address, _ in self.interfaces(box) if t == table}

    def holder(self, segment: str, address: str) -> list[str]:
        return [
            b
            for b in self.boxes
            for k, s, _, a, _ in self.interfaces(b)
            if k == "segment" and s == segment and a == address
        ]

    # --- Routes: what a table says of an address: ("segment" | "circuit" | "others", key, next hop)

    def route(self, box: str, table: str, address: str) -> tuple[str, str, str | None] | None:
        if address.startswith("given "):
            return None
        best: list[tuple[int, int, tuple[str, str, str | None]]] = []
        version = ip_address(address).version
        for kind, key, t, _, net in self.interfaces(box):
            if t == table and holds(net, address) and not (kind == "circuit" and key in self.down):
                best.append((ip_network(net or "").prefixlen, 1, (kind, key, None)))
        if (
            box == self.edge
            and table == "main"
            and version in self.elsewhere
            and holds(self.elsewhere[version], address)
        ):
            best.append((ip_network(self.elsewhere[version]).prefixlen, 1, ("others", "others", None)))
        planned = [r["circuit"] for r in self.boxes[box]["routes"].values() if r["to"] == "0.0.0.0/0"]
        for kind, key, t, _, _ in self.interfaces(box):
            given = kind == "circuit" and self.doc["circuits"][key]["handoff"] in ("dhcp", "pppoe")
            if given and t == table and key not in planned and key not in self.down and version == 4:
                priority = self.doc["circuits"][key]["priority"]
                best.append((0, -(1 << 17) - (1000 if priority is None else priority), ("circuit", key, "given")))
        for route in self.boxes[box]["routes"].values():
            if not holds(route["to"], address):
                continue
            hop = self.hop(box, table, route)
            if hop is not None:
                best.append((ip_network(route["to"]).prefixlen, -route["metric"], hop))
        if not best:
            return None
        most = max(one[:2] for one in best)
        hops = {one[2] for one in best if one[:2] == most}
        hop = hops.pop()
        return None if hops or hop[0] == "open" else hop

    def hop(self, box: str, table: str, route: dict[str, Any]) -> tuple[str, str, str | None] | None:
        faces = self.interfaces(box)
        if route["via"]:
            if route["via"] in {f[3] for f in faces}:
                return None
            for kind, key, t, _, net in faces:
                if (route["table"] or t) == t and holds(net, route["via"]):
                    if t != table:
                        return None
                    return None if kind == "circuit" and key in self.down else (kind, key, route["via"])
            return None
        key = route["circuit"]
        face = next((f for f in faces if f[0] == "circuit" and f[1] == key), None)
        if face is None or face[2] != table or key in self.down:
            return None
        circuit = self.doc["circuits"][key]
        six = ip_network(route["to"]).version == 6
        if six:
            return None
        if circuit["handoff"] == "static":
            if not circuit["gateway"] or not circuit["address"]:
                return ("open", key, None)
            if not holds(face[4], circuit["gateway"]):
                return None
            return ("circuit", key, circuit["gateway"])
        return ("circuit", key, f"gateway of {key}")

    # --- The walk

    def segments_with(self, address: str, table: str) -> list[str]:
        found = [
            k for k, s in self.doc["segments"].items() if holds(s["subnet"], address) or holds(s["subnet6"], address)
        ]
        same = [k for k in found if self.doc["segments"][k]["vrf"] == table]
        return (same or found)[:1]

    def called(self, address: str, table: str, side: tuple[str, str] | None) -> set[str]:
        names = set(self.segments_with(address, table))
        if names:
            boxes = {d["host"] for d in self.doc["devices"].values()}
            return names | {k for k, h in self.doc["hosts"].items() if h["address"] == address and k not in boxes}
        other = any(holds(net, address) for net in self.elsewhere.values())
        return {"other-sites"} if other or side == ("others", "others") else {"internet"}

    def passes(self, origin: tuple[str, str], spot: str | None, packet: Packet, part: Any = None) -> bool:
        """`origin` is a kind and key; `spot` the box at which a client of a segment is plugged in."""
        self.first = packet
        if origin[0] == "segment":
            segment = self.doc["segments"][origin[1]]
            version = ip_address(packet.source).version
            gateway = next(
                (g for g in (segment["gateway"], segment["gateway6"]) if g and ip_address(g).version == version), None
            )
            if holds(segment["subnet"], packet.target) or holds(segment["subnet6"], packet.target):
                return False  # never asked here
            boxes = self.holder(origin[1], gateway) if gateway else []
            if len(boxes) != 1 or self.boxes[boxes[0]]["role"] not in ("edge", "inner-router"):
                return False
            if spot is not None and not self.joined((spot, origin[1]), (boxes[0], origin[1])):
                return False
            return self.at(boxes[0], origin, packet, [], origin, spot, packet)
        if origin[0] == "circuit":
            box = next((b for b in self.boxes for f in self.interfaces(b) if f[:2] == origin), None)
            circuit = self.doc["circuits"][origin[1]]
            if box is None or origin[1] in self.down:
                return False
            if circuit["handoff"] == "static" and not (circuit["gateway"] and circuit["address"]):
                return False
            if not packet.target.startswith("given ") and not self.brings(origin[1], circuit, packet.target):
                return False
            return self.at(box, origin, packet, [], origin, None, packet)
        return self.edge is not None and self.at(self.edge, ("others", "others"), packet, [], origin, None, packet)

    def table(self, box: str, side: tuple[str, str]) -> str:
        return next((f[2] for f in self.interfaces(box) if f[:2] == side), "main")

    def filters(self, box: str) -> bool:
        device = self.boxes[box]
        return device["role"] in ("edge", "inner-router") and (
            device["role"] == "edge" if device["filters"] is None else device["filters"]
        )

    def at(
        self, box: str, side: tuple[str, str], packet: Packet, trail: list[Any], origin: Any, spot: Any, first: Packet
    ) -> bool:
        if (box, side) in trail or len(trail) >= 32:
            return False
        trail = [*trail, (box, side)]
        table = self.table(box, side)
        if self.filters(box):
            if side[0] == "circuit" and not public(packet.source):
                return False
            back = self.route(box, table, packet.source)
            if back is None or back[:2] != side:
                return False
        target = packet.target
        if side[0] == "circuit":
            shown = self.shown(box, side[1], packet)
            if shown is not None:
                packet = shown
            elif target not in self.own(box, table) and not self.segments_with(target, table):
                return False
        if packet.target in self.own(box, table):
            return self.answers(box, side, packet) and self.back(
                box, side, packet, trail, origin, spot, first, here=True
            )
        way = self.route(box, table, packet.target)
        if way is None:
            return False
        if self.filters(box) and not self.allowed(box, table, side, packet):
            return False
        return self.out(box, way, packet, trail, origin, spot, first)

    def shown(self, box: str, circuit: str, packet: Packet) -> Packet | None:
        for one in self.boxes[box]["publications"].values():
            host = self.doc["hosts"].get(one["host"])
            outside = one["address"] or self.doc["circuits"][one["circuit"]]["address"] or f"given {one['circuit']}"
            named = said(one["service"], packet.protocol, packet.port)
            near = not one["sources"] or any(holds(net, packet.source) for net in one["sources"])
            if one["circuit"] == circuit and outside == packet.target and named and near and host and host["address"]:
                port = packet.port
                if one["port"] is not None and one["service"].count("/") == 1 and "," not in one["service"]:
                    port = one["port"] + packet.port - int(one["service"].partition("/")[2].split("-")[0])
                return replace(packet, target=host["address"], port=port)
        return None

    def allowed(self, box: str, table: str, side: tuple[str, str], packet: Packet) -> bool:
        sources = {*self.called(packet.source, table, side), "all"}
        targets = {*self.called(packet.target, table, None), "all"}
        return any(
            a["source"] in sources and a["target"] in targets and said(a["service"], packet.protocol, packet.port)
            for a in self.boxes[box]["allows"].values()
        )

    def out(self, box: str, way: Any, packet: Packet, trail: list[Any], origin: Any, spot: Any, first: Packet) -> bool:
        kind, key, via = way
        if kind == "others":
            return self.back(self.edge or "", ("others", "others"), packet, trail, origin, spot, first)
        if kind == "circuit":
            return self.outside(box, key, packet, trail, origin, spot, first)
        if via is None:
            found = self.holder(key, packet.target)
            if found:
                taken = any(h["address"] == packet.target for h in self.doc["hosts"].values())
                if len(found) > 1 or taken or not self.joined((box, key), (found[0], key)):
                    return False
                trail = trail if trail[-1][0] == found[0] else [*trail, (found[0], ("segment", key))]
                side = ("segment", key)
                if self.filters(found[0]):
                    coming = self.route(found[0], self.table(found[0], side), packet.source)
                    if coming is None or coming[:2] != side:
                        return False
                return self.answers(found[0], side, packet) and self.back(
                    found[0], side, packet, trail, origin, spot, first, here=True
                )
            there = self.spot_of(packet.target, key)
            if there == "nowhere" or (there is not None and not self.joined((box, key), (there, key))):
                return False
            return self.from_segment_back(key, there, packet, trail, origin, spot, first)
        found = self.holder(key, via)
        if len(found) != 1 or self.boxes[found[0]]["role"] not in ("edge", "inner-router"):
            return False
        if not self.joined((box, key), (found[0], key)):
            return False
        return self.at(found[0], ("segment", key), packet, trail, origin, spot, first)

    def spot_of(self, address: str, segment: str) -> str | None:
        """The box at which a fixed host is plugged in; the first one of the segment for anybody else."""
        for key, host in self.doc["hosts"].items():
            if host["address"] == address and host["segment"] == segment:
                for box, device in self.boxes.items():
                    for port in device["ports"].values():
                        if port["host"] == key and port["enabled"] and port["mode"] not in ("unused", "circuit"):
                            return box if port["segment"] == segment else "nowhere"
        return self.plugged.get(segment)

    def from_segment_back(
        self, key: str, there: Any, packet: Packet, trail: Any, origin: Any, spot: Any, first: Packet
    ) -> bool:
        segment = self.doc["segments"][key]
        if origin == ("segment", key):
            return True
        version = ip_address(packet.target).version
        gateway = next(
            (g for g in (segment["gateway"], segment["gateway6"]) if g and ip_address(g).version == version), None
        )
        found = self.holder(key, gateway) if gateway else []
        if len(found) != 1 or self.boxes[found[0]]["role"] not in ("edge", "inner-router"):
            return False
        if there is not None and not self.joined((there, key), (found[0], key)):
            return False
        return self.back(found[0], ("segment", key), packet, trail, origin, spot, first)

    def outside(self, box: str, key: str, packet: Packet, trail: Any, origin: Any, spot: Any, first: Packet) -> bool:
        circuit = self.doc["circuits"][key]
        if not public(packet.target) or origin[0] == "circuit" or self.segments_with(packet.target, ""):
            return False
        home = key
        where = self.segments_with(packet.source, "")
        found = [t for t in self.boxes[box]["translations"].values() if t["circuit"] == key and t["segment"] in where]
        if found and ip_address(packet.source).version == 4:
            address = found[0]["address"] or circuit["address"]
            net = f"{circuit['address']}/{circuit['prefix']}" if circuit["address"] and circuit["prefix"] else None
            nets = [*([str(ip_network(net, strict=False))] if net else []), *circuit["routed_blocks"]]
            if address and address != circuit["address"] and not any(holds(n, address) for n in nets):
                return False
        elif not public(packet.source):
            return False
        else:
            homes = [k for k, c in self.doc["circuits"].items() if self.brings(k, c, packet.source)]
            if not homes:
                return False
            home = homes[0]
        end = next(b for b in self.boxes for f in self.interfaces(b) if f[:2] == ("circuit", home))
        return self.back(end, ("circuit", home), packet, trail, origin, spot, first)

    def brings(self, key: str, circuit: dict[str, Any], address: str) -> bool:
        plugged = any(f[:2] == ("circuit", key) for b in self.boxes for f in self.interfaces(b))
        if key in self.down or not plugged:
            return False
        own = circuit["address"] and circuit["prefix"]
        net = str(ip_network(f"{circuit['address']}/{circuit['prefix']}", strict=False)) if own else None
        return any(holds(one, address) for one in [net, *circuit["routed_blocks"]])

    def answers(self, box: str, side: tuple[str, str], packet: Packet) -> bool:
        if packet.protocol == "icmp":
            return True
        device = self.boxes[box]
        where = self.segments_with(
            packet.source, self.table(box, side) if side in [f[:2] for f in self.interfaces(box)] else ""
        )
        for access in device["access"].values():
            near = access["segment"] in where or any(holds(net, packet.source) for net in access["networks"])
            if near and PORTS[access["service"]] == (packet.protocol, packet.port):
                return True
        routes, serves = device["role"] in ("edge", "inner-router"), self.serves(box)
        if (packet.protocol, packet.port) == ("udp", 67):
            if side[1] in serves or any(one in serves for one in where):
                return True
            return routes and side[0] == "segment" and side[1] in device["relays"]
        if (routes or serves) and device["forwarders"] and where:
            return packet.port == 53 and packet.protocol in ("tcp", "udp")
        return False

    def serves(self, box: str) -> set[str]:
        """The segments whose leases a box gives."""
        found = set()
        for key, segment in self.doc["segments"].items():
            scope = segment["scope"]
            if not scope["first"] or not scope["last"] or scope["server"] == "none":
                continue
            if scope["server"] != "edge":
                serving = [b for b in self.boxes if any(f[3] == scope["server"] for f in self.interfaces(b))]
            else:
                edges = [b for b, one in self.boxes.items() if one["role"] == "edge"]
                carry = [
                    b
                    for b in edges
                    if any(key in [p["segment"], *p["tagged"]] for p in self.boxes[b]["ports"].values())
                ]
                serving = carry or self.gateway_boxes(key)
            if box in serving:
                found.add(key)
        return found

    def back(
        self,
        box: str,
        side: tuple[str, str],
        packet: Packet,
        trail: Any,
        origin: Any,
        spot: Any,
        first: Packet,
        *,
        here: bool = False,
    ) -> bool:
        """Replies enter a box by a side, or begin at it, to the packet's source."""
        knows = {one for one, _ in trail}
        device = self.boxes[box]
        if here and device["role"] not in ("edge", "inner-router"):
            if origin == side:
                return True
            gateway = device["gateway"]
            face = next((f for f in self.interfaces(box) if gateway and holds(f[4], gateway)), None)
            found = self.holder(face[1], gateway) if face else []
            if face is None or len(found) != 1 or self.boxes[found[0]]["role"] not in ("edge", "inner-router"):
                return False
            if self.carries(box, face[1]) and not self.joined((box, face[1]), (found[0], face[1])):
                return False
            box, side, here = found[0], ("segment", face[1]), False
        for _ in range(32):
            table = self.table(box, side)
            if self.filters(box):
                if box not in knows:
                    return False
                coming = self.route(box, table, packet.target)
                if not here and (coming is None or coming[:2] != side):
                    return False
            if not here and packet.source in self.own(box, table):
                return False
            here = False
            way = self.route(box, table, packet.source)
            if way is None:
                return False
            if way[0] != "segment":
                return way[:2] == origin or bool(way[0] == origin[0] and public(self.first.target))
            if way[2] is None:
                return way[:2] == origin and (spot is None or self.joined((box, way[1]), (spot, way[1])))
            found = self.holder(way[1], way[2])
            if len(found) != 1 or self.boxes[found[0]]["role"] not in ("edge", "inner-router"):
                return False
            if not self.joined((box, way[1]), (found[0], way[1])):
                return False
            box, side = found[0], ("segment", way[1])
        return False
