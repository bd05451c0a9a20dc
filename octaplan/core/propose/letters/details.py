"""What a letter says beside its addresses: how one signs in, numbers to quote and to ring, who, and how."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.numbers import (
    ARROW,
    Spoken,
    labelled,
    mentioned,
    mtu_in,
    speed_in,
    value_from,
    vlan_in,
)
from octaplan.core.propose.letters.readings import Reading, Sure
from octaplan.core.propose.letters.text import Stretch, folded
from octaplan.core.propose.letters.words import LetterTopic, SaidWords

# --- Sign-in -------------------------------------------------------------------------------------------------

_USER = re.compile(r"[\w.#/+%=-]+@[\w-]+(?:\.[\w-]+)*\w")
_PLAIN_USER = re.compile(r"[\w.#/+@-]{3,}")


def _user(rows: Sequence[Spoken]) -> Reading | None:
    named = [row for row in labelled(rows, LetterTopic.USER) if LetterTopic.MODEM not in row.head]
    for row, pattern in [*((row, _USER) for row in named), *((row, _PLAIN_USER) for row in named)]:
        start = value_from(row) + _blank(row.text, value_from(row))
        found = (
            pattern.search(row.text, start, row.place.end)
            if pattern is _USER
            else pattern.match(row.text, start, row.place.end)
        )
        if found is not None:
            return row.reading(row.chars[found.start() : found.end()], found.start(), found.end())
    for row, said in mentioned(rows, LetterTopic.USER):
        found = _USER.search(row.text, said.end, min(row.place.end, said.end + 60))
        if found is not None:
            return row.reading(row.chars[found.start() : found.end()], found.start(), found.end())
    return None


def _blank(text: str, start: int) -> int:
    found = re.match(r"[\s\"'=:]*", text[start:])
    return found.end() if found else 0


_NOT_GIVEN = re.compile(
    r"no change|unchanged|\b(?:by|per|via|sent|send|separate|see|sticker|post|letter|sms|brief|zugestellt"
    r"|mail|courier|courrier|carta|correo|posta|maakt niet|wyslemy|unverandert|inchange|sin cambios"
    r"|not needed|none|on the)\b|^\W*$|sms-em"
)


class ToldSecret(NamedTuple):
    """Where a password stands: it is blanked before anything else is read."""

    start: int
    end: int


def secrets_in(rows: Sequence[Spoken]) -> list[ToldSecret]:
    """Where a letter tells a password, and not only that it comes by another way."""
    found: list[ToldSecret] = []
    for row in rows:
        for one in row.said:
            if one.topic is not LetterTopic.PASSWORD:
                continue
            labelled = bool(row.place.row.label.chars) and one.start < row.place.value
            start = row.place.value if labelled else one.end
            arrow = ARROW.match(row.text[start : row.place.end])
            start += arrow.end() if arrow and labelled else 0
            rest = row.text[start : row.place.end]
            gap = re.match(r"[\s:=\"']*(?:is\s+|ist\s+|est\s+|es\s+|e\s+)?[\s:=\"']*", rest)
            start += gap.end() if gap else 0
            told = row.text[start : row.place.end]
            word = told.split(" ")[0].rstrip(".,;")
            end = row.place.end if labelled else start + len(word)
            named = labelled or re.search(r"[:=]", rest[: gap.end() if gap else 0]) is not None
            if not named and not re.search(r"\d|[^\w.,;()]", word):
                continue  # an ordinary word: a password is only spoken of
            if told and end > start and not _NOT_GIVEN.search(told[:40]):
                found.append(ToldSecret(start, end))
    return found


# --- Numbers to quote, and to ring -----------------------------------------------------------------------------

_CODE = re.compile(
    r"[A-Za-z]{0,6}\d[\w]*(?:[-/.,#][\w]+)*(?: ?/ ?\d+| \d[\dA-Za-z]*(?:[-/]\w+)*)*"
    r"|[A-Z]{1,8}(?:[-/][A-Z0-9][A-Za-z0-9]*)+(?:[-/.]\w+)*(?: \d+)*"
    r"|[A-Z]{1,8}(?: \d[\dA-Z]*(?:[-/]\w+)*)+(?: / \d+)?"
)
_PHONE = re.compile(
    r"(?<![\w.@/-])\+?(?:\(\d{1,5}\)|\d+)(?: ?\(0\))?(?:[ /-]{1,3}\d+)+(?![\w/-]|\.\d)|(?<![\w.@/-])(?:\+\d"
    r"|0)\d{8,13}(?![\w/-]|\.\d)"
)
_DATE = re.compile(r"(?:0?[1-9]|[12]\d|3[01])[./-](?:0?[1-9]|1[0-2])[./-](?:20\d\d|\d\d)|\d{4}-\d{2}-\d{2}")
_ADDRESS = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}(?:/\d+)?")
_CLOSES = re.compile(
    r"\s{2,}|\s*\(|\s+-\s|,\s|;|\.\s|\.$|\s(?:del|vom|of|dated|from|du|am|van|z dnia|is|as|for|und|and|to)\s"
)
_QUOTED = re.compile(
    r"\b(?:quote|quoting|state|mention|unter angabe|angeben|rappeler|indiquer|indicar|indique|vermeld\w*"
    r"|citare|indicare|podac|podajac|whenever you|as above|in any|always|bitte|mit der)\b"
)

#: Which number one would quote, the first first.
_RANKS = {LetterTopic.CIRCUIT: 1.0, LetterTopic.ORDER: 2.0, LetterTopic.REFERENCE: 2.5, LetterTopic.CONTRACT: 3.0}


def _is_quoted(row: Spoken, one: SaidWords) -> bool:
    """Whether a number is asked to be quoted by its name, without the number itself."""
    ahead = row.text[max(row.place.start, one.start - 40) : one.start]
    return _QUOTED.search(ahead) is not None and _code_after(row, one.end) is None


def _reference(rows: Sequence[Spoken]) -> Reading | None:
    text = rows[0].text if rows else ""
    again = words.AS_LAST.search(text)
    quoted = {one.topic for row in rows for one in row.said if one.topic in _RANKS and _is_quoted(row, one)}
    best: tuple[float, int, Reading] | None = None
    for order, row in enumerate(rows):
        for one in row.said:
            if one.topic not in _RANKS:
                continue
            found = _labelled_code(row, one) or _code_after(row, one.end)
            rings = LetterTopic.FAULT in row.head or any(
                said.topic is LetterTopic.FAULT and said.end <= one.start for said in row.said
            )
            code = row.chars[found.start : found.end] if found is not None else ""
            rings = rings or (
                len(re.sub(r"\D", "", code)) >= 9 and " " in code and text[one.start : one.end] in ("service", "line")
            )
            if re.fullmatch(r"\d{1,4}/\d{1,4}", code) and text[one.start : one.end] in ("line", "link", "access"):
                continue  # a speed
            if found is None or (rings and re.match(r"\+|0\d{2}", code)):
                continue
            rank = _RANKS[one.topic] - (1.5 if one.topic in quoted else 0)
            name = text[one.start : one.end]
            if one.topic is LetterTopic.REFERENCE and re.match(r"(?:our|your|unsere|notre|nuestra|onze)\b", name):
                rank += 1.0
            if one.topic is LetterTopic.CIRCUIT and not re.search(r"id|n[or°]|num|ref|kennung|code|#", name):
                rank += 0.4 if row.place.row.label.chars else 0.6
            if one.topic is LetterTopic.REFERENCE and re.match(r"quot", name):
                rank -= 1.6
            if again and one.start < again.start():
                rank += 5
            if best is None or (rank, order) < (best[0], best[1]):
                best = rank, order, row.reading(row.chars[found.start : found.end], found.start, found.end)
    return best[2] if best else _titled(rows)


def _labelled_code(row: Spoken, said: SaidWords) -> Stretch | None:
    """The number in a row that its label names: all of the value, as far as it is one."""
    if not row.place.row.label.chars or said.start >= row.place.value:
        return None
    if any(
        topic
        in (
            LetterTopic.TICKET,
            LetterTopic.CUSTOMER,
            LetterTopic.FAULT,
            LetterTopic.PHONE,
            LetterTopic.VLAN,
            LetterTopic.SPEED,
            LetterTopic.HANDOFF,
            LetterTopic.UNTOLD,
        )
        for topic in row.head
    ):
        return None
    own = _code_after(row, said.end)
    if own is not None and own.end <= row.place.value:
        return own
    start = value_from(row)
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
    gap = re.match(
        r"[\s:=#(\"'.°-]*(?:(?:no|nr|id|is|number|ist|lautet|est|es"
        r"|n)(?=[\s:=#.\"'°])[\s:=#.\"'°-]*){0,2}(?:[a-z]{2,12}\s*:\s*)?",
        row.text[start : row.place.end],
    )
    at = start + (gap.end() if gap else 0)
    found = _CODE.match(row.chars, at, row.place.end)
    if found is None or not _is_code(found[0]):
        return None
    return Stretch(found.start(), found.end() - (len(found[0]) - len(found[0].rstrip("-/., "))))


def _is_code(text: str) -> bool:
    bare = text.rstrip(" .,/-")
    if _ADDRESS.fullmatch(bare) or _DATE.fullmatch(bare) or ("." in bare and re.fullmatch(r"[\d.]+", bare)):
        return False
    return len(re.sub(r"\W", "", bare)) >= (
        2 if re.search(r"[A-Z]", bare) else 3 if re.search(r"\d[-/]\d", bare) else 4
    ) and bool(re.search(r"\d", bare) or re.search(r"[A-Z]-[A-Z0-9]", bare))


_TITLE_CODE = re.compile(r"\b[A-Z]{1,6}(?:[-/][A-Z0-9]+)*[-/]?\d[\dA-Z]*(?:[-/][\dA-Z]+)*\b")


def _titled(rows: Sequence[Spoken]) -> Reading | None:
    """A number in the title of a letter, when nothing names one."""
    for row in rows[:3]:
        if row.place.row.label.chars:
            continue
        found = _TITLE_CODE.match(row.chars, row.place.start, row.place.end)
        if (
            found
            and len(found[0]) >= 4
            and re.search(r"[-/]|\d\d", found[0])
            and not _ADDRESS.match(row.chars, found.start())
        ):
            return row.reading(found[0], found.start(), found.end(), Sure.FOLLOWS)
        found = _TITLE_CODE.search(row.chars, row.place.start, row.place.end)
        ticket = any(one.topic is LetterTopic.TICKET for one in row.said)
        if found and len(found[0]) >= 5 and not ticket and re.search(r"\d{2}", found[0]):
            return row.reading(found[0], found.start(), found.end(), Sure.FOLLOWS)
    return None


def _fault(rows: Sequence[Spoken]) -> Reading | None:
    phones = [
        (row, one)
        for row in rows
        for one in _PHONE.finditer(row.text, row.place.start, row.place.end)
        if _is_phone(one[0])
    ]
    for row, one in phones:
        before = [
            said
            for said in row.said
            if said.end <= one.start()
            and said.topic in (LetterTopic.FAULT, LetterTopic.PHONE, LetterTopic.CUSTOMER, LetterTopic.TICKET)
        ]
        nearest = before[-1] if before else None
        if nearest is not None and nearest.topic is LetterTopic.FAULT and one.start() - nearest.end < 90:
            return row.reading(row.chars[one.start() : one.end()].strip(), one.start(), one.end())
    for row, one in phones:
        behind = next((said for said in row.said if said.start >= one.end()), None)
        if behind is not None and behind.topic is LetterTopic.FAULT and behind.start - one.end() < 25:
            return row.reading(row.chars[one.start() : one.end()], one.start(), one.end())
    sure = [(row, one) for row, one in phones if re.match(r"\+|\(?0", one[0]) and len(re.sub(r"\D", "", one[0])) >= 9]
    free = [
        (row, one)
        for row, one in sure
        if not any(
            said.topic
            in (LetterTopic.ORDER, LetterTopic.CONTRACT, LetterTopic.PHONE, LetterTopic.CUSTOMER, LetterTopic.TICKET)
            for said in row.said
            if said.end <= one.start() and one.start() - said.end < 30
        )
    ]
    if len(free) == 1:
        row, one = free[0]
        return row.reading(row.chars[one.start() : one.end()], one.start(), one.end(), Sure.FOLLOWS)
    return None


def _is_phone(text: str) -> bool:
    digits = re.sub(r"\D", "", text)
    return 7 <= len(digits) <= 15 and not _DATE.fullmatch(text.strip())


# --- Who, and how ----------------------------------------------------------------------------------------------

_WORD = r"[A-Z\u00c0-\u017d](?:[^\W\d_]|['’&-]|\.(?=[^\W\d_]))*"
_NAME = re.compile(
    rf"(?<![\w.-]){_WORD}(?:[ \t](?:{_WORD}|&|of|de|di|del|du|des|della|delle|do|la|le|el|der|und|et|van"
    rf"|z|plc|ltd|gmbh|llc|inc|bv|srl|spa|sl|ab|as|oy)(?=[ \t,.;:|\n)]|$)){{0,6}}(?![\w-])"
)
#: Words of which names are made, and which are no names by themselves.
_COMMON = frozenset({
    "a", "access", "account", "activation", "an", "and", "annex", "anschluss", "as", "backup", "best", "bonjour",
    "box", "broadband", "business", "cable", "card", "carrier", "change", "ciao", "complete", "confirmation",
    "connect", "connection", "customer", "das", "data", "de", "dear", "del", "delivery", "der", "desk", "details",
    "dhcp", "di", "die", "digital", "direct", "dns", "download", "dsl", "dual", "et", "ethernet", "fault", "faults",
    "fiber", "fibre", "firewall", "for", "from", "gateway", "guten", "hallo", "hello", "hi", "hola", "home",
    "hosting", "hotline", "ihr", "ihre", "information", "internet", "ip", "ipv4", "ipv6", "kind", "lan", "leased",
    "letter", "line", "lines", "link", "main", "managed", "mes", "metro", "modem", "mtu", "network", "networks",
    "new", "no", "noc", "not", "note", "notice", "of", "office", "on", "online", "order", "our", "page", "parameters",
    "planned", "please", "plus", "port", "ports", "pppoe", "premium", "primary", "pro", "provisioning", "public",
    "re", "regards", "registered", "routed", "router", "sales", "secondary", "service", "services", "set", "setup",
    "sheet", "sincerely", "speed", "stack", "static", "su", "subject", "support", "sus", "tag", "team", "technical",
    "telecom", "telecommunications", "thanks", "the", "to", "und", "upgrade", "upload", "use", "uw", "van", "vlan",
    "vos", "vostro", "votre", "wan", "we", "welcome", "work", "y", "your", "yours",
})  # fmt: skip
_PROVIDES = re.compile(rf"(?:your |our |ihr |votre |su |uw )?(?:{dict(words.LETTER_WORDS)[LetterTopic.PROVIDER]})")


def _provider(rows: Sequence[Spoken]) -> Reading | None:
    for row in rows:
        if row.head and _PROVIDES.fullmatch(folded(row.place.row.label.chars)):
            value = row.chars[row.place.value : row.place.end].strip(" .,;\"'")
            if value and not re.search(r"\d{3}|\d\.\d", value) and len(value) <= 80:
                start = row.chars.index(value, row.place.value)
                return row.reading(value, start, start + len(value))
    best: tuple[float, Reading] | None = None
    for order, row in enumerate(rows):
        if row.head and {LetterTopic.CUSTOMER, LetterTopic.SPEED, LetterTopic.USER, LetterTopic.HANDOFF} & set(
            row.head
        ):
            continue
        plain = folded(row.place.row.label.chars)
        if re.search(r"\bcustomer|\bclient|\bkunde|\bsite\b|\bholder\b|\bto\b|\bproduct", plain):
            continue
        for found in _NAME.finditer(row.chars, row.place.value, row.place.end):
            rated = _rated(row, found, order, len(rows))
            if rated is not None and (best is None or rated[0] > best[0]):
                best = rated
    return best[1] if best else None


def _rated(row: Spoken, found: re.Match[str], order: int, count: int) -> tuple[float, Reading] | None:
    """How likely a capitalised name is the provider's."""
    start, end = found.span()
    name = found[0]
    parts = name.split(" ")
    while parts and (folded(parts[0]).strip(".,'") in _COMMON - {"metro"} or parts[0] == "&") and len(parts) > 1:
        start += len(parts[0]) + 1
        parts = parts[1:]
    name = " ".join(parts)
    if (
        re.search(r"\b(?:Ltd|Inc|Co|B\.V|N\.V|S\.A|S\.L|S\.p\.A|S\.r\.l|o\.o)$", name)
        and row.chars[end : end + 1] == "."
    ):
        end += 1
    plain = folded(name)
    if len(parts) > 7 or re.search(r"\d", name) or all(folded(part) in _COMMON for part in parts):
        return None
    trade, form = words.NETWORK_TRADE.search(plain), words.COMPANY_FORM.search(plain)
    if not form and (not trade or len(parts) < 2):
        return None
    rate = 1.0 + (1.5 if form else 0) + (0.5 if trade else 0)
    alone = row.text[row.place.start : row.place.end].strip(" .|*-()") == plain.strip(" .|*-()")
    rate += 1.5 if alone else 0
    rate -= 2.0 if row.text[end : row.place.end].strip() == ":" else 0
    rate += 1.0 if order >= count - 2 else 0
    rate += 0.8 if order <= 2 else 0
    rate += 0.7 if start == row.place.start and re.match(r"\s*(?:[-,|:]\s|$)", row.text[end : row.place.end]) else 0
    rate += 3.0 if row.chars[max(row.place.start, start - 2) : start].startswith(("©", "(c)")) else 0
    rate += 1.0 if any(one.topic is LetterTopic.FAULT for one in row.said) else 0
    if (
        re.search(r"\b(?:dear|hello|hi|for|to|customer|at)\s+$", row.text[row.place.start : start])
        and "welcome" not in row.text[row.place.start : start]
    ):
        rate -= 2.5
    if rate < 2:
        return None
    return rate, row.reading(row.chars[start:end], start, end, Sure.FOLLOWS)


