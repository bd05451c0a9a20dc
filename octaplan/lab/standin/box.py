"""A stand-in: a box that is not there, and behaves as its hardware type says.

It knows of no plan: what it does follows from its type and from what it has been told. Nothing here opens a socket;
`servers.py` lets people and programs at it, and a bench says what it is plugged into.

Refused               it says no, in its own words
"""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from octaplan.core.config.grammar import Grammar, Told, grammar_of
from octaplan.core.config.sayings import NotUnderstood, single_spaced
from octaplan.core.plan.hardware import (
    Addressing,
    BoxKind,
    FactoryRole,
    FirmwareSource,
    FirstPassword,
    HardwareType,
    Power,
    Takes,
    Verb,
    WriteOut,
    WritePart,
)
from octaplan.core.plan.passwords import problems
from octaplan.core.stage.bench import Face
from octaplan.core.values.addresses import Address, Network
from octaplan.core.values.errors import RefusedError
from octaplan.lab.standin.state import BoxState

#: Seconds that it takes to start, and to take new firmware in.
STARTS, UPDATES = 1.0, 1.5
#: So many wrong passwords lock it, for so many seconds.
TRIES, LOCKED = 5, 20.0
#: A change that nobody has confirmed stays for so many seconds at most.
LONGEST_UNCONFIRMED = 600.0
#: What it says of its firmware out of the carton, and of a level that it does not tell.
OLD_FIRMWARE = "0.9"
#: The port of a laptop on the console cable.
CONSOLE = "console"


class Refused(RefusedError):
    """It says no, in its own words."""


class BoxPhase(StrEnum):
    """What a box is doing."""

    OFF = "off"
    STARTING = "starting"
    UPDATING = "taking new firmware in"
    READY = "ready"


@dataclass(frozen=True, slots=True)
class Printed:
    """What is printed on the box."""

    serial: str
    mac: str
    password: str


@dataclass(frozen=True, slots=True)
class BoxFaults:
    """What is wrong with it, to practise with."""

    dead_port: str = ""
    not_fresh: bool = False
    wrong_label: bool = False


