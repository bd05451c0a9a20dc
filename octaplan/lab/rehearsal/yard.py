"""A design brought up on this machine: its spaces, the cables between them, and what each is told."""

from __future__ import annotations

from collections.abc import Iterable

from octaplan.lab.rehearsal.design import Design, Space, SpaceKind, WayOut
from octaplan.lab.spaces.spaces import NotBroughtUp, Spaces, forget_connections, setting


class Yard(Spaces):
    """The spaces of one design, brought up. Close it to take all of it down."""

    def __init__(self, design: Design) -> None:
        super().__init__()
        self.design = design
        self._routes: dict[str, list[str]] = {}
        try:
            self._build()
        except BaseException:
            self.close()
            raise

    # --- Building

    def _build(self) -> None:
        design = self.design
        for key, space in design.spaces.items():
            self.make(key)
            self._settle(key, space)
        self.join(design.cables)
        for key, space in design.spaces.items():
            self._bring_up(key, space)

    def _settle(self, key: str, space: Space) -> None:
        """What a space is told before it has any interface, since those take after it."""
        with self.inside(key):
            if space.kind is SpaceKind.CLIENT:
                setting("ipv6/conf/default/accept_ra", "1")
            if space.kind is SpaceKind.INTERNET:
                setting("ipv4/conf/all/accept_local", "1")
            if space.forwards:
                setting("ipv4/ip_forward", "1")
                setting("ipv6/conf/all/forwarding", "1")

    def _bring_up(self, key: str, space: Space) -> None:
        lines = ["link set lo up"]
        if space.kind is SpaceKind.WIRES:
            for bridge, ends in self.design.bridges.items():
                lines += [f"link add {bridge} type bridge", f"link set {bridge} up"]
                lines += [f"link set {end} master {bridge} up" for end in ends]
        for face, held in space.faces.items():
            lines.append(f"link set {face} up")
            for address, net in held:
                dad = " nodad" if net.family == 6 else ""
                lines.append(f"address add {address}/{net.prefix} dev {face} noprefixroute{dad}")
        self._routes[key] = route_lines(space.routes)
        lines += [f"route add {route}" for route in self._routes[key]]
        self._batch(key, lines)
        if space.rules:
            told = self.run(key, ["nft", "-f", "-"], space.rules)
            if told:
                raise NotBroughtUp(f"The rules of {space.title} are refused: {told.strip()[:400]}\n{space.rules}")

    def forget(self) -> None:
        """Forget all connections, so that what is asked next is new everywhere."""
        for key in self.design.spaces:
            with self.inside(key):
                forget_connections()

    def _batch(self, key: str, lines: list[str]) -> None:
        title = self.design.spaces[key].title
        self.design.unbuilt += [f"{title}: the network refuses “{line}”" for line in self.batch(key, lines)]

    def route(self, key: str, ways: Iterable[WayOut]) -> None:
        """Give a space another table."""
        before, after = self._routes[key], route_lines(ways)
        gone = [f"route del {line}" for line in before if line not in after]
        self._batch(key, [*gone[::-1], *(f"route add {line}" for line in after if line not in before)])
        self._routes[key] = after


def route_lines(ways: Iterable[WayOut]) -> list[str]:
    """Routes as `ip route add` takes them, those that others build on first."""
    found = []
    for way in sorted(ways, key=lambda way: way.via is not None):
        if way.face == "":
            found.append(f"unreachable {way.to} metric {way.metric}")
            continue
        via = f"via {way.via} " if way.via is not None else ""
        source = f" src {way.source}" if way.source is not None else ""
        metric = f" metric {way.metric}" if way.metric else ""
        found.append(f"{way.to} {via}dev {way.face}{source}{metric}")
    return list(dict.fromkeys(found))
