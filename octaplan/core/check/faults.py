"""What is wrong with the traffic of a plan, as rules and remedies ask for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from octaplan.core.check.findings import Hit, Rule, Severity, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.flow.layer2 import Wires
from octaplan.core.flow.matrix import MatrixCell, Pair, Traffic
from octaplan.core.flow.network import BOXES, INTERNET, OTHER_SITES
from octaplan.core.flow.pieces import Piece, Reason
from octaplan.core.flow.telling import told_entry
from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import PLACES
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.lazy import lazy
from octaplan.core.values.services import Services, known_services
from octaplan.core.values.words import listed

_CALLED = {INTERNET: "the internet", OTHER_SITES: "other sites", BOXES: "the boxes"}


class Disagreement(NamedTuple):
    """One way in which a cell is otherwise than it is meant: too little passes, or too much."""

    cell: MatrixCell
    pair: Pair
    piece: Piece

    @property
    def source(self) -> str:
        return self.cell.source

    @property
    def target(self) -> str:
        return self.cell.target


class Faults:
    """What is wrong with the traffic of one plan."""

    def __init__(self, plan: SitePlan, organisation: Organisation, traffic: Traffic | None = None) -> None:
        self.plan = plan
        self.organisation = organisation
        self._traffic = traffic

    @lazy
    def traffic(self) -> Traffic:
        return self._traffic or Traffic(self.plan, self.organisation)

    @lazy
    def wires(self) -> Wires:
        return self.traffic.net.wires if _walkable(self.plan) else Wires(self.plan)

    @lazy
    def missing(self) -> list[Disagreement]:
        """What is meant and stopped, one for each cell and place where it ends."""
        found: dict[tuple[str, str, Reason, str], Disagreement] = {}
        for cell in self.traffic.cells():
            for fault in _stopped(cell):
                found.setdefault((cell.source, cell.target, fault.piece.reason, fault.piece.at), fault)
        return list(found.values())

    @lazy
    def extra(self) -> list[Disagreement]:
        """What passes and is not meant, one for each cell; for the boxes one for each box."""
        found: dict[tuple[str, str, str], Disagreement] = {}
        for cell in self.traffic.cells():
            for pair in cell.pairs if cell.extra else ():
                for piece in pair.pieces:
                    if piece.reason.passes and piece.mask & cell.extra and self._unmeant(cell, pair):
                        found.setdefault((cell.source, cell.target, pair.target.box), Disagreement(cell, pair, piece))
        return list(found.values())

    def _unmeant(self, cell: MatrixCell, pair: Pair) -> bool:
        if cell.target != BOXES:
            return True
        if cell.source == INTERNET:
            return not self.traffic.intent.manages_from_outside(pair.source.point)
        return not self.traffic.intent.manages(cell.source, pair.target.box)

    @lazy
    def failing(self) -> list[tuple[str, Disagreement]]:
        """What is meant and passes, but not once a circuit is down: the circuit, and where it ends then."""
        found: dict[tuple[str, str, str], tuple[str, Disagreement]] = {}
        for down in self.traffic.downs[1:]:
            for row in self.traffic.rows:
                for target in self.traffic.columns:
                    if row == target or INTERNET not in (row, target) or target == BOXES:
                        continue
                    whole, now = self.traffic.cell(row, target), self.traffic.cell(row, target, down)
                    lost = now.missing & ~whole.missing
                    fault = next((one for one in _stopped(now._replace(missing=lost))), None) if lost else None
                    if fault is not None:
                        circuit = next(iter(down))
                        found.setdefault((row, target, circuit), (circuit, fault))
        return list(found.values())

    # --- Words

    def called(self, place: str) -> str:
        """A place as sentences call it."""
        segment = self.plan.segments.get(place)
        return segment.label if segment is not None else _CALLED.get(place, "something removed")

    def box(self, key: str) -> str:
        return named(self.plan.devices[key])

    def circuit(self, path: str) -> str:
        circuit = self.plan.circuits.get(path.removeprefix("/circuits/"))
        return circuit.label if circuit is not None else "a circuit"

    def where(self, at: str) -> str:
        """The place at which something ends."""
        if at in self.plan.devices:
            return self.box(at)
        if at.startswith("/circuits/"):
            return f"the provider of {self.circuit(at)}"
        return self.called(at.removeprefix("/segments/"))

    def services(self, mask: int) -> str:
        """Services as sentences say them; nothing of everything."""
        services = self.traffic.net.atoms.services(mask)
        parts = list(services.parts())
        return "" if parts == ["any"] or len(parts) > 6 else f" by {listed(parts)}"

    def named_end(self, end: str) -> str:
        """What an allow rule or a publication names."""
        host = self.plan.hosts.get(end)
        return host.name if host is not None else PLACES.get(end) or self.called(end)

    def entry(self, box: str, part: str, key: str) -> str:
        """An allow rule, translation or route in few words."""
        return told_entry(self.traffic, f"/devices/{box}/{part}/{key}")

    def wanted(self, box: str, part: str, key: str) -> bool:
        """Whether an entry that nothing uses would be used once everything works, or is the way to a segment."""
        device, intent = self.plan.devices[box], self.traffic.intent
        if part == "routes":
            route = device.routes[key]
            own = {net for segment in self.plan.segments.values() for net in (segment.subnet, segment.subnet6)}
            return bool(self.missing) or route.to in own
        if part == "translations":
            one = device.translations[key]
            lines = self.traffic.net.lines
            known = one.segment in self.plan.segments and lines.get(one.circuit) == box
            return known and bool(intent.meant(one.segment, INTERNET).services) and bool(self.missing)
        allow = device.allows[key]
        services = known_services(allow.service) or Services(())
        sources = self.traffic.rows if allow.source == "all" else [self._place(allow.source)]
        targets = self.traffic.columns if allow.target == "all" else [self._place(allow.target)]
        pairs = ((one, other) for one in sources for other in targets if one != other and one and other)
        broken = {(one.source, one.target) for one in self.missing}
        return any(pair in broken and intent.meant(*pair).services & services for pair in pairs)

    def _place(self, end: str) -> str:
        """The place of the matrix that an end of an allow rule is in."""
        host = self.plan.hosts.get(end)
        return host.segment if host is not None else end if end in self.traffic.rows else ""

    def line(self, circuit: str) -> str:
        return self.circuit(f"/circuits/{circuit}")

    def segment(self, key: str, addresses: object = "") -> Subject:
        where = self.plan.segments[key]
        return Subject(self.plan.customer, self.plan.site, where.label, f"/segments/{key}", str(addresses))

    def device(self, key: str, addresses: object = "", place: str = "") -> Subject:
        return Subject(self.plan.customer, self.plan.site, self.box(key), f"/devices/{key}{place}", str(addresses))

    def between(self, fault: Disagreement) -> Subject:
        """A pair of places as a subject: that of a segment, with the other as what it is about."""
        inside = fault.source if fault.source in self.plan.segments else fault.target
        arrow = f"{self.called(fault.source)} → {self.called(fault.target)}"
        if inside not in self.plan.segments:
            return Subject(self.plan.customer, self.plan.site, self.plan.name or self.plan.site, "", arrow)
        return self.segment(inside, arrow)


def _stopped(cell: MatrixCell) -> Iterator[Disagreement]:
    for pair in cell.pairs if cell.missing and not cell.unknown else ():
        for piece in pair.pieces:
            if not piece.reason.passes and piece.mask & cell.missing and piece.reason is not Reason.NOT_KNOWN:
                yield Disagreement(cell, pair, piece)


Judging = Callable[[Faults], Iterator[Hit]]

#: The judging of each rule, and whether it says something where no box routes.
_JUDGES: dict[str, tuple[Judging, bool]] = {}
#: The rules that the walk decides.
JUDGED_BY_WALK = _JUDGES.keys()


def _walkable(plan: SitePlan) -> bool:
    return any(device.routes_packets for device in plan.devices.values())


def judge_traffic(plan: SitePlan, organisation: Organisation) -> dict[str, list[Hit]]:
    """What all rules of this book find about the traffic of one plan; little where no box routes."""
    faults, walkable = Faults(plan, organisation), _walkable(plan)
    found = {name: list(one(faults)) for name, (one, anywhere) in _JUDGES.items() if walkable or anywhere}
    return {name: hits for name, hits in found.items() if hits}


def traffic_rule(
    rule_id: str, severity: Severity, subject: str, field: str, *, anywhere: bool = False
) -> Callable[[Judging], Rule]:
    """Make a rule of a function that looks at the traffic of one plan, `anywhere` also where no box routes."""

    def enter(one: Judging) -> Rule:
        _JUDGES[rule_id] = one, anywhere

        def check(view: View) -> Iterator[Hit]:
            yield from view.traffic_hits(judge_traffic, rule_id)

        check.__doc__, check.__module__ = one.__doc__, one.__module__
        return rule(rule_id, severity, subject, field)(check)

    return enter
