"""The page Practice: a bench of stand-ins, and Octaplan's hands that stage them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Path, Request
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.boxes import named
from octaplan.core.plan.hardware import FirstPassword, HardwareType
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.passing import passing_checks
from octaplan.core.values.errors import OctaplanError
from octaplan.lab.bench.onbench import NAME, OnBench, Ways
from octaplan.lab.bench.practice import NoRoom, PracticeTable
from octaplan.lab.standin.box import CONSOLE, BoxFaults
from octaplan.link.channel import Pins
from octaplan.link.hands import Task, WorkTable, would_send
from octaplan.link.real import PORTS, RealTable
from octaplan.server.dependencies import Recorded, Working
from octaplan.server.pages.bench import RunShown, run_shown
from octaplan.server.pages.desk import Code
from octaplan.server.permissions import PERMISSIONS, Following, Looking, May, Staging
from octaplan.server.practising import PracticeDesk, PracticeError, StagingByItself, back_putter, recorder, task_of
from octaplan.server.problems import DeviceId, Number, Problem
from octaplan.store.accounts import Person
from octaplan.store.bench import PUT_BACK
from octaplan.store.records import Records
from octaplan.store.staging import staging_of
from octaplan.worker.workers import Workers

router = APIRouter(tags=["practice"])

#: What is seen of a check, as it is typed into the run sheet.
_SEEN = {True: "it answers", False: "no answer"}
BoxKey = Annotated[str, Path(max_length=12)]
PortOfBox = Annotated[str, StringConstraints(max_length=40)]


async def desk_of(request: Request) -> PracticeDesk:
    """The practice bench of the application that was asked."""
    found: PracticeDesk = request.app.state.practice_desk
    return found


AtBench = Annotated[PracticeDesk, Depends(desk_of)]


class HandsShown(BaseModel):
    """Octaplan's hands at a box: what they are at, how far they are, and why they stopped."""

    by: str
    working: bool
    stopping: bool
    done: int
    total: int
    step: str
    note: str
    seconds: float


class WayIn(BaseModel):
    """A way into a stand-in from this machine: what it is called, and where."""

    name: str
    where: str
    link: bool


class StandInShown(BaseModel):
    """A box on the practice bench, with the laptop that is at it. `site` and `device` are what it is taken for."""

    key: str
    title: str
    site: str
    device: str
    name: str
    serial: str
    mac: str
    password: str
    phase: str
    firmware: str
    lights: dict[str, str]
    ports: list[str]
    laptop_port: str
    laptop_address: str
    laptop_how: str
    box_address: str
    line: bool
    ways: list[WayIn]
    faults: list[str]
    hands: HandsShown | None


class PracticeShown(BaseModel):
    """The whole bench. `lacks` says why no real packets go over it; empty where they do."""

    provider_up: bool
    lacks: str
    boxes: list[StandInShown]


class Putting(BaseModel):
    """A box to be put on the bench: of a type, or as a device of a site; and what is wrong with it."""

    type: Annotated[str, StringConstraints(max_length=80)] = ""
    site: Annotated[str, StringConstraints(max_length=80)] = ""
    device: Annotated[str, StringConstraints(max_length=12)] = ""
    dead_port: PortOfBox = ""
    not_fresh: bool = False
    wrong_label: bool = False


class Doing(BaseModel):
    """What is done to a box, or to the laptop at it. `address` is the laptop's own, where it is set by hand."""

    what: Literal["on", "off", "reset", "plug", "lease", "fixed", "serve", "line", "no line"]
    port: PortOfBox = ""
    address: Annotated[str, StringConstraints(max_length=45)] = ""


class Pinging(BaseModel):
    address: Annotated[str, StringConstraints(max_length=45)]


class Pinged(BaseModel):
    words: str


class Tried(BaseModel):
    """A check of what passes, in words, and what came of it; empty where nobody can try it."""

    words: str
    seen: str


class Provider(BaseModel):
    up: bool


class Beginning(BaseModel):
    """What hands are to do: all that is left, or the next step alone. `password` is what a real box's label says,
    `reaches` where somebody has confirmed that it is reached out of its carton."""

    only_next: bool = False
    password: Annotated[str, StringConstraints(max_length=128)] = ""
    reaches: Annotated[str, StringConstraints(max_length=80)] = ""


