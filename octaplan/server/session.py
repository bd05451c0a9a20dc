"""Signing in and out, one's own sessions and second factor, and the first administrator of a new installation."""

from __future__ import annotations

import hmac
from collections.abc import Iterator
from contextlib import contextmanager
from http import HTTPStatus
from typing import Annotated, cast

import segno
from fastapi import APIRouter, Path, Request, Response
from pydantic import BaseModel, StringConstraints

from octaplan.server.permissions import PERMISSIONS, Looking, May, address_of, cookie_name, session_token
from octaplan.server.problems import Problem
from octaplan.server.tries import Attempt, Busy, TooMany
from octaplan.store.accounts import SESSION, Accounts, CodeNeeded, OwnSession, Person
from octaplan.store.models import AccountRole

router = APIRouter(prefix="/api", tags=["session"])

#: What the cookie of a device is called that somebody has signed in with before.
DEVICE = "device"

Short = Annotated[str, StringConstraints(max_length=200)]
SecondCode = Annotated[str, StringConstraints(max_length=40)]


class Credentials(BaseModel):
    name: Short
    password: Short
    code: SecondCode = ""


class FirstAdministrator(BaseModel):
    code: Short
    name: Short
    full_name: Short = ""
    password: Short


class SignedIn(BaseModel):
    """Who is signed in, and what they may do. `held_back` says why only looking is permitted, or is empty."""

    name: str
    full_name: str
    role: AccountRole
    may: list[May]
    second_factor: bool
    held_back: str


class Start(BaseModel):
    """What the sign-in page needs to know."""

    needs_setup: bool


class OwnPassword(BaseModel):
    old: Short
    new: Short


class SecondFactor(BaseModel):
    """What an authenticator app needs: its address, and the same as a picture to scan."""

    address: str
    picture: str


class FactorCode(BaseModel):
    code: SecondCode


class Proof(BaseModel):
    """One's password, and a code of the second factor where one is on."""

    password: Short
    code: SecondCode = ""


class RecoveryCodes(BaseModel):
    """Codes that stand in for the authenticator app, each once. They are not shown again."""

    codes: list[str]


def _accounts(request: Request) -> Accounts:
    accounts: Accounts = request.app.state.records.accounts
    return accounts


def _signed_in(person: Person) -> SignedIn:
    may = [May.LOOK] if person.held_back else sorted(PERMISSIONS[person.role])
    return SignedIn(
        name=person.name,
        full_name=person.full_name,
        role=person.role,
        may=may,
        second_factor=person.second_factor,
        held_back=person.held_back,
    )


