"""The practice bench: stand-ins side by side, each with a laptop at it, a line that a provider plays, and cables.

NoRoom                nothing more fits on the bench
"""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from octaplan.core.config.neutral import yang_document
from octaplan.core.config.readback import read_back
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import BENCH_NETWORKS, Situation
from octaplan.core.stage.passing import passing_checks
from octaplan.core.values.addresses import AddressError, parse_address
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.lazy import lazy
from octaplan.lab.bench.byitself import ByItself
from octaplan.lab.bench.onbench import OnBench, OnTheBench, Unplugged, Ways
from octaplan.lab.bench.wired import Wired
from octaplan.lab.rehearsal.rehearsing import Broken, Rehearsing
from octaplan.lab.spaces.ground import NoGround, missing, without_leases
from octaplan.lab.standin.box import CONSOLE, BoxFaults, BoxPhase, StandIn
from octaplan.lab.standin.servers import HOST

#: So many boxes stand on a bench at most.
MOST_BOXES = 24


class NoRoom(RefusedError):
    """Nothing more fits on the bench."""


class Reached(NamedTuple):
    """Where a service of a stand-in is reached on this machine."""

    host: str
    port: int
    title: str


@dataclass
class PracticeBench(OnTheBench):
    """Everything that stands on it. Within one running loop. With `real_packets` it is a network, where this machine
    permits that."""

    real_packets: bool = True
    ways: Ways | None = None
    #: So many rehearsals run at once on its behalf.
    rehearsing: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(2))
    _number: int = 0
    _putting: asyncio.Lock = field(default_factory=asyncio.Lock)

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
        """Put a box out of its carton on the bench. Raises `NoRoom`, `NotUnderstood`, `PortTaken`, `NoNetwork`."""
        async with self._putting:
            if len(self.boxes) >= MOST_BOXES:
                raise NoRoom(f"{MOST_BOXES} boxes stand on the bench, as many as fit: take one away first")
            if device and self.of(site, device) is not None:
                raise NoRoom("A box stands on the bench for this device already: take it away first")
            self._number += 1
            key, ways = f"b{self._number}", self._ways()
            one = OnBench(key, await ways.served(StandIn(kind, faults, serial=serial, mac=mac), key), site, device)
            self.boxes[one.key] = one
            return one

    def _ways(self) -> Ways:
        """What comes of packets here: told by a network of this machine, or by the bench itself."""
        if self.ways is not None and self.ways.ended and not self.boxes:
            self.ways = None
        if self.ways is None:
            self.ways = ByItself(self) if self.lacks else Wired(self)
        return self.ways

    @lazy
    def lacks(self) -> str:
        """Why there are no real packets here, as a sentence; empty where there are."""
        if not self.real_packets:
            return "This bench was asked to route by itself"
        without = without_leases()
        needs = f"A bench of real packets needs {without}: install it with “apt install {without}”" if without else ""
        return missing("A bench of real packets") or needs

    async def take(self, key: str) -> None:
        """Take a box away."""
        one = self.boxes.pop(key, None)
        if one is not None:
            await one.served.close()
            await self._ways().taken(one)

    async def close(self) -> None:
        """Clear the bench."""
        await asyncio.gather(*(self.take(key) for key in list(self.boxes)))
        ways, self.ways = self.ways, None
        if ways is not None:
            await ways.close()

    def of(self, site: str, device: str) -> OnBench | None:
        """The box that is taken for a device of a site."""
        return next((one for one in self.boxes.values() if (one.site, one.device) == (site, device)), None)


class PracticeTable:
    """The bench as hands need it, for one box of a site."""

    def __init__(
        self, bench: PracticeBench, one: OnBench, plan: SitePlan | None, organisation: Organisation = UNDECIDED
    ) -> None:
        self._bench, self._one, self._plan, self._organisation = bench, one, plan, organisation
        self._ways = bench.ways or ByItself(bench)
        one.plan = plan
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
            leased = await self._ways.leased(self._one)
            if not leased:
                raise Unplugged(f"The laptop in port {situation.port} asks for an address, and gets none")
            box.laptop_address = parse_address(leased)
            return
        address = box.laptop_address = parse_address(situation.laptop)
        if situation.how == "serving":
            net = next((each for each in BENCH_NETWORKS if each.holds(address)), None)
            await self._ways.hands_out(self._one, address, net)
        else:
            await self._ways.fixed(self._one, address)

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
        reached = await self._ways.reaches(self._one, service, parse_address(address)) if address else False
        if not reached or str(box.face(box.laptop_port).address) != address:
            raise Unplugged(f"{address} gives no answer by {service.upper()} at port {box.laptop_port or 'none'}")
        return Reached(HOST, int(getattr(doors, service)), title)

    # --- What is measured

    async def ping(self, address: str, *, by_box: bool = True) -> str | None:
        """What a ping of an address says, from the laptop or, for what lies beyond the box, from the box; nothing where
        this bench has no such thing."""
        try:
            return await self._ways.pinged(self._one, parse_address(address), by_box=by_box)
        except AddressError:
            return None

    async def lease(self, port: str) -> str | None:
        """The address that a client gets at a port; nothing where nobody is there who could give it."""
        beside = self._bench.beside(self._one)
        others = any(each is not self._one and each.box.phase is BoxPhase.READY for each in beside)
        if not self._box.routes and self._box.face(port).leases is None and not (others and self._one.plugged_in):
            return None
        return await self._ways.client(self._one, port)

    async def line(self, plugged: bool) -> None:
        """Plug the cables in that lead on."""
        self._one.plugged_in = plugged
        self._box.online = plugged and self._bench.provider_up

    async def look_up(self) -> str | None:
        """The address that a name is found as."""
        return await self._ways.looked_up(self._one)

    async def passes(self, words: str) -> bool | None:
        """Whether something passes: by real packets in a rehearsal of what the box was told, where this machine permits
        that, else by the walk. Nothing unless the box shows all as planned: only then is the plan what it does."""
        if self._plan is None or not await self._ways.online(self._one):
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