class StepSent(BaseModel):
    """What would be sent at a step, or was: without secrets."""

    step: str
    title: str
    lines: Annotated[list[str], Field(max_length=5_000)]


class HandsAt(BaseModel):
    """Hands at one device: whether a box stands on the bench for it, whether a real one may be staged, where it is
    reached out of its carton, whether it needs the password of its label, how far they are, and in how many steps
    something was sent."""

    on_bench: str
    real: bool
    reaches: str
    label_password: bool
    hands: HandsShown | None
    exchanged: int


@router.get("/api/practice")
def practice(records: Recorded, desk: AtBench, person: Looking) -> PracticeShown:
    """The practice bench as it is."""

    async def seen() -> list[StandInShown]:
        stages = May.STAGE in PERMISSIONS[person.role]
        return [_shown(records, desk, one, stages=stages) for one in desk.bench.boxes.values()]

    bench = desk.bench
    return PracticeShown(provider_up=bench.provider_up, lacks=bench.lacks, boxes=desk.ask(seen()))


@router.post("/api/practice/boxes", status_code=HTTPStatus.CREATED)
def put_box(putting: Putting, records: Recorded, desk: AtBench, person: Staging) -> PracticeShown:
    """Put a box out of its carton on the bench."""
    now, kind_key, serial, mac = records.now, putting.type, "", ""
    if putting.site:
        plan = now.sites.plan(putting.site)
        device = plan.devices.get(putting.device)
        if device is None or not device.staged:
            raise Problem(HTTPStatus.NOT_FOUND, "This device is not on the bench of its site: look at its Devices")
        kind_key, serial = device.type, device.serial or ""
        mac = str(device.macs[0]) if device.macs else ""
    kind = now.types.types.get(kind_key)
    if kind is None:
        raise Problem(HTTPStatus.NOT_FOUND, f"There is no hardware type {kind_key[:40]!r} on Hardware: choose one")
    faults = BoxFaults(putting.dead_port, putting.not_fresh, putting.wrong_label)
    with _told():
        desk.put(kind, putting.site.casefold(), putting.device, faults, serial=serial, mac=mac)
    return practice(records, desk, person)


@router.delete("/api/practice/boxes/{box}")
def take_box(box: BoxKey, records: Recorded, desk: AtBench, person: Staging) -> PracticeShown:
    """Take a box away."""
    with _told():
        desk.take(box)
    return practice(records, desk, person)


@router.post("/api/practice/boxes/{box}")
def do_to_box(box: BoxKey, doing: Doing, records: Recorded, desk: AtBench, person: Staging) -> PracticeShown:
    """Do something to a box, or to the laptop at it."""
    with _told():
        desk.ask(_do(records, desk, desk.at(box), doing))
    return practice(records, desk, person)


@router.post("/api/practice/boxes/{box}/ping")
def ping_from(box: BoxKey, pinging: Pinging, records: Recorded, desk: AtBench, person: Staging) -> Pinged:
    """Ping an address from the laptop at a box."""
    with _told():
        one = desk.at(box)
        said = desk.ask(_table(records, desk, one).ping(pinging.address, by_box=False))
    return Pinged(words=said or f"{pinging.address} is nowhere on this bench: no answer")


@router.post("/api/practice/boxes/{box}/look-up")
def look_up_from(box: BoxKey, records: Recorded, desk: AtBench, person: Staging) -> Pinged:
    """Look up the name that the practice provider knows, as a box has been told to."""
    with _told():
        found = desk.ask(_table(records, desk, desk.at(box)).look_up())
    return Pinged(words=f"{NAME} is {found}" if found else f"{NAME}: no answer")


@router.post("/api/practice/boxes/{box}/passes")
def passes_through(box: BoxKey, records: Recorded, desk: AtBench, person: Staging) -> list[Tried]:
    """Try what passes the box of a site, and what must not: by packets of a rehearsal, where this machine permits it,
    once the box shows all that is planned for it."""
    with _told():
        one = desk.at(box)
        found = desk.ask(_tried(_table(records, desk, one), _passing(records, one)))
    return [Tried(words=words, seen="" if came is None else _SEEN[came]) for words, came in found]


