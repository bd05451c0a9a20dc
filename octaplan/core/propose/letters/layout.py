"""How a letter is laid out: tables, lists, labels above or before their values, headings; made rows.

A row has a label and a value, or is a sentence. Whatever the layout was, the readers of values see `label: value`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import Enum
from itertools import pairwise
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.text import PlacedText, Prepared, concatenated, folded, signature
from octaplan.core.propose.letters.words import LetterTopic, labels, words_in
from octaplan.core.values.lazy import lazy


class RowMark(Enum):
    """What stands above a row, or in the head of its column."""

    FIRST = "the first of two lines"
    SECOND = "the second of two lines"
    OTHER = "another service"
    INSIDE = "the inside"
    OLD = "as it was"
    NEW = "as it will be"
    COVER = "before what was forwarded"
    SIGNED = "a signature"
    QUOTED = "quoted by an answer"


class LetterRow(NamedTuple):
    """One thing said. Without a label it is a sentence, or several; `told` whether the label is one that is known."""

    label: PlacedText
    value: PlacedText
    marks: frozenset[RowMark] = frozenset()
    told: bool = True


_Cells = list[tuple[int, PlacedText]]


@dataclass(frozen=True)
class _RawLine:
    indent: int
    text: PlacedText

    @property
    def chars(self) -> str:
        return self.text.chars

    @lazy
    def is_label(self) -> bool:
        """Whether it holds nothing but the name of something that a letter tells."""
        return _is_label(self.chars.rstrip())

    def cells(self, sign: str) -> _Cells:
        """Its cells where a sign parts them, each with the column it begins in."""
        if sign not in self._cut:
            self._cut[sign] = _split_at(self, sign)
        return self._cut[sign]

    @lazy
    def _cut(self) -> dict[str, _Cells]:
        return {}


_EMPTY = PlacedText("", ())
_BREAK = LetterRow(_EMPTY, _EMPTY)
_BULLET = re.compile(r"(?:[-*+>]\s+|\(?\d{1,2}[.)]\s+(?=\D))(?=\S)")
_LETTERED = re.compile(r"\(?([ABab12])[).]\s+(?=\S)")
_LINE_SAID = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}|pppoe|dhcp|static", re.IGNORECASE)
_LEADERS = re.compile(r"\s*(?:(?:\.\s?){3,}|(?:_\s?){3,}|-{3,}>?)\s*:?\s*")
_KEY = re.compile(r"\"?(?<![\w.-])([A-Za-z][\w.-]{0,30})\"?\s*=>?\s*(?=[\"'\w+(])")
_PAGE = re.compile(
    r"\s*(?:(?:page|seite|pagina|pagina|strona)\s*\d+\s*(?:(?:of|von|de|di|van|z|/)\s*\d+)?|-\s*\d{1,2}\s*-)\s*$"
    r"|^(?:page|seite|pagina|strona)\s+\d+\s+(?:of|von|de|di|van|z)\s+\d+\b.*$",
    re.IGNORECASE,
)
_RULE = re.compile(r"^[\s|:+=_*-]+$")
_WIDE = re.compile(r"\s{2,}|\t")
_PAIR = re.compile(r"^([^:]{1,60}?)\s*:(?!//)(?:\s+|(?=\S))(.*)$")
_MORE_PAIRS = re.compile(r"(?:\s{2,}|\s*[;|]\s*)(?=[A-Za-z][\w /.-]{0,30}\s*:\s)")
#: Where a sentence ends before what looks like a label, and no short form such as `Max. MTU`.
_ENDS = re.compile(
    r"\b(?!(?:max|min|ref|def|tel|cust|rif|réf|prim|sec|nr|no|serv|num)\.)\w{2,}[.!?] +(?-i:[A-Z])", re.IGNORECASE
)
_CLOCK = re.compile(r"(?:^|\D)\d{1,2}$")
_VALUE = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}|@|[0-9a-fA-F]{1,4}::|(?:[0-9a-fA-F]{1,4}:){3}")
_ADDRESS_LINE = re.compile(
    r"[\s\d./:a-fA-F,;&+-]*(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F]{1,4}:[0-9a-fA-F:]*:)[\s\d./:a-fA-F,;&+-]*"
)
_CONNECTS = re.compile(
    r"(?:[,(/&-]|\b(?:the|a|an|our|your|is|are|at|on|and|or|to|of|for|with|through|de|la|le|el|les|et|y|e|i"
    r"|en|und|der|die|das|bis|au|al|fino|do|tot|a|van|het|il|con|mit|mask|netmask|gateway|router))$",
    re.IGNORECASE,
)
_SENTENCE = re.compile(r"[.!?]\s|[.!?]$|,\s+\w+\s+\w+\s")

#: Topics whose value is a number right behind the word: `VLAN 24` says all.
_NUMBERED = frozenset(
    {
        LetterTopic.VLAN,
        LetterTopic.MTU,
        LetterTopic.NUMBER,
        LetterTopic.CIRCUIT,
        LetterTopic.ORDER,
        LetterTopic.CONTRACT,
        LetterTopic.SPEED,
    }
)

#: Heads of columns that only say that values stand below.
_VALUE_HEADS = frozenset(
    {"value", "wert", "valeur", "valor", "waarde", "valore", "wartosc", "setting", "data", "daten", "your value"}
)


def rows_of(letter: Prepared) -> list[LetterRow]:
    """The rows of a letter, in their order; what broken lines tore apart is one row."""
    lines = list(_bracketed(list(_lines(letter.text))))
    if letter.broken:
        lines = _mended(lines)
    end = signature(letter.text.chars)
    rows = list(_merged(list(_rows(_counted(lines)))))
    rows = list(_quoted(rows, letter))
    return [_around(row, letter, end) for row in rows]


def _quoted(rows: Sequence[LetterRow], letter: Prepared) -> Iterator[LetterRow]:
    """Rows, where an answer says some of it and quotes the rest, with the rest marked."""
    starts = sorted(letter.quoted)
    own = [row for row in rows if not _is_quoted(row, starts)]
    answers = any(_VALUE.search(row.value.chars) for row in own) and 0 < len(own) < len(rows)
    for row in rows:
        yield row._replace(marks=row.marks | {RowMark.QUOTED}) if answers and _is_quoted(row, starts) else row


def _is_quoted(row: LetterRow, starts: Sequence[int]) -> bool:
    origin = (row.label.origin or row.value.origin)[:1]
    return bool(origin) and any(0 <= origin[0] - start <= 4 for start in starts)


def _around(row: LetterRow, letter: Prepared, end: tuple[int, int] | None) -> LetterRow:
    """A row with what it says of where it stands in the mail."""
    both = concatenated([row.label, row.value])
    if not both.origin:
        return row
    begins = letter.text.origin[letter.own] if 0 < letter.own < len(letter.text.origin) else 0
    if both.origin[0] < begins:
        return row._replace(marks=row.marks | {RowMark.COVER})
    if (
        end is not None
        and both.origin[0] >= letter.text.origin[end[0]]
        and both.origin[-1] <= letter.text.origin[end[1] - 1]
    ):
        return row._replace(marks=row.marks | {RowMark.SIGNED})
    return row


def _lines(text: PlacedText) -> Iterator[_RawLine]:
    at = 0
    for raw in text.chars.split("\n"):
        line = text.cut(at, at + len(raw))
        at += len(raw) + 1
        line = line.replaced(_PAGE, "")
        line = line.replaced(_KEY, lambda found: f"{found[1].replace('_', ' ').replace('.', ' ')}: ")
        bare = line.chars.lstrip()
        indent = len(line.chars) - len(bare)
        bullet = _BULLET.match(bare) if not _LETTERED.match(bare) or not _LINE_SAID.search(bare) else None
        start = indent + (bullet.end() if bullet else 0)
        content = line.cut(start)
        leaders = _LEADERS.search(content.chars)
        if leaders and 0 < leaders.start() <= 60 and leaders.end() < len(content.chars):
            content = concatenated([content.cut(0, leaders.start()), ": ", content.cut(leaders.end())])
        yield _RawLine(start, content)


def _counted(lines: Sequence[_RawLine]) -> list[_RawLine]:
    """Lines, where two of them are counted and each tells a line to the internet, with that said before them."""
    counted = [
        (place, found[1].upper())
        for place, line in enumerate(lines)
        if (found := _LETTERED.match(line.chars)) and _LINE_SAID.search(line.chars)
    ]
    if [sign for _, sign in counted] not in (["A", "B"], ["1", "2"]):
        return list(lines)
    made = list(lines)
    for (place, _), name in zip(counted, ("Main line: ", "Backup line: "), strict=True):
        found = _LETTERED.match(made[place].chars)
        if found is not None:
            made[place] = replace(made[place], text=concatenated([name, made[place].text.cut(found.end())]))
    return made


def _bracketed(lines: Sequence[_RawLine]) -> Iterator[_RawLine]:
    """Lines with those joined that a bracket holds together."""
    held: _RawLine | None = None
    for line in lines:
        if held is not None and line.chars and len(held.chars) < 400:
            line = replace(held, text=concatenated([held.text, " ", line.text.strip()]))
        elif held is not None:
            yield held
        held = None
        if line.chars.count("(") > line.chars.count(")"):
            held = line
        else:
            yield line
    if held is not None:
        yield held


def _mended(lines: list[_RawLine]) -> list[_RawLine]:
    """Lines of a letter that a copier broke, with numbers that stand on two of them made one."""
    whole: list[_RawLine] = []
    for line in lines:
        before = whole[-1] if whole else None
        if before and re.fullmatch(r"\d{1,3}", line.chars) and re.search(r"[A-Za-z].*[: ]\d{1,3}$", before.chars):
            whole[-1] = replace(before, text=concatenated([before.text, line.text]))
        elif (
            before and line.indent > 6 and re.fullmatch(r"[\d ()/-]+", line.chars) and re.search(r"\d$", before.chars)
        ) or (
            before
            and labels(folded(f"{before.chars} {line.chars.partition(':')[0]}"))
            and ":" in line.chars
            and (re.fullmatch(r"[A-Za-z]+", before.chars) and not labels(folded(line.chars.partition(":")[0])))
        ):
            whole[-1] = replace(before, text=concatenated([before.text, " ", line.text]))
        else:
            whole.append(line)
    return whole


# --- Rows ------------------------------------------------------------------------------------------------------


class _Heading(NamedTuple):
    indent: int
    marks: frozenset[RowMark]
    text: PlacedText
    inner: int | None = None


def _rows(lines: Sequence[_RawLine]) -> Iterator[LetterRow]:
    """Each row with the marks of the headings above it."""
    at = 0
    heading: _Heading | None = None
    of_line: frozenset[RowMark] = frozenset()
    while at < len(lines):
        line = lines[at]
        if not line.chars or _RULE.match(line.chars):
            if heading and heading.inner is not None and not line.chars:
                heading = None
            yield _BREAK
            at += 1
            continue
        if heading and heading.inner is not None and heading.inner > heading.indent and line.indent < heading.inner:
            heading = None
        marks = _heading(lines, at)
        if marks is not None:
            lines_of = marks & {RowMark.FIRST, RowMark.SECOND}
            of_line = lines_of or of_line
            heading = _Heading(line.indent, marks - {RowMark.FIRST, RowMark.SECOND}, line.text.strip(" :"))
            at += 1
            continue
        if heading and heading.inner is None:
            heading = heading._replace(inner=line.indent)
        above = of_line | (heading.marks if heading else frozenset())
        for way in (_table, _stack, _single):
            found = way(lines, at)
            if found is not None:
                rows, at = found
                for row in rows:
                    row = _below(row, heading)
                    own = row.marks & {RowMark.FIRST, RowMark.SECOND}
                    yield row._replace(marks=row.marks | ((above - of_line) | own if own else above))
                break


_ORDINAL = re.compile(
    r"(?:primary|secondary|first|second|1st|2nd|preferred|alternate|alternative|main|backup|#?[12]|primar"
    r"|sekundar|primaire|secondaire|primario|secundario|secondario)\b[\s:.)-]*(?=\d)"
)


_GENERIC = re.compile(
    r"(?:id|no\.?|nr\.?|number|nummer|ref|reference|name|address|ip|mask|size|length|code|subnet|netz|adresse)"
)


def _below(row: LetterRow, heading: _Heading | None) -> LetterRow:
    """A row that is only counted, such as `Primary 192.0.2.1`, with the words of the heading above it."""
    if heading is None or (row.label.chars and row.told):
        return row
    if row.label.chars and _GENERIC.fullmatch(folded(row.label.chars)):
        label = concatenated([heading.text, " ", row.label])
        return row._replace(label=label, told=bool(labels(folded(label.chars))))
    both = concatenated([row.label, " ", row.value]) if row.label.chars else row.value
    found = _ORDINAL.match(folded(both.chars))
    if found is None or not labels(folded(heading.text.chars)):
        return row
    return LetterRow(heading.text, both.cut(found.end()), row.marks)


_NOUN = r"line|circuit|connection|access|linie|leitung|ligne|linea|lijn|link|wan|service|internet|linia|lacze|acces"
_FIRST_OF_TWO, _SECOND_OF_TWO = (
    re.compile(
        rf"(?:the )?(?:{which})(?:[ -]*(?:{_NOUN}))?(?: ?\([^()]*\)| .{{0,20}})?|(?:{_NOUN})(?: de| di)?[ -](?:{which})"
    )
    for which in (words.FIRST_LINE, words.SECOND_LINE)
)
#: What is counted and is no line: a first address, a secondary resolver.
_COUNTED_THING = re.compile(
    r"\b(?:address(?:es)?|ips?|dns|names?|servers?|usable|hosts?|gateway|resolvers?|nameservers?|mask"
    r"|adresse|direccion|indirizzo)\b"
)


def marks_of(text: str) -> frozenset[RowMark]:
    """What a heading or the head of a column says of what stands below it."""
    plain = folded(text).strip(" :*#=-_()[]")
    found = set()
    if not _COUNTED_THING.search(plain):
        if _SECOND_OF_TWO.fullmatch(plain):
            found.add(RowMark.SECOND)
        elif _FIRST_OF_TWO.fullmatch(plain):
            found.add(RowMark.FIRST)
    if words.OTHER_SERVICE.search(plain):
        found.add(RowMark.OTHER)
    if words.INSIDE.search(plain) and not re.search(r"\bwan\b|outside", plain):
        found.add(RowMark.INSIDE)
    if words.OLD.search(plain) or re.fullmatch(
        r"(?:current(?:ly)?|before|present|today|heute|aktuell|actuel(?:lement)?|actual(?:mente)?|huidig"
        r"|attuale|obecnie|from|von)(?: \w+)?",
        plain,
    ):
        found.add(RowMark.OLD)
    elif words.NEW.search(plain):
        found.add(RowMark.NEW)
    return frozenset(found)


def _heading(lines: Sequence[_RawLine], at: int) -> frozenset[RowMark] | None:
    """The marks of a line that is a heading; None: it says something by itself."""
    line = lines[at]
    text = line.chars.rstrip()
    below = next((one for one in lines[at + 1 : at + 3] if one.chars), None)
    if (
        below is None
        or len(text) > 40
        or _VALUE.search(text)
        or text.endswith((".", ",", "!"))
        or _WIDE.search(text.strip())
    ):
        return None
    plain = text.rstrip(": ")
    if ":" in plain:
        return None
    marks = marks_of(plain)
    deeper = below.indent > line.indent
    if text.endswith(":") and deeper and _PAIR.match(below.chars) and not _value_alone(below):
        return marks
    short = len(plain.split()) <= 4 and not re.search(r"\d{2,}", plain)
    if deeper and short and _ORDINAL.match(folded(below.chars)) and labels(folded(plain)):
        return marks
    if marks and short and not labels_strong(plain) and not _value_alone(below):
        return marks
    if short and (deeper or plain.isupper()) and _WAN_SIDE.fullmatch(folded(plain)) and not _value_alone(below):
        return frozenset()
    return None


_WAN_SIDE = re.compile(r"(?:wan|internet|outside)(?:[ -](?:side|port|interface|settings|addressing|details))*")


def labels_strong(text: str) -> bool:
    """Whether a text is a label of a value, and not only a heading."""
    said = labels(folded(text))
    return any(
        one.topic
        not in words.LOOSE
        | {LetterTopic.CIRCUIT, LetterTopic.OWN, LetterTopic.ROUTED, LetterTopic.ELSE, LetterTopic.MODEM}
        for one in said
    )


def _value_alone(line: _RawLine) -> bool:
    """Whether a line is a value without a label."""
    return bool(_ADDRESS_LINE.fullmatch(line.chars.rstrip(" .,")))


# --- Tables ----------------------------------------------------------------------------------------------------

#: How many lines of a table are read.
_LONGEST_TABLE = 60


def _split_at(line: _RawLine, sign: str) -> _Cells:
    cut = {"|": r"\s*\|\s*", "\t": r"\t+", ";": r"\s*;\s*", ",": r"\s*,\s*", " ": r"\s{2,}"}[sign]
    text = line.text
    edges = [(m.start(), m.end()) for m in re.finditer(cut, text.chars)]
    if sign == ",":
        edges = [edge for edge in edges if text.chars[: edge[0]].count('"') % 2 == 0]
    starts = [0, *(end for _, end in edges)]
    ends = [*(start for start, _ in edges), len(text.chars)]
    cells = [
        (line.indent + start, text.cut(start, end).strip().strip('"')) for start, end in zip(starts, ends, strict=True)
    ]
    if sign == "|":
        cells = [cell for place, cell in enumerate(cells) if cell[1].chars or place not in (0, len(cells) - 1)]
    return cells


def _table(lines: Sequence[_RawLine], at: int) -> tuple[list[LetterRow], int] | None:
    """A table whose heads stand above it: of fields over records, or of cases over labelled rows."""
    block = [line for line in _block(lines, at) if not _RULE.match(line.chars)]
    after = at + len(_block(lines, at))
    if len(block) < 2 or _VALUE.search(block[0].chars):
        return None
    for sign in "|\t;, ":
        if sign not in block[0].chars and (sign != " " or block[0].indent == 0):
            continue
        heads = block[0].cells(sign)
        if len(heads) < (2 if block[0].indent == 0 or sign != " " else 1):
            continue
        body = [line.cells(sign) for line in block[1:]]
        body = [row for row in body if len(row) > 1]
        if not body or len(body) * 2 < len(block) - 1:
            continue
        if sign in ";," and (len(heads) < 3 or len(body[0]) != len(heads)):
            continue
        rows = _records(heads, body, sign) or _cases(heads, body, sign) or _sides(heads, body)
        if rows:
            skipped = [line for line in block[1:] if len(line.cells(sign)) < 2]
            return rows + [LetterRow(_EMPTY, line.text) for line in skipped], after
    return None


def _block(lines: Sequence[_RawLine], at: int) -> list[_RawLine]:
    end = at
    while end < min(len(lines), at + _LONGEST_TABLE) and lines[end].chars:
        end += 1
    return list(lines[at:end])


def _records(heads: _Cells, body: list[_Cells], sign: str) -> list[LetterRow] | None:
    """A table with a field in each column."""
    topics = [labels(folded(head.chars)) for _, head in heads]
    known = [said for said in topics if said and said[0].topic is not LetterTopic.UNTOLD]
    if len(known) < 2 or len(known) * 2 < len(heads):
        return None
    if len(heads) == 2 and any(_named(row[0][1]) for row in body):
        return None
    first = [row for row in body if row and (len(row) == len(heads) or sign == " ")]
    if not first or not all(
        any(_VALUE.search(cell.chars) or cell.chars.isdigit() for _, cell in row) for row in first[:1]
    ):
        return None
    if sum(_named(row[0][1]) for row in first) * 2 > len(first):
        return None
    made = []
    for row in first:
        marks = frozenset[RowMark]().union(*(marks_of(cell.chars) for _, cell in row if not _VALUE.search(cell.chars)))
        marks &= {RowMark.FIRST, RowMark.SECOND, RowMark.OTHER, RowMark.OLD, RowMark.NEW}
        for place, cell in enumerate(row):
            head = heads[place] if len(row) == len(heads) else _nearest(heads, cell[0])
            told = bool(labels(folded(head[1].chars)))
            made += [one._replace(marks=marks) for one in _split(head[1], cell[1], told)]
    return made


def _sides(heads: _Cells, body: list[_Cells]) -> list[LetterRow] | None:
    """A table with what was on one side and what will be on the other, each cell saying all by itself."""
    marks = [marks_of(head.chars) for _, head in heads]
    if len(heads) != 2 or {RowMark.OLD} not in marks or any(len(row) != 2 for row in body):
        return None
    return [
        one._replace(marks=mark)
        for row in body
        for (_, cell), mark in zip(row, marks, strict=True)
        for one in _pair(cell)
    ]


def _named(cell: PlacedText) -> bool:
    """Whether a cell is a label, and not a value that looks like one."""
    return bool(labels(folded(cell.chars))) and not re.search(r"\d{3}|[A-Za-z]-\d", cell.chars)


def _cases(heads: _Cells, body: list[_Cells], sign: str) -> list[LetterRow] | None:
    """A table with a label at the beginning of each row, and a case in each column: old and new, or two lines."""
    widest = max(map(len, body))
    columns = [head for head in heads if head[1].chars]
    if len(columns) >= widest > 1:
        columns = columns[1 - widest :]
    if not columns or len(columns) > widest or any(_PAIR.match(head.chars) for _, head in heads):
        return None
    if any(re.search(r"\d{3}", head.chars) for _, head in columns) or (len(columns) == 1 and widest > 2):
        return None
    if (
        widest == 2
        and not any(marks_of(head.chars) or folded(head.chars) in _VALUE_HEADS for _, head in columns)
        and sign == " "
    ):
        return None
    named = [row for row in body if _named(row[0][1])]
    if len(named) < 2 or len(named) * 2 < len(body):
        return None
    made = []
    for row in body:
        label, before = row[0][1], None
        for place, cell in enumerate(row[1:]):
            head = columns[place] if len(row) - 1 == len(columns) else _nearest(columns, cell[0])
            marks = marks_of(head[1].chars)
            value = cell[1]
            if before is not None and words.SAME.match(folded(value.chars)):
                value = before
            before = value
            made.append(LetterRow(label, value, marks, bool(labels(folded(label.chars)))))
    return made


def _nearest(heads: _Cells, column: int) -> tuple[int, PlacedText]:
    return min(heads, key=lambda head: abs(head[0] - column))


# --- Labels above their values, and before them ------------------------------------------------------------------


def _stack(lines: Sequence[_RawLine], at: int) -> tuple[list[LetterRow], int] | None:
    """Labels that stand above their values: one and one, or several and as many."""
    end = at
    while end < len(lines) and lines[end].is_label:
        end += 1
    count = end - at
    if count == 0:
        return _headed(lines, at)
    values: list[_RawLine] = []
    while end + len(values) < len(lines) and len(values) < max(count, 8):
        line = lines[end + len(values)]
        if not line.chars or line.is_label or (values and count == 1 and not _goes_on(lines, end, len(values))):
            break
        if _known_pair(line.chars) and not _VALUE.match(line.chars):
            break
        values.append(line)
    if count > 1 and len(values) >= count and all(len(v.chars) <= 60 for v in values[:count]):
        pairs = zip(lines[at:end], values, strict=False)
        return [row for label, value in pairs for row in _split(label.text.strip(": "), value.text, True)], end + count
    if count == 1 and values:
        value = concatenated([part for line in values for part in (line.text, "  ")]).strip()
        return list(_split(lines[at].text.strip(": "), value, True)), end + len(values)
    if count > 1 and values:  # the last label is the one above its value
        return [LetterRow(_EMPTY, line.text) for line in lines[at : end - 1]], end - 1
    return None


def _headed(lines: Sequence[_RawLine], at: int) -> tuple[list[LetterRow], int] | None:
    """Values that stand alone below words with a colon, such as `Resolver filter (mandatory):`."""
    end = at + 1
    while end < len(lines) and lines[end].chars and _value_alone(lines[end]):
        end += 1
    line = lines[at]
    if end == at + 1 or not line.chars.rstrip().endswith(":") or len(line.chars) > 60 or _VALUE.search(line.chars):
        return None
    value = concatenated([part for one in lines[at + 1 : end] for part in (one.text, "  ")]).strip()
    label = line.text.strip(": ")
    return [LetterRow(label, value, frozenset(), any(True for _ in words_in(folded(label.chars))))], end


def _goes_on(lines: Sequence[_RawLine], start: int, count: int) -> bool:
    """Whether a line below a value is one more value of the same label."""
    return _value_alone(lines[start + count]) and _value_alone(lines[start])


def _is_label(text: str) -> bool:
    if (
        len(text) > 45
        or _VALUE.search(text)
        or re.search(r"\d{3,}|[.!]$|\t", text.removesuffix("no.").removesuffix("nr."))
        or _WIDE.search(text)
    ):
        return False
    plain = text.rstrip(": ")
    if ":" in plain or text.count("(") != text.count(")"):
        return False
    if len(plain.split()) > (3 if text.endswith("?") else 5) and not text.endswith(":"):
        return False
    said = labels(folded(plain.rstrip("? ")))
    if said and re.search(r"\d$", re.sub(r"\s*\([^()]*\)$", "", plain)) and said[-1].topic in _NUMBERED:
        return False
    return (
        bool(said) and not words.UNTAGGED.search(folded(plain)) and not re.fullmatch(words.SAYS_NOTHING, folded(plain))
    )


def _known_pair(text: str) -> bool:
    pair = _PAIR.match(text)
    return bool(pair and pair[2] and labels(folded(pair[1])))


def _single(lines: Sequence[_RawLine], at: int) -> tuple[list[LetterRow], int]:
    """One line: a label and its value, several of them, or a sentence."""
    text = lines[at].text
    cuts = [0]
    for found in _MORE_PAIRS.finditer(text.chars):
        cuts += [found.start(), found.end()]
    cuts.append(len(text.chars))
    pieces = [text.cut(start, end) for start, end in zip(cuts[::2], cuts[1::2], strict=True)]
    if len(pieces) > 1 and not all(_PAIR.match(piece.chars) for piece in pieces):
        pieces = [text]
    more = at + 1
    while len(pieces) == 1 and more < len(lines) and _is_more(lines[at], lines[more]):
        pieces = [concatenated([pieces[0], ", ", lines[more].text])]
        more += 1
    return [row for piece in pieces for row in _pair(piece)], more


def _is_more(line: _RawLine, below: _RawLine) -> bool:
    """Whether a line holds nothing but more values for the label of the one above it."""
    return (
        bool(below.chars) and below.indent > line.indent + 3 and _value_alone(below) and bool(_VALUE.search(line.chars))
    )


def _pair(text: PlacedText) -> Iterator[LetterRow]:
    """A label and its value, by a colon or by room between them."""
    found = _PAIR.match(text.chars)
    six = found and re.search(r"(?:^|[\s(])[0-9a-fA-F]{1,4}$", found[1]) and re.match(r"[0-9a-fA-F]{0,4}:", found[2])
    if (
        found
        and not six
        and not _ENDS.search(found[1])
        and not (marks_of(found[1]) == {RowMark.OLD} and words.NEW.search(folded(found[2])))
        and not re.search(r"\d\W*,\s", found[1])
        and not (_CLOCK.search(found[1]) and re.match(r"\d{2}\b(?!\.)", found[2]))
        and not _VALUE.search(found[1])
        and found[1].count("(") <= found[1].count(")")
    ):
        label, value = text.cut(0, found.end(1)), text.cut(found.start(2)).strip()
        said = labels(folded(label.chars))
        if said or (len(label.chars.split()) <= 4 and not _SENTENCE.search(label.chars)):
            both = f"{folded(label.chars)}: {folded(value.chars)}"
            if (
                said
                or marks_of(label.chars) & {RowMark.FIRST, RowMark.SECOND, RowMark.OLD, RowMark.NEW}
                or not any(one.topic not in words.LOOSE for one in words_in(both))
            ):
                yield from _split(label, value, bool(said))
                return
    wide = _WIDE.search(text.chars)
    if wide and wide.start() > 0:
        label, value = text.cut(0, wide.start()), text.cut(wide.end()).strip()
        if value.chars and len(label.chars) <= 45 and labels(folded(label.chars)) and not _VALUE.search(label.chars):
            yield from _split(label, value, True)
            return
    yield LetterRow(_EMPTY, text)


_LENGTHS = frozenset({LetterTopic.MASK, LetterTopic.NETWORK, LetterTopic.DELEGATED})


def _split(label: PlacedText, value: PlacedText, told: bool) -> Iterator[LetterRow]:
    """A row; where its label is two joined by a slash, and so is its value, two rows."""
    marks = marks_of(label.chars)
    lines = marks & {RowMark.FIRST, RowMark.SECOND}
    if marks and marks <= {RowMark.OLD, RowMark.NEW} and not labels(folded(label.chars)):
        yield LetterRow(_EMPTY, value, marks)
        return
    if lines and not {one.topic for one in labels(folded(label.chars))} - {LetterTopic.CIRCUIT}:
        bare = re.fullmatch(r"[A-Za-z ]+\d?(?: \([^()]*\))?", label.chars)
        yield LetterRow(_EMPTY, value if bare else concatenated([label, ": ", value]), frozenset(lines))
        return
    names = [label.cut(m.start(), m.end()).strip() for m in re.finditer(r"[^/]+", label.chars)]
    slashed = re.sub(r"(?<=\d)\s*/\s*(?=\d{1,2}(?:$|\s))", "\0", value.chars) if len(names) != 2 else value.chars
    values = [value.cut(m.start(), m.end()).strip() for m in re.finditer(r"[^/]+", slashed)]
    topics = [labels(folded(name.chars)) for name in names]
    if (
        len(names) == 2
        and topics[1]
        and topics[1][0].topic in _LENGTHS
        and re.fullmatch(r"\S+ ?/ ?\d{1,3}", value.chars)
    ):
        yield LetterRow(names[0], value, marks & {RowMark.OLD, RowMark.NEW}, told)
        return
    if (
        len(names) == len(values) > 1
        and all(topics)
        and not {said[0].topic for said in topics} & {LetterTopic.DOWN, LetterTopic.UP, LetterTopic.SPEED}
    ):
        for name, one in zip(names, values, strict=True):
            yield LetterRow(name, one)
        return
    yield LetterRow(label, value, marks & {RowMark.OLD, RowMark.NEW}, told)


# --- Sentences -------------------------------------------------------------------------------------------------


#: Longer than this no sentence is that goes on.
_LONGEST_SENTENCE = 800


def _merged(rows: Sequence[LetterRow]) -> Iterator[LetterRow]:
    """Rows with sentences that go on over a line's end made one."""
    held: LetterRow | None = None
    for row, following in pairwise([*rows, _BREAK]):
        if held is not None:
            row = held._replace(value=concatenated([held.value, " ", row.value]))
            held = None
        if _goes_over(row, following):
            held = row
        elif row is not _BREAK:
            yield row


