"""A box that takes the place of another: everything planned of the old one, and nothing that was only true of it."""

from __future__ import annotations

from octaplan.core.plan.boxes import named
from octaplan.core.plan.device import Device, PortMode, PortUse
from octaplan.core.plan.hardware import FactoryRole, HardwareType
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Handoff, SitePlan, new_id
from octaplan.core.propose.wiring import BoxProposal
from octaplan.core.values.words import count, listed


def replace(plan: SitePlan, key: str, kind: HardwareType, salt: object = "") -> BoxProposal:
    """A new box in the place of a device: it takes over name, addresses, wiring and rules.

    Serial, MACs, asset tag, firmware and licences were those of the old box, and stay with what is recorded of it.
    `salt` (the revision, say) gives each replacement an id of its own.
    """
    old = plan.devices[key]
    fresh = new_id(f"replaces {key} {len(plan.devices)} {salt}", plan.devices)
    moves, homeless = _moved(old, kind)
    ports = {name: PortUse() for name in kind.network_ports()}
    ports |= {moves[name]: use for name, use in old.ports.items() if name in moves}
    box = old.model_copy(
        update={
            "type": kind.key,
            "ports": {name: ports[name] for name in [*kind.network_ports(), *ports] if name in ports},
            "serial": None,
            "macs": [],
            "asset_tag": None,
            "firmware": None,
            "licences": {},
        }
    )
    operations: list[Operation] = [set_to(f"/devices/{fresh}", box.model_dump(mode="json"))]
    for other, device in plan.devices.items():
        for name, use in device.ports.items():
            if other != key and use.peer == key:
                led = use.peer_port is not None and use.peer_port in moves
                end = {"peer": fresh if led else None, "peer_port": moves[use.peer_port or ""] if led else None}
                value = use.model_copy(update=end).model_dump(mode="json")
                operations.append(set_to(f"/devices/{other}/ports/{name}", value))
    if old.host in plan.hosts and plan.hosts[old.host or ""].mac is not None:
        operations.append(set_to(f"/hosts/{old.host}/mac", None))
    operations.append({"op": "remove", "path": f"/devices/{key}"})
    return BoxProposal(fresh, operations, _told(plan, old, kind, moves, homeless))


def _moved(old: Device, kind: HardwareType) -> tuple[dict[str, str], list[str]]:
    """The new port of each old one that is used: the same name, else a free one of the same sort; and what has none."""
    used = [name for name, use in old.ports.items() if use.mode is not PortMode.UNUSED]
    moves = {name: name for name in used if name in kind.ports and kind.ports[name].carries}
    outward = kind.network_ports(FactoryRole.INTERNET)
    for name in used:
        if name in moves:
            continue
        free = [one for one in kind.network_ports() if one not in moves.values()]
        free.sort(key=lambda one: (one in outward) is not (old.ports[name].mode is PortMode.CIRCUIT))
        if free:
            moves[name] = free[0]
    return moves, [name for name in used if name not in moves]


def _told(plan: SitePlan, old: Device, kind: HardwareType, moves: dict[str, str], homeless: list[str]) -> list[str]:
    """What whoever replaces a box has to know."""
    told = [f"{named(old)} is a {kind.title} now: name, addresses, wiring and rules are as they were."]
    moved = [f"{name} to {port}" for name, port in moves.items() if name != port]
    if moved:
        told.append(f"Cables moved: port {listed(moved)}.")
    if homeless:
        told.append(f"Port {listed(homeless)}: the {kind.title} has none left for it.")
    if kind.slots:
        told.append(f"It needs {count(len(kind.slots), 'secret')} of its own: make them on Credentials.")
    serial = f" (serial {old.serial})" if old.serial else ""
    told.append(f"Runs, secrets and backups of the old box{serial} stay to be read under All runs of the bench.")
    for circuit in (plan.circuits.get(use.circuit or "") for use in old.ports.values()):
        if circuit is not None:
            how = "leases by MAC" if circuit.handoff is Handoff.DHCP else "may have kept the MAC of the old box"
            who = circuit.provider or "the provider"
            told.append(f"{circuit.label}: {who} {how}. Tell the new one, or wait until the old one is forgotten.")
    return told
