"""The addresses in a letter, told apart by what names them and by arithmetic.

A gateway is a neighbour in the subnet, a network or broadcast address is nobody's own, two that are left over outside
of it are resolvers. What has two readings is told as such, and what words say and arithmetic forbids is told as a
contradiction and not taken.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple

from octaplan.core.propose.letters import words
from octaplan.core.propose.letters.layout import RowMark, RowPlace
from octaplan.core.propose.letters.mentions import IPV4, LaidLetter, Mention, Scored, Scores, masks_in, top_of
from octaplan.core.propose.letters.naming import named_in
from octaplan.core.propose.letters.readings import Reading, Sure
from octaplan.core.propose.letters.text import Stretch
from octaplan.core.propose.letters.words import LetterTopic
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_network


class FittedAddresses(NamedTuple):
    """What the addresses of a letter come to. `block`: the hand-off is told as a network, and not only by a mask."""

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
    block: bool = False


_ORDINAL = re.compile(
    r"\s*(?:the\s+)?(?P<which>first|lowest|erste|premiere|primera?|eerste|primo|second|zweite|deuxieme"
    r"|segunda|tweede|secondo|third|last|highest|letzte|derniere|ultim[ao]|laatste|ostatni)\b"
)
_PLACES = {"first": 1, "lowest": 1, "erste": 1, "premiere": 1, "primer": 1, "primera": 1, "eerste": 1, "primo": 1,
           "second": 2, "zweite": 2, "deuxieme": 2,
           "segunda": 2, "tweede": 2, "secondo": 2, "third": 3}  # fmt: skip
_RELATIVE = re.compile(r"\b(?P<from>start|base|network|first|end|last|broadcast)\s*(?P<sign>[+-])\s*(?P<by>\d{1,3})\b")
_PRIVATE = tuple(parse_network(text)[0] for text in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16"))
_SHARED = parse_network("100.64.0.0/10")[0]


def fit_addresses(text: str, chars: str, rows: Sequence[RowPlace], *, fixed: bool = True) -> FittedAddresses:
    """What the addresses of a letter come to, its places in the text that was laid out.

    `text` is the folded text, `chars` the same as written. Without `fixed` the line's own address is given to it anew
    each time, so that none of those in the letter is the site's own.
    """
    letter = LaidLetter(text, chars, rows)
    scored = named_in(letter)
    four = [one for one in scored if one[0].address.family == 4]
    six = [one for one in scored if one[0].address.family == 6]
    modem, four = _modem(letter, four, fixed=fixed)
    named = [one for one in scored if top_of(one[1]) is LetterTopic.RESOLVER and one not in modem]
    found = _ipv4(letter, [one for one in four if one not in named], named, fixed=fixed)
    found = _ipv6(found, [one for one in six if one not in named])
    return found._replace(modem_subnet=_modem_subnet(letter, modem))


def _modem(letter: LaidLetter, four: Sequence[Scored], *, fixed: bool) -> tuple[list[Scored], list[Scored]]:
    """The addresses of a modem or of the provider's inside, and the others."""
    speaks = re.search(r"\bmodem\b|\bbox\b|kabelbox|\bont\b|\brouter of the provider\b", letter.text) is not None
    public = [m for m, _ in four if not _is_private(m.address) and not _SHARED.holds(m.address)]
    modem, rest = [], []
    for mention, scores in four:
        inner = _is_private(mention.address)
        if _SHARED.holds(mention.address) and (public or not fixed):
            continue
        if inner and (top_of(scores) is LetterTopic.MODEM or not fixed or (speaks and bool(public))):
            modem.append((mention, scores))
        elif (inner and (public or not fixed)) or top_of(scores) is LetterTopic.MODEM:
            continue
        else:
            rest.append((mention, scores))
    return modem, rest


def _is_private(address: Address) -> bool:
    return address.family == 4 and any(net.holds(address) for net in _PRIVATE)


def _modem_subnet(letter: LaidLetter, modem: Sequence[Scored]) -> Reading | None:
    if not modem or words.BRIDGED.search(letter.text):
        return None
    mention = next((m for m, _ in modem if m.prefix is not None), modem[0][0])
    prefix = mention.prefix
    if prefix is None:
        for mask, place, row in masks_in(letter, inner=True):
            near = place.start - mention.place.end
            label = letter.text[row.start : row.value] if row else ""
            if 0 <= near < 30 or "modem" in label or "box" in label or "inside" in label:
                prefix = mask
    if prefix is None:
        net = str(Network.holding(mention.address, 24))
        return Reading(net, Sure.OPEN, (mention.place,), ())
    return Reading(str(Network.holding(mention.address, prefix)), Sure.SAID, (mention.place,))


