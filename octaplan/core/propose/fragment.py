"""What a provider writes about a hand-off, read into the fields of a circuit.

`IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54` and longer letters: words that name a field, each with
what follows it. Everything is read by the readers of the fields themselves; nothing is saved here, and a password is
never read.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from octaplan.core.plan.fields import FIELDS, Form
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.letters import Reading, Readings, Stretch, Sure, plain, read_addresses_of
from octaplan.core.propose.typed import understand
from octaplan.core.values.errors import OctaplanError, TypedError

#: The most that is read, in characters.
LONGEST_LETTER = 10_000

_FIELDS = FIELDS["circuits"]

#: How letters name each field; a password is known, so that it is not taken for something else.
_NAMES = {
    name: re.compile(f"(?<![\\w.-])(?:{words})(?![\\w-])", re.IGNORECASE)
    for name, words in {
        **{field.name: field.letter.names for field in _FIELDS.values() if field.letter is not None},
        "password": r"ppp(?:oe)? ?pass(?:word)?|password|passphrase|pass",
    }.items()
}
_HANDOFFS = {"pppoe": r"pppoe|ppp\s+over\s+ethernet", "dhcp": r"dhcp|dynamic", "static": r"static|fixed"}

#: Fields whose values are told apart by shape and arithmetic too, in `letters`.
_ADDRESSES = frozenset(Readings._fields)


class Choice(NamedTuple):
    """Another value that a field may have, and the change that gives it."""

    text: str
    operations: list[dict[str, Any]]


class Read(NamedTuple):
    """One field that was found: what was written, what it comes to, and the change; or why it cannot be read.

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


class Fragment(NamedTuple):
    """All that was found, in the order of the fields, and what was left out on purpose."""

    found: list[Read]
    left: list[str]


def read_fragment(plan: SitePlan, circuit: str, text: str) -> Fragment:
    """Read a letter into the fields of one circuit of a plan. Raises `TypedError`: too long, or says nothing."""
    if len(text) > LONGEST_LETTER:
        raise TypedError(f"It is {len(text):,} characters long: paste at most {LONGEST_LETTER:,}")
    letter = plain(text)
    values = _values(letter)
    left = []
    if values.pop("password", None):
        left.append("The password is not read: put it into the safe on Credentials")
    if not values:
        raise TypedError("Nothing in it names a field: write such as IP 198.51.100.18/29 GW .17 DNS 192.0.2.53")
    draft, found = plan, []
    for field in (name for name in _FIELDS if name in values):
        path, reading = f"/circuits/{circuit}/{field}", values[field]
        try:
            operations, echo = understand(draft, path, reading.text)
            others = tuple(Choice(text, understand(draft, path, text).operations) for text in reading.others)
            draft = applied(draft, operations)
            asked = reading.sure is Sure.OPEN
            found.append(
                Read(field, reading.text, echo, [] if asked else operations, "", reading.places, reading.sure,
                     (Choice(reading.text, operations), *others) if asked else ())
            )  # fmt: skip
        except OctaplanError as error:
            found.append(Read(field, reading.text, "", [], str(error).split("\n")[0], reading.places))
    return Fragment(found, left)


def _values(letter: str) -> dict[str, Reading]:
    """The fields that a letter speaks of: addresses as they fit together, others behind the words that name them."""
    read = read_addresses_of(letter)
    values = {field: reading for field, reading in read._asdict().items() if reading is not None}
    marks = _marks(letter)
    for place, (field, mark) in enumerate(marks):
        end = marks[place + 1][1].start() if place + 1 < len(marks) else len(letter)
        value = _clean(field, letter[mark.end() : end])
        if value and (field not in _ADDRESSES or (field not in values and not value.replace(".", "").isdigit())):
            where = letter.find(value, mark.end())
            span = Stretch(where, where + len(value)) if where >= 0 else Stretch(*mark.span())
            values.setdefault(field, Reading(value, Sure.SAID, (span,)))
    if "handoff" not in values:
        hits = {kind: re.search(rf"\b(?:{words})\b", letter, re.IGNORECASE) for kind, words in _HANDOFFS.items()}
        kind, hit = next(((kind, hit) for kind, hit in hits.items() if hit), (None, None))
        if kind is not None and hit is not None:
            values["handoff"] = Reading(kind, Sure.SAID, (Stretch(*hit.span()),))
        elif "address" in values:
            values["handoff"] = Reading("static", Sure.FOLLOWS, values["address"].places)
    return values


def _marks(text: str) -> list[tuple[str, re.Match[str]]]:
    """The words that name a field, in their order; of two that begin at one place or overlap, the longer."""
    found = [(name, mark) for name, words in _NAMES.items() for mark in words.finditer(text)]
    found.sort(key=lambda one: (one[1].start(), -one[1].end()))
    marks: list[tuple[str, re.Match[str]]] = []
    for name, mark in found:
        if not marks or mark.start() >= marks[-1][1].end():
            marks.append((name, mark))
    return marks


#: What stands between several values of one field.
_SEVERAL = {Form.WORDS: " ", Form.PARTS: "; "}


def _form(field: str) -> Form:
    return _FIELDS[field].form if field in _FIELDS else Form.PLAIN


def _clean(field: str, raw: str) -> str:
    """The value at the start of what follows a word."""
    value = re.sub(r"^[\s:=\-–>#]*(?:is|are|of)?[\s:=]+|^[\s:=]+", "", raw, count=1)
    if field == "password":
        return "given" if value.strip() else ""
    several = _SEVERAL.get(_form(field))
    if several:
        found = re.findall(r"[0-9a-fA-F:.]*[.:][0-9a-fA-F:.]+(?:/\d+)?", value)
        return several.join(item.strip(".,;") for item in found)
    line = value.strip().split("\n")[0].strip()
    if field == "handoff":
        return next((k for k, words in _HANDOFFS.items() if re.search(rf"\b(?:{words})\b", line, re.IGNORECASE)), "")
    letter = _FIELDS[field].letter
    if letter is not None and letter.value:
        match = re.search(letter.value, line)
        return match[0].rstrip(".") if match else ""
    return line.strip(" ,;").rstrip(".")[:200]
