"""The language of a write-out, read the other way round: from text back to named values.

A write-out's templates say how a box is told its settings. Here the same templates become a grammar: each line that
they can write is a shape, and what stands in it for a value has the name by which the template calls it. A stand-in
understands by it whatever its type's write-out can say, and nothing else.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from jinja2.exceptions import TemplateSyntaxError

from octaplan.core.config.sayings import (
    NUMBER,
    FixedText,
    NotUnderstood,
    Repeat,
    Shape,
    WritableLine,
    single_spaced,
    writable_lines,
)
from octaplan.core.config.template import parsed
from octaplan.core.plan.hardware import WriteOut, WritePart


@dataclass(frozen=True, slots=True)
class Saying:
    """One line that templates can write: its shape, and `above` the line it stands in.

    `source` is the list that it is repeated by, such as `segments`; `key` says which of its values tell what it is
    about, or nothing when the whole line does; `entry` is the value that names the entry of the list.
    """

    number: int
    part: WritePart
    shape: Shape
    letters: int
    shown: str
    above: int | None
    heads: bool
    source: str
    key: tuple[int, ...] | None
    entry: int | None
    indent: int

    @property
    def names(self) -> tuple[str, ...]:
        return self.shape.names

    @property
    def fixed(self) -> int:
        """So many characters of it are always the same."""
        return sum(len(piece.text) for piece in self.shape.flat if isinstance(piece, FixedText))


@dataclass
class Told:
    """A line as it was told, with its values, and the lines in it by what each is about."""

    saying: Saying
    text: str
    values: tuple[str, ...]
    inside: dict[tuple[str, ...], Told] = field(default_factory=dict)
    closed: str = ""

    @property
    def named(self) -> list[tuple[str, str]]:
        """The values by their names, the members of a list one by one."""
        found = []
        for place, value in zip(self.saying.shape.places, self.values, strict=True):
            parts = [value]
            for words in place.between:
                parts = [one for part in parts for one in part.split(words)]
            found += [(place.name, part) for part in parts if part.strip() or not place.between]
        return found

    @property
    def entry(self) -> str:
        """The value that names the entry of its list; empty when the line does not."""
        at = self.saying.entry
        return self.values[at] if at is not None else ""

    @property
    def about(self) -> tuple[str, ...]:
        """What a later line says anew, if it says it: the saying, and which entry of a list it is about."""
        key = self.saying.key
        told = [self.text.strip()] if key is None else [self.values[at] for at in key]
        return (str(self.saying.number), *told)

    def lines(self) -> Iterator[str]:
        """It and all in it, as a box prints it."""
        yield self.text
        for one in self.inside.values():
            yield from one.lines()
        if self.closed:
            yield self.closed

    def copy(self) -> Told:
        return Told(
            self.saying, self.text, self.values, {key: one.copy() for key, one in self.inside.items()}, self.closed
        )


class Grammar:
    """The sayings of a write-out."""

    def __init__(self, one: WriteOut) -> None:
        self.comment = one.comment
        self.sayings: list[Saying] = []
        #: What closes what a saying opens, by its number.
        self.closers: dict[int, str] = {}
        for part in WritePart:
            if part in one.parts:
                self._add(part, one.parts[part])
        self._by_place: dict[int | None, list[Saying]] = {}
        for saying in sorted(self.sayings, key=lambda each: (-each.letters, -each.fixed, each.number)):
            self._by_place.setdefault(saying.above, []).append(saying)

    def _add(self, part: WritePart, source: str) -> None:
        lines = writable_lines(parsed(source))
        shapes = [Shape(tuple(line.pieces)) for line in lines]
        keys = _key_names(lines, shapes)
        stack: list[tuple[int, int, tuple[Repeat, ...]]] = []
        for place, (line, shape) in enumerate(zip(lines, shapes, strict=True)):
            bare = line.shown.strip()
            if not any(c.isalnum() for c in bare) and not shape.names:
                while stack and stack[-1][0] > line.indent:
                    stack.pop()
                if stack and stack[-1][0] == line.indent:
                    self.closers[stack.pop()[1]] = bare
                continue
            while stack and stack[-1][0] >= line.indent:
                stack.pop()
            number = len(self.sayings)
            follows = next((one for one in lines[place + 1 :] if one.shown.strip()), None)
            heads = follows is not None and follows.indent > line.indent
            outer = line.repeats[0].source if line.repeats else ""
            inner = line.repeats[-1] if line.repeats else None
            within = bool(stack) and inner is not None and inner in stack[-1][2]
            alone = inner is not None and sum(inner in one.repeats for one in lines) == 1
            self.sayings.append(
                Saying(
                    number,
                    part,
                    shape,
                    line.letters,
                    bare,
                    stack[-1][1] if stack else None,
                    heads,
                    outer,
                    _key(shape.names, line.repeats, keys.get(outer, ""), alone=alone, within=within),
                    _entry(shape.names, outer, keys.get(outer, "")),
                    line.indent,
                )
            )
            if heads:
                stack.append((line.indent, number, line.repeats))

    def read(self, line: str, above: list[Told]) -> tuple[Told, list[Told]]:
        """A line as it is understood after the lines that are still open, and those that are open after it.

        Raises `NotUnderstood`.
        """
        bare = line.strip()
        single = single_spaced(line)
        for depth in range(len(above), -1, -1):
            for saying in self._by_place.get(above[depth - 1].saying.number if depth else None, ()):
                values = saying.shape.read(single)
                if values is not None:
                    closed = " " * saying.indent + self.closers[saying.number] if saying.number in self.closers else ""
                    told = Told(saying, " " * saying.indent + bare, values, closed=closed)
                    return told, [*above[:depth], *([told] if saying.heads else [])]
        raise NotUnderstood(bare[:200])

    def passes_over(self, line: str) -> bool:
        """Whether a line says nothing: blank, or a comment."""
        bare = line.strip()
        return not bare or bool(self.comment and bare.startswith(self.comment))


def _key_names(lines: Iterable[WritableLine], shapes: Iterable[Shape]) -> dict[str, str]:
    """By list, the name of the value that names its entries: the one that most of its lines have."""
    counted: dict[str, Counter[str]] = {}
    for line, shape in zip(lines, shapes, strict=True):
        if line.repeats:
            counted.setdefault(line.repeats[0].source, Counter()).update(dict.fromkeys(shape.names, 1))
    return {source: names.most_common(1)[0][0] for source, names in counted.items() if names}


def _key(
    names: tuple[str, ...], repeats: tuple[Repeat, ...], named: str, *, alone: bool, within: bool
) -> tuple[int, ...] | None:
    """Which values of a line tell what it is about; nothing when only the whole of it does.

    `alone` says that its list has this one line, so that each line is an entry of its own; `within` that its entry is
    named by a line above it.
    """
    if any(name.startswith("secrets") for name in names):
        return tuple(at for at, name in enumerate(names) if not name.startswith("secrets"))
    numbers = {at for at, name in enumerate(names) if name == NUMBER}
    own = {names.index(named)} if named in names else set[int]()
    if alone:
        return tuple(sorted(numbers | own)) if numbers and len(numbers | own) >= len(repeats) else None
    return tuple(sorted(numbers if within or not repeats else numbers | own))


def _entry(names: tuple[str, ...], source: str, named: str) -> int | None:
    """Which value of a line names the entry of the list that it is in."""
    if not source:
        return None
    for name in (named, NUMBER):
        if name in names:
            return names.index(name)
    return next((at for at, name in enumerate(names) if name.startswith(f"{source}[]")), None)


class ToldSettings:
    """What a box has been told: lines in the order in which each was first said, the newest of each kind."""

    def __init__(self, grammar: Grammar) -> None:
        self.grammar = grammar
        self.told: dict[tuple[str, ...], Told] = {}
        #: The entries of each list, until something else is told.
        self._entries: dict[str, dict[str, dict[str, list[str]]]] | None = None

    def copy(self) -> ToldSettings:
        found = ToldSettings(self.grammar)
        found.told = {key: one.copy() for key, one in self.told.items()}
        return found

    def say(self, line: str, above: list[Told]) -> tuple[Told | None, list[Told]]:
        """Take a line in; what was told, and the lines that are open after it. Raises `NotUnderstood`."""
        if self.grammar.passes_over(line):
            return None, above
        if above and line.strip() == self.grammar.closers.get(above[-1].saying.number):
            return None, above[:-1]
        told, opened = self.grammar.read(line, above)
        self._entries = None
        holder = opened[-2].inside if told.saying.heads and len(opened) > 1 else self.told
        if not told.saying.heads and opened:
            holder = opened[-1].inside
        known = holder.get(told.about)
        if known is not None:  # said anew: it keeps its place, and what was said in it
            known.text, known.values = told.text, told.values
            opened = [known if one is told else one for one in opened]
            return known, opened
        holder[told.about] = told
        return told, opened

    def lines(self) -> list[str]:
        """All of it, as a box prints it."""
        return [line for one in self.told.values() for line in one.lines()]

    def remove(self, line: str) -> bool:
        """Take away what a line says; whether it was there."""
        bare = line.strip()
        self._entries = None

        def drop(held: dict[tuple[str, ...], Told]) -> bool:
            for key, one in held.items():
                if one.text.strip() == bare:
                    del held[key]
                    return True
                if drop(one.inside):
                    return True
            return False

        return drop(self.told)

    def all(self) -> Iterator[Told]:
        """Every line that was told, and those in it."""

        def within(held: dict[tuple[str, ...], Told]) -> Iterator[Told]:
            for one in held.values():
                yield one
                yield from within(one.inside)

        yield from within(self.told)

    def values(self) -> Iterator[tuple[str, str, str, str]]:
        """Every value: the list it is of, which entry, its name in the entry, and its text without quotes."""
        for one in self.told.values():
            yield from values_of(one)

    def entries(self, source: str) -> dict[str, dict[str, list[str]]]:
        """The entries of a list such as `segments`, each with its values by name; of `` what is in no list."""
        if self._entries is None:
            found: dict[str, dict[str, dict[str, list[str]]]] = {}
            for of, entry, name, value in self.values():
                found.setdefault(of, {}).setdefault(entry, {}).setdefault(name, []).append(value)
            self._entries = found
        return {entry: dict(values) for entry, values in self._entries.get(source, {}).items()}


def values_of(one: Told, above: tuple[Told, ...] = ()) -> Iterator[tuple[str, str, str, str]]:
    """The values of a line and of those in it: list, entry, name, text; `above` are the lines that it stands in."""
    source = one.saying.source
    path = f"{source}[]"
    entry = next((told.entry for told in (*above, one) if source and told.saying.source == source and told.entry), "")
    for name, value in one.named:
        if name.startswith("secrets[]"):
            names = [other for each, other in one.named if each == "const[]"]
            yield "secrets", (names[0] if names else name), "secret", unquoted(value)
        elif name.startswith("secrets."):
            yield "secrets", name.removeprefix("secrets."), "secret", unquoted(value)
        elif name != NUMBER:
            yield source, unquoted(entry), name.removeprefix(f"{path}."), unquoted(value)
    for inside in one.inside.values():
        yield from values_of(inside, (*above, one))


def unquoted(text: str) -> str:
    """A value as it is, where it stands between quotes."""
    if len(text) > 1 and text[0] == text[-1] and text[0] in "\"'":
        return re.sub(r"\\(.)", r"\1", text[1:-1])
    return text


def grammar_of(one: WriteOut) -> Grammar:
    """The grammar of a write-out. Raises `NotUnderstood` when a template cannot be read."""
    try:
        return Grammar(one)
    except (TemplateSyntaxError, NotUnderstood, RecursionError) as error:
        raise NotUnderstood(f"The language of this type cannot be read: {error}") from None
