"""Whose doing something is: a name as pages show it, which knows the account it stands for."""

from __future__ import annotations


class Author(str):
    """A person's name. Two people may have the same one; their accounts differ.

    `address` is where the person was signed in from.
    """

    __slots__ = ("account", "address")

    account: str
    address: str

    def __new__(cls, name: str, account: str, address: str = "") -> Author:
        author = super().__new__(cls, name)
        author.account = account
        author.address = address
        return author


def account_of(by: str) -> str:
    """The account behind a name; none behind what Octaplan or its command line does."""
    return by.account if isinstance(by, Author) else ""


def address_of(by: str) -> str:
    """Where somebody was signed in from."""
    return by.address if isinstance(by, Author) else ""