def _goes_over(row: LetterRow, following: LetterRow) -> bool:
    text, below = row.value.chars, following.value.chars
    if following.label.chars or not below or row.marks != following.marks or not 0 < len(text) <= _LONGEST_SENTENCE:
        return False
    if re.match(r"\d{1,3}(?:-\d{1,3})?\s+[A-Za-z]", text) and re.match(r"\d{1,3}(?:-\d{1,3})?\s+[A-Za-z]", below):
        return False
    if _VALUE.match(text) and (_VALUE.match(below) or (len(text) < 40 and not _CONNECTS.search(text))):
        return False
    begins = next(words_in(folded(below)), None)
    if (
        below[0].isupper()
        and begins is not None
        and begins.start == 0
        and begins.topic not in words.LOOSE
        and (not _CONNECTS.search(text) and re.search(r"\d", below))
    ):
        return False
    if marks_of(" ".join(below.split()[:2])) & {RowMark.FIRST, RowMark.SECOND}:
        return False
    if row.label.chars:
        return len(text) > 40 and below[0].islower() and not re.search(r"[.!?]$", text)
    if re.search(r"[.!?:;]$", text):
        return len(text) >= 40 and text[-1] in ".!?" and not _VALUE.match(below)
    if _CONNECTS.search(text):
        return True
    return (len(text) >= 40 or below[0].islower()) and not _value_alone(_RawLine(0, row.value))


# --- Put together ----------------------------------------------------------------------------------------------


class RowPlace(NamedTuple):
    """Where a row lies in the text that was laid out."""

    start: int
    value: int
    end: int
    row: LetterRow


def rows_as_text(rows: Sequence[LetterRow]) -> tuple[PlacedText, list[RowPlace]]:
    """All rows as one text, a line for each, and where each of them is."""
    parts: list[PlacedText | str] = []
    places: list[RowPlace] = []
    at = 0
    for row in rows:
        head: list[PlacedText | str] = [row.label, ": "] if row.label.chars else []
        width = len(row.label.chars) + 2 if row.label.chars else 0
        parts += [*head, row.value, "\n"]
        end = at + width + len(row.value.chars)
        places.append(RowPlace(at, at + width, end, row))
        at = end + 1
    return concatenated(parts), places
