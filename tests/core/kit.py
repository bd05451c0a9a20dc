"""Hardware types and equipped plans for tests."""

from __future__ import annotations

from typing import Any

import jsonpatch

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.wiring import equip
from octaplan.formats.planjson import plan_of
from tests.support import circuit, segment, site


def hardware(key: str = "test-five", **more: Any) -> HardwareType:
    """A five-port router that leases addresses, opens over HTTPS and takes changes at once, unless said otherwise."""
    ports = {
        "WAN": {"factory_role": "internet", "laptop": False, "why_not": "it asks the provider for an address"},
        **{str(n): {"bridge": "lan"} for n in range(1, 5)},
    }
    usual: dict[str, Any] = {
        "key": key,
        "maker": "Testmaker",
        "model": "Five",
        "kind": "router",
        "ports": ports,
        "factory": {
            "address": "192.168.77.1",
            "prefix": 24,
            "leases": "192.168.77.100-192.168.77.199",
            "web": "https",
            "user": "admin",
            "password": "known",
            "known_password": "marigold",
        },
        "slots": {"administrator": {"label": "administrator password", "symbol": True}},
    }
    document = usual | more
    document["panel"] = [{"name": name, **port} for name, port in document.pop("ports").items()]
    return HardwareType.model_validate(document)


def office_site(key: str = "FERN/DOCK", **more: Any) -> SitePlan:
    """A site with nothing wrong about it, and no box yet."""
    scope = {"first": "10.40.8.20", "last": "10.40.8.199"}
    segments = [
        segment(role="office", vlan=10, scope=scope, resolvers=["gateway"], domain="dock.fern.example"),
        segment("Voice", "10.40.9.0/24", role="voice", vlan=20),
        segment("Management", "10.40.10.0/26", role="management", vlan=99),
    ]
    usual: dict[str, Any] = {"circuits": [circuit(priority=1)], "time_zone": "Europe/London"}
    return site(key, more.pop("segments", segments), more.pop("hosts", None), **(usual | more))


def with_device(
    plan: SitePlan,
    kind: HardwareType | None = None,
    role: DeviceRole = DeviceRole.EDGE,
    **values: Any,
) -> tuple[SitePlan, str]:
    """The plan with a device that is wired by default and then changed, and the device's id."""
    proposal = equip(plan, role, kind or hardware(), ["time.tern.example"])
    document = jsonpatch.apply_patch(plan.document(), proposal.operations)
    document["devices"][proposal.key] |= values
    return plan_of(document, "test"), proposal.key
