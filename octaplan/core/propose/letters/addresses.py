"""The addresses in a letter, told apart by their shape, the words around them, and arithmetic.

An address and a mask have a shape; words name what an address is for, before it or after it; and what fits together
decides where words leave it open: a gateway is a neighbour in the subnet, a network or broadcast address is nobody's
own, two that are left over outside of it are resolvers. What has two readings is told as such, and what words say and
arithmetic forbids is told as a contradiction and not taken.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.layout import Mark, Place
from octaplan.core.propose.letters.text import Stretch
from octaplan.core.propose.letters.words import Said, Topic, spoken
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_mask, parse_network


class Sure(StrEnum):
    """How sure a reading is: said by words, followed from what fits, or one of several."""

    SAID = "said"
    FOLLOWS = "follows"
    OPEN = "open"


class Reading(NamedTuple):
    """One value, how sure it is, the places it comes from, and what else it may be. With a `problem` it is not taken."""

    text: str
    sure: Sure
    places: tuple[Stretch, ...]
    others: tuple[str, ...] = ()
    problem: str = ""


class Addresses(NamedTuple):
    """What the addresses of a letter come to."""

    address: Reading | None = None
    prefix: Reading | None = None
    gateway: Reading | None = None
    resolvers: Reading | None = None
    routed_blocks: Reading | None = None
    address6: Reading | None = None
    prefix6: Reading | None = None
    gateway6: Reading | None = None
    delegated_prefix: Reading | None = None
    modem_subnet: Reading | None = None
    uses: Reading | None = None


class _Mention(NamedTuple):
    """An address as it stands in the letter; `last` of a run, `prefix` of a mask right behind it."""

    place: Stretch
    address: Address
    prefix: int | None
    last: Address | None
    short: bool = False


_Scores = dict[Topic, float]
_Scored = tuple[_Mention, _Scores]

#: The topics that an address can have; other words say nothing of one.
_OF_ADDRESSES = frozenset({
    Topic.OWN, Topic.GATEWAY, Topic.RESOLVER, Topic.NETWORK, Topic.BROADCAST, Topic.ROUTED, Topic.USABLE, Topic.MASK,
    Topic.DELEGATED, Topic.MODEM, Topic.ELSE,
})  # fmt: skip

_IPV4 = r"\d{1,3}(?:\.\d{1,3}){3}"
_TO = r"(?:-|–|—|\.\.\.?|\b(?:to|through|thru|up to|bis|a|al|au|jusqu'a|hasta|t/m|tot|do|fino a)\b)"
_RUN = rf"(?:\s*{_TO}\s*(?P<last>{_IPV4}|\.?\d{{1,3}})(?![\d.]*\d)(?!\s*(?:was|is|hosts?)\b))?"
_DOTTED = r"255(?:\.\d{1,3}){3}"
_FULL = re.compile(
    rf"(?<![\d.])(?<![a-z]\.)(?P<address>{_IPV4})(?![\d]|\.\d)"
    rf"(?:\s*/\s*(?P<bits>\d{{1,2}})(?![\d.]*\d)|\s*/\s*(?P<slashed>{_DOTTED})|[\s,]+(?P<dotted>{_DOTTED}))?{_RUN}"
    r"(?:\s*/\s*(?P<after>\d{1,2})(?![\d.]*\d))?"
)
_SHORT = re.compile(rf"(?<![\w.])\.(?P<address>\d{{1,3}})(?![\d]|\.\d)(?:\s*/\s*(?P<bits>\d{{1,2}})(?!\d))?{_RUN}")
_SIX = re.compile(r"(?<![\w:.])(?P<address>[0-9a-f]{0,4}(?::[0-9a-f]{0,4}){2,7})(?:\s*/\s*(?P<bits>\d{1,3}))?(?![\w:])")
_COUNTED = {"twenty-four": 24, "twenty-five": 25, "twenty-six": 26, "twenty-seven": 27, "twenty-eight": 28, "twenty-nine": 29, "thirty": 30, "thirty-one": 31}
_MASK_ALONE = re.compile(
    rf"(?<![\w.])(?P<dotted>{_DOTTED})(?![\d.]*\d)|(?<![\d/])/\s?(?P<slash>\d{{1,2}})(?![\d.]*\d|/|\s?:)|0x(?P<hex>[0-9a-f]{{8}})\b"
    rf"|(?:length|len|mask|maske|masque|prefix|cidr|size)(?:\W{{1,4}}|\s+is\s+)(?P<number>\d{{1,2}}|{'|'.join(_COUNTED)})(?![\w.]|\s*\()"
    r"|\b(?P<bit>\d{2})[\s-]?bit(?:s|ige)?\b(?!/s)|\bwildcard\W+(?:mask\W+)?(?P<wild>0\.0\.\d{1,3}\.\d{1,3})|\b(?P<worded>twenty-\w+|thirty(?:-one)?)[\s-]bit"
)
_RELATIVE = re.compile(r"\b(?P<from>start|base|network|first|end|last|broadcast)\s*(?P<sign>[+-])\s*(?P<by>\d{1,3})\b|\b(?P<alone>start|end)\b")

#: What may stand between an address and words behind it that name it.
_BEHIND = re.compile(
    r"\s*[,\"'\])]*\s*(?:\(|\[|=|:|-|<-|\b(?:is|being|as|are|will be|belongs to|reserved|used|kept|taken|for|goes to|on|of|to|ist|sind|gehort|est|sont|es|son|e|sono|jest|als|fur|comme|pour|como|para)\b)"
    r"\s*(?:\b(?:is|the|a|be|used|reserved|for|by|as|taken|kept|set|assigned|to|on|der|die|das|le|la|el|il|de|het|lo)\b\s*)*$"
)
_VERB = re.compile(r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+\w+)?")
#: Words that begin so belong to what stands before them.
_JOINING = re.compile(r"(?:for|is|as|on|at)\b")
#: What joins several of one sort.
_JOIN = re.compile(r"\s*(?:,|;|/|&|\+|\||\b(?:and|or|then|und|oder|et|ou|y|o|en|e|ed|of|i|oraz|secondary|primary)\b|\n|\s|-|[()\[\]])*\s*\Z")
#: What names the address behind it as the way to a block, and not as the block.
_HOP = re.compile(r"(?:\brouted|(?<!default )(?<!static )\broute|geroutet|routees?|instradat\w|enrutad\w|gerouteerd)\s+(?:to|via|over|at|through|an|uber|vers|a|hacia|naar|verso|do|na)\s+(?:your |the |ihre? )?(?:router |ip |firewall )?\Z")
_NAMED_SERVER = re.compile(r"[\s,;]*(?:and\s+)?[\w-]+(?:\.[\w-]+)+\s*[(:=]\s*\Z")
#: Where a sentence ends: what is named before it says nothing of what comes after.
_STOP = re.compile(r"[;\n]|[.!?](?=\s+\S)|[.!?]\s*$", re.MULTILINE)
#: Short words that mean a side of the line only in capitals or right before an address.
_ABBREVIATED = frozenset({"ce", "pe", "u", "su", "vi", "nos", "fai", "je", "vos", "dg", "sm", "nm", "red", "ons", "vous", "nous", "ihnen", "bloc", "poort"})

_PRIVATE = tuple(parse_network(text)[0] for text in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16"))
_SHARED = parse_network("100.64.0.0/10")[0]


class _Letter(NamedTuple):
    """The text that is read, folded, as it was, and its rows."""

    text: str
    chars: str
    rows: Sequence[Place]

    def row_at(self, place: int) -> Place | None:
        return next((row for row in self.rows if row.start <= place <= row.end), None)


def read_addresses(text: str, chars: str, rows: Sequence[Place], *, fixed: bool = True) -> Addresses:
    """What the addresses of a letter come to, its places in the text that was laid out.

    `text` is the folded text, `chars` the same as written. Without `fixed` the line's own address is given to it anew
    each time, so that none of those in the letter is the site's own.
    """
    letter = _Letter(text, chars, rows)
    mentions = [one for one in _mentions(text) if one.prefix is not None or not _HOP.search(text[: one.place.start][-60:])]
    said = list(_words(letter, mentions))
    scored = list(zip(mentions, _scores(letter, mentions, said), strict=True))
    scored = _corrected(letter, scored)
    scored = [one for one in scored if not _struck(letter, one, scored)]
    for mention, scores in scored:
        _weigh_row(letter, mention, scores)
    scored = [_as_network(letter, one, scored) for one in scored]
    scored = [one for one in scored if not _foreign(letter, one)]
    four = [one for one in scored if one[0].address.family == 4]
    six = [one for one in scored if one[0].address.family == 6]
    modem, four = _modem(letter, four, fixed=fixed)
    named = [one for one in scored if _top(one[1]) is Topic.RESOLVER and one not in modem]
    found = _ipv4(letter, [one for one in four if one not in named], named, fixed=fixed)
    found = found._replace(**_ipv6([one for one in six if one not in named]))
    return found._replace(modem_subnet=_modem_subnet(letter, modem))


# --- What stands there ---------------------------------------------------------------------------------------


def _mentions(text: str) -> Iterator[_Mention]:
    found = [(one.start(), one) for shape in (_SIX, _FULL, _SHORT) for one in shape.finditer(text)]
    found.sort(key=lambda pair: (pair[0], -pair[1].end()))
    whole = [one for _, one in found if one.re is _FULL and not one["address"].startswith("255.")]
    first = next((one for one in whole if one["bits"] or one["dotted"] or one["slashed"]), whole[0] if whole else None)
    end, near = -1, None
    with suppress(AddressError):
        near = parse_address(first["address"]) if first else None
    for start, one in found:
        if start < end:
            continue
        mention = _mention(one, near)
        if mention is None:
            continue
        end = one.end()
        if mention.address.family == 4 and one.re is _FULL:
            near = mention.address
        yield mention


def _mention(found: re.Match[str], near: Address | None) -> _Mention | None:
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
    return _Mention(Stretch(found.start(), found.end()), address, prefix, last, short)


def _short(text: str, near: Address | None) -> Address | None:
    if near is None:
        return None
    return parse_address(f"{str(near).rpartition('.')[0]}.{text}")


def _words(letter: _Letter, mentions: Sequence[_Mention]) -> Iterator[Said]:
    """The words that name an address; none inside an address, and none that only look like one of them."""
    taken = [m.place for m in mentions]
    for said in spoken(letter.text):
        if said.topic not in _OF_ADDRESSES or any(p.start < said.end and said.start < p.end for p in taken):
            continue
        word = letter.text[said.start : said.end]
        if word in _ABBREVIATED and not letter.chars[said.start : said.end].isupper() and not re.match(
            r"[\s:=(]{1,3}\.?\d|\)", letter.text[said.end :]
        ):
            continue
        yield said
    for row in letter.rows:
        if not row.row.told and row.row.label.chars:
            yield Said(Topic.ELSE, row.start, row.value)


def _scores(letter: _Letter, mentions: Sequence[_Mention], unsorted: Sequence[Said]) -> list[_Scores]:
    """How strongly each address is named as each topic."""
    text = letter.text
    said = sorted(unsorted, key=lambda one: one.start)
    scores: list[_Scores] = [{} for _ in mentions]
    before: Topic | None = None
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
        elif named_behind is None and before is not None and place and (
            _JOIN.match(text[previous : mention.place.start]) or _NAMED_SERVER.match(text[previous : mention.place.start])
        ) and letter.row_at(mention.place.start) == letter.row_at(mentions[place - 1].place.start):
            mine[before] = mine.get(before, 0) + (2.5 if before in (Topic.RESOLVER, Topic.USABLE) else 1.0)
        else:
            before = named_behind
    return scores


def _is_behind(text: str, mention: _Mention, word: Said, between: str, said: Sequence[Said]) -> bool:
    """Whether words behind an address name it: joined by `is`, `(`, `=`, or alone between commas (`.49 gateway,`)."""
    if "\n" in between or len(between) > 40:
        return False
    if between.strip().startswith(("(", "[", ":")) and re.match(r"[^)\],;\n]{0,25}?(?<!\w)\.?\d{1,3}\b", text[word.end :]):
        return False  # it names what comes after it
    if not between.strip() and word.topic in (Topic.ROUTED, Topic.USABLE, Topic.BROADCAST) and re.match(r"[^\n\d]{0,20}(?:$|[,;.)\n])", text[word.end :]):
        return True
    if between.strip():
        return _BEHIND.match(between) is not None and not re.match(r"[\s:=(]{0,3}\d{1,3}\.\d", text[word.end :])
    if _JOINING.match(text[word.start : word.end]):
        return True
    begins = max(text.rfind(stop, 0, mention.place.start) for stop in ",;\n|(") + 1
    begins = max(begins, text.rfind(". ", 0, mention.place.start) + 1)
    lonely = not any(begins <= w.start < mention.place.start for w in said)
    return lonely and re.match(r"\s*(?:[,;.)\n|(]|-\s|$|and\b|for\b|reserved\b)", text[word.end :]) is not None


def _strength(text: str, word: Said) -> float:
    """A mere `use` names an address less than a noun does."""
    return 0.4 if _VERB.fullmatch(text[word.start : word.end].strip()) else 1.0


def _reaches(text: str, word: Said, mention: _Mention) -> bool:
    """Whether words stand in one sentence with an address behind them."""
    between = text[word.end : mention.place.start].lstrip(" \t").removeprefix(";")
    return not _STOP.search(between) and len(between) < 60


def _weigh_row(letter: _Letter, mention: _Mention, scores: _Scores) -> None:
    """What the row's heading says of an address in it."""
    row = letter.row_at(mention.place.start)
    if row is None or Mark.INSIDE not in row.row.marks:
        return
    if mention.prefix is not None and mention.address.family == 4:
        scores[Topic.ROUTED] = scores.get(Topic.ROUTED, 0) + 6.0
    elif mention.last is None and not {Topic.RESOLVER, Topic.USABLE} & set(scores):
        scores[Topic.ELSE] = scores.get(Topic.ELSE, 0) + 6.0