@router.put("/api/practice/provider")
def set_provider(provider: Provider, records: Recorded, desk: AtBench, person: Staging) -> PracticeShown:
    """Let the provider's line be up, or down."""
    desk.bench.provider_up = provider.up
    return practice(records, desk, person)


# --- Hands


@router.get("/api/sites/{customer}/{site}/bench/{device}/hands")
def hands_at(
    customer: Code, site: Code, device: DeviceId, records: Recorded, desk: AtBench, person: Looking
) -> HandsAt:
    """How far Octaplan's hands are with a device, and what they sent and received."""
    key = records.now.sites.plan(f"{customer}/{site}").key
    one = desk.bench.of(key, device)
    staging = staging_of(records.now, key, device)
    kind = records.now.types.types.get(records.now.sites.plan(key).devices[device].type)
    first = next((step for step in staging.sheet.steps if step.key.startswith("slot-")), None)
    return HandsAt(
        on_bench=one.key if one is not None else "",
        real=one is None and records.now.settings.current.stages_real,
        reaches=_reaches(kind) if one is None and kind is not None else "",
        label_password=kind is not None
        and kind.factory.password is FirstPassword.LABEL
        and (first is None or not staging.settled(first)),
        hands=_hands(desk.staging(key, device)),
        exchanged=records.bench.exchanges(key, device),
    )


@router.get("/api/sites/{customer}/{site}/bench/{device}/hands/exchanged")
def exchanged(customer: Code, site: Code, device: DeviceId, records: Recorded, person: Following) -> list[StepSent]:
    """What Octaplan's hands sent and received in the newest run of a device, the last time of each step."""
    key = records.now.sites.plan(f"{customer}/{site}").key
    titles = {step.key: step.title for step in staging_of(records.now, key, device).sheet.steps}
    titles[PUT_BACK] = "A backup is put back"
    told = {each.step: each.text for each in records.bench.exchanged(key, device)}
    return [
        StepSent(step=step, title=titles.get(step, step), lines=text.splitlines()[:5_000])
        for step, text in told.items()
    ]


@router.get("/api/sites/{customer}/{site}/bench/{device}/hands/dry-run")
def dry_run(
    customer: Code, site: Code, device: DeviceId, workers: Working, records: Recorded, desk: AtBench, person: Staging
) -> list[StepSent]:
    """What Octaplan's hands would send at each step that is left; nothing is sent."""
    with _told():
        task, settled = task_of(records, workers, f"{customer}/{site}", device, person)
        found = list(would_send(task, settled))
    return [StepSent(step=step.key, title=step.title, lines=lines) for step, lines in found]


@router.post("/api/sites/{customer}/{site}/bench/{device}/hands", status_code=HTTPStatus.ACCEPTED)
def begin_hands(
    request: Request,
    customer: Code,
    site: Code,
    device: DeviceId,
    beginning: Beginning,
    workers: Working,
    records: Recorded,
    desk: AtBench,
    person: Staging,
) -> RunShown:
    """Let Octaplan stage a box that stands on the practice bench, as far as it goes or by one step."""
    key = records.now.sites.plan(f"{customer}/{site}").key
    with _told():
        desk.free(key, device)
        one = _box_for(records, desk, key, device)
        if one is None:
            _confirmed(records, key, device, beginning.reaches)
        else:
            one.run = records.bench.practise(key, device, person.author, one.run)
        task, settled, table, pins = _at_work(records, workers, desk, key, device, person, beginning.password)
        kept = recorder(records, request.app.state.hub, key, device, person, pins, task.sheet)
        desk.begin(task, table, pins, settled, person.author, kept, only_next=beginning.only_next)
    return run_shown(records, key, device)


