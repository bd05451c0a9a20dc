"""Hardware types, kept in versions.

HardwareError         a type cannot be saved as asked
  NoSuchType          there is no such type
  TypeMoved           somebody else has saved a newer version since
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import UTC, datetime

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from octaplan.core.config.writeout import NotWritten, check_templates
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.values.errors import RefusedError
from octaplan.core.values.faults import first_fault
from octaplan.store.brought import Brought, brought
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.models import HardwareVersion
from octaplan.store.snapshot import Types, TypeVersion


class HardwareError(RefusedError):
    """A type cannot be saved as asked. `path` is the place in it, if it is known."""

    def __init__(self, problem: str, path: str = "") -> None:
        super().__init__(problem)
        self.path = path


class NoSuchType(HardwareError):
    """There is no such type."""


class TypeMoved(HardwareError):
    """Somebody else has saved a newer version since."""


def load_types(session: Session) -> Types:
    """The newest hardware types of a database."""
    types, versions = {}, {}
    newest = select(HardwareVersion.key, func.max(HardwareVersion.version)).group_by(HardwareVersion.key)
    for key, number in session.execute(newest).all():
        row = session.get_one(HardwareVersion, (key, number))
        versions[key] = TypeVersion(number, row.at, row.by)
        if not row.removed:
            types[key] = HardwareType.model_validate_json(row.document)
    return Types(types, versions)


class Hardware:
    """The hardware types of a database."""

    def __init__(self, database: Database) -> None:
        self._database = database

    @property
    def types(self) -> Mapping[str, HardwareType]:
        """The newest of those that are not removed, by key."""
        return self._database.now.types.types

    @property
    def versions(self) -> Mapping[str, TypeVersion]:
        """The newest version of every key."""
        return self._database.now.types.versions

    def get(self, key: str) -> HardwareType:
        kind = self.types.get(key)
        if kind is None:
            raise NoSuchType(f"There is no hardware type {key[:40]}: choose one on Hardware")
        return kind

    def history(self, key: str) -> list[TypeVersion]:
        """The versions of a type, newest first."""
        query = select(HardwareVersion).where(HardwareVersion.key == key).order_by(HardwareVersion.version.desc())
        with self._database.reading() as session:
            return [TypeVersion(row.version, row.at, row.by) for row in session.scalars(query)]

    def would_bring(self, document: object) -> Brought:
        """What the findings and signatures would be with another version of a type, beside what they are; nothing is
        saved. Raises `HardwareError`."""
        kind, now = _read(document), self._database.now
        types = Types({**now.types.types, kind.key: kind}, now.types.versions)
        return brought(now.sites, now.with_types(types, kind.key).sites)

    def save(self, document: object, base: int, by: str) -> HardwareType:
        """Save a new version of a type, made on version `base` (0 for a new type). Raises `HardwareError`."""
        kind = _read(document)
        with self._database.turn() as turn:
            _check_base(turn.now.types, kind.key, base)
            if turn.now.types.types.get(kind.key) != kind:
                _write(turn, kind.key, kind, by, removed=False)
            return kind

    def remove(self, key: str, base: int, by: str) -> None:
        """Take a type off the list; its versions are kept."""
        with self._database.turn() as turn:
            kind = turn.now.types.types.get(key)
            if kind is None:
                raise NoSuchType(f"There is no hardware type {key[:40]}: choose one on Hardware")
            _check_base(turn.now.types, key, base)
            _write(turn, key, kind, by, removed=True)


def _read(document: object) -> HardwareType:
    try:
        kind = HardwareType.model_validate(document)
    except ValidationError as error:
        fault = first_fault(error)
        raise HardwareError(fault.sentence, fault.pointer) from None
    try:
        if kind.write_out is not None:
            check_templates(kind.write_out)
    except NotWritten as error:
        raise HardwareError(str(error), f"/write_out/parts/{error.part}") from None
    return kind


def _check_base(known: Types, key: str, base: int) -> None:
    now = known.versions.get(key)
    if now is None and base == 0:
        return
    if base == 0 and key in known.types:
        raise TypeMoved(f"There is a type {key} already: open it, or choose another key")
    if now is not None and base not in (0, now.number):
        raise TypeMoved(
            f"{now.by} saved version {now.number} in the meantime: look at that, then make the change again"
        )


def _write(turn: Turn, key: str, kind: HardwareType, by: str, *, removed: bool) -> None:
    known = turn.now.types
    number = known.versions[key].number + 1 if key in known.versions else 1
    at = datetime.now(UTC)
    document = json.dumps(kind.document(), ensure_ascii=False)
    turn.session.add(HardwareVersion(key=key, version=number, at=at, by=by, document=document, removed=removed))
    enter(turn.session, Act.HARDWARE, by, f"{kind.title}, version {number}" + (", removed" if removed else ""))
    types = {name: known.types[name] for name in known.types if name != key} | ({} if removed else {key: kind})
    versions = {**known.versions, key: TypeVersion(number, at, str(by))}
    turn.now = turn.now.with_types(Types(types, versions), key)
