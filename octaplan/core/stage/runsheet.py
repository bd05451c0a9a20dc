"""The run sheet: the ordered steps that turn one box out of its carton into the box for its site.

For every step it is known where the laptop is plugged in, what address it has, what address the box has, and
whether the one reaches the other, before the step and after. Steps are ordered so that the connection is lost
as late and as seldom as possible.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from octaplan.core.plan.boxes import named
from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.device import DeviceRole, PortMode, Service
from octaplan.core.plan.hardware import FirstPassword, HardwareType, Medium, Takes
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Bench, Situation
from octaplan.core.stage.entries import (
    Value,
    access_value,
    identity_values,
    inside_values,
    internet_values,
    port_values,
    route_value,
    rule_values,
    wireless_values,
)
from octaplan.core.stage.settings import settings_of


@dataclass(frozen=True, slots=True)
class Measure:
    """One answer that the technician reads off and types. `record` is the field of the device that keeps it;
    without an answer that is `needed` the step is not done."""

    key: str
    label: str
    kind: str
    expect: str = ""
    record: str = ""
    needed: bool = True

    @property
    def proves(self) -> bool:
        """Whether its answer shows that the box does what is planned, and not only what it is."""
        return self.needed and self.kind in ("ping", "lease", "lookup", "yes")


@dataclass(frozen=True, slots=True)
class Step:
    """One step. `lost` says that it cuts the connection though nobody moved the cable, `mend` what to do then."""

    key: str
    group: str
    title: str
    text: str
    values: tuple[Value, ...]
    measures: tuple[Measure, ...]
    needs_box: bool
    before: Situation
    after: Situation
    mend: str = ""

    @property
    def lost(self) -> bool:
        stays = self.after.port == self.before.port
        return stays and self.before.reaches and not self.after.reaches

    @property
    def proves(self) -> bool:
        """Whether something is measured in it that shows that the box does what is planned."""
        return any(measure.proves for measure in self.measures)

    @property
    def digest(self) -> str:
        """The same as long as the step asks for the same."""
        said = [
            self.title,
            self.text,
            [(v.label, v.text, v.secret) for v in self.values],
            [(m.key, m.expect) for m in self.measures if not m.record],
        ]
        return hashlib.blake2b(json.dumps(said).encode(), digest_size=8).hexdigest()


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps for one box, or the `problem` that keeps it from being staged (to the end)."""

    steps: tuple[Step, ...]
    problem: str = ""


def run_sheet(plan: SitePlan, key: str, kind: HardwareType | None, organisation: Organisation = UNDECIDED) -> RunSheet:
    """The run sheet of a device, from its plan and its hardware type."""
    device = plan.devices[key]
    if kind is None:
        return RunSheet((), f"The type {device.type} of {named(device)} is not on Hardware any more: put it back there")
    if not kind.ports:
        return RunSheet((), f"The type {kind.title} lists no ports yet: add them on Hardware")
    return _Writer(plan, key, kind, organisation).write()