# --- What does not count -------------------------------------------------------------------------------------


def _corrected(letter: _Letter, scored: Sequence[_Scored]) -> list[_Scored]:
    """Addresses without those that are taken back: `.201 … sorry, .206`; what corrects has the meaning of what it corrects."""
    kept: list[_Scored] = []
    for mention, scores in _become(letter, scored):
        before = kept[-1] if kept else None
        start = before[0].place.end if before else 0
        between = letter.text[start : mention.place.start]
        if before and words.CORRECTION.search(between[-40:]) and _top(scores) in (None, _top(before[1])):
            kept[-1] = (mention, {**before[1], **scores})
        else:
            kept.append((mention, scores))
    again = words.AS_LAST.search(letter.text)
    if again is None:
        return kept
    later = {_top(s) for m, s in kept if m.place.start > again.end()} & {Topic.OWN, Topic.GATEWAY, Topic.RESOLVER}
    return [
        (m, s if m.place.start > again.start() or _top(s) not in later else {Topic.NETWORK: 3.0})
        for m, s in kept
        if m.place.start > again.start() or _top(s) not in later or m.prefix is not None
    ]


_BECOME = re.compile(
    r"\b(?:become?s?|changes? to|(?:are |is |will be |be )?replaced by|pasan? a ser|wird zu|werden zu|ersetzt durch|devien(?:t|nent)|remplace(?:e|s)? par"
    r"|wordt|worden|diventan?o?|sostituit[oi] da|staje sie|make way for|give way to)\W+\Z"
)


