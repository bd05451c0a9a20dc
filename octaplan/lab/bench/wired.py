"""A bench of real packets: boxes, laptops and the provider's lines are spaces of this machine, and so is what is asked.

The network is brought to what the boxes are whenever somebody uses it. Browsers and hands are outside of it: a port of
loopback leads each of them through the laptop.
"""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import secrets
import socket
from collections.abc import Callable, Coroutine
from functools import wraps
from typing import Any, NamedTuple, ParamSpec, TypeVar

from octaplan.core.flow.layer2 import Wires
from octaplan.core.plan.boxes import hangs_on
from octaplan.core.plan.hardware import Addressing
from octaplan.core.plan.site import Handoff, SitePlan
from octaplan.core.values.addresses import Address, Network, parse_address
from octaplan.lab.bench.onbench import NAME, NAMED, OnBench, OnTheBench
from octaplan.lab.standin.box import CONSOLE, BoxPhase, StandIn
from octaplan.lab.standin.servers import HOST, Doors, Served, serve
from octaplan.lab.wire.floor import LAPTOP
from octaplan.lab.wire.network import FloorNetwork, NoNetwork
from octaplan.lab.wire.shape import (
    CARTON,
    TCP_PORTS,
    Carries,
    Given,
    LineShape,
    WireShape,
    address_in,
    given,
    line_shape,
    tcp_port,
    wire_shape,
)

#: Seconds that a connection takes at most.
CONNECT = 0.4
#: So many pings are sent, and so often somebody asks for a lease, a second each.
PINGS, TRIES = 3, 2
#: What a small switch on the bench is called, before the box that it serves.
SMALL = "small-"

End = tuple[str, str]
P = ParamSpec("P")
T = TypeVar("T")
_AT_WORK: set[asyncio.Task[Any]] = set()


class LaidCable(NamedTuple):
    """A cable between two ends, each a space and a port of it, with the tags that either end carries."""

    one: End
    other: End
    tags: frozenset[int]


class LaptopHas(NamedTuple):
    """What a laptop has: its address with prefix and gateway; `serves` is the address that it serves to the box."""

    address: str = ""
    prefix: int = 0
    gateway: str = ""
    serves: str = ""


class LineLease(NamedTuple):
    """What a box was given at the side of a line."""

    address: str
    prefix: int
    gateway: str


def _unbroken(work: Callable[P, Coroutine[Any, Any, T]]) -> Callable[P, Coroutine[Any, Any, T]]:
    """Work on the network that is done to its end even if whoever asked is cut off: what the kernel has and what is
    known of it never part."""

    @wraps(work)
    async def whole(*args: P.args, **more: P.kwargs) -> T:
        task = asyncio.create_task(work(*args, **more))
        _AT_WORK.add(task)
        task.add_done_callback(_done)
        return await asyncio.shield(task)

    return whole


def _done(task: asyncio.Task[Any]) -> None:
    _AT_WORK.discard(task)
    if not task.cancelled():
        task.exception()  # whoever asked has it, or is gone


