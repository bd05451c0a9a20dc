"""The page Credentials of the desk: the secrets that a site needs. What a secret is goes out only when it is read."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.plan.credentials import Slot
from octaplan.core.plan.passwords import LONGEST_TYPED, spoken
from octaplan.server.dependencies import Counted, Recorded
from octaplan.server.pages.desk import Code
from octaplan.server.permissions import Filling, Looking, Reading
from octaplan.server.problems import MOST_NUMBER
from octaplan.store.kept import SecretNeed
from octaplan.store.records import Records
from octaplan.store.safe import SecretVersion

router = APIRouter(prefix="/api/sites/{customer}/{site}/credentials", tags=["credentials"])

SlotPath = Annotated[str, StringConstraints(max_length=100)]
Reason = Annotated[str, StringConstraints(max_length=400)]


class KeptShown(BaseModel):
    """What is known of a secret without reading it."""

    number: int
    at: datetime
    by: str
    typed: bool
    score: int
    factory: bool
    shared: int


class SlotShown(BaseModel):
    path: str
    member: str
    owner: str
    label: str
    rules: str
    given: bool
    needed: bool
    kept: KeptShown | None


class SiteSlots(BaseModel):
    """The slots of a site. `locked` says why the safe cannot be opened, and is empty when it can."""

    slots: list[SlotShown]
    locked: str
    reason_wanted: bool


class OneSlot(BaseModel):
    path: SlotPath


class EarlierSecret(BaseModel):
    path: SlotPath
    number: Annotated[int, Field(ge=1, le=MOST_NUMBER)]


class TypedSecret(BaseModel):
    path: SlotPath
    secret: Annotated[str, StringConstraints(max_length=LONGEST_TYPED)]


class Opinion(BaseModel):
    """What a slot's rules hold against a secret, and how strong it is, 0 to 4."""

    problems: list[str]
    score: int
    advice: str
    shared: int


class AskedFor(BaseModel):
    path: SlotPath
    why: Reason = ""
    number: Annotated[int | None, Field(ge=1, le=MOST_NUMBER)] = None


class Opened(BaseModel):
    """A secret, and how it is said aloud."""

    secret: str
    spoken: list[str]


class MadeSecrets(BaseModel):
    made: int


def rules_in_words(slot: Slot) -> str:
    """What the box demands of a secret."""
    rule = slot.rule
    if not slot.needed:
        return "if it has one: as it was bought"
    if slot.given:
        return "given by the provider"
    words = {"lower": "small letter", "upper": "capital", "digit": "digit", "symbol": "symbol"}
    size = str(rule.shortest) if rule.shortest == rule.longest else f"{rule.shortest} to {rule.longest}"
    size += " digits" if rule.digits_only else " characters"
    needed = "" if rule.digits_only else ", ".join(words[name] for name in rule.needed)
    characters = rule.characters()
    without = " ".join(rule.forbidden) if characters.get("symbol", "-") else "symbols"
    distinct = f", not the {', '.join(d.rsplit('/', 1)[-1] for d in slot.distinct)}" if slot.distinct else ""
    return size + (f" with {needed}" if needed else "") + (f", without {without}" if without else "") + distinct


def _shown(records: Records, key: str) -> SiteSlots:
    now = records.now
    plan = now.sites.plan(key)
    kept, facts = now.secrets.kept(plan.key), now.secrets.facts(plan.key)
    slots = []
    for need in now.sites.needs(plan):
        slot, found = need.slot, kept.get(need.slot.path)
        shown = None
        if found is not None:
            fact = facts[slot.path]
            shown = KeptShown(
                number=found.number,
                at=found.at,
                by=found.by,
                typed=found.typed,
                score=found.score,
                factory=found.factory,
                shared=fact.shared_total,
            )
        slots.append(
            SlotShown(
                path=slot.path,
                member=slot.member,
                owner=slot.owner,
                label=slot.label,
                rules=rules_in_words(slot),
                given=slot.given,
                needed=slot.needed,
                kept=shown,
            )
        )
    return SiteSlots(slots=slots, locked=records.vault.locked, reason_wanted=now.secrets.wants_reason)


def missing_at(records: Records, key: str) -> list[SecretNeed]:
    """The slots of a site that nothing is in yet and that are ours to fill."""
    now = records.now
    plan = now.sites.plan(key)
    kept = now.secrets.kept(plan.key)
    return [need for need in now.sites.needs(plan) if need.slot.path not in kept and not need.slot.given]


@router.get("")
def credentials(customer: Code, site: Code, records: Recorded, person: Looking) -> SiteSlots:
    """The slots of a site, unopened."""
    return _shown(records, f"{customer}/{site}")


@router.post("/missing")
def make_missing(customer: Code, site: Code, records: Recorded, person: Filling) -> MadeSecrets:
    """Make every secret that is missing and ours to choose."""
    key = f"{customer}/{site}"
    made = records.safe.make(missing_at(records, key), person.author)
    return MadeSecrets(made=made)


@router.post("/make")
def make_secret(customer: Code, site: Code, slot: OneSlot, records: Recorded, person: Filling) -> SiteSlots:
    """Make a new secret for one slot; the old one stays in its history."""
    key = f"{customer}/{site}"
    records.safe.make([records.now.sites.need(key, slot.path)], person.author)
    return _shown(records, key)


@router.post("/typed")
def keep_secret(customer: Code, site: Code, typed: TypedSecret, records: Recorded, person: Filling) -> SiteSlots:
    """Keep a secret that somebody typed."""
    key = f"{customer}/{site}"
    records.safe.put(records.now.sites.need(key, typed.path), typed.secret, person.author)
    return _shown(records, key)


@router.post("/opinion")
def judge_secret(customer: Code, site: Code, typed: TypedSecret, records: Recorded, person: Filling) -> Opinion:
    """Judge a secret while it is typed; nothing is kept."""
    need = records.now.sites.need(f"{customer}/{site}", typed.path)
    problems, strong = records.safe.judge(need, typed.secret)
    shared = records.safe.shared_by(need, typed.secret)
    return Opinion(problems=problems, score=strong.score, advice=strong.advice, shared=shared)


@router.post("/back")
def bring_secret_back(
    customer: Code, site: Code, earlier: EarlierSecret, records: Recorded, person: Filling
) -> SiteSlots:
    """Let a secret of a slot's history count again."""
    key = f"{customer}/{site}"
    records.safe.bring_back(records.now.sites.need(key, earlier.path), earlier.number, person.author)
    return _shown(records, key)


@router.post("/read")
def read_secret(
    customer: Code, site: Code, asked: AskedFor, records: Recorded, readings: Counted, person: Reading
) -> Opened:
    """Read one secret; the journal tells of it."""
    key = f"{customer}/{site}"
    records.now.sites.plan(key)
    records.safe.want(asked.why)
    readings.count(person)
    secret = records.safe.read(key, asked.path, person.author, asked.why, asked.number)
    return Opened(secret=secret, spoken=spoken(secret))


@router.get("/history")
def secret_history(
    customer: Code, site: Code, records: Recorded, person: Looking, path: Annotated[str, Query(max_length=100)]
) -> list[SecretVersion]:
    """The secrets that a slot has held, newest first, unopened."""
    return records.safe.history(f"{customer}/{site}", path)