def _become(letter: _Letter, scored: Sequence[_Scored]) -> Iterator[_Scored]:
    """Addresses, those that take the place of others with what these mean, and without them."""
    made: list[_Scored] = []
    start = 0
    for mention, scores in scored:
        before = letter.text[start : mention.place.start]
        start = mention.place.end
        if made and _BECOME.search(before):
            topic = _top(made[-1][1])
            while made and _top(made[-1][1]) is topic and letter.row_at(made[-1][0].place.start) == letter.row_at(mention.place.start):
                made.pop()
            scores = scores or ({topic: 3.0} if topic else {})
        elif made and not scores and _JOIN.match(before) and _top(made[-1][1]) is Topic.RESOLVER:
            scores = {Topic.RESOLVER: 2.5}
        made.append((mention, scores))
    yield from made


def _struck(letter: _Letter, one: _Scored, scored: Sequence[_Scored]) -> bool:
    """Whether an address is only told as what it was, or what it is not."""
    mention, _ = one
    row = letter.row_at(mention.place.start)
    marks = row.row.marks if row else frozenset()
    if Mark.OLD in marks or Mark.COVER in marks and "255." in str(mention.address):
        return True
    begins = max(row.start if row else 0, max((m.place.end for m, _ in scored if m.place.end <= mention.place.start), default=0))
    ahead = letter.text[begins : mention.place.start]
    if words.STRIKING.search(ahead) or words.STRUCK_BEHIND.match(letter.text[mention.place.end :]):
        return True
    if re.match(r"\s*(?:->|=>|\u2192)\s*[\d.]", letter.text[mention.place.end :]):
        return True
    clause = letter.text[max(row.start if row else 0, _sentence(letter.text, mention.place.start)) : mention.place.start]
    old = list(words.OLD.finditer(clause))
    return bool(old) and not words.NEW.search(clause, old[-1].end())


