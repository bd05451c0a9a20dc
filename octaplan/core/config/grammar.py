"""The language of a write-out, read the other way round: from text back to named values.

A write-out's templates say how a box is told its settings. Here the same templates become a grammar: each line that
they can write is a pattern, and what stands in it for a value has the name by which the template calls it. A stand-in
understands by it whatever its type's write-out can say, and nothing else.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from jinja2 import nodes
from jinja2.exceptions import TemplateSyntaxError

from octaplan.core.config.template import parsed
from octaplan.core.plan.hardware import WriteOut, WritePart
from octaplan.core.values.errors import OctaplanError

#: What a place for a number in a list is called.
NUMBER = "#"
#: Filters that change how a value is written, and not what it says.
_SAME = frozenset({"quoted", "upper", "lower", "replace", "dashed", "default", "join", "mac"})


class NotUnderstood(OctaplanError):
    """A line that is not in the language, or stands where it cannot."""


class SayingPiece(NamedTuple):
    """A piece of a saying: words, or the name of a value, between quotes or not. Those of one `group` but 0 may be left
    out together."""

    words: str
    name: str = ""
    quoted: bool = False
    group: int = 0


@dataclass(frozen=True, slots=True)
class Saying:
    """One line that templates can write: `names` are those of its values in order, `above` the line it stands in.

    `source` is the list that it is repeated by, such as `segments`; `alone` says that the list has this one line, so
    that each line is an entry of its own; `within` that its entry is named by a line above it.
    """

    number: int
    part: WritePart
    pattern: re.Pattern[str]
    names: tuple[str, ...]
    words: int
    shown: str
    above: int | None
    heads: bool
    source: str
    alone: bool
    within: bool
    indent: int
    pieces: tuple[SayingPiece, ...] = ()
    #: What stands between the members of a list that the line holds, by the name of its value.
    between: dict[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def fixed(self) -> int:
        """So many characters of it are always the same."""
        return sum(len(piece.words) for piece in self.pieces)

    def said(self, values: Iterable[str]) -> str:
        """It with its values filled in, in order: a group without any is left out, what needs quotes is given them."""
        filled = iter(values)
        texts = [(piece, next(filled, "").strip() if piece.name else piece.words) for piece in self.pieces]
        used = {piece.group for piece, text in texts if piece.name and text}
        return "".join(
            f'"{text}"' if piece.quoted and not text.startswith(('"', "'")) else text
            for piece, text in texts
            if piece.group == 0 or piece.group in used
        ).strip()


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
        for name, value in zip(self.saying.names, self.values, strict=True):
            between = self.saying.between.get(name, ())
            parts = re.split("|".join(map(re.escape, between)), value) if between else [value]
            found += [(name, part) for part in parts if part.strip() or not between]
        return found

    @property
    def about(self) -> tuple[str, ...]:
        """What a later line says anew, if it says it: the saying, and which entry of a list it is about."""
        one = self.saying
        values = zip(one.names, self.values, strict=True)
        plain = [value for name, value in values if not name.startswith("secrets")]
        if NUMBER in one.names:
            plain = plain[: len(one.names) - one.names[::-1].index(NUMBER)]
        elif one.alone and len(plain) == len(self.values):
            plain = [self.text.strip()]
        elif not one.alone:
            plain = [] if one.within or not one.source else plain[:1]
        return (str(one.number), *plain)

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
        for saying in sorted(self.sayings, key=lambda each: (-each.words, -each.fixed, each.number)):
            self._by_place.setdefault(saying.above, []).append(saying)

    def _add(self, part: WritePart, source: str) -> None:
        lines = _Lines().of(parsed(source))
        stack: list[tuple[int, int, tuple[_For, ...]]] = []
        for place, line in enumerate(lines):
            bare = line.shown.strip()
            if not any(c.isalnum() for c in bare) and not line.names:
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
            outer = line.repeats[0] if line.repeats else None
            inner = line.repeats[-1] if line.repeats else None
            within = bool(stack) and inner is not None and inner in stack[-1][2]
            self.sayings.append(
                Saying(
                    number,
                    part,
                    re.compile(line.regex.removeprefix(r"\s+").removesuffix(r"\s+")),
                    tuple(line.names),
                    sum(c.isalnum() for c in line.literal),
                    bare,
                    stack[-1][1] if stack else None,
                    heads,
                    outer.source if outer is not None else "",
                    inner is not None and sum(inner in one.repeats for one in lines) == 1,
                    within,
                    line.indent,
                    tuple(line.pieces),
                    dict(line.between),
                )
            )
            if heads:
                stack.append((line.indent, number, line.repeats))

    def read(self, line: str, above: list[Told]) -> tuple[Told, list[Told]]:
        """A line as it is understood after the lines that are still open, and those that are open after it.

        Raises `NotUnderstood`.
        """
        bare = line.strip()
        for depth in range(len(above), -1, -1):
            for saying in self._by_place.get(above[depth - 1].saying.number if depth else None, ()):
                met = saying.pattern.fullmatch(bare)
                if met is not None:
                    values = tuple((value or "").strip() for value in met.groups())
                    closed = " " * saying.indent + self.closers[saying.number] if saying.number in self.closers else ""
                    told = Told(saying, " " * saying.indent + bare, values, closed=closed)
                    return told, [*above[:depth], *([told] if saying.heads else [])]
        raise NotUnderstood(bare[:200])

    def passes_over(self, line: str) -> bool:
        """Whether a line says nothing: blank, or a comment."""
        bare = line.strip()
        return not bare or bool(self.comment and bare.startswith(self.comment))


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
    entry = ""
    if source:
        named = [pair for told in (*above, one) if told.saying.source == source for pair in told.named]
        entry = next((value for name, value in named if name == NUMBER or name.startswith(path)), "")
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


# --- From templates to sayings


@dataclass(frozen=True)
class _For:
    source: str
    place: int


@dataclass
class _Writable:
    regex: str = ""
    literal: str = ""
    shown: str = ""
    names: list[str] = field(default_factory=list)
    pieces: list[SayingPiece] = field(default_factory=list)
    between: dict[str, tuple[str, ...]] = field(default_factory=dict)
    repeats: tuple[_For, ...] = ()

    @property
    def indent(self) -> int:
        return len(self.shown) - len(self.shown.lstrip())


class _Lines:
    """The lines that a template can write."""

    def __init__(self) -> None:
        self._lines: list[_Writable] = []
        self._line = _Writable()
        self._fors: tuple[_For, ...] = ()
        self._set: dict[str, nodes.Node] = {}
        self._loops: dict[str, str] = {}
        self._count = self._groups = self._group = 0

    def of(self, template: nodes.Template) -> list[_Writable]:
        self._visit_all(template.body)
        self._end()
        return [line for line in self._lines if line.shown.strip()]

    def _end(self) -> None:
        self._lines.append(self._line)
        self._line = _Writable(repeats=self._fors)

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
        self._literal(first)
        for rest in more:
            self._end()
            self._literal(rest)

    def _literal(self, text: str) -> None:
        if not text:
            return
        if not self._line.shown:
            self._line.repeats = self._fors
        self._line.shown += text
        self._line.literal += text
        self._line.pieces.append(SayingPiece(text, group=self._group))
        self._line.regex += r"\s+".join(map(re.escape, re.split(r"\s+", text)))

    def _value(self, node: nodes.Node) -> None:
        if not self._line.shown:
            self._line.repeats = self._fors
        if isinstance(node, nodes.Name) and node.name in self._set:
            self._value(self._set[node.name])
        elif isinstance(node, nodes.Concat):
            for one in node.nodes:
                self._value(one)
        elif isinstance(node, nodes.Const):
            self._literal(str(node.value))
        elif isinstance(node, nodes.CondExpr) and isinstance(node.expr1, nodes.Const):
            words = [str(one.value) for one in (node.expr1, node.expr2) if isinstance(one, nodes.Const)]
            self._line.regex += f"(?:{'|'.join(re.escape(one) for one in sorted(words, key=len, reverse=True))})"
            self._line.pieces += [SayingPiece(one, group=-1) for one in words if one]
        else:
            name = self._name(node)
            self._line.names.append(name)
            self._line.shown += f"<{name}>"
            quoted = isinstance(node, nodes.Filter) and node.name == "quoted"
            self._line.pieces.append(SayingPiece("", name, quoted, self._group))
            self._line.regex += {NUMBER: r"(\d+)"}.get(
                name, r"(\"(?:[^\"\\]|\\.)*\"|'[^']*'|<<[^>]*>>)" if quoted else "(.+?)"
            )

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
        if not self._line.shown:
            self._line.repeats = self._fors
        self._line.regex += "(?:"
        for place, branch in enumerate([*filter(None, branches)]):
            self._line.regex += "|" * bool(place)
            outer, self._groups = self._group, self._groups + 1
            self._group = self._groups
            self._visit_all(branch)
            self._group = outer
        self._line.regex += ")" if node.else_ else ")?"

    def _repeat(self, node: nodes.For) -> None:
        source = self._name(node.iter) if not isinstance(node.iter, nodes.Tuple | nodes.List) else "const"
        targets = [node.target] if isinstance(node.target, nodes.Name) else [*node.target.find_all(nodes.Name)]
        before = dict(self._loops)
        self._loops |= {target.name: f"{source}[]" for target in targets}
        if _breaks(node.body):
            self._count += 1
            outer, self._fors = self._fors, (*self._fors, _For(source.partition("[]")[0], self._count))
            self._visit_all(node.body)
            self._fors = outer
        else:
            begin = len(self._line.regex)
            self._line.regex += "(?:"
            names, pieces = len(self._line.names), len(self._line.pieces)
            self._visit_all(node.body)
            held, between = self._line.names[names:], [one.words for one in self._line.pieces[pieces:] if one.words]
            del self._line.names[names:], self._line.pieces[pieces:]
            body = re.sub(r"\((?!\?)", "(?:", self._line.regex[begin:])
            self._line.regex = f"{self._line.regex[:begin]}{body})*"
            if len(held) == 1 and between:  # a list in one line, which is one value of it
                self._line.regex = f"{self._line.regex[:begin]}({body})*)"
                self._line.names += held
                self._line.pieces.append(SayingPiece("", held[0], group=self._group))
                self._line.between[held[0]] = tuple(dict.fromkeys(between))
        self._loops = before
        self._visit_all(node.else_)


def _breaks(body: Iterable[nodes.Node]) -> bool:
    """Whether something written in it ends a line."""
    return any(
        "\n" in data.data
        for node in body
        for data in ([node] if isinstance(node, nodes.TemplateData) else node.find_all(nodes.TemplateData))
    )


def grammar_of(one: WriteOut) -> Grammar:
    """The grammar of a write-out. Raises `NotUnderstood` when a template cannot be read."""
    try:
        return Grammar(one)
    except (TemplateSyntaxError, re.error, RecursionError) as error:
        raise NotUnderstood(f"The language of this type cannot be read: {error}") from None
