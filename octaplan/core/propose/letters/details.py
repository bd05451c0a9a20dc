"""What a letter says beside its addresses: tag, MTU, speed, user, numbers to quote and to ring, provider, kind of hand-off."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.addresses import Reading, Sure
from octaplan.core.propose.letters.layout import Mark, Place
from octaplan.core.propose.letters.text import Stretch, folded
from octaplan.core.propose.letters.words import Said, Topic, spoken


class Spoken(NamedTuple):
    """A row with its words: `head` those of its label, `said` all of them, places in the whole text."""

    place: Place
    text: str
    chars: str
    head: tuple[Topic, ...]
    said: tuple[Said, ...]

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


_LEFT_OUT = frozenset({Mark.OLD, Mark.OTHER, Mark.COVER})


def spoken_rows(text: str, chars: str, places: Sequence[Place]) -> list[Spoken]:
    """The rows that speak of the line as it will be, with their words."""
    rows = []
    for place in places:
        if place.row.marks & _LEFT_OUT:
            continue
        said = tuple(one._replace(start=one.start + place.start, end=one.end + place.start) for one in spoken(text[place.start : place.end]))
        head = tuple(one.topic for one in said if one.start < place.value - 1) if place.row.label.chars else ()
        rows.append(Spoken(place, text, chars, head, said))
    return rows


def read_details(rows: Sequence[Spoken]) -> dict[str, Reading]:
    """The values of a letter that are no addresses, by field."""
    found: dict[str, Reading] = {}
    for field, reader in _READERS.items():
        reading = reader(rows)
        if reading is not None:
            found[field] = reading
    found |= _speed(rows)
    return found


# --- Numbers -------------------------------------------------------------------------------------------------

_ARROW = re.compile(r".*(?:->|=>|\u2192)\s*")
_NUMBER = re.compile(r"(?<![\w.:/-])(?:(?P<hex>0x[0-9a-f]{1,4})\b|(?P<split>\d{1,2}[ ,.]\d{3})(?![\d.,]|[ ]\d)|(?P<plain>\d{1,5})(?![\d:/]|[.,]\d|-\w|\w))")
_AFTER = re.compile(r"[\s:=#(\"'-]*(?:(?:id|tag|is|of|nr|no|number|with|as|value|size|=|ist|est|es|e|to|set to|auf|a|op|hex|carries|und|=)\b[\s:=.#(\"'-]*){0,3}")


def _number(text: str, start: int, end: int) -> tuple[int, int, int] | None:
    """The first whole number of a stretch of the text: it, and where it stands."""
    arrow = _ARROW.match(text[start:end])
    begin = start + (arrow.end() if arrow else 0)
    found = _NUMBER.search(text, begin, end)
    if found is None:
        return None
    if found["hex"]:
        return int(found["hex"], 16), found.start(), found.end()
    return int(re.sub(r"\D", "", found[0])), found.start(), found.end()


def _labelled(rows: Sequence[Spoken], topic: Topic) -> Iterator[Spoken]:
    """The rows whose label speaks of a topic, before all else it may speak of."""
    for row in rows:
        if topic in row.head and Topic.NUMBER not in row.head and Topic.ELSE not in row.head:
            yield row


def _mentioned(rows: Sequence[Spoken], topic: Topic) -> Iterator[tuple[Spoken, Said]]:
    """Words of a topic inside sentences and values."""
    for row in rows:
        for one in row.said:
            if one.topic is topic and (one.start >= row.place.value or not row.place.row.label.chars):
                yield row, one


def _struck(text: str, start: int) -> bool:
    return words.STRIKING.search(text[max(0, start - 30) : start]) is not None


def _vlan(rows: Sequence[Spoken]) -> Reading | None:
    for row in _labelled(rows, Topic.VLAN):
        value = _ARROW.sub("", row.value, count=1)
        if words.NOTHING.match(value) or words.UNTAGGED.search(value):
            return row.reading("none", row.place.value, row.place.end)
        number = _number(row.text, row.place.value, row.place.end)
        if number is not None:
            return _tag(row, number)
    for row, said in _mentioned(rows, Topic.VLAN):
        after = _AFTER.match(row.text, said.end, row.place.end)
        at = after.end() if after else said.end
        if re.search(r"(?:s-?|service )$", row.text[: said.start]):
            continue
        found = _NUMBER.match(row.text, at, row.place.end)
        if found is not None and not _struck(row.text, found.start()):
            number = _number(row.text, found.start(), found.end())
            if number is not None:
                return _tag(row, number)
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


_USE = re.compile(r"\b(?:please )?(?:use|set|bitte|utiliser|usar|gebruik|usare)\s+(?:an?\s+)?(?:mtu\s+(?:of\s+)?)?(?P<mtu>\d{3,4})\b(?!\.)")


def _mtu(rows: Sequence[Spoken]) -> Reading | None:
    said = [(row, row.place.value) for row in _labelled(rows, Topic.MTU)]
    said += [(row, one.end) for row, one in _mentioned(rows, Topic.MTU)]
    for row, start in said:
        use = _USE.search(row.text, start, row.place.end)
        number = (int(use["mtu"]), use.start("mtu"), use.end("mtu")) if use else None
        if number is None:
            after = _AFTER.match(row.text, start, row.place.end)
            at = after.end() if after else start
            arrow = _ARROW.match(row.text[start : row.place.end])
            found = _NUMBER.search(row.text, start, row.place.end) if arrow else _NUMBER.match(row.text, at, row.place.end)
            number = _number(row.text, start if arrow else found.start(), row.place.end) if found else None
        if number is None or _struck(row.text, number[1]):
            continue
        if not 576 <= number[0] <= 9216:
            problem = f"An MTU of {number[0]} bytes is out of range: 576 to 9,216 are read"
            return row.reading(str(number[0]), number[1], number[2], problem=problem)
        return row.reading(str(number[0]), number[1], number[2])
    return None


# --- Speed ---------------------------------------------------------------------------------------------------

_RATE = r"(?P<{0}>\d+(?:[.,]\d+)?)\s*(?P<{0}_unit>g|m|k)?(?:bits?|b)?(?:it)?(?:/s(?:ec)?|ps|s)?\b"
_PAIR = re.compile(rf"(?<![\w./:-]){_RATE.format('a')}(?:\s+[a-z]{{2,12}})?\s*/\s*{_RATE.format('b')}(?!\s*/|[./]\d|-)")
_ONE = re.compile(rf"(?<![\w./:-]){_RATE.format('a')}(?![\d./:-]\d)")
_EVEN = re.compile(r"\bsymm?etri\w*|\bsimm?etri\w*|\bboth (?:ways|directions)|\beach way|\bup and down|\bdown and up|\bop en neer|\bsynchron\w*|\bsdsl\b|\bin beide richtungen")
_TRIED = re.compile(r"\b(?:tested|measured|synced|bearer|port speed|gemessen|mesure|medido|gemeten|misurat\w+|zmierzon\w+|access port|interface)\b")
_NO_SPEED = re.compile(r"24/7|7/24|9/5")


def _mega(number: str, unit: str | None) -> float:
    value = float(number.replace(",", "."))
    return value * {"g": 1000.0, "m": 1.0, "k": 0.001, "": 1.0}[unit or ""]


def _plain(rate: float) -> str:
    return f"{rate:.3f}".rstrip("0").rstrip(".")


def _speed(rows: Sequence[Spoken]) -> dict[str, Reading]:
    """Speed down and up in Mbit/s."""
    found: dict[str, Reading] = {}
    for row in rows:
        if _TRIED.search(row.place.row.label.chars.lower()):
            continue
        direction = {Topic.DOWN: "speed_down", Topic.UP: "speed_up"}
        heads = [one for one in row.head if one in direction]
        if len(set(heads)) == 1 and not (Topic.SPEED in row.head and _PAIR.search(row.value)):
            one = _ONE.search(row.text, _from(row), row.place.end)
            if one is not None:
                found.setdefault(direction[heads[0]], row.reading(_plain(_mega(one["a"], one["a_unit"])), one.start(), one.end()))
    if "speed_down" in found and "speed_up" in found:
        return found
    for strong in (True, False):
        for row in rows:
            if strong and Topic.SPEED not in row.head:
                continue
            pair = _rates(row, strong)
            if pair:
                return found | {name: reading for name, reading in pair.items() if name not in found}
    return found


def _from(row: Spoken) -> int:
    """Where a value begins that counts: behind an arrow from the old to the new."""
    arrow = _ARROW.match(row.text[row.place.value : row.place.end])
    return row.place.value + (arrow.end() if arrow else 0)


def _rates(row: Spoken, strong: bool) -> dict[str, Reading]:
    """Both speeds as one row tells them: `500/100`, `1 Gbit/s down, 100 up`, `100 symmetrical`."""
    start, end, text = _from(row), row.place.end, row.text
    for pair in _PAIR.finditer(text, start, end):
        if _NO_SPEED.match(pair[0]) or _TRIED.search(text[max(row.place.start, pair.start() - 25) : pair.start()]):
            continue
        unit = pair["a_unit"] or pair["b_unit"]
        down, up = _mega(pair["a"], pair["a_unit"] or unit), _mega(pair["b"], pair["b_unit"] or unit)
        near = any(one.topic in (Topic.SPEED, Topic.DOWN) and one.end <= pair.start() and pair.start() - one.end < 30 for one in row.said)
        if not (strong or unit or near) and not _standing_free(text, pair, down, up):
            continue
        if re.search(r"\bup/down|\bul/dl|upload/download|\bup and down", text[row.place.start : pair.start()]):
            down, up = up, down
        place = pair.start(), pair.end()
        return {"speed_down": row.reading(_plain(down), *place), "speed_up": row.reading(_plain(up), *place)}
    rates = [one for one in _ONE.finditer(text, start, end) if strong or one["a_unit"]]
    rates = [one for one in rates if not _TRIED.search(text[max(row.place.start, one.start() - 30) : one.start()])]
    found: dict[str, Reading] = {}
    for place, one in enumerate(rates):
        until = rates[place + 1].start() if place + 1 < len(rates) else end
        behind = [said.topic for said in row.said if one.end() <= said.start < min(until, one.end() + 25)]
        before = [said.topic for said in row.said if max(start, one.start() - 14) <= said.start < one.start()]
        for topics in (behind, before):
            names = [{Topic.DOWN: "speed_down", Topic.UP: "speed_up"}[t] for t in topics if t in (Topic.DOWN, Topic.UP)]
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
    return down >= up and down >= 10 and up >= 1 and (not ahead or ahead[-1] in ",;(:>\n" or ahead.endswith(" as")) and (not behind or behind[0] in ",.;)\n")


# --- Sign-in -------------------------------------------------------------------------------------------------

_USER = re.compile(r"[\w.#/+%=-]+@[\w-]+(?:\.[\w-]+)*\w")
_PLAIN_USER = re.compile(r"[\w.#/+@-]{3,}")


def _user(rows: Sequence[Spoken]) -> Reading | None:
    for row in _labelled(rows, Topic.USER):
        if Topic.MODEM in row.head:
            continue
        start = _from(row)
        found = _USER.search(row.text, start, row.place.end) or _PLAIN_USER.match(row.text, start + _blank(row.text, start), row.place.end)
        if found is not None:
            return row.reading(row.chars[found.start() : found.end()], found.start(), found.end())
    for row, said in _mentioned(rows, Topic.USER):
        found = _USER.search(row.text, said.end, min(row.place.end, said.end + 60))
        if found is not None:
            return row.reading(row.chars[found.start() : found.end()], found.start(), found.end())
    return None


def _blank(text: str, start: int) -> int:
    found = re.match(r"[\s\"'=:]*", text[start:])
    return found.end() if found else 0


_NOT_GIVEN = re.compile(r"no change|unchanged|\b(?:by|per|via|sent|send|separate|see|sticker|post|letter|sms|brief|zugestellt|mail|courier|courrier|carta|correo|posta|maakt niet|wyslemy|unverandert|inchange|sin cambios|not needed|none|on the)\b|^\W*$|sms-em")


class Secret(NamedTuple):
    """Where a password stands: it is blanked before anything else is read."""

    start: int
    end: int


def secrets_in(rows: Sequence[Spoken]) -> list[Secret]:
    """Where a letter tells a password, and not only that it comes by another way."""
    found: list[Secret] = []
    for row in rows:
        for one in row.said:
            if one.topic is not Topic.PASSWORD:
                continue
            labelled = bool(row.place.row.label.chars) and one.start < row.place.value
            start = row.place.value if labelled else one.end
            arrow = _ARROW.match(row.text[start : row.place.end])
            start += arrow.end() if arrow and labelled else 0
            rest = row.text[start : row.place.end]
            gap = re.match(r"[\s:=\"']*(?:is\s+|ist\s+|est\s+|es\s+|e\s+)?[\s:=\"']*", rest)
            start += gap.end() if gap else 0
            told = row.text[start : row.place.end]
            end = row.place.end if labelled else start + len(re.match(r"\S*", told)[0].rstrip(".,;"))  # type: ignore[index]
            separate = ":=" if not labelled else ""
            spoken_of = not labelled and not any(sign in rest[: gap.end() if gap else 0] for sign in separate)
            if spoken_of and not re.search(r"\d|[^\w\s.,;()]", told.split(" ")[0]):
                continue
            if told and end > start and not _NOT_GIVEN.search(told[:40]):
                found.append(Secret(start, end))
    return found


# --- Numbers to quote, and to ring -----------------------------------------------------------------------------

_CODE = re.compile(
    r"[A-Za-z]{0,6}\d[\w]*(?:[-/.,#][\w]+)*(?: ?/ ?\d+| \d[\dA-Za-z]*(?:[-/]\w+)*)*|[A-Z]{1,8}(?:[-/][A-Z0-9]+)+(?:[-/.]\w+)*(?: \d+)*"
    r"|[A-Z]{1,8}(?: \d[\dA-Z]*(?:[-/]\w+)*)+(?: / \d+)?"
)
_PHONE = re.compile(r"(?<![\w.@/-])\+?(?:\(\d{1,5}\)|\d+)(?: ?\(0\))?(?:[ /-]{1,3}\d+)+(?![\w/-]|\.\d)|(?<![\w.@/-])(?:\+\d|0)\d{8,13}(?![\w/-]|\.\d)")
_DATE = re.compile(r"\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{4}-\d{2}-\d{2}")
_ADDRESS = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}(?:/\d+)?")
_CLOSES = re.compile(r"\s{2,}|\s*\(|\s+-\s|,\s|;|\.\s|\.$|\s(?:del|vom|of|dated|from|du|am|van|z dnia|is|as|for|und|and|to)\s")
_QUOTED = re.compile(r"\b(?:quote|quoting|state|mention|unter angabe|angeben|rappeler|indiquer|indicar|indique|vermeld\w*|citare|indicare|podac|podajac|whenever you|as above|in any|always|bitte|mit der)\b")

#: Which number one would quote, the first first.
_RANKS = {Topic.CIRCUIT: 1.0, Topic.ORDER: 2.0, Topic.REFERENCE: 2.5, Topic.CONTRACT: 3.0}


def _reference(rows: Sequence[Spoken]) -> Reading | None:
    text = rows[0].text if rows else ""
    again = words.AS_LAST.search(text)
    quoted = {
        one.topic for row in rows for one in row.said
        if one.topic in _RANKS and _QUOTED.search(text[max(row.place.start, one.start - 40) : one.start]) and not _code_after(row, one.end)
    }  # fmt: skip
    best: tuple[float, int, Reading] | None = None
    for order, row in enumerate(rows):
        for one in row.said:
            if one.topic not in _RANKS:
                continue
            found = _labelled_code(row, one) or _code_after(row, one.end)
            rings = Topic.FAULT in row.head or any(said.topic is Topic.FAULT and said.end <= one.start for said in row.said)
            if found is None or (rings and _PHONE.fullmatch(row.chars[found.start : found.end])):
                continue
            rank = _RANKS[one.topic] - (1.5 if one.topic in quoted else 0)
            name = text[one.start : one.end]
            if one.topic is Topic.REFERENCE and re.match(r"(?:our|your|unsere|notre|nuestra|onze)\b", name):
                rank += 1.0
            if one.topic is Topic.CIRCUIT and not re.search(r"id|n[or°]|num|ref|kennung|code|#", name):
                rank += 0.4 if row.place.row.label.chars else 0.6
            if one.topic is Topic.REFERENCE and re.match(r"quot", name):
                rank -= 1.6
            if again and one.start < again.start():
                rank += 5
            if best is None or (rank, order) < (best[0], best[1]):
                best = rank, order, row.reading(row.chars[found.start : found.end], found.start, found.end)
    return best[2] if best else _titled(rows)


def _labelled_code(row: Spoken, said: Said) -> Stretch | None:
    """The number in a row that its label names: all of the value, as far as it is one."""
    if not row.place.row.label.chars or said.start >= row.place.value:
        return None
    if any(topic in (Topic.TICKET, Topic.CUSTOMER, Topic.FAULT, Topic.PHONE, Topic.VLAN, Topic.SPEED, Topic.HANDOFF, Topic.UNTOLD) for topic in row.head):
        return None
    own = _code_after(row, said.end)
    if own is not None and own.end <= row.place.value:
        return own
    start = _from(row)
    start += _blank(row.text, start)
    closed = _CLOSES.search(row.text, start, row.place.end)
    end = closed.start() if closed else row.place.end
    value = row.chars[start:end].rstrip(" \"'.,")
    if not value or len(value) > 40 or re.search(r"none|n/a", value, re.IGNORECASE) or _ADDRESS.fullmatch(value):
        return None
    if not re.search(r"\d", value) and not re.fullmatch(r"[A-Z]{1,8}(?:[-/][A-Z]{1,6})+", value):
        return None
    if len(value.split()) > 6 or sum(part.isalpha() and part.islower() and len(part) > 2 for part in value.split()) > 0:
        found = _CODE.match(row.chars, start, row.place.end)
        return Stretch(found.start(), found.end()) if found and _is_code(found[0]) else None
    return Stretch(start, start + len(value))


def _code_after(row: Spoken, start: int) -> Stretch | None:
    """A number that stands right behind words."""
    gap = re.match(r"[\s:=#(\"'.°-]*(?:(?:no|nr|id|is|number|ist|lautet|est|es|n)\b[\s:=#.\"'°-]*){0,2}", row.text[start : row.place.end])
    at = start + (gap.end() if gap else 0)
    found = _CODE.match(row.chars, at, row.place.end)
    if found is None or not _is_code(found[0]):
        return None
    return Stretch(found.start(), found.end() - (len(found[0]) - len(found[0].rstrip("-/., "))))


def _is_code(text: str) -> bool:
    bare = text.rstrip(" .,/-")
    if _ADDRESS.fullmatch(bare) or _DATE.fullmatch(bare) or "." in bare and re.fullmatch(r"[\d.]+", bare):
        return False
    return len(re.sub(r"\W", "", bare)) >= (2 if re.search(r"[A-Z]", bare) else 4) and bool(re.search(r"\d", bare) or re.search(r"[A-Z]-[A-Z0-9]", bare))


_TITLE_CODE = re.compile(r"\b[A-Z]{1,6}(?:[-/][A-Z0-9]+)*[-/]?\d[\dA-Z]*(?:[-/][\dA-Z]+)*\b")


def _titled(rows: Sequence[Spoken]) -> Reading | None:
    """A number in the title of a letter, when nothing names one."""
    for row in rows[:3]:
        if row.place.row.label.chars:
            continue
        found = _TITLE_CODE.search(row.chars, row.place.start, row.place.end)
        ticket = any(one.topic is Topic.TICKET for one in row.said)
        if found and len(found[0]) >= 5 and not ticket and re.search(r"\d{2}", found[0]):
            return row.reading(found[0], found.start(), found.end(), Sure.FOLLOWS)
    return None


def _fault(rows: Sequence[Spoken]) -> Reading | None:
    phones = [(row, one) for row in rows for one in _PHONE.finditer(row.text, row.place.start, row.place.end) if _is_phone(one[0])]
    for row, one in phones:
        before = [said for said in row.said if said.end <= one.start() and said.topic in (Topic.FAULT, Topic.PHONE, Topic.CUSTOMER, Topic.TICKET)]
        nearest = before[-1] if before else None
        if nearest is not None and nearest.topic is Topic.FAULT and one.start() - nearest.end < 90:
            return row.reading(row.chars[one.start() : one.end()].strip(), one.start(), one.end())
    for row, one in phones:
        behind = next((said for said in row.said if said.start >= one.end()), None)
        if behind is not None and behind.topic is Topic.FAULT and behind.start - one.end() < 25:
            return row.reading(row.chars[one.start() : one.end()], one.start(), one.end())
    sure = [(row, one) for row, one in phones if re.match(r"\+|\(?0", one[0]) and len(re.sub(r"\D", "", one[0])) >= 9]
    free = [(row, one) for row, one in sure if not any(said.topic in (*_RANKS, Topic.PHONE, Topic.CUSTOMER, Topic.TICKET) for said in row.said if said.end <= one.start() and one.start() - said.end < 30)]
    if len(sure) == 1 and free:
        row, one = free[0]
        return row.reading(row.chars[one.start() : one.end()], one.start(), one.end(), Sure.FOLLOWS)
    return None


def _is_phone(text: str) -> bool:
    digits = re.sub(r"\D", "", text)
    return 7 <= len(digits) <= 15 and not _DATE.fullmatch(text.strip())


# --- Who, and how ----------------------------------------------------------------------------------------------

_WORD = r"[A-Z\u00c0-\u017d](?:[^\W\d_]|['’&-]|\.(?=[^\W\d_]))*"
_NAME = re.compile(rf"(?<![\w.-]){_WORD}(?:[ \t](?:{_WORD}|&|of|de|di|del|der|und|et|van|z)(?=[ \t,.;:|\n)]|$)){{0,6}}(?![\w-])")
_COMMON = frozenset(
    "business internet access line lines service services fibre fiber broadband network networks data ethernet leased static ip your our account order details "
    "support technical annex parameters customer dear welcome to the a an activation letter sheet setup card connection information metro direct wan lan vlan dns "
    "gateway mtu ipv4 ipv6 hello hi fault faults hotline sales main backup primary secondary re notice change upgrade complete delivery team provisioning desk noc "
    "regards best kind sincerely yours thanks activation planned work page registered subject confirmation new dual stack managed premium office home pro plus hosting "
    "cable modem box router firewall port ports online digital link connect telecom carrier telecommunications speed download upload pppoe dhcp dsl link routed public "
    "ihre ihr der die das anschluss votre vos mes su sus uw vostro we as from on for best and of de di del y et und van no not please note use set bonjour guten tag hallo ciao hola".split()
)


_PROVIDES = re.compile(rf"(?:your |our |ihr |votre |su |uw )?(?:{dict(words.WORDS)[Topic.PROVIDER]})")


def _provider(rows: Sequence[Spoken]) -> Reading | None:
    for row in rows:
        if row.head and _PROVIDES.fullmatch(folded(row.place.row.label.chars)):
            value = row.chars[row.place.value : row.place.end].strip(" .,;\"'")
            if value and not re.search(r"\d{3}|\d\.\d", value) and len(value) <= 80:
                start = row.chars.index(value, row.place.value)
                return row.reading(value, start, start + len(value))
    best: tuple[float, Reading] | None = None
    for order, row in enumerate(rows):
        if row.head and {Topic.CUSTOMER, Topic.SPEED, Topic.USER, Topic.HANDOFF} & set(row.head):
            continue
        plain = folded(row.place.row.label.chars)
        if re.search(r"\bcustomer|\bclient|\bkunde|\bsite\b|\bholder\b|\bto\b|\bproduct", plain):
            continue
        for found in _NAME.finditer(row.chars, row.place.start, row.place.end):
            rated = _rated(row, found, order, len(rows))
            if rated is not None and (best is None or rated[0] > best[0]):
                best = rated
    return best[1] if best else None


def _rated(row: Spoken, found: re.Match[str], order: int, count: int) -> tuple[float, Reading] | None:
    """How likely a capitalised name is the provider's."""
    start, end = found.span()
    name = found[0].rstrip(".,;") if not re.search(r"(?:Ltd|Inc|Co|B\.V|S\.A|S\.L|S\.p\.A|S\.r\.l|o\.o)\.$", found[0]) else found[0]
    end = start + len(name)
    parts = name.split(" ")
    while parts and (folded(parts[0]).strip(".,'") in _COMMON - {"metro"} or parts[0] == "&") and len(parts) > 1:
        start += len(parts[0]) + 1
        parts = parts[1:]
    name = " ".join(parts)
    plain = folded(name)
    if len(parts) > 7 or re.search(r"\d", name) or all(folded(part) in _COMMON for part in parts):
        return None
    trade, form = words.NETWORK_TRADE.search(plain), words.COMPANY_FORM.search(plain)
    if not form and (not trade or len(parts) < 2):
        return None
    rate = 1.0 + (1.5 if form else 0) + (0.5 if trade else 0)
    alone = row.text[row.place.start : row.place.end].strip(" .|*-()") == plain.strip(" .|*-()")
    rate += 1.5 if alone else 0
    rate += 1.0 if order >= count - 2 else 0
    rate += 0.8 if order <= 2 else 0
    rate += 0.7 if start == row.place.start and re.match(r"\s*(?:[-,|:]\s|$)", row.text[end : row.place.end]) else 0
    rate += 3.0 if row.chars[max(row.place.start, start - 2) : start].startswith(("©", "(c)")) else 0
    rate += 1.0 if any(one.topic is Topic.FAULT for one in row.said) else 0
    if re.search(r"\b(?:dear|hello|hi|for|to|customer|at)\s+$", row.text[row.place.start : start]) and "welcome" not in row.text[row.place.start : start]:
        rate -= 2.5
    if rate < 2:
        return None
    return rate, row.reading(row.chars[start:end], start, end, Sure.FOLLOWS)


