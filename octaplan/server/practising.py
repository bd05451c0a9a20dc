"""The practice bench of an installation, and the hands that stage boxes on it: a loop in a thread of its own.

PracticeError         something cannot be done on the bench
"""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Callable, Coroutine
from dataclasses import dataclass, field
from typing import Any, TypeVar

import structlog

from octaplan.core.config.readback import read_back
from octaplan.core.plan.boxes import named
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.steps import RunSheet
from octaplan.core.values.errors import OctaplanError, RefusedError
from octaplan.lab.bench.onbench import OnBench, Unplugged
from octaplan.lab.bench.practice import PracticeBench, PracticeTable
from octaplan.lab.standin.box import BoxFaults
from octaplan.link.channel import Door, NoAnswer, Pins
from octaplan.link.hands import Hands, StepOutcome, Task, WorkTable
from octaplan.server.events import Hub
from octaplan.store.accounts import Person
from octaplan.store.bench import PUT_BACK
from octaplan.store.records import Records
from octaplan.store.runs import Result
from octaplan.store.staging import digest_of_step, sheet_of, staging_of
from octaplan.worker import errands
from octaplan.worker.workers import Workers

log = structlog.get_logger()

T = TypeVar("T")
#: Seconds that anything asked of the bench by a page may take.
SOON = 10.0


class PracticeError(RefusedError):
    """Something cannot be done on the bench."""


class BenchOfHands:
    """A practice table as hands ask it: what lies there gives no answer where nothing is reached."""

    by_itself = True

    def __init__(self, table: PracticeTable) -> None:
        self._table = table
        self.power, self.label, self.ping, self.lease = table.power, table.label, table.ping, table.lease
        self.line, self.look_up, self.joins, self.passes = table.line, table.look_up, table.joins, table.passes

    async def settle(self, situation: Situation) -> None:
        """Plug the laptop in, and give it its address. Raises `NoAnswer`."""
        try:
            await self._table.settle(situation)
        except Unplugged as error:
            raise NoAnswer(str(error)) from None

    async def reach(self, service: str, address: str) -> Door:
        """Where a service is reached. Raises `NoAnswer`."""
        try:
            return Door(*await self._table.reach(service, address))
        except Unplugged as error:
            raise NoAnswer(str(error)) from None


@dataclass
class StagingByItself:
    """Hands at work on a box. `step` is what they are at, `note` why they stopped."""

    by: str
    site: str
    device: str
    began: float = field(default_factory=time.monotonic)
    ended: float = 0.0
    done: int = 0
    total: int = 0
    step: str = ""
    note: str = ""
    working: bool = True
    stopping: bool = False

    @property
    def seconds(self) -> float:
        return (self.ended or time.monotonic()) - self.began


Kept = Callable[[StepOutcome], None]


