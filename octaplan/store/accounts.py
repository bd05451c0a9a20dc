"""Who may sign in, and who is signed in.

AccountError          an account cannot be made or changed as asked
CodeNeeded            name and password fit, and the code of the second factor is to follow
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import re
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache

import pyotp
import structlog
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy import delete, func, select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from octaplan.core.values.errors import RefusedError
from octaplan.store.author import Author
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.models import Account, AccountRole, Setting, SignIn
from octaplan.store.vault import Vault, second_factor_place

SESSION = timedelta(hours=12)
SHORTEST_PASSWORD = 12

#: How many codes stand in for a lost authenticator, each once.
RECOVERY_CODES = 10

_DEMANDED, _DEVICES, _WRITTEN = "second factor demanded", "device key", "written again"


class AccountError(RefusedError):
    """An account cannot be made or changed as asked."""


class CodeNeeded(RefusedError):
    """Name and password fit, and the code of the second factor is to follow."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who is signed in. `held_back` says why nothing but looking is permitted, or is empty."""

    name: str
    full_name: str
    role: AccountRole
    second_factor: bool = False
    address: str = ""
    held_back: str = ""

    @property
    def author(self) -> Author:
        """The name that is put under what this person does."""
        return Author(self.full_name, self.name, self.address)


@dataclass(frozen=True, slots=True)
class ListedAccount:
    """One account as administrators see it."""

    name: str
    full_name: str
    role: AccountRole
    ends: datetime | None
    second_factor: bool


@dataclass(frozen=True, slots=True)
class OwnSession:
    """One of somebody's sessions, as its owner sees it."""

    id: str
    at: datetime
    ends: datetime
    address: str
    agent: str
    own: bool


@dataclass(frozen=True, slots=True)
class _HeldSession:
    """A session that could not be written yet, since the disk is full: it counts, and is written once there is room."""

    name: str
    at: datetime
    ends: datetime
    address: str
    agent: str


log = structlog.get_logger()

#: So many sessions are held at most while they cannot be written.
MOST_HELD = 500


