"""The floor of the practice bench: boxes, laptops, lines and clients as spaces of this machine, and the cables between.

Nothing here knows what a box is: it is given shapes (`shape.py`), and makes the kernel be them. A network on a box is a
bridge of the kernel. A cable is a strand for what goes without a tag and one for each tag (IEEE 802.1Q) that either end
carries, since not every kernel separates tags by itself. Runs in a process of its own.
"""

from __future__ import annotations

import contextlib
import itertools
import re
import socket
import struct
import subprocess
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from octaplan.lab.spaces.programs import LeaseAsking, NotServing, checksum, look_up, serve
from octaplan.lab.spaces.spaces import Spaces, setting

#: What may stand in a line of a server's configuration: no end of line, no quotes.
_PLAIN = re.compile(r"[\w.:/@+=, -]{1,200}", re.ASCII)
#: The interface of a laptop, and of a provider.
LAPTOP = "e"
#: Milliseconds after which one who does not answer is asked for its MAC again.
RETRY = "100"
#: Seconds in which a ping comes back.
ECHO = 0.5

Shape = dict[str, Any]


class Floor:
    """All of it. Every method may be called from any thread; what is done to one space waits for its turn."""

    def __init__(self) -> None:
        self._spaces = Spaces()
        self._asking = LeaseAsking(self._spaces)
        self._locks: dict[str, threading.RLock] = {}
        self._boxes: dict[str, _Box] = {}
        #: By name the ends of each cable, and the tags that have a strand.
        self._cables: dict[str, tuple[tuple[str, str], tuple[str, str], set[int]]] = {}
        #: A laptop has one MAC wherever it is plugged in.
        self._macs: dict[str, str] = {}
        self._count = itertools.count(1)
        self._serving: dict[str, tuple[list[str], subprocess.Popen[str]]] = {}

    @contextlib.contextmanager
    def _turn(self, *keys: str) -> Iterator[None]:
        with contextlib.ExitStack() as stack:
            for key in sorted(set(keys)):
                stack.enter_context(self._locks.setdefault(key, threading.RLock()))
            yield

    def _make(self, space: str) -> None:
        self._spaces.make(space)
        self._spaces.batch(space, ["link set lo up"])

    def _dress(self, key: str, shape: Shape) -> list[str]:
        """Have the networks and strands of a box be as a shape says; what the kernel refused."""
        box, space = self._boxes[key], f"box:{key}"
        refused = self._spaces.batch(space, [*box.networks(shape), *box.dressed(shape)])
        self._asks_often(space, box.fresh)
        box.fresh.clear()
        return refused

    def _asks_often(self, space: str, faces: Iterable[str]) -> None:
        """Have a space ask often at some interfaces who has an address, and believe the newest answer: boxes come and
        go here all the time."""
        with self._spaces.inside(space):
            for face in faces:
                setting(f"ipv4/neigh/{face}/retrans_time_ms", RETRY)
                setting(f"ipv4/neigh/{face}/locktime", "0")

    # --- Boxes

    def put(self, key: str, mac: str) -> str:
        """Put a box and its laptop on the floor, nothing plugged in; where the laptop is, as a path of the kernel."""
        with self._turn(f"box:{key}", f"laptop:{key}"):
            self._boxes[key] = _Box(mac)
            self._macs[f"laptop:{key}"] = f"06:00:00:{next(self._count).to_bytes(3, 'big').hex(':')}"
            for space in (f"box:{key}", f"laptop:{key}"):
                self._make(space)
            with self._spaces.inside(f"box:{key}"):
                setting("ipv4/icmp_echo_ignore_all", "1")
            return self._spaces.path(f"laptop:{key}")

    def take(self, key: str) -> None:
        """Take a box and its laptop away, with its cables and lines."""
        gone = {f"box:{key}", f"laptop:{key}", *(one for one in list(self._locks) if one.startswith(f"line:{key}:"))}
        for name, (one, other, _) in list(self._cables.items()):
            if one[0] in gone or other[0] in gone:
                self.cut(name)
        for space in gone:
            with self._turn(space):
                self._serve(space, [])
                with contextlib.suppress(KeyError):
                    self._spaces.drop(space)
                self._locks.pop(space, None)
        self._boxes.pop(key, None)
        self._macs.pop(f"laptop:{key}", None)

    def shape(self, key: str, shape: Shape) -> list[str]:
        """Make a box be as it says; what the kernel refused."""
        space, box = f"box:{key}", self._boxes[key]
        with self._turn(space):
            refused = self._dress(key, shape)
            rules = _rules(shape)
            if rules != box.rules:
                said = self._spaces.run(space, ["nft", "-f", "-"], rules)
                refused += [said.strip()[:200]] if said else []
                box.rules = rules
            pings = "0" if shape["pings"] else "1"
            if pings != box.deaf:
                with self._spaces.inside(space):
                    setting("ipv4/icmp_echo_ignore_all", pings)
                box.deaf = pings
            box.shape = shape
            refused += self._serve(space, served(shape))
            return refused

    # --- Cables

    def lay(self, name: str, one: tuple[str, str], other: tuple[str, str], tags: Sequence[int]) -> None:
        """Lay a cable between two ends, each a space and a port; or give one that lies the strands that it needs."""
        with self._turn(one[0], other[0]):
            _, _, has = self._cables.get(name, (one, other, set[int]()))
            missing = ({0, *tags}) - has
            if not missing:
                return
            strands = [(one[0], _strand(one[1], tag), other[0], _strand(other[1], tag)) for tag in sorted(missing)]
            self._spaces.join(strands, numbered=True)
            self._cables[name] = (one, other, has | missing)
            for space, port in (one, other):
                here = {_strand(port, tag) for tag in missing}
                box = self._boxes.get(space.removeprefix("box:")) if space.startswith("box:") else None
                if box is not None:
                    box.strands |= here
                    self._dress(space.removeprefix("box:"), box.shape)
                self._asks_often(space, here)
                if space in self._macs:
                    self._spaces.batch(space, [f"link set {port} address {self._macs[space]}"])

    def cut(self, name: str) -> None:
        """Pull a cable."""
        one, other, _ = self._cables[name]
        with self._turn(one[0], other[0]):
            known = self._cables.pop(name, None)
            if known is None:
                return
            self._spaces.batch(one[0], [f"link del {_strand(one[1], tag)}" for tag in known[2]])
            for space, port in (one, other):
                box = self._boxes.get(space.removeprefix("box:")) if space.startswith("box:") else None
                if box is not None:
                    box.forget({_strand(port, tag) for tag in known[2]})

    def space(self, key: str) -> None:
        """Make a space for a provider's side of a line, unless it is there."""
        with self._turn(key):
            if key not in self._spaces:
                self._make(key)

    def line(self, key: str, shape: Shape, up: bool) -> list[str]:
        """Have a provider at the other end of a line; what the kernel refused. Its strand is that of its tag."""
        with self._turn(key):
            face = _strand(LAPTOP, shape["tag"])
            if not up:
                return self._spaces.batch(key, [f"link set {face} down"])
            own = [f"address replace {one}/32 dev {face}" for one in shape["resolvers"] if one != shape["address"]]
            lines = [*own, f"address replace {shape['address']}/{shape['prefix']} dev {face}", f"link set {face} up"]
            refused = self._spaces.batch(key, lines)
            names = ["port=53", f"address=/{shape['name']}/{shape['named']}", "local=/#/"]
            gives = [f"dhcp-range={shape['gives']},{shape['gives']},255.255.255.0,600"] if shape["gives"] else []
            return refused + self._serve(key, [*names, *gives])

    # --- Laptops

    def laptop(self, key: str, address: str, prefix: int, gateway: str) -> list[str]:
        """Give a laptop an address of its own, or none; what the kernel refused."""
        space = f"laptop:{key}"
        with self._turn(space):
            self._serve(space, [])
            return self._addressed(space, address, prefix, gateway)

    def _addressed(self, space: str, address: str, prefix: int, gateway: str) -> list[str]:
        lines = [f"address flush dev {LAPTOP}", f"link set {LAPTOP} up"]
        if address:
            lines.append(f"address add {address}/{prefix} dev {LAPTOP}")
        if gateway and gateway != address:
            lines.append(f"route replace default via {gateway} dev {LAPTOP}")
        return self._spaces.batch(space, lines)

    def lease(self, key: str, tries: int) -> dict[str, str]:
        """Have a laptop ask for an address, and keep it; what it is told, nothing without a lease."""
        space = f"laptop:{key}"
        with self._turn(space):
            self._serve(space, [])
            self._spaces.batch(space, [f"address flush dev {LAPTOP}", f"link set {LAPTOP} up"])
            told = self._asking.ask(space, LAPTOP, tries=tries)
            if told.get("ip"):
                self._addressed(space, told["ip"], int(told.get("mask", "24")), told.get("router", "").split(" ")[0])
            return told

    def hand_out(self, key: str, address: str, prefix: int, first: str) -> list[str]:
        """Have a laptop serve one address to the box that it is plugged into; what was refused."""
        space = f"laptop:{key}"
        with self._turn(space):
            refused = self._addressed(space, address, prefix, "")
            return refused + self._serve(space, ["port=0", f"dhcp-range={first},{first},{_mask(prefix)},600"])

    def client(self, key: str, port: str, tries: int) -> dict[str, str]:
        """What somebody is told who plugs in at a port of a box and asks for an address; nothing without a lease."""
        space = f"client:{key}"
        with self._turn(space):
            self._make(space)
            try:
                self.lay(space, (space, LAPTOP), (f"box:{key}", port), [])
                self._spaces.batch(space, [f"link set {LAPTOP} up"])
                return self._asking.ask(space, LAPTOP, tries=tries)
            finally:
                if space in self._cables:
                    self.cut(space)
                self._spaces.drop(space)

    # --- LeaseAsking

    def ask(self, key: str, net: int | None, port: str, tag: int, tries: int) -> dict[str, str]:
        """Have a box ask for an address in a network of its own, or at the side of a line; what it is told."""
        space = f"box:{key}"
        if net is None:
            return self._asking.ask(space, _strand(port, tag), tries=tries)
        with self._turn(space):
            self._dress(key, self._boxes[key].shape)
            self._spaces.batch(space, self._boxes[key].network(net))
        return self._asking.ask(space, _bridge(net), tries=tries)

    def ping(self, space: str, address: str, count: int) -> list[float]:
        """Milliseconds that each ping took that came back (RFC 792), asked from a space."""
        with self._spaces.inside(space):
            asking = socket.socket(socket.AF_INET, socket.SOCK_RAW, socket.IPPROTO_ICMP)
        with asking:
            return [*_pinged(asking, address, count)]

    def name(self, space: str, resolvers: Sequence[str], name: str) -> str:
        """The address that a resolver tells for a name, asked from a space; empty where none does."""
        return look_up(self._spaces, space, resolvers, name)

    def knock(self, key: str) -> socket.socket:
        """A socket at a laptop, not connected yet."""
        with self._spaces.inside(f"laptop:{key}"):
            return socket.socket(socket.AF_INET, socket.SOCK_STREAM)

    def listen(self, key: str, port: int) -> socket.socket:
        """A listening socket at a box."""
        with self._spaces.inside(f"box:{key}"):
            one = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        one.bind(("", port))
        one.listen(64)
        return one

    # --- Programs

    def _serve(self, space: str, lines: list[str]) -> list[str]:
        """Have a server of leases and names in a space that is told this, or none; what it refuses."""
        known = self._serving.get(space)
        if known is not None and known[0] == lines and known[1].poll() is None:
            return []
        if known is not None:
            known[1].kill()
            known[1].wait()
            del self._serving[space]
        if not lines:
            return []
        try:
            self._serving[space] = (lines, serve(self._spaces, space, ["dhcp-sequential-ip", *lines]))
        except NotServing as error:
            return [str(error)]
        return []

    def close(self) -> None:
        """Take all of it down."""
        for _, one in self._serving.values():
            one.kill()
        for _, one in self._serving.values():
            one.wait()
        self._asking.close()
        self._spaces.close()