def _sentence(text: str, place: int) -> int:
    """Where the sentence begins that a place is in."""
    return max(text.rfind(stop, 0, place) for stop in (". ", "\n", "; ", "! ", "? ")) + 1


def _as_network(letter: _Letter, one: _Scored, scored: Sequence[_Scored]) -> _Scored:
    """An address with an unknown label; where it is the subnet that others are named in, it is that."""
    mention, scores = one
    row = letter.row_at(mention.place.start)
    if row is None or row.row.told or mention.prefix is None or set(scores) != {Topic.ELSE}:
        return one
    net = Network.holding(mention.address, mention.prefix)
    named = any(_top(s) in (Topic.OWN, Topic.GATEWAY) and net.holds(m.address) for m, s in scored)
    return (mention, {Topic.NETWORK: 3.0}) if named and net.first == mention.address else one


def _foreign(letter: _Letter, one: _Scored) -> bool:
    """Whether an address belongs to another service, to a signature, or to nothing that is read."""
    row = letter.row_at(one[0].place.start)
    marks = row.row.marks if row else frozenset()
    return bool(marks & {Mark.OTHER, Mark.SIGNED}) or _top(one[1]) is Topic.ELSE


def _modem(letter: _Letter, four: Sequence[_Scored], *, fixed: bool) -> tuple[list[_Scored], list[_Scored]]:
    """The addresses of a modem or of the provider's inside, and the others."""
    speaks = re.search(r"\bmodem\b|\bbox\b|kabelbox|\bont\b|\brouter of the provider\b", letter.text) is not None
    public = [m for m, _ in four if not _is_private(m.address) and not _SHARED.holds(m.address)]
    modem, rest = [], []
    for mention, scores in four:
        inner = _is_private(mention.address)
        if _SHARED.holds(mention.address) and (public or not fixed):
            continue
        if inner and (_top(scores) is Topic.MODEM or (speaks and (not fixed or bool(public)))):
            modem.append((mention, scores))
        elif inner and public:
            continue
        elif _top(scores) is Topic.MODEM:
            continue
        else:
            rest.append((mention, scores))
    return modem, rest


def _is_private(address: Address) -> bool:
    return address.family == 4 and any(net.holds(address) for net in _PRIVATE)


def _modem_subnet(letter: _Letter, modem: Sequence[_Scored]) -> Reading | None:
    if not modem or words.BRIDGED.search(letter.text):
        return None
    mention = next((m for m, _ in modem if m.prefix is not None), modem[0][0])
    prefix = mention.prefix
    if prefix is None:
        for mask, place, row in _masks(letter):
            near = place.start - mention.place.end
            label = letter.text[row.start : row.value] if row else ""
            if 0 <= near < 30 or "modem" in label or "box" in label or "inside" in label:
                prefix = mask
    if prefix is None:
        net = str(Network.holding(mention.address, 24))
        return Reading(net, Sure.OPEN, (mention.place,), ())
    return Reading(str(Network.holding(mention.address, prefix)), Sure.SAID, (mention.place,))


