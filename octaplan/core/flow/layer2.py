"""Layer 2: how far ports and cables carry each segment, and where the two ends of a cable disagree."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.plan.device import DeviceRole, PortMode, PortUse
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.lazy import lazy

#: A segment as one box carries it: the ids of box and segment.
Carrying = tuple[str, str]


class Link(NamedTuple):
    """A cable between two ports that are in use, the box that comes first in the plan first."""

    box: str
    port: str
    far: str
    far_port: str


class Discord(StrEnum):
    """What the two ends of a cable say differently."""

    TAGGED = "tagged"
    UNTAGGED = "untagged"


class Mismatch(NamedTuple):
    """An end of a cable that disagrees with the other: about which segment, and what the other end says.

    `segment` is what this end lacks or carries otherwise; `there` the segment that lies untagged at the far end.
    """

    cable: Link
    kind: Discord
    segment: str
    there: str = ""


class Wires:
    """The parts that each segment has: spots that cables join are one part, a number."""

    def __init__(self, plan: SitePlan) -> None:
        self.plan = plan
        self.mismatches: list[Mismatch] = []
        self._next: dict[Carrying, list[Carrying]] = {}
        self._part: dict[Carrying, int] = {}
        for key, device in plan.devices.items():
            for use in device.ports.values():
                if carries(use):
                    for segment in use.segments:
                        self._next.setdefault((key, segment), [])
        for cable in self.cables:
            self._join(cable)
        self._number()

    @lazy
    def cables(self) -> list[Link]:
        """Every cable between two ports in use, once."""
        found: dict[tuple[str, str], Link] = {}
        order = {key: place for place, key in enumerate(self.plan.devices)}
        for key, device in self.plan.devices.items():
            for name, use in device.ports.items():
                far = self.plan.devices.get(use.peer or "")
                there = far.ports.get(use.peer_port or "") if far is not None else None
                if not carries(use) or use.peer is None or there is None or not carries(there):
                    continue
                if there.peer is not None and (there.peer, there.peer_port) != (key, name):
                    continue  # port-taken speaks
                ends = [(key, name), (use.peer, use.peer_port or "")]
                ends.sort(key=lambda end: order[end[0]])
                found.setdefault(ends[0], Link(*ends[0], *ends[1]))
        return list(found.values())

    def _join(self, cable: Link) -> None:
        near, far = self.plan.devices[cable.box].ports[cable.port], self.plan.devices[cable.far].ports[cable.far_port]
        back = Link(cable.far, cable.far_port, cable.box, cable.port)
        if near.segment is not None and far.segment is not None:
            self._link((cable.box, near.segment), (cable.far, far.segment))
        for segment in near.tagged:
            if segment in far.tagged:
                self._link((cable.box, segment), (cable.far, segment))
        if near.segment != far.segment:
            said = near.segment or far.segment or ""
            self.mismatches.append(Mismatch(cable, Discord.UNTAGGED, said, far.segment or ""))
        for here, other, way in ((near, far, cable), (far, near, back)):
            for segment in other.tagged:
                if segment not in here.tagged and segment != here.segment:
                    self.mismatches.append(Mismatch(way, Discord.TAGGED, segment))

    def _link(self, one: Carrying, other: Carrying) -> None:
        self._next[one].append(other)
        self._next[other].append(one)

    def _number(self) -> None:
        for spot in self._next:
            if spot in self._part:
                continue
            number, queue = len(self._part), deque([spot])
            self._part[spot] = number
            while queue:
                for near in self._next[queue.popleft()]:
                    if near not in self._part:
                        self._part[near] = number
                        queue.append(near)

    # --- What is asked

    def part(self, box: str, segment: str) -> int | None:
        """The part of a segment that a box carries."""
        return self._part.get((box, segment))

    def boxes(self, segment: str) -> list[str]:
        """The boxes that carry a segment."""
        return [key for key in self.plan.devices if (key, segment) in self._next]

    def parts(self, segment: str) -> dict[int, list[str]]:
        """The parts of a segment, each with its boxes."""
        found: dict[int, list[str]] = {}
        for box in self.boxes(segment):
            found.setdefault(self._part[box, segment], []).append(box)
        return found

    @lazy
    def sockets(self) -> dict[str, set[int]]:
        """By segment the parts that clients can join: at an open end of a cable, a plain port, or by Wi-Fi."""
        found: dict[str, set[int]] = {}
        on_air = {wifi.segment for wifi in self.plan.wireless.values()}
        for key, device in self.plan.devices.items():
            for use in device.ports.values():
                open_ended = use.host is None or use.mode is PortMode.TRUNK
                if carries(use) and use.peer not in self.plan.devices and open_ended:
                    for segment in use.segments:
                        found.setdefault(segment, set()).add(self._part[key, segment])
            if device.role is DeviceRole.ACCESS_POINT:
                for segment in device.carried():
                    if segment in on_air and (key, segment) in self._part:
                        found.setdefault(segment, set()).add(self._part[key, segment])
        return found

    @lazy
    def hosts(self) -> dict[str, int | None]:
        """The parts that fixed hosts on cables are in; nothing where the port carries no segment untagged."""
        found: dict[str, int | None] = {}
        for key, device in self.plan.devices.items():
            for use in device.ports.values():
                if use.host is not None and carries(use):
                    found.setdefault(use.host, self._part.get((key, use.segment)) if use.segment is not None else None)
        return found

    def between(self, box: str, segment: str, other: str) -> list[str]:
        """The boxes that a frame of a segment crosses from one box to another, both left out."""
        start = (box, segment)
        before: dict[Carrying, Carrying] = {start: start}
        queue = deque([start])
        while queue:
            spot = queue.popleft()
            if spot[0] == other:
                return list(_trail(before, spot, start))[::-1]
            for near in self._next.get(spot, ()):
                if near not in before:
                    before[near] = spot
                    queue.append(near)
        return []


def _trail(before: dict[Carrying, Carrying], end: Carrying, start: Carrying) -> Iterator[str]:
    spot = before[end]
    while spot != start:
        yield spot[0]
        spot = before[spot]


def carries(use: PortUse) -> bool:
    """Whether frames of segments pass a port."""
    return use.enabled and use.mode not in (PortMode.UNUSED, PortMode.CIRCUIT)