class _Writer:
    def __init__(self, plan: SitePlan, key: str, kind: HardwareType, organisation: Organisation) -> None:
        self.plan, self.key, self.kind = plan, key, kind
        self.device = plan.devices[key]
        self.bench = Bench(plan, key, kind)
        self.settings = settings_of(plan, key, kind, organisation)
        self.steps: list[Step] = []
        self.group = ""
        slots = slots_of(plan, {kind.key: kind})
        self.slots = [slot for slot in slots if slot.member == f"/devices/{key}"]

    # --- Writing

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
        """Add a step. What happens in it has happened on the bench since `before`."""
        now = self.bench.now()
        self.steps.append(
            Step(
                key,
                self.group,
                title,
                text,
                tuple(v for v in values if v.text or v.secret),
                tuple(measures),
                needs_box,
                before or now,
                now,
                mend,
            )
        )

    def write(self) -> RunSheet:
        start = self.bench.first_port()
        self._unpack()
        if start is None:
            return RunSheet(tuple(self.steps), self._no_way_in())
        self._first_contact(start)
        self._identity()
        self._internet_side()
        self._inside()
        self._rules()
        problem = self._take_effect()
        if problem:
            return RunSheet(tuple(self.steps), problem)
        self._prove("prove", "Prove it")
        self._make_it_last()
        self._send_off()
        return RunSheet(tuple(self.steps))

    def _no_way_in(self) -> str:
        why = "its interfaces are switched off" if self.kind.factory.interfaces_disabled else "no port lets a laptop in"
        return (
            f"There is no way into the {self.kind.title} out of its carton: {why}, and it has no console. Correct the "
            "type on Hardware"
        )

    # --- Open the carton, first contact

    def _unpack(self) -> None:
        self.group = "Open the carton"
        measures = [
            Measure("serial", "Serial number", "text", self.device.serial or "", "serial"),
            Measure("mac", "MAC on the label", "mac", " ".join(map(str, self.device.macs)), "macs", False),
            Measure("asset", "Asset tag", "text", self.device.asset_tag or "", "asset_tag", False),
        ]
        self.step(
            "unpack",
            "Record serial, MAC and label",
            f"Check that it is the right box: {self.kind.title}. A barcode scanner types for you: one scan a field.",
            [
                Value("Model", self.kind.title),
                Value("For", f"{named(self.device)}, {self.plan.customer}/{self.plan.site}"),
            ],
            measures,
            needs_box=False,
        )

    def _first_contact(self, start: str) -> None:
        self.group = "First contact"
        before = self.bench.now()
        self.bench.plug(start)
        factory, kind = self.kind.factory, self.kind
        shut = [
            f"{name}: {port.why_not or 'not for the laptop'}"
            for name, port in kind.ports.items()
            if not port.laptop and not (start == "console" and port.medium is Medium.CONSOLE)
        ]
        avoid = f" Not into {'; not into '.join(shut)}." if shut else ""
        if start == "console" and kind.console:
            self.step(
                "plug",
                "Connect the console cable",
                f"Power on, and open a terminal on the console port.{avoid}",
                [Value("Console", kind.console.words)],
                needs_box=False,
                before=before,
            )
        else:
            self.step(
                "plug",
                f"Plug the laptop into port {start}",
                f"Power on, and wait for the link light of port {start}.{avoid}",
                [Value("Port", start)],
                [Measure("link", f"Link light of port {start}", "light", needed=False)],
                needs_box=False,
                before=before,
            )
            self._laptop_step("laptop", "factory subnet")
            self._open_step("open", "Open its pages", factory.certificate_warning)
        password = factory.known_password if factory.password is FirstPassword.KNOWN else factory.password.words
        self.step(
            "log-in",
            "Log in",
            "Nothing of this stays: the next step replaces it.",
            [Value("User", factory.user or "none"), Value("First password", password or "")],
        )
        for slot in self.slots:
            self.step(
                f"slot-{slot.path.rsplit('/', 1)[-1]}",
                f"Set the {slot.label}",
                "Type it, do not shorten it: case matters. Some prompts show nothing while you type.",
                [Value(slot.label.capitalize(), "", slot.path)],
            )
        if kind.firmware.wanted:
            self.step(
                "firmware",
                f"Firmware {kind.firmware.wanted}",
                f"{kind.firmware.how or 'Update as the maker describes it'}. The box may restart by itself; wait "
                "until it answers again.",
                [Value("Wanted", kind.firmware.wanted)],
                [Measure("firmware", "Firmware it now shows", "firmware", kind.firmware.wanted, "firmware")],
            )

    def _laptop_step(self, key: str, where: str) -> None:
        """The laptop's own address, for the face it is plugged into now."""
        bench, before = self.bench, self.bench.now()
        face = bench.faces[bench.port]
        bench.address_laptop()
        assert face.network is not None  # noqa: S101  (a port is only chosen when it is open)
        if bench.how == "serving":
            title = f"Laptop: {bench.laptop}, and serve DHCP"
            text = (
                f"The box asks for an address: give the laptop {bench.laptop}, mask {face.network.mask}, and start a "
                f"DHCP server on it that leases {face.address} only. The network is one that the site does not use."
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
            Value("Gateway", "leave empty"),
        ]
        if bench.how == "lease":
            values = []
        measures = (
            [Measure("leased", "Address that the laptop got", "lease", str(face.leases))]
            if bench.how == "lease"
            else []
        )
        self.step(key, title, text, values, measures, needs_box=False, before=before)

    def _open_step(self, key: str, title: str, warning: str | None, *, planned: bool = False) -> None:
        """Open the box, as it leaves the factory or as it is planned."""
        address = self.bench.faces[self.bench.port].address
        factory, services = self.kind.factory, {access.service for access in self.device.access.values()}
        web, port = factory.web, factory.web_port
        if planned:
            web = "https" if Service.HTTPS in services else "http" if Service.HTTP in services else None
            port = port if web == factory.web else None
        if web is None:
            self.step(key, f"Open {address} by SSH", "Open a terminal session.", [Value("Address", str(address))])
            return
        host = f"[{address}]" if address is not None and address.family == 6 else str(address)
        url = f"{web}://{host}" + (f":{port}" if port and port != {"https": 443, "http": 80}[web] else "")
        expect = f"Expect: {warning}." if warning else "No warning is to be expected."
        self.step(key, f"Open {url}", f"{title} in a private window. {expect}", [Value("Address", url)])

    # --- Who it is, internet side, inside, rules

    def _identity(self) -> None:
        self.group = "Who it is"
        self.step(
            "identity",
            "Host name, time zone, time",
            "The time zone is that of the site, not of the bench.",
            [*identity_values(self.settings.identity)],
        )

    def _internet_side(self) -> None:
        self.group = "Internet side"
        for side in self.settings.internet:
            self.step(
                f"circuit-{side.key}",
                f"{side.label} on port {side.port}",
                f"Switch port {side.port} on. Leave the cable out until the end: nothing is protected yet.",
                [*internet_values(side)],
            )
        routes = [*map(route_value, self.settings.routes)]
        if routes:
            self.step(
                "routes", "Routes", "The default route is what an hour is lost over when it is forgotten.", routes
            )

    @property
    def staying(self) -> str | None:
        """The segment that the laptop's own port will carry: it is set up last."""
        use = self.device.ports.get(self.bench.port)
        carries = use is not None and use.mode is not PortMode.UNUSED and use.segment in self.plan.segments
        return use.segment if carries and use is not None else None

    def _inside(self) -> None:
        self.group = "Inside"
        bench = self.bench
        own = self.staying
        for key in (inside.key for inside in self.settings.inside):
            if key != own:
                names = [n for n, use in self.device.ports.items() if use.segment == key and n in bench.faces]
                if self._at_once:
                    bench.settle(*(n for n in names if n != bench.port))
                self._segment_step(key)
        self._ports_step()

    @property
    def _at_once(self) -> bool:
        return self.kind.takes is Takes.AT_ONCE and not self.kind.restart_needed

    def _segment_step(self, key: str, before: Situation | None = None, mend: str = "", text: str = "") -> None:
        inside = next(inside for inside in self.settings.inside if inside.key == key)
        title = f"{inside.label}: address and range" if self.device.routes_packets else f"{inside.label}: VLAN"
        self.step(
            f"segment-{key}",
            title,
            text or "Menu names differ; the values do not.",
            [*inside_values(inside, edge=self.device.role is DeviceRole.EDGE)],
            before=before,
            mend=mend,
        )

    def _ports_step(self) -> None:
        values = [*port_values(self.settings.ports)]
        if values:
            own = (
                f" Leave port {self.bench.port}, where the laptop is, for later."
                if self._at_once and not self.bench.on_console
                else ""
            )
            self.step("ports", "Ports", f"What each port carries; unused ones are switched off.{own}", values)

    def _rules(self) -> None:
        self.group = "Rules and access"
        values = [*rule_values(self.settings)]
        if values:
            blocked = " This box blocks everything that is not allowed." if self.kind.factory.blocked else ""
            self.step("rules", "Translation and allow rules", f"One without the other passes nothing.{blocked}", values)
        for wifi in self.settings.wireless:
            self.step(
                f"wifi-{wifi.key}",
                f"Wi-Fi {wifi.name}",
                "The key is asked for by everybody on site: it is in the safe.",
                [*wireless_values(wifi)],
            )
        if self.settings.access:
            values = [*map(access_value, self.settings.access)]
            self.step(
                "access",
                "Management access",
                "Permit what is planned now, before the address changes; take the rest away at the end.",
                values,
            )
        if self.kind.leftovers:
            self.step(
                "leftovers",
                "Remove what the box came with",
                "Keep what the laptop still needs until the address has changed.",
                [Value("Remove", leftover) for leftover in self.kind.leftovers],
            )

    # --- Take effect

    def _take_effect(self) -> str:
        """The steps up to the planned state; what keeps the box from being opened after it, or nothing."""
        self.group = "Take effect"
        bench, kind, own = self.bench, self.kind, self.staying
        last = bench.last_port()
        if last is None and not bench.on_console and kind.console is None:
            where = "from no segment" if not self.device.access else "only where no port lets the laptop in"
            return (
                f"Once {named(self.device)} is as planned, nothing opens it any more: it may be managed {where}, and "
                "it has no console. Permit management from a segment that a port carries untagged"
            )
        if last is not None and last != bench.port and not bench.on_console and self._at_once:
            self._move(last, "move", f"Port {bench.port} will not lead to the box any more; port {last} does already.")
        mend = self._mend(last)
        if own is not None and self._at_once:
            before = bench.now()
            bench.settle(*bench.faces)
            self._segment_step(own, before, mend, self._farewell(before))
        elif own is not None:
            self._segment_step(own)
        if self._at_once and own is None:
            before = bench.now()
            bench.settle(*bench.faces)
            if before.reaches and not bench.reaches:
                self.step(
                    "own-port",
                    f"Port {bench.port}, where the laptop is",
                    self._farewell(before),
                    [Value(f"Port {bench.port}", "as planned")],
                    before=before,
                    mend=mend,
                )
        if not kind.restart_needed and kind.takes is not Takes.AT_ONCE:
            word = kind.takes.removeprefix("after ")
            before = bench.now()
            bench.settle(*bench.faces)
            self.step(
                word,
                word.capitalize(),
                f"All changes take effect together. {self._farewell(before)}",
                before=before,
                mend=mend,
            )
        elif kind.restart_needed:
            if kind.takes is not Takes.AT_ONCE:
                word = kind.takes.removeprefix("after ")
                self.step(word, word.capitalize(), "The changes are taken, and wait for the restart.")
            if kind.kept == "when saved":
                self.step("save-first", "Save", "What is not saved is gone with the restart.")
            before = bench.now()
            bench.settle(*bench.faces)
            self.step(
                "restart-first",
                "Restart",
                f"Only a restart lets the changes take effect. {self._farewell(before)}",
                before=before,
                mend=mend,
            )
        self._reconnect(last)
        return ""

    def _farewell(self, before: Situation) -> str:
        if before.reaches and not self.bench.reaches:
            face = self.bench.faces.get(self.bench.port)
            became = f"becomes {face.address}" if face and face.address else "is gone from this port"
            return (
                f"The box's address {before.box} {became}: the page in front of you will stop answering. That is "
                "expected. Do not wait for it: go on to the next step."
            )
        if before.port == "console":
            return "The console stays open."
        return "The laptop keeps the box."

    def _mend(self, last: str | None) -> str:
        bench = self.bench
        if last is None:
            return "Connect the console cable."
        face = bench.final[last]
        moved = "" if last == bench.port else f"Move the cable to port {last}. "
        if face.leases is not None:
            return f"{moved}Let the laptop ask for an address: it should get one from {face.leases}."
        return f"{moved}Give the laptop a fixed address in {face.network}."

    def _move(self, port: str, key: str, why: str) -> None:
        before = self.bench.now()
        self.bench.plug(port)
        self.step(key, f"Move the laptop to port {port}", why, [Value("Port", port)], needs_box=False, before=before)
        self._laptop_step(f"{key}-laptop", "planned subnet")
        self._open_step(
            f"{key}-open",
            "Its pages",
            "the same certificate warning as before" if self.kind.factory.certificate_warning else None,
            planned=True,
        )

    def _reconnect(self, last: str | None) -> None:
        """Bring the laptop back to the box, where the plan lets it in."""
        bench = self.bench
        if bench.on_console and last is not None:
            self._move(last, "join", "The console has done its work: from here the box is opened as on site.")
        elif last is None and not bench.on_console:
            before = bench.now()
            bench.plug("console")
            words = self.kind.console.words if self.kind.console else ""
            self.step(
                "console",
                "Connect the console cable",
                "No port lets the laptop manage the box any more: the console does.",
                [Value("Console", words)],
                needs_box=False,
                before=before,
            )
        elif last is not None and not bench.reaches:
            if last != bench.port:
                before = bench.now()
                bench.plug(last)
                self.step(
                    "move-back",
                    f"Move the laptop to port {last}",
                    "There the plan lets it in.",
                    [Value("Port", last)],
                    needs_box=False,
                    before=before,
                )
            self._laptop_step("laptop-again", "planned subnet")
            self._open_step(
                "reconnect", "Its pages have moved; open them", self.kind.factory.certificate_warning, planned=True
            )

    # --- Prove it, make it last, send it off

    def _prove(self, key: str, group: str) -> None:
        self.group = group
        measures = list(self._measures())
        self.step(
            key,
            f"{len(measures)} checks" if len(measures) > 1 else "Check",
            "Paste what the box or the laptop prints; it is judged here. The first lost reply of a new neighbour is "
            "normal. What cannot be measured on the bench is skipped with a reason.",
            (),
            measures,
        )

    def _measures(self) -> Iterator[Measure]:
        bench = self.bench
        for side in self.settings.internet:
            if side.gateway is not None:
                yield Measure(
                    f"neighbour-{side.key}", f"Ping {side.gateway}, {side.label}'s gateway", "ping", str(side.gateway)
                )
        resolvers = [resolver for side in self.settings.internet for resolver in side.resolvers]
        resolvers += self.settings.identity.forwarders
        if self.device.role is DeviceRole.EDGE:
            target = str(resolvers[0]) if resolvers else ""
            yield Measure("internet", f"Ping {target or 'an address on the internet'}", "ping", target)
            yield Measure("lookup", "Look up a name", "lookup")
        elif self.device.gateway is not None:
            yield Measure("gateway", f"Ping {self.device.gateway}, its gateway", "ping", str(self.device.gateway))
        face = bench.faces.get(bench.port)
        if face is not None and face.leases is not None:
            yield Measure("lease", "Address that a client got", "lease", str(face.leases))
        if any(access.networks for access in self.device.access.values()):
            yield Measure("remote", "Opened from outside", "yes")
        for name, light in self.kind.lights.items():
            yield Measure(f"light-{name.casefold()}", f"Light {name}: {light}", "light", light, needed=False)

    def _make_it_last(self) -> None:
        self.group = "Make it last"
        if self.kind.kept == "when saved":
            self.step("save", "Save", "What is not saved is gone at the first power cut.")
        self.step(
            "restart",
            "Restart by the plug",
            "Pull the power, count to ten, plug it in. The box is away for some minutes; the laptop keeps its address.",
            (),
            [Measure("back", "Answers again after", "text", needed=False)],
        )
        self._prove("prove-again", "Make it last")
        self.step(
            "backup",
            "Take a backup and attach it",
            "Download the configuration and attach the file here: it is stored encrypted, with its checksum.",
            (),
            [Measure("backup", "Backup file", "backup")],
        )

    def _send_off(self) -> None:
        self.group = "Send it off"
        before = self.bench.now()
        self.bench.plug("")
        self.step(
            "laptop-back",
            "Laptop back to its own network",
            "Unplug it from the box, and set it to DHCP. Left on an old address, it will cost somebody an hour.",
            needs_box=False,
            before=before,
        )
        self.step(
            "label",
            "Label",
            "Print the label on Handover, and put it where it can be read when the box hangs on the wall.",
            [Value("Host name", self.device.name or ""), Value("Site", f"{self.plan.customer}/{self.plan.site}")],
            needs_box=False,
        )
        cables = [Value(f"Port {name}", use.cable) for name, use in self.device.ports.items() if use.cable]
        self.step(
            "pack",
            "Pack",
            "The box, its power supply, the cables, and the installer's page on top.",
            cables,
            needs_box=False,
        )
