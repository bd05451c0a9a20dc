"""The safe: the secrets of all sites, sealed; what may be known of them without opening any is held in memory.

SafeError             a secret cannot be kept or read as asked; no message quotes one
  NoSuchSecret        there is nothing in that slot
  ReasonNeeded        the organisation wants a reason for every reading
"""

from __future__ import annotations

import hashlib
import threading
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.credentials import Facts, Slot, SlotFact
from octaplan.core.findings import OTHERS_LISTED, Other
from octaplan.core.passwords import LONGEST_TYPED, Strength, make, problems, strength
from octaplan.errors import OctaplanError
from octaplan.store.database import Database
from octaplan.store.journal import Act, enter, enter_all
from octaplan.store.models import Customer, Secret, Setting, Site
from octaplan.store.vault import Vault, secret_place

#: Tries to make a secret that differs from those it must differ from; one is nearly always enough.
_TRIES = 20

_REASON = "reason to read"


class SafeError(OctaplanError):
    """A secret cannot be kept or read as asked."""


class ReasonNeeded(SafeError):
    """The organisation wants a reason for every reading."""


class NoSuchSecret(SafeError):
    """There is nothing in that slot."""


@dataclass(frozen=True, slots=True)
class Kept:
    """What is known of the newest secret of a slot."""

    number: int
    label: str
    fingerprint: str
    score: int
    factory: bool
    typed: bool
    at: datetime
    by: str


class Entry(NamedTuple):
    """One secret of a slot's history, unopened."""

    number: int
    at: datetime
    by: str
    typed: bool


class Need(NamedTuple):
    """A slot of a site that is to be filled. `factory` are the makers' own passwords that will not do."""

    site: str
    slot: Slot
    factory: tuple[str, ...] = ()


