"""The addresses in a provider's letter, told apart by their shape, the words around them, and arithmetic.

An address and a mask have a shape; words name what an address is for, before it or after it; and what fits together
decides where words leave it open: a gateway is a neighbour in the subnet, a network or broadcast address is nobody's
own, two that are left over outside of it are resolvers. What has two readings is told as such.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from enum import StrEnum
from itertools import pairwise
from typing import NamedTuple

from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_mask

#: Reply marks at the beginning of lines, and what stands below a signature's dashes.
_QUOTE_MARKS = re.compile(r"^(?:[ \t]*>)+", re.MULTILINE)
_SIGNATURE = re.compile(r"^-- ?\n[\s\S]*\Z", re.MULTILINE)


class Meaning(StrEnum):
    """What an address in a letter can be."""

    OWN = "own"
    GATEWAY = "gateway"
    RESOLVER = "resolver"
    NETWORK = "network"
    BROADCAST = "broadcast"
    ROUTED = "routed"
    USABLE = "usable"
    MASK = "mask"
    OTHER = "other"


class Sure(StrEnum):
    """How sure a reading is: said by words, followed from what fits, or one of several."""

    SAID = "said"
    FOLLOWS = "follows"
    OPEN = "open"


class Stretch(NamedTuple):
    """Where something stands in the letter."""

    start: int
    end: int


class Reading(NamedTuple):
    """One value, how sure it is, the places it comes from, and what else it may be."""

    text: str
    sure: Sure
    places: tuple[Stretch, ...]
    others: tuple[str, ...] = ()


class Readings(NamedTuple):
    """What the addresses of a letter come to."""

    address: Reading | None = None
    prefix: Reading | None = None
    gateway: Reading | None = None
    resolvers: Reading | None = None
    routed_blocks: Reading | None = None
    address6: Reading | None = None
    prefix6: Reading | None = None
    gateway6: Reading | None = None


class _Mention(NamedTuple):
    """An address as it stands in the letter; `last` of a run, `prefix` of a mask right behind it."""

    place: Stretch
    address: Address
    prefix: int | None
    last: Address | None


class _Word(NamedTuple):
    part: Meaning
    place: Stretch


_IPV4 = r"\d{1,3}(?:\.\d{1,3}){3}"
_RUN = r"(?:\s*(?:-|–|—|\bto\b|\bthrough\b|\bthru\b|\.\.)\s*(?P<last>" + _IPV4 + r"|\.?\d{1,3})(?![\d.]*\d))?"
_DOTTED = r"255(?:\.\d{1,3}){3}"
_FULL = re.compile(
    rf"(?<![\w.])(?P<address>{_IPV4})(?![\d]|\.\d)"
    rf"(?:\s*/\s*(?P<bits>\d{{1,2}})(?![\d.]*\d)|\s*/\s*(?P<slashed>{_DOTTED})|\s+(?P<dotted>{_DOTTED}))?" + _RUN
)
_SHORT = re.compile(r"(?<![\w.])\.(?P<address>\d{1,3})(?![\d]|\.\d)(?:\s*/\s*(?P<bits>\d{1,2})(?!\d))?" + _RUN)
_SIX = re.compile(
    r"(?<![\w:.])(?P<address>[0-9a-f]{0,4}(?::[0-9a-f]{0,4}){2,7})(?:\s*/\s*(?P<bits>\d{1,3}))?(?![\w:])", re.I
)
_MASK_ALONE = re.compile(
    rf"(?<![\w.])(?:{_DOTTED}(?![\d.]*\d)|/\s?\d{{1,2}}(?![\d.]*\d))|(?<=length)\W{{1,3}}\d{{1,2}}(?!\d)"
)

_OURS = r"ours|our|we|us|isp|provider|carrier|upstream|pe|provider's|isp's|carrier's|telco"
_YOURS = r"yours|your|you|customer|client|cust|cpe|customer's|site|end[- ]?user"
_THING = r"(?:side|end|router|equipment|device|interface|firewall|address|ip|ipv4|gateway|box|kit|edge|port|host)"

#: How letters name what an address is; of two at one place the longer counts, of two as long the one named first.
_NAMES: tuple[tuple[Meaning, str], ...] = (
    (Meaning.GATEWAY, rf"(?:is|on|at|as|for)?\s*(?:the\s+)?(?:{_OURS})(?:\s+(?:own\s+)?{_THING})+"),
    (
        Meaning.OWN,
        rf"(?:for\s+)?(?:the\s+)?(?:{_YOURS})(?:\s+(?:own|static|public|fixed|wan|new|ip)\s*)*"
        rf"(?:\s*(?!gateway){_THING})*(?!\s*(?:gateway|gw))",
    ),
    (Meaning.GATEWAY, rf"(?<![\w'])(?:{_OURS})(?![\w'])"),
    (
        Meaning.GATEWAY,
        r"(?:your\s+)?(?:default|def\.?|wan|ipv?6?|ipv?4?|isp|next|first)?[\s-]*(?:gateways?(?:\s+(?:ip|address))?|g/?w|gwy|d/?g)\b"
        r"|default[\s-]+(?:route|router)|next[\s-]*hop|\brouter\b|def\s*gw",
    ),
    (
        Meaning.RESOLVER,
        r"(?:(?:primary|secondary|preferred|alternate|alternative|1st|2nd|first|second|both|our|your|public|recursive)\s+)*"
        r"(?:[ps]?dns(?:\s*(?:servers?|resolvers?|ip|address(?:es)?))*|name\s*servers?|resolvers?|\bns)[\s-]*\d?",
    ),
    (Meaning.BROADCAST, r"broadcast(?:\s+address)?|b/?cast"),
    (
        Meaning.ROUTED,
        r"(?:(?:additional|extra|further|second|lan|routed|delegated)\s+)+(?:ipv?[46]?\s+)?(?:public\s+)?"
        r"(?:ip\s+)?(?:subnet|block|range|network|prefix|addresses|pool)|routed(?:\s+(?:to\s+you|over\s+it|via))?"
        r"|delegated(?:\s+prefix)?|framed\s+route",
    ),
    (
        Meaning.USABLE,
        r"(?:(?:first|last|next|1st)\s+)?(?:usable|available|assignable|useable)(?:\s+(?:ips?|range|addresses|hosts?))*",
    ),
    (Meaning.MASK, r"(?:your\s+)?(?:sub)?net\s*mask|subnet\s+mask|\bmask\b|\bs/?m\b|\bsnm\b"),
    (
        Meaning.NETWORK,
        r"(?:network|subnet|net|wan|hand-?off|link|transfer|transit|allocated|ip|ipv4|assigned)?\s*"
        r"(?:network|subnet|netblock|block|allocation|range|prefix|network\s+address|net\b|cidr)(?:\s+(?:address|id))?",
    ),
    (Meaning.OWN, r"(?:firewall|edge|utm|ce)(?:\s+(?:wan|outside|ip|address|interface|port))*"),
    (
        Meaning.OWN,
        r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+(?:us|it|the|address|ip|as|to))*"
        r"|(?:(?:wan|public|static|fixed|internet|outside|external|primary|usable|ipv4|ipv6|assigned|interface|pt2pt)\s+)*"
        r"(?:ip(?:v4|v6)?(?:\s*addr(?:ess)?)?|address|addr)\b|\bwan\b",
    ),
    (
        Meaning.OTHER,
        r"ntp|time\s+servers?|smtp|mail(?:\s+server)?|sip(?:\s+(?:proxy|server))?|syslog|monitoring|management|tftp"
        r"|old(?:\s+(?:ip|address|gateway))?|previous(?:ly)?|former(?:ly)?|was\b|example|fax|tel|phone|support"
        r"|mtu|vlan|ports?\b",
    ),
)
_WORDS = [(part, re.compile(rf"(?<![\w@.])(?:{names})(?![\w@])", re.IGNORECASE)) for part, names in _NAMES]

#: What may stand between an address and words behind it that name it.
_BEHIND = re.compile(
    r"\s*[,\"'\])]*\s*(?:\(|\[|=|:|–|—|-|←|<-|\bis\b|\bbeing\b|\bas\b|\bare\b|\bwill\s+be\b|\bbelongs\s+to\b|\bfor\b"
    r"|\bgoes\s+to\b|\bon\b|\bof\b|\bto\b)\s*(?:\b(?:is|the|a|be|used|reserved|for|by|as|taken|kept|set|assigned|to|on)\b\s*)*$",
    re.IGNORECASE,
)
_VERB = re.compile(r"(?:please\s+)?(?:use|configure|assign|assigned|set)(?:\s+\w+)?", re.IGNORECASE)
#: Words that begin so belong to what stands before them.
_JOINING = re.compile(r"(?:for|is|as|on|at)\b", re.IGNORECASE)
#: What joins several of one sort.
_JOIN = re.compile(r"\s*(?:,|;|/|&|\+|\||\band\b|\bor\b|\n|\s|\bthen\b|\bsecondary\b|\bprimary\b|[()\[\]])*\s*\Z", re.I)
#: Where a sentence ends: what is named before it says nothing of what comes after.
_STOP = re.compile(r"[;\n]|[.!?](?=\s+[A-Z(])|[.!?]\s*$", re.MULTILINE)


def plain(letter: str) -> str:
    """A letter of the same length without reply marks and what stands below a signature's dashes."""

    def blank(found: re.Match[str]) -> str:
        return re.sub(r"[^\n]", " ", found[0])

    return _SIGNATURE.sub(blank, _QUOTE_MARKS.sub(blank, letter.replace("\u00a0", " ").replace("\r", " ")))