_DENIED = re.compile(r"\b(?:no|not|without|kein|ohne|sans|pas|sin|geen|senza|bez|dns|ns|server|from dynamic|was)\W+$")


def _handoff(rows: Sequence[Spoken]) -> Reading | None:
    """How the line is handed off, as far as words say; what follows from addresses is told elsewhere."""
    for row in rows:
        if LetterTopic.HANDOFF in row.head:
            value = ARROW.sub("", row.value, count=1)
            for kind, pattern in (("pppoe", words.PPPOE), ("dhcp", words.DHCP), ("static", words.STATIC)):
                if pattern.search(value):
                    return row.reading(kind, row.place.value, row.place.end)
    whole = rows[0].text if rows else ""
    told = re.search(r"\b(?:set|configure|switch|put)\b[^.;\n]{0,40}\b(?:to|on|as|for)\s+(dhcp|pppoe|static)\b", whole)
    if told is not None:
        return rows[0].reading(told[1], told.start(1), told.end(1))
    kinds = (("pppoe", words.PPPOE), ("dhcp", re.compile(r"\bdhcp\b")), ("dhcp", words.DHCP), ("static", words.STATIC))
    for kind, pattern in kinds:
        for row in rows:
            found = pattern.search(row.text, row.place.start, row.place.end)
            if found is None or _DENIED.search(row.text[max(0, found.start() - 14) : found.start()]):
                continue
            if kind == "static" and _user(rows) is not None:
                continue
            if kind == "dhcp" and (
                LetterTopic.RESOLVER in row.head
                or _user(rows) is not None
                or any(
                    one.topic is LetterTopic.RESOLVER and found.start() - 25 < one.start < found.start()
                    for one in row.said
                )
            ):
                continue
            return row.reading(kind, found.start(), found.end())
    return None


_READERS = {
    "vlan": vlan_in,
    "mtu": mtu_in,
    "pppoe_user": _user,
    "reference": _reference,
    "fault_number": _fault,
    "provider": _provider,
    "handoff": _handoff,
}


def read_details(rows: Sequence[Spoken]) -> dict[str, Reading]:
    """The values of a letter that are no addresses, by field."""
    found: dict[str, Reading] = {}
    for field, reader in _READERS.items():
        reading = reader(rows)
        if reading is not None:
            found[field] = reading
    found |= speed_in(rows)
    return found
