"""What a provider writes about a hand-off, read into the fields of a circuit.

`IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54` and longer letters: words that name a field, each with
what follows it. Everything is read by the readers of the fields themselves; nothing is saved here, and a password is
never read.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.typed import understand
from octaplan.core.values.errors import OctaplanError, TypedError

#: The most that is read, in characters.
LONGEST = 10_000

#: Words by which letters name a field, the longer first where one begins with another.
_WORDS = {
    "routed_blocks": r"routed (?:block|subnet|network|range|prefix)s?|additional (?:subnet|block|addresses)|lan block",
    "gateway6": r"ipv6 (?:default )?gateway|ipv6 gw|gateway ?v6",
    "address6": r"(?:wan )?ipv6 address|ipv6 wan|ipv6",
    "prefix": r"subnet ?mask|net ?mask|mask",
    "gateway": r"default gateway|default router|default route|next hop|gateway|gw|router",
    "resolvers": r"(?:primary|secondary|alternate|preferred )? ?(?:dns|name) ?servers?(?: ?\d)?|dns ?\d?|resolvers?",
    "vlan": r"vlan(?: ?(?:id|tag))?|802\.1q(?: tag)?|tag",
    "pppoe_user": r"ppp(?:oe)? ?(?:user ?name|user|login)|user ?name|login|user",
    "password": r"ppp(?:oe)? ?pass(?:word)?|password|passphrase|pass",
    "reference": r"(?:circuit|service|line|order|customer|contract) ?(?:id|no\.?|number|ref(?:erence)?)|reference|ref",
    "handoff": r"hand-?off|connection type|service type|type of connection|access type",
    "provider": r"provider|carrier|isp",
    "address": r"(?:static |public |fixed |wan |your |usable )*ip(?:v4)?(?: ?address(?:es)?)?|address|wan",
}
_LABEL = re.compile(
    "|".join(
        f"(?P<{field}>{words})" for field, words in ((f, f"(?<![\\w.-])(?:{w})(?![\\w-])") for f, w in _WORDS.items())
    ),
    re.IGNORECASE,
)
_ADDRESS = re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?:\s*/\s*\d{1,2})?(?![\w.]*\d)")
_HANDOFFS = {"pppoe": r"pppoe", "dhcp": r"dhcp|dynamic", "static": r"static|fixed"}
_ORDER = (
    "handoff",
    "address",
    "prefix",
    "gateway",
    "resolvers",
    "vlan",
    "routed_blocks",
    "pppoe_user",
    "provider",
    "reference",
    "address6",
    "gateway6",
)


class Read(NamedTuple):
    """One field that was found: what was written, what it comes to, and the change; or why it cannot be read."""

    field: str
    text: str
    echo: str
    operations: list[dict[str, Any]]
    problem: str


class Fragment(NamedTuple):
    """All that was found, in the order of the fields, and what was left out on purpose."""

    found: list[Read]
    left: list[str]


def read_fragment(plan: SitePlan, circuit: str, text: str) -> Fragment:
    """Read a letter into the fields of one circuit of a plan. Raises `ValueError`: too long, or says nothing."""
    if len(text) > LONGEST:
        raise TypedError(f"It is {len(text):,} characters long: paste at most {LONGEST:,}")
    values = _values(text)
    left = []
    if values.pop("password", ""):
        left.append("The password is not read: put it into the safe on Credentials")
    if not values:
        raise TypedError("Nothing in it names a field: write such as IP 198.51.100.18/29 GW .17 DNS 192.0.2.53")
    draft, found = plan, []
    for field in _ORDER:
        if field not in values:
            continue
        path = f"/circuits/{circuit}/{field}"
        try:
            operations, echo = understand(draft, path, values[field])
            draft = applied(draft, operations)
            found.append(Read(field, values[field], echo, operations, ""))
        except OctaplanError as error:
            found.append(Read(field, values[field], "", [], str(error).split("\n")[0]))
    return Fragment(found, left)


def _values(text: str) -> dict[str, str]:
    """What follows each word that names a field, cleaned; without such words, the first address with its mask."""
    values: dict[str, str] = {}
    marks = list(_LABEL.finditer(text))
    for place, mark in enumerate(marks):
        field = str(mark.lastgroup)
        end = marks[place + 1].start() if place + 1 < len(marks) else len(text)
        value = _clean(field, text[mark.end() : end])
        if not value:
            continue
        if field in ("resolvers", "routed_blocks") and field in values:
            values[field] += ("; " if field == "routed_blocks" else " ") + value
        else:
            values.setdefault(field, value)
    if "address" not in values:
        lone = next((m for m in _ADDRESS.finditer(text) if not any(m[0] in v for v in values.values())), None)
        if lone is not None:
            values["address"] = lone[0]
    if "handoff" not in values:
        kind = next((k for k, words in _HANDOFFS.items() if re.search(rf"\b(?:{words})\b", text, re.IGNORECASE)), None)
        if kind is None and "address" in values:
            kind = "static"
        if kind is not None:
            values["handoff"] = kind
    return values


def _clean(field: str, raw: str) -> str:
    """The value at the start of what follows a word."""
    value = re.sub(r"^[\s:=\-–>#]*(?:is|are|of)?[\s:=]+|^[\s:=]+", "", raw, count=1)
    if field == "password":
        return "given" if value.strip() else ""
    line = value.strip().split("\n")[0].strip() if field not in ("resolvers", "routed_blocks") else value
    if field == "handoff":
        return next((k for k, words in _HANDOFFS.items() if re.search(rf"\b(?:{words})\b", line, re.IGNORECASE)), "")
    if field in ("resolvers", "routed_blocks"):
        found = re.findall(r"[0-9a-fA-F:.]*[.:][0-9a-fA-F:.]+(?:/\d+)?", value)
        return ("; " if field == "routed_blocks" else " ").join(item.strip(".,;") for item in found)
    if field in ("address", "gateway", "prefix", "vlan", "address6", "gateway6"):
        pattern = {
            "vlan": r"\d+|none|untagged",
            "prefix": r"/?\s*[\d.]+",
            "address": r"\.?\d[\d.]*(?:\s*/\s*\d+|\s+(?:mask\s+)?255[\d.]+)?",
            "gateway": r"\.?\d[\d.]*",
        }.get(field, r"[0-9a-fA-F]*:[0-9a-fA-F:.]*(?:/\d+)?")
        match = re.search(pattern, line)
        return match[0].rstrip(".") if match else ""
    return line.strip(" ,;").rstrip(".")[:200]