def read_addresses_of(letter: str) -> Readings:
    """What the addresses of a letter come to, as `plain` gives it."""
    mentions = list(_mentions(letter))
    words = list(_words(letter, mentions))
    scores = _scores(letter, mentions, words)
    four = [(m, s) for m, s in zip(mentions, scores, strict=True) if m.address.family == 4]
    six = [(m, s) for m, s in zip(mentions, scores, strict=True) if m.address.family == 6]
    return _ipv4(letter, four)._replace(**_ipv6(six))


# --- What stands there ---------------------------------------------------------------------------------------


def _mentions(letter: str) -> Iterator[_Mention]:
    found = [(one.start(), one) for shape in (_SIX, _FULL, _SHORT) for one in shape.finditer(letter)]
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
    try:
        address = _short(named["address"], near) if found.re is _SHORT else parse_address(named["address"])
        if address is None or (address.family == 6 and address.value < 1 << 64):
            return None  # a short one before any whole one, or a time of day
        mask = named.get("bits") or named.get("slashed") or named.get("dotted")
        prefix = parse_mask(mask, address.family) if mask else None
        end = named.get("last") or ""
        whole = end.count(".") == 3
        last = None if not end else parse_address(end) if whole else _short(end.lstrip("."), address)
    except AddressError:
        return None
    if str(address).startswith("255.") and prefix is None:
        return None
    if last is not None and (last.family != address.family or last.value <= address.value):
        last = None
    return _Mention(Stretch(found.start(), found.end()), address, prefix, last)


