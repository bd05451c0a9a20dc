"""The tables. A site's plan is kept whole for each revision; `claims` and `names` are derived from the newest
one in the same transaction and can be rebuilt from it."""

from __future__ import annotations

from datetime import UTC, date, datetime
from enum import StrEnum
from typing import Any, ClassVar

from sqlalchemy import (
    DDL,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    String,
    Text,
    TypeDecorator,
    UniqueConstraint,
    event,
    false,
    text,
)
from sqlalchemy.engine import Dialect
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from octaplan.core.plan.history import StepKind


class Instant(TypeDecorator[datetime]):
    """A moment in UTC; SQLite keeps no zone, so it is put back on reading."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {datetime: Instant, bytes: LargeBinary}


class AccountRole(StrEnum):
    """What an account may do, in `octaplan.server.permissions`."""

    ADMINISTRATOR = "administrator"
    PLANNER = "planner"
    TECHNICIAN = "technician"
    VIEWER = "viewer"
    AUDITOR = "auditor"


class Customer(Base):
    __tablename__ = "customers"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    code: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(200))


class Site(Base):
    """A site. Its codes are these, whatever those in the documents of its revisions. One that is put away is kept with
    all it has, and takes part in nothing."""

    __tablename__ = "sites"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(81), unique=True)
    customer_key: Mapped[str] = mapped_column(ForeignKey("customers.key"), index=True)
    code: Mapped[str] = mapped_column(String(40))
    name: Mapped[str | None] = mapped_column(String(200))
    ship_date: Mapped[date | None]
    technician: Mapped[str | None] = mapped_column(String(200))
    revision: Mapped[int]
    away: Mapped[datetime | None]
    away_by: Mapped[str] = mapped_column(String(200), default="", server_default="")


class FormerCode(Base):
    """What a site was called before, so that whoever looks for it there is told."""

    __tablename__ = "former_codes"

    key: Mapped[str] = mapped_column(String(81), primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)


class Revision(Base):
    __tablename__ = "revisions"

    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    sentence: Mapped[str] = mapped_column(Text)
    patch: Mapped[str] = mapped_column(Text)
    document: Mapped[str] = mapped_column(Text)
    kind: Mapped[StepKind] = mapped_column(String(8), default=StepKind.CHANGE)
    name: Mapped[str | None] = mapped_column(String(80))
    batch: Mapped[str | None] = mapped_column(String(20), index=True)
    account: Mapped[str] = mapped_column(String(80), default="", server_default="")


class Batch(Base):
    """A change of many sites at once, which one undo takes back.

    It is `open` while it is written or taken back in parts; one that was cut short is taken back at the next start.
    """

    __tablename__ = "batches"

    id: Mapped[str] = mapped_column(String(20), primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    sentence: Mapped[str] = mapped_column(Text)
    undone: Mapped[bool] = mapped_column(default=False)
    open: Mapped[bool] = mapped_column(default=False, server_default=text("0"))


class Claim(Base):
    """An address or run of addresses in use; ends as 32 hexadecimal digits, so that they sort."""

    __tablename__ = "claims"
    __table_args__ = (
        Index("ix_claims_family_first", "family", "first"),
        Index("ix_claims_runs", "family", "first", "last", sqlite_where=text("first < last")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    path: Mapped[str] = mapped_column(String(80))
    use: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(200))
    family: Mapped[int]
    first: Mapped[str] = mapped_column(String(32))
    last: Mapped[str] = mapped_column(String(32))


class Name(Base):
    """A word that something can be found by: a site, customer or host name, a MAC."""

    __tablename__ = "names"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    path: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(300))
    folded: Mapped[str] = mapped_column(String(300), index=True)


class Clearance(Base):
    """A signature under one revision of a site. Whether it still holds is worked out, not stored.

    `digest` is that of what was decided; what is recorded at the bench is no part of it.
    """

    __tablename__ = "clearances"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    revision: Mapped[int]
    digest: Mapped[str | None] = mapped_column(String(64))
    by: Mapped[str] = mapped_column(String(200))
    at: Mapped[datetime]


class Account(Base):
    """Who may sign in. `ends` closes a temporary account; `totp` is the sealed secret of the second factor, `recovery`
    the digests of the codes that stand in for it once each. A removed account keeps its name, so that nobody else is
    taken for it."""

    __tablename__ = "accounts"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    full_name: Mapped[str] = mapped_column(String(200))
    role: Mapped[AccountRole] = mapped_column(String(20))
    password: Mapped[str] = mapped_column(String(200))
    demo: Mapped[bool] = mapped_column(default=False)
    ends: Mapped[datetime | None]
    totp: Mapped[bytes | None]
    totp_pending: Mapped[bytes | None]
    totp_used: Mapped[int] = mapped_column(default=0, server_default="0")
    recovery: Mapped[str] = mapped_column(Text, default="[]", server_default="[]")
    removed: Mapped[bool] = mapped_column(default=False, server_default="0")


class SignIn(Base):
    """A session; only a digest of its token is kept. `address` and `agent` say to its owner which device it is."""

    __tablename__ = "sign_ins"

    token_digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("accounts.id"), index=True)
    at: Mapped[datetime]
    ends: Mapped[datetime]
    address: Mapped[str] = mapped_column(String(60), default="", server_default="")
    agent: Mapped[str] = mapped_column(String(200), default="", server_default="")


class Import(Base):
    """Tables that somebody loaded: kept until applied, with what was refused kept after."""

    __tablename__ = "imports"

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    applied_at: Mapped[datetime | None]
    bases: Mapped[str] = mapped_column(Text)
    account: Mapped[str] = mapped_column(String(80), default="", server_default="")
    batch: Mapped[str | None] = mapped_column(String(20))


class ImportFile(Base):
    __tablename__ = "import_files"

    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[str] = mapped_column(ForeignKey("imports.id"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    content: Mapped[bytes]


class InboxRow(Base):
    """A row that was not taken, kept until it is `settled`: mended, or dismissed. `key` says what it is about."""

    __tablename__ = "refused_rows"

    id: Mapped[int] = mapped_column(primary_key=True)
    import_id: Mapped[str] = mapped_column(ForeignKey("imports.id"), index=True)
    table: Mapped[str] = mapped_column(String(20))
    file: Mapped[str] = mapped_column(String(300))
    row: Mapped[int]
    header: Mapped[str] = mapped_column(Text)
    cells: Mapped[str] = mapped_column(Text)
    faults: Mapped[str] = mapped_column(Text)
    key: Mapped[str] = mapped_column(String(300), default="", server_default="", index=True)
    settled: Mapped[str | None] = mapped_column(String(20))
    settled_by: Mapped[str | None] = mapped_column(String(200))


class HardwareVersion(Base):
    """One version of a hardware type. The newest counts; `removed` ones are no longer offered."""

    __tablename__ = "hardware_versions"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    document: Mapped[str] = mapped_column(Text)
    removed: Mapped[bool] = mapped_column(default=False)


class SafeKey(Base):
    """Which key the sealed things of this database are sealed with; the key itself is in a file beside it."""

    __tablename__ = "safe_keys"

    id: Mapped[int] = mapped_column(primary_key=True)
    key_id: Mapped[str] = mapped_column(String(16))
    since: Mapped[datetime]


class Secret(Base):
    """A sealed secret. The newest `number` of a slot counts; older ones are its history."""

    __tablename__ = "secrets"
    __table_args__ = (UniqueConstraint("site_id", "slot", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    slot: Mapped[str] = mapped_column(String(100))
    number: Mapped[int]
    label: Mapped[str] = mapped_column(String(300))
    sealed: Mapped[bytes]
    fingerprint: Mapped[str] = mapped_column(String(64), index=True)
    score: Mapped[int]
    factory: Mapped[bool]
    typed: Mapped[bool]
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    batch: Mapped[str | None] = mapped_column(String(20))


class JournalEntry(Base):
    """One line of the journal. `digest` covers the line and the digest before it."""

    __tablename__ = "journal"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    act: Mapped[str] = mapped_column(String(40))
    site: Mapped[str] = mapped_column(String(81))
    what: Mapped[str] = mapped_column(Text)
    why: Mapped[str] = mapped_column(Text)
    digest: Mapped[str] = mapped_column(String(64))
    account: Mapped[str] = mapped_column(String(80), default="", server_default="")
    address: Mapped[str] = mapped_column(String(60), default="", server_default="")


for _change in ("UPDATE", "DELETE"):
    event.listen(
        JournalEntry.__table__,
        "after_create",
        DDL(  # type: ignore[no-untyped-call]
            f"CREATE TRIGGER journal_no_{_change.lower()} BEFORE {_change} ON journal "
            "BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END"
        ),
    )


class Run(Base):
    """One staging of one device. The newest of a device counts."""

    __tablename__ = "runs"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    device: Mapped[str] = mapped_column(String(12))
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    box: Mapped[str] = mapped_column(Text, server_default="{}")
    practice: Mapped[bool] = mapped_column(server_default=false(), default=False)
    pins: Mapped[str] = mapped_column(Text, server_default="", default="")


class ExchangeRow(Base):
    """What Octaplan's hands sent to a box and received from it in one step, without secrets."""

    __tablename__ = "exchanges"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    step: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    text: Mapped[str] = mapped_column(Text)


