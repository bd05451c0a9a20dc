"""Which secrets a site needs, and what may be known about each without reading it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from octaplan.core.plan.elsewhere import Other
from octaplan.core.plan.hardware import HardwareType, SlotRule
from octaplan.core.plan.site import Handoff, SitePlan

#: WPA2 and WPA3 passphrases (IEEE 802.11): 8 to 63 printable characters. 16 keeps guessing hopeless.
WIFI_RULE = SlotRule(label="Wi-Fi key", shortest=16, longest=63, forbidden="\"'\\`")
PPPOE_RULE = SlotRule(label="PPPoE password", shortest=1, longest=128, lower=False, upper=False, digit=False)
NAMED_RULE = SlotRule(shortest=8, longest=128, lower=False, upper=False, digit=False)

LICENCE_RULE = SlotRule(label="licence key", shortest=4, longest=128, lower=False, upper=False, digit=False)

OLD_AFTER_DAYS = 730


@dataclass(frozen=True, slots=True)
class Slot:
    """One secret that a site needs. `path` names it within the site, and never changes.

    `member` is the place in the plan that it belongs to; `given` that somebody else chose it, so that it is
    typed and not made; one that is not `needed` may stay empty.
    """

    path: str
    member: str
    owner: str
    label: str
    rule: SlotRule
    given: bool = False
    words: bool = False
    needed: bool = True
    distinct: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return f"{self.owner} {self.label}"


@dataclass(frozen=True, slots=True)
class SlotFact:
    """What is known of a stored secret without reading it: its strength (0 to 4), whether it is the maker's own,
    its age in days, and where else it is used."""

    score: int = 4
    factory: bool = False
    age_days: int = 0
    shared: tuple[Other, ...] = field(default=())
    shared_total: int = 0


Facts = Mapping[str, SlotFact]


def licence_slot(device: str, licence: str) -> str:
    """The place of a licence's key in the safe; not every licence has one."""
    return f"devices/{device}/licence-{re.sub(r'[^a-z0-9]+', '-', licence.casefold()).strip('-')[:60]}"


def slots_of(plan: SitePlan, hardware: Mapping[str, HardwareType]) -> Iterator[Slot]:
    """Every secret that a plan needs: of its devices by their type, its Wi-Fi, its PPPoE circuits, its own."""
    for key, device in plan.devices.items():
        kind = hardware.get(device.type)
        if kind is None or not device.staged:
            continue
        for name, rule in kind.slots.items():
            distinct = tuple(f"devices/{key}/{other}" for other in rule.distinct_from)
            label = rule.label or name.replace("-", " ")
            owner = device.name or device.role.words
            yield Slot(f"devices/{key}/{name}", f"/devices/{key}", owner, label, rule, distinct=distinct)
        for licence in kind.licences:
            owner, label = device.name or device.role.words, f"key of the licence {licence}"
            path = licence_slot(key, licence)
            yield Slot(path, f"/devices/{key}", owner, label, LICENCE_RULE, given=True, needed=False)
    for key, wireless in plan.wireless.items():
        if wireless.security != "open":
            yield Slot(f"wireless/{key}/key", f"/wireless/{key}", wireless.name, "Wi-Fi key", WIFI_RULE, words=True)
    for key, circuit in plan.circuits.items():
        if circuit.handoff is Handoff.PPPOE:
            path = f"circuits/{key}/pppoe"
            yield Slot(path, f"/circuits/{key}", circuit.label, "PPPoE password", PPPOE_RULE, given=True)
    for key, named in plan.slots.items():
        yield Slot(f"slots/{key}/secret", f"/slots/{key}", plan.name or plan.site, named.name, NAMED_RULE)