def _short(text: str, near: Address | None) -> Address | None:
    if near is None:
        return None
    return parse_address(f"{str(near).rpartition('.')[0]}.{text}")


def _words(letter: str, mentions: Sequence[_Mention]) -> Iterator[_Word]:
    """The words that name an address, longest first where several begin at one place; none inside an address."""
    found = [
        (one.start() + len(one[0]) - len(one[0].lstrip()), one.end(), order, part)
        for order, (part, names) in enumerate(_WORDS)
        for one in names.finditer(letter)
        if one[0].strip()
    ]
    found.sort(key=lambda one: (one[0], -one[1], one[2]))
    end = -1
    taken = [m.place for m in mentions]
    for start, stop, _, part in found:
        if start >= end and not any(p.start < stop and start < p.end for p in taken):
            end = stop
            yield _Word(part, Stretch(start, stop))


_Scores = dict[Meaning, float]


def _scores(letter: str, mentions: Sequence[_Mention], words: Sequence[_Word]) -> list[_Scores]:
    """How strongly each address is named as each meaning."""
    scores: list[_Scores] = [{} for _ in mentions]
    heads = dict(_under_heads(letter, mentions, words))
    before: Meaning | None = None
    spent: set[Stretch] = set()  # words that named an address before them
    for place, mention in enumerate(mentions):
        mine = scores[place]
        if place in heads:
            mine[heads[place]] = 5.0
            before = heads[place]
            continue
        behind = next((w for w in words if w.place.start >= mention.place.end), None)
        following = mentions[place + 1].place.start if place + 1 < len(mentions) else len(letter) + 1
        named_behind = None
        if behind is not None and behind.place.start < following:
            between = letter[mention.place.end : behind.place.start]
            if _is_behind(letter, mention, behind, between, words):
                named_behind = behind.part
                spent.add(behind.place)
                mine[behind.part] = mine.get(behind.part, 0) + 4.0
        ahead = [w for w in words if w.place.end <= mention.place.start and w.place not in spent]
        previous = mentions[place - 1].place.end if place else 0
        own = [w for w in ahead if w.place.start >= previous]
        if own and _reaches(letter, own[-1], mention):
            for number, word in enumerate(reversed(own[-3:])):
                if number == 0 or _reaches(letter, word, mention):
                    weight = (3.0 if number == 0 or _strength(letter, own[-1]) < 1 else 1.0) * _strength(letter, word)
                    mine[word.part] = mine.get(word.part, 0) + weight
            before = max(mine, key=lambda part: mine[part])
        elif (
            named_behind is None
            and before is not None
            and place
            and _JOIN.match(letter[previous : mention.place.start])
        ):
            mine[before] = mine.get(before, 0) + (2.5 if before is Meaning.RESOLVER else 1.0)
        else:
            before = named_behind
    return scores