class Tick(Base):
    """What became of one step of a run, what the step asked for then, and who accepted what was skipped of it."""

    __tablename__ = "ticks"

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(80), primary_key=True)
    outcome: Mapped[str] = mapped_column(String(10))
    note: Mapped[str] = mapped_column(Text)
    measured: Mapped[str] = mapped_column(Text)
    digest: Mapped[str] = mapped_column(String(16))
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    asked: Mapped[str] = mapped_column(Text, server_default="{}")
    accepted_by: Mapped[str] = mapped_column(String(200), server_default="")
    accepted_at: Mapped[datetime | None]


class Recording(Base):
    """One thing that was ever recorded of a step: nothing is taken out of here."""

    __tablename__ = "recordings"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    step: Mapped[str] = mapped_column(String(80))
    title: Mapped[str] = mapped_column(String(200))
    outcome: Mapped[str] = mapped_column(String(10))
    note: Mapped[str] = mapped_column(Text)
    measured: Mapped[str] = mapped_column(Text)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))


class RehearsalRow(Base):
    """A rehearsal of one revision of a site, with what came of it. `digest` is that of what was decided then."""

    __tablename__ = "rehearsals"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    revision: Mapped[int]
    digest: Mapped[str] = mapped_column(String(64))
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    agrees: Mapped[bool]
    result: Mapped[str] = mapped_column(Text)