class Wired:
    """The ways of a bench with a network. Within one running loop."""

    def __init__(self, bench: OnTheBench) -> None:
        self._bench, self._floor = bench, FloorNetwork()
        self._turns: dict[str, asyncio.Lock] = {}
        self._shapes: dict[str, WireShape] = {}
        self._cables: dict[str, LaidCable] = {}
        self._laptops: dict[str, LaptopHas] = {}
        self._lines: dict[str, tuple[LineShape, bool]] = {}
        self._numbers: dict[str, int] = {}
        self._count = itertools.count()
        self._leases: dict[tuple[str, str, int], LineLease] = {}
        self._planned: dict[str, tuple[SitePlan, list[tuple[str, str, str, str, str]]]] = {}
        self._doors: dict[str, list[asyncio.Server]] = {}
        #: The connections that lead through each laptop.
        self._open: dict[str, set[asyncio.StreamWriter]] = {}
        self._small: set[str] = set()
        #: The number by which the process holds the space of each laptop.
        self._inside: dict[str, str] = {}

    @property
    def pid(self) -> int:
        """The process that holds the network, as this machine numbers it."""
        return self._floor.pid

    @property
    def ended(self) -> bool:
        """Whether the network is gone."""
        return not self._floor.up

    def inside(self, one: OnBench) -> str:
        """The space of its laptop, as a path of the kernel."""
        return f"/proc/{self.pid}/fd/{self._inside[one.key]}"

    # --- Boxes come and go

    @_unbroken
    async def served(self, box: StandIn, key: str) -> Served:
        """Let people and programs at a box: at its own addresses, and through its laptop from loopback."""
        self._inside[key] = str(await self._floor.do("put", key, box.printed.mac)).rpartition("/")[2]
        own = box.kind.factory.web_port
        wire: dict[str, list[socket.socket]] = {}
        for service, port in TCP_PORTS.items():
            ports = [port, *([own] if own and service == box.kind.factory.web and own != port else [])]
            wire[service] = [await self._floor.do("listen", key, each) for each in ports]
        try:
            served = await serve(box, wire=wire, ticket=secrets.token_urlsafe(16))
        except BaseException:
            await self._taken(key)
            raise
        doors = {service: await self._door(key, service) for service in TCP_PORTS}
        served.doors = Doors(**doors, console=served.doors.console)
        return served

    @_unbroken
    async def taken(self, one: OnBench) -> None:
        """Take a box away, with all that hangs on it."""
        async with self._turn(one):
            await self._taken(one.key)

    async def _taken(self, key: str) -> None:
        for door in self._doors.pop(key, []):
            door.close()
        self._hang_up(key)
        self._open.pop(key, None)
        spaces = {f"box:{key}", f"laptop:{key}", f"box:{SMALL}{key}"}
        for name, cable in list(self._cables.items()):
            if cable.one[0] in spaces or cable.other[0] in spaces:
                del self._cables[name]
        for known in (self._shapes, self._laptops, self._inside):
            known.pop(key, None)
        for name in [name for name in self._lines if name.startswith(f"line:{key}:")]:
            del self._lines[name]
        for lease in [lease for lease in self._leases if lease[0] == key]:
            del self._leases[lease]
        with contextlib.suppress(NoNetwork):  # all of it is gone then
            await self._floor.do("take", key)
            if f"{SMALL}{key}" in self._small:
                self._small.discard(f"{SMALL}{key}")
                await self._floor.do("take", f"{SMALL}{key}")

    async def close(self) -> None:
        """Take the network down."""
        await self._floor.close()

    # --- From loopback through the laptop

    async def _door(self, key: str, service: str) -> int:
        """A port of loopback that leads to a service of the box where the laptop is."""
        open_now = self._open.setdefault(key, set())

        async def come(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            open_now.add(writer)
            with contextlib.suppress(OSError, TimeoutError, KeyError):
                one = self._bench.boxes[key]
                address = one.box.face(one.box.laptop_port).address
                if address is not None:
                    await self._leads(one, reader, writer, (str(address), tcp_port(one.box, service, address)))
            open_now.discard(writer)
            writer.close()

        server = await asyncio.start_server(come, HOST, 0)
        self._doors.setdefault(key, []).append(server)
        return int(server.sockets[0].getsockname()[1])

    async def _leads(
        self, one: OnBench, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, to: tuple[str, int]
    ) -> None:
        await self._bring(one)
        connected = await self._connected(one, to)
        there, back = await asyncio.open_connection(sock=connected)
        with contextlib.closing(back):
            ways = [asyncio.create_task(_passed_on(reader, back)), asyncio.create_task(_passed_on(there, writer))]
            await asyncio.wait(ways, return_when=asyncio.FIRST_COMPLETED)
            for way in ways:
                way.cancel()

    async def _connected(self, one: OnBench, to: tuple[str, int]) -> socket.socket:
        """A connection from the laptop. Raises `OSError`, `TimeoutError`."""
        knocking: socket.socket = await self._floor.do("knock", one.key)
        try:
            async with asyncio.timeout(CONNECT):
                await asyncio.get_running_loop().sock_connect(knocking, to)
        except BaseException:
            knocking.close()
            raise
        return knocking

    # --- The laptop

    async def leased(self, one: OnBench) -> str:
        """The address that the laptop gets (RFC 2131), once the box has started."""
        await one.started()
        return await self._leased(one)

    @_unbroken
    async def _leased(self, one: OnBench) -> str:
        self._hang_up(one.key)
        self._laptops.pop(one.key, None)
        await self._bring(one)
        if f"laptop:{one.key}" not in self._cables:
            return ""
        told = await self._floor.do("lease", one.key, TRIES)
        if told.get("ip"):
            has = LaptopHas(told["ip"], int(told.get("mask", "24")), told.get("router", "").partition(" ")[0])
            self._laptops[one.key] = has
        return str(told.get("ip", ""))

    async def fixed(self, one: OnBench, address: Address) -> None:
        """Set the laptop's address, with the mask that fits where it is."""
        face = one.box.face(one.box.laptop_port)
        fits = face.network is not None and face.network.holds(address)
        prefix = face.network.prefix if face.network is not None and fits else 24
        gateway = str(face.address or "") if one.box.routes else address_in(one.box.running.first("", "box.gateway"))
        await self._give(one, LaptopHas(str(address), prefix, gateway))

    async def hands_out(self, one: OnBench, address: Address, net: Network | None) -> None:
        """Have the laptop serve one address (RFC 2131); the box asks for it once it has started."""
        if net is None:
            await self.fixed(one, address)
            return
        one.box.given = None
        await self._give(one, LaptopHas(str(address), net.prefix, "", str(net.usable.first.plus(1))))

    @_unbroken
    async def _give(self, one: OnBench, has: LaptopHas) -> None:
        self._hang_up(one.key)
        self._laptops[one.key] = has
        await self._bring(one)
        if f"laptop:{one.key}" in self._cables:
            await self._set(one.key, has)

    def _hang_up(self, key: str) -> None:
        """A laptop that gets another address loses the connections that it has."""
        for writer in list(self._open.get(key, ())):
            writer.transport.abort()

    async def _set(self, key: str, has: LaptopHas) -> None:
        if has.serves:
            await self._floor.do("hand_out", key, has.address, has.prefix, has.serves)
        else:
            await self._floor.do("laptop", key, has.address, has.prefix, has.gateway)

    # --- Asking

    async def reaches(self, one: OnBench, service: str, address: Address) -> bool:
        """Whether a TCP connection comes about."""
        await self._bring(one)
        try:
            (await self._connected(one, (str(address), tcp_port(one.box, service, address)))).close()
        except (OSError, TimeoutError):
            return False
        return True

    async def pinged(self, one: OnBench, address: Address, *, by_box: bool) -> str | None:
        """Several pings (RFC 792)."""
        at = str(address)
        if any(at in self._of_line(one, port) for port in one.lines()):
            await self._ask_lines(one)
            by = "box"
        elif at in await self._addresses(one):
            by = "box" if by_box and one.box.face(one.box.laptop_port).address != address else "laptop"
        else:
            return None
        took = await self._floor.do("ping", f"{by}:{one.key}", at, PINGS)
        lost = 100 * (PINGS - len(took)) // PINGS
        said = f"ping {at} from the {by}\n{PINGS} packets transmitted, {len(took)} received, {lost}% packet loss"
        times = (min(took), sum(took) / len(took), max(took)) if took else None
        return f"{said}\nmin/avg/max {'/'.join(f'{each:.3f}' for each in times)} ms" if times else said

    async def _addresses(self, one: OnBench) -> set[str]:
        """The addresses of the boxes of a site that stand here."""
        await self._bring(one)
        shapes = [self._shapes[each.key] for each in self._bench.beside(one) if each.key in self._shapes]
        return {held["address"] for shape in shapes for held in shape["addresses"]}

    async def client(self, one: OnBench, port: str) -> str:
        """The address that a client gets at a port (RFC 2131), in the place of whatever is plugged in there."""
        await one.started()
        return await self._client(one, port)

    @_unbroken
    async def _client(self, one: OnBench, port: str) -> str:
        at = self._end(one, port)
        if at is None:
            return ""
        async with self._turn(one):
            await self._bring_all(one)
            for name in [name for name, cable in self._cables.items() if at in (cable.one, cable.other)]:
                await self._cut(name)
            told = await self._floor.do("client", one.key, at[1], TRIES)
            await self._bring_all(one)
        return str(told.get("ip", ""))

    async def looked_up(self, one: OnBench) -> str:
        """The answer of the first resolver that the box was told and that answers (RFC 1035)."""
        await self._ask_lines(one)
        planned = [at for port in one.lines() for at in self._of_line(one, port)[1:]]
        told = set(one.box.running.told_texts())
        asked = [each for each in planned if each in told]
        if not planned:
            asked = [at for port in one.lines() for at in self._of_line(one, port)]
        return str(await self._floor.do("name", f"box:{one.key}", asked[:4], NAME)) if asked else ""

    async def online(self, one: OnBench) -> bool:
        """Whether the provider at the other end of a line answers a ping."""
        await self._ask_lines(one)
        for port in one.lines():
            if await self._floor.do("ping", f"box:{one.key}", self._of_line(one, port)[0], 1):
                return True
        return False

    def _of_line(self, one: OnBench, port: str) -> list[str]:
        """The addresses of the provider at a line: its own first, then those that answer names."""
        shape = line_shape(one.lines()[port], self._given(one, port))
        return [shape["address"], *shape["resolvers"]]

    @_unbroken
    async def _ask_lines(self, one: OnBench) -> None:
        """Bring the network up to date, and have the box ask for an address where a line gives it one."""
        await self._bring(one)
        for side in self._shape(one)["outside"]:
            at = (one.key, side["port"], side["tag"])
            if side["asks"] and not side["address"] and f"line:{one.key}:{side['port']}" in self._cables:
                end = self._end(one, side["port"])
                told = await self._floor.do("ask", one.key, None, end[1] if end else "", side["tag"], TRIES)
                if told.get("ip"):
                    router = told.get("router", "").partition(" ")[0]
                    self._leases[at] = LineLease(told["ip"], int(told.get("mask", "24")), router)
        await self._bring(one)

    # --- Bringing the network to what the boxes are

    def _turn(self, one: OnBench) -> asyncio.Lock:
        return self._turns.setdefault(one.site or one.key, asyncio.Lock())

    @_unbroken
    async def _bring(self, one: OnBench) -> None:
        async with self._turn(one):
            await self._bring_all(one)

    async def _bring_all(self, one: OnBench) -> None:
        boxes = self._bench.beside(one)
        shapes = {each.key: self._shape(each) for each in boxes}
        wanted = self._wanted(boxes, shapes)
        own = {f"{kind}{each.key}" for each in boxes for kind in ("box:", "laptop:", f"box:{SMALL}")}
        for name, cable in list(self._cables.items()):
            other = wanted.get(name)
            stays = other is not None and (other.one, other.other) == (cable.one, cable.other)
            if not stays and {cable.one[0], cable.other[0]} & own:
                await self._cut(name)
        for name, cable in wanted.items():
            if name.startswith(SMALL):
                await self._lay(name, cable)
        for each in boxes:
            for port in each.lines():
                await self._play(each, port, wanted)
        for name, cable in wanted.items():
            await self._lay(name, cable)
        for each in boxes:
            if self._shapes.get(each.key) != shapes[each.key]:
                await self._floor.do("shape", each.key, self._by_number(each, shapes[each.key]))
                self._shapes[each.key] = shapes[each.key]
        for each in boxes:
            await self._take_what_is_served(each)

    async def _lay(self, name: str, cable: LaidCable) -> None:
        known = self._cables.get(name)
        if known == cable:
            return
        if name.startswith(SMALL):
            await self._put_small(name, cable)
        await self._floor.do("lay", name, cable.one, cable.other, sorted(cable.tags))
        self._cables[name] = cable
        key = name.removeprefix("laptop:")
        if known is None and key != name and key in self._laptops:
            await self._set(key, self._laptops[key])
        self._lines.pop(name, None)

    async def _put_small(self, key: str, cable: LaidCable) -> None:
        """Have a small switch on the bench that passes everything on."""
        if key not in self._small:
            await self._floor.do("put", key, "02:00:00:00:00:01")
            self._small.add(key)
        carries = Carries(bare=1, tags=sorted({1, *cable.tags} - {0, 1}))
        nothing = WireShape(ports={}, addresses=[], outside=[], serves=[], forwarders=[], open=[], pings=False)
        await self._floor.do("shape", key, {**nothing, "ports": dict.fromkeys(("p0", "p1", "p2"), carries)})

    async def _cut(self, name: str) -> None:
        del self._cables[name]
        await self._floor.do("cut", name)

    async def _play(self, one: OnBench, port: str, wanted: dict[str, LaidCable]) -> None:
        """Have the provider at the other end of a line, once it is plugged in."""
        name = f"line:{one.key}:{port}"
        if name not in wanted:
            return
        if name not in self._cables:
            await self._floor.do("space", name)
        await self._lay(name, wanted[name])
        shape = line_shape(one.lines()[port], self._given(one, port))
        shape["resolvers"] = sorted({at for each in one.lines() for at in self._of_line(one, each)[1:]})
        state = (shape, self._bench.provider_up)
        if self._lines.get(name) != state:
            await self._floor.do("line", name, {**shape, "name": NAME, "named": NAMED}, self._bench.provider_up)
            self._lines[name] = state

    async def _take_what_is_served(self, one: OnBench) -> None:
        """Have a box ask for an address that the laptop serves, once it has started."""
        has, box = self._laptops.get(one.key), one.box
        if not has or not has.serves or box.given is not None or box.phase is not BoxPhase.READY:
            return
        if box.kind.factory.addressing is not Addressing.DHCP or f"laptop:{one.key}" not in self._cables:
            return
        told = await self._floor.do("ask", one.key, CARTON, "", 0, TRIES)
        if told.get("ip"):
            box.given = (parse_address(told["ip"]), Network.holding(parse_address(told["ip"]), int(told["mask"])))
            shape = self._shapes[one.key] = self._shape(one)
            await self._floor.do("shape", one.key, self._by_number(one, shape))

    # --- What is wanted

    def _shape(self, one: OnBench) -> WireShape:
        users = {
            line.pppoe_user: self._given(one, port)
            for port, line in one.lines().items()
            if line.handoff is Handoff.PPPOE and line.pppoe_user
        }
        shape = wire_shape(one.box, users)
        for side in shape["outside"]:
            lease = self._leases.get((one.key, side["port"], side["tag"]))
            if side["asks"] and lease is not None:
                side["address"], side["prefix"], side["gateway"] = lease
        return shape

    def _given(self, one: OnBench, port: str) -> Given:
        name = f"line:{one.key}:{port}"
        if name not in self._numbers:
            self._numbers[name] = next(self._count)
        return given(self._numbers[name])

    def _wanted(self, boxes: list[OnBench], shapes: dict[str, WireShape]) -> dict[str, LaidCable]:
        """The cables of a site's boxes by name: to laptops, to lines, and between boxes that stand here. Where two are
        to go into one port, a small switch of the bench joins them."""
        found: dict[str, LaidCable] = {}
        by_device = {each.device: each for each in boxes if each.device}
        for one in boxes:
            laptop = self._end(one, one.box.laptop_port)
            if laptop is not None:
                found[f"laptop:{one.key}"] = LaidCable((f"laptop:{one.key}", LAPTOP), laptop, frozenset())
            for port, line in one.lines().items():
                end, name = self._end(one, port), f"line:{one.key}:{port}"
                if end is not None and one.plugged_in:
                    tags = {side["tag"] for side in shapes[one.key]["outside"] if side["port"] == port}
                    found[name] = LaidCable((name, LAPTOP), end, frozenset({*tags, line.vlan or 0}))
            for box, port, far, far_port, below in self._between(one):
                other = by_device.get(far)
                if box != one.device or other is None or below not in by_device or not by_device[below].plugged_in:
                    continue
                here, there = self._end(one, port), self._end(other, far_port)
                carried = [shapes[key]["ports"].get(at) for key, at in ((one.key, port), (other.key, far_port))]
                if here is not None and there is not None:
                    both = {tag for each in carried if each is not None for tag in each["tags"]}
                    found[f"cable:{one.key}:{port}"] = LaidCable(here, there, frozenset(both))
        for one in boxes:
            self._join_in_one(one, found)
        return found

    def _join_in_one(self, one: OnBench, found: dict[str, LaidCable]) -> None:
        """Have a small switch where the laptop's port takes another cable too."""
        name, end = f"laptop:{one.key}", self._end(one, one.box.laptop_port)
        other = next((key for key, cable in found.items() if key != name and end in (cable.one, cable.other)), None)
        if end is None or other is None:
            return
        small, cable = f"box:{SMALL}{one.key}", found[other]
        far = cable.other if cable.one == end else cable.one
        found[other] = LaidCable(far, (small, "p0"), cable.tags)
        found[name] = LaidCable(found[name].one, (small, "p1"), frozenset())
        found[f"{SMALL}{one.key}"] = LaidCable((small, "p2"), end, cable.tags)

    def _between(self, one: OnBench) -> list[tuple[str, str, str, str, str]]:
        """The cables that are planned between boxes of a site, each with the box whose uplink it is."""
        if one.plan is None:
            return []
        known = self._planned.get(one.site)
        if known is None or known[0] is not one.plan:
            cables = []
            for cable in Wires(one.plan).cables:
                below = cable.far if cable.box in hangs_on(one.plan, cable.far) else cable.box
                cables.append((cable.box, cable.port, cable.far, cable.far_port, below))
            known = self._planned[one.site] = (one.plan, cables)
        return known[1]

    @staticmethod
    def _end(one: OnBench, port: str) -> End | None:
        """A port of a box as the floor calls it; nothing for a console, or for a port that it has not."""
        ports = list(one.box.kind.ports)
        if port in ("", CONSOLE) or port not in ports or not one.box.kind.ports[port].carries:
            return None
        return f"box:{one.key}", f"p{ports.index(port)}"

    def _by_number(self, one: OnBench, shape: WireShape) -> dict[str, Any]:
        """A shape with its ports as the floor calls them."""
        ends = {name: end[1] for name in one.box.kind.ports if (end := self._end(one, name)) is not None}
        return {
            **shape,
            "ports": {ends[name]: carries for name, carries in shape["ports"].items() if name in ends},
            "outside": [{**side, "port": ends[side["port"]]} for side in shape["outside"] if side["port"] in ends],
        }


async def _passed_on(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    with contextlib.suppress(OSError):
        while data := await reader.read(65_536):
            writer.write(data)
            await writer.drain()
