"""Hands that stage a box by its run sheet: step by step, each read back, stopping at the first surprise.

What is done with the hands at a real bench, plugging and setting the laptop's address, is asked of a `WorkTable`.

Surprised             a step did not go as its run sheet says: what was expected, what was seen
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import AsyncIterator, Callable, Collection, Iterator
from dataclasses import dataclass, field
from typing import Protocol

from octaplan.core.config.readback import read_back
from octaplan.core.config.writeout import NotWritten, Written
from octaplan.core.plan.hardware import FirstPassword, HardwareType, Takes, Verb
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.measures import Outcome, judge
from octaplan.core.stage.steps import READ_BACK, Measure, RunSheet, Step
from octaplan.link.channel import (
    ANSWER,
    BoxRefused,
    Channel,
    Conversation,
    Door,
    Exchanged,
    LinkError,
    NoAnswer,
    NotLetIn,
    OtherBox,
    Pins,
    Portion,
)
from octaplan.link.portions import Portions
from octaplan.link.restconf import restconf
from octaplan.link.terminal import plain_terminal, ssh_terminal

#: Seconds that a box may be away at a restart or for new firmware, and between two tries to reach it.
AWAY, TRY = 30.0, 0.1
#: The same for a real box, whose new firmware takes its time.
AWAY_REAL = 900.0
#: So many tries to log in are made while a box may be away, and so many seconds each may take at least.
TRIES, LOG_IN = 4, 3.0
#: Seconds after which a box takes a change back that cut it off, unless it is reached and told to keep it.
CONFIRM_WITHIN = 120
#: The steps at which hands stop: what is on paper and in cardboard is for people.
LAST = ("label", "pack")
CONSOLE, UPLINK = "console", "uplink"
#: Steps whose values are told with those of others: the country with each Wi-Fi network.
TOLD_ELSEWHERE = ("country",)
#: Seconds to wait for an answer that is not expected to come.
BRIEF = 0.5


class Surprised(LinkError):
    """A step did not go as its run sheet says."""


class WorkTable(Protocol):
    """The bench that a box stands on, as far as hands need it. Where it does not plug `by_itself`, steps that are not
    done at the box are people's."""

    by_itself: bool

    async def settle(self, situation: Situation) -> None:
        """Plug the laptop in and give it its address, as a step wants it. Raises `LinkError`."""

    async def power(self, on: bool) -> None:
        """Plug the box in, or out."""

    async def label(self) -> dict[str, str]:
        """What is printed on the box: serial, mac, password."""

    async def reach(self, service: str, address: str) -> Door:
        """Where a service is reached at an address of the box. Raises `NoAnswer`."""

    async def ping(self, address: str) -> str | None:
        """What a ping of an address from the laptop says, with counts; nothing where this bench has no such thing."""

    async def lease(self, port: str) -> str | None:
        """The address that a client gets at a port, empty when it gets none; nothing where nobody on it could serve."""

    async def line(self, plugged: bool) -> None:
        """Plug the cables in that lead to providers, or to the box that it hangs on."""

    async def look_up(self) -> str | None:
        """The address that a name is found as, empty when it is not; nothing where this bench has no line."""

    async def passes(self, words: str) -> bool | None:
        """Whether something passes the boxes of the site, by the words of its check; nothing if nobody can try it."""

    async def joins(self, network: str, key: str) -> bool | None:
        """Whether a Wi-Fi network lets somebody in who has its key; nothing where nobody is there to join."""


@dataclass(frozen=True)
class Task:
    """What is to be staged, with its write-out where its type has one. `secret` gives the text of a place in the safe,
    empty where it holds none."""

    plan: SitePlan
    key: str
    kind: HardwareType
    organisation: Organisation
    sheet: RunSheet
    secret: Callable[[str], str]
    written: Written | None


@dataclass
class StepOutcome:
    """What came of a step. Without `good` the hands have stopped at it, and `note` says why."""

    step: Step
    good: bool
    note: str = ""
    measured: dict[str, str] = field(default_factory=dict)
    skips: dict[str, str] = field(default_factory=dict)
    shown: str = ""
    backup: bytes = b""
    exchanged: list[Exchanged] = field(default_factory=list)
    seconds: float = 0.0