class SiteLink(Base):
    """A link to the installer's page of a site; of its token only the digest."""

    __tablename__ = "site_links"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    ends: Mapped[datetime]


class SiteAnswer(Base):
    """What was answered on site to one test."""

    __tablename__ = "site_answers"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    link_id: Mapped[int] = mapped_column(ForeignKey("site_links.id"))
    test: Mapped[str] = mapped_column(String(16))
    text: Mapped[str] = mapped_column(Text)
    works: Mapped[bool]
    note: Mapped[str] = mapped_column(Text)
    name: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime]


class Backup(Base):
    """A configuration taken off a box, sealed."""

    __tablename__ = "backups"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    revision: Mapped[int]
    name: Mapped[str] = mapped_column(String(200))
    size: Mapped[int]
    sha256: Mapped[str] = mapped_column(String(64))
    sealed: Mapped[bytes]
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))


class Shipment(Base):
    """A site that has left the bench."""

    __tablename__ = "shipments"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("sites.id"), index=True)
    revision: Mapped[int]
    carrier: Mapped[str] = mapped_column(String(200))
    reference: Mapped[str] = mapped_column(String(200))
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))


class Setting(Base):
    """One choice of the organisation, as JSON."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(Text)


class PatternVersion(Base):
    """One version of a pattern, kept whole."""

    __tablename__ = "pattern_versions"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    note: Mapped[str] = mapped_column(String(400))
    document: Mapped[str] = mapped_column(Text)


class OrganisationRevision(Base):
    """One revision of the organisation's settings, kept whole."""

    __tablename__ = "organisation_revisions"

    number: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    by: Mapped[str] = mapped_column(String(200))
    sentence: Mapped[str] = mapped_column(Text)
    document: Mapped[str] = mapped_column(Text)
