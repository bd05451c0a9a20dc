"""Who may sign in, and who is signed in.

AccountError          an account cannot be made or changed as asked
CodeNeeded            name and password fit, and the code of the second factor is to follow
"""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache
from typing import NamedTuple

import pyotp
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from octaplan.errors import OctaplanError
from octaplan.store.author import Author
from octaplan.store.database import Database
from octaplan.store.journal import Act, enter
from octaplan.store.models import Account, Role, SignIn
from octaplan.store.vault import Vault, second_factor_place

SESSION = timedelta(hours=12)
SHORTEST_PASSWORD = 12


class AccountError(OctaplanError):
    """An account cannot be made or changed as asked."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who is signed in."""

    name: str
    full_name: str
    role: Role
    second_factor: bool = False
    address: str = ""

    @property
    def author(self) -> Author:
        """The name that is put under what this person does."""
        return Author(self.full_name, self.name, self.address)


class Listed(NamedTuple):
    """One account as administrators see it."""

    name: str
    full_name: str
    role: Role
    ends: datetime | None
    second_factor: bool


class CodeNeeded(OctaplanError):
    """Name and password fit, and the code of the second factor is to follow."""


class Accounts:
    """The accounts and sessions of a database."""

    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self._vault = vault
        self.hasher = PasswordHasher()
        self._known: dict[str, tuple[Person, datetime]] = {}
        self._changes = 0

    def any(self) -> bool:
        """Whether there is an account at all."""
        with self._database.reading() as session:
            return bool(session.scalar(select(func.count()).select_from(Account)))

    def add(
        self,
        name: str,
        full_name: str,
        password: str,
        role: Role,
        *,
        demo: bool = False,
        ends: datetime | None = None,
        by: str = "",
    ) -> None:
        """Make an account, for good or until it ends. Raises `AccountError`."""
        name = name.strip().casefold()
        if not re.fullmatch(r"[a-z0-9][a-z0-9._-]{1,39}", name):
            raise AccountError("Write the sign-in name with 2 to 40 letters, digits, dots and hyphens")
        check_password(password)
        if ends is not None and ends <= datetime.now(UTC):
            raise AccountError("The account would end before it begins: choose a day to come")
        digest = self.hasher.hash(password)
        with self._changing() as session:
            if session.scalar(select(Account).where(Account.name == name)):
                raise AccountError(f"There is an account {name} already: choose another sign-in name")
            full = " ".join(full_name.split())[:200] or name
            session.add(Account(name=name, full_name=full, role=role, password=digest, demo=demo, ends=ends))
            until = f", until {ends:%Y-%m-%d}" if ends else ""
            enter(session, Act.ACCOUNT, by or full, f"{name} made, {role}{until}")

    def everyone(self) -> list[Listed]:
        """All accounts, by name."""
        with self._database.reading() as session:
            rows = session.scalars(select(Account).order_by(Account.name)).all()
        return [Listed(a.name, a.full_name, Role(a.role), a.ends, a.totp is not None) for a in rows]

    def change(
        self, name: str, by: Person, *, role: Role, ends: datetime | None, password: str = "", drop_second: bool = False
    ) -> None:
        """Change somebody's role or end, give a new password, or take the second factor away; ends their sessions.

        Raises `AccountError`, also when nobody would be left who may administer.
        """
        if password:
            check_password(password)
        digest = self.hasher.hash(password) if password else ""
        with self._changing() as session:
            account = self._named(session, name)
            if name == by.name and (role is not Role.ADMINISTRATOR or ends is not None):
                raise AccountError("You cannot take your own administration away: ask another administrator")
            said = [f"role {role}"] if account.role != role else []
            said += [f"ends {ends:%Y-%m-%d}" if ends else "does not end"] if account.ends != ends else []
            account.role, account.ends = role, ends
            if digest:
                account.password = digest
                said.append("new password")
            if drop_second and account.totp is not None:
                account.totp = account.totp_pending = None
                said.append("second factor taken away")
            if said and name != by.name:
                session.execute(delete(SignIn).where(SignIn.account_id == account.id))
            if said:
                enter(session, Act.ACCOUNT, by.author, f"{name}: {', '.join(said)}")

    @staticmethod
    def _named(session: Session, name: str) -> Account:
        account = session.scalar(select(Account).where(Account.name == name.strip().casefold()))
        if account is None:
            raise AccountError(f"There is no account {name[:40]}")
        return account

    def change_own_password(self, person: Person, old: str, new: str, keep: str) -> None:
        """Change one's own password; all one's other sessions end. Raises `AccountError`."""
        check_password(new)
        with self._database.reading() as session:
            digest = self._named(session, person.name).password
        if not self._fits(digest, old):
            raise AccountError("The old password does not fit: nothing was changed")
        fresh = self.hasher.hash(new)
        with self._changing() as session:
            account = self._named(session, person.name)
            account.password = fresh
            others = SignIn.token_digest != _digest(keep)
            session.execute(delete(SignIn).where(SignIn.account_id == account.id, others))
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: own password changed")

    # --- The second factor: time-based one-time passwords (RFC 6238), 6 digits, 30 s, SHA-1 as every app has it

    def begin_second(self, person: Person) -> str:
        """A new secret for an authenticator app, as an `otpauth` address; it counts once a code confirms it."""
        secret = pyotp.random_base32()
        sealed = self._vault.seal(secret.encode(), second_factor_place(person.name))
        with self._changing() as session:
            self._named(session, person.name).totp_pending = sealed
        return pyotp.TOTP(secret).provisioning_uri(name=person.name, issuer_name="Octaplan")

    def confirm_second(self, person: Person, code: str) -> None:
        """Turn the second factor on. Raises `AccountError` when the code does not fit."""
        with self._changing() as session:
            account = self._named(session, person.name)
            if account.totp_pending is None:
                raise AccountError("Nothing waits to be confirmed: begin again")
            used = self._step_of(account.name, account.totp_pending, code)
            if used is None:
                raise AccountError("The code does not fit: check the clock of the telephone, and type the newest code")
            account.totp, account.totp_pending, account.totp_used = account.totp_pending, None, used
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: second factor on")

    def drop_second(self, person: Person, code: str) -> None:
        """Turn one's own second factor off, with one last code."""
        with self._changing() as session:
            account = self._named(session, person.name)
            if account.totp is None or self._step_of(account.name, account.totp, code) is None:
                raise AccountError("The code does not fit: the second factor stays on")
            account.totp = None
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: second factor off")

    def _step_of(self, name: str, sealed: bytes, code: str) -> int | None:
        """The time step that a code belongs to (the one before and after count), or nothing."""
        totp = pyotp.TOTP(self._vault.open(sealed, second_factor_place(name)).decode())
        digits = "".join(code.split())
        now = int(time.time()) // totp.interval
        for step in (now, now - 1, now + 1):
            if hmac.compare_digest(totp.generate_otp(step), digits[:12]):
                return step
        return None

    def _fits(self, digest: str, password: str) -> bool:
        try:
            return self.hasher.verify(digest, password)
        except (Argon2Error, InvalidHashError):
            return False

    def renew_demo(self, password: str) -> list[Person]:
        """Give all demo accounts a password; returns them."""
        digest = self.hasher.hash(password)
        with self._changing() as session:
            accounts = session.scalars(select(Account).where(Account.demo).order_by(Account.id)).all()
            for account in accounts:
                account.password = digest
            return [_person(account) for account in accounts]

    def sign_in(self, name: str, password: str, code: str = "") -> str | None:
        """The token of a new session, or nothing when name, password or code do not fit.

        Raises `CodeNeeded` when the account has a second factor and no code came.
        """
        with self._database.reading() as session:
            account = session.scalar(select(Account).where(Account.name == name.strip().casefold()))
        # the same work whether or not the account exists
        if not self._fits(account.password if account else _nobody(self.hasher), password) or account is None:
            return None
        now = datetime.now(UTC)
        if account.ends is not None and account.ends <= now:
            return None
        with self._changing() as session:
            account = session.get_one(Account, account.id)
            if account.totp is not None:
                if not code.strip():
                    raise CodeNeeded("Type the code that your authenticator app shows")
                step = self._step_of(account.name, account.totp, code)
                if step is None or step <= account.totp_used:
                    return None
                account.totp_used = step
            session.execute(delete(SignIn).where(SignIn.ends < now))
            token = secrets.token_urlsafe(32)
            ends = min(now + SESSION, account.ends) if account.ends else now + SESSION
            session.add(SignIn(token_digest=_digest(token), account_id=account.id, at=now, ends=ends))
            return token

    def known(self, token: str) -> Person | None:
        """The same as `person` when it is known already, without asking the database."""
        known = self._known.get(_digest(token))
        return known[0] if known is not None and known[1] >= datetime.now(UTC) else None

    def person(self, token: str) -> Person | None:
        """Whose session a token is, if it has not ended."""
        digest, changes = _digest(token), self._changes
        known = self._known.get(digest)
        if known is None:
            with self._database.reading() as session:
                query = select(Account, SignIn).join(SignIn, SignIn.account_id == Account.id)
                row = session.execute(query.where(SignIn.token_digest == digest)).first()
            if row is None:
                return None
            known = (_person(row[0]), row[1].ends)
            if changes == self._changes:  # else something was changed while it was looked up: look again next time
                self._known[digest] = known
        return known[0] if known[1] >= datetime.now(UTC) else None

    @contextmanager
    def _changing(self) -> Iterator[Session]:
        """A turn in which accounts or sessions change: nobody is known by what was, neither before nor after it."""
        with self._database.turn() as turn:
            try:
                yield turn.session
            finally:
                self._changes += 1
                turn.tell(self._forget)

    def _forget(self) -> None:
        self._changes += 1
        self._known = {}

    def sign_out(self, token: str) -> None:
        with self._changing() as session:
            session.execute(delete(SignIn).where(SignIn.token_digest == _digest(token)))


@cache
def _nobody(hasher: PasswordHasher) -> str:
    """A hash that no password fits, for names that nobody has."""
    return hasher.hash(secrets.token_hex())


def check_password(password: str) -> None:
    """Raises `AccountError` for a password that is too short, too long or of one character."""
    if not SHORTEST_PASSWORD <= len(password) <= 200 or len(set(password)) < 5:
        raise AccountError(f"Choose a password of at least {SHORTEST_PASSWORD} characters, not all alike")


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _person(account: Account) -> Person:
    return Person(account.name, account.full_name, Role(account.role), account.totp is not None)
