"""What words say of the addresses in a letter: which they name, before them or behind, and which they strike out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.layout import RowMark
from octaplan.core.propose.letters.mentions import (
    JOIN,
    LaidLetter,
    Mention,
    Scored,
    Scores,
    changes_from,
    mentions_in,
    top_of,
)
from octaplan.core.propose.letters.words import LetterTopic, SaidWords, words_in
from octaplan.core.values.addresses import Network

#: The topics that an address can have; other words say nothing of one.
_OF_ADDRESSES = frozenset(
    {
        LetterTopic.OWN,
        LetterTopic.GATEWAY,
        LetterTopic.RESOLVER,
        LetterTopic.NETWORK,
        LetterTopic.BROADCAST,
        LetterTopic.ROUTED,
        LetterTopic.USABLE,
        LetterTopic.DELEGATED,
        LetterTopic.MODEM,
        LetterTopic.ELSE,
    }
)

#: What may stand between an address and words behind it that name it.
_BEHIND = re.compile(
    r"\s*[,\"'\])]*\s*(?:which|that|welche\w*|qui|que|dat|che|ktor\w+)?\s*(?:\(|\[|=|:|-|<-|\b(?:is|being|as"
    r"|are|will be|belongs to|reserved|used|kept|taken|for|goes to|on|of|to|which|that|ist|sind|gehort|est"
    r"|sont|es|son|e|sono|jest|als|fur|comme|pour|como|para)\b)"
    r"\s*(?:\b(?:is|the|a|be|used|reserved|for|by|as|taken|kept|set|assigned|to|on|der|die|das|le|la|el|il"
    r"|de|het|lo)\b\s*)*$"
)
#: What names an address that stands behind it.
_NAMES_NEXT = re.compile(r"(?:(?!\b(?:and|und|et|y|en|e|i)\b|\.\s)[^)\],;\n]){0,25}?(?<!\w)\.?\d{1,3}\.?\b")
_VERB = re.compile(r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+\w+)?")
#: Words that begin so belong to what stands before them.
_JOINING = re.compile(r"(?:for|is|as|on|at)\b")
_NAMED_SERVER = re.compile(r"[\s,;]*(?:and\s+)?[\w-]+(?:\.[\w-]+)+\s*[(:=]\s*\Z")
#: Where a sentence ends: what is named before it says nothing of what comes after.
_STOP = re.compile(r"[;\n]|[.!?](?=\s+\S)|[.!?]\s*$", re.MULTILINE)
#: Short words that mean a side of the line only in capitals or right before an address.
_ABBREVIATED = frozenset({
    "ce", "pe", "u", "su", "vi", "nos", "fai", "je", "vos", "dg", "sm", "nm", "red", "ons", "vous", "nous", "ihnen",
    "bloc", "poort",
})  # fmt: skip


def named_in(letter: LaidLetter) -> list[Scored]:
    """The addresses that speak of the line as it will be, each with how strongly it is named as what."""
    mentions = list(mentions_in(letter.text))
    said = list(_words(letter, mentions))
    scored = list(zip(mentions, _scores(letter, mentions, said), strict=True))
    scored = _corrected(letter, scored)
    ends = [0, *(mention.place.end for mention, _ in scored)]
    scored = [one for one, before in zip(scored, ends, strict=False) if not _struck(letter, one, before)]
    for mention, scores in scored:
        _weigh_row(letter, mention, scores)
    scored = [_as_network(letter, one, scored) for one in scored]
    return [one for one in scored if not _foreign(letter, one)]


def _words(letter: LaidLetter, mentions: Sequence[Mention]) -> Iterator[SaidWords]:
    """The words that name an address; none inside an address, and none that only look like one of them."""
    taken = [m.place for m in mentions]
    for said in words_in(letter.text):
        if said.topic not in _OF_ADDRESSES or any(p.start < said.end and said.start < p.end for p in taken):
            continue
        word = letter.text[said.start : said.end]
        if (
            word in _ABBREVIATED
            and not letter.chars[said.start : said.end].isupper()
            and not re.match(r"[\s:=(]{1,3}\.?\d|\)", letter.text[said.end :])
        ):
            continue
        row = letter.row_at(said.start)
        labelled = row is not None and row.row.label.chars and said.start < row.value
        if (
            labelled
            and row is not None
            and re.fullmatch(r"(?:ip)?v[46]", word)
            and "(" in letter.text[row.start : said.start]
        ):
            continue
        yield said
    for row in letter.rows:
        if not row.row.told and row.row.label.chars:
            yield SaidWords(LetterTopic.ELSE, row.start, row.value)


def _scores(letter: LaidLetter, mentions: Sequence[Mention], unsorted: Sequence[SaidWords]) -> list[Scores]:
    """How strongly each address is named as each topic."""
    text = letter.text
    said = sorted(unsorted, key=lambda one: one.start)
    scores: list[Scores] = [{} for _ in mentions]
    before: LetterTopic | None = None
    spent: set[tuple[int, int]] = set()  # words that named an address before them
    for place, mention in enumerate(mentions):
        mine = scores[place]
        behind = next((w for w in said if w.start >= mention.place.end), None)
        following = mentions[place + 1].place.start if place + 1 < len(mentions) else len(text) + 1
        named_behind = None
        if behind is not None and behind.start < following:
            between = text[mention.place.end : behind.start]
            if _is_behind(text, mention, behind, between, said):
                named_behind = behind.topic
                spent.add((behind.start, behind.end))
                mine[behind.topic] = mine.get(behind.topic, 0) + 4.0
        ahead = [w for w in said if w.end <= mention.place.start and (w.start, w.end) not in spent]
        previous = mentions[place - 1].place.end if place else 0
        own = [w for w in ahead if w.start >= previous]
        if own and _reaches(text, own[-1], mention):
            for number, word in enumerate(reversed(own[-3:])):
                if number == 0 or _reaches(text, word, mention):
                    strong = 3.0 if number == 0 or _strength(text, own[-1]) < 1 else 1.0
                    mine[word.topic] = mine.get(word.topic, 0) + strong * _strength(text, word)
            before = max(mine, key=lambda topic: mine[topic])
        elif (
            named_behind is None
            and before is not None
            and place
            and (
                JOIN.match(text[previous : mention.place.start])
                or _NAMED_SERVER.match(text[previous : mention.place.start])
            )
            and letter.row_at(mention.place.start) == letter.row_at(mentions[place - 1].place.start)
        ):
            mine[before] = mine.get(before, 0) + (2.5 if before in (LetterTopic.RESOLVER, LetterTopic.USABLE) else 1.0)
        else:
            before = named_behind
    for place in range(len(mentions) - 2, -1, -1):  # `use .7 and .8 for dns`
        between = text[mentions[place].place.end : mentions[place + 1].place.start]
        named = scores[place + 1].get(LetterTopic.RESOLVER, 0) >= 4.0 and len(between) < 12 and "\n" not in between
        if named and JOIN.match(between) and max(scores[place].values(), default=0.0) < 2.0:
            scores[place] = {LetterTopic.RESOLVER: 3.0}
    return scores


def _is_behind(text: str, mention: Mention, word: SaidWords, between: str, said: Sequence[SaidWords]) -> bool:
    """Whether words behind an address name it: joined by `is`, `(`, `=`, or alone between commas (`.49 gateway,`)."""
    if "\n" in between or len(between) > 40:
        return False
    if between.strip() and _NAMES_NEXT.match(text, word.end):
        return False  # it names what comes after it
    if (
        not between.strip()
        and word.topic in (LetterTopic.ROUTED, LetterTopic.USABLE, LetterTopic.BROADCAST)
        and re.match(
            r"[^\n\d]{0,20}(?:$|[,;.)\n])|\s+(?:to|via|over|on|verso|su|a|hacia|vers|sur|naar|auf|an|uber|do|na)\b",
            text[word.end :],
        )
    ):
        return True
    if between.strip():
        return _BEHIND.match(between) is not None and not re.match(r"[ \t:=(]{0,3}\d{1,3}\.\d", text[word.end :])
    if _JOINING.match(text[word.start : word.end]):
        return True
    begins = max(text.rfind(stop, 0, mention.place.start) for stop in ",;\n|(") + 1
    begins = max(begins, text.rfind(". ", 0, mention.place.start) + 1)
    lonely = not any(begins <= w.start < mention.place.start for w in said)
    return lonely and re.match(r"\s*(?:[,;.)\n|(/]|-\s|$|and\b|for\b|reserved\b)", text[word.end :]) is not None


def _strength(text: str, word: SaidWords) -> float:
    """A mere `use` names an address less than a noun does."""
    return 0.4 if _VERB.fullmatch(text[word.start : word.end].strip()) else 1.0


def _reaches(text: str, word: SaidWords, mention: Mention) -> bool:
    """Whether words stand in one sentence with an address behind them."""
    between = text[word.end : mention.place.start].lstrip(" \t").removeprefix(";")
    return not _STOP.search(between) and len(between) < 60


def _weigh_row(letter: LaidLetter, mention: Mention, scores: Scores) -> None:
    """What the row's heading says of an address in it."""
    row = letter.row_at(mention.place.start)
    if row is None or RowMark.INSIDE not in row.row.marks:
        return
    if mention.prefix is not None and mention.address.family == 4:
        scores[LetterTopic.ROUTED] = scores.get(LetterTopic.ROUTED, 0) + 6.0
    elif mention.last is None and not {LetterTopic.RESOLVER, LetterTopic.USABLE} & set(scores):
        scores[LetterTopic.ELSE] = scores.get(LetterTopic.ELSE, 0) + 6.0