class PracticeDesk:
    """The bench, for pages: every method may be called from any thread."""

    def __init__(self, console: str = "") -> None:
        #: The serial device of this machine that leads to a console, if any.
        self.console = console
        self._lock = threading.Lock()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._thread: threading.Thread | None = None
        self.bench = PracticeBench()
        self._staging: dict[tuple[str, str], StagingByItself] = {}
        self._tasks: dict[tuple[str, str], asyncio.Task[None]] = {}

    # --- The loop

    def _running(self) -> asyncio.AbstractEventLoop:
        with self._lock:
            if self._loop is None:
                self._loop = asyncio.new_event_loop()
                self._thread = threading.Thread(target=self._loop.run_forever, name="practice bench", daemon=True)
                self._thread.start()
            return self._loop

    def ask(self, what: Coroutine[Any, Any, T]) -> T:
        """Have something done on the bench, and wait for it."""
        return asyncio.run_coroutine_threadsafe(what, self._running()).result(SOON)

    def close(self) -> None:
        """Clear the bench."""
        loop = self._loop
        if loop is None or self._thread is None:
            return
        for task in list(self._tasks.values()):
            loop.call_soon_threadsafe(task.cancel)
        self.ask(self.bench.close())
        loop.call_soon_threadsafe(loop.stop)
        self._thread.join(SOON)
        self._loop = None

    # --- Boxes

    def put(
        self, kind: HardwareType, site: str, device: str, faults: BoxFaults, *, serial: str = "", mac: str = ""
    ) -> OnBench:
        """Put a box on the bench. Raises `NoRoom`, `NotUnderstood`."""
        return self.ask(self.bench.put(kind, site, device, faults, serial=serial, mac=mac))

    def at(self, key: str) -> OnBench:
        """A box on the bench. Raises `PracticeError`."""
        one = self.bench.boxes.get(key)
        if one is None:
            raise PracticeError("This box is not on the bench any more: look again")
        return one

    def take(self, key: str) -> None:
        """Take a box away. Raises `PracticeError`."""
        one = self.at(key)
        self.free(one.site, one.device)
        self.ask(self.bench.take(key))
        self._staging.pop((one.site, one.device), None)

    # --- Hands

    def staging(self, site: str, device: str) -> StagingByItself | None:
        """The hands at a device, or that were last."""
        return self._staging.get((site, device))

    def free(self, site: str, device: str) -> None:
        """Raise `PracticeError` while somebody has hands at a device."""
        known = self._staging.get((site, device))
        if known is not None and known.working:
            raise PracticeError(f"{known.by} has Octaplan stage this box at this moment: look at that, or stop it")

    def begin(
        self,
        task: Task,
        table: WorkTable,
        pins: Pins,
        settled: set[str],
        by: str,
        kept: Kept,
        *,
        only_next: bool = False,
        backup: bytes = b"",
    ) -> StagingByItself:
        """Let hands stage a box at a table, or put a backup of it back; `kept` records what came of each step. Raises
        `PracticeError`."""
        site, device = task.plan.key, task.key
        with self._lock:
            self.free(site, device)
            left = [step for step in task.sheet.steps if step.key not in settled]
            working = StagingByItself(by, site, device, total=1 if only_next or backup else len(left))
            self._staging[site, device] = working
        loop = self._running()

        async def work() -> None:
            await self._work(lambda: Hands(task, table, pins, settled), working, kept, only_next, backup)

        def start() -> None:
            self._tasks[site, device] = loop.create_task(work())

        loop.call_soon_threadsafe(start)
        return working

    def table_of(self, one: OnBench, plan: SitePlan, organisation: Organisation) -> WorkTable:
        """The practice bench for a box that stands on it."""
        return BenchOfHands(PracticeTable(self.bench, one, plan, organisation))

    @staticmethod
    async def _work(
        made: Callable[[], Hands], working: StagingByItself, kept: Kept, only_next: bool, backup: bytes
    ) -> None:
        try:
            hands = made()
            steps = [] if backup else [step for step in hands.task.sheet.steps if step.key not in hands.done]
            left = iter([step.title for step in steps])
            working.step = "The backup is put back" if backup else next(left, "")
            async for outcome in hands.put_back(backup) if backup else hands.run():
                await asyncio.to_thread(kept, outcome)
                working.done += 1
                if not outcome.good:
                    working.note = outcome.note
                    break
                if only_next or working.stopping:
                    working.step, working.note = "", "" if only_next else "stopped"
                    break
                working.step = next(left, "")
            if hands.left is not None and not working.note:
                working.step = hands.left.title
        except OctaplanError as error:
            working.note = str(error)
        except asyncio.CancelledError:
            working.note = "stopped"
            raise
        except Exception:
            log.exception("staging was lost", site=working.site, device=working.device)
            working.note = "It stopped, by a mistake of Octaplan's own: tell who maintains it"
        finally:
            working.working, working.ended = False, time.monotonic()

    def stop(self, site: str, device: str) -> None:
        """Stop hands after the step that they are at."""
        working = self._staging.get((site, device))
        if working is not None:
            working.stopping = True


# --- With the records


