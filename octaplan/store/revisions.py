"""Revisions in the database: read, written with all that is derived from them, and held against each other."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.changes import changes_between, sentence
from octaplan.core.plan.history import Course, CourseStep, StepKind, course
from octaplan.core.plan.patch import Operation, difference, stem, touches, value_at
from octaplan.core.plan.site import PATTERNS, SitePlan
from octaplan.store.author import account_of
from octaplan.store.derived import Row, claims_of, names_of
from octaplan.store.models import (
    Claim,
    Clearance,
    Customer,
    FormerCode,
    Name,
    RehearsalRow,
    Revision,
    Run,
    Secret,
    Shipment,
    Site,
    SiteLink,
)
from octaplan.store.refusals import BadChange, Clash, Conflict, NoSuchSite
from octaplan.store.saved import Saved
from octaplan.store.snapshot import Away, Held, Signed, Sites, Unheld

#: So many rows of a derived table are taken out one by one; more of them with all that the site has there.
FEW = 12


def load_sites(session: Session, *, patterns: bool, **context: Any) -> Sites:
    """All sites or patterns of a database, checked; `context` is what the portfolio is to know besides."""
    rows = session.execute(
        select(Site, Revision)
        .join(Revision, (Revision.site_id == Site.id) & (Revision.number == Site.revision))
        .where((Site.customer_key == PATTERNS) == patterns, Site.away.is_(None))
    ).all()
    newest = select(func.max(Clearance.id)).group_by(Clearance.site_id)
    signed = {
        c.site_id: Signed(c.revision, c.digest, c.by, c.at)
        for c in session.scalars(select(Clearance).where(Clearance.id.in_(newest)))
    }
    customers = {c.key: c for c in session.scalars(select(Customer))}
    held = {
        site.key: Held(
            site.id,
            called(SitePlan.model_validate_json(revision.document), customers[site.customer_key].code, site.code),
            saved_of(revision),
            signed.get(site.id),
        )
        for site, revision in rows
    }
    portfolio = Portfolio([one.plan for one in held.values()], **context)
    names = {key: one.name for key, one in customers.items()}
    unheld = Unheld() if patterns else _unheld(session, customers)
    return Sites(held, portfolio, names, patterns=patterns, unheld=unheld).within(None)


def _unheld(session: Session, customers: Mapping[str, Customer]) -> Unheld:
    away = session.scalars(select(Site).where(Site.away.is_not(None)))
    former = session.execute(select(FormerCode.key, Site.key).join(Site)).all()
    return Unheld(
        {site.key: away_of(site, customers[site.customer_key].code) for site in away},
        {str(key): str(now) for key, now in former},
    )


def away_of(site: Site, customer: str) -> Away:
    """What is told of a site that is put away."""
    return Away(customer, site.code, site.name or site.code, site.away or datetime.now(UTC), site.away_by)


def called(plan: SitePlan, customer: str, site: str) -> SitePlan:
    """A plan under the codes that its site has, whatever they were when it was saved."""
    if (plan.customer, plan.site) == (customer, site):
        return plan
    return plan.model_copy(update={"customer": customer, "site": site})


def revision_of(session: Session, held: Held, number: int) -> tuple[Saved, SitePlan]:
    plan = held.plan
    if number == held.saved.number:
        return held.saved, plan
    found = session.get(Revision, (held.id, number)) if number < 1 << 62 else None
    if found is None:
        raise NoSuchSite(f"{plan.customer}/{plan.site} has no revision {number}: look at its history")
    return saved_of(found), called(SitePlan.model_validate_json(found.document), plan.customer, plan.site)


def course_of(session: Session, held: Held) -> Course:
    query = select(Revision.number, Revision.kind)
    query = query.where(Revision.site_id == held.id, Revision.number <= held.saved.number)
    rows = session.execute(query.order_by(Revision.number)).all()
    return course(CourseStep(number, StepKind(kind)) for number, kind in rows)


def refuse_clashes(session: Session, held: Held, operations: Sequence[Operation], base: int) -> None:
    site = Revision.site_id == held.id
    since = session.scalars(select(Revision).where(site, Revision.number > base).order_by(Revision.number)).all()
    old = session.scalars(select(Revision.document).where(site, Revision.number == base)).one_or_none()
    if old is None:
        raise BadChange(f"There is no revision {base} of this site")
    before, now = json.loads(old), held.document()
    clashes: dict[str, Clash] = {}
    blame = since[-1]
    for operation in operations:
        path = stem(operation["path"])
        yours = operation.get("value")
        for revision in since:
            touched = (stem(change["path"]) for change in json.loads(revision.patch))
            if any(touches(path, other) or touches(other, path) for other in touched):
                theirs = value_at(now, path)
                if theirs != yours:
                    clashes[path] = Clash(path, value_at(before, path), yours, theirs)
                    blame = revision
    if clashes:
        raise Conflict(list(clashes.values()), blame.by, blame.number, since[-1].number)


def touched_sites(session: Session, sites: Sequence[int], batch: str | None) -> set[int]:
    """The sites that somebody has done something with, but for what a change of many sites made of them."""
    touched: set[int] = set()
    own = (Revision.batch == batch) & (Revision.number == 1)
    came = (Secret.batch == batch) & (Secret.number == 1)
    for part in range(0, len(sites), 500):
        some = sites[part : part + 500]
        for table in (Clearance, Run, Shipment, SiteLink, RehearsalRow):
            touched.update(session.scalars(select(table.site_id).where(table.site_id.in_(some))))
        if batch is not None:
            for other, but in ((Revision.site_id, own), (Secret.site_id, came)):
                query = select(other).where(other.in_(some), ~func.coalesce(but, False))
                touched.update(session.scalars(query))
    return touched


def write_revision(
    session: Session,
    sites: Sites,
    held: Held | None,
    after: SitePlan,
    by: str,
    at: datetime,
    reason: str = "",
    *,
    kind: StepKind = StepKind.CHANGE,
    told: str = "",
    batch: str | None = None,
    derived: bool = True,
) -> tuple[int, Saved]:
    """One revision, and when it is `derived` the tables that follow from it.

    Returns the number of the site and what was saved.
    """
    before = held.plan if held is not None else None
    customer_key = after.customer.casefold()
    if not sites.knows_customer(customer_key) and session.get(Customer, customer_key) is None:
        session.add(Customer(key=customer_key, code=after.customer, name=after.customer))
        session.flush()
    number = held.saved.number + 1 if held is not None else 1
    values: dict[str, Any] = {
        "name": after.name,
        "ship_date": after.ship_date,
        "technician": after.technician,
        "revision": number,
    }
    if held is not None:
        site_id = held.id
        session.execute(update(Site).where(Site.id == site_id).values(values))
    else:
        values |= {"key": after.key, "customer_key": customer_key, "code": after.site}
        site_id = session.execute(insert(Site).values(values).returning(Site.id)).scalar_one()
    old, document = held.document() if held is not None else {}, after.document()
    differences = changes_between(old, document)
    said = f"{reason}: {sentence(differences)}" if reason and before else reason or sentence(differences)
    said = told or said
    patch = difference(old, document) if held is not None else []
    account = account_of(by)
    revision = {
        "site_id": site_id,
        "number": number,
        "at": at,
        "by": by,
        "account": account,
        "sentence": said,
        "patch": json.dumps(patch),
        "document": json.dumps(document, ensure_ascii=False),
        "kind": kind,
        "batch": batch,
    }
    session.connection().execute(insert(Revision), [revision])
    if derived:
        name = sites.customer_name(after)
        derive(session, site_id, (before, name), (after, name))
    return site_id, Saved(number, at, str(by), said, account=account, kind=kind)


def derive(
    session: Session, site: int, before: tuple[SitePlan | None, str], after: tuple[SitePlan | None, str]
) -> None:
    """Let the derived tables follow a site from one plan and name of its customer to another; nothing is derived of a
    plan that is not there."""
    (old, old_name), (new, new_name) = before, after
    claims = [*claims_of(old, site)] if old else None
    names = [*names_of(old, site, old_name)] if old else None
    _exchange(session, Claim, site, claims, [*claims_of(new, site)] if new else [])
    _exchange(session, Name, site, names, [*names_of(new, site, new_name)] if new else [])


def _exchange(
    session: Session, table: type[Claim] | type[Name], site: int, before: list[Row] | None, rows: list[Row]
) -> None:
    """Put the rows of a derived table that follow from a plan in the place of those that followed from the one before;
    only what differs is written."""
    if before is not None:
        old, new = ({tuple(row.items()): row for row in some} for some in (before, rows))
        gone = [row for key, row in old.items() if key not in new]
        if len(gone) > FEW or len(old) < len(before):
            session.execute(delete(table).where(table.site_id == site))
        else:
            rows = [row for key, row in new.items() if key not in old]
            for row in gone:
                session.execute(delete(table).filter_by(**row))
    if rows:
        session.connection().execute(insert(table), rows)


def saved_of(revision: Revision) -> Saved:
    kind = StepKind(revision.kind)
    return Saved(revision.number, revision.at, revision.by, revision.sentence, revision.name, revision.account, kind)
