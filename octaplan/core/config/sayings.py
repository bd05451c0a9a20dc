"""The lines that the templates of a write-out can write, as shapes by which a line is read.

A shape is words and places for values, some of which may be left out. A line is held against it piece by piece from
left to right, in time that grows with its length: no regular expression is made of what somebody wrote in a template.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from enum import Enum, auto
from itertools import product
from math import prod
from typing import NamedTuple

from jinja2 import nodes

from octaplan.core.values.errors import RefusedError
from octaplan.core.values.lazy import lazy

#: What a place for a number in a list is called.
NUMBER = "#"
#: In so many ways the choices of one line may come together.
MOST_WAYS = 400
#: Filters that change how a value is written, and not what it says.
_SAME = frozenset({"quoted", "upper", "lower", "replace", "dashed", "default", "join", "mac"})

_QUOTED = re.compile(r"\"(?:[^\"\\]|\\.)*\"|'[^']*'|<<[^>]*>>")
_DIGITS = re.compile(r"\d+")
_BLANKS = re.compile(r"\"(?:[^\"\\]|\\.)*\"|'[^']*'|\s+")


class NotUnderstood(RefusedError):
    """A line that is not in the language or stands where it cannot, or a language that cannot be read."""


class Filling(Enum):
    """How a value stands in a line: as anything, between quotes, as digits, or as the members of a list."""

    FREE = auto()
    QUOTED = auto()
    DIGITS = auto()
    LIST = auto()


class FixedText(NamedTuple):
    """What always stands there."""

    text: str


class ValuePlace(NamedTuple):
    """Where a value stands, by name, and what stands between members of a list. Without a name it is passed over."""

    name: str
    form: Filling
    between: tuple[str, ...] = ()


class Either(NamedTuple):
    """One of several; an empty one says that all may be left out."""

    branches: tuple[tuple[SayingPart, ...], ...]


SayingPart = FixedText | ValuePlace | Either


class _Way(NamedTuple):
    """One way in which choices come together: runs of what can be told where it ends, and open places between them."""

    runs: tuple[tuple[FixedText | _Held, ...], ...]
    open: tuple[_Held, ...]


class _Held(NamedTuple):
    place: ValuePlace
    #: Which of the shape's values it is; none without a name.
    at: int | None


@dataclass(frozen=True)
class Shape:
    """One line that templates can write."""

    pieces: tuple[SayingPart, ...]

    @lazy
    def places(self) -> tuple[ValuePlace, ...]:
        """The places with names, in order."""
        return tuple(piece for piece in _flat(self.pieces) if isinstance(piece, ValuePlace) and piece.name)

    @lazy
    def names(self) -> tuple[str, ...]:
        """The names of its values, in order."""
        return tuple(place.name for place in self.places)

    @lazy
    def flat(self) -> tuple[FixedText | ValuePlace, ...]:
        """All words and named places, those of all choices one behind the other."""
        return tuple(piece for piece in _flat(self.pieces) if isinstance(piece, FixedText) or piece.name)

    def read(self, line: str) -> tuple[str, ...] | None:
        """The values in a line that is `single_spaced`, "" for what is left out; nothing when it is another line."""
        if not line.startswith(self._begins) or not line.endswith(self._ends):
            return None
        for way in self._ways:
            found = _read(way, line)
            if found is not None:
                return tuple(found.get(at, "").strip() for at in range(len(self.names)))
        return None

    def said(self, values: Iterable[str]) -> str:
        """The line with its values filled in, in order: of a choice what has values is said, what needs quotes is given
        them."""
        return _said(self.pieces, iter(values))[0].strip()

    @lazy
    def _begins(self) -> tuple[str, ...]:
        """What the line begins with, in each way."""
        return tuple({_text(way.runs[0][:1]) for way in self._ways})

    @lazy
    def _ends(self) -> tuple[str, ...]:
        """What the line ends with, in each way."""
        return tuple({_text(way.runs[-1][-1:]) for way in self._ways})

    @lazy
    def _ways(self) -> tuple[_Way, ...]:
        counted = iter(range(len(self.names)))
        return tuple(_way(flat) for flat in _flattened(_numbered(self.pieces, counted)))


def single_spaced(line: str) -> str:
    """A line with one blank where there are several, but for what stands between quotes."""
    return _BLANKS.sub(lambda found: " " if found[0].isspace() else found[0], line.strip())


def _text(run: tuple[FixedText | _Held, ...]) -> str:
    """The words that a run is, if it is words."""
    return run[0].text if run and isinstance(run[0], FixedText) else ""


def _flat(pieces: Iterable[SayingPart]) -> Iterator[FixedText | ValuePlace]:
    for piece in pieces:
        if isinstance(piece, Either):
            for branch in piece.branches:
                yield from _flat(branch)
        else:
            yield piece


def ways_of(pieces: Iterable[SayingPart]) -> int:
    """In how many ways the choices of a line can come together."""
    return prod(sum(map(ways_of, piece.branches)) for piece in pieces if isinstance(piece, Either))


_Counted = FixedText | _Held | tuple[tuple["_Counted", ...], ...]


def _numbered(pieces: tuple[SayingPart, ...], counted: Iterator[int]) -> tuple[_Counted, ...]:
    """The pieces with each named place numbered."""
    found: list[_Counted] = []
    for piece in pieces:
        if isinstance(piece, ValuePlace):
            found.append(_Held(piece, next(counted) if piece.name else None))
        elif isinstance(piece, Either):
            found.append(tuple(_numbered(branch, counted) for branch in piece.branches))
        else:
            found.append(FixedText(re.sub(r"\s+", " ", piece.text)))
    return tuple(found)


def _flattened(pieces: tuple[_Counted, ...]) -> Iterator[tuple[FixedText | _Held, ...]]:
    """Each way in which choices come together, first those in which more is said."""
    choices: list[list[tuple[FixedText | _Held, ...]]] = [
        [(piece,)] if isinstance(piece, FixedText | _Held) else [way for branch in piece for way in _flattened(branch)]
        for piece in pieces
    ]
    for chosen in product(*choices):
        yield tuple(one for some in chosen for one in some)


def _way(flat: tuple[FixedText | _Held, ...]) -> _Way:
    runs: list[tuple[FixedText | _Held, ...]] = [()]
    open_: list[_Held] = []
    for piece in flat:
        if isinstance(piece, _Held) and piece.place.form in (Filling.FREE, Filling.LIST):
            open_.append(piece)
            runs.append(())
        elif isinstance(piece, FixedText) and runs[-1] and isinstance(runs[-1][-1], FixedText):
            runs[-1] = (*runs[-1][:-1], FixedText(runs[-1][-1].text + piece.text))
        elif not isinstance(piece, FixedText) or piece.text:
            runs[-1] = (*runs[-1], piece)
    if runs[0] and isinstance(runs[0][0], FixedText):
        runs[0] = (FixedText(runs[0][0].text.lstrip()), *runs[0][1:])
    if runs[-1] and isinstance(runs[-1][-1], FixedText):
        runs[-1] = (*runs[-1][:-1], FixedText(runs[-1][-1].text.rstrip()))
    return _Way(tuple(runs), tuple(open_))


def _read(way: _Way, text: str) -> dict[int, str] | None:
    """The values of a text by their numbers. Each run is looked for from where the one before it ended, and the first
    place where it fits is taken, as for a name with wild cards."""
    found: dict[int, str] = {}
    end = _fits(way.runs[0], text, 0, found)
    if end is None:
        return None
    for number, (place, run) in enumerate(zip(way.open, way.runs[1:], strict=True), 1):
        ends = number == len(way.open)
        least = end + (place.place.form is Filling.FREE)
        met = _next(run, text, least, found, ends=ends)
        if met is None:
            return None
        if place.at is not None:
            found[place.at] = text[end : met[0]]
        end = met[1]
    return found if end == len(text) else None


def _next(
    run: tuple[FixedText | _Held, ...], text: str, least: int, found: dict[int, str], *, ends: bool
) -> tuple[int, int] | None:
    """Where a run fits first, and where it ends there; the last one must end with the text."""
    if least > len(text):
        return None
    if not run:
        return (len(text), len(text)) if ends else (least, least)
    first = run[0]
    at = len(text) - len(first.text) if ends and len(run) == 1 and isinstance(first, FixedText) else least
    at = max(at, least)
    while True:
        if isinstance(first, FixedText):
            at = text.find(first.text, at)
        else:
            begins = (_DIGITS if first.place.form is Filling.DIGITS else _QUOTED).search(text, at)
            at = begins.start() if begins is not None else -1
        if at < 0:
            return None
        end = _fits(run, text, at, found)
        if end is not None and (not ends or end == len(text)):
            return at, end
        at += 1


def _fits(run: tuple[FixedText | _Held, ...], text: str, at: int, found: dict[int, str]) -> int | None:
    """Where a run ends that begins at a place; nothing when it does not stand there."""
    for piece in run:
        if isinstance(piece, FixedText):
            if not text.startswith(piece.text, at):
                return None
            at += len(piece.text)
            continue
        met = (_DIGITS if piece.place.form is Filling.DIGITS else _QUOTED).match(text, at)
        if met is None:
            return None
        if piece.at is not None:
            found[piece.at] = met[0]
        at = met.end()
    return at


def _said(pieces: Iterable[SayingPart], values: Iterator[str]) -> tuple[str, bool]:
    """Pieces with their values, and whether there is any value."""
    text, any_ = "", False
    for piece in pieces:
        if isinstance(piece, FixedText):
            text += piece.text
        elif isinstance(piece, ValuePlace):
            value = next(values, "").strip() if piece.name else ""
            quoted = piece.form is Filling.QUOTED and not value.startswith(('"', "'"))
            text += f'"{value}"' if quoted else value
            any_ = any_ or bool(value)
        else:
            told = [(*_said(branch, values), bool([*_places(branch)])) for branch in piece.branches]
            words = next((words for words, has, _ in told if has), None)
            if words is None and () not in piece.branches:
                words = next((words for words, _, named in told if not named), None)
            text += words or ""
            any_ = any_ or any(has for _, has, _ in told)
    return text, any_


def _places(pieces: Iterable[SayingPart]) -> Iterator[ValuePlace]:
    return (piece for piece in _flat(pieces) if isinstance(piece, ValuePlace) and piece.name)


# --- From templates to lines


class Repeat(NamedTuple):
    """A loop that a line is written in: the list that it goes through, and which loop it is."""

    source: str
    number: int


@dataclass
class WritableLine:
    """A line that a template can write, with the loops around it, the outermost first."""

    pieces: list[SayingPart] = field(default_factory=list)
    repeats: tuple[Repeat, ...] = ()
    shown: str = ""

    @property
    def indent(self) -> int:
        return len(self.shown) - len(self.shown.lstrip())

    @property
    def letters(self) -> int:
        """How many letters and digits of it are always the same."""
        return sum(c.isalnum() for piece in _flat(self.pieces) if isinstance(piece, FixedText) for c in piece.text)


def writable_lines(template: nodes.Template) -> list[WritableLine]:
    """The lines that a template can write. Raises `NotUnderstood` for one with too many choices."""
    return _Lines().of(template)


class _Lines:
    def __init__(self) -> None:
        self._lines: list[WritableLine] = []
        self._line = WritableLine()
        #: Where pieces are put: the line's, or those of a branch or list in it.
        self._into: list[SayingPart] = self._line.pieces
        self._repeats: tuple[Repeat, ...] = ()
        self._set: dict[str, nodes.Node] = {}
        self._loops: dict[str, str] = {}
        self._count = 0

    def of(self, template: nodes.Template) -> list[WritableLine]:
        self._visit_all(template.body)
        self._end()
        found = [line for line in self._lines if line.shown.strip()]
        for line in found:
            if ways_of(line.pieces) > MOST_WAYS:
                raise NotUnderstood(
                    f"the line {line.shown.strip()[:80]!r} has too many choices: write its parts as lines of their own"
                )
        return found

    def _end(self) -> None:
        self._lines.append(self._line)
        self._line = WritableLine(repeats=self._repeats)
        self._into = self._line.pieces

    def _visit_all(self, body: Iterable[nodes.Node]) -> None:
        for node in body:
            self._visit(node)

    def _visit(self, node: nodes.Node) -> None:
        if isinstance(node, nodes.Output):
            for one in node.nodes:
                if isinstance(one, nodes.TemplateData):
                    self._text(one.data)
                else:
                    self._value(one)
        elif isinstance(node, nodes.If):
            self._choice(node)
        elif isinstance(node, nodes.For):
            self._repeat(node)
        elif isinstance(node, nodes.Assign) and isinstance(node.target, nodes.Name):
            self._set[node.target.name] = node.node
        elif isinstance(node, nodes.Scope | nodes.With):
            self._visit_all(node.body)

    def _text(self, text: str) -> None:
        first, *more = text.split("\n")
        self._words(first)
        for rest in more:
            self._end()
            self._words(rest)

    def _begin(self) -> None:
        if not self._line.shown:
            self._line.repeats = self._repeats

    def _words(self, text: str) -> None:
        if text:
            self._begin()
            self._line.shown += text
            self._into.append(FixedText(text))

    def _value(self, node: nodes.Node) -> None:
        self._begin()
        if isinstance(node, nodes.Name) and node.name in self._set:
            self._value(self._set[node.name])
        elif isinstance(node, nodes.Concat):
            for one in node.nodes:
                self._value(one)
        elif isinstance(node, nodes.Const):
            self._words(str(node.value))
        elif isinstance(node, nodes.CondExpr) and isinstance(node.expr1, nodes.Const):
            words = [str(one.value) for one in (node.expr1, node.expr2) if isinstance(one, nodes.Const)]
            self._into.append(Either(tuple((FixedText(one),) if one else () for one in words)))
        else:
            name = self._name(node)
            self._line.shown += f"<{name}>"
            quoted = isinstance(node, nodes.Filter) and node.name == "quoted"
            form = Filling.DIGITS if name == NUMBER else Filling.QUOTED if quoted else Filling.FREE
            self._into.append(ValuePlace(name, form))

    def _name(self, node: nodes.Node | None) -> str:
        if isinstance(node, nodes.Name):
            if node.name in self._set:
                return self._name(self._set[node.name])
            return self._loops.get(node.name, node.name)
        if isinstance(node, nodes.Getattr | nodes.Getitem):
            within = self._name(node.node)
            if within == "loop":
                return NUMBER
            if isinstance(node, nodes.Getattr):
                return f"{within}.{node.attr}"
            if isinstance(node.arg, nodes.Const):
                return f"{within}.{node.arg.value}"
            return f"{within}[]"
        if isinstance(node, nodes.Filter):
            within = self._name(node.node)
            return within if node.name in _SAME else f"{within}|{node.name}"
        if isinstance(node, nodes.CondExpr):
            return self._name(node.expr1)
        return "?"

    def _choice(self, node: nodes.If) -> None:
        branches = [node.body, *(one.body for one in node.elif_), node.else_]
        if any(_breaks(branch) for branch in branches):
            for branch in branches:
                self._visit_all(branch)
            return
        self._begin()
        told = [tuple(self._aside(branch)) for branch in branches if branch]
        self._into.append(Either((*told, *([] if node.else_ else [()]))))

    def _aside(self, body: Iterable[nodes.Node]) -> list[SayingPart]:
        """The pieces of something in a line."""
        outer, self._into = self._into, []
        self._visit_all(body)
        held, self._into = self._into, outer
        return held

    def _repeat(self, node: nodes.For) -> None:
        source = self._name(node.iter) if not isinstance(node.iter, nodes.Tuple | nodes.List) else "const"
        targets = [node.target] if isinstance(node.target, nodes.Name) else [*node.target.find_all(nodes.Name)]
        before = dict(self._loops)
        self._loops |= {target.name: f"{source}[]" for target in targets}
        if _breaks(node.body):
            self._count += 1
            outer, self._repeats = self._repeats, (*self._repeats, Repeat(source.partition("[]")[0], self._count))
            self._visit_all(node.body)
            self._repeats = outer
        else:
            self._begin()
            self._into += _list_of(self._aside(node.body))
        self._loops = before
        self._visit_all(node.else_)


def _list_of(body: list[SayingPart]) -> list[SayingPart]:
    """What is repeated in a line: one value when each member is one, else something that is passed over."""
    names = [piece.name for piece in _places(body)]
    between = tuple(dict.fromkeys(piece.text for piece in _flat(body) if isinstance(piece, FixedText) and piece.text))
    held = ValuePlace(names[0] if len(names) == 1 and between else "", Filling.LIST, between)
    first = body[0] if body else None
    return [Either(((first, held), ()))] if isinstance(first, FixedText) else [held]


def _breaks(body: Iterable[nodes.Node]) -> bool:
    """Whether something written in it ends a line."""
    return any(
        "\n" in data.data
        for node in body
        for data in ([node] if isinstance(node, nodes.TemplateData) else node.find_all(nodes.TemplateData))
    )
