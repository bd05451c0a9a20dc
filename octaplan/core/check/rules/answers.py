"""What was answered on the intake, held against what the plan says."""

from __future__ import annotations

import re
from collections.abc import Iterator

from octaplan.core.check.findings import Hit, Severity, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.boxes import named
from octaplan.core.plan.questions import BY_NAME, is_none
from octaplan.core.plan.site import Reach, SegmentRole, SitePlan
from octaplan.core.values.addresses import Address, AddressError, is_public, parse_address
from octaplan.core.values.words import listed

#: Answers that name something which stands at an address of the site.
AT_AN_ADDRESS = ("dns_server", "dhcp_server", "phone_system", "phone_provisioning")

#: Answers of what telephones need, which must be where they get.
_OF_PHONES = ("phone_system", "phone_provisioning")

#: Segments in which nothing stands that others rely on.
_STRANGERS = (SegmentRole.GUEST, SegmentRole.ISOLATED)

_ADDRESS = re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?![\w.]*\d)")


def answered_address(plan: SitePlan, name: str) -> Address | None:
    """The address that an answer names; nothing when it is open, none, or names no address."""
    answer = plan.answers.get(name)
    found = _ADDRESS.search(answer.text) if answer is not None else None
    if found is None:
        return None
    try:
        return parse_address(found[0])
    except AddressError:
        return None


def served_by_the_edge(plan: SitePlan) -> list[str]:
    """The segments whose clients get their leases from the edge."""
    return [
        key
        for key, segment in plan.segments.items()
        if segment.scope.span is not None and segment.scope.server == "edge"
    ]


def served_by_others(plan: SitePlan) -> dict[str, Address]:
    """The segments whose clients get their leases from a server, and from which."""
    return {
        key: segment.scope.server
        for key, segment in plan.segments.items()
        if segment.scope.span is not None and isinstance(segment.scope.server, Address)
    }


def with_licences(plan: SitePlan) -> list[str]:
    """The boxes for which licences are noted."""
    return [key for key, device in plan.devices.items() if device.licences]


def _hit(plan: SitePlan, name: str, message: str, address: object = "") -> Hit:
    return Hit(Subject(plan.customer, plan.site, plan.name or plan.site, f"/answers/{name}", str(address)), message)


def _beyond(plan: SitePlan) -> bool:
    """Whether telephones reach other sites; where none are planned, whether anything does."""
    voice = [one for one in plan.segments.values() if one.role is SegmentRole.VOICE] or [*plan.segments.values()]
    return any(one.reach is not Reach.LOCAL for one in voice)


@rule("answer-no-host", Severity.WARN, "site", "answers")
def answer_no_host(view: View) -> Iterator[Hit]:
    """Answered, and not planned there

    A server or a phone system was answered at an address of the site, and the plan has no host there, or the address
    is in a segment of guests. Or what telephones need was answered at a private address that is nowhere: in no segment
    of the site, and no segment of theirs reaches other sites. Plan it as a host where it stands, or take the answer
    back.
    """
    for plan in view.plans.values():
        if not plan.answers:
            continue
        for name in AT_AN_ADDRESS:
            address, short = answered_address(plan, name), BY_NAME[name].short
            if address is None:
                continue
            segment = next((s for s in plan.segments.values() if s.subnet and s.subnet.holds(address)), None)
            if segment is None:
                if name in _OF_PHONES and not is_public(address) and not _beyond(plan):
                    yield _hit(
                        plan,
                        name,
                        f"The {short} of {plan.name or plan.site} was answered at {address}, which is in no segment of "
                        "the site, and its telephones reach no other site: ask where it stands.",
                        address,
                    )
                continue
            if segment.role in _STRANGERS:
                yield _hit(
                    plan,
                    name,
                    f"The {short} of {plan.name or plan.site} was answered at {address}, which is in {segment.label}, "
                    "where guests are: ask where it stands.",
                    address,
                )
            elif not any(host.address == address for host in plan.hosts.values()):
                yield _hit(
                    plan,
                    name,
                    f"The {short} of {plan.name or plan.site} was answered at {address} in {segment.label}, and no "
                    "host is planned there: plan it, or its address may be given away.",
                    address,
                )


@rule("answer-not-served", Severity.WARN, "site", "answers")
def answer_not_served(view: View) -> Iterator[Hit]:
    """Who does DHCP is answered otherwise than planned

    An own server was said to give the leases, and the edge serves segments; or there is said to be none, and the plan
    has one. With two servers in a segment clients get what they should not.
    """
    for plan in view.plans.values():
        site, answer = plan.name or plan.site, plan.answers.get("dhcp_server")
        if answer is None:
            continue
        address, edge, others = answered_address(plan, "dhcp_server"), served_by_the_edge(plan), served_by_others(plan)
        if address is not None and edge and address not in others.values():
            labels = listed([plan.segments[key].label for key in edge])
            message = (
                f"At {site} an own DHCP server was answered, {address}, yet the edge serves {labels}: "
                "one of them must not."
            )
            yield _hit(plan, "dhcp_server", message, address)
        elif is_none(answer.text) and others:
            servers = listed(sorted({str(server) for server in others.values()}))
            labels = listed([plan.segments[key].label for key in others])
            message = f"At {site} no own DHCP server was answered, and {servers} is to serve {labels}: ask again."
            yield _hit(plan, "dhcp_server", message)


@rule("answer-licences", Severity.WARN, "site", "answers")
def answer_licences(view: View) -> Iterator[Hit]:
    """No licences answered, and licences planned

    The own office said that there are no licences, and boxes of the site have some noted.
    """
    for plan in view.plans.values():
        answer = plan.answers.get("licences")
        if answer is not None and is_none(answer.text) and with_licences(plan):
            boxes = listed([named(plan.devices[key]) for key in with_licences(plan)])
            site = plan.name or plan.site
            yield _hit(plan, "licences", f"For {site} no licences were answered, and {boxes} has some: take one back.")
