"""A text in the language of its type's write-out, matched line by line with what would be written."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from typing import NamedTuple

from octaplan.core.config.text import TextLine
from octaplan.core.config.view import Leaf
from octaplan.core.config.writeout import ToldLine
from octaplan.core.plan.hardware import WriteOut

#: A text is in the language when so much of what would be written is in it, or so much of it is what would be written.
ENOUGH = 0.35

#: Of so many lines that are left over each is held against each.
MOST_LEFT = 400
#: Of so many, each is tried as a line of the language.
MOST_HELD = 2_000
#: So many headings above a line count.
DEEPEST = 8


class OtherValue(NamedTuple):
    """A value that stands in the text otherwise than planned."""

    leaf: Leaf
    planned: str
    seen: str
    line: int


@dataclass
class OwnLines:
    """How the lines of a text go with those that would be written."""

    found: list[tuple[Leaf, str, int]] = field(default_factory=list)
    other: list[OtherValue] = field(default_factory=list)
    missing: list[ToldLine] = field(default_factory=list)
    #: Lines of the language that nothing planned would write.
    more: list[TextLine] = field(default_factory=list)
    rest: list[TextLine] = field(default_factory=list)
    #: The numbers of the lines that are as they would be written, or differ by a value.
    lines: set[int] = field(default_factory=set)
    #: Secrets that stand in the text as they are: their places and lines.
    clear: list[tuple[str, int]] = field(default_factory=list)


class _Stands(NamedTuple):
    """A line with the lines above it that it stands in."""

    above: tuple[str, ...]
    text: str


def matched(lines: list[TextLine], written: tuple[ToldLine, ...], one: WriteOut) -> OwnLines | None:
    """How a text goes with a write-out; nothing when it is in another language."""
    wanted = list(zip(written, _standing([line.text for line in written]), strict=True))
    seen = list(zip(lines, _standing([_unprompted(line.text, one) for line in lines]), strict=True))
    if not wanted or not _in_language(wanted, seen):
        return None
    result = OwnLines()
    left_wanted, left_seen = _same(wanted, seen, result)
    for _ in range(3):  # a heading that was changed takes all that stands in it with it
        moved = _headings(left_wanted, left_seen)
        if not moved:
            break
        left_seen = [(line, _Stands(_under(stands.above, moved), stands.text)) for line, stands in left_seen]
        left_wanted, left_seen = _same(left_wanted, left_seen, result)
    begins = tuple(_beginnings(written, one))
    apart: list[tuple[TextLine, _Stands]] = []
    if len(left_seen) > MOST_HELD:  # a long log beside it: only what begins like a line of the language can be one
        apart = [pair for pair in left_seen if not pair[1].text.startswith(begins)]
        left_seen = [pair for pair in left_seen if pair[1].text.startswith(begins)][:MOST_HELD]
    left_wanted, left_seen = _changed(left_wanted, left_seen, result)
    left_seen += apart
    known = {stands for _, stands in wanted}
    for line, stands in sorted(left_seen, key=lambda pair: pair[0].number):
        comment = one.comment and stands.text.startswith(one.comment)
        if comment or stands in known or not _says_something(stands.text):  # once more what is there already
            result.lines.add(line.number)
            continue
        (result.more if stands.text.startswith(begins) else result.rest).append(line)
    result.missing = [
        line
        for line, stands in left_wanted
        if _says_something(stands.text) and not any(piece.open for piece in line.pieces)
    ]
    return result


def _in_language(wanted: list[tuple[ToldLine, _Stands]], seen: list[tuple[TextLine, _Stands]]) -> bool:
    told = {stands.text for _, stands in wanted if _says_something(stands.text)}
    there = {stands.text for _, stands in seen}
    if not told:
        return False
    if len(told & there) >= ENOUGH * len(told):
        return True
    begins = {_beginning(line) for line, _ in wanted}
    known = tuple(begin for begin in begins if len(begin) >= 3)
    like = sum(text.startswith(known) for text in there)
    return len(there) > 2 and like >= 0.6 * len(there)


def _says_something(text: str) -> bool:
    return any(c.isalnum() for c in text)


def _unprompted(text: str, one: WriteOut) -> str:
    """A line without the prompt that an echo has before it."""
    plain = text.lstrip()
    before, _, behind = plain.partition(one.prompt) if len(one.prompt) > 1 else ("", "", "")
    named = behind[:1].isspace() and len(before) <= 40 and " " not in before
    if one.prompt and (plain.startswith(one.prompt) or named):
        return plain.partition(one.prompt)[2].strip() or text
    return text


def _standing(texts: list[str]) -> list[_Stands]:
    """Each line, single-spaced, with the headings above it: by braces where there are any, else by indentation."""
    braces = sum(text.rstrip().endswith("{") for text in texts) >= 2
    found: list[_Stands] = []
    stack: list[tuple[int, str]] = []
    for text in texts:
        plain = " ".join(text.split())
        indent = len(text) - len(text.lstrip())
        if braces:
            closes = plain.startswith("}")
            if closes and stack:
                stack.pop()
            found.append(_Stands(tuple(name for _, name in stack[:DEEPEST]), plain))
            if plain.endswith("{"):
                stack.append((indent, plain))
        else:
            while stack and stack[-1][0] >= indent:
                stack.pop()
            found.append(_Stands(tuple(name for _, name in stack[:DEEPEST]), plain))
            stack.append((indent, plain))
    return found


def _same(
    wanted: list[tuple[ToldLine, _Stands]], seen: list[tuple[TextLine, _Stands]], result: OwnLines
) -> tuple[list[tuple[ToldLine, _Stands]], list[tuple[TextLine, _Stands]]]:
    """Take out the lines that are there as they would be written; what is left of both."""
    there: dict[_Stands, list[TextLine]] = defaultdict(list)
    for line, stands in seen:
        there[stands].append(line)
    taken: Counter[int] = Counter()
    left = []
    for would, stands in wanted:
        lines = there.get(stands)
        if lines:
            at = lines.pop(0).number
            taken[at] += 1
            result.lines.add(at)
            result.found += [(leaf, piece.text, at) for piece in would.pieces if (leaf := piece.leaf) is not None]
        else:
            left.append((would, stands))
    return left, [(line, stands) for line, stands in seen if not taken[line.number]]


def _headings(
    wanted: list[tuple[ToldLine, _Stands]], seen: list[tuple[TextLine, _Stands]]
) -> dict[tuple[str, ...], tuple[str, ...]]:
    """Headings of the text that were changed, each with the one that would be written."""
    there, told = _below(seen), _below(wanted)
    moved: dict[tuple[str, ...], tuple[str, ...]] = {}
    if len(there) > MOST_LEFT:  # no text of this box has so many
        return moved
    free = [above for above in told if above not in there]
    for above, below in there.items():
        if above in told:
            continue
        fitting = [one for one in free if len(one) == len(above) and one[:-1] == above[:-1]]
        likeness = {one: len(below & told[one]) + _like(one[-1], above[-1]) for one in fitting}
        best = max(fitting, key=lambda one: likeness[one], default=None)
        if best is not None and _like(best[-1], above[-1]) > 0.4:
            moved[above] = best
            free.remove(best)
    return moved


def _below(lines: Iterable[tuple[object, _Stands]]) -> dict[tuple[str, ...], set[str]]:
    """What stands under each heading."""
    found: dict[tuple[str, ...], set[str]] = {}
    for _, stands in lines:
        if stands.above:
            found.setdefault(stands.above, set()).add(stands.text)
    return found


def _under(above: tuple[str, ...], moved: dict[tuple[str, ...], tuple[str, ...]]) -> tuple[str, ...]:
    for old, new in moved.items():
        if above[: len(old)] == old:
            return new + above[len(old) :]
    return above


def _like(one: str, other: str) -> float:
    return SequenceMatcher(None, one, other, autojunk=False).ratio()


def _changed(
    wanted: list[tuple[ToldLine, _Stands]], seen: list[tuple[TextLine, _Stands]], result: OwnLines
) -> tuple[list[tuple[ToldLine, _Stands]], list[tuple[TextLine, _Stands]]]:
    """Take out the lines that differ from what would be written by values, then those that are most like it."""
    left = list(seen)
    still: list[tuple[ToldLine, _Stands]] = []
    for line, stands in wanted:
        fitting = [
            pair for pair in left if pair[1].above in (stands.above, ()) and _values(line, pair[1].text) is not None
        ]
        best = max(fitting, key=lambda pair: _like(pair[1].text, stands.text), default=None)
        values = _values(line, best[1].text) if best is not None else None
        if best is None or values is None:
            still.append((line, stands))
            continue
        left.remove(best)
        result.lines.add(best[0].number)
        _note(line, values, best[0].number, result)
    if len(still) * len(left) > MOST_LEFT * MOST_LEFT:
        return still, left
    last: list[tuple[ToldLine, _Stands]] = []
    for line, stands in still:
        best = max(
            (pair for pair in left if pair[1].above == stands.above),
            key=lambda pair: _like(pair[1].text, stands.text),
            default=None,
        )
        if best is None or not line.leaves or _like(best[1].text, stands.text) < 0.6:
            last.append((line, stands))
            continue
        left.remove(best)
        result.lines.add(best[0].number)
        result.other.append(OtherValue(line.leaves[-1], stands.text, best[1].text, best[0].number))
    return last, left


def _values(line: ToldLine, text: str) -> list[str] | None:
    """What stands in a text in the places of a line's values; nothing when its own words are others."""
    parts = [None if piece.leaf is not None else re.sub(r"\s+", " ", piece.text) for piece in line.pieces]
    if parts and parts[0] is not None:
        parts[0] = parts[0].lstrip()
    found: list[str] = []
    at, waits = 0, False
    for place, words in enumerate(parts):
        if words is None:
            found += [""] if waits else []
            waits = True
            continue
        ends = place == len(parts) - 1
        begin = at if not waits else len(text) - len(words) if ends else text.find(words, at)
        if begin < at or not text.startswith(words, begin):
            return None
        found += [text[at:begin]] if waits else []
        at, waits = begin + len(words), False
    if waits:
        return [*found, text[at:]]
    return found if at == len(text) else None