@contextmanager
def trying(request: Request, name: str) -> Iterator[Attempt]:
    """One try to prove who one is. Raises `Problem` for one that has to wait."""
    state = request.app.state
    known = state.records.accounts.knows_device(name, request.cookies.get(cookie_name(request, DEVICE), ""))
    try:
        with state.tries.attempt(name, address_of(request), known_device=known) as attempt:
            yield attempt
    except TooMany as error:
        minutes = -(-error.seconds // 60)
        detail = f"Too many tries: wait {minutes} minute{'' if minutes == 1 else 's'}, then try again"
        raise Problem(HTTPStatus.TOO_MANY_REQUESTS, detail, retry_after=error.seconds) from None
    except Busy:
        detail = "Many people are signing in at this moment: try again in a few seconds"
        raise Problem(HTTPStatus.SERVICE_UNAVAILABLE, detail, retry_after=5) from None


def _begin(request: Request, response: Response, name: str, token: str) -> None:
    secure = request.url.scheme == "https"
    for cookie, value, seconds in (
        (cookie_name(request), token, int(SESSION.total_seconds())),
        (cookie_name(request, DEVICE), _accounts(request).device(name), 400 * 86_400),
    ):
        response.set_cookie(cookie, value, max_age=seconds, httponly=True, samesite="strict", secure=secure)


@router.get("/start")
def start(request: Request) -> Start:
    """Whether the first administrator is still to be made."""
    return Start(needs_setup=request.app.state.setup_code is not None)


@router.get("/session")
def session(person: Looking) -> SignedIn:
    """Who is signed in."""
    return _signed_in(person)


@router.post("/session")
def sign_in(credentials: Credentials, request: Request, response: Response) -> SignedIn:
    """Sign in."""
    accounts = _accounts(request)
    agent = "a telephone or tablet" if "Mobi" in request.headers.get("user-agent", "") else "a computer"
    with trying(request, credentials.name) as attempt:
        try:
            token = accounts.sign_in(
                credentials.name, credentials.password, credentials.code, address_of(request), agent
            )
        except CodeNeeded:
            attempt.spare()
            raise
        if token is None:
            what = "password, or the code of the second factor," if credentials.code else "password"
            raise Problem(HTTPStatus.UNAUTHORIZED, f"Name and {what} do not fit: check both, capital letters matter")
        attempt.succeeded()
    _begin(request, response, credentials.name, token)
    return _signed_in(cast(Person, accounts.person(token)))


@router.delete("/session", status_code=HTTPStatus.NO_CONTENT)
def sign_out(request: Request, response: Response) -> None:
    """Sign out."""
    token = session_token(request)
    if token:
        _accounts(request).sign_out(token)
    response.delete_cookie(cookie_name(request), secure=request.url.scheme == "https", httponly=True)


@router.post("/session/password", status_code=HTTPStatus.NO_CONTENT)
def own_password(change: OwnPassword, request: Request, person: Looking) -> None:
    """Change one's own password; one's other sessions end."""
    with trying(request, person.name) as attempt:
        _accounts(request).change_own_password(person, change.old, change.new, session_token(request))
        attempt.succeeded()


@router.post("/session/second-factor")
def begin_second(proof: Proof, request: Request, person: Looking) -> SecondFactor:
    """Begin with a second factor (RFC 6238): it counts once a code confirms it. One that is on stays until then."""
    with trying(request, person.name) as attempt:
        address = _accounts(request).begin_second(person, proof.password, proof.code)
        attempt.succeeded()
    picture = segno.make(address, error="m").svg_data_uri(scale=5, border=2)
    return SecondFactor(address=address, picture=picture)


@router.put("/session/second-factor")
def confirm_second(code: FactorCode, request: Request, person: Looking) -> RecoveryCodes:
    """Turn the second factor on; one's other sessions end."""
    with trying(request, person.name) as attempt:
        codes = _accounts(request).confirm_second(person, code.code, session_token(request))
        attempt.succeeded()
    return RecoveryCodes(codes=codes)


@router.post("/session/second-factor/off", status_code=HTTPStatus.NO_CONTENT)
def drop_second(proof: Proof, request: Request, person: Looking) -> None:
    """Turn one's own second factor off, with the password and one last code."""
    with trying(request, person.name) as attempt:
        _accounts(request).drop_second(person, proof.password, proof.code)
        attempt.succeeded()


@router.get("/session/all")
def own_sessions(request: Request, person: Looking) -> list[OwnSession]:
    """One's own sessions, newest first."""
    return _accounts(request).sessions(person, session_token(request))


@router.delete("/session/all/{session_id}", status_code=HTTPStatus.NO_CONTENT)
def end_session(session_id: Annotated[str, Path(pattern=r"^[0-9a-f]{16}$")], request: Request, person: Looking) -> None:
    """End one of one's own sessions."""
    _accounts(request).end_session(person, session_id)


@router.post("/setup")
def setup(first: FirstAdministrator, request: Request, response: Response) -> SignedIn:
    """Make the first administrator, with the one-time code that the console shows."""
    state, accounts = request.app.state, _accounts(request)
    with trying(request, "the first administrator") as attempt:
        if state.setup_code is None or not hmac.compare_digest(state.setup_code.encode(), first.code.strip().encode()):
            raise Problem(HTTPStatus.FORBIDDEN, "The code does not fit: copy it from the console that runs Octaplan")
        accounts.add(first.name, first.full_name, first.password, AccountRole.ADMINISTRATOR)
        state.setup_code = None
        token = accounts.sign_in(first.name, first.password, "", address_of(request)) or ""
        attempt.succeeded()
    _begin(request, response, first.name, token)
    return _signed_in(cast(Person, accounts.person(token)))
