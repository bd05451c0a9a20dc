"""The numbers that a letter tells of a line: VLAN tag, MTU, speed; and its rows with the words in them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.layout import RowMark, RowPlace
from octaplan.core.propose.letters.readings import Reading, Sure
from octaplan.core.propose.letters.text import Stretch, folded
from octaplan.core.propose.letters.words import LetterTopic, SaidWords, words_in


class Spoken(NamedTuple):
    """A row with its words: `head` those of its label, `said` all of them, places in the whole text."""

    place: RowPlace
    text: str
    chars: str
    head: tuple[LetterTopic, ...]
    said: tuple[SaidWords, ...]

    @property
    def value(self) -> str:
        """Its value, folded."""
        return self.text[self.place.value : self.place.end]

    @property
    def whole(self) -> str:
        """Label and value, folded."""
        return self.text[self.place.start : self.place.end]

    def reading(self, text: str, start: int, end: int, sure: Sure = Sure.SAID, problem: str = "") -> Reading:
        """A value that stands at a place of the text."""
        return Reading(text, sure, (Stretch(start, end),), (), problem)


_LEFT_OUT = frozenset({RowMark.OLD, RowMark.OTHER, RowMark.COVER})


def spoken_rows(text: str, chars: str, places: Sequence[RowPlace]) -> list[Spoken]:
    """The rows that speak of the line as it will be, with their words."""
    rows = []
    for place in places:
        if place.row.marks & _LEFT_OUT:
            continue
        said = tuple(
            one._replace(start=one.start + place.start, end=one.end + place.start)
            for one in words_in(text[place.start : place.end])
        )
        head = tuple(one.topic for one in said if one.start < place.value - 1) if place.row.label.chars else ()
        rows.append(Spoken(place, text, chars, head, said))
    return sorted(rows, key=lambda row: RowMark.QUOTED in row.place.row.marks)


ARROW = re.compile(r".*(?:->|=>|\u2192)\s*")
_NUMBER = re.compile(
    r"(?<![\w./-])(?<!\d:)(?:(?P<hex>0x[0-9a-f]{1,4})\b|(?P<split>\d{1,2}[ ,.]\d{3})(?![\d.,]|[ ]\d)"
    r"|(?P<plain>\d{1,5})(?![\d:/]|[.,]\d|-\w|\w))"
)
_AFTER = re.compile(
    r"[\s:=#(\"'-]*(?:(?:id|tag|is|of|nr|no|number|with|as|value|size|=|ist|est|es|e|to|set to|auf|a|op|hex"
    r"|carries|und|le|la|the|el|il|der|die|das|de|het|nr|numer|unchanged|inchangee?|unverandert|stays"
    r"|remains|bleibt|reste|sin cambios|=)\b[\s:=.#(\"'-]*){0,3}"
)


def _number(text: str, start: int, end: int) -> tuple[int, int, int] | None:
    """The first whole number of a stretch of the text: it, and where it stands."""
    arrow = ARROW.match(text[start:end])
    begin = start + (arrow.end() if arrow else 0)
    found = _NUMBER.search(text, begin, end)
    if found is None:
        return None
    if found["hex"]:
        return int(found["hex"], 16), found.start(), found.end()
    return int(re.sub(r"\D", "", found[0])), found.start(), found.end()


def labelled(rows: Sequence[Spoken], topic: LetterTopic) -> Iterator[Spoken]:
    """The rows whose label speaks of a topic, before all else it may speak of."""
    for row in rows:
        if topic in row.head and LetterTopic.NUMBER not in row.head and LetterTopic.ELSE not in row.head:
            yield row


def mentioned(rows: Sequence[Spoken], topic: LetterTopic) -> Iterator[tuple[Spoken, SaidWords]]:
    """Words of a topic inside sentences and values."""
    for row in rows:
        for one in row.said:
            if one.topic is topic and (one.start >= row.place.value or not row.place.row.label.chars):
                yield row, one


_NOW = re.compile(
    r"[\s:]*(?:was|were|war|etait|era|byl)\s+\d+\W+(?:(?:is|ist|est|es|e|en|und|et|y|and)\s+)?(?:now|jetzt"
    r"|maintenant|ahora"
    r"|adesso|teraz|nu|to|wordt|wird|devient|becomes|pasa a ser|diventa)\s+(?:is\s+)?(?=\d)"
)


_BECOMES = re.compile(
    r"\s*(?:->|=>|\u2192|becomes?|changes? to|is now|wird(?: zu)?|devient|pasa a(?: ser)?|wordt|diventa|zmienia sie na)"
    r"\s*(?:vlan|tag|mtu|the)?\s*(?=\d)"
)


def _put_right(row: Spoken, number: tuple[int, int, int]) -> tuple[int, int, int]:
    """A number, or the one that takes its place: `35 i think. no wait, 53`."""
    arrow = _BECOMES.match(row.text[number[2] : row.place.end])
    if arrow is not None:
        return _number(row.text, number[2] + arrow.end(), row.place.end) or number
    wrong = words.CORRECTION.search(row.text, number[2], min(row.place.end, number[2] + 40))
    return (_number(row.text, wrong.end(), min(row.place.end, wrong.end() + 20)) or number) if wrong else number


def _struck(text: str, start: int) -> bool:
    return words.STRIKING.search(text[max(0, start - 30) : start]) is not None


def vlan_in(rows: Sequence[Spoken]) -> Reading | None:
    """The tag that the customer sends (IEEE 802.1Q, 1 to 4094), or `none` where a letter says that there is none."""
    for row in labelled(rows, LetterTopic.VLAN):
        value = ARROW.sub("", row.value, count=1)
        if words.SAYS_NOTHING.match(value) or words.UNTAGGED.search(value):
            return row.reading("none", row.place.value, row.place.end)
        number = _number(row.text, row.place.value, row.place.end)
        if number is not None:
            return _tag(row, number)
    for row, said in mentioned(rows, LetterTopic.VLAN):
        after = _NOW.match(row.text, said.end, row.place.end) or _AFTER.match(row.text, said.end, row.place.end)
        at = after.end() if after else said.end
        if re.search(r"(?:s-?|service )$", row.text[: said.start]):
            continue
        nothing = re.match(
            r"[\s:=]*(?:none|no|nil|n/a|untagged|keine?|aucune?|ningun[oa]?|geen|nessun[oa]?|brak)\b",
            row.text[said.end : row.place.end],
        )
        if nothing is not None:
            return row.reading("none", said.start, said.end + nothing.end())
        found = _NUMBER.match(row.text, at, row.place.end)
        if found is not None and not _struck(row.text, found.start()):
            number = _number(row.text, found.start(), found.end())
            if number is not None:
                return _tag(row, _put_right(row, number))
    for row in rows:
        plain = words.UNTAGGED.search(row.text, row.place.start, row.place.end)
        if plain is not None:
            return row.reading("none", plain.start(), plain.end())
    return None


def _tag(row: Spoken, number: tuple[int, int, int]) -> Reading:
    tag, start, end = number
    if not 1 <= tag <= 4094:
        problem = f"VLAN {tag} is out of range: a tag is 1 to 4094 (IEEE 802.1Q); ask the provider"
        return row.reading(str(tag), start, end, problem=problem)
    return row.reading(str(tag), start, end)


_USE = re.compile(
    r"\b(?:please )?(?:use|set|bitte|utiliser|usar|gebruik"
    r"|usare)\s+(?:an?\s+)?(?:mtu\s+(?:of\s+)?)?(?P<mtu>\d{3,4})\b(?!\.)"
)


def mtu_in(rows: Sequence[Spoken]) -> Reading | None:
    """The largest packet of the line in bytes; of several numbers the one that is to be used."""
    said = [(row, row.place.value) for row in labelled(rows, LetterTopic.MTU)]
    said += [(row, one.end) for row, one in mentioned(rows, LetterTopic.MTU)]
    for row, start in said:
        use = _USE.search(row.text, start, row.place.end)
        number = (int(use["mtu"]), use.start("mtu"), use.end("mtu")) if use else None
        if number is None:
            after = _AFTER.match(row.text, start, row.place.end)
            at = after.end() if after else start
            arrow = ARROW.match(row.text[start : row.place.end])
            found = (
                _NUMBER.search(row.text, start, row.place.end) if arrow else _NUMBER.match(row.text, at, row.place.end)
            )
            number = _number(row.text, start if arrow else found.start(), row.place.end) if found else None
        if number is None or _struck(row.text, number[1]):
            continue
        number = _put_right(row, number)
        if not 576 <= number[0] <= 9216:
            problem = f"An MTU of {number[0]} bytes is out of range: 576 to 9,216 are read"
            return row.reading(str(number[0]), number[1], number[2], problem=problem)
        return row.reading(str(number[0]), number[1], number[2])
    return None


# --- Speed ---------------------------------------------------------------------------------------------------

_RATE = r"(?P<{0}>\d+(?:[.,]\d+)?)\s*(?P<{0}_unit>g|m|k)?(?:bits?|b)?(?:it)?(?:/s(?:ec)?|ps|s)?\b"
_PAIR = re.compile(rf"(?<![\w./:-]){_RATE.format('a')}(?:\s+[a-z]{{2,12}})?\s*/\s*{_RATE.format('b')}(?!\s*/|[./]\d|-)")
_ONE = re.compile(rf"(?<![\w./:-]){_RATE.format('a')}(?![\d./:-]\d)")
_EVEN = re.compile(
    r"\bsymetrycz\w*|\bsymm?etri\w*|\bsym\b|\bup and down|\bin both directions|\bsimm?etri\w*|\bboth (?:ways"
    r"|directions)|\beach way|\bdown and up|\bop en neer|\bsynchron\w*|\bsdsl\b"
    r"|\bin beide richtungen"
)
_TRIED = re.compile(
    r"\b(?:tested|measured|synced|bearer|port speed|gemessen|mesure|medido|gemeten|misurat\w+|zmierzon\w+"
    r"|access port|interface)\b"
)
_NO_SPEED = re.compile(r"24/7|7/24|9/5")


#: Labels that are sides of a line, and speeds where a speed stands behind them.
_STREAMS = {"downstream": [LetterTopic.DOWN], "upstream": [LetterTopic.UP]}


def _mega(number: str, unit: str | None) -> float:
    value = float(number.replace(",", "."))
    return value * {"g": 1000.0, "m": 1.0, "k": 0.001, "": 1.0}[unit or ""]


def _plain(rate: float) -> str:
    return f"{rate:.3f}".rstrip("0").rstrip(".")


def speed_in(rows: Sequence[Spoken]) -> dict[str, Reading]:
    """Speed down and up in Mbit/s."""
    found: dict[str, Reading] = {}
    for row in rows:
        if _TRIED.search(row.place.row.label.chars.lower()):
            continue
        direction = {LetterTopic.DOWN: "speed_down", LetterTopic.UP: "speed_up"}
        label = folded(row.place.row.label.chars)
        heads = [one for one in row.head if one in direction] or _STREAMS.get(label, [])
        if (
            len(set(heads)) == 1
            and (set(row.head) <= {*direction, LetterTopic.SPEED, LetterTopic.CIRCUIT} or label in _STREAMS)
            and not (LetterTopic.SPEED in row.head and _PAIR.search(row.value))
        ):
            one = _ONE.search(row.text, value_from(row), row.place.end)
            if one is not None and "@" not in row.value:
                found.setdefault(
                    direction[heads[0]], row.reading(_plain(_mega(one["a"], one["a_unit"])), one.start(), one.end())
                )
    if "speed_down" in found and "speed_up" in found:
        return found
    for strong in (True, False):
        for row in rows:
            if (
                strong
                and LetterTopic.SPEED not in row.head
                and not any(one.topic is LetterTopic.SPEED for one in row.said)
            ):
                continue
            pair = _rates(row, strong)
            if pair:
                return found | {name: reading for name, reading in pair.items() if name not in found}
    return found


def value_from(row: Spoken) -> int:
    """Where a value begins that counts: behind an arrow from the old to the new."""
    arrow = ARROW.match(row.text[row.place.value : row.place.end])
    return row.place.value + (arrow.end() if arrow else 0)


def _rates(row: Spoken, strong: bool) -> dict[str, Reading]:
    """Both speeds as one row tells them: `500/100`, `1 Gbit/s down, 100 up`, `100 symmetrical`."""
    start, end, text = value_from(row), row.place.end, row.text
    named = [
        one.end
        for one in row.said
        if one.topic is LetterTopic.SPEED and not re.match(r"m?bp?it|mbps|symm", text[one.start : one.end])
    ]
    if strong and LetterTopic.SPEED not in row.head and named:
        start, end = named[0], min(end, named[0] + 90)
    for pair in _PAIR.finditer(text, start, end):
        if _NO_SPEED.match(pair[0]) or _TRIED.search(text[max(row.place.start, pair.start() - 25) : pair.start()]):
            continue
        unit = pair["a_unit"] or pair["b_unit"]
        down, up = _mega(pair["a"], pair["a_unit"] or unit), _mega(pair["b"], pair["b_unit"] or unit)
        near = any(
            one.topic in (LetterTopic.SPEED, LetterTopic.DOWN)
            and one.end <= pair.start()
            and pair.start() - one.end < 30
            for one in row.said
        )
        near = near or re.search(r"\b(?:down|up)\b", pair[0] + text[pair.end() : pair.end() + 5]) is not None
        if not (strong or unit or near) and not _standing_free(text, pair, down, up):
            continue
        if re.search(r"\bup/down|\bul/dl|upload/download|\bup and down", text[row.place.start : pair.start()]):
            down, up = up, down
        where = pair.start(), pair.end()
        return {"speed_down": row.reading(_plain(down), *where), "speed_up": row.reading(_plain(up), *where)}
    sides = {one.start for one in row.said if one.topic in (LetterTopic.DOWN, LetterTopic.UP)}
    bare = sum(bool(sides & {one.end(), one.end() + 1}) for one in _ONE.finditer(text, start, end)) > 1
    rates = [
        one for one in _ONE.finditer(text, start, end)
        if strong or one["a_unit"] or (bare and sides & {one.end(), one.end() + 1})
    ]  # fmt: skip
    rates = [
        one
        for one in rates
        if not (len(rates) > 1 and re.search(r"\b(?:from|von|de|da|van|z)\W+$", text[: one.start()]))
    ]
    rates = [one for one in rates if not _TRIED.search(text[max(row.place.start, one.start() - 30) : one.start()])]
    found: dict[str, Reading] = {}
    for place, one in enumerate(rates):
        until = rates[place + 1].start() if place + 1 < len(rates) else end
        behind = [
            said.topic
            for said in row.said
            if one.end() <= said.start < min(until, one.end() + 25) and "," not in text[one.end() : said.start]
        ]
        before = [
            said.topic
            for said in row.said
            if max(row.place.start, one.start() - 25) <= said.start < one.start()
            and not re.search(r"[,;\d]", text[said.end : one.start()])
        ]
        for topics in (behind, before[::-1]):
            names = [
                {LetterTopic.DOWN: "speed_down", LetterTopic.UP: "speed_up"}[t]
                for t in topics
                if t in (LetterTopic.DOWN, LetterTopic.UP)
            ]
            names = names if _EVEN.search(text, one.end(), until) else names[:1]
            for name in names:
                found.setdefault(name, row.reading(_plain(_mega(one["a"], one["a_unit"])), one.start(), one.end()))
            if names:
                break
    if len(found) == 2:
        return found
    even = _EVEN.search(text, row.place.start, end)
    if even and rates and (strong or rates[0]["a_unit"]):
        value = row.reading(_plain(_mega(rates[0]["a"], rates[0]["a_unit"])), rates[0].start(), rates[0].end())
        return {"speed_down": value, "speed_up": value}
    return found if strong or len(found) == 2 else {}


def _standing_free(text: str, pair: re.Match[str], down: float, up: float) -> bool:
    """Whether two numbers with a slash stand where a speed may stand, and look like one."""
    ahead, behind = text[: pair.start()].rstrip(" \t"), text[pair.end() :].lstrip(" \t")
    return (
        down >= up
        and down >= 10
        and up >= 1
        and (not ahead or ahead[-1] in ",;.(:>\n" or ahead.endswith((" as", " is")))
        and (
            not behind
            or behind[0] in ",.;)\n"
            or re.match(r"(?:line|circuit|link|fibre|connection|leitung|service)\b", behind) is not None
        )
    )