def _is_behind(letter: str, mention: _Mention, word: _Word, between: str, words: Sequence[_Word]) -> bool:
    """Whether words behind an address name it: joined by `is`, `(`, `=`, or alone between commas (`.49 gateway,`)."""
    if "\n" in between or len(between) > 40:
        return False
    if between.strip().startswith(("(", "[")) and re.match(r"[\s:=]*[\d.]*\d", letter[word.place.end :]):
        return False  # it names what comes after it
    if between.strip():
        return _BEHIND.match(between) is not None
    if _JOINING.match(letter[word.place.start : word.place.end]):
        return True
    begins = max(letter.rfind(stop, 0, mention.place.start) for stop in ",;.\n|") + 1
    begins = max(begins, letter.rfind(". ", 0, mention.place.start) + 1)
    lonely = not any(begins <= w.place.start < mention.place.start for w in words)
    return lonely and re.match(r"\s*(?:[,;.)\n|]|$)", letter[word.place.end :]) is not None


def _strength(letter: str, word: _Word) -> float:
    """A mere `use` names an address less than a noun does."""
    return 0.4 if _VERB.fullmatch(letter[word.place.start : word.place.end].strip()) else 1.0


def _reaches(letter: str, word: _Word, mention: _Mention) -> bool:
    """Whether words stand in one sentence with an address behind them, or on the line right above it."""
    between = letter[word.place.end : mention.place.start].lstrip(" \t").removeprefix(";")
    stops = [stop for stop in _STOP.finditer(between) if stop[0] != "\n" or between[stop.end() :].strip(" \t:=-|")]
    if between.count("\n") > 1:
        return False
    return not stops and len(between) < 60


def _under_heads(letter: str, mentions: Sequence[_Mention], words: Sequence[_Word]) -> Iterator[tuple[int, Meaning]]:
    """Addresses in a table's row, named by the head of their column."""
    lines = [(m.start(), m.end()) for m in re.finditer(r"[^\n]+", letter)]
    for (top, top_end), (start, end) in pairwise(lines):
        heads = [w for w in words if top <= w.place.start < top_end]
        row = [(place, m) for place, m in enumerate(mentions) if start <= m.place.start < end]
        if len(heads) < 2 or not row or any(top <= m.place.start < top_end for m in mentions):
            continue
        cut = next((c for c in (r"\|", r"\t", r";", r" {2,}", r",") if _cells(letter[top:top_end], c) > 1), None)
        if cut is None or _cells(letter[top:top_end], cut) != _cells(letter[start:end], cut):
            continue
        for place, mention in row:
            column = len(re.findall(cut, letter[start : mention.place.start].lstrip(" ")))
            named = [w for w in heads if len(re.findall(cut, letter[top : w.place.start].lstrip(" "))) == column]
            if named:
                yield place, named[-1].part


