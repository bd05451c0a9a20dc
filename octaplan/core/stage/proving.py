"""What shows that the box does what is planned: on the bench alone, with a line, after a restart; and its way out."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator

from octaplan.core.plan.credentials import licence_slot
from octaplan.core.plan.device import PortMode
from octaplan.core.plan.site import Handoff
from octaplan.core.stage.entries import Value, told
from octaplan.core.stage.firstcontact import firmware, save
from octaplan.core.stage.passing import passing_checks
from octaplan.core.stage.settings import InternetSide
from octaplan.core.stage.steps import READ_BACK, Measure
from octaplan.core.stage.writer import Writer

#: A name for the practice provider to answer (RFC 2606), where no line is at hand.
PRACTICE_NAME = "practice.example"
#: What the practice provider gives where it leases or dials in: documentation addresses (RFC 5737).
PRACTICE_NETWORK = "192.0.2.0/24"


def prove(writer: Writer) -> None:
    """What box and laptop can prove alone: it answers, each scope leases, each Wi-Fi lets one in."""
    writer.group = "Prove it"
    lights = [
        Measure(f"light-{name.casefold()}", f"Light {name}: {light}", "light", light, needed=False)
        for name, light in writer.kind.lights.items()
    ]
    measures = [*_answers(writer), *lights]
    if measures:
        writer.step("prove", "It answers", "From the laptop, without anything else plugged in.", (), measures)
    home = writer.bench.port
    _leases(writer, home)
    _joins(writer)
    if writer.bench.port != home:
        before = writer.bench.now()
        writer.bench.plug(home)
        if home == "console":
            writer.step("back", "Back to the console cable", "As before.", needs_box=False, before=before)
            writer.log_in_again("back-open", "At the console, as before.")
            return
        writer.bench.address_laptop()
        title = f"Laptop back into port {home}"
        how = (
            "It asks for an address again."
            if writer.bench.how == "lease"
            else f"Its address is {writer.bench.laptop} again."
        )
        writer.step("back", title, how, [Value("Port", home)], needs_box=False, before=before)
        writer.open_step("back-open", writer.kind.factory.certificate_warning, planned=True, log_in=True)


def _answers(writer: Writer) -> Iterator[Measure]:
    """That the box answers at its planned address, and leases where the laptop is."""
    bench = writer.bench
    if bench.on_console or not bench.port:
        return
    face = bench.face(bench.port)
    if face.address is not None:
        yield Measure("answer", f"Ping {face.address}, the box itself", "ping", str(face.address))
    if face.leases is not None:
        yield Measure("lease", "Address that the laptop got", "lease", str(face.leases))


def _leases(writer: Writer, home: str) -> None:
    """A client in each segment that the box serves, at a port of it."""
    bench = writer.bench
    for inside in writer.settings.inside:
        ports = [name for name in writer.ports_of(inside.key) if name in bench.final]
        if inside.serves is None or not ports or (home in ports and bench.face(home).leases is not None):
            continue
        port = ports[0]
        leases = bench.final[port].leases
        if leases is None:
            continue
        bench.measure(f"scope {inside.key}", f"interface {inside.key}", f"port {port}")
        before = bench.now()
        bench.plug(port)
        bench.address_laptop()
        writer.step(
            f"lease-{inside.key}",
            f"A client in {inside.label}: port {port}",
            f"Plug the laptop into port {port}, and let it ask for an address.",
            [Value("Port", port)],
            [
                Measure("lease", "Address that it got", "lease", str(leases)),
                *(
                    [Measure("gateway", f"Ping {inside.address}, the box itself", "ping", str(inside.address))]
                    if inside.address
                    else []
                ),
            ],
            needs_box=False,
            before=before,
        )


def _joins(writer: Writer) -> None:
    """A telephone or the laptop on each Wi-Fi network."""
    for wifi in writer.settings.wireless:
        writer.bench.measure(f"wifi {wifi.key}")
        writer.step(
            f"join-{wifi.key}",
            f"Join Wi-Fi {wifi.name}",
            "With a telephone, or a second laptop: look it up in the list of networks, and type its key.",
            [Value("Name (SSID)", wifi.name), Value("Key", "", wifi.password)],
            [Measure("joined", f"{wifi.name} lets it in", "yes")],
            needs_box=False,
        )


# --- With a provider, or with the box that it hangs on ----------------------------------------------------


def with_line(writer: Writer) -> None:
    """The internet cable, and all that only a line can prove; a practice provider will do."""
    sides = [side for side in writer.settings.internet if side.port]
    if sides:
        writer.group = "With a line"
        _practice(writer, sides)
        for side in sides:
            writer.bench.cable_in(side.key)
        named = [f"{side.label}: port {side.port}" for side in sides]
        writer.step(
            "internet-cable",
            "Plug the internet cable in",
            "The box is protected now. The line of the bench, or the practice provider.",
            [told("Cable", one) for one in named],
            [Measure("link", "Its link light", "light", needed=False)],
            needs_box=False,
        )
        writer.bench.measure(line=True)
        writer.step(
            "prove-line",
            "The internet is there",
            "From the laptop, or from the box itself.",
            (),
            [*_line(writer, sides)],
        )
        _passing(writer)
        _licences(writer)
    if sides or _uplink(writer):
        firmware(writer)


def _practice(writer: Writer, sides: list[InternetSide]) -> None:
    values: list[Value] = []
    for side in sides:
        if side.vlan:
            values.append(Value(f"{side.label}: VLAN tag on its port", str(side.vlan)))
        if side.handoff is Handoff.PPPOE:
            values.append(
                told(f"{side.label}: PPPoE server", f"for {side.pppoe_user or 'the user'}, with this password")
            )
            values.append(Value(f"{side.label}: PPPoE password", "", side.password))
        elif side.given:
            values.append(told(f"{side.label}: DHCP server", f"leasing in {PRACTICE_NETWORK}, itself as gateway"))
        elif side.gateway is not None and side.prefix is not None:
            values.append(Value(f"{side.label}: its address", f"{side.gateway}/{side.prefix}"))
        for resolver in side.resolvers[:2]:
            values.append(Value(f"{side.label}: answers names at", str(resolver)))
    values.append(Value("A name that it answers", PRACTICE_NAME))
    writer.step(
        "practice",
        "A line, or a practice provider",
        "With a line of this provider on the bench: go on. Without: any router can play it, with the "
        "settings below on the port that the internet cable goes into. Without either, skip the checks of this part "
        "one by one: the installer's page asks for them on site.",
        values,
        needs_box=False,
    )


def _line(writer: Writer, sides: list[InternetSide]) -> Iterator[Measure]:
    gateway = next((side.gateway for side in sides if side.gateway is not None), None)
    if gateway is not None:
        yield Measure("gateway", f"Ping {gateway}, the provider's gateway", "ping", str(gateway), beyond=True)
    resolvers = next((side.resolvers for side in sides if side.resolvers), ())
    target = str(resolvers[0]) if resolvers else ""
    yield Measure("outside", f"Ping {target or 'an address on the internet'}", "ping", target, beyond=True)
    yield Measure("lookup", f"Look up a name ({PRACTICE_NAME} with a practice provider)", "lookup", beyond=True)
    if any(access.networks for access in writer.settings.access):
        yield Measure("remote", "Opened from outside, from where that is permitted", "yes", beyond=True)
    if writer.settings.identity.time_servers:
        yield Measure("clock", "Its clock is right, by its time server", "yes", needed=False, beyond=True)


def _passing(writer: Writer) -> None:
    """What passes the box and what must not, as the walk says: from each segment, and from outside."""
    measures = [
        Measure(f"passes-{number}", check.words, "passes" if check.passes else "silent", beyond=True)
        for number, check in enumerate(passing_checks(writer.plan, writer.organisation, writer.key))
    ]
    if measures:
        writer.step(
            "passes",
            "What passes, and what does not",
            "From a client in each segment, and from outside: what is meant to pass arrives, what is meant to be "
            "closed gets no answer. What needs more than the bench has, skip with a reason.",
            (),
            measures,
            needs_box=False,
        )


def _licences(writer: Writer) -> None:
    for licence, purpose in writer.kind.licences.items():
        recorded = writer.device.licences.get(licence)
        ends = str(recorded.ends) if recorded is not None and recorded.ends else ""
        writer.step(
            f"licence-{'-'.join(licence.casefold().split())}",
            f"Licence {licence}",
            f"Needed for {purpose}. Its key is in the safe when it has one; others are found by the serial number.",
            [Value("Key", "", licence_slot(writer.key, licence)), told("Ends", ends)],
            [Measure("active", "The box says that it is active", "yes", beyond=True)],
        )


def _uplink(writer: Writer) -> bool:
    """The box that it hangs on, where that is on the bench too; whether there is one."""
    towards = writer.settings.identity.gateway or next((r.by for r in writer.settings.routes if r.to.prefix == 0), None)
    cable = next((port for port in writer.settings.ports if port.peer and port.peer_port), None)
    if towards is None:
        return False
    writer.group = "With the box that it hangs on"
    values = [told("Cable", f"port {cable.name} into port {cable.peer_port} of {cable.peer}")] if cable else []
    writer.step(
        "uplink",
        "Plug it into the box that it hangs on",
        "That one first, staged, on the bench beside it. Where it is not there, skip the check: the installer's page "
        "asks for it on site.",
        values,
        [
            Measure(
                "gateway", f"Ping {towards}, its gateway, from the box or the laptop", "ping", str(towards), beyond=True
            )
        ],
        needs_box=False,
    )
    leases = [*_clients(writer)]
    if leases:
        writer.step(
            "clients",
            "A client in each segment",
            "With the laptop, one port after the other, each time asking for an address anew.",
            (),
            leases,
            needs_box=False,
        )
    return True


def _clients(writer: Writer) -> Iterator[Measure]:
    """A lease at a socket of each segment that another box serves, over the cable between the two."""
    for inside in writer.settings.inside:
        sockets = [p for p in writer.settings.ports if p.mode == PortMode.ACCESS and p.untagged and not p.host]
        port = next((p.name for p in sockets if p.untagged and p.untagged.key == inside.key and not p.peer), None)
        pieces = writer.plan.segments[inside.key].scope.pieces
        if port is not None and pieces and inside.serves is None:
            span = str(writer.plan.segments[inside.key].scope.span)
            yield Measure(
                f"lease-{inside.key}", f"Address in {inside.label}, at port {port}", "lease", span, beyond=True
            )


# --- Made to last, sent off -------------------------------------------------------------------------------


def make_it_last(writer: Writer) -> None:
    """Saved, restarted by the plug, proven again, backed up."""
    writer.group = "Make it last"
    bench = writer.bench
    save(writer, "save", "What is not saved is gone at the first power cut.")
    bench.restart()
    writer.step(
        "restart",
        "Restart by the plug",
        "Pull the power, count to ten, plug it in. The box is away for some minutes; the laptop keeps its address.",
        (),
        [Measure("back", "Answers again after", "text", needed=False)],
        needs_box=False,
    )
    if bench.on_console:
        writer.log_in_again("log-in-restart", "A restart logs everybody out.")
    else:
        writer.open_step("open-restart", writer.kind.factory.certificate_warning, planned=True, log_in=True)
    again = [*_answers(writer)]
    gateway = next((side.gateway for side in writer.settings.internet if side.gateway is not None), None)
    if gateway is not None:
        again.append(Measure("gateway", f"Ping {gateway}, the provider's gateway", "ping", str(gateway), beyond=True))
    kept = Measure("kept", "Host name and rules are still there", "yes")
    writer.step("prove-again", "It is as it was", "What was lost by the restart was not saved.", (), [kept, *again])
    if writer.kind.write_out is not None or writer.organisation.read_back:
        _read_back(writer)
    writer.step(
        "backup",
        "Take a backup and attach it",
        "Download the configuration and attach the file here: it is stored encrypted, with its checksum.",
        [Value(slot.label.capitalize(), "", slot.path) for slot in writer.sealing()],
        [Measure("backup", "Backup file", "backup")],
    )


def _read_back(writer: Writer) -> None:
    """All that the box shows, held against the plan; asked for anew when anything that goes into it has changed."""
    settings = hashlib.blake2b(repr(writer.settings).encode(), digest_size=8).hexdigest()
    writer.step(
        READ_BACK,
        "Paste what it shows now",
        "Its whole configuration, as it prints it or as its pages show it. Each value is held against the plan; "
        "what was found is kept with the run, the text is not.",
        (),
        [Measure("shown", "What it shows", "read-back", settings)],
    )


def send_off(writer: Writer) -> None:
    """The laptop back to its own network, the box labelled and packed."""
    writer.group = "Send it off"
    before = writer.bench.now()
    writer.bench.plug("")
    writer.step(
        "laptop-back",
        "Laptop back to its own network",
        "Unplug it from the box, and set it to DHCP. Left on an old address, it will cost somebody an hour.",
        needs_box=False,
        before=before,
    )
    writer.step(
        "label",
        "Label",
        "Print the label on Handover, and put it where it can be read when the box hangs on the wall.",
        [Value("Host name", writer.device.name or ""), told("Site", f"{writer.plan.customer}/{writer.plan.site}")],
        needs_box=False,
    )
    cables = [told(f"Port {name}", use.cable) for name, use in writer.device.ports.items() if use.cable]
    writer.step(
        "pack",
        "Pack",
        f"The box, {_power_packed(writer)}, the cables, and the installer's page on top.",
        cables,
        needs_box=False,
    )


def _power_packed(writer: Writer) -> str:
    from_port = all(one == "port" for one in writer.kind.powered_by)
    return "no power supply, since its port gives power" if from_port else "its power supply or injector if it has one"