def task_of(
    records: Records, workers: Workers, key: str, device: str, person: Person, where: str = ""
) -> tuple[Task, set[str]]:
    """What is to be staged, and the steps that need nothing more. Told `where` that is, secrets are read for that
    person; else marks stand for them. Raises `PracticeError`, `NotWritten`, `NotDone`."""
    now = records.now
    plan, staging = now.sites.plan(key), staging_of(now, key, device)
    kind = now.types.types.get(plan.devices[device].type)
    if kind is None or not staging.sheet.steps:
        raise PracticeError(staging.problem or "This box has no run sheet")
    read: dict[str, str] = {}
    kept = now.secrets.kept(plan.key)

    def secret(place: str) -> str:
        if not where:
            return f"<<{place}>>"
        if place not in read:
            why = f"told to {named(plan.devices[device])} {where}"
            read[place] = records.safe.read(plan.key, place, person.author, why) if place in kept else ""
        return read[place]

    settled = {step.key for step in staging.sheet.steps if staging.settled(step)}
    written = None
    if kind.write_out is not None and kind.write_out.parts:
        written = workers.do(person.name, errands.written, plan, device, kind, now.settings.current)
    return Task(plan, device, kind, now.settings.current, staging.sheet, secret, written), settled


def recorder(records: Records, hub: Hub, key: str, device: str, person: Person, pins: Pins, sheet: RunSheet) -> Kept:
    """Records what came of each step, as a person's hands would; the pins that the box was met with stay with the
    run."""
    by = person.author
    begun = records.now
    asked = {step.key: digest_of_step(begun, key, step) for step in sheet.steps}

    def keep(outcome: StepOutcome) -> None:
        step, bench, now = outcome.step, records.bench, records.now
        bench.keep_exchange(key, device, step.key, _told(outcome), pins.text, by)
        now_asked = next((one for one in sheet_of(now, key, device).steps if one.key == step.key), None)
        if now_asked is None or digest_of_step(now, key, now_asked) != asked[step.key]:
            outcome.good = False
            outcome.note = (
                "Somebody changed what is planned while Octaplan was at this step: begin again, it is told anew"
            )
            return
        if outcome.shown and outcome.good:
            plan = now.sites.plan(key)
            kind = now.types.types.get(plan.devices[device].type)
            back = read_back(plan, device, outcome.shown, kind, now.settings.current)
            bench.keep_read_back(key, device, back, by)
            if back.departures or back.about:
                outcome.good, outcome.note = (
                    False,
                    f"It shows {back.departures} values other than planned: look at them",
                )
        else:
            if outcome.backup and outcome.good:
                bench.attach(key, device, f"{device}.backup", outcome.backup, by)
            known = staging_of(records.now, key, device).ticks.get(step.key)
            bench.tick(
                key,
                device,
                step.key,
                Result.DONE if outcome.good else Result.FAILED,
                seen=known.at if known is not None else None,
                note=outcome.note[:400],
                measured=outcome.measured,
                skips=outcome.skips,
                by=by,
            )
            ticked = staging_of(records.now, key, device).ticks[step.key]
            if outcome.good and ticked.result is Result.FAILED:
                outcome.good, outcome.note = False, ticked.note
        told = {"device": device, "step": step.key, "typing": False, "name": person.full_name, "recorded": True}
        hub.on_bench(key, told)

    return keep


def back_putter(records: Records, hub: Hub, key: str, device: str, person: Person, pins: Pins, backup: int) -> Kept:
    """Records what came of putting a backup back."""

    def keep(outcome: StepOutcome) -> None:
        records.bench.keep_exchange(key, device, PUT_BACK, _told(outcome), pins.text, person.author)
        records.bench.put_back(key, device, backup, "" if outcome.good else outcome.note, person.author)
        told = {"device": device, "step": PUT_BACK, "typing": False, "name": person.full_name, "recorded": True}
        hub.on_bench(key, told)

    return keep


def _told(outcome: StepOutcome) -> str:
    """What was exchanged, as it is kept."""
    return "\n".join(f"{'>' if one.sent else '<'} {one.text}" for one in outcome.exchanged)