# --- What fits together --------------------------------------------------------------------------------------


_Mask = tuple[int, Stretch, "Place | None"]


def _masks(letter: _Letter) -> Iterator[_Mask]:
    """Masks that stand alone, with their rows, as far as those speak of the line as it will be."""
    for found in _MASK_ALONE.finditer(letter.text):
        row = letter.row_at(found.start())
        marks = row.row.marks if row else frozenset()
        if marks & {Mark.OLD, Mark.OTHER, Mark.COVER}:
            continue
        try:
            kind = str(found.lastgroup)
            text = found[kind]
            if kind == "hex":
                text = ".".join(str(int(text[n : n + 2], 16)) for n in range(0, 8, 2))
            elif kind == "wild":
                text = ".".join(str(255 - int(octet)) for octet in text.split("."))
            elif text in _COUNTED:
                text = str(_COUNTED[text])
            prefix = parse_mask(text)
        except (AddressError, ValueError):
            continue
        if prefix >= 8 and not re.match(r"\s*(?:was\b|->|\u2192)", letter.text[found.end() :]):
            yield prefix, Stretch(*found.span()), row


def _ipv4(letter: _Letter, scored: Sequence[_Scored], resolvers: Sequence[_Scored], *, fixed: bool) -> Addresses:
    masks = [m for m in _masks(letter) if not (m[2] and re.search(r"modem|box|inside", letter.text[m[2].start : m[2].value]))]
    alone = next(((prefix, place) for prefix, place, row in masks if row is None or Mark.INSIDE not in row.row.marks), None)
    if not fixed:
        blocks = [one for one in scored if one[0].prefix is not None and one[1].get(Topic.ROUTED, 0) >= 2.5]
        return Addresses(resolvers=_several(resolvers, Sure.SAID), routed_blocks=_blocks(letter, blocks))
    routed = [one for one in scored if one[1].get(Topic.ROUTED, 0) >= 2.5 and _top(one[1]) in (Topic.ROUTED, Topic.NETWORK)]
    blocks = [Network.holding(m.address, m.prefix) for m, _ in routed if m.prefix is not None]
    if not _is_beside(scored, routed, blocks):
        routed, blocks = [], []
    rest = [one for one in scored if one not in routed and _top(one[1]) is not Topic.MASK]
    inside = [one for one in rest if any(net.holds(one[0].address) for net in blocks) and _top(one[1]) is not Topic.OWN]
    usable = [one for one in inside if Topic.USABLE in one[1] or one[0].last is not None]
    link = [one for one in rest if one not in inside]
    if not link and not resolvers and not blocks and _told_block(letter) is None:
        return Addresses(prefix=Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None)
    nets = list(_networks(link, alone))
    same = _same(link)
    problem = ""
    if same:
        problem = f"The letter names {same[0][0].address} as the site's own address and as the gateway: ask which it is"
        link = [one for one in link if one not in same]
    (own, gateway), others = _kept_own(*_pairs(link, nets), link, nets)
    if own and gateway and not (own[1] or gateway[1]) and (own[0].prefix is None or own is not link[0]):
        others = [*others, (gateway, own)]  # neither is named, and the mask belongs to neither of them
    left_over = Sure.SAID
    if not resolvers:
        used = {id(one[0]) for one in (own, gateway) if one}
        left = [
            o for o in link
            if id(o[0]) not in used and not any(net.holds(o[0].address) for net in nets) and o[0].prefix is None
        ]  # fmt: skip
        if nets and 1 <= len(left) <= 2 and not any(_top(o[1]) is not None for o in left):
            resolvers, left_over = left, Sure.FOLLOWS
    net = next((n for n in nets if own and n.holds(_own_of(own, gateway))), nets[0] if nets else None)
    usable += [one for one in link if _is_many(one, own)]
    found = Addresses(
        address=_own(own, gateway, [pair[0] for pair in others]),
        prefix=_prefix(net, link, alone),
        gateway=_gateway(gateway, [pair[1] for pair in others]),
        resolvers=_several(resolvers, left_over),
        routed_blocks=_blocks(letter, routed),
    )
    found = _relative(letter, found, net)
    found = _told_first(letter, found, net, usable)
    found = found._replace(uses=_uses(letter, usable, found, net))
    if same:
        broken = Reading(str(same[0][0].address), Sure.SAID, tuple(one[0].place for one in same), (), problem)
        return found._replace(address=broken, gateway=broken)
    return _contradicted(found, link, net)


def _is_beside(scored: Sequence[_Scored], routed: Sequence[_Scored], blocks: Sequence[Network]) -> bool:
    """Whether there is a hand-off beside the blocks; else what is called a block is the hand-off itself."""
    sides = [m.address for m, s in scored if _top(s) in (Topic.OWN, Topic.GATEWAY) and (m, s) not in routed]
    return not sides or any(not any(net.holds(side) for net in blocks) for side in sides)