def _corrected(letter: LaidLetter, scored: Sequence[Scored]) -> list[Scored]:
    """The addresses without those that are taken back: `.201 … sorry, .206`; what corrects means what it corrects."""
    kept: list[Scored] = []
    for mention, scores in _become(letter, scored):
        before = kept[-1] if kept else None
        start = before[0].place.end if before else 0
        between = letter.text[start : mention.place.start]
        if before and words.CORRECTION.search(between[-40:]) and top_of(scores) in (None, top_of(before[1])):
            kept[-1] = (mention, {**before[1], **scores})
        else:
            kept.append((mention, scores))
    told = {top_of(s) for m, s in kept if not _is_in(letter, m, RowMark.QUOTED)} & {
        LetterTopic.OWN,
        LetterTopic.GATEWAY,
        LetterTopic.RESOLVER,
    }
    kept = [(m, s) for m, s in kept if not (_is_in(letter, m, RowMark.QUOTED) and top_of(s) in told)]
    again = words.AS_LAST.search(letter.text)
    if again is None:
        return kept
    later = {top_of(s) for m, s in kept if m.place.start > again.end()} & {
        LetterTopic.OWN,
        LetterTopic.GATEWAY,
        LetterTopic.RESOLVER,
    }
    return [
        (m, s if m.place.start > again.start() or top_of(s) not in later else {LetterTopic.NETWORK: 3.0})
        for m, s in kept
        if m.place.start > again.start() or top_of(s) not in later or m.prefix is not None
    ]