def _ipv4(letter: LaidLetter, scored: Sequence[Scored], resolvers: Sequence[Scored], *, fixed: bool) -> FittedAddresses:
    masks = [
        m
        for m in masks_in(letter)
        if not (m[2] and re.search(r"modem|box|inside", letter.text[m[2].start : m[2].value]))
    ]
    alone = next(
        ((prefix, place) for prefix, place, row in masks if row is None or RowMark.INSIDE not in row.row.marks), None
    )
    lengths = list(dict.fromkeys(prefix for prefix, _, row in masks if row is None or not _is_of_lan(letter, row)))
    if not fixed:
        alone_routed = [one for one in scored if one[0].prefix is not None and _is_routed(one[1])]
        return FittedAddresses(resolvers=_several(resolvers, Sure.SAID), routed_blocks=_blocks(letter, alone_routed))
    routed = [one for one in scored if _is_routed(one[1])]
    blocks = [Network.holding(m.address, m.prefix) for m, _ in routed if m.prefix is not None]
    if not _is_beside(scored, routed, blocks):
        routed, blocks = [], []
    rest = [one for one in scored if one not in routed]
    inside = [
        one
        for one in rest
        if any(net.holds(one[0].address) for net in blocks) and top_of(one[1]) is not LetterTopic.OWN
    ]
    usable = [one for one in inside if LetterTopic.USABLE in one[1] or one[0].last is not None]
    link = [one for one in rest if one not in inside]
    if not link and not resolvers and not blocks and _told_block(letter) is None:
        return FittedAddresses(prefix=Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None)
    nets = list(_networks(link, alone))
    same = _same(link)
    problem = ""
    if same:
        problem = f"The letter names {same[0][0].address} as the site's own address and as the gateway: ask which it is"
        link = [one for one in link if one not in same]
    (own, gateway), others = _kept_own(*_pairs(link, nets), link, nets)
    several = [one for one in _listed(letter, link) if one is not gateway]
    if own is not None and own in several:  # of a list the first
        own, others = several[0], [pair for pair in others if pair[0] not in several]
    if own and gateway and not (own[1] or gateway[1]) and (own[0].prefix is None or own is not link[0]):
        others = [*others, (gateway, own)]  # neither is named, and the mask belongs to neither of them
    left_over = Sure.SAID
    if not resolvers:
        used = {id(one[0]) for one in (own, gateway) if one}
        left = [
            o for o in link
            if id(o[0]) not in used and not any(net.holds(o[0].address) for net in nets) and o[0].prefix is None
        ]  # fmt: skip
        if nets and 1 <= len(left) <= 2 and not any(top_of(o[1]) is not None for o in left):
            resolvers, left_over = left, Sure.FOLLOWS
    holding = [n for n in nets if own and n.holds(_own_of(own, gateway))]
    net = holding[0] if holding else nets[0] if nets and own is None else None
    if own is not None and net is not None:
        routed += [one for one in link if _is_further_block(one, net, own, gateway)]
    usable += [one for one in link if _is_many(letter.text, one)]
    usable += _listed(letter, link)
    found = FittedAddresses(
        address=_own(own, gateway, [pair[0] for pair in others]),
        prefix=_prefix(net, link, alone, lengths),
        gateway=_gateway(gateway, [pair[1] for pair in others]),
        resolvers=_several(resolvers, left_over),
        routed_blocks=_blocks(letter, routed),
    )
    found = found._replace(
        block=any(
            m.prefix and Network.holding(m.address, m.prefix).first == m.address and net and net.holds(m.address)
            for m, _ in link
        )
    )
    found = _relative(letter, found, net)
    found = _told_first(letter, found, net, usable)
    found = found._replace(uses=_uses(letter, usable, found, net))
    if same:
        broken = Reading(str(same[0][0].address), Sure.SAID, tuple(one[0].place for one in same), (), problem)
        return found._replace(address=broken, gateway=broken)
    return _contradicted(found, link, net)


def _is_routed(scores: Scores) -> bool:
    named = max(scores.get(LetterTopic.ROUTED, 0), scores.get(LetterTopic.DELEGATED, 0))
    return named >= 2.5 and top_of(scores) in (LetterTopic.ROUTED, LetterTopic.NETWORK, LetterTopic.DELEGATED)