def _is_many(one: _Scored, own: _Scored | None) -> bool:
    """Whether an address is one of several that are free to use, or begins a run of them."""
    if one[0].last is not None:
        return _top(one[1]) in (None, Topic.USABLE, Topic.OWN, Topic.NETWORK)
    return Topic.USABLE in one[1] and _top(one[1]) in (Topic.USABLE, Topic.OWN) and one[0].prefix is None


def _same(link: Sequence[_Scored]) -> list[_Scored]:
    """Where one address is named as the site's own and as the gateway, and nothing else as either."""
    own = [one for one in link if _top(one[1]) is Topic.OWN and one[1][Topic.OWN] >= 2.5]
    gates = [one for one in link if _top(one[1]) is Topic.GATEWAY and one[1][Topic.GATEWAY] >= 2.5]
    if not own or not gates:
        return []
    if {one[0].address for one in own} == {one[0].address for one in gates}:
        return [*own, *gates]
    return []


def _contradicted(found: Addresses, link: Sequence[_Scored], net: Network | None) -> Addresses:
    """What words say and arithmetic forbids, told."""
    if net is None:
        return found
    if found.address is None:
        for mention, scores in link:
            edge = net.holds(mention.address) and net.prefix <= 30 and mention.address in (net.first, net.last)
            if edge and mention.last is None and scores.get(Topic.OWN, 0) >= 2.5 and _top(scores) is Topic.OWN:
                what = "network address" if mention.address == net.first else "broadcast address"
                problem = f"{mention.address} is the {what} of {net}, which no device can have: ask the provider"
                if mention.prefix is not None and found.gateway and mention.address == net.first:
                    problem = f"{mention.address} is the network itself: ask which of its addresses is the site's own"
                found = found._replace(address=Reading(str(mention.address), Sure.SAID, (mention.place,), (), problem))
                break
    if found.gateway is None:
        for mention, scores in link:
            if _top(scores) is Topic.GATEWAY and scores[Topic.GATEWAY] >= 2.5 and not net.holds(mention.address):
                problem = f"{mention.address} lies outside {net}, so the gateway cannot be reached: ask the provider"
                found = found._replace(gateway=Reading(str(mention.address), Sure.SAID, (mention.place,), (), problem))
                break
    return found


def _top(scores: _Scores) -> Topic | None:
    return max(scores, key=lambda part: scores[part]) if scores else None


def _networks(link: Sequence[_Scored], alone: tuple[int, Stretch] | None) -> Iterator[Network]:
    """The hand-off subnets that the letter speaks of, the surest first."""
    seen: set[Network] = set()
    for mention, _ in link:
        if mention.prefix is not None:
            net = Network.holding(mention.address, mention.prefix)
            if net not in seen:
                seen.add(net)
                yield net
    if not seen and alone is not None:
        for mention, _ in link:
            net = Network.holding(mention.address, alone[0])
            if net not in seen:
                seen.add(net)
                yield net


def _own_of(own: _Scored, gateway: _Scored | None) -> Address:
    """The address itself: of a run its first that is neither the gateway nor the network."""
    mention = own[0]
    if mention.last is not None and gateway is not None and gateway[0].address == mention.address:
        return mention.address.plus(1)
    return mention.address


def _kept_own(
    best: _Pair, others: list[_Pair], link: Sequence[_Scored], nets: Sequence[Network]
) -> tuple[_Pair, list[_Pair]]:
    """Of an address and a gateway that are both named, and do not fit together, the address is kept."""
    if best[0] is not None or best[1] is None:
        return best, others
    gateway = best[1][0].address
    for one in link:
        net = next((net for net in nets if net.holds(one[0].address)), None)
        edge = net is not None and net.prefix <= 30 and one[0].address in (net.first, net.last)
        if _top(one[1]) is Topic.OWN and one[1][Topic.OWN] >= 2.5 and net is not None and not net.holds(gateway) and not edge:
            return (one, None), []
    return best, others


_Pair = tuple[_Scored | None, _Scored | None]


def _pairs(link: Sequence[_Scored], nets: Sequence[Network]) -> tuple[_Pair, list[_Pair]]:
    """The own address and the gateway that fit best, and others that fit as well."""
    link = link[:40]
    named = [one for one in link if _top(one[1]) is Topic.GATEWAY and one[1][Topic.GATEWAY] >= 2.5]
    rated: list[tuple[float, _Pair]] = []
    for own in (None, *link):
        for gateway in (None, *(named or link)):
            if own is not None and gateway is not None and own[0] is gateway[0] and own[0].last is None:
                continue
            rated.append((_fit(own, gateway, nets, link), (own, gateway)))
    rated.sort(key=lambda one: -one[0])
    top, best = rated[0]
    if top <= 0:
        return (None, None), []
    shown = {_told(best)}
    others = []
    for rate, pair in rated[1:]:
        if rate > top - 0.75 and _told(pair) not in shown:
            shown.add(_told(pair))
            others.append(pair)
    return best, others


def _told(pair: _Pair) -> tuple[str, str]:
    own, gateway = pair
    return (str(_own_of(own, gateway)) if own else "", str(gateway[0].address) if gateway else "")