def _note(line: ToldLine, values: list[str], at: int, result: OwnLines) -> None:
    """Take note of each value of a line, as planned or otherwise."""
    pieces = [piece for piece in line.pieces if piece.leaf is not None]
    for piece, seen in zip(pieces, values, strict=True):
        leaf = piece.leaf
        if leaf is None or piece.open:  # what the plan does not say yet may be anything
            continue
        if piece.secret:
            result.found.append((leaf, "", at))
            if seen.strip("\"' ") not in (piece.shown, "") and not hidden(seen):
                result.clear.append((piece.secret, at))
        elif " ".join(seen.split()) == " ".join(piece.text.split()):
            result.found.append((leaf, piece.text, at))
        else:
            result.other.append(OtherValue(leaf, piece.text, seen, at))


def hidden(text: str) -> bool:
    """Whether a secret is shown in a way that tells nothing of it: as stars, hashed, or as a mark."""
    plain = text.strip().strip("\"'")
    if not plain or set(plain) <= set("*.•x-") or plain.startswith(("<<", "$", "{", "<")):
        return True
    if re.fullmatch(r"(?:[0-9A-Fa-f]{2}:?){12,}", plain):
        return True
    mixed = any(c.isdigit() for c in plain) and any(c.isupper() for c in plain) and any(c.islower() for c in plain)
    return bool(len(plain) >= 40 and mixed and re.fullmatch(r"[A-Za-z0-9+/=._-]+", plain))


def _beginning(line: ToldLine) -> str:
    """What a line begins with before its first value."""
    begin = ""
    for piece in line.pieces:
        if piece.leaf is not None:
            break
        begin += piece.text
    return " ".join(begin.split()) + (" " if begin.endswith(" ") and begin.strip() else "")


def _beginnings(written: Iterable[ToldLine], one: WriteOut) -> list[str]:
    """What lines of the language begin with: those written, and those that templates could write."""
    found = {_beginning(line) for line in written} | {*_of_templates(one)}
    return sorted({begin for begin in found if sum(c.isalnum() for c in begin) >= 2})


def _of_templates(one: WriteOut) -> Iterator[str]:
    for source in one.parts.values():
        for line in source.split("\n"):
            plain = re.sub(r"\{%.*?%\}|\{#.*?#\}", "", line)
            begin = plain.partition("{{")[0].lstrip()
            if begin.strip():
                yield " ".join(begin.split()) + (" " if begin.endswith(" ") else "")