def _handoff(rows: Sequence[Spoken]) -> Reading | None:
    """How the line is handed off, as far as words say; what follows from addresses is told elsewhere."""
    for row in rows:
        if Topic.HANDOFF in row.head or Topic.OWN in row.head:
            value = _ARROW.sub("", row.value, count=1)
            for kind, pattern in (("pppoe", words.PPPOE), ("dhcp", words.DHCP), ("static", words.STATIC)):
                if pattern.search(value) and not (Topic.OWN in row.head and kind == "static"):
                    return row.reading(kind, row.place.value, row.place.end)
    for kind, pattern in (("pppoe", words.PPPOE), ("dhcp", words.DHCP)):
        for row in rows:
            found = pattern.search(row.text, row.place.start, row.place.end)
            if found and not re.search(r"\b(?:no|not|without|kein|ohne|sans|pas|sin|geen|senza|bez|dns|ns|server|from dynamic|was)\W+$", row.text[max(0, found.start() - 14) : found.start()]):
                if kind == "dhcp" and Topic.RESOLVER in row.head:
                    continue
                return row.reading(kind, found.start(), found.end())
    for row in rows:
        found = words.STATIC.search(row.text, row.place.start, row.place.end)
        if found:
            return row.reading("static", found.start(), found.end())
    return None


_READERS = {
    "vlan": _vlan,
    "mtu": _mtu,
    "pppoe_user": _user,
    "reference": _reference,
    "fault_number": _fault,
    "provider": _provider,
    "handoff": _handoff,
}