@router.post("/api/sites/{customer}/{site}/bench/{device}/hands/backups/{backup}", status_code=HTTPStatus.ACCEPTED)
def put_back(
    request: Request,
    customer: Code,
    site: Code,
    device: DeviceId,
    backup: Number,
    workers: Working,
    records: Recorded,
    desk: AtBench,
    person: Staging,
) -> RunShown:
    """Let Octaplan put a backup of the newest run back into its box. What was recorded since is taken back."""
    key = records.now.sites.plan(f"{customer}/{site}").key
    with _told():
        desk.free(key, device)
        one = _box_for(records, desk, key, device)
        run = records.now.runs.at(key).get(device)
        if run is None or all(each.id != backup for each in run.backups) or (one is not None and one.run != run.id):
            raise PracticeError("This backup is not of the run that this box is in: stage the box anew")
        _, content = records.bench.fetch(key, device, backup, person.author)
        task, settled, table, pins = _at_work(records, workers, desk, key, device, person, "")
        kept = back_putter(records, request.app.state.hub, key, device, person, pins, backup)
        desk.begin(task, table, pins, settled, person.author, kept, backup=content)
    return run_shown(records, key, device)


@router.delete("/api/sites/{customer}/{site}/bench/{device}/hands")
def stop_hands(
    customer: Code, site: Code, device: DeviceId, records: Recorded, desk: AtBench, person: Staging
) -> HandsAt:
    """Stop Octaplan's hands after the step that they are at."""
    desk.stop(records.now.sites.plan(f"{customer}/{site}").key, device)
    return hands_at(customer, site, device, records, desk, person)


# --- Helpers


def _box_for(records: Records, desk: PracticeDesk, key: str, device: str) -> OnBench | None:
    """The stand-in of a device, or nothing for the real box. Raises `PracticeError` where neither may be staged."""
    one = desk.bench.of(key, device)
    if one is None and not records.now.settings.current.stages_real:
        raise PracticeError(
            "No box stands on the practice bench for this device: put one there first. Octaplan stages real boxes "
            "once the settings of the organisation allow it"
        )
    return one


def _reaches(kind: HardwareType) -> str:
    """Where a box is reached out of its carton, in words: the first that hands speak to, with its first password."""
    factory = kind.factory
    services = [*([factory.web] if factory.web else []), *map(str, factory.services)]
    service = next((one for one in services if one in PORTS), "")
    if factory.address is None or not service:
        return ""
    port = factory.web_port if service == factory.web and factory.web_port else PORTS[service]
    return f"{factory.address}, port {port}"


def _confirmed(records: Records, key: str, device: str, reaches: str) -> None:
    """Hold what somebody has confirmed against what the type says now: whoever keeps a type says where the secrets of
    the safe go. Raises `PracticeError`."""
    kind = records.now.types.types.get(records.now.sites.plan(key).devices[device].type)
    wanted = _reaches(kind) if kind is not None else ""
    if reaches != wanted:
        raise PracticeError(
            f"Octaplan would speak to {wanted} first, and tell what is there its passwords: confirm that the box in "
            "front of you is reached there, and nothing else is"
        )


def _at_work(
    records: Records, workers: Workers, desk: PracticeDesk, key: str, device: str, person: Person, password: str
) -> tuple[Task, set[str], WorkTable, Pins]:
    """What hands need at a box: what is to be staged, the steps that need nothing more, the bench, and how the box was
    met. Raises `PracticeError`."""
    one = desk.bench.of(key, device)
    where = "on the practice bench" if one is not None else "by Octaplan's hands"
    task, settled = task_of(records, workers, key, device, person, where)
    run = records.now.runs.at(key).get(device)
    table: WorkTable = RealTable(task.sheet, task.kind, task.organisation.hands_networks, password, desk.console)
    if one is not None:
        table = desk.table_of(one, task.plan, task.organisation)
    return task, settled, table, Pins.read(run.pins) if run is not None else Pins()


@contextmanager
def _told() -> Iterator[None]:
    """What the bench refuses is answered as a problem, in its own sentence."""
    try:
        yield
    except (PracticeError, NoRoom) as error:
        raise Problem(HTTPStatus.CONFLICT, str(error)) from None
    except OctaplanError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None


def _hands(one: StagingByItself | None) -> HandsShown | None:
    if one is None:
        return None
    return HandsShown(
        by=one.by,
        working=one.working,
        stopping=one.stopping,
        done=one.done,
        total=one.total,
        step=one.step,
        note=one.note,
        seconds=round(one.seconds, 1),
    )


def _table(records: Records, desk: PracticeDesk, one: OnBench) -> PracticeTable:
    plan = records.now.sites.plan(one.site) if one.site else None
    return PracticeTable(desk.bench, one, plan, records.now.settings.current)


