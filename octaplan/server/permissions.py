"""What each role may do: one table, asked by every route."""

from __future__ import annotations

import hmac
from dataclasses import replace
from enum import StrEnum
from http import HTTPStatus
from typing import Annotated

from fastapi import Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.requests import HTTPConnection

from octaplan.server.problems import Problem
from octaplan.store.accounts import Accounts, Person
from octaplan.store.models import AccountRole


def cookie_name(request: HTTPConnection, what: str = "session") -> str:
    """The name of a cookie of Octaplan's: under HTTPS one that only this host can set (RFC 6265bis, 4.1.3.2); without,
    one for each port, since a browser sends cookies to all ports of a host."""
    if request.url.scheme == "https":
        return f"__Host-octaplan-{what}"
    port = (request.scope.get("server") or ("", None))[1]
    return f"octaplan-{what}-{port or 0}"


def session_token(request: HTTPConnection) -> str:
    """The token of the session that a request belongs to, or nothing."""
    return request.cookies.get(cookie_name(request), "")


class May(StrEnum):
    """The things that permissions speak of."""

    LOOK = "look"
    PLAN = "plan"
    SIGN = "sign"
    STAGE = "stage"
    FILL = "fill"
    READ = "read"
    AUDIT = "audit"
    HARDWARE = "hardware"
    ORGANISE = "organise"
    ADMINISTER = "administer"

    @property
    def words(self) -> str:
        return {
            "look": "look at everything but secrets",
            "plan": "change plans, load tables and accept findings",
            "sign": "clear a site to ship",
            "stage": "stage boxes and ship sites",
            "fill": "make and type secrets",
            "read": "read secrets and back-ups",
            "audit": "read the journal, and what was exchanged with boxes",
            "hardware": "change hardware types",
            "organise": "change the settings of the organisation",
            "administer": "manage accounts and the safe",
        }[self]


PERMISSIONS: dict[AccountRole, frozenset[May]] = {
    AccountRole.ADMINISTRATOR: frozenset(May),
    AccountRole.PLANNER: frozenset({May.LOOK, May.PLAN, May.SIGN, May.FILL, May.HARDWARE, May.ORGANISE}),
    AccountRole.TECHNICIAN: frozenset({May.LOOK, May.PLAN, May.STAGE, May.FILL, May.READ, May.HARDWARE}),
    AccountRole.VIEWER: frozenset({May.LOOK}),
    AccountRole.AUDITOR: frozenset({May.LOOK, May.AUDIT}),
}


def address_of(request: Request) -> str:
    """Where a request comes from."""
    return request.client.host if request.client else ""


class Allowed:
    """A dependency that lets a request through when its session's role may do a thing."""

    def __init__(self, thing: May, *others: May) -> None:
        self.thing, self.any_of = thing, {thing, *others}

    async def __call__(self, request: Request) -> Person:
        accounts: Accounts = request.app.state.records.accounts
        token = session_token(request)
        person = accounts.known(token) if token else None
        if person is None and token:
            person = await run_in_threadpool(accounts.person, token)
        if person is None:
            raise Problem(HTTPStatus.UNAUTHORIZED, "Sign in first: this session has ended or never began")
        request.state.account = person.name
        if person.held_back and self.thing is not May.LOOK:
            raise Problem(HTTPStatus.FORBIDDEN, person.held_back)
        if not self.any_of & PERMISSIONS[person.role]:
            raise Problem(HTTPStatus.FORBIDDEN, f"A {person.role} may not {self.thing.words}: ask an administrator")
        return replace(person, address=address_of(request))


class AllowedByToken(Allowed):
    """The same for programs: who brings the token of the measures needs no session."""

    async def __call__(self, request: Request) -> Person:
        token: str = request.app.state.metrics_token
        given = request.headers.get("authorization", "").removeprefix("Bearer ")
        if token and hmac.compare_digest(given.encode("utf-8", "replace"), token.encode()):
            return Person("", "whoever measures", AccountRole.VIEWER)
        return await super().__call__(request)


Measuring = Annotated[Person, Depends(AllowedByToken(May.ADMINISTER))]
Looking = Annotated[Person, Depends(Allowed(May.LOOK))]
Planning = Annotated[Person, Depends(Allowed(May.PLAN))]
Signing = Annotated[Person, Depends(Allowed(May.SIGN))]
Staging = Annotated[Person, Depends(Allowed(May.STAGE))]
Filling = Annotated[Person, Depends(Allowed(May.FILL))]
Reading = Annotated[Person, Depends(Allowed(May.READ))]
Auditing = Annotated[Person, Depends(Allowed(May.AUDIT))]
Following = Annotated[Person, Depends(Allowed(May.AUDIT, May.STAGE))]
KeepingHardware = Annotated[Person, Depends(Allowed(May.HARDWARE))]
Organising = Annotated[Person, Depends(Allowed(May.ORGANISE))]
Administering = Annotated[Person, Depends(Allowed(May.ADMINISTER))]
