"""What each role may do: one table, asked by every route."""

from __future__ import annotations

from enum import StrEnum
from http import HTTPStatus
from typing import Annotated

from fastapi import Depends, Request

from octaplan.server.problems import Problem
from octaplan.store.accounts import Person
from octaplan.store.models import Role

COOKIE = "octaplan_session"


class May(StrEnum):
    """The things that permissions speak of."""

    LOOK = "look"
    PLAN = "plan"
    SIGN = "sign"

    @property
    def words(self) -> str:
        return {
            "look": "look at everything",
            "plan": "change plans, load tables and accept findings",
            "sign": "clear a site to ship",
        }[self]


PERMISSIONS: dict[Role, frozenset[May]] = {
    Role.ADMINISTRATOR: frozenset(May),
    Role.TECHNICIAN: frozenset(May),
    Role.VIEWER: frozenset({May.LOOK}),
}


class Allowed:
    """A dependency that lets a request through when its session's role may do a thing."""

    def __init__(self, thing: May) -> None:
        self.thing = thing

    def __call__(self, request: Request) -> Person:
        token = request.cookies.get(COOKIE)
        person: Person | None = request.app.state.accounts.person(token) if token else None
        if person is None:
            raise Problem(HTTPStatus.UNAUTHORIZED, "Sign in first: this session has ended or never began")
        if self.thing not in PERMISSIONS[person.role]:
            raise Problem(HTTPStatus.FORBIDDEN, f"A {person.role} may not {self.thing.words}: ask an administrator")
        return person


Looking = Annotated[Person, Depends(Allowed(May.LOOK))]
Planning = Annotated[Person, Depends(Allowed(May.PLAN))]
Signing = Annotated[Person, Depends(Allowed(May.SIGN))]
