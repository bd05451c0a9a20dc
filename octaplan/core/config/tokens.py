"""What can be recognised in any text by its shape and by the words around it, whoever made the box."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from octaplan.core.config.text import TextLine
from octaplan.core.values.addresses import Address, AddressError, Mac, Network, parse_address

#: Each begins where a word does, or with `::`: that is looked at first, and for most characters all that is.
_SHAPES = re.compile(
    r"(?<!\w)(?=[0-9a-fimptuv:])(?:(?P<mac>(?<![\w:.-])(?:[0-9A-Fa-f]{2}(?P<s>[:-])(?:[0-9A-Fa-f]{2}(?P=s)){4}[0-9A-Fa-f]{2}"
    r"|[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4})(?![\w:-]))"
    r"|(?P<four>(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?:/\d{1,3}(?:\.\d{1,3}){3}|/\d{1,2})?(?!\w|\.\d))"
    r"|(?P<six>(?<![\w:.])(?:[0-9A-Fa-f]{1,4}:[0-9A-Fa-f:]{0,36}:[0-9A-Fa-f:]{0,36}|::[0-9A-Fa-f:]{0,36})(?:/\d{1,3})?(?![\w:.]))"
    r"|(?P<service>\b(?P<protocol>tcp|udp)\b(?:\s+(?:[ds]port|port|eq)|/)\s*(?:eq\s+)?(?P<low>\d{1,5})(?:-(?P<high>\d{1,5}))?\b)"
    r"|(?P<tagged>\b(?:vlan|vid|vlan-id|vlan_id|dot1q|802\.1q|tag|tagged)s?\b\W{0,6}(?:id\W{0,4})?(?P<vlan>\d{1,4})\b(?![.:/]))"
    r"|(?P<mtu>\b(?:mtu|mru)\b\W{0,4}(?P<bytes>\d{3,5})\b)"
    r"|(?P<zone>\b(?:Africa|America|Antarctica|Asia|Atlantic|Australia|Europe|Indian|Pacific)/[A-Z][\w+-]+(?:/[A-Z][\w-]+)?))",
    re.I,
)
_SUB_INTERFACE = re.compile(r"\b[A-Za-z][\w-]{0,14}\.(\d{1,4})(?=[@:\s\"',]|$)")

#: What the words before a value say that it is: the nearest counts.
_WORDS: dict[str, str] = {
    **dict.fromkeys(
        ("nameserver", "nameservers", "dns", "resolver", "resolvers", "lookup", "server", "servers", "forwarder",
         "forwarders", "names"), "dns"
    ),
    **dict.fromkeys(("ntp", "timeserver", "timeservers", "sntp", "clock"), "time"),
    **dict.fromkeys(
        ("gateway", "gw", "via", "router", "routers", "nexthop", "hop", "exit"), "gateway"
    ),
    **dict.fromkeys(("mask", "netmask", "subnetmask"), "mask"),
    **dict.fromkeys(("brd", "broadcast"), "broadcast"),
    **dict.fromkeys(("range", "pool", "first", "last", "start", "end", "lower", "upper", "leases"), "range"),
    **dict.fromkeys(("fixed", "reservation", "reserved", "reserve", "host"), "reserved"),
    **dict.fromkeys(("lease", "leased", "client"), "leased"),
    **dict.fromkeys(("relay", "helper"), "relay"),
    **dict.fromkeys(("snat", "dnat", "nat", "masquerade", "translate", "external", "internal"), "rule"),
    **dict.fromkeys(("saddr", "daddr", "source", "destination", "permit", "allow", "accept"), "rule"),
    **dict.fromkeys(("subnet", "network", "networks", "net", "prefix", "route", "routes"), "network"),
}  # fmt: skip

#: Words that say nothing by themselves: what stands above them does.
_WEAK = frozenset({"server", "servers", "host", "address", "addresses", "names", "lower", "upper", "start", "end"})

#: Without one of these a line holds nothing that is recognised.
_ANY = re.compile(r"\d|::|[A-Z][a-z]+/[A-Z]")
_OWN = frozenset({"inet", "inet6", "own", "address", "addresses"})

#: DHCP options by number, as some programs write them (RFC 2132).
_OPTIONS = {"1": "mask", "3": "gateway", "6": "dns", "28": "broadcast", "42": "time"}
_NUMBERED = re.compile(r"dhcp-option\S{0,40}?[=,\s](?:[\w:-]{0,40},)?(?:option:)?(?P<number>\d{1,3}|[a-z-]{1,40}),")
_WORD = re.compile(r"[A-Za-z][A-Za-z0-9]*")
_FIRMWARE = re.compile(r"(?:version|firmware|release|build|revision)\W{0,3}$|\bv$", re.I)


class TokenPlace(NamedTuple):
    """Where something stands."""

    line: int
    first: int
    last: int


@dataclass(slots=True)
class Token:
    """Something recognised: of which `kind`, its value as it is, and what the words around it say that it is.

    Kinds: `address`, `network` (a subnet by its own address), `mask`, `mac`, `vlan`, `service`, `mtu`, `zone`.
    `prefix` is the length that goes with an address, wherever it stands.
    """

    kind: str
    text: str
    value: object
    at: TokenPlace
    role: str = ""
    prefix: int | None = None
    #: Whether what it is said to be is little more than a guess.
    guessed: bool = False


def mask_length(address: Address) -> int | None:
    """The prefix length of a mask, if an address is one."""
    if address.family != 4 or address.value == 0:
        return None
    host = ~address.value & 0xFFFFFFFF
    return 32 - host.bit_length() if host & (host + 1) == 0 else None


def wildcard_length(address: Address) -> int | None:
    """The prefix length of a wildcard mask, if an address is one."""
    value = address.value
    return 32 - value.bit_length() if address.family == 4 and value and value & (value + 1) == 0 else None


class _Worked(NamedTuple):
    """What is worked out of words and values, once for each in one text: it is forgotten with the text, which may hold
    secrets."""

    about: Callable[[str, str], str]
    said: Callable[[str, str, str], str]
    parsed: Callable[[str], Address | None]

    @classmethod
    def fresh(cls) -> _Worked:
        once = lru_cache(maxsize=8_192)
        return cls(once(_about), once(_said), once(_parsed))


def tokens_of(lines: Iterable[TextLine]) -> list[Token]:
    """Everything recognised in a text, in its order."""
    found: list[Token] = []
    worked = _Worked.fresh()
    stack: list[tuple[int, str]] = []  # the lines that a line stands under, by indentation, with what they are about
    for line in lines:
        text = line.text
        indent = len(text) - len(text.lstrip(" \t-"))  # what a list holds stands in it
        while stack and stack[-1][0] >= indent:
            stack.pop()
        above = stack[-1][1] if stack else ""
        found += _in_line(line, above, worked)
        stack.append((indent, worked.about(text[:80], above)))
        if text.lstrip().startswith(("}", "]")):
            stack.pop()
    return _with_masks(found)


def _about(begins: str, above: str) -> str:
    """What a line is about that begins so, and stands under something."""
    words = [_plain(word) for word in _WORD.findall(begins)]
    role = next((_WORDS[word] for word in words if word in _WORDS and word not in _WEAK), "")
    role = "own" if not role and not above and _OWN & set(words) else role if role != "network" else ""
    return role or above


def _in_line(line: TextLine, above: str, worked: _Worked) -> Iterator[Token]:
    text, at, role = line.text, 0, ""
    if not _ANY.search(text):
        return
    numbered = _NUMBERED.search(text) if "dhcp-option" in text else None
    if numbered is not None:
        role = _OPTIONS.get(numbered["number"], "option")
    for match in _SHAPES.finditer(text):
        between = text[at : match.start()]
        told = worked.said(between, role if at else "", above) if numbered is None else role
        for token in _token(match, line, between, worked):
            token.role, token.guessed = told.removesuffix("?"), told.endswith("?")
            role = told.removesuffix("?")
            if told == "own" and isinstance(token.value, Network):  # the address of the network itself, by mistake
                token.kind, token.value = "address", token.value.first
            yield token
        at = match.end()
    for match in _SUB_INTERFACE.finditer(text) if "." in text else ():
        if 1 <= int(match[1]) <= 4094:
            place = TokenPlace(line.number, match.start(1), match.end(1))
            yield Token("vlan", match[1], int(match[1]), place)


def _plain(word: str) -> str:
    """A word in small letters, without the number that it ends with: `Gateway6` is a gateway."""
    return word.casefold().rstrip("0123456789")


def _said(between: str, before: str, above: str) -> str:
    """What the words before a value say that it is; else it is one more of what stood before it, else what the line
    stands under."""
    weak = ""
    for word in reversed(_WORD.findall(between)):
        small = _plain(word)
        if small in _WORDS:
            if small not in _WEAK:
                return _WORDS[small]
            weak = weak or _WORDS[small]
        elif small in _OWN:
            return "own" if not above or "inet" in small else above
        elif small in ("ip", "src", "addr", "interface", "local", "listen"):
            return above
    if before and not _WORD.search(between.replace("to", "").replace("or", "").replace("and", "")):
        return before
    return f"{weak}?" if weak and above != "time" else above


def _token(match: re.Match[str], line: TextLine, between: str, worked: _Worked) -> Iterator[Token]:
    text = match[0]
    place = TokenPlace(line.number, match.start(), match.end())
    if match["mac"]:
        yield Token("mac", text, Mac(int(re.sub(r"[^0-9A-Fa-f]", "", text), 16)), place)
    elif match["four"] or match["six"]:
        if not _FIRMWARE.search(between):
            yield from _address(text, place, worked.parsed)
    elif match["service"]:
        low, high = int(match["low"]), int(match["high"] or match["low"])
        ports = str(low) if low == high else f"{low}-{high}"
        yield Token("service", text, f"{match['protocol'].casefold()}/{ports}", place)
    elif match["tagged"]:
        if 1 <= int(match["vlan"]) <= 4094:
            yield Token("vlan", match["vlan"], int(match["vlan"]), TokenPlace(line.number, *match.span("vlan")))
    elif match["mtu"]:
        yield Token("mtu", match["bytes"], int(match["bytes"]), TokenPlace(line.number, *match.span("bytes")))
    elif match["zone"]:
        yield Token("zone", text, text, place)


def _address(text: str, place: TokenPlace, parsed: Callable[[str], Address | None]) -> Iterator[Token]:
    plain, _, length = text.partition("/")
    address = parsed(plain)
    if address is None:
        return
    prefix: int | None = None
    if length:
        mask = parsed(length) if "." in length else None
        prefix = int(length) if "." not in length else mask_length(mask) if mask is not None else None
        if prefix is None or prefix > (32 if address.family == 4 else 128):
            return
    elif mask_length(address) is not None and address.value >= 0x80000000 and address.value & 0xFF in _MASK_ENDS:
        if address.value >= 0xFF000000:
            yield Token("mask", text, address, place, prefix=mask_length(address))
            return
    elif wildcard_length(address) is not None and address.value < 0x01000000:
        yield Token("mask", text, address, place, prefix=wildcard_length(address))
        return
    if prefix is not None:
        net = Network.holding(address, prefix)
        whole = net.first == address and prefix < (32 if address.family == 4 else 128)
        yield Token("network" if whole else "address", text, net if whole else address, place, prefix=prefix)
    else:
        yield Token("address", text, address, place)


#: How the last part of a mask ends.
_MASK_ENDS = frozenset({0, 128, 192, 224, 240, 248, 252, 254, 255})


def _parsed(text: str) -> Address | None:
    try:
        return parse_address(text)
    except AddressError:
        return None


def _with_masks(tokens: list[Token]) -> list[Token]:
    """A mask goes with the address before it, on its line or in the two lines above."""
    last: Token | None = None
    for token in tokens:
        if token.kind == "mask":
            if last is not None and last.prefix is None and token.at.line - last.at.line <= 2:
                last.prefix = token.prefix
                if isinstance(last.value, Address) and token.prefix is not None:
                    net = Network.holding(last.value, token.prefix)
                    if net.first == last.value and last.value.family == 4 and token.prefix < 31:
                        last.kind, last.value = "network", net
            last = None
        elif token.kind == "address" and token.role not in ("broadcast",):
            last = token
    return tokens
