"""Who may sign in, and who is signed in.

AccountError          an account cannot be made as asked
"""

from __future__ import annotations

import hashlib
import re
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy import delete, func, select

from octaplan.errors import OctaplanError
from octaplan.store.database import Database
from octaplan.store.models import Account, Role, SignIn

SESSION = timedelta(hours=12)
SHORTEST_PASSWORD = 12


class AccountError(OctaplanError):
    """An account cannot be made as asked."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who is signed in."""

    name: str
    full_name: str
    role: Role


class Accounts:
    """The accounts and sessions of a database."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._hasher = PasswordHasher()
        self._nobody = self._hasher.hash(secrets.token_hex())

    def any(self) -> bool:
        """Whether there is an account at all."""
        with self._database.session() as session:
            return bool(session.scalar(select(func.count()).select_from(Account)))

    def add(self, name: str, full_name: str, password: str, role: Role, *, demo: bool = False) -> None:
        """Make an account. Raises `AccountError`."""
        name = name.strip().casefold()
        if not re.fullmatch(r"[a-z0-9][a-z0-9._-]{1,39}", name):
            raise AccountError("Write the sign-in name with 2 to 40 letters, digits, dots and hyphens")
        check_password(password)
        with self._database.session() as session:
            if session.scalar(select(Account).where(Account.name == name)):
                raise AccountError(f"There is an account {name} already: choose another sign-in name")
            session.add(
                Account(
                    name=name,
                    full_name=" ".join(full_name.split())[:200] or name,
                    role=role,
                    password=self._hasher.hash(password),
                    demo=demo,
                )
            )

    def renew_demo(self, password: str) -> list[Person]:
        """Give all demo accounts a password; returns them."""
        digest = self._hasher.hash(password)
        with self._database.session() as session:
            accounts = session.scalars(select(Account).where(Account.demo).order_by(Account.id)).all()
            for account in accounts:
                account.password = digest
            return [_person(account) for account in accounts]

    def sign_in(self, name: str, password: str) -> str | None:
        """The token of a new session, or nothing when name and password do not fit."""
        with self._database.session() as session:
            account = session.scalar(select(Account).where(Account.name == name.strip().casefold()))
            try:  # the same work whether or not the account exists
                self._hasher.verify(account.password if account else self._nobody, password)
            except (Argon2Error, InvalidHashError):
                return None
            if account is None:
                return None
            now = datetime.now(UTC)
            session.execute(delete(SignIn).where(SignIn.ends < now))
            token = secrets.token_urlsafe(32)
            session.add(SignIn(token_digest=_digest(token), account_id=account.id, at=now, ends=now + SESSION))
            return token

    def person(self, token: str) -> Person | None:
        """Whose session a token is, if it has not ended."""
        with self._database.session() as session:
            query = select(Account, SignIn).join(SignIn, SignIn.account_id == Account.id)
            row = session.execute(query.where(SignIn.token_digest == _digest(token))).first()
            if row is None or row[1].ends < datetime.now(UTC):
                return None
            return _person(row[0])

    def sign_out(self, token: str) -> None:
        with self._database.session() as session:
            session.execute(delete(SignIn).where(SignIn.token_digest == _digest(token)))


def check_password(password: str) -> None:
    """Raises `AccountError` for a password that is too short, too long or of one character."""
    if not SHORTEST_PASSWORD <= len(password) <= 200 or len(set(password)) < 5:
        raise AccountError(f"Choose a password of at least {SHORTEST_PASSWORD} characters, not all alike")


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _person(account: Account) -> Person:
    return Person(account.name, account.full_name, Role(account.role))
