"""Patterns, how sites stand to theirs, and many sites made at once."""

from __future__ import annotations

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field, StringConstraints

from octaplan.core.check.findings import Severity
from octaplan.core.check.rules import RULES
from octaplan.core.plan.changes import Change
from octaplan.core.plan.site import PatternUse, SegmentRole, SitePlan
from octaplan.core.propose.patterns import AsItStands, as_they_stand, departures, take_newer
from octaplan.core.propose.rollout import GROWTH, MOST_SITES
from octaplan.core.propose.room import RoomError
from octaplan.core.values.kinds import NetworkField
from octaplan.server.dependencies import Recorded
from octaplan.server.pages.desk import Code, PatchOperation
from octaplan.server.pages.proposals import ProposalShown
from octaplan.server.permissions import Looking, Planning
from octaplan.server.problems import Problem
from octaplan.store.patterns import Patterns, SavedVersion, used_by
from octaplan.store.refusals import NoSuchSite
from octaplan.store.rollouts import LONGEST, RolledOut, Wanted

router = APIRouter(prefix="/api", tags=["patterns"])

Key = Annotated[str, Path(max_length=40)]
Numbered = Annotated[int, Field(ge=1, le=100_000)]

#: How many sites of a pattern are held against it on its page.
NAMED = 500

#: How many findings of a rollout are told one by one.
TOLD = 200


class LaidSegment(BaseModel):
    """One segment of a pattern, in short."""

    label: str
    role: SegmentRole
    vlan: int | None
    prefix: int | None


class PatternListed(BaseModel):
    """A pattern with its versions, and how many sites are made from it."""

    key: str
    name: str
    segments: list[LaidSegment]
    hosts: int
    version: Annotated[int, Field(description="The newest version; 0 while there is none")]
    edited: Annotated[bool, Field(description="Whether the draft says something else than the newest version")]
    sites: int
    behind: Annotated[int, Field(description="How many sites have an older version")]


class PatternMade(BaseModel):
    key: str


class NewPattern(BaseModel):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=80)]
    like: Annotated[str, StringConstraints(max_length=81)] | None = None


class NewVersion(BaseModel):
    revision: int
    note: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)] = ""
    meant: Annotated[bool, Field(description="That a value of one customer stands in it was looked at")] = False


class SiteOfPattern(BaseModel):
    customer: str
    site: str
    name: str
    version: int
    departures: int


class PatternShown(BaseModel):
    """A pattern as its page shows it, beside the desk of its draft."""

    key: str
    name: str
    versions: list[SavedVersion]
    edited: bool
    as_they_stand: Annotated[list[AsItStands], Field(description="What sites get as it is written")]
    sites: Annotated[list[SiteOfPattern], Field(description="Those with the oldest versions first; not more than 500")]
    sites_total: int


class DepartureShown(BaseModel):
    """One value in which a site departs from its pattern."""

    path: str
    text: str


class SitePattern(BaseModel):
    """How a site stands to its pattern; without one, which there are."""

    key: str
    name: str
    version: int
    newest: int
    departures: list[DepartureShown]


class Newer(BaseModel):
    version: Numbered


class RolloutWish(BaseModel):
    """Sites to make from a pattern: some that are there without segments, and those of a table."""

    pattern: Annotated[str, StringConstraints(max_length=40)]
    version: Numbered
    customer: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]
    blocks: Annotated[list[NetworkField], Field(min_length=1, max_length=64)]
    reserved: Annotated[list[NetworkField], Field(max_length=64)] = []
    growth: Annotated[int, Field(ge=0, le=GROWTH)] = 0
    sites: Annotated[list[Annotated[str, StringConstraints(max_length=40)]], Field(max_length=MOST_SITES)] = []
    table: Annotated[str, StringConstraints(max_length=LONGEST)] = ""


class Making(RolloutWish):
    runs: Annotated[dict[str, str], Field(max_length=MOST_SITES, description="What was shown, by site code")]


class GivenSubnet(BaseModel):
    label: str
    role: SegmentRole
    subnet: str