class _Box:
    """What the kernel has been told of a box, so that only what is new has to be."""

    def __init__(self, mac: str) -> None:
        self.mac, self.rules, self.deaf = mac, "", "1"
        self.shape: Shape = {"ports": {}, "addresses": [], "outside": []}
        self.strands: set[str] = set()
        self._nets: dict[int, set[str]] = {}
        #: Its bridges that the kernel has been told nothing more of.
        self.fresh: list[str] = []
        self._worn: dict[str, str] = {}

    def network(self, net: int) -> list[str]:
        """Lines that make a network on the box, unless it has it."""
        if net in self._nets:
            return []
        self._nets[net] = set()
        name = _bridge(net)
        self.fresh.append(name)
        return [f"link add name {name} address {self.mac} type bridge", f"link set {name} up"]

    def networks(self, shape: Shape) -> list[str]:
        """Lines that give it the networks and addresses of a shape."""
        lines: list[str] = []
        wanted: dict[int, set[str]] = {
            port["bare"]: set() for port in shape["ports"].values() if port["bare"] is not None
        }
        for port in shape["ports"].values():
            wanted |= {tag: set() for tag in port["tags"]}
        for held in shape["addresses"]:
            wanted.setdefault(held["net"], set()).add(f"{held['address']}/{held['prefix']}")
        for net, addresses in wanted.items():
            lines += self.network(net)
            lines += [f"address del {one} dev {_bridge(net)}" for one in self._nets[net] - addresses]
            lines += [f"address add {one} dev {_bridge(net)}" for one in sorted(addresses - self._nets[net])]
            self._nets[net] = addresses
        for net in self._nets.keys() - wanted.keys():
            lines += [f"address flush dev {_bridge(net)}"] if self._nets[net] else []
            self._nets[net] = set()
        return lines

    def dressed(self, shape: Shape) -> list[str]:
        """Lines that join the strands of its cables to its networks, or give them the addresses of a line's side."""
        lines = []
        sides = {_strand(one["port"], one["tag"]): one for one in shape["outside"]}
        for strand in sorted(self.strands):
            port, _, tag = strand.partition(".")
            carries, side = shape["ports"].get(port), sides.get(strand)
            wanted = "down"
            if side is not None:
                wanted = f"side {side['address']}/{side['prefix']} {side['gateway']}"
            elif carries is not None and not tag and carries["bare"] is not None:
                wanted = f"net {carries['bare']}"
            elif carries is not None and tag and int(tag) in carries["tags"]:
                wanted = f"net {tag}"
            before = self._worn.get(strand, "")
            if wanted == before:
                continue
            self._worn[strand] = wanted
            what, *rest = wanted.split(" ")
            if before.startswith("side"):
                lines.append(f"address flush dev {strand}")
            if before.startswith("net"):
                lines.append(f"link set {strand} nomaster")
            if what == "down":
                lines.append(f"link set {strand} down")
            elif what == "net":
                lines += [*self.network(int(rest[0])), f"link set {strand} master {_bridge(int(rest[0]))} up"]
            else:
                lines.append(f"link set {strand} up")
                lines += [f"address add {rest[0]} dev {strand}"] if not rest[0].startswith("/") else []
                lines += [f"route replace default via {rest[1]} dev {strand}"] if rest[1] else []
        return lines

    def forget(self, strands: set[str]) -> None:
        """Strands that are not there any more."""
        self.strands -= strands
        for one in strands:
            self._worn.pop(one, None)