def _is_beside(scored: Sequence[Scored], routed: Sequence[Scored], blocks: Sequence[Network]) -> bool:
    """Whether there is a hand-off beside the blocks; else what is called a block is the hand-off itself."""
    sides = [
        m.address for m, s in scored if top_of(s) in (LetterTopic.OWN, LetterTopic.GATEWAY) and (m, s) not in routed
    ]
    return not sides or any(not any(net.holds(side) for net in blocks) for side in sides)


def _is_further_block(one: Scored, net: Network, own: Scored, gateway: Scored | None) -> bool:
    """Whether a network is another one than the hand-off: a block that is routed to the site."""
    mention = one[0]
    if one is own or one is gateway or mention.prefix is None or mention.prefix > 30:
        return False
    block = Network.holding(mention.address, mention.prefix)
    return block.first == mention.address and not net.holds(mention.address) and not block.holds(own[0].address)


_TAKEN = re.compile(
    r"[^.;\n]{0,30}\b(?:reserv\w*|do not|not for|belegt|gesperrt|occup\w*|in use|ours|zajet\w*|riservat\w*"
    r"|gereserveerd)"
)
_END = re.compile(
    r"\b(?:first|last|primera|ultima|erste|letzte|premiere|derniere|eerste|laatste|prim[oa]|ultimo"
    r"|pierwsz\w+|ostatni\w*)\b"
)


def _is_of_lan(letter: LaidLetter, row: RowPlace) -> bool:
    words_of = letter.text[row.start : row.value]
    return RowMark.INSIDE in row.row.marks or re.search(r"lan|rout|block|inside|extra|addition", words_of) is not None


def _listed(letter: LaidLetter, link: Sequence[Scored]) -> list[Scored]:
    """Several addresses that one label names as the site's own: `Your IPs: .66, .67, .68`."""
    named = [one for one in link if top_of(one[1]) is LetterTopic.OWN]
    rows = [letter.row_at(one[0].place.start) for one in named]
    return [
        one
        for one, row in zip(named, rows, strict=True)
        if row is not None and row.row.label.chars and rows.count(row) > 1
    ]


def _is_many(text: str, one: Scored) -> bool:
    """Whether an address is one of several that are free to use, or begins a run of them."""
    if _TAKEN.match(text, one[0].place.end):
        return False
    if one[0].last is not None:
        return top_of(one[1]) in (None, LetterTopic.USABLE, LetterTopic.OWN, LetterTopic.NETWORK)
    if _END.search(text[max(0, one[0].place.start - 60) : one[0].place.start].rpartition("\n")[2]):
        return False
    return (
        LetterTopic.USABLE in one[1]
        and top_of(one[1]) in (LetterTopic.USABLE, LetterTopic.OWN)
        and one[0].prefix is None
    )


def _same(link: Sequence[Scored]) -> list[Scored]:
    """Where one address is named as the site's own and as the gateway, and nothing else as either."""
    own = [one for one in link if top_of(one[1]) is LetterTopic.OWN and one[1][LetterTopic.OWN] >= 2.5]
    gates = [one for one in link if top_of(one[1]) is LetterTopic.GATEWAY and one[1][LetterTopic.GATEWAY] >= 2.5]
    if not own or not gates:
        return []
    if {one[0].address for one in own} == {one[0].address for one in gates}:
        return [*own, *gates]
    return []


def _contradicted(found: FittedAddresses, link: Sequence[Scored], net: Network | None) -> FittedAddresses:
    """What words say and arithmetic forbids, told."""
    if net is None:
        return found
    if found.address is None:
        for mention, scores in link:
            if (
                scores.get(LetterTopic.OWN, 0) >= 2.5
                and top_of(scores) is LetterTopic.OWN
                and not net.holds(mention.address)
            ):
                problem = (
                    f"{mention.address} lies outside {net}, which the letter names as the subnet: ask the provider"
                )
                found = found._replace(address=Reading(str(mention.address), Sure.SAID, (mention.place,), (), problem))
                break
            edge = net.holds(mention.address) and net.prefix <= 30 and mention.address in (net.first, net.last)
            if (
                edge
                and mention.last is None
                and scores.get(LetterTopic.OWN, 0) >= 2.5
                and top_of(scores) is LetterTopic.OWN
            ):
                what = "network address" if mention.address == net.first else "broadcast address"
                problem = f"{mention.address} is the {what} of {net}, which no device can have: ask the provider"
                if mention.prefix is not None and found.gateway and mention.address == net.first:
                    problem = f"{mention.address} is the network itself: ask which of its addresses is the site's own"
                found = found._replace(address=Reading(str(mention.address), Sure.SAID, (mention.place,), (), problem))
                break
    if found.gateway is None:
        for mention, scores in link:
            if (
                top_of(scores) is LetterTopic.GATEWAY
                and scores[LetterTopic.GATEWAY] >= 2.5
                and not net.holds(mention.address)
            ):
                problem = f"{mention.address} lies outside {net}, so the gateway cannot be reached: ask the provider"
                found = found._replace(gateway=Reading(str(mention.address), Sure.SAID, (mention.place,), (), problem))
                break
    return found


