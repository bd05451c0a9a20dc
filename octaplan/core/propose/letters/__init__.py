"""Letters of providers, read into what they say of a line to the internet: of one, or of two.

`text` joins what mail and copiers broke, `layout` makes rows of tables and lists, `words` knows what things are
called in seven languages, `addresses` tells addresses apart by words and arithmetic, `details` reads what is none.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.addresses import FittedAddresses, fit_addresses
from octaplan.core.propose.letters.details import read_details, secrets_in
from octaplan.core.propose.letters.layout import LetterRow, RowMark, rows_as_text, rows_of
from octaplan.core.propose.letters.numbers import Spoken, spoken_rows
from octaplan.core.propose.letters.readings import Reading, Sure
from octaplan.core.propose.letters.text import PlacedText, Stretch, folded, prepared
from octaplan.core.propose.letters.words import LetterTopic
from octaplan.core.values.addresses import Network, parse_address

__all__ = ["Letter", "LetterLine", "Reading", "Stretch", "Sure", "read_letter"]

#: What both lines of a letter share when only one of them tells it.
_SHARED = ("provider", "fault_number", "resolvers")


class LetterLine(NamedTuple):
    """What a letter says of one line: the values by field, and what the letter calls it."""

    named: str
    values: dict[str, Reading]


class Letter(NamedTuple):
    """What a letter comes to. Two lines stand in the order in which it speaks of them; `password`: it tells one."""

    lines: list[LetterLine]
    password: bool


def read_letter(letter: str) -> Letter:
    """What a letter says of the lines to the internet that it speaks of; never a password."""
    rows = rows_of(prepared(letter))
    secret, rows = _without_secrets(rows)
    parts = _lines(rows)
    lines = [LetterLine(named, _read(part)) for named, part in parts]
    told = sorted(len(set(line.values) - set(_SHARED)) for line in lines)
    if len(lines) == 2 and (told[0] < 1 or told[1] < 2):
        lines = [LetterLine("", _read(rows))]
    if len(lines) == 2:
        whole = _read(rows)
        for line in lines:
            other = next(one for one in lines if one is not line).values
            for field in _SHARED:
                told_once = whole.get(field) or other.get(field)
                if field not in line.values and told_once is not None:
                    line.values[field] = told_once
    return Letter(lines, secret)


def _without_secrets(rows: Sequence[LetterRow]) -> tuple[bool, list[LetterRow]]:
    """Rows in which passwords are blanked."""
    text, places = rows_as_text(rows)
    plain = folded(text.chars)
    found = secrets_in(spoken_rows(plain, text.chars, places))
    if not found:
        return False, list(rows)
    kept = []
    for place in places:
        value = place.row.value
        for secret in found:
            if place.value <= secret.start < place.end:
                start, end = secret.start - place.value, min(secret.end, place.end) - place.value
                value = PlacedText(value.chars[:start] + " " * (end - start) + value.chars[end:], value.origin)
        kept.append(place.row._replace(value=value))
    return True, kept


def _read(rows: Sequence[LetterRow]) -> dict[str, Reading]:
    """The values that some rows tell, by field, with their places in the letter."""
    text, places = rows_as_text(rows)
    plain = folded(text.chars)
    said = spoken_rows(plain, text.chars, places)
    values = read_details(said)
    fixed = _is_fixed(plain, said, values)
    found = fit_addresses(plain, text.chars, places, fixed=fixed)
    values |= {field: reading for field, reading in found._asdict().items() if isinstance(reading, Reading)}
    if "handoff" not in values and found.modem_subnet is not None and found.address is None:
        values["handoff"] = Reading("dhcp", Sure.FOLLOWS, found.modem_subnet.places)
    values |= _handed_off(values, found)
    values = _behind_sign_in(values, found)
    if values.get("handoff") and values["handoff"].text != "pppoe":
        values.pop("pppoe_user", None)
    return {field: _placed(reading, text) for field, reading in values.items()}


def _is_fixed(plain: str, said: Sequence[Spoken], values: dict[str, Reading]) -> bool:
    """Whether an address in the letter can be the site's own: not where it is given to the site anew each time."""
    handoff = values.get("handoff")
    if handoff is None or handoff.text == "static":
        return True
    if handoff.text == "dhcp":
        return words.STATIC.search(plain) is not None and not words.CHANGING.search(plain)
    for row in said:
        if LetterTopic.OWN in row.head or not row.place.row.label.chars:
            for found in re.finditer(r"\d{1,3}(?:\.\d{1,3}){3}", row.whole):
                around = row.whole[max(0, found.start() - 40) : found.end() + 40]
                if words.CHANGING.search(around) and not words.STATIC.search(around):
                    return False
    return True


def _handed_off(values: dict[str, Reading], found: FittedAddresses) -> dict[str, Reading]:
    """The kind of hand-off that follows from what is there, where no words say it."""
    said = values.get("handoff")
    own = found.address or found.gateway
    if said is not None and said.text == "dhcp" and found.gateway is not None and not found.gateway.problem:
        return {"handoff": Reading("static", Sure.FOLLOWS, found.gateway.places)}
    if said is not None and said.text != "static":
        return {}
    if "pppoe_user" in values and found.gateway is None and "@" in values["pppoe_user"].text:
        return {"handoff": Reading("pppoe", Sure.FOLLOWS, values["pppoe_user"].places)}
    if said is None and own is not None:
        return {"handoff": Reading("static", Sure.FOLLOWS, own.places)}
    return {}