class Safe:
    """The secrets of a database."""

    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self.vault = vault
        self._lock = threading.RLock()
        self._kept: dict[str, dict[str, Kept]] = defaultdict(dict)
        self._holders: dict[str, set[tuple[str, str]]] = defaultdict(set)
        self._codes: dict[str, tuple[str, str]] = {}
        self._load()

    def _load(self) -> None:
        newest = select(func.max(Secret.id)).group_by(Secret.site_id, Secret.slot)
        query = select(Secret, Site, Customer).join(Site, Site.id == Secret.site_id).join(Customer)
        with self._lock, self._database.session() as session:
            self._kept.clear()
            self._holders.clear()
            for secret, site, customer in session.execute(query.where(Secret.id.in_(newest))):
                self._codes[site.key] = (customer.code, site.code)
                self._hold(site.key, secret.slot, _kept(secret))

    def _hold(self, site: str, slot: str, kept: Kept) -> None:
        before = self._kept[site].get(slot)
        if before is not None:
            self._holders[before.fingerprint].discard((site, slot))
        self._kept[site][slot] = kept
        self._holders[kept.fingerprint].add((site, slot))

    # --- Whether a reason is asked for

    @property
    def wants_reason(self) -> bool:
        """Whether the organisation wants a reason for every reading."""
        with self._database.session() as session:
            setting = session.get(Setting, _REASON)
        return setting is not None and setting.value == "true"

    def want_reason(self, wanted: bool, by: str) -> None:
        with self._database.session() as session:
            session.merge(Setting(name=_REASON, value="true" if wanted else "false"))
            enter(session, Act.KEY, by, f"reason for reading {'asked for' if wanted else 'no longer asked for'}")

    # --- What may be known without opening

    def kept(self, site: str) -> Mapping[str, Kept]:
        """The newest secret of every slot of a site, unopened."""
        with self._lock:
            return dict(self._kept.get(site.casefold(), {}))

    def facts(self, site: str) -> Facts:
        """What the rules may know of a site's secrets."""
        now = datetime.now(UTC)
        with self._lock:
            return {
                slot: self._fact(site, slot, kept, now) for slot, kept in self._kept.get(site.casefold(), {}).items()
            }

    def _fact(self, site: str, slot: str, kept: Kept, now: datetime) -> SlotFact:
        others = self._holders[kept.fingerprint] - {(site.casefold(), slot)}
        listed = sorted(others)[:OTHERS_LISTED]
        shared = tuple(Other(*self._codes[key], self._kept[key][path].label) for key, path in listed)
        return SlotFact(kept.score, kept.factory, (now - kept.at).days, shared, len(others))

    def sharing(self, site: str, slot: str) -> set[str]:
        """The sites of all slots that hold the same secret as this one."""
        with self._lock:
            kept = self._kept.get(site.casefold(), {}).get(slot)
            return {key for key, _ in self._holders[kept.fingerprint]} if kept else set()

    # --- Filling slots

    def make(self, needs: Sequence[Need], by: str) -> int:
        """Make a new secret for every need, in one transaction; returns how many were made."""
        rows = []
        with self._lock:
            fresh: dict[tuple[str, str], str] = {}
            for need in needs:
                if need.slot.given:
                    continue
                avoid = {fresh[(need.site, d)] for d in need.slot.distinct if (need.site, d) in fresh}
                secret = self._made(need, avoid)
                fresh[(need.site, need.slot.path)] = secret
                rows.append((need, secret, 4 if len(set(secret)) > 5 and len(secret) >= 10 else _score(secret), False))
            self._store(rows, by, Act.MADE, typed=False)
        return len(rows)

    def _made(self, need: Need, avoid: set[str]) -> str:
        for _ in range(_TRIES):
            secret = make(need.slot.rule, words=need.slot.words)
            taken = self._holders.get(self.vault.fingerprint(secret))
            if not taken and secret not in avoid and secret not in need.factory:
                return secret
        raise SafeError(
            f"No new {need.slot.label} could be made for {need.slot.owner}: its rules leave too few possibilities. "
            "Let the slot be longer on Hardware"
        )

    def judge(self, need: Need, secret: str) -> tuple[list[str], Strength]:
        """What the slot's rules hold against a typed secret, and how strong it is."""
        if len(secret) > LONGEST_TYPED:
            return ([f"it has {len(secret)} characters: at most {LONGEST_TYPED} are kept"], Strength(0, ""))
        wrong = problems(need.slot.rule, secret)
        known = self._kept.get(need.site.casefold(), {})
        print_ = self.vault.fingerprint(secret)
        for other in need.slot.distinct:
            if other in known and known[other].fingerprint == print_:
                wrong.append(f"it must differ from the {other.rsplit('/', 1)[-1].replace('-', ' ')}")
        return wrong, strength(secret, need.site.split("/"))

    def put(self, need: Need, secret: str, by: str) -> None:
        """Keep a secret that was typed. Raises `SafeError` when the slot's rules do not take it."""
        with self._lock:
            wrong, strong = self.judge(need, secret)
            if wrong:
                raise SafeError(f"The {need.slot.label} is not taken: {'; '.join(wrong)}")
            self._store([(need, secret, strong.score, secret in need.factory)], by, Act.TYPED, typed=True)

    def put_given(self, session: Session, given: Iterable[tuple[Need, str]], by: str) -> list[tuple[Need, Kept]]:
        """Keep secrets that came with tables, inside the caller's transaction; `remember` them once it is through."""
        rows = [
            (need, secret, _score(secret), False)
            for need, secret in given
            if not self.holds(need.site, need.slot.path, secret)
        ]
        return self._write(session, rows, by, Act.TYPED, typed=True)

    def holds(self, site: str, slot: str, secret: str) -> bool:
        """Whether a slot holds this very secret."""
        kept = self._kept.get(site.casefold(), {}).get(slot)
        return kept is not None and kept.fingerprint == self.vault.fingerprint(secret)

    def remember(self, written: Iterable[tuple[Need, Kept]]) -> None:
        with self._lock:
            for need, kept in written:
                self._hold(need.site.casefold(), need.slot.path, kept)

    def forget(self, site: str) -> None:
        """Know no secret of a site any more: it has been taken away."""
        with self._lock:
            for slot, kept in self._kept.pop(site.casefold(), {}).items():
                self._holders[kept.fingerprint].discard((site.casefold(), slot))

    def _store(self, rows: Sequence[tuple[Need, str, int, bool]], by: str, act: Act, *, typed: bool) -> None:
        with self._database.session() as session:
            written = self._write(session, rows, by, act, typed=typed)
        self.remember(written)

    def _write(
        self, session: Session, rows: Sequence[tuple[Need, str, int, bool]], by: str, act: Act, *, typed: bool
    ) -> list[tuple[Need, Kept]]:
        at = datetime.now(UTC)
        keys = {need.site.casefold() for need, *_ in rows}
        found = session.execute(
            select(Site.key, Site.id, Site.code, Customer.code).join(Customer).where(Site.key.in_(keys))
        ).all()
        sites = {key: site_id for key, site_id, _, _ in found}
        self._codes |= {key: (customer, code) for key, _, code, customer in found}
        numbers = {
            (site_id, slot): number
            for site_id, slot, number in session.execute(
                select(Secret.site_id, Secret.slot, func.max(Secret.number))
                .where(Secret.site_id.in_(sites.values()))
                .group_by(Secret.site_id, Secret.slot)
            )
        }
        written = []
        for need, secret, score, factory in rows:
            key = need.site.casefold()
            if key not in sites:
                raise SafeError(f"There is no site {need.site}: nothing was kept")
            number = numbers[(sites[key], need.slot.path)] = numbers.get((sites[key], need.slot.path), 0) + 1
            row = Secret(
                site_id=sites[key],
                slot=need.slot.path,
                number=number,
                label=need.slot.name[:300],
                sealed=self.vault.seal(secret.encode(), secret_place(sites[key], need.slot.path, number)),
                fingerprint=self.vault.fingerprint(secret),
                score=score,
                factory=factory,
                typed=typed,
                at=at,
                by=by,
            )
            session.add(row)
            written.append((need, _kept(row)))
        enter_all(session, act, by, [(need.site, need.slot.name) for need, _ in written], at=at)
        return written

    # --- Reading

    def read(self, site: str, slot: str, by: str, why: str = "", number: int | None = None, act: Act = Act.READ) -> str:
        """Open one secret, the newest or one of the history; the reading is in the journal before it is answered."""
        why = " ".join(why.split())
        if len(why) < 3 and self.wants_reason:
            raise ReasonNeeded("Say what the secret is read for: a few words will do")
        query = select(Secret).join(Site).where(Site.key == site.casefold(), Secret.slot == slot)
        if number is not None:
            query = query.where(Secret.number == number)
        with self._database.session() as session:
            secret = session.scalars(query.order_by(Secret.number.desc()).limit(1)).first()
            if secret is None:
                raise NoSuchSecret("Nothing is in this slot yet: make a secret, or type the one that you were given")
            place = secret_place(secret.site_id, secret.slot, secret.number)
            try:
                plain = self.vault.open(secret.sealed, place).decode()
            except OctaplanError as error:
                raise type(error)(str(error).replace(place, f"the {secret.label}")) from None
            older = f", number {secret.number}" if number is not None else ""
            enter(session, act, by, secret.label + older, site=site, why=why)
        return plain

    def history(self, site: str, slot: str) -> list[Entry]:
        """All secrets that a slot has held, newest first, unopened."""
        query = select(Secret).join(Site).where(Site.key == site.casefold(), Secret.slot == slot)
        with self._database.session() as session:
            rows = session.scalars(query.order_by(Secret.number.desc()).limit(100)).all()
        return [Entry(row.number, row.at, row.by, row.typed) for row in rows]

    def change_key(self, by: str) -> int:
        """Seal everything anew with a new key."""
        number = self.vault.change_key()
        with self._database.session() as session:
            enter(session, Act.KEY, by, f"{number} things sealed anew")
        self._load()
        return number


def _score(secret: str) -> int:
    return strength(secret).score


def _kept(row: Secret) -> Kept:
    return Kept(row.number, row.label, row.fingerprint, row.score, row.factory, row.typed, row.at, row.by)


def digest_of(content: bytes) -> str:
    """The checksum of a back-up."""
    return hashlib.sha256(content).hexdigest()
