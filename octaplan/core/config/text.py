"""Text as it comes out of a console, a file or a browser, made into plain lines."""

from __future__ import annotations

import re
from collections import Counter
from typing import NamedTuple

from octaplan.core.values.errors import RefusedError

#: What is read at most; what is longer is no box's configuration.
MOST_BYTES = 4_000_000
MOST_LINES = 60_000

_ESCAPES = re.compile(r"\x1b(?:\[[0-9;?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[@-Z\\-_()][0-9A-Za-z]?)")
#: Marks of a terminal that waits before it shows more: a word for it between dashes or brackets, or which key to press.
_PAGING = re.compile(
    r"\s{0,9}(?:[-<(\[*=]{1,9} ?(?:more|next|continue|end)\b[^\n<>()\[\]]{0,30}[->)\]*=]{1,9}"
    r"|\b(?:press|hit)\b[^\n]{0,40}\b(?:key|space|enter|return)\b[^\n]{0,40})\s{0,9}",
    re.I,
)
_PAGED, _PRESSED = ("more", "next", "continue", "end"), ("press", "hit")
_AROUND = re.compile(r"[-<(\[*=]")
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")
_TOKENISH = re.compile(r"[\w.:/-]")


#: How many columns terminals have.
_WIDTHS = frozenset({72, 76, 78, 79, 80, 96, 100, 120, 128, 132, 140, 160, 180, 200, 240})


class Unreadable(RefusedError):
    """Something that is no text at all."""


class TextLine(NamedTuple):
    """A line, with its number in what was given, from 1."""

    number: int
    text: str


def decoded(data: bytes) -> str:
    """Bytes as text, whichever of the usual encodings they are in; raises `Unreadable`."""
    if len(data) > MOST_BYTES:
        raise Unreadable(f"This is longer than {MOST_BYTES // 1_000_000} MB: give the part that is about this box")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", "replace")
    if data[:2000].count(0) > len(data[:2000]) // 4:
        every_other = data[1:2000:2].count(0) > data[0:2000:2].count(0)
        text = data.decode("utf-16-le" if every_other else "utf-16-be", "replace")
        if text.isprintable() or sum(c.isprintable() or c in "\r\n\t" for c in text) > 0.95 * len(text):
            return text
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def lines_of(text: str) -> list[TextLine]:
    """Text as plain lines: without colours, paging marks and what was typed over, wrapped lines joined again.

    Raises `Unreadable` for what is empty, or no text.
    """
    if len(text) > MOST_BYTES:
        raise Unreadable(f"This is longer than {MOST_BYTES // 1_000_000} MB: give the part that is about this box")
    text = _ESCAPES.sub("", text).replace("\r\n", "\n")
    found = [TextLine(number, _typed_over(line)) for number, line in enumerate(text.split("\n"), 1)]
    found = [line for line in found if line.text.strip()]
    if not found:
        raise Unreadable("There is nothing in this text: copy what the box shows, and paste it here")
    size = sum(len(line.text) for line in found)
    controls = _CONTROL.search(text) is not None
    odd = sum(len(_CONTROL.findall(line.text)) for line in found) if controls else 0
    odd += sum(line.text.count("\ufffd") for line in found) if "\ufffd" in text else 0
    if odd > max(8, size // 50):
        raise Unreadable("This is no text: it looks like a program, a picture or a packed file. Give what can be read")
    if len(found) > MOST_LINES:
        raise Unreadable(f"These are more than {MOST_LINES:,} lines: give the part that is about this box")
    return _joined([TextLine(number, _CONTROL.sub("", line)) for number, line in found] if controls else found)


def _typed_over(line: str) -> str:
    """What stands in a line at last, after paging marks were wiped out and backspaces typed."""
    line = line.rstrip("\r")
    if "\r" in line:
        line = next((part for part in reversed(line.split("\r")) if part.strip()), "")
    if "\x08" in line:
        held: list[str] = []
        for char in line:
            if char != "\x08":
                held.append(char)
            elif held:
                held.pop()
        line = "".join(held)
    return (_PAGING.sub("", line) if _may_be_paged(line) else line).rstrip().replace("\xa0", " ")


def _may_be_paged(line: str) -> bool:
    small = line.lower()
    if any(word in small for word in _PRESSED):
        return True
    return any(word in small for word in _PAGED) and _AROUND.search(line) is not None


def _joined(lines: list[TextLine]) -> list[TextLine]:
    """Lines that a terminal has cut at its edge put together again: several end at one column, in the middle of a
    word, and none goes beyond it."""
    lengths = Counter(len(line.text) for line in lines)
    edge = max(lengths)
    if edge not in _WIDTHS or lengths[edge] < 2:
        return lines
    found: list[TextLine] = []
    cut = False
    for line in lines:
        if cut and _TOKENISH.match(found[-1].text[-1]) and _TOKENISH.match(line.text[0]):
            found[-1] = TextLine(found[-1].number, found[-1].text + line.text)
        else:
            found.append(line)
        cut = len(line.text) == edge
    return found