def _bridge(net: int) -> str:
    return f"n{net}"


def _strand(port: str, tag: int) -> str:
    return f"{port}.{tag}" if tag else port


def _mask(prefix: int) -> str:
    return socket.inet_ntoa(struct.pack("!I", (0xFFFFFFFF << (32 - prefix)) & 0xFFFFFFFF))


def _rules(shape: Shape) -> str:
    """What a box lets in of TCP, as nftables reads it: what is open where, and nothing else. One that answers no pings
    is silent about the rest, too."""
    places = ", ".join(f"{address} . {port}" for address, port in shape["open"])
    lets = f"ip daddr . tcp dport {{ {places} }} accept" if places else ""
    else_ = "reject with tcp reset" if shape["pings"] else "drop"
    return f"""table inet box
delete table inet box
table inet box {{
  chain input {{
    type filter hook input priority 0; policy accept;
    {lets}
    meta l4proto tcp {else_}
  }}
}}
"""


def served(shape: Shape) -> list[str]:
    """What a box serves, as dnsmasq is told; nothing when it serves nothing."""
    lines = []
    for number, one in enumerate(shape["serves"]):
        tag = f"s{number}"
        lines.append(
            f"dhcp-range=set:{tag},{one['first']},{one['last']},{one['mask']}"
            + (f",{one['lease']}" if one["lease"] else "")
        )
        lines.append(f"dhcp-option=tag:{tag},3" + (f",{one['router']}" if one["router"] else ""))
        lines.append(f"dhcp-option=tag:{tag},6" + (f",{','.join(one['resolvers'])}" if one["resolvers"] else ""))
        if one["domain"]:
            lines.append(f"dhcp-option-force=tag:{tag},15,{one['domain']}")
    if not lines and not shape["forwarders"]:
        return []
    names = [f"server={one}" for one in shape["forwarders"]]
    return [
        line
        for line in ["port=53" if names else "port=0", *names, *lines]
        if _PLAIN.fullmatch(line.replace("=", "").replace(",", ""))
    ]


