"""Credentials: what is known of each secret that the site needs, without reading any."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from octaplan.core.check.findings import Hit, Severity, Trait, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.credentials import OLD_AFTER_DAYS, Slot, SlotFact, slots_of
from octaplan.core.plan.elsewhere import at
from octaplan.core.plan.passwords import STRONG
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.words import and_more


def _slots(view: View, wrong: Callable[[SlotFact | None], bool]) -> Iterator[tuple[SitePlan, Slot, SlotFact | None]]:
    """The slots that a rule has something to say about; none when the safe is not at hand."""
    facts = view.holdings.facts
    if facts is None:
        return
    for plan in view.plans.values():
        known = None
        for slot in slots_of(plan, view.holdings.hardware or {}):
            known = facts(plan.key) if known is None else known
            fact = known.get(slot.path)
            if wrong(fact):
                yield plan, slot, fact


def _subject(plan: SitePlan, slot: Slot) -> Subject:
    return Subject(plan.customer, plan.site, slot.name, f"/safe/{slot.path}", "", owner=slot.owner)


@rule("credential-missing", Severity.STOP, "device", "secret", Trait.UNFILLED)
def credential_missing(view: View) -> Iterator[Hit]:
    """Secret not in the safe

    A secret that the site needs has not been made yet, so it would be chosen at the bench, or left as it is.
    """
    for plan, slot, _ in _slots(view, lambda fact: fact is None):
        if not slot.needed:
            continue
        how = "type in what the provider gave" if slot.given else "make it"
        yield Hit(
            _subject(plan, slot), f"The {slot.label} of {slot.owner} is not in the safe yet: {how} on Credentials."
        )


@rule("credential-factory", Severity.STOP, "device", "secret")
def credential_factory(view: View) -> Iterator[Hit]:
    """The maker's own password

    The secret is the one that every such box leaves the factory with.
    """
    for plan, slot, _ in _slots(view, lambda fact: fact is not None and fact.factory):
        yield Hit(_subject(plan, slot), f"The {slot.label} of {slot.owner} is the maker's own: make a new one.")


@rule("credential-weak", Severity.STOP, "device", "secret")
def credential_weak(view: View) -> Iterator[Hit]:
    """Secret that is easily guessed

    The secret was typed in and is weak by zxcvbn's estimate, or breaks the rules of its hardware.
    """
    for plan, slot, _ in _slots(view, lambda fact: fact is not None and fact.score < STRONG):
        if not slot.given:
            yield Hit(_subject(plan, slot), f"The {slot.label} of {slot.owner} is easily guessed: make a new one.")


@rule("credential-reused", Severity.STOP, "device", "secret")
def credential_reused(view: View) -> Iterator[Hit]:
    """Secret used twice

    Another slot, here or at another site, holds the same secret: who learns one has both.
    """
    for plan, slot, fact in _slots(view, lambda fact: fact is not None and fact.shared_total > 0):
        if fact is not None:
            places = [at(other) for other in fact.shared]
            yield Hit(
                _subject(plan, slot),
                f"The {slot.label} of {slot.owner} is also that of {and_more(places, fact.shared_total)}: make a new "
                "one here.",
                fact.shared,
                fact.shared_total,
            )


@rule("credential-old", Severity.WARN, "device", "secret")
def credential_old(view: View) -> Iterator[Hit]:
    """Secret that is old

    The secret has not been changed for two years.
    """
    for plan, slot, fact in _slots(view, lambda fact: fact is not None and fact.age_days > OLD_AFTER_DAYS):
        if fact is not None and not slot.given:
            yield Hit(
                _subject(plan, slot),
                f"The {slot.label} of {slot.owner} is {fact.age_days // 365} years old: change it, or accept it with "
                "a reason.",
            )
