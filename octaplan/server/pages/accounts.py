"""The accounts, for those who manage them."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, StringConstraints

from octaplan.server.dependencies import Recorded
from octaplan.server.permissions import Administering
from octaplan.server.problems import Problem
from octaplan.store.accounts import ListedAccount
from octaplan.store.models import AccountRole

router = APIRouter(prefix="/api/accounts", tags=["accounts"])

Short = Annotated[str, StringConstraints(max_length=200)]
Name = Annotated[str, Path(max_length=40)]


class NewAccount(BaseModel):
    """`last_day` makes it a temporary one."""

    name: Short
    full_name: Short = ""
    password: Short
    role: AccountRole
    last_day: date | None = None


class AccountChange(BaseModel):
    role: AccountRole
    last_day: date | None = None
    password: Short = ""
    drop_second_factor: bool = False


def _end_of(day: date | None) -> datetime | None:
    """The midnight after a day, by the server's clock."""
    if day is None:
        return None
    if not date(2000, 1, 1) <= day <= date(9000, 1, 1):
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"{day} is no last day of an account: leave it empty for no end")
    return datetime.combine(day + timedelta(days=1), datetime.min.time()).astimezone()


@router.get("")
def everyone(records: Recorded, person: Administering) -> list[ListedAccount]:
    """All accounts, by name."""
    return records.accounts.everyone()


@router.post("", status_code=HTTPStatus.NO_CONTENT)
def add_account(account: NewAccount, records: Recorded, person: Administering) -> None:
    """Make an account, for good or until the end of a day."""
    ends = _end_of(account.last_day)
    records.accounts.add(account.name, account.full_name, account.password, account.role, ends=ends, by=person.author)


class Demand(BaseModel):
    """Whether administrators need a second factor."""

    second_factor: bool


@router.get("/demand")
def demanded(records: Recorded, person: Administering) -> Demand:
    """What is demanded of administrators."""
    return Demand(second_factor=records.accounts.demands_second)


@router.put("/demand")
def demand(demand: Demand, records: Recorded, person: Administering) -> Demand:
    """Demand a second factor of administrators, or no longer."""
    records.accounts.demand_second(demand.second_factor, person)
    return demand


@router.put("/{name}", status_code=HTTPStatus.NO_CONTENT)
def change_account(name: Name, change: AccountChange, records: Recorded, person: Administering) -> None:
    """Change role or end, give a new password, or take a second factor away; the account's sessions end."""
    records.accounts.change(
        name, person, role=change.role, ends=_end_of(change.last_day), password=change.password,
        drop_second=change.drop_second_factor,
    )  # fmt: skip


@router.delete("/{name}", status_code=HTTPStatus.NO_CONTENT)
def remove_account(name: Name, records: Recorded, person: Administering) -> None:
    """Take an account away; its sessions end, and its name stays in the journal."""
    records.accounts.remove(name, person)