_TO_NEW = frozenset({"to", "auf", "zu", "a", "naar", "na", "ad", "->", "and to"})
_BECOME = re.compile(
    r"\b(?:become?s?|changes? to|(?:are |is |will be |be )?replaced by|pasan? a ser|wird zu|werden zu"
    r"|ersetzt durch|devien(?:t|nent)|remplace(?:e|s)? par"
    r"|wordt|worden|diventan?o?|sostituit[oi] da|staje sie|make way for|give way to)\W+\Z"
)


def _become(letter: LaidLetter, scored: Sequence[Scored]) -> Iterator[Scored]:
    """The addresses, those that take the place of others with what these mean, and without them."""
    made: list[Scored] = []
    start = 0
    for mention, scores in scored:
        before = letter.text[start : mention.place.start]
        start = mention.place.end
        changed = made and before.strip() in _TO_NEW and changes_from(letter.text, made[-1][0].place.start)
        if made and (changed or _BECOME.search(before)):
            topic = top_of(made[-1][1])
            while (
                made
                and top_of(made[-1][1]) is topic
                and letter.row_at(made[-1][0].place.start) == letter.row_at(mention.place.start)
            ):
                made.pop()
            scores = scores or ({topic: 3.0} if topic else {})
        elif made and not scores and JOIN.match(before) and top_of(made[-1][1]) is LetterTopic.RESOLVER:
            scores = {LetterTopic.RESOLVER: 2.5}
        made.append((mention, scores))
    yield from made


def _is_in(letter: LaidLetter, mention: Mention, mark: RowMark) -> bool:
    row = letter.row_at(mention.place.start)
    return row is not None and mark in row.row.marks


def _struck(letter: LaidLetter, one: Scored, before: int) -> bool:
    """Whether an address is only told as what it was, or what it is not. `before` is where the one before it ends."""
    mention, _ = one
    row = letter.row_at(mention.place.start)
    marks = row.row.marks if row else frozenset()
    if RowMark.OLD in marks:
        return True
    begins = max(row.start if row else 0, before)
    ahead = letter.text[begins : mention.place.start]
    if words.STRIKING.search(ahead) or words.STRUCK_BEHIND.match(letter.text[mention.place.end :]):
        return True
    if re.match(r"\s*(?:->|=>|\u2192)\s*[\d.]", letter.text[mention.place.end :]):
        return True
    clause = letter.text[
        max(row.start if row else 0, _sentence(letter.text, mention.place.start)) : mention.place.start
    ]
    old = list(words.OLD.finditer(clause))
    return bool(old) and not words.NEW.search(clause, old[-1].end())


def _sentence(text: str, place: int) -> int:
    """Where the sentence begins that a place is in."""
    return max(text.rfind(stop, 0, place) for stop in (". ", "\n", "; ", "! ", "? ")) + 1


def _as_network(letter: LaidLetter, one: Scored, scored: Sequence[Scored]) -> Scored:
    """An address with an unknown label; where it is the subnet that others are named in, it is that."""
    mention, scores = one
    row = letter.row_at(mention.place.start)
    if row is None or row.row.told or mention.prefix is None or set(scores) != {LetterTopic.ELSE}:
        return one
    net = Network.holding(mention.address, mention.prefix)
    named = any(top_of(s) in (LetterTopic.OWN, LetterTopic.GATEWAY) and net.holds(m.address) for m, s in scored)
    return (mention, {LetterTopic.NETWORK: 3.0}) if named and net.first == mention.address else one


def _foreign(letter: LaidLetter, one: Scored) -> bool:
    """Whether an address belongs to another service, to a signature, or to nothing that is read."""
    row = letter.row_at(one[0].place.start)
    marks = row.row.marks if row else frozenset()
    return bool(marks & {RowMark.OTHER, RowMark.SIGNED}) or top_of(one[1]) is LetterTopic.ELSE
