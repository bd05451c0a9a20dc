"""The practice bench: stand-ins side by side, each with a laptop at it, a line that a provider plays, and cables.

NoRoom                nothing more fits on the bench
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from octaplan.core.config.neutral import yang_document
from octaplan.core.config.readback import read_back
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import Circuit, Handoff, SitePlan
from octaplan.core.stage.bench import BENCH_NETWORKS, Situation
from octaplan.core.stage.passing import passing_checks
from octaplan.core.values.addresses import Address, AddressError, parse_address
from octaplan.core.values.errors import OctaplanError
from octaplan.lab.rehearsal.rehearsing import Broken, Rehearsing
from octaplan.lab.spaces.ground import NoGround, missing
from octaplan.lab.standin.box import CONSOLE, BoxFaults, BoxPhase, StandIn
from octaplan.lab.standin.servers import HOST, Served, serve

#: So many boxes stand on a bench at most.
MOST_BOXES = 24
#: Seconds that one waits for a box to start, and between two looks.
PATIENCE, LOOK = 30.0, 0.05
#: The address that the practice provider tells for its name (RFC 5737).
NAMED = "192.0.2.80"


class NoRoom(OctaplanError):
    """Nothing more fits on the bench."""


class Unplugged(OctaplanError):
    """The laptop reaches nothing where it is, with what it has."""


class Reached(NamedTuple):
    """Where a service of a stand-in is reached on this machine."""

    host: str
    port: int
    title: str


@dataclass
class OnBench:
    """A stand-in on the bench. `site` and `device` say which box of which site it is taken for."""

    key: str
    served: Served
    site: str = ""
    device: str = ""
    #: The number of the run that it is staged in.
    run: int | None = None
    how: str = ""
    plugged_in: bool = False

    @property
    def box(self) -> StandIn:
        return self.served.box


@dataclass
class PracticeBench:
    """Everything that stands on it. Within one running loop."""

    boxes: dict[str, OnBench] = field(default_factory=dict)
    provider_up: bool = True
    #: So many rehearsals run at once on its behalf.
    rehearsing: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(2))
    _number: int = 0

    async def put(
        self,
        kind: HardwareType,
        site: str = "",
        device: str = "",
        faults: BoxFaults = BoxFaults(),  # noqa: B008
        *,
        serial: str = "",
        mac: str = "",
    ) -> OnBench:
        """Put a box out of its carton on the bench. Raises `NoRoom`, `NotUnderstood`, `PortTaken`."""
        if len(self.boxes) >= MOST_BOXES:
            raise NoRoom(f"{MOST_BOXES} boxes stand on the bench, as many as fit: take one away first")
        self._number += 1
        one = OnBench(f"b{self._number}", await serve(StandIn(kind, faults, serial=serial, mac=mac)), site, device)
        self.boxes[one.key] = one
        return one

    async def take(self, key: str) -> None:
        """Take a box away."""
        one = self.boxes.pop(key, None)
        if one is not None:
            await one.served.close()

    async def close(self) -> None:
        """Clear the bench."""
        await asyncio.gather(*(self.take(key) for key in list(self.boxes)))

    def of(self, site: str, device: str) -> OnBench | None:
        """The box that is taken for a device of a site."""
        return next((one for one in self.boxes.values() if (one.site, one.device) == (site, device)), None)

    def answering(self, address: Address) -> OnBench | None:
        """The box whose address it is, if it is on."""
        return next(
            (
                one
                for one in self.boxes.values()
                if one.box.phase is BoxPhase.READY
                and any(own.address == address for own in one.box.running.own_addresses())
            ),
            None,
        )


class PracticeTable:
    """The bench as hands need it, for one box of a site."""

    def __init__(
        self, bench: PracticeBench, one: OnBench, plan: SitePlan | None, organisation: Organisation = UNDECIDED
    ) -> None:
        self._bench, self._one, self._plan, self._organisation = bench, one, plan, organisation
        #: By pair of places what a rehearsal asked, and what came out otherwise than the walk says; empty without one.
        self._rehearsed: dict[tuple[str, str], tuple[int, int]] | None = None

    @property
    def _box(self) -> StandIn:
        return self._one.box

    async def settle(self, situation: Situation) -> None:
        """Plug the laptop in, and give it its address. Raises `Unplugged`."""
        box = self._box
        if box.laptop_port != situation.port:
            box.laptop_port, box.laptop_address, self._one.how = situation.port, None, ""
        if not situation.laptop or (str(box.laptop_address or ""), self._one.how) == (situation.laptop, situation.how):
            return
        self._one.how = situation.how
        if situation.how == "lease":
            leased = await self._leased(situation.port)
            if not leased:
                raise Unplugged(f"The laptop in port {situation.port} asks for an address, and gets none")
            box.laptop_address = parse_address(leased)
            return
        box.laptop_address = parse_address(situation.laptop)
        if situation.how == "serving":
            net = next((one for one in BENCH_NETWORKS if one.holds(box.laptop_address)), None)
            if net is not None:
                box.given = (net.usable.first.plus(1), net)

    async def _leased(self, port: str) -> str:
        """The address that a client gets once the box has started."""
        ends = time.monotonic() + PATIENCE
        while self._box.phase is not BoxPhase.READY and self._box.powered and time.monotonic() < ends:
            await asyncio.sleep(LOOK)
        leases = self._box.face(port).leases
        return str(leases.first) if leases is not None else ""

    async def power(self, on: bool) -> None:
        """Plug the box in, or out."""
        self._box.power(on, self._box.kind.powered_by[0])

    async def label(self) -> dict[str, str]:
        """What is printed on the box."""
        printed = self._box.printed
        return {"serial": printed.serial, "mac": printed.mac, "password": printed.password}

    async def reach(self, service: str, address: str) -> Reached:
        """Where a service is reached. Raises `Unplugged`."""
        box, doors = self._box, self._one.served.doors
        title = f"{box.kind.title} {box.printed.serial}"
        if service == CONSOLE:
            if box.laptop_port != CONSOLE or not doors.console:
                raise Unplugged(f"The laptop is not on the console of {title}")
            return Reached(HOST, doors.console, title)
        at = str(box.face(box.laptop_port).address or "")
        if at != address or not box.reached(service):
            raise Unplugged(f"{address} gives no answer by {service.upper()} at port {box.laptop_port or 'none'}")
        return Reached(HOST, int(getattr(doors, service)), title)

    # --- What is measured

    async def ping(self, address: str) -> str | None:
        """What one ping of an address says; nothing where this bench has no such thing."""
        answers = self._answers(address)
        return None if answers is None else f"1 packet transmitted, {int(answers)} received"

    def _answers(self, address: str) -> bool | None:
        try:
            point = parse_address(address)
        except AddressError:
            return None
        box = self._box
        if box.face(box.laptop_port).address == point:
            return box.answers_ping(box.laptop_port, point) and box.laptop_address is not None
        if any(line.gateway == point or point in line.resolvers for line in self._lines()):
            return self._one.plugged_in and self._online()
        other = self._bench.answering(point)
        if other is None:
            return None
        return self._one.plugged_in and any(own.network.holds(point) for own in box.running.own_addresses())

    def _lines(self) -> list[Circuit]:
        if self._plan is None or self._one.device not in self._plan.devices:
            return []
        ports = self._plan.devices[self._one.device].ports
        return [self._plan.circuits[use.circuit] for use in ports.values() if use.circuit in self._plan.circuits]

    def _online(self) -> bool:
        """Whether a line answers the box as it has been told: the provider knows its address, tag and user."""
        return self._bench.provider_up and any(self._told(line) for line in self._lines())

    def _told(self, line: Circuit) -> bool:
        for entry in self._box.running.entries("circuits").values():
            said = {name: values[0] for name, values in entry.items() if values}
            if said.get("handoff") != str(line.handoff) or said.get("vlan", "") != str(line.vlan or ""):
                continue
            address = said.get("address|within", said.get("address", "")).partition("/")[0]
            if line.handoff is Handoff.STATIC:
                if (address, said.get("gateway", "")) == (str(line.address), str(line.gateway)):
                    return True
            elif line.handoff is not Handoff.PPPOE or said.get("pppoe_user") == line.pppoe_user:
                return True
        return False

    async def lease(self, port: str) -> str | None:
        """The address that a client gets at a port."""
        own = await self._leased(port)
        if own or self._box.routes:
            return own
        bare = self._box.running.carries_bare(port)
        others = [one for one in self._bench.boxes.values() if one is not self._one and one.box.phase is BoxPhase.READY]
        if not others or not self._one.plugged_in:
            return None
        for other in others:
            for each in other.box.running.own_addresses():
                if each.leases is not None and bare in (each.segment, each.tagged) and bare:
                    return str(each.leases.first)
        return ""

    async def line(self, plugged: bool) -> None:
        """Plug the cables in that lead on."""
        self._one.plugged_in = plugged
        self._box.online = plugged and self._bench.provider_up

    async def look_up(self) -> str | None:
        """The address that a name is found as."""
        asked = {str(one) for line in self._lines() for one in line.resolvers}
        asks = asked & set(self._box.running.told_texts())
        return NAMED if self._one.plugged_in and self._online() and (asks or not asked) else ""

    async def passes(self, words: str) -> bool | None:
        """Whether something passes: by real packets in a rehearsal of what the box was told, where this machine permits
        that, else by the walk. Nothing unless the box shows all as planned: only then is the plan what it does."""
        if self._plan is None or not (self._one.plugged_in and self._online()):
            return None
        plan, device = self._plan, self._one.device
        check = next((one for one in passing_checks(plan, self._organisation, device) if one.words == words), None)
        back = read_back(plan, device, self._box.shown(), self._box.kind, self._organisation)
        if check is None or back.departures or back.about or not self._told_all(plan, device):
            return None
        if self._rehearsed is None:
            async with self._bench.rehearsing:
                self._rehearsed = await asyncio.to_thread(_rehearsed, plan, self._organisation)
        for pair in check.cells:
            asked, otherwise = self._rehearsed.get(pair, (0, 0))
            if otherwise:
                return not check.passes
            if self._rehearsed and not asked:
                return None
        return check.passes

    def _told_all(self, plan: SitePlan, device: str) -> bool:
        """Whether what it holds as data, if anything, is all that is planned and nothing else."""
        held = self._box.running.data
        wanted = yang_document(plan, device, self._box.kind, self._organisation)
        return not held or _ordered(held) == _ordered(wanted)

    async def joins(self, network: str, key: str) -> bool:
        """Whether a Wi-Fi network lets somebody in who has a key, or whom it asks for none."""
        state = self._box.running
        ids = {entry.get("name"): entry.get("id") for entry in state.box.get("wireless", [])}
        for entry in state.entries("wireless").values():
            if network in entry.get("name", []) and self._box.kind.radio:
                known = {*entry.get("password", []), state.secrets.get(f"wireless/{ids.get(network)}", "")}
                return entry.get("security") == ["open"] or (bool(key) and key in known)
        return False


def _rehearsed(plan: SitePlan, organisation: Organisation) -> dict[tuple[str, str], tuple[int, int]]:
    """What real packets do between the places of a plan; nothing where this machine has no ground for it."""
    if missing():
        return {}
    task = {"plan": plan.document(), "organisation": organisation.model_dump(mode="json"), "leases": False}
    try:
        with Rehearsing(task) as rehearsing:
            told = [event for event in rehearsing.events() if event["event"] == "result"]
    except (Broken, NoGround):
        return {}
    return {(one["from"], one["to"]): (one["asked"], one["against_walk"]) for event in told for one in event["cells"]}


def _ordered(data: Any) -> Any:
    """Data with its lists in one order, whatever order they were told in."""
    if isinstance(data, dict):
        return {name: _ordered(value) for name, value in sorted(data.items())}
    if isinstance(data, list):
        return sorted((_ordered(one) for one in data), key=repr)
    return data
