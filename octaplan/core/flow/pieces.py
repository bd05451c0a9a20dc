"""What a walk tells: what becomes of a packet, why, and by which decisions; and the packet on its way."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from octaplan.core.values.addresses import Address

#: The part of who is plugged into a port that does not carry the segment: joined with nobody.
NO_PART = -1


class Reason(StrEnum):
    """Why a packet ends where it does."""

    DELIVERED = "delivered"
    ANSWERED = "answered-by-box"
    NO_INTERFACE = "no-interface"
    PARTED = "parted"
    NO_GATEWAY = "no-gateway"
    NO_ROUTE = "no-route"
    NEXT_HOP_DEAD = "next-hop-dead"
    NOT_ALLOWED = "not-allowed"
    NOT_TRANSLATED = "not-translated"
    DOUBLE_TRANSLATION = "double-translation"
    NO_RETURN = "no-return"
    OTHER_WAY_BACK = "other-way-back"
    NOT_PUBLISHED = "not-published"
    NOT_SERVED = "not-served"
    LOOP = "loop"
    NOT_KNOWN = "not-known"

    @property
    def words(self) -> str:
        """The reason, in few words."""
        return _WORDS[self]

    @property
    def passes(self) -> bool:
        return self in (Reason.DELIVERED, Reason.ANSWERED, Reason.DOUBLE_TRANSLATION)


_WORDS = {
    Reason.DELIVERED: "it arrives",
    Reason.ANSWERED: "the box answers",
    Reason.NO_INTERFACE: "no box that routes has an address in the segment",
    Reason.PARTED: "no cable carries the segment there",
    Reason.NO_GATEWAY: "nobody has the gateway's address",
    Reason.NO_ROUTE: "no route leads there",
    Reason.NEXT_HOP_DEAD: "the next hop is nobody's",
    Reason.NOT_ALLOWED: "no rule allows it",
    Reason.NOT_TRANSLATED: "it leaves untranslated",
    Reason.DOUBLE_TRANSLATION: "it arrives, translated twice",
    Reason.NO_RETURN: "no route leads back",
    Reason.OTHER_WAY_BACK: "the replies come by another way",
    Reason.NOT_PUBLISHED: "nothing is published there",
    Reason.NOT_SERVED: "the box does not answer this",
    Reason.LOOP: "it goes round in a circle",
    Reason.NOT_KNOWN: "a value is still open",
}


class Does(StrEnum):
    """What happens to a packet at one place."""

    SENDS = "sends"
    SENDS_DIRECT = "sends-direct"
    ARRIVES = "arrives"
    PUBLISHES = "publishes"
    ROUTES = "routes"
    ALLOWS = "allows"
    PASSES_ALL = "passes-all"
    TRANSLATES = "translates"
    TRANSLATES_AGAIN = "translates-again"
    REPLIES = "replies"
    KNOWS = "knows"
    ENDS = "ends"


class Decision(NamedTuple):
    """One decision: where (a box's id, a circuit's or segment's place, or `internet`), what, which place in the plan
    decided, and what it was about: an address, a side, a reason."""

    at: str
    does: Does
    path: str
    about: tuple[object, ...] = ()


#: Steps, the last one first: each with those before it.
Chain = tuple[Decision, "Chain"] | None


class Origin(NamedTuple):
    """From where a packet comes: a side, and on a segment the part of it. `host` is a fixed host, `asked` the address
    that the internet asked for."""

    side: str
    part: int | None = None
    host: str = ""
    asked: Address | None = None


class Piece(NamedTuple):
    """What becomes of some of the services asked for. `at` and `path` tell where it ends and what decided.

    `back` are the steps of the replies; `shift` by how much ports are moved on the way in.
    """

    mask: int
    reason: Reason
    at: str
    path: str
    steps: Chain
    back: Chain = None
    shift: int = 0
    about: tuple[object, ...] = ()
    #: The routes, rules, translations and publications that it went by, there and back.
    by: tuple[str, ...] = ()
    #: The boxes that it came through, each with the side that it came in by.
    trail: tuple[tuple[str, str], ...] = ()
    #: The circuit that it left by, as a side; empty when by none.
    left_by: str = ""


class Lacking(NamedTuple):
    """Why a table leads nowhere: no route, one that does not count, or a value that is not known; and its place."""

    reason: Reason
    path: str


class Located(NamedTuple):
    """Where on layer 2 a target is: the part of a segment, nothing where that is not said."""

    side: str
    part: int | None


class WalkedPacket:
    """A packet on its way: where it came from, and what it has become. `steps` are kept of one that is `traced`."""

    __slots__ = ("by", "mask", "origin", "shift", "source", "spot", "steps", "target", "traced", "trail")

    def __init__(
        self,
        origin: Origin,
        source: Address,
        target: Address,
        spot: Located | None,
        mask: int,
        shift: int = 0,
        trail: tuple[tuple[str, str], ...] = (),
        traced: bool = False,
        steps: Chain = None,
        by: tuple[str, ...] = (),
    ) -> None:
        self.origin, self.source, self.target, self.spot, self.mask = origin, source, target, spot, mask
        self.shift, self.trail, self.traced, self.steps, self.by = shift, trail, traced, steps, by

    def only(self, mask: int) -> WalkedPacket:
        """Some of its services alone."""
        return WalkedPacket(
            *(self.origin, self.source, self.target, self.spot, mask, self.shift, self.trail, self.traced),
            *(self.steps, self.by),
        )

    def within(self, box: str, side: str) -> WalkedPacket:
        """The packet once it is in a box."""
        trail = (*self.trail, (box, side))
        return WalkedPacket(
            *(self.origin, self.source, self.target, self.spot, self.mask, self.shift, trail, self.traced),
            *(self.steps, self.by),
        )

    def inside(self, target: Address, spot: Located | None, mask: int, shift: int) -> WalkedPacket:
        """The packet with its target translated."""
        return WalkedPacket(
            *(self.origin, self.source, target, spot, mask, shift, self.trail, self.traced, self.steps, self.by)
        )

    def step(self, at: str, does: Does, path: str, *about: object, decided: bool = False) -> WalkedPacket:
        """The packet after something has happened to it; `decided` by an entry of a box."""
        if not self.traced and not decided:
            return self
        steps = (Decision(at, does, path, about), self.steps) if self.traced else None
        by = (*self.by, path) if decided else self.by
        return WalkedPacket(
            *(self.origin, self.source, self.target, self.spot, self.mask, self.shift, self.trail, self.traced),
            *(steps, by),
        )


def decisions_of(chain: Chain) -> list[Decision]:
    """A chain as a list, the first step first."""
    found = []
    while chain is not None:
        step, chain = chain
        found.append(step)
    return found[::-1]