class SiteMade(BaseModel):
    site: str
    name: str
    new: bool
    run: str
    segments: list[GivenSubnet]
    stops: int
    warns: int


class FoundThere(BaseModel):
    site: str
    rule: str
    title: str
    severity: Severity
    message: str


class RefusedThere(BaseModel):
    row: int
    column: str
    value: str
    problem: str


class RolloutShown(BaseModel):
    """What a rollout makes: every site with its run of the block, and all that would be found."""

    prefix: int
    sites: list[SiteMade]
    findings: list[FoundThere]
    findings_total: int
    stops: int
    refused: list[RefusedThere]


class RolledOutShown(BaseModel):
    batch: str
    sites: int


def _edited(patterns: Patterns, plan: SitePlan, newest: int) -> bool:
    return newest == 0 or patterns.version(plan.site, newest) != plan


@router.get("/patterns")
def all_patterns(records: Recorded, person: Looking) -> list[PatternListed]:
    """All patterns, by name."""
    patterns, used = records.patterns, used_by(records.now.sites)
    shown = []
    for plan in patterns.all():
        newest = patterns.newest(plan.site)
        counts = {version: number for (key, version), number in used.items() if key == plan.site}
        shown.append(
            PatternListed(
                key=plan.site,
                name=plan.name or plan.site,
                segments=[
                    LaidSegment(label=s.label, role=s.role, vlan=s.vlan, prefix=s.subnet.prefix if s.subnet else None)
                    for s in plan.segments.values()
                ],
                hosts=len(plan.hosts),
                version=newest,
                edited=_edited(patterns, plan, newest),
                sites=sum(counts.values()),
                behind=sum(number for version, number in counts.items() if version < newest),
            )
        )
    return shown


@router.post("/patterns")
def new_pattern(new: NewPattern, records: Recorded, person: Planning) -> PatternMade:
    """A new pattern, empty or laid out like a site."""
    like = records.now.sites.plan(new.like) if new.like else None
    return PatternMade(key=records.patterns.make(new.name, person.author, like).site)


@router.get("/patterns/{key}")
def pattern(key: Key, records: Recorded, person: Looking) -> PatternShown:
    """A pattern with its versions and the sites that are made from it."""
    patterns, plan = records.patterns, records.patterns.draft(key)
    versions = patterns.versions(key)
    now = records.now
    organisation = now.settings.current
    made = [
        (site, site.pattern.version)
        for site in now.sites.all().values()
        if site.pattern is not None and site.pattern.key == plan.site
    ]
    made.sort(key=lambda pair: pair[1])
    sites = [
        SiteOfPattern(
            customer=site.customer,
            site=site.site,
            name=site.name or site.site,
            version=version,
            departures=len(departures(patterns.version(plan.site, version), site, organisation)),
        )
        for site, version in made[:NAMED]
    ]
    return PatternShown(
        key=plan.site,
        name=plan.name or plan.site,
        versions=versions,
        edited=_edited(patterns, plan, versions[0].number if versions else 0),
        as_they_stand=as_they_stand(plan, organisation),
        sites=sites,
        sites_total=len(made),
    )


@router.delete("/patterns/{key}", status_code=HTTPStatus.NO_CONTENT)
def remove_pattern(key: Key, records: Recorded, person: Planning) -> None:
    """Take a pattern away that no site uses."""
    records.patterns.remove(records.patterns.draft(key).site, person.author)


@router.post("/patterns/{key}/versions")
def new_version(key: Key, new: NewVersion, records: Recorded, person: Planning) -> SavedVersion:
    """Make the draft the next version of the pattern."""
    patterns = records.patterns
    try:
        patterns.publish(key, new.revision, new.note, person.author, new.meant)
    except RoomError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    return patterns.versions(key)[0]


