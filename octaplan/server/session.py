"""Signing in and out, and the first administrator of a new installation."""

from __future__ import annotations

import hmac
from collections.abc import Iterator
from contextlib import contextmanager
from http import HTTPStatus
from typing import Annotated

import segno
from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, StringConstraints

from octaplan.server.permissions import COOKIE, PERMISSIONS, Looking, May
from octaplan.server.problems import Problem
from octaplan.store.accounts import SESSION, AccountError, Person
from octaplan.store.models import Role

router = APIRouter(prefix="/api", tags=["session"])

Short = Annotated[str, StringConstraints(max_length=200)]


class Credentials(BaseModel):
    name: Short
    password: Short
    code: Annotated[str, StringConstraints(max_length=20)] = ""


class FirstAdministrator(BaseModel):
    code: Short
    name: Short
    full_name: Short = ""
    password: Short


class SignedIn(BaseModel):
    """Who is signed in, and what they may do."""

    name: str
    full_name: str
    role: Role
    may: list[May]
    second_factor: bool


class Health(BaseModel):
    status: str


class Start(BaseModel):
    """What the sign-in page needs to know."""

    needs_setup: bool


def _signed_in(person: Person) -> SignedIn:
    may = sorted(PERMISSIONS[person.role])
    return SignedIn(
        name=person.name, full_name=person.full_name, role=person.role, may=may, second_factor=person.second_factor
    )


def _limited(wait: int) -> None:
    if wait:
        minutes = -(-wait // 60)
        detail = f"Too many tries: wait {minutes} minute{'' if minutes == 1 else 's'}, then try again"
        raise Problem(HTTPStatus.TOO_MANY_REQUESTS, detail, retry_after=wait)


def _begin(request: Request, response: Response, token: str) -> None:
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(SESSION.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
    )


@router.get("/health")
def health() -> Health:
    """Whether the application answers."""
    return Health(status="ok")


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
    state = request.app.state
    who = credentials.name.strip().casefold()
    where = request.client.host if request.client else ""
    _limited(max(state.tries.wait(who), state.tries_from.wait(where)))
    token = state.accounts.sign_in(credentials.name, credentials.password, credentials.code)
    if token is None:
        state.tries.failed(who)
        state.tries_from.failed(where)
        what = "password, or the code of the second factor," if credentials.code else "password"
        raise Problem(HTTPStatus.UNAUTHORIZED, f"Name and {what} do not fit: check both, capital letters matter")
    state.tries.succeeded(who)
    _begin(request, response, token)
    return _signed_in(state.accounts.person(token))


@router.delete("/session", status_code=HTTPStatus.NO_CONTENT)
def sign_out(request: Request, response: Response) -> None:
    """Sign out."""
    token = request.cookies.get(COOKIE)
    if token:
        request.app.state.accounts.sign_out(token)
    response.delete_cookie(COOKIE)


class OwnPassword(BaseModel):
    old: Short
    new: Short


class SecondFactor(BaseModel):
    """What an authenticator app needs: its address, and the same as a picture to scan."""

    address: str
    picture: str


class Code(BaseModel):
    code: Annotated[str, StringConstraints(max_length=20)]


@router.post("/session/password", status_code=HTTPStatus.NO_CONTENT)
def own_password(change: OwnPassword, request: Request, person: Looking) -> None:
    """Change one's own password; one's other sessions end."""
    with _trying(request, person.name):
        request.app.state.accounts.change_own_password(person, change.old, change.new, request.cookies.get(COOKIE, ""))


@router.post("/session/second-factor")
def begin_second(request: Request, person: Looking) -> SecondFactor:
    """Begin with a second factor (RFC 6238): it counts once a code confirms it."""
    address = request.app.state.accounts.begin_second(person)
    picture = segno.make(address, error="m").svg_data_uri(scale=5, border=2)
    return SecondFactor(address=address, picture=picture)


@router.put("/session/second-factor", status_code=HTTPStatus.NO_CONTENT)
def confirm_second(code: Code, request: Request, person: Looking) -> None:
    """Turn the second factor on."""
    with _trying(request, person.name):
        request.app.state.accounts.confirm_second(person, code.code)


@router.post("/session/second-factor/off", status_code=HTTPStatus.NO_CONTENT)
def drop_second(code: Code, request: Request, person: Looking) -> None:
    """Turn one's own second factor off, with one last code."""
    with _trying(request, person.name):
        request.app.state.accounts.drop_second(person, code.code)


@contextmanager
def _trying(request: Request, name: str) -> Iterator[None]:
    """Count a refusal as a failed try to sign in."""
    tries = request.app.state.tries
    _limited(tries.wait(name))
    try:
        yield
    except AccountError:
        tries.failed(name)
        raise


@router.post("/setup")
def setup(first: FirstAdministrator, request: Request, response: Response) -> SignedIn:
    """Make the first administrator, with the one-time code that the console shows."""
    state = request.app.state
    _limited(state.tries_from.wait("setup"))
    if state.setup_code is None or not hmac.compare_digest(state.setup_code.encode(), first.code.strip().encode()):
        state.tries_from.failed("setup")
        raise Problem(HTTPStatus.FORBIDDEN, "The code does not fit: copy it from the console that runs Octaplan")
    state.accounts.add(first.name, first.full_name, first.password, Role.ADMINISTRATOR)
    state.setup_code = None
    token = state.accounts.sign_in(first.name, first.password)
    _begin(request, response, token)
    return _signed_in(state.accounts.person(token))
