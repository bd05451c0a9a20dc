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
_ADDRESS = re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?:\s*/\s*\d{1,2})?(?![\w.]*\d)")
_HANDOFFS = {"pppoe": r"pppoe", "dhcp": r"dhcp|dynamic", "static": r"static|fixed"}


class Read(NamedTuple):
    """One field that was found: what was written, what it comes to, and the change; or why it cannot be read."""

    field: str
    text: str
    echo: str
    operations: list[dict[str, Any]]
    problem: str


class Fragment(NamedTuple):
    """All that was found, in the order of the fields, and what was left out on purpose."""

    found: list[Read]
    left: list[str]


def read_fragment(plan: SitePlan, circuit: str, text: str) -> Fragment:
    """Read a letter into the fields of one circuit of a plan. Raises `ValueError`: too long, or says nothing."""
    if len(text) > LONGEST_LETTER:
        raise TypedError(f"It is {len(text):,} characters long: paste at most {LONGEST_LETTER:,}")
    values = _values(text)
    left = []
    if values.pop("password", ""):
        left.append("The password is not read: put it into the safe on Credentials")
    if not values:
        raise TypedError("Nothing in it names a field: write such as IP 198.51.100.18/29 GW .17 DNS 192.0.2.53")
    draft, found = plan, []
    for field in (name for name in _FIELDS if name in values):
        path = f"/circuits/{circuit}/{field}"
        try:
            operations, echo = understand(draft, path, values[field])
            draft = applied(draft, operations)
            found.append(Read(field, values[field], echo, operations, ""))
        except OctaplanError as error:
            found.append(Read(field, values[field], "", [], str(error).split("\n")[0]))
    return Fragment(found, left)


def _values(text: str) -> dict[str, str]:
    """What follows each word that names a field, cleaned; without such words, the first address with its mask."""
    values: dict[str, str] = {}
    marks = _marks(text)
    for place, (field, mark) in enumerate(marks):
        end = marks[place + 1][1].start() if place + 1 < len(marks) else len(text)
        value = _clean(field, text[mark.end() : end])
        if not value:
            continue
        if field in values and (several := _SEVERAL.get(_form(field))):
            values[field] += several + value
        else:
            values.setdefault(field, value)
    if "address" not in values:
        lone = next((m for m in _ADDRESS.finditer(text) if not any(m[0] in v for v in values.values())), None)
        if lone is not None:
            values["address"] = lone[0]
    if "handoff" not in values:
        kind = next((k for k, words in _HANDOFFS.items() if re.search(rf"\b(?:{words})\b", text, re.IGNORECASE)), None)
        if kind is None and "address" in values:
            kind = "static"
        if kind is not None:
            values["handoff"] = kind
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