class Accounts:
    """The accounts and sessions of a database."""

    def __init__(self, database: Database, vault: Vault) -> None:
        self._database = database
        self._vault = vault
        self.hasher = PasswordHasher()
        self._known: dict[str, tuple[Person, datetime]] = {}
        self._changes = 0
        #: Sessions that are not written yet, and the newest step of a second factor that somebody has used for one.
        self._held: dict[str, _HeldSession] = {}
        self._steps: dict[str, int] = {}
        self._spare_device_key = secrets.token_hex(32)

    # --- Accounts

    def any(self) -> bool:
        """Whether there is an account at all."""
        with self._database.reading() as session:
            return bool(session.scalar(select(func.count()).select_from(Account)))

    def add(
        self,
        name: str,
        full_name: str,
        password: str,
        role: AccountRole,
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
            known = session.scalar(select(Account).where(Account.name == name))
            if known is not None:
                had = "There has been" if known.removed else "There is"
                raise AccountError(f"{had} an account {name} already: choose another sign-in name")
            full = " ".join(full_name.split())[:200] or name
            session.add(Account(name=name, full_name=full, role=role, password=digest, demo=demo, ends=ends))
            until = f", until {ends:%Y-%m-%d}" if ends else ""
            enter(session, Act.ACCOUNT, by or Author(full, name), f"{name} made, {role}{until}")

    def everyone(self) -> list[ListedAccount]:
        """All accounts, by name."""
        with self._database.reading() as session:
            rows = session.scalars(select(Account).where(~Account.removed).order_by(Account.name)).all()
        return [ListedAccount(a.name, a.full_name, AccountRole(a.role), a.ends, a.totp is not None) for a in rows]

    def change(
        self,
        name: str,
        by: Person,
        *,
        role: AccountRole,
        ends: datetime | None,
        password: str = "",
        drop_second: bool = False,
    ) -> None:
        """Change somebody's role or end, give a new password, or take the second factor away; ends their sessions.

        Raises `AccountError`, also when nobody would be left who may administer.
        """
        if name == by.name and (password or drop_second):
            raise AccountError("Change your own password and second factor under My account: it asks for the old one")
        if password:
            check_password(password)
        digest = self.hasher.hash(password) if password else ""
        with self._changing() as session:
            account = self._named(session, name)
            if name == by.name and (role is not AccountRole.ADMINISTRATOR or ends is not None):
                raise AccountError("You cannot take your own administration away: ask another administrator")
            said = [f"role {role}"] if account.role != role else []
            said += [f"ends {ends:%Y-%m-%d}" if ends else "does not end"] if account.ends != ends else []
            account.role, account.ends = role, ends
            if digest:
                account.password = digest
                said.append("new password")
            if drop_second and account.totp is not None:
                account.totp = account.totp_pending = None
                account.recovery = "[]"
                said.append("second factor taken away")
            if said and name != by.name:
                session.execute(delete(SignIn).where(SignIn.account_id == account.id))
            if said:
                enter(session, Act.ACCOUNT, by.author, f"{name}: {', '.join(said)}")

    def remove(self, name: str, by: Person) -> None:
        """Take an account away with its sessions; its name stays in the journal, and nobody else gets it."""
        with self._changing() as session:
            account = self._named(session, name)
            if account.name == by.name:
                raise AccountError("You cannot remove your own account: ask another administrator")
            session.execute(delete(SignIn).where(SignIn.account_id == account.id))
            account.removed, account.totp, account.totp_pending, account.recovery = True, None, None, "[]"
            account.password = ""
            enter(session, Act.ACCOUNT, by.author, f"{account.name} removed")

    @staticmethod
    def _named(session: Session, name: str) -> Account:
        account = session.scalar(select(Account).where(Account.name == name.strip().casefold(), ~Account.removed))
        if account is None:
            raise AccountError(f"There is no account {name[:40]}")
        return account

    def change_own_password(self, person: Person, old: str, new: str, keep: str) -> None:
        """Change one's own password; all one's other sessions end. Raises `AccountError`."""
        check_password(new)
        self._check_own(person, old)
        fresh = self.hasher.hash(new)
        with self._changing() as session:
            account = self._named(session, person.name)
            account.password = fresh
            self._end_others(session, account, keep)
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: own password changed")

    def _check_own(self, person: Person, password: str) -> None:
        with self._database.reading() as session:
            digest = self._named(session, person.name).password
        if not self._fits(digest, password):
            raise AccountError("Your password does not fit: nothing was changed")

    @staticmethod
    def _end_others(session: Session, account: Account, keep: str) -> None:
        others = SignIn.token_digest != _digest(keep)
        session.execute(delete(SignIn).where(SignIn.account_id == account.id, others))

    # --- The second factor: time-based one-time passwords (RFC 6238), 6 digits, 30 s, SHA-1 as every app has it

    def begin_second(self, person: Person, password: str, code: str = "") -> str:
        """A new secret for an authenticator app, as an `otpauth` address; it counts once a code confirms it.

        Where a second factor is on already, it stays until then, and one of its codes is asked for.
        """
        self._check_own(person, password)
        secret = pyotp.random_base32()
        with self._changing() as session:
            account = self._named(session, person.name)
            if account.totp is not None and not self._second_fits(account, code):
                raise AccountError("The code does not fit: the second factor stays as it is")
            account.totp_pending = self._vault.seal(secret.encode(), second_factor_place(person.name))
        return pyotp.TOTP(secret).provisioning_uri(name=person.name, issuer_name="Octaplan")

    def confirm_second(self, person: Person, code: str, keep: str = "") -> list[str]:
        """Turn the second factor on; one's other sessions end. Returns the recovery codes, which are not shown again.

        Raises `AccountError` when the code does not fit.
        """
        codes = [base64.b32encode(secrets.token_bytes(10)).decode().lower() for _ in range(RECOVERY_CODES)]
        with self._changing() as session:
            account = self._named(session, person.name)
            if account.totp_pending is None:
                raise AccountError("Nothing waits to be confirmed: begin again")
            used = self._step_of(account.name, account.totp_pending, code)
            if used is None:
                raise AccountError("The code does not fit: check the clock of the telephone, and type the newest code")
            account.totp, account.totp_pending, account.totp_used = account.totp_pending, None, used
            account.recovery = json.dumps([_code_digest(code) for code in codes])
            self._end_others(session, account, keep)
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: second factor on")
        return [f"{code[:4]}-{code[4:8]}-{code[8:12]}-{code[12:]}" for code in codes]

    def drop_second(self, person: Person, password: str, code: str) -> None:
        """Turn one's own second factor off, with the password and one last code."""
        self._check_own(person, password)
        with self._changing() as session:
            account = self._named(session, person.name)
            if account.totp is None or not self._second_fits(account, code):
                raise AccountError("The code does not fit: the second factor stays on")
            account.totp, account.recovery = None, "[]"
            enter(session, Act.ACCOUNT, person.author, f"{person.name}: second factor off")

    def _second_fits(self, account: Account, code: str) -> bool:
        """Whether a code of the second factor fits, or a recovery code; each counts once."""
        if account.totp is None:
            return False
        step = self._step_of(account.name, account.totp, code)
        if step is not None:
            ahead = account.totp_used - int(time.time()) // 30 > 2  # the clock has gone back since
            if step <= account.totp_used and not ahead:
                return False
            account.totp_used = step
            return True
        left = json.loads(account.recovery)
        given = _code_digest(code)
        if given not in left:
            return False
        account.recovery = json.dumps([one for one in left if one != given])
        return True

    def _step_of(self, name: str, sealed: bytes, code: str) -> int | None:
        """The time step that a code belongs to (the one before and after count), or nothing."""
        totp = pyotp.TOTP(self._vault.open(sealed, second_factor_place(name)).decode())
        digits = "".join(code.split())[:12].encode()
        now = int(time.time()) // totp.interval
        for step in (now, now - 1, now + 1):
            if hmac.compare_digest(totp.generate_otp(step).encode(), digits):
                return step
        return None

    @property
    def demands_second(self) -> bool:
        """Whether administrators need a second factor."""
        with self._database.reading() as session:
            setting = session.get(Setting, _DEMANDED)
        return setting is not None and setting.value == "true"

    def demand_second(self, demanded: bool, by: Person) -> None:
        """Demand a second factor of administrators, or no longer; who demands it has one."""
        if demanded and not by.second_factor:
            raise AccountError("Turn your own second factor on first, under My account: else you shut yourself out")
        with self._changing() as session:
            session.merge(Setting(name=_DEMANDED, value="true" if demanded else "false"))
            said = "demanded of administrators" if demanded else "no longer demanded of administrators"
            enter(session, Act.SETTINGS, by.author, f"second factor {said}")

    def _fits(self, digest: str, password: str) -> bool:
        try:
            return self.hasher.verify(digest, password)
        except (Argon2Error, InvalidHashError):
            return False

    def renew_demo(self, password: str) -> list[Person]:
        """Give all demo accounts a password; returns them."""
        digest = self.hasher.hash(password)
        with self._changing() as session:
            accounts = session.scalars(select(Account).where(Account.demo, ~Account.removed).order_by(Account.id)).all()
            for account in accounts:
                account.password = digest
            return [_person(account) for account in accounts]

    # --- Signing in and out

    def sign_in(self, name: str, password: str, code: str = "", address: str = "", agent: str = "") -> str | None:
        """The token of a new session, or nothing when name, password or code do not fit.

        Raises `CodeNeeded` when the account has a second factor and no code came.
        """
        name = name.strip().casefold()
        with self._database.reading() as session:
            account = session.scalar(select(Account).where(Account.name == name, ~Account.removed))
        # the same work whether or not the account exists
        fits = self._fits(account.password if account else _nobody(self.hasher), password)
        now = datetime.now(UTC)
        if not fits or account is None or (account.ends is not None and account.ends <= now):
            self._refused(name, "name or password", address)
            return None
        if account.totp is not None and not code.strip():
            raise CodeNeeded("Type the code that your authenticator app shows, or a recovery code")
        ends = min(now + SESSION, account.ends) if account.ends else now + SESSION
        token, begun = secrets.token_urlsafe(32), _HeldSession(name, now, ends, address[:60], agent[:200])
        try:
            with self._changing() as session:
                own = session.get_one(Account, account.id)
                if own.removed:
                    return None
                if own.totp is not None and not self._second_fits(own, code):
                    by = Author(own.full_name, own.name, address)
                    enter(session, Act.REFUSED, by, f"{own.name}: code of the second factor")
                    return None
                session.execute(delete(SignIn).where(SignIn.ends < now))
                self._begin_session(session, own, _digest(token), begun)
        except OperationalError as error:  # nothing can be written: reading goes on, for who comes now as well
            if len(self._held) >= MOST_HELD:
                raise
            if not self._may_be_held(account, code):
                return None
            self._held[_digest(token)] = begun
            log.error("a session is not written yet", account=name, why=str(error.orig))
        return token

    def _begin_session(self, session: Session, account: Account, digest: str, begun: _HeldSession) -> None:
        session.add(
            SignIn(
                token_digest=digest,
                account_id=account.id,
                at=begun.at,
                ends=begun.ends,
                address=begun.address,
                agent=begun.agent,
            )
        )
        by = Author(account.full_name, account.name, begun.address)
        enter(session, Act.IN, by, account.name, at=begun.at)

    def _may_be_held(self, account: Account, code: str) -> bool:
        """Whether a session may begin that cannot be written: a code counts once all the same. Raises `AccountError`
        for a recovery code, which would have to be crossed out."""
        if account.totp is None:
            return True
        if _code_digest(code) in json.loads(account.recovery):
            raise AccountError("Nothing can be written at present, so no recovery code counts: take the app's code")
        step = self._step_of(account.name, account.totp, code)
        if step is None or step <= max(account.totp_used, self._steps.get(account.name, 0)):
            return False
        self._steps[account.name] = step
        return True

    def write_held(self) -> None:
        """Write the sessions that could not be written, if there is room now; where something else could not be, try
        whether it could now."""
        if self._held or not self._database.writes:
            with suppress(OperationalError), self._changing() as session:
                session.merge(Setting(name=_WRITTEN, value=datetime.now(UTC).isoformat()))

    def _write_held(self, turn: Turn) -> None:
        held = dict(self._held)
        for digest, begun in held.items():
            account = turn.session.scalar(select(Account).where(Account.name == begun.name, ~Account.removed))
            if account is not None:
                account.totp_used = max(account.totp_used, self._steps.get(begun.name, 0))
                self._begin_session(turn.session, account, digest, begun)

        def written() -> None:
            for digest in held:
                self._held.pop(digest, None)

        turn.tell(written)

    def _refused(self, name: str, what: str, address: str) -> None:
        shown = name if re.fullmatch(r"[a-z0-9][a-z0-9._-]{1,39}", name) else "a name that no account has"
        try:
            with self._database.turn() as turn:
                enter(turn.session, Act.REFUSED, Author("somebody", "", address), f"{shown}: {what}")
        except OperationalError as error:
            log.error("a refused sign-in is not in the journal", account=shown, address=address, why=str(error.orig))

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
                known = self._looked_up(session, digest)
            if known is None:
                return None
            if changes == self._changes:  # else something was changed while it was looked up: look again next time
                self._known[digest] = known
        return known[0] if known[1] >= datetime.now(UTC) else None

    def _looked_up(self, session: Session, digest: str) -> tuple[Person, datetime] | None:
        """Whose session it is, and when it ends."""
        whose = select(Account, SignIn.ends).join(SignIn, SignIn.account_id == Account.id)
        row, held = session.execute(whose.where(SignIn.token_digest == digest)).first(), self._held.get(digest)
        account: Account | None = row[0] if row is not None else None
        if row is None and held is not None:
            account = session.scalar(select(Account).where(Account.name == held.name, ~Account.removed))
        ends = row[1] if row is not None else held.ends if held is not None else None
        if account is None or ends is None:
            return None
        setting = session.get(Setting, _DEMANDED)
        demanded = setting is not None and setting.value == "true"
        return _person(account, demanded=demanded), ends

    def sessions(self, person: Person, token: str) -> list[OwnSession]:
        """Somebody's own sessions, newest first."""
        with self._database.reading() as session:
            account = self._named(session, person.name)
            query = select(SignIn).where(SignIn.account_id == account.id, SignIn.ends > datetime.now(UTC))
            rows = session.scalars(query.order_by(SignIn.at.desc())).all()
        own = _digest(token)
        return [
            OwnSession(row.token_digest[:16], row.at, row.ends, row.address, row.agent, row.token_digest == own)
            for row in rows
        ]

    def end_session(self, person: Person, name: str) -> None:
        """End one of somebody's own sessions."""
        with self._changing() as session:
            account = self._named(session, person.name)
            mine = SignIn.token_digest.startswith(name, autoescape=True)
            gone = session.scalars(select(SignIn).where(SignIn.account_id == account.id, mine)).all()
            if not gone:
                raise AccountError("This session has ended already")
            for one in gone:
                session.delete(one)
            enter(session, Act.OUT, person.author, f"{person.name}: a session ended")

    def sessions_open(self) -> int:
        """How many sessions have not ended."""
        with self._database.reading() as session:
            query = select(func.count()).select_from(SignIn).where(SignIn.ends > datetime.now(UTC))
            return session.scalar(query) or 0

    def sign_out(self, token: str) -> None:
        person = self.person(token)
        try:
            with self._changing() as session:
                session.execute(delete(SignIn).where(SignIn.token_digest == _digest(token)))
                if person is not None:
                    enter(session, Act.OUT, person.author, person.name)
        except OperationalError:
            if self._held.pop(_digest(token), None) is None:
                raise
            self._forget()  # it was never written, and ends with this

    @contextmanager
    def _changing(self) -> Iterator[Session]:
        """A turn in which accounts or sessions change: nobody is known by what was, neither before nor after it."""
        with self._database.turn() as turn:
            try:
                self._write_held(turn)
                yield turn.session
            finally:
                self._changes += 1
                turn.tell(self._forget)

    def _forget(self) -> None:
        self._changes += 1
        self._known = {}

    # --- Devices that somebody has signed in with before

    def device(self, name: str) -> str:
        """What a device keeps by which it is known to have signed in with a name."""
        name = name.strip().casefold()
        return f"{name}.{self._device_proof(name)}"

    def knows_device(self, name: str, kept: str) -> bool:
        """Whether a device has signed in with a name before."""
        name = name.strip().casefold()
        whose, _, proof = kept.rpartition(".")
        return whose == name and hmac.compare_digest(proof.encode(), self._device_proof(name).encode())

    def _device_proof(self, name: str) -> str:
        key = self._device_key()
        return hmac.new(key.encode(), f"device {name}".encode(), hashlib.sha256).hexdigest()

    def _device_key(self) -> str:
        with self._database.reading() as session:
            known = session.get(Setting, _DEVICES)
        if known is not None:
            return known.value
        with suppress(OperationalError), self._database.turn() as turn:
            known = turn.session.get(Setting, _DEVICES)
            if known is None:
                known = Setting(name=_DEVICES, value=secrets.token_hex(32))
                turn.session.add(known)
            return known.value
        return self._spare_device_key


@cache
def _nobody(hasher: PasswordHasher) -> str:
    """A hash that no password fits, for names that nobody has."""
    return hasher.hash(secrets.token_hex())


def check_password(password: str) -> None:
    """Raises `AccountError` for a password that is too short, too long or of one character."""
    if not SHORTEST_PASSWORD <= len(password) <= 200 or len(set(password)) < 5:
        raise AccountError(f"Choose a password of at least {SHORTEST_PASSWORD} characters, not all alike")


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()


def _code_digest(code: str) -> str:
    """A recovery code as it is kept: eighty random bits need no slow digest."""
    plain = re.sub(r"[\s-]", "", code).casefold()
    return hashlib.sha256(f"recovery {plain}".encode("utf-8", "replace")).hexdigest()


def _person(account: Account, *, demanded: bool = False) -> Person:
    role, second = AccountRole(account.role), account.totp is not None
    held_back = (
        "Turn the second factor on first, under My account: it is demanded of administrators"
        if demanded and role is AccountRole.ADMINISTRATOR and not second
        else ""
    )
    return Person(account.name, account.full_name, role, second, held_back=held_back)
