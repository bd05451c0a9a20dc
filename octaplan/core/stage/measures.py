"""What a technician reads off box or laptop, typed or pasted, and judged against what the plan expects."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.values.addresses import MAC_TEXT, Address, AddressError, Span, parse_address, parse_mac, parse_range
from octaplan.core.values.errors import OctaplanError, TypedError
from octaplan.core.values.wholewords import whole_words

LONGEST_MEASURED = 4_000


class Outcome(StrEnum):
    """`good`: as planned; `odd`: taken, with a word of doubt; `bad`: not as planned."""

    GOOD = "good"
    ODD = "odd"
    BAD = "bad"


class Judgement(NamedTuple):
    """An outcome, a sentence about it, and the value as it is recorded."""

    outcome: Outcome
    words: str
    value: str


def judge(kind: str, text: str, expect: str = "") -> Judgement:
    """Judge an answer of a kind (`ping`, `lease`, `lookup`, `light`, `mac`, `firmware`, `yes`,
    `passes`, `silent`, `text`).

    Raises `TypedError` with a sentence when nothing can be read out of the text.
    """
    typed = text.strip()
    if not typed:
        raise TypedError("Nothing is typed: paste what it prints, or skip the step with a reason")
    if len(typed) > LONGEST_MEASURED:
        raise TypedError(f"It is {len(typed)} characters long: at most {LONGEST_MEASURED} are read")
    return _JUDGES.get(kind, _text)(typed, expect)


#: What stands in an answer in the place of a reply: somebody else says that it cannot be reached, or nobody does.
_NO_REPLY = re.compile(
    r"unreachable|not reach|expired|exceeded|general failure|transmit failed|no route|prohibited|filtered|"
    r"time[d-]? ?-?out|no (?:answer|reply|response)|keine antwort|sans réponse|sin respuesta|nessuna risposta",
    re.IGNORECASE,
)
#: Somebody else's answer, which some programs count as a reply.
_FALSE_REPLY = re.compile(r"unreachable|not reach|expired|exceeded|prohibited|filtered", re.IGNORECASE)
_NO_NAME = re.compile(
    r"\b(?:bad|unknown|unrecognized|no such) (?:host|name|address)|"
    r"(?:name|host|service)\b.{0,60}\bnot (?:be )?(?:known|found)|"
    r"\b(?:cannot|can't|could not|not|failed to|failure in) (?:find|resolve|resolved|look up|name resolution)\b",
    re.IGNORECASE,
)
_COUNTED = {
    "sent": r"sent|transmitted|probes|requests|tries|gesendet|envoyés|enviados|inviati",
    "came": r"received|came(?: back)?|returned|answered|answers|replies|replied|empfangen|reçus|recibidos|ricevuti",
    "lost": r"lost|missing|unanswered|verloren|perdus|perdidos|persi",
}
_UNIT = r"(?:(?:packets?|pings?|pakete|paquets|paquetes|pacchetti)[ ,:=]*)?"
_WORD = "|".join(f"(?P<{name}>{words})" for name, words in _COUNTED.items())
#: A count beside its word: `4 received`, `received: 4`.
_NUMBER_FIRST = re.compile(rf"(?<![\w.=])(?P<number>\d{{1,5}})[ \t]+{_UNIT}(?:{_WORD})\b", re.IGNORECASE)
_WORD_FIRST = re.compile(rf"\b(?:{_WORD})[ \t,]*{_UNIT}\s*[:=]?\s*(?P<number>\d{{1,5}})\b(?![.%]|\s?%)", re.IGNORECASE)
#: A count of replies among those sent: `4/5`, `4 of 5`.
_FRACTION = re.compile(
    r"(?<![\w.:/-])(?P<came>\d{1,5})\s*(?:/|(?:out )?of|von|sur|de|su)\s*(?P<sent>\d{1,5})(?![\w.:]*[/.:-]\d|\w)",
    re.IGNORECASE,
)
#: A line of one reply: from whom, and after which time.
_REPLY = re.compile(
    r"^(?=.*\d\s?m?s\b).*\b(?:from|by|von|de|da|answers|replied|reply)\b.*$", re.IGNORECASE | re.MULTILINE
)
_ADDRESS = re.compile(
    r"(?<![\w.:])(?:\d{1,3}(?:\.\d{1,3}){3}(?!\w|\.\d)|(?=[\da-fA-F]*:[\da-fA-F:]*:)[\da-fA-F:]{3,40}(?!\w))"
)


def _ping(typed: str, expect: str) -> Judgement:
    if _NO_NAME.search(typed):
        return Judgement(Outcome.BAD, "The name was not found, so nothing was pinged: check the resolvers.", "no name")
    sent, received = _replies(typed)
    if sent == 0:
        raise TypedError("Nothing was sent, which proves nothing: ping again, and write replies and sent, as 4/5")
    value = f"{received} of {sent} replies"
    named = [str(address) for address in _addresses_in(typed)]
    if expect and named and expect not in named:
        return Judgement(Outcome.BAD, f"That was {named[0]}, not {expect}: ping {expect}.", value)
    if received == 0 and _NO_REPLY.search(typed):
        by = next((str(address) for address in _addresses_in(_false_replies(typed))), "")
        who = f"{by} answers that it cannot be reached" if by else "Nothing came back but that it cannot be reached"
        return Judgement(Outcome.BAD, f"{who}: check address, mask and route.", value)
    if received == 0:
        hint = "check the cable and its light, then address and mask" if expect else "check the default route"
        return Judgement(Outcome.BAD, f"No reply at all: {hint}.", value)
    if received > sent or re.search(r"\bdup(?:licate)?s?\b|\bdoubled?\b|\btwice\b", typed, re.IGNORECASE):
        words = "More replies came than were sent: two boxes have this address, or two cables make a loop."
        return Judgement(Outcome.BAD, words, value)
    if received == sent:
        return Judgement(Outcome.GOOD, f"All {sent} replies came.", value)
    if sent - received == 1 and received > 1:
        words = (
            "One reply is missing. The first one of a new neighbour is lost while its MAC is asked for: normal. "
            "If it was another, ping again."
        )
        return Judgement(Outcome.GOOD, words, value)
    return Judgement(
        Outcome.ODD, f"{sent - received} of {sent} replies lost: try again; if it stays, change the cable.", value
    )


def _false_replies(typed: str) -> str:
    """The lines in which somebody else answers."""
    return "\n".join(line for line in typed.splitlines() if _FALSE_REPLY.search(line))


def _counted(typed: str) -> dict[str, int]:
    """What was sent, came and was lost, as far as it is told: numbers stand all before their words, or all behind."""
    ways = [list(pattern.finditer(typed)) for pattern in (_NUMBER_FIRST, _WORD_FIRST)]
    found = min((way for way in ways if way), key=lambda way: way[0].start(), default=[])
    counts: dict[str, int] = {}
    for one in found:
        name = next(name for name in _COUNTED if one[name] is not None)
        counts.setdefault(name, int(one["number"]))
    return counts


def _replies(typed: str) -> tuple[int, int]:
    """How many were sent and came back, by the shape of their counts. What only says that nothing can be reached is no
    reply, though some programs count it as one."""
    lines = typed.splitlines()
    told = [line for line in _REPLY.findall(typed) if not _NO_REPLY.search(line)]
    silent = [line for line in lines if _NO_REPLY.search(line)]
    counts = _counted(typed)
    sent, received, lost = (counts.get(name) for name in _COUNTED)
    if received is None and sent is not None and lost is not None:
        received = sent - lost
    if sent is None and received is not None and lost is not None:
        sent = received + lost
    fraction = _FRACTION.search(typed)
    if (sent is None or received is None) and fraction is not None:
        sent, received = int(fraction["sent"]), int(fraction["came"])
    if sent is not None and received is not None:
        falsely = sum(_FALSE_REPLY.search(line) is not None for line in lines)
        if falsely and received + falsely > sent:  # counted although nothing was reached
            received = min(received, len(told))
        return sent, received
    if told or silent:  # stopped before it was counted
        return len(told) + len(silent), len(told)
    raise TypedError("No count of replies is in it: paste the whole output of ping, or write replies and sent, as 4/5")


def _addresses_in(typed: str) -> list[Address]:
    """All addresses in a text, in order."""
    found = []
    for text in _ADDRESS.findall(typed):
        try:
            found.append(parse_address(text if text.endswith("::") else text.rstrip(":")))
        except AddressError:
            continue
    return found


#: What stands before an address that is not the laptop's own.
_NOT_OWN = re.compile(
    r"(?:brd|broadcast|netmask|subnet mask|mask|gateway|router|dhcp[ -]?server|dns[ -]?servers?|name ?servers?|server|"
    r"peer|via|dhcp)[\s.:=_-]*(?:identifier\s*)?[:=]?\s*(?:0x[\da-f]+|\d{1,3}(?:\.\d{1,3}){3})",
    re.IGNORECASE,
)


def _lease(typed: str, expect: str) -> Judgement:
    own = [
        address
        for address in _addresses_in(_NOT_OWN.sub(" ", typed))
        if address.family == 4 and address.value >> 24 not in (0, 127, 255)
    ]
    if not own:
        raise TypedError("No address is in it: type the one that the laptop got, such as 10.40.8.20")
    leases = _span(expect)
    inside = next((address for address in own if leases is None or leases.holds(address)), None)
    if inside is not None:
        return Judgement(Outcome.GOOD, f"{inside} is one of {expect}." if expect else f"It got {inside}.", str(inside))
    address = own[0]
    if address.value >> 16 == 0xA9FE:
        return Judgement(
            Outcome.BAD,
            f"{address} is what a laptop gives itself when nobody answers: DHCP is not running.",
            str(address),
        )
    return Judgement(
        Outcome.BAD,
        f"{address} is outside {expect}: another server answered. Find it before this box ships.",
        str(address),
    )


def _span(expect: str) -> Span | None:
    try:
        return parse_range(expect) if expect else None
    except AddressError:
        return None


#: Codes of RFC 1035 and RFC 2136, and words of many languages for that there is no such name or no answer.
_NOT_FOUND = re.compile(
    r"\b(?:NXDOMAIN|SERVFAIL|REFUSED|FORMERR)\b|timed?[- ]?out|"
    r"\b(?:cannot|can't|could not|not|no|non|did not|unknown|failed|failure)\b[- ](?:be )?"
    r"(?:find|found|servers?|answers?|response|existent|host|name|resolved?|known|reach\w*|look\w*)|"
    r"\bfailed\b|unreachable|\banswers?\b\W{0,3}0\b|\b0 answers\b",
    re.IGNORECASE,
)
_ASKED = re.compile(r"\b(?:servers?|resolvers?|asked|asking)\b", re.IGNORECASE)
_WITH_PORT = re.compile(r"\S+(?:#|\bport )\d+\S*")


def _answers_in(typed: str) -> list[Address]:
    """The addresses that were answered. Those of the server that was asked are none: they have a port, or stand behind
    a word for it, on its line or alone on the next."""
    found: list[Address] = []
    of_server = False
    for line in typed.splitlines():
        addresses = _addresses_in(_WITH_PORT.sub(" ", line))
        asked = _ASKED.search(line)
        if asked:
            behind = _addresses_in(line[asked.end() :])
            of_server = not behind
            addresses = [address for address in addresses if address not in behind[:1]]
        elif addresses and of_server:
            addresses, of_server = addresses[1:], False
        elif not line.strip():
            of_server = False
        found += addresses
    return found


def _lookup(typed: str, expect: str) -> Judgement:
    if _NOT_FOUND.search(typed):
        return Judgement(
            Outcome.BAD, "No name was found: check the resolvers, and whether the box forwards.", "not found"
        )
    answers = [str(address) for address in _answers_in(typed)]
    if not answers and typed.casefold().rstrip(".") not in _YES | {"found"}:
        if _addresses_in(typed):
            return Judgement(Outcome.BAD, "Only the server that was asked is in it, and no answer.", "no answer")
        raise TypedError("Neither an address nor an error is in it: paste the answer, or write ok")
    if expect and answers and expect not in answers:
        return Judgement(Outcome.BAD, f"It was found as {answers[0]}, and the plan has {expect}.", answers[0])
    return Judgement(Outcome.GOOD, "Names are found.", answers[0] if answers else "found")


_YES = frozenset({"yes", "y", "ok", "on", "green", "up", "steady", "lit", "works", "opens", "it works", "it opens"})
_NEGATION = re.compile(
    r"\b(?:no|not|never|none|nothing|off|dark|red|down|n|fails?|failed|refused|doesn't|isn't|won't|can't|cannot|error|"
    r"timed? ?out|unreachable)\b",
    re.IGNORECASE,
)


def _light(typed: str, expect: str) -> Judgement:
    said = typed.casefold().rstrip(".")
    if expect and said == expect.casefold():
        return Judgement(Outcome.GOOD, "As it should be.", typed)
    if _NEGATION.search(said):
        return Judgement(Outcome.BAD, "No light: other cable, other port, then the far end.", typed)
    if said in _YES:
        return Judgement(Outcome.GOOD, "As it should be.", typed)
    return Judgement(Outcome.ODD, f"Noted. Expected: {expect or 'on'}.", typed)


def _yes(typed: str, expect: str) -> Judgement:
    said = typed.casefold().rstrip(".")
    if _NEGATION.search(said):
        return Judgement(Outcome.BAD, "It does not: look at the management access step again.", typed)
    if said in _YES:
        return Judgement(Outcome.GOOD, "It works.", typed)
    return Judgement(Outcome.ODD, "Noted, as it was written.", typed)


_SHUT = re.compile(r"\b(?:refused|reset|filtered|closed|blocked|timed? ?out|timeout|no answer)\b", re.IGNORECASE)
_SILENT = "Write “no answer”, or paste what ping or the browser said"


def _came_back(typed: str) -> bool | None:
    """Whether something answered, by a count of replies or by words; nothing when it is not told."""
    try:
        sent, received = _replies(typed)
    except OctaplanError:
        said = typed.casefold().rstrip(".")
        if _SHUT.search(said) or _NO_REPLY.search(said) or _NEGATION.search(said):
            return False
        return True if said in _YES or "answers" in said or "reached" in said else None
    return received > 0 if sent else None


def _passes(typed: str, expect: str) -> Judgement:
    came = _came_back(typed)
    if came is None:
        return Judgement(Outcome.ODD, "Noted, as it was written.", typed)
    if came:
        return Judgement(Outcome.GOOD, "It gets through, as it is meant.", typed)
    return Judgement(Outcome.BAD, "It does not get through, and is meant to: look at Traffic for what stops it.", typed)


def _silent(typed: str, expect: str) -> Judgement:
    """That nothing answers: a yes says too little here, for who reads it later."""
    if typed.casefold().rstrip(".") in ("yes", "y", "ok", "no", "n"):
        raise TypedError(f"{typed!r} can be read in two ways. {_SILENT}")
    came = _came_back(typed)
    if came is None:
        raise TypedError(f"Whether something answered cannot be read out of it. {_SILENT}")
    if came:
        return Judgement(
            Outcome.BAD, "It answers, and is meant to be closed: look at Traffic for what lets it in.", typed
        )
    return Judgement(Outcome.GOOD, "Nothing answers, as it is meant.", typed)


def _mac(typed: str, expect: str) -> Judgement:
    texts = re.findall(MAC_TEXT, typed) or [part for part in re.split(r"[\s;,]+", typed) if part]
    macs = [str(parse_mac(text)) for text in texts]
    value = " ".join(dict.fromkeys(macs))
    if expect and not set(expect.split()) & set(macs):
        return Judgement(Outcome.BAD, f"The plan has {expect} for this box: is it the right one?", value)
    return Judgement(Outcome.GOOD, "Recorded.", value)


def _firmware(typed: str, expect: str) -> Judgement:
    if expect and not _says_level(typed.casefold(), expect.casefold()):
        return Judgement(Outcome.ODD, f"Wanted is {expect}: update it, or note why not.", typed[:200])
    return Judgement(Outcome.GOOD, "As wanted." if expect else "Recorded.", typed[:200])


def _says_level(typed: str, level: str) -> bool:
    """Whether a text names a firmware level: not as a part of a longer one, and with or without a v before it."""
    words = re.split(r"[\s,;:()\[\]]+", typed)
    return any(word.strip(".").removeprefix("v") == level for word in words) or (
        " " in level and any(True for _ in whole_words(typed, level))
    )


def _text(typed: str, expect: str) -> Judgement:
    value = " ".join(typed.split())[:200]
    if expect and not any(True for _ in whole_words(value.casefold(), expect.casefold())):
        return Judgement(Outcome.BAD, f"The plan has {expect}: is it the right box?", value)
    return Judgement(Outcome.GOOD, "Recorded.", expect or value)


_JUDGES = {
    "ping": _ping,
    "lease": _lease,
    "lookup": _lookup,
    "light": _light,
    "yes": _yes,
    "passes": _passes,
    "silent": _silent,
    "mac": _mac,
    "firmware": _firmware,
    "text": _text,
}