class StandIn:
    """One box. `clock` gives seconds."""

    def __init__(
        self,
        kind: HardwareType,
        faults: BoxFaults = BoxFaults(),
        clock: Callable[[], float] = time.monotonic,
        *,
        serial: str = "",
        mac: str = "",
    ) -> None:
        self.kind, self.faults, self.clock = kind, faults, clock
        self.write_out = kind.write_out or WriteOut(language="nothing")
        self.grammar: Grammar = grammar_of(self.write_out)
        number = secrets.token_hex(3).upper()
        digits = secrets.token_hex(3)
        made = f"02:{digits[:2]}:{digits[2:4]}:{digits[4:]}:0{secrets.randbelow(10)}:10"
        if faults.wrong_label:
            serial = mac = ""
        self.printed = Printed(serial or f"{kind.model}-{number}", mac or made, secrets.token_urlsafe(6))
        #: The port that the laptop is plugged into, `console`, or nothing.
        self.laptop_port = ""
        #: The laptop's own address; nothing where any fits.
        self.laptop_address: Address | None = None
        #: Whether its internet cable leads to a line, and the address that the laptop's DHCP server gave it.
        self.online = False
        self.given: tuple[Address, Network] | None = None
        self.powered = False
        self.times_started = 0
        self._busy_until, self._phase = 0.0, BoxPhase.OFF
        self._wrong, self._locked_until = 0, 0.0
        self._after_update = ""
        self._first_password = "" if not faults.wrong_label else secrets.token_urlsafe(6)
        self.reset()

    # --- Power

    def reset(self) -> None:
        """Its reset button: the state out of the carton."""
        self.saved = BoxState(self.grammar, self.kind.leftovers)
        self.firmware = OLD_FIRMWARE
        self._load()
        if self.faults.not_fresh:
            self.saved.secrets[self.log_in_slot] = secrets.token_urlsafe(9)
            self._load()
        if self.powered:
            self._start()

    def _load(self) -> None:
        self.running, self.candidate = self.saved.copy(), self.saved.copy()
        self._waits_for_restart: BoxState | None = None
        self._before: BoxState | None = None
        self._confirm_until = 0.0

    def power(self, on: bool, source: Power = Power.SUPPLY) -> None:
        """Its power button, or the plug. From a source that the type does not take it stays dark."""
        if on and source in self.kind.powered_by and not self.powered:
            self.powered = True
            self._start()
        elif not on and self.powered:
            self.powered = False
            self._phase = BoxPhase.OFF

    def restart(self) -> None:
        """Off and on by itself. What waits for it takes effect, and stays where the type keeps what it is told."""
        if self._waits_for_restart is not None and self.kind.kept == "always":
            self.saved = self._waits_for_restart.copy()
        self._start()

    def _start(self) -> None:
        self._load()
        self.times_started += 1
        self._busy_until, self._phase = self.clock() + STARTS, BoxPhase.STARTING

    @property
    def phase(self) -> BoxPhase:
        """What it is doing now."""
        if self._phase in (BoxPhase.STARTING, BoxPhase.UPDATING) and self.clock() >= self._busy_until:
            if self._phase is BoxPhase.UPDATING:
                self.firmware = self._after_update
                self._start()
            else:
                self._phase = BoxPhase.READY
        if self._before is not None and self.clock() >= self._confirm_until:
            self.running, self._before = self._before, None
            self.candidate = self.running.copy()
        return self._phase

    def lights(self) -> dict[str, str]:
        """What its lights show."""
        ready = self.phase is BoxPhase.READY
        return {
            name: (told if ready else "blinking" if self.powered else "dark") for name, told in self.kind.lights.items()
        }

    # --- What its ports show

    @property
    def routes(self) -> bool:
        return self.kind.kind in (BoxKind.ROUTER, BoxKind.FIREWALL)

    def face(self, port: str) -> Face:
        """What a port shows to who is plugged into it."""
        where = self.kind.ports.get(port)
        if self.phase is not BoxPhase.READY or where is None or not where.carries or port == self.faults.dead_port:
            return Face()
        bare = self.running.carries_bare(port)
        own = list(self.running.own_addresses())
        if bare is None:
            moved = not self.routes and bool(own)
            if not moved:
                return self._factory_face(port)
            return self._shown(own[0].segment) if self.stays_native(own[0].tagged) else Face()
        if not self.routes and not own and bare and self.stays_native(""):
            return self._factory_face(port)
        return next((self._shown(one.segment) for one in own if bare in (one.segment, one.tagged) and bare), Face())

    def stays_native(self, tag: str) -> bool:
        """Whether its own address stays in the VLAN that it was born in."""
        return self.kind.kind is BoxKind.ACCESS_POINT or not tag

    def _factory_face(self, port: str) -> Face:
        factory, role = self.kind.factory, self.kind.ports[port].factory_role
        if factory.interfaces_disabled or role not in (FactoryRole.INSIDE, FactoryRole.MANAGEMENT):
            return Face()
        managed = bool(self.services())
        if factory.addressing is Addressing.FIXED and factory.subnet is not None:
            return Face(factory.address, factory.subnet, factory.leases, managed)
        if factory.addressing is Addressing.DHCP and self.given is not None:
            return Face(self.given[0], self.given[1], None, managed)
        return Face()

    def _shown(self, segment: str) -> Face:
        one = next(each for each in self.running.own_addresses() if each.segment == segment)
        return Face(one.address, one.network, one.leases, bool(self._permitted(segment)))

    def _permitted(self, segment: str) -> set[str]:
        """The services by which it may be managed from a segment."""
        return {service for service, place in self.running.managed_from() if place == segment and self._can(service)}

    def _can(self, service: str) -> bool:
        """Whether a service runs: its SSH may need host name and domain."""
        named = self.running.first("", "box.name") and self.running.first("", "box.domain")
        return service != "ssh" or not self.kind.ssh_needs_full_name or bool(named)

    def services(self) -> set[str]:
        """The services that answer wherever it is as it left the factory."""
        factory = {*([self.kind.factory.web] if self.kind.factory.web else []), *map(str, self.kind.factory.services)}
        return {one for one in factory - self.running.services_off if self._can(one)}

    def open_at(self, address: Address) -> set[str]:
        """The services that answer at one of its addresses."""
        segment = next((one.segment for one in self.running.own_addresses() if one.address == address), None)
        return self.services() if segment is None else self.services() | self._permitted(segment)

    def reached(self, service: str) -> bool:
        """Whether the laptop reaches a service of it where it is plugged in, with the address that it has."""
        face = self.face(self.laptop_port)
        if face.address is None or face.network is None or service not in self.open_at(face.address):
            return False
        return self.laptop_address is None or (
            face.network.holds(self.laptop_address) and self.laptop_address != face.address
        )

    def answers_ping(self, port: str, address: Address) -> bool:
        """Whether it answers a ping to one of its addresses at a port."""
        return self.face(port).address == address and self.pings

    @property
    def pings(self) -> bool:
        """Whether it answers pings at all."""
        return not self.kind.factory.blocked or any(self.running.managed_from())

    # --- Sessions

    @property
    def log_in_slot(self) -> str:
        """The slot of the password that one logs in with."""
        return "administrator" if "administrator" in self.kind.slots else next(iter(self.kind.slots), "administrator")

    def first_password(self) -> str | None:
        """The password out of the carton; nothing where one has to be chosen."""
        factory = self.kind.factory
        if factory.password is FirstPassword.KNOWN:
            return factory.known_password
        if factory.password is FirstPassword.LABEL:
            return self._first_password or self.printed.password
        return "" if factory.password is FirstPassword.BLANK else None

    def check_log_in(self, user: str, password: str) -> None:
        """Raise `Refused` when one is not let in: wrong user or password, or too many tries."""
        if self.clock() < self._locked_until:
            raise Refused(f"too many tries: locked for {self._locked_until - self.clock():.0f} s")
        wanted = self.running.secrets.get(self.log_in_slot, self.first_password())
        right_user = self.kind.factory.user is None or user == self.kind.factory.user
        if right_user and (wanted is None or secrets.compare_digest(wanted.encode(), password.encode())):
            self._wrong = 0
            return
        self._wrong += 1
        if self._wrong >= TRIES:
            self._wrong, self._locked_until = 0, self.clock() + LOCKED
            raise Refused(f"too many tries: locked for {LOCKED:.0f} s")
        raise Refused("wrong user or password")

    @property
    def must_choose(self) -> bool:
        """Whether it asks for a password to be chosen before anything else."""
        return self.first_password() is None and self.log_in_slot not in self.running.secrets

    def set_secret(self, slot: str, value: str) -> None:
        """Set what is in a slot; it holds at once, whatever else waits. Raises `Refused`."""
        if slot.partition("/")[0] in ("wireless", "circuit"):
            self.told.secrets[slot] = value
            self._kept_at_once()
            return
        rule = self.kind.slots.get(slot) or self.kind.slots.get(slot.replace("_", "-"))
        if rule is None:
            raise Refused(f"there is no {slot}")
        slot = slot if slot in self.kind.slots else slot.replace("_", "-")
        wrong = problems(rule, value)
        if wrong:
            raise Refused(f"{rule.label or slot}: {wrong[0]}")
        for other in rule.distinct_from:
            if self.running.secrets.get(other) == value:
                raise Refused(f"{rule.label or slot}: it is the same as {other}")
        for state in (self.running, self.candidate, *([self._waits_for_restart] if self._waits_for_restart else [])):
            state.secrets[slot] = value
            state.note_secret(slot)
        if self.kind.kept == "always":
            self.saved.secrets[slot] = value
            self.saved.note_secret(slot)

    # --- Being told

    @property
    def at_once(self) -> bool:
        """Whether what is told takes effect at once."""
        return self.kind.takes is Takes.AT_ONCE and not self.kind.restart_needed

    @property
    def told(self) -> BoxState:
        """What one sees and changes: what is in effect, or what waits to be."""
        return self.running if self.at_once else self.candidate

    def say(self, line: str, above: list[Told]) -> list[Told]:
        """Take a line of its language in; the lines that are open after it. Raises `Refused`."""
        try:
            found, opened = self.told.say(line, above)
        except NotUnderstood as error:
            raise Refused(self.says_no(str(error))) from None
        for slot, value in found:
            self.set_secret(slot, value)
        self._kept_at_once()
        return opened

    def says_no(self, about: str) -> str:
        """Its own words for what it does not take."""
        return f"{next(iter(self.write_out.refusals), 'not understood')}: {about}"

    def merge(self, data: dict[str, object]) -> None:
        """Take data of YANG modules in."""
        self.told.merge(data)
        self._kept_at_once()

    def replace(self, data: dict[str, object]) -> None:
        """Have nothing of YANG modules but this."""
        self.told.data = dict(data)
        self._kept_at_once()

    def _kept_at_once(self) -> None:
        if self.at_once and self.kind.kept == "always":
            self.saved = self.running.copy()

    def saves_by(self, line: str) -> bool:
        """Whether a line is the one that its language saves by."""
        return any(
            saying.part is WritePart.SAVE and saying.shape.read(single_spaced(line)) is not None
            for saying in self.grammar.sayings
        )

    def apply(self, confirm_within: float | None = None) -> None:
        """Let what was told take effect. With `confirm_within` it is taken back after so many seconds, unless it is
        confirmed before (RFC 6241, 8.4). Where all takes effect at once there is nothing to do."""
        if self.at_once:
            return
        if self.kind.restart_needed:
            self._waits_for_restart = self.candidate.copy()
            return
        if confirm_within is not None:
            self._before, self._confirm_until = self._before or self.running, self.clock() + confirm_within
        self.running = self.candidate.copy()
        if self.kind.kept == "always" and confirm_within is None:
            self.saved = self.running.copy()

    def confirm(self) -> None:
        """Let a change stay that would be taken back. Raises `Refused`."""
        if self.phase is not BoxPhase.READY or self._before is None:
            raise Refused("there is nothing to confirm")
        self._before = None
        if self.kind.kept == "always":
            self.saved = self.running.copy()

    def save(self) -> None:
        """Keep what it has been told over a restart."""
        self.saved = (self._waits_for_restart or self.running).copy()

    def off(self, service: str) -> None:
        """Switch a service of its own off. Raises `Refused`."""
        factory = {*([self.kind.factory.web] if self.kind.factory.web else []), *map(str, self.kind.factory.services)}
        if service not in factory:
            raise Refused(f"it has no {service} of its own")
        self.told.services_off.add(service)
        self._kept_at_once()

    def remove(self, what: str) -> None:
        """Take away a leftover or a line. Raises `Refused`."""
        state = self.told
        if what in state.leftovers:
            state.leftovers.remove(what)
        elif not state.settings.remove(what):
            raise Refused(f"there is no such thing here: {what[:120]}")
        self._kept_at_once()

    def update(self, level: str, *, by_console: bool = False) -> None:
        """Take new firmware in from where the type takes it, and restart: a file comes over the network, a stick goes
        in where one sits at its console, the internet must be there. Raises `Refused`."""
        source = self.kind.firmware.source
        if source is FirmwareSource.LAPTOP and by_console:
            raise Refused("a file does not come over the console")
        if source is FirmwareSource.STICK and not by_console:
            raise Refused(f"new firmware comes from {source.words}, at the console")
        if source is FirmwareSource.INTERNET and not self.online:
            raise Refused("the internet is not there")
        self._after_update = level
        self._busy_until, self._phase = self.clock() + UPDATES, BoxPhase.UPDATING

    def perform(self, verb: Verb, about: str = "", *, by_console: bool = False) -> None:
        """Do what it is asked to do, by whatever way that was asked. Raises `Refused`."""
        takes = self.kind.takes
        if verb in (Verb.APPLY, Verb.COMMIT):
            if takes is Takes.AT_ONCE or takes.removeprefix("after ") != str(verb):
                raise Refused(f"changes take effect {takes}")
            if about and not self.kind.confirms:
                raise Refused("it takes nothing back by itself")
            if about and not about.isdigit():
                raise Refused("it takes seconds after which it is taken back")
            self.apply(min(float(about), LONGEST_UNCONFIRMED) if about else None)
        elif verb is Verb.CONFIRM:
            self.confirm()
        elif verb is Verb.SAVE:
            self.save()
        elif verb is Verb.RESTART:
            self.restart()
        elif verb is Verb.FIRMWARE:
            self.update(about, by_console=by_console)
        elif verb is Verb.OFF:
            self.off(about)
        elif verb is Verb.REMOVE:
            self.remove(about)
        else:
            raise Refused(f"there is no {verb} here")

    def about(self) -> list[str]:
        """What it says of itself."""
        return [
            f"{self.kind.model} serial {self.printed.serial}",
            f"MAC {self.printed.mac}",
            f"firmware {self.firmware}",
            *(f"light {name}: {shown}" for name, shown in self.lights().items()),
        ]

    def show(self) -> list[str]:
        """All that it has been told and that is in effect, with what it came with; secrets hidden."""
        mark = self.write_out.comment or "--"
        return [*self.running.settings.lines(), *(f"{mark} {one}" for one in self.running.leftovers)]

    def shown(self) -> str:
        """All that it has been told, in its language and as data, as programs read it."""
        data = self.running.data
        return "\n".join([*self.show(), *([json.dumps(data, indent=1)] if data else [])])

    def command(self, line: str) -> tuple[Verb, str] | None:
        """What a line asks to be done, with what follows it."""
        bare = line.strip()
        for verb in Verb:
            word = self.write_out.command(verb)
            if bare == word or bare.startswith(f"{word} "):
                return verb, bare[len(word) :].strip()
        return None
