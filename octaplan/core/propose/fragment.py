"""What a provider writes about a line, read into the fields of a circuit, and taken into the plan.

`letters` tells what a letter says; here each value goes through the reader of its field, so that what a person would be
refused is refused too, one value at a time: no letter is refused as a whole. Nothing is saved here, and a password is
never read.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from jsonpointer import escape

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import Operation, applied, set_to
from octaplan.core.plan.questions import NONE, QUESTIONS, Asked, answer_key
from octaplan.core.plan.site import MOST_PRIORITY, SitePlan, new_id
from octaplan.core.propose.answering import GivenAnswer, noted, take
from octaplan.core.propose.letters import LetterLine, Reading, Stretch, Sure, read_letter
from octaplan.core.propose.typed import understand
from octaplan.core.values.errors import OctaplanError, TypedError

#: The most that is read, in characters.
LONGEST_LETTER = 10_000

#: What a further address is noted as until it is used for something.
FREE = "free"

#: What a letter may say, in the order in which it is told.
LETTER_FIELDS = {
    "handoff": "Hand-off",
    "address": "Own address",
    "prefix": "Mask",
    "gateway": "Provider's gateway",
    "resolvers": "Resolvers",
    "vlan": "VLAN tag",
    "mtu": "MTU",
    "routed_blocks": "Routed blocks",
    "uses": "Further addresses",
    "pppoe_user": "PPPoE user",
    "modem_subnet": "Modem's inside",
    "address6": "Own IPv6 address",
    "prefix6": "IPv6 mask",
    "gateway6": "Provider's IPv6 gateway",
    "delegated_prefix": "IPv6 prefix",
    "speed": "Speed",
    "provider": "Provider",
    "reference": "Reference",
    "fault_number": "Fault number",
}

_QUESTIONS = {question.field or question.name: question for question in QUESTIONS if question.each}


class Choice(NamedTuple):
    """Another value that a field may have, and the change that gives it."""

    text: str
    operations: list[dict[str, Any]]


class Read(NamedTuple):
    """One field that was found: what was written, what it comes to, and the change; or why it is not taken.

    `places` are where in the letter it stands; what is not `sure` has `others`, of which one is to be chosen.
    """

    field: str
    text: str
    echo: str
    operations: list[dict[str, Any]]
    problem: str
    places: tuple[Stretch, ...] = ()
    sure: Sure = Sure.SAID
    others: tuple[Choice, ...] = ()


class FoundLine(NamedTuple):
    """What a letter says of one line: what it calls it, and the fields in their order."""

    named: str
    found: list[Read]


class Fragment(NamedTuple):
    """All that a letter says: of one line, or of two in the order in which it speaks of them; and what was left out."""

    lines: list[FoundLine]
    left: list[str]

    @property
    def found(self) -> list[Read]:
        """What is said of the first line."""
        return self.lines[0].found


def read_fragment(plan: SitePlan, circuit: str, text: str) -> Fragment:
    """Read a letter into the fields of one circuit of a plan. Raises `TypedError`: too long, or says nothing."""
    if len(text) > LONGEST_LETTER:
        raise TypedError(f"It is {len(text):,} characters long: paste at most {LONGEST_LETTER:,}")
    letter = read_letter(text)
    left = ["The password is not read: put it into the safe on Credentials"] if letter.password else []
    lines = [FoundLine(line.named, _reads(plan, circuit, line)) for line in letter.lines]
    if not any(line.found for line in lines):
        raise TypedError("Nothing in it names a field: write such as IP 198.51.100.18/29 GW .17 DNS 192.0.2.53")
    return Fragment(lines, left)


def _reads(plan: SitePlan, circuit: str, line: LetterLine) -> list[Read]:
    values = _with_speed(line.values)
    draft, found = plan, list[Read]()
    for field in LETTER_FIELDS:
        reading = values.get(field)
        if reading is None:
            continue
        if reading.problem:
            found.append(Read(field, reading.text, "", [], reading.problem, reading.places))
            continue
        try:
            operations, echo = _understood(draft, circuit, field, reading.text)
            draft = applied(draft, operations)
        except OctaplanError as error:
            found.append(Read(field, reading.text, "", [], str(error).split("\n")[0], reading.places))
            continue
        asked = reading.sure is Sure.OPEN
        if field == "prefix" and values.get("address", reading).sure is Sure.OPEN:
            echo = reading.text  # whose subnet it makes is not settled yet
        others = (Choice(reading.text, operations), *_choices(draft, circuit, field, reading.others)) if asked else ()
        taken = [] if asked else operations
        found.append(Read(field, reading.text, echo, taken, "", reading.places, reading.sure, others))
    return found


def _choices(draft: SitePlan, circuit: str, field: str, texts: Sequence[str]) -> list[Choice]:
    """The other readings of a value, those that its field can have."""
    choices = []
    for text in texts:
        try:
            choices.append(Choice(text, _understood(draft, circuit, field, text)[0]))
        except OctaplanError:
            continue
    return choices


def _with_speed(values: dict[str, Reading]) -> dict[str, Reading]:
    """The values of a letter with both speeds as one, as the question of the intake has it."""
    ways = [(way, values[f"speed_{way}"]) for way in ("down", "up") if f"speed_{way}" in values]
    if not ways:
        return values
    told = ", ".join(f"{reading.text} {way}" for way, reading in ways)
    places = tuple(dict.fromkeys(place for _, reading in ways for place in reading.places))
    return {**values, "speed": Reading(f"{told} (Mbit/s)", Sure.SAID, places)}


def _understood(plan: SitePlan, circuit: str, field: str, text: str) -> tuple[list[Operation], str]:
    """The change that one value makes to a plan, and what it comes to. Raises `OctaplanError`."""
    path = f"/circuits/{circuit}"
    if field == "uses":
        there = plan.circuits[circuit].uses
        fresh = [address for address in text.split() if address not in there]
        return [set_to(f"{path}/uses/{address}", FREE) for address in fresh], f"free: {len(fresh)} more"
    if field == "delegated_prefix":
        return understand(plan, "/delegated_prefix", text)
    if field == "speed":
        return [noted(answer_key("speed", circuit), text)], text
    if text == NONE and field in _QUESTIONS:
        operations = understand(plan, f"{path}/{field}", "").operations
        return [*operations, noted(answer_key(_QUESTIONS[field].name, circuit), NONE)], "none, as the letter says"
    return understand(plan, f"{path}/{field}", text)


# --- Taking what was read --------------------------------------------------------------------------------------


class LetterValue(NamedTuple):
    """One value that was read and looked at."""

    field: str
    text: str


class NotTaken(NamedTuple):
    """A value that the plan does not take, and why."""

    field: str
    text: str
    problem: str


class TakenLetter(NamedTuple):
    """The change that a letter comes to, and what is left out."""

    operations: list[Operation]
    left: list[NotTaken]


def taken_letter(
    plan: SitePlan,
    circuit: str,
    values: Sequence[LetterValue],
    by: str,
    at: datetime,
    *,
    source: str = "",
    confirmed: bool = False,
    portfolio: Portfolio | None = None,
) -> TakenLetter:
    """Take the values of a letter into one circuit, each by itself: what one cannot have keeps no other out.

    Where a value answers a question of the intake, who told it stands beside it; what contradicts a confirmed answer is
    left out.
    """
    draft, operations, left = plan, list[Operation](), list[NotTaken]()
    order = list(LETTER_FIELDS)
    for value in sorted(values, key=lambda one: order.index(one.field)):
        question = _QUESTIONS.get(value.field)
        try:
            if question is not None and question.applies(Asked(draft, circuit)):
                given = GivenAnswer(answer_key(question.name, circuit), value.text, f"{value.field}: {value.text}")
                taken = take(draft, [given], by, at, source=source, confirmed=confirmed, portfolio=portfolio)
                if taken.contradictions:
                    against = taken.contradictions[0]
                    raise TypedError(
                        f"{against.by} confirmed {against.confirmed}: if that is wrong, change it on Intake"
                    )
                fresh = taken.operations
            else:
                fresh, _ = _understood(draft, circuit, value.field, value.text)
            draft = applied(draft, fresh)
        except OctaplanError as error:
            left.append(NotTaken(value.field, value.text, str(error).split("\n")[0]))
            continue
        operations += fresh
    return TakenLetter(operations, left)


def emptied(plan: SitePlan, circuit: str) -> list[Operation]:
    """A circuit with nothing of its old line left in it, for a new one in its place: its name, its order of use and its
    routing table stay, and so do port and translations, which name the circuit."""
    old = plan.circuits[circuit]
    bare = {"label": old.label, "priority": old.priority, "vrf": old.vrf}
    told = [key for key in plan.answers if key.endswith(f".{circuit}")]
    return [
        *({"op": "remove", "path": f"/answers/{escape(key)}"} for key in told),
        set_to(f"/circuits/{circuit}", bare),
    ]


def following_gateway(before: SitePlan, after: SitePlan, circuit: str) -> list[Operation]:
    """Routes by the gateway that a circuit had, by the one that it has."""
    old, new = before.circuits[circuit], after.circuits[circuit]
    hops = {was: now for was, now in ((old.gateway, new.gateway), (old.gateway6, new.gateway6)) if was and now}
    return [
        set_to(f"/devices/{key}/routes/{name}/via", str(hops[route.via]))
        for key, device in after.devices.items()
        for name, route in device.routes.items()
        if route.via in hops and hops[route.via] != route.via
    ]


def second_circuit(plan: SitePlan, label: str) -> tuple[str, list[Operation]]:
    """A circuit for the other line of a letter, used after those that are there: its id and the change that adds it."""
    labels = {circuit.label.casefold() for circuit in plan.circuits.values()}
    name, number = label, 2
    while name.casefold() in labels:
        name, number = f"{label} {number}", number + 1
    key = new_id(name, plan.circuits)
    told = {one: circuit.priority for one, circuit in plan.circuits.items()}
    said = [priority for priority in told.values() if priority is not None]
    settled = len({*said}) == len(told) and max(said, default=0) < MOST_PRIORITY
    by_order = sorted(told, key=lambda one: MOST_PRIORITY + 1 if (p := told[one]) is None else p)
    before = [] if settled else [set_to(f"/circuits/{one}/priority", n) for n, one in enumerate(by_order, 1)]
    last = max(said, default=0) if settled else len(told)
    return key, [*before, set_to(f"/circuits/{key}", {"label": name, "priority": last + 1})]