def _behind_sign_in(values: dict[str, Reading], found: FittedAddresses) -> dict[str, Reading]:
    """PPPoE brings one address; a whole subnet that such a letter tells is routed to it."""
    own, prefix = found.address, found.prefix
    if (
        values.get("handoff", Reading("", Sure.SAID, ())).text != "pppoe"
        or own is None
        or prefix is None
        or found.gateway
        or own.problem
    ):
        return values
    length = int(prefix.text.removeprefix("/"))
    if length > 30 or (own.sure is Sure.SAID and not prefix.places):
        return values
    block = Network.holding(parse_address(own.text), length)
    if not found.block or found.routed_blocks is not None:
        return values
    left = {field: reading for field, reading in values.items() if field not in ("address", "prefix")}
    return {**left, "routed_blocks": Reading(str(block), Sure.FOLLOWS, prefix.places)}


def _placed(reading: Reading, text: PlacedText) -> Reading:
    """A reading whose places are those of the letter as it was pasted."""
    places = tuple(text.place(max(0, place.start), min(place.end, len(text.chars))) for place in reading.places)
    return reading._replace(places=tuple(place for place in places if place.start < place.end))


# --- Two lines -------------------------------------------------------------------------------------------------

_FIRST = re.compile(
    r"\b(?:main|primary|principale?|haupt(?:leitung|anschluss)|hoofd(?:lijn|verbinding)"
    r"|glowne?)\b(?! ?(?:dns|server|address|name|ip|number|resolver|site|office|nameserver))"
)
_SECOND = re.compile(
    r"\b(?:back-?up|secondary|stand-?by|fail-?over|fallback|spare|ersatzleitung|zweitleitung|secours"
    r"|respaldo|reserve(?:lijn)?|riserva|zapasow[ae])\b(?! ?(?:dns|server|address|name|ip|number|resolver"
    r"|nameserver))"
)
_SENTENCE = re.compile(r"(?<=[.!?])\s+(?=\w)|\n")
_HANDED = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}|pppoe|\bdhcp\b")
_BOTH_MARKS = frozenset({RowMark.FIRST, RowMark.SECOND})
_BOTH = re.compile(r"\bboth\b|\bbeide|\bles deux|\bamb[oa]s|\bentramb|\bbeiden|\bob[aiu]\b")


def _lines(rows: Sequence[LetterRow]) -> list[tuple[str, list[LetterRow]]]:
    """The rows of each of two lines, in the order in which the letter speaks of them; of one, all."""
    marked = list(_sentences(rows))
    kinds = [next(iter(row.marks & {RowMark.FIRST, RowMark.SECOND}), None) for row in marked]
    order = [kind for kind in dict.fromkeys(kinds) if kind is not None]
    if len(order) < 2:
        return [("", list(rows))]
    names = {RowMark.FIRST: "main", RowMark.SECOND: "backup"}
    parts = []
    for kind in order:
        part = [
            row._replace(marks=row.marks - {RowMark.FIRST, RowMark.SECOND})
            for row, own in zip(marked, kinds, strict=True)
            if own in (kind, None)
        ]
        parts.append((names[kind], part))
    return parts


def _sentences(rows: Sequence[LetterRow]) -> list[LetterRow]:
    """Rows, with sentences that name one of two lines apart and marked; what speaks of both is neither's."""
    whole = folded("\n".join(row.value.chars for row in rows if not row.label.chars))
    second = any(_SECOND.search(piece) and _HANDED.search(piece) for piece in _SENTENCE.split(whole))
    made: list[LetterRow] = []
    for row in rows:
        if _BOTH.search(folded(f"{row.label.chars} {row.value.chars}")) and len(_SENTENCE.split(row.value.chars)) == 1:
            made.append(row._replace(marks=row.marks - _BOTH_MARKS))
        elif row.label.chars or not (second or row.marks & _BOTH_MARKS):
            made.append(row)
        else:
            made += _cut(row)
    return made


def _cut(row: LetterRow) -> list[LetterRow]:
    """A paragraph cut where it goes over from one line to the other."""
    cuts = [0, *(found.end() for found in _SENTENCE.finditer(row.value.chars)), len(row.value.chars)]
    pieces: list[LetterRow] = []
    kind = next(iter(row.marks & _BOTH_MARKS), None)
    for start, end in pairwise(cuts):
        piece = row.value.cut(start, end)
        plain = folded(piece.chars)
        first, second = _FIRST.search(plain), _SECOND.search(plain)
        if first and not (second and second.start() < first.start()):
            kind = RowMark.FIRST
        elif second:
            kind = RowMark.SECOND
        elif kind is None and _HANDED.search(plain):
            kind = RowMark.FIRST
        both = _BOTH.search(plain) is not None
        pieces.append(LetterRow(row.label, piece, (row.marks - _BOTH_MARKS) | ({kind} if kind and not both else set())))
    return pieces