def _pinged(asking: socket.socket, address: str, count: int) -> Iterator[float]:
    number = int.from_bytes(struct.pack("!I", id(asking) & 0xFFFFFFFF)[2:], "big")
    for sequence in range(1, count + 1):
        head = struct.pack("!BBHHH", 8, 0, 0, number, sequence)
        whole = head + b"octaplan"
        begun = time.perf_counter()
        try:
            asking.sendto(head[:2] + struct.pack("!H", checksum(whole)) + whole[4:], (address, 0))
        except OSError:
            continue
        while (left := ECHO - (time.perf_counter() - begun)) > 0:
            asking.settimeout(left)
            try:
                packet = asking.recv(1_500)
            except OSError:
                break
            body = packet[(packet[0] & 15) * 4 :]
            if len(body) >= 8 and body[0] == 0 and struct.unpack("!HH", body[4:8]) == (number, sequence):
                yield (time.perf_counter() - begun) * 1_000
                break


#: What may be asked of the floor, by name.
DOES: dict[str, Callable[..., Any]] = {
    name: getattr(Floor, name)
    for name in ("put", "take", "shape", "lay", "cut", "space", "line", "laptop", "lease", "hand_out", "client", "ask",
                 "ping", "name", "knock", "listen")
}  # fmt: skip
