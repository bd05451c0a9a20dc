"""The safe: the secrets of all sites, sealed.

SafeError             a secret cannot be kept or read as asked; no message quotes one
  NoSuchSecret        there is nothing in that slot
  ReasonNeeded        the organisation wants a reason for every reading
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.plan.passwords import LONGEST_TYPED, STRONG, Strength, make, problems, strength
from octaplan.core.values.errors import OctaplanError, RefusedError
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter, enter_all
from octaplan.store.kept import KeptSecret, SecretNeed, Secrets
from octaplan.store.models import Customer, Secret, Setting, Site
from octaplan.store.vault import Vault, secret_place

#: Tries to make a secret that differs from those it must differ from; one is nearly always enough.
_TRIES = 20

#: A made secret that is no longer is judged: by chance it can be what is tried early.
SHORT = 10

_REASON = "reason to read"


class SafeError(RefusedError):
    """A secret cannot be kept or read as asked."""


class ReasonNeeded(SafeError):
    """The organisation wants a reason for every reading."""


class NoSuchSecret(SafeError):
    """There is nothing in that slot."""


@dataclass(frozen=True, slots=True)
class SecretVersion:
    """One secret of a slot's history, unopened."""

    number: int
    at: datetime
    by: str
    typed: bool


def load_secrets(session: Session) -> Secrets:
    """The newest secret of every slot of a database, unopened."""
    newest = select(func.max(Secret.id)).group_by(Secret.site_id, Secret.slot)
    query = select(Secret, Site, Customer).join(Site, Site.id == Secret.site_id).join(Customer)
    sites: dict[str, dict[str, KeptSecret]] = {}
    codes: dict[str, tuple[str, str]] = {}
    for secret, site, customer in session.execute(query.where(Secret.id.in_(newest), Site.away.is_(None))):
        codes[site.key] = (customer.code, site.code)
        sites.setdefault(site.key, {})[secret.slot] = _kept(secret)
    setting = session.get(Setting, _REASON)
    return Secrets(sites, codes, wants_reason=setting is not None and setting.value == "true")


def secrets_at(session: Session, site: int) -> dict[str, KeptSecret]:
    """The newest secret of every slot of a site, unopened."""
    newest = select(func.max(Secret.id)).where(Secret.site_id == site).group_by(Secret.slot)
    return {secret.slot: _kept(secret) for secret in session.scalars(select(Secret).where(Secret.id.in_(newest)))}