class Hands:
    """Stages one box. `settled` are the steps that need nothing more."""

    def __init__(self, task: Task, table: WorkTable, pins: Pins, settled: Collection[str]) -> None:
        self.task, self.table, self.pins = task, table, pins
        self.done = set(settled)
        self.conversation = Conversation()
        #: Whether a change waits to be confirmed; after a cut nobody knows, so it is.
        steps = {step.key: step for step in task.sheet.steps}
        self._to_confirm = task.kind.confirms and any(key in steps and steps[key].lost for key in self.done)
        #: The step that they have left to people, once they have stopped there.
        self.left: Step | None = None
        self._channel: Channel | None = None
        #: The port that the laptop was in when it logged in.
        self._at = ""
        self._own = self._own_slot()
        self._portions = Portions(task.plan, task.key, task.kind, task.organisation, task.written, self._secret)
        self._ports_told = left_ports(task, self._portions) if "ports" in self.done else []

    @property
    def _away(self) -> float:
        return AWAY if self.table.by_itself else AWAY_REAL

    def _secret(self, place: str) -> str:
        """The text of a place in the safe, which is never told in a conversation from then on."""
        text = self.task.secret(place)
        self.conversation.hide(place, text)
        return text

    def _own_slot(self) -> str:
        slots = [step.key.removeprefix("slot-") for step in self.task.sheet.steps if step.key.startswith("slot-")]
        return "administrator" if "administrator" in slots else next(iter(slots), "")

    async def run(self) -> AsyncIterator[StepOutcome]:
        """Do every step that is left, one after the other; the last outcome is not good when one went wrong."""
        try:
            for step in self.task.sheet.steps:
                if step.key in self.done:
                    continue
                if step.key in LAST or not (step.needs_box or self.table.by_itself):
                    self.left = step
                    return
                outcome = await self.do(step)
                yield outcome
                if not outcome.good:
                    return
                self.done.add(step.key)
        finally:
            await self.leave()

    async def put_back(self, content: bytes) -> AsyncIterator[StepOutcome]:
        """Put a backup back, where the laptop reached the box last, and wait until it lets one in again."""
        steps = self.task.sheet.steps
        left = [step for step in steps if step.key in self.done and step.after.reaches]
        step = left[-1] if left else next((one for one in steps if one.before.reaches), steps[0])
        where, outcome = step.after if left else step.before, StepOutcome(step, good=True)
        try:
            await self.table.settle(where)
            await self._back_again(where)
            assert self._channel is not None  # noqa: S101  (it has come back with one, or raised)
            await self._channel.put_back(content)
            await self._back_again(where)
            outcome.shown = await self._channel.show()
        except LinkError as error:
            outcome.good, outcome.note = False, self.conversation.without_secrets(str(error))
        finally:
            await self.leave()
        outcome.exchanged = self.conversation.taken()
        yield outcome

    async def do(self, step: Step) -> StepOutcome:
        """Do one step."""
        begun = time.perf_counter()
        outcome = StepOutcome(step, good=True)
        try:
            await self._before(step)
            await self._act(step, outcome)
            await self._measure(step, outcome)
        except (LinkError, NotWritten) as error:
            outcome.good, outcome.note = False, self.conversation.without_secrets(str(error))
        outcome.exchanged, outcome.seconds = self.conversation.taken(), time.perf_counter() - begun
        return outcome

    async def leave(self) -> None:
        """Hang up."""
        channel, self._channel = self._channel, None
        if channel is not None:
            await channel.close()

    # --- Being there

    async def _before(self, step: Step) -> None:
        """Have the laptop where a step begins, and a log-in where it needs one."""
        if self._channel is not None and self._at != step.before.port:
            await self.leave()
        if not step.lost or not self.table.by_itself:
            await self.table.settle(step.before)
            if step.needs_box and step.key != "open" and not _logs_in(step):
                (await self._be_in(step)).patience = ANSWER
            return
        later = self._after_it(step)
        try:
            await self.table.settle(step.before)
            (await self._be_in(step, 3 * BRIEF if later is not None else None)).patience = BRIEF
        except NoAnswer:
            if later is None:
                raise
            await self.table.settle(later)  # it was cut off here before, and has taken effect already
            await self._back_again(later)

    def _after_it(self, step: Step) -> Situation | None:
        """Where the box is reached again once a step has cut the connection."""
        steps = self.task.sheet.steps
        return next((one.after for one in steps[steps.index(step) + 1 :] if one.after.reaches), None)

    async def _be_in(self, step: Step, seconds: float | None = None) -> Channel:
        if self._channel is None:
            await self._back_again(step.before, seconds=seconds)
        assert self._channel is not None  # noqa: S101  (it has come back with one, or raised)
        return self._channel

    async def _log_in(self, situation: Situation, *, first: bool = False) -> Channel:
        """Log in where the laptop is: with the password that was set, or with the first one before that."""
        own = f"slot-{self._own}" in self.done and not first
        try:
            return await self._let_in(situation, own=own)
        except NotLetIn as error:
            secret = self._own and self._secret(self._slot_place())
            if not own and not secret:
                raise
            try:
                channel = await self._let_in(situation, own=not own)
            except NotLetIn:
                raise error from None
            if not own:  # it was cut off while the password was set
                return channel
            await channel.close()
            raise Surprised(
                "It lets one in with its first password again, so what it was told is lost: it was reset, or lost its "
                "power before all was saved. Begin the run anew"
            ) from None

    async def _let_in(self, situation: Situation, *, own: bool) -> Channel:
        user = self.task.kind.factory.user or ""
        password = self._secret(self._slot_place()) if own else await self._first_password()
        channel = await self._open(situation, user, password)
        try:
            await channel.log_in(user, password)
        except (LinkError, asyncio.CancelledError):
            await channel.close()
            raise
        self._at = situation.port
        return channel

    def _slot_place(self) -> str:
        step = next(one for one in self.task.sheet.steps if one.key == f"slot-{self._own}")
        return next(value.secret for value in step.values if value.secret)

    async def _first_password(self) -> str:
        factory = self.task.kind.factory
        if factory.password is FirstPassword.LABEL:
            password = (await self.table.label()).get("password", "")
            self.conversation.hide("first password", password)
            return password
        return factory.known_password or ""

    async def _open(self, situation: Situation, user: str, password: str) -> Channel:
        """The first way in that the type speaks and that answers."""
        kind = self.task.kind
        if situation.port == CONSOLE:
            return await plain_terminal(await self.table.reach(CONSOLE, ""), kind, self.conversation, CONSOLE)
        why: LinkError = Surprised(
            f"{kind.title} has no way in that Octaplan speaks: RESTCONF, SSH, telnet or a console. Permit one of "
            "them, or do this step by hand"
        )
        for way in ways_in(self.task):
            if way == "telnet" and (self.pins.text or "ssh" in map(str, kind.factory.services)):
                continue  # never in the clear where there is, or was, a way that is not
            try:
                place = await self.table.reach(way, situation.box)
                if way == "https":
                    return await restconf(place, self.conversation, self.pins)
                if way == "ssh":
                    return await ssh_terminal(place, kind, self.conversation, self.pins, user, password)
                return await plain_terminal(place, kind, self.conversation, way)
            except (OtherBox, NotLetIn):
                raise
            except NoAnswer as error:
                why = error
        raise why

    async def _back_again(self, situation: Situation, *, first: bool = False, seconds: float | None = None) -> None:
        """Wait until the box lets one in, as it may be away. A try that began just before it went is given up in time
        for others."""
        await self.leave()
        away = self._away if seconds is None else seconds
        ends = time.monotonic() + away
        while True:
            try:
                self._channel = await self._log_in_within(situation, max(away / TRIES, LOG_IN), first=first)
                await self._keep_it(self._channel)
                return
            except NoAnswer as error:
                if time.monotonic() > ends:
                    if not self._to_confirm:
                        raise
                    raise NoAnswer(
                        f"{error}. Nobody has confirmed the change, so the box takes it back by itself: take that step "
                        "back too, look at what is planned, and do it again"
                    ) from None
                await asyncio.sleep(TRY)

    async def _log_in_within(self, situation: Situation, seconds: float, *, first: bool) -> Channel:
        try:
            async with asyncio.timeout(seconds):
                return await self._log_in(situation, first=first)
        except TimeoutError:
            raise NoAnswer(f"{self.task.kind.title} was reached and has stopped answering") from None

    async def _keep_it(self, channel: Channel) -> None:
        """Confirm a change that cut the box off, now that it is reached again (RFC 6241, 8.4)."""
        if self._to_confirm:
            with contextlib.suppress(BoxRefused):  # it was confirmed before the hands were cut off
                await channel.do(Verb.CONFIRM)
            self._to_confirm = False

    # --- What is done in each step

    async def _act(self, step: Step, outcome: StepOutcome) -> None:
        key = step.key
        if key == "plug":
            await self.table.settle(step.after)
            await self.table.power(True)
        elif key == "open":
            await self._opens(step)
        elif key == "log-in":
            await self._back_again(step.before, first=True)
        elif key.startswith("slot-"):
            await self._set_slot(step)
        elif _logs_in(step):
            await self._back_again(step.after if step.after.port else step.before)
        elif key in ("apply", "commit"):
            await self._take_effect(step)
        elif key == "restart":
            await self.table.power(False)
            await self.leave()
            await self.table.power(True)
        elif key == "firmware":
            await self._update(step)
        elif asked_of(self.task, step):
            await self._ask_all(step)
        elif key == READ_BACK:
            channel = await self._be_in(step)
            outcome.shown = await channel.show()
            lacks = await channel.holds(self._portions.whole()) if told_as_data(self.task, step) else []
            if lacks:
                raise Surprised(f"It was told, and does not show it: {'; '.join(lacks[:4])[:400]}")
            untold = [] if told_as_data(self.task, step) else self._portions.untold()
            if untold:
                raise Surprised(
                    f"No line of its write-out tells {'; '.join(untold[:6])}: set that by hand, and paste what it shows"
                )
            left = [one for one in self.task.kind.leftovers if one in outcome.shown]
            if left:
                raise Surprised(f"It still shows what it came with: {'; '.join(left)[:300]}")
        elif key == "backup":
            outcome.backup = await (await self._be_in(step)).backup()
        elif key in ("internet-cable", UPLINK):
            await self.table.line(True)
        elif step.needs_box and not key.startswith("licence-") and step.values:
            await self._tell(step)
        else:
            await self.table.settle(step.after)

    async def _opens(self, step: Step) -> None:
        """That something of the box answers where it should."""
        ends = time.monotonic() + self._away
        kind = self.task.kind
        services = dict.fromkeys(
            ["https" if kind.restconf else "", kind.factory.web or "", *map(str, kind.factory.services)]
        )
        while True:
            for service in filter(None, services):
                try:
                    await self.table.reach(service, step.before.box)
                    return
                except NoAnswer as error:
                    why = error
            if time.monotonic() > ends:
                raise why
            await asyncio.sleep(TRY)

    async def _set_slot(self, step: Step) -> None:
        slot = step.key.removeprefix("slot-")
        secret = next((self._secret(value.secret) for value in step.values if value.secret), "")
        if not secret:
            raise Surprised(f"The safe holds nothing for {slot}: fill it on Credentials")
        channel = await self._be_in(step)
        await channel.set_secret(slot, secret)
        if slot == self._own:  # from here one logs in with it
            await self.leave()

    async def _ask_all(self, step: Step) -> None:
        """Have it do what a step asks for, beside telling it settings."""
        channel = await self._be_in(step)
        for verb, about in asked_of(self.task, step):
            gone = contextlib.suppress(BoxRefused)  # removed already; what stays is seen when it is read back
            with gone if verb is Verb.REMOVE else contextlib.nullcontext():
                await channel.do(verb, about)
            if verb is Verb.RESTART:
                await self.leave()

    async def _take_effect(self, step: Step) -> None:
        """Apply or commit; where the connection goes with it, silence is what is expected."""
        try:
            await self._ask_all(step)
        except NoAnswer:
            if not step.lost:
                raise
        self._to_confirm = step.lost and self.task.kind.confirms
        if step.lost:
            await self.leave()

    async def _update(self, step: Step) -> None:
        if await (await self._be_in(step)).firmware() != self.task.kind.firmware.wanted:
            await self._ask_all(step)
            await self._back_again(step.before)

    async def _tell(self, step: Step) -> None:
        """Tell it what the step says, and look whether it holds it."""
        channel = await self._be_in(step)
        ports = ports_of(self.task, self._portions, self._ports_told, step)
        portion = self._portions.of(step, data=channel.way == "restconf", ports=ports)
        if portion.empty:
            if step.key not in TOLD_ELSEWHERE:
                raise Surprised(
                    f"The write-out of {self.task.kind.title} has no line for this step: write one on Hardware, or do "
                    "it by hand"
                )
            return
        try:
            await channel.tell(portion)
        except NoAnswer:
            if not step.lost:
                raise
        self._ports_told += ports
        if step.lost:
            await self.leave()
            return
        if self.task.kind.takes is Takes.AT_ONCE and not self.task.kind.restart_needed:
            lacks = await channel.holds(portion)
            if lacks:
                raise Surprised(f"It was told, and does not show it: {'; '.join(lacks[:4])[:400]}")

    # --- What is measured

    async def _measure(self, step: Step, outcome: StepOutcome) -> None:
        for measure in step.measures:
            if measure.kind in ("backup", "read-back"):
                continue
            found, why = await self._answer(step, measure)
            if found:
                outcome.measured[measure.key] = found
            elif measure.needed:
                outcome.skips[measure.key] = why or "Octaplan's hands cannot measure it"

    async def _answer(self, step: Step, measure: Measure) -> tuple[str, str]:
        """What is measured, or why it is not."""
        if measure.key in ("serial", "mac"):
            return (await self.table.label()).get(measure.key, ""), "nothing is printed on it"
        if measure.kind == "ping":
            return await self._pinged(step, measure)
        if measure.kind == "lease":
            port = step.after.port or step.before.port
            if measure.key.startswith("lease-"):  # at a socket of its own
                port = measure.label.rpartition("port ")[2]
            found = await self.table.lease(port)
            return ("no lease was given" if found == "" else found or ""), "nobody on this bench serves it"
        if measure.kind == "lookup":
            found = await self.table.look_up()
            return ("no answer" if found == "" else found or ""), "this bench has no line"
        if measure.kind == "light" and measure.key.startswith("light-"):
            name = measure.label.removeprefix("Light ").partition(":")[0]
            return (await (await self._be_in(step)).lights()).get(name, ""), ""
        if measure.kind == "firmware":
            return await (await self._be_in(step)).firmware(), ""
        if measure.kind in ("passes", "silent"):
            came = await self.table.passes(measure.label)
            return (
                "" if came is None else "it answers" if came else "no answer"
            ), "this bench has nobody to try it from"
        if measure.key == "joined":
            key = next((self._secret(value.secret) for value in step.values if value.secret), "")
            network = next((value.text for value in step.values if value.label.startswith("Name")), "")
            lets_in = await self.table.joins(network, key)
            return ("" if lets_in is None else "yes" if lets_in else "no"), "nobody is there to join it"
        if measure.key == "kept":
            return ("yes" if await self._keeps(step) else "no"), ""
        return "", "it needs somebody, or something, that this bench has not"

    async def _keeps(self, step: Step) -> bool:
        """Whether it shows all that is planned, after a restart."""
        task, channel = self.task, await self._be_in(step)
        back = read_back(task.plan, task.key, await channel.show(), task.kind, task.organisation)
        lacks = await channel.holds(self._portions.whole()) if told_as_data(task, step) else []
        return not (back.departures or back.about or lacks)

    async def _pinged(self, step: Step, measure: Measure) -> tuple[str, str]:
        """What a ping says. What lies behind another box is given the time that the other needs for a restart."""
        if not measure.expect:
            return "", "no address is planned to ping"
        ends = time.monotonic() + (self._away if step.key == UPLINK else 0)
        while True:
            said = await self.table.ping(measure.expect)
            if not said:
                return "", f"{measure.expect} is not on this bench"
            if judge(measure.kind, said, measure.expect).outcome is not Outcome.BAD or time.monotonic() > ends:
                return said, ""
            await asyncio.sleep(TRY)


