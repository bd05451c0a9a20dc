"""What a technician reads off box or laptop, typed or pasted, and judged against what the plan expects."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import NamedTuple

from octaplan.core.values.addresses import Address, AddressError, Span, parse_address, parse_mac, parse_range
from octaplan.core.values.errors import TypedError

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
    """Judge an answer of a kind (`ping`, `lease`, `lookup`, `light`, `mac`, `firmware`, `yes`, `text`).

    Raises `ValueError` with a sentence when nothing can be read out of the text.
    """
    typed = text.strip()
    if not typed:
        raise TypedError("Nothing is typed: paste what it prints, or skip the step with a reason")
    if len(typed) > LONGEST_MEASURED:
        raise TypedError(f"It is {len(typed)} characters long: at most {LONGEST_MEASURED} are read")
    return _JUDGES.get(kind, _text)(typed, expect)


def _ping(typed: str, expect: str) -> Judgement:
    sent, received, first_lost = _replies(typed)
    value = f"{received} of {sent} replies"
    named = re.findall(r"(?<![\d.])\d{1,3}(?:\.\d{1,3}){3}(?![\d.])", typed)
    if expect and named and expect not in named:
        return Judgement(Outcome.BAD, f"That was {named[0]}, not {expect}: ping {expect}.", value)
    if received == sent:
        return Judgement(Outcome.GOOD, f"All {sent} replies came.", value)
    if received == 0:
        hint = "check the cable and its light, then address and mask" if expect else "check the default route"
        return Judgement(Outcome.BAD, f"No reply at all: {hint}.", value)
    if sent - received == 1 and first_lost is not False:
        return Judgement(
            Outcome.GOOD, "The first reply of a new neighbour is lost while its MAC is asked for: normal.", value
        )
    return Judgement(
        Outcome.ODD, f"{sent - received} of {sent} replies lost: try again; if it stays, change the cable.", value
    )


def _replies(typed: str) -> tuple[int, int, bool | None]:
    """How many were sent and came back, and whether the first was the one lost (`None`: not told)."""
    marks = re.search(r"(?<![\w.!])([.!]{2,})(?![\w.!])", typed)
    if marks:
        replies = marks[1]
        return len(replies), replies.count("!"), replies.startswith(".") and "." not in replies[1:]
    for pattern in (
        r"(\d+)\s+packets? transmitted,\s*(\d+)\s+(?:packets? )?received",
        r"Sent\s*=\s*(\d+),\s*Received\s*=\s*(\d+)",
        r"sent[=:]?\s*(\d+)[,;]?\s+received[=:]?\s*(\d+)",
    ):
        counts = re.search(pattern, typed, re.IGNORECASE)
        if counts:
            return int(counts[1]), int(counts[2]), _first_lost(typed)
    counts = re.search(r"\((\d+)/(\d+)\)|^(\d+)\s*(?:/|of)\s*(\d+)", typed)
    if counts:
        received, sent = (int(n) for n in counts.groups() if n is not None)
        return sent, min(received, sent), None
    raise TypedError("No count of replies is in it: paste the whole output of ping, or write replies and sent, as 4/5")


def _first_lost(typed: str) -> bool | None:
    numbers = [int(n) for n in re.findall(r"(?:icmp_)?seq[= ](\d+)", typed)]
    if not numbers:
        return None
    return min(numbers) > 1 or (min(numbers) == 1 and "icmp_seq=0" not in typed and max(numbers) == len(numbers))


def _lease(typed: str, expect: str) -> Judgement:
    address = _address_in(typed)
    if address is None:
        raise TypedError("No address is in it: type the one that the laptop got, such as 10.40.8.20")
    leases = _span(expect)
    if leases is None or leases.holds(address):
        return Judgement(Outcome.GOOD, f"{address} is one of {expect}.", str(address))
    if address.family == 4 and address.value >> 16 == 0xA9FE:
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


def _address_in(typed: str) -> Address | None:
    for word in re.split(r"[\s,;()\[\]]+", typed):
        try:
            return parse_address(word.split("/")[0].rstrip(".:"))
        except AddressError:
            continue
    return None


def _lookup(typed: str, expect: str) -> Judgement:
    if re.search(r"NXDOMAIN|SERVFAIL|timed? ?out|can't find|no servers|not found", typed, re.IGNORECASE):
        return Judgement(
            Outcome.BAD, "No name was found: check the resolvers, and whether the box forwards.", "not found"
        )
    address = _address_in(typed)
    if address is None and typed.casefold() not in ("ok", "yes", "found"):
        raise TypedError("Neither an address nor an error is in it: paste the answer, or write ok")
    return Judgement(Outcome.GOOD, "Names are found.", str(address or "found"))


_YES, _NO = (
    frozenset({"yes", "y", "ok", "on", "green", "up", "steady"}),
    frozenset({"no", "n", "off", "dark", "red", "down"}),
)


def _light(typed: str, expect: str) -> Judgement:
    said = typed.casefold()
    if said in _YES or (expect and said == expect.casefold()):
        return Judgement(Outcome.GOOD, "As it should be.", typed)
    if said in _NO:
        return Judgement(Outcome.BAD, "No light: other cable, other port, then the far end.", typed)
    return Judgement(Outcome.ODD, f"Noted. Expected: {expect or 'on'}.", typed)


def _yes(typed: str, expect: str) -> Judgement:
    said = typed.casefold()
    if said in _YES:
        return Judgement(Outcome.GOOD, "It works.", typed)
    if said in _NO:
        return Judgement(Outcome.BAD, "It does not: look at the management access step again.", typed)
    return Judgement(Outcome.ODD, "Noted, as it was written.", typed)


def _mac(typed: str, expect: str) -> Judgement:
    macs = [str(parse_mac(part)) for part in re.split(r"[\s;,]+", typed) if part]
    value = " ".join(macs)
    if expect and not set(expect.split()) & set(macs):
        return Judgement(Outcome.BAD, f"The plan has {expect} for this box: is it the right one?", value)
    return Judgement(Outcome.GOOD, "Recorded.", value)


def _firmware(typed: str, expect: str) -> Judgement:
    if expect and expect.casefold() not in typed.casefold():
        return Judgement(Outcome.ODD, f"Wanted is {expect}: update it, or note why not.", typed[:200])
    return Judgement(Outcome.GOOD, "As wanted." if expect else "Recorded.", typed[:200])


def _text(typed: str, expect: str) -> Judgement:
    value = " ".join(typed.split())[:200]
    if expect and value.casefold() != expect.casefold():
        return Judgement(Outcome.BAD, f"The plan has {expect}: is it the right box?", value)
    return Judgement(Outcome.GOOD, "Recorded.", value)


_JUDGES = {
    "ping": _ping,
    "lease": _lease,
    "lookup": _lookup,
    "light": _light,
    "yes": _yes,
    "mac": _mac,
    "firmware": _firmware,
    "text": _text,
}
