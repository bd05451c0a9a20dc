"""What each step of a run sheet tells a box: the lines of its write-out, or the data of its YANG document, that belong
to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from octaplan.core.config.neutral import interface_name, yang_document
from octaplan.core.config.writeout import ToldLine, Written
from octaplan.core.plan.hardware import HardwareType, WritePart
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.settings import settings_of
from octaplan.core.stage.steps import Step
from octaplan.link.channel import Portion

_BOX, _INTERFACES, _SYSTEM = "octaplan-box:box", "ietf-interfaces:interfaces", "ietf-system:system"
#: Steps that tell what stands in one part of a write-out alone.
_WHOLE = {
    "identity": (WritePart.IDENTITY,),
    "routes": (WritePart.ROUTES,),
    "rules": (WritePart.ROUTES, WritePart.RULES),
    "access": (WritePart.ACCESS,),
}
#: What a value is about, by its place in the plan; of a line with several the first of these.
_ABOUT = (
    ("port", re.compile(r"^/devices/[^/]+/ports/([^/]+)")),
    ("circuit", re.compile(r"^/?circuits/([^/]+)")),
    ("wifi", re.compile(r"^/?wireless/([^/]+)")),
    ("segment", re.compile(r"^(?:/segments|/devices/[^/]+/(?:addresses6?|relays))/([^/]+)")),
)

SecretOf = Callable[[str], str]


class Portions:
    """The portions of one box, of its write-out where its type has one. `secret` gives the text of a place in the
    safe."""

    def __init__(
        self,
        plan: SitePlan,
        key: str,
        kind: HardwareType,
        organisation: Organisation,
        written: Written | None,
        secret: SecretOf,
    ) -> None:
        self._plan, self._key, self._kind, self._secret = plan, key, kind, secret
        self._organisation = organisation
        self._lines = written.lines if written is not None else ()
        self._left_out = written.left_out if written is not None else ()
        self._about = [*_abouts(self._lines)]
        self._settings = settings_of(plan, key, kind, organisation)
        self._data: dict[str, Any] = {}

    def untold(self) -> list[str]:
        """What is planned and no line tells, in words."""
        return [f"{leaf.what} {leaf.value}" for leaf in self._left_out]

    def whole(self) -> Portion:
        """All that a box is told as data; a box that is told by lines is held against its write-out instead."""
        return Portion(data=self._document())

    def ports(self) -> list[str]:
        """The ports that anything is told of."""
        return [port.name for port in self._settings.ports]

    def of(self, step: Step, *, data: bool, ports: list[str]) -> Portion:
        """What a step tells, as data of YANG modules or as lines. `ports` are those that it sets up."""
        wanted: list[tuple[str, str]] = [("port", name) for name in ports]
        sort, _, key = step.key.partition("-")
        if sort in ("segment", "circuit", "wifi") and key:
            wanted.insert(0, (sort, key))
        if self._tags(step):
            wanted += [("segment", inside.key) for inside in self._settings.inside]
        return self._as_data(step, wanted) if data else self._as_lines(step, wanted)

    def _tags(self, step: Step) -> bool:
        """Whether a step tells what each segment is, without own addresses."""
        return step.key == "vlans" or (step.key == "ports" and not self._plan.devices[self._key].routes_packets)

    # --- Lines

    def _as_lines(self, step: Step, wanted: list[tuple[str, str]]) -> Portion:
        found = Portion()
        parts = _WHOLE.get(step.key, ())
        whole = [n for n, one in enumerate(self._lines) if one.part in parts and not _tells_slot(one)]
        if step.key == "identity":  # what is in a part of segments and about none, such as its way out
            whole += [n for n, one in enumerate(self._lines) if one.part is WritePart.INSIDE and self._loose(n)]
        self._take(found, whole)
        for about in wanted:
            own = [n for n, each in enumerate(self._about) if each == about]
            if self._tags(step):
                own = [n for n in own if not any("/addresses" in leaf.path for leaf in self._lines[n].leaves)]
            self._take(found, own)
        return found

    def _loose(self, place: int) -> bool:
        """Whether a line tells values that are about nothing in particular."""
        return self._about[place] is None and bool(self._lines[place].leaves)

    def _take(self, found: Portion, places: list[int]) -> None:
        """Add lines with those that they stand in, and those that close them."""
        told = {n for n in places if not any(piece.open for piece in self._lines[n].pieces)}
        heads = {head for n in told for head in _above(self._lines, n)}
        ends = {end for head in heads if (end := _end_of(self._lines, head)) is not None}
        bare = {n for n in told if _closes(self._lines[n].text)} - ends
        for n in sorted((told | heads | ends) - bare):
            found.lines.append(self._lines[n].with_secrets(self._secret))
            found.shown.append(self._lines[n].text)

    # --- Data

    def _document(self) -> dict[str, Any]:
        if not self._data:
            self._data = yang_document(self._plan, self._key, self._kind, self._organisation)
        return self._data

    def _as_data(self, step: Step, wanted: list[tuple[str, str]]) -> Portion:
        document, found = self._document(), Portion()
        box: dict[str, Any] = document.get(_BOX, {})
        told: dict[str, Any] = {}
        interfaces: list[str] = []
        if step.key == "identity":
            names = ("name", "time-zone", "banner", "gateway", "forwarder", "time-server")
            told |= {name: box[name] for name in names if name in box}
            found.data |= {_SYSTEM: document[_SYSTEM]} if _SYSTEM in document else {}
        parts = {"routes": ("route",), "rules": ("route", "translation", "publication", "allow"), "access": ("access",)}
        told |= {name: box[name] for name in parts.get(step.key, ()) if name in box}
        modules = {
            "routes": ("ietf-routing:routing",),
            "rules": ("ietf-routing:routing", "ietf-access-control-list:acls", "ietf-nat:nat"),
        }
        found.data |= {name: document[name] for name in modules.get(step.key, ()) if name in document}
        for sort, key in wanted:
            name = {"wifi": "wireless"}.get(sort, sort)
            entries = [one for one in box.get(name, []) if one.get("id" if sort != "port" else "name") == key]
            if self._tags(step) and sort == "segment":
                entries = [{k: one[k] for k in ("id", "name", "vlan") if k in one} for one in entries]
            told.setdefault(name, []).extend(entries)
            if sort == "port":
                interfaces.append(key)
            elif sort == "circuit":
                interfaces += [side.port for side in self._settings.internet if side.key == key and side.port]
                self._secret_of(found, sort, key, "password")
            elif sort == "segment":
                own = [one for one in self._settings.inside if one.key == key]
                bare = [one for one in own if one.address is None and one.address6 is None]
                interfaces += [interface_name(one) for one in (bare if self._tags(step) else own)]
            elif sort == "wifi":
                self._secret_of(found, "wireless", key, "password")
        every = document.get(_INTERFACES, {}).get("interface", [])
        chosen = [one for one in every if one["name"] in interfaces]
        if chosen:
            found.data[_INTERFACES] = {"interface": chosen}
        told = {name: value for name, value in told.items() if value}
        if told:
            found.data[_BOX] = told
        return found

    def _secret_of(self, found: Portion, sort: str, key: str, name: str) -> None:
        of = self._settings.wireless if sort == "wireless" else self._settings.internet
        place = next((getattr(one, name, None) for one in of if one.key == key), None)
        if place and self._secret(place):
            found.secrets[f"{sort}/{key}"] = self._secret(place)


def _tells_slot(line: ToldLine) -> bool:
    """Whether a line tells a password of the box itself: those have steps of their own."""
    return line.part is WritePart.ACCESS and any(piece.secret for piece in line.pieces)


def _indent(line: ToldLine) -> int:
    return len(line.text) - len(line.text.lstrip())


def _closes(text: str) -> bool:
    return bool(text.strip()) and not any(c.isalnum() for c in text)


def _above(lines: tuple[ToldLine, ...], place: int) -> list[int]:
    """The lines that a line stands in, outermost first."""
    found: list[int] = []
    depth = _indent(lines[place])
    for n in range(place - 1, -1, -1):
        if lines[n].part is not lines[place].part or depth == 0:
            break
        if _indent(lines[n]) < depth and not _closes(lines[n].text):
            found.insert(0, n)
            depth = _indent(lines[n])
    return found


def _end_of(lines: tuple[ToldLine, ...], head: int) -> int | None:
    """The line that closes what a line opens."""
    for n in range(head + 1, len(lines)):
        if _indent(lines[n]) <= _indent(lines[head]):
            return n if _closes(lines[n].text) else None
    return None


def _abouts(lines: tuple[ToldLine, ...]) -> list[tuple[str, str] | None]:
    """What each line is about: what the line is about that it stands in, or else its own values."""
    found: list[tuple[str, str] | None] = []
    for place, line in enumerate(lines):
        if _closes(line.text):
            found.append(None)
            continue
        outer = [about for n in _above(lines, place) if (about := _about(lines[n])) is not None]
        found.append(outer[0] if outer else _about(line))
    return found


def _about(line: ToldLine) -> tuple[str, str] | None:
    for sort, pattern in _ABOUT:
        for leaf in line.leaves:
            for path in (leaf.path, *leaf.tells):
                met = pattern.match(path)
                if met is not None:
                    return sort, met[1].replace("~1", "/").replace("~0", "~")
    return None