class Safe:
    """The secrets of a database. What may be known without opening any is `Secrets` of the snapshot."""

    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self.vault = vault

    @property
    def now(self) -> Secrets:
        """What is known of the secrets that are kept."""
        return self._database.now.secrets

    def want_reason(self, wanted: bool, by: str) -> None:
        """Want a reason for every reading, or no longer."""
        with self._database.turn() as turn:
            turn.session.merge(Setting(name=_REASON, value="true" if wanted else "false"))
            enter(turn.session, Act.KEY, by, f"reason for reading {'asked for' if wanted else 'no longer asked for'}")
            turn.now = turn.now.with_(secrets=turn.now.secrets.with_reason(wanted))

    # --- Filling slots

    def make(self, needs: Sequence[SecretNeed], by: str) -> int:
        """Make a new secret for every need, in one transaction; returns how many were made."""
        rows = []
        with self._database.turn() as turn:
            fresh: dict[tuple[str, str], str] = {}
            for need in needs:
                if need.slot.given:
                    continue
                avoid = {fresh[(need.site, d)] for d in need.slot.distinct if (need.site, d) in fresh}
                secret = self._made(turn.now.secrets, need, avoid)
                fresh[(need.site, need.slot.path)] = secret
                rows.append(
                    (
                        need,
                        secret,
                        4 if len(set(secret)) > 5 and len(secret) >= 10 else max(STRONG, _score(secret)),
                        False,
                    )
                )
            self._write(turn, rows, by, Act.MADE, typed=False)
        return len(rows)

    def _made(self, known: Secrets, need: SecretNeed, avoid: set[str]) -> str:
        weak = ""
        for _ in range(_TRIES):
            secret = make(need.slot.rule, words=need.slot.words)
            taken = known.sharing(self.vault.fingerprint(secret))
            if taken or secret in avoid or secret in need.factory:
                continue
            if len(secret) > SHORT or not strength(secret).recognised:  # by chance it can be a date, or a run
                return secret
            weak = weak or secret
        if weak:
            return weak
        raise SafeError(
            f"No new {need.slot.label} could be made for {need.slot.owner}: its rules leave too few possibilities. "
            "Let the slot be longer on Hardware"
        )

    def judge(self, need: SecretNeed, secret: str) -> tuple[list[str], Strength]:
        """What the slot's rules hold against a typed secret, and how strong it is."""
        if len(secret) > LONGEST_TYPED:
            return ([f"it has {len(secret)} characters: at most {LONGEST_TYPED} are kept"], Strength(0, ""))
        wrong = problems(need.slot.rule, secret)
        known = self.now.kept(need.site)
        print_ = self.vault.fingerprint(secret)
        for other in need.slot.distinct:
            if other in known and known[other].fingerprint == print_:
                wrong.append(f"it must differ from the {other.rsplit('/', 1)[-1].replace('-', ' ')}")
        return wrong, strength(secret, [*need.site.split("/"), *need.known])

    def shared_by(self, need: SecretNeed, secret: str) -> int:
        """How many other slots, here or at other sites, hold the same secret."""
        found = self.now.holders(self.vault.fingerprint(secret)) if secret else set()
        return len(found - {(need.site.casefold(), need.slot.path)})

    def bring_back(self, need: SecretNeed, number: int, by: str) -> None:
        """Let a secret of the history count again: it becomes the newest. Raises `NoSuchSecret`."""
        with self._database.turn() as turn:
            query = select(Secret).join(Site).where(Site.key == need.site.casefold(), Secret.slot == need.slot.path)
            row = turn.session.scalars(query.where(Secret.number == number)).first()
            if row is None:
                raise NoSuchSecret("There is no secret of that number in this slot")
            plain = self.vault.open(row.sealed, secret_place(row.site_id, row.slot, row.number)).decode()
            self._write(turn, [(need, plain, row.score, row.factory)], by, Act.RESTORED, typed=row.typed)

    def put(self, need: SecretNeed, secret: str, by: str) -> None:
        """Keep a secret that was typed. Raises `SafeError` when the slot's rules do not take it."""
        with self._database.turn() as turn:
            wrong, strong = self.judge(need, secret)
            if wrong:
                raise SafeError(f"The {need.slot.label} is not taken: {'; '.join(wrong)}")
            self._write(turn, [(need, secret, strong.score, secret in need.factory)], by, Act.TYPED, typed=True)

    def put_given(self, given: Iterable[tuple[SecretNeed, str]], by: str, batch: str | None = None) -> set[str]:
        """Keep secrets that came with tables; returns the sites that got one."""
        with self._database.turn() as turn:
            rows = [
                (need, secret, _score(secret), False)
                for need, secret in given
                if not self.holds(need.site, need.slot.path, secret)
            ]
            self._write(turn, rows, by, Act.TYPED, typed=True, batch=batch)
        return {need.site.casefold() for need, *_ in rows}

    def holds(self, site: str, slot: str, secret: str) -> bool:
        """Whether a slot holds this very secret."""
        kept = self.now.kept(site).get(slot)
        return kept is not None and kept.fingerprint == self.vault.fingerprint(secret)

    def _write(
        self,
        turn: Turn,
        rows: Sequence[tuple[SecretNeed, str, int, bool]],
        by: str,
        act: Act,
        *,
        typed: bool,
        batch: str | None = None,
    ) -> None:
        session = turn.session
        at = datetime.now(UTC)
        keys = {need.site.casefold() for need, *_ in rows}
        found = session.execute(
            select(Site.key, Site.id, Site.code, Customer.code).join(Customer).where(Site.key.in_(keys))
        ).all()
        sites = {key: site_id for key, site_id, _, _ in found}
        codes = {key: (customer, code) for key, _, code, customer in found}
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
                batch=batch,
            )
            session.add(row)
            written.append((key, need.slot.path, _kept(row)))
        enter_all(session, act, by, [(need.site, need.slot.name) for need, *_ in rows], at=at)
        if written:
            secrets, touched = turn.now.secrets.with_kept(written, codes)
            turn.now = turn.now.with_secrets(secrets, touched)

    # --- Reading

    def want(self, why: str) -> str:
        """A reason for reading, as it is kept. Raises `ReasonNeeded` where one is wanted and this is none."""
        why = " ".join(why.split())
        if len(why) < 3 and self.now.wants_reason:
            raise ReasonNeeded("Say what the secret is read for: a few words will do")
        return why

    def read(self, site: str, slot: str, by: str, why: str = "", number: int | None = None, act: Act = Act.READ) -> str:
        """Open one secret, the newest or one of the history; the reading is in the journal before it is answered."""
        why = self.want(why)
        query = select(Secret).join(Site).where(Site.key == site.casefold(), Secret.slot == slot)
        if number is not None:
            query = query.where(Secret.number == number)
        with self._database.turn() as turn:
            session = turn.session
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

    def history(self, site: str, slot: str) -> list[SecretVersion]:
        """All secrets that a slot has held, newest first, unopened."""
        query = select(Secret).join(Site).where(Site.key == site.casefold(), Secret.slot == slot)
        with self._database.reading() as session:
            rows = session.scalars(query.order_by(Secret.number.desc()).limit(100)).all()
        return [SecretVersion(row.number, row.at, row.by, row.typed) for row in rows]

    def change_key(self, by: str) -> int:
        """Seal everything anew with a new key; returns how many things."""
        with self._database.turn() as turn:
            changed = self.vault.change_key(turn.session)
            lost = f", {changed.damaged} could not be opened" if changed.damaged else ""
            enter(turn.session, Act.KEY, by, f"{changed.sealed} things sealed anew{lost}")
            turn.now = turn.now.with_secrets(load_secrets(turn.session), ())
            turn.tell(self.vault.settle)
        return changed.sealed


def _score(secret: str) -> int:
    return strength(secret).score


def _kept(row: Secret) -> KeptSecret:
    return KeptSecret(row.number, row.label, row.fingerprint, row.score, row.factory, row.typed, row.at, row.by)


def digest_of(content: bytes) -> str:
    """The checksum of a back-up."""
    return hashlib.sha256(content).hexdigest()