def _fit(own: _Scored | None, gateway: _Scored | None, nets: Sequence[Network], link: Sequence[_Scored]) -> float:
    rate = 0.0
    if own is not None:
        rate += _as(own, Topic.OWN, _own_of(own, gateway), nets)
        if own[1].get(Topic.USABLE, 0) and not own[1].get(Topic.OWN, 0):
            rate += 1.0
        if own[0].prefix is not None:
            rate += 1.5  # a mask is written behind one's own address
        if _top(own[1]) is None:
            rate += 0.8 - 0.3 * [id(one[0]) for one in link].index(id(own[0])) if len(link) < 4 else 0.3
    if gateway is not None:
        rate += _as(gateway, Topic.GATEWAY, gateway[0].address, nets)
        if gateway[0].last is not None:
            rate -= 3.0
        if _top(gateway[1]) is None:
            rate += 0.4
    if own is not None and gateway is not None:
        mine, theirs = _own_of(own, gateway), gateway[0].address
        together = [net for net in nets if net.holds(mine)]
        if together:
            rate += 2.0 if any(net.holds(theirs) for net in together) else -5.0
        elif str(mine).rpartition(".")[0] != str(theirs).rpartition(".")[0]:
            rate -= 1.5
        if mine == theirs:
            rate -= 9.0
    return rate


def _as(one: _Scored, topic: Topic, address: Address, nets: Sequence[Network]) -> float:
    """How well an address is one thing: named so, and not named or shaped otherwise."""
    scores = one[1]
    against = max((score for other, score in scores.items() if other not in (topic, Topic.USABLE)), default=0.0)
    rate = scores.get(topic, 0.0) - 0.9 * against
    for net in nets:
        if net.holds(address) and net.prefix <= 30 and address in (net.first, net.last):
            rate -= 7.0
    return rate


def _sure(one: _Scored, topic: Topic) -> Sure:
    return Sure.SAID if one[1].get(topic, 0) >= 2.5 else Sure.FOLLOWS


def _own(own: _Scored | None, gateway: _Scored | None, others: Sequence[_Scored | None]) -> Reading | None:
    if own is None:
        return None
    text = str(_own_of(own, gateway))
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    sure = Sure.OPEN if more else Sure.FOLLOWS if own[0].last is not None else _sure(own, Topic.OWN)
    return Reading(text, sure, (own[0].place,), more)


def _gateway(gateway: _Scored | None, others: Sequence[_Scored | None]) -> Reading | None:
    if gateway is None:
        return None
    text = str(gateway[0].address)
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    return Reading(text, Sure.OPEN if more else _sure(gateway, Topic.GATEWAY), (gateway[0].place,), more)


def _prefix(net: Network | None, link: Sequence[_Scored], alone: tuple[int, Stretch] | None) -> Reading | None:
    if net is None:
        return Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None
    places = tuple(m.place for m, _ in link if m.prefix == net.prefix)
    return Reading(f"/{net.prefix}", Sure.SAID, places or ((alone[1],) if alone else ()))


def _several(some: Sequence[_Scored], sure: Sure) -> Reading | None:
    if not some:
        return None
    texts: dict[str, None] = {}
    for mention, _ in some:
        last = mention.last if mention.last is not None and mention.last.value - mention.address.value < 4 else None
        texts |= dict.fromkeys([str(mention.address), *([str(last)] if last else [])])
    return Reading(" ".join(texts), sure, tuple(mention.place for mention, _ in some))


def _blocks(letter: _Letter, routed: Sequence[_Scored]) -> Reading | None:
    """Blocks that are routed to the site; a mask may stand alone behind its address."""
    nets: list[tuple[_Mention, Network]] = []
    for mention, _ in routed:
        if mention.prefix is None:
            continue
        net = Network.holding(mention.address, mention.prefix)
        if net.first != mention.address and mention.last is not None:
            problem = f"{mention.address}/{mention.prefix} is not a network (that would be {net}): ask the provider"
            return Reading(f"{mention.address}/{mention.prefix}", Sure.SAID, (mention.place,), (), problem)
        if net.first != mention.address and re.search(r"block|subnet|network|range|route", letter.text[max(0, mention.place.start - 30) : mention.place.start]):
            problem = f"{mention.address}/{mention.prefix} is not a network (that would be {net}): ask the provider"
            return Reading(f"{mention.address}/{mention.prefix}", Sure.SAID, (mention.place,), (), problem)
        nets.append((mention, net))
    if not nets:
        return None
    return Reading("; ".join(dict.fromkeys(str(n) for _, n in nets)), Sure.SAID, tuple(m.place for m, _ in nets))


# --- What is said by counting --------------------------------------------------------------------------------


def _relative(letter: _Letter, found: Addresses, net: Network | None) -> Addresses:
    """Addresses that are told by their place in the block: `router: start+1`."""
    block = net or _told_block(letter)
    if block is None:
        return found
    for row in letter.rows:
        at = _counted(letter.text[row.value : row.end], block)
        if len(at) != 1:
            continue
        place = Stretch(row.value, row.end)
        topics = {one.topic for one in words.labels(letter.text[row.start : row.value].rstrip(": "))}
        if Topic.GATEWAY in topics and found.gateway is None:
            found = found._replace(gateway=Reading(str(at[0]), Sure.FOLLOWS, (place,)))
        elif Topic.OWN in topics and (found.address is None or found.address.sure is not Sure.SAID):
            found = found._replace(address=Reading(str(at[0]), Sure.FOLLOWS, (place,)))
    if found.prefix is None:
        found = found._replace(prefix=Reading(f"/{block.prefix}", Sure.FOLLOWS, ()))
    return found