def _networks(link: Sequence[Scored], alone: tuple[int, Stretch] | None) -> Iterator[Network]:
    """The hand-off subnets that the letter speaks of, the surest first."""
    seen: set[Network] = set()
    for mention, _ in link:
        prefix = mention.prefix if mention.prefix is not None else _prefix_of_run(mention)
        if prefix is not None:
            net = Network.holding(mention.address, prefix)
            if net not in seen:
                seen.add(net)
                yield net
    if alone is not None:
        for mention, _ in link:
            net = Network.holding(mention.address, alone[0])
            if net not in seen and not any(one.holds(mention.address) for one in seen):
                seen.add(net)
                yield net


def _prefix_of_run(mention: Mention) -> int | None:
    """The prefix length of a run that is a whole subnet."""
    if mention.last is None:
        return None
    size = mention.last.value - mention.address.value + 1
    if size < 4 or size & (size - 1) or mention.address.value % size:
        return None
    return 32 - (size.bit_length() - 1)


def _own_of(own: Scored, gateway: Scored | None) -> Address:
    """The address itself: of a run its first that is neither the gateway nor the network."""
    mention = own[0]
    if mention.last is not None and gateway is not None and gateway[0].address == mention.address:
        return mention.address.plus(1)
    return mention.address


def _kept_own(
    best: _Pair, others: list[_Pair], link: Sequence[Scored], nets: Sequence[Network]
) -> tuple[_Pair, list[_Pair]]:
    """Of an address and a gateway that are both named, and do not fit together, the address is kept."""
    if best[0] is not None or best[1] is None:
        return best, others
    gateway = best[1][0].address
    for one in link:
        net = next((net for net in nets if net.holds(one[0].address)), None)
        edge = net is not None and net.prefix <= 30 and one[0].address in (net.first, net.last)
        if (
            top_of(one[1]) is LetterTopic.OWN
            and one[1][LetterTopic.OWN] >= 2.5
            and net is not None
            and not net.holds(gateway)
            and not edge
        ):
            return (one, None), []
    return best, others


_Pair = tuple[Scored | None, Scored | None]


def _pairs(link: Sequence[Scored], nets: Sequence[Network]) -> tuple[_Pair, list[_Pair]]:
    """The own address and the gateway that fit best, and others that fit as well."""
    link = link[:40]
    named = [one for one in link if top_of(one[1]) is LetterTopic.GATEWAY and one[1][LetterTopic.GATEWAY] >= 2.5]
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


def _fit(own: Scored | None, gateway: Scored | None, nets: Sequence[Network], link: Sequence[Scored]) -> float:
    rate = 0.0
    if own is not None:
        rate += _as(own, LetterTopic.OWN, _own_of(own, gateway), nets)
        if own[1].get(LetterTopic.USABLE, 0) and not own[1].get(LetterTopic.OWN, 0):
            rate += 1.0
        if own[0].prefix is not None:
            rate += 1.5  # a mask is written behind one's own address
        if own[0].last is not None:
            rate -= 1.0
        if top_of(own[1]) is None:
            rate += 0.8 - 0.3 * [id(one[0]) for one in link].index(id(own[0])) if len(link) < 4 else 0.3
    if gateway is not None:
        rate += _as(gateway, LetterTopic.GATEWAY, gateway[0].address, nets)
        if gateway[0].last is not None:
            rate -= 3.0
        if top_of(gateway[1]) is None:
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


def _as(one: Scored, topic: LetterTopic, address: Address, nets: Sequence[Network]) -> float:
    """How well an address is one thing: named so, and not named or shaped otherwise."""
    scores = one[1]
    against = max((score for other, score in scores.items() if other not in (topic, LetterTopic.USABLE)), default=0.0)
    rate = scores.get(topic, 0.0) - 0.9 * against
    if topic is LetterTopic.OWN and nets and not any(net.holds(address) for net in nets):
        rate -= 4.0
    for net in nets:
        if net.holds(address) and net.prefix <= 30 and address in (net.first, net.last):
            rate -= 50.0
    return rate


