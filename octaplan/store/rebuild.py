"""Derived tables held against the plans that they follow from, and made anew."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from octaplan.core.plan.site import PATTERNS, SitePlan
from octaplan.store.database import Database
from octaplan.store.derived import Row, claims_of, names_of
from octaplan.store.models import Claim, Customer, Name, Revision, Site
from octaplan.store.revisions import called

Table = type[Claim] | type[Name]


def strays(database: Database) -> list[str]:
    """The sites, as keys, of which a derived table says something else than their plan."""
    with database.reading() as session:
        return list(dict.fromkeys(site.key for site, _, _ in _strays(session)))


def rebuild(database: Database) -> int:
    """Make the derived rows of those sites anew; how many tables of sites there were."""
    with database.turn() as turn:
        found = list(_strays(turn.session))
        for site, table, rows in found:
            turn.session.execute(delete(table).where(table.site_id == site.id))
            if rows:
                turn.session.connection().execute(insert(table), rows)
        return len(found)


def _strays(session: Session) -> Iterator[tuple[Site, Table, list[Row]]]:
    newest = (Revision.site_id == Site.id) & (Revision.number == Site.revision)
    query = select(Site, Revision.document, Customer).join(Revision, newest).join(Customer)
    for site, document, customer in session.execute(
        query.where(Site.customer_key != PATTERNS, Site.away.is_(None))
    ).all():
        plan = called(SitePlan.model_validate_json(document), customer.code, site.code)
        derived: tuple[tuple[Table, list[Row]], ...] = (
            (Claim, list(claims_of(plan, site.id))),
            (Name, list(names_of(plan, site.id, customer.name))),
        )
        for table, rows in derived:
            if _stored(session, site.id, table) != sorted(map(_plain, rows)):
                yield site, table, rows


def _plain(row: Row) -> tuple[str, ...]:
    return tuple(str(row[name]) for name in sorted(row))


def _stored(session: Session, site: int, table: Table) -> list[tuple[str, ...]]:
    names = sorted(column.name for column in table.__table__.columns if column.name != "id")
    found = session.execute(select(*(getattr(table, name) for name in names)).where(table.site_id == site))
    return sorted(tuple(map(str, row)) for row in found)
