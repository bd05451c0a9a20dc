"""Names and numbers that must be unique, resolvers, and what is still open about a site."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from octaplan.core.check.claims import known, same, where
from octaplan.core.check.findings import OTHERS_LISTED, Hit, Severity, Trait, rule
from octaplan.core.check.overlap import Points, first_few, repeated_numbers
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.boxes import named
from octaplan.core.plan.domains import DomainSort, domain_sort, wanted_domain
from octaplan.core.plan.elsewhere import at
from octaplan.core.plan.questions import State, owed, standing
from octaplan.core.plan.replacement import survivor_now
from octaplan.core.plan.site import Handoff, SitePlan
from octaplan.core.values.addresses import Address, Mac
from octaplan.core.values.oneline import odd_character
from octaplan.core.values.words import and_more, listed


@rule("wan-dns-missing", Severity.STOP, "circuit", "resolvers", Trait.OWED)
def wan_dns_missing(view: View) -> Iterator[Hit]:
    """Resolvers not known

    A static hand-off brings no resolvers with it: they are typed in by hand, and without them no name is
    found.
    """
    c = view.circuits
    for row in where(c["static"] & (c["resolvers"] == 0) & ~c["second"]):
        subject = view.subject(view.circuits, row)
        yield Hit(
            subject,
            f"{subject.name} has a fixed address and no resolvers: no name will be found. Ask the provider for two.",
        )


@rule("vlan-duplicate", Severity.STOP, "segment", "vlan")
def vlan_duplicate(view: View) -> Iterator[Hit]:
    """VLAN used twice

    Another segment of the site has the same VLAN id: the two become one network. Give one another id.
    """
    s = view.segments
    number = np.where(s["vlan"] > 0, s["site"].astype("u8") << np.uint64(12) | s["vlan"].astype("u8"), 0)
    for rows in repeated_numbers(number):
        vlan = int(s["vlan"][rows[0]])
        for row in rows:
            others = view.others(s, [other for other in rows if other != row][:OTHERS_LISTED])
            subject = view.subject(s, row)
            yield Hit(
                subject,
                f"{subject.name} has VLAN {vlan}, and so has {and_more([o.subject for o in others], len(rows) - 1)}: "
                "the two become one network. Give one another VLAN.",
                others,
                len(rows) - 1,
            )


@rule("mac-duplicate", Severity.STOP, "host", "mac")
def mac_duplicate(view: View) -> Iterator[Hit]:
    """MAC used twice

    Another host of the portfolio has the same MAC. Hardware addresses are unique: one of the two was copied
    or misread.
    """
    h = view.hosts
    met = None if view.whole else view.elsewhere("macs")
    far = {} if met is None else {int(met.asking.rows[query]): query for query in where(met.total)}
    near = {row: group for group in repeated_numbers(h["mac"]) for row in group}
    if met is not None:  # what is at other sites is met there, be they looked at here or not
        near = {row: [other for other in group if h["site"][other] == h["site"][row]] for row, group in near.items()}
        near = {row: group for row, group in near.items() if len(group) > 1}
    for row in sorted({*near, *far}):
        here = [other for other in near.get(row, ()) if other != row]
        others = view.others(h, here[:OTHERS_LISTED])
        total = len(here)
        if met is not None and row in far:
            total += int(met.total[far[row]])
            members = first_few(met.members(far[row]), OTHERS_LISTED - len(others))
            others = tuple(sorted(others + view.strangers("hosts", members)))
        subject = view.subject(h, row)
        yield Hit(
            subject,
            f"{subject.name} has the MAC {view.host(row).mac}, and so has "
            f"{and_more([at(other) for other in others], total)}: one of them was copied or misread. "
            "Read it from the label again.",
            others,
            total,
        )


@rule("box-duplicate", Severity.STOP, "device", "serial")
def box_duplicate(view: View) -> Iterator[Hit]:
    """One box planned twice

    The serial number or a MAC of the box is also that of another box, here or at any other site: one of the two was
    copied, or scanned from the wrong carton.
    """
    rows = view.identities
    met = view.elsewhere("identities")
    groups = {row: group for group in repeated_numbers(rows["mark"]) for row in group}
    for row in range(len(rows)):
        here = [
            other
            for other in groups.get(row, ())
            if other != row
            and rows["site"][other] == rows["site"][row]
            and rows["mac"][other] == rows["mac"][row]
            and rows["item"][other] != rows["item"][row]
        ]
        total = len(here) + int(met.total[row])
        if total == 0:
            continue
        others = view.others(rows, here[:OTHERS_LISTED])
        others += view.strangers("devices", first_few(met.members(row), OTHERS_LISTED - len(others)))
        box = view.box(row)
        mac = bool(rows["mac"][row])
        what = f"MAC {Mac(int(rows['mark'][row]) - 1)}" if mac else f"serial number {box.device.serial}"
        yield Hit(
            box.subject(what.rpartition(" ")[2], "/macs" if mac else "/serial"),
            f"{named(box.device)} has the {what}, and so has {and_more([at(other) for other in others], total)}: one "
            "of them was copied, or read from the wrong carton. Read it from the box again.",
            tuple(sorted(others)),
            total,
        )


@rule("host-name-twice", Severity.STOP, "host", "name")
def host_name_twice(view: View) -> Iterator[Hit]:
    """Two hosts of one name

    Two hosts of a segment have the same name: nobody can tell which of them is meant.
    """
    h = view.hosts
    numbered = h["name"] ^ (h["segment"].astype("u8") * np.uint64(0x9E3779B97F4A7C15))
    for rows in repeated_numbers(np.where(h["name"] > 0, numbered, 0).astype("u8")):
        names = {row: (int(h["segment"][row]), view.host(row).name.casefold()) for row in rows}
        for row in rows:
            others = [other for other in rows if other != row and names[other] == names[row]]
            if others:
                subject = view.subject(h, row)
                yield Hit(
                    subject,
                    f"{len(others) + 1} hosts of {view.segment(names[row][0]).label} are called {subject.name}: give "
                    "each a name of its own.",
                    view.others(h, others[:OTHERS_LISTED]),
                    len(others),
                )


@rule("mac-group", Severity.WARN, "host", "mac")
def mac_group(view: View) -> Iterator[Hit]:
    """MAC of no single device

    The lowest bit of the first octet marks group addresses: no device has such a MAC of its own. It was misread.
    """
    mac = view.hosts["mac"]
    group = (mac > 0) & ((mac - np.uint64(1)) >> np.uint64(40) & np.uint64(1)).astype(bool)
    for row in where(group):
        subject = view.subject(view.hosts, row)
        yield Hit(
            subject,
            f"{subject.name} has the MAC {view.host(row).mac}, which is a group address and belongs to no device: "
            "read it from the label again.",
        )


def _lists(plan: SitePlan) -> Iterator[tuple[str, list[Address]]]:
    """Every list of resolvers of a site that is used, by what it belongs to, `gateway` written out."""
    for circuit in plan.circuits.values():
        if circuit.resolvers and circuit.handoff is Handoff.STATIC:
            yield circuit.label, circuit.resolvers
    for segment in plan.segments.values():
        if segment.resolvers and segment.scope.server != "none":
            found = [segment.gateway if item == "gateway" else item for item in segment.resolvers]
            yield segment.label, [address for address in found if isinstance(address, Address)]


@rule("dns-single", Severity.NOTE, "site", "resolvers")
def dns_single(view: View) -> Iterator[Hit]:
    """One resolver only

    When the only resolver is down no name is found, and everything seems to be. The gateway alone is enough for a
    segment: when it is down nothing gets out anyway.
    """
    for site in _with_lists(view, single=True):
        plan = view.plans[site]
        gateways = {segment.gateway for segment in plan.segments.values()}
        lists = [(name, found[0]) for name, found in _lists(plan) if len(set(found)) == 1 and found[0] not in gateways]
        if lists:
            yield _at_site(
                plan,
                f"{listed([f'{name} ({address})' for name, address in lists])} of {plan.name or plan.site} "
                f"{'has' if len(lists) == 1 else 'have'} one resolver only: add a second.",
                lists[0][1],
            )


@rule("dns-twice", Severity.NOTE, "site", "resolvers")
def dns_twice(view: View) -> Iterator[Hit]:
    """The same resolver twice

    A resolver that is listed twice, or once as `gateway` and once by its address, is no second one.
    """
    for site in _with_lists(view, single=False):
        plan = view.plans[site]
        lists = [(name, found) for name, found in _lists(plan) if len(set(found)) < len(found)]
        if lists:
            found = lists[0][1]
            twice = next(address for address in found if found.count(address) > 1)
            yield _at_site(
                plan,
                f"{listed([name for name, _ in lists])} of {plan.name or plan.site} "
                f"{'lists' if len(lists) == 1 else 'list'} the resolver {twice} twice: replace one of the two.",
                twice,
            )


def _with_lists(view: View, *, single: bool) -> list[int]:
    """Sites with a list of one resolver, or with one resolver twice in a list."""
    r = view.resolvers
    if not len(r):
        return []
    owner = np.where(r["segment"] >= 0, r["segment"].astype(np.int64) << 1, r["circuit"].astype(np.int64) << 1 | 1)
    rows = np.array([group[0] for group in Points(owner, r["address"]).repeated()], np.int64)
    if single:
        changes = np.flatnonzero(np.diff(owner, prepend=-1, append=-1))
        alone = changes[:-1][np.diff(changes) == 1]
        inside = alone[r["segment"][alone] >= 0]
        gateway = same(r["address"][inside], view.segments["gateway"][r["segment"][inside]])
        rows = np.concatenate([alone[r["segment"][alone] < 0], inside[~gateway], rows])
    return sorted(set(r["site"][rows].tolist()))


def _at_site(plan: SitePlan, message: str, addresses: object = "", path: str = "") -> Hit:
    return Hit(Subject(plan.customer, plan.site, plan.name or plan.site, path, str(addresses)), message)


@rule("domain-public", Severity.NOTE, "site", "domain", Trait.REAL)
def domain_public(view: View) -> Iterator[Hit]:
    """Inside domain that is somebody's public name

    The domain of a segment is a public name that is not marked as owned in the organisation's settings, so that
    names of the site may lead to a stranger; or it ends in `.local`, which belongs to multicast DNS (RFC 6762).
    """
    told: set[int] = set()
    for row in where(view.segments["public_domain"]):
        plan, site = view.plan(view.segments, row), int(view.segments["site"][row])
        name = view.segment(row).domain or ""
        if site in told or wanted_domain(view.organisation, name) is None:
            continue
        told.add(site)
        why = "is a public name that is not marked as owned: names may lead to a stranger"
        if domain_sort(name) is DomainSort.MULTICAST:
            why = "ends in .local, which belongs to multicast DNS: some devices will not ask the resolver for it"
        yield _at_site(
            plan,
            f"The domain {name} of {plan.name or plan.site} {why}. Use one such as site.internal, or mark it as owned "
            "in Settings.",
            name,
        )


@rule("time-zone-missing", Severity.WARN, "site", "time_zone")
def time_zone_missing(view: View) -> Iterator[Hit]:
    """No time zone

    Logs, schedules and certificates of the boxes go by the time at the site, not by that of the bench.
    """
    for row in where(~view.sites["zone"]):
        subject = view.site(row)
        yield Hit(subject, f"{subject.name} has no time zone: give it the one of its place, such as Europe/Paris.")


@rule("intake-open", Severity.WARN, "site", "answers")
def intake_open(view: View) -> Iterator[Hit]:
    """The provider has not answered everything

    Values that only the provider knows are still open. Ask for all of them at once.
    """
    c = view.circuits
    missing = ~c["answered"] | (
        c["static"] & (~known(c["address"]) | ~known(c["gateway"]) | ~known(c["first"]) | (c["resolvers"] == 0))
    )
    suspects = np.unique(c["site"][missing | (c["answered"] & ~c["static"])])
    for site in suspects.tolist():
        plan = view.plans[site]
        asks = {circuit.label: owed(plan, key) for key, circuit in plan.circuits.items()}
        lines = [f"{label}: {listed(open_, 6)}" for label, open_ in asks.items() if open_]
        if lines:
            yield _at_site(
                plan,
                f"The provider still has to answer for {plan.name or plan.site}: {'; '.join(lines)}.",
            )


@rule("answer-departed", Severity.WARN, "site", "answers")
def answer_departed(view: View) -> Iterator[Hit]:
    """The plan departs from a confirmed answer

    Somebody confirmed a value, and the plan has come to say another. Ask again, or put the confirmed value back.
    """
    for plan in view.plans.values():
        if not plan.answers:
            continue
        for one in standing(plan):
            if one.state is State.DEPARTED and one.answer is not None:
                line = f" of {plan.circuits[one.circuit].label} at" if one.circuit else " of"
                told = one.answer.source or one.answer.by
                about = f"{one.question.short}{line} {plan.name or plan.site}"
                yield _at_site(
                    plan,
                    f"{told} confirmed the {about} as {one.answer.text}, but the plan says "
                    f"{one.value or 'nothing'}: put it back, or ask again.",
                    one.value,
                    f"/answers/{one.key}",
                )


@rule("survivor-lost", Severity.STOP, "site", "survivors")
def survivor_lost(view: View) -> Iterator[Hit]:
    """A value that must survive the replacement is lost

    The box that is replaced has a value which others rely on, such as a gateway or a server's address, and the plan
    says something else. Put it back, or take the mark away when nobody relies on it any more.
    """
    for plan in view.plans.values():
        for key, survivor in plan.survivors.items():
            now = survivor_now(plan, survivor)
            if now is None:
                continue
            name = plan.name or plan.site
            has = f"the plan says {now}" if now else "nothing in the plan has it"
            yield _at_site(
                plan,
                f"{survivor.what} {survivor.value} of the old box must survive at {name}, but {has}: put it back, or "
                "take the mark away on Intake.",
                survivor.value,
                f"/survivors/{key}",
            )


@rule("text-not-one-line", Severity.STOP, "site", "text")
def text_not_one_line(view: View) -> Iterator[Hit]:
    """A text that would end a line

    A name, contact or place of an older plan, or of one from a file, holds a line end or another character that no line
    has: a box would take what follows it for a setting of its own. Nothing that is typed is saved so; write it in one
    line.
    """
    for plan in view.plans.values():
        for path, what, text in _told(plan):
            odd = odd_character(text) if text else ""
            if odd:
                yield _at_site(
                    plan,
                    f"{what} at {plan.name or plan.site} holds {odd}: a box would take what follows for a setting of "
                    "its own. Write it in one line.",
                    path,
                    path,
                )


def _told(plan: SitePlan) -> Iterator[tuple[str, str, str | None]]:
    """Texts of a plan that boxes are told in one line: the place of each, what it is, and the text."""
    yield from (("/name", "The name", plan.name), ("/street", "The street", plan.street))
    yield "/contact", "The contact", plan.contact
    for key, circuit in plan.circuits.items():
        yield f"/circuits/{key}/pppoe_user", f"The PPPoE user of {circuit.label}", circuit.pppoe_user
    for key, segment in plan.segments.items():
        yield f"/segments/{key}/label", "The label of a segment", segment.label
    for key, host in plan.hosts.items():
        yield f"/hosts/{key}/name", "The name of a host", host.name
    for key, device in plan.devices.items():
        yield f"/devices/{key}/contact", f"The contact of {named(device)}", device.contact
        yield f"/devices/{key}/location", f"The place of {named(device)}", device.location
    for key, network in plan.wireless.items():
        yield f"/wireless/{key}/name", "The name of a Wi-Fi network", network.name


@rule("ship-date-past", Severity.WARN, "site", "ship_date")
def ship_date_past(view: View) -> Iterator[Hit]:
    """Ship date gone by

    The day on which the site was to ship has passed, and it has not been shipped.
    """
    shipped = view.holdings.shipped
    today = view.holdings.today()
    ships = view.sites["ships"]
    for row in where((ships > 0) & (ships < today.toordinal())):
        subject = view.site(row)
        plan = view.plan(view.sites, row)
        if shipped is None or not shipped(plan.key):
            yield Hit(
                subject._replace(addresses=str(plan.ship_date)),
                f"{subject.name} was to ship on {plan.ship_date} and has not been shipped: ship it, or set another "
                "day.",
            )