def _sure(one: Scored, topic: LetterTopic) -> Sure:
    return Sure.SAID if one[1].get(topic, 0) >= 2.5 else Sure.FOLLOWS


def _own(own: Scored | None, gateway: Scored | None, others: Sequence[Scored | None]) -> Reading | None:
    if own is None:
        return None
    text = str(_own_of(own, gateway))
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    sure = Sure.OPEN if more else Sure.FOLLOWS if own[0].last is not None else _sure(own, LetterTopic.OWN)
    return Reading(text, sure, (own[0].place,), more)


def _gateway(gateway: Scored | None, others: Sequence[Scored | None]) -> Reading | None:
    if gateway is None:
        return None
    text = str(gateway[0].address)
    more = tuple(dict.fromkeys(str(o[0].address) for o in others if o is not None and str(o[0].address) != text))
    return Reading(text, Sure.OPEN if more else _sure(gateway, LetterTopic.GATEWAY), (gateway[0].place,), more)


def _prefix(
    net: Network | None, link: Sequence[Scored], alone: tuple[int, Stretch] | None, lengths: Sequence[int]
) -> Reading | None:
    if net is None:
        return Reading(f"/{alone[0]}", Sure.SAID, (alone[1],)) if alone else None
    places = tuple(m.place for m, _ in link if m.prefix == net.prefix)
    told = alone is not None and any(m.prefix == net.prefix and net.holds(m.address) for m, _ in link)
    if told and alone is not None and alone[0] != net.prefix and net.prefix < 32:
        return Reading(f"/{net.prefix}", Sure.OPEN, (*places, alone[1]), (f"/{alone[0]}",))
    others = tuple(f"/{length}" for length in lengths if length != net.prefix)
    if others and not places:
        return Reading(f"/{net.prefix}", Sure.OPEN, (alone[1],) if alone else (), others)
    return Reading(f"/{net.prefix}", Sure.SAID, places or ((alone[1],) if alone else ()))


def _several(some: Sequence[Scored], sure: Sure) -> Reading | None:
    if not some:
        return None
    texts: dict[str, None] = {}
    for mention, _ in some:
        last = mention.last if mention.last is not None and mention.last.value - mention.address.value < 4 else None
        texts |= dict.fromkeys([str(mention.address), *([str(last)] if last else [])])
    return Reading(" ".join(texts), sure, tuple(mention.place for mention, _ in some))


def _blocks(letter: LaidLetter, routed: Sequence[Scored]) -> Reading | None:
    """Blocks that are routed to the site; a mask may stand alone behind its address."""
    nets: list[tuple[Mention, Network]] = []
    for mention, _ in routed:
        if mention.prefix is None:
            continue
        net = Network.holding(mention.address, mention.prefix)
        ahead = letter.text[max(0, mention.place.start - 30) : mention.place.start]
        called = mention.last is not None or re.search(r"block|subnet|network|range|route", ahead) is not None
        if net.first != mention.address and called:
            problem = f"{mention.address}/{mention.prefix} is not a network (that would be {net}): ask the provider"
            return Reading(f"{mention.address}/{mention.prefix}", Sure.SAID, (mention.place,), (), problem)
        nets.append((mention, net))
    if not nets:
        return None
    return Reading("; ".join(dict.fromkeys(str(n) for _, n in nets)), Sure.SAID, tuple(m.place for m, _ in nets))


def _relative(letter: LaidLetter, found: FittedAddresses, net: Network | None) -> FittedAddresses:
    """The addresses that are told by their place in the block: `router: start+1`."""
    block = net or _told_block(letter)
    if block is None:
        return found
    for row in letter.rows:
        at = _counted(letter.text[row.value : row.end], block)
        if len(at) != 1:
            continue
        place = Stretch(row.value, row.end)
        topics = {one.topic for one in words.labels(letter.text[row.start : row.value].rstrip(": "))}
        if LetterTopic.GATEWAY in topics and found.gateway is None:
            found = found._replace(gateway=Reading(str(at[0]), Sure.FOLLOWS, (place,)))
        elif LetterTopic.OWN in topics and (found.address is None or found.address.sure is not Sure.SAID):
            found = found._replace(address=Reading(str(at[0]), Sure.FOLLOWS, (place,)))
    if found.prefix is None:
        found = found._replace(prefix=Reading(f"/{block.prefix}", Sure.FOLLOWS, ()))
    return found


