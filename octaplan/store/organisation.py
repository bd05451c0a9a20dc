"""The organisation's settings, kept in revisions.

SettingsError         settings cannot be saved as asked
  SettingsMoved       somebody else has saved a newer revision since
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.plan.organisation import Organisation
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.faults import first_fault
from octaplan.store.brought import Brought, brought
from octaplan.store.database import Database
from octaplan.store.journal import Act, enter
from octaplan.store.models import OrganisationRevision
from octaplan.store.saved import Saved
from octaplan.store.snapshot import Settled


class SettingsError(RefusedError):
    """Settings cannot be saved as asked. `path` is the place in them, if it is known."""

    def __init__(self, problem: str, path: str = "") -> None:
        super().__init__(problem)
        self.path = path


class NotYours(SettingsError):
    """What administrators alone change."""


class SettingsMoved(SettingsError):
    """Somebody else has saved a newer revision since."""


#: Settings that are numbers: what each is, and the most it can be.
_BOUNDS = {
    "leave_fixed": ("What a range leaves for fixed hosts", 4096),
    "growth": ("The growth that is added to expected hosts, in per cent,", 400),
}

_WORDS = {
    "own_networks": "own networks",
    "common_defaults": "common defaults",
    "blocks": "blocks of customers",
    "customers": "usual at customers",
    "gateway": "gateway",
    "hosts": "fixed hosts",
    "leave_fixed": "left for fixed hosts",
    "growth": "growth",
    "flag_documentation": "addresses for examples flagged",
    "owned_domains": "owned domains",
    "beginning": "what new segments and boxes begin with",
    "intent": "who is meant to reach whom",
    "naming": "names of new boxes",
    "banner": "banner",
    "support": "whom a site calls",
    "read_back": "whether boxes are read back before they ship",
    "rehearsed": "whether sites are rehearsed before they are cleared",
    "stages_real": "whether Octaplan may stage real boxes",
    "hands_networks": "in which networks hands may reach real boxes",
    "practice_counts": "whether runs on the practice bench count",
}


#: What of the settings is the administrators': where the server itself speaks to.
ADMINISTRATORS_OWN = ("stages_real", "hands_networks")


class Settings:
    """The settings of a database. `current` are the newest; revision 0 are those that nobody has changed yet."""

    def __init__(self, database: Database) -> None:
        self._database = database

    @property
    def current(self) -> Organisation:
        """The settings as they are saved."""
        return self._database.now.settings.current

    @property
    def saved(self) -> Saved:
        """Their newest revision."""
        return self._database.now.settings.saved

    def history(self, limit: int = 200) -> list[Saved]:
        """The revisions, newest first."""
        query = select(OrganisationRevision).order_by(OrganisationRevision.number.desc()).limit(limit)
        with self._database.reading() as session:
            return [_saved(row) for row in session.scalars(query)]

    def would_bring(self, document: object) -> Brought:
        """What the findings would be with other settings, beside what they are; nothing is saved. Raises
        `SettingsError`."""
        sites = self._database.now.sites
        return brought(sites, sites.within(None, organisation=_read(document)))

    def save(self, document: object, base: int, by: str, *, administers: bool = True) -> bool:
        """Save a new revision, made on revision `base`; whether anything changed. Raises `SettingsError`, also for who
        does not administer and changes what is the administrators' own."""
        after = _read(document)
        with self._database.turn() as turn:
            current, saved = turn.now.settings
            own = [name for name in ADMINISTRATORS_OWN if getattr(after, name) != getattr(current, name)]
            if own and not administers:
                raise NotYours(f"{_WORDS[own[0]].capitalize()} is for administrators to say: ask one", f"/{own[0]}")
            if base != saved.number:
                raise SettingsMoved(
                    f"{saved.by} saved revision {saved.number} of the settings in the meantime: look at "
                    "that, then make the change again"
                )
            if after == current:
                return False
            said = _sentence(current.document(), after.document())
            row = OrganisationRevision(
                number=base + 1,
                at=datetime.now(UTC),
                by=by,
                sentence=said,
                document=json.dumps(after.document(), ensure_ascii=False),
            )
            turn.session.add(row)
            enter(turn.session, Act.SETTINGS, by, said)
            turn.now = turn.now.with_settings(Settled(after, _saved(row)))
            return True


def _read(document: object) -> Organisation:
    try:
        return Organisation.model_validate(document)
    except ValidationError as error:
        fault = first_fault(error)
        number = fault.pointer.strip("/")
        if number in _BOUNDS:
            what, most = _BOUNDS[number]
            sentence = f"{what} is a whole number from 0 to {most}: write such a number"
            raise SettingsError(sentence, fault.pointer) from None
        raise SettingsError(fault.sentence, fault.pointer) from None


def load_settings(session: Session) -> Settled:
    """The newest settings of a database."""
    number = session.scalar(select(func.max(OrganisationRevision.number)))
    if number is None:
        return Settled(Organisation(), Saved(0, datetime.now(UTC), "Octaplan", "As they come"))
    row = session.get_one(OrganisationRevision, number)
    return Settled(Organisation.model_validate_json(row.document), _saved(row))


def _saved(row: OrganisationRevision) -> Saved:
    return Saved(row.number, row.at, row.by, row.sentence)


def _sentence(before: Mapping[str, Any], after: Mapping[str, Any]) -> str:
    changed = []
    for name, words in _WORDS.items():
        old, new = before[name], after[name]
        if old != new:
            changed.append(f"{words} {_difference(old, new, codes=name in _BY_CUSTOMER)}")
    said = "; ".join(changed)
    return said[:1].upper() + said[1:]


#: Settings whose keys are codes of customers.
_BY_CUSTOMER = ("blocks", "customers")


def _difference(old: Any, new: Any, *, codes: bool) -> str:
    if isinstance(new, dict):
        keys = [key for key in [*old, *(key for key in new if key not in old)] if old.get(key) != new.get(key)]
        named = [key.upper() if codes else key.replace("_", " ") for key in keys]
        told = [f"{name} {_listed(new.get(key))}" for name, key in zip(named[:4], keys, strict=False)]
        return ", ".join(told) + (f" and {len(keys) - 4} more" if len(keys) > 4 else "")
    if isinstance(new, list):
        parts = [("with ", [item for item in new if item not in old]), ("without ", [i for i in old if i not in new])]
        return (
            ", ".join(word + ", ".join(map(_text, items[:4])) for word, items in parts if items) or "in another order"
        )
    return f"{_text(old)} → {_text(new)}"


def _listed(value: Any) -> str:
    """The blocks of a customer, or what is usual there, in short."""
    if isinstance(value, dict):
        named = [name.replace("_", " ") for name, inner in value.items() if inner not in (None, [], "")]
        return ", ".join(named) or "nothing special"
    return " ".join(map(str, value if isinstance(value, list) else [value])) if value else "none"


def _text(value: object) -> str:
    if isinstance(value, dict):
        return " ".join(map(str, reversed(value.values())))
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)
