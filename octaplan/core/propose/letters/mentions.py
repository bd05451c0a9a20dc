"""Addresses and masks as they stand in a letter, known by their shape alone."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple

from octaplan.core.propose.letters.layout import RowMark, RowPlace
from octaplan.core.propose.letters.text import Stretch
from octaplan.core.propose.letters.words import LetterTopic
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_mask


class Mention(NamedTuple):
    """An address as it stands in the letter; `last` of a run, `prefix` of a mask right behind it."""

    place: Stretch
    address: Address
    prefix: int | None
    last: Address | None
    short: bool = False


Scores = dict[LetterTopic, float]
Scored = tuple[Mention, Scores]


class LaidLetter(NamedTuple):
    """The text that is read, folded, as it was, and its rows."""

    text: str
    chars: str
    rows: Sequence[RowPlace]

    def row_at(self, place: int) -> RowPlace | None:
        at = bisect_right(self.rows, place, key=lambda row: row.start) - 1
        return self.rows[at] if at >= 0 and place <= self.rows[at].end else None


IPV4 = r"\d{1,3}(?:\.\d{1,3}){3}"
_TO = r"(?:-|–|—|\.\.\.?|\b(?:to|through|thru|up to|bis|a|al|au|jusqu'a|hasta|t/m|tot|do|fino a)\b)"
_RUN = rf"(?:\s*{_TO}\s*(?P<last>{IPV4}|\.?\d{{1,3}})(?![\d.]*\d)(?!\s*(?:was|is|hosts?)\b))?"
_DOTTED = r"255(?:\.\d{1,3}){3}"
_FULL = re.compile(
    rf"(?<![\d.])(?<![a-z]\.)(?P<address>{IPV4})(?![\d]|\.\d)"
    rf"(?:\s*/\s*(?P<bits>\d{{1,2}})(?![\d.]*\d)|\s*/\s*(?P<slashed>{_DOTTED})|[\s,]+(?P<dotted>{_DOTTED}))?{_RUN}"
    r"(?:\s*/\s*(?P<after>\d{1,2})(?![\d.]*\d))?"
)
_SHORT = re.compile(
    rf"(?:(?<![\w.])\.|\x01)(?P<address>\d{{1,3}})(?![\d]|\.\d)(?:\s*/\s*(?P<bits>\d{{1,2}})(?!\d))?{_RUN}"
)
_SIX = re.compile(
    r"(?<![\w:.])(?P<address>[0-9a-f]{0,4}(?::[0-9a-f]{0,4}){2,7})(?:(?:\s*/\s*"
    r"|\s+prefix(?:\s+length)?\s+)(?P<bits>\d{1,3}))?(?![\w:])"
)
_COUNTED = {
    "twenty-four": 24,
    "twenty-five": 25,
    "twenty-six": 26,
    "twenty-seven": 27,
    "twenty-eight": 28,
    "twenty-nine": 29,
    "thirty": 30,
    "thirty-one": 31,
}
_MASK_ALONE = re.compile(
    rf"(?<![\w.])(?P<dotted>{_DOTTED})(?![\d.]*\d)|(?<![\d/])/\s?(?P<slash>\d{{1,2}})(?![\d.]*\d|/|\s?:\d)"
    rf"|0x(?P<hex>[0-9a-f]{{8}})\b|\b(?P<binary>(?:[01]{{8}}\.){{3}}[01]{{8}})\b"
    rf"|(?:length|len|mask|maske|masque|prefix|cidr|size)(?:\W{{1,4}}|\s+is\s+)(?P<number>\d{{1,2}}"
    rf"|{'|'.join(_COUNTED)})(?![\w.]|\s*\(|\s+(?:addresses|hosts|ips|adressen|adresses|direcciones|indirizzi))"
    r"|mask\w*(?:\W{1,3}|\s+is\s+)\.(?P<octet>2\d\d|1\d\d)\b|\b(?P<bit>\d{2})[\s-]?bit(?:s|ige)?\b(?!/s)"
    r"|\b(?:wildcard|inverse|inverted|reverse)\W+(?:mask\W+)?(?P<wild>0\.0\.\d{1,3}\.\d{1,3})"
    r"|\b(?P<worded>twenty-\w+|thirty(?:-one)?)[\s-]bit"
)
#: What joins several of one sort.
JOIN = re.compile(
    r"\s*(?:[,;\"']|/|&|\+|\||\b(?:and|or|then|und|oder|et|ou|y|o|en|e|ed|of|i|oraz|secondary|primary)\b|\n"
    r"|\s|-|[()\[\]])*\s*\Z"
)
_AFTER_RESOLVER = re.compile(r"(?:dns|ns\d?|resolvers?|servers?|ntp)\W{1,4}(?:is |are )?\Z")
_WILD = re.compile(r"(?<![\d.])(\d{1,3}\.\d{1,3}\.\d{1,3})\.[x*]\b")
_COUNTED_ROW = re.compile(r"(?m)(?<=\n)(?P<first>\d{1,3})(?:\s*-\s*\d{1,3})?(?=\s+[a-z(])")
_BARE = re.compile(r"(\b(?:gw|gateway|g/w|gate)[ :=]{1,3})(?=\d{1,3}(?![\d.]*\d|\w))")
_BLOCK = re.compile(rf"(?P<net>{IPV4})\s*/\s*(?P<bits>2[4-9]|30)\b")
#: What names the address behind it as the way to a block, and not as the block.
_HOP = re.compile(
    r"(?:\brouted|(?<!default )(?<!static )\broute|geroutet|routees?|instradat\w|enrutad\w"
    r"|gerouteerd)\s+(?:to|via|over|at|through|an|uber|vers|a|hacia|naar|verso|do|na)\s+(?:your |the "
    r"|ihre? )?(?:router |ip |firewall )?\Z"
)
#: A mask that belongs to a private address right before it.
_INNER = re.compile(r"(?<![\d.])(?:10|192\.168|172\.(?:1[6-9]|2\d|3[01]))\.[\d.]+[^.\d\n]{0,25}\Z")
_WAS = re.compile(
    r"\b(?:old|previous(?:ly)?|formerly|was|bisher|alt|ancien(?:nement)?|antes|voorheen|prima|dawniej)[\s:(]*\Z"
)
Mask = tuple[int, Stretch, "RowPlace | None"]


def mentions_in(text: str) -> Iterator[Mention]:
    """The addresses that stand in folded text, without those that only are the way to others."""
    plain, text = text, _with_dots(text)
    found = [(one.start(), one) for shape in (_SIX, _FULL, _SHORT) for one in _matches(shape, text)]
    found.sort(key=lambda pair: (pair[0], -pair[1].end()))
    whole = [one for _, one in found if one.re is _FULL and not one["address"].startswith("255.")]
    first = next((one for one in whole if one["bits"] or one["dotted"] or one["slashed"]), whole[0] if whole else None)
    end = -1
    near: Address | None = None
    last: Address | None = None
    named = [one for one in whole if not _AFTER_RESOLVER.search(text[max(0, one.start() - 30) : one.start()])]
    if first in whole and first is not None and not (first["bits"] or first["dotted"] or first["slashed"]) and named:
        first = named[0]
    part = _WILD.search(text)
    with suppress(AddressError):
        near = parse_address(f"{part[1]}.0") if part else parse_address(first["address"]) if first else None
    for start, one in found:
        if start < end:
            continue
        here = last if last is not None and JOIN.match(text[end:start]) else near
        mention = _mention(one, here)
        if mention is None:
            continue
        end = one.end()
        if mention.address.family == 4 and one.re is _FULL:
            last = mention.address
            if not _AFTER_RESOLVER.search(text[max(0, start - 30) : start]):
                near = mention.address
        if not _is_aside(plain, mention):
            yield mention


_FROM = re.compile(r"\b(?:from|von|de|da|van|z)\W+\Z")
_CHANGES = re.compile(
    r"\b(?:chang\w+|mov\w+|renumber\w+|switch\w+|wechsel\w+|andert|passe(?:nt|ra)?|cambia\w*|wijzig\w*|zmieni\w+)\b"
)


def changes_from(text: str, place: int) -> bool:
    """Whether what stands at a place is what something changes from: `changes from … to`."""
    ahead = text[max(0, place - 160) : place]
    sentence = re.split(r"[.;\n](?:\s|$)", ahead)[-1]
    return _FROM.search(ahead) is not None and _CHANGES.search(sentence) is not None


def _matches(shape: re.Pattern[str], text: str) -> Iterator[re.Match[str]]:
    """What looks like an address; where one changes to another, both, and no run."""
    for one in shape.finditer(text):
        run = shape is not _SIX and one["last"]
        if run and changes_from(text, one.start()):
            cut = one.start("last")
            yield from (part for part in (shape.match(text, one.start(), cut - 1), shape.match(text, cut)) if part)
        else:
            yield one


def _with_dots(text: str) -> str:
    """PlacedText in which rows that begin with a last octet, below the subnet that they count, are marked as such.

    The mark takes the place of the end of the line before it, so that all else stays where it is.
    """
    text = _BARE.sub(lambda found: f"{found[1][:-1]}\x01", text)
    block = _BLOCK.search(text)
    if block is None:
        return text
    try:
        net = Network.holding(parse_address(block["net"]), int(block["bits"]))
    except AddressError:
        return text
    low, high = net.first.value & 255, net.last.value & 255
    rows = [one for one in _COUNTED_ROW.finditer(text, block.end()) if low <= int(one["first"]) <= high]
    if len(rows) < 3:
        return text
    made = list(text)
    for one in rows:
        made[one.start() - 1] = "\x01"
    return "".join(made)


def _mention(found: re.Match[str], near: Address | None) -> Mention | None:
    named = found.groupdict()
    short = found.re is _SHORT
    try:
        address = _short(named["address"], near) if short else parse_address(named["address"])
        if address is None or (address.family == 6 and address.value < 1 << 64):
            return None  # a short one before any whole one, or a time of day
        mask = named.get("bits") or named.get("slashed") or named.get("dotted") or named.get("after")
        prefix = parse_mask(mask, address.family) if mask else None
        end = named.get("last") or ""
        whole = end.count(".") == 3
        last = None if not end else parse_address(end) if whole else _short(end.lstrip("."), address)
    except AddressError:
        return None
    if str(address).startswith(("255.", "0.")):
        return None
    if last is not None and (last.family != address.family or last.value <= address.value):
        last = None
    if last is not None and last.value - address.value > 1 << 16:
        last = None
    return Mention(Stretch(found.start() + found[0].startswith("\x01"), found.end()), address, prefix, last, short)


def _short(text: str, near: Address | None) -> Address | None:
    if near is None:
        return None
    return parse_address(f"{str(near).rpartition('.')[0]}.{text}")


def _is_aside(text: str, one: Mention) -> bool:
    """Whether an address is only the way to a block, or a mask in short."""
    ahead = text[max(0, one.place.start - 60) : one.place.start]
    return (one.prefix is None and _HOP.search(ahead) is not None) or (
        one.short and re.search(r"mask\w*\W{1,3}$", ahead) is not None
    )


def masks_in(letter: LaidLetter, *, inner: bool = False) -> Iterator[Mask]:
    """Masks that stand alone, with their rows, as far as those speak of the line as it will be."""
    for found in _MASK_ALONE.finditer(letter.text):
        row = letter.row_at(found.start())
        marks = row.row.marks if row else frozenset()
        if marks & {RowMark.OLD, RowMark.OTHER, RowMark.COVER}:
            continue
        try:
            kind = str(found.lastgroup)
            text = found[kind]
            if kind == "hex":
                text = ".".join(str(int(text[n : n + 2], 16)) for n in range(0, 8, 2))
            elif kind == "binary":
                text = ".".join(str(int(octet, 2)) for octet in text.split("."))
            elif kind == "octet":
                text = f"255.255.255.{text}"
            elif kind == "wild":
                text = ".".join(str(255 - int(octet)) for octet in text.split("."))
            elif text in _COUNTED:
                text = str(_COUNTED[text])
            prefix = parse_mask(text)
        except (AddressError, ValueError):
            continue
        if _WAS.search(letter.text[max(0, found.start() - 25) : found.start()]):
            continue
        if not inner and _INNER.search(letter.text[max(0, found.start() - 50) : found.start()]):
            continue
        if prefix >= 8 and not re.match(
            r"\s*(?:was\b|->|\u2192|becomes?\b|changes? to\b|wird\b|devient\b|pasa a\b|wordt\b|diventa\b)",
            letter.text[found.end() :],
        ):
            yield prefix, Stretch(*found.span()), row


def top_of(scores: Scores) -> LetterTopic | None:
    return max(scores, key=lambda part: scores[part]) if scores else None