@router.get("/sites/{customer}/{site}/pattern")
def site_pattern(customer: Code, site: Code, records: Recorded, person: Looking) -> SitePattern | None:
    """How a site stands to its pattern; nothing when it was not made from one."""
    now = records.now
    plan = now.sites.plan(f"{customer}/{site}")
    if plan.pattern is None:
        return None
    draft = records.patterns.draft(plan.pattern.key)
    version = records.patterns.version(draft.site, plan.pattern.version)
    found = departures(version, plan, now.settings.current)
    return SitePattern(
        key=draft.site,
        name=draft.name or draft.site,
        version=plan.pattern.version,
        newest=records.patterns.newest(draft.site),
        departures=[DepartureShown(path=change.path, text=_told(change)) for change in found],
    )


def _told(change: Change) -> str:
    """A departure in words: what the pattern has, and what the site has."""
    if not change.field:
        return f"{change.subject} is only here" if change.after else f"{change.subject} is missing"
    what = f"{change.subject} {change.field}".strip()
    return f"{what}: {change.after or 'empty'}, in the pattern {change.before or 'empty'}"


@router.post("/sites/{customer}/{site}/pattern/newer")
def newer_version(customer: Code, site: Code, newer: Newer, records: Recorded, person: Looking) -> ProposalShown:
    """What another version of its pattern would change at a site; nothing is saved."""
    sites = records.now.sites
    plan = sites.plan(f"{customer}/{site}")
    if plan.pattern is None:
        raise NoSuchSite(f"{plan.customer}/{plan.site} is not made from a pattern")
    key = plan.pattern.key
    old, new = (records.patterns.version(key, n) for n in (plan.pattern.version, newer.version))
    try:
        proposal = take_newer(sites.portfolio, plan, old, new, PatternUse(key=key, version=newer.version))
    except RoomError as error:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, str(error)) from None
    operations = [PatchOperation.model_validate(operation) for operation in proposal.operations]
    return ProposalShown(sentence=proposal.sentence, operations=operations, lost=proposal.lost)


def _wanted(wish: RolloutWish) -> Wanted:
    return Wanted(
        wish.pattern, wish.version, wish.customer, wish.blocks, wish.reserved, wish.growth, wish.sites, wish.table
    )


@router.post("/rollout/preview")
def preview_rollout(wish: RolloutWish, records: Recorded, person: Looking) -> RolloutShown:
    """What many sites at once would be; nothing is saved."""
    return _rollout(records.rollouts.preview(_wanted(wish)))


@router.post("/rollout")
def roll_out(making: Making, records: Recorded, person: Planning) -> RolledOutShown:
    """Make many sites at once, as they were shown, in one transaction with one undo."""
    batch, sites = records.rollouts.apply(_wanted(making), making.runs, person.author)
    return RolledOutShown(batch=batch, sites=sites)


def _rollout(rolled: RolledOut) -> RolloutShown:
    counted: dict[str, dict[Severity, int]] = {}
    for finding in rolled.findings:
        by = counted.setdefault(finding.site.casefold(), dict.fromkeys(Severity, 0))
        by[finding.severity] += 1
    nothing = dict.fromkeys(Severity, 0)
    grave = sorted(rolled.findings, key=lambda f: f.severity.rank)
    return RolloutShown(
        prefix=rolled.prefix,
        sites=[
            SiteMade(
                site=plan.site,
                name=plan.name or plan.site,
                new=plan.key in rolled.new,
                run=str(run),
                segments=[
                    GivenSubnet(label=s.label, role=s.role, subnet=str(s.subnet)) for s in plan.segments.values()
                ],
                stops=counted.get(plan.site.casefold(), nothing)[Severity.STOP],
                warns=counted.get(plan.site.casefold(), nothing)[Severity.WARN],
            )
            for plan, run in rolled.made
        ],
        findings=[
            FoundThere(site=f.site, rule=f.rule, title=RULES[f.rule].title, severity=f.severity, message=f.message)
            for f in grave[:TOLD]
        ],
        findings_total=len(grave),
        stops=sum(f.severity is Severity.STOP for f in grave),
        refused=[
            RefusedThere(row=row.row, column=fault.column, value=fault.value, problem=fault.problem)
            for row in rolled.refused
            for fault in row.faults
        ],
    )