def ways_in(task: Task) -> list[str]:
    """The ways in that a box may have, out of its carton or as it is planned, and that Octaplan speaks: best first."""
    kind = task.kind
    planned = {str(access.service) for access in task.plan.devices[task.key].access.values()}
    has = planned | {kind.factory.web or "", *map(str, kind.factory.services)}
    return [way for way in ("https", "ssh", "telnet") if way in has and (way != "https" or kind.restconf)]


def asked_of(task: Task, step: Step) -> list[tuple[Verb, str]]:
    """What a step has a box do, beside telling it settings."""
    if step.key in ("apply", "commit"):
        return [(Verb(step.key), str(CONFIRM_WITHIN) if step.lost and task.kind.confirms else "")]
    if step.key in ("save", "save-first", "save-firmware"):
        return [(Verb.SAVE, "")]
    if step.key == "restart-first":
        return [(Verb.RESTART, "")]
    if step.key == "firmware":
        return [(Verb.FIRMWARE, task.kind.firmware.wanted or "")]
    if step.key == "clear-away":
        verbs = {"Switch off": Verb.OFF, "Remove": Verb.REMOVE}
        told = [(verbs[value.label], value.text) for value in step.values if value.label in verbs]
        return [(verb, about.lower() if verb is Verb.OFF else about) for verb, about in told]
    return []


