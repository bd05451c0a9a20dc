"""From the carton to a box that is open, with secrets of its own and the firmware that is wanted."""

from __future__ import annotations

from octaplan.core.plan.hardware import FirmwareSource, FirstPassword, Medium, Power
from octaplan.core.stage.entries import Value, told
from octaplan.core.stage.steps import Measure
from octaplan.core.stage.writer import Writer
from octaplan.core.values.words import listed


def carton(writer: Writer) -> None:
    """What is read off the box before anything is plugged in."""
    writer.group = "Open the carton"
    device = writer.device
    measures = [
        Measure("serial", "Serial number", "text", device.serial or "", "serial"),
        Measure("mac", "MAC on the label", "mac", " ".join(map(str, device.macs)), "macs", False),
        Measure("asset", "Asset tag", "text", device.asset_tag or "", "asset_tag", False),
    ]
    writer.step(
        "unpack",
        "Record serial, MAC and label",
        f"Check that it is the right box: {writer.kind.title}. A barcode scanner types for you: one scan a field.",
        [
            told("Model", writer.kind.title),
            told("For", f"{writer.name}, {writer.plan.customer}/{writer.plan.site}"),
        ],
        measures,
        needs_box=False,
    )


def power_words(powered_by: list[Power]) -> str:
    """How a box is powered on the bench."""
    if Power.SUPPLY in powered_by:
        return "its own power supply"
    if Power.INJECTOR in powered_by:
        return "an injector: the box into its powered socket, the laptop into the other"
    return "a port that gives power: a switch of the bench, with the laptop in it as well"


def first_contact(writer: Writer, start: str) -> None:
    """Plugged in, opened, logged in; the first passwords replaced; the firmware where the laptop brings it."""
    writer.group = "First contact"
    bench, kind = writer.bench, writer.kind
    before = bench.now()
    bench.plug(start)
    shut = [
        f"{name}: {port.why_not or 'not for the laptop'}"
        for name, port in kind.ports.items()
        if not port.laptop and not (start == "console" and port.medium is Medium.CONSOLE)
    ]
    avoid = f" Not into {'; not into '.join(shut)}." if shut else ""
    power = told("Power", power_words(kind.powered_by))
    if start == "console" and kind.console:
        writer.step(
            "plug",
            "Connect the console cable",
            f"Open a terminal on the console port, and power the box on.{avoid}",
            [told("Console", kind.console.words), power],
            needs_box=False,
            before=before,
        )
    else:
        writer.step(
            "plug",
            f"Plug the laptop into port {start}",
            f"Power the box on, and wait for the link light of port {start}.{avoid}",
            [Value("Port", start), power],
            [Measure("link", f"Link light of port {start}", "light", needed=False)],
            needs_box=False,
            before=before,
        )
        writer.laptop_step("laptop", "factory subnet")
        writer.open_step("open", kind.factory.certificate_warning)
    _log_in(writer)
    firmware(writer, at_start=True)


def _log_in(writer: Writer) -> None:
    """The first log-in, every secret replaced, and in again with the new one."""
    factory = writer.kind.factory
    password = factory.known_password if factory.password is FirstPassword.KNOWN else factory.password.words
    typed = factory.password is FirstPassword.KNOWN
    writer.bench.log_in(factory.web or next(iter(map(str, factory.services)), ""))
    writer.step(
        "log-in",
        "Log in",
        "Nothing of this stays: the next step replaces it.",
        [
            Value("User", factory.user or "none", copied=bool(factory.user)),
            Value("First password", password or "", copied=typed),
        ],
    )
    slots = [slot for slot in writer.slots if slot not in writer.sealing()]
    for slot in slots:
        name = slot.path.rsplit("/", 1)[-1]
        writer.bench.type_in(f"secret {name}")
        writer.step(
            f"slot-{name}",
            f"Set the {slot.label}",
            "Type it, do not shorten it: case matters. Some prompts show nothing while you type.",
            [Value(slot.label.capitalize(), "", slot.path)],
        )
    if slots:
        writer.log_in_again(
            "log-in-own", "The box may have logged you out. Proves that what you typed is what is kept."
        )


def save(writer: Writer, key: str, text: str) -> None:
    """Save, where the box has to be told."""
    if writer.kind.kept == "when saved":
        writer.bench.save()
        writer.step(key, "Save", text)


def firmware(writer: Writer, *, at_start: bool = False, joined: bool = False) -> None:
    """The wanted firmware, as soon as there is a way for it to come: by network, stick, or the internet."""
    wanted, bench = writer.kind.firmware, writer.bench
    ways = {FirmwareSource.LAPTOP: not bench.on_console and (joined or at_start), FirmwareSource.STICK: at_start}
    known = {step.key for step in writer.steps}
    ready = ways.get(wanted.source, not at_start and not joined)
    if not wanted.wanted or "firmware" in known or not ready or (joined and wanted.source is not FirmwareSource.LAPTOP):
        return
    save(writer, "save-firmware", "It restarts with the new firmware: what is not saved is gone then.")
    writer.step(
        "firmware",
        f"Firmware {wanted.wanted}",
        f"{wanted.how or 'Update as the maker describes it'}. The box may restart by itself; wait until it answers "
        "again. Where it has that level already, there is nothing to do but to write it down.",
        [Value("Wanted", wanted.wanted), told("Comes from", wanted.source.words)],
        [
            Measure(
                "firmware",
                "Firmware it now shows",
                "firmware",
                wanted.wanted,
                "firmware",
                beyond=wanted.source is FirmwareSource.INTERNET,
            )
        ],
    )
    bench.update(from_laptop=wanted.source is FirmwareSource.LAPTOP)
    writer.log_in_again("log-in-firmware", "After the restart one is logged out.")


def no_way_in(writer: Writer) -> str:
    """Why a box cannot be opened out of its carton."""
    why = "its interfaces are switched off" if writer.kind.factory.interfaces_disabled else "no port lets a laptop in"
    return (
        f"There is no way into the {writer.kind.title} out of its carton: {why}, and it has no console. Correct the "
        "type on Hardware"
    )


def born_joined(writer: Writer) -> str:
    """The ports that are joined out of the carton, in words; empty when none is."""
    joined: dict[str, list[str]] = {}
    for name, port in writer.kind.ports.items():
        if port.bridge is not None and port.carries:
            joined.setdefault(port.bridge, []).append(name)
    told_ports = [f"ports {listed(names)}" for names in joined.values() if len(names) > 1]
    return f" Out of the carton {listed(told_ports)} are joined." if told_ports else ""
