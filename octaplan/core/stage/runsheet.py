"""The run sheet: the ordered steps that turn one box out of its carton into the box for its site.

For every step it is known where the laptop is plugged in, what address it has, what address the box has, and
whether the one reaches the other, before the step and after. Steps are ordered so that the connection is lost
as late and as seldom as possible, and no step builds on what is not there yet.
"""

from __future__ import annotations

from octaplan.core.plan.boxes import named
from octaplan.core.plan.hardware import HardwareType, Takes
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage import configure, firstcontact, proving
from octaplan.core.stage.bench import Presumed
from octaplan.core.stage.entries import Value, port_values, told
from octaplan.core.stage.steps import RunSheet
from octaplan.core.stage.writer import Writer


def run_sheet(plan: SitePlan, key: str, kind: HardwareType | None, organisation: Organisation = UNDECIDED) -> RunSheet:
    """The run sheet of a device, from its plan and its hardware type; a mistake in one is its box's problem alone."""
    try:
        return written(plan, key, kind, organisation)
    except Presumed as error:
        return RunSheet((), f"No run sheet can be written, a mistake of Octaplan's own: {error}. Tell who maintains it")


def written(plan: SitePlan, key: str, kind: HardwareType | None, organisation: Organisation = UNDECIDED) -> RunSheet:
    """The run sheet of a device. Raises `Presumed` when a step builds on what is not there yet."""
    device = plan.devices[key]
    if kind is None:
        return RunSheet((), f"The type {device.type} of {named(device)} is not on Hardware any more: put it back there")
    if not kind.ports:
        return RunSheet((), f"The type {kind.title} lists no ports yet: add them on Hardware")
    writer = Writer(plan, key, kind, organisation)
    problem = _write(writer)
    return RunSheet(writer.with_notes(), problem)


def _write(writer: Writer) -> str:
    """All steps; what keeps the box from being staged to the end, or nothing."""
    start = writer.bench.first_port()
    firstcontact.carton(writer)
    if start is None:
        return firstcontact.no_way_in(writer)
    firstcontact.first_contact(writer, start)
    configure.identity(writer)
    configure.ports(writer)
    configure.circuits(writer)
    configure.inside(writer)
    configure.routes(writer)
    configure.rules(writer)
    if not writer.bench.at_once:
        configure.clear_away(writer)
    problem = _take_effect(writer)
    if problem:
        return problem
    proving.prove(writer)
    proving.with_line(writer)
    proving.make_it_last(writer)
    proving.send_off(writer)
    return ""


def _take_effect(writer: Writer) -> str:
    """The steps up to the planned state; what keeps the box from being opened after it, or nothing."""
    writer.group = "Take effect"
    bench, kind = writer.bench, writer.kind
    last = bench.last_port()
    if last is None and not bench.on_console and kind.console is None:
        where = "from no segment" if not writer.device.access else "only where no port lets the laptop in"
        return (
            f"Once {writer.name} is as planned, nothing opens it any more: it may be managed {where}, and it has no "
            "console. Permit management from a segment that a port carries untagged"
        )
    if not bench.at_once:
        _all_together(writer, last)
        _reconnect(writer, last)
    elif writer.device.routes_packets:
        _own_port_of_a_router(writer, last)
        _reconnect(writer, last)
    else:
        problem = _own_port_of_a_switch(writer, last)
        if problem:
            return problem
    if bench.at_once:
        configure.clear_away(writer)
    firstcontact.firmware(writer, joined=True)
    return ""


def _all_together(writer: Writer, last: str | None) -> None:
    """A box that takes its changes together: at `apply` or `commit`, or at a restart."""
    bench, kind, mend = writer.bench, writer.kind, writer.mend(last)
    word = kind.takes.removeprefix("after ") if kind.takes is not Takes.AT_ONCE else ""
    if kind.restart_needed and word:
        writer.step(word, word.capitalize(), "The changes are taken, and wait for the restart.")
    before = bench.now()
    if kind.restart_needed:
        firstcontact.save(writer, "save-first", "What is not saved is gone with the restart.")
        bench.restart()
    bench.take_effect()
    lost = before.reaches and not bench.reaches and not bench.on_console
    way_back = [writer.way_back()] if lost else []
    if kind.restart_needed:
        text = f"Only a restart lets the changes take effect. {writer.farewell(before)}"
        writer.step("restart-first", "Restart", text, way_back, before=before, mend=mend)
    else:
        text = f"All changes take effect together. {writer.farewell(before)}"
        writer.step(word, word.capitalize(), text, way_back, before=before, mend=mend)


