"""The text by which a box is told what is planned, written by the templates of its hardware type."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from jinja2 import Template

from octaplan.core.config.template import TemplateFault, read, write
from octaplan.core.config.view import CLOSES, NUMBERED, OPENS, BoxView, Leaf, between_quotes
from octaplan.core.plan.hardware import HardwareType, WriteOut, WritePart
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.oneline import odd_character

_MARK = re.compile(f"{OPENS}(\\d+){NUMBERED}([^{CLOSES}]*){CLOSES}")


class NotWritten(RefusedError):
    """A write-out that could not be written: of which part, and at which line of its template (0: of no one line)."""

    def __init__(self, message: str, part: WritePart | None = None, line: int = 0) -> None:
        at = f", line {line}" if line else ""
        where = f"The template of {part}{at}: " if part is not None else ""
        super().__init__(f"{where}{message}")
        self.part, self.line = part, line


@dataclass(frozen=True, slots=True)
class ToldPiece:
    """Some text of a line. `leaf` is the value that it comes from; nothing of the template's own words."""

    text: str
    leaf: Leaf | None = None

    @property
    def secret(self) -> str:
        """The place in the safe, of a secret."""
        return str(self.leaf.value) if self.leaf is not None and self.leaf.secret else ""

    @property
    def open(self) -> bool:
        """Whether it stands for a value that the plan does not hold yet."""
        return self.leaf is not None and self.leaf.value is None

    @property
    def shown(self) -> str:
        """As it is shown to everybody: marks stand for secrets and for what is open."""
        if self.secret:
            return f"<<{self.secret}>>"
        return f"<<? {self.leaf.what}>>" if self.open and self.leaf is not None else self.text


@dataclass(frozen=True, slots=True)
class ToldLine:
    """One line of text."""

    part: WritePart
    pieces: tuple[ToldPiece, ...]

    @property
    def text(self) -> str:
        return "".join(piece.shown for piece in self.pieces)

    def with_secrets(self, secret: Callable[[str], str]) -> str:
        """As the box is told it: `secret` gives the text of a place in the safe."""
        return "".join(
            _quoted(piece.leaf, secret(piece.secret)) if piece.secret and piece.leaf is not None else piece.text
            for piece in self.pieces
        )

    @property
    def leaves(self) -> list[Leaf]:
        return [piece.leaf for piece in self.pieces if piece.leaf is not None]


def _quoted(leaf: Leaf, secret: str) -> str:
    return between_quotes(secret, *leaf.quotes) if leaf.quotes is not None else secret


@dataclass(frozen=True, slots=True)
class Written:
    """A write-out: its lines, and the planned values that no line tells."""

    lines: tuple[ToldLine, ...]
    planned: int
    left_out: tuple[Leaf, ...]
    open: tuple[Leaf, ...]

    @property
    def text(self) -> str:
        """All of it, with marks for secrets."""
        return "".join(f"{line.text}\n" for line in self.lines)


@lru_cache(maxsize=512)
def _read(source: str) -> Template:
    return read(source)


def check_templates(one: WriteOut) -> None:
    """Raise `NotWritten` at the first template that cannot be read."""
    for part, source in one.parts.items():
        try:
            _read(source)
        except TemplateFault as fault:
            raise NotWritten(str(fault), part, fault.line) from None


def write_out(
    plan: SitePlan,
    key: str,
    kind: HardwareType,
    organisation: Organisation = UNDECIDED,
    *,
    using: WriteOut | None = None,
) -> Written:
    """The write-out of a box, by the templates of its type or by those that are tried.

    Raises `NotWritten` when the type has none, or a template fails. One that repeats without end is not stopped here:
    what serves several people has it done by a child process (`octaplan.worker`).
    """
    one = using or kind.write_out
    if one is None or not one.parts:
        raise NotWritten(f"{kind.title} has no write-out yet: write one on Hardware, or take it in a neutral form")
    view = BoxView(plan, key, kind, organisation)
    lines: list[ToldLine] = []
    for part in WritePart:
        source = one.parts.get(part, "")
        if source.strip():
            try:
                text = write(_read(source), view.names)
            except TemplateFault as fault:
                raise NotWritten(str(fault), part, fault.line) from None
            lines += _lines(part, text, view)
    told = {place for line in lines for leaf in line.leaves for place in leaf.tells} | view.book.decided
    own = _declared(one)
    planned = [leaf for leaf in view.planned if not own(leaf.name)]
    unknown = {leaf.tells: leaf for line in lines for leaf in line.leaves if leaf.value is None}
    left_out = tuple(leaf for leaf in planned if not told.issuperset(leaf.tells))
    return Written(tuple(lines), len(planned), left_out, tuple(unknown.values()))


def _declared(one: WriteOut) -> Callable[[str], bool]:
    """Whether a type says of a value that it takes it by other ways."""
    names = tuple(one.not_written)
    return lambda name: any(name == other or name.startswith(f"{other}.") for other in names)


def _lines(part: WritePart, text: str, view: BoxView) -> Iterator[ToldLine]:
    pieces: list[ToldPiece] = []
    for piece in _pieces(text, view.book.order):
        odd = odd_character(piece.text) if piece.leaf is not None else ""
        if piece.leaf is not None and odd:
            raise NotWritten(
                f"{piece.leaf.what} holds {odd}, by which a box would take what follows for a line of its own: write "
                "it in one line",
                part,
            )
        first, *more = piece.text.split("\n")
        if first or piece.leaf is not None:
            pieces.append(ToldPiece(first, piece.leaf))
        for rest in more:
            yield from _line(part, pieces)
            pieces = [ToldPiece(rest, piece.leaf)] if rest else []
    yield from _line(part, pieces)


def _line(part: WritePart, pieces: list[ToldPiece]) -> Iterator[ToldLine]:
    if pieces and pieces[-1].leaf is None:
        pieces = [*pieces[:-1], ToldPiece(pieces[-1].text.rstrip())]
    if any(piece.text.strip() or piece.leaf is not None for piece in pieces):
        yield ToldLine(part, tuple(piece for piece in pieces if piece.text or piece.leaf is not None))


def _pieces(text: str, order: list[Leaf]) -> Iterator[ToldPiece]:
    at = 0
    for mark in _MARK.finditer(text):
        if mark.start() > at:
            yield ToldPiece(text[at : mark.start()])
        leaf = order[int(mark[1])]
        yield ToldPiece("" if leaf.secret else mark[2], leaf)
        at = mark.end()
    if at < len(text):
        yield ToldPiece(text[at:])


def named_in_view(value: Any, name: str = "") -> Iterator[tuple[str, str, str]]:
    """What each name of a view holds, for whoever writes a template: name, what it is, and the value."""
    if isinstance(value, Leaf):
        shown = f"<<{value.value}>>" if value.secret else "" if value.value is None else str(value.value)
        yield name, value.what, shown
    elif isinstance(value, bool):
        yield name, "yes or no", "yes" if value else "no"
    elif isinstance(value, list):
        for one in value:
            yield from named_in_view(one, f"{name}[]")
    elif value is not None:
        for member, one in value.items():
            yield from named_in_view(one, f"{name}.{member}" if name else member)