def told_as_data(task: Task, step: Step) -> bool:
    """Whether a box is told its settings over RESTCONF, from its carton on."""
    factory = task.kind.factory
    first = factory.web == "https" or "https" in map(str, factory.services)
    begun = next((one.before.port for one in task.sheet.steps if one.key == "log-in"), step.before.port)
    return begun != CONSOLE and first and ways_in(task)[:1] == ["https"]


def left_ports(task: Task, portions: Portions) -> list[str]:
    """The ports that the step of the ports sets up: all but the one that the laptop is in where that is last."""
    step = next((one for one in task.sheet.steps if one.key == "ports"), None)
    own = ""
    if step is not None and task.kind.takes is Takes.AT_ONCE and not task.kind.restart_needed:
        own = "" if step.before.port == CONSOLE else step.before.port
    return [name for name in portions.ports() if name != own]


def ports_of(task: Task, portions: Portions, told: list[str], step: Step) -> list[str]:
    """The ports that a step sets up, where some were told already."""
    if step.key == "ports":
        return left_ports(task, portions)
    routes = task.plan.devices[task.key].routes_packets
    own = step.key == "own-port" or (step.key.startswith("segment-") and routes)
    return [name for name in portions.ports() if name not in told] if own and step.group == "Take effect" else []


def would_send(task: Task, settled: Collection[str]) -> Iterator[tuple[Step, list[str]]]:
    """What would be sent at each step that is left, without secrets."""
    portions = Portions(task.plan, task.key, task.kind, task.organisation, task.written, task.secret)
    told: list[str] = []
    for step in task.sheet.steps:
        if step.key in LAST:
            return
        ports = ports_of(task, portions, told, step)
        told += ports
        if step.key not in settled:
            portion = portions.of(step, data=told_as_data(task, step), ports=ports)
            yield step, [*_secrets_of(step), *(f"{verb} {about}".strip() for verb, about in asked_of(task, step)),
                         *told_lines(portion)]  # fmt: skip


def _secrets_of(step: Step) -> list[str]:
    """The passwords that a step sets, by marks."""
    slot = step.key.removeprefix("slot-")
    return [f"password {slot} <<{value.secret}>>" for value in step.values if value.secret and slot != step.key]


def _logs_in(step: Step) -> bool:
    """Whether a step is there to log in."""
    return step.key.startswith("log-in") or step.key.endswith("-open") or step.key in ("open-restart", "reconnect")


def told_lines(portion: Portion) -> list[str]:
    """What a portion says, without secrets."""
    if portion.lines:
        return portion.shown
    found = [f"set the secret of {slot}" for slot in portion.secrets]
    for module, data in portion.data.items():
        for name, value in data.items():
            found.append(f"{module} {name}: {value}")
    return found