def _cells(line: str, cut: str) -> int:
    return len(re.split(cut, line.strip(" ")))


# --- What fits together --------------------------------------------------------------------------------------

_Scored = tuple[_Mention, _Scores]


def _ipv4(letter: str, scored: Sequence[_Scored]) -> Readings:
    if not scored:
        return _mask_only(letter)
    routed = [one for one in scored if one[1].get(Meaning.ROUTED, 0) >= 2.5 and _top(one[1]) is Meaning.ROUTED]
    rest = [one for one in scored if one not in routed]
    named_resolvers = [one for one in rest if _top(one[1]) is Meaning.RESOLVER]
    link = [one for one in rest if one not in named_resolvers and _top(one[1]) is not Meaning.OTHER]
    alone = _mask_alone(letter)
    nets = list(_networks(link, alone))
    best, others = _pairs(link, nets)
    own, gateway = best
    if own and gateway and not (own[1] or gateway[1]) and (own[0].prefix is None or own is not link[0]):
        others = [*others, (gateway, own)]  # neither is named, and the mask belongs to neither of them
    resolvers, resolvers_sure = named_resolvers, Sure.SAID
    if not resolvers:
        used = {id(one[0]) for one in (own, gateway) if one}
        left = [
            o
            for o in link
            if id(o[0]) not in used and not any(net.holds(o[0].address) for net in nets) and o[0].prefix is None
        ]
        if nets and 1 <= len(left) <= 2 and not any(_top(o[1]) is not None for o in left):
            resolvers, resolvers_sure = left, Sure.FOLLOWS
    net = next((n for n in nets if own and n.holds(_own_of(own, gateway))), nets[0] if nets else None)
    return Readings(
        address=_own(own, gateway, [pair[0] for pair in others]),
        prefix=_prefix(net, link, alone),
        gateway=_gateway(gateway, [pair[1] for pair in others]),
        resolvers=_several(resolvers, resolvers_sure),
        routed_blocks=_blocks(routed),
    )


def _top(scores: _Scores) -> Meaning | None:
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
    """The address itself: of a run its first that is not the gateway."""
    mention = own[0]
    if mention.last is not None and gateway is not None and gateway[0].address == mention.address:
        return mention.address.plus(1)
    return mention.address


_Pair = tuple[_Scored | None, _Scored | None]


def _pairs(link: Sequence[_Scored], nets: Sequence[Network]) -> tuple[_Pair, list[_Pair]]:
    """The own address and the gateway that fit best, and others that fit as well."""
    rated: list[tuple[float, _Pair]] = []
    for own in (None, *link):
        for gateway in (None, *link):
            if own is not None and gateway is not None and own[0] is gateway[0] and own[0].last is None:
                continue
            rated.append((_fit(own, gateway, nets, link), (own, gateway)))
    rated.sort(key=lambda one: -one[0])
    top, best = rated[0]
    if top <= 0:
        return (None, None), []
    same = [pair for rate, pair in rated[1:] if rate > top - 0.75]
    shown = {_told(best)}
    others = []
    for pair in same:
        if _told(pair) not in shown:
            shown.add(_told(pair))
            others.append(pair)
    return best, others


def _told(pair: _Pair) -> tuple[str, str]:
    own, gateway = pair
    return (str(_own_of(own, gateway)) if own else "", str(gateway[0].address) if gateway else "")


def _fit(own: _Scored | None, gateway: _Scored | None, nets: Sequence[Network], link: Sequence[_Scored]) -> float:
    rate = 0.0
    if own is not None:
        rate += _as(own, Meaning.OWN, _own_of(own, gateway), nets)
        if own[1].get(Meaning.USABLE, 0) and not own[1].get(Meaning.OWN, 0):
            rate += 1.0
        if own[0].prefix is not None:
            rate += 1.5  # a mask is written behind one's own address
        if _top(own[1]) is None:
            rate += 0.8 - 0.3 * [id(one[0]) for one in link].index(id(own[0])) if len(link) < 4 else 0.3
    if gateway is not None:
        rate += _as(gateway, Meaning.GATEWAY, gateway[0].address, nets)
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