def _told_block(letter: _Letter) -> Network | None:
    """A block that is told by its first address and its size."""
    start = re.search(rf"\b(?:start|base|from|first)\W{{1,4}}({_IPV4})", letter.text)
    mask = next(_masks(letter), None)
    if start is None or mask is None:
        return None
    with suppress(AddressError):
        return Network.holding(parse_address(start[1]), mask[0])
    return None


def _counted(text: str, block: Network) -> list[Address]:
    """The addresses that a text tells by counting from the ends of a block."""
    if re.search(_IPV4, text):
        return []
    found = []
    for one in _RELATIVE.finditer(text):
        if one["alone"]:
            continue
        by = int(one["by"])
        base = block.last if one["from"] in ("end", "last", "broadcast") else block.first
        value = base.value + (by if one["sign"] == "+" else -by)
        if block.first.value <= value <= block.last.value:
            found.append(Address(4, value))
    return found


_FIRST_FOR = re.compile(
    r"\b(?:first|lowest|erste|premiere|primera?|eerste|primo|pierwsz\w+)\s+(?:usable|free|available|nutzbare|of them|one|address|ip|utilisable|utilizable|bruikbare|utilizzabile)?[^.;\n]{0,40}?"
    r"\b(?:to|for|on|is|an|fur|a|pour|para|voor|al|dla)\s+(?:the\s+)?(?:your|customer|ihr\w*|votre|su|uw|vostro)\b"
)


def _told_first(letter: _Letter, found: Addresses, net: Network | None, usable: Sequence[_Scored]) -> Addresses:
    """`Please give the first usable to your router`."""
    if net is None or not usable or (found.address is not None and found.address.sure is Sure.SAID):
        return found
    if _FIRST_FOR.search(letter.text):
        gate = found.gateway.text if found.gateway else ""
        first = next((m for m, _ in usable if net.holds(m.address) and str(m.address) != gate), None)
        if first is not None:
            return found._replace(address=Reading(str(first.address), Sure.FOLLOWS, (first.place,)))
    return found


def _uses(letter: _Letter, usable: Sequence[_Scored], found: Addresses, net: Network | None) -> Reading | None:
    """Further addresses: those that are free to use, without the site's own, the gateway and the ends of the subnet."""
    spans: list[tuple[Address, Address, Stretch]] = [(m.address, m.last or m.address, m.place) for m, _ in usable]
    block = net or _told_block(letter)
    if block is not None and not spans:
        for row in letter.rows:
            topics = {one.topic for one in words.labels(letter.text[row.start : row.value].rstrip(": "))}
            ends = _counted(letter.text[row.value : row.end], block)
            if Topic.USABLE in topics and len(ends) == 2:
                spans.append((ends[0], ends[1], Stretch(row.value, row.end)))
    taken = {reading.text for reading in (found.address, found.gateway) if reading is not None}
    free: dict[str, None] = {}
    for first, last, _ in spans:
        for value in range(first.value, min(last.value, first.value + 255) + 1):
            address = Address(4, value)
            edge = net is not None and net.holds(address) and net.prefix <= 30 and address in (net.first, net.last)
            if str(address) not in taken and not edge:
                free[str(address)] = None
    if not free or (len(free) == 1 and len(spans) == 1 and spans[0][0] != spans[0][1]):
        return None
    return Reading(" ".join(free), Sure.SAID, tuple(place for _, _, place in spans))


# --- IPv6 ----------------------------------------------------------------------------------------------------


def _ipv6(scored: Sequence[_Scored]) -> dict[str, Reading | None]:
    """The IPv6 side of a hand-off: what is named, and what has an interface part is one's own."""
    found: dict[str, Reading | None] = {}
    for one in scored:
        mention, scores = one
        top = _top(scores)
        network = mention.prefix is not None and Network.holding(mention.address, mention.prefix).first == mention.address
        link_local = str(mention.address).startswith("fe80")
        if network and mention.prefix is not None and (mention.prefix < 64 or top in (Topic.ROUTED, Topic.DELEGATED)):
            text = f"{mention.address}/{mention.prefix}"
            found.setdefault("delegated_prefix", Reading(text, _sure(one, Topic.DELEGATED), (mention.place,)))
            continue
        if top is Topic.GATEWAY or link_local:
            found.setdefault("gateway6", Reading(str(mention.address), _sure(one, Topic.GATEWAY), (mention.place,)))
        elif not network and "address6" not in found:
            found["address6"] = Reading(str(mention.address), _sure(one, Topic.OWN), (mention.place,))
        if mention.prefix is not None and top is not Topic.ROUTED and mention.prefix >= 64 and not link_local:
            found.setdefault("prefix6", Reading(f"/{mention.prefix}", Sure.SAID, (mention.place,)))
    return found
