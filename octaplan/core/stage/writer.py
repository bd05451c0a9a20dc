"""Steps put down one after the other while the bench goes along: what all parts of a run sheet share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from octaplan.core.plan.boxes import named
from octaplan.core.plan.credentials import Slot, slots_of
from octaplan.core.plan.device import Service
from octaplan.core.plan.hardware import HardwareType, Topic
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Bench, Situation
from octaplan.core.stage.entries import Value
from octaplan.core.stage.settings import settings_of
from octaplan.core.stage.steps import Measure, Step

#: What a slot that seals backups is called.
BACKUP_SLOT = "backup"

#: How the steps begin that a topic is about; the first that is on the sheet has its notes.
_ABOUT: dict[Topic | None, tuple[str, ...]] = {
    None: (),
    Topic.CARTON: ("unpack",),
    Topic.LOG_IN: ("log-in",),
    Topic.FIRMWARE: ("firmware",),
    Topic.IDENTITY: ("identity",),
    Topic.INTERNET: ("circuit-",),
    Topic.INSIDE: ("vlans", "ports", "segment-"),
    Topic.RULES: ("rules",),
    Topic.WIFI: ("country", "wifi-"),
    Topic.ACCESS: ("access",),
    Topic.TAKING_EFFECT: ("apply", "commit", "restart-first", "segment-", "own-port"),
    Topic.SAVING: ("save-first", "save"),
    Topic.RESTART: ("restart",),
    Topic.BACKUP: ("backup",),
}


class Writer:
    """Writes a run sheet. What happens in a step has happened on `bench` since `before`."""

    def __init__(self, plan: SitePlan, key: str, kind: HardwareType, organisation: Organisation) -> None:
        self.plan, self.key, self.kind = plan, key, kind
        self.device = plan.devices[key]
        self.bench = Bench(plan, key, kind)
        self.organisation = organisation
        self.settings = settings_of(plan, key, kind, organisation)
        self.steps: list[Step] = []
        self.group = ""
        slots = slots_of(plan, {kind.key: kind})
        self.slots = [slot for slot in slots if slot.member == f"/devices/{key}" and slot.needed]

    @property
    def name(self) -> str:
        return named(self.device)

    def step(
        self,
        key: str,
        title: str,
        text: str,
        values: Sequence[Value] = (),
        measures: Sequence[Measure] = (),
        *,
        needs_box: bool = True,
        before: Situation | None = None,
        mend: str = "",
    ) -> None:
        """Add a step."""
        now = self.bench.now()
        kept = tuple(v for v in values if v.text or v.secret)
        begun = before or now
        self.steps.append(Step(key, self.group, title, text, kept, tuple(measures), needs_box, begun, now, mend))

    def with_notes(self) -> tuple[Step, ...]:
        """The steps, each with what others learned about it."""
        steps = list(self.steps)
        for note in self.kind.notes:
            starts = _ABOUT[note.about]
            fitting = [place for place, step in enumerate(steps) if step.key.startswith(starts)] if starts else []
            if note.about is Topic.TAKING_EFFECT:
                fitting = [place for place in fitting if steps[place].lost] or fitting
            place = next(iter(fitting), 0)
            if steps:
                told = f"{note.text} ({note.by}, {note.on})"
                steps[place] = replace(steps[place], notes=(*steps[place].notes, told))
        return tuple(steps)

    # --- Who logs in as what

    @property
    def password(self) -> Slot | None:
        """The secret that the box is managed with, once it is set."""
        return next((s for s in self.slots if s.path.endswith("/administrator")), next(iter(self.slots), None))

    def sealing(self) -> list[Slot]:
        """The secrets that seal its backups: typed when one is taken, and before where the box is told them."""
        return [slot for slot in self.slots if BACKUP_SLOT in slot.path.rsplit("/", 1)[-1]]

    def writes(self, slot: Slot) -> bool:
        """Whether the type's text tells a secret by its own name."""
        name = slot.path.rsplit("/", 1)[-1].replace("-", "_")
        parts = self.kind.write_out.parts if self.kind.write_out is not None else {}
        return any(f"secrets.{name}" in text for text in parts.values())

    def credentials(self) -> list[Value]:
        """User and password, as they are after the first ones have been replaced."""
        values = [Value("User", self.kind.factory.user or "none: it asks for the password only")]
        return [*values, Value("Password", "", self.password.path)] if self.password else values

    # --- The laptop

    def laptop_step(self, key: str, where: str) -> None:
        """The laptop's own address, for the face that it is plugged into now."""
        bench, before = self.bench, self.bench.now()
        face = bench.face(bench.port)
        bench.address_laptop()
        assert face.network is not None  # noqa: S101  (a port is only chosen when it is open)
        if bench.how == "serving":
            title = f"Laptop: {bench.laptop}, and serve DHCP"
            text = (
                f"The box asks for an address. Give the laptop {bench.laptop}, mask {face.network.mask}, and start a "
                f"DHCP server on it that leases {face.address} only; the site does not use this network. Without such "
                "a program: plug laptop and box into any small router that serves DHCP, look up in its list of leases "
                "which address the box was given, and open that one."
            )
        elif bench.how == "lease":
            title = "Laptop: ask for an address"
            text = f"Set the laptop to DHCP and renew. It gets one from {face.leases}, in the {where} {face.network}."
        else:
            title = f"Laptop to {bench.laptop}"
            text = f"Type it in by hand: the box serves no DHCP here. No gateway, no resolver. It lies in the {where}."
        values = [
            Value("Laptop address", str(bench.laptop)),
            Value("Mask", face.network.mask),
            Value("Gateway", "leave empty", copied=False),
        ]
        if bench.how == "lease":
            values = []
        measures = (
            [Measure("leased", "Address that the laptop got", "lease", str(face.leases))]
            if bench.how == "lease"
            else []
        )
        self.step(key, title, text, values, measures, needs_box=False, before=before)

    def services(self) -> list[Service]:
        """The services that the plan permits from anywhere, those with pages first."""
        order = [Service.HTTPS, Service.HTTP, Service.SSH, Service.TELNET, Service.SNMP]
        return sorted({access.service for access in self.device.access.values()}, key=order.index)

    def open_step(self, key: str, warning: str | None, *, planned: bool = False, log_in: bool = False) -> None:
        """Open the box, as it leaves the factory or as it is planned; and log in where that is asked for."""
        before, factory = self.bench.now(), self.kind.factory
        address = self.bench.face(self.bench.port).address
        offered = self.bench.offered()
        wanted = [*map(str, self.services())] if planned else [factory.web or "", *map(str, factory.services)]
        service = next((one for one in wanted if one in offered and one != "snmp"), "")
        values: list[Value] = []
        if service in ("https", "http"):
            port = factory.web_port if service == factory.web else None
            host = f"[{address}]" if address is not None and address.family == 6 else str(address)
            url = f"{service}://{host}" + (f":{port}" if port and port != {"https": 443, "http": 80}[service] else "")
            expect = f"Expect: {warning}." if warning and service == "https" else "No warning is to be expected."
            title, text = f"Open {url}", f"In a private window, so that nothing old is remembered. {expect}"
            values.append(Value("Address", url))
        else:
            by = service.upper() if service else "SSH"
            title, text = f"Open {address} by {by}", "Open a terminal session."
            values.append(Value("Address", str(address)))
        if log_in:
            title = f"{title} and log in"
            values += self.credentials()
            self.bench.log_in(service)
        self.step(key, title, text, values, before=before)

    def log_in_again(self, key: str, why: str) -> None:
        """Log in where one was logged out and nothing else has changed."""
        self.bench.log_in(self.bench.service)
        self.step(key, "Log in again", why, self.credentials())

    def move(self, port: str, key: str, why: str) -> None:
        """Put the laptop into another port where the box answers as planned, and open it there."""
        before = self.bench.now()
        self.bench.plug(port)
        self.step(key, f"Move the laptop to port {port}", why, [Value("Port", port)], needs_box=False, before=before)
        self.laptop_step(f"{key}-laptop", "planned subnet")
        self.open_step(f"{key}-open", self.kind.factory.certificate_warning, planned=True, log_in=True)

    def farewell(self, before: Situation) -> str:
        """What becomes of the page in front of one, when something has taken effect since `before`."""
        bench = self.bench
        if before.reaches and not bench.reaches:
            face = bench.face(bench.port) if bench.port and not bench.on_console else None
            became = f"becomes {face.address}" if face and face.address else "is gone from this port"
            return (
                f"The box's address {before.box} {became}: the page in front of you will stop answering. That is "
                "expected. Do not wait for it: go on to the next step."
            )
        return "The console stays open." if before.port == "console" else "The laptop keeps the box."

    def way_back(self) -> Value:
        """How to get at the box when it does not answer after a step that cuts the connection."""
        console = self.kind.console
        words = f"console, {console.words}" if console else "reset it to its factory state, and begin again"
        return Value("If it does not answer", words, copied=False)

    def mend(self, last: str | None) -> str:
        """How the laptop comes back to the box."""
        bench = self.bench
        if last is None:
            return "Connect the console cable."
        face = bench.final[last]
        moved = "" if last == bench.port else f"Move the cable to port {last}. "
        if face.leases is not None:
            return f"{moved}Let the laptop ask for an address: it should get one from {face.leases}."
        return f"{moved}Give the laptop a fixed address in {face.network}."

    def ports_of(self, segment: str) -> list[str]:
        """The ports that carry a segment untagged, those for whoever plugs in first."""
        carrying = [port for port in self.settings.ports if port.untagged and port.untagged.key == segment]
        return [port.name for port in sorted(carrying, key=lambda port: bool(port.tagged or port.peer))]
