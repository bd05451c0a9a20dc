"""What one types at a stand-in's terminal, and what it answers: the same on the console, over SSH, and over telnet."""

from __future__ import annotations

import base64
import binascii
import shlex
from collections.abc import Callable
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.config.grammar import Told
from octaplan.core.plan.hardware import AskedBack, Takes, Verb
from octaplan.lab.standin.backups import opened, sealed
from octaplan.lab.standin.box import CONSOLE, BoxPhase, Refused, StandIn

#: The line that ends a backup which is put back, and the most lines that it has.
END, MOST_CONTENT = ".", 20_000


class Awaits(StrEnum):
    """What a dialogue waits for."""

    USER = "user"
    PASSWORD = "password"  # noqa: S105  (what is waited for)
    CHOICE = "choice"
    LINE = "line"
    ANSWER = "answer"
    CONTENT = "content"


class Said(NamedTuple):
    """What the box says to a line. `ends` says that it hangs up."""

    lines: list[str]
    ends: bool = False


class Dialogue:
    """One session at a terminal. `way` is `console` or the service that it came by, `reached` says whether it is still
    reached by that; unless told, where the laptop is."""

    def __init__(
        self, box: StandIn, way: str, reached: Callable[[], bool] | None = None, *, logged_in: bool = False
    ) -> None:
        self.box, self.way = box, way
        address = box.face(box.laptop_port).address
        self._reached = reached or (lambda: box.face(box.laptop_port).address == address and box.reached(way))
        self._started = box.times_started
        self._above: list[Told] = []
        self._user = box.kind.factory.user or ""
        #: The lines of a backup that is put back.
        self._content: list[str] = []
        #: What is asked back before it is saved, the first one next.
        self._asking: list[AskedBack] = []
        self.stage = self._first_stage()
        if logged_in:
            self._let_in()

    def _first_stage(self) -> Awaits:
        return Awaits.USER if self.box.kind.factory.user is not None else Awaits.PASSWORD

    def _let_in(self) -> None:
        self.stage = Awaits.CHOICE if self.box.must_choose else Awaits.LINE

    @property
    def hangs(self) -> bool:
        """Whether nothing comes back any more: its address or service is gone, or the box was restarted since."""
        box = self.box
        if self.way == CONSOLE:
            return box.phase is not BoxPhase.READY
        gone = box.phase is not BoxPhase.READY or self._started != box.times_started
        return gone or not self._reached()

    @property
    def prompt(self) -> str:
        """What it shows when it waits."""
        return {
            Awaits.USER: "user:",
            Awaits.PASSWORD: "password:",
            Awaits.CHOICE: f"choose the {self.box.log_in_slot} password:",
            Awaits.ANSWER: "?",
            Awaits.CONTENT: "?",
            Awaits.LINE: self.box.write_out.prompt or ">",
        }[self.stage]

    def paste(self, lines: list[str]) -> Said:
        """Several lines at once: more than the type takes at once are lost, as on a console without flow control."""
        found: list[str] = []
        for line in lines[: self.box.write_out.lines_at_once]:
            said = self.enter(line)
            found += said.lines
            if said.ends or self.hangs:
                return Said(found, said.ends)
        return Said(found)

    def enter(self, line: str) -> Said:
        """One line."""
        if self.box.phase is not BoxPhase.READY:
            return Said([])
        if self._started != self.box.times_started:  # only the console outlives a restart, and one is logged out
            self._started, self.stage, self._above = self.box.times_started, self._first_stage(), []
            return Said([f"{self.box.kind.model} ready"])
        try:
            return self._enter(line)
        except Refused as refused:
            return Said([self._no(str(refused))])

    def _no(self, words: str) -> str:
        known = self.box.write_out.refusals
        return words if any(one in words for one in known) else self.box.says_no(words)

    def _enter(self, line: str) -> Said:
        if self.stage is Awaits.USER:
            self._user, self.stage = line.strip(), Awaits.PASSWORD
            return Said([])
        if self.stage is Awaits.PASSWORD:
            self.stage = self._first_stage()
            self.box.check_log_in(self._user, line)
            self._let_in()
            return Said(["logged in"])
        if self.stage is Awaits.CHOICE:
            self.box.set_secret(self.box.log_in_slot, line)
            self.stage = Awaits.LINE
            return Said(["it is set"])
        if self.stage is Awaits.ANSWER:
            return self._answered(line)
        if self.stage is Awaits.CONTENT:
            return self._content_line(line.strip())
        if self.box.grammar.passes_over(line):
            return Said([])
        asked = (Verb.SAVE, "") if self.box.saves_by(line) else self.box.command(line)
        if asked is not None and not self._above:
            self._asking = list(self.box.write_out.asks) if asked[0] is Verb.SAVE else []
            return self._ask() if self._asking else self._do(*asked)
        self._above = self.box.say(line, self._above)
        return Said([])

    def _ask(self) -> Said:
        """Ask back what the type asks before it saves."""
        self.stage = Awaits.ANSWER
        return Said([self._asking[0].question])

    def _answered(self, line: str) -> Said:
        self.stage = Awaits.LINE
        if line.strip() != self._asking.pop(0).answer:
            self._asking = []
            return Said(["nothing was done"])
        return self._ask() if self._asking else self._do(Verb.SAVE, "")

    def _do(self, verb: Verb, about: str) -> Said:
        box = self.box
        if verb is Verb.ABOUT:
            return Said(box.about())
        if verb is Verb.SHOW:
            return Said(box.show())
        if verb is Verb.PASSWORD:
            return self._password(about)
        if verb is Verb.BACKUP:
            text = base64.b64encode(sealed(box)).decode()
            return Said([text[at : at + 120] for at in range(0, len(text), 120)])
        if verb is Verb.PUT_BACK:
            self.stage, self._content = Awaits.CONTENT, []
            return Said([f"go on with the backup, line by line, and end with {END}"])
        if verb is Verb.LEAVE:
            self.stage = self._first_stage()
            return Said(["good bye"], ends=self.way != CONSOLE)
        if verb is Verb.SAVE and box.kind.takes is not Takes.AT_ONCE and box.kind.kept == "always":
            box.apply()  # the language of such a type saves and applies in one
        box.perform(verb, about, by_console=self.way == CONSOLE)
        away = verb in (Verb.RESTART, Verb.FIRMWARE)
        return Said(["it goes away for a while" if away else "done"], ends=away and self.way != CONSOLE)

    def _password(self, about: str) -> Said:
        try:
            slot, value = shlex.split(about)
        except ValueError:
            raise Refused("a password is told as its name and the password between quotes") from None
        self.box.set_secret(slot, value)
        return Said(["it is set"])

    def _content_line(self, line: str) -> Said:
        """One more line of a backup, or its end: then it is put back."""
        if line != END and len(self._content) < MOST_CONTENT:
            self._content.append(line)
            return Said([])
        self.stage = Awaits.LINE
        try:
            content = base64.b64decode("".join(self._content), validate=True)
        except binascii.Error:
            raise Refused("this is no backup") from None
        self.box.saved = opened(self.box, content)
        self.box.restart()
        return Said(["put back, restarting"], ends=self.way != CONSOLE)