def _told_block(letter: LaidLetter) -> Network | None:
    """A block that is told by its first address and its size."""
    start = re.search(rf"\b(?:start|base|from|first)\W{{1,4}}({IPV4})", letter.text)
    mask = next(masks_in(letter), None)
    if start is None or mask is None:
        return None
    with suppress(AddressError):
        return Network.holding(parse_address(start[1]), mask[0])
    return None


def _counted(text: str, block: Network) -> list[Address]:
    """The addresses that a text tells by counting from the ends of a block."""
    if re.search(IPV4, text):
        return []
    ordinal = _ORDINAL.match(text)
    if ordinal is not None and block.prefix <= 30:
        place = _PLACES.get(ordinal["which"])
        return [block.first.plus(place) if place else Address(4, block.last.value - 1)]
    found = []
    for one in _RELATIVE.finditer(text):
        by = int(one["by"])
        base = block.last if one["from"] in ("end", "last", "broadcast") else block.first
        value = base.value + (by if one["sign"] == "+" else -by)
        if block.first.value <= value <= block.last.value:
            found.append(Address(4, value))
    return found


_FIRST_FOR = re.compile(
    r"\b(?:first|lowest|erste|premiere|primera?|eerste|primo|pierwsz\w+)\s+(?:usable|free|available|nutzbare"
    r"|of them|one|address|ip|utilisable|utilizable|bruikbare|utilizzabile)?[^.;\n]{0,40}?"
    r"\b(?:to|for|on|is|an|fur|a|pour|para|voor|al|dla)\s+(?:the\s+)?(?:your|customer|ihr\w*|votre|su|uw|vostro)\b"
)


def _told_first(
    letter: LaidLetter, found: FittedAddresses, net: Network | None, usable: Sequence[Scored]
) -> FittedAddresses:
    """`Please give the first usable to your router`."""
    if net is None or not usable or (found.address is not None and found.address.sure is Sure.SAID):
        return found
    if _FIRST_FOR.search(letter.text):
        gate = found.gateway.text if found.gateway else ""
        first = next((m for m, _ in usable if net.holds(m.address) and str(m.address) != gate), None)
        if first is not None:
            return found._replace(address=Reading(str(first.address), Sure.FOLLOWS, (first.place,)))
    return found


def _uses(letter: LaidLetter, usable: Sequence[Scored], found: FittedAddresses, net: Network | None) -> Reading | None:
    """Further addresses: those that are free to use, without the site's own, the gateway and the ends of the subnet."""
    spans: list[tuple[Address, Address, Stretch]] = [(m.address, m.last or m.address, m.place) for m, _ in usable]
    block = net or _told_block(letter)
    if block is not None and not spans:
        for row in letter.rows:
            topics = {one.topic for one in words.labels(letter.text[row.start : row.value].rstrip(": "))}
            ends = _counted(letter.text[row.value : row.end], block)
            if LetterTopic.USABLE in topics and len(ends) == 2:
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


def _ipv6(found: FittedAddresses, scored: Sequence[Scored]) -> FittedAddresses:
    """With the IPv6 side of a hand-off: what is named, and what has an interface part is one's own."""
    for one in scored:
        mention, scores = one
        top, place, length = top_of(scores), (mention.place,), mention.prefix
        network = (
            length is not None and length < 127 and Network.holding(mention.address, length).first == mention.address
        )
        link_local = str(mention.address).startswith("fe80")
        text = str(mention.address)
        if network and length is not None and (length < 64 or top in (LetterTopic.ROUTED, LetterTopic.DELEGATED)):
            block = Reading(f"{text}/{length}", _sure(one, LetterTopic.DELEGATED), place)
            found = found._replace(delegated_prefix=found.delegated_prefix or block)
            continue
        if top is LetterTopic.GATEWAY or link_local:
            gateway = Reading(text, _sure(one, LetterTopic.GATEWAY), place)
            found = found._replace(gateway6=found.gateway6 or gateway)
        elif not network and found.address6 is None:
            found = found._replace(address6=Reading(text, _sure(one, LetterTopic.OWN), place))
        if length is not None and top is not LetterTopic.ROUTED and length >= 64 and not link_local:
            found = found._replace(prefix6=found.prefix6 or Reading(f"/{length}", Sure.SAID, place))
    return found
