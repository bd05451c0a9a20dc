"""The sites of the demo that show traffic: a link to an inner router, two lines, publications, a management table of
its own, a switch that serves; each with a mistake that addresses alone do not show."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.publishing import publish
from octaplan.core.values.addresses import parse_address, parse_network
from octaplan.store.records import Records

BY = "Sabine Oake"

Equip = Callable[[Records, str, DeviceRole, str], None]

BACKUP = {
    "label": "Backup",
    "handoff": "static",
    "address": "203.0.113.250",
    "prefix": 29,
    "gateway": "203.0.113.249",
    "resolvers": ["192.0.2.53", "192.0.2.54"],
    "provider": "Gannet Broadband",
    "reference": "GB-21390",
    "priority": 2,
}


def load(records: Records, equip: Equip) -> None:
    """Equip these sites, each with its mistake."""
    _behind_a_router(records, equip)
    _two_lines(records, equip)
    _published(records, equip)
    _own_management(records, equip)
    _serving_switch(records, equip)


def _revise(records: Records, site: str, operations: list[Operation]) -> None:
    records.plans.revise(site, operations, records.now.sites.saved(site).number, BY)


def _plan(records: Records, site: str) -> SitePlan:
    return records.now.sites.plan(site)


def _segment(plan: SitePlan, label: str) -> str:
    return next(key for key, segment in plan.segments.items() if segment.label == label)


def _host(plan: SitePlan, name: str) -> str:
    return next(key for key, host in plan.hosts.items() if host.name == name)


def _box(plan: SitePlan, role: DeviceRole) -> str:
    return next(key for key, device in plan.devices.items() if device.role is role)


def _behind_a_router(records: Records, equip: Equip) -> None:
    """A firewall and an inner router over a link: no way back to Voice, and Office is translated by both."""
    site = "fern/orch"
    for role, kind in (("switch", "oxbow-s10"), ("edge", "skerry-f7"), ("inner-router", "brackwater-e5")):
        equip(records, site, DeviceRole(role), kind)
    plan = _plan(records, site)
    edge = _box(plan, DeviceRole.EDGE)
    inner = _box(plan, DeviceRole.ROUTER)
    voice, office = _segment(plan, "Voice"), _segment(plan, "Office")
    subnet = plan.segments[voice].subnet
    gone = [key for key, route in plan.devices[edge].routes.items() if route.to == subnet]
    twice = {"segment": office, "circuit": next(iter(plan.circuits))}
    _revise(
        records,
        site,
        [
            *({"op": "remove", "path": f"/devices/{edge}/routes/{key}"} for key in gone),
            set_to(f"/devices/{inner}/translations/again", twice),
        ],
    )


def _two_lines(records: Records, equip: Equip) -> None:
    """Two circuits: Voice is not translated to the backup."""
    site = "loom/regent"
    _revise(records, site, [set_to("/circuits/backup0", BACKUP)])
    equip(records, site, DeviceRole.SWITCH, "oxbow-s10")
    equip(records, site, DeviceRole.EDGE, "skerry-f7")
    plan = _plan(records, site)
    edge, voice = _box(plan, DeviceRole.EDGE), _segment(plan, "Voice")
    gone = [
        key for key, one in plan.devices[edge].translations.items() if (one.segment, one.circuit) == (voice, "backup0")
    ]
    _revise(records, site, [{"op": "remove", "path": f"/devices/{edge}/translations/{key}"} for key in gone])


def _published(records: Records, equip: Equip) -> None:
    """A camera recorder and a mail server one to one; guests reach the office."""
    site = "fern/rose"
    plan = _plan(records, site)
    office = _segment(plan, "Office")
    mail: dict[str, Any] = {
        "segment": office, "name": "mail server", "kind": "server", "address": "10.40.24.220", "mac": None,
    }  # fmt: skip
    _revise(records, site, [set_to("/hosts/mail0", mail)])
    equip(records, site, DeviceRole.SWITCH, "oxbow-s10")
    equip(records, site, DeviceRole.EDGE, "skerry-f7")
    organisation, main = records.now.sites.portfolio.organisation, next(iter(plan.circuits))
    plan = _plan(records, site)
    sources = [parse_network("198.51.100.0/28")[0]]
    recorder = _host(plan, "recorder")
    _revise(records, site, publish(plan, organisation, main, recorder, "tcp/8443", sources=sources))
    further = parse_address("203.0.113.132")
    plan = _plan(records, site)
    _revise(records, site, publish(plan, organisation, main, "mail0", "any", address=further))
    plan = _plan(records, site)
    edge, guest = _box(plan, DeviceRole.EDGE), _segment(plan, "Guest")
    let_in = {"source": guest, "target": office, "service": "any"}
    _revise(
        records,
        site,
        [
            set_to(f"/circuits/{main}/uses/{further}", "mail server"),
            set_to(f"/devices/{edge}/allows/fortest", let_in),
        ],
    )


def _own_management(records: Records, equip: Equip) -> None:
    """Management in a routing table of its own; telephones are kept from the internet."""
    site = "loom/gaiety"
    plan = _plan(records, site)
    _revise(records, site, [set_to(f"/segments/{_segment(plan, 'Management')}/vrf", "mgmt")])
    equip(records, site, DeviceRole.SWITCH, "oxbow-s10")
    equip(records, site, DeviceRole.EDGE, "skerry-f7")
    plan = _plan(records, site)
    edge, voice = _box(plan, DeviceRole.EDGE), _segment(plan, "Voice")
    gone = [key for key, one in plan.devices[edge].allows.items() if one.source == voice]
    _revise(records, site, [{"op": "remove", "path": f"/devices/{edge}/allows/{key}"} for key in gone])


def _serving_switch(records: Records, equip: Equip) -> None:
    """The switch serves the telephones; its uplink forgets the cameras."""
    site = "paws/larch"
    equip(records, site, DeviceRole.SWITCH, "oxbow-s10")
    equip(records, site, DeviceRole.EDGE, "brackwater-e5")
    plan = _plan(records, site)
    switch, voice, cameras = _box(plan, DeviceRole.SWITCH), _segment(plan, "Voice"), _segment(plan, "Cameras")
    port, use = next((name, one) for name, one in plan.devices[switch].ports.items() if one.peer)
    subnet = plan.segments[voice].subnet
    address = str(subnet.first.plus(2)) if subnet is not None else None
    _revise(
        records,
        site,
        [
            set_to(f"/devices/{switch}/addresses/{voice}", address),
            set_to(f"/segments/{voice}/scope/server", address),
            set_to(f"/devices/{switch}/ports/{port}/tagged", [key for key in use.tagged if key != cameras]),
        ],
    )
