"""What is saved, as one immutable snapshot that any number of readers share without a lock.

A writer makes the next snapshot out of the one before and publishes it once its transaction is through (`Turn` in
`octaplan.store.database`). Nothing here changes anything: what is called `with_…` gives another snapshot. Whatever is
tried out works on a `fork` of a portfolio.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Any, NamedTuple, TypeVar, cast

from octaplan.core.check.findings import Finding, Severity, Trait
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.credentials import slots_of
from octaplan.core.plan.decided import decided
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.history import Course, CourseStep
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.passwords import guessable
from octaplan.core.plan.patch import Operation
from octaplan.core.plan.questions import Standing, Whom, left_open, standing
from octaplan.core.plan.site import PATTERNS, Acceptance, SitePlan
from octaplan.core.propose.remedies import Offers
from octaplan.core.propose.remedy import Remedy
from octaplan.core.propose.typed import Understood, understand
from octaplan.core.values.lazy import lazy
from octaplan.store.kept import SecretNeed, Secrets
from octaplan.store.patches import patched, permitted
from octaplan.store.refusals import NoSuchSite, NoSuchSlot, Renamed
from octaplan.store.runs import Runs
from octaplan.store.saved import Saved

#: Findings of a site for which remedies are worked out at once.
MOST_REMEDIES = 40


class Signed(NamedTuple):
    """A signature under a revision, with the digest of what was decided in it."""

    revision: int
    digest: str | None
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Signature:
    """The newest clearance of a site, and whether it still holds; if not, why."""

    revision: int
    by: str
    at: datetime
    void: str | None


@dataclass(frozen=True, slots=True)
class Judged:
    """A finding and, if it is a `warn` that somebody accepted, the acceptance."""

    finding: Finding
    accepted: str | None
    acceptance: Acceptance | None

    @property
    def blocks(self) -> bool:
        severity = self.finding.severity
        return severity is Severity.STOP or (severity is Severity.WARN and self.accepted is None)


@dataclass(frozen=True, slots=True)
class TypeVersion:
    """One version of a hardware type."""

    number: int
    at: datetime
    by: str


class Types(NamedTuple):
    """The newest hardware types that are not removed, by key, and the newest version of every key."""

    types: Mapping[str, HardwareType]
    versions: Mapping[str, TypeVersion]


class Settled(NamedTuple):
    """The settings of the organisation, and their newest revision."""

    current: Organisation
    saved: Saved


@dataclass(frozen=True, eq=False)
class Held:
    """One site as it was saved last, with what was found then; what follows from these is worked out once."""

    id: int
    plan: SitePlan
    saved: Saved
    signed: Signed | None = None
    findings: Sequence[Finding] = ()
    #: What undo and redo bring back, when it is known.
    course: Course | None = None
    #: Kept by whoever works something out of this very site, under a name of its own.
    worked_out: dict[str, Any] = field(default_factory=dict, repr=False)

    def with_(self, **values: Any) -> Held:
        """The same site with something else said of it."""
        return replace(self, worked_out={}, **values)

    @lazy
    def _text(self) -> str:
        return json.dumps(self.plan.document(), ensure_ascii=False)

    @property
    def known_course(self) -> Course | None:
        """What undo and redo bring back, unless it is to be looked up."""
        return self.course or self.worked_out.get("course")

    def document(self) -> dict[str, Any]:
        """The plan as plain JSON values, to be changed at will."""
        document: dict[str, Any] = json.loads(self._text)
        return document

    @lazy
    def judged(self) -> list[Judged]:
        """The findings, worst first, each with its acceptance."""
        return judge(self.plan, self.findings)

    @lazy
    def tally(self) -> Counter[tuple[str, Severity, bool]]:
        """How often each rule speaks, by severity and by whether it was accepted."""
        return Counter((j.finding.rule, j.finding.severity, j.accepted is not None) for j in self.judged)

    @lazy
    def digest(self) -> str:
        """The digest of what was decided in the plan, without what is only recorded at the bench."""
        return hashlib.sha256(json.dumps(decided(self.document()), sort_keys=True).encode()).hexdigest()

    @lazy
    def signature(self) -> Signature | None:
        """The newest clearance. A later change voids it, and so does a finding from elsewhere."""
        if self.signed is None:
            return None
        saved, void = self.saved, None
        if saved.number != self.signed.revision and self.digest != self.signed.digest:
            void = f"{saved.by} changed the plan since, in revision {saved.number}: {saved.sentence}"
        elif any(judged.blocks for judged in self.judged):
            void = (
                "A finding has come up since, by a change at another site, of the settings, a hardware type or a "
                "secret, or because the ship date has gone by"
            )
        return Signature(self.signed.revision, self.signed.by, self.signed.at, void)


class Away(NamedTuple):
    """A site that is put away: what it is called, who put it away and when."""

    customer: str
    site: str
    name: str
    at: datetime
    by: str


class Unheld(NamedTuple):
    """Sites that are not held under a key: those that are put away, and those that are called something else now."""

    away: Mapping[str, Away] = {}
    former: Mapping[str, str] = {}


class Sites:
    """All sites as they are saved, or all patterns, with the portfolio that they are checked in."""

    def __init__(
        self,
        held: Mapping[str, Held],
        portfolio: Portfolio,
        customers: Mapping[str, str],
        *,
        patterns: bool = False,
        unheld: Unheld = Unheld(),  # noqa: B008  (it never changes)
    ) -> None:
        portfolio.frozen = True
        self.held = held
        self.portfolio = portfolio
        self.patterns = patterns
        self.unheld = unheld
        self.checked_on: date = portfolio.today()
        self._customers = customers
        self._remedies: dict[str, list[list[Remedy]]] = {}

    def __len__(self) -> int:
        return len(self.held)

    def get(self, key: str) -> Held | None:
        """A site, or nothing, by `CUSTOMER/SITE` in any case."""
        return self.held.get(key.casefold())

    def of(self, key: str) -> Held:
        """A site. Raises `NoSuchSite`."""
        held = self.held.get(key.casefold())
        if held is None:
            raise self._missing(key.casefold())
        return held

    @lazy
    def closed(self) -> dict[str, str]:
        """The keys under which no site can be begun although none is held there, each with the reason."""
        away, former = self.unheld
        put_away = {
            key: f"{one.customer}/{one.site} is put away: bring it back on Customers, then load this again"
            for key, one in away.items()
        }
        return {
            **{key: f"{key.upper()} is called {now.upper()} now: write that code" for key, now in former.items()},
            **put_away,
        }

    def _missing(self, key: str) -> NoSuchSite:
        away, now = self.unheld.away.get(key), self.unheld.former.get(key)
        if away is not None:
            return NoSuchSite(
                f"{away.customer}/{away.site} is put away since {away.at:%Y-%m-%d}, by {away.by}: bring it back on "
                "Customers"
            )
        if now is not None:
            return Renamed(key, now)
        where = "There is no such pattern: look it up on Patterns"
        return NoSuchSite(where if self.patterns else f"There is no site {key.upper()}: look it up on Outbound")

    def plan(self, key: str) -> SitePlan:
        """The newest plan of a site."""
        return self.of(key).plan

    def saved(self, key: str) -> Saved:
        """The newest revision of a site."""
        return self.of(key).saved

    def site_id(self, key: str) -> int:
        """The number of a site in the database."""
        return self.of(key).id

    def all(self) -> dict[str, SitePlan]:
        """The newest plans by key."""
        return {key: held.plan for key, held in self.held.items()}

    @lazy
    def _codes(self) -> dict[str, str]:
        return {held.plan.customer.casefold(): held.plan.customer for held in self.held.values()}

    def customers(self) -> dict[str, str]:
        """The names of all customers by their code."""
        return {code: self._customers.get(key, code) for key, code in sorted(self._codes.items())}

    def customer_name(self, plan: SitePlan) -> str:
        return self._customers.get(plan.customer.casefold(), plan.customer)

    def knows_customer(self, key: str) -> bool:
        return key in self._customers

    # --- What was found

    def judged(self, key: str) -> list[Judged]:
        """The findings of a site, worst first, each with its acceptance."""
        return self.of(key).judged

    def findings(self) -> dict[str, Sequence[Finding]]:
        """The findings of all sites by key."""
        return {key: held.findings for key, held in self.held.items()}

    def counts_by_rule(self) -> dict[str, tuple[int, int]]:
        """For each rule that speaks: how many findings there are, and at how many sites."""
        findings: Counter[str] = Counter()
        sites: Counter[str] = Counter()
        for held in self.held.values():
            rules = [finding.rule for finding in held.findings]
            findings.update(rules)
            sites.update(set(rules))
        return {rule: (number, sites[rule]) for rule, number in findings.items()}

    def signature(self, key: str) -> Signature | None:
        """The newest clearance of a site, and whether it holds."""
        return self.of(key).signature

    def remedies(self, key: str) -> list[list[Remedy]]:
        """What the findings of a site offer, in their order, for the first `MOST_REMEDIES` that are not accepted."""
        held = self.of(key)
        known = self._remedies.get(held.plan.key)
        if known is None:
            known, offers = [], Offers(self.portfolio, held.plan, list(held.findings))
            for place, judged in enumerate(held.judged):
                skipped = place >= MOST_REMEDIES or judged.accepted
                known.append([] if skipped else offers.of(judged.finding))
            self._remedies[held.plan.key] = known
        return known

    def draft(self, key: str, operations: Sequence[Operation]) -> list[Judged]:
        """The findings that the newest plan would have with a change made; nothing is saved. Raises `BadChange`."""
        permitted(operations)
        draft = patched(self.of(key).document(), operations)
        return judge(draft, [finding for finding in self.portfolio.check(draft) if self._concerns(finding)])

    def understand(self, key: str, path: str, text: str) -> Understood:
        """What typed text comes to in the field at a path of the newest plan. Raises `OctaplanError`."""
        return understand(self.plan(key), path, text, self.portfolio)

    # --- What must still be known and filled

    def open_questions(self, key: str) -> Mapping[Whom, int]:
        """How many questions of the intake are open at a site, by whom to ask."""
        worked_out = self.of(key).worked_out
        if "open" not in worked_out:
            worked_out["open"] = {w: len(asked) for w, asked in left_open(self.standing_questions(key)).items()}
        return cast(Mapping[Whom, int], worked_out["open"])

    def standing_questions(self, key: str) -> list[Standing]:
        """The questions of the intake that apply to a site, as they stand."""
        plan, facts = self.plan(key), self.portfolio.facts
        return standing(plan, facts(plan.key).__contains__ if facts is not None else None)

    def needs(self, plan: SitePlan) -> list[SecretNeed]:
        """The slots of a plan, each with the makers' own passwords that will not do in it."""
        types = self.portfolio.hardware or {}
        needs = []
        for slot in slots_of(plan, types):
            device = plan.devices.get(slot.member.removeprefix("/devices/"))
            kind = types.get(device.type) if device else None
            factory = (kind.factory.known_password,) if kind and kind.factory.known_password else ()
            needs.append(SecretNeed(plan.key, slot, factory))
        return needs

    def need(self, key: str, path: str) -> SecretNeed:
        """One slot of a site. Raises `NoSuchSlot`."""
        plan = self.plan(key)
        for need in self.needs(plan):
            if need.slot.path == path:
                device = plan.devices.get(need.slot.member.removeprefix("/devices/"))
                return need._replace(known=tuple(guessable(plan, need.slot.owner, device.type if device else None)))
        raise NoSuchSlot(f"{plan.customer}/{plan.site} does not need such a secret any more: look at Credentials again")

    # --- The next one

    def with_plans(self, written: Sequence[tuple[SitePlan, int, Saved]]) -> tuple[Sites, set[str]]:
        """With new revisions (plan, number of the site in the database, revision); also the sites whose findings may
        have changed by it."""
        portfolio = self.portfolio.fork()
        held = dict(self.held)
        few = len(written) <= max(1, len(held) // 4)
        sorts: set[str] = set()
        differing: list[tuple[SitePlan | None, SitePlan]] = []
        for plan, site_id, saved in written:
            before = held.get(plan.key)
            differs = portfolio.put(plan)
            if differs:
                sorts |= differs
                differing.append((before.plan if before is not None else None, plan))
            signed = before.signed if before is not None else None
            course = before.known_course if before is not None else Course()
            course = course.then(CourseStep(saved.number, saved.kind)) if course is not None else None
            held[plan.key] = Held(site_id, plan, saved, signed, course=course)
        affected = {plan.key for plan, _, _ in written} if few else set(held)
        if few and differing:
            if before_them := [old for old, _ in differing if old is not None]:
                affected |= self.portfolio.touched_by(before_them, sorts)
            affected |= portfolio.touched_by([new for _, new in differing], sorts)
        named = {plan.customer.casefold(): plan.customer for plan, _, _ in written}
        return self.with_customers({**named, **self._customers})._next(held, portfolio, affected), affected

    def without(self, keys: Iterable[str]) -> Sites:
        """Without some sites."""
        held = dict(self.held)
        gone = [held.pop(key).plan for key in keys]
        few = len(gone) <= len(self.held) // 4
        affected = self.portfolio.touched_by(gone) if few else set(held)
        portfolio = self.portfolio.fork()  # only now: it keeps what has been sorted to tell who is touched
        for plan in gone:
            portfolio.remove(plan.key)
        return self._next(held, portfolio, affected & set(held))

    def with_held(self, key: str, **values: Any) -> Sites:
        """With something else said of one site that no finding depends on."""
        held = dict(self.held)
        held[key] = held[key].with_(**values)
        return self._next(held, self.portfolio, ())

    def with_customers(self, names: Mapping[str, str]) -> Sites:
        """With names of customers by their key."""
        return self._with(customers={**self._customers, **names})

    def with_unheld(self, away: Mapping[str, Away | None], former: Mapping[str, str | None]) -> Sites:
        """With sites put away or brought back, and codes that they had before, or have no longer had."""
        put_away = {**self.unheld.away, **away}
        called = {**self.unheld.former, **former}
        unheld = Unheld(
            {key: one for key, one in put_away.items() if one is not None},
            {key: now for key, now in called.items() if now is not None},
        )
        return self._with(unheld=unheld)

    def renamed(self, plans: Mapping[str, SitePlan]) -> tuple[Sites, set[str]]:
        """With sites, by their keys so far, under other codes; also the sites whose findings may have changed by it."""
        portfolio, held = self.portfolio.fork(), dict(self.held)
        before = [held[key].plan for key in plans]
        affected = self.portfolio.touched_by(before) - set(plans)
        for key, plan in plans.items():
            portfolio.remove(key)
            portfolio.put(plan)
            one = held.pop(key)
            held[plan.key] = one.with_(plan=plan)
        affected |= portfolio.touched_by(list(plans.values())) | {plan.key for plan in plans.values()}
        return self._next(held, portfolio, affected), affected

    def _with(self, **values: Any) -> Sites:
        own: dict[str, Any] = {
            "held": self.held,
            "portfolio": self.portfolio,
            "customers": self._customers,
            "patterns": self.patterns,
            "unheld": self.unheld,
        }
        return Sites(**(own | values))

    def within(self, keys: Collection[str] | None, **context: object) -> Sites:
        """Checked with other types, settings or secrets: some sites again, or all."""
        portfolio = self.portfolio.fork()
        for name, value in context.items():
            setattr(portfolio, name, value)
        return self._next(dict(self.held), portfolio, self.held if keys is None else keys)

    def caught_up(self) -> Sites:
        """Checked again where the ship date has gone by since."""
        today = self.portfolio.today()
        passed = [
            key
            for key, held in self.held.items()
            if held.plan.ship_date and self.checked_on <= held.plan.ship_date < today
        ]
        return self._next(dict(self.held), self.portfolio, passed)

    def _next(self, held: dict[str, Held], portfolio: Portfolio, affected: Collection[str]) -> Sites:
        keys = [key for key in affected if key in held]
        if keys:
            everyone = len(keys) == len(held)
            plans = [held[key].plan for key in keys]
            found = portfolio.check_all() if everyone else portfolio.check_many(plans)
            by_site: dict[str, list[Finding]] = {key: [] for key in keys}
            for finding in found:
                if self._concerns(finding):
                    by_site[f"{finding.customer}/{finding.site}".casefold()].append(finding)
            for key, findings in by_site.items():
                held[key] = held[key].with_(findings=findings)
        return self._with(held=held, portfolio=portfolio)

    def _concerns(self, finding: Finding) -> bool:
        """Whether a finding is one to tell: of a pattern only what its segments and hosts are like among themselves."""
        if not self.patterns:
            return True
        return finding.path.startswith(("/segments/", "/hosts/")) and Trait.REAL not in finding.traits


def judge(plan: SitePlan, findings: Sequence[Finding]) -> list[Judged]:
    """The findings of a plan, each with the acceptance that the plan holds of it."""
    by_finding = {(a.rule, a.subject, a.addresses): (name, a) for name, a in plan.accepted.items()}
    judged = []
    for finding in findings:
        accepted = None
        if finding.severity is Severity.WARN:
            accepted = by_finding.get((finding.rule, finding.path, finding.addresses))
        judged.append(Judged(finding, *(accepted or (None, None))))
    return judged


@dataclass(frozen=True, eq=False)
class Snapshot:
    """Everything that pages are made of, as it was saved at one moment."""

    sites: Sites
    patterns: Sites
    types: Types
    settings: Settled
    secrets: Secrets
    runs: Runs
    #: Kept by pages for what they work out of this very snapshot.
    worked_out: dict[str, _Once] = field(default_factory=dict, repr=False)

    def of(self, customer: str) -> Sites:
        """The sites of a customer's code: those of `PATTERNS` are the patterns."""
        return self.patterns if customer == PATTERNS else self.sites

    def with_(self, **values: Any) -> Snapshot:
        """With something else in it."""
        return replace(self, worked_out={}, **values)

    def with_types(self, types: Types, changed: str) -> Snapshot:
        """With other hardware types, of which one has changed: the sites that use it are checked again."""
        users = [
            key
            for key, held in self.sites.held.items()
            if any(device.type == changed for device in held.plan.devices.values())
        ]
        return self.with_(types=types, sites=self.sites.within(users, hardware=types.types))

    def with_settings(self, settings: Settled) -> Snapshot:
        """With other settings; everything is checked again."""
        sites, patterns = (s.within(None, organisation=settings.current) for s in (self.sites, self.patterns))
        return self.with_(settings=settings, sites=sites, patterns=patterns)

    def with_secrets(self, secrets: Secrets, touched: Collection[str]) -> Snapshot:
        """With other secrets; the sites whose secrets are touched by it are checked again."""
        return self.with_(secrets=secrets, sites=self.sites.within(touched, facts=secrets.facts))

    def with_runs(self, runs: Runs, shipped: str | None = None) -> Snapshot:
        """With other runs on the bench; a site that has been shipped is checked again."""
        sites = self.sites
        if shipped is not None:
            sites = sites.within([shipped], shipped=runs.shipped.__contains__)
        return self.with_(runs=runs, sites=sites)

    @property
    def stale(self) -> bool:
        """Whether a day has gone by since it was checked."""
        return self.sites.portfolio.today() != self.sites.checked_on

    def caught_up(self) -> Snapshot:
        """As it is today."""
        return self.with_(sites=self.sites.caught_up(), patterns=self.patterns.caught_up())


#: How many things are kept that were worked out of one snapshot.
KEPT = 200

Made = TypeVar("Made")


class _Once:
    """Something that one reader makes while all others who ask for it wait for that one."""

    def __init__(self) -> None:
        self._making = threading.Lock()
        self._made: list[Any] = []

    def get(self, make: Callable[[], Any]) -> Any:
        if not self._made:
            with self._making:
                if not self._made:
                    self._made.append(make())
        return self._made[0]


def once(now: Snapshot, name: str, make: Callable[[], Made]) -> Made:
    """What is worked out of a snapshot, made when it is asked for first and kept as long as the snapshot is.

    Who asks while it is being made waits for it; `make` must neither take the writers' turn nor ask for the same.
    """
    known = now.worked_out.get(name)
    if known is None:
        if len(now.worked_out) >= KEPT:
            return make()
        known = now.worked_out.setdefault(name, _Once())
    return cast(Made, known.get(make))
