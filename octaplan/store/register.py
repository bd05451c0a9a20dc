"""Which customers and sites there are: begun by hand, called something else, put away and brought back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from sqlalchemy import delete, select, update

from octaplan.core.plan.site import PATTERNS, SitePlan, site_key
from octaplan.store.database import Database, Turn
from octaplan.store.journal import Act, enter
from octaplan.store.models import Clearance, Customer, FormerCode, Revision, Site
from octaplan.store.organisation import Settings
from octaplan.store.plans import Plans
from octaplan.store.refusals import BadChange, NoSuchSite
from octaplan.store.revisions import away_of, called, derive, revision_of, saved_of
from octaplan.store.safe import secrets_at
from octaplan.store.snapshot import Away, Held, Signed, Sites


class Register:
    """The customers and sites of a database. Every method may be called from any thread."""

    def __init__(self, database: Database, plans: Plans, settings: Settings) -> None:
        self._database = database
        self._plans = plans
        self._settings = settings

    def begin(self, plan: SitePlan, by: str, customer_name: str = "") -> SitePlan:
        """A new site, and its customer with it when nobody knows that one yet. Raises `BadChange`."""
        with self._database.turn() as turn:
            sites = turn.now.sites
            known = sites.customers()
            code = next((code for code in known if code.casefold() == plan.customer.casefold()), None)
            if code is not None:
                return self._plans.begin(called(plan, code, plan.site), by)
            if plan.customer.startswith(PATTERNS[0]):
                raise BadChange("The code of a customer begins with a letter or a digit", "/customer")
            if any(one.customer.casefold() == plan.customer.casefold() for one in sites.unheld.away.values()):
                raise BadChange(
                    f"All sites of {plan.customer} are put away: bring one back on Customers first", "/customer"
                )
            twin = next((code for code, name in known.items() if name.casefold() == customer_name.casefold()), None)
            if twin is not None:
                raise BadChange(f"{known[twin]} is there already, as {twin}: choose it in the list", "/customer")
            return self._plans.begin(plan, by, customer_name or plan.customer)

    # --- Other names

    def recode(self, key: str, code: str, by: str) -> SitePlan:
        """Give a site another code. Whoever looks for it under the old one is told. Raises `BadChange`."""
        with self._database.turn() as turn:
            held = turn.now.sites.of(key)
            plan = called(held.plan, held.plan.customer, code)
            if plan.site == held.plan.site:
                return held.plan
            self._free(turn.now.sites, plan.key, {held.plan.key})
            turn.session.execute(update(Site).where(Site.id == held.id).values(key=plan.key, code=plan.site))
            self._recoded(turn, {held.plan.key: plan}, by)
            return plan

    def rename_customer(self, customer: str, code: str, name: str, by: str) -> None:
        """Give a customer another name, or another code at all of its sites. Raises `BadChange`, `NoSuchSite`."""
        old = customer.casefold()
        with self._database.turn() as turn:
            session, sites = turn.session, turn.now.sites
            own = {key: held for key, held in sites.held.items() if held.plan.customer.casefold() == old}
            row = session.get(Customer, old)
            if row is None or not own:
                raise NoSuchSite(f"There is no customer {customer.upper()}: look at Customers")
            before, new = row.name, code.casefold()
            if new.startswith(PATTERNS[0]):
                raise BadChange("The code of a customer begins with a letter or a digit", "/code")
            if new != old and session.get(Customer, new) is not None:
                raise BadChange(f"{code} is another customer's code: choose another", "/code")
            if (row.code, row.name) == (code, name):
                return
            enter(session, Act.RENAMED, by, f"customer {row.code} {before} is called {code} {name}")
            session.merge(Customer(key=new, code=code, name=name))
            session.flush()
            plans = {key: called(held.plan, code, held.plan.site) for key, held in own.items()}
            if new != old:
                for site in session.scalars(select(Site).where(Site.customer_key == old)):
                    site.customer_key, site.key = new, site_key(code, site.code)
                session.flush()
                session.delete(row)
                session.flush()
                self._take_settings_along(turn, old, new, by)
            for key, held in own.items():
                derive(session, held.id, (held.plan, before), (plans[key], name))
            theirs = {key: one for key, one in sites.unheld.away.items() if one.customer.casefold() == old}
            away: dict[str, Away | None] = dict.fromkeys(theirs)
            away |= {site_key(code, one.site): one._replace(customer=code) for one in theirs.values()}
            turn.now = turn.now.with_(sites=turn.now.sites.with_customers({new: name}).with_unheld(away, {}))
            self._recoded(turn, plans, by, old)

    def _take_settings_along(self, turn: Turn, old: str, new: str, by: str) -> None:
        document = turn.now.settings.current.document()
        moved = False
        for part in ("blocks", "customers"):
            if old in document[part]:
                document[part][new] = document[part].pop(old)
                moved = True
        if moved:
            self._settings.save(document, turn.now.settings.saved.number, by)

    def _recoded(self, turn: Turn, plans: Mapping[str, SitePlan], by: str, customer: str = "") -> None:
        """Let everything that goes by the key of a site follow: names to find it by, secrets, runs, signatures."""
        session, sites = turn.session, turn.now.sites
        moved = {key: plan.key for key, plan in plans.items() if plan.key != key}
        for key, plan in plans.items():
            held = sites.held[key]
            if not customer:
                name = sites.customer_name(plan)
                derive(session, held.id, (held.plan, name), (plan, name))
                enter(session, Act.RENAMED, by, f"was {held.plan.customer}/{held.plan.site}", site=plan.key)
        fresh, affected = sites.renamed(plans)
        for key, plan in plans.items():
            fresh = _signed_again(turn, fresh, sites.held[key], plan)
        old_codes: dict[str, str | None] = {}
        if moved:
            session.execute(delete(FormerCode).where(FormerCode.key.in_(moved.values())))
            for key, now in moved.items():
                session.merge(FormerCode(key=key, site_id=fresh.held[now].id))
            old_codes = {old: moved.get(now, now) for old, now in sites.unheld.former.items()}
            old_codes |= dict.fromkeys(moved.values())
            old_codes |= moved
        fresh = fresh.with_unheld({}, old_codes)
        secrets = turn.now.secrets
        kept = [(now, slot, one) for key, now in moved.items() for slot, one in secrets.kept(key).items()]
        turn.now = turn.now.with_(sites=fresh, runs=turn.now.runs.renamed(moved))
        if kept:
            codes = {plan.key: (plan.customer, plan.site) for plan in plans.values()}
            without, touched = secrets.without(moved)
            after, touched_too = without.with_kept(kept, codes)
            turn.now = turn.now.with_secrets(after, (touched | touched_too) & set(fresh.held))
        for plan in plans.values():
            self._plans.tell(turn, fresh.held[plan.key].saved, plan, affected)

    # --- Put away

    def put_away(self, keys: Sequence[str], by: str) -> None:
        """Take sites out of everything, and keep them with all they have. Raises `NoSuchSite`."""
        at = datetime.now(UTC)
        with self._database.turn() as turn:
            session, sites = turn.session, turn.now.sites
            going = {sites.of(key).plan.key: sites.of(key) for key in keys}
            away = {}
            for key, held in going.items():
                site = session.get_one(Site, held.id)
                site.away, site.away_by = at, str(by)
                derive(session, held.id, (held.plan, sites.customer_name(held.plan)), (None, ""))
                enter(session, Act.AWAY, by, held.plan.name or held.plan.site, site=key)
                away[key] = away_of(site, held.plan.customer)
            secrets, touched = turn.now.secrets.without(going)
            turn.now = turn.now.with_(sites=sites.without(going).with_unheld(away, {}))
            turn.now = turn.now.with_secrets(secrets, touched - set(going))
            for held in going.values():
                self._plans.tell(turn, held.saved, held.plan, {held.plan.key})

    def bring_back(self, key: str, by: str) -> SitePlan:
        """Take a site that was put away into everything again. Raises `NoSuchSite`."""
        with self._database.turn() as turn:
            session, sites = turn.session, turn.now.sites
            site = session.scalars(select(Site).where(Site.key == key.casefold(), Site.away.is_not(None))).one_or_none()
            if site is None:
                raise NoSuchSite(f"{key.upper()} is not put away: look for it on Outbound")
            customer = session.get_one(Customer, site.customer_key)
            site.away, site.away_by = None, ""
            row = session.get_one(Revision, (site.id, site.revision))
            held = Held(
                site.id, called(SitePlan.model_validate_json(row.document), customer.code, site.code), saved_of(row)
            )
            newest = select(Clearance).where(Clearance.site_id == site.id).order_by(Clearance.id.desc()).limit(1)
            signed = session.scalars(newest).one_or_none()
            _, plan = revision_of(session, held, site.revision)
            derive(session, site.id, (None, ""), (plan, customer.name))
            enter(session, Act.BACK, by, plan.name or plan.site, site=plan.key)
            fresh, affected = sites.with_plans([(plan, site.id, held.saved)])
            signature = Signed(signed.revision, signed.digest, signed.by, signed.at) if signed else None
            fresh = fresh.with_held(plan.key, signed=signature, course=None)
            turn.now = turn.now.with_(sites=fresh.with_unheld({plan.key: None}, {}))
            kept = [(plan.key, slot, one) for slot, one in secrets_at(session, site.id).items()]
            secrets, touched = turn.now.secrets.with_kept(kept, {plan.key: (plan.customer, plan.site)})
            turn.now = turn.now.with_secrets(secrets, (touched | {plan.key}) & set(turn.now.sites.held))
            self._plans.tell(turn, held.saved, plan, affected)
            return plan

    @staticmethod
    def _free(sites: Sites, key: str, own: set[str]) -> None:
        if key in own:
            return
        if key in sites.held:
            raise BadChange(f"{key.upper()} is another site's code: choose another", "/code")
        if key in sites.unheld.away:
            raise BadChange(f"{key.upper()} is put away, and its code with it: choose another", "/code")


def _signed_again(turn: Turn, fresh: Sites, before: Held, plan: SitePlan) -> Sites:
    """A signature that held stays when only the codes of its site have changed."""
    signed = before.signed
    if signed is None or signed.digest != before.digest:
        return fresh
    digest = fresh.held[plan.key].digest
    newest = select(Clearance.id).where(Clearance.site_id == before.id).order_by(Clearance.id.desc()).limit(1)
    turn.session.execute(update(Clearance).where(Clearance.id == newest.scalar_subquery()).values(digest=digest))
    return fresh.with_held(plan.key, signed=signed._replace(digest=digest))
