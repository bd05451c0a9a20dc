"""The text of a letter as it was meant: reply marks gone, what a copier broke joined, each character knowing its place.

Nothing here knows what a letter speaks of. `PlacedText` keeps for every character where it stood in what was
pasted, so that whatever is read can be shown there.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable
from typing import NamedTuple


class Stretch(NamedTuple):
    """Where something stands in the letter."""

    start: int
    end: int


class PlacedText(NamedTuple):
    """Characters, and where in the letter each of them stood."""

    chars: str
    origin: tuple[int, ...]

    def cut(self, start: int, end: int | None = None) -> PlacedText:
        """A part of it."""
        return PlacedText(self.chars[start:end], self.origin[start:end])

    def strip(self, characters: str | None = None) -> PlacedText:
        """Without blanks, or certain characters, at both ends."""
        start = len(self.chars) - len(self.chars.lstrip(characters))
        return self.cut(start, max(start, len(self.chars.rstrip(characters))))

    def replaced(self, pattern: re.Pattern[str], by: str | Callable[[re.Match[str]], str]) -> PlacedText:
        """With whatever a pattern finds replaced; what is new stands where the old stood."""
        chars: list[str] = []
        origin: list[int] = []
        at = 0
        for found in pattern.finditer(self.chars):
            new = by if isinstance(by, str) else by(found)
            chars += [self.chars[at : found.start()], new]
            origin += self.origin[at : found.start()]
            last = max(found.start(), found.end() - 1)
            origin += (self.origin[min(found.start() + n, last, len(self.origin) - 1)] for n in range(len(new)))
            at = found.end()
        return PlacedText("".join([*chars, self.chars[at:]]), (*origin, *self.origin[at:]))

    def place(self, start: int, end: int) -> Stretch:
        """Where a part of it stood in the letter."""
        return Stretch(self.origin[start], self.origin[end - 1] + 1) if start < end else Stretch(0, 0)


def concatenated(parts: Iterable[PlacedText | str]) -> PlacedText:
    """Texts one behind the other; mere characters between them stand where the text before them ended."""
    chars: list[str] = []
    origin: list[int] = []
    for part in parts:
        if isinstance(part, str):
            origin += [origin[-1] if origin else 0] * len(part)
            chars.append(part)
        else:
            chars.append(part.chars)
            origin += part.origin
    return PlacedText("".join(chars), tuple(origin))


_ALIKE = str.maketrans({
    **dict.fromkeys("\u00a0\u2002\u2003\u2007\u2009\u202f\r\f\v", " "),
    **dict.fromkeys("‐‑‒–—−", "-"), **dict.fromkeys("“”„«»″", '"'), **dict.fromkeys("‘’‚‹›′`", "'"),
    "…": ".", "·": ".", "•": "*", "▪": "*", "●": "*", "→": "\u2192", "⇒": "\u2192",
    "：": ":", "＝": "=", "．": ".", "／": "/",
})  # fmt: skip
_FOLDED = str.maketrans(
    {"ß": "s", "ł": "l", "Ł": "l", "ø": "o", "Ø": "o", "đ": "d", "æ": "a", "œ": "o", "º": "°", "_": " "}
)


def folded(text: str) -> str:
    """A text of the same length, in small letters without accents, in which words are looked for."""
    plain = []
    for character in text.translate(_FOLDED).lower() if len(text.lower()) == len(text) else text.translate(_FOLDED):
        base = unicodedata.normalize("NFD", character)[:1]
        plain.append(base if len(base) == 1 else character)
    return "".join(plain)


_QUOTED = re.compile(r"^(?:[ \t]*>)+[ \t]?", re.MULTILINE)
_BAR = re.compile(r"^[ \t]*\|[ \t]?(?=[^|\n]*$)", re.MULTILINE)
_FORWARDED = re.compile(
    r"^.{0,3}(?:-{2,}\s*(?:original message|forwarded message|urspr\w+ nachricht|message d'origine|mensaje original)"
    r"|begin forwarded message|anfang der weitergeleiteten|weitergeleitete nachricht|messaggio inoltrato).*$",
    re.IGNORECASE | re.MULTILINE,
)
_SIGNATURE = re.compile(r"^-- ?\n(?:.*\n?){1,12}?(?=\n\n|\Z)", re.MULTILINE)
_HEADER = re.compile(
    r"^(?:from|sent|to|cc|bcc|date|reply-to|von|gesendet|an|datum|de|envoye|a|enviado|para|fecha|van"
    r"|verzonden|aan|da|inviato"
    r"|od|wyslano|do|data)\s*:[^\n]*(?:@|\d{4}|\bto\b)[^\n]*$",
    re.MULTILINE,
)
_SUBJECT = re.compile(r"^(subject|betreff|objet|asunto|onderwerp|oggetto|temat|re|betr|concerne)\s*:\s*", re.MULTILINE)
_REPLY = re.compile(r"^(?:(?:re|fw|fwd|aw|wg|tr|rv|antw)\s*:\s*)+", re.IGNORECASE | re.MULTILINE)
_CHAT = re.compile(
    r"^[\[(]?(?:[a-z]{2,4}\.?,? )?\d{1,2}[:.]\d{2}(?:[:.]\d{2})?(?: ?[ap]m)?[\])]?[\s,-]*[^:\n\d]{1,30}:\s*",
    re.MULTILINE | re.IGNORECASE,
)
_GLUED = re.compile(
    r"(?<=[A-Za-z])(?=\d{1,3}\.\d{1,3}\.\d)|(?<=vlan)(?=\d)|(?<=mtu)(?=\d{3})|(?<=tag)(?=\d{2})", re.IGNORECASE
)
_LINK = re.compile(r"\[([^\]\n]{0,80})\]\([^)\n]{0,200}\)")
_TAGGED = re.compile(r"<([A-Za-z][\w:-]{0,40})>([^<\n]{0,200})</\1>")
_ELEMENT = re.compile(r"</?[A-Za-z][^<>\n]{0,80}>")

#: What a copier breaks: octets behind a dot at a line's end, words and numbers behind a hyphen.
_BROKEN_OCTETS = re.compile(
    r"(?<![\d./])((?:\d{1,3}\.){1,3})([ \t]*\n[ \t]*)(?=(\d{1,3}(?:\.\d{1,3}){0,2})(?![\d]|\.\d))"
)
_BROKEN_WORD = re.compile(r"(?<=[a-zà-ž])-[ \t]*\n[ \t]*(?=[a-zà-ž])")
_BROKEN_CODE = re.compile(r"(?<=[A-Z0-9]-)[ \t]*\n[ \t]*(?=[A-Z0-9])")
_LOOSE = re.compile(r"(?<![\d.])(\d{1,3}) ?\. ?(\d{1,3}) ?\. ?(\d{1,3}) ?\. ?(\d{1,3})(?![\d.]*\d)")
_LOOSE_DOT = re.compile(r" ?\. ?")
_TRAILING = re.compile(r"[ \t]+$", re.MULTILINE)


class Prepared(NamedTuple):
    """A letter without what surrounds it. `own` is where what was forwarded begins: before it somebody else speaks;
    `broken` whether lines end in the middle of words; `quoted` where lines begin that an answer quotes."""

    text: PlacedText
    own: int
    broken: bool
    quoted: frozenset[int] = frozenset()


def prepared(letter: str) -> Prepared:
    """A letter without reply marks, mail heads, links and signature marks; broken words and numbers are joined."""
    text = PlacedText(letter.translate(_ALIKE), tuple(range(len(letter))))
    quoted = frozenset(one.end() for one in _QUOTED.finditer(text.chars))
    text = text.replaced(_QUOTED, "")
    bars = len(_BAR.findall(text.chars))
    if bars > 2 and text.chars.count("|") <= bars + 1:
        text = text.replaced(_BAR, "")
    text = text.replaced(_TRAILING, "")
    text = text.replaced(_LINK, lambda found: found[1])
    text = text.replaced(_TAGGED, lambda found: f"{found[1]}: {found[2]}").replaced(_ELEMENT, " ")
    for pattern in (_HEADER, _SUBJECT):
        text = _without(text, [one.span() for one in pattern.finditer(folded(text.chars))], "")
    text = text.replaced(_REPLY, "")
    text = text.replaced(_CHAT, "* ")
    octets = [one.span(2) for one in _BROKEN_OCTETS.finditer(text.chars) if one[1].count(".") + one[3].count(".") == 3]
    breaks = len(octets) + sum(len(one.findall(text.chars)) for one in (_BROKEN_WORD, _BROKEN_CODE))
    text = _without(text, octets, "").replaced(_BROKEN_WORD, "").replaced(_BROKEN_CODE, "")
    loose = [one for one in _LOOSE.finditer(text.chars) if " " in one[0]]
    gaps = [
        (one.start() + gap.start(), one.start() + gap.end()) for one in loose for gap in _LOOSE_DOT.finditer(one[0])
    ]
    text = _without(text, gaps, ".")
    text = text.replaced(_GLUED, " ")
    forwarded = _FORWARDED.search(text.chars)
    return Prepared(text, forwarded.end() if forwarded else 0, breaks > 1, quoted)


def _without(text: PlacedText, places: list[tuple[int, int]], by: str) -> PlacedText:
    """A text with some places replaced."""
    parts: list[PlacedText | str] = []
    at = 0
    for start, end in places:
        parts += [text.cut(at, start), by]
        at = end
    return concatenated([*parts, text.cut(at)]) if places else text


def signature(text: str) -> Stretch | None:
    """What stands below a signature's dashes."""
    found = _SIGNATURE.search(text)
    return Stretch(*found.span()) if found else None
