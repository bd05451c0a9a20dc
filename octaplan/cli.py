"""The program `octaplan`: thin commands over the rest.

Exit status: 0 done (for `check`: nothing of severity `stop`, no row refused), 1 something was found or
refused, 2 it could not be done at all, told in one line on standard error.
"""

from __future__ import annotations

import gc
import json
import socket
import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn
from urllib.parse import urlsplit

import typer

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.values.errors import OctaplanError
from octaplan.formats import report
from octaplan.formats.sources import bytes_of_tables, load_paths, unread_files

if TYPE_CHECKING:
    from octaplan.core.plan.hardware import HardwareType
    from octaplan.core.plan.organisation import Organisation
    from octaplan.core.plan.site import SitePlan
    from octaplan.server.practising import PracticeDesk
    from octaplan.store.database import Database
    from octaplan.store.records import Records

app = typer.Typer(
    help="Plan, check and clear the network edge of many small sites.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)

PassphraseFile = Annotated[
    Path | None, typer.Option("--passphrase-file", help="A file whose first line is the passphrase of the keys.")
]
DataFolder = Annotated[Path, typer.Option("--data", help="The folder that holds Octaplan's records.")]


class Format(StrEnum):
    TEXT = "text"
    JSON = "json"


def _fail(problem: str) -> NoReturn:
    print(f"octaplan: {' '.join(problem.split())}", file=sys.stderr)
    raise typer.Exit(2)


@contextmanager
def _telling() -> Iterator[None]:
    """Say in one line why something could not be read or written at all."""
    try:
        yield
    except OctaplanError as error:
        _fail(str(error))
    except OSError as error:
        _fail(f"{error.filename or 'the files'}: {error.strerror or error}")


@contextmanager
def _progress(words: str, length: int) -> Iterator[Callable[[int], None]]:
    """A bar on standard error, when that is a terminal and somebody waits at it."""
    if not sys.stderr.isatty() or length < 500:
        yield lambda _: None
        return
    with typer.progressbar(length=length, label=f"{words:<8}", file=sys.stderr, update_min_steps=length // 200) as bar:
        yield bar.update
        bar.update(length)


@app.callback()
def octaplan() -> None:
    """Plan, check and clear the network edge of many small sites."""


@app.command()
def check(
    paths: Annotated[list[Path], typer.Argument(help="Folders of CSV tables, XLSX workbooks, site-plan JSON files.")],
    output: Annotated[Format, typer.Option("--format", help="How to print what was found.")] = Format.TEXT,
) -> None:
    """Check intake tables and site plans with every rule, and print the findings. Nothing is written."""
    gc.disable()  # a short life with many small things and no cycles: collecting takes a third of the time
    with _telling():
        for name in unread_files(paths):
            print(f"octaplan: {name} is none of the four tables and was not read", file=sys.stderr)
        with _progress("Reading", bytes_of_tables(paths)) as told:
            intake = load_paths(paths, progress=told)
    plans = list(intake.plans.values())
    with _progress("Checking", len(plans)) as told:
        portfolio = Portfolio()
        for plan in plans:
            portfolio.put(plan)
            told(1)
        findings = portfolio.check_all()
    if output is Format.JSON:
        print(json.dumps(report.as_json(plans, findings, intake), ensure_ascii=False, indent=1))
    else:
        print("\n".join(report.as_text(plans, findings, intake)))
    stopped = any(finding.severity is Severity.STOP for finding in findings)
    raise typer.Exit(1 if stopped or intake.refused else 0)


@app.command()
def walk(
    plan: Annotated[str, typer.Argument(help="A site-plan JSON file, or with --data a site as CUSTOMER/SITE.")],
    source: Annotated[
        str | None, typer.Option("--from", help="A segment, host, box, address, internet or other-sites.")
    ] = None,
    target: Annotated[str | None, typer.Option("--to", help="The same, for who is asked.")] = None,
    service: Annotated[str, typer.Option(help="Such as tcp/443, https, ping; any.")] = "any",
    down: Annotated[str | None, typer.Option(help="A circuit that is down, by its label.")] = None,
    data: Annotated[Path | None, typer.Option("--data", help="The folder that holds Octaplan's records.")] = None,
    types: Annotated[Path | None, typer.Option("--types", help="A folder of hardware types.")] = None,
    output: Annotated[Format, typer.Option("--format", help="How to print the answers.")] = Format.TEXT,
) -> None:
    """Walk what a plan lets through: who reaches whom, and what stops it. Exit status 1 when it is not as meant."""
    from octaplan.core.flow.asking import answered, as_document
    from octaplan.formats.walking import answers_of, traffic_asked

    with _telling():
        if types is not None and not types.is_dir():
            _fail(f"{types} is no folder of hardware types")
        read, organisation = _planned(plan, data)
        traffic = traffic_asked(read, organisation, service)
        answers = answers_of(traffic, source, target, service, down)
    if output is Format.JSON:
        print(json.dumps({"answers": [as_document(traffic, one) for one in answers]}, ensure_ascii=False, indent=1))
    else:
        for one in answers:
            mark = " " if one.agrees else "!"
            named = "" if service == "any" else f" by {one.services}"
            print(f"{mark} {one.source.called} to {one.target.called}{named}: {answered(traffic, one)}")
    raise typer.Exit(0 if all(one.agrees for one in answers) else 1)


class TextForm(StrEnum):
    OWN = "own"
    YANG = "yang"
    ZONE = "zone"
    HOSTS = "hosts"
    RESERVATIONS = "reservations"


PlanOf = Annotated[str, typer.Argument(help="A site-plan JSON file, or with --data a site as CUSTOMER/SITE.")]
DataOf = Annotated[Path | None, typer.Option("--data", help="The folder that holds Octaplan's records.")]
TypesOf = Annotated[
    Path | None, typer.Option("--types", help="A folder of hardware types; else the records', or the demo's.")
]
BoxOf = Annotated[str, typer.Option("--device", help="The box: its name, or its role where there is one of it.")]


@app.command()
def rehearse(
    plan: Annotated[str, typer.Argument(help="A plan as JSON, or CUSTOMER/SITE of --data.")],
    data: Annotated[Path | None, typer.Option("--data", help="The folder of records that a site is read from.")] = None,
    output: Annotated[Format, typer.Option("--format", help="How the result is written.")] = Format.TEXT,
    keep: Annotated[bool, typer.Option("--keep", help="Leave the network up until Enter is pressed.")] = False,
) -> None:
    """Bring a plan up as a real network on this machine, and hold what it does against the walk and what is meant.

    Exit status 0: all three agree; 1: something does not; 2: it could not run, and why.
    """
    from octaplan.formats.rehearsed import kept_words, rehearsal_words
    from octaplan.lab.rehearsal.rehearsing import Rehearsing

    with _telling():
        planned, organisation = _planned(plan, data)
        task = {"plan": planned.document(), "organisation": organisation.model_dump(mode="json"), "keep": keep}
        with Rehearsing(task) as rehearsing:
            for event in rehearsing.events():
                if event["event"] == "refused":
                    _fail(event["message"])
                if event["event"] == "kept":
                    print(kept_words(event, rehearsing.pid), file=sys.stderr)
                    sys.stdin.readline()
                    rehearsing.end()
                if event["event"] == "result":
                    result = {name: value for name, value in event.items() if name != "event"}
    print(json.dumps(result, indent=2) if output is Format.JSON else rehearsal_words(result))
    raise typer.Exit(1 if any(result[one] for one in ("against_walk_count", "otherwise_count", "leases_wrong")) else 0)


@app.command("stand-in")
def stand_in(
    type_key: Annotated[str, typer.Argument(metavar="TYPE", help="The key of a hardware type, as brackwater-e5.")],
    web: Annotated[int, typer.Option("--web", help="Port of its web pages; 0 for a free one.")] = 0,
    ssh: Annotated[int, typer.Option("--ssh", help="Port of its SSH; 0 for a free one.")] = 0,
    console: Annotated[int, typer.Option("--console", help="Port of its console; 0 for a free one.")] = 0,
    plan: Annotated[Path | None, typer.Option("--plan", help="A plan that it has been told already.")] = None,
    device: Annotated[str | None, typer.Option("--device", help="Which box of that plan it is.")] = None,
    types: TypesOf = None,
) -> None:
    """Run a stand-in: a box that is not there, made from a hardware type, reached on this machine only.

    Lines on standard input are what one does to it: on, off, reset, plug PORT, label. It ends with them.
    """
    from octaplan.demo.boxes import TYPES
    from octaplan.formats.typefiles import read_types
    from octaplan.lab.standin.run import run
    from octaplan.lab.standin.servers import Doors, PortTaken

    with _telling():
        kinds = read_types(types or TYPES)
        if type_key not in kinds:
            _fail(f"There is no hardware type {type_key}. Known are {', '.join(sorted(kinds))}")
        told = None
        if plan is not None:
            told = _planned(str(plan), None)[0]
            device = _box_of(told, device or "")
        try:
            plain = kinds[type_key].factory.web == "http"
            doors = Doors(https=0 if plain else web, http=web if plain else 0, ssh=ssh, console=console)
            run(kinds[type_key], doors, told, device)
        except PortTaken as taken:
            _fail(str(taken))


@app.command("write-out")
def write_out(
    plan: PlanOf,
    device: BoxOf,
    form: Annotated[TextForm, typer.Option("--as", help="The box's own language, or a neutral form.")] = TextForm.OWN,
    data: DataOf = None,
    types: TypesOf = None,
) -> None:
    """Write the text by which a box is told what is planned. Marks stand for secrets. Exit status 1 when a planned
    value is in no line."""
    from octaplan.core.config.neutral import hosts_file, reservations, yang_document, zones
    from octaplan.core.config.writeout import write_out as written_out
    from octaplan.formats.tables import csv_text

    with _telling():
        read, organisation, kinds = _equipped(plan, data, types)
        key = _box_of(read, device)
        kind = kinds.get(read.devices[key].type)
        if form is TextForm.OWN:
            if kind is None:
                _fail(
                    f"The hardware type {read.devices[key].type} is not known: name the folder that has it by --types"
                )
            written = written_out(read, key, kind, organisation)
            print(written.text, end="")
            for leaf in written.left_out:
                print(f"octaplan: in no line: {leaf.what} {leaf.value} ({leaf.path})", file=sys.stderr)
            for leaf in written.open:
                print(f"octaplan: not known yet: {leaf.what} ({leaf.path})", file=sys.stderr)
            raise typer.Exit(1 if written.left_out else 0)
        if form is TextForm.YANG:
            print(json.dumps(yang_document(read, key, kind, organisation), ensure_ascii=False, indent=1))
        elif form is TextForm.RESERVATIONS:
            columns = ["segment", "address", "mac", "name"]
            print(csv_text(columns, reservations(read, key)), end="")
        else:
            print(zones(read) if form is TextForm.ZONE else hosts_file(read), end="")


@app.command("read-back")
def read_back(
    plan: PlanOf,
    file: Annotated[Path, typer.Argument(help="What the box printed; - for standard input.")],
    device: BoxOf,
    data: DataOf = None,
    types: TypesOf = None,
    output: Annotated[Format, typer.Option("--format", help="How to print what was found.")] = Format.TEXT,
) -> None:
    """Hold what a box printed against its plan. Exit status 1 when something is missing, other, or not planned."""
    from octaplan.core.config.readback import read_back as held
    from octaplan.core.config.text import decoded

    with _telling():
        read, organisation, kinds = _equipped(plan, data, types)
        key = _box_of(read, device)
        text = decoded(sys.stdin.buffer.read() if str(file) == "-" else file.read_bytes())
        back = held(read, key, text, kinds.get(read.devices[key].type), organisation)
    if back.about:
        print(f"octaplan: this looks like the text of {back.about}", file=sys.stderr)
    if output is Format.JSON:
        print(json.dumps(back.document(), ensure_ascii=False, indent=1))
    else:
        print("\n".join(report.of_read_back(back)))
    raise typer.Exit(1 if back.departures else 0)


def _equipped(
    plan: str, data: Path | None, types: Path | None
) -> tuple[SitePlan, Organisation, Mapping[str, HardwareType]]:
    """A plan, the settings that it is judged by, and the hardware types that go with it."""
    from octaplan.core.plan.organisation import UNDECIDED
    from octaplan.demo.boxes import TYPES
    from octaplan.formats.planjson import read_plan
    from octaplan.formats.typefiles import read_types

    if data is None:
        return read_plan(Path(plan)), UNDECIDED, read_types(types or TYPES)
    with _records(data) as records:
        sites = records.now.sites
        kinds = read_types(types) if types is not None else sites.portfolio.hardware or {}
        return sites.plan(plan), sites.portfolio.organisation, kinds


def _box_of(plan: SitePlan, name: str) -> str:
    from octaplan.core.plan.boxes import boxes_told, chosen_box

    key = chosen_box(plan, name)
    if key is None:
        _fail(f"{name!r} is no one box of {plan.customer}/{plan.site}: it has {boxes_told(plan)}")
    return key


def _planned(plan: str, data: Path | None) -> tuple[SitePlan, Organisation]:
    """A plan by its file, or by its site in a data folder; with the settings that it is judged by."""
    from octaplan.core.plan.organisation import UNDECIDED
    from octaplan.formats.planjson import read_plan

    if data is None:
        return read_plan(Path(plan)), UNDECIDED
    with _records(data) as records:
        return records.now.sites.plan(plan), records.now.sites.portfolio.organisation


@app.command("import")
def import_tables(
    path: Annotated[Path, typer.Argument(help="A folder of CSV tables, an XLSX workbook or a site-plan JSON file.")],
    data: DataFolder,
    refused: Annotated[Path | None, typer.Option(help="A folder for the refused rows, as tables to mend.")] = None,
) -> None:
    """Load intake tables or a site plan into the records, all of it or nothing but the refused rows."""
    from octaplan.store.imports import refused_tables

    with _telling(), _records(data) as records:
        plans = records.plans
        before = plans.now.all()
        intake = load_paths([path], before)
        given = intake.secrets
        saved = plans.save_all(intake.plans.values(), "octaplan import", "Loaded from tables", secrets=given)
        if refused is not None and intake.refused:
            refused.mkdir(parents=True, exist_ok=True)
            for name, text in refused_tables(intake.refused).items():
                (refused / f"{name}.csv").write_text(text, "utf-8-sig", newline="")
    for entry in report.refusals(intake.refused):
        where = f"{entry['file']} row {entry['row']}"
        print(f"refused    {where}, {entry['column']}: {entry['problem']}")
    new = sum(key not in before for key in intake.plans)
    unchanged = len(intake.plans) - saved
    print(f"{new} sites new, {saved - new} changed, {unchanged} unchanged, {len(intake.refused)} rows refused")
    raise typer.Exit(1 if intake.refused else 0)


@app.command()
def export(
    path: Annotated[
        Path,
        typer.Argument(help="A folder for CSV tables, an .xlsx or .ods workbook, or a .json file for one site's plan."),
    ],
    data: DataFolder,
    site: Annotated[str | None, typer.Option(help="Only this site, as CUSTOMER/SITE.")] = None,
) -> None:
    """Write the records as intake tables, or one site's plan as JSON."""
    from octaplan.formats.columns import COLUMNS
    from octaplan.formats.planjson import write_plan
    from octaplan.formats.rows import table_rows
    from octaplan.formats.spreadsheet import MEDIA
    from octaplan.formats.tables import csv_text
    from octaplan.formats.workbook import write_workbook
    from octaplan.store.journal import Act

    with _telling(), _records(data) as records:
        plans = records.plans
        chosen = list(plans.now.all().values()) if site is None else [plans.now.plan(site)]
        if path.suffix.casefold() == ".json":
            if site is None:
                _fail("A .json file holds the plan of one site: name it with --site CUSTOMER/SITE")
            path.write_text(write_plan(chosen[0]), "utf-8")
        elif path.suffix.casefold() in MEDIA:
            write_workbook(path, table_rows(chosen), path.suffix.casefold())
        else:
            path.mkdir(parents=True, exist_ok=True)
            for name, rows in table_rows(chosen).items():
                (path / f"{name}.csv").write_text(csv_text(list(COLUMNS[name]), rows), "utf-8", newline="")
        what = site or f"{len(chosen)} sites"
        records.journal.note(Act.EXPORTED, "octaplan export", f"{what}, {path.name}")
    print(f"{len(chosen)} site{'' if len(chosen) == 1 else 's'} written to {path}")


@app.command("intake-template")
def intake_template(
    file: Annotated[Path, typer.Argument(help="The workbook to write, ending in .xlsx or .ods.")],
) -> None:
    """Write an empty intake workbook to fill in, with notes at its columns and lists of values."""
    from octaplan.formats.spreadsheet import MEDIA
    from octaplan.formats.workbook import write_workbook

    if file.suffix.casefold() not in MEDIA:
        _fail(f"{file} does not end in .xlsx or .ods: give the workbook such a name")
    if file.exists():
        _fail(f"{file} is there already: choose another name, or take it away first")
    with _telling():
        write_workbook(file, suffix=file.suffix.casefold())
    print(f"An empty intake workbook is at {file}")


class RoleName(StrEnum):
    ADMINISTRATOR = "administrator"
    PLANNER = "planner"
    TECHNICIAN = "technician"
    VIEWER = "viewer"


@app.command()
def user(
    name: Annotated[str, typer.Argument(help="The sign-in name.")],
    data: DataFolder,
    full_name: Annotated[str, typer.Option(help="The name that others see.")] = "",
    role: Annotated[RoleName, typer.Option(help="What the account may do.")] = RoleName.TECHNICIAN,
    reset: Annotated[
        bool, typer.Option("--reset", help="Give an account that is there a new password, without second factor.")
    ] = False,
) -> None:
    """Make an account, or reset one; its password is asked for, or read from standard input."""
    from octaplan.store.accounts import Person
    from octaplan.store.models import AccountRole

    if sys.stdin.isatty():
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    else:
        password = sys.stdin.readline().rstrip("\n")
    with _telling(), _records(data) as records:
        by = "octaplan user"
        if reset:
            known = next((a for a in records.accounts.everyone() if a.name == name.casefold()), None)
            if known is None:
                _fail(f"There is no account {name}")
            person = Person("", by, AccountRole.ADMINISTRATOR)
            records.accounts.change(
                known.name, person, role=known.role, ends=known.ends, password=password, drop_second=True
            )
        else:
            records.accounts.add(name, full_name or name, password, AccountRole(role), by=by)
    print(f"Account {name.casefold()} {'reset' if reset else 'made'}")


@app.command("journal-check")
def journal_check(
    data: DataFolder,
    head: Annotated[str, typer.Option(help="A head that was printed earlier and kept elsewhere: NUMBER:DIGEST.")] = "",
) -> None:
    """Go through the journal's chain, and say whether any line was changed, taken out, put in, or taken off its end."""
    from octaplan.store.chain import Head

    kept = Head.of(head)
    if head and kept is None:
        _fail(f"{head} is no head of a journal: write it as it was printed, NUMBER:DIGEST")
    with _telling(), _records(data) as records:
        checked = records.journal.check(kept)
    if checked.fault:
        print(f"The journal has been tampered with. {checked.fault}")
        raise typer.Exit(1)
    head = f"{checked.lines}:{checked.digest}"
    print(f"{checked.lines} lines, the chain is whole; its head is {head}. Keep a copy of that elsewhere")


@app.command("change-key")
def change_key(data: DataFolder) -> None:
    """Seal everything in the safe anew with a new key, all of it or nothing."""
    with _telling(), _records(data) as records:
        number = records.safe.change_key("octaplan change-key")
    print(f"{number} things sealed anew; keep a copy of {data / 'safe.key'} apart from the data folder")


@app.command()
def backup(
    target: Annotated[Path, typer.Argument(metavar="FILE", help="The copy to write, a ZIP file.")],
    data: DataFolder = Path("data"),
    passphrase_file: PassphraseFile = None,
) -> None:
    """Copy all records into one file, also while Octaplan runs. Without a passphrase the keys are not in it."""
    from octaplan.store.backups import make

    with _telling():
        made = make(data, target, _passphrase(passphrase_file))
    print(f"{made.path} holds everything as it was at {made.at:%Y-%m-%d %H:%M:%S} UTC, {made.size:,} bytes")
    if not made.keys:
        print(f"The keys are apart: keep copies of {data / 'safe.key'} and {data / 'journal.key'} at another place")


@app.command()
def restore(
    source: Annotated[Path, typer.Argument(metavar="FILE", help="The copy.")],
    data: DataFolder,
    passphrase_file: PassphraseFile = None,
) -> None:
    """Put a copy of all records back, into a folder that is empty or not there."""
    from octaplan.store.backups import restore as put_back

    with _telling():
        keys = put_back(source, data, _passphrase(passphrase_file))
    print(f"{data} holds what {source.name} held")
    if not keys:
        print(f"Put safe.key and journal.key back into {data}, then run octaplan verify {data}")


@app.command()
def verify(
    path: Annotated[Path, typer.Argument(help="A data folder, also one in use, or a copy.")],
    passphrase_file: PassphraseFile = None,
    keys: Annotated[Path | None, typer.Option(help="A folder with the keys, when they are apart.")] = None,
    mend: Annotated[
        bool, typer.Option("--mend", help="Make derived tables anew from the plans; not while in use.")
    ] = False,
) -> None:
    """Go through the records: the file whole, tables as the plans say, every secret opens, the journal whole."""
    from octaplan.store.backups import verify as go_through
    from octaplan.store.rebuild import rebuild

    with _telling():
        if mend:
            with _records(path) as records:
                print(f"{rebuild(records.database)} derived tables of sites made anew")
        verdicts = go_through(path, _passphrase(passphrase_file), keys)
    for verdict in verdicts:
        print(f"{verdict.what}: {verdict.fault or 'whole'}")
    if any(verdict.fault for verdict in verdicts):
        raise typer.Exit(1)


def _passphrase(file: Path | None) -> str:
    """The passphrase that stands in the first line of a file."""
    if file is None:
        return ""
    lines = file.read_text("utf-8").splitlines()
    if not lines or not lines[0].strip():
        _fail(f"{file} holds no passphrase: write one in its first line")
    return lines[0].strip()


@app.command("service-unit")
def service_unit(data: DataFolder = Path("/var/lib/octaplan"), user: str = "octaplan", port: int = 8321) -> None:
    """Print a systemd unit that runs this installation as a service."""
    from importlib.resources import files
    from string import Template

    unit = Template((files("octaplan") / "octaplan.service").read_text("utf-8"))
    program = f"{sys.executable} -m octaplan"
    print(unit.substitute(program=program, data=data.absolute(), user=user, port=port), end="")


@app.command()
def serve(
    data: DataFolder = Path("data"),
    host: Annotated[str, typer.Option(help="The address to listen on.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(min=0, max=65535, help="The port; 0 takes any that is free.")] = 8321,
    demo: Annotated[bool, typer.Option("--demo", help="Fill an empty data folder with the demo portfolio.")] = False,
    certificate: Annotated[
        Path | None, typer.Option(help="A certificate (PEM, with its chain): HTTPS is spoken.")
    ] = None,
    key: Annotated[
        Path | None, typer.Option(help="The private key of the certificate, when it is not in its file.")
    ] = None,
    self_signed: Annotated[
        bool, typer.Option("--self-signed", help="Speak HTTPS with a certificate made here.")
    ] = False,
    trusted_proxy: Annotated[list[str], typer.Option(help="The address of a proxy in front; may be given again.")] = [],  # noqa: B006
    public_url: Annotated[
        str, typer.Option(help="The address by which people reach it, such as https://plan.example.")
    ] = "",
    backups: Annotated[Path | None, typer.Option(help="Where copies are put; else in the data folder.")] = None,
    backup_hours: Annotated[float, typer.Option(min=0, max=8760, help="Hours between copies; 0 makes none.")] = 24,
    backup_days: Annotated[float, typer.Option(min=1, max=3660, help="Days for which copies are kept.")] = 14,
    backup_passphrase_file: PassphraseFile = None,
    metrics_token_file: Annotated[
        Path | None, typer.Option(help="Holds the token with which /api/metrics is read.")
    ] = None,
    console: Annotated[
        str, typer.Option(help="The serial device of a console cable, by which Octaplan may stage real boxes.")
    ] = "",
) -> None:
    """Run the application."""
    from datetime import timedelta

    from octaplan.server.app import Running, configure_logs, create_app
    from octaplan.server.certificates import made_here
    from octaplan.server.connections import http_server
    from octaplan.store.backups import Schedule

    configure_logs()
    with _telling():
        listener = listen(host, port)
        database = _open(data)
        if self_signed and certificate is None:
            certificate = key = made_here(data, {host, *_names(public_url)})
        secure = certificate is not None
        schedule = Schedule(
            backups or data / "backups",
            timedelta(hours=backup_hours),
            timedelta(days=backup_days),
            _passphrase(backup_passphrase_file),
        )
        notes = _notes(host, secure=secure, behind=bool(trusted_proxy))
        running = Running(
            hosts=frozenset({socket.gethostname().casefold(), host.casefold(), *_names(public_url)}),
            schedule=schedule,
            metrics_token=_passphrase(metrics_token_file),
            notes=notes,
            console=console,
        )
        application = create_app(database, running)
    state = application.state
    if demo:
        _demo(state.records)
        state.setup_code = None if state.records.accounts.any() else state.setup_code
        _demo_practice(state.records, state.practice_desk)
    if state.setup_code:
        print(f"First start: make the first administrator with the code {state.setup_code}")
    for note in (*database.mended, *notes):
        print(f"Note: {note}")
    shown = f"[{host}]" if ":" in host else host
    print(f"Octaplan is at {'https' if secure else 'http'}://{shown}:{listener.getsockname()[1]}/", flush=True)
    gc.freeze()  # plans live as long as the process: the collector need not walk through them again and again
    gc.set_threshold(20_000, 20, 100)  # what a request leaves behind is gone without the collector
    server = http_server(application, trusted_proxy, ssl_certfile=certificate, ssl_keyfile=key)
    server.run(sockets=[listener])


def _names(public_url: str) -> list[str]:
    """The host name in an address, if there is one."""
    if not public_url:
        return []
    name = urlsplit(public_url).hostname
    if not name:
        _fail(f"{public_url} is no address to reach Octaplan by: write such as https://plan.example")
    return [name.casefold()]


def _notes(host: str, *, secure: bool, behind: bool) -> tuple[str, ...]:
    """What whoever runs it should know."""
    local = host in ("localhost", "::1") or host.startswith("127.")
    if local or secure or behind:
        return ()
    return (
        "others reach it without encryption, passwords and all: give it a --certificate, make one with --self-signed, "
        "or put a proxy in front and name it with --trusted-proxy",
    )


def listen(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # asyncio turns Nagle's delay off only where the protocol is told: else each answer waits 40 ms for its other half
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
        listener.listen(2_048)  # who comes before all is ready waits a moment, and is not refused
    except OSError as error:
        _fail(f"{host} port {port} cannot be listened on ({error.strerror}): choose another with --port")
    return listener


def _demo(records: Records) -> None:
    from datetime import date

    from octaplan import demo

    people, password = demo.prepare(records, date.today())  # noqa: DTZ011  (the bench's own calendar)
    if not people:
        print("The data folder is not empty and holds no demo: nothing was loaded")
    for person in people:
        print(f"Demo sign-in: {person.name}, password {password} ({person.role})")


def _demo_practice(records: Records, desk: PracticeDesk) -> None:
    """Put the demo's stand-ins on the practice bench, where the demo is what the records hold."""
    from octaplan.core.values.errors import OctaplanError
    from octaplan.demo.boxes import PRACTICE, PRACTICE_TYPE
    from octaplan.lab.standin.box import BoxFaults

    now = records.now
    with suppress(OctaplanError):
        for key, role in PRACTICE:
            for name, device in now.sites.plan(key).devices.items():
                kind = now.types.types.get(device.type)
                if device.role == role and kind is not None:
                    mac = str(device.macs[0]) if device.macs else ""
                    desk.put(kind, key, name, BoxFaults(), serial=device.serial or "", mac=mac)
        desk.put(now.types.types[PRACTICE_TYPE], "", "", BoxFaults())


def _open(data: Path) -> Database:
    from octaplan.store.database import Database

    return Database(data)


@contextmanager
def _records(data: Path) -> Iterator[Records]:
    from octaplan.store.records import Records

    database = _open(data)
    try:
        yield Records(database)
    finally:
        database.close()


def main() -> None:
    """The entry point of the installed program."""
    try:
        app()
    except BrokenPipeError:
        sys.exit(1)


if __name__ == "__main__":
    main()