def _as(one: _Scored, part: Meaning, address: Address, nets: Sequence[Network]) -> float:
    """How well an address is one part: named so, and not named or shaped otherwise."""
    scores = one[1]
    against = max((score for other, score in scores.items() if other not in (part, Meaning.USABLE)), default=0.0)
    rate = scores.get(part, 0.0) - 0.9 * against
    for net in nets:
        if net.holds(address) and net.prefix <= 30 and address in (net.first, net.last):
            rate -= 7.0
    return rate


def _sure(one: _Scored, part: Meaning) -> Sure:
    return Sure.SAID if one[1].get(part, 0) >= 2.5 else Sure.FOLLOWS


def _own(own: _Scored | None, gateway: _Scored | None, others: Sequence[_Scored | None]) -> Reading | None:
    if own is None:
        return None
    text = str(_own_of(own, gateway))
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    sure = Sure.OPEN if more else Sure.FOLLOWS if own[0].last is not None else _sure(own, Meaning.OWN)
    return Reading(text, sure, (own[0].place,), more)


def _gateway(gateway: _Scored | None, others: Sequence[_Scored | None]) -> Reading | None:
    if gateway is None:
        return None
    text = str(gateway[0].address)
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    return Reading(text, Sure.OPEN if more else _sure(gateway, Meaning.GATEWAY), (gateway[0].place,), more)


def _mask_alone(letter: str) -> tuple[int, Stretch] | None:
    for found in _MASK_ALONE.finditer(letter):
        try:
            return parse_mask(found[0].lstrip(" :=\t")), Stretch(found.start(), found.end())
        except AddressError:
            continue
    return None


def _mask_only(letter: str) -> Readings:
    alone = _mask_alone(letter)
    return Readings(prefix=Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None)


def _prefix(net: Network | None, link: Sequence[_Scored], alone: tuple[int, Stretch] | None) -> Reading | None:
    if net is None:
        return Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None
    places = tuple(m.place for m, _ in link if m.prefix == net.prefix)
    return Reading(f"/{net.prefix}", Sure.SAID, places or ((alone[1],) if alone else ()))


def _several(some: Sequence[_Scored], sure: Sure) -> Reading | None:
    if not some:
        return None
    texts = dict.fromkeys(str(mention.address) for mention, _ in some)
    return Reading(" ".join(texts), sure, tuple(mention.place for mention, _ in some))


def _blocks(routed: Sequence[_Scored]) -> Reading | None:
    nets = [(m, Network.holding(m.address, m.prefix)) for m, _ in routed if m.prefix is not None]
    if not nets:
        return None
    return Reading("; ".join(dict.fromkeys(str(n) for _, n in nets)), Sure.SAID, tuple(m.place for m, _ in nets))


def _ipv6(scored: Sequence[_Scored]) -> dict[str, Reading | None]:
    """The IPv6 side of a hand-off: what is named, and what has an interface part is one's own."""
    found: dict[str, Reading | None] = {}
    for one in scored:
        mention, scores = one
        top = _top(scores)
        network = (
            mention.prefix is not None and Network.holding(mention.address, mention.prefix).first == mention.address
        )
        link_local = str(mention.address).startswith("fe80")
        if top is Meaning.RESOLVER or top is Meaning.OTHER:
            continue
        if top is Meaning.GATEWAY or link_local:
            found.setdefault("gateway6", Reading(str(mention.address), _sure(one, Meaning.GATEWAY), (mention.place,)))
        elif not network and "address6" not in found:
            found["address6"] = Reading(str(mention.address), _sure(one, Meaning.OWN), (mention.place,))
        if mention.prefix is not None and top is not Meaning.ROUTED and mention.prefix >= 64 and not link_local:
            found.setdefault("prefix6", Reading(f"/{mention.prefix}", Sure.SAID, (mention.place,)))
    return found