def _own_port_of_a_router(writer: Writer, last: str | None) -> None:
    """What the laptop's own port carries, set up last, since it takes effect at once."""
    bench = writer.bench
    own = configure.staying(writer)
    if bench.on_console:
        if own is not None:
            configure.segment(writer, configure.by_key(writer, own))
        return
    if last is not None and last != bench.port:
        writer.move(last, "move", f"Port {bench.port} will not lead to the box any more; port {last} does already.")
        own = own if own is not None and f"interface {own}" not in bench.typed else None
    port, before = _left_port(writer), bench.now()
    mend = writer.mend(last)
    if own is not None and port:
        configure.segment(writer, configure.by_key(writer, own), before, mend, port=port)
    elif port:
        _set_own_port(writer, port, mend)


def _left_port(writer: Writer) -> str:
    """The port that was left for later, if it is planned for anything and not set up yet."""
    left = [port.name for port in writer.settings.ports if f"port {port.name}" not in writer.bench.typed]
    return next(iter(left), "")


def _set_own_port(writer: Writer, port: str, mend: str) -> None:
    bench, before = writer.bench, writer.bench.now()
    bench.type_in(f"port {port}")
    lost = before.reaches and not bench.reaches and not bench.on_console
    values = [*port_values([one for one in writer.settings.ports if one.name == port])]
    writer.step(
        "own-port",
        f"Port {port}, which was left for last",
        writer.farewell(before),
        [*(values or [Value(f"Port {port}", "as planned", copied=False)]), *([writer.way_back()] if lost else [])],
        before=before,
        mend=mend if lost else "",
    )


def _own_port_of_a_switch(writer: Writer, last: str | None) -> str:
    """The own address moves to its VLAN, the laptop follows it to a port that carries it, its old port comes last."""
    bench = writer.bench
    home = bench.home
    if home is None or bench.on_console:
        if home is not None:
            configure.segment(writer, configure.by_key(writer, home))
        port = _left_port(writer)
        if port:
            _set_own_port(writer, port, writer.mend(last))
        _reconnect(writer, last)
        return ""
    if not bench.native and last == bench.port:
        return (
            f"Port {last} is the only one that a laptop fits into, and it is to carry another VLAN than the one that "
            f"{writer.name} is opened by: let a second port carry {writer.plan.segments[home].label} alone"
        )
    before = bench.now()
    configure.segment(writer, configure.by_key(writer, home), before, writer.mend(last))
    stays = bench.native and bench.face(bench.port).open
    _reconnect(writer, bench.port if stays else last)
    port = _left_port(writer)
    if port and port == bench.port and not bench.final[port].open and last is not None:
        writer.move(last, "move", f"Port {port} will not lead to the box any more; port {last} does already.")
    if port:
        _set_own_port(writer, port, writer.mend(last))
        if not bench.reaches:
            _reconnect(writer, last)
    return ""


def _reconnect(writer: Writer, last: str | None) -> None:
    """Bring the laptop back to the box, where the plan lets it in."""
    bench, warning = writer.bench, writer.kind.factory.certificate_warning
    if bench.on_console and last is not None:
        writer.move(last, "join", "The console has done its work: from here the box is opened as on site.")
    elif last is None and not bench.on_console:
        before = bench.now()
        bench.plug("console")
        words = writer.kind.console.words if writer.kind.console else ""
        writer.step(
            "console",
            "Connect the console cable",
            "No port lets the laptop manage the box any more: the console does.",
            [told("Console", words)],
            needs_box=False,
            before=before,
        )
        writer.log_in_again("log-in-console", "At the console, as at the pages.")
    elif bench.on_console and not bench.logged_in:
        writer.log_in_again("log-in-console", "A restart logs everybody out.")
    elif last is not None and not bench.reaches:
        if last != bench.port:
            before = bench.now()
            bench.plug(last)
            text = f"Port {last} is the one that leads to the box now."
            writer.step(
                "move-back",
                f"Move the laptop to port {last}",
                text,
                [Value("Port", last)],
                needs_box=False,
                before=before,
            )
        writer.laptop_step("laptop-again", "planned subnet")
        writer.open_step("reconnect", warning, planned=True, log_in=True)
    elif last is not None and not bench.logged_in:
        writer.open_step("reconnect", warning, planned=True, log_in=True)