def _passing(records: Records, one: OnBench) -> list[str]:
    """What is to be tried through a box, in words."""
    if not one.site:
        return []
    checks = passing_checks(records.now.sites.plan(one.site), records.now.settings.current, one.device)
    return [check.words for check in checks]


async def _tried(table: PracticeTable, checks: list[str]) -> list[tuple[str, bool | None]]:
    return [(words, await table.passes(words)) for words in checks]


def _shown(records: Records, desk: PracticeDesk, one: OnBench, *, stages: bool) -> StandInShown:
    """A box; who does not stage sees neither its label nor the ways in."""
    box = one.box
    face = box.face(box.laptop_port)
    name = ""
    if one.site:
        plan = records.now.sites.plan(one.site)
        name = named(plan.devices[one.device]) if one.device in plan.devices else "removed from the plan"
    faults = [*([f"port {box.faults.dead_port} is dead"] if box.faults.dead_port else [])]
    faults += ["it was used before"] * box.faults.not_fresh + ["its label is another's"] * box.faults.wrong_label
    return StandInShown(
        key=one.key,
        title=box.kind.title,
        site=one.site,
        device=one.device,
        name=name,
        serial=box.printed.serial,
        mac=box.printed.mac,
        password=box.printed.password if stages and box.kind.factory.password == "label" else "",  # noqa: S105
        phase=str(box.phase),
        firmware=box.firmware,
        lights=box.lights(),
        ports=[name for name, port in box.kind.ports.items() if port.carries] + [CONSOLE] * bool(box.kind.console),
        laptop_port=box.laptop_port,
        laptop_address=str(box.laptop_address or ""),
        laptop_how=one.how,
        box_address=str(face.address or ""),
        line=one.plugged_in,
        ways=_ways(one, desk.bench.ways) if stages else [],
        faults=faults,
        hands=_hands(desk.staging(one.site, one.device)) if one.site else None,
    )


def _ways(one: OnBench, ways: Ways | None) -> list[WayIn]:
    """The ways in that answer where the laptop is now, and into the laptop's own network."""
    box, doors = one.box, one.served.doors
    found = [
        WayIn(
            name=f"{service.upper()} pages",
            where=f"{service}://127.0.0.1:{getattr(doors, service)}/?ticket={one.served.ticket}",
            link=True,
        )
        for service in ("https", "http")
        if box.reached(service)
    ]
    if box.reached("ssh"):
        user = box.kind.factory.user or "any"
        found.append(WayIn(name="SSH", where=f"ssh -p {doors.ssh} {user}@127.0.0.1", link=False))
    if box.reached("telnet"):
        found.append(WayIn(name="Telnet", where=f"127.0.0.1 {doors.telnet}", link=False))
    if box.laptop_port == CONSOLE and doors.console:
        found.append(WayIn(name="Console", where=f"127.0.0.1 {doors.console}", link=False))
    inside = ways.inside(one) if ways is not None else ""
    if inside and found:
        found.append(WayIn(name="As the laptop", where=f"sudo nsenter --net={inside}", link=False))
    return found


async def _do(records: Records, desk: PracticeDesk, one: OnBench, doing: Doing) -> None:
    """Do what is asked. Raises `OctaplanError`."""
    box, table = one.box, _table(records, desk, one)
    if doing.what in ("on", "off"):
        await table.power(doing.what == "on")
    elif doing.what == "reset":
        box.reset()
    elif doing.what in ("line", "no line"):
        await table.line(doing.what == "line")
    elif doing.what == "plug":
        if doing.port and doing.port != CONSOLE and doing.port not in box.kind.ports:
            raise PracticeError(f"{box.kind.title} has no port {doing.port}: it has {', '.join(box.kind.ports)}")
        box.laptop_port, box.laptop_address, one.how = doing.port, None, ""
    else:
        how = {"lease": "lease", "fixed": "fixed", "serve": "serving"}[doing.what]
        address = doing.address.strip() or {"lease": "asks", "serving": "192.168.254.1"}.get(how, "")
        if not address:
            raise PracticeError("Say which address the laptop is to have")
        one.how = ""
        await table.settle(Situation(box.laptop_port, address, how, "", False))
